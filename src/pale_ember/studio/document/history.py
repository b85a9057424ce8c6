"""The open document: its value now, the values before it by name, and where it is kept."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.edit import Path as FieldPath
from pale_ember.core.effect.edit import index_of, is_there, layer_of, locked_out, with_value
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.renaming import names_followed
from pale_ember.core.effect.sharing import kept_shared
from pale_ember.core.effect.tree import ring_of_rules

DEPTH = 500
"""Edits remembered. Values share all they have in common, so an edit costs a few hundred bytes."""


@dataclass(frozen=True, slots=True)
class Edit:
    """What was done, and the value before it."""

    name: str
    before: Effect


class Document(QObject):
    """Holds the effect. Every change goes through `change`, is live at once, and can be undone."""

    changed = pyqtSignal(object, object)
    """(old, new) effects; compare parts by identity to see what differs."""
    named = pyqtSignal()
    """The file, the saved state or the history changed."""
    refused = pyqtSignal(str)
    """An edit was not done; why."""
    opened = pyqtSignal()
    """Another document is open."""

    def __init__(self, effect: Effect, path: Path | None = None) -> None:
        super().__init__()
        self.effect, self.path = effect, path
        self.source: Path | None = None
        """The folder of what it is a copy of, until it has a place of its own."""
        self.begun = effect
        """As it was opened."""
        self._saved: Effect | None = effect
        self.past: list[Edit] = []
        self.future: list[Edit] = []
        self._stroke: object = None

    @property
    def unsaved(self) -> bool:
        """Whether it differs from what was saved."""
        return self.effect is not self._saved

    @property
    def folder(self) -> Path | None:
        """Where the document lies, if anywhere."""
        return self.path.parent if self.path else None

    @property
    def reads_from(self) -> Path | None:
        """Where its pictures and meshes lie: beside it, or beside what it is a copy of until it has a place."""
        return self.folder or self.source

    def change(self, name: str, effect: Effect, stroke: object = None) -> None:
        """Makes `effect` the document. Changes of one `stroke`, such as a drag, are one step in the history."""
        if effect == self.effect:
            return
        effect = names_followed(self.effect, effect)
        asked, effect = effect, kept_shared(self.effect, effect)
        if effect is not asked and ring_of_rules(effect):
            self.refused.emit(f"{name}: layers that share their offspring would spawn each other in a ring.")
            return
        locked = locked_out(self.effect, effect)
        if locked is not None:
            self.refused.emit(f"{locked.name} is locked: {name} was not done. L, on its row, unlocks it.")
            return
        if self.effect.seed_kept and effect.seed_kept and effect.seed != self.effect.seed:
            self.refused.emit(f"The seed is locked: {name} was not done. The lock beside it unlocks it.")
            return
        if stroke is None or stroke != self._stroke or not self.past:
            self.past.append(Edit(name, self.effect))
            del self.past[:-DEPTH]
        self._stroke = stroke
        self.future.clear()
        self._become(effect)

    def end_stroke(self) -> None:
        """Ends the stroke: the next change is a step of its own."""
        self._stroke = None

    def change_layer(self, name: str, identity: str, path: FieldPath, value: object, stroke: object = None) -> None:
        """Sets one field of a layer. What is no longer there, for an undo came between, is left alone and told."""
        layer = layer_of(self.effect, identity)
        if layer is None or not is_there(layer, path):
            self.refused.emit(f"{name}: what it changes is no longer there.")
            return
        self.change(name, with_value(self.effect, ("layers", index_of(self.effect, identity), *path), value), stroke)

    def undo(self) -> str | None:
        """Takes the last edit back; returns its name."""
        return self._step(self.past, self.future)

    def redo(self) -> str | None:
        """Redoes what was undone last; gives its name."""
        return self._step(self.future, self.past)

    def _step(self, source: list[Edit], target: list[Edit]) -> str | None:
        if not source:
            return None
        edit = source.pop()
        target.append(Edit(edit.name, self.effect))
        self._stroke = None
        self._become(edit.before)
        return edit.name

    def _become(self, effect: Effect) -> None:
        old, self.effect = self.effect, effect
        self.changed.emit(old, effect)
        self.named.emit()

    def open(self, effect: Effect, path: Path | None, *, saved: bool = True, source: Path | None = None) -> None:
        """Begins with another document; its history is empty. source : the folder of what it is a copy of."""
        self.past.clear()
        self.future.clear()
        self._stroke = None
        self.path, self.source = path, source
        self.begun, self._saved = effect, effect if saved else None
        self._become(effect)
        self.opened.emit()

    def mark_saved(self, path: Path) -> None:
        """Notes that it is saved as it is."""
        self.path, self._saved = path, self.effect
        self.named.emit()
