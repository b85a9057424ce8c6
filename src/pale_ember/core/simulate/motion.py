"""The kernel that moves particles: births, forces, contact and deaths of one layer, step after step.

Within one step the air and the gravity are constant and drag is exact, so a free throw follows its closed form whatever
the step: with drag k and air u, over a time h,

    v' = v A + u (1 - A) + g B        x' = x + v B + u (h - B) + g G
    A = exp(-k h)    B = (1 - A) / k    G = (h - B) / k
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from pale_ember.core.simulate.births import birth_direction, birth_place
from pale_ember.core.simulate.draws import LIFETIME, SPEED, draw
from pale_ember.core.simulate.field import air
from pale_ember.core.simulate.kernel import inlined, kernel
from pale_ember.core.simulate.plan import END, PASS

RESTING_TOUCHES = 10.0
"""A particle lying on a surface counts as touching it this often each second, for what slide it keeps."""

ON_SURFACE = np.float32(1e-4)
"""A particle this little below a surface, in metres, still counts as on it: float32 rounding of a metre or two."""

_SOLVES = 12
"""Halvings that find the moment of a touch within a step: to 1/4096 of it, then one straight-line refinement."""

_F0, _F1, _HALF = np.float32(0.0), np.float32(1.0), np.float32(0.5)


class Table(NamedTuple):
    """Particles as columns, (capacity,) each. World metres, or the layer's own for a local layer; the first `count`
    rows are alive, in birth order.

    born : float64, s of the effect; life : float32, s; number : uint64.
    """

    px: np.ndarray
    py: np.ndarray
    pz: np.ndarray
    vx: np.ndarray
    vy: np.ndarray
    vz: np.ndarray
    born: np.ndarray
    life: np.ndarray
    number: np.ndarray

    @classmethod
    def empty(cls, capacity: int) -> Table:
        columns = [np.zeros(capacity, np.float32) for _ in range(6)]
        lives, numbers = np.zeros(capacity, np.float32), np.zeros(capacity, np.uint64)
        return cls._make((*columns, np.zeros(capacity), lives, numbers))

    @property
    def capacity(self) -> int:
        return len(self.born)

    def copy(self, count: int, capacity: int | None = None) -> Table:
        """The first `count` rows, in a table of their own with room for `capacity`."""
        made = Table.empty(count if capacity is None else capacity)
        for mine, theirs in zip(made, self, strict=True):
            mine[:count] = theirs[:count]
        return made

    def bytes_used(self) -> int:
        return sum(column.nbytes for column in self)


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


@inlined
def lane_at(lane, age):
    """A sampled lane at an age from 0 to 1, float32, straight between samples; a lane of one sample is constant."""
    last = lane.shape[0] - 1
    place = min(max(age, _F0), _F1) * np.float32(last)
    i = min(np.int64(place), max(last - 1, 0))
    return lane[i] + (lane[min(i + 1, last)] - lane[i]) * (place - np.float32(i))


@inlined
def air_velocity(plan, field, x, y, z, time):
    """The air's velocity at a place and time of the effect: wind plus eddies, float32."""
    scale = plan.cells_per_metre
    t = np.float32(time)
    qx = (x - plan.drift_x * t) * scale
    qy = (y - plan.drift_y * t) * scale
    qz = (z - plan.drift_z * t) * scale
    u, v, w = air(field, qx, qy, qz)
    if plan.detail > 0.0:
        finer, weight = np.float32(2.17), np.float32(0.5 * plan.detail)
        # Other axes and another corner of the field, so that the finer eddies are not the large ones again.
        v2, w2, u2 = air(field, qy * finer + np.float32(17.3), qz * finer + np.float32(5.1), qx * finer)
        norm = np.float32(1.0 / math.sqrt(1.0 + 0.25 * plan.detail * plan.detail))
        u, v, w = (u + weight * u2) * norm, (v + weight * v2) * norm, (w + weight * w2) * norm
    strength = plan.turbulence
    return plan.wind_x + strength * u, plan.wind_y + strength * v, plan.wind_z + strength * w


@kernel
def _touch_time(height, speed, air_speed, gravity, drag, factor, h):
    """When within h (s) the height over a surface (m, float64) falls to 0, along the exact step."""
    low, high = 0.0, h
    for _ in range(_SOLVES):
        t = 0.5 * (low + high)
        _a, b, g = coefficients(drag, t)
        if height + factor * (speed * b + air_speed * (t - b) + gravity * g) > 0.0:
            low = t
        else:
            high = t
    return low


@kernel
def _met_ground(plan, x, y, z, vx, vy, vz, ux, uy, uz, factor, h):
    """The rest of a step in which a particle comes to the plane: place, velocity, and whether it ends there."""
    nx, ny, nz = plan.plane_x, plan.plane_y, plan.plane_z
    drag = plan.drag
    height = max(nx * x + ny * y + nz * z - plan.plane_d - plan.touch, _F0)
    gravity = nx * plan.gx + ny * plan.gy + nz * plan.gz
    t = _touch_time(height, nx * vx + ny * vy + nz * vz, nx * ux + ny * uy + nz * uz, gravity, drag, factor, h)
    a, b, g = coefficients(drag, t)
    t32, left = np.float32(t), np.float32(max(h - t, 0.0))
    x += factor * (vx * b + ux * (t32 - b) + plan.gx * g)
    y += factor * (vy * b + uy * (t32 - b) + plan.gy * g)
    z += factor * (vz * b + uz * (t32 - b) + plan.gz * g)
    if plan.ground == END:
        return x, y, z, vx, vy, vz, True
    vx = vx * a + ux * (_F1 - a) + plan.gx * b
    vy = vy * a + uy * (_F1 - a) + plan.gy * b
    vz = vz * a + uz * (_F1 - a) + plan.gz * b
    inward = min(nx * vx + ny * vy + nz * vz, _F0)
    thrown = -plan.bounce * inward
    # What cannot leave the surface within a step lies on it.
    rests = thrown <= max(-gravity, _F0) * np.float32(h)
    keep = np.float32(plan.slide ** (RESTING_TOUCHES * h)) if rests else plan.slide
    along = _F0 if rests else thrown
    px, py, pz = vx - inward * nx, vy - inward * ny, vz - inward * nz
    off = nx * px + ny * py + nz * pz
    vx, vy, vz = (px - off * nx) * keep, (py - off * ny) * keep, (pz - off * nz) * keep
    vx, vy, vz = vx + along * nx, vy + along * ny, vz + along * nz
    a, b, g = coefficients(drag, left)
    x += factor * (vx * b + ux * (left - b) + plan.gx * g)
    y += factor * (vy * b + uy * (left - b) + plan.gy * g)
    z += factor * (vz * b + uz * (left - b) + plan.gz * g)
    vx = vx * a + ux * (_F1 - a) + plan.gx * b
    vy = vy * a + uy * (_F1 - a) + plan.gy * b
    vz = vz * a + uz * (_F1 - a) + plan.gz * b
    below = nx * x + ny * y + nz * z - plan.plane_d - plan.touch
    if rests or below < _F0:
        into = nx * vx + ny * vy + nz * vz
        x, y, z = x - below * nx, y - below * ny, z - below * nz
        if into < _F0 or rests:
            vx, vy, vz = vx - into * nx, vy - into * ny, vz - into * nz
    return x, y, z, vx, vy, vz, False


@kernel
def _move(plan, field, lane, table, first, count, left, time, newborn):
    """Moves rows `first` to `count` to `time` and writes those still alive from row `left` on; returns where they end.

    Newborn rows stand at their births and are carried from there, the others over one whole step.
    """
    px, py, pz, vx, vy, vz, born, lives, number = table
    gx, gy, gz, drag = plan.gx, plan.gy, plan.gz, plan.drag
    sx, sy, sz, floor = plan.plane_x, plan.plane_y, plan.plane_z, plan.plane_d + plan.touch
    meets, stirred, laned = plan.ground != PASS, plan.turbulence > _F0, plan.has_speed_lane
    begin = time - plan.step_time
    h = np.float32(plan.step_time)
    a, b, g = coefficients(drag, h)
    ux, uy, uz, factor = plan.wind_x, plan.wind_y, plan.wind_z, _F1
    for i in range(first, count):
        birth, life = born[i], lives[i]
        elapsed = np.float32(time - birth)
        if elapsed >= life:
            continue
        if newborn:
            begin, h = birth, elapsed
            a, b, g = coefficients(drag, h)
        x, y, z, x_speed, y_speed, z_speed = px[i], py[i], pz[i], vx[i], vy[i], vz[i]
        if stirred:
            ux, uy, uz = air_velocity(plan, field, x, y, z, begin)
        if laned:
            factor = lane_at(lane, (elapsed - _HALF * h) / life)
        rest, lost = h - b, _F1 - a
        to_x = x + factor * (x_speed * b + ux * rest + gx * g)
        to_y = y + factor * (y_speed * b + uy * rest + gy * g)
        to_z = z + factor * (z_speed * b + uz * rest + gz * g)
        above = sx * x + sy * y + sz * z - floor
        if meets and above >= -ON_SURFACE and sx * to_x + sy * to_y + sz * to_z < floor:
            x, y, z, x_speed, y_speed, z_speed, ended = _met_ground(
                plan, x, y, z, x_speed, y_speed, z_speed, ux, uy, uz, factor, np.float64(h)
            )
            if ended:
                continue
        else:
            x, y, z = to_x, to_y, to_z
            x_speed = x_speed * a + ux * lost + gx * b
            y_speed = y_speed * a + uy * lost + gy * b
            z_speed = z_speed * a + uz * lost + gz * b
        px[left], py[left], pz[left] = x, y, z
        vx[left], vy[left], vz[left] = x_speed, y_speed, z_speed
        if left != i:
            born[left], lives[left], number[left] = birth, life, number[i]
        left += 1
    return left


@kernel
def _bear(plan, table, count, born, number):
    """Puts a newborn particle into row `count`, at its place of birth."""
    masked = number & plan.same_mask
    lx, ly, lz, ox, oy, oz = birth_place(plan, masked)
    dx, dy, dz = birth_direction(plan, masked, ox, oy, oz)
    speed = plan.speed_low + (plan.speed_high - plan.speed_low) * draw(plan.key, masked, SPEED)
    table.px[count] = np.float32(plan.m00 * lx + plan.m01 * ly + plan.m02 * lz + plan.place_x)
    table.py[count] = np.float32(plan.m10 * lx + plan.m11 * ly + plan.m12 * lz + plan.place_y)
    table.pz[count] = np.float32(plan.m20 * lx + plan.m21 * ly + plan.m22 * lz + plan.place_z)
    table.vx[count] = np.float32(plan.m00 * dx + plan.m01 * dy + plan.m02 * dz) * speed
    table.vy[count] = np.float32(plan.m10 * dx + plan.m11 * dy + plan.m12 * dz) * speed
    table.vz[count] = np.float32(plan.m20 * dx + plan.m21 * dy + plan.m22 * dz) * speed
    table.born[count], table.number[count] = born, number
    table.life[count] = plan.life_low + (plan.life_high - plan.life_low) * draw(plan.key, masked, LIFETIME)


@kernel
def _number(spawner, loop, ordinal):
    return (
        (np.uint64(spawner) << np.uint64(48))
        | (np.uint64(loop & 0xFFFF) << np.uint64(32))
        | np.uint64(ordinal & 0xFFFFFFFF)
    )


@kernel
def _rate_births(plan, table, count, room, loop, before, time):
    """Bears what the rate spawns in one loop within (before, time]. Birth k of the layer happens when the
    integral of the rate reaches k, so fractions carry over from loop to loop."""
    per_loop = plan.rate * plan.span
    base = loop * per_loop if plan.carried else 0.0
    begin = loop * plan.duration + plan.start
    first = math.ceil(base)
    k = max(first, math.floor(base + plan.rate * (before - begin)) + 1)
    # The last birth of the span lies before its end; a billionth keeps rounding from adding one.
    last = min(math.ceil(base + per_loop - 1e-9) - 1, math.floor(base + plan.rate * (time - begin)))
    while k <= last and count < room:
        born = begin + (k - base) / plan.rate
        _bear(plan, table, count, min(born, time), _number(0, loop, k - first))
        count += 1
        k += 1
    return count


@kernel
def _births(plan, bursts, table, count, before, time):
    """Bears everything due within (before, time], up to the limit and the table's room."""
    room = min(plan.limit, table.born.shape[0])
    low, high = math.floor(before / plan.duration), math.floor(time / plan.duration)
    if not plan.loop:
        low, high = 0, 0
    elif not plan.warm:
        low = max(low, 0)
    for loop in range(low, high + 1):
        if plan.rate > 0.0 and plan.span > 0.0:
            count = _rate_births(plan, table, count, room, loop, before, time)
        for i in range(bursts[0].shape[0]):
            born = loop * plan.duration + bursts[0][i]
            if before < born <= time:
                for k in range(bursts[1][i]):
                    if count >= room:
                        break
                    _bear(plan, table, count, born, _number(bursts[2][i], loop, k))
                    count += 1
    return count


@kernel
def run(plans, field, lane, bursts, table, count, step, last, alive):
    """Carries a table from `step` to `last`.

    plans : (1,) of MOTION. field : the baked eddies. lane : the sampled speed lane. bursts : times, counts and codes.
    alive : (last - step,) int64, filled with the count after each step. Returns (count, step reached); the step is
    short of `last` when the table has no room for all the limit allows: grow it and call again.
    """
    plan = plans[0]
    done = 0
    while step < last:
        capacity = table.born.shape[0]
        if count > capacity // 2 and capacity < plan.limit:
            break
        time = (step + 1) * plan.step_time
        kept = _move(plan, field, lane, table, 0, count, 0, time, False)
        count = _births(plan, bursts, table, kept, step * plan.step_time, time)
        full = count == capacity and capacity < plan.limit
        count = _move(plan, field, lane, table, kept, count, kept, time, True)
        step += 1
        if full:
            # Births may have been lost for want of room: the caller goes back to its last state.
            return -1, step
        alive[done] = count
        done += 1
    return count, step
