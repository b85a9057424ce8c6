"""Where an effect has no picture of its own yet: those that its layers have, to be worked on, and what one may begin from."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPen, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Layer
from pale_ember.core.texture.library import PREFIX
from pale_ember.studio.bench.new_pictures import STARTS
from pale_ember.studio.bench.picture_actions import PictureActions
from pale_ember.studio.controls.buttons import Button, WordButton
from pale_ember.studio.controls.colour import middle_frame, picture_image
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

_TILE, _NAMED, _GAP = 104, 40, 12
"""Pixels of a picture's side, of what stands below it, and between two."""
_NARROW = 270
"""Pixels that are enough."""
_MOST = 5
"""Pictures of layers, and of starts, that have room beside each other."""
_OFTEN = ("a soft dot", "a noise", "painted by hand", "fire, simulated", "smoke, simulated")


class PictureTile(Button):
    """A picture that a layer has, its name and the layer's."""

    def __init__(self, desk: Desk, layer: Layer) -> None:
        super().__init__()
        self._desk, self._look = desk, layer.look
        self._lines = layer.look.picture.removeprefix(PREFIX), layer.name
        self._image: QImage | None = None
        self.setFixedSize(_TILE, _TILE + _NAMED)
        self.setAccessibleName(f"{self._lines[0]}, on {layer.name}")
        self.setToolTip(f"Makes a copy to work on, which {layer.name} shows from now on" if self._look.picture.startswith(PREFIX) else "")
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)

    def _seen(self) -> QImage | None:
        """A frame from its middle, as soon as the stage has read it."""
        known = self._desk.shelf.known(self._look.picture)
        if self._image is None and known is not None:
            frame = middle_frame(known, self._look.columns, self._look.rows)
            step = max(max(frame.shape[:2]) // (2 * _TILE), 1)
            self._image = picture_image(frame[::step, ::step])
        return self._image

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        near = self.underMouse() or self.hasFocus()
        box = QRectF(0.5, 0.5, _TILE - 1, _TILE - 1)
        painter.setPen(QPen(theme.EMBER if near else theme.EDGE, 1))
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(box, 6, 6)
        image = self._seen()
        if image is not None:
            painter.drawImage(box.adjusted(3, 3, -3, -3), image)
        for k, (text, colour) in enumerate(zip(self._lines, (theme.BONE, theme.ASH), strict=True)):
            painter.setFont(theme.font(theme.BODY if k == 0 else theme.SMALL))
            painter.setPen(colour)
            told = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, _TILE)
            painter.drawText(QRectF(0, _TILE + 3 + 18 * k, _TILE, 18), Qt.AlignmentFlag.AlignCenter, told)


class Beginnings(QWidget):
    """Large ways to begin, in place of a picture."""

    def __init__(self, desk: Desk, deeds: PictureActions) -> None:
        super().__init__()
        self.desk, self.deeds = desk, deeds
        self.tiles: list[PictureTile] = []
        self._shown: tuple[tuple[str, str, Look], ...] = ()
        self._worn = QHBoxLayout()
        self._worn.setSpacing(_GAP)
        column = QVBoxLayout(self)
        column.setSpacing(12)
        column.addStretch(1)
        self._heading = self._head("Work on a picture of this effect")
        column.addWidget(self._heading)
        column.addLayout(self._worn)
        column.addSpacing(24)
        column.addWidget(self._head("Or begin a new one"))
        column.addLayout(self._starts())
        column.addStretch(1)
        self.setMinimumWidth(_NARROW)

    @staticmethod
    def _head(text: str) -> QLabel:
        label = QLabel(text)
        label.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        label.setAlignment(Qt.AlignmentFlag.AlignCenter)
        return label

    def _starts(self) -> QVBoxLayout:
        rows = QVBoxLayout()
        rows.setSpacing(6)
        library = WordButton("from the library…", "A copy of a picture that ships")
        library.clicked.connect(lambda: self.deeds.open_library(library))
        files = WordButton("from files or a clip…", "Frames, laid into a sheet")
        files.clicked.connect(self.deeds.ask_files)
        kinds = []
        for name in _OFTEN:
            told, recipe = STARTS[name]
            button = WordButton(name, told)
            button.clicked.connect(lambda _=False, recipe=recipe: self.deeds.chosen.add_recipe(recipe))
            kinds.append(button)
        # Short rows: with large text there is little room.
        for buttons in (kinds[:3], kinds[3:], [library, files]):
            row = QHBoxLayout()
            row.setSpacing(8)
            row.addStretch(1)
            for button in buttons:
                row.addWidget(button)
            row.addStretch(1)
            rows.addLayout(row)
        return rows

    def refresh(self) -> None:
        """Shows the pictures that the layers have."""
        layers: dict[str, Layer] = {}
        for layer in self.desk.effect.layers:
            if layer.look.picture:
                layers.setdefault(layer.look.picture, layer)
        shown = list(layers.values())[:_MOST]
        told = tuple((layer.id, layer.name, layer.look) for layer in shown)
        if told != self._shown:
            self._shown = told
            while (item := self._worn.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    widget.hide()
                    widget.deleteLater()
            self.tiles = [PictureTile(self.desk, layer) for layer in shown]
            self._worn.addStretch(1)
            for layer, tile in zip(shown, self.tiles, strict=True):
                tile.clicked.connect(lambda _=False, layer=layer: self._take(layer))
                self._worn.addWidget(tile)
            self._worn.addStretch(1)
        self._heading.setVisible(bool(shown))
        self._fit()

    def _take(self, layer: Layer) -> None:
        self.desk.select(layer.id)
        self.deeds.take(layer.look.picture)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Shows as many tiles as have room beside each other."""
        room = self.contentsRect().width() - 2 * _GAP
        for k, tile in enumerate(self.tiles):
            tile.setVisible((k + 1) * (_TILE + _GAP) - _GAP <= room)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.FLOOR)
