"""Text that goes from one place to another: by the clipboard, or dragged."""

from __future__ import annotations

import json
from typing import Any

from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QDrag, QDropEvent
from PyQt6.QtWidgets import QApplication, QWidget

_OURS = "pale-ember"
"""What our own texts begin with, and behind it of what kind they are."""


def own_text(kind: str, **values: Any) -> str:
    """A text of our own, of a kind, with plain values."""
    return json.dumps({_OURS: kind, **values})


def from_own_text(text: str, kind: str) -> dict[str, Any] | None:
    """The values of a text of our own; None where it is another text, or of another kind."""
    try:
        raw = json.loads(text)
    except ValueError:
        return None
    return raw if isinstance(raw, dict) and raw.pop(_OURS, None) == kind else None


def clipboard_text() -> str:
    """The text of the clipboard."""
    clipboard = QApplication.clipboard()
    return clipboard.text() if clipboard is not None else ""


def copy_text(text: str) -> None:
    """Puts a text into the clipboard."""
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
    return text if text.startswith(f'{{"{_OURS}"') else ""
