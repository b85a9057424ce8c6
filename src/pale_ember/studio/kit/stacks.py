"""How rows lie: one below the other, or in as many columns as there is room for; and that they keep their places while the
hand is near."""

from __future__ import annotations

import itertools
from typing import ClassVar
from weakref import WeakSet

from PyQt6 import sip
from PyQt6.QtCore import QEvent, QRect, QSize, Qt
from PyQt6.QtGui import QCursor, QEnterEvent
from PyQt6.QtWidgets import QLayout, QLayoutItem, QWidget, QWidgetItem

COLUMN = 216
"""Pixels below which a row's numbers would be cut: a column is never narrower."""
_BETWEEN = 14
"""Pixels between two columns."""


class SteadyRows(QWidget):
    """What keeps everything in its place while the pointer is in it: what comes finds a gap or goes to the end, and to its own
    place once the pointer has left."""

    @staticmethod
    def is_near(widget: QWidget) -> bool:
        """Whether the pointer is in the steady thing around a widget, if there is one; also where a menu lies over it."""
        around = widget.parentWidget()
        while around is not None and not isinstance(around, SteadyRows):
            around = around.parentWidget()
        return around is not None and around.near()

    _entered = False
    """Whether the pointer came into it: what is scrolled under a resting pointer is not in the hand."""

    def near(self) -> bool:
        return self._entered and self.isVisible() and self.rect().contains(self.mapFromGlobal(QCursor.pos()))

    _hand: ClassVar[SteadyRows | None] = None
    """Into which the pointer came last."""

    def enterEvent(self, event: QEnterEvent | None) -> None:
        before = SteadyRows._hand
        if before is not None and before is not self and not sip.isdeleted(before):
            # It may have been left while a menu had the pointer, of which nobody tells it.
            before.leaveEvent(None)
        SteadyRows._hand, self._entered = self, True

    def leaveEvent(self, event: QEvent | None) -> None:
        if self._entered and not self.near():
            self._entered = False
            self.settle()

    def settle(self) -> None:
        """Lets everything in it come to its own place."""
        # Asking Qt for all that is in it took most of the time in which another layer is shown.
        for stack in list(RowStack.every):
            if not sip.isdeleted(stack) and not sip.isdeleted(stack.holder) and self.isAncestorOf(stack.holder):
                stack.settle()


class RowStack(QLayout):
    """Widgets one below the other, each as high as it needs to be for the width. A widget may be put before another."""

    # What Python has thrown away already Qt may still ask once for its size: then it holds nothing.
    _items: list[QLayoutItem] = []
    _across: frozenset[QWidget] | set[QWidget] = frozenset()
    _heads: frozenset[QWidget] | set[QWidget] = frozenset()
    every: ClassVar[WeakSet[RowStack]] = WeakSet()

    def __init__(self, holder: QWidget) -> None:
        super().__init__(holder)
        RowStack.every.add(self)
        self._items = []
        self._across, self._heads = set(), set()
        self._known: dict[int, tuple[list[tuple[QLayoutItem, QRect]], int]] = {}
        """How everything lies in a width, until something about it changes."""
        self.holder = holder
        self._kept: dict[QWidget | None, QRect] = {}
        self._kept_width = 0
        self.setContentsMargins(0, 0, 0, 0)

    def add(
        self, widget: QWidget | None, before: QWidget | None = None, *, across: bool = False, narrow: bool = False, heads: bool = False
    ) -> None:
        """Takes a widget in, at the end or before another. across : it takes the whole width, however many columns there
        are. narrow : it is no wider than it needs to be. heads : it stays above what comes next."""
        if widget is None:
            return
        place = next((i for i, item in enumerate(self._items) if item.widget() is before), len(self._items))
        self.addChildWidget(widget)
        item = QWidgetItem(widget)
        if narrow:
            item.setAlignment(Qt.AlignmentFlag.AlignLeft)
        if across:
            self._across.add(widget)
        if heads:
            self._heads.add(widget)
        self._items.insert(place if before is not None else len(self._items), item)
        self.invalidate()

    def invalidate(self) -> None:
        self._known.clear()
        super().invalidate()

    def addItem(self, item: QLayoutItem | None) -> None:
        if item is not None:
            self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QLayoutItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index: int) -> QLayoutItem | None:
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self) -> Qt.Orientation:
        return Qt.Orientation.Horizontal

    def hasHeightForWidth(self) -> bool:
        return True

    def columns_in(self, width: int) -> int:
        """How many columns there are in a width."""
        return 1

    def _flowed(self, items: list[QLayoutItem], width: int, top: int) -> list[tuple[QLayoutItem, QRect]]:
        """Where items lie that flow into columns from a height on."""
        count = min(self.columns_in(width), len(items))
        each = (width - _BETWEEN * (count - 1)) // count
        # A heading goes with what stands below it.
        pieces: list[list[tuple[QLayoutItem, int]]] = []
        joins = False
        for item in items:
            pair = item, _height(item, each)
            if joins:
                pieces[-1].append(pair)
            else:
                pieces.append([pair])
            joins = item.widget() in self._heads
        heights = [sum(height for _, height in piece) for piece in pieces]
        most = _least_height(heights, count) if count > 1 else sum(heights)
        places, column, down = [], 0, 0
        for piece, whole in zip(pieces, heights, strict=True):
            if down > 0 and down + whole > most and column < count - 1:
                column, down = column + 1, 0
            for item, height in piece:
                places.append((item, QRect(column * (each + _BETWEEN), top + down, each, height)))
                down += height
        return places

    def _laid(self, width: int) -> tuple[list[tuple[QLayoutItem, QRect]], int]:
        """Where everything lies in a width, and how high it all is."""
        if width not in self._known:
            keeps = width == self._kept_width and SteadyRows.is_near(self.holder)
            self._known[width] = self._laid_beside(width) if keeps else self._laid_anew(width)
        return self._known[width]

    def settle(self) -> None:
        """The hand has left: everything comes to its own place."""
        self._kept = {}
        self._kept_width = 0
        self.invalidate()
        self.update()
        self.activate()

    def _laid_beside(self, width: int) -> tuple[list[tuple[QLayoutItem, QRect]], int]:
        """Where everything lies while what lies already stays: what comes is put into a gap that is high enough, or below all."""
        shown = [item for item in self._items if not item.isEmpty()]
        places: list[tuple[QLayoutItem, QRect]] = []
        coming: list[QLayoutItem] = []
        for item in sorted(shown, key=lambda item: self._kept.get(item.widget(), QRect()).top()):
            kept = self._kept.get(item.widget())
            if kept is None:
                coming.append(item)
                continue
            # What has grown makes those below it in its column go down; what has shrunk leaves a gap.
            above = [there.bottom() + 1 for _, there in places if there.left() <= kept.right() and kept.left() <= there.right()]
            high = _height(item, kept.width())
            places.append((item, QRect(kept.left(), max([kept.top(), *above]), kept.width(), high)))
        gaps = [rect for widget, rect in self._kept.items() if not any(rect.intersects(there) for _, there in places)]
        for item in sorted(coming, key=self._items.index):
            gap = next((gap for gap in gaps if _height(item, gap.width()) <= gap.height()), None)
            if gap is not None:
                gaps.remove(gap)
                places.append((item, QRect(gap.topLeft(), QSize(gap.width(), _height(item, gap.width())))))
                continue
            wide = width if item.widget() in self._across else min((r.width() for r in self._kept.values()), default=width)
            low = max((there.bottom() + 1 for _, there in places if there.left() < wide), default=0)
            places.append((item, QRect(0, low, wide, _height(item, wide))))
        return places, max((there.bottom() + 1 for _, there in places), default=0)

    def _laid_anew(self, width: int) -> tuple[list[tuple[QLayoutItem, QRect]], int]:
        places: list[tuple[QLayoutItem, QRect]] = []
        top = 0
        shown = [item for item in self._items if not item.isEmpty()]
        for across, items in itertools.groupby(shown, key=lambda item: item.widget() in self._across):
            if across:
                for item in items:
                    height = _height(item, width)
                    places.append((item, QRect(0, top, width, height)))
                    top += height
            else:
                flowed = self._flowed(list(items), width, top)
                places += flowed
                top = max(place.bottom() + 1 for _, place in flowed)
        return places, top

    def heightForWidth(self, width: int) -> int:
        around = self.contentsMargins()
        return self._laid(width - around.left() - around.right())[1] + around.top() + around.bottom()

    def minimumSize(self) -> QSize:
        around = self.contentsMargins()
        least = max((item.minimumSize().width() for item in self._items if not item.isEmpty()), default=0)
        return QSize(least + around.left() + around.right(), 0)

    def sizeHint(self) -> QSize:
        around = self.contentsMargins()
        width = max((item.sizeHint().width() for item in self._items if not item.isEmpty()), default=0)
        width += around.left() + around.right()
        return QSize(width, self.heightForWidth(max(width, COLUMN)))

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        inner = rect.marginsRemoved(self.contentsMargins())
        laid = self._laid(inner.width())[0]
        kept = {item.widget(): place for item, place in laid if item.widget() is not None}
        # Gaps stay gaps while the hand is near.
        gone = {widget: place for widget, place in self._kept.items() if widget not in kept} if SteadyRows.is_near(self.holder) else {}
        self._kept = {**gone, **kept} if self._kept_width == inner.width() else kept
        self._kept_width = inner.width()
        for item, place in laid:
            item.setGeometry(place.translated(inner.topLeft()))


def _height(item: QLayoutItem, width: int) -> int:
    return item.heightForWidth(width) if item.hasHeightForWidth() else item.sizeHint().height()


def _least_height(heights: list[int], count: int) -> int:
    """The least height in which pieces of these heights, kept in order, fit into so many columns."""
    low, high = max(heights, default=0), sum(heights)
    while low < high:
        middle = (low + high) // 2
        columns, top = 1, 0
        for height in heights:
            if top > 0 and top + height > middle:
                columns, top = columns + 1, 0
            top += height
        low, high = (low, middle) if columns <= count else (middle + 1, high)
    return low


class Columns(RowStack):
    """A stack that flows into columns where it is wide."""

    def columns_in(self, width: int) -> int:
        return max((width + _BETWEEN) // (COLUMN + _BETWEEN), 1)
