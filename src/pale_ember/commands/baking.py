"""The commands that bake: sheets, clips, caches."""

from __future__ import annotations

import argparse
import math
import sys
from pathlib import Path

from pale_ember.arguments import DONE, FOUND
from pale_ember.commands.common import Refused, drawn, read, tell_faults, writable, write


def _ending(path: Path, kinds: tuple[str, ...]) -> str:
    kind = path.suffix.lower()
    if kind not in kinds:
        raise Refused(f"{path}: expected a name that ends in {', '.join(kinds)}, found {kind or 'no ending'}; choose another")
    return kind


def sheet(asked: argparse.Namespace) -> int:
    """Bakes a sheet of frames, and what is asked for beside it."""
    from pale_ember.core.effect.model import FIRST_VIEW
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.core.texture.sheet import SheetPlan, best_columns
    from pale_ember.core.view import world_size
    from pale_ember.draw.sheets import draw_sheet
    from pale_ember.formats.sheets import KINDS, beside, sheet_files

    _ending(asked.out, KINDS)
    writable(asked.out, asked.file)
    effect, shelf = read(asked.file)
    last = effect.duration / effect.tempo if asked.last is None else asked.last
    columns = asked.columns or (best_columns(asked.frames, asked.cell) if 1 <= asked.frames <= 1024 and asked.cell > 0 else 1)
    plan = SheetPlan(asked.frames, columns, asked.cell, asked.first, last, asked.alpha, asked.fade, asked.keep)
    fault = plan.fault()
    if fault:
        raise Refused(fault)
    effect = plan.baked(effect)
    views = {camera.name: camera for camera in effect.stage.cameras}
    if asked.camera not in ("", *views):
        known = ", ".join(f'"{name}"' for name in views) or "none, it keeps no view"
        raise Refused(f'--camera: expected a view of the effect, {known}; found "{asked.camera}"; name one, or leave it out')
    first = effect.stage.cameras[0] if effect.stage.cameras else FIRST_VIEW
    timeline = Timeline(effect, shelf.mesh, shelf.density)
    baked, camera = drawn(lambda: draw_sheet(timeline, views.get(asked.camera, first), plan, shelf.get, fits=not asked.camera))
    extras = beside(effect, baked, asked.also)
    for name, data in sheet_files(effect, baked, asked.out, world_size(camera), extras).items():
        write(asked.out.with_name(name), data)
    tell_faults(shelf)
    if baked.clipped:
        said = f"{len(baked.clipped)} of {plan.frames} frames are cut off at an edge"
        print(f"pale: {asked.out.name}: {said}", file=sys.stderr)
    return DONE


def _span(effect, last: float | None) -> float:
    from pale_ember.core.insight.effect_cost import seconds_of

    return seconds_of(effect) if last is None else last


def clip(asked: argparse.Namespace) -> int:
    """Makes a clip of the stage's first view."""
    from pale_ember.core.effect.model import FIRST_VIEW
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.core.texture.sheet import closed
    from pale_ember.draw.clips import clip_frames
    from pale_ember.formats.clips import CLEAR, KINDS, ClipError, clip_bytes, kept_size, moments_of

    kind = _ending(asked.out, KINDS)
    writable(asked.out, asked.file)
    if not (math.isfinite(asked.fps) and 1 <= asked.fps <= 120):
        raise Refused(f"--fps: expected a number from 1 to 120, found {asked.fps:g}; choose one within")
    if asked.background == "none" and kind not in CLEAR:
        raise Refused(f"--background none: expected a clip that holds what is clear ({', '.join(CLEAR)}), found {kind}; choose another")
    effect, shelf = read(asked.file)
    effect = closed(effect)
    last = _span(effect, asked.last)
    if last <= asked.first:
        raise Refused(f"--to: expected a moment after {asked.first:g} s, found {last:g} s; move one of them")
    background = asked.background or effect.stage.background
    camera = effect.stage.cameras[0] if effect.stage.cameras else FIRST_VIEW
    timeline = Timeline(effect, shelf.mesh, shelf.density)
    moments = moments_of(asked.first, last, asked.fps)

    def make() -> bytes:
        frames = clip_frames(timeline, camera, background, asked.size, moments, shelf.get)
        return clip_bytes(frames, asked.fps, kind, loops=effect.loop)

    wide, tall = kept_size(kind, asked.size)
    if (wide, tall) != asked.size:
        print(f"pale: {asked.out.name}: films have even sides: it becomes {wide}×{tall}", file=sys.stderr)
    try:
        write(asked.out, drawn(make))
    except ClipError as error:
        raise Refused(str(error)) from None
    tell_faults(shelf)
    return DONE


def cache(asked: argparse.Namespace) -> int:
    """Writes particles over time."""
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.formats.caches import KINDS, CacheError, cache_bytes
    from pale_ember.formats.traces import trace_moments

    kind = _ending(asked.out, KINDS)
    writable(asked.out, asked.file)
    if asked.every is not None and asked.every <= 0:
        raise Refused("--every: expected more than 0 seconds, found 0; leave it out for every step")
    effect, shelf = read(asked.file)
    timeline = Timeline(effect, shelf.mesh, shelf.density)
    moments = trace_moments(_span(effect, asked.until), asked.every, effect.steps)
    fps = 1.0 / asked.every if asked.every else float(effect.steps)
    frames = (timeline.frame(moment) for moment in moments)
    try:
        data = cache_bytes(effect, frames, fps, kind, shelf.mesh)
    except CacheError as error:
        raise Refused(str(error)) from None
    write(asked.out, data)
    tell_faults(shelf)
    return DONE


def build(asked: argparse.Namespace) -> int:
    """Builds a folder of effects; 1 where one has a problem that its rules do not allow."""
    from pale_ember.building.build import BuildRefused, rules_of
    from pale_ember.building.build import build as build_all
    from pale_ember.building.one_effect import BuildOrder
    from pale_ember.core.insight.effect_cost import TARGETS
    from pale_ember.formats.targets import targets_of

    folder, out = asked.folder, asked.out
    if not folder.is_dir():
        raise Refused(f"{folder}: expected a folder of effects, found {'a file' if folder.exists() else 'nothing'}; choose another")
    if folder.resolve() == out.resolve() or folder.resolve().is_relative_to(out.resolve()):
        raise Refused(f"{out}: expected a folder of its own, found one that holds the effects; choose another")
    if out.exists() and not out.is_dir():
        raise Refused(f"{out}: expected a folder, found a file; choose another")
    own, wrong = targets_of(folder)
    if wrong:
        raise Refused(wrong)
    targets = own or TARGETS
    if asked.target and asked.target not in targets:
        raise Refused(f'--target: expected one of {", ".join(targets)}, found "{asked.target}"; choose one of these')

    def tell(done: int, of: int, name: str) -> None:
        print(f"pale: {done} of {of}: {name}", file=sys.stderr, flush=True)

    try:
        results, rebuilt = build_all(BuildOrder(folder, out, asked.target, targets), asked.jobs, tell)
        allowed = rules_of(folder)
    except BuildRefused as fault:
        raise Refused(str(fault)) from None
    except OSError as fault:
        raise Refused(f"{out}: expected a place to write to, found {fault.strerror}; choose another") from None
    failed = [each for each in results if each.problems(allowed)]
    for each in failed:
        for problem in each.problems(allowed):
            print(f"{each.name}: {problem}")
    print(f"{out}: {len(results)} effects, {rebuilt} built now, {len(failed)} with problems")
    return FOUND if failed else DONE
