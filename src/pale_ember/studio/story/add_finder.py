"""What a chapter can say besides: all its fields in their groups, found by any word; choosing one puts it there."""

from __future__ import annotations

from collections.abc import Callable
from typing import get_origin

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.fields import Part, fields_of, inner_part, kinds_of
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.properties import PROPERTIES
from pale_ember.core.effect.story import PLACE, chapter_of, kind_of, title_of
from pale_ember.core.insight.search import Entry, FieldPlace, field_entries, ranked
from pale_ember.studio.controls.finder import Finder
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.edit_target import now_of
from pale_ember.studio.fields.wish_offers import WishOffers
from pale_ember.studio.kit.popups import on_screen, room_beside

_WIDTH = 400


def _list_of(chapter: str) -> tuple[str, type[Part]] | None:
    """The list that a chapter has besides its fields, and the kind of part it holds; Life's are lanes."""
    for name, declared in fields_of(kind_of(chapter)).items() if chapter not in ("life", PLACE) else ():
        kind = inner_part(declared)
        if kind is not None and get_origin(declared.type) is tuple:
            return name, kind
    return None


def parts_to_add(chapter: str, add: Callable[[str, type[Part], dict], None]) -> list[Entry]:
    """What can be added to the list of a chapter, a line each."""
    listed = _list_of(chapter)
    if listed is None:
        return []
    name, kind = listed
    if kind is Rule:
        whens = fields_of(Rule)["when"]
        return [
            Entry(
                f"when it {word}" if word in ("touches", "ends") else f"when {word}" if word == "born" else word,
                "another rule",
                ("sub-emitter", "children", "spawn"),
                help_,
                lambda word=word: add(name, kind, {"when": word}),
            )
            for word, help_ in zip(whens.type.__args__, whens.field.options, strict=True)
        ]
    if kind is Burst:
        return [Entry("a burst", "another", ("explosion", "at once"), "Particles born all at once.", lambda: add(name, kind, {}))]
    return [
        Entry(word, "another force", ("force",), (each.__doc__ or "").strip(), lambda each=each: add(name, each, {}))
        for word, each in kinds_of(kind).items()
    ]


def lanes_to_add(missing: list[str], add: Callable[[str], None], more: Callable[[str], None]) -> list[Entry]:
    """What can change over age or another axis, a line each: the lanes of everyday that are missing, and all others."""
    fields = fields_of(fields_of(Layer)["life"].type)
    everyday = [
        Entry(fields[name].field.label, "over age", fields[name].field.words, fields[name].field.help, lambda name=name: add(name))
        for name in missing
    ]
    words = fields["more"].field.words
    return everyday + [
        Entry(name, "over age, speed, distance, time or camera", words, what.help, lambda name=name: more(name))
        for name, what in PROPERTIES.items()
    ]


class AddFinder(Finder):
    """The list of a chapter's fields and of what can be added to it; others are found below, with where they stand."""

    chosen = pyqtSignal(object)
    """A Target."""

    def __init__(self, parent: QWidget, desk: Desk, chapter: str, parts: list[Entry], elsewhere: list[Entry] | None = None) -> None:
        title = title_of(chapter)
        super().__init__(parent, f"add to {title}", f"add to {title}: type any word for it", _WIDTH)
        self.desk, self.parts = desk, parts
        self.wished = WishOffers(desk, chapter)
        entries = [entry for entry in field_entries() if isinstance(entry.does, FieldPlace)]
        self._here = [entry for entry in entries if self._stands_here(entry.does, chapter)]
        others = [
            entry
            for entry in entries
            if entry not in set(self._here) and (entry.does.kind is not Layer or chapter_of(entry.does.path) != chapter)
        ]
        self._elsewhere = [*(elsewhere or []), *others]
        self.sift()

    @staticmethod
    def _stands_here(place: FieldPlace, chapter: str) -> bool:
        """Whether a field is the chapter's own: those of its lists come with what is added."""
        inside = (_list_of(chapter) or ("",))[0]
        return (
            chapter != "life"
            and place.kind is Layer
            and chapter_of(place.path) == chapter
            and place.path[:-1] != (chapter,) + (inside,)
            and inside not in place.path[1:]
        )

    def found(self, text: str) -> list[Entry]:
        if not text:
            return [*self._here, *self.parts]
        wishes = self.wished.entries(text)
        if self.wished.several:
            return wishes
        return [*wishes, *ranked(text, [*self._here, *self.parts]), *ranked(text, self._elsewhere, most=5)]

    def lost(self) -> list[tuple[int, int]]:
        return self.wished.lost

    def turn(self, entry: Entry) -> bool:
        return self.wished.turn(entry)

    def now(self, entry: Entry) -> str:
        return now_of(entry.does, self.desk) if isinstance(entry.does, FieldPlace) else self.wished.now(entry)

    def take(self, entry: Entry) -> None:
        if isinstance(entry.does, FieldPlace):
            self.chosen.emit(Target(entry.does.kind, entry.does.path, entry.title))
        elif self.wished.take(entry) is None:
            entry.does()

    def open_above(self, anchor: QWidget) -> None:
        """Opens where its whole list has room, beside what opened it."""
        screen = anchor.screen().availableGeometry()
        self.move(room_beside(on_screen(anchor), self.size(), screen))
        self._foot = self.geometry().bottom()
        self._above = self._foot < on_screen(anchor).top() + 1
        self.show()
        self.line.setFocus()

    def sift(self) -> None:
        """Sifts; a list that stands above what opened it keeps its foot there."""
        super().sift()
        if getattr(self, "_above", False):
            self.move(self.x(), self._foot - self.height() + 1)
