"""Any moment of an effect, quickly, and the same to the bit however it is reached."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable
from typing import Any

import numpy as np

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.motion_fields import moving
from pale_ember.core.effect.place_copies import HUB, PlaceCopies
from pale_ember.core.effect.tree import feeds_of, in_order_of_birth
from pale_ember.core.geometry.mesh import SOLID, SOLIDS, Mesh, solid
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.frame import Frame, LayerFrame, layer_frame
from pale_ember.core.simulate.particle_table import KEPT_BYTES
from pale_ember.core.simulate.plan import LookPlan, look_plan
from pale_ember.core.simulate.poses import Poses
from pale_ember.core.simulate.ribbons import strips_of
from pale_ember.core.simulate.spawning import AS_IT_IS, ManualTrigger, Performance
from pale_ember.core.simulate.track import RuleFeed, Track
from pale_ember.core.simulate.two_threads import TwoThreads

_REMEMBERED = 20_000
"""Particles of a layer that is remembered at a step, at most."""


def built_in(name: str) -> Mesh:
    """A built-in solid by its full name; a block for any other."""
    known = name.removeprefix(SOLID)
    return solid(known if known in SOLIDS else "box")


def even_density(name: str) -> str:
    """Where no pictures can be looked at, every density is even."""
    return ""


class Timeline:
    """An effect along time. Give it the newest effect with `update`; only what moves otherwise starts anew.

    mesh : gives a mesh by its name in the document. density : gives a function of texture coordinates for the name of
    a picture, or "" for even. performance : what it is told while it plays. stopped : asked now and then; once it says
    so, whatever runs ends with `Stopped`.
    """

    def __init__(
        self,
        effect: Effect,
        mesh: Callable[[str], Mesh] = built_in,
        density: Callable[[str], Any] = even_density,
        fired: tuple[ManualTrigger, ...] = (),
        stopped: Callable[[], bool] = lambda: False,
        performance: Performance = AS_IT_IS,
    ) -> None:
        self.mesh, self.density, self._stopped = mesh, density, stopped
        self.effect = effect
        self._pair = TwoThreads()
        self._tracks: dict[str, Track] = {}
        self._signatures: dict[str, tuple] = {}
        self._looks: dict[str, LookPlan] = {}
        self._copies: dict[str, list[str]] = {}
        """By the id of a layer of the document, those of its tracks."""
        self._spread = PlaceCopies()
        self._whole = effect
        """The effect with each layer on one place."""
        self._seen: dict[tuple[str, int], tuple[Track, Layer, LookPlan, LayerFrame]] = {}
        """Layers at steps that are remembered, and what they were made of."""
        self._known: tuple[Poses, frozenset[str]] | None = None
        """The poses of the effect before, and which of its layers rules spawned."""
        self._performance = performance
        self.update(effect, fired, performance)

    def update(self, effect: Effect, fired: tuple[ManualTrigger, ...] = (), performance: Performance = AS_IT_IS) -> None:
        """Takes another effect, other bursts and rules set off by hand, or another performance."""
        told, effect = effect, self._spread.of(effect)
        tracks: dict[str, Track] = {}
        signatures: dict[str, tuple] = {}
        self._poses = poses = Poses(effect)
        share = KEPT_BYTES // max(len(effect.layers), 1)
        fed, forecast = feeds_of(effect), Forecast(effect)
        same = self._untouched(effect, poses, frozenset(fed))
        spawning = [layer for layer in in_order_of_birth(effect) if self._spread.source[layer.id][1] != HUB]
        looks = {layer.id: self._looks[layer.id] if layer.id in same else look_plan(effect, layer) for layer in spawning}
        for layer in spawning:
            feeds = fed.get(layer.id, [])
            source, copy = self._spread.source[layer.id]
            # At its own place it is set off on each; at a place of the stage once.
            mine = tuple(each for each in fired if each.layer == source.id and (each.place is None or copy == 0))
            own = self._signatures[layer.id][0] if layer.id in same else _signature(effect, layer, poses, bool(feeds))
            signature = (own, mine, performance.strength, *(_heritage(parent, rule) for parent, rule in feeds))
            parents = [tracks[parent.id] for parent, _ in feeds]
            old = self._tracks.get(layer.id)
            kept = (
                old is not None
                and self._signatures[layer.id] == signature
                and all(feed.track is parent for feed, parent in zip(old.feeds, parents, strict=True))
            )
            if old is not None and kept:
                tracks[layer.id] = old
            else:
                fed_by = tuple(
                    RuleFeed(tracks[parent.id], rule, parent.offspring.rules.index(rule), looks[parent.id]) for parent, rule in feeds
                )
                tracks[layer.id] = Track(
                    effect, layer, self.mesh, self.density, fed_by, mine, share, poses, forecast, self._stopped, self._pair, performance
                )
            signatures[layer.id] = signature
        self.effect, self._whole, self._performance = told, effect, performance
        self._tracks, self._looks, self._signatures = tracks, looks, signatures
        # Where a strip runs hangs on its surroundings too.
        self._seen = {
            key: kept for key, kept in self._seen.items() if tracks.get(key[0]) is kept[0] and (kept[3].strips is None or key[0] in same)
        }
        self._copies = {}
        for layer in effect.layers:
            if layer.id in tracks:
                self._copies.setdefault(self._spread.source[layer.id][0].id, []).append(layer.id)
        self._known = poses, frozenset(fed)

    def _untouched(self, effect: Effect, poses: Poses, fed: frozenset[str]) -> set[str]:
        """The layers of which nothing differs from the effect before: the same values, in the same surroundings."""
        if self._known is None or _surroundings(effect) != _surroundings(self._whole):
            return set()
        before, fed_before = self._known
        return {
            layer.id
            for layer in effect.layers
            if layer.id in self._tracks
            and (layer.id in fed) == (layer.id in fed_before)
            and all(before.holds(link) for link in poses.chain(layer))
        }

    def step_at(self, time: float) -> int:
        """The step nearest to a moment of real time."""
        return max(round(time * self.effect.steps), 0)

    def frame(self, time: float, *, between_steps: bool = False, hidden: frozenset[str] = frozenset(), remembers: bool = False) -> Frame:
        """The effect at `time` (s since the start, across loops), rounded to the nearest step.

        With `remembers` a layer of which nothing changed since it was asked for in this way at that step is the same object again. With
        `between_steps` the step before is carried on along its velocities to the exact moment, for a
        smooth display; nothing of that is kept. Layers in `hidden`, or not shown, are left out.
        """
        effect = self.effect
        step = max(math.floor(time * effect.steps + 1e-6), 0) if between_steps else self.step_at(time)
        ahead = max(time - step / effect.steps, 0.0) * effect.tempo if between_steps else 0.0
        shown = [layer for layer in self._whole.layers if layer.shown and self._spread.source[layer.id][0].id not in hidden]
        shown.sort(key=lambda layer: layer.look.order)
        if self._performance.stopped is not None and step >= self._performance.stopped:
            shown = []
        frames: dict[str, LayerFrame] = {}

        def make(some: list[Layer]) -> None:
            for layer in some:
                frames[layer.id] = self._remembered(layer, step) if remembers else self._layer_frame(layer, step, ahead)

        mine, others = self._shared_out(shown)
        if others:
            self._pair.run(lambda: make(mine), lambda: make(others))
        else:
            make(mine)
        layers = [frames[layer.id] for layer in shown]
        return Frame(effect=effect, time=step / effect.steps, step=step, layers=tuple(layers))

    def _remembered(self, layer: Layer, step: int) -> LayerFrame:
        """A layer at a step, as it was told before where nothing of it changed."""
        track, plan = self._tracks[layer.id], self._looks[layer.id]
        known = self._seen.get((layer.id, step))
        if known is not None and known[0] is track and known[1] is layer and known[2] is plan:
            return known[3]
        made = self._layer_frame(layer, step, 0.0)
        if made.count <= _REMEMBERED:
            self._seen[layer.id, step] = track, layer, plan, made
        return made

    def _shared_out(self, shown: list[Layer]) -> tuple[list[Layer], list[Layer]]:
        """Two lists of layers that can be simulated at once: those that spawn each other in one, about as many particles in
        each. All in the first where there are few."""
        counts = {layer.id: self._tracks[layer.id].count for layer in shown}
        if sum(counts.values()) < self._pair.worth or len(shown) < 2:
            return shown, []
        family = {layer.id: layer.id for layer in self._whole.layers}
        for layer in in_order_of_birth(self._whole):
            for rule in layer.offspring.rules:
                if rule.layer in family:
                    one, other = family[layer.id], family[rule.layer]
                    family = {key: one if value == other else value for key, value in family.items()}
        sizes: dict[str, int] = {}
        for layer in shown:
            sizes[family[layer.id]] = sizes.get(family[layer.id], 0) + counts[layer.id]
        mine: set[str] = set()
        for name in sorted(sizes, key=lambda name: -sizes[name]):
            if 2 * sum(sizes[one] for one in mine) < sum(sizes.values()):
                mine.add(name)
        return [one for one in shown if family[one.id] in mine], [one for one in shown if family[one.id] not in mine]

    def _layer_frame(self, layer: Layer, step: int, ahead: float) -> LayerFrame:
        track, effect = self._tracks[layer.id], self._whole
        source, copy = self._spread.source[layer.id]
        table, count = track.at(step)
        now = step * effect.tempo / effect.steps
        frames = track.frames(np.array([now + ahead]))
        shown = layer_frame(
            layer, self._looks[layer.id], table, count, now * layer.tempo, ahead * layer.tempo, frames.rows()[0], track.shares, self._pair
        )
        turn = frames.turn[0]
        stand = turn / np.cbrt(np.linalg.det(turn))
        if layer is not source:
            shown = dataclasses.replace(shown, layer=source, own=layer, copy=copy)
        if layer.look.drawn_as in ("sprite", "mesh") and not layer.look.trails:
            return dataclasses.replace(shown, stand=stand)
        local = frames if layer.space == "local" else None
        strips = strips_of(self._poses, shown, now + ahead, track.trail(), local, track.step_time, ahead * layer.tempo)
        if layer.look.trails:
            return dataclasses.replace(shown, stand=stand, trail=strips)
        return dataclasses.replace(shown, stand=stand, strips=strips)

    def going(self) -> tuple[str, int, int] | None:
        """The name of a layer that is being simulated, the step that it has come to and the one that is wanted. May be asked
        on any thread."""
        at_work = ((track.layer.name, *track.going) for track in list(self._tracks.values()) if track.going is not None)
        return next(at_work, None)

    def events(self, identity: str, copy: int, first: int, last: int) -> np.ndarray:
        """(m,) of EVENT: what happened to a layer's particles at one of its places in steps `first` + 1 to `last`, as far as
        its rules ask; times in s of the layer's own."""
        track = next(self._tracks[name] for name in self._copies[identity] if self._spread.source[name][1] == copy)
        return track.events(first, last)

    def copies(self, identity: str) -> list[int]:
        """The places at which a layer stands, numbered as `LayerFrame.copy` is."""
        return [self._spread.source[name][1] for name in self._copies[identity]]

    def loop_steps(self) -> int:
        """Steps in one loop, or in the one time through."""
        return max(math.ceil(self.effect.duration / self.effect.tempo * self.effect.steps), 1)

    def explore(self, most_work: int = 100_000) -> bool:
        """Counts the living of one loop a little further; returns whether all is known."""
        share = max(most_work // max(len(self._tracks), 1), 1)
        known = [track.explore(self.loop_steps(), share) for track in self._tracks.values()]
        return all(known)

    def alive(self, identity: str) -> np.ndarray:
        """(known steps,) int64, how many of a layer live after each step of the loop, as far as explored, on all of its
        places."""
        counts = [self._tracks[name].alive for name in self._copies[identity]]
        if len(counts) == 1:
            return counts[0]
        known = min(len(alive) for alive in counts)
        return np.sum([alive[:known] for alive in counts], axis=0)

    def births(self, identity: str) -> tuple[int, dict[str, int]]:
        """Births of a layer that one loop asks for, as far as explored, and how many of them rules of which layer (by its id) spawn."""
        total, fed = 0, dict[str, int]()
        for name in self._copies[identity]:
            track = self._tracks[name]
            total += track.births
            for feed, count in zip(track.feeds, track.fed, strict=True):
                parent = self._spread.source[feed.track.layer.id][0].id
                fed[parent] = fed.get(parent, 0) + count
        return total, fed

    def seconds(self, identity: str) -> float:
        """Seconds of work in one step of a layer, on the mean of what is explored."""
        tracks = [self._tracks[name] for name in self._copies[identity]]
        return sum(track.seconds for track in tracks) / max(len(tracks[0].alive), 1) if tracks else 0.0


def _surroundings(effect: Effect) -> tuple:
    """What of an effect besides its layers decides how particles move."""
    return moving(effect, skip=("layers", "stage", "variants", "follows")), moving(effect.stage, around=False)


def _signature(effect: Effect, layer: Layer, poses: Poses, fed: bool) -> tuple:
    """All that a layer's own particles move by, to compare; what feeds it comes on top."""
    whole, stage = _surroundings(effect)
    # Where the carrier, or what it stands on, takes the layer is told by its poses; props matter to those that touch them.
    left_out: tuple[str, ...] = ("carrier", "anchors") + (() if layer.contact.meets != "pass" else ("props",))
    struck = layer.look.lightning and any(rule.strikes for rule in layer.offspring.rules)
    if struck or (layer.contact.meets != "pass" and any(prop.carried for prop in effect.stage.props)):
        left_out = ()
    stage = {name: value for name, value in stage.items() if name not in left_out}
    return whole, stage, moving(layer), poses.signature(layer), fed, layer.look.beam if struck else None


def _heritage(parent: Layer, rule: Any) -> tuple:
    """What a rule passes on: the parent's look too, where its size or colour is inherited."""
    return (parent.id, rule, *((parent.birth, parent.life) if rule.size > 0 or rule.colour > 0 else ()))
