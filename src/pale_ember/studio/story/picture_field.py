"""The picture of a look: as it was loaded or as it is drawn, its grid over it, and where it comes from."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QDropEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLineEdit, QWidget

from pale_ember.core.effect.chapters import Look
from pale_ember.core.effect.edit import credit_of, with_credit
from pale_ember.core.effect.recipe.recipe import RECIPE
from pale_ember.core.texture.advice import advise, advised_size, guess_grid, thinned
from pale_ember.core.texture.library import PREFIX
from pale_ember.core.texture.light import chosen
from pale_ember.core.texture.look_pictures import with_card
from pale_ember.studio.controls.colour import picture_image
from pale_ember.studio.document.asset_import import ask_picture, credit_line, dropped
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.library import Library
from pale_ember.studio.kit import fitted_text, icons, theme
from pale_ember.studio.kit.cached_painting import ById
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu

_SIDE = 272
"""Pixels a side from which a thumbnail is made: four for each of its own."""


class PictureEdit(QWidget):
    """Edits a whole Look, because a picture brings its grid with it."""

    edited = pyqtSignal(object, object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk, self.look = desk, Look()
        self.as_drawn = True
        self._shown: tuple[tuple, object] | None = None
        self._advice: tuple[object, str] = (None, "")
        self.library: Library | None = None
        self.setFixedHeight(58)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("picture")
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setToolTip(
            "The picture of each particle. Click for the library or a picture file, or drop one here; "
            "right-click for its grid, blend, inverting, author and licence."
        )

    def show_look(self, look: Look) -> None:
        """Shows the picture of a look."""
        self.look = look
        self.update()

    def choose_card(self, name: str) -> None:
        self.edited.emit(with_card(self.look, name, self.desk.effect.recipes), None)

    def _try(self, name: str) -> None:
        """Shows a picture on the stage without taking it."""
        layer = self.desk.layer
        if layer is None or not name:
            self.desk.looking.try_layer(None)
        else:
            self.desk.looking.try_layer(replace(layer, look=with_card(layer.look, name, self.desk.effect.recipes)))

    def open(self) -> None:
        """Opens the library."""
        self.library = Library(self, self.desk)
        self.library.chosen.connect(self.choose_card)
        self.library.tried.connect(self._try)
        self.library.file_asked.connect(self._ask_file)
        self.library.open_beside(self)

    def _ask_file(self) -> None:
        path = ask_picture(self.desk, self)
        if path is not None:
            self.desk.file_given.emit(path, "")

    def dragEnterEvent(self, event) -> None:
        if dropped(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        for path in dropped(event.mimeData())[:1]:
            self.desk.file_given.emit(path, "")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.open()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return):
            self.open()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.menu().open_at(event.globalPos())

    def menu(self) -> Menu:
        """What can be done with the picture."""
        menu, look = Menu(self), self.look
        pixels = self._pixels()
        grid, advice = guess_grid(pixels), advise(chosen(pixels, "all", look.surface.invert))

        def add(text: str, changed: Look, on: bool | None = None) -> None:
            action = menu.addAction(text)
            action.setEnabled(changed != look)
            if on is not None:
                action.setCheckable(True)
                action.setChecked(on)
            action.triggered.connect(lambda: self.edited.emit(changed, None))

        bench = menu.addAction("Open on the texture bench")
        bench.setEnabled(bool(look.picture))
        bench.triggered.connect(lambda: self.desk.bench_asked.emit(look.picture))
        menu.addSeparator()
        add(f"Frames as guessed: {grid[0]} × {grid[1]}", replace(look, columns=grid[0], rows=grid[1]))
        add(f"Blend as suggested: {advice.blend}", replace(look, blend=advice.blend))
        menu.actions()[-1].setToolTip(advice.why)
        surface = look.surface
        add("Inverted", replace(look, surface=replace(surface, invert=not surface.invert)), surface.invert)
        drawn = menu.addAction("Show as loaded" if self.as_drawn else "Show as drawn")
        drawn.triggered.connect(self._flip_drawn)
        menu.addSeparator()
        credits = menu.addAction("Author and licence…")
        credits.setEnabled(not look.picture.startswith((PREFIX, RECIPE)))
        credits.triggered.connect(self._ask_credit)
        return menu

    def _flip_drawn(self) -> None:
        self.as_drawn = not self.as_drawn
        self.update()

    def _ask_credit(self) -> None:
        credit = credit_of(self.desk.effect, self.look.picture)
        dialog = QDialog(self)
        dialog.setWindowTitle(f"{self.look.picture}: author and licence")
        form = QFormLayout(dialog)
        lines = {"author": QLineEdit(credit.author), "licence": QLineEdit(credit.licence)}
        for name, line in lines.items():
            line.setMinimumWidth(260)
            form.addRow(name, line)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(dialog.accept)
        buttons.rejected.connect(dialog.reject)
        form.addRow(buttons)
        if dialog.exec():
            told = {name: line.text().strip() for name, line in lines.items()}
            self.desk.document.change("author and licence", with_credit(self.desk.effect, replace(credit, **told)))

    def look_again(self) -> None:
        """Repaints if the picture has been read, or read anew, since it was painted."""
        known = self.desk.shelf.known(self.look.picture)
        if known is not None and (self._shown is None or self._shown[0][0] != ById(known)):
            self.update()

    def _pixels(self) -> np.ndarray:
        """The picture; an empty one until the stage has read it."""
        known = self.desk.shelf.known(self.look.picture)
        return np.zeros((2, 2, 4), np.float32) if known is None else known

    def _image(self, pixels: np.ndarray):
        surface = self.look.surface
        key = (ById(pixels), self.as_drawn, surface.channel, surface.invert)
        if self._shown is None or self._shown[0] != key:
            small = thinned(pixels, _SIDE)
            seen = chosen(small, surface.channel, surface.invert) if self.as_drawn else small
            image = picture_image(seen).scaled(136, 136, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation)
            self._shown = key, image
        return self._shown[1]

    def _detail(self, pixels: np.ndarray) -> str:
        """What is worth knowing of the picture, in a few words."""
        if self.desk.shelf.known(self.look.picture) is None:
            return "being read…"
        if self.look.picture in self.desk.shelf.faults:
            return "not found: a stand-in is shown"
        height, width = pixels.shape[:2]
        grid = f" · {self.look.columns}×{self.look.rows} frames" if self.look.columns * self.look.rows > 1 else ""
        return f"{width} × {height}{grid}"

    def _origin(self, pixels: np.ndarray) -> str:
        if self.look.picture.startswith((PREFIX, RECIPE)):
            return ""
        inverted = self.look.surface.invert
        if self._advice[0] != (ById(pixels), inverted):
            self._advice = (ById(pixels), inverted), advise(chosen(pixels, "all", inverted)).blend
        if self._advice[1] != self.look.blend and self.look.surface.channel == "all":
            return f"{self._advice[1]} suits it"
        layer = self.desk.layer
        if layer is not None and (said := advised_size(layer.birth.size.most, pixels.shape[1] // self.look.columns)):
            return said
        return credit_line(self.desk, self.look.picture)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(12, 4, 50, 50)
        pixels = self._pixels()
        painter.setPen(QPen(theme.EMBER if self.hasFocus() else theme.LINE, 1))
        painter.setBrush(theme.WELL)
        painter.drawRoundedRect(box.adjusted(-2, -2, 2, 2), 5, 5)
        painter.drawImage(box, self._image(pixels))
        painter.setPen(QPen(theme.with_alpha(theme.BONE, 0.16), 1))
        for i in range(1, min(self.look.columns, 16)):
            x = box.left() + box.width() * i / self.look.columns
            painter.drawLine(int(x), int(box.top()), int(x), int(box.bottom()))
        for i in range(1, min(self.look.rows, 16)):
            y = box.top() + box.height() * i / self.look.rows
            painter.drawLine(int(box.left()), int(y), int(box.right()), int(y))
        fault = self.look.picture in self.desk.shelf.faults
        name = self.look.picture.removeprefix(PREFIX).removeprefix(RECIPE)
        lines = ((name, theme.WARNING if fault else theme.BONE), (self._detail(pixels), theme.ASH), (self._origin(pixels), theme.ASH))
        room = self.width() - 78
        y = 3.0
        for text, colour in lines:
            if not text:
                continue
            painter.setPen(colour)
            painter.setFont(fitted_text.fitting(text, room))
            shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, room)
            painter.drawText(QRectF(74, y, room, 18), Qt.AlignmentFlag.AlignVCenter, shown)
            y += 18
        if self.underMouse():
            icons.paint(painter, "down", QRectF(self.width() - 18, 5, 12, 12), theme.EMBER)
