"""Contact sheets, to be looked at side by side: python tools/contact_sheets.py effects|starts|cards [NAME …] --out FILE.png

effects : each demo effect from each of its cameras at five moments of its loop, a row for each camera.
starts : each starting point's living picture at four moments. cards : each picture of the library, its frames halfway.
"""

from __future__ import annotations

import argparse
import math
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw

from pale_ember import ASSETS
from pale_ember.commands.common import read
from pale_ember.core.effect.model import FIRST_VIEW
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.library import PICTURES
from pale_ember.core.view import view_of
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.previews import FRAMES, moving_picture
from pale_ember.draw.renderer import Shot
from pale_ember.formats.pictures import library_picture
from pale_ember.formats.shelf import Shelf
from pale_ember.formats.starts import starts

MOMENTS = (0.06, 0.2, 0.4, 0.6, 0.85)
"""Shares of an effect's loop."""


def effects(names: list[str], wide: int, camera: int | None) -> Iterator[tuple[str, np.ndarray]]:
    tall = wide * 5 // 8
    for path in sorted((ASSETS / "demo").glob("*.pale")):
        if names and path.stem not in names:
            continue
        effect, shelf = read(path)
        line = Timeline(effect, mesh=shelf.mesh, density=shelf.density)
        frames = [line.frame(share * effect.duration) for share in MOMENTS]
        cameras = effect.stage.cameras or (FIRST_VIEW,)
        with offscreen(shelf.patient().get, shelf.mesh) as renderer:
            for each in cameras if camera is None else cameras[camera : camera + 1]:
                for frame in frames:
                    shot = Shot(stage=effect.stage, background=effect.stage.background)
                    yield (
                        f"{path.stem} {frame.time:.2f} s, {each.name}",
                        renderer.picture(frame, view_of(each, wide, tall), shot, wide, tall),
                    )


def living(names: list[str], wide: int, camera: int | None) -> Iterator[tuple[str, np.ndarray]]:
    shelf = Shelf(None)
    with offscreen(shelf.get, shelf.mesh) as renderer:
        for name, start in starts().items():
            if not names or name in names:
                pictures = moving_picture(start.make(), renderer, wide, wide * 7 // 10)
                yield name, np.concatenate([pictures[round(share * (FRAMES - 1))] for share in (0.15, 0.4, 0.65, 0.9)], axis=1)


def cards(names: list[str], wide: int, camera: int | None) -> Iterator[tuple[str, np.ndarray]]:
    for name, one in PICTURES.items():
        if not names or name in names:
            pixels = library_picture(name)
            tall, across = pixels.shape[0] // one.rows, pixels.shape[1] // one.columns
            at = one.rows * one.columns // 2
            row, column = divmod(at, one.columns)
            frame = pixels[row * tall : (row + 1) * tall, column * across : (column + 1) * across]
            light = frame[..., :3] * frame[..., 3:] + 0.03 * (1 - frame[..., 3:])
            coded = np.clip(255 * np.clip(light, 0, 1) ** (1 / 2.2), 0, 255).astype(np.uint8)
            yield name, np.asarray(Image.fromarray(coded).resize((wide, round(wide * tall / across)), Image.Resampling.LANCZOS))


WHAT = {"effects": effects, "starts": living, "cards": cards}


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("what", choices=WHAT)
    asked.add_argument("names", nargs="*")
    asked.add_argument("--out", type=Path, required=True)
    asked.add_argument("--wide", type=int, default=384, help="pixels of one picture")
    asked.add_argument("--across", type=int, default=5, help="pictures in a row")
    asked.add_argument("--camera", type=int, help="one of each effect's cameras, from 0")
    told = asked.parse_args()
    tiles = list(WHAT[told.what](told.names, told.wide, told.camera))
    if not tiles:
        asked.error("expected names that there are, found none of them")
    wide, tall = (max(tile.shape[side] for _, tile in tiles) for side in (1, 0))
    sheet = Image.new("RGB", (wide * told.across, tall * math.ceil(len(tiles) / told.across)))
    for i, (name, tile) in enumerate(tiles):
        at = (i % told.across * wide, i // told.across * tall)
        sheet.paste(Image.fromarray(np.ascontiguousarray(tile[..., :3])), at)
        ImageDraw.Draw(sheet).text((at[0] + 5, at[1] + 3), name, fill=(235, 230, 220))
    sheet.save(told.out)
    print(f"{told.out} ({sheet.width} × {sheet.height})")


if __name__ == "__main__":
    main()
