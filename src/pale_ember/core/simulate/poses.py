"""Where things are at any moment: layers on layers on the carrier, anchors, props."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.model import Effect, Layer, Pose
from pale_ember.core.effect.stage import Anchor, Carrier, Prop
from pale_ember.core.effect.values import Key, sample_keys

_INSTANT = 1e-4
"""Seconds to either side over which a velocity is measured: far below a step, far above what rounding hides."""


@dataclass(frozen=True, slots=True, eq=False)
class Frames:
    """Axes and origins: a point p of the thing itself is at `turn` @ p + `place` in the world.

    turn : (n, 3, 3) float64, rotation times scale. place : (n, 3) float64, m.
    """

    turn: np.ndarray
    place: np.ndarray

    def __len__(self) -> int:
        return len(self.place)

    def after(self, outer: Frames) -> Frames:
        """These frames within `outer` ones."""
        return Frames(outer.turn @ self.turn, np.einsum("nij,nj->ni", outer.turn, self.place) + outer.place)

    def inverse(self) -> Frames:
        turn = np.linalg.inv(self.turn)
        return Frames(turn, -np.einsum("nij,nj->ni", turn, self.place))

    def rows(self) -> np.ndarray:
        """(n, 12) float64: each frame's turn row by row, then its place."""
        return np.ascontiguousarray(np.concatenate([self.turn.reshape(-1, 9), self.place], axis=1))


def still(count: int = 1) -> Frames:
    return Frames(np.broadcast_to(np.eye(3), (count, 3, 3)), np.zeros((count, 3)))


def turns(angles: np.ndarray) -> np.ndarray:
    """(n, 3, 3) float64 rotations for (n, 3) degrees about Z first, then X, then Y."""
    x, y, z = np.radians(np.asarray(angles, float)).T
    cx, sx, cy, sy, cz, sz = np.cos(x), np.sin(x), np.cos(y), np.sin(y), np.cos(z), np.sin(z)
    made = np.empty((len(x), 3, 3))
    made[:, 0] = np.stack([cy * cz + sy * sx * sz, -cy * sz + sy * sx * cz, sy * cx], axis=1)
    made[:, 1] = np.stack([cx * sz, cx * cz, -sx], axis=1)
    made[:, 2] = np.stack([-sy * cz + cy * sx * sz, sy * sz + cy * sx * cz, cy * cx], axis=1)
    return made


def upright_to(ways: np.ndarray, otherwise: np.ndarray) -> np.ndarray:
    """(n, 3, 3) the least rotations that turn +Y to `ways` (n, 3); `otherwise` (n, 3, 3) where a way is nothing."""
    length = np.linalg.norm(ways, axis=1)
    made = np.array(otherwise, float, copy=True)
    some = length > 1e-9
    x, y, z = (ways[some] / length[some, None]).T
    # Rodrigues' formula for the axis Y × way; straight down has no axis and turns about X.
    share = 1.0 / np.maximum(1.0 + y, 1e-9)
    found = np.empty((some.sum(), 3, 3))
    found[:, 0] = np.stack([1 - x * x * share, x, -x * z * share], axis=1)
    found[:, 1] = np.stack([-x, y, -z], axis=1)
    found[:, 2] = np.stack([-x * z * share, z, 1 - z * z * share], axis=1)
    found[y < -1 + 1e-7] = np.diag([1.0, -1.0, -1.0])
    made[some] = found
    return made


def keyed(keys: tuple[Pose, ...], times: np.ndarray) -> Frames:
    """The frames that poses give at moments of the effect (n,), s."""
    if not keys:
        return still(len(times))

    def along(values: list[float]) -> np.ndarray:
        points = tuple(Key(at=key.at, value=value, ease=key.ease) for key, value in zip(keys, values, strict=True))
        return sample_keys(points, times)

    place = np.stack([along([key.place[i] for key in keys]) for i in range(3)], axis=1)
    turn = turns(np.stack([along([key.turn[i] for key in keys]) for i in range(3)], axis=1))
    return Frames(turn * along([key.scale for key in keys])[:, None, None], place)


def _standing(place, turn, scale: float, keys: tuple[Pose, ...], times: np.ndarray) -> Frames:
    """Frames of something with a place of its own and keys on top."""
    moved = keyed(keys, times)
    base = turns(np.array([turn]))[0] * scale
    return Frames(base @ moved.turn, np.array(place, float) + moved.place)


def carrier_frames(carrier: Carrier, times: np.ndarray, looped: np.ndarray) -> Frames:
    """Where the carrier is; `times` count on across loops, `looped` begin anew with each."""
    if carrier.moves == "still":
        return still(len(times))
    if carrier.moves == "keys":
        return keyed(carrier.keys, looped)

    def at(moments: np.ndarray) -> np.ndarray:
        phase = moments / carrier.period
        place = np.zeros((len(moments), 3))
        if carrier.moves == "to and fro":
            place[:, 0] = 0.5 * carrier.reach * np.sin(2 * np.pi * phase)
        elif carrier.moves == "circle":
            place[:, 0] = carrier.reach * np.cos(2 * np.pi * phase)
            place[:, 2] = -carrier.reach * np.sin(2 * np.pi * phase)
        else:
            share = phase - np.floor(phase)
            place[:, 0] = carrier.reach * (share - 0.5)
            place[:, 1] = 4 * carrier.height * share * (1 - share)
        return place

    frames = Frames(np.broadcast_to(np.eye(3), (len(times), 3, 3)), at(times))
    if not carrier.turns:
        return frames
    way = at(times + _INSTANT) - at(times)
    heading = np.degrees(np.arctan2(way[:, 0], way[:, 2]))
    return Frames(turns(np.stack([0 * heading, heading, 0 * heading], axis=1)), frames.place)


class Poses:
    """The frames of one effect's things at moments of the effect, s, counted on across loops."""

    def __init__(self, effect: Effect) -> None:
        self.effect = effect

    def looped(self, times: np.ndarray, loops: np.ndarray | None = None) -> np.ndarray:
        """Moments within their loop; `loops` says which, where a moment at the very end is meant."""
        if not self.effect.loop:
            return np.maximum(times, 0.0)
        if loops is None:
            loops = np.floor(times / self.effect.duration + 1e-9)
        return np.clip(times - loops * self.effect.duration, 0.0, self.effect.duration)

    def chain(self, layer: Layer) -> list[Layer]:
        """The layer, the layer it rides on, and so on; a ring of riders is cut where it closes."""
        made = [layer]
        while made[-1].rides_on:
            above = layer_of(self.effect, made[-1].rides_on)
            if above is None or any(above.id == one.id for one in made):
                break
            made.append(above)
        return made

    def moves(self, layer: Layer) -> bool:
        carried = self.effect.stage.carrier.moves != "still"
        return carried or any(one.keys for one in self.chain(layer))

    def signature(self, layer: Layer) -> tuple:
        """All that these frames follow from, to compare."""
        parts = [(one.place, one.turn, one.scale, one.keys, one.turns_with, one.target) for one in self.chain(layer)]
        return (*parts, self.effect.stage.carrier, self.effect.loop, self.effect.duration)

    def layer(self, layer: Layer, times: np.ndarray, loops: np.ndarray | None = None) -> Frames:
        times = np.atleast_1d(np.asarray(times, float))
        frames = self._chain_at(self.chain(layer), times, loops)
        if layer.turns_with == "travel":
            ahead = self._chain_at(self.chain(layer), times + _INSTANT, self._same_loop(times, loops))
            behind = self._chain_at(self.chain(layer), times - _INSTANT, self._same_loop(times, loops))
            return self._turned(frames, ahead.place - behind.place)
        if layer.turns_with == "target":
            return self._turned(frames, np.array(layer.target) - frames.place)
        return frames

    def _same_loop(self, times: np.ndarray, loops: np.ndarray | None) -> np.ndarray | None:
        if not self.effect.loop:
            return None
        return np.floor(times / self.effect.duration + 1e-9) if loops is None else loops

    @staticmethod
    def _turned(frames: Frames, ways: np.ndarray) -> Frames:
        size = np.cbrt(np.linalg.det(frames.turn))[:, None, None]
        return Frames(upright_to(ways, frames.turn / size) * size, frames.place)

    def _chain_at(self, chain: list[Layer], times: np.ndarray, loops: np.ndarray | None) -> Frames:
        looped = self.looped(times, loops)
        frames = carrier_frames(self.effect.stage.carrier, times, looped)
        for one in reversed(chain):
            frames = _standing(one.place, one.turn, one.scale, one.keys, looped).after(frames)
        return frames

    def velocity(self, layer: Layer, times: np.ndarray, points: np.ndarray) -> np.ndarray:
        """(n, 3) m/s: how the layer carries its own points (n, 3) at these moments."""
        loops = self._same_loop(times, None)
        ahead, behind = self.layer(layer, times + _INSTANT, loops), self.layer(layer, times - _INSTANT, loops)
        turn, place = ahead.turn - behind.turn, ahead.place - behind.place
        return (np.einsum("nij,nj->ni", turn, points) + place) / (2 * _INSTANT)

    def anchor(self, anchor: Anchor, times: np.ndarray) -> Frames:
        looped = self.looped(times)
        frames = _standing(anchor.place, anchor.turn, 1.0, anchor.keys, looped)
        if anchor.carried:
            return frames.after(carrier_frames(self.effect.stage.carrier, times, looped))
        return frames

    def named(self, name: str, layer: Layer, times: np.ndarray) -> Frames:
        """The anchor of that name; the layer itself where the name is empty or nobody's."""
        for anchor in self.effect.stage.anchors:
            if name and anchor.name == name:
                return self.anchor(anchor, times)
        return self.layer(layer, times)

    def prop(self, prop: Prop, times: np.ndarray) -> Frames:
        return _standing(prop.place, prop.turn, 1.0, prop.keys, self.looped(times))
