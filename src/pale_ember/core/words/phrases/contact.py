"""What a particle meets."""

from __future__ import annotations

import re

from pale_ember.core.effect.model import Layer
from pale_ember.core.words.phrases.phrase import N, phrase, phrases_in, with_values
from pale_ember.core.words.scene import Scene

_PERCENT = rf"({N})\s*%"


def _meets(layer: Layer, what: str | None, scene: Scene) -> Layer:
    """Met surfaces by their names; the ground, or whatever is there, for none."""
    props = {prop.name.lower(): prop.name for prop in scene.effect.stage.props} | {"ground": "ground"}
    before = scene.before.contact.surfaces if scene.before is not None else ()
    names = [name.strip() for name in re.split(r"\band\b|,", (what or "").replace("the ground", "").replace("whatever it meets", ""))]
    told = tuple(props[name] for name in names if name in props)
    return with_values(layer, (("contact", "surfaces"), told or (before if what and "ground" in what and before == ("ground",) else ())))


@phrase(r"passes through(?: everything)?|touches nothing", "on collision", "contact", "meets")
def _passes(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return with_values(layer, (("contact", "meets"), "pass"))


@phrase(r"(?:ends at|dies at|sticks to) ((?:the ground|whatever it meets)|[\w ]+?)(?=[.,;]|$)", "on collision", "contact", "meets")
def _ends(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    return _meets(with_values(layer, (("contact", "meets"), "stick" if said[0].startswith("sticks") else "end")), said[1], scene)


@phrase(
    rf"bounces?(?: off ((?:the ground|whatever it meets)|[\w ]+?))?(?: with)?(?: {_PERCENT}(?: of its speed)?)?"
    rf"(?:,? slides with {_PERCENT})?(?:,? ages by {_PERCENT}(?: of its life)?)?(?=[.,;]|$)",
    "bounce",
    "contact",
)
def _bounces(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    layer = _meets(with_values(layer, (("contact", "meets"), "bounce")), said[1], scene)
    for name, share in zip(("bounce", "slide", "ageing"), said.groups()[1:], strict=True):
        if share is not None:
            layer = with_values(layer, (("contact", name), round(float(share) / 100, 6)))
    return layer


@phrase(rf"bounces?(?: by| with)? ({N})(?!\s*%)(?=\s*(?:[,.;]|$))", "bounce", "contact")
def _bounce(layer: Layer, said: re.Match[str], scene: Scene) -> Layer:
    """`bounce 0.4`: what bounces so much no longer passes through."""
    return with_values(layer, (("contact", "meets"), "bounce"), (("contact", "bounce"), min(max(float(said[1]), 0.0), 1.0)))


PHRASES = phrases_in(globals())
