"""A package: all that a game takes away of one effect, as files by their names. Whoever asks for it writes them."""

from __future__ import annotations

import dataclasses
import hashlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember import __version__
from pale_ember.core.effect.edit import credit_of
from pale_ember.core.effect.files import meshes_of, pictures_of
from pale_ember.core.effect.forces import Stirring
from pale_ember.core.effect.model import Effect, Layer, Stage
from pale_ember.core.effect.recipe.recipe import RECIPE, recipe_named
from pale_ember.core.effect.renaming import with_names
from pale_ember.core.geometry.mesh import SOLID, Mesh
from pale_ember.core.insight.checks.stage import LEGAL, name_problems
from pale_ember.core.insight.effect_cost import EffectCost, cost_of
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.simulate.turbulence_field import eddies
from pale_ember.core.texture.channels import ChannelGroup, laid_together
from pale_ember.core.texture.library import PREFIX, is_card, multiplied
from pale_ember.core.texture.outline import outline_of
from pale_ember.formats.disk import PACKAGE
from pale_ember.formats.handover.meshes import glb_bytes
from pale_ember.formats.handover.notes import notes
from pale_ember.formats.handover.runtime import PackageError, handed, json_bytes, runtime_form, runtime_schema, slug
from pale_ember.formats.handover.textures import (
    Kept,
    PictureUse,
    TextureOptions,
    format_advice,
    none_kept,
    size_advice,
    texture_files,
    uses_of,
)
from pale_ember.formats.handover.vectors import Drawing, of_package, vectors
from pale_ember.formats.shelf import Shelf

Progress = Callable[[float, str], bool]
"""(share done, what comes now) → whether to go on."""


AS_IT_COMES = TextureOptions()


class Cancelled(Exception):  # noqa: N818 - it is what happened
    """Nobody wants the package any more; it has no words, for whoever stopped it knows."""


@dataclass(frozen=True, slots=True)
class Package:
    """files : bytes by their names in the package. effect : as it was handed, its pictures and meshes under these names.
    textures : what is known of each. advice : what is worth a look, in sentences."""

    files: dict[str, bytes]
    effect: Effect
    cost: EffectCost
    textures: dict[str, dict[str, Any]] = field(default_factory=dict)
    advice: tuple[str, ...] = ()


def package_of(
    effect: Effect, shelf: Shelf, wanted: TextureOptions = AS_IT_COMES, kept: Kept | None = None,
    events: Sequence[str] | None = None, with_vectors: bool = False, progress: Progress = lambda share, what: True,
    drawing: Drawing | None = None, tables: bool = False,
) -> Package:  # fmt: skip
    """The package of an effect. events : the names that the game knows, where they are known. with_vectors : whether what
    players are checked with comes along; drawing : what tells for them what a renderer takes. tables : whether curves and gradients are
    told as tables as well. Raises PackageError for what
    cannot be handed over, and Cancelled."""
    kept = none_kept() if kept is None else kept
    fault = wanted.fault()
    if fault:
        raise PackageError(f"textures: {fault}")
    leaves = handed(effect)
    if not any(layer.shown for layer in leaves.layers):
        raise PackageError(f"{effect.name}: expected a layer that is shown, found none; show one")
    advice = _names_checked(leaves, events)

    def go(share: float, what: str) -> None:
        if not progress(share, what):
            raise Cancelled

    files: dict[str, bytes] = {}
    renamed: dict[tuple[str, str], str] = {}
    shelf.recipes = effect.recipes
    shared, together = laid_together(leaves, shelf.get)
    lost = next((name for name in pictures_of(leaves) if name in shelf.faults), None)
    if lost is not None:
        raise PackageError(shelf.faults[lost])
    outlines = {layer.id: _outline(layer, shelf) for layer in leaves.layers}
    spared = len(pictures_of(leaves)) - len(pictures_of(shared))
    if wanted.together:
        leaves = shared
    elif together:
        advice.append(f"textures: single channels are read of some; laid together there would be {spared} fewer")
    textures = _textures(leaves, shelf, wanted, kept, files, renamed, advice, go, together)
    _meshes(leaves, shelf, files, renamed, go)
    leaves = with_names(_without_unused(leaves, renamed), renamed)
    go(0.75, "budget")
    bare = replace(effect, stage=Stage(anchors=leaves.stage.anchors), layers=handed(effect).layers)
    cost = cost_of(Timeline(bare, shelf.mesh, shelf.density), lambda share: progress(0.75 + 0.2 * share, "budget"))
    if cost is None:
        raise Cancelled
    told_of = {identity: _taken(taken) | outlines[identity] for identity, taken in cost.layers.items()}
    form = runtime_form(leaves, told_of, tables=tables)
    form |= {"bounds": _bounds(cost), "budget": _budget(leaves, cost, textures), "files": textures}
    files["effect.json"] = json_bytes(form)
    files["schema.json"] = json_bytes(runtime_schema())
    slugs = {layer["id"]: layer["slug"] for layer in form["layers"]}
    whose = _credits(effect, renamed, together)
    told = [f"{name}: {each['author'] or 'author unknown'}, {each['licence'] or 'licence unknown'}" for name, each in whose.items()]
    if with_vectors:
        files["vectors.json"] = json_bytes([*of_package(leaves, _meshes_renamed(shelf, renamed)), *vectors(drawing)])
    if with_vectors or stirred(leaves):
        files["eddies.f32"] = eddies().tobytes()
    files["NOTES.md"] = notes(leaves, effect.stage, slugs, cost, advice, told)
    files["manifest.json"] = json_bytes(_manifest(leaves, files, whose))
    go(1.0, "done")
    return Package(files, leaves, cost, textures, tuple(advice))


def _meshes_renamed(shelf: Shelf, renamed: dict[tuple[str, str], str]) -> Callable[[str], Mesh]:
    """Gives a mesh by its name in the package."""
    before = {new: name for (kind, name), new in renamed.items() if kind == "mesh"}
    return lambda name: shelf.mesh(before.get(name, name))


def stirred(effect: Effect) -> bool:
    """Whether something of an effect reads the air's eddies."""
    return any(
        layer.forces.turbulence > 0 or any(isinstance(force, Stirring) and force.on for force in layer.forces.more)
        for layer in effect.layers
    )


def _names_checked(effect: Effect, events: Sequence[str] | None) -> list[str]:
    """What is worth saying of names; raises PackageError for those that no game takes."""
    problems = name_problems(effect)
    bad = next((problem for problem in problems if "expected a name of" in problem.message), None)
    if bad is not None:
        raise PackageError(str(bad))
    said = [str(problem) for problem in problems]
    twice = {layer.name for layer in effect.layers if [x.name for x in effect.layers].count(layer.name) > 1}
    said += [f'layers: expected names of their own, found "{name}" more than once; a number tells them apart' for name in sorted(twice)]
    for anchor in effect.stage.anchors:
        if not LEGAL.fullmatch(anchor.name):
            said.append(f'places: "{anchor.name}" is no name of letters, digits and underscores, which some games need')
    if events is not None:
        named = {
            **{name: f'events, "{does}"' for does, name in effect.answers.named().items()},
            **{cue.sound or cue.name: "cues" for cue in effect.cues if cue.what == "sound"},
        }
        said += [
            f'{place}: "{name}" is not among the {len(events)} names that the game knows; choose one of them'
            for name, place in named.items()
            if name not in events
        ]
    return said


def _textures(
    effect: Effect, shelf: Shelf, wanted: TextureOptions, kept: Kept, files: dict[str, bytes],
    renamed: dict[tuple[str, str], str], advice: list[str], go: Callable[[float, str], None], together: dict[str, ChannelGroup],
) -> dict[str, dict[str, Any]]:  # fmt: skip
    """Fills in the files of all pictures and their new names; gives what is known of each."""
    uses, textures, stems = uses_of(effect), dict[str, dict[str, Any]](), list[str]()
    names = _ways_read(effect)
    for i, (name, premultiplied) in enumerate(names):
        plain = name.removeprefix(PREFIX).removeprefix(RECIPE).replace("#", " ")
        go(0.7 * i / max(len(names), 1), plain)
        stems.append(slug(plain.rsplit(".", 1)[0] if not name.startswith((PREFIX, RECIPE)) else plain, stems))
        use = dataclasses.replace(uses.get(name, PictureUse()), premultiplied=premultiplied)
        if name in together:
            pixels, use = together[name].pixels(shelf.get), dataclasses.replace(use, numbers=True)
        else:
            pixels = shelf.get(name)
        if name in shelf.faults:
            raise PackageError(shelf.faults[name])
        own = name not in together and not name.startswith(RECIPE) and not is_card(name)
        source = shelf.folder / name if own and shelf.folder is not None else None
        height, width = pixels.shape[:2]
        advice += [] if wanted.shrinks else size_advice(plain, width, height, use)
        advice += format_advice(plain, pixels, wanted.kind)
        pixels = multiplied(pixels, name) if premultiplied else pixels
        made, known = texture_files(stems[-1], pixels, source, use, wanted, kept)
        files |= made
        textures |= known
        first = next(iter(known))
        if name in together:
            known[first]["channels"] = together[name].told()
        renamed |= {("premultiplied", name): first} if premultiplied else {("picture", name): first, ("density", name): first}
    return textures


def _ways_read(effect: Effect) -> list[tuple[str, bool]]:
    """Every picture, and whether it is read as light that is premultiplied; one that is read in both ways comes twice."""
    ready, rest = list[str](), list[Layer]()
    for layer in effect.layers:
        look = layer.look
        if look.premultiplied:
            ready.append(look.picture)
            look = replace(look, picture="")
        if look.trails and look.ribbon.blend == "premultiplied":
            ready.append(look.ribbon.picture)
            look = replace(look, ribbon=replace(look.ribbon, picture=""))
        rest.append(replace(layer, look=look))
    straight = pictures_of(replace(effect, layers=tuple(rest)))
    return [(name, way) for name in pictures_of(effect) for way in (False, True) if name in (ready if way else straight)]


def _meshes(
    effect: Effect, shelf: Shelf, files: dict[str, bytes], renamed: dict[tuple[str, str], str], go: Callable[[float, str], None]
) -> None:
    """Fills in the files of all meshes and their new names."""
    stems: list[str] = []
    for name in meshes_of(effect):
        go(0.72, name)
        plain = name.removeprefix(SOLID)
        stems.append(slug(plain.replace(".", " "), stems))
        mesh = shelf.mesh(name)
        if name in shelf.faults:
            raise PackageError(shelf.faults[name])
        renamed["mesh", name] = f"meshes/{stems[-1]}.glb"
        files[renamed["mesh", name]] = glb_bytes(mesh, plain)


def _without_unused(effect: Effect, renamed: dict[tuple[str, str], str]) -> Effect:
    """The effect without the names of pictures and meshes that have no effect in it; each look's own picture under its new
    name."""
    used = {*pictures_of(effect), *meshes_of(effect)}
    layers = []
    for layer in effect.layers:
        look = layer.look
        look = replace(look, picture=renamed.get(("premultiplied" if look.premultiplied else "picture", look.picture), ""))
        if look.vectors not in used or look.between != "along vectors":
            look = replace(look, vectors="")
        if look.light.six not in used or look.light.lit <= 0 or look.drawn_as != "sprite":
            look = replace(look, light=replace(look.light, six=""))
        if look.light.normals not in used or look.light.gloss <= 0 or look.drawn_as != "sprite":
            look = replace(look, light=replace(look.light, normals=""))
        if not look.trails:
            look = replace(look, ribbon=replace(look.ribbon, picture=""))
        elif look.ribbon.blend == "premultiplied":
            look = replace(look, ribbon=replace(look.ribbon, picture=renamed["premultiplied", look.ribbon.picture]))
        outlet = layer.outlet
        if outlet.shape != "mesh":
            outlet = replace(outlet, mesh="", density="")
        if look.drawn_as != "mesh":
            look = replace(look, solid=replace(look.solid, mesh=""))
        layers.append(replace(layer, look=look, outlet=outlet))
    return replace(effect, layers=tuple(layers))


def _taken(taken: Any) -> dict[str, Any]:
    seen = bool(np.isfinite(taken.first))
    return {
        "most_alive": taken.most,
        "first_seen": round(taken.first, 4) if seen else None,
        "last_seen": round(taken.last, 4) if seen else None,
        "low": _three(taken.low) if seen else None,
        "high": _three(taken.high) if seen else None,
    }


def _outline(layer: Layer, shelf: Shelf) -> dict[str, Any]:
    """Around which corners a sprite's card is to be drawn."""
    if layer.look.drawn_as != "sprite":
        return {}
    corners = outline_of(layer.look, shelf.get(layer.look.picture))
    return {"outline": [[round(x, 5), round(y, 5)] for x, y in corners]}


def _three(place: np.ndarray) -> list[float] | None:
    return None if np.isnan(place).any() else [round(float(part), 4) for part in place]


def _bounds(cost: EffectCost) -> dict[str, Any]:
    return {
        "moments": [round(float(moment), 5) for moment in cost.moments],
        "low": [_three(place) for place in cost.low],
        "high": [_three(place) for place in cost.high],
    }


def _budget(effect: Effect, cost: EffectCost, textures: dict[str, dict[str, Any]]) -> dict[str, Any]:
    return {
        "most_alive": cost.most,
        "layers": sum(layer.shown for layer in effect.layers),
        "texture_bytes": sum(int(known["memory"]) for known in textures.values()),
    }


def _credits(effect: Effect, renamed: dict[tuple[str, str], str], together: dict[str, ChannelGroup]) -> dict[str, dict[str, str]]:
    """By its name in the package, whose each picture and mesh is."""
    whose = {}
    for (_, name), new in renamed.items():
        if name in together:
            parts = [_credit(effect, each) for each in dict.fromkeys(x.picture for x in together[name].planes)]
            whose[new] = {key: ", ".join(dict.fromkeys(part[key] or "unknown" for part in parts)) for key in parts[0]}
        else:
            whose[new] = _credit(effect, name)
    return whose


def _credit(effect: Effect, name: str) -> dict[str, str]:
    """Whose a picture or a mesh is."""
    if name.startswith((PREFIX, SOLID)):
        return {"author": "Pale Ember", "licence": "MIT"}
    recipe = recipe_named(effect.recipes, name)
    if recipe is not None:
        return {"author": recipe.author, "licence": recipe.licence}
    credit = credit_of(effect, name)
    return {"author": credit.author, "licence": credit.licence}


def _manifest(effect: Effect, files: dict[str, bytes], whose: dict[str, dict[str, str]]) -> dict[str, Any]:
    stems = {name.rsplit(".", 1)[0]: credit for name, credit in whose.items()}
    listed = []
    for name in sorted(files):
        known = {"name": name, "bytes": len(files[name]), "sha256": hashlib.sha256(files[name]).hexdigest()}
        listed.append(known | stems.get(name.rsplit(".", 1)[0], {}))
    return {"format": PACKAGE, "version": 1, "made_by": f"Pale Ember {__version__}", "effect": effect.name, "files": listed}
