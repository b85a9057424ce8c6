"""The user guide beside the work, opened where something is told."""

from __future__ import annotations

import functools

from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QTextCursor, QTextTable
from PyQt6.QtWidgets import QTextBrowser, QVBoxLayout, QWidget

from pale_ember import ASSETS
from pale_ember.core.insight.guide import GuideEntry, told_in, without_pictures
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Panel, on_screen

_SIZE = QSize(760, 600)


@functools.cache
def _text() -> str:
    return (ASSETS / "user-guide.md").read_text(encoding="utf-8")


@functools.cache
def told() -> tuple[GuideEntry, ...]:
    """All that the guide tells."""
    return tuple(told_in(_text()))


class GuidePage(Panel):
    """The guide, readable and searchable by eye; Escape or a press beside it closes it."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setAccessibleName("guide")
        self.setFixedSize(_SIZE.boundedTo(parent.size()))
        self.browser = QTextBrowser()
        self.browser.setOpenLinks(False)
        self.browser.document().setDocumentMargin(18)
        self.browser.setFont(theme.font(theme.STRONG))
        self.browser.setMarkdown(without_pictures(_text()))
        self._quieten_tables()
        column = QVBoxLayout(self)
        column.setContentsMargins(1, 1, 1, 1)
        column.addWidget(self.browser)

    def _quieten_tables(self) -> None:
        document = self.browser.document()
        root = document.rootFrame() if document is not None else None
        for frame in root.childFrames() if root is not None else ():
            if isinstance(frame, QTextTable):
                form = frame.format().toTableFormat()
                form.setBorderBrush(theme.LINE)
                frame.setFormat(form)

    def open_at(self, anchor: QWidget, place: GuideEntry | None = None) -> None:
        """Opens in the middle of a widget, where something is told."""
        box = on_screen(anchor)
        self.move(box.center() - self.rect().center())
        self.show()
        self.browser.setFocus()
        if place is not None:
            # Places of a text are known once it has been laid out.
            QTimer.singleShot(0, lambda: self.show_place(place))

    def show_place(self, place: GuideEntry) -> None:
        """Brings what is told to the top, and marks it."""
        document = self.browser.document()
        assert document is not None
        block = document.begin()
        while block.isValid() and not (block.blockFormat().headingLevel() and block.text().strip() == place.heading):
            block = block.next()
        if place.title != place.heading:
            while block.isValid() and block.text().strip() != place.title:
                block = block.next()
        if not block.isValid():
            return
        cursor = QTextCursor(block)
        cursor.movePosition(QTextCursor.MoveOperation.EndOfBlock, QTextCursor.MoveMode.KeepAnchor)
        self.browser.setTextCursor(cursor)
        layout, bar = document.documentLayout(), self.browser.verticalScrollBar()
        if layout is not None and bar is not None:
            bar.setValue(round(layout.blockBoundingRect(block).top()) - 20)
