"""Sheets as files: the picture, how it moves and stands to light, and the JSON that explains it to a game."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from pale_ember.core.effect.model import Effect
from pale_ember.core.texture.blocks import packed
from pale_ember.core.texture.flow import normals_of, vectors_of
from pale_ember.core.texture.light import to_linear
from pale_ember.core.texture.mips import bled, mip_chain
from pale_ember.core.texture.sheet import Sheet, SheetPlan
from pale_ember.formats.dds import dds_bytes
from pale_ember.formats.files import read_regular
from pale_ember.formats.handover.textures import exr_bytes
from pale_ember.formats.pictures import png_bytes

Progress = Callable[[], bool]


KINDS = (".png", ".exr", ".dds")
"""Endings of the files that a sheet is kept in."""
ALSO = ("vectors", "normals")
"""What is kept beside a sheet when it is asked for."""


@dataclass(frozen=True, slots=True)
class SheetExtra:
    """A picture beside a sheet, laid out as it is. pixels : (h, w, 4) uint8. told : what the JSON says of it."""

    pixels: np.ndarray
    told: dict[str, float]


def beside(effect: Effect, sheet: Sheet, also: Sequence[str], progress: Progress = lambda: True) -> dict[str, SheetExtra]:
    """What is asked for beside a sheet, by its name out of ALSO, until `progress` says no."""
    plan, made = sheet.plan, {}
    cells = np.stack([_linear(sheet.cell_at(i), plan.alpha) for i in range(plan.frames)]) if also else np.empty(0)
    for what in also:
        if not progress():
            break
        if what == "vectors":
            ways, reach = vectors_of(cells, loops=effect.loop)
            made[what] = SheetExtra(_plain(ways, plan), {"vectors_reach": round(reach, 6)})
        else:
            made[what] = SheetExtra(_plain(normals_of(cells), plan), {})
    return made


def _plain(cells: np.ndarray, plan: SheetPlan) -> np.ndarray:
    """(h, w, 4) uint8 of frames (n, cell, cell, 4) that hold numbers from 0 to 1, not light: the numbers as they are."""
    return np.round(np.clip(_laid_out(cells, plan), 0, 1) * 255).astype(np.uint8)


def sheet_files(
    effect: Effect, sheet: Sheet, path: Path, world_size: float, extras: Mapping[str, SheetExtra] | None = None, *, alone: bool = False
) -> dict[str, bytes]:
    """The files of a baked sheet at a path, by their names: the picture, as the name's ending says, what stands beside it, and the JSON.
    Colours are carried over what is not covered, so that filters find no foreign ones there. alone : whatever else lies there."""
    name, stem = path.name, path.stem if alone else _stem_beside(path)
    pixels = spread(sheet.pixels) if sheet.plan.alpha == "straight" else sheet.pixels
    files = {name: _encoded(pixels, name, sheet.plan.alpha)}
    told: dict[str, object] = {}
    for what, extra in (extras or {}).items():
        told |= {what: f"{stem}-{what}.png", **extra.told}
        files[f"{stem}-{what}.png"] = png_bytes(extra.pixels)
    files[f"{stem}.json"] = sheet_json(effect, sheet.plan, name, world_size, told)
    return files


def spread(pixels: np.ndarray) -> np.ndarray:
    """(h, w, 4) uint8: straight pixels with their colours carried over what is not covered."""
    return np.round(bled(pixels.astype(np.float32) / 255) * 255).astype(np.uint8)


def _linear(pixels: np.ndarray, alpha: str) -> np.ndarray:
    """(h, w, 4) float32, linear and straight, of coded pixels."""
    light = to_linear(pixels[..., :3].astype(np.float32) / 255)
    cover = pixels[..., 3:].astype(np.float32) / 255
    if alpha == "premultiplied":
        light = light / np.maximum(cover, 1e-4)
    return np.concatenate([light, cover], axis=2).astype(np.float32)


def _laid_out(cells: np.ndarray, plan: SheetPlan) -> np.ndarray:
    """(rows × cell, columns × cell, 4) of frames (n, cell, cell, 4)."""
    whole = np.zeros((plan.rows * plan.columns, *cells.shape[1:]), np.float32)
    whole[: len(cells)] = cells
    grid = whole.reshape(plan.rows, plan.columns, *cells.shape[1:])
    return grid.transpose(0, 2, 1, 3, 4).reshape(plan.rows * plan.cell, plan.columns * plan.cell, 4)


def _encoded(pixels: np.ndarray, name: str, alpha: str) -> bytes:
    if name.endswith(".png"):
        return png_bytes(pixels)
    linear = _linear(pixels, "straight")
    if name.endswith(".exr"):
        return exr_bytes(_linear(pixels, alpha))
    return dds_bytes([packed(level, "bc3") for level in mip_chain(linear)], "bc3")


def _stem_beside(path: Path) -> str:
    """How what stands beside a sheet begins: as the sheet without its ending, with it where another sheet of that stem is there."""
    try:
        other = json.loads(read_regular(path.with_suffix(".json"), 2**20))["picture"]
    except (OSError, ValueError, KeyError, TypeError):
        return path.stem
    return path.stem if other == path.name else path.name.replace(".", "-")


def sheet_json(effect: Effect, plan: SheetPlan, picture: str, world_size: float, extras: Mapping[str, object] | None = None) -> bytes:
    """The JSON beside a sheet. world_size : metres across one cell at the camera's target. extras : what else is told."""
    blends = [layer.look.blend for layer in effect.layers if layer.shown]
    blend = "additive" if blends and all(word == "additive" for word in blends) else "alpha"
    return (
        json.dumps(
            {
                "format": "pale-ember sheet",
                "version": 1,
                "effect": effect.name,
                "picture": picture,
                "columns": plan.columns,
                "rows": plan.rows,
                "frames": plan.frames,
                "cell": plan.cell,
                "fps": round(plan.fps, 6),
                "loop": effect.loop,
                "from": plan.first,
                "to": plan.last,
                "world_size": round(world_size, 6),
                "blend": blend,
                "alpha": plan.alpha,
                "colour": "linear" if picture.endswith(".exr") else "sRGB",
                **(extras or {}),
            },
            indent=2,
        )
        + "\n"
    ).encode()
