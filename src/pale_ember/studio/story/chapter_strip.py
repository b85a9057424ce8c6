"""How chapters lie side by side: each at its place, as wide as it was made; what has no room is scrolled to."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QApplication, QSplitter, QVBoxLayout, QWidget

from pale_ember.core.effect.story import STORY
from pale_ember.studio.kit.scrolling import Sideways
from pale_ember.studio.kit.settings import kept_list, settings
from pale_ember.studio.story.chapter import GAP, LEAST, Chapter, PinnedChapter
from pale_ember.studio.story.chapter_line import ChapterLine

_WIDTHS = {"place": 240, "outlet": 242, "birth": 260, "life": 252, "forces": 248, "contact": 194, "offspring": 234, "look": 240}
"""Pixels of the chapters to begin with: at 1280 from *Place* to *Forces*, or from *Life* to *Look*."""


class ChapterStrip(QWidget):
    """The chapters under the line of their names. How wide each is, is remembered."""

    tabbed = pyqtSignal()
    """The focus was led on by Tab."""
    passed = pyqtSignal(bool)
    """Tab goes on behind the last chapter, or before the first."""

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP, 4, GAP, 2)
        column.setSpacing(4)
        self.line = ChapterLine()
        self.line.asked.connect(self.bring)
        self.line.expand_asked.connect(self.expand)
        column.addWidget(self.line)
        self.strip = QSplitter(Qt.Orientation.Horizontal)
        self.strip.setHandleWidth(GAP)
        self.strip.setChildrenCollapsible(False)
        self.area = Sideways(self.strip)
        column.addWidget(self.area, 1)
        self.strip.splitterMoved.connect(self._dragged)
        self.area.horizontalScrollBar().valueChanged.connect(self._scrolled)
        self.chapters: dict[str, Chapter] = {}
        self.pinned: PinnedChapter | None = None
        """A chapter of one layer that stays while another is selected."""
        self._widths = self._kept_widths()
        self._expanded = ""
        """The chapter that has the whole strip, if one has."""
        self._stale = set(STORY)
        """The chapters that show what was, for nobody sees them."""
        self._in_hand = STORY[1]
        """The chapter that was asked for last."""

    def _show(self, name: str) -> None:
        """Shows a chapter as it is."""
        raise NotImplementedError

    @staticmethod
    def _kept_widths() -> dict[str, int]:
        """The widths that were kept, where they can be read."""
        kept = kept_list("widths")
        if len(kept) == len(STORY) and all(text.isdigit() and int(text) > 0 for text in kept):
            return {name: max(int(text), LEAST[name]) for name, text in zip(STORY, kept, strict=True)}
        return dict(_WIDTHS)

    def _standing(self) -> list[Chapter]:
        """What stands in the strip, from left to right."""
        widgets = [self.strip.widget(i) for i in range(self.strip.count())]
        return [widget for widget in widgets if isinstance(widget, Chapter)]

    def _share_out(self) -> None:
        """Gives each chapter its width; where there is room for all, they share what is left."""
        standing = self._standing()
        room = self.area.viewport().width() - GAP * (len(standing) - 1)
        least = [LEAST[chapter.name] for chapter in standing]
        widths = [self._widths[chapter.name] for chapter in standing]
        if self._expanded:
            here = self._standing().index(self.chapters[self._expanded])
            widths[here] = max(self.area.viewport().width(), LEAST[self._expanded])
        elif sum(least) <= room:
            over, spare = [width - own for width, own in zip(widths, least, strict=True)], room - sum(least)
            parts = [(1 + more) / sum(1 + more for more in over) for more in over]
            widths = [own + int(spare * part) for own, part in zip(least, parts, strict=True)]
        self.strip.setFixedWidth(max(sum(widths), room) + GAP * (len(standing) - 1))
        self.strip.setSizes(widths)
        QTimer.singleShot(0, self._scrolled)

    def _dragged(self) -> None:
        """A border was dragged: so wide are its two neighbours from now on."""
        if not self._expanded:
            self._widths |= {chapter.name: chapter.width() for chapter in self._standing() if chapter is not self.pinned}
        self._scrolled()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_out()

    def _seen(self, chapter: Chapter) -> bool:
        """Whether any of a chapter is seen in the strip."""
        left = chapter.x() - self.area.horizontalScrollBar().value()
        return left + chapter.width() > 0 and left < self.area.viewport().width()

    def _scrolled(self) -> None:
        """Shows what came into view as it is, and tells in the line what is seen whole."""
        bar, room = self.area.horizontalScrollBar(), self.area.viewport().width()
        for name, chapter in self.chapters.items():
            left = chapter.x() - bar.value()
            if not chapter.near():
                # It may have been scrolled from under the pointer.
                chapter.settle()
            self.line.names[name].show_in_view(left >= -1 and left + LEAST[name] <= room + 1)
            if name in self._stale and self._seen(chapter):
                self._show(name)

    def bring(self, name: str) -> None:
        """Brings a chapter into view; no other changes."""
        chapter, bar = self.chapters[name], self.area.horizontalScrollBar()
        self._in_hand = name
        if self._expanded not in ("", name):
            self.expand(self._expanded)
        left, room = chapter.x(), self.area.viewport().width()
        if bar is not None:
            if left < bar.value() or chapter.width() >= room:
                bar.setValue(left)
            elif left + chapter.width() > bar.value() + room:
                bar.setValue(left + chapter.width() - room)
        if name in self._stale:
            self._show(name)

    def expand(self, name: str) -> None:
        """Gives a chapter the whole strip, or restores the widths of all."""
        self._expanded = "" if self._expanded == name else name
        self._share_out()
        self.bring(name)

    def open_by_number(self, name: str) -> None:
        """Brings a chapter into view, and the focus to it; again it expands it, or restores it."""
        if self._in_hand == name and self.chapters[name].hasFocus():
            self.expand(name)
        else:
            self.bring(name)
            self.chapters[name].setFocus()

    def enter(self, forward: bool) -> None:
        """Tab comes to the story: to the first of its stops, or from behind to the last."""
        chapter = self._standing()[0 if forward else -1]
        self.bring(chapter.name)
        stops = chapter.stops()
        self._stop_at(chapter, stops[0 if forward else len(stops) - 1], forward)

    def _stop_at(self, chapter: Chapter, stop: QWidget, forward: bool) -> None:
        stop.setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
        self.area.ensureWidgetVisible(stop, 20, 0)
        chapter.show_whole(stop)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes chapter by chapter through the rows, as they lie."""
        self.tabbed.emit()
        focus, by, chapters = QApplication.focusWidget(), 1 if forward else -1, self._standing()
        here = next((i for i, each in enumerate(chapters) if focus is not None and (each is focus or each.isAncestorOf(focus))), None)
        if focus is None or here is None:
            return super().focusNextPrevChild(forward)
        stops = chapters[here].stops()
        at = stops.index(focus) + by if focus in stops else 0 if forward else -1
        while not 0 <= at < len(stops):
            here += by
            if not 0 <= here < len(chapters):
                self.passed.emit(forward)
                return True
            self.bring(chapters[here].name)
            stops = chapters[here].stops()
            at = 0 if forward else len(stops) - 1
        self._stop_at(chapters[here], stops[at], forward)
        return True

    def keep(self) -> None:
        """Keeps the widths."""
        settings().setValue("widths", [str(self._widths[name]) for name in STORY])
