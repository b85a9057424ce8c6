"""Colours by name: linear light for a word, and the nearest word for linear light."""

from __future__ import annotations

import functools
import re

import numpy as np

from pale_ember.core.effect.values import Colour, three, to_lab

_CODED = {
    "white": "ffffff", "grey": "808080", "black": "000000", "red": "ff2010", "crimson": "b01030", "brown": "70401c",
    "orange": "ff8020", "amber": "ffb030", "gold": "e0b040", "yellow": "ffe840", "cream": "fff0d0", "olive": "707828",
    "lime": "a0f030", "green": "28a030", "teal": "208880", "turquoise": "40d8c8", "sky blue": "80c8ff", "blue": "2850f0",
    "navy": "182060", "indigo": "4830a0", "violet": "9050f0", "purple": "803090", "magenta": "f030c0", "pink": "ff90b0",
}  # fmt: skip
"""sRGB, in hexadecimal."""
_DARK, _PALE, _BRIGHT = 0.2, 0.55, 2.0
"""What *dark* leaves of the light, how much white is in *pale*, and what *bright* multiplies."""
_MORE_THAN_WHITE = 1.4
"""The brightest channel from which a colour is called bright."""


def _linear(coded: str) -> Colour:
    shares = np.array([int(coded[i : i + 2], 16) for i in (0, 2, 4)]) / 255
    light = np.where(shares <= 0.04045, shares / 12.92, ((shares + 0.055) / 1.055) ** 2.4)
    return three(light, 4)


@functools.cache
def _named() -> dict[str, Colour]:
    """Linear light by word; dark and pale ones too."""
    plain = {name: _linear(coded) for name, coded in _CODED.items()}
    named = dict(plain)
    for name, light in plain.items():
        if name not in ("white", "black"):
            named[f"dark {name}"] = three((each * _DARK for each in light), 4)
            named[f"pale {name}"] = three((each + (1 - each) * _PALE for each in light), 4)
    return named


COLOUR = (
    r"(?:#[0-9a-f]{8}|#[0-9a-f]{6}|#[0-9a-f]{3}|(?:(?:bright|very|light|dark|deep|pale)\s+)*(?:"
    + "|".join(sorted([*_CODED, "gray", "cyan"], key=len, reverse=True))
    + r"))(?!\w)"
)
"""A colour in a text, as a pattern."""


def colour_said(text: str) -> Colour | None:
    """Linear light that a text means: a word, sRGB in hexadecimal, or three linear numbers; None where it means none."""
    plain = " ".join(text.lower().replace("gray", "grey").replace("cyan", "turquoise").split())
    if re.fullmatch(r"#([0-9a-f]{3}|[0-9a-f]{6}|[0-9a-f]{8})", plain):
        digits = plain[1:] if len(plain) > 4 else "".join(sign * 2 for sign in plain[1:])
        return _linear(digits[:6])
    numbers = re.split(r"[,\s]+", plain)
    if len(numbers) == 3 and all(re.fullmatch(r"\d*\.?\d+", each) for each in numbers):
        return three(float(each) for each in numbers)
    plain, bright = re.subn(r"\bbright ", "", plain)
    plain = re.sub(r"\b(light|very pale) ", "pale ", re.sub(r"\b(deep|very dark) ", "dark ", plain))
    light = _named().get(plain)
    if light is None:
        return None
    return three(each * _BRIGHT**bright for each in light)


@functools.lru_cache(maxsize=512)
def colour_told(colour: Colour) -> str:
    """The nearest word for linear light; *bright* before it where it is more than white."""
    top = max(colour)
    shown = np.array(colour) / (top if top > _MORE_THAN_WHITE else 1.0)
    words = _named()
    away = np.linalg.norm(to_lab(np.array(list(words.values()))) - to_lab(shown[None]), axis=1)
    name = list(words)[int(np.argmin(away))]
    return f"bright {name}" if top > _MORE_THAN_WHITE else name
