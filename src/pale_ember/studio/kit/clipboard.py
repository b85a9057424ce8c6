"""Text that goes from one place to another: by the clipboard, or dragged."""

from __future__ import annotations

from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QDrag, QDropEvent
from PyQt6.QtWidgets import QApplication, QWidget

_MARK = '{"pale-ember"'
"""What our own texts begin with."""


def clipboard_text() -> str:
    clipboard = QApplication.clipboard()
    return clipboard.text() if clipboard is not None else ""


def copy_text(text: str) -> None:
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)


def is_pulled(pressed: QPointF | None, at: QPointF) -> bool:
    """Whether a press has become a drag."""
    return pressed is not None and (at - pressed).manhattanLength() >= QApplication.startDragDistance()


def drag_text(widget: QWidget, text: str) -> None:
    """Drags a text from a widget to wherever it is dropped."""
    drag = QDrag(widget)
    carried = QMimeData()
    carried.setText(text)
    drag.setMimeData(carried)
    drag.exec(Qt.DropAction.CopyAction)


def dropped_text(event: QDropEvent) -> str:
    """Our own text that is dragged over a widget, or "" where it is none."""
    carried = event.mimeData()
    text = carried.text() if carried is not None and carried.hasText() else ""
    return text if text.startswith(_MARK) else ""
