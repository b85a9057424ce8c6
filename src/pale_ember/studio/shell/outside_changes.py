"""A document that another program changed: told at once, and what becomes of it chosen, before anything is written over."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from pale_ember.formats.document import MOST_BYTES
from pale_ember.formats.files import read_regular
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted


def content_of(path: Path | None) -> str:
    """A digest of what a file holds; "" where there is none that can be read."""
    if path is None:
        return ""
    try:
        return hashlib.sha256(read_regular(path, MOST_BYTES)).hexdigest()
    except OSError:
        return ""


class OutsideNotice(QWidget):
    """A line over the top of the window with three ways on. It takes no room, and no keyboard."""

    def __init__(self, window: QWidget, choices: dict[str, tuple[str, Callable[[], object]]]) -> None:
        """choices : by their words what each does, in a sentence, and the function."""
        super().__init__(window)
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 4, 12, 4)
        row.setSpacing(8)
        self.said = QLabel()
        row.addWidget(self.said)
        row.addStretch(1)
        self.buttons: dict[str, WordButton] = {}
        for text, (tip, does) in choices.items():
            button = WordButton(text, tip)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(lambda _=False, does=does: does())
            row.addWidget(button)
            self.buttons[text] = button
        self.setAccessibleName("changed by another program")
        self.hide()

    def tell(self, text: str, top: int) -> None:
        """Shows what happened, so many pixels below the window's top."""
        self.said.setText(text)
        self.setAccessibleDescription(text)
        self.setGeometry(0, top, self.parentWidget().width(), max(self.sizeHint().height(), 36))
        self.show()
        self.raise_()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.RAISED)
        painter.setPen(QPen(theme.WARNING, 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
