"""Starts the rehearsal, with its window or without."""

from __future__ import annotations

import json
import sys
import time
from concurrent.futures import ThreadPoolExecutor, wait
from pathlib import Path

from pale_ember.rehearsal.game import Game, alive
from pale_ember.rehearsal.night import Server
from pale_ember.rehearsal.window import GameWindow, hear_all
from pale_ember.rehearsal.wire import Wire

_TICK = 1.0 / 60.0
_LOOK_EVERY = 0.25


def rehearse(folder: Path, *, port: int, seconds: float | None, headless: bool, sends_night: bool) -> int:
    """Plays packages until it is closed, or for so many seconds. What is said goes to standard output as JSON lines where
    there is no window. Raises PackageError, and OSError where the port is taken."""
    game = Game(folder)
    wire = Wire(port)
    events = sorted({event for each in game.loaded.values() for event in each.effect.answers.named().values()})
    night = Server(wire.port, sorted(game.loaded), events) if sends_night else None
    try:
        if headless:
            print(json.dumps({"listens": wire.port, "effects": sorted(game.loaded)}), flush=True)
            for said in game.told.lines:
                print(json.dumps({"said": said}), flush=True)
        if night is not None:
            night.start()
        return _without_window(game, wire, seconds) if headless else _with_window(game, wire, seconds)
    finally:
        if night is not None:
            night.over.set()
        wire.close()


def _without_window(game: Game, wire: Wire, seconds: float | None) -> int:
    """The game goes on with the clock; every second it tells how it is."""
    game.begin()
    began = before = time.monotonic()
    told = looked = 0.0
    with ThreadPoolExecutor(1, "pale-ember-game") as pool:
        while seconds is None or time.monotonic() - began < seconds:
            now = time.monotonic()
            hear_all(game, wire)
            if now - looked > _LOOK_EVERY:
                looked = now
                for said in game.look_for_changes():
                    print(json.dumps({"said": said}), flush=True)
            game.step(now - before)
            before = now
            # However long a moment takes, who says something is answered meanwhile.
            coming = pool.submit(game.frame)
            while not coming.done():
                hear_all(game, wire)
                wait([coming], timeout=_TICK)
            frame = coming.result()
            if now - told >= 1.0:
                told = now
                taken = 1000 * (time.monotonic() - now)
                playing = [each.name for each in game.playing]
                state = {"time": round(game.time, 2), "playing": playing, "alive": alive(frame), "ms": round(taken, 2)}
                print(json.dumps(state), flush=True)
            time.sleep(max(_TICK - (time.monotonic() - now), 0.0))
    return 0


def _with_window(game: Game, wire: Wire, seconds: float | None) -> int:
    from PyQt6.QtCore import QTimer
    from PyQt6.QtWidgets import QApplication

    running = QApplication.instance() or QApplication(sys.argv[:1])
    window = GameWindow(game, wire)
    window.show()
    window.begin()
    if seconds is not None:
        QTimer.singleShot(round(1000 * seconds), window.close)
    return running.exec()
