"""What is said of a field in words, as the value it means: the same wherever it is typed without an editor."""

from __future__ import annotations

import re
from typing import Any, Literal, get_args, get_origin

from msgspec.structs import replace

from pale_ember.core.effect.fields import Declared
from pale_ember.core.effect.values import PerAxis, Range
from pale_ember.studio.controls.arithmetic import NotANumber, number_from, range_said
from pale_ember.studio.controls.number import within

_YES, _NO = ("on", "yes", "true"), ("off", "no", "false")


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
    if get_origin(kind) is tuple and get_args(kind)[-1] is not Ellipsis and not field.colour:
        return vector_said(text, unit, now, lambda value: within(field, value, whole=False))
    raise NotANumber(f"{field.label} cannot be typed here")


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
