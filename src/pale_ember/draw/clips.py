"""The frames of a clip: moments drawn one after the other, off screen."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator

import numpy as np

from pale_ember.core.effect.model import Camera
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Shot


def clip_frames(
    timeline: Timeline,
    camera: Camera,
    background: str,
    size: tuple[int, int],
    moments: Iterable[float],
    pictures: Callable[[str], np.ndarray],
) -> Iterator[np.ndarray]:
    """Each moment's picture (h, w, 4) uint8, straight alpha where the background is "none", drawn when it is asked for in a
    context of its own, on one thread. Raises NoOpenGL."""
    shot = Shot(stage=timeline.effect.stage, background=background, alpha="straight" if background == "none" else "opaque")
    view = view_of(camera, *size)
    with offscreen(pictures, timeline.mesh) as renderer:
        for moment in moments:
            yield renderer.picture(timeline.frame(moment), view, shot, *size).copy()
