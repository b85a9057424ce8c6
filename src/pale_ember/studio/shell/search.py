"""One search for everything: fields by any word for them with what they are now, commands with their keys, layers,
starting points, effects of the quay. Return goes there; a value behind the words is set there."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from pale_ember.core.insight.search import Entry, FieldPlace, field_entries, ranked
from pale_ember.core.insight.sentences import sentence
from pale_ember.core.texture.library import PICTURES
from pale_ember.core.words.wishes import nearness as field_nearness
from pale_ember.formats.document import called
from pale_ember.studio.controls.finder import Finder
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.edit_target import now_of
from pale_ember.studio.fields.wish_offers import WishOffers
from pale_ember.studio.kit import appearance, theme
from pale_ember.studio.kit.popups import on_screen
from pale_ember.studio.kit.saved_items import every_start
from pale_ember.studio.shell import guide
from pale_ember.studio.shell.files import demo_effects
from pale_ember.studio.shell.header import WISHES
from pale_ember.studio.stage.transport import WAYS

_WIDTH = 620


class Search(Finder):
    """One search for everything. Emits `sought(Target)` for fields; others are simply done."""

    sought = pyqtSignal(object)

    def __init__(self, desk: Desk, parent: QWidget, others: list[Entry]) -> None:
        super().__init__(parent, "search", WISHES[0], _WIDTH)
        self.desk, self.others = desk, others
        self.wished = WishOffers(desk)

    def open_over(self, anchor: QWidget) -> None:
        """Opens with its line over the one that stands above."""
        box, screen = on_screen(anchor), anchor.screen().availableGeometry()
        left = min(max(box.center().x() - self.width() // 2, screen.left()), screen.right() + 1 - self.width())
        self.move(left, box.center().y() - 10 - self.line.height() // 2)
        self.show()
        self.line.setFocus()

    def found(self, text: str) -> list[Entry]:
        wishes = self.wished.entries(text)
        if self.wished.several:
            return wishes
        scene = self.wished.scene()
        nearness = lambda entry: field_nearness(entry.does, scene) if isinstance(entry.does, FieldPlace) else 0  # noqa: E731
        meant = {(wish.does.kind, wish.does.path) for wish in wishes}
        rest = ranked(text, [*field_entries(), *self.others], nearness=nearness)
        return [*wishes, *(e for e in rest if not isinstance(e.does, FieldPlace) or (e.does.kind, e.does.path) not in meant)]

    def lost(self) -> list[tuple[int, int]]:
        return self.wished.lost

    def turn(self, entry: Entry) -> bool:
        return self.wished.turn(entry)

    def now(self, entry: Entry) -> str:
        """What an entry is now, and what it becomes: a field its value, or that it has no effect; a command its keys."""
        return now_of(entry.does, self.desk) if isinstance(entry.does, FieldPlace) else self.wished.now(entry) or entry.keys

    def take(self, entry: Entry) -> None:
        if isinstance(entry.does, FieldPlace):
            self.desk.touch(entry.does.path)
            self.sought.emit(Target(entry.does.kind, entry.does.path, entry.title))
        elif self.wished.take(entry) is None:
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
            Entry(shows, "way of looking", (text, "view mode"), f"Shows {text}.", lambda shows=shows: desk.looking.look_at(shows))
        )
    for name, start in every_start().items():
        entries.append(
            Entry(f"add {name}", "starting point", ("new layer", "emitter", *start.words), start.help, lambda name=name: add(name))
        )
    for name, _ in appearance.choices():
        entries.append(
            Entry(
                f"appearance {name}",
                "appearance",
                ("theme", "dark", "contrast", "font", "zoom", "text size"),
                "Colours of the window." if name in theme.DRESSES else "Text size, from the next start on.",
                lambda name=name: window.hints.show_hint(appearance.choose(name, window)),
            )
        )
    wear = window.story.wear
    for name, painted in PICTURES.items():
        told = f"For {painted.suits}."
        entries.append(Entry(f"picture {name}", "library", (painted.suits, "texture", "card"), told, partial(wear, name)))
    for place in guide.told():
        if place.heading != "Keys":
            opens_at = partial(window.open.guide, place)
            where = "guide" if place.title == place.heading else f"guide › {place.heading}"
            entries.append(Entry(place.title, where, ("help", "how to"), place.text, opens_at))
    for path in demo_effects():
        opens = partial(window.files.open_copy, path)
        entries.append(Entry(f"open {called(path)}", "effect of the quay", ("demo", "example"), "Opens a copy.", opens))
    return entries
