"""Kernels for touching: a particle swept along its way against every surface, and what a touch does to it.

Everything is asked in a surface's own axes, where it stands still: a moving surface is met by the relative way.
"""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.simulate.ballistics import coefficients
from pale_ember.core.simulate.plan import BOUNCE, END, STICK
from pale_ember.core.simulate.surfaces import BALL, BLOCK, DRUM, MESHED, PLANE
from pale_ember.core.simulate.sweep_tests import NOWHERE, SKIN, onto_ball, onto_block, onto_drum, onto_mesh, onto_plane

WHOLE_RUB = 0.981
"""Metres a second of push by a surface that rub a particle as much as `slide` says. A harder strike rubs no more; softer ones, and
lying under a pull, rub in proportion (Coulomb: rubbing goes with what presses): under the earth's gravity ten times a second. So small
bounces one by one rub as much as lying does in the same time, and how far a particle slides does not hang on the steps."""

_LEAST_SLIDE = 1e-300
"""What slide counts as where nothing is kept: the rubbing stops it at once all the same."""

_MOST_HITS = 6
"""Touches followed within one step; in a corner narrower than that a particle stays until the next."""


@inlined
def nearby(surface, x, y, z, to_x, to_y, to_z, touch):
    """Whether a way could meet a surface at all: cheaply, in float32."""
    if surface.form == PLANE:
        return surface.nx * to_x + surface.ny * to_y + surface.nz * to_z < surface.level + touch
    low, high = surface.low, surface.high
    return (
        min(x, to_x) - touch <= high[0]
        and max(x, to_x) + touch >= low[0]
        and min(y, to_y) - touch <= high[1]
        and max(y, to_y) + touch >= low[1]
        and min(z, to_z) - touch <= high[2]
        and max(z, to_z) + touch >= low[2]
    )


@kernel
def _inside(surface, share, x, y, z):
    """A point of the simulation in the surface's axes, `share` of the step after its beginning."""
    a, b, k = surface.into0, surface.into1, 1.0 - share
    s, t = surface.shift0, surface.shift1
    if not surface.moves:
        k, share = 0.0, 1.0
    return (
        k * (a[0, 0] * x + a[0, 1] * y + a[0, 2] * z + s[0]) + share * (b[0, 0] * x + b[0, 1] * y + b[0, 2] * z + t[0]),
        k * (a[1, 0] * x + a[1, 1] * y + a[1, 2] * z + s[1]) + share * (b[1, 0] * x + b[1, 1] * y + b[1, 2] * z + t[1]),
        k * (a[2, 0] * x + a[2, 1] * y + a[2, 2] * z + s[2]) + share * (b[2, 0] * x + b[2, 1] * y + b[2, 2] * z + t[2]),
    )


@kernel
def carried_along(surface, x, y, z):
    """Where a point that sticks to a surface is at the end of a step."""
    if not surface.moves:
        return x, y, z
    px, py, pz = _inside(surface, 0.0, np.float64(x), np.float64(y), np.float64(z))
    o, c = surface.out1, surface.place1
    return (
        np.float32(o[0, 0] * px + o[0, 1] * py + o[0, 2] * pz + c[0]),
        np.float32(o[1, 0] * px + o[1, 1] * py + o[1, 2] * pz + c[1]),
        np.float32(o[2, 0] * px + o[2, 1] * py + o[2, 2] * pz + c[2]),
    )


@kernel
def _first_met(surfaces, nodes, triangles, x, y, z, to_x, to_y, to_z, share, touch):
    """The surface met first on a way that begins `share` into the step: its index or -1, when as a share of the way,
    and the unit outward in the simulation's axes."""
    best, which = 1.0 + 1e-12, -1
    bx, by, bz = 0.0, 1.0, 0.0
    for j in range(surfaces.shape[0]):
        surface = surfaces[j]
        p = _inside(surface, share, x, y, z)
        q = _inside(surface, 1.0, to_x, to_y, to_z)
        d = (q[0] - p[0], q[1] - p[1], q[2] - p[2])
        reach = touch / surface.size
        near = 1e-4 + 1e-6 * (abs(x) + abs(y) + abs(z))
        depth = near + reach
        when, nx, ny, nz = NOWHERE, 0.0, 1.0, 0.0
        if surface.form == PLANE:
            when = onto_plane(p[1], q[1], reach, depth)
        elif surface.form == BALL:
            radius = surface.half[0] + reach
            when = onto_ball(p, d, radius, depth)
            nx, ny, nz = (p[0] + when * d[0]) / radius, (p[1] + when * d[1]) / radius, (p[2] + when * d[2]) / radius
        elif surface.form == BLOCK:
            when, axis, side = onto_block(p, d, surface.half[0] + reach, surface.half[1] + reach, surface.half[2] + reach, near, depth)
            nx = side if axis == 0 else 0.0
            ny = side if axis == 1 else 0.0
            nz = side if axis == 2 else 0.0
        elif surface.form == DRUM:
            when, nx, ny, nz = onto_drum(p, d, surface.half[0] + reach, surface.half[1] + reach, depth)
        elif surface.form == MESHED:
            when, nx, ny, nz = onto_mesh(nodes, triangles, surface.root, p, d, max(touch, SKIN) / surface.size, best)
        if when < best:
            best, which = when, j
            o, s = surface.out1, surface.size
            bx = (o[0, 0] * nx + o[0, 1] * ny + o[0, 2] * nz) / s
            by = (o[1, 0] * nx + o[1, 1] * ny + o[1, 2] * nz) / s
            bz = (o[2, 0] * nx + o[2, 1] * ny + o[2, 2] * nz) / s
    length = math.sqrt(bx * bx + by * by + bz * bz)
    if length > 0.0:
        bx, by, bz = bx / length, by / length, bz / length
    return which, min(best, 1.0), bx, by, bz


@kernel
def _surface_speed(surface, x, y, z, step):
    """The velocity of a surface where it is touched, m/s; `step` is the whole step, s."""
    if not surface.moves:
        return 0.0, 0.0, 0.0
    p = _inside(surface, 1.0, x, y, z)
    q = _inside(surface, 0.0, x, y, z)
    o = surface.out1
    dx, dy, dz = (q[0] - p[0]) / step, (q[1] - p[1]) / step, (q[2] - p[2]) / step
    return (
        o[0, 0] * dx + o[0, 1] * dy + o[0, 2] * dz,
        o[1, 0] * dx + o[1, 1] * dy + o[1, 2] * dz,
        o[2, 0] * dx + o[2, 1] * dy + o[2, 2] * dz,
    )


@kernel
def meet(plan, surfaces, nodes, triangles, way, x, y, z, vx, vy, vz, h, share, touched):
    """The rest of a step in which a particle may meet surfaces.

    way : (air x, y, z, acceleration x, y, z, drag, factor on the way, velocity added x, y, z, and 0 or 1 for axes whose
    own velocity counts). h : s left; share : of the step already gone. touched : (8,) float64, filled with time after
    the beginning, normal, impact and place's correction of the first counted touch.
    Returns place, velocity, how many touches count, whether it ends, and the surface it sticks to, or -1.
    """
    ux, uy, uz, ax, ay, az, drag, factor, ex, ey, ez, fx, fy, fz = way
    step = plan.step_time
    counted, gone, rubbed = 0, 0.0, False
    sx, sy, sz = x, y, z
    for _ in range(_MOST_HITS):
        a, b, g = coefficients(drag, h)
        to_x = x + fx * factor * (vx * b + ux * (h - b) + ax * g) + ex * h
        to_y = y + fy * factor * (vy * b + uy * (h - b) + ay * g) + ey * h
        to_z = z + fz * factor * (vz * b + uz * (h - b) + az * g) + ez * h
        which, when, nx, ny, nz = _first_met(surfaces, nodes, triangles, x, y, z, to_x, to_y, to_z, share, np.float64(plan.touch))
        if which < 0:
            vx, vy, vz = (vx * a + ux * (1.0 - a) + ax * b, vy * a + uy * (1.0 - a) + ay * b, vz * a + uz * (1.0 - a) + az * b)
            return to_x, to_y, to_z, vx, vy, vz, counted, False, -1
        t = when * h
        hit_x, hit_y, hit_z = x + when * (to_x - x), y + when * (to_y - y), z + when * (to_z - z)
        # The way is an arc, met a little later or earlier than its chord: one step of Newton's method to the touch, where
        # the place touched has moved on with its surface.
        gx, gy, gz = _surface_speed(surfaces[which], hit_x, hit_y, hit_z, step)
        first = t
        gap = 0.0
        for _newton in range(2):
            a, b, g = coefficients(drag, t)
            mx = x + fx * factor * (vx * b + ux * (t - b) + ax * g) + ex * t
            my = y + fy * factor * (vy * b + uy * (t - b) + ay * g) + ey * t
            mz = z + fz * factor * (vz * b + uz * (t - b) + az * g) + ez * t
            wx = vx * a + ux * (1.0 - a) + ax * b
            wy = vy * a + uy * (1.0 - a) + ay * b
            wz = vz * a + uz * (1.0 - a) + az * b
            later = t - first
            gap = nx * (mx - hit_x - gx * later) + ny * (my - hit_y - gy * later) + nz * (mz - hit_z - gz * later)
            inward = nx * (factor * wx - gx) + ny * (factor * wy - gy) + nz * (factor * wz - gz)
            if _newton == 1 or when <= 0.0 or inward > -1e-9 or abs(gap) > 0.5 * abs(inward) * h:
                break
            t = min(max(t - gap / inward, 0.0), h)
        x, y, z = mx - gap * nx, my - gap * ny, mz - gap * nz
        vx, vy, vz = wx, wy, wz
        gone += t
        h = max(h - t, 0.0)
        share = min(share + t / step, 1.0)
        rx, ry, rz = vx - gx, vy - gy, vz - gz
        into = nx * rx + ny * ry + nz * rz
        impact = max(-into, 0.0)
        pull = nx * ax + ny * ay + nz * az
        # What cannot leave the surface within a step lies on it.
        rests = plan.bounce * impact <= max(-pull, 0.0) * step or impact < plan.minimum_speed
        strikes = impact > max(-pull, 0.0) * step * 1.5 + 1e-6
        counts = impact >= plan.minimum_speed and (strikes or plan.meets != BOUNCE)
        if counts:
            if counted == 0:
                touched[0], touched[1], touched[2], touched[3], touched[4] = gone, nx, ny, nz, impact
                touched[5], touched[6], touched[7] = x - nx * plan.touch, y - ny * plan.touch, z - nz * plan.touch
            counted += 1
            if plan.meets == END:
                return x, y, z, vx, vy, vz, counted, True, -1
            if plan.meets == STICK:
                return x, y, z, gx, gy, gz, counted, False, which
        # What strikes the surface rubs by how hard it is pushed back; what lies on it is rubbed below, all the while.
        thrown = 0.0 if rests else plan.bounce * impact
        slide = math.log(max(np.float64(plan.slide), _LEAST_SLIDE))
        keep = math.exp(slide * min((impact + thrown) / WHOLE_RUB, 1.0))
        rx, ry, rz = (rx - into * nx) * keep, (ry - into * ny) * keep, (rz - into * nz) * keep
        vx, vy, vz = gx + rx + thrown * nx, gy + ry + thrown * ny, gz + rz + thrown * nz
        if rests:
            pull = min(pull, 0.0)
            ax, ay, az = ax - pull * nx, ay - pull * ny, az - pull * nz
            blow = min(nx * (ux - gx) + ny * (uy - gy) + nz * (uz - gz), 0.0)
            ux, uy, uz = ux - blow * nx, uy - blow * ny, uz - blow * nz
            if not rubbed:
                # Exact over the rest of the step, so that how far it slides does not hang on the step's length.
                rub = -slide * (drag * -blow - pull) / WHOLE_RUB
                both = max(drag + rub, 1e-30)
                ux, uy, uz = (drag * ux + rub * gx) / both, (drag * uy + rub * gy) / both, (drag * uz + rub * gz) / both
                drag, rubbed = drag + rub, True
        if h <= 0.0 or (x - sx) * (x - sx) + (y - sy) * (y - sy) + (z - sz) * (z - sz) > 1e24:
            break
    return x, y, z, vx, vy, vz, counted, False, -1
