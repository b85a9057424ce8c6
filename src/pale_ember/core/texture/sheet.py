"""Sheets of frames: which moments, how they lie, what is cut off, and whether the loop closes."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Effect


@dataclass(frozen=True, slots=True)
class SheetPlan:
    """What to bake. first, last : s of real time; the last frame stops one frame before `last`, where a loop begins."""

    frames: int = 16
    columns: int = 4
    cell: int = 128
    first: float = 0.0
    last: float = 1.0
    alpha: str = "straight"

    @property
    def rows(self) -> int:
        return math.ceil(self.frames / self.columns)

    @property
    def fps(self) -> float:
        return self.frames / (self.last - self.first)

    def moments(self) -> list[float]:
        """The moment of each frame, in seconds."""
        return [self.first + i * (self.last - self.first) / self.frames for i in range(self.frames)]

    def fault(self) -> str | None:
        """What cannot be baked, in one sentence, or None."""
        for name, value, low, high in (
            ("frames", self.frames, 1, 1024), ("columns", self.columns, 1, 256), ("cell", self.cell, 4, 2048),
        ):  # fmt: skip
            if not low <= value <= high:
                return f"{name}: expected a whole number from {low} to {high}, found {value}; choose one within"
        if not (math.isfinite(self.first) and math.isfinite(self.last) and 0 <= self.first < self.last <= 36000):
            return f"span: expected a start before its end, 0 to 36000 s, found {self.first:g} to {self.last:g}; exchange or move them"
        if self.columns * self.cell * self.rows * self.cell > 16384 * 16384:
            return f"sheet: {self.columns * self.cell} × {self.rows * self.cell} pixels are too many; use smaller cells or fewer frames"
        return None


@dataclass(frozen=True, slots=True, eq=False)
class Sheet:
    """A baked sheet. pixels : (rows × cell, columns × cell, 4) uint8. clipped : frames that touch their edge."""

    plan: SheetPlan
    pixels: np.ndarray
    clipped: tuple[int, ...]
    seam: float

    def cell_at(self, index: int) -> np.ndarray:
        """(cell, cell, 4) uint8, one frame."""
        row, column = divmod(index, self.plan.columns)
        size = self.plan.cell
        return self.pixels[row * size : (row + 1) * size, column * size : (column + 1) * size]


EDGE_SEEN = 6
"""Alpha, of 255, from which something at a cell's edge counts as cut off."""


def bake(
    plan: SheetPlan, draw: Callable[[float], np.ndarray], progress: Callable[[int], bool] = lambda done: True
) -> Sheet | None:
    """Draws every frame with `draw(moment)` → (cell, cell, 4) uint8 and lays them out.

    `progress(frames done)` may return False to stop; then None comes back.
    """
    size = plan.cell
    pixels = np.zeros((plan.rows * size, plan.columns * size, 4), np.uint8)
    clipped = []
    cells = []
    for i, moment in enumerate(plan.moments()):
        if not progress(i):
            return None
        cell = draw(moment)
        row, column = divmod(i, plan.columns)
        pixels[row * size : (row + 1) * size, column * size : (column + 1) * size] = cell
        alpha = cell[..., 3]
        if max(alpha[0].max(), alpha[-1].max(), alpha[:, 0].max(), alpha[:, -1].max()) > EDGE_SEEN:
            clipped.append(i)
        cells.append(_covered(cell))
    progress(plan.frames)
    return Sheet(plan, pixels, tuple(clipped), _seam(cells))


def _covered(cell: np.ndarray) -> np.ndarray:
    """(h, w, 3) float32: the light that a cell (h, w, 4) uint8 shows over black."""
    return cell[..., :3].astype(np.float32) * (cell[..., 3:].astype(np.float32) / 255)


def _seam(cells: list[np.ndarray]) -> float:
    """How much larger the change from the last frame to the first is than from any frame to its next, on average.

    cells : (h, w, 4) each.
    """
    if len(cells) < 3:
        return 1.0
    steps = [float(np.abs(after - before).mean()) for before, after in itertools.pairwise(cells)]
    across = float(np.abs(cells[0] - cells[-1]).mean())
    usual = float(np.mean(steps))
    return across / usual if usual > 1e-6 else (1.0 if across < 1e-6 else 99.0)


def closed(effect: Effect) -> Effect:
    """A loop whose end meets its beginning: every loop draws the same numbers, and begins warm."""
    return replace(effect, identical=True, warm=True) if effect.loop else effect
