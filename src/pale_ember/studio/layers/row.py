"""One row of the layers: its name, what its particles do over the loop, and when the flow is on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.tree import chain_of
from pale_ember.core.simulate.rates import active_span
from pale_ember.core.variation.following import followed_by
from pale_ember.studio.controls.colour import layer_colour
from pale_ember.studio.kit import fitted_text, icons, theme

ROW, LOW = 46, 26
"""Pixels of a row, and of one where there are many."""
RULER = 24
TOP = 2
"""Pixels above the first row."""
NAMES = 198
LINK = NAMES - 46
"""Where a row is taken hold of to let its layer spawn another."""
MARGIN = 14
GRAB = 5
_MOST_MARKS = 12
"""Marks of lanes that a row has room for."""
_INDENT = 8
"""Pixels by which what rides on another layer is set in."""

_LANES = {"size": theme.BONE, "brightness": QColor("#d9c79a"), "opacity": theme.ASH, "speed": theme.GLASS}
"""The colours of the marks of lanes; the others are as those of opacity."""

TAGS = {
    "ember": QColor("#f6ab7a"),
    "sand": QColor("#d9c79a"),
    "moss": QColor("#9db06c"),
    "sea": QColor("#7fc8bb"),
    "plum": QColor("#b592c4"),
}
"""The colours of tags."""


@dataclass(frozen=True, slots=True)
class RowState:
    """What of the table a row shows besides its layer. alive : how many live after each step of the loop, as far as known.
    length : seconds of the loop. seen : the part of it that is. width : pixels of the table."""

    effect: Effect
    alive: np.ndarray | None
    length: float
    seen: tuple[float, float]
    width: int
    live: bool
    alone: bool
    folded: bool = False
    doubted: bool = False
    """Whether the mark of the checks stands where those of lanes would."""

    def x_at(self, time: float) -> float:
        begin, end = self.seen
        return NAMES + (time - begin) / (end - begin) * (self.width - NAMES - MARGIN)


def carries(effect: Effect, layer: Layer) -> bool:
    """Whether others ride on a layer."""
    return any(other.rides_on == layer.id for other in effect.layers)


def _inset(effect: Effect, layer: Layer) -> int:
    """Pixels by which a row is set in."""
    if not layer.rides_on:
        return 0
    return _INDENT * min(len(chain_of({other.id: other for other in effect.layers}, layer)) - 1, 3)


def fold_box(effect: Effect, layer: Layer, box: QRectF) -> QRectF:
    """Where a row is pressed to fold what rides on its layer; empty where nothing does."""
    if not carries(effect, layer):
        return QRectF()
    left = box.left() + 22 + _inset(effect, layer)
    return QRectF(left, box.top(), _INDENT + 6, box.height() if box.height() < ROW - 4 else 26)


def lanes_of(layer: Layer) -> list[QColor]:
    """A colour for each lane that differs from flat: what changes over age."""
    life = layer.life
    told = [
        ("size", life.size),
        ("brightness", life.brightness),
        ("opacity", life.opacity),
        ("speed", life.speed),
        *((lane.drives, lane.curve) for lane in life.more if lane.colours is None),
    ]
    marks = [_LANES.get(name, theme.ASH) for name, curve in told if curve is not None and not curve.is_flat()]
    coloured = [life.colour, *(lane.colours for lane in life.more)]
    return marks + [theme.EMBER for gradient in coloured if gradient is not None and len(gradient.stops) > 1]


def paint_ground(painter: QPainter, layer: Layer, box: QRectF, chosen: bool, focused: bool) -> None:
    """Paints the ground of a row."""
    if chosen:
        painter.setPen(QPen(theme.EMBER, 1) if focused else Qt.PenStyle.NoPen)
        painter.setBrush(theme.RAISED)
        painter.drawRoundedRect(box, 6, 6)
    if layer.tag in TAGS:
        # In as many pieces as its place in the list, for whoever does not tell the colours.
        pieces = [*TAGS].index(layer.tag) + 1
        high = (box.height() - 6 - 2 * (pieces - 1)) / pieces
        for i in range(pieces):
            painter.fillRect(QRectF(box.left(), box.top() + 3 + i * (high + 2), 3, high), TAGS[layer.tag])


def paint_name(painter: QPainter, layer: Layer, box: QRectF, shown: RowState, chosen: bool) -> None:
    """Paints the name of a row, and whether it is folded."""
    low = box.height() < ROW - 4
    inset = _inset(shown.effect, layer)
    if carries(shown.effect, layer):
        fold = fold_box(shown.effect, layer, box)
        painter.setPen(QPen(theme.BONE if shown.live else theme.DIM, 1.3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        middle, way = fold.center() - QPointF(0, 0), (QPointF(-2, -3), QPointF(2, 0), QPointF(-2, 3))
        turned = way if shown.folded else tuple(QPointF(-at.y(), at.x()) for at in way)
        painter.drawPolyline(QPolygonF([middle + at for at in turned]))
        inset += _INDENT + 3
    room = NAMES - (106 if low else 76) - inset
    font = QFont(fitted_text.fitting(layer.name, room - 4))
    font.setWeight(theme.font().Weight.DemiBold if chosen else theme.font().Weight.Medium)
    painter.setFont(font)
    painter.setPen(theme.BONE if shown.live else theme.DIM)
    name = QFontMetricsF(font).elidedText(layer.name, Qt.TextElideMode.ElideRight, room)
    place = QRectF(box.left() + 24 + inset, box.top() + (0 if low else 4), room, box.height() if low else 20)
    painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, name)
    if followed_by(shown.effect, layer.id) is not None:
        painter.setPen(QPen(theme.ASH, 1, Qt.PenStyle.DotLine))
        below, wide = place.center().y() + 8, QFontMetricsF(font).horizontalAdvance(name)
        painter.drawLine(QPointF(place.left(), below), QPointF(place.left() + wide, below))


def paint_row(painter: QPainter, layer: Layer, box: QRectF, shown: RowState) -> None:
    """Paints the rest of a row: its switches, and what its particles do over the loop."""
    middle = box.center().y()
    switch = QRectF(box.left() + 2, middle - 8, 16, 16)
    icons.paint(painter, "shown" if layer.shown else "hidden", switch, theme.BONE if shown.live else theme.DIM)
    alone = theme.EMBER if shown.alone else theme.DIM
    icons.paint(painter, "solo", QRectF(NAMES - 26, middle - 7, 14, 14), alone)
    links = theme.ASH if layer.offspring.rules else theme.with_alpha(theme.DIM, 0.7)
    icons.paint(painter, "lock" if layer.locked else "offspring", QRectF(LINK, middle - 7, 14, 14), links)
    if layer.look.order:
        painter.setFont(theme.font(10))
        painter.setPen(theme.ASH)
        painter.drawText(QPointF(NAMES - 8, box.top() + 9), f"{layer.look.order:+d}")
    painter.setPen(Qt.PenStyle.NoPen)
    marks = lanes_of(layer)[:_MOST_MARKS]
    name = QFontMetricsF(fitted_text.fitting(layer.name, NAMES - 106)).horizontalAdvance(layer.name)
    # A name is worth more than marks.
    room = LINK - 46 - 5 * (-(-len(marks) // 3)) - box.left() - 24 - _inset(shown.effect, layer)
    for i, mark in enumerate(marks if name <= room and not shown.doubted else ()):
        painter.setBrush(theme.with_alpha(mark, 0.9 if shown.live else 0.35))
        painter.drawEllipse(QPointF(LINK - 42 - 5 * (i // 3), middle - 5 + 5 * (i % 3)), 1.4, 1.4)
    painter.setClipRect(QRectF(NAMES - 6, box.top(), shown.width - NAMES - MARGIN + 12, box.height()))
    _paint_life(painter, layer, box, shown)


def _paint_life(painter: QPainter, layer: Layer, box: QRectF, shown: RowState) -> None:
    effect = shown.effect
    base, top = box.bottom() - (5 if box.height() < ROW - 4 else 7), box.top() + 4
    colour = layer_colour(layer) if shown.live else theme.DIM
    counts = shown.alive
    if counts is not None and len(counts) > 1 and counts.max() > 0:
        counts = counts[: int(shown.length * effect.steps) + 1]
        starts = np.unique(np.linspace(0, len(counts) - 1, min(len(counts), 400)).astype(int))
        high = np.maximum.reduceat(counts, starts) / max(int(counts.max()), 1)
        xs = np.array([shown.x_at(0.0)]) + starts / effect.steps * (shown.x_at(1.0) - shown.x_at(0.0))
        tops = zip(xs.tolist(), (base - (base - top) * high).tolist(), strict=True)
        line = QPolygonF([QPointF(xs[0], base), *(QPointF(x, y) for x, y in tops), QPointF(xs[-1], base)])
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.with_alpha(colour, 0.55))
        painter.drawPolygon(line)
        _paint_limit(painter, layer, shown, base, top)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.GLASS)
    for key in layer.keys:
        if key.at <= effect.duration:
            x = shown.x_at(key.at / effect.tempo)
            paint_diamond(painter, QPointF(x, top + 2))
    if flows(layer):
        start, span = active_span(effect, layer)
        first, last = shown.x_at(start / effect.tempo), shown.x_at((start + span) / effect.tempo)
        painter.setPen(QPen(colour, 3, cap=Qt.PenCapStyle.RoundCap))
        painter.drawLine(QPointF(first, base + 2), QPointF(last, base + 2))
    painter.setPen(QPen(theme.BONE if shown.live else theme.DIM, 2))
    for burst in layer.outlet.bursts:
        for turn in range(min(burst.times, 200)):
            time = (burst.first_at + turn * burst.every) / layer.tempo
            if time < effect.duration:
                x = shown.x_at(time / effect.tempo)
                painter.drawLine(QPointF(x, top), QPointF(x, base + 3))


def paint_diamond(painter: QPainter, at: QPointF) -> None:
    """Paints the small diamond that stands for a moment, in the painter's brush."""
    painter.drawPolygon(QPolygonF([at - QPointF(0, 4), at + QPointF(4, 0), at + QPointF(0, 4), at - QPointF(4, 0)]))


def gaps_of(alive: np.ndarray) -> list[tuple[int, int]]:
    """Stretches of steps, first and last, in which nobody lives. alive : (steps,), how many live after each."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], alive == 0, [False]]).astype(int)))
    return [(int(first), int(last) - 1) for first, last in edges.reshape(-1, 2)]


def _paint_limit(painter: QPainter, layer: Layer, shown: RowState, base: float, top: float) -> None:
    """Paints where the loop is dark between lives, the limit where it is near, and where it refuses births."""
    counts, limit, steps = shown.alive, layer.outlet.limit, shown.effect.steps
    if counts is None:
        return
    counts = counts[: round(shown.length * steps)]
    if shown.effect.loop and len(counts) >= round(shown.length * steps):
        painter.setPen(QPen(theme.WARNING, 1, Qt.PenStyle.DotLine))
        for first, last in gaps_of(counts):
            if last > first:
                painter.drawLine(QPointF(shown.x_at(first / steps), base), QPointF(shown.x_at(last / steps), base))
    if not 0 < limit <= 2 * counts.max(initial=0):
        return
    level = base - (base - top) * min(limit / counts.max(), 1.0)
    painter.setPen(QPen(theme.with_alpha(theme.ASH, 0.6), 1, Qt.PenStyle.DashLine))
    if limit <= counts.max():
        painter.drawLine(QPointF(NAMES, level), QPointF(shown.width - MARGIN, level))
    if layer.outlet.at_limit == "refuse births":
        painter.setPen(QPen(theme.WARNING, 2))
        for first, last in gaps_of(np.minimum(counts, limit) - limit):
            painter.drawLine(QPointF(shown.x_at(first / steps), level), QPointF(shown.x_at(last / steps), level))


def flows(layer: Layer) -> bool:
    """Whether particles are born over a span of time, and not only in bursts or of others."""
    return layer.outlet.rate.most > 0 or layer.outlet.per_metre > 0


class PlayheadMark:
    """Where a widget painted the playhead last. reach : pixels that its mark takes to either side."""

    def __init__(self, widget: QWidget, reach: int) -> None:
        self._widget, self._reach, self._x = widget, reach, 0.0

    def move(self, x: float | None) -> None:
        """Lets the widget paint anew where the playhead was, and where it is."""
        x = x or 0.0
        if abs(x - self._x) >= 0.5:
            for at in (self._x, x):
                self._widget.update(int(at) - self._reach, 0, 2 * self._reach + 1, self._widget.height())
            self._x = x


def paint_playhead(painter: QPainter, x: float | None, top: float, bottom: float) -> None:
    """The line of the moment shown; nothing where there is none."""
    if x is not None:
        painter.setPen(QPen(theme.GLASS, 1.3))
        painter.drawLine(QPointF(x, top), QPointF(x, bottom))
