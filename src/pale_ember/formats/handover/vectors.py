"""Test vectors: small effects in small worlds, and what every player must make of them."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.files import meshes_of
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Camera, Effect, Layer
from pale_ember.core.effect.values import Curve, Gradient, Range, sample_keys
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.distances import farther, step_at
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.spawning import Performance
from pale_ember.core.simulate.timeline import Timeline, built_in
from pale_ember.core.view import View, view_of
from pale_ember.formats.handover.examples import DRIVEN, Example, examples
from pale_ember.formats.handover.runtime import handed, runtime_form, slug
from pale_ember.formats.handover.worlds import triangles, world_of

TOLERANCE = 1e-4
"""How far a number of a player may be off, as a share of its size, and of 1 for those smaller."""

NUMBERS = ("position", "velocity", "size", "angle", "colour", "frame", "age", "life")
"""What is told of each particle; a player must tell all of it but its life."""

Drawing = Callable[[Frame, View, float], tuple[list[tuple[LayerFrame, dict[str, Any]]], list[dict[str, Any]]]]
"""What tells of a Frame the runs and lamps that a renderer takes."""

PIXELS_HIGH = 400.0
_VIEW = view_of(Camera(target=(0.2, 0.8, 0.0), distance=4.0, heading=25.0, pitch=12.0), 1.6, 1.0)
"""From where what is drawn is drawn."""

_SAMPLED = 200
"""Particles of a moment that are told of an effect as a whole."""


def vectors(drawing: Drawing | None = None) -> list[dict[str, Any]]:
    """All of them, with what our own kernels make of each. drawing : what tells what a renderer takes; without it none is told that."""
    return [vector_of(example, drawing) for example in examples()]


def vector_of(example: Example, drawing: Drawing | None = None) -> dict[str, Any]:
    """One of them: what is asked, and the answer."""
    leaves = handed(example.effect)
    names = [anchor.name for anchor in leaves.stage.anchors]
    asked: dict[str, Any] = {
        "name": example.name,
        "effect": runtime_form(leaves),
        "ground": example.ground,
        "moments": list(example.moments),
    }
    if example.worldly:
        last = max(round(moment * example.effect.steps) for moment in example.moments)
        asked["world"] = world_of(example.effect, names, last, ground=example.ground)
        asked["ground"] = False
    meshes = meshes_of(leaves)
    if any(layer.outlet.shape == "mesh" for layer in leaves.layers):
        asked["meshes"] = {name: triangles(built_in(name)) for name in meshes}
    if example.densities:
        asked["densities"] = {name: [list(row) for row in rows] for name, rows in example.densities}
    if example.beyond:
        asked["beyond"] = example.beyond
    if example.strength:
        asked["strength"] = [list(each) for each in example.strength]
    if example.draws:
        asked["camera"] = {name: getattr(_VIEW, name).round(9).tolist() for name in ("eye", "right", "up", "forward")}
        asked["camera"]["pixels_high"] = PIXELS_HIGH
    return asked | answer(example, drawing)


def answer(example: Example, drawing: Drawing | None = None) -> dict[str, Any]:
    """What our own kernels make of an example."""
    effect = farther(example.effect, step_at(example.effect, example.beyond)) if example.beyond else example.effect
    if not example.ground:
        effect = replace(effect, layers=tuple(_off_the_ground(effect, layer) for layer in effect.layers))
    timeline = Timeline(effect, density=_densities(example), performance=Performance(strength=example.strength))
    frames = [timeline.frame(moment) for moment in example.moments]
    slugs = _slugs(example.effect)
    told: dict[str, Any] = {
        "rows": [_rows(frame, slugs, _VIEW if example.draws else None) for frame in frames],
        "about": about(example.effect),
    }
    if example.draws and drawing is not None:
        runs, lamps = drawing(frames[-1], _VIEW, PIXELS_HIGH)
        told["drawing"] = {
            "runs": [
                {"layer": slugs[layer.layer.id], "copy": layer.copy} | run | {"look": look_told(layer.layer.look)} for layer, run in runs
            ],
            "lamps": lamps,
        }
    return told


def _densities(example: Example) -> Callable[[str], Any]:
    """What gives the density that a name stands for: the nearest number of the rows that are told, the first row on top."""
    known = {name: np.array(rows) for name, rows in example.densities}

    def of(name: str) -> Any:
        if name not in known:
            return ""
        height, width = known[name].shape

        def at(coords: np.ndarray) -> np.ndarray:
            x = np.clip(np.floor(coords[:, 0] * width), 0, width - 1).astype(int)
            y = np.clip(np.floor((1 - coords[:, 1]) * height), 0, height - 1).astype(int)
            return known[name][y, x]

        return at

    return of


def _off_the_ground(effect: Effect, layer: Layer) -> Layer:
    """The layer as it meets the props alone, or nothing where there are none."""
    wanted = layer.contact.surfaces
    props = tuple(prop.name for prop in effect.stage.props if prop.solid and (not wanted or prop.name in wanted))
    return replace(layer, contact=replace(layer.contact, surfaces=props, meets=layer.contact.meets if props else "pass"))


def of_package(effect: Effect, mesh: Callable[[str], Mesh]) -> list[dict[str, Any]]:
    """Vectors of a whole effect, as it was handed over, on plain ground: its rows at three moments, or some of many. None where births
    hang on what a picture holds. mesh : gives its meshes by their names."""
    if any(layer.outlet.shape == "mesh" and layer.outlet.density not in ("", "vertex colour") for layer in effect.layers):
        return []
    moments = tuple(round(share * min(effect.duration / effect.tempo, 2.0), 4) for share in (0.1, 0.35, 0.7))
    timeline = Timeline(effect, mesh)
    frames, slugs = [timeline.frame(moment) for moment in moments], _slugs(effect)
    rows = [_rows(frame, slugs, None) for frame in frames]
    asked: dict[str, Any] = {"name": f"this effect: {effect.name}", "effect": "effect.json", "ground": True, "moments": list(moments)}
    if any(layer.outlet.shape == "mesh" for layer in effect.layers):
        asked["meshes"] = {name: triangles(mesh(name)) for name in meshes_of(effect)}
    told = [each[:: max(math.ceil(len(each) / _SAMPLED), 1)] for each in rows]
    return [asked | {"alive": [len(each) for each in rows], "rows": told}]


def _slugs(effect: Effect) -> dict[str, str]:
    """The name for games of each layer that leaves, by its id."""
    told: dict[str, str] = {}
    for layer in handed(effect).layers:
        told[layer.id] = slug(layer.name, told.values())
    return told


def _rows(frame: Frame, slugs: dict[str, str], view: View | None) -> list[list[Any]]:
    rows = []
    for layer in frame.layers:
        seen = layer if view is None else layer.seen_from(view.eye)
        named = {lane.name for lane in layer.layer.life.more if lane.drives == "named" and lane.name}
        for i, number in enumerate(seen.number.tolist()):
            told = {"copy": layer.copy} | {name: _told(getattr(seen, name)[i]) for name in NUMBERS}
            told["driven"] = [_told(seen.driven[name][i]) if name in seen.driven else 0.0 for name in DRIVEN]
            told["named"] = {name: _told(seen.driven[name][i]) for name in named if name in seen.driven}
            rows.append([slugs[layer.layer.id], f"0x{number:016x}", told])
    return rows


def _told(value: Any) -> Any:
    return [round(float(part), 7) for part in value] if getattr(value, "shape", ()) else round(float(value), 7)


def about(effect: Effect) -> dict[str, Any]:
    """What a player tells of an effect before it plays: its name, its loop in real time, its layers, cues and answers."""
    leaves = handed(effect)
    answers = {name: getattr(effect.answers, name) for name in effect.answers.__struct_fields__ if name != "unknown"}
    cues = [
        {"name": cue.name, "what": cue.what, "sound": cue.sound or cue.name, "at": cue.at / effect.tempo, "strength": cue.strength}
        for cue in effect.cues
    ]
    slugs = _slugs(effect)
    layers = [{"slug": slugs[layer.id], "name": layer.name} for layer in leaves.layers]
    return {
        "name": effect.name,
        "duration": effect.duration / effect.tempo,
        "loop": effect.loop,
        "steps": effect.steps,
        "layers": layers,
        "cues": cues,
        "answers": answers,
    }


_PLACES = np.linspace(0.0, 1.0, 6)


def look_told(look: Look) -> dict[str, Any]:
    """Every constant of a look as it reached a renderer: curves and gradients at six even places."""
    return {name: _constant(getattr(look, name)) for name in look.__struct_fields__ if name != "unknown"}


def _constant(value: Any) -> Any:
    if isinstance(value, Range):
        return [value.low, value.high, *value.choices]
    if isinstance(value, Curve):
        return sample_keys(value.keys, _PLACES).round(5).tolist()
    if isinstance(value, Gradient):
        return value.at(_PLACES).round(5).ravel().tolist()
    if isinstance(value, Part):
        return {name: _constant(getattr(value, name)) for name in value.__struct_fields__ if name != "unknown"}
    return list(value) if isinstance(value, tuple) else value


def question(vector: dict[str, Any], effect: Any) -> dict[str, Any]:
    """What a player is asked of a vector. effect : that of the package, for those that are of it."""
    asked = {
        name: vector[name]
        for name in ("ground", "moments", "world", "meshes", "densities", "beyond", "strength", "camera")
        if name in vector
    }
    return {"play": effect if vector["effect"] == "effect.json" else vector["effect"]} | asked


def faults_of(vector: dict[str, Any], answer: Any) -> list[str]:
    """What a player made otherwise of a vector, in sentences; nothing where it agrees. What a player need not tell is compared where it
    does."""
    rows = answer.get("rows") if isinstance(answer, dict) else None
    if not isinstance(rows, list) or len(rows) != len(vector["rows"]):
        return [f"expected rows for {len(vector['rows'])} moments, found {json.dumps(answer)[:80]}"]
    said = []
    alive = vector.get("alive", [len(each) for each in vector["rows"]])
    for moment, wanted, got, many in zip(vector["moments"], vector["rows"], rows, alive, strict=True):
        try:
            there = {(str(name), int(number, 16), int(told.get("copy", 0))): told for name, number, told in got}
        except (TypeError, ValueError, AttributeError):
            return [f"at {moment} s: expected rows of a name, a number and what is told, found {json.dumps(got)[:80]}"]
        known = {(name, int(number, 16), told["copy"]): told for name, number, told in wanted}
        if len(there) != len(got):
            said.append(f"at {moment} s: {len(got) - len(there)} particles are told more than once")
            continue
        missing = known.keys() - there.keys()
        more = there.keys() - known.keys() if many == len(wanted) else set[tuple[str, int, int]]()
        if missing or more or len(there) != many:
            name, number, _ = next(iter(missing or more or known or there))
            what = "is missing" if missing else "is there, though it should not be"
            said.append(f"at {moment} s: {name} {number:#018x} {what}; {len(missing)} missing, {len(there)} of {many} alive")
            continue
        for key, told in known.items():
            known_of = there[key]
            needed = {name: value for name, value in told.items() if name in NUMBERS[:-1] or name in known_of}
            faults = (_unlike(value, known_of.get(name), name) for name, value in needed.items())
            fault = next((fault for fault in faults if fault), "")
            if fault:
                said.append(f"at {moment} s: {key[0]} {key[1]:#018x}: {fault}")
    for part in ("drawing", "about"):
        if part in vector and part in answer:
            fault = _unlike(vector[part], answer.get(part), part)
            said += [fault] if fault else []
    return said


def _unlike(wanted: Any, got: Any, where: str) -> str:
    """Where two values differ, as a sentence; nothing where they do not."""
    if isinstance(wanted, dict):
        if not isinstance(got, dict):
            return f"{where}: expected a group, found {json.dumps(got)[:60]}"
        return next((fault for name, value in wanted.items() if (fault := _unlike(value, got.get(name), f"{where}.{name}"))), "")
    if isinstance(wanted, list) and wanted and not isinstance(wanted[0], (int, float)):
        if not isinstance(got, list) or len(got) != len(wanted):
            found = len(got) if isinstance(got, list) else json.dumps(got)[:60]
            return f"{where}: expected a list of {len(wanted)}, found {found}"
        faults = (_unlike(one, other, f"{where}[{i}]") for i, (one, other) in enumerate(zip(wanted, got, strict=True)))
        return next((fault for fault in faults if fault), "")
    same = wanted == got if isinstance(wanted, (str, bool, type(None))) or wanted == [] else _alike(wanted, got)
    return "" if same else f"{where}: expected {wanted}, found {json.dumps(got)[:80]}"


def _alike(wanted: Any, got: Any) -> bool:
    one, other = _flat(wanted), _flat(got)
    return len(one) == len(other) and all(abs(a - b) <= TOLERANCE * max(abs(a), 1.0) for a, b in zip(one, other, strict=True))


def _flat(value: Any) -> list[float]:
    parts = value if isinstance(value, list) else [value]
    # A whole number may be longer than a float can be.
    good = all(isinstance(part, (int, float)) and not isinstance(part, bool) and not abs(part) > 1e300 for part in parts)
    return [float(part) for part in parts] if good else []
