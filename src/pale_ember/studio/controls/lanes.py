"""Lanes: one property over age each, on an axis they share. Curves and gradients are edited where they are drawn."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence, QMouseEvent, QPainter
from PyQt6.QtWidgets import QMenu, QWidget

from pale_ember.core.effect.curves import mirrored, with_key, with_moved
from pale_ember.core.effect.fields import Declared
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.effect.values import Curve, Gradient, Key, Stop
from pale_ember.studio.kit import icons, theme
from pale_ember.studio.kit.cached_painting import CachedPainting
from pale_ember.studio.kit.clipboard import clipboard_text, copy_text, drag_text, dropped_text, from_own_text, is_pulled, own_text
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.strokes import RepeatedEdit

LABEL = 84
"""Pixels for a lane's name, left of the age axis."""
LARGE = 168
"""Pixels that a large lane is high at least."""
MARGIN = 14
REACH = 9
"""How near the pointer must be to a key or the curve, in pixels."""

CROWDED = 3.5
"""Pixels from one drawn key to the next at least: of more only the curve is seen."""


class LaneEdit(QWidget):
    """What curve and gradient lanes have in common: the axis, the points, the clipboard, the keyboard."""

    edited = pyqtSignal(object, object)
    """(new value or None to remove the lane, stroke)"""
    finished = pyqtSignal()
    picked = pyqtSignal()
    """Another point is selected."""
    grown = pyqtSignal()
    """It is to be shown large, or small again."""

    kind: type[Curve] | type[Gradient]
    part: str
    room: tuple[int, int] = LABEL, MARGIN
    """Pixels that are left at both sides."""

    def __init__(self, declared: Declared, height: int) -> None:
        super().__init__()
        self.declared = declared
        self.title = declared.field.label
        self.value: Curve | Gradient = self.kind()
        self.ages = np.zeros(0, np.float32)
        self.followed: float | None = None
        """Where the particle that is followed stands on the axis."""
        self.selected: int | None = None
        self._stroke: object = None
        self._nudges = RepeatedEdit(self)
        self._nudges.ended.connect(self.finished)
        self._dragging = False
        self._pointer: QPointF | None = None
        self._still = CachedPainting(self)
        self.large, self._heights, self._exact = False, (height, LARGE), False
        self.locked = False
        """Whether it is only seen."""
        self.axis = 0.0, 1.0, ""
        """What the axis runs from and to, besides its share from 0 to 1, and its unit."""
        self.unit = declared.field.unit
        """The unit of its values."""
        self._differs = False
        self._doubt: QColor | None = None
        """The colour of the mark of what was found wrong with it, if anything was."""
        self._pressed_name: QPointF | None = None
        self.more_actions: Callable[[QMenu], None] | None = None
        """What whoever holds the lane adds to its menu."""
        self.setAcceptDrops(True)
        self.setMinimumHeight(height)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{declared.field.label} over age")

    @property
    def points(self) -> tuple:
        """Its keys or stops."""
        return getattr(self.value, self.part)

    def set_large(self, large: bool) -> None:
        """Shows the lane large, with its grid, or small again."""
        self.large = large
        self.setMinimumHeight(self._heights[large])
        if self._exact:
            self.setMaximumHeight(self._heights[large])
        self.update()

    def set_heights(self, small: int, large: int) -> None:
        """How high it is, small and large, in pixels: neither more nor less."""
        self._heights, self._exact = (small, large), True
        self.set_large(self.large)

    def set_locked(self, locked: bool) -> None:
        """Lets the lane only be seen, or be edited again."""
        self.locked = locked
        self.select(None)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.position().x() < self.room[0]:
            self.grown.emit()

    def box(self) -> QRectF:
        """Where ages run from left to right."""
        left, right = self.room
        return QRectF(left, 5, self.width() - left - right, self.height() - 10)

    def x_at(self, age: float) -> float:
        """Where an age lies, in pixels."""
        box = self.box()
        return box.left() + age * box.width()

    def age_at(self, x: float) -> float:
        """The age at a place."""
        box = self.box()
        return min(max((x - box.left()) / max(box.width(), 1), 0.0), 1.0)

    def show_value(self, value: Curve | Gradient) -> None:
        """Shows a value; nobody is told of an edit."""
        if value is not self.value:
            if value != self.value:
                # It was changed elsewhere, by an undo perhaps: what was in the hand may be gone.
                self.drop()
            self.value = value
            if self.selected is not None and self.selected >= len(self.points):
                self.selected = None
            self.update()

    def show_ages(self, ages: np.ndarray, followed: float | None = None) -> None:
        """Shows where the living particles are on the axis. ages : (n,) 0 to 1."""
        self.ages, self.followed = ages, followed
        self.update()

    def select(self, index: int | None) -> None:
        """Takes a point in hand, or none."""
        if index != self.selected:
            self.selected = index
            self.update()
        self.picked.emit()

    def drop(self) -> None:
        """Ends a drag that nothing comes of any more."""
        self._dragging = False

    def let_go(self) -> None:
        """Nothing of it is in the hand any more."""
        self.selected = None
        self.update()

    def tell(self, points: tuple, stroke: object = None) -> None:
        """Takes other points, and tells of the edit."""
        if self.locked:
            return
        self.value = replace(self.value, **{self.part: points})
        self.update()
        self.edited.emit(self.value, stroke)

    def set_point(self, index: int, stroke: object = None, **values: object) -> None:
        """Changes one point, if it is still there; its age stays between its neighbours'."""
        points = self.points
        if index >= len(points):
            return
        age = values.pop("at", None)
        changed = replace(points[index], **values)
        points = (*points[:index], changed, *points[index + 1 :])
        if age is not None:
            points = with_moved(points, index, float(age))  # type: ignore[arg-type]
        self.tell(points, stroke)

    def remove_point(self, index: int) -> None:
        """Removes a point, unless it is the last."""
        if len(self.points) > 1 and index < len(self.points):
            self.selected = None
            self.tell((*self.points[:index], *self.points[index + 1 :]))
            self.picked.emit()

    def add_point(self, point: Key | Stop, stroke: object = None) -> int:
        """Adds a point; gives its index."""
        points = with_key(self.points, point)
        index = next(i for i, candidate in enumerate(points) if candidate not in self.points)
        self.tell(points, stroke)
        self.select(index)
        return index

    def mark_differing(self, differs: bool) -> None:
        """Marks the lane as other than that of the layer beside it."""
        if differs != self._differs:
            self._differs = differs
            self.update()

    def mark_doubt(self, colour: QColor | None) -> None:
        """Marks the lane as something that was found wrong, or no longer."""
        if colour != self._doubt:
            self._doubt = colour
            self.update()

    def as_text(self) -> str:
        """The lane as text, for the clipboard."""
        return own_text(self.kind.__name__.lower(), **plain(self.value))

    def copy(self) -> None:
        """Copies the lane."""
        copy_text(self.as_text())

    def press_name(self, at: QPointF) -> bool:
        """Whether a press is on the lane's name, by which it is dragged to another."""
        self._pressed_name = at if at.x() < self.box().left() - REACH else None
        return self._pressed_name is not None

    def pull_name(self, event: QMouseEvent) -> None:
        """Begins to drag the lane to another, once its name was pulled. A lane is told of the pointer without a press too."""
        if not event.buttons() & Qt.MouseButton.LeftButton:
            self._pressed_name = None
        if is_pulled(self._pressed_name, event.position()):
            self._pressed_name = None
            drag_text(self, self.as_text())

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if dropped_text(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        if self.take(dropped_text(event)):
            event.acceptProposedAction()

    def paste(self) -> bool:
        """Takes a copied curve or gradient; says whether there was one that fits."""
        return self.take(clipboard_text())

    def take(self, text: str) -> bool:
        """Takes a curve or gradient from a text; says whether there was one that fits."""
        raw = from_own_text(text, self.kind.__name__.lower())
        if raw is None:
            return False
        value, problems = read(self.kind, raw)
        if any(not problem.notice for problem in problems):
            return False
        self.select(None)
        self.tell(getattr(value, self.part))
        return True

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.paste()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.grown.emit()
        elif event.key() in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            step = 1 if event.key() == Qt.Key.Key_PageDown else -1
            here = self.selected if self.selected is not None else -1 if step > 0 else 0
            self.select((here + step) % len(self.points))
        elif event.key() == Qt.Key.Key_Insert:
            ages = [0.0, *(point.at for point in self.points), 1.0]
            begin, end = ages[(self.selected or 0) + 1 :][:2]
            if end > begin:
                self.add_point(self.point_at((begin + end) / 2))
        elif self.selected is None:
            super().keyPressEvent(event)
        elif event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove_point(self.selected)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            way = 0.01 if event.key() == Qt.Key.Key_Right else -0.01
            self.set_point(self.selected, self._nudges.current(), at=self.points[self.selected].at + way)
            self.picked.emit()
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        menu = Menu(self)
        by_key = event.reason() == QContextMenuEvent.Reason.Keyboard
        index = self.selected if by_key else self.point_near(QPointF(event.pos()))
        grow = menu.addAction("Reduce\tReturn" if self.large else "Enlarge\tReturn")
        grow.triggered.connect(self.grown)
        menu.addSeparator()
        if index is not None and not self.locked:
            if index != self.selected:
                self.select(index)
            self.point_actions(menu, index)
            action = menu.addAction("Remove this point")
            action.setEnabled(len(self.points) > 1)
            action.triggered.connect(lambda: self.remove_point(index))
            menu.addSeparator()
        menu.addAction("Copy lane").triggered.connect(self.copy)
        menu.addAction("Paste lane").triggered.connect(self.paste)
        menu.addAction("Mirror in time").triggered.connect(self.mirror)
        self.lane_actions(menu)
        if self.more_actions is not None:
            self.more_actions(menu)
        menu.addSeparator()
        menu.addAction("Remove lane").triggered.connect(lambda: self.edited.emit(None, None))
        menu.open_at(event.globalPos())

    def mirror(self) -> None:
        """Turns the axis round."""
        self.select(None)
        if isinstance(self.value, Curve):
            self.tell(mirrored(self.value).keys)
        else:
            self.tell(tuple(replace(point, at=round(1 - point.at, 9)) for point in reversed(self.points)))

    def point_actions(self, menu: QMenu, index: int) -> None: ...

    def lane_actions(self, menu: QMenu) -> None: ...

    def point_near(self, at: QPointF) -> int | None:
        """The point that is near enough to a place to be meant."""
        raise NotImplementedError

    def point_at(self, age: float) -> Key | Stop:
        """A new point on it at an age, which changes nothing yet."""
        raise NotImplementedError

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._dragging:
            self._dragging = False
            self.finished.emit()
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._pointer = None
        self.update()

    def paint_label(self, painter: QPainter) -> None:
        """Paints the lane's name and its marks."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font())
        painter.setPen(theme.BONE if self.hasFocus() else theme.ASH)
        painter.drawText(QRectF(14, 0, LABEL - 16, self.height()), Qt.AlignmentFlag.AlignVCenter, self.title)
        if self._doubt is not None:
            icons.paint(painter, icons.problem(self._doubt), QRectF(0, self.height() / 2 - 6, 12, 12), self._doubt, 1.3)
        elif self._differs:
            painter.setPen(theme.EMBER)
            painter.drawText(QRectF(2, 0, 12, self.height()), Qt.AlignmentFlag.AlignVCenter, "≠")
