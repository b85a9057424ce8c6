"""The stage: the preview world. Nothing of it is handed over but the names of its anchors."""

from typing import Annotated, Literal

from pale_ember.core.effect.fields import Field, Need, Part, beside
from pale_ember.core.effect.values import Colour, Pair, Vector

_FAR = dict(least=-1e6, most=1e6)


_SLOPED = Need(("background",), lambda stage: stage.background == "gradient", "The background is not a gradient.")
_PLATED = Need(("background",), lambda stage: stage.background == "picture", "The background is not a picture.")
_GROUNDED = Need(("ground",), lambda stage: stage.ground, "No ground is shown.")
_PAVED = Need(("paving",), lambda stage: stage.ground and stage.paving not in ("grid", "water"), "Only stones and planks are wet or dry.")
_FOGGY = Need(("fog",), lambda stage: stage.fog > 0, "There is no fog.")


class Pose(Part, frozen=True):
    """Where something is at a moment of the effect's time, on top of where it stands."""

    at: Annotated[float, Field("at", "When, from the start of the effect.", unit="s", soft=(0, 3), least=0)] = 0.0
    place: Annotated[Vector, Field("place", "How far from where it stands.", unit="m", soft=(-5, 5), **_FAR)] = (0.0, 0.0, 0.0)
    turn: Annotated[Vector, Field("turn", "How it is turned on top.", unit="°", soft=(-180, 180))] = (0.0, 0.0, 0.0)
    scale: Annotated[float, Field("scale", "Factor on its size.", unit="×", soft=(0, 3), least=0.001, most=1000)] = 1.0
    ease: Annotated[Literal["smooth", "straight", "stepped"], Field("ease", "How it goes on from here to the next.")] = "smooth"


class Camera(Part, frozen=True):
    """A saved view: from where, at what, how wide."""

    name: Annotated[str, Field("name", "What the view is called.")] = "view"
    target: Annotated[Vector, Field("target", "The point looked at.", unit="m", least=-1e6, most=1e6)] = (0.0, 0.9, 0.0)
    distance: Annotated[float, Field("distance", "From the eye to the target.", unit="m", least=0.01, most=1e6)] = 4.5
    heading: Annotated[float, Field("heading", "Turn about the vertical; 0 looks along -Z.", unit="°")] = 20.0
    pitch: Annotated[float, Field("pitch", "How far the camera looks down.", unit="°", least=-89.9, most=89.9)] = 8.0
    fov: Annotated[float, Field("field of view", "Vertical angle of view.", unit="°", least=1, most=150)] = 40.0


GROUND = "ground"
"""The name of the plane at height 0 that every stage has."""


Matter = Literal["plain", "stone", "brick", "wood", "iron"]
"""What props are made of."""


class Prop(Part, frozen=True):
    """Something that stands on the stage and can be touched."""

    name: Annotated[str, Field("name", "What it is called.")] = "prop"
    shape: Annotated[
        Literal["box", "sphere", "cylinder", "ramp", "plane", "mesh"],
        Field(
            "shape",
            "Its shape.",
            options=(
                "A box.",
                "A sphere.",
                "A standing cylinder.",
                "A wedge that rises towards -Z.",
                "An endless plane, solid below.",
                "A mesh.",
            ),
            words=("collider", "primitive", "cube", "ball", "drum", "slope", "wedge"),
        ),
    ] = "box"
    place: Annotated[Vector, Field("place", "Where its middle is.", unit="m", soft=(-5, 5), **_FAR)] = (0.0, 0.5, 0.0)
    turn: Annotated[Vector, Field("turn", "About Z, then X, then Y.", unit="°", soft=(-180, 180))] = (0.0, 0.0, 0.0)
    size: Annotated[
        Vector,
        Field("size", "Full width, height and depth; a sphere and a cylinder take their width for the diameter, "
              "a mesh is so many times as large as it was modelled.",
              unit="m", soft=(0.1, 5), least=1e-4, most=1e6),
    ] = (1.0, 1.0, 1.0)  # fmt: skip
    mesh: Annotated[
        str,
        Field(
            "mesh",
            "A built-in solid (solid:name) or a mesh file beside the document.",
            names="mesh",
            needs=(beside("shape", lambda shape: shape == "mesh", "Only a mesh is read from a file."),),
        ),
    ] = "solid:kiln arch"
    matter: Annotated[
        Matter,
        Field(
            "matter",
            "What it is made of, to the eye.",
            options=("Plain.", "Rough stone.", "Courses of brick.", "Boards, framed on a box.", "Dark iron that shines."),
            words=("material", "surface", "crate", "metal", "masonry"),
            moves=False,
        ),
    ] = "plain"
    keys: Annotated[tuple[Pose, ...], Field("keys", "How it moves over the effect's time.")] = ()
    carried: Annotated[bool, Field("carried", "Whether it rides on the carrier.")] = False
    solid: Annotated[bool, Field("solid", "Whether particles touch it.")] = True
    shown: Annotated[bool, Field("shown", "Whether it is drawn.", moves=False)] = True
    shines: Annotated[
        float,
        Field("shines", "How bright it shines by itself, in its colour: the glass of a lamp, hot iron. It lights nothing; a lamp does.",
              unit="×", soft=(0, 8), least=0, most=1e4, words=("emissive", "lamp glass", "glows"), moves=False),
    ] = 0.0  # fmt: skip
    tint: Annotated[Colour, Field("tint", "Its colour, on the stone of the background.", least=0, most=100, colour=True, moves=False)] = (
        1.0,
        1.0,
        1.0,
    )


class Anchor(Part, frozen=True):
    """A named place and turn. Its name is handed over, its place is not."""

    name: Annotated[str, Field("name", "What it is called.")] = "anchor"
    place: Annotated[Vector, Field("place", "Where it is.", unit="m", soft=(-5, 5), **_FAR)] = (0.0, 1.0, 0.0)
    turn: Annotated[Vector, Field("turn", "About Z, then X, then Y.", unit="°", soft=(-180, 180))] = (0.0, 0.0, 0.0)
    keys: Annotated[tuple[Pose, ...], Field("keys", "How it moves over the effect's time.")] = ()
    carried: Annotated[bool, Field("carried", "Whether it rides on the carrier.")] = False


class Carrier(Part, frozen=True):
    """What moves the whole effect in the preview."""

    moves: Annotated[
        Literal["still", "to and fro", "circle", "eight", "throw", "keys"],
        Field(
            "moves",
            "How it goes.",
            options=(
                "It stands still.",
                "Along X and back.",
                "Round about, level.",
                "A figure of eight, level.",
                "Along X on an arc, again and again.",
                "By its keys.",
            ),
            words=("animated parent", "motion", "attach", "projectile", "orbit"),
        ),
    ] = "still"
    reach: Annotated[float, Field("reach", "How far it goes: the whole way, or the circle's radius.", unit="m", soft=(0, 10), **_FAR)] = (
        3.0
    )
    height: Annotated[float,
        Field("height", "Height of the throw at its top.", unit="m", soft=(0, 5),
              needs=(beside("moves", lambda moves: moves == "throw", "Only a throw rises."),), **_FAR),
    ] = 1.5  # fmt: skip
    period: Annotated[
        float, Field("period", "Seconds for once there and back, around, or through.", unit="s", soft=(0.2, 10), least=0.01)
    ] = 3.0
    turns: Annotated[bool, Field("turns", "Whether it turns to look where it goes.")] = False
    banks: Annotated[
        float,
        Field("banking", "How far it leans into its bends; 1 as far as a rider would.", unit="×", soft=(0, 1), least=0,
              most=10, words=("lean", "roll", "tilt"),
              needs=(beside("turns", lambda turns: turns, "It does not turn to look where it goes."),)),
    ] = 0.0  # fmt: skip
    keys: Annotated[tuple[Pose, ...], Field("keys", "Its keys.")] = ()


class Sun(Part, frozen=True):
    """The one far light of the stage: the sun, or the moon."""

    power: Annotated[
        float, Field("sun", "How bright it is.", unit="×", soft=(0, 3), least=0, most=1e4, words=("moon", "directional"))
    ] = 0.3
    heading: Annotated[float, Field("sun from", "Where it stands, about the vertical.", unit="°", soft=(-180, 180))] = 40.0
    height: Annotated[float, Field("sun height", "How high it stands.", unit="°", soft=(0, 90), least=-90, most=90)] = 50.0
    tint: Annotated[Colour, Field("sun tint", "Its colour.", least=0, most=100, colour=True)] = (0.78, 0.86, 1.0)
    sky: Annotated[
        float,
        Field("sky", "Factor on the light from all around.", unit="×", soft=(0, 3), least=0, most=1e4, words=("ambient", "environment")),
    ] = 1.0


class Lamp(Part, frozen=True):
    """A light on the stage."""

    name: Annotated[str, Field("name", "What it is called.")] = "lamp"
    place: Annotated[Vector, Field("place", "Where it hangs.", unit="m", soft=(-5, 5), **_FAR)] = (1.5, 2.5, 1.0)
    tint: Annotated[Colour, Field("tint", "Its colour.", least=0, most=100, colour=True)] = (1.0, 0.78, 0.5)
    power: Annotated[float, Field("power", "How bright it is, a metre away.", unit="×", soft=(0, 10), least=0, most=1e5)] = 1.0


class GameCamera(Part, frozen=True):
    """From where the game will look."""

    height: Annotated[float, Field("game camera height", "Height of the game's camera.", unit="m", soft=(0, 5), least=-1e4, most=1e4)] = (
        1.65
    )
    distance: Annotated[
        float, Field("game camera distance", "How far it stands from the effect.", unit="m", soft=(1, 30), least=0.05, most=1e5)
    ] = 6.0
    fov: Annotated[
        float, Field("game camera view", "Its vertical field of view.", unit="°", soft=(20, 100), least=1, most=150,
                     words=("fov", "field of view", "lens"))
    ] = 55.0  # fmt: skip


_SHOWN = beside("file", bool, "There is no reference.")
_THERE: dict = dict(needs=(_SHOWN,))
_OVER = beside("shows", lambda shows: shows == "over", "It is not shown over the effect.")


class Reference(Part, frozen=True):
    """Footage that shows what the effect is to look like. It is a file beside the effect, and never handed over."""

    file: Annotated[
        str,
        Field(
            "file",
            "A picture, a sheet, a clip or a folder of frames beside the effect. It is never handed over.",
            words=("reference", "footage", "video", "clip", "concept", "plate"),
        ),
    ] = ""
    shows: Annotated[
        Literal["line", "beside", "over", "behind", "difference", "hidden"],
        Field(
            "shown",
            "How it is seen on the stage.",
            options=(
                "To the right of a line that can be dragged.",
                "Whole, in the right half.",
                "Over the effect, as through a thin sheet.",
                "Behind the effect, in place of ground and props.",
                "What differs from the effect, and black where nothing does.",
                "Not at all.",
            ),
            words=("onion", "compare", "wipe", "split", "overlay", "subtract"),
            **_THERE,
        ),
    ] = "line"
    opacity: Annotated[
        float, Field("opacity", "How much it covers.", soft=(0, 1), least=0, most=1, words=("onion",), needs=(_SHOWN, _OVER))
    ] = 0.5
    first: Annotated[float, Field("in", "Where in the footage it begins.", unit="s", soft=(0, 5), least=0, most=3600, **_THERE)] = 0.0
    last: Annotated[
        float, Field("out", "Where in the footage it ends; 0 at its own end.", unit="s", soft=(0, 5), least=0, most=3600, **_THERE)
    ] = 0.0
    tempo: Annotated[
        float, Field("tempo", "How fast it runs.", unit="×", soft=(0.1, 3), least=0.01, most=100, words=("speed", "retime"), **_THERE)
    ] = 1.0
    offset: Annotated[
        float, Field("begins", "When it begins, from the start of the effect.", unit="s", soft=(-3, 3), least=-3600, most=3600, **_THERE)
    ] = 0.0
    columns: Annotated[int, Field("columns", "Frames side by side, where it is a sheet.", soft=(1, 16), least=1, most=64, **_THERE)] = 1
    rows: Annotated[int, Field("rows", "Rows of frames, where it is a sheet.", soft=(1, 16), least=1, most=64, **_THERE)] = 1
    place: Annotated[
        Pair,
        Field("place", "How far right and up it lies, in heights of the picture.", soft=(-1, 1), least=-10, most=10, letters=("X", "Y"),
              **_THERE),
    ] = (0.0, 0.0)  # fmt: skip
    scale: Annotated[
        float, Field("scale", "How large it is; 1 is as high as the picture.", unit="×", soft=(0.2, 3), least=0.01, most=100, **_THERE)
    ] = 1.0


class Stage(Part, frozen=True):
    """The preview world. Nothing of it is handed over."""

    ground: Annotated[bool, Field("ground", "Show the ground plane; contact works either way.")] = True
    paving: Annotated[
        Literal["grid", "flagstones", "setts", "planks", "water"],
        Field(
            "paving",
            "What the ground is made of, to the eye; what touches it touches a plane at height 0.",
            options=(
                "Bare, with a line each metre.",
                "Worn flagstones with seams.",
                "Small square stones.",
                "Planks of a jetty.",
                "Open water that moves.",
            ),
            words=("floor", "stones", "tiles", "cobbles", "sea", "ground material"),
            needs=(_GROUNDED,),
        ),
    ] = "grid"
    wet: Annotated[
        float,
        Field("wet", "How wet the paving is: the wetter, the darker it is, the larger its puddles, and the clearer what they mirror.",
              soft=(0, 1), least=0, most=1, words=("wetness", "puddles", "reflection", "rain", "shiny"), needs=(_PAVED,)),
    ] = 0.0  # fmt: skip
    figure: Annotated[bool, Field("scale figure", "Show a standing figure, 1.75 m tall, for scale.")] = False
    background: Annotated[
        Literal["dark", "mid", "light", "gradient", "checker", "picture"],
        Field(
            "background",
            "What lies behind the effect.",
            options=(
                "Dark, as at night.",
                "Middle grey.",
                "Light.",
                "From one colour at the bottom to another at the top.",
                "A checker, to see what covers and what adds.",
                "A picture of one's own.",
            ),
            words=("backdrop",),
        ),
    ] = "dark"
    bottom: Annotated[Colour, Field("bottom", "Colour of the gradient there.", least=0, most=100, colour=True, needs=(_SLOPED,))] = (
        0.10,
        0.075,
        0.06,
    )
    top: Annotated[Colour, Field("top", "Colour of the gradient there.", least=0, most=100, colour=True, needs=(_SLOPED,))] = (
        0.012,
        0.02,
        0.035,
    )
    picture: Annotated[
        str, Field("picture", "The picture behind the effect.", names="picture", words=("plate", "backplate"), needs=(_PLATED,))
    ] = ""
    fog: Annotated[
        float, Field("fog", "Share of the light that a metre of air keeps back.", unit="/m", soft=(0, 0.3), least=0,
                     most=10, words=("haze", "mist", "atmosphere", "depth"))
    ] = 0.0  # fmt: skip
    fog_tint: Annotated[Colour, Field("fog tint", "Its colour.", least=0, most=100, colour=True, needs=(_FOGGY,))] = (0.02, 0.024, 0.03)
    tone: Annotated[
        Literal["aces", "filmic", "hue kept", "clipped"],
        Field(
            "tone",
            "How bright light is brought to the screen.",
            options=(
                "The Academy's film curve: bright orange runs through yellow to white, darks deepen.",
                "Each channel rolls off by itself, as on film: brighter darks, and yellower fire.",
                "Highlights roll off and keep their hue.",
                "Cut at white.",
            ),
            words=("tone mapping", "tonemapper", "hdr", "filmic", "academy"),
        ),
    ] = "aces"
    exposure: Annotated[
        float,
        Field("exposure", "How long the film is exposed, in stops.", soft=(-4, 4), least=-20, most=20, words=("brightness", "stops")),
    ] = 0.0
    sun: Annotated[Sun, Field("sun and sky", "The light from afar.")] = Sun()
    lamps: Annotated[tuple[Lamp, ...], Field("lamps", "Lights on the stage.")] = ()
    game: Annotated[GameCamera, Field("game camera", "From where the game will look.")] = GameCamera()
    gravity: Annotated[
        Vector,
        Field("gravity", "An acceleration that all world layers feel as well as their own.", unit="m/s²",
              soft=(-10, 10), least=-1e5, most=1e5, moves=True),
    ] = (0.0, 0.0, 0.0)  # fmt: skip
    wind: Annotated[
        Vector,
        Field("wind", "Air that all world layers feel as well as their own.", unit="m/s", soft=(-5, 5), least=-1e4, most=1e4, moves=True),
    ] = (0.0, 0.0, 0.0)
    props: Annotated[tuple[Prop, ...], Field("props", "What stands on it and can be touched.", moves=True)] = ()
    anchors: Annotated[tuple[Anchor, ...], Field("anchors", "Named places.", moves=True, words=("attachment",))] = ()
    carrier: Annotated[Carrier, Field("carrier", "What moves the effect.", moves=True)] = Carrier()
    reference: Annotated[Reference, Field("reference", "Footage that shows what the effect is to look like.")] = Reference()
    cameras: Annotated[tuple[Camera, ...], Field("cameras", "Saved views; the first is the view pictures are taken from.")] = ()

    @property
    def mirrors(self) -> bool:
        """Whether its ground shows what is above it."""
        return self.ground and (self.paving == "water" or (self.paving != "grid" and self.wet > 0))

    def grounds(self) -> tuple[Anchor | Prop, ...]:
        """All that a layer may stand on."""
        return (*self.anchors, *self.props)


QUAY = Stage(
    paving="flagstones",
    wet=0.35,
    exposure=0.7,
    sun=Sun(power=0.45, heading=-140.0, height=38.0, tint=(0.6, 0.75, 1.0), sky=1.6),
    cameras=(Camera(name="front", target=(0.0, 0.85, 0.0), distance=4.4, heading=20.0, pitch=10.0),),
)
"""The stage that a new effect stands on: a quay of wet stones at night."""
