"""All starting points: those made in code, those that are documents of their own, and those taken from the effects that ship."""

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


def _document(name: str) -> Callable[[], tuple[Layer, ...]]:
    """Makes the layers of a starting point's own document."""
    return lambda: load(ASSETS / "starts" / f"{name.replace(' ', '-')}.pale")[0].layers


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
                          _taken("molten-drips", "beads", "drips", "spits"), ("lava", "metal", "melt")),
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
    "whole impact": Start("impact", "Mark, cracks, dust, shards, chips, splashes, glitter and flash: all at once.",
                          _taken(_CARBOY, *("wet stones", "cracks", "fine dust", "shards", "chips",
                                            "brine", "splashes", "glitter", "flash")), ("explosion", "blast", "hit")),
    "column of light": Start("energy", "A bright core, a rim and a veil of noise.",
                             _taken(_BEACON, "inner veil", "rim shell", "core"), ("beam", "beacon", "portal")),
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

_DOCUMENTS: dict[str, tuple[str, str, tuple[str, ...]]] = {
    "bonfire": (
        "fire",
        "A whole fire: a bed of embers, a body, tongues, embers that rise, and smoke.",
        ("campfire", "hearth", "fire stack"),
    ),
    "torch": ("fire", "A small lively fire on a stick, with a few sparks.", ("brazier", "lantern")),
    "ground fire": ("fire", "A line of flames along the ground.", ("grass", "line", "wall of fire")),
    "body of fire": ("fire", "One simulated fire, to build upon.", ("flipbook", "sheet")),
    "burning oil": ("fire", "Fire under thick black smoke.", ("oil", "tyre", "wreck", "black smoke")),
    "exhaust": ("fire", "A blue core in an orange sheath.", ("engine", "thruster", "rocket", "afterburner", "jet engine")),
    "muzzle flash": ("fire", "A star, a jet and a wisp, gone at once.", ("gun", "shot", "muzzle", "weapon")),
    "floating embers": ("fire", "Embers that rise and wander.", ("cinders", "sparks")),
    "bed of embers": ("fire", "Coals that glow between dark crusts.", ("coal", "ground")),
    "lava": ("ground", "Molten rock that moves slowly.", ("magma", "melt")),
    "black smoke": ("smoke", "Thick, dark and rolling.", ("oil", "burning", "soot")),
    "white smoke": ("smoke", "Dense and light, lit from all sides.", ("steam", "cloud", "fog machine")),
    "thin curl": ("smoke", "One thread of smoke that curls.", ("incense", "cigarette", "wisp")),
    "steam jet": ("smoke", "Steam driven from a pipe.", ("pipe", "vent", "vapour")),
    "dust": ("smoke", "A puff of dust from a step or a landing.", ("step", "landing", "footstep", "puff")),
    "blizzard": ("weather", "Driven flakes and gusts.", ("snow", "storm", "wind")),
    "leaves in the wind": ("weather", "Leaves that tumble by.", ("leaves", "autumn", "foliage")),
    "petals": ("weather", "Petals that drift down.", ("blossom", "flower", "cherry")),
    "sandstorm": ("weather", "Walls of sand and grains that sting.", ("desert", "sand", "dust storm")),
    "lightning strike": ("weather", "A branched bolt from the sky, and its foot.", ("thunder", "bolt", "storm", "electricity")),
    "rain in a puddle": ("weather", "Rain, splashes, and rings that widen.", ("rain", "puddle", "wet")),
    "shock ring": ("impact", "A ring of dust that runs out over the ground.", ("wave", "blast", "shockwave")),
    "explosion": (
        "impact",
        "A whole blast: flash, fireball, sparks, debris, shock, dust, a mark and smoke that stays.",
        ("blast", "bomb", "grenade", "boom", "detonation"),
    ),
    "fireball": ("impact", "Burning gas that rolls up and goes out.", ("explosion", "gas", "fuel")),
    "stone hit": ("impact", "Dust, chips, a few sparks and a mark.", ("bullet", "concrete", "wall", "hit", "ricochet")),
    "wood hit": ("impact", "Splinters and sawdust.", ("bullet", "splinter", "crate", "hit")),
    "water hit": ("impact", "Drops, spray and rings.", ("bullet", "splash", "hit", "plunge")),
    "dirt fountain": ("impact", "Earth thrown up, clods and dust.", ("artillery", "mine", "soil", "explosion")),
    "burst of sparks": ("impact", "Metal on metal.", ("metal", "hit", "welding", "ricochet")),
    "debris": ("impact", "Broken stones that fly and come to rest.", ("rubble", "rocks", "gravel")),
    "cartoon hit": ("impact", "A flat star, a ring and puffs with hard edges.", ("cartoon", "comic", "toon", "stylised", "pow")),
    "portal": ("energy", "A swirl in an electric rim, drawing motes in.", ("gate", "magic", "teleport")),
    "shield": ("energy", "A ball of light that shows where it is hit.", ("force field", "barrier", "bubble", "dome", "protect")),
    "magic circle": ("energy", "Signs that turn on the ground under a wall of light.", ("rune", "summon", "spell", "ritual", "magic")),
    "aura": ("energy", "Blue licks around something that stands there.", ("power", "buff", "energy", "super")),
    "healing": ("energy", "Green motes, ribbons and rings that rise.", ("heal", "buff", "life", "restore", "potion")),
    "energy orb": ("energy", "A ball of plasma with bolts.", ("orb", "projectile", "plasma", "ball", "magic missile")),
    "laser": ("energy", "A hot beam with sparks at its end.", ("beam", "ray", "sci-fi", "weapon")),
    "slash": ("energy", "A cut through the air.", ("sword", "swing", "blade", "swoosh", "melee")),
    "charge up": ("energy", "Light drawn into a point that grows.", ("charging", "gather", "cast", "implode")),
    "scorch mark": ("ground", "What a blast leaves.", ("burn", "decal", "black")),
    "broken ground": ("ground", "Plates of ground, cracked by a blow.", ("crack", "decal", "slam")),
    "caustics": ("ground", "Light that water throws.", ("water", "pool", "sea")),
    "waterfall": ("weather", "A sheet that falls, foam and spray.", ("water", "stream", "river", "pour")),
    "bubbles": ("glitter", "Bubbles that rise.", ("water", "soap", "underwater")),
    "confetti": ("glitter", "Coloured slips, thrown.", ("party", "win", "celebrate")),
    "fairy dust": ("glitter", "Glints that trickle from a point.", ("magic", "pixie", "trail", "sparkle")),
    "fireflies": ("glitter", "Points that wander and blink.", ("insects", "night", "glow worm")),
    "comet": ("ribbon", "A bright head and a trail behind it.", ("trail", "projectile", "missile")),
    "burning comet": ("ribbon", "A burning head and a trail of fire.", ("trail", "meteor", "fireball")),
    "streamers": ("ribbon", "Paper ribbons that fly and flutter.", ("party", "paper")),
}
"""Starting points that ship as a document each, by the name of its file: what they are for, what they do, and by what words they are
found."""

USES = ("fire", "smoke", "weather", "impact", "energy", "ground", "glitter", "ribbon", "other")
"""What starting points are for, in the order in which they are shown."""


@functools.cache
def starts() -> dict[str, Start]:
    """All starting points by name, by what they are for."""
    documents = {name: Start(use, help_, _document(name), words) for name, (use, help_, words) in _DOCUMENTS.items()}
    every = {**STARTS, **documents, **_SHIPPED}
    return dict(sorted(every.items(), key=lambda item: USES.index(item[1].use)))
