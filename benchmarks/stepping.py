"""The step kernel beside the same work in plain NumPy, in C, and in a loop that only ages and moves."""

from __future__ import annotations

import ctypes
import shutil
import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np

from benchmarks.measure import Row, median, medians
from pale_ember.core.effect.chapters import Birth, Burst, Contact, Forces, Life, Outlet
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import between, curve, fixed, gradient
from pale_ember.core.simulate.frame import HERE, NO_SHARES, LayerFrame, layer_frame
from pale_ember.core.simulate.look_kernel import appear
from pale_ember.core.simulate.motion_kernel import run
from pale_ember.core.simulate.particle_table import Table
from pale_ember.core.simulate.plan import look_plan
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.simulate.track import Track
from pale_ember.core.simulate.turbulence_field import CELLS, EDDY_CELLS, eddies

_LANES = Life(
    size=curve((0, 0.2), (0.3, 1), (1, 0)),
    colour=gradient((0, (1.0, 0.8, 0.5)), (0.5, (0.9, 0.3, 0.1)), (1, (0.1, 0.0, 0.0))),
    brightness=curve((0, 1), (1, 0.2)),
    opacity=curve((0, 0), (0.2, 1), (1, 0)),
    speed=curve((0, 1), (1, 0.5)),
)
_FORCES = Forces(gravity=(0.0, -2.0, 0.0), drag=1.0, turbulence=1.0, detail=0.0)


def standing(count: int, *, plain: bool = False) -> Effect:
    """One layer of `count` particles that live through the whole benchmark; `plain` ones only age and move."""
    layer = Layer(
        id="00000000000000be",
        place=(0.0, 4.0, 0.0),
        outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(count)),), shape="box", extent=(8.0, 7.9, 8.0), limit=count + 1),
        birth=Birth(lifetime=between(50.0, 90.0), speed=between(0.5, 2.0), size=between(0.1, 0.3)),
        life=Life(opacity=None) if plain else _LANES,
        forces=Forces() if plain else _FORCES,
        contact=Contact() if plain else Contact(meets="bounce"),
    )
    return Effect(loop=False, duration=10.0, layers=(layer,))


class _Stand:
    """A track with all its particles alive, stepped again and again."""

    def __init__(self, count: int, *, plain: bool = False) -> None:
        effect = standing(count, plain=plain)
        self.count, self.layer = count, effect.layers[0]
        self.timeline = Timeline(effect)
        self.track: Track = self.timeline._tracks[self.layer.id]
        self.track.at(1)
        self.look = look_plan(effect, self.layer)
        self.begun = self.track._live.table.copy(count, count, frozenset())

    def fresh(self) -> Table:
        """A copy of the particles as they began."""
        return self.begun.copy(self.count, self.count, frozenset())

    def step(self) -> None:
        self.track.at(self.track._live.step + 1)

    def kernel(self) -> Callable[[], object]:
        """One more step by the kernel alone."""
        track, live, alive = self.track, self.track._live, np.zeros(1, np.int64)
        births, due, _ = track._births(live.step, live.step + 1)
        surfaces = track._surfaces
        touching = (surfaces.rows(0, 1, 1 / 60), surfaces.nodes, surfaces.triangles, track._touched)
        plan = track.plan
        return lambda: run(
            plan.numbers, eddies(), plan.speed_lane, touching, None, births, due, live.table, live.count, live.step, live.step + 1, alive
        )

    def frame(self) -> LayerFrame:
        live = self.track._live
        return layer_frame(self.layer, self.look, live.table, self.count, live.step / 60, 0.0)

    def kernels(self) -> Callable[[], object]:
        """One more step and its Frame by the kernels alone, into arrays that are there, as the yardstick does."""
        step, plan, lanes = self.kernel(), self.look, self.look.lanes
        now, count = np.array([self.track._live.step / 60]), self.count
        driven = np.empty((0, count), np.float32)
        wide = {"age": (), "position": (3,), "velocity": (3,), "size": (3,), "angle": (), "colour": (4,), "frame": ()}
        outs = [np.empty((count, *shape), np.float32) for shape in wide.values()]

        def both() -> None:
            step()
            appear(
                plan.numbers, plan.choices, plan.tints, plan.everyday, plan.hues, lanes.records, lanes.tables,
                lanes.bands, lanes.colours, HERE, NO_SHARES, self.track._live.table, count, now, 0.0, *outs, driven,
            )  # fmt: skip

        return both


def _compiled() -> ctypes.CDLL | None:
    """The yardstick in C, compiled here and now at its fastest; None where there is no compiler."""
    compiler = shutil.which("cc") or shutil.which("gcc") or shutil.which("clang")
    if compiler is None:
        return None
    source = Path(__file__).with_name("yardstick.c")
    with tempfile.TemporaryDirectory() as folder:
        compiled = Path(folder) / "yardstick.so"
        command = [compiler, "-Ofast", "-march=native", "-shared", "-fPIC", str(source), "-lm", "-o", str(compiled)]
        if subprocess.run(command, capture_output=True).returncode:
            return None
        library = ctypes.CDLL(str(compiled))
    library.step.restype = library.minimal.restype = ctypes.c_int64
    return library


def _at(array: np.ndarray) -> ctypes.c_void_p:
    return ctypes.c_void_p(array.ctypes.data)


def _in_c(library: ctypes.CDLL, table: Table, count: int, frame: LayerFrame):
    """A step and a Frame of these particles by the yardstick, and one that only ages and moves."""
    kept = table[:9]
    lanes = [getattr(_LANES, name).table() for name in ("size", "brightness", "opacity", "speed", "colour")]
    drift = np.array([0.0, 0.5, 0.0], np.float32)
    ranges = np.array([0.1, 0.3, 0, 0, 0, 0, 1, 1, 1, 1, 1, 1, 1, 1, 1, 1], np.float32)
    tints = np.ones(6, np.float32)
    outs = [np.empty_like(getattr(frame, name)) for name in ("age", "position", "velocity", "size", "angle", "colour", "frame")]
    field, number = eddies(), ctypes.c_int64(count)
    f32, f64 = ctypes.c_float, ctypes.c_double

    def step_and_look() -> None:
        columns = [_at(column) for column in kept]
        library.step(
            number, f32(1 / 60), f64(0.5), *columns, _at(field), _at(lanes[3]), f32(-2.0), f32(1.0), f32(1.0), f32(EDDY_CELLS), _at(drift)
        )
        library.appear(
            number,
            f64(0.5),
            ctypes.c_uint64(7),
            *columns,
            *(_at(lane) for lane in (lanes[0], lanes[1], lanes[2], lanes[3], lanes[4])),
            _at(ranges),
            _at(tints),
            *(_at(out) for out in outs),
        )

    def minimal() -> None:
        library.minimal(number, f32(1 / 60), f64(0.5), *(_at(column) for column in kept))

    return step_and_look, minimal


def _numpy_step(table: Table, count: int, time: float, h: float) -> None:
    """The same arithmetic, an array at a time: forces, turbulence, displacement, then the five lanes."""
    k, field = 1.0, eddies()
    a = np.float32(np.exp(-k * h))
    b = np.float32((1 - a) / k)
    g = np.float32((h - b) / k)
    places, speeds = (table.px, table.py, table.pz), (table.vx, table.vy, table.vz)
    scale = np.float32(EDDY_CELLS)
    drift = (0.0, 0.5 * time, 0.0)
    cells = [(place - np.float32(d)) * scale for place, d in zip(places, drift, strict=True)]
    low = [np.floor(c) for c in cells]
    part = [c - f for c, f in zip(cells, low, strict=True)]
    corner = [f.astype(np.int64) & (CELLS - 1) for f in low]
    air = np.zeros((count, 3), np.float32)
    for step in np.ndindex(2, 2, 2):
        at = tuple((c + s) & (CELLS - 1) for c, s in zip(corner, step, strict=True))
        weight = np.ones(count, np.float32)
        for t, s in zip(part, step, strict=True):
            weight *= t if s else 1 - t
        air += weight[:, None] * field[at]
    age = ((time - table.born) / table.life).astype(np.float32)
    samples = np.linspace(0, 1, 256, dtype=np.float32)
    factor = np.interp(age, samples, _LANES.speed.table()).astype(np.float32)  # type: ignore[union-attr]
    pull = (0.0, -2.0, 0.0)
    for i in range(3):
        force = np.float32(pull[i])
        places[i][:] += factor * (speeds[i] * b + air[:, i] * (np.float32(h) - b) + force * g)
        speeds[i][:] = speeds[i] * a + air[:, i] * (1 - a) + force * b
    rng = np.random.default_rng(1)
    drawn = [rng.random(count, dtype=np.float32) for _ in range(6)]
    size = (0.1 + 0.2 * drawn[0]) * np.interp(age, samples, _LANES.size.table())  # type: ignore[union-attr]
    bright = np.interp(age, samples, _LANES.brightness.table()) * (1 + 0 * drawn[1])  # type: ignore[union-attr]
    solid = np.interp(age, samples, _LANES.opacity.table()) * (1 + 0 * drawn[2])  # type: ignore[union-attr]
    colours = _LANES.colour.table()  # type: ignore[union-attr]
    colour = np.empty((count, 4), np.float32)
    for c in range(3):
        colour[:, c] = np.interp(age, samples, colours[:, c]) * bright * (1 + 0 * drawn[3])
    colour[:, 3] = np.clip(solid, 0, 1)
    np.stack([size, size, size], axis=1).astype(np.float32)
    np.stack(places, axis=1)
    np.stack(speeds, axis=1)


def _both_cores() -> Row:
    """A step and its Frame on one thread and on two, in turns."""
    effect = standing(100_000)
    alone, shared = Timeline(effect), Timeline(effect)
    alone._pair.worth = 1 << 60
    steps = {id(timeline): 5 for timeline in (alone, shared)}

    def step(timeline: Timeline) -> None:
        steps[id(timeline)] += 1
        timeline.frame(steps[id(timeline)] / effect.steps)

    for timeline in (alone, shared):
        step(timeline)
    single, double, ratio = medians(lambda: step(alone), lambda: step(shared), 31)
    return Row(
        "a step and Frame of 100,000 on one thread, in proportion to two", single * 1e3, "ms", double * 1e3, ratio, "≥ 1.6", ratio >= 1.6
    )


def rows() -> list[Row]:
    measured = [_both_cores()]
    library = _compiled()
    costs = {}
    for count in (100_000, 1_000_000):
        stand = _Stand(count)
        times = 11 if count > 500_000 else 25

        def ours(stand: _Stand = stand) -> None:
            stand.step()
            stand.frame()

        ours()
        frame = stand.frame()
        per = 1e9 / count
        costs[count] = median(ours, times) * per
        if count == 100_000:
            theirs = median(lambda: _numpy_step(stand.fresh(), count, 0.5, 1 / 60), 5) * per  # noqa: B023
            measured.append(_row("step 100,000 particles against NumPy", costs[count], theirs, "≥ 5", theirs / costs[count], 5))
        if library is not None:
            step_and_look, _ = _in_c(library, stand.fresh(), count, frame)
            step_and_look()
            kernels = stand.kernels()
            kernels()
            alone, c, ratio = medians(kernels, step_and_look, times)
            measured.append(_row(f"step {count:,} particles against C", alone * per, c * per, "≤ 1.5", ratio, -1.5))
        plain = _Stand(count, plain=True)
        kernel = plain.kernel()
        kernel()
        if library is not None:
            _, minimal = _in_c(library, plain.fresh(), count, frame)
            minimal()
            alone, c, ratio = medians(kernel, minimal, 2 * times + 1)
            name = f"{count:,} that only age and move, against C"
            measured.append(_row(name, alone * per, c * per, "≤ 1.3", ratio, -1.3))
    ratio = costs[1_000_000] / costs[100_000]
    measured.append(_row("step 1,000,000 in proportion to 100,000", costs[1_000_000], costs[100_000], "≤ 1.5", ratio, -1.5))
    return measured


def _row(name: str, value: float, against: float, target: str, ratio: float, bound: float) -> Row:
    """A row in nanoseconds a particle; a negative bound is the most the ratio may be, a positive one the least."""
    return Row(name, value, "ns/particle", against, ratio, target, ratio >= bound if bound > 0 else ratio <= -bound)
