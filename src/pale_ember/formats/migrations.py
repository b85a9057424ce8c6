"""From each version of the document to the next, on its plain JSON values, one step at a time.

A step takes what an older version could hold, also where it is faulty: what it does not know it leaves as it is, and the
reader says what is wrong with it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

Json = dict[str, Any]


def within(raw: Any, path: tuple[str, ...], change: Callable[[Json], Json]) -> Any:
    """`raw` with `change` made to every object at a path of names; "*" stands for each member of a list."""
    if not path:
        return change(raw) if isinstance(raw, dict) else raw
    name, rest = path[0], path[1:]
    if name == "*":
        return [within(member, rest, change) for member in raw] if isinstance(raw, list) else raw
    if not isinstance(raw, dict) or name not in raw:
        return raw
    return {**raw, name: within(raw[name], rest, change)}


def renamed(names: dict[str, str], words: dict[str, dict[str, str]] | None = None) -> Callable[[Json], Json]:
    """A change that gives fields new names, and their choices new words, by the new names."""
    words = words or {}

    def change(raw: Json) -> Json:
        fields = {names.get(name, name): value for name, value in raw.items()}
        for name, choices in words.items():
            value = fields.get(name)
            if isinstance(value, str):
                fields[name] = choices.get(value, value)
        return fields

    return change


def _first_to_second(raw: Json) -> Json:
    """What happens at the ground became what happens at any touch: a stage had no other surface then."""
    return within(raw, ("layers", "*", "contact"), renamed({"ground": "meets"}))


_FORMS = {"ball": "sphere", "drum": "cylinder"}
_SOLIDS = {"solid:ball": "solid:sphere", "solid:drum": "solid:cylinder", "solid:block": "solid:box"}
_REGIONS = {"in a ball": "in a sphere", "in a block": "in a box"}
_STACKINGS = {
    "far to near": "near on top",  # own-words: ok (read from older documents)
    "oldest first": "as born",  # own-words: ok (likewise)
    "youngest first": "old on top",  # own-words: ok (likewise)
}

_THIRD: tuple[tuple[tuple[str, ...], Callable[[Json], Json]], ...] = (
    ((), renamed({"same": "identical"})),
    (("layers", "*", "outlet"), renamed({"rate_is": "rate_counts", "flow": "rate_curve"})),
    (("layers", "*", "outlet", "bursts", "*"), renamed({"time": "first_at", "repeats": "times"})),
    (("layers", "*", "birth"), renamed({"sideways": "around", "carried": "inherited"})),
    (("layers", "*", "life", "more", "*"), renamed({"instead": "replaces"}, {"drives": {"haze": "heat shimmer"}})),
    (("layers", "*", "forces", "more", "*"), renamed({"calm": "gustiness"}, {"region": _REGIONS})),
    (("layers", "*", "contact"), renamed({"least_speed": "minimum_speed"})),
    (
        ("layers", "*", "offspring", "rules", "*"),
        renamed(
            {"each": "interval", "least_impact": "minimum_impact"}, {"when": {"every metre": "by distance", "every second": "by time"}}
        ),
    ),
    (
        ("layers", "*", "look"),
        renamed(
            {
                "order": "stacking",
                "near_fade": "fade_near",  # own-words: ok (likewise)
                "nearer": "pull",
                "wear": "dissolve",
            },
            {"stacking": _STACKINGS},
        ),
    ),
    (("layers", "*", "look", "dissolve"), renamed({"eaten_by": "picture", "dissolve": "amount"})),
    (("layers", "*", "look", "surface"), renamed({"haze": "shimmer"})),
    (("layers", "*", "look", "ribbon"), renamed({}, {"texture": {"stretched": "once"}})),
    (("stage",), renamed({"below": "bottom", "above": "top"}, {"tone": {"filmic": "rolled off", "plain": "clipped"}})),
    (("stage", "props", "*"), renamed({"form": "shape"}, {"shape": _FORMS})),
    (("stage", "cameras", "*"), renamed({"lens": "fov"})),
    (("stage", "game"), renamed({"lens": "fov"})),
)
"""What got another name in version 3, by its place."""


def _beam(raw: Json) -> Json:
    """A beam's bends became its bow, its two widths a curve; how many pieces it has is found by itself."""
    beam = {name: value for name, value in raw.items() if name not in _OF_BEAMS}
    if "bend_start" in raw or "bend_end" in raw:
        beam["bow"] = [raw.get("bend_start", 0.5), raw.get("bend_end", 0.5)]
    widths = [raw.get("width_start", 1.0), raw.get("width_end", 1.0)]
    if widths != [1.0, 1.0]:
        beam["width"] = {"keys": [{"at": at, "value": width, "ease": "straight"} for at, width in enumerate(widths)]}
    return beam


_OF_BEAMS = ("bend_start", "bend_end", "width_start", "width_end", "segments")


_PICTURES = ("picture", "vectors", "second", "warp", "density", "eaten_by")


def _key(raw: Json) -> Json:
    """A curve's key: its two slopes stand together, where it has any."""
    slopes = {new: raw[old] for old, new in (("arrive", "before"), ("leave", "after")) if old in raw}
    key = {name: value for name, value in raw.items() if name not in ("arrive", "leave")}
    return {**key, "slope": slopes} if slopes and raw.get("ease") == "handles" else key


def _everywhere(value: Any) -> Any:
    """The keys of every curve, and what stands for pictures of the library and built-in solids."""
    if isinstance(value, list):
        return [_everywhere(member) for member in value]
    if not isinstance(value, dict):
        return value
    fields = {name: _everywhere(member) for name, member in value.items()}
    for name in _PICTURES:
        picture = fields.get(name)
        if isinstance(picture, str) and picture.startswith("card:"):
            fields[name] = "library:" + picture.removeprefix("card:")
    if isinstance(fields.get("mesh"), str):
        fields["mesh"] = _SOLIDS.get(fields["mesh"], fields["mesh"])
    return within(fields, ("keys", "*"), _key)


def _touching(raw: Json) -> Json:
    """A particle's middle touched where no radius was told; since then half its size does."""
    meets = raw.get("meets", "pass")
    return raw if "radius" in raw or meets == "pass" else {**raw, "radius": 0.0}


def _second_to_third(raw: Json) -> Json:
    """Words of our own, and such as anybody understands; a beam told by its bow and a curve of its width."""
    raw = _everywhere(within(raw, ("layers", "*", "look", "beam"), _beam))
    raw = within(raw, ("layers", "*", "contact"), _touching)
    for path, change in _THIRD:
        raw = within(raw, path, change)
    return raw


def _third_to_fourth(raw: Json) -> Json:
    """The trade's words for a tone and for a step of a recipe; stages stay as they were seen."""
    raw = within(raw, ("stage",), renamed({}, {"tone": {"rolled off": "filmic"}}))
    raw = within(raw, ("stage",), lambda stage: {"paving": "grid", "tone": "filmic"} | stage)
    kinds = renamed({}, {"kind": {"ground away": "remove background"}})
    raw = within(raw, ("recipes", "*", "steps", "*"), lambda step: {"fits": False} | step if step.get("kind") == "gas" else step)
    return within(raw, ("recipes", "*", "steps", "*"), kinds)


MIGRATIONS: dict[int, Callable[[Json], Json]] = {1: _first_to_second, 2: _second_to_third, 3: _third_to_fourth}
"""From a version to the next, by the version read."""
