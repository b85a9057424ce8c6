"""Two pieces of work at once: kernels release the interpreter lock, so two threads use two cores.

A pool of our own, because the compiler's parallel loops bring one that may be entered by one thread only.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

WORTH = 20_000
"""Particles from which on a second thread gains more than handing work to it costs."""


class TwoThreads:
    """Does one piece of work on the caller's thread and the other on one of its own, begun when it is first needed.

    worth : particles from which on it is used. Within a piece there is no second thread left: what asks for one there
    does both pieces itself.
    """

    def __init__(self, worth: int = WORTH) -> None:
        self.worth = worth
        self._pool: ThreadPoolExecutor | None = None
        self._busy = threading.Lock()

    def run(self, first: Callable[[], object], second: Callable[[], object]) -> None:
        """Does both; returns when both are done. What one of them raises is raised here."""
        if not self._busy.acquire(blocking=False):
            first()
            second()
            return
        try:
            if self._pool is None:
                self._pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="pale-ember-pair")
            other = self._pool.submit(second)
            try:
                first()
            finally:
                other.result()
        finally:
            self._busy.release()
