"""Files that cannot be used, told once each, and told once more when they can."""

from __future__ import annotations

from collections.abc import Callable

from pale_ember.formats.shelf import Shelf


class FileFaults:
    """Says what is amiss with a document's files when it comes and when it goes; between, the line is free for help."""

    def __init__(self, say: Callable[[str], object]) -> None:
        self._say = say
        self._shelf: Shelf | None = None
        self._told: dict[str, str] = {}

    def tell(self, shelf: Shelf) -> None:
        """Says what has changed since the last time; of another document's shelf nothing was said yet."""
        before, faults = (self._told if shelf is self._shelf else {}), dict(shelf.faults)
        self._shelf, self._told = shelf, faults
        new = [why for name, why in faults.items() if before.get(name) != why]
        if new:
            self._say(new[0])
        elif mended := before.keys() - faults.keys():
            self.taken(sorted(mended))

    def taken(self, names: list[str]) -> None:
        """Says that another program changed files."""
        self._say(f"{', '.join(names)}: changed on disk, and taken again.")
