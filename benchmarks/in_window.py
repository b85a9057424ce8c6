"""What `workbench` measures, inside the window's own process: `start`, `play`, or `all`. Prints the time of the first
picture, then figures."""

from __future__ import annotations

import sys
import time

_PULLS = 60
"""Moves of the pointer that are timed."""


def _five_thousand():
    """Sparks, of which 5,000 live, with lanes to be pulled."""
    from msgspec.structs import replace

    from pale_ember.core.effect.model import Effect
    from pale_ember.core.effect.starting_points import started
    from pale_ember.core.effect.values import curve, fixed

    sparks = started("sparks")
    lanes = replace(sparks.life, speed=curve((0, 1), (0.5, 0.8), (1, 0.6)))
    outlet = replace(sparks.outlet, rate=fixed(3_570), limit=20_000)
    return Effect(layers=(replace(sparks, outlet=outlet, life=lanes, contact=type(sparks.contact)()),), warm=True)


def _pulled(window, name: str, spin) -> list[float]:
    """Seconds from a move of the pointer, that holds a key of a lane, to the picture that shows it."""
    from PyQt6.QtCore import QEvent, QPointF, Qt
    from PyQt6.QtGui import QMouseEvent
    from PyQt6.QtWidgets import QApplication

    lane, stage = window.story.bodies["life"].lanes[name], window.stage
    left, none = Qt.MouseButton.LeftButton, Qt.MouseButton.NoButton
    start = lane.place_of(lane.points[1])
    taken = []

    def send(kind: QEvent.Type, at: QPointF, button: Qt.MouseButton) -> None:
        event = QMouseEvent(kind, at, lane.mapToGlobal(at), button, left, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(lane, event)

    send(QEvent.Type.MouseButtonPress, start, left)
    for i in range(_PULLS):
        asked = time.perf_counter()
        send(QEvent.Type.MouseMove, start + QPointF(i % 7, 6 + i % 13), none)
        wanted = window.document.effect
        spin(lambda wanted=wanted: stage.answer is not None and stage.answer.request.effect is wanted)
        taken.append(time.perf_counter() - asked)
    send(QEvent.Type.MouseButtonRelease, start, left)
    return taken


def _looked_through(window, longest) -> dict[str, float]:
    """The longest pauses of seconds in which the stage plays and the effect is looked through: the middle one and the worst."""
    from pale_ember.core.effect.edit import with_value

    def edit(second: int) -> None:
        limit = with_value(window.document.effect, ("layers", 3, "outlet", "limit"), 5 + second)
        window.document.change("limit", limit)

    def begin(second: int) -> None:
        if second == 0:
            window.thinning.begin(whole=False)

    figures = {}
    for name, page, each in (("checked", window.checks, edit), ("cost", window.costs, edit), ("thinned", window.thinning, begin)):
        window.side.flip(page)
        taken = longest(8, each)
        figures[f"{name}_middle"], figures[f"{name}_worst"] = taken[len(taken) // 2], taken[-1]
    window.thinning.stop()
    window.side.flip(window.thinning)
    return figures


def _own_time(window, seconds: float) -> float:
    """The share of a core that the window's thread takes while it plays 30 pictures a second, by the clock of the thread.

    Seconds that the system gives to a process count, not those that go by: as true on a machine that others use."""
    from PyQt6.QtCore import QEventLoop, QTimer

    loop, count, begun = QEventLoop(), window.stage.pictures_shown, time.thread_time()
    QTimer.singleShot(int(seconds * 1000), loop.quit)
    loop.exec()
    return (time.thread_time() - begun) / max(window.stage.pictures_shown - count, 1) * 30


def main(what: str) -> None:
    begun, everything = time.perf_counter(), what == "all"
    from PyQt6.QtCore import QEventLoop

    from pale_ember.app import DEMO, application, workbench
    from pale_ember.core.effect.edit import with_value
    from pale_ember.formats.document import load

    if everything:
        from benchmarks.drawing import crowd
        from pale_ember.studio.shell.files import demo_effects
    qt = application()
    effect, _ = load(DEMO)
    window = workbench(effect, None)
    window.resize(1280, 800)
    window.show()
    window.start()
    qt.processEvents()
    shown = time.perf_counter()
    # Waiting, not asking again and again: that would take the worker's turns.
    loop = QEventLoop()
    window.stage.shown.connect(loop.quit)
    loop.exec()
    window.stage.shown.disconnect(loop.quit)
    qt.processEvents()
    first = time.perf_counter()
    print(time.time(), f"window={shown - begun:.3f}")
    if what == "start":
        window.end()
        return
    pauses: list[float] = []

    def spin(done, seconds: float = 10.0) -> None:
        last = time.perf_counter()
        end = last + seconds
        while not done() and time.perf_counter() < end:
            qt.processEvents()
            now = time.perf_counter()
            pauses.append(now - last)
            last = now
            time.sleep(0.0005)

    def longest(seconds: int, each) -> list[float]:
        """The longest pause of each of some seconds, at the beginning of which something is done; in order."""
        found = []
        for second in range(seconds):
            pauses.clear()
            begin = time.perf_counter()
            each(second)
            pauses.append(time.perf_counter() - begin)
            spin(lambda: False, 1.0)
            found.append(max(pauses))
        return sorted(found)

    # The scale finds its place first, and what looks the effect through has begun.
    spin(lambda: False, 7.0)
    pauses.clear()
    stage, count, begin = window.stage, window.stage.pictures_shown, time.perf_counter()
    spin(lambda: False, 5.0)
    fps = (stage.pictures_shown - count) / (time.perf_counter() - begin)
    pause, scale = max(pauses), stage.scale
    figures = {"fps": fps, "pause": pause, "scale": scale, "thread": _own_time(window, 5.0)}
    if not everything:
        window.end()
        print(" ".join(f"{name}={value:.5f}" for name, value in figures.items()))
        return
    looked = _looked_through(window, longest)
    window.desk.player.pause()
    still = time.perf_counter()
    spin(lambda: stage.answer is not None and stage.answer.request.scale == 1.0 and not stage.waiting)
    sharp = time.perf_counter() - still
    window.desk.player.go_to(2.0)
    spin(lambda: stage.answer is not None and stage.answer.request.moment == 2.0)
    edits = []
    for i in range(15):
        edited = with_value(window.document.effect, ("layers", 1, "forces", "gravity"), (0.0, 1.0 + 0.1 * i, 0.0))
        asked = time.perf_counter()
        window.document.change("gravity", edited)
        spin(lambda edited=edited: stage.answer is not None and stage.answer.request.effect is edited)
        assert stage.answer is not None
        edits.append(time.perf_counter() - asked - stage.answer.draw_time)
        spin(lambda: not stage.waiting)
    switches, answers = [], []
    for i in range(24):
        asked = time.perf_counter()
        window.desk.select(window.document.effect.layers[i % 6].id)
        qt.processEvents()
        switches.append(time.perf_counter() - asked)
        spin(lambda: not stage.waiting)
    search = window.open.search()
    for word in ("soft particles", "rate 60", "sub-emitter", "bloom"):
        for length in range(1, len(word) + 1):
            asked = time.perf_counter()
            search.line.setText(word[:length])
            qt.processEvents()
            answers.append(time.perf_counter() - asked)
    wished, line = [], "cylinder radius 0.3 height 0.3, rate 40-50, lifetime 0.5-1.2, fades in and out, additive"
    for length in range(8, len(line) + 1, 3):
        asked = time.perf_counter()
        search.line.setText(line[:length])
        qt.processEvents()
        wished.append(time.perf_counter() - asked)
    search.close()
    figures |= {
        **looked,
        "switch": sorted(switches)[len(switches) // 2],
        "search": sorted(answers)[len(answers) // 2],
        "wishes": sorted(wished)[len(wished) // 2],
        "picture": first - shown,
        "sharp": sharp,
        "edit": sorted(edits)[len(edits) // 2],
    }
    player, document = window.desk.player, window.document
    document.open(_five_thousand(), None)
    player.again()
    spin(lambda: stage.answer is not None and stage.answer.frame.alive >= 4_500, 20.0)
    spin(lambda: False, 3.0)
    for kind in ("size", "speed"):
        pauses.clear()
        taken = sorted(_pulled(window, kind, spin))
        figures[f"{kind}_middle"], figures[f"{kind}_worst"] = taken[len(taken) // 2], taken[-1]
        figures[f"{kind}_pause"] = max(pauses)
    figures["pulled_scale"] = stage.scale
    for path in demo_effects():
        document.open(load(path)[0], None)
        window.desk.looking.look_from(window.desk.looking.first_camera())
        window.desk.player.repeat = True
        player.again()
        # The scale finds its place first; so does what compiles when a look is drawn for the first time.
        spin(lambda: False, 3.0)
        count, begin = stage.pictures_shown, time.perf_counter()
        spin(lambda: False, 2.0)
        name = path.stem.replace("-", "_")
        figures[f"{name}_fps"] = (stage.pictures_shown - count) / (time.perf_counter() - begin)
        figures[f"{name}_scale"] = stage.scale
        player.pause()
        still = time.perf_counter()
        spin(lambda: stage.answer is not None and stage.answer.request.scale == 1.0 and not stage.waiting)
        figures[f"{name}_sharp"] = time.perf_counter() - still
    document.open(crowd(100_000), None)
    player.again()
    spin(lambda: stage.answer is not None and stage.answer.frame.alive >= 100_000, 20.0)
    pauses.clear()
    count = stage.pictures_shown
    spin(lambda: stage.pictures_shown >= count + 4, 20.0)
    figures["crowd"] = max(pauses)
    figures["crowd_shown"] = stage.pictures_shown - count
    window.end()
    print(" ".join(f"{name}={value:.5f}" for name, value in figures.items()))


if __name__ == "__main__":
    main(sys.argv[1])
