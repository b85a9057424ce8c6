"""Small effects from Saltglass Quay that tests share."""

from pathlib import Path

from pale_ember.core.effect.chapters import Birth, Burst, Contact, Forces, Life, Look, Outlet
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.timeline import Timeline

SMALL_FIRE = Path(__file__).parent / "data" / "small-fire.pale"
"""Smoke, tongues and sparks with a warm start, that no change of the demo touches."""

DEMO = Path(__file__).parent.parent / "src" / "pale_ember" / "assets" / "demo"


def drip(**parts):
    """One layer that spawns a burst at the start, 2 m up, with nothing drawn at random unless asked for."""
    made = {
        "id": "00000000000000aa",
        "name": "molten drips",
        "place": (0.0, 2.0, 0.0),
        "outlet": Outlet(rate=0.0, bursts=(Burst(count=1),), shape="point", spread=0.0),
        "birth": Birth(lifetime=fixed(10.0), speed=fixed(0.0)),
        "life": Life(opacity=None),
    }
    return Layer(**(made | parts))


def effect(*layers, **fields):
    return Effect(**({"name": "test pour", "duration": 3.0, "loop": False, "layers": layers} | fields))


def layer_at(made, time):
    """The first layer of an effect at a moment."""
    return Timeline(made).frame(time).layers[0]


__all__ = ["Birth", "Burst", "Contact", "Forces", "Life", "Look", "Outlet", "drip", "effect", "fixed", "layer_at"]
