"""Thinning: the fewest particles with which an effect still looks as it does."""

from __future__ import annotations

import functools
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.trims import scaled, trimmed
from pale_ember.core.effect.values import Range, fixed
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.effect_cost import span_of
from pale_ember.core.insight.unseen_ends import dark_end, with_shorter_lives
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.timeline import Timeline, built_in, even_density
from pale_ember.core.texture.light import luminance, to_linear

MOMENTS, SEEDS = 6, 2
"""Moments and seeds over which a look is judged."""
BACKGROUNDS = ("dark", "light")

ALIKE, HUE, GRAIN, AREA = 0.97, 0.05, 0.02, 0.1
"""What nobody tells apart: structural similarity of at least so much, changes of the mean colour in linear light, of how uneven it is
from moment to moment, in coded light, and of how much of the picture is touched."""
_DICE = 0.75
"""How much of what another roll of the dice changes may be told apart as well: of two halves of what is seen, each of which differs more
by chance than the whole."""
_WIDEST = 1.2
"""How many times its bound that is at most."""
_TOUCHED = 0.03
"""Coded light by which a pixel differs from the background where something is on it."""
SHARES = (1.0, 0.85, 0.7, 0.58, 0.48, 0.4, 0.32, 0.26, 0.2)
"""Shares of the particles that are tried, one after the other."""
GROWTHS = (0.25, 0.0)
"""Powers by which particles grow instead of those that are gone: area by the root, or not at all, where they lie so densely that
their outline is what shows."""
_DECIDED = 0.7
"""The share at which it is decided how they grow."""
_TOO_FAR = 2.2
"""How many times the bound a difference may be before nothing smaller is tried."""
_UNEVEN = 0.02
"""Share of the mean light from which what is left is made stronger or weaker."""
_FEWEST = 3
"""Particles at once below which a layer is not thinned."""

Draw = Callable[..., np.ndarray]
"""Draws a Frame on a background, from a camera if one is told: (h, w, 4) uint8, coded."""


@dataclass(frozen=True, slots=True, eq=False)
class Appearance:
    """How something looks on each of the backgrounds, over moments and seeds.

    mean, uneven : (b, h, w, 3) coded, 0 to 1, the mean picture and how far pictures are from it. light : (b, 3) the mean linear
    colour that it adds or takes. area : (b, 2) the share of a picture that is touched, on
    average and in the emptier half of them.
    """

    mean: np.ndarray
    uneven: np.ndarray
    light: np.ndarray
    area: np.ndarray


@dataclass(frozen=True, slots=True)
class PictureDifference:
    """How far two looks are from each other. alike : structural similarity of the mean pictures. hue : change of the mean linear colour,
    area : of what is touched, as shares. grain : change of unevenness, coded."""

    alike: float = 1.0
    hue: float = 0.0
    grain: float = 0.0
    area: float = 0.0

    def against(self, dice: PictureDifference) -> float:
        """The largest of them against its bound, widened by what dice alone change; up to 1 nobody tells the two apart."""
        told = (
            (1 - self.alike, 1 - dice.alike, 1 - ALIKE),
            (self.hue, dice.hue, HUE),
            (self.grain, dice.grain, GRAIN),
            (self.area, dice.area, AREA),
        )
        return max(now / max(bound, min(_DICE * chance, _WIDEST * bound)) for now, chance, bound in told)


@dataclass(frozen=True, slots=True, eq=False)
class ThinnedEffect:
    """An effect with a share of the particles. most : how many live at once. apart : how far it is from as it was, and difference the
    same against its bound: up to 1 nobody tells the two apart. change : (h, w, 3) 0 to 1, how far its mean picture is from that, coded,
    on the background that shows it more."""

    share: float
    most: int
    effect: Effect
    apart: PictureDifference = PictureDifference()
    difference: float = 0.0
    change: np.ndarray | None = None


def with_fewer(effect: Effect, identities: Collection[str], share: float, strength: float = 1.0, growth: float = GROWTHS[0]) -> Effect:
    """`effect` with a share of the births of some layers, each particle larger and stronger instead: size by that power of what is
    lost, and the rest by opacity, or by brightness where light is added. strength : factor on that rest."""
    thin = trimmed(effect, "density", share, identities)
    layers = []
    for before, layer in zip(effect.layers, thin.layers, strict=True):
        if layer.id in identities:
            layer = _stronger(_with_one_at_least(before, layer), share, strength, growth)
        rules = tuple(
            replace(rule, chance=rule.chance * share) if rule.layer in identities and _only_fed(effect, rule.layer) else rule
            for rule in layer.offspring.rules
        )
        if rules != layer.offspring.rules:
            layer = replace(layer, offspring=replace(layer.offspring, rules=rules))
        layers.append(layer)
    return replace(thin, layers=tuple(layers))


def _with_one_at_least(before: Layer, layer: Layer) -> Layer:
    """A thinned layer in which no burst came to nothing."""
    bursts = tuple(
        replace(burst, count=fixed(1)) if burst.count.most < 1 <= old.count.most else burst
        for old, burst in zip(before.outlet.bursts, layer.outlet.bursts, strict=True)
    )
    return replace(layer, outlet=replace(layer.outlet, bursts=bursts))


def _only_fed(effect: Effect, identity: str) -> bool:
    """Whether a layer is born of rules alone."""
    outlet = next(layer.outlet for layer in effect.layers if layer.id == identity)
    return outlet.rate.most <= 0 and not outlet.bursts and outlet.per_metre <= 0


def _stronger(layer: Layer, share: float, strength: float, growth: float) -> Layer:
    grown = share**-growth
    lost = strength * share ** (2 * growth - 1)
    birth, adds = layer.birth, layer.look.blend in ("additive", "premultiplied", "screen")
    if layer.look.blend == "cut-out" or layer.look.drawn_as != "sprite":
        return layer
    if adds:
        return replace(layer, birth=replace(birth, size=scaled(birth.size, grown), brightness=scaled(birth.brightness, lost)))
    told = birth.opacity
    opacity = Range(
        low=_covering(told.low, lost), high=_covering(told.high, lost), choices=tuple(_covering(each, lost) for each in told.choices)
    )
    return replace(layer, birth=replace(birth, size=scaled(birth.size, grown), opacity=opacity))


def _covering(opacity: float, times: float) -> float:
    """The opacity of one card that covers as so many of an opacity laid over each other."""
    return round(1 - (1 - min(max(opacity, 0.0), 0.999)) ** times, 6)


def seen_of(effect: Effect, identities: Collection[str], timelines: Sequence[Timeline], draw: Draw) -> list[np.ndarray]:
    """How some layers look, alone: on each background (n + 1, h, w, 3) uint8 coded pictures, the last without them. timelines : one
    for each seed, whose pictures follow each other; they take over what did not change."""
    shown = _with_children(effect, identities)
    hidden = frozenset(layer.id for layer in effect.layers) - shown
    begin, span = span_of(effect)
    frames = []
    for k, timeline in enumerate(timelines):
        timeline.update(with_value(effect, ("seed",), effect.seed + k))
        for moment in begin + span * (np.arange(MOMENTS) + 0.5) / MOMENTS:
            frames.append(timeline.frame(float(moment), hidden=hidden))
    frames.append(Frame(frames[0].effect, 0.0, 0, ()))
    return [np.stack([draw(frame, at)[..., :3] for frame in frames]) for at in BACKGROUNDS]


@functools.cache
def _linear() -> np.ndarray:
    """(256,) float32 the light of each code; read-only."""
    light = to_linear(np.arange(256) / 255).astype(np.float32)
    light.setflags(write=False)
    return light


def look_of(pictures: Sequence[np.ndarray], part: slice = slice(None)) -> Appearance:
    """What pictures, as of `seen_of`, have in common; of a part of them."""
    from scipy import ndimage

    means, unevens, lights, areas = [], [], [], []
    linear = _linear()
    for each in pictures:
        light = linear[each[:-1][part]] - linear[each[-1]]
        some, empty = (codes.astype(np.float32) / 255 for codes in (each[:-1][part], each[-1]))
        means.append(some.mean(axis=0))
        # How grain looks is judged as an eye does: what lies close together is taken together.
        unevens.append(ndimage.gaussian_filter(some.std(axis=0), (1.5, 1.5, 0)))
        lights.append(light.mean(axis=(0, 1, 2)))
        red, green, blue = np.moveaxis(np.abs(some - empty), 3, 0)
        touched = np.sort((np.maximum(np.maximum(red, green), blue) > _TOUCHED).mean(axis=(1, 2)))
        areas.append((touched.mean(), touched[: max(len(touched) // 2, 1)].mean()))
    return Appearance(np.stack(means), np.stack(unevens), np.stack(lights), np.array(areas))


def dice_of(pictures: Sequence[np.ndarray]) -> PictureDifference:
    """How far pictures, as of `seen_of`, of one seed are from those of the other."""
    return told_apart(look_of(pictures, slice(0, MOMENTS)), look_of(pictures, slice(MOMENTS, None)))


def _with_children(effect: Effect, identities: Collection[str]) -> set[str]:
    """Layers, and all that they spawn."""
    shown = set(identities)
    while True:
        more = {rule.layer for layer in effect.layers if layer.id in shown for rule in layer.offspring.rules} - shown
        if not more:
            return shown
        shown |= more


def similarity(one: np.ndarray, other: np.ndarray) -> float:
    """Structural similarity of two pictures (h, w), 0 to 1, of which 1 is the same (Z. Wang et al., Image quality assessment: from
    error visibility to structural similarity, IEEE Transactions on Image Processing 13, 2004), where either is not empty."""
    from scipy import ndimage

    width, c1, c2 = 1.5, 0.01**2, 0.03**2
    mean_a, mean_b = (ndimage.gaussian_filter(each, width) for each in (one, other))
    var_a = ndimage.gaussian_filter(one * one, width) - mean_a**2
    var_b = ndimage.gaussian_filter(other * other, width) - mean_b**2
    both = ndimage.gaussian_filter(one * other, width) - mean_a * mean_b
    alike = (2 * mean_a * mean_b + c1) * (2 * both + c2) / ((mean_a**2 + mean_b**2 + c1) * (var_a + var_b + c2))
    return float(alike.mean())


def told_apart(before: Appearance, after: Appearance) -> PictureDifference:
    """How far two looks are from each other."""
    alike, grain = 1.0, 0.0
    for k in range(len(before.mean)):
        alike = min(alike, similarity(luminance(before.mean[k]), luminance(after.mean[k])))
        touched = (before.uneven[k].max(axis=2) > 0.004) | (after.uneven[k].max(axis=2) > 0.004)
        if touched.any():
            change = (after.uneven[k] - before.uneven[k])[touched]
            grain = max(grain, float(np.sqrt((change**2).mean())))
    hue = float(np.abs(after.light - before.light).max() / max(float(np.abs(before.light).max()), 1e-5))
    area = float((np.abs(after.area - before.area) / np.maximum(before.area, 1e-4)).max())
    return PictureDifference(alike, hue, grain, area)


def _change(before: Appearance, after: Appearance) -> np.ndarray:
    """(h, w, 3) how far the mean pictures are from each other, coded, on whichever background more."""
    changes = np.abs(after.mean - before.mean)
    return changes[int(changes.mean(axis=(1, 2, 3)).argmax())]


def thinning(
    effect: Effect,
    identities: Collection[str],
    draw: Draw,
    mesh: Callable[[str], Mesh] = built_in,
    density: Callable[[str], Any] = even_density,
) -> Iterator[ThinnedEffect]:
    """An effect with fewer and fewer particles of some layers, from as it is on, until the difference is plain."""
    timelines = [Timeline(with_value(effect, ("seed",), effect.seed + k), mesh, density) for k in range(SEEDS)]
    pictures = seen_of(effect, identities, timelines, draw)
    before = look_of(pictures)
    dice = dice_of(pictures)
    most = _most(timelines[0], identities)
    yield ThinnedEffect(1.0, most, effect)
    if most < _FEWEST:
        return
    effect = _without_dark_ends(effect, identities)
    strengths = dict.fromkeys(GROWTHS, 1.0)
    for share in SHARES[1:]:
        tried: list[tuple[float, ThinnedEffect]] = []
        for growth in list(strengths):
            fewer = with_fewer(effect, identities, share, strengths[growth], growth)
            after = look_of(seen_of(fewer, identities, timelines, draw))
            better = _balanced(before, after)
            if abs(better - 1) > _UNEVEN:
                strengths[growth] = min(max(strengths[growth] * better, 0.5), 2.0)
                fewer = with_fewer(effect, identities, share, strengths[growth], growth)
                after = look_of(seen_of(fewer, identities, timelines, draw))
            apart = told_apart(before, after)
            most = _most(timelines[0], identities)
            change = _change(before, after)
            tried.append((growth, ThinnedEffect(share, most, fewer, apart, apart.against(dice), change)))
        growth, result = min(tried, key=lambda each: each[1].difference)
        if share <= _DECIDED:
            strengths = {growth: strengths[growth]}
        yield result
        if result.difference > _TOO_FAR or result.most < _FEWEST:
            return


def _without_dark_ends(effect: Effect, identities: Collection[str]) -> Effect:
    """`effect` in which particles of some layers end where nothing is seen of them any more."""
    layers = tuple(
        with_shorter_lives(layer, late) if layer.id in identities and (late := dark_end(layer)) else layer for layer in effect.layers
    )
    return replace(effect, layers=layers)


def _balanced(before: Appearance, after: Appearance) -> float:
    """By how much what is left must be stronger so that the mean light is as before, on whichever background shows it more."""
    k = int(np.abs(before.light).max(axis=1).argmax())
    was, now = float(np.abs(before.light[k]).sum()), float(np.abs(after.light[k]).sum())
    return was / now if now > 1e-7 else 1.0


def _most(timeline: Timeline, identities: Collection[str]) -> int:
    """The most of some layers that live at once, by the loop as far as it is known, and all of that."""
    while not timeline.explore(60_000):
        pass
    return int(sum(timeline.alive(identity) for identity in identities).max(initial=0))  # type: ignore[union-attr]


def fewest(results: Sequence[ThinnedEffect]) -> ThinnedEffect:
    """The fewest particles that nobody tells from as it was: the last before the first that differs."""
    best = results[0]
    for result in results[1:]:
        if result.difference > 1:
            break
        best = result
    return best


def thinned_throughout(
    effect: Effect, draw: Draw, mesh: Callable[[str], Mesh] = built_in, density: Callable[[str], Any] = even_density
) -> Iterator[ThinnedEffect]:
    """An effect whose layers are thinned one after the other, each as far as nobody tells it; after each layer what there is so far."""
    whole = Timeline(effect, mesh, density)
    shown = [layer.id for layer in effect.layers if layer.shown]
    total = _most(whole, shown)
    apart, difference, change = PictureDifference(), 0.0, None
    yield ThinnedEffect(1.0, total, effect)
    for identity in shown:
        best = fewest(list(thinning(effect, [identity], draw, mesh, density)))
        effect, difference = best.effect, max(difference, best.difference)
        apart = PictureDifference(
            min(apart.alike, best.apart.alike),
            max(apart.hue, best.apart.hue),
            max(apart.grain, best.apart.grain),
            max(apart.area, best.apart.area),
        )
        if best.change is not None:
            change = best.change if change is None else np.maximum(change, best.change)
        whole.update(effect)
        most = _most(whole, shown)
        yield ThinnedEffect(most / max(total, 1), most, effect, apart, difference, change)
