"""The gas, cell by cell: what carries it, stirs it and burns it. Arrays are float32; lengths in cells, times in seconds.

Fields lie at the middles of cells, interleaved: (nx, ny, nz, fields). Velocities stand on faces, and are known at the middles as
(nx, ny, nz, 3). `low` and `high` bound the slabs along x that a call works on.
"""

from __future__ import annotations

import numpy as np

from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.simulate.field import air

_FIELDS = 3
"""Smoke, heat and fuel."""


@kernel
def middles(u, v, w, flow, low, high):
    """Velocities at the middles of cells, the mean of either face."""
    half = np.float32(0.5)
    for i in range(low, high):
        for j in range(flow.shape[1]):
            for k in range(flow.shape[2]):
                flow[i, j, k, 0] = half * (u[i, j, k] + u[i + 1, j, k])
                flow[i, j, k, 1] = half * (v[i, j, k] + v[i, j + 1, k])
                flow[i, j, k, 2] = half * (w[i, j, k] + w[i, j, k + 1])


@inlined
def _between(x, most):
    """The lower of two neighbours, and how far beyond it a place is, within 0 to `most`."""
    x = min(max(x, np.float32(0.0)), np.float32(most))
    low = max(min(np.int64(x), most - 1), 0)
    return low, x - np.float32(low)


@inlined
def _within(x, count):
    """How much of a place is in the box: 1 up to its side, 0 a cell beyond."""
    half, unit = np.float32(0.5), np.float32(1.0)
    beyond = max(-half - x, x - (np.float32(count) - half))
    return unit - min(max(beyond, np.float32(0.0)), unit)


@inlined
def _mixed(a, b, c, d, e, f, g, h, x, y, z):
    """Between eight corners."""
    p, q = a + z * (b - a), c + z * (d - c)
    r, s = e + z * (f - e), g + z * (h - g)
    low, top = p + y * (q - p), r + y * (s - r)
    return low + x * (top - low)


@inlined
def _ends(a, b, c, d, e, f, g, h):
    """The least and the most of eight."""
    return (
        min(min(min(a, b), min(c, d)), min(min(e, f), min(g, h))),
        max(max(max(a, b), max(c, d)), max(max(e, f), max(g, h))),
    )


@kernel
def carry_fields(fields, flow, step, out, low, high):
    """Takes fields from where the flow brings them, a straight way back: how ways bend, the correction finds. step : s over the
    size of a cell; less than 0 looks ahead. What comes from outside is empty."""
    nx, ny, nz = fields.shape[0], fields.shape[1], fields.shape[2]
    half = np.float32(0.5)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                x, y, z = i - step * flow[i, j, k, 0], j - step * flow[i, j, k, 1], k - step * flow[i, j, k, 2]
                inside = -half <= x <= nx - half and -half <= y <= ny - half and -half <= z <= nz - half
                if not inside:
                    for n in range(_FIELDS):
                        out[i, j, k, n] = 0.0
                    continue
                p, a = _between(x, nx - 1)
                q, b = _between(y, ny - 1)
                r, c = _between(z, nz - 1)
                for n in range(_FIELDS):
                    out[i, j, k, n] = _mixed(
                        fields[p, q, r, n], fields[p, q, r + 1, n], fields[p, q + 1, r, n], fields[p, q + 1, r + 1, n],
                        fields[p + 1, q, r, n], fields[p + 1, q, r + 1, n], fields[p + 1, q + 1, r, n],
                        fields[p + 1, q + 1, r + 1, n], a, b, c,
                    )  # fmt: skip


@kernel
def correct_fields(fields, there, flow, step, out, low, high):
    """Adds half of what going there and back would lose, never beyond the eight values it came from: second order in time and space
    (Selle et al., An unconditionally stable MacCormack method, Journal of Scientific Computing 35, 2008). there : as of
    `carry_fields`."""
    nx, ny, nz = fields.shape[0], fields.shape[1], fields.shape[2]
    half = np.float32(0.5)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                a, b, c = step * flow[i, j, k, 0], step * flow[i, j, k, 1], step * flow[i, j, k, 2]
                x, y, z = i - a, j - b, k - c
                if not (-half <= x <= nx - half and -half <= y <= ny - half and -half <= z <= nz - half):
                    for n in range(_FIELDS):
                        out[i, j, k, n] = 0.0
                    continue
                p, _ = _between(x, nx - 1)
                q, _ = _between(y, ny - 1)
                r, _ = _between(z, nz - 1)
                x, y, z = i + a, j + b, k + c
                inside = -half <= x <= nx - half and -half <= y <= ny - half and -half <= z <= nz - half
                e, x = _between(x, nx - 1)
                f, y = _between(y, ny - 1)
                g, z = _between(z, nz - 1)
                for n in range(_FIELDS):
                    least, most = _ends(
                        fields[p, q, r, n], fields[p, q, r + 1, n], fields[p, q + 1, r, n], fields[p, q + 1, r + 1, n],
                        fields[p + 1, q, r, n], fields[p + 1, q, r + 1, n], fields[p + 1, q + 1, r, n],
                        fields[p + 1, q + 1, r + 1, n],
                    )  # fmt: skip
                    if least == most:
                        out[i, j, k, n] = least
                        continue
                    back = np.float32(0.0)
                    if inside:
                        back = _mixed(
                            there[e, f, g, n], there[e, f, g + 1, n], there[e, f + 1, g, n], there[e, f + 1, g + 1, n],
                            there[e + 1, f, g, n], there[e + 1, f, g + 1, n], there[e + 1, f + 1, g, n],
                            there[e + 1, f + 1, g + 1, n], x, y, z,
                        )  # fmt: skip
                    value = there[i, j, k, n] + half * (fields[i, j, k, n] - back)
                    out[i, j, k, n] = min(max(value, least), most)


@inlined
def _way(flow, behind, i, j, k, step):
    """How far what is on a face goes in a step, in cells: by the mean of the cells on either side, or by the one there is."""
    p, q, r = max(i - behind[0], 0), max(j - behind[1], 0), max(k - behind[2], 0)
    e, f, g = min(i, flow.shape[0] - 1), min(j, flow.shape[1] - 1), min(k, flow.shape[2] - 1)
    half = np.float32(0.5) * step
    return (
        half * (flow[p, q, r, 0] + flow[e, f, g, 0]), half * (flow[p, q, r, 1] + flow[e, f, g, 1]),
        half * (flow[p, q, r, 2] + flow[e, f, g, 2]),
    )  # fmt: skip


@kernel
def carry_faces(faces, flow, behind, step, toward, out, low, high):
    """As `carry_fields`, for the velocities on the faces across an axis. behind : three numbers, 1 for that axis and 0 for others.
    What comes from outside goes with the wind, `toward`: if it went as what it meets at the side, an inflow would feed itself and grow
    without end."""
    nx, ny, nz = faces.shape
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                x, y, z = _way(flow, behind, i, j, k, step)
                x, y, z = i - x, j - y, k - z
                p, a = _between(x, nx - 1)
                q, b = _between(y, ny - 1)
                r, c = _between(z, nz - 1)
                inside = _within(x, nx) * _within(y, ny) * _within(z, nz)
                out[i, j, k] = toward + inside * (_mixed(
                    faces[p, q, r], faces[p, q, r + 1], faces[p, q + 1, r], faces[p, q + 1, r + 1], faces[p + 1, q, r],
                    faces[p + 1, q, r + 1], faces[p + 1, q + 1, r], faces[p + 1, q + 1, r + 1], a, b, c,
                ) - toward)  # fmt: skip


@kernel
def correct_faces(faces, there, flow, behind, step, out, low, high):
    """As `correct_fields`, for velocities."""
    nx, ny, nz = faces.shape
    half = np.float32(0.5)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                x, y, z = _way(flow, behind, i, j, k, step)
                e, f, g = i - x, j - y, k - z
                if _within(e, nx) * _within(f, ny) * _within(g, nz) < np.float32(1.0):
                    out[i, j, k] = there[i, j, k]
                    continue
                p, _ = _between(e, nx - 1)
                q, _ = _between(f, ny - 1)
                r, _ = _between(g, nz - 1)
                least, most = _ends(
                    faces[p, q, r], faces[p, q, r + 1], faces[p, q + 1, r], faces[p, q + 1, r + 1], faces[p + 1, q, r],
                    faces[p + 1, q, r + 1], faces[p + 1, q + 1, r], faces[p + 1, q + 1, r + 1],
                )  # fmt: skip
                p, a = _between(i + x, nx - 1)
                q, b = _between(j + y, ny - 1)
                r, c = _between(k + z, nz - 1)
                back = _mixed(
                    there[p, q, r], there[p, q, r + 1], there[p, q + 1, r], there[p, q + 1, r + 1], there[p + 1, q, r],
                    there[p + 1, q, r + 1], there[p + 1, q + 1, r], there[p + 1, q + 1, r + 1], a, b, c,
                )  # fmt: skip
                value = there[i, j, k] + half * (faces[i, j, k] - back)
                out[i, j, k] = min(max(value, least), most)


@kernel
def curls(flow, curl, low, high):
    """How the flow turns at each cell, 1/s times a cell. curl : (nx, ny, nz, 4), the last its length."""
    nx, ny, nz = flow.shape[0], flow.shape[1], flow.shape[2]
    half = np.float32(0.5)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                i0, i1 = max(i - 1, 0), min(i + 1, nx - 1)
                j0, j1 = max(j - 1, 0), min(j + 1, ny - 1)
                k0, k1 = max(k - 1, 0), min(k + 1, nz - 1)
                x = half * (flow[i, j1, k, 2] - flow[i, j0, k, 2] - flow[i, j, k1, 1] + flow[i, j, k0, 1])
                y = half * (flow[i, j, k1, 0] - flow[i, j, k0, 0] - flow[i1, j, k, 2] + flow[i0, j, k, 2])
                z = half * (flow[i1, j, k, 1] - flow[i0, j, k, 1] - flow[i, j1, k, 0] + flow[i, j0, k, 0])
                curl[i, j, k, 0], curl[i, j, k, 1], curl[i, j, k, 2] = x, y, z
                curl[i, j, k, 3] = np.sqrt(x * x + y * y + z * z)


@kernel
def pushes(fields, curl, field, numbers, offset, push, low, high):
    """What pushes the air at each cell, cells a second in this step. push : (nx, ny, nz, 3).

    numbers : lift, weight, curls, gusts, cells of the baked eddies in a cell, all for this step; offset : (3,) where in the eddies
    the box stands. Whirls are kept alive as Fedkiw, Stam and Jensen do (Visual simulation of smoke, SIGGRAPH 2001).
    """
    lift, weight, alive, gusts, fine = numbers[0], numbers[1], numbers[2], numbers[3], numbers[4]
    nx, ny, nz = push.shape[0], push.shape[1], push.shape[2]
    tiny = np.float32(1e-6)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                x, y, z = np.float32(0.0), lift * fields[i, j, k, 1] - weight * fields[i, j, k, 0], np.float32(0.0)
                if alive > 0:
                    a = curl[min(i + 1, nx - 1), j, k, 3] - curl[max(i - 1, 0), j, k, 3]
                    b = curl[i, min(j + 1, ny - 1), k, 3] - curl[i, max(j - 1, 0), k, 3]
                    c = curl[i, j, min(k + 1, nz - 1), 3] - curl[i, j, max(k - 1, 0), 3]
                    long = np.float32(1.0) / (np.sqrt(a * a + b * b + c * c) + tiny)
                    a, b, c = a * long, b * long, c * long
                    x += alive * (b * curl[i, j, k, 2] - c * curl[i, j, k, 1])
                    y += alive * (c * curl[i, j, k, 0] - a * curl[i, j, k, 2])
                    z += alive * (a * curl[i, j, k, 1] - b * curl[i, j, k, 0])
                if gusts > 0:
                    # Only what is seen is stirred: clear air would carry it all out of the box.
                    here = gusts * min(np.float32(2.0) * (fields[i, j, k, 0] + fields[i, j, k, 1]), np.float32(1.0))
                    if here > 0:
                        e, f, g = air(field, offset[0] + i * fine, offset[1] + j * fine, offset[2] + k * fine)
                        x, y, z = x + here * e, y + here * f, z + here * g
                push[i, j, k, 0], push[i, j, k, 1], push[i, j, k, 2] = x, y, z


@kernel
def pushed(faces, push, axis, keep, toward, low, high):
    """Adds what pushes the cells on either side of each face, and lets the air come to rest, towards the wind."""
    ny, nz = faces.shape[1], faces.shape[2]
    ends = push.shape[axis] - 1
    half = np.float32(0.5)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                if axis == 0:
                    by = push[max(i - 1, 0), j, k, 0] + push[min(i, ends), j, k, 0]
                elif axis == 1:
                    by = push[i, max(j - 1, 0), k, 1] + push[i, min(j, ends), k, 1]
                else:
                    by = push[i, j, max(k - 1, 0), 2] + push[i, j, min(k, ends), 2]
                faces[i, j, k] = (faces[i, j, k] + half * by - toward) * keep + toward


@kernel
def burn(fields, source, numbers, swells, low, high):
    """Lets a source give, fuel burn, heat and smoke go. fields : smoke, heat and fuel. source : (nx, ny, nz) how much of it each
    cell is. swells : (nx, ny, nz) how much each cell is to swell in this step.

    numbers : smoke, fuel and heat given; shares of fuel that burn, heat that goes, smoke that is kept; soot; heat of burning; how
    much the source swells; how much burning does.
    """
    smoke, fuel, heat = numbers[0], numbers[1], numbers[2]
    burns, cools, keeps, soot, warmth = numbers[3], numbers[4], numbers[5], numbers[6], numbers[7]
    blast, grows = numbers[8], numbers[9]
    for i in range(low, high):
        for j in range(fields.shape[1]):
            for k in range(fields.shape[2]):
                given = source[i, j, k]
                left, hot = fields[i, j, k, 2] + fuel * given, fields[i, j, k, 1]
                if heat * given > hot:
                    hot = heat * given
                burnt = burns * left
                fields[i, j, k, 0] = (fields[i, j, k, 0] + smoke * given + soot * burnt) * keeps
                # What is hotter cools faster.
                hot = hot + warmth * burnt
                fields[i, j, k, 1] = hot / (1 + cools * (np.float32(0.4) + np.float32(0.6) * hot))
                fields[i, j, k, 2] = left - burnt
                swells[i, j, k] = blast * given + grows * burnt
