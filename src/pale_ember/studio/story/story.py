"""The story: the eight chapters of the selected layer, side by side along the bottom, and one of another layer beside them."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QApplication, QWidget

from pale_ember.core.effect.edit import Path, layer_of
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.shapes import extent_of
from pale_ember.core.effect.story import STORY, chapter_of
from pale_ember.core.effect.trims import trimmed
from pale_ember.core.insight.birth_draws import drawn_at_birth
from pale_ember.core.insight.chapter_summaries import BRIEFS
from pale_ember.core.insight.search import Entry
from pale_ember.core.insight.sentences import TOLD, Piece, Told
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.studio.controls.range_edit import RangeEdit
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.edit_target import OfLayer
from pale_ember.studio.fields.row import go_to
from pale_ember.studio.story.add_finder import AddFinder, lanes_to_add, parts_to_add
from pale_ember.studio.story.chapter import NOBODY, Chapter, ChapterRows, LookRows, PinnedChapter
from pale_ember.studio.story.chapter_strip import ChapterStrip
from pale_ember.studio.story.life_chapter import LifeBody
from pale_ember.studio.story.sentence_editor import SentenceEditor

MARKED = 48
"""Living particles marked on lanes and ranges; more would only blur."""
_GROWN = 0.05
"""Share by which a shape's room must have changed for the density to be worth a word."""


def _some(living: LayerFrame | None) -> slice:
    """The particles that are marked."""
    return slice(None) if living is None else slice(None, None, max(1, living.count // MARKED))


class Story(ChapterStrip):
    """All chapters of the selected layer, and one of another that is pinned beside them."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        chosen = OfLayer(desk)
        self.bodies = {name: self._body(name, chosen) for name in STORY}
        self.chapters = {name: Chapter(desk, name, body, chosen, getattr(body, "standing", None)) for name, body in self.bodies.items()}
        for name, chapter in self.chapters.items():
            self.strip.addWidget(chapter)
            chapter.expand_asked.connect(lambda name=name: self.expand(name))
            chapter.add_asked.connect(lambda name=name: self.open_adding(name))
            chapter.pin_asked.connect(lambda name=name: self.pin(name))
            chapter.sentence.sought.connect(self._sought)
            chapter.sentence.write_asked.connect(lambda name=name: self.write(name))
        self.bodies["life"].add_asked.connect(lambda: self.open_adding("life"))
        self._room: float | None = None
        """The room that the outlet's shape had when its births were last set."""
        self.chapters["outlet"].offer.clicked.connect(self.keep_density)
        desk.document.changed.connect(self._changed)
        desk.selected.connect(self._forget)
        desk.selected.connect(self.refresh)
        desk.document.opened.connect(self._forget)
        self.refresh()
        self._share_out()

    # Chapters --------------------------------------------------------------------------------------------------

    def _body(self, name: str, subject: OfLayer) -> Any:
        if name == "life":
            return LifeBody(self.desk, subject)
        if name == "look":
            return LookRows(self.desk, subject)
        return ChapterRows(self.desk, subject, name)

    def pin(self, name: str) -> PinnedChapter | None:
        """Keeps a chapter of the selected layer standing, beside that of whichever layer is selected next."""
        self.unpin()
        if self.desk.layer is None:
            return None
        subject = OfLayer(self.desk, self.desk.selection)
        body = self._body(name, subject)
        pinned = self.pinned = PinnedChapter(self.desk, name, body, subject, getattr(body, "standing", None))
        pinned.closed.connect(self.unpin)
        pinned.sentence.sought.connect(lambda path: self._sought_in(body, path))
        self.strip.insertWidget(self.strip.indexOf(self.chapters[name]) + 1, pinned)
        self._share_out()
        self.area.ensureWidgetVisible(pinned, 0, 0)
        self.refresh()
        return pinned

    def unpin(self) -> None:
        """Lets go of the chapter that was pinned."""
        if self.pinned is not None:
            pinned, self.pinned = self.pinned, None
            pinned.hide()
            pinned.setParent(None)
            pinned.deleteLater()
            for body in self.bodies.values():
                body.mark_differing(())
            self._share_out()

    def _changed(self, old: Effect, new: Effect) -> None:
        self._watch_density(old)
        self.refresh()

    def _watch_density(self, old: Effect) -> None:
        """Offers to keep the density where a shape has become wider or narrower."""
        layer, offer = self.desk.layer, self.chapters["outlet"].offer
        before = layer_of(old, self.desk.selection)
        if layer is None or before is None:
            offer.hide()
            return
        now, then = layer.outlet, before.outlet
        if (now.rate, now.bursts, now.per_metre) != (then.rate, then.bursts, then.per_metre):
            self._room = None
        elif self._room is None and extent_of(now) != extent_of(then):
            self._room = extent_of(then)
        grown = extent_of(now) / self._room if self._room else 1.0
        offer.setVisible(abs(grown - 1) > _GROWN and grown > 0)
        offer.show_text(f"keep the density: ×{grown:.2g}")
        offer.setToolTip(f"The shape has {grown:.3g} times as much room as before. Multiplies rate and bursts by as much.")

    def keep_density(self) -> None:
        """Multiplies births by how much the shape's room has grown."""
        layer = self.desk.layer
        if layer is not None and self._room:
            grown = extent_of(layer.outlet) / self._room
            after = trimmed(self.desk.effect, "density", grown, (layer.id,))
            self.desk.document.change(f"{layer.name}: keep the density", after)

    def refresh(self) -> None:
        """Shows the layer as it is."""
        layer = self.desk.layer
        if layer is None:
            self._empty()
            return
        self.setEnabled(True)
        for name, told in BRIEFS.items():
            self.line.names[name].tell(told(self.desk.effect, layer))
        for name, chapter in self.chapters.items():
            # What nobody sees is shown when it is scrolled to: rows of eight chapters at every edit take their time.
            self._stale.add(name)
            if self._seen(chapter):
                self._show(name)
        if self.pinned is not None:
            other = self.pinned.subject.root
            if other is None:
                self.unpin()
                return
            self.pinned.show_pinned(self.desk.effect, layer)
            self.bodies[self.pinned.name].mark_differing((other,) if other.id != layer.id else ())

    def _show(self, name: str) -> None:
        """Shows a chapter as it is."""
        layer = self.desk.layer or NOBODY
        self._stale.discard(name)
        self.chapters[name].show_told(self._told(name), layer)
        self.bodies[name].show_layer(layer)
        if self.pinned is None or self.pinned.name != name:
            others = [other for identity in self.desk.chosen[1:] if (other := layer_of(self.desk.effect, identity)) is not None]
            self.bodies[name].mark_differing(others)
            self.chapters[name].sentence.mark_differing(others)

    def _told(self, name: str) -> Told:
        if self.desk.layer is None:
            return [Piece("No layer yet: add one with + above.")] if name == "outlet" else []
        return TOLD[name](self.desk.effect, self.desk.layer)

    def _empty(self) -> None:
        """Without a layer there is no story: nothing of the last one is left to be read or typed into."""
        focus = QApplication.focusWidget()
        if focus is not None and self.isAncestorOf(focus):
            self.window().setFocus()
        for name in self.chapters:
            self.line.names[name].tell([])
            self._show(name)
        self.setEnabled(False)

    def _forget(self) -> None:
        """Another layer or document: no key of the last one stays picked, and nothing it was asked to show stands."""
        for chapter in self.chapters.values():
            chapter.settle()
        self.chapters["outlet"].place_offer.hide()
        self.bodies["life"].let_go()
        self._room = None
        self.chapters["outlet"].offer.hide()
        for body in self.bodies.values():
            if isinstance(body, ChapterRows):
                body.standing.forget()

    def mark_findings(self) -> None:
        """Marks where the checks found something."""
        self.bodies["life"].mark_findings()
        for name, chapter in self.chapters.items():
            chapter.mark_findings()
            self.line.names[name].mark(chapter.findings())

    def picture_read(self) -> None:
        """Shows the picture of the look once the stage has read it."""
        self.bodies["look"].picture.look_again()

    def show_ages(self, living: LayerFrame | None) -> None:
        """Marks where some of the particles alive are in their lives."""
        if self._seen(self.chapters["life"]):
            self.bodies["life"].show_living(living, _some(living))

    def show_drawn(self, living: LayerFrame | None) -> None:
        """Marks what some of the particles alive drew at birth."""
        layer, birth, some = self.desk.layer, self.bodies["birth"], _some(living)
        if not self._seen(self.chapters["birth"]) or not isinstance(birth, ChapterRows):
            return
        got = {} if living is None or layer is None else drawn_at_birth(self.desk.effect, layer, living.number[some])
        followed = self.desk.looking.followed
        lives = followed is not None and layer is not None and living is not None and followed.within(living) is not None
        own = (
            drawn_at_birth(self.desk.effect, layer, np.array([followed.number], np.uint64))
            if followed and lives and layer is not None
            else {}
        )
        for row in birth.fields.rows:
            if isinstance(row.editor, RangeEdit):
                name = str(row.path[-1])
                row.editor.show_got(got.get(name, np.zeros(0)), float(own[name][0]) if name in own else None)

    def wear(self, picture: str) -> None:
        """Gives the selected layer a picture of the library."""
        look = self.bodies["look"]
        if isinstance(look, LookRows):
            self.bring("look")
            look.picture.choose_card(picture)

    # Going there -----------------------------------------------------------------------------------------------

    def adding_chapter(self) -> str:
        """The chapter that `/` means: where the pointer is, else where the focus is, else the one asked for last."""
        under = next((name for name, chapter in self.chapters.items() if chapter.underMouse()), None)
        focus = QApplication.focusWidget()
        holds = (
            name for name, chapter in self.chapters.items() if focus is not None and (chapter is focus or chapter.isAncestorOf(focus))
        )
        return under or next(holds, None) or self._in_hand

    def write(self, name: str) -> SentenceEditor | None:
        """Opens a chapter's sentence as text; for "" the whole story."""
        if self.desk.layer is None:
            return None
        writing = SentenceEditor(self, self.desk, name)
        if name:
            self.bring(name)
        writing.open_at(self.chapters[name].told_in if name else self.line)
        return writing

    def open_adding(self, name: str) -> AddFinder:
        """Opens the list of what a chapter can say besides."""
        chapter, life = self.chapters[name], self.bodies["life"]
        self.bring(name)
        if isinstance(life, LifeBody) and name == "life":
            parts = lanes_to_add(self._missing_lanes(), life.add_everyday, life.add_lane)
        else:
            parts = parts_to_add(name, partial(self._add_part, name))
        adding = AddFinder(self, self.desk, name, parts, self._parts_elsewhere(name))
        adding.chosen.connect(self._chosen)
        adding.open_above(life.adder if name == "life" else chapter.add_button)
        return adding

    def _missing_lanes(self) -> list[str]:
        """The lanes of everyday that the selected layer does not have."""
        life, layer = self.bodies["life"], self.desk.layer
        if layer is None or not isinstance(life, LifeBody):
            return []
        return [name for name in life.lanes if getattr(layer.life, name) is None]

    def _parts_elsewhere(self, name: str) -> list[Entry]:
        """What can be added to the lists of the other chapters."""
        life, entries = self.bodies["life"], []
        if isinstance(life, LifeBody) and name != "life":
            entries += lanes_to_add(self._missing_lanes(), life.add_everyday, life.add_lane)
        for other in STORY:
            if other != name:
                entries += parts_to_add(other, partial(self._add_part, other))
        return entries

    def _chosen(self, target: Target) -> None:
        self.desk.sought.emit(target)

    def _add_part(self, chapter: str, field: str, kind: type[Part], values: dict) -> None:
        """Adds a part to a list of a chapter, and goes to it."""
        rows = self.bodies[chapter]
        self.bring(chapter)
        assert isinstance(rows, ChapterRows)
        edit = rows.fields.list_of((chapter, field))
        edit.add(kind, values)
        place = edit.last()
        go_to(place)
        if place is not None:
            QTimer.singleShot(0, lambda: rows.ensureWidgetVisible(place))

    def _sought(self, path: Path) -> None:
        """A value of a sentence that is edited elsewhere."""
        look = self.bodies["look"]
        if path == ("look", "picture") and isinstance(look, LookRows):
            look.picture.open()
            return
        self.show_field(path)

    def _sought_in(self, body: QWidget, path: Path) -> None:
        """A value of the kept chapter's sentence that is edited elsewhere."""
        if isinstance(body, ChapterRows):
            go_to(body.fields.reveal(tuple(step for step in path if isinstance(step, str))))

    def show_field(self, path: Path) -> None:
        """Brings a chapter into view and goes to the field of the layer at a path."""
        chapter = chapter_of(path)
        if chapter is None:
            return
        self.bring(chapter)
        area = self.bodies[chapter]
        if isinstance(area, LookRows) and path[1:] == ("picture",):
            go_to(area.picture)
            return
        if not isinstance(area, ChapterRows):
            go_to(area.place_of(path[1:]) if isinstance(area, LifeBody) and len(path) > 1 else area)
            return
        row = area.fields.reveal(tuple(step for step in path if isinstance(step, str)))
        if row is not None:
            go_to(row)
            QTimer.singleShot(0, lambda: area.ensureWidgetVisible(row))
