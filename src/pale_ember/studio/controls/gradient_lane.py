"""Lanes drawn as bars of colour, with stops to take hold of."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPoint, QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QIcon, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMenu

from pale_ember.core.effect.fields import Declared
from pale_ember.core.effect.values import Gradient, Stop, gradient, three
from pale_ember.core.texture.heat import cooling
from pale_ember.core.texture.palettes import from_text, to_palette, to_svg
from pale_ember.formats.pictures import PictureError, read_picture
from pale_ember.studio.controls.colour import open_picker, screen_codes, screen_colour
from pale_ember.studio.controls.eyedropper import Eyedropper
from pale_ember.studio.controls.lanes import REACH, LaneEdit
from pale_ember.studio.controls.picture_colours import AlongPicture
from pale_ember.studio.controls.text_entry import refuse
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.cached_painting import ById
from pale_ember.studio.kit.clipboard import clipboard_text, copy_text
from pale_ember.studio.kit.painting import painted, painter_on
from pale_ember.studio.kit.saved_items import drop_own, keep_own, kept_parts, offer_sharing, own_parts
from pale_ember.studio.kit.settings import last_folder
from pale_ember.studio.kit.tasks import Task

_PRODUCT = 5
"""Pixels of the strip that shows what the stage makes of it."""
_FILES = "Pictures (*.png *.tga *.webp *.exr *.dds)"

COOLINGS = {
    "candle": (1950.0, 1100.0),
    "wood fire": (1800.0, 850.0),
    "furnace": (2600.0, 1000.0),
    "white hot": (6500.0, 1500.0),
    "blue hot": (20000.0, 2500.0),
}
"""Heat that is often wanted: from and to, in kelvin."""


PALETTES: dict[str, Gradient] = {
    "kiln fire": gradient((0, (1.0, 0.92, 0.75)), (0.2, (1.0, 0.7, 0.36)), (0.5, (0.95, 0.3, 0.09)), (1, (0.2, 0.012, 0.006))),
    "cold flame": gradient((0, (0.8, 0.95, 1.0)), (0.3, (0.25, 0.6, 1.0)), (0.7, (0.06, 0.14, 0.6)), (1, (0.01, 0.02, 0.12))),
    "smoke out of fire": gradient((0, (3.0, 1.1, 0.35)), (0.2, (0.9, 0.6, 0.45)), (0.5, (0.35, 0.34, 0.34)), (1, (0.2, 0.2, 0.21))),
    "sea glass": gradient((0, (0.75, 1.0, 0.92)), (0.5, (0.22, 0.75, 0.62)), (1, (0.02, 0.2, 0.2))),
    "ember": gradient((0, (1.0, 0.6, 0.25)), (0.6, (0.8, 0.12, 0.02)), (1, (0.06, 0.008, 0.004))),
    "eel light": gradient((0, (0.9, 0.95, 1.0)), (0.4, (0.5, 0.6, 1.0)), (1, (0.15, 0.05, 0.5))),
    "rust to ash": gradient((0, (0.5, 0.16, 0.05)), (0.5, (0.2, 0.13, 0.1)), (1, (0.1, 0.1, 0.1))),
}
"""Colours to begin with, by name."""


def _slope(colours: Gradient, box: QRectF) -> QLinearGradient:
    """A gradient as the screen shows it, from left to right in a box."""
    return _run(screen_codes(colours.at(np.linspace(0, 1, 33))), box)


def _run(codes: np.ndarray, box: QRectF) -> QLinearGradient:
    """Colours (n, 3), coded 0 to 1, evenly from left to right in a box."""
    slope = QLinearGradient(box.topLeft(), box.topRight())
    last = max(len(codes) - 1, 1)
    parts = np.rint(codes * 255).astype(int).tolist()
    slope.setStops([(k / last, QColor(*part)) for k, part in enumerate(parts)])
    return slope


def _striped(colours: Gradient) -> QIcon:
    """A small picture of a gradient, for a menu."""
    pixmap = QPixmap(40, 20)
    with painter_on(pixmap) as painter:
        painter.fillRect(pixmap.rect(), _slope(colours, QRectF(pixmap.rect())))
    return QIcon(pixmap)


class GradientLane(LaneEdit):
    """A colour over age with its stops below. Press the bar to add a stop, double-click one to pick its colour."""

    kind, part = Gradient, "stops"

    def __init__(self, declared: Declared, height: int = 40) -> None:
        super().__init__(declared, height)
        self.product: np.ndarray | None = None
        self._reading: Task | None = None

    def colour_at(self, age: float) -> tuple[float, float, float]:
        """The colour at an age: linear light."""
        return three(self.value.at(np.array([age]))[0], 5)

    def _bar(self) -> QRectF:
        return self.box().adjusted(0, _PRODUCT + 2 if self.product is not None else 0, 0, -12)

    def show_product(self, colours: np.ndarray | None) -> None:
        """Shows above the stops what the stage makes of colour, brightness and opacity: (n, 3) coded, 0 to 1, by age."""
        self.product = colours
        self.update()

    def point_near(self, at: QPointF) -> int | None:
        if not self.box().adjusted(-8, 0, 8, 6).contains(at) or at.y() < self._bar().center().y():
            return None
        away = [abs(at.x() - self.x_at(stop.at)) for stop in self.points]
        nearest = int(np.argmin(away))
        return nearest if away[nearest] <= REACH else None

    def point_at(self, age: float) -> Stop:
        return Stop(at=round(age, 4), colour=self.colour_at(age))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() != Qt.MouseButton.LeftButton or self.press_name(event.position()):
            return
        self._stroke = object()
        index = self.point_near(event.position())
        if index is None and self.box().adjusted(0, 0, 0, 6).contains(event.position()):
            index = self.add_point(self.point_at(self.age_at(event.position().x())), self._stroke)
        self.select(index)
        self._dragging = index is not None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self.pull_name(event)
        if self._dragging and self.selected is not None:
            self.set_point(self.selected, self._stroke, at=round(self.age_at(event.position().x()), 3))
            self.picked.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        super().mouseDoubleClickEvent(event)
        if self.selected is not None:
            self._dragging = False
            self.pick_colour(self.selected)

    def lane_actions(self, menu: QMenu) -> None:
        shapes, own = menu.addMenu("Apply colours"), own_parts("gradients", Gradient)
        for name, colours in [*kept_parts("gradients", Gradient).items(), *PALETTES.items()]:
            shapes.addAction(_striped(colours), name).triggered.connect(lambda _=False, colours=colours: self.take_colours(colours))
        shapes.addSeparator()
        shapes.addAction("Save these as…").triggered.connect(self._ask_keep)
        offer_sharing(shapes, self, "gradients", "", self._now)
        if own:
            forget = shapes.addMenu("Delete saved ones")
            for name in own:
                forget.addAction(name).triggered.connect(lambda _=False, name=name: drop_own("gradients", name))
        hot = menu.addMenu("Apply the colours of heat")
        for name, (first, last) in COOLINGS.items():
            colours = cooling(first, last)
            action = hot.addAction(_striped(colours), f"{name}, {first:g} to {last:g} K")
            action.triggered.connect(lambda _=False, colours=colours: self.take_colours(colours))
        hot.addSeparator()
        hot.addAction("from … to … kelvin").triggered.connect(self._ask_heat)
        menu.addAction("Colours from a picture…").triggered.connect(self.ask_picture)
        menu.addAction("Copy as SVG").triggered.connect(lambda: copy_text(to_svg(self._now())))
        menu.addAction("Copy as a list of colours").triggered.connect(lambda: copy_text(to_palette(self._now())))
        mixing = menu.addAction("Mix by perception")
        mixing.setToolTip("Between two stops colours mix evenly for the eye, not straight in linear light.")
        mixing.setCheckable(True)
        mixing.setChecked(self._now().between == "perceptual")
        mixing.triggered.connect(self.flip_mixing)

    def _ask_keep(self) -> None:
        name, agreed = QInputDialog.getText(self, "Save the colours", "What are they called?")
        if agreed and name.strip():
            keep_own("gradients", name.strip(), self._now())

    def _now(self) -> Gradient:
        return replace(self.value, stops=self.points)  # type: ignore[return-value]

    def flip_mixing(self) -> None:
        """Mixes evenly to the eye, or straight in linear light."""
        self.value = replace(self._now(), between="linear" if self._now().between == "perceptual" else "perceptual")
        self.update()
        self.edited.emit(self.value, None)

    def ask_picture(self) -> None:
        """Takes colours from a picture along a line."""
        path, _ = QFileDialog.getOpenFileName(self, "Colours from a picture", str(last_folder()), _FILES)
        if not path:
            return
        # A large picture takes longer to be read than the window may stand still.
        self._reading = Task(lambda progress: read_picture(Path(path)), (PictureError,), name="colours")
        self._reading.done.connect(self._take_along)
        self._reading.failed.connect(lambda why: refuse(self, Path(path).name, why))
        self._reading.start()

    def _take_along(self, pixels: np.ndarray) -> None:
        """Asks for a line over a picture that was read, and takes its colours."""
        dialog = AlongPicture(self, pixels)
        if dialog.exec():
            self.take_colours(dialog.gradient())

    def paste(self) -> bool:
        """Takes a copied gradient, an SVG's, or a list of colours."""
        return self.take(clipboard_text())

    def take(self, text: str) -> bool:
        if super().take(text):
            return True
        made = from_text(text)
        if made is not None:
            self.take_colours(made)
        return made is not None

    def take_colours(self, colours: Gradient) -> None:
        """Takes the colours of another gradient."""
        self.select(None)
        self.value = replace(self._now(), between=colours.between)
        self.tell(colours.stops)

    def _ask_heat(self) -> None:
        text, ok = QInputDialog.getText(self, "The colours of heat", "From birth to death, in kelvin", text="2400 to 1000")
        numbers = [float(part) for part in re.findall(r"\d+(?:\.\d+)?", text)]
        if ok and len(numbers) == 2:
            self.take_colours(cooling(numbers[0], numbers[1]))
        elif ok:
            refuse(self, text, "expected two temperatures, as 2400 to 1000")

    def pick_colour(self, index: int) -> None:
        """Opens the picker for a stop."""
        at = QPoint(round(self.x_at(self.points[index].at)), round(self._bar().bottom()) + 6)
        open_picker(self, self.points[index].colour, self._coloured(index), QRect(at.x() - 8, at.y() - 8, 16, 16))

    def point_actions(self, menu: QMenu, index: int) -> None:
        menu.addAction("Pick its colour…").triggered.connect(lambda: self.pick_colour(index))
        menu.addAction("Pick its colour from the window").triggered.connect(lambda: self.take_from_window(index))

    def take_from_window(self, index: int) -> Eyedropper:
        """Lets the artist point at a colour anywhere in the window."""
        return Eyedropper(self.window() or self, self._coloured(index))

    def _coloured(self, index: int) -> Callable[..., None]:
        """Gives a stop its colour, for as long as there is one where it was."""
        age = self.points[index].at

        def give(colour: tuple[float, float, float], stroke: object = None) -> None:
            now = next((i for i, stop in enumerate(self.points) if stop.at == age), None)
            if now is not None:
                self.set_point(now, stroke, colour=colour)

        return give

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._still.paint(painter, (ById(self.value), ById(self.product), self._differs, self.selected, self.hasFocus()), self._paint_bar)
        if len(self.ages):
            y = self._bar().bottom() + 2
            painter.setPen(QPen(theme.GLASS, 2.6, cap=Qt.PenCapStyle.RoundCap))
            painter.drawPoints(QPolygonF([QPointF(self.x_at(age), y) for age in self.ages.tolist()]))

    def _paint_bar(self, painter: QPainter) -> None:
        self.paint_label(painter)
        bar = self._bar()
        slope = _slope(self._now(), bar)
        painter.setPen(QPen(theme.LINE, 1))
        painter.setBrush(slope)
        painter.drawRoundedRect(bar, 4, 4)
        if self.product is not None:
            strip = QRectF(bar.left(), bar.top() - _PRODUCT - 2, bar.width(), _PRODUCT)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(_run(self.product, strip))
            painter.drawRoundedRect(strip, 2, 2)
        for i, stop in enumerate(self.points):
            at = QPointF(self.x_at(stop.at), bar.bottom() + 6)
            painter.setPen(QPen(theme.EMBER if i == self.selected else theme.BONE, 1.5))
            painter.setBrush(screen_colour(stop.colour))
            painter.drawEllipse(at, 4.5, 4.5)
