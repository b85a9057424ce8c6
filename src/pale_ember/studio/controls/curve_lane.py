"""Lanes drawn as curves, with keys to take hold of."""

from __future__ import annotations

from collections.abc import Callable
from typing import get_args

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QInputDialog, QMenu

from pale_ember.core.effect.curves import CHANGES, PRESETS, from_numbers
from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.values import Curve, Key, Slope, sample_keys
from pale_ember.studio.controls import curve_drags
from pale_ember.studio.controls.curve_drawing import paint_curve, paint_grips, small_picture
from pale_ember.studio.controls.curve_geometry import CurveGeometry
from pale_ember.studio.controls.lane_view import framed
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.cached_painting import ById
from pale_ember.studio.kit.clipboard import clipboard_text
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.saved_items import drop_own, keep_own, kept_parts, offer_sharing, own_parts

_ZOOM = 1.15
"""How much nearer one click of the wheel comes."""


class CurveLane(CurveGeometry):
    """A curve with its keys. Press the curve to add a key there and drag it, or beside it to draw a box around keys; with
    Ctrl a drag makes the band of the whole lane, with Shift, beside a key, it draws the curve anew by hand."""

    # Mouse -----------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton and self.large:
            self.grip = curve_drags.PanDrag(self, event.position())
            return
        if event.button() != Qt.MouseButton.LeftButton or self.press_name(event.position()) or self.locked:
            return
        view = self.seen()
        self._held_span = view.low, view.high
        self._stroke = object()
        self.grip = curve_drags.taken(self, event.position(), event.modifiers(), self._stroke)
        self._dragging = self.grip is not None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._pointer = event.position()
        self.pull_name(event)
        if self.grip is not None:
            self.grip.move(event.position(), event.modifiers())
            self.picked.emit()
        self.setCursor(curve_drags.cursor_at(self, event.position()))
        self.update()

    def drop(self) -> None:
        super().drop()
        self.grip = None

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grip, self.grip = self.grip, None
        if grip is not None:
            grip.end()
            self.picked.emit()
        super().mouseReleaseEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """With Ctrl the wheel comes nearer to the ages under the pointer, with Shift as well to the values."""
        held = event.modifiers()
        if not self.large or not held & Qt.KeyboardModifier.ControlModifier:
            event.ignore()
            return
        factor = _ZOOM ** (-event.angleDelta().y() / 120)
        age, value = self.age_at(event.position().x()), self.value_at(event.position().y())
        along = not held & Qt.KeyboardModifier.ShiftModifier
        self.show_view(self.seen().zoomed(factor, age, value, ages=along, values=not along))
        event.accept()

    def point_at(self, age: float) -> Key:
        ease = self.points[max(i for i, key in enumerate(self.points) if key.at <= age or i == 0)].ease
        return Key(at=round(age, 4), value=round(self.on_curve(age), 4), ease=ease)

    def frame_keys(self) -> None:
        """Shows the keys in hand, or all keys, as large as they go."""
        keys = [self.points[i] for i in sorted(self.chosen)] or list(self.points)
        low, high = min(key.value - key.band for key in keys), max(key.value + key.band for key in keys)
        self.show_view(framed([key.at for key in keys], low, high))

    # Keyboard and menus ----------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if event.matches(QKeySequence.StandardKey.SelectAll):
            self.choose(set(range(len(self.points))))
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.chosen:
            self.remove_chosen()
        elif self.chosen and key in (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right):
            view = self.seen()
            age = (view.end - view.begin) / 100 * ((key == Qt.Key.Key_Right) - (key == Qt.Key.Key_Left))
            value = (view.high - view.low) / 100 * ((key == Qt.Key.Key_Up) - (key == Qt.Key.Key_Down))
            self.tell(curve_drags.moved_keys(self, self.points, self.chosen, age, value), self._nudges.current())
            self.picked.emit()
        else:
            super().keyPressEvent(event)

    def point_actions(self, menu: QMenu, index: int) -> None:
        for ease in get_args(fields_of(Key)["ease"].type):
            action = menu.addAction(f"with {ease}" if ease == "handles" else ease.capitalize())
            action.setCheckable(True)
            action.setChecked(self.points[index].ease == ease)
            action.triggered.connect(lambda _=False, ease=ease: self.set_ease(index, ease))
        if self.points[index].ease == "handles":
            flat = menu.addAction("Handles level")
            flat.triggered.connect(lambda: self.set_point(index, slope=Slope()))

    def set_ease(self, index: int, ease: str) -> None:
        """Changes how the curve passes a key; handles begin as the curve is."""
        values: dict[str, object] = {"ease": ease}
        if ease == "handles":
            at = self.points[index].at
            near = [self.on_curve(min(max(at + side * 1e-3, 0.0), 1.0)) for side in (-1, 1)]
            middle = self.points[index].value
            before, after = (round(rise / 1e-3, 3) for rise in (middle - near[0], near[1] - middle))
            values["slope"] = Slope(before=before, after=after)
        self.set_point(index, **values)
        self.picked.emit()

    def lane_actions(self, menu: QMenu) -> None:
        shapes = menu.addMenu("Apply a shape")
        own = own_parts("shapes", Curve)
        for name, shape in [*PRESETS.items(), *kept_parts("shapes", Curve).items()]:
            action = shapes.addAction(small_picture(shape), name)
            action.triggered.connect(lambda _=False, shape=shape: self.take_shape(shape))
        shapes.addSeparator()
        shapes.addAction("Save this one as…").triggered.connect(self._ask_keep)
        offer_sharing(shapes, self, "shapes", "", lambda: Curve(keys=self.points))
        if own:
            forget = shapes.addMenu("Delete a saved one")
            for name in own:
                forget.addAction(name).triggered.connect(lambda _=False, name=name: drop_own("shapes", name))
        changes = menu.addMenu("Change it")
        for name, change in CHANGES.items():
            changes.addAction(name).triggered.connect(lambda _=False, change=change: self._change(change))
        if self.large:
            menu.addAction("Fit the view").triggered.connect(lambda: self.show_view(None))
            menu.addAction("Zoom to its keys").triggered.connect(self.frame_keys)

    def _change(self, change: Callable[[Curve], Curve]) -> None:
        self.take_shape(change(Curve(keys=self.points)))

    def _ask_keep(self) -> None:
        name, ok = QInputDialog.getText(self, "Save the shape", "What is it called?")
        if ok and name.strip():
            keep_own("shapes", name.strip(), Curve(keys=self.points))

    def paste(self) -> bool:
        """Takes a copied curve, or numbers as people have them."""
        return self.take(clipboard_text())

    def take(self, text: str) -> bool:
        if super().take(text):
            return True
        made = from_numbers(text)
        if made is not None:
            self.take_shape(made)
        return made is not None

    def take_shape(self, shape: Curve) -> None:
        """Takes the shape of another curve, within what it was."""
        self.select(None)
        self.tell(tuple(replace(key, value=self.limited(key.value)) for key in shape.keys))

    # Paint -----------------------------------------------------------------------------------------------------

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ghost = None
        if self._pointer is not None and self.grip is None and self.near_curve(self._pointer):
            ghost = None if self.point_near(self._pointer) is not None else self._pointer.x()
        key = (
            ById(self.value),
            self.seen(),
            frozenset(self.chosen),
            self.hasFocus(),
            self._differs,
            self.kin,
            ghost,
            self.large,
            self.locked,
            self.axis,
            self.title,
        )
        self._still.paint(painter, key, lambda inner: self._paint(inner, ghost))
        box = self.box().adjusted(-2, -4, 2, 4)
        painter.setClipRect(box)
        if len(self.ages):
            ages = self.ages.astype(float)
            painter.setPen(QPen(theme.GLASS, 3, cap=Qt.PenCapStyle.RoundCap))
            painter.drawPoints(self.polygon(ages, sample_keys(self.points, ages)))
        if self.followed is not None:
            painter.setPen(QPen(theme.BONE, 1.4))
            painter.setBrush(theme.GLASS)
            painter.drawEllipse(QPointF(self.x_at(self.followed), self.y_at(self.on_curve(self.followed))), 4.5, 4.5)
        if self.grip is not None:
            self.grip.paint(painter)

    def _paint(self, painter: QPainter, ghost: float | None) -> None:
        self.paint_label(painter)
        paint_curve(painter, self)
        paint_grips(painter, self)
        if ghost is not None:
            painter.setPen(QPen(theme.with_alpha(theme.EMBER, 0.7), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(ghost, self.y_at(self.on_curve(self.age_at(ghost)))), 4, 4)
