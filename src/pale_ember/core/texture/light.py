"""Pictures between their coding and linear light."""

from __future__ import annotations

import functools

import numpy as np

NO_COVER = 1e-6
"""A cover up to this is none."""


def luminance(colours: np.ndarray) -> np.ndarray:
    """How bright linear colours (..., 3 or more) are (ITU-R BT.709); of their shape without the last axis."""
    return colours[..., :3] @ np.array([0.2126, 0.7152, 0.0722], colours.dtype)


def to_linear(coded: np.ndarray) -> np.ndarray:
    """sRGB-coded values 0 to 1 to linear light (IEC 61966-2-1)."""
    return np.where(coded <= 0.04045, coded / 12.92, ((np.maximum(coded, 0.0) + 0.055) / 1.055) ** 2.4)


def to_coded(linear: np.ndarray) -> np.ndarray:
    """Linear light to sRGB-coded values, 0 to 1 (IEC 61966-2-1)."""
    linear = np.clip(linear, 0, 1)
    return np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)


@functools.cache
def _codes() -> np.ndarray:
    """(65536,) uint8: the code of each of 65,536 steps of linear light."""
    codes = (to_coded(np.arange(65536) / 65535) * 255 + 0.5).astype(np.uint8)
    codes.setflags(write=False)
    return codes


def to_bytes(linear: np.ndarray) -> np.ndarray:
    """Linear light to sRGB codes, 0 to 255, uint8: for pictures shown on a screen, where speed counts. Of any shape."""
    return _codes()[(np.clip(linear, 0, 1) * np.float32(65535)).astype(np.uint16)]


def channel_of(pixels: np.ndarray, channel: str) -> np.ndarray:
    """(height, width) float32, 0 to 1: one channel of a straight linear picture as the artist sees it, coded; "all" is
    how light it looks."""
    if channel == "alpha":
        return pixels[..., 3].astype(np.float32)
    if channel == "all":
        return to_coded(luminance(pixels)).astype(np.float32)
    return to_coded(pixels[..., ("red", "green", "blue").index(channel)]).astype(np.float32)


def chosen(pixels: np.ndarray, channel: str, invert: bool) -> np.ndarray:
    """A straight linear picture (height, width, 4) float32 with one channel as white cover, or inverted, or as it is."""
    if channel != "all":
        value = channel_of(pixels, channel)
        value = 1.0 - value if invert else value
        return np.dstack([np.ones((*value.shape, 3), np.float32), value]).astype(np.float32)
    if not invert:
        return pixels
    return np.dstack([to_linear(1.0 - to_coded(pixels[..., :3])), pixels[..., 3]]).astype(np.float32)
