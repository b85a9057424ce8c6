"""Marks that explain the moment: births, paths, velocities, touches, bounds, strips, links, the carrier's way."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.insight.predicted_paths import PredictedPaths
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.poses import Poses, carrier_frames
from pale_ember.core.view import View
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import paint_lit

_MOST_ARROWS = 160
_MOST_RINGS = 120
"""Particles that are marked at most."""
_SHUTTER = 0.06
"""Seconds of its way that a velocity's line shows."""


class MomentOverlays:
    """Paints marks over a picture of this size, seen from this view."""

    def __init__(self, painter: QPainter, view: View, width: float, height: float) -> None:
        self.painter, self.view, self.size = painter, view, (width, height)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)

    def paint(
        self, kinds: frozenset[str], effect: Effect, layer: Layer | None, frame: Frame | None, reach: PredictedPaths | None
    ) -> None:
        """All marks of these kinds for the selected layer."""
        mine = None
        if frame is not None and layer is not None:
            mine = next((shown for shown in frame.layers if shown.layer.id == layer.id), None)
        if "carrier" in kinds:
            self._carrier(effect, frame.time if frame is not None else 0.0)
        if reach is not None:
            if "births" in kinds:
                self._dots(reach.births, theme.with_alpha(theme.Lit.EMBER, 0.7), 1.6)
            if "paths" in kinds:
                for path in reach.paths:
                    self._line(path, theme.with_alpha(theme.Lit.GLASS, 0.42), 1.0)
                    self._dots(path[-1:], theme.with_alpha(theme.Lit.GLASS, 0.9), 2.0)
            if "touches" in kinds:
                self._dots(reach.touches, theme.Lit.BONE, 2.0)
                for place, normal in zip(reach.touches, reach.normals, strict=True):
                    self._line(np.stack([place, place + 0.14 * normal]), theme.with_alpha(theme.Lit.BONE, 0.8), 1.2)
        if mine is not None and "velocity" in kinds and mine.count:
            self._velocities(mine)
        if mine is not None and "strips" in kinds and mine.strips is not None:
            for first, last in zip(mine.strips.first[:-1], mine.strips.first[1:], strict=True):
                self._line(mine.strips.point[first:last], theme.with_alpha(theme.Lit.GLASS, 0.9), 1.2)
                self._dots(mine.strips.point[first:last], theme.with_alpha(theme.Lit.GLASS, 0.9), 1.3)
        if mine is not None and "bounds" in kinds and (mine.count or mine.strips is not None):
            self._bounds(mine)
        if "links" in kinds and frame is not None:
            self._links(effect, frame)

    def neighbours(self, frames: Sequence[Frame], identity: str, now: float) -> None:
        """Marks where a layer's particles were and will be: fainter the farther away, those to come in another colour."""
        for frame in frames:
            away = frame.time - now
            faint = 0.6 / (1.0 + 8.0 * abs(away))
            for layer in frame.layers:
                if layer.layer.id == identity and layer.count:
                    some = slice(None, None, max(1, layer.count // _MOST_RINGS))
                    colour = theme.Lit.GLASS if away > 0 else theme.Lit.EMBER
                    self._dots(layer.position[some], theme.with_alpha(colour, faint), 1.6)

    def point_at(self, frame: Frame, identity: str) -> None:
        """Marks some of a layer's particles, each with a ring of its size."""
        for layer in frame.layers:
            if layer.layer.id == identity and layer.count:
                some = slice(None, None, max(1, layer.count // _MOST_RINGS))
                pixels = self.size[1] / (2 * self.view.half_height)
                self.painter.setPen(QPen(theme.with_alpha(theme.Lit.GLASS, 0.75), 1))
                self.painter.setBrush(Qt.BrushStyle.NoBrush)
                seen = self._seen(layer.position[some])
                for (x, y, depth), size in zip(seen.tolist(), layer.size[some, 0].tolist(), strict=True):
                    if depth > 0.05:
                        reach = min(max(0.25 * size * pixels / depth, 1.5), 40.0)
                        self.painter.drawEllipse(QPointF(x, y), reach, reach)

    # Pieces ----------------------------------------------------------------------------------------------------

    def _seen(self, points: np.ndarray) -> np.ndarray:
        return self.view.project(np.asarray(points, float), *self.size)

    def _line(self, points: np.ndarray, colour: QColor, width: float, dash: bool = False) -> None:
        pen = QPen(colour, width)
        if dash:
            pen.setDashPattern([4, 4])
        self.painter.setPen(pen)
        self.painter.setBrush(Qt.BrushStyle.NoBrush)
        run: list[QPointF] = []
        for x, y, depth in self._seen(points):
            if depth > 0.05 and abs(x) < 1e5 and abs(y) < 1e5:
                run.append(QPointF(x, y))
            elif run:
                self.painter.drawPolyline(QPolygonF(run))
                run = []
        if run:
            self.painter.drawPolyline(QPolygonF(run))

    def _dots(self, points: np.ndarray, colour: QColor, radius: float) -> None:
        self.painter.setPen(Qt.PenStyle.NoPen)
        self.painter.setBrush(colour)
        for x, y, depth in self._seen(points):
            if depth > 0.05 and -20 < x < self.size[0] + 20 and -20 < y < self.size[1] + 20:
                self.painter.drawEllipse(QPointF(x, y), radius, radius)

    def _text(self, at: np.ndarray, text: str, colour: QColor, lower: float = 0.0) -> None:
        x, y, depth = self._seen(at)[0]
        if depth > 0.05:
            self.painter.setFont(theme.font(theme.SMALL))
            paint_lit(self.painter, QRectF(x - 140, y - 22 + lower, 280, 16), Qt.AlignmentFlag.AlignCenter, text, colour)

    def _velocities(self, layer: LayerFrame) -> None:
        step = max(1, layer.count // _MOST_ARROWS)
        colour = theme.with_alpha(theme.Lit.GLASS, 0.75)
        heads, tails = layer.position[::step], layer.position[::step] - _SHUTTER * layer.velocity[::step]
        for head, tail in zip(heads, tails, strict=True):
            self._line(np.stack([tail, head]), colour, 1.0)
        self._dots(heads, colour, 1.5)

    def _bounds(self, layer: LayerFrame) -> None:
        if layer.strips is not None and len(layer.strips.point):
            places, half = layer.strips.point.astype(float), 0.5 * layer.strips.width[:, None].astype(float)
        else:
            places, half = (layer.position.astype(float), 0.5 * layer.size[:, :2].max(axis=1, keepdims=True).astype(float))
        low, high = (places - half).min(axis=0), (places + half).max(axis=0)
        corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        colour = theme.with_alpha(theme.Lit.ASH, 0.9)
        for a, b in ((0, 1), (0, 2), (0, 4), (1, 3), (1, 5), (2, 3), (2, 6), (3, 7), (4, 5), (4, 6), (5, 7), (6, 7)):
            self._line(corners[[a, b]], colour, 1.0)
        wide, high_, deep = high - low
        top = np.array([[0.5 * (low[0] + high[0]), high[1], 0.5 * (low[2] + high[2])]])
        self._text(top, f"{wide:.2f} × {high_:.2f} × {deep:.2f} m", theme.Lit.ASH)

    def _links(self, effect: Effect, frame: Frame) -> None:
        middle = {shown.layer.id: shown.position.mean(axis=0) for shown in reversed(frame.layers) if shown.count}
        poses = Poses(effect)
        times = np.array([frame.time * effect.tempo])
        for parent in effect.layers:
            for row, rule in enumerate(parent.offspring.rules):
                child = layer_of(effect, rule.layer)
                if child is None:
                    continue
                ends = [middle.get(shown.id, poses.layer(shown, times).place[0]) for shown in (parent, child)]
                self._line(np.array(ends), theme.with_alpha(theme.Lit.EMBER, 0.8), 1.2, dash=True)
                self._dots(np.array(ends[1:]), theme.Lit.EMBER, 3.0)
                told = f"{parent.name} {rule.when} → {child.name}"
                self._text(np.mean(ends, axis=0)[None], told, theme.Lit.BONE, 16 * row)

    def _carrier(self, effect: Effect, time: float) -> None:
        carrier = effect.stage.carrier
        poses, now = Poses(effect), np.array([time * effect.tempo])
        if carrier.moves != "still":
            span = carrier.period if carrier.moves != "keys" else effect.duration
            times = np.linspace(0, span, 97)
            way = carrier_frames(carrier, times[:-1], poses.looped(times[:-1])).place
            self._line(way, theme.with_alpha(theme.Lit.BONE, 0.5), 1.0, dash=True)
        for anchor in effect.stage.anchors:
            frames = poses.thing(anchor, now)
            place, up = frames.place[0], frames.turn[0][:, 1]
            self._line(np.stack([place, place + 0.18 * up]), theme.with_alpha(theme.Lit.BONE, 0.7), 1.2)
            self._dots(place[None], theme.Lit.BONE, 2.2)
            self._text(place[None], anchor.name, theme.Lit.ASH)
