"""What each layer costs over an effect's time, measured by drawing it: particles, painted pixels, triangles, sorting, textures."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.edit import index_of, with_value
from pale_ember.core.effect.files import pictures_of
from pale_ember.core.effect.model import FIRST_VIEW, Camera, Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.insight.effect_cost import Budget, moments_of
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.outline import MOST, Outline, held_in, outline

LOOKS = 12
"""Moments that are measured."""

_COUNTING = 64999
"""The key of a rule by which touches are counted."""
_STEPS = 60
"""Steps that are counted at once."""

Painted = Callable[[Frame, Camera], np.ndarray]
"""How often each pixel of a picture is painted: (h, w)."""


@dataclass(frozen=True, slots=True, eq=False)
class LayerCost:
    """What a layer takes. alive, triangles : (n,) at each of n moments. painted, around : (n,) pixels that are painted, and those of
    the box around them, in whole pictures. sorts : whether its particles are put into order for each picture. textures : bytes, with
    mips, of what it wears; shared ones count at each. births, touches : in one loop, or in all: how many are asked for, how often
    they touch something. spawned : births that its rules ask for. seconds : of work, in one step. outlines : of its cards, by how
    many corners they are allowed; held : (h, w) what these lie around, the most that any frame covers. Neither where it has no cards.
    """

    alive: np.ndarray
    triangles: np.ndarray
    painted: np.ndarray
    around: np.ndarray
    sorts: bool
    textures: int
    births: int
    spawned: int
    touches: int
    seconds: float
    outlines: Mapping[int, Outline] = field(default_factory=dict)
    held: np.ndarray | None = None

    def in_words(self) -> str:
        """What it takes besides particles, pixels, textures and time."""
        said = [f"{self.births} born in all" if self.births != 1 else "one is born"]
        if self.spawned:
            said.append(f"spawns {self.spawned}")
        if self.touches:
            said.append(f"touches something {self.touches} times")
        said.append(f"{self.triangles.max():.0f} triangles")
        if float(self.around.max()) > 0:
            times = float((self.painted / np.maximum(self.around, 1e-6)).max())
            said.append(f"paints the box around it {times:.1f} times")
        if self.sorts:
            said.append("is sorted for each picture")
        return ", ".join(said)


@dataclass(frozen=True, slots=True, eq=False)
class CostOverTime:
    """moments : (n,) s. alive, painted : (n,) of all layers, painted in whole pictures. textures : bytes of each texture by its name.
    drawn : how many layers are. layers : each by its id, where they were looked at one by one."""

    moments: np.ndarray
    alive: np.ndarray
    painted: np.ndarray
    textures: Mapping[str, int]
    drawn: int
    layers: Mapping[str, LayerCost] = field(default_factory=dict)

    @property
    def worst(self) -> int:
        """The moment at which most is painted."""
        return int(np.argmax(self.painted)) if len(self.moments) else 0

    def shares(self, budget: Budget) -> dict[str, float]:
        """What share of a budget it takes, by what is counted."""
        return {
            "alive": float(self.alive.max(initial=0)) / budget.particles,
            "painted": float(self.painted.max(initial=0)) / budget.painted,
            "textures": sum(self.textures.values()) / budget.textures,
            "layers": self.drawn / budget.layers,
        }


def game_camera(effect: Effect) -> Camera:
    """The first view that is kept, from as far as the game looks, through its lens."""
    stage = effect.stage
    view = (stage.cameras or (FIRST_VIEW,))[0]
    return replace(view, distance=stage.game.distance, fov=stage.game.fov)


def sorts(layer: Layer) -> bool:
    """Whether a layer's particles must be put into order before they are drawn."""
    look = layer.look
    return look.drawn_as in ("sprite", "mesh") and look.blend in ("alpha", "premultiplied") and look.stacking != "as born"


def _triangles(shown: LayerFrame, of_mesh: Callable[[str], int]) -> int:
    if shown.strips is not None:
        return 2 * max(len(shown.strips.point) - shown.strips.count, 0)
    look = shown.layer.look
    behind = 0 if shown.trail is None else 2 * max(len(shown.trail.point) - shown.trail.count, 0)
    return behind + shown.count * (of_mesh(look.solid.mesh) if look.drawn_as == "mesh" else look.corners - 2)


def with_mips(rows: int, columns: int) -> int:
    """Bytes of a texture with its mips, four bytes a pixel."""
    return rows * columns * 4 * 4 // 3


def spending(
    timeline: Timeline, painted: Painted, picture: Callable[[str], np.ndarray], *, by_layer: bool = True
) -> Iterator[CostOverTime | None]:
    """Measures an effect a little at a time; the last that is given is whole, those before are None. picture : gives one by name,
    (h, w, 4) float32, linear and straight. by_layer : whether each layer is measured, not only all together."""
    effect = timeline.effect
    moments = moments_of(effect, LOOKS)
    camera = game_camera(effect)
    shown = tuple(layer for layer in effect.layers if layer.shown)
    textures = {name: with_mips(*picture(name).shape[:2]) for name in pictures_of(Effect(layers=shown))}
    alive, area = np.zeros(LOOKS), np.zeros(LOOKS)
    columns = {layer.id: np.zeros((4, LOOKS)) for layer in shown}
    for k, moment in enumerate(moments.tolist()):
        frame = timeline.frame(moment)
        alive[k] = sum(each.count for each in frame.layers)
        if not by_layer:
            area[k] = painted(frame, camera).mean()
            yield None
            continue
        for layer in shown:
            own = tuple(each for each in frame.layers if each.layer.id == layer.id)
            counts = painted(Frame(frame.effect, frame.time, frame.step, own), camera)
            triangles = sum(_triangles(each, lambda name: len(timeline.mesh(name).faces)) for each in own)
            columns[layer.id][:, k] = sum(each.count for each in own), triangles, float(counts.mean()), _around(counts)
            area[k] += counts.mean()
            yield None
    layers = {}
    if by_layer:
        while not timeline.explore():
            yield None
        spawned = _spawned(timeline)
        for layer in shown:
            touches = 0
            for found in _touches(timeline, layer):
                touches += found
                yield None
            worn = sum(textures[name] for name in pictures_of(Effect(layers=(layer,))))
            lives, faces, drawn, around = columns[layer.id]
            layers[layer.id] = LayerCost(
                lives, faces, drawn, around, sorts(layer), worn, timeline.births(layer.id)[0], spawned.get(layer.id, 0),
                touches, timeline.seconds(layer.id), *_outlines(layer, picture),
            )  # fmt: skip
            yield None
    yield CostOverTime(moments, alive, area, textures, len(shown), layers)


def _around(counts: np.ndarray) -> float:
    """The part of a picture that the box around all that is painted takes up. counts : (h, w)."""
    down, across = np.flatnonzero(counts.any(axis=1)), np.flatnonzero(counts.any(axis=0))
    return float((down[-1] + 1 - down[0]) * (across[-1] + 1 - across[0]) / counts.size) if len(down) else 0.0


def _spawned(timeline: Timeline) -> dict[str, int]:
    """Births that the rules of each layer ask for, by its id."""
    found: dict[str, int] = {}
    for layer in timeline.effect.layers:
        for parent, count in timeline.births(layer.id)[1].items():
            found[parent] = found.get(parent, 0) + count
    return found


def _touches(timeline: Timeline, layer: Layer) -> Iterator[int]:
    """How often particles of a layer touch something in each part of one loop, counted by a rule that spawns nothing."""
    if layer.contact.meets == "pass":
        return
    effect, at = timeline.effect, index_of(timeline.effect, layer.id)
    counting = Rule(key=_COUNTING, when="touches")
    rules = (*layer.offspring.rules, counting)
    told = Timeline(with_value(effect, ("layers", at, "offspring", "rules"), rules), timeline.mesh, timeline.density)
    for first in range(0, told.loop_steps(), _STEPS):
        found = 0
        for place in told.copies(layer.id):
            events = told.events(layer.id, place, first, min(first + _STEPS, told.loop_steps()))
            found += int((events["rule"] == len(rules) - 1).sum())
        yield found


def _outlines(layer: Layer, picture: Callable[[str], np.ndarray]) -> tuple[dict[int, Outline], np.ndarray | None]:
    """The outlines of a layer's cards, and what they lie around."""
    if layer.look.drawn_as != "sprite":
        return {}, None
    held = held_in(layer.look, picture(layer.look.picture))
    return {corners: outline(held, corners) for corners in range(4, MOST + 1)}, held
