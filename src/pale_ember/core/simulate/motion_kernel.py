"""The kernel that moves particles: births, forces, contact and deaths of one layer, step after step.

Within one step the air and the accelerations are constant, taken at the middle of the way, and drag is exact, so a free
throw follows its closed form whatever the step: with drag k and air u, over a time h,

    v' = v A + u (1 - A) + g B        x' = x + v B + u (h - B) + g G
    A = exp(-k h)    B = (1 - A) / k    G = (h - B) / k
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from pale_ember.core.kernel import kernel
from pale_ember.core.simulate.ballistics import coefficients
from pale_ember.core.simulate.contact_kernels import carried_along, meet, nearby
from pale_ember.core.simulate.force_kernels import (
    INDEX,
    NO_LIMIT,
    added_velocity,
    braked,
    by_lanes,
    circled_by_all,
    eddies_at,
    pushed,
    rounded,
    share_inside,
    strength_of,
    table_at,
)
from pale_ember.core.simulate.particle_events import tell_birth, tell_end, tell_touch, tell_way
from pale_ember.core.simulate.plan import PASS, PUSHES

_F0, _F1, _HALF = np.float32(0.0), np.float32(1.0), np.float32(0.5)


class MotionExtras(NamedTuple):
    """What a layer needs that is not of everyday. choices, lanes, tables, bands : of its plan. forces : (1 or steps, n) of
    FORCE_RECORD. rules : (r,). per_step : (r,) int64 to count in. events : to fill; state : (2,) int64, how many were
    written, and 1 if room was short."""

    choices: np.ndarray
    lanes: np.ndarray
    tables: np.ndarray
    bands: np.ndarray
    forces: np.ndarray
    rules: np.ndarray
    per_step: np.ndarray
    events: np.ndarray
    state: np.ndarray


@kernel
def _advance(plan, field, speed_lane, touching, more, table, first, count, left, step, newborn):
    """Moves rows `first` to `count` to the end of `step` and writes those still alive from row `left` on; returns where
    they end. Newborn rows stand at their births and are carried from there, the others over one whole step.

    speed_lane : (1, SAMPLES) float32, or no rows. touching : surfaces, nodes, triangles and a place for touches.
    more : None for a layer of everyday, which compiles to half the time; else a MotionExtras with the forces of this step.
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
    cells, drift_x, drift_y, drift_z, detail = (plan.cells_per_metre, plan.drift_x, plan.drift_y, plan.drift_z, plan.detail)
    first, left = first & INDEX, left & INDEX
    if more is not None:
        choices, lanes, tables, bands, forces, rules, per_step, events, state = more
        aged, travelled, turned, touches, held = table[9:14]
        n_lanes, n_forces, n_rules = lanes.shape[0], forces.shape[0], rules.shape[0]
        key, sticks = plan.key, held.shape[0] > 0
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
                    if plan.adds:
                        table.plus_x[left], table.plus_y[left], table.plus_z[left] = _F0, _F0, _F0
                    _further(plan, table, i, left, held[i], older, came)
                    left += 1
                    continue
            own, fastest = number[i] & plan.same_mask, NO_LIMIT
            gone = travelled[i] if plan.travels else _F0
            quick = age = _F0
            tx, ty, tz = x_speed, y_speed, z_speed
            if plan.adds:
                tx, ty, tz = (plan.own_x * tx + table.plus_x[i], plan.own_y * ty + table.plus_y[i], plan.own_z * tz + table.plus_z[i])
            if n_lanes > 0:
                age = (elapsed - _HALF * hh) / max(life, np.float32(1e-9)) + older
                quick = np.float32(math.sqrt(tx * tx + ty * ty + tz * tz))
                gx, gy, gz, ux, uy, uz, drag, stir, factor, ex, ey, ez, fx, fy, fz = by_lanes(
                    lanes, tables, bands, n_lanes, key, own, age, quick, gone, clock, hh, turned, i,
                    gx, gy, gz, ux, uy, uz, drag, stir, factor,
                )  # fmt: skip
        half = _HALF * hh
        cx, cy, cz = x, y, z
        if more is not None and plan.circles:
            cx, cy, cz, x_speed, y_speed, z_speed = circled_by_all(
                forces, choices, lanes, tables, bands, key, own, age, quick, gone, clock, half, x, y, z,
                x, y, z, x_speed, y_speed, z_speed,
            )  # fmt: skip
        mx, my, mz = cx + half * x_speed, cy + half * y_speed, cz + half * z_speed
        if stirred:
            ru, rv, rw = eddies_at(field, mx, my, mz, cells, drift_x, drift_y, drift_z, mid_time, detail)
            ux, uy, uz = ux + stir * ru, uy + stir * rv, uz + stir * rw
        if more is not None:
            slows = _F0
            for j in range(n_forces):
                if forces[j].kind == PUSHES.circling or share_inside(forces[j], mx, my, mz) == _F0:
                    continue
                s = strength_of(forces, j, choices, lanes, tables, bands, n_lanes, key, own, age, quick, gone, clock)
                gx, gy, gz, ux, uy, uz, drag, slows, fastest = pushed(
                    forces, j, s, field, key, mid_time, hh, mx, my, mz, x_speed, y_speed, z_speed,
                    gx, gy, gz, ux, uy, uz, drag, slows, fastest,
                )  # fmt: skip
            if slows > _F0 or drag != still:
                drag = braked(drag, slows, x_speed, y_speed, z_speed, ux, uy, uz, gx, gy, gz, half)
                a, b, g = coefficients(drag, hh)
        rest, lost = hh - b, _F1 - a
        to_x = x + factor * (x_speed * b + ux * rest + gx * g)
        to_y = y + factor * (y_speed * b + uy * rest + gy * g)
        to_z = z + factor * (z_speed * b + uz * rest + gz * g)
        if more is not None:
            to_x = x + fx * (to_x - x) + ex * hh
            to_y = y + fy * (to_y - y) + ey * hh
            to_z = z + fz * (to_z - z) + ez * hh
            if plan.circles:
                # Half the turn was before the way, half comes after it; for all that follows it is a velocity that adds to it.
                cx, cy, cz = to_x + (cx - x), to_y + (cy - y), to_z + (cz - z)
                bx, by, bz, _, _, _ = circled_by_all(
                    forces, choices, lanes, tables, bands, key, own, age, quick, gone, clock, half, cx, cy, cz, cx, cy, cz, _F0, _F0, _F0
                )
                per = _F1 / max(hh, np.float32(1e-9))
                ex, ey, ez = ex + per * (bx - to_x), ey + per * (by - to_y), ez + per * (bz - to_z)
                to_x, to_y, to_z = bx, by, bz
        if plan.far:
            ax = np.float64(factor * (x_speed * b + ux * rest + gx * g))
            ay = np.float64(factor * (y_speed * b + uy * rest + gy * g))
            az = np.float64(factor * (z_speed * b + uz * rest + gz * g))
            if more is not None:
                ax, ay, az = fx * ax + ex * hh, fy * ay + ey * hh, fz * az + ez * hh
            to_x, to_y, to_z = rounded(plan, number[i], step, x + ax, y + ay, z + az)
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
            if plan.far:
                to_x, to_y, to_z = rounded(plan, number[i], step, qx, qy, qz)
            x_speed, y_speed, z_speed = np.float32(wx), np.float32(wy), np.float32(wz)
            if more is not None:
                holder = stuck + 1
                if counted > 0:
                    if plan.ages:
                        older = min(older + plan.ageing * np.float32(counted), np.float32(2.0))
                        ended = ended or elapsed >= life * (_F1 - older)
                    if plan.tracks_touches:
                        at = start + touched[0]
                        tell_touch(
                            rules, per_step, events, state, step, at, table, i, own, np.int64(touches[i]), touched,
                            fx * wx + ex, fy * wy + ey, fz * wz + ez,
                        )  # fmt: skip
                        touches[i] += counted
        else:
            x_speed = x_speed * a + ux * lost + gx * b
            y_speed = y_speed * a + uy * lost + gy * b
            z_speed = z_speed * a + uz * lost + gz * b
        if more is not None:
            if plan.circles and stuck < 0:
                _, _, _, x_speed, y_speed, z_speed = circled_by_all(
                    forces, choices, lanes, tables, bands, key, own, age, quick, gone, clock, half, cx, cy, cz,
                    _F0, _F0, _F0, x_speed, y_speed, z_speed,
                )  # fmt: skip
            if fastest < NO_LIMIT:
                size = np.float32(math.sqrt(x_speed * x_speed + y_speed * y_speed + z_speed * z_speed))
                if size > fastest:
                    slower = fastest / size
                    x_speed, y_speed, z_speed = x_speed * slower, y_speed * slower, z_speed * slower
            sx, sy, sz, qx, qy, qz = x_speed, y_speed, z_speed, _F0, _F0, _F0
            if plan.adds and stuck < 0:
                qx, qy, qz = added_velocity(
                    forces, choices, lanes, tables, bands, key, own, elapsed / max(life, np.float32(1e-9)) + older,
                    quick, gone, clock, to_x, to_y, to_z,
                )  # fmt: skip
                sx, sy, sz = plan.own_x * sx + qx, plan.own_y * sy + qy, plan.own_z * sz + qz
            if plan.travels or n_rules > 0:
                dx, dy, dz = to_x - x, to_y - y, to_z - z
                came = np.float32(math.sqrt(dx * dx + dy * dy + dz * dz))
            if n_rules > 0:
                tell_way(
                    rules, per_step, events, state, step, start, hh, start - birth, (span if dies else time - birth), table, i,
                    own, gone, came, touched, x, y, z, dx, dy, dz, sx, sy, sz,
                )  # fmt: skip
            if dies or ended:
                if plan.end_rules:
                    tell_end(
                        rules, per_step, events, state, step, start + np.float64(hh), table, i, own, touched,
                        dies or not near_some, to_x, to_y, to_z, sx, sy, sz,
                    )  # fmt: skip
                continue
        elif ended:
            continue
        px[left], py[left], pz[left] = to_x, to_y, to_z
        vx[left], vy[left], vz[left] = x_speed, y_speed, z_speed
        if more is not None:
            if plan.adds:
                table.plus_x[left], table.plus_y[left], table.plus_z[left] = qx, qy, qz
            _further(plan, table, i, left, holder, older, came)
        elif left != i:
            born[left], lives[left], number[left] = birth, life, number[i]
            if plan.kin:
                _kin(table, i, left)
        left += 1
    return left


@kernel
def own_of(plan, number):
    """The number by which a particle draws: the same in every loop where loops are alike."""
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
    if table.plus_x.shape[0] > 0:
        table.plus_x[row], table.plus_y[row], table.plus_z[row] = source.plus_x[i], source.plus_y[i], source.plus_z[i]
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
    each. more : None for a layer of everyday, else a MotionExtras.
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
            rest = MotionExtras(choices, lanes, tables, bands, now, rules, per_step, events, state)
            kept = _advance(plan, field, speed_lane, met, rest, table, zero, count, zero, step, old)
            count = kept
            if due[k + 1] > due[k]:
                kept, count = _admit(plan, births, due[k], due[k + 1], table, kept)
                for i in range(kept, count):
                    own = own_of(plan, table.number[i])
                    sx, sy, sz = table.vx[i], table.vy[i], table.vz[i]
                    if plan.adds:
                        at = table.born[i] * plan.clock
                        clock = at - math.floor(at / plan.duration) * plan.duration if plan.loops else at
                        qx, qy, qz = added_velocity(
                            now, choices, lanes, tables, bands, plan.key, own, _F0, np.float32(math.sqrt(sx * sx + sy * sy + sz * sz)),
                            _F0, np.float32(clock), table.px[i], table.py[i], table.pz[i],
                        )  # fmt: skip
                        table.plus_x[i], table.plus_y[i], table.plus_z[i] = qx, qy, qz
                        sx, sy, sz = plan.own_x * sx + qx, plan.own_y * sy + qy, plan.own_z * sz + qz
                    tell_birth(rules, per_step, events, state, step, table, i, own, touched, sx, sy, sz)
                count = _advance(plan, field, speed_lane, met, rest, table, kept, count, kept, step, new)
        alive[k] = count
    return count
