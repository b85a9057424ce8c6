"""Smaller and smaller versions of a picture, mixed in linear light by how much each pixel covers.

Pictures are (height, width, 4) float32, linear and straight.
"""

from __future__ import annotations

import numpy as np


def halved(pixels: np.ndarray) -> np.ndarray:
    """(h // 2, w // 2, 4) the picture at half its size, a side of 1 staying so: each pixel is the mean of up to four, their
    light weighed by their cover, so that what is not covered lends no colour."""
    height, width = pixels.shape[:2]
    tall, wide = max(height // 2, 1), max(width // 2, 1)
    rows, columns = (2 if height > 1 else 1), (2 if width > 1 else 1)
    blocks = pixels[: tall * rows, : wide * columns].reshape(tall, rows, wide, columns, 4)
    cover = blocks[..., 3:]
    light, alpha = (blocks[..., :3] * cover).mean(axis=(1, 3)), cover.mean(axis=(1, 3))
    # Where nothing is covered the plain mean stays, for blends that do not look at the cover.
    bare = blocks[..., :3].mean(axis=(1, 3))
    rgb = np.where(alpha > 1e-4, light / np.maximum(alpha, 1e-4), bare)
    return np.concatenate([rgb, alpha], axis=2).astype(np.float32)


def mip_chain(pixels: np.ndarray, cut: float = 0.0) -> list[np.ndarray]:
    """The picture and its halves down to one pixel.

    cut : where a look cuts its cover hard, as much of each is kept above it as of the whole (I. Castaño, Computing alpha
    mipmaps, 2010); 0 for a look that does not.
    """
    chain = [pixels]
    while max(chain[-1].shape[:2]) > 1:
        chain.append(halved(chain[-1]))
    if cut > 0:
        wanted = covered(pixels, cut)
        chain[1:] = [_with_cover(level, cut, wanted) for level in chain[1:]]
    return chain


def covered(pixels: np.ndarray, cut: float) -> float:
    """The share of a picture that lies above a cut of its cover."""
    return float((pixels[..., 3] > cut).mean())


def _with_cover(pixels: np.ndarray, cut: float, wanted: float) -> np.ndarray:
    """A picture with its cover scaled so that this share of it lies above the cut."""
    ordered = np.sort(pixels[..., 3], axis=None)
    place = min(round((1.0 - wanted) * len(ordered)), len(ordered) - 1)
    edge = float(ordered[max(place - 1, 0)] + ordered[place]) / 2
    if edge <= 1e-6 or wanted <= 0:
        return pixels
    scaled = pixels.copy()
    scaled[..., 3] = np.clip(pixels[..., 3] * cut / edge, 0.0, 1.0)
    return scaled


def fitted(pixels: np.ndarray, width: int, height: int) -> np.ndarray:
    """(height, width, 4) the picture at another size, halved as often as it fits and then mixed from its neighbours."""
    while pixels.shape[1] >= 2 * width and pixels.shape[0] >= 2 * height:
        pixels = halved(pixels)
    tall, wide = pixels.shape[:2]
    if (wide, tall) == (width, height):
        return pixels
    x = (np.arange(width) + 0.5) * wide / width - 0.5
    y = (np.arange(height) + 0.5) * tall / height - 0.5
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    u, v = (x - left)[None, :, None], (y - top)[:, None, None]
    premultiplied = np.concatenate([pixels[..., :3] * pixels[..., 3:], pixels[..., 3:]], axis=2)

    def at(rows: np.ndarray, columns: np.ndarray) -> np.ndarray:
        return premultiplied[np.clip(rows, 0, tall - 1)][:, np.clip(columns, 0, wide - 1)]

    upper = at(top, left) * (1 - u) + at(top, left + 1) * u
    lower = at(top + 1, left) * (1 - u) + at(top + 1, left + 1) * u
    mixed = upper * (1 - v) + lower * v
    alpha = mixed[..., 3:]
    near = pixels[np.clip(np.round(y).astype(int), 0, tall - 1)][:, np.clip(np.round(x).astype(int), 0, wide - 1), :3]
    rgb = np.where(alpha > 1e-4, mixed[..., :3] / np.maximum(alpha, 1e-4), near)
    return np.concatenate([rgb, alpha], axis=2).astype(np.float32)


def bled(pixels: np.ndarray) -> np.ndarray:
    """The picture with its colours carried outward over what is not covered, so that filters find no foreign colour there.
    Cover stays as it is. What is bare takes the colour of the smallest version of the picture that is covered there."""
    covered_here = pixels[..., 3:] > 0
    if covered_here.all() or not covered_here.any():
        return pixels
    smaller = [pixels]
    while max(smaller[-1].shape[:2]) > 1:
        smaller.append(halved(smaller[-1]))
    rgb = smaller[-1][..., :3]
    for level in reversed(smaller[:-1]):
        tall, wide = level.shape[:2]
        rows = np.minimum(np.arange(tall) // 2, rgb.shape[0] - 1)
        columns = np.minimum(np.arange(wide) // 2, rgb.shape[1] - 1)
        rgb = np.where(level[..., 3:] > 0, level[..., :3], rgb[rows][:, columns])
    return np.concatenate([rgb, pixels[..., 3:]], axis=2).astype(np.float32)
