"""From what happened to parents to the births of their children."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.simulate.beams import struck_places
from pale_ember.core.simulate.draws import LOOP_BITS, RULE_COUNT, RULE_DELAY, draw, joined, key_of, mix
from pale_ember.core.simulate.particle_events import NEVER, RULE, strike_of
from pale_ember.core.simulate.poses import PoseFrames, Poses

WHENS = ("born", "touches", "ends", "by distance", "by time", "strikes", "branches")
_HEADINGS = ("own", "onward", "back", "surface")
"""The occasions and headings in the order of their codes."""


def rule_records(effect: Effect, layer: Layer) -> np.ndarray:
    """(r,) of RULE: a parent's own rules in the order of the document, those that spawn nothing included."""
    records = np.zeros(len(layer.offspring.rules), RULE)
    for i, rule in enumerate(layer.offspring.rules):
        when = NEVER if rule.strikes and not layer.look.lightning else WHENS.index(rule.when)
        records[i] = (
            rule_key(effect, layer, rule),
            key_of(effect.seed, layer.id),
            when,
            rule.most_per_parent,
            rule.most_per_step,
            layer.look.beam.strikes / layer.tempo if rule.strikes else rule.interval,
            rule.chance,
            rule.minimum_impact if rule.when == "touches" else 0.0,
        )
    return records


def rule_key(effect: Effect, layer: Layer, rule: Rule) -> np.uint64:
    """The number by which a rule's draws are told apart."""
    return np.uint64(joined(key_of(effect.seed, layer.id), np.uint64(rule.key)))


@dataclass(frozen=True, slots=True, eq=False)
class ChildBirths:
    """Births asked for by one rule, n in all, in the order of their events.

    step : (n,) int64, the step they belong to. born : (n,) float64, s of the child's own time. number : (n,) uint64.
    frames : (n, 12) float64, axes and origin of each outlet. velocity : (n, 3) float64, m/s of the child's time, what
    is taken along of the parent's. event : (n,) int64, the event of each.
    """

    step: np.ndarray
    born: np.ndarray
    number: np.ndarray
    frames: np.ndarray
    velocity: np.ndarray
    event: np.ndarray


@kernel
def _occasions(events, rule, key, mask, low, high, choices, counts):
    """How many each event of a rule spawns, drawn; 0 for the events of others. Fills counts (m,) int64."""
    for i in range(events.shape[0]):
        counts[i] = 0
        if events[i].rule == rule:
            share = draw(key, _occasion(events[i], key, mask), RULE_COUNT)
            counts[i] = low + np.int64(math.floor(share * (high - low + 1)))
            if choices.shape[0] > 0:
                counts[i] = np.int64(choices[np.int64(share * choices.shape[0])])


@inlined
def _occasion(event, key, mask):
    """What draws of an event hang on: its rule, its parent, and how often before."""
    return mix(key ^ mix((event.number & mask) + np.uint64(event.occurrence) * np.uint64(0x9E3779B97F4A7C15)))


@kernel
def _spawn_all(
    events, counts, key, mask, tempo, delay, delays, late, facing, share, motion, step_time, own, outer,
    step, born, number, frames, velocity, event,
):  # fmt: skip
    """Fills the arrays of ChildBirths. tempo : the child's over the parent's. delay : (low, high) s, or one of delays; late :
    whether there is one. own, outer : (1 or m, 12) frames of the child, and of a local parent, or none. facing : 0 own, 1 onward, 2 back,
    3 off the surface."""
    n = 0
    for i in range(events.shape[0]):
        if counts[i] == 0:
            continue
        e = events[i]
        x, y, z = np.float64(e.px), np.float64(e.py), np.float64(e.pz)
        vx, vy, vz = np.float64(e.vx), np.float64(e.vy), np.float64(e.vz)
        nx, ny, nz = np.float64(e.nx), np.float64(e.ny), np.float64(e.nz)
        if outer.shape[0] > 0:
            k = i if outer.shape[0] > 1 else 0
            x, y, z = _turned(outer, k, x, y, z)
            x, y, z = x + outer[k, 9], y + outer[k, 10], z + outer[k, 11]
            vx, vy, vz = _turned(outer, k, vx, vy, vz)
            nx, ny, nz = _turned(outer, k, nx, ny, nz)
        vx, vy, vz = vx / tempo, vy / tempo, vz / tempo
        k = i if own.shape[0] > 1 else 0
        occasion = _occasion(e, key, mask)
        time, at = e.time * tempo, e.step
        if late:
            wait = draw(key, occasion, RULE_DELAY)
            if delays.shape[0] > 0:
                time += delays[np.int64(wait * delays.shape[0])]
            else:
                time += delay[0] + (delay[1] - delay[0]) * wait
            at = max(at, np.int64(math.ceil(time / step_time - 1e-6)))
        first = n
        for c in range(counts[i]):
            step[n], born[n], event[n] = at, time, i
            stirred = mix(occasion + np.uint64(c + 1) * np.uint64(0xD1B54A32D192ED03))
            number[n] = (stirred & ~LOOP_BITS) | (e.number & LOOP_BITS)
            velocity[n, 0], velocity[n, 1], velocity[n, 2] = vx * motion, vy * motion, vz * motion
            if c > 0:
                for j in range(12):
                    frames[n, j] = frames[first, j]
            else:
                for j in range(9):
                    frames[n, j] = own[k, j]
                frames[n, 9] = own[k, 9] + (x - own[k, 9]) * share
                frames[n, 10] = own[k, 10] + (y - own[k, 10]) * share
                frames[n, 11] = own[k, 11] + (z - own[k, 11]) * share
                if facing == 1:
                    _upright(frames, n, vx, vy, vz)
                elif facing == 2:
                    _upright(frames, n, -vx, -vy, -vz)
                elif facing == 3:
                    _upright(frames, n, nx, ny, nz)
            n += 1


@inlined
def _turned(frames, k, x, y, z):
    f = frames[k]
    return f[0] * x + f[1] * y + f[2] * z, f[3] * x + f[4] * y + f[5] * z, f[6] * x + f[7] * y + f[8] * z


@kernel
def _upright(frames, n, x, y, z):
    """Turns the axes in row n so that their Y points along (x, y, z), by the least rotation from the world's; their
    scale is kept, and so are they where there is no way."""
    f = frames[n]
    size = math.sqrt(f[1] * f[1] + f[4] * f[4] + f[7] * f[7])
    length = math.sqrt(x * x + y * y + z * z)
    if length < 1e-9:
        return
    x, y, z = x / length, y / length, z / length
    if y < -1.0 + 1e-7:
        f[0], f[1], f[2], f[3], f[4], f[5], f[6], f[7], f[8] = size, 0.0, 0.0, 0.0, -size, 0.0, 0.0, 0.0, -size
        return
    k = 1.0 / (1.0 + y)
    f[0], f[1], f[2] = size * (1.0 - x * x * k), size * x, -size * x * z * k
    f[3], f[4], f[5] = -size * x, size * y, -size * z
    f[6], f[7], f[8] = -size * x * z * k, size * z, size * (1.0 - z * z * k)


def struck_events(poses: Poses, parent: Layer, events: np.ndarray, outer: PoseFrames | None, *, branches: bool) -> np.ndarray:
    """The events of a rule for strikes, as its parent's kernel told them, where the beams strike: one for each, or for each branch.

    events : (m,) of EVENT; outer : the parent's frames at those moments if it is local.
    """
    many = parent.look.beam.branches if branches else 1
    struck = np.repeat(events, many)
    key = key_of(poses.effect.seed, parent.id)
    strikes = np.float32(parent.look.beam.strikes / parent.tempo)
    firsts = [strike_of(key, event["number"], event["born"], strikes) for event in events]
    which = events["occurrence"] + np.array(firsts, np.int64)
    place, back = struck_places(poses, parent, events["number"], events["time"] / parent.tempo, which, branches=branches)
    if outer is not None:
        into = np.linalg.inv(outer.turn)
        place, back = (np.einsum("nij,nkj->nki", into, way) for way in (place - outer.place[:, None], back))
    struck["occurrence"] = (events["occurrence"][:, None] * many + np.arange(many)).ravel()
    for axis, name in enumerate("xyz"):
        struck["p" + name], struck["n" + name] = place[..., axis].ravel(), back[..., axis].ravel()
    return struck


def children(
    effect: Effect, parent: Layer, child: Layer, rule: Rule, index: int, events: np.ndarray, own: PoseFrames,
    outer: PoseFrames | None, step_time: float,
) -> ChildBirths:  # fmt: skip
    """The births that the events of one rule ask of a layer.

    events : (m,) of EVENT, in the parent's axes and time; index : which of its rules is meant. own : (1 or m,) the
    child's frames at those moments. outer : the parent's if it is local, to lead its places to the world. step_time :
    s of the child's own time.
    """
    key = rule_key(effect, parent, rule)
    mask = ~LOOP_BITS if effect.loop and effect.identical else ~np.uint64(0)
    counts = np.empty(len(events), np.int64)
    low, high = (math.floor(end + 0.5) for end in (rule.count.least, rule.count.most))
    _occasions(events, index, key, mask, low, high, np.array(rule.count.choices), counts)
    total = int(counts.sum())
    born = ChildBirths(
        np.empty(total, np.int64),
        np.empty(total),
        np.empty(total, np.uint64),
        np.empty((total, 12)),
        np.empty((total, 3)),
        np.empty(total, np.int64),
    )
    none = np.zeros((0, 12))
    _spawn_all(
        events, counts, key, mask, child.tempo / parent.tempo, (float(rule.delay.least), float(rule.delay.most)),
        np.array(rule.delay.choices), rule.delay.most > 0, _HEADINGS.index(rule.facing), float(rule.place),
        float(rule.motion), step_time, own.rows(),
        none if outer is None else outer.rows(), born.step, born.born, born.number, born.frames, born.velocity,
        born.event,
    )  # fmt: skip
    if rule.goes_on > 0 and total:
        _spread_over(born, rule.goes_on, step_time)
    return born


def _spread_over(born: ChildBirths, seconds: float, step_time: float) -> None:
    """Lets what each event brings about be born one after another, evenly over so many seconds of the child's time."""
    firsts = np.flatnonzero(np.diff(born.event, prepend=-1))
    many = np.diff(np.append(firsts, len(born.event)))
    which = np.arange(len(born.event)) - np.repeat(firsts, many)
    born.born[:] += seconds * which / np.repeat(many, many)
    np.maximum(born.step, np.ceil(born.born / step_time - 1e-6).astype(np.int64), out=born.step)
