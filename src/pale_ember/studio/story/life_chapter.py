"""The Life chapter: lanes, and the numbers of the selected key."""

from __future__ import annotations

import dataclasses
import types
from collections.abc import Callable, Sequence
from typing import get_args

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.fields import Declared, Field, fields_of
from pale_ember.core.effect.keyed_parts import NEW_LANES, new_lane
from pale_ember.core.effect.life import Lane as LaneValue
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.values import Curve, Gradient, Key, Slope, sample_keys
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.texture.light import to_coded
from pale_ember.core.texture.tones import toned
from pale_ember.core.view import view_of
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.curve_lane import CurveLane
from pale_ember.studio.controls.gradient_lane import GradientLane
from pale_ember.studio.controls.lanes import LARGE, LaneEdit
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.edit_target import OfLayer
from pale_ember.studio.fields.fix_menu import colour_of
from pale_ember.studio.fields.row import go_to
from pale_ember.studio.fields.sharing import add_sharing
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.cached_painting import ById
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.stacks import RowStack
from pale_ember.studio.story.lane_block import LaneBlock, is_kin

LANES: dict[type, Callable[[Declared], LaneEdit]] = {Curve: CurveLane, Gradient: GradientLane}
"""The editor of each kind of lane."""

_SEEN = 4
"""Lanes that are seen at once."""
_LEAST = 36
"""Pixels that a lane is high at least."""


class LifeBody(QWidget):
    """The Life chapter: the lanes of everyday on one age axis, and any further ones below."""

    add_asked = pyqtSignal()

    def __init__(self, desk: Desk, subject: OfLayer) -> None:
        super().__init__()
        self.desk, self.subject = desk, subject
        self.lanes: dict[str, LaneEdit] = {}
        self.blocks: list[LaneBlock] = []
        self._spare: dict[tuple[int, bool], LaneBlock] = {}
        inner = QWidget()
        self._area = Scrolling(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self._area, 1)
        self._column = RowStack(inner)
        kind = fields_of(Layer)["life"].type
        for name, declared in fields_of(kind).items():
            if name == "more":
                continue
            value_kind = next(arg for arg in get_args(declared.type) if arg is not types.NoneType)
            lane = LANES[value_kind](declared)
            lane.edited.connect(lambda value, stroke, name=name: self._edited(name, value, stroke))
            lane.finished.connect(desk.document.end_stroke)
            lane.picked.connect(lambda lane=lane: self._picked(lane))
            lane.grown.connect(lambda lane=lane: self._grow(lane))
            lane.more_actions = lambda menu, name=name: self._share(menu, name)
            lane.setToolTip("Double-click the name, or press Return, to enlarge it; right-click for more")
            self.lanes[name] = lane
            self._column.add(lane)
        self._foot = QHBoxLayout()
        self._foot.setContentsMargins(8, 0, 14, 0)
        self.adder = WordButton("+ add (/)", "Add a lane: something that changes over age, speed, distance or time")
        self.adder.clicked.connect(self.add_asked)
        self._foot.addWidget(self.adder)
        self._foot.addStretch(1)
        at = Field("age", "Age of the key.", soft=(0, 1), least=0, most=1)
        self.key_age = NumberEdit(at, default=0.0, name="age of the key")
        self.key_value = NumberEdit(Field("value", "Value of the key.", soft=(0, 1)), default=1.0, name="value of the key")
        self.key_band = NumberEdit(
            Field("band", fields_of(Key)["band"].field.help, soft=(0, 1), least=0), default=0.0, name="band at the key"
        )
        self.slope_before, self.slope_after = (
            NumberEdit(dataclasses.replace(declared.field, soft=(-5, 5)), default=0.0) for declared in fields_of(Slope).values()
        )
        numbers = {
            "at": self.key_age,
            "value": self.key_value,
            "band": self.key_band,
            "before": self.slope_before,
            "after": self.slope_after,
        }
        self._words = [QLabel(word) for word in ("at", "value", "band", "slope before", "after")]
        for label, edit in zip(self._words, numbers.values(), strict=True):
            theme.tone(label, "ash")
            edit.setFixedWidth(52)
            self._foot.addWidget(label)
            self._foot.addWidget(edit)
            edit.finished.connect(desk.document.end_stroke)
        for name, edit in numbers.items():
            edit.edited.connect(lambda value, stroke, name=name: self._set_key(name, value, stroke))
        whole.addLayout(self._foot)
        self._lane: LaneEdit | None = None
        self._shown_product: tuple[object, np.ndarray] | None = None
        self._picked(None)

    def _edited(self, name: str, value: object, stroke: object) -> None:
        verb = "remove lane" if value is None else "lane"
        self.subject.change(f"{name} {verb}", ("life", name), value, stroke)

    def _share(self, menu: QMenu, name: str) -> None:
        """Offers to share a lane of everyday."""
        layer = self.subject.root
        if layer is not None:
            add_sharing(menu, self.desk, layer, ("life", name), f"{name} lane")

    def add_everyday(self, name: str) -> None:
        """Adds a lane of everyday that changes nothing yet."""
        self._edited(name, NEW_LANES[name], None)
        go_to(self.lanes[name])

    def add_lane(self, drives: str) -> None:
        """Adds a lane for a property."""
        layer = self.subject.root
        if layer is not None:
            self.subject.change(f"{drives} lane", ("life", "more"), (*layer.life.more, new_lane(layer, drives)))

    def _all_lanes(self) -> list[LaneEdit]:
        return [*self.lanes.values(), *(block.lane for block in self.blocks)]

    def _picked(self, lane: LaneEdit | None) -> None:
        for other in self._all_lanes():
            if other is not lane:
                other.let_go()
        self._lane = lane
        on = lane is not None and lane.selected is not None
        curve = on and isinstance(lane, CurveLane)
        self._words[0].setVisible(on)
        self.key_age.setVisible(on)
        given = on and curve and lane is not None and lane.points[lane.selected or 0].ease == "handles"
        for i, edit in enumerate((self.key_value, self.key_band, self.slope_before, self.slope_after)):
            shown = curve if i < 2 else given
            self._words[i + 1].setVisible(shown)
            edit.setVisible(shown)
        if on and lane is not None and lane.selected is not None:
            self.key_age.show_value(lane.points[lane.selected].at)
            if curve:
                key = lane.points[lane.selected]
                for edit, value in (
                    (self.key_value, key.value),
                    (self.key_band, key.band),
                    (self.slope_before, key.slope.before),
                    (self.slope_after, key.slope.after),
                ):
                    edit.show_value(value)

    def _set_key(self, what: str, value: float, stroke: object) -> None:
        lane = self._lane
        if lane is None or lane.selected is None:
            return
        if what in ("before", "after"):
            slope = replace(lane.points[lane.selected].slope, **{what: float(value)})
            lane.set_point(lane.selected, stroke, slope=slope)
        else:
            lane.set_point(lane.selected, stroke, **{what: float(value)})

    def place_of(self, path: Path) -> QWidget:
        """The lane of everyday of that name, or one of the others by its place, or what adds one."""
        if path[0] == "more" and len(path) > 1 and isinstance(path[1], int):
            return self.blocks[path[1]].lane
        lane = self.lanes.get(str(path[0]))
        return lane if lane is not None and not lane.isHidden() else self.adder

    def let_go(self) -> None:
        """No key is selected any more."""
        self._picked(None)

    def show_layer(self, layer: Layer) -> None:
        for name, lane in self.lanes.items():
            value = getattr(layer.life, name)
            lane.setVisible(value is not None)
            if value is not None:
                lane.axis = 0.0, layer.birth.lifetime.middle, "s"
                lane.show_value(value)
            if isinstance(lane, GradientLane) and value is not None:
                lane.show_product(self._product(layer))
        kinds = [each.drives == "colour" for each in layer.life.more]
        if [isinstance(block.lane, GradientLane) for block in self.blocks] != kinds:
            self._rebuild(kinds)
        for block, each in zip(self.blocks, layer.life.more, strict=True):
            block.show_lane(each)
        self._show_kin()
        kept = self._lane if self._lane in self._all_lanes() and self._lane.selected is not None else None
        self._picked(kept)
        self.mark_findings()

    def _product(self, layer: Layer) -> np.ndarray:
        """(33, 3) float64, coded 0 to 1: what the stage makes of a mean particle's colour, brightness and opacity by age."""
        key = (ById(layer.birth), ById(layer.life), ById(self.desk.effect.stage))
        if self._shown_product is None or self._shown_product[0] != key:
            ages = np.linspace(0.0, 1.0, 33)
            tints, lanes, stage = layer.birth.tint, layer.life, self.desk.effect.stage
            light = 0.5 * (np.array(tints.first) + np.array(tints.second)) * layer.birth.brightness.middle
            light = light * (lanes.colour.at(ages) if lanes.colour is not None else 1.0)
            for lane in (lanes.brightness, lanes.opacity):
                if lane is not None:
                    light = light * np.maximum(sample_keys(lane.keys, ages), 0.0)[:, None]
            shone = light * layer.birth.opacity.middle * 2.0**stage.exposure
            self._shown_product = key, to_coded(toned(shone, stage.tone))
        return self._shown_product[1]

    def _rebuild(self, kinds: list[bool]) -> None:
        for block in self.blocks:
            block.hide()
            self._column.removeWidget(block)
            self._spare[block.index, isinstance(block.lane, GradientLane)] = block
        self.blocks = [self._block(i, coloured) for i, coloured in enumerate(kinds)]
        for block in self.blocks:
            self._column.add(block)
            block.show()

    def _block(self, index: int, coloured: bool) -> LaneBlock:
        """A block for a further lane: one that is spare, or a new one."""
        spare = self._spare.pop((index, coloured), None)
        if spare is not None:
            return spare
        block = LaneBlock(self.desk, self.subject, index, coloured=coloured)
        block.lane.picked.connect(lambda lane=block.lane: self._picked(lane))
        block.lane.grown.connect(lambda lane=block.lane: self._grow(lane))
        return block

    def resizeEvent(self, event: QResizeEvent) -> None:
        """So many lanes are seen at once as an effect mostly has, each as high as the others, however many there are."""
        super().resizeEvent(event)
        room = self.height() - self._foot.sizeHint().height()
        for lane in self.lanes.values():
            lane.set_heights(max(room // _SEEN, _LEAST), max(room, LARGE))

    def _grow(self, lane: LaneEdit) -> None:
        """Shows one lane large, or all small again."""
        large = not lane.large
        for other in self._all_lanes():
            other.set_large(large and other is lane)
        if large:
            QTimer.singleShot(0, lambda: self._area.ensureWidgetVisible(lane, 0, 0))

    def _show_kin(self) -> None:
        """Lets lanes of several axes of one thing be seen over each other."""
        for block in self.blocks:
            block.show_kin([other.value for other in self.blocks if is_kin(other.value, block.value)])

    def mark_differing(self, others: Sequence[Layer]) -> None:
        """Marks the lanes of everyday that another layer, of those that are told, has otherwise."""
        layer = self.subject.root
        for name, lane in self.lanes.items():
            differs = layer is not None and any(getattr(layer.life, name) != getattr(other.life, name) for other in others)
            lane.mark_differing(differs)

    def mark_findings(self) -> None:
        """Marks the lanes in which the checks found something."""
        layer = self.subject.root
        for name, lane in self.lanes.items():
            lane.mark_doubt(colour_of(self.desk.findings.at(layer.id, ("life", name))) if layer is not None else None)

    def show_living(self, living: LayerFrame | None, some: slice) -> None:
        """Marks where some of the particles alive stand on each lane's axis."""
        none = np.zeros(0, np.float32)
        ages = none if living is None else living.age[some]
        followed = self.desk.looking.followed
        row = followed.within(living) if followed is not None and living is not None else None
        age = float(living.age[row]) if living is not None and row is not None else None
        for lane in self.lanes.values():
            if lane.isVisible():
                lane.show_ages(ages, age)
        for block in self.blocks:
            if block.lane.isVisible():
                at = none if living is None else self._on_axis(block.value, living, some)
                low, high = block.value.low, block.value.high
                share = at if block.value.over == "age" else (at - low) / max(high - low, 1e-9)
                block.lane.show_ages(np.clip(share, 0.0, 1.0).astype(np.float32))

    def _on_axis(self, lane: LaneValue, living: LayerFrame, some: slice) -> np.ndarray:
        """(n,) where particles stand on what a lane runs along, in its unit."""
        if lane.over == "age":
            return living.age[some]
        if lane.over == "speed":
            return np.linalg.norm(living.velocity[some], axis=1)
        if lane.over == "effect time":
            effect = self.desk.effect
            now = self.desk.player.moment * effect.tempo
            return np.full(len(living.age[some]), now % effect.duration if effect.loop else now)
        if lane.over == "camera distance":
            eye = view_of(self.desk.looking.camera, 1, 1).eye
            return np.linalg.norm(living.position[some] - eye, axis=1)
        return living.travelled[some]
