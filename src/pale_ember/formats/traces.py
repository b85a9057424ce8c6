"""A trace: where every particle was, moment by moment, as arrays in one NPZ."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterable

import numpy as np

from pale_ember.core.effect.model import Effect
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.orientation import orientations


def trace_moments(until: float, every: float | None, steps: int) -> list[float]:
    """The moments of a trace: each step, or one each `every` seconds, and always the last; seconds, none twice."""
    last = round(until * steps)
    if every is None:
        chosen = range(last + 1)
        return [step / steps for step in chosen]
    count = int(until / every + 1e-9)
    numbers = sorted({round(i * every * steps) for i in range(count + 1)} | {last})
    return [step / steps for step in numbers if step <= last]


ROW_BYTES = 96
"""Bytes of one particle at one moment, not packed."""

AT_ONCE = 2.2
"""How many times its rows a trace takes while it is made: the rows, the largest column joined, and what is packed."""


def trace_bytes(effect: Effect, frames: Iterable[Frame]) -> bytes:
    """The NPZ of a run of Frames. See `docs/file-format.md` for its arrays."""
    index = {layer.id: i for i, layer in enumerate(effect.layers)}
    names = ("number", "age", "life", "position", "velocity", "size", "angle", "colour", "frame")
    columns: dict[str, list[np.ndarray]] = {name: [] for name in ("layer", "place", "turn", *names)}
    pieces: dict[str, list[np.ndarray]] = {name: [] for name in _STRIPS}
    driven: dict[str, list[np.ndarray]] = {}
    times, starts, strip_starts, points = [], [0], [0], 0
    seen = 0
    for frame in frames:
        times.append(frame.time)
        starts.append(starts[-1] + frame.alive)
        strip_starts.append(strip_starts[-1])
        for layer in frame.layers:
            columns["layer"].append(np.full(layer.count, index[layer.layer.id], np.int32))
            if layer.copy or columns["place"]:
                columns["place"] = columns["place"] or [np.zeros(seen, np.int32)]
                columns["place"].append(np.full(layer.count, layer.copy, np.int32))
            columns["turn"].append(orientations(layer))
            for name in names:
                columns[name].append(getattr(layer, name))
            for name in {*driven, *layer.driven}:
                before = driven.setdefault(name, [np.zeros(seen, np.float32)])
                before.append(layer.driven.get(name, np.zeros(layer.count, np.float32)))
            seen += layer.count
            if layer.strips is not None:
                strips = layer.strips
                strip_starts[-1] += strips.count
                pieces["strip_layer"].append(np.full(strips.count, index[layer.layer.id], np.int32))
                pieces["strip_start"].append(strips.first[:-1] + points)
                points += len(strips.point)
                for name in ("owner", "point", "width", "across", "colour", "along"):
                    pieces[f"strip_{name}"].append(getattr(strips, name))
    if not columns["place"]:
        del columns["place"]
    kinds = [columns, *([pieces] if strip_starts[-1] else [])]
    store = io.BytesIO()
    with zipfile.ZipFile(store, "w", zipfile.ZIP_DEFLATED) as archive:
        # One array after the other, each let go when it is written: a long trace is large.
        for kind in kinds:
            for name in list(kind):
                joined = _joined(kind.pop(name), _WIDTHS.get(name, 0), _KINDS.get(name))
                _put(archive, name, np.append(joined, points) if name == "strip_start" else joined)
        if strip_starts[-1]:
            _put(archive, "strips", np.array(strip_starts, np.int64))
        for name in list(driven):
            _put(archive, f"lane {name}", np.concatenate(driven.pop(name)))
        _put(archive, "time", np.array(times))
        _put(archive, "start", np.array(starts, np.int64))
        _put(archive, "layers", np.array([layer.name for layer in effect.layers], dtype=np.str_))
    return store.getvalue()


def _put(archive: zipfile.ZipFile, name: str, array: np.ndarray) -> None:
    with archive.open(f"{name}.npy", "w", force_zip64=True) as file:
        np.lib.format.write_array(file, array, allow_pickle=False)


_STRIPS = ("strip_layer", "strip_start", "strip_owner", "strip_point", "strip_width", "strip_across", "strip_colour", "strip_along")
_WIDTHS = {"position": 3, "velocity": 3, "size": 3, "turn": 4, "colour": 4, "strip_point": 3, "strip_across": 3, "strip_colour": 4}
_KINDS: dict[str, type] = {
    "layer": np.int32,
    "number": np.uint64,
    "strip_layer": np.int32,
    "strip_start": np.int64,
    "strip_owner": np.int64,
}


def _joined(parts: list[np.ndarray], width: int, kind: type | None) -> np.ndarray:
    """(n, width) or (n,) of all parts."""
    return np.concatenate([np.zeros((0, width) if width else (0,), kind or np.float32), *parts])
