"""One layer on many places: in a ring, in a row, or each told. What rides on the layer goes with it."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from msgspec.structs import replace

from pale_ember.core.effect.fields import Field, Need, Part, beside
from pale_ember.core.effect.values import Vector

MOST_PLACES = 256
"""Places of one layer; of more that are told, the first count."""

_FAR = {"least": -1e6, "most": 1e6}
_RING = beside("lie", lambda lie: lie == "ring", "The places do not lie in a ring.")
_ROW = beside("lie", lambda lie: lie == "row", "The places do not lie in a row.")
_TOLD = Need(("places", "lie"), lambda layer: layer.places.lie == "told", "The places are not told one by one.")
_MANY = beside("lie", lambda lie: lie in ("ring", "row"), "The places are told one by one.")


class Place(Part, frozen=True):
    """One place of several, within the layer's own, or within that of what it stands on."""

    name: Annotated[str, Field("name", "What the place is called.")] = ""
    stands_on: Annotated[
        str, Field("stands on", "The anchor or prop it stands on, and moves with.", names="stand", words=("node", "bone"))
    ] = ""
    place: Annotated[Vector, Field("place", "Where it is.", unit="m", soft=(-5, 5), **_FAR)] = (0.0, 0.0, 0.0)
    turn: Annotated[Vector, Field("turn", "How it is turned.", unit="°", soft=(-180, 180))] = (0.0, 0.0, 0.0)
    scale: Annotated[float, Field("scale", "Factor on its size.", unit="×", soft=(0, 3), least=0.001, most=1000)] = 1.0
    after: Annotated[float, Field("after", "How much later it begins.", unit="s", soft=(0, 3), least=0)] = 0.0
    seed: Annotated[
        int, Field("seed", "Another number, another roll of its dice; 0 as it falls.", soft=(0, 100), least=0, most=2**31 - 1)
    ] = 0
    mesh: Annotated[
        str,
        Field(
            "mesh",
            "A mesh of its own to be born from.",
            names="mesh",
            needs=(Need(("outlet", "shape"), lambda layer: layer.outlet.shape == "mesh", "The layer is not born from a mesh."),),
        ),
    ] = ""


class Places(Part, frozen=True):
    """How many places a layer is on, and how they lie within its own."""

    lie: Annotated[
        Literal["one", "ring", "row", "told"],
        Field(
            "on places",
            "Whether the layer, and all that rides on it, is on one place or on many.",
            options=(
                "It is on one place.",
                "Round about, at even angles.",
                "One behind the other, at even steps.",
                "Each where it is told.",
            ),
            always=True,
            words=("instances", "array", "copies", "duplicate", "jets", "repeat", "many"),
        ),
    ] = "one"
    count: Annotated[int, Field("count", "How many places there are.", soft=(2, 12), least=1, most=MOST_PLACES, needs=(_MANY,))] = 6
    radius: Annotated[
        float, Field("ring radius", "How far from the middle they lie.", unit="m", soft=(0, 3), least=0, needs=(_RING,))
    ] = 0.5
    arc: Annotated[
        float, Field("ring arc", "How much of the round they take.", unit="°", soft=(0, 360), least=0, most=360, needs=(_RING,))
    ] = 360.0
    lean: Annotated[
        float,
        Field("lean", "How far each leans outward: at 90 its up points away from the middle.", unit="°", soft=(-90, 90), needs=(_RING,)),
    ] = 0.0
    step: Annotated[Vector, Field("row step", "From each to the next.", unit="m", soft=(-2, 2), needs=(_ROW,), **_FAR)] = (0.5, 0.0, 0.0)
    after: Annotated[
        float,
        Field("one after another", "How much later each begins than the one before.", unit="s", soft=(0, 1), least=0,
              needs=(_MANY,), words=("stagger", "delay", "offset")),
    ] = 0.0  # fmt: skip
    told: Annotated[tuple[Place, ...], Field("places", "The places, one by one.", needs=(_TOLD,), words=("instance", "spot"))] = ()

    def listed(self) -> tuple[Place, ...]:
        """Every place, the first first; at least one."""
        if self.lie == "told":
            return self.told[:MOST_PLACES] or (Place(),)
        if self.lie == "one":
            return (Place(),)
        if self.lie == "row":
            return tuple(
                Place(place=(self.step[0] * i, self.step[1] * i, self.step[2] * i), after=self.after * i) for i in range(self.count)
            )
        return tuple(self._on_ring(i) for i in range(self.count))

    def with_one_more(self, place: Place) -> Places:
        """These places, told one by one, and another."""
        return replace(self, lie="told", told=(*self.listed(), place))

    def _on_ring(self, index: int) -> Place:
        whole = self.arc >= 360
        angle = self.arc * index / max(self.count if whole else self.count - 1, 1)
        cos, sin = math.cos(math.radians(angle)), math.sin(math.radians(angle))
        at = (self.radius * cos, 0.0, -self.radius * sin)
        return Place(place=at, turn=(0.0, angle, -self.lean), after=self.after * index)
