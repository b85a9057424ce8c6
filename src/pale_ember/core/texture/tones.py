"""How bright light is brought to a screen: the stage's tone curves, the same as `finish.frag.glsl` has."""

from __future__ import annotations

import numpy as np

_NEARER = np.array([[0.59719, 0.35458, 0.04823], [0.07600, 0.90834, 0.01566], [0.02840, 0.13383, 0.83777]])
_APART = np.array([[1.60475, -0.53108, -0.07367], [-0.10208, 1.10813, -0.00605], [-0.00327, -0.07276, 1.07602]])

ACES_EXPOSURE = 1.6
"""Factor on light before the Academy's curve, so that middle grey stays where the others have it."""


def toned(light: np.ndarray, tone: str) -> np.ndarray:
    """Linear light (..., 3), 0 and more, to what a screen shows of it, linear, 0 to 1. tone : one of `Stage.tone`.

    aces : the Academy Color Encoding System's transforms for sRGB screens as fitted by Stephen Hill (2016). hue kept : the Khronos
    group's PBR Neutral (2024) without its lift of the darkest.
    """
    light = np.maximum(np.asarray(light, float), 0.0)
    if tone == "aces":
        v = (light * ACES_EXPOSURE) @ _NEARER.T
        v = (v * (v + 0.0245786) - 0.000090537) / (v * (0.983729 * v + 0.4329510) + 0.238081)
        return np.clip(v @ _APART.T, 0.0, 1.0)
    if tone == "filmic":
        return 1.0 - np.exp(-light)
    if tone == "hue kept":
        peak = light.max(axis=-1, keepdims=True)
        kept = 1.0 - 0.04 / np.maximum(peak - 0.6, 0.2)
        white = 1.0 - 1.0 / (0.15 * (peak - kept) + 1.0)
        return np.where(peak < 0.8, light, light * (kept / np.maximum(peak, 1e-12)) * (1.0 - white) + kept * white)
    return np.minimum(light, 1.0)
