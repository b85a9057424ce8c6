"""Noises, and what a recipe takes from elsewhere: pictures, strokes of a brush, channels laid together, a gas."""

from typing import Annotated, ClassVar, Literal

from pale_ember.core.effect.fields import Field, Part, beside
from pale_ember.core.effect.recipe.step import Family, Step
from pale_ember.core.effect.values import Colour, Pair

Channel = Literal["all", "brightness", "red", "green", "blue", "alpha"]
_CHANNELS = ("As it is.", "How bright it is.", "Its red.", "Its green.", "Its blue.", "Its alpha.")


class Noise(Step, frozen=True):
    """A noise that meets itself at its edges, and closes over the frames of a loop."""

    kind: ClassVar[str] = "noise"
    family: ClassVar[Family] = "noise"
    found: ClassVar[tuple[str, ...]] = ("cloud", "perlin", "voronoi", "worley", "turbulence", "fractal", "cellular")
    pattern: Annotated[
        Literal["gradient", "value", "cells", "seams", "ridges", "billows"],
        Field(
            "pattern",
            "What it is made of.",
            options=(
                "Soft light and dark, half and half.",
                "Blocks, run into each other.",
                "How far the nearest of scattered points is.",
                "Thin lines between cells.",
                "Sharp crests.",
                "Round lumps with creases between.",
            ),
        ),
    ] = "gradient"
    cells: Annotated[int, Field("cells", "How many lumps lie side by side.", soft=(1, 24), least=1, most=256)] = 4
    octaves: Annotated[int, Field("octaves", "Finer noise laid over, each half as large.", soft=(1, 7), least=1, most=9)] = 4
    gain: Annotated[float, Field("gain", "How much each finer one counts.", soft=(0, 1), least=0, most=1)] = 0.5
    curl: Annotated[float, Field("curl", "How far it is warped in whirls.", soft=(0, 1), least=0, most=4, words=("swirl", "warp"))] = 0.0
    contrast: Annotated[float, Field("contrast", "Between its light and its dark.", soft=(0.2, 3), least=0, most=20)] = 1.2
    drift: Annotated[
        Pair, Field("drift", "How many cells it moves over the frames, rightward and upward.", soft=(-4, 4), letters=("X", "Y"))
    ] = (0.0, 0.0)
    churn: Annotated[float, Field("churn", "How much it changes over the frames.", soft=(0, 4), least=0, most=64)] = 0.0
    seed: Annotated[
        int, Field("seed", "Start of the random numbers: another seed, another variation.", soft=(0, 100), least=0, most=1e6)
    ] = 1


class Picture(Step, frozen=True):
    """A picture of your own, of the library, or another recipe; of a sheet, frame by frame."""

    kind: ClassVar[str] = "picture"
    family: ClassVar[Family] = "source"
    found: ClassVar[tuple[str, ...]] = ("image", "file", "texture", "own", "import", "sheet", "cut")
    picture: Annotated[
        str, Field("picture", "A picture of the library, another recipe, or a file beside the document.", names="picture")
    ] = "library:soft dot"
    channel: Annotated[Channel, Field("channel", "What of it is taken.", options=_CHANNELS)] = "all"
    invert: Annotated[bool, Field("invert", "Light becomes dark.")] = False
    columns: Annotated[int, Field("columns", "Frames side by side in it.", soft=(1, 16), least=1, most=256, group="more: sheet")] = 1
    rows: Annotated[int, Field("rows", "Frames above each other in it.", soft=(1, 16), least=1, most=256, group="more: sheet")] = 1
    frames: Annotated[
        str, Field("frames", "Which of its frames, in what order: 0-15, 3, 7-4; nothing for all.", group="more: sheet", names="frames")
    ] = ""
    between: Annotated[
        Literal["nearest", "mixed", "moved"],
        Field(
            "between",
            "How frames between its frames are made.",
            group="more: sheet",
            options=("The nearest is taken.", "Both are mixed.", "Each is moved half way, by the motion found between them."),
        ),
    ] = "nearest"
    trim: Annotated[bool, Field("trim", "Cut to what is painted in any of its frames.", group="more: sheet", words=("crop",))] = False
    steady: Annotated[
        bool,
        Field(
            "steady", "Each frame is moved so that its middle of weight stands still.", group="more: sheet", words=("stabilise", "centre")
        ),
    ] = False


class ChannelSource(Part, frozen=True):
    """Where one channel of a packed picture comes from."""

    holds: Annotated[str, Field("holds", "A name for what it says.", names="word")] = ""
    picture: Annotated[str, Field("picture", "Nothing for black.", names="picture")] = ""
    channel: Annotated[
        Literal["brightness", "red", "green", "blue", "alpha"], Field("channel", "What of it is taken.", options=_CHANNELS[1:])
    ] = "brightness"
    invert: Annotated[bool, Field("invert", "Light becomes dark.")] = False


class PackedChannels(Step, frozen=True):
    """Four channels of one picture, each from a picture of its own. They are numbers, not light."""

    kind: ClassVar[str] = "packed channels"
    family: ClassVar[Family] = "source"
    found: ClassVar[tuple[str, ...]] = ("pack", "channels", "rgba", "swizzle", "merge")
    red: Annotated[ChannelSource, Field("red", "What the red channel holds.")] = ChannelSource()
    green: Annotated[ChannelSource, Field("green", "What the green channel holds.")] = ChannelSource()
    blue: Annotated[ChannelSource, Field("blue", "What the blue channel holds.")] = ChannelSource()
    alpha: Annotated[ChannelSource, Field("alpha", "What the alpha channel holds; nothing for white.")] = ChannelSource()


class Stroke(Part, frozen=True):
    """One stroke of a brush. path : across, up and pressure of each of its points, one after the other."""

    tool: Annotated[Literal["paint", "erase", "smear"], Field("tool", "What it does.")] = "paint"
    tip: Annotated[Literal["soft", "hard", "chalk", "bristle", "spray"], Field("tip", "What it is made of.")] = "soft"
    size: Annotated[float, Field("size", "Radius, in half frames.", least=0.001, most=4)] = 0.15
    flow: Annotated[float, Field("flow", "How much each touch leaves.", least=0, most=1)] = 0.6
    colour: Annotated[Colour, Field("colour", "Linear red, green and blue.", least=0, most=100, colour=True)] = (1.0, 1.0, 1.0)
    mirror: Annotated[bool, Field("mirror", "Again on the other side.")] = False
    around: Annotated[int, Field("around", "How often about the middle.", least=1, most=64)] = 1
    tiles: Annotated[bool, Field("tiles", "Comes in again where it leaves.")] = False
    path: Annotated[tuple[float, ...], Field("path", "Its points.", hidden=True)] = ()


class Paint(Step, frozen=True):
    """Strokes of a brush, over what is there: drag on the picture."""

    kind: ClassVar[str] = "paint"
    family: ClassVar[Family] = "source"
    found: ClassVar[tuple[str, ...]] = ("brush", "draw", "stroke", "hand")
    strokes: Annotated[tuple[Stroke, ...], Field("strokes", "What was painted.", hidden=True)] = ()


_BURSTS = beside("pulse", lambda pulse: pulse > 0, "Its source does not pulse.")


class Gas(Step, frozen=True):
    """A gas that is simulated: fire, smoke, steam, dust, ink or a blast in a box. A metre is half the box's width; it is
    drawn as light and cover, from which side it is lit, its motion and its depth."""

    kind: ClassVar[str] = "gas"
    family: ClassVar[Family] = "source"
    found: ClassVar[tuple[str, ...]] = ("fluid", "simulate", "smoke", "fire", "explosion", "steam", "ink", "fluid sim")
    grid: Annotated[
        int, Field("grid", "Cells along each side of its box: more show more, and take longer.", soft=(32, 128), least=16, most=160,
                   words=("resolution", "detail"))
    ] = 64  # fmt: skip
    warm: Annotated[float, Field("pre-roll", "Seconds that pass before the first frame.", unit="s", soft=(0, 4), least=0, most=30)] = 0.5
    span: Annotated[float, Field("span", "Seconds from the first frame to the last.", unit="s", soft=(0.2, 6), least=0.05, most=60)] = 2.0
    source_at: Annotated[
        Pair, Field("at", "Middle of the source, rightward and upward.", unit="m", soft=(-1, 1), letters=("X", "Y"), group="source")
    ] = (0.0, -0.72)
    source_size: Annotated[float, Field("size", "Radius of the source.", unit="m", soft=(0, 1), least=0.02, most=2, group="source")] = (
        0.22
    )
    source_flat: Annotated[
        float, Field("height", "Height of the source, as a share of its width.", soft=(0, 2), least=0.05, most=10, group="source")
    ] = 0.5
    ragged: Annotated[float, Field("ragged", "How uneven the source gives.", soft=(0, 1), least=0, most=1, group="source")] = 0.6
    lasts: Annotated[
        float, Field("emits for", "Seconds after which its source stops.", unit="s", soft=(0, 6), least=0.01, most=60, group="source")
    ] = 60.0
    pulse: Annotated[
        float, Field("pulses", "How often a second it swells.", unit="/s", soft=(0, 8), least=0, most=60, group="source")
    ] = 0.0
    pulse_depth: Annotated[
        float, Field("pulse depth", "How far it sinks between.", soft=(0, 1), least=0, most=1, needs=(_BURSTS,), group="source")
    ] = 0.8
    smoke: Annotated[
        float, Field("smoke", "How much it gives a second.", unit="/s", soft=(0, 20), least=0, most=1000, group="source")
    ] = 6.0
    fuel: Annotated[
        float, Field("fuel", "How much it gives a second, to be burned.", unit="/s", soft=(0, 40), least=0, most=1000, group="source")
    ] = 0.0
    heat: Annotated[
        float, Field("heat", "How hot what it gives is: 1 glows brightly.", soft=(0, 2), least=0, most=20, group="source")
    ] = 0.5
    push: Annotated[
        float, Field("push", "Upward speed of what it gives.", unit="m/s", soft=(-3, 6), least=-50, most=50, group="source")
    ] = 0.5
    blast: Annotated[
        float, Field("blast", "How fast what it gives swells.", unit="/s", soft=(0, 12), least=-50, most=50, group="source")
    ] = 0.0
    lift: Annotated[float, Field("lift", "How fast heat rises.", unit="m/s²", soft=(0, 12), least=-100, most=100, group="air")] = 4.0
    weight: Annotated[
        float,
        Field("weight", "How fast smoke sinks; less than 0 and it rises.", unit="m/s²", soft=(-2, 4), least=-100, most=100, group="air"),
    ] = 0.0
    curl: Annotated[
        float, Field("curls", "How much small whirls are kept alive.", soft=(0, 8), least=0, most=60, group="air", words=("vorticity",))
    ] = 2.0
    gusts: Annotated[
        float, Field("gusts", "How strongly the air is stirred.", unit="m/s²", soft=(0, 10), least=0, most=100, group="air",
                     words=("turbulence", "noise"))
    ] = 2.0  # fmt: skip
    gust_size: Annotated[float, Field("gust size", "Size of one whirl.", unit="m", soft=(0.1, 1.5), least=0.05, most=4, group="air")] = (
        0.5
    )
    wind: Annotated[
        Pair, Field("wind", "Speed of the air, rightward and upward.", unit="m/s", soft=(-2, 2), letters=("X", "Y"), group="air")
    ] = (0.0, 0.0)
    drag: Annotated[float, Field("drag", "How fast the air comes to rest.", unit="1/s", soft=(0, 4), least=0, most=50, group="air")] = 0.2
    floor: Annotated[bool, Field("floor", "Whether it stands on a floor; else the box is open below.", group="air")] = False
    pillar: Annotated[
        float,
        Field(
            "ball", "Radius of a ball in its way; 0 for none.", unit="m", soft=(0, 0.6), least=0, most=2, group="air", words=("obstacle",)
        ),
    ] = 0.0
    pillar_at: Annotated[Pair, Field("ball at", "Rightward and upward.", unit="m", soft=(-1, 1), letters=("X", "Y"), group="air",
        needs=(beside("pillar", lambda radius: radius > 0, "There is no ball."),))] = (0.0, 0.0)  # fmt: skip
    cools: Annotated[float, Field("cools", "How fast heat goes.", unit="1/s", soft=(0, 6), least=0, most=100, group="burning")] = 1.2
    burns: Annotated[float, Field("burns", "How fast fuel burns.", unit="1/s", soft=(0, 12), least=0, most=100, group="burning")] = 5.0
    soot: Annotated[float, Field("soot", "Smoke that burnt fuel leaves.", soft=(0, 2), least=0, most=20, group="burning")] = 0.3
    clears: Annotated[float, Field("clears", "How fast smoke goes.", unit="1/s", soft=(0, 3), least=0, most=50, group="burning")] = 0.2
    glow: Annotated[float, Field("glow", "How brightly heat shines.", soft=(0, 4), least=0, most=100, group="drawn")] = 0.0
    kelvin: Annotated[
        float, Field("hottest", "What a heat of 1 is, as its colour tells.", unit="K", soft=(1000, 4000), least=600,
                     most=12000, group="drawn", words=("black body", "temperature"))
    ] = 2200.0  # fmt: skip
    dense: Annotated[float, Field("dense", "How opaque smoke is.", soft=(0, 20), least=0, most=500, group="drawn")] = 7.0
    shade: Annotated[float, Field("shade", "How much smoke shades itself.", soft=(0, 2), least=0, most=20, group="drawn")] = 0.8
    colour: Annotated[
        Colour, Field("colour", "Colour of the smoke in light: linear red, green and blue.", least=0, most=10, colour=True, group="drawn")
    ] = (0.8, 0.8, 0.8)
    fits: Annotated[
        bool,
        Field(
            "fill the frame",
            "Whether the frame is drawn around what there is of it in all frames, instead of around its whole box.",
            words=("crop", "fit", "trim", "zoom"),
            group="drawn",
        ),
    ] = True
    rim: Annotated[float, Field("rim", "Share of the frame in which it runs out.", soft=(0, 0.5), least=0, most=1, group="drawn")] = 0.12
    closes: Annotated[
        float,
        Field("closes", "Share of the frames in which a loop fades its end into its beginning.", soft=(0, 0.5), least=0, most=0.5,
              group="drawn"),
    ] = 0.35  # fmt: skip
    seed: Annotated[
        int, Field("seed", "Start of the random numbers: another seed, another variation.", soft=(0, 100), least=0, most=1e6)
    ] = 1
