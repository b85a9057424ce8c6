"""The window of the stand-in game: one walks on the quay, effects play, a meter tells what a picture costs."""

from __future__ import annotations

import math
import threading
import time
from concurrent.futures import ThreadPoolExecutor, wait

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from pale_ember import ASSETS
from pale_ember.core.effect.model import Camera
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.view import view_of
from pale_ember.draw.context import NoOpenGL
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Renderer, Shot
from pale_ember.rehearsal.game import Game, alive
from pale_ember.rehearsal.quay import eye
from pale_ember.rehearsal.wire import Wire

FRAME = 1000.0 / 60.0
"""Milliseconds that a picture may take in a game that shows sixty a second."""
_WALK, _TURN = 2.6, 0.25
"""Metres a second, and degrees for each pixel."""
_LOOK_EVERY = 0.5
"""Seconds between two looks for packages that were handed over again."""
_SHARE, _FRAME = 0.66, 40
"""How much of the screen's width the window takes, and pixels for the frame around it."""
_SMALLEST = 0.35
"""How much smaller the picture is drawn at most, so that it moves."""
_PATIENCE = 40.0
"""Milliseconds that a picture may take before it is drawn smaller."""


def _font() -> QFont:
    """The font that ships with the application."""
    loaded = QFontDatabase.addApplicationFont(str(next((ASSETS / "fonts").glob("*.ttf"))))
    families = QFontDatabase.applicationFontFamilies(loaded)
    font = QFont(families[0]) if families else QFont()
    font.setPixelSize(13)
    return font


HELP = "1 – 9 play · Shift: on the barrow · Ctrl: thrown at the target · Backspace stops all · W A S D walk, drag looks · Escape leaves"

_STONE, _BONE, _EMBER, _GLASS = QColor("#1b1a17"), QColor("#ece5d8"), QColor("#f6ab7a"), QColor("#7fc8bb")


class GameLoop(threading.Thread):
    """Plays the game and draws it, as fast as it goes, on a thread with an OpenGL context of its own."""

    def __init__(self, game: Game, wire: Wire | None, width: int, height: int) -> None:
        super().__init__(name="pale-ember-game", daemon=True)
        self.game, self.wire = game, wire
        self.size = width, height
        self.camera: Camera = eye((0.0, 6.0), 0.0, 4.0)
        self.lock = threading.Lock()
        """Held while the game goes on, or is told something."""
        self.picture: np.ndarray | None = None
        self.step_time = self.draw_time = 0.0
        self.alive = 0
        self.scale = 0.6
        self.fault = ""
        self.shown = lambda: None
        self._ends = threading.Event()

    def end(self) -> None:
        """Ends the loop and waits for it."""
        self._ends.set()
        self.join(timeout=5)

    def run(self) -> None:
        """Plays and draws until it is ended."""
        try:
            with ThreadPoolExecutor(1, "pale-ember-step") as pool, offscreen(self.game.shelf.get, self.game.shelf.mesh) as renderer:
                # The quay is there at once, what plays on it a moment later: its kernels are still to be read.
                self._draw(renderer, self.game.frame())
                with self.lock:
                    self.game.begin()
                before, looked = time.perf_counter(), 0.0
                while not self._ends.is_set():
                    now = time.perf_counter()
                    with self.lock:
                        if self.wire is not None:
                            hear_all(self.game, self.wire)
                        if now - looked > _LOOK_EVERY:
                            looked = now
                            self.game.look_for_changes()
                        self.game.step(min(now - before, 0.25))
                    frame = self._frame(pool)
                    before, stepped = now, time.perf_counter()
                    self._draw(renderer, frame)
                    self.step_time = 1000 * (stepped - now)
                    self.draw_time = 1000 * (time.perf_counter() - stepped)
                    self._adapt()
                    self._ends.wait(max(FRAME / 1000 - (time.perf_counter() - now), 0.0))
        except NoOpenGL as error:
            self.fault = str(error)
            self.shown()

    def _frame(self, pool: ThreadPoolExecutor) -> Frame:
        """The moment; however long it takes, who says something is answered meanwhile."""
        coming = pool.submit(self.game.frame)
        while not coming.done() and not self._ends.is_set():
            wait([coming], timeout=FRAME / 1000)
            if self.wire is not None:
                with self.lock:
                    hear_all(self.game, self.wire)
        return coming.result()

    def _draw(self, renderer: Renderer, frame: Frame) -> None:
        width, height = (max(round(side * self.scale), 16) for side in self.size)
        shot = Shot(stage=self.game.stage, background=self.game.stage.background)
        self.picture = renderer.picture(frame, view_of(self.camera, width, height), shot, width, height).copy()
        self.alive = alive(frame)
        self.shown()

    def _adapt(self) -> None:
        taken = self.step_time + self.draw_time
        if taken > _PATIENCE and self.scale > _SMALLEST:
            self.scale = max(self.scale * 0.9, _SMALLEST)
        elif taken < 0.5 * _PATIENCE and self.scale < 1.0:
            self.scale = min(self.scale * 1.05, 1.0)


def hear_all(game: Game, wire: Wire) -> None:
    """Takes everything that was sent since, and answers it."""
    while not wire.heard.empty():
        message, answer = wire.heard.get()
        answer(game.hear(message))


class GameWindow(QWidget):
    """Shows the game, and takes its keys."""

    came = pyqtSignal()

    def __init__(self, game: Game, wire: Wire | None) -> None:
        super().__init__()
        self.game, self.wire = game, wire
        self.setWindowTitle("Rehearsal — Pale Ember")
        # At the lower left, so that on one screen what fires events stays in sight beside it.
        room = self.screen().availableGeometry()
        width = min(1280, round(_SHARE * room.width()))
        self.resize(width, width * 9 // 16)
        self.move(room.left(), room.bottom() - self.height() - _FRAME)
        self.setFont(_font())
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.at, self.heading, self.pitch = [0.0, 6.0], 0.0, 4.0
        self._held: set[int] = set()
        self._from: QPointF | None = None
        self.loop = GameLoop(game, wire, self.width(), self.height())
        self.loop.shown = self._tell
        self.came.connect(self.update)
        self._walking = QTimer(self, interval=16)
        self._walking.timeout.connect(self._walk)
        self._walking.start()

    def begin(self) -> None:
        """Begins to play and draw."""
        self.loop.start()

    def _tell(self) -> None:
        """A picture is there; said on the loop's thread, which so keeps the window as long as it runs."""
        self.came.emit()

    def _walk(self) -> None:
        ahead = (Qt.Key.Key_W in self._held) - (Qt.Key.Key_S in self._held)
        aside = (Qt.Key.Key_D in self._held) - (Qt.Key.Key_A in self._held)
        turn, step = math.radians(self.heading), _WALK * 0.016
        self.at[0] += step * (-math.sin(turn) * ahead + math.cos(turn) * aside)
        self.at[1] += step * (-math.cos(turn) * ahead - math.sin(turn) * aside)
        self.loop.camera = eye((self.at[0], self.at[1]), self.heading, self.pitch)
        self.loop.size = self.width(), self.height()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key == Qt.Key.Key_Escape:
            self.close()
        elif key == Qt.Key.Key_Backspace:
            with self.loop.lock:
                self.game.stop("")
        elif digit_of(event) is not None:
            self._play(digit_of(event) or 0, event.modifiers())
        else:
            self._held.add(key)

    def _play(self, digit: int, held: Qt.KeyboardModifier) -> None:
        names = sorted(self.game.loaded)
        if digit > len(names):
            return
        on = "barrow" if held & Qt.KeyboardModifier.ShiftModifier else "throw" if held & Qt.KeyboardModifier.ControlModifier else ""
        with self.loop.lock:
            self.game.hear({"do": "play", "effect": names[digit - 1], "on": on})

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if not event.isAutoRepeat():
            self._held.discard(event.key())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._from = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            moved = event.position() - self._from
            self._from = event.position()
            self.heading = (self.heading + moved.x() * _TURN + 180) % 360 - 180
            self.pitch = min(max(self.pitch - moved.y() * _TURN, -60.0), 60.0)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._from = None

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        try:
            self._paint(painter)
        finally:
            # Left to itself after an error it would end on a window that is gone.
            painter.end()

    def _paint(self, painter: QPainter) -> None:
        pixels = self.loop.picture
        if pixels is None:
            painter.fillRect(self.rect(), _STONE)
            painter.setPen(_BONE)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.loop.fault or "The quay is being made ready…")
            return
        height, width = pixels.shape[:2]
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawImage(QRectF(self.rect()), QImage(pixels.tobytes(), width, height, 4 * width, QImage.Format.Format_RGBX8888))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_meter(painter)
        self._paint_names(painter)
        self._paint_lines(painter)

    def _text(self, painter: QPainter, x: float, y: float, text: str, colour: QColor = _BONE) -> None:
        for shade, shift in ((_STONE, 1), (colour, 0)):
            painter.setPen(shade)
            painter.drawText(QPointF(x + shift, y + shift), text)

    def _paint_meter(self, painter: QPainter) -> None:
        """What a picture takes, against what it may at sixty a second."""
        box = QRectF(self.width() - 276, 16, 260, 10)
        painter.setPen(QPen(_BONE, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(box)
        x, whole = box.left(), box.width() / (2 * FRAME)
        for taken, colour in ((self.loop.step_time, _GLASS), (self.loop.draw_time, _EMBER)):
            wide = min(taken * whole, box.right() - x)
            painter.fillRect(QRectF(x, box.top() + 1, wide, box.height() - 1), colour)
            x += wide
        middle = box.center().x()
        painter.drawLine(QPointF(middle, box.top() - 3), QPointF(middle, box.bottom() + 3))
        said = f"step {self.loop.step_time:.1f} ms · draw {self.loop.draw_time:.0f} ms of {FRAME:.1f} · {self.loop.alive} alive"
        self._text(painter, box.left(), box.bottom() + 18, said)

    def _paint_names(self, painter: QPainter) -> None:
        playing = [each.name for each in self.game.playing]
        for i, name in enumerate(sorted(self.game.loaded)[:9]):
            count = playing.count(name)
            told = f"{i + 1}  {name}" + (f"  × {count}" if count else "")
            self._text(painter, 16, 26 + 18 * i, told, _EMBER if count else _BONE)

    def _paint_lines(self, painter: QPainter) -> None:
        port = f" · events on {self.wire.port}" if self.wire is not None else ""
        self._text(painter, 16, self.height() - 14, HELP + port)
        for i, line in enumerate(reversed(list(self.game.told.lines)[-4:])):
            self._text(painter, 16, self.height() - 40 - 18 * i, line[:150], _GLASS)

    def closeEvent(self, event) -> None:
        self._walking.stop()
        self.loop.end()
        event.accept()


def digit_of(event: QKeyEvent) -> int | None:
    """The digit of a key from 1 to 9, whatever is held with it; None for another key."""
    for key in (event.key(), event.nativeVirtualKey()):
        if Qt.Key.Key_1 <= key <= Qt.Key.Key_9:
            return key - Qt.Key.Key_0
    # With Shift a digit's key says its sign; its place on the keyboard stays (X11 and evdev: 10 to 18).
    code = event.nativeScanCode()
    return code - 9 if 10 <= code <= 18 else None
