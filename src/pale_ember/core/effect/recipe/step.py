"""A step of a recipe: one thing that is painted, or done to what is painted already."""

from typing import Annotated, ClassVar, Literal

from pale_ember.core.effect.fields import Field, Part, beside
from pale_ember.core.effect.values import Curve, curve

Family = Literal["shape", "noise", "source", "change"]
"""Shapes, noises and sources paint; a change works on what is there."""


class StepLane(Part, frozen=True):
    """A number of a step that changes over the frames of its sheet."""

    drives: Annotated[str, Field("drives", "The number that changes.", names="number")] = "amount"
    curve: Annotated[Curve, Field("value", "The number itself, from the first frame to the last.", words=("animate", "key"))] = curve(
        (0.0, 0.0), (1.0, 1.0), ease="straight"
    )


class Step(Part, frozen=True):
    """One step. A kind is a subclass with its `kind` in documents, its `family`, and the words it is `found` by."""

    kind: ClassVar[str] = ""
    family: ClassVar[Family] = "change"
    found: ClassVar[tuple[str, ...]] = ()
    key: Annotated[int, Field("key", "Lasting number of the step.", least=0, most=65000, hidden=True)] = 0
    on: Annotated[bool, Field("on", "Whether it works.")] = True
    mix: Annotated[
        Literal["over", "add", "subtract", "multiply", "lighter", "darker", "difference", "mask"],
        Field(
            "mix",
            "How it joins what is painted before it.",
            options=(
                "Replaces it, where it is opaque.",
                "Light added to light.",
                "Taken away from what is there.",
                "Multiplied with what is there.",
                "The lighter of both.",
                "The darker of both.",
                "How far both are apart.",
                "What is there shows only where this is light.",
            ),
            words=("combine", "blend", "operator", "max", "min"),
            group="more: mix",
        ),
    ] = "over"
    amount: Annotated[
        float, Field("amount", "How much of it is taken.", soft=(0, 1), least=0, most=1, words=("opacity", "strength"), group="more: mix")
    ] = 1.0
    lanes: Annotated[
        tuple[StepLane, ...], Field("over frames", "Numbers that change over the frames of the sheet.", words=("animate", "lane"))
    ] = ()


IN_TILES = Field("tiles", "Meets itself at its edges, so that it can be laid side by side.", words=("seamless", "wrap"))

__all__ = ["IN_TILES", "Family", "Step", "StepLane", "beside"]
