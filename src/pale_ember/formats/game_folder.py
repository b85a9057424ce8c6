"""The folder of a game's effects, as far as its documents need to know of it."""

from __future__ import annotations

from pathlib import Path

SHARED = "shared"
"""The folder below that of a game in which what belongs to all lies."""
RULES = "build.json"
"""The rules by which a folder is built."""


def root_of(path: Path) -> Path:
    """The folder of the game that a document, or a folder, belongs to: the nearest above that has rules or shared things; else its
    own."""
    own = path if path.is_dir() else path.parent
    return next((at for at in (own, *own.parents) if (at / RULES).is_file() or (at / SHARED).is_dir()), own)
