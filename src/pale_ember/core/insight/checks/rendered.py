"""Rules of what is seen when it is drawn."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.trims import scaled
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.finding import Finding, Mend, setting
from pale_ember.core.insight.checks.places import within
from pale_ember.core.texture.light import luminance

_CLIPPED = 250
"""Of 255, from where a channel is white."""
_MUCH = 0.35
"""Share of what shines that may be white."""
_NOTHING = 5
"""Of 255, a difference that nobody sees."""
_ROWS, _LEAST = 60, 3
"""Rows of a small picture, and of a card in it by which its layer is judged."""
_FEW = 12
"""Pixels of a small picture that are worth a word."""


def burnt_out(known: Facts) -> Iterator[Finding]:
    """Much of what shines has lost its hue in white."""
    bright = [layer for layer in known.shown if layer.look.blend in ("additive", "premultiplied", "screen")]
    if known.drawn is None or not bright or not known.looks:
        return
    look = known.fullest()
    picture, ground = known.as_drawn(look), known.as_drawn(replace(look, layers=()))
    painted = np.abs(picture - ground).max(axis=2) > _NOTHING
    shining = painted & (picture.max(axis=2) > 140)
    white = painted & (picture.min(axis=2) >= _CLIPPED)
    if white.sum() < _FEW or white.sum() < _MUCH * max(int(shining.sum()), 1):
        return
    top = max(bright, key=lambda layer: _radiance(known, layer))
    if _hue(known, top) < 0.15:
        return
    share = white.sum() / max(int(shining.sum()), 1)
    said = f"{share:.0%} of what shines is white and has lost its hue: {top.name} is the brightest"
    brightness = scaled(top.birth.brightness, 0.4)
    mends = (
        setting(f"brightness ×{brightness.middle:.3g}", top, ("birth", "brightness"), brightness),
        setting("keep hues on this stage", None, ("stage", "tone"), "hue kept"),
    )
    yield Finding(top.id, ("birth", "brightness"), said, mends, grave=False)


def _radiance(known: Facts, layer: Layer) -> float:
    return sum(float((luminance(colours) * colours[:, 3] * sizes[:, 0] * sizes[:, 1]).sum()) for _, sizes, colours in known.seen(layer))


def _hue(known: Facts, layer: Layer) -> float:
    """How far a layer's colour is from grey."""
    seen = [colours for _, _, colours in known.seen(layer) if len(colours)]
    if not seen:
        return 0.0
    mean = np.concatenate(seen)[:, :3].mean(axis=0)
    return float((mean.max() - mean.min()) / max(mean.max(), 1e-6))


def _large_enough(known: Facts, layer: Layer) -> bool:
    """Whether a small picture from the first view has room for any of a layer."""
    view = known.views[0]
    for places, sizes, _ in known.seen(layer):
        if len(places):
            depth = view.project(places, 1.0, 1.0)[:, 2]
            rows = sizes.min(axis=1) / (2 * np.maximum(depth, 0.05) * view.half_height) * _ROWS
            if bool(((rows > _LEAST) & within(view, places, np.zeros(len(places)))).any()):
                return True
    return False


def _shows_among_others(known: Facts, layer: Layer) -> bool:
    """Whether a layer that covers hides anything of the others, though by itself it is as dark as what is behind it."""
    if known.drawn is None or layer.look.blend not in ("alpha", "multiply", "premultiplied"):
        return False
    look = known.fullest(layer)
    others = replace(look, layers=tuple(each for each in look.layers if each.layer.id != layer.id))
    without, whole = known.as_drawn(others), known.as_drawn(look)
    return bool(np.abs(without - whole).max() > _NOTHING)


def lost_on_the_background(known: Facts) -> Iterator[Finding]:
    """A layer of which nothing is seen on the stage's background."""
    if known.drawn is None:
        return
    ground = None
    for layer in known.shown:
        if layer.look.surface.shimmer > 0 or not _large_enough(known, layer):
            continue
        look = known.fullest(layer)
        if ground is None:
            ground = known.as_drawn(replace(look, layers=()))
        own = tuple(each for each in look.layers if each.layer.id == layer.id)
        alone = known.as_drawn(replace(look, layers=own))
        if np.abs(alone - ground).max() > _NOTHING or _shows_among_others(known, layer):
            continue
        bright = float(ground.mean()) > 150
        mends: tuple[Mend, ...] = (setting("try a dark background", None, ("stage", "background"), "dark"),)
        if bright and layer.look.blend in ("additive", "screen"):
            said = "it only adds light, and this background is as bright: nothing of it is seen"
            mends = (setting("let it cover: premultiplied", layer, ("look", "blend"), "premultiplied"), *mends)
        else:
            said = "nothing of it is seen on this background"
            brighter = scaled(layer.birth.brightness, 4.0)
            mends = (
                setting(f"brightness ×{brighter.middle:.3g}", layer, ("birth", "brightness"), brighter),
                setting("try a light background", None, ("stage", "background"), "light"),
            )
        yield Finding(layer.id, ("look", "blend"), said, mends, grave=False)


RULES = (burnt_out, lost_on_the_background)
