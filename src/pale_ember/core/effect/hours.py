"""Hours of the day: the light and the air in which an effect is looked at, whatever stands on its stage."""

from __future__ import annotations

from typing import Any

from msgspec.structs import replace

from pale_ember.core.effect.stage import Stage, Sun

HOURS: dict[str, dict[str, Any]] = {
    "night": {
        "sun": Sun(power=0.35, heading=-60.0, height=40.0, tint=(0.6, 0.75, 1.0), sky=1.4), "exposure": 0.45,
        "bottom": (0.02, 0.026, 0.036), "top": (0.003, 0.005, 0.01), "fog": 0.01, "fog_tint": (0.014, 0.018, 0.026),
    },
    "dusk": {
        "sun": Sun(power=3.2, heading=-68.0, height=11.0, tint=(1.0, 0.62, 0.36), sky=1.3), "exposure": 0.1,
        "bottom": (0.40, 0.26, 0.2), "top": (0.035, 0.06, 0.13), "fog": 0.006, "fog_tint": (0.22, 0.18, 0.19),
    },
    "grey noon": {
        "sun": Sun(power=1.3, heading=38.0, height=52.0, tint=(1.0, 0.97, 0.92), sky=2.6), "exposure": -0.2,
        "bottom": (0.36, 0.38, 0.4), "top": (0.16, 0.19, 0.23), "fog": 0.01, "fog_tint": (0.29, 0.31, 0.33),
    },
}  # fmt: skip
"""By the name of each, what it sets of a stage."""


def at_hour(stage: Stage, name: str) -> Stage:
    """A stage in the light of an hour; props, lamps, ground and cameras stay."""
    return replace(stage, background="gradient", **HOURS[name])
