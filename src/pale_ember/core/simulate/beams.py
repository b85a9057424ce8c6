"""Beams: strips between two anchors, and where they strike."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.strips import Beam
from pale_ember.core.simulate.draws import SWAY, draws, key_of
from pale_ember.core.simulate.frame import LayerFrame, Strips
from pale_ember.core.simulate.lightning import across, branched, kinks, strike_numbers, strike_times
from pale_ember.core.simulate.poses import PoseFrames, Poses
from pale_ember.core.simulate.strip_points import MOST_POINTS, colours_at, curve_at, laid, metres_along, standing

_TOLERANCE = 0.002
"""Metres that a beam may be away from its curve: less than a pixel at half a metre from the eye."""

_PER_SWAY = 6
"""Pieces along one bend of a swaying beam."""

_HALVINGS = 6
"""How often a beam with kinks is halved at least."""

_PER_COURSE = 32
"""Pieces at least where the width or the colour changes along a beam."""


@dataclass(frozen=True, slots=True, eq=False)
class BeamCourses:
    """Where n beams run. share : (m,) from 0 at their start to 1 at their end. paths : (n, m, 3) m. strikes : (n,) uint64, what the
    draws of their strikes hang on; none where they have no kinks. light : (n,) float32, what is left of each."""

    share: np.ndarray
    paths: np.ndarray
    strikes: np.ndarray | None
    light: np.ndarray


def beam_strips(poses: Poses, frame: LayerFrame, time: float) -> Strips:
    """The beams of a layer at a moment (effect s), one for each particle, and then the branches of all."""
    layer, beam = standing(frame), frame.layer.look.beam
    courses = beam_courses(poses, layer, frame.number, time)
    share, thin = np.tile(courses.share, frame.count), np.ones(len(courses.share) * frame.count)
    if courses.strikes is None:
        strips = laid(frame, list(courses.paths), np.arange(frame.count))
    else:
        pieces, owners, shares, thins = branched(beam, courses.strikes, courses.paths, courses.share)
        strips = laid(frame, [*courses.paths, *pieces], np.concatenate([np.arange(frame.count), owners]))
        share, thin = np.concatenate([share, *shares]), np.concatenate([thin, *thins])
        strips.colour[:, 3] *= np.repeat(courses.light[strips.owner], np.diff(strips.first))
    size = np.repeat(frame.size[strips.owner, 0], np.diff(strips.first))
    strips.width[:] = size * curve_at(beam.width, share) * thin
    strips.colour[:, :3] *= colours_at(beam.colours, share)
    strips.along[:] = share - beam.scroll * time
    return strips


def beam_courses(poses: Poses, layer: Layer, numbers: np.ndarray, time: float) -> BeamCourses:
    """Where the beams of particles (n,) uint64 run at a moment (effect s)."""
    controls = _controls(poses, layer, np.array([time]))
    pieces = _pieces(layer.look.beam, *controls[0])
    return _courses(layer.look.beam, key_of(poses.effect.seed, layer.id), controls, pieces, numbers, np.array([time]), None)


def _controls(poses: Poses, layer: Layer, times: np.ndarray) -> np.ndarray:
    """(n, 4, 3) m, the control points of the cubic curve (Bernstein form) that a layer's beams are at moments (n,) s of the effect: the
    inner ones stand one bow away from its ends."""
    beam = layer.look.beam
    start, end = beam_ends(poses, layer, times)
    inner = start.place + beam.bow[0] * bowing(beam, start), end.place + beam.bow[1] * bowing(beam, end)
    return np.stack([start.place, *inner, end.place], axis=1)


def _courses(
    beam: Beam, key: np.uint64, controls: np.ndarray, pieces: int, numbers: np.ndarray, times: np.ndarray, which: np.ndarray | None
) -> BeamCourses:
    """Where beams (n,) run, each along its own curve (n or 1, 4, 3) at its own moment (n or 1,) s: swayed by noise and thrown aside by
    kinks. which : (n,) int64, the strikes that they are in; none takes those of the moment."""
    t = np.linspace(0.0, 1.0, pieces + 1)[:, None]
    p, a, b, q = (controls[:, None, i] for i in range(4))
    middle = (1 - t) ** 3 * p + 3 * (1 - t) ** 2 * t * a + 3 * (1 - t) * t * t * b + t**3 * q
    side, rise = across(middle)
    # Both ends stay where they are; noise runs along the beam between them.
    held = np.sqrt(np.sin(np.pi * t))
    along = (metres_along(middle) - beam.sway_speed * times[:, None]) / beam.sway_size
    aside, above = (_noise(key, numbers, k, along) for k in range(2))
    paths = middle + beam.sway * held * (side * aside[..., None] + rise * above[..., None])
    if beam.kinks <= 0:
        return BeamCourses(t[:, 0], paths, None, np.ones(len(numbers), np.float32))
    now, light = strike_times(beam, key, numbers, times)
    strikes = strike_numbers(key, numbers, now if which is None else which)
    thrown = beam.kinks * kinks(strikes, len(t))
    return BeamCourses(t[:, 0], paths + side * thrown[..., :1] + rise * thrown[..., 1:], strikes, light)


def struck_places(
    poses: Poses, layer: Layer, numbers: np.ndarray, times: np.ndarray, which: np.ndarray, *, branches: bool
) -> tuple[np.ndarray, np.ndarray]:
    """Where strikes of particles' beams end that begin at moments of the effect: (n, k, 3) m, their one end each or those of their
    branches, and (n, k, 3) of length 1, from there back along it. numbers : (n,) uint64. times : (n,) s. which : (n,) int64."""
    beam, key, controls = layer.look.beam, key_of(poses.effect.seed, layer.id), _controls(poses, layer, times)
    still = len(controls) > 0 and bool((controls == controls[0]).all())
    pieces = np.array([_pieces(beam, *each) for each in controls[: 1 if still else None]] * (len(controls) if still else 1), int)
    many = beam.branches if branches else 1
    ends = np.zeros((2, len(numbers), many, 3))
    for count in np.unique(pieces):
        rows = np.flatnonzero(pieces == count)
        courses = _courses(beam, key, controls[rows], int(count), numbers[rows], times[rows], which[rows])
        paths = list(courses.paths)
        if branches and courses.strikes is not None:
            paths = branched(beam, courses.strikes, courses.paths, courses.share)[0]
        for side in range(2):
            ends[side, rows] = np.array([path[-1 - side] for path in paths]).reshape(len(rows), many, 3)
    back = ends[1] - ends[0]
    return ends[0], back / np.maximum(np.linalg.norm(back, axis=2, keepdims=True), 1e-12)


def beam_ends(poses: Poses, layer: Layer, times: np.ndarray) -> tuple[PoseFrames, PoseFrames]:
    """Where a layer's beams begin and end at moments (n,) s of the effect."""
    beam = layer.look.beam
    start, own = poses.named(beam.start, layer, times), poses.layer(layer, times)
    if beam.end and any(anchor.name == beam.end for anchor in poses.effect.stage.anchors):
        return start, poses.named(beam.end, layer, times)
    return start, PoseFrames(own.turn, own.place + own.turn @ np.array(beam.reach))


def bowing(beam: Beam, stands: PoseFrames) -> np.ndarray:
    """(n, 3) of length 1: which way a beam bows at an end that stands like this."""
    way = np.broadcast_to(beam.axis, stands.place.shape) if beam.bows == "along axis" else stands.turn[:, :, 1]
    return way / np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)


def _pieces(beam: Beam, *points: np.ndarray) -> int:
    """How many straight pieces keep a beam within `_TOLERANCE` of its curve, from its four control points (3,) m.

    A chord of a cubic in n equal parts is at most |B''| / (8 n²) from it, and B'' is largest at an end.
    """
    p, a, b, q = points
    second = 6.0 * max(float(np.linalg.norm(p - 2 * a + b)), float(np.linalg.norm(a - 2 * b + q)))
    pieces = math.sqrt(second / (8.0 * _TOLERANCE))
    # A cubic is about as long as the mean of its chord and of the lines through its control points.
    around = sum(float(np.linalg.norm(end - begin)) for begin, end in ((p, a), (a, b), (b, q)))
    length = 0.5 * (around + float(np.linalg.norm(q - p)))
    if beam.sway > 0:
        pieces = max(pieces, _PER_SWAY * length / beam.sway_size)
    for course in (beam.width, beam.colours):
        pieces = max(pieces, _PER_COURSE if course is not None else 1)
    if beam.kinks > 0:
        # Halves of halves, down to bends of a fiftieth of its length.
        return int(min(1 << max(math.ceil(math.log2(max(pieces, 1))), _HALVINGS), MOST_POINTS))
    return int(min(math.ceil(pieces), MOST_POINTS)) or 1


def _noise(key: np.uint64, numbers: np.ndarray, which: int, along: np.ndarray) -> np.ndarray:
    """(n, m) smooth noise, -1 to 1, at m places along a line, (n or 1, m); its own for each of n particles."""
    cell = np.floor(along)
    t = along - cell
    t = t * t * (3 - 2 * t)
    mixed = (numbers ^ np.uint64(0x9E3779B9 * (which + 1)))[:, None]
    low, high = (2 * draws(key, mixed ^ (cell.astype(np.int64) + k).astype(np.uint64), SWAY) - 1 for k in range(2))
    return low + (high - low) * t
