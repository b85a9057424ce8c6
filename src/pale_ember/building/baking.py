"""Sheets and clips as files, as a command asks for them or a document keeps them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from pale_ember.core.effect.bakes import AnyBake, ClipBake, SheetBake
from pale_ember.core.effect.model import FIRST_VIEW, Camera, Effect
from pale_ember.core.insight.effect_cost import seconds_of
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.sheet import Sheet, SheetPlan, closed
from pale_ember.core.view import world_size
from pale_ember.draw.clips import clip_frames
from pale_ember.draw.sheets import draw_sheet
from pale_ember.formats.clips import CLEAR, clip_bytes, moments_of
from pale_ember.formats.sheets import ALSO, beside, sheet_files
from pale_ember.formats.shelf import Shelf


class BakeRefused(Exception):  # noqa: N818 - it is what happened
    """Something that cannot be baked as it is wanted, in a sentence."""


def plan_of(effect: Effect, bake: SheetBake) -> SheetPlan:
    """What is baked of an effect. Raises BakeRefused."""
    last = bake.last or effect.duration / effect.tempo
    plan = SheetPlan(bake.frames, bake.columns, bake.cell, bake.first, last, bake.alpha, bake.fade, bake.keep)
    fault = plan.fault()
    if fault:
        raise BakeRefused(fault)
    return plan


def _camera(effect: Effect, name: str) -> Camera:
    """A view by its name, for none the first. Raises BakeRefused."""
    views = {camera.name: camera for camera in effect.stage.cameras}
    if name not in ("", *views):
        known = ", ".join(f'"{each}"' for each in views) or "none, it keeps no view"
        raise BakeRefused(f'camera: expected a view of the effect, {known}; found "{name}"; name one, or leave it out')
    return views.get(name, effect.stage.cameras[0] if effect.stage.cameras else FIRST_VIEW)


def sheet_baked(effect: Effect, shelf: Shelf, bake: SheetBake, beside_path: Path | None = None) -> tuple[dict[str, bytes], Sheet]:
    """The files of a sheet by their names, and the sheet. beside_path : where it is to lie, where others of its name may be. Raises
    BakeRefused, NoOpenGL."""
    plan, camera = plan_of(effect, bake), _camera(effect, bake.camera)
    effect = plan.baked(effect) if bake.same else effect
    drawn = draw_sheet(Timeline(effect, shelf.mesh, shelf.density), camera, plan, shelf.get, fits=not bake.camera)
    assert drawn is not None
    sheet, camera = drawn
    also = [what for what, wanted in zip(ALSO, (bake.vectors, bake.normals), strict=True) if wanted]
    extras = beside(effect, sheet, also)
    path = beside_path or Path(f"{bake.name}{bake.ending}")
    return sheet_files(effect, sheet, path, world_size(camera), extras, alone=beside_path is None), sheet


def clip_baked(effect: Effect, shelf: Shelf, bake: ClipBake) -> bytes:
    """A clip as a file. Raises BakeRefused, ClipError, NoOpenGL."""
    if bake.over == "none" and bake.ending not in CLEAR:
        raise BakeRefused(
            f"background none: expected a clip that holds what is clear ({', '.join(CLEAR)}), found {bake.ending}; choose another"
        )
    camera, effect = _camera(effect, bake.camera), closed(effect)
    last = bake.last or seconds_of(effect)
    if last <= bake.first:
        raise BakeRefused(f"to: expected a moment after {bake.first:g} s, found {last:g} s; move one of them")
    over = effect.stage.background if bake.over == "as on the stage" else bake.over
    moments = moments_of(bake.first, last, bake.fps)
    frames = clip_frames(Timeline(effect, shelf.mesh, shelf.density), camera, over, (bake.wide, bake.tall), moments, shelf.get)
    return clip_bytes(frames, bake.fps, bake.ending, loops=effect.loop)


def baked_files(effect: Effect, shelf: Shelf, bakes: Sequence[AnyBake]) -> dict[str, bytes]:
    """Everything that an effect asks for in its document, by the names of files. Raises BakeRefused, ClipError, NoOpenGL."""
    files: dict[str, bytes] = {}
    for bake in bakes:
        if not bake.name or Path(bake.name).name != bake.name or bake.name.startswith("."):
            raise BakeRefused(f'bakes "{bake.name}": expected a plain name for a file, found a path; name it otherwise')
        if isinstance(bake, SheetBake):
            made = sheet_baked(effect, shelf, bake)[0]
        else:
            assert isinstance(bake, ClipBake)
            made = {f"{bake.name}{bake.ending}": clip_baked(effect, shelf, bake)}
        twice = next((name for name in made if name in files), None)
        if twice is not None:
            raise BakeRefused(f'bakes "{bake.name}": {twice} is baked twice; give one of them another name')
        files |= made
    return files
