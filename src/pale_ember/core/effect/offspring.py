"""Offspring: what a particle leaves behind, as rules."""

from typing import Annotated, Literal

from pale_ember.core.effect.fields import Field, Part, beside
from pale_ember.core.effect.values import Range, fixed


class Rule(Part, frozen=True):
    """When something happens to a particle, another layer's are spawned there. `key` is its lasting number in the layer."""

    key: Annotated[int, Field("key", "Lasting number of the rule.", least=0, most=65000, hidden=True)] = 0
    when: Annotated[
        Literal["born", "touches", "ends", "by distance", "by time", "strikes", "branches"],
        Field(
            "when",
            "What must happen to a particle of this layer.",
            options=(
                "It is born.",
                "It touches a surface.",
                "Its life ends, or it ends at a surface.",
                "Each time it has travelled so far.",
                "Each time it has lived so much longer.",
                "It is a beam with kinks and strikes: there where it ends.",
                "It is a beam with kinks and strikes: where each of its branches ends.",
            ),
            words=("event", "trigger", "collision", "death", "spawn", "lightning"),
        ),
    ] = "touches"
    layer: Annotated[
        str, Field("spawns", "The layer whose particles are born.", words=("child", "sub-emitter", "emit"), names="spawned")
    ] = ""
    count: Annotated[Range, Field("count", "How many are born each time.", soft=(0, 20), whole=True, least=0, most=100_000)] = fixed(3)
    interval: Annotated[
        float,
        Field(
            "interval",
            "How far, or how long, from one time to the next.",
            unit_by=("when", {"by distance": "m", "by time": "s"}),
            soft=(0.02, 2),
            least=0.001,
            most=1e5,
            words=("every", "spacing", "rate"),
            needs=(beside("when", lambda when: when.startswith("by "), "It does not happen again and again."),),
        ),
    ] = 0.2
    chance: Annotated[float, Field("chance", "How likely it is each time.", soft=(0, 1), least=0, most=1, words=("probability",))] = 1.0
    facing: Annotated[
        Literal["own", "onward", "back", "surface"],
        Field(
            "heading",
            "Where the child's up points.",
            options=("As its own layer says.", "The way the parent was going.", "The way the parent came.", "Straight off the surface."),
            words=("off the surface", "heading", "align"),
        ),
    ] = "own"
    motion: Annotated[
        float,
        Field(
            "motion",
            "Share of the parent's velocity taken along.",
            soft=(0, 1),
            least=-10,
            most=10,
            words=("momentum", "inherited velocity", "parent's speed"),
        ),
    ] = 0.0
    minimum_impact: Annotated[
        float,
        Field("minimum impact", "A slower touch spawns nothing.", unit="m/s", soft=(0, 5), least=0, most=1e5,
              words=("threshold",), group="more",
              needs=(beside("when", lambda when: when == "touches", "Only a touch has an impact."),)),
    ] = 0.0  # fmt: skip
    most_per_parent: Annotated[
        int, Field("per parent", "At most so many times for one particle; 0 means no end.", soft=(0, 10), least=0, group="more")
    ] = 0
    most_per_step: Annotated[
        int, Field("per step", "At most so many times in one step; 0 means no end.", soft=(0, 100), least=0, group="more")
    ] = 0
    delay: Annotated[Range, Field("delay", "How long after.", unit="s", soft=(0, 2), least=0, most=3600, group="more")] = fixed(0.0)
    goes_on: Annotated[
        float,
        Field("goes on for", "Spreads the count evenly over so long after the event, at its place; where a moving prop was "
              "touched, riding on it.", unit="s", soft=(0, 3), least=0, most=3600, group="more",
              words=("keep going", "burning", "duration", "emit over time", "stick", "impact fire")),
    ] = 0.0  # fmt: skip
    place: Annotated[
        float, Field("place", "Where they are born: 1 at the event, 0 at their own outlet.", soft=(0, 1), least=0, most=1, group="more")
    ] = 1.0
    colour: Annotated[
        float, Field("colour", "Share of the parent's colour at that moment.", soft=(0, 1), least=0, most=1, group="more")
    ] = 0.0
    size: Annotated[float, Field("size", "Share of the parent's size at that moment.", soft=(0, 1), least=0, most=1, group="more")] = 0.0

    @property
    def strikes(self) -> bool:
        """Whether it waits for a beam to strike."""
        return self.when in ("strikes", "branches")

    @property
    def latest(self) -> float:
        """The longest from an event to the last birth that it brings about, s of the child's time."""
        return self.delay.most + self.goes_on


class Offspring(Part, frozen=True):
    """What a particle leaves: other layers' particles, born where something happened to it."""

    rules: Annotated[
        tuple[Rule, ...],
        Field(
            "rules",
            "When something happens to a particle, another layer's are spawned there.",
            words=("sub-emitter", "event", "children", "splash", "on death", "on collision", "trail"),
            always=True,
        ),
    ] = ()
