"""What is known of the effects of a folder, kept from one time to the next: nothing that did not change is read twice."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from pathlib import Path

import msgspec
from msgspec.structs import replace

from pale_ember import __version__
from pale_ember.folder.listing import EffectCard, effects_in, stamp_of
from pale_ember.formats.disk import write_whole
from pale_ember.machine import user_folders


class _Kept(msgspec.Struct):
    version: str
    cards: list[EffectCard]


def kept_place(folder: Path) -> Path:
    """Where what is known of a folder is kept."""
    return user_folders.cache() / "folders" / hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:24]


def _version() -> str:
    return f"{__version__} 3"


def stamps_in(folder: Path) -> dict[str, tuple[int, int]]:
    """By the names of the effects below a folder, what changes when their files do."""
    found = {}
    for name in effects_in(folder):
        try:
            found[name] = stamp_of(folder / f"{name}.pale")
        except OSError:
            found[name] = UNREAD
    return found


UNREAD = (0, 0)
"""The stamp of what is still to be read."""


class FolderIndex:
    """The cards of a folder, and what was known of them before."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.cards: dict[str, EffectCard] = {}
        """By name, in the order of the folder; those not yet read say so by a stamp of nothing."""
        self._before = {card.name: card for card in self._read()}
        self._written = False

    def _read(self) -> list[EffectCard]:
        try:
            kept = msgspec.json.decode((kept_place(self.folder) / "cards.json").read_bytes(), type=_Kept)
        except (OSError, msgspec.MsgspecError):
            return []
        return kept.cards if kept.version == _version() else []

    def list(self, stamps: Mapping[str, tuple[int, int]]) -> list[str]:
        """Takes what lies in the folder, as `stamps_in` found it; the names of what is new or changed."""
        known = {**self._before, **self.cards}
        cards, wanted = {}, []
        for name, stamp in stamps.items():
            card = known.get(name)
            if card is None or card.stamp != stamp:
                wanted.append(name)
                # What was known of it holds until it has been read again.
                card = replace(card, stamp=UNREAD) if card else EffectCard(name, UNREAD, title=Path(name).name, words=name.lower())
            cards[name] = card
        self._written = self._written and cards == self.cards
        self.cards = cards
        return wanted

    @property
    def unread(self) -> bool:
        """Whether some effects are still to be read: then nobody can say who uses what."""
        return any(card.stamp == UNREAD for card in self.cards.values())

    def take(self, card: EffectCard) -> None:
        """Takes what was read of an effect, or what was seen of it besides."""
        known = self.cards.get(card.name)
        if known is None:
            return
        self.cards[card.name] = card if card.figures is not None else replace(card, figures=known.figures)
        self._written = False

    def keep(self) -> None:
        """Keeps what is known; where that cannot be, it is read again next time."""
        if self._written:
            return
        known = [card for card in self.cards.values() if card.stamp != UNREAD or card.figures is not None]
        place = kept_place(self.folder)
        try:
            place.mkdir(parents=True, exist_ok=True)
            write_whole(place / "cards.json", msgspec.json.encode(_Kept(_version(), known)))
        except OSError:
            return
        self._written = True
        named = {card.figures.picture for card in known if card.figures is not None}
        for path in place.glob("*.webp"):
            if path.stem not in named:
                path.unlink(missing_ok=True)
