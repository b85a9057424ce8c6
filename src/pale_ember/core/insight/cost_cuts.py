"""What would cut an effect's cost: each a mend, with what it saves."""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pale_ember.core.effect.edit import free_name, with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe
from pale_ember.core.effect.recipe.sources import Picture
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.checks.finding import Mend, changing, setting
from pale_ember.core.insight.layer_costs import CostOverTime, sorts, with_mips
from pale_ember.core.insight.thinning import SEEDS, Appearance, Draw, PictureDifference, dice_of, look_of, seen_of, told_apart, with_fewer
from pale_ember.core.insight.unseen_ends import dark_end, with_shorter_lives
from pale_ember.core.simulate.timeline import Timeline, built_in, even_density
from pale_ember.core.texture.library import PREFIX
from pale_ember.core.texture.outline import Outline, area_of

_SMALLEST = 64
"""Pixels of a frame below which it is not made smaller."""
_LITTLE = 2**17
"""Bytes that are not worth it."""
_TIGHTER = 0.05
"""Share of a card's box that is worth more corners."""
_NEARLY = 0.85
"""Of what the most corners save, what fewer must save to be taken."""
_STACKED = 2.0
"""How often a layer paints the box around it at least, where a sheet of it would paint less."""


@dataclass(frozen=True, slots=True)
class CostCut:
    """layer : the id of the layer it is about. saves : in words, with its numbers. gain : of what is painted or kept in textures, the
    share that is saved, by which cuts are put into order."""

    layer: str
    saves: str
    gain: float
    mend: Mend
    difference: float | None = None
    """How far the layer is from as it was with the mend done, where it was looked at: up to 1 nobody tells the two apart."""


@dataclass(frozen=True, slots=True)
class BakeProposal:
    """layer : the id of one that a sheet of it would take less than. saves, gain : as of a cut."""

    layer: str
    saves: str
    gain: float


def bakes(effect: Effect, spending: CostOverTime) -> list[BakeProposal]:
    """Layers whose cards lie so often over each other that a baked sheet of them would paint far less, the most first."""
    found = []
    painted = max(float(spending.painted.max(initial=0)), 1e-6)
    for layer in effect.layers:
        spent = spending.layers.get(layer.id)
        if spent is None or layer.look.blend == "cut-out" or layer.look.drawn_as == "mesh":
            continue
        area, box = float(spent.painted[spending.worst]), float(spent.around[spending.worst])
        if box > 0 and area > _STACKED * box and spent.alive.max() > 1:
            saved = f"{area - box:.2f} of {area:.2f} pictures painted, and {spent.alive.max():.0f} particles become one"
            found.append(BakeProposal(layer.id, saved, (area - box) / painted))
    return sorted(found, key=lambda bake: -bake.gain)


def cuts(effect: Effect, spending: CostOverTime) -> list[CostCut]:
    """Everything that would cut the cost, the most first."""
    found = [cut for layer in effect.layers if layer.id in spending.layers for cut in _of(effect, layer, spending)]
    return sorted(found, key=lambda cut: -cut.gain)


def _of(effect: Effect, layer: Layer, spending: CostOverTime) -> Iterator[CostCut]:
    spent = spending.layers[layer.id]
    painted = max(float(spending.painted.max(initial=0)), 1e-6)
    area = float(spent.painted[spending.worst])
    peak = int(spent.alive.max(initial=0))
    if peak >= 6 and layer.look.blend != "cut-out" and layer.look.drawn_as == "sprite":
        ids = (layer.id,)
        saved = area * (1 - 0.7**0.5)
        yield CostCut(
            layer.id,
            f"about {0.3 * peak:.0f} of {peak} particles",
            saved / painted + 0.02,
            Mend("seven tenths of them, larger and stronger", lambda effect: with_fewer(effect, ids, 0.7)),
        )
    late = dark_end(layer)
    if late > 0:
        yield CostCut(
            layer.id,
            f"{late:.0%} of its particles, which are no longer seen",
            late * area / painted + 0.02,
            changing(f"lives {late:.0%} shorter", layer, lambda layer: with_shorter_lives(layer, late)),
        )
    yield from _tighter(layer, spent.outlines, area, painted)
    if sorts(layer) and _order_is_hidden(layer):
        yield CostCut(
            layer.id,
            f"sorting {peak} particles for each picture: they are all alike",
            0.01 + peak / 1e5,
            setting("no sorting", layer, ("look", "stacking"), "as born"),
        )
    yield from _smaller(effect, layer, spending)


def compared(
    effect: Effect,
    found: Sequence[CostCut],
    draw: Draw,
    mesh: Callable[[str], Mesh] = built_in,
    density: Callable[[str], Any] = even_density,
) -> Iterator[CostCut]:
    """Cuts with what they change of their layers' looks, one after the other."""
    timelines = [Timeline(effect, mesh, density) for _ in range(SEEDS)]
    known: dict[str, tuple[Appearance, PictureDifference]] = {}
    for cut in found:
        if cut.layer not in known:
            pictures = seen_of(effect, [cut.layer], timelines, draw)
            known[cut.layer] = look_of(pictures), dice_of(pictures)
        before, dice = known[cut.layer]
        after = look_of(seen_of(cut.mend.change(effect), [cut.layer], timelines, draw))
        yield dataclasses.replace(cut, difference=told_apart(before, after).against(dice))


def _tighter(layer: Layer, outlines: Mapping[int, Outline], area: float, painted: float) -> Iterator[CostCut]:
    """Cards cut closer around what they hold: the fewest corners that save nearly all that can be."""
    if layer.look.corners > 4 or not outlines:
        return
    saves = {corners: 1 - area_of(each) / area_of(outlines[4]) for corners, each in outlines.items()}
    most = max(saves.values())
    if most < _TIGHTER:
        return
    corners = next(k for k, share in sorted(saves.items()) if share >= _NEARLY * most)
    saved = saves[corners]
    yield CostCut(
        layer.id,
        f"{saved:.0%} of what its cards paint",
        saved * area / painted,
        setting(f"cards with {corners} corners", layer, ("look", "corners"), corners),
    )


def _order_is_hidden(layer: Layer) -> bool:
    """Whether particles are so alike that nobody sees which is in front."""
    look, birth, life = layer.look, layer.birth, layer.life
    tint, colour = birth.tint, life.colour
    same = tint.gradient is None and tint.first == tint.second and (colour is None or len(colour.stops) < 2)
    return same and birth.brightness.fixed and life.brightness is None and look.light.lit <= 0


def _smaller(effect: Effect, layer: Layer, spending: CostOverTime) -> Iterator[CostCut]:
    """Its picture at half its size: a recipe painted so, any other as a recipe that takes it smaller."""
    look, total = layer.look, max(sum(spending.textures.values()), 1)
    place = next((i for i, recipe in enumerate(effect.recipes) if look.picture == f"{RECIPE}{recipe.name}"), None)
    if place is not None:
        recipe = effect.recipes[place]
        size, saved = recipe.size // 2, with_mips(recipe.size, recipe.size * recipe.frames) * 3 // 4
        mend = Mend(f"its picture {size} pixels wide", lambda effect: with_value(effect, ("recipes", place, "size"), size))
    else:
        bytes_now = spending.textures.get(look.picture, 0)
        size, saved = _side(bytes_now, look.columns * look.rows) // 2, bytes_now * 3 // 4
        mend = _taken_smaller(layer, size)
    single = sum(other.look.picture == look.picture for other in effect.layers) == 1
    if size >= _SMALLEST and saved > _LITTLE and (single or place is not None):
        yield CostCut(layer.id, f"{saved / 2**20:.1f} MB of textures", 0.5 * saved / total, mend)


def _side(size: int, frames: int) -> int:
    """Pixels along a frame's side, of a texture of so many bytes with its mips."""
    return round((size * 3 / 16 / frames) ** 0.5)


def _taken_smaller(layer: Layer, size: int) -> Mend:
    """The mend that wears a picture smaller."""
    look = layer.look
    stem = look.picture.removeprefix(PREFIX).rsplit(".", 1)[0].rsplit("/", 1)[-1]

    def change(effect: Effect) -> Effect:
        recipe = Recipe(
            name=free_name(f"{stem} small", [each.name for each in effect.recipes]),
            size=size,
            frames=look.columns * look.rows,
            columns=look.columns,
            holds="both",
            steps=(Picture(picture=look.picture, columns=look.columns, rows=look.rows),),
        )
        effect = with_value(effect, ("recipes",), (*effect.recipes, recipe))
        return setting("", layer, ("look", "picture"), f"{RECIPE}{recipe.name}").change(effect)

    return Mend(f"its picture {size} pixels wide", change)
