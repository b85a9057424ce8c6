"""Pictures on disk: PNG in and out, and those of the library."""

from __future__ import annotations

import functools
import io
import os
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager, redirect_stdout
from pathlib import Path
from weakref import WeakValueDictionary

import numpy as np
from PIL import Image

from pale_ember import ASSETS
from pale_ember.core.texture.light import NO_COVER, to_coded, to_linear
from pale_ember.formats.files import MOST_ROOM, open_regular, room_told
from pale_ember.formats.meshes import is_file

LIBRARY_FOLDER = ASSETS / "library"

MOST_PIXELS = MOST_ROOM // 16
"""A picture becomes four floats a pixel: 8192 × 8192 fill the room that a file may take."""

_BAND = 2**20
"""Pixels that are made linear at once, so that on its way in a picture takes little more than it becomes."""


KINDS = (".png", ".tga", ".webp", ".exr", ".dds")
"""Endings of the pictures that are read."""

_EXIF_ARTIST, _EXIF_COPYRIGHT = 0x013B, 0x8298


class PictureError(Exception):
    """A picture that cannot be used; the message names it, what is wrong and what to do."""


def read_picture(path: Path) -> np.ndarray:
    """(height, width, 4) float32: linear RGB, not premultiplied, and alpha. Raises PictureError."""
    kind = path.suffix.lower()
    if kind not in KINDS:
        raise PictureError(f"{path.name}: expected a picture ({', '.join(KINDS)}), found {kind or 'no ending'}; export it again")
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
        told = f"{width}×{height} would take {room_told(16 * width * height)}"
        raise PictureError(f"{path.name}: {told}; at most {room_told(MOST_ROOM)}, as 8192×8192 does: scale it down")


def _read_coded(path: Path) -> np.ndarray:
    """PNG, TGA, WebP and DDS hold sRGB codes. Returns (h, w, 4) float32, linear, straight."""
    with open_regular(path) as file, Image.open(file) as image:
        _check_size(path, image.width, image.height)
        if image.mode in ("I;16", "I", "F"):
            # Sixteen bits of grey: Pillow would cut them off at 255.
            # Whole numbers run to the top of their kind, be the picture as dark as it may; others are light already.
            top = 1.0 if image.mode == "F" else 65535.0
            codes = np.asarray(image)[..., None]
        else:
            top = 255.0
            codes = np.asarray(image if image.mode == "RGBA" else image.convert("RGBA"))
    return linear(codes, top)


def linear(codes: np.ndarray, top: float = 255.0) -> np.ndarray:
    """(h, w, 4) float32, linear, straight, of sRGB codes (h, w, 1 or 4) that run to `top`; grey alone covers wholly."""
    height, width = codes.shape[:2]
    pixels = np.empty((height, width, 4), np.float32)
    rows = max(_BAND // max(width, 1), 1)
    # Of few codes each is made linear once.
    table = to_linear(np.arange(256, dtype=np.float32) / np.float32(top)) if codes.dtype == np.uint8 else None
    for first in range(0, height, rows):
        band = codes[first : first + rows]
        if table is not None:
            pixels[first : first + rows, :, :3] = table[band[..., :3]]
        else:
            pixels[first : first + rows, :, :3] = to_linear(band[..., :3].astype(np.float32) / np.float32(top))
        pixels[first : first + rows, :, 3] = band[..., 3] / np.float32(top) if band.shape[2] == 4 else 1.0
    return pixels


def _read_exr(path: Path) -> np.ndarray:
    """OpenEXR holds linear light, multiplied by its alpha where it has one.

    Returns (h, w, 4) float32, linear, straight.
    """
    # Half a second to import, so only where such a picture is read.
    import OpenEXR

    open_regular(path).close()
    with _unheard():
        head = OpenEXR.File(str(path), header_only=True)
        low, high = (np.asarray(corner) for corner in head.header()["dataWindow"])
    _check_size(path, *(int(side) for side in high - low + 1))
    with _unheard(), OpenEXR.File(str(path), separate_channels=True) as file:
        parts = file.parts[:1]
        channels = {name: np.asarray(channel.pixels, np.float32) for part in parts for name, channel in part.channels.items()}
    if not channels:
        raise PictureError(f"{path.name}: expected a whole picture, found one that is cut short or damaged; export it again")
    first = next(iter(channels.values()))
    _check_size(path, first.shape[1], first.shape[0])
    grey = channels.get("Y")
    light = [channel for name in "RGB" if (channel := channels.get(name, grey)) is not None]
    if len(light) < 3:
        raise PictureError(f"{path.name}: expected channels R, G and B or Y, found {', '.join(channels)}; export them")
    alpha = channels.get("A", np.ones_like(first))
    rgb = np.dstack(light) / np.where(alpha > NO_COVER, alpha, 1.0)[..., None]
    pixels = np.dstack([np.clip(np.nan_to_num(rgb, posinf=6e4), 0, 6e4), np.clip(np.nan_to_num(alpha), 0, 1)])
    return pixels.astype(np.float32)


@contextmanager
def _unheard() -> Iterator[None]:
    """While it lasts nothing is printed: the library tells of a broken file by itself, and then raises as well."""
    with _QUIET, open(os.devnull, "wb") as nowhere, redirect_stdout(io.StringIO()):
        sys.stderr.flush()
        kept = os.dup(2)
        try:
            os.dup2(nowhere.fileno(), 2)
            yield
        finally:
            os.dup2(kept, 2)
            os.close(kept)


_QUIET = threading.RLock()
"""One at a time, or the error output would be lost."""


def credit_in(path: Path) -> tuple[str, str]:
    """Author and licence as a picture's own file tells them, each "" where it does not."""
    try:
        with open_regular(path) as file, Image.open(file) as image:
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


def webp_bytes(pixels: np.ndarray) -> bytes:
    """A picture (height, width, 3 or 4) uint8 as a WebP file, to the bit; the library's take two thirds of what they would as PNG."""
    store = io.BytesIO()
    Image.fromarray(pixels, "RGBA" if pixels.shape[2] == 4 else "RGB").save(
        store, "WEBP", lossless=True, quality=80, method=5, exact=True
    )
    return store.getvalue()


def light_webp(pixels: np.ndarray) -> bytes:
    """A picture (height, width, 3) uint8 as a small WebP file, as the eye sees it: an eighth of what it takes to the bit."""
    store = io.BytesIO()
    Image.fromarray(pixels, "RGB").save(store, "WEBP", quality=88, method=4)
    return store.getvalue()


def library_file(name: str) -> Path:
    """Where a card ships, or one of its parts behind a #."""
    return LIBRARY_FOLDER / f"{name.replace(' ', '-').replace('#', '-')}.webp"


_SEEN: WeakValueDictionary[str, np.ndarray] = WeakValueDictionary()


@functools.lru_cache(24)
def library_picture(name: str) -> np.ndarray:
    """(height, width, 4) float32, a picture of the library, linear RGB and coverage; the same object as long as anybody holds it. The
    whole library would take a quarter of a gigabyte, so only some are held by themselves."""
    pixels = _SEEN.get(name)
    if pixels is None:
        pixels = ungrained(read_picture(library_file(name)))
        pixels.setflags(write=False)
        pixels = _SEEN.setdefault(name, pixels)
    return pixels


def ungrained(pixels: np.ndarray) -> np.ndarray:
    """A picture of `grained` codes, linear and straight, whose thinnest cover runs out evenly again: a grain of one step shows as
    specks where such a picture is drawn many times as bright. pixels : (h, w, 4) float32, changed in place."""
    cover = pixels[..., 3]
    # What is well covered lends its neighbours no more than that, and what is empty is filled between two of them alone: gaps stay gaps.
    even = np.minimum(cover, np.float32(3.5 / 255))
    thin = cover < 3.5 / 255
    empty = np.pad(cover == 0, 2, constant_values=True)
    high, wide = cover.shape
    left, right = (empty[2:-2, k : k + wide] & empty[2:-2, k + 1 : k + 1 + wide] for k in (0, 3))
    above, below = (empty[k : k + high, 2:-2] & empty[k + 1 : k + 1 + high, 2:-2] for k in (0, 3))
    thin &= (cover > 0) | (~left & ~right) | (~above & ~below)
    for _ in range(2):
        for along in (even, even.T):
            along[1:-1] = 0.5 * along[1:-1] + 0.25 * (along[:-2] + along[2:])
    np.copyto(cover, even, where=thin)
    return pixels


def grained(pixels: np.ndarray) -> np.ndarray:
    """(height, width, 4) uint8. Cover has only 256 steps, and bright light shows the last of them as an edge: a grain of
    less than a step, the same each time, lets it run out."""
    coded = np.concatenate([to_coded(pixels[..., :3]), pixels[..., 3:]], axis=2) * 255
    grain = np.random.default_rng(1).uniform(0.0, 1.0, pixels.shape[:2])
    loose = (coded[..., 3] > 0.02) & (coded[..., 3] < 254.5)
    coded[..., 3] = np.where(loose, np.floor(coded[..., 3] + grain), np.round(coded[..., 3]))
    coded[..., :3] = np.round(coded[..., :3])
    return coded.astype(np.uint8)
