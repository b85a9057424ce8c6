"""The JSON that explains a sheet to a game."""

from __future__ import annotations

import json

from pale_ember.core.effect.model import Effect
from pale_ember.core.texture.sheet import SheetPlan


def sheet_json(effect: Effect, plan: SheetPlan, picture: str, world_size: float) -> bytes:
    """The JSON beside a sheet. world_size : metres across one cell at the camera's target."""
    blends = [layer.look.blend for layer in effect.layers if layer.shown]
    blend = "additive" if blends and all(word == "additive" for word in blends) else "alpha"
    return (
        json.dumps(
            {
                "format": "pale-ember sheet",
                "version": 1,
                "effect": effect.name,
                "picture": picture,
                "columns": plan.columns,
                "rows": plan.rows,
                "frames": plan.frames,
                "cell": plan.cell,
                "fps": round(plan.fps, 6),
                "loop": effect.loop,
                "from": plan.first,
                "to": plan.last,
                "world_size": round(world_size, 6),
                "blend": blend,
                "alpha": plan.alpha,
                "colour": "sRGB",
            },
            indent=2,
        )
        + "\n"
    ).encode()
