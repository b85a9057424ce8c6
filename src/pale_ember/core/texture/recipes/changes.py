"""How the changes of recipes are done. Each function takes a step, the canvas and the state before, and gives the state after."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from pale_ember.core.effect.recipe import changes as told
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.texture.light import to_linear
from pale_ember.core.texture.mips import bled
from pale_ember.core.texture.recipes.canvas import Canvas, from_planes, planes_of, read_at, rise, through, tones_of
from pale_ember.core.texture.recipes.shapes import along
from pale_ember.core.texture.recipes.waves import bell_blurred, softened
from pale_ember.core.worker_pool import in_parts


def place(step: told.Transform, c: Canvas, state: np.ndarray) -> np.ndarray:
    turn = np.radians(-step.turn)
    x, y = c.x - step.move[0], c.y - step.move[1]
    u, v = x * np.cos(turn) - y * np.sin(turn), x * np.sin(turn) + y * np.cos(turn)
    return read_at(state, u / (step.scale * step.wide), v / step.scale, wraps=step.tiles)


def warp(step: told.Warp, c: Canvas, state: np.ndarray) -> np.ndarray:
    given = step.cells, step.octaves, step.churn, step.drift, step.seed
    across, up = c.once(("warp", given, step.eddies), lambda: pushed(c, *given, eddies=step.eddies))
    return read_at(state, c.x + step.by * across, c.y + step.by * up, wraps=True)


def pushed(c: Canvas, cells: int, octaves: int, churn: float, drift: float, seed: int, *, eddies: bool) -> tuple[np.ndarray, np.ndarray]:
    """How far a noise pushes each place rightward and upward, about -1 to 1; in eddies nothing is drawn together."""
    noise, deep = c.noise(seed, cells, cells, churn), c.deep(churn)
    x, y = (c.x + 1) * (cells / 2), (c.y + 1) * (cells / 2) - c.gone(drift, cells)
    if not eddies:
        return noise.layered(x, y, deep, octaves), c.noise(seed + 1, cells, cells, churn).layered(x, y, deep, octaves)
    # At right angles to the slope of a noise: without divergence (Bridson, Hourihan and Nordenstam, SIGGRAPH 2007).
    slope_x, slope_y = noise.slopes(x, y, deep, octaves)
    return 0.5 * slope_y, -0.5 * slope_x


def twirl(step: told.Twirl, c: Canvas, state: np.ndarray) -> np.ndarray:
    turn = np.radians(step.turn) * np.clip(1 - c.r, 0, 1) ** 2
    return read_at(state, c.x * np.cos(turn) + c.y * np.sin(turn), c.y * np.cos(turn) - c.x * np.sin(turn))


def polar(step: told.Polar, c: Canvas, state: np.ndarray) -> np.ndarray:
    if step.way == "round":
        x = ((0.25 - c.round / (2 * np.pi)) * step.times % 1.0) * 2 - 1
        inside = c.r <= 1
        bent = read_at(state, x, np.clip(2 * c.r - 1, -1, 1 - 1.0 / c.size), wraps=True)
        return bent * (inside if bent.ndim == 2 else inside[..., None])
    turn = np.pi / 2 - (c.x + 1) * np.pi * step.times
    reach = (c.y + 1) / 2
    return read_at(state, reach * np.cos(turn), reach * np.sin(turn))


_TURNS = 5
"""Doublings of a blur round the middle or from it: 32 pictures laid over each other."""


def blur(step: told.Blur, c: Canvas, state: np.ndarray) -> np.ndarray:
    pixels = step.width * c.size / 2
    if step.way == "evenly":
        return through(state, lambda part: bell_blurred(part, pixels, wraps=step.tiles))
    if step.way == "along a line":
        turn = np.radians(step.turn)
        right, down = -np.sin(turn) * 2 * pixels, -np.cos(turn) * 2 * pixels

        def factor(fx: np.ndarray, fy: np.ndarray) -> np.ndarray:
            return np.sinc(fx * right + fy * down)

        return through(state, lambda part: softened(part, factor, int(pixels) + 1, wraps=step.tiles))
    for k in range(_TURNS):
        share = step.width / 2**k / 2
        if step.way == "round the middle":
            cos, sin = np.cos(share), np.sin(share)
            one = read_at(state, c.x * cos - c.y * sin, c.x * sin + c.y * cos)
            two = read_at(state, c.x * cos + c.y * sin, c.y * cos - c.x * sin)
        else:
            one = state if k == 0 else read_at(state, c.x * (1 + share), c.y * (1 + share))
            two = read_at(state, c.x * (1 - share), c.y * (1 - share))
        state = _mean(one, two)
    return state


def _mean(one: np.ndarray, two: np.ndarray) -> np.ndarray:
    return from_planes((planes_of(one) + planes_of(two)) / 2)


def sharpen(step: told.Sharpen, c: Canvas, state: np.ndarray) -> np.ndarray:
    pixels = step.width * c.size / 2
    return through(state, lambda part: np.clip(part + step.by * (part - bell_blurred(part, pixels)), 0, max(part.max(), 1.0)))


_LAST = 4
"""How late what a noise spares is eaten as well."""


def erode(step: told.Erode, c: Canvas, state: np.ndarray) -> np.ndarray:
    def rough() -> tuple[np.ndarray]:
        noise = c.noise(step.seed, step.cells, step.cells, step.churn)
        x, y = (c.x + 1) * (step.cells / 2), (c.y + 1) * (step.cells / 2) - c.gone(step.drift, step.cells)
        return (noise.layered(x, y, c.deep(step.churn), step.octaves),)

    given = step.cells, step.octaves, step.churn, step.drift, step.seed
    lumps = 0.5 + 0.8 * c.once(("erode", given), rough)[0]
    # Towards its end the thickest goes as well, wherever the noise would spare it: at 1 nothing is left.
    eaten = step.by * np.maximum(lumps, 0.0) + step.by**_LAST

    def left(cover: np.ndarray) -> np.ndarray:
        return np.minimum(rise(0.0, step.soft, cover - eaten), cover) if step.by > 0 else cover

    return _of(state, "cover" if state.ndim == 3 else "both", left)


def _of(state: np.ndarray, which: str, change: Callable[[np.ndarray], np.ndarray]) -> np.ndarray:
    """A state with its light, its cover or both changed, as they are, not multiplied."""
    if state.ndim == 2:
        return change(state)
    if which == "cover":
        out = state.copy()
        out[..., 3] = np.clip(change(np.ascontiguousarray(state[..., 3])), 0, 1)
        return out
    # Light and cover lie beside each other: changing both is four times as quick as changing light alone.
    out = np.asarray(change(state), np.float32)
    out[..., 3] = state[..., 3] if which == "light" else np.clip(out[..., 3], 0, 1)
    return out


def levels(step: told.Levels, c: Canvas, state: np.ndarray) -> np.ndarray:
    apart = step.light - step.dark
    apart = apart if abs(apart) > 1e-6 else 1e-6

    def change(value: np.ndarray) -> np.ndarray:
        out = np.empty_like(value)

        def work(rows: slice) -> None:
            share = np.clip((value[rows] - step.dark) / apart, 0, 1) ** (1 / step.middle)
            out[rows] = step.least + (step.most - step.least) * share

        in_parts(work, len(value), 64)
        return out

    return _of(state, step.of, change)


def toned(step: told.ToneCurve, c: Canvas, state: np.ndarray) -> np.ndarray:
    return _of(state, step.of, lambda value: np.maximum(along(step.curve, np.clip(value, 0, 1)), 0))


def threshold(step: told.Threshold, c: Canvas, state: np.ndarray) -> np.ndarray:
    return _of(state, step.of, lambda value: rise(step.at - step.soft, step.at + step.soft, value))


def invert(step: told.Invert, c: Canvas, state: np.ndarray) -> np.ndarray:
    return _of(state, step.of, lambda value: np.maximum(1 - value, 0))


def mirror(step: told.Mirror, c: Canvas, state: np.ndarray) -> np.ndarray:
    half = state.shape[0] // 2
    out = state.copy()
    if step.across:
        out[:, -half:] = out[:, :half][:, ::-1]
    if step.upright:
        out[-half:] = out[:half][::-1]
    return out


def tile(step: told.Tile, c: Canvas, state: np.ndarray) -> np.ndarray:
    u, v = (c.x + 1) / 2 * step.across, (c.y + 1) / 2 * step.upward
    u = u + step.shift * np.floor(v)
    return read_at(state, (u % 1.0) * 2 - 1, (v % 1.0) * 2 - 1, wraps=True)


def gradient_map(step: told.GradientMap, c: Canvas, state: np.ndarray) -> np.ndarray:
    tones = np.clip(tones_of(state) if state.ndim == 2 else tones_of(np.dstack([state[..., :3], np.ones_like(state[..., 3])])), 0, 1)
    table = step.colours.table()
    at = tones * (len(table) - 1)
    low = np.minimum(at.astype(np.int32), len(table) - 2)
    share = (at - low)[..., None]
    out = np.empty((*tones.shape, 4), np.float32)
    out[..., :3] = table[low] * (1 - share) + table[low + 1] * share
    cover = state[..., 3] if state.ndim == 3 else None
    out[..., 3] = (tones if cover is None else cover) if step.covers else (1.0 if cover is None else cover)
    return out


def _slopes(state: np.ndarray, height: float, *, wraps: bool) -> tuple[np.ndarray, np.ndarray]:
    """How steeply tones rise rightward and upward, in half frames of height for each half frame."""
    tones = tones_of(state)
    scale = height * tones.shape[0] / 2
    if wraps:
        right = (np.roll(tones, -1, 1) - np.roll(tones, 1, 1)) / 2
        down = (np.roll(tones, -1, 0) - np.roll(tones, 1, 0)) / 2
    else:
        down, right = np.gradient(tones)
    return right * scale, -down * scale


def normal(step: told.Normal, c: Canvas, state: np.ndarray) -> np.ndarray:
    right, up = _slopes(state, step.height, wraps=step.tiles)
    way = np.stack([-right, -up, np.ones_like(right)], axis=2)
    way /= np.linalg.norm(way, axis=2, keepdims=True)
    out = np.ones((*right.shape, 4), np.float32)
    # They are numbers: as codes, so that a look reads one half as no slope.
    out[..., :3] = to_linear(0.5 + 0.5 * way)
    if state.ndim == 3:
        out[..., 3] = state[..., 3]
    return out


def emboss(step: told.Emboss, c: Canvas, state: np.ndarray) -> np.ndarray:
    right, up = _slopes(state, step.height, wraps=step.tiles)
    turn = np.radians(step.turn)
    light = np.array([np.sin(turn) * 0.6, np.cos(turn) * 0.6, 0.8])
    lit = (light[0] * -right + light[1] * -up + light[2]) / np.sqrt(right**2 + up**2 + 1)
    lit = np.clip(lit, 0, 1).astype(np.float32)
    if state.ndim == 2:
        return lit
    out = state.copy()
    out[..., :3] = lit[..., None]
    return out


def edge(step: told.Edge, c: Canvas, state: np.ndarray) -> np.ndarray:
    pixels = max(step.width * c.size / 2, 0.6)

    def change(part: np.ndarray) -> np.ndarray:
        # Reflected at the frame's border, which is no edge of what is painted.
        wide = bell_blurred(np.pad(part, c.size // 4, mode="reflect"), pixels)
        wide = wide[c.size // 4 : -(c.size // 4), c.size // 4 : -(c.size // 4)]
        down, right = np.gradient(wide)
        return np.clip(step.by * pixels * np.hypot(right, down), 0, 1)

    return change(tones_of(state)) if state.ndim == 2 else np.dstack([state[..., :3], change(state[..., 3])]).astype(np.float32)


def distance(step: told.Distance, c: Canvas, state: np.ndarray) -> np.ndarray:
    from scipy import ndimage

    filled = (state if state.ndim == 2 else state[..., 3]) > 0.5
    reach = step.reach * c.size / 2
    # Half a pixel, for the edge lies between two.
    inside = np.where(filled, ndimage.distance_transform_edt(filled) - 0.5, 0.0) if filled.any() else np.zeros(filled.shape)
    outside = np.where(filled, 0.0, ndimage.distance_transform_edt(~filled) - 0.5) if filled.any() else np.full(filled.shape, 1e9)
    away = {"inside": inside / reach, "outside": 1 - outside / reach, "both": 0.5 + (inside - outside) / (2 * reach)}
    return np.clip(away[step.side], 0, 1).astype(np.float32)


def grow(step: told.Grow, c: Canvas, state: np.ndarray) -> np.ndarray:
    from scipy import ndimage

    reach = abs(step.by) * c.size / 2
    if reach < 0.5:
        return state

    def change(part: np.ndarray) -> np.ndarray:
        part = part if step.by > 0 else -part
        grown = part.copy()
        # A disc is a row of lines: each as long as it is wide there.
        for row in range(-int(reach), int(reach) + 1):
            wide = 2 * int(np.sqrt(reach**2 - row**2)) + 1
            line = ndimage.maximum_filter1d(part, wide, axis=1, mode="nearest")
            to, of = slice(max(row, 0), part.shape[0] + min(row, 0)), slice(max(-row, 0), part.shape[0] + min(-row, 0))
            grown[to] = np.maximum(grown[to], line[of])
        return grown if step.by > 0 else -grown

    return through(state, change)


def rim(step: told.Rim, c: Canvas, state: np.ndarray) -> np.ndarray:
    away = 1 - (c.r if step.round else np.maximum(np.abs(c.x), np.abs(c.y)))
    # Nothing at all in the last pixel: what is next to it in a sheet must not shine in.
    inside = rise(1.5 / c.size, max(step.width, 3.0 / c.size), away)
    return _of(state, "cover" if state.ndim == 3 else "both", lambda value: value * inside)


def ground(step: told.RemoveBackground, c: Canvas, state: np.ndarray) -> np.ndarray:
    """Of all covers that would have made these colours over the ground, the least."""
    light = np.repeat(state[..., None], 3, axis=2) if state.ndim == 2 else state[..., :3]
    under = {"black": (0.0, 0.0, 0.0), "white": (1.0, 1.0, 1.0), "colour": step.colour}[step.ground]
    back = np.array(under, np.float32)
    apart = light - back
    if step.ground == "black":
        cover = light.max(axis=2)
    elif step.ground == "white":
        cover = (1 - light).max(axis=2)
    else:
        cover = np.sqrt((apart**2).sum(axis=2))
    cover = np.clip(cover / step.reach, 0, 1)
    safe = np.maximum(cover, 1e-4)[..., None]
    rgb = np.clip(np.where(cover[..., None] > 1e-4, back + apart / safe, light), 0, None)
    whole = cover if state.ndim == 2 else cover * state[..., 3]
    return np.dstack([rgb, whole]).astype(np.float32)


def seamless(step: told.Seamless, c: Canvas, state: np.ndarray) -> np.ndarray:
    """Mixed with itself moved by half, which meets at the edges; the mix keeps its contrast (both are alike, and apart)."""
    share = np.minimum(rise(0.0, step.width, 1 - np.abs(c.x)), rise(0.0, step.width, 1 - np.abs(c.y)))
    keep = np.sqrt(share**2 + (1 - share) ** 2)

    def change(part: np.ndarray) -> np.ndarray:
        moved = np.roll(part, (part.shape[0] // 2, part.shape[1] // 2), (0, 1))
        mean = float(part.mean())
        return np.maximum(mean + ((part - mean) * share + (moved - mean) * (1 - share)) / keep, 0)

    # The moved copy meets itself where this one's edges are; its own seam lies in the middle, where it does not show.
    return through(state, change)


def bleed(step: told.Bleed, c: Canvas, state: np.ndarray) -> np.ndarray:
    return state if state.ndim == 2 else bled(state)


CHANGES: dict[type[Step], Callable[[Any, Canvas, np.ndarray], np.ndarray]] = {
    told.Transform: place, told.Warp: warp, told.Twirl: twirl, told.Polar: polar, told.Blur: blur, told.Sharpen: sharpen,
    told.Erode: erode, told.Levels: levels, told.ToneCurve: toned, told.Threshold: threshold, told.Invert: invert,
    told.Mirror: mirror, told.Tile: tile, told.GradientMap: gradient_map, told.Normal: normal, told.Emboss: emboss, told.Edge: edge,
    told.Distance: distance, told.Grow: grow, told.Rim: rim, told.RemoveBackground: ground, told.Seamless: seamless, told.Bleed: bleed,
}  # fmt: skip
