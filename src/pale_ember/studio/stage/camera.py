"""The camera in the hand: turned, moved, brought nearer, framed on what is alive."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.model import Camera
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.view import framed, view_of
from pale_ember.studio.document.view_settings import ViewSettings

_FAINT = 0.03
"""Opacity below which a particle is not looked for when the effect is framed."""
_TURN = 0.35
"""Degrees for each pixel."""


class CameraHand(QObject):
    """Moves the camera of a view, as a hand on its picture does."""

    moving = pyqtSignal()
    """The camera is about to move."""

    def __init__(self, stage: QWidget, looking: ViewSettings) -> None:
        super().__init__(stage)
        self._stage, self._looking = stage, looking

    def _look_from(self, camera: Camera) -> None:
        self.moving.emit()
        self._looking.look_from(camera)

    def orbit(self, dx: float, dy: float) -> None:
        """Goes round what is looked at, by so many pixels."""
        camera = self._looking.camera
        pitch = min(max(camera.pitch + dy * _TURN, -89.0), 89.0)
        self._look_from(replace(camera, heading=(camera.heading - dx * _TURN + 180) % 360 - 180, pitch=pitch))

    def pan(self, dx: float, dy: float) -> None:
        """Moves what is looked at along with the pointer."""
        height = max(self._stage.height(), 1)
        view = view_of(self._looking.camera, max(self._stage.width(), 1), height)
        metres = 2 * view.half_height * view.camera.distance / height
        target = np.array(view.camera.target) - view.right * dx * metres + view.up * dy * metres
        self._look_from(replace(view.camera, target=tuple(target.tolist())))

    def zoom(self, factor: float) -> None:
        """Goes nearer or farther by a factor."""
        camera = self._looking.camera
        self._look_from(replace(camera, distance=min(max(camera.distance * factor, 0.05), 5000.0)))

    def frame(self, frame: Frame | None, alone: str = "") -> None:
        """Moves the camera so that everything alive, or of one layer, is well in the picture."""
        if frame is None:
            return
        layers = [layer for layer in frame.layers if layer.count and alone in ("", layer.layer.id)]
        if not layers:
            self._look_from(self._looking.first_camera())
            return
        places = np.concatenate([layer.position for layer in layers]).astype(float)
        half = np.concatenate([0.5 * layer.size.max(axis=1) for layer in layers]).astype(float)
        seen = np.concatenate([(layer.colour[:, 3] > _FAINT) & (layer.size[:, 0] > 0) for layer in layers])
        low, high = np.percentile(places, 3, axis=0), np.percentile(places, 97, axis=0)
        room = 0.1 * (high - low) + 1e-6
        near = seen & ((places >= low - room) & (places <= high + room)).all(axis=1)
        near = near if near.any() else np.ones(len(places), bool)
        aspect = self._stage.width() / max(self._stage.height(), 1)
        self._look_from(framed(self._looking.camera, places[near], half[near], aspect))
