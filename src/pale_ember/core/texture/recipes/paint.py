"""Recipes painted: step after step, frame after frame, laid out as a sheet."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.sources import Gas, Paint
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.effect.values import sample_keys
from pale_ember.core.texture.recipes.canvas import Canvas, coloured, from_planes, planes_of, tones_of
from pale_ember.core.texture.recipes.changes import CHANGES
from pale_ember.core.texture.recipes.cut import laid_out
from pale_ember.core.texture.recipes.shapes import SHAPES
from pale_ember.core.texture.recipes.sources import SOURCES
from pale_ember.core.texture.recipes.strokes import paint as strokes

_PAINTERS: dict[type[Step], Callable[[Any, Canvas], np.ndarray]] = {**SHAPES, **SOURCES}
_WORKERS: dict[type[Step], Callable[[Any, Canvas, np.ndarray], np.ndarray]] = {**CHANGES, Paint: strokes}

NUMBERS = (int, float)
_KEPT = 12 * 2**20
"""Pixels of states that are kept between two paintings, so that a change further on begins where it is."""

Pictures = Callable[[str], np.ndarray]
Gases = Callable[[Gas, int, bool, int], np.ndarray]


def no_gas(gas: Gas, frames: int, loop: bool, size: int) -> np.ndarray:
    """Stands in for a gas where none is simulated: nothing is seen."""
    return np.zeros((1, size, size, 4), np.float32)


def numbers_of(step: Step | type[Step]) -> list[str]:
    """The numbers of a step that may change over its frames."""
    kind = step if isinstance(step, type) else type(step)
    return [name for name, declared in fields_of(kind).items() if declared.type in NUMBERS and not declared.field.hidden]


def step_at(step: Step, t: float) -> Step:
    """A step as it is at a share of its sheet, 0 to 1: numbers with a lane have its value, within what they may be."""
    values = {}
    for lane in step.lanes:
        declared = fields_of(type(step)).get(lane.drives)
        if declared is None or declared.type not in NUMBERS:
            continue
        value = float(sample_keys(lane.curve.keys, np.array([t]))[0])
        field = declared.field
        value = max(value, field.least) if field.least is not None else value
        value = min(value, field.most) if field.most is not None else value
        values[lane.drives] = round(value) if declared.type is int else value
    return replace(step, **values) if values else step


def _as_picture(state: np.ndarray, mode: str) -> np.ndarray:
    """Tones as a picture that mixes as they do: white light where light is laid on, else grey that covers wholly."""
    if state.ndim == 3:
        return state
    tones = np.clip(state, 0, 1)
    light = mode in ("over", "add", "lighter")
    return coloured(np.ones_like(tones), tones) if light else coloured(tones, np.ones_like(tones))


def mixed(before: np.ndarray | None, now: np.ndarray, mode: str, amount: float, *, whole: bool) -> np.ndarray:
    """What is there once something joins what was there. whole : it takes the place of all, as a change does."""
    if before is None:
        return now if amount >= 1 else _thinned(now, amount)
    if before.ndim != now.ndim:
        before, now = _as_picture(before, "over"), _as_picture(now, mode)
    tones = before.ndim == 2
    if mode == "over":
        if whole:
            return _shared(before, now, amount)
        if tones:
            return before + amount * now * (1 - before)
        return from_planes(amount * planes_of(now) + planes_of(before) * (1 - amount * now[..., 3]))
    if mode == "mask":
        share = tones_of(now)
        masked = before * share if tones else np.dstack([before[..., :3], before[..., 3] * share]).astype(np.float32)
        return _shared(before, masked, amount)
    if tones:
        return _shared(before, np.maximum(_PLAIN[mode](before, now), 0), amount)
    if mode in ("add", "lighter", "difference"):
        joined = np.maximum(_PLAIN[mode](planes_of(before), planes_of(now)), 0)
        return _shared(before, from_planes(joined), amount)
    joined = before.copy()
    joined[..., :3] = np.maximum(_PLAIN[mode](before[..., :3], now[..., :3]), 0)
    if mode in ("multiply", "darker"):
        joined[..., 3] = _PLAIN[mode](before[..., 3], now[..., 3])
    return _shared(before, joined, amount)


_PLAIN: dict[str, Callable[[np.ndarray, np.ndarray], np.ndarray]] = {
    "add": lambda one, two: one + two,
    "subtract": lambda one, two: one - two,
    "multiply": lambda one, two: one * two,
    "lighter": np.maximum,
    "darker": np.minimum,
    "difference": lambda one, two: np.abs(one - two),
}


def _thinned(state: np.ndarray, amount: float) -> np.ndarray:
    """So much of something, over nothing."""
    if state.ndim == 2:
        return state * np.float32(amount)
    out = state.copy()
    out[..., 3] *= np.float32(amount)
    return out


def _shared(before: np.ndarray, after: np.ndarray, amount: float) -> np.ndarray:
    """By so much the one, else the other."""
    if amount >= 1:
        return after
    if before.ndim == 2:
        return before * (1 - amount) + after * amount
    return from_planes(planes_of(before) * (1 - amount) + planes_of(after) * amount)


def finished(state: np.ndarray, holds: str) -> np.ndarray:
    """(h, w, 4) float32 the picture of a state: what its tones become is told."""
    if state.ndim == 3:
        return state.astype(np.float32)
    tones = np.clip(state, 0, 1)
    if holds == "glow":
        return coloured(np.ones_like(tones), tones)
    return coloured(tones, np.ones_like(tones) if holds == "grey" else tones)


@dataclass(frozen=True, slots=True, eq=False)
class _Kept:
    """A step as it was painted: what it made by itself, unless it was off, and what was there after it."""

    step: Step
    made: np.ndarray | None
    state: np.ndarray


class Painter:
    """Paints recipes, and keeps what it painted on the way: a change to a step begins at that step."""

    def __init__(self, pictures: Pictures, gases: Gases = no_gas) -> None:
        self._pictures, self._gases = pictures, gases
        self._kept: dict[tuple, list[_Kept]] = {}
        self._made: dict[tuple, tuple[np.ndarray, ...]] = {}

    def sheet(self, recipe: Recipe) -> np.ndarray:
        """(rows × size, columns × size, 4) float32, linear and straight."""
        cells = np.stack([self.frame(recipe, k) for k in range(recipe.frames)])
        return laid_out(cells, min(recipe.columns, recipe.frames))

    def frame(self, recipe: Recipe, index: int, size: int = 0) -> np.ndarray:
        """(size, size, 4) float32 one frame, linear and straight."""
        state = self.state(recipe, index, size or recipe.size, len(recipe.steps))
        return finished(state, recipe.holds)

    def state(self, recipe: Recipe, index: int, size: int, count: int) -> np.ndarray:
        """What a frame is after its first `count` steps; tones or a picture. Nothing painted is black."""
        anew = recipe.each == "its own" and recipe.frames > 1
        moment = (0, 1, False, index) if anew else (index, recipe.frames, recipe.loop, 0)
        key = size, index, recipe.frames, recipe.loop, anew
        canvas = Canvas(size, self._pictures, self._gases, *moment, once=lambda name, make: self._once((key, name), make))
        before = self._kept.pop(key, [])
        now: list[_Kept] = []
        state: np.ndarray | None = None
        same = True  # All so far is as it was painted last.
        for k, step in enumerate(recipe.steps[:count]):
            known = before[k] if k < len(before) and _alone(step) else None
            shown = step_at(step, canvas.t)
            if known is None or not step.on:
                made = None
            elif _alike(known.step, shown) and (same or type(step) in _PAINTERS):
                made = known.made
            else:
                made = None
            if same and known is not None and known.step == shown:
                state = known.state
            else:
                same = False
                if step.on:
                    made = _made(state, shown, canvas) if made is None else made
                    state = _joined(state, shown, made, size)
            now.append(_Kept(shown, made, state if state is not None else np.zeros((size, size), np.float32)))
        self._keep(key, now)
        return np.zeros((size, size), np.float32) if state is None else state

    def _once(self, name: tuple, make: Callable[[], tuple[np.ndarray, ...]]) -> tuple[np.ndarray, ...]:
        """Arrays by what they are made of; those that were not asked for the longest go when they are too many."""
        made = self._made.pop(name, None)
        made = self._made[name] = make() if made is None else made
        while len(self._made) > 1 and sum(each.size for arrays in self._made.values() for each in arrays) > _KEPT:
            self._made.pop(next(iter(self._made)))
        return made

    def _keep(self, key: tuple, states: list[_Kept]) -> None:
        if 2 * key[0] ** 2 * len(states) * key[2] > _KEPT:
            return
        self._kept[key] = states
        while sum(2 * len(each) * size[0] ** 2 for size, each in self._kept.items()) > _KEPT:
            self._kept.pop(next(iter(self._kept)))


def _alone(step: Step) -> bool:
    """Whether a step depends on nothing but itself: pictures may have changed meanwhile."""
    return not any(hasattr(step, name) for name in ("picture", "red", "grid"))


def _alike(one: Step, other: Step) -> bool:
    """Whether two steps make the same, whatever becomes of it."""
    return type(one) is type(other) and replace(one, mix=other.mix, amount=other.amount) == other


def _made(state: np.ndarray | None, step: Step, canvas: Canvas) -> np.ndarray:
    """What a step makes, of nothing or of what was there."""
    work = _WORKERS.get(type(step))
    if work is None:
        return _PAINTERS[type(step)](step, canvas)
    return work(step, canvas, np.zeros((canvas.size, canvas.size), np.float32) if state is None else state)


def _joined(state: np.ndarray | None, step: Step, made: np.ndarray, size: int) -> np.ndarray:
    """What is there once that has joined what was there."""
    changes = type(step) in _WORKERS
    before = np.zeros((size, size), np.float32) if state is None and changes else state
    return mixed(before, made, step.mix, step.amount, whole=changes or step.family == "noise")
