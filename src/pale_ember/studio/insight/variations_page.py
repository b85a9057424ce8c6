"""Variations: nine living pictures to choose among, made away from the window; and what lies between the effect and a variant."""

from __future__ import annotations

from functools import partial

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QPoint, QRect, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QHideEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.reuse import kept
from pale_ember.core.effect.variants import as_variant, named, variant_of
from pale_ember.core.variation import KINDS
from pale_ember.core.variation.mix import mixed
from pale_ember.core.variation.nine import COUNT, Variation, nine
from pale_ember.core.variation.vary import Choice
from pale_ember.studio.controls.buttons import SwitchEdit, WordButton
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.side_panel import SidePage, quiet

_ACROSS = 3
_CELL = QSize(90, 60)
_GAP = 4
_RATE = 100
"""Milliseconds between two pictures of a variation that plays."""
_AFTER = 250
"""Milliseconds after the last change of how far they go until they are made."""
_HELPS = {
    "seed": "Another seed: the same effect with other draws",
    "hue": "Colours, turned together around the wheel, lighter or fuller",
    "tempo": "How fast all of it runs",
    "shape": "All other numbers and curves",
}
_FIRST_FAR = 0.35


class PictureGrid(QWidget):
    """Nine pictures. What the pointer or the arrow keys are on is tried; a click or Return takes it."""

    tried = pyqtSignal(int)
    """The variation that is looked at, -1 for none."""
    taken = pyqtSignal(int)
    asked = pyqtSignal(int, QPoint)
    """What can be done with one, at a place of the screen."""

    def __init__(self) -> None:
        super().__init__()
        self.variations: dict[int, Variation] = {}
        self._images: dict[int, list[QImage]] = {}
        self.active = -1
        self.frame = 0
        rows = -(-COUNT // _ACROSS)
        self.setFixedSize(_ACROSS * (_CELL.width() + _GAP) - _GAP, rows * (_CELL.height() + _GAP) - _GAP)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("variations")

    def show_variation(self, made: Variation) -> None:
        """Shows one more, or one anew."""
        self.variations[made.place] = made
        self._images[made.place] = [_image(picture) for picture in made.pictures]
        self.update()

    def clear(self) -> None:
        """Shows none."""
        self.variations, self._images, self.active, self.frame = {}, {}, -1, 0
        self.update()

    def step(self, *, playing: bool) -> None:
        """Goes on by a picture, or back to that of the held moment."""
        frame = self.frame + 1 if playing else 0
        if frame != self.frame:
            self.frame = frame
            self.update()

    def cell(self, place: int) -> QRect:
        """Where a picture is."""
        row, column = divmod(place, _ACROSS)
        return QRect(QPoint(column * (_CELL.width() + _GAP), row * (_CELL.height() + _GAP)), _CELL)

    def _at(self, where: QPoint) -> int:
        return next((place for place in self.variations if self.cell(place).contains(where)), -1)

    def _activate(self, place: int) -> None:
        if place != self.active:
            self.active = place
            self.setAccessibleDescription(f"variation {place + 1}" if place >= 0 else "")
            self.update()
            self.tried.emit(place)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        self._activate(self._at(event.position().toPoint()))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = self._at(event.position().toPoint())
        self._activate(place)
        if event.button() == Qt.MouseButton.LeftButton and place >= 0:
            self.taken.emit(place)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        if self.active >= 0:
            self.asked.emit(self.active, event.globalPos())

    def leaveEvent(self, event: QEvent) -> None:
        self._activate(-1)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = Qt.Key(event.key())
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -_ACROSS, Qt.Key.Key_Down: _ACROSS}.get(key)
        if step is not None and self.variations:
            to = max(self.active, 0) if self.active < 0 else self.active + step
            self._activate(to if to in self.variations else self.active)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.active >= 0:
            self.taken.emit(self.active)
        elif key == Qt.Key.Key_Escape and self.active >= 0:
            self._activate(-1)
        else:
            super().keyPressEvent(event)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        for place in range(COUNT):
            cell = self.cell(place)
            images = self._images.get(place)
            if images is None:
                painter.fillRect(cell, theme.WELL)
                continue
            image = images[0] if self.frame == 0 or len(images) < 2 else images[1 + (self.frame - 1) % (len(images) - 1)]
            # Their middle: what an effect shows is rarely at its sides.
            wide = round(image.height() * cell.width() / cell.height())
            painter.drawImage(cell, image, QRect((image.width() - wide) // 2, 0, wide, image.height()))
            if place == self.active:
                painter.setPen(QPen(theme.EMBER, 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(cell.adjusted(1, 1, -1, -1))


def _image(picture: np.ndarray) -> QImage:
    height, width = picture.shape[:2]
    return QImage(np.ascontiguousarray(picture).tobytes(), width, height, 3 * width, QImage.Format.Format_RGB888).copy()


class VariationsPage(SidePage):
    """Makes variations of the effect, of a layer or of a chapter of it, and shows them; mixes the effect with a variant."""

    title = "Variations"

    def __init__(self, desk: Desk, checker: AnalysisLink) -> None:
        super().__init__()
        self.desk, self.checker = desk, checker
        self.running = False
        self.seed = 1
        self._of: Effect | None = None
        self._variants: tuple[str, ...] = ()
        self.grid = PictureGrid()
        self.grid.tried.connect(self._try)
        self.grid.taken.connect(self.take)
        self.grid.asked.connect(lambda place, at: self.menu_of(place).exec(at))
        self.scope = "effect"
        self.scope_button = WordButton("the effect", "What varies: the effect, the selected layer, or one chapter of it", menu=True)
        self.scope_button.clicked.connect(lambda: self.scope_menu().open_at(self.scope_button))
        self.again_button = WordButton("roll again", "Nine others", icon="plus")
        self.again_button.colour = theme.EMBER
        self.again_button.clicked.connect(self.roll)
        self.far = NumberEdit(
            Field("how far", "From near to wild.", soft=(0.0, 1.0), least=0.0, most=1.0), default=_FIRST_FAR, name="how far they go"
        )
        self.far.show_value(_FIRST_FAR)
        self.far.edited.connect(lambda value, _: self._turned(value))
        self.kinds = {kind: SwitchEdit(Field(kind, _HELPS[kind]), default=True, name=f"{kind} may change") for kind in KINDS}
        for kind, switch in self.kinds.items():
            switch.setToolTip(_HELPS[kind])
            switch.edited.connect(lambda *_: self._later())
        self.said = quiet()
        self.said.setMinimumHeight(34)
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._soon = QTimer(self, singleShot=True, interval=_AFTER)
        self._soon.timeout.connect(self.begin)
        self._clock = QTimer(self, interval=_RATE)
        self._clock.timeout.connect(lambda: self.grid.step(playing=desk.player.playing))
        self._build()
        desk.document.changed.connect(self._edited)
        checker.worked.connect(self._so_far)
        checker.ended.connect(self._ended)

    def _build(self) -> None:
        inner = QWidget()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(Scrolling(inner))
        column = QVBoxLayout(inner)
        column.setContentsMargins(12, 4, 6, 8)
        head = QHBoxLayout()
        head.addWidget(self.scope_button)
        head.addStretch(1)
        head.addWidget(self.again_button)
        column.addLayout(head)
        far = QHBoxLayout()
        for text, widget in (("near", None), ("", self.far), ("wild", None)):
            if widget is None:
                far.addWidget(quiet(text))
            else:
                far.addWidget(widget, 1)
        column.addLayout(far)
        row = QHBoxLayout()
        row.setSpacing(2)
        for kind, switch in self.kinds.items():
            row.addWidget(switch)
            label = QLabel(kind)
            label.setToolTip(_HELPS[kind])
            row.addWidget(label)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(self.grid)
        column.addWidget(self.said)
        title = QLabel("Between two")
        title.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
        self.with_button = WordButton("with…", "The variant that the effect is mixed with", menu=True)
        self.with_button.clicked.connect(lambda: self.with_menu().open_at(self.with_button))
        self.share = NumberEdit(
            Field("share", "How much of the variant.", unit="%", soft=(0, 100), least=0, most=100), name="share of the variant"
        )
        self.share.edited.connect(lambda value, _: self.mix(value / 100))
        self.apply_button = WordButton("apply", "Applies the mix; one step of undo", icon="plus")
        self.apply_button.colour = theme.EMBER
        self.apply_button.clicked.connect(self.apply_mix)
        mix = QHBoxLayout()
        mix.addWidget(self.share, 1)
        mix.addWidget(self.apply_button)
        self.mix_said = quiet()
        column.addWidget(title)
        column.addWidget(self.with_button)
        column.addLayout(mix)
        column.addWidget(self.mix_said)
        column.addStretch(1)
        self.other = ""

    # What may vary -----------------------------------------------------------------------------------------------

    def scope_menu(self) -> Menu:
        """What may vary."""
        menu, layer = Menu(self), self.desk.layer
        menu.addAction("the effect").triggered.connect(lambda: self.vary_in("effect"))
        if layer is not None:
            menu.addAction(f"the layer {layer.name}").triggered.connect(lambda: self.vary_in("layer"))
            inner = menu.addMenu(f"one chapter of {layer.name}")
            for chapter in CHAPTERS:
                inner.addAction(chapter.capitalize()).triggered.connect(lambda _=False, chapter=chapter: self.vary_in(chapter))
        return menu

    def vary_in(self, scope: str) -> None:
        """Lets the effect vary, the selected layer, or one chapter of it."""
        self.scope = scope
        self._show_scope()
        self._later()

    def _show_scope(self) -> None:
        layer = self.desk.layer
        if layer is None or self.scope == "effect":
            self.scope_button.show_text("the effect")
        else:
            self.scope_button.show_text(layer.name if self.scope == "layer" else f"{layer.name}: {self.scope}")

    def choice(self) -> Choice:
        """What may vary just now."""
        layer = self.desk.layer
        kinds = tuple(kind for kind in KINDS if self.kinds[kind].value)
        if layer is None or self.scope == "effect":
            return Choice(kinds=kinds)
        chapters = CHAPTERS if self.scope == "layer" else (self.scope,)
        if self.scope != "layer":
            kinds = tuple(kind for kind in kinds if kind in ("shape", "hue"))
        return Choice(layers=(layer.id,), chapters=chapters, kinds=kinds)

    # Making ------------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        self._show_scope()
        self._show_mix()
        if not self.grid.variations and not self.running:
            self.begin()

    def roll(self) -> None:
        """Makes nine others."""
        self.seed += 1
        self.begin()

    def _turned(self, far: float) -> None:
        self.far.show_value(far)
        self._later()

    def _later(self) -> None:
        self._soon.start()

    def begin(self) -> None:
        """Begins to make nine of the effect as it is."""
        self._soon.stop()
        choice, effect = self.choice(), self.desk.effect
        self.checker.leave(self)
        self.grid.clear()
        if not any(choice.has(layer) for layer in effect.layers) or not choice.kinds:
            self.said.setText("Nothing may change: choose a layer that is not locked, and what of it.")
            return
        self._of, self.running = effect, True
        steps = partial(nine, choice=choice, far=self.far.value, seed=self.seed, moment=self.desk.time)
        self.checker.work(self, effect, steps)
        self.said.setText("Point at one to see it, click to take it and get nine like it, right-click to keep it as a variant.")

    def _so_far(self, whose: object, made: Variation) -> None:
        if whose is self and self._of is self.desk.effect:
            self.grid.show_variation(Variation(made.place, kept(made.effect, self._of), made.pictures))

    def _ended(self, whose: object, why: str) -> None:
        if whose is self:
            self.running = False
            if why:
                self.said.setText(why)
            elif len(self.grid.variations) < COUNT and self.grid.variations:
                self.said.setText(f"Only {len(self.grid.variations)} were found that hold together and differ.")
            elif not self.grid.variations:
                self.said.setText("No variation holds together: go nearer, or let more change.")

    def _try(self, place: int) -> None:
        made = self.grid.variations.get(place)
        self.desk.looking.try_effect(made.effect if made is not None else None)

    def take(self, place: int) -> None:
        """Makes one the effect: one step of the history; and nine of it."""
        made = self.grid.variations.get(place)
        if made is not None and self._of is self.desk.effect:
            self.desk.document.change(f"variation {place + 1}", made.effect)
            self.seed += 1
            self.begin()

    def menu_of(self, place: int) -> Menu:
        """What can be done with one."""
        menu = Menu(self)
        menu.addAction("Use it").triggered.connect(lambda: self.take(place))
        menu.addAction("Save as a variant").triggered.connect(lambda: self.keep(place))
        return menu

    def keep(self, place: int) -> None:
        """Keeps one as a variant of the effect, which stays as it is."""
        made, effect = self.grid.variations.get(place), self.desk.effect
        if made is None or self._of is not effect:
            return
        name = free_name("variation", [variant.name for variant in effect.variants])
        after = replace(effect, variants=(*effect.variants, variant_of(made.effect, name)))
        self._of = after
        self.grid.variations = {
            at: Variation(at, replace(each.effect, variants=after.variants), each.pictures) for at, each in self.grid.variations.items()
        }
        self.desk.document.change(f"add variant {name}", after)
        self.said.setText(f"Kept as {name}; it is among the variants.")

    def _edited(self, old: Effect, new: Effect) -> None:
        if self._of is not None and new is not self._of:
            self.checker.leave(self)
            self.running = False
            self._of = None
            self.grid.clear()
            self.said.setText("The effect changed: roll again for variations of it.")
        names = tuple(variant.name for variant in new.variants)
        if names != self._variants:
            self._variants = names
            self._show_mix()

    # Between two -------------------------------------------------------------------------------------------------

    def with_menu(self) -> Menu:
        """The variants that the effect can be mixed with."""
        menu = Menu(self)
        for variant in self.desk.effect.variants:
            menu.addAction(variant.name).triggered.connect(lambda _=False, name=variant.name: self.mix_with(name))
        return menu

    def mix_with(self, name: str) -> None:
        """Chooses the variant that the effect is mixed with."""
        self.other = name
        self._show_mix()
        self.mix(self.share.value / 100 or 0.5)

    def _show_mix(self) -> None:
        names = [variant.name for variant in self.desk.effect.variants]
        if self.other not in names:
            self.other = names[-1] if names else ""
        self.with_button.show_text(f"with {self.other}" if self.other else "with…")
        for widget in (self.with_button, self.share, self.apply_button):
            widget.setEnabled(bool(names))
        if not names:
            self.mix_said.setText("Keep a variant first: the effect can be mixed with it by any share.")
        elif self.desk.looking.offered is None:
            self.mix_said.setText("")

    def mix(self, share: float) -> None:
        """Shows what lies between the effect and the variant, to the right of the line."""
        made = self._mixed(share)
        self.share.show_value(round(100 * share))
        if made is not None:
            effect, said = made
            self.desk.looking.offer(f"{share:.0%} {self.other}", effect)
            few = ", ".join(said[:4]) + (f" and {len(said) - 4} more" if len(said) > 4 else "")
            self.mix_said.setText(f"Cannot be mixed, so it changes at the middle: {few}." if said else "All of it is mixed.")

    def _mixed(self, share: float) -> tuple[Effect, list[str]] | None:
        variant = named(self.desk.effect, self.other)
        return None if variant is None else mixed(self.desk.effect, as_variant(self.desk.effect, variant), share)

    def apply_mix(self) -> None:
        """Makes the mix the effect: one step of the history."""
        made = self._mixed(self.share.value / 100)
        if made is not None:
            self.desk.document.change(f"mix with {self.other}", made[0])

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._clock.start()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._clock.stop()
        self.checker.leave(self)
        self.desk.looking.try_effect(None)
        if self.desk.looking.offered is not None:
            self.desk.looking.offer("", None)
