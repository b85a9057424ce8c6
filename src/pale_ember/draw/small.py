"""Small pictures by which an effect is judged."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pale_ember.core.effect.model import FIRST_VIEW
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.view import view_of
from pale_ember.draw.renderer import Renderer, Shot

SMALL = 160, 90
"""Pixels of such a picture."""


def small_pictures(renderer: Renderer) -> Callable[[Frame], np.ndarray]:
    """Draws Frames small, on their own stage, from the first view that is kept: (h, w, 4) uint8, coded."""

    def drawn(frame: Frame) -> np.ndarray:
        stage = frame.effect.stage
        view = view_of((stage.cameras or (FIRST_VIEW,))[0], *SMALL)
        return renderer.picture(frame, view, Shot(stage=stage, background=stage.background), *SMALL)

    return drawn
