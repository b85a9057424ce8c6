"""What would cut the effect's cost: a list of mends, each with what it saves and whether it would be seen."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.insight.cost_cuts import BakeProposal, CostCut, bakes
from pale_ember.core.texture.advice import thinned
from pale_ember.core.texture.outline import Outline
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.insight.checks_page import MendButton
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

_BAKES = 2
"""Layers of which a baked sheet is offered."""
_SEEN = 64
"""Pixels for whether a cut is seen."""
_UNSEEN = 0.2
"""Difference up to which a cut is not seen at all."""


class OutlineCard(QWidget):
    """What a card holds, the box around it and the outline that it would be cut to; what is saved lies between them."""

    def __init__(self, held: np.ndarray, box: Outline, outline: Outline) -> None:
        """held : (h, w) float32, the most that any frame covers."""
        super().__init__()
        self.box, self.outline = box, outline
        codes = np.ascontiguousarray((np.sqrt(np.clip(thinned(held, 128), 0, 1)) * 255).astype(np.uint8))
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

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(1, 1, 50, 50), self._image)
        inner = self._path(self.outline)
        painter.fillPath(self._path(self.box).subtracted(inner), theme.with_alpha(theme.EMBER, 0.5))
        painter.setPen(QPen(theme.GLASS, 1.2))
        painter.drawPath(inner)


class CutRow(QWidget):
    """One thing that would cut the cost: of what, what it saves, the mend, and whether it would be seen."""

    def __init__(self, desk: Desk, cut: CostCut) -> None:
        super().__init__()
        self.cut, self.done = cut, False
        layer = layer_of(desk.effect, cut.layer)
        column = QVBoxLayout()
        column.setSpacing(0)
        self.told = QLabel(f"{layer.name if layer is not None else ''} · saves {cut.saves}")
        self.told.setWordWrap(True)
        self.button = MendButton(desk, cut.mend, partial(desk.findings.do, cut.layer))
        self.button.clicked.connect(self._fade)
        self.seen = QLabel()
        self.seen.setFont(theme.font(theme.SMALL))
        self.seen.setFixedWidth(_SEEN)
        self.seen.setAlignment(Qt.AlignmentFlag.AlignRight)
        line = QHBoxLayout()
        line.addWidget(self.told, 1)
        line.addWidget(self.seen, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(line)
        column.addWidget(self.button, 0, Qt.AlignmentFlag.AlignLeft)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 6, 0, 0)
        row.addLayout(column, 1)
        after = layer_of(cut.mend.change(desk.effect), cut.layer)
        own = desk.spent.spending.layers.get(cut.layer) if desk.spent.spending is not None else None
        if layer is not None and after is not None and own is not None and own.held is not None:
            box, closer = own.outlines[layer.look.corners], own.outlines[after.look.corners]
            if box != closer:
                row.addWidget(OutlineCard(own.held, box, closer), 0, Qt.AlignmentFlag.AlignTop)
        self.show_difference(cut)

    def _fade(self) -> None:
        """Shows that it is done, and keeps its place until the pointer has gone."""
        self.done = True
        self.setEnabled(False)
        self.seen.setText("done")
        theme.tone(self.seen, "dim")
        theme.tone(self.told, "dim")

    def revive(self) -> None:
        """Can be done again, for it was taken back."""
        self.done = False
        self.setEnabled(True)
        theme.tone(self.told, "bone")

    def show_difference(self, cut: CostCut) -> None:
        """Says whether the cut would be seen, as soon as it is known."""
        self.cut = cut
        apart = cut.difference
        seen = apart is not None and apart > 1
        self.seen.setText("…" if apart is None else "seen" if seen else "hardly seen" if apart > _UNSEEN else "not seen")
        theme.tone(self.seen, "warning" if seen else "glass")
        told = "being compared" if apart is None else f"difference {apart:.2f}; up to 1 nobody tells the two apart"
        self.seen.setToolTip(told)


class CutList(QWidget):
    """All that would cut the cost, under its heading, and the layers that a baked sheet would stand for. While the pointer is here
    what is there keeps its place, and only learns more."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.rows: list[CutRow] = []
        self.bakes: list[WordButton] = []
        self._offered: Effect | None = None
        self.heading = QLabel("Ways to cut the cost")
        self.heading.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
        self.heading.hide()
        self._list = QVBoxLayout()
        self._list.setSpacing(0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.heading)
        column.addLayout(self._list)
        desk.spent.cut.connect(self._offer)

    def _offer(self) -> None:
        spent = self.desk.spent
        if spent.cuts_of is self._offered or self.underMouse():
            known = {(cut.layer, cut.mend.name): cut for cut in spent.cuts}
            for row in self.rows:
                cut = known.get((row.cut.layer, row.cut.mend.name))
                if row.done and spent.cuts_of is self._offered:
                    row.revive()
                if cut is not None and not row.done:
                    row.show_difference(cut)
            return
        self._offered = spent.cuts_of
        while (item := self._list.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.rows = [CutRow(self.desk, cut) for cut in spent.cuts]
        self.bakes = []
        for row in self.rows:
            self._list.addWidget(row)
        offered = bakes(self.desk.effect, spent.spending) if spent.spending is not None else []
        for bake in offered[:_BAKES]:
            self._offer_bake(bake)
        self.heading.setVisible(bool(self.rows or self.bakes))

    def _offer_bake(self, bake: BakeProposal) -> None:
        layer = layer_of(self.desk.effect, bake.layer)
        told = QLabel(f"{layer.name if layer is not None else ''} · saves about {bake.saves}")
        told.setWordWrap(True)
        told.setContentsMargins(0, 6, 0, 0)
        button = WordButton("replace it by a baked sheet", "Bakes it on the bench; one step of the history", icon="plus")
        button.colour = theme.EMBER
        button.setFixedHeight(24)
        button.clicked.connect(lambda: self.desk.bake_asked.emit(bake.layer))
        self._list.addWidget(told)
        self._list.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        self.bakes.append(button)

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        self._offer()
