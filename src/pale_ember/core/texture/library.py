"""The library's pictures, painted by our own code from seeds.

A picture is (height, width, 4) float32: linear RGB, not premultiplied, and coverage. Row 0 is the top.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pale_ember.core.texture.noise import Noise


@dataclass(frozen=True, slots=True)
class Painted:
    """A picture of the library: its grid, what it suits, and how it is painted. whole : made to be tiled or laid along a
    strip, so it reaches to its edges."""

    name: str
    columns: int
    rows: int
    suits: str
    blend: str
    paint: Callable[[], np.ndarray]
    whole: bool = False


def _rise(low: float, high: float, value: np.ndarray) -> np.ndarray:
    """0 below `low`, 1 above `high`, smooth between; of any shape."""
    t = np.clip((value - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def _plane(pixels: int) -> tuple[np.ndarray, np.ndarray]:
    """Pixel centres of a square frame: x from -1 to 1 rightward, y from -1 to 1 upward. Both (pixels, pixels)."""
    line = (np.arange(pixels) + 0.5) / pixels * 2 - 1
    x, y = np.meshgrid(line, -line)
    return x, y


def _sheet(frames: list[np.ndarray], columns: int) -> np.ndarray:
    """Frames of one size laid out row by row. frames : (h, w, 4) each; returns (rows h, columns w, 4)."""
    rows = [np.concatenate(frames[i : i + columns], axis=1) for i in range(0, len(frames), columns)]
    return np.concatenate(rows, axis=0).astype(np.float32)


def _white(coverage: np.ndarray) -> np.ndarray:
    """(h, w, 4) float32: white light under this coverage (h, w)."""
    return np.dstack([np.ones((*coverage.shape, 3)), coverage]).astype(np.float32)


def soft_dot() -> np.ndarray:
    x, y = _plane(128)
    r = np.hypot(x, y)
    return _white(np.exp(-4.5 * r * r) * _rise(1.0, 0.6, r))


def spark() -> np.ndarray:
    """A bright grain with a tail: height along the motion, head up."""
    x, y = _plane(128)
    tail = np.clip((y + 0.92) / 1.6, 0, 1)
    width = 0.045 + 0.11 * tail**2
    body = np.exp(-((x / width) ** 2)) * tail**1.6 * _rise(0.95, 0.62, y)
    halo = 0.25 * np.exp(-14 * (x**2 + ((y - 0.45) / 1.3) ** 2)) * _rise(1.0, 0.7, np.hypot(x, y))
    return _white(np.clip(body + halo, 0, 1))


def ring() -> np.ndarray:
    """A thin ring, sharper outside, with a slight unevenness."""
    x, y = _plane(256)
    r, turn = np.hypot(x, y), np.arctan2(y, x)
    uneven = Noise(5)(1.6 * np.cos(turn) + 9, 1.6 * np.sin(turn) + 9, 0.5)
    edge = 0.78 + 0.03 * uneven
    inner = np.exp(-(((r - edge) / 0.14) ** 2))
    outer = np.exp(-(((r - edge) / 0.05) ** 2))
    return _white(np.where(r < edge, inner, outer) * (0.82 + 0.18 * uneven) * _rise(1.0, 0.93, r))


def smoke_puffs() -> np.ndarray:
    """Sixteen frames of one puff that billows, thins and tears; lighter above, shaded below."""
    x, y = _plane(128)
    noise = Noise(11)
    frames = []
    for i in range(16):
        t = i / 15
        swell = 1.15 - 0.3 * t
        wx = x + 0.16 * noise(x * 1.7 + 3, y * 1.7 - 0.5 * t, 2.2 * t)
        wy = y + 0.16 * noise(x * 1.7 + 11, y * 1.7 - 0.5 * t, 2.2 * t + 5)
        lumps = noise.layered(wx * 1.9 * swell + 4, wy * 1.9 * swell - 0.8 * t, 1.1 * t + 2, 5)
        billow = 1 - np.abs(noise.layered(wx * 1.5 * swell + 8, wy * 1.5 * swell - 0.8 * t, 1.1 * t, 4))
        r = np.hypot(wx, wy) / (0.72 + 0.12 * t)
        mass = 1 - r**2 + 0.55 * lumps + 0.45 * (billow - 0.7) - 0.28 * t
        density = _rise(0.0, 0.95, mass) * _rise(0.98, 0.72, np.hypot(x, y))
        shade = np.exp(-2.4 * np.cumsum(density, axis=0) / 128 * 2)
        light = 0.34 + 0.66 * shade + 0.10 * lumps
        frames.append(
            np.dstack([np.repeat(np.clip(light, 0.05, 1)[..., None], 3, axis=2), density * (0.95 - 0.25 * t)])
        )
    return _sheet(frames, 4)


def flame_wisps() -> np.ndarray:
    """Sixteen frames of a tongue: round at the foot, drawn to a tip, then torn into wisps that rise and go out."""
    x, y = _plane(128)
    v = (y + 1) / 2
    noise = Noise(23)
    frames = []
    for i in range(16):
        t = i / 15
        lift = 1.9 * t
        bend = 0.30 * v * noise(x * 0.8 + 2, v * 1.4 - lift, 0.9 * t) + 0.16 * noise(
            x * 2.1 + 5, v * 2.6 - 1.5 * lift, t
        )
        u, w = x + bend, v + 0.07 * noise(x * 2.6 + 8, v * 3 - lift, t + 3)
        foot = np.clip(w / 0.34, 0, 1) ** 0.6
        width = 0.70 * foot * np.clip(1.0 - w, 0, 1) ** 0.62 * (1 - 0.12 * t) + 1e-3
        body = np.clip(1 - (np.abs(u) / width) ** 1.6, -1, 1)
        tear = 0.5 + 0.55 * noise.layered(u * 2.2 + 9, w * 1.5 - lift, 1.2 * t, 5)
        strands = 1 - np.abs(noise.layered(u * 3.1 + 3, w * 1.15 - 0.9 * lift, 0.8 * t + 4, 4)) * 1.9
        left = body + 0.30 * strands - (0.25 + 0.55 * w + 1.05 * t) * tear - 0.30 * t
        heat = _rise(0.0, 1.05, left) ** 0.8 * np.clip(0.35 + 0.65 * strands, 0, 1)
        heat *= _rise(0.02 + 0.22 * t, 0.32 + 0.3 * t, v) * _rise(0.98, 0.84, v) * _rise(0.98, 0.78, np.abs(x))
        glow = np.clip(0.30 + 0.9 * heat, 0, 1)
        frames.append(np.dstack([np.repeat(glow[..., None], 3, axis=2), np.clip(1.15 * heat, 0, 1)]))
    return _sheet(frames, 4)


def clouds() -> np.ndarray:
    """Layered noise that meets itself at its edges, light and dark in equal parts."""
    return _grey(np.clip(1.9 * _seamless(lambda x, y: Noise(31).layered(x * 3, y * 3, 0.5, 5)), -1, 1))


def cells() -> np.ndarray:
    """Cells with dark seams, meeting themselves at the edges (Worley, SIGGRAPH 1996)."""
    rng = np.random.default_rng(7)
    count = 6
    seeds = (np.stack(np.meshgrid(np.arange(count), np.arange(count)), axis=-1) + rng.random((count, count, 2))) / count
    line = (np.arange(256) + 0.5) / 256
    at = np.stack(np.meshgrid(line, line), axis=-1)
    away = np.stack([
        np.hypot(*np.moveaxis((at - seed + 0.5) % 1.0 - 0.5, -1, 0)) for seed in seeds.reshape(-1, 2)
    ])  # fmt: skip
    away.sort(axis=0)
    return _grey(np.clip((away[1] - away[0]) * count * 1.3, 0, 1) * 2 - 1)


def shards() -> np.ndarray:
    """Four splinters of glass: bright rims, a pale body, a facet across."""
    rng = np.random.default_rng(12)
    frames = []
    for _ in range(4):
        x, y = _plane(128)
        turns = np.sort(rng.uniform(0, 2 * np.pi, 5)) + rng.uniform(-0.2, 0.2)
        reach = rng.uniform(0.45, 0.9, 5)
        inside = np.full_like(x, np.inf)
        points = np.stack([reach * np.cos(turns) * 0.75, reach * np.sin(turns)], axis=1)
        middle = points.mean(axis=0)
        for corner, following in zip(points, np.roll(points, -1, axis=0), strict=True):
            edge = following - corner
            normal = np.array([edge[1], -edge[0]]) / np.hypot(*edge)
            if normal @ (middle - corner) < 0:
                normal = -normal
            inside = np.minimum(inside, (x - corner[0]) * normal[0] + (y - corner[1]) * normal[1])
        cover = _rise(0.0, 0.03, inside)
        rim = np.exp(-((inside / 0.06) ** 2))
        facet = _rise(-0.02, 0.02, x * rng.uniform(-1, 1) + y * rng.uniform(-1, 1) - 0.05)
        light = np.clip(0.30 + 0.25 * facet + 0.75 * rim, 0, 1)
        solid = cover * np.clip(0.35 + 0.25 * facet + 0.5 * rim, 0, 1)
        frames.append(np.dstack([np.repeat(light[..., None], 3, axis=2), solid]))
    return _sheet(frames, 2)


def streak() -> np.ndarray:
    """An even upright line, soft to its sides: for ribbons, beams and rain."""
    x, _ = _plane(128)
    core = np.exp(-((x / 0.16) ** 2)) + 0.35 * np.exp(-((x / 0.45) ** 2))
    return _white(np.clip(core / 1.2, 0, 1) * _rise(1.0, 0.9, np.abs(x)))


def column() -> np.ndarray:
    """An upright line that stands on its foot and fades towards its top: for columns of light, jets, searchlights."""
    x, y = _plane(256)
    v = (y + 1) / 2
    wide = 1.0 + 0.25 * (1 - v) ** 6
    core = np.exp(-((x / (0.16 * wide)) ** 2)) + 0.4 * np.exp(-((x / (0.42 * wide)) ** 2))
    fade = _rise(0.985, 0.35, v) * _rise(0.006, 0.045, v)
    return _white(np.clip(core / 1.25, 0, 1) * fade * _rise(0.98, 0.8, np.abs(x)))


def shock_ring() -> np.ndarray:
    """A hard front with a torn, fading wake inside: for blasts that run along the ground."""
    x, y = _plane(256)
    r, turn = np.hypot(x, y), np.arctan2(y, x)
    noise = Noise(41)
    torn = noise.layered(2.2 * np.cos(turn) + 9, 2.2 * np.sin(turn) + 9, r * 2.2, 4)
    front = np.exp(-(((r - 0.86) / 0.035) ** 2))
    fine = noise.layered(7 * np.cos(turn) + 3, 7 * np.sin(turn) + 3, 1.5, 3)
    wake = _rise(0.30, 0.86, r) ** 2 * np.clip(0.55 + 0.8 * torn + 0.5 * fine, 0, 1) * (r < 0.86)
    return _white(np.clip(front * (0.75 + 0.35 * torn) + 0.62 * wake, 0, 1) * _rise(0.99, 0.92, r))


def drop() -> np.ndarray:
    """A falling drop, head down: a bright rim below, a highlight, a thin tail."""
    x, y = _plane(128)
    v = (y + 1) / 2
    ball = np.sqrt(np.clip(1 - ((v - 0.24) / 0.20) ** 2, 0, 1))
    tail = np.clip((0.97 - v) / 0.73, 0, 1) ** 1.5
    width = 0.27 * np.where(v < 0.24, ball, tail) + 1e-3
    inside = 1 - np.abs(x) / width
    cover = _rise(0.0, 0.25, inside) * _rise(0.02, 0.08, v)
    rim = np.exp(-((inside / 0.35) ** 2))
    shine = np.exp(-(((x + 0.08) / 0.05) ** 2 + ((v - 0.26) / 0.06) ** 2))
    light = np.clip(0.42 + 0.4 * rim + 0.9 * shine + 0.25 * (0.3 - v), 0, 1)
    return np.dstack([np.repeat(light[..., None], 3, axis=2), cover * np.clip(0.45 + 0.5 * rim + shine, 0, 1)]).astype(
        np.float32
    )


def splash() -> np.ndarray:
    """Sixteen frames of a crown: it rises from the point of impact, opens, and falls apart into beads."""
    x, y = _plane(128)
    v = (y + 1) / 2
    rng = np.random.default_rng(17)
    spouts = [(rng.uniform(-0.7, 0.7), rng.uniform(0.4, 0.95), rng.uniform(0.022, 0.05)) for _ in range(15)]
    frames = []
    for i in range(16):
        t = (i + 0.5) / 16
        rise = np.sin(np.pi * min(t * 1.15, 1.0))
        heat = np.zeros_like(x)
        sheet_height = 0.30 * rise * (1 - t)
        wide = 0.10 + 0.62 * t**0.6
        curve = np.clip(1 - (np.abs(x) / wide) ** 4, 0, 1)
        foot = np.exp(-((x / wide) ** 4)) * np.exp(-((np.maximum(v - 0.05, 0) / (0.6 * sheet_height + 0.02)) ** 2))
        heat += 0.32 * foot * (0.4 + 0.6 * curve) * (1 - t) ** 1.5
        for lean, reach, thick in spouts:
            top = 0.06 + reach * rise * 0.8
            at = lean * (0.55 + 0.75 * t)
            along = np.clip((v - 0.05) / max(top - 0.05, 0.02), 0, 1)
            path = at * (0.35 + 0.65 * along)
            body = np.exp(-(((x - path) / (thick * (1.1 - 0.6 * along))) ** 2)) * (v < top) * (1 - t) ** 0.8
            fallen = top - max(t - 0.5, 0) ** 2 * 2.2
            bead = np.exp(-((((x - at) / (thick * 1.1)) ** 2) + ((v - fallen) / (thick * 1.3)) ** 2))
            heat += 0.55 * body * np.clip(0.35 + along, 0, 1) + 0.9 * bead * np.clip((1 - t) * 3, 0, 1)
        heat *= _rise(0.01, 0.06, v) * _rise(0.99, 0.9, np.abs(x))
        frames.append(np.dstack([np.ones((*x.shape, 3)), np.clip(heat, 0, 1)]))
    return _sheet(frames, 4)


def flakes() -> np.ndarray:
    """Four flakes of ash, sleet or rust: torn edges, light and dark within."""
    x, y = _plane(128)
    frames = []
    for seed in (51, 52, 53, 54):
        noise = Noise(seed)
        bend = 0.2 * noise(x * 1.6, y * 1.6, 0.5)
        r = np.hypot((x + bend) * 1.25, y - bend) / (0.62 + 0.30 * noise.layered(x * 1.8 + 7, y * 1.8, 2.0, 4))
        cover = _rise(1.0, 0.86, r)
        light = np.clip(0.62 + 0.5 * noise.layered(x * 3.2, y * 3.2, 1.0, 4), 0.15, 1)
        frames.append(
            np.dstack([np.repeat(light[..., None], 3, axis=2), cover * _rise(0.99, 0.9, np.maximum(abs(x), abs(y)))])
        )
    return _sheet(frames, 2)


def glint() -> np.ndarray:
    """A star of four thin rays about a hot point: glitter, glass, wet edges."""
    x, y = _plane(128)
    r = np.hypot(x, y)
    rays = np.exp(-((np.abs(y) / 0.02) ** 0.9) - (np.abs(x) / 0.26) ** 1.4)
    rays = rays + np.exp(-((np.abs(x) / 0.02) ** 0.9) - (np.abs(y) / 0.34) ** 1.4)
    return _white(
        np.clip(rays + np.exp(-((r / 0.07) ** 2)) + 0.18 * np.exp(-((r / 0.3) ** 2)), 0, 1) * _rise(1.0, 0.8, r)
    )


def specks() -> np.ndarray:
    """Four scatters of fine grains: dust that glitters, drizzle, ash far away."""
    x, y = _plane(128)
    frames = []
    for seed in range(4):
        rng = np.random.default_rng(60 + seed)
        heat = np.zeros_like(x)
        for _ in range(26):
            r, turn, size = 0.85 * rng.random() ** 0.6, rng.uniform(0, 2 * np.pi), rng.uniform(0.012, 0.045)
            heat += rng.uniform(0.3, 1.0) * np.exp(
                -(((x - r * np.cos(turn)) ** 2 + (y - r * np.sin(turn)) ** 2) / size**2)
            )
        frames.append(np.dstack([np.ones((*x.shape, 3)), np.clip(heat, 0, 1)]))
    return _sheet(frames, 2)


def wisp() -> np.ndarray:
    """Nine frames of one thin curl of smoke, standing on its foot, that winds and tears as it goes."""
    x, y = _plane(128)
    v = (y + 1) / 2
    noise = Noise(71)
    frames = []
    for i in range(9):
        t = i / 8
        bend = (0.10 + 0.42 * v) * noise(np.full_like(v, 0.3), v * 1.9 - 1.1 * t, t) + 0.12 * v * noise(
            np.full_like(v, 4.1), v * 5 - 2 * t, t
        )
        thin = noise.layered(x * 2.5 + 5, v * 2.2 - 1.2 * t, 0.7 * t, 4)
        width = 0.05 + 0.17 * v * (0.8 + 0.5 * t)
        body = np.exp(-(((x + bend) / width) ** 2)) * np.clip(0.75 + 0.7 * thin - 0.5 * t * v, 0, 1)
        frames.append(
            np.dstack([np.ones((*x.shape, 3)), np.clip(body * _rise(0.02, 0.16, v) * _rise(0.99, 0.55, v), 0, 1)])
        )
    return _sheet(frames, 3)


def cracks() -> np.ndarray:
    """Cracks that run and fork from the middle: for ground that stays broken."""
    size = 256
    x, y = _plane(size)
    rng = np.random.default_rng(83)
    away = np.full_like(x, np.inf)

    def run(px: float, py: float, heading: float, left: float, thick: float) -> None:
        while left > 0 and thick > 0.003 and abs(px) < 0.95 and abs(py) < 0.95:
            heading += rng.normal(0, 0.38)
            length = rng.uniform(0.04, 0.09)
            qx, qy = px + length * np.cos(heading), py + length * np.sin(heading)
            ex, ey = qx - px, qy - py
            share = np.clip(((x - px) * ex + (y - py) * ey) / (ex * ex + ey * ey), 0, 1)
            apart = np.hypot(x - px - share * ex, y - py - share * ey) / thick
            np.minimum(away, apart, out=away)
            if rng.random() < 0.24:
                run(qx, qy, heading + rng.choice([-1, 1]) * rng.uniform(0.5, 1.1), left * 0.5, thick * 0.62)
            px, py, left, thick = qx, qy, left - length, thick * 0.93

    for k in range(8):
        run(0.0, 0.0, k * np.pi / 4 + rng.uniform(-0.3, 0.3), rng.uniform(1.0, 1.6), 0.024)
    line = np.exp(-(away**1.6))
    return _white(np.clip(line + 0.25 * np.exp(-away * 0.28), 0, 1) * _rise(0.98, 0.7, np.hypot(x, y)))


def burn_mark() -> np.ndarray:
    """What a blast leaves on the ground: dense in the middle, streaked outward."""
    x, y = _plane(256)
    r, turn = np.hypot(x, y), np.arctan2(y, x)
    noise = Noise(91)
    rays = noise.layered(4.5 * np.cos(turn) + 5, 4.5 * np.sin(turn) + 5, 0.4 + r * 0.5, 4)
    patch = noise.layered(x * 3 + 2, y * 3 + 8, 0.7, 5)
    mass = 1.05 - r * (1.35 - 0.75 * rays) + 0.35 * patch
    return _white(np.clip(_rise(0.0, 0.9, mass) * (0.8 + 0.3 * patch), 0, 1) * _rise(0.98, 0.75, r))


def fade() -> np.ndarray:
    """Full at its foot, nothing at its top, the same all across: for shells, veils and skirts. Light and cover share the
    slope, so that it runs out in finer steps than either has."""
    _, y = _plane(128)
    v = (y + 1) / 2
    level = _rise(0.98, 0.05, v) * _rise(0.0, 0.05, v)
    return np.dstack([np.repeat(level[..., None], 3, axis=2), level]).astype(np.float32)


def _seamless(field: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> np.ndarray:
    """(256, 256) of a field mixed with itself from beyond each edge, so that it meets there."""
    line = (np.arange(256) + 0.5) / 256
    x, y = np.meshgrid(line, line)
    parts = field(x, y) * (1 - x) * (1 - y) + field(x - 1, y) * x * (1 - y)
    parts = parts + field(x, y - 1) * (1 - x) * y + field(x - 1, y - 1) * x * y
    return parts / np.sqrt((x**2 + (1 - x) ** 2) * (y**2 + (1 - y) ** 2))


def _grey(value: np.ndarray) -> np.ndarray:
    """A picture of light and dark, -1 to 1, covering wholly."""
    light = np.clip(0.5 + 0.5 * value, 0, 1)
    return np.dstack([np.repeat(light[..., None], 3, axis=2), np.ones(value.shape)]).astype(np.float32)


PICTURES: dict[str, Painted] = {
    painted.name: painted
    for painted in (
        Painted("soft dot", 1, 1, "glow, mist, drops, light", "additive", soft_dot),
        Painted("smoke puffs", 4, 4, "smoke, dust, steam, cloud", "alpha", smoke_puffs),
        Painted("wisp", 3, 3, "smoke, candle, steam", "alpha", wisp),
        Painted("flame wisps", 4, 4, "fire, jets, candles", "additive", flame_wisps),
        Painted("spark", 1, 1, "sparks, embers, rain", "additive", spark),
        Painted("streak", 1, 1, "ribbons, beams, rain", "additive", streak, whole=True),
        Painted("column", 1, 1, "columns of light, jets, energy", "additive", column),
        Painted("fade", 1, 1, "veils, shells, skirts, energy", "additive", fade, whole=True),
        Painted("ring", 1, 1, "shock rings, splashes, energy", "additive", ring),
        Painted("shock ring", 1, 1, "blasts, impacts, dust", "additive", shock_ring),
        Painted("shards", 2, 2, "broken glass, ice, chips, impacts", "alpha", shards),
        Painted("drop", 1, 1, "rain, water, drips", "alpha", drop),
        Painted("splash", 4, 4, "rain, water, impacts", "alpha", splash),
        Painted("flakes", 2, 2, "ash, sleet, snow, rust", "alpha", flakes),
        Painted("specks", 2, 2, "dust, glitter, drizzle", "additive", specks),
        Painted("glint", 1, 1, "glitter, glass, light", "additive", glint),
        Painted("cracks", 1, 1, "ground, impacts, marks", "multiply", cracks),
        Painted("burn mark", 1, 1, "ground, blasts, marks", "multiply", burn_mark),
        Painted("clouds", 1, 1, "dissolving, scrolling, mist, noise", "alpha", clouds, whole=True),
        Painted("cells", 1, 1, "dissolving, glass, energy, noise", "additive", cells, whole=True),
    )
}
"""Every picture of the library by name."""

PREFIX = "library:"
"""A picture named with this prefix is a picture of the library; any other is a file beside the document."""
