"""The stage by keys: handles chosen one after the other, moved and typed; where none is chosen, the camera goes round."""

from __future__ import annotations

from typing import Protocol

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.model import Layer
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.sentence import declared_in
from pale_ember.studio.kit.strokes import RepeatedEdit
from pale_ember.studio.stage.camera import CameraHand
from pale_ember.studio.stage.handle_drag import HandleDrag, shown_handles
from pale_ember.studio.stage.handles import Screen


class Handled(Protocol):
    """A stage as far as its handles are moved by keys."""

    desk: Desk
    hand: CameraHand

    def screen_now(self) -> Screen: ...
    def mark_handle(self, name: str) -> None: ...
    def type_into(self, taken: HandleDrag) -> None: ...


_ARROWS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
_ORBIT = 20
"""Pixels of a drag that an arrow key stands for."""


class HandleKeys:
    """Page Up and Page Down choose a handle, the arrows change its number (with Shift finely, with Ctrl coarsely), Return types it,
    Escape lets it go."""

    def __init__(self, stage: Handled, widget: QWidget) -> None:
        self._stage, self._widget, self._desk = stage, widget, stage.desk
        self._strokes = RepeatedEdit(widget)
        self._strokes.ended.connect(stage.desk.document.end_stroke)
        self.chosen = ""
        """The name of the handle."""

    def press(self, event: QKeyEvent) -> bool:
        """Does what a key says; says whether it said anything."""
        key, taken = Qt.Key(event.key()), self._taken()
        if key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            names = [handle.name for handle, _ in shown_handles(self._desk, self._stage.screen_now())]
            step = 1 if key == Qt.Key.Key_PageDown else -1
            here = names.index(self.chosen) if taken is not None else -1 if step > 0 else 0
            self._choose(names[(here + step) % len(names)] if names else "")
        elif key in _ARROWS:
            across, up = _ARROWS[key]
            if taken is None:
                self._stage.hand.orbit(across * _ORBIT, -up * _ORBIT)
            else:
                taken.nudge((across + up) * self._step(taken, event.modifiers()), self._strokes.current())
                self._choose(self.chosen)
        elif taken is not None and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._stage.type_into(taken)
        elif taken is not None and key == Qt.Key.Key_Escape:
            self._choose("")
        else:
            return False
        return True

    def _step(self, taken: HandleDrag, held: Qt.KeyboardModifier) -> float:
        """By how much an arrow changes what a handle holds: a hundredth, or a degree."""
        angle = isinstance(taken.root, Layer) and declared_in(taken.root, taken.handle.path).field.unit == "°"
        finely = 0.1 if held & Qt.KeyboardModifier.ShiftModifier else 1.0
        coarsely = 10.0 if held & Qt.KeyboardModifier.ControlModifier else 1.0
        return (1.0 if angle else 0.01) * finely * coarsely

    def _taken(self) -> HandleDrag | None:
        """The handle that was chosen, as it is now; None where it is gone."""
        screen = self._stage.screen_now()
        for handle, root in shown_handles(self._desk, screen):
            if handle.name == self.chosen:
                return HandleDrag(self._desk, handle, root, screen.point(handle.origin) or QPointF(40, 40))
        return None

    def _choose(self, name: str) -> None:
        self.chosen = name
        taken = self._taken()
        self._stage.mark_handle(name)
        if taken is not None:
            told = f"{name}: {taken.number:g}. Arrows change it, Return types it, Page Down goes to the next."
            self._widget.setAccessibleDescription(told)
            self._desk.hinted.emit(told, None)
