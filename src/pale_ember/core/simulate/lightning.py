"""Sharp bends that throw a path aside, anew at each strike, and the branches that leave it: lightning, of beams and of ribbons."""

from __future__ import annotations

import numpy as np

from pale_ember.core.effect.strips import Beam, Ribbon
from pale_ember.core.simulate.draws import KINK, draws, joined


def strike_times(look: Beam | Ribbon, key: np.uint64, numbers: np.ndarray, times: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(n,) int64, which strike each beam or ribbon is in at moments (n or 1,) s of the effect, and (n,) float32, what is left of it.

    key : the layer's. numbers : (n,) uint64, the particles'. Each strikes at times of its own.
    """
    since = times * look.strikes + draws(key, numbers, KINK)
    which = np.floor(since)
    light = 1.0 - (look.fade * (since - which) if look.strikes > 0 else 0.0) * np.ones(len(numbers))
    return which.astype(np.int64), light.astype(np.float32)


def strike_numbers(key: np.uint64, numbers: np.ndarray, which: np.ndarray) -> np.ndarray:
    """(n,) uint64: what the draws of each strike hang on."""
    return joined(key, joined(np.uint64(KINK), numbers) ^ which.astype(np.uint64))


def kinks(numbers: np.ndarray, points: int) -> np.ndarray:
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


def across(path: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Two directions across paths (..., m, 3) at each of their points, of length 1 each: sideways, and up from there."""
    way = np.gradient(path, axis=-2)
    way /= np.maximum(np.linalg.norm(way, axis=-1, keepdims=True), 1e-12)
    level = np.where(np.abs(way[..., 1:2]) < 0.95, [0.0, 1.0, 0.0], [1.0, 0.0, 0.0])
    side = np.cross(way, level)
    side /= np.maximum(np.linalg.norm(side, axis=-1, keepdims=True), 1e-12)
    return side, np.cross(side, way)


def branched(
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
        thrown = kinks(own[rows], count + 1) * (beam.kinks * share[rows])[:, None, None]
        paths = foot[rows, None] + (s[:, None] * length[rows, None, None]) * course[rows, None]
        paths += other[rows, None] * thrown[..., :1] + third[rows, None] * thrown[..., 1:]
        begins = t[leaves[rows], None]
        along = begins + (1.0 - begins) * beam.branch_length * s
        for row, path, come in zip(rows, paths, along, strict=True):
            pieces[row], shares[row], thins[row] = path, come, beam.branch_width * (1.0 - s)
    return pieces, owners, shares, thins
