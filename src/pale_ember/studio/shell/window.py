"""The Workbench: stage, layers and story around one open document."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QKeyEvent, QKeySequence, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QMainWindow, QSplitter, QVBoxLayout, QWidget

from pale_ember.core.effect.model import Effect, Stage
from pale_ember.core.insight.checks.facts import GameFacts
from pale_ember.formats.game_folder import root_of
from pale_ember.studio.bench.bench_page import BenchPage
from pale_ember.studio.controls.text_entry import finish_typing
from pale_ember.studio.document.asset_import import Importer
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.document.history import Document
from pale_ember.studio.effects.effects_page import EffectsPage
from pale_ember.studio.fields.row import go_to
from pale_ember.studio.handover.handover_page import HandoverPage
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.insight.changes_page import ChangesPage, Merge
from pale_ember.studio.insight.checks_page import ChecksPage
from pale_ember.studio.insight.cost_page import CostPage
from pale_ember.studio.insight.reference_page import ReferencePage
from pale_ember.studio.insight.thinning_page import ThinningPage
from pale_ember.studio.insight.variations_page import VariationsPage
from pale_ember.studio.kit.saved_items import use_shared
from pale_ember.studio.kit.settings import kept_bytes, settings
from pale_ember.studio.kit.side_panel import SidePage
from pale_ember.studio.kit.tab_stops import tab
from pale_ember.studio.layers.panel import LayersPanel
from pale_ember.studio.shell.automatic_checks import AutomaticChecks
from pale_ember.studio.shell.bench_visits import BenchVisits
from pale_ember.studio.shell.command_table import every_command
from pale_ember.studio.shell.commands import bind
from pale_ember.studio.shell.file_faults import FileFaults
from pale_ember.studio.shell.files import Files
from pale_ember.studio.shell.header import Header
from pale_ember.studio.shell.held_keys import HeldKeys
from pale_ember.studio.shell.hints import HintLine
from pale_ember.studio.shell.keyboard import Keyboard
from pale_ember.studio.shell.one_shot import OneShotEnd
from pale_ember.studio.shell.openers import Openers
from pale_ember.studio.shell.recovery import Recovery
from pale_ember.studio.shell.screens import EFFECTS, HINTS, WORKBENCH, WindowScreens
from pale_ember.studio.shell.stage_report import StageReport
from pale_ember.studio.shell.start_order import StartOrder
from pale_ember.studio.stage.panels import SidePanel
from pale_ember.studio.stage.place_clicks import PlaceClicks
from pale_ember.studio.stage.transport import Readout, Transport
from pale_ember.studio.stage.view import StageView
from pale_ember.studio.stage.worker import Worker
from pale_ember.studio.story.story import Story

_FRAME = 30
"""Pixels that a window manager puts above a window, at most: what stands at the bottom must not go below the screen."""


class Workbench(QMainWindow):
    """The window. `in_window` says whether the stage is drawn in the window's own OpenGL."""

    def __init__(self, document: Document, *, in_window: bool = False) -> None:
        super().__init__()
        self.document = document
        self.desk = Desk(document)
        shelf = self.desk.shelf_get, self.desk.shelf_mesh, self.desk.shelf_density
        self.worker = Worker(*shelf, draws=not in_window)
        self.checker = AnalysisLink(document, lambda: GameFacts(self.desk.spent.targets, self.handing.events.known))
        self.files = Files(document, self)
        self.importer = Importer(self.desk)
        self.aside = Recovery(document)
        self.open = Openers(self)
        self.header = Header(self.desk)
        self.stage = StageView(self.desk, self.worker, in_window=in_window)
        self.begins = StartOrder(self.stage, self.worker)
        self.side = SidePanel(self.stage)
        self.transport = Transport(self.desk, self.side)
        self.one_shot = OneShotEnd(self.desk, self.transport)
        self.layers = LayersPanel(self.desk)
        self.readout = Readout(self.desk)
        self.story = Story(self.desk)
        self.hints = HintLine(self.desk)
        self.faults = FileFaults(self.hints.show_hint)
        self.telling = StageReport(self.desk, self.stage, self.layers, self.readout, self.story, self.faults)
        self.handing = HandoverPage(self.desk)
        self.bench = BenchPage(self.desk)
        self.gallery = EffectsPage(self.desk, self.checker)
        self.screens = WindowScreens(self.desk, self.stage, self.bench, self.handing, self.gallery)
        self.clicks = PlaceClicks(self.desk, self.stage)
        self.checks = ChecksPage(self.desk)
        self.thinning, self.costs = ThinningPage(self.desk, self.checker), CostPage(self.desk, self.checker)
        self.changes = ChangesPage(self.desk)
        self.variations, self.matching = VariationsPage(self.desk, self.checker), ReferencePage(self.desk, self.checker)
        self.checking = AutomaticChecks(self.desk, self.checker, self.checks, self.costs, self.begins)
        self.visits = BenchVisits(self.desk, self.screens, self.bench)
        self._arrange()
        self.commands = every_command(self)
        bind(self, self.commands, finish_typing)
        commanding = self.stage, self.transport, self.layers, self.readout
        searching = self.story, self.side, self.handing, self.bench, self.gallery
        self.keyboard = Keyboard(self, self.commands, commanding, searching, self.open.search)
        self.holding = HeldKeys(self.desk, self, self.keyboard.commands_here)
        self._connect()
        self._share()
        self._show_name()
        self._document_changed(document.effect, document.effect)

    # Building --------------------------------------------------------------------------------------------------

    def _arrange(self) -> None:
        left, right, picture = QWidget(), QWidget(), QWidget()
        beside = QHBoxLayout(picture)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(1)
        beside.addWidget(self.side)
        beside.addWidget(self.stage, 1)
        for side, parts in ((left, (picture, self.transport)), (right, (self.layers, self.readout))):
            column = QVBoxLayout(side)
            column.setContentsMargins(0, 0, 0, 0)
            column.setSpacing(1)
            column.addWidget(parts[0], 1)
            column.addWidget(parts[1])
        self.across = QSplitter(Qt.Orientation.Horizontal)
        self.across.addWidget(left)
        self.across.addWidget(right)
        self.across.setSizes([836, 444])
        self.across.setStretchFactor(0, 1)
        self.down = QSplitter(Qt.Orientation.Vertical)
        self.down.addWidget(self.across)
        self.down.addWidget(self.story)
        self.down.setSizes([432, 300])
        self.down.setStretchFactor(0, 1)
        for splitter in (self.across, self.down):
            splitter.setHandleWidth(2)
            splitter.setChildrenCollapsible(False)
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(1)
        self.screens.add_workbench(self.down, beside)
        column.addWidget(self.header)
        column.addWidget(self.screens, 1)
        column.addWidget(self.hints)
        self.setCentralWidget(whole)
        for name, splitter in (("across", self.across), ("down", self.down)):
            splitter.restoreState(kept_bytes(name))
        if not self.restoreGeometry(kept_bytes("geometry")):
            room = self.screen().availableGeometry()
            self.resize(min(1280, room.width()), min(800, room.height() - _FRAME))

    def show_target(self, target: Target) -> None:
        """Shows and focuses a field, wherever it stands."""
        if target.kind is Stage:
            row = self.transport.open_stage().fields.reveal(target.path)
        elif target.kind is Effect:
            if target.path[0] in ("answers", "cues"):
                self.side.show_page(self.transport.events)
                row = self.transport.events.fields.reveal(target.path)
            else:
                row = self.header.field(target.path[-1])
        else:
            self.story.show_field(target.path)
            return
        go_to(row)

    def press_shortcut(self, event: QKeyEvent) -> bool:
        """Does what a key of the window says, pressed in something that lies over it; says whether it said anything."""
        pressed = QKeySequence(event.keyCombination())
        for action in self.actions():
            if pressed in action.shortcuts():
                action.trigger()
                return True
        return False

    def _connect(self) -> None:
        self.document.changed.connect(self._document_changed)
        self.document.named.connect(self._show_name)
        self.story.tabbed.connect(self.keyboard.tabbed)
        self.desk.watch.changed.connect(self._files_changed)
        self.desk.watch.document_changed.connect(self.files.look)
        self.stage.shown.connect(self.telling.tell)
        self.worker.explored.connect(self.telling.tell_loop)
        self.worker.pictured.connect(self.layers.strip.show_picture)
        self.checker.failed.connect(self.hints.show_hint)
        self.desk.findings.changed.connect(self.story.mark_findings)
        self.worker.failed.connect(self.hints.show_hint)
        self.aside.troubled.connect(self.hints.show_hint)
        self.header.screen_asked.connect(self.screens.show_screen)
        self.screens.turned.connect(self.header.show_screen)
        self.screens.turned.connect(lambda name: self.hints.show_hint(HINTS[name]))
        for page in (self.handing, self.gallery):
            page.left.connect(lambda: self.screens.show_screen(WORKBENCH))
        self.gallery.open_asked.connect(self._open_from_folder)
        self.begins.begun.connect(self.desk.reference.begin)
        self.story.passed.connect(self.focusNextPrevChild)
        self.desk.gas_made.connect(self.stage.refresh)
        self.handing.bake_asked.connect(self.open.sheet)
        self.handing.motion_asked.connect(self.open.clip)
        self.header.search_asked.connect(self.open.search)
        self.header.checks_asked.connect(lambda: self.flip_side(self.checks))
        self.header.cost_asked.connect(lambda: self.flip_side(self.costs))
        self.handing.events.changed.connect(self.checking.run)
        self.header.file_menu_asked.connect(self.open.file_menu)
        self.files.opened.connect(self.begin_anew)
        self.files.merged.connect(self._choose)
        self.files.said.connect(self.hints.show_until_edit)
        self.document.refused.connect(self._refused)
        self.desk.sought.connect(self.show_target)
        self.desk.save_asked.connect(self.hints.show_hint)
        self.desk.save_asked.connect(lambda _: self.files.save_as())
        self.desk.file_given.connect(self.importer.take)
        self.desk.file_wanted.connect(self.importer.bring)
        self.readout.clicked.connect(lambda: self.flip_side(self.costs))
        self.matching.frames_asked.connect(self.visits.bring_frames)
        self.transport.panel.reference_asked.connect(lambda: self.side.show_page(self.matching))
        self.layers.events.clicked.connect(lambda: self.side.flip(self.transport.events))
        self.layers.ruler.events_asked.connect(lambda: self.side.show_page(self.transport.events))
        self.layers.table.places_asked.connect(self.clicks.place)
        self.layers.table.shots_asked.connect(self.clicks.shoot)

    def start(self) -> None:
        """Begins to draw and to play."""
        self.begins.step("asked")
        self.stage.setFocus()
        self.stage.refresh()
        self.desk.player.play()
        self.hints.show_hint(HINTS[WORKBENCH])

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.holding.watch()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        self.begins.painted()

    # What happens ----------------------------------------------------------------------------------------------

    def tell_unforeseen(self, text: str) -> None:
        """Says what nobody expected; the work is written aside at once."""
        self.aside.write()
        self.hints.show_hint(text)

    def undo(self) -> None:
        """Undoes the last change, and says which; over the effects of a folder that of its files."""
        if self.screens.shown == EFFECTS:
            self.gallery.undo()
            return
        name = self.document.undo()
        self.hints.show_until_edit(f"Undid: {name}" if name else "Nothing to undo.")

    def redo(self) -> None:
        """Redoes what was undone, and says what."""
        name = self.document.redo()
        self.hints.show_until_edit(f"Redid: {name}" if name else "Nothing to redo.")

    def begin_anew(self) -> None:
        """Another document is open: it is looked at from its first view, from its beginning."""
        self.desk.looking.solo, self.desk.looking.compared = None, ""
        self._share()
        self.desk.player.part = None
        self.hints.show_hint(HINTS[WORKBENCH])
        self.desk.looking.look_from(self.desk.looking.first_camera())
        self.desk.player.again()

    def _show_name(self) -> None:
        mark = " (unsaved)" if self.document.unsaved else ""
        self.setWindowTitle(f"{self.document.effect.name}{mark} — Pale Ember")

    def _document_changed(self, old: Effect, new: Effect) -> None:
        if (old.duration, old.tempo) != (new.duration, new.tempo):
            self.desk.player.play_part(None, self.layers.table.length())
        self.checking.run()
        self.stage.strip = self.layers.strip.moments()
        self.one_shot.changed(old, new)

    def _open_from_folder(self, path: str) -> None:
        """Opens a document of the folder on the Workbench; the one that is open is gone back to."""
        here = self.document.path
        if (here is not None and here.resolve() == Path(path).resolve()) or self.files.open(Path(path)):
            self.screens.show_screen(WORKBENCH)

    def _choose(self, merge: Merge) -> None:
        """What two made of the effect was put together: what both changed is chosen beside the stage."""
        self.changes.begin_merge(merge)
        self.screens.show_screen(WORKBENCH)
        self.side.show_page(self.changes)

    def _share(self) -> None:
        """Takes what the folder of the document shares, and says what of it has changed since."""
        path = self.document.path
        use_shared(None if path is None else root_of(path.resolve()))
        new = self.changes.look_for_news()
        if new:
            told = f"{new} of what the effect follows has changed in the folder: D shows how, and takes it."
            QTimer.singleShot(0, lambda: self.hints.show_until_edit(told))  # behind what opening says

    def _refused(self, why: str) -> None:
        """An edit was not done: everything shows again what is."""
        self.hints.show_hint(why)
        self.story.refresh()
        self.layers.table.update()

    def _files_changed(self, names: list[str]) -> None:
        """Takes what another program wrote, at the moment that is shown."""
        self.stage.refresh()
        self.checking.run(anew=True)
        self.handing.take_again()
        self.faults.taken(names)

    def flip_side(self, page: SidePage) -> None:
        """Shows a page beside the stage, or closes it; from the bench or the hand-over it goes back to the stage first."""
        if self.screens.shown == WORKBENCH:
            self.side.flip(page)
        else:
            self.screens.show_screen(WORKBENCH)
            self.side.show_page(page)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape, where nobody took it, goes back to the Workbench; also where nothing has the focus."""
        if event.key() == Qt.Key.Key_Escape and self.screens.shown != WORKBENCH:
            self.screens.show_screen(WORKBENCH)
        elif not self.keyboard.press(event):
            super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes from part to part of the window, as they lie, and through each as it was made; the story leads it by itself."""
        self.keyboard.tabbed()
        beside = (self.stage, self.transport, self.side, self.layers, self.story)
        shown = beside if self.screens.shown == WORKBENCH else (self.screens.currentWidget(),)
        tab((self.header, *shown), forward)
        return True

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.files.may_leave():
            event.ignore()
            return
        store = settings()
        store.setValue("geometry", self.saveGeometry())
        store.setValue("across", self.across.saveState())
        store.setValue("down", self.down.saveState())
        self.story.keep()
        self.end()
        event.accept()

    def end(self) -> None:
        """Stops all that runs; the window can no longer be used."""
        finish_typing()
        self.desk.player.pause()
        self.begins.end()
        self.worker.stop()
        self.checker.stop()
        self.layers.previews.stop()
        self.handing.end()
        self.bench.end()
        self.gallery.end()
        self.desk.gases.end()
        self.stage.end()
        self.desk.watch.end()
        self.aside.end()
