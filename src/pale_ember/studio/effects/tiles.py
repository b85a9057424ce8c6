"""Tiles that are looked through: living pictures in rows, chosen by pointer or keys, however many there are."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QHideEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QShowEvent
from PyQt6.QtWidgets import QWidget

from pale_ember.folder.looking import FRAMES, RATE
from pale_ember.studio.kit import icons, theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.scrolling import Scrolling

_LEAST = 180
"""Pixels that a tile is wide at least."""
_GAP, _BELOW = 10, 40
"""Pixels between tiles, and of the words below a picture."""


@dataclass(frozen=True, slots=True)
class GalleryTile:
    """One of them. key : by which it is known. told : a second line. problem : whether it bears the mark of a problem. said : what is
    said where there is no picture. frames : how many its picture has, one below the other."""

    key: str
    title: str
    told: str = ""
    problem: bool = False
    said: str = ""
    frames: int = 1


class TileGrid(QWidget):
    """All of them; those that are seen are painted, and only they move."""

    chosen = pyqtSignal()
    """Others are chosen."""
    opened = pyqtSignal(str)
    asked = pyqtSignal(str, QPoint)
    """What can be done with one, at a place of the screen."""

    def __init__(self, name: str, image: Callable[[str], QImage | None]) -> None:
        """image : gives the picture of a tile by its key, None while it is not there."""
        super().__init__()
        self._image = image
        self.tiles: list[GalleryTile] = []
        self.selection: list[str] = []
        """The keys of those that are chosen, the last is the one in hand."""
        self.nothing = ""
        """What is said where there are none."""
        self._frame = 0
        self.setAccessibleName(name)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._clock = QTimer(self, interval=round(1000 / RATE))
        self._clock.timeout.connect(self._tick)

    # What is where -------------------------------------------------------------------------------------------------

    @property
    def across(self) -> int:
        """How many stand beside each other."""
        return max((self.width() - _GAP) // (_LEAST + _GAP), 1)

    def _cell(self) -> QSize:
        wide = (self.width() - _GAP) // self.across - _GAP
        return QSize(wide, wide * 9 // 16 + _BELOW)

    def box(self, index: int) -> QRect:
        """Where a tile lies: its picture and its words."""
        row, column = divmod(index, self.across)
        cell = self._cell()
        return QRect(_GAP + column * (cell.width() + _GAP), _GAP + row * (cell.height() + _GAP), cell.width(), cell.height())

    def _at(self, at: QPointF) -> int:
        cell = self._cell()
        row, column = int(at.y() - _GAP) // (cell.height() + _GAP), int(at.x() - _GAP) // (cell.width() + _GAP)
        index = row * self.across + column
        inside = row >= 0 and 0 <= column < self.across and index < len(self.tiles)
        return index if inside and self.box(index).contains(at.toPoint()) else -1

    def seen(self) -> list[GalleryTile]:
        """Those in sight, and a row around them."""
        cell, region = self._cell(), self.visibleRegion().boundingRect()
        high = cell.height() + _GAP
        first, last = max((region.top() - _GAP) // high - 1, 0), (region.bottom() - _GAP) // high + 1
        return self.tiles[first * self.across : (last + 1) * self.across] if not region.isEmpty() else []

    def _fit(self) -> None:
        rows = -(-len(self.tiles) // self.across)
        self.setMinimumHeight(max(rows, 1) * (self._cell().height() + _GAP) + _GAP)

    # Showing -------------------------------------------------------------------------------------------------------

    def show_tiles(self, tiles: Sequence[GalleryTile]) -> None:
        """Shows some tiles; what is chosen stays chosen where it is among them."""
        if list(tiles) == self.tiles:
            return
        self.tiles = list(tiles)
        there = {tile.key for tile in tiles}
        left = [key for key in self.selection if key in there]
        if left != self.selection:
            self.selection = left
            self.chosen.emit()
        self._fit()
        self.update()

    def choose(self, keys: Sequence[str]) -> None:
        """Chooses tiles, the last is the one in hand."""
        if list(keys) != self.selection:
            self.selection = list(keys)
            self._describe()
            self.chosen.emit()
            self.update()

    def _describe(self) -> None:
        told = {tile.key: f"{tile.title}, {tile.told}{', has a problem' * tile.problem}" for tile in self.tiles}
        self.setAccessibleDescription("; ".join(told[key] for key in self.selection if key in told))

    def _index(self) -> int:
        last = self.selection[-1] if self.selection else ""
        return next((i for i, tile in enumerate(self.tiles) if tile.key == last), -1)

    def _show_index(self, index: int) -> None:
        area = Scrolling.around(self)
        if area is not None:
            box = self.box(index)
            area.ensureVisible(box.center().x(), box.center().y(), 0, box.height() // 2 + _GAP)

    def _tick(self) -> None:
        self._frame = (self._frame + 1) % FRAMES
        for index, tile in enumerate(self.tiles):
            box = self.box(index)
            if tile.frames < 2:
                continue
            if self.visibleRegion().intersects(box):
                self.update(box.adjusted(0, 0, 0, -_BELOW))
            elif box.top() > self.visibleRegion().boundingRect().bottom():
                break

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._clock.start()

    def hideEvent(self, event: QHideEvent) -> None:
        self._clock.stop()
        super().hideEvent(event)

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._fit()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if not self.tiles and self.nothing:
            painter.setPen(theme.ASH)
            painter.setFont(theme.font(theme.STRONG))
            painter.drawText(self.rect().adjusted(40, 40, -40, 0), Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap, self.nothing)
        high = self._cell().height() + _GAP
        first = max((event.rect().top() - _GAP) // high, 0) * self.across
        for i in range(first, len(self.tiles)):
            box = self.box(i)
            if box.top() > event.rect().bottom():
                break
            if event.rect().intersects(box):
                self._paint_tile(painter, self.tiles[i], box)

    def _paint_tile(self, painter: QPainter, tile: GalleryTile, box: QRect) -> None:
        seen = QRectF(box.adjusted(0, 0, 0, -_BELOW))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(seen, 5, 5)
        image = self._image(tile.key)
        if image is not None:
            part = QRectF(0, 0, image.width(), image.height() / tile.frames)
            part.moveTop(part.height() * (self._frame % tile.frames))
            size = part.size().scaled(seen.size(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRectF(0, 0, size.width(), size.height())
            place.moveCenter(seen.center())
            painter.drawImage(place, image, part)
        elif tile.said:
            painter.setPen(theme.ASH)
            painter.setFont(theme.font(theme.SMALL))
            painter.drawText(seen.adjusted(10, 6, -10, -6), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, tile.said)
        chosen = tile.key in self.selection
        if chosen:
            painter.setPen(QPen(theme.EMBER, 2 if self.hasFocus() else 1.2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(seen, 5, 5)
        words = QRectF(box.left() + 1, seen.bottom() + 3, box.width() - 2, 18)
        if tile.problem:
            icons.paint(painter, icons.problem(theme.WARNING), QRectF(words.right() - 14, words.top() + 2, 14, 14), theme.WARNING)
        painter.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
        painter.setPen(theme.BONE)
        room = int(words.width()) - (18 if tile.problem else 0)
        painter.drawText(
            words, Qt.AlignmentFlag.AlignVCenter, painter.fontMetrics().elidedText(tile.title, Qt.TextElideMode.ElideMiddle, room)
        )
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        told = painter.fontMetrics().elidedText(tile.told, Qt.TextElideMode.ElideRight, int(words.width()))
        painter.drawText(words.translated(0, 17), Qt.AlignmentFlag.AlignVCenter, told)

    # By hand ---------------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        index = self._at(event.position())
        if index < 0:
            self.choose([])
            return
        key = self.tiles[index].key
        also = event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier)
        if event.button() == Qt.MouseButton.RightButton:
            self.choose(self.selection if key in self.selection else [key])
        elif also:
            self.choose([other for other in self.selection if other != key] if key in self.selection else [*self.selection, key])
        else:
            self.choose([key])

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        index = self._at(event.position())
        if index >= 0:
            self.opened.emit(self.tiles[index].key)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        index = self._at(QPointF(event.pos()))
        if index >= 0:
            self.asked.emit(self.tiles[index].key, event.globalPos())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: self.across, Qt.Key.Key_Up: -self.across}
        page = self.across * max(self.visibleRegion().boundingRect().height() // (self._cell().height() + _GAP), 1)
        steps |= {Qt.Key.Key_PageDown: page, Qt.Key.Key_PageUp: -page, Qt.Key.Key_Home: -len(self.tiles), Qt.Key.Key_End: len(self.tiles)}
        key = Qt.Key(event.key())
        if key in steps and self.tiles:
            at = self._index()
            at = 0 if at < 0 else min(max(at + steps[key], 0), len(self.tiles) - 1)
            more = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            name = self.tiles[at].key
            self.choose([*(other for other in self.selection if other != name), name] if more else [name])
            self._show_index(at)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.selection:
            self.opened.emit(self.selection[-1])
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if event.type() in (QEvent.Type.FocusIn, QEvent.Type.FocusOut):
            self.update()
        return super().event(event)
