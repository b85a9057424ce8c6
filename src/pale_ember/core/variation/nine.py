"""Variations to choose among: each unlike the others to the eye, none with a fault that the effect has not."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from msgspec.structs import replace as struct_replace

from pale_ember.core.effect.model import Camera, Effect
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.rules import checked
from pale_ember.core.insight.close_up import close_up
from pale_ember.core.insight.effect_cost import span_of
from pale_ember.core.insight.thinning import Draw
from pale_ember.core.simulate.timeline import Timeline, built_in, even_density
from pale_ember.core.variation.vary import Choice, varied
from pale_ember.core.view import view_of, world_size

COUNT = 9
PICTURE = 160, 90
"""Pixels of a picture for which the camera comes near."""
FRAMES = 12
"""Pictures of a variation that plays."""
BACKGROUND = "dark"

_GLIMMER = 12.0
"""Codes above the background from which light counts when the camera comes near."""
_CELL, _FILLS = 1.5, 0.85
"""Width over height of what is seen of a picture, and how much of it the light fills."""
_APART = 0.04
"""By what share of their light two variations differ at least."""
_LEAST, _MOST = 0.05, 10.0
"""Of the parent's light, what a variation has at least and at most."""
_TRIES = 3
"""How many are made for each that is shown, at most."""


@dataclass(frozen=True, slots=True, eq=False)
class Variation:
    """A variation. place : which of all it is, 0 for the first. pictures : (n, h, w, 3) uint8 coded, the first at the moment that was
    asked for, the others, where there are any, over the effect's time."""

    place: int
    effect: Effect
    pictures: np.ndarray


def difference(one: np.ndarray, other: np.ndarray) -> float:
    """How far two pictures (…, h, w, 3) uint8 are from each other: what differs, as a share of what is to be seen in both."""
    ours, theirs = one.astype(np.float32), other.astype(np.float32)
    floor = float(np.minimum(ours, theirs).min())
    seen = float((ours - floor).sum() + (theirs - floor).sum()) / 2
    return float(np.abs(ours - theirs).sum()) / max(seen, 1.0)


def nine(
    effect: Effect, draw: Draw, mesh: Callable[[str], Mesh] = built_in, density: Callable[[str], Any] = even_density, *,
    choice: Choice, far: float, seed: int, moment: float, count: int = COUNT, frames: int = FRAMES,
) -> Iterator[Variation]:  # fmt: skip
    """Variations of an effect: each with its picture at a moment, s; then each again with pictures over its time. One that turns out to
    have a fault that its parent has not is told again as another. Raises what `draw` raises."""
    rng = np.random.default_rng(seed)
    timeline = Timeline(effect, mesh, density)
    begin, span = span_of(effect)
    looks = [timeline.frame(float(mark)) for mark in (moment, *(begin + span * np.array([0.25, 0.75])))]
    camera = close_up(looks, *PICTURE, nearer=False)

    camera = _nearer(camera, [draw(look, BACKGROUND, camera)[..., :3] for look in looks])

    def at(moment: float) -> np.ndarray:
        return draw(timeline.frame(moment), BACKGROUND, camera)[..., :3]

    own = at(moment)
    shown: list[Variation] = []
    tries = 0

    def fresh(place: int, others: Sequence[Variation]) -> Variation | None:
        """Another one that differs from its parent and from all others; the nearest to that where none does."""
        nonlocal tries
        best = None
        for _ in range(_TRIES):
            tries += 1
            made = varied(effect, choice, far, rng)
            timeline.update(made)
            picture = at(moment)
            light = (picture.astype(float) - own.min()).mean() / max((own.astype(float) - own.min()).mean(), 1e-3)
            if own.max() > own.min() + 8 and not _LEAST <= light <= _MOST:
                continue
            apart = min([difference(picture, own), *(difference(picture, other.pictures[0]) for other in others)])
            if best is None or apart > best[0]:
                best = apart, Variation(place, made, picture[None])
            if apart >= _APART * max(far, 0.1):
                break
        return best[1] if best is not None else None

    for place in range(count):
        made = fresh(place, shown)
        if made is not None:
            shown.append(made)
            yield made
    ours = {finding.key for finding in checked(effect, Facts(effect, Timeline(effect, mesh, density)))}
    for k, made in enumerate(shown):
        for _ in range(_TRIES):
            if not _worse(made.effect, ours, mesh, density):
                break
            again = fresh(made.place, [*shown[:k], *shown[k + 1 :]])
            if again is None:
                break
            made = shown[k] = again
            yield made
    for made in shown:
        timeline.update(made.effect)
        pictures = [at(float(mark)) for mark in begin + span * np.arange(frames) / frames]
        yield replace(made, pictures=np.stack([made.pictures[0], *pictures]))


def _nearer(camera: Camera, pictures: list[np.ndarray]) -> Camera:
    """A camera, turned as it is, that has most of the light of some pictures of its own well in the middle."""
    light = np.mean([picture.max(axis=2).astype(float) for picture in pictures], axis=0)
    light = np.maximum(light - np.median(light) - _GLIMMER, 0.0)
    if light.sum() <= 0:
        return camera
    ends = []
    for weight in (light.sum(axis=0), light.sum(axis=1)):
        low, high = np.searchsorted(np.cumsum(weight) / weight.sum(), [0.03, 0.97])
        ends.append((low / len(weight), (high + 1) / len(weight)))
    (left, right), (top, bottom) = ends
    aspect, size = PICTURE[0] / PICTURE[1], world_size(camera)
    view = view_of(camera, *PICTURE)
    target = view.right * ((left + right) / 2 - 0.5) * size * aspect - view.up * ((top + bottom) / 2 - 0.5) * size + camera.target
    near = max((bottom - top), (right - left) * aspect / _CELL) / _FILLS
    x, y, z = target.tolist()
    return struct_replace(camera, target=(x, y, z), distance=camera.distance * float(np.clip(near, 0.2, 1.2)))


def _worse(effect: Effect, known: set[tuple[str, str, str]], mesh: Callable[[str], Mesh], density: Callable[[str], Any]) -> bool:
    """Whether an effect has a fault that is not known."""
    return any(finding.key not in known for finding in checked(effect, Facts(effect, Timeline(effect, mesh, density))))
