"""A free throw through still or moving air, in closed form."""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.kernel import kernel


@kernel
def coefficients(drag, h):
    """A, B and G of the exact step (float32 drag in 1/s, float32 h in s); by series where k h is small."""
    k, t = np.float64(drag), np.float64(h)
    kh = k * t
    if kh < 1e-3:
        b = t * (1.0 - kh * (0.5 - kh / 6.0))
        g = t * t * (0.5 - kh * (1.0 / 6.0 - kh / 24.0))
        return np.float32(1.0 - k * b), np.float32(b), np.float32(g)
    a = math.exp(-kh)
    b = (1.0 - a) / k
    return np.float32(a), np.float32(b), np.float32((t - b) / k)
