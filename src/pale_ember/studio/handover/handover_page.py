"""The Hand-over screen: what leaves, what packing does to it, what targets allow, and the rehearsal."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Literal

from PyQt6.QtCore import QProcess, QProcessEnvironment, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QImage, QKeyEvent, QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QFileDialog, QFormLayout, QHBoxLayout, QLabel, QMessageBox, QProgressBar, QSizePolicy, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Effect
from pale_ember.core.texture.formats import FORMATS, MEANS
from pale_ember.formats.disk import ForeignFiles, KeptOnDisk, stands_free, write_folder, write_whole
from pale_ember.formats.handover.package import Cancelled, Package, package_of
from pale_ember.formats.handover.runtime import PackageError, slug
from pale_ember.formats.handover.textures import TextureOptions
from pale_ember.formats.targets import targets_of
from pale_ember.machine import child_processes, user_folders
from pale_ember.rehearsal.pages import page_of
from pale_ember.rehearsal.wire import PORT
from pale_ember.studio.controls.buttons import ChoiceEdit, SwitchEdit, WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.handover.budgets import BudgetView
from pale_ember.studio.handover.events import EventsList
from pale_ember.studio.handover.file_list import FilesList, small_pictures, told_size
from pale_ember.studio.handover.packing_view import ComparedView
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.settings import kept_list, last_folder, settings
from pale_ember.studio.kit.tasks import Task

_AFTER = 300
"""Milliseconds after a change before the package is made anew."""
_KINDS = ("best", "none", *FORMATS)
_FOLDER = "handover folder"


class HandoverPage(QWidget):
    """Makes the package away from the window whenever something changed while it is seen; writes it when asked."""

    left = pyqtSignal()
    bake_asked = pyqtSignal()
    motion_asked = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.package: Package | None = None
        self._made_of: tuple[Effect, TextureOptions, tuple[str, ...] | None] | None = None
        self._task: Task | None = None
        self._again = QTimer(self, singleShot=True, interval=_AFTER)
        self._again.timeout.connect(self.make)
        self._game: QProcess | None = None
        self._paging: Task | None = None
        self._build()
        desk.document.changed.connect(lambda: self._later())

    # Building --------------------------------------------------------------------------------------------------

    def _build(self) -> None:
        self.files, self.compared, self.budgets = FilesList(), ComparedView(), BudgetView()
        self.events = EventsList(self.desk, PORT)
        self.events.changed.connect(self._later)
        self.files.chosen.connect(lambda name: self.compared.show_texture(self.package, name))
        helps = ("each its own", "their PNG alone", *(MEANS[kind] for kind in FORMATS))
        self.kind = ChoiceEdit(Field("packed as", "", options=helps), Literal[_KINDS], "best")
        self.kind.edited.connect(lambda *_: self._later())
        self.shrinks = SwitchEdit(Field("shrink", ""), default=False, name="shrink pictures that are far larger than they are seen")
        self.shrinks.edited.connect(lambda *_: self._later())
        self.together = SwitchEdit(Field("together", ""), default=False, name="pack four single-channel pictures into one")
        self.together.edited.connect(lambda *_: self._later())
        self.ktx2 = SwitchEdit(Field("ktx2", ""), default=False, name="put packed pictures into KTX2 as well, beside their DDS")
        self.ktx2.edited.connect(lambda *_: self._later())
        self.total = QLabel()
        self.total.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
        self.advice = QLabel()
        self.advice.setWordWrap(True)
        self.advice.setAlignment(Qt.AlignmentFlag.AlignTop)
        theme.tone(self.advice, "ash")
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(5)
        self.progress.setRange(0, 100)
        self.said = QLabel()
        self.said.setWordWrap(True)
        self.said.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.hand_button = WordButton("Hand over…", "Writes the package into a folder of its own", icon="sheet")
        self.hand_button.colour = theme.EMBER
        self.hand_button.clicked.connect(self.ask_and_write)
        self.again_button = WordButton("again", "Writes it into the same folder; a running rehearsal loads it at once")
        self.again_button.clicked.connect(lambda: self.write(self.folder()))
        self.stop_button = WordButton("stop", "Stops what is being made; nothing is written")
        self.stop_button.clicked.connect(self.cancel)
        self.play_button = WordButton("Rehearse", "Opens the stand-in game with what was handed over", icon="play")
        self.play_button.clicked.connect(self.rehearse)
        self.bake_button = WordButton("Bake a sheet…", "Frames of the effect as one picture (Ctrl+B)")
        self.bake_button.clicked.connect(self.bake_asked)
        self.motion_button = WordButton("Export a clip or cache…", "A moving picture, or all particles over time (Ctrl+Shift+B)")
        self.motion_button.clicked.connect(self.motion_asked)
        self.page_button = WordButton("As a page…", "One file that plays the effect in any browser, with no network")
        self.page_button.clicked.connect(self.ask_for_page)
        self.back_button = WordButton("Workbench", "Back to the Workbench (Escape)", icon="back")
        self.back_button.clicked.connect(self.left)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(1)
        columns = QHBoxLayout()
        columns.setSpacing(1)
        columns.addWidget(self._column("Files of the package", [self.total, self._options()], self.files, 372), 3)
        columns.addWidget(self._column("What packing does", [], self.compared, 0), 4)
        columns.addWidget(self._column("Budget", [self.budgets, self.advice], self.events, 330, "Events of the game"), 3)
        whole.addLayout(columns, 1)
        whole.addWidget(self.progress)
        foot = QHBoxLayout()
        foot.setContentsMargins(10, 4, 12, 6)
        for widget in (self.back_button, self.hand_button, self.again_button, self.stop_button):
            foot.addWidget(widget)
        foot.addWidget(self.said, 1)
        for widget in (self.page_button, self.bake_button, self.motion_button, self.play_button):
            foot.addWidget(widget)
        whole.addLayout(foot)
        self._show_folder()

    def _options(self) -> QWidget:
        box = QWidget()
        form = QFormLayout(box)
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(2)
        form.addRow("packed as", self.kind)
        form.addRow("shrink what is larger than seen", self.shrinks)
        form.addRow("single channels share a picture", self.together)
        form.addRow("KTX2 beside DDS", self.ktx2)
        return box

    def _column(self, title: str, above: list[QWidget], body: QWidget, wide: int, second: str = "") -> QWidget:
        """A column under its title; its last part scrolls where it is long, under a title of its own if there is one."""
        panel = _Surface()
        if wide:
            panel.setMinimumWidth(300)
            panel.setMaximumWidth(wide)
        column = QVBoxLayout(panel)
        column.setContentsMargins(12, 8, 12, 8)
        for text in (title, second):
            heading = QLabel(text)
            heading.setFont(theme.font(theme.STRONG, theme.font().Weight.DemiBold))
            if text == title:
                column.addWidget(heading)
                for widget in above:
                    column.addWidget(widget)
            elif text:
                column.addSpacing(8)
                column.addWidget(heading)
        if isinstance(body, ComparedView):
            column.addWidget(body, 1)
            return panel
        column.addWidget(Scrolling(body), 1)
        return panel

    # Making ----------------------------------------------------------------------------------------------------

    def wanted(self) -> TextureOptions:
        """How the pictures are to be packed."""
        return TextureOptions(self.kind.value, self.shrinks.value, self.together.value, self.ktx2.value and self.kind.value != "none")

    def _later(self) -> None:
        """What is shown is no longer what would leave: it is made anew in a moment, and not written before."""
        if self.isVisible():
            self.hand_button.setEnabled(False)
            self.again_button.setEnabled(False)
            self._again.start()

    def take_again(self) -> None:
        """Makes the package anew: files it is made of have changed."""
        self._made_of = None
        self._later()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._later()

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._again.stop()
        self.cancel()

    def make(self) -> None:
        """Makes the package, unless it is the one that is known."""
        names = self.events.known
        wanted = self.desk.effect, self.wanted(), names
        if self._made_of is not None and self._made_of[0] is wanted[0] and self._made_of[1:] == wanted[1:]:
            self._ready()
            return
        if self._task is not None:
            self._task.cancel()
            self._again.start()
            return
        effect, shelf = self.desk.effect, self.desk.shelf.patient()
        kept = KeptOnDisk(user_folders.cache() / "textures")

        def work(progress: Callable[[int], bool]) -> tuple[Package, dict[str, QImage]]:
            made = package_of(effect, shelf, wanted[1], kept, names, progress=lambda share, _: progress(round(100 * share)))
            return made, small_pictures(made)

        self._task = Task(work, (PackageError, Cancelled), name="handover")
        self._task.progressed.connect(self.progress.setValue)
        self._task.done.connect(lambda made: self._made(*made, wanted))
        self._task.failed.connect(self._failed)
        self.stop_button.setEnabled(True)
        self._task.start()

    def ask_for_page(self) -> None:
        """Makes a page away from the window, then asks where it shall lie, with its size told."""
        effect, shelf = self.desk.effect, self.desk.shelf.patient()
        self._paging = Task(lambda progress: page_of(effect, shelf), (PackageError,), name="page")
        self._paging.done.connect(lambda made: self._write_page(slug(effect.name), made))
        self._paging.failed.connect(self._page_told)
        self.said.setText("making the page …")
        self.page_button.setEnabled(False)
        self._paging.start()

    def _write_page(self, name: str, made: bytes) -> None:
        size = told_size(len(made))
        self._page_told("")
        chosen, _ = QFileDialog.getSaveFileName(self, f"As a page, {size}", str(Path(last_folder()) / f"{name}.html"), "Page (*.html)")
        if not chosen:
            return
        path = Path(chosen) if Path(chosen).suffix else Path(chosen).with_suffix(".html")
        try:
            write_whole(path, made)
        except OSError as fault:
            self.said.setText(f"{path}: {fault.strerror}; choose another place")
        else:
            self.said.setText(f"{path.name}: {size}; a double-click opens it")

    def _page_told(self, words: str) -> None:
        self.said.setText(words)
        self.page_button.setEnabled(True)

    def cancel(self) -> None:
        """Stops what is being made."""
        if self._task is not None:
            self._task.cancel()

    def _rest(self) -> None:
        self._task = None
        self.progress.reset()
        self.stop_button.setEnabled(False)

    def _failed(self, text: str) -> None:
        self._rest()
        if text:
            self.said.setText(text)
            theme.tone(self.said, "warning")
            self.hand_button.setEnabled(False)

    def _made(self, package: Package, pictures: dict[str, QImage], of: tuple) -> None:
        self._rest()
        self.package, self._made_of = package, of
        self._ready()
        size = sum(len(data) for data in package.files.values())
        self.total.setText(f"{len(package.files)} files, {told_size(size)}")
        self.files.show_package(package, pictures)
        over = self.budgets.show_package(package, targets_of(self.desk.folder)[0])
        lines = [*over, *package.advice]
        self.advice.setText("\n".join(f"· {line}" for line in lines) or "Within all targets, no problems found.")
        self.said.setText("")
        theme.tone(self.said, "ash")

    def _ready(self) -> None:
        """What is shown is what would leave."""
        self.hand_button.setEnabled(True)
        self._show_folder()

    # Writing ---------------------------------------------------------------------------------------------------

    def folder(self) -> Path | None:
        """Where the package was written last, if it is there."""
        kept = kept_list(f"{_FOLDER}/{self.desk.effect.name}")
        return Path(kept[0]) if kept else None

    def _show_folder(self) -> None:
        folder = self.folder()
        there = folder is not None and folder.is_dir()
        self.again_button.setEnabled(there)
        self.play_button.setEnabled(there)
        self.again_button.setToolTip(
            f"Writes it into {folder} again; a running rehearsal loads it at once" if there else "Hand over first"
        )

    def ask_and_write(self) -> None:
        """Asks for the folder in which the package gets one of its own."""
        start = self.folder().parent if self.folder() is not None else self.desk.folder or last_folder()
        chosen = QFileDialog.getExistingDirectory(self, "The folder for the package", str(start))
        if chosen:
            self.write_into(Path(chosen))

    def write_into(self, folder: Path) -> None:
        """Writes into a folder that is empty, new, or holds only a package; else, if that is wanted, into one of its own below."""
        if stands_free(folder):
            self.write(folder)
            return
        below = folder / slug(self.desk.effect.name)
        if self._agreed(f"{folder} holds other files. The package goes into {below}."):
            self.write(below)

    def _agreed(self, question: str) -> bool:
        buttons = QMessageBox.StandardButton
        return QMessageBox.question(self, "Hand over", question, buttons.Ok | buttons.Cancel) == buttons.Ok

    def write(self, folder: Path | None, *, beside_others: bool = False) -> None:
        """Writes the package that is shown, away from the window, and says there how it went."""
        if self.package is None or folder is None or self._task is not None:
            return
        files = self.package.files

        def work(_: Callable[[int], bool]) -> str:
            try:
                write_folder(folder, files, beside_others=beside_others)
            except ForeignFiles as found:
                if found.stays:
                    return ", ".join(found.first)
                raise PackageError(
                    f"{folder.name}: expected no folder, an empty one or only a package, found {found.strerror}; choose another."
                ) from None
            except OSError as error:
                raise PackageError(f"{folder.name}: could not be written ({error.strerror}); choose another place.") from None
            return ""

        self.hand_button.setEnabled(False)
        self.again_button.setEnabled(False)
        self._task = Task(work, (PackageError,), name="handover")
        self._task.done.connect(lambda others: self._written(folder, others))
        self._task.failed.connect(self._unwritten)
        self._task.start()

    def _unwritten(self, text: str) -> None:
        self._failed(text)
        self._ready()

    def _written(self, folder: Path, others: str) -> None:
        """The package is in its folder; or there were other things, which it can stand beside."""
        self._rest()
        if others:
            self._ready()
            if self._agreed(f"{folder} holds other things as well ({others}). They stay; the package is written beside them."):
                self.write(folder, beside_others=True)
            return
        settings().setValue(f"{_FOLDER}/{self.desk.effect.name}", str(folder))
        self.said.setText(f"Handed over into {folder}.")
        theme.tone(self.said, "ash")
        self._ready()

    def rehearse(self) -> None:
        """Opens the stand-in game, once; it takes what is handed over again by itself."""
        folder = self.folder()
        if folder is None or (self._game is not None and self._game.state() != QProcess.ProcessState.NotRunning):
            return
        self._game = QProcess(self)
        around = QProcessEnvironment()
        for name, value in child_processes.environment().items():
            around.insert(name, value)
        self._game.setProcessEnvironment(around)
        program, *arguments = child_processes.command("pale_ember.cli", "rehearse", str(folder), "--port", str(PORT))
        self._game.start(program, arguments)
        self.said.setText("The rehearsal opens in a window of its own; keys 1 to 9 play, events go there from here.")

    def end(self) -> None:
        """Stops all that runs."""
        self.cancel()
        if self._task is not None:
            self._task.wait()
        self.compared.end()
        self.events.end()
        if self._game is not None and self._game.state() != QProcess.ProcessState.NotRunning:
            self._game.terminate()
            self._game.waitForFinished(2000)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)


class _Surface(QWidget):
    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)
