"""Warm ash and pale ember: the colours, the font and the quiet style of every surface."""

from __future__ import annotations

import functools

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from pale_ember import ASSETS

FLOOR = QColor("#171614")
"""Behind everything."""
SURFACE = QColor("#211f1c")
RAISED = QColor("#2a2825")
WELL = QColor("#191816")
"""Where curves and pictures lie."""
LINE = QColor("#383531")
EDGE = QColor("#736d65")
"""The rim of what can be pressed or typed into, and marks that tell what is."""
BONE = QColor("#ece5d8")
"""Text that matters."""
ASH = QColor("#9a938a")
"""Text that explains."""
DIM = QColor("#5f5a54")
"""Text and marks without effect just now."""
EMBER = QColor("#f6ab7a")
"""What is active or can be dragged."""
GLASS = QColor("#7fc8bb")
"""Time and the held moment."""
WARNING = QColor("#e2c15c")
"""A problem; nothing else is yellow."""

SMALL, BODY, STRONG = 11, 12, 13


@functools.cache
def font(pixels: int = BODY, weight: QFont.Weight = QFont.Weight.Medium) -> QFont:
    """The application's font, with figures of one width; shared, so it is copied before it is changed."""
    typeface = QFont("Manrope")
    typeface.setPixelSize(pixels)
    typeface.setWeight(weight)
    typeface.setFeature(QFont.Tag("tnum"), 1)
    return typeface


def with_alpha(colour: QColor, alpha: float) -> QColor:
    thinned = QColor(colour)
    thinned.setAlphaF(alpha)
    return thinned


def dress(application: QApplication) -> None:
    """Gives an application the font, palette and style, unless it has them."""
    if application.styleSheet():
        return
    for path in sorted((ASSETS / "fonts").glob("*.ttf")):
        QFontDatabase.addApplicationFont(str(path))
    application.setStyle("Fusion")
    application.setFont(font())
    palette = QPalette()
    roles = QPalette.ColorRole
    for role, colour in (
        (roles.Window, FLOOR), (roles.WindowText, BONE), (roles.Base, WELL), (roles.AlternateBase, SURFACE),
        (roles.Text, BONE), (roles.Button, SURFACE), (roles.ButtonText, BONE), (roles.Highlight, EMBER),
        (roles.HighlightedText, FLOOR), (roles.ToolTipBase, RAISED), (roles.ToolTipText, BONE), (roles.PlaceholderText, DIM),
    ):  # fmt: skip
        palette.setColor(role, colour)
    palette.setColor(QPalette.ColorGroup.Disabled, roles.Text, DIM)
    palette.setColor(QPalette.ColorGroup.Disabled, roles.ButtonText, DIM)
    application.setPalette(palette)
    application.setStyleSheet(_sheet())


def _sheet() -> str:
    return f"""
    QToolTip {{ background: {RAISED.name()}; color: {BONE.name()}; border: 1px solid {LINE.name()}; padding: 6px 8px; }}
    QMenu {{ background: {RAISED.name()}; border: 1px solid {LINE.name()}; padding: 5px; }}
    QMenu::item {{ padding: 5px 22px 5px 14px; border-radius: 5px; color: {BONE.name()}; }}
    QMenu::item:selected {{ background: {LINE.name()}; }}
    QMenu::item:disabled {{ color: {DIM.name()}; }}
    QMenu::separator {{ height: 1px; background: {LINE.name()}; margin: 4px 8px; }}
    QLineEdit {{ background: {WELL.name()}; border: 1px solid {LINE.name()}; border-radius: 4px; padding: 1px 5px;
                 color: {BONE.name()}; selection-background-color: {EMBER.name()}; selection-color: {FLOOR.name()}; }}
    QLineEdit:focus {{ border-color: {EMBER.name()}; }}
    QPushButton {{ background: {RAISED.name()}; border: 1px solid {LINE.name()}; border-radius: 6px; padding: 5px 14px; }}
    QPushButton:hover {{ border-color: {ASH.name()}; }}
    QPushButton:focus {{ border-color: {EMBER.name()}; }}
    QPushButton:default {{ background: {EMBER.name()}; color: {FLOOR.name()}; border-color: {EMBER.name()}; }}
    QPushButton:disabled {{ color: {DIM.name()}; background: {SURFACE.name()}; }}
    QScrollArea {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 7px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {LINE.name()}; border-radius: 3px; min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 7px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {LINE.name()}; border-radius: 3px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QProgressBar {{ background: {WELL.name()}; border: none; border-radius: 3px; height: 6px; text-align: center; }}
    QProgressBar::chunk {{ background: {EMBER.name()}; border-radius: 3px; }}
    QSplitter::handle {{ background: {FLOOR.name()}; }}
    QSplitter::handle:hover {{ background: {LINE.name()}; }}
    """
