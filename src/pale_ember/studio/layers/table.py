"""Layers and the effect's time in one: a row is a layer, its bar the active span, its graph how many live."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QIcon,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QWheelEvent,
)
from PyQt6.QtWidgets import QApplication, QInputDialog, QWidget

from pale_ember.core.effect import edit
from pale_ember.core.effect.loops import with_lives_matched
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.posing import with_key
from pale_ember.core.effect.sharing import WHOLE, with_shared
from pale_ember.core.effect.tree import family_of, without_layer
from pale_ember.studio.controls.typed import OpenLine
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.document.importing import dropped
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.own import keep_own
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.still import Held, Still
from pale_ember.studio.layers.bars import Bars
from pale_ember.studio.layers.linking import Link
from pale_ember.studio.layers.row import (
    GRAB,
    LINK,
    LOW,
    MARGIN,
    NAMES,
    ROW,
    TAGS,
    TOP,
    Shown,
    paint_playhead,
    paint_row,
)
from pale_ember.studio.layers.starts import every_start

SHORTEST = 0.05
"""Seconds of the timeline that are seen at least."""

_ZOOM = 1.25
_FEW = 4
"""Layers up to which rows are high."""


class LayerTable(QWidget):
    """The rows, painted and driven here."""

    start_asked = pyqtSignal()
    """A layer is to be added."""
    shots_asked = pyqtSignal()
    """The selected layer is to be set off where the stage is clicked."""
    zoomed = pyqtSignal()
    """Another part of the timeline is seen."""
    places_asked = pyqtSignal()
    """The selected layer is to be put on places that are clicked on the stage."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.alive: dict[str, np.ndarray] = {}
        self.now: dict[str, int] = {}
        self._drag: Callable[[QPointF], None] | None = None
        self._drop: int | None = None
        self._line: OpenLine | None = None
        self._stills: dict[str, Still] = {}
        self._link: Link | None = None
        """The layer that is dragged to one it is to spawn."""
        self._head = 0.0
        self.view: tuple[float, float] | None = None
        """The part of the timeline that is seen, s, where it is not all."""
        self.row = ROW
        """Pixels of a row: fewer where there are many."""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Layers")
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        desk.document.changed.connect(self._resized)
        desk.selected.connect(self.update)
        desk.looking.changed.connect(self.update)
        desk.looking.pointing.connect(self.update)
        desk.player.moved.connect(self._playhead_moved)
        self._resized()

    # What is shown ---------------------------------------------------------------------------------------------

    def show_alive(self, alive: dict[str, np.ndarray]) -> None:
        """Takes the counts of one loop, by layer and step."""
        self.alive = alive
        self.update()

    def show_now(self, now: dict[str, int]) -> None:
        if now != self.now:
            self.now = now
            self.update(0, 0, NAMES, self.height())

    def _resized(self) -> None:
        count = max(len(self.desk.effect.layers), 1)
        self.row = ROW if count <= _FEW else LOW
        self.setMinimumHeight(TOP + self.row * count)
        kept = {layer.id for layer in self.desk.effect.layers}
        self._stills = {identity: still for identity, still in self._stills.items() if identity in kept}
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(430, self.minimumHeight())

    def length(self) -> float:
        """Real seconds across the timeline: one loop."""
        return self.desk.effect.duration / self.desk.effect.tempo

    def seen(self) -> tuple[float, float]:
        """The part of the timeline that is seen, s."""
        return self.view if self.view is not None and self.view[1] <= self.length() else (0.0, self.length())

    def x_at(self, time: float) -> float:
        begin, end = self.seen()
        return NAMES + (time - begin) / (end - begin) * (self.width() - NAMES - MARGIN)

    def time_at(self, x: float) -> float:
        begin, end = self.seen()
        return begin + (x - NAMES) / max(self.width() - NAMES - MARGIN, 1) * (end - begin)

    def zoom(self, factor: float, x: float) -> None:
        """Shows a shorter or longer part of the timeline, what is under a place staying there."""
        begin, end = self.seen()
        span = min(max((end - begin) * factor, SHORTEST), self.length())
        held = min(max(self.time_at(x), begin), end)
        self._see(held - (held - begin) / (end - begin) * span, span)

    def pan(self, share: float) -> None:
        """Moves along the timeline by a share of what is seen."""
        begin, end = self.seen()
        self._see(begin + share * (end - begin), end - begin)

    def see_all(self) -> None:
        self._see(0.0, self.length())

    def _see(self, begin: float, span: float) -> None:
        begin = min(max(begin, 0.0), self.length() - span)
        self.view = None if span >= self.length() - 1e-9 else (begin, begin + span)
        self.update()
        self.zoomed.emit()

    def snapped(self, time: float, layer: str = "", cue: int = -1) -> float:
        """A moment, or the next cue, burst, playhead or end of the loop that is hardly seen apart from it; the bursts of a
        layer and a cue that are in the hand aside."""
        effect, now = self.desk.effect, self.desk.player.moment
        marks = [0.0, self.length(), now % self.length() if effect.loop else now]
        marks += [each.at / effect.tempo for i, each in enumerate(effect.cues) if i != cue]
        others = (each for each in effect.layers if each.id != layer)
        marks += [burst.first_at / (effect.tempo * each.tempo) for each in others for burst in each.outlet.bursts]
        near = min(marks, key=lambda mark: abs(mark - time))
        free = QApplication.keyboardModifiers() & Qt.KeyboardModifier.AltModifier
        return near if not free and abs(self.x_at(near) - self.x_at(time)) <= GRAB else time

    def wheelEvent(self, event: QWheelEvent) -> None:
        """With Ctrl the wheel comes nearer in time, with Shift it goes along; else rows scroll."""
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(_ZOOM ** (-event.angleDelta().y() / 120), event.position().x())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.pan(-event.angleDelta().y() / 120 * 0.1)
        else:
            event.ignore()
            return
        event.accept()

    def row_box(self, index: int) -> QRectF:
        return QRectF(4, TOP + index * self.row, self.width() - 8, self.row - 2)

    def row_at(self, y: float) -> int | None:
        index = int((y - TOP) // self.row)
        return index if 0 <= index < len(self.desk.effect.layers) else None

    # Edits -----------------------------------------------------------------------------------------------------

    def add(self, start: str) -> None:
        """Adds the layers of a starting point, drawn last, and selects the one that spawns by itself."""
        layers = edit.fresh(every_start()[start].make())
        self.desk.document.change(f"add {start}", edit.with_layers(self.desk.effect, layers))
        by_itself = [layer.id for layer in layers if layer.outlet.rate.most > 0 or layer.outlet.bursts]
        self.desk.select([layers[0].id, *by_itself][-1])

    def keep_own(self) -> None:
        """Asks for a name, and keeps the selected layer as a starting point of the artist's own."""
        layer = self.desk.layer
        if layer is None:
            return
        name, ok = QInputDialog.getText(self, "A starting point of your own", "What is it called?", text=layer.name)
        if ok and name.strip():
            keep_own("layers", name.strip(), edit.fresh((layer,))[0])

    def duplicate(self) -> None:
        layer = self.desk.layer
        if layer is not None:
            effect, identity = edit.duplicated(self.desk.effect, layer.id)
            self.desk.document.change(f"duplicate {layer.name}", effect)
            self.desk.select(identity)

    def duplicate_sharing(self) -> None:
        """Adds a copy that has everything but where it stands in common with the selected layer."""
        layer = self.desk.layer
        if layer is not None:
            effect, identity = edit.duplicated(self.desk.effect, layer.id)
            for chapter in WHOLE:
                effect = with_shared(effect, layer.id, identity, (chapter,))
            self.desk.document.change(f"duplicate {layer.name}, shared", effect)
            self.desk.select(identity)

    def delete(self) -> None:
        layer = self.desk.layer
        if layer is not None:
            effect, chosen = self.desk.effect, self.desk.chosen
            for identity in chosen:
                effect = without_layer(effect, identity)
            what = layer.name if len(chosen) == 1 else f"{len(chosen)} layers"
            self.desk.document.change(f"delete {what}", effect)

    def move(self, places: int) -> None:
        layer = self.desk.layer
        if layer is not None:
            place = edit.index_of(self.desk.effect, layer.id) + places
            if 0 <= place < len(self.desk.effect.layers):
                self.desk.document.change(f"move {layer.name}", edit.moved_layer(self.desk.effect, layer.id, place))

    def toggle_shown(self, layer: Layer | None = None) -> None:
        """Hides a layer, the selected one to begin with, and what rides on it, or shows them again."""
        layer = layer or self.desk.layer
        if layer is None:
            return
        family, shown = family_of(self.desk.effect, layer.id), not layer.shown
        layers = tuple(replace(one, shown=shown) if one.id in family else one for one in self.desk.effect.layers)
        name = f"{'show' if shown else 'hide'} {layer.name}"
        self.desk.document.change(name, replace(self.desk.effect, layers=layers))

    def toggle_solo(self, layer: Layer | None = None) -> None:
        """Shows a layer, the selected one to begin with, alone; or with the others again."""
        layer = layer or self.desk.layer
        if layer is not None:
            self.desk.looking.set_solo(None if self.desk.looking.solo == layer.id else layer.id)

    def rename(self) -> None:
        """Opens the selected layer's name for typing."""
        layer = self.desk.layer
        if layer is None:
            return
        box = self.row_box(edit.index_of(self.desk.effect, layer.id))
        place = QRect(int(box.left()) + 22, int(box.top()) + 4, NAMES - 44, 22)
        self._line = OpenLine(self, layer.name, lambda text: self._renamed(layer.id, text), place)
        self._line.setAccessibleName("layer name")

    def _renamed(self, identity: str, text: str) -> str:
        name = text.strip()
        if not name:
            return "expected a name for the layer"
        if edit.layer_of(self.desk.effect, identity) is not None:
            self.desk.document.change_layer(f"rename to {name}", identity, ("name",), name)
        return ""

    # Mouse -----------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if event.button() != Qt.MouseButton.LeftButton:
            index = self.row_at(at.y())
            if index is not None:
                self.desk.select(self.desk.effect.layers[index].id)
            return
        index = self.row_at(at.y())
        if index is not None and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.desk.choose_also(self.desk.effect.layers[index].id)
            return
        if index is None:
            return
        layer = self.desk.effect.layers[index]
        if at.x() < 26:
            self.toggle_shown(layer)
        elif NAMES - 28 <= at.x() < NAMES - 8:
            self.toggle_solo(layer)
        elif LINK - 3 <= at.x() < LINK + 17:
            self._link = Link(self.desk, layer.id, at)
            self._drag = self._link.move
        else:
            self.desk.select(layer.id)
            if at.x() < NAMES - GRAB:
                self._drag = self._reordering(layer)
            else:
                bars = Bars(
                    self.desk,
                    layer,
                    self.row_box(index).bottom(),
                    at,
                    self.x_at,
                    lambda x: self.snapped(self.time_at(x), layer.id),
                )
                self._drag = bars.grip() or self._scrubbing(at, event.modifiers())

    def _scrubbing(self, at: QPointF, held: Qt.KeyboardModifier) -> Callable[[QPointF], None]:
        """Moves time once the pointer has moved; with Shift it draws the part that is played over and over."""

        def drag(to: QPointF) -> None:
            if abs(to.x() - at.x()) > GRAB or self.desk.player.scrubs:
                self.take_time(at.x(), to.x(), held)

        return drag

    def take_time(self, begun: float, x: float, held: Qt.KeyboardModifier) -> None:
        """A drag along the time has come from one place to another: holds time there, or with Shift plays what lies
        between over and over."""
        if held & Qt.KeyboardModifier.ShiftModifier:
            ends = sorted(min(max(self.time_at(place), 0.0), self.length()) for place in (begun, x))
            self.desk.player.play_part((ends[0], ends[1]) if x != begun else None, self.length())
        else:
            self.scrub(x)

    def scrub(self, x: float) -> None:
        """Holds time at a place of the ruler, in the loop that is shown."""
        self.desk.player.pause()
        self.desk.player.scrubs = True
        loop = self.desk.player.moment // self.length() if self.desk.effect.loop else 0
        time = max(self.time_at(x), 0.0)
        if self.desk.effect.loop:
            time = min(time, self.length() - 1e-6)
        self.desk.player.go_to(loop * self.length() + time)

    def _reordering(self, layer: Layer) -> Callable[[QPointF], None]:
        def drag(to: QPointF) -> None:
            count = len(self.desk.effect.layers)
            self._drop = min(max(round((to.y() - TOP) / self.row), 0), count)
            self.update()

        return drag

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._drag is not None:
            self._drag(event.position())
            if self._link is not None:
                self.update()
        elif not event.buttons():
            row = self.row_at(event.position().y())
            self.desk.looking.point_at(self.desk.effect.layers[row].id if row is not None else "")

    def leaveEvent(self, event: QEvent) -> None:
        self.desk.looking.point_at("")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._drop is not None and self.desk.layer is not None:
            place = edit.index_of(self.desk.effect, self.desk.selection)
            target = self._drop - (1 if self._drop > place else 0)
            if target != place:
                self.move(target - place)
        link, self._link = self._link, None
        if link is not None:
            index = self.row_at(event.position().y())
            link.end(self, self.desk.effect.layers[index] if index is not None else None)
        self._drag = self._drop = None
        self.desk.player.scrubs = False
        self.desk.document.end_stroke()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if self.row_at(event.position().y()) is not None and 26 <= event.position().x() < NAMES - 28:
            self._drag = None
            self.rename()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if dropped(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        event.setAccepted(self.row_at(event.position().y()) is not None)

    def dropEvent(self, event: QDropEvent) -> None:
        """A picture or a mesh becomes that of the layer it is dropped on."""
        row = self.row_at(event.position().y())
        if row is not None:
            identity = self.desk.effect.layers[row].id
            self.desk.select(identity)
            for path in dropped(event.mimeData())[:1]:
                self.desk.file_given.emit(path, identity)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.desk.looking.point_at("")
        menu = Menu(self)
        layer = self.desk.layer if self.row_at(event.pos().y()) is not None else None
        if layer is not None:
            for text, do in (
                ("Rename\tF2", self.rename),
                ("Duplicate\tCtrl+D", self.duplicate),
                ("Duplicate, all shared", self.duplicate_sharing),
                ("Hide\tH" if layer.shown else "Show\tH", lambda: self.toggle_shown(layer)),
                ("Alone\tA", lambda: self.toggle_solo(layer)),
                ("Free\tL" if layer.locked else "Lock\tL", self.toggle_locked),
                ("Draw earlier\tAlt+Up", lambda: self.move(-1)),
                ("Draw later\tAlt+Down", lambda: self.move(1)),
                ("Delete\tDel", self.delete),
            ):
                menu.addAction(text).triggered.connect(lambda _=False, do=do: do())
            matched = with_lives_matched(self.desk.effect, layer)
            match = menu.addAction("Match lives to the loop")
            match.setToolTip("Lets each live until the next is born, so that the loop has no dark gap")
            match.setEnabled(matched is not layer)
            match.triggered.connect(
                lambda: self.desk.document.change_layer(
                    f"{layer.name}: lives matched to the loop", layer.id, ("birth",), matched.birth
                )
            )
            key = menu.addAction("Key of its place at this moment")
            key.setToolTip("From then on its handles on the stage move the key of the moment that is shown")
            key.triggered.connect(self.add_key)
            if layer.keys:
                menu.addAction("Without its keys").triggered.connect(
                    lambda: self.desk.document.change_layer(f"{layer.name}: no keys", layer.id, ("keys",), ())
                )
            menu.addAction("Set off by clicks on the stage").triggered.connect(self.shots_asked)
            many = menu.addMenu("On many places")
            for text, lie in (("In a ring", "ring"), ("In a row", "row"), ("On one again", "one")):
                many.addAction(text).triggered.connect(lambda _=False, lie=lie: self.lay_out(lie))
            many.addAction("By clicks on the stage").triggered.connect(self.places_asked)
            tags = menu.addMenu("Tag")
            for tag, colour in TAGS.items():
                picture = QPixmap(14, 14)
                picture.fill(colour)
                tags.addAction(QIcon(picture), tag).triggered.connect(lambda _=False, tag=tag: self.set_tag(tag))
            tags.addAction("none").triggered.connect(lambda: self.set_tag("none"))
            menu.addAction("Keep as a starting point…").triggered.connect(self.keep_own)
            menu.addSeparator()
        menu.addAction("Add a layer…").triggered.connect(self.start_asked)
        menu.open_at(event.globalPos())

    def toggle_locked(self) -> None:
        """Keeps the selected layer from being changed, or lets it be changed again."""
        layer = self.desk.layer
        if layer is not None:
            name = f"{'free' if layer.locked else 'lock'} {layer.name}"
            self.desk.document.change_layer(name, layer.id, ("locked",), not layer.locked)

    def set_tag(self, tag: str) -> None:
        layer = self.desk.layer
        if layer is not None:
            self.desk.document.change_layer(f"{layer.name}: tag {tag}", layer.id, ("tag",), tag)

    def add_key(self) -> None:
        """Gives the selected layer a key at the moment that is shown."""
        layer, effect = self.desk.layer, self.desk.effect
        if layer is not None:
            time = self.desk.player.moment * effect.tempo
            keyed, _ = with_key(layer, time % effect.duration if effect.loop else time)
            self.desk.document.change_layer(f"{layer.name}: key", layer.id, ("keys",), keyed.keys)

    def lay_out(self, lie: str) -> None:
        """Puts the selected layer, and what rides on it, on many places, or on one again."""
        layer = self.desk.layer
        if layer is not None:
            path, name = ("places", "lie"), "one place" if lie == "one" else f"a {lie}"
            self.desk.document.change_layer(f"{layer.name}: on {name}", layer.id, path, lie)

    def select_beside(self, step: int) -> None:
        """Selects the row before or behind."""
        layers, layer = self.desk.effect.layers, self.desk.layer
        if layer is not None:
            place = edit.index_of(self.desk.effect, layer.id) + step
            self.desk.select(layers[min(max(place, 0), len(layers) - 1)].id)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.select_beside(-1 if key == Qt.Key.Key_Up else 1)
        elif key == Qt.Key.Key_Delete:
            self.delete()
        else:
            super().keyPressEvent(event)

    # Paint -----------------------------------------------------------------------------------------------------

    def playhead_x(self) -> float | None:
        """Where the playhead stands, or None when the moment lies beyond a one-shot's end."""
        moment, length = self.desk.player.moment, self.length()
        time = moment % length if self.desk.effect.loop else moment
        begin, end = self.seen()
        return self.x_at(time) if begin <= time <= min(end, length) else None

    def _playhead_moved(self) -> None:
        x = self.playhead_x() or 0.0
        if abs(x - self._head) >= 0.5:
            for at in (self._head, x):
                self.update(int(at) - 7, 0, 15, self.height())
            self._head = x

    def ticks(self) -> list[tuple[float, float]]:
        """The times that the ruler writes, and where they stand."""
        begin, end = self.seen()
        length = end - begin
        steps = (0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2, 5, 10, 30, 60, 300, 600)
        every = next((s for s in steps if length / s <= 6), 1200)
        first = math.ceil(begin / every - 1e-6)
        return [(i * every, self.x_at(i * every)) for i in range(first, math.floor(end / every + 1e-6) + 1)]

    def paintEvent(self, event: QPaintEvent) -> None:
        """Rows are painted as far as they are seen, each kept as a picture until something of it differs."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        layers = self.desk.effect.layers
        painter.setPen(QPen(theme.with_alpha(theme.LINE, 0.5), 1))
        for _, x in self.ticks():
            painter.drawLine(QPointF(x, 0), QPointF(x, TOP + self.row * len(layers)))
        first = max((event.rect().top() - TOP) // self.row, 0)
        last = min((event.rect().bottom() - TOP) // self.row, len(layers) - 1)
        for index in range(first, last + 1):
            layer = layers[index]
            if layer.id == self.desk.looking.pointed and layer.id not in self.desk.chosen:
                painter.fillRect(self.row_box(index), theme.with_alpha(theme.RAISED, 0.55))
            self._paint_kept(painter, layer, index)
            if event.rect().left() < NAMES:
                self._paint_state(painter, layer, self.row_box(index))
        if not layers:
            painter.setPen(theme.ASH)
            box = QRectF(16, TOP, self.width() - 32, self.row)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter, "No layers yet: press + above.")
        if self._link is not None:
            over, parent = self.row_at(self._link.at.y()), edit.index_of(self.desk.effect, self._link.parent)
            target = self.row_box(over) if over is not None and over != parent else None
            self._link.paint(painter, self.row_box(parent), target)
        if self._drop is not None:
            y = TOP + self._drop * self.row - 1
            painter.setPen(QPen(theme.EMBER, 2))
            painter.drawLine(QPointF(8, y), QPointF(NAMES - 8, y))
        paint_playhead(painter, self.playhead_x(), 0, self.height())

    def _paint_kept(self, painter: QPainter, layer: Layer, index: int) -> None:
        effect, chosen = self.desk.effect, layer.id in self.desk.chosen
        whole = effect.duration, effect.tempo, effect.steps, effect.loop, self.seen()
        look = chosen, chosen and self.hasFocus(), self.desk.looking.is_live(layer), self.desk.looking.solo == layer.id
        key = (Held(layer), Held(self.alive.get(layer.id)), whole, look)
        still = self._stills.setdefault(layer.id, Still(self))

        def draw(inner: QPainter) -> None:
            shown = Shown(effect, self.alive.get(layer.id), self.length(), self.seen(), self.width(), *look)
            paint_row(inner, layer, self.row_box(0).translated(0, -TOP), shown)

        still.paint(painter, key, draw, QPoint(0, TOP + index * self.row), QSize(self.width(), self.row))

    def _paint_state(self, painter: QPainter, layer: Layer, box: QRectF) -> None:
        painter.setFont(theme.font(theme.SMALL))
        live = self.desk.looking.is_live(layer)
        alive = self.now.get(layer.id, 0)
        full = live and alive >= layer.outlet.limit > 0 and layer.outlet.at_limit == "refuse births"
        painter.setPen(theme.WARNING if full else theme.ASH if live else theme.DIM)
        if self.row == LOW:
            place = QRectF(box.left(), box.top(), LINK - 10, box.height())
            side = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
            painter.drawText(place, side, f"{alive}" if live else "")
            return
        state = (
            f"{alive} alive: at its limit"
            if full
            else f"{alive} alive"
            if live
            else "muted by solo"
            if layer.shown
            else "hidden"
        )
        place = QRectF(box.left() + 24, box.top() + 22, NAMES - 82, 16)
        painter.drawText(place, Qt.AlignmentFlag.AlignVCenter, state)
