"""The pictures of a package: each as it was made, and packed for graphics cards with all its sizes."""

from __future__ import annotations

import hashlib
import io
import math
from collections.abc import Callable, MutableMapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.texture.advice import PIXELS_PER_METRE
from pale_ember.core.texture.blocks import best_format, coded, error_of, packed
from pale_ember.core.texture.formats import FORMATS, Format
from pale_ember.core.texture.light import to_linear
from pale_ember.core.texture.mips import bled, mip_chain
from pale_ember.formats.dds import dds_bytes, levels_in, memory_of
from pale_ember.formats.files import read_regular
from pale_ember.formats.ktx2 import ktx2_bytes
from pale_ember.formats.pictures import png_bytes

Kept = MutableMapping[str, bytes]
"""What was packed before, by what it was made of."""

_VERSION = b"3"
"""Of how pictures are packed: what was kept of another is not used."""


@dataclass(frozen=True, slots=True)
class TextureOptions:
    """How the pictures of a package are to be. kind : a format for all, "best" for each its own, "none" for no packed ones.
    shrinks : whether those far larger than they are ever seen are made smaller. together : whether those of which one channel
    is read share one. ktx2 : whether packed ones come as KTX2 as well, beside their DDS."""

    kind: str = "best"
    shrinks: bool = False
    together: bool = False
    ktx2: bool = False

    def fault(self) -> str:
        """What cannot be wanted, in one sentence, or nothing."""
        some = ("best", "none", *FORMATS)
        if self.ktx2 and self.kind == "none":
            return "expected packed textures to put into KTX2, found none; choose a format for them or leave KTX2 out"
        return "" if self.kind in some else f'expected one of {", ".join(some)}, found "{self.kind}"; choose one of these'


@dataclass(frozen=True, slots=True)
class PictureUse:
    """For what a picture is used. metres : the widest a frame of it is drawn; without end where that is not known. columns, rows : of
    its sheet. cut : where a look cuts its cover hard, else 0. numbers : whether its codes are numbers, not light. premultiplied :
    whether its light is multiplied by its cover."""

    metres: float = math.inf
    columns: int = 1
    rows: int = 1
    cut: float = 0.0
    numbers: bool = False
    premultiplied: bool = False


def uses_of(effect: Effect) -> dict[str, PictureUse]:
    """What each picture of an effect is used for, by its name; of several uses the one that needs most."""
    uses: dict[str, PictureUse] = {}

    def add(name: str, use: PictureUse) -> None:
        known = uses.get(name)
        if name and (known is None or use.metres > known.metres):
            uses[name] = use

    for layer in effect.layers:
        look, widest = layer.look, _widest(layer)
        cut = look.cut if look.blend == "cut-out" else 0.0
        add(look.picture, PictureUse(widest, look.columns, look.rows, cut))
        add(look.light.six, PictureUse(widest, look.columns, look.rows))
        add(look.light.normals, PictureUse(widest, look.columns, look.rows, numbers=True))
        if look.trails:
            add(look.ribbon.picture, PictureUse(widest))
        if look.between == "along vectors":
            add(look.vectors, PictureUse(widest, look.columns, look.rows, numbers=True))
        for name in (*(name for name, _ in look.surface.multiplied), look.surface.warp, look.dissolve.picture):
            add(name, PictureUse(widest))
        if layer.outlet.shape == "mesh" and layer.outlet.density not in ("", "vertex colour"):
            add(layer.outlet.density, PictureUse())
    return uses


def _widest(layer: Layer) -> float:
    """The widest that a particle of a layer is ever drawn, m."""
    curve = layer.life.size
    factor = float(curve.table().max()) if curve is not None else 1.0
    return layer.birth.size.most * max(layer.birth.aspect, 1.0) * layer.scale * max(factor, 0.0)


def shrunk_size(width: int, height: int, use: PictureUse) -> tuple[int, int]:
    """The size that is enough for what a picture is used for: halved as long as a frame has twice the pixels it needs."""
    wanted = max(use.metres * PIXELS_PER_METRE, 16.0)
    while min(width, height) >= 32 and width / use.columns >= 2 * wanted and width % 2 == 0 and height % 2 == 0:
        width, height = width // 2, height // 2
    return width, height


def size_advice(name: str, width: int, height: int, use: PictureUse) -> list[str]:
    """What is worth saying of a picture's size, in sentences."""
    said = []
    odd = [side for side in (width, height) if side & (side - 1)]
    if odd:
        near = [1 << max(round(np.log2(side)), 0) for side in (width, height)]
        said.append(f"{name}: {width} × {height} is no power of two, which some games refuse; {near[0]} × {near[1]} is near")
    small = shrunk_size(width, height, use)
    if small != (width, height):
        said.append(f"{name}: {width} × {height} for {use.metres:.2g} m: {small[0]} × {small[1]} would look the same")
    return said


def format_advice(name: str, pixels: np.ndarray, kind: str) -> list[str]:
    """What a format loses of a picture (h, w, 4), in a sentence, or nothing."""
    if kind in CHANNELS and "A" not in CHANNELS[kind] and float(pixels[..., 3].min(initial=1.0)) < 0.99:
        return [f"{name}: {kind} holds no alpha, so transparent parts become visible; bc3 and bc7 hold it"]
    return []


def texture_files(
    stem: str, pixels: np.ndarray, source: Path | None, use: PictureUse, wanted: TextureOptions, kept: Kept
) -> tuple[dict[str, bytes], dict[str, Any]]:
    """The files of one picture, and what is known of it.

    stem : its name in the package, without ending. pixels : (h, w, 4) float32, linear, as the use wants it. source : the artist's own
    file, taken as it is where it can be.
    """
    height, width = pixels.shape[:2]
    smaller = wanted.shrinks and shrunk_size(width, height, use) != (width, height)
    if smaller:
        width, height = shrunk_size(width, height, use)
        pixels = next(level for level in _chain(pixels, use) if level.shape[1] == width)
    bright = float(pixels[..., :3].max(initial=0.0)) > 1.0 + 1e-3
    files: dict[str, bytes] = {}
    if source is not None and not smaller and source.suffix.lower() in (".png", ".exr"):
        first, files = _ending(stem, source.suffix.lower()), {}
        files[first] = read_regular(source)
    elif bright:
        first = _ending(stem, ".exr")
        files[first] = exr_bytes(pixels, use.premultiplied)
    else:
        first = _ending(stem, ".png")
        files[first] = png_bytes(coded(pixels))
    colour = "numbers" if use.numbers else "linear" if bright else "sRGB"
    known: dict[str, Any] = {
        "width": width,
        "height": height,
        "columns": use.columns,
        "rows": use.rows,
        "colour": colour,
        "alpha": "premultiplied" if use.premultiplied else "straight",
        "memory": width * height * (8 if bright else 4) * 4 // 3,
    }
    if wanted.kind != "none":
        kind: Format = best_format(pixels) if wanted.kind == "best" else wanted.kind  # type: ignore[assignment]
        kind = _for_numbers(pixels) if use.numbers else kind
        data, decibels = packed_texture(pixels, kind, use, kept)
        name = _ending(stem, ".dds")
        files[name] = data
        known |= {"packed": name, "format": kind, "memory": memory_of(width, height, kind), "psnr": decibels}
        if wanted.ktx2:
            known["ktx2"] = _ending(stem, ".ktx2")
            files[known["ktx2"]] = ktx2_bytes(levels_in(data), kind, srgb=not use.numbers, premultiplied=use.premultiplied)
    return files, {first: known}


def _ending(stem: str, ending: str) -> str:
    return f"textures/{stem}{ending}"


def packed_texture(pixels: np.ndarray, kind: Format, use: PictureUse, kept: Kept) -> tuple[bytes, float | None]:
    """A DDS of a picture with all its sizes, and how near its largest is to the picture, in dB; taken from what was kept, if
    it was. pixels : (h, w, 4) float32, linear, as the use wants it."""
    told = hashlib.sha256(b"/".join((_VERSION, kind.encode(), f"{use.cut:g}{pixels.shape}{use.numbers}{use.premultiplied}".encode())))
    told.update(np.ascontiguousarray(pixels).tobytes())
    key = told.hexdigest()
    data, spread = kept.get(key), pixels if use.numbers or use.premultiplied else bled(pixels)
    if data is None:
        data = dds_bytes([packed(level, kind) for level in _chain(spread, use)], kind, srgb=not use.numbers)
        kept[key] = data
    return data, quality_of(data, spread, kind)


def _for_numbers(pixels: np.ndarray) -> Format:
    """What numbers want: two channels each on its own, or four with few bits lost."""
    return "bc7" if pixels[..., 2].any() or float(pixels[..., 3].min(initial=1.0)) < 1.0 else "bc5"


def _chain(pixels: np.ndarray, use: PictureUse) -> list[np.ndarray]:
    """All sizes of a picture (h, w, 4) linear: where its codes are numbers these are averaged, premultiplied light is for itself,
    straight light is weighed by its cover."""
    if use.numbers:
        chain = _apart(coded(pixels).astype(np.float32) / 255)
        return [np.concatenate([to_linear(level[..., :3]), level[..., 3:]], axis=2).astype(np.float32) for level in chain]
    return _apart(pixels) if use.premultiplied else mip_chain(pixels, use.cut)


def _apart(channels: np.ndarray) -> list[np.ndarray]:
    """All sizes of (h, w, 4) channels that have nothing to do with each other."""
    solid = np.ones_like(channels[..., :1])
    three = mip_chain(np.concatenate([channels[..., :3], solid], axis=2))
    fourth = mip_chain(np.concatenate([channels[..., [3, 3, 3]], solid], axis=2))
    return [np.concatenate([level[..., :3], alone[..., :1]], axis=2) for level, alone in zip(three, fourth, strict=True)]


ALIKE = 99.0
"""Decibels that stand for no difference at all."""

CHANNELS: dict[Format, str] = {"bc1": "RGB", "bc3": "RGBA", "bc4": "R", "bc5": "RG", "bc6h": "RGB", "bc7": "RGBA"}
"""The channels that a format holds."""


def quality_of(data: bytes, pixels: np.ndarray, kind: Format) -> float | None:
    """How near a packed picture is to (h, w, 4) linear pixels, in dB over the channels that it holds; None for light
    brighter than white, of which no scale of 255 can tell."""
    if kind == "bc6h":
        return None
    seen, channels = unpacked(data), ["RGBA".index(letter) for letter in CHANNELS[kind]]
    return round(min(error_of(seen[..., channels], coded(pixels)[..., channels]), ALIKE), 2)


def unpacked(data: bytes) -> np.ndarray:
    """(h, w, 4) uint8 of the largest size in a DDS of ours; for what we packed, so its header is trusted."""
    image = Image.open(io.BytesIO(_plainly(data)))
    return np.asarray(image.convert("RGBA") if image.mode != "L" else image.convert("RGB").convert("RGBA"))


def _plainly(data: bytes) -> bytes:
    """A DDS that says its codes are plain numbers: Pillow does not know of sRGB in all formats."""
    code = int.from_bytes(data[128:132], "little")
    return data[:128] + {72: 71, 78: 77, 99: 98}.get(code, code).to_bytes(4, "little") + data[132:]


def exr_bytes(pixels: np.ndarray, premultiplied: bool = False) -> bytes:
    """An OpenEXR of linear pixels (h, w, 4) float32: half floats, light multiplied by its cover."""
    import tempfile

    import OpenEXR

    light = (pixels[..., :3] * (1.0 if premultiplied else pixels[..., 3:])).astype(np.float16)
    channels = {name: np.ascontiguousarray(light[..., i]) for i, name in enumerate("RGB")}
    channels["A"] = np.ascontiguousarray(pixels[..., 3].astype(np.float16))
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    with tempfile.TemporaryDirectory() as folder:
        # The library writes to files alone.
        path = Path(folder) / "picture.exr"
        OpenEXR.File(header, channels).write(str(path))
        return path.read_bytes()


def none_kept() -> Kept:
    """Keeps nothing beyond this run."""
    return {}


Progress = Callable[[int, int, str], bool]
"""(done, of all, what comes next) → whether to go on."""
