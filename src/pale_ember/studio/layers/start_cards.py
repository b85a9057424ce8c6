"""Starting points as cards with living pictures: found by use or by word, added by a click."""

from __future__ import annotations

import functools
import hashlib
import json
import math
from collections.abc import Callable

import numpy as np
from PIL import Image
from PyQt6.QtCore import QObject, QPoint, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QHideEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from pale_ember import ASSETS, __version__
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.reading import plain
from pale_ember.core.effect.starting_points import Start
from pale_ember.core.insight.search import Entry, ranked
from pale_ember.draw.context import NoOpenGL
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.previews import FRAMES, RATE, moving_picture
from pale_ember.formats.disk import write_whole
from pale_ember.formats.pictures import png_bytes
from pale_ember.formats.shelf import Shelf
from pale_ember.formats.starts import USES, starts
from pale_ember.machine import user_folders
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu, Panel, on_screen, open_beside
from pale_ember.studio.kit.saved_items import OWN, drop_own, every_start
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.tasks import Task

WIDTH, HEIGHT = 132, 92
"""Pixels of a living picture."""
_GAP, _ACROSS, _NAME = 8, 4, 20


class Previews(QObject):
    """The living pictures, made away from the window once and kept on disk."""

    came = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.pictures: dict[str, QImage] = {}
        """A strip of frames, one below the other, by the name of the starting point."""
        self._task: Task | None = None

    def make(self, wanted: dict[str, Start]) -> None:
        """Begins to make what is missing; each comes as soon as it is there."""
        missing = {name: start for name, start in wanted.items() if name not in self.pictures}
        if missing and self._task is None:
            self._task = Task(lambda progress: self._draw(missing, progress), (NoOpenGL, MemoryError), name="previews")
            self._task.progressed.connect(lambda _: self.came.emit())
            self._task.done.connect(self._rest)
            self._task.failed.connect(self._rest)
            self._task.start()

    def stop(self) -> None:
        """Stops making, and waits for it."""
        if self._task is not None:
            self._task.cancel()
            self._task.wait()
            self._task = None

    def _rest(self, _: object = None) -> None:
        self._task = None

    def _draw(self, missing: dict[str, Start], progress: Callable[[int], bool]) -> None:
        """Reads what is kept, then draws what is not; on the task's thread."""
        left: dict[str, tuple[tuple[Layer, ...], str]] = {}
        for name, start in missing.items():
            layers = start.make()
            key = _key(layers)
            image = shipped_strip(name) if start is starts().get(name) else QImage(str(_folder() / f"{key}.png"))
            if image.isNull():
                left[name] = layers, key
            else:
                self.pictures[name] = image
        if not progress(0) or not left:
            return
        shelf = Shelf(None)
        with offscreen(shelf.get) as renderer:
            for done, (name, (layers, key)) in enumerate(left.items(), 1):
                frames = moving_picture(layers, renderer, WIDTH, HEIGHT, functools.partial(progress, done))
                if frames is None:
                    return
                strip = frames.reshape(FRAMES * HEIGHT, WIDTH, 4)
                self.pictures[name] = QImage(strip.tobytes(), WIDTH, FRAMES * HEIGHT, 4 * WIDTH, QImage.Format.Format_RGBA8888).copy()
                _keep(key, strip)
                if not progress(done):
                    return


def shipped_strip(name: str) -> QImage:
    """The living picture that ships with a starting point, as a strip of frames; null where there is none."""
    path = ASSETS / "starts" / f"{name.replace(' ', '-')}.webp"
    if not path.is_file():
        return QImage()
    with Image.open(path) as strip:
        pixels = strip.convert("RGBA")
        return QImage(pixels.tobytes(), pixels.width, pixels.height, 4 * pixels.width, QImage.Format.Format_RGBA8888).copy()


def _folder():
    return user_folders.cache() / "starts"


def _key(layers: tuple[Layer, ...]) -> str:
    """A name for what these layers look like, in this version."""
    told = json.dumps([__version__, WIDTH, HEIGHT, [plain(layer) for layer in layers]], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()[:24]


def _keep(key: str, strip: np.ndarray) -> None:
    """Keeps a strip of frames on disk; where that cannot be, it is drawn again next time."""
    try:
        _folder().mkdir(parents=True, exist_ok=True)
        write_whole(_folder() / f"{key}.png", png_bytes(strip))
    except OSError:
        return


class _Cards(QWidget):
    """The cards that are left, each playing."""

    chosen = pyqtSignal(str)
    changed = pyqtSignal()

    def __init__(self, previews: Previews) -> None:
        super().__init__()
        self.previews = previews
        self.starts: dict[str, Start] = {}
        self.at = -1
        self._frame = 0
        self.setMouseTracking(True)
        self.setAccessibleName("starting points")
        self._clock = QTimer(self, interval=round(1000 / RATE))
        self._clock.timeout.connect(self._tick)
        self._clock.start()

    @property
    def names(self) -> list[str]:
        return list(self.starts)

    def _tick(self) -> None:
        self._frame = (self._frame + 1) % FRAMES
        self.update()

    def show_starts(self, chosen: dict[str, Start]) -> None:
        self.starts, self.at = chosen, -1
        rows = max(math.ceil(len(chosen) / _ACROSS), 1)
        self.setFixedHeight(rows * (HEIGHT + _NAME + _GAP) + _GAP)
        self.update()

    def box(self, index: int) -> QRectF:
        row, column = divmod(index, _ACROSS)
        return QRectF(_GAP + column * (WIDTH + _GAP), _GAP + row * (HEIGHT + _NAME + _GAP), WIDTH, HEIGHT)

    def _near(self, at: QPoint) -> int:
        return next((i for i in range(len(self.starts)) if self.box(i).adjusted(0, 0, 0, _NAME).contains(at.toPointF())), -1)

    def point(self, index: int) -> None:
        if index != self.at:
            self.at = index
            name = self.names[index] if 0 <= index < len(self.starts) else ""
            self.setAccessibleDescription(f"{name}: {self.starts[name].help}" if name else "")
            self.setToolTip(self.starts[name].help if name else "")
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.point(self._near(event.pos()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        index = self._near(event.pos())
        if index >= 0 and event.button() == Qt.MouseButton.LeftButton:
            self.chosen.emit(self.names[index])

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        index = self._near(event.pos())
        if index < 0 or self.starts[self.names[index]].use != OWN:
            return
        name = self.names[index]
        menu = Menu(self)
        menu.addAction(f"Delete “{name}”").triggered.connect(lambda: self._forget(name))
        menu.open_at(event.globalPos())

    def _forget(self, name: str) -> None:
        drop_own("layers", name)
        self.previews.pictures.pop(name, None)
        self.changed.emit()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        for i, name in enumerate(self.starts):
            box = self.box(i)
            if not event.rect().intersects(box.toAlignedRect()):
                continue
            strip = self.previews.pictures.get(name)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.WELL)
            painter.drawRoundedRect(box, 5, 5)
            if strip is not None:
                painter.drawImage(box, strip, QRectF(0, self._frame * HEIGHT, WIDTH, HEIGHT))
            if i == self.at:
                painter.setPen(QPen(theme.EMBER, 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box, 5, 5)
            painter.setFont(fitted_text.fitting(name, WIDTH - 4, theme.SMALL))
            painter.setPen(theme.BONE if i == self.at else theme.ASH)
            painter.drawText(QRectF(box.left(), box.bottom(), WIDTH, _NAME), Qt.AlignmentFlag.AlignCenter, name)


class StartCards(Panel):
    """All starting points, over the Workbench."""

    chosen = pyqtSignal(str)

    def __init__(self, parent: QWidget, previews: Previews) -> None:
        super().__init__(parent)
        self.setAccessibleName("starting points")
        self.previews, self.every = previews, every_start()
        self.setFixedSize(QSize(_ACROSS * (WIDTH + _GAP) + _GAP + 24, 470))
        self.words = QLineEdit()
        self.words.setPlaceholderText("search: fire, rain, glass, beam, glitter…")
        self.words.setAccessibleName("search starting points")
        self.words.textChanged.connect(self.sift)
        self.words.setFixedHeight(28)
        self.uses = {use: WordButton(use, checkable=True) for use in ("all", OWN, *USES)}
        line = QHBoxLayout()
        line.setSpacing(0)
        for use, button in self.uses.items():
            button.clicked.connect(lambda _=False, use=use: self.show_use(use))
            line.addWidget(button)
        line.addStretch(1)
        self.cards = _Cards(previews)
        self.cards.chosen.connect(self._take)
        self.cards.changed.connect(self._read_anew)
        previews.came.connect(self.cards.update)
        self.area = Scrolling(self.cards)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 6, 8)
        column.setSpacing(4)
        column.addWidget(self.words)
        column.addLayout(line)
        column.addWidget(self.area, 1)
        self.use = "all"
        self.show_use("all")

    def _read_anew(self) -> None:
        """Something of the artist's own was forgotten."""
        self.every = every_start()
        self.sift()

    def show_use(self, use: str) -> None:
        self.use = use
        for name, button in self.uses.items():
            button.setChecked(name == use)
        self.sift()

    def sift(self) -> None:
        """Shows what fits the use and the words."""
        words = self.words.text().strip()
        every = self.every
        self.uses[OWN].setVisible(any(start.use == OWN for start in every.values()))
        kept = {name: start for name, start in every.items() if self.use in ("all", start.use)}
        if words:
            entries = [Entry(name, start.use, start.words, start.help) for name, start in kept.items()]
            kept = {entry.title: kept[entry.title] for entry in ranked(words, entries)}
        self.cards.show_starts(kept)
        if words and self.cards.starts:
            self.cards.point(0)
        self.previews.make(every)

    def _take(self, name: str) -> None:
        self.close()
        self.chosen.emit(name)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: _ACROSS, Qt.Key.Key_Up: -_ACROSS}
        cards = self.cards
        if Qt.Key(event.key()) in steps and cards.starts:
            at = 0 if cards.at < 0 else cards.at + steps[Qt.Key(event.key())]
            cards.point(min(max(at, 0), len(cards.starts) - 1))
            box = cards.box(cards.at)
            self.area.ensureVisible(round(box.center().x()), round(box.center().y()), 0, HEIGHT)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and cards.starts:
            self._take(cards.names[max(cards.at, 0)])
        else:
            super().keyPressEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        self.previews.stop()
        super().hideEvent(event)

    def open_beside(self, anchor: QWidget) -> None:
        open_beside(self, on_screen(anchor), anchor.screen().availableGeometry())
        self.words.setFocus()
