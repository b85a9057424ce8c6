"""Rules of fields: set without effect, or against themselves."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.chapters import CHAPTERS, Birth
from pale_ember.core.effect.edit import Path, value_at
from pale_ember.core.effect.fields import Declared, Field, Part, fields_of, inner_part, why_idle
from pale_ember.core.effect.forces import Gust, QuadraticDrag, Stirring
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import Range, fixed
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.finding import Finding, changing, setting

_ELSEWHERE = (("forces", "wind"), ("forces", "turbulence"), ("birth", "speed"))
"""Fields that rules of their own look after."""
_ASIDE = ("variants", "stage", "recipes", "bakes", "follows")
"""What of an effect is not handed over, or is looked at elsewhere."""


def set_but_idle(known: Facts) -> Iterator[Finding]:
    """A value that is not the usual one, and has no effect."""
    for declared in fields_of(Effect).values():
        if declared.name not in _ASIDE:
            yield from _idle(known.effect, None, (declared.name,), declared)
    for layer in known.shown:
        for name, declared in fields_of(Layer).items():
            if name == "contact" and layer.contact.meets == "pass":
                continue  # Switched off as a whole: what it was set to is kept for later.
            if name in CHAPTERS:
                for inner in fields_of(declared.type).values():
                    yield from _idle(layer, layer, (name, inner.name), inner)
            else:
                yield from _idle(layer, layer, (name,), declared)


def _idle(root: Any, layer: Layer | None, path: Path, declared: Declared, around: Field | None = None) -> Iterator[Finding]:
    field, value = declared.field, value_at(root, path)
    if field.hidden or path in _ELSEWHERE or value == declared.default:
        return
    inner = inner_part(declared)
    if inner is not None and isinstance(value, Part):
        for each in fields_of(inner).values():
            yield from _idle(root, layer, (*path, each.name), each, field)
        return
    if isinstance(value, tuple) and value and isinstance(value[0], Part):
        return
    holder = value_at(root, path[:-1])
    need = why_idle(around, root, holder) if around is not None else None
    need = need or why_idle(field, root, holder)
    if need is not None:
        said = f"{field.label} is set, but has no effect: {need.reason[0].lower()}{need.reason[1:].rstrip('.')}"
        mend = setting("back to its default", layer, path, declared.default)
        yield Finding(layer.id if layer is not None else "", path, said, (mend,), grave=False)


def range_inverted(known: Facts) -> Iterator[Finding]:
    """The least of a range is above its most."""
    for layer in known.effect.layers:
        for name in CHAPTERS:
            chapter: Part = getattr(layer, name)
            kind: type[Part] = type(chapter)
            for declared in fields_of(kind).values():
                value = getattr(chapter, declared.name)
                if isinstance(value, Range) and not value.choices and value.low > value.high:
                    said = f"{declared.field.label} runs from {value.low:.3g} down to {value.high:.3g}"
                    turned = Range(low=value.high, high=value.low)
                    path = (name, declared.name)
                    yield Finding(layer.id, path, said, (setting("exchange the two", layer, path, turned),))


def speed_without_motion(known: Facts) -> Iterator[Finding]:
    """A speed, while every step puts the particles anew."""
    for layer in known.shown:
        speed = layer.birth.speed
        if layer.outlet.anew and speed != fixed(0.0) and speed != fields_of(Birth)["speed"].default:
            said = f"a speed of {speed.middle:.3g} m/s moves nothing: each step gives the particles new places"
            yield Finding(
                layer.id,
                ("birth", "speed"),
                said,
                (
                    setting("let them move on", layer, ("outlet", "anew"), False),
                    setting("no speed", layer, ("birth", "speed"), fixed(0.0)),
                ),
                grave=False,
            )


def wind_without_drag(known: Facts) -> Iterator[Finding]:
    """Moving air that nothing feels."""
    for layer in known.shown:
        forces = layer.forces
        if forces.drag > 0 or any(isinstance(force, QuadraticDrag) and force.on for force in forces.more):
            continue
        told = [name for name, on in (("wind", any(forces.wind)), ("turbulence", forces.turbulence > 0)) if on]
        told += [force.kind for force in forces.more if isinstance(force, (Gust, Stirring)) and force.on]
        if not told:
            continue
        path: Path = ("forces", told[0]) if told[0] in ("wind", "turbulence") else ("forces", "more")

        def calm(layer: Layer) -> Layer:
            more = tuple(force for force in layer.forces.more if not isinstance(force, (Gust, Stirring)))
            return replace(layer, forces=replace(layer.forces, wind=(0.0, 0.0, 0.0), turbulence=0.0, more=more))

        said = f"{' and '.join(told)} is felt through drag, and drag is 0"
        mends = (setting("a drag of 1.5", layer, ("forces", "drag"), 1.5), changing("no moving air", layer, calm))
        yield Finding(layer.id, path, said, mends)


RULES = (set_but_idle, range_inverted, speed_without_motion, wind_without_drag)
