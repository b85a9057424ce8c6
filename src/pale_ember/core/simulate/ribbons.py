"""Ribbons: strips along the ways of particles and anchors. Drawing lays the picture on them."""

from __future__ import annotations

import math
from collections import deque

import numpy as np

from pale_ember.core.effect.model import Layer
from pale_ember.core.simulate.beams import beam_strips
from pale_ember.core.simulate.draws import key_of
from pale_ember.core.simulate.frame import LayerFrame, Strips
from pale_ember.core.simulate.lightning import across, kinks, strike_numbers, strike_times
from pale_ember.core.simulate.poses import PoseFrames, Poses
from pale_ember.core.simulate.strip_points import MOST_POINTS, colours_at, curve_at, laid, metres_along, standing

_FINEST = 1 / 120
"""Seconds between points of an anchor's path."""

_KINKED = 64
"""Pieces at least of a ribbon with kinks."""

_MOST_THROWN = 0.25
"""How far kinks throw a ribbon at most, as a share of its length: what has only begun is no tangle."""


def strips_of(
    poses: Poses, frame: LayerFrame, time: float, trail: deque, local: PoseFrames | None, step: float, ahead: float
) -> Strips | None:
    """The strips of a layer at a moment (effect s), also those that are its trails, or None.

    trail : where its particles were at the steps before, the newest last. local : the frames of a local layer, in which
    the trail is told. step : seconds of the layer's own time between two of them. ahead : how long ago the newest was.
    """
    look = frame.layer.look
    if look.drawn_as == "beam":
        return beam_strips(poses, frame, time)
    if look.drawn_as != "ribbon" and not look.trails:
        return None
    path = look.ribbon.path
    if look.trails or path == "behind each":
        strips = _behind_each(frame, trail, local, step, ahead)
    elif path == "through all":
        strips = _through_all(frame)
    else:
        strips = _behind_anchors(poses, frame, time, swept=path == "between anchors")
    return _kinked(poses, frame, strips, time) if look.ribbon.kinks > 0 and strips.count else strips


def _ages(count: int, step: float, ahead: float) -> np.ndarray:
    """(count,) s, how long ago a particle was at each point: now, and then at whole steps."""
    ages = np.arange(count) * step
    ages[1:] += ahead
    return ages


def _behind_each(frame: LayerFrame, trail: deque, local: PoseFrames | None, step: float, ahead: float) -> Strips:
    ribbon = frame.layer.look.ribbon
    row_of = {int(number): row for row, number in enumerate(frame.number.tolist())}
    paths: list[list[np.ndarray]] = [[] for _ in row_of]
    for _step, numbers, places in trail:
        if local is not None:
            places = places @ local.turn[0].T + local.place[0]
        for number, place in zip(numbers.tolist(), places, strict=True):
            row = row_of.get(number)
            if row is not None:
                paths[row].append(place)
    pieces, owners = [], []
    for row, behind in enumerate(paths):
        # The newest kept place is the particle's own, where it is shown it may already be a little further.
        points = np.array([frame.position[row], *reversed(behind[:-1])], np.float64)
        # How far along the ribbon each point is, in what it is measured in.
        come = metres_along(points) if ribbon.measured == "in metres" else _ages(len(points), step, ahead)
        if come[-1] > ribbon.length:
            keep = int(np.searchsorted(come, ribbon.length))
            share = (ribbon.length - come[keep - 1]) / max(come[keep] - come[keep - 1], 1e-12)
            end = points[keep - 1] + (points[keep] - points[keep - 1]) * share
            points = np.concatenate([points[:keep], end[None]])
        pieces.append(points)
        owners.append(row)
    return laid(frame, pieces, np.array(owners, np.int64))


def _through_all(frame: LayerFrame) -> Strips:
    """One strip through the particles in the order of their birth, the youngest at its head."""
    if frame.count < 2:
        return laid(frame, [], np.zeros(0, np.int64))
    rows = np.arange(frame.count)[::-1]
    strips = laid(frame, [frame.position[rows].astype(np.float64)], np.array([-1]))
    ribbon = frame.layer.look.ribbon
    strips.width[:] = frame.size[rows, 0] * ribbon.width * curve_at(ribbon.taper, _shares(strips))
    strips.colour[:] = frame.colour[rows]
    strips.colour[:, :3] *= colours_at(ribbon.colours, _shares(strips))
    return strips


def _behind_anchors(poses: Poses, frame: LayerFrame, time: float, swept: bool) -> Strips:
    """The path of an anchor over the last seconds, or the strip between the paths of two."""
    layer, ribbon = standing(frame), frame.layer.look.ribbon
    length = ribbon.length / layer.tempo if ribbon.measured == "in time" else 30.0
    length = min(length, time) if not poses.effect.loop or not poses.effect.warm else length
    count = int(np.clip(np.ceil(length / _FINEST) + 1, 2, MOST_POINTS))
    times = time - np.linspace(0.0, length, count)
    # From one throw's end to the next start, or from a loop's, nothing flew.
    leaps = np.stack([poses.leaps(name, layer, times) for name in (ribbon.first, ribbon.second)[: 1 + swept]])
    leapt = np.flatnonzero((leaps != leaps[:, :1]).any(axis=0))
    times = times[: leapt[0]] if len(leapt) else times
    path = poses.named(ribbon.first, layer, times).place
    aside = np.zeros_like(path)
    width = None
    if swept:
        beside = poses.named(ribbon.second, layer, times).place
        aside, path = beside - path, 0.5 * (path + beside)
        width = np.linalg.norm(aside, axis=1)
        aside = aside / np.maximum(width, 1e-12)[:, None]
    elif ribbon.measured == "in metres":
        come = metres_along(path)
        path = path[: max(int(np.searchsorted(come, ribbon.length)) + 1, 2)]
        aside = aside[: len(path)]
    strips = laid(frame, [path], np.array([-1]))
    strips.across[:] = aside
    if width is not None:
        strips.width[:] = width * ribbon.width * curve_at(ribbon.taper, _shares(strips))
    return strips


def _kinked(poses: Poses, frame: LayerFrame, strips: Strips, time: float) -> Strips:
    """Ribbons thrown aside by kinks, as beams are: laid out evenly by metres in as many pieces as are a power of two."""
    ribbon, key = frame.layer.look.ribbon, key_of(poses.effect.seed, standing(frame).id)
    # The layer's own ribbon, of no particle, has the number 0.
    numbers = np.append(frame.number, np.uint64(0))[strips.owner]
    which, light = strike_times(ribbon, key, numbers, np.array([time]))
    strikes = strike_numbers(key, numbers, which)
    parts = strips.point, strips.width[:, None], strips.across, strips.colour, strips.along[:, None]
    pieces = np.split(np.concatenate(parts, axis=1).astype(float), strips.first[1:-1])
    long = np.array([len(points) for points in pieces])
    counts = np.where(long > 1, np.minimum(2 ** np.ceil(np.log2(np.maximum(long - 1, _KINKED))), MOST_POINTS).astype(int), 0)
    # All that have as many pieces at once.
    for count in np.unique(counts[counts > 0]):
        rows = np.flatnonzero(counts == count)
        laid_out = np.stack([_evenly(pieces[row], int(count)) for row in rows])
        side, rise = across(laid_out[..., :3])
        reach = np.minimum(ribbon.kinks, _MOST_THROWN * np.array([metres_along(pieces[row][:, :3])[-1] for row in rows]))
        thrown = reach[:, None, None] * kinks(strikes[rows], int(count) + 1)
        laid_out[..., :3] += side * thrown[..., :1] + rise * thrown[..., 1:]
        laid_out[..., 10] *= light[rows, None]
        for row, points in zip(rows, laid_out, strict=True):
            pieces[row] = points
    first = np.concatenate([[0], np.cumsum([len(points) for points in pieces])]).astype(np.int64)
    told = np.concatenate(pieces).astype(np.float32)
    return Strips(first, told[:, :3], told[:, 3], told[:, 4:7], told[:, 7:11], told[:, 11], strips.owner)


def _evenly(points: np.ndarray, count: int) -> np.ndarray:
    """(count + 1, k): points (m, k), their places first, laid out anew at even distances along their path, straight between them."""
    come = metres_along(points[:, :3])
    at = np.linspace(0.0, come[-1], count + 1)
    after = np.clip(np.searchsorted(come, at, side="right"), 1, len(points) - 1)
    share = ((at - come[after - 1]) / np.maximum(come[after] - come[after - 1], 1e-12))[:, None]
    return points[after - 1] + (points[after] - points[after - 1]) * np.minimum(share, 1.0)


def trail_steps(layer: Layer, step_time: float) -> int:
    """How many steps back a layer's ribbons reach."""
    look = layer.look
    if not look.trails and (look.drawn_as != "ribbon" or look.ribbon.path != "behind each"):
        return 0
    life = layer.birth.lifetime.most
    # Both in the layer's own time, as the steps.
    length = min(look.ribbon.length, life) if look.ribbon.measured == "in time" else life
    return min(math.ceil(length / step_time) + 1, 2400)


def _shares(strips: Strips) -> np.ndarray:
    """(p,) from 0 at the head of the first strip to 1 at its end, by points."""
    return np.linspace(0.0, 1.0, len(strips.point))
