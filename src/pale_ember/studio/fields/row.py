"""A field on screen: its mark, its label, its editor; what it needs; its way back to the default."""

from __future__ import annotations

import types
from collections.abc import Sequence
from pathlib import Path as FilePath
from typing import Any, Literal, Protocol, Union, get_args, get_origin

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QEnterEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
)
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from pale_ember.core.effect.edit import Path, value_at, with_value
from pale_ember.core.effect.fields import Declared, Field, Need, Part, fields_of, why_idle
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.effect.recipe.recipe import holding
from pale_ember.core.effect.sharing import share_at, with_own
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range, Tints
from pale_ember.core.insight.checks.finding import Finding
from pale_ember.core.insight.sentences import value_told
from pale_ember.studio.controls.buttons import ChoiceEdit, IconButton, SwitchEdit
from pale_ember.studio.controls.colour import ColourEdit, TintsEdit
from pale_ember.studio.controls.curve_row import CurveRow
from pale_ember.studio.controls.number import FollowEdit, NumberEdit
from pale_ember.studio.controls.range_edit import PerAxisEdit, RangeEdit
from pale_ember.studio.controls.vector_edit import VectorEdit
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.edit_target import OfEffect, Subject, target
from pale_ember.studio.fields.fix_menu import add_mends, colour_of, paint_mark
from pale_ember.studio.fields.name_edits import NameEdit, name_edit
from pale_ember.studio.fields.sharing import add_sharing
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.kit.clipboard import clipboard_text, copy_text, drag_text, dropped_text, from_own_text, is_pulled, own_text
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu

LABEL_WIDTH = 92
_CHANNELS: dict[Path, Path] = {
    ("look", "surface", "channel"): ("look", "picture"),
    ("look", "surface", "second_channel"): ("look", "surface", "second"),
    ("look", "surface", "third_channel"): ("look", "surface", "third"),
    ("look", "surface", "warp_channel"): ("look", "surface", "warp"),
    ("look", "dissolve", "channel"): ("look", "dissolve", "picture"),
}
"""Fields that choose a channel, and the picture of which."""
_HEIGHT = 24
"""Pixels of a row."""


class PinnedRows(Protocol):
    """Keeps which rows stand always."""

    def pinned(self, path: Path) -> bool: ...

    def pin(self, path: Path, on: bool) -> None: ...


def editor_for(declared: Declared, desk: Desk, name: str = "") -> Any:
    """The editor of a field, by its type."""
    kind, field, default = declared.type, declared.field, declared.default
    if get_origin(kind) in (Union, types.UnionType):
        kind = next(arg for arg in get_args(kind) if arg is not types.NoneType)
        if kind is float:
            return FollowEdit(field, name)
    if kind in (Curve, Gradient):
        return CurveRow(declared, kind)
    if get_origin(kind) is Literal:
        return ChoiceEdit(field, kind, default, name)
    if kind is bool:
        return SwitchEdit(field, default, name)
    if kind is Range:
        return RangeEdit(field, default, name)
    if kind is PerAxis:
        return PerAxisEdit(field, default, name)
    if kind is Tints:
        return TintsEdit(field, default, name)
    if kind is str or kind == tuple[str, ...]:
        return name_edit(desk, field, several=kind is not str)
    if kind in (int, float):
        return NumberEdit(field, whole=kind is int, default=default, name=name)
    if get_origin(kind) is tuple and field.colour:
        return ColourEdit(field, default, name)
    if get_origin(kind) is tuple and get_args(kind) in ((float, float, float), (float, float)):
        return VectorEdit(field, default, name)
    raise TypeError(f"{declared.name}: no editor for {kind}")


def with_sides(root: Any, path: Path, width: Range, share: float) -> Any:
    """The part that has a width at a path, with it and its height as a share of it."""
    part, name = value_at(root, path[:-1]), str(path[-1])
    kind: type[Part] = type(part)
    return replace(part, **{name: width, fields_of(kind)[name].field.times: max(share, 0.001)})


class FieldRow(QWidget):
    """One declared field of a subject, at `path` below it."""

    def __init__(self, desk: Desk, subject: Subject, path: Path, declared: Declared, editor: Any) -> None:
        super().__init__()
        self.pins: PinnedRows | None = None
        self.around: Field | None = None
        """The field of the part that it is in, where that may be without effect as a whole."""
        self.desk, self.subject, self.path, self.declared, self.editor = desk, subject, path, declared, editor
        self._shown: tuple[object, ...] | None = None
        """What it shows, until it is edited here."""
        self._need: Need | None = None
        self._changed = False
        self._differs = False
        self._own = False
        """Whether it is the layer's own in a chapter that is shared."""
        self._pressed: QPointF | None = None
        self._mark: QColor | None = None
        """The colour of the mark that is painted."""
        self.setAcceptDrops(True)
        self.setToolTip(declared.field.help)
        desk.findings.changed.connect(self._checked)
        self.setFixedHeight(max(_HEIGHT, editor.height() if editor.height() < 400 else _HEIGHT))
        row = QHBoxLayout(self)
        row.setContentsMargins(LABEL_WIDTH, 0, 0, 0)
        row.addWidget(editor, 1, Qt.AlignmentFlag.AlignVCenter)
        editor.edited.connect(self._edited)
        editor.finished.connect(desk.document.end_stroke)
        if isinstance(editor, RangeEdit) and declared.field.times:
            editor.sides.connect(self._take_sides)
        if isinstance(editor, NameEdit):
            editor.brought.connect(self._bring)
            editor.tried.connect(self._try)

    def _bring(self, path: FilePath) -> None:
        """Brings a file beside the document and uses it here, whatever is selected by then."""
        change, field = self.subject.changer(), self.path
        self.desk.file_wanted.emit(path, lambda name: change(self.declared.field.label, field, name))

    def _try(self, name: str) -> None:
        """Shows on the stage what the layer would be with another name here."""
        layer = self.subject.root
        if isinstance(layer, Layer):
            self.desk.looking.try_layer(with_value(layer, self.path, name) if name else None)

    def _take_sides(self, width: Range, share: float) -> None:
        """A width and its height, typed together."""
        self.subject.change(self.declared.field.label, self.path[:-1], with_sides(self.subject.root, self.path, width, share))

    def _edited(self, value: object, stroke: object) -> None:
        self._shown = None
        if self.subject.root is not None:
            self.subject.change(self.declared.field.label, self.path, value, stroke)

    def aim(self, path: Path) -> None:
        """Shows the field of another part from now on."""
        self.path, self._shown = path, None

    def show_root(self, root: Any, value: object) -> None:
        """Shows the field as it is below a layer or the stage."""
        holder = value_at(root, self.path[:-1])
        field = self.declared.field
        need = why_idle(self.around, root, holder) if self.around is not None else None
        need = need or why_idle(field, root, holder)
        unit = field.unit_of(holder) if field.unit_by is not None else ""
        otherwise = field.otherwise(root) if field.otherwise is not None else None
        share = share_at(root, self.path[:1]) if isinstance(root, Layer) and len(self.path) == 2 else None
        if isinstance(self.editor, ChoiceEdit) and (holds := self._holds()) != self.editor.holds:
            self.editor.holds = holds
            self.editor.update()
        own = share is not None and self.path[1] in share.own
        if own != self._own:
            self._own = own
            self.update()
        if self._shown == (value, need, unit, otherwise):
            return
        self._shown, self._need = (value, need, unit, otherwise), need
        if field.unit_by is not None:
            self.editor.unit = unit
        self.editor.idle = need is not None
        if isinstance(self.editor, FollowEdit) and otherwise is not None:
            self.editor.follow(otherwise)
        self.editor.show_value(value)
        self.editor.update()
        self._changed = value != self.declared.default
        self.update()

    def hint(self) -> str:
        """Tells what the field does, at the bottom of the window."""
        field = self.declared.field
        if self._need is not None:
            return f"{field.label}: no effect just now. {self._need.reason}"
        if self._differs and len(self.desk.chosen) > 1:
            return f"{field.label}: the layers that are chosen differ here; an edit makes it the same for all. {field.help}"
        found = self.findings()
        if found:
            return f"{field.label}: {found[0].said}. {'Right-click to fix it.' if found[0].mends else ''}".rstrip()
        return f"{field.label}: {field.help} {self._when()}".rstrip()

    def _holds(self) -> dict[str, str]:
        """What each channel holds that may be read here, where the picture was packed here."""
        place = _CHANNELS.get(self.path)
        root = self.subject.root
        if place is None or not isinstance(root, Layer):
            return {}
        picture = value_at(root, place)
        return {each: holding(self.desk.effect.recipes, picture, each) for each in ("red", "green", "blue", "alpha")}

    def _when(self) -> str:
        """When a value of this field is drawn, where it is."""
        if self.declared.type in (Range, PerAxis, Tints) and self.path[0] in ("birth", "forces"):
            return "Drawn once for each particle."
        if isinstance(self.editor, CurveRow) and self.path == ("outlet", "rate_curve"):
            return "Over the effect's time."
        return ""

    def findings(self) -> list[Finding]:
        """What the checks found here."""
        root = self.subject.root
        if isinstance(root, Layer):
            return self.desk.findings.at(root.id, self.path)
        return self.desk.findings.at("", (*self.subject.below, *self.path)) if isinstance(self.subject, OfEffect) else []

    def _cause(self) -> Target | None:
        """The field elsewhere that keeps this one from having an effect."""
        return target(self.subject, self._need.path) if self._need is not None and not self._need.own else None

    def _checked(self) -> None:
        """Shows what the checks found by now, and tells it where the pointer waits for it."""
        if colour_of(self.findings()) != self._mark:
            self.update()
        if self.isVisible() and self.underMouse():
            self.desk.hinted.emit(self.hint(), self._cause())

    def enterEvent(self, event: QEnterEvent) -> None:
        self.desk.hinted.emit(self.hint(), self._cause())

    def mark_differing(self, others: Sequence[Any]) -> None:
        """Marks the field where another layer, of those that are told, has it otherwise."""
        differs = False
        for other in others:
            try:
                differs = differs or value_at(other, self.path) != value_at(self.subject.root, self.path)
            except (IndexError, AttributeError):
                differs = True
        if differs != self._differs:
            self._differs = differs
            self.update()

    def as_text(self) -> str:
        """The field's value as a text that any field of its kind takes."""
        return own_text("value", value=plain(value_at(self.subject.root, self.path)), path=list(self.path))

    def copy(self) -> None:
        """Copies the field alone, and says so."""
        copy_text(self.as_text())
        value = value_told(value_at(self.subject.root, self.path), self.declared.field.unit)
        self.desk.hinted.emit(f"Copied {self.declared.field.label}{f': {value}' if value else ''}.", None)

    def take(self, text: str) -> bool:
        """Takes a value from a text; says whether there was one that fits here."""
        raw = from_own_text(text, "value")
        if raw is None:
            return False
        name, holder = str(self.path[-1]), value_at(self.subject.root, self.path[:-1])
        kind = getattr(holder, "kind", None)
        told = {"kind": kind} if isinstance(kind, str) and "kind" not in holder.__struct_fields__ else {}
        base = next((base for base in type(holder).__mro__ if kind and base.__base__ is Part), type(holder))
        part, problems = read(base if told else type(holder), {**told, name: raw.get("value")})
        if any(not problem.notice for problem in problems):
            return False
        self._edited(getattr(part, name), None)
        return True

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.matches(QKeySequence.StandardKey.Paste):
            if not self.take(clipboard_text()):
                self.desk.hinted.emit(f"{self.declared.field.label}: what was copied is no value for it.", None)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._pressed = event.position() if event.button() == Qt.MouseButton.LeftButton else None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if is_pulled(self._pressed, event.position()):
            self._pressed = None
            drag_text(self, self.as_text())

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if dropped_text(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        if self.take(dropped_text(event)):
            event.acceptProposedAction()

    def _make_own(self, on: bool) -> None:
        """Keeps the field for the layer alone, of a chapter that it shares, or no longer."""
        layer = self.subject.root
        if isinstance(layer, Layer):
            own = with_own(layer, self.path[:1], str(self.path[1]), own=on)
            name = f"{self.declared.field.label}: {'own' if on else 'shared'}"
            self.desk.document.change_layer(name, layer.id, ("shares",), own.shares)

    def reset(self) -> None:
        """Goes back to the default."""
        self._edited(self.declared.default, None)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = Menu(self)
        for finding in self.findings():
            add_mends(menu, self.desk, finding)
        action = menu.addAction("Back to default")
        action.setEnabled(self._changed)
        action.triggered.connect(self.reset)
        cause = self._cause()
        if cause is not None:
            menu.addAction(f"Go to {cause.label}").triggered.connect(lambda: self.desk.sought.emit(cause))
        if isinstance(self.editor, VectorEdit):
            editor = self.editor
            link = menu.addAction("Linked: one changes all in proportion")
            link.setCheckable(True)
            link.setChecked(editor.linked)
            link.triggered.connect(lambda: editor.link(not editor.linked))
        layer = self.subject.root
        if isinstance(layer, Layer):
            if self.desk.reference.footage is not None:
                fits = menu.addAction("May change in a fit")
                fits.setCheckable(True)
                fits.setChecked((layer.id, self.path) in self.desk.free)
                fits.triggered.connect(lambda on: self.desk.set_free(layer.id, self.path, on))
            share = share_at(layer, self.path[:1])
            if share is not None and len(self.path) == 2:
                own = menu.addAction("Own value, though the rest is shared")
                own.setCheckable(True)
                own.setChecked(self._own)
                own.triggered.connect(self._make_own)
            elif share is None:
                add_sharing(menu, self.desk, layer, self.path, self.declared.field.label)
        menu.addAction("Copy\tCtrl+C").triggered.connect(self.copy)
        menu.addAction("Paste\tCtrl+V").triggered.connect(lambda: self.take(clipboard_text()))
        if self.pins is not None:
            pins, pinned = self.pins, self.pins.pinned(self.path)
            pin = menu.addAction("Pinned: stands here on every layer")
            pin.setCheckable(True)
            pin.setChecked(pinned)
            pin.triggered.connect(lambda: pins.pin(self.path, not pinned))
        menu.open_at(event.globalPos())

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.position().x() < LABEL_WIDTH:
            self.reset()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self._changed:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.DIM if self._need else theme.EMBER)
            painter.drawEllipse(QPointF(5, 12), 2, 2)
        found = self.findings()
        self._mark = colour_of(found)
        if found:
            paint_mark(painter, QRectF(LABEL_WIDTH - 14, 6, 12, 12), found)
        elif self._differs or self._own:
            painter.setPen(theme.EMBER)
            painter.setFont(theme.font())
            painter.drawText(QRectF(LABEL_WIDTH - 12, 0, 12, _HEIGHT), Qt.AlignmentFlag.AlignVCenter, "≠")
        painter.setPen(theme.DIM if self._need else theme.ASH)
        fitted_text.paint_label(painter, QRectF(13, 0, LABEL_WIDTH - 15, _HEIGHT - 1), self.declared.field.label)


def _first_with_keys(widget: QWidget) -> QWidget:
    """A widget, or the first in it that takes the keyboard; a number before the button beside it."""
    taking = [
        inner
        for inner in (widget, *widget.findChildren(QWidget))
        if inner.focusPolicy() != Qt.FocusPolicy.NoFocus and inner.isVisibleTo(widget)
    ]
    return min(taking, key=lambda inner: isinstance(inner, IconButton), default=widget)


def go_to(place: QWidget | None) -> None:
    """Focuses a field, or whatever stands for it."""
    if place is None:
        return
    editor = getattr(place, "editor", place)
    place.window().activateWindow()
    _first_with_keys(editor).setFocus()
