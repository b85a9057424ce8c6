"""How a particle is drawn."""

from __future__ import annotations

import re
from typing import Any

from pale_ember.core.effect import edit
from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.values import Gradient, Stop
from pale_ember.core.insight.sentences import BLENDS, FACINGS, PATHS
from pale_ember.core.words.phrases.phrase import either, phrase, phrases_in, with_values
from pale_ember.core.words.scene import Scene

_BLENDS = {told: blend for blend, told in BLENDS.items()}
_FACINGS = {told: facing for facing, told in FACINGS.items()}
_DRAWN: dict[str, tuple[tuple[Path, Any], ...]] = {
    "along a beam": ((("look", "drawn_as"), "beam"),),
    "tumbling": ((("look", "solid", "tumbles"), True),),
    **{f"on {told}": ((("look", "drawn_as"), "ribbon"), (("look", "ribbon", "path"), path)) for path, told in PATHS.items()},
}
_TOUCHES: dict[str, tuple[Path, Any]] = {
    "glowing at its edge": (("look", "surface", "edge_glow"), 1.0),
    "fading at its edge": (("look", "surface", "edge_fade"), 1.5),
    "in the colours of a ramp": (("look", "surface", "ramp"), Gradient(stops=(Stop(at=0.0, colour=(0.0, 0.0, 0.0)), Stop(at=1.0)))),
    "glossy": (("look", "light", "gloss"), 1.0),
    "drawing a ribbon behind": (("look", "trail"), True),
    "striking as lightning": (("look", "beam", "kinks"), 0.2),
    "kinked": (("look", "ribbon", "kinks"), 0.1),
    "dissolving": (("look", "dissolve", "picture"), "library:clouds"),
    "warped": (("look", "surface", "warp"), "library:swirls"),
    "shimmering": (("look", "surface", "shimmer"), 0.3),
    "glowing where it meets": (("look", "surface", "meet_glow"), 3.0),
    "blurred by its motion": (("look", "blur"), 0.03),
    "draped over what is there": (("look", "drape"), 0.5),
    "bumpy": (("look", "solid", "bumps"), 0.15),
    "shading itself": (("look", "light", "shade"), 1.0),
    "filling the air with fog": (("look", "light", "fog"), 0.5),
    "lit by the stage": (("look", "light", "lit"), 1.0),
}


@phrase(rf"({either(_BLENDS)})\b", "blend", "look", "blend")
def _blend(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("look", "blend"), _BLENDS[said[1]]))


@phrase(rf"({either(_FACINGS)})\b", "facing", "look", "facing")
def _facing(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("look", "facing"), _FACINGS[said[1]]))


@phrase(rf"({either(_DRAWN)})\b", "drawn as", "look", "drawn_as")
def _drawn(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, *_DRAWN[said[1]])


@phrase(r"(?:as )?a mesh wearing|(?P<mesh>[\w -]{1,40}?) as a mesh(?: wearing)?", "mesh", "look", "solid", "mesh")
def _solid(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    layer = with_values(
        layer, (("look", "drawn_as"), "mesh"), *(((("look", "solid", "tumbles"), False),) if scene.before is not None else ())
    )
    if not said["mesh"]:
        return layer
    before = scene.before.look.solid.mesh if scene.before is not None else ""
    same = (before.partition(":")[2] or before).lower() == said["mesh"].strip()
    return with_values(layer, (("look", "solid", "mesh"), before if same else f"solid:{said['mesh'].strip()}"))


@phrase(rf"({either(_TOUCHES)})\b", "look", "look")
def _touch(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    """What a look is said to do and not how much: as it was, where it did it before."""
    path, usual = _TOUCHES[said[1]]
    before = edit.value_at(scene.before, path) if scene.before is not None else edit.value_at(layer, path)
    return with_values(layer, (path, before or usual))


@phrase(r"\d+ frames (over life|by clock|one at random|flicker)", "frames play", "look", "play")
def _frames(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("look", "play"), said[1]))


@phrase(r"(\d+)\s*[x×]\s*(\d+)(?: frames| sheet| grid)?(?![\d.])", "columns and rows", "look", "columns")
def _grid(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    columns, rows = (min(max(int(each), 1), 64) for each in said.groups())
    return with_values(layer, (("look", "columns"), columns), (("look", "rows"), rows))


PHRASES = phrases_in(globals())
