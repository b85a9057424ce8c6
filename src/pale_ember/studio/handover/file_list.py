"""What leaves, file by file: its size, how it is packed and how near that is to the picture."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from pale_ember.formats.handover.package import Package
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.kit.painting import painted

_ROW = 46
_PICTURE = 36


def told_size(size: int) -> str:
    """Bytes as people say them."""
    return f"{size / 2**20:.1f} MB" if size >= 2**20 else f"{max(size / 1024, 0.1):.0f} kB"


def small_pictures(package: Package) -> dict[str, QImage]:
    """Small pictures of a package's textures, by their names; made on any thread."""
    side = 2 * _PICTURE
    mode = Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    loaded = {name: QImage.fromData(package.files[name]) for name in package.textures}
    return {name: image if image.isNull() else image.scaled(QSize(side, side), *mode) for name, image in loaded.items()}


class FilesList(QWidget):
    """The rows; textures come first and can be chosen."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.package: Package | None = None
        self.selected = ""
        self._rows: list[tuple[str, str, str]] = []
        self._pictures: dict[str, QImage] = {}
        self.setAccessibleName("files of the package")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def show_package(self, package: Package, pictures: dict[str, QImage]) -> None:
        """pictures : small ones of its textures, by their names."""
        self.package, self._pictures = package, pictures
        self._rows = [(name, *_of_texture(name, known, package)) for name, known in package.textures.items()]
        meshes = [name for name in package.files if name.startswith("meshes/")]
        self._rows += [(name, "glTF", told_size(len(package.files[name]))) for name in meshes]
        packed = {known.get(each) for known in package.textures.values() for each in ("packed", "ktx2")}
        rest = [name for name in package.files if name not in packed and name not in package.textures and name not in meshes]
        self._rows += [(name, _SAYS.get(name, ""), told_size(len(package.files[name]))) for name in rest]
        if self.selected not in package.textures:
            self.selected = next(iter(package.textures), "")
        self.setFixedHeight(_ROW * len(self._rows) + 8)
        self.chosen.emit(self.selected)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(340, _ROW * max(len(self._rows), 1))

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self._rows) and self.package is not None and self._rows[row][0] in self.package.textures:
            self.selected = self._rows[row][0]
            self.chosen.emit(self.selected)
            self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._choose(int(event.position().y() // _ROW))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        names = [name for name, _, _ in self._rows]
        if step and self.selected in names:
            self._choose(names.index(self.selected) + step)
        else:
            event.ignore()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        for i, (name, how, size) in enumerate(self._rows):
            box = QRectF(6, i * _ROW + 2, self.width() - 12, _ROW - 4)
            if name == self.selected:
                painter.setPen(QPen(theme.EMBER, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
                painter.setBrush(theme.RAISED)
                painter.drawRoundedRect(box, 6, 6)
            left = box.left() + 10
            if self.package is not None and name in self.package.textures:
                frame = QRectF(left, box.top() + 3, _PICTURE, _PICTURE)
                painter.fillRect(frame, theme.WELL)
                painter.drawImage(frame, self._pictures[name])
                left += _PICTURE + 10
            plain = name.partition("/")[2] or name
            room = box.right() - left - 84
            painter.setFont(fitted_text.fitting(plain, room))
            painter.setPen(theme.BONE)
            painter.drawText(QRectF(left, box.top() + 2, room, 20), Qt.AlignmentFlag.AlignVCenter, plain)
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.ASH)
            painter.drawText(QRectF(left, box.top() + 21, box.right() - left, 18), Qt.AlignmentFlag.AlignVCenter, how)
            painter.setFont(theme.font())
            side = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
            painter.drawText(QRectF(box.right() - 94, box.top() + 2, 84, 20), side, size)


_SAYS = {
    "effect.json": "the effect: every field, curves by their keys",
    "schema.json": "what effect.json may hold",
    "eddies.f32": "the air of turbulence, for players",
    "NOTES.md": "notes for the programmer",
    "manifest.json": "every file, its size and licence",
}


def _of_texture(name: str, known: dict[str, Any], package: Package) -> tuple[str, str]:
    """How a texture is packed, and what it takes of the graphics card's memory."""
    plain = known["width"] * known["height"] * 4 * 4 // 3
    quality = f", {known['psnr']:.0f} dB" if known.get("psnr") is not None else ""
    packed = f"{known['format']}{quality}" if "packed" in known else "as it is"
    how = f"{known['width']} × {known['height']}, {packed}"
    saved = f" · {told_size(plain)} before" if known["memory"] < plain else ""
    return how + saved, told_size(int(known["memory"]))
