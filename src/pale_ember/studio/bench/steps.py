"""The steps of the recipe on the bench, one row each: switched, dragged to another place, removed."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.fields import kinds_of
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.insight.search import Entry
from pale_ember.studio.bench.bench_selection import BenchSelection
from pale_ember.studio.controls.finder import Finder
from pale_ember.studio.kit import fitted_text, icons, theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import on_screen, open_beside

_ROW = 26
_FAMILIES = {"shape": "shapes", "noise": "noises", "source": "from elsewhere", "change": "changes"}


class StepsList(QWidget):
    """Rows in the order in which they work, the first on top."""

    asked = pyqtSignal()
    """A step is to be added."""

    def __init__(self, chosen: BenchSelection) -> None:
        super().__init__()
        self.chosen = chosen
        self._grip: tuple[int, float] | None = None
        self._over: int | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("steps")
        chosen.turned.connect(self.refresh)
        self.refresh()

    @property
    def steps(self) -> tuple[Step, ...]:
        recipe = self.chosen.recipe
        return recipe.steps if recipe is not None else ()

    def refresh(self) -> None:
        self.setFixedHeight(max(len(self.steps), 1) * _ROW)
        step = self.chosen.step
        self.setAccessibleDescription(step.kind if step is not None else "")
        self.update()

    def _row(self, y: float) -> int:
        return min(max(int(y // _ROW), 0), len(self.steps) - 1)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or not self.steps:
            return
        row = self._row(event.position().y())
        step, x = self.steps[row], event.position().x()
        if x < 26:
            self.chosen.change_step("on" if not step.on else "off", replace(step, on=not step.on))
        elif x > self.width() - 22:
            self.chosen.remove_step(step.key)
        else:
            self.chosen.choose_step(step.key)
            self._grip = step.key, event.position().y()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        y = event.position().y()
        if self._grip is not None and abs(y - self._grip[1]) > 6:
            self._over = round(y / _ROW)
        else:
            self.setToolTip((type(self.steps[self._row(y)]).__doc__ or "").strip() if self.steps else "")
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        grip, over, self._grip, self._over = self._grip, self._over, None, None
        if grip is not None and over is not None:
            at = next(k for k, step in enumerate(self.steps) if step.key == grip[0])
            self.chosen.move_step(grip[0], over - (over > at))
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, place = event.key(), self.chosen.place
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and self.steps:
            by = 1 if key == Qt.Key.Key_Down else -1
            self.chosen.choose_step(self.steps[min(max(place + by, 0), len(self.steps) - 1)].key)
        elif key == Qt.Key.Key_Delete and place >= 0:
            self.chosen.remove_step(self.steps[place].key)
        else:
            super().keyPressEvent(event)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font())
        if not self.steps:
            painter.setPen(theme.ASH)
            painter.drawText(self.rect().adjusted(8, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, "nothing is painted yet")
        for k, step in enumerate(self.steps):
            box = QRectF(0, k * _ROW, self.width(), _ROW).adjusted(1, 1, -1, -1)
            chosen = step.key == self.chosen.step_key
            painter.setPen(QPen(theme.EMBER, 1) if chosen and self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(theme.RAISED if chosen else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box, 4, 4)
            icons.paint(
                painter, "shown" if step.on else "hidden", QRectF(6, box.center().y() - 7, 14, 14), theme.EMBER if step.on else theme.DIM
            )
            painter.setPen(theme.BONE if step.on else theme.DIM)
            painter.drawText(QRectF(28, box.top(), 110, box.height()), Qt.AlignmentFlag.AlignVCenter, step.kind)
            told = told_of(step)
            painter.setPen(theme.ASH if step.on else theme.DIM)
            left = 34 + fitted_text.width_of(step.kind)
            shown = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, int(self.width() - left - 26))
            painter.drawText(QRectF(left, box.top(), self.width(), box.height()), Qt.AlignmentFlag.AlignVCenter, shown)
            if chosen:
                icons.paint(painter, "cross", QRectF(self.width() - 19, box.center().y() - 6, 12, 12), theme.ASH)
        if self._over is not None:
            painter.setPen(QPen(theme.EMBER, 2))
            y = min(self._over, len(self.steps)) * _ROW
            painter.drawLine(QPointF(2, y), QPointF(self.width() - 2, y))


def told_of(step: Step) -> str:
    """A few words on a step: how it joins, and what it is made of."""
    words: list[str] = []
    if step.mix != "over":
        words.append(step.mix)
    if step.amount < 1:
        words.append(f"{step.amount:.0%}")
    for name in ("picture", "pattern", "way"):
        if isinstance(value := getattr(step, name, None), str) and value:
            words.append(value.partition(":")[2] or value)
    strokes = getattr(step, "strokes", None)
    if strokes is not None:
        words.append(f"{len(strokes)} stroke{'s' * (len(strokes) != 1)}")
    if step.lanes:
        words.append("over frames")
    return " · ".join(words)


class StepFinder(Finder):
    """Every kind of step, found by any word for it."""

    def __init__(self, parent: QWidget, chosen: BenchSelection) -> None:
        super().__init__(parent, "Add a step", "a shape, a noise, a change: dot, smoke, blur, erode…", 420)
        self.chosen = chosen
        self._kinds: dict[str, type[Step]] = kinds_of(Step)  # type: ignore[assignment]
        self.sift()

    def found(self, text: str) -> list[Entry]:
        words = text.lower().split()
        found = []
        for word, kind in self._kinds.items():
            whole = " ".join((word, *kind.found, _FAMILIES[kind.family], (kind.__doc__ or "").lower()))
            if all(each in whole for each in words):
                rank = 0 if word.startswith(text.lower()) else 1 if any(f.startswith(text.lower()) for f in kind.found) else 2
                help_ = (kind.__doc__ or "").strip().splitlines()[0]
                found.append((rank if text else 0, Entry(word, _FAMILIES[kind.family], kind.found, help_, kind)))
        order = list(_FAMILIES.values())
        if not text:
            found.sort(key=lambda each: order.index(each[1].where))
        else:
            found.sort(key=lambda each: each[0])
        return [entry for _, entry in found]

    def take(self, entry: Entry) -> None:
        self.chosen.add_step(entry.does())

    def open_at(self, anchor: QWidget) -> None:
        open_beside(self, on_screen(anchor), anchor.screen().availableGeometry())
        self.line.setFocus()
