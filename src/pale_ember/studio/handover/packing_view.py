"""What packing does to a picture: before, after, and the difference, under one magnifying glass."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from pale_ember.core.texture.formats import MEANS
from pale_ember.formats.handover.package import Package
from pale_ember.formats.handover.textures import CHANNELS, unpacked
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.tasks import Task

_LOUDER = 8
"""How much the difference is brightened."""
_NAMES = ("original", "as packed", f"the difference, × {_LOUDER}")


@dataclass(frozen=True, slots=True)
class _Compared:
    """Pictures in the order of their names, what stands in their place, what is told of them."""

    images: list[QImage] = field(default_factory=list)
    said: str = ""
    told: str = ""


def _compared(package: Package, name: str) -> _Compared:
    """A texture original, as packed, and the difference."""
    known = package.textures[name]
    source = QImage.fromData(package.files[name]).convertToFormat(QImage.Format.Format_RGBA8888)
    packed = known.get("packed")
    if packed is None or source.isNull():
        said = "It leaves as it is." if packed is None else "Light brighter than white is not shown here."
        return _Compared([source] if not source.isNull() else [], said)
    before = _pixels(source)
    after = unpacked(package.files[packed])[: before.shape[0], : before.shape[1]]
    # What is not covered is not seen: only light times cover is compared.
    seen = [picture[..., :3].astype(np.int32) * picture[..., 3:] // 255 for picture in (before, after)]
    apart = np.clip(np.abs(seen[0] - seen[1]) * _LOUDER, 0, 255).astype(np.uint8)
    whole = np.dstack([apart, np.full(apart.shape[:2], 255, np.uint8)])
    told = _told(name, known)
    if before[..., 3].min() < 250 and "A" not in CHANNELS[known["format"]]:
        told += "\nIts alpha is lost: what was transparent becomes visible."
    return _Compared([source, _image(after), _image(whole)], told=told)


class ComparedView(QWidget):
    """Three pictures that are moved and magnified together: drag and wheel; a double-click shows all."""

    def __init__(self) -> None:
        super().__init__()
        self._wanted: tuple[Package | None, str] = (None, "")
        self._task: Task | None = None
        self._images: list[QImage] = []
        self.said = self._told = ""
        self._zoom, self._at = 1.0, QPointF(0.5, 0.5)
        self._from: QPointF | None = None
        self.setMinimumSize(300, 180)
        self.setAccessibleName("what packing does")
        self.setToolTip("Drag and wheel, in all three at once; a double-click shows all")

    def show_texture(self, package: Package | None, name: str) -> None:
        """Shows a texture of a package, compared away from the window; "" shows none."""
        self._wanted = package, name
        if self._task is None:
            self._compare()

    def _compare(self) -> None:
        package, name = wanted = self._wanted
        if package is None or name not in package.textures:
            self._show(_Compared())
            return
        self._task = Task(lambda _: _compared(package, name), name="compare")
        self._task.done.connect(lambda found: self._found(found, wanted))
        self._task.failed.connect(lambda said: self._found(_Compared(said=said), wanted))
        self._task.start()

    def _found(self, found: _Compared, of: tuple[Package | None, str]) -> None:
        self._task = None
        if of == self._wanted:
            self._show(found)
        else:
            self._compare()

    def _show(self, found: _Compared) -> None:
        self._images, self.said, self._told = found.images, found.said, found.told
        self.update()

    def end(self) -> None:
        """Waits for what is being compared."""
        if self._task is not None:
            self._task.wait()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._zoom = min(max(self._zoom * 1.2 ** (event.angleDelta().y() / 120), 1.0), 32.0)
        self._moved(QPointF(0, 0))
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._from = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            self._moved(event.position() - self._from)
            self._from = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._from = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        self._zoom, self._at = 1.0, QPointF(0.5, 0.5)
        self.update()

    def _moved(self, by: QPointF) -> None:
        side = max(self._side(), 1.0) * self._zoom
        half = 0.5 / self._zoom
        x = min(max(self._at.x() - by.x() / side, half), 1 - half)
        y = min(max(self._at.y() - by.y() / side, half), 1 - half)
        self._at = QPointF(x, y)
        self.update()

    def _side(self) -> float:
        return min((self.width() - 24) / 2, (self.height() - 56) / 2)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.WELL)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, self._zoom < 3)
        side = self._side()
        for i, image in enumerate(self._images):
            box = QRectF(8 + i % 2 * (side + 8), 8 + i // 2 * (side + 26), side, side)
            wide, high = image.width() / self._zoom, image.height() / self._zoom
            part = QRectF(self._at.x() * image.width() - wide / 2, self._at.y() * image.height() - high / 2, wide, high)
            painter.fillRect(box, theme.FLOOR)
            painter.drawImage(box, image, part)
            painter.setPen(theme.ASH)
            painter.setFont(theme.font(theme.SMALL))
            painter.drawText(QRectF(box.left(), box.bottom() + 2, side, 18), Qt.AlignmentFlag.AlignCenter, _NAMES[i])
        if len(self._images) == len(_NAMES):
            painter.setPen(theme.BONE)
            painter.setFont(theme.font())
            box = QRectF(16 + side + 8, 8 + side + 26, side - 16, side)
            painter.drawText(box, Qt.TextFlag.TextWordWrap, self._told)
        if not self._images or self.said:
            painter.setPen(theme.ASH)
            text = self.said or "Choose a texture: what packing does to it is shown here."
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)


def _told(name: str, known: dict[str, Any]) -> str:
    """A packed texture in a few lines."""
    kind = known["format"]
    lines = [name.partition("/")[2], f"{known['width']} × {known['height']}, with all smaller sizes", f"{kind}: {MEANS[kind]}"]
    if known.get("psnr") is not None:
        lines.append(f"{known['psnr']:.1f} dB: {_HOW[sum(known['psnr'] >= bound for bound in (34, 42))]}")
    if known["columns"] * known["rows"] > 1:
        lines.append(f"{known['columns']} × {known['rows']} frames")
    return "\n".join(lines)


_HOW = ("the blocks may be seen up close", "hardly told apart", "not told apart")
"""What is seen of how near a packed picture is, the worst first."""


def _pixels(image: QImage) -> np.ndarray:
    """(h, w, 4) uint8 of an image in RGBA8888."""
    data = image.constBits().asarray(image.sizeInBytes())
    return (
        np.frombuffer(data, np.uint8)
        .reshape(image.height(), image.bytesPerLine())[:, : 4 * image.width()]
        .reshape(image.height(), image.width(), 4)
    )


def _image(pixels: np.ndarray) -> QImage:
    """An image of (h, w, 4) uint8."""
    height, width = pixels.shape[:2]
    return QImage(np.ascontiguousarray(pixels).tobytes(), width, height, 4 * width, QImage.Format.Format_RGBA8888).copy()
