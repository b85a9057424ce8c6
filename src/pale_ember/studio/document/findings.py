"""What the checks found in the open document, for whoever marks it."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.edit import Path, layer_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.insight.checks.finding import Finding, Mend
from pale_ember.core.insight.checks.rules import left_alone, mended, with_left, without_left
from pale_ember.studio.document.history import Document
from pale_ember.studio.document.view_settings import ViewSettings


class Findings(QObject):
    """Holds what was found last, mends it, and shows on the stage what a mend would do."""

    changed = pyqtSignal()

    def __init__(self, document: Document, looking: ViewSettings) -> None:
        super().__init__()
        self.document, self.looking = document, looking
        self.all: tuple[Finding, ...] = ()
        """Everything found, the grave first."""
        self._marks: dict[str, list[Finding]] = {}
        document.changed.connect(self._edited)
        document.opened.connect(lambda: self.take(document.effect, []))

    @property
    def open(self) -> tuple[Finding, ...]:
        """What is neither mended nor left as it is."""
        return tuple(each for each in self.all if left_alone(self.document.effect, each) is None)

    @property
    def left(self) -> tuple[Finding, ...]:
        """What the artist left as it is."""
        return tuple(each for each in self.all if left_alone(self.document.effect, each) is not None)

    def take(self, effect: Effect, found: list[Finding]) -> None:
        """Takes what was found in an effect, unless it has been edited since."""
        if effect is not self.document.effect:
            return
        self.all = tuple(sorted(found, key=lambda finding: not finding.grave))
        self._mark()

    def _mark(self) -> None:
        self._marks = {}
        for finding in self.open:
            self._marks.setdefault(finding.layer, []).append(finding)
        self.changed.emit()

    def _edited(self, old: Effect, new: Effect) -> None:
        if old.left != new.left:
            self._mark()

    def at(self, layer: str, path: Path = ()) -> list[Finding]:
        """What is found at a place of a layer, or of the effect for "", and below it."""
        return [each for each in self._marks.get(layer, ()) if each.path[: len(path)] == path]

    def try_mend(self, mend: Mend | None) -> None:
        """Shows on the stage what a mend would do; None shows the effect as it is."""
        self.looking.try_effect(None if mend is None else mended(self.document.effect, mend))

    def do(self, about: str, mend: Mend) -> None:
        """Does a mend: one step of the history. about : the id of the layer that it is about, "" for the effect."""
        self.try_mend(None)
        layer = layer_of(self.document.effect, about)
        whose = f"{layer.name}: " if layer is not None else ""
        self.document.change(f"{whose}{mend.name}", mended(self.document.effect, mend))

    def leave(self, finding: Finding, reason: str) -> None:
        """Keeps in the document that a finding stays as it is."""
        self.document.change(f"ignore {finding.rule}", with_left(self.document.effect, finding, reason))

    def tell_again(self, finding: Finding) -> None:
        """Reports an ignored finding again."""
        self.document.change(f"stop ignoring {finding.rule}", without_left(self.document.effect, finding))
