"""Rules of offspring: children that never come, or too many."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec.structs import replace

from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.trims import scaled
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.finding import Finding, changing, setting

_SWARM = 400
"""Children at once that are worth a word."""
_TIMES = 4
"""How many times all others they may be."""


def rule_without_a_child(known: Facts) -> Iterator[Finding]:
    """A rule that spawns nothing, or nothing that is seen."""
    for layer in known.shown:
        for i, rule in enumerate(layer.offspring.rules):
            path = ("offspring", "rules", i)
            gone = changing(
                "take the rule away",
                layer,
                lambda layer, i=i: replace(  # type: ignore[misc]
                    layer, offspring=replace(layer.offspring, rules=(*layer.offspring.rules[:i], *layer.offspring.rules[i + 1 :]))
                ),
            )
            child = known.by_id.get(rule.layer)
            if child is None:
                others = [other for other in known.shown if other.id != layer.id]
                take = [setting(f"spawn {other.name}", layer, (*path, "layer"), other.id) for other in others[:1]]
                said = "a rule has no layer to spawn"
                yield Finding(layer.id, path, said, (*take, gone))
            elif not child.shown:
                said = f"a rule spawns {child.name}, which is hidden"
                yield Finding(layer.id, path, said, (setting(f"show {child.name}", child, ("shown",), True), gone), grave=False)
            elif rule.when == "touches" and layer.contact.meets == "pass":
                said = f"a rule waits for touches to spawn {child.name}, but particles pass through everything"
                mends = (
                    setting("let them bounce", layer, ("contact", "meets"), "bounce"),
                    setting("let them end there", layer, ("contact", "meets"), "end"),
                    gone,
                )
                yield Finding(layer.id, path, said, mends)
            elif rule.strikes and not layer.look.lightning:
                said = f"a rule waits for strikes to spawn {child.name}, but it is no beam with kinks: nothing strikes"
                yield Finding(layer.id, path, said, (changing("draw it as lightning", layer, _as_lightning), gone))
            elif rule.when == "branches" and layer.look.beam.branches == 0:
                said = f"a rule spawns {child.name} where branches end, but it has none"
                yield Finding(layer.id, path, said, (setting("three branches", layer, ("look", "beam", "branches"), 3), gone))


def _as_lightning(layer: Layer) -> Layer:
    beam = layer.look.beam
    return replace(layer, look=replace(layer.look, drawn_as="beam", beam=replace(beam, kinks=beam.kinks or 0.2)))


def cap_that_always_binds(known: Facts) -> Iterator[Finding]:
    """A rule's cap that ends it long before a particle's life does."""
    for layer in known.shown:
        for i, rule in enumerate(layer.offspring.rules):
            if rule.when != "by time" or rule.most_per_parent <= 0:
                continue
            times = int(layer.birth.lifetime.least / max(rule.interval, 1e-3))
            if times > 2 * rule.most_per_parent:
                path = ("offspring", "rules", i, "most_per_parent")
                said = f"every particle could spawn {times} times in its life, but may {rule.most_per_parent} times: the cap always binds"
                every = layer.birth.lifetime.least / rule.most_per_parent
                mends = (
                    setting("no cap", layer, path, 0),
                    setting(f"every {every:.2g} s", layer, (*path[:-1], "interval"), round(every, 3)),
                )
                yield Finding(layer.id, path, said, mends, grave=False)


def too_many_children(known: Facts) -> Iterator[Finding]:
    """A rule spawns more than is alive elsewhere."""
    peaks = {layer.id: known.peak(layer) for layer in known.shown}
    total = sum(peaks.values())
    for layer in known.shown:
        for i, rule in enumerate(layer.offspring.rules):
            children = peaks.get(rule.layer, 0)
            if children < _SWARM or children < _TIMES * (total - children):
                continue
            path = ("offspring", "rules", i, "count")
            said = f"it spawns {children} of {known.by_id[rule.layer].name} at once, of {total} in all"
            share = 0.9 * max(_SWARM, _TIMES * (total - children)) / children
            count = scaled(rule.count, share)
            count = replace(count, low=max(round(count.low), 1), high=max(round(count.high), 1))
            rarely = setting(f"by a chance of {rule.chance * share:.2g}", layer, (*path[:-1], "chance"), rule.chance * share)
            fewer = setting(f"{count.middle:.3g} each time", layer, path, count)
            fits = count.middle <= share * rule.count.middle * 1.05
            yield Finding(layer.id, path, said, (fewer, rarely) if fits else (rarely,), grave=False)


RULES = (rule_without_a_child, cap_that_always_binds, too_many_children)
