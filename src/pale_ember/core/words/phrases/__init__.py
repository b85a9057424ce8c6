"""What people say in other words than a field and its value, and what sentences tell, a file for each chapter: `30 at once at 0.2 s`,
`fades in and out`, `vortex 3`, `on 6 places in a ring`, `spawns embers, 4 at a touch`."""

from __future__ import annotations

from pale_ember.core.words.phrases import birth, contact, forces, life, look, offspring, outlet, place
from pale_ember.core.words.scene import Scene, Wish

PHRASES = tuple(each for file in (place, outlet, birth, life, forces, contact, offspring, look) for each in file.PHRASES)


def phrases(scene: Scene, text: str, at: int) -> tuple[int, list[Wish]] | None:
    """The longest phrase that begins at a place of a text, and what it means."""
    best: tuple[int, list[Wish]] | None = None
    for phrase in PHRASES:
        said = phrase.said.match(text, at)
        if said is not None and (best is None or said.end() > best[0]) and (wish := phrase.wish(scene, said)) is not None:
            best = said.end(), [wish]
    return best
