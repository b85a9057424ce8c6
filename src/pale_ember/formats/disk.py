"""Files written whole or not at all."""

from __future__ import annotations

import contextlib
import os
import shutil
import tempfile
from collections.abc import Iterator, Mapping, MutableMapping
from pathlib import Path


def write_whole(path: Path, data: bytes) -> None:
    """Writes a file so that whatever happens either the old one or the new one is there, whole. A link stays one, and what
    it leads to is written. Raises OSError."""
    path = Path(os.path.realpath(path))
    handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(name, path.stat().st_mode & 0o777 if path.exists() else 0o644)
        os.replace(name, path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


MARK = "manifest.json"
"""What tells a folder that was written whole from one of somebody's own."""


class NotOurs(OSError):  # noqa: N818 - it is what was found
    """A folder holds what nobody may lose."""


def write_folder(path: Path, files: Mapping[str, bytes]) -> None:
    """Writes a folder of files so that whatever happens either the old one or the new one is there, whole. The one before is
    let go if it was written so, or is empty. Raises OSError; NotOurs for a folder with other things in it."""
    path = Path(os.path.realpath(path))
    if path.exists() and (not path.is_dir() or (any(path.iterdir()) and not (path / MARK).is_file())):
        raise NotOurs(17, "something else is there", str(path))
    fresh = Path(tempfile.mkdtemp(prefix=f".{path.name}.", dir=path.parent))
    try:
        for name, data in files.items():
            place = fresh / name
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_bytes(data)
        os.chmod(fresh, 0o755)
        _swapped(fresh, path)
    except BaseException:
        shutil.rmtree(fresh, ignore_errors=True)
        raise


def _swapped(fresh: Path, path: Path) -> None:
    """Puts a folder in the place of another, which is let go; it is there again where that fails. Raises OSError."""
    if not path.exists():
        os.rename(fresh, path)
        return
    old = Path(tempfile.mkdtemp(prefix=f".{path.name}.old.", dir=path.parent))
    try:
        os.rename(path, old / "before")
        try:
            os.rename(fresh, path)
        except OSError:
            os.rename(old / "before", path)
            raise
    finally:
        # What could not be put back stays where it is: nothing is lost.
        if path.exists():
            shutil.rmtree(old, ignore_errors=True)


class KeptOnDisk(MutableMapping[str, bytes]):
    """Bytes by key in a folder, as long as there is room for them; what cannot be read or written is not kept."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def __getitem__(self, key: str) -> bytes:
        try:
            return (self.folder / key).read_bytes()
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
