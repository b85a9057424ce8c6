"""Contacts, offspring and far moments: what the heavy effects of the quay cost."""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from benchmarks.measure import Row, median
from pale_ember import ASSETS
from pale_ember.core.effect.chapters import Birth, Burst, Contact, Forces, Life, Offspring, Outlet
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect, Layer, Pose, Stage
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.stage import Prop
from pale_ember.core.effect.starting_points import started
from pale_ember.core.effect.values import between, fixed
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.simulate.particle_table import KEPT_BYTES
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.formats.document import dumps, load, loads

KILN_MOUTH = ASSETS / "demo" / "kiln-mouth.pale"
DROPS, SPLASH = "00000000000000d1", "00000000000000d2"
STONES = Prop(name="quay", shape="mesh", mesh="solid:quay stones", place=(0.0, 0.0, 0.0))


def squall(alive: int, *, meets: bool, splashes: bool) -> Effect:
    """Sleet over the quay stones: about so many drops alive, touching a mesh of 4,802 triangles."""
    life = 1.2
    rule = Rule(when="touches", layer=SPLASH, count=between(1, 3), facing="surface")
    drops = Layer(
        id=DROPS,
        name="sleet",
        place=(0.0, 3.0, 0.0),
        outlet=Outlet(
            rate=fixed(alive / life), shape="box", extent=(5.6, 4.0, 5.6), axis=(0.1, -1.0, 0.0), spread=fixed(6), limit=2 * alive
        ),
        birth=Birth(lifetime=fixed(life), speed=between(4.0, 6.0), size=fixed(0.01)),
        life=Life(opacity=None),
        forces=Forces(gravity=(0.0, -9.81, 0.0), drag=0.3),
        contact=Contact(meets="end" if splashes else "bounce", surfaces=("quay",)) if meets else Contact(),
        offspring=Offspring(rules=(rule,) if splashes else ()),
    )
    splash = Layer(
        id=SPLASH,
        name="splash",
        outlet=Outlet(rate=fixed(0.0), shape="point", spread=fixed(50.0), limit=20_000),
        birth=Birth(lifetime=between(0.15, 0.3), speed=between(0.4, 1.4), size=fixed(0.008)),
        forces=Forces(gravity=(0.0, -9.81, 0.0)),
    )
    layers = (drops, splash) if splashes else (drops,)
    return Effect(loop=True, warm=True, duration=10.0, layers=layers, stage=Stage(props=(STONES,)))


def _row(name: str, seconds: float, most: float) -> Row:
    return Row(name, seconds * 1e3, "ms", None, None, f"< {most:g}", seconds * 1e3 < most)


def _squall() -> Row:
    timeline = Timeline(squall(20_000, meets=True, splashes=True))
    timeline.frame(1.0)
    tracks = list(timeline._tracks.values())
    step = [60]

    def one() -> None:
        step[0] += 1
        for track in tracks:
            track.at(step[0])

    one()
    return _row("a step of a squall: 20,000 drops on 4,802 triangles, with splashes", median(one, 31), 12)


def _touches() -> Row:
    """10,000 particles that all touch the ground in one step, each spawning one."""
    rule = Rule(when="touches", layer=SPLASH, count=fixed(1))
    falling = Layer(
        id=DROPS,
        place=(0.0, 0.05, 0.0),
        outlet=Outlet(
            rate=fixed(0.0), bursts=(Burst(count=fixed(10_000)),), shape="disc", axis=(0.0, -1.0, 0.0), spread=fixed(0.0), limit=10_000
        ),
        birth=Birth(lifetime=fixed(1.0), speed=fixed(4.0)),
        contact=Contact(meets="end"),
        offspring=Offspring(rules=(rule,)),
    )
    born = Layer(id=SPLASH, outlet=Outlet(rate=fixed(0.0), limit=20_000))
    effect = Effect(loop=False, layers=(falling, born))
    taken = []
    for _ in range(9):
        timeline = Timeline(effect)
        parent, child = timeline._tracks[DROPS], timeline._tracks[SPLASH]
        parent.at(0)
        parent.at(1)
        child.at(0)
        events = len(parent.events(0, 1))
        begin = time.perf_counter()
        _, count = child.at(1)
        taken.append(time.perf_counter() - begin)
    assert events == count == 10_000, (events, count)
    return _row("spawning the offspring of 10,000 touches in one step", sorted(taken)[4], 5)


def _moments() -> list[Row]:
    """Any moment of ten seconds with 20,000 alive after one pass, and the memory it keeps."""
    rows = []
    rng = np.random.default_rng(3)
    for meets, most in ((False, 100), (True, 300)):
        effect = squall(20_000, meets=meets, splashes=False)
        # A limit that binds, so that no moment can be entered by its births alone.
        effect = with_value(effect, ("layers", 0, "outlet", "limit"), 20_000)
        timeline = Timeline(effect)
        while not timeline.explore(10_000_000):
            pass
        taken = []
        for moment in rng.uniform(0, 10, 15):
            begin = time.perf_counter()
            timeline.frame(float(moment))
            taken.append(time.perf_counter() - begin)
        kept = sum(table.bytes_used() for track in timeline._tracks.values() for table in track._kept.values())
        with_mesh = "with mesh contact" if meets else "without contact"
        rows.append(_row(f"any of 10 s, 20,000 alive, {with_mesh}: the slowest of 15", max(taken), most))
    mb = kept / 2**20
    rows.append(Row("kept states of that", mb, "MB", None, None, f"≤ {KEPT_BYTES >> 20}", kept <= KEPT_BYTES))
    return rows


def _edits() -> Row:
    """The held moment: an edit of the kiln mouth's flames, to its Frame."""
    effect, _ = load(KILN_MOUTH)
    timeline = Timeline(replace(effect, warm=True))
    timeline.frame(2.5)
    taken = []
    for k in range(9):
        edited = with_value(effect, ("layers", 1, "birth", "speed"), between(0.5, 1.25 + 0.01 * k))
        begin = time.perf_counter()
        timeline.update(edited)
        timeline.frame(2.5)
        taken.append(time.perf_counter() - begin)
    return _row("an edit of the kiln mouth at a held moment, warm start", sorted(taken)[4], 50)


def _ready() -> Row:
    """Every kernel from the cache, in a process of its own, its imports not counted."""
    code = (
        "import time, numba\nfrom pale_ember.commands.kernel_warmup import everything\nbegin = time.perf_counter()\n"
        "everything()\nprint(time.perf_counter() - begin)"
    )
    taken = [
        float(subprocess.run([sys.executable, "-P", "-c", code], capture_output=True, text=True, check=True).stdout) for _ in range(5)
    ]
    seconds = sorted(taken)[2]
    return Row("kernels ready, from the cache", seconds, "s", None, None, "< 1", seconds < 1)


def _riders() -> Row:
    """Four layers with keys, each riding on the one before, with a handful of particles each."""
    keys = tuple(Pose(at=at, place=(at, 0.3 * at, 0.0), turn=(0.0, 90.0 * at, 20.0), scale=1.0 + 0.1 * at) for at in range(5))
    layers = tuple(
        Layer(
            id=f"{i + 1:016x}",
            rides_on=f"{i:016x}" if i else "",
            keys=keys,
            turns_with="travel" if i == 3 else "keys",
            outlet=Outlet(rate=fixed(8.0)),
            birth=Birth(lifetime=fixed(1.0), inherited=1.0),
        )
        for i in range(4)
    )
    timeline = Timeline(Effect(loop=True, warm=True, duration=4.0, layers=layers))
    step = [60]

    def one() -> None:
        step[0] += 1
        for track in timeline._tracks.values():
            track.at(step[0])

    one()
    return _row("a step of four keyed layers riding on each other", median(one, 61), 1)


def _large_prop() -> Row:
    """From a mesh of 100,000 triangles in memory to the first moment of what falls on it."""
    side = 225
    x, z = np.meshgrid(np.linspace(-3, 3, side), np.linspace(-3, 3, side))
    points = np.stack([x, 0.1 * np.sin(5 * x) * np.cos(4 * z), z], axis=-1).reshape(-1, 3)
    corner = (np.arange(side - 1)[:, None] * side + np.arange(side - 1)).ravel()
    quads = np.stack([corner, corner + side, corner + 1, corner + 1, corner + side, corner + side + 1], axis=1)
    quay = Mesh(points, quads.reshape(-1, 3))
    effect = squall(2_000, meets=True, splashes=False)
    begin = time.perf_counter()
    Timeline(effect, lambda name: quay).frame(1.0)
    return _row(f"first moment on a prop of {len(quay.faces):,} triangles", time.perf_counter() - begin, 1000)


def _many_read() -> Row:
    """A document of 1,000 layers, read."""
    flame = started("flame")
    layers = tuple(replace(flame, id=f"{i + 1:016x}", name=f"flame {i}") for i in range(1000))
    data = dumps(Effect(layers=layers))

    return _row("1,000 layers read", median(lambda: loads(data, Path("many.pale")), 5), 1000)


def rows() -> list[Row]:
    return [_riders(), _large_prop(), _many_read(), _ready(), _squall(), _touches(), *_moments(), _edits()]
