"""The effects of a folder as living pictures: searched, sorted, compared, opened."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from pale_ember.folder.index import UNREAD, FolderIndex, kept_place
from pale_ember.folder.listing import SORTS, EffectCard, called, found, sort_key, summary
from pale_ember.folder.looking import FRAMES, key_of, strip_of, unplayed
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.effects.details import EffectDetails, figures_told
from pale_ember.studio.effects.picture_store import PictureStore
from pale_ember.studio.effects.tiles import GalleryTile, TileGrid
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.scrolling import Scrolling

_SETTLED = 150
"""Milliseconds after the last scrolling or change until what is seen is looked at first."""


def strip_image(path: Path) -> QImage | None:
    """A living picture on disk as a strip of frames; None where it cannot be read."""
    try:
        frames = strip_of(path.read_bytes())
    except (OSError, ValueError):
        return None
    count, high, wide, _ = frames.shape
    return QImage(frames.tobytes(), wide, count * high, 3 * wide, QImage.Format.Format_RGB888).copy()


class EffectsView(QWidget):
    """Search, sort, tiles, and what is known of those that are chosen."""

    open_asked = pyqtSignal(str)
    counted = pyqtSignal(str)
    """How many there are, and how many are still to be looked at, in words."""

    def __init__(self, link: AnalysisLink) -> None:
        super().__init__()
        self._link = link
        self.index = FolderIndex(Path())
        self._wanted: list[str] = []
        """The names of those still to be read."""
        self._shown: dict[str, str] = {}
        """The living picture of each effect by its name, kept so that another one is not taken for it."""
        self._asked: tuple[object, ...] = ()
        """What the analysis process was asked for last."""
        self._active = False
        self._looking: list[str] = []
        """The names of those that are being looked at, the first first."""
        self.store = PictureStore(lambda name: strip_image(kept_place(self.index.folder) / f"{name}.webp"))
        self.words = QLineEdit()
        self.words.setFixedHeight(28)
        self.words.setPlaceholderText("search: molten, bounce, additive, over handheld, particles > 500…")
        self.words.setAccessibleName("search effects")
        self.words.textChanged.connect(lambda _: self.sift())
        self.words.returnPressed.connect(self._to_tiles)
        self.sort = SORTS[0]
        self.sort_button = WordButton(f"by {self.sort}", "In which order they stand", menu=True)
        self.sort_button.clicked.connect(lambda: self._sort_menu().open_at(self.sort_button))
        self.grid = TileGrid("effects", self._image)
        self.details = EffectDetails()
        self.details.open_asked.connect(self.open_asked)
        self.details.together_asked.connect(self.play_together)
        self.grid.opened.connect(self._open)
        self.grid.chosen.connect(self._show_chosen)
        self.grid.asked.connect(self._menu)
        self.store.came.connect(self._came)
        link.carded.connect(self._carded)
        link.together.connect(self._together)
        link.folder_lost.connect(self._lost)
        self._settling = QTimer(self, singleShot=True, interval=_SETTLED)
        self._settling.timeout.connect(self._look_at_seen)
        self._sifting = QTimer(self, singleShot=True, interval=_SETTLED)
        self._sifting.timeout.connect(self.sift)
        head = QHBoxLayout()
        head.setContentsMargins(10, 6, 10, 0)
        head.addWidget(self.words, 1)
        head.addWidget(self.sort_button)
        self.area = Scrolling(self.grid, self._settling.start)
        left = QVBoxLayout()
        left.setSpacing(4)
        left.addLayout(head)
        left.addWidget(self.area, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(1)
        whole.addLayout(left, 1)
        whole.addWidget(self.details)

    # What is there ---------------------------------------------------------------------------------------------------

    def show_index(self, index: FolderIndex, wanted: list[str]) -> None:
        """Shows a folder. wanted : the names of what is still to be read."""
        if index is not self.index:
            self._link.forget(self.index.folder)
            self.grid.choose([])
            self.area.verticalScrollBar().setValue(0)
        self.index, self._wanted, self._asked = index, wanted, ()
        self.sift()
        self._show_chosen()

    def set_active(self, on: bool) -> None:
        """Whether effects are to be read and looked at: as long as the folder is on screen."""
        self._active, self._asked = on, ()
        if on:
            self._settling.start()
        else:
            self._link.forget(self.index.folder)

    def sift(self) -> None:
        """Shows what fits the words, in order."""
        query = self.words.text()
        cards = [card for card in self.index.cards.values() if found(card, query)]
        # What is called so is meant before what only has it.
        cards.sort(key=lambda card: (not called(card, query), *sort_key(card, self.sort)))
        sought = query.strip() and self.index.cards
        nothing = "No effects here. Choose a folder that holds .pale files, at any depth."
        self.grid.nothing = f"Nothing fits “{query}”. Try another word." if sought else nothing
        self.grid.show_tiles([self._tile(card) for card in cards])
        self._count(len(cards))
        told = "Click an effect to see what it is, double-click to open it. With Ctrl, two are compared and several play together."
        self.details.summary = f"{told}\n\n{summary(self.index.cards.values())}"
        if not self.grid.selection:
            self._show_chosen()
        self._settling.start()

    def _tile(self, card: EffectCard) -> GalleryTile:
        self._shown[card.name] = card.figures.picture if card.figures is not None else ""
        problem = card.problems > 0
        said = card.fault or ("" if card.figures is not None else "not looked at yet")
        told = figures_told(card)
        return GalleryTile(card.name, card.title or Path(card.name).name, told, problem, said, FRAMES)

    def _count(self, shown: int) -> None:
        of = len(self.index.cards)
        left = sum(card.figures is None and not card.fault for card in self.index.cards.values())
        told = f"{of} effect{'s' * (of != 1)}" if shown == of else f"{shown} of {of} effects"
        self.counted.emit(told + (f", {left} still to be looked at" if left else ""))

    def _image(self, name: str) -> QImage | None:
        return self.store.get(self._shown.get(name, ""))

    def _came(self) -> None:
        self.grid.update()
        if self.grid.selection and self.isVisible():
            self._show_pictures()

    def _look_at_seen(self) -> None:
        """Reads the pictures of what is in sight, and has what is not known yet looked at, that first."""
        if not self._active:
            return
        seen = [tile.key for tile in self.grid.seen()] if self.isVisible() else []
        self.store.want([self._shown.get(name, "") for name in [*self.grid.selection, *seen]])
        cards, folder = self.index.cards, self.index.folder
        old = [name for name in dict.fromkeys([*seen, *cards]) if self._unknown(cards.get(name), folder, name in seen)]
        asked = tuple(self._wanted), tuple(old)
        if asked != self._asked and (self._wanted or old):
            self._asked, self._looking = asked, old
            self._link.know(folder, self._wanted, old, kept_place(folder))

    @staticmethod
    def _unknown(card: EffectCard | None, folder: Path, seen: bool) -> bool:
        """Whether an effect must be looked at: never was, or, of what is in sight, has become another."""
        if card is None or card.fault:
            return False
        known = card.figures
        return known is None or (seen and card.stamp != UNREAD and known.key != key_of(folder, card))

    def _carded(self, folder: Path, card: EffectCard) -> None:
        """More is known of an effect; another folder may have one of the same name."""
        if folder != self.index.folder:
            return
        if card.name in self._wanted:
            self._wanted.remove(card.name)
        if card.figures is not None and card.name in self._looking:
            self._looking.remove(card.name)
        self.index.take(card)
        self._sifting.start()

    def _lost(self) -> None:
        """The analysis process ended over an effect: it is told of that one, and the others are looked at by another process."""
        if self._looking and not self._wanted:
            card = self.index.cards.get(self._looking[0])
            if card is not None:
                self.index.take(unplayed(self.index.folder, card, "The program that played it ended"))
        self._asked = ()
        self.sift()

    def search_for(self, text: str) -> None:
        """Begins to search with what was typed over the tiles."""
        self.words.setFocus()
        self.words.setText(text)

    # Choosing --------------------------------------------------------------------------------------------------------

    def chosen(self) -> list[EffectCard]:
        """The cards of what is chosen."""
        return [self.index.cards[key] for key in self.grid.selection if key in self.index.cards]

    def _show_chosen(self) -> None:
        cards = self.chosen()
        self.details.show_cards(self.index.folder, cards, [self._image(card.name) for card in cards])
        self._settling.start()

    def _show_pictures(self) -> None:
        for picture, card in zip(self.details.pictures, self.chosen()[:2], strict=False):
            if len(self.grid.selection) <= 2:
                picture.show_image(self._image(card.name))

    def _open(self, name: str) -> None:
        card = self.index.cards.get(name)
        if card is not None and not card.fault:
            self.open_asked.emit(name)

    def _to_tiles(self) -> None:
        """What Return takes is seen beforehand: the first is chosen, and the keyboard is on the tiles."""
        if self.grid.tiles:
            self.grid.choose([self.grid.tiles[0].key])
            self.grid.setFocus()

    def play_together(self) -> None:
        """Has all that are chosen drawn on one quay."""
        self._link.play_together(self.index.folder, list(self.grid.selection), kept_place(self.index.folder))
        self._asked = ()

    def _together(self, folder: Path, names: list[str]) -> None:
        if folder == self.index.folder and names == self.grid.selection:
            self.details.show_together(strip_image(kept_place(self.index.folder) / "together.webp"))
        self._settling.start()

    def _sort_menu(self) -> Menu:
        menu = Menu(self)
        for name in SORTS:
            action = menu.addAction(name)
            action.setCheckable(True)
            action.setChecked(name == self.sort)
            action.triggered.connect(lambda _=False, name=name: self.sort_by(name))
        return menu

    def sort_by(self, name: str) -> None:
        """Puts them into another order."""
        self.sort = name
        self.sort_button.show_text(f"by {name}")
        self.sift()

    def _menu(self, name: str, at: QPoint) -> None:
        menu = Menu(self)
        menu.addAction("Open\tReturn").triggered.connect(lambda: self._open(name))
        together = menu.addAction("Play together")
        together.setEnabled(len(self.grid.selection) > 1)
        together.triggered.connect(self.play_together)
        menu.open_at(at)

    def end(self) -> None:
        """Stops what runs, and keeps what is known."""
        self.store.end()
        self.index.keep()
