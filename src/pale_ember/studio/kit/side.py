"""What the panel beside the stage shows."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget


class SidePage(QWidget):
    """One page of the side panel, under its title. Shown anew when it is opened."""

    title = ""

    def refresh(self) -> None:
        """Shows what is."""
