"""The story: the chapters of the selected layer, side by side along the bottom."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QApplication, QFrame, QHBoxLayout, QLabel, QScrollArea, QSplitter, QVBoxLayout, QWidget

from pale_ember.core.effect.chapters import CHAPTERS, Look
from pale_ember.core.effect.edit import Path, layer_of
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.trims import extent_of, trimmed
from pale_ember.core.insight.sentences import TOLD, Piece, Told
from pale_ember.studio.controls.buttons import IconButton, WordButton
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.row import go_to, reset_all
from pale_ember.studio.fields.standing import Standing, StandingFields
from pale_ember.studio.fields.subject import OfLayer
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.settings import kept_list, settings
from pale_ember.studio.story.adding import Adding, lanes_to_add, parts_to_add
from pale_ember.studio.story.life import LifeBody
from pale_ember.studio.story.picture import PictureEdit
from pale_ember.studio.story.sentence import Sentence

_SHARES = {"outlet": 24, "birth": 26, "life": 40, "forces": 24, "contact": 20, "offspring": 24, "look": 24}
_LEAST = {
    "outlet": 234, "birth": 256, "life": 260, "forces": 240, "contact": 186, "offspring": 226, "look": 220,
}  # fmt: skip
"""Pixels below which a chapter's numbers would be cut."""
_EDGE = 32
_GROWN = 0.05
"""Share by which a shape's room must have changed for the density to be worth a word."""
_GAP = 6
_NOBODY = Layer()
"""What the chapters show where there is no layer: defaults."""


class _Head(QWidget):
    """A chapter's title; a double-click gives the chapter the whole strip, or gives it back."""

    doubled = pyqtSignal()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.doubled.emit()


class Chapter(QWidget):
    """One chapter: title, sentence, what it holds, and the way to more. Folds to an edge that keeps its title and
    sentence."""

    folded_changed = pyqtSignal()
    whole_asked = pyqtSignal()
    """It is to have the whole strip, or to give it back."""
    add_asked = pyqtSignal()

    def __init__(self, desk: Desk, name: str, body: QWidget, standing: Standing | None = None) -> None:
        super().__init__()
        self.desk, self.name, self.folded = desk, name, False
        declared = fields_of(Layer)[name]
        self.title, self._help = declared.field.label, declared.field.help
        self.setAccessibleName(self.title)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 4, 3)
        column.setSpacing(3)
        head = _Head()
        head.setToolTip(f"{self._help} Double-click: the whole strip, or back.")
        head.doubled.connect(self.whole_asked)
        heading = QHBoxLayout(head)
        heading.setContentsMargins(0, 0, 0, 0)
        label = QLabel(self.title)
        label.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        label.setContentsMargins(5, 0, 0, 0)
        heading.addWidget(label)
        heading.addStretch(1)
        self.fold_button = IconButton("fold", f"Fold {self.title}", size=18)
        self.fold_button.clicked.connect(lambda: self.fold(True))
        heading.addWidget(self.fold_button)
        column.addWidget(head)
        self.sentence = Sentence(desk, OfLayer(desk))
        column.addWidget(self.sentence)
        column.addWidget(body, 1)
        self._parts = [head, self.sentence, body]
        self.standing = standing
        self.add_button = WordButton("/ add…", f"What {self.title} can say besides, found by any word for it")
        self.add_button.clicked.connect(self.add_asked)
        if standing is not None:
            self.all_button = WordButton("all", f"Everything {self.title} has at once", checkable=True)
            self.all_button.toggled.connect(standing.show_all)
            foot = QHBoxLayout()
            foot.setSpacing(2)
            for button in (self.add_button, self.all_button):
                button.setFixedHeight(22)
            foot.addWidget(self.add_button)
            self.offer = WordButton("", "", icon="plus")
            self.offer.colour = theme.EMBER
            self.offer.setFixedHeight(22)
            self.offer.hide()
            foot.addWidget(self.offer)
            foot.addStretch(1)
            foot.addWidget(self.all_button)
            column.addLayout(foot)
            self._parts += [self.add_button, self.all_button]

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

    def show_told(self, told: Told, layer: Layer) -> None:
        """Shows the sentence. What stands below it moves only while the pointer is not there."""
        below = self.underMouse() and not self.sentence.underMouse()
        self.sentence.show_told(told, layer, steady=below)
        self.setToolTip(f"{self.title}: {self.sentence.text}" if self.folded else "")
        if self.folded:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.folded:
            self.fold(False)

    def leaveEvent(self, event: QEvent) -> None:
        self.sentence.settle()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.folded and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.fold(False)
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = Menu(self)
        menu.addAction(f"{self.title} back to its defaults").triggered.connect(lambda: reset_all(self.desk, self.name))
        menu.addAction("The whole strip, or back").triggered.connect(self.whole_asked)
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
        text = QFontMetricsF(painter.font()).elidedText(self.sentence.text, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(80, 0, room, self.width()), Qt.AlignmentFlag.AlignVCenter, text)


class Rows(QScrollArea):
    """The rows of a chapter that stand."""

    def __init__(self, desk: Desk, chapter: str, skip: tuple[str, ...] = ()) -> None:
        super().__init__()
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.standing = Standing()
        kind = fields_of(Layer)[chapter].type
        self.fields = StandingFields(desk, OfLayer(desk), (chapter,), kind, self.standing, skip)
        self.fields.setContentsMargins(0, 0, 3, 0)
        self.setWidget(self.fields)
        self._layer: Layer | None = None
        self.standing.changed.connect(self._again)
        self.fields.setAutoFillBackground(False)
        self.viewport().setAutoFillBackground(False)  # type: ignore[union-attr]

    def show_layer(self, layer: Layer) -> None:
        self._layer = layer
        self.fields.show_root(layer)

    def _again(self) -> None:
        if self._layer is not None:
            self.fields.show_root(self._layer)

    def sizeHint(self) -> QSize:
        return QSize(150, 100)


class LookRows(Rows):
    """The rows of the Look, with its picture before them."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, "look", skip=("picture",))
        self.desk = desk
        self.picture = PictureEdit(desk)
        self.picture.edited.connect(self._picture_edited)
        self.fields.put_first(self.picture)

    def _picture_edited(self, look: Look, stroke: object) -> None:
        layer = self.desk.layer
        if layer is not None:
            self.desk.document.change_layer(f"{layer.name}: picture", layer.id, ("look",), look, stroke)

    def show_layer(self, layer: Layer) -> None:
        self.picture.show_look(layer.look)
        super().show_layer(layer)


class Story(QSplitter):
    """All chapters of the selected layer. Which are open and how wide is remembered."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.desk = desk
        self.setContentsMargins(_GAP, 4, _GAP, 2)
        self.setHandleWidth(_GAP)
        self.setChildrenCollapsible(False)
        self.bodies = {name: self._body(name) for name in CHAPTERS}
        self.chapters = {
            name: Chapter(desk, name, body, getattr(body, "standing", None)) for name, body in self.bodies.items()
        }
        self._shares = dict(_SHARES)
        for name, chapter in self.chapters.items():
            self.addWidget(chapter)
            chapter.whole_asked.connect(lambda name=name: self.flip_whole(name))
            chapter.add_asked.connect(lambda name=name: self.open_adding(name))
            chapter.sentence.sought.connect(self._sought)
        self.bodies["life"].add_asked.connect(lambda: self.open_adding("life"))  # type: ignore[attr-defined]
        kept = [name for name in kept_list("chapters") if name in CHAPTERS]
        self._opened = kept or [name for name in CHAPTERS if name not in ("forces", "contact", "offspring")]
        self._keep_shares(kept_list("shares"))
        self._room: float | None = None
        """The room that the outlet's shape had when its births were last set."""
        self.chapters["outlet"].offer.clicked.connect(self.keep_density)
        self._beside: list[str] = []
        """What was open before one chapter took the whole strip."""
        for name, chapter in self.chapters.items():
            chapter.fold(name not in self._opened)
            chapter.folded_changed.connect(lambda name=name: self._make_room(name))
        self.splitterMoved.connect(self._dragged)
        desk.document.changed.connect(self._changed)
        desk.selected.connect(self._forget)
        desk.selected.connect(self.refresh)
        desk.document.opened.connect(self._forget)
        self.refresh()
        self._share_out()

    # Room ------------------------------------------------------------------------------------------------------

    def _keep_shares(self, kept: list[str]) -> None:
        """Takes the widths that were kept, where they can be read."""
        if len(kept) == len(CHAPTERS) and all(text.isdigit() and int(text) > 0 for text in kept):
            self._shares = {name: int(text) for name, text in zip(CHAPTERS, kept, strict=True)}

    def _share_out(self) -> None:
        """Gives each open chapter its share of the width."""
        open_now = [name for name, chapter in self.chapters.items() if not chapter.folded]
        room = self.width() - 2 * _GAP - _GAP * (len(CHAPTERS) - 1) - _EDGE * (len(CHAPTERS) - len(open_now))
        total = sum(self._shares[name] for name in open_now) or 1
        self.setSizes([
            _EDGE if chapter.folded else max(round(room * self._shares[name] / total), 1)
            for name, chapter in self.chapters.items()
        ])  # fmt: skip

    def _dragged(self) -> None:
        """A border was dragged: the widths of what is open are their shares from now on."""
        open_now = {name: chapter.width() for name, chapter in self.chapters.items() if not chapter.folded}
        before = sum(self._shares[name] for name in open_now)
        for name, width in open_now.items():
            self._shares[name] = max(round(before * width / sum(open_now.values())), 1)

    def _make_room(self, changed: str) -> None:
        """Folds what was opened longest ago when all that is open no longer fits side by side; never where one works."""
        self._opened = [name for name in self._opened if name != changed]
        if not self.chapters[changed].folded:
            self._opened.append(changed)
        widths = [_EDGE if chapter.folded else _LEAST[name] for name, chapter in self.chapters.items()]
        if sum(widths) + _GAP * (len(widths) + 1) > max(self.width(), 1000) and len(self._opened) > 1:
            focus = QApplication.focusWidget()
            idle = [name for name in self._opened[:-1] if focus is None or not self.chapters[name].isAncestorOf(focus)]
            self.chapters[(idle or self._opened)[0]].fold(True)
            return
        self._share_out()

    def flip_whole(self, name: str) -> None:
        """Gives a chapter the whole strip, or gives it back to those that shared it."""
        others = [other for other, shown in self.chapters.items() if other != name and not shown.folded]
        if others:
            self._beside = others
            for other in others:
                self.chapters[other].fold(True)
            self.chapters[name].fold(False)
        else:
            for other in self._beside:
                self.chapters[other].fold(False)
        self._share_out()

    def open_by_number(self, name: str) -> None:
        """Opens a chapter; one that is open gets the whole strip, or gives it back to those that shared it."""
        if self.chapters[name].folded:
            self.chapters[name].fold(False)
        else:
            self.flip_whole(name)

    def keep(self) -> None:
        """Keeps what is open, and the widths."""
        store = settings()
        store.setValue("chapters", [name for name, chapter in self.chapters.items() if not chapter.folded])
        store.setValue("shares", [str(self._shares[name]) for name in CHAPTERS])

    # Chapters --------------------------------------------------------------------------------------------------

    def _body(self, name: str) -> QWidget:
        if name == "life":
            return LifeBody(self.desk)
        if name == "look":
            return LookRows(self.desk)
        return Rows(self.desk, name)

    def _changed(self, old: Effect, new: Effect) -> None:
        self._watch_density(old)
        self.refresh()

    def _watch_density(self, old: Effect) -> None:
        """Offers to keep the density where a shape has become wider or narrower."""
        layer, offer = self.desk.layer, self.chapters["outlet"].offer
        before = layer_of(old, self.desk.selection)
        if layer is None or before is None:
            offer.hide()
            return
        now, then = layer.outlet, before.outlet
        if (now.rate, now.bursts, now.per_metre) != (then.rate, then.bursts, then.per_metre):
            self._room = None
        elif self._room is None and extent_of(now) != extent_of(then):
            self._room = extent_of(then)
        grown = extent_of(now) / self._room if self._room else 1.0
        offer.setVisible(abs(grown - 1) > _GROWN and grown > 0 and not self.chapters["outlet"].folded)
        offer.show_text(f"keep the density: ×{grown:.2g}")
        offer.setToolTip(f"The shape has {grown:.3g} times the room. Multiplies rate and bursts by as much.")

    def keep_density(self) -> None:
        """Multiplies births by how much the shape's room has grown."""
        layer = self.desk.layer
        if layer is not None and self._room:
            grown = extent_of(layer.outlet) / self._room
            after = trimmed(self.desk.effect, "density", grown, (layer.id,))
            self.desk.document.change(f"{layer.name}: keep the density", after)

    def refresh(self) -> None:
        layer = self.desk.layer
        if layer is None:
            self._empty()
            return
        self.setEnabled(True)
        for name, chapter in self.chapters.items():
            chapter.show_told(TOLD[name](self.desk.effect, layer), layer)
            self.bodies[name].show_layer(layer)  # type: ignore[attr-defined]

    def _empty(self) -> None:
        """Without a layer there is no story: nothing of the last one is left to be read or typed into."""
        focus = QApplication.focusWidget()
        if focus is not None and self.isAncestorOf(focus):
            self.window().setFocus()
        for name, chapter in self.chapters.items():
            told = [Piece("No layer yet: add one with + above.")] if name == "outlet" else []
            chapter.show_told(told, _NOBODY)
            self.bodies[name].show_layer(_NOBODY)  # type: ignore[attr-defined]
        self.setEnabled(False)

    def _forget(self) -> None:
        """Another layer or document: no key of the last one stays picked, and nothing it was asked to show stands."""
        self.bodies["life"].let_go()  # type: ignore[attr-defined]
        self._room = None
        self.chapters["outlet"].offer.hide()
        for body in self.bodies.values():
            if isinstance(body, Rows):
                body.standing.forget()

    def picture_read(self) -> None:
        """Shows the picture of the look once the stage has read it."""
        self.bodies["look"].picture.look_again()  # type: ignore[attr-defined]

    def show_ages(self, ages: np.ndarray) -> None:
        """Marks where living particles are in their lives."""
        if not self.chapters["life"].folded:
            self.bodies["life"].show_ages(ages)  # type: ignore[attr-defined]

    # Going there -----------------------------------------------------------------------------------------------

    def adding_chapter(self) -> str:
        """The chapter that `/` means: where the focus is, else where the pointer is, else the one opened last."""
        focus = QApplication.focusWidget()
        for name, chapter in self.chapters.items():
            if focus is not None and (chapter is focus or chapter.isAncestorOf(focus)):
                return name
        under = next((name for name, chapter in self.chapters.items() if chapter.underMouse()), None)
        return under or (self._opened[-1] if self._opened else CHAPTERS[0])

    def open_adding(self, name: str) -> Adding:
        """Opens the list of what a chapter can say besides."""
        chapter, life = self.chapters[name], self.bodies["life"]
        chapter.fold(False)
        if isinstance(life, LifeBody) and name == "life":
            parts = lanes_to_add(life.missing, life.add_everyday, life.add_lane)
        else:
            parts = parts_to_add(name, lambda field, kind, values: self._add_part(name, field, kind, values))
        adding = Adding(self, self.desk, name, parts)
        adding.chosen.connect(self._chosen)
        adding.open_above(life.adder if name == "life" else chapter.add_button)  # type: ignore[attr-defined]
        return adding

    def _chosen(self, target: Target) -> None:
        self.desk.sought.emit(target)

    def _add_part(self, chapter: str, field: str, kind: type[Part], values: dict) -> None:
        """Adds a part to a list of a chapter, and goes to it."""
        rows = self.bodies[chapter]
        assert isinstance(rows, Rows)
        edit = rows.fields.list_of((chapter, field))
        edit.add(kind, values)
        place = edit.last()
        go_to(place)
        if place is not None:
            QTimer.singleShot(0, lambda: rows.ensureWidgetVisible(place))

    def _sought(self, path: Path) -> None:
        """A value of a sentence that is edited elsewhere."""
        look = self.bodies["look"]
        if path == ("look", "picture") and isinstance(look, LookRows):
            look.picture.open()
            return
        self.show_field(path)

    def show_field(self, path: Path, typed: str = "") -> None:
        """Unfolds a chapter and goes to the field of the layer at a path."""
        chapter = str(path[0])
        self.chapters[chapter].fold(False)
        area = self.bodies[chapter]
        if isinstance(area, LookRows) and path[1:] == ("picture",):
            go_to(area.picture)
            return
        if not isinstance(area, Rows):
            go_to(area.place_of(path[1:]) if isinstance(area, LifeBody) and len(path) > 1 else area)
            return
        row = area.fields.reveal(tuple(step for step in path if isinstance(step, str)))
        if row is not None:
            go_to(row, typed)
            QTimer.singleShot(0, lambda: area.ensureWidgetVisible(row))
