"""The colours of hot things: what a black body looks like at a temperature."""

from __future__ import annotations

import numpy as np

from pale_ember.core.effect.values import Gradient, Stop

SECOND = 1.438776877e-2
"""Planck's second radiation constant, m K (CODATA 2018)."""

_WAVES = np.arange(380.0, 781.0, 5.0)
"""Nanometres of what is seen."""

_LOBES = (
    ((1.056, 599.8, 37.9, 31.0), (0.362, 442.0, 16.0, 26.7), (-0.065, 501.1, 20.4, 26.2)),
    ((0.821, 568.8, 46.9, 40.5), (0.286, 530.9, 16.3, 31.1)),
    ((1.217, 437.0, 11.8, 36.0), (0.681, 459.0, 26.0, 13.8)),
)
"""The eye's response to light (CIE 1931, 2°) as sums of bells: height, middle, width below and above it, nm (Wyman, Sloan
and Shirley, Journal of Computer Graphics Techniques 2, 2013)."""

_TO_RGB = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])
"""From the eye's X, Y, Z to linear sRGB (IEC 61966-2-1)."""

COOLEST, HOTTEST = 700.0, 40_000.0
"""Kelvin: below, nothing is seen; above, nothing changes."""


def _responses() -> np.ndarray:
    """(3, waves) how strongly each wavelength is seen."""
    rows = []
    for lobes in _LOBES:
        row = np.zeros(len(_WAVES))
        for height, middle, below, above in lobes:
            row += height * np.exp(-0.5 * ((_WAVES - middle) / np.where(middle > _WAVES, below, above)) ** 2)
        rows.append(row)
    return np.array(rows)


def tristimulus(kelvin: float) -> np.ndarray:
    """(3,) X, Y, Z of a black body, Y = 1. Planck's law, weighed by the eye."""
    metres = _WAVES * 1e-9
    shone = metres**-5 / np.expm1(SECOND / (metres * float(np.clip(kelvin, COOLEST, HOTTEST))))
    seen = _responses() @ shone
    return seen / seen[1]


def black_body(kelvin: float) -> tuple[float, float, float]:
    """The colour of a black body, linear RGB with 1 for its brightest channel; what a screen cannot show is cut at 0."""
    rgb = np.maximum(_TO_RGB @ tristimulus(kelvin), 0.0)
    red, green, blue = (rgb / rgb.max()).tolist()
    return round(red, 4), round(green, 4), round(blue, 4)


def cooling(first: float, last: float, stops: int = 6) -> Gradient:
    """The colours of something that goes from one temperature to another, K, evenly over its life."""
    return Gradient(
        stops=tuple(Stop(at=round(at, 4), colour=black_body(first + (last - first) * at)) for at in np.linspace(0, 1, stops).tolist())
    )
