"""How a picture moves into the next: motion for sheets whose frames are to flow into each other, and how it stands to light.

Flow is found as Horn and Schunck say (Artificial Intelligence 17, 1981), from coarse to fine, each picture bent by what is
known already (Brox et al., ECCV 2004).
"""

from __future__ import annotations

import numpy as np

_LEVELS, _ROUNDS, _RELAXED = 5, 3, 60
"""Halvings, bendings on each level, and rounds of smoothing after each."""
_FARTHEST = 0.25
"""The farthest way between two frames, as a share of one, that is believed."""
_SMOOTH = 0.02
"""How much smoothness is worth against likeness, for pictures from 0 to 1."""


def flow(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    """(h, w, 2) float32, pixels: how far what is at each place of a picture has gone in the second, right and down.

    first, second : (h, w) float, 0 to 1.
    """
    from scipy import ndimage

    pyramid = [(first.astype(np.float32), second.astype(np.float32))]
    while len(pyramid) < _LEVELS and min(pyramid[-1][0].shape) >= 16:
        pyramid.append(tuple(_halved(picture) for picture in pyramid[-1]))  # type: ignore[arg-type]
    way = np.zeros((*pyramid[-1][0].shape, 2), np.float32)
    for here, there in reversed(pyramid):
        tall, wide = here.shape
        if way.shape[:2] != here.shape:
            grow = (tall / way.shape[0], wide / way.shape[1], 1)
            way = ndimage.zoom(way, grow, order=1, mode="nearest", grid_mode=True) * np.array(
                [grow[1], grow[0]], np.float32
            )
        here, there = ndimage.gaussian_filter(here, 0.8), ndimage.gaussian_filter(there, 0.8)
        y, x = np.mgrid[0:tall, 0:wide].astype(np.float32)
        for _ in range(_ROUNDS):
            bent = ndimage.map_coordinates(there, [y + way[..., 1], x + way[..., 0]], order=1, mode="nearest")
            middle = 0.5 * (here + bent)
            slope_y, slope_x = np.gradient(middle)
            apart = bent - here
            step = np.zeros_like(way)
            divide = _SMOOTH**2 + slope_x**2 + slope_y**2
            for _ in range(_RELAXED):
                whole = way + step
                mean = _neighbours(whole) - way
                off = (slope_x * mean[..., 0] + slope_y * mean[..., 1] + apart) / divide
                step = mean - off[..., None] * np.stack([slope_x, slope_y], axis=2)
            way = way + np.clip(step, -2.0, 2.0)
    return way


def _halved(picture: np.ndarray) -> np.ndarray:
    tall, wide = picture.shape[0] // 2, picture.shape[1] // 2
    return picture[: 2 * tall, : 2 * wide].reshape(tall, 2, wide, 2).mean(axis=(1, 3))


def _neighbours(way: np.ndarray) -> np.ndarray:
    """The mean of the eight around each place, those beside counting twice."""
    padded = np.pad(way, ((1, 1), (1, 1), (0, 0)), mode="edge")
    beside = padded[1:-1, :-2] + padded[1:-1, 2:] + padded[:-2, 1:-1] + padded[2:, 1:-1]
    corners = padded[:-2, :-2] + padded[:-2, 2:] + padded[2:, :-2] + padded[2:, 2:]
    return beside / 6 + corners / 12


def vectors_of(cells: np.ndarray, *, loops: bool) -> tuple[np.ndarray, float]:
    """(n, h, w, 4) float32 pictures of how each frame moves into the next, and the farthest way as a share of a frame.

    cells : (n, h, w, 4) float, linear and straight. Red and green say ½ + way / (2 · farthest); blue is ½, all is covered.
    loops : whether the last flows into the first.
    """
    count, tall, wide = cells.shape[:3]
    seen = cells[..., :3].max(axis=3) * cells[..., 3]
    seen = np.sqrt(seen / max(float(seen.max(initial=0.0)), 1e-6))
    ways = np.zeros((count, tall, wide, 2), np.float32)
    for i in range(count if loops else count - 1):
        ways[i] = flow(seen[i], seen[(i + 1) % count])
    if not loops and count > 1:
        ways[-1] = ways[-2]
    shares = ways / np.array([wide, tall], np.float32)
    # Where nothing is seen no way is known.
    shares *= (seen > 0.02)[..., None]
    # What lost its way is cut off: it would make all the others coarse.
    known = np.abs(shares[shares != 0])
    farthest = min(max(float(np.percentile(known, 99.5)) if known.size else 0.0, 1.0 / 256), _FARTHEST)
    shares = np.clip(shares, -farthest, farthest)
    told = np.full((count, tall, wide, 4), 0.5, np.float32)
    told[..., :2] += (0.5 / farthest) * shares.astype(np.float32)
    told[..., 3] = 1.0
    return told, farthest


def normals_of(cells: np.ndarray, depth: float = 0.35) -> np.ndarray:
    """(n, h, w, 4) float32: the way each frame's surface looks, x right, y up, z out of the picture, each ½ + ½ of it.

    cells : (n, h, w, 4) float; what covers is taken for how far it bulges. depth : how far at most, as a share of a frame.
    """
    from scipy import ndimage

    told = np.empty((*cells.shape[:3], 4), np.float32)
    for i, cell in enumerate(cells):
        wide = cell.shape[1]
        light = cell[..., :3].mean(axis=2)
        light = light / max(float(light.max(initial=0.0)), 1e-6)
        body = ndimage.gaussian_filter(cell[..., 3], 0.03 * wide)
        height = (
            depth * wide * np.sqrt(np.clip(body * (0.7 + 0.3 * ndimage.gaussian_filter(light, 0.012 * wide)), 0, 1))
        )
        down, right = np.gradient(height)
        normal = np.stack([-right, down, np.ones_like(height)], axis=2)
        normal /= np.linalg.norm(normal, axis=2, keepdims=True)
        told[i, ..., :3] = 0.5 + 0.5 * normal
        told[i, ..., 3] = 1.0
    return told
