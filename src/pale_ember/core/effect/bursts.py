"""Bursts: particles born all at once."""

import re
from typing import Annotated

from msgspec.structs import force_setattr, replace

from pale_ember.core.effect.fields import Field, Part, beside
from pale_ember.core.effect.values import Range, fixed

MOST_ALIVE = 2_000_000
"""The most particles one layer may hold: with its columns and its Frame about 140 bytes each, so 280 MB."""


MOST_TIMES = 2000
"""How often a burst may happen in a loop."""

_NUMBER = r"(\d+(?:\.\d+)?)"
_TOLD = re.compile(
    rf"\s*{_NUMBER}(?:\s*(?:-|–|to)\s*{_NUMBER})?(?:\s*at\s*{_NUMBER}\s*s?)?"
    rf"(?:\s*,?\s*(\d+)\s*(?:times|x|×)(?:\s*(?:every|each)?\s*{_NUMBER}\s*s?)?)?\s*"
)
"""`30 at 0.2 s, 3 times every 0.1 s`."""


class Burst(Part, frozen=True):
    """Particles born all at once at a moment of every loop. `key` is its lasting number in the layer."""

    def __post_init__(self) -> None:
        if not isinstance(self.count, Range):
            force_setattr(self, "count", fixed(self.count))

    key: Annotated[int, Field("key", "Lasting number of the burst.", least=0, most=65000, hidden=True)] = 0
    count: Annotated[
        Range, Field("count", "How many particles are born at once.", soft=(0, 100), whole=True, least=0, most=MOST_ALIVE)
    ] = fixed(20)
    chance: Annotated[float, Field("chance", "How likely each time is to happen at all.", soft=(0, 1), least=0, most=1)] = 1.0
    first_at: Annotated[
        float,
        Field(
            "first at",
            "When it happens, or happens first, counted from the start of the effect.",
            unit="s",
            soft=(0, 3),
            least=0,
            words=("time", "delay"),
        ),
    ] = 0.0
    times: Annotated[
        int,
        Field("times", "How often it happens in each loop.", soft=(1, 10), least=1, most=MOST_TIMES, words=("repeat", "cycles", "count")),
    ] = 1
    every: Annotated[
        float,
        Field(
            "every",
            "How long from one time to the next.",
            unit="s",
            soft=(0.02, 1),
            least=0.001,
            most=3600,
            needs=(beside("times", lambda times: times > 1, "It happens once."),),
        ),
    ] = 0.2


def burst_from(text: str) -> Burst:
    """A burst as people say it, `30 at 0.2 s, 3 times every 0.1 s`. Raises ValueError."""
    said = _TOLD.fullmatch(text)
    if said is None:
        raise ValueError(f"expected how many, when and how often, such as 30 at 0.2 s, 3 times every 0.1 s; found {text!r}")
    low, high, at, times, every = said.groups()
    least = min(float(low), MOST_ALIVE)
    told = Burst(
        count=Range(low=least, high=min(max(float(high or low), least), MOST_ALIVE)),
        first_at=float(at or 0),
        times=min(max(int(times or 1), 1), MOST_TIMES),
    )
    return told if every is None else replace(told, every=max(float(every), 0.001))
