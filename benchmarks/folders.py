"""A folder of 200 made effects: built cold, warm, with one changed and on two cores; its screen begun from what is kept, and scrolled."""

from __future__ import annotations

import itertools
import os
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from msgspec.structs import replace

from benchmarks.measure import Row, medians
from pale_ember.building.build import build
from pale_ember.building.one_effect import BuildOrder
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.stage import QUAY
from pale_ember.folder.index import FolderIndex, stamps_in
from pale_ember.folder.listing import found, read_card
from pale_ember.formats.document import dumps
from pale_ember.formats.starts import starts

_EFFECTS, _MANY, _FEW = 200, 1000, 24
_WARM, _AT_ONCE = 2.0, 1.0
"""Seconds of a build with nothing to do, and until a thousand effects are there."""
_PICTURE = 1000 / 60
"""Milliseconds of a display's picture."""
_TWO = 1.6
"""How many times one process two are at least."""


def _made(folder: Path, count: int) -> None:
    """Effects made of the starting points, each with another seed."""
    every = list(starts().items())
    for i in range(count):
        name, start = every[i % len(every)]
        layers = start.make()
        loops = any(layer.outlet.rate.most > 0 for layer in layers)
        place = folder / start.use / f"{name.replace(' ', '-')}-{i}.pale"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(dumps(Effect(name=f"{name} {i}", layers=layers, stage=QUAY, seed=i, loop=loops)))


def rows() -> Iterator[Row]:
    """Several minutes: 200 effects are built with nothing kept from before, and a few again and again."""
    with tempfile.TemporaryDirectory() as kept:
        base = Path(kept)
        quay = base / "quay"
        _made(quay, _EFFECTS)
        with _kept_in(base / "kept one"):
            cold = _built(BuildOrder(quay, base / "one"), 1)
        yield _told(f"folders: {_EFFECTS} effects built, cold", cold, "s")
        warm = _built(BuildOrder(quay, base / "one"), 1)
        yield Row("folders: built again, nothing changed", warm, "s", _WARM, warm / _WARM, "ratio ≤ 1", warm <= _WARM)
        path = next(quay.rglob("*.pale"))
        path.write_bytes(path.read_bytes().replace(b'"seed": 0', b'"seed": 77777', 1))
        yield _told("folders: built again, one changed", _built(BuildOrder(quay, base / "one"), 1), "s")
        yield _two(base)
        yield from _screen(base / "many")


def _two(base: Path) -> Row:
    """One process beside two, in turns."""
    few, turn = base / "few", itertools.count()
    _made(few, _FEW)

    def built(jobs: int) -> None:
        place = base / f"turn {next(turn)}"
        with _kept_in(place / "kept"):
            build(BuildOrder(few, place / "out"), jobs)

    one, two, ratio = medians(lambda: built(1), lambda: built(2), 3)
    return Row(f"folders: {_FEW} effects built cold by two processes", two, "s", one, ratio, f"ratio ≥ {_TWO:g}", ratio >= _TWO)


def _told(name: str, value: float, unit: str) -> Row:
    return Row(name, value, unit, None, None, "told", True)


@contextmanager
def _kept_in(place: Path) -> Iterator[None]:
    """What is kept from one time to the next lies somewhere else."""
    before = os.environ.get("XDG_CACHE_HOME")
    os.environ["XDG_CACHE_HOME"] = str(place)
    try:
        yield
    finally:
        if before is None:
            del os.environ["XDG_CACHE_HOME"]
        else:
            os.environ["XDG_CACHE_HOME"] = before


def _built(order: BuildOrder, jobs: int) -> float:
    begun = time.perf_counter()
    build(order, jobs)
    return time.perf_counter() - begun


def _screen(folder: Path) -> Iterator[Row]:
    """What the screen of a thousand effects waits for."""
    _made(folder, _MANY)
    known = FolderIndex(folder)
    begun = time.perf_counter()
    for name in known.list(stamps_in(folder)):
        card = read_card(folder, name)
        known.take(replace(card))
    yield _told(f"folders: {_MANY} effects read for the first time", time.perf_counter() - begun, "s")
    known.keep()
    begun = time.perf_counter()
    again = FolderIndex(folder)
    left = again.list(stamps_in(folder))
    taken = time.perf_counter() - begun
    yield Row(
        f"folders: {_MANY} effects from what is kept", taken, "s", _AT_ONCE, taken / _AT_ONCE, "ratio ≤ 1", taken <= _AT_ONCE and not left
    )
    begun = time.perf_counter()
    hits = sum(found(card, "molten additive") for card in again.cards.values())
    taken = 1000 * (time.perf_counter() - begun)
    yield _told(f"folders: {_MANY} effects searched, {hits} found", taken, "ms")
    taken = _scrolled([card.name for card in again.cards.values()])
    yield Row(
        f"folders: one picture of {_MANY} tiles while scrolling", taken, "ms", _PICTURE, taken / _PICTURE, "ratio ≤ 1", taken <= _PICTURE
    )


def _scrolled(names: list[str]) -> float:
    """Milliseconds of a picture of the tiles while they are scrolled, the median."""
    from PyQt6.QtGui import QImage

    from pale_ember.app import application
    from pale_ember.folder.looking import FRAMES, SIZE
    from pale_ember.studio.effects.tiles import GalleryTile, TileGrid
    from pale_ember.studio.kit.scrolling import Scrolling

    qt = application()
    image = QImage(SIZE[0], SIZE[1] * FRAMES, QImage.Format.Format_RGB888)
    image.fill(0x604030)
    grid = TileGrid("effects", lambda _: image)
    area = Scrolling(grid)
    area.resize(920, 640)
    grid.show_tiles([GalleryTile(name, name, "3 s loop", False, "", FRAMES) for name in names])
    area.show()
    qt.processEvents()
    bar = area.verticalScrollBar()
    assert bar is not None
    taken = []
    for i in range(120):
        begun = time.perf_counter()
        bar.setValue(i * 37)
        qt.processEvents()
        taken.append(1000 * (time.perf_counter() - begun))
    area.hide()
    return sorted(taken)[len(taken) // 2]
