"""One search for everything: fields by any word for them with what they are now, commands with their keys, layers,
starting points, effects of the quay. Return goes there; a value behind the words is set there."""

from __future__ import annotations

import re
from functools import partial
from typing import Any, Literal, get_args, get_origin

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.edit import value_at
from pale_ember.core.effect.values import PerAxis, Range
from pale_ember.core.insight.search import Entry, Place, field_entries, ranked
from pale_ember.core.insight.sentences import sentence, value_told
from pale_ember.core.texture.library import PICTURES
from pale_ember.formats.document import called
from pale_ember.studio.controls.arithmetic import NotANumber
from pale_ember.studio.controls.finder import Finder
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.said import value_said
from pale_ember.studio.fields.subject import Subject, nearness_of, now_of, subject_of
from pale_ember.studio.kit.popups import on_screen
from pale_ember.studio.layers.starts import every_start
from pale_ember.studio.shell import guide
from pale_ember.studio.shell.files import demo_effects
from pale_ember.studio.stage.transport import WAYS

_WIDTH = 560
_IDLE = 2
"""How far the fields are that are there, though they have no effect."""
_VALUE = re.compile(r"^(?P<words>.*?\S)\s+(?P<value>(?:[*/]|[-+]=)?\s*[-+(.]?[\d.].*)$")
"""Words, and behind them something that begins like a number, or like a change of one."""


class Search(Finder):
    """One search for everything. Emits `sought(Target)` for fields; others are simply done."""

    sought = pyqtSignal(object)

    def __init__(self, desk: Desk, parent: QWidget, others: list[Entry]) -> None:
        super().__init__(parent, "search", "find anything: bloom, flipbook, rate 60, save…", _WIDTH)
        self.desk, self.others = desk, others

    def open_over(self, anchor: QWidget) -> None:
        """Opens in the upper middle of a widget."""
        box = on_screen(anchor)
        self.move(box.center().x() - self.width() // 2, box.top() + 60)
        self.show()
        self.line.setFocus()

    def asked(self) -> tuple[str, str]:
        """The words that were typed, and the number behind them, if any."""
        match = _VALUE.match(self._text())
        return (match["words"], match["value"]) if match else (self._text(), "")

    def _text(self) -> str:
        return " ".join(self.line.text().split())

    def found(self, text: str) -> list[Entry]:
        words, value = self.asked()
        nearness = lambda entry: nearness_of(entry.does, self.desk) if isinstance(entry.does, Place) else 0  # noqa: E731
        if value:
            # What is not there cannot be set, and what cannot be typed is not offered.
            there = [entry for entry in field_entries() if _numeric(entry) and nearness(entry) <= _IDLE]
            return ranked(words, there, nearness=nearness)
        told: dict[str, list[Entry]] = {}
        for entry in field_entries():
            if isinstance(entry.does, Place) and get_origin(entry.does.declared.type) is Literal:
                for option in get_args(entry.does.declared.type):
                    if self._text().lower().endswith(f" {option.lower()}"):
                        told.setdefault(option, []).append(entry)
        chosen = [
            entry
            for option, fields in told.items()
            for entry in ranked(self._text()[: -len(option)], fields, nearness=nearness)
        ]
        rest = ranked(words, [*field_entries(), *self.others], nearness=nearness)
        switched = ranked(
            words.rpartition(" ")[0], [entry for entry in field_entries() if _is_switch(entry)], nearness=nearness
        )
        switched = [entry for entry in switched if self.typed_for(entry)]
        return list(dict.fromkeys([*chosen, *switched, *rest]))

    def typed_for(self, entry: Entry) -> str:
        """What of the text is a value for an entry: the number behind the words, or an option or a switch in the last of them."""
        if not isinstance(entry.does, Place):
            return ""
        if _numeric(entry):
            return self.asked()[1]
        words = self._text().split(" ")
        for count in range(min(len(words) - 1, 4), 0, -1):
            typed = " ".join(words[-count:])
            if ranked(" ".join(words[:-count]), [entry]) and self._value(entry, typed) is not None:
                return typed
        return ""

    def _value(self, entry: Entry, typed: str) -> object:
        """The value that a text gives a field; None where it gives none."""
        try:
            return self._said(entry.does, typed)[2]
        except NotANumber:
            return None

    def _said(self, place: Place, typed: str) -> tuple[Subject, tuple, object]:
        """Whose field it is, its path there, and the value that a text gives it. Raises NotANumber."""
        subject = subject_of(place, self.desk)
        held = None if subject.root is None else place.found_in(subject.root)
        if held is None:
            raise NotANumber(f"there is no {place.declared.field.label} to be set")
        path, holder, now = held
        return subject, path, value_said(typed, place.declared, place.declared.field.unit_of(holder), now)

    def now(self, entry: Entry) -> str:
        """What an entry is now, and what it becomes: a field its value, or that it has no effect; a command its keys."""
        if not isinstance(entry.does, Place):
            return entry.keys
        now, typed = now_of(entry.does, self.desk), self.typed_for(entry)
        if not typed or nearness_of(entry.does, self.desk) > _IDLE:
            return now
        try:
            subject, path, value = self._said(entry.does, typed)
        except NotANumber as problem:
            return f"{now.partition(' · ')[0]} · {problem}"
        unit = entry.does.declared.field.unit_of(value_at(subject.root, path[:-1]))
        return f"{now.partition(' · ')[0]} → {value_told(value, unit)}"

    def take(self, entry: Entry) -> None:
        if not isinstance(entry.does, Place):
            entry.does()
            return
        typed = self.typed_for(entry)
        if typed:
            try:
                subject, path, value = self._said(entry.does, typed)
            except NotANumber as problem:
                self.desk.hinted.emit(f"{entry.title}: {problem}", None)
                return
            subject.change(entry.title, path, value)
        self.sought.emit(Target(entry.does.kind, entry.does.path, entry.title))


def everything(window: Any) -> list[Entry]:
    """What can be found besides fields: commands, layers, ways of looking, starting points, effects of the quay."""
    desk, add = window.desk, window.layers.table.add
    entries = [
        Entry(command.words, "command", (*command.keys, *command.also), "", command.does, ", ".join(command.keys))
        for command in window.commands
    ]
    for layer in desk.effect.layers:
        told_look = sentence("look", desk.effect, layer)
        entries.append(Entry(layer.name, "layer", (), told_look, lambda layer=layer: desk.select(layer.id)))
    for shows, text in WAYS.items():
        entries.append(
            Entry(
                shows,
                "way of looking",
                (text, "view mode"),
                f"Shows {text}.",
                lambda shows=shows: desk.looking.look_at(shows),
            )
        )
    for name, start in every_start().items():
        entries.append(
            Entry(
                f"add {name}",
                "starting point",
                ("new layer", "emitter", *start.words),
                start.help,
                lambda name=name: add(name),
            )
        )
    wear = window.story.wear
    for name, painted in PICTURES.items():
        told = f"For {painted.suits}."
        entries.append(
            Entry(f"picture {name}", "library", (painted.suits, "texture", "card"), told, partial(wear, name))
        )
    for place in guide.told():
        if place.heading != "Keys":
            opens_at = partial(window.open_guide, place)
            where = "guide" if place.title == place.heading else f"guide › {place.heading}"
            entries.append(Entry(place.title, where, ("help", "how to"), place.text, opens_at))
    for path in demo_effects():
        opens = partial(window.files.open_copy, path)
        entries.append(Entry(f"open {called(path)}", "effect of the quay", ("demo", "example"), "Opens a copy.", opens))
    return entries


def _numeric(entry: Entry) -> bool:
    """Whether numbers can be typed into a field as it stands."""
    if not isinstance(entry.does, Place):
        return False
    declared = entry.does.declared
    kinds = {declared.type, *get_args(declared.type)}
    return bool(kinds & {int, float, Range, PerAxis}) and not declared.field.colour


def _is_switch(entry: Entry) -> bool:
    return isinstance(entry.does, Place) and entry.does.declared.type is bool
