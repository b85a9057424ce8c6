"""Nothing is lost: work in progress is written aside at once and then every half second, and offered after a crash."""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import secrets
import time
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from pale_ember.core.effect.model import Effect
from pale_ember.formats.disk import write_whole
from pale_ember.formats.document import MOST_BYTES, DocumentError, Writer, loads
from pale_ember.formats.files import read_regular
from pale_ember.machine import user_folders
from pale_ember.studio.document.history import Document
from pale_ember.studio.kit.tasks import Task

EVERY = 500
"""Milliseconds from an edit to its being written aside; edits meanwhile are written together."""


@dataclass(frozen=True, slots=True)
class RecoveredWork:
    """Work found after a crash. path : where the document was kept, if anywhere; source : where what it is a copy of was."""

    effect: Effect
    path: Path | None
    source: Path | None
    when: float
    file: Path


def aside_folder() -> Path:
    return user_folders.state() / "aside"


def _lock(file: Path) -> int | None:
    """A lock on the work of a session, held until it is closed or the process ends in any way; None where it is held.

    The system's own lock, because a process number kept in a file may belong to somebody else by now. Raises OSError.
    """
    held = os.open(file.with_suffix(".lock"), os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(held, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        os.close(held)
        return None
    return held


def left_behind() -> tuple[list[RecoveredWork], list[str]]:
    """Work of sessions that ended without saying so, newest first; and what could not be read of it, in sentences."""
    left, troubles = [], []
    for file in aside_folder().glob("*.pale"):
        try:
            held = _lock(file)
            if held is None:
                continue
            os.close(held)
            effect, _ = loads(read_regular(file, MOST_BYTES), file)
        except (OSError, DocumentError) as error:
            first = str(error).splitlines()[0]
            troubles.append(f"Work that was written aside cannot be read; it stays in {file}: {first}")
            continue
        left.append(RecoveredWork(effect, *_note_of(file), file))
    return sorted(left, key=lambda work: -work.when), troubles


def _note_of(file: Path) -> tuple[Path | None, Path | None, float]:
    """Where the document and what it is a copy of were kept, and when it was written aside; as far as the note beside it can be read."""
    try:
        told = json.loads(read_regular(file.with_suffix(".json"), 2**20))
        path, source = (Path(told[name]) if told.get(name) else None for name in ("path", "source"))
        return path, source, float(told["when"])
    except (OSError, ValueError, KeyError, TypeError):
        with contextlib.suppress(OSError):
            return None, None, file.stat().st_mtime
        return None, None, 0.0


def forget(file: Path) -> None:
    """Removes work written aside."""
    for part in (file, file.with_suffix(".json"), file.with_suffix(".lock")):
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)


class Recovery(QObject):
    """Writes the open document aside while it has unsaved work."""

    troubled = pyqtSignal(str)
    """Writing failed; told once until it succeeds again, and tried all the while."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.file = aside_folder() / f"{os.getpid()}-{secrets.token_hex(4)}.pale"
        self.kept: Effect | None = None
        """The effect that is known to be written."""
        self._held: int | None = None
        self._writer = Writer()
        self._told = False
        self._writing: Task | None = None
        self._timer = QTimer(self, singleShot=True, interval=EVERY)
        self._timer.timeout.connect(self.write)
        document.changed.connect(self._edited)
        document.named.connect(self._edited)

    def _edited(self) -> None:
        if not self._timer.isActive() and (self.document.unsaved or self.kept is not None):
            self._timer.start()

    def write(self) -> None:
        """Writes on a thread of its own if anything is new, and clears away what is saved."""
        if self._writing is not None and self._writing.running:
            self._timer.start()
            return
        effect = self.document.effect
        if not self.document.unsaved:
            self._let_go()
        elif effect is not self.kept:
            places = {"path": str(self.document.path or ""), "source": str(self.document.source or "")}
            self._writing = Task(lambda _: self._write(effect, places), name="aside")
            self._writing.failed.connect(self._trouble)
            self._writing.start()
            self._timer.start()

    def _write(self, effect: Effect, places: dict[str, str]) -> None:
        note = places | {"when": time.time()}
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
            if self._held is None:
                self._held = _lock(self.file)
            write_whole(self.file.with_suffix(".json"), json.dumps(note).encode())
            write_whole(self.file, self._writer.dumps(effect))
        except OSError as error:
            why = error.strerror or str(error)
            self._trouble(f"Work cannot be written aside ({why}); it is tried again. Save when you can.")
            return
        self.kept, self._told = effect, False

    def _trouble(self, told: str) -> None:
        if not self._told:
            self._told = True
            self.troubled.emit(told)

    def wait(self) -> None:
        if self._writing is not None:
            self._writing.wait(5)

    def holds(self, effect: Effect) -> bool:
        """Writes now, and tells whether an effect is known to be safe."""
        self.wait()
        self.write()
        self.wait()
        return self.kept is effect

    def _let_go(self) -> None:
        if self._held is not None:
            forget(self.file)
            os.close(self._held)
            self._held = None
        self.kept = None

    def end(self) -> None:
        """The session ends in good order: what was written aside is not needed."""
        self._timer.stop()
        self.wait()
        self._let_go()
