"""What light falls on the stage: sun, sky, lamps, and what the effect itself casts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.stage import Stage
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.shade import reaching
from pale_ember.draw.shaders import Shader

MOST_LAMPS = 8
"""Lamps that light at once; of more the strongest do. As many as `light.glsl` has room for."""

_PER_AREA = 0.12
"""Light received a metre from a square metre of brightness 1: set by eye, so that a fire seats itself on its ground."""


@dataclass(frozen=True, slots=True, eq=False)
class Lights:
    """Linear colours; lamps : (places (3,) m, light received a metre away (3,)), the strongest first. bare : which of them are lamps of
    the stage, which are drawn by nothing else."""

    sun_way: np.ndarray
    sun_power: np.ndarray
    sky: np.ndarray
    lamps: tuple[tuple[np.ndarray, np.ndarray], ...]
    bare: tuple[bool, ...] = ()

    def put(self, shader: Shader) -> None:
        """Sets what `light.glsl` takes."""
        places, powers = np.zeros((MOST_LAMPS, 4), np.float32), np.zeros((MOST_LAMPS, 3), np.float32)
        for i, (place, power) in enumerate(self.lamps):
            places[i, :3], powers[i] = place, power
        places[: len(self.bare), 3] = self.bare
        shader.put(
            sun_way=tuple(self.sun_way.tolist()),
            sun_power=tuple(self.sun_power.tolist()),
            # What the ground throws back is a third of what it gets, a little warmer.
            sky_light=tuple(self.sky.tolist()),
            earth_light=tuple((self.sky * [0.36, 0.33, 0.30]).tolist()),
            lamp_count=len(self.lamps),
        )
        shader.write("lamp_place", places.tobytes())
        shader.write("lamp_power", powers.tobytes())


def lights_of(frame: Frame, stage: Stage, ambient: float) -> Lights:
    """The light of a moment. ambient : how much of it comes from all around where `sky` is 1."""
    sun = stage.sun
    heading, height = np.radians([sun.heading, sun.height])
    way = np.array([np.sin(heading) * np.cos(height), np.sin(height), np.cos(heading) * np.cos(height)])
    lamps = [(np.array(lamp.place), np.array(lamp.tint) * lamp.power, True) for lamp in stage.lamps]
    lamps += [(*cast, False) for layer in frame.layers for cast in cast_light(layer)]
    lamps = sorted(lamps, key=lambda lamp: -float(lamp[1].sum()))[:MOST_LAMPS]
    return Lights(
        way,
        np.array(sun.tint) * sun.power,
        np.full(3, ambient) * sun.sky,
        tuple((place, power) for place, power, _ in lamps),
        tuple(bare for *_, bare in lamps),
    )


def shade_of(layers: Sequence[LayerFrame], lights: Lights) -> dict[tuple[str, int], np.ndarray]:
    """For each layer that shades itself, what comes to its particles of the light of sun, sky and strongest lamp, (n, 3) float32: all
    such layers together are one cloud."""
    some = [layer for layer in layers if layer.layer.look.light.shade > 0 and layer.layer.look.light.lit > 0 and layer.count]
    some = [layer for layer in some if layer.layer.look.drawn_as in ("sprite", "mesh")]
    if not some:
        return {}
    place = np.concatenate([layer.position for layer in some])
    thick = [layer.layer.look.light.shade * layer.colour[:, 3] * layer.size[:, 0] * layer.size[:, 1] for layer in some]
    wide = np.concatenate([layer.size[:, :2].mean(axis=1) for layer in some])
    lamp = lights.lamps[0][0] if lights.lamps else np.zeros(3)
    shares = reaching(place, np.concatenate(thick), wide, lights.sun_way, lamp)
    ends = np.cumsum([layer.count for layer in some])
    return {layer.key: part for layer, part in zip(some, np.split(shares, ends[:-1]), strict=True)}


def cast_light(layer: LayerFrame) -> list[tuple[np.ndarray, np.ndarray]]:
    """The light that a layer casts: of its strongest particles, as many as its look says, a lamp each, and of all others together one;
    strips are as many lamps, each for as much of their light, one after another along them. place (3,) m and power (3,). Only what
    shines by itself is cast."""
    look = layer.layer.look
    casts = look.light.casts * (1.0 - look.light.lit)
    if look.blend not in ("additive", "premultiplied", "screen") or casts <= 0:
        return []
    if layer.strips is not None and len(layer.strips.point) > 1:
        at, colour = layer.strips.point, layer.strips.colour
        apart = np.linalg.norm(np.diff(at, axis=0, append=at[-1:]), axis=1)
        apart[layer.strips.first[1:] - 1] = 0.0
        area = apart.astype(float) * layer.strips.width
    elif layer.count:
        at, colour, area = layer.position, layer.colour, layer.size[:, 0].astype(float) * layer.size[:, 1]
    else:
        return []
    power = colour[:, :3].astype(float) * (colour[:, 3] * area)[:, None] * (_PER_AREA * casts)
    strength, at = power.sum(axis=1), at.astype(float)
    if layer.strips is not None:
        many, passed = max(look.light.lamps, 1), np.cumsum(strength)
        part = np.minimum(((passed - 0.5 * strength) * (many / max(passed[-1], 1e-30))).astype(int), many - 1)
        parts = [part == each for each in range(many) if strength[part == each].sum() > 0]
        return [(strength[some] @ at[some] / strength[some].sum(), power[some].sum(axis=0)) for some in parts]
    alone = np.argsort(-strength, kind="stable")[: look.light.lamps]
    alone = alone[strength[alone] > 0]
    lamps = [(at[i], power[i].copy()) for i in alone]
    strength[alone], power[alone] = 0.0, 0.0
    if strength.sum() > 0:
        lamps.append((strength @ at / strength.sum(), power.sum(axis=0)))
    return lamps
