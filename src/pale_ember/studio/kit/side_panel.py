"""What the panel beside the stage shows."""

from __future__ import annotations

from PyQt6.QtWidgets import QLabel, QWidget

from pale_ember.studio.kit import theme


class SidePage(QWidget):
    """One page of the side panel, under its title. Shown anew when it is opened."""

    title = ""

    def refresh(self) -> None:
        """Shows what is."""


def quiet(text: str = "") -> QLabel:
    """Plain words on a page, as many lines as they take."""
    label = QLabel(text)
    label.setWordWrap(True)
    theme.tone(label, "ash")
    return label
