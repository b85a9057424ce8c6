"""Nothing is lost: work in progress is written aside every few seconds and offered again after a crash."""

from __future__ import annotations

import contextlib
import json
import os
import threading
import time
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, QStandardPaths, QTimer

from pale_ember.core.effect.model import Effect
from pale_ember.formats.document import DocumentError, dumps, loads
from pale_ember.formats.pictures import write_whole
from pale_ember.studio.history import Document

EVERY = 2500
"""Milliseconds between looks for work to write aside."""


@dataclass(frozen=True, slots=True)
class Recovered:
    """Work found after a crash. path : where the document was kept, if anywhere."""

    effect: Effect
    path: Path | None
    when: float
    file: Path


def aside_folder() -> Path:
    base = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.GenericDataLocation)
    return Path(base) / "pale-ember" / "aside"


def _alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


def left_behind() -> list[Recovered]:
    """Work of sessions that ended without saying so, newest first."""
    found = []
    for note in aside_folder().glob("*.json"):
        file = note.with_suffix(".pale")
        try:
            told = json.loads(note.read_text())
            if _alive(int(told["process"])):
                continue
            effect, _ = loads(file.read_bytes(), file)
            path = Path(told["path"]) if told["path"] else None
            found.append(Recovered(effect, path, float(told["when"]), file))
        except (OSError, ValueError, KeyError, TypeError, DocumentError):
            continue
    return sorted(found, key=lambda one: -one.when)


def forget(file: Path) -> None:
    for part in (file, file.with_suffix(".json")):
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)


class Aside(QObject):
    """Writes the open document aside while it has unsaved work."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.file = aside_folder() / f"{os.getpid()}-{int(time.time())}.pale"
        self._written: Effect | None = None
        self._writing: threading.Thread | None = None
        self._timer = QTimer(self, interval=EVERY)
        self._timer.timeout.connect(self.write)
        self._timer.start()

    def write(self) -> None:
        """Writes on a thread of its own if anything is new, and clears away what is saved."""
        if self._writing is not None and self._writing.is_alive():
            return
        effect = self.document.effect
        if not self.document.unsaved:
            if self._written is not None:
                forget(self.file)
                self._written = None
            return
        if effect is self._written:
            return
        self._written = effect
        path = str(self.document.path) if self.document.path else ""
        self._writing = threading.Thread(target=self._write, args=(effect, path), daemon=True)
        self._writing.start()

    def _write(self, effect: Effect, path: str) -> None:
        note = {"process": os.getpid(), "path": path, "when": time.time()}
        try:
            self.file.parent.mkdir(parents=True, exist_ok=True)
            write_whole(self.file, dumps(effect))
            write_whole(self.file.with_suffix(".json"), json.dumps(note).encode())
        except OSError:
            # A full disk must not stop the work; the next round tries again.
            self._written = None

    def wait(self) -> None:
        if self._writing is not None:
            self._writing.join(timeout=5)

    def end(self) -> None:
        """The session ends in good order: what was written aside is not needed."""
        self._timer.stop()
        self.wait()
        forget(self.file)
