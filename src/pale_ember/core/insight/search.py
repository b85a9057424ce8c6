"""Finding anything by what people call it: fields, commands, starting points, by label, synonym and trade word."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, get_args, get_origin

from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.fields import Declared, Part, fields_of, inner_part, kinds_of
from pale_ember.core.effect.model import Effect, Layer, Stage


@dataclass(frozen=True, slots=True, eq=False)
class Entry:
    """Something that can be found. title : what it is called. where : what it stands in. words : what else it is called.
    help : one sentence. does : what it is, for whoever goes there. keys : the keys that do the same."""

    title: str
    where: str
    words: tuple[str, ...]
    help: str
    does: Any = None
    keys: str = ""


@dataclass(frozen=True, slots=True)
class FieldPlace:
    """A field of a layer, the stage or the effect, at a path of names below it; in a list, of the first part that has it. owner :
    the kind of part that it is declared in."""

    kind: type[Part]
    path: tuple[str, ...]
    declared: Declared
    owner: type[Part]

    def found_in(self, root: Any) -> tuple[Path, Any, Any] | None:
        """The field's path in `root`, with places in lists, the part that has it, and its value; None where there is none."""
        return _first(root, self.path, self.owner)


def _first(holder: Any, names: tuple[str, ...], owner: type[Part]) -> tuple[Path, Any, Any] | None:
    """The first field at a path of names below a part or a list of parts that stands in a part of the kind `owner`."""
    if isinstance(holder, tuple):
        found = ((i, _first(part, names, owner)) for i, part in enumerate(holder))
        return next((((i, *hit[0]), *hit[1:]) for i, hit in found if hit is not None), None)
    if not isinstance(holder, Part) or names[0] not in fields_of(type(holder)):
        return None
    value = getattr(holder, names[0])
    if len(names) == 1:
        return (names, holder, value) if isinstance(holder, owner) else None
    hit = _first(value, names[1:], owner)
    return None if hit is None else ((names[0], *hit[0]), *hit[1:])


def _below(root: type[Part], kind: type[Part], path: tuple[str, ...], where: tuple[str, ...]) -> Iterator[Entry]:
    for name, declared in fields_of(kind).items():
        field, here = declared.field, (*path, name)
        if field.hidden or (root is Effect and name in ("layers", "stage")):
            continue
        inner = inner_part(declared)
        if inner is None or get_origin(declared.type) is tuple:
            words = (*field.words, *(option for option in get_args(declared.type) if isinstance(option, str)))
            yield Entry(field.label, " › ".join(where), words, field.help, FieldPlace(root, here, declared, kind))
        if inner is not None:
            for part in kinds_of(inner).values() or (inner,):
                word = getattr(part, "kind", "") or field.label
                yield from _below(root, part, here, (*where, word))


@functools.cache
def field_entries() -> tuple[Entry, ...]:
    """Every field that is shown anywhere, a field of a list once for each of its kinds."""
    places = ((Layer, ()), (Stage, ("stage",)), (Effect, ("effect",)))
    entries = [entry for kind, where in places for entry in _below(kind, kind, (), where)]
    seen: dict[tuple, Entry] = {}
    for entry in entries:
        seen.setdefault((entry.where, entry.title, entry.does.path), entry)
    return tuple(seen.values())


@functools.lru_cache(maxsize=1024)
def stems(word: str) -> tuple[str, ...]:
    """A word and what it is a form of: ages, ageing and aged are of age."""
    forms = [word]
    for end, instead in (("ies", "y"), ("es", ""), ("s", ""), ("ing", ""), ("ing", "e"), ("ed", ""), ("ed", "e"), ("er", ""), ("ly", "")):
        if word.endswith(end) and len(word) - len(end) > 1:
            stem = word[: len(word) - len(end)] + instead
            forms += [stem, stem[:-1]] if instead == "" and len(stem) > 3 and stem[-1:] == stem[-2:-1] else [stem]
    return tuple(dict.fromkeys(forms))


def _fit(word: str, texts: tuple[tuple[str, float], ...]) -> float | None:
    """How well a word fits the best of some texts in lower case, each with what it costs to be found there; None where
    it fits none."""
    best = None
    for text, cost in texts:
        if best is not None and cost >= best:
            continue
        if text == word:
            fit = cost
        elif word not in text:
            continue
        elif f" {word} " in f" {text} ":
            fit = cost + 1.0
        elif f" {word}" in f" {text}":
            fit = cost + 1.5
        elif len(word) > 2:
            fit = cost + 4.0
        else:
            continue
        best = fit if best is None else min(best, fit)
    return best


def _fit_any(word: str, texts: tuple[tuple[str, float], ...]) -> float | None:
    """How well a word, or what it is a form of, fits."""
    fit = _fit(word, texts)
    if fit is None:
        found = [also for stem in stems(word)[1:] if (also := _fit(stem, texts)) is not None]
        fit = min(found) + 3.0 if found else None
    return fit


@functools.lru_cache(maxsize=4096)
def _texts(entry: Entry) -> tuple[tuple[tuple[str, float], ...], tuple[tuple[str, float], ...], str]:
    """What an entry is found by, with its cost: its names; all of it; and all of it as one text."""
    names = ((entry.title.lower(), 0.0), *((word.lower(), 0.5) for word in entry.words))
    texts = (*names, (entry.where.lower(), 1.5), (entry.help.lower(), 5.0))
    return names, texts, "\n".join(text for text, _ in texts)


def ranked(query: str, entries: Sequence[Entry], most: int = 60, nearness: Callable[[Entry], int] = lambda entry: 0) -> list[Entry]:
    """The entries that fit a query, the best first: all of it as one name, or each of its words somewhere. Of those that fit alike the
    nearest comes first."""
    whole = " ".join(query.lower().split())
    if not whole:
        return []
    words = whole.split(" ")
    forms = [stems(word) for word in words]
    scored = []
    for place, entry in enumerate(entries):
        names, texts, everything = _texts(entry)
        # Most entries have nothing to do with a query: seen at once, a keystroke costs a third.
        if not all(any(form in everything for form in each) for each in forms):
            continue
        fit = _fit(whole, names)
        if fit is None:
            fits = [_fit_any(word, texts) for word in words]
            if any(found is None for found in fits):
                continue
            fit = 2.0 + sum(found for found in fits if found is not None)
        # What a layer has is meant before what the stage has under the same name, and either before a part of a list.
        field = entry.does if isinstance(entry.does, FieldPlace) else None
        aside = (field is not None and (len(field.path) > 2, field.kind is not Layer)) or (False, False)
        scored.append((fit, nearness(entry), aside, len(entry.where), place, entry))
    scored.sort(key=lambda row: row[:5])
    return [row[5] for row in scored[:most]]
