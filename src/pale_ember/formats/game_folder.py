"""The folder of a game's effects, as far as its documents need to know of it."""

from __future__ import annotations

import json
from pathlib import Path

from pale_ember.formats.files import read_regular

SHARED = "shared"
"""The folder below that of a game in which what belongs to all lies."""
SHELVES = ("starts", "recipes", "shapes", "gradients", "stages", "chapters")
"""What lies in it, a folder each; a folder of that name without any of them is somebody else's."""
RULES = "build.json"
"""The rules by which a folder is built."""
RULED = frozenset({"allow"})
"""What rules may say."""


def root_of(path: Path) -> Path:
    """The folder of the game that a document, or a folder, belongs to: the nearest above that has rules or shared things; else its
    own."""
    own = path if path.is_dir() else path.parent
    if own.name in SHELVES and own.parent.name == SHARED:
        return own.parent.parent
    return next((at for at in (own, *own.parents) if _shares(at) or _rules(at)), own)


def _shares(folder: Path) -> bool:
    shared = folder / SHARED
    return shared.is_dir() and any((shared / shelf).is_dir() for shelf in SHELVES)


def _rules(folder: Path) -> bool:
    """Whether a folder has rules, and not somebody else's file of that name."""
    if not (folder / RULES).is_file():
        return False
    try:
        told = json.loads(read_regular(folder / RULES, 2**16))
    except (OSError, ValueError, RecursionError):
        return False
    return isinstance(told, dict) and set(told) <= RULED
