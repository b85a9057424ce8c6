"""The stage's picture drawn inside the window, for machines whose graphics card draws it at once."""

from __future__ import annotations

import time
from collections.abc import Callable

import moderngl
import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QSurfaceFormat
from PyQt6.QtOpenGLWidgets import QOpenGLWidget

from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.view import view_of
from pale_ember.draw.renderer import Renderer
from pale_ember.draw.shared import SharedContext
from pale_ember.studio.kit.painting import paint_whole
from pale_ember.studio.stage.worker import Answer


class WindowSurface(QOpenGLWidget):
    """Draws the newest Frame with the same renderer, in Qt's own context."""

    painted = pyqtSignal(object)
    """The picture is drawn; the painter given is for what lies over it."""

    def __init__(self, pictures: Callable[[str], np.ndarray], meshes: Callable[[str], Mesh]) -> None:
        super().__init__()
        wanted = QSurfaceFormat()
        wanted.setVersion(3, 3)
        wanted.setProfile(QSurfaceFormat.OpenGLContextProfile.CoreProfile)
        self.setFormat(wanted)
        self._pictures, self._meshes = pictures, meshes
        self._context: moderngl.Context | None = None
        self._renderer: Renderer | None = None
        self._shared: SharedContext | None = None
        self._answer: Answer | None = None
        self.draw_time = 0.0
        self.frames_drawn = 0

    def show_frame(self, answer: Answer) -> None:
        self._answer = answer
        self.update()

    def initializeGL(self) -> None:
        # Runs again when the widget finds itself in another window: everything begins anew in the new context.
        self._renderer = None
        self._context = moderngl.create_context(require=330)
        self._renderer = Renderer(self._context, self._pictures, meshes=self._meshes)
        self._shared = SharedContext(self._context)
        self.context().aboutToBeDestroyed.connect(self._release)

    def _release(self) -> None:
        if self._renderer is not None:
            self.makeCurrent()
            self._renderer.release()
            self._renderer = None
            self.doneCurrent()

    def paintGL(self) -> None:
        answer, ratio = self._answer, self.devicePixelRatioF()
        if answer is None or self._renderer is None or self._context is None or self._shared is None:
            return
        begin = time.perf_counter()
        self._shared.clean()
        width, height = max(round(self.width() * ratio), 1), max(round(self.height() * ratio), 1)
        target = self._context.detect_framebuffer(self.defaultFramebufferObject())
        target.viewport = 0, 0, width, height
        view, shot = view_of(answer.request.camera, width, height), answer.request.shot
        self._renderer.draw(answer.frame, view, shot, target)
        self._renderer.draw_beside(answer.beside, view, shot, target)
        self._context.finish()
        self.draw_time = time.perf_counter() - begin
        self.frames_drawn += 1
        self._shared.clean()
        paint_whole(self, self.painted.emit)
