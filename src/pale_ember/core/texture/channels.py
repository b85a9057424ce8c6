"""Pictures of which looks read one channel each, laid together into the channels of one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.files import pictures_of
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Effect
from pale_ember.core.texture.light import channel_of, to_linear

CHANNELS = ("red", "green", "blue", "alpha")


@dataclass(frozen=True, slots=True)
class Plane:
    """A channel of a picture, as looks name them."""

    picture: str
    channel: str


@dataclass(frozen=True, slots=True)
class ChannelGroup:
    """A picture whose codes are numbers; what lies in each of its channels."""

    planes: tuple[Plane, ...]

    def pixels(self, pixels_of: Callable[[str], np.ndarray]) -> np.ndarray:
        """(h, w, 4) float32, linear and straight."""
        codes = [channel_of(pixels_of(plane.picture), plane.channel) for plane in self.planes]
        codes += [np.zeros_like(codes[0])] * (3 - len(codes)) + [np.ones_like(codes[0])] * (len(self.planes) < len(CHANNELS))
        return np.dstack([*(to_linear(np.clip(code, 0, 1)) for code in codes[:3]), codes[3]]).astype(np.float32)

    def told(self) -> dict[str, str]:
        """By the name of a channel, what lies there."""
        return {name: f"{plane.picture} ({plane.channel})" for name, plane in zip(CHANNELS, self.planes, strict=False)}


def laid_together(effect: Effect, pixels_of: Callable[[str], np.ndarray]) -> tuple[Effect, dict[str, ChannelGroup]]:
    """The effect with all its pictures of one size of which only single channels are read laid into as few as hold them, four in
    each, and these by their new names. Pictures that are also read whole, move particles, follow vectors or are cut hard
    stay as they are."""
    planes: dict[tuple[int, ...], list[Plane]] = defaultdict(list)
    whole = _read_whole(effect)
    for plane in dict.fromkeys(plane for layer in effect.layers for plane in _planes(layer.look) if plane):
        if plane.picture not in whole and plane.picture in pictures_of(effect):
            planes[pixels_of(plane.picture).shape].append(plane)
    made: dict[str, ChannelGroup] = {}
    places: dict[Plane, tuple[str, str]] = {}
    for some in planes.values():
        for begin in range(0, len(some), len(CHANNELS)):
            group = tuple(some[begin : begin + len(CHANNELS)])
            if len({plane.picture for plane in group}) > 1:
                name = f"channels {len(made) + 1}"
                made[name] = ChannelGroup(group)
                places |= {plane: (name, channel) for plane, channel in zip(group, CHANNELS, strict=False)}
    layers = tuple(replace(layer, look=_moved(layer.look, places)) for layer in effect.layers)
    return replace(effect, layers=layers), made


def _planes(look: Look) -> tuple[Plane | None, ...]:
    """What a look reads one channel of: its picture, the second, the third, the one that warps, the one that dissolves."""
    surface = look.surface
    return (
        Plane(look.picture, surface.channel) if surface.channel != "all" else None,
        *(Plane(name, channel) if channel != "all" else None for name, channel in (*surface.multiplied, ("", "all"), ("", "all"))[:2]),
        Plane(surface.warp, surface.warp_channel) if surface.warp else None,
        Plane(look.dissolve.picture, look.dissolve.channel) if look.dissolve.picture else None,
    )


def _read_whole(effect: Effect) -> set[str]:
    """The pictures that cannot be taken apart."""
    names = {effect.stage.picture}
    for layer in effect.layers:
        look = layer.look
        names |= {look.vectors, layer.outlet.density}
        if look.surface.channel == "all" or look.blend == "cut-out":
            names.add(look.picture)
        names |= {name for name, channel in look.surface.multiplied if channel == "all"}
    return names


def _moved(look: Look, places: dict[Plane, tuple[str, str]]) -> Look:
    """A look that reads its channels where they are now."""
    surface, dissolve = look.surface, look.dissolve
    first, second, third, warp, worn = (places.get(plane) if plane else None for plane in _planes(look))
    if second:
        surface = replace(surface, second=second[0], second_channel=second[1])
    if third:
        surface = replace(surface, third=third[0], third_channel=third[1])
    if warp:
        surface = replace(surface, warp=warp[0], warp_channel=warp[1])
    if worn:
        dissolve = replace(dissolve, picture=worn[0], channel=worn[1])
    if first:
        look, surface = replace(look, picture=first[0]), replace(surface, channel=first[1])
    return replace(look, surface=surface, dissolve=dissolve)
