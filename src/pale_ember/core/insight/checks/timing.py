"""Rules of time: gaps, beginnings and ends."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.properties import PROPERTIES
from pale_ember.core.effect.trims import scaled
from pale_ember.core.effect.values import Curve, sample_keys
from pale_ember.core.insight.checks.facts import LOOKS, Facts
from pale_ember.core.insight.checks.finding import Finding, Mend, changing, setting
from pale_ember.core.simulate.frame import Frame

_GAP = 0.15
"""Seconds of darkness that are seen as a gap."""
_JUMP = 0.01
"""Metres of a jump at the end of a loop that are seen."""
_LEAP = 0.05
"""Share by which a lane's two ends may be apart."""
_WELCOME = 2.0
"""How many times its length a one-shot may last."""


def _lit(look: Frame) -> bool:
    """Whether anything is seen of a moment."""
    for each in look.layers:
        if each.strips is not None and each.strips.count:
            return True
        if bool(((each.colour[:, 3] > 0) & (each.size[:, 0] > 0)).any()):
            return True
    return False


def dark_gap(known: Facts) -> Iterator[Finding]:
    """For a part of each loop nothing is seen at all."""
    effect = known.effect
    flows = any(layer.outlet.rate.most > 0 for layer in known.shown)
    if not effect.loop or not flows:
        return  # Bursts alone are an impact that is played again and again.
    lit = [_lit(look) for look in known.looks]
    if all(lit) or not any(lit):
        return
    last = max(i for i, on in enumerate(lit) if on)
    first = min(i for i, on in enumerate(lit) if on)
    inner = lit[first : last + 1]
    apart = known.span / LOOKS
    runs = [len(run) for run in "".join("1" if on else "0" for on in inner).split("1")]
    longest, tail = max([*runs, first]), LOOKS - 1 - last
    if max(longest, tail) < 2 or max(longest, tail) * apart < _GAP:
        return
    if tail < longest:
        said = f"for about {longest * apart:.2g} s of each loop of {effect.duration:.3g} s nothing is seen"
        yield Finding("", ("duration",), said, (_longer_lives(known.shown, 1 + (longest + 1) / LOOKS),))
        return
    ends = _exact_end(known, last)
    said = f"all is over {ends:.3g} s into a loop of {effect.duration:.3g} s: it stays dark until the next begins"
    match = setting(f"a loop of {ends:.3g} s", None, ("duration",), ends)
    yield Finding("", ("duration",), said, (match, _longer_lives(known.shown, effect.duration / max(ends, 0.05))))


def _exact_end(known: Facts, last: int) -> float:
    """Seconds of the effect's time at which the last is seen, between two looks."""
    begin = known.moments[0]
    low, high = known.moments[last], known.moments[last] + known.span / LOOKS
    for _ in range(7):
        middle = 0.5 * (low + high)
        low, high = (middle, high) if _lit(known.timeline.frame(middle)) else (low, middle)
    return max(math.ceil((high - begin) * known.effect.tempo * 100) / 100, 0.01)


def _longer_lives(layers: tuple[Layer, ...], by: float) -> Mend:
    """The mend that lets particles live longer, until the next are born."""
    by = math.ceil(by * 20) / 20
    ids = {layer.id for layer in layers}

    def change(effect: Effect) -> Effect:
        for i, layer in enumerate(effect.layers):
            if layer.id in ids:
                effect = with_value(effect, ("layers", i, "birth", "lifetime"), scaled(layer.birth.lifetime, by))
        return effect

    return Mend(f"lives {by:.3g} times as long", change)


def begins_empty(known: Facts) -> Iterator[Finding]:
    """The first loop fills up before one's eyes."""
    effect = known.effect
    if not effect.loop or effect.warm:
        return
    late = [
        layer
        for layer in known.shown
        if layer.outlet.rate.most > 0
        and not layer.outlet.on_cue
        and layer.birth.lifetime.middle / layer.tempo >= 0.2 * effect.duration
        and layer.outlet.start <= 0
    ]
    for layer in late:
        later = [each.count for each in known.frames(layer)]
        first = known.alive(layer)
        if len(first) and later and first[0] <= 0.1 * np.mean(later) and np.mean(later) >= 3:
            said = (
                f"the first loop begins empty and fills up for {layer.birth.lifetime.middle / layer.tempo:.2g} s: "
                f"later about {np.mean(later):.0f} of {layer.name} live at once"
            )
            yield Finding("", ("warm",), said, (setting("a warm start", None, ("warm",), True),), grave=False)
            return


def jumps_at_the_loop(known: Facts) -> Iterator[Finding]:
    """A layer's keys end elsewhere than they begin."""
    effect = known.effect
    if not effect.loop:
        return
    for layer in known.shown:
        if len(layer.keys) < 2:
            continue
        first, last = layer.keys[0], layer.keys[-1]
        away = float(np.linalg.norm(np.subtract(last.place, first.place)))
        turned = float(np.abs(np.remainder(np.subtract(last.turn, first.turn) + 180, 360) - 180).max())
        if away < _JUMP and turned < 1 and abs(last.scale - first.scale) < 0.01:
            continue
        end = replace(first, at=effect.duration)
        keys = (*(key for key in layer.keys if key.at < effect.duration - 1e-6), end)
        how = f"{away:.2g} m" if away >= _JUMP else f"{turned:.0f}°" if turned >= 1 else "in size"
        said = f"its keys end elsewhere than they begin, so it jumps ({how}) at each loop"
        yield Finding(layer.id, ("keys",), said, (setting("end where it begins", layer, ("keys",), keys),))


def leaps_at_the_loop(known: Facts) -> Iterator[Finding]:
    """A lane over the effect's time ends elsewhere than it begins, so that everything alive leaps at each loop."""
    effect = known.effect
    if not effect.loop:
        return
    for layer in known.shown:
        for i, lane in enumerate(layer.life.more):
            drawn = PROPERTIES[lane.drives]
            if lane.over != "effect time" or drawn.moves or lane.drives == "colour" or lane.high <= lane.low:
                continue
            ends = np.clip((np.array([0.0, effect.duration]) - lane.low) / (lane.high - lane.low), 0, 1)
            first, last = sample_keys(lane.curve.keys, ends).tolist()
            if abs(last - first) <= _LEAP * (drawn.soft[1] - drawn.soft[0] if drawn.adds else max(abs(first), abs(last), 1e-6)):
                continue
            said = f"its {lane.drives} over the effect's time begins at {first:.3g} and ends at {last:.3g}: it leaps at each loop"
            curve = _closed(lane.curve, float(ends[0]), float(ends[1]), first)
            path = ("life", "more", i, "curve")
            yield Finding(layer.id, path, said, (setting("end where it begins", layer, path, curve),))


def _closed(curve: Curve, begin: float, end: float, value: float) -> Curve:
    """A curve that has at `end` the value that it has at `begin`, and keeps it from there on."""
    kept = tuple(key for key in curve.keys if begin <= key.at < end - 1e-6)
    last = replace(curve.keys[-1], at=end, value=value)
    tail = (replace(last, at=1.0),) if end < 1 - 1e-6 else ()
    if not kept or kept[0].at > 0:
        kept = (replace(curve.keys[0], at=0.0, value=value), *(key for key in kept if key.at > begin + 1e-6))
    return replace(curve, keys=(*kept, last, *tail))


def outlasts_its_time(known: Facts) -> Iterator[Finding]:
    """A one-shot that is not over when it is over."""
    effect = known.effect
    ends = known.forecast.ends_at() * effect.tempo
    if effect.loop or ends <= _WELCOME * effect.duration or ends - effect.duration < 1:
        return
    births = known.forecast.last_births()
    last = max(known.shown, key=lambda layer: births[layer.id] + layer.birth.lifetime.most / layer.tempo)
    said = f"it is over at {effect.duration:.3g} s, but the last of {last.name} go at {ends:.3g} s"
    share = effect.duration / ends
    yield Finding(
        "", ("duration",), said,
        (setting(f"a length of {ends:.3g} s", None, ("duration",), round(ends, 3)),
         changing(f"{last.name} live shorter", last, lambda layer: replace(
             layer, birth=replace(layer.birth, lifetime=scaled(layer.birth.lifetime, share)))),
        ), grave=False,
    )  # fmt: skip


RULES = (dark_gap, begins_empty, jumps_at_the_loop, leaps_at_the_loop, outlasts_its_time)
