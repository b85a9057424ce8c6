"""Where things are at any moment: layers on layers on the carrier, anchors, props."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.stage import Anchor, Carrier, Prop
from pale_ember.core.effect.tree import chain_of
from pale_ember.core.effect.values import slopes_of
from pale_ember.core.kernel import exact

_LEANING = 9.81
"""m/s²: what a carrier that banks leans against."""
_BEND = 1e-3
"""Seconds to either side over which the bend of a way is measured."""
_INSTANT = 1e-4
"""Seconds to either side over which a velocity is measured: far below a step, far above what rounding hides."""


@dataclass(frozen=True, slots=True, eq=False)
class PoseFrames:
    """Axes and origins: a point p of the thing itself is at `turn` @ p + `place` in the world.

    turn : (n, 3, 3) float64, rotation times scale. place : (n, 3) float64, m.
    """

    turn: np.ndarray
    place: np.ndarray

    def __len__(self) -> int:
        return len(self.place)

    def after(self, outer: PoseFrames) -> PoseFrames:
        """These frames within `outer` ones."""
        return PoseFrames(outer.turn @ self.turn, np.einsum("nij,nj->ni", outer.turn, self.place) + outer.place)

    def inverse(self) -> PoseFrames:
        """The frames of the way back, from the world into these."""
        turn = np.linalg.inv(self.turn)
        return PoseFrames(turn, -np.einsum("nij,nj->ni", turn, self.place))

    def rows(self) -> np.ndarray:
        """(n, 12) float64: each frame's turn row by row, then its place."""
        return np.ascontiguousarray(np.concatenate([self.turn.reshape(-1, 9), self.place], axis=1))


def still(count: int = 1) -> PoseFrames:
    """So many frames that are the world's own."""
    return PoseFrames(np.broadcast_to(np.eye(3), (count, 3, 3)), np.zeros((count, 3)))


def turns(angles: np.ndarray) -> np.ndarray:
    """(n, 3, 3) float64 rotations for (n, 3) degrees about Z first, then X, then Y."""
    x, y, z = np.radians(np.asarray(angles, float)).T
    cx, sx, cy, sy, cz, sz = np.cos(x), np.sin(x), np.cos(y), np.sin(y), np.cos(z), np.sin(z)
    matrices = np.empty((len(x), 3, 3))
    matrices[:, 0] = np.stack([cy * cz + sy * sx * sz, -cy * sz + sy * sx * cz, sy * cx], axis=1)
    matrices[:, 1] = np.stack([cx * sz, cx * cz, -sx], axis=1)
    matrices[:, 2] = np.stack([-sy * cz + cy * sx * sz, sy * sz + cy * sx * cz, cy * cx], axis=1)
    return matrices


def angles_of(turn: np.ndarray) -> np.ndarray:
    """(n, 3) degrees about Z first, then X, then Y, of (n, 3, 3) rotations: `turns` the other way round."""
    x = np.arcsin(np.clip(-turn[:, 1, 2], -1.0, 1.0))
    flat = np.abs(turn[:, 1, 2]) > 1 - 1e-9
    y = np.where(flat, np.arctan2(-turn[:, 2, 0], turn[:, 0, 0]), np.arctan2(turn[:, 0, 2], turn[:, 2, 2]))
    z = np.where(flat, 0.0, np.arctan2(turn[:, 1, 0], turn[:, 1, 1]))
    return np.degrees(np.stack([x, y, z], axis=1))


def upright_to(ways: np.ndarray, otherwise: np.ndarray) -> np.ndarray:
    """(n, 3, 3) the least rotations that turn +Y to `ways` (n, 3); `otherwise` (n, 3, 3) where a way is nothing."""
    length = np.linalg.norm(ways, axis=1)
    matrices = np.array(otherwise, float, copy=True)
    some = length > 1e-9
    x, y, z = (ways[some] / length[some, None]).T
    # Rodrigues' formula for the axis Y × way; straight down has no axis and turns about X.
    share = 1.0 / np.maximum(1.0 + y, 1e-9)
    upright = np.empty((some.sum(), 3, 3))
    upright[:, 0] = np.stack([1 - x * x * share, x, -x * z * share], axis=1)
    upright[:, 1] = np.stack([-x, y, -z], axis=1)
    upright[:, 2] = np.stack([-x * z * share, z, 1 - z * z * share], axis=1)
    upright[y < -1 + 1e-7] = np.diag([1.0, -1.0, -1.0])
    matrices[some] = upright
    return matrices


class PoseChain:
    """Things standing within each other, the outermost first, compiled: asked step by step, they must cost next to
    nothing. things : (place, turn, scale, keys) of each. carrier : what carries them all, or None."""

    def __init__(self, things: list[tuple], carrier: Carrier | None = None) -> None:
        self.carrier = carrier if carrier is not None and carrier.moves != "still" else None
        if self.carrier is not None and self.carrier.moves == "keys":
            things, self.carrier = [((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), 1.0, self.carrier.keys), *things], None
        self._things = np.zeros(len(things), _THING)
        at, values, leaving, arriving, held = ([np.zeros(0)], [np.zeros((0, 7))], [np.zeros((0, 7))], [np.zeros((0, 7))], [])
        count = 0
        for row, (place, turn, scale, keys) in zip(self._things, things, strict=True):
            row["base"], row["place"] = turns(np.array([turn]))[0] * scale, place
            row["first"], row["count"] = count, len(keys)
            count += len(keys)
            if keys:
                told = np.array([[*key.place, *key.turn, key.scale] for key in keys], float)
                marks, eases = np.array([key.at for key in keys]), [key.ease for key in keys]
                slopes = [slopes_of(marks, told[:, c], eases) for c in range(7)]
                at.append(marks)
                values.append(told)
                # A row for each key, the last one's never asked for.
                leaving.append(np.stack([np.append(leave, 0.0) for leave, _ in slopes], axis=1))
                arriving.append(np.stack([np.append(arrive, 0.0) for _, arrive in slopes], axis=1))
                held += [ease == "stepped" for ease in eases]
        self._keys = tuple(np.ascontiguousarray(np.concatenate(part)) for part in (at, values, leaving, arriving))
        self._held = np.array(held, np.bool_)

    def at(self, times: np.ndarray, looped: np.ndarray) -> PoseFrames:
        """Where the innermost is; `times` count on across loops, `looped` begin anew with each.

        times, looped : (n,) s.
        """
        frames = still(len(times)) if self.carrier is None else carrier_frames(self.carrier, times, looped)
        turn, place = np.array(frames.turn, order="C"), np.array(frames.place, float)
        at, values, leaving, arriving = self._keys
        _stand(self._things, at, values, leaving, arriving, self._held, looped, turn, place)
        return PoseFrames(turn, place)


_THING = np.dtype([("base", np.float64, (3, 3)), ("place", np.float64, (3,)), ("first", np.int64), ("count", np.int64)])
"""Something with a place of its own and keys on top: `count` of them from `first` on."""


@exact  # A pose must not depend on how many are asked for at once.
def _stand(things, at, value, leaving, arriving, held, times, turn, place):
    """Leads frames (n, 3, 3) and (n, 3) inward through all things, at moments of the loop (n,). A key's value between
    two is the cubic of `sample_keys`."""
    v, m, inner = np.empty(7), np.empty((3, 3)), np.empty((3, 3))
    for i in range(len(times)):
        for j in range(len(things)):
            thing = things[j]
            first, count = thing.first, thing.count
            v[:] = 0.0
            v[6] = 1.0
            if count > 0:
                k = 0
                while k + 1 < count and at[first + k + 1] <= times[i]:
                    k += 1
                a = first + k
                if k == count - 1 or times[i] <= at[first] or held[a]:
                    v[:] = value[a]
                else:
                    width = at[a + 1] - at[a]
                    t = (times[i] - at[a]) / width
                    for c in range(7):
                        v[c] = (
                            (1 + 2 * t) * (1 - t) ** 2 * value[a, c]
                            + t * (1 - t) ** 2 * width * leaving[a, c]
                            + t * t * (3 - 2 * t) * value[a + 1, c]
                            - t * t * (1 - t) * width * arriving[a, c]
                        )
            for c in range(3):
                v[3 + c] *= math.pi / 180.0
            cx, sx, cy, sy, cz, sz = (math.cos(v[3]), math.sin(v[3]), math.cos(v[4]), math.sin(v[4]), math.cos(v[5]), math.sin(v[5]))
            m[0, 0], m[0, 1], m[0, 2] = cy * cz + sy * sx * sz, -cy * sz + sy * sx * cz, sy * cx
            m[1, 0], m[1, 1], m[1, 2] = cx * sz, cx * cz, -sx
            m[2, 0], m[2, 1], m[2, 2] = -sy * cz + cy * sx * sz, sy * sz + cy * sx * cz, cy * cx
            for p in range(3):
                for q in range(3):
                    inner[p, q] = v[6] * (thing.base[p, 0] * m[0, q] + thing.base[p, 1] * m[1, q] + thing.base[p, 2] * m[2, q])
            x, y, z = thing.place[0] + v[0], thing.place[1] + v[1], thing.place[2] + v[2]
            o = turn[i]
            for p in range(3):
                place[i, p] += o[p, 0] * x + o[p, 1] * y + o[p, 2] * z
            for p in range(3):
                for q in range(3):
                    m[p, q] = o[p, 0] * inner[0, q] + o[p, 1] * inner[1, q] + o[p, 2] * inner[2, q]
            o[:] = m


def carrier_frames(carrier: Carrier, times: np.ndarray, looped: np.ndarray) -> PoseFrames:
    """Where the carrier is; `times` count on across loops, `looped` begin anew with each. times, looped : (n,) s."""
    if carrier.moves == "still":
        return still(len(times))
    if carrier.moves == "keys":
        return PoseChain([], carrier).at(times, looped)

    def at(moments: np.ndarray) -> np.ndarray:
        phase = moments / carrier.period
        place = np.zeros((len(moments), 3))
        if carrier.moves == "to and fro":
            place[:, 0] = 0.5 * carrier.reach * np.sin(2 * np.pi * phase)
        elif carrier.moves == "circle":
            place[:, 0] = carrier.reach * np.cos(2 * np.pi * phase)
            place[:, 2] = -carrier.reach * np.sin(2 * np.pi * phase)
        elif carrier.moves == "eight":
            # Gerono's lemniscate, as long as the reach on either side.
            place[:, 0] = carrier.reach * np.sin(2 * np.pi * phase)
            place[:, 2] = -carrier.reach * np.sin(2 * np.pi * phase) * np.cos(2 * np.pi * phase)
        else:
            share = phase - np.floor(phase)
            place[:, 0] = carrier.reach * (share - 0.5)
            place[:, 1] = 4 * carrier.height * share * (1 - share)
        return place

    frames = PoseFrames(np.broadcast_to(np.eye(3), (len(times), 3, 3)), at(times))
    if not carrier.turns:
        return frames
    way = at(times + _INSTANT) - at(times)
    heading = np.degrees(np.arctan2(way[:, 0], way[:, 2]))
    lean = np.zeros_like(heading)
    if carrier.banks:
        # As one who rides leans: as far as the pull of the bend goes against that of the earth.
        pull = (at(times + _BEND) - 2 * frames.place + at(times - _BEND)) / _BEND**2
        left = np.stack([np.cos(np.radians(heading)), -np.sin(np.radians(heading))], axis=1)
        inward = pull[:, 0] * left[:, 0] + pull[:, 2] * left[:, 1]
        lean = -carrier.banks * np.degrees(np.arctan2(inward, _LEANING))
    return PoseFrames(turns(np.stack([0 * heading, heading, lean], axis=1)), frames.place)


class Poses:
    """The frames of one effect's things at moments of the effect, s, counted on across loops."""

    def __init__(self, effect: Effect) -> None:
        self.effect = effect
        self._layers = {layer.id: layer for layer in effect.layers}
        self._rigs: dict[int, tuple[object, PoseChain]] = {}

    def _rig(self, thing: object, things: Callable[[], list[tuple]], *, carried: bool) -> PoseChain:
        """What is compiled of a layer, an anchor or a prop, made once. The thing is kept, so that no other takes its id."""
        known = self._rigs.get(id(thing))
        if known is None:
            known = thing, PoseChain(things(), self.effect.stage.carrier if carried else None)
            self._rigs[id(thing)] = known
        return known[1]

    def holds(self, layer: Layer) -> bool:
        """Whether this very value is one of the effect's layers."""
        return self._layers.get(layer.id) is layer

    def looped(self, times: np.ndarray, loops: np.ndarray | None = None) -> np.ndarray:
        """Moments within their loop; `loops` says which, where a moment at the very end is meant.

        times : (n,) s; loops : (n,); returns (n,) s.
        """
        if not self.effect.loop:
            return np.maximum(times, 0.0)
        if loops is None:
            loops = np.floor(times / self.effect.duration + 1e-9)
        return np.clip(times - loops * self.effect.duration, 0.0, self.effect.duration)

    def chain(self, layer: Layer) -> list[Layer]:
        """The layer, the layer it rides on, and so on; a ring of riders is cut where it closes."""
        return chain_of(self._layers, layer)

    def ground(self, layer: Layer) -> Anchor | Prop | None:
        """The anchor or prop that the outermost of a layer's chain stands on; None where it is on the carrier."""
        return self.ground_named(self.chain(layer)[-1].stands_on)

    def ground_named(self, name: str) -> Anchor | Prop | None:
        """The anchor or prop of a name."""
        return next((thing for thing in self.effect.stage.grounds() if name and thing.name == name), None)

    def moves(self, layer: Layer) -> bool:
        """Whether a layer is ever anywhere else than at its beginning."""
        ground = self.ground(layer)
        carried = (ground is None or ground.carried) and self.effect.stage.carrier.moves != "still"
        return carried or bool(ground and ground.keys) or any(link.keys for link in self.chain(layer))

    def signature(self, layer: Layer) -> tuple:
        """All that these frames follow from, to compare."""
        parts = [(link.place, link.turn, link.scale, link.keys, link.turns_with, link.target) for link in self.chain(layer)]
        ground = self.ground(layer)
        on = (ground.place, ground.turn, ground.keys, ground.carried) if ground is not None else ()
        return (*parts, on, self.effect.stage.carrier, self.effect.loop, self.effect.duration)

    def layer(self, layer: Layer, times: np.ndarray, loops: np.ndarray | None = None) -> PoseFrames:
        """The layer's frames in the world. times : (n,) s of the effect."""
        times = np.atleast_1d(np.asarray(times, float))
        frames = self._at(layer, times, loops)
        if layer.turns_with == "travel":
            before, after, loops = self._around(times, loops)
            return self._turned(frames, self._at(layer, after, loops).place - self._at(layer, before, loops).place)
        if layer.turns_with == "target":
            return self._turned(frames, np.array(layer.target) - frames.place)
        return frames

    def _at(self, layer: Layer, times: np.ndarray, loops: np.ndarray | None) -> PoseFrames:
        """A layer's frames as its keys, what it rides on and the carrier give them. times : (n,) s."""

        ground = self.ground(layer)

        def things() -> list[tuple]:
            under = [(ground.place, ground.turn, 1.0, ground.keys)] if ground is not None else []
            chain = reversed(self.chain(layer))
            return [*under, *((link.place, link.turn, link.scale, link.keys) for link in chain)]

        rig = self._rig(layer, things, carried=ground is None or ground.carried)
        return rig.at(times, self.looped(times, loops))

    def parent(self, layer: Layer, times: np.ndarray) -> PoseFrames:
        """What a layer's own place and turn are told in: what it rides or stands on, else the carrier, else the world.

        times : (n,) s.
        """
        above = self._layers.get(layer.rides_on) if layer.rides_on != layer.id else None
        if above is not None:
            return self._at(above, times, None)
        ground = self.ground(layer)
        if ground is not None:
            return self.thing(ground, times)
        return carrier_frames(self.effect.stage.carrier, times, self.looped(times))

    def _around(self, times: np.ndarray, loops: np.ndarray | None) -> tuple[np.ndarray, np.ndarray, np.ndarray | None]:
        """Moments just before and after these, never outside their loop; and the loops. times : (n,) s."""
        if not self.effect.loop:
            return np.maximum(times - _INSTANT, 0.0), times + _INSTANT, None
        length = self.effect.duration
        loops = np.floor(times / length + 1e-9) if loops is None else loops
        begin = loops * length
        return np.maximum(times - _INSTANT, begin), np.minimum(times + _INSTANT, begin + length), loops

    @staticmethod
    def _turned(frames: PoseFrames, ways: np.ndarray) -> PoseFrames:
        """These frames with their up along `ways` (n, 3), their size kept."""
        size = np.cbrt(np.linalg.det(frames.turn))[:, None, None]
        return PoseFrames(upright_to(ways, frames.turn / size) * size, frames.place)

    def velocity(self, layer: Layer, times: np.ndarray, points: np.ndarray) -> np.ndarray:
        """(n, 3) m/s: how the layer carries its own points (n, 3) at these moments."""
        times = np.asarray(times, float)
        before, after, loops = self._around(times, None)
        carrier = self.effect.stage.carrier
        if carrier.moves == "throw" and self._carried(layer):
            # Nothing is carried from one throw's end to where the next begins.
            begin = self.throws(layer, times) * carrier.period
            before, after = np.maximum(before, begin), np.minimum(after, begin + carrier.period - 1e-9)
        ahead, behind = self.layer(layer, after, loops), self.layer(layer, before, loops)
        turn, place = ahead.turn - behind.turn, ahead.place - behind.place
        return (np.einsum("nij,nj->ni", turn, points) + place) / (after - before)[:, None]

    def thing(self, thing: Anchor | Prop, times: np.ndarray) -> PoseFrames:
        """The frames of an anchor or a prop in the world. times : (n,) s of the effect."""
        things = lambda: [(thing.place, thing.turn, 1.0, thing.keys)]  # noqa: E731
        return self._rig(thing, things, carried=thing.carried).at(times, self.looped(times))

    def _carried(self, thing: Layer | Anchor) -> bool:
        """Whether the carrier carries it."""
        under = self.ground(thing) if isinstance(thing, Layer) else thing
        return under is None or under.carried

    def throws(self, thing: Layer | Anchor, times: np.ndarray) -> np.ndarray:
        """(n,) int64, which throw carries a layer or an anchor at these moments (n,) s; 0 where none does."""
        carrier = self.effect.stage.carrier
        if carrier.moves != "throw" or not self._carried(thing):
            return np.zeros(len(times), np.int64)
        return np.floor(times / carrier.period).astype(np.int64)

    def leaps(self, name: str, layer: Layer, times: np.ndarray) -> np.ndarray:
        """(n,) int64, which stretch of its way an anchor, or the layer, is on: it leaps where that changes."""
        anchor = next((each for each in self.effect.stage.anchors if name and each.name == name), None)
        carrier = self.effect.stage.carrier
        under = anchor if anchor is not None else self.ground(layer)
        carried = self._carried(layer if anchor is None else anchor)
        keyed = bool(under is not None and under.keys) or (anchor is None and any(each.keys for each in self.chain(layer)))
        count = self.throws(layer if anchor is None else anchor, times)
        if self.effect.loop and (keyed or (carried and carrier.moves == "keys")):
            count += np.floor(times / self.effect.duration + 1e-9).astype(np.int64) << 32
        return count

    def named(self, name: str, layer: Layer, times: np.ndarray) -> PoseFrames:
        """The anchor of that name; the layer itself where the name is empty or nobody's. times : (n,) s."""
        for anchor in self.effect.stage.anchors:
            if name and anchor.name == name:
                return self.thing(anchor, times)
        return self.layer(layer, times)
