"""The effect is checked after each edit, where that is wanted and somebody would see it."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from pale_ember.studio.document.desk import Desk
from pale_ember.studio.insight.analysis_link import AnalysisLink
from pale_ember.studio.insight.checks_page import ChecksPage
from pale_ember.studio.insight.cost_page import CostPage
from pale_ember.studio.shell.start_order import StartOrder


class AutomaticChecks(QObject):
    """Asks the analysis process, once the window has begun, and shows what it found."""

    def __init__(self, desk: Desk, checker: AnalysisLink, checks: ChecksPage, costs: CostPage, begins: StartOrder) -> None:
        super().__init__(checks)
        self._desk, self._checker, self._checks, self._costs, self._begins = desk, checker, checks, costs, begins
        checker.checked.connect(desk.findings.take)
        checker.spent.connect(desk.spent.take)
        checker.cut.connect(desk.spent.take_cuts)
        for asked in (checks.switched, begins.begun, desk.gas_made):
            asked.connect(self.run)

    def run(self, *, anew: bool = False) -> None:
        """Lets the effect be checked. anew : files changed outside."""
        self._checker.marks = self._checks.on
        if self._begins.over and (self._checks.on or self._costs.isVisible()):
            self._checker.check(self._desk.effect, anew=anew)
