"""The story: the chapters of the selected layer, side by side along the bottom."""

from __future__ import annotations

import types
from typing import Union, get_args, get_origin

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QScrollArea, QVBoxLayout, QWidget

from pale_ember.core.effect.chapters import CHAPTERS, Look
from pale_ember.core.effect.edit import value_at
from pale_ember.core.effect.fields import Declared, Field, fields_of
from pale_ember.core.effect.model import Layer
from pale_ember.core.insight.sentences import SENTENCES
from pale_ember.studio import theme
from pale_ember.studio.desk import Desk
from pale_ember.studio.fields.bursts import BurstsEdit
from pale_ember.studio.fields.buttons import IconButton, WordButton
from pale_ember.studio.fields.number import NumberEdit
from pale_ember.studio.fields.picture import PictureEdit
from pale_ember.studio.fields.row import FieldRow, editor_for, reset_all
from pale_ember.studio.lanes import LANES, NEW_LANES, CurveLane, Lane

_SHARES = {"outlet": 22, "birth": 25, "life": 40, "forces": 24, "contact": 20, "look": 22}
_LEAST = {"outlet": 234, "birth": 256, "life": 260, "forces": 226, "contact": 186, "look": 200}
"""Pixels below which a chapter's numbers would be cut."""
_EDGE = 32
_GAP = 6


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
        self._sentence = QLabel()
        self._sentence.setWordWrap(True)
        self._sentence.setContentsMargins(5, 0, 6, 2)
        self._sentence.setFont(theme.font(theme.SMALL))
        self._sentence.setStyleSheet(f"color: {theme.ASH.name()}")
        self._sentence.setMinimumHeight(34)
        self._sentence.setAlignment(Qt.AlignmentFlag.AlignTop)
        column.addWidget(self._sentence)
        column.addWidget(body, 1)
        self._parts = [label, self.fold_button, self._sentence, body]

    def fold(self, folded: bool) -> None:
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
        self.setToolTip(f"{self.title}: {text}" if self.folded else "")
        if self.folded:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.folded:
            self.fold(False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.folded and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.fold(False)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = QMenu(self)
        menu.addAction(f"{self.title} back to its defaults").triggered.connect(lambda: reset_all(self.desk, self.name))
        menu.addAction("Unfold" if self.folded else "Fold").triggered.connect(lambda: self.fold(not self.folded))
        menu.popup(event.globalPos())

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
    """The plain fields of a chapter, one row each."""

    def __init__(self, desk: Desk, chapter: str, skip: tuple[str, ...] = ()) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(0, 0, 3, 0)
        self.column.setSpacing(1)
        self.rows: list[FieldRow] = []
        kind = fields_of(Layer)[chapter].type
        for name, declared in fields_of(kind).items():
            if name not in skip and not declared.field.hidden:
                self.add(FieldRow(desk, (chapter, name), declared, make_editor(declared)))
        self.column.addStretch(1)
        self.setWidget(inner)
        inner.setAutoFillBackground(False)
        self.viewport().setAutoFillBackground(False)  # type: ignore[union-attr]

    def add(self, row: FieldRow) -> None:
        self.rows.append(row)
        self.column.addWidget(row)

    def show_layer(self, layer: Layer) -> None:
        for row in self.rows:
            row.show_layer(layer, value_at(layer, row.path))

    def sizeHint(self) -> QSize:
        return QSize(150, 100)


def make_editor(declared: Declared) -> QWidget:
    return BurstsEdit() if declared.name == "bursts" else editor_for(declared)


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


class LifeBody(QWidget):
    """The Life chapter: all lanes on one age axis."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.lanes: dict[str, Lane] = {}
        self.rows: list[FieldRow] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(2)
        self._adders: dict[str, WordButton] = {}
        kind = fields_of(Layer)["life"].type
        for name, declared in fields_of(kind).items():
            value_kind = next(arg for arg in get_args(declared.type) if arg is not types.NoneType)
            assert get_origin(declared.type) in (Union, types.UnionType)
            lane = LANES[value_kind](declared)
            lane.edited.connect(lambda value, stroke, name=name: self._edited(name, value, stroke))
            lane.finished.connect(desk.document.end_stroke)
            lane.picked.connect(lambda lane=lane: self._picked(lane))
            self.lanes[name] = lane
            self._column.addWidget(lane, 3 if value_kind is not None and isinstance(lane, CurveLane) else 2)
        self._foot = QHBoxLayout()
        self._foot.setContentsMargins(8, 0, 14, 0)
        for name, lane in self.lanes.items():
            adder = WordButton(lane.declared.field.label, f"Add a lane: {lane.declared.field.help}", icon="plus")
            adder.clicked.connect(lambda _=False, name=name: self._edited(name, NEW_LANES[name], None))
            self._adders[name] = adder
            self._foot.addWidget(adder)
        self._foot.addStretch(1)
        at = Field("age", "Age of the key.", soft=(0, 1), least=0, most=1)
        self.key_age = NumberEdit(at, default=0.0, name="age of the key")
        self.key_value = NumberEdit(
            Field("value", "Value of the key.", soft=(0, 1)), default=1.0, name="value of the key"
        )
        self._words = [QLabel("age"), QLabel("value")]
        for label, edit in zip(self._words, (self.key_age, self.key_value), strict=True):
            label.setStyleSheet(f"color: {theme.ASH.name()}")
            edit.setFixedWidth(58)
            self._foot.addWidget(label)
            self._foot.addWidget(edit)
            edit.finished.connect(desk.document.end_stroke)
        self.key_age.edited.connect(lambda value, stroke: self._set_key("at", value, stroke))
        self.key_value.edited.connect(lambda value, stroke: self._set_key("value", value, stroke))
        self._column.addLayout(self._foot)
        self._column.addStretch(0)
        self._lane: Lane | None = None
        self._picked(None)

    def _edited(self, name: str, value: object, stroke: object) -> None:
        layer = self.desk.layer
        if layer is None:
            return
        verb = "remove lane" if value is None else "lane"
        self.desk.document.change_layer(f"{layer.name}: {name} {verb}", layer.id, ("life", name), value, stroke)

    def _picked(self, lane: Lane | None) -> None:
        for other in self.lanes.values():
            if other is not lane and other.selected is not None:
                other.selected = None
                other.update()
        self._lane = lane
        on = lane is not None and lane.selected is not None
        curve = on and isinstance(lane, CurveLane)
        self._words[0].setVisible(on)
        self.key_age.setVisible(on)
        self._words[1].setVisible(curve)
        self.key_value.setVisible(curve)
        if on and lane is not None and lane.selected is not None:
            self.key_age.show_value(lane.points[lane.selected].at)
            if curve:
                self.key_value.show_value(lane.points[lane.selected].value)

    def _set_key(self, what: str, value: float, stroke: object) -> None:
        lane = self._lane
        if lane is not None and lane.selected is not None:
            lane.set_point(lane.selected, stroke, **{what: float(value)})

    def show_layer(self, layer: Layer) -> None:
        for name, lane in self.lanes.items():
            value = getattr(layer.life, name)
            lane.setVisible(value is not None)
            self._adders[name].setVisible(value is None)
            if value is not None:
                lane.show_value(value)
        if self._lane is not None:
            self._picked(self._lane if self._lane.selected is not None else None)

    def show_ages(self, ages: np.ndarray) -> None:
        for lane in self.lanes.values():
            if lane.isVisible():
                lane.show_ages(ages)


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
        self._opened = [name for name in CHAPTERS if name not in ("forces", "contact")]
        for name, chapter in self.chapters.items():
            chapter.fold(name not in self._opened)
            chapter.folded_changed.connect(lambda name=name: self._make_room(name))
        desk.document.changed.connect(self._changed)
        desk.selected.connect(self.refresh)
        desk.sought.connect(self.show_field)
        self.refresh()

    def _make_room(self, changed: str) -> None:
        """Folds what was opened longest ago when all that is open no longer fits side by side."""
        self._opened = [name for name in self._opened if name != changed]
        if not self.chapters[changed].folded:
            self._opened.append(changed)
        widths = [_EDGE if one.folded else _LEAST[name] for name, one in self.chapters.items()]
        if sum(widths) + _GAP * (len(widths) + 1) > max(self.width(), 1000) and len(self._opened) > 1:
            self.chapters[self._opened[0]].fold(True)

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
        self.setEnabled(layer is not None)
        if layer is None:
            return
        for name, chapter in self.chapters.items():
            chapter.show_sentence(SENTENCES[name](self.desk.effect, layer))
            self.bodies[name].show_layer(layer)  # type: ignore[attr-defined]

    def show_ages(self, ages: np.ndarray) -> None:
        """Marks where living particles are in their lives."""
        if not self.chapters["life"].folded:
            self.bodies["life"].show_ages(ages)  # type: ignore[attr-defined]

    def show_field(self, chapter: str, field: str) -> None:
        """Unfolds a chapter and focuses one of its fields."""
        if chapter not in self.chapters:
            return
        self.chapters[chapter].fold(False)
        for row in self.bodies[chapter].rows:  # type: ignore[attr-defined]
            if row.path[-1] == field:
                row.editor.setFocus()
                area = self.bodies[chapter]
                if isinstance(area, Rows):
                    area.ensureWidgetVisible(row)
