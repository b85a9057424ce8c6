"""Files read from disk: regular ones alone, and never more than there is room for."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path
from typing import BinaryIO

MOST_ROOM = 2**30
"""Bytes that one file may become in memory: a small file can ask for more than any machine has."""

_PIECE = 2**20

_KINDS = {
    stat.S_IFDIR: "a folder",
    stat.S_IFIFO: "a named pipe",
    stat.S_IFCHR: "a device",
    stat.S_IFBLK: "a device",
    stat.S_IFSOCK: "a socket",
}


def open_regular(path: Path) -> BinaryIO:
    """A regular file, opened for reading; anything else might never answer. Raises OSError, whose `strerror` says what was
    found."""
    # Without waiting: a pipe that nobody writes to would be waited for for ever.
    handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    kind = stat.S_IFMT(os.fstat(handle).st_mode)
    if kind != stat.S_IFREG:
        os.close(handle)
        raise OSError(errno.EINVAL, _KINDS.get(kind, "what is no file"), str(path))
    return os.fdopen(handle, "rb")


def read_regular(path: Path, most: int = MOST_ROOM) -> bytes:
    """All of a regular file of at most so many bytes. Raises OSError, whose `strerror` says what was found."""
    with open_regular(path) as file:
        pieces, size = [], 0
        while piece := file.read(_PIECE):
            size += len(piece)
            if size > most:
                raise OSError(errno.EFBIG, f"more than {most // 2**20} MB", str(path))
            pieces.append(piece)
    return b"".join(pieces)


def stamp_of(path: Path | None) -> tuple[int, ...] | None:
    """What differs once a file was written again; None where there is none."""
    if path is None:
        return None
    try:
        told = path.stat()
    except (OSError, ValueError):
        return None
    return told.st_mtime_ns, told.st_size, told.st_ino


def room_told(size: float) -> str:
    """Bytes, in words: `1.4 GB`, `340 MB`, `0.3 MB`."""
    if size >= 2**30:
        return f"{size / 2**30:.1f} GB"
    return f"{size / 2**20:.{int(size < 10 * 2**20)}f} MB"
