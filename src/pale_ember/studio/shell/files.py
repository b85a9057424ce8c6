"""Opening and saving: dialogs, the list of recent documents, and questions before work could be lost."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMenu, QMessageBox, QWidget

from pale_ember import ASSETS
from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.model import BEGUN, Effect
from pale_ember.formats.document import DocumentError, load, name_for, save
from pale_ember.studio.document.files_along import files_along
from pale_ember.studio.document.history import Document
from pale_ember.studio.document.reference import carried_along
from pale_ember.studio.insight.changes_page import merge_of
from pale_ember.studio.kit.settings import last_folder, recent, remember
from pale_ember.studio.shell.outside_changes import OutsideNotice, content_of

_FILTER = "Effects (*.pale)"

_BELOW_HEADER = 44
"""Pixels of the header, below which is told what happened outside."""


def demo_effects() -> list[Path]:
    """The effects that come with Pale Ember."""
    return sorted((ASSETS / "demo").glob("*.pale"))


class Files(QObject):
    """What the File menu does."""

    opened = pyqtSignal()
    said = pyqtSignal(str)
    merged = pyqtSignal(object)
    """What two made of the effect is put together, and to be chosen from: a Merge."""

    def __init__(self, document: Document, window: QWidget) -> None:
        super().__init__()
        self.document, self.window = document, window
        self._content = content_of(document.path)
        """What the document's file held when it was read or written last."""
        self._read = document.effect
        """The effect as it was then."""
        self.notice = OutsideNotice(
            window,
            {
                "Take theirs": ("Takes what is in the file, as one step: Undo brings yours back", self.take_theirs),
                "Merge": ("Puts both together; what both changed is chosen beside the stage", self.merge_theirs),
                "Keep mine": ("Saving writes over what is in the file", self.keep_mine),
                "Keep both": ("Saves yours beside it, under another name, and goes on there", self.keep_both),
            },
        )
        document.opened.connect(self._begun)

    def _begun(self) -> None:
        self._content, self._read = content_of(self.document.path), self.document.effect
        self.notice.hide()

    # Changed by others -----------------------------------------------------------------------------------------

    def look(self) -> None:
        """The document's file may have changed: what was not worked on here is taken again, of the rest is asked."""
        if not self._changed_outside():
            return
        if self.document.unsaved:
            self._tell_outside()
        else:
            self.take_theirs()

    def _changed_outside(self) -> bool:
        """Whether the file holds something else than was read or written here; one that is gone can be written again."""
        return content_of(self.document.path) not in ("", self._content)

    def _tell_outside(self) -> None:
        name = self.document.path.name if self.document.path is not None else ""
        self.notice.tell(f"{name} was changed by another program, and you have unsaved changes.", _BELOW_HEADER)

    def take_theirs(self) -> None:
        """What is in the file becomes the document, as one step of its history."""
        path, effect = self.document.path, self._read_theirs()
        if path is None or effect is None:
            return
        self.document.change(f"take {path.name} as it was changed outside", effect)
        if self.document.effect == effect:
            self.document.mark_saved(path)
        self.said.emit(f"{path.name} was changed by another program and has been loaded again; Undo brings back what was here.")

    def merge_theirs(self) -> None:
        """Puts together what was worked on here and what is in the file, from what both began with."""
        base, theirs = self._read, self._read_theirs()
        if theirs is not None:
            self.begin_merge(base, self.document.effect, theirs)

    def _read_theirs(self) -> Effect | None:
        """What another program wrote into the document's file, known from now on; None, and said why, where it cannot be read."""
        path = self.document.path
        if path is None:
            return None
        content = content_of(path)
        try:
            theirs, _ = load(path)
        except DocumentError as error:
            self.said.emit(f"Changed by another program, and not loaded: {error}")
            return None
        self._content, self._read = content, theirs
        self.notice.hide()
        return theirs

    def begin_merge(self, base: Effect, mine: Effect, theirs: Effect) -> None:
        """The document becomes what two made of an effect; what both changed is chosen from then on."""
        merge = merge_of(base, mine, theirs)
        self.document.change("merge", merge.result(merge.other))
        self.merged.emit(merge)

    def keep_mine(self) -> None:
        """The next save writes over what another program wrote."""
        self._content = content_of(self.document.path)
        self.notice.hide()
        self.said.emit("Your version stays; saving writes over the other program's.")

    def keep_both(self) -> None:
        """Saves the document beside its file, under a free name."""
        path = self.document.path
        if path is not None:
            name = free_name(path.stem, [each.stem for each in path.parent.glob("*.pale")])
            if self.save_to(path.with_name(f"{name}.pale")):
                self.notice.hide()

    def new(self) -> None:
        """Begins a new effect."""
        if self.may_leave():
            self.document.open(BEGUN, None)
            self.opened.emit()

    def ask_open(self) -> None:
        """Asks for a file, and opens it."""
        folder = str(self.document.folder or last_folder())
        name, _ = QFileDialog.getOpenFileName(self.window, "Open an effect", folder, _FILTER)
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> bool:
        """Opens a document in place of this one, after asking about unsaved work."""
        try:
            effect, notices = load(path)
        except DocumentError as error:
            QMessageBox.warning(self.window, "Pale Ember", str(error))
            return False
        if not self.may_leave():
            return False
        self.document.open(effect, path)
        remember(path)
        self.opened.emit()
        self.said.emit(f"Opened {path.name}." + (f" {notices[0]}" if notices else ""))
        return True

    def open_copy(self, path: Path) -> None:
        """Opens one of our own effects as a new document, so that it is saved elsewhere."""
        if self.may_leave():
            effect, _ = load(path)
            self.document.open(effect, None, source=path.parent)
            self.opened.emit()

    def save(self) -> bool:
        """Saves, asking for a file where there is none."""
        return self.save_to(self.document.path) if self.document.path else self.save_as()

    def save_as(self) -> bool:
        """Asks for a file, and saves there."""
        path = self.document.path
        start = path or last_folder() / name_for(self.document.effect, [])
        name, _ = QFileDialog.getSaveFileName(self.window, "Save the effect", str(start), _FILTER)
        return bool(name) and self.save_to(Path(name))

    def save_to(self, path: Path) -> bool:
        """Writes the document; when that fails the old file stays whole and the work stays unsaved."""
        if path.suffix != ".pale":
            path = path.with_name(path.name + ".pale")
        if path == self.document.path and self._changed_outside():
            self._tell_outside()
            self.said.emit("Not saved: choose above which version to keep.")
            return False
        effect = self.document.effect
        if effect.name == BEGUN.name:
            effect = replace(effect, name=path.stem.replace("-", " ").replace("_", " "))
        effect = carried_along(effect, self.document.folder, path.parent)
        try:
            effect = files_along(effect, self.document.reads_from, path.parent)
            save(effect, path)
        except OSError as error:
            text = f"{path.name}: could not be written ({error.strerror}). The work is still open; save it in another place."
            QMessageBox.warning(self.window, "Pale Ember", text)
            return False
        self.document.change(f"name {effect.name}", effect)
        self.document.mark_saved(path)
        self._content, self._read = content_of(path), effect
        remember(path)
        self.said.emit(f"Saved {path.name}.")
        return True

    def may_leave(self) -> bool:
        """Whether the open document may be let go: saved, or the artist said so."""
        if not self.document.unsaved:
            return True
        buttons = QMessageBox.StandardButton
        question = f"“{self.document.effect.name}” has unsaved changes."
        answer = QMessageBox.question(self.window, "Pale Ember", question, buttons.Save | buttons.Discard | buttons.Cancel, buttons.Save)
        return self.save() if answer == buttons.Save else answer == buttons.Discard

    def fill(self, menu: QMenu) -> None:
        """The File menu."""
        for text, do in (
            ("New\tCtrl+N", self.new),
            ("Open…\tCtrl+O", self.ask_open),
            ("Save\tCtrl+S", self.save),
            ("Save as…\tCtrl+Shift+S", self.save_as),
        ):
            menu.addAction(text).triggered.connect(lambda _=False, do=do: do())
        paths = recent()
        if paths:
            menu.addSeparator()
            for path in paths:
                menu.addAction(f"{path.stem}   ·   {path.parent}").triggered.connect(lambda _=False, path=path: self.open(path))
