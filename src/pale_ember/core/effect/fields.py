"""How a field of an effect is declared, once, for everybody who needs to know of it.

A field is an attribute of a frozen `Part` whose annotation carries a `Field`:

    rate: Annotated[float, Field("rate", "Particles born each second.", unit="/s", least=0)] = 40.0

From that one line come the document's reading, writing and JSON Schema, the editor on screen, its
tooltip, search words, and the sentence that says why the field has no effect just now.
"""

import functools
import typing
from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal, get_args, get_origin

import msgspec


class Part(msgspec.Struct, frozen=True, kw_only=True, eq=True):
    """A frozen piece of an effect. `unknown` holds fields a newer version wrote, so a save keeps them."""

    one_value: ClassVar[bool] = False
    """Whether it is edited as one value, such as a range or a curve."""
    unknown: dict[str, Any] = {}

    def moves_particles(self) -> bool:
        """Whether this part of a list changes where particles are, where the list may."""
        return True


@dataclass(frozen=True, slots=True)
class Need:
    """What a field needs to have an effect: `holds(layer)`, else `reason`; `path` leads to the cause.

    own : whether it is the part around the field that is asked, not the layer; then `path` names a field beside it.
    """

    path: tuple[str, ...]
    holds: Callable[[Any], bool]
    reason: str
    own: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Field:
    """The declaration of one field; equal to itself alone.

    label : the word on screen. help : one plain sentence. unit : shown after the number.
    unit_by : a choice beside the field, and the unit in each of its cases.
    soft : where the drag bar runs; values beyond it are fine. least, most : what nature or memory allow.
    words : synonyms for search. needs : conditions for having an effect.
    options : help for each choice of a `Literal`. colour : a triple is linear RGB, not a vector. letters : what stands
    before each number of several, where it is not X, Y and Z.
    hidden : kept in the document, never shown (ids). group : the heading it stands under in its chapter, folded to
    begin with where it says "more". names : of what a text is the name: a layer to spawn or to ride on, an anchor, a
    mesh, a prop, a picture, what a layer stands on, a
    number of the same step; or a word, or frames. whole : a range of whole numbers. otherwise : what a number that is
    not told is taken to be on a layer. moves : whether it changes where particles are, so that they are simulated again;
    None as the field that it stands in, and those of a layer do. always : whether a layer always needs it, so that its
    row stands in its chapter also where it is as usual; in a list, all that is not under "more" does. times : of a width,
    the field beside it that is its height, as a share.
    """

    label: str
    help: str
    unit: str = ""
    unit_by: tuple[str, dict[str, str]] | None = None
    soft: tuple[float, float] | None = None
    least: float | None = None
    most: float | None = None
    words: tuple[str, ...] = ()
    needs: tuple[Need, ...] = ()
    options: tuple[str, ...] = ()
    colour: bool = False
    letters: tuple[str, ...] = ()
    hidden: bool = False
    group: str = ""
    whole: bool = False
    names: Literal["", "spawned", "above", "anchor", "mesh", "prop", "density", "picture", "cue", "stand", "number", "word", "frames"] = (
        ""
    )
    otherwise: Callable[[Any], float] | None = None
    moves: bool | None = None
    always: bool = False
    times: str = ""

    def unit_of(self, part: Any) -> str:
        """The unit of this field in a part that has it."""
        if self.unit_by is None:
            return self.unit
        name, units = self.unit_by
        return units.get(getattr(part, name), "")


@dataclass(frozen=True, slots=True)
class Declared:
    """A field together with its name, its type without the annotation, and its default."""

    name: str
    type: Any
    field: Field
    default: Any


@functools.cache
def fields_of(part: type[Part]) -> dict[str, Declared]:
    """Every declared field of a `Part` by name, in the order of the story."""
    hints = typing.get_type_hints(part, include_extras=True)
    declarations = {}
    for info in msgspec.structs.fields(part):
        hint = hints[info.name]
        if get_origin(hint) is not Annotated:
            continue
        bare, *notes = get_args(hint)
        declaration = next(note for note in notes if isinstance(note, Field))
        default = info.default
        if default is msgspec.NODEFAULT and info.default_factory is not msgspec.NODEFAULT:
            default = info.default_factory()
        declarations[info.name] = Declared(info.name, bare, declaration, default)
    return declarations


@functools.cache
def kinds_of(part: type[Part]) -> dict[str, type[Part]]:
    """The kinds of a part that comes in several, by the word that stands for each in documents; else nothing.

    A kind is a subclass with a `kind` of its own: `class Whirl(AnyForce): kind: ClassVar[str] = "vortex"`.
    """
    return {kind.kind: kind for kind in part.__subclasses__()}  # type: ignore[attr-defined]


def beside(name: str, holds: Callable[[Any], bool], reason: str) -> Need:
    """A need for what stands in a field of the same part."""
    return Need((name,), lambda part: holds(getattr(part, name)), reason, own=True)


def why_idle(field: Field, layer: Any, part: Any = None) -> Need | None:
    """The first unmet need of a field of a part on this layer, or None when the field has an effect."""
    return next((need for need in field.needs if not need.holds(part if need.own else layer)), None)


def inner_part(declared: Declared) -> type[Part] | None:
    """The kind of part that a field holds, one or several, where it has fields to be shown by themselves; None for plain
    values and for parts that are one value."""
    kind = get_args(declared.type)[0] if get_origin(declared.type) is tuple else declared.type
    return kind if isinstance(kind, type) and issubclass(kind, Part) and not kind.one_value else None


def declared_at(part: type[Part], path: tuple[str, ...]) -> Declared:
    """The field at a path of names below a kind of part. Raises KeyError where there is none."""
    declared = fields_of(part)[path[0]]
    for name in path[1:]:
        declared = fields_of(declared.type)[name]
    return declared
