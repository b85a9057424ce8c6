"""Pictures on disk: PNG in and out, and the library's cards."""

from __future__ import annotations

import functools
import io
import os
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image

from pale_ember.core.geometry.mesh import SOLID, SOLIDS, Mesh, solid
from pale_ember.core.texture.cards import CARDS, PREFIX
from pale_ember.core.texture.light import to_coded, to_linear
from pale_ember.formats.meshes import MeshError, read_mesh

CARD_FOLDER = Path(__file__).parent.parent / "assets" / "cards"

MOST_PIXELS = 8192 * 8192
"""A larger picture would need more than a quarter of a gigabyte on its way in."""


class PictureError(Exception):
    """A picture that cannot be used; the message names it, what is wrong and what to do."""


def read_picture(path: Path) -> np.ndarray:
    """(height, width, 4) float32: linear RGB, not premultiplied, and alpha. Raises PictureError."""
    try:
        with Image.open(path) as image:
            if image.width * image.height > MOST_PIXELS:
                raise PictureError(
                    f"{path.name}: {image.width}×{image.height} is too large; at most 8192×8192, scale it down"
                )
            pixels = np.asarray(image.convert("RGBA"), np.float32) / 255
    except FileNotFoundError:
        raise PictureError(
            f"{path.name}: the picture is not there; put it beside the document or choose another"
        ) from None
    except (OSError, SyntaxError, ValueError, Image.DecompressionBombError) as error:
        raise PictureError(f"{path.name}: not a picture that can be read ({error}); export it again as PNG") from None
    return np.concatenate([to_linear(pixels[..., :3]), pixels[..., 3:]], axis=2).astype(np.float32)


def png_bytes(pixels: np.ndarray) -> bytes:
    """A PNG of (height, width, 3 or 4) uint8 pixels."""
    store = io.BytesIO()
    Image.fromarray(pixels, "RGBA" if pixels.shape[2] == 4 else "RGB").save(store, "PNG")
    return store.getvalue()


def write_whole(path: Path, data: bytes) -> None:
    """Writes a file so that whatever happens either the old one or the new one is there, whole. Raises OSError."""
    handle, name = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(name, path.stat().st_mode & 0o777 if path.exists() else 0o644)
        os.replace(name, path)
    except BaseException:
        Path(name).unlink(missing_ok=True)
        raise


@functools.cache
def card(name: str) -> np.ndarray:
    """(height, width, 4) float32, a card of the library, linear RGB and coverage."""
    return read_picture(CARD_FOLDER / f"{name.replace(' ', '-')}.png")


def paint_cards() -> None:
    """Paints every card of the library anew into the package."""
    for one in CARDS.values():
        pixels = one.paint()
        coded = np.concatenate([to_coded(pixels[..., :3]), pixels[..., 3:]], axis=2)
        write_whole(CARD_FOLDER / f"{one.name.replace(' ', '-')}.png", png_bytes((coded * 255 + 0.5).astype(np.uint8)))


def stand_in() -> np.ndarray:
    """(64, 64, 4) float32: the checker shown where a picture is missing."""
    squares = (np.add.outer(np.arange(64) // 16, np.arange(64) // 16) % 2).astype(np.float32)
    made = np.ones((64, 64, 4), np.float32)
    made[..., 1] = 0.15 + 0.2 * squares
    made[..., 2] = 0.6 * squares + 0.2
    return made


class Shelf:
    """The pictures and meshes of one document: our own, and files relative to its folder, read again when they change.

    `faults` tells by name what could not be used; a stand-in takes its place.
    """

    def __init__(self, folder: Path | None) -> None:
        self.folder = folder
        self.faults: dict[str, str] = {}
        self._read: dict[str, tuple[object, np.ndarray]] = {}
        self._meshes: dict[str, tuple[object, Mesh]] = {}

    def get(self, name: str) -> np.ndarray:
        """(height, width, 4) float32, linear and straight; the same object while the file does not change."""
        if name.startswith(PREFIX) and name[len(PREFIX) :] in CARDS:
            return card(name[len(PREFIX) :])
        stamp = self._stamp(name)
        known = self._read.get(name)
        if known is not None and known[0] == stamp:
            return known[1]
        self.faults.pop(name, None)
        try:
            pixels = self._picture(name)
        except PictureError as error:
            self.faults[name] = str(error)
            pixels = stand_in()
        self._read[name] = stamp, pixels
        return pixels

    def mesh(self, name: str) -> Mesh:
        """A built-in solid or the mesh in a file; the same object while the file does not change."""
        if name.startswith(SOLID) and name.removeprefix(SOLID) in SOLIDS:
            return solid(name.removeprefix(SOLID))
        stamp = self._stamp(name)
        known = self._meshes.get(name)
        if known is not None and known[0] == stamp:
            return known[1]
        self.faults.pop(name, None)
        try:
            if name.startswith(SOLID):
                raise MeshError(f'"{name}": no such solid; there are {", ".join(SOLIDS)}')
            if self.folder is None:
                raise MeshError(f"{name}: the document has no place yet; save it first, beside its meshes")
            made = read_mesh(self.folder / name)
        except MeshError as error:
            self.faults[name] = str(error)
            made = solid("block")
        self._meshes[name] = stamp, made
        return made

    def density(self, name: str) -> Callable[[np.ndarray], np.ndarray]:
        """How bright a picture is at texture coordinates (n, 2), as a function giving (n,), 0 to 1."""
        pixels = self.get(name)
        light = to_coded(pixels[..., :3]).mean(axis=2) * pixels[..., 3]

        def at(coords: np.ndarray) -> np.ndarray:
            height, width = light.shape
            x = (coords[:, 0] % 1.0 * width).astype(int) % width
            y = ((1.0 - coords[:, 1] % 1.0) * height).astype(int) % height
            return light[y, x]

        return at

    def _stamp(self, name: str) -> object:
        if self.folder is None:
            return None
        try:
            found = (self.folder / name).stat()
        except (OSError, ValueError):
            return None
        return found.st_mtime_ns, found.st_size

    def _picture(self, name: str) -> np.ndarray:
        if name.startswith(PREFIX):
            raise PictureError(f'"{name}": no such card; the library has {", ".join(CARDS)}')
        if self.folder is None:
            raise PictureError(f"{name}: the document has no place yet; save it first, beside its pictures")
        return read_picture(self.folder / name)
