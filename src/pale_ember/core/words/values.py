"""What is said of a field in words, as the value it means: the same wherever it is typed."""

from __future__ import annotations

import re
from typing import Any, Literal, get_args, get_origin

from msgspec.structs import replace

from pale_ember.core.effect.fields import Declared, Field
from pale_ember.core.effect.values import Colour, Curve, Gradient, Key, PerAxis, Range, Stop, Tints
from pale_ember.core.insight.colours import colour_said
from pale_ember.core.words.arithmetic import NotANumber, number_from, range_said

_YES, _NO = ("on", "yes", "true"), ("off", "no", "false")


def within(field: Field, value: float, *, whole: bool) -> float:
    """The nearest value that nature and memory allow of a field."""
    if field.least is not None:
        value = max(value, field.least)
    if field.most is not None:
        value = min(value, field.most)
    return round(value) if whole else value


def value_said(text: str, declared: Declared, unit: str, now: Any) -> Any:
    """The value of a field that a text means, within the field's limits. Raises NotANumber, in words that say why not."""
    kinds = [kind for kind in get_args(declared.type) if kind is not type(None)]
    kind = kinds[0] if type(None) in get_args(declared.type) else declared.type
    field = declared.field
    if get_origin(kind) is Literal:
        return _option(text, get_args(kind))
    if kind is bool:
        plain = text.strip().lower()
        if plain not in (*_YES, *_NO):
            raise NotANumber(f'expected on or off, found "{text}"')
        return plain in _YES
    if kind is str:
        return text
    if get_origin(kind) is tuple and get_args(kind)[0] is str:
        return (text,)
    if kind in (int, float):
        return within(field, number_from(text, unit, now if now is not None else 0.0), whole=kind is int)
    if kind is Range:
        return range_said(text, unit, now, lambda value: within(field, value, whole=field.whole))
    if kind is PerAxis:
        parts = text.replace(",", " ").replace(";", " ").split()
        each = parts if len(parts) == 3 and not any(part in ("-", "–", "±", "to") for part in parts) else [text] * 3
        limited = lambda value: within(field, value, whole=False)  # noqa: E731
        axes = zip("xyz", each, strict=True)
        return replace(now, **{axis: range_said(part, unit, getattr(now, axis), limited) for axis, part in axes})
    if kind is Curve:
        return curve_said(text)
    if kind is Gradient:
        return gradient_said(text)
    if kind is Tints:
        first, last = (lambda colours: (colours[0], colours[-1]))(_colours_said(text))
        return Tints(first=first, second=last)
    if field.colour:
        return _colours_said(text)[0]
    if get_origin(kind) is tuple and get_args(kind)[-1] is not Ellipsis:
        return vector_said(text, unit, now, lambda value: within(field, value, whole=False))
    raise NotANumber(f"{field.label} cannot be typed here")


def evenly(values: list[float]) -> tuple[Key, ...]:
    """Keys of a curve that goes through some values at even steps."""
    last = max(len(values) - 1, 1)
    return tuple(Key(at=round(i / last, 4), value=value) for i, value in enumerate(values))


def curve_said(text: str) -> Curve:
    """A curve by the values it goes through: `0.5 to 1 to 0`. Raises NotANumber."""
    parts = re.split(r"\s*(?:\bto\b|→|,)\s*", text.strip())
    if len(parts) < 2:
        raise NotANumber("expected the values that the curve goes through, such as 0.5 to 1 to 0")
    return Curve(keys=evenly([number_from(part, "", 1.0) for part in parts]))


def gradient_said(text: str) -> Gradient:
    """Colours at even steps: `black to orange to white`. Raises NotANumber."""
    colours = _colours_said(text)
    last = max(len(colours) - 1, 1)
    return Gradient(stops=tuple(Stop(at=round(i / last, 4), colour=colour) for i, colour in enumerate(colours)))


def _colours_said(text: str) -> list[Colour]:
    """Colours one after the other. Raises NotANumber."""
    told = [colour_said(part) for part in re.split(r"\s*(?:\bto\b|→|-(?=#)|\band\b)\s*", text.strip().lower())]
    if any(colour is None for colour in told):
        raise NotANumber(f'expected a colour, such as orange, #ff8020 or 1 0.4 0.1 in linear light; found "{text}"')
    return [colour for colour in told if colour is not None]


def vector_said(text: str, unit: str, now: tuple[float, ...], limited: Any) -> tuple[float, ...]:
    """All numbers of a vector, told one after the other, or one alone for the height. Raises NotANumber."""
    told = re.split(r"[,;\s]+", text.strip())
    which = {1: (1,), len(now): tuple(range(len(now)))}.get(len(told))
    if which is None:
        raise NotANumber(f"expected one number for the height, or {len(now)}, found {len(told)}")
    changed = list(now)
    for i, each in zip(which, told, strict=True):
        changed[i] = limited(number_from(each, unit, now[i]))
    return tuple(changed)


def _option(text: str, options: tuple[str, ...]) -> str:
    """The option that a text begins, hyphens and spaces aside; one that is meant whole before others."""
    plain = _plain(text)
    begun = [option for option in options if plain and _plain(option).startswith(plain)]
    whole = [option for option in begun if _plain(option) == plain]
    if len(whole or begun) != 1:
        raise NotANumber(f'expected one of {", ".join(begun or options)}; found "{text}"')
    return (whole or begun)[0]


def _plain(text: str) -> str:
    return re.sub(r"[\s\-]+", "", text.lower())
