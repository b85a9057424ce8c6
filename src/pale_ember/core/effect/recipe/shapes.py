"""Shapes: what a recipe paints from a few numbers. Lengths are shares of half a frame: 1 reaches from its middle to its edge."""

from typing import Annotated, ClassVar

from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.recipe.step import Family, Step
from pale_ember.core.effect.values import Curve, curve

_RADIUS = Field("radius", "From its middle to its edge.", soft=(0, 1), least=0.001, most=4, words=("size",))
_SOFT = Field("soft", "How wide its edge runs out.", soft=(0, 1), least=0, most=2, words=("feather", "blur"))
_SEED = Field(
    "seed", "Start of the random numbers: another seed, another variation.", soft=(0, 100), least=0, most=1e6, words=("random",)
)
_COUNT = Field("number", "How many there are.", soft=(1, 40), least=1, most=400)
_RAGGED = Field("ragged", "How torn its edge is.", soft=(0, 1), least=0, most=2, words=("rough", "noise"))


class Dot(Step, frozen=True):
    """A dot whose light falls off from its middle to its edge, along a curve."""

    kind: ClassVar[str] = "dot"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("circle", "disc", "glow", "point", "soft")
    radius: Annotated[float, _RADIUS] = 1.0
    fall: Annotated[Curve, Field("fall-off", "Its light from the middle (0) to the edge (1).", words=("profile", "gradient"))] = curve(
        (0.0, 1.0), (0.2, 0.83), (0.4, 0.48), (0.6, 0.2), (0.8, 0.045), (1.0, 0.0)
    )


class Ring(Step, frozen=True):
    """A ring, sharper outside than inside."""

    kind: ClassVar[str] = "ring"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("circle", "shock", "wave", "halo")
    radius: Annotated[float, _RADIUS] = 0.78
    inner: Annotated[float, Field("inner", "How far it fades inward.", soft=(0, 0.6), least=0.002, most=2)] = 0.14
    outer: Annotated[float, Field("outer", "How far it fades outward.", soft=(0, 0.4), least=0.002, most=2)] = 0.05
    uneven: Annotated[float, Field("uneven", "How far it wavers.", soft=(0, 1), least=0, most=4)] = 0.2
    seed: Annotated[int, _SEED] = 5


class Streak(Step, frozen=True):
    """An upright stroke: a hot core in a soft sleeve, running out towards its ends."""

    kind: ClassVar[str] = "streak"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("line", "spark", "beam", "trail", "rain")
    width: Annotated[float, Field("width", "Width of its core.", soft=(0, 0.6), least=0.002, most=2)] = 0.16
    head: Annotated[float, Field("head", "How much of its length runs out above.", soft=(0, 1), least=0, most=1)] = 0.2
    tail: Annotated[float, Field("tail", "How much of its length runs out below.", soft=(0, 1), least=0, most=1)] = 0.8
    taper: Annotated[float, Field("taper", "How much thinner its tail is than its head.", soft=(0, 1), least=0, most=1)] = 0.6
    sleeve: Annotated[float, Field("sleeve", "How much light lies around its core.", soft=(0, 1), least=0, most=2)] = 0.35


class Glint(Step, frozen=True):
    """A star of thin rays about a hot point."""

    kind: ClassVar[str] = "glint"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("star", "flare", "sparkle", "lens", "cross")
    rays: Annotated[int, Field("rays", "Number of rays.", soft=(2, 16), least=1, most=64)] = 4
    length: Annotated[float, Field("length", "Length of its rays.", soft=(0, 1), least=0.01, most=2)] = 0.3
    thin: Annotated[float, Field("width", "Width of its rays.", soft=(0, 0.1), least=0.002, most=1)] = 0.02
    core: Annotated[float, Field("core", "Radius of the hot point.", soft=(0, 0.4), least=0.002, most=2)] = 0.07
    uneven: Annotated[float, Field("uneven", "How far rays differ in length.", soft=(0, 1), least=0, most=1)] = 0.0
    seed: Annotated[int, _SEED] = 1


class Crescent(Step, frozen=True):
    """A crescent: a disc with another taken away, thin at its horns."""

    kind: ClassVar[str] = "crescent"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("slash", "arc", "moon", "swing", "swoosh")
    radius: Annotated[float, _RADIUS] = 0.85
    thick: Annotated[float, Field("thick", "Thickness of its middle.", soft=(0, 1), least=0.01, most=2)] = 0.35
    soft: Annotated[float, _SOFT] = 0.3


class Polygon(Step, frozen=True):
    """A polygon with even sides."""

    kind: ClassVar[str] = "polygon"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("triangle", "square", "hexagon", "bokeh", "rune")
    sides: Annotated[int, Field("sides", "Number of sides.", soft=(3, 12), least=3, most=64)] = 6
    radius: Annotated[float, _RADIUS] = 0.8
    soft: Annotated[float, _SOFT] = 0.05
    rim: Annotated[float, Field("rim", "Width of a rim that alone is kept; 0 fills it.", soft=(0, 0.5), least=0, most=2)] = 0.0


class Shard(Step, frozen=True):
    """A splinter: bright rims, a pale body, a facet across."""

    kind: ClassVar[str] = "shard"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("glass", "splinter", "chip", "ice", "debris")
    corners: Annotated[int, Field("corners", "Number of corners.", soft=(3, 9), least=3, most=24)] = 5
    radius: Annotated[float, _RADIUS] = 0.9
    clear: Annotated[float, Field("clear", "How much its body lets through.", soft=(0, 1), least=0, most=1, words=("glass",))] = 0.65
    seed: Annotated[int, _SEED] = 12


class Drop(Step, frozen=True):
    """A falling drop, head down: a bright rim, a highlight, a thin tail."""

    kind: ClassVar[str] = "drop"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("rain", "water", "tear", "drip")
    width: Annotated[float, Field("width", "Width of its head.", soft=(0, 1), least=0.02, most=1)] = 0.27
    tail: Annotated[float, Field("tail", "How far up its tail reaches.", soft=(0, 1), least=0.3, most=1)] = 0.97


class Crown(Step, frozen=True):
    """A splash: it rises from the point of impact, opens, and falls apart into beads over the frames."""

    kind: ClassVar[str] = "splash crown"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("water", "impact", "rain", "drop")
    spouts: Annotated[int, Field("spouts", "How many jets it throws.", soft=(3, 40), least=1, most=120)] = 15
    height: Annotated[float, Field("height", "Height of its jets.", soft=(0, 1), least=0.05, most=1.2)] = 0.8
    spread: Annotated[float, Field("spread", "How far they lean out.", soft=(0, 1), least=0, most=1.5)] = 0.7
    seed: Annotated[int, _SEED] = 17


class Flake(Step, frozen=True):
    """A flake with a torn edge, light and dark within."""

    kind: ClassVar[str] = "flake"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("ash", "snow", "leaf", "rust", "paper")
    radius: Annotated[float, _RADIUS] = 0.62
    ragged: Annotated[float, _RAGGED] = 0.5
    grain: Annotated[float, Field("grain", "Light and dark within.", soft=(0, 1), least=0, most=2)] = 0.5
    seed: Annotated[int, _SEED] = 51


class Crystal(Step, frozen=True):
    """A snow crystal: six arms with side arms."""

    kind: ClassVar[str] = "crystal"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("snow", "snowflake", "frost", "ice", "hail")
    radius: Annotated[float, _RADIUS] = 0.85
    thick: Annotated[float, Field("thick", "Thickness of its arms.", soft=(0, 0.2), least=0.005, most=0.5)] = 0.045
    branches: Annotated[int, Field("side arms", "Side arms on each arm.", soft=(0, 8), least=0, most=16)] = 4
    seed: Annotated[int, _SEED] = 3


class Wisp(Step, frozen=True):
    """One thin curl of smoke, standing on its foot, that winds and tears over the frames."""

    kind: ClassVar[str] = "wisp"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("smoke", "steam", "candle", "curl")
    width: Annotated[float, Field("width", "Width at its top.", soft=(0, 0.6), least=0.01, most=1)] = 0.17
    bend: Annotated[float, Field("bend", "How far it winds.", soft=(0, 1), least=0, most=2)] = 0.42
    seed: Annotated[int, _SEED] = 71


class Tongue(Step, frozen=True):
    """A tongue of flame: round at the foot, drawn to a tip, torn into wisps over the frames."""

    kind: ClassVar[str] = "flame tongue"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("fire", "flame", "lick", "torch")
    width: Annotated[float, Field("width", "Width of its foot.", soft=(0, 1), least=0.05, most=1)] = 0.7
    lift: Annotated[float, Field("lift", "How far its structure climbs over the frames.", soft=(0, 4), least=0, most=20)] = 1.9
    torn: Annotated[float, Field("torn", "How far it is torn at the end.", soft=(0, 2), least=0, most=3)] = 1.05
    seed: Annotated[int, _SEED] = 23


class Puff(Step, frozen=True):
    """A puff that billows, thins and tears over the frames; lighter above, shaded below."""

    kind: ClassVar[str] = "puff"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("smoke", "cloud", "dust", "steam", "fog")
    radius: Annotated[float, _RADIUS] = 0.72
    lumps: Annotated[float, Field("lumps", "How uneven it is.", soft=(0, 1.5), least=0, most=3)] = 0.55
    billow: Annotated[float, Field("billow", "How round its lumps are.", soft=(0, 1.5), least=0, most=3)] = 0.45
    shade: Annotated[float, Field("shade", "How dark its lower side is.", soft=(0, 5), least=0, most=20)] = 2.4
    fade: Annotated[float, Field("fade", "How far it is gone at the end.", soft=(0, 1), least=0, most=2)] = 0.28
    seed: Annotated[int, _SEED] = 11


class Cracks(Step, frozen=True):
    """Cracks that run and fork from the middle, and grow over the frames where they are told to."""

    kind: ClassVar[str] = "crack tree"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("ground", "fracture", "vein", "root", "branch")
    number: Annotated[int, _COUNT] = 8
    reach: Annotated[float, Field("reach", "How far they run.", soft=(0, 1.6), least=0.02, most=3)] = 1.3
    thick: Annotated[float, Field("thick", "Thickness at their beginning.", soft=(0, 0.1), least=0.003, most=0.5)] = 0.024
    forks: Annotated[float, Field("forks", "How often they fork.", soft=(0, 0.6), least=0, most=0.7)] = 0.24
    glow: Annotated[float, Field("glow", "Light around them.", soft=(0, 1), least=0, most=2)] = 0.25
    seed: Annotated[int, _SEED] = 83


class Bolt(Step, frozen=True):
    """A bolt from above to below that breaks at every scale, and forks."""

    kind: ClassVar[str] = "bolt"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("lightning", "electric", "arc", "discharge")
    jag: Annotated[float, Field("jag", "How far it breaks out.", soft=(0, 1), least=0, most=2)] = 0.45
    thick: Annotated[float, Field("thick", "Thickness of its core.", soft=(0, 0.1), least=0.003, most=0.5)] = 0.022
    forks: Annotated[int, Field("forks", "Number of forks.", soft=(0, 12), least=0, most=40)] = 5
    glow: Annotated[float, Field("glow", "Light around it.", soft=(0, 1), least=0, most=2)] = 0.45
    seed: Annotated[int, _SEED] = 7


class Scorch(Step, frozen=True):
    """What a blast leaves on the ground: dense in the middle, streaked outward."""

    kind: ClassVar[str] = "scorch"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("burn", "mark", "decal", "blast", "splat")
    radius: Annotated[float, _RADIUS] = 0.78
    rays: Annotated[float, Field("rays", "How streaked it is.", soft=(0, 1.5), least=0, most=3)] = 0.75
    patch: Annotated[float, Field("patches", "How uneven it is within.", soft=(0, 1), least=0, most=2)] = 0.35
    seed: Annotated[int, _SEED] = 91


class Specks(Step, frozen=True):
    """A scatter of fine grains."""

    kind: ClassVar[str] = "specks"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("dust", "glitter", "grain", "drizzle", "stars")
    number: Annotated[int, _COUNT] = 26
    size: Annotated[float, Field("size", "Size of the largest.", soft=(0, 0.2), least=0.003, most=1)] = 0.045
    radius: Annotated[float, _RADIUS] = 0.85
    fall: Annotated[float, Field("fall", "How far they fly outward over the frames.", soft=(-1, 1), least=-4, most=4)] = 0.0
    seed: Annotated[int, _SEED] = 60


class Ramp(Step, frozen=True):
    """Light that falls off along a line, from the foot to the top."""

    kind: ClassVar[str] = "slope"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("gradient", "fade", "ramp", "linear")
    turn: Annotated[float, Field("turn", "Which way it falls off; 0 is upward.", unit="°", soft=(-180, 180))] = 0.0
    fall: Annotated[Curve, Field("fall-off", "Its light from the foot (0) to the top (1).")] = curve((0, 1), (1, 0))


class Fill(Step, frozen=True):
    """The same everywhere."""

    kind: ClassVar[str] = "fill"
    family: ClassVar[Family] = "shape"
    found: ClassVar[tuple[str, ...]] = ("solid", "colour", "constant")
    colour: Annotated[tuple[float, float, float], Field("colour", "Linear red, green and blue.", least=0, most=100, colour=True)] = (
        1.0,
        1.0,
        1.0,
    )
    cover: Annotated[float, Field("cover", "How opaque it is.", soft=(0, 1), least=0, most=1)] = 1.0
