"""What a folder shares: starting points as living pictures, pictures, curves, colours, chapters and stages; and who follows them."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMessageBox, QVBoxLayout, QWidget

from pale_ember.folder.index import FolderIndex
from pale_ember.folder.shared import RECIPES, STARTS, SharedFolder
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.effects.effects_view import EffectsView
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.side_panel import quiet

_CALLED = {STARTS: "Starting points", RECIPES: "Pictures", "shapes": "Curves", "gradients": "Colours", "stages": "Stages"}
_WIDE = 400
"""Pixels of the rows, beside the living pictures of the starting points."""
_BEGINNING = (
    "Nothing is shared here yet. On the Workbench, right-click a layer and choose “Share with the folder…”; curves, colours, "
    "chapters, stages and pictures of the texture bench have the same entry in their menus. Everybody who opens an effect of "
    "this folder then has it, and layers made of a shared starting point follow it."
)


class SharedView(QWidget):
    """Every shared thing under its shelf: who follows it, opened or no longer shared."""

    open_asked = pyqtSignal(str)
    """A shared starting point is to be opened, by its path."""
    said = pyqtSignal(str)
    changed = pyqtSignal()

    def __init__(self, link: AnalysisLink) -> None:
        super().__init__()
        self.starts = EffectsView(link)
        self.starts.open_asked.connect(lambda name: self.open_asked.emit(str(self.starts.index.folder / f"{name}.pale")))
        inner = QWidget()
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(20, 12, 20, 12)
        self.column.setSpacing(4)
        self.column.addStretch(1)
        self.area = Scrolling(inner)
        self.area.setFixedWidth(_WIDE)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.area)
        whole.addWidget(self.starts, 1)
        self.beginning = quiet(_BEGINNING)
        self.beginning.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.beginning.setContentsMargins(20, 12, 20, 12)
        # In the place of the starting points, where there are none.
        self.beginning.hide()
        whole.addWidget(self.beginning, 1)
        self.rows: list[QWidget] = []
        self.shared: SharedFolder | None = None

    def show_index(self, index: FolderIndex, *, writable: bool) -> None:
        """Shows what a folder shares."""
        self.shared = shared = SharedFolder(index.folder)
        followers: dict[str, list[str]] = {}
        for card in index.cards.values():
            for source in card.follows:
                followers.setdefault(source, []).append(card.title)
        for row in self.rows:
            row.hide()
            row.deleteLater()
        self.rows = []
        shelves = shared.shelves()
        self.area.setVisible(bool(shelves))
        self.starts.setVisible(STARTS in shelves)
        self.beginning.setVisible(not shelves)
        for shelf in sorted(shelves, key=lambda shelf: list(_CALLED).index(shelf) if shelf in _CALLED else len(_CALLED)):
            title = QLabel(_CALLED.get(shelf, shelf.partition("/")[2].capitalize() or shelf))
            title.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
            title.setContentsMargins(0, 8, 0, 0)
            self._add(title)
            for name in shared.names(shelf):
                self._add(self._row(shelf, name, followers.get(f"{shelf}/{name}", []), writable=writable))

    def _add(self, row: QWidget) -> None:
        self.column.insertWidget(len(self.rows), row)
        self.rows.append(row)

    def _row(self, shelf: str, name: str, followers: list[str], *, writable: bool) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(10, 0, 0, 0)
        followed = f"followed by {', '.join(followers)}" if followers else "followed by none yet" if shelf in (STARTS, RECIPES) else ""
        told = QVBoxLayout()
        told.setSpacing(0)
        told.addWidget(QLabel(name))
        if followed:
            told.addWidget(quiet(followed))
        line.addLayout(told, 1)
        if shelf == STARTS:
            opens = WordButton("Open", "Opens the starting point; saved, its change is offered to all that follow it")
            opens.setAccessibleName(f"Open {name}")
            opens.clicked.connect(lambda: self.open_asked.emit(str(self.shared.place(shelf, name))))
            line.addWidget(opens)
        if writable:
            drop = WordButton("Stop sharing", "Those that follow it stay as they are")
            drop.setAccessibleName(f"Stop sharing {name}")
            drop.clicked.connect(lambda: self.drop(shelf, name))
            line.addWidget(drop)
        return row

    def drop(self, shelf: str, name: str) -> None:
        """Shares a thing no more, after a question."""
        buttons = QMessageBox.StandardButton
        told = f"“{name}” is removed from what the folder shares; effects that follow it stay as they are."
        if self.shared is None or QMessageBox.question(self, "Stop sharing", told, buttons.Ok | buttons.Cancel) != buttons.Ok:
            return
        try:
            self.shared.drop(shelf, name)
        except OSError as fault:
            self.said.emit(f"{name} could not be removed ({fault.strerror}).")
        self.changed.emit()
