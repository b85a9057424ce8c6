"""Pictures and meshes of the artist's own, taken beside the document and into a layer."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QMimeData, QObject, pyqtSignal
from PyQt6.QtWidgets import QApplication, QFileDialog, QMessageBox, QWidget

from pale_ember.core.effect.edit import credit_of, index_of, layer_of, with_credit, with_value
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Credit
from pale_ember.core.texture.advice import advise, advised_size, guess_grid
from pale_ember.formats import meshes, pictures
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.document.files_along import copied
from pale_ember.studio.kit.settings import last_folder
from pale_ember.studio.kit.tasks import Task

KINDS = (*pictures.KINDS, *meshes.KINDS)
"""Endings of files that can be dropped on a layer."""


def dropped(mime: QMimeData | None, kinds: tuple[str, ...] = KINDS) -> list[Path]:
    """The files of a drag that have one of these endings; those a layer can take to begin with."""
    urls = mime.urls() if mime is not None else []
    paths = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return [path for path in paths if path.suffix.lower() in kinds]


def ask_picture(desk: Desk, parent: QWidget) -> Path | None:
    """A picture chosen from disk."""
    start = str(desk.folder or last_folder())
    kinds = " ".join(f"*{kind}" for kind in pictures.KINDS)
    name, _ = QFileDialog.getOpenFileName(parent, "A picture for this layer", start, f"Pictures ({kinds})")
    return Path(name) if name else None


@dataclass(frozen=True, slots=True)
class _Taken:
    """What was made of a file away from the window: its name beside the document, and how it changes a look."""

    name: str
    dress: Callable[[Look], tuple[Look, str]]
    credit: Credit | None = None
    width: int = 0


class CopyError(Exception):
    """A file could not be copied beside the document; the message says why and what to do."""


class Importer(QObject):
    """Takes files into layers, one at a time. Reading and copying go on away from the window."""

    done = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._task: Task | None = None

    @property
    def busy(self) -> bool:
        """Whether a file is being taken."""
        return self._task is not None

    def take(self, path: Path, layer: str = "") -> None:
        """Takes a picture or a mesh into a layer, the selected one to begin with, and tells what was made of it."""
        identity = layer or self.desk.selection
        if layer_of(self.desk.effect, identity) is not None:
            self._begin(path, lambda folder: _taken(self.desk, path, folder), lambda taken: self._apply(taken, identity))

    def bring(self, path: Path, use: Callable[[str], None]) -> None:
        """Takes a picture or a mesh beside the document and hands its name there to `use`."""

        def used(name: str) -> None:
            use(name)
            self.desk.hinted.emit(f"{name} is used. Ctrl+Z takes it back.", None)

        self._begin(path, lambda folder: _kept(self.desk, path, folder), used)

    def _begin(self, path: Path, work: Callable[[Path], object], then: Callable[[Any], None]) -> None:
        if self.busy:
            self.desk.hinted.emit(f"{path.name}: another file is still being taken; try again when it is there.", None)
            return
        if self.desk.folder is None:
            self.desk.save_asked.emit(f"{path.name} will lie beside the effect: save that first.")
        folder = self.desk.folder
        if folder is None:
            self.desk.hinted.emit(f"{path.name} was not taken: pictures and meshes lie beside the effect, so save it first.", None)
            return
        self.desk.hinted.emit(f"Taking {path.name}…", None)
        errors = (pictures.PictureError, meshes.MeshError, CopyError)
        self._task = Task(lambda _: work(folder), errors, name="importer")
        self._task.done.connect(lambda result: self._end(lambda: then(result)))
        self._task.failed.connect(lambda text: self._end(lambda: self._refused(text)))
        self._task.start()

    def _end(self, what: Callable[[], None]) -> None:
        self._task = None
        what()
        self.done.emit()

    def _refused(self, text: str) -> None:
        QMessageBox.warning(QApplication.activeWindow(), "Pale Ember", text)

    def _apply(self, taken: _Taken, identity: str) -> None:
        layer = layer_of(self.desk.effect, identity)
        if layer is not None:
            look, told = taken.dress(layer.look)
            effect = with_value(self.desk.effect, ("layers", index_of(self.desk.effect, identity), "look"), look)
            if taken.credit is not None:
                effect = with_credit(effect, taken.credit)
            self.desk.document.change(f"{layer.name}: {taken.name}", effect)
            advice = advised_size(layer.birth.size.most, taken.width // look.columns) if taken.width else ""
            self.desk.hinted.emit(f"{taken.name}: {told}{f' {advice}.' if advice else ''} Ctrl+Z takes it back.", None)


def _kept(desk: Desk, path: Path, folder: Path) -> str:
    """Reads a file to see that it can be used, and copies it beside the document; its name there. Raises PictureError,
    MeshError and CopyError."""
    meshed = path.suffix.lower() in meshes.KINDS
    if meshed:
        meshes.read_mesh(path)
    else:
        pictures.read_picture(path)
    name = _beside(path, folder)
    _ = desk.shelf_mesh(name) if meshed else desk.shelf_get(name)
    return name


def _taken(desk: Desk, path: Path, folder: Path) -> _Taken:
    """Reads a file and copies it beside the document. Raises PictureError, MeshError and CopyError."""
    if path.suffix.lower() in meshes.KINDS:
        name = _kept(desk, path, folder)
        bare = desk.shelf_mesh(name).coords is None
        told = "each particle is one now." + (" It has no texture coordinates: the middle of the picture colours it." if bare else "")

        def wear(look: Look) -> tuple[Look, str]:
            return replace(look, drawn_as="mesh", solid=replace(look.solid, mesh=name)), told

        return _Taken(name, wear)
    name = _kept(desk, path, folder)
    pixels = desk.shelf_get(name)
    columns, rows = guess_grid(pixels)
    advice = advise(pixels)

    def dress(look: Look) -> tuple[Look, str]:
        """Its grid, and its blend as it was read off it where the artist had not chosen another."""
        before = desk.shelf.known(look.picture)
        chosen = look.blend != Look().blend and (before is None or advise(before).blend != look.blend)
        blend = look.blend if chosen else advice.blend
        surface = replace(look.surface, channel="all", invert=advice.invert)
        light = replace(look.light, six="")
        worn = replace(look, picture=name, columns=columns, rows=rows, blend=blend, surface=surface, light=light)
        frames = f"{columns}×{rows} frames, " if columns * rows > 1 else ""
        kept = f"{blend} as you chose" + ("" if blend == advice.blend else f"; {advice.blend} would suit it")
        return worn, f"{frames}{kept if chosen else blend}. {advice.why}"

    author, licence = pictures.credit_in(path)
    credit = Credit(file=name, author=author, licence=licence) if author or licence else None
    return _Taken(name, dress, credit, pixels.shape[1])


def _beside(path: Path, folder: Path) -> str:
    """The file's name beside the document, copied there if need be, under another name where its own is taken. Raises
    CopyError."""
    if path.resolve().is_relative_to(folder.resolve()):
        return path.resolve().relative_to(folder.resolve()).as_posix()
    try:
        return copied(path, folder / path.name).name
    except OSError as error:
        raise CopyError(f"{path.name}: could not be copied beside the effect ({error.strerror}); make room there") from None


def credit_line(desk: Desk, name: str) -> str:
    """Author and licence of a file, as far as they are known."""
    credit = credit_of(desk.effect, name)
    return " · ".join(part for part in (credit.author, credit.licence) if part)
