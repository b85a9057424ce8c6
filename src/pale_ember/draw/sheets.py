"""Baking a sheet: every frame drawn by the same renderer, off screen, in a view that holds them all."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.sheet import EDGE_SEEN, Sheet, SheetPlan, bake
from pale_ember.core.view import View, framed, view_of
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Renderer, Shot

FIT = 96
"""Pixels of the pictures by which a view is fitted."""
_FILLS = 0.94
"""Share of the picture that the fullest frame takes."""
_FILLS_FIRST = 0.86
"""The same for the first step nearer: what is before the middle grows faster than the rest."""
_ROUNDS = 8
_SOME, _MANY = 6, 20
"""Moments by which a view is fitted at most, and by which it is looked at last."""
_NEAR = 0.06
"""How near a view must come to the one that is wanted before it is looked at last."""


def draw_sheet(
    timeline: Timeline,
    camera: Camera,
    plan: SheetPlan,
    pictures: Callable[[str], np.ndarray],
    progress: Callable[[int], bool] = lambda done: True,
    *,
    fits: bool = False,
) -> tuple[Sheet, Camera] | None:
    """Bakes in a context of its own, on any thread, and tells from where; None when `progress` stopped it. Raises NoOpenGL.

    fits : the camera, turned as it is, is moved so that no frame is cut off and the fullest fills the cell, or
    so that it holds what the plan keeps.
    """
    # What is lit is lit as on the stage; the air between is the stage's own.
    shot = Shot(stage=replace(timeline.effect.stage, fog=0.0), background="none", alpha=plan.alpha)
    frame_at = _Moments(timeline)
    with offscreen(pictures, timeline.mesh) as renderer:
        if fits:
            camera = fitted(renderer, frame_at, camera, plan, shot, lambda: progress(0))
        view = view_of(camera, plan.cell, plan.cell)
        sheet = bake(plan, lambda at: renderer.picture(frame_at(at), view, shot, plan.cell, plan.cell), progress)
    return (sheet, camera) if sheet is not None else None


class _Moments:
    """The Frames of an effect by their moments: those asked for before are kept, as far as there is room."""

    def __init__(self, timeline: Timeline) -> None:
        self._timeline = timeline
        self._kept: dict[float, Frame] = {}
        self._alive = 0

    def __call__(self, at: float) -> Frame:
        frame = self._kept.get(at)
        if frame is None:
            frame = self._timeline.frame(at)
            self._alive += frame.alive
            if self._alive <= _MOST_KEPT:
                self._kept[at] = frame
        return frame


_MOST_KEPT = 1_000_000
"""Particles of the Frames that are kept: some 100 MB."""


def fitted(
    renderer: Renderer, frame_at: Callable[[float], Frame], camera: Camera, plan: SheetPlan, shot: Shot, go_on: Callable[[], bool]
) -> Camera:
    """A camera, turned as it is, whose square picture holds every frame of a plan: it begins where all particles are in the
    picture, and comes nearer by what is really painted."""
    moments, keep = plan.moments(), plan.keep
    some, many = (moments[:: math.ceil(len(moments) / most)] for most in (_SOME, _MANY))
    whole = _whole([frame_at(at) for at in some], camera)
    if whole is None:
        return camera
    # Between what is known to hold all and what is known to be too near.
    holds, near, camera, last, fills = whole, 0.0, whole, False, _FILLS_FIRST
    for _ in range(_ROUNDS):
        if not go_on():
            return camera
        seen = _painted(renderer, frame_at, camera, many if last else some, shot, keep)
        if seen is None:
            return camera
        low, high = seen
        if keep >= 1.0 and min(low.min(), 1 - high.max()) <= 1.5 / FIT:
            near = camera.distance
            holds = replace(holds, distance=max(holds.distance, 1.06 * near) if last or camera is whole else holds.distance)
            camera = holds if last or camera is whole else replace(holds, distance=math.sqrt(near * holds.distance))
            continue
        view = view_of(camera, 1, 1)
        middle, half = low + high - 1.0, float((high - low).max())
        across = view.half_height * camera.distance
        target = np.array(camera.target) + across * (middle[0] * view.right - middle[1] * view.up)
        holds = replace(camera, target=tuple(target.tolist()))
        wanted = replace(holds, distance=max(camera.distance * half / fills, math.sqrt(near * camera.distance)))
        fills = _FILLS
        if last:
            return wanted if keep < 1.0 or wanted.distance > holds.distance else holds
        last = abs(wanted.distance / holds.distance - 1) < _NEAR
        camera = holds if last else wanted
    return holds


def _whole(frames: Sequence[Frame], camera: Camera) -> Camera | None:
    """A camera far enough for every particle of some frames, and what may hang on it; None where nothing lives."""
    layers = [layer for frame in frames for layer in frame.layers if layer.count]
    if not layers:
        return None
    places = np.concatenate([layer.position for layer in layers]).astype(float)
    half = np.concatenate([0.75 * layer.size.max(axis=1) for layer in layers]).astype(float)
    return framed(camera, places, half, 1.0, share=0.6)


def _painted(
    renderer: Renderer, frame_at: Callable[[float], Frame], camera: Camera, moments: Sequence[float], shot: Shot, keep: float
) -> tuple[np.ndarray, np.ndarray] | None:
    """Low and high corners (2,) of what is painted at any of some moments, or of that share of it, 0 to 1 from the upper left;
    None for nothing."""
    view, weight = view_of(camera, FIT, FIT), np.zeros((FIT, FIT))
    for at in moments:
        cover = renderer.picture(frame_at(at), view, shot, FIT, FIT)[..., 3].astype(float)
        cover = np.maximum(cover, _specks(frame_at(at), view))
        weight = np.maximum(weight, np.where(cover > EDGE_SEEN // 2, cover, 0.0))
    rows, columns = (_weighty(weight.sum(axis=axis), keep) for axis in (1, 0))
    if not len(rows):
        return None
    return np.array([columns[0], rows[0]]) / FIT, np.array([columns[-1] + 1, rows[-1] + 1]) / FIT


def _specks(frame: Frame, view: View) -> np.ndarray:
    """(FIT, FIT) the cover, of 255 and on average, of sprites too small to meet the middle of a pixel for certain."""
    cover = np.zeros((FIT, FIT))
    for layer in frame.layers:
        if layer.layer.look.drawn_as != "sprite" or not layer.count:
            continue
        at = view.project(layer.position, FIT, FIT)
        wide = layer.size[:, :2].max(axis=1) / (2 * view.half_height * np.maximum(at[:, 2], 1e-6)) * FIT
        some = (at[:, 2] > 0) & (wide < 2) & (layer.colour[:, 3] > 0)
        column, row = np.clip(at[some, :2].astype(int), 0, FIT - 1).T
        np.maximum.at(cover, (row, column), 255.0 * np.minimum(layer.colour[some, 3], 1.0) * np.minimum(wide[some], 1.0))
    return cover


def _weighty(weight: np.ndarray, keep: float) -> np.ndarray:
    """(k,) the places of a row of weights (n,) that hold a share of all of it, as little as possible left out at either end."""
    if keep >= 1.0:
        return np.flatnonzero(weight)
    share = np.cumsum(weight) / max(float(weight.sum()), 1e-12)
    spare = 0.5 * (1.0 - keep)
    return np.flatnonzero((share > spare) & (share - weight / max(float(weight.sum()), 1e-12) < 1.0 - spare))
