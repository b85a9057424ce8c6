"""The kernel that moves particles: births, forces, contact and deaths of one layer, step after step.

Within one step the air and the accelerations are constant, taken at the middle of the way, and drag is exact, so a free
throw follows its closed form whatever the step: with drag k and air u, over a time h,

    v' = v A + u (1 - A) + g B        x' = x + v B + u (h - B) + g G
    A = exp(-k h)    B = (1 - A) / k    G = (h - B) / k
"""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.effect.values import SAMPLES
from pale_ember.core.simulate.contact import (
    BORN,
    ENDS,
    EVERY_METRE,
    EVERY_SECOND,
    TOUCHES,
    carried_along,
    coefficients,
    meet,
    nearby,
    told,
)
from pale_ember.core.simulate.draws import draw, drawn
from pale_ember.core.simulate.field import EDDY_CELLS, air
from pale_ember.core.simulate.kernel import inlined, kernel
from pale_ember.core.simulate.plan import DRIVE, OVER, PASS, PUSHES, REGION

_F0, _F1, _HALF, _TWO = np.float32(0.0), np.float32(1.0), np.float32(0.5), np.float32(2.0)
INDEX = 0xFFFFFFFF
"""A mask that changes no index but tells the compiler that none is negative: without it every access to an array is
checked and corrected, which cost a third of the step."""
_NO_LIMIT = np.float32(3e38)

_MOST_AT_ONCE = 64
"""The most times a rule by distance or time happens to one particle in one step."""


@inlined
def table_at(table, row, place):
    """A sampled row at a place from 0 to 1, float32, straight between samples."""
    at = min(max(place, _F0), _F1) * np.float32(SAMPLES - 1)
    i = min(np.int64(at), SAMPLES - 2) & INDEX
    return table[row, i] + (table[row, i + 1] - table[row, i]) * (at - np.float32(i))


@kernel
def lane_value(lanes, tables, bands, j, age, speed, travelled, clock, key, number):
    """What lane j gives a particle, float32: its curve, and its own place in the band."""
    over = lanes[j].over
    at = age if over == OVER.age else speed if over == OVER.speed else travelled if over == OVER.distance else clock
    place = (at - lanes[j].low) * lanes[j].scale
    value = table_at(tables, lanes[j].row, place)
    for k in range(lanes[j].jumps):
        if place >= tables[lanes[j].row, SAMPLES + 2 * k]:
            value += tables[lanes[j].row, SAMPLES + 2 * k + 1]
    if lanes[j].banded:
        side = _TWO * draw(key, number, lanes[j].channel) - _F1
        value += side * table_at(bands, lanes[j].row, place)
    return value


@inlined
def _eddies(field, x, y, z, scale, drift_x, drift_y, drift_z, time, detail):
    """The eddies' velocity at a place and time, RMS 1, float32; `scale` in cells a metre."""
    t = np.float32(time)
    qx, qy, qz = (x - drift_x * t) * scale, (y - drift_y * t) * scale, (z - drift_z * t) * scale
    u, v, w = air(field, qx, qy, qz)
    if detail > 0.0:
        finer, weight = np.float32(2.17), np.float32(0.5 * detail)
        # Other axes and another corner of the field, so that the finer eddies are not the large ones again.
        v2, w2, u2 = air(field, qy * finer + np.float32(17.3), qz * finer + np.float32(5.1), qx * finer)
        norm = np.float32(1.0 / math.sqrt(1.0 + 0.25 * detail * detail))
        u, v, w = (u + weight * u2) * norm, (v + weight * v2) * norm, (w + weight * w2) * norm
    return u, v, w


@kernel
def _stirred(field, x, y, z, scale, drift_x, drift_y, drift_z, time):
    t = np.float32(time)
    return air(field, (x - drift_x * t) * scale, (y - drift_y * t) * scale, (z - drift_z * t) * scale)


@kernel
def _share_inside(force, x, y, z):
    """1 where a force works at (x, y, z) and 0 where it does not."""
    if force.region == REGION.everywhere:
        return _F1
    dx, dy, dz = x - force.middle[0], y - force.middle[1], z - force.middle[2]
    m, half = force.into, force.half
    bx = (m[0, 0] * dx + m[0, 1] * dy + m[0, 2] * dz) / max(half[0], np.float32(1e-9))
    by = (m[1, 0] * dx + m[1, 1] * dy + m[1, 2] * dz) / max(half[1], np.float32(1e-9))
    bz = (m[2, 0] * dx + m[2, 1] * dy + m[2, 2] * dz) / max(half[2], np.float32(1e-9))
    if force.region == REGION.in_a_ball:
        return _F1 if bx * bx + by * by + bz * bz <= _F1 else _F0
    if force.region == REGION.in_a_block:
        return _F1 if max(abs(bx), abs(by), abs(bz)) <= _F1 else _F0
    return _F0


@kernel
def _gust_at(key, number, time, period, calm):
    """A wind's swell at a time, 1 on average: smooth noise with one value a period."""
    place = time / period
    i = math.floor(place)
    t = place - i
    t = t * t * (3.0 - 2.0 * t)
    one = draw(key, np.uint64(np.int64(i) & 0xFFFFFFFF), number)
    two = draw(key, np.uint64((np.int64(i) + 1) & 0xFFFFFFFF), number)
    return np.float32(1.0 + calm * (2.0 * (one + (two - one) * t) - 1.0))


@kernel
def _advance(plan, field, speed_lane, touching, more, table, first, count, left, step, newborn):
    """Moves rows `first` to `count` to the end of `step` and writes those still alive from row `left` on; returns where
    they end. Newborn rows stand at their births and are carried from there, the others over one whole step.

    speed_lane : (1, SAMPLES) float32, or no rows. touching : surfaces, nodes, triangles and a place for touches.
    more : None for a layer of everyday, which compiles to half the time; else choices, lanes, tables, bands, forces,
    rules, events of each rule in this step, events and their state.
    """
    px, py, pz, vx, vy, vz, born, lives, number = table[:9]
    surfaces, nodes, triangles, touched = touching
    time = step * plan.step_time
    # Just as the step before had it, so that nothing falls between the two.
    begin = (step - 1) * plan.step_time
    h = np.float32(plan.step_time)
    base_a, base_b, base_g = coefficients(plan.drag, h)
    n_surfaces = surfaces.shape[0]
    meets, stirred, laned = plan.meets != PASS and n_surfaces > 0, plan.turbulence > _F0, speed_lane.shape[0] > 0
    mid_time = begin + 0.5 * plan.step_time
    # Read once: as the compiler sees it, every row written might be a piece of the plan.
    wind_x, wind_y, wind_z = plan.wind_x, plan.wind_y, plan.wind_z
    pull_x, pull_y, pull_z = plan.gx, plan.gy, plan.gz
    still, eddying, touch = plan.drag, plan.turbulence, plan.touch
    cells, drift_x, drift_y, drift_z, detail = (
        plan.cells_per_metre, plan.drift_x, plan.drift_y, plan.drift_z, plan.detail,
    )  # fmt: skip
    first, left = first & INDEX, left & INDEX
    if more is not None:
        choices, lanes, tables, bands, forces, rules, per_step, events, state = more
        aged, travelled, turned, touches, held = table[9:14]
        n_lanes, n_forces, n_rules = lanes.shape[0], forces.shape[0], rules.shape[0]
        key, sticks = plan.key, held.shape[0] > 0
        zero, new = np.int64(0), np.bool_(True)
        now = time * plan.clock
        clock = np.float32(now - math.floor(now / plan.duration) * plan.duration) if plan.loops else np.float32(now)
    for i in range(first, count):
        birth, life = born[i], lives[i]
        elapsed = np.float32(time - birth)
        dies = elapsed >= life
        if more is not None:
            older = aged[i] if plan.ages else _F0
            span = life * (_F1 - older)
            dies = elapsed >= span
            if dies and not plan.end_rules:
                continue
        elif dies:
            continue
        hh, a, b, g, start = h, base_a, base_b, base_g, begin
        if newborn:
            start = birth
            hh = np.float32(min(max(time - birth, 0.0), plan.step_time))
            a, b, g = coefficients(plan.drag, hh)
        if more is not None:  # noqa: SIM102 - a layer of everyday compiles without what stands under it
            if dies:
                hh = np.float32(min(max(birth + span - start, 0.0), plan.step_time))
                elapsed = np.float32(start - birth) + hh
                a, b, g = coefficients(plan.drag, hh)
        x, y, z, x_speed, y_speed, z_speed = px[i], py[i], pz[i], vx[i], vy[i], vz[i]
        ux, uy, uz = wind_x, wind_y, wind_z
        gx, gy, gz = pull_x, pull_y, pull_z
        factor, drag, stir = _F1, still, eddying
        ex, ey, ez, fx, fy, fz = _F0, _F0, _F0, _F1, _F1, _F1
        ended, stuck = False, np.int64(-1)
        if laned:
            factor = table_at(speed_lane, 0, (elapsed - _HALF * hh) / max(life, np.float32(1e-9)))
        if more is not None:
            came, holder = _F0, np.int64(0)
            if sticks and held[i] > 0:
                x, y, z = carried_along(surfaces[held[i] - 1], x, y, z)
                if dies:
                    ended = True
                else:
                    px[left], py[left], pz[left] = x, y, z
                    vx[left], vy[left], vz[left] = x_speed, y_speed, z_speed
                    _further(plan, table, i, left, held[i], older, came)
                    left += 1
                    continue
            own, fastest = number[i] & plan.same_mask, _NO_LIMIT
            gone = travelled[i] if plan.travels else _F0
            quick = _F0
            if n_lanes > 0:
                age = (elapsed - _HALF * hh) / max(life, np.float32(1e-9)) + older
                quick = np.float32(math.sqrt(x_speed * x_speed + y_speed * y_speed + z_speed * z_speed))
                for j in range(n_lanes):
                    drives = lanes[j].drives
                    if drives == DRIVE.force:
                        continue
                    value = lane_value(lanes, tables, bands, j, age, quick, gone, clock, key, own)
                    if drives == DRIVE.speed:
                        factor *= value
                    elif drives == DRIVE.gravity:
                        gx, gy, gz = gx * value, gy * value, gz * value
                    elif drives == DRIVE.drag:
                        drag *= max(value, _F0)
                    elif drives == DRIVE.wind:
                        ux, uy, uz = ux * value, uy * value, uz * value
                    elif drives == DRIVE.turbulence:
                        stir *= value
                    elif drives == DRIVE.velocity_x:
                        ex, fx = ex + value, (_F0 if lanes[j].instead else fx)
                    elif drives == DRIVE.velocity_y:
                        ey, fy = ey + value, (_F0 if lanes[j].instead else fy)
                    elif drives == DRIVE.velocity_z:
                        ez, fz = ez + value, (_F0 if lanes[j].instead else fz)
                    elif drives == DRIVE.spin:
                        turned[i] += value * hh
        half = _HALF * hh
        mx, my, mz = x + half * x_speed, y + half * y_speed, z + half * z_speed
        if stirred:
            ru, rv, rw = _eddies(field, mx, my, mz, cells, drift_x, drift_y, drift_z, mid_time, detail)
            ux, uy, uz = ux + stir * ru, uy + stir * rv, uz + stir * rw
        if more is not None:
            slows = _F0
            for j in range(n_forces):
                inside = _share_inside(forces[j], mx, my, mz)
                if inside == _F0:
                    continue
                s = forces[j].strength[0]
                if s != forces[j].strength[1] or forces[j].strength[3] > _F0:
                    s = drawn(
                        choices, s, forces[j].strength[1], forces[j].strength[2], forces[j].strength[3],
                        draw(key, own, forces[j].channel),
                    )  # fmt: skip
                if forces[j].laned:
                    for k in range(n_lanes):
                        if lanes[k].drives == DRIVE.force and lanes[k].target == j:
                            s *= lane_value(lanes, tables, bands, k, age, quick, gone, clock, key, own)
                kind, axis = forces[j].kind, forces[j].axis
                if kind == PUSHES.push:
                    gx, gy, gz = gx + s * axis[0], gy + s * axis[1], gz + s * axis[2]
                elif kind == PUSHES.thrust:
                    size = np.float32(math.sqrt(x_speed * x_speed + y_speed * y_speed + z_speed * z_speed))
                    if size > np.float32(1e-6):
                        # Held back, it stops and does not turn round.
                        s = max(s, -size / max(hh, np.float32(1e-6))) / size
                        gx, gy, gz = gx + s * x_speed, gy + s * y_speed, gz + s * z_speed
                elif kind == PUSHES.gust:
                    s *= _gust_at(
                        key, forces[j].channel, mid_time, np.float32(forces[j].period), np.float32(forces[j].calm)
                    )
                    ux, uy, uz = ux + s * axis[0], uy + s * axis[1], uz + s * axis[2]
                elif kind == PUSHES.brake:
                    drag, slows = drag + max(s, _F0), slows + np.float32(forces[j].quadratic)
                elif kind == PUSHES.stir:
                    d, scale = forces[j].drift, np.float32(EDDY_CELLS / forces[j].eddy)
                    ru, rv, rw = _stirred(field, mx, my, mz, scale, d[0], d[1], d[2], mid_time)
                    ux, uy, uz = ux + s * ru, uy + s * rv, uz + s * rw
                elif kind == PUSHES.speed_limit:
                    fastest = min(fastest, max(s, _F0))
                else:
                    p = forces[j].place
                    dx, dy, dz = mx - p[0], my - p[1], mz - p[2]
                    if kind == PUSHES.attractor:
                        size = np.float32(math.sqrt(dx * dx + dy * dy + dz * dz))
                        reach, falloff = np.float32(forces[j].radius), np.float32(forces[j].falloff)
                        near = max(size, np.float32(0.05) * reach)
                        pull = s * (reach / near) ** falloff / near
                        gx, gy, gz = gx - pull * dx, gy - pull * dy, gz - pull * dz
                    else:
                        tx = axis[1] * dz - axis[2] * dy
                        ty = axis[2] * dx - axis[0] * dz
                        tz = axis[0] * dy - axis[1] * dx
                        if kind == PUSHES.vortex:
                            up = axis[0] * dx + axis[1] * dy + axis[2] * dz
                            dx, dy, dz = dx - up * axis[0], dy - up * axis[1], dz - up * axis[2]
                            size = np.float32(math.sqrt(dx * dx + dy * dy + dz * dz))
                            core = max(size, np.float32(forces[j].radius))
                            whirl, pull = s / core, np.float32(forces[j].pull) / core
                            gx, gy, gz = gx + whirl * tx, gy + whirl * ty, gz + whirl * tz
                            gx, gy, gz = gx - pull * dx, gy - pull * dy, gz - pull * dz
                        elif kind == PUSHES.radial:
                            size = np.float32(math.sqrt(dx * dx + dy * dy + dz * dz))
                            away = s / max(size, np.float32(1e-3))
                            round_size = np.float32(math.sqrt(tx * tx + ty * ty + tz * tz))
                            around = np.float32(forces[j].around) / max(round_size, np.float32(1e-3))
                            gx, gy, gz = gx + away * dx, gy + away * dy, gz + away * dz
                            gx, gy, gz = gx + around * tx, gy + around * ty, gz + around * tz
            if slows > _F0 or drag != still:
                if slows > _F0:
                    # Quadratic drag, with the speed it will have in the middle of the step.
                    rx, ry, rz = x_speed - ux, y_speed - uy, z_speed - uz
                    size = np.float32(math.sqrt(rx * rx + ry * ry + rz * rz))
                    ha, hb, _hg = coefficients(drag + slows * size, half)
                    rx, ry, rz = rx * ha + gx * hb, ry * ha + gy * hb, rz * ha + gz * hb
                    drag += slows * np.float32(math.sqrt(rx * rx + ry * ry + rz * rz))
                a, b, g = coefficients(drag, hh)
        rest, lost = hh - b, _F1 - a
        to_x = x + factor * (x_speed * b + ux * rest + gx * g)
        to_y = y + factor * (y_speed * b + uy * rest + gy * g)
        to_z = z + factor * (z_speed * b + uz * rest + gz * g)
        if more is not None:
            to_x = x + fx * (to_x - x) + ex * hh
            to_y = y + fy * (to_y - y) + ey * hh
            to_z = z + fz * (to_z - z) + ez * hh
        near_some = False
        if meets:
            for j in range(n_surfaces):
                near_some = near_some or nearby(surfaces[j], x, y, z, to_x, to_y, to_z, touch)
        if near_some:
            way = (
                np.float64(ux), np.float64(uy), np.float64(uz), np.float64(gx), np.float64(gy), np.float64(gz),
                np.float64(drag), np.float64(factor), np.float64(ex), np.float64(ey), np.float64(ez),
                np.float64(fx), np.float64(fy), np.float64(fz),
            )  # fmt: skip
            qx, qy, qz, wx, wy, wz, counted, ended, stuck = meet(
                plan, surfaces, nodes, triangles, way, np.float64(x), np.float64(y), np.float64(z),
                np.float64(x_speed), np.float64(y_speed), np.float64(z_speed), np.float64(hh),
                (start - begin) / plan.step_time, touched,
            )  # fmt: skip
            to_x, to_y, to_z = np.float32(qx), np.float32(qy), np.float32(qz)
            x_speed, y_speed, z_speed = np.float32(wx), np.float32(wy), np.float32(wz)
            if more is not None:
                holder = stuck + 1
                if counted > 0:
                    if plan.ages:
                        older = min(older + plan.ageing * np.float32(counted), np.float32(2.0))
                        ended = ended or elapsed >= life * (_F1 - older)
                    if plan.tracks_touches:
                        at = start + touched[0]
                        for r in range(n_rules):
                            if rules[r].when == TOUCHES and told(
                                rules, per_step, r, own, np.int64(touches[i]), np.float32(touched[4])
                            ):
                                _tell(
                                    events,
                                    state,
                                    rules,
                                    r,
                                    step,
                                    at,
                                    table,
                                    i,
                                    np.int64(touches[i]),
                                    touched,
                                    wx,
                                    wy,
                                    wz,
                                    new,
                                )
                        touches[i] += counted
        else:
            x_speed = x_speed * a + ux * lost + gx * b
            y_speed = y_speed * a + uy * lost + gy * b
            z_speed = z_speed * a + uz * lost + gz * b
        if more is not None:
            if fastest < _NO_LIMIT:
                size = np.float32(math.sqrt(x_speed * x_speed + y_speed * y_speed + z_speed * z_speed))
                if size > fastest:
                    slower = fastest / size
                    x_speed, y_speed, z_speed = x_speed * slower, y_speed * slower, z_speed * slower
            if plan.travels or n_rules > 0:
                dx, dy, dz = to_x - x, to_y - y, to_z - z
                came = np.float32(math.sqrt(dx * dx + dy * dy + dz * dz))
            for r in range(n_rules):
                when = rules[r].when
                if when == EVERY_METRE or when == EVERY_SECOND:
                    each = np.float64(rules[r].each)
                    low, high = np.float64(gone), np.float64(gone + came)
                    if when == EVERY_SECOND:
                        low, high = start - birth, (span if dies else time - birth)
                    k = np.int64(math.floor(low / each)) + 1
                    done = 0
                    while k * each <= high and done < _MOST_AT_ONCE:
                        part = np.float32((k * each - low) / max(high - low, 1e-12))
                        if told(rules, per_step, r, own, k - 1, _NO_LIMIT):
                            touched[5], touched[6], touched[7] = x + part * dx, y + part * dy, z + part * dz
                            touched[1], touched[2], touched[3] = 0.0, 1.0, 0.0
                            at = start + np.float64(part * hh)
                            _tell(
                                events, state, rules, r, step, at, table, i, k - 1, touched, np.float64(x_speed),
                                np.float64(y_speed), np.float64(z_speed), new,
                            )  # fmt: skip
                        k += 1
                        done += 1
            if dies or ended:
                if plan.end_rules:
                    at = start + np.float64(hh)
                    for r in range(n_rules):
                        if rules[r].when == ENDS and told(rules, per_step, r, own, zero, _NO_LIMIT):
                            if dies or not near_some:
                                touched[1], touched[2], touched[3] = 0.0, 1.0, 0.0
                            touched[5], touched[6], touched[7] = to_x, to_y, to_z
                            _tell(
                                events, state, rules, r, step, at, table, i, zero, touched, np.float64(x_speed),
                                np.float64(y_speed), np.float64(z_speed), new,
                            )  # fmt: skip
                continue
        elif ended:
            continue
        px[left], py[left], pz[left] = to_x, to_y, to_z
        vx[left], vy[left], vz[left] = x_speed, y_speed, z_speed
        if more is not None:
            _further(plan, table, i, left, holder, older, came)
        elif left != i:
            born[left], lives[left], number[left] = birth, life, number[i]
            if plan.kin:
                _kin(table, i, left)
        left += 1
    return left


@kernel
def own_of(plan, number):
    return number & plan.same_mask


@kernel
def _kin(table, i, left):
    """Copies what a particle has of its parent from row i to row `left`."""
    table.kin_rule[left], table.kin_size[left] = table.kin_rule[i], table.kin_size[i]
    table.kin_red[left], table.kin_green[left] = table.kin_red[i], table.kin_green[i]
    table.kin_blue[left] = table.kin_blue[i]


@kernel
def _further(plan, table, i, left, holder, older, came):
    """Writes the columns of row `left` that only some layers have, and copies from row i what a step leaves alone."""
    if plan.travels:
        table.travelled[left] = table.travelled[i] + came
    if plan.ages:
        table.aged[left] = older
    if table.held.shape[0] > 0:
        table.held[left] = holder
    if left != i:
        table.born[left], table.life[left], table.number[left] = table.born[i], table.life[i], table.number[i]
        if plan.turns:
            table.turned[left] = table.turned[i]
        if plan.tracks_touches:
            table.touches[left] = table.touches[i]
        if plan.kin:
            _kin(table, i, left)


@kernel
def _tell(events, state, rules, rule, step, time, table, i, occurrence, touched, wx, wy, wz, moved):
    """Writes one event of particle i. state : events written, and 1 when there was no room."""
    n = state[0]
    if n >= events.shape[0]:
        state[1] = 1
        return
    one = events[n]
    one.rule, one.step, one.time, one.occurrence = rule, step, time, occurrence
    one.number, one.born, one.life = table.number[i], table.born[i], table.life[i]
    if moved:
        one.px, one.py, one.pz = np.float32(touched[5]), np.float32(touched[6]), np.float32(touched[7])
        one.nx, one.ny, one.nz = np.float32(touched[1]), np.float32(touched[2]), np.float32(touched[3])
    else:
        one.px, one.py, one.pz = table.px[i], table.py[i], table.pz[i]
        one.nx, one.ny, one.nz = _F0, _F1, _F0
    one.vx, one.vy, one.vz = np.float32(wx), np.float32(wy), np.float32(wz)
    one.aged = table.aged[i] if table.aged.shape[0] > 0 else _F0
    one.travelled = table.travelled[i] if table.travelled.shape[0] > 0 else _F0
    one.turned = table.turned[i] if table.turned.shape[0] > 0 else _F0
    one.kin_rule = -1
    if table.kin_rule.shape[0] > 0:
        one.kin_rule, one.kin_size = table.kin_rule[i], table.kin_size[i]
        one.kin_red, one.kin_green, one.kin_blue = table.kin_red[i], table.kin_green[i], table.kin_blue[i]
    state[0] = n + 1


@kernel
def _coast(plan, table, count, time):
    """Moves particles that nothing pushes over one whole step; returns how many still live."""
    px, py, pz, vx, vy, vz, born, lives, number = table[:9]
    h = np.float32(plan.step_time)
    left = 0
    for i in range(count):
        if np.float32(time - born[i]) >= lives[i]:
            continue
        to = left & INDEX
        px[to], py[to], pz[to] = px[i] + vx[i] * h, py[i] + vy[i] * h, pz[i] + vz[i] * h
        if to != i:
            vx[to], vy[to], vz[to] = vx[i], vy[i], vz[i]
            born[to], lives[to], number[to] = born[i], lives[i], number[i]
            if plan.kin:
                _kin(table, i, to)
        left += 1
    return left


@kernel
def _admit(plan, births, first, last, table, count):
    """Takes the births in rows `first` to `last` into the table, as far as the limit lets; returns where the newborn
    begin and the new count."""
    limit = min(plan.limit, table.born.shape[0])
    if plan.retires:
        first = max(first, last - limit)
        over = count + last - first - limit
        if over > 0:
            over = min(over, count)
            for row in range(count - over):
                _copy_row(table, row + over, table, row)
            count -= over
    begun = count
    for row in range(first, last):
        if count >= limit:
            break
        _copy_row(births, row, table, count)
        count += 1
    return begun, count


@kernel
def _copy_row(source, i, table, row):
    table.px[row], table.py[row], table.pz[row] = source.px[i], source.py[i], source.pz[i]
    table.vx[row], table.vy[row], table.vz[row] = source.vx[i], source.vy[i], source.vz[i]
    table.born[row], table.life[row], table.number[row] = source.born[i], source.life[i], source.number[i]
    if table.aged.shape[0] > 0:
        table.aged[row] = source.aged[i]
    if table.travelled.shape[0] > 0:
        table.travelled[row] = source.travelled[i]
    if table.turned.shape[0] > 0:
        table.turned[row] = source.turned[i]
    if table.touches.shape[0] > 0:
        table.touches[row] = source.touches[i]
    if table.held.shape[0] > 0:
        table.held[row] = source.held[i]
    if table.kin_rule.shape[0] > 0:
        table.kin_rule[row], table.kin_size[row] = source.kin_rule[i], source.kin_size[i]
        table.kin_red[row], table.kin_green[row] = source.kin_red[i], source.kin_green[i]
        table.kin_blue[row] = source.kin_blue[i]


@kernel
def run(plans, field, speed_lane, touching, more, births, due, table, count, step, last, alive):
    """Carries a table from `step` to `last`; returns how many live then.

    plans : (1,) of MOTION. field : the baked eddies. touching : surfaces (1 or steps, n) in the axes of the simulation,
    the nodes and triangles of meshes, and (8,) float64 to work in. births : a Table of all that is born on the way, in
    order; due : (steps + 1,) int64, which rows each step takes. alive : (steps,) int64, filled with the count after
    each. more : None for a layer of everyday; else choices, lanes, their tables and bands, forces (1 or steps, n),
    rules, (r,) int64 to count in, events to fill, and (2,) int64: how many were written, and 1 if room was short.
    """
    plan = plans[0]
    begun = step
    surfaces, nodes, triangles, touched = touching
    # Written as calls these are variables: as literals, each would have a kernel compiled for itself.
    zero, old, new = np.int64(0), np.bool_(False), np.bool_(True)
    while step < last:
        k = step - begun
        step += 1
        met = (surfaces[k if surfaces.shape[0] > 1 else 0], nodes, triangles, touched)
        if more is None:
            if plan.coasts:
                kept = _coast(plan, table, count, step * plan.step_time)
            else:
                kept = _advance(plan, field, speed_lane, met, None, table, zero, count, zero, step, old)
            count = kept
            if due[k + 1] > due[k]:
                kept, count = _admit(plan, births, due[k], due[k + 1], table, kept)
                count = _advance(plan, field, speed_lane, met, None, table, kept, count, kept, step, new)
        else:
            choices, lanes, tables, bands, forces, rules, per_step, events, state = more
            per_step[:] = 0
            now = forces[k if forces.shape[0] > 1 else 0]
            rest = (choices, lanes, tables, bands, now, rules, per_step, events, state)
            kept = _advance(plan, field, speed_lane, met, rest, table, zero, count, zero, step, old)
            count = kept
            if due[k + 1] > due[k]:
                kept, count = _admit(plan, births, due[k], due[k + 1], table, kept)
                for i in range(kept, count):
                    for r in range(rules.shape[0]):
                        if rules[r].when == BORN and told(
                            rules, per_step, r, own_of(plan, table.number[i]), zero, np.float32(3e38)
                        ):
                            _tell(
                                events, state, rules, r, step, table.born[i], table, i, zero, touched,
                                np.float64(table.vx[i]), np.float64(table.vy[i]), np.float64(table.vz[i]), old,
                            )  # fmt: skip
                count = _advance(plan, field, speed_lane, met, rest, table, kept, count, kept, step, new)
        alive[k] = count
    return count
