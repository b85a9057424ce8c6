"""What artists keep: their own things, for every document, and those that a folder shares: shapes of curves, layers, chapters, colours,
pictures, stages. A file each, as JSON."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from PyQt6.QtWidgets import QInputDialog, QMenu, QMessageBox, QWidget

from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.starting_points import Start
from pale_ember.folder.shared import STARTS, SharedFolder, part_place, parts_below, write_part
from pale_ember.formats.starts import starts
from pale_ember.machine.user_folders import NAME, data_home

OWN, SHARED = "your own", "the folder's"
"""What starting points of the artist's own, and those that a folder shares, are for."""

Kept = TypeVar("Kept", bound=Part)


_shared: list[SharedFolder] = []
"""What the folder of the open document shares, if it has a folder."""


def use_shared(root: Path | None) -> None:
    """Takes what a folder shares from now on; None takes nothing."""
    _shared[:] = [] if root is None else [SharedFolder(root)]


def shared_folder() -> SharedFolder | None:
    """What the folder of the open document shares; None where it has no folder."""
    return _shared[0] if _shared else None


def _folder(shelf: str) -> Path:
    return data_home() / NAME / "own" / shelf


def keep_own(shelf: str, name: str, part: Part) -> None:
    """Keeps a part under a name; another of that name is replaced. Raises OSError."""
    write_part(part_place(_folder(shelf), name), part)


def drop_own(shelf: str, name: str) -> None:
    """Forgets a part that was kept."""
    part_place(_folder(shelf), name).unlink(missing_ok=True)


def own_parts(shelf: str, kind: type[Kept]) -> dict[str, Kept]:
    """All that the artist kept on a shelf, by name."""
    return parts_below(_folder(shelf), kind)


def kept_parts(shelf: str, kind: type[Kept]) -> dict[str, Kept]:
    """All on a shelf by name: what the folder shares, and the artist's own before it."""
    shared = shared_folder()
    return {**(shared.parts(shelf, kind) if shared is not None else {}), **own_parts(shelf, kind)}


def shared_start(name: str) -> Effect | None:
    """The document of a starting point that the folder shares; None where the name means none of these."""
    shared = shared_folder()
    known = shared is not None and name in shared.names(STARTS) and name not in own_parts("layers", Layer)
    return shared.start(name) if shared is not None and known else None


def every_start() -> dict[str, Start]:
    """All starting points by name: the artist's own first, then those of the folder."""

    def kept_one(layer: Layer) -> Start:
        return Start(OWN, f"{layer.name}, saved by you.", lambda: (layer,))

    def shared_one(effect: Effect) -> Start:
        return Start(SHARED, f"{', '.join(layer.name for layer in effect.layers)}; layers made of it follow it.", lambda: effect.layers)

    kept = {name: kept_one(layer) for name, layer in own_parts("layers", Layer).items()}
    shared = shared_folder()
    for name in shared.names(STARTS) if shared is not None else ():
        effect = shared.start(name)
        if effect is not None and effect.layers:
            kept.setdefault(name, shared_one(effect))
    return {**kept, **{name: start for name, start in starts().items() if name not in kept}}


def ask_and_share(parent: QWidget, shelf: str, name: str, part: Callable[[], Part]) -> tuple[str, str]:
    """Asks for a name, and shares something with the folder; the name it has there, "" where it has none, and what came of it."""
    shared = shared_folder()
    name, agreed = QInputDialog.getText(parent, "Share with the folder", "What is it called?", text=name)
    name = name.strip()
    if shared is None or not agreed or not name:
        return "", ""
    if name in shared.names(shelf):
        buttons = QMessageBox.StandardButton
        told = f"“{name}” is shared already; those that follow it are offered the change. Replace it?"
        if QMessageBox.question(parent, "Share with the folder", told, buttons.Ok | buttons.Cancel) != buttons.Ok:
            return "", ""
    try:
        shared.share(shelf, name, part())
    except OSError as error:
        return "", f"{name} could not be shared ({error.strerror}): {shared.root} cannot be written to."
    return name, f"{name} is shared by all effects in {shared.root.name}."


def offer_sharing(menu: QMenu | None, parent: QWidget, shelf: str, name: str, part: Callable[[], Part]) -> None:
    """Adds to a menu that something is shared with the folder, where there is one."""
    if menu is not None and shared_folder() is not None:
        menu.addAction("Share it with the folder…").triggered.connect(lambda: ask_and_share(parent, shelf, name, part))


def starts_by_word() -> dict[str, Callable[[], tuple[Layer, ...]]]:
    """What makes the layers of each starting point, by its name and by each word for it."""
    every = every_start()
    by_word = {word: start.make for start in reversed(every.values()) for word in start.words}
    return {**{name: start.make for name, start in every.items()}, **{word: make for word, make in by_word.items() if word not in every}}
