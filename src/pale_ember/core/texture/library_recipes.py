"""The cards of the library: each a recipe that may be opened, changed and kept as one's own."""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import Any, Literal

from msgspec.structs import replace

from pale_ember.core.effect.recipe.changes import (
    Blur,
    Edge,
    Emboss,
    Erode,
    GradientMap,
    Levels,
    Normal,
    Polar,
    Rim,
    Threshold,
    Tile,
    ToneCurve,
    Transform,
    Twirl,
    Warp,
)
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.shapes import (
    Bolt,
    Cracks,
    Crescent,
    Crown,
    Crystal,
    Dot,
    Drop,
    Fill,
    Flake,
    Glint,
    Polygon,
    Puff,
    Ramp,
    Ring,
    Scorch,
    Shard,
    Specks,
    Streak,
    Tongue,
    Wisp,
)
from pale_ember.core.effect.recipe.sources import Gas, Noise
from pale_ember.core.effect.recipe.step import Step, StepLane
from pale_ember.core.effect.values import Curve, curve, gradient

AUTHOR, LICENCE = "Pale Ember", "MIT"

Holds = Literal["glow", "grey", "both"]


@dataclass(frozen=True, slots=True)
class Card:
    """A picture of the library. words : what it suits and is found by. whole : made to be tiled or laid along a strip, so it
    reaches to its edges."""

    recipe: Recipe
    words: str
    blend: str
    whole: bool = False

    @property
    def name(self) -> str:
        """The name by which looks call it."""
        return self.recipe.name


def _card(
    name: str, words: str, blend: str, *steps: Step, size: int = 128, frames: int = 1, columns: int = 1, loop: bool = False,
    own: bool = False, holds: Holds = "glow", whole: bool = False,
) -> Card:  # fmt: skip
    numbered = tuple(replace(step, key=k) for k, step in enumerate(steps))
    recipe = Recipe(
        name=name, size=size, frames=frames, columns=columns, loop=loop, each="its own" if own else "a moment", holds=holds,
        author=AUTHOR, licence=LICENCE, steps=numbered,
    )  # fmt: skip
    return Card(recipe, words, blend, whole)


def _over(drives: str, *points: tuple[float, float]) -> StepLane:
    return StepLane(drives=drives, curve=curve(*points, ease="straight"))


def _bell(width: float) -> Curve:
    """A fall-off as of a bell so wide, gone at the edge."""
    from math import exp

    return curve(*((x / 8, (1 - (x / 8) ** 6) * exp(-((x / 8 / width) ** 2))) for x in range(9)))


_FIRE = gradient((0.0, (0.05, 0.0, 0.0)), (0.3, (0.75, 0.06, 0.01)), (0.65, (1.0, 0.42, 0.06)), (1.0, (1.0, 0.93, 0.66)))
_ICE = gradient((0.0, (0.02, 0.08, 0.2)), (0.5, (0.25, 0.55, 0.8)), (1.0, (0.95, 0.99, 1.0)))
_SEA = gradient((0.0, (0.0, 0.05, 0.08)), (0.5, (0.03, 0.45, 0.42)), (1.0, (0.8, 1.0, 0.9)))


def _lights() -> tuple[Card, ...]:
    return (
        _card("soft dot", "glow, mist, drops, light, bokeh", "additive", Dot(fall=_bell(0.47))),
        _card("hot core", "glow, ember, spark, flare, light", "additive", Dot(fall=_bell(0.2)), Dot(fall=_bell(0.5), amount=0.35)),
        _card("spark", "sparks, embers, rain", "additive", Streak(width=0.15, head=0.25, tail=0.95, taper=0.72, sleeve=0.22)),
        _card("streak", "ribbons, beams, rain", "additive", Streak(head=0.0, tail=0.0, taper=0.0), whole=True),
        _card("column", "columns of light, jets, energy", "additive",
              Ramp(fall=curve((0, 0), (0.03, 1), (0.35, 1), (1, 0))),
              Streak(width=0.17, head=0.0, tail=0.0, taper=0.0, sleeve=0.4, mix="mask"), Rim(width=0.04), size=256),
        _card("fade", "veils, shells, skirts, energy", "additive", Ramp(fall=curve((0, 0), (0.05, 1), (1, 0))), holds="both",
              whole=True),
        _card("ring", "shock rings, splashes, energy, wave", "additive", Ring(), size=256),
        _card("thin ring", "ripples, bubbles, waves, magic", "additive", Ring(radius=0.85, inner=0.03, outer=0.02, uneven=0.0), size=256),
        _card("shock ring", "blasts, impacts, dust, explosion, shock", "additive",
              Ring(radius=0.84, inner=0.42, outer=0.035, uneven=0.15),
              Noise(cells=7, octaves=5, curl=0.6, contrast=2.0, mix="multiply", amount=0.7), Rim(round=True, width=0.06), size=256),
        _card("dust ring", "dust, impacts, landing, smoke, shock", "alpha",
              Ring(radius=0.66, inner=0.3, outer=0.16, uneven=0.25), Erode(by=0.58, soft=0.7, cells=5, octaves=6),
              Rim(round=True, width=0.12), size=256),
        _card("halo", "flare, sun, lamp, light, lens", "additive",
              Dot(fall=curve((0, 0.4), (0.45, 0.16), (0.6, 0.7), (0.68, 0.2), (1, 0)))),
        _card("glint", "glitter, glass, light, star", "additive", Glint()),
        _card("star flare", "flare, lens, light, magic, muzzle", "additive", Glint(rays=8, length=0.45, thin=0.03, core=0.12, uneven=0.5),
              size=256),
        _card("wide flare", "flare, lens, light, lamp", "additive",
              Glint(rays=2, length=0.85, thin=0.018, core=0.1), Transform(turn=90.0), size=256),
        _card("crescent", "slash, swing, crescent, arc, wind", "additive", Crescent(), size=256),
        _card("torn crescent", "slash, swing, crescent, energy, wind", "additive",
              Crescent(thick=0.5, soft=0.5), Blur(way="round the middle", width=0.35),
              Noise(pattern="ridges", cells=8, mix="multiply", amount=0.7), Blur(way="round the middle", width=0.25), Levels(light=0.45),
              size=256),
        _card("hexagon", "bokeh, lens, shield, magic", "additive", Polygon(soft=0.04), Polygon(soft=0.03, rim=0.05, amount=0.5)),
        _card("triangle", "magic, rune, signs, lens", "additive", Polygon(sides=3, rim=0.06, soft=0.03, radius=0.9)),
        _card("beam core", "beams, lasers, energy, ribbons", "additive",
              Streak(width=0.07, head=0.0, tail=0.0, taper=0.0, sleeve=0.5),
              Noise(pattern="ridges", cells=3, mix="multiply", amount=0.4), whole=True, size=256),
        _card("spiral", "vortex, magic, energy, water, whirl", "additive",
              Noise(pattern="ridges", cells=5, octaves=3), Polar(), Twirl(turn=420.0), Dot(mix="mask"), Rim(round=True), size=256),
        _card("god rays", "light, rays, sun, shafts", "additive",
              Noise(pattern="gradient", cells=12, octaves=2, contrast=2.6), Ramp(mix="mask"), Polar(),
              Blur(way="from the middle", width=0.8), Dot(fall=curve((0, 1), (1, 0)), mix="mask"), size=256),
        _card("bubble", "water, foam, glass, soap", "additive",
              Ring(radius=0.8, inner=0.1, outer=0.025, uneven=0.0),
              Glint(rays=4, length=0.12, thin=0.03, core=0.08, mix="lighter", amount=0.6), size=128),
    )  # fmt: skip


def _matters() -> tuple[Card, ...]:
    return (
        _card("drop", "rain, water, drips", "alpha", Drop()),
        _card("rain streak", "rain, drizzle, water", "alpha", Streak(width=0.05, head=0.4, tail=0.8, taper=0.3, sleeve=0.2)),
        _card("hailstone", "hail, ice, sleet, stone", "alpha",
              Fill(colour=(0.8, 0.86, 0.9)), Dot(radius=0.72, fall=curve((0, 1), (0.9, 1), (1, 0)), mix="mask"),
              Noise(pattern="cells", cells=5, octaves=2, mix="multiply", amount=0.5)),
        _card("cracks", "ground, impacts, marks", "multiply", Cracks(), size=256),
        _card("burn mark", "ground, blasts, marks, scorch, explosion", "multiply", Scorch(), size=256),
        _card("splat", "mud, oil, ink, paint, marks", "alpha",
              Dot(radius=0.8, fall=curve((0, 1), (1, 0))), Warp(by=0.35, cells=4, octaves=3), Threshold(at=0.35, soft=0.06),
              Rim(), size=256),
        _card("caustics", "caustic, water, light, ripples", "additive",
              Noise(pattern="seams", cells=4, octaves=1), ToneCurve(curve=curve((0, 1), (0.08, 0.5), (0.22, 0.1), (0.5, 0.02), (1, 0))),
              Warp(by=0.08, cells=3), holds="grey", whole=True, size=256),
        _card("clouds", "dissolving, scrolling, mist, noise, fog, dissolve", "alpha",
              Noise(cells=3, octaves=5, contrast=1.3, seed=31), holds="grey", whole=True, size=256),
        _card("cells", "dissolving, glass, energy, noise, voronoi", "additive",
              Noise(pattern="seams", cells=6, octaves=1, contrast=1.0, seed=7), holds="grey", whole=True, size=256),
        _card("billows", "smoke, dissolving, noise, erosion, dissolve", "alpha",
              Noise(pattern="billows", cells=4, octaves=5, seed=5), holds="grey", whole=True, size=256),
        _card("ridges", "energy, lightning, noise, erosion, dissolve, veins", "additive",
              Noise(pattern="ridges", cells=4, octaves=5, curl=0.3, seed=9), holds="grey", whole=True, size=256),
        _card("grain", "noise, sand, dissolving, dust, dissolve", "alpha",
              Noise(pattern="value", cells=24, octaves=2, seed=4), holds="grey", whole=True, size=256),
        _card("swirls", "magic, ink, oil, noise, warp", "alpha",
              Noise(cells=3, octaves=4, curl=1.2, seed=12), holds="grey", whole=True, size=256),
        _card("dissolve", "dissolve, erosion, burn, noise", "alpha",
              Noise(cells=5, octaves=6, gain=0.6, contrast=1.1, seed=21), holds="grey", whole=True, size=256),
        _card("scales", "shield, glass, frost, noise, shell", "additive",
              Noise(pattern="cells", cells=7, octaves=1, seed=3), Emboss(tiles=True, height=0.3), holds="grey", whole=True, size=256),
        _card("broken glass", "glass, ice, impacts, shatter, marks", "additive",
              Noise(pattern="seams", cells=7, octaves=1, seed=14), ToneCurve(curve=curve((0, 1), (0.12, 0.5), (0.22, 0), (1, 0))),
              Dot(fall=_bell(0.6), mix="mask"), Cracks(glow=0.1, thick=0.012, mix="lighter"), size=256),
        _card("frost", "frost, ice, snow, glass, magic", "alpha",
              Crystal(branches=7, thick=0.03), Warp(by=0.04, cells=8), Noise(cells=8, mix="multiply", amount=0.4),
              GradientMap(colours=_ICE), size=256),
    )  # fmt: skip


def _kinds() -> tuple[Card, ...]:
    """Sheets whose frames are several of a kind."""
    four: dict[str, Any] = dict(frames=4, columns=2, own=True)
    return (
        _card("shards", "broken glass, ice, chips, impacts", "alpha", Shard(), **four),
        _card("flakes", "ash, sleet, snow, rust", "alpha", Flake(), **four),
        _card("specks", "dust, glitter, drizzle", "additive", Specks(), **four),
        _card("snow crystals", "snow, snowflake, frost, sleet", "alpha", Crystal(), **four),
        _card("embers", "ember, sparks, fire, ash", "additive",
              Flake(radius=0.4, ragged=0.8), GradientMap(colours=_FIRE), Blur(width=0.05), Dot(radius=0.9, mix="lighter", amount=0.15),
              **four),
        _card("chips", "debris, stone, wood, impacts, explosion", "alpha",
              Polygon(sides=5, radius=0.7, soft=0.02), Warp(by=0.22, cells=2, octaves=2),
              Noise(cells=4, octaves=4, mix="multiply", amount=0.6), holds="both", **four),
        _card("leaves", "leaves, paper, wind", "alpha",
              Dot(radius=0.98, fall=curve((0, 1), (0.95, 1), (1, 0))), Transform(move=(0.62, 0.0)),
              Dot(radius=0.98, fall=curve((0, 1), (0.95, 1), (1, 0)), mix="mask"), Transform(move=(-0.31, 0.0), wide=0.7),
              Noise(pattern="ridges", cells=4, octaves=3, mix="multiply", amount=0.4), Warp(by=0.12, cells=2, octaves=1), Rim(width=0.05),
              **four),
        _card("muzzle stars", "muzzle, flash, blast, star, explosion", "additive",
              Glint(rays=9, length=0.5, thin=0.06, core=0.18, uneven=0.8), Warp(by=0.08, cells=4),
              size=128, **four),
        _card("puffs of four", "smoke, dust, steam, fog", "alpha", Puff(fade=0.0), size=128, **four),
        _card("bolts", "lightning, electricity, arc, magic", "additive", Bolt(), Rim(), size=128, frames=8, columns=4, own=True),
        _card("forks", "lightning, electricity, energy, cracks", "additive",
              Cracks(number=3, reach=1.1, thick=0.016, forks=0.35, glow=0.4), size=128, frames=8, columns=4, own=True),
        _card("fog banks", "fog, mist, cloud, smoke", "alpha",
              Noise(cells=2, octaves=5, contrast=1.5), Dot(fall=_bell(0.62), mix="mask"), Levels(light=0.55), Rim(width=0.3),
              size=128, **four),
    )  # fmt: skip


def _moments() -> tuple[Card, ...]:
    """Sheets whose frames are moments."""
    sixteen: dict[str, Any] = dict(frames=16, columns=4)
    return (
        _card("smoke puffs", "smoke, dust, steam, cloud", "alpha", Puff(), **sixteen),
        _card("wisp", "smoke, candle, steam", "alpha", Wisp(), frames=9, columns=3),
        _card("flame wisps", "fire, jets, candles", "additive", Tongue(), **sixteen),
        _card("splash", "rain, water, impacts, crown", "alpha", Crown(spouts=26), **sixteen),
        _card("ripple", "water, rain, waves, rings", "additive",
              Ring(inner=0.12, outer=0.05, uneven=0.0, lanes=(_over("radius", (0, 0.08), (1, 0.86)),)),
              Levels(lanes=(_over("most", (0, 1), (1, 0)),)), **sixteen),
        _card("shock wave", "blast, explosion, shock, impacts", "additive",
              Ring(outer=0.03, inner=0.3, uneven=0.1, lanes=(_over("radius", (0, 0.12), (0.4, 0.6), (1, 0.9)),)),
              Noise(pattern="ridges", cells=6, mix="multiply", amount=0.6),
              Levels(lanes=(_over("most", (0, 1), (0.4, 0.8), (1, 0)),)), Rim(round=True), **sixteen),
        _card("dust burst", "dust, impacts, landing, smoke", "alpha",
              Ring(inner=0.5, outer=0.14, uneven=0.3, lanes=(_over("radius", (0, 0.15), (0.4, 0.5), (1, 0.72)),)),
              Erode(soft=0.6, cells=6, octaves=5, churn=0.8, lanes=(_over("by", (0, 0.3), (1, 0.88)),)), Rim(round=True, width=0.2),
              **sixteen),
        _card("crack growth", "ground, impacts, ice, fracture", "multiply", Cracks(glow=0.15), **sixteen),
        _card("burning edge", "burn, dissolve, paper, erosion, fire", "additive",
              Dot(radius=0.86, fall=curve((0, 1), (0.9, 0.96), (1, 0))),
              Erode(soft=0.12, cells=5, octaves=5, lanes=(_over("by", (0, 0.68), (1, 0.96)),)),
              Edge(width=0.05, by=3.0), GradientMap(colours=_FIRE), Rim(), **sixteen),
        _card("energy swirl", "magic, energy, vortex, portal, whirl", "additive",
              Noise(pattern="ridges", cells=4, octaves=3, churn=2.0, drift=(0.0, 2.0), seed=6), Polar(), Twirl(turn=300.0),
              Dot(fall=curve((0, 0.2), (0.5, 1), (1, 0)), mix="mask"), loop=True, **sixteen),
        _card("plasma", "energy, magic, orb, shield, electricity", "additive",
              Noise(pattern="ridges", cells=3, octaves=4, churn=2.0, curl=0.5), Dot(fall=_bell(0.5), mix="mask"),
              GradientMap(colours=_SEA), loop=True, **sixteen),
        _card("water caustics", "caustic, water, light, ripples", "additive",
              Noise(pattern="seams", cells=4, octaves=1, churn=1.0),
              ToneCurve(curve=curve((0, 1), (0.08, 0.5), (0.22, 0.1), (0.5, 0.02), (1, 0))),
              Warp(by=0.06, cells=3, churn=1.0), loop=True, holds="grey", whole=True, **sixteen),
        _card("rising noise", "fire, dissolve, scrolling, noise, warp", "alpha",
              Noise(cells=4, octaves=4, drift=(0.0, 4.0), churn=2.0), loop=True, holds="grey", whole=True,
              **sixteen),
        _card("electric ring", "lightning, electricity, energy, magic", "additive",
              Bolt(jag=0.5, forks=3, thick=0.03), Transform(turn=90.0), Transform(move=(0.0, 0.2)), Polar(), Transform(scale=0.85),
              Rim(round=True), size=128,
              **sixteen),
        _card("falling specks", "glitter, magic, dust, embers", "additive", Specks(number=40, fall=0.9, size=0.05),
              Levels(lanes=(_over("most", (0, 1), (0.6, 1), (1, 0)),)), Rim(), **sixteen),
        _card("smoke ring", "smoke, ring, puff, cannon", "alpha",
              Ring(inner=0.22, outer=0.18, uneven=0.4, lanes=(_over("radius", (0, 0.3), (1, 0.6)),)),
              Warp(by=0.12, cells=4, churn=1.0, lanes=(_over("by", (0, 0.05), (1, 0.3)),)),
              Erode(soft=0.7, cells=5, churn=0.6, lanes=(_over("by", (0, 0.2), (1, 0.8)),)), Rim(), **sixteen),
        _card("ink bloom", "ink, water, paint, smoke", "alpha",
              Dot(lanes=(_over("radius", (0, 0.2), (1, 0.95)),), fall=curve((0, 1), (0.6, 0.8), (1, 0))),
              Warp(octaves=4, cells=3, churn=0.5, lanes=(_over("by", (0, 0.02), (1, 0.4)),)),
              Noise(pattern="billows", cells=4, octaves=4, mix="multiply", amount=0.4), Rim(), **sixteen),
        _card("frost growth", "frost, ice, snow, magic", "alpha",
              Crystal(branches=7, thick=0.03, lanes=(_over("radius", (0, 0.1), (1, 0.9)),)), Warp(by=0.05, cells=8),
              GradientMap(colours=_ICE), **sixteen),
    )  # fmt: skip


def _more() -> tuple[Card, ...]:
    """Beds, marks, signs, water and other pictures that whole effects ask for."""
    four: dict[str, Any] = dict(frames=4, columns=2, own=True)
    sixteen: dict[str, Any] = dict(frames=16, columns=4)
    return (
        _card("ember bed", "embers, coals, fire, lava, ground", "additive",
              Noise(pattern="seams", cells=6, octaves=2, churn=0.6, seed=18),
              ToneCurve(curve=curve((0, 1), (0.14, 0.62), (0.34, 0.24), (0.7, 0.1), (1, 0.05))),
              Noise(cells=5, octaves=4, contrast=2.0, churn=1.2, mix="multiply", amount=0.75),
              Dot(radius=0.98, fall=curve((0, 1), (0.55, 0.9), (1, 0)), mix="mask"), GradientMap(colours=_FIRE), loop=True, **sixteen),
        _card("lava", "lava, melt, magma, ground, scrolling", "additive",
              Noise(pattern="seams", cells=4, octaves=2, churn=0.8, seed=28), Warp(by=0.06, cells=5, churn=0.8),
              ToneCurve(curve=curve((0, 1), (0.1, 0.8), (0.28, 0.3), (0.6, 0.12), (1, 0.04))), GradientMap(colours=_FIRE), loop=True,
              holds="both", whole=True, **sixteen),
        _card("cloud wall", "cloud, sky, fog, bank, smoke", "alpha",
              Noise(pattern="billows", cells=3, octaves=6, contrast=1.1, seed=44), Warp(by=0.06, cells=4, octaves=2),
              Ramp(fall=curve((0, 1), (0.4, 0.9), (1, 0)), mix="mask"), Levels(dark=0.05, light=0.7), Rim(width=0.3), size=256),
        _card("branched lightning", "lightning, bolt, electricity, storm, sky", "additive",
              Bolt(jag=0.6, forks=11, thick=0.014, glow=0.35), Rim(), size=128, frames=8, columns=4, own=True),
        _card("water normals", "water, waves, ripples, normals, bump", "alpha",
              Noise(cells=4, octaves=4, churn=1.4, contrast=1.2, seed=33), Normal(height=0.22), loop=True, holds="both", whole=True,
              **sixteen),
        _card("heat normals", "heat, hot air, haze, normals, shimmer", "alpha",
              Noise(cells=3, octaves=3, drift=(0.0, 3.0), churn=1.0, seed=35), Normal(height=0.16), loop=True, holds="both", whole=True,
              **sixteen),
        _card("snow gust", "snow, gust, wind, blizzard, spindrift", "alpha",
              Specks(number=150, size=0.03, radius=1.0), Blur(way="along a line", width=0.1, turn=78.0),
              Noise(cells=3, octaves=4, contrast=2.0, mix="lighter", amount=0.42), Dot(fall=_bell(0.6), mix="mask"), Levels(light=0.7),
              size=128, **four),
        _card("ground plates", "cracks, ground, impact, broken, plates, stone", "multiply",
              Noise(pattern="seams", cells=5, octaves=1, seed=52), ToneCurve(curve=curve((0, 1), (0.05, 0.9), (0.12, 0.3), (0.3,
              0.08), (1, 0))),
              Warp(by=0.05, cells=6, octaves=3), Dot(radius=0.95, fall=curve((0, 1), (0.5, 0.8), (1, 0)), mix="mask"),
              Scorch(radius=0.7, rays=1.1, mix="lighter", amount=0.35), size=256),
        _card("pock mark", "bullet hole, hit, impact, mark, pock, stone", "multiply",
              Dot(radius=0.34, fall=curve((0, 1), (0.7, 0.9), (1, 0))), Warp(by=0.12, cells=5, octaves=3),
              Scorch(radius=0.62, rays=1.0, mix="lighter", amount=0.4), Cracks(number=6, reach=0.7, thick=0.012, glow=0.1,
              mix="lighter")),
        _card("ring of signs", "magic, rune, signs, circle, ritual, summon", "additive",
              Polygon(sides=3, rim=0.1, soft=0.04, radius=0.7), Polygon(sides=4, rim=0.06, soft=0.03, radius=0.36, mix="lighter"),
              Transform(scale=0.5), Tile(across=9, upward=3), Transform(scale=1.0), Ramp(fall=curve((0, 0), (0.66, 0), (0.67, 1),
              (0.95, 1), (1, 0)), mix="mask"),
              Polar(), Ring(radius=0.94, inner=0.02, outer=0.015, uneven=0.0, mix="lighter"), Ring(radius=0.6, inner=0.025,
              outer=0.02, uneven=0.0, mix="lighter"),
              Ring(radius=0.3, inner=0.012, outer=0.012, uneven=0.0, mix="lighter"), Polygon(sides=6, rim=0.02, soft=0.015,
              radius=0.58, mix="lighter"), size=256),
        _card("sign of squares", "magic, rune, sign, star, ritual", "additive",
              Polygon(sides=4, rim=0.05, soft=0.025, radius=0.88), Transform(turn=45.0), Polygon(sides=4, rim=0.05, soft=0.025,
              radius=0.88, mix="lighter"),
              Polygon(sides=8, rim=0.03, soft=0.02, radius=0.5, mix="lighter"), Ring(radius=0.92, inner=0.03, outer=0.02, uneven=0.0,
              mix="lighter"), Dot(radius=0.22, fall=_bell(0.4), mix="lighter", amount=0.7), size=256),
        _card("shield hit", "shield, hit, hexagon, force field, energy", "additive",
              Polygon(radius=0.92, rim=0.09, soft=0.04), Tile(across=7, upward=8, shift=0.5),
              Ring(inner=0.5, outer=0.12, uneven=0.0, lanes=(_over("radius", (0, 0.1), (1, 0.9)),), mix="mask"),
              Dot(fall=_bell(0.6), mix="add", amount=0.14),
              Levels(lanes=(_over("most", (0, 1), (0.5, 0.8), (1, 0)),)), Rim(round=True), **sixteen),
        _card("noise arc", "slash, swing, arc, torn, wind, blade", "additive",
              Crescent(thick=0.5, soft=0.6), Erode(by=0.25, soft=0.35, cells=9, octaves=5), Blur(way="round the middle", width=0.3),
              Levels(light=0.4),
              size=256),
        _card("wisp trail", "trail, ribbons, magic, smoke, wisp", "additive",
              Streak(width=0.12, head=0.0, tail=0.0, taper=0.0, sleeve=0.6), Warp(by=0.28, cells=3, octaves=3, seed=9),
              Noise(pattern="ridges", cells=4, octaves=3, mix="multiply", amount=0.55), whole=True, size=256),
        _card("flame trail", "trail, ribbons, fire, flame, comet", "additive",
              Streak(width=0.3, head=0.0, tail=0.0, taper=0.0, sleeve=0.4), Noise(pattern="billows", cells=4, octaves=5,
              contrast=1.6, mix="multiply", amount=0.9),
              Warp(by=0.1, cells=4), GradientMap(colours=_FIRE), whole=True, size=256),
        _card("foam patch", "foam, sea, wave, water, froth", "alpha",
              Noise(pattern="seams", cells=6, octaves=1, seed=61), ToneCurve(curve=curve((0, 1), (0.09, 0.85), (0.2, 0.28), (0.45, 0.06),
              (1, 0))),
              Noise(pattern="seams", cells=17, octaves=2, seed=62, mix="difference", amount=0.35), Warp(by=0.08, cells=4, octaves=3),
              Noise(cells=3, octaves=6, contrast=3.4, mix="multiply", seed=5), Dot(fall=_bell(0.66), mix="mask"), Levels(light=0.5),
              size=256, **four),
        _card("foam", "foam, sea, wave, water, scrolling", "alpha",
              Noise(pattern="seams", cells=7, octaves=2, churn=0.6, seed=64), ToneCurve(curve=curve((0, 1), (0.14, 0.75), (0.3, 0.2),
              (0.6, 0.02), (1, 0))),
              Noise(cells=2, octaves=4, contrast=2.2, churn=0.5, mix="multiply", amount=0.8), loop=True, holds="grey", whole=True,
              **sixteen),
        _card("spray", "spray, splash, water, drops, burst, blood", "alpha",
              Specks(number=90, size=0.05, fall=0.75), Blur(way="from the middle", width=0.16), Levels(light=0.55,
              lanes=(_over("most", (0, 1), (0.55, 0.9), (1, 0)),)),
              Rim(), **sixteen),
        _card("falling water", "waterfall, water, pour, stream, scrolling", "alpha",
              Noise(pattern="ridges", cells=16, octaves=3, seed=71), Transform(wide=0.18, tiles=True), Blur(way="along a line",
              width=0.2, tiles=True),
              Levels(dark=0.45, light=0.62), holds="grey", whole=True, size=256),
        _card("splinters", "splinter, wood, debris, needle, shrapnel", "alpha",
              Polygon(sides=3, radius=0.92, soft=0.02), Transform(wide=0.14), Warp(by=0.03, cells=3, octaves=2),
              Noise(pattern="ridges", cells=5, octaves=2, mix="multiply", amount=0.5), holds="both", **four),
        _card("petals", "petal, blossom, leaf, wind, confetti", "alpha",
              Dot(radius=0.95, fall=curve((0, 1), (0.92, 1), (1, 0))), Transform(move=(0.55, 0.0)), Dot(radius=0.95, fall=curve((0,
              1), (0.92, 1), (1, 0)), mix="mask"),
              Transform(move=(-0.27, 0.0), wide=0.8), Warp(by=0.1, cells=2, octaves=1), Ramp(fall=curve((0, 1), (1, 0.62)),
              mix="multiply"), holds="both", **four),
        _card("speed lines", "speed, lines, wind, warp, action", "additive",
              Noise(pattern="value", cells=96, octaves=1, contrast=3.0), Blur(way="along a line", width=0.9, tiles=True),
              Threshold(at=0.62, soft=0.2),
              Ramp(fall=curve((0, 1), (0.55, 0.6), (1, 0)), mix="mask"), Polar(), Rim(round=True, width=0.05), size=256),
        _card("sand", "sand, wind, streaks, dust, scrolling", "alpha",
              Noise(pattern="value", cells=48, octaves=2, contrast=2.0, seed=81), Blur(way="along a line", width=0.35, turn=90.0,
              tiles=True),
              Noise(cells=2, octaves=3, contrast=1.6, mix="multiply", amount=0.7), Levels(dark=0.2, light=0.6), holds="grey",
              whole=True, size=256),
        _card("bubbles", "bubbles, foam, soap, water, boil", "additive",
              Ring(radius=0.5, inner=0.12, outer=0.03, uneven=0.06), Glint(rays=2, length=0.1, thin=0.05, core=0.1, mix="lighter",
              amount=0.5),
              Transform(move=(-0.1, 0.12)), Ring(radius=0.24, inner=0.06, outer=0.02, uneven=0.0, mix="lighter", amount=0.7), **four),
    )  # fmt: skip


def _gases() -> tuple[Card, ...]:
    """Sheets of simulated gases."""
    grid: dict[str, Any] = dict(size=128, frames=36, columns=6)
    fire = Gas(
        grid=112, source_at=(0.0, -0.84), source_size=0.46, source_flat=0.3, ragged=1.0, smoke=0.0, fuel=9.0, heat=0.5, push=0.6,
              lift=9.0,
        curl=9.0, gusts=8.0, gust_size=0.3, cools=3.2, burns=5.5, soot=0.04, clears=2.5, glow=2.2, kelvin=2250.0, dense=2.0,
        warm=1.7, span=1.1, drag=0.5, rim=0.16,
    )  # fmt: skip
    smoke = Gas(
        grid=112, source_at=(0.0, -0.8), source_size=0.16, source_flat=0.6, ragged=0.9, smoke=16.0, heat=0.45, push=1.0, lift=3.0,
        curl=12.0, gusts=3.0, gust_size=0.35, cools=0.8, clears=0.75, dense=18.0, shade=1.8, warm=2.2, span=2.4, drag=0.3, rim=0.3,
        colour=(0.62, 0.60, 0.58),
    )  # fmt: skip
    blast = Gas(
        grid=112, source_at=(0.0, -0.3), source_size=0.34, source_flat=0.9, ragged=1.0, lasts=0.09, smoke=8.0, fuel=40.0, heat=1.2,
        push=0.6, blast=16.0, lift=3.0, curl=14.0, gusts=14.0, gust_size=0.22, cools=1.5, burns=4.0, soot=1.4, clears=0.35, glow=2.4,
        kelvin=2300.0, dense=24.0, shade=1.5, warm=0.03, span=1.2, drag=1.4, rim=0.2, colour=(0.20, 0.18, 0.165),
    )  # fmt: skip
    puff = replace(smoke, source_at=(0.0, -0.2), source_size=0.34, lasts=0.25, blast=6.0, push=0.2, lift=1.6, heat=0.5, gusts=8.0,
                   gust_size=0.22, clears=0.7, warm=0.2, span=1.8, drag=0.8, rim=0.2, seed=5)  # fmt: skip
    return (
        _card("kiln fire", "fire, flame, furnace, torch", "premultiplied", fire, loop=True, **grid),
        _card("fire line", "fire, ground fire, grass, line, wall of fire", "premultiplied",
              replace(fire, source_size=0.82, source_flat=0.1, fuel=8.0, lift=7.0, cools=3.6, source_at=(0.0, -0.86), rim=0.3,
              seed=7), loop=True,
              **grid),
        _card("candle", "fire, flame, candle, torch, wick, lamp", "premultiplied",
              replace(fire, source_size=0.2, source_flat=0.7, ragged=0.15, fuel=16.0, heat=0.6, push=0.8, lift=6.0, curl=1.0, gusts=0.8,
                      gust_size=0.5, cools=3.6, burns=5.0, soot=0.02, clears=3.0, glow=2.4, kelvin=2200.0, dense=1.5, warm=2.0, span=1.2),
              loop=True, **grid),
        _card("flame jet", "fire, jet, torch, flare, flamethrower", "premultiplied",
              replace(fire, source_size=0.2, push=4.5, lift=3.0, fuel=24.0, gusts=5.0, gust_size=0.3, curl=7.0, cools=2.9, glow=2.4,
                      span=1.0, seed=4), loop=True,
              **grid),
        _card("side lick", "fire, lick, side, wind, flame", "premultiplied",
              replace(fire, source_at=(-0.72, -0.3), source_size=0.2, source_flat=1.0, push=0.2, lift=2.4, wind=(2.4, 0.0), fuel=18.0,
                      cools=3.0, drag=1.6, seed=9), loop=True, **grid),
        _card("stack smoke", "smoke, chimney, plume, fire", "alpha", smoke, loop=True, **grid),
        _card("oil smoke", "smoke, oil, black, thick, tyre, burning", "alpha",
              replace(smoke, source_size=0.22, smoke=18.0, dense=26.0, shade=2.0, curl=14.0, gusts=5.0, lift=3.4, clears=0.8,
                      colour=(0.4, 0.385, 0.37), seed=12), loop=True, **grid),
        _card("thin curl", "smoke, incense, wisp, thin, cigarette, curl", "alpha",
              replace(smoke, source_size=0.05, smoke=44.0, push=0.9, curl=7.0, gusts=1.6, gust_size=0.4, lift=2.2, clears=0.9, dense=12.0,
                      shade=0.8, seed=15), loop=True, **grid),
        _card("steam jet", "steam, vapour, pipe, mist", "alpha",
              replace(smoke, source_size=0.12, push=3.6, gusts=5.0, gust_size=0.25, curl=9.0, smoke=30.0, clears=1.3, dense=9.0,
              shade=0.7,
                      lift=2.0, span=1.6, colour=(0.92, 0.94, 0.96), seed=3), loop=True, **grid),
        _card("blast", "explosion, blast, fire, smoke", "premultiplied", blast, **grid),
        _card("fireball", "explosion, fireball, gas, fuel, fire", "premultiplied",
              replace(blast, source_at=(0.0, -0.55), source_size=0.3, lift=9.0, soot=0.7, cools=1.9, dense=14.0, glow=3.0, kelvin=2450.0,
                      blast=13.0, gust_size=0.28, seed=21), **grid),
        _card("mushroom cap", "explosion, mushroom, cap, blast, smoke", "premultiplied",
              replace(blast, source_at=(0.0, -0.78), source_size=0.26, lift=8.0, soot=1.6, cools=1.1, gusts=5.0, curl=9.0, span=1.9,
                      seed=23), **grid),
        _card("dust cloud", "dust, sand, impacts, landing, smoke", "alpha", Gas(
            grid=112, source_at=(0.0, -0.82), source_size=0.5, source_flat=0.26, ragged=1.0, lasts=0.3, smoke=22.0, heat=0.3, push=1.2,
            blast=9.0, lift=4.0, weight=0.2, curl=12.0, gusts=9.0, gust_size=0.22, cools=1.0, clears=0.9, dense=11.0, shade=1.6,
                  floor=True,
            warm=0.02, span=1.9, drag=0.9, rim=0.3, colour=(0.56, 0.47, 0.37)),
            **grid),
        _card("dirt fountain", "dirt, earth, soil, impact, fountain, artillery", "alpha", Gas(
            grid=112, source_at=(0.0, -0.86), source_size=0.2, source_flat=0.4, ragged=1.0, lasts=0.12, smoke=60.0, heat=0.2, push=7.5,
            blast=7.0, lift=1.0, weight=2.4, curl=10.0, gusts=10.0, gust_size=0.16, cools=1.0, clears=0.7, dense=16.0, shade=1.6,
            floor=True, warm=0.02, span=1.6, drag=0.9, rim=0.2, colour=(0.28, 0.22, 0.17), seed=31),
            **grid),
        _card("ink drop", "ink, water, paint, magic", "alpha", Gas(
            grid=112, source_at=(0.0, 0.62), source_size=0.17, source_flat=0.8, ragged=0.7, lasts=0.5, smoke=16.0, heat=0.0, push=-1.0,
            lift=0.0, weight=0.6, curl=10.0, gusts=2.2, gust_size=0.5, clears=0.25, dense=18.0, shade=1.0, warm=0.2, span=2.2, drag=0.6,
            rim=0.2, colour=(0.10, 0.16, 0.34)),
            **grid),
        _card("rolling puff", "smoke, puff, cloud, dust, explosion", "alpha", puff, **grid),
        _card("torn puff", "smoke, puff, dissolve, tail, thin", "alpha",
              replace(puff, clears=1.7, dense=12.0, shade=1.2, gusts=11.0, gust_size=0.16, warm=0.35, seed=8), **grid),
    )  # fmt: skip


@functools.cache
def cards() -> dict[str, Card]:
    """Every card of the library by name."""
    return {card.name: card for card in (*_lights(), *_matters(), *_kinds(), *_moments(), *_more(), *_gases())}


def card_recipe(name: str) -> Recipe | None:
    """The recipe of a card, or None where there is none of that name."""
    card = cards().get(name)
    return card.recipe if card is not None else None
