"""Kernels for being born: where on the shape, and heading which way. Float64 inside, float32 in the table."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from pale_ember.core.effect.model import Layer
from pale_ember.core.geometry.mesh import Mesh, scatter
from pale_ember.core.kernel import inlined, kernel
from pale_ember.core.simulate.draws import LIFETIME, OUTWARD_SPEED, PUSH_X, PUSH_Y, PUSH_Z, SIDEWAYS_SPEED, SPEED, SPREAD, draw, drawn
from pale_ember.core.simulate.shape_sampling import birth_direction, birth_place, unit


@inlined
def _of(plan, choices, pair, number, channel):
    """A number of a range of the plan, drawn for particle `number`."""
    if pair[3] > 0.0 or pair[0] != pair[1]:
        return np.float64(drawn(choices, pair[0], pair[1], pair[2], pair[3], draw(plan.key, number, channel)))
    return np.float64(pair[0])


@kernel
def spawn(plans, choices, mesh, born, number, frames, carried, table, at):
    """Fills rows from `at` on of a table with newborn particles at their places of birth.

    plans : (1,) of BIRTH. choices : (c,) float32. mesh : corners, normals and shares of a Scatter.
    born : (n,) float64. number : (n,) uint64. frames : (1 or n, 12) float64, axes and origin of the layer at each
    birth. carried : (0 or n, 3) float64, m/s, added to each velocity.
    """
    plan = plans[0]
    for i in range(born.shape[0]):
        f = frames[i if frames.shape[0] > 1 else 0]
        own = number[i] & plan.same_mask
        x, y, z, nx, ny, nz = birth_place(plan, mesh, own)
        spread_cos = plan.spread_cos
        if plan.spread[3] > 0.0 or plan.spread[0] != plan.spread[1]:
            spread_cos = math.cos(math.radians(_of(plan, choices, plan.spread, own, SPREAD)))
        dx, dy, dz = birth_direction(plan, spread_cos, own, x, y, z, nx, ny, nz)
        speed = _of(plan, choices, plan.speed, own, SPEED)
        outward = _of(plan, choices, plan.outward, own, OUTWARD_SPEED)
        sideways = _of(plan, choices, plan.sideways, own, SIDEWAYS_SPEED)
        vx = dx * speed + nx * outward + _of(plan, choices, plan.push[0], own, PUSH_X)
        vy = dy * speed + ny * outward + _of(plan, choices, plan.push[1], own, PUSH_Y)
        vz = dz * speed + nz * outward + _of(plan, choices, plan.push[2], own, PUSH_Z)
        if sideways != 0.0:
            # Around the shape's own Y axis.
            yx, yy, yz = plan.turn[0, 1], plan.turn[1, 1], plan.turn[2, 1]
            rx, ry, rz = x - plan.offset[0], y - plan.offset[1], z - plan.offset[2]
            tx, ty, tz = unit(yy * rz - yz * ry, yz * rx - yx * rz, yx * ry - yy * rx, 0.0, 0.0, 0.0)
            vx, vy, vz = vx + tx * sideways, vy + ty * sideways, vz + tz * sideways
        row = at + i
        table.px[row] = np.float32(f[0] * x + f[1] * y + f[2] * z + f[9])
        table.py[row] = np.float32(f[3] * x + f[4] * y + f[5] * z + f[10])
        table.pz[row] = np.float32(f[6] * x + f[7] * y + f[8] * z + f[11])
        px = f[0] * vx + f[1] * vy + f[2] * vz
        py = f[3] * vx + f[4] * vy + f[5] * vz
        pz = f[6] * vx + f[7] * vy + f[8] * vz
        if carried.shape[0] > 0:
            px, py, pz = px + carried[i, 0], py + carried[i, 1], pz + carried[i, 2]
        table.vx[row], table.vy[row], table.vz[row] = np.float32(px), np.float32(py), np.float32(pz)
        table.born[row], table.number[row] = born[i], number[i]
        table.life[row] = np.float32(_of(plan, choices, plan.life, own, LIFETIME))


@kernel
def replace_places(plans, mesh, step, frame, table, count):
    """Puts every particle at a new place of the shape, drawn for this step. frame : (12,) float64."""
    plan = plans[0]
    for i in range(count):
        own = (table.number[i] & plan.same_mask) ^ (np.uint64(step) * np.uint64(0x9E3779B97F4A7C15))
        x, y, z, _nx, _ny, _nz = birth_place(plan, mesh, own)
        table.px[i] = np.float32(frame[0] * x + frame[1] * y + frame[2] * z + frame[9])
        table.py[i] = np.float32(frame[3] * x + frame[4] * y + frame[5] * z + frame[10])
        table.pz[i] = np.float32(frame[6] * x + frame[7] * y + frame[8] * z + frame[11])


def scatter_arrays(layer: Layer, mesh: Callable[[str], Mesh], density: Callable) -> tuple[np.ndarray, ...]:
    """The pieces of a mesh that spawns, as the kernels take them; one piece of nothing for other shapes.

    points, normals : (k, 3) m; weights : (k,) shares of one.
    """
    outlet = layer.outlet
    if outlet.shape != "mesh":
        return np.zeros((1, 3, 3)), np.zeros((1, 3, 3)), np.ones(1)
    told = outlet.density if outlet.density in ("", "vertex colour") else density(outlet.density)
    points = scatter(mesh(outlet.mesh), outlet.mesh_part, told)
    return points.points, points.normals, points.up_to
