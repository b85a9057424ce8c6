"""Kernels for touching: a particle swept along its way against every surface, and what a touch does to it.

Everything is asked in a surface's own axes, where it stands still: a moving surface is met by the relative way.
"""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.simulate.draws import draw
from pale_ember.core.simulate.kernel import inlined, kernel
from pale_ember.core.simulate.plan import BOUNCE, END, STICK
from pale_ember.core.simulate.surfaces import BALL, BLOCK, DRUM, MESHED, PLANE

RESTING_TOUCHES = 10.0
"""A particle lying on a surface counts as touching it this often each second, for what slide it keeps."""

_LEAST_SLIDE = 1e-300
"""What slide counts as where nothing is kept: the rubbing stops it at once all the same."""

_MOST_HITS = 6
"""Touches followed within one step; in a corner narrower than that a particle stays until the next."""

_NOWHERE = 2.0

_SKIN = 5e-4
"""A mesh has two sides, so nothing may come nearer than this, in metres: rounding would put it on the other."""

_MOST_NEARINGS = 40
_TOUCHING = 1e-9
"""Metres from a triangle at which a ball touches it, and how often its way there is found anew: a grazing one halves it
each time."""

BORN, TOUCHES, ENDS, EVERY_METRE, EVERY_SECOND = range(5)

EVENT = np.dtype(
    [("number", np.uint64)]
    + [(name, np.float64) for name in ("time", "born")]
    + [(name, np.int64) for name in ("rule", "step", "occurrence")]
    + [(name, np.float32) for name in (
        "px", "py", "pz", "vx", "vy", "vz", "nx", "ny", "nz", "life", "aged", "travelled", "turned", "kin_size",
        "kin_red", "kin_green", "kin_blue")]
    + [("kin_rule", np.int64)],
    align=True,
)  # fmt: skip
"""Something that happened to a particle and bears offspring: when, where, how it moved, and the surface's normal."""

RULE = np.dtype(
    [("key", np.uint64)] + [(name, np.int64) for name in ("when", "per_parent", "per_step")]
    + [(name, np.float32) for name in ("each", "chance", "least_impact")],
    align=True,
)  # fmt: skip
"""What a parent's kernel must know of its rules."""


@kernel
def coefficients(drag, h):
    """A, B and G of the exact step (float32 drag in 1/s, float32 h in s); by series where k h is small."""
    k, t = np.float64(drag), np.float64(h)
    kh = k * t
    if kh < 1e-3:
        b = t * (1.0 - kh * (0.5 - kh / 6.0))
        g = t * t * (0.5 - kh * (1.0 / 6.0 - kh / 24.0))
        return np.float32(1.0 - k * b), np.float32(b), np.float32(g)
    a = math.exp(-kh)
    b = (1.0 - a) / k
    return np.float32(a), np.float32(b), np.float32((t - b) / k)


@kernel
def told(rules, per_step, rule, number, occurrence, impact):
    """Whether a rule's event happens: by its threshold, its caps and its chance. Counts it if so."""
    one = rules[rule]
    if impact < one.least_impact or (one.per_parent > 0 and occurrence >= one.per_parent):
        return False
    if one.per_step > 0 and per_step[rule] >= one.per_step:
        return False
    if one.chance < np.float32(1.0) and draw(one.key, number, 64 + occurrence) >= one.chance:
        return False
    per_step[rule] += 1
    return True


# What is born nearer to a surface than it is large lies in it, but is held by it all the same: as long as its middle is
# outside, by no more than `depth`, it is met where it goes further in.


@kernel
def _onto_plane(y0, y1, reach, depth):
    """When, as a share of the way, a ball of radius `reach` comes to the plane y = 0 from above; else over 1."""
    before, after = y0 - reach, y1 - reach
    if before < -depth or after >= 0.0 or after >= before:
        return _NOWHERE
    return max(before, 0.0) / (before - after)


@kernel
def _onto_ball(p, d, radius, depth):
    """When a point at p moving by d comes to a ball about the origin, from outside."""
    px, py, pz = p
    dx, dy, dz = d
    c = px * px + py * py + pz * pz - radius * radius
    b = px * dx + py * dy + pz * dz
    a = dx * dx + dy * dy + dz * dz
    core = max(radius - depth, 0.0)
    if b >= 0.0 or a <= 0.0 or c < core * core - radius * radius:
        return _NOWHERE
    if c <= 0.0:
        return 0.0
    inside = b * b - a * c
    if inside < 0.0:
        return _NOWHERE
    return c / (-b + math.sqrt(inside))


@kernel
def _onto_block(p, d, hx, hy, hz, near, depth):
    """When a point comes to a block about the origin from outside, and the axis and side it meets."""
    enter, leave, axis, side = -1e30, _NOWHERE, -1, 1.0
    deep, deep_axis, deep_side = -1e30, 0, 1.0
    for i in range(3):
        at = p[i]
        go = d[i]
        half = hx if i == 0 else hy if i == 1 else hz
        out = abs(at) - half
        if out > deep:
            deep, deep_axis, deep_side = out, i, (1.0 if at > 0.0 else -1.0)
        if abs(go) < 1e-300:
            if out > 0.0:
                return _NOWHERE, 0, 1.0
            continue
        first, second = (-half - at) / go, (half - at) / go
        if first > second:
            first, second = second, first
        if first > enter:
            enter, axis, side = first, i, (-1.0 if go > 0.0 else 1.0)
        leave = min(leave, second)
    if deep < -depth:
        return _NOWHERE, 0, 1.0
    if deep <= near:
        # On the face already: only a way inward meets it.
        inward = d[deep_axis] * deep_side < 0.0
        if deep <= 0.0 and inward:
            return 0.0, deep_axis, deep_side
        if deep <= 0.0:
            return _NOWHERE, 0, 1.0
    if axis < 0 or enter > leave or enter < 0.0:
        return _NOWHERE, 0, 1.0
    return enter, axis, side


@kernel
def _onto_drum(p, d, radius, half, depth):
    """When a point comes to a standing drum about the origin from outside, and the unit outward there."""
    px, py, pz = p
    dx, dy, dz = d
    far = math.sqrt(px * px + pz * pz)
    out_round, out_flat = far - radius, abs(py) - half
    if out_round < -depth and out_flat < -depth:
        return _NOWHERE, 0.0, 1.0, 0.0
    if out_round <= 0.0 and out_flat <= 0.0:
        if out_flat > out_round:
            sign = 1.0 if py > 0.0 else -1.0
            return (0.0 if dy * sign < 0.0 else _NOWHERE), 0.0, sign, 0.0
        nx, nz = px / max(far, 1e-30), pz / max(far, 1e-30)
        return (0.0 if dx * nx + dz * nz < 0.0 else _NOWHERE), nx, 0.0, nz
    enter, leave, nx, ny, nz = -1.0, _NOWHERE, 0.0, 1.0, 0.0
    if abs(dy) > 1e-300:
        first, second = (-half - py) / dy, (half - py) / dy
        if first > second:
            first, second = second, first
        enter, leave = first, second
        ny = -1.0 if dy > 0.0 else 1.0
    elif out_flat > 0.0:
        return _NOWHERE, 0.0, 1.0, 0.0
    a, b, c = dx * dx + dz * dz, px * dx + pz * dz, px * px + pz * pz - radius * radius
    if a > 1e-300:
        inside = b * b - a * c
        if inside < 0.0:
            return _NOWHERE, 0.0, 1.0, 0.0
        root = math.sqrt(inside)
        first, second = (-b - root) / a, (-b + root) / a
        if first > enter:
            enter = first
            nx, ny, nz = (px + first * dx) / radius, 0.0, (pz + first * dz) / radius
        leave = min(leave, second)
    elif c > 0.0:
        return _NOWHERE, 0.0, 1.0, 0.0
    if enter > leave or enter < 0.0:
        return _NOWHERE, 0.0, 1.0, 0.0
    return enter, nx, ny, nz


@kernel
def _nearest(t, x, y, z):
    """The point of a triangle nearest to (x, y, z) (Ericson, Real-Time Collision Detection, 2005, section 5.1.5)."""
    ax, ay, az = t[0, 0], t[0, 1], t[0, 2]
    ux, uy, uz = t[1, 0] - ax, t[1, 1] - ay, t[1, 2] - az
    vx, vy, vz = t[2, 0] - ax, t[2, 1] - ay, t[2, 2] - az
    px, py, pz = x - ax, y - ay, z - az
    d1, d2 = ux * px + uy * py + uz * pz, vx * px + vy * py + vz * pz
    if d1 <= 0.0 and d2 <= 0.0:
        return ax, ay, az
    uu, uv, vv = ux * ux + uy * uy + uz * uz, ux * vx + uy * vy + uz * vz, vx * vx + vy * vy + vz * vz
    d3, d4 = d1 - uu, d2 - uv
    if d3 >= 0.0 and d4 <= d3:
        return ax + ux, ay + uy, az + uz
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        k = d1 / max(d1 - d3, 1e-300)
        return ax + k * ux, ay + k * uy, az + k * uz
    d5, d6 = d1 - uv, d2 - vv
    if d6 >= 0.0 and d5 <= d6:
        return ax + vx, ay + vy, az + vz
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        k = d2 / max(d2 - d6, 1e-300)
        return ax + k * vx, ay + k * vy, az + k * vz
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and d4 - d3 >= 0.0 and d5 - d6 >= 0.0:
        k = (d4 - d3) / max((d4 - d3) + (d5 - d6), 1e-300)
        return ax + ux + k * (vx - ux), ay + uy + k * (vy - uy), az + uz + k * (vz - uz)
    k = 1.0 / max(va + vb + vc, 1e-300)
    k, m = vb * k, vc * k
    return ax + k * ux + m * vx, ay + k * uy + m * vy, az + k * uz + m * vz


@kernel
def _onto_triangle(t, p, d, reach, best):
    """When a ball of radius `reach` at p moving by d comes to a triangle, its face, an edge or a corner, from either
    side, before `best`; and the unit from the triangle towards the ball.

    The distance to a triangle is a convex function of the way, so Newton's method comes to the touch from before it and
    never past it; a ball that is within reach already is met where it goes further in.
    """
    ax, ay, az = t[0, 0], t[0, 1], t[0, 2]
    ux, uy, uz = t[1, 0] - ax, t[1, 1] - ay, t[1, 2] - az
    vx, vy, vz = t[2, 0] - ax, t[2, 1] - ay, t[2, 2] - az
    fx, fy, fz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    area = math.sqrt(fx * fx + fy * fy + fz * fz)
    if area < 1e-30:
        return _NOWHERE, 0.0, 1.0, 0.0
    away = (fx * (p[0] - ax) + fy * (p[1] - ay) + fz * (p[2] - az)) / area
    toward = (fx * d[0] + fy * d[1] + fz * d[2]) / area
    if min(away, away + toward) > reach or max(away, away + toward) < -reach:
        return _NOWHERE, 0.0, 1.0, 0.0
    when, nx, ny, nz = 0.0, 0.0, 1.0, 0.0
    for _ in range(_MOST_NEARINGS):
        x, y, z = p[0] + when * d[0], p[1] + when * d[1], p[2] + when * d[2]
        cx, cy, cz = _nearest(t, x, y, z)
        nx, ny, nz = x - cx, y - cy, z - cz
        far = math.sqrt(nx * nx + ny * ny + nz * nz)
        if far > 1e-12:
            nx, ny, nz = nx / far, ny / far, nz / far
        else:
            side = -1.0 if toward > 0.0 else 1.0
            nx, ny, nz = side * fx / area, side * fy / area, side * fz / area
        speed = nx * d[0] + ny * d[1] + nz * d[2]
        if speed >= 0.0:
            return _NOWHERE, 0.0, 1.0, 0.0
        if far - reach <= _TOUCHING:
            return when, nx, ny, nz
        when -= (far - reach) / speed
        if when >= best:
            return _NOWHERE, 0.0, 1.0, 0.0
    return when, nx, ny, nz


@kernel
def _onto_mesh(nodes, triangles, root, p, d, reach, best):
    """The first triangle met before `best`: when, and the unit towards the ball."""
    nx, ny, nz = 0.0, 1.0, 0.0
    found = _NOWHERE
    at_node, end = root, nodes[root].skip
    while at_node < end:
        node = nodes[at_node]
        enter, leave = 0.0, best
        for i in range(3):
            low, high = node.low[i] - reach, node.high[i] + reach
            at, go = p[i], d[i]
            if abs(go) < 1e-300:
                if at < low or at > high:
                    leave = -1.0
            else:
                first, second = (low - at) / go, (high - at) / go
                if first > second:
                    first, second = second, first
                enter, leave = max(enter, first), min(leave, second)
        # The margin keeps a box as thin as its triangle from losing it to rounding.
        if enter > leave + 1e-9:
            at_node = node.skip
            continue
        at_node += 1
        for k in range(node.first, node.first + node.count):
            when, tx, ty, tz = _onto_triangle(triangles[k], p, d, reach, best)
            if when < best:
                best = found = when
                nx, ny, nz = tx, ty, tz
    return found, nx, ny, nz


@inlined
def nearby(surface, x, y, z, to_x, to_y, to_z, touch):
    """Whether a way could meet a surface at all: cheaply, in float32."""
    if surface.form == PLANE:
        return surface.nx * to_x + surface.ny * to_y + surface.nz * to_z < surface.level + touch
    low, high = surface.low, surface.high
    return (
        min(x, to_x) - touch <= high[0] and max(x, to_x) + touch >= low[0]
        and min(y, to_y) - touch <= high[1] and max(y, to_y) + touch >= low[1]
        and min(z, to_z) - touch <= high[2] and max(z, to_z) + touch >= low[2]
    )  # fmt: skip


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
        one = surfaces[j]
        p = _inside(one, share, x, y, z)
        q = _inside(one, 1.0, to_x, to_y, to_z)
        d = (q[0] - p[0], q[1] - p[1], q[2] - p[2])
        reach = touch / one.size
        near = 1e-4 + 1e-6 * (abs(x) + abs(y) + abs(z))
        depth = near + reach
        when, nx, ny, nz = _NOWHERE, 0.0, 1.0, 0.0
        if one.form == PLANE:
            when = _onto_plane(p[1], q[1], reach, depth)
        elif one.form == BALL:
            radius = one.half[0] + reach
            when = _onto_ball(p, d, radius, depth)
            nx, ny, nz = (p[0] + when * d[0]) / radius, (p[1] + when * d[1]) / radius, (p[2] + when * d[2]) / radius
        elif one.form == BLOCK:
            when, axis, side = _onto_block(
                p, d, one.half[0] + reach, one.half[1] + reach, one.half[2] + reach, near, depth
            )
            nx = side if axis == 0 else 0.0
            ny = side if axis == 1 else 0.0
            nz = side if axis == 2 else 0.0
        elif one.form == DRUM:
            when, nx, ny, nz = _onto_drum(p, d, one.half[0] + reach, one.half[1] + reach, depth)
        elif one.form == MESHED:
            when, nx, ny, nz = _onto_mesh(nodes, triangles, one.root, p, d, max(touch, _SKIN) / one.size, best)
        if when < best:
            best, which = when, j
            o, s = one.out1, one.size
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
        which, when, nx, ny, nz = _first_met(
            surfaces, nodes, triangles, x, y, z, to_x, to_y, to_z, share, np.float64(plan.touch)
        )
        if which < 0:
            vx, vy, vz = (
                vx * a + ux * (1.0 - a) + ax * b,
                vy * a + uy * (1.0 - a) + ay * b,
                vz * a + uz * (1.0 - a) + az * b,
            )
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
        rests = plan.bounce * impact <= max(-pull, 0.0) * step or impact < plan.least_speed
        strikes = impact > max(-pull, 0.0) * step * 1.5 + 1e-6
        counts = impact >= plan.least_speed and (strikes or plan.meets != BOUNCE)
        if counts:
            if counted == 0:
                touched[0], touched[1], touched[2], touched[3], touched[4] = gone, nx, ny, nz, impact
                touched[5], touched[6], touched[7] = x - nx * plan.touch, y - ny * plan.touch, z - nz * plan.touch
            counted += 1
            if plan.meets == END:
                return x, y, z, vx, vy, vz, counted, True, -1
            if plan.meets == STICK:
                return x, y, z, gx, gy, gz, counted, False, which
        # What lies on the surface rubs against it all the while, what touches it anew once more besides.
        keep = 1.0 if rests and not strikes else np.float64(plan.slide)
        thrown = 0.0 if rests else plan.bounce * impact
        rx, ry, rz = (rx - into * nx) * keep, (ry - into * ny) * keep, (rz - into * nz) * keep
        vx, vy, vz = gx + rx + thrown * nx, gy + ry + thrown * ny, gz + rz + thrown * nz
        if rests:
            pull = min(pull, 0.0)
            ax, ay, az = ax - pull * nx, ay - pull * ny, az - pull * nz
            blow = min(nx * (ux - gx) + ny * (uy - gy) + nz * (uz - gz), 0.0)
            ux, uy, uz = ux - blow * nx, uy - blow * ny, uz - blow * nz
            if not rubbed:
                # Exact over the rest of the step, so that how far it slides does not hang on the step's length.
                rub = -RESTING_TOUCHES * math.log(max(np.float64(plan.slide), _LEAST_SLIDE))
                both = max(drag + rub, 1e-30)
                ux, uy, uz = (drag * ux + rub * gx) / both, (drag * uy + rub * gy) / both, (drag * uz + rub * gz) / both
                drag, rubbed = drag + rub, True
        if h <= 0.0 or (x - sx) * (x - sx) + (y - sy) * (y - sy) + (z - sz) * (z - sz) > 1e24:
            break
    return x, y, z, vx, vy, vz, counted, False, -1
