"""How a picture moves into the next: motion for sheets whose frames are to flow into each other, and how it stands to light.

Flow is found by patches looked for from coarse to fine, then smoothed (T. Kroeger et al., Fast optical flow using dense inverse
search, ECCV 2016), by OpenCV.
"""

from __future__ import annotations

import numpy as np

from pale_ember.core.preloading import extra

_FARTHEST = 0.25
"""The farthest way between two frames, as a share of one, that is believed."""
_PATCH, _APART = 8, 3
"""Pixels of the patches that are looked for in the second picture, and from one to the next."""
_LEAST = 16
"""Pixels of a side below which patches find no hold: smaller pictures are looked at larger."""


def flow(first: np.ndarray, second: np.ndarray) -> np.ndarray:
    """(h, w, 2) float32, pixels: how far what is at each place of a picture has gone in the second, right and down.

    first, second : (h, w) float, 0 to 1.
    """
    # A quarter of a second to import, so only where motion is looked for.
    extra("cv2", "flow", "motion between frames")
    import cv2

    times = -(-_LEAST // min(first.shape))
    codes = [np.round(np.clip(np.kron(each, np.ones((times, times))), 0, 1) * 255).astype(np.uint8) for each in (first, second)]
    finder = cv2.DISOpticalFlow.create(cv2.DISOpticalFlow_PRESET_MEDIUM)
    finder.setFinestScale(0)
    finder.setPatchSize(_PATCH)
    finder.setPatchStride(_APART)
    way = finder.calc(codes[0], codes[1], None)  # type: ignore[call-overload]
    return (way[times // 2 :: times, times // 2 :: times] / times).astype(np.float32)


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
        height = depth * wide * np.sqrt(np.clip(body * (0.7 + 0.3 * ndimage.gaussian_filter(light, 0.012 * wide)), 0, 1))
        down, right = np.gradient(height)
        normal = np.stack([-right, down, np.ones_like(height)], axis=2)
        normal /= np.linalg.norm(normal, axis=2, keepdims=True)
        told[i, ..., :3] = 0.5 + 0.5 * normal
        told[i, ..., 3] = 1.0
    return told
