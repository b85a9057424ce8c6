"""What an effect takes up over its time: how many live, where, and what of it is too much for a target."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from pale_ember.core.effect.model import Effect
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.core.simulate.timeline import Timeline

_LOOKS = 60
"""Moments of the effect that are looked at."""
_LONGEST = 60.0
"""Seconds of one that plays once that are looked at."""
_FAINT = 0.004
"""Opacity below which a particle takes up no room."""


@dataclass(slots=True)
class LayerPeak:
    """What a layer takes up. most : particles alive at once. first, last : s, when its first is seen and its last. low,
    high : (3,) m, the box around all of it, NaN where nothing is seen."""

    most: int = 0
    first: float = math.inf
    last: float = -math.inf
    low: np.ndarray = field(default_factory=lambda: np.full(3, np.nan))
    high: np.ndarray = field(default_factory=lambda: np.full(3, np.nan))


@dataclass(frozen=True, slots=True, eq=False)
class EffectCost:
    """layers : by their ids. moments : (n,) s. alive : (n,) all together. low, high : (n, 3) m around all that is seen at
    each moment, NaN where nothing is."""

    layers: dict[str, LayerPeak]
    moments: np.ndarray
    alive: np.ndarray
    low: np.ndarray
    high: np.ndarray

    @property
    def most(self) -> int:
        """The most that live at once."""
        return int(self.alive.max(initial=0))


def seconds_of(effect: Effect) -> float:
    """Real seconds of an effect that are looked at: one loop, or until nothing is left."""
    if effect.loop:
        return effect.duration / effect.tempo
    return min(Forecast(effect).ends_at(), _LONGEST)


def span_of(effect: Effect) -> tuple[float, float]:
    """From when on, s, and for how long an effect is looked at: a loop that begins empty the second time round, when it goes evenly."""
    span = seconds_of(effect)
    return (span if effect.loop and not effect.warm else 0.0), span


def moments_of(effect: Effect, count: int) -> np.ndarray:
    """(count,) s, evenly over what is looked at of an effect; the end of a loop is its beginning."""
    begin, span = span_of(effect)
    return begin + np.linspace(0.0, span, count, endpoint=not effect.loop)


def cost_of(timeline: Timeline, progress: Callable[[float], bool] = lambda share: True) -> EffectCost | None:
    """Runs an effect once and measures it; of a loop the second time round, when it goes evenly. None where `progress`
    said no."""
    effect, (begin, span) = timeline.effect, span_of(timeline.effect)
    moments = np.linspace(0.0, span, _LOOKS, endpoint=not effect.loop)
    layers = {layer.id: LayerPeak() for layer in effect.layers}
    alive = np.zeros(len(moments), np.int64)
    low, high = np.full((len(moments), 3), np.nan), np.full((len(moments), 3), np.nan)
    for i, moment in enumerate(moments.tolist()):
        if not progress(i / len(moments)):
            return None
        counts: dict[str, int] = {}
        for shown in timeline.frame(begin + moment).layers:
            counts[shown.layer.id] = counts.get(shown.layer.id, 0) + shown.count
            box = _box(shown)
            if box is None:
                continue
            taken = layers[shown.layer.id]
            taken.first, taken.last = min(taken.first, moment), max(taken.last, moment)
            taken.low, taken.high = np.fmin(taken.low, box[0]), np.fmax(taken.high, box[1])
            low[i], high[i] = np.fmin(low[i], box[0]), np.fmax(high[i], box[1])
        for identity, count in counts.items():
            layers[identity].most = max(layers[identity].most, count)
        alive[i] = sum(counts.values())
    return EffectCost(layers, moments, alive, low, high)


def _box(shown: LayerFrame) -> tuple[np.ndarray, np.ndarray] | None:
    """(3,) and (3,) m: the box around what is seen of a layer."""
    if shown.strips is not None and len(shown.strips.point):
        places, half = shown.strips.point.astype(float), 0.5 * shown.strips.width[:, None].astype(float)
    elif shown.count:
        seen = (shown.colour[:, 3] > _FAINT) & (shown.size[:, 0] > 0)
        if not seen.any():
            return None
        # A card may be turned any way: half its diagonal lies around it, and its streak.
        reach = 0.5 * np.linalg.norm(shown.size[seen, :2].astype(float), axis=1)
        reach = reach + 0.5 * shown.layer.look.streak.most * np.linalg.norm(shown.velocity[seen], axis=1)
        places, half = shown.position[seen].astype(float), reach[:, None]
    else:
        return None
    return (places - half).min(axis=0), (places + half).max(axis=0)


ROWS = 1080
"""Rows of a game's picture, where nothing else is said."""


@dataclass(frozen=True, slots=True)
class Budget:
    """What an effect may take on a target: particles alive at once, bytes of textures, layers drawn, whole pictures painted. rows : of
    its pictures, which are 16 to 9."""

    particles: int
    textures: int
    layers: int
    painted: float
    rows: int = ROWS

    @property
    def pixels(self) -> int:
        """Pixels of one picture."""
        return self.rows * self.rows * 16 // 9


TARGETS: dict[str, Budget] = {
    "console": Budget(4000, 24 * 2**20, 16, 4.0, 2160),
    "desktop": Budget(8000, 48 * 2**20, 24, 6.0, 1440),
    "handheld": Budget(1200, 8 * 2**20, 8, 2.0, 800),
    "web": Budget(800, 4 * 2**20, 8, 1.5, 1080),
}
"""What we begin with; a studio has figures of its own."""


def over_budget(effect: Effect, cost: EffectCost, textures: Mapping[str, int], budget: Budget) -> list[str]:
    """What is beyond a budget, and what would cut it, in sentences. textures : bytes of each texture by its name."""
    said = []
    names = {layer.id: layer.name for layer in effect.layers}
    if cost.most > budget.particles:
        top = max(cost.layers, key=lambda identity: cost.layers[identity].most)
        count = cost.layers[top].most
        spare = max(count - (cost.most - budget.particles), 0)
        said.append(
            f"{cost.most} particles live at once, {budget.particles} may: {names[top]} has {count} of them; with {spare} it fits"
            if spare
            else f"{cost.most} particles live at once, {budget.particles} may: {names[top]} "
            f"has {count} of them, and thinning it alone is not enough"
        )
    total = sum(textures.values())
    if total > budget.textures:
        large = max(textures, key=lambda name: textures[name])
        said.append(
            f"textures take {total / 2**20:.1f} MB, {budget.textures / 2**20:.1f} may be: {large} takes "
            f"{textures[large] / 2**20:.1f} MB; at half its size it takes a quarter"
        )
    drawn = sum(layer.shown for layer in effect.layers)
    if drawn > budget.layers:
        said.append(f"{drawn} layers are drawn, {budget.layers} may be: bake some of them into a sheet")
    return said
