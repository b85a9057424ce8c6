"""Small pictures by which an effect is judged."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import FIRST_VIEW, Camera
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.view import view_of
from pale_ember.draw.renderer import Renderer, Shot

SMALL = 160, 90
"""Pixels of a picture that is compared with others."""
GLANCE = 106, 60
"""Pixels of one that is glanced at."""


def as_first_seen(renderer: Renderer, frame: Frame, size: tuple[int, int]) -> np.ndarray:
    """(h, w, 3) uint8, coded: a Frame on its own stage, from the first view that is kept."""
    stage = frame.effect.stage
    view = view_of((stage.cameras or (FIRST_VIEW,))[0], *size)
    return renderer.picture(frame, view, Shot(stage=stage, background=stage.background), *size)[..., :3].copy()


def small_pictures(renderer: Renderer) -> Callable[[Frame], np.ndarray]:
    """Draws Frames small, on their own stage, from the first view that is kept: (h, w, 4) uint8, coded."""

    def drawn(frame: Frame) -> np.ndarray:
        stage = frame.effect.stage
        view = view_of((stage.cameras or (FIRST_VIEW,))[0], *GLANCE)
        return renderer.picture(frame, view, Shot(stage=stage, background=stage.background), *GLANCE)

    return drawn


def on_background(renderer: Renderer) -> Callable[..., np.ndarray]:
    """Draws Frames small, from a camera, or the first view that is kept, on a plain background that is told: (h, w, 4) uint8, coded."""

    def drawn(frame: Frame, background: str, camera: Camera | None = None) -> np.ndarray:
        stage = frame.effect.stage
        view = view_of(camera or (stage.cameras or (FIRST_VIEW,))[0], *SMALL)
        plain = replace(stage, background=background, ground=False, figure=False, props=(), fog=0.0)
        return renderer.picture(frame, view, Shot(stage=plain, background=background), *SMALL)

    return drawn


MEASURED = 320, 180
"""Pixels of the picture on which it is counted how often each is painted."""


def painted_pixels(renderer: Renderer) -> Callable[[Frame, Camera], np.ndarray]:
    """Counts how often each pixel of a picture from a camera is painted by a Frame: (h, w)."""

    def counted(frame: Frame, camera: Camera) -> np.ndarray:
        if not any(each.count for each in frame.layers):
            return np.zeros(MEASURED[::-1])
        return renderer.painted(frame, view_of(camera, *MEASURED), Shot(stage=frame.effect.stage), *MEASURED)

    return counted
