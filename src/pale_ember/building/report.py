"""What came of a build: one page to look at, and JUnit XML for what runs at night."""

from __future__ import annotations

import html
from collections.abc import Sequence
from xml.etree import ElementTree

from pale_ember.building.one_effect import Built

_STYLE = (
    "body{background:#141210;color:#e6ddcf;font:15px/1.5 Georgia,serif;margin:2em auto;max-width:70em;padding:0 1em}"
    "section{display:flex;flex-wrap:wrap;gap:1em;border-top:1px solid #3a342c;padding:1em 0}img{width:320px;max-width:100%}"
    "h1,h2{font-weight:normal;margin:0}h2{font-size:1.2em}p{margin:.2em 0;color:#b8ad9b}ul{margin:.4em 0;padding-left:1.2em}"
    "figure{margin:0}a{color:inherit}.bad{color:#f0a060}.good{color:#7cc4b4}"
)
_UNITS = {"particles": "alive at once", "textures": "of textures", "layers": "layers", "bytes": "handed over"}
_GREW = 1.05
"""How many times what it was counts as grown."""


def page(title: str, results: Sequence[Built], allowed: frozenset[str], rebuilt: int) -> bytes:
    """One page: each effect with its picture, what was found, and what it costs beside the time before; those with problems first."""
    ordered = sorted(results, key=lambda each: (not each.problems(allowed), each.name))
    failed = sum(bool(each.problems(allowed)) for each in results)
    told = f"{len(results)} effects, {rebuilt} built now, {failed} with problems"
    body = "".join(_section(each, allowed) for each in ordered)
    return dressed(title, f"<p>{told}</p>{body}")


def dressed(title: str, body: str) -> bytes:
    """A page of its own, with no network: a title over what it shows."""
    name = html.escape(title)
    head = '<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
    return f"{head}<title>{name}</title><style>{_STYLE}</style><h1>{name}</h1>{body}</html>\n".encode()


def _section(each: Built, allowed: frozenset[str]) -> str:
    problems = each.problems(allowed)
    picture = "" if each.fault else f'<img alt="" src="pictures/{html.escape(each.name, quote=True)}.png">'
    costs = "".join(f"<p>{_cost(name, value, each.before.get(name))}</p>" for name, value in each.cost.items())
    notes = [f"{x.where}: {x.said}" for x in each.findings if f"{x.where}: {x.said}" not in problems]
    rows = "".join(f'<li class="bad">{html.escape(text)}</li>' for text in problems) + "".join(
        f"<li>{html.escape(text)}</li>" for text in notes
    )
    verdict = '<p class="good">nothing found</p>' if not rows else f"<ul>{rows}</ul>"
    place = f"bakes/{html.escape(each.name, quote=True)}.baked"
    baked = "".join(f'<p><a href="{place}/{html.escape(file, quote=True)}">{html.escape(file)}</a></p>' for file in each.baked)
    return f"<section>{picture}<div><h2>{html.escape(each.name)}</h2>{costs}{verdict}{baked}</div></section>"


def _cost(name: str, value: int, before: int | None) -> str:
    told = f"{value / 2**20:.1f} MB" if name in ("textures", "bytes") else str(value)
    grew = before is not None and value > before * _GREW
    since = f' <span class="bad">{value / max(before or 0, 1):.2g} times what it was</span>' if grew else ""
    return f"{told} {_UNITS[name]}{since}"


def junit(title: str, results: Sequence[Built], allowed: frozenset[str]) -> bytes:
    """JUnit XML: a case for each effect, a failure for each of its problems."""
    failed = sum(bool(each.problems(allowed)) for each in results)
    suite = ElementTree.Element("testsuite", name=title, tests=str(len(results)), failures=str(failed), errors="0")
    for each in results:
        case = ElementTree.SubElement(suite, "testcase", classname=title, name=each.name)
        for problem in each.problems(allowed):
            ElementTree.SubElement(case, "failure", message=problem)
    ElementTree.indent(suite)
    return ElementTree.tostring(suite, "utf-8", xml_declaration=True) + b"\n"
