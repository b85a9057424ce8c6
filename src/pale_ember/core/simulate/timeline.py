"""Any moment of an effect, quickly, and the same to the bit however it is reached.

Births happen at times that follow from the document alone, so a layer whose limit never binds can be entered anywhere:
one longest lifetime before the moment is enough. Where the limit binds, kept states along the way shorten the run.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from pale_ember.core.effect.model import Effect
from pale_ember.core.simulate.field import eddies
from pale_ember.core.simulate.frame import Frame, layer_frame
from pale_ember.core.simulate.motion import Table, run
from pale_ember.core.simulate.plan import LookPlan, MotionPlan, look_plan, motion_plan

KEEP_EVERY = 12
"""Steps between kept states, to begin with: a fifth of a second."""

KEPT_BYTES = 32 * 2**20
"""Memory for the kept states of one layer; beyond it every second one is let go."""

_SMALLEST = 256


@dataclass(slots=True)
class _Run:
    """A table on its way: where it stands and how many are alive."""

    step: int
    table: Table
    count: int


class Track:
    """One layer along time: its plan, a running table, kept states and the count alive after each step."""

    def __init__(self, plan: MotionPlan) -> None:
        self.plan = plan
        bursts = (plan.burst_time, plan.burst_count, plan.burst_code)
        self._fixed = (plan.numbers, eddies(), plan.speed_lane, bursts)
        self._binds = plan.peak > plan.limit
        self._life_steps = math.ceil(plan.life_high / plan.step_time) + 2
        # "As if it had always run": a lifetime ahead of the start, two where births may have been refused.
        self._first = -self._life_steps * (2 if self._binds else 1) if plan.warm else -1
        self._kept: dict[int, Table] = {}
        self._stride = KEEP_EVERY
        self._live = self._start()
        self._scout = self._start()
        self.alive = np.zeros(0, np.int64)

    def _start(self) -> _Run:
        return _Run(self._first, Table.empty(_SMALLEST), 0)

    def at(self, step: int) -> tuple[Table, int]:
        """The table after `step` and how many of its rows are alive. Valid until the next call."""
        fresh = self._first if self._binds else max(self._first, step - self._life_steps)
        kept = max((k for k in self._kept if k <= step), default=fresh)
        start = max(fresh, kept)
        if not start <= self._live.step <= step:
            table = self._kept.get(start)
            if table is None:
                self._live = _Run(fresh, Table.empty(_SMALLEST), 0)
            else:
                count = table.capacity
                self._live = _Run(start, table.copy(count, max(2 * count, _SMALLEST)), count)
        self._advance(self._live, step, np.empty(step - self._live.step, np.int64))
        return self._live.table, self._live.count

    def _advance(self, runner: _Run, last: int, alive: np.ndarray) -> None:
        done = 0
        while runner.step < last:
            # Few steps at a time where the table may overflow, so that little is done twice.
            grows = runner.table.capacity < self.plan.limit
            stop = min(last, runner.step + 16) if grows else last
            before = runner.table.copy(runner.count, runner.table.capacity) if grows else runner.table
            count, step = run(*self._fixed, runner.table, runner.count, runner.step, stop, alive[done:])
            if count < 0 or step == runner.step:
                wider = min(max(4 * before.capacity, _SMALLEST), max(self.plan.limit, 1))
                runner.table = before.copy(runner.count, wider)
                continue
            done += step - runner.step
            runner.count, runner.step = count, step

    def explore(self, last: int, most_work: int) -> bool:
        """Counts the living up to step `last` and keeps states on the way, for about `most_work` particle steps.

        Returns whether all is known.
        """
        while self._scout.step < last and most_work > 0:
            begin = self._scout.step
            stop = min(last, (begin // self._stride + 1) * self._stride)
            alive = np.empty(stop - begin, np.int64)
            self._advance(self._scout, stop, alive)
            self.alive = np.concatenate([self.alive, alive[max(-1 - begin, 0) :]])
            most_work -= int(alive.sum()) + 200 * len(alive)
            if stop % self._stride == 0 and stop >= 0:
                self._keep(stop)
        return self._scout.step >= last

    def _keep(self, step: int) -> None:
        self._kept[step] = self._scout.table.copy(self._scout.count)
        if sum(table.bytes_used() for table in self._kept.values()) > KEPT_BYTES:
            self._stride *= 2
            self._kept = {k: table for k, table in self._kept.items() if k % self._stride == 0}


class Timeline:
    """An effect along time. Give it the newest effect with `update`; only layers that move otherwise start anew."""

    def __init__(self, effect: Effect) -> None:
        self.effect = effect
        self._tracks: dict[str, Track] = {}
        self._looks: dict[str, LookPlan] = {}
        self.update(effect)

    def update(self, effect: Effect) -> None:
        tracks, looks = {}, {}
        for layer in effect.layers:
            plan = motion_plan(effect, layer)
            old = self._tracks.get(layer.id)
            tracks[layer.id] = old if old is not None and old.plan.same_motion(plan) else Track(plan)
            looks[layer.id] = look_plan(effect, layer)
        self.effect, self._tracks, self._looks = effect, tracks, looks

    def step_at(self, time: float) -> int:
        """The step nearest to a moment of real time."""
        return max(round(time * self.effect.steps), 0)

    def frame(self, time: float, *, between_steps: bool = False, hidden: frozenset[str] = frozenset()) -> Frame:
        """The effect at `time` (s since the start, across loops), rounded to the nearest step.

        With `between_steps` the step before is carried on along its velocities to the exact moment, for a
        smooth display; nothing of that is kept. Layers in `hidden`, or not shown, are left out.
        """
        effect = self.effect
        step = max(math.floor(time * effect.steps + 1e-6), 0) if between_steps else self.step_at(time)
        ahead = max(time - step / effect.steps, 0.0) * effect.tempo if between_steps else 0.0
        layers = []
        for layer in effect.layers:
            if not layer.shown or layer.id in hidden:
                continue
            table, count = self._tracks[layer.id].at(step)
            now = step * effect.tempo / effect.steps
            layers.append(layer_frame(layer, self._looks[layer.id], table, count, now, ahead))
        return Frame(time=step / effect.steps, step=step, layers=tuple(layers))

    def loop_steps(self) -> int:
        """Steps in one loop, or in the one time through."""
        return max(math.ceil(self.effect.duration / self.effect.tempo * self.effect.steps), 1)

    def explore(self, most_work: int = 100_000) -> bool:
        """Counts the living of one loop a little further; returns whether all is known."""
        share = max(most_work // max(len(self._tracks), 1), 1)
        known = [track.explore(self.loop_steps(), share) for track in self._tracks.values()]
        return all(known)

    def alive(self, identity: str) -> np.ndarray:
        """(known steps,) int64, how many of a layer live after each step of the loop, as far as explored."""
        return self._tracks[identity].alive


def ends_at(effect: Effect) -> float:
    """When an effect that plays once has nothing more to show, in real seconds; infinite for a loop."""
    if effect.loop:
        return math.inf
    plans = [motion_plan(effect, layer) for layer in effect.layers if layer.shown]
    last = max((plan.last_birth + plan.life_high for plan in plans), default=0.0)
    return max(last, effect.duration) / effect.tempo
