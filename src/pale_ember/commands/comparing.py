"""`pale diff`, `pale merge`: what differs between effects, and what two changed put together; also as git's own drivers."""

from __future__ import annotations

import argparse
import base64
import html
import json
import sys
from pathlib import Path
from typing import Any

from pale_ember.arguments import DONE, FOUND
from pale_ember.commands.common import Refused, drawn, read, writable, write

_GIT = 7
"""Words that git tells a command that compares: the name, then file, hash and mode of either."""
_SIZE = 480, 270


def diff(asked: argparse.Namespace) -> int:
    """Tells what differs; 1 where something does, but for git, to which that is no error."""
    from pale_ember.core.variation.differing import differences

    if len(asked.files) not in (2, _GIT):
        raise Refused(f"diff: expected two files, found {len(asked.files)}; tell the one and the other")
    for_git = len(asked.files) == _GIT
    one, other = (asked.files[1], asked.files[4]) if for_git else asked.files
    name = str(asked.files[0]) if for_git else other.name
    if asked.html is not None:
        writable(asked.html)
    if for_git and (str(one) == "/dev/null" or str(other) == "/dev/null"):
        print(f"{name}: {'new' if str(one) == '/dev/null' else 'removed'}")
        return DONE
    (before, shelf), (after, other_shelf) = read(one), read(other)
    found = differences(before, after)
    if asked.json:
        told = [{"layer": each.layer, "field": ".".join(map(str, each.path)), "said": each.said} for each in found]
        print(json.dumps({"differences": told}, indent=2, ensure_ascii=False))
    else:
        print(f"{name}: {len(found) or 'no'} difference{'s' if len(found) != 1 else ''}")
        for each in found:
            print(f"  {each}")
    if asked.html is not None:
        write(asked.html, _page(name, found, [_picture(before, shelf), _picture(after, other_shelf)]))
    return DONE if for_git or not found else FOUND


def _picture(effect: Any, shelf: Any) -> bytes:
    """A PNG of the middle of an effect, from its first view."""
    from pale_ember.core.insight.effect_cost import seconds_of
    from pale_ember.core.simulate.timeline import Timeline
    from pale_ember.draw.offscreen import offscreen
    from pale_ember.draw.small import as_first_seen
    from pale_ember.formats.pictures import png_bytes

    def draw() -> bytes:
        with offscreen(shelf.get, shelf.mesh) as renderer:
            return png_bytes(as_first_seen(renderer, Timeline(effect, shelf.mesh, shelf.density).frame(0.5 * seconds_of(effect)), _SIZE))

    return drawn(draw)


def _page(name: str, found: list[Any], pictures: list[bytes]) -> bytes:
    """One page with both pictures, before and after, and what differs."""
    from pale_ember.building.report import dressed

    shown = ""
    for when, data in zip(("before", "after"), pictures, strict=True):
        code = base64.b64encode(data).decode()
        shown += f'<figure><img alt="{when}" src="data:image/png;base64,{code}"><figcaption>{when}</figcaption></figure>'
    rows = "".join(f'<li><span class="good">{html.escape(each.layer or "effect")}</span> {html.escape(each.said)}</li>' for each in found)
    return dressed(name, f"<section>{shown}</section><ul>{rows or '<li>Nothing differs.</li>'}</ul>")


def merge(asked: argparse.Namespace) -> int:
    """Puts together what two changed; 1 where both changed the same, for which MINE is kept."""
    from pale_ember.core.variation.merging import merged
    from pale_ember.formats.document import dumps

    out: Path = asked.out
    if out.resolve() != asked.mine.resolve():
        writable(out)
    (base, _), (mine, _), (theirs, _) = read(asked.base), read(asked.mine), read(asked.theirs)
    effect, conflicts = merged(base, mine, theirs)
    if asked.choose and conflicts:
        return _chosen(base, mine, theirs, out)
    write(out, dumps(effect))
    for each in conflicts:
        print(f"pale: {out.name}: {each}; yours is kept", file=sys.stderr)
    print(f"{out}: {'put together' if not conflicts else f'{len(conflicts)} changed by both'}")
    return FOUND if conflicts else DONE


def _chosen(base: Any, mine: Any, theirs: Any, out: Path) -> int:
    """What both changed is chosen in the window; 1 where it was not saved."""
    from pale_ember import app
    from pale_ember.studio.shell.window import Workbench

    saved = False

    def prepare(window: Workbench) -> None:
        def note(*_: object) -> None:
            nonlocal saved
            saved = not window.document.unsaved

        window.files.begin_merge(base, mine, theirs)
        window.document.named.connect(note)

    app.run(mine, out, prepare)
    return DONE if saved else FOUND
