"""The kernel that says what particles look like at a moment: size, colour, angle and frame from (age, particle)."""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.simulate.draws import ANGLE, BRIGHTNESS, FRAME, OPACITY, SIZE, SPIN, TINT, draw
from pale_ember.core.simulate.kernel import inlined, kernel
from pale_ember.core.simulate.motion import lane_at
from pale_ember.core.simulate.plan import AT_RANDOM, BY_CLOCK

_F0, _F1 = np.float32(0.0), np.float32(1.0)


@inlined
def _between(pair, share):
    return pair[0] + (pair[1] - pair[0]) * share


@kernel
def _frame_of(plan, number, age, elapsed):
    """The sheet's frame, 0 up to but never reaching the number of frames."""
    frames = np.float32(plan.frames)
    if plan.play == AT_RANDOM:
        return np.floor(draw(plan.key, number, FRAME) * frames)
    if plan.play == BY_CLOCK:
        turns = elapsed * plan.fps / plan.frames
        return np.float32((turns - math.floor(turns)) * plan.frames)
    return min(age * frames, frames - np.float32(1e-3))


@kernel
def appear(plans, lanes, table, count, time, ahead, age, position, velocity, size, angle, colour, frame):
    """Fills the Frame's arrays, (count,) or (count, 2 to 4) float32, for the moment `time` + `ahead` of the effect.

    plans : (1,) of LOOK. lanes : sampled size, colour, brightness, opacity and speed.
    Places are carried `ahead` (s of the effect) along their velocity; velocities are told in world metres per
    second of real time.
    """
    plan = plans[0]
    size_lane, colour_lane, brightness_lane, opacity_lane, speed_lane = lanes
    m, o = plan.turn, plan.place
    step = np.float32(ahead)
    quick = np.float32(plan.tempo)
    for i in range(count):
        number = table.number[i] & plan.same_mask
        elapsed = time + ahead - table.born[i]
        share = min(np.float32(elapsed) / table.life[i], _F1)
        age[i] = share
        factor = lane_at(speed_lane, share) if speed_lane.shape[0] > 1 else _F1
        vx, vy, vz = table.vx[i] * factor, table.vy[i] * factor, table.vz[i] * factor
        x, y, z = table.px[i] + vx * step, table.py[i] + vy * step, table.pz[i] + vz * step
        if plan.local:
            x, y, z = (
                m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + o[0],
                m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + o[1],
                m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + o[2],
            )
            vx, vy, vz = (
                m[0, 0] * vx + m[0, 1] * vy + m[0, 2] * vz,
                m[1, 0] * vx + m[1, 1] * vy + m[1, 2] * vz,
                m[2, 0] * vx + m[2, 1] * vy + m[2, 2] * vz,
            )
        position[i, 0], position[i, 1], position[i, 2] = x, y, z
        velocity[i, 0], velocity[i, 1], velocity[i, 2] = vx * quick, vy * quick, vz * quick
        width = _between(plan.size, draw(plan.key, number, SIZE)) * lane_at(size_lane, share)
        size[i, 0], size[i, 1], size[i, 2] = width, width * plan.aspect, width
        turned = _between(plan.angle, draw(plan.key, number, ANGLE))
        angle[i] = turned + _between(plan.spin, draw(plan.key, number, SPIN)) * np.float32(elapsed)
        bright = _between(plan.brightness, draw(plan.key, number, BRIGHTNESS)) * lane_at(brightness_lane, share)
        tint = draw(plan.key, number, TINT)
        for c in range(3):
            lane = lane_at(colour_lane[:, c], share)
            colour[i, c] = (plan.tint[0, c] + (plan.tint[1, c] - plan.tint[0, c]) * tint) * lane * bright
        solid = _between(plan.opacity, draw(plan.key, number, OPACITY)) * lane_at(opacity_lane, share)
        colour[i, 3] = min(max(solid, _F0), _F1)
        frame[i] = _frame_of(plan, number, share, elapsed)
