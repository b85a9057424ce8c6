"""The picture of a look: a card of the library or a PNG of one's own, and its grid drawn over it."""

from __future__ import annotations

import shutil
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QFileDialog, QMenu, QMessageBox, QWidget

from pale_ember.core.effect.chapters import Look
from pale_ember.core.texture.cards import CARDS, PREFIX
from pale_ember.formats.pictures import PictureError, read_picture
from pale_ember.studio import icons, theme
from pale_ember.studio.desk import Desk
from pale_ember.studio.fields.colour import picture_image


class PictureEdit(QWidget):
    """Edits a whole Look, because a card brings its grid with it."""

    edited = pyqtSignal(object, object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.look = desk, Look()
        self._shown: tuple[object, object] | None = None
        self.setFixedHeight(78)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("picture")
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setToolTip("The picture of each particle. Click for the library's cards, or for a PNG of your own.")

    def show_look(self, look: Look) -> None:
        self.look = look
        self.update()

    def choose_card(self, name: str) -> None:
        card = CARDS[name]
        look = replace(self.look, picture=PREFIX + name, columns=card.columns, rows=card.rows)
        self.edited.emit(look, None)

    def choose_file(self, path: Path) -> None:
        """Takes a PNG into the document's folder and the look."""
        try:
            read_picture(path)
        except PictureError as error:
            QMessageBox.warning(self, "Pale Ember", str(error))
            return
        folder = self.desk.folder
        if folder is None:
            QMessageBox.information(self, "Pale Ember", "Save the effect first: its pictures are kept beside it.")
            return
        name = path.name
        if path.resolve().is_relative_to(folder.resolve()):
            name = path.resolve().relative_to(folder.resolve()).as_posix()
        elif (folder / name).exists() and (folder / name).read_bytes() != path.read_bytes():
            taken = {p.name for p in folder.iterdir()}
            name = next(n for i in range(2, len(taken) + 3) if (n := f"{path.stem}-{i}{path.suffix}") not in taken)
            shutil.copyfile(path, folder / name)
        elif not (folder / name).exists():
            shutil.copyfile(path, folder / name)
        self.edited.emit(replace(self.look, picture=name, columns=1, rows=1), None)

    def _open(self) -> None:
        menu = QMenu(self)
        for card in CARDS.values():
            action = menu.addAction(f"{card.name}   ·   {card.suits}")
            pixels = self.desk.shelf_get(PREFIX + card.name)
            image = picture_image(pixels[: pixels.shape[0] // card.rows, : pixels.shape[1] // card.columns])
            action.setIcon(_icon(image))
            action.triggered.connect(lambda _=False, name=card.name: self.choose_card(name))
        menu.addSeparator()
        menu.addAction("A PNG of your own…").triggered.connect(self._ask_file)
        menu.popup(self.mapToGlobal(self.rect().bottomLeft()))

    def _ask_file(self) -> None:
        start = str(self.desk.folder or Path.home())
        name, _ = QFileDialog.getOpenFileName(self, "A picture for this layer", start, "Pictures (*.png)")
        if name:
            self.choose_file(Path(name))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self._open()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            self._open()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(12, 4, 68, 68)
        pixels = self.desk.shelf_get(self.look.picture)
        if self._shown is None or self._shown[0] is not pixels:
            image = picture_image(pixels).scaled(
                136, 136, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            self._shown = pixels, image
        painter.setPen(QPen(theme.EMBER if self.hasFocus() else theme.LINE, 1))
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 5, 5)
        painter.drawImage(box, self._shown[1])  # type: ignore[call-overload]
        painter.setPen(QPen(theme.with_alpha(theme.BONE, 0.16), 1))
        for i in range(1, min(self.look.columns, 16)):
            x = box.left() + box.width() * i / self.look.columns
            painter.drawLine(int(x), int(box.top()), int(x), int(box.bottom()))
        for i in range(1, min(self.look.rows, 16)):
            y = box.top() + box.height() * i / self.look.rows
            painter.drawLine(int(box.left()), int(y), int(box.right()), int(y))
        fault = self.desk.shelf.faults.get(self.look.picture)
        painter.setPen(theme.WARNING if fault else theme.BONE)
        name = self.look.picture.removeprefix(PREFIX)
        painter.drawText(QRectF(92, 6, self.width() - 96, 20), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(theme.ASH)
        height, width = pixels.shape[:2]
        detail = "not found: a stand-in is shown" if fault else f"{width} × {height} pixels"
        painter.drawText(QRectF(92, 26, self.width() - 96, 20), Qt.AlignmentFlag.AlignVCenter, detail)
        painter.setPen(theme.EMBER)
        painter.drawText(QRectF(92, 46, self.width() - 96, 20), Qt.AlignmentFlag.AlignVCenter, "change…")
        if self.underMouse():
            icons.paint(painter, "down", QRectF(138, 50, 12, 12), theme.EMBER)


def _icon(image):
    from PyQt6.QtGui import QIcon, QPixmap

    return QIcon(QPixmap.fromImage(image.scaled(40, 40)))
