"""What a step paints on: one frame of a recipe, and how its planes are read at other places."""

from __future__ import annotations

import functools
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.texture.light import luminance

# A state is what has been painted so far: tones (h, w), or a picture (h, w, 4) of linear light, straight, and cover. float32.
# Places run from -1 at the left and the foot of a frame to 1 at its right and its top. Row 0 is the top.
from pale_ember.core.texture.noise import NoiseField
from pale_ember.core.texture.recipes import kernels
from pale_ember.core.worker_pool import in_parts

_ROWS = 64
"""Rows of a frame that are not worth a second thread."""


@functools.lru_cache(8)
def plane(size: int) -> tuple[np.ndarray, np.ndarray]:
    """Pixel centres of a square frame, x rightward and y upward, -1 to 1. Both (size, size) float32, read-only."""
    line = ((np.arange(size) + 0.5) / size * 2 - 1).astype(np.float32)
    x, y = np.meshgrid(line, -line)
    x.setflags(write=False)
    y.setflags(write=False)
    return x, y


@functools.lru_cache(8)
def turned(size: int) -> tuple[np.ndarray, np.ndarray]:
    """How far pixel centres are from the middle, and in what direction, radians. Both (size, size) float32, read-only."""
    x, y = plane(size)
    r, angle = np.hypot(x, y), np.arctan2(y, x)
    r.setflags(write=False)
    angle.setflags(write=False)
    return r, angle


@dataclass(frozen=True, slots=True, eq=False)
class Canvas:
    """One frame of a recipe. frame, frames : which of how many. loop : whether the last meets the first. anew : added to the seed
    of all that is drawn at random. once : gives what was made before under a name, or makes it; for arrays that hang on few of a step's
    numbers, and are changed by nobody. pictures : gives a picture by name, (h, w, 4) float32, linear and straight. gases : gives the
    frames of a gas, (frames, size, size, 4), by the gas, how many, whether they loop, and their size."""

    size: int
    pictures: Callable[[str], np.ndarray]
    gases: Callable[[Gas, int, bool, int], np.ndarray]
    frame: int = 0
    frames: int = 1
    loop: bool = False
    anew: int = 0
    once: Callable[[tuple, Callable[[], Any]], Any] = lambda name, make: make()

    @property
    def t(self) -> float:
        """How far the sheet is, 0 to 1; of a loop 1 would be the first frame again."""
        return self.frame / (self.frames if self.loop else max(self.frames - 1, 1))

    @property
    def x(self) -> np.ndarray:
        """(h, w) rightward from the middle, in half frames."""
        return plane(self.size)[0]

    @property
    def y(self) -> np.ndarray:
        """(h, w) upward from the middle, in half frames."""
        return plane(self.size)[1]

    @property
    def r(self) -> np.ndarray:
        """Distance from the middle."""
        return turned(self.size)[0]

    @property
    def round(self) -> np.ndarray:
        """Angle about the middle, radians, from the right against the clock."""
        return turned(self.size)[1]

    def noise(self, seed: int, across: int = 32, up: int = 32, churn: float = 0.0) -> NoiseField:
        """A noise that repeats after so many cells; where the sheet is a loop, its z runs from 0 to 1 through `churn` cells."""
        return NoiseField(seed + self.anew, across, up, churn if self.loop else 0.0)

    def gone(self, drift: float, cells: int) -> float:
        """How far a noise has drifted that goes so far over the frames, in cells; round a loop it goes whole pictures of so many,
        at least one where it goes at all."""
        if not self.loop or drift == 0:
            return drift * self.t
        return np.sign(drift) * max(round(abs(drift) / cells), 1) * cells * self.t

    def deep(self, churn: float) -> float:
        """How deep in such a noise this frame lies."""
        return self.t if self.loop and churn > 0 else self.t * churn

    def random(self, seed: int) -> np.random.Generator:
        """A generator for the frame, from a step's seed."""
        return np.random.default_rng(seed + self.anew)


def rise(low: float | np.ndarray, high: float | np.ndarray, value: np.ndarray) -> np.ndarray:
    """0 below `low`, 1 above `high`, smooth between; of any shape. Where `low` is above `high` it falls."""
    t = np.clip((value - low) / (high - low), 0, 1)
    rest = 3 - 2 * t
    t *= t
    t *= rest
    return t


def bell(value: np.ndarray, width: float | np.ndarray) -> np.ndarray:
    """1 in the middle, less than a fiftieth at two widths."""
    return np.exp(-((value / width) ** 2))


def coloured(light: np.ndarray, cover: np.ndarray) -> np.ndarray:
    """(h, w, 4) float32 of grey light (h, w) and cover (h, w)."""
    out = np.empty((*cover.shape, 4), np.float32)
    for k, tones in enumerate((np.clip(light, 0, 1),) * 3 + (np.clip(cover, 0, 1),)):
        out[..., k] = tones
    return out


def grains(points: list[tuple[float, float, float, float]], size: int) -> np.ndarray:
    """(size, size) float32 the sum of soft grains: across and up, -1 to 1, size and brightness of each."""
    out = np.zeros((size, size), np.float32)
    if points:
        kernels.bells(np.array(points, np.float32), out)
    return out


def drawn_lines(pieces: list[tuple[float, ...]], size: int, power: float) -> np.ndarray:
    """(size, size) float32 tones of lines: from and to, -1 to 1, and how thick. power : how steep their sides are."""
    out = np.zeros((size, size), np.float32)
    if pieces:
        kernels.lines(np.array(pieces, np.float32), np.float32(power), out)
    return out


def planes_of(state: np.ndarray) -> np.ndarray:
    """(1, h, w) tones, or (4, h, w) light multiplied by its cover, and cover: what may be mixed."""
    if state.ndim == 2:
        return np.ascontiguousarray(state[None], np.float32)
    planes = np.empty((4, *state.shape[:2]), np.float32)
    state = np.require(state, np.float32, ("C", "W"))
    in_parts(lambda rows: kernels.multiplied(state, planes, rows.start, rows.stop), len(state), _ROWS)
    return planes


def from_planes(planes: np.ndarray) -> np.ndarray:
    """The state of such planes. What does not cover has no colour of its own: it is white."""
    if len(planes) == 1:
        return planes[0]
    out = np.empty((*planes.shape[1:], 4), np.float32)
    planes = np.ascontiguousarray(planes, np.float32)
    in_parts(lambda rows: kernels.straight(planes, out, rows.start, rows.stop), len(out), _ROWS)
    return out


def read_at(state: np.ndarray, x: np.ndarray, y: np.ndarray, *, wraps: bool = False) -> np.ndarray:
    """A state read at places x, y (h, w), -1 to 1; of their shape. wraps : beyond its edges it begins anew, else it is empty."""
    planes = planes_of(state)
    tall, wide = planes.shape[1:]
    across = ((x + 1) * (wide / 2) - 0.5).astype(np.float32).ravel()
    down = ((1 - y) * (tall / 2) - 0.5).astype(np.float32).ravel()
    out = np.empty((len(planes), across.size), np.float32)
    in_parts(lambda part: kernels.read(planes, across, down, wraps, out, part.start, part.stop), across.size)
    return from_planes(out.reshape(len(planes), *x.shape))


def through(state: np.ndarray, change: Callable[[np.ndarray], np.ndarray]) -> np.ndarray:
    """A state with each of its planes changed: `change` takes (h, w) and gives (h, w)."""
    return from_planes(np.stack([change(part) for part in planes_of(state)]).astype(np.float32))


def tones_of(state: np.ndarray) -> np.ndarray:
    """(h, w) how light each place of a state is: of a picture its light as far as it covers."""
    if state.ndim == 2:
        return state
    return luminance(state) * state[..., 3]
