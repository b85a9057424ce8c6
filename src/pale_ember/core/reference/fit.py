"""Fitting: values of an effect are sought with which it looks as its reference does.

By covariance matrix adaptation (N. Hansen, The CMA evolution strategy: a tutorial, 2016), each trial seen as the artist will see it.
"""

from __future__ import annotations

import math
import warnings
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.edit import Path, index_of, value_at, with_value
from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.sharing import kept_shared
from pale_ember.core.effect.values import Curve, Gradient, PerAxis, Range, Slope, Tints, from_lab, to_lab
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.thinning import Draw
from pale_ember.core.reference import MATCHES
from pale_ember.core.reference.measures import Frames, Measures, Times, apart, hue_of, measured, sentence
from pale_ember.core.simulate.timeline import Timeline, built_in, even_density
from pale_ember.core.variation.knobs import knobs_of
from pale_ember.core.variation.vary import within

MOMENTS = 8
"""At which each trial is seen."""
TRIALS = 400
_WIDE = 3.0
"""By what factor a number may change, if nobody says."""
_TURN = 60.0
"""Degrees by which an angle may change."""
_SHIFT = 0.12
"""By how much a colour may change, as the eye sees it."""
_FEW_KEYS = 5
"""Keys of a curve that are sought each by itself."""
_CLOSE = 0.002
"""How near it is near enough."""
BACKGROUND = "dark"


@dataclass(frozen=True, slots=True)
class Free:
    """A value that may change. layer : its id. path : below the layer. wide : by what factor at most, up or down."""

    layer: str
    path: Path
    wide: float = _WIDE


@dataclass(frozen=True, slots=True, eq=False)
class Fitted:
    """The best so far. trials : how many were seen. off : how far it is from the reference, 0 for not at all; first : how far the effect
    was. said : what still differs."""

    effect: Effect
    trials: int
    off: float
    first: float
    said: str
    done: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class MatchTarget:
    """What is to be matched: pictures (MOMENTS, h, w, 3) uint8 at moments (MOMENTS,) s, and what is measured of all that there is."""

    pictures: np.ndarray
    times: np.ndarray
    measures: Measures


def target_of(frames: Frames, times: Times, length: float) -> MatchTarget:
    """What pictures of a reference ask for: those nearest to evenly spaced moments count."""
    marks = (np.arange(MOMENTS) + 0.5) / MOMENTS * length
    nearest = np.abs(np.array(times)[None] - marks[:, None]).argmin(axis=1)
    some = np.stack([frames[i] for i in nearest])
    return MatchTarget(some, np.array(times)[nearest], measured(frames, times, length))


def measuring(
    effect: Effect,
    draw: Draw,
    mesh: Callable[[str], Mesh] = built_in,
    density: Callable[[str], Any] = even_density,
    *,
    times: Sequence[float],
    length: float,
) -> Iterator[Measures]:
    """What is measured of an effect at moments, s; in one step, as long work is told."""
    timeline = Timeline(effect, mesh, density)
    yield measured([draw(timeline.frame(float(at)), BACKGROUND)[..., :3] for at in times], times, length)


def fitting(
    effect: Effect, draw: Draw, mesh: Callable[[str], Mesh] = built_in, density: Callable[[str], Any] = even_density, *,
    target: MatchTarget, free: Sequence[Free], matches: Collection[str] = MATCHES, trials: int = TRIALS, seed: int = 1,
) -> Iterator[Fitted]:  # fmt: skip
    """Better and better effects, the last told as done. Raises what `draw` raises."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # it misses a library that draws charts
        import cma

    knobs = [knob for each in free for knob in _knobs(effect, each)]
    timeline = Timeline(effect, mesh, density)

    def seen(trial: Effect) -> tuple[float, Measures]:
        timeline.update(trial)
        pictures = np.stack([draw(timeline.frame(float(at)), BACKGROUND)[..., :3] for at in target.times])
        ours = measured(pictures, target.times, target.measures.length)
        return _off(pictures, ours, target, matches), ours

    def built(at: np.ndarray) -> Effect:
        made = effect
        for knob, x in zip(knobs, at.tolist(), strict=True):
            made = knob(made, x)
        return kept_shared(effect, made)

    first, ours = seen(effect)
    best, off = effect, first
    yield Fitted(effect, 1, first, first, sentence(apart(ours, _thinned(target))))
    if not knobs:
        return
    sides = {"bounds": [-1.0, 1.0], "seed": seed, "verbose": -9, "maxfevals": trials, "tolfun": 1e-5, "tolx": 1e-4}
    # One number alone is sought with a companion that does nothing: the method wants two.
    search = cma.CMAEvolutionStrategy(np.zeros(max(len(knobs), 2)), 0.35, sides)
    count = 1
    while not search.stop() and off > _CLOSE:
        asked, told = search.ask(), []
        for at in asked:
            trial = built(np.asarray(at)[: len(knobs)])
            how, measures = seen(trial)
            count += 1
            told.append(how)
            if how < off:
                best, off, ours = trial, how, measures
        search.tell(asked, told)
        yield Fitted(best, count, off, first, sentence(apart(ours, _thinned(target))))
    yield Fitted(best, count, off, first, sentence(apart(ours, _thinned(target))), done=True)


def _thinned(target: MatchTarget) -> Measures:
    """The reference at the moments at which trials are seen, or they would be compared with what they cannot show."""
    return measured(target.pictures, target.times, target.measures.length)


def _off(pictures: np.ndarray, ours: Measures, target: MatchTarget, matches: Collection[str]) -> float:
    """How far a trial is from the target, as a mean over what is to be matched."""
    theirs, parts = _thinned(target), []
    scale = max(float(np.abs(theirs.light).mean()), 1e-5)
    if "brightness" in matches:
        parts.append(float(np.abs(ours.light - theirs.light).mean()) / scale)
    if "colour" in matches:
        parts.append(2.0 * float(np.linalg.norm(hue_of(ours)[1:] - hue_of(theirs)[1:])) / 0.2)
    if "silhouette" in matches:
        box = np.abs(np.nan_to_num(ours.box) - np.nan_to_num(theirs.box)).mean()
        parts.append(3.0 * float(box) + float(np.abs(ours.area - theirs.area).mean()) / max(float(theirs.area.mean()), 1e-3))
    if "rhythm" in matches:
        one, other = np.diff(ours.light), np.diff(theirs.light)
        parts.append(0.5 * abs(float(one.std()) - float(other.std())) / max(float(other.std()), 0.05 * scale))
    if "picture" in matches:
        parts.append(_unlike(pictures, target.pictures))
    return float(np.mean(parts)) if parts else 0.0


def _unlike(one: np.ndarray, other: np.ndarray) -> float:
    """How far pictures (n, h, w, 3) uint8 are from each other, softly: what is a little aside counts a little."""
    from scipy import ndimage

    ours, theirs = (ndimage.gaussian_filter(each.astype(np.float32), (0, 2, 2, 0)) for each in (one, other))
    floor = float(theirs.min())
    return float(np.abs(ours - theirs).sum() / max(float((theirs - floor).sum()), 1.0))


# Knobs --------------------------------------------------------------------------------------------------------

Turn = Callable[[Effect, float], Effect]
"""An effect with one number of it elsewhere: 0 where it was, -1 and 1 as far as it may go."""


def _knobs(effect: Effect, free: Free) -> list[Turn]:
    """The numbers of a value that may change."""
    layer = effect.layers[index_of(effect, free.layer)]
    field = next((knob.field for knob in knobs_of(layer) if knob.path == free.path), None)
    if field is None:
        return []
    value = value_at(layer, free.path)
    turns = _turns_of(value, field, math.log(free.wide))

    def knob(turn: Callable[[Any, float], Any]) -> Turn:
        def turned(effect: Effect, x: float) -> Effect:
            path = ("layers", index_of(effect, free.layer), *free.path)
            return with_value(effect, path, turn(value_at(effect, path), x))

        return turned

    return [knob(turn) for turn in turns]


def _turns_of(value: Any, field: Field, reach: float) -> list[Callable[[Any, float], Any]]:
    def times(x: float) -> float:
        return math.exp(reach * x)

    def scaled(number: float, x: float) -> float:
        if field.unit.startswith("°") and (field.least is None or field.least < 0):
            return within(number + _TURN * x, field)
        return within(number * times(x), field)

    def grown(one: Range, x: float) -> Range:
        if one.choices:
            return replace(one, choices=tuple(scaled(each, x) for each in one.choices))
        return Range(low=scaled(one.low, x), high=scaled(one.high, x))

    if isinstance(value, Range):
        return [grown]
    if isinstance(value, PerAxis):
        return [lambda told, x: PerAxis(x=grown(told.x, x), y=grown(told.y, x), z=grown(told.z, x))]
    if isinstance(value, Curve):
        return _turns_of_curve(value, times)
    if isinstance(value, (Gradient, Tints)) or field.colour:
        return [lambda told, x, axis=axis: _recoloured(told, axis, x) for axis in range(3)]  # type: ignore[misc]
    if isinstance(value, tuple):
        return [
            lambda told, x, i=i: (*told[:i], scaled(told[i], x), *told[i + 1 :])  # type: ignore[misc]
            for i in range(len(value))
            if value[i]
        ]
    return [scaled]


def _turns_of_curve(value: Curve, times: Callable[[float], float]) -> list[Callable[[Any, float], Any]]:
    """Each of few keys higher or lower, or all together."""
    some = [i for i, key in enumerate(value.keys) if key.value]

    def raised(told: Curve, chosen: Collection[int], x: float) -> Curve:
        by = times(x)
        return Curve(
            keys=tuple(
                replace(key, value=float(f"{key.value * by:.5g}"), slope=Slope(before=key.slope.before * by, after=key.slope.after * by))
                if i in chosen
                else key
                for i, key in enumerate(told.keys)
            )
        )

    if len(some) > _FEW_KEYS:
        return [lambda told, x: raised(told, some, x)]
    return [lambda told, x, i=i: raised(told, (i,), x) for i in some]  # type: ignore[misc]


def _recoloured(told: Any, axis: int, x: float) -> Any:
    """Colours lighter, redder or yellower by a share of what they may be."""
    if isinstance(told, Gradient):
        return replace(told, stops=tuple(replace(stop, colour=_recoloured(stop.colour, axis, x)) for stop in told.stops))
    if isinstance(told, Tints):
        first, second = (_recoloured(each, axis, x) for each in (told.first, told.second))
        return replace(told, first=first, second=second, gradient=told.gradient and _recoloured(told.gradient, axis, x))
    seen = to_lab(np.array([told]))[0]
    if axis == 0:
        seen = seen * math.exp(0.5 * x)
    else:
        seen[axis] += _SHIFT * x * max(seen[0], 0.1)
    return tuple(float(f"{part:.5g}") for part in from_lab(seen[None])[0])
