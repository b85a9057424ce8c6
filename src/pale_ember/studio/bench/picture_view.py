"""A picture looked through: channel by channel, over any ground, tiled, smaller and smaller, as large as on screen."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QTabletEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from pale_ember.core.texture.light import to_bytes, to_coded
from pale_ember.core.texture.mips import halved
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted

CHANNELS = ("picture", "light", "cover", "red", "green", "blue")
"""What of it is seen: over a ground, its light as if it covered wholly, or one channel as grey."""
GROUNDS = {"checker": None, "black": 0.0, "dark": 0.022, "mid": 0.18, "light": 0.75}
"""What it is seen over, linear."""

_SEEN = 1024
"""Pixels of a side beyond which a picture is seen thinned, until one comes nearer."""
_MARGIN = 18
_MOST_ZOOM = 64.0


def image_of(pixels: np.ndarray, channel: str, ground: str) -> QImage:
    """A picture (h, w, 4) float32, linear and straight, as it is seen."""
    if channel == "picture":
        cover = pixels[..., 3:]
        level = GROUNDS[ground]
        if level is None:
            side = max(max(pixels.shape[:2]) // 32, 1)
            squares = np.add.outer(np.arange(pixels.shape[0]) // side, np.arange(pixels.shape[1]) // side) % 2
            under: np.ndarray | float = (0.045 + 0.035 * squares).astype(np.float32)[..., None]
        else:
            under = level
        shown = to_bytes(pixels[..., :3] * cover + under * (1 - cover))
    elif channel == "light":
        shown = to_bytes(pixels[..., :3])
    elif channel == "cover":
        shown = np.repeat((np.clip(pixels[..., 3:], 0, 1) * 255).astype(np.uint8), 3, axis=2)
    else:
        shown = np.repeat(to_bytes(pixels[..., CHANNELS.index(channel) - 3])[..., None], 3, axis=2)
    shown = np.ascontiguousarray(shown)
    height, width = shown.shape[:2]
    return QImage(shown.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


class PictureView(QWidget):
    """Shows one frame. Wheel comes nearer, dragging with the middle button or Space-free ground moves it."""

    pointed = pyqtSignal(str)
    """What is under the pointer, in words."""
    pressed = pyqtSignal(float, float, float)
    """A place that is pressed, -1 to 1 rightward and upward, and how hard; then `dragged`, and `let_go`."""
    dragged = pyqtSignal(float, float, float)
    let_go = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.pixels = np.zeros((4, 4, 4), np.float32)
        self.channel, self.ground = "picture", "checker"
        self.tiled, self.mip, self.onion = False, 0, False
        self.before: np.ndarray | None = None
        """The frame before this, for the onion skin."""
        self.on_screen = 0.0
        """Pixels that it has on screen, where it is shown as large; else 0."""
        self.takes_strokes = False
        self.brush = 0.0
        """Radius of the brush that is shown under the pointer, in half frames."""
        self.zoom, self.middle = 1.0, QPointF(0.5, 0.5)
        self._image: tuple[tuple, QImage] | None = None
        self._grip: QPointF | None = None
        self._stroking = False
        self._pressure = 1.0
        self._at: QPointF | None = None
        self.setMouseTracking(True)
        self.setTabletTracking(True)
        self.setMinimumSize(240, 240)
        self.setAccessibleName("picture on the bench")
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)

    def show_pixels(self, pixels: np.ndarray, before: np.ndarray | None = None) -> None:
        """Shows a picture: (h, w, 4) float32, linear and straight."""
        self.pixels, self.before = pixels, before
        self._image = None
        self.update()

    def look(self, **how: object) -> None:
        """Changes how it is looked at: channel, ground, tiled, mip, onion, on_screen."""
        for name, value in how.items():
            setattr(self, name, value)
        self._image = None
        self.update()

    # Places --------------------------------------------------------------------------------------------------------

    def box(self) -> QRectF:
        """Where the frame lies on the widget."""
        if self.on_screen > 0:
            side = self.on_screen
            return QRectF(self.width() / 2 - side / 2, self.height() / 2 - side / 2, side, side)
        fitted = max(min(self.width(), self.height()) - 2 * _MARGIN, 16) * (1 / 3 if self.tiled else 1.0)
        side = fitted * self.zoom
        x = self.width() / 2 - self.middle.x() * side
        y = self.height() / 2 - self.middle.y() * side
        return QRectF(x, y, side, side)

    def place_at(self, at: QPointF) -> tuple[float, float]:
        """A place on the widget in the frame, -1 to 1 rightward and upward."""
        box = self.box()
        return (at.x() - box.left()) / box.width() * 2 - 1, 1 - (at.y() - box.top()) / box.height() * 2

    # Hands ---------------------------------------------------------------------------------------------------------

    def wheelEvent(self, event: QWheelEvent) -> None:
        steps = event.angleDelta().y() / 120
        if not steps or self.on_screen > 0:
            return
        at, box = event.position(), self.box()
        share = QPointF((at.x() - box.left()) / box.width(), (at.y() - box.top()) / box.height())
        self.zoom = min(max(self.zoom * 1.25**steps, 0.25), _MOST_ZOOM)
        side = box.width() / box.width() * self.box().width()
        # What is under the pointer stays there.
        self.middle = QPointF(share.x() - (at.x() - self.width() / 2) / side, share.y() - (at.y() - self.height() / 2) / side)
        if self.zoom <= 1.0:
            self.middle = QPointF(0.5, 0.5)
        self.update()
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton and self.takes_strokes:
            self._stroking = True
            self.pressed.emit(*self.place_at(event.position()), self._pressure)
        elif event.button() in (Qt.MouseButton.LeftButton, Qt.MouseButton.MiddleButton, Qt.MouseButton.RightButton):
            self._grip = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        self._at = at
        if self._stroking:
            self.dragged.emit(*self.place_at(at), self._pressure)
        elif self._grip is not None:
            side = self.box().width()
            self.middle = self.middle - (at - self._grip) / side
            self._grip = at
        self._tell(at)
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._grip = None
        if self._stroking:
            self._stroking = False
            self.let_go.emit()

    def tabletEvent(self, event: QTabletEvent) -> None:
        """A pen tells how hard it presses; what follows is a mouse's."""
        self._pressure = event.pressure() if event.pressure() > 0 else 1.0
        event.ignore()

    def leaveEvent(self, event) -> None:
        self._at = None
        self.pointed.emit("")
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if not self.takes_strokes:
            self.zoom, self.middle = 1.0, QPointF(0.5, 0.5)
            self.update()
        else:
            self.mousePressEvent(event)

    def _tell(self, at: QPointF) -> None:
        x, y = self.place_at(at)
        x, y = ((x + 1) / 2, (1 - y) / 2)
        if self.tiled:
            x, y = x % 1, y % 1
        if not (0 <= x < 1 and 0 <= y < 1):
            self.pointed.emit("")
            return
        height, width = self.pixels.shape[:2]
        column, row = int(x * width), int(y * height)
        value = self.pixels[row, column]
        codes = np.round(to_coded(value[:3]) * 255).astype(int)
        bright = f" · {value[:3].max():.2f} bright" if value[:3].max() > 1.005 else ""
        self.pointed.emit(f"{column}, {row}   red {codes[0]} green {codes[1]} blue {codes[2]}   alpha {value[3] * 100:.0f} %{bright}")

    # Painting ------------------------------------------------------------------------------------------------------

    def shown(self) -> QImage:
        """The frame as it is looked at."""
        key = (id(self.pixels), self.channel, self.ground, self.mip, self.onion, id(self.before), self.zoom > 1.5)
        if self._image is None or self._image[0] != key:
            pixels = self.pixels
            # Of a picture larger than it is seen some pixels are enough.
            step = max(min(pixels.shape[:2]) // _SEEN, 1) if self.zoom <= 1.5 and not self.mip else 1
            pixels = pixels[::step, ::step]
            before = self.before[::step, ::step] if self.onion and self.before is not None else None
            if before is not None and before.shape == pixels.shape:
                under = before.copy()
                under[..., 3] *= 0.35
                cover = pixels[..., 3:] + under[..., 3:] * (1 - pixels[..., 3:])
                light = pixels[..., :3] * pixels[..., 3:] + under[..., :3] * under[..., 3:] * (1 - pixels[..., 3:])
                pixels = np.concatenate([light / np.maximum(cover, 1e-4), cover], axis=2)
            for _ in range(self.mip):
                pixels = halved(pixels) if min(pixels.shape[:2]) > 1 else pixels
            self._image = key, image_of(pixels, self.channel, self.ground)
        return self._image[1]

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.FLOOR)
        box, image = self.box(), self.shown()
        # Pixels are seen one by one where one came near to see them.
        coarse = self.zoom > 1.5 or self.mip > 0
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, not coarse)
        around = range(-1, 2) if self.tiled else range(1)
        for row in around:
            for column in around:
                painter.drawImage(box.translated(column * box.width(), row * box.height()), image)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.LINE, 1))
        painter.drawRect(box)
        if self.takes_strokes and self._at is not None and self.brush > 0:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            radius = self.brush * box.width() / 2
            for colour, wide in ((theme.FLOOR, 3), (theme.BONE, 1)):
                painter.setPen(QPen(colour, wide))
                painter.drawEllipse(self._at, radius, radius)


class Histogram(QWidget):
    """How often each tone is there, of light and of cover, on one line."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: tuple[np.ndarray, np.ndarray] | None = None
        self.setFixedHeight(40)
        self.setAccessibleName("histogram")
        self.setToolTip("Histogram: bone is brightness where it is opaque, ember is alpha.")

    def clear(self) -> None:
        """Shows that there is no picture."""
        self._rows = None
        self.update()

    def show_pixels(self, pixels: np.ndarray) -> None:
        """Shows a picture: (h, w, 4) float32, linear and straight."""
        thin = pixels[:: max(pixels.shape[0] // 128, 1), :: max(pixels.shape[1] // 128, 1)]
        light = to_coded(thin[..., :3].max(axis=2)[thin[..., 3] > 0.02])
        self._rows = tuple(  # type: ignore[assignment]
            np.sqrt(np.histogram(each, 64, (0, 1))[0] / max(each.size, 1)) for each in (light, thin[..., 3])
        )
        self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.WELL)
        if self._rows is None:
            return
        wide = self.width() / 64
        for row, colour in zip(self._rows, (theme.BONE, theme.EMBER), strict=True):
            most = max(float(row[1:].max(initial=0.0)), 1e-6)
            for k, share in enumerate(row):
                tall = min(float(share) / most, 1.0) * (self.height() - 4)
                painter.fillRect(QRectF(k * wide, self.height() - tall, max(wide - 1, 1), tall), theme.with_alpha(colour, 0.55))
