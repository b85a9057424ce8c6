"""The line above the strip: the names of all eight chapters, what each says in a few words, and what was found there."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSizePolicy, QWidget

from pale_ember.core.effect.story import STORY, help_of, title_of
from pale_ember.core.insight.checks.finding import Finding
from pale_ember.studio.controls.buttons import Button
from pale_ember.studio.fields.fix_menu import colour_of, paint_mark
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

HEIGHT = 28


class ChapterName(Button):
    """A chapter's name: pressed, it brings its chapter into view; pressed twice, it expands it."""

    doubled = pyqtSignal()

    def __init__(self, chapter: str, digit: int) -> None:
        super().__init__()
        self.title = title_of(chapter)
        self.brief: list[str] = []
        self.found: list[Finding] = []
        self._in_view = False
        self.setToolTip(f"{help_of(chapter)} Click, or {digit}: into view. Double-click: expand, restore.")
        self.setAccessibleName(self.title)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(100, HEIGHT)

    def tell(self, brief: list[str]) -> None:
        if brief != self.brief:
            self.brief = brief
            self.setAccessibleDescription(", ".join(brief))
            self.update()

    def mark(self, found: list[Finding]) -> None:
        if colour_of(found) != colour_of(self.found):
            self.update()
        self.found = found

    def show_in_view(self, on: bool) -> None:
        """Whether its chapter is seen."""
        if on != self._in_view:
            self._in_view = on
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self.doubled.emit()

    def _told(self, painter: QPainter, room: float) -> str:
        """As much of what it says as has room, whole words alone."""
        metrics, told = QFontMetricsF(painter.font()), ""
        for part in self.brief:
            longer = f"{told}, {part}" if told else part
            if metrics.horizontalAdvance(longer) > room:
                break
            told = longer
        return told

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ground: QColor | Qt.BrushStyle = theme.SURFACE if self._in_view else Qt.BrushStyle.NoBrush
        painter.setBrush(theme.RAISED if self.underMouse() else ground)
        painter.setPen(QPen(theme.EMBER, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        strong = theme.font(theme.BODY, theme.font().Weight.DemiBold)
        painter.setFont(strong)
        painter.setPen(theme.BONE if self._in_view or self.underMouse() else theme.ASH)
        box = QRectF(8, 0, self.width() - 12, self.height())
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, self.title)
        left = 8 + QFontMetricsF(strong).horizontalAdvance(self.title) + 6
        if self.found:
            paint_mark(painter, QRectF(left, (self.height() - 12) / 2, 12, 12), self.found)
            left += 16
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        told = self._told(painter, self.width() - left - 4)
        painter.drawText(QRectF(left, 0, self.width() - left, self.height()), Qt.AlignmentFlag.AlignVCenter, told)


class ChapterLine(QWidget):
    """All eight names, each always at the same place."""

    asked = pyqtSignal(str)
    """A chapter is to come into view."""
    expand_asked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        self.names = {chapter: ChapterName(chapter, i) for i, chapter in enumerate(STORY, 1)}
        for chapter, name in self.names.items():
            name.clicked.connect(lambda _=False, chapter=chapter: self.asked.emit(chapter))
            name.doubled.connect(lambda chapter=chapter: self.expand_asked.emit(chapter))
            row.addWidget(name)
        self.setFixedHeight(HEIGHT)
