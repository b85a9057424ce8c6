"""What lies in a folder: its effects, what each is found by, and what it uses."""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

import msgspec

from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.files import files_of, meshes_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.recipe.recipe import RECIPE
from pale_ember.core.insight.effect_cost import seconds_of
from pale_ember.core.texture.library import PICTURES, PREFIX
from pale_ember.formats.document import DocumentError, load
from pale_ember.formats.game_folder import SHARED

MOST_FOLDERS = 20_000
"""Folders that are looked through: somebody's whole home is no folder of effects."""
_ALWAYS = ("blend", "drawn_as", "shape")
"""Choices that are words for an effect also where they are as usual."""


class SeenFinding(msgspec.Struct, frozen=True):
    """What a check found: the rule, where, what it says, and whether something is lost or wrong."""

    rule: str
    where: str
    said: str
    grave: bool


class EffectFigures(msgspec.Struct, frozen=True):
    """What is known of an effect once it was played. key : of what was played. particles : alive at once at most. textures : bytes.
    over : the targets that it is beyond, of targets. picture : the name of its living picture. worn : bytes of each texture, by its name
    in the folder."""

    key: str
    particles: int = 0
    textures: int = 0
    findings: tuple[SeenFinding, ...] = ()
    over: tuple[str, ...] = ()
    targets: tuple[str, ...] = ()
    picture: str = ""
    worn: dict[str, int] = {}


class EffectCard(msgspec.Struct, frozen=True):
    """What is known of an effect without opening it. name : its path below the folder, without ending. stamp : of its file. fault : why
    it cannot be read, in a sentence. words : all by which it is found, in lower case. library : the pictures of the library that it
    wears. files : its pictures and meshes, below the folder. own : the names of its recipes. seconds : of one loop, or until it ends."""

    name: str
    stamp: tuple[int, int]
    fault: str = ""
    title: str = ""
    words: str = ""
    tags: tuple[str, ...] = ()
    library: tuple[str, ...] = ()
    layers: tuple[str, ...] = ()
    files: tuple[str, ...] = ()
    own: tuple[str, ...] = ()
    follows: tuple[str, ...] = ()
    seconds: float = 0.0
    loop: bool = False
    figures: EffectFigures | None = None

    @property
    def problems(self) -> int:
        """How many grave findings there are; a document that cannot be read is one."""
        return bool(self.fault) + sum(each.grave for each in (self.figures.findings if self.figures else ()))


def stamp_of(path: Path) -> tuple[int, int]:
    """What changes when a file does: when it was written, ns, and its bytes. Raises OSError."""
    told = path.stat()
    return told.st_mtime_ns, told.st_size


def _walked(folder: Path, without: Path | None = None) -> Iterator[tuple[Path, list[str]]]:
    """Every folder below one with its files, in order; hidden ones and links that leave it are passed by."""
    inside = folder.resolve()
    for count, (here, folders, files) in enumerate(os.walk(folder)):
        if count >= MOST_FOLDERS:
            return
        at = Path(here)
        folders[:] = sorted(
            name
            for name in folders
            if not name.startswith(".")
            and not (at / name).is_symlink()
            and (without is None or (at / name).resolve() != without.resolve())
        )
        yield (
            at,
            sorted(
                name
                for name in files
                if not name.startswith(".") and (not (at / name).is_symlink() or (at / name).resolve().is_relative_to(inside))
            ),
        )


def effects_in(folder: Path, out: Path | None = None) -> list[str]:
    """The effects below a folder, by their paths without ending; links that leave it, hidden folders, what is shared and what is built in
    `out` are passed by."""
    shared = folder / SHARED
    return [
        (at / name).relative_to(folder).with_suffix("").as_posix()
        for at, names in _walked(folder, out)
        if at != shared and shared not in at.parents
        for name in names
        if name.endswith(".pale")
    ]


def files_in(folder: Path, endings: tuple[str, ...]) -> list[str]:
    """The files below a folder with some endings, by their paths."""
    return [
        (at / name).relative_to(folder).as_posix()
        for at, names in _walked(folder)
        if SHARED not in at.relative_to(folder).parts[:1]
        for name in names
        if name.lower().endswith(endings)
    ]


def read_card(folder: Path, name: str) -> EffectCard:
    """What is known of an effect by reading it. Whatever is wrong with it is told in the card."""
    path = folder / f"{name}.pale"
    try:
        stamp = stamp_of(path)
        effect, _ = load(path)
    except OSError as fault:
        return EffectCard(name, (1, 0), f"{path.name}: expected a readable file, found {fault.strerror}; check its rights")
    except DocumentError as fault:
        return EffectCard(name, stamp, str(fault), title=Path(name).name, words=name.lower())
    here = path.parent.relative_to(folder)
    aside = [effect.stage.picture, effect.stage.reference.file]
    used = [each for each in (*files_of(effect), *meshes_of(effect), *aside) if each and ":" not in each]
    return EffectCard(
        name,
        stamp,
        "",
        effect.name,
        " ".join(dict.fromkeys(_words(effect, name))),
        tuple(dict.fromkeys(layer.tag for layer in effect.layers if layer.tag != "none")),
        tuple(each for each in files_of(effect) if each.startswith(PREFIX)),
        tuple(layer.name for layer in effect.layers),
        tuple(dict.fromkeys((here / each.partition("#")[0]).as_posix() for each in used)),
        tuple(recipe.name for recipe in effect.recipes),
        tuple(dict.fromkeys(each.source for each in effect.follows)),
        seconds_of(effect),
        effect.loop,
    )


def _words(effect: Effect, name: str) -> Iterator[str]:
    """Every word that an effect is found by: its names, what its layers do, wear and are drawn as."""
    yield from (name.lower(), effect.name.lower(), "loop" if effect.loop else "plays once")
    for layer in effect.layers:
        yield layer.name.lower()
        if layer.tag != "none":
            yield layer.tag
        yield from _said(layer)
    for recipe in effect.recipes:
        yield recipe.name.lower()
    for cue in effect.cues:
        yield cue.name.lower()
    for used in files_of(effect):
        plain = used.removeprefix(PREFIX).removeprefix(RECIPE)
        yield plain.lower()
        if plain in PICTURES:
            yield PICTURES[plain].suits.lower()


def _said(part: Part) -> Iterator[str]:
    """What a part says that is not as usual: the names of its fields, and the words that it has chosen."""
    for name, declared in fields_of(type(part)).items():
        value: Any = getattr(part, name)
        field = declared.field
        if field.hidden or (value == declared.default and name not in _ALWAYS):
            continue
        if get_origin(declared.type) is Literal:
            yield str(value)
        elif isinstance(value, Part) and not value.one_value:
            yield from _said(value)
        elif isinstance(value, tuple) and value and isinstance(value[0], Part):
            for each in value:
                yield getattr(each, "kind", field.label)
                yield from _said(each)
        elif value is not None:
            yield field.label
            yield from (word.lower() for word in field.words)
        else:
            assert get_args(declared.type)  # None stands for a lane that is not there


def found(card: EffectCard, query: str) -> bool:
    """Whether an effect fits what is searched: every word somewhere, a figure beyond or below a number (particles > 500)."""
    told = _told(card)
    spaced = query.lower().replace(">", " > ").replace("<", " < ").split()
    i = 0
    while i < len(spaced):
        if i + 2 < len(spaced) and spaced[i + 1] in "<>" and _number(spaced[i + 2]) is not None:
            figure, limit = _figure(card, spaced[i]), _number(spaced[i + 2])
            if figure is None or limit is None or not (figure > limit if spaced[i + 1] == ">" else figure < limit):
                return False
            i += 3
            continue
        if spaced[i] not in told:
            return False
        i += 1
    return True


def _number(text: str) -> float | None:
    try:
        return float(text)
    except ValueError:
        return None


def _figure(card: EffectCard, name: str) -> float | None:
    """A figure of an effect by its name; None where there is none of that name, or it is not known yet."""
    known = card.figures
    if name.startswith("layer"):
        return len(card.layers)
    if name in ("seconds", "length"):
        return card.seconds
    if name.startswith("problem"):
        return card.problems
    if known is None:
        return None
    if name.startswith("particle"):
        return known.particles
    return known.textures / 2**20 if name.startswith(("texture", "memory")) else None


def _told(card: EffectCard) -> str:
    """Everything that is searched of an effect, in lower case."""
    said = [card.words, card.fault.lower(), *card.files, *card.follows]
    if card.fault:
        said.append("unreadable")
    if card.figures is not None:
        said += [f"{each.rule} {each.where} {each.said} problem".lower() for each in card.figures.findings]
        said += [f"over {name}" for name in card.figures.over]
        said += [f"within {name}" for name in card.figures.targets if name not in card.figures.over]
    return " ".join(said)


def summary(cards: Iterable[EffectCard]) -> str:
    """What is to be said of a whole folder: what has problems, what is beyond its targets, what cannot be read."""
    every = list(cards)
    known = [card for card in every if card.figures is not None]
    unread, bad = [card for card in every if card.fault], [card for card in known if card.problems]
    lines = [f"{len(bad)} with problems: {_some(bad)}" if bad else "No problems found." if known else ""]
    targets = list(dict.fromkeys(name for card in known for name in (card.figures.targets if card.figures else ())))
    for name in targets:
        over = [card for card in known if card.figures is not None and name in card.figures.over]
        if over:
            lines.append(f"{len(over)} over {name}: {_some(over)}")
    lines += [f"{len(unread)} cannot be read: {_some(unread)}"] if unread else []
    lines.append(textures_told(known))
    return "\n\n".join(filter(None, lines))


def textures_told(cards: Iterable[EffectCard]) -> str:
    """What the textures of some effects take together, each counted once."""
    worn: dict[str, int] = {}
    for card in cards:
        worn |= card.figures.worn if card.figures is not None else {}
    total = sum(worn.values()) / 2**20
    return f"Together they wear {len(worn)} textures: {total:.1f} MB unpacked, {total / 4:.1f} MB packed." if worn else ""


def _some(cards: list[EffectCard]) -> str:
    names = [card.title or card.name for card in cards[:_NAMED]]
    return ", ".join(names) + (f" and {len(cards) - _NAMED} more" if len(cards) > _NAMED else "")


_NAMED = 6
"""Effects that are named in a line."""
SORTS = ("name", "changed", "particles", "memory", "layers", "problems")


def called(card: EffectCard, query: str) -> bool:
    """Whether an effect is called what is searched, not only found by it."""
    name = f"{card.title} {card.name}".lower()
    return all(word in name for word in query.lower().split())


def sort_key(card: EffectCard, by: str) -> tuple[Any, ...]:
    """By what effects are put in order: by name as written, all else the most first."""
    known = card.figures
    most = {
        "changed": card.stamp[0],
        "particles": known.particles if known else -1,
        "memory": known.textures if known else -1,
        "layers": len(card.layers),
        "problems": card.problems,
    }
    return (-most[by], card.name) if by in most else (card.name.lower(),)
