"""Test vectors: small effects, and what every player must make of them."""

from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.chapters import Birth, Contact, Forces, Life, Look, Offspring, Outlet
from pale_ember.core.effect.forces import Attractor, Circling, Gust, Push, QuadraticDrag, Radial, SpeedLimit, Thrust, Vortex
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.values import Tints, between, curve, fixed, gradient, per_axis
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.formats.handover.runtime import runtime_form, slug

TOLERANCE = 1e-4
"""How far a number of a player may be off, as a share of its size, and of 1 for those smaller."""

NUMBERS = ("position", "velocity", "size", "angle", "colour", "frame", "age")
"""What is told of each particle."""

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


def examples() -> Iterator[tuple[str, Effect, bool, tuple[float, ...]]]:
    """(name, effect, whether there is ground, moments) of each."""
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
        Push(strength=between(1.0, 3.0), axis=(1.0, 1.0, 0.0)), Thrust(strength=fixed(-3.0)), Gust(strength=fixed(3.0)),
        QuadraticDrag(strength=fixed(0.5), quadratic=0.8), Vortex(strength=between(2.0, 5.0), pull=3.0, radius=0.2),
        Radial(strength=fixed(2.0), around=1.5), Attractor(strength=fixed(3.0), place=(0.5, 0.2, 0.0)),
        Circling(strength=between(0.3, 0.8), place=(0.2, 0.0, 0.0)), SpeedLimit(strength=fixed(0.8)),
        Push(key=4, strength=fixed(5.0), region="in a sphere", region_size=(1.0, 1.0, 1.0)),
    ):  # fmt: skip
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
        look = Look(columns=2, rows=2, play=play, fps=7.0)  # type: ignore[arg-type]
        yield f"looks, {play}", _effect(replace(_SPARKS, birth=looks, look=look, scale=1.3)), False, (0.9,)


def vectors() -> list[dict[str, Any]]:
    """All of them, with what our own kernels make of each."""
    return [
        {
            "name": name,
            "effect": bare(runtime_form(effect)),
            "ground": ground,
            "moments": list(moments),
            "rows": [_rows(frame) for frame in _frames(effect, ground, moments)],
        }
        for name, effect, ground, moments in examples()
    ]


def bare(form: Any) -> Any:
    """A runtime form without its tables."""
    if isinstance(form, dict):
        drops = ("table", "bands") if "keys" in form or "stops" in form else ()
        return {name: bare(value) for name, value in form.items() if name not in drops}
    return [bare(value) for value in form] if isinstance(form, list) else form


def _frames(effect: Effect, ground: bool, moments: tuple[float, ...]) -> list[Frame]:
    if not ground:
        far = tuple(replace(layer, contact=replace(layer.contact, meets="pass")) for layer in effect.layers)
        effect = replace(effect, layers=far)
    timeline = Timeline(effect)
    return [timeline.frame(moment) for moment in moments]


def _rows(frame: Frame) -> list[list[Any]]:
    rows, slugs = [], list[str]()
    for layer in frame.layers:
        slugs.append(slug(layer.layer.name, slugs))
        for i, number in enumerate(layer.number.tolist()):
            told = {name: _told(getattr(layer, name)[i]) for name in NUMBERS}
            rows.append([slugs[-1], f"0x{number:016x}", told])
    return rows


def _told(value: Any) -> Any:
    return [round(float(part), 7) for part in value] if getattr(value, "shape", ()) else round(float(value), 7)


def faults_of(vector: dict[str, Any], answer: Any) -> list[str]:
    """What a player made otherwise of a vector, in sentences; nothing where it agrees."""
    rows = answer.get("rows") if isinstance(answer, dict) else None
    if not isinstance(rows, list) or len(rows) != len(vector["rows"]):
        return [f"expected rows for {len(vector['rows'])} moments, found {json.dumps(answer)[:80]}"]
    said = []
    for moment, wanted, got in zip(vector["moments"], vector["rows"], rows, strict=True):
        try:
            there = {(str(name), int(number, 16)): dict(told) for name, number, told in got}
        except (TypeError, ValueError):
            return [f"at {moment} s: expected rows of a name, a number and what is told, found {json.dumps(got)[:80]}"]
        known = {(name, int(number, 16)): told for name, number, told in wanted}
        missing, more = known.keys() - there.keys(), there.keys() - known.keys()
        if missing or more:
            some = next(iter(missing or more))
            what = "is missing" if missing else "is there, though it should not be"
            said.append(f"at {moment} s: {some[0]} {some[1]:#018x} {what}; {len(missing)} missing, {len(more)} too many")
            continue
        for key, told in known.items():
            for name in NUMBERS:
                one, other = _flat(told[name]), _flat(there[key].get(name))
                if len(one) != len(other) or any(abs(a - b) > TOLERANCE * max(abs(a), 1.0) for a, b in zip(one, other, strict=True)):
                    said.append(f"at {moment} s: {key[0]} {key[1]:#018x}: {name}: expected {told[name]}, found {there[key].get(name)}")
                    break
    return said


def _flat(value: Any) -> list[float]:
    parts = value if isinstance(value, list) else [value]
    # A whole number may be longer than a float can be.
    good = all(isinstance(part, (int, float)) and not isinstance(part, bool) and not abs(part) > 1e300 for part in parts)
    return [float(part) for part in parts] if good else []
