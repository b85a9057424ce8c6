"""A chapter of the story: its title, its sentence, the rows that stand, and the way to more."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QFontMetricsF,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QInputDialog, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.chapters import Look
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.insight.checks.finding import Finding
from pale_ember.core.insight.sentences import TOLD, Told
from pale_ember.studio.controls.buttons import IconButton, WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.mends import colour_of, paint_mark
from pale_ember.studio.fields.sentence import Sentence
from pale_ember.studio.fields.sharing import add_sharing, shared_with
from pale_ember.studio.fields.standing import Standing, StandingFields
from pale_ember.studio.fields.subject import OfLayer
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.clipboard import (
    clipboard_text,
    copy_text,
    drag_text,
    dropped_text,
    from_own_text,
    is_pulled,
    own_text,
)
from pale_ember.studio.kit.own import keep_own, own_parts
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.story.picture import PictureEdit

LEAST = {
    "outlet": 234, "birth": 256, "life": 260, "forces": 240, "contact": 186, "offspring": 226, "look": 220,
}  # fmt: skip
"""Pixels below which a chapter's numbers would be cut."""
EDGE = 32
GAP = 6
NOBODY = Layer()
"""What the chapters show where there is no layer: defaults."""


class _Head(QWidget):
    """A chapter's title; a double-click gives the chapter the whole strip, or gives it back."""

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


class Chapter(QWidget):
    """One chapter: title, sentence, what it holds, and the way to more. Folds to an edge that keeps its title and
    sentence."""

    folded_changed = pyqtSignal()
    whole_asked = pyqtSignal()
    """It is to have the whole strip, or to give it back."""
    add_asked = pyqtSignal()
    keep_asked = pyqtSignal()
    """It is to be kept standing while another layer is selected."""

    def __init__(
        self, desk: Desk, name: str, body: QWidget, subject: OfLayer, standing: Standing | None = None
    ) -> None:
        super().__init__()
        self.desk, self.name, self.subject, self.folded = desk, name, subject, False
        self.body = body
        self._mark: QColor | None = None
        """The colour of the mark that is painted."""
        self._laid = False
        """Whether it was folded or opened before."""
        self.setAcceptDrops(True)
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
        head.pulled.connect(lambda: drag_text(self, self.as_text()))
        self.heading = label = QLabel(self.title)
        heading = QHBoxLayout(head)
        heading.setContentsMargins(0, 0, 0, 0)
        label.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        label.setContentsMargins(5, 0, 0, 0)
        heading.addWidget(label)
        heading.addStretch(1)
        self.fold_button = IconButton("fold", f"Fold {self.title}", size=18)
        self.fold_button.clicked.connect(lambda: self.fold(True))
        heading.addWidget(self.fold_button)
        column.addWidget(head)
        self.sentence = Sentence(desk, subject)
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
            self.offer.setAccessibleName("keep the density")
            self.offer.hide()
            foot.addWidget(self.offer)
            foot.addStretch(1)
            foot.addWidget(self.all_button)
            column.addLayout(foot)
            self._parts += [self.add_button, self.all_button]

    def fold(self, folded: bool) -> None:
        if folded == self.folded and self._laid:
            return
        self._laid = True
        focus = QApplication.focusWidget()
        if folded and focus is not None and self.isAncestorOf(focus):
            self.setFocus()
        self.folded = folded
        for part in self._parts:
            part.setVisible(not folded)
        self.setMinimumWidth(EDGE if folded else LEAST[self.name])
        self.setMaximumWidth(EDGE if folded else 16777215)
        self.setCursor(Qt.CursorShape.PointingHandCursor if folded else Qt.CursorShape.ArrowCursor)
        self.folded_changed.emit()
        self.update()

    def called(self, layer: Layer) -> str:
        """What stands above the chapter of a layer."""
        return self.title

    def show_told(self, told: Told, layer: Layer) -> None:
        """Shows the sentence. What stands below it moves only while the pointer is not there."""
        if self.folded:
            if self.sentence.tell(told):
                self.setToolTip(f"{self.title}: {self.sentence.text}")
                self.update()
            return
        below = self.underMouse() and not self.sentence.underMouse()
        self.sentence.show_told(told, layer, steady=below)
        self.setToolTip("")
        with_whom = shared_with(self.desk, layer, (self.name,))
        self.heading.setText(self.called(layer) + (" · shared" if with_whom else ""))
        self.heading.setToolTip(f"Shared with {with_whom}: an edit is for all of them." if with_whom else "")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self.folded:
            self.fold(False)

    def leaveEvent(self, event: QEvent) -> None:
        self.sentence.settle()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.folded and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.fold(False)
        elif event.matches(QKeySequence.StandardKey.Copy):
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
        own = menu.addMenu(f"{self.title} of your own")
        for name, part in self._own().items():
            own.addAction(name).triggered.connect(lambda _=False, part=part: self._change("one of your own", part))
        own.addAction("Keep this one as…").triggered.connect(self._ask_keep)
        layer = self.subject.root
        if isinstance(layer, Layer):
            add_sharing(menu, self.desk, layer, (self.name,), self.title)
        menu.addAction("Keep it beside while another layer is selected").triggered.connect(self.keep_asked)
        menu.addSeparator()
        menu.addAction("The whole strip, or back").triggered.connect(self.whole_asked)
        menu.addAction("Unfold" if self.folded else "Fold").triggered.connect(lambda: self.fold(not self.folded))
        menu.open_at(event.globalPos())

    # As a whole ------------------------------------------------------------------------------------------------

    def _change(self, name: str, part: Part) -> None:
        self.subject.change(f"{self.title}: {name}", (self.name,), part, whole=True)

    def reset(self) -> None:
        """All of it back to its defaults."""
        self._change("reset", fields_of(Layer)[self.name].type())

    def _own(self) -> dict[str, Part]:
        return own_parts(f"chapters/{self.name}", fields_of(Layer)[self.name].type)

    def _ask_keep(self) -> None:
        name, ok = QInputDialog.getText(self, f"{self.title} of your own", "What is it called?")
        if ok and name.strip() and self.subject.root is not None:
            keep_own(f"chapters/{self.name}", name.strip(), getattr(self.subject.root, self.name))

    def as_text(self) -> str:
        """The whole chapter as a text that the same chapter of any layer takes."""
        return own_text(self.name, value=plain(getattr(self.subject.root, self.name)))

    def take(self, text: str) -> bool:
        """Takes a chapter from a text; says whether there was one that fits."""
        raw = from_own_text(text, self.name)
        if raw is None:
            return False
        part, problems = read(fields_of(Layer)[self.name].type, raw.get("value"))
        if any(not problem.notice for problem in problems):
            return False
        self._change("as another layer's", part)
        return True

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if from_own_text(dropped_text(event), self.name) is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        if self.take(dropped_text(event)):
            event.acceptProposedAction()

    def _findings(self) -> list[Finding]:
        """What the checks found in it."""
        root = self.subject.root
        return self.desk.findings.at(root.id, (self.name,)) if isinstance(root, Layer) else []

    def mark_findings(self) -> None:
        """Marks whether the checks found something in it."""
        if colour_of(self._findings()) != self._mark:
            self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.EMBER, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(theme.RAISED if self.folded and self.underMouse() else theme.SURFACE)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 7, 7)
        found = self._findings()
        self._mark = colour_of(found)
        if found:
            at = (
                (self.width() / 2 - 6, 8.0)
                if self.folded
                else (self.heading.x() + self.heading.sizeHint().width() + 22, 11.0)
            )
            paint_mark(painter, QRectF(*at, 12, 12), found)
        if not self.folded:
            return
        painter.translate(0, self.height())
        painter.rotate(-90)
        painter.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        painter.setPen(theme.BONE)
        painter.drawText(QRectF(12, 0, 90, self.width()), Qt.AlignmentFlag.AlignVCenter, self.title)
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        room = self.height() - (110 if found else 90)
        text = QFontMetricsF(painter.font()).elidedText(self.sentence.text, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(80, 0, room, self.width()), Qt.AlignmentFlag.AlignVCenter, text)


class KeptChapter(Chapter):
    """A chapter of a layer that stays while another layer is selected."""

    closed = pyqtSignal()

    def __init__(
        self, desk: Desk, name: str, body: QWidget, subject: OfLayer, standing: Standing | None = None
    ) -> None:
        super().__init__(desk, name, body, subject, standing)
        self.fold_button.clicked.disconnect()
        self.fold_button.show_icon("cross")
        self.fold_button.setToolTip("Close")
        self.fold_button.clicked.connect(self.closed)
        give = WordButton("give all", f"Gives all of {self.title} to the layer that is selected")
        give.setFixedHeight(20)
        give.clicked.connect(
            lambda: OfLayer(desk).change(f"{self.title}: as another layer's", (name,), self.value(), whole=True)
        )
        heading = self.heading.parentWidget().layout()
        if isinstance(heading, QHBoxLayout):
            heading.insertWidget(heading.count() - 1, give)
        self.add_button.hide()
        self.setMinimumWidth(LEAST[name])

    def called(self, layer: Layer) -> str:
        return f"{self.title} of {layer.name}"

    def value(self) -> object:
        """What the chapter is on its layer."""
        return getattr(self.subject.root, self.name)

    def show_kept(self, effect: Effect, other: Layer | None) -> None:
        """Shows the chapter as it is on its layer, and marks what is otherwise on the layer that is selected."""
        layer = self.subject.root
        if layer is None:
            return
        self.show_told(TOLD[self.name](effect, layer), layer)
        self.body.show_layer(layer)  # type: ignore[attr-defined]
        self.body.mark_differing(other if other is not None and other.id != layer.id else None)  # type: ignore[attr-defined]


class Rows(Scrolling):
    """The rows of a chapter that stand."""

    def __init__(self, desk: Desk, subject: OfLayer, chapter: str, skip: tuple[str, ...] = ()) -> None:
        self.standing = Standing()
        kind = fields_of(Layer)[chapter].type
        self.fields = StandingFields(desk, subject, (chapter,), kind, self.standing, skip)
        self.fields.setContentsMargins(0, 0, 3, 0)
        super().__init__(self.fields)
        self._layer: Layer | None = None
        self.standing.changed.connect(self._again)

    def show_layer(self, layer: Layer) -> None:
        self._layer = layer
        self.fields.show_root(layer)

    def mark_differing(self, other: Layer | None) -> None:
        """Marks the rows that another layer has otherwise."""
        for row in self.fields.rows:
            row.mark_differing(other)

    def _again(self) -> None:
        if self._layer is not None:
            self.fields.show_root(self._layer)

    def sizeHint(self) -> QSize:
        return QSize(150, 100)


class LookRows(Rows):
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
        self.picture.show_look(layer.look)
        super().show_layer(layer)
