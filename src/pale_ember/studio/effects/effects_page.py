"""The screen of a folder: its effects, its pictures, and what it shares."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QKeyEvent, QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QStackedWidget, QVBoxLayout, QWidget

from pale_ember import ASSETS
from pale_ember.folder.index import FolderIndex, stamps_in
from pale_ember.folder.listing import textures_told
from pale_ember.folder.shared import STARTS, SharedFolder
from pale_ember.formats.game_folder import root_of
from pale_ember.formats.targets import targets_of
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.effects.effects_view import EffectsView
from pale_ember.studio.effects.pictures_view import PicturesView
from pale_ember.studio.effects.shared_view import SharedView
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.settings import kept_list, settings
from pale_ember.studio.kit.tasks import Task

_AGAIN = 3000
"""Milliseconds between two looks at what lies in the folder, while it is shown."""
_KEPT = "effect folders"


class EffectsPage(QWidget):
    """One folder, seen in three ways."""

    left = pyqtSignal()
    open_asked = pyqtSignal(str)
    """A document is to be opened, by its path."""

    def __init__(self, desk: Desk, link: AnalysisLink) -> None:
        super().__init__()
        self.desk = desk
        self.index: FolderIndex | None = None
        self._chosen: Path | None = None
        """The folder that a hand chose."""
        self._task: Task | None = None
        self.effects, self.pictures, self.shared = EffectsView(link), PicturesView(), SharedView(link)
        self.views = {"effects": self.effects, "pictures": self.pictures, "shared": self.shared}
        self.stack = QStackedWidget()
        self.folder_button = WordButton("choose a folder", "Another folder", icon="folder", menu=True)
        self.folder_button.clicked.connect(lambda: self._folders().open_at(self.folder_button))
        self.tabs = {name: WordButton(name, checkable=True) for name in self.views}
        self.back_button = WordButton("Workbench", "Back to the Workbench (Escape)", icon="back")
        self.back_button.clicked.connect(self.left)
        self.count, self.said = QLabel(), QLabel()
        theme.tone(self.count, "ash")
        head = QHBoxLayout()
        head.setContentsMargins(10, 6, 12, 0)
        head.addWidget(self.folder_button)
        for name, view in self.views.items():
            self.stack.addWidget(view)
            self.tabs[name].clicked.connect(lambda _=False, name=name: self.show_view(name))
            head.addWidget(self.tabs[name])
        head.addStretch(1)
        head.addWidget(self.count)
        foot = QHBoxLayout()
        foot.setContentsMargins(10, 2, 12, 6)
        foot.addWidget(self.back_button)
        foot.addWidget(self.said, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(2)
        whole.addLayout(head)
        whole.addWidget(self.stack, 1)
        whole.addLayout(foot)
        self._counts = dict.fromkeys(self.views, "")
        self.effects.counted.connect(lambda text: self._counted("effects", text))
        self.pictures.counted.connect(lambda text: self._counted("pictures", text))
        self.effects.open_asked.connect(self._open)
        self.shared.open_asked.connect(self.open_asked)
        for view in (self.pictures, self.shared):
            view.said.connect(self.said.setText)
            view.changed.connect(self.look)
        self._again = QTimer(self, interval=_AGAIN)
        self._again.timeout.connect(self.look)
        self.show_view("effects")

    # Which folder ------------------------------------------------------------------------------------------------

    def folder(self) -> Path:
        """The folder that is looked at: the chosen one, that of the document, the last one, or that of the quay's own effects."""
        path = self.desk.document.path
        if self._chosen is not None:
            return self._chosen
        if path is not None:
            return root_of(path.resolve())
        return next((Path(name) for name in kept_list(_KEPT) if Path(name).is_dir()), ASSETS / "demo")

    def choose(self, folder: Path) -> None:
        """Looks at another folder."""
        self._chosen = folder
        settings().setValue(_KEPT, [str(folder), *(name for name in kept_list(_KEPT) if name != str(folder))][:8])
        self.look()

    def _folders(self) -> Menu:
        menu = Menu(self)
        menu.addAction("Choose a folder…").triggered.connect(self._ask)
        path = self.desk.document.path
        if path is not None:
            own = root_of(path.resolve())
            menu.addAction(f"that of the open effect   ·   {own}").triggered.connect(lambda: self.choose(own))
        menu.addAction("the effects of the quay").triggered.connect(lambda: self.choose(ASSETS / "demo"))
        known = [Path(name) for name in kept_list(_KEPT) if Path(name).is_dir()]
        if known:
            menu.addSeparator()
            for each in known:
                menu.addAction(f"{each.name}   ·   {each.parent}").triggered.connect(lambda _=False, each=each: self.choose(each))
        return menu

    def _ask(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "A folder of effects", str(self.folder()))
        if chosen:
            self.choose(Path(chosen))

    # What is there -----------------------------------------------------------------------------------------------

    def show_view(self, name: str) -> None:
        """Shows the folder in another way."""
        self.stack.setCurrentWidget(self.views[name])
        for known, tab in self.tabs.items():
            tab.setChecked(known == name)
        self.count.setText(self._counts[name])
        self.said.setText("")
        if self.isVisible():
            self._activate()
            self.look()
            self.focus()

    def _activate(self) -> None:
        """Has the effects of the folder read and looked at, and the shared ones while they are seen."""
        self.effects.set_active(True)
        self.shared.starts.set_active(self.stack.currentWidget() is self.shared)

    def focus(self) -> None:
        """Gives the keyboard to what is searched in."""
        view = self.stack.currentWidget()
        (view.words if isinstance(view, (EffectsView, PicturesView)) else view).setFocus()

    def _counted(self, view: str, text: str) -> None:
        self._counts[view] = text
        if self.stack.currentWidget() is self.views[view]:
            self.count.setText(text)

    def look(self) -> None:
        """Looks what lies in the folder now, away from the window."""
        if self._task is not None:
            return
        folder, index = self.folder(), self.index
        if index is None or index.folder != folder:
            if index is not None:
                index.keep()
            index = None

        place = SharedFolder(folder).place(STARTS, "x").parent
        starts = self.shared.starts.index if self.shared.starts.index.folder == place else None

        def work(_: Callable[[int], bool]) -> list[tuple[FolderIndex, dict[str, tuple[int, int]]]]:
            return [(known or FolderIndex(at), stamps_in(at)) for known, at in ((index, folder), (starts, place))]

        self._task = Task(work, (OSError,), name="folder")
        self._task.done.connect(self._looked)
        self._task.failed.connect(self._failed)
        self._task.start()

    def _failed(self, text: str) -> None:
        self._task = None
        self.said.setText(text)

    def _looked(self, found: list[tuple[FolderIndex, dict[str, tuple[int, int]]]]) -> None:
        self._task = None
        index, stamps = found[0]
        if index.folder != self.folder():
            self.look()
            return
        before = {name: card.stamp for name, card in index.cards.items()} if index is self.index else None
        self.index = index
        wanted = index.list(stamps)
        writable = os.access(index.folder, os.W_OK)
        self.folder_button.show_text(index.folder.name or str(index.folder))
        self.folder_button.setToolTip(f"{index.folder}{'' if writable else ', which cannot be written to'}: choose another")
        if before != stamps or wanted:
            self.effects.show_index(index, wanted)
        view = self.stack.currentWidget()
        if view is self.pictures:
            self.pictures.show_index(index, self._totals(), writable=writable)
        elif view is self.shared:
            self.shared.show_index(index, writable=writable)
            starts, there = found[1]
            known = {name: card.stamp for name, card in starts.cards.items()} if starts is self.shared.starts.index else None
            left = starts.list(there)
            if known != there or left:
                self.shared.starts.show_index(starts, left)
        if not writable and not self.said.text():
            self.said.setText("This folder cannot be written to: nothing in it can be renamed or shared.")

    def _totals(self) -> str:
        """What all textures of the folder take together, beside what the targets allow for one effect."""
        cards = self.index.cards.values() if self.index is not None else ()
        targets = ", ".join(f"{name} {budget.textures / 2**20:.0f}" for name, budget in targets_of(self.folder())[0].items())
        return f"{textures_told(cards)} One effect may take, in MB: {targets}.".strip()

    def _open(self, name: str) -> None:
        if self.index is not None:
            self.open_asked.emit(str(self.index.folder / f"{name}.pale"))

    def undo(self) -> None:
        """Undoes what was done to the folder last."""
        self.pictures.undo()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._activate()
        self.look()
        self._again.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._again.stop()
        for view in (self.effects, self.shared.starts):
            view.set_active(False)
            view.index.keep()
        super().hideEvent(event)

    def end(self) -> None:
        """Stops all that runs."""
        if self._task is not None:
            self._task.wait()
        self.effects.end()
        self.shared.starts.end()
        self.pictures.end()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        elif self._types(event):
            self.stack.currentWidget().search_for(event.text())
        else:
            super().keyPressEvent(event)

    def _types(self, event: QKeyEvent) -> bool:
        """Whether a key begins a search here: a sign, over what can be searched."""
        plain = not event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
        searched = isinstance(self.stack.currentWidget(), (EffectsView, PicturesView))
        return plain and searched and event.text().isprintable() and bool(event.text().strip())

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)
