"""When and where particles are born."""

from __future__ import annotations

import re
from typing import Any

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.shapes import SHAPES
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.core.words.phrases.phrase import XYZ, N, R, either, phrase, phrases_in, range_of, vector_of, with_one_more, with_values
from pale_ember.core.words.scene import Scene

_FLOWS = {"a second": "per second", "per second": "per second", "/s": "per second", "kept alive": "kept alive", "alive": "kept alive"}


@phrase(rf"({R})\s*(a second|per second|/s\b|kept alive|alive)(?: from ({N}) to ({N}) s)?", "rate", "outlet", "rate")
def _rate(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return _spanned(with_values(layer, (("outlet", "rate"), range_of(said[1])), (("outlet", "rate_counts"), _FLOWS[said[2]])), said, 3)


@phrase(rf"one every ({R}) s(?: from ({N}) to ({N}) s)?", "rate", "outlet", "rate")
def _interval(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return _spanned(with_values(layer, (("outlet", "rate"), range_of(said[1])), (("outlet", "rate_counts"), "seconds between")), said, 2)


def _spanned(layer: Layer, said: re.Match[str], first: int) -> Layer:
    if said[first] is None:
        return layer
    start, end = float(said[first]), float(said[first + 1])
    return with_values(layer, (("outlet", "start"), start), (("outlet", "span"), max(end - start, 0.0)))


@phrase(r"spawns nothing(?:: no rate and no bursts)?|no rate and no bursts", "rate", "outlet", "rate")
def _nothing(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("outlet", "rate"), fixed(0.0)), (("outlet", "bursts"), ()), (("outlet", "per_metre"), 0.0))


@phrase(
    rf"(?:(?:a )?burst(?: of)? ({R})|({R})(?: at once|(?= at {N}\s*s\b)))(?: at ({N})\s*s?)?"
    rf"(?:,? (\d+) times(?: every ({N})\s*s?)?)?(?: with a chance of ({N})\s*%)?",
    "bursts",
    "outlet",
    "bursts",
)
def _burst(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    count = range_of(said[1] or said[2])
    told = {"count": replace(count, low=round(count.low), high=round(count.high)), "first_at": float(said[3] or 0.0)}
    told |= {"times": max(int(said[4] or 1), 1)}
    told |= {"every": max(float(said[5]), 0.001)} if said[5] else {}
    told |= {"chance": min(float(said[6]) / 100, 1.0) if said[6] else 1.0}
    if scene.before is None and len(layer.outlet.bursts) == 1 and not any(said.groups()[2:]):
        # Of the only burst there is, only how many are born is said.
        return with_values(layer, (("outlet", "bursts", 0, "count"), told["count"]))
    return with_one_more(layer, ("outlet", "bursts"), Burst(), told, scene)


@phrase(rf"({N})\s*(?:a|per) met(?:re|er)", "per metre", "outlet", "per_metre")
def _per_metre(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("outlet", "per_metre"), max(float(said[1]), 0.0)))


_EDGES = {"the rim of": 0.0, "the surface of": 0.0, "a shell of": 0.3, "a hollow": 0.0, "hollow": 0.0}
_SHAPE = "|".join(name for name in SHAPES if name != "mesh")


@phrase(
    rf"(?:from )?(?:the (side|caps|base|top|left|right|front|back) of )?({either(_EDGES)})? ?(?:({N})° of )?"
    rf"(?:a |an )?({_SHAPE})\b(?: (?:of |with )?(?:radius |length )?({N}(?:\s*[×x]\s*{N}\s*[×x]\s*{N})?)\s*m)?( that is flat)?",
    "shape",
    "outlet",
    "shape",
)
def _shape(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    shape, kind = said[4], SHAPES[said[4]]
    faces, edge, arc, size, flat = said[1], said[2], said[3], said[5], said[6]
    told: list[tuple[Path, Any]] = [(("outlet", "shape"), shape)]
    if faces or scene.before is not None:
        told.append((("outlet", "faces"), faces or "all"))
    if edge:
        told.append((("outlet", "fill"), _EDGES[edge]))
    if arc:
        told.append((("outlet", "arc"), float(arc)))
    numbers = [float(each) for each in re.findall(N, size or "")]
    if len(numbers) == 3 and "extent" in kind.uses:
        told.append((("outlet", "extent"), tuple(numbers)))
    elif len(numbers) == 1:
        name = "radius" if "radius" in kind.uses else "length" if "length" in kind.uses else "extent"
        told.append((("outlet", name), numbers[0] if name != "extent" else (numbers[0],) * 3))
    if flat:
        told.append((("outlet", "length"), 0.0))
    elif shape == "cylinder" and scene.before is not None and size and layer.outlet.length == 0:
        told.append((("outlet", "length"), 1.0))
    return with_values(layer, *told)


@phrase(r"(?:from )?the (surface|edges|vertices) of the mesh ([\w .#-]+?)(?=,|\.$|$)", "mesh", "outlet", "mesh")
def _mesh(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    before = scene.before.outlet.mesh if scene.before is not None else ""
    mesh = before if (before.partition(":")[2] or before).lower() == said[2] else f"solid:{said[2]}"
    return with_values(layer, (("outlet", "shape"), "mesh"), (("outlet", "mesh_part"), said[1]), (("outlet", "mesh"), mesh))


_AIMS = {
    "in every direction": "anywhere",
    "outward": "outward",
    "along its surface": "along surface",
    "towards a point": "towards point",
    "away from a point": "away from point",
}


@phrase(rf"({'|'.join(_AIMS)}|upwards?|downwards?|along {XYZ})(?:\s*(?:±|by|spread)\s*({R})\s*°?)?", "aim", "outlet", "aim")
def _aim(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    told: list[tuple[Path, Any]] = []
    if said[1] in _AIMS:
        told.append((("outlet", "aim"), _AIMS[said[1]]))
    elif said[1].startswith("along "):
        told += [(("outlet", "aim"), "along axis"), (("outlet", "axis"), vector_of(said[1].removeprefix("along ")))]
    else:
        # As the layer is turned: what is to head up in the world may head aside in its own axes.
        up = np.array([0.0, 1.0 if said[1].startswith("up") else -1.0, 0.0])
        axis = tuple(round(float(part), 6) + 0.0 for part in turn_matrix(layer.turn).astype(float).T @ up)
        told += [(("outlet", "aim"), "along axis"), (("outlet", "axis"), axis)]
    if said[2] is not None:
        told.append((("outlet", "spread"), range_of(said[2])))
    elif scene.before is not None:
        told.append((("outlet", "spread"), fixed(0.0)))
    return with_values(layer, *told)


@phrase(rf"±\s*({R})\s*°", "spread", "outlet", "spread")
def _spread(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("outlet", "spread"), range_of(said[1])))


@phrase(r"\d+ bursts, [\d.]+ in all,?", "bursts", "outlet", "bursts")
def _bursts(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    """How many bursts there are is told, and not which: they stay as they were."""
    return layer if scene.before is None else with_values(layer, (("outlet", "bursts"), scene.before.outlet.bursts))


@phrase(r"changing over time", "rate curve", "outlet", "rate_curve")
def _rate_curve(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return layer if scene.before is None else with_values(layer, (("outlet", "rate_curve"), scene.before.outlet.rate_curve))


@phrase(r"what .+? leaves(?= from| and|[,.])", "spawned", "outlet", "rate")
def _spawned(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    """Who spawns it says so."""
    return layer


PHRASES = phrases_in(globals())
