"""What happened to a layer's particles, step by step, remembered for the layers that spawn of it."""

from __future__ import annotations

import numpy as np

from pale_ember.core.simulate.particle_events import EVENT

MOST_EVENTS = 500_000
"""Events remembered by a layer: 80 MB; the oldest steps are forgotten first."""


class EventLog:
    """Events by the step in which they happened."""

    def __init__(self) -> None:
        self._steps: dict[int, np.ndarray] = {}
        self.count = 0
        self._wanted = range(0)
        """The steps being asked for, which are not forgotten meanwhile."""

    def want(self, steps: range) -> int | None:
        """Keeps steps until they are taken; returns the first that is not known, or None."""
        self._wanted = steps
        return next((step for step in steps if step not in self._steps), None)

    def take(self) -> np.ndarray:
        """(m,) of EVENT: what happened in the steps that were wanted, in their order."""
        told = [self._steps[step] for step in self._wanted if len(self._steps[step])]
        self._wanted = range(0)
        if len(told) == 1:
            return told[0]
        return np.concatenate(told) if told else np.zeros(0, EVENT)

    def note(self, first: int, last: int, events: np.ndarray) -> None:
        """Remembers events (m,) of EVENT, sorted by step, of the steps `first` + 1 to `last`."""
        edges = np.searchsorted(events["step"], np.arange(first + 1, last + 2))
        for i, step in enumerate(range(first + 1, last + 1)):
            if step not in self._steps:
                self._steps[step] = events[edges[i] : edges[i + 1]]
                self.count += edges[i + 1] - edges[i]
        for step in [step for step in self._steps if step not in self._wanted]:
            if self.count <= MOST_EVENTS:
                return
            self.count -= len(self._steps.pop(step))
