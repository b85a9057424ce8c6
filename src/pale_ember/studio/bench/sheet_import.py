"""Sheets brought to the bench: from a row of files or a clip, and from layers of the effect itself."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.birth import Birth
from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.edit import free_name, new_id
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import FIRST_VIEW, Effect, Layer
from pale_ember.core.effect.outlet import Outlet
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.sources import Picture
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.sheet import SheetPlan, best_columns
from pale_ember.core.view import view_of
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Shot
from pale_ember.draw.sheets import draw_sheet
from pale_ember.formats.disk import write_whole
from pale_ember.formats.frame_import import frames_in, laid
from pale_ember.formats.picture_encoding import picture_bytes
from pale_ember.formats.pictures import png_bytes
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit.tasks import TaskStopped

_FRAMES, _CELL = 36, 128
"""Frames and pixels of a sheet that stands for layers."""


def recipe_of_files(paths: Sequence[Path], folder: Path, progress: Callable[[int], bool]) -> Recipe:
    """Lays files or a clip into a sheet beside the document, and gives a recipe that takes it. Raises PictureError, OSError and
    TaskStopped."""
    frames = frames_in(paths, progress)
    if not frames:
        raise TaskStopped("Stopped; nothing was added.")
    sheet, columns = laid(frames)
    stem = free_name(paths[0].stem.rstrip("0123456789-_ ") or "frames", [path.stem for path in folder.iterdir()])
    write_whole(folder / f"{stem}.png", picture_bytes(sheet, ".png"))
    count, rows = len(frames), sheet.shape[0] // (sheet.shape[1] // columns)
    numbers = f"0-{count - 1}" if count < columns * rows else ""
    taken = Picture(picture=f"{stem}.png", columns=columns, rows=rows, frames=numbers)
    return Recipe(name=stem, size=sheet.shape[1] // columns, frames=count, columns=columns, steps=(taken,))


@dataclass(frozen=True, slots=True)
class BakedLayers:
    """Layers as a sheet. before, after : particles alive at most, and how often a pixel is painted on average."""

    picture: str
    layer: Layer
    before: tuple[int, float]
    after: tuple[int, float]

    @property
    def told(self) -> str:
        few = "1 particle" if self.after[0] == 1 else f"{self.after[0]} particles"
        return (
            f"{self.before[0]} particles became {few}; where anything is painted a pixel is painted "
            f"{self.before[1]:.1f} times before and {self.after[1]:.1f} after."
        )


def baked_layers(desk: Desk, chosen: Sequence[str], folder: Path, progress: Callable[[int], bool]) -> BakedLayers:
    """Bakes layers into a sheet beside the document, and gives the one layer that stands for them. Raises NoOpenGL, OSError and
    TaskStopped."""
    effect = desk.effect
    alone = replace(effect, layers=tuple(replace(each, shown=each.id in chosen) for each in effect.layers))
    plan = SheetPlan(frames=_FRAMES, columns=best_columns(_FRAMES, _CELL), cell=_CELL, first=0.0,
                     last=effect.duration / effect.tempo, alpha="premultiplied")  # fmt: skip
    camera = effect.stage.cameras[0] if effect.stage.cameras else FIRST_VIEW
    timeline = Timeline(plan.baked(alone), desk.shelf_mesh, desk.shelf_density)
    made = draw_sheet(timeline, camera, plan, desk.shelf.patient().get, progress, fits=True)
    if made is None:
        raise TaskStopped("Stopped; nothing was added.")
    sheet, seen_from = made
    stem = free_name("baked", [path.stem for path in folder.iterdir()])
    write_whole(folder / f"{stem}.png", png_bytes(sheet.pixels))
    view = view_of(seen_from, 1, 1)
    side = 2 * view.half_height * seen_from.distance
    first = next(each for each in effect.layers if each.id in chosen)
    layer = Layer(
        id=new_id(), name=free_name(f"{first.name} baked", [each.name for each in effect.layers]), space="local",
        outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),), offset=seen_from.target),
        birth=Birth(lifetime=fixed(plan.last), speed=fixed(0.0), size=fixed(round(side, 4))),
        look=Look(picture=f"{stem}.png", columns=plan.columns, rows=plan.rows, play="over life", between="mixed", blend="premultiplied",
                  soft=0.05),
    )  # fmt: skip
    after = replace(effect, layers=(layer,))
    return BakedLayers(f"{stem}.png", layer, _costs(desk, alone, camera), _costs(desk, after, camera))


def _costs(desk: Desk, effect: Effect, camera) -> tuple[int, float]:
    """Particles alive at most, and how often a pixel that anything is painted on is painted in the middle of the effect."""
    timeline = Timeline(effect, desk.shelf_mesh, desk.shelf_density)
    end = effect.duration / effect.tempo
    frames = [timeline.frame(end * share) for share in (0.25, 0.5, 0.75, 0.95)]
    shown = {layer.id for layer in effect.layers if layer.shown}
    alive = max(sum(layer.count for layer in frame.layers if layer.layer.id in shown) for frame in frames)
    with offscreen(desk.shelf_get, desk.shelf_mesh) as renderer:
        painted = renderer.overdraw(frames[1], view_of(camera, 320, 180), Shot(stage=effect.stage, background="none"), 320, 180)[0]
    return alive, round(float(np.float64(painted)), 2)


def with_baked(effect: Effect, chosen: Sequence[str], baked: BakedLayers) -> Effect:
    """The effect with the layers hidden that were baked, and the one that stands for them above the first."""
    layers: list[Layer] = []
    for each in effect.layers:
        if each.id in chosen and not any(layer.id == baked.layer.id for layer in layers):
            layers.append(baked.layer)
        layers.append(replace(each, shown=False) if each.id in chosen else each)
    return replace(effect, layers=tuple(layers))
