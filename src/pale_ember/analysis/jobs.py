"""Looking an effect through: checks, cost, what would cut it, and long work on looks. The newest effect wins."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any, TypeVar

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from pale_ember.core.effect.files import files_of, meshes_of
from pale_ember.core.effect.model import Camera, Effect, Layer
from pale_ember.core.effect.reuse import kept
from pale_ember.core.insight.checks.facts import NO_GAME, Drawn, Facts, GameFacts, Memo
from pale_ember.core.insight.checks.rules import checking
from pale_ember.core.insight.cost_cuts import compared, cuts
from pale_ember.core.insight.layer_costs import spending
from pale_ember.core.insight.thinning import Draw
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.simulate.track import SimulationStopped
from pale_ember.draw.context import NoOpenGL
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Renderer
from pale_ember.draw.small import on_background, painted_pixels, small_pictures
from pale_ember.folder.listing import read_card
from pale_ember.folder.looking import LARGE, in_folder, living_picture, looked_at, on_one_quay, shelf_for, strip_bytes, unplayed
from pale_ember.formats.disk import KeptOnDisk, write_whole
from pale_ember.formats.document import DocumentError, load
from pale_ember.formats.gases import Gases
from pale_ember.formats.shelf import Shelf
from pale_ember.machine import user_folders
from pale_ember.machine.error_log import unforeseen

_LATER = 0.4
"""Seconds after the checks before cost is measured that nobody looks at."""
_CUTS = 6
"""Cuts that are offered."""

Told = TypeVar("Told")
WorkSteps = Callable[..., Iterator[object]]
"""Long work that looks at drawn pictures, step by step, and what comes of each: called with an effect, and with draw, mesh and
density by name."""


class AnalysisTask(Struct, frozen=True):
    """An effect to look through. number : by which it is told of. layers : those of the effect, or where they stand in the effect before,
    whose own they are; the effect comes without. folder : where its files are. anew : files changed outside. marks : whether it is
    checked, not only measured. closely : whether cost is wanted layer by layer, and what would cut it."""

    number: int
    effect: Effect
    layers: Sequence[Layer | int]
    folder: Path | None = None
    anew: bool = False
    marks: bool = True
    closely: bool = False
    game: GameFacts = NO_GAME


class LongWork(Struct, frozen=True):
    """Long work on an effect whose files are in a folder. number : by which it is told of."""

    number: int
    effect: Effect
    folder: Path | None
    steps: WorkSteps


class FolderWork(Struct, frozen=True):
    """Effects of a folder to be known. number : by which it is told of. together : the names of those to be played on one quay. read : of
    those to be read. look : of those to be looked at, the first first. place : the folder for their living pictures."""

    number: int
    folder: Path
    read: Sequence[str]
    look: Sequence[str]
    place: Path
    game: GameFacts = NO_GAME
    together: Sequence[str] = ()


class AnalysisJobs:
    """Works on the thread that calls `run`, and hears on another. tell : is called with what is seen:

    checked (number, [Finding]), spent (number, Spending), cut (number, [Cut]): of an effect. worked (number, what came of a step),
    ended (number, why it could not be done, or ""): of long work. carded (number, a folder, an EffectCard): of an effect. together
    (number, a folder, names): they were played on one quay. failed (a sentence): the work goes on.
    """

    def __init__(self, tell: Callable[..., None]) -> None:
        self._tell = tell
        self._wake = threading.Condition()
        self._task: AnalysisTask | None = None
        self._work: LongWork | None = None
        self._folders: tuple[FolderWork, ...] = ()
        """Folders to be known, the first first."""
        self._pictures: list[Shelf] = []
        """What the renderer asks for pictures and meshes instead, while an effect of a folder is looked at."""
        self._held = False
        """Whether an edit is under way: nothing is begun before it has come."""
        self._turn = self._mine = 0
        """How often what was wanted has changed; and how often it had when what is under way was begun."""
        self._waiting: AnalysisTask | None = None
        """What is looked through as soon as there is anything of its gases."""
        self._heard = Effect()
        """The effect that came last."""
        self._shelf = self._shelf_in(None)
        self._memo: Memo = {}
        self._timeline: Timeline | None = None

    # Hearing --------------------------------------------------------------------------------------------------

    def hear(self, name: str, told: tuple[Any, ...]) -> None:
        """Takes a message: look (AnalysisTask), hold () until the next comes, work (LongWork), folder (FolderWork, …), leave
        (number), rest ()."""
        with self._wake:
            if name == "look":
                task, passed_over = self._put_together(told[0]), self._task
                anew = task.anew or (passed_over is not None and passed_over.anew)
                self._task, self._held = replace(task, anew=anew), False
            elif name == "hold":
                self._held = True
            elif name == "work":
                self._work = told[0]
            elif name == "folder":
                self._folders = told
            elif name == "leave":
                self._leave(*told)
            elif name == "rest":
                self._task = self._work = self._waiting = None
                self._folders = ()
                self._held = False
            else:
                raise ValueError(f"analysis: expected look, hold, work, folder, leave or rest, found {name}")
            self._turn += name in ("look", "hold", "rest")
            self._wake.notify()

    def _leave(self, number: int) -> None:
        if self._work is not None and self._work.number == number:
            self._work = None

    def _look_again(self) -> None:
        """There is more of a gas: what could not be judged without it is."""
        with self._wake:
            if self._waiting is not None and self._task is None:
                self._task = self._waiting
                self._wake.notify()

    def _put_together(self, task: AnalysisTask) -> AnalysisTask:
        """A task with its whole effect, made of the layers and parts that came before."""
        before = self._heard
        known = {layer.id: layer for layer in before.layers}
        layers = tuple(before.layers[each] if isinstance(each, int) else kept(each, known.get(each.id)) for each in task.layers)
        self._heard = replace(kept(task.effect, replace(before, layers=())), layers=layers)
        return replace(task, effect=self._heard, layers=layers)

    # Working --------------------------------------------------------------------------------------------------

    def run(self) -> None:
        """Works for ever."""
        try:
            with offscreen(self._picture, lambda name: self._asked().mesh(name)) as renderer:
                self._loop(renderer)
        except NoOpenGL as error:
            self._tell("failed", str(error))
        except Exception as error:  # noqa: BLE001 - without its renderer it still does all the rest
            self._tell("failed", unforeseen(error))
        self._loop(None)

    def _asked(self) -> Shelf:
        return self._pictures[-1] if self._pictures else self._shelf

    def _picture(self, name: str, *given: Any) -> np.ndarray:
        return self._asked().get(name, *given)

    def _loop(self, renderer: Renderer | None) -> None:
        while True:
            with self._wake:
                self._wake.wait_for(lambda: not self._held and (self._task is not None or self._work is not None or bool(self._folders)))
                task, self._task, self._mine = self._task, None, self._turn
                work, folder = self._work, next(iter(self._folders), None)
            try:
                if task is not None:
                    self._look_through(task, renderer)
                elif work is not None:
                    self._do(work, renderer)
                elif folder is not None:
                    self._know(folder, renderer)
            except SimulationStopped:
                self._timeline = None
            except Exception as error:  # noqa: BLE001 - told, and the next effect finds a fresh start
                self._timeline = None
                self._tell("failed", unforeseen(error))

    def _waits(self) -> bool:
        """Whether what is looked through is no longer wanted."""
        return self._turn != self._mine

    def _go_on(self) -> None:
        """Raises SimulationStopped where nobody wants any more what is being looked through."""
        if self._waits():
            raise SimulationStopped

    def _while_wanted(self, draw: Callable[..., Told]) -> Callable[..., Told]:
        """A way of drawing that raises SimulationStopped where nobody wants it any more."""

        def drawn(*given: Any) -> Told:
            self._go_on()
            return draw(*given)

        return drawn

    def _shelf_in(self, folder: Path | None) -> Shelf:
        """What reads the files in a folder. Whole gases are made by the window's process, and kept for all."""
        gases = Gases(KeptOnDisk(user_folders.cache() / "gases"), patient=False, whole=False, changed=self._look_again)
        return Shelf(folder, (), gases)

    def _read_files(self, effect: Effect, folder: Path | None) -> bool:
        """Reads the files of an effect: what is wrong with them is known before a rule looks at one. Returns whether there is
        something of all its gases."""
        if folder != self._shelf.folder:
            self._shelf.made.gases.end()
            self._shelf = self._shelf_in(folder)
            self._timeline = None
        self._shelf.recipes = effect.recipes
        for name in files_of(effect):
            self._shelf.get(name)
        for name in meshes_of(effect):
            self._shelf.mesh(name)
        return not self._shelf.made.gases.waits

    def _look_through(self, task: AnalysisTask, renderer: Renderer | None) -> None:
        effect = task.effect
        if task.anew:
            self._timeline = None
            self._memo.clear()
        self._waiting = task
        if not self._read_files(effect, task.folder):
            return
        self._waiting = None
        if self._timeline is None:
            self._timeline = Timeline(effect, self._shelf.mesh, self._shelf.density, stopped=self._waits)
        else:
            self._timeline.update(effect)
        if task.marks:
            drawn = None if renderer is None else self._while_wanted(small_pictures(renderer))
            self._check(task, self._timeline, drawn)
        if renderer is not None:
            self._measure(task, self._timeline, renderer)

    def _check(self, task: AnalysisTask, timeline: Timeline, drawn: Drawn | None) -> None:
        faults = lambda: self._shelf.faults  # noqa: E731
        known = Facts(task.effect, timeline, self._picture, drawn, faults, self._memo, task.game)
        found = None
        for found in checking(known):  # noqa: B007 - the last counts
            self._go_on()
        self._tell("checked", task.number, found)

    def _measure(self, task: AnalysisTask, timeline: Timeline, renderer: Renderer) -> None:
        """Measures what an effect costs and, where that is wanted, what would cut it. Where nobody looks at it, when it rests."""
        spent = None
        if not task.closely:
            with self._wake:
                self._wake.wait_for(self._waits, _LATER)
        counted = self._while_wanted(painted_pixels(renderer))
        for spent in spending(timeline, counted, self._picture, by_layer=task.closely):  # noqa: B007 - the last counts
            self._go_on()
        if spent is None:
            return
        self._tell("spent", task.number, spent)
        if not task.closely:
            return
        found = cuts(task.effect, spent)[:_CUTS]
        self._tell("cut", task.number, found)
        draw = self._while_wanted(on_background(renderer))
        for k, cut in enumerate(compared(task.effect, found, draw, self._shelf.mesh, self._shelf.density)):
            found = [*found[:k], cut, *found[k + 1 :]]
            self._tell("cut", task.number, found)

    def _know(self, work: FolderWork, renderer: Renderer | None) -> None:
        """Reads the next effect of a folder, or looks at it; what could not be done is not tried again, what was put off is."""
        try:
            left = self._next_of(work, renderer)
        except SimulationStopped:
            return
        except Exception:
            self._put_folder(work, None)
            raise
        self._put_folder(work, left)

    def _put_folder(self, work: FolderWork, left: FolderWork | None) -> None:
        """What is left of a folder stands where it stood, unless other folders are wanted by now."""
        with self._wake:
            self._folders = tuple(one for each in self._folders if (one := left if each is work else each) is not None)

    def _next_of(self, work: FolderWork, renderer: Renderer | None) -> FolderWork | None:
        """Does the next thing of a folder; what is left of it."""
        if work.together and renderer is not None:
            self._play_together(work, renderer)
            return replace(work, together=())
        if work.read:
            self._tell("carded", work.number, work.folder, read_card(work.folder, work.read[0]))
            return replace(work, read=work.read[1:])
        if work.look and renderer is not None:
            self._see(work, renderer)
            return replace(work, look=work.look[1:])
        return None

    def _play_together(self, work: FolderWork, renderer: Renderer) -> None:
        """Plays effects on one quay, into a living picture of its own."""
        try:
            effect = on_one_quay([in_folder(load(work.folder / f"{name}.pale")[0], name) for name in work.together])
            shelf = shelf_for(work.folder / "together.pale", effect)
            self._pictures[:] = [shelf]
            for name in files_of(effect):
                shelf.get(name)
            frames = living_picture(Timeline(effect, shelf.mesh, shelf.density), renderer, LARGE, lambda: None)
            work.place.mkdir(parents=True, exist_ok=True)
            write_whole(work.place / "together.webp", strip_bytes(frames))
            self._tell("together", work.number, work.folder, list(work.together))
        except (DocumentError, OSError) as fault:
            self._tell("failed", str(fault))
        finally:
            self._pictures.clear()

    def _see(self, work: FolderWork, renderer: Renderer) -> None:
        """Looks at the next effect of a folder. Raises SimulationStopped where something else is wanted first."""

        def go_on() -> None:
            if self._waits() or self._task is not None or self._work is not None or not self._folders:
                raise SimulationStopped

        card = read_card(work.folder, work.look[0])
        try:
            if not card.fault:
                seen = looked_at(work.folder, card, renderer, self._pictures, work.game, work.place, go_on)
                self._tell("carded", work.number, work.folder, seen)
        except SimulationStopped:
            raise
        except Exception as error:  # noqa: BLE001 - it stops no other, and stands on its card
            said = str(error) if isinstance(error, (DocumentError, OSError)) else unforeseen(error)
            self._tell("carded", work.number, work.folder, unplayed(work.folder, card, said))
        finally:
            self._pictures.clear()

    def _do(self, work: LongWork, renderer: Renderer | None) -> None:
        """Does long work until it is done, an effect comes, or it is left."""
        number = work.number
        why = "" if renderer is not None else "OpenGL 3.3: expected a working driver, found none; install one"
        if not self._read_files(work.effect, work.folder):
            why = "A gas that it uses is still being simulated; start again when it is there"

        def draw(frame: Frame, background: str, *camera: Camera) -> np.ndarray:
            if self._waits() or self._work is None or self._work.number != number:
                raise SimulationStopped
            return drawn(frame, background, *camera)

        try:
            if renderer is not None and not why:
                drawn: Draw = on_background(renderer)
                for told in work.steps(work.effect, draw=draw, mesh=self._shelf.mesh, density=self._shelf.density):
                    self._tell("worked", number, told)
        except SimulationStopped:
            pass
        except Exception as error:  # noqa: BLE001 - told to whoever waits
            why = unforeseen(error)
        with self._wake:
            self._leave(number)
        self._tell("ended", number, why)
