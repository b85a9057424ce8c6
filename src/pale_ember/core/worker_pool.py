"""Work over many elements, shared out among the processor's cores."""

from __future__ import annotations

import functools
import itertools
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

_SMALL = 1 << 14
"""Elements that are not worth a second thread."""
_MOST = 8


@functools.cache
def _pool() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(_cores(), thread_name_prefix="pale-ember-parts")


@functools.cache
def _cores() -> int:
    return min(max(len(os.sched_getaffinity(0)), 1), _MOST)


def in_parts(work: Callable[[slice], None], count: int, small: int = _SMALL) -> None:
    """Calls `work` with slices that together are 0 to `count`, at once where there are more than `small`; it must
    release the interpreter lock, and must not call this itself."""
    cores = _cores()
    if count <= small or cores == 1:
        work(slice(0, count))
        return
    edges = [count * k // cores for k in range(cores + 1)]
    rest = [_pool().submit(work, slice(low, high)) for low, high in itertools.pairwise(edges[1:])]
    work(slice(edges[0], edges[1]))
    for each in rest:
        each.result()
