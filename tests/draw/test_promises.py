"""Every declared field of a layer does something, and whoever has seen the effect before the edit sees it after.

The promise of the held moment: an edit is followed by what is simulated and drawn, with nothing stale and nothing in vain.
"""

import types
from typing import Literal, get_args, get_origin

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.edit import value_at, with_value
from pale_ember.core.effect.events import Cue
from pale_ember.core.effect.fields import Part, fields_of, kinds_of, why_idle
from pale_ember.core.effect.forces import AnyForce
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.look import Solid
from pale_ember.core.effect.model import Layer, Pose, Stage
from pale_ember.core.effect.offspring import Offspring, Rule
from pale_ember.core.effect.places import Place, Places
from pale_ember.core.effect.stage import Anchor, Carrier, Lamp, Prop, Sun
from pale_ember.core.effect.strips import Beam, Ribbon
from pale_ember.core.effect.surface import Dissolve, Halo, Light, Surface
from pale_ember.core.effect.values import Curve, Gradient, Key, PerAxis, Range, Stop, Tints, between, curve, fixed
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.renderer import Shot
from pale_ember.formats.shelf import Shelf
from tests.draw.drawn import FRONT, Drawn
from tests.examples import Birth, Burst, Contact, Forces, Life, Look, Outlet, effect

VALUES = (Range, PerAxis, Tints, Curve, Gradient)
IN_VAIN = {("name",), ("id",), ("shown",), ("places", "told", "name"), ("look", "corners")}
"""Names change nothing that is seen, nor do corners of cards; a layer that is not shown has no Frame to compare."""

TWO = Gradient(stops=(Stop(at=0, colour=(1, 0.6, 0.2)), Stop(at=1, colour=(0.5, 0.1, 0.6))))
SLOPE = curve((0, 0.4), (0.5, 1.2), (1, 0.7))


NEAR = replace(FRONT, target=(0.0, 0.9, 0.0), distance=2.0)


def dense(name):
    """A density over a mesh's coordinates."""
    return lambda at: np.clip(np.asarray(at)[..., 0], 0.0, 1.0)


def rich(**parts):
    """A layer with something of everything, on a stage where it matters."""
    forces = tuple(
        replace(kind(), key=i, region="in a sphere" if i else "everywhere", region_size=(4.0, 4.0, 4.0))
        for i, kind in enumerate(kinds_of(AnyForce).values())
    )
    forces = tuple(replace(one, around=2.0) if one.kind == "radial" else one for one in forces)
    lanes = (
        Lane(key=0, drives="size", over="speed", high=3.0, curve=SLOPE),
        Lane(key=1, drives="velocity x", over="effect time", high=2.0, curve=SLOPE),
        Lane(key=2, drives="force", force=0, over="distance", high=2.0, curve=SLOPE),
        Lane(key=3, drives="colour", colours=TWO),
        Lane(key=4, drives="named", name="soot", curve=SLOPE),
    )
    made = {
        "id": "00000000000000aa", "name": "rich", "place": (0.0, 0.6, 0.0),
        "keys": (Pose(), Pose(at=1.5, place=(0.4, 0.2, 0.1), turn=(0, 40, 0))),
        "outlet": Outlet(rate=between(30, 50), rate_curve=SLOPE, bursts=(Burst(count=between(6, 9), first_at=0.2, times=3),),
                         per_metre=4.0, span=1.0, start=0.05, shape="cylinder", radius=0.3, length=0.4, fill=0.5,
                         spread=30.0, limit=60),
        "birth": Birth(lifetime=between(0.8, 1.2), speed=between(0.6, 1.2), size=between(0.3, 0.5), aspect=1.3,
                       angle=between(-90, 90), spin=between(-50, 50), brightness=between(0.5, 1.5),
                       opacity=between(0.5, 0.9), frame=between(0, 3), inherited=0.5),
        "life": Life(size=SLOPE, colour=TWO, brightness=SLOPE, opacity=SLOPE, speed=SLOPE, more=lanes),
        "forces": Forces(gravity=(0, -1.5, 0), drag=0.4, wind=(0.5, 0, 0), turbulence=0.6, more=forces),
        "contact": Contact(meets="bounce", radius=0.05, ageing=0.1),
        "offspring": Offspring(rules=(
            Rule(key=0, when="touches", layer="00000000000000bb", motion=0.3, size=0.5, colour=0.5),)),
        "look": Look(columns=2, rows=2, picture="frames", play="by clock", fps=9.0, blend="premultiplied", streak=0.02,
                     facing="along motion",
                     surface=Surface(second="quarters", warp="quarters", shimmer=0.1, edge_glow=1.0, edge_floor=0.3),
                     dissolve=Dissolve(picture="quarters", amount=0.3, burn=1.0),
                     light=Light(lit=0.5, shadow=0.6, self_lit=0.4, gloss=1.0),
                     shine=Halo(glow=1.0, threshold=0.2)),
    }  # fmt: skip
    return Layer(**(made | parts))


def on_stage(layer):
    child = Layer(
        id="00000000000000bb",
        name="splash",
        outlet=Outlet(rate=fixed(0)),
        birth=Birth(lifetime=fixed(0.7), size=fixed(0.2)),
        life=Life(opacity=None),
        look=Look(picture="half"),
    )
    carrier = Layer(id="00000000000000cc", name="barrow", outlet=Outlet(rate=fixed(0)), place=(0.2, 0.1, 0))
    stage = Stage(
        props=(Prop(name="step", place=(0.0, 0.1, 0.0), size=(3, 0.2, 3)),),
        anchors=(Anchor(place=(0.5, 1.5, 0)),),
        carrier=Carrier(moves="to and fro", reach=1.0, period=2.0),
        sun=Sun(power=1.0),
        lamps=(Lamp(power=2.0),),
    )
    cues = (Cue(name="boom", at=0.4),)
    return effect(carrier, layer, child, loop=True, stage=stage, duration=2.0, steps=30, cues=cues)


def bases():
    """Layers in which, one or another, every field has an effect."""
    made = rich()
    look, outlet = made.look, made.outlet
    yield made
    for shape in ("box", "cone", "torus", "disc", "line"):
        yield replace(made, outlet=replace(outlet, shape=shape, length=0.3, arc=300.0))
    meshed = replace(outlet, shape="mesh", mesh="solid:cylinder")
    yield replace(made, outlet=meshed)
    yield replace(made, outlet=meshed, places=Places(lie="told", told=(Place(),)))
    for aim in ("towards point", "along surface", "outward"):
        yield replace(made, outlet=replace(outlet, aim=aim))
    plain = replace(look, columns=1, rows=1, picture="quarters", blend="alpha", facing="to camera", streak=0.0)
    yield replace(made, look=plain)
    yield replace(made, look=replace(plain, blend="cut-out"))
    yield replace(made, look=replace(look, rows=1, picture="quarters", between="along vectors", vectors="red", play="over life"))
    yield replace(made, look=replace(plain, surface=Surface(channel="red"), dissolve=Dissolve()))
    yield replace(made, look=replace(plain, drawn_as="mesh", blend="cut-out", solid=Solid(mesh="solid:cylinder", smooth=90.0)))
    for path in ("behind each", "through all", "behind anchor", "between anchors"):
        ribbon = Ribbon(path=path, taper=SLOPE, colours=TWO, texture="tiled", tile=0.2, first="anchor")
        yield replace(made, look=replace(plain, drawn_as="ribbon", ribbon=ribbon))
    jagged = Ribbon(path="behind anchor", first="anchor", kinks=0.3, width=2.0)
    yield replace(made, look=replace(plain, drawn_as="ribbon", ribbon=jagged))
    yield replace(made, look=replace(plain, trail=True, ribbon=Ribbon(length=0.3, taper=SLOPE, colours=TWO)))
    yield replace(made, look=replace(plain, light=Light(lit=0.5, gloss=2.0, normals="red")))
    yield replace(made, look=replace(plain, surface=Surface(ramp=TWO, ramp_cools=0.2, edge_fade=1.0)))
    yield replace(made, look=replace(plain, surface=Surface(second="red", third="frames")))
    yield replace(made, place=(0.0, 0.2, 0.0), look=replace(plain, soft=0.0, surface=Surface(meet_glow=8.0, meet_width=0.4)))
    yield replace(made, look=replace(plain, facing="flat", drape=1.0))
    bumpy = Solid(mesh="solid:sphere", bumps=0.4, bump_size=0.5, bump_speed=3.0)
    yield replace(made, look=replace(plain, drawn_as="mesh", solid=bumpy))
    beam = Beam(sway=0.2, bow=(0.4, 0.5))
    yield replace(made, look=replace(plain, drawn_as="beam", beam=replace(beam, kinks=0.3, branches=2)))
    yield replace(made, look=replace(plain, drawn_as="beam", beam=beam))
    aside = replace(beam, bows="along axis", axis=(1.0, 0.3, 0.0), width=SLOPE, colours=TWO)
    yield replace(made, look=replace(plain, drawn_as="beam", beam=aside))
    for when in ("strikes", "branches"):
        rule = replace(made.offspring.rules[0], when=when)
        struck = replace(plain, drawn_as="beam", beam=replace(beam, kinks=0.3, branches=2))
        yield replace(made, look=struck, offspring=Offspring(rules=(rule,)))
    for when in ("by distance", "by time", "born", "ends"):
        rule = replace(made.offspring.rules[0], when=when, interval=0.2, delay=fixed(0.05))
        yield replace(made, offspring=Offspring(rules=(rule,)))
    yield replace(made, turns_with="target")
    yield replace(made, outlet=replace(outlet, rate=fixed(200), span=0.0, limit=30, start=0.0))
    yield replace(made, outlet=replace(outlet, rate=fixed(0.0), bursts=(Burst(count=fixed(40), first_at=0.5),), start=0, span=0))
    yield replace(made, space="local", forces=Forces(drag=0.5, wind=(1, 0, 0)))
    for places in (
        Places(lie="ring", count=3, arc=200.0, after=0.1),
        Places(lie="row", count=2),
        Places(lie="told", told=(Place(), Place(place=(0.5, 0, 0), turn=(0, 0, 20), scale=1.2, after=0.2))),
    ):
        yield replace(made, places=places)


def leaves(kind, part, path=(), around=()):
    """(path, declared field, the needs of the fields around it) of all that a part holds."""
    for name, declared in fields_of(kind).items():
        if declared.field.hidden or tuple(step for step in (*path, name) if isinstance(step, str)) in IN_VAIN:
            continue
        value, inner = getattr(part, name), declared.type
        needs = (*around, *((declared.field,) if declared.field.needs else ()))
        listed = get_origin(inner) is tuple and isinstance(get_args(inner)[0], type) and issubclass(get_args(inner)[0], Part)
        if listed:
            for i, one in enumerate(value):
                yield from leaves(type(one), one, (*path, name, i), needs)
        elif isinstance(inner, type) and issubclass(inner, Part) and not issubclass(inner, VALUES):
            yield from leaves(inner, value, (*path, name), needs)
        else:
            yield (*path, name), declared, needs


def others(declared, value):
    """Other values of a field."""
    kind, field = declared.type, declared.field
    if get_origin(kind) in (types.UnionType,) or type(None) in get_args(kind):
        kind = next(one for one in get_args(kind) if one is not type(None))
    low = -1e9 if field.least is None else field.least
    high = 1e9 if field.most is None else field.most

    def moved(number):
        return [made for made in (number * 0.6, number * 1.5 + 0.11, number + 3.0, number - 0.7) if low <= made <= high]

    if get_origin(kind) is Literal:
        return [one for one in get_args(kind) if one != value]
    if kind is bool:
        return [not value]
    if kind in (int, float):
        return [kind(one) for one in moved(0.4 if value is None else value) if kind(one) != value]
    if kind is Range:
        return [Range(low=a, high=max(a, b)) for a, b in zip(moved(value.low), moved(value.high), strict=False)]
    if kind is PerAxis:
        return [replace(value, **{axis: between(0.5, 2.0) for axis in "xyz"})]
    if kind is Tints:
        return [Tints(first=(0.2, 0.9, 0.4), second=(0.9, 0.3, 0.2))]
    if kind is Curve:
        return [Curve(keys=(Key(at=0, value=0.2), Key(at=1, value=0.9)))]
    if kind is Gradient:
        return [Gradient(stops=(Stop(at=0, colour=(0.1, 0.9, 0.3)),))]
    if kind is str:
        named = {
            "mesh": ["solid:rock", "solid:cylinder"],
            "picture": ["red", "quarters", "half"],
            "density": ["quarters"],
            "above": ["00000000000000cc"],
            "spawned": [""],
            "anchor": ["anchor", ""],
            "cue": ["boom"],
            "stand": ["step", "anchor"],
        }
        return [one for one in named.get(field.names, ["other"]) if one != value]
    if get_args(kind)[-1] is Ellipsis:
        return [("ground",)]
    return [tuple(min(max(one + step, low), high) for one in value) for step in (0.4, 0.9, -0.3)]


class Promises(Drawn):
    time = 1.1

    def test_every_field_is_followed(self):
        tried, done, rested, stale = set(), set(), set(), []
        shelf = Shelf(None)
        for base in bases():
            begun = on_stage(base)
            timeline = Timeline(begun, shelf.mesh, dense)
            before = timeline.frame(self.time)
            picture = None
            for path, declared, around in leaves(Layer, base):
                told = tuple(step for step in path if isinstance(step, str))
                kind = getattr(value_at(base, path[:3]), "kind", "") if len(path) > 3 else ""
                name = told if path[-1] in fields_of(AnyForce) else (*told, kind)
                tried.add(name)
                idle = any(why_idle(one, base, value_at(base, path[:-1])) for one in (*around, declared.field))
                if idle and name not in rested and path[0] != "look":
                    rested.add(name)
                    value = others(declared, value_at(base, path))[0]
                    edited = with_value(begun, ("layers", 1, *path), value)
                    fresh = Timeline(edited, shelf.mesh, dense).frame(self.time)
                    if ways(fresh) != ways(before):
                        stale.append((told, "moves particles, though it is said to have no effect"))
                if name in done or idle:
                    continue
                for value in others(declared, value_at(base, path)):
                    edited = with_value(begun, ("layers", 1, *path), value)
                    timeline.update(edited)
                    followed, fresh = timeline.frame(self.time), Timeline(edited, shelf.mesh, dense).frame(self.time)
                    if columns(followed) != columns(fresh):
                        stale.append((told, value))
                    if columns(fresh) == columns(before):
                        if path[0] != "look":
                            continue
                        picture = self.picture(before) if picture is None else picture
                        if np.array_equal(self.picture(fresh), picture):
                            continue
                    done.add(name)
                    break
        self.assertEqual(stale, [])
        self.assertEqual(tried - done, set())

    def picture(self, frame):
        return self.renderer.picture(frame, view_of(NEAR, 96, 72), Shot(stage=frame.effect.stage), 96, 72).copy()


def columns(frame):
    """All that a Frame tells, as bytes."""
    told = []
    for layer in frame.layers:
        made = layer.seen_from(np.array([0.0, 1.0, 4.0]))
        arrays = [made.number, made.position, made.velocity, made.size, made.angle, made.colour, made.frame, made.age, made.life]
        told.append([array.tobytes() for array in arrays])
        told[-1] += [part for name, array in made.driven.items() for part in (name, array.tobytes())]
        if made.strips is not None:
            told[-1] += [np.asarray(getattr(made.strips, name)).tobytes() for name in made.strips.__dataclass_fields__]
    return told


def ways(frame):
    """Where particles are and how they go, as bytes."""
    return [[array.tobytes() for array in (one.number, one.position, one.velocity, one.life)] for one in frame.layers]
