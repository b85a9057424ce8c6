"""What a picture on the bench may begin from."""

from __future__ import annotations

from msgspec.structs import replace

from pale_ember.core.effect.recipe.changes import Rim
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.shapes import Dot
from pale_ember.core.effect.recipe.sources import ChannelSource, Noise, PackedChannels, Paint, Picture
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.gas.starts import GASES


def _of(name: str, *steps: Step, **values: object) -> Recipe:
    numbered = tuple(replace(step, key=k) for k, step in enumerate(steps))
    return Recipe(name=name, steps=numbered, **values)  # type: ignore[arg-type]


STARTS: dict[str, tuple[str, Recipe]] = {
    "a soft dot": ("A shape to begin with.", _of("dot", Dot())),
    "a noise": ("Grey that meets itself at its edges.", _of("noise", Noise(), holds="grey")),
    "painted by hand": ("Strokes of a brush on nothing.", _of("painted", Paint(), Rim(width=0.06))),
    "a picture file": ("A file, cut into frames if it has any, cleaned and changed.", _of("picture file", Picture())),
    "packed channels": (
        "Four channels, each from a picture of its own: three noises and a fade to begin with.",
        _of(
            "packed",
            PackedChannels(
                red=ChannelSource(holds="clouds", picture="library:clouds"),
                green=ChannelSource(holds="ridges", picture="library:ridges"),
                blue=ChannelSource(holds="cells", picture="library:cells"),
                alpha=ChannelSource(holds="fade", picture="library:fade"),
            ),
            holds="grey",
            size=256,
        ),
    ),
    **{
        f"{kind}, simulated": (
            f"A sheet of {kind} from a small simulation.",
            _of(kind, gas, size=128, frames=36, columns=6, loop=gas.lasts > 30),
        )
        for kind, gas in GASES.items()
    },
}
"""By what it is called: what it is, and the recipe."""
