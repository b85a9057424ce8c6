"""Ribbons and beams: strips along paths, as points with widths and colours. Drawing lays the picture on them."""

from __future__ import annotations

import math
from collections import deque

import numpy as np

from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.strips import Beam
from pale_ember.core.effect.values import Curve, Gradient, sample_keys
from pale_ember.core.simulate.draws import KINK, SWAY, draws, joined, key_of
from pale_ember.core.simulate.frame import LayerFrame, Strips
from pale_ember.core.simulate.poses import PoseFrames, Poses

_FINEST = 1 / 120
"""Seconds between points of an anchor's path."""

_MOST_POINTS = 512
"""Points of one anchor's path, and pieces of a beam; longer ones are laid wider apart."""

_TOLERANCE = 0.002
"""Metres that a beam may be away from its curve: less than a pixel at half a metre from the eye."""

_PER_SWAY = 6
"""Pieces along one bend of a swaying beam."""

_HALVINGS = 6
"""How often a beam with kinks is halved at least."""

_PER_COURSE = 32
"""Pieces at least where the width or the colour changes along a beam."""


def strips_of(
    poses: Poses, frame: LayerFrame, time: float, trail: deque, local: PoseFrames | None, step: float, ahead: float
) -> Strips | None:
    """The strips of a layer at a moment (effect s), also those that are its trails, or None.

    trail : where its particles were at the steps before, the newest last. local : the frames of a local layer, in which
    the trail is told. step : seconds of the layer's own time between two of them. ahead : how long ago the newest was.
    """
    look = frame.layer.look
    if look.drawn_as == "beam":
        return _beams(poses, frame, time)
    if look.drawn_as != "ribbon" and not look.trails:
        return None
    path = look.ribbon.path
    if look.trails or path == "behind each":
        return _behind_each(frame, trail, local, step, ahead)
    if path == "through all":
        return _through_all(frame)
    return _behind_anchors(poses, frame, time, swept=path == "between anchors")


def _standing(frame: LayerFrame) -> Layer:
    """The layer as it stands and draws its numbers: on its own one of several places."""
    return frame.layer if frame.own is None else frame.own


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
        come = _come(points) if ribbon.measured == "in metres" else _ages(len(points), step, ahead)
        if come[-1] > ribbon.length:
            keep = int(np.searchsorted(come, ribbon.length))
            share = (ribbon.length - come[keep - 1]) / max(come[keep] - come[keep - 1], 1e-12)
            end = points[keep - 1] + (points[keep] - points[keep - 1]) * share
            points = np.concatenate([points[:keep], end[None]])
        pieces.append(points)
        owners.append(row)
    return _laid(frame, pieces, np.array(owners, np.int64))


def _through_all(frame: LayerFrame) -> Strips:
    """One strip through the particles in the order of their birth, the youngest at its head."""
    if frame.count < 2:
        return _laid(frame, [], np.zeros(0, np.int64))
    rows = np.arange(frame.count)[::-1]
    strips = _laid(frame, [frame.position[rows].astype(np.float64)], np.array([-1]))
    ribbon = frame.layer.look.ribbon
    strips.width[:] = frame.size[rows, 0] * ribbon.width * _curve(ribbon.taper, _shares(strips))
    strips.colour[:] = frame.colour[rows]
    strips.colour[:, :3] *= _colours(ribbon.colours, _shares(strips))
    return strips


def _behind_anchors(poses: Poses, frame: LayerFrame, time: float, swept: bool) -> Strips:
    """The path of an anchor over the last seconds, or the strip between the paths of two."""
    layer, ribbon = _standing(frame), frame.layer.look.ribbon
    length = ribbon.length / layer.tempo if ribbon.measured == "in time" else 30.0
    length = min(length, time) if not poses.effect.loop or not poses.effect.warm else length
    count = int(np.clip(np.ceil(length / _FINEST) + 1, 2, _MOST_POINTS))
    times = time - np.linspace(0.0, length, count)
    # From one throw's end to the next start, or from a loop's, nothing flew.
    leaps = np.stack([poses.leaps(name, layer, times) for name in (ribbon.first, ribbon.second)[: 1 + swept]])
    leapt = np.flatnonzero((leaps != leaps[:, :1]).any(axis=0))
    times = times[: leapt[0]] if len(leapt) else times
    path = poses.named(ribbon.first, layer, times).place
    across = np.zeros_like(path)
    width = None
    if swept:
        beside = poses.named(ribbon.second, layer, times).place
        across, path = beside - path, 0.5 * (path + beside)
        width = np.linalg.norm(across, axis=1)
        across = across / np.maximum(width, 1e-12)[:, None]
    elif ribbon.measured == "in metres":
        come = _come(path)
        path = path[: max(int(np.searchsorted(come, ribbon.length)) + 1, 2)]
        across = across[: len(path)]
    strips = _laid(frame, [path], np.array([-1]))
    strips.across[:] = across
    if width is not None:
        strips.width[:] = width * ribbon.width * _curve(ribbon.taper, _shares(strips))
    return strips


def _beams(poses: Poses, frame: LayerFrame, time: float) -> Strips:
    """A cubic curve between two anchors for each particle, bowed at either end and swayed by noise.

    Its control points (Bernstein form) stand one bow away from its ends.
    """
    layer, beam = _standing(frame), frame.layer.look.beam
    start, end = beam_ends(poses, layer, time)
    p, q = start.place[0], end.place[0]
    a, b = p + beam.bow[0] * bowing(beam, start), q + beam.bow[1] * bowing(beam, end)
    t = np.linspace(0.0, 1.0, _pieces(beam, p, a, b, q) + 1)[:, None]
    middle = (1 - t) ** 3 * p + 3 * (1 - t) ** 2 * t * a + 3 * (1 - t) * t * t * b + t**3 * q
    come = _come(middle)
    way = np.gradient(middle, axis=0)
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    level = np.where(np.abs(way[:, 1:2]) < 0.95, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    side = np.cross(way, level)
    side /= np.maximum(np.linalg.norm(side, axis=1, keepdims=True), 1e-12)
    rise = np.cross(side, way)
    # Both ends stay where they are; noise runs along the beam between them.
    held = np.sqrt(np.sin(np.pi * t))
    along = (come - beam.sway_speed * time) / beam.sway_size
    aside, above = (_noise(key_of(poses.effect.seed, layer.id), frame.number, k, along) for k in range(2))
    swayed = middle + beam.sway * held * (side * aside[..., None] + rise * above[..., None])
    share = np.tile(t[:, 0], frame.count)
    if beam.kinks <= 0:
        strips = _laid(frame, list(swayed), np.arange(frame.count))
        thin = np.ones(len(share))
    else:
        numbers, light = _strikes(poses, frame, time)
        thrown = beam.kinks * _kinks(numbers, len(t))
        struck = swayed + side * thrown[..., :1] + rise * thrown[..., 1:]
        pieces, owners, shares, thins = _branched(beam, numbers, struck, t[:, 0])
        strips = _laid(frame, [*struck, *pieces], np.concatenate([np.arange(frame.count), owners]))
        share, thin = np.concatenate([share, *shares]), np.concatenate([np.ones(len(share)), *thins])
        strips.colour[:, 3] *= np.repeat(light[strips.owner], np.diff(strips.first))
    size = np.repeat(frame.size[strips.owner, 0], np.diff(strips.first))
    strips.width[:] = size * _curve(beam.width, share) * thin
    strips.colour[:, :3] *= _colours(beam.colours, share)
    strips.along[:] = share - beam.scroll * time
    return strips


def _strikes(poses: Poses, frame: LayerFrame, time: float) -> tuple[np.ndarray, np.ndarray]:
    """(n,) uint64, a number for the strike that each beam is in, and (n,) how much of its light is left."""
    layer, beam = _standing(frame), frame.layer.look.beam
    key = key_of(poses.effect.seed, layer.id)
    # Each beam strikes at times of its own.
    since = time * beam.strikes + draws(key, frame.number, KINK)
    which = np.floor(since)
    light = 1.0 - (beam.fade * (since - which) if beam.strikes > 0 else 0.0) * np.ones(frame.count)
    return joined(key, joined(np.uint64(KINK), frame.number) ^ which.astype(np.int64).astype(np.uint64)), light.astype(np.float32)


def _kinks(numbers: np.ndarray, points: int) -> np.ndarray:
    """(n, points, 2), -1 to 1 at first: how far points evenly along a line are thrown aside, held at both ends. The middle of each part
    is displaced by half as much as the one it came from (midpoint displacement; Fournier, Fussell and Carpenter, Communications of
    the ACM 25, 1982). points : one more than a power of two."""
    thrown = np.zeros((len(numbers), points, 2))
    step, reach = points - 1, 1.0
    while step > 1:
        half = step // 2
        middles = np.arange(half, points - 1, step)
        places = joined(np.uint64(0), middles.astype(np.uint64))
        for c in range(2):
            chance = 2 * draws(np.uint64(c), numbers[:, None] ^ places[None, :], KINK) - 1
            thrown[:, middles, c] = 0.5 * (thrown[:, middles - half, c] + thrown[:, middles + half, c]) + reach * chance
        step, reach = half, 0.5 * reach
    return thrown


def _branched(
    beam: Beam, numbers: np.ndarray, struck: np.ndarray, t: np.ndarray
) -> tuple[list[np.ndarray], np.ndarray, list[np.ndarray], list[np.ndarray]]:
    """Branches that leave beams (n, points, 3): their paths, whose they are, how far along the beam they count, and their widths."""
    points = len(t)
    owners = np.repeat(np.arange(len(struck)), beam.branches)
    own = joined(numbers[:, None], np.arange(1, beam.branches + 1, dtype=np.uint64)[None, :]).ravel()
    chance = draws(own[:, None], np.arange(6, dtype=np.uint64)[None, :], KINK)
    leaves = np.minimum(((0.06 + 0.74 * chance[:, 0]) * points).astype(int), points - 3)
    foot, end = struck[owners, leaves], struck[owners, -1]
    left = np.linalg.norm(end - foot, axis=1)
    length = left * beam.branch_length * (0.5 + 0.5 * chance[:, 1])
    # As finely broken as the beam, and less far, for its length.
    share = length / np.maximum(np.maximum(np.linalg.norm(end - struck[owners, 0], axis=1), length), 1e-9)
    counts = 1 << np.maximum(np.ceil(np.log2(np.maximum((points - 1) * share, 1.0))).astype(int), 2)
    # Aside by 20 to 60 degrees, any way round.
    way = (end - foot) / np.maximum(left, 1e-12)[:, None]
    other = np.cross(way, np.where(np.abs(way[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]]))
    other /= np.maximum(np.linalg.norm(other, axis=1, keepdims=True), 1e-12)
    third = np.cross(way, other)
    lean, around = np.radians(20 + 40 * chance[:, 2:3]), 2 * np.pi * chance[:, 3:4]
    course = np.cos(lean) * way + np.sin(lean) * (np.cos(around) * other + np.sin(around) * third)
    pieces, shares, thins = ([np.zeros(0)] * len(own) for _ in range(3))
    for count in np.unique(counts):
        rows = np.flatnonzero(counts == count)
        s = np.linspace(0.0, 1.0, count + 1)
        thrown = _kinks(own[rows], count + 1) * (beam.kinks * share[rows])[:, None, None]
        paths = foot[rows, None] + (s[:, None] * length[rows, None, None]) * course[rows, None]
        paths += other[rows, None] * thrown[..., :1] + third[rows, None] * thrown[..., 1:]
        begins = t[leaves[rows], None]
        along = begins + (1.0 - begins) * beam.branch_length * s
        for row, path, come in zip(rows, paths, along, strict=True):
            pieces[row], shares[row], thins[row] = path, come, beam.branch_width * (1.0 - s)
    return pieces, owners, shares, thins


def beam_ends(poses: Poses, layer: Layer, time: float) -> tuple[PoseFrames, PoseFrames]:
    """Where a layer's beams begin and end at a moment of the effect, s."""
    beam, now = layer.look.beam, np.array([time])
    start, own = poses.named(beam.start, layer, now), poses.layer(layer, now)
    if beam.end and any(anchor.name == beam.end for anchor in poses.effect.stage.anchors):
        return start, poses.named(beam.end, layer, now)
    return start, PoseFrames(own.turn, own.place + own.turn @ np.array(beam.reach))


def bowing(beam: Beam, pose: PoseFrames) -> np.ndarray:
    """(3,) of length 1: which way a beam bows at an end that stands like this."""
    way = np.array(beam.axis) if beam.bows == "along axis" else pose.turn[0][:, 1]
    return way / max(float(np.linalg.norm(way)), 1e-12)


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
        return int(min(1 << max(math.ceil(math.log2(max(pieces, 1))), _HALVINGS), _MOST_POINTS))
    return int(min(math.ceil(pieces), _MOST_POINTS)) or 1


def _noise(key: np.uint64, numbers: np.ndarray, which: int, along: np.ndarray) -> np.ndarray:
    """(n, m) smooth noise, -1 to 1, at m places along a line; its own for each of n particles."""
    cell = np.floor(along)
    t = along - cell
    t = t * t * (3 - 2 * t)
    mixed = (numbers ^ np.uint64(0x9E3779B9 * (which + 1)))[:, None]
    low, high = (2 * draws(key, mixed ^ (cell.astype(np.int64) + k).astype(np.uint64), SWAY) - 1 for k in range(2))
    return low + (high - low) * t


def _come(points: np.ndarray) -> np.ndarray:
    """(n,) metres along a path to each of its points."""
    return np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])


def _laid(frame: LayerFrame, pieces: list[np.ndarray], owner: np.ndarray) -> Strips:
    """Strips along these paths, in the width and colour of their particles; the layer's own where a strip has none.

    pieces : (points, 3) m each; owner : (pieces,) row of the particle, or -1.
    """
    ribbon = frame.layer.look.ribbon
    lengths = np.array([len(piece) for piece in pieces], np.int64)
    first = np.concatenate([[0], np.cumsum(lengths)])
    total = int(first[-1])
    point = np.concatenate(pieces).astype(np.float32) if pieces else np.zeros((0, 3), np.float32)
    come = [_come(piece) for piece in pieces]
    share = np.concatenate([metres_of / max(metres_of[-1], 1e-12) for metres_of in come]) if pieces else np.zeros(0)
    metres = np.concatenate(come) if pieces else np.zeros(0)
    rows = np.repeat(owner, lengths)
    width, colour = np.full(total, _plain_width(frame.layer), np.float32), _plain_colour(frame.layer, total)
    mine = rows >= 0
    width[mine], colour[mine] = frame.size[rows[mine], 0], frame.colour[rows[mine]]
    if frame.layer.look.drawn_as != "beam":
        width *= ribbon.width * _curve(ribbon.taper, share)
        colour[:, :3] *= _colours(ribbon.colours, share)
    along = metres / ribbon.tile if ribbon.texture == "tiled" else share
    across = np.zeros((total, 3), np.float32)
    return Strips(first, point, width, across, colour, along.astype(np.float32), owner)


def _shares(strips: Strips) -> np.ndarray:
    """(p,) from 0 at the head of the first strip to 1 at its end, by points."""
    return np.linspace(0.0, 1.0, len(strips.point))


def _curve(curve: Curve | None, share: np.ndarray) -> np.ndarray | float:
    """(points,) of the curve at these shares (points,) of the length; 1 without a curve."""
    return 1.0 if curve is None else sample_keys(curve.keys, share).astype(np.float32)


def _colours(gradient: Gradient | None, share: np.ndarray) -> np.ndarray | float:
    """(points, 3) linear at these shares (points,) of the length; 1 without a gradient."""
    if gradient is None:
        return 1.0
    table = gradient.table()
    at = np.linspace(0.0, 1.0, len(table))
    return np.stack([np.interp(share, at, table[:, c]) for c in range(3)], axis=1).astype(np.float32)


def _plain_width(layer: Layer) -> float:
    return layer.birth.size.middle * layer.scale


def _plain_colour(layer: Layer, count: int) -> np.ndarray:
    """(count, 4) float32: the colour of strips that belong to no particle."""
    tint = np.mean(layer.birth.tint.table(), axis=0) * layer.birth.brightness.middle
    return np.tile(np.array([*tint, min(layer.birth.opacity.middle, 1.0)], np.float32), (count, 1))


def trail_steps(layer: Layer, step_time: float) -> int:
    """How many steps back a layer's ribbons reach."""
    look = layer.look
    if not look.trails and (look.drawn_as != "ribbon" or look.ribbon.path != "behind each"):
        return 0
    life = layer.birth.lifetime.most
    # Both in the layer's own time, as the steps.
    length = min(look.ribbon.length, life) if look.ribbon.measured == "in time" else life
    return min(math.ceil(length / step_time) + 1, 2400)
