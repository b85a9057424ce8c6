"""Gradients from elsewhere and for elsewhere: along a line of a picture, SVG, and lists of colours as people paste them."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ElementTree
from collections.abc import Sequence

import numpy as np

from pale_ember.core.effect.curves import free_age
from pale_ember.core.effect.values import Colour, Gradient, Stop, three
from pale_ember.core.texture.light import to_bytes, to_coded, to_linear

_CODE = re.compile(r"#([0-9a-fA-F]{8}|[0-9a-fA-F]{6}|[0-9a-fA-F]{3})\b")
_MOST_STOPS = 64
_MOST_TEXT = 1_000_000
"""Signs beyond which a text is no gradient that anybody pasted."""


def code_of(colour: Colour) -> str:
    """The sRGB code of a linear colour, as far as a screen can show it."""
    red, green, blue = (int(part) for part in to_bytes(np.array(colour, float)))
    return f"#{red:02x}{green:02x}{blue:02x}"


def colour_of(code: str) -> Colour:
    """The linear colour of an sRGB code of three or six digits; the opacity of one of eight is left out."""
    digits = code.lstrip("#")
    digits = "".join(sign * 2 for sign in digits) if len(digits) == 3 else digits[:6]
    coded = np.array([int(digits[i : i + 2], 16) / 255 for i in (0, 2, 4)])
    return three(to_linear(coded), 6)


def _gradient(stops: Sequence[tuple[float, Colour]]) -> Gradient:
    """A gradient of stops in any order; those at one place stand as close as they may."""
    kept: list[Stop] = []
    for at, colour in sorted(stops, key=lambda stop: stop[0])[:_MOST_STOPS]:
        kept.append(Stop(at=free_age([stop.at for stop in kept], at), colour=colour))
    return Gradient(stops=tuple(sorted(kept, key=lambda stop: stop.at)))


def to_svg(gradient: Gradient) -> str:
    """An SVG 1.1 document with the gradient, shown over a box. Its colours are sRGB; brighter than white is white."""
    stops = "".join(f'\n      <stop offset="{stop.at:.4g}" stop-color="{code_of(stop.colour)}"/>' for stop in gradient.stops)
    return (
        '<svg xmlns="http://www.w3.org/2000/svg" width="256" height="32">\n  <defs>\n'
        f'    <linearGradient id="gradient">{stops}\n    </linearGradient>\n  </defs>\n'
        '  <rect width="256" height="32" fill="url(#gradient)"/>\n</svg>\n'
    )


def from_svg(text: str) -> Gradient | None:
    """The first gradient with stops in an SVG text, or None."""
    if "<stop" not in text or "<!" in text or len(text) > _MOST_TEXT:
        return None
    try:
        root = ElementTree.fromstring(text.strip())
    except ElementTree.ParseError:
        return None
    for element in root.iter():
        if not element.tag.endswith("Gradient"):
            continue
        found: list[tuple[float, Colour]] = []
        for stop in element:
            style = dict(part.split(":", 1) for part in stop.get("style", "").split(";") if ":" in part)
            style = {name.strip(): value.strip() for name, value in style.items()}
            code = _CODE.search(stop.get("stop-color") or style.get("stop-color", ""))
            offset = stop.get("offset", "0")
            try:
                at = float(offset.rstrip("%")) / (100 if offset.endswith("%") else 1)
            except ValueError:
                continue
            if stop.tag.endswith("stop") and code is not None:
                found.append((min(max(at, 0.0), 1.0), colour_of(code.group(1))))
        if found:
            return _gradient(found)
    return None


def to_palette(gradient: Gradient) -> str:
    """The colours of a gradient, a code a line."""
    return "\n".join(code_of(stop.colour) for stop in gradient.stops) + "\n"


def from_palette(text: str) -> Gradient | None:
    """A gradient of colours listed in a text: codes in any separators, or lines of red, green and blue from 0 to 255 as in
    palette files. Evenly spaced. None where there are not two."""
    if len(text) > _MOST_TEXT:
        return None
    colours = [colour_of(match.group(1)) for match in _CODE.finditer(text)]
    if not colours:
        for line in text.splitlines():
            row = re.match(r"\s*(\d{1,3})[\s,;]+(\d{1,3})[\s,;]+(\d{1,3})\b", line)
            if row and all(int(part) <= 255 for part in row.groups()):
                coded = np.array([int(part) / 255 for part in row.groups()])
                colours.append(three(to_linear(coded), 6))
    colours = colours[:_MOST_STOPS]
    if len(colours) < 2:
        return None
    return _gradient([(i / (len(colours) - 1), colour) for i, colour in enumerate(colours)])


def from_text(text: str) -> Gradient | None:
    """A gradient from a text that has one: SVG, or a list of colours."""
    return from_svg(text) or from_palette(text)


def along(pixels: np.ndarray, first: tuple[float, float], last: tuple[float, float], tolerance: float = 0.02) -> Gradient:
    """The colours of a picture along a line, as a gradient of few stops.

    pixels : (height, width, 3 or 4) float, linear. first, last : places across and down, 0 to 1. tolerance : how far a
    colour may be from the picture's, in coded light. The stop that is missed most is put in, again and again (after
    Douglas and Peucker, Cartographica 10, 1973).
    """
    height, width = pixels.shape[:2]
    share = np.linspace(0.0, 1.0, 129)
    xs = np.clip((first[0] + (last[0] - first[0]) * share) * (width - 1), 0, width - 1).round().astype(int)
    ys = np.clip((first[1] + (last[1] - first[1]) * share) * (height - 1), 0, height - 1).round().astype(int)
    colours = np.clip(pixels[ys, xs, :3].astype(float), 0.0, None)
    coded = to_coded(np.clip(colours, 0.0, 1.0))
    chosen = [0, len(share) - 1]
    while len(chosen) < 16:
        drawn = np.stack([np.interp(share, share[chosen], colours[chosen, c]) for c in range(3)], axis=1)
        missed = np.abs(to_coded(np.clip(drawn, 0.0, 1.0)) - coded).max(axis=1)
        worst = int(missed.argmax())
        if missed[worst] <= tolerance:
            break
        chosen = sorted({*chosen, worst})
    return _gradient([(float(share[i]), three(colours[i], 5)) for i in chosen])
