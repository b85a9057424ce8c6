"""Rules of births: too many, too few, too late."""

from __future__ import annotations

import math
from collections.abc import Iterator

from pale_ember.core.effect.bursts import MOST_ALIVE
from pale_ember.core.effect.place_copies import MOST_COPIES
from pale_ember.core.effect.stage import Carrier
from pale_ember.core.effect.trims import scaled
from pale_ember.core.effect.values import fixed
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.finding import Finding, setting

MUCH = 64 * 2**20
"""Bytes for one layer's particles that are worth a word before they are spent."""
_LOOSE = 8
"""How many times its peak a limit may be before it says nothing."""
_USUAL = 2000
"""The limit that a layer begins with."""


def births_refused(known: Facts) -> Iterator[Finding]:
    """More would live at once than may."""
    for layer in known.shown:
        outlet = layer.outlet
        if outlet.at_limit != "refuse births" or not 0 < outlet.limit <= known.peak(layer):
            continue
        if known.forecast.most_births(layer, layer.birth.lifetime.most) <= outlet.limit:
            continue
        wanted = known.free_peak(layer)
        if wanted <= outlet.limit:
            continue
        # Another loop draws other births: a tenth more has room for them.
        room = min(math.ceil(1.1 * wanted / 10) * 10, MOST_ALIVE)
        mends = [setting(f"raise the limit to {room}", layer, ("outlet", "limit"), room)]
        flows = outlet.rate.most > 0 and not outlet.bursts and layer.id not in known.feeds and outlet.per_metre <= 0
        if flows and outlet.rate_counts == "per second":
            rate = scaled(outlet.rate, 0.95 * outlet.limit / wanted)
            mends.append(setting(f"lower the rate to {rate.middle:.3g}", layer, ("outlet", "rate"), rate))
        said = f"{wanted} would live at once, but at most {outlet.limit} may, so births are refused"
        yield Finding(layer.id, ("outlet", "limit"), said, tuple(mends))


def loose_limit(known: Facts) -> Iterator[Finding]:
    """The limit is far above what ever lives: memory and budgets are reckoned by it."""
    for layer in known.shown:
        peak, limit = known.peak(layer), layer.outlet.limit
        fits = max(math.ceil(1.25 * peak / 10) * 10, 10)
        if peak > 0 and limit > _USUAL and limit > _LOOSE * peak:
            need = known.forecast.memory(layer)
            much = f"; room for {need / 2**20:.0f} MB of them may be taken" if need > MUCH else ""
            yield Finding(
                layer.id,
                ("outlet", "limit"),
                f"at most {limit} may live, but never more than {peak} do{much}",
                (setting(f"lower the limit to {fits}", layer, ("outlet", "limit"), fits),),
                grave=False,
            )


def nothing_is_born(known: Facts) -> Iterator[Finding]:
    """No outlet, no room, no life, or no way."""
    for layer in known.shown:
        outlet = layer.outlet
        spawns = outlet.rate.most > 0 or outlet.bursts or outlet.per_metre > 0
        if not spawns and layer.id not in known.feeds:
            yield Finding(
                layer.id,
                ("outlet", "rate"),
                "nothing is born: it has no rate, no burst, and no rule spawns it",
                (setting("40 a second", layer, ("outlet", "rate"), fixed(40.0)),),
            )
        elif outlet.limit == 0:
            yield Finding(
                layer.id,
                ("outlet", "limit"),
                "a limit of 0 lets nothing be born",
                (setting(f"at most {_USUAL}", layer, ("outlet", "limit"), _USUAL),),
            )
        elif layer.birth.lifetime.most <= 0:
            yield Finding(
                layer.id,
                ("birth", "lifetime"),
                "particles of 0 s are never seen",
                (setting("live 1 s", layer, ("birth", "lifetime"), fixed(1.0)),),
            )
        elif outlet.per_metre > 0 and not known.poses.moves(layer):
            carrier = Carrier(moves="to and fro")
            yield Finding(
                layer.id,
                ("outlet", "per_metre"),
                "it is born per metre, but the layer does not move",
                (
                    setting("let a carrier take it to and fro", None, ("stage", "carrier"), carrier),
                    setting("nothing per metre", layer, ("outlet", "per_metre"), 0.0),
                ),
                grave=outlet.rate.most <= 0 and not outlet.bursts,
            )


def born_too_late(known: Facts) -> Iterator[Finding]:
    """It begins when the effect is over."""
    cues = {cue.name: cue.at for cue in known.effect.cues}
    for layer in known.shown:
        outlet, over = layer.outlet, known.effect.duration
        if outlet.on_cue and outlet.on_cue not in cues:
            continue
        begin = cues.get(outlet.on_cue, 0.0)
        if outlet.rate.most > 0 and begin + outlet.start >= over and not outlet.bursts and layer.id not in known.feeds:
            at = begin + outlet.start
            mend = (
                setting("begin at the start", layer, ("outlet", "start"), 0.0)
                if outlet.start > 0
                else setting("begin without the cue", layer, ("outlet", "on_cue"), "")
            )
            yield Finding(layer.id, ("outlet", "start"), f"it begins at {at:.3g} s, but the effect is over at {over:.3g} s", (mend,))
        late = [i for i, burst in enumerate(outlet.bursts) if begin + burst.first_at >= over]
        for i in late:
            at = begin + outlet.bursts[i].first_at
            mend = setting("at the start", layer, ("outlet", "bursts", i, "first_at"), 0.0)
            said = f"its burst is at {at:.3g} s, but the effect is over at {over:.3g} s"
            yield Finding(layer.id, ("outlet", "bursts"), said, (mend,))


def much_memory(known: Facts) -> Iterator[Finding]:
    """A layer's particles may take more memory than is easily spared."""
    for layer in known.shown:
        need, limit = known.forecast.memory(layer), layer.outlet.limit
        if need > MUCH and limit <= _LOOSE * max(known.peak(layer), 1):
            fits = max(int(limit * 0.9 * MUCH / need), 1)
            yield Finding(
                layer.id,
                ("outlet", "limit"),
                f"its particles may take {need / 2**20:.0f} MB of memory",
                (setting(f"at most {fits}", layer, ("outlet", "limit"), fits),),
                grave=False,
            )


def too_many_places(known: Facts) -> Iterator[Finding]:
    """Places of layers that carry each other are multiplied."""
    spread = known.forecast.spread
    left = {spread.source[copy.id][0].id for copy in known.forecast.effect.layers if copy.places.lie != "one"}
    for layer in known.effect.layers:
        if layer.id in left:
            said = f"with its places the effect would have more than {MOST_COPIES} layers, so they are left out; have fewer"
            yield Finding(layer.id, ("places", "lie"), said, (setting("one place", layer, ("places", "lie"), "one"),))


RULES = (births_refused, loose_limit, nothing_is_born, born_too_late, much_memory, too_many_places)
