"""What leaves an effect for a game, as `effect.json`, and the way back: `docs/hand-over.md` says what all of it means."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import DistanceStep, Effect, Layer, Stage
from pale_ember.core.effect.reading import read, schema
from pale_ember.core.effect.stage import Anchor
from pale_ember.core.effect.tree import chain_of, feeds_of
from pale_ember.core.effect.values import Curve, Gradient
from pale_ember.core.insight.distances import changes
from pale_ember.formats.document import clashes

FORMAT, VERSION = "pale-ember hand-over", 1

_LEFT_OUT = ("stage", "variants", "recipes", "credits", "seed_kept", "left", "bakes", "follows")
"""What of an effect stays behind."""
_OF_LAYERS = ("locked", "shares", "tag", "shown")
"""What of a layer stays behind: all that is handed over is shown, or carries or spawns what is."""
_TABLES = ("table", "bands")
"""What may be told besides keys and stops, to be read without computing."""
_UNTOLD: dict[str, tuple[str, ...]] = {"Effect": ("distances",), "Place": ("name",)}
"""By the part that has them, fields that say nothing to a player: what distance steps change is told in whole."""
_SLUG = re.compile("[a-z_][a-z0-9_]*")
MOST_LAYERS = 500
"""Layers of a package: to begin a thousand takes a game ten seconds."""
_BESIDE = ("format", "version", "units", "axes", "places", "layers", "farther", "bounds", "budget", "files")
"""What is told besides an effect's own fields."""
_SAID = ("slug", "told")
"""What a layer tells besides its fields."""


class PackageError(Exception):
    """A package that cannot be used, or made; the message says where, what was expected, what came, what to do."""


def _unplaced(name: str) -> Anchor:
    """An anchor as it leaves: until a game says where it is, it is where the effect is played."""
    return Anchor(name=name, place=(0.0, 0.0, 0.0))


def handed(effect: Effect) -> Effect:
    """The effect as it leaves: shown layers, and those that carry or spawn them; of the stage the names of anchors alone."""
    by_id, feeds = {layer.id: layer for layer in effect.layers}, feeds_of(effect)
    needed: dict[str, None] = {}
    waiting = [layer.id for layer in effect.layers if layer.shown]
    while waiting:
        identity = waiting.pop()
        if identity in needed:
            continue
        needed[identity] = None
        waiting += [link.id for link in chain_of(by_id, by_id[identity])[1:]]
        waiting += [parent.id for parent, _ in feeds.get(identity, [])]
    layers = tuple(_handed(layer, needed) for layer in effect.layers if layer.id in needed)
    names = [anchor.name for anchor in effect.stage.anchors]
    # What a layer stands on here, a game has to give, be it an anchor or a prop.
    names += [name for layer in layers for name in (layer.stands_on, *(place.stands_on for place in layer.places.told)) if name]
    anchors = tuple(_unplaced(name) for name in dict.fromkeys(names))
    stage = Stage(anchors=anchors)
    return replace(
        effect,
        layers=layers,
        stage=stage,
        variants=(),
        recipes=(),
        credits=(),
        left=(),
        bakes=(),
        follows=(),
        seed_kept=False,
        unknown={},
    )


def _handed(layer: Layer, needed: Iterable[str]) -> Layer:
    rules = tuple(rule for rule in layer.offspring.rules if rule.layer in needed)
    if len(rules) < len(layer.offspring.rules):
        layer = replace(layer, offspring=replace(layer.offspring, rules=rules))
    return replace(layer, locked=False, shares=(), tag="none", unknown={})


def slug(name: str, taken: Iterable[str] = ()) -> str:
    """A name that every game and file system takes: small letters, digits and underscores; with a number where it is
    taken."""
    plain = re.sub(r"[^a-z0-9]+", "_", re.sub("['’]", "", name.lower())).strip("_")[:48] or "unnamed"
    plain = f"_{plain}" if plain[0].isdigit() else plain
    taken = set(taken)
    return plain if plain not in taken else next(n for k in range(2, len(taken) + 3) if (n := f"{plain}_{k}") not in taken)


def runtime_form(effect: Effect, told: dict[str, dict[str, Any]] | None = None, *, tables: bool = False) -> dict[str, Any]:
    """The JSON values of an effect that was `handed`. told : by the ids of layers, what was found out of each. tables : whether curves
    and gradients are told as tables as well."""
    own = [name for name in effect.__struct_fields__ if name not in (*_LEFT_OUT, *_UNTOLD["Effect"], "layers", "unknown")]
    fields = {name: _told(getattr(effect, name), tables) for name in own}
    layers, slugs = [], list[str]()
    for layer in effect.layers:
        slugs.append(slug(layer.name, slugs))
        body = {name: value for name, value in _told(layer, tables).items() if name not in _OF_LAYERS}
        drawn = {"drawn": layer.shown}
        layers.append({"slug": slugs[-1], **drawn, **body, "told": (told or {}).get(layer.id, {})})
    return {
        "format": FORMAT,
        "version": VERSION,
        "units": {"length": "m", "time": "s", "angle": "degree", "colour": "linear sRGB primaries, not limited to 1"},
        "axes": "right-handed, Y up",
        **fields,
        "places": [anchor.name for anchor in effect.stage.anchors],
        "layers": layers,
        "farther": [_farther(effect, step, slugs, tables) for step in effect.distances],
    }


def _farther(effect: Effect, step: DistanceStep, slugs: list[str], tables: bool) -> dict[str, Any]:
    """The fields that are otherwise from a distance on, by layer and path."""
    changed, by_id = changes(effect, step), dict(zip((layer.id for layer in effect.layers), slugs, strict=True))
    layers = {by_id[identity]: {path: _told(value, tables) for path, value in own.items()} for identity, own in changed.items()}
    return {"beyond": step.beyond, "layers": layers}


def _told(value: Any, tables: bool) -> Any:
    """A part with all its fields filled in; curves and gradients with the tables they stand for, if wanted."""
    if isinstance(value, Part):
        kind = {"kind": value.kind} if hasattr(value, "kind") and "kind" not in value.__struct_fields__ else {}
        untold = ("unknown", *_UNTOLD.get(type(value).__name__, ()))
        fields = {name: _told(getattr(value, name), tables) for name in value.__struct_fields__ if name not in untold}
        if isinstance(value, Curve) and tables:
            fields["table"] = _numbers(value.table() + _jumped(value))
            fields["bands"] = _numbers(value.band_table())
        if isinstance(value, Gradient) and tables:
            fields["table"] = [_numbers(row) for row in value.table()]
        return kind | fields
    if isinstance(value, tuple):
        return [_told(item, tables) for item in value]
    return value


def _jumped(curve: Curve) -> np.ndarray:
    """(SAMPLES,) what the jumps of a curve add to its table."""
    places = np.linspace(0.0, 1.0, len(curve.table()))
    return np.sum([by * (places >= at) for at, by in curve.jumps()], axis=0) if curve.jumps() else np.zeros(len(places))


def _numbers(values: np.ndarray) -> list[float]:
    """Numbers as short as float32 can be told."""
    return [float(str(number)) for number in np.asarray(values, np.float32)]


def effect_of(raw: Any) -> Effect:
    """The effect of a runtime form. Raises PackageError."""
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise PackageError(f'effect.json: expected "format": "{FORMAT}", found another file; hand the effect over again')
    if raw.get("version") != VERSION:
        raise PackageError(f"effect.json: expected version {VERSION}, found {raw.get('version')!r}; hand it over again")
    for name, kind, needed in (("layers", list, True), ("places", list, True), ("farther", list, False), ("files", dict, False),
                               ("bounds", dict, False), ("budget", dict, False)):  # fmt: skip
        if not isinstance(raw.get(name, None if needed else kind()), kind):
            what = "a list" if kind is list else "a group in { }"
            raise PackageError(f"effect.json: {name}: expected {what}, found none; hand the effect over again")
    if len(raw["layers"]) > MOST_LAYERS:
        raise PackageError(f"effect.json: layers: expected at most {MOST_LAYERS}, found {len(raw['layers'])}; hand over fewer at a time")
    known = {name for name in Effect.__struct_fields__ if name not in (*_LEFT_OUT, "unknown")}
    strange = next((name for name in raw if name not in known and name not in _BESIDE), None)
    if strange is not None:
        raise PackageError(f'effect.json: expected fields that this version knows, found "{strange[:40]}"; remove it')
    _check_slugs(raw["layers"])
    body = {name: _plain(value) for name, value in raw.items() if name in known}
    body["layers"] = [
        {"shown": layer.get("drawn", True), **{k: v for k, v in layer.items() if k not in (*_SAID, "drawn")}}
        if isinstance(layer, dict)
        else layer
        for layer in body["layers"]
    ]
    effect, problems = read(Effect, body)
    # Here a field that nobody knows is a fault as well: a package holds all that is known, and nothing else.
    problems += clashes(effect)
    if problems:
        raise PackageError(f"effect.json: {problems[0]}")
    anchors = tuple(_unplaced(str(name)) for name in raw["places"])
    return replace(effect, stage=Stage(anchors=anchors))


def _check_slugs(layers: list[Any]) -> None:
    """Raises PackageError where layers have not each a name of their own as games take it."""
    slugs: list[str] = []
    for i, layer in enumerate(layers):
        name = layer.get("slug") if isinstance(layer, dict) else None
        if not isinstance(name, str) or not _SLUG.fullmatch(name) or name in slugs:
            found = f'"{name[:40]}"' if isinstance(name, str) else "none"
            raise PackageError(
                f"effect.json: layers[{i}].slug: expected small letters, digits and _, each once, found {found}; correct it"
            )
        slugs.append(name)


def _plain(value: Any) -> Any:
    """JSON values without the tables beside keys and stops."""
    if isinstance(value, dict):
        drops = _TABLES if "keys" in value or "stops" in value else ()
        return {name: _plain(inner) for name, inner in value.items() if name not in drops}
    if isinstance(value, list):
        return [_plain(inner) for inner in value]
    return value


def runtime_schema() -> dict[str, Any]:
    """JSON Schema 2020-12 of effect.json: every field is there, and no other."""
    described = schema(Effect, "Pale Ember hand-over")
    definitions = described["$defs"]
    numbers = {"type": "array", "items": {"type": "number"}}
    definitions["Curve"]["properties"] |= {
        "table": numbers | {"description": "256 samples from one end of the axis to the other, a convenience."},
        "bands": numbers | {"description": "Half the band's width at the same places."},
    }
    definitions["Gradient"]["properties"]["table"] = {
        "type": "array",
        "items": numbers | {"minItems": 3, "maxItems": 3},
        "description": "256 colours, a convenience.",
    }
    effect, layer = definitions["Effect"]["properties"], definitions["Layer"]["properties"]
    for name in (*_LEFT_OUT, *_UNTOLD["Effect"]):
        del effect[name]
    for name in _UNTOLD["Place"]:
        del definitions["Place"]["properties"][name]
    for name in _OF_LAYERS:
        del layer[name]
    layer |= {
        "slug": {"type": "string", "pattern": f"^{_SLUG.pattern}$", "description": "Its name for games."},
        "drawn": {"type": "boolean", "description": "Whether it is drawn; else it only carries or spawns others."},
        "told": {"type": "object", "description": "What was measured: most alive, times, bounds, the outline of its picture."},
    }
    told: dict[str, dict[str, Any]] = {
        "format": {"const": FORMAT}, "version": {"const": VERSION}, "units": {"type": "object"}, "axes": {"type": "string"},
        "places": {"type": "array", "items": {"type": "string"}, "description": "Names of places that a game gives."},
        "bounds": {"type": "object", "description": "Boxes around all that is drawn, moment by moment."},
        "budget": {"type": "object", "description": "What it costs: particles, bytes, pictures."},
        "farther": {"type": "array", "items": {"type": "object"},
                    "description": "For each distance step what is otherwise beyond it: layers by slug, values by chapter.field."},
        "files": {"type": "object", "description": "By its name in the package what is known of each texture and mesh."},
    }  # fmt: skip
    definitions["Effect"]["properties"] = told | effect
    reached = _reached(described)
    for name in [name for name in definitions if name not in reached]:
        del definitions[name]
    for name, body in definitions.items():
        body["required"] = sorted(set(body["properties"]) - set(_TABLES))
        body["additionalProperties"] = False
        if name == "Effect":
            body["required"] = [each for each in body["required"] if each not in ("bounds", "budget", "files", "farther")]
    return described


def _reached(described: dict[str, Any]) -> set[str]:
    """The names of the definitions that a schema leads to."""
    definitions, reached, waiting = (described["$defs"], set[str](), [part for name, part in described.items() if name != "$defs"])
    while waiting:
        part = waiting.pop()
        if isinstance(part, dict):
            waiting += part.values()
        elif isinstance(part, list):
            waiting += part
        elif isinstance(part, str) and part.startswith("#/$defs/"):
            name = part.rpartition("/")[2]
            if name not in reached:
                reached.add(name)
                waiting.append(definitions[name])
    return reached


def json_bytes(value: Any) -> bytes:
    """JSON that is the same bytes for the same values, lists of numbers on one line."""
    text = json.dumps(value, indent=1, ensure_ascii=False, allow_nan=False)
    short = re.sub(r"\[\s+([-\d.e+,\s]*?)\s+\]", lambda m: "[" + re.sub(r"\s+", " ", m[1]) + "]", text)
    return (short + "\n").encode()
