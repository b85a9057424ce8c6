"""What is taken from a reference into a layer: its colours over time, and how bright or large it is over time, with few keys."""

from __future__ import annotations

import numpy as np

from pale_ember.core.effect.curves import fitted
from pale_ember.core.effect.values import Colour, Curve, Gradient, Stop, to_lab
from pale_ember.core.reference.measures import Measures

_STOPS = 6
_NEAR = 0.02
"""How near a gradient of few stops stays to the colours, as the eye sees them; and a curve, as a share of its height."""


def _shares(measures: Measures) -> tuple[np.ndarray, np.ndarray]:
    """Moments (n,) as shares of the time in which something is seen, and which of all they are."""
    begin, end = measures.lasts()
    some = (measures.times >= begin) & (measures.times <= end)
    return (measures.times[some] - begin) / max(end - begin, 1e-6), some


def gradient_of(measures: Measures) -> Gradient:
    """Its colours over the time in which it is seen, each as bright as it can be shown; few stops."""
    at, some = _shares(measures)
    colours = measures.colour[some]
    colours = colours / np.maximum(colours.max(axis=1, keepdims=True), 1e-6)
    if len(at) < 2:
        colour = colours[0] if len(colours) else np.ones(3)
        return Gradient(stops=(Stop(at=0.0, colour=_told(colour)),))
    seen, chosen = to_lab(colours), [0, len(at) - 1]
    while len(chosen) < _STOPS:
        between = np.stack([np.interp(at, at[chosen], seen[chosen, c]) for c in range(3)], axis=1)
        away = np.linalg.norm(between - seen, axis=1)
        if away.max() < _NEAR:
            break
        chosen = sorted({*chosen, int(away.argmax())})
    return Gradient(stops=tuple(Stop(at=round(float(at[i]), 4), colour=_told(colours[i])) for i in chosen))


def mean_colour(measures: Measures) -> Colour:
    """The colour of all that is seen, weighed by its light, as bright as it can be shown."""
    weight = np.abs(measures.light)
    colour = (measures.colour * weight[:, None]).sum(axis=0) / max(float(weight.sum()), 1e-9)
    return _told(colour / max(float(colour.max()), 1e-6))


def _told(colour: np.ndarray) -> Colour:
    red, green, blue = (round(float(part), 4) for part in colour)
    return red, green, blue


def curve_of(measures: Measures, what: str) -> Curve:
    """How bright ("brightness") or how high ("size") it is over the time in which it is seen, 1 at its most; few keys."""
    at, some = _shares(measures)
    values = np.abs(measures.light[some]) if what == "brightness" else np.nan_to_num(measures.high[some])
    values = values / max(float(values.max(initial=0.0)), 1e-9)
    if len(values) > 8:
        # Flicker from frame to frame is no part of how it grows and fades.
        values = np.convolve(np.pad(values, 2, mode="edge"), np.ones(5) / 5, mode="valid")
        values = values / max(float(values.max()), 1e-9)
    return fitted(at, values, 2 * _NEAR)
