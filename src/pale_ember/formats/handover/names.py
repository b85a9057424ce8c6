"""The names that a game knows, as its programmers list them."""

from __future__ import annotations

from pathlib import Path

import msgspec

from pale_ember.formats.files import read_regular
from pale_ember.formats.handover.runtime import PackageError

MOST_BYTES = 2**20
"""Of a list of names."""


def names_in(path: Path) -> list[str]:
    """The names in a file, each once: a JSON list, or one a line, # before what is none. Raises PackageError."""
    try:
        text = read_regular(path, MOST_BYTES).decode("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        found = getattr(error, "strerror", None) or "other data"
        raise PackageError(f"{path}: expected a text with the names that the game knows, found {found}; check the name") from None
    lines = (line.strip() for line in text.splitlines())
    names = [line for line in lines if line and not line.startswith("#")]
    if text.lstrip().startswith("["):
        try:
            names = msgspec.json.decode(text, type=list[str])
        except msgspec.DecodeError:
            raise PackageError(f"{path}: expected a JSON list of names, found something else; correct it") from None
    return list(dict.fromkeys(names))
