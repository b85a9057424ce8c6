"""Changes: what differs from the saved file or what was opened, a variant, another file; what a merge puts together; what the folder
changed since."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import QEnterEvent, QHideEvent, QMouseEvent
from PyQt6.QtWidgets import QFileDialog, QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.variants import as_variant, named
from pale_ember.core.insight.checks.finding import Finding, Mend
from pale_ember.core.variation.differing import Difference, differences, with_taken_back
from pale_ember.core.variation.following import FollowNews, news, without_following
from pale_ember.core.variation.merging import Conflict, merged, resolved
from pale_ember.formats.document import DocumentError, load
from pale_ember.studio.controls.buttons import SwitchEdit, WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.insight.checks_page import MendButton, target_of
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.saved_items import shared_folder
from pale_ember.studio.kit.scrolling import Scrolling
from pale_ember.studio.kit.side_panel import SidePage, quiet

SAVED, OPENED = "the saved file", "what was opened"
"""What it is compared with at first, by where it lies: in a file, or nowhere yet."""
_SETTLED = 120
"""Milliseconds after an edit until what differs is told: while a hand drags there is nothing to say."""
_MOST = 80
"""Differences that are shown at once."""


@dataclass(eq=False)
class Merge:
    """What two made of one effect, and what was chosen so far. other : the places of the conflicts where theirs is taken."""

    base: Effect
    mine: Effect
    theirs: Effect
    conflicts: list[Conflict]
    other: frozenset[int] = frozenset()
    made: list[tuple[Effect, frozenset[int]]] = field(default_factory=list)
    """Effects that came of choosing, and what was chosen in each: an undo finds its own again."""

    def result(self, other: frozenset[int]) -> Effect:
        """What both made, with what is chosen."""
        return resolved(self.base, self.mine, self.theirs, self.conflicts, other)

    def chosen(self, now: Effect, other: frozenset[int]) -> Effect:
        """The effect as it is now, with something else chosen: what was edited since stays."""
        return merged(self.result(self.other), now, self.result(other))[0]


def merge_of(base: Effect, mine: Effect, theirs: Effect) -> Merge:
    """A merge, begun with mine where both changed the same; what one removed and the other changed is kept to begin with."""
    conflicts = merged(base, mine, theirs)[1]
    return Merge(base, mine, theirs, conflicts, frozenset(i for i, each in enumerate(conflicts) if each.mine is None))


class _Told(QLabel):
    """A sentence about a field; a click goes to the field."""

    def __init__(self, desk: Desk, text: str, identity: str, path: tuple) -> None:
        super().__init__(text)
        self._desk, self._finding = desk, Finding(identity, path, text)
        self.setWordWrap(True)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("Go there")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        desk, finding = self._desk, self._finding
        if finding.layer and layer_of(desk.effect, finding.layer) is not None:
            desk.select(finding.layer)
        target = target_of(finding)
        if target is not None:
            desk.sought.emit(target)

    def enterEvent(self, event: QEnterEvent) -> None:
        super().enterEvent(event)
        theme.tone(self, "ember")

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        theme.tone(self, "bone")


class _ChangeCard(QFrame):
    """A sentence, and what can be done about it."""

    def __init__(self, desk: Desk, told: QLabel, buttons: list[QWidget], more: str = "") -> None:
        super().__init__()
        self.told = told.text()
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 5, 8, 5)
        column.setSpacing(2)
        column.addWidget(told)
        if more:
            column.addWidget(quiet(more))
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        for button in buttons:
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)


class ChangesPage(SidePage):
    """What differs, in sentences; each can be taken back, seen on the stage before it is."""

    title = "Changes"

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self._against: tuple[str, Path | None] = (self._saved, None)
        """A variant's name, SAVED or OPENED; or the name of a file, and the file."""
        self._read: tuple[object, Effect | None, str] = (None, None, "")
        self.merge: Merge | None = None
        self.differences: list[Difference] = []
        self.news: list[FollowNews] = []
        self.against_button = WordButton(f"against {self._saved}", "What the effect is compared with", menu=True)
        self.against_button.clicked.connect(lambda: self._menu().open_at(self.against_button))
        told = Field("see both", "Both beside each other on the stage.")
        self.both = SwitchEdit(told, False)
        self.both.edited.connect(lambda *_: self._offer())
        label = QLabel("see both")
        theme.tone(label, "ash")
        head = QHBoxLayout()
        head.setContentsMargins(8, 0, 12, 0)
        for widget in (self.against_button, self.both, label):
            head.addWidget(widget)
        head.addStretch(1)
        inner = QWidget()
        self.column = QVBoxLayout(inner)
        self.column.setContentsMargins(0, 2, 4, 8)
        self.column.setSpacing(2)
        self.column.addStretch(1)
        self.said = quiet()
        self.said.setContentsMargins(12, 4, 12, 2)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addLayout(head)
        whole.addWidget(self.said)
        whole.addWidget(Scrolling(inner, lambda: desk.findings.try_mend(None)), 1)
        self.cards: list[QWidget] = []
        self._told: list[object] = []
        """What the cards say, to be told apart from what is to be said."""
        self._settling = QTimer(self, singleShot=True, interval=_SETTLED)
        self._settling.timeout.connect(self.refresh)
        desk.document.changed.connect(lambda *_: self._edited())
        desk.document.named.connect(self._named)
        desk.document.opened.connect(self._opened)

    # What it is compared with ------------------------------------------------------------------------------------

    def _menu(self) -> Menu:
        menu = Menu(self)
        for name in (self._saved, *(variant.name for variant in self.desk.effect.variants)):
            menu.addAction(name).triggered.connect(lambda _=False, name=name: self.compare_with(name))
        menu.addSeparator()
        menu.addAction("another file…").triggered.connect(self._ask)
        return menu

    def _ask(self) -> None:
        folder = str(self.desk.folder or Path.home())
        name, _ = QFileDialog.getOpenFileName(self, "Compare with", folder, "Effects (*.pale);;All files (*)")
        if name:
            self.compare_with(Path(name).name, Path(name))

    def compare_with(self, name: str, path: Path | None = None) -> None:
        """Compares with a variant, the saved file, or another file."""
        self._end_merge()
        self._against, self._read = (name, path), (None, None, "")
        self._tell_against()
        self.refresh()

    def other(self) -> tuple[Effect | None, str]:
        """What the effect is compared with; or why that is nothing, in a sentence."""
        if self.merge is not None:
            return self.merge.theirs, ""
        name, path = self._against
        variant = named(self.desk.effect, name) if path is None else None
        if variant is not None:
            return as_variant(self.desk.effect, variant), ""
        path = path or self.desk.document.path
        if path is None:
            return self.desk.document.begun, ""
        try:
            told = path.stat()
            stamp = path, told.st_mtime_ns, told.st_size
            if stamp != self._read[0]:
                self._read = stamp, load(path)[0], ""
        except OSError as fault:
            self._read = None, None, f"{path.name} cannot be read ({fault.strerror})."
        except DocumentError as fault:
            self._read = stamp, None, str(fault)
        return self._read[1:]

    def begin_merge(self, merge: Merge) -> None:
        """Shows what both changed, to choose from."""
        self.merge = merge
        merge.made.append((self.desk.effect, merge.other))
        self.against_button.show_text("merge with theirs")
        self.refresh()

    def _opened(self) -> None:
        self._end_merge()
        self._against = (self._saved, None)
        self._tell_against()

    @property
    def _saved(self) -> str:
        return SAVED if self.desk.document.path is not None else OPENED

    def _tell_against(self) -> None:
        if self._against[0] in (SAVED, OPENED):
            self._against = (self._saved, None)
        self.against_button.show_text(f"against {self._against[0]}")

    def _end_merge(self) -> None:
        self.merge = None
        self._clear_cards()
        self._tell_against()

    def _clear_cards(self) -> None:
        for card in self.cards:
            card.hide()
            card.deleteLater()
        self.cards, self._told = [], []

    def _named(self) -> None:
        if self.merge is not None and not self.desk.document.unsaved:
            self._end_merge()  # it was saved: what was chosen stands
        elif self.merge is None:
            self._tell_against()
        self._edited()

    def _edited(self) -> None:
        if self.merge is not None:
            there = {id(edit.before) for edit in self.desk.document.past} | {id(self.desk.effect)}
            known = (other for effect, other in reversed(self.merge.made) if id(effect) in there)
            self.merge.other = next(known, self.merge.other)
        if self.isVisible():
            self._settling.start()

    # Showing -----------------------------------------------------------------------------------------------------

    def look_for_news(self) -> int:
        """Reads what the effect follows; how much of it has become otherwise."""
        shared, effect = shared_folder(), self.desk.effect
        wanted = {each.source for each in effect.follows}
        self.news = news(effect, shared.followable(wanted)) if shared is not None and wanted else []
        return len(self.news)

    def refresh(self) -> None:
        other, why = self.other()
        self.differences = [] if other is None else differences(other, self.desk.effect)
        self.look_for_news()
        count, name = len(self.differences), self._against[0]
        counted = f"{count} {'thing differs' if count == 1 else 'things differ'} from {name}."
        if self.merge is not None:
            open_ones = len(self.merge.conflicts)
            counted = (
                f"{open_ones} changed by both: choose what stays. Then save."
                if open_ones
                else "Put together: nothing was changed by both."
            )
        elif why or not count:
            counted = why or f"Nothing differs from {name}."
        self.said.setText(counted)
        told: list[object] = [str(each) for each in self.differences]
        told += [(each.followed, each.said) for each in self.news]
        if self.merge is not None:
            told = [self.merge, self.merge.other, *map(str, self.merge.conflicts)]
        if told != self._told:
            self._show_cards(other, told)
        self._offer()

    def _show_cards(self, other: Effect | None, told: list[object]) -> None:
        steady = self.cards if self.underMouse() and self.merge is None else []
        if steady:
            # What is done under the pointer stays where it is, faded, until the pointer has left: nothing else comes under it.
            there = {*map(str, self.differences), *map(self._news_told, self.news)}
            for card in steady:
                card.setEnabled(card.isEnabled() and getattr(card, "told", "") in there)
            return
        self._clear_cards()
        self._told = told
        cards = self._conflict_cards() if self.merge is not None else self._news_cards() + self._difference_cards(other)
        self.cards = cards
        for i, card in enumerate(cards):
            self.column.insertWidget(i, card)

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        self.refresh()

    def _difference_cards(self, other: Effect | None) -> list[QWidget]:
        cards: list[QWidget] = []
        for each in self.differences[:_MOST]:
            assert other is not None
            mend = Mend("restore this", partial(_back, other, each))
            button = MendButton(self.desk, mend, self._do(f"{each.layer or 'effect'}: back to {self._against[0]}"))
            cards.append(_ChangeCard(self.desk, _Told(self.desk, str(each), each.identity, each.path), [button]))
        left = len(self.differences) - len(cards)
        return [*cards, quiet(f"and {left} more")] if left > 0 else cards

    def _name_of(self, told: FollowNews) -> str:
        layer = layer_of(self.desk.effect, told.followed.layer)
        return layer.name if layer is not None else told.followed.recipe

    def _news_told(self, told: FollowNews) -> str:
        what, changes = told.followed.source.partition("/")[2], "; ".join(one.said for one in told.said[:6])
        return f"{self._name_of(told)} follows {what} of the folder, which has changed: {changes}"

    def _news_cards(self) -> list[QWidget]:
        cards: list[QWidget] = []
        for each in self.news:
            name, what = self._name_of(each), each.followed.source.partition("/")[2]
            told = _Told(self.desk, self._news_told(each), each.followed.layer, ())
            kept = ", ".join(one.field for one in each.kept)
            take = MendButton(self.desk, Mend("take the change", partial(_new, each)), self._do(f"{name}: take {what}"))
            stop = WordButton("stop following", "It goes its own way from now on")
            stop.clicked.connect(lambda _=False, each=each, name=name: self._stop(each, name))
            cards.append(_ChangeCard(self.desk, told, [take, stop], f"Stays as it is here: {kept}." if kept else ""))
        return cards

    def _stop(self, told: FollowNews, name: str) -> None:
        self.desk.document.change(f"{name}: stop following", without_following(self.desk.effect, told.followed))

    def _do(self, name: str) -> Callable[[Mend], None]:
        def do(mend: Mend) -> None:
            self.desk.findings.try_mend(None)
            self.desk.document.change(name, mend.change(self.desk.effect))

        return do

    def _conflict_cards(self) -> list[QWidget]:
        cards: list[QWidget] = []
        merge = self.merge
        assert merge is not None
        for i, each in enumerate(merge.conflicts):
            buttons: list[QWidget] = []
            for text, theirs in (("yours", False), ("theirs", True)):
                button = _ChoiceButton(self.desk, text, partial(self._with_choice, i, theirs=theirs))
                button.setChecked((i in merge.other) == theirs)
                button.clicked.connect(lambda _=False, i=i, theirs=theirs: self.choose(i, theirs=theirs))
                buttons.append(button)
            cards.append(_ChangeCard(self.desk, _Told(self.desk, str(each), each.identity, each.path), buttons))
        return cards

    def _with_choice(self, place: int, *, theirs: bool) -> Effect:
        assert self.merge is not None
        other = self.merge.other | {place} if theirs else self.merge.other - {place}
        return self.merge.chosen(self.desk.effect, other)

    def choose(self, place: int, *, theirs: bool) -> None:
        """Takes yours or theirs of what both changed: one step of the history."""
        merge = self.merge
        if merge is None:
            return
        effect = self._with_choice(place, theirs=theirs)
        other = merge.other | {place} if theirs else merge.other - {place}
        conflict = merge.conflicts[place]
        self.desk.looking.try_effect(None)
        self.desk.document.change(f"{conflict.layer or 'effect'}: {conflict.field} of {'theirs' if theirs else 'yours'}", effect)
        merge.other = other
        merge.made.append((self.desk.effect, other))
        self.refresh()

    def _offer(self) -> None:
        """Shows both on the stage, or one."""
        other = self.other()[0] if self.both.value and self.isVisible() else None
        name = "theirs" if self.merge is not None else self._against[0]
        if other is not None or (self.desk.looking.offered is not None and self.desk.looking.offered[0] == name):
            self.desk.looking.offer(name, other)

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._offer()


def _back(other: Effect, difference: Difference, effect: Effect) -> Effect:
    return with_taken_back(other, effect, difference)


def _new(told: FollowNews, effect: Effect) -> Effect:
    return told.effect


class _ChoiceButton(WordButton):
    """One of two: pointed at it is seen on the stage, pressed it is taken."""

    def __init__(self, desk: Desk, text: str, effect: Callable[[], Effect]) -> None:
        super().__init__(text, f"Take {text}: point at it to see it on the stage", checkable=True)
        self._desk, self._effect = desk, effect

    def enterEvent(self, event: QEnterEvent) -> None:
        super().enterEvent(event)
        self._desk.looking.try_effect(self._effect())

    def leaveEvent(self, event: QEvent) -> None:
        super().leaveEvent(event)
        self._desk.looking.try_effect(None)
