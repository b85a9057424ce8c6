"""Air that particles fill: drawn over the picture, a quarter of its size, as light that it scatters and keeps back."""

from __future__ import annotations

from collections.abc import Sequence

import moderngl
import numpy as np

from pale_ember.core.simulate.fog_volume import fog_volume
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.draw.brush import Pass
from pale_ember.draw.screens import Screens, rays
from pale_ember.draw.targets import Targets

_THICKEST = 6e4
"""What the cells of its texture can hold."""


class Mist:
    """The air of one context."""

    def __init__(self, context: moderngl.Context, screens: Screens) -> None:
        self._context, self._screens = context, screens
        self._filled: moderngl.Texture | None = None

    def draw(self, layers: Sequence[LayerFrame], now: Pass, targets: Targets) -> None:
        """Draws the air that layers fill over a picture, if they fill any."""
        some = [layer for layer in layers if layer.layer.look.fills_air and layer.count]
        if not some:
            return
        thick = [layer.layer.look.light.fog * layer.colour[:, 3] for layer in some]
        volume = fog_volume(
            np.concatenate([layer.position for layer in some]),
            np.concatenate([layer.size[:, :2] for layer in some]),
            np.concatenate(thick),
            np.concatenate([layer.colour[:, :3] for layer in some]),
        )
        if volume is None:
            return
        high, deep, wide = volume.cells.shape[1], volume.cells.shape[0], volume.cells.shape[2]
        if self._filled is None or self._filled.size != (wide, high * deep):
            self.release()
            self._filled = self._context.texture((wide, high * deep), 4, dtype="f2")
            self._filled.repeat_x = self._filled.repeat_y = False
        self._filled.write(np.minimum(volume.cells, _THICKEST).astype(np.float16).tobytes())
        small, room = targets.quarter
        self._context.disable(moderngl.BLEND)
        targets.depth.use(0)
        self._filled.use(1)
        now.lights.put(self._screens.shader("mist"))
        scale = targets.size[0] / small.width, targets.size[1] / small.height
        grid = dict(low=tuple(volume.low.tolist()), cube=volume.cube, sides=(wide, high, deep))
        self._screens.run("mist", room, scene_depth=0, filled=1, scale=scale, **grid, **rays(now.view))  # type: ignore[arg-type]
        self._context.enable(moderngl.BLEND)
        self._context.blend_func = moderngl.ONE, moderngl.ONE_MINUS_SRC_ALPHA
        small.use(1)
        defined, more = {"FINE": int(now.fine is not None)}, {}
        if now.fine is not None:
            now.fine.use(2)
            more = {"fine_depth": 2}
        self._screens.run("enlarge", targets.layers, defined, scene_depth=0, picture=1, small=small.size, scale=scale, **more)
        self._context.disable(moderngl.BLEND)

    def release(self) -> None:
        """Gives back what it made."""
        if self._filled is not None:
            self._filled.release()
            self._filled = None
