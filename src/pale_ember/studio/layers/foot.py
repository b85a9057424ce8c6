"""Under the rows: where the selected layer stands, as a sentence, and all that carries and moves it."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from pale_ember.core.effect.edit import Path
from pale_ember.core.effect.model import Layer
from pale_ember.core.insight.sentences import standing
from pale_ember.studio.document.desk import Desk, Target
from pale_ember.studio.fields.parts import FieldsColumn, Heading
from pale_ember.studio.fields.sentence import Sentence
from pale_ember.studio.fields.subject import OfLayer
from pale_ember.studio.kit.scrolling import Scrolling

_NAMES = (
    "place", "turn", "places", "space", "scale", "tempo", "rides_on", "stands_on", "turns_with", "target", "keys",
)  # fmt: skip


class PlaceFoot(QWidget):
    """The sentence of a layer's place, and its fields folded under it."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.sentence = Sentence(desk, OfLayer(desk), least=1)
        self.sentence.sought.connect(lambda path: desk.sought.emit(Target(Layer, path, str(path[0]))))
        column.addWidget(self.sentence)
        self.heading = Heading("place, turn, places, scale, tempo, keys, what it rides on", opened=False)
        self.fields = FieldsColumn(desk, OfLayer(desk), (), Layer, only=_NAMES)
        area = Scrolling(self.fields)
        area.setMinimumHeight(150)
        area.setVisible(False)
        self.heading.toggled.connect(area.setVisible)
        column.addWidget(self.heading)
        column.addWidget(area)

    def refresh(self, *, steady: bool) -> None:
        """Shows the selected layer; steady : the sentence keeps its height, for the hand is near."""
        layer = self.desk.layer
        self.sentence.setVisible(layer is not None)
        if layer is not None:
            steady = steady or self.heading.underMouse()
            self.sentence.show_told(standing(self.desk.effect, layer), layer, steady=steady)
            self.fields.show_root(layer)

    def reveal(self, path: Path) -> QWidget | None:
        """Opens the fields; the row of one of them."""
        self.heading.open()
        return self.fields.reveal(path)
