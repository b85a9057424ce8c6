"""What particles drew at birth, told again from their numbers: nothing of it is kept anywhere."""

from __future__ import annotations

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.simulate import draws as channels
from pale_ember.core.simulate.draws import drawn_of, draws, key_of
from pale_ember.core.simulate.plan import own_loop_mask

_CHANNELS: dict[str, int] = {
    "lifetime": channels.LIFETIME, "speed": channels.SPEED, "size": channels.SIZE, "angle": channels.ANGLE,
    "spin": channels.SPIN, "brightness": channels.BRIGHTNESS, "opacity": channels.OPACITY,
    "frame": channels.FIRST_FRAME, "outward": channels.OUTWARD_SPEED, "around": channels.SIDEWAYS_SPEED,
}  # fmt: skip
"""The channel of each range of Birth."""


def drawn_at_birth(effect: Effect, layer: Layer, numbers: np.ndarray) -> dict[str, np.ndarray]:
    """What particles with these numbers (n,) uint64 drew from each range of Birth, (n,) float64 each, by the field's name."""
    own = np.asarray(numbers, np.uint64) & np.uint64(own_loop_mask(effect))
    key = key_of(effect.seed, layer.id)
    return {name: drawn_of(getattr(layer.birth, name), draws(key, own, channel)) for name, channel in _CHANNELS.items()}
