"""What an effect is: frozen values in metres, seconds and degrees; Y up, right-handed; linear colours."""

from typing import Annotated, Literal

from pale_ember.core.effect.bakes import AnyBake
from pale_ember.core.effect.chapters import Birth, Contact, Forces, Life, Look, Offspring, Outlet
from pale_ember.core.effect.events import Answers, Cue
from pale_ember.core.effect.fields import Field, Need, Part
from pale_ember.core.effect.places import Places
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.stage import QUAY, Camera, Pose, Stage
from pale_ember.core.effect.values import Vector


class Share(Part, frozen=True):
    """A part of a layer that others have in common with it."""

    path: Annotated[str, Field("path", "Where the part stands in the layer, its names joined by points.")] = ""
    group: Annotated[str, Field("group", "The same for all that share it.")] = ""
    own: Annotated[tuple[str, ...], Field("own", "Fields of the part that are the layer's own.")] = ()


class Layer(Part, frozen=True):
    """One emitter and its look."""

    id: Annotated[str, Field("id", "Lasting identity, 16 hexadecimal digits.", hidden=True)] = "0000000000000000"
    name: Annotated[str, Field("name", "What the layer is called.", moves=False)] = "layer"
    shown: Annotated[bool, Field("shown", "Whether the layer is drawn, baked and handed over.", moves=False)] = True
    locked: Annotated[bool, Field("locked", "Whether edits are refused.", hidden=True, moves=False)] = False
    shares: Annotated[tuple[Share, ...], Field("shares", "What it has in common with others.", hidden=True, moves=False)] = ()
    tag: Annotated[
        Literal["none", "ember", "sand", "moss", "sea", "plum"],
        Field("tag", "A colour by which it is found in the list.", hidden=True, moves=False),
    ] = "none"
    place: Annotated[
        Vector,
        Field(
            "place", "Where the layer stands.", unit="m", soft=(-5, 5), least=-1e6, most=1e6, always=True, words=("position", "offset")
        ),
    ] = (0.0, 0.0, 0.0)
    turn: Annotated[
        Vector,
        Field(
            "turn",
            "How the layer is turned about X, Y and Z: Z first, then X, then Y.",
            unit="°",
            soft=(-180, 180),
            always=True,
            words=("rotation", "orientation", "angle"),
        ),
    ] = (0.0, 0.0, 0.0)
    space: Annotated[
        Literal["world", "local"],
        Field(
            "space",
            "Whether born particles stay in the world or ride with the layer.",
            options=("They stay where they were born.", "They move and turn with the layer, and so does their gravity."),
            words=("attach", "follow", "ride"),
        ),
    ] = "world"
    scale: Annotated[
        float, Field("scale", "Factor on the whole layer.", unit="×", soft=(0.1, 3), least=0.001, most=1000, always=True)
    ] = 1.0
    rides_on: Annotated[str, Field("rides on", "The layer it moves with.", names="above", always=True, words=("parent", "nest"))] = ""
    stands_on: Annotated[
        str,
        Field(
            "stands on",
            "The anchor or prop that carries it, instead of the carrier.",
            names="stand",
            words=("attach", "bone", "socket", "anchor", "prop"),
            needs=(Need(("rides_on",), lambda layer: not layer.rides_on, "It rides on another layer."),),
        ),
    ] = ""
    keys: Annotated[
        tuple[Pose, ...],
        Field(
            "keys",
            "Where the layer goes over the effect's time, on top of its place, turn and scale.",
            words=("animate", "path", "move", "keyframe"),
        ),
    ] = ()
    turns_with: Annotated[
        Literal["keys", "travel", "target"],
        Field(
            "turns with",
            "What turns the layer.",
            options=("Its own turn and its keys.", "Its up points the way it travels.", "Its up points at the target."),
            words=("look at", "align to path", "orient"),
        ),
    ] = "keys"
    target: Annotated[
        Vector,
        Field(
            "target",
            "The place in the world its up points at.",
            unit="m",
            soft=(-5, 5),
            needs=(Need(("turns_with",), lambda layer: layer.turns_with == "target", "It does not turn with a target."),),
        ),
    ] = (0.0, 1.0, 0.0)
    places: Annotated[Places, Field("places", "On how many places it is, all alike, and how they lie.")] = Places()
    tempo: Annotated[
        float,
        Field("tempo", "How fast the layer's own time runs within the effect's.", unit="×", soft=(0.1, 3), least=0.001,
              most=1000, words=("speed", "time scale")),
    ] = 1.0  # fmt: skip
    outlet: Annotated[Outlet, Field("Outlet", "When and where particles are born.")] = Outlet()
    birth: Annotated[Birth, Field("Birth", "What each particle draws once, at birth.")] = Birth()
    life: Annotated[Life, Field("Life", "What changes as a particle ages.")] = Life()
    forces: Annotated[Forces, Field("Forces", "What pushes a particle.")] = Forces()
    contact: Annotated[Contact, Field("Contact", "What a particle meets.")] = Contact()
    offspring: Annotated[Offspring, Field("Offspring", "What a particle leaves behind.")] = Offspring()
    look: Annotated[Look, Field("Look", "How a particle is drawn.", moves=False)] = Look()


class Credit(Part, frozen=True):
    """Whose a picture or a mesh is."""

    file: Annotated[str, Field("file", "Its name beside the document.")] = ""
    author: Annotated[str, Field("author", "Who made it.", words=("artist", "copyright"))] = ""
    licence: Annotated[str, Field("licence", "Under what terms it may be used.", words=("license", "terms"))] = ""


class DistanceStep(Part, frozen=True):
    """A thinner version of an effect, for where it is seen from afar."""

    beyond: Annotated[float, Field("beyond", "From how far away on it is used.", unit="m", soft=(0, 60), least=0, most=1e6)] = 15.0
    share: Annotated[
        float,
        Field(
            "share",
            "Share of the particles that are left, each larger and stronger instead.",
            unit="×",
            soft=(0.1, 1),
            least=0.01,
            most=1,
        ),
    ] = 0.5


class IgnoredFinding(Part, frozen=True):
    """A finding of the checks that stays as it is, and why."""

    rule: Annotated[str, Field("rule", "Which rule found it.")] = ""
    layer: Annotated[str, Field("layer", "The id of the layer it is about; none for the effect.")] = ""
    path: Annotated[str, Field("path", "The field it is about, its names joined by points.")] = ""
    reason: Annotated[str, Field("reason", "Why it is ignored.")] = ""


class Variant(Part, frozen=True):
    """Another version of an effect that is kept with it."""

    name: Annotated[str, Field("name", "What the variant is called.")] = "variant"
    layers: Annotated[tuple[Layer, ...], Field("layers", "Its layers.")] = ()
    duration: Annotated[float, Field("length", "As the effect's.", unit="s", least=0.01, most=3600)] = 3.0
    loop: Annotated[bool, Field("loop", "As the effect's.")] = True
    seed: Annotated[int, Field("seed", "As the effect's.", least=0, most=2**31 - 1)] = 1
    tempo: Annotated[float, Field("tempo", "As the effect's.", unit="×", least=0.001, most=1000)] = 1.0
    warm: Annotated[bool, Field("warm start", "As the effect's.")] = False
    identical: Annotated[bool, Field("same every loop", "As the effect's.")] = False


class Followed(Part, frozen=True):
    """A layer or a recipe that follows a shared thing of its folder: it can take what that has become since."""

    source: Annotated[str, Field("source", "The shared thing, as starts/spray.")] = ""
    of: Annotated[str, Field("of", "The id of the layer in it; none for a recipe.")] = ""
    layer: Annotated[str, Field("layer", "The id of the layer that follows; none for a recipe.")] = ""
    recipe: Annotated[str, Field("recipe", "The name of the recipe that follows; none for a layer.")] = ""
    taken: Annotated[tuple[Layer, ...], Field("taken", "The layer as it was taken last.")] = ()
    painted: Annotated[tuple[Recipe, ...], Field("painted", "The recipe as it was taken last.")] = ()


class Effect(Part, frozen=True):
    """The document: a handful of layers that read as one thing."""

    name: Annotated[str, Field("name", "What the effect is called.", moves=False)] = "Untitled"
    duration: Annotated[
        float,
        Field(
            "length",
            "Length of the effect, or of one loop.",
            unit="s",
            soft=(0.1, 10),
            least=0.01,
            most=3600,
            words=("duration", "lasts", "loop time"),
        ),
    ] = 3.0
    loop: Annotated[bool, Field("loop", "Begin again at the end, or play once.", words=("looping", "repeat", "one-shot"))] = True
    seed: Annotated[
        int,
        Field(
            "seed",
            "Start of all random numbers: another seed, another variation.",
            soft=(0, 100),
            least=0,
            most=2**31 - 1,
            words=("random", "variation"),
        ),
    ] = 1
    seed_kept: Annotated[bool, Field("seed locked", "Keeps the seed from being changed.", words=("lock", "keep random"), moves=False)] = (
        False
    )
    steps: Annotated[
        int,
        Field(
            "simulation rate",
            "Steps of the simulation each second.",
            unit="/s",
            soft=(10, 120),
            least=1,
            most=1000,
            words=("steps", "fixed step", "tick", "frame rate", "time step"),
        ),
    ] = 60
    tempo: Annotated[
        float,
        Field(
            "tempo",
            "How fast the effect's own time runs; 2 plays it in half the time.",
            unit="×",
            soft=(0.1, 3),
            least=0.001,
            most=1000,
            words=("speed", "time scale", "playback rate"),
        ),
    ] = 1.0
    warm: Annotated[
        bool,
        Field(
            "warm start",
            "A looping effect begins as if it had always run.",
            words=("prewarm", "pre-roll", "preload", "warm up"),
            needs=(Need(("loop",), lambda effect: effect.loop, "Only a looping effect can begin warm."),),
        ),
    ] = False
    identical: Annotated[
        bool,
        Field(
            "same every loop",
            "Every loop draws the same numbers, so that the end meets the beginning.",
            words=("seamless", "repeatable", "same every loop"),
            needs=(Need(("loop",), lambda effect: effect.loop, "The effect plays once."),),
        ),
    ] = False
    layers: Annotated[tuple[Layer, ...], Field("layers", "The emitters, drawn in this order.", words=("emitter", "particle system"))] = ()
    answers: Annotated[Answers, Field("events", "What a game tells it, and how it begins there.", moves=False)] = Answers()
    cues: Annotated[tuple[Cue, ...], Field("cues", "Named moments.", words=("marker", "timeline event"), moves=False)] = ()
    variants: Annotated[tuple[Variant, ...], Field("variants", "Other versions, saved with it.", hidden=True, moves=False)] = ()
    stage: Annotated[Stage, Field("stage", "The preview world.", moves=False)] = Stage()
    recipes: Annotated[
        tuple[Recipe, ...], Field("recipes", "Pictures of its own, kept as the steps by which they are made.", hidden=True, moves=False)
    ] = ()
    credits: Annotated[tuple[Credit, ...], Field("credits", "Whose the pictures and meshes beside it are.", moves=False)] = ()
    distances: Annotated[
        tuple[DistanceStep, ...],
        Field(
            "distance steps",
            "Thinner versions for where it is seen from afar.",
            hidden=True,
            moves=False,
            words=("lod", "level of detail", "far"),
        ),
    ] = ()
    left: Annotated[tuple[IgnoredFinding, ...], Field("left", "Problems that the artist chose to ignore.", hidden=True, moves=False)] = ()
    bakes: Annotated[
        tuple[AnyBake, ...], Field("bakes", "Sheets and clips that a build of its folder bakes.", hidden=True, moves=False)
    ] = ()
    follows: Annotated[tuple[Followed, ...], Field("follows", "What follows shared things of its folder.", hidden=True, moves=False)] = ()


FIRST_VIEW = Camera(name="front")
"""The camera of a stage that keeps none."""

BEGUN = Effect(warm=True, stage=QUAY)
"""What one begins with: a loop that goes evenly from its first moment."""

__all__ = [
    "BEGUN",
    "FIRST_VIEW",
    "Camera",
    "Credit",
    "Cue",
    "DistanceStep",
    "Effect",
    "Followed",
    "IgnoredFinding",
    "Layer",
    "Pose",
    "Share",
    "Stage",
    "Variant",
]
