"""What is made on the texture bench: recipes, a step of a gas, a sheet of one."""

from __future__ import annotations

import time

import numpy as np
from msgspec.structs import replace

from benchmarks.measure import Row, median
from pale_ember.core.effect.recipe.changes import Erode, Levels, Warp
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.shapes import Puff
from pale_ember.core.effect.recipe.sources import Noise
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.gas.gas import Fluid
from pale_ember.core.gas.sheets import simulated
from pale_ember.core.gas.starts import GASES
from pale_ember.core.texture.recipes.paint import Painter

_SIZE = 512
_STACK: tuple[Step, ...] = (Puff(key=0), Warp(key=1), Erode(key=2), Levels(key=3))

_BYTES_A_CELL = 680
"""What a step reads and writes of each cell if everything passes the memory once: fields 144, velocities 240, forces 150, the
projection 100, the rest 46."""


def rows() -> list[Row]:
    """Measures each in this process, kernels ready."""
    return [*_recipes(), _step(), _sheet()]


def _recipes() -> list[Row]:
    def dragged(index: int, name: str, number: str = "amount") -> Row:
        painter = Painter(lambda name: np.zeros((1, 1, 4), np.float32))
        recipe = Recipe(size=_SIZE, steps=_STACK)
        painter.frame(recipe, 0)
        count = 0

        def work() -> None:
            nonlocal count
            count += 1
            step = replace(_STACK[index], **{number: getattr(_STACK[index], number) * (1 - count / 1000)})
            painter.frame(replace(recipe, steps=(*_STACK[:index], step, *_STACK[index + 1 :])), 0)

        value = 1000 * median(work, 7)
        return Row(
            f"a recipe of four steps at {_SIZE}², {name}: {number} dragged", value, "ms", 50.0, value / 50, "ratio < 1", value < 50
        )

    painter = Painter(lambda name: np.zeros((1, 1, 4), np.float32))
    seeds = iter(range(100))
    value = 1000 * median(lambda: painter.frame(Recipe(size=_SIZE, steps=(Noise(seed=next(seeds)),)), 0), 7)
    alone = Row(f"noise of four octaves at {_SIZE}²", value, "ms", 50.0, value / 50, "ratio < 1", value < 50)
    own = ("lumps", "by", "by", "light")
    return [alone, *(dragged(k, step.kind, number) for k, step in enumerate(_STACK) for number in ("amount", own[k]))]


def _step() -> Row:
    fluid = Fluid(replace(GASES["smoke"], grid=64))
    fluid.run(0.3)
    value = 1000 * median(lambda: fluid.step(1 / 30), 7)
    block = np.zeros(16 * 2**20, np.float32)
    copied = block.nbytes * 2 / median(lambda: np.copyto(np.empty_like(block), block), 5)
    bound = 1000 * _BYTES_A_CELL * 64**3 / copied
    told = f"a step of a gas at 64³, against {_BYTES_A_CELL} bytes a cell at the {copied / 1e9:.1f} GB/s of a copy"
    return Row(told, value, "ms", bound, value / bound, "ratio < 2", value < 2 * bound)


def _sheet() -> Row:
    begun = time.perf_counter()
    simulated(replace(GASES["smoke"], grid=96), 64, False, 128)
    value = time.perf_counter() - begun
    return Row("a sheet of 64 frames of a gas at 96³", value, "s", 60.0, value / 60, "ratio < 1", value < 60)
