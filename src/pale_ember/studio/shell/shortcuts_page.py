"""One page of all keys."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Panel, on_screen
from pale_ember.studio.shell.commands import Command
from pale_ember.studio.shell.held_keys import HELD

BESIDE = (
    *HELD,
    ("Up, Down, Del", "In the list of layers: select, delete"),
    ("Return", "On a button or a choice: press it; on a number: type into it"),
    ("Tab, Shift+Tab", "Next field, previous field"),
    ("Escape", "Cancel typing; close a menu or the library"),
    ("Up, Down", "On a number: step it, with Shift finely, with Ctrl coarsely; on a choice: the next"),
    ("Del, Backspace", "On a number: its default; on a key or a stop: remove it"),
    ("Page Up, Page Down", "On a curve, a gradient, the stage: next key, stop or handle; arrows move it"),
    ("Insert", "On a curve or a gradient: add a key or a stop"),
    ("Left, Right", "In a row of buttons: the next one"),
    ("Ctrl+C, Ctrl+V", "On a field, a chapter, a curve or a gradient: copy, paste"),
)
"""Keys of what has the keyboard, beside the commands."""


class ShortcutsPage(Panel):
    """All keys in two columns; any press closes it."""

    def __init__(self, parent: QWidget, commands: tuple[Command, ...]) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAccessibleName("all keys")
        rows = [(", ".join(command.keys), command.words) for command in commands if not command.keys[0].isdigit()] + list(BESIDE)
        rows.insert([keys for keys, _ in rows].index("/"), ("1 to 8", "Go to a chapter; again, expand it"))
        half = (len(rows) + 1) // 2
        columns = QHBoxLayout(self)
        columns.setContentsMargins(18, 16, 18, 16)
        columns.setSpacing(24)
        for part in (rows[:half], rows[half:]):
            lines = "".join(
                f'<tr><td style="color:{theme.EMBER.name()};white-space:nowrap;padding-right:14px">{escape(keys)}</td>'
                f'<td style="color:{theme.BONE.name()}">{escape(words)}</td></tr>'
                for keys, words in part
            )
            label = QLabel(f'<table cellspacing="3">{lines}</table>')
            label.setWordWrap(True)
            label.setFixedWidth(570)
            label.setAlignment(Qt.AlignmentFlag.AlignTop)
            columns.addWidget(label)
        self.adjustSize()

    def open_over(self, anchor: QWidget) -> None:
        """Opens in the middle of a widget."""
        box = on_screen(anchor)
        self.move(box.center() - self.rect().center())
        self.show()

    def keyPressEvent(self, event) -> None:
        self.close()

    def mousePressEvent(self, event) -> None:
        self.close()
