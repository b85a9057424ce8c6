"""A renderer without a window, and layers of one card, that drawing tests share."""

import functools
import unittest

import numpy as np

from pale_ember.core.effect.model import Camera
from pale_ember.core.effect.values import Tints
from pale_ember.core.texture.light import to_linear
from pale_ember.draw.context import finisher, headless
from pale_ember.draw.renderer import Renderer
from tests.examples import Birth, Burst, Look, Outlet, drip, fixed

FRONT = Camera(target=(0.0, 2.0, 0.0), distance=4.0, heading=0.0, pitch=0.0)


@functools.cache
def pictures(name):
    """An even picture; `half` covers half, `band` its middle; `quarters` and `frames` have four fields; `red` has three channels."""
    made = np.ones((64, 64, 4) if name == "band" else (16, 16, 4), np.float32)
    if name == "band":
        made[:, :27] = made[:, 37:] = 0.0
    made[..., 3] = 0.5 if name == "half" else 1.0
    if name == "grey":
        made[..., :3] = 0.5
    if name == "red":
        made[..., :3] = to_linear(np.array([0.6, 0.1, 0.0]))
    if name == "still vectors":
        made[..., :3] = to_linear(np.array(0.5))
    fields = {"quarters": (0.1, 0.2, 0.4, 0.8), "frames": (0.1, 0.3, 0.5, 0.7)}.get(name, ())
    for value, (row, column) in zip(fields, ((0, 0), (0, 8), (8, 0), (8, 8)), strict=False):
        made[row : row + 8, column : column + 8, :3] = value
    return made


def card(look, tint=(0.4, 0.2, 0.1), opacity=1.0, count=1, size=3.0, **parts):
    """A layer of still cards of one colour, two metres up."""
    return drip(
        look=Look(soft=0.0, **look),
        outlet=Outlet(rate=0.0, bursts=(Burst(count=count),), shape="point"),
        birth=Birth(lifetime=fixed(9.0), speed=fixed(0.0), size=fixed(size), opacity=fixed(opacity), tint=Tints(first=tint, second=tint)),
        **parts,
    )


class Drawn(unittest.TestCase):
    """One context and renderer for all tests of a class."""

    @classmethod
    def setUpClass(cls):
        cls.context = headless()
        cls.context.__enter__()
        cls.renderer = Renderer(cls.context, pictures, finisher())

    @classmethod
    def tearDownClass(cls):
        cls.renderer.release()
        cls.context.__exit__(None, None, None)
        cls.context.release()
