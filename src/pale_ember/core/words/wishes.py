"""A line of wishes, understood piece by piece: fields with their values, options and pictures by name, and phrases. The longest
piece that means something wins; what means several things has several senses, the nearest first."""

from __future__ import annotations

import functools
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, get_args, get_origin

from pale_ember.core.effect.edit import Path, index_of, layer_of, with_value
from pale_ember.core.effect.fields import Declared, Part, fields_of, why_idle
from pale_ember.core.effect.files import files_of
from pale_ember.core.effect.model import Effect, Layer, Stage
from pale_ember.core.effect.stage import GROUND
from pale_ember.core.effect.story import chapter_of
from pale_ember.core.effect.values import Range
from pale_ember.core.geometry.mesh import SOLID, SOLIDS
from pale_ember.core.insight.search import Entry, FieldPlace, field_entries, ranked, stems
from pale_ember.core.insight.sentences import value_told
from pale_ember.core.texture.library import PICTURES, PREFIX
from pale_ember.core.texture.look_pictures import with_card
from pale_ember.core.words.arithmetic import NotANumber
from pale_ember.core.words.phrases import phrases
from pale_ember.core.words.scene import Scene, Wish, where_of
from pale_ember.core.words.values import value_said

_MOST_WORDS = 4
"""Words of a field's name, or of an option."""
_MOST_VALUES = 9
"""Words of a value: three numbers with signs and units between them."""
_PREFIX = 4
"""Letters from which the beginning of an option stands for it."""


@dataclass(frozen=True, slots=True)
class UnderstoodPiece:
    """A piece of a line, from one place to another, and what it may mean, the likeliest first; nothing where it means nothing."""

    begin: int
    end: int
    senses: tuple[Wish, ...]


def understood(line: str, scene: Scene) -> list[UnderstoodPiece]:
    """The pieces of a line, in order, each understood of the effect as those before it leave it."""
    # Letter by letter, for places in the one are those in the other.
    text = "".join(small if len(small := sign.lower()) == 1 else sign for sign in line)
    scene = replace(scene, line=line)
    pieces: list[UnderstoodPiece] = []
    at = 0
    while at < len(text):
        gap = _GAP.match(text, at)
        if gap is not None and gap.end() > at:
            at = gap.end()
            continue
        end = 0
        senses: list[Wish] = []
        for phrase in (phrases, _pictures, _fields, _options):
            found = phrase(scene, text, at)
            if found is not None and found[1] and found[0] >= end:
                senses = [*senses, *found[1]] if found[0] == end else found[1]
                end = found[0]
        if senses:
            first: dict[tuple, Wish] = {}
            for wish in senses:
                first.setdefault((wish.kind, wish.path), wish)
            senses = list(first.values())
            if scene.chapter:
                senses.sort(key=lambda wish: wish.kind is not Layer or chapter_of(wish.path) != scene.chapter)
            pieces.append(UnderstoodPiece(at, end, tuple(senses)))
            scene = replace(scene, effect=senses[0].does(scene.effect, scene.chosen), last=senses[0].where)
            at = end
            continue
        noise = _NOISE.match(text, at)
        if noise is not None:
            at = noise.end()
            continue
        lost = _WORD.match(text, at)
        end = lost.end() if lost is not None else at + 1
        if pieces and not pieces[-1].senses and not text[pieces[-1].end : at].strip():
            pieces[-1] = UnderstoodPiece(pieces[-1].begin, end, ())
        else:
            pieces.append(UnderstoodPiece(at, end, ()))
        at = end
    return pieces


_GAP = re.compile(r"[\s,.;]+")
_NOISE = re.compile(r"(?:and|then|with|it|its|each|a|an|the|of|is|are|has|in|at|from|to|for|by|on)\b")
"""Words that may stand between two pieces."""
_WORD = re.compile(r"[^\s,;]+")


def done(pieces: Sequence[UnderstoodPiece], scene: Scene, chosen: Mapping[int, int] | None = None) -> Effect:
    """The effect as a line wishes it. chosen : which sense of a piece is meant, by its place in the line, where not the first."""
    effect = scene.effect
    for i, piece in enumerate(pieces):
        if piece.senses:
            effect = piece.senses[(chosen or {}).get(i, 0) % len(piece.senses)].does(effect, scene.chosen)
    return effect


# Fields ------------------------------------------------------------------------------------------------------------


def plain(text: str) -> str:
    """A name without blanks and hyphens."""
    return re.sub(r"[\s\-_]+", "", text.lower())


@functools.cache
def _named() -> dict[str, tuple[Entry, ...]]:
    """Fields by what they are called, in any form of the word."""
    names: dict[str, dict[Entry, None]] = {}
    for entry in field_entries():
        options = get_args(entry.does.declared.type)
        for name in (entry.title, *(word for word in entry.words if word not in options), entry.does.path[-1].replace("_", " ")):
            for form in stems(plain(name)):
                names.setdefault(form, {})[entry] = None
    return {name: tuple(entries) for name, entries in names.items()}


def _words_at(text: str, at: int, most: int) -> list[tuple[str, int]]:
    """The words from a place on, as longer and longer texts with their ends, within what a comma ends."""
    return [(text[at : word.end()], word.end()) for word in _before_comma(_TOKEN.finditer(text, at), most, text, at)]


_TOKEN = re.compile(r"[^\s,;]*[^\s,;.]")
"""A word; a full stop behind it ends the sentence."""


def _before_comma(found: Any, most: int, text: str, at: int) -> list[re.Match[str]]:
    taken: list[re.Match[str]] = []
    for word in found:
        if re.search(r"[,;]", text[(taken[-1].end() if taken else at) : word.start()]) or len(taken) == most:
            break
        taken.append(word)
    return taken


def nearness(place: FieldPlace, scene: Scene) -> int:
    """How near a field is to the hand, 0 the nearest: one that is set or always stands, one that has an effect, one that has none, one
    that is not there."""
    root = scene.root(place.kind)
    held = None if root is None else place.found_in(root)
    if held is None:
        return 3
    path, holder, value = held
    if why_idle(place.declared.field, root, holder) is not None or _in_what_is_idle(root, path):
        return 2
    return 0 if value != place.declared.default or place.declared.field.always else 1


def _in_what_is_idle(root: Any, path: Path) -> bool:
    """Whether a part that holds what stands at a path has no effect as a whole: a beam's fields where there are ribbons."""
    part: Any = root
    for step in path[:-1]:
        kind: type[Part] = type(part)
        if isinstance(step, str) and why_idle(fields_of(kind)[step].field, root, part) is not None:
            return True
        part = part[step] if isinstance(step, int) else getattr(part, step)
    return False


def _wishes(said: Mapping[Entry, str], scene: Scene, name: str = "") -> list[Wish]:
    """What fields of one name are wished to be, by what is said of each, the likeliest first: what has an effect, was touched last, is
    called just so, often has such a value, stands where the hand is, is set; what a layer has before the stage and lists."""
    wishes = {entry: wish for entry, text in said.items() if (wish := field_wish(entry, scene, text)) is not None}

    def likely(entry: Entry) -> tuple:
        place = entry.does
        recent = scene.touched.index(place.path) if place.path in scene.touched else len(scene.touched)
        far, elsewhere = nearness(place, scene), not scene.last or where_of(place.path) != scene.last
        exact = plain(entry.title) in stems(name) if name else True
        unusual = wishes[entry].unusual
        return (far > 1, not exact, recent, unusual, elsewhere, far, len(place.path) > 2, place.kind is not Layer, len(entry.where))

    return [wishes[entry] for entry in sorted(wishes, key=likely)]


def _fields(scene: Scene, text: str, at: int) -> tuple[int, list[Wish]] | None:
    """A field and behind it its value: `rate 40-50`, `gravity = -4`, `loop off`."""
    best: tuple[int, list[Wish]] | None = None
    whose = _WHOSE.match(text, at)
    kind = None if whose is None else Stage if whose[1] == "stage" else Effect
    for name, end in reversed(_words_at(text, at if whose is None else whose.end(), _MOST_WORDS)):
        bare = name.rstrip(":=")
        entries = next((_named()[stem] for stem in stems(plain(bare)) if stem in _named()), ())
        # Any text is a name: it is meant as one only where its field is called in full.
        entries = tuple(
            entry
            for entry in entries
            if (entry.does.declared.type is not str or plain(entry.title) == plain(bare)) and kind in (None, entry.does.kind)
        )
        if not entries:
            continue
        begin = _LINK.match(text, end)
        begin_at = begin.end() if begin is not None else end
        for _, value_end in reversed(_words_at(text, begin_at, _MOST_VALUES)):
            if best is not None and value_end <= best[0]:
                break
            said = {entry: (scene.line if _is_name(entry) else text)[begin_at:value_end] for entry in entries}
            wishes = _wishes(said, scene, plain(bare))
            if wishes:
                best = value_end, wishes
                break
    return best


_WHOSE = re.compile(r"(?:the )?(stage|effect)(?:'s)?\s+(?=\w)")
"""Words that say that no layer's field is meant."""
_LINK = re.compile(r"\s*(?::|=|\bis\b|\bto\b|\bof\b|\bat\b|\bby\b)?\s*")


def field_wish(entry: Entry, scene: Scene, text: str) -> Wish | None:
    """A field with the value that a text means; None where it means none."""
    try:
        return field_said(entry, scene, text)
    except NotANumber:
        return None


def field_said(entry: Entry, scene: Scene, text: str) -> Wish:
    """A field with the value that a text means. Raises NotANumber, which says why it means none."""
    place: FieldPlace = entry.does
    root = scene.root(place.kind)
    held = None if root is None else place.found_in(root)
    declared = place.declared
    if held is None:
        raise NotANumber(f"there is no {declared.field.label} to be set")
    path, holder, now = held
    unit = declared.field.unit_of(holder)
    if _is_name(entry):
        text = _name_said(text, declared, scene)
    value = value_said(_plainly(text, declared), declared, unit, now)

    def does(effect: Effect, chosen: Sequence[str]) -> Effect:
        if place.kind is not Layer:
            below: Path = ("stage",) if place.kind is Stage else ()
            return with_value(effect, (*below, *path), value)
        for identity in chosen:
            layer = layer_of(effect, identity)
            there = place.found_in(layer) if layer is not None else None
            if there is not None:
                own = value_said(_plainly(text, declared), declared, unit, there[2])
                effect = with_value(effect, ("layers", index_of(effect, identity), *there[0]), own)
        return effect

    low, high = declared.field.soft or (-math.inf, math.inf)
    ends = (value.low, value.high) if isinstance(value, Range) else (value,) if isinstance(value, (int, float)) else ()
    return Wish(
        entry.title, entry.where or where_of(place.path), place.kind, place.path, value_told(now, unit), value_told(value, unit) or text,
        does, any(not low <= end <= high for end in ends),
    )  # fmt: skip


def _is_name(entry: Entry) -> bool:
    """Whether a field's value is a name, or several."""
    kind = entry.does.declared.type
    return kind is str or (get_origin(kind) is tuple and get_args(kind)[0] is str)


def _plainly(text: str, declared: Declared) -> str:
    """A value as it is typed into a field of its own: a share of a hundred as a share of one, where the field is a share."""
    shares = declared.field.most == 1 or (declared.field.soft or (0, 0))[1] == 1
    hundredth = re.fullmatch(r"([\d.]+)\s*%", text.strip())
    return f"{float(hundredth[1]) / 100:.6g}" if hundredth and shares and declared.field.unit != "%" else text


def _name_said(text: str, declared: Declared, scene: Scene) -> str:
    """A name as it is kept in a document, of what there is by that name. Raises NotANumber."""
    stage, names = scene.effect.stage, declared.field.names
    layers = {layer.name.lower(): layer.id for layer in scene.effect.layers}
    known: dict[str, dict[str, str]] = {
        "above": layers,
        "spawned": layers,
        "cue": {cue.name.lower(): cue.name for cue in scene.effect.cues},
        "anchor": {each.name.lower(): each.name for each in stage.anchors},
        "prop": {each.name.lower(): each.name for each in stage.props} | {GROUND: GROUND},
        "stand": {each.name.lower(): each.name for each in stage.grounds()},
        "mesh": {name: SOLID + name for name in SOLIDS},
        "picture": {name: PREFIX + name for name in PICTURES},
    }
    if names not in known:
        if not re.fullmatch(r"[\w.-]+", text.strip()):
            raise NotANumber(f'expected a name of one word; found "{text}"')
        return text.strip()
    if text.strip().lower() in known[names]:
        return known[names][text.strip().lower()]
    raise NotANumber(f'expected one of {", ".join(list(known[names])[:6]) or "what there is"}; found "{text}"')


# Options and pictures ----------------------------------------------------------------------------------------------


@functools.cache
def _optional() -> dict[str, tuple[tuple[Entry, str], ...]]:
    """Choices by their words."""
    found: dict[str, list[tuple[Entry, str]]] = {}
    for entry in field_entries():
        if entry.does.kind is Layer and get_origin(entry.does.declared.type) is Literal and len(entry.does.path) <= 3:
            for option in get_args(entry.does.declared.type):
                found.setdefault(plain(option), []).append((entry, option))
    return {word: tuple(pairs) for word, pairs in found.items()}


def _options(scene: Scene, text: str, at: int) -> tuple[int, list[Wish]] | None:
    """A choice by its word alone: `additive`, `disc`, `along mo`."""
    for said, end in reversed(_words_at(text, at, 3)):
        word = plain(said)
        pairs = _optional().get(word) or ()
        if not pairs and len(word) >= _PREFIX:
            begun = [known for known in _optional() if known.startswith(word)]
            pairs = _optional()[begun[0]] if len(begun) == 1 else ()
        if pairs:
            order = dict(pairs)
            wishes = _wishes(order, scene)
            near = [wish for wish in wishes if not _idle(wish, scene)]
            return end, near or wishes
    return None


def _idle(wish: Wish, scene: Scene) -> bool:
    return any(entry.does.path == wish.path and nearness(entry.does, scene) > 1 for entry in _named()[plain(wish.title)])


def _pictures(scene: Scene, text: str, at: int) -> tuple[int, list[Wish]] | None:
    """A picture of the library or the effect, or a file that the effect knows, by its name."""
    begin = _WEARS.match(text, at)
    begin_at = begin.end() if begin is not None else at
    before = Effect(layers=(scene.before,) if scene.before is not None else ())
    files = (*files_of(scene.effect), *files_of(before), *(credit.file for credit in scene.effect.credits))
    known = {name.lower(): name for name in files if ":" not in name}
    known |= {recipe.name.lower(): f"recipe:{recipe.name}" for recipe in scene.effect.recipes}
    known |= {name: PREFIX + name for name in PICTURES}
    for said, end in reversed(_words_at(text, begin_at, 3)):
        name = next((stem for stem in (said, *stems(said)) if stem in known), None)
        if name is not None and scene.layer is not None:
            return end, [_worn(known[name], scene.layer)]
    return None


_WEARS = re.compile(r"(?:picture|texture|card|wears|wearing|worn)\s+")


def _worn(name: str, layer: Layer) -> Wish:
    def does(effect: Effect, chosen: Sequence[str]) -> Effect:
        for identity in chosen:
            worn = layer_of(effect, identity)
            if worn is not None:
                path = ("layers", index_of(effect, identity), "look")
                effect = with_value(effect, path, with_card(worn.look, name, effect.recipes))
        return effect

    told = name.partition(":")[2]
    return Wish("picture", "Look", Layer, ("look", "picture"), layer.look.picture.partition(":")[2], told, does)


# What a field alone may mean ------------------------------------------------------------------------------------------


def senses_of(text: str, scene: Scene, most: int = 8) -> list[Wish]:
    """What a text may mean that is one wish whose field is not called just so: its words are looked for as a search does."""
    words = text.split()
    if plain(text) in _named():
        return []
    for count in range(min(len(words) - 1, _MOST_VALUES), 0, -1):
        value = " ".join(words[-count:])
        fits = ranked(" ".join(words[:-count]), field_entries(), nearness=lambda entry: nearness(entry.does, scene))
        wishes = [
            wish
            for entry in fits[: 3 * most]
            if entry.does.declared.type is not str and nearness(entry.does, scene) <= 2 and (wish := field_wish(entry, scene, value))
        ]
        if wishes:
            return wishes[:most]
    return []
