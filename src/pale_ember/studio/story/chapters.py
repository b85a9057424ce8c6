"""The story: the chapters of the selected layer, side by side along the bottom."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QRect, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QApplication, QFrame, QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from pale_ember.core.effect.chapters import CHAPTERS, Look
from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.model import Layer
from pale_ember.core.insight.sentences import SENTENCES
from pale_ember.studio.controls.buttons import IconButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.parts import FieldsColumn
from pale_ember.studio.fields.row import go_to, reset_all
from pale_ember.studio.fields.subject import OfLayer
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.story.life import LifeBody
from pale_ember.studio.story.picture import PictureEdit

_SHARES = {"outlet": 24, "birth": 25, "life": 40, "forces": 24, "contact": 20, "offspring": 24, "look": 22}
_LEAST = {
    "outlet": 234, "birth": 256, "life": 260, "forces": 240, "contact": 186, "offspring": 226, "look": 220,
}  # fmt: skip
"""Pixels below which a chapter's numbers would be cut."""
_SENTENCE = 34
"""Pixels that a sentence has at least: two lines."""
_EDGE = 32
_GAP = 6
_NOBODY = Layer()
"""What the chapters show where there is no layer: defaults."""


class Sentence(QLabel):
    """A chapter's sentence. Its height changes only while nothing below it can be under the pointer."""

    def __init__(self) -> None:
        super().__init__()
        self.setWordWrap(True)
        self.setContentsMargins(5, 0, 6, 2)
        self.setFont(theme.font(theme.SMALL))
        self.setStyleSheet(f"color: {theme.ASH.name()}")
        self.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.setFixedHeight(_SENTENCE)

    def settle(self) -> None:
        """Takes the height its text needs, at least two lines."""
        margins = self.contentsMargins()
        room = QRect(0, 0, max(self.width() - margins.left() - margins.right(), 1), 1000)
        text = self.fontMetrics().boundingRect(room, Qt.TextFlag.TextWordWrap, self.text())
        self.setFixedHeight(max(text.height() + margins.bottom(), _SENTENCE))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if event.size().width() != event.oldSize().width():
            self.settle()


class Chapter(QWidget):
    """One chapter: title, sentence, and what it holds. Folds to an edge that keeps its title and sentence."""

    folded_changed = pyqtSignal()

    def __init__(self, desk: Desk, name: str, body: QWidget) -> None:
        super().__init__()
        self.desk, self.name, self.folded = desk, name, False
        declared = fields_of(Layer)[name]
        self.title, self._help = declared.field.label, declared.field.help
        self._sentence_text = ""
        self.setAccessibleName(self.title)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 9, 4, 8)
        column.setSpacing(4)
        head = QHBoxLayout()
        label = QLabel(self.title)
        label.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        label.setContentsMargins(5, 0, 0, 0)
        head.addWidget(label)
        head.addStretch(1)
        self.fold_button = IconButton("fold", f"Fold {self.title}", size=18)
        self.fold_button.clicked.connect(lambda: self.fold(True))
        head.addWidget(self.fold_button)
        column.addLayout(head)
        self._sentence = Sentence()
        column.addWidget(self._sentence)
        column.addWidget(body, 1)
        self._parts = [label, self.fold_button, self._sentence, body]

    def fold(self, folded: bool) -> None:
        focus = QApplication.focusWidget()
        if folded and focus is not None and self.isAncestorOf(focus):
            self.setFocus()
        self.folded = folded
        for part in self._parts:
            part.setVisible(not folded)
        self.setMinimumWidth(_EDGE if folded else _LEAST[self.name])
        self.setMaximumWidth(_EDGE if folded else 16777215)
        self.setCursor(Qt.CursorShape.PointingHandCursor if folded else Qt.CursorShape.ArrowCursor)
        self.folded_changed.emit()
        self.update()

    def show_sentence(self, text: str) -> None:
        self._sentence_text = text
        self._sentence.setText(text)
        if not self.underMouse():
            self._sentence.settle()
        self.setToolTip(f"{self.title}: {text}" if self.folded else "")
        if self.folded:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.folded:
            self.fold(False)

    def leaveEvent(self, event: QEvent) -> None:
        self._sentence.settle()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.folded and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.fold(False)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = Menu(self)
        menu.addAction(f"{self.title} back to its defaults").triggered.connect(lambda: reset_all(self.desk, self.name))
        menu.addAction("Unfold" if self.folded else "Fold").triggered.connect(lambda: self.fold(not self.folded))
        menu.open_at(event.globalPos())

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.EMBER, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(theme.RAISED if self.folded and self.underMouse() else theme.SURFACE)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        if not self.folded:
            return
        painter.translate(0, self.height())
        painter.rotate(-90)
        painter.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        painter.setPen(theme.BONE)
        painter.drawText(QRectF(12, 0, 90, self.width()), Qt.AlignmentFlag.AlignVCenter, self.title)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        room = self.height() - 90
        text = QFontMetricsF(painter.font()).elidedText(self._sentence_text, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(80, 0, room, self.width()), Qt.AlignmentFlag.AlignVCenter, text)


class Rows(QScrollArea):
    """The fields of a chapter, in their groups."""

    def __init__(self, desk: Desk, chapter: str, skip: tuple[str, ...] = ()) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 3, 0)
        kind = fields_of(Layer)[chapter].type
        self.fields = FieldsColumn(desk, OfLayer(desk), (chapter,), kind, skip)
        self.rows = self.fields.rows
        column.addWidget(self.fields)
        column.addStretch(1)
        self.setWidget(inner)
        inner.setAutoFillBackground(False)
        self.viewport().setAutoFillBackground(False)  # type: ignore[union-attr]

    def show_layer(self, layer: Layer) -> None:
        self.fields.show_root(layer)

    def sizeHint(self) -> QSize:
        return QSize(150, 100)


class LookBody(QWidget):
    """The Look chapter: the picture above its fields."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.picture = PictureEdit(desk)
        self.picture.edited.connect(self._picture_edited)
        self.fields = Rows(desk, "look", skip=("picture",))
        column.addWidget(self.picture)
        column.addWidget(self.fields, 1)
        self.rows = self.fields.rows

    def _picture_edited(self, look: Look, stroke: object) -> None:
        layer = self.desk.layer
        if layer is not None:
            self.desk.document.change_layer(f"{layer.name}: picture", layer.id, ("look",), look, stroke)

    def show_layer(self, layer: Layer) -> None:
        self.picture.show_look(layer.look)
        self.fields.show_layer(layer)


class Story(QWidget):
    """All chapters of the selected layer."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        row = QHBoxLayout(self)
        row.setContentsMargins(_GAP, 4, _GAP, 2)
        row.setSpacing(_GAP)
        bodies = {name: self._body(name) for name in CHAPTERS}
        self.chapters = {name: Chapter(desk, name, body) for name, body in bodies.items()}
        self.bodies = bodies
        for name, chapter in self.chapters.items():
            row.addWidget(chapter, _SHARES[name])
        self._opened = [name for name in CHAPTERS if name not in ("forces", "contact", "offspring")]
        self._beside: list[str] = []
        """What was open before one chapter took the whole strip."""
        for name, chapter in self.chapters.items():
            chapter.fold(name not in self._opened)
            chapter.folded_changed.connect(lambda name=name: self._make_room(name))
        desk.document.changed.connect(self._changed)
        desk.selected.connect(self._forget)
        desk.selected.connect(self.refresh)
        desk.document.opened.connect(self._forget)
        self.refresh()

    def _make_room(self, changed: str) -> None:
        """Folds what was opened longest ago when all that is open no longer fits side by side."""
        self._opened = [name for name in self._opened if name != changed]
        if not self.chapters[changed].folded:
            self._opened.append(changed)
        widths = [_EDGE if chapter.folded else _LEAST[name] for name, chapter in self.chapters.items()]
        if sum(widths) + _GAP * (len(widths) + 1) > max(self.width(), 1000) and len(self._opened) > 1:
            self.chapters[self._opened[0]].fold(True)

    def open_by_number(self, name: str) -> None:
        """Opens a chapter; one that is open gets the whole strip, or gives it back to those that shared it."""
        chapter = self.chapters[name]
        others = [other for other, shown in self.chapters.items() if other != name and not shown.folded]
        if chapter.folded:
            chapter.fold(False)
        elif others:
            self._beside = others
            for other in others:
                self.chapters[other].fold(True)
        else:
            for other in self._beside:
                self.chapters[other].fold(False)

    def _body(self, name: str) -> QWidget:
        if name == "life":
            return LifeBody(self.desk)
        if name == "look":
            return LookBody(self.desk)
        return Rows(self.desk, name)

    def _changed(self, old: object, new: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        layer = self.desk.layer
        if layer is None:
            self._empty()
            return
        self.setEnabled(True)
        for name, chapter in self.chapters.items():
            chapter.show_sentence(SENTENCES[name](self.desk.effect, layer))
            self.bodies[name].show_layer(layer)  # type: ignore[attr-defined]

    def _empty(self) -> None:
        """Without a layer there is no story: nothing of the last one is left to be read or typed into."""
        focus = QApplication.focusWidget()
        if focus is not None and self.isAncestorOf(focus):
            self.window().setFocus()
        for name, chapter in self.chapters.items():
            chapter.show_sentence("" if name != "outlet" else "No layer yet: add one with + above.")
            self.bodies[name].show_layer(_NOBODY)  # type: ignore[attr-defined]
        self.setEnabled(False)

    def _forget(self) -> None:
        """Another layer or document: no key of the last one stays picked."""
        self.bodies["life"].let_go()  # type: ignore[attr-defined]

    def picture_read(self) -> None:
        """Shows the picture of the look once the stage has read it."""
        self.bodies["look"].picture.look_again()  # type: ignore[attr-defined]

    def show_ages(self, ages: np.ndarray) -> None:
        """Marks where living particles are in their lives."""
        if not self.chapters["life"].folded:
            self.bodies["life"].show_ages(ages)  # type: ignore[attr-defined]

    def show_field(self, path: Path, typed: str = "") -> None:
        """Unfolds a chapter and goes to the field of the layer at a path."""
        chapter = str(path[0])
        self.chapters[chapter].fold(False)
        area = self.bodies[chapter]
        if isinstance(area, LookBody):
            area = area.picture if path[1:] == ("picture",) else area.fields
        if not isinstance(area, Rows):
            go_to(area.place_of(str(path[1])) if isinstance(area, LifeBody) and len(path) > 1 else area)
            return
        row = area.fields.reveal(path)
        if row is not None:
            go_to(row, typed)
            QTimer.singleShot(0, lambda: area.ensureWidgetVisible(row))
