"""A chapter of the story: its title, its sentence in a room of its own, the rows that stand, and the way to more."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QEnterEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.chapters import Look
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.reading import read
from pale_ember.core.effect.story import PLACE, STANDING, below, chapter_of, help_of, kind_of, part_of, plain_of, title_of
from pale_ember.core.insight.checks.finding import Finding
from pale_ember.core.insight.sentences import TOLD, Told
from pale_ember.studio.controls.buttons import IconButton, WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.edit_target import OfLayer
from pale_ember.studio.fields.fix_menu import colour_of, paint_mark
from pale_ember.studio.fields.row import FieldRow
from pale_ember.studio.fields.sentence import Sentence, room_for
from pale_ember.studio.fields.sharing import add_sharing, shared_with
from pale_ember.studio.fields.visible_rows import Standing, StandingFields
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.clipboard import clipboard_text, copy_text, drag_text, dropped_text, from_own_text, is_pulled, own_text
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.saved_items import keep_own, kept_parts, offer_sharing
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.stacks import SteadyRows
from pale_ember.studio.story.picture_field import PictureEdit

LEAST = {"place": 240, "outlet": 242, "birth": 260, "life": 250, "forces": 248, "contact": 194, "offspring": 234, "look": 236}
"""Pixels below which a chapter's numbers would be cut."""
GAP = 6
SENTENCE = 3
"""Lines that a sentence has for itself; a longer one is scrolled in them."""
_WIDE = 560
"""Pixels of width from which one line is enough."""
NOBODY = Layer()
"""What the chapters show where there is no layer: defaults."""


class _Head(QWidget):
    """A chapter's title; a double-click expands the chapter, or restores it."""

    doubled = pyqtSignal()
    pulled = pyqtSignal()
    """It is dragged by the title to another chapter."""

    def __init__(self) -> None:
        super().__init__()
        self._pressed: QPointF | None = None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if is_pulled(self._pressed, event.position()):
            self._pressed = None
            self.pulled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._pressed = None
        self.doubled.emit()


class Chapter(SteadyRows):
    """One chapter: title, sentence, what it holds, and the way to more. It has its place in the strip and keeps it."""

    expand_asked = pyqtSignal()
    """It is to have the whole strip, or to give it back."""
    add_asked = pyqtSignal()
    pin_asked = pyqtSignal()
    """It is to stay while another layer is selected."""

    def __init__(self, desk: Desk, name: str, body: Any, subject: OfLayer, standing: Standing | None = None) -> None:
        super().__init__()
        self.desk, self.name, self.subject = desk, name, subject
        self.body = body
        self._mark: QColor | None = None
        """The colour of the mark that is painted."""
        self._place: Layer | None = None
        """Where the layer stands that the chapter was copied from."""
        self.setAcceptDrops(True)
        self.title, self._help = title_of(name), help_of(name)
        self.setAccessibleName(self.title)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMinimumWidth(LEAST[name])
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 4, 3)
        column.setSpacing(3)
        head = _Head()
        head.setToolTip(f"{self._help} Double-click: expand, restore.")
        head.doubled.connect(self.expand_asked)
        head.pulled.connect(lambda: drag_text(self, self.as_text()))
        self.heading = label = QLabel(self.title)
        heading = QHBoxLayout(head)
        heading.setContentsMargins(0, 0, 0, 0)
        label.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        label.setContentsMargins(5, 0, 0, 0)
        heading.addWidget(label)
        heading.addStretch(1)
        column.addWidget(head)
        self.sentence = Sentence(desk, subject)
        self.told_in = Scrolling(self.sentence)
        column.addWidget(self.told_in)
        column.addWidget(body, 1)
        self.standing = standing
        self.add_button = WordButton("+ add (/)", f"Add to {self.title}: type any word for it")
        self.add_button.clicked.connect(self.add_asked)
        if standing is not None:
            self.all_button = WordButton("show all", f"Show every field of {self.title}", checkable=True)
            self.all_button.toggled.connect(standing.show_all)
            foot = QHBoxLayout()
            foot.setSpacing(2)
            for button in (self.add_button, self.all_button):
                button.setFixedHeight(22)
            foot.addWidget(self.add_button)
            self.offer = WordButton("", "", icon="plus")
            self.offer.colour = theme.EMBER
            self.offer.setFixedHeight(22)
            self.offer.setAccessibleName("keep the density")
            self.offer.hide()
            foot.addWidget(self.offer)
            self.place_offer = WordButton("its place too", "Copy its place as well", icon="plus")
            self.place_offer.colour = theme.EMBER
            self.place_offer.setFixedHeight(22)
            self.place_offer.clicked.connect(self._take_place)
            self.place_offer.hide()
            foot.addWidget(self.place_offer)
            foot.addStretch(1)
            foot.addWidget(self.all_button)
            column.addLayout(foot)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        super().enterEvent(event)
        self.desk.hinted.emit("Scroll the strip, or press a name above · F2 writes the sentence · letters begin a search · / adds", None)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.told_in.setFixedHeight(room_for(1 if self.width() > _WIDE else SENTENCE))

    def stops(self) -> list[QWidget]:
        """What of it takes the keyboard, as it lies; the sentence tells the same as its rows."""
        tab = Qt.FocusPolicy.TabFocus
        taking = [
            (not self.body.isAncestorOf(inner), self._height_of(inner), inner.mapTo(self, QPoint()).x(), i, inner)
            for i, inner in enumerate(self.findChildren(QWidget))
            if inner.focusPolicy() & tab == tab
            and inner.isVisibleTo(self)
            and inner.isEnabled()
            and not self.sentence.isAncestorOf(inner)
            and inner.focusProxy() is None
        ]
        return [inner for *_, inner in sorted(taking)]

    def _height_of(self, inner: QWidget) -> int:
        """The line in which something lies."""
        return (inner.mapTo(self, QPoint()).y() + inner.height() // 2) // 12

    def show_whole(self, inner: QWidget) -> None:
        """Scrolls what holds something of it until it is seen."""
        area = Scrolling.around(inner)
        if area is not None and self.isAncestorOf(area):
            area.ensureWidgetVisible(inner, 0, 4)

    def called(self, layer: Layer) -> str:
        """What stands above the chapter of a layer."""
        return self.title

    def show_told(self, told: Told, layer: Layer) -> None:
        """Shows the sentence, in the room that it has."""
        if not self.near():
            self.settle()
        self.sentence.show_told(told, layer)
        with_whom = shared_with(self.desk, layer, (self.name,))
        self.heading.setText(self.called(layer) + (" · shared" if with_whom else ""))
        self.heading.setToolTip(f"Shared with {with_whom}: an edit is for all of them." if with_whom else "")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            copy_text(self.as_text())
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.take(clipboard_text())
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = Menu(self)
        menu.addAction(f"{self.title} back to its defaults").triggered.connect(self.reset)
        menu.addAction(f"Copy {self.title}\tCtrl+C").triggered.connect(lambda: copy_text(self.as_text()))
        menu.addAction(f"Paste {self.title}\tCtrl+V").triggered.connect(lambda: self.take(clipboard_text()))
        own = menu.addMenu(f"Saved {self.title}")
        for name, part in self._own().items():
            own.addAction(name).triggered.connect(lambda _=False, part=part: self._change("saved", part))
        own.addAction("Save this one as…").triggered.connect(self._ask_keep)
        offer_sharing(own, self, f"chapters/{self.name}", "", self.part)
        layer = self.subject.root
        if isinstance(layer, Layer) and self.name != PLACE:
            add_sharing(menu, self.desk, layer, (self.name,), self.title)
        menu.addAction("Pin to compare with another layer").triggered.connect(self.pin_asked)
        menu.addSeparator()
        menu.addAction("Expand, restore").triggered.connect(self.expand_asked)
        menu.open_at(event.globalPos())

    # As a whole ------------------------------------------------------------------------------------------------

    def _change(self, name: str, part: Part) -> None:
        """Makes it another chapter whole, on all layers that are chosen."""
        self.subject.change_chapter(f"{self.title}: {name}", self.name, part)

    def reset(self) -> None:
        """All of it back to its defaults."""
        self._change("reset", kind_of(self.name)())

    def _own(self) -> dict[str, Part]:
        return kept_parts(f"chapters/{self.name}", kind_of(self.name))

    def _ask_keep(self) -> None:
        name, ok = QInputDialog.getText(self, f"Save {self.title}", "What is it called?")
        if ok and name.strip() and self.subject.root is not None:
            keep_own(f"chapters/{self.name}", name.strip(), self.part())

    def part(self) -> Part:
        """What the chapter is on its layer."""
        return part_of(self.subject.root, self.name)

    def as_text(self) -> str:
        """The whole chapter as a text that the same chapter of any layer takes."""
        root = self.subject.root
        where = {"place": plain_of(root, PLACE)} if self.name == "outlet" else {}
        return own_text(self.name, value=plain_of(root, self.name), **where)

    def take(self, text: str) -> bool:
        """Takes a chapter from a text, or one field of it that was copied; says whether there was one that fits."""
        raw = from_own_text(text, self.name)
        if raw is None:
            return self._take_field(text)
        part, problems = read(kind_of(self.name), raw.get("value"))
        if any(not problem.notice for problem in problems):
            return False
        self._change("as another layer's", part)
        where, problems = read(Layer, raw.get("place", {}))
        self._place = where if "place" in raw and not any(not problem.notice for problem in problems) else None
        layer = self.subject.root
        self.place_offer.setVisible(self._place is not None and part_of(layer, PLACE) != part_of(self._place, PLACE))
        return True

    def _take_place(self) -> None:
        """Takes the place of the layer that the chapter was copied from."""
        self.place_offer.hide()
        if self._place is not None:
            self.subject.change_chapter("Place: as another layer's", PLACE, self._place)

    def _take_field(self, text: str) -> bool:
        """Takes a field that was copied from another layer into the same one here."""
        raw = from_own_text(text, "value")
        path = tuple(raw.get("path", ())) if raw is not None else ()
        if not path or chapter_of(path) != self.name or not isinstance(self.body, ChapterRows):
            return False
        row = self.body.fields.reveal(tuple(step for step in path if isinstance(step, str)))
        return isinstance(row, FieldRow) and row.take(text)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if from_own_text(dropped_text(event), self.name) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        if self.take(dropped_text(event)):
            event.acceptProposedAction()

    def findings(self) -> list[Finding]:
        """What the checks found in it."""
        root = self.subject.root
        if not isinstance(root, Layer):
            return []
        names = STANDING if self.name == PLACE else (self.name,)
        return [finding for name in names for finding in self.desk.findings.at(root.id, (name,))]

    def mark_findings(self) -> None:
        """Marks whether the checks found something in it."""
        if colour_of(self.findings()) != self._mark:
            self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.EMBER, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(theme.SURFACE)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        found = self.findings()
        self._mark = colour_of(found)
        if found:
            left = self.heading.x() + self.heading.sizeHint().width() + 22
            paint_mark(painter, QRectF(left, 11, 12, 12), found)


class PinnedChapter(Chapter):
    """A chapter of a layer that stays while another layer is selected."""

    closed = pyqtSignal()

    def __init__(self, desk: Desk, name: str, body: Any, subject: OfLayer, standing: Standing | None = None) -> None:
        super().__init__(desk, name, body, subject, standing)
        give = WordButton("copy all", f"Copy all of {self.title} to the selected layer")
        give.setFixedHeight(20)
        give.clicked.connect(lambda: OfLayer(desk).change_chapter(f"{self.title}: as another layer's", name, self.part()))
        close = IconButton("cross", "Close", size=18)
        close.clicked.connect(self.closed)
        heading = self.heading.parentWidget().layout()
        for button in (give, close):
            heading.addWidget(button)
        self.add_button.hide()

    def called(self, layer: Layer) -> str:
        return f"{self.title} of {layer.name}"

    def show_pinned(self, effect: Effect, other: Layer | None) -> None:
        """Shows the chapter as it is on its layer, and marks what is otherwise on the layer that is selected."""
        layer = self.subject.root
        if layer is None:
            return
        self.show_told(TOLD[self.name](effect, layer), layer)
        self.body.show_layer(layer)
        self.body.mark_differing((other,) if other is not None and other.id != layer.id else ())


class ChapterRows(Scrolling):
    """The rows of a chapter that stand."""

    def __init__(self, desk: Desk, subject: OfLayer, chapter: str, skip: tuple[str, ...] = ()) -> None:
        self.standing = Standing()
        only = STANDING if chapter == PLACE else ()
        self.fields = StandingFields(desk, subject, below(chapter), kind_of(chapter), self.standing, skip, only=only)
        self.fields.setContentsMargins(0, 0, 3, 0)
        super().__init__(self.fields)
        self._layer: Layer | None = None
        self.standing.changed.connect(self._again)

    def show_layer(self, layer: Layer) -> None:
        """Shows a layer."""
        self._layer = layer
        self.fields.show_root(layer)

    def mark_differing(self, others: Sequence[Layer]) -> None:
        """Marks the rows that another layer, of those that are told, has otherwise."""
        for row in self.fields.rows:
            row.mark_differing(others)

    def _again(self) -> None:
        if self._layer is not None:
            self.fields.show_root(self._layer)

    def sizeHint(self) -> QSize:
        return QSize(150, 100)


class LookRows(ChapterRows):
    """The rows of the Look, with its picture before them."""

    def __init__(self, desk: Desk, subject: OfLayer) -> None:
        super().__init__(desk, subject, "look", skip=("picture",))
        self.subject = subject
        self.picture = PictureEdit(desk)
        self.picture.edited.connect(self._picture_edited)
        self.fields.put_first(self.picture)

    def _picture_edited(self, look: Look, stroke: object) -> None:
        self.subject.change("picture", ("look",), look, stroke)

    def show_layer(self, layer: Layer) -> None:
        """Shows a layer."""
        self.picture.show_look(layer.look)
        super().show_layer(layer)
