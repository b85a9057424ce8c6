"""Rules of looks: pops, sameness, order, light."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.edit import Path, moved_before
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.stage import Sun
from pale_ember.core.effect.trims import scaled
from pale_ember.core.effect.values import Curve, Key, Range, between, sample_keys
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.finding import Finding, Mend, changing, setting
from pale_ember.core.insight.checks.pictures import frames_of
from pale_ember.core.texture.light import luminance

_SHOWS = 40
"""Rows of a game's picture from which a card is seen to pop."""
_POPS = 0.15
"""Opacity that is seen to come or go at once."""
_THIN = 0.8
"""Rows of a game's picture below which a spark flickers between them."""
_MANY = 12
"""Particles among which sameness is seen."""
_COVERS = ("alpha", "premultiplied", "multiply")


def _at_end(curve: Curve | None, at: float) -> float:
    return 1.0 if curve is None else float(sample_keys(curve.keys, np.array([at]))[0])


def pops(known: Facts) -> Iterator[Finding]:
    """A card of some size that comes or goes at once."""
    for layer in known.shown:
        look, life, birth = layer.look, layer.life, layer.birth
        dissolves = look.dissolve.picture and any(lane.drives == "dissolve" for lane in life.more)
        ends_by_itself = layer.contact.meets in ("pass", "bounce") and birth.lifetime.middle < 600
        if look.drawn_as != "sprite" or look.blend == "cut-out" or dissolves or not ends_by_itself:
            continue
        cards = [sizes.max(axis=1) for _, sizes, _ in known.seen(layer) if len(sizes)]
        counts = [each.count for each in known.frames(layer)]
        if cards and max(counts) <= 2 and min(counts) > 0:
            continue  # One takes the place of the other at the same moment.
        high = known.pixels(float(np.median(np.concatenate(cards)))) if cards else 0.0
        if high < _SHOWS:
            continue
        flows = layer.outlet.rate.most > 0 and look.blend in _COVERS
        for end, when in ((1.0, "dies"), (0.0, "is born")):
            shows = birth.opacity.middle * _at_end(life.opacity, end) * min(_at_end(life.size, end), 1.0)
            shows *= _frame_shows(known, layer, end) if shows >= _POPS else 1.0
            if look.blend not in ("alpha", "multiply"):
                shows *= min(_at_end(life.brightness, end), 1.0) * _gradient_end(layer, end)
            if shows < _POPS or (end == 0.0 and not flows):
                continue
            said = f"a card {high:.0f} pixels high {when} while it shows by {shows:.0%}, all that fades it together: it pops"
            yield Finding(layer.id, ("life", "opacity"), said, (_faded(layer, end),))


def _frame_shows(known: Facts, layer: Layer, end: float) -> float:
    """How strong the frame of a sheet is that is shown at an end, against the strongest."""
    look = layer.look
    if look.play != "over life" or look.columns * look.rows == 1 or known.picture(look.picture) is None:
        return 1.0
    seen = known.of_picture(look.picture, _strengths, look.rows, look.columns)
    return float(seen[-1 if end else 0] / max(float(seen.max()), 1e-4))


def _strengths(pixels: np.ndarray, rows: int, columns: int) -> np.ndarray:
    """(f,) how strong each frame of a sheet is at its brightest."""
    cells = frames_of(pixels, rows, columns)
    return (cells[..., 3] * cells[..., :3].max(axis=3)).reshape(len(cells), -1).max(axis=1)


def _gradient_end(layer: Layer, at: float) -> float:
    colours = layer.life.colour
    if colours is None or not colours.stops:
        return 1.0
    return min(max((colours.stops[-1] if at >= 1 else colours.stops[0]).colour), 1.0)


def _faded(layer: Layer, end: float) -> Mend:
    """The mend that lets opacity come over the first fifth, or go over the last third."""
    curve = layer.life.opacity or Curve()
    if end == 0.0:
        kept = [key for key in curve.keys if key.at > 0.2] or [Key(at=1.0, value=_at_end(curve, 1.0))]
        keys = (Key(at=0.0, value=0.0), Key(at=0.2, value=_at_end(curve, 0.2)), *kept)
        return setting("fade in over the first fifth", layer, ("life", "opacity"), replace(curve, keys=keys))
    kept = [key for key in curve.keys if key.at < 0.65] or [Key(at=0.0, value=_at_end(curve, 0.0))]
    keys = (*kept, Key(at=0.65, value=_at_end(curve, 0.65)), Key(at=1.0, value=0.0))
    return setting("fade out over the last third", layer, ("life", "opacity"), replace(curve, keys=keys))


def all_the_same(known: Facts) -> Iterator[Finding]:
    """Most of the living have one frame, one angle, one size and one way: it looks mechanical."""
    for layer in known.shown:
        birth, look = layer.birth, layer.look
        if look.drawn_as != "sprite" or look.facing in ("along motion", "flat") or look.play == "one at random":
            continue
        if not (birth.angle.fixed and birth.spin.fixed and birth.size.fixed) or known.peak(layer) < _MANY:
            continue
        varied = {lane.drives for lane in layer.life.more}
        if {"angle", "spin", "size"} & varied or look.surface.scatter or look.dissolve.picture:
            continue
        if known.picture(look.picture) is not None and known.of_picture(look.picture, _is_round):
            continue
        fullest = max(known.frames(layer), key=lambda each: each.count)
        speed = np.linalg.norm(fullest.velocity, axis=1, keepdims=True)
        way = (fullest.velocity / np.maximum(speed, 1e-6)).mean(axis=0)
        if fullest.count < _MANY or float(np.linalg.norm(way)) < 0.97:
            continue
        said = f"{fullest.count} at once have the same angle, size and way: it looks mechanical"
        mends = (
            setting("every angle", layer, ("birth", "angle"), between(-180.0, 180.0)),
            setting("sizes ±25 %", layer, ("birth", "size"), _around(birth.size)),
        )
        yield Finding(layer.id, ("birth", "angle"), said, mends, grave=False)


def _around(value: Range) -> Range:
    return between(round(0.75 * value.middle, 4), round(1.25 * value.middle, 4))


def _is_round(picture: np.ndarray) -> bool:
    """Whether a picture looks the same when it is turned by a quarter."""
    if picture.shape[0] != picture.shape[1]:
        return False
    seen = picture[..., 3] * picture[..., :3].max(axis=2)
    return float(np.abs(seen - np.rot90(seen)).mean()) < 0.04 * max(float(seen.mean()), 1e-4)


def too_thin(known: Facts) -> Iterator[Finding]:
    """Sparks that a game's picture has no room for."""
    for layer in known.shown:
        if layer.look.drawn_as not in ("sprite", "ribbon"):
            continue
        widths = [sizes[:, 0] for _, sizes, _ in known.seen(layer) if len(sizes)]
        if not widths:
            continue
        width = float(np.median(np.concatenate(widths)))
        wide = known.pixels(width)
        if 0 < wide < _THIN:
            game, by = known.effect.stage.game, 1.2 / wide
            size = scaled(layer.birth.size, by)
            said = f"it is {wide:.2g} pixels wide where the game looks from, {game.distance:.3g} m away: it will flicker"
            mend = setting(f"{1000 * size.middle:.2g} mm wide", layer, ("birth", "size"), size)
            yield Finding(layer.id, ("birth", "size"), said, (mend,), grave=False)


def layers_alike(known: Facts) -> Iterator[Finding]:
    """Two layers that look and move the same."""
    for i, layer in enumerate(known.shown):
        for other in known.shown[:i]:
            same = all(getattr(layer, name) == getattr(other, name) for name in ("look", "birth", "life", "forces"))
            if not same or layer.shares or layer.outlet.shape != other.outlet.shape or layer.place != other.place:
                continue
            said = f"it looks and moves like {other.name}: one layer would do"
            hidden = setting("hide it", layer, ("shown",), False)
            both = replace(layer.outlet, rate=other.outlet.rate) == other.outlet and layer.id not in known.feeds
            joins = both and layer.outlet.rate.most > 0
            mends = (_one_for_both(other, layer), hidden) if joins else (hidden,)
            yield Finding(layer.id, ("look",), said, mends, grave=False)
            break


def _one_for_both(kept: Layer, hidden: Layer) -> Mend:
    """The mend that lets one of two layers that are alike do for both."""
    ours, theirs = kept.outlet.rate, hidden.outlet.rate
    rate = Range(low=ours.low + theirs.low, high=ours.high + theirs.high)
    steps = setting("", kept, ("outlet", "rate"), rate), setting("", hidden, ("shown",), False)
    return Mend(f"{kept.name} for both", lambda effect: steps[1].change(steps[0].change(effect)))


def _drawn_before(layer: Layer, other: Layer) -> Mend:
    """The mend that draws one layer before another."""
    name = f"draw it before {other.name}"
    if layer.look.order > other.look.order:
        return setting(name, layer, ("look", "order"), other.look.order - 1)
    return Mend(name, lambda effect: moved_before(effect, (layer.id,), other.id))


def wrong_order(known: Facts) -> Iterator[Finding]:
    """Cards that cover each other as they were born, where their colours differ."""
    for layer in known.shown:
        look = layer.look
        if look.blend not in ("alpha", "premultiplied") or look.stacking != "as born" or look.drawn_as != "sprite":
            continue
        frames = [each for each in known.frames(layer) if each.count >= 6]
        if not frames:
            continue
        fullest = max(frames, key=lambda each: each.count)
        bright = luminance(fullest.colour)[fullest.colour[:, 3] > 0.1]
        reach = 0.5 * float(np.median(fullest.size[:, 0])) if len(bright) else 0.0
        spread = float(np.ptp(fullest.position, axis=0).max())
        varied = len(bright) > 5 and float(np.ptp(bright)) > 0.3 * max(float(bright.max()), 1e-3)
        if varied and fullest.count * reach > 0.5 * spread:
            said = "cards that cover each other are drawn as they were born: far ones show over near ones"
            mend = setting("near on top", layer, ("look", "stacking"), "near on top")
            yield Finding(layer.id, ("look", "stacking"), said, (mend,), grave=False)


def dark_over_bright(known: Facts) -> Iterator[Finding]:
    """What darkens is drawn after what shines, and dulls it."""
    boxes = {layer.id: _box(known, layer) for layer in known.shown}
    order = sorted(known.shown, key=lambda layer: layer.look.order)
    for i, layer in enumerate(order):
        box = boxes[layer.id]
        if box is None or layer.look.blend not in _COVERS or box[2] > 0.08 or box[3] < 0.2:
            continue
        for other in order[:i]:
            shining = boxes[other.id]
            if shining is None or other.look.blend != "additive" or shining[2] < 1.0:
                continue
            low, high = np.maximum(box[0], shining[0]), np.minimum(box[1], shining[1])
            shared = float(np.prod(np.maximum(high - low, 0)))
            if shared > 0.5 * float(np.prod(np.maximum(shining[1] - shining[0], 1e-6))):
                said = f"it is dark and drawn over {other.name}, which it dulls"
                yield Finding(layer.id, ("look", "order"), said, (_drawn_before(layer, other),), grave=False)
                break


def _box(known: Facts, layer: Layer) -> tuple[np.ndarray, np.ndarray, float, float] | None:
    """The box around most of what is seen of a layer, (3,) and (3,) m; how bright it is, and how opaque."""
    seen = [each for each in known.seen(layer) if len(each[0])]
    if not seen:
        return None
    places, sizes, colours = (np.concatenate([each[k] for each in seen]) for k in range(3))
    half = 0.5 * float(np.median(sizes))
    bright = luminance(colours) * (1.0 - layer.look.light.lit) if layer.look.light.lit < 1 else np.ones(len(colours))
    return (
        np.percentile(places, 10, axis=0) - half,
        np.percentile(places, 90, axis=0) + half,
        float(np.percentile(bright, 90)),
        float(np.median(colours[:, 3])),
    )


def light_without_a_use(known: Facts) -> Iterator[Finding]:
    """What is to give light with nothing to fall on, or to take it where none is."""
    stage = known.effect.stage
    lit = [layer for layer in known.shown if layer.look.light.lit > 0]
    falls = stage.ground or stage.figure or any(prop.shown for prop in stage.props) or lit
    casting = [
        layer for layer in known.shown if layer.look.light.casts > 0 and layer.look.blend in ("additive", "premultiplied", "screen")
    ]
    for layer in known.shown:
        casts = layer.look.light.casts
        if casts > 1 and not falls and layer in casting:
            said = f"it casts light ×{casts:.3g}, but there is nothing that it falls on"
            mends = (
                setting("show the ground", None, ("stage", "ground"), True),
                setting("cast none", layer, ("look", "light", "casts"), 0.0),
            )
            yield Finding(layer.id, ("look", "light", "casts"), said, mends, grave=False)
    dark = stage.sun.power <= 0 and stage.sun.sky <= 0 and not any(lamp.power > 0 for lamp in stage.lamps)
    for layer in lit:
        if dark and not [other for other in casting if other.id != layer.id] and layer.look.light.self_lit <= 0:
            said = "it takes its light from the stage, and the stage has none"
            mends = (
                setting("a sun and a sky", None, ("stage", "sun"), Sun()),
                setting("shine by itself", layer, ("look", "light", "lit"), 0.0),
            )
            yield Finding(layer.id, ("look", "light", "lit"), said, mends)


def dissolves_nothing(known: Facts) -> Iterator[Finding]:
    """Half of a dissolve: a picture without an amount, or a lane without a picture."""
    for layer in known.shown:
        worn, driven = layer.look.dissolve, any(lane.drives == "dissolve" for lane in layer.life.more)
        path: Path = ("look", "dissolve", "amount")
        if worn.picture and worn.amount <= 0 and not driven:
            yield Finding(
                layer.id,
                path,
                "dissolve is 0, so its picture dissolves nothing",
                (setting("dissolve half", layer, path, 0.5), setting("no dissolve picture", layer, ("look", "dissolve", "picture"), "")),
                grave=False,
            )
        elif driven and not worn.picture:

            def without(layer: Layer) -> Layer:
                more = tuple(lane for lane in layer.life.more if lane.drives != "dissolve")
                return replace(layer, life=replace(layer.life, more=more))

            yield Finding(
                layer.id,
                ("look", "dissolve", "picture"),
                "a lane drives dissolve, but there is no dissolve picture",
                (
                    setting("dissolve by clouds", layer, ("look", "dissolve", "picture"), "library:clouds"),
                    changing("no such lane", layer, without),
                ),
            )


def no_vectors(known: Facts) -> Iterator[Finding]:
    """Frames that are to be carried along vectors that are not there."""
    for layer in known.shown:
        look = layer.look
        if look.drawn_as == "sprite" and look.between == "along vectors" and not look.vectors:
            said = "frames are to be carried along vectors, but no sheet of vectors is chosen: they are mixed"
            yield Finding(layer.id, ("look", "vectors"), said, (setting("mix them", layer, ("look", "between"), "mixed"),))


def trail_without_length(known: Facts) -> Iterator[Finding]:
    """A trail that is drawn and cannot be seen."""
    for layer in known.shown:
        ribbon = layer.look.ribbon
        if layer.look.trails and (ribbon.length <= 0 or ribbon.width <= 0):
            name, plain = ("length", 0.3) if ribbon.length <= 0 else ("width", 0.5)
            path = ("look", "ribbon", name)
            mends = (setting(f"a {name} of {plain}", layer, path, plain), setting("no trail", layer, ("look", "trail"), False))
            yield Finding(layer.id, path, f"its trail has no {name}, so that nothing of it is seen", mends)


RULES = (
    trail_without_length,
    pops,
    all_the_same,
    too_thin,
    layers_alike,
    wrong_order,
    dark_over_bright,
    light_without_a_use,
    dissolves_nothing,
    no_vectors,
)
