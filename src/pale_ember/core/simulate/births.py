"""Kernels for being born: where on the shape, and heading which way. All float32, all inlined into the run."""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.simulate.draws import AIM_A, AIM_B, PLACE_A, PLACE_B, PLACE_C, draw
from pale_ember.core.simulate.kernel import kernel
from pale_ember.core.simulate.plan import ANYWHERE, BOX, CONE, DISC, OUTWARD, POINT, SPHERE

_TURN = 2.0 * math.pi


@kernel
def direction_in_cap(ax, ay, az, lowest_cos, a, b):
    """A direction even over the cap around the unit axis (ax, ay, az), from two draws in [0, 1)."""
    c = 1.0 - a * (1.0 - lowest_cos)
    s = math.sqrt(max(0.0, 1.0 - c * c))
    # Two directions at right angles to the axis (Duff et al., JCGT 6(1), 2017).
    sign = 1.0 if az >= 0.0 else -1.0
    p = -1.0 / (sign + az)
    q = ax * ay * p
    ca, sa = s * math.cos(_TURN * b), s * math.sin(_TURN * b)
    return (
        c * ax + ca * (1.0 + sign * ax * ax * p) + sa * q,
        c * ay + ca * (sign * q) + sa * (sign + ay * ay * p),
        c * az + ca * (-sign * ax) + sa * (-ay),
    )


@kernel
def _in_box(plan, a, b, c):
    """A place even in the shell of a box that is `fill` of its least half-extent thick; and its outward axis.

    The shell is cut into three pairs of slabs. Their volumes are divided by the thickness, so that a shell
    without thickness gives the faces by area.
    """
    hx, hy, hz = np.float64(plan.half_x), np.float64(plan.half_y), np.float64(plan.half_z)
    thick = plan.fill * min(hx, hy, hz)
    ix, iy = hx - thick, hy - thick
    wx, wy, wz = hy * hz, ix * hz, ix * iy
    pick = a * (wx + wy + wz)
    u, v = 2.0 * b - 1.0, 2.0 * c - 1.0
    if pick < wx:
        share, reach_a, reach_b, axis, deep = pick / wx, hy, hz, 0, hx
    elif pick < wx + wy:
        share, reach_a, reach_b, axis, deep = (pick - wx) / wy, ix, hz, 1, hy
    else:
        share, reach_a, reach_b, axis, deep = (pick - wx - wy) / max(wz, 1e-30), ix, iy, 2, hz
    side = -1.0 if share < 0.5 else 1.0
    within = share * 2.0 if share < 0.5 else share * 2.0 - 1.0
    depth = side * (deep - thick * within)
    if axis == 0:
        return depth, u * reach_a, v * reach_b, axis, side
    if axis == 1:
        return u * reach_a, depth, v * reach_b, axis, side
    return u * reach_a, v * reach_b, depth, axis, side


@kernel
def _in_cone(plan, a, b, c):
    """A place even in the cone's volume (or over its side) and the direction along its lines."""
    widening, length, foot = np.float64(plan.widening), np.float64(plan.length), np.float64(plan.radius)
    rise = 0.0
    if length > 0.0:
        top = foot + length * widening
        power = 3.0 if plan.fill > 0.0 else 2.0
        if top - foot < 1e-6 * max(top, 1e-30):
            rise = c * length
        else:
            low = foot**power
            rise = ((low + c * (top**power - low)) ** (1.0 / power) - foot) / widening
    inner = (1.0 - np.float64(plan.fill)) ** 2
    share = math.sqrt(inner + a * (1.0 - inner))
    r = share * (foot + rise * widening)
    ca, sa = math.cos(_TURN * b), math.sin(_TURN * b)
    lean = share * widening
    norm = 1.0 / math.sqrt(1.0 + lean * lean)
    return r * ca, rise, r * sa, lean * ca * norm, norm, lean * sa * norm


@kernel
def birth_place(plan, number):
    """Where particle `number` is born, in the layer's own axes, and which way is outward there: six numbers."""
    a = np.float64(draw(plan.key, number, PLACE_A))
    b = np.float64(draw(plan.key, number, PLACE_B))
    c = np.float64(draw(plan.key, number, PLACE_C))
    x = y = z = 0.0
    nx, ny, nz = 0.0, 1.0, 0.0
    hollow = 1.0 - np.float64(plan.fill)
    if plan.shape == DISC:
        r = plan.radius * math.sqrt(hollow * hollow + a * (1.0 - hollow * hollow))
        nx, ny, nz = math.cos(_TURN * b), 0.0, math.sin(_TURN * b)
        x, z = r * nx, r * nz
    elif plan.shape == SPHERE or plan.shape == POINT:
        h = 2.0 * c - 1.0
        s = math.sqrt(max(0.0, 1.0 - h * h))
        nx, ny, nz = s * math.cos(_TURN * b), h, s * math.sin(_TURN * b)
        if plan.shape == SPHERE:
            core = hollow**3
            r = plan.radius * (core + a * (1.0 - core)) ** (1.0 / 3.0)
            x, y, z = r * nx, r * ny, r * nz
    elif plan.shape == BOX:
        x, y, z, axis, side = _in_box(plan, a, b, c)
        nx = side if axis == 0 else 0.0
        ny = side if axis == 1 else 0.0
        nz = side if axis == 2 else 0.0
    elif plan.shape == CONE:
        x, y, z, nx, ny, nz = _in_cone(plan, a, b, c)
    return x, y, z, nx, ny, nz


@kernel
def birth_direction(plan, number, nx, ny, nz):
    """The unit direction in which particle `number` sets out, in the layer's own axes."""
    a = np.float64(draw(plan.key, number, AIM_A))
    b = np.float64(draw(plan.key, number, AIM_B))
    if plan.aim == ANYWHERE:
        return direction_in_cap(0.0, 1.0, 0.0, -1.0, a, b)
    if plan.aim == OUTWARD:
        return direction_in_cap(nx, ny, nz, np.float64(plan.spread_cos), a, b)
    return direction_in_cap(
        np.float64(plan.axis_x), np.float64(plan.axis_y), np.float64(plan.axis_z), np.float64(plan.spread_cos), a, b
    )
