"""Starting points: layers that draw well from their first second."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from msgspec.structs import replace

from pale_ember.core.effect.chapters import Birth, Burst, Contact, Forces, Life, Look, Offspring, Outlet
from pale_ember.core.effect.edit import fresh
from pale_ember.core.effect.forces import Attractor
from pale_ember.core.effect.look import Solid
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.strips import Beam
from pale_ember.core.effect.surface import Dissolve, Light, Surface
from pale_ember.core.effect.values import Tints, between, curve, fixed, gradient, per_axis


def flame() -> Layer:
    """A layer of flame tongues that rise and thin out."""
    return Layer(
        name="tongues",
        place=(0.0, 0.27, 0.0),
        outlet=Outlet(rate=fixed(64), shape="disc", radius=0.24, spread=fixed(10), limit=400),
        birth=Birth(
            lifetime=between(0.55, 1.2), speed=between(0.5, 1.25), size=between(0.44, 0.86), aspect=1.5,
            angle=between(-16, 16), tint=Tints(first=(1.0, 0.42, 0.13), second=(1.0, 0.52, 0.2)),
            brightness=between(1.5, 3.0),
        ),
        life=Life(
            size=curve((0, 0.5), (0.2, 1.0), (0.55, 0.8), (1, 0.3)),
            colour=gradient(
                (0, (1.0, 0.92, 0.75)), (0.16, (1.0, 0.74, 0.40)), (0.4, (0.98, 0.36, 0.12)),
                (0.7, (0.60, 0.085, 0.025)), (1, (0.2, 0.012, 0.006)),
            ),
            brightness=curve((0, 2.4), (0.18, 1.5), (0.45, 0.9), (1, 0.35)),
            opacity=curve((0, 0), (0.12, 0.8), (0.55, 0.75), (1, 0)),
        ),
        forces=Forces(gravity=(0, 2.1, 0), drag=1.2, turbulence=0.85, eddy=0.75, detail=0.7, drift=(0, 1.4, 0)),
        look=Look(picture="library:flame wisps", columns=4, rows=4, play="over life", blend="additive", soft=0.3),
    )  # fmt: skip


def smoke() -> Layer:
    """A layer of lit smoke that swells and fades."""
    return Layer(
        name="smoke",
        place=(0.0, 0.7, 0.0),
        outlet=Outlet(rate=fixed(13), shape="disc", radius=0.16, spread=fixed(14), limit=120),
        birth=Birth(
            lifetime=between(2.6, 3.8),
            speed=between(0.8, 1.2),
            size=between(0.7, 1.15),
            angle=between(-180, 180),
            spin=between(-22, 22),
            tint=Tints(first=(0.20, 0.19, 0.185), second=(0.30, 0.285, 0.275)),
            opacity=between(0.3, 0.48),
        ),
        life=Life(
            size=curve((0, 0.4), (0.4, 1.05), (1, 2.0)),
            colour=gradient(
                (0, (4.2, 1.5, 0.5)), (0.14, (2.1, 0.95, 0.5)), (0.34, (0.95, 0.8, 0.72)), (0.7, (0.8, 0.8, 0.82)), (1, (0.7, 0.72, 0.75))
            ),
            opacity=curve((0, 0), (0.2, 1.0), (0.5, 0.7), (1, 0)),
        ),
        forces=Forces(gravity=(0, 0.5, 0), drag=0.8, wind=(0.3, 0, 0), turbulence=0.55, eddy=1.6, drift=(0.1, 0.5, 0)),
        look=Look(picture="library:smoke puffs", columns=4, rows=4, play="over life", blend="alpha", soft=0.4),
    )


def sparks() -> Layer:
    """A layer of sparks that fly, fall and bounce."""
    return Layer(
        name="sparks",
        place=(0.0, 0.1, 0.0),
        outlet=Outlet(rate=fixed(34), shape="disc", radius=0.16, spread=fixed(24), limit=400),
        birth=Birth(
            lifetime=between(0.6, 2.2),
            speed=between(1.6, 4.4),
            size=between(0.014, 0.036),
            aspect=1.5,
            tint=Tints(first=(1.0, 0.52, 0.16), second=(1.0, 0.66, 0.3)),
            brightness=between(9, 24),
        ),
        life=Life(
            size=curve((0, 1), (0.6, 0.8), (1, 0.25)),
            colour=gradient((0, (1.0, 0.9, 0.7)), (0.35, (1.0, 0.55, 0.22)), (0.8, (0.8, 0.16, 0.04)), (1, (0.3, 0.02, 0.0))),
            brightness=curve((0, 1), (0.5, 0.55), (1, 0.12)),
            opacity=curve((0, 0), (0.05, 1), (0.85, 1), (1, 0)),
        ),
        forces=Forces(gravity=(0, -0.9, 0), drag=1.0, turbulence=2.3, eddy=0.7, detail=0.8, drift=(0, 1.0, 0)),
        contact=Contact(meets="bounce", bounce=0.3, slide=0.6, radius=0.005),
        look=Look(picture="library:spark", blend="additive", facing="along motion", streak=fixed(0.022), soft=0.02),
    )


def flash() -> Layer:
    """A layer of one short flash."""
    return Layer(
        name="flash",
        place=(0.0, 0.8, 0.0),
        outlet=Outlet(rate=fixed(0), bursts=(Burst(count=fixed(4)),), shape="sphere", radius=0.05, aim="anywhere", limit=20),
        birth=Birth(
            lifetime=between(0.14, 0.22),
            speed=fixed(0),
            size=between(0.35, 1.9),
            angle=between(-180, 180),
            tint=Tints(first=(1.0, 0.72, 0.42), second=(1.0, 0.85, 0.65)),
            brightness=between(0.5, 1.6),
        ),
        life=Life(
            size=curve((0, 0.45), (0.25, 1.0), (1, 1.15)),
            brightness=curve((0, 1), (0.2, 0.9), (1, 0.05)),
            opacity=curve((0, 1), (0.3, 0.9), (1, 0)),
        ),
        look=Look(picture="library:hot core", blend="additive", soft=0.2, light=Light(casts=3.0)),
    )


def drops() -> Layer:
    """A layer of drops thrown up that fall and bounce."""
    return Layer(
        name="drops",
        outlet=Outlet(rate=fixed(60), shape="cone", radius=0.05, opening=18, length=0.0, aim="outward", spread=fixed(8), limit=600),
        birth=Birth(
            lifetime=between(1.2, 1.8),
            speed=between(2.6, 4.2),
            size=between(0.012, 0.03),
            tint=Tints(first=(0.5, 0.68, 0.75), second=(0.8, 0.9, 0.95)),
            opacity=between(0.5, 0.9),
        ),
        life=Life(opacity=curve((0, 0), (0.06, 1), (0.8, 1), (1, 0))),
        forces=Forces(gravity=(0, -9.81, 0), drag=0.15),
        contact=Contact(meets="bounce", bounce=0.25, slide=0.5, radius=0.01),
        look=Look(picture="library:soft dot", blend="alpha", facing="along motion", streak=fixed(0.02), soft=0.02),
    )


def shards() -> Layer:
    """A layer of shards thrown at once."""
    return Layer(
        name="shards",
        place=(0.0, 0.4, 0.0),
        outlet=Outlet(
            rate=fixed(0), bursts=(Burst(count=between(20, 28)),), shape="sphere", radius=0.2, aim="outward", spread=fixed(20),
            limit=120,
        ),
        birth=Birth(
            lifetime=between(2.0, 2.8), speed=between(1.6, 4.4), size=between(0.14, 0.4), angle=between(-180, 180),
            spin=between(-800, 800), tint=Tints(first=(0.55, 0.9, 0.8), second=(0.8, 1.0, 0.95)),
            push=per_axis(between(-0.4, 0.4), between(0.6, 2.6), between(-0.4, 0.4)),
        ),
        life=Life(opacity=curve((0, 1), (0.85, 1), (1, 0))),
        forces=Forces(gravity=(0, -9.81, 0)),
        contact=Contact(meets="bounce", bounce=0.32, slide=0.55, radius=0.03),
        look=Look(
            drawn_as="mesh", picture="library:clouds", blend="alpha", facing="free",
            solid=Solid(mesh="solid:shard", smooth=10, tumbles=True),
            surface=Surface(edge_glow=1.6, edge_width=0.9, edge_floor=0.42), light=Light(lit=0.65, shadow=0.35),
        ),
    )  # fmt: skip


def shell() -> Layer:
    """A layer of a shell that grows and vanishes."""
    return Layer(
        name="shell of light",
        space="local",
        outlet=Outlet(rate=fixed(0), bursts=(Burst(count=fixed(1)),), shape="point", limit=4),
        birth=Birth(
            lifetime=fixed(3.0), speed=fixed(0), size=fixed(1.0), stretch=per_axis(fixed(0.9), fixed(2.6), fixed(0.9)),
            tint=Tints(first=(0.3, 1.0, 0.82), second=(0.3, 1.0, 0.82)), brightness=fixed(1.6),
        ),
        life=Life(opacity=curve((0, 0), (0.06, 1), (0.94, 1), (1, 0))),
        look=Look(
            drawn_as="mesh", picture="library:fade", blend="additive", facing="free", soft=0.15,
            solid=Solid(mesh="solid:tube", smooth=90),
            surface=Surface(edge_glow=1.0, edge_width=0.9, edge_floor=0.3),
            dissolve=Dissolve(
                picture="library:clouds", amount=0.8, softness=0.35, contrast=1.5, tile=(2.0, 0.9),
                scroll=(0.1, 0.45), burn=1.5, burn_width=0.2,
            ),
        ),
    )  # fmt: skip


def arc() -> Layer:
    """A layer of an electric arc between two places."""
    return Layer(
        name="arc",
        place=(1.0, 1.0, 0.0),
        outlet=Outlet(rate=fixed(26), shape="point", limit=30),
        birth=Birth(
            lifetime=between(0.07, 0.16),
            speed=fixed(0),
            size=between(0.03, 0.05),
            tint=Tints(first=(0.62, 0.78, 1.0), second=(0.8, 0.85, 1.0)),
            brightness=between(5, 9),
        ),
        life=Life(opacity=curve((0, 0.9), (0.3, 1), (1, 0))),
        look=Look(
            drawn_as="beam",
            picture="library:streak",
            blend="additive",
            light=Light(lamps=2),
            beam=Beam(reach=(-2.0, 0.0, 0.0), kinks=0.18, branches=4, branch_length=0.4, strikes=11.0),
        ),
    )


def mist() -> Layer:
    """A layer of low mist that creeps."""
    return Layer(
        name="mist",
        place=(0.0, 0.25, 0.0),
        outlet=Outlet(rate=fixed(4), shape="box", extent=(5.0, 0.3, 4.0), axis=(1.0, 0.02, 0.2), spread=fixed(12), limit=80),
        birth=Birth(
            lifetime=between(4.5, 7.0), speed=between(0.12, 0.4), size=between(1.6, 2.6), aspect=0.5,
            angle=between(-14, 14), tint=Tints(first=(0.55, 0.6, 0.66), second=(0.72, 0.76, 0.8)),
            opacity=between(0.16, 0.3),
        ),
        life=Life(size=curve((0, 0.8), (1, 1.25)), opacity=curve((0, 0), (0.12, 1), (0.7, 1), (1, 0))),
        forces=Forces(drag=0.4, turbulence=0.15, eddy=2.5),
        look=Look(
            picture="library:smoke puffs", columns=4, rows=4, play="one at random", blend="alpha", soft=0.8,
            fade_near=1.5, light=Light(lit=0.8, bulge=0.5, fog=1.0),
        ),
    )  # fmt: skip


def empty() -> Layer:
    """A layer that spawns plain soft dots."""
    return Layer(
        name="layer", birth=Birth(lifetime=between(0.8, 1.2), speed=between(0.8, 1.2), size=between(0.1, 0.16), brightness=fixed(1.5))
    )


def candle() -> Layer:
    """A layer of one calm flame."""
    return replace(
        flame(), name="candle flame", place=(0.0, 0.06, 0.0),
        outlet=Outlet(rate=fixed(26), shape="disc", radius=0.004, spread=fixed(2), limit=60),
        birth=Birth(
            lifetime=between(0.32, 0.5), speed=between(0.1, 0.16), size=between(0.05, 0.064), aspect=1.9,
            angle=between(-5, 5), tint=Tints(first=(1.0, 0.55, 0.2), second=(1.0, 0.62, 0.28)), brightness=between(1.2, 1.6),
        ),
        forces=Forces(gravity=(0, 0.25, 0), drag=1.0, turbulence=0.05, eddy=0.12, drift=(0, 0.3, 0)),
        look=Look(picture="library:flame wisps", columns=4, rows=4, play="over life", blend="additive", soft=0.01),
    )  # fmt: skip


def jet() -> Layer:
    """A layer of a narrow jet of flame."""
    begun = flame()
    return replace(
        begun, name="jet of fire", place=(0.0, 0.4, 0.0),
        outlet=Outlet(rate=fixed(120), shape="disc", radius=0.05, axis=(1.0, 0.06, 0.0), spread=fixed(5), limit=500),
        birth=replace(begun.birth, lifetime=between(0.35, 0.6), speed=between(5.5, 8.0), size=between(0.35, 0.6), aspect=1.0,
                      angle=between(-180, 180), spin=between(-120, 120)),
        life=replace(begun.life, size=curve((0, 0.25), (0.35, 0.9), (1, 1.5))),
        forces=Forces(gravity=(0, 3.0, 0), drag=2.6, turbulence=1.6, eddy=0.5, drift=(2.0, 0.5, 0)),
    )  # fmt: skip


def fire_ring() -> Layer:
    """A layer of flames in a ring."""
    begun = flame()
    return replace(
        begun,
        name="ring of fire",
        outlet=Outlet(rate=fixed(150), shape="disc", radius=0.9, fill=0.0, even=True, spread=fixed(10), limit=600),
        birth=replace(begun.birth, size=between(0.3, 0.55), lifetime=between(0.45, 0.9)),
    )


def snow() -> Layer:
    """A layer of snow in light wind."""
    return Layer(
        name="snow",
        place=(0.0, 3.2, 0.0),
        outlet=Outlet(rate=fixed(150), shape="box", extent=(6.0, 0.2, 5.0), axis=(0.15, -1.0, 0.0), spread=fixed(14), limit=1500),
        birth=Birth(
            lifetime=between(4.5, 6.5),
            speed=between(0.5, 0.9),
            size=between(0.018, 0.05),
            angle=between(-180, 180),
            spin=between(-60, 60),
            tint=Tints(first=(0.82, 0.88, 0.95), second=(1.0, 1.0, 1.0)),
            opacity=between(0.5, 0.95),
        ),
        life=Life(opacity=curve((0, 0), (0.08, 1), (0.9, 1), (1, 0))),
        forces=Forces(drag=0.6, wind=(0.3, -0.55, 0), turbulence=0.35, eddy=1.2),
        contact=Contact(meets="stick", radius=0.0),
        look=Look(picture="library:flakes", columns=2, rows=2, play="one at random", blend="alpha", soft=0.02),
    )


def ash() -> Layer:
    """A layer of ash that hangs and sinks."""
    begun = snow()
    return replace(
        begun,
        name="falling ash",
        outlet=replace(begun.outlet, rate=fixed(45)),
        birth=replace(
            begun.birth,
            size=between(0.014, 0.045),
            tint=Tints(first=(0.09, 0.085, 0.08), second=(0.3, 0.28, 0.27)),
            spin=between(-200, 200),
        ),
        forces=Forces(drag=0.7, wind=(0.15, -0.4, 0), turbulence=0.6, eddy=0.9),
    )


def rain() -> tuple[Layer, ...]:
    """Layers of rain, and of its splashes on what it hits."""
    splash = Layer(
        id="0000000000000002",
        name="rain splashes",
        outlet=Outlet(rate=fixed(0), shape="point", limit=900),
        birth=Birth(
            lifetime=between(0.2, 0.32),
            speed=fixed(0),
            size=between(0.07, 0.15),
            aspect=0.7,
            tint=Tints(first=(0.5, 0.62, 0.7), second=(0.7, 0.8, 0.86)),
            opacity=between(0.35, 0.7),
        ),
        life=Life(size=curve((0, 0.5), (1, 1.1)), opacity=curve((0, 1), (0.5, 0.7), (1, 0))),
        look=Look(picture="library:splash", columns=4, rows=4, play="over life", blend="alpha", facing="upright", pivot=-1.0, soft=0.02),
    )
    drop = Layer(
        id="0000000000000001",
        name="rain",
        place=(0.0, 4.0, 0.0),
        outlet=Outlet(rate=fixed(420), shape="box", extent=(6.0, 0.3, 5.0), axis=(0.06, -1.0, 0.0), spread=fixed(1.5), limit=1500),
        birth=Birth(
            lifetime=fixed(1.2),
            speed=between(7.5, 9.5),
            size=between(0.008, 0.014),
            tint=Tints(first=(0.45, 0.58, 0.66), second=(0.7, 0.8, 0.86)),
            opacity=between(0.3, 0.65),
        ),
        life=Life(opacity=curve((0, 0), (0.06, 1), (1, 1))),
        contact=Contact(meets="end", radius=0.0),
        offspring=Offspring(rules=(Rule(when="touches", layer="0000000000000002", count=fixed(1), chance=0.8),)),
        look=Look(picture="library:streak", blend="alpha", facing="along motion", streak=fixed(0.03), soft=0.0),
    )
    return splash, drop


def ripples() -> Layer:
    """A layer of rings that widen on the ground."""
    return Layer(
        name="ripples",
        place=(0.0, 0.01, 0.0),
        outlet=Outlet(rate=fixed(9), shape="box", extent=(1.8, 0.0, 1.4), limit=60),
        birth=Birth(
            lifetime=between(0.9, 1.5),
            speed=fixed(0),
            size=between(0.4, 0.75),
            tint=Tints(first=(0.3, 0.42, 0.48), second=(0.5, 0.62, 0.68)),
            opacity=between(0.3, 0.6),
        ),
        life=Life(size=curve((0, 0.05), (0.3, 0.5), (1, 1.0)), opacity=curve((0, 0), (0.1, 1), (1, 0))),
        look=Look(picture="library:ring", blend="screen", facing="flat"),
    )


def glints() -> Layer:
    """A layer of points that glitter."""
    return Layer(
        name="glints",
        place=(0.0, 0.6, 0.0),
        outlet=Outlet(rate=fixed(26), shape="sphere", radius=0.45, fill=0.0, limit=120),
        birth=Birth(
            lifetime=between(0.25, 0.7),
            speed=fixed(0),
            size=between(0.05, 0.2),
            angle=between(-30, 30),
            tint=Tints(first=(0.75, 0.9, 1.0), second=(1.0, 0.95, 0.8)),
            brightness=between(1.5, 5),
        ),
        life=Life(size=curve((0, 0), (0.3, 1), (1, 0)), opacity=curve((0, 0), (0.25, 1), (0.7, 1), (1, 0))),
        look=Look(picture="library:glint", blend="additive", soft=0.0),
    )


def swarm() -> Layer:
    """A layer of points that swarm, each with a ribbon behind it."""
    return Layer(
        name="ribbon swarm",
        place=(0.0, 0.7, 0.0),
        outlet=Outlet(rate=fixed(9), shape="sphere", radius=0.5, aim="anywhere", limit=40),
        birth=Birth(
            lifetime=between(1.8, 2.8),
            speed=between(0.6, 1.2),
            size=between(0.03, 0.06),
            around=between(0.6, 1.4),
            tint=Tints(first=(0.3, 0.8, 1.0), second=(0.5, 1.0, 0.8)),
            brightness=between(1.5, 3),
        ),
        life=Life(opacity=curve((0, 0), (0.2, 1), (0.7, 1), (1, 0))),
        forces=Forces(drag=0.8, turbulence=1.6, eddy=0.6, more=(Attractor(strength=fixed(4.0)),)),
        look=Look(drawn_as="ribbon", picture="library:streak", blend="additive"),
    )


@dataclass(frozen=True, slots=True)
class Start:
    """A starting point. use : what it is for. make : its layers, in the order in which they are drawn."""

    use: str
    help: str
    make: Callable[[], tuple[Layer, ...]]
    words: tuple[str, ...] = ()


def _alone(use: str, help_: str, make: Callable[[], Layer], *words: str) -> Start:
    return Start(use, help_, lambda: (make(),), words)


STARTS: dict[str, Start] = {
    "flame": _alone("fire", "Tongues that rise, thin and tear.", flame, "fire"),
    "candle flame": _alone("fire", "One small steady flame.", candle, "wick", "torch"),
    "jet of fire": _alone("fire", "Fire under pressure, driven along an axis.", jet, "flamethrower", "burner", "nozzle"),
    "ring of fire": _alone("fire", "Tongues around a circle.", fire_ring, "circle"),
    "sparks": _alone("fire", "Hot grains that curl, fall and cool.", sparks, "embers"),
    "smoke": _alone("smoke", "Slow soft puffs that swell and fade.", smoke, "puff"),
    "mist": _alone("smoke", "Large soft cards that creep over the ground.", mist, "fog"),
    "rain with splashes": Start("weather", "Streaks that splash where they touch.", rain, ("rain", "storm")),
    "snow": _alone("weather", "Flakes that drift and lie.", snow, "winter"),
    "falling ash": _alone("weather", "Dark flakes that turn as they fall.", ash, "soot"),
    "drops": _alone("impact", "A fountain that falls and bounces.", drops, "water", "fountain"),
    "flash": _alone("impact", "A burst of light, gone in a fifth of a second.", flash, "explosion"),
    "shards": _alone("impact", "Glass that flies, tumbles and comes to rest.", shards, "debris", "glass"),
    "shell": _alone("energy", "A veil of light that dissolves as it rises.", shell, "shield"),
    "arc": _alone("energy", "A beam that jumps and branches.", arc, "lightning", "bolt", "beam"),
    "ripples": _alone("ground", "Rings that widen on a wet ground.", ripples, "puddle", "water"),
    "glints": _alone("glitter", "Stars of light on the surface of a sphere.", glints, "sparkle", "magic"),
    "ribbon swarm": _alone("ribbon", "Strips of light that circle a point.", swarm, "trail"),
    "empty": _alone("other", "A soft dot and nothing else: no forces, no colours.", empty, "blank"),
}
"""Starting points by name."""


def started(name: str) -> Layer:
    """The first layer of a starting point, with an id of its own."""
    return fresh(STARTS[name].make())[0]
