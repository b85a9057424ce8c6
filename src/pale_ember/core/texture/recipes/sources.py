"""How noises are painted, and what is taken from pictures, channels and gases."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from pale_ember.core.effect.recipe import sources as told
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.texture import noise as noises
from pale_ember.core.texture.light import channel_of, chosen, to_linear
from pale_ember.core.texture.mips import fitted
from pale_ember.core.texture.recipes.canvas import Canvas, tones_of
from pale_ember.core.texture.recipes.changes import pushed
from pale_ember.core.texture.recipes.cut import cut_frame

_LAID = {"gradient": noises.GRADIENT, "value": noises.VALUE, "ridges": noises.RIDGES, "billows": noises.BILLOWS}
_MIDDLE = {"gradient": (0.0, 1.6), "value": (0.0, 1.3), "ridges": (0.15, 1.0), "billows": (-0.45, 1.4)}
"""Where the tones of each pattern lie, and what spreads them over black and white."""


def noise(step: told.Noise, c: Canvas) -> np.ndarray:
    cells = step.cells
    right, up = (c.gone(drift, cells) for drift in step.drift)
    x, y = (c.x + 1) * (cells / 2) - right, (c.y + 1) * (cells / 2) - up
    if step.curl > 0:
        across, upward = pushed(c, max(cells // 2, 1), 2, step.churn, 0.0, step.seed + 7, eddies=True)
        x, y = x + step.curl * cells / 4 * across, y + step.curl * cells / 4 * upward
    made = c.noise(step.seed, cells, cells, step.churn)
    deep = c.deep(step.churn)
    if step.pattern in _LAID:
        middle, spread = _MIDDLE[step.pattern]
        value = spread * (made.layered(x, y, deep, step.octaves, _LAID[step.pattern], step.gain) - middle)
    else:
        turn = 2 * np.pi * (c.t * round(step.churn) if c.loop else deep)
        value, weight, whole = np.zeros_like(x), 1.0, 0.0
        for k in range(min(step.octaves, 3)):
            fine = 2**k
            nearest, second = c.noise(step.seed + k, cells * fine, cells * fine).cells(x * fine, y * fine, turn)
            value = value + weight * ((second - nearest) * 2 - 1 if step.pattern == "seams" else 1 - 1.7 * nearest)
            whole, weight = whole + weight, weight * step.gain * 0.5
        value = value / whole
    return np.clip(0.5 + 0.5 * step.contrast * value, 0, 1).astype(np.float32)


def picture(step: told.Picture, c: Canvas) -> np.ndarray:
    pixels = c.pictures(step.picture)
    if step.columns * step.rows > 1 or step.frames or step.trim or step.steady:
        pixels = cut_frame(pixels, step, c.t, c.anew, loop=c.loop)
    if step.channel == "all":
        return fitted(chosen(pixels, "all", step.invert), c.size, c.size)
    value = tones_of(pixels) if step.channel == "brightness" else channel_of(pixels, step.channel)
    value = 1 - value if step.invert else value
    return fitted(np.dstack([value] * 3 + [np.ones_like(value)]).astype(np.float32), c.size, c.size)[..., 0]


def pack(step: told.PackedChannels, c: Canvas) -> np.ndarray:
    """Codes laid into channels; red, green and blue as the linear light whose codes they are, so that they are read as told."""
    out = np.zeros((c.size, c.size, 4), np.float32)
    out[..., 3] = 1.0
    for k, part in enumerate((step.red, step.green, step.blue, step.alpha)):
        if not part.picture:
            continue
        pixels = c.pictures(part.picture)
        code = channel_of(pixels, "all" if part.channel == "brightness" else part.channel)
        code = 1 - code if part.invert else code
        if code.shape != (c.size, c.size):
            code = fitted(np.dstack([code] * 3 + [np.ones_like(code)]).astype(np.float32), c.size, c.size)[..., 0]
        out[..., k] = code if k == 3 else to_linear(np.clip(code, 0, 1))
    return out


def gas(step: told.Gas, c: Canvas) -> np.ndarray:
    frames = c.gases(step, c.frames, c.loop, c.size)
    return frames[min(c.frame, len(frames) - 1)].astype(np.float32)


SOURCES: dict[type[Step], Callable[[Any, Canvas], np.ndarray]] = {
    told.Noise: noise,
    told.Picture: picture,
    told.PackedChannels: pack,
    told.Gas: gas,
}
