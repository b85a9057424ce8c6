"""What is typed into a search, as wishes: offered with what each was and becomes, turned to other senses, and done in one step."""

from __future__ import annotations

from pale_ember.core.effect.model import Layer
from pale_ember.core.insight.search import Entry
from pale_ember.core.words.scene import Scene, Wish
from pale_ember.core.words.wishes import UnderstoodPiece, done, senses_of, understood
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.kit.saved_items import starts_by_word


class WishOffers:
    """The wishes of a line. chapter : what is meant first of all, where that is known."""

    def __init__(self, desk: Desk, chapter: str = "") -> None:
        self.desk, self._chapter = desk, chapter
        self._starts = starts_by_word()
        self.pieces: list[UnderstoodPiece] = []
        self._senses: dict[str, int] = {}
        """Which sense of a piece is meant, by its words, where not the first."""
        self._text = ""

    def scene(self) -> Scene:
        desk = self.desk
        return Scene(desk.effect, desk.chosen, tuple(desk.touched), self._starts, chapter=self._chapter)

    @property
    def several(self) -> bool:
        """Whether the line is more than one wish."""
        return sum(bool(piece.senses) for piece in self.pieces) > 1

    @property
    def lost(self) -> list[tuple[int, int]]:
        """What of the line is not understood, where something else is: from one place to another."""
        known = any(piece.senses for piece in self.pieces)
        return [(piece.begin, piece.end) for piece in self.pieces if not piece.senses] if known else []

    def entries(self, text: str) -> list[Entry]:
        """What a line wishes: a row for each wish; of one alone a row for each of its senses."""
        self._text, scene = text, self.scene()
        self.pieces = understood(text, scene) if text and self.desk.layer is not None else []
        if self.several:
            return [self._row(piece) for piece in self.pieces]
        senses = list(self.pieces[0].senses) if len(self.pieces) == 1 else []
        if not senses:
            senses = senses_of(text, scene)
            self.pieces = [UnderstoodPiece(0, len(text), tuple(senses))] if senses else []
        return [Entry(wish.title, wish.where, (), "", wish) for wish in senses]

    def _row(self, piece: UnderstoodPiece) -> Entry:
        said = self._text[piece.begin : piece.end]
        if not piece.senses:
            return Entry(f"“{said}”", "", (), "Not understood. Say it differently, or it is left out.", piece)
        wish = self._sense(piece)
        others = len(piece.senses) - 1
        told = f"“{said}”" + (f" · Tab: {others} other sense{'s' * (others > 1)}" if others else "")
        return Entry(wish.title, wish.where, (), told, piece)

    def _sense(self, piece: UnderstoodPiece) -> Wish:
        return piece.senses[self._senses.get(self._text[piece.begin : piece.end], 0) % len(piece.senses)]

    def turn(self, entry: Entry) -> bool:
        """Goes on to the next sense of a wish of several; says whether there is one."""
        piece = entry.does
        if not isinstance(piece, UnderstoodPiece) or len(piece.senses) < 2:
            return False
        said = self._text[piece.begin : piece.end]
        self._senses[said] = self._senses.get(said, 0) + 1
        return True

    def now(self, entry: Entry) -> str:
        """What a wish was, and what it becomes."""
        wish = entry.does
        if isinstance(wish, UnderstoodPiece):
            if not wish.senses:
                return "?"
            wish = self._sense(wish)
        return f"{wish.was} → {wish.becomes}".lstrip() if isinstance(wish, Wish) else ""

    def take(self, entry: Entry) -> list[tuple[int, int]] | None:
        """Does all that the line wishes, or the one sense that was chosen, as one step; what of the line is lost. None where the entry
        is no wish."""
        wish, desk = entry.does, self.desk
        if isinstance(wish, Wish):
            whose = self._whose() if wish.kind is Layer else ""
            desk.document.change(f"{whose}{wish.title}", wish.does(desk.effect, desk.chosen))
            if wish.path:
                desk.touch(wish.path)
                desk.sought.emit(Target(wish.kind, tuple(step for step in wish.path if isinstance(step, str)), wish.title))
            return []
        if not isinstance(wish, UnderstoodPiece):
            return None
        meant = {i: self._senses.get(self._text[piece.begin : piece.end], 0) for i, piece in enumerate(self.pieces)}
        told = [self._sense(piece) for piece in self.pieces if piece.senses]
        desk.document.change(f"{self._whose()}{', '.join(each.title for each in told)}", done(self.pieces, self.scene(), meant))
        for each in told:
            desk.touch(each.path)
        return self.lost

    def _whose(self) -> str:
        layer = self.desk.layer
        if layer is None:
            return ""
        return f"{layer.name}: " if len(self.desk.chosen) == 1 else f"{len(self.desk.chosen)} layers: "
