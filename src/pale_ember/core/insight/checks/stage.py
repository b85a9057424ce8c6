"""Rules of what a game will and will not have: names, props, files, and what it may cost."""

from __future__ import annotations

import re
from collections.abc import Iterator
from difflib import get_close_matches

from msgspec.structs import replace

from pale_ember.core.effect.edit import Path, credit_of, free_name, with_credit, with_value
from pale_ember.core.effect.files import files_of, meshes_of, pictures_of
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.reading import Problem
from pale_ember.core.effect.recipe.recipe import RECIPE
from pale_ember.core.effect.stage import GROUND, Anchor, Prop, Sun
from pale_ember.core.geometry.mesh import SOLID
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.finding import Finding, Mend, setting
from pale_ember.core.insight.thinning import with_fewer
from pale_ember.core.texture.library import PREFIX

_DUSK = 0.1
"""Light of sun and sky together, below which nothing is lit by them."""

LEGAL = re.compile(r"[A-Za-z_][A-Za-z0-9_.]{0,63}")
"""Names that every game takes: letters, digits, underscores and points, beginning with no digit."""


_FIELDS = {"end softly": "fade"}
"""Fields of events that are called otherwise than what they do."""


def legal(name: str) -> str:
    """The nearest name that every game takes."""
    told = re.sub(r"[^A-Za-z0-9_.]+", "_", name).strip("_") or "event"
    return (told if not told[0].isdigit() and told[0] != "." else f"_{told}")[:64]


def names_of_events(effect: Effect) -> Iterator[Finding]:
    """Names of events and cues that a game would not take, or would confuse."""
    events = [(("answers", _FIELDS.get(does, does)), name) for does, name in effect.answers.named().items()]
    cues = [(("cues", i, "name"), cue.name) for i, cue in enumerate(effect.cues)]
    for listed in (events, cues):
        seen: dict[str, str] = {}
        for path, name in listed:
            others = {other for _, other in listed if other != name}
            if not LEGAL.fullmatch(name):
                said = f'expected a name of letters, digits and underscores, found "{name}"'
                told = free_name(legal(name), list(others))
                yield Finding("", path, said, (setting(f"call it {told}", None, path, told),))
            plain = re.sub(r"[^a-z0-9]", "", name.lower())
            if plain in seen:
                said = f'expected names that nobody confuses, found "{name}" beside "{seen[plain]}"'
                told = next(new for k in range(2, 99) if (new := f"{legal(name)}_{k}") not in others)
                yield Finding("", path, said, (setting(f"call it {told}", None, path, told),))
            seen.setdefault(plain, name)


def name_problems(effect: Effect) -> list[Problem]:
    """The same, with places in words."""
    fields = {_FIELDS.get(does, does): does for does in effect.answers.named()}
    problems = []
    for finding in names_of_events(effect):
        head, at = finding.path[0], finding.path[1]
        place = f"cues[{at}]" if head == "cues" else f'events, "{fields[str(at)]}"'
        problems.append(Problem(place, f"{finding.said}; rename it", notice=True))
    return problems


def names(known: Facts) -> Iterator[Finding]:
    """Names that a game or a person confuses, or that are not there."""
    effect = known.effect
    yield from names_of_events(effect)
    cues = {cue.name for cue in effect.cues}
    for layer in effect.layers:
        if layer.outlet.on_cue and layer.outlet.on_cue not in cues:
            said = f'there is no cue "{layer.outlet.on_cue}", so it begins at once'
            take = [setting(f"at {name}", layer, ("outlet", "on_cue"), name) for name in sorted(cues)[:2]]
            none = setting("from the start", layer, ("outlet", "on_cue"), "")
            yield Finding(layer.id, ("outlet", "on_cue"), said, (*take, none))
    taken: list[str] = []
    for layer in effect.layers:
        if layer.name in taken:
            told = free_name(layer.name, [other.name for other in effect.layers])
            said = f'two layers are called "{layer.name}"'
            yield Finding(layer.id, ("name",), said, (setting(f"call it {told}", layer, ("name",), told),), grave=False)
        taken.append(layer.name)


def unknown_to_the_game(known: Facts) -> Iterator[Finding]:
    """Names that are not in the game's own list."""
    events = known.game.events
    if events is None:
        return
    effect = known.effect
    told: list[tuple[Path, str]] = [(("answers", _FIELDS.get(does, does)), name) for does, name in effect.answers.named().items()]
    told += [
        (("cues", i, "sound" if cue.sound else "name"), cue.sound or cue.name) for i, cue in enumerate(effect.cues) if cue.what == "sound"
    ]
    for path, name in told:
        if name in events:
            continue
        near = get_close_matches(name, events, 3, 0.4)
        said = f'the game knows {len(events)} names, and "{name}" is none of them'
        yield Finding("", path, said, tuple(setting(f"call it {each}", None, path, each) for each in near))


def missed_in_the_game(known: Facts) -> Iterator[Finding]:
    """What of the stage an effect hangs on, though nothing of the stage is handed over."""
    stage = known.effect.stage
    props = {prop.name: prop for prop in stage.props}
    for layer in known.shown:
        prop = props.get(layer.stands_on)
        if prop is not None:
            said = f"it stands on {prop.name}, a prop that no game has: anchors are handed over, by name"
            yield Finding(layer.id, ("stands_on",), said, (_anchored(prop, layer),), grave=False)
        told = [name for name in layer.contact.surfaces if name in props and name != GROUND]
        if layer.contact.meets != "pass" and told:
            said = f"it meets only {', '.join(layer.contact.surfaces)}, and no game has a {told[0]}"
            mend = setting("meet everything", layer, ("contact", "surfaces"), ())
            yield Finding(layer.id, ("contact", "surfaces"), said, (mend,), grave=False)


def lit_by_lamps_alone(known: Facts) -> Iterator[Finding]:
    """What takes its light from lamps of the stage, and would be dark in a game."""
    stage = known.effect.stage
    dark = stage.sun.power + stage.sun.sky < _DUSK
    if not dark or not any(lamp.power > 0 for lamp in stage.lamps):
        return
    for layer in known.shown:
        if layer.look.light.lit > 0.5 and layer.look.light.self_lit <= 0:
            said = "it is lit by lamps of the stage alone, which no game has"
            path = ("look", "light", "lit")
            mends = (setting("shine by itself", layer, path, 0.0), setting("a sun and a sky", None, ("stage", "sun"), Sun()))
            yield Finding(layer.id, path, said, mends, grave=False)


def wet_without_light(known: Facts) -> Iterator[Finding]:
    """Wet ground in which nothing can be seen."""
    stage = known.effect.stage
    wet = stage.mirrors and stage.paving != "water"
    if not wet or stage.sun.power + stage.sun.sky >= _DUSK or any(lamp.power > 0 for lamp in stage.lamps):
        return
    if any(layer.look.blend in ("additive", "premultiplied", "screen") for layer in known.shown):
        return
    mends = (setting("dry", None, ("stage", "wet"), 0.0), setting("a sun and a sky", None, ("stage", "sun"), Sun()))
    yield Finding("", ("stage", "wet"), "the ground is wet, and nothing is bright enough to be seen in it", mends, grave=False)


def beyond_every_target(known: Facts) -> Iterator[Finding]:
    """More lives at once than any target allows."""
    total = sum(known.peak(layer) for layer in known.shown)
    name, budget = max(known.game.targets.items(), key=lambda each: each[1].particles)
    if total <= budget.particles or not known.shown:
        return
    top = max(known.shown, key=known.peak)
    share = max((budget.particles - (total - known.peak(top))) / known.peak(top), 0.0) * 0.95
    said = f"{total} live at once, {budget.particles} may on any target ({name}): {top.name} has {known.peak(top)} of them"
    ids = [layer.id for layer in known.shown]
    evenly = 0.95 * budget.particles / total
    mends = [Mend("fewer of all, larger and stronger", lambda effect: with_fewer(effect, ids, evenly))]
    if share > 0:
        mends.insert(0, Mend(f"fewer of {top.name}, larger and stronger", lambda effect: with_fewer(effect, [top.id], share)))
    yield Finding(top.id, ("outlet", "rate"), said, tuple(mends), grave=False)


def _anchored(prop: Prop, layer: Layer) -> Mend:
    """The mend that puts an anchor where a prop is, and the layer on it."""

    def change(effect: Effect) -> Effect:
        name = free_name(f"{prop.name} anchor", [thing.name for thing in effect.stage.grounds()])
        anchor = Anchor(name=name, place=prop.place, turn=prop.turn, keys=prop.keys, carried=prop.carried)
        effect = with_value(effect, ("stage", "anchors"), (*effect.stage.anchors, anchor))
        return setting("", layer, ("stands_on",), name).change(effect)

    return Mend("stand on an anchor there", change)


def _worn(layer: Layer) -> list[str]:
    """The pictures and meshes of one layer."""
    alone = Effect(layers=(layer,))
    return [*pictures_of(alone), *meshes_of(alone)]


def files(known: Facts) -> Iterator[Finding]:
    """Pictures and meshes that cannot be had, or of which nobody knows whose they are."""
    effect, faults = known.effect, known.faults()
    for name in dict.fromkeys((*files_of(effect), *meshes_of(effect))):
        file = name.split("#")[0]
        wearing = next((layer for layer in effect.layers if name in _worn(layer)), None)
        if name in faults:
            mends: tuple[Mend, ...] = ()
            if wearing is not None and wearing.look.picture == name:
                mends = (setting("a soft dot instead", wearing, ("look", "picture"), "library:soft dot"),)
            yield Finding(wearing.id if wearing else "", ("look", "picture") if wearing else (), faults[name], mends)
        elif not file.startswith((PREFIX, RECIPE, SOLID)) and not credit_of(effect, file).licence:
            credit = replace(credit_of(effect, file), licence="own work")
            said = f"nobody has said under what licence {file} may be used"
            mend = Mend("it is our own work", lambda effect, credit=credit: with_credit(effect, credit))  # type: ignore[misc]
            path = ("look", "picture") if wearing is not None else ()
            yield Finding(wearing.id if wearing is not None else "", path, said, (mend,), grave=False)


RULES = (names, unknown_to_the_game, missed_in_the_game, lit_by_lamps_alone, wet_without_light, beyond_every_target, files)
