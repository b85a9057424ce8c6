"""From what happened to parents to the births of their children."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.simulate.contact import RULE
from pale_ember.core.simulate.draws import LOOP_BITS, RULE_COUNT, RULE_DELAY, draws, joined, key_of
from pale_ember.core.simulate.poses import Frames, upright_to
from pale_ember.core.simulate.spawning import counts_drawn, range_drawn

WHENS = ("born", "touches", "ends", "every metre", "every second")
"""The occasions in the order of their codes."""


def rule_records(effect: Effect, layer: Layer) -> np.ndarray:
    """(r,) of RULE: a parent's own rules in the order of the document, those that bear nothing included."""
    made = np.zeros(len(layer.offspring.rules), RULE)
    for i, rule in enumerate(layer.offspring.rules):
        made[i] = (
            rule_key(effect, layer, rule), WHENS.index(rule.when), rule.most_per_parent, rule.most_per_step, rule.each,
            rule.chance, rule.least_impact if rule.when == "touches" else 0.0,
        )  # fmt: skip
    return made


def rule_key(effect: Effect, layer: Layer, rule: Rule) -> np.uint64:
    return np.uint64(joined(key_of(effect.seed, layer.id), np.uint64(rule.key)))


@dataclass(frozen=True, slots=True, eq=False)
class Children:
    """Births asked for by one rule, n in all, in the order of their events.

    born : (n,) float64, s of the child's own time. number : (n,) uint64. frames : where and how turned each outlet is.
    velocity : (n, 3) float64, m/s of the child's time, of the parent. event : (n,) int64, the event of each.
    """

    born: np.ndarray
    number: np.ndarray
    frames: Frames
    velocity: np.ndarray
    event: np.ndarray


def children(
    effect: Effect, parent: Layer, child: Layer, rule: Rule, events: np.ndarray, own: Frames, outer: Frames | None
) -> Children:
    """The births that events of one rule ask of a layer.

    events : (m,) of EVENT, in the parent's axes and time. own : (m,) the child's frames at those moments. outer : the
    parent's frames at those moments if it is local, to lead its places to the world.
    """
    key = rule_key(effect, parent, rule)
    mask = ~LOOP_BITS if effect.loop and effect.same else ~np.uint64(0)
    occasion = joined(key, joined(np.uint64(0), events["number"] & mask) ^ events["occurrence"].astype(np.uint64))
    counts = counts_drawn(rule.count, draws(key, occasion, RULE_COUNT))
    delay = range_drawn(rule.delay, draws(key, occasion, RULE_DELAY)) if rule.delay.most > 0 else 0.0
    place = np.stack([events["px"], events["py"], events["pz"]], axis=1).astype(float)
    velocity = np.stack([events["vx"], events["vy"], events["vz"]], axis=1) * (parent.tempo / child.tempo)
    normal = np.stack([events["nx"], events["ny"], events["nz"]], axis=1).astype(float)
    if outer is not None:
        place = np.einsum("nij,nj->ni", outer.turn, place) + outer.place
        velocity, normal = (np.einsum("nij,nj->ni", outer.turn, one) for one in (velocity, normal))
    turn = own.turn
    if rule.facing != "own":
        size = np.cbrt(np.linalg.det(own.turn))[:, None, None]
        way = {"onward": velocity, "back": -velocity, "surface": normal}[rule.facing]
        turn = upright_to(way, own.turn / size) * size
    place = own.place + (place - own.place) * rule.place
    event = np.repeat(np.arange(len(events)), counts)
    ordinal = np.arange(len(event)) - np.repeat(np.cumsum(counts) - counts, counts)
    number = joined(np.uint64(0), occasion[event] + ordinal.astype(np.uint64) * np.uint64(0xD1B54A32D192ED03))
    number = (number & ~LOOP_BITS) | (events["number"][event] & LOOP_BITS)
    born = events["time"] / parent.tempo * child.tempo + delay
    return Children(born[event], number, Frames(turn[event], place[event]), velocity[event], event)


def most_events(rule: Rule, alive: float, births: float) -> float:
    """The most events a second that a rule can tell of a parent with so many alive and born a second."""
    if rule.when in ("born", "ends"):
        return births
    if rule.when == "every second":
        return alive / rule.each
    return births * rule.most_per_parent if rule.most_per_parent > 0 else float("inf")
