"""A list of parts, each with rows of its own."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.fields import Declared, Part, fields_of, kinds_of
from pale_ember.core.effect.model import Pose
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.places import Place
from pale_ember.core.effect.pose_keys import key_near, pose_at
from pale_ember.core.insight.sentences import burst as burst_told
from pale_ember.core.insight.sentences import rule as rule_told
from pale_ember.core.insight.sentences import value_told
from pale_ember.studio.controls.buttons import IconButton, SwitchEdit, WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.edit_target import Subject
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.stacks import Columns

Within = Any
"""What shows the fields of one part: a widget with `show_root` and `reveal`."""


class PartsEdit(QWidget):
    """A list of parts, one block each, and a way to add one."""

    def __init__(
        self, desk: Desk, subject: Subject, path: Path, declared: Declared, kind: type[Part], within: Callable[[Path, type[Part]], Within]
    ) -> None:
        super().__init__()
        self.desk, self.subject, self.path, self.declared, self.kind = desk, subject, path, declared, kind
        self.within = within
        self.blocks: list[_Block] = []
        self._spare: dict[tuple[type[Part], int], _Block] = {}
        """Blocks that no part needs just now, by kind and place: another layer may, and making them takes its time."""
        self._parts: tuple[Any, ...] = ()
        self.root: Any = None
        self._column = Columns(self)
        self._column.setContentsMargins(8, 0, 0, 2)
        noun = declared.field.label.removeprefix("more ").removesuffix("s")
        self.add_button = WordButton(noun, declared.field.help, icon="plus")
        self.add_button.clicked.connect(self._open_kinds)
        self._all = False
        self._rest = WordButton("", "Show all of them")
        self._rest.clicked.connect(self._show_all)
        self._column.add(self._rest, narrow=True)
        self._column.add(self.add_button, narrow=True)

    def _open_kinds(self) -> None:
        kinds = kinds_of(self.kind)
        if not kinds:
            self.add(self.kind)
            return
        menu = Menu(self)
        for word, kind in kinds.items():
            action = menu.addAction(word)
            action.setToolTip((kind.__doc__ or "").strip())
            action.triggered.connect(lambda _=False, kind=kind: self.add(kind))
        menu.open_at(self.add_button)

    def last(self) -> QWidget | None:
        """The first row of the last part."""
        rows = self.blocks[-1].opened().rows if self.blocks else []
        return rows[0] if rows else None

    def add(self, kind: type[Part], values: dict[str, Any] | None = None) -> None:
        """Adds a part of a kind, with a number and values of its own. Where none are told, what stands in time is a copy of the last, a
        little later; a key of a way one at the moment that is shown, where it changes nothing."""
        made = kind(**(values or {}))
        if kind is Pose and not values:
            self._add_pose()
            return
        if hasattr(made, "key"):
            made = replace(made, key=max((part.key for part in self._parts), default=-1) + 1)
        for when in ("at", "first_at"):
            if not values and hasattr(made, when) and self._parts:
                # A copy of the last, a little later: what lies exactly on another is not seen.
                last = self._parts[-1]
                made = replace(last, **{when: getattr(last, when) + 0.5, **({"key": made.key} if hasattr(made, "key") else {})})
        if hasattr(made, "name") and self._parts:
            made = replace(made, name=f"{made.name} {len(self._parts) + 1}")
        self.subject.change(f"add {self.declared.field.label}", self.path, (*self._parts, made))

    def _add_pose(self) -> None:
        """A key more where time stands; where one is already, the last is copied a little later."""
        at = round(self.desk.time, 4)
        if key_near(self._parts, at) is not None:
            at = round(self._parts[-1].at + 0.5, 4)
        keys = tuple(sorted((*self._parts, pose_at(self._parts, at)), key=lambda key: key.at))
        self.subject.change(f"add {self.declared.field.label}", self.path, keys)

    def reveal(self, path: Path) -> QWidget:
        """The row of a field of the first part that has it, or what adds one."""
        inner = tuple(step for step in path[len(self.path) :] if isinstance(step, str))
        for block in self.blocks if inner else ():
            if inner == ("on",) and block.switch is not None:
                return block.switch
            if inner[0] in fields_of(block.kind):
                row = block.opened().reveal((*self.path, block.index, *inner))
                if row is not None:
                    return row
        return self.add_button

    def fire(self, index: int) -> None:
        """Triggers a burst or a rule once, now."""
        part, layer = self._parts[index], self.desk.layer
        if layer is None:
            return
        if isinstance(part, Rule):
            self.desk.fire(part.layer, part.key, layer.id)
        else:
            self.desk.fire(layer.id, part.key)

    def remove(self, index: int) -> None:
        """Removes a part of the list."""
        left = (*self._parts[:index], *self._parts[index + 1 :])
        self.subject.change(f"remove {self.declared.field.label}", self.path, left)

    def show_parts(self, root: Any, parts: tuple[Any, ...]) -> None:
        """Shows the parts of a list."""
        self._parts = parts
        self.root = root
        same = 0
        for block, part in zip(self.blocks, parts, strict=False):
            if block.kind is not type(part):
                break
            same += 1
        for block in self.blocks[same:]:
            block.hide()
            self._column.removeWidget(block)
            self._spare[block.kind, block.index] = block
        del self.blocks[same:]
        shown = len(parts) if self._all else min(len(parts), _SHOWN)
        self._rest.show_text(f"the other {len(parts) - shown}")
        self._rest.setVisible(shown < len(parts))
        for i, part in enumerate(parts[same:shown], same):
            # Of many none is open at once: a column of fields for each would take seconds.
            spare = self._spare.pop((type(part), i), None)
            self.blocks.append(spare or _Block(self, i, type(part), opened=len(parts) <= _MANY))
            self._column.add(self.blocks[-1], self._rest)
            self.blocks[-1].show()
        for block, part in zip(self.blocks, parts, strict=False):
            block.show_part(part)

    def _show_all(self) -> None:
        self._all = True
        self.show_parts(self.root, self._parts)

    def _told(self, part: Any) -> str:
        if isinstance(part, Rule):
            return "when it " + part.when if part.when in ("touches", "ends") else f"when {part.when}"
        if isinstance(part, Place):
            return f"at {value_told(part.place, 'm')} m"
        return f"at {part.at:g} s" if hasattr(part, "at") else f"at {part.first_at:g} s"

    def title_of(self, part: Any) -> str:
        return getattr(part, "name", "") or getattr(part, "kind", "") or self._told(part)

    def tip_of(self, part: Any) -> str:
        if isinstance(part, Burst):
            return burst_told(part)
        if isinstance(part, Rule):
            return rule_told(self.desk.effect, part)
        return (type(part).__doc__ or "").strip()


_SHOWN = 24
"""Parts of a list that are shown until all are asked for."""

_MANY = 8
"""Parts of a list that are all open at once."""


class _Block(QWidget):
    """One part of a list: its title, which folds its fields, and what can be done with it. Fields are made when they are
    first opened."""

    def __init__(self, parts: PartsEdit, index: int, kind: type[Part], *, opened: bool) -> None:
        super().__init__()
        self.parts, self.index, self.kind = parts, index, kind
        self.fields: Within | None = None
        self._part: Any = None
        self._lines = QVBoxLayout(self)
        self._lines.setContentsMargins(0, 0, 0, 2)
        self._lines.setSpacing(1)
        head = QHBoxLayout()
        self.title = WordButton("", menu=False)
        self.title.setFixedHeight(22)
        self.title.colour = theme.BONE
        self.title.clicked.connect(self.flip)
        self.switch: SwitchEdit | None = None
        if "on" in fields_of(kind):
            self.switch = SwitchEdit(fields_of(kind)["on"].field, default=True)
            self.switch.setToolTip(fields_of(kind)["on"].field.help)
            self.switch.edited.connect(lambda value, stroke: parts.subject.change("on", (*parts.path, self.index, "on"), value, stroke))
        remove = IconButton("cross", "Remove", size=18)
        remove.clicked.connect(lambda: parts.remove(index))
        head.addWidget(self.title)
        head.addStretch(1)
        if kind in (Burst, Rule):
            fire = IconButton("play", "Trigger it once, now", size=18)
            fire.clicked.connect(lambda: parts.fire(index))
            head.addWidget(fire)
        if self.switch is not None:
            head.addWidget(self.switch)
        head.addWidget(remove)
        self._lines.addLayout(head)
        if opened:
            self._make()

    def _make(self) -> Within:
        self.fields = self.parts.within((*self.parts.path, self.index), self.kind)
        self._lines.addWidget(self.fields)
        return self.fields

    def opened(self) -> Within:
        """The fields, shown."""
        fields = self.fields or self._make()
        self._show()
        fields.show()
        return fields

    def flip(self) -> None:
        """Opens the fields, or folds them."""
        if self.fields is None or not self.fields.isVisible():
            self.opened()
        else:
            self.fields.hide()

    def show_part(self, part: Any) -> None:
        self._part = part
        self._show()

    def _show(self) -> None:
        self.title.show_text(self.parts.title_of(self._part))
        self.title.setToolTip(self.parts.tip_of(self._part))
        if self.switch is not None:
            self.switch.show_value(self._part.on)
        if self.fields is not None:
            self.fields.show_root(self.parts.root)
