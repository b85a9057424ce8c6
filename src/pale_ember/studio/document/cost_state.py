"""What the open document was last found to cost, and the target that this is held against."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.model import Effect
from pale_ember.core.insight.cost_cuts import CostCut
from pale_ember.core.insight.effect_cost import Budget
from pale_ember.core.insight.layer_costs import CostOverTime
from pale_ember.formats.targets import targets_of
from pale_ember.studio.document.history import Document
from pale_ember.studio.kit.settings import settings

_KEPT = "target"

_COUNTED = {"alive": "particles alive", "painted": "screens painted"}
"""What is counted, in words."""


class CostState(QObject):
    """Holds what was measured last, and chooses the target."""

    changed = pyqtSignal()
    """It was measured anew, or is held against another target."""
    cut = pyqtSignal()
    """More is known of what would cut it."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.spending: CostOverTime | None = None
        self.cuts: list[CostCut] = []
        self.of: Effect | None = None
        """The effect that was measured."""
        self.cuts_of: Effect | None = None
        """The effect whose cuts are known."""
        self._folder = document.folder
        """Where targets were read last."""
        self.targets = targets_of(self._folder)[0]
        self._chosen = str(settings().value(_KEPT, ""))
        document.opened.connect(self._forget)
        document.named.connect(self._follow_folder)

    @property
    def target(self) -> str:
        """The name of the chosen target."""
        return self._chosen if self._chosen in self.targets else next(iter(self.targets))

    @property
    def budget(self) -> Budget:
        """What the target allows."""
        return self.targets[self.target]

    def choose(self, target: str) -> None:
        """Chooses the target."""
        self._chosen = target
        settings().setValue(_KEPT, target)
        self.changed.emit()

    def read_targets(self) -> str:
        """Reads the targets beside the document anew; says what is wrong with them, or nothing."""
        self._folder = self.document.folder
        self.targets, wrong = targets_of(self._folder)
        self.changed.emit()
        return wrong

    def take(self, effect: Effect, spending: CostOverTime) -> None:
        """Takes what an effect costs, unless it has been edited since."""
        if effect is self.document.effect:
            self.of, self.spending = effect, spending
            self.changed.emit()

    def take_cuts(self, effect: Effect, cuts: list[CostCut]) -> None:
        """Takes what would cut the cost of an effect, unless it has been edited since."""
        if effect is self.document.effect:
            self.cuts, self.cuts_of = cuts, effect
            self.cut.emit()

    def shares(self) -> dict[str, float]:
        """What share of the target is taken, by what is counted; nothing before anything was measured."""
        return {} if self.spending is None else self.spending.shares(self.budget)

    def left(self) -> list[str]:
        """How much of the target is left, in words."""
        return [
            f"{_COUNTED.get(name, name)}: {1 - share:.0%} left" if share <= 1 else f"{_COUNTED.get(name, name)}: {share:.1f}× the budget"
            for name, share in self.shares().items()
        ]

    def _follow_folder(self) -> None:
        if self._folder != self.document.folder:
            self.read_targets()

    def _forget(self) -> None:
        self.spending, self.cuts, self.of, self.cuts_of = None, [], None, None
        self.read_targets()
