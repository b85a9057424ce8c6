"""Baking a sheet: every frame drawn by the same renderer, off screen, in a view that holds them all."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.sheet import EDGE_SEEN, Sheet, SheetPlan, bake
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Renderer, Shot
from pale_ember.draw.view import framed, view_of

FIT = 96
"""Pixels of the pictures by which a view is fitted."""
_FILLS = 0.94
"""Share of the picture that the fullest frame takes."""
_ROUNDS = 6
_MOMENTS = 24
"""Moments by which a view is fitted at most, until all are looked at."""


def draw_sheet(
    timeline: Timeline, camera: Camera, plan: SheetPlan, pictures: Callable[[str], np.ndarray],
    progress: Callable[[int], bool] = lambda done: True, *, fits: bool = False,
) -> tuple[Sheet, Camera] | None:  # fmt: skip
    """Bakes in a context of its own, on any thread, and tells from where; None when `progress` stopped it. Raises NoOpenGL.

    fits : the camera, turned as it is, is moved so that no frame is cut off and the fullest fills the cell.
    """
    # What is lit is lit as on the stage; the air between is the stage's own.
    shot = Shot(stage=replace(timeline.effect.stage, fog=0.0), background="none", alpha=plan.alpha)
    with offscreen(pictures, timeline.mesh) as renderer:
        if fits:
            camera = fitted(renderer, timeline, camera, plan, shot, lambda: progress(0))
        view = view_of(camera, plan.cell, plan.cell)
        sheet = bake(plan, lambda at: renderer.picture(timeline.frame(at), view, shot, plan.cell, plan.cell), progress)
    return (sheet, camera) if sheet is not None else None


def fitted(
    renderer: Renderer, timeline: Timeline, camera: Camera, plan: SheetPlan, shot: Shot, go_on: Callable[[], bool]
) -> Camera:
    """A camera, turned as it is, whose square picture holds every frame of a plan: it begins where all particles are in the
    picture, and comes nearer by what is really painted."""
    moments = plan.moments()
    some = moments[:: max(len(moments) // _MOMENTS, 1)]
    whole = _whole([timeline.frame(at) for at in some], camera)
    if whole is None:
        return camera
    camera = whole
    for round_ in range(_ROUNDS):
        if not go_on():
            return camera
        # The last look is at every frame.
        seen = _painted(renderer, timeline, camera, moments if round_ == _ROUNDS - 1 else some, shot)
        if seen is None:
            return camera
        low, high = seen
        if min(low.min(), 1 - high.max()) <= 1.5 / FIT:
            camera = replace(camera, distance=camera.distance * (1.06 if round_ == _ROUNDS - 1 else 1.4))
            continue
        view = view_of(camera, 1, 1)
        middle, half = low + high - 1.0, float((high - low).max())
        across = view.half_height * camera.distance
        target = np.array(camera.target) + across * (middle[0] * view.right - middle[1] * view.up)
        camera = replace(camera, target=tuple(target.tolist()), distance=camera.distance * half / _FILLS)
    return camera


def _whole(frames: Sequence[Frame], camera: Camera) -> Camera | None:
    """A camera far enough for every particle of some frames, and what may hang on it; None where nothing lives."""
    layers = [layer for frame in frames for layer in frame.layers if layer.count]
    if not layers:
        return None
    places = np.concatenate([layer.position for layer in layers]).astype(float)
    half = np.concatenate([0.75 * layer.size.max(axis=1) for layer in layers]).astype(float)
    return framed(camera, places, half, 1.0, share=0.6)


def _painted(
    renderer: Renderer, timeline: Timeline, camera: Camera, moments: Sequence[float], shot: Shot
) -> tuple[np.ndarray, np.ndarray] | None:
    """Low and high corners (2,) of what is painted at any of some moments, 0 to 1 from the upper left; None for nothing."""
    view, covered = view_of(camera, FIT, FIT), np.zeros((FIT, FIT), bool)
    for at in moments:
        covered |= renderer.picture(timeline.frame(at), view, shot, FIT, FIT)[..., 3] > EDGE_SEEN // 2
    rows, columns = np.flatnonzero(covered.any(axis=1)), np.flatnonzero(covered.any(axis=0))
    if not len(rows):
        return None
    return np.array([columns[0], rows[0]]) / FIT, np.array([columns[-1] + 1, rows[-1] + 1]) / FIT
