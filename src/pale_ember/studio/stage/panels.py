"""Panels beside the stage: what the effect is tried in, and what a game tells it."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QKeyEvent, QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QInputDialog, QLabel, QStackedWidget, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.hours import HOURS, at_hour
from pale_ember.core.effect.model import Effect, Stage
from pale_ember.core.effect.reference_props import SET_PIECES, with_set_piece
from pale_ember.core.insight.checks.stage import name_problems
from pale_ember.formats.motions import KINDS
from pale_ember.studio.controls.buttons import IconButton, WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.document.motion_import import MotionImport
from pale_ember.studio.fields.edit_target import OfEffect, OfStage
from pale_ember.studio.fields.name_edits import ask_file
from pale_ember.studio.fields.part_fields import FieldsColumn, Heading
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.saved_items import drop_own, keep_own, kept_parts, offer_sharing, own_parts
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.side_panel import SidePage

_WIDTH = 304
_SHELF = "stages"
"""Where stages of the artist's own are kept."""


class SidePanel(QWidget):
    """One page at a time at the left of the stage, under its title; closed it takes no room.

    Closed, it hands the keys it had to `beside`, where letters are commands, not to whatever comes next in the order.
    """

    def __init__(self, beside: QWidget) -> None:
        super().__init__()
        self._beside = beside
        self.setFixedWidth(_WIDTH)
        self.setVisible(False)
        self._title = QLabel()
        self._title.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        self.close_button = IconButton("cross", "Close (Escape)", size=24)
        self.close_button.clicked.connect(self.hide)
        head = QHBoxLayout()
        head.setContentsMargins(12, 6, 6, 2)
        head.addWidget(self._title)
        head.addStretch(1)
        head.addWidget(self.close_button)
        self._pages = QStackedWidget()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(head)
        whole.addWidget(self._pages, 1)

    def show_page(self, page: SidePage) -> None:
        """Opens a page."""
        if self._pages.indexOf(page) < 0:
            self._pages.addWidget(page)
        self._pages.setCurrentWidget(page)
        self._title.setText(page.title)
        page.refresh()
        self.show()

    def flip(self, page: SidePage) -> None:
        """Opens a page, or closes it where it is open."""
        if self.isVisible() and self._pages.currentWidget() is page:
            self.hide()
        else:
            self.show_page(page)

    def setVisible(self, visible: bool) -> None:
        focus = QApplication.focusWidget()
        if not visible and focus is not None and self.isAncestorOf(focus):
            self._beside.setFocus()
        super().setVisible(visible)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        else:
            super().keyPressEvent(event)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)


class Page(SidePage):
    """Fields that scroll. Shown anew at each edit while it is open."""

    turned = pyqtSignal(bool)
    """It is seen, or no longer."""

    def __init__(self, desk: Desk, fields: FieldsColumn) -> None:
        super().__init__()
        self.desk, self.fields = desk, fields
        inner = QWidget()
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(4, 4, 8, 8)
        self.column.addWidget(fields)
        self.column.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(Scrolling(inner))
        desk.document.changed.connect(lambda: self.refresh() if self.isVisible() else None)

    def refresh(self) -> None:
        self.fields.show_root(self.fields.subject.root)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.turned.emit(True)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self.turned.emit(False)


class StagePage(Page):
    """The fields of the stage, set pieces, and stages that are kept by name."""

    title = "Stage"

    reference_asked = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        names = tuple(name for name in fields_of(Stage) if name != "cameras")
        super().__init__(desk, FieldsColumn(desk, OfStage(desk), (), Stage, only=names))
        self.turned.connect(self._stage)
        self.pieces = WordButton("reference prop", "Add a prop of the quay beside the effect, for scale and light", icon="plus")
        self.pieces.clicked.connect(self._open_pieces)
        self.kept = WordButton("saved stages", "Stages that you saved, for every effect; night, dusk and grey noon", menu=True)
        self.kept.clicked.connect(lambda: self.kept_menu().open_at(self.kept))
        self.motion = WordButton("import motion…", "Moves the carrier as a glTF file's animation does")
        self.motion.clicked.connect(self._ask_motion)
        self.reference = WordButton("reference…", "Footage that shows what the effect is to look like (K)")
        self.reference.clicked.connect(self.reference_asked)
        self.recorded = MotionImport(desk)
        for i, buttons in enumerate(((self.pieces, self.kept), (self.motion, self.reference))):
            row = QHBoxLayout()
            for button in buttons:
                row.addWidget(button)
            row.addStretch(1)
            self.column.insertLayout(i, row)

    def _stage(self, on: bool) -> None:
        """What stands on the stage can be taken hold of while the panel is open."""
        self.desk.looking.staged = on
        self.desk.looking.pointing.emit()

    def _ask_motion(self) -> None:
        path = ask_file(self, "Import a motion for the carrier", KINDS)
        if path is not None:
            self.recorded.carry_by(path)

    def _open_pieces(self) -> None:
        menu = Menu(self)
        for name in SET_PIECES:
            menu.addAction(name).triggered.connect(lambda _=False, name=name: self.add_piece(name))
        menu.open_at(self.pieces)

    def add_piece(self, name: str) -> None:
        """Stands a set piece on the stage, with its lights."""
        effect = with_set_piece(self.desk.effect, name)
        self.desk.document.change(f"stage: {name}", effect)

    def kept_menu(self) -> Menu:
        """The stages that are kept, and what keeps this one."""
        menu, kept = Menu(self), own_parts(_SHELF, Stage)
        for name, stage in kept_parts(_SHELF, Stage).items():
            menu.addAction(name).triggered.connect(lambda _=False, name=name, stage=stage: self.take(name, stage))
        for hour in HOURS:
            light = menu.addAction(f"{hour} (light and air alone)")
            light.triggered.connect(lambda _=False, hour=hour: self.take(hour, at_hour(self.desk.effect.stage, hour)))
        menu.addSeparator()
        if kept:
            gone = menu.addMenu("Delete")
            for name in kept:
                gone.addAction(name).triggered.connect(lambda _=False, name=name: drop_own(_SHELF, name))
        menu.addAction("Save this stage…").triggered.connect(self._ask_name)
        offer_sharing(menu, self, _SHELF, self.desk.effect.name, lambda: self.desk.effect.stage)
        return menu

    def take(self, name: str, stage: Stage) -> None:
        """Plays the effect on another stage."""
        self.desk.document.change(f"stage {name}", replace(self.desk.effect, stage=stage))

    def _ask_name(self) -> None:
        name, ok = QInputDialog.getText(self, "Save this stage", "What is it called?", text=self.desk.effect.name)
        if ok and name.strip():
            keep_own(_SHELF, name.strip(), self.desk.effect.stage)


class EventsPage(Page):
    """What a game tells the effect and is told by it, with a try of each at the moment that is shown."""

    title = "Events and cues"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk, FieldsColumn(desk, OfEffect(desk), (), Effect, only=("answers", "cues")))
        row = QHBoxLayout()
        row.setSpacing(0)
        self.tries = {}
        for does, tip in (
            ("start", "Restart (R)"),
            ("stop", "Remove everything at once"),
            ("end softly", "Stop spawning, live particles finish"),
        ):
            button = WordButton(does, f"{tip}, as the game's event does")
            button.clicked.connect(lambda _=False, does=does: self.tell(does))
            self.tries[does] = button
            row.addWidget(button)
        row.addStretch(1)
        strengths = QHBoxLayout()
        strengths.setSpacing(0)
        strengths.addWidget(QLabel("strength"))
        for share in (0.0, 0.25, 0.5, 0.75, 1.0):
            button = WordButton(f"{share:g}", f"Lets {share:.0%} of births happen from this moment on")
            button.clicked.connect(lambda _=False, share=share: self.tell("strength", share))
            self.tries[f"strength {share:g}"] = button
            strengths.addWidget(button)
        strengths.addStretch(1)
        row.setContentsMargins(6, 0, 0, 0)
        strengths.setContentsMargins(12, 0, 0, 0)
        self.column.insertLayout(0, row)
        self.column.insertLayout(1, strengths)
        self.wrong = QLabel()
        self.wrong.setWordWrap(True)
        self.wrong.setContentsMargins(12, 2, 4, 4)
        theme.tone(self.wrong, "warning")
        self.wrong.hide()
        self.column.insertWidget(2, self.wrong)
        for heading in self.fields.findChildren(Heading):
            heading.open()

    def refresh(self) -> None:
        super().refresh()
        problems = name_problems(self.desk.effect)
        self.wrong.setText(str(problems[0]) if problems else "")
        self.wrong.setVisible(bool(problems))

    def tell(self, does: str, share: float = 1.0) -> None:
        """Tells the playing effect of an event, and says what that does."""
        name = self.desk.effect.answers.named().get(does, "")
        self.desk.tell(does, share)
        says = {
            "start": "restarted",
            "stop": "was removed",
            "end softly": "spawns no more; live particles finish",
            "strength": f"spawns {share:.0%} of what it would",
        }[does]
        told = f"“{name}”: " if name else ""
        self.desk.hinted.emit(f"{told}the effect {says}. R begins again without it.", None)
