"""The checks at work: a thread of its own, so that no picture waits for it. The newest effect wins."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.model import Effect
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.checks.finding import Finding
from pale_ember.core.insight.checks.known import Drawn, Known, Memo
from pale_ember.core.insight.checks.rules import checking
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.simulate.track import Stopped
from pale_ember.draw.context import NoOpenGL
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.small import small_pictures
from pale_ember.machine.log import unforeseen

SETTLED = 0.15
"""Seconds after an edit before it is checked: while a hand is at it there is nothing to say."""

MODESTY = 9
"""How far it stands back behind the window and the stage, as `nice` counts."""


class Checker(QObject):
    """Checks whatever effect it was given last."""

    checked = pyqtSignal(object, object)
    """(an effect, all that was found in it)."""
    failed = pyqtSignal(str)

    def __init__(
        self, pictures: Callable[[str], np.ndarray], meshes: Callable[[str], Mesh], densities: Callable[[str], Any],
        faults: Callable[[], dict[str, str]],
    ) -> None:  # fmt: skip
        super().__init__()
        self._pictures, self._meshes, self._densities, self._faults = pictures, meshes, densities, faults
        self._wake = threading.Condition()
        self._effect: Effect | None = None
        self._anew = False
        """Whether what was made of files before is not used."""
        self._memo: Memo = {}
        self._stop = False
        self._thread = threading.Thread(target=self._run, name="pale-ember-checker", daemon=True)

    def check(self, effect: Effect, *, anew: bool = False) -> None:
        """Checks an effect as soon as it rests; begins by itself at the first. anew : files changed outside."""
        with self._wake:
            self._effect, self._anew = effect, self._anew or anew
            self._wake.notify()
        if not self._thread.is_alive() and not self._stop:
            self._thread.start()

    def stop(self) -> None:
        with self._wake:
            self._stop = True
            self._wake.notify()
        if self._thread.is_alive():
            self._thread.join(timeout=60)

    def _waits(self) -> bool:
        """Whether what is being checked is no longer wanted."""
        return self._stop or self._effect is not None

    def _run(self) -> None:
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), MODESTY)
        try:
            with offscreen(self._pictures, self._meshes) as renderer:
                self._loop(small_pictures(renderer))
        except NoOpenGL:
            self._loop(None)

    def _loop(self, drawn: Drawn | None) -> None:
        timeline: Timeline | None = None
        while True:
            with self._wake:
                while self._effect is None and not self._stop:
                    self._wake.wait()
                # Whatever comes meanwhile begins the wait anew.
                while not self._stop and self._wake.wait(timeout=SETTLED):
                    pass
                if self._stop:
                    return
                effect, self._effect = self._effect, None
                timeline, self._anew = None if self._anew else timeline, False
            if effect is None:
                continue
            try:
                if timeline is None:
                    timeline = Timeline(effect, self._meshes, self._densities, stopped=self._waits)
                else:
                    timeline.update(effect)
                self._check(effect, timeline, drawn)
            except Stopped:
                timeline = None
            except Exception as error:  # noqa: BLE001 - told, and the next effect finds a fresh start
                timeline = None
                if not self._stop:
                    self.failed.emit(unforeseen(error))

    def _check(self, effect: Effect, timeline: Timeline, drawn: Drawn | None) -> None:
        found: list[Finding] = []
        for so_far in checking(Known(effect, timeline, self._pictures, drawn, self._faults, self._memo)):
            if self._waits():
                return
            found = so_far
        if not self._stop:
            self.checked.emit(effect, found)
