"""Looking at an effect of a folder: how it moves, what the checks find, what it takes."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PIL import Image

from pale_ember.core.effect.edit import fresh
from pale_ember.core.effect.files import files_of, meshes_of, pictures_of
from pale_ember.core.effect.model import FIRST_VIEW, Camera, Effect, Layer
from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe
from pale_ember.core.effect.renaming import recipes_renamed, with_file_named, with_names
from pale_ember.core.insight.checks.facts import Facts, GameFacts
from pale_ember.core.insight.checks.finding import place_of
from pale_ember.core.insight.checks.rules import checked, left_alone
from pale_ember.core.insight.effect_cost import cost_of, over_budget, span_of
from pale_ember.core.insight.layer_costs import with_mips
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.renderer import Renderer, Shot
from pale_ember.draw.small import small_pictures
from pale_ember.folder.listing import EffectCard, EffectFigures, SeenFinding
from pale_ember.formats.disk import KeptOnDisk, write_whole
from pale_ember.formats.document import load
from pale_ember.formats.gases import Gases
from pale_ember.formats.shelf import Shelf
from pale_ember.machine import user_folders

FRAMES, RATE = 12, 10.0
"""Frames of a living picture, and how many are shown a second."""
SIZE = 192, 108
"""Pixels of one."""
LARGE = 400, 225
"""Pixels of one that is looked at by itself."""


def shelf_for(path: Path, effect: Effect) -> Shelf:
    """What reads the files beside a document."""
    return Shelf(path.resolve().parent, effect.recipes, Gases(KeptOnDisk(user_folders.cache() / "gases")))


def findings_of(effect: Effect, timeline: Timeline, shelf: Shelf, renderer: Renderer, game: GameFacts) -> tuple[SeenFinding, ...]:
    """What the checks find in an effect, but for what its artist chose to ignore."""
    known = Facts(effect, timeline, shelf.get, small_pictures(renderer), lambda: dict(shelf.faults), game=game)
    told = []
    for each in checked(effect, known):
        if left_alone(effect, each) is None:
            where = f"{place_of(effect, each)} {'.'.join(map(str, each.path))}".strip()
            told.append(SeenFinding(each.rule, where, each.said, each.grave))
    return tuple(told)


def moments_shown(effect: Effect) -> np.ndarray:
    """(FRAMES,) s: of a loop a second or so when it goes evenly, else the whole of it."""
    begin, span = span_of(effect)
    seen = min(span, FRAMES / RATE) if effect.loop else span
    return begin + np.linspace(0.0, seen, FRAMES, endpoint=not effect.loop)


def living_picture(
    timeline: Timeline, renderer: Renderer, size: tuple[int, int], go_on: Callable[[], None], camera: Camera | None = None
) -> np.ndarray:
    """(FRAMES, h, w, 3) uint8: an effect as it moves, on its own stage, from its first view or another. go_on : raises where nobody wants
    it any more."""
    effect = timeline.effect
    view = view_of(camera or (effect.stage.cameras or (FIRST_VIEW,))[0], *size)
    shot = Shot(stage=effect.stage, background=effect.stage.background)
    frames = []
    for moment in moments_shown(effect).tolist():
        go_on()
        frames.append(renderer.picture(timeline.frame(moment), view, shot, *size)[..., :3].copy())
    return np.stack(frames)


def strip_bytes(frames: np.ndarray) -> bytes:
    """A living picture as a WebP file, one frame below the other."""
    store = io.BytesIO()
    Image.fromarray(frames.reshape(-1, frames.shape[2], 3), "RGB").save(store, "WEBP", quality=84, method=2)
    return store.getvalue()


def strip_of(data: bytes) -> np.ndarray:
    """(FRAMES, h, w, 3) uint8 of such a file. Raises OSError."""
    with Image.open(io.BytesIO(data)) as picture:
        pixels = np.asarray(picture.convert("RGB"))
    return pixels.reshape(FRAMES, pixels.shape[0] // FRAMES, pixels.shape[1], 3)


def _digest(*texts: str) -> str:
    return hashlib.sha256("\n".join(texts).encode()).hexdigest()[:20]


def key_of(folder: Path, card: EffectCard) -> str:
    """What changes when an effect has to be looked at anew: its document, and the files that it uses."""
    stamps = []
    for name in card.files:
        try:
            told = (folder / name).stat()
            stamps.append(f"{told.st_mtime_ns}-{told.st_size}")
        except OSError:
            stamps.append("none")
    return f"{card.stamp[0]:x}-{card.stamp[1]:x}-{_digest(*stamps)}"


def looked_at(
    folder: Path, card: EffectCard, renderer: Renderer, pictures: list[Shelf], game: GameFacts, place: Path, go_on: Callable[[], None]
) -> EffectCard:
    """A card with what is seen of its effect, whose living picture lies in a folder from then on. pictures : its last is what the
    renderer asks. Raises what `go_on` does, DocumentError, and OSError where the picture cannot be kept."""
    path = folder / f"{card.name}.pale"
    effect, _ = load(path)
    shelf = shelf_for(path, effect)
    pictures[:] = [shelf]
    for name in files_of(effect):
        shelf.get(name)
    for name in meshes_of(effect):
        shelf.mesh(name)

    def goes_on(_: float) -> bool:
        go_on()
        return True

    go_on()
    timeline = Timeline(effect, shelf.mesh, shelf.density)
    frames = living_picture(timeline, renderer, SIZE, go_on)
    cost = cost_of(timeline, goes_on)
    assert cost is not None
    textures = {name: with_mips(*shelf.get(name).shape[:2]) for name in pictures_of(effect)}
    worn = {_worn_as(card.name, name): size for name, size in textures.items()}
    over = tuple(name for name, budget in game.targets.items() if over_budget(effect, cost, textures, budget))
    go_on()
    findings = findings_of(effect, timeline, shelf, renderer, game)
    key = key_of(folder, card)
    picture = _digest(card.name, key)
    place.mkdir(parents=True, exist_ok=True)
    write_whole(place / f"{picture}.webp", strip_bytes(frames))
    figures = EffectFigures(key, cost.most, sum(textures.values()), findings, over, tuple(game.targets), picture, worn)
    return replace(card, figures=figures)


def unplayed(folder: Path, card: EffectCard, why: str) -> EffectCard:
    """A card of an effect that could not be looked at, which is its problem. why : a sentence."""
    return replace(card, figures=EffectFigures(key_of(folder, card), findings=(SeenFinding("play", "", why, True),)))


def _worn_as(effect: str, name: str) -> str:
    """What a texture is called in the whole folder: a recipe is an effect's own, a file may be that of several."""
    if name.startswith(RECIPE):
        return f"{effect} {name}"
    return name if ":" in name else (Path(effect).parent / name).as_posix()


def in_folder(effect: Effect, name: str) -> Effect:
    """An effect of a folder below as if its document lay in that folder: its files and recipes have names of their own."""
    above = Path(name).parent.as_posix()
    for file in {*files_of(effect), *meshes_of(effect)} if above != "." else ():
        if ":" not in file:
            plain = file.partition("#")[0]
            effect = with_file_named(effect, plain, f"{above}/{plain}")
    recipes = {recipe.name: f"{name} {recipe.name}" for recipe in effect.recipes}
    named = replace(effect, recipes=tuple(replace(recipe, name=recipes[recipe.name]) for recipe in effect.recipes))
    return with_names(named, recipes_renamed(recipes)) if recipes else named


def on_one_quay(effects: Sequence[Effect]) -> Effect:
    """Several effects as one, on the stage of the first: that stands where it stood, the others beside it."""
    first = effects[0]
    apart, layers = 2.6, list[Layer]()
    recipes: dict[str, Recipe] = {}
    for i, effect in enumerate(effects):
        aside = i * apart
        for layer in fresh(effect.layers):
            if i and not layer.rides_on:
                layer = replace(layer, place=(layer.place[0] + aside, *layer.place[1:]), stands_on="")
            layers.append(layer)
        recipes |= {recipe.name: recipe for recipe in effect.recipes}
    cameras = first.stage.cameras or (FIRST_VIEW,)
    x, y, z = cameras[0].target
    half = apart * (len(effects) - 1) / 2
    wide = replace(cameras[0], target=(x + half, y, z), distance=cameras[0].distance + 1.6 * half)
    stage = replace(first.stage, cameras=(wide, *cameras[1:]))
    longest = max(effects, key=lambda effect: effect.duration / effect.tempo)
    return Effect(
        name=" and ".join(effect.name for effect in effects[:3]), layers=tuple(layers), recipes=tuple(recipes.values()), stage=stage,
        duration=longest.duration, tempo=1.0, loop=any(effect.loop for effect in effects), warm=all(effect.warm for effect in effects),
    )  # fmt: skip
