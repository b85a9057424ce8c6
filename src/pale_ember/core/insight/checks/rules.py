"""All rules, and what comes of them. A rule is a function of what is known, that gives findings; adding one touches its list."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from msgspec.structs import replace as struct_replace

from pale_ember.core.effect.model import Effect, IgnoredFinding
from pale_ember.core.effect.sharing import kept_shared
from pale_ember.core.insight.checks import births, fields, looks, offspring, pictures, places, rendered, stage, timing
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.finding import Finding, Mend
from pale_ember.core.simulate.timeline import Timeline

Rule = Callable[[Facts], Iterator[Finding]]

RULES: tuple[Rule, ...] = (
    *births.RULES, *timing.RULES, *places.RULES, *fields.RULES, *offspring.RULES, *looks.RULES, *pictures.RULES, *stage.RULES,
    *rendered.RULES,
)  # fmt: skip


def name_of(rule: Rule) -> str:
    """What a rule is called, in words."""
    return rule.__name__.replace("_", " ")


def checking(known: Facts) -> Iterator[list[Finding]]:
    """Runs the effect and asks every rule, a little at a time; each time all that is found so far."""
    found: list[Finding] = []
    for _ in known.gather():
        yield found
    for rule in RULES:
        found += [replace(finding, rule=name_of(rule)) for finding in rule(known)]
        yield found


def checked(effect: Effect, known: Facts | None = None) -> list[Finding]:
    """Everything found, also what the artist left as it is."""
    found: list[Finding] = []
    for found in checking(known or Facts(effect, Timeline(effect))):  # noqa: B007 - the last counts
        pass
    return found


def left_alone(effect: Effect, finding: Finding) -> IgnoredFinding | None:
    """What says that a finding stays as it is, if anything does."""
    return next((left for left in effect.left if (left.rule, left.layer, left.path) == finding.key), None)


def with_left(effect: Effect, finding: Finding, reason: str = "") -> Effect:
    """`effect` in which a finding stays as it is, for a reason."""
    rule, layer, path = finding.key
    others = tuple(left for left in effect.left if (left.rule, left.layer, left.path) != finding.key)
    return struct_replace(effect, left=(*others, IgnoredFinding(rule=rule, layer=layer, path=path, reason=reason)))


def without_left(effect: Effect, finding: Finding) -> Effect:
    """`effect` in which a finding is told again."""
    kept = tuple(left for left in effect.left if (left.rule, left.layer, left.path) != finding.key)
    return struct_replace(effect, left=kept)


def mended(effect: Effect, mend: Mend) -> Effect:
    """`effect` with a mend done, also in layers that share what it changes."""
    return kept_shared(effect, mend.change(effect))
