"""`pale compare`, `pale fit`, `pale vary`: an effect beside reference footage, fitted to it, and in variations."""

from __future__ import annotations

import argparse
import json
import sys
from fnmatch import fnmatch
from pathlib import Path
from typing import Any

import numpy as np

from pale_ember.arguments import DONE, FOUND
from pale_ember.commands.common import Refused, drawn, read, writable, write


def _reference(asked: argparse.Namespace) -> Any:
    """The footage that is named, as it is to be played."""
    from pale_ember.core.preloading import MissingExtra
    from pale_ember.formats.footage import read_footage
    from pale_ember.formats.pictures import PictureError

    try:
        footage = read_footage(asked.reference, *asked.sheet)
    except (PictureError, MissingExtra) as fault:
        raise Refused(str(fault)) from None
    if footage.cut:
        print(f"pale: {footage.cut}", file=sys.stderr)
    if asked.first and asked.first >= footage.length:
        raise Refused(f"--from: expected less than the footage's {footage.length:.2f} s, found {asked.first:g}; choose an earlier moment")
    return footage


def _as_asked(asked: argparse.Namespace) -> Any:
    from pale_ember.core.effect.stage import Reference

    return Reference(first=asked.first, tempo=asked.tempo)


def _beside(asked: argparse.Namespace, effect: Any, shelf: Any) -> tuple[Any, Any]:
    """(measures of the effect, measures of the footage), over as long as both last."""
    from pale_ember.core.insight.effect_cost import seconds_of
    from pale_ember.core.reference.measures import measured
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.draw.offscreen import offscreen
    from pale_ember.draw.small import on_background

    footage = _reference(asked)
    frames, times, length = footage.stretch(seconds_of(effect), _as_asked(asked))
    timeline = Timeline(effect, shelf.mesh, shelf.density)

    def draw() -> Any:
        with offscreen(shelf.get, shelf.mesh) as renderer:
            small = on_background(renderer)
            return [small(timeline.frame(float(at)), "dark")[..., :3] for at in times]

    return measured(drawn(draw), times, length), measured(frames, times, length)


def compare(asked: argparse.Namespace) -> int:
    """Tells how an effect differs; 1 where it does."""
    from pale_ember.core.reference.measures import ROWS, apart, sentence

    effect, shelf = read(asked.file)
    ours, theirs = _beside(asked, effect, shelf)
    found = apart(ours, theirs)
    if asked.json:
        rows = {name: {"ours": of(ours).round(6).tolist(), "reference": of(theirs).round(6).tolist()} for name, of in ROWS}
        told = {
            "sentence": sentence(found),
            "differences": [{"what": each.what, "by": round(each.by, 3), "said": each.said} for each in found],
            "times": ours.times.round(6).tolist(),
            "rows": rows,
            "colour": {"ours": ours.colour.round(6).tolist(), "reference": theirs.colour.round(6).tolist()},
            "rhythm": {"ours": ours.rhythm(), "reference": theirs.rhythm()},
        }
        print(json.dumps(told, indent=2))
    else:
        print(f"{asked.file.name}: {sentence(found)}")
        for each in found:
            print(f"  {each.what}: {each.said}")
    return FOUND if found else DONE


def fit(asked: argparse.Namespace) -> int:
    """Seeks and saves the best that is found."""
    from pale_ember.core.insight.effect_cost import seconds_of
    from pale_ember.core.reference.fit import fitting, target_of
    from pale_ember.draw.offscreen import offscreen
    from pale_ember.draw.small import on_background
    from pale_ember.formats.document import save

    writable(asked.out, asked.file, ".pale")
    effect, shelf = read(asked.file)
    free = _free(effect, asked.free)
    footage = _reference(asked)
    target = target_of(*footage.stretch(seconds_of(effect), _as_asked(asked)))

    def seek() -> Any:
        best = None
        with offscreen(shelf.get, shelf.mesh) as renderer:
            for best in fitting(
                effect,
                on_background(renderer),
                shelf.mesh,
                shelf.density,
                target=target,
                free=free,
                matches=asked.match,
                trials=asked.trials,
            ):
                print(f"\r{best.trials} seen, off by {best.off:.3f} ({best.first:.3f} before)", end="", file=sys.stderr, flush=True)
        print(file=sys.stderr)
        return best

    best = drawn(seek)
    save(best.effect, asked.out)
    print(f"{asked.out}: off by {best.off:.3f} after {best.trials} trials, {best.first:.3f} before. {best.said}")
    return DONE


def _free(effect: Any, told: list[str]) -> list[Any]:
    """What may change, of "LAYER:FIELD" each. Raises Refused for what is not there."""
    from pale_ember.core.reference.fit import Free
    from pale_ember.core.variation.knobs import knobs_of

    free = []
    for each in told:
        name, _, field = each.rpartition(":")
        layers = [layer for layer in effect.layers if fnmatch(layer.name, name)]
        if not name or not layers:
            names = ", ".join(layer.name for layer in effect.layers)
            raise Refused(f'--free: expected LAYER:FIELD with a layer of the effect ({names}), found "{each}"; choose one of these')
        for layer in layers:
            knobs = {".".join(map(str, knob.path)): knob for knob in knobs_of(layer)}
            if field not in knobs:
                near = ", ".join(list(knobs)[:12])
                raise Refused(
                    f'--free: expected a value of {layer.name} that has an effect ({near}, …), found "{field}"; choose one of these'
                )
            free.append(Free(layer.id, knobs[field].path))
    return free


def vary(asked: argparse.Namespace) -> int:
    """Writes documents and their pictures, and one of all together."""
    from pale_ember.core.insight.effect_cost import seconds_of
    from pale_ember.core.variation.nine import Variation, nine
    from pale_ember.core.variation.vary import Choice
    from pale_ember.draw.offscreen import offscreen
    from pale_ember.draw.small import on_background
    from pale_ember.formats.document import dumps
    from pale_ember.formats.pictures import png_bytes

    effect, shelf = read(asked.file)
    folder: Path = asked.out
    if folder.exists() and not folder.is_dir():
        raise Refused(f"{folder}: expected a folder, found a file; choose another")
    ids = _layers(effect, asked.layer)
    moment = asked.at if asked.at is not None else seconds_of(effect) / 2

    def make() -> dict[int, Variation]:
        found: dict[int, Variation] = {}
        with offscreen(shelf.get, shelf.mesh) as renderer:
            for each in nine(
                effect, on_background(renderer), shelf.mesh, shelf.density, choice=Choice(layers=ids, kinds=asked.kind), far=asked.far,
                seed=asked.seed, moment=moment, count=asked.count, frames=0,
            ):  # fmt: skip
                found[each.place] = each
        return found

    found = drawn(make)
    folder.mkdir(parents=True, exist_ok=True)
    stem = asked.file.stem
    for place, each in found.items():
        write(folder / f"{stem}-{place + 1}.pale", dumps(each.effect))
        write(folder / f"{stem}-{place + 1}.png", png_bytes(np.ascontiguousarray(each.pictures[0])))
    print(f"{folder}: {len(found)} variations of {effect.name}, {asked.far:g} from near to wild")
    return DONE if len(found) == asked.count else FOUND


def _layers(effect: Any, names: list[str]) -> list[str]:
    """The ids of layers by their names. Raises Refused."""
    ids = []
    for name in names:
        layer = next((layer for layer in effect.layers if layer.name == name), None)
        if layer is None:
            known = ", ".join(each.name for each in effect.layers)
            raise Refused(f'--layer: expected a layer of the effect ({known}), found "{name}"; choose one of these')
        ids.append(layer.id)
    return ids
