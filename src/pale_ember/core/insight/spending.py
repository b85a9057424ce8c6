"""What each layer costs over an effect's time, measured by drawing it: particles, painted pixels, triangles, sorting, textures."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.files import pictures_of
from pale_ember.core.effect.model import FIRST_VIEW, Camera, Effect, Layer
from pale_ember.core.insight.cost import moments_of
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.timeline import Timeline

LOOKS = 12
"""Moments that are measured."""

Painted = Callable[[Frame, Camera], np.ndarray]
"""How often each pixel of a picture is painted: (h, w)."""


@dataclass(frozen=True, slots=True, eq=False)
class Spent:
    """What a layer takes at each of n moments. alive, triangles : (n,). painted : (n,) pixels, in whole pictures. sorts : whether its
    particles are put into order for each picture. textures : bytes, with mips, of what it wears; shared ones count at each."""

    alive: np.ndarray
    triangles: np.ndarray
    painted: np.ndarray
    sorts: bool
    textures: int


@dataclass(frozen=True, slots=True, eq=False)
class Spending:
    """moments : (n,) s. layers : by their ids. textures : bytes of each texture by its name."""

    moments: np.ndarray
    layers: dict[str, Spent]
    textures: Mapping[str, int]

    @property
    def painted(self) -> np.ndarray:
        """(n,) whole pictures painted by all layers together."""
        return np.sum([spent.painted for spent in self.layers.values()], axis=0) if self.layers else 0 * self.moments

    @property
    def alive(self) -> np.ndarray:
        """(n,) particles of all layers."""
        return np.sum([spent.alive for spent in self.layers.values()], axis=0) if self.layers else 0 * self.moments

    @property
    def worst(self) -> int:
        """The moment at which most is painted."""
        return int(np.argmax(self.painted)) if len(self.moments) else 0


def game_camera(effect: Effect) -> Camera:
    """The first view that is kept, from as far as the game looks, through its lens."""
    stage = effect.stage
    view = (stage.cameras or (FIRST_VIEW,))[0]
    return replace(view, distance=stage.game.distance, fov=stage.game.fov)


def sorts(layer: Layer) -> bool:
    """Whether a layer's particles must be put into order before they are drawn."""
    look = layer.look
    return (
        look.drawn_as in ("sprite", "mesh") and look.blend in ("alpha", "premultiplied") and look.stacking != "as born"
    )


def _triangles(shown: LayerFrame, of_mesh: Callable[[str], int]) -> int:
    if shown.strips is not None:
        return 2 * max(len(shown.strips.point) - shown.strips.count, 0)
    look = shown.layer.look
    return shown.count * (of_mesh(look.solid.mesh) if look.drawn_as == "mesh" else 2)


def with_mips(rows: int, columns: int) -> int:
    """Bytes of a texture with its mips, four bytes a pixel."""
    return rows * columns * 4 * 4 // 3


def spending(
    timeline: Timeline, painted: Painted, size_of: Callable[[str], tuple[int, int]],
) -> Iterator[Spending | None]:  # fmt: skip
    """Measures an effect a little at a time; the last that is given is whole, those before are None."""
    effect = timeline.effect
    moments = moments_of(effect, LOOKS)
    camera = game_camera(effect)
    shown = [layer for layer in effect.layers if layer.shown]
    columns = {layer.id: np.zeros((3, LOOKS)) for layer in shown}
    for k, moment in enumerate(moments.tolist()):
        frame = timeline.frame(moment)
        for layer in shown:
            own = tuple(each for each in frame.layers if each.layer.id == layer.id)
            counts = painted(Frame(frame.effect, frame.time, frame.step, own), camera)
            alive = sum(each.count for each in own)
            triangles = sum(_triangles(each, lambda name: len(timeline.mesh(name).faces)) for each in own)
            columns[layer.id][:, k] = alive, triangles, float(counts.mean())
        yield None
    textures = {name: with_mips(*size_of(name)) for name in pictures_of(effect)}
    layers = {}
    for layer in shown:
        lives, drawn, area = columns[layer.id]
        worn = sum(textures[name] for name in pictures_of(Effect(layers=(layer,))))
        layers[layer.id] = Spent(lives, drawn, area, sorts(layer), worn)
    yield Spending(moments, layers, textures)
