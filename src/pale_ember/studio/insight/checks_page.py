"""The page of the checks, beside the stage: what is found, why, and the mends that are tried by pointing at them."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QEnterEvent, QFocusEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.fields import Field, Part, fields_of, inner_part
from pale_ember.core.effect.model import Effect, Layer, Stage
from pale_ember.core.insight.checks.finding import Finding, Mend
from pale_ember.core.insight.checks.rules import left_alone
from pale_ember.studio.controls.buttons import SwitchEdit, WordButton
from pale_ember.studio.controls.text_entry import OpenLine
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.kit import icons, theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.settings import settings
from pale_ember.studio.kit.side_panel import SidePage, quiet


def target_of(finding: Finding) -> Target | None:
    """Where the field that a finding is about is gone to; None where it has none of its own."""
    names = tuple(step for step in finding.path if isinstance(step, str))
    kind: type[Part] = Layer if finding.layer else Effect
    if names[:1] == ("stage",):
        kind, names = Stage, names[1:]
    reached: list[str] = []
    label, inside = "", kind
    for name in names:
        declared = fields_of(inside).get(name)
        if declared is None:
            break
        reached.append(name)
        label = declared.field.label
        inner = inner_part(declared)
        if inner is None or declared.type is not inner:
            break
        inside = inner
    return Target(kind, tuple(reached), label) if reached else None


class MendButton(WordButton):
    """One mend: pointed at it is seen on the stage, pressed it is done."""

    def __init__(self, desk: Desk, mend: Mend, do: Callable[[Mend], None]) -> None:
        super().__init__(mend.name, icon="plus")
        self.desk, self.mend, self.do = desk, mend, do
        self.colour = theme.EMBER
        self.setFixedHeight(24)
        self.clicked.connect(self._do)

    def _do(self) -> None:
        self.do(self.mend)
        self.desk.hinted.emit(f"Done: {self.mend.name}. Ctrl+Z takes it back.", None)

    def enterEvent(self, event: QEnterEvent) -> None:
        super().enterEvent(event)
        self.desk.findings.try_mend(self.mend)
        self.desk.hinted.emit(f"{self.mend.name}: point at it to see it on the stage; click to apply it.", None)

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        self.desk.findings.try_mend(None)
        self.desk.hinted.emit("", None)

    def focusOutEvent(self, event: QFocusEvent) -> None:
        super().focusOutEvent(event)
        self.desk.findings.try_mend(None)


class _Where(QWidget):
    """The layer and the field that a finding is about; a click goes there."""

    def __init__(self, desk: Desk, finding: Finding) -> None:
        super().__init__()
        self.desk, self.finding, self.done = desk, finding, False
        self.target = target_of(finding)
        self.setFixedHeight(22)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(self.text())

    def text(self) -> str:
        layer = layer_of(self.desk.effect, self.finding.layer)
        name = layer.name if layer is not None else "the effect"
        return f"{name} · {self.target.label}" if self.target is not None else name

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if layer_of(self.desk.effect, self.finding.layer) is not None:
            self.desk.select(self.finding.layer)
        if self.target is not None:
            self.desk.sought.emit(self.target)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colour = theme.DIM if self.done else theme.WARNING if self.finding.grave else theme.ASH
        icons.paint(painter, icons.problem(colour), self.rect().adjusted(0, 4, 14 - self.width(), -4).toRectF(), colour)
        painter.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
        painter.setPen(theme.DIM if self.done else theme.EMBER if self.underMouse() else theme.BONE)
        room = self.rect().adjusted(20, 0, 0, 0)
        text = painter.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)


class FindingCard(QFrame):
    """One finding: where, what, its mends, and the way to leave it as it is."""

    def __init__(self, desk: Desk, finding: Finding) -> None:
        super().__init__()
        self.desk, self.finding = desk, finding
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 6, 8)
        column.setSpacing(2)
        self.where = _Where(desk, finding)
        column.addWidget(self.where)
        self.said = QLabel(finding.said)
        self.said.setWordWrap(True)
        self.said.setContentsMargins(20, 0, 0, 2)
        column.addWidget(self.said)
        left = left_alone(desk.effect, finding)
        self.mends = [] if left is not None else [MendButton(desk, mend, self._do) for mend in finding.mends]
        for mend in self.mends:
            line = QHBoxLayout()
            line.setContentsMargins(14, 0, 0, 0)
            line.addWidget(mend)
            line.addStretch(1)
            column.addLayout(line)
        foot = QHBoxLayout()
        foot.setContentsMargins(14, 0, 0, 0)
        if left is None:
            self.leave = WordButton("ignore…", "Asks for a reason, and says no more of it")
            self.leave.clicked.connect(self._ask)
        else:
            self.said.setText(f"{finding.said}. Ignored{': ' + left.reason if left.reason else ''}.")
            self.leave = WordButton("stop ignoring", "Report it again")
            self.leave.clicked.connect(lambda: desk.findings.tell_again(finding))
        self.leave.setFixedHeight(22)
        foot.addWidget(self.leave)
        foot.addStretch(1)
        column.addLayout(foot)

    def renew(self, finding: Finding) -> bool:
        """Takes the same finding told anew; says whether it has the same mends."""
        self.finding = self.where.finding = finding
        if [mend.name for mend in finding.mends] != [button.mend.name for button in self.mends]:
            return not self.mends
        for button, mend in zip(self.mends, finding.mends, strict=True):
            button.mend = mend
        return True

    def _do(self, mend: Mend) -> None:
        self.desk.findings.do(self.finding.layer, mend)

    def _ask(self) -> None:
        """Opens a line for the reason."""
        self.line = OpenLine(self.leave, "", self._left, least=240)
        self.line.setPlaceholderText("reason (Return)")
        self.line.setAccessibleName("why it is ignored")

    def _left(self, reason: str) -> str:
        self.desk.findings.leave(self.finding, reason.strip())
        return ""

    def fade(self) -> None:
        """Shows that it is mended, and keeps its place until the pointer has gone."""
        self.where.done = True
        theme.tone(self.said, "dim")
        for button in (*self.mends, self.leave):
            button.setEnabled(False)
        self.update()


class ChecksPage(SidePage):
    """All findings, the grave first; then what was left as it is."""

    title = "Checks"
    switched = pyqtSignal()
    """Effects are to be checked after each edit, or no longer."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.switch = SwitchEdit(Field("check after each edit", "Whether the effect is checked after each edit."), True)
        self.switch.show_value(self.on)
        self.switch.edited.connect(lambda on, _stroke: self._switch(on))
        inner = QWidget()
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(4, 4, 8, 8)
        self.column.setSpacing(2)
        self.nothing = quiet("No problems found.")
        self.nothing.setContentsMargins(12, 8, 12, 8)
        self.column.addWidget(self.nothing)
        self.column.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        head = QHBoxLayout()
        head.setContentsMargins(10, 0, 12, 0)
        told = QLabel("check after each edit")
        theme.tone(told, "ash")
        head.addWidget(self.switch)
        head.addWidget(told)
        head.addStretch(1)
        whole.addLayout(head)
        whole.addWidget(Scrolling(inner, lambda: desk.findings.try_mend(None)))
        self.cards: dict[tuple, FindingCard] = {}
        desk.findings.changed.connect(lambda: self.refresh() if self.isVisible() else None)

    @property
    def on(self) -> bool:
        """Whether effects are checked after each edit."""
        return str(settings().value("checks", "true")) != "false"

    def _switch(self, on: bool) -> None:
        settings().setValue("checks", "true" if on else "false")
        if not on:
            self.desk.findings.take(self.desk.effect, [])
        self.switched.emit()

    def refresh(self) -> None:
        """Shows what is found. While the pointer is here, what is there keeps its place."""
        findings = self.desk.findings
        wanted = {(*each.key, each.said, "open"): each for each in findings.open}
        wanted |= {(*each.key, each.said, "left"): each for each in findings.left}
        steady = self.underMouse()
        for key, card in list(self.cards.items()):
            if key not in wanted:
                if steady:
                    card.fade()
                else:
                    self.cards.pop(key)
                    card.hide()
                    card.deleteLater()
        for key, finding in wanted.items():
            before = self.cards.get(key)
            if before is None or before.where.done or not before.renew(finding):
                if before is not None:
                    before.deleteLater()
                self.cards[key] = FindingCard(self.desk, finding)
        order = list(self.cards) if steady else [key for key in wanted if key in self.cards]
        for place, key in enumerate(order):
            card = self.cards[key]
            if self.column.indexOf(card) != place + 1:
                self.column.insertWidget(place + 1, card)
        self.nothing.setText("No problems found." if self.on else "Checks are switched off.")
        self.nothing.setVisible(not findings.open)

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        self.refresh()
