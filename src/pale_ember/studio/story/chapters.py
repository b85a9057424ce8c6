"""The story: the eight chapters of the selected layer, side by side along the bottom, and one of another layer beside them."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QApplication, QSplitter, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import Path, layer_of
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.shapes import extent_of
from pale_ember.core.effect.story import STORY, chapter_of
from pale_ember.core.effect.trims import trimmed
from pale_ember.core.insight.briefs import BRIEFS
from pale_ember.core.insight.drawn import drawn_at_birth
from pale_ember.core.insight.search import Entry
from pale_ember.core.insight.sentences import TOLD, Piece, Told
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.studio.controls.spans import RangeEdit
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.row import go_to
from pale_ember.studio.fields.subject import OfLayer
from pale_ember.studio.kit.scrolling import Sideways
from pale_ember.studio.kit.settings import kept_list, settings
from pale_ember.studio.story.adding import Adding, lanes_to_add, parts_to_add
from pale_ember.studio.story.chapter import GAP, LEAST, NOBODY, Chapter, LookRows, PinnedChapter, Rows
from pale_ember.studio.story.life import LifeBody
from pale_ember.studio.story.line import ChapterLine
from pale_ember.studio.story.writing import Writing

_WIDTHS = {
    "place": 240, "outlet": 242, "birth": 260, "life": 252, "forces": 248, "contact": 194, "offspring": 234, "look": 240,
}  # fmt: skip
"""Pixels of the chapters to begin with: at 1280 from *Place* to *Forces*, or from *Life* to *Look*."""
MARKED = 48
"""Living particles marked on lanes and ranges; more would only blur."""
_GROWN = 0.05
"""Share by which a shape's room must have changed for the density to be worth a word."""


def _some(living: LayerFrame | None) -> slice:
    """The particles that are marked."""
    return slice(None) if living is None else slice(None, None, max(1, living.count // MARKED))


class Story(QWidget):
    """All chapters of the selected layer, side by side: what has no room is scrolled to. How wide each is, is remembered."""

    tabbed = pyqtSignal()
    """The focus was led on by Tab."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(GAP, 4, GAP, 2)
        column.setSpacing(4)
        self.line = ChapterLine()
        self.line.asked.connect(self.bring)
        self.line.expand_asked.connect(self.expand)
        column.addWidget(self.line)
        self.strip = QSplitter(Qt.Orientation.Horizontal)
        self.strip.setHandleWidth(GAP)
        self.strip.setChildrenCollapsible(False)
        self.area = Sideways(self.strip)
        column.addWidget(self.area, 1)
        chosen = OfLayer(desk)
        self.bodies = {name: self._body(name, chosen) for name in STORY}
        self.chapters = {
            name: Chapter(desk, name, body, chosen, getattr(body, "standing", None))
            for name, body in self.bodies.items()
        }
        self.pinned: PinnedChapter | None = None
        """A chapter of one layer that stays while another is selected."""
        self._widths = self._kept_widths()
        self._expanded = ""
        """The chapter that has the whole strip, if one has."""
        self._stale = set(STORY)
        """The chapters that show what was, for nobody sees them."""
        self._in_hand = STORY[1]
        """The chapter that was asked for last."""
        for name, chapter in self.chapters.items():
            self.strip.addWidget(chapter)
            chapter.expand_asked.connect(lambda name=name: self.expand(name))
            chapter.add_asked.connect(lambda name=name: self.open_adding(name))
            chapter.pin_asked.connect(lambda name=name: self.pin(name))
            chapter.sentence.sought.connect(self._sought)
            chapter.sentence.write_asked.connect(lambda name=name: self.write(name))
        self.bodies["life"].add_asked.connect(lambda: self.open_adding("life"))  # type: ignore[attr-defined]
        self._room: float | None = None
        """The room that the outlet's shape had when its births were last set."""
        self.chapters["outlet"].offer.clicked.connect(self.keep_density)
        self.strip.splitterMoved.connect(self._dragged)
        self.area.horizontalScrollBar().valueChanged.connect(self._scrolled)  # type: ignore[union-attr]
        desk.document.changed.connect(self._changed)
        desk.selected.connect(self._forget)
        desk.selected.connect(self.refresh)
        desk.document.opened.connect(self._forget)
        self.refresh()
        self._share_out()

    # Room ------------------------------------------------------------------------------------------------------

    @staticmethod
    def _kept_widths() -> dict[str, int]:
        """The widths that were kept, where they can be read."""
        kept = kept_list("widths")
        if len(kept) == len(STORY) and all(text.isdigit() and int(text) > 0 for text in kept):
            return {name: max(int(text), LEAST[name]) for name, text in zip(STORY, kept, strict=True)}
        return dict(_WIDTHS)

    def _standing(self) -> list[Chapter]:
        """What stands in the strip, from left to right."""
        widgets = [self.strip.widget(i) for i in range(self.strip.count())]
        return [widget for widget in widgets if isinstance(widget, Chapter)]

    def _share_out(self) -> None:
        """Gives each chapter its width; where there is room for all, they share what is left."""
        standing = self._standing()
        room = self.area.viewport().width() - GAP * (len(standing) - 1)  # type: ignore[union-attr]
        least = [LEAST[chapter.name] for chapter in standing]
        widths = [self._widths[chapter.name] for chapter in standing]
        if self._expanded:
            here = self._standing().index(self.chapters[self._expanded])
            widths[here] = max(self.area.viewport().width(), LEAST[self._expanded])  # type: ignore[union-attr]
        elif sum(least) <= room:
            over, spare = [width - own for width, own in zip(widths, least, strict=True)], room - sum(least)
            parts = [(1 + more) / sum(1 + more for more in over) for more in over]
            widths = [own + int(spare * part) for own, part in zip(least, parts, strict=True)]
        self.strip.setFixedWidth(max(sum(widths), room) + GAP * (len(standing) - 1))
        self.strip.setSizes(widths)
        QTimer.singleShot(0, self._scrolled)

    def _dragged(self) -> None:
        """A border was dragged: so wide are its two neighbours from now on."""
        if not self._expanded:
            self._widths |= {
                chapter.name: chapter.width() for chapter in self._standing() if chapter is not self.pinned
            }
        self._scrolled()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_out()

    def _seen(self, chapter: Chapter) -> bool:
        """Whether any of a chapter is seen in the strip."""
        left = chapter.x() - self.area.horizontalScrollBar().value()  # type: ignore[union-attr]
        return left + chapter.width() > 0 and left < self.area.viewport().width()  # type: ignore[union-attr]

    def _scrolled(self) -> None:
        """Shows what came into view as it is, and tells in the line what is seen whole."""
        bar, room = self.area.horizontalScrollBar(), self.area.viewport().width()  # type: ignore[union-attr]
        for name, chapter in self.chapters.items():
            left = chapter.x() - bar.value()  # type: ignore[union-attr]
            if not chapter.near():
                # It may have been scrolled from under the pointer.
                chapter.settle()
            self.line.names[name].show_in_view(left >= -1 and left + LEAST[name] <= room + 1)
            if name in self._stale and self._seen(chapter):
                self._show(name)

    def bring(self, name: str) -> None:
        """Brings a chapter into view; no other changes."""
        chapter, bar = self.chapters[name], self.area.horizontalScrollBar()
        self._in_hand = name
        if self._expanded not in ("", name):
            self.expand(self._expanded)
        left, room = chapter.x(), self.area.viewport().width()  # type: ignore[union-attr]
        if bar is not None:
            if left < bar.value() or chapter.width() >= room:
                bar.setValue(left)
            elif left + chapter.width() > bar.value() + room:
                bar.setValue(left + chapter.width() - room)
        if name in self._stale:
            self._show(name)

    def expand(self, name: str) -> None:
        """Gives a chapter the whole strip, or restores the widths of all."""
        self._expanded = "" if self._expanded == name else name
        self._share_out()
        self.bring(name)

    def open_by_number(self, name: str) -> None:
        """Brings a chapter into view, and the focus to it; again it expands it, or restores it."""
        if self._in_hand == name and self.chapters[name].hasFocus():
            self.expand(name)
        else:
            self.bring(name)
            self.chapters[name].setFocus()

    def focusNextPrevChild(self, forward: bool) -> bool:
        """Tab goes chapter by chapter through the rows, as they lie."""
        self.tabbed.emit()
        focus, by, chapters = QApplication.focusWidget(), 1 if forward else -1, self._standing()
        here = next(
            (i for i, each in enumerate(chapters) if focus is not None and (each is focus or each.isAncestorOf(focus))),
            None,
        )
        if focus is None or here is None:
            return super().focusNextPrevChild(forward)
        stops = chapters[here].stops()
        at = stops.index(focus) + by if focus in stops else 0 if forward else -1
        while not 0 <= at < len(stops):
            here += by
            if not 0 <= here < len(chapters):
                return super().focusNextPrevChild(forward)
            self.bring(chapters[here].name)
            stops = chapters[here].stops()
            at = 0 if forward else len(stops) - 1
        stops[at].setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
        self.area.ensureWidgetVisible(stops[at], 20, 0)
        chapters[here].show_whole(stops[at])
        return True

    def keep(self) -> None:
        """Keeps the widths."""
        settings().setValue("widths", [str(self._widths[name]) for name in STORY])

    # Chapters --------------------------------------------------------------------------------------------------

    def _body(self, name: str, subject: OfLayer) -> QWidget:
        if name == "life":
            return LifeBody(self.desk, subject)
        if name == "look":
            return LookRows(self.desk, subject)
        return Rows(self.desk, subject, name)

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
                body.mark_differing(())  # type: ignore[attr-defined]
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
        offer.setToolTip(f"The shape has {grown:.3g} times the room. Multiplies rate and bursts by as much.")

    def keep_density(self) -> None:
        """Multiplies births by how much the shape's room has grown."""
        layer = self.desk.layer
        if layer is not None and self._room:
            grown = extent_of(layer.outlet) / self._room
            after = trimmed(self.desk.effect, "density", grown, (layer.id,))
            self.desk.document.change(f"{layer.name}: keep the density", after)

    def refresh(self) -> None:
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
            self.bodies[self.pinned.name].mark_differing((other,) if other.id != layer.id else ())  # type: ignore[attr-defined]

    def _show(self, name: str) -> None:
        """Shows a chapter as it is."""
        layer = self.desk.layer or NOBODY
        self._stale.discard(name)
        self.chapters[name].show_told(self._told(name), layer)
        self.bodies[name].show_layer(layer)  # type: ignore[attr-defined]
        if self.pinned is None or self.pinned.name != name:
            others = [
                other
                for identity in self.desk.chosen[1:]
                if (other := layer_of(self.desk.effect, identity)) is not None
            ]
            self.bodies[name].mark_differing(others)  # type: ignore[attr-defined]

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
        self.bodies["life"].let_go()  # type: ignore[attr-defined]
        self._room = None
        self.chapters["outlet"].offer.hide()
        for body in self.bodies.values():
            if isinstance(body, Rows):
                body.standing.forget()

    def mark_findings(self) -> None:
        """Marks where the checks found something."""
        self.bodies["life"].mark_findings()  # type: ignore[attr-defined]
        for name, chapter in self.chapters.items():
            chapter.mark_findings()
            self.line.names[name].mark(chapter.findings())

    def picture_read(self) -> None:
        """Shows the picture of the look once the stage has read it."""
        self.bodies["look"].picture.look_again()  # type: ignore[attr-defined]

    def show_ages(self, living: LayerFrame | None) -> None:
        """Marks where some of the particles alive are in their lives."""
        if self._seen(self.chapters["life"]):
            self.bodies["life"].show_living(living, _some(living))  # type: ignore[attr-defined]

    def show_drawn(self, living: LayerFrame | None) -> None:
        """Marks what some of the particles alive drew at birth."""
        layer, birth, some = self.desk.layer, self.bodies["birth"], _some(living)
        if not self._seen(self.chapters["birth"]) or not isinstance(birth, Rows):
            return
        got = {} if living is None or layer is None else drawn_at_birth(self.desk.effect, layer, living.number[some])
        followed = self.desk.looking.followed
        lives = (
            followed is not None and layer is not None and living is not None and followed.within(living) is not None
        )
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
            name for name, chapter in self.chapters.items()
            if focus is not None and (chapter is focus or chapter.isAncestorOf(focus))
        )  # fmt: skip
        return under or next(holds, None) or self._in_hand

    def write(self, name: str) -> Writing | None:
        """Opens a chapter's sentence as text; for "" the whole story."""
        if self.desk.layer is None:
            return None
        writing = Writing(self, self.desk, name)
        if name:
            self.bring(name)
        writing.open_at(self.chapters[name].told_in if name else self.line)
        return writing

    def open_adding(self, name: str) -> Adding:
        """Opens the list of what a chapter can say besides."""
        chapter, life = self.chapters[name], self.bodies["life"]
        self.bring(name)
        if isinstance(life, LifeBody) and name == "life":
            parts = lanes_to_add(self._missing_lanes(), life.add_everyday, life.add_lane)
        else:
            parts = parts_to_add(name, partial(self._add_part, name))
        adding = Adding(self, self.desk, name, parts, self._parts_elsewhere(name))
        adding.chosen.connect(self._chosen)
        adding.open_above(life.adder if name == "life" else chapter.add_button)  # type: ignore[attr-defined]
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
        assert isinstance(rows, Rows)
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
        if isinstance(body, Rows):
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
        if not isinstance(area, Rows):
            go_to(area.place_of(path[1:]) if isinstance(area, LifeBody) and len(path) > 1 else area)
            return
        row = area.fields.reveal(tuple(step for step in path if isinstance(step, str)))
        if row is not None:
            go_to(row)
            QTimer.singleShot(0, lambda: area.ensureWidgetVisible(row))
