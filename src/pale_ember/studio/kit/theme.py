"""Warm ash and pale ember: the colours, the font and the quiet style of every surface, in three dresses."""

from __future__ import annotations

import functools
import gc

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QWidget

from pale_ember import ASSETS

FLOOR = QColor()
"""Behind everything."""
SURFACE = QColor()
RAISED = QColor()
WELL = QColor()
"""Where curves and pictures lie."""
LINE = QColor()
EDGE = QColor()
"""The rim of what can be pressed or typed into, and marks that tell what is."""
BONE = QColor()
"""Text that matters."""
ASH = QColor()
"""Text that explains."""
DIM = QColor()
"""Text and marks without effect just now."""
EMBER = QColor()
"""What is active or can be dragged."""
GLASS = QColor()
"""Time, and where it is paused."""
WARNING = QColor()
"""A problem; nothing else is yellow."""

ROLES = ("FLOOR", "SURFACE", "RAISED", "WELL", "LINE", "EDGE", "BONE", "ASH", "DIM", "EMBER", "GLASS", "WARNING")
DRESSES = {
    "ember": "#171614 #211f1c #2a2825 #191816 #383531 #7d766d #ece5d8 #b4ada2 #968f85 #f6ab7a #7fc8bb #e2c15c",
    "light": "#ddd8cf #ebe7df #f6f3ed #f1eee8 #c9c2b6 #7c7468 #1f1c18 #4a453d #5f594f #934010 #0f6256 #6e5200",
    "high contrast": "#000000 #0a0a09 #161614 #000000 #4a463f #b8b1a5 #ffffff #e0d9cc #b5aea2 #ffb983 #8fe6d6 #ffe066",
}
"""The colours of each dress, by the roles. Text has at least 4.5 to 1 on all grounds, rims 3 to 1 (WCAG 2.2, AA)."""


class Lit:
    """The colours of what is painted over the stage's picture: those of the first dress, whatever the window wears."""

    FLOOR, SURFACE, RAISED, WELL, LINE, EDGE, BONE, ASH, DIM, EMBER, GLASS, WARNING = map(QColor, DRESSES["ember"].split())


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
    """A colour as opaque as `alpha`, 0 to 1."""
    thinned = QColor(colour)
    thinned.setAlphaF(alpha)
    return thinned


def tone(label: QWidget, role: str) -> None:
    """Gives a label the colour of a role, as "ash", in whatever dress."""
    if label.property("tone") != role:
        label.setProperty("tone", role)
        style = label.style()
        assert style is not None
        style.unpolish(label)
        style.polish(label)


def dress(application: QApplication, name: str = "ember") -> None:
    """Gives an application the font and the colours of a dress, unless it wears it."""
    if application.property("dress") == name:
        return
    if application.property("dress") is None:
        for path in sorted((ASSETS / "fonts").glob("*.ttf")):
            QFontDatabase.addApplicationFont(str(path))
        application.setFont(font())
    application.setProperty("dress", name)
    for role, code in zip(ROLES, DRESSES[name].split(), strict=True):
        # The same objects, for whoever holds one.
        globals()[role].setRgba(QColor(code).rgba())
    palette = QPalette()
    roles = QPalette.ColorRole
    for part, colour in (
        (roles.Window, FLOOR), (roles.WindowText, BONE), (roles.Base, WELL), (roles.AlternateBase, SURFACE),
        (roles.Text, BONE), (roles.Button, SURFACE), (roles.ButtonText, BONE), (roles.Highlight, EMBER),
        (roles.HighlightedText, FLOOR), (roles.ToolTipBase, RAISED), (roles.ToolTipText, BONE), (roles.PlaceholderText, DIM),
    ):  # fmt: skip
        palette.setColor(part, colour)
    palette.setColor(QPalette.ColorGroup.Disabled, roles.Text, DIM)
    palette.setColor(QPalette.ColorGroup.Disabled, roles.ButtonText, DIM)
    application.setPalette(palette)
    # Qt asks all it knows one after the other; a widget that nobody holds must not be collected meanwhile.
    collects = gc.isenabled()
    gc.disable()
    try:
        application.setStyleSheet(_sheet())
    finally:
        if collects:
            gc.enable()
    for widget in application.allWidgets():
        widget.update()


def _sheet() -> str:
    tones = "\n".join(f'*[tone="{role.lower()}"] {{ color: {globals()[role].name()}; }}' for role in ROLES)
    return f"""
    {tones}
    QToolTip {{ background: {RAISED.name()}; color: {BONE.name()}; border: 1px solid {LINE.name()}; padding: 6px 8px; }}
    QMenu {{ background: {RAISED.name()}; border: 1px solid {LINE.name()}; padding: 5px; }}
    QMenu::item {{ padding: 5px 22px 5px 14px; border-radius: 5px; color: {BONE.name()}; }}
    QMenu::item:selected {{ background: {LINE.name()}; }}
    QMenu::item:disabled {{ color: {DIM.name()}; }}
    QMenu::separator {{ height: 1px; background: {LINE.name()}; margin: 4px 8px; }}
    QLineEdit {{ background: {WELL.name()}; border: 1px solid {EDGE.name()}; border-radius: 4px; padding: 1px 5px;
                 color: {BONE.name()}; selection-background-color: {EMBER.name()}; selection-color: {FLOOR.name()}; }}
    QLineEdit:focus {{ border-color: {EMBER.name()}; }}
    QPushButton {{ background: {RAISED.name()}; border: 1px solid {EDGE.name()}; border-radius: 6px; padding: 5px 14px; }}
    QPushButton:hover {{ border-color: {BONE.name()}; }}
    QPushButton:focus {{ border-color: {EMBER.name()}; }}
    QPushButton:default {{ background: {EMBER.name()}; color: {FLOOR.name()}; border-color: {EMBER.name()}; }}
    QPushButton:disabled {{ color: {DIM.name()}; background: {SURFACE.name()}; }}
    QScrollArea {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 7px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {EDGE.name()}; border-radius: 3px; min-height: 24px; }}
    QScrollBar:horizontal {{ background: transparent; height: 7px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {EDGE.name()}; border-radius: 3px; min-width: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QProgressBar {{ background: {WELL.name()}; border: none; border-radius: 3px; height: 6px; text-align: center; }}
    QProgressBar::chunk {{ background: {EMBER.name()}; border-radius: 3px; }}
    QSplitter::handle {{ background: {FLOOR.name()}; }}
    QSplitter::handle:hover {{ background: {LINE.name()}; }}
    """
