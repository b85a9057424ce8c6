"""The gas, cell by cell: what carries it, stirs it and burns it. Arrays are float32; lengths in cells, times in seconds.

Fields lie at the middles of cells, interleaved: (nx, ny, nz, fields). Velocities stand on faces, and are known at the middles as
(nx, ny, nz, 3). `low` and `high` bound the slabs along x that a call works on.
"""

from __future__ import annotations

import numpy as np

from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.simulate.turbulence_field import air

_FIELDS = 3
"""Smoke, heat and fuel."""
BLOCK = 8
"""Cells along a side of a block of which it is known whether there is anything in it."""
_NOTHING = 1e-5
"""Of any field, what is taken as nothing."""


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


# Where places are read from they cannot be negative (uint64), and faces are flat arrays: else each of eight corners is looked after by
# itself, which takes as long as all the rest.


@inlined
def _between(x, most):
    """The lower of two neighbours, and how far beyond it a place is, within 0 to `most` (float32, at least 1)."""
    x = min(max(x, np.float32(0.0)), most)
    low = np.int32(min(x, most - np.float32(1.0)))
    return np.uint64(low), x - np.float32(low)


@inlined
def _beyond(x, y, z, nx, ny, nz):
    """How far a place is outside of the box, in cells, along the axis of which it is farthest; 0 or less within."""
    half = np.float32(0.5)
    across = max(-half - x, x - (nx - half))
    return max(max(across, max(-half - y, y - (ny - half))), max(-half - z, z - (nz - half)))


@inlined
def _within(x, count):
    """How much of a place is in the box: 1 up to its side, 0 a cell beyond."""
    half, unit = np.float32(0.5), np.float32(1.0)
    beyond = max(-half - x, x - (count - half))
    return unit - min(max(beyond, np.float32(0.0)), unit)


@inlined
def _mixed_of(a, b, c, d, e, f, g, h, x, y, z):
    """Between eight corners."""
    p, q = a + z * (b - a), c + z * (d - c)
    r, s = e + z * (f - e), g + z * (h - g)
    low, top = p + y * (q - p), r + y * (s - r)
    return low + x * (top - low)


@inlined
def _ends_of(a, b, c, d, e, f, g, h):
    """The least and the most of eight."""
    return (min(min(min(a, b), min(c, d)), min(min(e, f), min(g, h))), max(max(max(a, b), max(c, d)), max(max(e, f), max(g, h))))


@inlined
def _mixed(values, at, over, down, x, y, z):
    """Between eight corners of flat values, the first of which stands at `at`; `over` and `down` lead to the next along the first two
    axes."""
    one = np.uint64(1)
    top = at + over
    return _mixed_of(
        values[at], values[at + one], values[at + down], values[at + down + one], values[top], values[top + one],
        values[top + down], values[top + down + one], x, y, z,
    )  # fmt: skip


@inlined
def _ends(values, at, over, down):
    """The least and the most of eight corners, as of `_mixed`."""
    one = np.uint64(1)
    top = at + over
    return _ends_of(
        values[at], values[at + one], values[at + down], values[at + down + one], values[top], values[top + one],
        values[top + down], values[top + down + one],
    )  # fmt: skip


@kernel
def lively(fields, blocks, low, high):
    """Fills blocks (x, y, z) uint8 of BLOCK cells a side, `low` to `high` along x, with whether there is anything in them."""
    least = np.float32(_NOTHING)
    for i in range(low, high):
        for j in range(blocks.shape[1]):
            for k in range(blocks.shape[2]):
                blocks[i, j, k] = 0
        for x in range(i * BLOCK, min(i * BLOCK + BLOCK, fields.shape[0])):
            for y in range(fields.shape[1]):
                for z in range(fields.shape[2]):
                    if max(max(fields[x, y, z, 0], fields[x, y, z, 1]), fields[x, y, z, 2]) > least:
                        blocks[i, y // BLOCK, z // BLOCK] = 1


@kernel
def carry_fields(fields, flow, step, blocks, out, low, high):
    """Takes fields from where the flow brings them, a straight way back: how ways bend, the correction finds. step : s over the
    size of a cell; less than 0 looks ahead. blocks : as of `lively`; where they say so there is nothing. What comes from outside is
    empty."""
    nx, ny, nz = fields.shape[0], fields.shape[1], fields.shape[2]
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                if blocks[i // BLOCK, j // BLOCK, k // BLOCK] == 0:
                    for n in range(_FIELDS):
                        out[i, j, k, n] = 0.0
                    continue
                x, y, z = i - step * flow[i, j, k, 0], j - step * flow[i, j, k, 1], k - step * flow[i, j, k, 2]
                if _beyond(x, y, z, np.float32(nx), np.float32(ny), np.float32(nz)) > np.float32(0.0):
                    for n in range(_FIELDS):
                        out[i, j, k, n] = 0.0
                    continue
                p, a = _between(x, np.float32(nx - 1))
                q, b = _between(y, np.float32(ny - 1))
                r, c = _between(z, np.float32(nz - 1))
                one = np.uint64(1)
                for n in range(_FIELDS):
                    out[i, j, k, n] = _mixed_of(
                        fields[p, q, r, n], fields[p, q, r + one, n], fields[p, q + one, r, n], fields[p, q + one, r + one, n],
                        fields[p + one, q, r, n], fields[p + one, q, r + one, n], fields[p + one, q + one, r, n],
                        fields[p + one, q + one, r + one, n], a, b, c,
                    )  # fmt: skip


@kernel
def correct_fields(fields, there, flow, step, blocks, out, low, high):
    """Adds half of what going there and back would lose, never beyond the eight values it came from: second order in time and space
    (Selle et al., An unconditionally stable MacCormack method, Journal of Scientific Computing 35, 2008). there, blocks : as of
    `carry_fields`."""
    nx, ny, nz = fields.shape[0], fields.shape[1], fields.shape[2]
    half, none = np.float32(0.5), np.float32(0.0)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                if blocks[i // BLOCK, j // BLOCK, k // BLOCK] == 0:
                    for n in range(_FIELDS):
                        out[i, j, k, n] = 0.0
                    continue
                a, b, c = step * flow[i, j, k, 0], step * flow[i, j, k, 1], step * flow[i, j, k, 2]
                x, y, z = i - a, j - b, k - c
                if _beyond(x, y, z, np.float32(nx), np.float32(ny), np.float32(nz)) > none:
                    for n in range(_FIELDS):
                        out[i, j, k, n] = 0.0
                    continue
                one = np.uint64(1)
                p, _ = _between(x, np.float32(nx - 1))
                q, _ = _between(y, np.float32(ny - 1))
                r, _ = _between(z, np.float32(nz - 1))
                x, y, z = i + a, j + b, k + c
                inside = _beyond(x, y, z, np.float32(nx), np.float32(ny), np.float32(nz)) <= none
                e, x = _between(x, np.float32(nx - 1))
                f, y = _between(y, np.float32(ny - 1))
                g, z = _between(z, np.float32(nz - 1))
                for n in range(_FIELDS):
                    least, most = _ends_of(
                        fields[p, q, r, n],
                        fields[p, q, r + one, n],
                        fields[p, q + one, r, n],
                        fields[p, q + one, r + one, n],
                        fields[p + one, q, r, n],
                        fields[p + one, q, r + one, n],
                        fields[p + one, q + one, r, n],
                        fields[p + one, q + one, r + one, n],
                    )
                    if least == most:
                        out[i, j, k, n] = least
                        continue
                    back = none
                    if inside:
                        back = _mixed_of(
                            there[e, f, g, n], there[e, f, g + one, n], there[e, f + one, g, n], there[e, f + one, g + one, n],
                            there[e + one, f, g, n], there[e + one, f, g + one, n], there[e + one, f + one, g, n],
                            there[e + one, f + one, g + one, n], x, y, z,
                        )  # fmt: skip
                    value = there[i, j, k, n] + half * (fields[i, j, k, n] - back)
                    out[i, j, k, n] = min(max(value, least), most)


@inlined
def _way(flows, shape, behind, i, j, k, step):
    """How far what is on a face goes in a step, in cells: by the mean of the cells on either side, or by the one there is. flows :
    flat, of cells of that shape."""
    p, q, r = max(i - behind[0], 0), max(j - behind[1], 0), max(k - behind[2], 0)
    e, f, g = min(i, shape[0] - 1), min(j, shape[1] - 1), min(k, shape[2] - 1)
    one = np.uint64(((p * shape[1] + q) * shape[2] + r) * 3)
    two = np.uint64(((e * shape[1] + f) * shape[2] + g) * 3)
    half = np.float32(0.5) * step
    return (
        half * (flows[one] + flows[two]),
        half * (flows[one + np.uint64(1)] + flows[two + np.uint64(1)]),
        half * (flows[one + np.uint64(2)] + flows[two + np.uint64(2)]),
    )


@kernel
def carry_faces(faces, flow, behind, step, toward, out, low, high):
    """As `carry_fields`, for the velocities on the faces across an axis. behind : three numbers, 1 for that axis and 0 for others.
    What comes from outside goes with the wind, `toward`: if it went as what it meets at the side, an inflow would feed itself and grow
    without end."""
    nx, ny, nz = faces.shape
    wide, high_up, deep, unit = np.float32(nx), np.float32(ny), np.float32(nz), np.float32(1.0)
    down, over = np.uint64(nz), np.uint64(ny * nz)
    given, flows, told = faces.reshape(-1), flow.reshape(-1), out.reshape(-1)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                x, y, z = _way(flows, flow.shape, behind, i, j, k, step)
                x, y, z = np.float32(i) - x, np.float32(j) - y, np.float32(k) - z
                p, a = _between(x, wide - unit)
                q, b = _between(y, high_up - unit)
                r, c = _between(z, deep - unit)
                value = _mixed(given, p * over + q * down + r, over, down, a, b, c)
                if _beyond(x, y, z, wide, high_up, deep) > np.float32(0.0):
                    inside = _within(x, wide) * _within(y, high_up) * _within(z, deep)
                    value = toward + inside * (value - toward)
                told[np.uint64(i) * over + np.uint64(j) * down + np.uint64(k)] = value


@kernel
def correct_faces(faces, there, flow, behind, step, blocks, out, low, high):
    """As `correct_fields`, for velocities. Where there is nothing to be seen the air is as it was carried."""
    nx, ny, nz = faces.shape
    wide, high_up, deep = np.float32(nx), np.float32(ny), np.float32(nz)
    half, unit = np.float32(0.5), np.float32(1.0)
    down, over = np.uint64(nz), np.uint64(ny * nz)
    last = blocks.shape[0] - 1, blocks.shape[1] - 1, blocks.shape[2] - 1
    given, came, flows, told = faces.reshape(-1), there.reshape(-1), flow.reshape(-1), out.reshape(-1)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                here = np.uint64(i) * over + np.uint64(j) * down + np.uint64(k)
                if blocks[min(i // BLOCK, last[0]), min(j // BLOCK, last[1]), min(k // BLOCK, last[2])] == 0:
                    told[here] = came[here]
                    continue
                x, y, z = _way(flows, flow.shape, behind, i, j, k, step)
                e, f, g = np.float32(i) - x, np.float32(j) - y, np.float32(k) - z
                if _beyond(e, f, g, wide, high_up, deep) > np.float32(0.0):
                    told[here] = came[here]
                    continue
                p, _ = _between(e, wide - unit)
                q, _ = _between(f, high_up - unit)
                r, _ = _between(g, deep - unit)
                least, most = _ends(given, p * over + q * down + r, over, down)
                p, a = _between(np.float32(i) + x, wide - unit)
                q, b = _between(np.float32(j) + y, high_up - unit)
                r, c = _between(np.float32(k) + z, deep - unit)
                back = _mixed(came, p * over + q * down + r, over, down, a, b, c)
                value = came[here] + half * (given[here] - back)
                told[here] = min(max(value, least), most)


@kernel
def curls(flow, blocks, curl, low, high):
    """How the flow turns at each cell of lively blocks, 1/s times a cell. curl : (nx, ny, nz, 4), the last its length."""
    nx, ny, nz = flow.shape[0], flow.shape[1], flow.shape[2]
    half = np.float32(0.5)
    for i in range(low, high):
        for j in range(ny):
            for k in range(nz):
                if blocks[i // BLOCK, j // BLOCK, k // BLOCK] == 0:
                    curl[i, j, k, 0] = curl[i, j, k, 1] = curl[i, j, k, 2] = curl[i, j, k, 3] = np.float32(0.0)
                    continue
                i0, i1 = max(i - 1, 0), min(i + 1, nx - 1)
                j0, j1 = max(j - 1, 0), min(j + 1, ny - 1)
                k0, k1 = max(k - 1, 0), min(k + 1, nz - 1)
                x = half * (flow[i, j1, k, 2] - flow[i, j0, k, 2] - flow[i, j, k1, 1] + flow[i, j, k0, 1])
                y = half * (flow[i, j, k1, 0] - flow[i, j, k0, 0] - flow[i1, j, k, 2] + flow[i0, j, k, 2])
                z = half * (flow[i1, j, k, 1] - flow[i0, j, k, 1] - flow[i, j1, k, 0] + flow[i, j0, k, 0])
                curl[i, j, k, 0], curl[i, j, k, 1], curl[i, j, k, 2] = x, y, z
                curl[i, j, k, 3] = np.sqrt(x * x + y * y + z * z)


@kernel
def pushes(fields, curl, blocks, field, numbers, offset, push, low, high):
    """What pushes the air at each cell, cells a second in this step. push : (nx, ny, nz, 3). blocks : those in which whirls are kept
    alive.

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
                if alive > 0 and blocks[i // BLOCK, j // BLOCK, k // BLOCK]:
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
