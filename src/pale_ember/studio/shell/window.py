"""The Workbench: stage, layers and story around one open document."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QKeyEvent, QKeySequence, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QMainWindow, QMessageBox, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect, Stage
from pale_ember.core.effect.shapes import with_aim_flipped
from pale_ember.core.insight.checks.facts import GameFacts
from pale_ember.core.insight.guide import GuideEntry
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.formats.document import called
from pale_ember.studio.bench.bench_page import BenchPage
from pale_ember.studio.controls.text_entry import finish_typing
from pale_ember.studio.document.asset_import import Importer
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.document.history import Document
from pale_ember.studio.fields.row import go_to
from pale_ember.studio.handover.handover_page import HandoverPage
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.insight.checks_page import ChecksPage
from pale_ember.studio.insight.cost_page import CostPage
from pale_ember.studio.insight.thinning_page import ThinningPage
from pale_ember.studio.kit import appearance, theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.settings import kept_bytes, settings
from pale_ember.studio.kit.side_panel import SidePage
from pale_ember.studio.kit.tab_stops import stops_in
from pale_ember.studio.layers.panel import LayersPanel
from pale_ember.studio.shell.command_table import every_command
from pale_ember.studio.shell.commands import bind
from pale_ember.studio.shell.file_faults import FileFaults
from pale_ember.studio.shell.files import Files, demo_effects
from pale_ember.studio.shell.guide import GuidePage
from pale_ember.studio.shell.header import Header
from pale_ember.studio.shell.held_keys import HeldKeys
from pale_ember.studio.shell.hints import HintLine
from pale_ember.studio.shell.keyboard import Keyboard
from pale_ember.studio.shell.recovery import Recovery, forget, left_behind
from pale_ember.studio.shell.search import Search, everything
from pale_ember.studio.shell.shortcuts_page import ShortcutsPage
from pale_ember.studio.shell.stage_report import StageReport
from pale_ember.studio.stage.panels import SidePanel
from pale_ember.studio.stage.place_clicks import PlaceClicks
from pale_ember.studio.stage.transport import Readout, Transport
from pale_ember.studio.stage.view import StageView
from pale_ember.studio.stage.worker import Worker
from pale_ember.studio.story.story import Story

if TYPE_CHECKING:
    from pale_ember.studio.bake.clip_dialog import ClipDialog
    from pale_ember.studio.bake.sheet_dialog import SheetDialog

_PLAYS_FIRST = 1000
"""Milliseconds that the stage has for itself, from its first picture on, before the effect is looked through."""

_FRAME = 30
"""Pixels that a window manager puts above a window, at most: what stands at the bottom must not go below the screen."""

_LOOKING = "Space plays and pauses · drag the stage to orbit, with Shift to pan, wheel to zoom, F to frame"
_BENCH = "Steps work from the first to the last · / adds one · wheel zooms, drag moves · Escape goes back"
_HANDING = "A click on a picture shows what packing does to it · wheel zooms, drag moves · Escape goes back"


class Workbench(QMainWindow):
    """The window. `in_window` says whether the stage is drawn in the window's own OpenGL."""

    def __init__(self, document: Document, *, in_window: bool = False) -> None:
        super().__init__()
        self.document = document
        self.desk = Desk(document)
        shelf = self.desk.shelf_get, self.desk.shelf_mesh, self.desk.shelf_density
        self.worker = Worker(*shelf, draws=not in_window)
        self.checker = AnalysisLink(document, self._game)
        self.files = Files(document, self)
        self.importer = Importer(self.desk)
        self.aside = Recovery(document)
        self._ends_at = float("inf")
        self._ended = False
        self._marked = True
        """Whether marks were shown before the bench was opened."""
        self._before = {"asked", "painted", "played"}
        """What has still to happen before all has begun."""
        self.header = Header(self.desk)
        self.stage = StageView(self.desk, self.worker, in_window=in_window)
        self.side = SidePanel(self.stage)
        self.transport = Transport(self.desk, self.side)
        self.layers = LayersPanel(self.desk)
        self.readout = Readout(self.desk)
        self.story = Story(self.desk)
        self.hints = HintLine(self.desk)
        self.faults = FileFaults(self.hints.show_hint)
        self.telling = StageReport(self.desk, self.stage, self.layers, self.readout, self.story, self.faults)
        self.handing = HandoverPage(self.desk)
        self.bench = BenchPage(self.desk)
        self.clicks = PlaceClicks(self.desk, self.stage)
        self.checks = ChecksPage(self.desk)
        self.thinning, self.costs = ThinningPage(self.desk, self.checker), CostPage(self.desk, self.checker)
        self._arrange()
        self.commands = every_command(self)
        bind(self, self.commands, finish_typing)
        commanding = self.stage, self.transport, self.layers, self.readout
        searching = self.story, self.side, self.handing, self.bench
        self.keyboard = Keyboard(self, self.commands, commanding, searching, self.open_search)
        self.holding = HeldKeys(self.desk, self, self.keyboard.commands_here)
        self._connect()
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
        self._beside = beside
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
        self.pages = QStackedWidget()
        self.pages.addWidget(self.down)
        self.pages.addWidget(self.handing)
        self.pages.addWidget(self.bench)
        column.addWidget(self.header)
        column.addWidget(self.pages, 1)
        column.addWidget(self.hints)
        self.setCentralWidget(whole)
        for name, splitter in (("across", self.across), ("down", self.down)):
            splitter.restoreState(kept_bytes(name))
        if not self.restoreGeometry(kept_bytes("geometry")):
            room = self.screen().availableGeometry()
            self.resize(min(1280, room.width()), min(800, room.height() - _FRAME))

    def _show_target(self, target: Target) -> None:
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

    def another_seed(self) -> None:
        """The same effect with other draws."""
        effect = self.document.effect
        self.document.change("new seed", with_value(effect, ("seed",), (effect.seed + 1) % 2**31))

    def turn_axes(self) -> None:
        """Moves and turns the layer in other axes."""
        whose = {"parent": "of what it stands in", "own": "of its own", "world": "of the world"}
        self.hints.show_hint(f"The layer moves and turns along the axes {whose[self.desk.looking.turn_axes()]}.")

    def flip_aim(self) -> None:
        """Lets the layer's particles head the other way."""
        layer = self.desk.layer
        if layer is None:
            return
        flipped = with_aim_flipped(layer)
        if flipped is layer:
            self.hints.show_hint(f"{layer.name} heads {layer.outlet.aim}: that cannot be reversed.")
        else:
            self.document.change_layer(f"{layer.name}: reverse aim", layer.id, ("outlet",), flipped.outlet)

    def open_keys(self) -> ShortcutsPage:
        """Opens the page of all keys."""
        page = ShortcutsPage(self, self.commands)
        page.open_over(self)
        return page

    def open_guide(self, place: GuideEntry | None = None) -> GuidePage:
        """Opens the guide, where something is told."""
        page = GuidePage(self)
        page.open_at(self, place)
        return page

    def open_search(self, begun: str = "") -> Search:
        """Opens the one search for everything, with what is typed already."""
        search = Search(self.desk, self, everything(self))
        search.sought.connect(self._show_target)
        search.open_over(self.header.search)
        search.line.setText(begun)
        return search

    def press_shortcut(self, event: QKeyEvent) -> bool:
        """Does what a key of the window says, pressed in something that lies over it; says whether it said anything."""
        pressed = QKeySequence(event.keyCombination())
        for action in self.actions():
            if pressed in action.shortcuts():
                action.trigger()
                return True
        return False

    def follow(self, by: int) -> None:
        """Follows a neighbour of the particle that is followed."""
        self.stage.follower.step(by, self.stage.answer.frame if self.stage.answer is not None else None)

    def add_here(self) -> None:
        """Opens what adds to the page in hand: a row to a chapter, or a step to a picture."""
        if self.pages.currentWidget() is self.bench:
            self.bench.open_adding()
        else:
            self.story.open_adding(self.story.adding_chapter())

    def move_here(self, by: int) -> None:
        """Moves the selected layer in its list; on the bench the step in its recipe."""
        if self.pages.currentWidget() is self.bench:
            self.bench.chosen.shift_step(by)
        else:
            self.layers.table.move(by)

    def rename_layer(self) -> None:
        """Opens the selected layer's name; over the story the sentence of the chapter in hand; on the bench the picture's name."""
        if self.pages.currentWidget() is self.bench:
            self.bench.rename()
            return
        if self.pages.currentWidget() is self.down and not self.keyboard.commands_here():
            self.story.write(self.story.adding_chapter())
            return
        self.layers.show_selected()
        self.layers.table.rename()

    def _connect(self) -> None:
        self.document.changed.connect(self._document_changed)
        self.document.named.connect(self._show_name)
        self.story.tabbed.connect(self.keyboard.tabbed)
        self.desk.player.moved.connect(self._check_end)
        self.desk.watch.changed.connect(self._files_changed)
        self.desk.watch.document_changed.connect(self.files.look)
        self.stage.shown.connect(self.telling.tell)
        self.worker.explored.connect(self.telling.tell_loop)
        self.worker.pictured.connect(self.layers.strip.show_picture)
        self.checker.checked.connect(self.desk.findings.take)
        self.checker.spent.connect(self.desk.spent.take)
        self.checker.cut.connect(self.desk.spent.take_cuts)
        self.checker.failed.connect(self.hints.show_hint)
        self.checks.switched.connect(self._check)
        self.desk.findings.changed.connect(self.story.mark_findings)
        self.worker.failed.connect(self.hints.show_hint)
        self.aside.troubled.connect(self.hints.show_hint)
        screens = {"Workbench": self.down, "Textures": self.bench, "Hand over": self.handing}
        self.header.screen_asked.connect(lambda name: self._show_page(screens[name]))
        self.handing.left.connect(self.flip_handover)
        self.story.passed.connect(self.focusNextPrevChild)
        self.desk.bench_asked.connect(self.open_picture)
        self.desk.gas_made.connect(self.stage.refresh)
        self.desk.gas_made.connect(self._check)
        self.handing.bake_asked.connect(self.open_bake)
        self.handing.motion_asked.connect(self.open_motion)
        self.header.search_asked.connect(self.open_search)
        self.header.checks_asked.connect(lambda: self.flip_side(self.checks))
        self.header.cost_asked.connect(lambda: self.flip_side(self.costs))
        self.desk.bake_asked.connect(self._bake)
        self.handing.events.changed.connect(self._check)
        self.header.file_menu_asked.connect(self._open_file_menu)
        self.files.opened.connect(self._opened)
        self.files.said.connect(self.hints.show_until_edit)
        self.document.refused.connect(self._refused)
        self.desk.sought.connect(self._show_target)
        self.desk.save_asked.connect(self._save_for)
        self.desk.file_given.connect(self.importer.take)
        self.desk.file_wanted.connect(self.importer.bring)
        self.readout.clicked.connect(lambda: self.flip_side(self.costs))
        self.layers.events.clicked.connect(lambda: self.side.flip(self.transport.events))
        self.layers.ruler.events_asked.connect(lambda: self.side.show_page(self.transport.events))
        self.layers.table.places_asked.connect(self.clicks.place)
        self.layers.table.shots_asked.connect(self.clicks.shoot)

    def start(self) -> None:
        """Begins to draw and to play."""
        self._begin("asked")
        self.stage.setFocus()
        self.stage.refresh()
        self.desk.player.play()
        self.hints.show_hint(_LOOKING)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.holding.watch()

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if "painted" in self._before:
            QTimer.singleShot(0, lambda: self._begin("painted"))

    def _begin(self, step: str) -> None:
        """One after another: the window is seen, the worker begins, which reads its kernels, and only once the stage has
        played for a while the effect is looked through, which takes a process of its own."""
        if step in self._before:
            self._before.discard(step)
            if self._before == {"played"}:
                self.stage.shown.connect(self._played)
                QTimer.singleShot(5 * _PLAYS_FIRST, lambda: self._begin("played"))
                self.worker.start()
            elif not self._before:
                self._check()

    def _played(self) -> None:
        self.stage.shown.disconnect(self._played)
        QTimer.singleShot(_PLAYS_FIRST, lambda: self._begin("played"))

    def _game(self) -> GameFacts:
        """What is known of the game that the effect is for."""
        return GameFacts(self.desk.spent.targets, self.handing.events.known)

    def _bake(self, identity: str) -> None:
        """Bakes a layer on the bench, into a sheet that takes its place."""
        self.desk.select(identity)
        self.open_picture("")
        self.bench.deeds.bake_layers()

    def _check(self, *, anew: bool = False) -> None:
        """Lets the effect be looked through, where that is wanted. anew : files changed outside."""
        self.checker.marks = self.checks.on
        if not self._before and (self.checks.on or self.costs.isVisible()):
            self.checker.check(self.desk.effect, anew=anew)

    # What happens ----------------------------------------------------------------------------------------------

    def tell_unforeseen(self, text: str) -> None:
        """Says what nobody expected; the work is written aside at once."""
        self.aside.write()
        self.hints.show_hint(text)

    def undo(self) -> None:
        """Undoes the last change, and says which."""
        name = self.document.undo()
        self.hints.show_until_edit(f"Undid: {name}" if name else "Nothing to undo.")

    def redo(self) -> None:
        """Redoes what was undone, and says what."""
        name = self.document.redo()
        self.hints.show_until_edit(f"Redid: {name}" if name else "Nothing to redo.")

    def _save_for(self, reason: str) -> None:
        """Gives the document a place, because something is to be kept beside it."""
        self.hints.show_hint(reason)
        self.files.save_as()

    def _opened(self) -> None:
        self.desk.looking.solo, self.desk.looking.compared = None, ""
        self.desk.player.part = None
        self.hints.show_hint(_LOOKING)
        self.desk.looking.look_from(self.desk.looking.first_camera())
        self.desk.player.again()

    def _show_name(self) -> None:
        mark = " (unsaved)" if self.document.unsaved else ""
        self.setWindowTitle(f"{self.document.effect.name}{mark} — Pale Ember")

    def _document_changed(self, old: Effect, new: Effect) -> None:
        if (old.duration, old.tempo) != (new.duration, new.tempo):
            self.desk.player.play_part(None, self.layers.table.length())
        self._ends_at = Forecast(new).ends_at()
        self._check()
        self.stage.strip = self.layers.strip.moments()
        if self._ended and old is not new:
            self.desk.player.again()
        self._check_end()

    def _check_end(self) -> None:
        """A one-shot that is over holds still, says so, and begins again on R or on an edit."""
        player = self.desk.player
        over = player.moment >= self._ends_at
        if over and player.playing and self.desk.player.repeat:
            player.again()
            return
        if over and player.playing:
            player.pause()
            self._ended = True
        elif not over:
            self._ended = False
        self.transport.set_ended(over)

    def _refused(self, why: str) -> None:
        """An edit was not done: everything shows again what is."""
        self.hints.show_hint(why)
        self.story.refresh()
        self.layers.table.update()

    def _files_changed(self, names: list[str]) -> None:
        """Takes what another program wrote, at the moment that is shown."""
        self.stage.refresh()
        self._check(anew=True)
        self.handing.take_again()
        self.faults.taken(names)

    def _open_file_menu(self) -> None:
        menu = Menu(self)
        self.files.fill(menu)
        menu.addSeparator()
        demos = menu.addMenu("Effects of the quay")
        for path in demo_effects():
            action = demos.addAction(called(path))
            action.triggered.connect(lambda _=False, path=path: self.files.open_copy(path))
        looks = menu.addMenu("Appearance")
        for name, chosen in appearance.choices():
            action = looks.addAction(name if name in theme.DRESSES else f"text size {name}")
            action.setCheckable(True)
            action.setChecked(chosen)
            action.triggered.connect(lambda _=False, name=name: self.hints.show_hint(appearance.choose(name)))
        menu.open_at(self.header.file)

    def flip_handover(self) -> None:
        """Shows what a game takes away, or the Workbench again."""
        self._show_page(self.down if self.pages.currentWidget() is self.handing else self.handing)

    def flip_bench(self) -> None:
        """Shows the texture bench, or the Workbench again."""
        self._show_page(self.down if self.pages.currentWidget() is self.bench else self.bench)

    def open_picture(self, name: str) -> None:
        """Works on a picture on the bench; the selected layer wears what comes of a card."""
        self._show_page(self.bench)
        self.bench.deeds.take(name)

    def _show_page(self, page: QWidget) -> None:
        """Shows one of the pages. The stage goes along to the bench, where the effect plays on in a corner."""
        benched, looking = page is self.bench, self.desk.looking
        if benched != (self.pages.currentWidget() is self.bench):
            # Small in its corner, the stage is for looking alone.
            self._marked, looking.overlays = (looking.overlays, False) if benched else (True, self._marked)
            looking.changed.emit()
        (self.bench.corner if benched else self._beside).addWidget(self.stage)
        self.pages.setCurrentWidget(page)
        self.header.show_screen("Hand over" if page is self.handing else "Textures" if benched else "Workbench")
        (self.stage if page is self.down else page).setFocus()
        self.hints.show_hint({self.handing: _HANDING, self.bench: _BENCH}.get(page, _LOOKING))

    def flip_side(self, page: SidePage) -> None:
        """Shows a page beside the stage, or closes it; from the bench or the hand-over it goes back to the stage first."""
        if self.pages.currentWidget() is self.down:
            self.side.flip(page)
        else:
            self._show_page(self.down)
            self.side.show_page(page)

    def open_motion(self) -> ClipDialog:
        # What bakes and keeps motion is read when it is wanted: a tenth of all that a start would read.
        """Opens the export of clips and caches."""
        from pale_ember.studio.bake.clip_dialog import ClipDialog

        window = ClipDialog(self.desk, self)
        window.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        window.show()
        return window

    def open_bake(self) -> SheetDialog:
        """Opens the baking of sheets."""
        from pale_ember.studio.bake.sheet_dialog import SheetDialog

        window = SheetDialog(self.desk, self)
        window.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        window.show()
        return window

    def offer_recovery(self) -> None:
        """Asks about work a crash left behind."""
        found_behind, troubles = left_behind()
        for trouble in troubles[:1]:
            self.hints.show_hint(trouble)
        for left in found_behind:
            where = left.path.name if left.path else "not saved anywhere yet"
            question = f"“{left.effect.name}” ({where}) was not saved when Pale Ember ended. Restore it?"
            buttons = QMessageBox.StandardButton
            answer = QMessageBox.question(self, "Pale Ember", question, buttons.Yes | buttons.Discard | buttons.Ignore)
            if answer == buttons.Yes:
                self.document.open(left.effect, left.path, saved=False)
                if self.aside.holds(left.effect):
                    forget(left.file)
                self._opened()
                return
            if answer == buttons.Discard:
                forget(left.file)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Escape, where nobody took it, goes back to the Workbench; also where nothing has the focus."""
        if event.key() == Qt.Key.Key_Escape and self.pages.currentWidget() is not self.down:
            self._show_page(self.down)
        elif not self.keyboard.press(event):
            super().keyPressEvent(event)

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes from part to part of the window, as they lie, and through each as it was made; the story leads it by itself."""
        self.keyboard.tabbed()
        page = self.pages.currentWidget()
        beside = (self.stage, self.transport, self.side, self.layers, self.story)
        parts: list[QWidget] = [self.header, *(beside if page is self.down else (page,) if page is not None else ())]
        focus, by = QApplication.focusWidget(), 1 if forward else -1
        here = next((i for i, part in enumerate(parts) if focus is not None and (part is focus or part.isAncestorOf(focus))), 0)
        stops = stops_in(parts[here])
        at = stops.index(focus) + by if focus in stops else len(stops) if parts[here] is self.story else 0
        while not 0 <= at < len(stops) or parts[here] is self.story:
            here = (here + by) % len(parts)
            if parts[here] is self.story:
                self.story.enter(forward)
                return True
            stops = stops_in(parts[here])
            at = 0 if forward else len(stops) - 1
        stops[at].setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
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
        self._before.add("never")
        self.worker.stop()
        self.checker.stop()
        self.layers.previews.stop()
        self.handing.end()
        self.bench.end()
        self.desk.gases.end()
        self.stage.end()
        self.desk.watch.end()
        self.aside.end()
