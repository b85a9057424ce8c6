"""What artists keep as their own, for every document: shapes of curves, layers, chapters. A file each, as JSON."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar
from urllib.parse import quote, unquote

from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.effect.starting_points import Start
from pale_ember.formats.disk import write_whole
from pale_ember.formats.files import read_regular
from pale_ember.formats.starts import starts
from pale_ember.machine.user_folders import NAME, data_home

OWN = "your own"
"""What starting points of the artist's own are for."""

Kept = TypeVar("Kept", bound=Part)


def _folder(shelf: str) -> Path:
    return data_home() / NAME / "own" / shelf


def _file(shelf: str, name: str) -> Path:
    return _folder(shelf) / f"{quote(name, safe=' ')}.json"


def keep_own(shelf: str, name: str, part: Part) -> None:
    """Keeps a part under a name; another of that name is replaced. Raises OSError."""
    _folder(shelf).mkdir(parents=True, exist_ok=True)
    write_whole(_file(shelf, name), json.dumps(plain(part), indent=1).encode())


def drop_own(shelf: str, name: str) -> None:
    """Forgets a part that was kept."""
    _file(shelf, name).unlink(missing_ok=True)


def own_parts(shelf: str, kind: type[Kept]) -> dict[str, Kept]:
    """All that was kept on a shelf, by name; what cannot be read is left out."""
    kept: dict[str, Kept] = {}
    for path in sorted(_folder(shelf).glob("*.json")):
        try:
            raw: Any = json.loads(read_regular(path, 2**24))
        except (OSError, ValueError, RecursionError):
            continue
        part, problems = read(kind, raw)
        if all(problem.notice for problem in problems):
            kept[unquote(path.stem)] = part
    return kept


def every_start() -> dict[str, Start]:
    """All starting points by name: the artist's own first."""

    def kept_one(layer: Layer) -> Start:
        return Start(OWN, f"{layer.name}, saved by you.", lambda: (layer,))

    kept = {name: kept_one(layer) for name, layer in own_parts("layers", Layer).items()}
    return {**kept, **{name: start for name, start in starts().items() if name not in kept}}


def starts_by_word() -> dict[str, Callable[[], tuple[Layer, ...]]]:
    """What makes the layers of each starting point, by its name and by each word for it."""
    every = every_start()
    by_word = {word: start.make for start in reversed(every.values()) for word in start.words}
    return {**{name: start.make for name, start in every.items()}, **{word: make for word, make in by_word.items() if word not in every}}
