"""The story: the chapters of the selected layer, side by side along the bottom, and one of another layer beside them."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QApplication, QSplitter, QWidget

from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.edit import Path, layer_of
from pale_ember.core.effect.fields import Part
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.shapes import extent_of
from pale_ember.core.effect.trims import trimmed
from pale_ember.core.insight.drawn import drawn_at_birth
from pale_ember.core.insight.search import Entry
from pale_ember.core.insight.sentences import TOLD, Piece
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.studio.controls.spans import RangeEdit
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.row import go_to
from pale_ember.studio.fields.subject import OfLayer
from pale_ember.studio.kit.settings import kept_list, settings
from pale_ember.studio.story.adding import Adding, burst_said, lanes_to_add, parts_to_add
from pale_ember.studio.story.chapter import EDGE, GAP, LEAST, NOBODY, Chapter, KeptChapter, LookRows, Rows
from pale_ember.studio.story.life import LifeBody

_SHARES = {"outlet": 24, "birth": 26, "life": 40, "forces": 24, "contact": 20, "offspring": 24, "look": 24}
MARKED = 48
"""Living particles marked on lanes and ranges; more would only blur."""
_GROWN = 0.05
"""Share by which a shape's room must have changed for the density to be worth a word."""


def _some(living: LayerFrame | None) -> slice:
    """The particles that are marked."""
    return slice(None) if living is None else slice(None, None, max(1, living.count // MARKED))


class Story(QSplitter):
    """All chapters of the selected layer. Which are open and how wide is remembered."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(Qt.Orientation.Horizontal)
        self.desk = desk
        self.setContentsMargins(GAP, 4, GAP, 2)
        self.setHandleWidth(GAP)
        self.setChildrenCollapsible(False)
        chosen = OfLayer(desk)
        self.bodies = {name: self._body(name, chosen) for name in CHAPTERS}
        self.chapters = {
            name: Chapter(desk, name, body, chosen, getattr(body, "standing", None))
            for name, body in self.bodies.items()
        }
        self.kept: KeptChapter | None = None
        """A chapter of one layer that stays while another is selected."""
        self._shares = dict(_SHARES)
        for name, chapter in self.chapters.items():
            self.addWidget(chapter)
            chapter.whole_asked.connect(lambda name=name: self.flip_whole(name))
            chapter.add_asked.connect(lambda name=name: self.open_adding(name))
            chapter.keep_asked.connect(lambda name=name: self.keep_beside(name))
            chapter.sentence.sought.connect(self._sought)
        self.bodies["life"].add_asked.connect(lambda: self.open_adding("life"))  # type: ignore[attr-defined]
        kept = [name for name in kept_list("chapters") if name in CHAPTERS]
        self._opened = kept or [name for name in CHAPTERS if name not in ("forces", "contact", "offspring")]
        self._keep_shares(kept_list("shares"))
        self._room: float | None = None
        """The room that the outlet's shape had when its births were last set."""
        self.chapters["outlet"].offer.clicked.connect(self.keep_density)
        self._beside: list[str] = []
        """What was open before one chapter took the whole strip."""
        for name, chapter in self.chapters.items():
            chapter.fold(name not in self._opened)
            chapter.folded_changed.connect(lambda name=name: self._make_room(name))
        self.splitterMoved.connect(self._dragged)
        desk.document.changed.connect(self._changed)
        desk.selected.connect(self._forget)
        desk.selected.connect(self.refresh)
        desk.document.opened.connect(self._forget)
        self.refresh()
        self._share_out()

    # Room ------------------------------------------------------------------------------------------------------

    def _keep_shares(self, kept: list[str]) -> None:
        """Takes the widths that were kept, where they can be read."""
        if len(kept) == len(CHAPTERS) and all(text.isdigit() and int(text) > 0 for text in kept):
            self._shares = {name: int(text) for name, text in zip(CHAPTERS, kept, strict=True)}

    def _open(self) -> list[Chapter]:
        """What stands open, from left to right."""
        widgets = [self.widget(i) for i in range(self.count())]
        return [widget for widget in widgets if isinstance(widget, Chapter) and not widget.folded]

    def _share_out(self) -> None:
        """Gives each open chapter its share of the width."""
        standing = self._open()
        edges = self.count() - len(standing)
        room = self.width() - 2 * GAP - GAP * (self.count() - 1) - EDGE * edges
        total = sum(self._shares[chapter.name] for chapter in standing) or 1
        self.setSizes([
            EDGE if chapter.folded else max(round(room * self._shares[chapter.name] / total), 1)
            for chapter in (self.widget(i) for i in range(self.count())) if isinstance(chapter, Chapter)
        ])  # fmt: skip

    def _dragged(self) -> None:
        """A border was dragged: the widths of what is open are their shares from now on."""
        standing = {chapter.name: chapter.width() for chapter in self._open() if chapter is not self.kept}
        before = sum(self._shares[name] for name in standing)
        for name, width in standing.items():
            self._shares[name] = max(round(before * width / sum(standing.values())), 1)

    def _make_room(self, changed: str) -> None:
        """Folds what was opened longest ago when all that is open no longer fits side by side; never where one works."""
        self._opened = [name for name in self._opened if name != changed]
        if not self.chapters[changed].folded:
            self._opened.append(changed)
            layer = self.desk.layer
            if layer is not None:
                self.chapters[changed].show_told(TOLD[changed](self.desk.effect, layer), layer)
                self.bodies[changed].show_layer(layer)  # type: ignore[attr-defined]
        widths = [EDGE if chapter.folded else LEAST[name] for name, chapter in self.chapters.items()]
        widths += [LEAST[self.kept.name]] if self.kept is not None else []
        if sum(widths) + GAP * (len(widths) + 1) > max(self.width(), 1000) and len(self._opened) > 1:
            focus = QApplication.focusWidget()
            idle = [name for name in self._opened[:-1] if focus is None or not self.chapters[name].isAncestorOf(focus)]
            self.chapters[(idle or self._opened)[0]].fold(True)
            return
        self._share_out()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._share_out()

    def flip_whole(self, name: str) -> None:
        """Gives a chapter the whole strip, or gives it back to those that shared it."""
        others = [other for other, shown in self.chapters.items() if other != name and not shown.folded]
        if others:
            self._beside = others
            for other in others:
                self.chapters[other].fold(True)
            self.chapters[name].fold(False)
        else:
            for other in self._beside:
                self.chapters[other].fold(False)
        self._share_out()

    def open_by_number(self, name: str) -> None:
        """Opens a chapter; one that is open gets the whole strip, or gives it back to those that shared it."""
        if self.chapters[name].folded:
            self.chapters[name].fold(False)
        else:
            self.flip_whole(name)

    def keep(self) -> None:
        """Keeps what is open, and the widths."""
        store = settings()
        store.setValue("chapters", [name for name, chapter in self.chapters.items() if not chapter.folded])
        store.setValue("shares", [str(self._shares[name]) for name in CHAPTERS])

    # Chapters --------------------------------------------------------------------------------------------------

    def _body(self, name: str, subject: OfLayer) -> QWidget:
        if name == "life":
            return LifeBody(self.desk, subject)
        if name == "look":
            return LookRows(self.desk, subject)
        return Rows(self.desk, subject, name)

    def keep_beside(self, name: str) -> KeptChapter | None:
        """Keeps a chapter of the selected layer standing, beside that of whichever layer is selected next."""
        self.close_kept()
        if self.desk.layer is None:
            return None
        subject = OfLayer(self.desk, self.desk.selection)
        body = self._body(name, subject)
        kept = self.kept = KeptChapter(self.desk, name, body, subject, getattr(body, "standing", None))
        kept.closed.connect(self.close_kept)
        kept.sentence.sought.connect(lambda path: self._sought_in(body, path))
        self.insertWidget(self.indexOf(self.chapters[name]) + 1, kept)
        self._make_room(name)
        self.refresh()
        return kept

    def close_kept(self) -> None:
        """Lets go of the chapter that was kept."""
        if self.kept is not None:
            kept, self.kept = self.kept, None
            kept.hide()
            kept.setParent(None)
            kept.deleteLater()
            for body in self.bodies.values():
                body.mark_differing(None)  # type: ignore[attr-defined]
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
        offer.setVisible(abs(grown - 1) > _GROWN and grown > 0 and not self.chapters["outlet"].folded)
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
        for name, chapter in self.chapters.items():
            chapter.show_told(TOLD[name](self.desk.effect, layer), layer)
            if not chapter.folded:
                # What is folded is shown when it is opened: rows of seven chapters at every edit take their time.
                self.bodies[name].show_layer(layer)  # type: ignore[attr-defined]
        if self.kept is not None:
            other = self.kept.subject.root
            if other is None:
                self.close_kept()
                return
            self.kept.show_kept(self.desk.effect, layer)
            self.bodies[self.kept.name].mark_differing(other if other.id != layer.id else None)  # type: ignore[attr-defined]

    def _empty(self) -> None:
        """Without a layer there is no story: nothing of the last one is left to be read or typed into."""
        focus = QApplication.focusWidget()
        if focus is not None and self.isAncestorOf(focus):
            self.window().setFocus()
        for name, chapter in self.chapters.items():
            told = [Piece("No layer yet: add one with + above.")] if name == "outlet" else []
            chapter.show_told(told, NOBODY)
            self.bodies[name].show_layer(NOBODY)  # type: ignore[attr-defined]
        self.setEnabled(False)

    def _forget(self) -> None:
        """Another layer or document: no key of the last one stays picked, and nothing it was asked to show stands."""
        self.bodies["life"].let_go()  # type: ignore[attr-defined]
        self._room = None
        self.chapters["outlet"].offer.hide()
        for body in self.bodies.values():
            if isinstance(body, Rows):
                body.standing.forget()

    def mark_findings(self) -> None:
        """Marks where the checks found something."""
        self.bodies["life"].mark_findings()  # type: ignore[attr-defined]
        for chapter in self.chapters.values():
            chapter.mark_findings()

    def picture_read(self) -> None:
        """Shows the picture of the look once the stage has read it."""
        self.bodies["look"].picture.look_again()  # type: ignore[attr-defined]

    def show_ages(self, living: LayerFrame | None) -> None:
        """Marks where some of the particles alive are in their lives."""
        if not self.chapters["life"].folded:
            self.bodies["life"].show_living(living, _some(living))  # type: ignore[attr-defined]

    def show_drawn(self, living: LayerFrame | None) -> None:
        """Marks what some of the particles alive drew at birth."""
        layer, birth, some = self.desk.layer, self.bodies["birth"], _some(living)
        if self.chapters["birth"].folded or not isinstance(birth, Rows):
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
            self.chapters["look"].fold(False)
            look.picture.choose_card(picture)

    # Going there -----------------------------------------------------------------------------------------------

    def adding_chapter(self) -> str:
        """The chapter that `/` means: where the pointer is, else where the focus is, else the one opened last."""
        under = next(
            (name for name, chapter in self.chapters.items() if chapter.underMouse() and not chapter.folded), None
        )
        focus = QApplication.focusWidget()
        holds = (
            name for name, chapter in self.chapters.items()
            if focus is not None and (chapter is focus or chapter.isAncestorOf(focus))
        )  # fmt: skip
        return under or next(holds, None) or (self._opened[-1] if self._opened else CHAPTERS[0])

    def open_adding(self, name: str) -> Adding:
        """Opens the list of what a chapter can say besides."""
        chapter, life = self.chapters[name], self.bodies["life"]
        chapter.fold(False)
        if isinstance(life, LifeBody) and name == "life":
            parts = lanes_to_add(self._missing_lanes(), life.add_everyday, life.add_lane)
        else:
            parts = parts_to_add(name, partial(self._add_part, name))
        add = partial(self._add_part, name)
        adding = Adding(self, self.desk, name, parts, self._parts_elsewhere(name))
        if name == "outlet":
            adding.said = partial(burst_said, add=add)
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
        for other in CHAPTERS:
            if other != name:
                entries += parts_to_add(other, partial(self._add_part, other))
        return entries

    def _chosen(self, target: Target) -> None:
        self.desk.sought.emit(target)

    def _add_part(self, chapter: str, field: str, kind: type[Part], values: dict) -> None:
        """Adds a part to a list of a chapter, and goes to it."""
        rows = self.bodies[chapter]
        self.chapters[chapter].fold(False)
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
        """Unfolds a chapter and goes to the field of the layer at a path."""
        chapter = str(path[0])
        self.chapters[chapter].fold(False)
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
