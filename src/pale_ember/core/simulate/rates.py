"""How many a layer spawns, and over which span of time: what follows from its outlet alone."""

from __future__ import annotations

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import Curve, sample_keys

_FLOW_SAMPLES = 1025


def active_span(effect: Effect, layer: Layer) -> tuple[float, float]:
    """Start and length of the time in each loop in which the flow lasts, in effect seconds."""
    outlet, own = layer.outlet, effect.duration * layer.tempo
    start = min(outlet.start, own)
    span = min(outlet.span, own - start) if outlet.span > 0 else own - start
    return start / layer.tempo, span / layer.tempo


class RateIntegral:
    """The integral of the rate's factor over one loop, and its inverse; straight between samples."""

    def __init__(self, factor: Curve | None, duration: float, start: float, span: float) -> None:
        self.constant = factor is None
        self.span = span
        if factor is None:
            return
        self._at = np.linspace(0.0, span, _FLOW_SAMPLES)
        self._factor = np.maximum(sample_keys(factor.keys, (start + self._at) / duration), 0.0)
        pieces = 0.5 * (self._factor[1:] + self._factor[:-1]) * np.diff(self._at)
        self._sum = np.concatenate([[0.0], np.cumsum(pieces)])

    @property
    def whole(self) -> float:
        """The integral over the whole span, s."""
        return self.span if self.constant else float(self._sum[-1])

    @property
    def most(self) -> float:
        """The greatest factor."""
        return 1.0 if self.constant else float(self._factor.max())

    def until(self, time: float) -> float:
        """The integral from the span's start to `time` after it, s."""
        if self.constant:
            return time
        time = min(max(time, 0.0), self.span)
        i = min(int(np.searchsorted(self._at, time, side="right")) - 1, len(self._at) - 2)
        width = self._at[i + 1] - self._at[i]
        part = time - self._at[i]
        slope = (self._factor[i + 1] - self._factor[i]) / width if width > 0 else 0.0
        return float(self._sum[i] + part * (self._factor[i] + 0.5 * slope * part))

    def when(self, amount: np.ndarray) -> np.ndarray:
        """The times after the span's start at which the integral reaches `amount` (n,)."""
        if self.constant:
            return amount
        i = np.clip(np.searchsorted(self._sum, amount, side="right") - 1, 0, len(self._at) - 2)
        width = self._at[i + 1] - self._at[i]
        first, rise = self._factor[i], self._factor[i + 1] - self._factor[i]
        rest = np.maximum(amount - self._sum[i], 0.0) / np.maximum(width, 1e-30)
        root = np.sqrt(np.maximum(first**2 + 2 * rise * rest, 0.0))
        return self._at[i] + width * np.clip(2 * rest / np.maximum(first + root, 1e-30), 0.0, 1.0)


class LayerRate:
    """The flow of a layer, in seconds of its own clock."""

    def __init__(self, effect: Effect, layer: Layer) -> None:
        outlet = layer.outlet
        self.effect, self.layer, self.outlet = effect, layer, outlet
        self.step_time = effect.tempo * layer.tempo / effect.steps
        self.duration = effect.duration * layer.tempo
        start, span = active_span(effect, layer)
        self.start, self.span = start * layer.tempo, span * layer.tempo
        self.same = effect.loop and effect.identical
        self.warm = effect.loop and effect.warm
        self.flow = RateIntegral(outlet.rate_curve, self.duration, self.start, self.span)
        life = layer.birth.lifetime.middle
        self._share = 1.0 / max(life, 1e-3) if outlet.rate_counts == "kept alive" else 1.0
        self.waits = outlet.rate_counts == "seconds between"

    def rate_of(self, value: float) -> float:
        """Births a second for one value of the rate's range, without the curve over time."""
        return (1.0 / max(value, 1e-4) if self.waits else value * self._share) if value > 0 else 0.0

    @property
    def most_rate(self) -> float:
        """The most births a second the rate gives, by the middle of waits."""
        rate = self.outlet.rate
        if self.waits:
            return self.rate_of(rate.least)
        return self.rate_of(rate.most) * self.flow.most
