"""Which part of a picture has anything in it."""

from __future__ import annotations

import numpy as np

Box = tuple[float, float, float, float]
"""Part of a frame: left, top, right, bottom, 0 to 1 from its top left."""

_MARGIN = 8
"""Pixels around what a frame holds, for the blur of its smaller levels."""


def filled_box(pixels: np.ndarray, columns: int, rows: int) -> Box:
    """The part of a sheet's frames that anything is ever drawn in, so that no empty pixel costs anything.

    pixels : (height, width, 4) float32.
    """
    height, width = pixels.shape[0] // rows, pixels.shape[1] // columns
    seen = (
        pixels[: height * rows, : width * columns, 3].reshape(rows, height, columns, width).max(axis=(0, 2)) > 1 / 512
    )
    across, down = np.flatnonzero(seen.any(axis=0)), np.flatnonzero(seen.any(axis=1))
    if not len(across):
        return 0.0, 0.0, 1.0, 1.0
    return (
        max(across[0] - _MARGIN, 0) / width,
        max(down[0] - _MARGIN, 0) / height,
        min(across[-1] + 1 + _MARGIN, width) / width,
        min(down[-1] + 1 + _MARGIN, height) / height,
    )
