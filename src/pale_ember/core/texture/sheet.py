"""Sheets of frames: which moments, how they lie, what is cut off, and whether the loop closes."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Effect

_RIM = 0.06


@dataclass(frozen=True, slots=True)
class SheetPlan:
    """What to bake. first, last : s of real time; the last frame stops one frame before `last`, where a loop begins. fade :
    the share of the frames, from the first on, in which what comes after the last fades out, so that the loop closes. keep :
    how much of all that is painted a fitted view holds; where that is not all, frames run out towards their edges."""

    frames: int = 16
    columns: int = 4
    cell: int = 128
    first: float = 0.0
    last: float = 1.0
    alpha: str = "straight"
    fade: float = 0.0
    keep: float = 1.0

    @property
    def rows(self) -> int:
        """Frames above each other."""
        return math.ceil(self.frames / self.columns)

    @property
    def fps(self) -> float:
        """Frames a second at which it plays as long as it was."""
        return self.frames / (self.last - self.first)

    @property
    def rim(self) -> float:
        """The share of a frame's side in which it runs out, so that nothing is cut."""
        return _RIM if self.keep < 1 else 0.0

    def baked(self, effect: Effect) -> Effect:
        """The effect as it is baked: a loop meets itself, unless its end fades into its beginning anyway."""
        return closed(effect) if self.fade <= 0 else effect

    def moments(self) -> list[float]:
        """The moment of each frame, in seconds."""
        return [self.first + i * (self.last - self.first) / self.frames for i in range(self.frames)]

    def fault(self) -> str | None:
        """What cannot be baked, in one sentence, or None."""
        for name, value, low, high in (("frames", self.frames, 1, 1024), ("columns", self.columns, 1, 256), ("cell", self.cell, 4, 2048)):
            if not low <= value <= high:
                return f"{name}: expected a whole number from {low} to {high}, found {value}; choose one within"
        if not (math.isfinite(self.first) and math.isfinite(self.last) and 0 <= self.first < self.last <= 36000):
            return f"span: expected a start before its end, 0 to 36000 s, found {self.first:g} to {self.last:g}; exchange or move them"
        if not 0.5 <= self.keep <= 1:
            return f"keep: expected a share from 0.5 to 1, found {self.keep:g}; choose one within"
        if not 0 <= self.fade <= 0.5:
            return f"fade: expected a share from 0 to 0.5, found {self.fade:g}; choose one within"
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


def bake(plan: SheetPlan, draw: Callable[[float], np.ndarray], progress: Callable[[int], bool] = lambda done: True) -> Sheet | None:
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
        share = i / (plan.frames * plan.fade) if plan.fade > 0 else 1.0
        if share < 1.0:
            cell = mixed(draw(moment + plan.last - plan.first), cell, share, plan.alpha)
        if plan.rim > 0:
            cell = _run_out(cell, plan)
        row, column = divmod(i, plan.columns)
        pixels[row * size : (row + 1) * size, column * size : (column + 1) * size] = cell
        alpha = cell[..., 3]
        if max(alpha[0].max(), alpha[-1].max(), alpha[:, 0].max(), alpha[:, -1].max()) > EDGE_SEEN:
            clipped.append(i)
        cells.append(_covered(cell))
    progress(plan.frames)
    return Sheet(plan, pixels, tuple(clipped), _seam(cells))


def mixed(first: np.ndarray, second: np.ndarray, share: float, alpha: str) -> np.ndarray:
    """(h, w, 4) uint8: one frame fading into another, by so much of the second. alpha : how both tell it."""
    one, two = first.astype(np.float32) / 255, second.astype(np.float32) / 255
    if alpha == "premultiplied":
        return np.round((one + (two - one) * share) * 255).astype(np.uint8)
    cover = one[..., 3:] * (1 - share) + two[..., 3:] * share
    light = one[..., :3] * one[..., 3:] * (1 - share) + two[..., :3] * two[..., 3:] * share
    bare = one[..., :3] * (1 - share) + two[..., :3] * share
    rgb = np.where(cover > 1e-4, light / np.maximum(cover, 1e-4), bare)
    return np.round(np.concatenate([rgb, cover], axis=2) * 255).astype(np.uint8)


def _run_out(cell: np.ndarray, plan: SheetPlan) -> np.ndarray:
    """A frame (h, w, 4) uint8 that runs out towards its edges."""
    size = cell.shape[0]
    away = np.minimum(np.arange(size), np.arange(size)[::-1]) / max(plan.rim * size, 1.0)
    slope = np.clip(away, 0.0, 1.0)
    side = slope * slope * (3 - 2 * slope)
    whole = (side[:, None] * side[None, :])[..., None]
    faded = cell.astype(np.float32)
    faded[..., 3:] *= whole
    if plan.alpha == "premultiplied":
        faded[..., :3] *= whole
    return np.round(faded).astype(np.uint8)


def best_columns(frames: int, cell: int) -> int:
    """How many frames side by side waste the least of a sheet whose sides are powers of two; of equal ones the squarest."""

    def waste(columns: int) -> tuple[float, int]:
        wide, tall = columns * cell, math.ceil(frames / columns) * cell
        return (_up(wide) * _up(tall), abs(wide - tall))

    return min(range(1, frames + 1), key=waste)


def _up(size: int) -> int:
    """The next power of two."""
    return 1 << max(size - 1, 0).bit_length()


def memory_of(plan: SheetPlan) -> int:
    """Bytes of a sheet in a graphics card's memory, as it is and with all smaller sizes."""
    return plan.columns * plan.cell * plan.rows * plan.cell * 4 * 4 // 3


_SEAM = 64
"""Pixels of a frame's side that are looked at for how well a loop closes."""


def _covered(cell: np.ndarray) -> np.ndarray:
    """(h, w, 3) float32: the light that a cell (h, w, 4) uint8 shows over black, of large ones at some of their pixels."""
    step = max(cell.shape[0] // _SEAM, 1)
    cell = cell[::step, ::step]
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
