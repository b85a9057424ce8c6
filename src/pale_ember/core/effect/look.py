"""The Look: how a particle is drawn."""

from typing import Annotated, Literal

from msgspec.structs import force_setattr

from pale_ember.core.effect.fields import Field, Need, Part
from pale_ember.core.effect.needs import chosen
from pale_ember.core.effect.strips import Beam, Ribbon
from pale_ember.core.effect.surface import SEEN_THROUGH, Dissolve, Halo, Light, Surface
from pale_ember.core.effect.values import Range, fixed

_SPRITE = chosen("look", "drawn_as", ("sprite",), "Only sprites have it.")
_STANDS = chosen("look", "drawn_as", ("sprite", "mesh"), "Strips lie along their path.")
_SOFT = Need(
    ("look", "facing"),
    lambda layer: layer.look.drawn_as != "sprite" or layer.look.facing != "flat",
    "What lies flat on the ground meets it everywhere, and is lifted off it instead.",
)
_RIBBON = Need(
    ("look", "drawn_as"),
    lambda layer: layer.look.drawn_as == "ribbon" or layer.look.trails,
    "There are no ribbons: choose them, or a trail.",
)
_BEAM = chosen("look", "drawn_as", ("beam",), "The particles are not drawn as beams.")
_LIES = chosen("look", "facing", ("flat", "free", "across motion"), "Only what lies or is turned freely is laid on things.")
_ALONG = chosen("look", "facing", ("along motion",), "Only sprites along their motion lengthen with it.")
_SHEET = Need(("look", "columns"), lambda layer: layer.look.columns * layer.look.rows > 1, "The picture is a single frame.")
_CLOCK = chosen("look", "play", ("by clock", "flicker"), "Only playing by clock or flickering has a speed.")
_STILL = Need(
    ("look", "surface", "tile"),
    lambda layer: not layer.look.fills,
    "A picture that runs, is warped, blurred or draped fills all of its card.",
)
_MESH = chosen("look", "drawn_as", ("mesh",), "The particles are not drawn as meshes.")
_BUMPY = Need(("look", "solid", "bumps"), lambda layer: layer.look.solid.bumps > 0, "It has no bumps.")
_VECTORS = chosen("look", "between", ("along vectors",), "The frames do not follow motion vectors.")


class Solid(Part, frozen=True):
    """A mesh for each particle. A particle of size 1 shows it as it was modelled."""

    mesh: Annotated[
        str,
        Field(
            "mesh",
            "A built-in solid (solid:name), or a mesh file beside the document; #name behind it is one object.",
            names="mesh",
            words=("model", "object", "geometry"),
        ),
    ] = "solid:shard"
    smooth: Annotated[
        float,
        Field("smooth below", "Faces that meet at less than this are shaded as one round surface.", unit="°",
              soft=(0, 180), least=0, most=180, words=("normals", "smoothing angle", "hard edges")),
    ] = 40.0  # fmt: skip
    sides: Annotated[
        Literal["both", "outside", "inside"],
        Field(
            "seen from",
            "Which of its faces are drawn.",
            words=("cull", "backface", "two-sided", "shell"),
            options=("Both sides of every face.", "Only what faces the camera.", "Only what faces away: a shell behind."),
        ),
    ] = "both"
    bumps: Annotated[
        float,
        Field("bumps", "How far noise pushes its surface in and out, as a share of its size: fire balls, water, molten stone.", unit="×",
              soft=(0, 0.5), least=0, most=10, words=("displacement", "noise", "vertex offset", "wobble", "deform")),
    ] = 0.0  # fmt: skip
    bump_size: Annotated[
        float,
        Field("bump size", "How large the bumps are, as a share of its size.", unit="×", soft=(0.05, 1), least=0.01, most=100,
              words=("frequency", "scale"), needs=(_BUMPY,)),
    ] = 0.4  # fmt: skip
    bump_speed: Annotated[
        float,
        Field("bump speed", "How fast the bumps run over it, in bumps.", unit="/s", soft=(-4, 4), least=-1e3, most=1e3,
              words=("scroll", "boil"), needs=(_BUMPY,)),
    ] = 1.0  # fmt: skip
    tumbles: Annotated[
        bool,
        Field(
            "tumbles",
            "Angle and spin turn it about an axis of its own, instead of about its height.",
            words=("rotate", "random axis", "roll"),
        ),
    ] = False


class Look(Part, frozen=True):
    """How a particle is drawn."""

    def __post_init__(self) -> None:
        if not isinstance(self.streak, Range):
            force_setattr(self, "streak", fixed(self.streak))

    drawn_as: Annotated[
        Literal["sprite", "mesh", "ribbon", "beam"],
        Field(
            "drawn as",
            "What stands for a particle.",
            options=("A flat picture.", "A mesh.", "A strip along a path.", "A strip between two anchors."),
            words=("billboard", "trail", "lightning", "renderer", "strip", "model", "debris"),
        ),
    ] = "sprite"
    trail: Annotated[
        bool,
        Field(
            "trail",
            "Draws a ribbon behind each of its particles as well, with the ribbon's own picture, width and colours.",
            words=("tail", "ribbon behind", "streamer", "comet"),
            needs=(_STANDS,),
            moves=True,
        ),
    ] = False
    picture: Annotated[
        str,
        Field(
            "picture",
            "A picture of the library (library:name), a recipe (recipe:name), or one beside the document.",
            names="picture",
            words=("texture", "image", "sprite", "material", "card", "library"),
        ),
    ] = "library:soft dot"
    columns: Annotated[
        int,
        Field(
            "columns",
            "Frames side by side in the picture.",
            soft=(1, 8),
            least=1,
            most=64,
            words=("texture sheet", "tiles", "grid", "sheet"),
            needs=(_SPRITE,),
        ),
    ] = 1
    rows: Annotated[
        int,
        Field(
            "rows",
            "Frames above each other in the picture.",
            soft=(1, 8),
            least=1,
            most=64,
            words=("tiles", "grid", "sheet"),
            needs=(_SPRITE,),
        ),
    ] = 1
    play: Annotated[
        Literal["over life", "by clock", "one at random", "flicker"],
        Field(
            "play",
            "How the frames of a sheet follow each other.",
            options=(
                "All frames once, from birth to death.",
                "At a steady speed, again and again.",
                "One frame kept for life.",
                "Another frame by chance, again and again.",
            ),
            words=("flipbook", "animation", "frames"),
            needs=(_SPRITE, _SHEET),
        ),
    ] = "over life"
    fps: Annotated[
        float,
        Field(
            "frames per second",
            "How fast they follow each other when playing by clock or flickering.",
            unit="/s",
            soft=(0, 60),
            least=0,
            most=1000,
            words=("frame rate", "fps", "pace", "flipbook speed"),
            needs=(_SPRITE, _SHEET, _CLOCK),
        ),
    ] = 12.0
    between: Annotated[
        Literal["mixed", "cut", "along vectors"],
        Field(
            "between frames",
            "How one frame becomes the next.",
            options=("They flow into each other.", "One is cut to the next.", "Each is carried along the sheet's motion vectors."),
            words=("blend frames", "interpolate", "motion vectors", "smooth flipbook"),
            needs=(_SPRITE, _SHEET, chosen("look", "play", ("over life", "by clock"), "The frames do not follow each other.")),
        ),
    ] = "mixed"
    vectors: Annotated[
        str,
        Field(
            "vectors",
            "A sheet of the same grid: red and green say how the picture moves to its next frame.",
            names="picture",
            needs=(_SPRITE, _SHEET, _VECTORS),
            group="more: sheet",
        ),
    ] = ""
    vectors_reach: Annotated[
        float,
        Field("vector reach", "How far full red or green moves, as a share of a frame.", unit="×", soft=(0, 0.2),
              least=-10, most=10, needs=(_SPRITE, _SHEET, _VECTORS), group="more: sheet"),
    ] = 0.05  # fmt: skip
    blend: Annotated[
        Literal["additive", "alpha", "multiply", "premultiplied", "screen", "cut-out"],
        Field(
            "blend",
            "How a particle mixes with what lies behind it.",
            options=(
                "Adds its light: fire, glow, sparks.",
                "Covers: smoke, dust, drops.",
                "Darkens: soot, shadow.",
                "Covers, its light already multiplied by its alpha: fire with its own smoke.",
                "Adds its light but never beyond white: mist, soft glow.",
                "Solid where the picture is: hard cartoon shapes, shards.",
            ),
            words=("blend mode", "transparent", "screen", "material"),
            always=True,
        ),
    ] = "additive"
    cut: Annotated[
        float,
        Field(
            "alpha cutoff",
            "The least alpha of the picture that is drawn, whatever the particle's opacity.",
            soft=(0, 1),
            least=0,
            most=1,
            words=("threshold", "clip", "alpha test"),
            needs=(chosen("look", "blend", ("cut-out",), "Only a cut-out is cut."),),
        ),
    ] = 0.5
    facing: Annotated[
        Literal["to camera", "upright", "along motion", "across motion", "flat", "free"],
        Field(
            "facing",
            "How a sprite is turned.",
            options=(
                "Square to the camera.",
                "Standing upright, turned to the camera.",
                "Its height lies along its motion.",
                "Its face looks along its motion.",
                "Lying flat, its face up.",
                "As the layer is turned.",
            ),
            words=("billboard", "alignment", "orientation", "stretched"),
            needs=(_STANDS,),
            always=True,
        ),
    ] = "to camera"
    streak: Annotated[
        Range,
        Field(
            "streak",
            "Lengthening along motion, as a shutter left open this long would show.",
            unit="s",
            soft=(0, 0.2),
            least=0,
            most=100,
            words=("exposure", "stretch", "motion blur", "trail"),
            needs=(_SPRITE, _ALONG),
        ),
    ] = fixed(0.0)
    blur: Annotated[
        float,
        Field("motion blur", "How long a shutter stays open: each card is smeared along its motion across the screen, and as much "
              "fainter.",
              unit="s", soft=(0, 0.1), least=0, most=10, words=("shutter", "exposure", "smear"), needs=(_SPRITE,),
              group="more: how it stands"),
    ] = 0.0  # fmt: skip
    drape: Annotated[
        float,
        Field("drape", "How far up and down from its card it is laid on whatever is there: cracks, scorches and wet marks lie on steps, "
              "props and slopes. 0 leaves it flat.", unit="m", soft=(0, 1), least=0, most=100,
              words=("decal", "projected", "mark", "wraps"), needs=(_SPRITE, _LIES, SEEN_THROUGH), group="more: how it stands"),
    ] = 0.0  # fmt: skip
    soft: Annotated[
        float,
        Field(
            "soft intersection",
            "Distance over which a card fades where it meets what is solid.",
            unit="m",
            soft=(0, 1),
            least=0,
            most=1e4,
            words=("soft particles", "depth fade", "intersection"),
            needs=(_SOFT,),
        ),
    ] = 0.1
    fade_near: Annotated[
        float,
        Field("fade near camera", "Distance from the camera within which it fades, so that nothing fills the picture.",
              unit="m", soft=(0, 3), least=0, most=1e4, words=("camera fade", "near clip", "depth"),
              group="more: how it stands"),
    ] = 0.25  # fmt: skip
    stacking: Annotated[
        Literal["near on top", "young on top", "old on top", "as born"],
        Field(
            "stacking",
            "Which particles of the layer are drawn over which.",
            options=(
                "The near over the far.",
                "Those early in their lives over those late in them.",
                "Those late in their lives over those early in them.",
                "The later born over the earlier; costs nothing.",
            ),
            words=("sort", "depth", "priority", "order", "draw order"),
            needs=(_STANDS, chosen("look", "blend", ("alpha", "premultiplied"), "Their order does not show in this blend.")),
            group="more: how it stands",
        ),
    ] = "near on top"
    order: Annotated[
        int,
        Field(
            "draw order",
            "A layer with a higher number is drawn over all with a lower one; those alike from row to row.",
            soft=(-3, 3),
            least=-1000,
            most=1000,
            words=("sorting", "layer order", "priority", "in front", "behind"),
            group="more: how it stands",
        ),
    ] = 0
    pivot: Annotated[
        float,
        Field(
            "pivot",
            "The point of its height that stands on the particle: 0 its middle, -1 its foot, 1 its top.",
            soft=(-1, 1),
            words=("anchor", "origin"),
            needs=(_STANDS,),
            group="more: how it stands",
        ),
    ] = 0.0
    pull: Annotated[
        float,
        Field(
            "pull towards camera", "How far it is drawn towards the camera, so that it does not sink into things.", unit="m",
            soft=(0, 1), least=-1e4, most=1e4, words=("offset", "depth bias"), needs=(_STANDS,), group="more: how it stands",
        ),
    ] = 0.0  # fmt: skip
    corners: Annotated[
        int,
        Field(
            "corners of the card",
            "Each card is cut to an outline of so many corners around what its picture holds: more of them "
            "paint less that is empty. Four are the box around it.",
            soft=(4, 8),
            least=4,
            most=8,
            words=("outline", "trim", "polygon", "overdraw", "fill rate"),
            needs=(_SPRITE, _STILL),
            group="more: how it stands",
        ),
    ] = 4
    surface: Annotated[Surface, Field("surface", "What its picture does.")] = Surface()
    dissolve: Annotated[Dissolve, Field("dissolve", "How it dissolves.")] = Dissolve()
    light: Annotated[Light, Field("light", "What light it takes and gives.")] = Light()
    shine: Annotated[Halo, Field("glow", "The halo around what is bright.")] = Halo()
    solid: Annotated[Solid, Field("mesh", "What each particle is, drawn as a mesh.", needs=(_MESH,))] = Solid()
    ribbon: Annotated[Ribbon, Field("ribbon", "The strip along a path.", needs=(_RIBBON,))] = Ribbon()
    beam: Annotated[Beam, Field("beam", "The strip between two anchors.", needs=(_BEAM,))] = Beam()

    @property
    def trails(self) -> bool:
        """Whether a ribbon is drawn behind each particle, besides the particle."""
        return self.trail and self.drawn_as in ("sprite", "mesh")

    @property
    def fills_air(self) -> bool:
        """Whether its particles make the air thick."""
        return self.light.fog > 0 and self.drawn_as in ("sprite", "mesh")

    @property
    def lightning(self) -> bool:
        """Whether its particles are beams that strike."""
        return self.drawn_as == "beam" and self.beam.kinks > 0

    @property
    def premultiplied(self) -> bool:
        """Whether its picture is read as light that is multiplied by its cover."""
        return self.blend == "premultiplied" and self.surface.channel == "all"

    @property
    def drapes(self) -> bool:
        """Whether each card is laid on what is there, rather than drawn where it is."""
        lies = self.facing in ("flat", "free", "across motion") and self.blend != "cut-out"
        return self.drape > 0 and self.drawn_as == "sprite" and lies

    @property
    def tiled(self) -> bool:
        """Whether the picture runs over its card instead of lying on it once."""
        surface = self.surface
        runs = surface.tile != (1.0, 1.0) or any(surface.scroll) or surface.scatter != 0 or bool(surface.warp)
        return runs and self.columns * self.rows == 1

    @property
    def fills(self) -> bool:
        """Whether its picture runs, is warped, smeared or laid on things, so that no part of the card is known to be empty."""
        return self.tiled or bool(self.surface.warp) or self.blur > 0 or self.drapes
