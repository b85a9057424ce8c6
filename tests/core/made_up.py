"""Documents nobody would make, from the declarations alone: every field that is declared is in some of them."""

import types
from typing import Literal, get_args, get_origin

from msgspec.structs import replace

from pale_ember.core.effect.fields import Part, fields_of, kinds_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.properties import AXES, PROPERTIES
from pale_ember.core.effect.stage import Anchor, Prop, Stage
from pale_ember.core.effect.tree import MOST_GENERATIONS, generations, ring_of_rules
from pale_ember.core.effect.values import Curve, Gradient, Key, PerAxis, Range, Stop, Tints

SOLIDS = ("solid:rock", "solid:cylinder", "solid:box")


def number(rng, field, whole=False):
    low, high = field.soft or (-1.0, 3.0)
    low = max(low, field.least if field.least is not None else -1e9)
    high = min(max(high, low + 1.0), field.most if field.most is not None else 1e9)
    # Few of what there can be many of: what is tried is how, not how much.
    value = rng.uniform(low, min(high, low + 60.0)) if rng.random() < 0.8 else rng.choice((low, high))
    return round(value) if whole else round(value, 3)


def curve(rng):
    ats = sorted({0.0, 1.0, *(round(rng.random(), 3) for _ in range(rng.randrange(3)))})
    eases = get_args(fields_of(Key)["ease"].type)
    return Curve(
        keys=tuple(
            Key(at=at, value=round(rng.uniform(0, 2), 3), ease=rng.choice(eases), band=round(rng.choice((0, 0, 0.3)), 3)) for at in ats
        )
    )


def some(rng, kind, names, keep=0.5):
    """A part of a kind with some of its fields told."""
    told = {}
    for name, declared in fields_of(kind).items():
        if name in ("id", "key", "name", "unknown", "shares", "locked") or rng.random() < keep:
            continue
        made = value(rng, declared, names, keep)
        if made is not None:
            told[name] = made
    return kind(**told)


def value(rng, declared, names, keep):
    kind, field = declared.type, declared.field
    if get_origin(kind) is types.UnionType or type(None) in get_args(kind):
        kind = next(one for one in get_args(kind) if one is not type(None))
    if get_origin(kind) is Literal:
        return rng.choice(get_args(kind))
    if kind is bool:
        return rng.random() < 0.5
    if kind in (int, float):
        return number(rng, field, kind is int)
    if kind is Range:
        low, high = sorted((number(rng, field, field.whole), number(rng, field, field.whole)))
        return Range(low=low, high=high)
    if kind is PerAxis:
        return PerAxis(**{axis: Range(low=0.2, high=round(rng.uniform(0.2, 2), 2)) for axis in "xyz"})
    if kind is Tints:
        return Tints(first=(1, 0, 0), second=(0, 1, round(rng.random(), 2)))
    if kind is Curve:
        return curve(rng)
    if kind is Gradient:
        return Gradient(stops=(Stop(at=0, colour=(1, 0, 0)), Stop(at=1, colour=(0, round(rng.random(), 2), 1))))
    if kind is str:
        return rng.choice(names[field.names]) if names.get(field.names) else None
    if get_origin(kind) is tuple and get_args(kind)[-1] is not Ellipsis:
        return tuple(number(rng, field) for _ in get_args(kind))
    if get_origin(kind) is tuple and isinstance(get_args(kind)[0], type) and issubclass(get_args(kind)[0], Part):
        part = get_args(kind)[0]
        kinds = list(kinds_of(part).values()) or [part]
        parts = [some(rng, rng.choice(kinds), names, keep) for _ in range(rng.randrange(3))]
        if "key" in fields_of(kinds[0]):
            parts = [replace(one, key=k) for k, one in enumerate(parts)]
        if "at" in fields_of(kinds[0]):
            parts = [replace(one, at=round(0.4 * k + 0.1 * rng.random(), 3)) for k, one in enumerate(parts)]
        return tuple(parts)
    if isinstance(kind, type) and issubclass(kind, Part):
        return some(rng, kind, names, keep)
    return None


def lane_that_may_be(lane):
    return lane.over in PROPERTIES[lane.drives].axes and (lane.over in AXES)


def made_up(rng):
    """An effect of one to four layers on a stage, all by chance, and readable."""
    ids = [f"{0xABC0 + i:016x}" for i in range(rng.randrange(1, 5))]
    names = {"anchor": ["hook", "end"], "stand": ["hook", "step"], "prop": ["step"], "mesh": list(SOLIDS), "cue": ["boom"],
             "picture": ["library:soft dot"]}  # fmt: skip
    layers = []
    for i, identity in enumerate(ids):
        mine = names | {"above": ids[:i], "spawned": ids[i + 1 :]}
        layer = replace(some(rng, Layer, mine), id=identity, name=f"l{i}", shown=True, tempo=rng.choice((1.0, 1.0, 0.7)))
        outlet = layer.outlet
        layer = replace(
            layer,
            outlet=replace(outlet, limit=min(outlet.limit, 400), mesh=outlet.mesh or SOLIDS[0]),
            life=replace(layer.life, more=tuple(each for each in layer.life.more if lane_that_may_be(each))),
            places=replace(layer.places, count=min(layer.places.count, 3)),
            birth=replace(layer.birth, lifetime=Range(low=0.3, high=round(rng.uniform(0.3, 1.5), 2))),
        )
        rules = tuple(replace(rule, count=Range(low=1, high=2), interval=max(rule.interval, 0.2)) for rule in layer.offspring.rules)
        layers.append(replace(layer, offspring=replace(layer.offspring, rules=rules)))
    stage = some(rng, Stage, names)
    stage = replace(
        stage,
        anchors=(replace(some(rng, Anchor, names), name="hook"), Anchor(name="end", place=(1, 1, 0))),
        props=(replace(some(rng, Prop, names), name="step", mesh="solid:box"),),
    )
    whole = some(rng, Effect, names)
    made = replace(whole, layers=tuple(layers), stage=stage, duration=round(rng.uniform(0.8, 3.0), 2), steps=rng.choice((30, 60)),
                   tempo=rng.choice((1.0, 1.5)), variants=(), recipes=(), credits=(), left=(), distances=())  # fmt: skip
    if ring_of_rules(made) or max(generations(made).values()) >= MOST_GENERATIONS:
        return replace(made, layers=tuple(replace(layer, offspring=type(layer.offspring)()) for layer in made.layers))
    return made
