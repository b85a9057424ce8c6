"""A thread of its own for what is always at work beside the window, with a renderer of its own."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.geometry.mesh import Mesh
from pale_ember.draw.context import NoOpenGL
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Renderer
from pale_ember.machine.log import unforeseen


class Working(QObject):
    """Runs `_loop(renderer)` on a thread from its start until it is stopped; nothing is told after that.

    modesty : how far it stands back behind the window, as `nice` counts. Whoever derives from it gives the loop, which
    waits on `_wake` for what it is asked, and ends where `_stop` is set.
    """

    failed = pyqtSignal(str)
    """Something went wrong, in a sentence; the work goes on."""

    def __init__(
        self, name: str, modesty: int, pictures: Callable[..., np.ndarray], meshes: Callable[[str], Mesh],
        densities: Callable[[str], Any], *, draws: bool = True,
    ) -> None:  # fmt: skip
        super().__init__()
        self._pictures, self._meshes, self._densities, self._draws = pictures, meshes, densities, draws
        self._modesty = modesty
        self._wake = threading.Condition()
        self._stop = False
        self._thread = threading.Thread(target=self._run, name=f"pale-ember-{name}", daemon=True)

    def start(self) -> None:
        """Begins, unless it has."""
        if not self._thread.is_alive() and not self._stop:
            self._thread.start()

    def stop(self) -> None:
        """Ends the thread, whatever it is at, and gives back its context."""
        with self._wake:
            self._stop = True
            self._wake.notify()
        if self._thread.is_alive():
            self._thread.join(timeout=60)

    def _say(self, signal: Any, *told: object) -> None:
        """Tells of something, unless the window is leaving."""
        if not self._stop:
            signal.emit(*told)

    def _run(self) -> None:
        # The window comes first. Where the processor draws, its threads are made from this one and are as modest.
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), self._modesty)
        try:
            if self._draws:
                with offscreen(self._pictures, self._meshes) as renderer:
                    self._loop(renderer)
                return
        except NoOpenGL as error:
            self._say(self.failed, str(error))
        except Exception as error:  # noqa: BLE001 - without its renderer it still does all the rest
            self._say(self.failed, unforeseen(error))
        self._loop(None)

    def _loop(self, renderer: Renderer | None) -> None:
        raise NotImplementedError
