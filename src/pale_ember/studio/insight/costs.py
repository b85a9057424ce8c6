"""What the effect costs over its time, layer by layer, against a target; and what would cut it."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.insight.cost import TARGETS, Budget
from pale_ember.core.insight.cutting import Cut, cuts
from pale_ember.core.insight.spending import Spending, spending
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.draw.context import NoOpenGL
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.small import painted_pixels
from pale_ember.formats.disk import write_whole
from pale_ember.formats.targets import NAME, targets_bytes, targets_of
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.colour import layer_colour
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.insight.checks import MendButton
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.settings import settings
from pale_ember.studio.kit.side import SidePage, scrolling
from pale_ember.studio.kit.tasks import Task

_SETTLED = 400
"""Milliseconds after an edit before it is measured anew."""
_ROW = 18
_CUTS = 6
"""Cuts that are offered."""


class SpentGraph(QWidget):
    """How much is painted over the time, layer upon layer; a click goes to that moment, the worst is marked."""

    went = pyqtSignal(float)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.spent: Spending | None = None
        self.setFixedHeight(96)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("painted over the time")

    def show_spending(self, spent: Spending) -> None:
        self.spent = spent
        self.update()

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(6, 8, -6, -18)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.spent is not None and len(self.spent.moments) > 1:
            box, count = self._box(), len(self.spent.moments)
            k = round((event.position().x() - box.left()) / box.width() * (count - 1))
            self.went.emit(float(self.spent.moments[min(max(k, 0), count - 1)]))

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self._box()
        painter.setPen(QPen(theme.LINE, 1))
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(box.adjusted(-4, -4, 4, 4), 5, 5)
        spent = self.spent
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
            f"at most {high:.2g} pictures painted, at {spent.moments[spent.worst]:.2f} s",
        )  # fmt: skip


class SpentTable(QWidget):
    """A line for the target's limits, and one for each layer: alive, painted, textures, sorting."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.spent: Spending | None = None
        self.target, self.budget = next(iter(TARGETS.items()))
        self.setAccessibleName("what each layer costs")

    def show_spending(self, spent: Spending | None, target: str, budget: Budget) -> None:
        self.spent, self.target, self.budget = spent, target, budget
        rows = len(spent.layers) if spent is not None else 0
        self.setFixedHeight(_ROW * (rows + 3) + 6)
        self.setAccessibleDescription("; ".join(self.left()))
        self.update()

    def _sums(self) -> list[tuple[str, float, str]]:
        """What is counted: how it is called, the share of the target that it takes, and the figure."""
        spent, budget = self.spent, self.budget
        if spent is None:
            return []
        textures = sum(spent.textures.values())
        alive, painted = int(spent.alive.max(initial=0)), float(spent.painted.max(initial=0))
        return [
            ("alive", alive / budget.particles, f"{alive}"), ("painted", painted / budget.painted, f"{painted:.2f}"),
            ("MB", textures / budget.textures, f"{textures / 2**20:.1f}"),
            ("layers", len(spent.layers) / budget.layers, f"{len(spent.layers)}"),
        ]  # fmt: skip

    def left(self) -> list[str]:
        """How much of the target is left, in words."""
        called = {"MB": "textures"}
        return [
            f"{called.get(name, name)}: {1 - share:.0%} left"
            if share <= 1
            else f"{called.get(name, name)}: {share:.1f} times what may be"
            for name, share, _ in self._sums()
        ]

    def paintEvent(self, event: QPaintEvent) -> None:
        spent = self.spent
        if spent is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(theme.SMALL))
        names, wide = 92, (self.width() - 92) / 4
        left, right = (
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
        )

        def cell(column: int, row: int) -> QRectF:
            return QRectF(names + column * wide, row * _ROW, wide - 6, _ROW)

        for column, (name, share, figure) in enumerate(self._sums()):
            painter.setPen(theme.ASH)
            painter.drawText(cell(column, 0), right, name)
            painter.setPen(theme.WARNING if share > 1 else theme.BONE)
            painter.drawText(cell(column, 1), right, figure)
            bar = cell(column, 2).adjusted(4, 6, 0, -8)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.WELL)
            painter.drawRect(bar)
            painter.setBrush(theme.WARNING if share > 1 else theme.GLASS)
            painter.drawRect(QRectF(bar.left(), bar.top(), bar.width() * min(share, 1.0), bar.height()))
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(0, _ROW, names, _ROW), left, "in all")
        painter.drawText(QRectF(0, 2 * _ROW, names, _ROW), left, f"of {self.target}")
        for row, (identity, own) in enumerate(spent.layers.items(), 3):
            layer = layer_of(self.desk.effect, identity)
            if layer is None:
                continue
            top = row * _ROW
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(layer_colour(layer))
            painter.drawRect(QRectF(0, top + 5, 3, 8))
            painter.setPen(theme.BONE)
            name = painter.fontMetrics().elidedText(layer.name, Qt.TextElideMode.ElideRight, names - 12)
            painter.drawText(QRectF(8, top, names - 8, _ROW), left, name)
            painter.setPen(theme.ASH)
            told = (
                f"{own.alive.max():.0f}",
                f"{own.painted.max():.3f}",
                f"{own.textures / 2**20:.1f}",
                "sorted" if own.sorts else "",
            )
            for column, text in enumerate(told):
                painter.drawText(cell(column, row), right, text)


class CostPage(SidePage):
    """Measured by drawing, away from the window, whenever it is open and the effect rests."""

    title = "Cost"
    measured = pyqtSignal(object)
    """A Spending was taken."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.task: Task | None = None
        self.spent: Spending | None = None
        self._of: Effect | None = None
        self.targets = TARGETS
        self.target = WordButton("", "What it is to run on", menu=True)
        self.target.clicked.connect(self._open_targets)
        self.graph, self.table = SpentGraph(desk), SpentTable(desk)
        self.graph.went.connect(self._go)
        self.state = QLabel()
        self.state.setWordWrap(True)
        self.state.setStyleSheet(f"color: {theme.ASH.name()}")
        self.heading = QLabel("What would cut it")
        self.heading.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
        self.heading.hide()
        self.cuts = QVBoxLayout()
        self.cuts.setSpacing(0)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(12, 4, 10, 8)
        first = QHBoxLayout()
        first.addWidget(QLabel("against"))
        first.addWidget(self.target, 1)
        column.addLayout(first)
        for widget in (self.state, self.graph, self.table, self.heading):
            column.addWidget(widget)
        column.addLayout(self.cuts)
        column.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scrolling(inner))
        self._soon = QTimer(self, singleShot=True, interval=_SETTLED)
        self._soon.timeout.connect(self.measure)
        desk.document.changed.connect(lambda: self._soon.start() if self.isVisible() else None)

    def refresh(self) -> None:
        self.targets, wrong = targets_of(self.desk.folder)
        if wrong:
            self.desk.hinted.emit(wrong, None)
        kept = str(settings().value("target", ""))
        self._retarget(kept if kept in self.targets else next(iter(self.targets)))
        if self._of is not self.desk.effect:
            self.measure()

    def measure(self) -> None:
        """Measures the effect as it is; what another is at is given up."""
        if self.task is not None:
            self.task.cancel()
            self._soon.start()
            return
        effect, shelf = self.desk.effect, self.desk.shelf
        self.state.setText("Drawing every layer at twelve moments, from where the game looks…")

        def work(progress: Callable[[int], bool]) -> Spending | None:
            with offscreen(shelf.get, shelf.mesh) as renderer:
                told = spending(
                    Timeline(effect, shelf.mesh, shelf.density), painted_pixels(renderer),
                    lambda name: shelf.get(name, effect.recipes).shape[:2],
                )  # fmt: skip
                for step, result in enumerate(told):
                    if result is not None or not progress(step):
                        return result
            return None

        self.task = Task(work, (NoOpenGL,), name="cost")
        self.task.done.connect(lambda spent: self._done(effect, spent))
        self.task.failed.connect(self._failed)
        self.task.start()

    def _done(self, effect: Effect, spent: Spending | None) -> None:
        self.task = None
        if spent is None or effect is not self.desk.effect:
            return
        self.spent, self._of = spent, effect
        self.graph.show_spending(spent)
        self._retarget(self.target.text())
        self._offer(cuts(effect, spent)[:_CUTS])
        self.measured.emit(spent)

    def _failed(self, why: str) -> None:
        self.task = None
        self.state.setText(why)

    def _retarget(self, target: str) -> None:
        settings().setValue("target", target)
        self.target.show_text(target)
        self.table.show_spending(self.spent, target, self.targets[target])
        if self.spent is not None:
            self.state.setText(f"{target}: {'; '.join(self.table.left())}.")

    def _open_targets(self) -> None:
        menu = Menu(self)
        for name in self.targets:
            menu.addAction(name).triggered.connect(lambda _=False, name=name: self._retarget(name))
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
                write_whole(path, targets_bytes(self.targets))
        except OSError as error:
            self.desk.hinted.emit(f"{NAME}: could not be written ({error.strerror}).", None)
            return
        self.desk.hinted.emit(f"{path}: edit it and share it; it is read whenever this page is opened.", None)

    def _offer(self, found: list[Cut]) -> None:
        while (item := self.cuts.takeAt(0)) is not None:
            if (widget := item.widget()) is not None:
                widget.hide()
                widget.deleteLater()
        self.heading.setVisible(bool(found))
        for cut in found:
            layer = layer_of(self.desk.effect, cut.layer)
            told = QLabel(f"{layer.name if layer is not None else ''} · saves {cut.saves}")
            told.setWordWrap(True)
            told.setContentsMargins(0, 6, 0, 0)
            self.cuts.addWidget(told)
            self.cuts.addWidget(MendButton(self.desk, cut.mend, partial(self.desk.findings.do, cut.layer)))

    def _go(self, moment: float) -> None:
        self.desk.player.pause()
        self.desk.player.go_to(moment)

    def end(self) -> None:
        if self.task is not None:
            self.task.cancel()
            self.task.wait()
