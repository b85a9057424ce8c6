"""Which rows stand in a chapter: those a layer always needs, those that are set, those asked for and those pinned; or
all."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, get_origin

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from pale_ember.core.effect.edit import Path, value_at
from pale_ember.core.effect.fields import Declared, Field, Part, fields_of, inner_part, why_idle
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.edit_target import Subject
from pale_ember.studio.fields.lists import PartsEdit
from pale_ember.studio.fields.row import FieldRow, editor_for
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.settings import kept_list, settings
from pale_ember.studio.kit.stacks import Columns


def _word(path: Path) -> str:
    """A field by its names, for whichever part of a list it is in."""
    return ".".join(step for step in path if isinstance(step, str))


class Standing(QObject):
    """What a chapter shows of its fields. Pins are remembered; what was asked for stays until the layer is left."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.all = False
        """Whether everything stands."""
        self._asked: set[Path] = set()
        self._pins = frozenset(kept_list("pins"))
        """Read once: rows are asked for at every edit."""

    def stands(self, path: Path, *, needed: bool, is_set: bool) -> bool:
        """Whether the row of a field stands. What is set once stays until the layer is left, also when it is set back."""
        if is_set:
            self._asked.add(path)
        return self.all or needed or path in self._asked or self.pinned(path)

    def ask(self, path: Path) -> None:
        """Makes the row of a field stand until the layer is left."""
        if path not in self._asked:
            self._asked.add(path)
            self.changed.emit()

    def forget(self) -> None:
        """Another layer: only what it needs and sets stands."""
        self._asked.clear()

    def show_all(self, on: bool) -> None:
        """Shows every field, or only those that matter."""
        self.all = on
        self.changed.emit()

    def pinned(self, path: Path) -> bool:
        return bool(self._pins) and _word(path) in self._pins

    def pin(self, path: Path, on: bool) -> None:
        """Makes a field's row stand on every layer, or no longer."""
        word = _word(path)
        others = [pin for pin in kept_list("pins") if pin != word]
        settings().setValue("pins", [*others, word] if on else others)
        self._pins = frozenset(kept_list("pins"))
        self.changed.emit()


class Title(QWidget):
    """A quiet word above fields that belong together, and what adds to them, if anything."""

    def __init__(self, text: str, adds: QWidget | None = None) -> None:
        super().__init__()
        label = QLabel(text)
        label.setFont(theme.font(theme.SMALL, theme.font().Weight.DemiBold))
        theme.tone(label, "bone")
        row = QHBoxLayout(self)
        row.setContentsMargins(5, 2, 0, 0)
        row.addWidget(label)
        row.addStretch(1)
        if adds is not None:
            adds.setFixedHeight(20)
            row.addWidget(adds)
        self.setFixedHeight(22 if adds is not None else 20)


@dataclass(slots=True, eq=False)
class _Slot:
    """The place of a field: what shows it, made when it is first seen. group : the title it stands under. around : the
    field of the part that it is in, where that has needs too."""

    path: Path
    declared: Declared
    group: str
    around: Field | None = None
    widget: FieldRow | PartsEdit | None = None

    @property
    def lists(self) -> bool:
        """Whether it is a list of parts."""
        return inner_part(self.declared) is not None


def _slots(path: Path, kind: type[Part], skip: tuple[str, ...], group: str = "", around: Field | None = None) -> Iterator[_Slot]:
    """The fields of a part and those of the parts within it, each under the title of its part; lists as one."""
    for name, declared in fields_of(kind).items():
        if declared.field.hidden or name in skip:
            continue
        inner, here = inner_part(declared), (*path, name)
        if inner is not None and get_origin(declared.type) is not tuple:
            yield from _slots(here, inner, (), declared.field.label, declared.field)
        else:
            own = declared.field.label if inner is not None else declared.field.group.removeprefix("more: ")
            yield _Slot(here, declared, group or ("" if own == "more" else own), around)


class StandingFields(QWidget):
    """Those rows of a part that stand, flowing into columns where there is room."""

    def __init__(
        self, desk: Desk, subject: Subject, path: Path, kind: type[Part], standing: Standing, skip: tuple[str, ...] = (),
        *, only: tuple[str, ...] = (), listed: bool = False,
    ) -> None:  # fmt: skip
        super().__init__()
        self.desk, self.subject, self.path, self.kind, self.standing = desk, subject, path, kind, standing
        self._listed = listed
        slots = [slot for slot in _slots(path, kind, skip) if not only or slot.path[len(path)] in only]
        # Lists come last: they grow and push nothing else down.
        self._slots = sorted(slots, key=lambda slot: (slot.lists, bool(slot.group) and slot.group not in _EARLY))
        self._titles: dict[str, Title] = {}
        self._root: Any = None
        self._layout = Columns(self)

    @property
    def rows(self) -> list[FieldRow]:
        """The rows that stand."""
        return [slot.widget for slot in self._slots if isinstance(slot.widget, FieldRow) and not slot.widget.isHidden()]

    def put_first(self, widget: QWidget) -> None:
        """Lets a widget stand before all rows."""
        self._layout.add(widget)

    def _shown(self, slot: _Slot) -> FieldRow | PartsEdit:
        """What shows a field, in its place among those that were made before."""
        if slot.widget is None:
            kind = inner_part(slot.declared)
            if kind is not None:
                slot.widget = PartsEdit(self.desk, self.subject, slot.path, slot.declared, kind, self._within)
            else:
                editor = editor_for(slot.declared, self.desk)
                slot.widget = FieldRow(self.desk, self.subject, slot.path, slot.declared, editor)
                slot.widget.pins, slot.widget.around = self.standing, slot.around
            later = self._slots[self._slots.index(slot) + 1 :]
            following = next((other for other in later if other.widget is not None), None)
            before = following.widget if following is not None else None
            if following is not None and following.group != slot.group and following.group in self._titles:
                before = self._titles[following.group]  # type: ignore[assignment]
            several = isinstance(slot.widget, PartsEdit)
            self._layout.add(slot.widget, before, across=several)
            if slot.group and slot.group not in self._titles:
                adds = slot.widget.add_button if isinstance(slot.widget, PartsEdit) else None
                self._titles[slot.group] = Title(slot.group, adds)
                first = next(other for other in self._slots if other.widget is not None and other.group == slot.group)
                self._layout.add(self._titles[slot.group], first.widget, across=several, heads=True)
        return slot.widget

    def _within(self, path: Path, kind: type[Part]) -> StandingFields:
        return StandingFields(self.desk, self.subject, path, kind, self.standing, skip=("on",), listed=True)

    def _stands(self, slot: _Slot, root: Any, value: Any) -> bool:
        field = slot.declared.field
        needed = field.always or (self._listed and not field.group.startswith("more"))
        needed = needed and why_idle(field, root, value_at(root, slot.path[:-1])) is None
        return self.standing.stands(slot.path, needed=needed, is_set=value != slot.declared.default)

    def show_root(self, root: Any) -> None:
        """Shows the rows that stand as they are below `root`."""
        self._root = root
        titles: dict[str, bool] = {}
        for slot in self._slots:
            value = value_at(root, slot.path)
            stands = self._stands(slot, root, value)
            if slot.widget is not None:
                slot.widget.setVisible(stands)
            if not stands:
                continue
            widget = self._shown(slot)
            widget.setVisible(True)
            titled = slot.group not in _EARLY or self.standing.all
            titles[slot.group] = titled or inner_part(slot.declared) is not None
            if isinstance(widget, PartsEdit):
                widget.show_parts(root, value)
            else:
                widget.show_root(root, value)
        for text, title in self._titles.items():
            title.setVisible(titles.get(text, False))

    def list_of(self, path: Path) -> PartsEdit:
        """The list at a path, which stands from now on. Raises KeyError where there is none."""
        for slot in self._slots:
            if slot.path == path and inner_part(slot.declared) is not None:
                self.standing.ask(path)
                shown = self._shown(slot)
                assert isinstance(shown, PartsEdit)
                return shown
        raise KeyError(path)

    def reveal(self, path: Path) -> QWidget | None:
        """The row of the field at a path, which stands from now on; None where there is none. In a list the first part
        that has it is meant; where none has, what adds one."""
        for slot in self._slots:
            if path[: len(slot.path)] != slot.path:
                continue
            self.standing.ask(slot.path)
            widget = self._shown(slot)
            if isinstance(widget, PartsEdit):
                return widget.reveal(path)
            return widget
        return None


_EARLY = ("", "when", "shape", "aim")
"""Titles that say nothing where only a few rows stand, and that come before those of parts."""
