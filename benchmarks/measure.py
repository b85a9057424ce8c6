"""Measuring: medians, and rows that say whether they hold."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Row:
    """One result. against : what it is measured against, in the same unit; ratio : between the two."""

    name: str
    value: float
    unit: str
    against: float | None
    ratio: float | None
    target: str
    holds: bool


def median(work: Callable[[], object], times: int) -> float:
    """Median seconds of `work` over some runs."""
    taken = []
    for _ in range(times):
        begin = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begin)
    return sorted(taken)[times // 2]


def medians(ours: Callable[[], object], theirs: Callable[[], object], times: int) -> tuple[float, float, float]:
    """Median seconds of two pieces of work taken in turns, and the median of their ratios turn by turn: a machine that
    is slow for a while is slow to both."""
    taken: tuple[list[float], list[float]] = ([], [])
    for _ in range(times):
        for work, kept in zip((ours, theirs), taken, strict=True):
            begin = time.perf_counter()
            work()
            kept.append(time.perf_counter() - begin)
    ratios = [mine / other for mine, other in zip(*taken, strict=True)]
    return sorted(taken[0])[times // 2], sorted(taken[1])[times // 2], sorted(ratios)[times // 2]
