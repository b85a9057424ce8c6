"""What happens to particles and is told to the layers that spawn of it: pieces of the kernel that moves them."""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.simulate.draws import KINK, draw
from pale_ember.core.simulate.force_kernels import NO_LIMIT

NEVER = -1
BORN, TOUCHES, ENDS, EVERY_METRE, EVERY_SECOND, STRIKES, BRANCHES = range(7)

EVENT = np.dtype(
    [("number", np.uint64)]
    + [(name, np.float64) for name in ("time", "born")]
    + [(name, np.int64) for name in ("rule", "step", "occurrence")]
    + [(name, np.float32) for name in (
        "px", "py", "pz", "vx", "vy", "vz", "nx", "ny", "nz", "life", "aged", "travelled", "turned", "kin_size",
        "kin_red", "kin_green", "kin_blue", "impact")]
    + [("kin_rule", np.int64)],
    align=True,
)  # fmt: skip
"""Something that happened to a particle and spawns offspring: when, where, how it moved, the surface's normal, and, of a
touch, how hard it was (m/s)."""

RULE = np.dtype(
    [("key", np.uint64), ("layer", np.uint64)]
    + [(name, np.int64) for name in ("when", "per_parent", "per_step")]
    + [(name, np.float32) for name in ("interval", "chance", "minimum_impact")],
    align=True,
)
"""What a parent's kernel must know of its rules. layer : the key of its draws. interval : of a rule for strikes, how many there are in a
second of the layer's own time."""

_F0, _F1 = np.float32(0.0), np.float32(1.0)

_MOST_AT_ONCE = 64
"""The most times a rule by distance or time happens to one particle in one step."""


@kernel
def told(rules, per_step, rule, number, occurrence, impact):
    """Whether a rule's event happens: by its threshold, its caps and its chance. Counts it if so."""
    record = rules[rule]
    if impact < record.minimum_impact or (record.per_parent > 0 and occurrence >= record.per_parent):
        return False
    if record.per_step > 0 and per_step[rule] >= record.per_step:
        return False
    if record.chance < np.float32(1.0) and draw(record.key, number, 64 + occurrence) >= record.chance:
        return False
    per_step[rule] += 1
    return True


# What is born nearer to a surface than it is large lies in it, but is held by it all the same: as long as its middle is
# outside, by no more than `depth`, it is met where it goes further in.


@kernel
def _tell(events, state, rules, rule, step, time, table, i, occurrence, touched, wx, wy, wz, moved):
    """Writes one event of particle i. state : events written, and 1 when there was no room."""
    n = state[0]
    if n >= events.shape[0]:
        state[1] = 1
        return
    event = events[n]
    event.rule, event.step, event.time, event.occurrence = rule, step, time, occurrence
    event.number, event.born, event.life = table.number[i], table.born[i], table.life[i]
    if moved:
        event.px, event.py, event.pz = np.float32(touched[5]), np.float32(touched[6]), np.float32(touched[7])
        event.nx, event.ny, event.nz = np.float32(touched[1]), np.float32(touched[2]), np.float32(touched[3])
    else:
        event.px, event.py, event.pz = table.px[i], table.py[i], table.pz[i]
        event.nx, event.ny, event.nz = _F0, _F1, _F0
    event.impact = np.float32(touched[4])
    event.vx, event.vy, event.vz = np.float32(wx), np.float32(wy), np.float32(wz)
    event.aged = table.aged[i] if table.aged.shape[0] > 0 else _F0
    event.travelled = table.travelled[i] if table.travelled.shape[0] > 0 else _F0
    event.turned = table.turned[i] if table.turned.shape[0] > 0 else _F0
    event.kin_rule = -1
    if table.kin_rule.shape[0] > 0:
        event.kin_rule, event.kin_size = table.kin_rule[i], table.kin_size[i]
        event.kin_red, event.kin_green, event.kin_blue = table.kin_red[i], table.kin_green[i], table.kin_blue[i]
    state[0] = n + 1


@kernel
def strike_of(key, number, time, strikes):
    """Which strike a beam is in, at a moment of its layer's own time."""
    return np.int64(math.floor(time * np.float64(strikes) + np.float64(draw(key, number, KINK))))


@inlined
def tell_birth(rules, per_step, events, state, step, table, i, own, touched, x_speed, y_speed, z_speed):
    """The rules of particle i, born just now with a velocity."""
    for r in range(rules.shape[0]):
        # A beam that is born strikes.
        if (rules[r].when == BORN or rules[r].when >= STRIKES) and told(rules, per_step, r, own, np.int64(0), NO_LIMIT):
            _tell(
                events, state, rules, r, step, table.born[i], table, i, np.int64(0), touched,
                np.float64(x_speed), np.float64(y_speed), np.float64(z_speed), np.bool_(False),
            )  # fmt: skip


@inlined
def tell_touch(rules, per_step, events, state, step, at, table, i, own, occurrence, touched, wx, wy, wz):
    """The rules of a touch of particle i at time `at`; touched : how hard it was, where and with what normal."""
    for r in range(rules.shape[0]):
        if rules[r].when == TOUCHES and told(rules, per_step, r, own, occurrence, np.float32(touched[4])):
            _tell(events, state, rules, r, step, at, table, i, occurrence, touched, wx, wy, wz, np.bool_(True))


@inlined
def tell_way(
    rules, per_step, events, state, step, start, hh, since, until, table, i, own, gone, came, touched,
    x, y, z, dx, dy, dz, x_speed, y_speed, z_speed,
):  # fmt: skip
    """The rules by distance, by time and for strikes of particle i, that went from (x, y, z) by (dx, dy, dz), `came` m on top of `gone`,
    while its age went from `since` to `until` (s)."""
    for r in range(rules.shape[0]):
        when = rules[r].when
        if when == EVERY_METRE or when == EVERY_SECOND:
            interval = np.float64(rules[r].interval)
            low, high = np.float64(gone), np.float64(gone + came)
            if when == EVERY_SECOND:
                low, high = since, until
            k = np.int64(math.floor(low / interval)) + 1
            done = 0
            while k * interval <= high and done < _MOST_AT_ONCE:
                part = np.float32((k * interval - low) / max(high - low, 1e-12))
                if told(rules, per_step, r, own, k - 1, NO_LIMIT):
                    touched[5], touched[6], touched[7] = x + part * dx, y + part * dy, z + part * dz
                    touched[1], touched[2], touched[3] = 0.0, 1.0, 0.0
                    at = start + np.float64(part * hh)
                    _tell(
                        events, state, rules, r, step, at, table, i, k - 1, touched, np.float64(x_speed),
                        np.float64(y_speed), np.float64(z_speed), np.bool_(True),
                    )  # fmt: skip
                k += 1
                done += 1
        elif when >= STRIKES:
            strikes, phase = np.float64(rules[r].interval), np.float64(draw(rules[r].layer, table.number[i], KINK))
            born = table.born[i]
            first = strike_of(rules[r].layer, table.number[i], born, rules[r].interval)
            k = strike_of(rules[r].layer, table.number[i], born + since, rules[r].interval) + 1
            done = 0
            while strikes > 0 and (k - phase) / strikes <= born + until and done < _MOST_AT_ONCE:
                if told(rules, per_step, r, own, k - first, NO_LIMIT):
                    touched[5], touched[6], touched[7] = x, y, z
                    touched[1], touched[2], touched[3] = 0.0, 1.0, 0.0
                    _tell(
                        events, state, rules, r, step, (k - phase) / strikes, table, i, k - first, touched, np.float64(x_speed),
                        np.float64(y_speed), np.float64(z_speed), np.bool_(True),
                    )  # fmt: skip
                k += 1
                done += 1


@inlined
def tell_end(rules, per_step, events, state, step, at, table, i, own, touched, by_itself, x, y, z, x_speed, y_speed, z_speed):
    """The rules of the end of particle i at (x, y, z); by_itself : whether nothing was touched that ended it."""
    for r in range(rules.shape[0]):
        if rules[r].when == ENDS and told(rules, per_step, r, own, np.int64(0), NO_LIMIT):
            if by_itself:
                touched[1], touched[2], touched[3] = 0.0, 1.0, 0.0
            touched[5], touched[6], touched[7] = x, y, z
            _tell(
                events, state, rules, r, step, at, table, i, np.int64(0), touched, np.float64(x_speed),
                np.float64(y_speed), np.float64(z_speed), np.bool_(True),
            )  # fmt: skip
