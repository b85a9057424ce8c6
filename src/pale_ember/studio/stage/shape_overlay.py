"""What explains the stage: the selected layer's shape, aim, spread and place, drawn over the picture."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from pale_ember.core.effect.model import Layer
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.simulate.beams import bowing
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.core.simulate.timeline import built_in
from pale_ember.core.view import View
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import paint_lit
from pale_ember.studio.stage.handles import Handle, Screen, WayHandle, sideways
from pale_ember.studio.stage.layer_handles import LayerStand, aimed, handles, round_axes

_MOST_EDGES = 400
"""Edges of a mesh that are drawn."""

_MOST_ARROWS = 24
"""Faces of a mesh whose way out is shown."""

_AROUND = np.linspace(0, 2 * math.pi, 49)


def _circle(radius: float, height: float = 0.0, plane: str = "xz", arc: float = 2 * math.pi) -> np.ndarray:
    """(points, 3) m: a round, or a piece of it."""
    around = _AROUND * (arc / (2 * math.pi))
    a, b, c = radius * np.cos(around), np.full(around.shape, height), radius * np.sin(around)
    points = np.stack({"xz": (a, b, c), "xy": (a, c, b), "yz": (b, a, c)}[plane], axis=1)
    if arc < 2 * math.pi - 1e-6 and plane == "xz":
        middle = np.array([[0.0, height, 0.0]])
        points = np.concatenate([middle, points, middle])
    return points


def shape_lines(layer: Layer, mesh: Callable[[str], Mesh] = built_in) -> list[np.ndarray]:
    """The outlet's outline in the layer's own axes: polylines (n, 3), metres."""
    outlet = layer.outlet
    turn = turn_matrix(outlet.shape_turn).astype(float)
    return [(line * np.array(outlet.stretch)) @ turn.T + np.array(outlet.offset) for line in _plain_lines(layer, mesh)]


def _spokes(low: float, high: float, height: float, arc: float) -> list[np.ndarray]:
    """Lines from a round at the foot to one at a height. (2, 3) m each."""
    return [
        np.array([[math.cos(a) * low, 0, math.sin(a) * low], [math.cos(a) * high, height, math.sin(a) * high]])
        for a in np.linspace(0, arc, 5)[:4]
    ]


def _plain_lines(layer: Layer, mesh: Callable[[str], Mesh]) -> list[np.ndarray]:
    """The outline before it is stretched, turned and moved. (points, 3) m each."""
    outlet, r = layer.outlet, layer.outlet.radius
    arc = math.radians(outlet.arc)
    if outlet.shape == "line":
        half = 0.5 * outlet.length
        return [np.array([[-half, 0, 0], [half, 0, 0]])]
    if outlet.shape == "disc":
        inner = r * (1 - outlet.fill)
        return [_circle(r, arc=arc)] + ([_circle(inner, arc=arc)] if 0 < outlet.fill < 1 else [])
    if outlet.shape == "sphere":
        return [_circle(r, arc=arc), _circle(r, plane="xy"), _circle(r, plane="yz")]
    if outlet.shape == "hemisphere":
        return [_circle(r, arc=arc), _dome(r), _dome(r)[:, [2, 1, 0]]]
    if outlet.shape == "box":
        x, y, z = (0.5 * part for part in outlet.extent)
        floor = np.array([[-x, -y, -z], [x, -y, -z], [x, -y, z], [-x, -y, z], [-x, -y, -z]])
        roof = floor + [0, 2 * y, 0]
        return [floor, roof, *(np.stack([floor[i], roof[i]]) for i in range(4))]
    if outlet.shape == "cone":
        top = r + outlet.length * math.tan(math.radians(outlet.opening))
        sides = _spokes(r, top, outlet.length, arc)
        return [_circle(r, arc=arc), *([_circle(top, outlet.length, arc=arc), *sides] if outlet.length > 0 else [])]
    if outlet.shape == "cylinder":
        return [_circle(r, arc=arc), _circle(r, outlet.length, arc=arc), *_spokes(r, r, outlet.length, arc)]
    if outlet.shape == "torus":
        rings = [_circle(r + outlet.tube, arc=arc), _circle(max(r - outlet.tube, 0.0), arc=arc)]
        around = [
            _circle(outlet.tube, plane="xy") @ np.array([[math.cos(a), 0, math.sin(a)], [0, 1, 0], [-math.sin(a), 0, math.cos(a)]])
            + r * np.array([math.cos(a), 0, math.sin(a)])
            for a in np.linspace(0, arc, 7)[:6]
        ]
        return rings + around
    if outlet.shape == "mesh":
        solid = mesh(outlet.mesh)
        edges = solid.edges()
        return list(solid.points[edges[:: max(1, len(edges) // _MOST_EDGES)]])
    return [np.array([[-0.05, 0, 0], [0.05, 0, 0]]), np.array([[0, 0, -0.05], [0, 0, 0.05]])]


def _dome(radius: float) -> np.ndarray:
    """A half round over the top, seen from the side. (points, 3) m."""
    angles = np.linspace(0, math.pi, 25)
    return radius * np.stack([np.zeros_like(angles), np.sin(angles), np.cos(angles)], axis=1)


def aim_lines(layer: Layer, mesh: Callable[[str], Mesh] = built_in) -> list[np.ndarray]:
    """Arrows where births head, and the edges of their spread, in the layer's own axes. (points, 3) m each."""
    outlet = layer.outlet
    reach = aimed(layer)
    if outlet.aim == "anywhere":
        ways = [np.array(way, float) for way in ((1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1))]
        return [np.stack([np.zeros(3), way * reach * 0.6]) for way in ways]
    if outlet.aim in ("towards point", "away from point"):
        point = np.array(outlet.point, float)
        cross = [np.stack([point - 0.06 * axis, point + 0.06 * axis]) for axis in np.eye(3)]
        around = _circle(max(outlet.radius, 0.1))[:-1:6]
        ways = [point - start if outlet.aim == "towards point" else start - point for start in around]
        units = [way / max(np.linalg.norm(way), 1e-9) * reach * 0.5 for way in ways]
        return [*cross, *(np.stack([start, start + way]) for start, way in zip(around, units, strict=True))]
    if outlet.aim == "along surface":
        up = np.array(outlet.axis, float)
        around = _circle(max(outlet.radius, 0.1))[:-1:6]
        ways = [np.cross(up, start) for start in around]
        units = [way / max(np.linalg.norm(way), 1e-9) * reach * 0.5 for way in ways]
        return [np.stack([start, start + way]) for start, way in zip(around, units, strict=True)]
    if outlet.aim == "outward" and outlet.shape == "mesh":
        body = mesh(outlet.mesh)
        every = max(1, len(body.faces) // _MOST_ARROWS)
        turn, stretch = turn_matrix(outlet.shape_turn).astype(float), np.array(outlet.stretch)
        starts = (body.corners().mean(axis=1)[::every] * stretch) @ turn.T + np.array(outlet.offset)
        outward = (body.normals()[::every] / np.maximum(stretch, 1e-9)) @ turn.T
        outward = outward / np.maximum(np.linalg.norm(outward, axis=1, keepdims=True), 1e-9)
        return [*np.stack([starts, starts + outward * reach * 0.4], axis=1)]
    if outlet.aim == "outward" and outlet.shape not in ("point", "line", "mesh"):
        drawn = []
        lean = math.tan(math.radians(outlet.opening))
        for a in np.linspace(0, 2 * math.pi, 9)[:8]:
            flat = np.array([math.cos(a), 0.0, math.sin(a)])
            way = flat if outlet.shape != "cone" else np.array([flat[0] * lean, 1.0, flat[2] * lean])
            start = flat * (outlet.radius if outlet.shape != "box" else 0.5 * max(outlet.extent))
            drawn.append(np.stack([start, start + way / np.linalg.norm(way) * reach * 0.6]))
        return drawn
    axis = np.array(outlet.axis if outlet.aim == "along axis" else (0, 1, 0), float)
    axis = axis / np.linalg.norm(axis) if np.linalg.norm(axis) > 0 else np.array([0.0, 1.0, 0.0])
    lines = [np.stack([np.zeros(3), axis * reach])]
    if 0 < outlet.spread.most < 90:
        side = np.cross(axis, [0, 0, 1.0] if abs(axis[2]) < 0.9 else [1.0, 0, 0])
        side /= np.linalg.norm(side)
        other = np.cross(axis, side)
        spread = math.radians(outlet.spread.most)
        tilt = np.stack([np.cos(_AROUND), outlet.across * np.sin(_AROUND)], axis=1) * spread
        angle = np.maximum(np.linalg.norm(tilt, axis=1, keepdims=True), 1e-9)
        rim = axis * np.cos(angle) + (tilt[:, :1] * side + tilt[:, 1:] * other) / angle * np.sin(angle)
        lines.append(rim * reach)
        lines += [np.stack([np.zeros(3), rim[i] * reach]) for i in (0, 12, 24, 36)]
    return lines


def paint(
    painter: QPainter, stand: LayerStand, screen: Screen, active: str, mesh: Callable[[str], Mesh] = built_in, axes: str = "parent"
) -> None:
    """Paints the overlay of the selected layer, where it stands now. axes : in which it is moved and turned."""
    layer = stand.layer
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    turn, place = stand.frames.turn[0], stand.frames.place[0]
    view, width, height = screen.view, screen.width, screen.height
    for lines, colour, dash in ((shape_lines(layer, mesh), theme.Lit.EMBER, False), (aim_lines(layer, mesh), theme.Lit.GLASS, True)):
        for line in lines:
            _polyline(painter, line @ turn.T + place, view, width, height, colour, dash)
    centre = screen.point(place)
    if layer.places.lie != "one":
        painter.setPen(QPen(theme.with_alpha(theme.Lit.EMBER, 0.8), 1.3))
        for spot in stand.spots:
            at = screen.point(spot)
            if at is not None:
                painter.drawLine(at - QPointF(5, 0), at + QPointF(5, 0))
                painter.drawLine(at - QPointF(0, 5), at + QPointF(0, 5))
    if active.startswith("turn"):
        axis = round_axes(stand, axes)["xyz".index(active[-1])]
        first = sideways(axis)
        round_ = np.cos(_AROUND)[:, None] * first + np.sin(_AROUND)[:, None] * np.cross(axis, first)
        ring = place + 0.72 * 0.16 * view.camera.distance * round_
        _polyline(painter, ring, view, width, height, theme.Lit.EMBER, False)
    for end, bow in zip(stand.ends or (), layer.look.beam.bow, strict=False):
        tip = end.place[0] + bow * bowing(layer.look.beam, end)[0]
        _polyline(painter, np.stack([end.place[0], tip]), view, width, height, theme.Lit.EMBER, True)
    for handle in handles(stand, screen, axes):
        at = screen.point(handle.origin)
        if at is not None:
            _paint_handle(painter, handle, at, centre, screen, handle.name == active)


def _paint_handle(painter: QPainter, handle: Handle, at: QPointF, centre: QPointF | None, screen: Screen, lively: bool) -> None:
    """Paints a handle at its place. centre : of the layer. lively : whether it is the one in hand."""
    if handle.path == ("place",):
        colour = theme.Lit.EMBER if lively else theme.with_alpha(theme.Lit.BONE, 0.55)
        painter.setPen(QPen(colour, 1.4))
        if centre is not None:
            painter.drawLine(centre, at)
        painter.setBrush(colour)
        painter.drawEllipse(at, 3.2, 3.2)
        painter.setFont(theme.font(theme.SMALL))
        painter.drawText(at + QPointF(5, -4), handle.name[-1])
    elif handle.path in (("scale",), ("turn",)):
        painter.setPen(QPen(theme.Lit.EMBER if lively else theme.with_alpha(theme.Lit.BONE, 0.45), 1.3))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if handle.path == ("scale",):
            painter.drawRect(QRectF(at.x() - 3.5, at.y() - 3.5, 7, 7))
        else:
            painter.drawEllipse(at, 4.5, 4.5)
    else:
        base = screen.point(handle.base) if isinstance(handle, WayHandle) else None
        if base is not None:
            painter.setPen(QPen(theme.with_alpha(theme.Lit.GLASS, 0.9 if lively else 0.5), 1.2))
            painter.drawLine(base, at)
        painter.setPen(QPen(theme.Lit.EMBER, 1.5))
        painter.setBrush(theme.Lit.EMBER if lively else theme.Lit.FLOOR)
        painter.drawRect(int(at.x()) - 4, int(at.y()) - 4, 8, 8)


def name_spots(dots: Sequence[QPointF], sizes: Sequence[QSizeF], room: QRectF) -> list[QRectF | None]:
    """Where the names of dots stand: beside, above or below each, clear of all dots and of the names before; None where there is no
    such place within the room."""
    taken = [QRectF(dot.x() - 5, dot.y() - 5, 10, 10) for dot in dots]
    spots: list[QRectF | None] = []
    for dot, size in zip(dots, sizes, strict=True):
        wide, tall = size.width(), size.height()
        x, y = dot.x(), dot.y()
        ways = ((x + 8, y - tall / 2), (x - 8 - wide, y - tall / 2), (x - wide / 2, y - 8 - tall), (x - wide / 2, y + 8))
        boxes = (QRectF(*way, wide, tall) for way in ways)
        spots.append(next((box for box in boxes if room.contains(box) and not any(box.intersects(each) for each in taken)), None))
        taken += [box for box in spots[-1:] if box is not None]
    return spots


def paint_stage(painter: QPainter, listed: Sequence[Handle], screen: Screen, active: str) -> None:
    """Paints what of the stage can be taken hold of, by its name where there is room, what is near first; the one in hand always."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setFont(theme.font(theme.SMALL))
    eye = screen.view.eye
    near_first = sorted(listed, key=lambda handle: float(np.linalg.norm(handle.origin - eye)))
    seen = [(handle.name, at) for handle in near_first if (at := screen.point(handle.origin)) is not None]
    size = painter.fontMetrics().size
    sizes = [QSizeF(size(0, name)) for name, _ in seen]
    spots = name_spots([at for _, at in seen], sizes, QRectF(0, 0, screen.width, screen.height))
    for (name, at), spot in zip(seen, spots, strict=True):
        painter.setPen(QPen(theme.Lit.GLASS, 1.5))
        painter.setBrush(theme.Lit.GLASS if name == active else theme.Lit.FLOOR)
        painter.drawEllipse(at, 4.5, 4.5)
        if spot is None and name == active:
            spot = QRectF(at + QPointF(8, -8), QSizeF(200, 16))
        if spot is not None:
            paint_lit(painter, spot, Qt.AlignmentFlag.AlignVCenter, name, theme.Lit.GLASS)


def _polyline(painter: QPainter, points: np.ndarray, view: View, width: float, height: float, colour: QColor, dash: bool) -> None:
    seen = view.project(points, width, height)
    pen = QPen(theme.with_alpha(colour, 0.6 if dash else 0.85), 1.2)
    if dash:
        pen.setDashPattern([4, 4])
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    run: list[QPointF] = []
    for x, y, depth in seen.tolist():
        if depth > 0.05 and abs(x) < 1e5 and abs(y) < 1e5:
            run.append(QPointF(x, y))
        else:
            painter.drawPolyline(QPolygonF(run))
            run = []
    painter.drawPolyline(QPolygonF(run))
