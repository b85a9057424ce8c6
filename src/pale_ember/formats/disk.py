"""Files written whole or not at all."""

from __future__ import annotations

import contextlib
import ctypes
import errno
import json
import os
import secrets
import shutil
from collections.abc import Iterator, Mapping, MutableMapping
from pathlib import Path

from pale_ember.formats.files import read_regular


def write_whole(path: Path, data: bytes) -> None:
    """Writes a file so that whatever happens either the old one or the new one is there, whole. A link stays one, and what
    it leads to is written; a new file has the rights that the system gives new files. Raises OSError."""
    path = Path(os.path.realpath(path))
    fresh = _beside(path)
    try:
        _write(fresh, data)
        if path.exists():
            os.chmod(fresh, path.stat().st_mode & 0o777)
        os.replace(fresh, path)
        _kept(path.parent)
    except BaseException:
        fresh.unlink(missing_ok=True)
        raise


_PREFIX = ".pale-"


def _beside(path: Path) -> Path:
    """A short name of this process alone, in the folder of another; what processes that were ended left there is cleared."""
    for left in path.parent.glob(f"{_PREFIX}*-*"):
        number = left.name.removeprefix(_PREFIX).partition("-")[0]
        if number.isdigit() and not Path(f"/proc/{number}").exists():
            _let_go(left)
    return path.parent / f"{_PREFIX}{os.getpid()}-{secrets.token_hex(4)}"


def _let_go(path: Path) -> None:
    if path.is_dir():
        shutil.rmtree(path, ignore_errors=True)
    else:
        path.unlink(missing_ok=True)


def _write(path: Path, data: bytes) -> None:
    with path.open("xb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())


def _kept(folder: Path) -> None:
    """Waits until the names in a folder are on the disk."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        # Some file systems cannot; the names are there as soon as they can.
        with contextlib.suppress(OSError):
            os.fsync(handle)
    finally:
        os.close(handle)


MANIFEST, PACKAGE = "manifest.json", "pale-ember package"
"""What tells a folder that was written whole, and all that was written there, from one of somebody's own."""


class ForeignFiles(OSError):  # noqa: N818 - it is what was found
    """A folder holds what nobody may lose. first : the names of some of it. stays : whether it may stay there beside a package."""

    def __init__(self, path: Path, first: tuple[str, ...], *, stays: bool) -> None:
        super().__init__(errno.EEXIST, "other things: " + ", ".join(first), str(path))
        self.first, self.stays = first, stays


_NAMED = 3
"""Names of foreign files that are told."""


def write_folder(path: Path, files: Mapping[str, bytes], *, beside_others: bool = False) -> None:
    """Writes a package so that whatever happens either the old one or the new one is there, whole. Of what is there already,
    what the manifest of the one before lists is let go, and nothing else: where there is more it refuses, or, with
    `beside_others`, lets that stay. Raises OSError; ForeignFiles for a folder with other things in it."""
    path = Path(os.path.realpath(path))
    others = _others(path)
    if others and not (beside_others and _may_stay(path, others, files)):
        raise ForeignFiles(path, tuple(map(str, others[:_NAMED])), stays=_may_stay(path, others, files))
    fresh = _beside(path)
    try:
        fresh.mkdir()
        for name, data in files.items():
            place = fresh / name
            place.parent.mkdir(parents=True, exist_ok=True)
            _write(place, data)
        for other in others:
            _taken_along(path / other, fresh / other)
        for folder in {fresh, *(each.parent for each in fresh.rglob("*"))}:
            _kept(folder)
        if path.exists():
            _exchanged(fresh, path)
        else:
            os.rename(fresh, path)
        _kept(path.parent)
    finally:
        # The one before, or what was begun.
        shutil.rmtree(fresh, ignore_errors=True)


def _others(path: Path) -> list[Path]:
    """What in a folder is none of a package that was written there, by its path within; the path itself where it is no folder."""
    if not path.is_dir():
        return [Path()] if path.exists() else []
    listed = _listed(path)
    here = [each.relative_to(path) for each in path.rglob("*")]
    return sorted(
        each
        for each in here
        if str(each) not in listed and ((path / each).is_symlink() or not (path / each).is_dir() or not any((path / each).iterdir()))
    )


def _listed(path: Path) -> set[str]:
    """The files of the package in a folder, its manifest among them; none where there is no package of ours."""
    try:
        told = json.loads(read_regular(path / MANIFEST, 2**24))
        return {MANIFEST, *(each["name"] for each in told["files"])} if told["format"] == PACKAGE else set()
    except (OSError, ValueError, KeyError, TypeError, RecursionError):
        return set()


def remove_package(path: Path) -> None:
    """Takes away what the manifest of a package lists, and the folders that are empty then; what else lies there stays."""
    inside = path.resolve()
    for name in _listed(path):
        if (path / name).resolve().is_relative_to(inside):
            (path / name).unlink(missing_ok=True)
    for folder in sorted((each for each in (path, *path.rglob("*")) if each.is_dir()), key=lambda each: -len(each.parts)):
        with contextlib.suppress(OSError):
            folder.rmdir()


def stands_free(path: Path) -> bool:
    """Whether a package can be written into a folder without a question: it is not there, is empty, or holds only a package."""
    return not _others(path)


def _may_stay(path: Path, others: list[Path], files: Mapping[str, bytes]) -> bool:
    """Whether others' things in a folder can stay beside a package: nothing of it has their names."""
    ours = {part for name in files for part in (Path(name), *Path(name).parents)}
    return path.is_dir() and not any((each in ours and not (path / each).is_dir()) or each == Path(MANIFEST) for each in others)


def _taken_along(source: Path, target: Path) -> None:
    """Puts what lies in one folder into another as well."""
    target.parent.mkdir(parents=True, exist_ok=True)
    if source.is_symlink():
        os.symlink(os.readlink(source), target)
    elif source.is_dir():
        target.mkdir(exist_ok=True)
    else:
        try:
            os.link(source, target)
        except OSError:
            shutil.copy2(source, target)


_EXCHANGE, _HERE = 2, -100
"""RENAME_EXCHANGE and AT_FDCWD of renameat2(2)."""


def _exchanged(fresh: Path, path: Path) -> None:
    """Exchanges two folders in one step; where the file system knows no such step, in two. Raises OSError."""
    library = ctypes.CDLL(None, use_errno=True)
    if hasattr(library, "renameat2") and not library.renameat2(
        _HERE, os.fsencode(fresh), _HERE, os.fsencode(path), ctypes.c_uint(_EXCHANGE)
    ):
        return
    if hasattr(library, "renameat2") and ctypes.get_errno() not in (errno.EINVAL, errno.ENOSYS, errno.ENOTSUP):
        raise OSError(ctypes.get_errno(), os.strerror(ctypes.get_errno()), str(path))
    old = _beside(path)
    os.rename(path, old)
    try:
        os.rename(fresh, path)
    except OSError:
        os.rename(old, path)
        raise
    os.rename(old, fresh)


class KeptOnDisk(MutableMapping[str, bytes]):
    """Bytes by key in a folder, as long as there is room for them; what cannot be read or written is not kept."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def __getitem__(self, key: str) -> bytes:
        try:
            return read_regular(self.folder / key)
        except OSError:
            raise KeyError(key) from None

    def __setitem__(self, key: str, data: bytes) -> None:
        with contextlib.suppress(OSError):
            self.folder.mkdir(parents=True, exist_ok=True)
            write_whole(self.folder / key, data)
            kept = sorted(self.folder.iterdir(), key=lambda file: file.stat().st_mtime)
            total = sum(file.stat().st_size for file in kept)
            for file in kept:
                if total <= MOST_KEPT:
                    break
                total -= file.stat().st_size
                file.unlink()

    def __delitem__(self, key: str) -> None:
        (self.folder / key).unlink(missing_ok=True)

    def __iter__(self) -> Iterator[str]:
        return (file.name for file in self.folder.iterdir()) if self.folder.is_dir() else iter(())

    def __len__(self) -> int:
        return sum(1 for _ in self)


MOST_KEPT = 512 * 2**20
"""Bytes of packed textures that are kept; the oldest go first."""
