"""What can be done with a part that layers have in common, as entries of a menu."""

from __future__ import annotations

from PyQt6.QtWidgets import QMenu

from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.sharing import share_at, sharers, with_shared, without_share
from pale_ember.studio.document.desk import Desk


def shared_with(desk: Desk, layer: Layer, path: Path) -> str:
    """The names of the layers that have the same part, "" for none."""
    return ", ".join(other.name for other in sharers(desk.effect, layer, path))


def add_sharing(menu: QMenu, desk: Desk, layer: Layer, path: Path, what: str) -> None:
    """Adds to a menu with whom a part is shared, with whom it may be, and how that ends."""
    document, others = desk.document, sharers(desk.effect, layer, path)
    inner = menu.addMenu(f"{what} shared with {shared_with(desk, layer, path)}" if others else f"Share {what} with")
    for other in others:
        inner.addAction(f"go to {other.name}").triggered.connect(lambda _=False, other=other: desk.select(other.id))
    if share_at(layer, path) is not None:
        inner.addAction("Break the share here").triggered.connect(
            lambda: document.change(f"{what}: for itself", without_share(desk.effect, layer.id, path))
        )
        inner.addSeparator()
    for other in desk.effect.layers:
        if other.id != layer.id and other not in others:
            inner.addAction(f"{other.name} takes this one").triggered.connect(
                lambda _=False, other=other: share(desk, layer, other, path, what)
            )


def share(desk: Desk, layer: Layer, other: Layer, path: Path, what: str) -> None:
    """Gives a part of a layer to another, to be kept in common; says why where that cannot be."""
    try:
        shared = with_shared(desk.effect, layer.id, other.id, path)
    except ValueError as error:
        desk.hinted.emit(str(error), None)
        return
    desk.document.change(f"{what} shared with {other.name}", shared)
