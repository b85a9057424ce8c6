"""Changes: what is done to what a recipe has painted so far. Lengths are shares of half a frame, as of shapes."""

from typing import Annotated, ClassVar, Literal

from pale_ember.core.effect.fields import Field, beside
from pale_ember.core.effect.recipe.step import IN_TILES, Family, Step
from pale_ember.core.effect.values import Curve, Gradient, Pair, curve, gradient

_CHANGE: Family = "change"
_SEED = Field("seed", "Start of the random numbers: another seed, another variation.", soft=(0, 100), least=0, most=1e6)
_OF = Field("of", "What it works on.", options=("Colour and alpha.", "Colour alone.", "Alpha alone."), words=("channel", "alpha"))
Of = Literal["both", "light", "cover"]


class Transform(Step, frozen=True):
    """Moves, turns and scales what is there."""

    kind: ClassVar[str] = "place"
    found: ClassVar[tuple[str, ...]] = ("move", "rotate", "turn", "scale", "offset", "transform")
    move: Annotated[Pair, Field("move", "Rightward and upward.", soft=(-1, 1), letters=("X", "Y"))] = (0.0, 0.0)
    turn: Annotated[float, Field("turn", "Against the clock.", unit="°", soft=(-180, 180))] = 0.0
    scale: Annotated[float, Field("scale", "How large it is.", unit="×", soft=(0.1, 3), least=0.01, most=100)] = 1.0
    wide: Annotated[float, Field("wide", "How much wider than high.", unit="×", soft=(0.2, 3), least=0.01, most=100)] = 1.0
    tiles: Annotated[bool, IN_TILES] = False


class Warp(Step, frozen=True):
    """Pushes what is there about by a noise, in eddies or this way and that."""

    kind: ClassVar[str] = "warp"
    found: ClassVar[tuple[str, ...]] = ("distort", "displace", "turbulence", "wobble", "heat")
    by: Annotated[float, Field("by", "How far at most.", soft=(0, 0.6), least=-4, most=4)] = 0.15
    cells: Annotated[int, Field("cells", "How many lumps of the noise lie side by side.", soft=(1, 16), least=1, most=128)] = 3
    octaves: Annotated[int, Field("octaves", "Finer noise laid over.", soft=(1, 6), least=1, most=8)] = 2
    eddies: Annotated[bool, Field("eddies", "In whirls, so that nothing is drawn together.", words=("curl", "swirl"))] = True
    drift: Annotated[float, Field("drift", "How many cells it climbs over the frames.", soft=(-4, 4), least=-64, most=64)] = 0.0
    churn: Annotated[float, Field("churn", "How much it changes over the frames.", soft=(0, 4), least=0, most=64)] = 0.0
    seed: Annotated[int, _SEED] = 2


class Twirl(Step, frozen=True):
    """Winds what is there about its middle."""

    kind: ClassVar[str] = "twirl"
    found: ClassVar[tuple[str, ...]] = ("swirl", "vortex", "spiral", "rotate")
    turn: Annotated[float, Field("turn", "In the middle; none at the edge.", unit="°", soft=(-720, 720))] = 180.0


class Polar(Step, frozen=True):
    """Bends what is there about the middle: its foot becomes the middle, its top the edge. Or unbends it."""

    kind: ClassVar[str] = "polar"
    found: ClassVar[tuple[str, ...]] = ("radial", "circle", "wrap", "unwrap", "coordinates")
    way: Annotated[
        Literal["round", "straight"],
        Field("way", "Which way it works.", options=("A strip is bent round.", "A disc is cut and laid straight.")),
    ] = "round"
    times: Annotated[int, Field("times", "How often the strip lies around.", soft=(1, 12), least=1, most=64)] = 1


class Blur(Step, frozen=True):
    """Softens: evenly, along a line, along circles or outward from the middle."""

    kind: ClassVar[str] = "blur"
    found: ClassVar[tuple[str, ...]] = ("soft", "gauss", "motion", "zoom", "radial", "streak")
    way: Annotated[
        Literal["evenly", "along a line", "round the middle", "from the middle"],
        Field(
            "way",
            "Which way it works.",
            options=("As a bell on all sides.", "As if it moved.", "As if it turned.", "As if it came nearer."),
        ),
    ] = "evenly"
    width: Annotated[float, Field("width", "How far it blurs.", soft=(0, 0.5), least=0, most=2)] = 0.05
    turn: Annotated[
        float,
        Field(
            "turn",
            "The line's direction; 0 is upward.",
            unit="°",
            soft=(-180, 180),
            needs=(beside("way", lambda way: way == "along a line", "It does not blur along a line."),),
        ),
    ] = 0.0
    tiles: Annotated[bool, IN_TILES] = False


class Sharpen(Step, frozen=True):
    """Brings out what is fine."""

    kind: ClassVar[str] = "sharpen"
    found: ClassVar[tuple[str, ...]] = ("crisp", "detail", "unsharp")
    by: Annotated[float, Field("by", "Strength of the sharpening.", soft=(0, 3), least=0, most=20)] = 1.0
    width: Annotated[float, Field("width", "Width of what counts as fine.", soft=(0, 0.2), least=0.002, most=1)] = 0.03


class Erode(Step, frozen=True):
    """Eats what is there away by a noise, from its thin places on."""

    kind: ClassVar[str] = "erode"
    found: ClassVar[tuple[str, ...]] = ("dissolve", "eat", "tear", "burn", "decay")
    by: Annotated[float, Field("by", "How far it has gone.", soft=(0, 1), least=0, most=2)] = 0.4
    soft: Annotated[float, Field("soft", "How soft its edge is.", soft=(0, 1), least=0.01, most=2)] = 0.3
    cells: Annotated[int, Field("cells", "How many lumps of the noise lie side by side.", soft=(1, 16), least=1, most=128)] = 4
    octaves: Annotated[int, Field("octaves", "Finer noise laid over.", soft=(1, 6), least=1, most=8)] = 4
    drift: Annotated[float, Field("drift", "How many cells it climbs over the frames.", soft=(-4, 4), least=-64, most=64)] = 0.0
    churn: Annotated[float, Field("churn", "How much it changes over the frames.", soft=(0, 4), least=0, most=64)] = 0.0
    seed: Annotated[int, _SEED] = 4


class Levels(Step, frozen=True):
    """Spreads the tones between a dark and a light end."""

    kind: ClassVar[str] = "levels"
    found: ClassVar[tuple[str, ...]] = ("contrast", "brightness", "gamma", "exposure")
    dark: Annotated[float, Field("dark", "What becomes black.", soft=(0, 1), least=-10, most=10)] = 0.0
    light: Annotated[float, Field("light", "What becomes white.", soft=(0, 1), least=-10, most=10)] = 1.0
    middle: Annotated[float, Field("middle", "Above 1 lifts the tones between.", soft=(0.2, 4), least=0.05, most=20)] = 1.0
    least: Annotated[float, Field("from", "The darkest that comes out.", soft=(0, 1), least=0, most=100)] = 0.0
    most: Annotated[float, Field("to", "The lightest that comes out.", soft=(0, 1), least=0, most=100)] = 1.0
    of: Annotated[Of, _OF] = "both"


class ToneCurve(Step, frozen=True):
    """Gives every tone another, along a curve."""

    kind: ClassVar[str] = "curve"
    found: ClassVar[tuple[str, ...]] = ("tone", "remap", "response")
    curve: Annotated[Curve, Field("curve", "What each tone becomes.")] = curve((0, 0), (0.3, 0.15), (0.7, 0.85), (1, 1))
    of: Annotated[Of, _OF] = "both"


class Threshold(Step, frozen=True):
    """Cuts at a tone: white above, black below."""

    kind: ClassVar[str] = "threshold"
    found: ClassVar[tuple[str, ...]] = ("cut", "step", "binary", "hard")
    at: Annotated[float, Field("at", "The tone that is cut at.", soft=(0, 1), least=0, most=10)] = 0.5
    soft: Annotated[float, Field("soft", "How soft the cut is.", soft=(0, 0.5), least=0.002, most=2)] = 0.05
    of: Annotated[Of, _OF] = "both"


class Invert(Step, frozen=True):
    """Light becomes dark, and dark light."""

    kind: ClassVar[str] = "invert"
    found: ClassVar[tuple[str, ...]] = ("negative", "flip tones")
    of: Annotated[Of, _OF] = "both"


class Mirror(Step, frozen=True):
    """One half is the other's mirror."""

    kind: ClassVar[str] = "mirror"
    found: ClassVar[tuple[str, ...]] = ("flip", "symmetry", "kaleidoscope")
    across: Annotated[bool, Field("across", "The right half from the left.")] = True
    upright: Annotated[bool, Field("upright", "The lower half from the upper.")] = False


class Tile(Step, frozen=True):
    """Lays what is there side by side."""

    kind: ClassVar[str] = "tile"
    found: ClassVar[tuple[str, ...]] = ("repeat", "scatter", "pattern")
    across: Annotated[int, Field("across", "How often side by side.", soft=(1, 8), least=1, most=64)] = 2
    upward: Annotated[int, Field("upward", "How often above each other.", soft=(1, 8), least=1, most=64)] = 2
    shift: Annotated[float, Field("shift", "By how much of a piece each row is moved.", soft=(0, 1), least=0, most=1)] = 0.0


class GradientMap(Step, frozen=True):
    """Gives every tone a colour, along a gradient; what covers stays."""

    kind: ClassVar[str] = "gradient map"
    found: ClassVar[tuple[str, ...]] = ("colour", "ramp", "palette", "tint", "fire")
    colours: Annotated[Gradient, Field("colours", "The colours, from black (0) to white (1).")] = gradient(
        (0.0, (0.02, 0.0, 0.0)), (0.35, (0.8, 0.08, 0.01)), (0.7, (1.0, 0.5, 0.08)), (1.0, (1.0, 0.95, 0.7))
    )
    covers: Annotated[bool, Field("tone to alpha", "Its grey value also becomes its alpha.", words=("cover",))] = True


class Normal(Step, frozen=True):
    """Its tones as heights, and from them which way each point faces: red rightward, green upward, blue towards the eye."""

    kind: ClassVar[str] = "normal"
    found: ClassVar[tuple[str, ...]] = ("height", "bump", "relief", "lit")
    height: Annotated[float, Field("height", "Height of white over black, in half frames.", soft=(0, 1), least=-10, most=10)] = 0.2
    tiles: Annotated[bool, IN_TILES] = True


class Emboss(Step, frozen=True):
    """Its tones as heights, lit from one side."""

    kind: ClassVar[str] = "emboss"
    found: ClassVar[tuple[str, ...]] = ("relief", "bevel", "shade", "light")
    turn: Annotated[float, Field("from", "Where the light comes from; 0 is above.", unit="°", soft=(-180, 180))] = 30.0
    height: Annotated[float, Field("height", "Height of white over black, in half frames.", soft=(0, 1), least=-10, most=10)] = 0.2
    tiles: Annotated[bool, IN_TILES] = False


class Edge(Step, frozen=True):
    """Where tones change: bright along edges, dark where it is even."""

    kind: ClassVar[str] = "edge"
    found: ClassVar[tuple[str, ...]] = ("outline", "contour", "find edges")
    width: Annotated[float, Field("width", "Width of the edge.", soft=(0, 0.2), least=0.002, most=1)] = 0.03
    by: Annotated[float, Field("by", "How much it is brought out.", soft=(0, 8), least=0, most=100)] = 2.0


class Distance(Step, frozen=True):
    """How far each point inside lies from the edge of what is there."""

    kind: ClassVar[str] = "distance"
    found: ClassVar[tuple[str, ...]] = ("distance field", "bevel", "inside", "glow")
    reach: Annotated[float, Field("reach", "The distance that is white.", soft=(0, 1), least=0.005, most=4)] = 0.4
    side: Annotated[
        Literal["inside", "outside", "both"],
        Field(
            "side",
            "On which side of the edge.",
            options=("From the edge inward.", "From the edge outward, as a glow.", "Half at the edge, as a distance field."),
        ),
    ] = "inside"


class Grow(Step, frozen=True):
    """Lets light places grow, or shrink."""

    kind: ClassVar[str] = "grow"
    found: ClassVar[tuple[str, ...]] = ("dilate", "shrink", "thicken", "erosion", "morphology")
    by: Annotated[float, Field("by", "How far; less than 0 shrinks them.", soft=(-0.2, 0.2), least=-1, most=1)] = 0.03


class Rim(Step, frozen=True):
    """Lets it run out towards the frame's border, so that nothing is cut there."""

    kind: ClassVar[str] = "rim fade"
    found: ClassVar[tuple[str, ...]] = ("border", "edge", "vignette", "cut", "fade")
    width: Annotated[float, Field("width", "Width of the fade.", soft=(0, 1), least=0, most=1)] = 0.12
    round: Annotated[bool, Field("round", "Along a circle instead of a square.")] = False


class RemoveBackground(Step, frozen=True):
    """Removes the background that it was painted on: alpha is how far a pixel differs from it."""

    kind: ClassVar[str] = "remove background"
    found: ClassVar[tuple[str, ...]] = ("key", "remove background", "black to alpha", "luminance", "unmultiply")
    ground: Annotated[
        Literal["black", "white", "colour"],
        Field(
            "ground",
            "The background it was painted on.",
            options=("Black: alpha is brightness.", "White: alpha is darkness.", "A colour of its own."),
        ),
    ] = "black"
    colour: Annotated[
        tuple[float, float, float],
        Field("colour", "Linear red, green and blue of the background.", least=0, most=100, colour=True,
              needs=(beside("ground", lambda ground: ground == "colour", "The background is not a colour of its own."),)),
    ] = (0.0, 0.5, 0.0)  # fmt: skip
    reach: Annotated[float, Field("reach", "How far from the background's colour it is opaque.", soft=(0, 1), least=0.01, most=10)] = 1.0


class Seamless(Step, frozen=True):
    """Mixes it with itself from beyond its edges, so that it can be laid side by side."""

    kind: ClassVar[str] = "seamless"
    found: ClassVar[tuple[str, ...]] = ("tileable", "wrap", "repeat", "make tile")
    width: Annotated[float, Field("width", "Width of the mixing, along each edge.", soft=(0, 1), least=0.01, most=1)] = 0.5


class Bleed(Step, frozen=True):
    """Carries the light at the edge of what covers outward, where nothing covers: smaller sizes get no dark rims."""

    kind: ClassVar[str] = "bleed"
    found: ClassVar[tuple[str, ...]] = ("dilate", "padding", "edge padding", "halo")
