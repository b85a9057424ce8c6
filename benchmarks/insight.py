"""What the tool knows of an effect: how long its checks take, and thinning."""

from __future__ import annotations

import time
from pathlib import Path

from msgspec.structs import replace

from benchmarks.measure import Row, median
from pale_ember import ASSETS
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.starting_points import started
from pale_ember.core.effect.trims import scaled
from pale_ember.core.insight.checks.facts import Drawn, Facts, Memo
from pale_ember.core.insight.checks.rules import checked
from pale_ember.core.insight.thinning import thinned_throughout
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.small import on_background, small_pictures
from pale_ember.formats.document import load
from pale_ember.formats.shelf import Shelf

_DEMO = ASSETS / "demo"


def rows() -> list[Row]:
    """Measures each in this process, kernels and pictures ready."""
    return [*(_checks(path) for path in sorted(_DEMO.glob("*.pale"))), _hundred(), _thinned()]


def _row(name: str, seconds: float, most: float, unit: str = "ms") -> Row:
    value = seconds * (1000 if unit == "ms" else 1)
    return Row(name, value, unit, most, value / most, "ratio < 1", value < most)


def _seconds(effect: Effect, shelf: Shelf, drawn: Drawn) -> float:
    """What checking takes after an edit of a layer, with all else as it was."""
    timeline = Timeline(effect, shelf.mesh, shelf.density)
    while not timeline.explore(1_000_000):
        pass
    memo: Memo = {}
    at = next(i for i, layer in enumerate(effect.layers) if layer.shown)
    size = effect.layers[at].birth.size
    edits = iter(range(100))

    def edited() -> None:
        other = with_value(effect, ("layers", at, "birth", "size"), scaled(size, 1 + next(edits) / 1000))
        timeline.update(other)
        checked(other, Facts(other, timeline, shelf.get, drawn, memo=memo))

    edited()
    return median(edited, 3)


def _checks(path: Path) -> Row:
    effect, shelf = load(path)[0], Shelf(path.parent)
    with offscreen(shelf.get, shelf.mesh) as renderer:
        return _row(f"checks of the {path.stem.replace('-', ' ')}", _seconds(effect, shelf, small_pictures(renderer)), 150)


def _hundred() -> Row:
    """A hundred layers, each a little different."""
    flame, shelf = started("flame"), Shelf(None)
    layers = tuple(replace(flame, id=f"{i + 1:016x}", name=f"flame {i}", place=(0.01 * i, 0.0, 0.0)) for i in range(100))
    effect = Effect(layers=layers, warm=True)
    with offscreen(shelf.get, shelf.mesh) as renderer:
        return _row("checks of 100 layers", _seconds(effect, shelf, small_pictures(renderer)), 1000)


def _thinned() -> Row:
    path = _DEMO / "kiln-mouth.pale"
    effect, shelf = load(path)[0], Shelf(path.parent)
    with offscreen(shelf.get, shelf.mesh) as renderer:
        draw = on_background(renderer)
        begun = time.perf_counter()
        results = list(thinned_throughout(effect, draw, shelf.mesh, shelf.density))
        spent = time.perf_counter() - begun
    return _row(f"the kiln mouth thinned from {results[0].most} to {results[-1].most}", spent, 20, "s")
