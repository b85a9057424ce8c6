"""How the shapes of recipes are painted. Each function is named as its declaration and gives tones (h, w) or a picture."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import Any

import numpy as np

from pale_ember.core.effect.recipe import shapes as told
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.effect.values import Curve
from pale_ember.core.texture.recipes.canvas import Canvas, bell, coloured, drawn_lines, grains, rise
from pale_ember.core.texture.recipes.waves import bell_blurred


def along(curve: Curve, places: np.ndarray) -> np.ndarray:
    """A curve at places of any shape, 0 to 1, float32."""
    table = curve.table()
    return np.interp(places, np.linspace(0, 1, len(table)), table).astype(np.float32)


def dot(step: told.Dot, c: Canvas) -> np.ndarray:
    return along(step.fall, np.minimum(c.r / step.radius, 1.0)) * (c.r <= step.radius)


def ring(step: told.Ring, c: Canvas) -> np.ndarray:
    uneven = c.noise(step.seed)(1.6 * np.cos(c.round) + 9, 1.6 * np.sin(c.round) + 9, 0.5 + c.t) * step.uneven
    edge = step.radius + 0.15 * uneven
    away = c.r - edge
    body = np.where(away < 0, bell(away, step.inner), bell(away, step.outer))
    return body * (1 - 0.9 * step.uneven * 0.2 + 0.9 * uneven)


def streak(step: told.Streak, c: Canvas) -> np.ndarray:
    v = (c.y + 1) / 2
    width = step.width * (1 - step.taper * np.clip(1 - v, 0, 1))
    core = bell(c.x, width) + step.sleeve * bell(c.x, 2.8 * width)
    top = rise(0.0, max(step.head, 1e-3), 1 - v) if step.head > 0 else 1.0
    foot = np.clip(v / step.tail, 0, 1) ** 1.6 if step.tail > 0 else 1.0
    return core / (1 + step.sleeve) * top * foot * rise(1.0, 0.9, np.abs(c.x))


def glint(step: told.Glint, c: Canvas) -> np.ndarray:
    rng = c.random(step.seed)
    total = bell(c.r, step.core) + 0.18 * bell(c.r, 4.3 * step.core)
    for k in range(step.rays):
        turn = np.pi / 2 + 2 * np.pi * k / step.rays
        reach = step.length * (1 - step.uneven * rng.random())
        ahead = c.x * np.cos(turn) + c.y * np.sin(turn)
        beside = np.abs(c.y * np.cos(turn) - c.x * np.sin(turn))
        total = total + np.exp(-((beside / step.thin) ** 0.9) - (np.abs(ahead) / reach) ** 1.4) * (ahead > 0)
    return total * rise(1.0, 0.8, c.r)


def crescent(step: told.Crescent, c: Canvas) -> np.ndarray:
    inside = (step.radius - c.r) / step.radius
    moved = np.hypot(c.x, c.y + step.thick * step.radius)
    outside = (moved - step.radius) / step.radius
    soft = max(step.soft * step.thick, 1e-3)
    return rise(0.0, soft, inside) * rise(0.0, 2 * soft, outside)


def polygon(step: told.Polygon, c: Canvas) -> np.ndarray:
    turn = np.pi / step.sides
    sector = (c.round - np.pi / 2 + turn) % (2 * turn) - turn
    inside = step.radius * np.cos(turn) - c.r * np.cos(sector)
    body = rise(0.0, max(step.soft, 1e-3), inside)
    return body * rise(step.rim + max(step.soft, 1e-3), step.rim, inside) if step.rim > 0 else body


def shard(step: told.Shard, c: Canvas) -> np.ndarray:
    rng = c.random(step.seed)
    turns = np.sort(np.arange(step.corners) + rng.uniform(-0.35, 0.35, step.corners)) * 2 * np.pi / step.corners
    reach = step.radius * rng.uniform(0.5, 1.0, step.corners)
    points = np.stack([reach * np.cos(turns) * 0.75, reach * np.sin(turns)], axis=1)
    middle = points.mean(axis=0)
    inside = np.full_like(c.x, np.inf)
    for corner, following in zip(points, np.roll(points, -1, axis=0), strict=True):
        edge = following - corner
        normal = np.array([edge[1], -edge[0]]) / np.hypot(*edge)
        normal = -normal if normal @ (middle - corner) < 0 else normal
        inside = np.minimum(inside, (c.x - corner[0]) * normal[0] + (c.y - corner[1]) * normal[1])
    rim = bell(inside, 0.06)
    facet = rise(-0.02, 0.02, c.x * rng.uniform(-1, 1) + c.y * rng.uniform(-1, 1) - 0.05)
    light = 0.30 + 0.25 * facet + 0.75 * rim
    return coloured(light, rise(0.0, 0.03, inside) * np.clip(1 - step.clear + 0.25 * facet + 0.5 * rim, 0, 1))


def drop(step: told.Drop, c: Canvas) -> np.ndarray:
    v = (c.y + 1) / 2
    head = 0.24
    ball = np.sqrt(np.clip(1 - ((v - head) / 0.20) ** 2, 0, 1))
    tail = np.clip((step.tail - v) / max(step.tail - head, 0.02), 0, 1) ** 1.5
    inside = 1 - np.abs(c.x) / (step.width * np.where(v < head, ball, tail) + 1e-3)
    cover = rise(0.0, 0.25, inside) * rise(0.02, 0.08, v)
    rim = bell(inside, 0.35)
    shine = np.exp(-(((c.x + 0.3 * step.width) / 0.05) ** 2 + ((v - 0.26) / 0.06) ** 2))
    light = 0.42 + 0.4 * rim + 0.9 * shine + 0.25 * (0.3 - v)
    return coloured(light, cover * np.clip(0.45 + 0.5 * rim + shine, 0, 1))


def crown(step: told.Crown, c: Canvas) -> np.ndarray:
    rng = c.random(step.seed)
    v, t = (c.y + 1) / 2, (c.frame + 0.5) / c.frames
    rising = np.sin(np.pi * min(t * 1.15, 1.0))
    wide = 0.10 + 0.62 * t**0.6
    curve = np.clip(1 - (np.abs(c.x) / wide) ** 4, 0, 1)
    # A sheet of water with a torn upper edge, and jets that leave it and fall into drops.
    torn = 0.55 + 0.9 * np.clip(0.5 + c.noise(step.seed).layered(c.x * 5.0 / (wide + 0.3), v * 0.6 + 3.0 * t, 1.0, 3), 0, 1)
    sheet = 0.44 * rising * (1 - 0.8 * t) * torn
    foot = (
        np.exp(-((c.x / wide) ** 4))
        * rise(1.0, 0.55, np.maximum(v - 0.05, 0) / (sheet + 0.02))
        * (0.45 + 0.55 * np.clip((v - 0.05) / (sheet + 0.02), 0, 1))
    )
    beads: list[tuple[float, float, float, float]] = []
    heat = 0.62 * foot * (0.4 + 0.6 * curve) * (1 - t) ** 1.2
    for _ in range(step.spouts):
        lean, reach, thick = rng.uniform(-1, 1) * step.spread, rng.uniform(0.3, 0.95) ** 1.3, rng.uniform(0.010, 0.034)
        top, at = 0.06 + reach * rising * step.height, lean * (0.55 + 0.75 * t)
        share = np.clip((v - 0.05) / max(top - 0.05, 0.02), 0, 1)
        body = bell(c.x - at * (0.35 + 0.65 * share), thick * (1.1 - 0.6 * share)) * (v < top) * (1 - t) ** 0.8
        heat = heat + 0.55 * body * np.clip(0.35 + share, 0, 1)
        fallen = top - max(t - 0.5, 0) ** 2 * 2.2
        light = 0.9 * float(np.clip((1 - t) * 3, 0, 1))
        for ahead, small in ((0.0, 0.8), (rng.uniform(0.03, 0.09), 0.55), (rng.uniform(0.08, 0.17), 0.4)):
            beads.append((at * (1 + 1.2 * ahead), 2 * (fallen + ahead * (0.3 + t)) - 1, small * thick, light))
    heat = heat + grains(beads, c.size)
    return heat * rise(0.01, 0.06, v) * rise(0.99, 0.9, np.abs(c.x))


def flake(step: told.Flake, c: Canvas) -> np.ndarray:
    noise = c.noise(step.seed)
    bend = 0.2 * noise(c.x * 1.6, c.y * 1.6, 0.5)
    torn = noise.layered(c.x * 1.8 + 7, c.y * 1.8, 2.0, 4)
    r = np.hypot((c.x + bend) * 1.25, c.y - bend) / (step.radius + 0.6 * step.ragged * torn)
    light = np.clip(0.62 + step.grain * noise.layered(c.x * 3.2, c.y * 3.2, 1.0, 4), 0.15, 1)
    return coloured(light, rise(1.0, 0.86, r) * rise(0.99, 0.9, np.maximum(abs(c.x), abs(c.y))))


def crystal(step: told.Crystal, c: Canvas) -> np.ndarray:
    rng = c.random(step.seed)
    sector = np.abs((c.round - np.pi / 2 + np.pi / 6) % (np.pi / 3) - np.pi / 6)
    ahead, beside = c.r * np.cos(sector), c.r * np.sin(sector)
    away = np.where(ahead < step.radius, beside, np.inf) / step.thick
    for _ in range(step.branches):
        at, reach = rng.uniform(0.2, 0.85) * step.radius, rng.uniform(0.12, 0.4) * step.radius
        # Along a side arm that leaves at 60 degrees.
        down, out = (ahead - at) * 0.5 + beside * 0.866, beside * 0.5 - (ahead - at) * 0.866
        share = np.clip(down, 0, reach * (1 - at / step.radius * 0.5))
        away = np.minimum(away, np.hypot(down - share, out) / (0.7 * step.thick))
    plate = bell(c.r, 0.16 * step.radius) * 0.7
    return np.clip(np.exp(-(away**2)) + 0.25 * np.exp(-away * 0.6) + plate, 0, 1) * rise(1.0, 0.85, c.r)


def wisp(step: told.Wisp, c: Canvas) -> np.ndarray:
    v, t, noise = (c.y + 1) / 2, c.t, c.noise(step.seed)
    bend = (0.25 * step.bend + step.bend * v) * noise(0.3, v * 1.9 - 1.1 * t, t)
    bend = bend + 0.28 * step.bend * v * noise(4.1, v * 5 - 2 * t, t)
    thin = noise.layered(c.x * 2.5 + 5, v * 2.2 - 1.2 * t, 0.7 * t, 4)
    width = 0.05 + step.width * v * (0.8 + 0.5 * t)
    body = bell(c.x + bend, width) * np.clip(0.75 + 0.7 * thin - 0.5 * t * v, 0, 1)
    return body * rise(0.02, 0.16, v) * rise(0.99, 0.55, v)


def tongue(step: told.Tongue, c: Canvas) -> np.ndarray:
    x, v, t, noise = c.x, (c.y + 1) / 2, c.t, c.noise(step.seed)
    lift = step.lift * t
    bend = 0.30 * v * noise(x * 0.8 + 2, v * 1.4 - lift, 0.9 * t)
    bend = bend + 0.16 * noise(x * 2.1 + 5, v * 2.6 - 1.5 * lift, t)
    u, w = x + bend, v + 0.07 * noise(x * 2.6 + 8, v * 3 - lift, t + 3)
    foot = np.clip(w / 0.34, 0, 1) ** 0.6
    width = step.width * foot * np.clip(1.0 - w, 0, 1) ** 0.62 * (1 - 0.12 * t) + 1e-3
    body = np.clip(1 - (np.abs(u) / width) ** 1.6, -1, 1)
    tear = 0.5 + 0.55 * noise.layered(u * 2.2 + 9, w * 1.5 - lift, 1.2 * t, 5)
    strands = 1 - np.abs(noise.layered(u * 3.1 + 3, w * 1.15 - 0.9 * lift, 0.8 * t + 4, 4)) * 1.9
    left = body + 0.30 * strands - (0.25 + 0.55 * w + step.torn * t) * tear - 0.30 * t
    heat = rise(0.0, 1.05, left) ** 0.8 * np.clip(0.35 + 0.65 * strands, 0, 1)
    heat = heat * rise(0.02 + 0.22 * t, 0.32 + 0.3 * t, v) * rise(0.98, 0.84, v) * rise(0.98, 0.78, np.abs(x))
    return coloured(0.30 + 0.9 * heat, 1.15 * heat)


def puff(step: told.Puff, c: Canvas) -> np.ndarray:
    t = c.t

    def rough() -> tuple[np.ndarray, ...]:
        x, y, noise = c.x, c.y, c.noise(step.seed)
        swell = 1.15 - 0.3 * t
        wx = x + 0.16 * noise(x * 1.7 + 3, y * 1.7 - 0.5 * t, 2.2 * t)
        wy = y + 0.16 * noise(x * 1.7 + 11, y * 1.7 - 0.5 * t, 2.2 * t + 5)
        lumps = noise.layered(wx * 1.9 * swell + 4, wy * 1.9 * swell - 0.8 * t, 1.1 * t + 2, 5)
        billow = 1 - np.abs(noise.layered(wx * 1.5 * swell + 8, wy * 1.5 * swell - 0.8 * t, 1.1 * t, 4))
        return np.hypot(wx, wy), lumps, billow

    away, lumps, billow = c.once(("puff", step.seed), rough)
    r = away / (step.radius + 0.12 * t)
    mass = 1 - r**2 + step.lumps * lumps + step.billow * (billow - 0.7) - step.fade * t
    density = rise(0.0, 0.95, mass) * rise(0.98, 0.72, c.r)
    shade = np.exp(-step.shade * np.cumsum(density, axis=0) / c.size * 2)
    light = np.clip(0.34 + 0.66 * shade + 0.10 * lumps, 0.05, 1)
    return coloured(light, density * (0.95 - 0.25 * t))


Lines = list[tuple[float, ...]]
"""Pieces of lines: where each begins and ends, and how thick it is."""


def glowing(core: np.ndarray, glow: float, c: Canvas) -> np.ndarray:
    """Thin light with light around it, near and far."""
    if glow <= 0:
        return core
    near, far = (bell_blurred(core, share * c.size) for share in (0.012, 0.05))
    return np.clip(core + glow * (1.4 * near + 2.2 * far), 0, 1)


def cracks(step: told.Cracks, c: Canvas) -> np.ndarray:
    rng = c.random(step.seed)
    lines: Lines = []
    reach = step.reach * (c.t if c.frames > 1 else 1.0)

    def run(px: float, py: float, heading: float, gone: float, left: float, thick: float, depth: int) -> None:
        while left > 0 and thick > 0.002 and abs(px) < 0.95 and abs(py) < 0.95:
            heading += rng.normal(0, 0.38)
            length = rng.uniform(0.04, 0.09)
            qx, qy = px + length * np.cos(heading), py + length * np.sin(heading)
            if gone < reach:
                lines.append((px, py, qx, qy, thick))
            if rng.random() < step.forks and depth < 4:
                turned = heading + rng.choice([-1, 1]) * rng.uniform(0.5, 1.1)
                run(qx, qy, turned, gone + length, left * 0.5, thick * 0.62, depth + 1)
            px, py, left, thick, gone = qx, qy, left - length, thick * 0.93, gone + length

    for k in range(step.number):
        heading = 2 * np.pi * k / step.number + rng.uniform(-0.3, 0.3)
        run(0.0, 0.0, heading, 0.0, step.reach * rng.uniform(0.75, 1.25), step.thick, 0)
    return glowing(drawn_lines(lines, c.size, 1.6), step.glow, c) * rise(0.98, 0.7, c.r)


def _broken(rng: np.random.Generator, ends: np.ndarray, jag: float) -> np.ndarray:
    """(n, 2) a line between two places broken in its middle, again and again, less each time."""
    points = ends
    for _ in range(6):
        middle = (points[:-1] + points[1:]) / 2
        way = points[1:] - points[:-1]
        middle = middle + np.stack([-way[:, 1], way[:, 0]], axis=1) * rng.normal(0, 0.32 * jag, (len(way), 1))
        joined = np.empty((2 * len(points) - 1, 2))
        joined[::2], joined[1::2] = points, middle
        points = joined
    return points


def bolt(step: told.Bolt, c: Canvas) -> np.ndarray:
    rng = c.random(step.seed + (1000 * c.frame if c.frames > 1 and not c.anew else 0))
    trunk = _broken(rng, np.array([[rng.uniform(-0.2, 0.2), 0.96], [rng.uniform(-0.2, 0.2), -0.96]]), step.jag)
    lines: Lines = [(*p, *q, step.thick) for p, q in itertools.pairwise(trunk)]
    for _ in range(step.forks):
        at = rng.integers(4, max(int(len(trunk) * 0.75), 5))
        heading, reach = rng.choice([-1, 1]) * rng.uniform(0.4, 1.0), rng.uniform(0.2, 0.6)
        end = trunk[at] + reach * np.array([np.sin(heading), -np.cos(heading)])
        fork = _broken(rng, np.array([trunk[at], end]), step.jag)[::2]
        thin = np.linspace(0.6, 0.15, len(fork)) * step.thick
        lines += [(*p, *q, w) for p, q, w in zip(fork[:-1], fork[1:], thin, strict=False)]
    return glowing(drawn_lines(lines, c.size, 2.0), step.glow, c) * rise(1.0, 0.9, np.abs(c.x))


def scorch(step: told.Scorch, c: Canvas) -> np.ndarray:
    noise = c.noise(step.seed)
    rays = noise.layered(4.5 * np.cos(c.round) + 5, 4.5 * np.sin(c.round) + 5, 0.4 + c.r * 0.5, 4)
    patch = noise.layered(c.x * 3 + 2, c.y * 3 + 8, 0.7, 5)
    mass = 1.05 - c.r / step.radius * (1.05 - step.rays * rays) + step.patch * patch
    return rise(0.0, 0.9, mass) * (0.8 + 0.3 * patch) * rise(0.98, 0.75, c.r)


def specks(step: told.Specks, c: Canvas) -> np.ndarray:
    rng, points = c.random(step.seed), []
    for _ in range(step.number):
        r, turn, size = step.radius * rng.random() ** 0.6, rng.uniform(0, 2 * np.pi), rng.uniform(0.27, 1.0) * step.size
        bright = rng.uniform(0.3, 1.0)
        r *= 1 + step.fall * (c.t - (1 if step.fall > 0 else 0))
        points.append((r * np.cos(turn), r * np.sin(turn), size, bright))
    return np.clip(grains(points, c.size), 0, 1)


def slope(step: told.Ramp, c: Canvas) -> np.ndarray:
    turn = np.radians(step.turn)
    return along(step.fall, np.clip((c.y * np.cos(turn) - c.x * np.sin(turn) + 1) / 2, 0, 1))


def fill(step: told.Fill, c: Canvas) -> np.ndarray:
    out = np.empty((c.size, c.size, 4), np.float32)
    out[..., :3], out[..., 3] = step.colour, step.cover
    return out


SHAPES: dict[type[Step], Callable[[Any, Canvas], np.ndarray]] = {
    told.Dot: dot, told.Ring: ring, told.Streak: streak, told.Glint: glint, told.Crescent: crescent, told.Polygon: polygon,
    told.Shard: shard, told.Drop: drop, told.Crown: crown, told.Flake: flake, told.Crystal: crystal, told.Wisp: wisp,
    told.Tongue: tongue, told.Puff: puff, told.Cracks: cracks, told.Bolt: bolt, told.Scorch: scorch, told.Specks: specks,
    told.Ramp: slope, told.Fill: fill,
}  # fmt: skip
