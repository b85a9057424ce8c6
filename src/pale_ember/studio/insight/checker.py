"""What looks an effect through, on a thread of its own so that no picture waits for it: checks, cost, and what would cut it.
The newest effect wins."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import Any, TypeVar

import numpy as np
from PyQt6.QtCore import pyqtSignal

from pale_ember.core.effect.model import Effect
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.checks.known import Drawn, Game, Known, Memo
from pale_ember.core.insight.checks.rules import checking
from pale_ember.core.insight.cutting import compared, cuts
from pale_ember.core.insight.spending import spending
from pale_ember.core.insight.thinning import Draw
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.simulate.track import Stopped
from pale_ember.draw.renderer import Renderer
from pale_ember.draw.small import on_background, painted_pixels, small_pictures
from pale_ember.machine.log import unforeseen
from pale_ember.studio.kit.working import Working

SETTLED = 0.15
"""Seconds after an edit before it is looked through: while a hand is at it there is nothing to say."""

MODESTY = 5
"""How far it stands back behind the window and the stage, as `nice` counts."""

_REST = 0.03
"""Seconds that it rests at once, at most."""
_LATER = 0.4
"""Seconds after the checks before cost is measured that nobody looks at."""
_CUTS = 6
"""Cuts that are offered."""

Told = TypeVar("Told")
Steps = Callable[[Draw], Iterator[object]]
"""Long work that looks at drawn pictures, step by step, and what comes of each."""


class Checker(Working):
    """Looks through whatever effect it was given last."""

    checked = pyqtSignal(object, object)
    """(an effect, all that was found in it)."""
    spent = pyqtSignal(object, object)
    """(an effect, its Spending)."""
    cut = pyqtSignal(object, object)
    """(an effect, what would cut its cost), whenever more is known of it."""
    worked = pyqtSignal(object, object)
    """(whose work, what came of a step)."""
    ended = pyqtSignal(object, str)
    """(whose work, why it could not be done, or "")."""

    def __init__(
        self, pictures: Callable[..., np.ndarray], meshes: Callable[[str], Mesh], densities: Callable[[str], Any],
        faults: Callable[[], dict[str, str]], game: Callable[[], Game], plays: Callable[[], bool],
    ) -> None:  # fmt: skip
        """plays : whether the stage plays: then it rests as long as it works, so that this goes on evenly."""
        super().__init__("checker", MODESTY, pictures, meshes, densities)
        self._faults, self._game, self._plays = faults, game, plays
        self.marks = True
        """Whether it is checked at all, not only measured."""
        self._effect: Effect | None = None
        self._anew = False
        """Whether what was made of files before is not used."""
        self._closely = False
        """Whether cost is wanted layer by layer, and what would cut it."""
        self._begun = 0.0
        """When its last rest was over, s."""
        self._work: tuple[object, Steps] | None = None
        self._memo: Memo = {}
        self._timeline: Timeline | None = None

    def check(self, effect: Effect, *, anew: bool = False) -> None:
        """Looks an effect through as soon as it rests; begins by itself at the first. anew : files changed outside."""
        with self._wake:
            self._effect = effect
            self._anew = self._anew or anew
            self._wake.notify()
        self.start()

    def look_closely(self, effect: Effect | None) -> None:
        """Measures cost layer by layer from now on, beginning with an effect; with None no longer."""
        self._closely = effect is not None
        if effect is not None:
            self.check(effect)

    def work(self, whose: object, steps: Steps) -> None:
        """Does long work when what comes first is done. An edit ends it; so does `leave`."""
        with self._wake:
            self._work = whose, steps
            self._wake.notify()
        self.start()

    def leave(self, whose: object) -> None:
        """Does not go on with long work."""
        with self._wake:
            if self._work is not None and self._work[0] is whose:
                self._work = None

    def _waits(self) -> bool:
        """Whether what is looked through is no longer wanted."""
        return self._stop or self._effect is not None

    def _while_wanted(self, draw: Callable[..., Told]) -> Callable[..., Told]:
        """A way of drawing that raises Stopped where nobody wants it any more."""

        def drawn(*given: Any) -> Told:
            self._go_on()
            return draw(*given)

        return drawn

    def _go_on(self) -> None:
        """Rests where that is wanted. Raises Stopped where nobody wants any more what is being looked through."""
        if self._plays():
            with self._wake:
                if not self._waits():
                    self._wake.wait(min(time.perf_counter() - self._begun, _REST))
        self._begun = time.perf_counter()
        if self._waits():
            raise Stopped

    def _loop(self, renderer: Renderer | None) -> None:
        while not self._stop:
            with self._wake:
                while self._effect is None and self._work is None and not self._stop:
                    self._wake.wait()
                # Whatever comes meanwhile begins the wait anew.
                while self._effect is not None and not self._stop and self._wake.wait(timeout=SETTLED):
                    pass
                effect, self._effect = self._effect, None
                if self._anew:
                    self._timeline, self._anew = None, False
                    self._memo.clear()
                work = self._work if effect is None else None
            try:
                if effect is not None:
                    self._look_through(effect, renderer)
                elif work is not None:
                    self._do(*work, renderer)
            except Stopped:
                self._timeline = None
            except Exception as error:  # noqa: BLE001 - told, and the next effect finds a fresh start
                self._timeline = None
                self._say(self.failed, unforeseen(error))

    def _look_through(self, effect: Effect, renderer: Renderer | None) -> None:
        if self._timeline is None:
            self._timeline = Timeline(effect, self._meshes, self._densities, stopped=self._waits)
        else:
            self._timeline.update(effect)
        if self.marks:
            drawn = None if renderer is None else self._while_wanted(small_pictures(renderer))
            self._check(effect, self._timeline, drawn)
        if renderer is not None:
            self._measure(effect, self._timeline, renderer)

    def _check(self, effect: Effect, timeline: Timeline, drawn: Drawn | None) -> None:
        known = Known(effect, timeline, self._pictures, drawn, self._faults, self._memo, self._game())
        found = None
        for found in checking(known):  # noqa: B007 - the last counts
            self._go_on()
        self._say(self.checked, effect, found)

    def _measure(self, effect: Effect, timeline: Timeline, renderer: Renderer) -> None:
        """Measures what an effect costs and, where that is wanted, what would cut it. Where nobody looks at it, when it rests."""
        closely, spent = self._closely, None
        if not closely:
            with self._wake:
                if not self._waits():
                    self._wake.wait(_LATER)
        for spent in spending(  # noqa: B007 - the last counts
            timeline, self._while_wanted(painted_pixels(renderer)), lambda name: self._pictures(name, effect.recipes),
            by_layer=closely,
        ):  # fmt: skip
            self._go_on()
        if spent is None:
            return
        self._say(self.spent, effect, spent)
        if not closely:
            return
        found = cuts(effect, spent)[:_CUTS]
        self._say(self.cut, effect, found)
        draw = self._while_wanted(on_background(renderer))
        for k, cut in enumerate(compared(effect, found, draw, self._meshes, self._densities)):
            found = [*found[:k], cut, *found[k + 1 :]]
            self._say(self.cut, effect, found)

    def _do(self, whose: object, steps: Steps, renderer: Renderer | None) -> None:
        """Does long work until it is done, an effect comes, or it is left. Somebody waits for it, so it does not rest."""
        why = "" if renderer is not None else "OpenGL 3.3: expected a working driver, found none; install one"

        def draw(frame: Frame, background: str) -> np.ndarray:
            if self._waits() or self._work is None or self._work[0] is not whose:
                raise Stopped
            return drawn(frame, background)

        try:
            if renderer is not None:
                drawn = on_background(renderer)
                for told in steps(draw):
                    self._say(self.worked, whose, told)
        except Stopped:
            pass
        except Exception as error:  # noqa: BLE001 - told to whoever waits
            why = unforeseen(error)
        self.leave(whose)
        self._say(self.ended, whose, why)
