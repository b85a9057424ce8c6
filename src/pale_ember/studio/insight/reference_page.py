"""The reference: chosen, measured beside the effect, taken from, and fitted to."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QHideEvent, QPainter, QPaintEvent, QPen, QShowEvent
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.edit import index_of, is_there, with_value
from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.reuse import kept
from pale_ember.core.effect.stage import Reference
from pale_ember.core.effect.values import Curve, Gradient, Tints
from pale_ember.core.insight.effect_cost import seconds_of
from pale_ember.core.reference import MATCHES
from pale_ember.core.reference.fit import Fitted, Free, MatchTarget, fitting, measuring, target_of
from pale_ember.core.reference.measures import ROWS, Measures, apart, sentence
from pale_ember.core.reference.taking import curve_of, gradient_of, mean_colour
from pale_ember.core.texture.light import to_coded
from pale_ember.core.variation.knobs import knobs_of
from pale_ember.formats.pictures import KINDS
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.document.reference import ENDINGS
from pale_ember.studio.fields.edit_target import OfStage
from pale_ember.studio.fields.part_fields import FieldsColumn
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import CheckMenu, Menu
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.settings import last_folder
from pale_ember.studio.kit.side_panel import SidePage, quiet
from pale_ember.studio.kit.tasks import Task

_ROW, _STRIP = 36, 10
_LINES = 3
"""Lines of a sentence that have their room before they are there: nothing moves when it comes."""
_SETTLED = 500
"""Milliseconds after an edit before the effect is measured again."""


def _taken(theirs: Measures, what: str) -> Gradient | Curve | Tints:
    """A part of a layer as a reference has it: its colour, tint, brightness or size."""
    if what == "tint":
        colour = mean_colour(theirs)
        return Tints(first=colour, second=colour)
    return gradient_of(theirs) if what == "colour" else curve_of(theirs, what)


class MeasureGraphs(QWidget):
    """What is measured of both over time: the effect in ember, its reference in glass; and their colours, the reference's above."""

    def __init__(self) -> None:
        super().__init__()
        self.ours: Measures | None = None
        self.theirs: Measures | None = None
        self.setFixedHeight(len(ROWS) * _ROW + 2 * _STRIP + 8)
        self.setAccessibleName("the effect and its reference over time")

    def show_measures(self, ours: Measures | None, theirs: Measures | None) -> None:
        """Shows what is known of either."""
        self.ours, self.theirs = ours, theirs
        self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(theme.SMALL))
        pairs = [(each, colour) for each, colour in ((self.theirs, theme.GLASS), (self.ours, theme.EMBER)) if each is not None]
        longest = max((each.length for each, _ in pairs), default=1.0)
        left, wide = 64.0, self.width() - 70.0
        for row, (name, of) in enumerate(ROWS):
            box = QRectF(left, row * _ROW + 3, wide, _ROW - 6)
            painter.fillRect(box, theme.WELL)
            painter.setPen(theme.ASH)
            painter.drawText(QRectF(0, box.top(), left - 6, box.height()), Qt.AlignmentFlag.AlignVCenter, name)
            most = max((float(of(each).max(initial=0.0)) for each, _ in pairs), default=0.0)
            for each, colour in pairs:
                values = of(each) / max(most, 1e-9)
                painter.setPen(QPen(colour, 1.5))
                points = zip(each.times / max(longest, 1e-6), values, strict=True)
                painter.drawPolyline([QPointF(box.left() + x * wide, box.bottom() - y * box.height()) for x, y in points])
        top = len(ROWS) * _ROW + 4
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(0, top, left - 6, 2 * _STRIP), Qt.AlignmentFlag.AlignVCenter, "colour")
        for k, shown in enumerate((self.theirs, self.ours)):
            if shown is not None:
                self._paint_colours(painter, shown, QRectF(left, top + k * (_STRIP + 1), wide, _STRIP), longest)

    @staticmethod
    def _paint_colours(painter: QPainter, each: Measures, box: QRectF, longest: float) -> None:
        colours = each.colour / np.maximum(each.colour.max(axis=1, keepdims=True), 1e-6)
        codes = np.round(np.clip(to_coded(colours), 0, 1) * 255).astype(int)
        step = box.width() * each.length / max(longest, 1e-6) / max(len(codes), 1)
        for i, (red, green, blue) in enumerate(codes.tolist()):
            where = QRectF(box.left() + each.times[i] / max(longest, 1e-6) * box.width() - step / 2, box.top(), step + 1, box.height())
            painter.fillRect(where & box, QColor(red, green, blue))


class ReferencePage(SidePage):
    """Everything that is done with a reference."""

    title = "Reference"
    frames_asked = pyqtSignal(list)
    """Files are to be laid into a sheet on the texture bench."""

    def __init__(self, desk: Desk, checker: AnalysisLink) -> None:
        super().__init__()
        self.desk, self.checker, self.reference = desk, checker, desk.reference
        self.ours: Measures | None = None
        self.theirs: Measures | None = None
        self._known: tuple[tuple, MatchTarget] | None = None
        """What the reference asks for, and of what and how it is seen."""
        self._task: Task | None = None
        self._wait_for_target: list[Callable[[MatchTarget], None]] = []
        """What is done with what the reference asks for as soon as that is there."""
        self.doing = ""
        """What the analysis process does for this page: measure or fit."""
        self._of: Effect | None = None
        self._fit_of: Effect | None = None
        self.best: Fitted | None = None
        self.matches = set(MATCHES)
        self._soon = QTimer(self, singleShot=True, interval=_SETTLED)
        self._soon.timeout.connect(self.measure)
        self._build()
        desk.document.changed.connect(self._edited)
        desk.selected.connect(self._show)
        desk.freed.connect(self._show)
        self.reference.changed.connect(self._came)
        checker.worked.connect(self._so_far)
        checker.ended.connect(self._ended)

    def _build(self) -> None:
        self.choose_button = WordButton("choose…", "A picture, a sheet, a clip, or one of a folder of frames", icon="plus")
        self.choose_button.colour = theme.EMBER
        self.choose_button.clicked.connect(self.ask)
        self.allow_button = WordButton("show it", "Reads the file although it lies outside of the effect's folder")
        self.allow_button.clicked.connect(self.reference.allow)
        self.remove_button = WordButton("remove", "The effect has no reference any more")
        self.remove_button.clicked.connect(self.remove)
        self.name = quiet()
        self.fields = FieldsColumn(self.desk, OfStage(self.desk), ("reference",), Reference, skip=("file",))
        self.graphs = MeasureGraphs()
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.said.setMinimumHeight(_LINES * 17)
        self.said.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.take_button = WordButton("take…", "From the reference into the selected layer", menu=True)
        self.take_button.clicked.connect(lambda: self.take_menu().open_at(self.take_button))
        self.free_button = WordButton("what may change…", "Values of the selected layer that a fit may change", menu=True)
        self.free_button.clicked.connect(lambda: self.free_menu().open_at(self.free_button))
        self.match_button = WordButton("match…", "What is to be alike", menu=True)
        self.match_button.clicked.connect(lambda: self.match_menu().open_at(self.match_button))
        reach = Field("by up to", "By what factor each may change, up or down.", unit="×", soft=(1.1, 6), least=1.05, most=50)
        self.reach = NumberEdit(reach, default=3.0, name="by what factor values may change")
        self.reach.setFixedWidth(56)
        self.reach.edited.connect(lambda value, _: self.reach.show_value(value))
        self.fit_button = WordButton("fit", "Seeks values with which the effect looks like its reference", icon="play")
        self.fit_button.colour = theme.EMBER
        self.fit_button.clicked.connect(self.fit)
        self.stop_button = WordButton("stop", "Stops; the best so far stays beside the effect")
        self.stop_button.clicked.connect(lambda: self.checker.leave(self))
        self.apply_button = WordButton("apply", "Applies the best; one step of undo", icon="plus")
        self.apply_button.colour = theme.EMBER
        self.apply_button.clicked.connect(self.apply)
        self.fit_said = quiet()
        self.fit_said.setMinimumHeight(_LINES * 17)
        self.fit_said.setAlignment(Qt.AlignmentFlag.AlignTop)
        inner = QWidget()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(Scrolling(inner))
        column = QVBoxLayout(inner)
        column.setContentsMargins(12, 4, 8, 8)

        def row(*widgets: QWidget) -> None:
            line = QHBoxLayout()
            for widget in widgets:
                line.addWidget(widget)
            line.addStretch(1)
            column.addLayout(line)

        self._titles: list[QWidget] = []

        def title(text: str) -> None:
            label = QLabel(text)
            label.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
            column.addWidget(label)
            self._titles.append(label)

        row(self.choose_button, self.remove_button, self.allow_button)
        column.addWidget(self.name)
        column.addWidget(self.said)
        column.addWidget(self.graphs)
        row(self.take_button)
        title("Fit")
        row(self.free_button)
        by_up_to = QLabel("by up to")
        row(by_up_to, self.reach, self.match_button)
        row(self.fit_button, self.stop_button, self.apply_button)
        column.addWidget(self.fit_said)
        title("How it is seen")
        column.addWidget(self.fields)
        column.addStretch(1)
        self._needs_one = [self.said, self.graphs, self.take_button, self.free_button, by_up_to, self.reach, self.match_button]
        self._needs_one += [self.fit_button, self.stop_button, self.apply_button, self.fit_said, *self._titles]

    # Choosing ----------------------------------------------------------------------------------------------------

    def ask(self) -> None:
        """Asks for a file."""
        start = str(self.desk.folder or last_folder())
        kinds = " ".join(f"*{kind}" for kind in ENDINGS)
        name, _ = QFileDialog.getOpenFileName(self, "Choose a reference", start, f"Pictures and clips ({kinds})")
        if name:
            self.choose(Path(name))

    def choose(self, path: Path) -> None:
        """Makes a file the reference: one step of the history."""
        self.desk.document.change(f"reference {path.name}", self.reference.take(path))

    def remove(self) -> None:
        """Lets go of the reference."""
        self.desk.document.change("remove the reference", with_value(self.desk.effect, ("stage", "reference"), Reference()))

    def refresh(self) -> None:
        self.fields.show_root(self.fields.subject.root)
        self._show()
        if self.reference.footage is not None and self._of is not self.desk.effect:
            self._soon.start()

    def _show(self) -> None:
        """Shows what can be done just now."""
        there, footage, path = self.reference.footage is not None, self.reference.footage, self.reference.path()
        if footage is not None:
            count = "a still" if len(footage) == 1 else f"{len(footage)} frames, {footage.length:.2f} s"
            self.name.setText(f"{footage.name}: {count}. It stays beside the effect and is never handed over.")
        elif self.reference.reading and path is not None:
            self.name.setText(f"Reading {path.name}…")
        else:
            self.name.setText("Drop a clip on the stage, or choose one: the effect is measured beside it and can be fitted to it.")
        if self.reference.fault:
            self.name.setText(self.reference.fault)
        self.allow_button.setVisible("outside" in self.reference.fault)
        self.remove_button.setVisible(bool(self.reference.how.file))
        fits = self.doing == "fit"
        self.take_button.setEnabled(self.theirs is not None and self.desk.layer is not None)
        self.free_button.setEnabled(there and self.desk.layer is not None and not fits)
        free = self.free()
        self.free_button.show_text(f"{len(free)} may change" if free else "what may change…")
        self.match_button.setEnabled(there and not fits)
        self.match_button.show_text("match all" if len(self.matches) == len(MATCHES) else f"match {len(self.matches)}")
        self.fit_button.setEnabled(there and bool(free) and bool(self.matches) and not fits)
        self.apply_button.setEnabled(self.best is not None and self.best.effect is not self._fit_of)
        self.graphs.show_measures(self.ours, self.theirs)
        for widget in self._needs_one:
            widget.setVisible(there)
        self.stop_button.setEnabled(fits)
        self.fields.setVisible(there)

    def _came(self) -> None:
        self.theirs = self.ours = self._of = self._known = self._task = None
        self._wait_for_target.clear()
        self.said.clear()
        self._show()
        if self.reference.footage is not None and self.isVisible():
            self._soon.start()

    # Measuring ---------------------------------------------------------------------------------------------------

    def _with_target(self, then: Callable[[MatchTarget], None]) -> None:
        """Hands on what the reference asks for: looked through away from the window, once for as long as it is seen the same way."""
        footage, how, seconds = self.reference.footage, self.reference.how, seconds_of(self.desk.effect)
        if footage is None:
            return
        key = footage, replace(how, shows="line", opacity=0.0), seconds
        if self._known is not None and self._known[0] == key:
            then(self._known[1])
            return
        if then not in self._wait_for_target:
            self._wait_for_target.append(then)
        task = self._task = Task(lambda progress: target_of(*footage.stretch(seconds, how)), name="reference")

        def came(target: MatchTarget) -> None:
            if task is self._task:
                self._task, self._known, self.theirs = None, (key, target), target.measures
                self._show()
                wanted, self._wait_for_target = self._wait_for_target, []
                for each in wanted:
                    each(target)

        task.done.connect(came)
        task.failed.connect(self._unread)
        task.start()

    def _unread(self, why: str) -> None:
        """The reference could not be looked through."""
        self._wait_for_target.clear()
        self.said.setText(why)
        self.fit_said.clear()

    def measure(self) -> None:
        """Measures both."""
        if self.isVisible() and self.doing != "fit":
            self._with_target(self._measure_beside)

    def _measure_beside(self, target: MatchTarget) -> None:
        if not self.isVisible() or self.doing == "fit":
            return
        theirs, self._of, self.doing = target.measures, self.desk.effect, "measure"
        self.checker.work(self, self._of, partial(measuring, times=theirs.times.tolist(), length=theirs.length))
        self._show()

    def _edited(self, old: Effect, new: Effect) -> None:
        if self.doing and new is not self._of:
            self.checker.leave(self)
            self.doing = ""
        if self.best is not None and new is not self._fit_of:
            taken = new is self.best.effect
            self.best = self._fit_of = None
            self.fit_said.setText("Applied. Ctrl+Z takes all of it back." if taken else "")
        if self.isVisible():
            self.fields.show_root(self.fields.subject.root)
            self._show()
            self._soon.start()

    def _so_far(self, whose: object, told: object) -> None:
        if whose is not self or self._of is not self.desk.effect:
            return
        if isinstance(told, Measures):
            self.ours = told
            if self.theirs is not None:
                self.said.setText(sentence(apart(self.ours, self.theirs)))
        elif isinstance(told, Fitted):
            effect = self._of if told.off >= told.first else kept(told.effect, self._of)
            self.best = Fitted(effect, told.trials, told.off, told.first, told.said, told.done)
            self._show_best()
        self._show()

    def _ended(self, whose: object, why: str) -> None:
        if whose is self:
            fitted, self.doing = self.doing == "fit", ""
            if why:
                self.fit_said.setText(why)
            elif fitted and self.best is not None and self.best.effect is self._of:
                self.fit_said.setText(f"Nothing nearer was found in {self.best.trials} trials. {self.best.said}")
            self._show()

    # Taking ------------------------------------------------------------------------------------------------------

    def take_menu(self) -> Menu:
        """What can be taken."""
        menu, layer = Menu(self), self.desk.layer
        name = layer.name if layer is not None else ""
        for text, what in (
            (f"Its colours over time into the colour lane of {name}", "colour"),
            (f"Its mean colour into the tint of {name}", "tint"),
            (f"Its brightness over time into the brightness lane of {name}", "brightness"),
            (f"Its height over time into the size lane of {name}", "size"),
            ("Its length", "length"),
            ("Its frames into a sheet on the texture bench", "frames"),
        ):
            menu.addAction(text).triggered.connect(lambda _=False, what=what: self.take(what))
        return menu

    def take(self, what: str) -> None:
        """Takes something of the reference: one step of the history."""
        layer, theirs, effect = self.desk.layer, self.theirs, self.desk.effect
        if theirs is None:
            return
        if what == "frames":
            path = self.reference.path()
            if path is not None:
                pictures = [each for each in path.iterdir() if each.suffix.lower() in KINDS] if path.is_dir() else [path]
                self.frames_asked.emit(pictures)
        elif what == "length":
            seconds = round(theirs.length * effect.tempo, 3)
            self.desk.document.change("length of the reference", replace(effect, duration=max(seconds, 0.05)))
        elif layer is not None:
            where = ("layers", index_of(effect, layer.id), "birth" if what == "tint" else "life", what)
            self.desk.document.change(f"{what} of the reference", with_value(effect, where, _taken(theirs, what)))

    # Fitting -----------------------------------------------------------------------------------------------------

    def free_menu(self) -> Menu:
        """The values of the selected layer that may change, chapter by chapter."""
        menu, layer = CheckMenu(self), self.desk.layer
        assert layer is not None
        for chapter in CHAPTERS:
            for knob in knobs_of(layer, (chapter,)):
                key = layer.id, knob.path
                action = menu.addAction(f"{chapter.capitalize()}: {knob.field.label}")
                action.setCheckable(True)
                action.setChecked(key in self.desk.free)
                action.triggered.connect(lambda on, key=key: self.desk.set_free(*key, on))
        menu.addSeparator()
        menu.addAction("None").triggered.connect(self._hold_all)
        return menu

    def _hold_all(self) -> None:
        for layer, path in self.desk.free:
            self.desk.set_free(layer, path, False)

    def free(self) -> list[Free]:
        """The values that may change, as far as they are there, on layers that are not locked."""
        layers = {layer.id: layer for layer in self.desk.effect.layers if not layer.locked}
        there = [each for each in self.desk.free if each[0] in layers and is_there(layers[each[0]], each[1])]
        return [Free(layer, path, self.reach.value) for layer, path in there]

    def match_menu(self) -> Menu:
        """What is to be alike."""
        menu = CheckMenu(self)
        for each in MATCHES:
            action = menu.addAction(each)
            action.setCheckable(True)
            action.setChecked(each in self.matches)
            action.triggered.connect(lambda on, each=each: self._match(each, on))
        return menu

    def _match(self, each: str, on: bool) -> None:
        self.matches = self.matches | {each} if on else self.matches - {each}
        self._show()

    def fit(self) -> None:
        """Begins to seek; the best so far is beside the effect at once."""
        if self.free() and self.doing != "fit" and self.reference.footage is not None:
            self.fit_said.setText("Seeking…")
            self._with_target(self._fit_to)

    def _fit_to(self, target: MatchTarget) -> None:
        free, effect = tuple(self.free()), self.desk.effect
        if not free or not self.isVisible():
            self.fit_said.clear()
            return
        self._of = self._fit_of = effect
        self.best, self.doing = None, "fit"
        matches = tuple(each for each in MATCHES if each in self.matches)
        self.checker.work(self, effect, partial(fitting, target=target, free=free, matches=matches))
        self._show()

    def _show_best(self) -> None:
        best = self.best
        assert best is not None
        nearer = 1 - best.off / max(best.first, 1e-9)
        self.fit_said.setText(f"{best.trials} seen, {nearer:.0%} nearer than it was. {best.said}")
        if best.effect is not self._of:
            self.desk.looking.offer(f"{nearer:.0%} nearer", best.effect)

    def apply(self) -> None:
        """Makes the best the effect: one step of the history."""
        if self.best is not None and self._fit_of is self.desk.effect:
            self.desk.document.change("fit to the reference", self.best.effect)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._hold(True)
        if self.reference.footage is not None:
            self._soon.start()

    def _hold(self, on: bool) -> None:
        """Its place and size on the stage can be taken hold of while the page is open."""
        self.reference.held = on
        self.desk.looking.pointing.emit()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._hold(False)
        self.checker.leave(self)
        if self.desk.looking.offered is not None:
            self.desk.looking.offer("", None)
