"""A tree of boxes over triangles, so that a sweep meets only those near it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

LEAF = 4
"""Triangles in a leaf."""

NODE = np.dtype([("low", np.float64, (3,)), ("high", np.float64, (3,)), ("first", np.int64), ("count", np.int64),
                 ("skip", np.int64)])  # fmt: skip
"""A node: its box; a leaf's triangles are `count` from `first` on, other nodes have none. Nodes stand depth first: what is
not missed goes on with the next node, what is missed with `skip`; a walk ends at the root's `skip`."""


@dataclass(frozen=True, slots=True, eq=False)
class Tree:
    """nodes : (k,) of NODE, the root first. triangles : (m, 3, 3) float64 in the leaves' order."""

    nodes: np.ndarray
    triangles: np.ndarray


def tree(corners: np.ndarray) -> Tree:
    """The tree over triangles (m, 3, 3): split at the median of the longest side of their middles."""
    low, high, middle = corners.min(axis=1), corners.max(axis=1), corners.mean(axis=1)
    order = np.arange(len(corners))
    nodes = np.zeros(max(2 * len(corners), 1), NODE)
    used = 0

    def build(first: int, last: int) -> None:
        nonlocal used
        at, mine = used, order[first:last]
        used += 1
        nodes[at]["low"], nodes[at]["high"] = low[mine].min(axis=0), high[mine].max(axis=0)
        if last - first <= LEAF:
            nodes[at]["first"], nodes[at]["count"] = first, last - first
        else:
            axis = int(np.argmax(np.ptp(middle[mine], axis=0)))
            half = (last - first) // 2
            order[first:last] = mine[np.argpartition(middle[mine, axis], half)]
            build(first, first + half)
            build(first + half, last)
        nodes[at]["skip"] = used

    build(0, len(corners))
    return Tree(nodes[:used].copy(), np.ascontiguousarray(corners[order]))
