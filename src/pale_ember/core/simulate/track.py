"""One layer along time: any step of it, what happened to its particles, and how many live.

Births follow from the document and from the parents' events alone, so a layer whose limit never refuses one can be
entered anywhere: one longest lifetime before the step is enough. Where the limit binds, kept states shorten the run.
"""

from __future__ import annotations

import math
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.simulate.birth_kernels import replace_places, scatter_arrays, spawn
from pale_ember.core.simulate.event_log import EventLog
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.frame import look_of_events
from pale_ember.core.simulate.motion_kernel import MotionExtras, run
from pale_ember.core.simulate.offspring import children, rule_records, struck_events
from pale_ember.core.simulate.particle_events import EVENT
from pale_ember.core.simulate.particle_table import KEEP_EVERY, Table, columns_of
from pale_ember.core.simulate.plan import FAR, FORCE_RECORD, LookPlan, motion_plan
from pale_ember.core.simulate.poses import PoseFrames, Poses, still, upright_to
from pale_ember.core.simulate.ribbons import trail_steps
from pale_ember.core.simulate.spawning import AS_IT_IS, ManualTrigger, Performance, Spawner, fired_births
from pale_ember.core.simulate.surfaces import Surfaces
from pale_ember.core.simulate.turbulence_field import eddies
from pale_ember.core.simulate.two_threads import TwoThreads

_HERE = still()
_SMALLEST = 256
_MOST_STEPS = 64
"""Steps of one call of the kernel: few enough that the lock is soon free, many enough that calls cost nothing."""

_MOST_BIRTHS = 100_000
"""Births prepared at once, where one step has fewer."""


class SimulationStopped(Exception):  # noqa: N818 - it is what happened
    """Whoever wanted the result has gone."""


@dataclass(slots=True)
class _Run:
    """A table on its way: where it stands, how many are alive, and where they were. Entered in the middle, it holds all
    that live from step `whole` on."""

    step: int
    table: Table
    count: int
    whole: int
    trail: deque = field(default_factory=deque)
    born: int = 0
    fed: list[int] = field(default_factory=list)
    """How many births were asked for on its way, and how many of them by each rule."""


@dataclass(frozen=True, slots=True, eq=False)
class RuleFeed:
    """A rule of a parent that spawns particles of this layer. index : its place among the parent's rules."""

    track: Track
    rule: Rule
    index: int
    look: LookPlan


class Track:
    """One layer of an effect: a running table, kept states, its events, and the count alive after each step."""

    def __init__(
        self,
        effect: Effect,
        layer: Layer,
        mesh: Callable[[str], Mesh],
        density: Callable[[str], Callable | str],
        feeds: tuple[RuleFeed, ...] = (),
        fired: tuple[ManualTrigger, ...] = (),
        kept_bytes: int = 64 * 2**20,
        poses: Poses | None = None,
        forecast: Forecast | None = None,
        stopped: Callable[[], bool] = lambda: False,
        pair: TwoThreads | None = None,
        performance: Performance = AS_IT_IS,
    ) -> None:
        self.effect, self.layer, self.feeds, self.fired = effect, layer, feeds, fired
        self._performance = performance
        self.plan = motion_plan(effect, layer)
        self.poses = Poses(effect) if poses is None else poses
        self.spawner = Spawner(effect, layer, self.poses)
        self.columns = columns_of(layer, bool(feeds))
        self._nobody = Table.empty(0, self.columns)
        self.shares = np.array([(feed.rule.size, feed.rule.colour) for feed in feeds] or [(0, 0)], np.float32)
        self._mesh = scatter_arrays(layer, mesh, density)
        self._surfaces = Surfaces(effect, layer, mesh, self.poses)
        self._moves = self.poses.moves(layer) or layer.turns_with != "keys"
        self._stands = self.poses.layer(layer, np.zeros(1))
        reached = self.frames(np.linspace(0.0, effect.duration, 17)).place if layer.space == "world" else np.zeros((1, 3))
        if float(np.abs(reached).max()) > FAR:
            self.plan.numbers["far"], self.plan.numbers["coasts"] = True, False
        self._rules = rule_records(effect, layer)
        self._per_step = np.zeros(max(len(self._rules), 1), np.int64)
        self._events = np.zeros(1024 if len(self._rules) else 0, EVENT)
        self._state, self._touched = np.zeros(2, np.int64), np.zeros(8)
        self.log = EventLog()
        self._stopped = stopped
        self.going: tuple[int, int] | None = None
        """While it is simulated, the step that it has come to and the one that is wanted; read by whoever waits."""
        self.step_time = float(self.plan.step_time)
        self.life = max(layer.birth.lifetime.most, 0.0)
        self._delay = max([feed.rule.latest for feed in feeds], default=0.0)
        spawns = layer.outlet.rate.most > 0 or bool(layer.outlet.bursts) or layer.outlet.per_metre > 0
        self._mixes = bool(fired) or len(feeds) > 1 or (bool(feeds) and (spawns or self._delay > 0))
        """Whether births come from several sides, or not in order, and must be sorted."""
        self._life_steps = math.ceil(self.life / self.step_time) + 2
        self._delay_steps = math.ceil(self._delay / self.step_time) + 1 if feeds else 0
        self.trail_steps = trail_steps(layer, self.step_time)
        self.binds = (
            layer.outlet.at_limit == "refuse births" and (forecast or Forecast(effect)).most_births(layer, self.life) > layer.outlet.limit
        )
        # "As if it had always run": a lifetime ahead of the start, two where births may have been refused.
        self.first = -self._life_steps * (2 if self.binds else 1) if effect.loop and effect.warm else -1
        self.first = min([self.first, *(feed.track.first for feed in feeds)])
        self._pair = pair or TwoThreads()
        whole = self.binds or len(self._rules) or layer.outlet.anew or self.trail_steps
        self._splits = not whole and layer.outlet.at_limit == "refuse births"
        """Whether its particles can be carried in two halves: nothing counts or orders them all."""
        self._kept: dict[int, Table] = {}
        self._kept_bytes = kept_bytes
        self._stride = KEEP_EVERY
        self._live, self._scout, self._herald = (self._begin(self.first), self._begin(self.first), self._begin(self.first))
        self.alive = np.zeros(0, np.int64)
        self.births, self.fed = 0, [0] * len(feeds)
        """Births asked for in the steps from 0 on that are explored, those that a limit refused included, and each rule's."""
        self.seconds = 0.0
        """Time that this took, with what it had to know of its parents."""

    def _begin(self, step: int) -> _Run:
        whole = step if step <= self.first else step + self._life_steps
        return _Run(step, Table.empty(_SMALLEST, self.columns), 0, whole, fed=[0] * len(self.feeds))

    def at(self, step: int) -> tuple[Table, int]:
        """The table after `step` and how many of its rows are alive. Valid until the next call."""
        self._live = self._reach(self._live, step, self.trail_steps)
        return self._live.table, self._live.count

    @property
    def count(self) -> int:
        """How many were alive at the last moment asked for."""
        return self._live.count

    def trail(self) -> deque:
        """Where the particles of the last `at` were: (step, numbers, places (n, 3)) for each step back, the newest last."""
        return self._live.trail

    def events(self, first: int, last: int) -> np.ndarray:
        """(m,) of EVENT: what happened in steps `first` + 1 to `last`, step by step."""
        missing = self.log.want(range(max(first, self.first) + 1, last + 1))
        if missing is not None:
            self._herald = self._reach(self._herald, last, last - missing + 1)
        return self.log.take()

    def _reach(self, runner: _Run, step: int, back: int = 0) -> _Run:
        """A runner at `step` that has passed the `back` steps before it, from where it stands, a kept state, or anew."""
        fresh = self.first if self.binds else max(self.first, step - back - self._life_steps)
        kept = max((k for k in self._kept if k <= step - back), default=fresh)
        start = max(fresh, kept)
        passed = runner.trail[0][0] if runner.trail else runner.step
        stands = start <= runner.step <= step and (back == 0 or runner.step <= step - back or passed <= step - back)
        if back and self.trail_steps == 0:
            stands = start <= runner.step <= step - back
        if not stands:
            table = self._kept.get(start)
            if table is None:
                runner = self._begin(fresh)
            else:
                count = table.capacity
                room = table.copy(count, max(2 * count, _SMALLEST), self.columns)
                runner = _Run(start, room, count, start, fed=[0] * len(self.feeds))
                if self.trail_steps:
                    self._remember(runner)
        self._advance(runner, step, np.empty(step - runner.step, np.int64))
        return runner

    def _stop(self, step: int, last: int) -> int:
        """Where the next call of the kernel ends."""
        if self.layer.outlet.anew or self.trail_steps:
            return step + 1
        most = 16 if len(self._rules) else _MOST_STEPS
        stop = min(last, step + most)
        while stop > step + 1 and self.spawner.expected(step, stop) > _MOST_BIRTHS:
            stop = step + (stop - step) // 2
        return stop

    def _advance(self, runner: _Run, last: int, alive: np.ndarray) -> None:
        done = 0
        while runner.step < last:
            if self._stopped():
                raise SimulationStopped
            step, stop = runner.step, self._stop(runner.step, last)
            self.going = step, last
            births, due, fed = self._births(step, stop)
            runner.born += births.capacity
            runner.fed = [one + more for one, more in zip(runner.fed, fed, strict=True)]
            room = min(runner.count + births.capacity, self.layer.outlet.limit)
            if room > runner.table.capacity:
                room = min(2 * room, max(self.layer.outlet.limit, room))
                runner.table = runner.table.copy(runner.count, room, self.columns)
            forces = self._forces(step, stop)
            surfaces = self._surfaces.rows(step, stop, self.step_time / self.layer.tempo)
            if self._splits and runner.count >= self._pair.worth:
                self._advance_split(runner, births, due, forces, surfaces, stop, alive[done:])
                done += stop - step
                continue
            before = runner.table
            if len(self._rules):
                before = before.copy(runner.count, before.capacity, self.columns)
            while True:
                self._state[:] = 0
                count = run(
                    self.plan.numbers, eddies(), self.plan.speed_lane,
                    (surfaces, self._surfaces.nodes, self._surfaces.triangles, self._touched),
                    self._more(forces), births, due, runner.table, runner.count, step, stop, alive[done:],
                )  # fmt: skip
                if not self._state[1]:
                    break
                self._events = np.zeros(2 * len(self._events), EVENT)
                runner.table = before.copy(runner.count, before.capacity, self.columns)
            runner.count, runner.step = count, stop
            done += stop - step
            if len(self._rules):
                self.log.note(max(step, runner.whole), stop, self._events[: self._state[0]].copy())
            if self.layer.outlet.anew:
                pose = self._own_frames(np.array([stop * self.step_time])).rows()[0]
                replace_places(self.plan.birth, self._mesh, stop, pose, runner.table, count)
            if self.trail_steps:
                self._remember(runner)
        self.going = None

    def _advance_split(
        self, runner: _Run, births: Table, due: np.ndarray, forces: np.ndarray, surfaces: np.ndarray, stop: int, alive: np.ndarray
    ) -> None:
        """Carries the older half of a table and the younger, which takes the births, on two threads, and joins what is
        left of them. Particles know nothing of each other, so the outcome is the same to the bit.

        due : (steps + 1,) int64; forces : (steps, forces) FORCE_RECORD; surfaces : (steps, props) SURFACE; alive :
        (steps,) int64.
        """
        step, count, half = runner.step, runner.count, runner.count // 2
        steps = stop - step
        parts = (Table._make(column[:half] for column in runner.table), Table._make(column[half:] for column in runner.table))
        counts, living = [0, 0], np.empty((2, steps), np.int64)

        def carry(which: int, table: Table, begun: int, born: Table, rows: np.ndarray) -> None:
            touching = surfaces, self._surfaces.nodes, self._surfaces.triangles, np.zeros(8)
            more = self._more(forces)
            if more is not None:
                more = more._replace(per_step=np.zeros(1, np.int64), state=np.zeros(2, np.int64))
            counts[which] = run(
                self.plan.numbers, eddies(), self.plan.speed_lane, touching, more, born, rows, table, begun, step, stop, living[which]
            )

        nobody = np.zeros(steps + 1, np.int64)
        self._pair.run(lambda: carry(1, parts[1], count - half, births, due), lambda: carry(0, parts[0], half, self._nobody, nobody))
        if counts[0] < half:
            for column in runner.table:
                if len(column):
                    column[counts[0] : counts[0] + counts[1]] = column[half : half + counts[1]]
        alive[:steps] = living.sum(axis=0)
        runner.count, runner.step = counts[0] + counts[1], stop

    def _more(self, forces: np.ndarray) -> MotionExtras | None:
        """What the kernel takes for a layer that is not of everyday."""
        plan = self.plan
        if plan.everyday:
            return None
        lanes = plan.lanes
        return MotionExtras(
            plan.choices, lanes.records, lanes.tables, lanes.bands, forces, self._rules, self._per_step, self._events, self._state
        )

    def _remember(self, runner: _Run) -> None:
        table, count = runner.table, runner.count
        places = np.stack([table.px[:count], table.py[:count], table.pz[:count]], axis=1)
        runner.trail.append((runner.step, table.number[:count].copy(), places))
        while runner.trail[0][0] < runner.step - self.trail_steps:
            runner.trail.popleft()

    def _own_frames(self, own_times: np.ndarray) -> PoseFrames:
        """The layer's frames in the axes it is simulated in, at moments of its own time. own_times : (n,) s."""
        if self.layer.space == "local":
            return _HERE
        return self.frames(own_times / self.layer.tempo)

    def frames(self, times: np.ndarray) -> PoseFrames:
        """The layer's frames in the world at moments of the effect; one for all where it does not move.

        times : (n,) s.
        """
        return self.poses.layer(self.layer, times) if self._moves else self._stands

    def _births(self, first: int, last: int) -> tuple[Table, np.ndarray, list[int]]:
        """All births of steps `first` + 1 to `last` as a table in their order, the rows each step takes, and how many each rule
        asked for."""
        born, number = self._performance.thinned(self.spawner.births(first, last), self.spawner.key, self.step_time)
        groups: list[tuple] = [(np.ceil(born / self.step_time - 1e-6).astype(np.int64), born, number, None)]
        for each in self.fired:
            if first < each.step <= last:
                steps, born, number = fired_births(self.spawner, each.step, each.key, each.parent)
                groups.append((steps, born, number, self._aimed(each, born)))
        groups += [self._fed(i, feed, first, last) for i, feed in enumerate(self.feeds)]
        total = sum(len(group[1]) for group in groups)
        fed = [len(group[1]) for group in groups[len(groups) - len(self.feeds) :]]
        if not total:
            return self._nobody, np.zeros(last - first + 1, np.int64), fed
        table = Table.empty(total, self.columns)
        steps = np.concatenate([group[0] for group in groups])
        at = 0
        for group in groups:
            self._spawn(table, at, *group)
            at += len(group[1])
        np.clip(table.born, (steps - 1) * self.step_time, steps * self.step_time, out=table.born)
        if self._mixes:
            order = np.lexsort((np.arange(total), table.born, steps))
            steps = steps[order]
            table = Table._make([column[order] if len(column) else column for column in table])
        return table, np.searchsorted(steps, np.arange(first + 1, last + 2)), fed

    def _spawn(self, table: Table, at: int, steps: np.ndarray, born: np.ndarray, number: np.ndarray, fed: tuple | None):
        """Fills rows of a table with births; `fed` : their frames, velocities and kin, where parents bore them.

        steps : (n,) int64; born : (n,) s; number : (n,) uint64.
        """
        if len(born) == 0:
            return
        birth = self.plan.birth
        if fed is not None:
            frames, carried, kin = fed
            spawn(birth, self.plan.choices, self._mesh, born, number, frames, carried, table, at)
            for name, column in kin.items():
                getattr(table, name)[at : at + len(born)] = column
            return
        frames = self._own_frames(born)
        spawn(birth, self.plan.choices, self._mesh, born, number, frames.rows(), np.zeros((0, 3)), table, at)
        share = self.layer.birth.inherited
        if share and self._moves and self.layer.space == "world":
            rows = slice(at, at + len(born))
            places = np.stack([table.px[rows], table.py[rows], table.pz[rows]], axis=1) - frames.place
            points = np.einsum("nij,nj->ni", np.linalg.inv(frames.turn), places)
            motion = share * self.poses.velocity(self.layer, born / self.layer.tempo, points) / self.layer.tempo
            for column, values in zip((table.vx, table.vy, table.vz), motion.T, strict=True):
                column[rows] += values

    def _aimed(self, fired: ManualTrigger, born: np.ndarray) -> tuple | None:
        """The frames, velocities and kin of what is set off at a place of the world; None at the layer's own."""
        if fired.place is None:
            return None
        size = np.cbrt(np.linalg.det(self._stands.turn))[:, None, None]
        turn = upright_to(np.array([fired.normal]), np.eye(3)[None]) * size
        there = PoseFrames(np.repeat(turn, len(born), axis=0), np.tile(np.array(fired.place, float), (len(born), 1)))
        if self.layer.space == "local":
            there = there.after(self.frames(born / self.layer.tempo).inverse())
        return there.rows(), np.zeros((len(born), 3)), {}

    def _fed(self, place: int, feed: RuleFeed, first: int, last: int) -> tuple:
        """The births that one rule of a parent asks for in these steps."""
        parent = feed.track
        events = parent.events(first - self._delay_steps, last)
        if feed.rule.strikes:
            events = events[events["rule"] == feed.index]
            outer = parent.frames(events["time"] / parent.layer.tempo) if parent.layer.space == "local" else None
            events = struck_events(self.poses, parent.layer, events, outer, branches=feed.rule.when == "branches")
        times = events["time"] / parent.layer.tempo if parent._moves or self._moves else np.zeros(1)
        outer = parent.frames(times) if parent.layer.space == "local" else None
        born_of = children(
            self.effect, parent.layer, self.layer, feed.rule, feed.index, events, self.frames(times), outer, self.step_time
        )
        steps, born, number, frames, velocity, event = (getattr(born_of, name) for name in born_of.__slots__)
        if feed.rule.goes_on > 0 and len(born):
            at, to = events["time"][event] / parent.layer.tempo, born / self.layer.tempo
            frames = parent._surfaces.ridden(frames, at, to)
        if self._delay > 0:
            due = (steps > first) & (steps <= last)
            steps, born, number, frames, velocity, event = (array[due] for array in (steps, born, number, frames, velocity, event))
        if self.layer.space == "local":
            back = self.frames(born / self.layer.tempo).inverse()
            there = PoseFrames(frames[:, :9].reshape(-1, 3, 3), frames[:, 9:]).after(back)
            frames, velocity = there.rows(), np.einsum("nij,nj->ni", back.turn, velocity)
        kin: dict[str, np.ndarray | int] = {}
        if feed.rule.size > 0 or feed.rule.colour > 0:
            size, colour = look_of_events(feed.look, events, parent.shares)
            kin = {"kin_rule": place, "kin_size": size[event]} | {
                name: colour[event, c] for c, name in enumerate(("kin_red", "kin_green", "kin_blue"))
            }
        return steps, born, number, (frames, velocity, kin)

    def _forces(self, first: int, last: int) -> np.ndarray:
        """(1 or steps, f) of FORCE_RECORD in the axes of the simulation, as they stand in the middle of each step."""
        own = self.plan.forces
        if not len(own) or self.layer.space == "local":
            return own[None, :]
        frames = self._own_frames((np.arange(first, last) + 0.5) * self.step_time)
        records = np.zeros((len(frames), len(own)), FORCE_RECORD)
        records[:] = own
        size = np.cbrt(np.linalg.det(frames.turn))
        turn = frames.turn / size[:, None, None]
        for name in ("place", "middle"):
            records[name] = np.einsum("nij,fj->nfi", frames.turn, own[name]) + frames.place[:, None]
        records["axis"] = np.einsum("nij,fj->nfi", turn, own["axis"])
        records["half"] *= size[:, None, None].astype(np.float32)
        records["into"] = np.transpose(turn, (0, 2, 1))[:, None]
        return records

    def explore(self, last: int, most_work: int) -> bool:
        """Counts the living up to step `last` and keeps states on the way, for about `most_work` particle steps.

        Returns whether all is known.
        """
        while self._scout.step < last and most_work > 0:
            begin = self._scout.step
            # What is born before the start is apart: it belongs to no loop.
            stop = -1 if begin < -1 else min(last, (begin // self._stride + 1) * self._stride)
            alive = np.empty(stop - begin, np.int64)
            born, fed, since = self._scout.born, self._scout.fed, time.thread_time()
            self._advance(self._scout, stop, alive)
            if begin >= -1:
                self.births += self._scout.born - born
                self.fed = [so_far + now - before for so_far, now, before in zip(self.fed, self._scout.fed, fed, strict=True)]
                self.seconds += time.thread_time() - since
            self.alive = np.concatenate([self.alive, alive[max(-1 - begin, 0) :]])
            most_work -= int(alive.sum()) + 200 * len(alive)
            if stop % self._stride == 0 and stop >= 0:
                self._keep(stop)
        return self._scout.step >= last

    def _keep(self, step: int) -> None:
        self._kept[step] = self._scout.table.copy(self._scout.count, self._scout.count, self.columns)
        if sum(table.bytes_used() for table in self._kept.values()) > self._kept_bytes:
            self._stride *= 2
            self._kept = {k: table for k, table in self._kept.items() if k % self._stride == 0}
