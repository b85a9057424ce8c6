"""The top of the window: the effect's name and its own fields, undo, and what to do with the document."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QEnterEvent, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QRadialGradient, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import fields_of, why_idle
from pale_ember.core.effect.model import Effect
from pale_ember.studio.controls.buttons import Button, IconButton, SwitchEdit, WordButton
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.controls.text_entry import OpenLine
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.kit import fitted_text, icons, theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu, Panel, on_screen, room_beside
from pale_ember.studio.kit.tab_stops import ButtonRow


class NameLabel(QWidget):
    """The effect's name, with the mark of unsaved work; click to change it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._shown: tuple[object, ...] = ()
        self.setFixedHeight(34)
        self.setMinimumWidth(90)
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
        self.label = QLabel(self.declared.field.label)
        self.label.setFont(theme.font())
        self.editor: NumberEdit | SwitchEdit
        if self.declared.type is bool:
            self.editor = SwitchEdit(self.declared.field, self.declared.default)
        else:
            whole = self.declared.type is int
            self.editor = NumberEdit(self.declared.field, whole=whole, default=self.declared.default, bar=False)
            self.editor.setFixedWidth(width)
            self.editor.leftward = True
        for widget in (self.label, self.editor):
            row.addWidget(widget)
        self.editor.edited.connect(self._edited)
        self.editor.finished.connect(desk.document.end_stroke)

    def _edited(self, value: object, stroke: object) -> None:
        self._shown = None
        effect = replace(self.desk.effect, **{self.name: value})
        self.desk.document.change(self.declared.field.label, effect, stroke)

    def show_effect(self, effect: Effect) -> None:
        """Shows the field as the effect has it."""
        found = self.desk.findings.at("", (self.name,))
        value, idle = getattr(effect, self.name), why_idle(self.declared.field, effect) is not None
        if (value, idle, bool(found)) == self._shown:
            return
        self._shown = value, idle, bool(found)
        self.editor.idle = idle
        self.editor.show_value(value)
        self.editor.update()
        theme.tone(self.label, "dim" if idle else "warning" if found else "ash")

    def enterEvent(self, event: QEnterEvent) -> None:
        need = why_idle(self.declared.field, self.desk.effect)
        found = self.desk.findings.at("", (self.name,))
        if found and need is None:
            self.desk.hinted.emit(f"{self.declared.field.label}: {found[0].said}. C shows its fixes.", None)
            return
        text = f"no effect just now. {need.reason}" if need else self.declared.field.help
        cause = Target(Effect, need.path, fields_of(Effect)[need.path[-1]].field.label) if need else None
        self.desk.hinted.emit(f"{self.declared.field.label}: {text}", cause)


class ScreenTab(WordButton):
    """The name of one of the screens: underlined while it is shown."""

    def __init__(self, text: str, tip: str) -> None:
        super().__init__(text, tip, checkable=True)
        self.setAutoExclusive(True)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        lit = self.isChecked() or self.underMouse() or self.hasFocus()
        painter.setFont(theme.font())
        painter.setPen(theme.BONE if lit else theme.ASH)
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.text())
        if self.isChecked() or self.hasFocus():
            painter.fillRect(QRectF(7, self.height() - 2, self.width() - 14, 2), theme.EMBER)


class WishLine(Button):
    """The line in which anything is found and wished: a press, or a letter typed over it, opens it."""

    typed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(28)
        self.setMinimumWidth(30)
        self.setMaximumWidth(460)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("search")
        self.setToolTip("Search and wish: fields by any word for them, values, commands, layers, starting points (Ctrl+F)")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.IBeamCursor)
        self.clicked.connect(lambda: self.typed.emit(""))

    def sizeHint(self) -> QSize:
        return QSize(460, 28)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.text().isprintable() and event.text().strip() and not event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
            self.typed.emit(event.text())
        else:
            super().keyPressEvent(event)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.EMBER if self.hasFocus() else theme.ASH if self.underMouse() else theme.EDGE, 1))
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        icons.paint(painter, "search", QRectF(7, 6, 16, 16), theme.ASH)
        room = self.width() - 38
        told = next((text for text in WISHES if fitted_text.width_of(text) <= room), "")
        painter.setFont(theme.font())
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(29, 0, room, self.height()), Qt.AlignmentFlag.AlignVCenter, told)


class ChecksButton(WordButton):
    """How many problems the checks found; as wide whatever it says, so that nothing beside it moves."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("problems 99")
        self.desk = desk
        self.setFixedWidth(self.sizeHint().width())
        desk.findings.changed.connect(self._count)
        self._count()

    def _count(self) -> None:
        found = self.desk.findings.open
        self.colour = theme.WARNING if any(finding.grave for finding in found) else theme.BONE if found else theme.ASH
        self.show_text(f"problems {len(found)}")
        told = "; ".join(finding.said for finding in found[:3])
        self.setToolTip(f"{told} (C)" if found else "No problems found (C)")
        self.update()


class LeftGauge(WordButton):
    """How much of the target's budget is left of what is nearest to its end, with a bar behind it; always as wide."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("budget left 100 %")
        self.desk = desk
        self.show_bar(True)
        desk.spent.changed.connect(self._show)
        self._show()

    def show_bar(self, on: bool) -> None:
        """Shows the bar, or the figure alone."""
        self._barred = on
        room = QFontMetricsF(theme.font()).horizontalAdvance("budget left 100 %") + 14
        self.setFixedSize(round(room) + (_BAR + 8) * on, 28)

    def _show(self) -> None:
        spent = self.desk.spent
        told = "; ".join(spent.left())
        self.setToolTip(f"{spent.target}: {told} (G)" if told else "How much of the budget is left (G)")
        left = 1 - max(spent.shares().values(), default=1.0)
        self.setText("budget left" if not told else "over budget" if left < 0 else f"budget left {left:.0%}".replace("%", " %"))
        self.setAccessibleName(f"{self.text()}, {spent.target}")
        self._left = left if told else 0.0
        self.colour = theme.WARNING if left < 0 and told else theme.ASH
        self.update()

    def paint_on(self, painter: QPainter) -> None:
        super().paint_on(painter)
        if not self._barred:
            return
        bar = QRectF(self.width() - _BAR - 7, self.height() / 2 - 1.5, _BAR, 3)
        painter.fillRect(bar, theme.EDGE)
        bar.setWidth(_BAR * (1.0 if self._left < 0 else self._left))
        painter.fillRect(bar, theme.WARNING if self._left < 0 else theme.GLASS)


class EffectPanel(Panel):
    """The effect's own fields that are set once or twice: how fast it runs, with which random numbers, how it begins."""

    def __init__(self, parent: QWidget, desk: Desk) -> None:
        super().__init__(parent)
        self.setAccessibleName("effect settings")
        self.fields = {name: HeaderField(desk, name, 64) for name in ("tempo", "seed", "steps", "warm", "identical")}
        self.seed_lock = IconButton("lock", "Lock the seed", size=20, checkable=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 12, 10)
        column.setSpacing(4)
        for name, field in self.fields.items():
            row = field.layout()
            assert isinstance(row, QHBoxLayout)
            row.insertStretch(1, 1)
            if name == "seed":
                row.addWidget(self.seed_lock)
            column.addWidget(field)
        self.setFixedWidth(260)

    def open_below(self, anchor: QWidget) -> None:
        """Opens below a button."""
        self.adjustSize()
        self.move(room_beside(on_screen(anchor), self.size(), anchor.screen().availableGeometry()))
        self.show()
        self.fields["tempo"].editor.setFocus()


_ROOMY = 1080
"""Pixels of a header that has room for all."""
_BAR = 24
"""Pixels of the gauge's bar."""

WISHES = ("type any wish: rate 40-50, additive, fades in and out", "type any wish: rate 40-50, additive", "type any wish", "wish")
"""What the line says where nothing is typed, by the room there is."""


class Header(QWidget):
    """One line across the top: everything in it keeps its place."""

    file_menu_asked = pyqtSignal()
    screen_asked = pyqtSignal(str)
    search_asked = pyqtSignal(str)
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
        self.tabs = {
            "Effects": ScreenTab("Effects", "All effects of a folder, its pictures, and what it shares (Ctrl+Shift+O)"),
            "Workbench": ScreenTab("Workbench", "The stage, the layers and their story"),
            "Textures": ScreenTab("Textures", "Make, paint and simulate pictures (Ctrl+T)"),
            "Hand over": ScreenTab("Hand over", "Package, sheets and clips for the game, and the rehearsal (Ctrl+E)"),
        }
        self.tabs["Workbench"].setChecked(True)
        for name, tab in self.tabs.items():
            tab.clicked.connect(lambda _=False, name=name: self.screen_asked.emit(name))
        self.search = WishLine()
        self.search.typed.connect(self.search_asked)
        own = {name: HeaderField(desk, name, width) for name, width in (("loop", 0), ("duration", 50))}
        self.settings = WordButton("effect", "Tempo, seed, simulation rate, warm start, same every loop", menu=True)
        self.panel = EffectPanel(self, desk)
        self.settings.clicked.connect(lambda: self.panel.open_below(self.settings))
        self.seed_lock = self.panel.seed_lock
        self.seed_lock.toggled.connect(self._lock_seed)
        self.fields = own | self.panel.fields
        self.file = WordButton("File", "New, open, save, recent", menu=True)
        self.file.clicked.connect(self.file_menu_asked)
        self.checks = ChecksButton(desk)
        self.checks.clicked.connect(self.checks_asked)
        self.left = LeftGauge(desk)
        self.left.clicked.connect(self.cost_asked)
        for widget in (self.name, self.undo, self.redo, self.history, *self.tabs.values()):
            row.addWidget(widget)
        ButtonRow(self, self.undo, self.redo, self.history)
        ButtonRow(self, *self.tabs.values())
        ButtonRow(self, self.settings, self.left, self.checks, self.file)
        row.addSpacing(8)
        row.addWidget(self.search, 1)
        row.addStretch(0)
        row.addSpacing(8)
        for widget in (*own.values(), self.settings, self.left, self.checks, self.file):
            row.addWidget(widget)
        desk.document.named.connect(self._show)
        desk.findings.changed.connect(self._show)
        self._show()
        # As narrow as it can be is without what it then leaves out.
        self._make_room(roomy=False)
        self.setMinimumWidth(self.minimumSizeHint().width())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._make_room(roomy=self.width() >= _ROOMY)

    def _make_room(self, *, roomy: bool) -> None:
        """Where there is little room the name has it: the history is in its shortcuts, the gauge in its figure."""
        self.history.setVisible(roomy)
        self.left.show_bar(roomy)

    def field(self, name: str) -> QWidget:
        """One of the effect's own fields, brought to sight."""
        if name in self.panel.fields:
            self.panel.open_below(self.settings)
        return self.fields.get(name, self.name)

    def show_screen(self, name: str) -> None:
        """Marks the screen that is shown."""
        self.tabs[name].setChecked(True)

    def _show(self) -> None:
        document = self.desk.document
        for button, edits, verb, key in ((self.undo, document.past, "Undo", "Z"), (self.redo, document.future, "Redo", "Shift+Z")):
            button.setEnabled(bool(edits))
            button.setToolTip(f"{verb}: {edits[-1].name} (Ctrl+{key})" if edits else f"Nothing to {verb.lower()}")
        self.history.setEnabled(bool(document.past or document.future))
        for field in self.fields.values():
            field.show_effect(document.effect)
        self.seed_lock.setChecked(document.effect.seed_kept)

    def _lock_seed(self, on: bool) -> None:
        name = "lock the seed" if on else "unlock the seed"
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
