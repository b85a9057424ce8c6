"""The quay that effects are rehearsed on: what stands there, where effects are placed, what carries and what is thrown at."""

from __future__ import annotations

from msgspec.structs import replace

from pale_ember.core.effect.model import Camera, Effect, Stage
from pale_ember.core.effect.reference_props import with_set_piece
from pale_ember.core.effect.stage import QUAY, Anchor, Carrier, Pose, Prop

EYE = 1.65
"""Metres of the game's eye above the stones."""

BARROW = Carrier(moves="circle", reach=2.2, period=9.0, turns=True)
"""The way of the barrow that goes round on the quay; what it carries goes along."""

THROW = Carrier(moves="throw", reach=7.0, height=2.2, period=1.4)
"""The way of what is thrown at the target."""

TARGET = (3.5, 0.0, 0.0)
"""Where the target stands, m: what is thrown lands there."""

PLACES: dict[str, tuple[tuple[float, float, float], float]] = {
    "here": ((0.0, 0.0, 0.0), 0.0),
    "left": ((-3.2, 0.0, -1.4), 40.0),
    "right": ((3.2, 0.0, -1.4), -40.0),
    "far": ((0.0, 0.0, -6.5), 0.0),
    "target": (TARGET, 0.0),
}
"""Places on the quay, with a turn about the vertical in degrees."""


def quay() -> Stage:
    """The stage of the stand-in game: stones, a lamp, bollards, a crate to hit, a winter night."""
    bare = Effect(
        stage=replace(
            QUAY, background="gradient", bottom=(0.02, 0.026, 0.036), top=(0.003, 0.005, 0.01), fog=0.012, fog_tint=(0.014, 0.018, 0.026)
        )
    )
    for piece in ("lamp post", "bollard", "cask", "rope"):
        bare = with_set_piece(bare, piece)
    target = Prop(name="target", size=(0.8, 1.1, 0.8), place=(TARGET[0], 0.55, TARGET[2]), tint=(1.1, 0.8, 0.6), matter="wood")
    return replace(bare.stage, props=(*bare.stage.props, target))


def placed(effect: Effect, stage: Stage, at: tuple[float, float, float], heading: float, rides: str = "") -> Effect:
    """An effect on the quay, so that it plays at a place, turned about the vertical; or riding on the barrow, or thrown.

    at : (3,) m. heading : degrees.
    """
    carrier = {"barrow": BARROW, "throw": THROW}.get(rides)
    if carrier is None:
        carrier = Carrier(moves="keys", keys=(Pose(place=at, turn=(0.0, heading, 0.0)),))
    names = [anchor.name for anchor in effect.stage.anchors]
    # The places that the effect wants of a game: in a row above where it plays, going along.
    anchors = tuple(Anchor(name=name, place=(1.2 * (i - 0.5 * (len(names) - 1)), 1.2, 0.0), carried=True) for i, name in enumerate(names))
    return replace(effect, stage=replace(stage, anchors=anchors, carrier=carrier))


def eye(at: tuple[float, float], heading: float, pitch: float) -> Camera:
    """The game's camera, where one walks. at : (2,) m on the ground. heading, pitch : degrees."""
    import math

    forward = (-math.sin(math.radians(heading)), -math.cos(math.radians(heading)))
    target = (at[0] + forward[0] * 4.0, EYE - 4.0 * math.tan(math.radians(pitch)), at[1] + forward[1] * 4.0)
    return Camera(name="game", target=target, distance=4.0 / math.cos(math.radians(pitch)), heading=heading, pitch=pitch, fov=60.0)
