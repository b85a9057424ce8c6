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
