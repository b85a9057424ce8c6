"""What the effect costs over its time, layer by layer, against a target; and what would cut it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.stage import GameCamera
from pale_ember.formats.disk import write_whole
from pale_ember.formats.targets import NAME, targets_bytes
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.insight.cost_graphs import SpentGraph, SpentTable
from pale_ember.studio.insight.cuts_list import CutList
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.side_panel import SidePage, quiet


class CostPage(SidePage):
    """What is measured of the effect while this is open, whenever the effect rests."""

    title = "Cost"

    def __init__(self, desk: Desk, checker: AnalysisLink) -> None:
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
        self.state = quiet()
        self.more = quiet()
        self.more.setMinimumHeight(50)
        self.more.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.cuts = CutList(desk)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(12, 4, 10, 8)
        first = QHBoxLayout()
        first.setSpacing(4)
        # What may be wider stands last, so that choosing it moves nothing.
        first.addWidget(QLabel("from"))
        first.addWidget(self.distance)
        first.addWidget(QLabel("on"))
        first.addWidget(self.target)
        first.addStretch(1)
        column.addLayout(first)
        for widget in (self.state, self.graph, self.table, self.more, self.cuts):
            column.addWidget(widget)
        column.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(Scrolling(inner, lambda: desk.findings.try_mend(None)))
        desk.spent.changed.connect(self._when_seen)
        desk.selected.connect(self._tell_layer)
        desk.document.changed.connect(self._when_seen)

    def refresh(self) -> None:
        wrong = self.desk.spent.read_targets()
        if wrong:
            self.desk.hinted.emit(wrong, None)
        self._show()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.checker.look_closely(self.desk.effect)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.checker.look_closely(None)

    def _when_seen(self) -> None:
        if self.isVisible():
            self._show()

    def _show(self) -> None:
        spent = self.desk.spent
        self.target.show_text(spent.target)
        self.distance.show_value(self.desk.effect.stage.game.distance)
        known = spent.spending is not None and bool(spent.spending.layers)
        self.state.setText(
            f"{spent.target}, {spent.budget.rows} rows high: {'; '.join(spent.left())}."
            if known
            else "Drawing every layer at twelve moments, from where the game looks…"
        )
        self.table.refresh()
        self.graph.update()
        self._tell_layer()

    def _tell_layer(self) -> None:
        """What the selected layer costs besides, in a sentence."""
        spent, layer = self.desk.spent.spending, self.desk.layer
        own = spent.layers.get(layer.id) if spent is not None and layer is not None else None
        self.more.setText("" if own is None or layer is None else f"{layer.name}: {own.in_words()}.")

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

    def _go(self, moment: float) -> None:
        self.desk.player.pause()
        self.desk.player.go_to(moment)
