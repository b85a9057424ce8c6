"""What is painted over the stage's picture: marks, what is pointed at, the followed particle, shape and handles."""

from __future__ import annotations

from typing import Protocol

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.model import Layer
from pale_ember.core.insight.predicted_paths import PredictedPaths
from pale_ember.core.view import View
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.cached_painting import ById, CachedPainting
from pale_ember.studio.stage import divider, reference_overlay, shape_overlay
from pale_ember.studio.stage.follower import Follower
from pale_ember.studio.stage.handles import Screen
from pale_ember.studio.stage.layer_handles import LayerStand, anchors_of, handles_of_stage
from pale_ember.studio.stage.moment_overlays import MomentOverlays
from pale_ember.studio.stage.worker import Answer


class Pictured(Protocol):
    """A stage as far as it is painted over."""

    desk: Desk
    answer: Answer | None
    reach: tuple[str, PredictedPaths] | None
    follower: Follower
    late: str

    def view(self) -> View: ...
    def screen_now(self) -> Screen: ...
    def stand_of(self, layer: Layer) -> LayerStand: ...
    def width(self) -> int: ...
    def height(self) -> int: ...
    def rect(self) -> QRect: ...
    def underMouse(self) -> bool: ...


PLAYING = 0.4
"""How much is seen of shape and handles while time runs."""


class StageOverlay:
    """Paints over the picture of a stage. What the handles look like is kept until something of it moves."""

    def __init__(self, stage: Pictured, widget: QWidget) -> None:
        self.stage, self.desk = stage, stage.desk
        self._still = CachedPainting(widget)

    def paint(self, painter: QPainter, active: str, *, dragged: bool) -> None:
        """active : the handle that the pointer is on. dragged : whether something is in the hand."""
        answer, looking = self.stage.answer, self.desk.looking
        divided = reference_overlay.divides(self.desk.reference) and (answer is None or answer.beside is None)
        if answer is not None:
            if answer.beside is None:
                reference_overlay.paint(
                    painter, self.desk.reference, answer.request.moment, looking.share, self.stage.width(), self.stage.height()
                )
            layer = self.desk.layer
            if looking.overlays:
                self._paint_marks(painter, answer, layer)
            if looking.followed is not None:
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                self.stage.follower.paint(painter, answer.frame, *self._seen())
            if looking.overlays and layer is not None and "shape" in looking.marks:
                self._paint_handles(painter, layer, active, dragged)
            if looking.overlays and looking.staged:
                listed = handles_of_stage(self.desk.effect, self.desk.player.moment)
                shape_overlay.paint_stage(painter, listed, self.stage.screen_now(), active)
            if answer.beside is not None:
                divider.paint(painter, answer.beside.share, self.stage.width(), self.stage.height(), looking.beside_name)
            elif divided:
                divider.paint(painter, looking.share, self.stage.width(), self.stage.height(), "reference")
        if self.stage.late:
            painter.setPen(theme.Lit.ASH if answer is None else theme.Lit.GLASS)
            below = Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignBottom
            lies = Qt.AlignmentFlag.AlignCenter if answer is None else below
            painter.drawText(self.stage.rect().adjusted(0, 0, 0, -12), lies, self.stage.late)
        if not self.desk.effect.layers:
            painter.setPen(theme.Lit.ASH)
            text = "An empty stage. Add a layer with + on the right."
            painter.drawText(self.stage.rect(), Qt.AlignmentFlag.AlignCenter, text)

    def _seen(self) -> tuple:
        return self.stage.view(), self.stage.width(), self.stage.height()

    def _paint_marks(self, painter: QPainter, answer: Answer, layer: Layer | None) -> None:
        looking, known = self.desk.looking, self.stage.reach
        reach = known[1] if known is not None and known[0] == self.desk.selection else None
        marks = MomentOverlays(painter, *self._seen())
        marks.paint(looking.marks, self.desk.effect, layer, answer.frame, reach)
        if layer is not None:
            marks.neighbours(answer.around, layer.id, answer.frame.time)
        # What is pointed at here is seen anyway: only its row is marked.
        if looking.pointed and not self.stage.underMouse():
            marks.point_at(answer.frame, looking.pointed)

    def _paint_handles(self, painter: QPainter, layer: Layer, active: str, dragged: bool) -> None:
        """The selected layer's shape, aim and handles, and the anchors it hangs on."""
        stand, screen, looking = self.stage.stand_of(layer), self.stage.screen_now(), self.desk.looking
        hangs_on = handles_of_stage(self.desk.effect, self.desk.player.moment, anchors_of(layer))
        parts = (layer.outlet, layer.birth, layer.look.beam, layer.places, layer.forces)
        where = tuple(handle.origin.tobytes() for handle in hangs_on)
        key = (
            *(ById(part) for part in parts), layer.look.drawn_as, layer.turn, layer.place, looking.axes,
            ById(looking.camera), active, stand.key(), where,
        )  # fmt: skip

        def draw(inner: QPainter) -> None:
            shape_overlay.paint(inner, stand, screen, active, self.desk.shelf_mesh, looking.axes)
            if not looking.staged:
                shape_overlay.paint_stage(inner, hangs_on, screen, active)

        # While it plays, the picture counts.
        painter.setOpacity(PLAYING if self.desk.player.playing and not dragged else 1.0)
        self._still.paint(painter, key, draw)
        painter.setOpacity(1.0)
