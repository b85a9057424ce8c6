"""What leaves: sheets, packed textures, packages."""

from __future__ import annotations

import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

from benchmarks.measure import Row
from pale_ember import ASSETS
from pale_ember.core.texture.blocks import packed
from pale_ember.core.texture.formats import Format
from pale_ember.core.texture.sheet import SheetPlan, closed
from pale_ember.draw.sheets import draw_sheet
from pale_ember.formats.document import load
from pale_ember.formats.handover.package import package_of
from pale_ember.formats.pictures import library_picture
from pale_ember.formats.shelf import Shelf
from pale_ember.rehearsal.game import Game

_FRAMES, _CELL, _PACE = 64, 256, 30.0


def rows() -> list[Row]:
    """Measures each in this process, kernels ready."""
    return [_sheet(), *_packing(), _jobs(), *_packages()]


def _sheet() -> Row:
    path = ASSETS / "demo" / "kiln-mouth.pale"
    effect, shelf = closed(load(path)[0]), Shelf(path.parent)
    from pale_ember.core.simulate.timeline import Timeline

    plan = SheetPlan(_FRAMES, 8, _CELL, 0.0, effect.duration)
    taken = []
    for _ in range(3):
        begun = time.perf_counter()
        draw_sheet(Timeline(effect, shelf.mesh, shelf.density), effect.stage.cameras[0], plan, shelf.get, fits=True)
        taken.append(time.perf_counter() - begun)
    value, played = sorted(taken)[1], _FRAMES / _PACE
    told = f"sheet of {_FRAMES} frames at {_CELL} px of the kiln mouth, fitted, against its time at {_PACE:g} a second"
    return Row(told, value, "s", played, value / played, "ratio < 1", value < played)


def _picture() -> np.ndarray:
    """(1024, 1024, 4) float32: flames side by side."""
    return np.tile(library_picture("flame wisps"), (2, 2, 1))


def _pack(kind: Format) -> float:
    """Seconds for a megapixel of flames."""
    pixels = _picture()
    begun = time.perf_counter()
    packed(pixels, kind)
    return (time.perf_counter() - begun) / (pixels.shape[0] * pixels.shape[1] / 1e6)


def _packing() -> list[Row]:
    kinds: tuple[tuple[Format, float], ...] = (("bc3", 5.0), ("bc7", 1.0))
    found = []
    for kind, least in kinds:
        pace = 1.0 / sorted(_pack(kind) for _ in range(3))[1]
        found.append(Row(f"packing as {kind}", pace, "megapixels/s", None, None, f"> {least:g}", pace > least))
    return found


def _jobs() -> Row:
    """Two processes against one, over as many pictures."""
    with ProcessPoolExecutor(2) as pool:
        list(pool.map(_pack, ["bc7", "bc7"]))
        begun = time.perf_counter()
        for _ in range(4):
            _pack("bc7")
        alone = time.perf_counter() - begun
        begun = time.perf_counter()
        list(pool.map(_pack, ["bc7"] * 4))
        together = time.perf_counter() - begun
    ratio = alone / together
    return Row("packing as bc7 with two processes, times as fast as one", together, "s", alone, ratio, "ratio > 1.6", ratio > 1.6)


def _packages() -> list[Row]:
    begun = time.perf_counter()
    kept: dict[str, bytes] = {}
    with tempfile.TemporaryDirectory() as folder:
        for path in sorted((ASSETS / "demo").glob("*.pale")):
            package = package_of(load(path)[0], Shelf(path.parent), kept=kept)
        whole = time.perf_counter() - begun
        out = Path(folder) / "one"
        from pale_ember.formats.disk import write_folder

        write_folder(out, package.files)
        begun = time.perf_counter()
        game = Game(out)
        game.begin()
        game.step(0.1)
        game.frame()
        started = time.perf_counter() - begun
    return [
        Row("hand-over of the whole demo", whole, "s", None, None, "< 20", whole < 20),
        Row("the rehearsal from a package to its first moment", started, "s", None, None, "< 2", started < 2),
    ]
