"""One particle: its way from birth to death, and what it is and drew, in words."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.insight.drawn import drawn_at_birth
from pale_ember.core.insight.sentences import number as told
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.simulate.timeline import Timeline

_PLACES = 32
"""Places by which a way is told."""
_ORDINAL = np.uint64(0xFFFF_FFFF)


@dataclass(frozen=True, slots=True)
class Followed:
    """A particle that is followed: its layer's id, its number there, and on which of the layer's places it is."""

    layer: str
    number: int
    copy: int = 0

    @staticmethod
    def of(frame: LayerFrame, row: int) -> Followed:
        return Followed(frame.layer.id, int(frame.number[row]), frame.copy)

    def is_of(self, frame: LayerFrame) -> bool:
        return (self.layer, self.copy) == frame.key

    def within(self, frame: LayerFrame) -> int | None:
        """Where it stands among the particles of its layer, or None where it does not live."""
        rows = np.flatnonzero(frame.number == np.uint64(self.number))
        return int(rows[0]) if len(rows) else None


def way_of(timeline: Timeline, followed: Followed, moment: float, age: float, life: float) -> np.ndarray:
    """(n, 3) float64, m: the way of a particle from its birth to its death, told by so many places.

    moment : s, at which it has lived `age` of its `life` (s of real time).
    """
    born = moment - age * life
    places = []
    for time in np.linspace(born, born + life, _PLACES):
        frame = next((layer for layer in timeline.frame(max(float(time), 0.0)).layers if followed.is_of(layer)), None)
        row = followed.within(frame) if frame is not None else None
        if frame is not None and row is not None:
            places.append(frame.position[row].astype(float))
    return np.array(places).reshape(-1, 3)


def story_of(effect: Effect, layer: Layer, frame: LayerFrame, row: int) -> str:
    """A particle in a sentence: which it is, how far it has lived, and what it drew at birth."""
    numbers = frame.number[row : row + 1]
    life, age = float(frame.life[row]), float(frame.age[row])
    fields = fields_of(type(layer.birth))
    drew = [
        f"{fields[name].field.label} {told(float(values[0]))} {fields[name].field.unit}".rstrip()
        for name, values in drawn_at_birth(effect, frame.own or layer, numbers).items()
        if name != "lifetime" and not getattr(layer.birth, name).fixed
    ]
    what = f"; drew {', '.join(drew)}" if drew else ""
    ordinal = int(numbers[0] & _ORDINAL)
    return f"No. {ordinal} of {layer.name}, {told(age * life)} of {told(life)} s old{what}."
