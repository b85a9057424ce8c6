"""Pictures and meshes of the artist's own, taken beside the document and into a layer."""

from __future__ import annotations

import shutil
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QMimeData
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from pale_ember.core.effect.edit import credit_of, index_of, with_credit, with_value
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Credit
from pale_ember.core.texture.advice import advise, advised_size, guess_grid
from pale_ember.formats import meshes, pictures
from pale_ember.studio.desk import Desk

KINDS = (*pictures.KINDS, *meshes.KINDS)
"""Endings of files that can be dropped on a layer."""


def dropped(mime: QMimeData | None) -> list[Path]:
    """The files of a drag that a layer can take."""
    urls = mime.urls() if mime is not None else []
    found = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return [path for path in found if path.suffix.lower() in KINDS]


def ask_picture(desk: Desk, parent: QWidget) -> Path | None:
    """A picture chosen from disk."""
    start = str(desk.folder or Path.home())
    kinds = " ".join(f"*{kind}" for kind in pictures.KINDS)
    name, _ = QFileDialog.getOpenFileName(parent, "A picture for this layer", start, f"Pictures ({kinds})")
    return Path(name) if name else None


def take(desk: Desk, path: Path, parent: QWidget, layer: str = "") -> bool:
    """Takes a picture or a mesh into a layer, the selected one to begin with; tells what was made of it."""
    identity = layer or desk.selection
    if not identity or not _readable(path, parent):
        return False
    name = _beside(desk, path, parent)
    if name is None:
        return False
    if path.suffix.lower() in meshes.KINDS:
        _take_mesh(desk, name, identity)
    else:
        _take_picture(desk, path, name, identity)
    return True


def _readable(path: Path, parent: QWidget) -> bool:
    try:
        if path.suffix.lower() in meshes.KINDS:
            meshes.read_mesh(path)
        else:
            pictures.read_picture(path)
    except (pictures.PictureError, meshes.MeshError) as error:
        QMessageBox.warning(parent, "Pale Ember", str(error))
        return False
    return True


def _beside(desk: Desk, path: Path, parent: QWidget) -> str | None:
    """The file's name beside the document, copied there if need be; None where there is no document yet."""
    if desk.folder is None:
        desk.save_asked.emit(f"{path.name} is kept beside the effect: save it first.")
    folder = desk.folder
    if folder is None:
        return None
    if path.resolve().is_relative_to(folder.resolve()):
        return path.resolve().relative_to(folder.resolve()).as_posix()
    name = path.name
    try:
        if (folder / name).exists() and (folder / name).read_bytes() != path.read_bytes():
            taken = {one.name for one in folder.iterdir()}
            name = next(n for i in range(2, len(taken) + 3) if (n := f"{path.stem}-{i}{path.suffix}") not in taken)
        if not (folder / name).exists():
            shutil.copyfile(path, folder / name)
    except OSError as error:
        QMessageBox.warning(
            parent, "Pale Ember", f"{name}: could not be copied beside the effect ({error.strerror}); make room there"
        )
        return None
    return name


def _take_mesh(desk: Desk, name: str, identity: str) -> None:
    place = index_of(desk.effect, identity)
    look = desk.effect.layers[place].look
    look = replace(look, drawn_as="mesh", solid=replace(look.solid, mesh=name))
    desk.document.change(f"mesh {name}", with_value(desk.effect, ("layers", place, "look"), look))
    desk.hinted.emit(f"{name}: each particle is one now. Ctrl+Z takes it back.", None)


def _take_picture(desk: Desk, path: Path, name: str, identity: str) -> None:
    place = index_of(desk.effect, identity)
    layer = desk.effect.layers[place]
    look, told = dressed(layer.look, name, desk.shelf_get(name))
    advice = advised_size(layer.birth.size.most, desk.shelf_get(name).shape[1] // look.columns)
    effect = with_value(desk.effect, ("layers", place, "look"), look)
    author, licence = pictures.credit_in(path)
    if author or licence:
        effect = with_credit(effect, Credit(file=name, author=author, licence=licence))
    desk.document.change(f"{layer.name}: picture {name}", effect)
    desk.hinted.emit(f"{name}: {told}{f' {advice}.' if advice else ''} Ctrl+Z takes it back.", None)


def dressed(look: Look, name: str, pixels) -> tuple[Look, str]:
    """A look with a picture of the artist's own, its grid and blend read off it; and what was read."""
    columns, rows = guess_grid(pixels)
    advice = advise(pixels)
    frames = f"{columns}×{rows} frames, " if columns * rows > 1 else ""
    surface = replace(look.surface, channel="all", invert=advice.invert)
    made = replace(look, picture=name, columns=columns, rows=rows, blend=advice.blend, surface=surface)
    return made, f"{frames}{advice.blend}. {advice.why}"


def credit_line(desk: Desk, name: str) -> str:
    """Author and licence of a file, as far as they are known."""
    credit = credit_of(desk.effect, name)
    return " · ".join(part for part in (credit.author, credit.licence) if part)
