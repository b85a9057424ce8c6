"""Planes softened by way of their waves."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np


def softened(part: np.ndarray, factor: Callable[[np.ndarray, np.ndarray], np.ndarray], pad: int, *, wraps: bool) -> np.ndarray:
    """A plane (h, w) with its waves multiplied by `factor(fx, fy)`, in waves a pixel, right and down."""
    from scipy import fft

    pad = 0 if wraps else pad
    size = [fft.next_fast_len(side + 2 * pad, real=True) if pad else side for side in part.shape]
    padded = np.zeros(size, np.float32)
    padded[pad : pad + part.shape[0], pad : pad + part.shape[1]] = part
    waves = fft.rfft2(padded, workers=2)
    fy, fx = np.fft.fftfreq(size[0])[:, None], np.fft.rfftfreq(size[1])[None, :]
    even = fft.irfft2(waves * factor(fx, fy).astype(np.float32), s=size, workers=2)
    return np.maximum(even[pad : pad + part.shape[0], pad : pad + part.shape[1]], 0.0)


def bell_blurred(part: np.ndarray, width: float, *, wraps: bool = False) -> np.ndarray:
    """A plane under a bell `width` pixels wide."""
    if width <= 0.05:
        return part

    def factor(fx: np.ndarray, fy: np.ndarray) -> np.ndarray:
        return np.exp(-2 * (np.pi * width) ** 2 * (fx**2 + fy**2))

    return softened(part, factor, min(int(3 * width) + 1, max(part.shape)), wraps=wraps)
