"""An effect drawn into a sheet of frames."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.sheet import Sheet, SheetPlan, bake
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Shot
from pale_ember.draw.view import view_of


def draw_sheet(
    timeline: Timeline, camera: Camera, plan: SheetPlan, pictures: Callable[[str], np.ndarray],
    progress: Callable[[int], bool] = lambda done: True,
) -> Sheet | None:  # fmt: skip
    """Bakes in a context of its own, on any thread; None when `progress` stopped it. Raises NoOpenGL."""
    view = view_of(camera, plan.cell, plan.cell)
    # What is lit is lit as on the stage; the air between is the stage's own.
    shot = Shot(stage=replace(timeline.effect.stage, fog=0.0), background="none", alpha=plan.alpha)
    with offscreen(pictures, timeline.mesh) as renderer:
        return bake(plan, lambda at: renderer.picture(timeline.frame(at), view, shot, plan.cell, plan.cell), progress)
