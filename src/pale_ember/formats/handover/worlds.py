"""What a game tells a player of its world, step by step: where the effect and its places stand, and what can be touched."""

from __future__ import annotations

from typing import Any

import numpy as np

from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.stage import GROUND, Prop
from pale_ember.core.geometry.mesh import Mesh, wedge
from pale_ember.core.simulate.poses import PoseFrames, Poses, carrier_frames
from pale_ember.core.simulate.timeline import built_in


def world_of(effect: Effect, places: list[str], steps: int, *, ground: bool) -> dict[str, Any]:
    """The stage of an effect, as a game tells it for the steps 0 to `steps`. places : the names that its package asks for. ground :
    whether there is a plane at height 0."""
    stage, poses = effect.stage, Poses(effect)
    times = np.arange(steps + 1) * (effect.tempo / effect.steps)
    things = [(name, poses.ground_named(name)) for name in places]
    props = [Prop(name=GROUND, shape="plane", place=(0.0, 0.0, 0.0))] if ground else []
    props += [prop for prop in stage.props if prop.solid]
    return {
        "gravity": list(stage.gravity),
        "wind": list(stage.wind),
        "effect": _rows(carrier_frames(stage.carrier, times, poses.looped(times))),
        "places": {name: _rows(poses.thing(thing, times)) for name, thing in things if thing is not None},
        "surfaces": [_surface(prop, poses.thing(prop, times)) for prop in props],
    }


def _rows(frames: PoseFrames) -> list[list[float]]:
    """A row of 12 numbers for each step, axes row by row and a place; one alone for what does not move."""
    rows = np.round(frames.rows(), 9) + 0.0
    return rows[:1].tolist() if (rows == rows[0]).all() else rows.tolist()


def _surface(prop: Prop, frames: PoseFrames) -> dict[str, Any]:
    told: dict[str, Any] = {"name": prop.name, "shape": prop.shape, "size": list(prop.size), "rows": _rows(frames)}
    if prop.shape not in ("mesh", "ramp"):
        return told
    return told | {"shape": "mesh"} | triangles(wedge(prop.size) if prop.shape == "ramp" else _scaled(built_in(prop.mesh), prop.size))


def _scaled(mesh: Mesh, size: tuple[float, float, float]) -> Mesh:
    return Mesh(mesh.points * size, mesh.faces)


def triangles(mesh: Mesh) -> dict[str, list[float]]:
    """A mesh as plain lists: points, three numbers each, faces, three places among them each, and texture coordinates if it has them."""
    told = {"points": np.round(mesh.points, 7).ravel().tolist(), "faces": mesh.faces.ravel().tolist()}
    return told if mesh.coords is None else told | {"coords": np.round(mesh.coords, 7).ravel().tolist()}
