"""What all commands share: reading, refusing in one sentence, writing whole or not at all."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

MEMORY_WORTH_TELLING = 512 * 2**20
"""Bytes a command says it may take before it takes them."""


class Refused(Exception):  # noqa: N818 - it is what happened
    """Bad usage or input, told in one sentence."""


def read(path: Path):
    """(effect, shelf of its pictures); notices go to stderr."""
    from pale_ember.formats.disk import KeptOnDisk
    from pale_ember.formats.document import DocumentError, load
    from pale_ember.formats.gases import Gases
    from pale_ember.formats.shelf import Shelf
    from pale_ember.machine import user_folders

    try:
        effect, notices = load(path)
    except DocumentError as error:
        raise Refused(str(error)) from None
    for notice in notices:
        print(f"pale: {path.name}: {notice}", file=sys.stderr)
    return effect, Shelf(path.resolve().parent, effect.recipes, Gases(KeptOnDisk(user_folders.cache() / "gases")))


def look_at_all(effect, shelf) -> None:
    """Reads every picture and mesh of one's own, so that the shelf knows which cannot be used."""
    from pale_ember.core.effect.files import files_of, meshes_of
    from pale_ember.core.geometry.mesh import SOLID, SOLIDS
    from pale_ember.core.texture.library import is_card

    for name in files_of(effect):
        if not is_card(name):
            shelf.get(name)
    for name in meshes_of(effect):
        if name.removeprefix(SOLID) not in SOLIDS or not name.startswith(SOLID):
            shelf.mesh(name)


def tell_faults(shelf) -> None:
    """Says on stderr which pictures and meshes cannot be used."""
    for fault in shelf.faults.values():
        print(f"pale: {fault}; a stand-in is shown", file=sys.stderr)


def write(path: Path, data: bytes) -> None:
    """Writes a file whole. Raises Refused."""
    from pale_ember.formats.disk import write_whole

    try:
        write_whole(path, data)
    except OSError as error:
        raise Refused(f"{path}: expected a place to write to, found {error.strerror}; choose another") from None


def writable(path: Path, source: Path | None = None, kind: str = "") -> None:
    """Finds out before long work whether its result can be kept; never in the place of what it is made of, or of a file
    that is written beside it. Raises Refused."""
    if source is not None and path.resolve() == source.resolve():
        raise Refused(f"{path}: expected another place than the effect's own file; choose another")
    if kind and path.suffix.lower() != kind:
        raise Refused(f"{path}: expected a name that ends in {kind}, found {path.suffix or 'no ending'}; choose another")
    folder = path.resolve().parent
    if path.is_dir() or not folder.is_dir() or not os.access(folder, os.W_OK):
        obstacle = "a folder" if path.is_dir() else "no such folder" if not folder.is_dir() else "no right to write there"
        raise Refused(f"{path}: expected a place to write to, found {obstacle}; choose another")


def drawn(draw: Callable[[], Any]) -> Any:
    """Draws with a renderer of its own; without OpenGL it raises Refused."""
    from pale_ember.draw.context import NoOpenGL

    try:
        return draw()
    except NoOpenGL as error:
        raise Refused(str(error)) from None
    except MemoryError:
        raise Refused("expected room for the picture, found too little memory; make it smaller") from None


def has_display() -> bool:
    """Whether windows can be shown here."""
    return bool(os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM"))
