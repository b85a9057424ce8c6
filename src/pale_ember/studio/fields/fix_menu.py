"""The mark of what the checks found, and the mends of it in a menu."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter

from pale_ember.core.insight.checks.finding import Finding
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import icons, theme
from pale_ember.studio.kit.popups import Menu


def colour_of(found: Sequence[Finding]) -> QColor | None:
    """The colour of the mark of what was found; None where nothing was."""
    return None if not found else theme.WARNING if any(finding.grave for finding in found) else theme.ASH


def paint_mark(painter: QPainter, box: QRectF, found: Sequence[Finding]) -> None:
    """Paints the mark of what the checks found somewhere."""
    colour = colour_of(found)
    if colour is not None:
        icons.paint(painter, icons.problem(colour), box, colour, 1.3)


def add_mends(menu: Menu, desk: Desk, finding: Finding) -> None:
    """Puts the mends of a finding into a menu; pointed at they are seen on the stage."""
    for mend in finding.mends:
        action = menu.addAction(f"Fix: {mend.name}")
        action.setToolTip(finding.said)
        action.hovered.connect(lambda mend=mend: desk.findings.try_mend(mend))
        action.triggered.connect(lambda _=False, mend=mend: desk.findings.do(finding.layer, mend))
    menu.addAction("Ignore it").triggered.connect(lambda: desk.findings.leave(finding, ""))
    menu.aboutToHide.connect(lambda: desk.findings.try_mend(None))
    menu.addSeparator()
