"""Following one particle: picked on the stage, its way drawn there."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QObject, QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from pale_ember.core.insight.particle_story import FollowedParticle, ParticleEvent, probed, story_of, tale_of, way_of
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import View
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import paint_lit
from pale_ember.studio.kit.tasks import Task

_NEAR = 12.0
"""Pixels within which a small particle is picked."""
_LINE = 15
"""Pixels from line to line of what happens to it."""
_AFTER = 250
"""Milliseconds after an edit before a way is told anew."""


def picked(frame: Frame, view: View, width: float, height: float, at: QPointF) -> FollowedParticle | None:
    """The particle under a point of the stage: the nearest to the eye of those whose middle is close enough."""
    best: tuple[float, FollowedParticle] | None = None
    pixels = height / (2 * view.half_height)
    for layer in frame.layers:
        if not layer.count or not layer.layer.shown:
            continue
        seen = view.project(layer.position, width, height)
        away = np.hypot(seen[:, 0] - at.x(), seen[:, 1] - at.y())
        reach = np.maximum(0.25 * layer.size[:, 0] * pixels / np.maximum(seen[:, 2], 0.05), _NEAR)
        share = np.where((seen[:, 2] > 0) & (layer.colour[:, 3] > 0.01) & (away <= reach), away / reach, math.inf)
        row = int(share.argmin())
        if math.isfinite(share[row]) and (best is None or share[row] < best[0]):
            best = float(share[row]), FollowedParticle.of(layer, row)
    return best[1] if best is not None else None


class Follower(QObject):
    """Knows the way of the particle that is followed."""

    came = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.way = np.zeros((0, 3))
        self.tale: list[ParticleEvent] = []
        """What happens to it, from its birth to its end."""
        self._task: Task | None = None
        self._frame: Frame | None = None
        self._again = QTimer(self, singleShot=True, interval=_AFTER)
        self._again.timeout.connect(self._ask)
        desk.document.changed.connect(lambda: self._again.start())

    def layer_in(self, frame: Frame) -> tuple[LayerFrame, int] | None:
        """The layer of the particle that is followed and its row, where it lives in a Frame."""
        followed = self.desk.looking.followed
        for layer in frame.layers:
            if followed is not None and followed.is_of(layer):
                row = followed.within(layer)
                return (layer, row) if row is not None else None
        return None

    def follow(self, followed: FollowedParticle | None, frame: Frame) -> None:
        """Follows a particle, or none."""
        self.desk.looking.follow(followed)
        self.way, self.tale, self._frame = np.zeros((0, 3)), [], frame
        held = self.layer_in(frame)
        if held is not None:
            self.desk.select(held[0].layer.id)
            self.desk.hinted.emit(story_of(self.desk.effect, held[0].layer, *held), None)
            self._ask()

    def step(self, by: int, frame: Frame | None) -> None:
        """Follows the one born after, or before."""
        held = self.layer_in(frame) if frame is not None else None
        if held is not None and frame is not None:
            layer, row = held
            row = (row + by) % layer.count
            self.follow(FollowedParticle.of(layer, row), frame)

    def show_frame(self, frame: Frame) -> None:
        """Takes the Frame that is shown now."""
        self._frame = frame

    def _ask(self) -> None:
        """Has the way told away from the window."""
        followed, frame = self.desk.looking.followed, self._frame
        held = self.layer_in(frame) if frame is not None else None
        if followed is None or held is None or frame is None:
            return
        if self._task is not None:
            self._again.start()
            return
        layer, row = held
        age, life, moment, effect = float(layer.age[row]), float(layer.life[row]), frame.time, frame.effect
        mesh, density = self.desk.shelf_mesh, self.desk.shelf_density

        def tell(_: object) -> tuple[FollowedParticle, np.ndarray, list[ParticleEvent]]:
            timeline = Timeline(probed(effect, followed.layer), mesh, density)
            way = way_of(timeline, followed, moment, age, life)
            return followed, way, tale_of(effect, timeline, followed, moment, age, life, mesh)

        self._task = Task(tell, name="follower")
        self._task.done.connect(self._told)
        self._task.failed.connect(lambda _: self._rest())
        self._task.start()

    def _rest(self) -> None:
        self._task = None

    def _told(self, result: tuple[FollowedParticle, np.ndarray, list[ParticleEvent]]) -> None:
        self._rest()
        if result[0] == self.desk.looking.followed:
            _, self.way, self.tale = result
            self.came.emit()

    def stop(self) -> None:
        """Waits for what is being told."""
        if self._task is not None:
            self._task.wait()
            self._rest()

    def paint(self, painter: QPainter, frame: Frame, view: View, width: float, height: float) -> None:
        """Paints the way, and where the particle is on it."""
        held = self.layer_in(frame)
        if held is None:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if len(self.way) > 1:
            seen = view.project(self.way, width, height)
            line = QPolygonF([QPointF(x, y) for x, y, depth in seen.tolist() if depth > 0])
            painter.setPen(QPen(theme.with_alpha(theme.Lit.GLASS, 0.8), 1.2))
            painter.drawPolyline(line)
            if not line.isEmpty():
                painter.drawEllipse(line.first(), 2.5, 2.5)
        layer, row = held
        x, y, depth = view.project(layer.position[row], width, height)[0].tolist()
        if depth > 0:
            painter.setPen(QPen(theme.Lit.BONE, 1.4))
            painter.drawEllipse(QPointF(x, y), 7, 7)
            painter.setFont(theme.font(theme.SMALL))
            age, life = float(layer.age[row]), float(layer.life[row])
            self._paint_tale(painter, x, y, f"{age * life:.2f} of {life:.2f} s", frame.time)
        self._paint_touches(painter, view, width, height)

    def _paint_tale(self, painter: QPainter, x: float, y: float, now: str, moment: float) -> None:
        """Paints beside the particle how old it is and what happens to it; what is still to come is dimmer."""
        born = self.tale[0].at if self.tale else 0.0
        lines = [(now, True), *((f"{each.at - born:.2f} s  {each.told}", each.at <= moment) for each in self.tale[1:])]
        for i, (text, past) in enumerate(lines):
            box = QRectF(x + 11, y - 9 + _LINE * i, 260, 18)
            paint_lit(painter, box, Qt.AlignmentFlag.AlignVCenter, text, theme.Lit.BONE if past else theme.Lit.ASH)

    def _paint_touches(self, painter: QPainter, view: View, width: float, height: float) -> None:
        """Marks on its way where it touches something."""
        touches = [each.where for each in self.tale if each.touches]
        if touches:
            painter.setPen(QPen(theme.Lit.GLASS, 1.2))
            painter.setBrush(theme.Lit.FLOOR)
            for x, y, depth in view.project(np.array(touches), width, height).tolist():
                if depth > 0:
                    painter.drawEllipse(QPointF(x, y), 3.0, 3.0)
