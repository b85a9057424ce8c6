"""Effects on disk: one UTF-8 JSON file, `name.pale`."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.properties import PROPERTIES
from pale_ember.core.effect.reading import Problem, plain, read, schema
from pale_ember.core.effect.tree import MOST_GENERATIONS, generations, ring_of_riders, ring_of_rules
from pale_ember.core.effect.variants import as_variant
from pale_ember.formats.disk import write_whole
from pale_ember.formats.files import open_regular, read_regular
from pale_ember.formats.migrations import MIGRATIONS

_LINE = 100
"""Signs on one line of a document at most, where there is a choice."""

MOST_BYTES = 64 * 2**20
"""Of a document: the largest that was ever made by hand has one."""

FORMAT = "pale-ember"
VERSION = 4


class DocumentError(Exception):
    """A document that cannot be read. `problems` holds every reason; the message is the first, with its file."""

    def __init__(self, path: Path, problems: list[Problem]) -> None:
        self.path, self.problems = path, problems
        more = len(problems) - 1
        tail = f" (and {more} more: run pale check)" if more else ""
        super().__init__(f"{path.name}: {problems[0]}{tail}")


class _Twice(ValueError):  # noqa: N818 - it names what happened
    pass


def _object(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    fields = dict(pairs)
    if len(fields) < len(pairs):
        names = [name for name, _ in pairs]
        raise _Twice(next(name for name in names if names.count(name) > 1))
    return fields


def load(path: Path) -> tuple[Effect, list[Problem]]:
    """The effect in a file, and notices about it. Raises DocumentError."""
    try:
        data = read_regular(path, MOST_BYTES)
    except FileNotFoundError:
        raise _refused(path, "expected a document, found no such file; check the name") from None
    except OSError as error:
        raise _refused(path, f"expected a readable file, found {error.strerror}; check its rights and place") from None
    return loads(data, path)


def loads(data: bytes, path: Path) -> tuple[Effect, list[Problem]]:
    """The effect in a file's bytes, and notices about it; `path` only names it. Raises DocumentError."""
    raw = _parsed(data, path)
    if raw.get("format") != FORMAT:
        raise _refused(path, f'format: expected "{FORMAT}", found {json.dumps(raw.get("format"))[:60]}; open an effect (.pale)')
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise _refused(path, f"version: expected a whole number from 1 to {VERSION}, found {version!r}; restore the line")
    if version > VERSION:
        raise _refused(path, f"version: expected at most {VERSION}, found {version}; open it with a newer Pale Ember")
    while version < VERSION:
        raw = MIGRATIONS[version](raw)
        version += 1
    body = {name: value for name, value in raw.items() if name not in ("format", "version")}
    effect, problems = read(Effect, _with_ids(body))
    problems += clashes(effect)
    for variant in effect.variants:
        told = f'variants "{variant.name}" '
        problems += [Problem(told + each.place, each.message, each.notice) for each in clashes(as_variant(effect, variant))]
    faults = [problem for problem in problems if not problem.notice]
    if faults:
        raise DocumentError(path, faults)
    return effect, problems


def _refused(path: Path, message: str) -> DocumentError:
    return DocumentError(path, [Problem("", message)])


def _parsed(data: bytes, path: Path) -> dict[str, Any]:
    if not data.strip():
        raise _refused(path, "expected an effect, found an empty file; restore it from a copy or an autosave")
    try:
        raw = json.loads(data.decode("utf-8"), object_pairs_hook=_object)
    except UnicodeDecodeError as error:
        raise _refused(path, f"byte {error.start}: expected UTF-8 text, found other data; open an effect (.pale)") from None
    except json.JSONDecodeError as error:
        place = f"line {error.lineno}, column {error.colno}"
        cut = not data.rstrip().endswith(b"}")
        instead = "the end of the file: it is cut short" if cut else f"something else ({error.msg})"
        raise _refused(path, f"{place}: expected JSON, found {instead}; restore it from a copy or an autosave") from None
    except _Twice as error:
        raise _refused(path, f'field "{error}": expected once in its group, found it twice; remove one') from None
    except RecursionError:
        raise _refused(path, "expected a few levels of brackets, found thousands; this is not an effect") from None
    except ValueError as error:
        raise _refused(path, f"expected JSON, found a value that cannot be read ({error}); correct it") from None
    if not isinstance(raw, dict):
        raise _refused(path, "expected a group of fields in { }, found another JSON value; open an effect (.pale)")
    return raw


def _with_ids(body: dict[str, Any]) -> dict[str, Any]:
    """Layers, bursts, forces, lanes and rules written by hand without numbers get them from their place, and layers
    named by name are found."""
    layers = body.get("layers")
    if not isinstance(layers, list):
        return body
    numbered = [{"id": f"{i + 1:016x}", **layer} if isinstance(layer, dict) else layer for i, layer in enumerate(layers)]
    ids = {each["id"] for each in numbered if isinstance(each, dict) and isinstance(each["id"], str)}
    named = {each["name"]: each["id"] for each in reversed(numbered) if isinstance(each, dict) and _is_text(each.get("name"))}

    def found(name: Any) -> Any:
        return named.get(name, name) if _is_text(name) and name not in ids else name

    for i, layer in enumerate(numbered):
        if not isinstance(layer, dict):
            continue
        for chapter, lists in _NUMBERED.items():
            group = layer.get(chapter)
            if isinstance(group, dict) and isinstance(group.get(lists), list):
                listed = [{"key": k, **each} if isinstance(each, dict) else each for k, each in enumerate(group[lists])]
                if lists == "rules":
                    listed = [{**each, "layer": found(each.get("layer", ""))} if isinstance(each, dict) else each for each in listed]
                layer = {**layer, chapter: {**group, lists: listed}}
        numbered[i] = {**layer, "rides_on": found(layer["rides_on"])} if "rides_on" in layer else layer
    return {**body, "layers": numbered}


_NUMBERED = {"outlet": "bursts", "forces": "more", "life": "more", "offspring": "rules"}
"""The lists whose parts have lasting numbers, by their chapter."""


def _is_text(value: Any) -> bool:
    return isinstance(value, str)


def clashes(effect: Effect) -> list[Problem]:
    """What each part alone cannot see: ids that are not ids, or not one's own."""
    problems = []
    seen: dict[str, str] = {}
    for i, layer in enumerate(effect.layers):
        place = f'layers[{i}] "{layer.name}"'
        if len(layer.id) != 16 or any(c not in "0123456789abcdef" for c in layer.id):
            problems.append(Problem(f"{place}.id", f'expected 16 hexadecimal digits, found "{layer.id}"; remove the field'))
        elif layer.id in seen:
            problems.append(Problem(f"{place}.id", f'expected an id of its own, found that of "{seen[layer.id]}"; remove the field'))
        seen.setdefault(layer.id, layer.name)
        for k, lane in enumerate(layer.life.more):
            axes = PROPERTIES[lane.drives].axes
            if lane.over not in axes:
                some = ", ".join(f'"{axis}"' for axis in axes)
                told = f'expected one of {some} for "{lane.drives}", which moves particles, found "{lane.over}"; choose one'
                problems.append(Problem(f"{place}.life.more[{k}].over", told))
        for chapter, lists in _NUMBERED.items():
            keys = [part.key for part in getattr(getattr(layer, chapter), lists)]
            if len(set(keys)) < len(keys):
                where = f"{place}.{chapter}.{lists}"
                problems.append(Problem(where, f"expected each key once, found {keys}; give each its own"))
    problems += _dangling(effect)
    ring = ring_of_rules(effect)
    if ring:
        told = " spawns ".join(f'"{layer.name}"' for layer in (*ring[:8], ring[0]))
        problems.append(Problem("layers", f"expected no layer to spawn itself in the end, found {told}; remove one of these rules"))
        return problems
    deep = generations(effect)
    last = max(effect.layers, key=lambda layer: deep[layer.id], default=None)
    if last is not None and deep[last.id] >= MOST_GENERATIONS:
        chain = f'{deep[last.id] + 1} up to "{last.name}"'
        told = f"expected at most {MOST_GENERATIONS} layers that spawn each other in a row, found {chain}; remove rules"
        problems.append(Problem("layers", told))
    return problems


def _dangling(effect: Effect) -> list[Problem]:
    """Rules and riders that name no layer, and layers that ride on themselves."""
    by_id = {layer.id: layer for layer in effect.layers}
    problems = []
    for i, layer in enumerate(effect.layers):
        place = f'layers[{i}] "{layer.name}"'
        for k, rule in enumerate(layer.offspring.rules):
            if rule.layer and rule.layer not in by_id:
                told = f'expected the name or id of a layer, found "{rule.layer}"; name one that is there'
                problems.append(Problem(f"{place}.offspring.rules[{k}].layer", told))
        if layer.rides_on and layer.rides_on not in by_id:
            told = f'expected the name or id of a layer, found "{layer.rides_on}"; name one that is there'
            problems.append(Problem(f"{place}.rides_on", told))
    riders = ring_of_riders(effect)
    if riders:
        told = " rides on ".join(f'"{layer.name}"' for layer in (*riders[:8], riders[0]))
        problems.append(Problem("layers", f"expected no layer to ride on itself in the end, found {told}; let one stand by itself"))
    return problems


class Writer:
    """Writes a document again and again: a layer that is still the same value is not laid out anew."""

    def __init__(self) -> None:
        self._layers: dict[str, tuple[Layer, str]] = {}

    def dumps(self, effect: Effect) -> bytes:
        """The bytes of a document."""
        told = {}
        for layer in effect.layers:
            known = self._layers.get(layer.id)
            if known is None or known[0] is not layer:
                known = layer, _laid_out(plain(layer), "    ")
            told[layer.id] = known
        self._layers = told
        raw = {"format": FORMAT, "version": VERSION, **plain(replace(effect, layers=()))}
        rows = ["    " + told[layer.id][1] for layer in effect.layers]
        parts = [
            (name, "[\n" + ",\n".join(rows) + "\n  ]" if name == "layers" and rows else _laid_out(value, "  "))
            for name, value in raw.items()
        ]
        return ("{\n" + ",\n".join(f'  "{name}": {text}' for name, text in parts) + "\n}\n").encode()


def dumps(effect: Effect) -> bytes:
    """The bytes of a document."""
    return Writer().dumps(effect)


def _laid_out(value: Any, indent: str = "") -> str:
    """JSON with one field a line, short groups and lists on one line, so that differences read well."""
    if not isinstance(value, (dict, list)):
        return json.dumps(value, ensure_ascii=False, allow_nan=False)
    inner = indent + "  "
    if isinstance(value, dict):
        rows = [f"{json.dumps(k, ensure_ascii=False)}: {_laid_out(v, inner)}" for k, v in value.items()]
        opens, closes = "{", "}"
    else:
        rows = [_laid_out(item, inner) for item in value]
        opens, closes = "[", "]"
    length = sum(map(len, rows)) + 2 * max(len(rows) - 1, 0) + 2
    if length + len(indent) <= _LINE and not any("\n" in row for row in rows):
        return opens + ", ".join(rows) + closes
    return f"{opens}\n{inner}" + f",\n{inner}".join(rows) + f"\n{indent}{closes}"


def save(effect: Effect, path: Path) -> None:
    """Writes a document; on failure the old file stays whole. Raises OSError."""
    write_whole(path, dumps(effect))


def called(path: Path) -> str:
    """What the effect in a file is called, without reading all of it; its file's name where that cannot be told."""
    try:
        with open_regular(path) as file:
            said = re.search(r'"name":\s*("(?:[^"\\\\]|\\\\.)*")', file.read(600).decode("utf-8", "replace"))
        return json.loads(said[1]) if said else path.stem
    except (OSError, ValueError):
        return path.stem


def document_schema() -> dict[str, Any]:
    """JSON Schema 2020-12 of a document."""
    described = schema(Effect, "Pale Ember effect")
    body = described["$defs"]["Effect"]
    body["properties"] = {
        "format": {"const": FORMAT},
        "version": {"type": "integer", "minimum": 1, "maximum": VERSION},
        **body["properties"],
    }
    body["required"] = ["format", "version"]
    return described


def name_for(effect: Effect, taken: list[str]) -> str:
    """A file name for an effect not yet saved."""
    stem = "".join(c if c.isalnum() else "-" for c in effect.name.lower()).strip("-") or "untitled"
    return free_name(stem, taken) + ".pale"
