"""A trace: where every particle was, moment by moment, as arrays in one NPZ."""

from __future__ import annotations

import io
from collections.abc import Iterable

import numpy as np

from pale_ember.core.effect.model import Effect
from pale_ember.core.simulate.frame import Frame


def trace_moments(until: float, every: float | None, steps: int) -> list[float]:
    """The moments of a trace: each step, or one each `every` seconds, and always the last; seconds, none twice."""
    last = round(until * steps)
    if every is None:
        chosen = range(last + 1)
        return [step / steps for step in chosen]
    count = int(until / every + 1e-9)
    numbers = sorted({round(i * every * steps) for i in range(count + 1)} | {last})
    return [step / steps for step in numbers if step <= last]


def trace_bytes(effect: Effect, frames: Iterable[Frame]) -> bytes:
    """The NPZ of a run of Frames. See `docs/file-format.md` for its arrays."""
    index = {layer.id: i for i, layer in enumerate(effect.layers)}
    times, starts = [], [0]
    columns: dict[str, list[np.ndarray]] = {
        name: []
        for name in (
            "layer",
            "number",
            "age",
            "life",
            "position",
            "velocity",
            "size",
            "angle",
            "turn",
            "colour",
            "frame",
        )
    }
    for frame in frames:
        times.append(frame.time)
        starts.append(starts[-1] + frame.alive)
        for layer in frame.layers:
            columns["layer"].append(np.full(layer.count, index[layer.layer.id], np.int32))
            columns["turn"].append(np.tile(np.array([0, 0, 0, 1], np.float32), (layer.count, 1)))
            for name in ("number", "age", "life", "position", "velocity", "size", "angle", "colour", "frame"):
                columns[name].append(getattr(layer, name))
    widths = {"position": 3, "velocity": 3, "size": 3, "turn": 4, "colour": 4}
    kinds = {"layer": np.int32, "number": np.uint64}
    flat = {}
    for name, parts in columns.items():
        shape = (0, widths[name]) if name in widths else (0,)
        flat[name] = np.concatenate([np.zeros(shape, kinds.get(name, np.float32)), *parts])
    store = io.BytesIO()
    flat["time"], flat["start"] = np.array(times), np.array(starts, np.int64)
    flat["layers"] = np.array([layer.name for layer in effect.layers], dtype=np.str_)
    np.savez_compressed(store, allow_pickle=False, **flat)
    return store.getvalue()
