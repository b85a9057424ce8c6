"""The one place where the window is wired together."""

from __future__ import annotations

import gc
import os
import sys
import threading
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QIcon
from PyQt6.QtWidgets import QApplication

from pale_ember import ASSETS
from pale_ember.core.effect.model import Effect
from pale_ember.draw.context import NoOpenGL, headless, is_software
from pale_ember.machine import desktop
from pale_ember.machine.error_log import unforeseen
from pale_ember.studio.document.history import Document
from pale_ember.studio.kit import appearance, theme
from pale_ember.studio.kit.settings import remember
from pale_ember.studio.kit.style import OwnIcons
from pale_ember.studio.shell.window import Workbench

DEMO = ASSETS / "demo" / "kiln-mouth.pale"


TURN = 0.001
"""Seconds after which a thread that computes in Python lets the window go on; by itself it would be five times that."""


def application() -> QApplication:
    """The Qt application, dressed."""
    sys.setswitchinterval(TURN)
    running = QApplication.instance()
    if not isinstance(running, QApplication):
        os.environ.setdefault("QT_SCALE_FACTOR", f"{appearance.text_size() / 100:g}")
        running = QApplication(["pale"])
        running.setApplicationName("Pale Ember")
        running.setDesktopFileName(desktop.ID)
        running.setStyle(OwnIcons())
        running.setWindowIcon(QIcon(str(ASSETS / "icons" / "pale-ember.svg")))
    theme.dress(running, appearance.dress())
    return running


def draws_in_window() -> bool:
    """Whether the stage is better drawn in the window: on a real graphics card and a platform that shows OpenGL.

    PALE_EMBER_STAGE=window or =worker decides otherwise.
    """
    wish = os.environ.get("PALE_EMBER_STAGE", "")
    if wish in ("window", "worker"):
        return wish == "window"
    if QGuiApplication.platformName() not in ("xcb", "wayland"):
        return False
    try:
        context = headless()
    except NoOpenGL:
        return False
    with context:
        software = is_software(context)
    context.release()
    return not software


class Unforeseen(QObject):
    """Errors that nobody expected, on any thread, must not end the program: each is logged and told in one sentence in
    the window's own thread, and the work is written aside."""

    told = pyqtSignal(str)

    def watch(self) -> None:
        """Logs and tells whatever nobody expected, on any thread, from now on."""
        sys.excepthook = lambda _kind, error, _trace: self._say(error)
        threading.excepthook = lambda hook: self._say(hook.exc_value)

    def _say(self, error: BaseException | None) -> None:
        if error is not None and not isinstance(error, (KeyboardInterrupt, SystemExit)):
            self.told.emit(unforeseen(error))


def workbench(effect: Effect, path: Path | None, *, in_window: bool | None = None) -> Workbench:
    """A Workbench with a document, ready to be shown."""
    window = Workbench(Document(effect, path), in_window=draws_in_window() if in_window is None else in_window)
    if path is not None:
        remember(path)
    return window


def _settle() -> None:
    """The program is there as it will stay, and is no longer gone through for garbage: each time would hold the window
    70 ms."""
    gc.freeze()
    gc.enable()


def run(effect: Effect, path: Path | None, prepare: Callable[[Workbench], None] = lambda window: None) -> int:
    """Opens the window and stays until it is closed. prepare : called with it before anybody sees it."""
    gc.disable()
    qt = application()
    window = workbench(effect, path)
    watcher = Unforeseen()
    watcher.told.connect(window.tell_unforeseen)
    watcher.watch()
    prepare(window)
    window.stage.shown.connect(_settle, type=Qt.ConnectionType.SingleShotConnection)  # type: ignore[call-arg]
    window.show()
    window.start()
    QTimer.singleShot(0, window.open.recovery)
    return qt.exec()


def screenshot(effect: Effect, path: Path | None, out: Path, size: tuple[int, int], at: float) -> None:
    """A picture of the window showing a moment, in full resolution. Raises OSError and TimeoutError."""
    import time

    qt = application()
    window = workbench(effect, path, in_window=False)
    window.resize(*size)
    window.show()
    window.start()
    window.desk.player.pause()
    window.desk.player.go_to(at)
    end = time.monotonic() + 60
    while time.monotonic() < end:
        qt.processEvents()
        time.sleep(0.005)
        answer = window.stage.answer
        known = window.layers.table.alive
        steps = round(effect.duration / effect.tempo * effect.steps)
        told = all(len(counts) >= steps for counts in known.values()) and len(known) == len(effect.layers)
        sharp = answer is not None and answer.request.scale == 1.0 and answer.request.moment == at
        if sharp and told and not window.stage.waiting:
            break
    else:
        window.end()
        raise TimeoutError("the stage was not drawn within a minute")
    qt.processEvents()
    shot = window.grab()
    window.end()
    window.deleteLater()
    if not shot.save(str(out), "PNG"):
        raise OSError(f"{out}: the picture could not be written; choose another place")
