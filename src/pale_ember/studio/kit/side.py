"""What the panel beside the stage shows."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QLabel, QScrollArea, QWidget

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
    label.setStyleSheet(f"color: {theme.ASH.name()}")
    return label


def scrolling(inner: QWidget, scrolled: Callable[[], object] | None = None) -> QScrollArea:
    """An area that is as wide as it may be and scrolls what is higher. scrolled : called when it does: what lay under the pointer has
    gone from there, and is not told."""
    area = QScrollArea()
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inner)
    bar = area.verticalScrollBar()
    if scrolled is not None and bar is not None:
        bar.valueChanged.connect(lambda _: scrolled())
    return area
