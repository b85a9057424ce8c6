"""The step kernel beside the same work in plain NumPy."""

from __future__ import annotations

import numpy as np

from pale_ember.bench.measure import Row, median
from pale_ember.core.effect.chapters import Birth, Burst, Contact, Forces, Life, Outlet
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import between, curve, gradient
from pale_ember.core.simulate.field import CELLS, EDDY_CELLS, eddies
from pale_ember.core.simulate.frame import layer_frame
from pale_ember.core.simulate.motion import Table, run
from pale_ember.core.simulate.plan import look_plan
from pale_ember.core.simulate.timeline import Timeline

_LANES = Life(
    size=curve((0, 0.2), (0.3, 1), (1, 0)),
    colour=gradient((0, (1.0, 0.8, 0.5)), (0.5, (0.9, 0.3, 0.1)), (1, (0.1, 0.0, 0.0))),
    brightness=curve((0, 1), (1, 0.2)),
    opacity=curve((0, 0), (0.2, 1), (1, 0)),
    speed=curve((0, 1), (1, 0.5)),
)
_FORCES = Forces(gravity=(0.0, -2.0, 0.0), drag=1.0, turbulence=1.0, detail=0.0)


def squall(count: int) -> Effect:
    """One layer of `count` particles that live through the whole benchmark."""
    layer = Layer(
        id="00000000000000be",
        outlet=Outlet(rate=0.0, bursts=(Burst(count=count),), shape="box", extent=(8.0, 8.0, 8.0), limit=count + 1),
        birth=Birth(lifetime=between(50.0, 90.0), speed=between(0.5, 2.0), size=between(0.1, 0.3)),
        life=_LANES, forces=_FORCES, contact=Contact(),
    )  # fmt: skip
    return Effect(loop=False, duration=10.0, layers=(layer,))


def _ours(count: int) -> tuple[float, Table]:
    """Median seconds for one step and one Frame of `count` particles, and the table as it began."""
    effect = squall(count)
    timeline = Timeline(effect)
    timeline.frame(0.0)
    track = timeline._tracks[effect.layers[0].id]
    table, _ = track.at(1)
    begun = table.copy(count)
    plan = look_plan(effect, effect.layers[0])
    alive = np.zeros(1, np.int64)
    step = [1]

    def work() -> None:
        run(*track._fixed, table, count, step[0], step[0] + 1, alive)
        step[0] += 1
        layer_frame(effect.layers[0], plan, table, count, step[0] / 60, 0.0)

    work()
    return median(work, 7 if count > 500_000 else 15), begun


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


def rows() -> list[Row]:
    ours, table = _ours(100_000)
    theirs = median(lambda: _numpy_step(table, 100_000, 0.5, 1 / 60), 5)
    ns = ours / 100_000 * 1e9
    million, _ = _ours(1_000_000)
    return [
        Row("step 100,000 particles against NumPy", ns, "ns/particle", theirs / 100_000 * 1e9, theirs / ours, "≥ 4", theirs / ours >= 4),
        Row("step 1,000,000 in proportion to 100,000", million / 1e6 * 1e9, "ns/particle", ns, million / 1e6 * 1e9 / ns, "≤ 1.5",
            million / 1e6 * 1e9 / ns <= 1.5),
    ]  # fmt: skip
