"""Plain JSON values to parts and back, by the declarations; and the JSON Schema of it all.

`read` never stops at the first fault: it collects every `Problem`, each saying where, what was expected,
what came, and what to do.
"""

from __future__ import annotations

import functools
import gc
import itertools
import types
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, Union, get_args, get_origin

from pale_ember.core.effect.fields import Declared, Field, Part, fields_of, kinds_of
from pale_ember.core.effect.values import Colour, Curve, Gradient, Key, PerAxis, Range, Slope, Tints, fixed

_PLAIN = Field("", "")


@dataclass(frozen=True, slots=True)
class Problem:
    """Something wrong, or with `notice` something only worth knowing."""

    place: str
    message: str
    notice: bool = False

    def __str__(self) -> str:
        return f"{self.place}: {self.message}" if self.place else self.message


def _shown(value: Any) -> str:
    """What came, short enough for a sentence."""
    if isinstance(value, dict):
        return "a group of fields"
    if isinstance(value, list):
        return f"a list of {len(value)}"
    plain_words = {None: "nothing (null)", True: "true", False: "false"}
    if value is None or isinstance(value, bool):
        return plain_words[value]
    text = f'"{value}"' if isinstance(value, str) else repr(value)
    return text if len(text) <= 60 else text[:57] + "…"


def _bounds(field: Field) -> str:
    unit = f" {field.unit}" if field.unit else ""
    if field.least is not None and field.most is not None:
        return f" from {field.least:g} to {field.most:g}{unit}"
    if field.least is not None:
        return f" of at least {field.least:g}{unit}"
    if field.most is not None:
        return f" of at most {field.most:g}{unit}"
    return ""


class _Reader:
    def __init__(self) -> None:
        self.problems: list[Problem] = []

    def fault(self, place: str, expected: str, came: Any, remedy: str) -> None:
        self.problems.append(Problem(place, f"expected {expected}, found {_shown(came)}; {remedy}"))

    def part(self, kind: type[Part], raw: Any, place: str, around: Field, default: Any) -> Any:
        if kind is Range and isinstance(raw, (int, float)):
            return fixed(self.plain(float, around, 0.0, raw, place))
        if not isinstance(raw, dict):
            self.fault(place, "a group of fields in { }", raw, "restore the group or remove the field")
            return default
        if kinds_of(kind):
            word, kinds = raw.get("kind"), kinds_of(kind)
            if not isinstance(word, str) or word not in kinds:
                some = ", ".join(f'"{known_kind}"' for known_kind in kinds)
                self.fault(f"{place}.kind", f"one of {some}", word, "choose one of these")
                return default
            kind, raw = kinds[word], {name: value for name, value in raw.items() if name != "kind"}
        declared = _asked(kind, around)
        known, unknown = {}, {}
        for name, value in raw.items():
            field = declared.get(name)
            if field is None:
                unknown[name] = value
                there = f"{place}.{name}" if place else name
                self.problems.append(Problem(there, "unknown field, kept as it is", notice=True))
            elif field[1](value):
                known[name] = tuple(value) if type(value) is list else value
            elif field[2] is not None and value is not None:
                there = f"{place}.{name}" if place else name
                known[name] = self.part(field[2], value, there, field[0].field, field[0].default)
            else:
                known[name] = self.value(field[0], value, f"{place}.{name}" if place else name)
        part = kind(**known, unknown=unknown)
        self.check_whole(part, raw, place)
        return part

    def check_whole(self, value: Part, raw: dict, place: str) -> None:
        """Rules between the fields of one part."""
        if isinstance(value, Range) and value.low > value.high:
            self.fault(place, "low not above high", f"{value.low:g} – {value.high:g}", "exchange the two")
        points: tuple | None = value.keys if isinstance(value, Curve) else value.stops if isinstance(value, Gradient) else None
        if points is None:
            return
        if not points:
            self.fault(place, "at least one point", [], "add a point or remove the lane")
        for before, after in itertools.pairwise(points):
            if not before.at < after.at:
                self.fault(
                    place, "points sorted by age, no two at one age", f"{after.at:g} after {before.at:g}", "move or remove one of them"
                )
                return

    def value(self, declared: Declared, raw: Any, place: str) -> Any:
        kind, field, default = declared.type, declared.field, declared.default
        origin = get_origin(kind)
        if origin in (Union, types.UnionType):
            if raw is None:
                return None
            kind = next(arg for arg in get_args(kind) if arg is not type(None))
            origin = get_origin(kind)
        if isinstance(kind, type) and issubclass(kind, Part):
            return self.part(kind, raw, place, field, default)
        if origin is Literal:
            if raw not in get_args(kind) or not isinstance(raw, str):
                self.fault(place, "one of " + ", ".join(f'"{o}"' for o in get_args(kind)), raw, "choose one of these")
                return default
            return raw
        if origin is tuple:
            return self.several(declared, kind, raw, place)
        return self.plain(kind, field, default, raw, place)

    def several(self, declared: Declared, kind: Any, raw: Any, place: str) -> Any:
        args, field = get_args(kind), declared.field
        if args[-1] is not Ellipsis:
            what = "red, green and blue" if field.colour else "three numbers" if len(args) == 3 else "two numbers"
            if not isinstance(raw, list) or len(raw) != len(args):
                self.fault(place, f"a list of {what}", raw, f"give {len(args)} numbers in [ ]")
                return declared.default
            zero = declared.default if isinstance(declared.default, tuple) else (0.0,) * len(args)
            return tuple(self.plain(float, field, zero[i], item, f"{place}[{i}]") for i, item in enumerate(raw))
        if not isinstance(raw, list):
            self.fault(place, "a list in [ ]", raw, "restore the list or remove the field")
            return declared.default
        items: list[Any] = []
        if args[0] in (str, float):
            empty: Any = "" if args[0] is str else 0.0
            return tuple(self.plain(args[0], field, empty, item, f"{place}[{i}]") for i, item in enumerate(raw))
        for i, item in enumerate(raw):
            name = item.get("name") if isinstance(item, dict) else None
            named = f'{place}[{i}] "{name}"' if isinstance(name, str) and name else f"{place}[{i}]"
            items.append(self.part(args[0], item, named, _PLAIN, args[0]()))
        return tuple(items)

    def plain(self, kind: Any, field: Field, default: Any, raw: Any, place: str) -> Any:
        if kind is bool:
            if not isinstance(raw, bool):
                self.fault(place, "true or false", raw, "write true or false")
                return default
            return raw
        if kind is str:
            if not isinstance(raw, str):
                self.fault(place, "a text in quotes", raw, "write a text")
                return default
            return raw
        what = ("a whole number" if kind is int else "a number") + _bounds(field)
        ok = isinstance(raw, (int, float)) and not isinstance(raw, bool) and abs(raw) < 1e38
        if ok and kind is int:
            ok = raw == int(raw)
        if not ok:
            self.fault(
                place, what, raw, "write a number like " + f"{default:g}" if isinstance(default, (int, float)) else "write a number"
            )
            return default
        if (field.least is not None and raw < field.least) or (field.most is not None and raw > field.most):
            near = field.least if field.least is not None and raw < field.least else field.most
            self.fault(place, what, raw, f"the nearest allowed is {near:g}")
            return default
        return kind(raw)


def values_of(kind: type[Part], around: Field) -> dict[str, Declared]:
    """The declared fields of a part; those of a range, a range per axis or a tint take the bounds of the field around."""
    if kind is Range:
        ends = {name: Declared(name, float, around, 0.0) for name in ("low", "high")}
        return ends | {"choices": Declared("choices", tuple[float, ...], around, ())}
    if kind is PerAxis:
        return {name: Declared(name, Range, around, Range()) for name in "xyz"}
    if kind is Tints:
        colour = Field("colour", "Linear RGB.", least=0, most=1e5, colour=True)
        colours = {name: Declared(name, Colour, colour, (1.0, 1.0, 1.0)) for name in ("first", "second")}
        return colours | {"gradient": Declared("gradient", Gradient | None, Field("gradient", "Colours to draw from."), None)}
    return fields_of(kind)


Plainly = Callable[[Any], bool]
"""Whether a raw value can be taken as it is. Where it says no, the value is looked at closely."""


@functools.cache
def _asked(kind: type[Part], around: Field) -> dict[str, tuple[Declared, Plainly, type[Part] | None]]:
    """The fields of a part, each with a quick look that most values of most documents pass, and the kind of part it is."""
    return {
        name: (declared, _quick_look(declared), declared.type if _is_part(declared.type) else None)
        for name, declared in values_of(kind, around).items()
    }


def _is_part(kind: Any) -> bool:
    return isinstance(kind, type) and issubclass(kind, Part)


def _quick_look(declared: Declared) -> Plainly:
    kind, field = declared.type, declared.field
    least = -1e38 if field.least is None else max(field.least, -1e38)
    most = 1e38 if field.most is None else min(field.most, 1e38)
    if kind is bool:
        return lambda raw: raw is True or raw is False
    if kind is str:
        return lambda raw: type(raw) is str
    if kind is int:
        return lambda raw: type(raw) is int and least <= raw <= most
    if kind is float:
        return lambda raw: (type(raw) is float or type(raw) is int) and least <= raw <= most
    if get_origin(kind) is Literal:
        words = frozenset(get_args(kind))
        return lambda raw: type(raw) is str and raw in words
    args = get_args(kind)
    if get_origin(kind) is tuple and args[-1] is not Ellipsis:
        return lambda raw: (
            type(raw) is list
            and len(raw) == len(args)
            and all((type(number) is float or type(number) is int) and least <= number <= most for number in raw)
        )
    return lambda raw: False


def read(kind: type[Part], raw: Any) -> tuple[Any, list[Problem]]:
    """A part made from plain JSON values, and every problem found. Faulty fields carry their defaults."""
    reader = _Reader()
    collects = gc.isenabled()
    # Nothing that is made here is let go again, so there is nothing to collect on the way.
    gc.disable()
    try:
        part = reader.part(kind, raw, "", _PLAIN, kind())
    finally:
        if collects:
            gc.enable()
    return part, reader.problems


def plain(value: Any) -> Any:
    """A part as plain JSON values, unknown fields back in their places."""
    if isinstance(value, Part):
        kind = {"kind": value.kind} if hasattr(value, "kind") and "kind" not in value.__struct_fields__ else {}
        fields = {name: plain(getattr(value, name)) for name in value.__struct_fields__ if name != "unknown"}
        if isinstance(value, Range) and not value.choices:
            del fields["choices"]
        if isinstance(value, Gradient) and value.between == "linear":
            del fields["between"]
        if isinstance(value, Tints) and value.gradient is None:
            del fields["gradient"]
        if isinstance(value, Key) and value.slope == Slope():
            del fields["slope"]
        return kind | fields | value.unknown
    if isinstance(value, tuple):
        return [plain(item) for item in value]
    return value


def schema(kind: type[Part], title: str) -> dict[str, Any]:
    """JSON Schema 2020-12 of a part."""
    definitions: dict[str, Any] = {}
    top = _part_schema(kind, _PLAIN, definitions)
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": title,
        "$ref": top["$ref"],
        "$defs": dict(sorted(definitions.items())),
    }


def _part_schema(kind: type[Part], around: Field, definitions: dict[str, Any]) -> dict[str, Any]:
    if kind is Range:
        number = _number_schema("number", around)
        choices = {"type": "array", "items": number}
        whole = {"type": "object", "properties": {"low": number, "high": number, "choices": choices}}
        return {"anyOf": [whole, number]}
    if kind is PerAxis:
        plain_range = _part_schema(Range, around, definitions)
        return {"type": "object", "properties": dict.fromkeys("xyz", plain_range)}
    if kinds_of(kind):
        tagged = []
        for word, sub in kinds_of(kind).items():
            ref = _part_schema(sub, around, definitions)
            fields = definitions[sub.__name__]
            fields["properties"] = {"kind": {"const": word}, **fields["properties"]}
            fields["required"] = ["kind"]
            tagged.append(ref)
        return {"anyOf": tagged}
    if kind.__name__ not in definitions:
        definitions[kind.__name__] = {}
        text = (kind.__doc__ or "").strip().splitlines()[0]
        properties = {name: _schema_of(plain_range, definitions) for name, plain_range in values_of(kind, around).items()}
        definitions[kind.__name__] = {"type": "object", "description": text, "properties": properties}
    return {"$ref": f"#/$defs/{kind.__name__}"}


def _number_schema(kind: str, field: Field) -> dict[str, Any]:
    described: dict[str, Any] = {"type": kind}
    if field.least is not None:
        described["minimum"] = field.least
    if field.most is not None:
        described["maximum"] = field.most
    return described


def _schema_of(declared: Declared, definitions: dict[str, Any]) -> dict[str, Any]:
    kind, field = declared.type, declared.field
    optional = get_origin(kind) in (Union, types.UnionType)
    if optional:
        kind = next(arg for arg in get_args(kind) if arg is not type(None))
    origin = get_origin(kind)
    described: dict[str, Any]
    if isinstance(kind, type) and issubclass(kind, Part):
        described = dict(_part_schema(kind, field, definitions))
    elif origin is Literal:
        described = {"enum": list(get_args(kind))}
    elif origin is tuple and get_args(kind)[0] in (str, float) and get_args(kind)[-1] is Ellipsis:
        item = {"type": "string"} if get_args(kind)[0] is str else _number_schema("number", field)
        described = {"type": "array", "items": item}
    elif origin is tuple and get_args(kind)[-1] is Ellipsis:
        described = {"type": "array", "items": _part_schema(get_args(kind)[0], _PLAIN, definitions)}
        if get_args(kind)[0].__name__ in ("Key", "Stop"):
            described["minItems"] = 1
    elif origin is tuple:
        count = len(get_args(kind))
        described = {"type": "array", "items": _number_schema("number", field), "minItems": count, "maxItems": count}
    else:
        described = _number_schema({bool: "boolean", str: "string", int: "integer", float: "number"}[kind], field)
    if optional:
        described = {"anyOf": [described, {"type": "null"}]}
    described["description"] = field.help + (f" Unit: {field.unit}." if field.unit else "")
    if declared.default is not None:
        described["default"] = plain(declared.default)
    return described
