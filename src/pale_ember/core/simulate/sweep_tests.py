"""Where a ball swept along a straight way meets each kind of surface, in the surface's own axes and float64."""

from __future__ import annotations

import math

from pale_ember.core.kernel import kernel

NOWHERE = 2.0
"""The share of the way at which nothing is met."""

SKIN = 5e-4
"""A mesh has two sides, so nothing may come nearer than this, in metres: rounding would put it on the other."""

_MOST_NEARINGS = 40
_TOUCHING = 1e-9
"""Metres from a triangle at which a ball touches it, and how often its way there is found anew: a grazing one halves it
each time."""


@kernel
def onto_plane(y0, y1, reach, depth):
    """When, as a share of the way, a ball of radius `reach` comes to the plane y = 0 from above; else over 1."""
    before, after = y0 - reach, y1 - reach
    if before < -depth or after >= 0.0 or after >= before:
        return NOWHERE
    return max(before, 0.0) / (before - after)


@kernel
def onto_ball(p, d, radius, depth):
    """When a point at p moving by d comes to a ball about the origin, from outside."""
    px, py, pz = p
    dx, dy, dz = d
    c = px * px + py * py + pz * pz - radius * radius
    b = px * dx + py * dy + pz * dz
    a = dx * dx + dy * dy + dz * dz
    core = max(radius - depth, 0.0)
    if b >= 0.0 or a <= 0.0 or c < core * core - radius * radius:
        return NOWHERE
    if c <= 0.0:
        return 0.0
    inside = b * b - a * c
    if inside < 0.0:
        return NOWHERE
    return c / (-b + math.sqrt(inside))


@kernel
def onto_block(p, d, hx, hy, hz, near, depth):
    """When a point comes to a block about the origin from outside, and the axis and side it meets."""
    enter, leave, axis, side = -1e30, NOWHERE, -1, 1.0
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
                return NOWHERE, 0, 1.0
            continue
        first, second = (-half - at) / go, (half - at) / go
        if first > second:
            first, second = second, first
        if first > enter:
            enter, axis, side = first, i, (-1.0 if go > 0.0 else 1.0)
        leave = min(leave, second)
    if deep < -depth:
        return NOWHERE, 0, 1.0
    if deep <= near:
        # On the face already: only a way inward meets it.
        inward = d[deep_axis] * deep_side < 0.0
        if deep <= 0.0 and inward:
            return 0.0, deep_axis, deep_side
        if deep <= 0.0:
            return NOWHERE, 0, 1.0
    if axis < 0 or enter > leave or enter < 0.0:
        return NOWHERE, 0, 1.0
    return enter, axis, side


@kernel
def onto_drum(p, d, radius, half, depth):
    """When a point comes to a standing drum about the origin from outside, and the unit outward there."""
    px, py, pz = p
    dx, dy, dz = d
    far = math.sqrt(px * px + pz * pz)
    out_round, out_flat = far - radius, abs(py) - half
    if out_round < -depth and out_flat < -depth:
        return NOWHERE, 0.0, 1.0, 0.0
    if out_round <= 0.0 and out_flat <= 0.0:
        if out_flat > out_round:
            sign = 1.0 if py > 0.0 else -1.0
            return (0.0 if dy * sign < 0.0 else NOWHERE), 0.0, sign, 0.0
        nx, nz = px / max(far, 1e-30), pz / max(far, 1e-30)
        return (0.0 if dx * nx + dz * nz < 0.0 else NOWHERE), nx, 0.0, nz
    enter, leave, nx, ny, nz = -1.0, NOWHERE, 0.0, 1.0, 0.0
    if abs(dy) > 1e-300:
        first, second = (-half - py) / dy, (half - py) / dy
        if first > second:
            first, second = second, first
        enter, leave = first, second
        ny = -1.0 if dy > 0.0 else 1.0
    elif out_flat > 0.0:
        return NOWHERE, 0.0, 1.0, 0.0
    a, b, c = dx * dx + dz * dz, px * dx + pz * dz, px * px + pz * pz - radius * radius
    if a > 1e-300:
        inside = b * b - a * c
        if inside < 0.0:
            return NOWHERE, 0.0, 1.0, 0.0
        root = math.sqrt(inside)
        first, second = (-b - root) / a, (-b + root) / a
        if first > enter:
            enter = first
            nx, ny, nz = (px + first * dx) / radius, 0.0, (pz + first * dz) / radius
        leave = min(leave, second)
    elif c > 0.0:
        return NOWHERE, 0.0, 1.0, 0.0
    if enter > leave or enter < 0.0:
        return NOWHERE, 0.0, 1.0, 0.0
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
        return NOWHERE, 0.0, 1.0, 0.0
    away = (fx * (p[0] - ax) + fy * (p[1] - ay) + fz * (p[2] - az)) / area
    toward = (fx * d[0] + fy * d[1] + fz * d[2]) / area
    if min(away, away + toward) > reach or max(away, away + toward) < -reach:
        return NOWHERE, 0.0, 1.0, 0.0
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
            return NOWHERE, 0.0, 1.0, 0.0
        if far - reach <= _TOUCHING:
            return when, nx, ny, nz
        when -= (far - reach) / speed
        if when >= best:
            return NOWHERE, 0.0, 1.0, 0.0
    return when, nx, ny, nz


@kernel
def onto_mesh(nodes, triangles, root, p, d, reach, best):
    """The first triangle met before `best`: when, and the unit towards the ball."""
    nx, ny, nz = 0.0, 1.0, 0.0
    nearest = NOWHERE
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
                best = nearest = when
                nx, ny, nz = tx, ty, tz
    return nearest, nx, ny, nz
