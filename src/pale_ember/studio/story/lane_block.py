"""A further lane of Life: what it drives, over what, its curve, and the axes that belong to it."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.life import Lane as LaneValue
from pale_ember.core.effect.properties import PROPERTIES
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.curve_lane import CurveLane
from pale_ember.studio.controls.gradient_lane import GradientLane
from pale_ember.studio.controls.lanes import LaneEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.edit_target import OfLayer
from pale_ember.studio.fields.row import editor_for
from pale_ember.studio.kit import theme

_SIDES = ("width", "height", "depth")


def is_kin(one: LaneValue, other: LaneValue) -> bool:
    """Whether two lanes drive several axes of one thing, along the same axis."""
    if one.over != other.over or one.drives == other.drives:
        return False
    stems = [lane.drives.rpartition(" ")[0] for lane in (one, other)]
    return (stems[0] == stems[1] != "") or (one.drives in _SIDES and other.drives in _SIDES)


def _axis(lane: LaneValue) -> str:
    """What a lane's axis is called among its kin."""
    return lane.drives.rpartition(" ")[2]


class AxisButton(WordButton):
    """One axis of several. Asks with Ctrl to be alone."""

    alone_asked = pyqtSignal()

    def __init__(self) -> None:
        super().__init__("", "")
        self.drives = ""

    def show_axis(self, drives: str, letter: str, *, own: bool, off: bool) -> None:
        """own : it is the axis of the lane it stands at. off : it is locked, or not seen."""
        self.drives = drives
        does = ("unlock it" if off else "lock it") if own else ("show its guide" if off else "hide its guide")
        word = f"({letter})" if own and off else letter
        self.show_text(word)
        self.setToolTip(f"{drives}: {does}; with Ctrl, alone")
        self.colour = theme.DIM if off else theme.EMBER if own else theme.ASH
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.setDown(False)
            self.alone_asked.emit()
        else:
            super().mouseReleaseEvent(event)


class LaneBlock(QWidget):
    """A further lane: what it drives, over what, and its curve."""

    def __init__(self, desk: Desk, subject: OfLayer, index: int, *, coloured: bool) -> None:
        super().__init__()
        self.subject, self.index = subject, index
        self.value = LaneValue()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(1)
        head = QHBoxLayout()
        head.setContentsMargins(12, 0, 14, 0)
        head.setSpacing(4)
        self.editors: dict[str, Any] = {}
        widths = {"drives": 0, "over": 0, "low": 40, "high": 40, "replaces": 34, "force": 32, "name": 70}
        words = {"over": "over", "high": "–", "replaces": "replaces"}
        self._words = {}
        for name, width in widths.items():
            declared = fields_of(LaneValue)[name]
            if name in words:
                label = QLabel(words[name])
                theme.tone(label, "ash")
                self._words[name] = label
                head.addWidget(label)
            editor = editor_for(declared, desk)
            editor.setToolTip(declared.field.help)
            editor.edited.connect(lambda value, stroke, name=name: self._edited(name, value, stroke))
            editor.finished.connect(desk.document.end_stroke)
            if width:
                editor.setFixedWidth(width)
            head.addWidget(editor)
            self.editors[name] = editor
        head.addStretch(1)
        self._head = head
        self.axes: list[AxisButton] = []
        """Which axes there are, where it is one of several."""
        self.unseen: frozenset[str] = frozenset()
        """What those of its kin drive that are not seen behind it."""
        column.addLayout(head)
        declared = fields_of(LaneValue)["colours" if coloured else "curve"]
        self.lane: LaneEdit = GradientLane(declared) if coloured else CurveLane(declared)
        self.lane.edited.connect(self._lane_edited)
        self.lane.finished.connect(desk.document.end_stroke)
        column.addWidget(self.lane)

    def show_kin(self, kin: list[LaneValue]) -> None:
        """Lets the lanes of other axes be seen behind this one, and offers to hide each, or all but one."""
        family = sorted([self.value, *kin], key=lambda lane: lane.drives) if kin else []
        self.unseen &= {lane.drives for lane in kin}
        if isinstance(self.lane, CurveLane):
            self.lane.show_kin(tuple((lane.curve.keys, _axis(lane)) for lane in kin if lane.drives not in self.unseen))
        while len(self.axes) < len(family):
            button = AxisButton()
            button.clicked.connect(lambda _=False, button=button: self._axis_clicked(button.drives, alone=False))
            button.alone_asked.connect(lambda button=button: self._axis_clicked(button.drives, alone=True))
            self._head.addWidget(button)
            self.axes.append(button)
        for button in self.axes[len(family) :]:
            button.hide()
        for button, lane in zip(self.axes, family, strict=False):
            own = lane is self.value
            off = self.lane.locked if own else lane.drives in self.unseen
            button.show_axis(lane.drives, _axis(lane), own=own, off=off)
            button.show()

    def _axis_clicked(self, drives: str, *, alone: bool) -> None:
        """Locks this lane, or hides one of its kin; or leaves this axis, or that one with it, alone."""
        layer = self.subject.root
        if layer is None:
            return
        kin = [lane for lane in layer.life.more if is_kin(lane, self.value)]
        others = frozenset(lane.drives for lane in kin) - {drives}
        if alone:
            self.unseen = frozenset() if self.unseen == others else others
        elif drives == self.value.drives:
            self.lane.set_locked(not self.lane.locked)
        else:
            self.unseen ^= {drives}
        self.show_kin(kin)

    def _lane_edited(self, value: object, stroke: object) -> None:
        layer = self.subject.root
        if layer is None:
            return
        more = layer.life.more
        if value is None:
            left = (*more[: self.index], *more[self.index + 1 :])
            self.subject.change("remove lane", ("life", "more"), left)
            return
        self._edited("colours" if isinstance(self.lane, GradientLane) else "curve", value, stroke)

    def _edited(self, name: str, value: object, stroke: object) -> None:
        path: tuple[str | int, ...] = ("life", "more", self.index, name)
        if name == "drives" and self.value.over not in PROPERTIES[str(value)].axes:
            path, value = path[:-1], replace(self.value, drives=str(value), over="age")
        self.subject.change(f"{self.value.drives} lane", path, value, stroke)

    def show_lane(self, value: LaneValue) -> None:
        self.value = value
        shown = {
            "low": value.over != "age",
            "high": value.over != "age",
            "replaces": value.drives.startswith("velocity"),
            "force": value.drives == "force",
            "name": value.drives == "named",
        }
        self.editors["over"].options = list(PROPERTIES[value.drives].axes)
        for name, editor in self.editors.items():
            if name in ("low", "high"):
                editor.unit = fields_of(LaneValue)[name].field.unit_of(value)
            editor.show_value(getattr(value, name))
            editor.setVisible(shown.get(name, True))
            if name in self._words:
                self._words[name].setVisible(shown.get(name, True))
        self.lane.title = value.name or value.drives
        layer = self.subject.root
        if value.over == "age" and layer is not None:
            self.lane.axis = 0.0, layer.birth.lifetime.middle, "s"
        else:
            self.lane.axis = value.low, value.high, fields_of(LaneValue)["low"].field.unit_of(value)
        if isinstance(self.lane, GradientLane):
            if value.colours is not None:
                self.lane.show_value(value.colours)
        else:
            self.lane.least = PROPERTIES[value.drives].least  # type: ignore[attr-defined]
            self.lane.unit = PROPERTIES[value.drives].unit
            self.lane.show_value(value.curve)
