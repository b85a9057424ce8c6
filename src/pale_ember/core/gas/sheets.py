"""Sheets of a gas: run from its beginning, drawn frame by frame, its loop closed by mixing fields and not pictures."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.gas.gas import Fluid
from pale_ember.core.gas.march import MarchedGas, drawn, normals, picture
from pale_ember.core.texture.light import to_linear
from pale_ember.core.texture.recipes.canvas import plane, rise

Progress = Callable[[int], bool]
"""Is told how many frames are done; says whether to go on."""

MOST_BYTES = 3 * 2**30
"""What a gas may take up while it runs."""
_BYTES_A_CELL = 4 * (3 * 8 + 4 + 6 + 12)
"""About: fields and velocities several times over, light from six sides, and what is carried."""
_SECONDS_A_CELL, _SECONDS_A_PIXEL = 4.7e-6, 1.5e-6
"""For each second that passes in a cell, and for each pixel of a frame: measured from 24 to 64 cells, 8 to 36 frames."""


@dataclass(frozen=True, slots=True, eq=False)
class GasFrames:
    """A gas over its frames, all at one size. float16, but `picture` may be brighter than 1.

    picture : (f, s, s, 4) linear, straight. lit : (f, s, s, 6) as of `MarchedGas`. way : (f, s, s, 2) shares of a frame from one frame
    to the next, rightward and downward. depth : (f, s, s). cover : (f, s, s) of the smoke alone. normal : (f, s, s, 3).
    """

    picture: np.ndarray
    lit: np.ndarray
    way: np.ndarray
    depth: np.ndarray
    cover: np.ndarray
    normal: np.ndarray

    @property
    def farthest(self) -> float:
        """The farthest way from one frame to the next, as a share of a frame, but for the few that are far out."""
        ways = np.abs(self.way[self.way != 0].astype(np.float32))
        return min(max(float(np.percentile(ways, 99.5)) if ways.size else 0.0, 1 / 256), 0.25)

    def part(self, name: str) -> np.ndarray:
        """(f, s, s, 4) float32, or twice as high: its picture, or "motion", "normals", "depth" or "light", linear and straight.
        What are numbers is told as the codes that they become."""
        if not name:
            return self.picture.astype(np.float32)
        out = np.ones((*self.depth.shape, 4), np.float32)
        if name == "motion":
            out[..., :3] = to_linear(np.array(0.5))
            out[..., :2] = to_linear(np.clip(0.5 + self.way.astype(np.float32) * (0.5 / self.farthest), 0, 1))
        elif name == "normals":
            out[..., :3] = to_linear(0.5 + 0.5 * self.normal.astype(np.float32))
            out[..., 3] = self.cover
        elif name == "depth":
            out[..., :3] = to_linear(self.depth.astype(np.float32))[..., None]
        else:
            lit = np.clip(self.lit.astype(np.float32), 0, 1)
            cover = self.cover.astype(np.float32)[..., None]
            out = np.concatenate(
                [np.concatenate([lit[..., [0, 2, 4]], cover], axis=3), np.concatenate([lit[..., [1, 3, 5]], cover], axis=3)], axis=1
            )
        return out


def memory_of(gas: Gas, frames: int, size: int, loop: bool) -> int:
    """Bytes that making a sheet takes at once, about."""
    kept = round(frames * gas.closes) if loop else 0
    return gas.grid**3 * (_BYTES_A_CELL + kept * 2 * 6) + frames * size * size * 2 * 17


def work_of(gas: Gas, frames: int, size: int, loop: bool) -> float:
    """About how many seconds making a sheet takes, on the machine on which it was measured: what the cells go through, and what
    drawing takes."""
    passed = gas.warm + gas.span * (1 + gas.closes * loop)
    return gas.grid**3 * passed * _SECONDS_A_CELL + frames * size * size * _SECONDS_A_PIXEL


def simulated(gas: Gas, frames: int, loop: bool, size: int, told: Progress = lambda done: True) -> GasFrames | None:
    """A gas run and drawn; None where `told` did not want it any longer. frames : how many. size : pixels of each."""
    fluid = Fluid(gas)
    if not fluid.run(gas.warm, lambda: told(0)):
        return None
    apart = gas.span / max(frames if loop else frames - 1, 1)
    fading = min(round(frames * gas.closes), frames) if loop and frames > 1 else 0
    first: list[tuple[np.ndarray, np.ndarray]] = []
    rows: list[MarchedGas | None] = [None] * frames
    for k in range(frames + fading):
        fields, flow = fluid.fields, fluid.flow
        if k < fading:
            first.append((fields.astype(np.float16), flow.astype(np.float16)))
        else:
            if k >= frames:
                # What comes after the end goes out while the beginning comes in: their fields, so that nothing shines through.
                share = np.float32((k - frames + 0.5) / fading)
                begun = first[k - frames]
                mixed = fields * (1 - share) + begun[0].astype(np.float32) * share
                # Two fires mixed by halves would be half as hot where only one burns, and dark: the hotter one counts for more.
                before, after = np.maximum(fields[..., 1], 0), np.maximum(begun[0][..., 1].astype(np.float32), 0)
                mixed[..., 1] = np.cbrt((1 - share) * before**3 + share * after**3)
                fields = mixed
                flow = flow * (1 - share) + begun[1].astype(np.float32) * share
                first[k - frames] = (np.empty(0), np.empty(0))
            rows[k % frames] = drawn(gas, fields, flow)
            if not told(k + 1 - fading):
                return None
        if k + 1 < frames + fading and not fluid.run(apart, lambda: told(max(k + 1 - fading, 0))):  # noqa: B023
            return None
    seen = [row for row in rows if row is not None]
    window = _window(seen) if gas.fits else (0, 0, gas.grid)
    made = [_sized(gas, row, size, apart, window) for row in seen]
    return GasFrames(**{name: np.stack([row[name] for row in made]).astype(np.float16) for name in made[0]})


_ROOM = 1.06
"""How much wider a frame is than what is seen in it."""
_FAINT = 0.02
"""Cover and light below which nothing counts as seen."""


def _window(seen: list[MarchedGas]) -> tuple[int, int, int]:
    """(first row, first column, side) in cells of the square around all that is seen in all frames."""
    whole = np.max([np.maximum(each.cover, each.shine.max(axis=2)) for each in seen], axis=0) > _FAINT
    n = whole.shape[0]
    rows, columns = np.flatnonzero(whole.any(axis=1)), np.flatnonzero(whole.any(axis=0))
    if not len(rows):
        return 0, 0, n
    side = min(round(_ROOM * max(int(np.ptp(rows)), int(np.ptp(columns)))) + 3, n)

    def first(taken: np.ndarray) -> int:
        return int(np.clip(round(0.5 * (int(taken[0]) + int(taken[-1]) + 1 - side)), 0, n - side))

    return first(rows), first(columns), side


def _sized(gas: Gas, seen: MarchedGas, size: int, apart: float, window: tuple[int, int, int]) -> dict[str, np.ndarray]:
    """All that is told of a frame, at its size, as much of it as its window shows, running out at its rim."""
    whole, (row, column, side) = seen.cover.shape[0], window
    cut = slice(row, row + side), slice(column, column + side)
    seen = MarchedGas(seen.cover[cut], seen.lit[cut], seen.shine[cut], seen.way[cut] * np.float32(whole / side), seen.depth[cut])
    away = 1 - np.maximum(*(np.abs(each) for each in plane(size)))
    inside = rise(3.5 / size, max(gas.rim, 6.0 / size), away) if gas.rim > 0 else np.ones_like(away)
    image = _fitted(_premultiplied(picture(gas, seen)), size)
    cover = np.clip(image[..., 3], 0, 1)
    safe = np.maximum(cover, 1e-3)[..., None]
    rgb = np.where(cover[..., None] > 1e-3, image[..., :3] / safe, 1.0)
    return {
        "picture": np.dstack([rgb, cover * inside]),
        "lit": _fitted(seen.lit, size),
        "way": _fitted(seen.way, size) * apart,
        "depth": _fitted(seen.depth[..., None], size)[..., 0],
        "cover": np.clip(_fitted(seen.cover[..., None], size)[..., 0], 0, 1) * inside,
        "normal": _fitted(normals(seen), size),
    }


def _premultiplied(pixels: np.ndarray) -> np.ndarray:
    return np.concatenate([pixels[..., :3] * pixels[..., 3:], pixels[..., 3:]], axis=2)


def _fitted(values: np.ndarray, size: int) -> np.ndarray:
    """(size, size, c) values (n, n, c) at another size: the mean of what falls into each pixel, or between them a smooth surface."""
    from scipy import ndimage

    n = values.shape[0]
    if n == size:
        return values
    if n % size == 0:
        return values.reshape(size, n // size, size, n // size, -1).mean(axis=(1, 3))
    zoom = size / n
    if zoom < 1:
        values = ndimage.gaussian_filter(values, (0.45 / zoom, 0.45 / zoom, 0))
    # Without its filter a spline smooths a little, and never swings beyond what it is made of.
    return np.stack(
        [ndimage.zoom(values[..., k], zoom, order=3, mode="nearest", grid_mode=True, prefilter=False) for k in range(values.shape[2])],
        axis=2,
    )


def coarse(gas: Gas, cells: int) -> Gas:
    """The same gas with fewer cells, to be looked at until the whole is there."""
    return replace(gas, grid=min(gas.grid, cells))
