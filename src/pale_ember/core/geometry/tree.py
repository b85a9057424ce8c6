"""A tree of boxes over triangles, so that a sweep meets only those near it."""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np

LEAF = 4
"""Triangles in a leaf."""

NODE = np.dtype([("low", np.float64, (3,)), ("high", np.float64, (3,)), ("first", np.int64), ("count", np.int64), ("skip", np.int64)])
"""A node: its box; a leaf's triangles are `count` from `first` on, other nodes have none. Nodes stand depth first: what is
not missed goes on with the next node, what is missed with `skip`; a walk ends at the root's `skip`."""


@dataclass(frozen=True, slots=True, eq=False)
class TriangleTree:
    """nodes : (k,) of NODE, the root first. triangles : (m, 3, 3) float64 in the leaves' order."""

    nodes: np.ndarray
    triangles: np.ndarray


def tree(corners: np.ndarray) -> TriangleTree:
    """The tree over triangles (m, 3, 3): halved again and again along a curve that visits near places one after the other
    (Lauterbach et al., Fast BVH Construction on GPUs, Computer Graphics Forum 28, 2009), a level at a time."""
    corners = np.ascontiguousarray(corners[_along_the_curve(corners.mean(axis=1))]) if len(corners) else corners
    low, high = corners.min(axis=1), corners.max(axis=1)
    nodes = np.zeros(_nodes_over(len(corners)), NODE)
    at, first, last = np.zeros(1, np.int64), np.zeros(1, np.int64), np.full(1, len(corners))
    while len(at):
        count = last - first
        if len(corners):
            edges = np.stack([first, last], axis=1).ravel()
            inside = edges[:-1] if edges[-1] == len(corners) else edges
            nodes["low"][at] = np.minimum.reduceat(low, inside, axis=0)[::2]
            nodes["high"][at] = np.maximum.reduceat(high, inside, axis=0)[::2]
        sizes, which = np.unique(count, return_inverse=True)
        nodes["skip"][at] = at + np.array([_nodes_over(int(size)) for size in sizes])[which]
        leaf = count <= LEAF
        nodes["first"][at[leaf]], nodes["count"][at[leaf]] = first[leaf], count[leaf]
        at, first, last, count = (column[~leaf] for column in (at, first, last, count))
        half = first + count // 2
        right = at + 1 + np.array([_nodes_over(int(n)) for n in count // 2], np.int64)
        at, first, last = (np.stack(pair, axis=1).ravel() for pair in ((at + 1, right), (first, half), (half, last)))
    return TriangleTree(nodes, corners)


@functools.cache
def _nodes_over(count: int) -> int:
    """How many nodes a tree over so many triangles has."""
    return 1 if count <= LEAF else 1 + _nodes_over(count // 2) + _nodes_over(count - count // 2)


def _along_the_curve(middles: np.ndarray) -> np.ndarray:
    """(m,) the order of points (m, 3) along a Morton curve through their box, 21 bits an axis."""
    low = middles.min(axis=0)
    span = max(float((middles.max(axis=0) - low).max()), 1e-30)
    cells = ((middles - low) / span * (2**21 - 1)).astype(np.uint64)
    code = np.zeros(len(middles), np.uint64)
    for axis in range(3):
        bits = cells[:, axis]
        for shift, mask in (
            (32, 0x1F00000000FFFF),
            (16, 0x1F0000FF0000FF),
            (8, 0x100F00F00F00F00F),
            (4, 0x10C30C30C30C30C3),
            (2, 0x1249249249249249),
        ):
            bits = (bits | (bits << np.uint64(shift))) & np.uint64(mask)
        code |= bits << np.uint64(axis)
    return np.argsort(code, kind="stable")
