"""`pale check`: what is wrong with a document, and mending it."""

from __future__ import annotations

import argparse
import json
import sys
from typing import Any

from pale_ember.arguments import BAD, DONE, FOUND
from pale_ember.commands.common import Refused, look_at_all, writable, write


def check(asked: argparse.Namespace) -> int:
    """Tells everything found; with names of mends does them and saves."""
    from pale_ember.core.insight.checks.finding import place_of
    from pale_ember.core.insight.checks.rules import left_alone
    from pale_ember.formats.document import DocumentError, load, save
    from pale_ember.formats.shelf import Shelf

    if asked.json is not None:
        writable(asked.json)
    try:
        effect, notices = load(asked.file)
    except DocumentError as error:
        for problem in error.problems:
            print(f"{asked.file.name}: {problem}", file=sys.stderr)
        return BAD
    shelf = Shelf(asked.file.resolve().parent, effect.recipes)
    look_at_all(effect, shelf)
    game = _game(asked)
    found = _found(effect, shelf, game)
    if asked.fix:
        effect = _mended(effect, shelf, found, asked, game)
        save(effect, asked.file)
        found = _found(effect, shelf, game)
    told = [finding for finding in found if asked.all or left_alone(effect, finding) is None]
    for notice in notices:
        print(f"{asked.file.name}: notice: {notice}")
    for finding in told:
        if finding.said in shelf.faults.values():
            continue
        place = place_of(effect, finding)
        where = ".".join(str(step) for step in finding.path)
        left = left_alone(effect, finding)
        kept = f" (left as it is{': ' + left.reason if left.reason else ''})" if left is not None else ""
        mends = f"; to fix: {', or '.join(mend.name for mend in finding.mends)}" if finding.mends else ""
        print(f"{asked.file.name}: notice: {f'{place} ' if place else ''}{where}: {finding.said}{mends}{kept}")
    for fault in shelf.faults.values():
        print(f"{asked.file.name}: {fault}")
    if asked.json is not None:
        write(asked.json, _as_json(effect, told))
    if shelf.faults:
        return FOUND
    print(f"{asked.file.name}: valid")
    return DONE


def _game(asked: argparse.Namespace) -> Any:
    """What is known of the game: targets in a file beside the document, and the names in a list that is told."""
    from pale_ember.core.insight.checks.facts import GameFacts
    from pale_ember.formats.handover.names import names_in
    from pale_ember.formats.handover.runtime import PackageError
    from pale_ember.formats.targets import targets_of

    targets, wrong = targets_of(asked.file.resolve().parent)
    if wrong:
        print(f"{asked.file.name}: notice: {wrong}")
    try:
        return GameFacts(targets, None if asked.events is None else names_in(asked.events))
    except PackageError as error:
        raise Refused(f"--events: {error}") from error


def _found(effect: Any, shelf: Any, game: Any) -> list[Any]:
    """Everything that rules find; those that look at drawn pictures are left out where nothing can be drawn."""
    from pale_ember.core.insight.checks.facts import Facts
    from pale_ember.core.insight.checks.rules import checked
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.draw.context import NoOpenGL
    from pale_ember.draw.offscreen import offscreen
    from pale_ember.draw.small import small_pictures

    timeline = Timeline(effect, shelf.mesh, shelf.density)

    def faults() -> dict[str, str]:
        return dict(shelf.faults)

    try:
        with offscreen(shelf.get, shelf.mesh) as renderer:
            return checked(effect, Facts(effect, timeline, shelf.get, small_pictures(renderer), faults, game=game))
    except NoOpenGL:
        return checked(effect, Facts(effect, timeline, shelf.get, None, faults, game=game))


def _mended(effect: Any, shelf: Any, found: list[Any], asked: argparse.Namespace, game: Any) -> Any:
    """The effect with the mends that are named done, by their own names or by those of rules; each is looked for anew, for one may
    mend what another would."""
    from pale_ember.core.insight.checks.rules import left_alone, mended

    for name in asked.fix:
        done: set[Any] = set()
        while True:
            open_ = [each for each in found if left_alone(effect, each) is None and each.mends and each.key not in done]
            match = next(((each, mend) for each in open_ for mend in each.mends if name in (mend.name, each.rule, "all")), None)
            if match is None:
                break
            finding, mend = match
            done.add(finding.key)
            effect = mended(effect, mend)
            print(f"{asked.file.name}: fixed: {finding.said}: {mend.name}")
            found = _found(effect, shelf, game)
        if not done:
            there = sorted({each.rule for each in found if each.mends})
            raise Refused(
                f'--fix: expected the name of a fix or of a rule that found something, found "{name}"; '
                + (f"rules with something to fix: {', '.join(there)}" if there else "there is nothing to fix")
            )
    return effect


def _as_json(effect: Any, found: list[Any]) -> bytes:
    from pale_ember.core.effect.edit import layer_of
    from pale_ember.core.insight.checks.rules import left_alone

    rows = []
    for finding in found:
        layer, left = layer_of(effect, finding.layer), left_alone(effect, finding)
        rows.append(
            {
                "rule": finding.rule,
                "layer": layer.name if layer is not None else "",
                "field": ".".join(map(str, finding.path)),
                "said": finding.said,
                "grave": finding.grave,
                "mends": [mend.name for mend in finding.mends],
                "left": None if left is None else left.reason,
            }
        )
    return (json.dumps({"findings": rows}, indent=2, ensure_ascii=False) + "\n").encode()
