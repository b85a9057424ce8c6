"""All fields of a part, in groups that fold."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, get_origin

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from pale_ember.core.effect.edit import Path, value_at
from pale_ember.core.effect.fields import Declared, Part, fields_of, inner_part, why_idle
from pale_ember.studio.controls.buttons import Button
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.edit_target import Subject
from pale_ember.studio.fields.lists import PartsEdit
from pale_ember.studio.fields.row import FieldRow, editor_for
from pale_ember.studio.kit import icons, theme
from pale_ember.studio.kit.painting import painted

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
        """Opens the group."""
        self.setChecked(True)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
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
        first = [name for name, declared in shown.items() if not declared.field.group and inner_part(declared) is None]
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
        kind = inner_part(declared) if own is None else None
        if kind is not None:
            several = get_origin(declared.type) is tuple
            heading, inner = self._group(holder, declared.field.label, opened=several)
            inside: PartsEdit | FieldsColumn
            if several:
                inside = PartsEdit(self.desk, self.subject, path, declared, kind, self._within)
            else:
                inside = self._within(path, kind)
            inner.addWidget(inside)
            self._parts.append((path, declared, inside, heading))
            return None
        row = FieldRow(self.desk, self.subject, path, declared, own or editor_for(declared, self.desk))
        self.rows.append(row)
        holder.addWidget(row)
        return row

    def _within(self, path: Path, kind: type[Part]) -> FieldsColumn:
        return FieldsColumn(self.desk, self.subject, path, kind, skip=("on",))

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

    def open_parts(self) -> None:
        """Unfolds the parts that it is made of."""
        for *_, heading in self._parts:
            heading.open()

    def aim(self, path: Path) -> None:
        """Shows the part at another path from now on."""
        if path == self.path:
            return
        self.path, before = path, self.path
        for row in self.rows:
            row.aim((*path, *row.path[len(before) :]))
        for k, (below, declared, widget, heading) in enumerate(self._parts):
            below = (*path, *below[len(before) :])
            if isinstance(widget, FieldsColumn):
                widget.aim(below)
            self._parts[k] = (below, declared, widget, heading)

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
