"""What rules ask: the effect, what follows from it, and what its run and its pictures show."""

from __future__ import annotations

import functools
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pale_ember.core.effect.edit import index_of, with_value
from pale_ember.core.effect.model import FIRST_VIEW, Effect, Layer
from pale_ember.core.insight.effect_cost import ROWS, TARGETS, Budget, moments_of, seconds_of
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.poses import Poses
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.advice import thinned
from pale_ember.core.view import View, view_of

LOOKS = 9
"""Moments of the effect that are looked at."""
_FAINT = 0.01
"""Opacity below which a particle is not seen."""
SCREEN = 16.0, 9.0
"""Proportions of the picture in which views are judged."""
_WORK = 60_000
"""Particle steps counted in one go."""
_ENOUGH = 128
"""Pixels along the shorter side by which a picture is judged here."""

_DRAWN = "as drawn"
"""What begins the name of a picture that is kept from one check to the next."""

Drawn = Callable[[Frame], np.ndarray]
"""Draws a Frame from the first view that is kept: (h, w, 4) uint8, small."""


Memo = dict[tuple, tuple[np.ndarray | None, Any]]
"""By a picture's name and what is asked of it: the pixels, and the answer."""


@dataclass(frozen=True, slots=True)
class GameFacts:
    """What is known of the game that an effect is for. targets : what may be taken, by their names. events : the names that it
    knows, where they were told."""

    targets: Mapping[str, Budget] = field(default_factory=lambda: TARGETS)
    events: Sequence[str] | None = None


NO_GAME = GameFacts()


class Facts:
    """Everything that is known of an effect. Rules read it and change nothing."""

    def __init__(
        self,
        effect: Effect,
        timeline: Timeline,
        picture: Callable[[str], np.ndarray | None] = lambda name: None,
        drawn: Drawn | None = None,
        faults: Callable[[], dict[str, str]] = dict,
        memo: Memo | None = None,
        game: GameFacts = NO_GAME,
    ) -> None:
        """memo : what was found of pictures before, kept from one to the next. game : what is known of the game."""
        self.game = game
        self._memo: Memo = {} if memo is None else memo
        there = {layer.id for layer in effect.layers}
        for key in [key for key in self._memo if key[0] == _DRAWN and any(each[0] not in there for each in key[1:])]:
            self._memo.pop(key)
        self.effect, self.timeline, self.drawn, self.faults = effect, timeline, drawn, faults
        self._picture = picture
        self.forecast = Forecast(effect)
        self.feeds = self.forecast.feeds
        self.by_id = {layer.id: layer for layer in effect.layers}
        self.shown = tuple(layer for layer in effect.layers if layer.shown)
        self.span = seconds_of(effect)
        """Real seconds of one loop, or until nothing is left."""
        self.moments = moments_of(effect, LOOKS)
        """(LOOKS,) s, at which it is looked at."""
        self.looks: list[Frame] = []
        self._alone: dict[str, list[LayerFrame]] = {}
        self._seen: dict[str, list[tuple[np.ndarray, np.ndarray, np.ndarray]]] = {}

    def gather(self) -> Iterator[None]:
        """Runs the effect and looks at it, a little at a time."""
        while not self.timeline.explore(_WORK):
            yield
        for moment in self.moments.tolist():
            self.looks.append(self.timeline.frame(moment, remembers=True))
            yield

    def alive(self, layer: Layer) -> np.ndarray:
        """(steps,) how many of a layer live after each step of the first loop."""
        return self.timeline.alive(layer.id)

    def peak(self, layer: Layer) -> int:
        """The most of a layer that lived at once."""
        seen = [shown.count for shown in self.frames(layer)]
        return max(int(self.alive(layer).max(initial=0)), max(seen, default=0))

    def frames(self, layer: Layer) -> list[LayerFrame]:
        """A layer at all moments, one for each of its places."""
        if layer.id not in self._alone:
            self._alone[layer.id] = [each for look in self.looks for each in look.layers if each.layer.id == layer.id]
        return self._alone[layer.id]

    def seen(self, layer: Layer) -> list[tuple[np.ndarray, np.ndarray, np.ndarray]]:
        """For each look at a layer the places (n, 3) m, sizes (n, 2) m and colours (n, 4) of what is seen of it."""
        if layer.id in self._seen:
            return self._seen[layer.id]
        found = self._seen[layer.id] = []
        for each in self.frames(layer):
            if each.strips is not None:
                width = np.repeat(each.strips.width[:, None], 2, axis=1)
                found.append((each.strips.point, width, each.strips.colour))
                continue
            seen = (each.colour[:, 3] > _FAINT) & (each.size[:, 0] > 0)
            found.append((each.position[seen], each.size[seen, :2], each.colour[seen]))
        return found

    @functools.cached_property
    def views(self) -> list[View]:
        """The views that are kept, or the one that all begin with."""
        return [view_of(camera, *SCREEN) for camera in self.effect.stage.cameras or (FIRST_VIEW,)]

    def pixels(self, metres: float) -> float:
        """How many rows of a game's picture so many metres take up, from where the game looks."""
        game = self.effect.stage.game
        return metres * ROWS / (2 * np.tan(np.radians(game.fov) / 2) * game.distance)

    @functools.cached_property
    def poses(self) -> Poses:
        """Where all things are, at any moment."""
        return Poses(self.forecast.effect)

    def as_drawn(self, look: Frame) -> np.ndarray:
        """(h, w, 3) int, how a look is drawn; as it was before where all that is in it is the same."""
        assert self.drawn is not None
        made_of = look.effect.stage, look.effect.recipes, *look.layers
        key = (_DRAWN, *(each.key for each in look.layers))
        kept = self._memo.get(key)
        if kept is None or len(kept[1][0]) != len(made_of) or any(a is not b for a, b in zip(kept[1][0], made_of, strict=True)):
            kept = self._memo[key] = None, (made_of, self.drawn(look)[..., :3].astype(int))
        return kept[1][1]

    def _had(self, name: str) -> np.ndarray | None:
        return self._picture(name) if name and name not in self.faults() else None

    def picture(self, name: str) -> np.ndarray | None:
        """(h, w, 4) float32 a picture, linear and straight, or None where it cannot be had. Large ones by every other pixel."""
        pixels = self._had(name)
        return None if pixels is None else thinned(pixels, _ENOUGH)

    def of_picture(self, name: str, work: Callable[..., Any], *given: object) -> Any:
        """What a function makes of a picture that can be had, and of what it is given, found once for as long as the picture is the
        same."""
        pixels, key = self._had(name), (name, work.__name__, *given)
        kept = self._memo.get(key)
        if kept is None or kept[0] is not pixels:
            kept = self._memo[key] = pixels, None if pixels is None else work(thinned(pixels, _ENOUGH), *given)
        return kept[1]

    def size_of(self, name: str) -> tuple[int, int] | None:
        """Rows and columns of a picture."""
        pixels = self._had(name)
        return None if pixels is None else (pixels.shape[0], pixels.shape[1])

    def free_peak(self, layer: Layer) -> int:
        """The most of a layer that would live at once if there were room for all."""
        room = int(min(max(self.forecast.most_births(layer, layer.birth.lifetime.most), 1.0), 16.0 * layer.outlet.limit))
        path = ("layers", index_of(self.effect, layer.id), "outlet", "limit")
        free = Timeline(with_value(self.effect, path, room), self.timeline.mesh, self.timeline.density)
        while not free.explore(_WORK):
            pass
        return int(free.alive(layer.id).max(initial=0))

    def fullest(self, layer: Layer | None = None) -> Frame:
        """The look at which most is seen, of a layer or of all."""

        def much(look: Frame) -> float:
            own = [each for each in look.layers if layer is None or each.layer.id == layer.id]
            return sum(float((each.colour[:, 3] * each.size[:, 0] * each.size[:, 1]).sum()) for each in own)

        return max(self.looks, key=much)
