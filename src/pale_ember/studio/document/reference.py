"""The reference of the open document: read away from the window, and which of its frames is seen."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.stage import Reference
from pale_ember.core.preloading import MissingExtra
from pale_ember.core.reference.measures import over_black
from pale_ember.core.texture.light import to_linear
from pale_ember.formats.footage import Footage, read_footage
from pale_ember.formats.frame_import import FILMS
from pale_ember.formats.pictures import KINDS, PictureError
from pale_ember.studio.document.history import Document
from pale_ember.studio.kit.tasks import Task

_LIGHT = to_linear(np.arange(256) / 255).astype(np.float32)
"""The light of each code."""

ENDINGS = (*FILMS, *KINDS, ".jpg", ".jpeg")
"""What can be a reference."""


PLATE = "reference:"
"""The name by which what draws asks for the frame that lies behind the effect."""


def carried_along(effect: Effect, before: Path | None, after: Path) -> Effect:
    """An effect whose document goes from a folder, or from nowhere, to another: its reference stays the file that it was."""
    name = effect.stage.reference.file
    if not name or (before is None and not Path(name).is_absolute()):
        return effect
    path = Path(name) if before is None else before / name
    return with_value(effect, ("stage", "reference", "file"), _named_from(path, after))


def _named_from(path: Path, folder: Path) -> str:
    return Path(os.path.relpath(path.resolve(), folder.resolve())).as_posix()


class ReferenceFootage(QObject):
    """Reads whatever file the document names. A file outside of the document's folder is read only where it was chosen by hand."""

    changed = pyqtSignal()
    """It has come, is gone, or cannot be read."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self._document = document
        self.footage: Footage | None = None
        self.fault = ""
        self._named: tuple = ()
        """What was asked for last: where it lies, and how many frames across and down."""
        self._chosen: set[Path] = set()
        self._begun = False
        self._task: Task | None = None
        self._image: tuple[int, QImage] | None = None
        self._plate: tuple[int, np.ndarray] = (-1, np.zeros((1, 1, 4), np.float32))
        self._behind = 0
        """Which frame lies behind the effect."""
        self.held = False
        """Whether it can be taken hold of on the stage: while its page is open."""
        document.changed.connect(self._follow)
        document.named.connect(self._follow)

    def begin(self) -> None:
        """Reads from now on: the stage's first picture comes before."""
        self._begun = True
        self._follow()

    @property
    def how(self) -> Reference:
        """How the document wants it seen."""
        return self._document.effect.stage.reference

    @property
    def reading(self) -> bool:
        """Whether it is being read."""
        return self._task is not None

    @property
    def runs(self) -> bool:
        """Whether it is more than a still, by what it is called."""
        how = self.how
        return bool(how.file) and (Path(how.file).suffix.lower() in (*FILMS, "") or how.columns * how.rows > 1)

    def path(self) -> Path | None:
        """Where it lies."""
        name, folder = self.how.file, self._document.folder
        if not name:
            return None
        path = Path(name)
        return path if path.is_absolute() or folder is None else folder / path

    def take(self, path: Path) -> Effect:
        """The effect with a file that was chosen by hand as its reference, named from where the document lies."""
        path, folder = path.resolve(), self._document.folder
        self._chosen.add(path)
        self._begun = True
        name = str(path) if folder is None else _named_from(path, folder)
        effect = self._document.effect
        shows = "line" if self.how.shows == "hidden" else self.how.shows
        reference = Reference(file=name, shows=shows)
        return with_value(effect, ("stage", "reference"), reference)

    def allow(self) -> None:
        """Reads a file outside of the document's folder after all."""
        path = self.path()
        if path is not None:
            self._chosen.add(path.resolve())
            self._named = ()
            self._follow()

    def _follow(self, *_: object) -> None:
        path, how = self.path(), self.how
        # Only a still can be a sheet: a clip is not read again for that.
        sheet = (1, 1) if path is None or path.suffix.lower() in FILMS else (how.columns, how.rows)
        named = (path, *sheet) if path is not None else ()
        if named == self._named or not self._begun:
            return
        self._named, self._image, self.fault = named, None, ""
        if path is None:
            self.footage, self._plate = None, (-1, self._plate[1])
            self.changed.emit()
            return
        self._plate = -1, self._plate[1]
        folder = self._document.folder
        inside = folder is not None and path.resolve().is_relative_to(folder.resolve())
        if not inside and path.resolve() not in self._chosen:
            self._refuse(f"{path.name}: it lies outside of the effect's folder; press Show it to read it all the same")
            return
        self._task = Task(lambda progress: read_footage(path, *sheet), (PictureError, MissingExtra), name="reference")
        self._task.done.connect(lambda footage: self._came(named, footage))
        self._task.failed.connect(lambda said: self._failed(named, said))
        self._task.start()
        self.changed.emit()

    def _came(self, named: tuple, footage: Footage) -> None:
        if named == self._named:
            self._chosen.add(named[0].resolve())  # wherever the document goes, it is the same file
            self._task, self.footage, self.fault = None, footage, footage.cut
            self.changed.emit()

    def _failed(self, named: tuple, said: str) -> None:
        if named == self._named:
            self._refuse(said)

    def _refuse(self, said: str) -> None:
        self._task, self.footage, self.fault = None, None, said
        self.changed.emit()

    def _seen_at(self, moment: float) -> int:
        assert self.footage is not None
        effect = self._document.effect
        return self.footage.seen_at(moment, self.how, effect.duration / effect.tempo if effect.loop else 0.0)

    def lies_behind(self, moment: float) -> bool:
        """Whether it lies behind the effect; then `plate` is the frame of that real moment, s."""
        if self.footage is None or self.how.shows != "behind":
            return False
        self._behind = self._seen_at(moment)
        return True

    @property
    def plate(self) -> np.ndarray:
        """(h, w, 4) float32 linear, what lies behind; the same object while it is the same frame. Made where it is drawn."""
        footage, index = self.footage, self._behind
        if footage is not None and self._plate[0] != index:
            light = _LIGHT[over_black(footage.frame(min(index, len(footage) - 1)))]
            self._plate = index, np.concatenate([light, np.ones_like(light[..., :1])], axis=2)
        return self._plate[1]

    def image_at(self, moment: float) -> QImage | None:
        """The frame that is seen at a real moment of the effect, s."""
        if self.footage is None:
            return None
        index = self._seen_at(moment)
        if self._image is None or self._image[0] != index:
            frame = self.footage.frame(index)
            kind = QImage.Format.Format_RGBA8888 if frame.shape[2] == 4 else QImage.Format.Format_RGB888
            image = QImage(frame.tobytes(), frame.shape[1], frame.shape[0], frame.shape[2] * frame.shape[1], kind).copy()
            self._image = index, image
        return self._image[1]
