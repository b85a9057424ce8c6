"""Layers and the effect's time in one: a row is a layer, its bar the active span, its graph how many live."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDragEnterEvent, QDragMoveEvent, QDropEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from pale_ember.core.effect import edit
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.tree import chain_of
from pale_ember.studio.controls.text_entry import OpenLine
from pale_ember.studio.document.asset_import import dropped
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.fix_menu import colour_of, paint_mark
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.cached_painting import ById, CachedPainting
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.layers.bar_drags import BarDrag
from pale_ember.studio.layers.edits import LayerEdits
from pale_ember.studio.layers.row import (
    GRAB,
    LINK,
    LOW,
    NAMES,
    ROW,
    TOP,
    PlayheadMark,
    RowState,
    fold_box,
    paint_ground,
    paint_name,
    paint_playhead,
    paint_row,
)
from pale_ember.studio.layers.spawn_link_drag import Link

_FEW = 4
"""Layers up to which rows are high."""


class LayerTable(LayerEdits):
    """The rows, painted and driven here."""

    counted = pyqtSignal()
    """More is known of how many live in the loop."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.alive: dict[str, np.ndarray] = {}
        self.now: dict[str, int] = {}
        self._drag: Callable[[QPointF], None] | None = None
        self._drop: int | None = None
        self._line: OpenLine | None = None
        self._stills: dict[str, CachedPainting] = {}
        self._marks: dict[str, QColor | None] = {}
        """By layer the colours of the marks that are shown."""
        self._link: Link | None = None
        """The layer that is dragged to one it is to spawn."""
        self._head = PlayheadMark(self, 7)
        self.row = ROW
        """Pixels of a row: fewer where there are many."""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Layers")
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        desk.document.changed.connect(self._resized)
        desk.selected.connect(self.update)
        desk.selected.connect(lambda: desk.looking.unfold_to(desk.selection))
        desk.looking.changed.connect(self._looked)
        desk.looking.pointing.connect(self.update)
        desk.findings.changed.connect(self._checked)
        desk.player.moved.connect(self._playhead_moved)
        self._resized()

    # What is shown ---------------------------------------------------------------------------------------------

    def show_alive(self, alive: dict[str, np.ndarray]) -> None:
        """Takes the counts of one loop, by layer and step."""
        self.alive = alive
        self.counted.emit()
        self.update()

    def show_now(self, now: dict[str, int]) -> None:
        if now != self.now:
            self.now = now
            self.update(0, 0, NAMES, self.height())

    @property
    def layers(self) -> tuple[Layer, ...]:
        """The layers that have a row."""
        return self.desk.looking.listed()

    def _checked(self) -> None:
        """Marks the rows in which the checks found something."""
        marks = {layer.id: colour_of(self.desk.findings.at(layer.id)) for layer in self.layers}
        for index, layer in enumerate(self.layers):
            if marks[layer.id] != self._marks.get(layer.id):
                self.update(self.row_box(index).toAlignedRect())
        self._marks = marks

    def _looked(self) -> None:
        if self.minimumHeight() != TOP + self.row * max(len(self.layers), 1):
            self._resized()
        self.update()

    def _resized(self) -> None:
        count = max(len(self.layers), 1)
        self.row = ROW if count <= _FEW else LOW
        self.setMinimumHeight(TOP + self.row * count)
        kept = {layer.id for layer in self.desk.effect.layers}
        self._stills = {identity: still for identity, still in self._stills.items() if identity in kept}
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(430, self.minimumHeight())

    def row_box(self, index: int) -> QRectF:
        """Where a row lies."""
        return QRectF(4, TOP + index * self.row, self.width() - 8, self.row - 2)

    def row_of(self, identity: str) -> int:
        """The row of a layer, or that of the folded layer it rides on."""
        by_id = {layer.id: layer for layer in self.desk.effect.layers}
        rows = {layer.id: i for i, layer in enumerate(self.layers)}
        return next((rows[layer.id] for layer in chain_of(by_id, by_id[identity]) if layer.id in rows), 0)

    def row_at(self, y: float) -> int | None:
        """The row at a height, if there is one."""
        index = int((y - TOP) // self.row)
        return index if 0 <= index < len(self.layers) else None

    def rename(self) -> None:
        """Opens the selected layer's name for typing."""
        layer = self.desk.layer
        if layer is None:
            return
        box = self.row_box(self.row_of(layer.id))
        place = QRect(int(box.left()) + 22, int(box.top()) + 4, NAMES - 44, 22)
        self._line = OpenLine(self, layer.name, lambda text: self._renamed(layer.id, text), place)
        self._line.setAccessibleName("layer name")

    def _renamed(self, identity: str, text: str) -> str:
        name = text.strip()
        if not name:
            return "expected a name for the layer"
        if edit.layer_of(self.desk.effect, identity) is not None:
            self.desk.document.change_layer(f"rename to {name}", identity, ("name",), name)
        return ""

    # Mouse -----------------------------------------------------------------------------------------------------

    def _choose_through(self, index: int) -> None:
        """Chooses all rows from the selected one to another."""
        ids = [layer.id for layer in self.layers]
        here = ids.index(self.desk.selection) if self.desk.selection in ids else index
        step = 1 if index >= here else -1
        self.desk.choose(tuple(ids[here : index + step or None : step]) if index + step >= 0 else tuple(ids[here::-1]))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if event.button() != Qt.MouseButton.LeftButton:
            index = self.row_at(at.y())
            if index is not None:
                self.desk.select(self.layers[index].id)
            return
        index = self.row_at(at.y())
        if index is not None and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.desk.choose_also(self.layers[index].id)
            return
        if index is not None and at.x() < NAMES and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._choose_through(index)
            return
        if index is None:
            return
        layer = self.layers[index]
        if at.x() < 26:
            self.toggle_shown(layer)
        elif fold_box(self.desk.effect, layer, self.row_box(index)).contains(at):
            self.desk.looking.fold(layer.id)
        elif NAMES - 28 <= at.x() < NAMES - 8:
            self.toggle_solo(layer)
        elif LINK - 3 <= at.x() < LINK + 17:
            self._link = Link(self.desk, layer.id, at)
            self._drag = self._link.move
        else:
            self.desk.select(layer.id)
            if at.x() < NAMES - GRAB:
                self._drag = self._reordering(layer)
            else:
                bars = BarDrag(
                    self.desk, layer, self.row_box(index).bottom(), at, self.x_at, lambda x: self.snapped(self.time_at(x), layer.id)
                )
                self._drag = bars.grip() or self._scrubbing(at, event.modifiers())

    def _scrubbing(self, at: QPointF, held: Qt.KeyboardModifier) -> Callable[[QPointF], None]:
        """Moves time once the pointer has moved; with Shift it draws the part that is played over and over."""

        pulled = False

        def drag(to: QPointF) -> None:
            nonlocal pulled
            pulled = pulled or abs(to.x() - at.x()) > GRAB
            if pulled:
                self.take_time(at.x(), to.x(), held)

        return drag

    def _reordering(self, layer: Layer) -> Callable[[QPointF], None]:
        def drag(to: QPointF) -> None:
            count = len(self.layers)
            self._drop = min(max(round((to.y() - TOP) / self.row), 0), count)
            self.update()

        return drag

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._drag(event.position())
            if self._link is not None:
                self.update()
        elif not event.buttons():
            row = self.row_at(event.position().y())
            self.desk.looking.point_at(self.layers[row].id if row is not None else "")

    def leaveEvent(self, event: QEvent) -> None:
        self.desk.looking.point_at("")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drop is not None and self.desk.layer is not None:
            self.drop_before(self.layers[self._drop].id if self._drop < len(self.layers) else None)
        link, self._link = self._link, None
        if link is not None:
            index = self.row_at(event.position().y())
            link.end(self, self.layers[index] if index is not None else None)
        self._drag = self._drop = None
        self.desk.document.end_stroke()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.row_at(event.position().y()) is not None and 26 <= event.position().x() < NAMES - 28:
            self._drag = None
            self.rename()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if dropped(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        event.setAccepted(self.row_at(event.position().y()) is not None)

    def dropEvent(self, event: QDropEvent) -> None:
        """A picture or a mesh becomes that of the layer it is dropped on."""
        row = self.row_at(event.position().y())
        if row is not None:
            identity = self.layers[row].id
            self.desk.select(identity)
            for path in dropped(event.mimeData())[:1]:
                self.desk.file_given.emit(path, identity)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.select_beside(-1 if key == Qt.Key.Key_Up else 1)
        elif key == Qt.Key.Key_Delete:
            self.delete()
        else:
            super().keyPressEvent(event)

    # Paint -----------------------------------------------------------------------------------------------------

    def _playhead_moved(self) -> None:
        self._head.move(self.playhead_x())

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        """Rows are painted as far as they are seen, each kept as a picture until something of it differs."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        layers = self.layers
        painter.setPen(QPen(theme.with_alpha(theme.LINE, 0.5), 1))
        for _, x in self.ticks():
            painter.drawLine(QPointF(x, 0), QPointF(x, TOP + self.row * len(layers)))
        first = max((event.rect().top() - TOP) // self.row, 0)
        last = min((event.rect().bottom() - TOP) // self.row, len(layers) - 1)
        for index in range(first, last + 1):
            layer = layers[index]
            if layer.id == self.desk.looking.pointed and layer.id not in self.desk.chosen:
                painter.fillRect(self.row_box(index), theme.with_alpha(theme.RAISED, 0.55))
            named = event.rect().left() < NAMES
            self._paint_kept(painter, layer, index, named=named)
            if named:
                self._paint_state(painter, layer, self.row_box(index))
        if not layers:
            painter.setPen(theme.ASH)
            box = QRectF(16, TOP, self.width() - 32, self.row)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, "No layers yet: press + above.")
        if self._link is not None:
            over, parent = self.row_at(self._link.at.y()), self.row_of(self._link.parent)
            target = self.row_box(over) if over is not None and over != parent else None
            self._link.paint(painter, self.row_box(parent), target)
        if self._drop is not None:
            y = TOP + self._drop * self.row - 1
            painter.setPen(QPen(theme.EMBER, 2))
            painter.drawLine(QPointF(8, y), QPointF(NAMES - 8, y))
        paint_playhead(painter, self.playhead_x(), 0, self.height())

    def _paint_kept(self, painter: QPainter, layer: Layer, index: int, *, named: bool) -> None:
        """Paints a row. named : with its name, which the playhead does not pass over."""
        effect, chosen, box = self.desk.effect, layer.id in self.desk.chosen, self.row_box(index)
        whole = effect.duration, effect.tempo, effect.steps, effect.loop, self.seen()
        looking = self.desk.looking
        doubted = bool(self.desk.findings.at(layer.id))
        look = looking.is_live(layer), looking.solo == layer.id, layer.id in looking.folded, doubted
        key = (ById(layer), ById(self.alive.get(layer.id)), whole, look)
        still = self._stills.setdefault(layer.id, CachedPainting(self))
        shown = RowState(effect, self.alive.get(layer.id), self.length(), self.seen(), self.width(), *look)
        paint_ground(painter, layer, box, chosen, chosen and self.hasFocus())
        if named:
            paint_name(painter, layer, box, shown, chosen)

        def draw(inner: QPainter) -> None:
            paint_row(inner, layer, self.row_box(0).translated(0, -TOP), shown)

        still.paint(painter, key, draw, QPoint(0, TOP + index * self.row), QSize(self.width(), self.row))

    def _paint_state(self, painter: QPainter, layer: Layer, box: QRectF) -> None:
        painter.setFont(theme.font(theme.SMALL))
        live = self.desk.looking.is_live(layer)
        alive = self.now.get(layer.id, 0)
        full = live and alive >= layer.outlet.limit > 0 and layer.outlet.at_limit == "refuse births"
        painter.setPen(theme.WARNING if full else theme.ASH if live else theme.DIM)
        found = self.desk.findings.at(layer.id)
        if found:
            paint_mark(painter, QRectF(LINK - 18, box.center().y() - 6, 12, 12), found)
        if self.row == LOW:
            place = QRectF(box.left(), box.top(), LINK - (28 if found else 10), box.height())
            side = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
            painter.drawText(place, side, f"{alive}" if live else "")
            return
        state = f"{alive} alive: at its limit" if full else f"{alive} alive" if live else "muted by solo" if layer.shown else "hidden"
        place = QRectF(box.left() + 24, box.top() + 22, NAMES - 82, 16)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, state)
