"""The kernel that draws sizes, colours and pictures from a particle's age and number. Nothing here is kept."""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.effect.values import SAMPLES
from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.simulate.draws import (
    ANGLE,
    BRIGHTNESS,
    FIRST_FRAME,
    FRAME,
    OPACITY,
    SIZE,
    SPIN,
    STRETCH_X,
    STRETCH_Y,
    STRETCH_Z,
    TINT,
    draw,
    drawn,
)
from pale_ember.core.simulate.force_kernels import INDEX, lane_value, table_at
from pale_ember.core.simulate.plan import DRIVE, OVER, PLAY

_F0, _F1 = np.float32(0.0), np.float32(1.0)


@inlined
def _of(choices, pair, key, number, channel):
    """A number of a range, drawn for a particle."""
    value = pair[0]
    if value != pair[1] or pair[3] > 0.0:
        value = drawn(choices, value, pair[1], pair[2], pair[3], draw(key, number, channel))
    return value


@inlined
def _frame_of(plan, number, age, elapsed):
    """The sheet's frame, 0 up to but never reaching the number of frames."""
    frames = np.float32(plan.frames)
    if plan.play == PLAY.one_at_random:
        return np.floor(draw(plan.key, number, FRAME) * frames)
    if plan.play == PLAY.by_clock:
        turns = elapsed * plan.fps / plan.frames
        return np.float32((turns - math.floor(turns)) * plan.frames)
    if plan.play == PLAY.flicker:
        # Each tick is another particle number to the dice.
        tick = np.uint64(np.int64(max(elapsed * plan.fps, 0.0)))
        return np.floor(draw(plan.key, number ^ (tick << np.uint64(20)), FRAME) * frames)
    return min(age * frames, frames - np.float32(1e-3))


@inlined
def _place_on(lanes, j, at):
    """Where a value of its axis falls on lane j's table, in samples: the one before, and how far to the next."""
    place = min(max((at - lanes[j].low) * lanes[j].scale, _F0), _F1) * np.float32(SAMPLES - 1)
    before = min(np.int64(place), SAMPLES - 2) & INDEX
    return before, place - np.float32(before)


@inlined
def _hue_at(colours, row, before, part):
    """The colour of a lane there."""
    return (
        colours[row, before, 0] + (colours[row, before + 1, 0] - colours[row, before, 0]) * part,
        colours[row, before, 1] + (colours[row, before + 1, 1] - colours[row, before, 1]) * part,
        colours[row, before, 2] + (colours[row, before + 1, 2] - colours[row, before, 2]) * part,
    )


@inlined
def _driven_by(drives, value, width, wide, high, deep, bright, solid, factor, turned, frames):
    """What a lane's value makes of how a particle looks: factors on its size, its three sides, its brightness, its cover
    and its way, and the degrees and frames on top."""
    if drives == DRIVE.size:
        width *= value
    elif drives == DRIVE.brightness:
        bright *= value
    elif drives == DRIVE.opacity:
        solid *= value
    elif drives == DRIVE.speed:
        factor *= value
    elif drives == DRIVE.width:
        wide *= value
    elif drives == DRIVE.height:
        high *= value
    elif drives == DRIVE.depth:
        deep *= value
    elif drives == DRIVE.angle:
        turned += value
    elif drives == DRIVE.frame:
        frames += value
    return width, wide, high, deep, bright, solid, factor, turned, frames


@inlined
def _told_aside(lanes, j, value, driven, i):
    """Adds a lane's value to what is told by name. Factors are told as change on top of 1, so that several multiply and
    none is 1."""
    name = lanes[j].name
    if lanes[j].factor:
        value = (driven[name, i] + _F1) * value - _F1
        driven[name, i] = value
    else:
        driven[name, i] += value


@kernel
def seen_at(plans, lanes, tables, bands, colours, eye, number, position, size, angle, colour, frame, driven):
    """Applies lanes over the distance to an eye (3,) float32, m, to a Frame's arrays, in place."""
    plan = plans[0]
    total = np.float32(plan.frames)
    for i in range(number.shape[0]):
        x, y, z = position[i, 0] - eye[0], position[i, 1] - eye[1], position[i, 2] - eye[2]
        away = np.float32(math.sqrt(x * x + y * y + z * z))
        width, wide, high, deep, bright, solid, factor = _F1, _F1, _F1, _F1, _F1, _F1, _F1
        turned, frames, red, green, blue = _F0, _F0, _F1, _F1, _F1
        for j in range(lanes.shape[0]):
            if lanes[j].drives == DRIVE.colour:
                before, part = _place_on(lanes, j, away)
                r, g, b = _hue_at(colours, lanes[j].row, before, part)
                red, green, blue = red * r, green * g, blue * b
                continue
            value = lane_value(lanes, tables, bands, j, away, away, away, away, plan.key, number[i] & plan.same_mask)
            width, wide, high, deep, bright, solid, factor, turned, frames = _driven_by(
                lanes[j].drives, value, width, wide, high, deep, bright, solid, factor, turned, frames
            )
            if lanes[j].name >= 0:
                _told_aside(lanes, j, value, driven, i)
        width, bright = max(width, _F0), max(bright, _F0)
        size[i, 0], size[i, 1], size[i, 2] = (size[i, 0] * width * wide, size[i, 1] * width * high, size[i, 2] * width * deep)
        angle[i] += turned
        colour[i, 0], colour[i, 1], colour[i, 2] = (
            colour[i, 0] * red * bright,
            colour[i, 1] * green * bright,
            colour[i, 2] * blue * bright,
        )
        colour[i, 3] = min(max(colour[i, 3] * solid, _F0), _F1)
        shown = frame[i] + frames
        frame[i] = min(shown - np.floor(shown / total) * total, total - np.float32(1e-3))


@kernel
def appear(
    plans, choices, tints, everyday, hues, lanes, tables, bands, colours, pose, shares, table, count, times, ahead,
    age, position, velocity, size, angle, colour, frame, driven,
):  # fmt: skip
    """Fills the Frame's arrays, (count,) or (count, 2 to 4) float32, for the moments `times` + `ahead` of the layer.

    plans : (1,) of LOOK. everyday : (4, SAMPLES) float32, plain lanes over age on size, brightness, opacity and speed;
    hues : (SAMPLES, 3) float32, that on the colour. lanes, tables, bands, colours : all others that show.
    pose : (12,) float64, axes and origin of
    a local layer. shares : (rules, 2) float32, how much of a parent's size and colour each rule passes on.
    times : (1 or count,) float64. driven : (names, count) float32.
    Places are carried `ahead` (s of the layer) along their velocity; velocities are told in world metres per
    second of real time.
    """
    plan = plans[0]
    key = plan.key
    step = np.float32(ahead)
    quick = np.float32(plan.tempo)
    n_lanes, last_tint = lanes.shape[0], tints.shape[0] - 1
    for i in range(count):
        number = table.number[i] & plan.same_mask
        time = times[i if times.shape[0] > 1 else 0]
        now = time * plan.clock
        clock = np.float32(now - math.floor(now / plan.duration) * plan.duration) if plan.loops else np.float32(now)
        elapsed = time + ahead - table.born[i]
        share = np.float32(elapsed) / max(table.life[i], np.float32(1e-9))
        if plan.ages:
            share += table.aged[i]
        share = min(max(share, _F0), _F1)
        age[i] = share
        vx, vy, vz = table.vx[i], table.vy[i], table.vz[i]
        plus_x, plus_y, plus_z = _F0, _F0, _F0
        if plan.adds:
            vx, vy, vz = plan.own[0] * vx, plan.own[1] * vy, plan.own[2] * vz
            plus_x, plus_y, plus_z = table.plus_x[i], table.plus_y[i], table.plus_z[i]
        sx, sy, sz = vx + plus_x, vy + plus_y, vz + plus_z
        gone = table.travelled[i] if plan.travels else _F0
        width = _of(choices, plan.size, key, number, SIZE) * plan.scale
        bright = _of(choices, plan.brightness, key, number, BRIGHTNESS)
        solid = _of(choices, plan.opacity, key, number, OPACITY)
        turned = _of(choices, plan.angle, key, number, ANGLE)
        turned += _of(choices, plan.spin, key, number, SPIN) * np.float32(elapsed)
        if plan.turns:
            turned += table.turned[i]
        wide, high, deep, factor, frames = _F1, plan.aspect, _F1, _F1, _F0
        wide *= _of(choices, plan.stretch[0], key, number, STRETCH_X)
        high *= _of(choices, plan.stretch[1], key, number, STRETCH_Y)
        deep *= _of(choices, plan.stretch[2], key, number, STRETCH_Z)
        red, green, blue = tints[0, 0], tints[0, 1], tints[0, 2]
        if last_tint > 0:
            at = draw(key, number, TINT) * np.float32(last_tint)
            t = min(np.int64(at), last_tint - 1) & INDEX
            part = at - np.float32(t)
            red = tints[t, 0] + (tints[t + 1, 0] - tints[t, 0]) * part
            green = tints[t, 1] + (tints[t + 1, 1] - tints[t, 1]) * part
            blue = tints[t, 2] + (tints[t + 1, 2] - tints[t, 2]) * part
        if plan.kin and table.kin_rule[i] >= 0:
            of_size, of_colour = shares[table.kin_rule[i], 0], shares[table.kin_rule[i], 1]
            width += (table.kin_size[i] - width) * of_size
            red += (table.kin_red[i] - red) * of_colour
            green += (table.kin_green[i] - green) * of_colour
            blue += (table.kin_blue[i] - blue) * of_colour
        place = share * np.float32(SAMPLES - 1)
        c = min(np.int64(place), SAMPLES - 2) & INDEX
        part = place - np.float32(c)
        if plan.sized:
            width *= everyday[0, c] + (everyday[0, c + 1] - everyday[0, c]) * part
        if plan.lit:
            bright *= everyday[1, c] + (everyday[1, c + 1] - everyday[1, c]) * part
        if plan.faded:
            solid *= everyday[2, c] + (everyday[2, c + 1] - everyday[2, c]) * part
        if plan.paced:
            factor *= everyday[3, c] + (everyday[3, c + 1] - everyday[3, c]) * part
        if plan.hued:
            red *= hues[c, 0] + (hues[c + 1, 0] - hues[c, 0]) * part
            green *= hues[c, 1] + (hues[c + 1, 1] - hues[c, 1]) * part
            blue *= hues[c, 2] + (hues[c + 1, 2] - hues[c, 2]) * part
        for k in range(driven.shape[0]):
            driven[k, i] = _F0
        for j in range(n_lanes):
            drives, over = lanes[j].drives, lanes[j].over
            if drives == DRIVE.colour:
                on = share if over == OVER.age else clock
                if over == OVER.speed:
                    on = np.float32(math.sqrt(sx * sx + sy * sy + sz * sz))
                elif over == OVER.distance:
                    on = gone
                c, part = _place_on(lanes, j, on)
                r, g, b = _hue_at(colours, lanes[j].row, c, part)
                red *= r
                green *= g
                blue *= b
                continue
            if over == OVER.age and not lanes[j].banded and lanes[j].jumps == 0:
                value = table_at(tables, lanes[j].row, share)
            else:
                speed = _F0
                if over == OVER.speed:
                    speed = np.float32(math.sqrt(sx * sx + sy * sy + sz * sz))
                value = lane_value(lanes, tables, bands, j, share, speed, gone, clock, key, number)
            width, wide, high, deep, bright, solid, factor, turned, frames = _driven_by(
                drives, value, width, wide, high, deep, bright, solid, factor, turned, frames
            )
            if lanes[j].name >= 0:
                _told_aside(lanes, j, value, driven, i)
        vx, vy, vz = vx * factor + plus_x, vy * factor + plus_y, vz * factor + plus_z
        x, y, z = table.px[i] + vx * step, table.py[i] + vy * step, table.pz[i] + vz * step
        if plan.local:
            m = pose
            x, y, z = (
                np.float32(m[0] * x + m[1] * y + m[2] * z + m[9]),
                np.float32(m[3] * x + m[4] * y + m[5] * z + m[10]),
                np.float32(m[6] * x + m[7] * y + m[8] * z + m[11]),
            )
            vx, vy, vz = (
                np.float32(m[0] * vx + m[1] * vy + m[2] * vz),
                np.float32(m[3] * vx + m[4] * vy + m[5] * vz),
                np.float32(m[6] * vx + m[7] * vy + m[8] * vz),
            )
        position[i, 0], position[i, 1], position[i, 2] = x, y, z
        velocity[i, 0], velocity[i, 1], velocity[i, 2] = vx * quick, vy * quick, vz * quick
        width = max(width, _F0)
        size[i, 0], size[i, 1], size[i, 2] = width * wide, width * high, width * deep
        angle[i] = turned
        bright = max(bright, _F0)
        colour[i, 0], colour[i, 1], colour[i, 2] = red * bright, green * bright, blue * bright
        colour[i, 3] = min(max(solid, _F0), _F1)
        shown = _frame_of(plan, number, share, elapsed) + frames
        if plan.first[1] > _F0 or plan.first[3] > _F0:
            shown += np.floor(_of(choices, plan.first, key, number, FIRST_FRAME))
        total = np.float32(plan.frames)
        frame[i] = min(shown - np.floor(shown / total) * total, total - np.float32(1e-3))
