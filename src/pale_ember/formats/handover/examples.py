"""Small effects in small worlds, by which players are checked: together they move every field that leaves."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.chapters import Birth, Contact, Forces, Life, Look, Offspring, Outlet
from pale_ember.core.effect.events import Answers, Cue
from pale_ember.core.effect.forces import Attractor, Circling, Gust, Push, QuadraticDrag, Radial, SpeedLimit, Stirring, Thrust, Vortex
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.look import Halo, Light, Solid
from pale_ember.core.effect.model import DistanceStep, Effect, Layer, Pose, Stage
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.places import Place, Places
from pale_ember.core.effect.stage import Anchor, Carrier, Prop
from pale_ember.core.effect.strips import Beam, Ribbon
from pale_ember.core.effect.surface import Dissolve, Surface
from pale_ember.core.effect.values import Curve, Key, Range, Slope, Tints, between, curve, fixed, gradient, per_axis

DRIVEN = ("streak", "dissolve", "edge glow", "burn", "self-lit", "warp", "heat shimmer", "scroll x", "scroll y")
"""What lanes give beside the common columns, in the order in which it is told."""


@dataclass(frozen=True, slots=True)
class Example:
    """One vector to be: an effect on its stage and the real seconds at which it is told. ground : whether there is a plane at height 0,
    where the stage has nothing else to touch. draws : whether it is told what a renderer takes at the last moment. beyond : from how far
    it is seen, m. strength : (step, share) of births from each step on. densities : by their names, what pictures of densities hold."""

    name: str
    effect: Effect
    ground: bool
    moments: tuple[float, ...]
    draws: bool = False
    beyond: float = 0.0
    strength: tuple[tuple[int, float], ...] = ()
    densities: tuple[tuple[str, tuple[tuple[float, ...], ...]], ...] = ()

    @property
    def worldly(self) -> bool:
        """Whether the game tells more of the world than its ground."""
        stage = self.effect.stage
        return bool(stage.anchors or stage.props or any(stage.gravity) or any(stage.wind)) or stage.carrier.moves != "still"


_PLAIN = Life(opacity=None)
_SPARKS = Layer(
    id="00000000000000a1",
    name="sparks",
    place=(0.2, 1.5, -0.1),
    turn=(10.0, 40.0, -25.0),
    outlet=Outlet(rate=fixed(12.0), shape="point", spread=between(5.0, 20.0)),
    birth=Birth(lifetime=between(0.6, 1.4), speed=between(1.0, 2.5), size=between(0.02, 0.05)),
    life=_PLAIN,
)
_BEADS = Layer(
    id="00000000000000b2",
    name="beads",
    outlet=Outlet(rate=fixed(0.0), shape="sphere", radius=0.05),
    birth=Birth(lifetime=between(0.3, 0.5), speed=between(0.5, 1.0), size=fixed(0.01)),
    life=_PLAIN,
)


def _effect(*layers: Layer, **fields: Any) -> Effect:
    bare = Effect(name="vectors", duration=1.5, loop=False, seed=77, steps=60, layers=layers)
    return replace(bare, **fields)


def _outlet(**fields: Any) -> Layer:
    return replace(_SPARKS, outlet=replace(_SPARKS.outlet, **fields))


def _plain() -> Iterator[tuple[str, Effect, bool, tuple[float, ...]]]:
    """Those that nothing moves, on plain ground or none."""
    when = (0.25, 0.9, 1.4)
    yield "rate", _effect(_SPARKS), False, when
    flow = curve((0.0, 0.2), (0.4, 2.0), (1.0, 0.5))
    yield (
        "rate by a curve, looped and warm",
        _effect(_outlet(rate=between(8.0, 20.0), rate_curve=flow, start=0.2, span=0.9), loop=True, warm=True),
        False,
        (0.4, 1.45, 2.2),
    )
    yield "waits", _effect(_outlet(rate=between(0.03, 0.12), rate_counts="seconds between")), False, when
    yield "as many as live", _effect(_outlet(rate=fixed(9.0), rate_counts="kept alive"), tempo=1.4), False, when
    bursts = (
        Burst(key=0, count=between(3, 7), first_at=0.1, times=4, every=0.3, chance=0.7),
        Burst(key=3, count=fixed(5), first_at=0.72),
    )
    yield "bursts", _effect(_outlet(rate=fixed(0.0), bursts=bursts)), False, when
    same = replace(_outlet(rate=fixed(6.0), bursts=bursts[:1]), tempo=0.8)
    yield "identical loops", _effect(same, loop=True, identical=True), False, (0.5, 2.0, 3.2)
    limited = replace(_outlet(rate=fixed(40.0), limit=9))
    yield "limit", _effect(limited), False, when
    for shape, more in (
        ("disc", {"fill": 0.5, "arc": 200.0}), ("sphere", {"fill": 0.4}), ("hemisphere", {"fill": 1.0}),
        ("hemisphere", {"fill": 0.0}), ("box", {"extent": (0.6, 0.3, 0.9), "fill": 0.5}), ("box", {"faces": "top"}),
        ("cone", {"length": 0.5, "opening": 25.0}), ("cone", {"length": 0.5, "faces": "side"}),
        ("cylinder", {"length": 0.7, "fill": 0.3}), ("torus", {"tube": 0.12}), ("line", {"length": 1.2}), ("point", {}),
    ):  # fmt: skip
        outlet = {"shape": shape, "aim": "outward", "stretch": (1.0, 1.4, 0.7), "offset": (0.1, 0.0, 0.2),
                  "shape_turn": (0.0, 30.0, 0.0), "radius": 0.4, **more}  # fmt: skip
        yield f"{shape} {sorted(more)}", _effect(_outlet(**outlet)), False, (0.8,)
    for aim in ("anywhere", "along surface", "towards point", "away from point"):
        outlet = {"shape": "disc", "aim": aim, "point": (0.3, 0.8, 0.0), "axis": (0.2, 1.0, 0.0), "wander": 0.2, "across": 0.5}
        yield f"aim {aim}", _effect(_outlet(**outlet)), False, (0.8,)
    yield "even places", _effect(_outlet(shape="disc", even=True)), False, (0.8,)
    push = per_axis(between(-1, 1), fixed(0.2), between(0, 1))
    pushed = replace(_SPARKS.birth, outward=between(0.1, 0.4), around=fixed(0.6), push=push)
    yield "speeds of birth", _effect(replace(_outlet(shape="sphere"), birth=pushed)), False, (0.8,)
    free = Forces(gravity=(0.0, -4.0, 0.0), drag=1.5, wind=(0.8, 0.0, -0.3))
    yield "gravity, drag and wind", _effect(replace(_SPARKS, forces=free)), False, when
    for force in (
        Push(strength=between(1.0, 3.0), axis=(1.0, 1.0, 0.0)),
        Thrust(strength=fixed(-3.0)),
        Gust(strength=fixed(3.0)),
        QuadraticDrag(strength=fixed(0.5), quadratic=0.8),
        Vortex(strength=between(2.0, 5.0), pull=3.0, radius=0.2),
        Radial(strength=fixed(2.0), around=1.5),
        Attractor(strength=fixed(3.0), place=(0.5, 0.2, 0.0)),
        Circling(strength=between(0.3, 0.8), place=(0.2, 0.0, 0.0)),
        SpeedLimit(strength=fixed(0.8)),
        Push(key=4, strength=fixed(5.0), region="in a sphere", region_size=(1.0, 1.0, 1.0)),
    ):
        kept = Forces(drag=0.7, more=(force,))
        yield (f"force {force.kind} {force.region}", _effect(replace(_outlet(rate=fixed(6.0)), forces=kept)), False, (0.5, 1.2))
    falls = replace(_outlet(spread=fixed(40.0)), forces=Forces(gravity=(0.0, -9.81, 0.0)), place=(0.0, 0.8, 0.0))
    for meets in ("bounce", "stick", "end"):
        met = replace(falls, contact=Contact(meets=meets, bounce=0.5, slide=0.8, radius=0.02))
        yield f"ground, {meets}", _effect(met), True, (0.5, 0.8, 1.1)
    rules = (
        Rule(key=0, when="touches", layer=_BEADS.id, count=between(1, 4), motion=0.3, facing="surface", chance=0.8),
        Rule(key=1, when="born", layer=_BEADS.id, count=fixed(1), facing="onward"),
        Rule(key=2, when="by time", layer=_BEADS.id, count=fixed(1), interval=0.15, delay=between(0.0, 0.1)),
    )
    met = replace(falls, contact=Contact(meets="bounce", bounce=0.5, slide=0.9, radius=0.02))
    for rule in rules:
        spawns = replace(met, offspring=Offspring(rules=(rule,)))
        yield f"offspring {rule.when}", _effect(spawns, _BEADS), True, (0.45, 0.7)
    flame = Life(
        size=curve((0.0, 0.3), (0.4, 1.2), (1.0, 0.0)),
        brightness=curve((0.0, 2.0), (1.0, 0.5), ease="straight"),
        opacity=curve((0.0, 0.0), (0.2, 1.0), (1.0, 0.0)),
        speed=curve((0.0, 1.0), (1.0, 0.3)),
        colour=gradient((0.0, (4.0, 2.0, 1.0)), (0.4, (1.0, 0.3, 0.05)), (1.0, (0.1, 0.0, 0.0))),
        more=(
            Lane(key=0, drives="size", over="speed", low=0.0, high=3.0, curve=curve((0.0, 0.5), (1.0, 1.5))),
            Lane(key=1, drives="brightness", over="effect time", low=0.0, high=1.5, curve=curve((0.0, 1.0), (1.0, 3.0))),
            Lane(key=2, drives="velocity y", over="age", curve=curve((0.0, 0.0), (1.0, 0.8))),
            Lane(key=3, drives="angle", over="age", curve=curve((0.0, 0.0), (1.0, 90.0), ease="straight")),
        ),
    )
    banded = replace(flame.size, keys=tuple(replace(key, band=0.2) for key in flame.size.keys)) if flame.size else None
    yield "lanes", _effect(replace(_SPARKS, life=flame)), False, when
    yield "a band", _effect(replace(_SPARKS, life=replace(flame, size=banded))), False, (0.9,)
    looks = replace(
        _SPARKS.birth, angle=between(-90.0, 90.0), spin=between(-50.0, 50.0), aspect=1.5, brightness=between(1.0, 3.0),
        opacity=between(0.4, 0.9), tint=Tints(first=(1.0, 0.5, 0.2), second=(0.2, 0.4, 1.0)), frame=between(0.0, 3.0),
        stretch=per_axis(between(0.8, 1.2), fixed(1.0), fixed(1.0)),
    )  # fmt: skip
    for play in ("over life", "by clock", "one at random", "flicker"):
        look = Look(columns=2, rows=2, play=play, fps=7.0)
        yield f"looks, {play}", _effect(replace(_SPARKS, birth=looks, look=look, scale=1.3)), False, (0.9,)


_CHOICES = Range(choices=(0.5, 0.8, 1.6))
_WARM = gradient((0.0, (3.0, 1.5, 0.4)), (0.5, (1.0, 0.3, 0.1)), (1.0, (0.1, 0.05, 0.02)))
_UNEVEN = Curve(
    keys=(
        Key(at=0.0, value=0.4, ease="handles", slope=Slope(before=0.0, after=3.0)),
        Key(at=0.3, value=1.2, ease="stepped", band=0.1),
        Key(at=0.55, value=0.8, ease="straight"),
        Key(at=0.8, value=1.1, ease="handles", slope=Slope(before=-1.0, after=0.5), band=0.2),
        Key(at=1.0, value=0.3),
    )
)
"""A curve with every way to pass a key."""

_WAY = tuple(
    Pose(at=at, place=place, turn=(0.0, turn, 0.0), ease="straight")
    for at, place, turn in ((0.0, (0.0, 0.0, 0.0), 0.0), (0.5, (0.6, 0.1, 0.2), 30.0), (1.5, (-0.3, 0.4, -0.5), 90.0))
)
"""Straight from whole step to whole step: between two steps a game tells no more."""
_BENT = (
    Pose(at=0.0),
    Pose(at=0.4, place=(0.3, 0.2, 0.0), turn=(10.0, 40.0, 5.0), scale=1.3),
    Pose(at=0.9, place=(0.1, 0.5, 0.3), ease="stepped"),
    Pose(at=1.3, place=(0.0, 0.0, 0.4), turn=(0.0, -50.0, 20.0), scale=0.8, ease="straight"),
)


def _stage(**fields: Any) -> Stage:
    return Stage(
        anchors=(
            Anchor(name="hook", place=(0.4, 1.2, 0.3), turn=(0.0, 30.0, 0.0), keys=_WAY),
            Anchor(name="ring", place=(-0.5, 0.9, 0.2)),
        ),
        carrier=Carrier(moves="keys", keys=_WAY),
        **fields,
    )


def _props(**fields: Any) -> tuple[Prop, ...]:
    shapes: dict[str, dict[str, Any]] = {
        "sphere": {"place": (0.5, 0.5, 0.0), "size": (0.8, 0.8, 0.8)},
        "box": {"place": (0.2, 0.3, -0.1), "size": (1.2, 0.3, 0.9), "turn": (0.0, 20.0, 15.0)},
        "cylinder": {"place": (0.3, 0.4, 0.0), "size": (0.9, 0.5, 0.9)},
        "ramp": {"place": (0.2, 0.3, 0.0), "size": (2.0, 0.6, 1.4)},
        "mesh": {"place": (0.3, 0.2, 0.0), "size": (1.0, 1.0, 1.0), "mesh": "solid:rock"},
    }
    return tuple(Prop(name=shape, shape=shape, **(shapes[shape] | given)) for shape, given in fields.items())  # type: ignore[arg-type]


def _rich() -> Iterator[Example]:
    """Those with air, forces of every kind, worlds that move, and what is drawn."""
    yield from _of_air_and_lanes()
    yield from _of_births()
    yield from _of_worlds()
    yield from _of_offspring()
    yield from _of_strips()
    yield from _of_looks()


def _of_air_and_lanes() -> Iterator[Example]:
    air = Forces(drag=2.0, turbulence=1.5, eddy=0.7, detail=0.6, drift=(0.2, 0.5, -0.3), wind=(0.3, 0.0, 0.1))
    yield Example("turbulence", _effect(replace(_SPARKS, forces=air)), False, (0.5, 1.2))
    place, size = (0.1, 0.4, 0.0), (1.2, 1.6, 1.2)
    more = (
        Push(key=1, strength=_CHOICES, axis=(0.3, 1.0, 0.2), region="in a box", region_place=place, region_size=size),
        Push(key=2, strength=fixed(9.0), on=False),
        Gust(key=3, strength=between(1.0, 2.0), axis=(1.0, 0.2, 0.0), period=0.6, gustiness=0.9),
        Stirring(key=4, strength=between(0.5, 1.5), eddy=0.5, drift=(0.1, 0.2, 0.0)),
        Vortex(key=5, pull=2.0, radius=0.3, axis=(0.1, 1.0, 0.0), place=place, region="in a sphere", region_size=size),
        Radial(key=6, strength=fixed(1.0), around=0.8, axis=(0.0, 0.3, 1.0), place=(0.0, 0.5, 0.1)),
        Attractor(key=7, strength=between(1.0, 2.0), place=(0.4, 0.8, 0.0), radius=0.5, falloff=1.6),
        Circling(key=8, strength=between(0.1, 0.3), axis=(0.2, 1.0, 0.1), place=(0.1, 0.0, 0.2)),
        QuadraticDrag(key=9, strength=fixed(0.4), quadratic=0.7),
        Thrust(key=10, strength=between(-0.5, 1.0)),
        SpeedLimit(key=11, strength=between(2.0, 3.0)),
    )
    forced = replace(_outlet(rate=fixed(8.0)), forces=replace(air, more=more))
    yield Example("all forces together", _effect(forced), False, (0.4, 1.0))
    yield Example("all forces together, local", _effect(replace(forced, space="local", scale=1.4)), False, (0.4, 1.0))
    yield Example("all forces together, carried", _effect(forced, stage=_stage()), False, (0.4, 1.0))
    steps = curve((0.0, 0.6), (1.0, 1.8))
    lanes = [
        Lane(key=k, drives=drives, over="age", curve=_UNEVEN)
        for k, drives in enumerate(
            ("gravity", "drag", "wind", "turbulence", "velocity x", "velocity z", "spin", "width", "height", "depth")
        )
    ]
    lanes += [
        Lane(key=20, drives="velocity y", over="distance", low=0.0, high=2.0, curve=steps, replaces=True),
        Lane(key=21, drives="force", force=1, over="effect time", low=0.0, high=1.5, curve=steps),
        Lane(key=22, drives="frame", over="distance", low=0.1, high=1.0, curve=steps),
        Lane(key=23, drives="colour", over="speed", low=0.5, high=3.0, colours=_WARM),
    ]
    pushed = replace(air, gravity=(0.0, -2.0, 0.5), more=(Push(key=1, strength=between(1.0, 2.0), axis=(1.0, 0.5, 0.0)),))
    look = Look(columns=3, rows=2)
    driven = replace(_SPARKS, forces=pushed, life=replace(_PLAIN, more=tuple(lanes), speed=_UNEVEN), look=look)
    yield Example("lanes that move", _effect(driven), False, (0.4, 0.9))
    named = [
        Lane(key=30 + k, drives=drives, over=over, low=0.2, high=4.0, curve=_UNEVEN, name="")
        for k, (drives, over) in enumerate(zip(DRIVEN, ("age", "speed", "distance", "effect time", "camera distance") * 2, strict=False))
    ]
    named += [Lane(key=50, drives="named", curve=steps, name="heat"), Lane(key=51, drives="named", over="speed", curve=steps, name="wet")]
    far = [
        Lane(key=60 + k, drives=drives, over="camera distance", low=2.0, high=6.0, curve=_UNEVEN, colours=_WARM)
        for k, drives in enumerate(("size", "width", "height", "depth", "colour", "brightness", "opacity", "angle", "frame"))
    ]
    shown = replace(_SPARKS, life=replace(_PLAIN, more=tuple(named + far)), look=look)
    yield Example("lanes that show", _effect(shown), False, (0.7,), draws=True)
    curves = Life(size=_UNEVEN, brightness=_UNEVEN, opacity=_UNEVEN, speed=_UNEVEN, colour=replace(_WARM, between="perceptual"))
    yield Example("curves of every kind", _effect(replace(_SPARKS, life=curves)), False, (0.4, 0.9))


def _of_births() -> Iterator[Example]:
    drawn = replace(
        _SPARKS.birth, lifetime=_CHOICES, speed=_CHOICES, size=_CHOICES, angle=_CHOICES, spin=_CHOICES, brightness=_CHOICES,
        opacity=Range(choices=(0.3, 0.9)),
        outward=_CHOICES, around=_CHOICES, frame=Range(choices=(1, 3)), tint=Tints(gradient=_WARM), aspect=0.7,
        push=per_axis(_CHOICES, fixed(0.3), between(-0.2, 0.2)), stretch=per_axis(_CHOICES, between(0.5, 1.5), between(0.8, 1.1)),
    )  # fmt: skip
    chosen = replace(_outlet(shape="sphere", rate=_CHOICES, spread=Range(choices=(5.0, 60.0))), birth=drawn, look=Look(columns=4))
    bursts = (Burst(key=1, count=Range(choices=(2, 5)), first_at=0.05, times=3, every=0.3, chance=0.8),)
    chosen = replace(chosen, outlet=replace(chosen.outlet, bursts=bursts))
    yield Example("choices everywhere", _effect(chosen), False, (0.5, 1.1))
    for name, at_limit in (("refused", "refuse births"), ("retired", "retire the oldest")):
        held = _outlet(rate=fixed(30.0), bursts=bursts, limit=7, at_limit=at_limit)
        yield Example(f"at the limit, {name}, warm", _effect(held, loop=True, warm=True), False, (0.0, 0.6, 2.1))
    waits = _outlet(rate=between(0.04, 0.2), rate_counts="seconds between", start=0.3, span=0.7)
    yield Example("waits, warm", _effect(waits, loop=True, warm=True), False, (0.0, 0.7, 1.9))
    yield Example("waits, identical loops", _effect(waits, loop=True, identical=True), False, (0.7, 2.3))
    alive = _outlet(rate=between(6.0, 9.0), rate_counts="kept alive", rate_curve=_UNEVEN)
    yield Example("kept alive by a curve", _effect(alive, loop=True), False, (0.5, 2.0))
    anew = _outlet(shape="torus", tube=0.1, radius=0.4, anew=True, even=True, fill=0.5)
    yield Example("a new place each step", _effect(anew), False, (0.3, 0.9))
    for part in ("surface", "edges", "vertices"):
        mesh = {"shape": "mesh", "mesh": "solid:rock", "mesh_part": part, "aim": "outward", "density": "vertex colour"}
        yield Example(f"born on a mesh, {part}", _effect(_outlet(**mesh)), False, (0.8,))
    dense = {"shape": "mesh", "mesh": "solid:rock", "aim": "outward", "density": "moss"}
    moss = ("moss", ((0.0, 1.0, 0.2), (0.7, 0.0, 0.0), (0.0, 0.0, 1.0)))
    yield Example("born on a mesh by a picture", _effect(_outlet(**dense)), False, (0.8,), densities=(moss,))
    for shape, face in (
        ("box", "left"), ("box", "right"), ("box", "front"), ("box", "back"), ("box", "side"), ("box", "caps"), ("cylinder", "base"),
        ("cylinder", "side"), ("cone", "top"), ("cone", "caps"), ("hemisphere", "side"), ("hemisphere", "base"),
    ):  # fmt: skip
        told = {"shape": shape, "faces": face, "extent": (0.6, 0.4, 0.8), "length": 0.5, "opening": 30.0, "aim": "outward"}
        yield Example(f"{shape}, {face}", _effect(_outlet(**told)), False, (0.8,))
    fading = ((20, 0.5), (40, 0.0), (60, 1.0))
    yield Example("strength", _effect(_outlet(rate=fixed(40.0))), False, (0.3, 0.6, 1.3), strength=fading)
    thinned = _effect(
        _outlet(rate=fixed(60.0), bursts=bursts), distances=(DistanceStep(beyond=10.0, share=0.5), DistanceStep(beyond=30.0, share=0.2))
    )
    yield Example("seen from 20 m", thinned, False, (0.6, 1.2), beyond=20.0)
    answers = Answers(by_itself=False, delay=0.3, start="open", stop="shut", fade="ebb", strength="draught")
    cues = (Cue(name="boom", at=0.4, what="sound", sound="thud", strength=0.7), Cue(name="glow", at=0.2, what="other"))
    cued = _effect(_outlet(on_cue="boom", bursts=bursts), _BEADS, cues=cues, answers=answers, name="two cues")
    yield Example("cues", cued, False, (0.3, 1.2))
    unseen = replace(_SPARKS, shown=False, offspring=Offspring(rules=(Rule(layer=_BEADS.id, when="by time", interval=0.2),)))
    yield Example("a parent that is not drawn", _effect(unseen, _BEADS, tempo=0.8, seed=12, steps=50), False, (0.8, 1.4))


def _of_worlds() -> Iterator[Example]:
    world = {"gravity": (0.0, -3.0, 0.0), "wind": (0.5, 0.0, 0.2)}
    # Nothing is born before it moves: a way that is still to come, no game tells.
    carried = replace(_outlet(start=0.1), birth=replace(_SPARKS.birth, inherited=0.8), forces=Forces(drag=1.0), place=(0.2, 0.3, 0.1))
    yield Example("carried, world", _effect(carried, stage=_stage(**world)), False, (0.4, 1.2))
    yield Example("carried, local", _effect(replace(carried, space="local", scale=1.5), stage=_stage(**world)), False, (0.4, 1.2))
    way = replace(_outlet(rate=fixed(0.0), per_metre=30.0), place=(0.0, 0.5, 0.0))
    yield Example("by metres of its way", _effect(way, stage=_stage(), loop=True), False, (0.5, 1.2))
    for turns in ("keys", "travel", "target"):
        keyed = replace(_SPARKS, keys=_BENT, turns_with=turns, target=(1.0, 2.0, 0.5), stands_on="hook")
        keyed = replace(keyed, outlet=replace(keyed.outlet, start=0.1))
        yield Example(f"keyed, turned with {turns}", _effect(keyed, stage=_stage()), False, (0.5, 1.3))
    rider = replace(_SPARKS, id="00000000000000c3", name="rider", rides_on=_SPARKS.id, place=(0.3, 0.2, 0.0), scale=0.7, tempo=1.5)
    yield Example("one on another", _effect(replace(_SPARKS, keys=_BENT, scale=1.2), rider), False, (0.5, 1.2))
    looped = _effect(replace(_SPARKS, keys=_BENT, outlet=replace(_SPARKS.outlet, per_metre=20.0)), loop=True)
    yield Example("keyed and looped", looped, False, (0.6, 2.0))
    ring = Places(lie="ring", count=4, radius=0.6, arc=270.0, lean=20.0, after=0.1)
    yield Example("on a ring", _effect(replace(_outlet(bursts=(Burst(key=1),)), places=ring), loop=True), False, (0.3, 1.1))
    row = Places(lie="row", count=3, step=(0.4, 0.1, 0.0), after=0.2)
    rider = replace(rider, places=Places(lie="row", count=2, step=(0.0, 0.3, 0.0)))
    yield Example("a ring on a row", _effect(replace(_SPARKS, places=row), rider), False, (0.6,))
    told = (
        Place(name="here", place=(0.1, 0.0, 0.2), turn=(0.0, 40.0, 0.0), scale=1.3, after=0.2, seed=5),
        Place(name="there", stands_on="ring", place=(0.0, 0.1, 0.0), mesh="solid:box"),
    )
    listed = replace(_outlet(shape="mesh", mesh="solid:rock"), places=Places(lie="told", told=told), scale=0.8)
    yield Example("on places that are told", _effect(listed, stage=_stage()), False, (0.8,))
    falls = replace(
        _outlet(rate=fixed(25.0), spread=fixed(50.0)), place=(0.0, 1.3, 0.0), forces=Forces(gravity=(0.0, -6.0, 0.0), drag=0.3)
    )
    bounces = Contact(meets="bounce", bounce=0.4, slide=0.7, radius=0.03, ageing=0.2, minimum_speed=0.3)
    for shape in ("sphere", "box", "cylinder", "ramp", "mesh"):
        met = _effect(replace(falls, contact=bounces), stage=Stage(props=_props(**{shape: {}})))
        yield Example(f"bouncing off a {shape}", met, False, (0.5, 0.9))
        moved = _effect(replace(falls, contact=replace(bounces, ageing=0.0)), stage=Stage(props=_props(**{shape: {"keys": _WAY}})))
        yield Example(f"bouncing off a {shape} that moves", moved, False, (0.5, 0.9))
    sticks = Contact(meets="stick", surfaces=("box",), radius=None)
    stage = Stage(props=_props(box={"keys": _WAY}, sphere={}))
    yield Example("sticking to one of two", _effect(replace(falls, contact=sticks), stage=stage), False, (0.6, 1.2))
    inner = replace(falls, space="local", scale=1.5, contact=bounces)
    yield Example("bouncing, local, carried", _effect(inner, stage=replace(_stage(), props=_props(box={}))), False, (0.5, 0.9))


def _of_offspring() -> Iterator[Example]:
    falls = replace(
        _outlet(rate=fixed(10.0), spread=fixed(40.0)),
        place=(0.0, 0.9, 0.0),
        forces=Forces(gravity=(0.0, -9.81, 0.0)),
        contact=Contact(meets="bounce", bounce=0.5, slide=0.9, radius=0.02),
        life=replace(_PLAIN, colour=_WARM, size=curve((0.0, 1.0), (1.0, 3.0))),
    )
    rules = (
        Rule(key=2, when="ends", count=Range(choices=(1, 3)), facing="back", motion=-0.5, size=0.6, colour=0.8, place=0.7),
        Rule(key=3, when="by distance", count=fixed(2), interval=0.3, facing="onward", motion=0.2, most_per_parent=4),
        Rule(key=4, when="by time", count=fixed(1), interval=0.1, chance=0.6, most_per_step=1, delay=Range(choices=(0.05, 0.2))),
        Rule(key=5, when="touches", count=between(2, 5), facing="surface", minimum_impact=1.5, goes_on=0.4, delay=between(0.0, 0.1)),
    )
    for rule in rules:
        spawns = replace(falls, offspring=Offspring(rules=(replace(rule, layer=_BEADS.id),)))
        yield Example(f"offspring, {rule.when}", _effect(spawns, replace(_BEADS, tempo=1.3)), True, (0.5, 1.0))
    both = replace(falls, offspring=Offspring(rules=tuple(replace(rule, layer=_BEADS.id) for rule in rules)))
    kept = replace(
        _BEADS,
        outlet=replace(_BEADS.outlet, rate=fixed(5.0), limit=30, at_limit="retire the oldest"),
        space="local",
        place=(0.1, 0.2, 0.0),
    )
    yield Example(
        "offspring of four rules, local", _effect(replace(both, space="local", scale=1.2), kept, stage=_stage()), True, (0.5, 1.0)
    )
    third = replace(_BEADS, id="00000000000000d4", name="specks")
    spawning = replace(_BEADS, offspring=Offspring(rules=(Rule(key=0, when="ends", layer=third.id, count=fixed(2)),)))
    chain = _effect(replace(falls, offspring=Offspring(rules=(replace(rules[0], layer=_BEADS.id),))), spawning, third)
    yield Example("offspring of offspring", chain, True, (0.9, 1.4))
    burning = Rule(key=0, when="touches", layer=_BEADS.id, count=fixed(4), goes_on=0.5)
    stage = Stage(props=_props(box={"keys": _WAY}))
    yield Example(
        "offspring that goes on, riding",
        _effect(replace(falls, offspring=Offspring(rules=(burning,))), _BEADS, stage=stage),
        False,
        (0.5, 0.9),
    )


def _of_strips() -> Iterator[Example]:
    swirl = replace(_outlet(rate=fixed(6.0)), forces=Forces(gravity=(0.0, -2.0, 0.0), more=(Circling(strength=fixed(0.4)),)))
    ribbon = Ribbon(length=0.4, width=0.5, taper=_UNEVEN, colours=_WARM, blend="alpha")
    drawn = Look(drawn_as="ribbon", ribbon=ribbon, blend="alpha")
    yield Example("a ribbon behind each", _effect(replace(swirl, look=drawn)), False, (0.9,), draws=True)
    tiled = replace(ribbon, measured="in metres", length=0.6, texture="tiled", tile=0.3)
    yield Example(
        "a ribbon in metres", _effect(replace(swirl, space="local", look=replace(drawn, ribbon=tiled))), False, (0.9,), draws=True
    )
    yield Example(
        "a ribbon through all",
        _effect(replace(swirl, look=replace(drawn, ribbon=replace(ribbon, path="through all")))),
        False,
        (0.9,),
        draws=True,
    )
    for path in ("behind anchor", "between anchors"):
        behind = replace(ribbon, path=path, first="hook", second="ring", length=0.5)
        yield Example(
            f"a ribbon {path}", _effect(replace(swirl, look=replace(drawn, ribbon=behind)), stage=_stage()), False, (0.9,), draws=True
        )
    jagged = dict(kinks=0.08, strikes=6.0, fade=0.5)
    for path in ("behind each", "through all", "between anchors"):
        kinked = replace(ribbon, path=path, first="hook", second="ring", length=0.5, **jagged)
        look = replace(drawn, ribbon=kinked, light=Light(lamps=3))
        yield Example(f"kinks of a ribbon {path}", _effect(replace(swirl, look=look), stage=_stage()), False, (0.9,), draws=True)
    trails = Look(trail=True, ribbon=replace(ribbon, picture="library:streak"), blend="additive")
    yield Example("a trail behind each", _effect(replace(swirl, look=trails)), False, (0.9,), draws=True)
    beam = Beam(
        start="hook", end="ring", bow=(0.3, 0.6), width=_UNEVEN, colours=_WARM, sway=0.1, sway_size=0.4, sway_speed=0.7, scroll=0.5
    )
    few = _outlet(rate=fixed(3.0))
    yield Example(
        "a beam that sways", _effect(replace(few, look=Look(drawn_as="beam", beam=beam)), stage=_stage()), False, (0.9,), draws=True
    )
    struck = Beam(
        reach=(0.3, 0.2, -1.5), bow=(0.2, -0.1), bows="along axis", axis=(0.3, 1.0, 0.0), kinks=0.1, strikes=7.0, fade=0.6, branches=3,
        branch_length=0.6, branch_width=0.4,
    )  # fmt: skip
    places = Places(lie="row", count=2, step=(0.0, 0.5, 0.0))
    yield Example(
        "a beam that strikes", _effect(replace(few, look=Look(drawn_as="beam", beam=struck), places=places)), False, (0.9,), draws=True
    )
    rules = (
        Rule(key=1, when="strikes", layer=_BEADS.id, count=fixed(2), facing="surface", most_per_parent=4),
        Rule(key=2, when="branches", layer=_BEADS.id, count=fixed(1), chance=0.8, delay=between(0.0, 0.1)),
    )
    spawns = replace(
        few, space="local", tempo=1.3, look=Look(drawn_as="beam", beam=replace(struck, sway=0.1)), offspring=Offspring(rules=rules)
    )
    yield Example("strikes that spawn", _effect(spawns, _BEADS), False, (0.4, 0.9))


def _of_looks() -> Iterator[Example]:
    born = replace(
        _SPARKS.birth,
        angle=between(-90.0, 90.0),
        spin=between(-50.0, 50.0),
        frame=between(0.0, 3.0),
        brightness=between(1.0, 4.0),
        size=between(0.05, 0.2),
        aspect=1.4,
    )
    blends = ("additive", "alpha", "multiply", "premultiplied", "screen", "cut-out")
    for facing, blend in zip(("to camera", "upright", "along motion", "across motion", "flat", "free"), blends, strict=True):
        look = Look(
            facing=facing, blend=blend, columns=2, rows=2, between="cut" if blend == "multiply" else "mixed", pivot=0.4,  # type: ignore[arg-type]
            streak=between(0.02, 0.1), light=Light(lamps=2, casts=1.5), play="by clock" if blend == "screen" else "over life", fps=9.0,
        )  # fmt: skip
        yield Example(f"cards {facing}, {blend}", _effect(replace(_SPARKS, birth=born, look=look)), False, (0.9,), draws=True)
    for stacking in ("near on top", "young on top", "old on top", "as born"):
        look = Look(stacking=stacking, blend="alpha")
        yield Example(f"stacked, {stacking}", _effect(replace(_outlet(rate=fixed(25.0)), look=look)), False, (0.9,), draws=True)
    tumbling = Look(drawn_as="mesh", blend="cut-out", solid=Solid(mesh="solid:shard", tumbles=True), facing="free")
    still = Look(
        drawn_as="mesh", blend="alpha", solid=Solid(mesh="solid:shard", sides="outside", smooth=20.0), facing="along motion", order=-2
    )
    other = replace(_SPARKS, id="00000000000000e5", name="splinters", look=still, scale=1.5, turn=(20.0, 0.0, 30.0))
    yield Example("meshes", _effect(replace(_SPARKS, birth=born, look=tumbling), other), False, (0.9,), draws=True)
    surface = Surface(
        channel="red", invert=True, tile=(2.0, 1.5), scroll=(0.2, -0.3), scatter=0.4, second="library:smoke", second_channel="alpha",
        second_tile=(1.5, 1.0), second_scroll=(0.1, 0.0), second_scatter=0.2, third="library:spark", third_channel="green",
        third_tile=(3.0, 1.0),
        third_scroll=(0.0, 0.2), third_scatter=0.3, warp="library:cells", warp_channel="blue", warp_by=0.2, warp_tile=(1.0, 2.0),
        warp_scroll=(0.3, 0.1), warp_scatter=0.1, shimmer=0.05, edge_glow=2.0, edge_width=0.4, edge_floor=0.3, edge_fade=1.5,
        edge_fade_floor=0.2,
        meet_glow=1.0, meet_width=0.3, ramp=_WARM, ramp_cools=0.5,
    )  # fmt: skip
    worn = Dissolve(
        picture="library:cells", channel="red", amount=0.3, contrast=1.5, softness=0.2, tile=(2.0, 2.0), scroll=(0.1, 0.1),
        scatter=0.5, burn=2.0,
        burn_width=0.2, burn_tint=(1.0, 0.4, 0.1),
    )  # fmt: skip
    light = Light(
        lit=0.4, bulge=0.5, gloss=2.0, rough=0.3, normals="library:soft dot", six="library:smoke", self_lit=1.5,
        self_colour=_WARM, casts=0.7,
        lamps=3, shade=0.5, shadow=0.4,
    )  # fmt: skip
    whole = Look(
        picture="library:smoke", surface=surface, dissolve=worn, light=light, shine=Halo(glow=1.4, size=0.8, threshold=1.2),
        blur=0.02, drape=0.1,
        soft=0.2, fade_near=0.4, cut=0.4, pull=0.1, corners=6, vectors="library:cells", vectors_reach=0.1, between="along vectors",
        solid=Solid(bumps=0.2, bump_size=0.3, bump_speed=0.7), order=3,
    )  # fmt: skip
    yield Example("a look with everything", _effect(replace(_SPARKS, birth=born, look=whole)), False, (0.9,), draws=True)


def examples() -> Iterator[Example]:
    """All of them."""
    yield from (Example(*each) for each in _plain())
    yield from _rich()
