"""The stand-in game: packages it has loaded, what of them plays where, what it answers to events. No window, no clock."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace as with_fields

from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.renaming import with_names
from pale_ember.core.insight.effect_cost import seconds_of
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.spawning import AS_IT_IS, Performance
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.formats.disk import MANIFEST
from pale_ember.formats.files import stamp_of
from pale_ember.formats.handover.reading import read_package
from pale_ember.formats.handover.runtime import PackageError, slug
from pale_ember.formats.shelf import Shelf
from pale_ember.rehearsal.quay import PLACES, placed, quay

MOST_PLAYING = 24
"""Effects that play at once; of more, the oldest goes."""

_FAR = 1e4
"""Metres from the middle beyond which nothing is placed."""


@dataclass(slots=True)
class PlayingEffect:
    """An effect that plays. begun : s of the game. rides : on what, "" where it stands."""

    name: str
    effect: Effect
    begun: float
    at: tuple[float, float, float]
    heading: float
    rides: str = ""
    performance: Performance = AS_IT_IS
    number: int = 0
    """Tells it from all others that play."""
    known: dict[str, tuple[Layer, Layer]] = field(default_factory=dict)
    timeline: Timeline | None = None
    told: Performance | None = None
    """What the timeline was told last."""

    def caught_up(self, shelf: Shelf) -> Timeline:
        """Its timeline, with all that it was told since. Only who simulates asks for it."""
        effect, performance = self.effect, self.performance
        if self.timeline is None:
            self.timeline = Timeline(effect, shelf.mesh, shelf.density, performance=performance)
        elif self.timeline.effect is not effect or self.told is not performance:
            self.timeline.update(effect, (), performance)
        self.told = performance
        return self.timeline

    def own(self, shown: LayerFrame) -> LayerFrame:
        """A layer of a moment under an id that no other effect, nor the same played again, has: who draws goes by it."""
        before = self.known.get(shown.layer.id)
        if before is None or before[0] is not shown.layer:
            before = shown.layer, with_fields(shown.layer, id=f"{self.number:x}-{shown.layer.id}")
            self.known[shown.layer.id] = before
        return replace(shown, layer=before[1])

    @property
    def steps(self) -> int:
        """Steps of its simulation each second."""
        return self.effect.steps


@dataclass(slots=True)
class LoadedPackage:
    """A package: its folder, its effect with pictures and meshes named from the root of all, and the state of its files."""

    folder: Path
    effect: Effect
    stamp: object


@dataclass(slots=True)
class GameLines:
    """What the game says of itself: the last lines, newest last."""

    lines: deque[str] = field(default_factory=lambda: deque(maxlen=8))

    def say(self, text: str) -> str:
        """Adds a line to what the game says."""
        self.lines.append(text)
        return text


class Game:
    """Loads packages, plays them, hears events. All times are seconds of the game."""

    def __init__(self, folder: Path) -> None:
        """folder : of one package, or of several. Raises PackageError where there is none."""
        folder = folder.resolve()
        alone = (folder / "effect.json").is_file()
        self.root = folder.parent if alone else folder
        self.shelf = Shelf(self.root)
        self.stage = quay()
        self.time = 0.0
        self.told = GameLines()
        self.loaded: dict[str, LoadedPackage] = {}
        self.playing: list[PlayingEffect] = []
        self._played = 0
        within = (
            sorted(each for each in folder.iterdir() if any((each / name).exists() for name in ("effect.json", MANIFEST)))
            if folder.is_dir()
            else []
        )
        self._folders = [folder] if alone else within
        if not self._folders:
            raise PackageError(f"{folder.name}: expected a package or a folder of packages, found none; hand an effect over first")
        faults = []
        for each in self._folders:
            try:
                self._load(each)
            except PackageError as error:
                faults.append(f"{each.name}: {error}")
        if not self.loaded:
            raise PackageError(faults[0])
        for fault in faults:
            self.told.say(fault)

    def begin(self) -> None:
        """Plays the only effect there is, where it starts by itself."""
        for name, loaded in self.loaded.items():
            if loaded.effect.answers.by_itself and len(self.loaded) == 1:
                self.play(name)

    # Packages --------------------------------------------------------------------------------------------------

    def _load(self, folder: Path) -> LoadedPackage:
        stamp, effect = stamp_of(folder / MANIFEST), read_package(folder)
        named = {("picture", name): f"{folder.name}/{name}" for name in _files(folder)}
        named |= {(kind, name): new for (_, name), new in list(named.items()) for kind in ("mesh", "density")}
        effect = with_names(effect, named)
        known = next((name for name, loaded in self.loaded.items() if loaded.folder == folder), None)
        name = known or slug(effect.name, self.loaded)
        self.loaded[name] = LoadedPackage(folder, effect, stamp)
        return self.loaded[name]

    def look_for_changes(self) -> list[str]:
        """Takes what was handed over again since, and says so; what is broken leaves the old one playing."""
        said: list[str] = []
        for name, loaded in list(self.loaded.items()):
            stamp = stamp_of(loaded.folder / MANIFEST)
            if stamp in (loaded.stamp, None):
                continue
            try:
                fresh = self._load(loaded.folder)
            except PackageError as error:
                self.loaded[name] = replace(loaded, stamp=stamp)
                said.append(self.told.say(f"{name}: {error}: the old one plays on"))
                continue
            for playing in self.playing:
                if playing.name == name:
                    playing.effect = placed(fresh.effect, self.stage, playing.at, playing.heading, playing.rides)
            said.append(self.told.say(f"{name}: handed over again, taken at the same moment"))
        return said

    # Playing ---------------------------------------------------------------------------------------------------

    def play(self, name: str, at: tuple[float, float, float] = (0.0, 0.0, 0.0), heading: float = 0.0, rides: str = "") -> PlayingEffect:
        """Plays an effect at a place, or riding on the barrow, or thrown. Raises KeyError."""
        effect = placed(self.loaded[name].effect, self.stage, at, heading, rides)
        begun = self.time + effect.answers.delay
        self._played += 1
        playing = PlayingEffect(name, effect, begun, at, heading, rides, number=self._played)
        self.playing.append(playing)
        del self.playing[:-MOST_PLAYING]
        return playing

    def stop(self, name: str) -> int:
        """Takes all of an effect away; "" takes everything. How many there were."""
        before = len(self.playing)
        self.playing = [playing for playing in self.playing if name not in ("", playing.name)]
        return before - len(self.playing)

    def _strength(self, playing: PlayingEffect, share: float) -> None:
        step = max(round((self.time - playing.begun) * playing.steps), 0) + 1
        before = tuple(each for each in playing.performance.strength if each[0] < step)
        playing.performance = Performance((*before, (step, share)))

    def _does(self, playing: PlayingEffect, does: str, share: float) -> None:
        if does == "stop":
            self.playing.remove(playing)
        else:
            self._strength(playing, 0.0 if does == "end softly" else share)

    def hear(self, message: Any) -> dict[str, Any]:
        """Does what a message asks, and tells what was done; what cannot be understood changes nothing."""
        asked = {"id": message["id"]} if isinstance(message, dict) and isinstance(message.get("id"), (str, int)) else {}
        try:
            return self._heard(message) | asked
        except _Refused as error:
            return {"error": self.told.say(str(error))} | asked

    def _heard(self, message: Any) -> dict[str, Any]:
        if not isinstance(message, dict):
            raise _Refused("expected a group in { }, found another JSON value")
        strange = [name for name in message if name not in _WORDS]
        if strange:
            raise _Refused(f'expected some of {", ".join(_WORDS)}; found "{strange[0][:40]}"')
        (at, heading), rides, share = _place(message), _rides(message), _share(message)
        if "event" in message:
            name = message["event"]
            bound = [
                (each, does)
                for each, loaded in self.loaded.items()
                for does, event in loaded.effect.answers.named().items()
                if event == name
            ]
            if not isinstance(name, str) or not bound:
                known = sorted({event for each in self.loaded.values() for event in each.effect.answers.named().values()})
                raise _Refused(f'event: expected one of {", ".join(known) or "none, no effect answers any"}; found "{name}"')
            for effect, does in bound:
                if does == "start":
                    self.play(effect, at, heading, rides)
                for playing in [each for each in self.playing if each.name == effect] if does != "start" else ():
                    self._does(playing, does, share)
            did = [{"effect": effect, "did": does} for effect, does in bound]
            self.told.say(f"{name}: " + ", ".join(f"{each['effect']} {each['did']}" for each in did))
            return {"event": name, "did": did, "playing": len(self.playing)}
        task, wanted = message.get("do"), message.get("effect", "")
        if task == "list":
            return {"effects": sorted(self.loaded), "playing": [playing.name for playing in self.playing]}
        if task not in ("play", "stop", "swap"):
            raise _Refused(f'expected "event", or "do" with play, stop, swap or list; found {str(task)[:40]!r}')
        if not isinstance(wanted, str) or (wanted not in self.loaded and not (task == "stop" and wanted == "")):
            raise _Refused(f"effect: expected one of {', '.join(sorted(self.loaded))}; found {str(wanted)[:60]!r}")
        if task == "stop":
            return {"did": "stop", "effect": wanted, "stopped": self.stop(wanted)}
        if task == "swap":
            self.stop("")
        self.play(wanted, at, heading, rides)
        self.told.say(f"{task} {wanted}")
        return {"did": task, "effect": wanted, "playing": len(self.playing)}

    # Moments ---------------------------------------------------------------------------------------------------

    def step(self, seconds: float) -> None:
        """Goes on by so much time; what plays once and is over goes."""
        self.time += seconds
        self.playing = [each for each in self.playing if each.effect.loop or self.time - each.begun <= seconds_of(each.effect) + 0.1]

    def frame(self) -> Frame:
        """Everything that plays, as one moment. May run beside what is heard: that takes effect in the next."""
        layers: list[LayerFrame] = []
        now = self.time
        for playing in list(self.playing):
            age = now - playing.begun
            if age >= 0:
                layers += [playing.own(shown) for shown in playing.caught_up(self.shelf).frame(age).layers]
        bare = Effect(stage=self.stage)
        return Frame(effect=bare, time=now, step=round(now * bare.steps), layers=tuple(layers))


class _Refused(Exception):  # noqa: N818 - it is what happened
    """A message that was not understood, in a sentence."""


_WORDS = ("event", "do", "effect", "at", "toward", "place", "on", "strength", "id")
"""What a message may say."""


def _number(value: Any) -> bool:
    # Whole numbers may be longer than a float can be.
    return isinstance(value, (int, float)) and not isinstance(value, bool) and abs(value) < 1e30


def _place(message: dict[str, Any]) -> tuple[tuple[float, float, float], float]:
    """Where a message places something, and its turn about the vertical."""
    at, toward, named = message.get("at"), message.get("toward"), message.get("place", "here")
    if not isinstance(named, str) or named not in PLACES:
        raise _Refused(f"place: expected one of {', '.join(PLACES)}; found {str(named)[:40]!r}")
    place, heading = PLACES[named]
    for label, value in (("at", at), ("toward", toward)):
        good = isinstance(value, list) and len(value) == 3 and all(_number(n) and abs(n) <= _FAR for n in value)
        if value is not None and not good:
            raise _Refused(f"{label}: expected three numbers within {_FAR:g} m in [ ], found {str(value)[:60]}")
    if at is not None:
        place = (float(at[0]), float(at[1]), float(at[2]))
    if toward is not None and math.hypot(toward[0], toward[2]) > 1e-6:
        heading = math.degrees(math.atan2(-toward[2], toward[0]))
    return place, heading


def _rides(message: dict[str, Any]) -> str:
    rides = message.get("on", "")
    if rides not in ("", "barrow", "throw"):
        raise _Refused(f"on: expected barrow or throw, found {str(rides)[:40]!r}")
    return rides


def _share(message: dict[str, Any]) -> float:
    share = message.get("strength", 1.0)
    if not _number(share) or not 0 <= share <= 1:
        raise _Refused(f"strength: expected a number from 0 to 1, found {str(share)[:40]}")
    return float(share)


def _files(folder: Path) -> list[str]:
    return [str(path.relative_to(folder).as_posix()) for path in sorted(folder.rglob("*")) if path.is_file()]


def alive(frame: Frame) -> int:
    """Particles alive in a Frame."""
    return int(np.sum([layer.count for layer in frame.layers])) if frame.layers else 0
