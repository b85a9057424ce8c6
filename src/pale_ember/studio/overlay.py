"""What explains the stage: the selected layer's shape, aim, spread and place, drawn over the picture."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from pale_ember.core.effect.model import Layer
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.draw.view import View
from pale_ember.studio import theme

_AROUND = np.linspace(0, 2 * math.pi, 49)


@dataclass(frozen=True, slots=True)
class Handle:
    """Something to drag: what it changes, where it is on screen, and the world direction it follows."""

    what: str
    at: QPointF
    origin: np.ndarray
    axis: np.ndarray


def _circle(radius: float, height: float = 0.0, plane: str = "xz") -> np.ndarray:
    a, b, c = radius * np.cos(_AROUND), np.full(_AROUND.shape, height), radius * np.sin(_AROUND)
    return np.stack({"xz": (a, b, c), "xy": (a, c, b), "yz": (b, a, c)}[plane], axis=1)


def _around(letter: str) -> np.ndarray:
    """(n, 3), a circle of radius 1 about a world axis."""
    return _circle(1.0, plane={"x": "yz", "y": "xz", "z": "xy"}[letter])


def shape_lines(layer: Layer) -> list[np.ndarray]:
    """The outlet's outline in the layer's own axes: polylines (n, 3), metres."""
    outlet = layer.outlet
    r = outlet.radius
    if outlet.shape == "disc":
        inner = r * (1 - outlet.fill)
        return [_circle(r)] + ([_circle(inner)] if 0 < outlet.fill < 1 else [])
    if outlet.shape == "sphere":
        return [_circle(r), _circle(r, plane="xy"), _circle(r, plane="yz")]
    if outlet.shape == "box":
        x, y, z = (0.5 * part for part in outlet.extent)
        floor = np.array([[-x, -y, -z], [x, -y, -z], [x, -y, z], [-x, -y, z], [-x, -y, -z]])
        roof = floor + [0, 2 * y, 0]
        return [floor, roof, *(np.stack([floor[i], roof[i]]) for i in range(4))]
    if outlet.shape == "cone":
        top = r + outlet.length * math.tan(math.radians(outlet.opening))
        sides = [
            np.array([[math.cos(a) * r, 0, math.sin(a) * r], [math.cos(a) * top, outlet.length, math.sin(a) * top]])
            for a in np.linspace(0, 2 * math.pi, 5)[:4]
        ]
        return [_circle(r), *([_circle(top, outlet.length), *sides] if outlet.length > 0 else [])]
    return [np.array([[-0.05, 0, 0], [0.05, 0, 0]]), np.array([[0, 0, -0.05], [0, 0, 0.05]])]


def aim_lines(layer: Layer) -> list[np.ndarray]:
    """Arrows where births head, and the edges of their spread, in the layer's own axes."""
    outlet = layer.outlet
    reach = 0.35 + 0.25 * min(abs(layer.birth.speed.middle) * min(layer.birth.lifetime.middle, 2.0), 4.0)
    if outlet.aim == "anywhere":
        ways = [np.array(way, float) for way in ((1, 0, 0), (-1, 0, 0), (0, 1, 0), (0, -1, 0), (0, 0, 1), (0, 0, -1))]
        return [np.stack([np.zeros(3), way * reach * 0.6]) for way in ways]
    if outlet.aim == "outward" and outlet.shape != "point":
        made = []
        lean = math.tan(math.radians(outlet.opening))
        for a in np.linspace(0, 2 * math.pi, 9)[:8]:
            flat = np.array([math.cos(a), 0.0, math.sin(a)])
            way = flat if outlet.shape != "cone" else np.array([flat[0] * lean, 1.0, flat[2] * lean])
            start = flat * (outlet.radius if outlet.shape != "box" else 0.5 * max(outlet.extent))
            made.append(np.stack([start, start + way / np.linalg.norm(way) * reach * 0.6]))
        return made
    axis = np.array(outlet.axis if outlet.aim == "along axis" else (0, 1, 0), float)
    axis = axis / np.linalg.norm(axis) if np.linalg.norm(axis) > 0 else np.array([0.0, 1.0, 0.0])
    lines = [np.stack([np.zeros(3), axis * reach])]
    if 0 < outlet.spread < 90:
        side = np.cross(axis, [0, 0, 1.0] if abs(axis[2]) < 0.9 else [1.0, 0, 0])
        side /= np.linalg.norm(side)
        other = np.cross(axis, side)
        spread = math.radians(outlet.spread)
        rim = np.array(
            [axis * math.cos(spread) + (side * math.cos(a) + other * math.sin(a)) * math.sin(spread) for a in _AROUND]
        )
        lines.append(rim * reach)
        lines += [np.stack([np.zeros(3), rim[i] * reach]) for i in (0, 12, 24, 36)]
    return lines


def in_world(layer: Layer, points: np.ndarray) -> np.ndarray:
    """Points (n, 3) of the layer's own axes, in the world."""
    return points @ turn_matrix(layer.turn).T.astype(float) + np.array(layer.place)


def handles(layer: Layer, view: View, width: float, height: float) -> list[Handle]:
    """What of the layer can be dragged on the stage."""
    outlet = layer.outlet
    place = np.array(layer.place, float)
    turn = turn_matrix(layer.turn).astype(float)
    wanted: list[tuple[str, np.ndarray, np.ndarray]] = []
    size = 0.16 * view.camera.distance
    for i, letter in enumerate("xyz"):
        axis = np.eye(3)[i]
        wanted.append((f"place {letter}", place + axis * size, axis))
    if outlet.shape in ("disc", "sphere", "cone"):
        wanted.append(("radius", place + turn @ np.array([outlet.radius, 0, 0]), turn @ np.array([1.0, 0, 0])))
        wanted.append(("radius", place - turn @ np.array([outlet.radius, 0, 0]), turn @ np.array([-1.0, 0, 0])))
    if outlet.shape == "box":
        for i, letter in enumerate("xyz"):
            axis = turn @ np.eye(3)[i]
            wanted.append((f"extent {letter}", place + axis * 0.5 * outlet.extent[i], axis))
    for i, letter in enumerate("xyz"):
        axis, spoke = np.eye(3)[i], np.eye(3)[(i + 1) % 3]
        wanted.append((f"turn {letter}", place + turn @ spoke * 0.72 * size, axis))
    made = []
    for what, at, axis in wanted:
        x, y, depth = view.project(at, width, height)[0]
        if depth > 0.05:
            made.append(Handle(what, QPointF(x, y), at, axis))
    return made


def paint(painter: QPainter, layer: Layer, view: View, width: float, height: float, active: str) -> None:
    """Paints the overlay of the selected layer."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for lines, colour, dash in ((shape_lines(layer), theme.EMBER, False), (aim_lines(layer), theme.GLASS, True)):
        for line in lines:
            _polyline(painter, in_world(layer, line), view, width, height, colour, dash)
    centre = view.project(np.array(layer.place, float), width, height)[0]
    if active.startswith("turn"):
        ring = np.array(layer.place) + 0.72 * 0.16 * view.camera.distance * _around(active[-1])
        _polyline(painter, ring, view, width, height, theme.EMBER, False)
    for handle in handles(layer, view, width, height):
        lively = handle.what == active
        if handle.what.startswith("place"):
            colour = theme.EMBER if lively else theme.with_alpha(theme.BONE, 0.55)
            painter.setPen(QPen(colour, 1.4))
            if centre[2] > 0:
                painter.drawLine(QPointF(centre[0], centre[1]), handle.at)
            painter.setBrush(colour)
            painter.drawEllipse(handle.at, 3.2, 3.2)
            painter.setFont(theme.font(theme.SMALL))
            painter.drawText(handle.at + QPointF(5, -4), handle.what[-1])
        elif handle.what.startswith("turn"):
            painter.setPen(QPen(theme.EMBER if lively else theme.with_alpha(theme.BONE, 0.45), 1.3))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(handle.at, 4.5, 4.5)
        else:
            painter.setPen(QPen(theme.EMBER, 1.5))
            painter.setBrush(theme.EMBER if lively else theme.FLOOR)
            painter.drawRect(int(handle.at.x()) - 4, int(handle.at.y()) - 4, 8, 8)


def _polyline(
    painter: QPainter, points: np.ndarray, view: View, width: float, height: float, colour: QColor, dash: bool
) -> None:
    seen = view.project(points, width, height)
    pen = QPen(theme.with_alpha(colour, 0.6 if dash else 0.85), 1.2)
    if dash:
        pen.setDashPattern([4, 4])
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    run: list[QPointF] = []
    for x, y, depth in seen:
        if depth > 0.05 and abs(x) < 1e5 and abs(y) < 1e5:
            run.append(QPointF(x, y))
        else:
            painter.drawPolyline(QPolygonF(run))
            run = []
    painter.drawPolyline(QPolygonF(run))
