"""What has an effect looked through beside the window, once it rests: checks, cost, and what would cut it. The newest effect wins."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from pale_ember.analysis.client import ENDED, analysis_process
from pale_ember.analysis.jobs import AnalysisTask, FolderWork, LongWork, WorkSteps
from pale_ember.core.effect.model import Effect
from pale_ember.core.insight.checks.facts import GameFacts
from pale_ember.formats.targets import targets_of
from pale_ember.studio.document.history import Document

SETTLED = 150
"""Milliseconds after an edit before it is looked through: while a hand is at it there is nothing to say."""


class AnalysisLink(QObject):
    """Has whatever effect it was given last looked through by the analysis process."""

    checked = pyqtSignal(object, object)
    """(an effect, all that was found in it)."""
    spent = pyqtSignal(object, object)
    """(an effect, its Spending)."""
    cut = pyqtSignal(object, object)
    """(an effect, what would cut its cost), whenever more is known of it."""
    worked = pyqtSignal(object, object)
    """(whose work, what came of a step)."""
    ended = pyqtSignal(object, str)
    """(whose work, why it could not be done, or "")."""
    carded = pyqtSignal(object, object)
    """(a folder, what is known of an effect of it)."""
    together = pyqtSignal(object, list)
    """(a folder, the names of effects of it that were played on one quay)."""
    folder_lost = pyqtSignal()
    """The analysis process ended while it looked through a folder."""
    failed = pyqtSignal(str)
    """Something went wrong, in a sentence; the work goes on."""
    _heard = pyqtSignal(tuple)

    def __init__(self, document: Document, game: Callable[[], GameFacts]) -> None:
        super().__init__()
        self._document, self._game = document, game
        self.marks = True
        """Whether it is checked at all, not only measured."""
        self._closely = False
        """Whether cost is wanted layer by layer, and what would cut it."""
        self._effect: Effect | None = None
        """What is to be looked through as soon as it rests."""
        self._anew = False
        """Whether what was made of files before is not used."""
        self._known: Effect | None = None
        """What the analysis process was told last."""
        self._looked: tuple[int, Effect] | None = None
        """What is being looked through, and the number it is told by."""
        self._work: tuple[int, object] | None = None
        """The number of the long work, and whose it is."""
        self._folders: dict[Path, FolderWork] = {}
        """The folders that are looked through, the last that was asked for first."""
        self._settling = QTimer(self, singleShot=True, interval=SETTLED)
        self._settling.timeout.connect(self._look)
        self._heard.connect(self._tell)
        analysis_process().listen(self._hear)

    def check(self, effect: Effect, *, anew: bool = False) -> None:
        """Has an effect looked through as soon as it rests. anew : files changed outside."""
        if self._effect is None:
            analysis_process().send("hold")
        self._effect, self._anew = effect, self._anew or anew
        self._settling.start()

    def look_closely(self, effect: Effect | None) -> None:
        """Measures cost layer by layer from now on, beginning with an effect; with None no longer."""
        self._closely = effect is not None
        if effect is not None:
            self.check(effect)

    def work(self, whose: object, effect: Effect, steps: WorkSteps) -> None:
        """Has long work on an effect done when what comes first is done. An edit ends it; so does `leave`."""
        self._work = analysis_process().number(), whose
        analysis_process().send("work", LongWork(self._work[0], effect, self._document.reads_from, steps))

    def leave(self, whose: object) -> None:
        """Has long work not gone on with."""
        if self._work is not None and self._work[1] is whose:
            analysis_process().send("leave", self._work[0])

    def know(self, folder: Path, read: Sequence[str], look: Sequence[str], place: Path) -> None:
        """Has effects of a folder read, and others looked at, when nothing else is to be done."""
        game = GameFacts(targets_of(folder)[0])
        self._send_folder(FolderWork(analysis_process().number(), folder, list(read), list(look), place, game))

    def _send_folder(self, work: FolderWork) -> None:
        others = {folder: each for folder, each in self._folders.items() if folder != work.folder}
        self._folders = {work.folder: work, **others}
        analysis_process().send("folder", *self._folders.values())

    def play_together(self, folder: Path, names: Sequence[str], place: Path) -> None:
        """Has effects of a folder played on one quay."""
        self._send_folder(FolderWork(analysis_process().number(), folder, (), (), place, together=list(names)))

    def forget(self, folder: Path) -> None:
        """The effects of a folder are to be known no more."""
        if self._folders.pop(folder, None) is not None:
            analysis_process().send("folder", *self._folders.values())

    def stop(self) -> None:
        """Nothing is told after that."""
        self._settling.stop()
        analysis_process().leave(self._hear)

    def _hear(self, *told: object) -> None:
        """On a thread of the analysis process."""
        self._heard.emit(told)

    def _look(self) -> None:
        effect, self._effect = self._effect, None
        if effect is None:
            return
        known = {id(layer): i for i, layer in enumerate(self._known.layers)} if self._known is not None else {}
        self._looked = analysis_process().number(), effect
        task = AnalysisTask(
            self._looked[0], replace(effect, layers=()), [known.get(id(layer), layer) for layer in effect.layers],
            self._document.reads_from, self._anew, self.marks, self._closely, self._game(),
        )  # fmt: skip
        analysis_process().send("look", task)
        self._known, self._anew = effect, False

    def _tell(self, heard: tuple) -> None:
        """Tells what was heard of the effect that is looked through, or of the work that is done."""
        name, *told = heard
        if name == "failed":
            self.failed.emit(*told)
        elif name == ENDED:
            self._begin_anew(*told)
        elif self._looked is not None and told[0] == self._looked[0]:
            getattr(self, name).emit(self._looked[1], *told[1:])
        elif name in ("carded", "together"):
            if any(told[0] == each.number for each in self._folders.values()):
                getattr(self, name).emit(*told[1:])
        elif self._work is not None and told[0] == self._work[0]:
            whose = self._work[1]
            if name == "ended":
                self._work = None
            getattr(self, name).emit(whose, *told[1:])

    def _begin_anew(self, code: int) -> None:
        """The analysis process is gone: another one knows nothing yet, and begins with the next edit."""
        self._known = self._looked = None
        why = f"The checker stopped (exit code {code}); it starts again with the next edit"
        self.failed.emit(why)
        if self._folders:
            self._folders = {}
            self.folder_lost.emit()
        if self._work is not None:
            (_, whose), self._work = self._work, None
            self.ended.emit(whose, why)
