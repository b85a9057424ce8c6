"""Effects whose numbers are kept: the demo's, starting points, one thing at a time, and what chance made."""

import itertools
import random
import zlib
from typing import Literal, get_args, get_origin

from msgspec.structs import replace

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.chapters import Contact, Forces, Offspring, Outlet
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.fields import Part, fields_of, kinds_of
from pale_ember.core.effect.forces import AnyForce
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.properties import PROPERTIES
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.effect.shapes import SHAPES
from pale_ember.core.effect.stage import Anchor, Carrier, Prop, Stage
from pale_ember.core.effect.starting_points import STARTS
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range, Stop, Tints, curve, fixed
from pale_ember.core.geometry.mesh import SOLIDS as EVERY_SOLID
from pale_ember.formats.document import load
from tests.core.made_up import SOLIDS, made_up, value
from tests.examples import DEMO

SHAPED = ("radius", "tube", "fill", "arc", "opening", "length", "extent", "faces", "even")
"""Fields of an outlet that mean something else for each shape."""
ONE, TWO = "00000000000000aa", "00000000000000bb"


KNIFE_EDGED = ("kiln arch", "cask", "grindstone frame")
"""Solids of which a hair's breadth decides what face is met first: another processor decides otherwise."""
FEW = ("dropped-carboy", "molten-drips", "tide-mist")
"""Effects of the demo for what takes longer; what their layers have, the others have too, or chance made it."""


def documents(chance=range(24)):
    """Effects by name: the demo's, those of starting points, and some that chance made."""
    for path in sorted(DEMO.glob("*.pale")):
        yield path.stem, load(path)[0]
    for name, start in STARTS.items():
        layers = tuple(replace(layer, id=f"{7000 + k:016x}") for k, layer in enumerate(start.make()))
        yield name, Effect(name=name, layers=layers, duration=2.0, seed=5)
    for seed in chance:
        yield f"made up {seed}", made_up(random.Random(1000 + seed))


def all_fields(part, path=()):
    """Every field below a part that is a value, with its path."""
    for name, declared in fields_of(type(part)).items():
        held = getattr(part, name)
        if isinstance(held, Part) and not isinstance(held, (Range, PerAxis, Curve, Gradient, Tints)):
            yield from all_fields(held, (*path, name))
        elif name not in ("id", "key", "name", "locked", "shares", "shown", "tag"):
            yield (*path, name), declared


def options_of(declared, path, names):
    """What a field may be: all there is to choose from, or a value that chance makes."""
    if get_origin(declared.type) is Literal:
        return get_args(declared.type)
    return (value(random.Random(zlib.crc32(".".join(path).encode())), declared, names, 0.3),)


def chosen_for(path):
    """What must be chosen for a field to have an effect: a shape of the outlet that has it, what is drawn, how places lie."""
    chapter, field = (*path, "")[:2]
    if path == ("outlet", "aim"):
        return [("outlet", "shape", "sphere"), ("outlet", "shape", "disc")]
    if chapter == "outlet" and field in SHAPED:
        return [("outlet", "shape", name) for name, shape in SHAPES.items() if field in shape.uses or (field == "faces" and shape.faces)]
    if chapter == "look" and field in ("ribbon", "beam"):
        return [("look", "drawn_as", field)]
    return [("places", "lie", "ring"), ("places", "lie", "row")] if chapter == "places" and field != "lie" else []


def one_by_one():
    """Sparks that meet a step and what they spawn there, each time with one thing else: every field, lane and force there is."""
    spawned = replace(STARTS["drops"].make()[0], id=TWO, outlet=Outlet(rate=fixed(0.0)))
    pushed = Forces(gravity=(0.4, -6.0, 0.2), drag=0.8, wind=(1.5, 0.3, -0.7), turbulence=0.9)
    sparks = replace(
        STARTS["sparks"].make()[0],
        id=ONE,
        place=(0.2, 0.7, -0.1),
        turn=(10.0, 20.0, 5.0),
        outlet=Outlet(rate=fixed(40.0), shape="sphere", radius=0.2),
        forces=pushed,
        contact=Contact(meets="bounce"),
        offspring=Offspring(rules=(Rule(when="touches", layer=TWO, count=fixed(2)),)),
    )
    stage = Stage(
        props=(Prop(name="step", mesh="solid:box", place=(0.5, 0.1, 0.0)),),
        anchors=(Anchor(name="hook", place=(0, 1, 0)),),
        carrier=Carrier(moves="circle", period=2.0, reach=0.4),
    )
    base = Effect(layers=(sparks, spawned), duration=1.0, loop=True, warm=False, stage=stage, seed=4)
    names = {"anchor": ["hook"], "stand": ["hook"], "prop": ["step"], "mesh": list(SOLIDS), "picture": ["library:soft dot"]}
    driven = curve((0, 0.4), (1, 1.7))
    colours = Gradient(stops=(Stop(at=0, colour=(1, 0, 0)), Stop(at=1, colour=(0, 0.5, 1))))
    lanes = [Lane(drives=drives, over=over, curve=driven, colours=colours) for drives, one in PROPERTIES.items() for over in one.axes]
    found = [(f"{lane.drives} over {lane.over}", {("life", "more"): (lane,)}) for lane in lanes if lane.drives != "force"]
    for kind in kinds_of(AnyForce).values():
        plain_one = replace(kind(), strength=fixed(1.7), region_place=(0.4, 0.6, 0.0), region_size=(0.5, 0.3, 0.4))
        found.append((kind.kind, {("forces", "more"): (plain_one,)}))
        for field, declared in all_fields(plain_one):
            for option in options_of(declared, field, names):
                force = replace(plain_one, **{field[0]: option})
                found.append((f"{kind.kind} {field[0]} {option}", {("forces", "more"): (force,)}))
    along = {("life", "more"): (Lane(drives="velocity x", curve=driven),)}
    whens = "born", "touches", "ends"
    found += [(f"velocity x {when}", along | {("offspring", "rules"): (Rule(when=when, layer=TWO, motion=1.0),)}) for when in whens]
    for (field, declared), space in itertools.product(all_fields(Rule(layer=TWO)), ("world", "local")):
        for option in options_of(declared, field, names):
            when = "touches" if space == "world" else "by time"
            changed = {"when": when, field[0]: option, "layer": TWO}
            found.append((f"{space} rule {field[0]} {option}", {("space",): space, ("offspring", "rules"): (Rule(**changed),)}))
    for field, declared in all_fields(Burst()):
        for option in options_of(declared, field, names):
            found.append((f"burst {field[0]}", {("outlet", "bursts"): (Burst(**{"count": fixed(5), "times": 2, field[0]: option}),)}))
    for path, declared in all_fields(sparks):
        name, options = " ".join(path), options_of(declared, path, names)
        within = chosen_for(path) or [()]
        for (*where, chosen), option in itertools.product(([*one] or [*path, None] for one in within), options):
            if option is not None and (path[0] != "look" or path[1] in ("drawn_as", "streak", "ribbon", "beam", "columns", "trail")):
                found.append((f"{chosen or ''} {name} {option if len(options) > 1 else ''}", {tuple(where): chosen, path: option}))
    shapes = [(shape, SOLIDS[0]) for shape in get_args(fields_of(Prop)["shape"].type)]
    shapes += [("mesh", f"solid:{each}") for each in EVERY_SOLID if each not in KNIFE_EDGED]
    for shape, mesh in shapes:
        prop = replace(stage.props[0], shape=shape, mesh=mesh, turn=(10.0, 20.0, 5.0))
        yield f"step {shape} {mesh}", replace(base, stage=replace(stage, props=(prop,)))
    for name, changes in found:
        made = base
        for path, option in changes.items():
            made = with_value(made, ("layers", 0, *path), option)
        if not read(Effect, plain(made))[1]:
            yield name, made


def few(chance=12):
    """Some of the demo's effects by name, and some that chance made."""
    return ((name, effect) for name, effect in documents(range(chance)) if name in FEW or name.startswith("made up"))
