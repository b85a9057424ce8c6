"""Renaming, moving and removing files of a folder, with every document that names them: all of it or nothing, and undone as one."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from pale_ember.core.effect.renaming import with_file_named
from pale_ember.folder.listing import EffectCard
from pale_ember.formats.disk import write_whole
from pale_ember.formats.document import DocumentError, dumps, loads
from pale_ember.formats.files import read_regular

_MOST = 2**28
"""Bytes of a file that is removed: it must be there again after an undo."""


class FolderChangeError(Exception):
    """A change of a folder that cannot be done, in a sentence; nothing was changed."""


@dataclass(slots=True)
class FolderChange:
    """A change of several files. moved : from where to where. before, after : what files hold; None for none at all."""

    name: str
    moved: dict[Path, Path] = field(default_factory=dict)
    before: dict[Path, bytes | None] = field(default_factory=dict)
    after: dict[Path, bytes | None] = field(default_factory=dict)

    def do(self) -> None:
        """Does it. Raises FolderChangeError."""
        _change(self.moved, self.before, self.after)

    def undo(self) -> None:
        """Takes it back, unless files were changed since. Raises FolderChangeError."""
        _change({new: old for old, new in self.moved.items()}, self.after, self.before)

    @property
    def documents(self) -> list[Path]:
        """The documents that it changes."""
        return [path for path in self.after if path.suffix == ".pale"]


def _content(path: Path) -> bytes | None:
    try:
        return read_regular(path, _MOST)
    except FileNotFoundError:
        return None


def _change(moved: Mapping[Path, Path], before: Mapping[Path, bytes | None], after: Mapping[Path, bytes | None]) -> None:
    try:
        other = next((path for path, data in before.items() if _content(path) != data), None)
    except OSError as fault:
        raise FolderChangeError(f"A file cannot be read ({fault.strerror}); nothing was changed.") from None
    if other is not None:
        raise FolderChangeError(f"{other.name}: it was changed by another program meanwhile; nothing was changed.")
    taken = next((new for old, new in moved.items() if new.exists() or not old.exists()), None)
    if taken is not None:
        raise FolderChangeError(f"{taken.name}: expected a free name, and the file where it was; nothing was changed.")
    done: list[Path] = []
    carried: list[tuple[Path, Path]] = []
    try:
        for old, new in moved.items():
            new.parent.mkdir(parents=True, exist_ok=True)
            os.replace(old, new)
            carried.append((old, new))
        for path, data in after.items():
            _put(path, data)
            done.append(path)
    except OSError as fault:
        for path in done:
            _put(path, before[path])
        for old, new in reversed(carried):
            os.replace(new, old)
        raise FolderChangeError(f"A file cannot be written ({fault.strerror}); nothing was changed.") from None


def _put(path: Path, data: bytes | None) -> None:
    if data is None:
        path.unlink(missing_ok=True)
    else:
        write_whole(path, data)


def wearers(cards: Iterable[EffectCard], name: str) -> list[EffectCard]:
    """The effects that use a file, by its path below the folder."""
    return [card for card in cards if name in card.files]


def moving(folder: Path, cards: Iterable[EffectCard], old: str, new: str) -> FolderChange:
    """A file under another name or in another place, with all that use it. Raises FolderChangeError."""
    new = new.strip().lstrip("/")
    if not new or ".." in Path(new).parts or Path(new).name.startswith("."):
        raise FolderChangeError(f'"{new}": expected a name below the folder; type another.')
    if Path(new).suffix.lower() != Path(old).suffix.lower():
        raise FolderChangeError(f"{new}: expected a name that ends in {Path(old).suffix}; type another.")
    if (folder / new).exists():
        raise FolderChangeError(f"{new}: expected a free name, found a file; type another.")
    change = FolderChange(f"rename {old}", {folder / old: folder / new})
    _rewrite(change, folder, wearers(cards, old), old, new)
    return change


def replacing(folder: Path, cards: Iterable[EffectCard], twins: Iterable[str], new: str) -> FolderChange:
    """Everybody who uses one of some files uses another that holds the same, and they go. Raises FolderChangeError."""
    cards, change = list(cards), FolderChange(f"use only {new}")
    for old in twins:
        gone = removing(folder, old)
        change.before |= gone.before
        change.after |= gone.after
        _rewrite(change, folder, wearers(cards, old), old, new)
    return change


def removing(folder: Path, name: str) -> FolderChange:
    """A file that goes. Raises FolderChangeError."""
    try:
        data = read_regular(folder / name, _MOST)
    except OSError as fault:
        raise FolderChangeError(f"{name}: expected a file that can be read, found {fault.strerror}.") from None
    return FolderChange(f"remove {name}", {}, {folder / name: data}, {folder / name: None})


def _rewrite(change: FolderChange, folder: Path, cards: Iterable[EffectCard], old: str, new: str) -> None:
    for card in cards:
        path = folder / f"{card.name}.pale"
        told = os.path.relpath(folder / new, path.parent)
        if told.startswith(".."):
            at = path.parent.relative_to(folder).as_posix()
            raise FolderChangeError(f"{new}: {card.name} uses it and reads only beside and below itself; move it below {at}.")
        try:
            data = change.before.get(path) or read_regular(path, _MOST)
            effect, _ = loads(change.after.get(path) or data, path)
        except (OSError, DocumentError) as fault:
            raise FolderChangeError(f"{card.name}: it cannot be read ({fault}); nothing was changed.") from None
        was = os.path.relpath(folder / old, path.parent)
        change.before[path], change.after[path] = data, dumps(with_file_named(effect, Path(was).as_posix(), Path(told).as_posix()))
