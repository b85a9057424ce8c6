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

from pale_ember import ASSETS
from pale_ember.core.geometry.mesh import SOLID, SOLIDS, Mesh, solid
from pale_ember.core.texture.cards import CARDS, PREFIX
from pale_ember.core.texture.light import to_coded, to_linear
from pale_ember.formats.meshes import MeshError, is_file, read_mesh

CARD_FOLDER = ASSETS / "cards"

MOST_PIXELS = 8192 * 8192
"""A larger picture would need more than a quarter of a gigabyte on its way in."""


KINDS = (".png", ".tga", ".webp", ".exr", ".dds")
"""Endings of the pictures that are read."""

_EXIF_ARTIST, _EXIF_COPYRIGHT = 0x013B, 0x8298


class PictureError(Exception):
    """A picture that cannot be used; the message names it, what is wrong and what to do."""


def read_picture(path: Path) -> np.ndarray:
    """(height, width, 4) float32: linear RGB, not premultiplied, and alpha. Raises PictureError."""
    kind = path.suffix.lower()
    if kind not in KINDS:
        raise PictureError(
            f"{path.name}: expected a picture ({', '.join(KINDS)}), found {kind or 'no ending'}; export it anew"
        )
    if not is_file(path):
        raise PictureError(f"{path.name}: the picture is not there; put it beside the document or choose another")
    try:
        return _read_exr(path) if kind == ".exr" else _read_coded(path)
    except PictureError:
        raise
    except Exception as error:  # noqa: BLE001 - the libraries raise whatever their parsers meet
        said = str(error).strip().splitlines()[0] if str(error).strip() else type(error).__name__
        raise PictureError(f"{path.name}: not a picture that can be read ({said}); export it again as PNG") from None


def _check_size(path: Path, width: int, height: int) -> None:
    if width * height > MOST_PIXELS:
        raise PictureError(f"{path.name}: {width}×{height} is too large; at most 8192×8192, scale it down")


def _read_coded(path: Path) -> np.ndarray:
    """PNG, TGA, WebP and DDS hold sRGB codes."""
    with Image.open(path) as image:
        _check_size(path, image.width, image.height)
        if image.mode in ("I;16", "I", "F"):
            # Sixteen bits of grey: Pillow would cut them off at 255.
            # Whole numbers run to the top of their kind, be the picture as dark as it may; others are light already.
            grey = np.asarray(image, np.float32) / (1.0 if image.mode == "F" else 65535.0)
            pixels: np.ndarray = np.dstack([grey, grey, grey, np.ones_like(grey)])
        else:
            pixels = np.asarray(image.convert("RGBA"), np.float32) / 255
    return np.concatenate([to_linear(pixels[..., :3]), pixels[..., 3:]], axis=2).astype(np.float32)


def _read_exr(path: Path) -> np.ndarray:
    """OpenEXR holds linear light, multiplied by its alpha where it has one."""
    # Half a second to import, so only where such a picture is read.
    import OpenEXR

    with OpenEXR.File(str(path), separate_channels=True) as file:
        channels = {name: np.asarray(one.pixels, np.float32) for name, one in file.parts[0].channels.items()}
    first = next(iter(channels.values()))
    _check_size(path, first.shape[1], first.shape[0])
    grey = channels.get("Y")
    light = [one for name in "RGB" if (one := channels.get(name, grey)) is not None]
    if len(light) < 3:
        raise PictureError(f"{path.name}: expected channels R, G and B or Y, found {', '.join(channels)}; export them")
    alpha = channels.get("A", np.ones_like(first))
    rgb = np.dstack(light) / np.where(alpha > 1e-6, alpha, 1.0)[..., None]
    made = np.dstack([np.clip(np.nan_to_num(rgb, posinf=6e4), 0, 6e4), np.clip(np.nan_to_num(alpha), 0, 1)])
    return made.astype(np.float32)


def credit_in(path: Path) -> tuple[str, str]:
    """Author and licence as a picture's own file tells them, each "" where it does not."""
    try:
        with Image.open(path) as image:
            told = {str(name).lower(): str(value) for name, value in image.info.items() if isinstance(value, str)}
            exif = image.getexif()
    except (OSError, SyntaxError, ValueError):
        return "", ""
    author = told.get("author") or told.get("artist") or str(exif.get(_EXIF_ARTIST, ""))
    licence = told.get("license") or told.get("licence") or told.get("copyright") or str(exif.get(_EXIF_COPYRIGHT, ""))
    return author.strip()[:200], licence.strip()[:200]


def png_bytes(pixels: np.ndarray) -> bytes:
    """A PNG of (height, width, 3 or 4) uint8 pixels."""
    store = io.BytesIO()
    Image.fromarray(pixels, "RGBA" if pixels.shape[2] == 4 else "RGB").save(store, "PNG")
    return store.getvalue()


def write_whole(path: Path, data: bytes) -> None:
    """Writes a file so that whatever happens either the old one or the new one is there, whole. A link stays one, and what
    it leads to is written. Raises OSError."""
    path = Path(os.path.realpath(path))
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
        write_whole(CARD_FOLDER / f"{one.name.replace(' ', '-')}.png", png_bytes(_card_bytes(one.paint())))


def _card_bytes(pixels: np.ndarray) -> np.ndarray:
    """(height, width, 4) uint8. Cover has only 256 steps, and bright light shows the last of them as an edge: a grain of
    less than a step, the same each time, lets it run out."""
    coded = np.concatenate([to_coded(pixels[..., :3]), pixels[..., 3:]], axis=2) * 255
    grain = np.random.default_rng(1).uniform(0.0, 1.0, pixels.shape[:2])
    loose = (coded[..., 3] > 0.02) & (coded[..., 3] < 254.5)
    coded[..., 3] = np.where(loose, np.floor(coded[..., 3] + grain), np.round(coded[..., 3]))
    coded[..., :3] = np.round(coded[..., :3])
    return coded.astype(np.uint8)


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

    def known(self, name: str) -> np.ndarray | None:
        """A picture as far as it has been read; a card at once. Nothing is read for it, so it is quick anywhere."""
        if name.startswith(PREFIX) and name[len(PREFIX) :] in CARDS:
            return card(name[len(PREFIX) :])
        found = self._read.get(name)
        return found[1] if found is not None else None

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
            file, _, part = name.partition("#")
            made = read_mesh(self.folder / file, part)
        except MeshError as error:
            self.faults[name] = str(error)
            made = solid("block")
        self._meshes[name] = stamp, made
        return made

    def objects(self, file: str) -> tuple[str, ...]:
        """The objects of a mesh file, as far as it has been read; nothing is read for it."""
        known = [mesh for name, (_, mesh) in list(self._meshes.items()) if name.partition("#")[0] == file]
        return known[0].objects if known else ()

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
            found = (self.folder / name.partition("#")[0]).stat()
        except (OSError, ValueError):
            return None
        return found.st_mtime_ns, found.st_size

    def _picture(self, name: str) -> np.ndarray:
        if name.startswith(PREFIX):
            raise PictureError(f'"{name}": no such card; the library has {", ".join(CARDS)}')
        if self.folder is None:
            raise PictureError(f"{name}: the document has no place yet; save it first, beside its pictures")
        return read_picture(self.folder / name)
