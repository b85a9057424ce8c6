"""The commands that bake: sheets, clips, caches."""

from __future__ import annotations

import argparse
import math
import sys
import time
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
    from pale_ember.building.baking import BakeRefused, sheet_baked
    from pale_ember.core.effect.bakes import SheetBake
    from pale_ember.core.texture.sheet import best_columns
    from pale_ember.formats.sheets import KINDS

    ending = _ending(asked.out, KINDS)
    writable(asked.out, asked.file)
    effect, shelf = read(asked.file)
    columns = asked.columns or (best_columns(asked.frames, asked.cell) if 1 <= asked.frames <= 1024 and asked.cell > 0 else 1)
    bake = SheetBake(
        name=asked.out.stem, ending=ending, frames=asked.frames, columns=columns, cell=asked.cell, first=asked.first,  # type: ignore[arg-type]
        last=_last(asked), alpha=asked.alpha, fade=asked.fade, keep=asked.keep, camera=asked.camera,
        vectors="vectors" in asked.also, normals="normals" in asked.also,
    )  # fmt: skip
    try:
        files, baked = drawn(lambda: sheet_baked(effect, shelf, bake, asked.out))
    except BakeRefused as fault:
        raise Refused(str(fault).replace("camera:", "--camera:")) from None
    for name, data in files.items():
        write(asked.out.with_name(name), data)
    tell_faults(shelf)
    if baked.clipped:
        said = f"{len(baked.clipped)} of {bake.frames} frames are cut off at an edge"
        print(f"pale: {asked.out.name}: {said}", file=sys.stderr)
    return DONE


def _last(asked: argparse.Namespace) -> float:
    """The moment where it ends, 0 for its own end; what is told must lie behind the first."""
    if asked.last is not None and asked.last <= asked.first:
        raise Refused(f"--to: expected a moment after {asked.first:g} s, found {asked.last:g} s; move one of them")
    return asked.last or 0.0


def clip(asked: argparse.Namespace) -> int:
    """Makes a clip of the stage's first view."""
    from pale_ember.building.baking import BakeRefused, clip_baked
    from pale_ember.core.effect.bakes import ClipBake
    from pale_ember.formats.clips import KINDS, ClipError, kept_size

    kind = _ending(asked.out, KINDS)
    writable(asked.out, asked.file)
    if not (math.isfinite(asked.fps) and 1 <= asked.fps <= 120):
        raise Refused(f"--fps: expected a number from 1 to 120, found {asked.fps:g}; choose one within")
    effect, shelf = read(asked.file)
    wide, tall = asked.size
    bake = ClipBake(
        name=asked.out.stem,
        ending=kind,  # type: ignore[arg-type]
        fps=asked.fps,
        wide=wide,
        tall=tall,
        first=asked.first,
        last=_last(asked),
        over=asked.background or "as on the stage",
    )
    if kept_size(kind, asked.size) != asked.size:
        wide, tall = kept_size(kind, asked.size)
        print(f"pale: {asked.out.name}: films have even sides: it becomes {wide}×{tall}", file=sys.stderr)
    try:
        write(asked.out, drawn(lambda: clip_baked(effect, shelf, bake)))
    except (BakeRefused, ClipError) as fault:
        raise Refused(f"--{fault}" if isinstance(fault, BakeRefused) else str(fault)) from None
    tell_faults(shelf)
    return DONE


def _span(effect, last: float | None) -> float:
    from pale_ember.core.insight.effect_cost import seconds_of

    return seconds_of(effect) if last is None else last


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

    begun = time.monotonic()

    def tell(done: int, of: int, name: str) -> None:
        seconds = (time.monotonic() - begun) / done * (of - done)
        left = f", about {seconds / 60:.0f} min left" if seconds > 90 else f", about {seconds:.0f} s left" if done < of else ""
        print(f"pale: {done} of {of}: {name}{left}", file=sys.stderr, flush=True)

    try:
        results, rebuilt = build_all(BuildOrder(folder, out, asked.target, targets), asked.jobs, tell, asked.on)
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
