"""Fields within fields: groups that fold, and lists of parts, each with rows of its own."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, get_args, get_origin

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.edit import Path, value_at
from pale_ember.core.effect.fields import Declared, Part, fields_of, kinds_of, why_idle
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range, Tints
from pale_ember.core.insight.sentences import burst as burst_told
from pale_ember.core.insight.sentences import rule as rule_told
from pale_ember.studio.controls.buttons import Button, IconButton, WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.row import FieldRow, editor_for
from pale_ember.studio.fields.subject import Subject
from pale_ember.studio.kit import icons, theme
from pale_ember.studio.kit.popups import Menu

_VALUES = (Range, Tints, PerAxis, Curve, Gradient)
"""Parts that have an editor of their own in one row."""

Editors = Callable[[Declared], QWidget | None]
"""Gives a field's own editor where it has one."""


class Heading(Button):
    """A word with an arrow that folds what stands under it, and a mark where something there is changed."""

    def __init__(self, text: str, opened: bool) -> None:
        super().__init__()
        self.changed = 0
        self.setText(text)
        self.setCheckable(True)
        self.setChecked(opened)
        self.setFixedHeight(24)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(text)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)

    def mark(self, changed: int) -> None:
        if changed != self.changed:
            self.changed = changed
            self.update()

    def open(self) -> None:
        self.setChecked(True)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.underMouse() or self.hasFocus():
            painter.setPen(QPen(theme.EMBER, 1) if self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(theme.RAISED)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        painter.save()
        painter.translate(13, self.height() / 2)
        painter.rotate(0 if self.isChecked() else -90)
        icons.paint(painter, "down", QRectF(-6, -6, 12, 12), theme.ASH)
        painter.restore()
        painter.setFont(theme.font(theme.SMALL, theme.font().Weight.DemiBold))
        painter.setPen(theme.BONE)
        painter.drawText(QRectF(23, 0, self.width() - 40, 24), Qt.AlignmentFlag.AlignVCenter, self.text())
        if self.changed and not self.isChecked():
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.EMBER)
            painter.drawEllipse(QPointF(self.width() - 12, self.height() / 2), 2, 2)


def _headed(declared: Declared) -> bool:
    """Whether a field is shown under a heading of its own: a list of parts, or fields within it."""
    kind = declared.type
    kind = get_args(kind)[0] if get_origin(kind) is tuple else kind
    return isinstance(kind, type) and issubclass(kind, Part) and kind not in _VALUES


class FieldsColumn(QWidget):
    """All fields of a part at a path of the subject, in their groups."""

    def __init__(
        self, desk: Desk, subject: Subject, path: Path, kind: type[Part], skip: tuple[str, ...] = (),
        editors: Editors | None = None, only: tuple[str, ...] = (),
    ) -> None:  # fmt: skip
        super().__init__()
        self.desk, self.subject, self.path, self.kind = desk, subject, path, kind
        self.rows: list[FieldRow] = []
        self._parts: list[tuple[Path, Declared, PartsEdit | FieldsColumn, Heading]] = []
        self._groups: list[tuple[Heading, list[FieldRow]]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        shown = {
            name: declared
            for name, declared in fields_of(kind).items()
            if not declared.field.hidden and name not in skip and (not only or name in only)
        }
        # What stands under no word comes first: below a folded group it would read as part of that group.
        first = [name for name, declared in shown.items() if not declared.field.group and not _headed(declared)]
        holders: dict[str, QVBoxLayout] = {"": column}
        for name in (*first, *(name for name in shown if name not in first)):
            group = shown[name].field.group
            if group not in holders:
                heading, holders[group] = self._group(column, group, opened=not group.startswith("more"))
                self._groups.append((heading, []))
            row = self._add(holders[group], (*path, name), shown[name], editors)
            if group and row is not None:
                next(rows for heading, rows in self._groups if heading.text() == group).append(row)

    def _group(self, column: QVBoxLayout, text: str, *, opened: bool) -> tuple[Heading, QVBoxLayout]:
        heading, body = Heading(text, opened), QWidget()
        inner = QVBoxLayout(body)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(1)
        body.setVisible(opened)
        heading.toggled.connect(body.setVisible)
        column.addWidget(heading)
        column.addWidget(body)
        return heading, inner

    def _add(self, holder: QVBoxLayout, path: Path, declared: Declared, editors: Editors | None) -> FieldRow | None:
        """Adds a field, and gives its row where it has just one."""
        own = editors(declared) if editors is not None else None
        kind = declared.type
        if own is None and get_origin(kind) is tuple and isinstance(get_args(kind)[0], type):
            first = get_args(kind)[0]
            if issubclass(first, Part):
                edit = PartsEdit(self.desk, self.subject, path, declared, first)
                heading, inner = self._group(holder, declared.field.label, opened=True)
                inner.addWidget(edit)
                self._parts.append((path, declared, edit, heading))
                return None
        if own is None and isinstance(kind, type) and issubclass(kind, Part) and kind not in _VALUES:
            heading, inner = self._group(holder, declared.field.label, opened=False)
            inside = FieldsColumn(self.desk, self.subject, path, kind)
            inner.addWidget(inside)
            self._parts.append((path, declared, inside, heading))
            return None
        row = FieldRow(self.desk, self.subject, path, declared, own or editor_for(declared, self.desk))
        self.rows.append(row)
        holder.addWidget(row)
        return row

    def reveal(self, path: Path) -> QWidget | None:
        """The row of the field at a path below the root, unfolded to; None where there is none. In a list the first part
        that has it is meant; where none has, what adds one."""
        for row in self.rows:
            if row.path == path:
                heading = next((group for group, rows in self._groups if row in rows), None)
                if heading is not None:
                    heading.open()
                return row
        for below, _, widget, heading in self._parts:
            shown = widget.reveal(path) if isinstance(widget, FieldsColumn) or path[: len(below)] == below else None
            if shown is not None:
                heading.open()
                return shown
        return None

    def show_root(self, root: Any) -> None:
        """Shows the fields as they are below `root`."""
        for row in self.rows:
            row.show_root(root, value_at(root, row.path))
        for path, declared, widget, heading in self._parts:
            value = value_at(root, path)
            heading.mark(int(value != declared.default))
            heading.setToolTip(declared.field.help)
            idle = why_idle(declared.field, root, value_at(root, path[:-1]))
            if idle is not None:
                heading.setToolTip(f"{declared.field.help} No effect just now: {idle.reason}")
            if isinstance(widget, PartsEdit):
                widget.show_parts(root, value)
            else:
                widget.show_root(root)
        for heading, rows in self._groups:
            heading.mark(sum(value_at(root, row.path) != row.declared.default for row in rows))


class PartsEdit(QWidget):
    """A list of parts, one block each, and a way to add one."""

    def __init__(self, desk: Desk, subject: Subject, path: Path, declared: Declared, kind: type[Part]) -> None:
        super().__init__()
        self.desk, self.subject, self.path, self.declared, self.kind = desk, subject, path, declared, kind
        self.blocks: list[_Block] = []
        self._spare: dict[tuple[type[Part], int], _Block] = {}
        """Blocks that no part needs just now, by kind and place: another layer may, and making them takes its time."""
        self._parts: tuple[Any, ...] = ()
        self.root: Any = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(8, 0, 0, 2)
        self._column.setSpacing(2)
        noun = declared.field.label.removeprefix("more ").removesuffix("s")
        self.add_button = WordButton(noun, declared.field.help, icon="plus")
        self.add_button.clicked.connect(self._open_kinds)
        self._all = False
        self._rest = WordButton("", "There are many; show them all")
        self._rest.clicked.connect(self._show_all)
        self._column.addWidget(self._rest, 0, Qt.AlignmentFlag.AlignLeft)
        self._column.addWidget(self.add_button, 0, Qt.AlignmentFlag.AlignLeft)

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

    def add(self, kind: type[Part]) -> None:
        """Adds a part of a kind, with a number of its own; a copy of the last for things told by time."""
        made = kind()
        if hasattr(made, "key"):
            made = replace(made, key=max((part.key for part in self._parts), default=-1) + 1)
        for when in ("at", "first_at"):
            if hasattr(made, when) and self._parts:
                # A copy of the last, a little later: what lies exactly on another is not seen.
                last = self._parts[-1]
                made = replace(
                    last, **{when: getattr(last, when) + 0.5, **({"key": made.key} if hasattr(made, "key") else {})}
                )
        if hasattr(made, "name") and self._parts:
            made = replace(made, name=f"{made.name} {len(self._parts) + 1}")
        self.subject.change(f"add {self.declared.field.label}", self.path, (*self._parts, made))

    def reveal(self, path: Path) -> QWidget:
        """The row of a field of the first part that has it, or what adds one."""
        inner = tuple(step for step in path[len(self.path) :] if isinstance(step, str))
        for block in self.blocks if inner else ():
            if inner[0] in fields_of(block.kind):
                row = block.opened().reveal((*self.path, block.index, *inner))
                if row is not None:
                    return row
        return self.add_button

    def fire(self, index: int) -> None:
        part, layer = self._parts[index], self.desk.layer
        if layer is None:
            return
        if isinstance(part, Rule):
            self.desk.fire(part.layer, part.key, layer.id)
        else:
            self.desk.fire(layer.id, part.key)

    def remove(self, index: int) -> None:
        left = (*self._parts[:index], *self._parts[index + 1 :])
        self.subject.change(f"remove {self.declared.field.label}", self.path, left)

    def show_parts(self, root: Any, parts: tuple[Any, ...]) -> None:
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
            self._column.insertWidget(i, self.blocks[-1])
            self.blocks[-1].show()
        for block, part in zip(self.blocks, parts, strict=False):
            block.show_part(part)

    def _show_all(self) -> None:
        self._all = True
        self.show_parts(self.root, self._parts)

    def _told(self, part: Any) -> str:
        if isinstance(part, Rule):
            return "when it " + part.when if part.when in ("touches", "ends") else f"when {part.when}"
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
        self.fields: FieldsColumn | None = None
        self._part: Any = None
        self._lines = QVBoxLayout(self)
        self._lines.setContentsMargins(0, 0, 0, 4)
        self._lines.setSpacing(1)
        head = QHBoxLayout()
        self.title = WordButton("", menu=False)
        self.title.colour = theme.BONE
        self.title.clicked.connect(self.flip)
        remove = IconButton("cross", "Remove", size=18)
        remove.clicked.connect(lambda: parts.remove(index))
        head.addWidget(self.title)
        head.addStretch(1)
        if kind in (Burst, Rule):
            fire = IconButton("play", "Set it off once, now", size=18)
            fire.clicked.connect(lambda: parts.fire(index))
            head.addWidget(fire)
        head.addWidget(remove)
        self._lines.addLayout(head)
        if opened:
            self._make()

    def _make(self) -> FieldsColumn:
        parts = self.parts
        self.fields = FieldsColumn(parts.desk, parts.subject, (*parts.path, self.index), self.kind)
        self._lines.addWidget(self.fields)
        return self.fields

    def opened(self) -> FieldsColumn:
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
        if self.fields is not None:
            self.fields.show_root(self.parts.root)
