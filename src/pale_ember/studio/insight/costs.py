"""What the effect costs over its time, layer by layer, against a target; and what would cut it."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QHideEvent,
    QImage,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QShowEvent,
)
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import layer_of, with_value
from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.stage import GameCamera
from pale_ember.core.insight.cutting import Bake, Cut, bakes
from pale_ember.core.insight.spending import Spent
from pale_ember.core.texture.outline import Outline, held_by, outline_of
from pale_ember.formats.disk import write_whole
from pale_ember.formats.targets import NAME, targets_bytes
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.colour import layer_colour
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.insight.checker import Checker
from pale_ember.studio.insight.checks import MendButton
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.side import SidePage, scrolling

_ROW = 18
_BAKES = 2
"""Layers of which a baked sheet is offered."""
_SEEN = 64
"""Pixels for whether a cut is seen."""
_UNSEEN = 0.2
"""Difference up to which a cut is not seen at all."""


class SpentGraph(QWidget):
    """How much is painted over the time, layer upon layer; a click goes to that moment, the worst is marked."""

    went = pyqtSignal(float)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedHeight(96)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("painted over the time")

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(6, 8, -6, -18)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spent = self.desk.spent.spending
        if spent is not None and len(spent.moments) > 1:
            box, count = self._box(), len(spent.moments)
            k = round((event.position().x() - box.left()) / box.width() * (count - 1))
            self.went.emit(float(spent.moments[min(max(k, 0), count - 1)]))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self._box()
        painter.setPen(QPen(theme.LINE, 1))
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(box.adjusted(-4, -4, 4, 4), 5, 5)
        spent = self.desk.spent.spending
        if spent is None or len(spent.moments) < 2:
            return
        high = max(float(spent.painted.max()), 1e-6)
        xs = [box.left() + k / (len(spent.moments) - 1) * box.width() for k in range(len(spent.moments))]
        below = 0 * spent.moments
        painter.setPen(Qt.PenStyle.NoPen)
        for layer in self.desk.effect.layers:
            own = spent.layers.get(layer.id)
            if own is None:
                continue
            above = below + own.painted
            tops = [QPointF(x, box.bottom() - y / high * box.height()) for x, y in zip(xs, above.tolist(), strict=True)]
            feet = [QPointF(x, box.bottom() - y / high * box.height()) for x, y in zip(xs, below.tolist(), strict=True)]
            painter.setBrush(theme.with_alpha(layer_colour(layer), 0.7))
            painter.drawPolygon(QPolygonF([*tops, *reversed(feet)]))
            below = above
        worst = xs[spent.worst]
        painter.setPen(QPen(theme.WARNING, 1.2))
        painter.drawLine(QPointF(worst, box.top()), QPointF(worst, box.bottom()))
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        painter.drawText(
            QRectF(box.left(), box.bottom() + 4, box.width(), 14), Qt.AlignmentFlag.AlignLeft,
            f"at most {high:.2g} pictures painted, {high * self.desk.spent.budget.pixels / 1e6:.2g} million pixels, at "
            f"{spent.moments[spent.worst]:.2f} s",
        )  # fmt: skip


class SpentTable(QWidget):
    """A line for the target's limits, and one for each layer: alive, a step's time, painted, textures. A click selects a layer."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setAccessibleName("what each layer costs")
        desk.selected.connect(self.update)

    def refresh(self) -> None:
        spent = self.desk.spent.spending
        self.setFixedHeight(_ROW * ((len(spent.layers) if spent is not None else 0) + 3) + 6)
        self.setAccessibleDescription("; ".join(self.desk.spent.left()))
        self.update()

    def _sums(self) -> list[tuple[str, float | None, str]]:
        """What is counted: how it is called, the share of the target that it takes if any is set, and the figure."""
        spent, shares = self.desk.spent.spending, self.desk.spent.shares()
        if spent is None:
            return []
        seconds = sum(own.seconds for own in spent.layers.values())
        return [
            ("alive", shares["alive"], f"{spent.alive.max(initial=0):.0f}"), ("step µs", None, f"{seconds * 1e6:.0f}"),
            ("painted", shares["painted"], f"{spent.painted.max(initial=0):.2f}"),
            ("MB", shares["textures"], f"{sum(spent.textures.values()) / 2**20:.1f}"),
        ]  # fmt: skip

    def mousePressEvent(self, event: QMouseEvent) -> None:
        spent, row = self.desk.spent.spending, int(event.position().y() // _ROW) - 3
        if spent is not None and 0 <= row < len(spent.layers):
            self.desk.select(list(spent.layers)[row])

    def paintEvent(self, event: QPaintEvent) -> None:
        spent = self.desk.spent.spending
        if spent is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(theme.SMALL))
        names, wide = 88, (self.width() - 88) / 4
        left, right = (
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
        )

        def cell(column: int, row: int) -> QRectF:
            return QRectF(names + column * wide, row * _ROW, wide - 4, _ROW)

        for column, (name, share, figure) in enumerate(self._sums()):
            over = share is not None and share > 1
            painter.setPen(theme.ASH)
            painter.drawText(cell(column, 0), right, name)
            painter.setPen(theme.WARNING if over else theme.BONE)
            painter.drawText(cell(column, 1), right, figure)
            if share is None:
                continue
            bar = cell(column, 2).adjusted(6, 6, 0, -8)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.WELL)
            painter.drawRect(bar)
            painter.setBrush(theme.WARNING if over else theme.GLASS)
            painter.drawRect(QRectF(bar.left(), bar.top(), bar.width() * min(share, 1.0), bar.height()))
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(0, _ROW, names, _ROW), left, "in all")
        painter.drawText(QRectF(0, 2 * _ROW, names, _ROW), left, f"of {self.desk.spent.target}")
        for row, (identity, own) in enumerate(spent.layers.items(), 3):
            layer = layer_of(self.desk.effect, identity)
            if layer is None:
                continue
            top = row * _ROW
            painter.setPen(Qt.PenStyle.NoPen)
            if identity == self.desk.selection:
                painter.setBrush(theme.RAISED)
                painter.drawRoundedRect(QRectF(0, top, self.width(), _ROW), 3, 3)
            painter.setBrush(layer_colour(layer))
            painter.drawRect(QRectF(0, top + 5, 3, 8))
            painter.setPen(theme.BONE)
            name = painter.fontMetrics().elidedText(layer.name, Qt.TextElideMode.ElideRight, names - 12)
            painter.drawText(QRectF(8, top, names - 8, _ROW), left, name)
            painter.setPen(theme.ASH)
            figures = (
                f"{own.alive.max():.0f}", f"{own.seconds * 1e6:.0f}", f"{own.painted.max():.3f}", f"{own.textures / 2**20:.1f}",
            )  # fmt: skip
            for column, text in enumerate(figures):
                painter.drawText(cell(column, row), right, text)


class OutlineCard(QWidget):
    """What a card holds, the box around it and the outline that it would be cut to; what is saved lies between them."""

    def __init__(self, held: np.ndarray, box: Outline, outline: Outline) -> None:
        """held : (h, w) float32, the most that any frame covers."""
        super().__init__()
        self.box, self.outline = box, outline
        codes = np.ascontiguousarray((np.sqrt(np.clip(held, 0, 1)) * 255).astype(np.uint8))
        height, width = codes.shape
        self._image = QImage(codes.tobytes(), width, height, width, QImage.Format.Format_Grayscale8).copy()
        self.setFixedSize(52, 52)
        self.setAccessibleName(f"the outline that cards would be cut to, {len(outline)} corners")
        self.setToolTip("What its frames hold; the tinted part is painted now, though it is empty")

    def _path(self, corners: Outline) -> QPainterPath:
        path = QPainterPath()
        path.addPolygon(QPolygonF([QPointF(1 + x * 50, 1 + y * 50) for x, y in corners]))
        path.closeSubpath()
        return path

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(1, 1, 50, 50), self._image)
        inner = self._path(self.outline)
        painter.fillPath(self._path(self.box).subtracted(inner), theme.with_alpha(theme.EMBER, 0.5))
        painter.setPen(QPen(theme.GLASS, 1.2))
        painter.drawPath(inner)


class CutRow(QWidget):
    """One thing that would cut the cost: of what, what it saves, the mend, and whether it would be seen."""

    def __init__(self, desk: Desk, cut: Cut) -> None:
        super().__init__()
        self.cut = cut
        layer = layer_of(desk.effect, cut.layer)
        column = QVBoxLayout()
        column.setSpacing(0)
        told = QLabel(f"{layer.name if layer is not None else ''} · saves {cut.saves}")
        told.setWordWrap(True)
        self.button = MendButton(desk, cut.mend, partial(desk.findings.do, cut.layer))
        self.seen = QLabel()
        self.seen.setFont(theme.font(theme.SMALL))
        self.seen.setFixedWidth(_SEEN)
        self.seen.setAlignment(Qt.AlignmentFlag.AlignRight)
        line = QHBoxLayout()
        line.addWidget(told, 1)
        line.addWidget(self.seen, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(line)
        column.addWidget(self.button, 0, Qt.AlignmentFlag.AlignLeft)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 6, 0, 0)
        row.addLayout(column, 1)
        after = layer_of(cut.mend.change(desk.effect), cut.layer)
        if layer is not None and after is not None and after.look.corners != layer.look.corners:
            look, pixels = layer.look, desk.shelf.get(layer.look.picture, desk.effect.recipes)
            card = OutlineCard(held_by(look, pixels), outline_of(look, pixels), outline_of(after.look, pixels))
            row.addWidget(card, 0, Qt.AlignmentFlag.AlignTop)
        self.show_difference(cut)

    def show_difference(self, cut: Cut) -> None:
        """Says whether the cut would be seen, as soon as it is known."""
        self.cut = cut
        apart = cut.difference
        seen = apart is not None and apart > 1
        self.seen.setText(
            "…" if apart is None else "seen" if seen else "hardly seen" if apart > _UNSEEN else "not seen"
        )
        self.seen.setStyleSheet(f"color: {(theme.WARNING if seen else theme.GLASS).name()}")
        told = "being compared" if apart is None else f"difference {apart:.2f}; up to 1 nobody tells the two apart"
        self.seen.setToolTip(told)


class CostPage(SidePage):
    """What is measured of the effect while this is open, whenever the effect rests."""

    title = "Cost"

    def __init__(self, desk: Desk, checker: Checker) -> None:
        super().__init__()
        self.desk, self.checker = desk, checker
        self.target = WordButton("", "What it is to run on", menu=True)
        self.target.clicked.connect(self._open_targets)
        declared = fields_of(GameCamera)["distance"]
        self.distance = NumberEdit(declared.field, default=declared.default)
        self.distance.edited.connect(self._stand_off)
        self.distance.finished.connect(desk.document.end_stroke)
        self.graph, self.table = SpentGraph(desk), SpentTable(desk)
        self.graph.went.connect(self._go)
        self.state = _told()
        self.more = _told()
        self.more.setMinimumHeight(50)
        self.more.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.heading = QLabel("What would cut it")
        self.heading.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
        self.heading.hide()
        self.rows: list[CutRow] = []
        self.bakes: list[WordButton] = []
        self._offered: Effect | None = None
        self._list = QWidget()
        self.cuts = QVBoxLayout(self._list)
        self.cuts.setContentsMargins(0, 0, 0, 0)
        self.cuts.setSpacing(0)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(12, 4, 10, 8)
        first = QHBoxLayout()
        first.setSpacing(4)
        first.addWidget(QLabel("on"))
        first.addWidget(self.target)
        first.addWidget(QLabel("from"))
        first.addWidget(self.distance)
        first.addStretch(1)
        column.addLayout(first)
        for widget in (self.state, self.graph, self.table, self.more, self.heading, self._list):
            column.addWidget(widget)
        column.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scrolling(inner))
        desk.spent.changed.connect(self._when_seen)
        desk.spent.cut.connect(self._offer)
        desk.selected.connect(self._tell_layer)
        desk.document.changed.connect(self._when_seen)

    def refresh(self) -> None:
        wrong = self.desk.spent.read_targets()
        if wrong:
            self.desk.hinted.emit(wrong, None)
        self._show()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.checker.look_closely(True, self.desk.effect)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.checker.look_closely(False, self.desk.effect)

    def _when_seen(self) -> None:
        if self.isVisible():
            self._show()

    def _show(self) -> None:
        spent = self.desk.spent
        self.target.show_text(spent.target)
        self.distance.show_value(self.desk.effect.stage.game.distance)
        known = spent.spending is not None and bool(spent.spending.layers)
        self.state.setText(
            f"{spent.target}, {spent.budget.rows} rows high: {'; '.join(spent.left())}." if known
            else "Drawing every layer at twelve moments, from where the game looks…"
        )  # fmt: skip
        self.table.refresh()
        self.graph.update()
        self._tell_layer()

    def _tell_layer(self) -> None:
        """What the selected layer costs besides, in a sentence."""
        spent, layer = self.desk.spent.spending, self.desk.layer
        own = spent.layers.get(layer.id) if spent is not None and layer is not None else None
        self.more.setText("" if own is None or layer is None else f"{layer.name}: {in_words(own)}.")

    def _stand_off(self, value: float, stroke: object) -> None:
        changed = with_value(self.desk.effect, ("stage", "game", "distance"), value)
        self.desk.document.change("game distance", changed, stroke)

    def _open_targets(self) -> None:
        menu = Menu(self)
        for name in self.desk.spent.targets:
            menu.addAction(name).triggered.connect(lambda _=False, name=name: self.desk.spent.choose(name))
        menu.addSeparator()
        menu.addAction("Targets of our own, in a file beside the effect…").triggered.connect(self.write_targets)
        menu.open_at(self.target)

    def write_targets(self) -> None:
        """Puts the targets into a file beside the effect, to be edited and shared, unless it is there."""
        folder = self.desk.folder
        if folder is None:
            self.desk.save_asked.emit("The targets lie beside the effect: save it first.")
            return
        path = folder / NAME
        try:
            if not path.exists():
                write_whole(path, targets_bytes(self.desk.spent.targets))
        except OSError as error:
            self.desk.hinted.emit(f"{NAME}: could not be written ({error.strerror}).", None)
            return
        self.desk.hinted.emit(f"{path}: edit it and share it; it is read whenever this page is opened.", None)

    def _offer(self) -> None:
        """Lists what would cut the cost. While the pointer is here what is there keeps its place, and only learns more."""
        spent = self.desk.spent
        if spent.of is self._offered or self._list.underMouse():
            known = {(cut.layer, cut.mend.name): cut for cut in spent.cuts}
            for row in self.rows:
                cut = known.get((row.cut.layer, row.cut.mend.name))
                if cut is not None:
                    row.show_difference(cut)
            return
        self._offered = spent.of
        while (item := self.cuts.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.rows = [CutRow(self.desk, cut) for cut in spent.cuts]
        self.bakes = []
        for row in self.rows:
            self.cuts.addWidget(row)
        offered = bakes(self.desk.effect, spent.spending) if spent.spending is not None else []
        for bake in offered[:_BAKES]:
            self._offer_bake(bake)
        self.heading.setVisible(bool(self.rows or self.bakes))

    def _offer_bake(self, bake: Bake) -> None:
        layer = layer_of(self.desk.effect, bake.layer)
        told = QLabel(f"{layer.name if layer is not None else ''} · saves about {bake.saves}")
        told.setWordWrap(True)
        told.setContentsMargins(0, 6, 0, 0)
        button = WordButton("a baked sheet in its place", "Bakes it on the bench; one step of the history", icon="plus")
        button.colour = theme.EMBER
        button.setFixedHeight(24)
        button.clicked.connect(lambda: self.desk.bake_asked.emit(bake.layer))
        self.cuts.addWidget(told)
        self.cuts.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        self.bakes.append(button)

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        self._offer()

    def _go(self, moment: float) -> None:
        self.desk.player.pause()
        self.desk.player.go_to(moment)


def in_words(own: Spent) -> str:
    """What a layer costs besides what its row says."""
    said = [f"{own.births} born in all" if own.births != 1 else "one is born"]
    if own.spawned:
        said.append(f"spawns {own.spawned}")
    if own.touches:
        said.append(f"touches something {own.touches} times")
    said.append(f"{own.triangles.max():.0f} triangles")
    around = float(own.around.max())
    if around > 0:
        said.append(f"paints the box around it {float((own.painted / np.maximum(own.around, 1e-6)).max()):.1f} times")
    if own.sorts:
        said.append("is sorted for each picture")
    return ", ".join(said)


def _told() -> QLabel:
    """A line of plain words."""
    label = QLabel()
    label.setWordWrap(True)
    label.setStyleSheet(f"color: {theme.ASH.name()}")
    return label
