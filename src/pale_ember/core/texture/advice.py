"""What a picture tells of itself: its grid of frames, how it wants to be blended, how large it need be.

Pictures are (height, width, 4) float32, linear and straight.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pale_ember.core.texture.light import to_coded

_MOST_FRAMES = 16
"""Frames along one side that are guessed at."""

_EMPTY = 0.03
"""Of the mean light of a picture: what counts as nothing between two frames."""

_ALIKE = 0.6
"""How alike neighbouring frames of a sheet without gaps are at least, as a correlation."""

_ENOUGH = 512
"""Pixels along the shorter side by which a picture is judged."""

PIXELS_PER_METRE = 200
"""Enough for anything seen from a few metres."""


@dataclass(frozen=True, slots=True)
class Advice:
    """How a picture is best used, and why. invert : whether light and dark are best exchanged."""

    blend: str
    invert: bool
    why: str


def thinned(pixels: np.ndarray, enough: int = _ENOUGH) -> np.ndarray:
    """A large picture by every second pixel, until halving it again would leave fewer than half of `enough` a side.

    pixels : (h, w, channels) or (h, w).
    """
    while min(pixels.shape[:2]) > enough and pixels.shape[0] % 2 == 0 and pixels.shape[1] % 2 == 0:
        pixels = pixels[::2, ::2]
    return pixels


def _seen(pixels: np.ndarray) -> np.ndarray:
    """(height, width) what of a picture catches the eye: cover where it has any, else light against its ground."""
    alpha = pixels[..., 3]
    light = to_coded(pixels[..., :3].max(axis=2))
    if alpha.min() < 0.5:
        return alpha * np.maximum(light, 0.25)
    return np.abs(light - np.median(_border(light)))


def _border(values: np.ndarray) -> np.ndarray:
    """(2 w + 2 h,) the outermost pixels of a picture (h, w)."""
    return np.concatenate([values[0], values[-1], values[:, 0], values[:, -1]])


def guess_grid(pixels: np.ndarray) -> tuple[int, int]:
    """(columns, rows) of a sheet's frames; (1, 1) for a single picture.

    Frames are told by the gaps between them: the most even cuts that all run through nothing. Where there are no gaps,
    by how alike neighbours are.
    """
    seen = _seen(thinned(pixels))
    if seen.max() <= 0:
        return 1, 1
    columns, rows = _cuts(seen), _cuts(seen.T)
    if columns == rows == 1:
        columns, rows = _alike(seen)
    return columns, rows


def _cuts(seen: np.ndarray) -> int:
    """The most equal parts that a picture can be cut into, side by side, through nothing. seen : (h, w)."""
    width = seen.shape[1]
    profile, mean = seen.mean(axis=0), float(seen.mean())
    # The lines at both sides of a cut.
    best = 1
    for parts in range(2, _MOST_FRAMES + 1):
        if width % parts or width // parts < 4:
            continue
        cuts = np.arange(1, parts) * (width // parts)
        if max(profile[cuts].max(), profile[cuts - 1].max()) > _EMPTY * mean:
            continue
        cells = profile.reshape(parts, -1).mean(axis=1)
        # Empty cells mean that the cuts are finer than the frames.
        if (cells > 0.05 * mean).sum() >= 0.7 * parts:
            best = parts
    return best


def _alike(seen: np.ndarray) -> tuple[int, int]:
    """The grid in which neighbours are most alike, if they are alike at all and their edges do not flow into each
    other, as within one picture they do.

    seen : (h, w).
    """
    grid, best = (1, 1), _ALIKE
    for side in (8, 6, 5, 4, 3, 2):
        for columns, rows in ((side, side), (side, max(side // 2, 1)), (max(side // 2, 1), side)):
            if seen.shape[0] % rows or seen.shape[1] % columns or columns * rows < 4:
                continue
            if not (_broken(seen, columns) and _broken(seen.T, rows)):
                continue
            height, width = seen.shape[0] // rows, seen.shape[1] // columns
            cells = seen.reshape(rows, height, columns, width).transpose(0, 2, 1, 3).reshape(rows * columns, -1)
            cells = cells - cells.mean(axis=1, keepdims=True)
            norm = np.linalg.norm(cells, axis=1)
            if (norm < 1e-6).any():
                continue
            near = (cells[1:] * cells[:-1]).sum(axis=1) / (norm[1:] * norm[:-1])
            score = float(np.median(near))
            if score > best + 0.02:
                grid, best = (columns, rows), score
    return grid


def _broken(seen: np.ndarray, parts: int) -> bool:
    """Whether a picture jumps at the cuts between so many parts side by side. seen : (h, w)."""
    jumps = np.abs(np.diff(seen, axis=1)).mean(axis=0)
    cuts = np.arange(1, parts) * (seen.shape[1] // parts) - 1
    return parts == 1 or float(np.median(jumps[cuts])) > 2.5 * float(np.median(jumps)) + 1e-4


def advise(pixels: np.ndarray) -> Advice:
    """How a picture wants to be blended, from its cover and its ground. pixels : (h, w, 4), linear, straight."""
    pixels = thinned(pixels)
    alpha, light = pixels[..., 3], to_coded(pixels[..., :3].max(axis=2))
    if alpha.min() < 0.9:
        loose = (alpha < 0.05) & (light > 0.05)
        covered = light[alpha > 0.5]
        if covered.size and float(np.median(covered)) > 0.85 and float(covered.std()) < 0.12 and loose.mean() < 0.02:
            return Advice("alpha", False, "It has an alpha channel and is white: tint it.")
        return Advice("alpha", False, "It has an alpha channel.")
    ground = float(np.median(_border(light)))
    if ground < 0.08:
        return Advice("additive", False, "It stands on black: its light is best added.")
    if ground > 0.85:
        return Advice("multiply", False, "It stands on white: it is best multiplied, or inverted and added.")
    return Advice("alpha", False, "It has neither alpha nor a black background, so it will show as a square.")


def advised_size(metres: float, frame_width: int) -> str:
    """What a frame's size in pixels is worth for a particle so many metres wide, or "" where it is right."""
    wanted = 1 << max(int(np.ceil(np.log2(max(metres * PIXELS_PER_METRE, 8.0)))), 4)
    if frame_width > 2 * wanted:
        return f"{frame_width} pixels for {metres:.2g} m: {wanted} would look the same"
    if frame_width * 4 < wanted:
        return f"{frame_width} pixels for {metres:.2g} m will look soft: {min(wanted, 1024)} would be sharp"
    return ""
