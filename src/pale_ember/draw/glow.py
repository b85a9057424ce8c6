"""The halo around what is bright: each kind of glow blurred through a pyramid, and summed."""

from __future__ import annotations

from dataclasses import dataclass

from pale_ember.core.effect.look import Look
from pale_ember.core.simulate.frame import LayerFrame

STRENGTH = 0.37
"""Share of the light above the threshold that a glow of 1 spreads around, set by eye."""


@dataclass(frozen=True, slots=True)
class Glow:
    """One kind of glow and the layers that have it."""

    amount: float
    size: float
    threshold: float
    layers: frozenset[str]

    @property
    def widening(self) -> float:
        """How much of each level of the pyramid comes from the one half its size: of size 1 four fifths, so that near
        and far weigh nearly alike."""
        return 0.8 * self.size ** (1.2 if self.size > 1 else 1.0)

    def factor(self, levels: int) -> float:
        """What the summed pyramid is multiplied with, so that a wider glow is not a stronger one."""
        return self.amount * STRENGTH / sum(self.widening**level for level in range(levels))


def glows(layers: tuple[LayerFrame, ...]) -> list[Glow]:
    """The kinds of glow in a picture; nothing where nothing glows."""
    kinds: dict[tuple[float, float, float], set[str]] = {}
    for layer in layers:
        shine = layer.layer.look.shine
        if shine.glow > 0 and gives_light(layer.layer.look):
            kinds.setdefault((shine.glow, shine.size, shine.threshold), set()).add(layer.layer.id)
    return [Glow(*kind, frozenset(ids)) for kind, ids in kinds.items()]


def gives_light(look: Look) -> bool:
    return look.blend != "multiply"


def alike(layers: tuple[LayerFrame, ...], kinds: list[Glow]) -> bool:
    """Whether all that is bright glows in one way, so that the picture itself can be blurred: what does not glow must
    be too dim to seem to."""
    return len(kinds) == 1 and all(
        layer.layer.id in kinds[0].layers or _dim(layer, kinds[0].threshold) for layer in layers if gives_light(layer.layer.look)
    )


def _dim(layer: LayerFrame, threshold: float) -> bool:
    if not layer.count and layer.strips is None:
        return True
    colour = layer.colour if layer.strips is None else layer.strips.colour
    brightest = float(colour[:, :3].max()) if len(colour) else 0.0
    return brightest <= (threshold if layer.layer.look.blend in ("alpha", "cut-out") else 0.0)
