"""The worker: simulates and, where the window cannot draw well itself, draws. The newest request wins."""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, ExitStack
from dataclasses import dataclass, field, replace
from typing import Any

import moderngl
import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.model import Camera, Effect
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.predicted_paths import PredictedPaths, gather
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.spawning import AS_IT_IS, ManualTrigger, Performance
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.simulate.track import SimulationStopped
from pale_ember.core.view import view_of
from pale_ember.draw.context import NoOpenGL
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Comparison, Renderer, Shot
from pale_ember.machine.error_log import unforeseen

COUNTED = 2
"""How often pixels are painted is counted on a picture so many times smaller."""

MODESTY = 5
"""How far the worker's threads stand back behind the window's, as `nice` counts."""

EXPLORING = 60_000
"""Particle steps counted between two looks for a request: about 4 ms."""


TELLING = 0.05
"""Seconds between two tellings of what is known of the loop: the window paints each."""


STRIP = 96, 54
"""Pixels of the small picture of a moment."""

SETTLED = 0.5
"""Seconds after an edit before they are made anew."""

BETWEEN = 0.1
"""Seconds between two of them, so that playing goes on meanwhile."""


@dataclass(frozen=True, slots=True, eq=False)
class Request:
    """A moment to be shown. width, height : pixels of its picture, or 0 for none."""

    effect: Effect
    moment: float
    between_steps: bool = False
    hidden: frozenset[str] = frozenset()
    camera: Camera = field(default_factory=Camera)
    shot: Shot = field(default_factory=Shot)
    width: int = 0
    height: int = 0
    scale: float = 1.0
    fired: tuple[ManualTrigger, ...] = ()
    performance: Performance = AS_IT_IS
    beside: Effect | None = None
    """Another version that is seen to the right, at the same moment."""
    share: float = 0.5
    """How much of the picture is left of it."""
    reach_of: str = ""
    """A layer whose births, ways and touches are wanted."""
    strip: tuple[float, ...] = ()
    """Moments of which small pictures are wanted when there is time."""
    around: tuple[float, ...] = ()
    """Moments beside, of which Frames are wanted as well."""
    files: int = 0
    """How often pictures and meshes were changed outside: what was made of them before is not used."""
    counts: bool = False
    """Whether it is wanted how often pixels are painted."""
    asked: float = field(default_factory=time.perf_counter)


@dataclass(frozen=True, slots=True, eq=False)
class Answer:
    """A moment to show. picture : (height, width, 4) uint8 or None; times in seconds."""

    request: Request
    frame: Frame
    picture: np.ndarray | None
    step_time: float
    draw_time: float
    beside: Comparison | None = None
    around: tuple[Frame, ...] = ()


@dataclass(slots=True)
class _Round:
    """What the thread is at: the timeline it knows, and what is left to do between requests."""

    files: int = 0
    timeline: Timeline | None = None
    other: Timeline | None = None
    """That of the version beside."""
    explored: bool = True
    told: float = 0.0
    fired: tuple[ManualTrigger, ...] = ()
    performance: Performance = AS_IT_IS
    followed: tuple[Effect, str] | None = None
    gathering: Iterator[PredictedPaths] | None = None
    counting: Answer | None = None
    stripped: tuple[Effect, tuple[float, ...]] | None = None
    """Of what pictures of moments were made last."""
    stripping: list[tuple[int, Request]] = field(default_factory=list)
    """The pictures that are still to be made, and what for."""
    next_picture: float = 0.0
    """Before then none is made."""
    passed_over: bool = False
    """Whether the last request was given up for an edit: the next is not, so that pictures come at each edit."""

    @property
    def busy(self) -> bool:
        return not self.explored or self.gathering is not None or self.counting is not None or bool(self.stripping)


class _Life:
    """What one thread of a worker is at, seen from outside. Where nothing is heard of it any more another begins, and this one
    ends as soon as it can."""

    def __init__(self) -> None:
        self.over = False
        self.heard = time.perf_counter()
        """When it was last heard of."""
        self.timeline: Timeline | None = None

    def stopped(self) -> bool:
        self.heard = time.perf_counter()
        return self.over


class _Drawing:
    """A renderer for one thread, made when it is first needed; None where there is none to be had, which is told once."""

    def __init__(
        self, ends: ExitStack, open_renderer: Callable[[], AbstractContextManager[Renderer]], tell: Callable[[str], None]
    ) -> None:
        self._ends, self._open, self._tell = ends, open_renderer, tell
        self._renderer: Renderer | None = None
        self._tried = False

    def renderer(self) -> Renderer | None:
        if not self._tried:
            self._tried = True
            try:
                self._renderer = self._ends.enter_context(self._open())
            except NoOpenGL as error:
                self._tell(str(error))
            except Exception as error:  # noqa: BLE001 - without its renderer it still does all the rest
                self._tell(unforeseen(error))
        return self._renderer


class Worker(QObject):
    """One thread with one timeline and an OpenGL context of its own: for the pictures of the stage where it `draws` them, and for
    the small ones and the counting of pixels always."""

    failed = pyqtSignal(str)
    """Something went wrong, in a sentence; the work goes on."""
    answered = pyqtSignal(object)
    explored = pyqtSignal(object)
    """{layer id: (steps,) alive}, whenever more of the loop is known."""
    reached = pyqtSignal(str, object)
    """(layer id, PredictedPaths), whenever more of it is known."""
    pictured = pyqtSignal(int, object)
    """(which moment of the strip, its picture (height, width, 4) uint8)."""
    counted = pyqtSignal(float)
    """How often a painted pixel is painted, on average."""
    refused = pyqtSignal(object)
    """A Request that got no Answer."""

    def __init__(
        self, pictures: Callable[..., np.ndarray], meshes: Callable[[str], Mesh], densities: Callable[[str], Any], *, draws: bool
    ) -> None:
        super().__init__()
        self._pictures, self._meshes, self._densities, self._draws = pictures, meshes, densities, draws
        self._request: Request | None = None
        self._wake = threading.Condition()
        self._stop = False
        self._life = _Life()
        self._thread = threading.Thread(target=self._run, name="pale-ember-worker", daemon=True)

    def start(self) -> None:
        """Begins, unless it has."""
        if not self._thread.is_alive() and not self._stop:
            self._thread.start()

    def begin_anew(self) -> None:
        """Leaves a thread that nothing is heard of, and begins another with what was asked for last."""
        self._life.over = True
        self._life = _Life()
        self._thread = threading.Thread(target=self._run, name="pale-ember-worker", daemon=True)
        self._thread.start()

    @property
    def ended(self) -> bool:
        """Whether it was stopped: nothing is answered any more."""
        return self._stop

    @property
    def heard(self) -> float:
        """When its thread was last heard of, as `time.perf_counter` counts."""
        return self._life.heard

    def going(self) -> tuple[str, int, int] | None:
        """The layer that is being simulated, the step that it has come to and the one that is wanted."""
        timeline = self._life.timeline
        return timeline.going() if timeline is not None else None

    def stop(self) -> None:
        """Ends the thread, whatever it is at, and gives back its context. Nothing is told after that."""
        with self._wake:
            self._stop = self._life.over = True
            self._wake.notify()
        if self._thread.is_alive():
            self._thread.join(timeout=60)

    def ask(self, request: Request) -> None:
        """Replaces whatever was asked before and is not begun."""
        with self._wake:
            self._request = request
            self._wake.notify()

    def _say(self, signal: Any, *told: object) -> None:
        """Tells of something, unless the window is leaving or another thread has taken this one's place."""
        if not self._stop and threading.current_thread() is self._thread:
            signal.emit(*told)

    def _run(self) -> None:
        # The window comes first. Where the processor draws, its threads are made from this one and are as modest.
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), MODESTY)
        life = self._life
        with ExitStack() as ends:
            drawing = _Drawing(ends, lambda: offscreen(self._pictures, self._meshes), lambda why: self._say(self.failed, why))
            if self._draws:
                drawing.renderer()
            self._loop(life, drawing)

    def _loop(self, life: _Life, drawing: _Drawing) -> None:
        """Works until it is stopped; whatever goes wrong on the way is told, and the next piece of work begun."""
        round_ = _Round()
        while True:
            with self._wake:
                if self._request is None and not round_.busy and not life.over:
                    self._wake.wait()
                if life.stopped():
                    return
                request, self._request = self._request, None
            if request is not None and request.files != round_.files:
                round_ = _Round(request.files)
            try:
                if request is not None:
                    self._serve(request, round_, life, drawing)
                else:
                    self._go_on(round_, drawing)
            except SimulationStopped:
                return
            except Exception as error:  # noqa: BLE001 - told, and the next request finds a fresh start
                round_ = _Round()
                self._say(self.failed, unforeseen(error))
                if request is not None:
                    self._say(self.refused, request)

    def _serve(self, request: Request, round_: _Round, life: _Life, drawing: _Drawing) -> None:
        """Answers a request; what it wants besides is left to be gone on with."""
        timeline, told = round_.timeline, (round_.fired, round_.performance)
        if timeline is None:
            timeline = Timeline(request.effect, self._meshes, self._densities, request.fired, life.stopped, request.performance)
            life.timeline = round_.timeline = timeline
            round_.explored = False
        elif timeline.effect is not request.effect or told != (request.fired, request.performance):
            timeline.update(request.effect, request.fired, request.performance)
            round_.explored = False
        round_.fired, round_.performance = request.fired, request.performance
        answer = self._answer(request, round_, timeline, life, drawing)
        if answer is None:
            return
        self._say(self.answered, answer)
        followed = round_.followed
        same = followed is not None and followed[0] is request.effect and followed[1] == request.reach_of
        if request.reach_of and not same:
            round_.followed = request.effect, request.reach_of
            round_.gathering = gather(request.effect, request.reach_of, self._meshes, self._densities)
        if request.strip and round_.stripped != (request.effect, request.strip):
            round_.stripped = request.effect, request.strip
            round_.stripping = [(i, request) for i in range(len(request.strip))]
            round_.next_picture = time.perf_counter() + SETTLED
        round_.counting = answer if request.counts and request.width > 0 else None

    def _go_on(self, round_: _Round, drawing: _Drawing) -> None:
        """A little of what can wait: pixels counted, the loop explored, a layer's reach."""
        if round_.counting is not None:
            counting, round_.counting = round_.counting, None
            if (renderer := drawing.renderer()) is not None:
                self._count(counting, renderer)
        elif not round_.explored and round_.timeline is not None:
            timeline = round_.timeline
            round_.explored = timeline.explore(EXPLORING)
            now = time.perf_counter()
            if not round_.explored and now - round_.told < TELLING:
                return
            round_.told = now
            self._say(self.explored, {layer.id: timeline.alive(layer.id) for layer in timeline.effect.layers})
        elif round_.gathering is not None and round_.followed is not None:
            reach = next(round_.gathering, None)
            if reach is None or reach.done:
                round_.gathering = None
            if reach is not None:
                self._say(self.reached, round_.followed[1], reach)
        elif round_.stripping and round_.timeline is not None:
            now = time.perf_counter()
            if now < round_.next_picture:
                with self._wake:
                    if self._request is None and not self._stop:
                        self._wake.wait(timeout=BETWEEN)
                return
            round_.next_picture = now + BETWEEN
            which, request = round_.stripping.pop(0)
            if (renderer := drawing.renderer()) is None:
                round_.stripping.clear()
                return
            frame = round_.timeline.frame(request.strip[which])
            view = view_of(request.camera, *STRIP)
            shot = replace(request.shot, scale=1.0, shows="picture", alone="")
            self._say(self.pictured, which, renderer.picture(frame, view, shot, *STRIP))

    def _outdated(self, request: Request) -> bool:
        """Whether an edit waits that a picture of this request would only delay."""
        waiting = self._request
        return waiting is not None and waiting.effect is not request.effect

    def _answer(self, request: Request, round_: _Round, timeline: Timeline, life: _Life, drawing: _Drawing) -> Answer | None:
        """The moment asked for; None where it is given up for an edit."""
        begin = time.perf_counter()
        frame = timeline.frame(request.moment, between_steps=request.between_steps, hidden=request.hidden)
        beside = self._beside(request, round_, life)
        stepped = time.perf_counter()
        if life.stopped():
            raise SimulationStopped
        round_.passed_over = not round_.passed_over and self._outdated(request)
        if round_.passed_over:
            return None
        picture = None
        if self._draws and request.width > 0 and (renderer := drawing.renderer()) is not None:
            try:
                view = view_of(request.camera, request.width, request.height)
                picture = renderer.picture(frame, view, request.shot, request.width, request.height, beside)
            except (moderngl.Error, MemoryError) as error:
                self._say(self.failed, f"The stage could not be drawn: {error}")
        around = tuple(timeline.frame(at) for at in request.around)
        return Answer(request, frame, picture, stepped - begin, time.perf_counter() - stepped, beside, around)

    def _beside(self, request: Request, round_: _Round, life: _Life) -> Comparison | None:
        """The same moment of the version beside, if one is asked for."""
        if request.beside is None:
            round_.other = None
            return None
        if round_.other is None:
            round_.other = Timeline(request.beside, self._meshes, self._densities, (), life.stopped)
        elif round_.other.effect is not request.beside:
            round_.other.update(request.beside)
        frame = round_.other.frame(request.moment, between_steps=request.between_steps, hidden=request.hidden)
        return Comparison(frame, request.share)

    def _count(self, answer: Answer, renderer: Renderer) -> None:
        """Counts how often pixels of a picture are painted, when it has been shown."""
        request = answer.request
        view = view_of(request.camera, request.width, request.height)
        small = max(request.width // COUNTED, 1), max(request.height // COUNTED, 1)
        self._say(self.counted, renderer.overdraw(answer.frame, view, request.shot, *small)[0])
