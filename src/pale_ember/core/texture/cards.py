"""The library's cards, painted by our own code from seeds.

A card is (height, width, 4) float32: linear RGB, not premultiplied, and coverage. Row 0 is the top.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pale_ember.core.texture.noise import Noise


@dataclass(frozen=True, slots=True)
class Card:
    """A card of the library: its grid, what it suits, and how it is painted. whole : made to be tiled or laid along a
    band, so it reaches to its edges."""

    name: str
    columns: int
    rows: int
    suits: str
    blend: str
    paint: Callable[[], np.ndarray]
    whole: bool = False


def _rise(low: float, high: float, value: np.ndarray) -> np.ndarray:
    t = np.clip((value - low) / (high - low), 0, 1)
    return t * t * (3 - 2 * t)


def _plane(pixels: int) -> tuple[np.ndarray, np.ndarray]:
    """Pixel centres of a square frame: x from -1 to 1 rightward, y from -1 to 1 upward."""
    line = (np.arange(pixels) + 0.5) / pixels * 2 - 1
    x, y = np.meshgrid(line, -line)
    return x, y


def _sheet(frames: list[np.ndarray], columns: int) -> np.ndarray:
    """Frames of one size laid out row by row."""
    rows = [np.concatenate(frames[i : i + columns], axis=1) for i in range(0, len(frames), columns)]
    return np.concatenate(rows, axis=0).astype(np.float32)


def _white(coverage: np.ndarray) -> np.ndarray:
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
        for one, two in zip(points, np.roll(points, -1, axis=0), strict=True):
            edge = two - one
            normal = np.array([edge[1], -edge[0]]) / np.hypot(*edge)
            if normal @ (middle - one) < 0:
                normal = -normal
            inside = np.minimum(inside, (x - one[0]) * normal[0] + (y - one[1]) * normal[1])
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


def _seamless(field: Callable[[np.ndarray, np.ndarray], np.ndarray]) -> np.ndarray:
    """(256, 256) of a field mixed with itself from beyond each edge, so that it meets there."""
    line = (np.arange(256) + 0.5) / 256
    x, y = np.meshgrid(line, line)
    parts = field(x, y) * (1 - x) * (1 - y) + field(x - 1, y) * x * (1 - y)
    parts = parts + field(x, y - 1) * (1 - x) * y + field(x - 1, y - 1) * x * y
    return parts / np.sqrt((x**2 + (1 - x) ** 2) * (y**2 + (1 - y) ** 2))


def _grey(value: np.ndarray) -> np.ndarray:
    """A card of light and dark, -1 to 1, covering wholly."""
    light = np.clip(0.5 + 0.5 * value, 0, 1)
    return np.dstack([np.repeat(light[..., None], 3, axis=2), np.ones(value.shape)]).astype(np.float32)


CARDS: dict[str, Card] = {
    card.name: card
    for card in (
        Card("soft dot", 1, 1, "glow, mist, drops", "additive", soft_dot),
        Card("smoke puffs", 4, 4, "smoke, dust, steam", "alpha", smoke_puffs),
        Card("flame wisps", 4, 4, "fire, jets, candles", "additive", flame_wisps),
        Card("spark", 1, 1, "sparks, embers, rain", "additive", spark),
        Card("ring", 1, 1, "shock rings, splashes", "additive", ring),
        Card("streak", 1, 1, "ribbons, beams, rain", "additive", streak, whole=True),
        Card("column", 1, 1, "columns of light, jets", "additive", column),
        Card("shards", 2, 2, "broken glass, ice, chips", "alpha", shards),
        Card("clouds", 1, 1, "eating away, scrolling, mist", "alpha", clouds, whole=True),
        Card("cells", 1, 1, "eating away, glass, energy", "additive", cells, whole=True),
    )
}
"""Every card of the library by name."""

PREFIX = "card:"
"""A picture named with this prefix is a card of the library; any other is a file beside the document."""
