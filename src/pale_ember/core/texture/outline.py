"""Which part of a picture has anything in it: the box around it, and outlines of a few corners that lie closer."""

from __future__ import annotations

import numpy as np

from pale_ember.core.effect.look import Look
from pale_ember.core.texture.light import chosen

MOST = 8
"""Corners of an outline, at most."""
WHOLE = ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0))
"""The outline of a frame of which nothing is known."""

Outline = tuple[tuple[float, float], ...]
"""Corners of a convex part of a frame, each from the left and from the top, 0 to 1, clockwise."""

_MARGIN = 8
"""Pixels around what a frame holds, for the blur of its smaller levels."""
_EMPTY = 1 / 512
"""Cover from which a pixel counts: half of what the least code of eight bits tells."""


def held_by(pixels: np.ndarray, columns: int, rows: int) -> np.ndarray:
    """(h, w) the most that any frame of a sheet (height, width, 4) covers; nothing where it has fewer pixels than frames."""
    height, width = pixels.shape[0] // rows, pixels.shape[1] // columns
    cover = pixels[: height * rows, : width * columns, 3]
    return cover.reshape(rows, height, columns, width).max(axis=(0, 2)) if height and width else np.zeros((0, 0))


def outline(held: np.ndarray, corners: int = 4) -> Outline:
    """A convex outline around all that a sheet's frames ever hold, of at most so many corners, so that few empty pixels are painted.

    held : as of `held_by`. Four corners are the box; more are cut from the convex hull by drawing out, as long as there are too many,
    the two edges beside the one whose loss adds the least area.
    """
    seen = held > _EMPTY
    height, width = seen.shape
    down = np.flatnonzero(seen.any(axis=1))
    if not len(down):
        return WHOLE
    first, last = seen[down].argmax(axis=1), width - 1 - seen[down, ::-1].argmax(axis=1)
    left, right = np.maximum(first - _MARGIN, 0), np.minimum(last + 1 + _MARGIN, width)
    top, bottom = np.maximum(down - _MARGIN, 0), np.minimum(down + 1 + _MARGIN, height)
    x0, x1, y0, y1 = left.min(), right.max(), top.min(), bottom.max()
    box = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], float)
    found = box
    if corners > 4:
        ends = np.concatenate([np.stack([x, y], axis=1) for x in (left, right) for y in (top, bottom)]).astype(float)
        cut = _with_fewer_corners(_hull(ends), corners, float(width), float(height))
        if len(cut) <= corners and area_of(cut) < area_of(box):
            found = cut
    return tuple((float(x / width), float(y / height)) for x, y in found)


def held_in(look: Look, pixels: np.ndarray) -> np.ndarray:
    """What the frames of a look's picture hold, as of `held_by`; all of it where the picture runs over its card. pixels : (height, width,
    4) float32 that picture, linear and straight."""
    if look.fills:
        return np.ones((1, 1), np.float32)
    return held_by(chosen(pixels, look.surface.channel, look.surface.invert), look.columns, look.rows)


def outline_of(look: Look, pixels: np.ndarray) -> Outline:
    """The outline of a look's card; pixels as of `held_in`."""
    return outline(held_in(look, pixels), look.corners)


def area_of(corners: np.ndarray | Outline) -> float:
    """The area within corners (n, 2) (the shoelace formula)."""
    x, y = np.asarray(corners, float).T
    return 0.5 * abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1)))


def _hull(points: np.ndarray) -> np.ndarray:
    """(m, 2) the corners of the convex hull of points (n, 2), clockwise where y goes down."""
    from scipy.spatial import ConvexHull, QhullError

    try:
        return points[ConvexHull(points).vertices]
    except QhullError:
        return points[:0]


def _with_fewer_corners(hull: np.ndarray, most: int, width: float, height: float) -> np.ndarray:
    """A convex outline around another with at most so many corners, within a frame; with more where that cannot be."""
    while len(hull) > most:
        before, start, end, after = np.roll(hull, 1, axis=0), hull, np.roll(hull, -1, axis=0), np.roll(hull, -2, axis=0)
        one, two, across = start - before, end - after, end - start
        turn = one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]
        with np.errstate(divide="ignore", invalid="ignore"):
            far = (across[:, 0] * two[:, 1] - across[:, 1] * two[:, 0]) / turn
            tips = start + far[:, None] * one
        added = 0.5 * np.abs(across[:, 0] * (tips - start)[:, 1] - across[:, 1] * (tips - start)[:, 0])
        within = ((tips >= -1e-9) & (tips <= np.array([width, height]) + 1e-9)).all(axis=1)
        added[~(within & (turn < -1e-9) & (far > 0))] = np.inf
        least = int(np.argmin(added))
        if not np.isfinite(added[least]):
            break
        hull = hull.copy()
        hull[least] = np.clip(tips[least], 0.0, (width, height))
        hull = np.delete(hull, (least + 1) % len(hull), axis=0)
    return hull
