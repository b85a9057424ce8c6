"""Where on or in a shape a particle is born, and where it heads: pieces of the kernel that spawns them."""

from __future__ import annotations

import math

import numpy as np

from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.simulate.draws import AIM_A, AIM_B, PLACE_A, PLACE_B, PLACE_C, SHIFT, WANDER_A, WANDER_B, draw
from pale_ember.core.simulate.plan import AIM, FACE, SHAPE

_TURN = 2.0 * math.pi


@kernel
def _mirrored(row, base):
    """The digits of a row in some base, mirrored at the point: evenly spread in [0, 1) (Halton, Numer. Math. 2, 1960)."""
    share_of_one, share, rest = 0.0, 1.0 / base, row
    while rest > 0:
        share_of_one += share * (rest % base)
        rest //= base
        share /= base
    return share_of_one


@inlined
def _circle(turn):
    """Cosine and sine of an angle in radians, to the digits a draw has."""
    angle = np.float32(turn)
    return np.float64(math.cos(angle)), np.float64(math.sin(angle))


@inlined
def _sidewards(ax, ay, az):
    """Two units at right angles to a unit axis and to each other (Duff et al., JCGT 6(1), 2017)."""
    sign = 1.0 if az >= 0.0 else -1.0
    p = -1.0 / (sign + az)
    q = ax * ay * p
    return 1.0 + sign * ax * ax * p, sign * q, -sign * ax, q, sign + ay * ay * p, -ay


@kernel
def direction_in_cap(ax, ay, az, spread_cos, across, a, b):
    """A direction within an angle (by its cosine) of a unit axis from two draws; even over the cap when `across` is 1.

    With `across` below 1 the angles along the second sideways axis shrink by it.
    """
    ux, uy, uz, wx, wy, wz = _sidewards(ax, ay, az)
    c = 1.0 - a * (1.0 - spread_cos)
    s = math.sqrt(max(0.0, 1.0 - c * c))
    cb, sb = _circle(_TURN * b)
    if across < 1.0:
        angle = math.acos(min(max(c, -1.0), 1.0))
        first, second = angle * cb, angle * sb * across
        angle = math.sqrt(first * first + second * second)
        if angle < 1e-12:
            return ax, ay, az
        cb, sb = first / angle, second / angle
        c, s = math.cos(angle), math.sin(angle)
    cb, sb = s * cb, s * sb
    return c * ax + cb * ux + sb * wx, c * ay + cb * uy + sb * wy, c * az + cb * uz + sb * wz


@kernel
def _in_shell_of_box(plan, a, b, c):
    """A place even in the shell of a box that is `fill` of its least half-extent thick; and its outward axis.

    The shell is cut into three pairs of slabs. Their volumes are divided by the thickness, so that a shell
    without thickness gives the faces by area.
    """
    hx, hy, hz = plan.half_x, plan.half_y, plan.half_z
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
        return depth, u * reach_a, v * reach_b, side, 0.0, 0.0
    if axis == 1:
        return u * reach_a, depth, v * reach_b, 0.0, side, 0.0
    return u * reach_a, v * reach_b, depth, 0.0, 0.0, side


@kernel
def _on_box(plan, a, b, c):
    """A place even over the chosen faces of a box, and outward there."""
    hx, hy, hz = plan.half_x, plan.half_y, plan.half_z
    faces = plan.faces
    left = hy * hz if faces in (FACE.left, FACE.side) else 0.0
    right = hy * hz if faces in (FACE.right, FACE.side) else 0.0
    back = hx * hy if faces in (FACE.back, FACE.side) else 0.0
    front = hx * hy if faces in (FACE.front, FACE.side) else 0.0
    base = hx * hz if faces in (FACE.base, FACE.caps) else 0.0
    top = hx * hz if faces in (FACE.top, FACE.caps) else 0.0
    pick = a * (left + right + back + front + base + top)
    u, v = 2.0 * b - 1.0, 2.0 * c - 1.0
    if pick < left + right and left + right > 0.0:
        side = -1.0 if pick < left else 1.0
        return side * hx, u * hy, v * hz, side, 0.0, 0.0
    pick -= left + right
    if pick < back + front and back + front > 0.0:
        side = -1.0 if pick < back else 1.0
        return u * hx, v * hy, side * hz, 0.0, 0.0, side
    pick -= back + front
    side = -1.0 if (pick < base and base > 0.0) or top == 0.0 else 1.0
    return u * hx, side * hy, v * hz, 0.0, side, 0.0


@kernel
def _in_cone(plan, a, b, c):
    """A place even in the cone's volume (or over its side) and the direction along its lines."""
    widening, length, foot = plan.widening, plan.length, plan.radius
    hollow = 1.0 - plan.fill
    top = foot + length * widening
    turn = plan.arc * b
    flat = plan.faces == FACE.base or plan.faces == FACE.top or plan.faces == FACE.caps
    caps = foot * foot + top * top
    slant = (foot + top) * math.sqrt(length * length + (top - foot) * (top - foot))
    if plan.faces == FACE.all and plan.fill <= 0.0 and length > 0.0:
        # The skin of the whole: foot and top are part of it, by their area.
        ends = caps / max(caps + slant, 1e-300)
        flat = a < ends
        a = a / ends if flat else (a - ends) / max(1.0 - ends, 1e-300)
    if flat:
        above = plan.faces == FACE.top or (plan.faces != FACE.base and c * caps >= foot * foot)
        r = math.sqrt(a) * (top if above else foot)
        return (r * math.cos(turn), length if above else 0.0, r * math.sin(turn), 0.0, 1.0 if above else -1.0, 0.0)
    side = plan.faces == FACE.side
    rise = 0.0
    if length > 0.0:
        power = 2.0 if side or plan.fill <= 0.0 else 3.0
        if top - foot < 1e-6 * max(top, 1e-30):
            rise = c * length
        else:
            low = foot**power
            rise = ((low + c * (top**power - low)) ** (1.0 / power) - foot) / widening
    share = 1.0 if side else math.sqrt(hollow * hollow + a * (1.0 - hollow * hollow))
    r = share * (foot + rise * widening)
    ca, sa = _circle(turn)
    lean = share * widening
    norm = 1.0 / math.sqrt(1.0 + lean * lean)
    return r * ca, rise, r * sa, lean * ca * norm, norm, lean * sa * norm


@kernel
def _in_cylinder(plan, a, b, c):
    """A place even in the shell of a drum, or over its chosen faces; and outward there."""
    radius, height, faces = plan.radius, plan.length, plan.faces
    turn = plan.arc * b
    ca, sa = _circle(turn)
    thick = plan.fill * min(radius, 0.5 * height) if faces == FACE.all else 0.0
    caps, side = radius * radius, (2.0 * radius - thick) * (height - 2.0 * thick)
    if faces == FACE.side:
        caps = 0.0
    elif faces in (FACE.top, FACE.base, FACE.caps):
        side = 0.0
    if height <= 0.0:
        side = 0.0
    pick = a * (2.0 * caps + side)
    if pick < side and side > 0.0:
        inner = radius - thick
        r = math.sqrt(inner * inner + pick / side * (radius * radius - inner * inner))
        return r * ca, thick + c * (height - 2.0 * thick), r * sa, ca, 0.0, sa
    share = min((pick - side) / max(2.0 * caps, 1e-300), 1.0)
    above = share >= 0.5
    share = 2.0 * share - 1.0 if above else 2.0 * share
    if faces == FACE.top:
        above = True
    elif faces == FACE.base:
        above = False
    r = radius * math.sqrt(share)
    depth = thick * c
    return r * ca, height - depth if above else depth, r * sa, 0.0, 1.0 if above else -1.0, 0.0


@kernel
def _in_ball(plan, a, b, c, upper):
    """A place even in the shell of a ball, or of its upper half; and outward there."""
    turn = plan.arc * b
    flat = upper and (plan.faces == FACE.base or plan.faces == FACE.caps)
    if upper and plan.faces == FACE.all and plan.fill <= 0.0:
        # A third of the whole skin is its foot.
        flat = a < 1.0 / 3.0
        a = 3.0 * a if flat else 1.5 * (a - 1.0 / 3.0)
    if flat:
        r = plan.radius * math.sqrt(a)
        return r * math.cos(turn), 0.0, r * math.sin(turn), 0.0, -1.0, 0.0
    h = c if upper else 2.0 * c - 1.0
    s = math.sqrt(max(0.0, 1.0 - h * h))
    ca, sa = _circle(turn)
    nx, ny, nz = s * ca, h, s * sa
    hollow = 0.0 if upper and plan.faces == FACE.side else (1.0 - plan.fill) ** 3
    r = plan.radius
    if not (upper and plan.faces == FACE.side):
        r = plan.radius * (hollow + a * (1.0 - hollow)) ** (1.0 / 3.0)
    return r * nx, r * ny, r * nz, nx, ny, nz


@kernel
def _in_torus(plan, a, b, c):
    """A place even in the tube of a ring, or on it; and outward from the tube's middle.

    Around the tube the share up to angle q is (q + k sin q) / 2π with k = tube / ring, solved by Newton's method.
    """
    hollow = 1.0 - plan.fill
    tube = plan.tube * math.sqrt(hollow * hollow + a * (1.0 - hollow * hollow))
    k = min(tube / plan.radius, 1.0) if plan.radius > 0.0 else 1.0
    wanted = _TURN * c
    q = wanted
    for _ in range(12):
        q -= (q + k * math.sin(q) - wanted) / max(1.0 + k * math.cos(q), 0.05)
    q = min(max(q, 0.0), _TURN)
    turn = plan.arc * b
    ca, sa, cq, sq = math.cos(turn), math.sin(turn), math.cos(q), math.sin(q)
    r = plan.radius + tube * cq
    return r * ca, tube * sq, r * sa, cq * ca, sq, cq * sa


@kernel
def _on_mesh(mesh, a, b, c):
    """A place on a mesh's pieces, and outward there."""
    points, normals, up_to = mesh
    i = min(np.searchsorted(up_to, a, side="right"), len(up_to) - 1)
    root = math.sqrt(b)
    # A square onto a triangle; where two corners are one it is even along the edge all the same.
    u, v, w = 1.0 - root, root * (1.0 - c), root * c
    if points[i, 1, 0] == points[i, 2, 0] and points[i, 1, 1] == points[i, 2, 1] and points[i, 1, 2] == points[i, 2, 2]:
        u, v, w = 1.0 - b, b, 0.0
    x = u * points[i, 0, 0] + v * points[i, 1, 0] + w * points[i, 2, 0]
    y = u * points[i, 0, 1] + v * points[i, 1, 1] + w * points[i, 2, 1]
    z = u * points[i, 0, 2] + v * points[i, 1, 2] + w * points[i, 2, 2]
    nx = u * normals[i, 0, 0] + v * normals[i, 1, 0] + w * normals[i, 2, 0]
    ny = u * normals[i, 0, 1] + v * normals[i, 1, 1] + w * normals[i, 2, 1]
    nz = u * normals[i, 0, 2] + v * normals[i, 1, 2] + w * normals[i, 2, 2]
    return x, y, z, nx, ny, nz


@kernel
def unit(x, y, z, ox, oy, oz):
    """The unit along (x, y, z), or (ox, oy, oz) where there is none."""
    length = math.sqrt(x * x + y * y + z * z)
    if length < 1e-12:
        return ox, oy, oz
    return x / length, y / length, z / length


@kernel
def birth_place(plan, mesh, number):
    """Where particle `number` is born, in the layer's own axes, and which way is outward there: six numbers."""
    if plan.even:
        row = np.int64(number & np.uint64(0xFFFFFFFF))
        batch = number & ~np.uint64(0xFFFFFFFF)
        a = (draw(plan.key, batch, SHIFT) + _mirrored(row, np.int64(2))) % 1.0
        b = (draw(plan.key, batch, PLACE_B) + _mirrored(row, np.int64(3))) % 1.0
        c = (draw(plan.key, batch, PLACE_C) + _mirrored(row, np.int64(5))) % 1.0
    else:
        a = np.float64(draw(plan.key, number, PLACE_A))
        b = np.float64(draw(plan.key, number, PLACE_B))
        c = np.float64(draw(plan.key, number, PLACE_C))
    x = y = z = 0.0
    nx, ny, nz = 0.0, 1.0, 0.0
    shape = plan.shape
    if shape == SHAPE.disc:
        hollow = 1.0 - plan.fill
        r = plan.radius * math.sqrt(hollow * hollow + a * (1.0 - hollow * hollow))
        nx, nz = _circle(plan.arc * b)
        ny = 0.0
        x, z = r * nx, r * nz
    elif shape in (SHAPE.sphere, SHAPE.hemisphere):
        x, y, z, nx, ny, nz = _in_ball(plan, a, b, c, shape == SHAPE.hemisphere)
    elif shape == SHAPE.point:
        h = 2.0 * c - 1.0
        s = math.sqrt(max(0.0, 1.0 - h * h))
        ca, sa = _circle(_TURN * b)
        nx, ny, nz = s * ca, h, s * sa
    elif shape == SHAPE.box:
        if plan.faces == FACE.all:
            x, y, z, nx, ny, nz = _in_shell_of_box(plan, a, b, c)
        else:
            x, y, z, nx, ny, nz = _on_box(plan, a, b, c)
    elif shape == SHAPE.cone:
        x, y, z, nx, ny, nz = _in_cone(plan, a, b, c)
    elif shape == SHAPE.cylinder:
        x, y, z, nx, ny, nz = _in_cylinder(plan, a, b, c)
    elif shape == SHAPE.torus:
        x, y, z, nx, ny, nz = _in_torus(plan, a, b, c)
    elif shape == SHAPE.line:
        x = (a - 0.5) * plan.length
    elif shape == SHAPE.mesh:
        x, y, z, nx, ny, nz = _on_mesh(mesh, a, b, c)
    m = plan.turn
    sx, sy, sz = plan.stretch[0], plan.stretch[1], plan.stretch[2]
    x, y, z = x * sx, y * sy, z * sz
    # A stretched surface leans the other way; keep clear of division by a flattened axis.
    nx, ny, nz = nx * sy * sz, ny * sx * sz, nz * sx * sy
    nx, ny, nz = unit(nx, ny, nz, 0.0, 1.0, 0.0)
    return (
        m[0, 0] * x + m[0, 1] * y + m[0, 2] * z + plan.offset[0],
        m[1, 0] * x + m[1, 1] * y + m[1, 2] * z + plan.offset[1],
        m[2, 0] * x + m[2, 1] * y + m[2, 2] * z + plan.offset[2],
        m[0, 0] * nx + m[0, 1] * ny + m[0, 2] * nz,
        m[1, 0] * nx + m[1, 1] * ny + m[1, 2] * nz,
        m[2, 0] * nx + m[2, 1] * ny + m[2, 2] * nz,
    )


@kernel
def birth_direction(plan, spread_cos, number, x, y, z, nx, ny, nz):
    """The unit direction in which particle `number` sets out from (x, y, z), in the layer's own axes."""
    a = np.float64(draw(plan.key, number, AIM_A))
    b = np.float64(draw(plan.key, number, AIM_B))
    if plan.aim == AIM.anywhere:
        return direction_in_cap(0.0, 1.0, 0.0, -1.0, 1.0, a, b)
    dx, dy, dz = plan.axis[0], plan.axis[1], plan.axis[2]
    if plan.aim == AIM.outward:
        dx, dy, dz = nx, ny, nz
    elif plan.aim == AIM.along_surface:
        dx, dy, dz = dy * nz - dz * ny, dz * nx - dx * nz, dx * ny - dy * nx
        dx, dy, dz = unit(dx, dy, dz, 1.0, 0.0, 0.0)
    elif plan.aim == AIM.towards_point:
        dx, dy, dz = unit(plan.point[0] - x, plan.point[1] - y, plan.point[2] - z, 0.0, 1.0, 0.0)
    elif plan.aim == AIM.away_from_point:
        dx, dy, dz = unit(x - plan.point[0], y - plan.point[1], z - plan.point[2], 0.0, 1.0, 0.0)
    dx, dy, dz = direction_in_cap(dx, dy, dz, spread_cos, plan.across, a, b)
    if plan.wander > 0.0:
        a, b = np.float64(draw(plan.key, number, WANDER_A)), np.float64(draw(plan.key, number, WANDER_B))
        rx, ry, rz = direction_in_cap(0.0, 1.0, 0.0, -1.0, 1.0, a, b)
        w, kept = plan.wander, 1.0 - plan.wander
        dx, dy, dz = unit(kept * dx + w * rx, kept * dy + w * ry, kept * dz + w * rz, dx, dy, dz)
    return dx, dy, dz
