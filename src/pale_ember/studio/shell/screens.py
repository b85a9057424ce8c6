"""The screens of the window, one at a time: the Workbench, the texture bench, the hand-over, the effects of a folder."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QBoxLayout, QStackedWidget, QWidget

from pale_ember.studio.bench.bench_page import BenchPage
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.effects.effects_page import EffectsPage
from pale_ember.studio.handover.handover_page import HandoverPage
from pale_ember.studio.stage.view import StageView

WORKBENCH, TEXTURES, HANDOVER, EFFECTS = "Workbench", "Textures", "Hand over", "Effects"
HINTS = {
    WORKBENCH: "Space plays and pauses · drag the stage to orbit, with Shift to pan, wheel to zoom, F to frame",
    TEXTURES: "Steps work from the first to the last · / adds one · wheel zooms, drag moves · Escape goes back",
    EFFECTS: "Double-click opens an effect · Ctrl and a click compare two · type to search · Escape goes back",
    HANDOVER: "A click on a picture shows what packing does to it · wheel zooms, drag moves · Escape goes back",
}
"""What the line at the bottom says when a screen is shown."""


class WindowScreens(QStackedWidget):
    """Shows one of the screens. The stage goes along to the bench, where the effect plays on in a corner."""

    turned = pyqtSignal(str)
    """Another screen is shown, by its name."""

    def __init__(self, desk: Desk, stage: StageView, bench: BenchPage, handover: HandoverPage, effects: EffectsPage) -> None:
        super().__init__()
        self._desk, self._stage, self._bench = desk, stage, bench
        self._overlays = True
        """Whether overlays were shown before the bench was opened."""
        self._beside: QBoxLayout | None = None
        self.names = {TEXTURES: bench, HANDOVER: handover, EFFECTS: effects}
        for page in (bench, handover, effects):
            self.addWidget(page)

    def add_workbench(self, page: QWidget, beside: QBoxLayout) -> None:
        """Adds the first screen. beside : where the stage is at home."""
        self.names = {WORKBENCH: page, **self.names}
        self._beside = beside
        self.insertWidget(0, page)
        self.setCurrentIndex(0)

    @property
    def shown(self) -> str:
        """The name of the screen that is shown."""
        return next(name for name, page in self.names.items() if page is self.currentWidget())

    def show_screen(self, name: str) -> None:
        """Shows a screen, and gives it the keyboard."""
        benched, looking, page = name == TEXTURES, self._desk.looking, self.names[name]
        if benched != (self.shown == TEXTURES):
            # Small in its corner, the stage is for looking alone.
            self._overlays, looking.overlays = (looking.overlays, False) if benched else (True, self._overlays)
            looking.changed.emit()
        assert self._beside is not None
        (self._bench.corner if benched else self._beside).addWidget(self._stage)
        self.setCurrentWidget(page)
        if isinstance(page, EffectsPage):
            page.focus()
        else:
            (self._stage if name == WORKBENCH else page).setFocus()
        self.turned.emit(name)

    def flip(self, name: str) -> None:
        """Shows a screen, or the Workbench again."""
        self.show_screen(WORKBENCH if self.shown == name else name)
