"""What lanes and forces make of a particle's way within one step: pieces of the kernel that moves it."""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.effect.values import SAMPLES
from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.simulate.ballistics import coefficients
from pale_ember.core.simulate.draws import ROUND_X, ROUND_Y, ROUND_Z, draw, drawn
from pale_ember.core.simulate.plan import DRIVE, OVER, PUSHES, REGION
from pale_ember.core.simulate.turbulence_field import EDDY_CELLS, air

_F0, _F1, _HALF, _TWO = np.float32(0.0), np.float32(1.0), np.float32(0.5), np.float32(2.0)
INDEX = 0xFFFFFFFF
"""A mask that changes no index but tells the compiler that none is negative: without it every access to an array is
checked and corrected, which cost a third of the step."""
NO_LIMIT = np.float32(3e38)


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
def eddies_at(field, x, y, z, scale, drift_x, drift_y, drift_z, time, detail):
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
def share_inside(force, x, y, z):
    """1 where a force works at (x, y, z) and 0 where it does not."""
    if force.region == REGION.everywhere:
        return _F1
    dx, dy, dz = x - force.middle[0], y - force.middle[1], z - force.middle[2]
    m, half = force.into, force.half
    bx = (m[0, 0] * dx + m[0, 1] * dy + m[0, 2] * dz) / max(half[0], np.float32(1e-9))
    by = (m[1, 0] * dx + m[1, 1] * dy + m[1, 2] * dz) / max(half[1], np.float32(1e-9))
    bz = (m[2, 0] * dx + m[2, 1] * dy + m[2, 2] * dz) / max(half[2], np.float32(1e-9))
    if force.region == REGION.in_a_sphere:
        return _F1 if bx * bx + by * by + bz * bz <= _F1 else _F0
    if force.region == REGION.in_a_box:
        return _F1 if max(abs(bx), abs(by), abs(bz)) <= _F1 else _F0
    return _F0


@kernel
def _gust_at(key, number, time, period, calm):
    """A wind's swell at a time, 1 on average: smooth noise with one value a period."""
    place = time / period
    i = math.floor(place)
    t = place - i
    t = t * t * (3.0 - 2.0 * t)
    here = draw(key, np.uint64(np.int64(i) & 0xFFFFFFFF), number)
    two = draw(key, np.uint64((np.int64(i) + 1) & 0xFFFFFFFF), number)
    return np.float32(1.0 + calm * (2.0 * (here + (two - here) * t) - 1.0))


@inlined
def by_lanes(lanes, tables, bands, n_lanes, key, own, age, quick, gone, clock, hh, turned, i, gx, gy, gz, ux, uy, uz, drag, stir, factor):
    """Applies the lanes that move: to the pull (gx, gy, gz), the air (ux, uy, uz), the drag, the stir of the eddies and the
    factor on the way; and gives a velocity to add (ex, ey, ez) and the share kept of the particle's own (fx, fy, fz)."""
    ex, ey, ez, fx, fy, fz = _F0, _F0, _F0, _F1, _F1, _F1
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
            ex, fx = ex + value, (_F0 if lanes[j].replaces else fx)
        elif drives == DRIVE.velocity_y:
            ey, fy = ey + value, (_F0 if lanes[j].replaces else fy)
        elif drives == DRIVE.velocity_z:
            ez, fz = ez + value, (_F0 if lanes[j].replaces else fz)
        elif drives == DRIVE.spin:
            turned[i] += value * hh
    return gx, gy, gz, ux, uy, uz, drag, stir, factor, ex, ey, ez, fx, fy, fz


@inlined
def strength_of(forces, j, choices, lanes, tables, bands, n_lanes, key, own, age, quick, gone, clock):
    """How strong force j is for a particle: drawn from its range, times its lanes."""
    s = forces[j].strength[0]
    if s != forces[j].strength[1] or forces[j].strength[3] > _F0:
        s = drawn(choices, s, forces[j].strength[1], forces[j].strength[2], forces[j].strength[3], draw(key, own, forces[j].channel))
    if forces[j].laned:
        for k in range(n_lanes):
            if lanes[k].drives == DRIVE.force and lanes[k].target == j:
                s *= lane_value(lanes, tables, bands, k, age, quick, gone, clock, key, own)
    return s


@inlined
def pushed(forces, j, s, field, key, time, hh, mx, my, mz, x_speed, y_speed, z_speed, gx, gy, gz, ux, uy, uz, drag, slows, fastest):
    """What force j of strength s does at (mx, my, mz): to the pull, the air, the drag, the quadratic drag, and the greatest
    speed. A kind of force is a branch here."""
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
        s *= _gust_at(key, forces[j].channel, time, np.float32(forces[j].period), np.float32(forces[j].gustiness))
        ux, uy, uz = ux + s * axis[0], uy + s * axis[1], uz + s * axis[2]
    elif kind == PUSHES.brake:
        drag, slows = drag + max(s, _F0), slows + np.float32(forces[j].quadratic)
    elif kind == PUSHES.stir:
        d, scale = forces[j].drift, np.float32(EDDY_CELLS / forces[j].eddy)
        ru, rv, rw = _stirred(field, mx, my, mz, scale, d[0], d[1], d[2], time)
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
    return gx, gy, gz, ux, uy, uz, drag, slows, fastest


@inlined
def circled(force, turns, hh, x, y, z, x_speed, y_speed, z_speed):
    """Turns a particle's place and velocity about a force's axis for hh s (Rodrigues' formula): by how much its place moves, and
    the turned velocity. A step does half of it before all that pushes and half after (G. Strang, SIAM J. Numer. Anal. 5, 1968): a free
    particle goes round as a stiff thing does, exactly, and a pushed one is second order."""
    angle = np.float32(2.0 * math.pi) * turns * hh
    half = np.float32(math.sin(np.float32(0.5) * angle))
    less, sin = np.float32(2.0) * half * half, np.float32(math.sin(angle))
    a, p = force.axis, force.place
    dx, dy, dz = x - p[0], y - p[1], z - p[2]
    up = a[0] * dx + a[1] * dy + a[2] * dz
    wx = sin * (a[1] * dz - a[2] * dy) - less * (dx - up * a[0])
    wy = sin * (a[2] * dx - a[0] * dz) - less * (dy - up * a[1])
    wz = sin * (a[0] * dy - a[1] * dx) - less * (dz - up * a[2])
    up = a[0] * x_speed + a[1] * y_speed + a[2] * z_speed
    tx = sin * (a[1] * z_speed - a[2] * y_speed) - less * (x_speed - up * a[0])
    ty = sin * (a[2] * x_speed - a[0] * z_speed) - less * (y_speed - up * a[1])
    tz = sin * (a[0] * y_speed - a[1] * x_speed) - less * (z_speed - up * a[2])
    return wx, wy, wz, x_speed + tx, y_speed + ty, z_speed + tz


@kernel
def circled_by_all(
    forces, choices, lanes, tables, bands, key, own, age, quick, gone, clock, span, at_x, at_y, at_z, x, y, z, x_speed, y_speed, z_speed
):
    """A particle's place and velocity turned for `span` s by all that circle and work at (at_x, at_y, at_z)."""
    for j in range(forces.shape[0]):
        if forces[j].kind == PUSHES.circling:
            inside = share_inside(forces[j], at_x, at_y, at_z)
            if inside != _F0:
                s = strength_of(forces, j, choices, lanes, tables, bands, lanes.shape[0], key, own, age, quick, gone, clock)
                wx, wy, wz, x_speed, y_speed, z_speed = circled(forces[j], s * inside, span, x, y, z, x_speed, y_speed, z_speed)
                x, y, z = x + wx, y + wy, z + wz
    return x, y, z, x_speed, y_speed, z_speed


@kernel
def added_velocity(forces, choices, lanes, tables, bands, key, own, age, quick, gone, clock, x, y, z):
    """What moves a particle at (x, y, z) besides its own velocity: lanes, and circling at its speed there. m/s, float32."""
    ex, ey, ez = _F0, _F0, _F0
    for j in range(lanes.shape[0]):
        drives = lanes[j].drives
        if drives == DRIVE.velocity_x or drives == DRIVE.velocity_y or drives == DRIVE.velocity_z:
            value = lane_value(lanes, tables, bands, j, age, quick, gone, clock, key, own)
            if drives == DRIVE.velocity_x:
                ex += value
            elif drives == DRIVE.velocity_y:
                ey += value
            else:
                ez += value
    for j in range(forces.shape[0]):
        if forces[j].kind == PUSHES.circling:
            inside = share_inside(forces[j], x, y, z)
            if inside != _F0:
                s = strength_of(forces, j, choices, lanes, tables, bands, lanes.shape[0], key, own, age, quick, gone, clock)
                turn = np.float32(2.0 * math.pi) * s * inside
                a, p = forces[j].axis, forces[j].place
                dx, dy, dz = x - p[0], y - p[1], z - p[2]
                ex += turn * (a[1] * dz - a[2] * dy)
                ey += turn * (a[2] * dx - a[0] * dz)
                ez += turn * (a[0] * dy - a[1] * dx)
    return ex, ey, ez


@inlined
def braked(drag, slows, x_speed, y_speed, z_speed, ux, uy, uz, gx, gy, gz, half):
    """The drag with what grows with the speed, taken at the speed it will have in the middle of the step."""
    if slows > _F0:
        rx, ry, rz = x_speed - ux, y_speed - uy, z_speed - uz
        size = np.float32(math.sqrt(rx * rx + ry * ry + rz * rz))
        ha, hb, _hg = coefficients(drag + slows * size, half)
        rx, ry, rz = rx * ha + gx * hb, ry * ha + gy * hb, rz * ha + gz * hb
        drag += slows * np.float32(math.sqrt(rx * rx + ry * ry + rz * rz))
    return drag


@kernel
def rounded(plan, number, step, x, y, z):
    """A place in float64 as float32, up or down by chance in proportion, so that what is lost adds up to nothing
    (stochastic rounding: Forsythe, SIAM Review 1(1), 1959)."""
    tick = (number & plan.same_mask) ^ (np.uint64(np.int64(step) & 0xFFFFFF) << np.uint64(24))
    a, b, c = draw(plan.key, tick, ROUND_X), draw(plan.key, tick, ROUND_Y), draw(plan.key, tick, ROUND_Z)
    return (
        np.float32(x + (a - 0.5) * np.float64(np.spacing(np.float32(abs(x))))),
        np.float32(y + (b - 0.5) * np.float64(np.spacing(np.float32(abs(y))))),
        np.float32(z + (c - 0.5) * np.float64(np.spacing(np.float32(abs(z))))),
    )
