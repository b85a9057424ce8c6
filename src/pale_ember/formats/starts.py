"""All starting points: those made in code, and those taken from the effects that ship."""

from __future__ import annotations

import functools
from collections.abc import Callable

from msgspec.structs import replace

from pale_ember import ASSETS
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.starting_points import STARTS, Start
from pale_ember.formats.document import load


@functools.cache
def _shipped(stem: str) -> dict[str, Layer]:
    """The layers of an effect that ships, by name."""
    effect, _ = load(ASSETS / "demo" / f"{stem}.pale")
    return {layer.name: layer for layer in effect.layers}


def _taken(stem: str, *names: str, down: float = 0.0) -> Callable[[], tuple[Layer, ...]]:
    """Makes layers of an effect that ships, moved to stand over the origin, and down by so much."""

    def make() -> tuple[Layer, ...]:
        layers = [_shipped(stem)[name] for name in names]
        aside = next((layer.place for layer in layers if layer.place != (0.0, 0.0, 0.0)), (0.0, 0.0, 0.0))
        return tuple(
            replace(layer, place=(layer.place[0] - aside[0], layer.place[1] - down, layer.place[2] - aside[2]))
            if layer.place != (0.0, 0.0, 0.0)
            else layer
            for layer in layers
        )

    return make


_KILN, _CARBOY, _BEACON, _SLEET = "kiln-mouth", "dropped-carboy", "harbour-beacon", "sleet-squall"

_SHIPPED: dict[str, Start] = {
    "kiln fire": Start("fire", "A deep fire: glow, tongues, licks that part from them, and hot air above.",
                       _taken(_KILN, "glow", "tongues", "licks", "hot air"), ("bonfire", "furnace", "campfire")),
    "licks": Start("fire", "Single licks that part from a fire.", _taken(_KILN, "licks"), ("flame",)),
    "kiln sparks": Start("fire", "Sparks that leave a fire and drift off.", _taken(_KILN, "sparks"), ("embers",)),
    "hot air": Start("fire", "Air that shimmers over something hot.", _taken(_KILN, "hot air", down=0.6), ("haze", "distortion")),
    "grinding sparks": Start("fire", "Fast sparks that split where they touch, and the light they spring from.",
                             _taken("grindstone-sparks", "contact", "sparks", "splitting grains"), ("welding", "metal")),
    "molten drips": Start("fire", "Drops of glass that fall, spit and bead on the ground.",
                          _taken("molten-drips", "beads", "drips", "strings", "spits"), ("lava", "metal", "melt")),
    "chimney plume": Start("smoke", "A thick plume with torn edges.",
                           _taken("stack-plume", "plume", "torn edges", down=2.1), ("stack", "column")),
    "steam": Start("smoke", "Thin wisps that rise from a wet, warm ground.", _taken("molten-drips", "steam"), ("vapour", "wisp")),
    "stone dust": Start("smoke", "Fine dust carried off one way.", _taken("grindstone-sparks", "stone dust", down=0.5), ("powder",)),
    "sleet": Start("weather", "Driven sleet with rings and splashes where it touches.",
                   _taken(_SLEET, "rings on the stones", "splashes", "sleet"), ("rain", "storm", "squall")),
    "hail": Start("weather", "Stones of ice that bounce.", _taken(_SLEET, "hail"), ("ice",)),
    "driven mist": Start("weather", "Wet air that drives past.", _taken(_SLEET, "driven mist"), ("fog", "wind")),
    "tide mist": Start("weather", "Mist that creeps in veils over the ground.",
                       _taken("tide-mist", "creeping mist", "drifting veils"), ("fog",)),
    "shattering glass": Start("impact", "Shards, chips and glitter, a flash and fine dust.",
                              _taken(_CARBOY, "fine dust", "shards", "chips", "glitter", "flash"), ("break", "debris", "window")),
    "splash": Start("impact", "Liquid thrown up, that splashes again where it falls.",
                    _taken(_CARBOY, "brine", "splashes"), ("water", "brine")),
    "burst of dust": Start("impact", "Dust thrown outward by a blow.", _taken(_CARBOY, "fine dust"), ("hit", "landing")),
    "shock ring": Start("impact", "A ring that runs out over the ground.", _taken(_CARBOY, "shock along the stones"), ("wave", "blast")),
    "whole impact": Start("impact", "Mark, cracks, shock, dust, shards, chips, splashes, glitter and flash: all at once.",
                          _taken(_CARBOY, *("wet stones", "cracks", "shock along the stones", "fine dust", "shards", "chips",
                                            "brine", "splashes", "glitter", "flash")), ("explosion", "blast", "hit")),
    "column of light": Start("energy", "A bright core, a rim, a veil of noise and a dark shell behind.",
                             _taken(_BEACON, "dark shell", "inner veil", "rim shell", "core"), ("beam", "beacon", "portal")),
    "rising streaks": Start("energy", "Thin streaks that shoot upward.", _taken(_BEACON, "streaks"), ("aura", "power")),
    "lifted stones": Start("energy", "Stones drawn up and around.", _taken(_BEACON, "debris"), ("debris", "levitate")),
    "cracks": Start("ground", "Cracks that stay in the ground.", _taken(_CARBOY, "cracks"), ("decal", "mark")),
    "wet mark": Start("ground", "A dark mark that dries.", _taken(_CARBOY, "wet stones"), ("decal", "scorch", "stain")),
    "rings on the ground": Start("ground", "Rings of light that widen on the ground.", _taken(_BEACON, "rings on the stone"), ("pulse",)),
    "motes of light": Start("glitter", "Bright motes that rise around something.", _taken(_BEACON, "motes"), ("sparkle", "aura")),
    "drifting motes": Start("glitter", "Dust in the light, hanging in the air.", _taken("tide-mist", "motes"), ("dust", "fireflies")),
    "burst of glitter": Start("glitter", "Tiny glints that fly and fall.", _taken(_CARBOY, "glitter"), ("confetti", "sparkle")),
    "ribbons": Start("ribbon", "A ribbon behind each particle, flung from a point.",
                     _taken("sample-shelf", "ribbons"), ("trail", "streamer")),
}  # fmt: skip

USES = ("fire", "smoke", "weather", "impact", "energy", "ground", "glitter", "ribbon", "other")
"""What starting points are for, in the order in which they are shown."""


@functools.cache
def starts() -> dict[str, Start]:
    """All starting points by name, by what they are for."""
    every = {**STARTS, **_SHIPPED}
    return dict(sorted(every.items(), key=lambda item: USES.index(item[1].use)))
