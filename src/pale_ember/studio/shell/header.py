"""The top of the window: the effect's name and its own fields, undo, and what to do with the document."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QEnterEvent, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QRadialGradient
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from pale_ember.core.effect.fields import fields_of, why_idle
from pale_ember.core.effect.model import Effect
from pale_ember.studio.controls.buttons import IconButton, SwitchEdit, WordButton
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.controls.typed import OpenLine
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu


class NameLabel(QWidget):
    """The effect's name, with the mark of unsaved work; click to change it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._shown: tuple[object, ...] = ()
        self.setFixedHeight(34)
        self.setMinimumWidth(104)
        self.setMaximumWidth(220)
        self.setAccessibleName("effect name")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.IBeamCursor)
        desk.document.named.connect(self._named)
        self._named()

    def _named(self) -> None:
        path = self.desk.document.path
        shown = path, self.desk.document.unsaved, self.desk.effect.name
        if shown == self._shown:
            return
        self._shown = shown
        where = str(path) if path else "not saved yet"
        self.setToolTip(f"{where}\n{'unsaved changes' if self.desk.document.unsaved else 'saved'}")
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        width = QFontMetricsF(theme.font(14)).horizontalAdvance(self.desk.effect.name)
        return QSize(round(width) + 62, 34)

    def room(self) -> int:
        """Pixels for the name, beside the mark of unsaved work."""
        return self.width() - 47

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.type_in()

    def type_in(self) -> None:
        """Opens the name for typing."""
        OpenLine(self, self.desk.effect.name, self._typed, QRect(30, 4, max(self.width() - 32, 100), 26))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.type_in()
        else:
            super().keyPressEvent(event)

    def _typed(self, text: str) -> str:
        name = text.strip()
        if not name:
            return "expected a name for the effect"
        self.desk.document.change(f"name {name}", replace(self.desk.effect, name=name))
        return ""

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        glow = QRadialGradient(QPointF(17, 17), 9)
        glow.setColorAt(0, theme.BONE)
        glow.setColorAt(0.45, theme.EMBER)
        glow.setColorAt(1, theme.with_alpha(theme.EMBER, 0))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(glow)
        painter.drawEllipse(QPointF(17, 17), 9, 9)
        painter.setFont(theme.font(14, theme.font().Weight.DemiBold))
        painter.setPen(theme.BONE)
        metrics = QFontMetricsF(painter.font())
        name = metrics.elidedText(self.desk.effect.name, Qt.TextElideMode.ElideRight, self.room())
        painter.drawText(QRectF(34, 0, self.width() - 36, 34), Qt.AlignmentFlag.AlignVCenter, name)
        if self.desk.document.unsaved:
            # A small open ring: the filled dot is a field that differs from its default.
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.ASH)
            painter.drawEllipse(QPointF(34 + metrics.horizontalAdvance(name) + 9, 18), 2.5, 2.5)


class HeaderField(QWidget):
    """One of the effect's own fields."""

    def __init__(self, desk: Desk, name: str, width: int) -> None:
        super().__init__()
        self.desk, self.name = desk, name
        self.declared = fields_of(Effect)[name]
        self._shown: tuple[object, bool, bool] | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 4, 0)
        row.setSpacing(2)
        self.label = QLabel(_BEHIND.get(name, self.declared.field.label))
        self.label.setFont(theme.font())
        self.editor: NumberEdit | SwitchEdit
        if self.declared.type is bool:
            self.editor = SwitchEdit(self.declared.field, self.declared.default)
        else:
            whole = self.declared.type is int
            self.editor = NumberEdit(self.declared.field, whole=whole, default=self.declared.default, bar=False)
            self.editor.setFixedWidth(width)
            self.editor.leftward = name not in _BEHIND
            self.editor.tells_unit = name not in _BEHIND
        for widget in (self.editor, self.label) if name in _BEHIND else (self.label, self.editor):
            row.addWidget(widget)
        self.editor.edited.connect(self._edited)
        self.editor.finished.connect(desk.document.end_stroke)

    def _edited(self, value: object, stroke: object) -> None:
        self._shown = None
        effect = replace(self.desk.effect, **{self.name: value})
        self.desk.document.change(self.declared.field.label, effect, stroke)

    def show_effect(self, effect: Effect) -> None:
        found = self.desk.findings.at("", (self.name,))
        value, idle = getattr(effect, self.name), why_idle(self.declared.field, effect) is not None
        if (value, idle, bool(found)) == self._shown:
            return
        self._shown = value, idle, bool(found)
        self.editor.idle = idle
        self.editor.show_value(value)
        self.editor.update()
        colour = theme.DIM if idle else theme.WARNING if found else theme.ASH
        self.label.setStyleSheet(f"color: {colour.name()}")

    def enterEvent(self, event: QEnterEvent) -> None:
        need = why_idle(self.declared.field, self.desk.effect)
        found = self.desk.findings.at("", (self.name,))
        if found and need is None:
            self.desk.hinted.emit(f"{self.declared.field.label}: {found[0].said}. C shows its mends.", None)
            return
        text = f"no effect just now. {need.reason}" if need else self.declared.field.help
        cause = Target(Effect, need.path, fields_of(Effect)[need.path[-1]].field.label) if need else None
        self.desk.hinted.emit(f"{self.declared.field.label}: {text}", cause)


class ChecksButton(WordButton):
    """How much the checks found; as wide whatever it says, so that nothing beside it moves."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("99", "", icon="problem")
        self.desk = desk
        self.setFixedWidth(self.sizeHint().width())
        desk.findings.changed.connect(self._count)
        self._count()

    def _count(self) -> None:
        found = self.desk.findings.open
        self.colour = theme.WARNING if any(finding.grave for finding in found) else theme.ASH if found else theme.DIM
        self.show_text(f"{len(found)}" if found else "")
        self.setAccessibleName(f"checks: {len(found)} found" if found else "checks: nothing found")
        told = "; ".join(finding.said for finding in found[:3])
        self.setToolTip(f"{told} (C)" if found else "Nothing is found that is likely not meant (C)")
        self.update()


class LeftGauge(WordButton):
    """How much of the target is left of what is nearest to its end: a figure over a bar, always as wide."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("")
        self.desk = desk
        self.setFixedSize(38, 30)
        desk.spent.changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        spent = self.desk.spent
        told = "; ".join(spent.left())
        self.setToolTip(f"{spent.target}: {told} (G)" if told else "How much of the target is left (G)")
        self.setAccessibleName(f"left of {spent.target}: {told}" if told else f"left of {spent.target}")
        left = 1 - max(spent.shares().values(), default=1.0)
        self.setText("" if not told else "over" if left < 0 else f"{left:.0%}")
        self._left = left
        self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        if self.underMouse() or self.hasFocus():
            painter.fillRect(self.rect(), theme.RAISED)
        over = self.text() == "over"
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(
            theme.WARNING
            if over
            else theme.EMBER
            if self.hasFocus()
            else theme.BONE
            if self.underMouse()
            else theme.ASH
        )
        painter.drawText(QRectF(0, 3, self.width(), 14), Qt.AlignmentFlag.AlignCenter, self.text())
        bar = QRectF(4, 20, self.width() - 8, 3)
        painter.fillRect(bar, theme.LINE)
        if self.text():
            wide = bar.width() * (1.0 if over else self._left)
            painter.fillRect(QRectF(bar.left(), bar.top(), wide, 3), theme.WARNING if over else theme.GLASS)


_FIELDS = (("duration", 50), ("loop", 0), ("warm", 0), ("identical", 0), ("tempo", 40), ("seed", 40), ("steps", 40))

_BEHIND = {"steps": "steps/s"}
"""Words that stand behind their number."""


class Header(QWidget):
    """One line across the top."""

    file_menu_asked = pyqtSignal()
    handover_asked = pyqtSignal()
    search_asked = pyqtSignal()
    bench_asked = pyqtSignal()
    checks_asked = pyqtSignal()
    cost_asked = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedHeight(44)
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 0, 4, 0)
        row.setSpacing(2)
        self.name = NameLabel(desk)
        self.undo = IconButton("undo", "Undo", size=26)
        self.redo = IconButton("redo", "Redo", size=26)
        self.history = IconButton("list", "History: go back to any step", size=26)
        self.undo.clicked.connect(desk.document.undo)
        self.redo.clicked.connect(desk.document.redo)
        self.history.clicked.connect(self._open_history)
        for widget in (self.name, self.undo, self.redo, self.history):
            row.addWidget(widget)
        row.addStretch(1)
        self.fields = {name: HeaderField(desk, name, width) for name, width in _FIELDS}
        self.seed_lock = IconButton("lock", "Lock the seed: nothing changes it", size=18, checkable=True)
        self.seed_lock.toggled.connect(self._lock_seed)
        for name, field in self.fields.items():
            row.addWidget(field)
            if name == "seed":
                field.layout().setContentsMargins(0, 0, 0, 0)  # type: ignore[union-attr]
                row.addWidget(self.seed_lock)
        row.addStretch(1)
        self.search = WordButton(
            "find…", "Anything: fields by any word for them, commands, layers, starting points (Ctrl+F)"
        )
        self.search.clicked.connect(self.search_asked)
        self.hand = WordButton(
            "Hand over", "What a game takes away: the package, sheets, the rehearsal (Ctrl+E)", icon="sheet"
        )
        self.hand.clicked.connect(self.handover_asked)
        self.bench = WordButton("Textures", "Pictures made, painted, simulated and tried in the effect (Ctrl+T)")
        self.bench.clicked.connect(self.bench_asked)
        self.file = WordButton("File", "New, open, save, recent", menu=True)
        self.file.clicked.connect(self.file_menu_asked)
        self.checks = ChecksButton(desk)
        self.checks.clicked.connect(self.checks_asked)
        self.left = LeftGauge(desk)
        self.left.clicked.connect(self.cost_asked)
        row.addWidget(self.left)
        row.addWidget(self.checks)
        row.addWidget(self.search)
        row.addWidget(self.bench)
        row.addWidget(self.hand)
        row.addWidget(self.file)
        desk.document.named.connect(self._show)
        desk.findings.changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        document = self.desk.document
        for button, edits, verb, key in (
            (self.undo, document.past, "Undo", "Z"),
            (self.redo, document.future, "Redo", "Shift+Z"),
        ):
            button.setEnabled(bool(edits))
            button.setToolTip(f"{verb}: {edits[-1].name} (Ctrl+{key})" if edits else f"Nothing to {verb.lower()}")
        self.history.setEnabled(bool(document.past or document.future))
        for field in self.fields.values():
            field.show_effect(document.effect)
        self.seed_lock.setChecked(document.effect.seed_kept)

    def _lock_seed(self, on: bool) -> None:
        name = "lock the seed" if on else "free the seed"
        self.desk.document.change(name, replace(self.desk.effect, seed_kept=on))

    def _open_history(self) -> None:
        document = self.desk.document
        menu = Menu(self)
        steps = [(len(document.future) - i, edit.name) for i, edit in enumerate(document.future)][-12:]
        for count, name in steps:
            action = menu.addAction(f"redo {name}")
            action.triggered.connect(lambda _=False, count=count: [document.redo() for _ in range(count)])
        here = menu.addAction("— here —")
        here.setEnabled(False)
        for i, edit in enumerate(reversed(document.past[-20:])):
            menu.addAction(edit.name).triggered.connect(lambda _=False, i=i: [document.undo() for _ in range(i + 1)])
        menu.open_at(self.history)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)
