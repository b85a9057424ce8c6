"""Rules of places: out of sight, under the ground, in what is solid."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.contact import touch_of
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Camera, Layer
from pale_ember.core.effect.stage import GROUND
from pale_ember.core.insight.checks.facts import SCREEN, Facts
from pale_ember.core.insight.checks.finding import Finding, Mend, setting
from pale_ember.core.view import View, framed

_UNDER = 0.02
"""Metres below the ground from which a card is no longer lifted onto it."""
_LEVEL = 0.0015
"""Metres between two flat things that a game cannot tell apart."""
_HARD = 0.12
"""Metres of a card from which a hard line where it meets the ground is seen."""


def out_of_sight(known: Facts) -> Iterator[Finding]:
    """No view that is kept ever shows any of it."""
    for layer in known.shown:
        seen = [each for each in known.seen(layer) if len(each[0])]
        if not seen:
            continue
        places, reach = (np.concatenate([each[k] for each in seen]) for k in (0, 1))
        radii = 0.5 * np.linalg.norm(reach, axis=1)
        if any(within(view, places, radii).any() for view in known.views):
            continue
        camera = framed(known.views[0].camera, places, radii, SCREEN[0] / SCREEN[1])
        told = "the view" if len(known.views) == 1 else f"any of the {len(known.views)} views"
        middle = 0.5 * (places.min(axis=0) + places.max(axis=0))
        said = f"it is never inside {told} kept: it is about {' / '.join(f'{x:.2g}' for x in middle)} m"
        yield Finding(
            layer.id,
            ("place",),
            said,
            (_keep_view(layer.name, camera), setting("bring it to the middle", layer, ("place",), (0.0, 0.5, 0.0))),
        )


def within(view: View, places: np.ndarray, radii: np.ndarray) -> np.ndarray:
    """(n,) whether balls are inside a view."""
    shown = view.project(places, *SCREEN)
    deep = np.maximum(shown[:, 2], 1e-6)
    grown = radii / (deep * view.half_height) * SCREEN[1] / 2
    inside = (shown[:, 0] > -grown) & (shown[:, 0] < SCREEN[0] + grown)
    return inside & (shown[:, 1] > -grown) & (shown[:, 1] < SCREEN[1] + grown) & (shown[:, 2] > 0)


def _keep_view(name: str, camera: Camera) -> Mend:
    kept = replace(camera, name=name)
    return Mend("keep a view that shows it", lambda effect: with_value(effect, ("stage", "cameras"), (*effect.stage.cameras, kept)))


def under_the_ground(known: Facts) -> Iterator[Finding]:
    """All of it lies under the ground."""
    for layer in known.shown:
        seen = [each for each in known.seen(layer) if len(each[0])]
        if not seen or not known.effect.stage.ground:
            continue
        flat = layer.look.drawn_as == "sprite" and layer.look.facing == "flat"
        tops = [places[:, 1] + (0.0 if flat else 0.5) * sizes.max(axis=1) for places, sizes, _ in seen]
        top = max(float(each.max()) for each in tops)
        if top < -_UNDER:
            x, y, z = layer.place
            raised = (x, round(y + math.ceil((0.005 - top) * 100) / 100, 3), z)
            said = f"all of it lies {-top:.2g} m under the ground and is not seen"
            yield Finding(layer.id, ("place",), said, (setting("raise it", layer, ("place",), raised),))


def cut_by_the_ground(known: Facts) -> Iterator[Finding]:
    """Cards that stand meet the ground in a hard line."""
    for layer in known.shown:
        look = layer.look
        if look.drawn_as != "sprite" or look.facing == "flat" or look.soft > 0 or look.blend == "cut-out":
            continue
        seen = [each for each in known.seen(layer) if len(each[0])]
        if not seen:
            continue
        places, sizes = (np.concatenate([each[k] for each in seen]) for k in (0, 1))
        large = sizes[:, 1] > _HARD
        foot = places[:, 1] - 0.5 * (1 + look.pivot) * sizes[:, 1]
        cut = large & (foot < -0.1 * sizes[:, 1]) & (foot > -0.9 * sizes[:, 1])
        if cut.mean() > 0.1:
            soft = round(0.25 * float(np.median(sizes[cut, 1])), 2)
            said = f"{cut.mean():.0%} of its cards are cut by the ground in a hard line"
            yield Finding(layer.id, ("look", "soft"), said, (setting(f"soft over {soft:g} m", layer, ("look", "soft"), soft),))


def flickers_on_a_surface(known: Facts) -> Iterator[Finding]:
    """A flat card as high as what it lies on: a game draws now the one, now the other."""
    tops = {GROUND: 0.0} | {
        prop.name: prop.place[1] + (prop.size[1] / 2 if prop.shape in ("box", "cylinder") else 0.0)
        for prop in known.effect.stage.props
        if prop.solid and prop.shape in ("box", "cylinder", "plane") and not any(prop.turn)
    }
    for layer in known.shown:
        if layer.look.drawn_as != "sprite" or layer.look.facing != "flat" or layer.look.pull > _LEVEL:
            continue
        heights = [places[:, 1] for places, _, _ in known.seen(layer) if len(places)]
        if not heights or layer.id in known.feeds or layer.contact.meets != "pass":
            continue
        height = float(np.median(np.concatenate(heights)))
        for name, top in tops.items():
            if abs(height - top) < _LEVEL:
                x, y, z = layer.place
                said = f"it lies as high as {'the ' if name == GROUND else ''}{name}, so the two flicker in a game"
                mend = setting("lift it 1 cm", layer, ("place",), (x, round(y + top - height + 0.01, 4), z))
                yield Finding(layer.id, ("place",), said, (mend,), grave=False)
                break


def touches_nothing(known: Facts) -> Iterator[Finding]:
    """It is to meet things, but there are none where it goes."""
    stage = known.effect.stage
    there = {GROUND, *(prop.name for prop in stage.props)}
    for layer in known.shown:
        contact = layer.contact
        if contact.meets == "pass":
            continue
        passes = setting("let it pass", layer, ("contact", "meets"), "pass")
        lost = [name for name in contact.surfaces if name not in there]
        if lost:
            kept = tuple(name for name in contact.surfaces if name in there)
            said = f'there is no "{lost[0]}" on the stage to meet'
            what = "meet only " + ", ".join(kept) if kept else "meet everything"
            mend = setting(what, layer, ("contact", "surfaces"), kept)
            yield Finding(layer.id, ("contact", "surfaces"), said, (mend, passes))
            continue
        solid = [prop for prop in stage.props if prop.solid and (not contact.surfaces or prop.name in contact.surfaces)]
        frames = [each for each in known.frames(layer) if each.count]
        if solid or not frames:
            continue
        low = min(float(each.position[:, 1].min()) for each in frames)
        fall = max(float(-each.velocity[:, 1].min()) for each in frames) * known.span / len(known.moments)
        touch = touch_of(layer)
        if low - touch - fall > 0.05:
            said = f"it is to touch things, but never comes nearer to the ground than {low:.2g} m"
            yield Finding(layer.id, ("contact", "meets"), said, (passes,), grave=False)


def lost_names(known: Facts) -> Iterator[Finding]:
    """Anchors and props that are named and are not there."""
    stage = known.effect.stage
    grounds = {thing.name for thing in stage.grounds()}
    anchors = {anchor.name for anchor in stage.anchors}
    for layer in known.effect.layers:
        if layer.stands_on and layer.stands_on not in grounds:
            said = f'there is no "{layer.stands_on}" on the stage to stand on'
            yield Finding(layer.id, ("stands_on",), said, (setting("stand by itself", layer, ("stands_on",), ""),))
        for path in _anchor_fields(layer):
            name = getattr(getattr(layer.look, path[1]), path[2])
            if name and name not in anchors:
                mends = [setting(f"take {other}", layer, path, other) for other in sorted(anchors)[:2]]
                said = f'there is no anchor "{name}" on the stage'
                yield Finding(layer.id, path, said, (*mends, setting("name none", layer, path, "")))


def _anchor_fields(layer: Layer) -> tuple[tuple[str, str, str], ...]:
    fields = {"ribbon": ("first", "second"), "beam": ("start", "end")}
    kind = layer.look.drawn_as
    return tuple(("look", kind, name) for name in fields.get(kind, ()))


RULES = (out_of_sight, under_the_ground, cut_by_the_ground, flickers_on_a_surface, touches_nothing, lost_names)
