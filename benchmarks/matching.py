"""Choosing among nine, and fitting to a reference: held-out cases, values disturbed and sought again."""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np

from benchmarks.measure import Row
from pale_ember import ASSETS
from pale_ember.core.effect.edit import Path, index_of, value_at, with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.trims import scaled
from pale_ember.core.effect.values import Range
from pale_ember.core.insight.effect_cost import span_of
from pale_ember.core.reference.fit import Free, fitting, target_of
from pale_ember.core.reference.measures import apart, measured
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.variation.nine import nine
from pale_ember.core.variation.vary import Choice
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.small import on_background
from pale_ember.formats.document import load
from pale_ember.formats.shelf import Shelf

_DEMO = ASSETS / "demo"
_NINE = 1.5
"""Seconds in which nine are there."""
_NEAR = 0.05
"""How near a value comes back, or the picture is not told apart."""
_BORN: tuple[Path, ...] = (("birth", "size"), ("birth", "lifetime"), ("birth", "speed"), ("birth", "brightness"), ("birth", "opacity"))
_CASES = (
    ("kiln-mouth", "sparks", 4),
    ("kiln-mouth", "tongues", 4),
    ("kiln-mouth", "smoke", 5),
    ("grindstone-sparks", "", 4),
    ("stack-plume", "", 5),
    ("lamp-oil-blast", "", 4),
    ("eel-lamp-arc", "", 3),
    ("dropped-carboy", "fine dust", 3),
    ("harbour-beacon", "", 3),
    ("rope-store", "", 4),
)


def rows() -> Iterator[Row]:
    """Nine of each demo effect, in this process with its kernels ready; and ten fits, each up to a minute and more."""
    for path in sorted(_DEMO.glob("*.pale")):
        yield _nine(path.stem)
    for case in _CASES:
        yield from _fit(*case)


def _opened(name: str) -> tuple[Effect, Shelf]:
    effect, _ = load(_DEMO / f"{name}.pale")
    return effect, Shelf(_DEMO, effect.recipes)


def _nine(name: str) -> Row:
    effect, shelf = _opened(name)
    with offscreen(shelf.get, shelf.mesh) as renderer:
        draw, taken = on_background(renderer), 0.0
        for seed in (1, 2):  # the first compiles and reads
            begun = time.perf_counter()
            made = nine(effect, draw, shelf.mesh, shelf.density, choice=Choice(), far=0.4, seed=seed, moment=0.6 * effect.duration)
            for count, _ in enumerate(made, 1):
                if count == 9:
                    break
            taken = time.perf_counter() - begun
    return Row(f"matching: nine of {name}", taken, "s", _NINE, taken / _NINE, "ratio ≤ 1", taken <= _NINE)


def _fit(name: str, layer_name: str, many: int) -> list[Row]:
    effect, shelf = _opened(name)
    layer = next((each for each in effect.layers if each.name == layer_name), None) or _largest(effect)
    free = [Free(layer.id, path) for path in _BORN if value_at(layer, path).middle > 0 and value_at(layer, path).middle != 1][:many]
    rng, wrong = np.random.default_rng(len(name) + many), effect
    for each in free:
        path = ("layers", index_of(effect, layer.id), *each.path)
        wrong = with_value(wrong, path, scaled(value_at(wrong, path), float(np.exp(rng.uniform(-0.6, 0.6)))))
    begin, span = span_of(effect)
    times = (np.arange(32) + 0.5) / 32 * (begin + span)
    with offscreen(shelf.get, shelf.mesh) as renderer:
        draw = on_background(renderer)

        def seen(shown: Effect) -> list[np.ndarray]:
            timeline = Timeline(shown, shelf.mesh, shelf.density)
            return [draw(timeline.frame(float(at)), "dark")[..., :3] for at in times]

        frames = seen(effect)
        target, begun = target_of(frames, times, begin + span), time.perf_counter()
        *_, best = fitting(wrong, draw, shelf.mesh, shelf.density, target=target, free=free)
        taken = time.perf_counter() - begun
        told = apart(measured(seen(best.effect), times, begin + span), measured(frames, times, begin + span))
    off = max(abs(_middle(best.effect, each) / _middle(effect, each) - 1) for each in free)
    title = f"matching: {len(free)} values of {layer.name} in {name}"
    return [
        Row(f"{title}, {best.trials} trials", taken, "s", None, None, "told", True),
        Row(
            f"{title}, worst value off, or picture told apart by {len(told)}",
            off,
            "",
            _NEAR,
            off / _NEAR,
            "≤ 0.05 or 0",
            off <= _NEAR or not told,
        ),
    ]


def _largest(effect: Effect) -> Layer:
    """The shown layer of cards that gives most light, about."""
    some = [layer for layer in effect.layers if layer.shown and layer.look.drawn_as == "sprite"]
    return max(some, key=lambda layer: layer.birth.size.middle * layer.birth.brightness.middle * max(layer.outlet.rate.middle, 1.0))


def _middle(effect: Effect, free: Free) -> float:
    value = value_at(effect.layers[index_of(effect, free.layer)], free.path)
    return value.middle if isinstance(value, Range) else float(value)
