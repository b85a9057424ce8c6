"""The library of pictures: looked through by use, tried in the live picture by pointing at them."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from pale_ember.core.effect.files import files_of
from pale_ember.core.effect.recipe.recipe import RECIPE
from pale_ember.core.texture.library import PICTURES, PREFIX
from pale_ember.core.texture.look_pictures import full_name
from pale_ember.formats.pictures import library_picture
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.colour import middle_frame, picture_image
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Panel, on_screen, open_beside
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.settings import kept_list, settings
from pale_ember.studio.kit.tasks import Task

_TILE, _GAP, _ACROSS = 92, 8, 5
_USES = ("all", "own", "favourites", "fire", "smoke", "water", "impacts", "energy", "light", "noise")
_MOST_RECENT = 5


_IMAGES: dict[str, QImage] = {}
"""Cards as they are shown, by name, made once."""


def _paint_library(progress: Callable[[int], bool]) -> None:
    """Makes the pictures that are still missing; runs away from the window."""
    for done, (name, kind) in enumerate(PICTURES.items(), 1):
        if name not in _IMAGES:
            pixels = library_picture(name)
            _IMAGES[name] = picture_image(middle_frame(pixels, kind.columns, kind.rows)).scaled(
                _TILE * 2, _TILE * 2, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            if not progress(done):
                return


def favourites() -> list[str]:
    """The names of favourite pictures."""
    return [name for name in kept_list("favourite pictures") if name in PICTURES]


def recent_pictures() -> list[str]:
    """The names of pictures used lately."""
    return [name for name in kept_list("recent pictures") if name in PICTURES]


def remember_picture(name: str) -> None:
    """Notes a picture as used."""
    settings().setValue("recent pictures", [name, *(known for known in recent_pictures() if known != name)][:_MOST_RECENT])


def own_pictures(desk: Desk) -> list[str]:
    """The recipes of the effect, and the files that it uses."""
    made = [RECIPE + recipe.name for recipe in desk.effect.recipes]
    return [*made, *(name for name in files_of(desk.effect) if not name.startswith((PREFIX, RECIPE)))]


def _words_of(name: str) -> str:
    return f"{name} {PICTURES[name].suits}" if name in PICTURES else name.lower()


class _Tiles(QWidget):
    """The pictures that are left."""

    chosen = pyqtSignal(str)
    pointed = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.names: list[str] = []
        self.at = -1
        self._own: dict[str, QImage] = {}
        self._painting: Task | None = None
        self.setMouseTracking(True)
        self.setAccessibleName("pictures")

    def show_names(self, names: list[str]) -> None:
        self.names, self.at = names, -1
        rows = max(math.ceil(len(names) / _ACROSS), 1)
        self.setFixedHeight(rows * (_TILE + 24) + _GAP)
        self.update()

    def _box(self, index: int) -> QRectF:
        row, column = divmod(index, _ACROSS)
        return QRectF(_GAP + column * (_TILE + _GAP), _GAP + row * (_TILE + 24), _TILE, _TILE)

    def _near(self, at: QPointF) -> int:
        return next((i for i in range(len(self.names)) if self._box(i).adjusted(0, 0, 0, 20).contains(at)), -1)

    def _star(self, index: int) -> QRectF:
        box = self._box(index)
        return QRectF(box.right() - 20, box.top() + 2, 18, 18)

    def point(self, index: int) -> None:
        """Points at a picture: it is tried in the live picture."""
        if index != self.at:
            self.at = index
            name = self.names[index] if 0 <= index < len(self.names) else ""
            suits = PICTURES[name].suits if name in PICTURES else "of this effect"
            self.setAccessibleDescription(f"{name}: {suits}" if name else "")
            self.pointed.emit(full_name(name) if name else "")
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.point(self._near(event.position()))

    def leaveEvent(self, event: QEvent) -> None:
        self.point(-1)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        index = self._near(event.position())
        if index < 0:
            return
        name = self.names[index]
        if self._star(index).contains(event.position()):
            kept = favourites()
            settings().setValue("favourite pictures", [known for known in kept if known != name] if name in kept else [*kept, name])
            self.update()
            return
        self.chosen.emit(name)

    def _image(self, name: str) -> QImage | None:
        """A card, or a picture of the effect as far as it has been read."""
        if name in PICTURES:
            return _IMAGES.get(name)
        known = self.desk.shelf.known(name)
        if name not in self._own and known is not None:
            step = max(max(known.shape[:2]) // (2 * _TILE), 1)
            self._own[name] = picture_image(known[::step, ::step])
        return self._own.get(name)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if len(_IMAGES) < len(PICTURES) and self._painting is None:
            self._painting = Task(_paint_library, name="pictures")
            self._painting.progressed.connect(lambda _: self.update())
            self._painting.start()

    def hideEvent(self, event: QHideEvent) -> None:
        if self._painting is not None:
            self._painting.cancel()
            self._painting.wait()
            self._painting = None
        super().hideEvent(event)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        kept = favourites()
        if not self.names:
            painter.setPen(theme.ASH)
            painter.setFont(theme.font())
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Nothing found. Try another word, or a picture file.")
        for i, name in enumerate(self.names):
            box = self._box(i)
            painter.setPen(QPen(theme.EMBER if i == self.at else theme.LINE, 1))
            painter.setBrush(theme.WELL)
            painter.drawRoundedRect(box, 6, 6)
            image = self._image(name)
            if image is not None:
                painter.drawImage(box.adjusted(3, 3, -3, -3), image)
            painter.setFont(theme.font(theme.SMALL))
            painter.setPen(theme.BONE if i == self.at else theme.ASH)
            called = painter.fontMetrics().elidedText(name.removeprefix(RECIPE), Qt.TextElideMode.ElideRight, int(box.width()))
            painter.drawText(QRectF(box.left(), box.bottom() + 1, box.width(), 18), Qt.AlignmentFlag.AlignCenter, called)
            if name in kept or i == self.at:
                spot = self._star(i).center()
                painter.setPen(QPen(theme.BONE, 1.2))
                painter.setBrush(theme.BONE if name in kept else Qt.BrushStyle.NoBrush)
                painter.drawEllipse(spot, 4, 4)


class Library(Panel):
    """All pictures, in a window of their own over the Workbench."""

    chosen = pyqtSignal(str)
    tried = pyqtSignal(str)
    """A picture is pointed at; "" when none is."""
    file_asked = pyqtSignal()

    def __init__(self, parent: QWidget, desk: Desk, none: str = "") -> None:
        super().__init__(parent)
        self.desk = desk
        self.setAccessibleName("Library of pictures")
        self.setFixedSize(_ACROSS * (_TILE + _GAP) + _GAP + 22, 400)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 6, 8)
        column.setSpacing(6)
        head = QHBoxLayout()
        self.words = QLineEdit()
        self.words.setPlaceholderText("search: ember, rain, glass, dissolving…")
        self.words.setAccessibleName("search pictures")
        self.words.textChanged.connect(self._sift)
        self.own = WordButton("a picture file…", "PNG, TGA, WebP, EXR or DDS; it is copied beside the effect", icon="plus")
        self.own.clicked.connect(self._own)
        head.addWidget(self.words, 1)
        if none:
            nothing = WordButton(none, "No picture here")
            nothing.clicked.connect(self._take_none)
            head.addWidget(nothing)
        head.addWidget(self.own)
        column.addLayout(head)
        uses = QHBoxLayout()
        uses.setSpacing(2)
        self.uses = {use: WordButton(use, checkable=True) for use in _USES}
        for use, button in self.uses.items():
            button.clicked.connect(lambda _=False, use=use: self._use(use))
            uses.addWidget(button)
        uses.addStretch(1)
        column.addLayout(uses)
        self.tiles = _Tiles(desk)
        self.tiles.chosen.connect(self._take)
        self.tiles.pointed.connect(self.tried)
        column.addWidget(Scrolling(self.tiles), 1)
        self._use("all")

    def _use(self, use: str) -> None:
        self.use = use
        for name, button in self.uses.items():
            button.setChecked(name == use)
        self._sift()

    def _sift(self) -> None:
        words = self.words.text().lower().split()
        own = own_pictures(self.desk)
        names = favourites() if self.use == "favourites" else own if self.use == "own" else [*PICTURES, *own]
        if self.use not in ("all", "favourites", "own"):
            names = [name for name in names if self.use in _words_of(name)]
        names = [name for name in names if all(word in _words_of(name) for word in words)]
        if self.use == "all" and not words:
            late = recent_pictures()
            names = [*late, *(name for name in names if name not in late)]
        self.tiles.show_names(names)
        if words and names:
            # What Return takes is seen beforehand.
            self.tiles.point(0)

    def _own(self) -> None:
        self.close()
        self.file_asked.emit()

    def _take_none(self) -> None:
        self.chosen.emit("")
        self.close()

    def _take(self, name: str) -> None:
        if name in PICTURES:
            remember_picture(name)
        self.chosen.emit(full_name(name))
        self.close()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: _ACROSS, Qt.Key.Key_Up: -_ACROSS}
        if Qt.Key(event.key()) in steps and self.tiles.names:
            at = max(self.tiles.at, 0) if self.tiles.at < 0 else self.tiles.at + steps[Qt.Key(event.key())]
            self.tiles.point(min(max(at, 0), len(self.tiles.names) - 1))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.tiles.names:
            self._take(self.tiles.names[max(self.tiles.at, 0)])
        else:
            super().keyPressEvent(event)

    def hideEvent(self, event) -> None:
        self.tried.emit("")
        super().hideEvent(event)

    def open_beside(self, anchor: QWidget) -> None:
        """Opens above or below a widget, wherever it fits on the screen."""
        open_beside(self, on_screen(anchor), anchor.screen().availableGeometry())
        self.words.setFocus()
