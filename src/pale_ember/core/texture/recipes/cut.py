"""Sheets cut into frames: in another order, between frames, trimmed, and held steady."""

from __future__ import annotations

import re

import numpy as np

from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.sources import Picture
from pale_ember.core.texture.flow import flow


def frame_numbers(text: str, count: int) -> list[int]:
    """The frames that a text like "0-5, 8, 12-9" names, each below `count`; all where it names none. What cannot be read, or
    is not there, is passed over."""
    numbers: list[int] = []
    for part in re.split(r"[,;\s]+", text.strip()):
        ends = re.fullmatch(r"(\d+)(?:-(\d+))?", part)
        if ends is None:
            continue
        first, last = int(ends[1]), int(ends[2] or ends[1])
        numbers += list(range(first, last + 1)) if last >= first else list(range(first, last - 1, -1))
    return [number for number in numbers if number < count] or list(range(count))


def cells_of(pixels: np.ndarray, columns: int, rows: int) -> np.ndarray:
    """(columns × rows, h, w, 4) the frames of a sheet, row by row; pixels that make no whole frame are left over."""
    tall, wide = pixels.shape[0] // rows, pixels.shape[1] // columns
    cells = pixels[: tall * rows, : wide * columns].reshape(rows, tall, columns, wide, 4)
    return np.swapaxes(cells, 1, 2).reshape(rows * columns, tall, wide, 4)


def laid_out(cells: np.ndarray, columns: int) -> np.ndarray:
    """(rows × h, columns × w, c) float32 frames (n, h, w, c) as a sheet, row by row; the way back from `cells_of`."""
    count, tall, wide, depth = cells.shape
    rows = -(-count // columns)
    sheet = np.zeros((rows * columns, tall, wide, depth), np.float32)
    sheet[:count] = cells
    return np.swapaxes(sheet.reshape(rows, columns, tall, wide, depth), 1, 2).reshape(rows * tall, columns * wide, depth)


def frame_in(sheet: np.ndarray, recipe: Recipe, index: int) -> np.ndarray:
    """(size, size, 4) a frame of a recipe's sheet."""
    row, column = divmod(min(index, recipe.frames - 1), min(recipe.columns, recipe.frames))
    size = recipe.size
    return sheet[row * size : (row + 1) * size, column * size : (column + 1) * size]


def painted_box(cells: np.ndarray) -> tuple[int, int, int, int]:
    """Left, top, right and foot, pixels, of what is painted in any of the frames; the whole frame where nothing is."""
    seen = (cells[..., 3] * np.maximum(cells[..., :3].max(axis=3), 1 / 255) > 1 / 512).any(axis=0)
    if not seen.any():
        return 0, 0, cells.shape[2], cells.shape[1]
    rows, columns = np.flatnonzero(seen.any(axis=1)), np.flatnonzero(seen.any(axis=0))
    return int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1


def cut_frame(pixels: np.ndarray, step: Picture, t: float, anew: int, *, loop: bool) -> np.ndarray:
    """(h, w, 4) one frame of a sheet as a step takes it, at a share `t` of the frames that it plays, 0 to 1; `anew` goes on by
    so many frames instead."""
    columns, rows = min(step.columns, pixels.shape[1]), min(step.rows, pixels.shape[0])
    cells = cells_of(pixels, columns, rows)
    order = frame_numbers(step.frames, len(cells))
    if anew:
        first, second, share = order[anew % len(order)], 0, 0.0
    else:
        place = t * (len(order) if loop else len(order) - 1)
        low = int(np.floor(place + 1e-6))
        share = place - low
        first = order[low % len(order)]
        second = order[(low + 1) % len(order)] if loop else order[min(low + 1, len(order) - 1)]
    if step.between == "nearest":
        first, share = (second if share >= 0.5 else first), 0.0
    one = _steadied(cells[first], cells) if step.steady else cells[first]
    if share > 1e-3:
        two = _steadied(cells[second], cells) if step.steady else cells[second]
        one = between_frames(one, two, share, moved=step.between == "moved")
    if step.trim:
        left, top, right, foot = painted_box(cells[sorted(set(order))])
        side = max(right - left, foot - top)
        one = _squared(one, (left + right) // 2, (top + foot) // 2, side)
    return one


def between_frames(one: np.ndarray, two: np.ndarray, share: float, *, moved: bool) -> np.ndarray:
    """A frame (h, w, 4) by so much between two: mixed, each first moved towards the other along the motion found where told."""
    a, b = _light(one), _light(two)
    if moved:
        there, back = flow(_seen(a), _seen(b)), flow(_seen(b), _seen(a))
        a, b = _bent(a, there * -share), _bent(b, back * -(1 - share))
    mixed = a * (1 - share) + b * share
    cover = mixed[..., 3:]
    rgb = np.where(cover > 1e-4, mixed[..., :3] / np.maximum(cover, 1e-4), one[..., :3])
    return np.concatenate([rgb, cover], axis=2).astype(np.float32)


def _light(cell: np.ndarray) -> np.ndarray:
    return np.concatenate([cell[..., :3] * cell[..., 3:], cell[..., 3:]], axis=2)


def _seen(light: np.ndarray) -> np.ndarray:
    seen = np.sqrt(np.maximum(light[..., :3].max(axis=2), 0))
    return seen / max(float(seen.max(initial=0.0)), 1e-6)


def _bent(light: np.ndarray, way: np.ndarray) -> np.ndarray:
    """Light (h, w, 4) read as far away as `way` (h, w, 2) says, pixels right and down."""
    from scipy import ndimage

    y, x = np.mgrid[0 : light.shape[0], 0 : light.shape[1]].astype(np.float32)
    at = [y + way[..., 1], x + way[..., 0]]
    return np.dstack([ndimage.map_coordinates(light[..., k], at, order=1, mode="constant") for k in range(4)])


def _steadied(cell: np.ndarray, cells: np.ndarray) -> np.ndarray:
    """A frame moved by whole pixels so that the middle of its weight lies in the middle; nothing comes round the edge."""
    weight = cell[..., 3] * cell[..., :3].max(axis=2)
    whole = float(weight.sum())
    if whole < 1e-6:
        return cell
    tall, wide = weight.shape
    down = _nearest(tall / 2 - 0.5 - float(weight.sum(axis=1) @ np.arange(tall)) / whole)
    right = _nearest(wide / 2 - 0.5 - float(weight.sum(axis=0) @ np.arange(wide)) / whole)
    out = np.zeros_like(cell)
    to_y, of_y = slice(max(down, 0), tall + min(down, 0)), slice(max(-down, 0), tall + min(-down, 0))
    to_x, of_x = slice(max(right, 0), wide + min(right, 0)), slice(max(-right, 0), wide + min(-right, 0))
    out[to_y, to_x] = cell[of_y, of_x]
    return out


def _nearest(value: float) -> int:
    """The nearest whole number; of two as near always the upper, so that what moves by whole pixels is held by as many."""
    return int(np.floor(value + 0.5 + 1e-6))


def _squared(cell: np.ndarray, x: int, y: int, side: int) -> np.ndarray:
    """(side, side, 4) the part of a frame about a place, empty beyond its edge."""
    out = np.zeros((side, side, 4), np.float32)
    left, top = x - side // 2, y - side // 2
    low_x, low_y = max(left, 0), max(top, 0)
    high_x, high_y = min(left + side, cell.shape[1]), min(top + side, cell.shape[0])
    out[low_y - top : high_y - top, low_x - left : high_x - left] = cell[low_y:high_y, low_x:high_x]
    return out
