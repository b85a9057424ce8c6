"""A night at the quay: what the game's server would send, all over again."""

from __future__ import annotations

import itertools
import threading
from collections.abc import Iterator
from typing import Any

from pale_ember.rehearsal.quay import PLACES
from pale_ember.rehearsal.wire import send

_PAUSE = 1.6
"""Seconds between two events of the night."""


def night(effects: list[str], events: list[str]) -> Iterator[dict[str, Any]]:
    """What happens, one after the other: every effect at one place after another, every event, a throw now and then."""
    places = itertools.cycle(name for name in PLACES if name != "here")
    for i in itertools.count():
        if events and i % 3 == 1:
            yield {"event": events[(i // 3) % len(events)], "place": next(places)}
        elif i % 5 == 4:
            yield {"do": "play", "effect": effects[i % len(effects)], "on": "throw"}
        elif i % 7 == 6:
            yield {"do": "stop"}
        else:
            yield {"do": "play", "effect": effects[i % len(effects)], "place": next(places)}


class Server(threading.Thread):
    """The server that sends the night, over the loopback as a real one would."""

    def __init__(self, port: int, effects: list[str], events: list[str]) -> None:
        super().__init__(name="pale-ember-night", daemon=True)
        self.port, self.script, self.over = port, night(effects, events), threading.Event()

    def run(self) -> None:
        """Sends the night's events until it is over."""
        for message in self.script:
            if self.over.wait(_PAUSE):
                return
            try:
                send(self.port, message)
            except OSError:
                return
