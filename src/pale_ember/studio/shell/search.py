"""One search for everything: fields by any word for them with what they are now, commands with their keys, layers,
starting points, effects of the quay. Return goes there; a value behind the words is set there."""

from __future__ import annotations

import re
from functools import partial
from typing import Any, Literal, get_args, get_origin

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from pale_ember.core.effect.values import Range, Vector
from pale_ember.core.insight.search import Entry, Place, field_entries, ranked
from pale_ember.core.insight.sentences import sentence
from pale_ember.core.texture.library import PICTURES
from pale_ember.formats.document import called
from pale_ember.studio.controls.finder import Finder
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.subject import now_of
from pale_ember.studio.kit.popups import on_screen
from pale_ember.studio.layers.starts import every_start
from pale_ember.studio.shell import guide
from pale_ember.studio.shell.files import demo_effects
from pale_ember.studio.stage.transport import WAYS

_WIDTH = 560
_VALUE = re.compile(r"^(?P<words>.*?\S)\s+(?P<value>[-+(.]?[\d.].*)$")
"""Words, and behind them something that begins like a number."""


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
        """The words that were typed, and the value behind them, if any."""
        text = self.line.text().strip()
        match = _VALUE.match(text)
        return (match["words"], match["value"]) if match else (text, "")

    def found(self, text: str) -> list[Entry]:
        words, value = self.asked()
        if value:
            return ranked(words, [entry for entry in field_entries() if _settable(entry)])
        told: dict[str, list[Entry]] = {}
        for entry in field_entries():
            if option := self._option(entry):
                told.setdefault(option, []).append(entry)
        chosen = [entry for option, fields in told.items() for entry in ranked(self._text()[: -len(option)], fields)]
        rest = ranked(words, [*field_entries(), *self.others])
        return [*chosen, *(entry for entry in rest if entry not in chosen)]

    def _text(self) -> str:
        return " ".join(self.line.text().split())

    def _option(self, entry: Entry) -> str:
        """The option of a choice that stands behind the words, "" where none does."""
        if not isinstance(entry.does, Place) or get_origin(entry.does.declared.type) is not Literal:
            return ""
        text = self._text().lower()
        return next((one for one in get_args(entry.does.declared.type) if text.endswith(f" {one.lower()}")), "")

    def now(self, entry: Entry) -> str:
        """What an entry is now: a field its value, or that it has no effect; a command its keys."""
        if not isinstance(entry.does, Place):
            return entry.keys
        now, typed = now_of(entry.does, self.desk), self.asked()[1] or self._option(entry)
        return f"{now.partition(' · ')[0]} → {typed}" if typed and now else now

    def take(self, entry: Entry) -> None:
        if isinstance(entry.does, Place):
            self.sought.emit(
                Target(entry.does.kind, entry.does.path, entry.title, self.asked()[1] or self._option(entry))
            )
        else:
            entry.does()


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


def _settable(entry: Entry) -> bool:
    """Whether a number can be typed into a field as it stands."""
    if not isinstance(entry.does, Place):
        return False
    declared = entry.does.declared
    return declared.type in (int, float, Range) or (declared.type == Vector and not declared.field.colour)
