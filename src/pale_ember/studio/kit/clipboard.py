"""The clipboard's text."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication


def clipboard_text() -> str:
    clipboard = QApplication.clipboard()
    return clipboard.text() if clipboard is not None else ""


def copy_text(text: str) -> None:
    clipboard = QApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)
