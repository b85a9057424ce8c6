"""The layers beside the stage: the ruler, the rows, and how a layer is added."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QWheelEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import with_cue, with_value
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.kit.cached_painting import ById, CachedPainting
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.tab_stops import ButtonRow
from pale_ember.studio.layers.layer_table import LayerTable
from pale_ember.studio.layers.moments_strip import MomentsStrip
from pale_ember.studio.layers.overdraw_row import PaintedRow
from pale_ember.studio.layers.reference_row import ReferenceRow
from pale_ember.studio.layers.row import NAMES, RULER, PlayheadMark, paint_diamond, paint_playhead
from pale_ember.studio.layers.start_cards import Previews, StartCards
from pale_ember.studio.layers.trims import TrimRow
from pale_ember.studio.layers.variants import VariantsButton

_NEAR = 6
"""Pixels from a cue within which it is taken hold of."""


class Ruler(QWidget):
    """The effect's time above the rows: it stays while they scroll, and takes the playhead and the cues by the hand."""

    events_asked = pyqtSignal()

    def __init__(self, table: LayerTable) -> None:
        super().__init__()
        self.table = table
        self._begun: float | None = None
        """Where a drag began."""
        self._cue: int | None = None
        """The cue that is in the hand."""
        self._stroke: object = None
        self._still, self._head, self._part = CachedPainting(self), PlayheadMark(self, 7), table.desk.player.part
        self.setToolTip("Drag to scrub; with Shift, the part that is played over and over (Shift and a click: all of it)")
        self.setFixedHeight(RULER)
        self.setAccessibleName("time of the effect")
        table.desk.player.moved.connect(self._moved)
        table.desk.document.changed.connect(lambda: self.update())
        table.zoomed.connect(self.update)
        table.counted.connect(self.update)
        table.desk.looking.changed.connect(self.update)

    def _moved(self) -> None:
        """Paints anew where the playhead was and where it is, or all where another part is played."""
        self._head.move(self.table.playhead_x())
        if self.table.desk.player.part != self._part:
            self._part = self.table.desk.player.part
            self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.table.wheelEvent(event)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.table.see_all()

    def _cue_near(self, x: float) -> int | None:
        """The cue whose mark is at a place."""
        tempo = self.table.desk.effect.tempo
        away = [abs(self.table.x_at(cue.at / tempo) - x) for cue in self.table.desk.effect.cues]
        return away.index(min(away)) if away and min(away) <= _NEAR else None

    def _set_cue(self, index: int, x: float) -> None:
        effect = self.table.desk.effect
        at = round(min(max(self.table.snapped(self.table.time_at(x), cue=index) * effect.tempo, 0.0), effect.duration), 3)
        changed = with_value(effect, ("cues", index, "at"), at)
        self.table.desk.document.change(f"cue {effect.cues[index].name}", changed, self._stroke)

    def add_cue(self, x: float) -> None:
        """Names the moment at a place of the ruler."""
        effect = self.table.desk.effect
        more, name = with_cue(effect, self.table.time_at(x) * effect.tempo)
        self.table.desk.document.change(f"add {name}", more)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu, x, effect = Menu(self), float(event.pos().x()), self.table.desk.effect
        index = self._cue_near(x)
        if index is not None:
            rest = (*effect.cues[:index], *effect.cues[index + 1 :])
            menu.addAction(f"Remove {effect.cues[index].name}").triggered.connect(
                lambda: self.table.desk.document.change("remove cue", replace(effect, cues=rest))
            )
        menu.addAction("Cue here").triggered.connect(lambda: self.add_cue(x))
        menu.addAction("Names and events…").triggered.connect(self.events_asked)
        menu.open_at(event.globalPos())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        index = self._cue_near(event.position().x()) if event.position().y() > RULER - 12 else None
        if event.button() == Qt.MouseButton.LeftButton and index is not None:
            self._cue, self._stroke = index, object()
        elif event.button() == Qt.MouseButton.LeftButton and event.position().x() >= NAMES - 8:
            self._begun = event.position().x()
            self.table.take_time(self._begun, self._begun, event.modifiers())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._cue is not None:
            self._set_cue(self._cue, event.position().x())
        elif self._begun is not None:
            self.table.take_time(self._begun, event.position().x(), event.modifiers())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._begun = self._cue = None
        self.table.desk.document.end_stroke()

    def _paint_sum(self, painter: QPainter) -> None:
        """Paints how many live in all, faintly behind the times; kept while it is the same."""
        shown = [
            self.table.alive[layer.id]
            for layer in self.table.desk.effect.layers
            if layer.id in self.table.alive and self.table.desk.looking.is_live(layer)
        ]
        steps = min((len(counts) for counts in shown), default=0)
        if steps > 1:
            key = (*(ById(counts) for counts in shown), self.table.seen(), self.table.desk.effect.steps)
            self._still.paint(painter, key, lambda inner: self._draw_sum(inner, shown, steps))

    def _draw_sum(self, painter: QPainter, shown: list[np.ndarray], steps: int) -> None:
        """shown : (steps or more,) each, how many of a layer live after each step."""
        counts = np.sum([counts[:steps] for counts in shown], axis=0)
        some = np.unique(np.linspace(0, steps - 1, 240).astype(int))
        xs = [self.table.x_at(step / self.table.desk.effect.steps) for step in some.tolist()]
        tops = (RULER - 2 - (RULER - 6) * counts[some] / max(int(counts.max()), 1)).tolist()
        line = [QPointF(x, y) for x, y in zip(xs, tops, strict=True)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.with_alpha(theme.ASH, 0.16))
        painter.setClipRect(QRectF(NAMES, 0, self.width() - NAMES, RULER))
        painter.drawPolygon(QPolygonF([QPointF(xs[0], RULER), *line, QPointF(xs[-1], RULER)]))

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_sum(painter)
        painter.setFont(theme.font(theme.SMALL))
        for time, x in self.table.ticks():
            painter.setPen(theme.ASH)
            text = f"{time:g}" + (" s" if time == 0 else "")
            painter.drawText(QRectF(x - 20, 0, 40, 13), Qt.AlignmentFlag.AlignCenter, text)
            painter.setPen(QPen(theme.with_alpha(theme.LINE, 0.5), 1))
            painter.drawLine(QPointF(x, RULER - 3), QPointF(x, RULER))
        part = self.table.desk.player.part
        if part is not None:
            left, right = self.table.x_at(part[0]), self.table.x_at(part[1])
            painter.fillRect(QRectF(left, 0, right - left, RULER), theme.with_alpha(theme.GLASS, 0.18))
            painter.setPen(QPen(theme.GLASS, 1.4))
            for x in (left, right):
                painter.drawLine(QPointF(x, 2), QPointF(x, RULER))
        painter.setFont(theme.font(theme.SMALL))
        for cue in self.table.desk.effect.cues:
            x = self.table.x_at(cue.at / self.table.desk.effect.tempo)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.EMBER)
            paint_diamond(painter, QPointF(x, RULER - 5))
            painter.setPen(theme.EMBER)
            wide = fitted_text.width_of(cue.name, theme.SMALL)
            # Beside its mark, on the side that has room.
            left = x + 6 if x + 6 + wide <= self.width() else x - 6 - wide
            painter.drawText(QPointF(left, RULER - 1), cue.name)
        head = self.table.playhead_x()
        paint_playhead(painter, head, RULER - 6, RULER)
        if head is not None:
            painter.setBrush(theme.GLASS)
            painter.setPen(Qt.PenStyle.NoPen)
            corners = (QPointF(head - 5, RULER - 12), QPointF(head + 5, RULER - 12), QPointF(head, RULER - 4))
            painter.drawPolygon(QPolygonF(corners))


class LayersPanel(QWidget):
    """The table under its title: pictures of the effect and its time stay above the rows, which are scrolled."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(2, 0, 0, 0)
        column.setSpacing(0)
        head = QHBoxLayout()
        head.setContentsMargins(12, 2, 12, 0)
        title = QLabel("Layers")
        title.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        head.addWidget(title)
        self.table = LayerTable(desk)
        self.table.start_asked.connect(self.open_starts)
        self.previews = Previews()
        self.add_button = WordButton("", "Add a layer", icon="plus")
        self.add_button.setAccessibleName("add a layer")
        self.add_button.colour = theme.EMBER
        self.add_button.clicked.connect(self.open_starts)
        head.addWidget(self.add_button)
        head.addStretch(1)
        self.events = WordButton("events", "Events from the game, and named moments (cues)")
        self.variants = VariantsButton(desk)
        head.addWidget(self.events)
        head.addWidget(self.variants)
        ButtonRow(self, self.add_button, self.events, self.variants)
        column.addLayout(head)
        self.strip = MomentsStrip(self.table)
        column.addWidget(self.strip)
        self.ruler = Ruler(self.table)
        column.addWidget(self.ruler)
        self.reference = ReferenceRow(self.table)
        column.addWidget(self.reference)
        self.area = Scrolling(self.table)
        column.addWidget(self.area, 1)
        self.painted = PaintedRow(self.table)
        column.addWidget(self.painted)
        self.foot = QVBoxLayout()
        self.foot.setContentsMargins(10, 0, 12, 0)
        self.trims = TrimRow(desk)
        self.foot.addWidget(self.trims)
        column.addLayout(self.foot)
        self.desk = desk
        desk.selected.connect(lambda: QTimer.singleShot(0, self.show_selected))

    def show_selected(self) -> None:
        """Scrolls until the selected row is seen whole."""
        if self.desk.layer is not None:
            box = self.table.row_box(self.table.row_of(self.desk.selection))
            self.area.ensureVisible(0, round(box.center().y()), 0, self.table.row // 2 + 1)

    def open_starts(self) -> StartCards:
        """Opens the starting points."""
        cards = StartCards(self, self.previews)
        cards.chosen.connect(self.table.add)
        cards.open_beside(self.add_button)
        return cards

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)
