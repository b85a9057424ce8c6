"""Living pictures of a few layers: a strip of frames that says at a glance what they do."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.stage import QUAY
from pale_ember.core.insight.close_up import close_up
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.renderer import Renderer, Shot

FRAMES = 16
"""Frames of a living picture."""
RATE = 10.0
"""Frames a second at which it is played."""
_SHORTEST = 0.3
"""Seconds that a living picture of what is born at once shows at least."""


def _played(layers: Sequence[Layer]) -> tuple[Effect, np.ndarray]:
    """Layers as an effect of their own, and the moments that are shown: from its beginning where all is born at once, else
    from where it has built up."""
    at_once = all(layer.outlet.rate.most == 0 for layer in layers)
    effect = Effect(layers=tuple(layers), duration=3.0, loop=not at_once, warm=not at_once, stage=QUAY)
    if not at_once:
        return effect, 1.0 + np.arange(FRAMES) / RATE
    longest = max(layer.birth.lifetime.most for layer in layers)
    return effect, np.linspace(1 / 60, min(max(longest, _SHORTEST), FRAMES / RATE), FRAMES)


def moving_picture(
    layers: Sequence[Layer], renderer: Renderer, width: int, height: int, go_on: Callable[[], bool] = lambda: True
) -> np.ndarray | None:
    """(FRAMES, height, width, 4) uint8, sRGB, on the dark of the stage; None where `go_on` stopped it.

    Nothing of any stage but its ground is shown.
    """
    effect, moments = _played(layers)
    timeline = Timeline(effect)
    frames = []
    for moment in moments:
        if not go_on():
            return None
        frames.append(timeline.frame(float(moment)))
    view = view_of(close_up(frames[::3], width, height), width, height)
    shot = Shot(stage=effect.stage, background="dark")
    return np.stack([renderer.picture(frame, view, shot, width, height) for frame in frames])
