"""A gas steered while it flows: what is changed goes into the gas that is there."""

from __future__ import annotations

import threading
import time

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.gas.gas import Fluid
from pale_ember.core.gas.march import drawn, picture
from pale_ember.machine.error_log import unforeseen

CELLS = 48
"""Cells along each side of the gas that is steered: a step takes about a twentieth of a second on two cores."""
_STEP = 1 / 30


class GasSteering(QObject):
    """Runs a gas on a thread as long as it is on; the newest numbers count from the next step on."""

    seen = pyqtSignal(object)
    """(n, n, 4) float32, linear and straight."""
    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._gas: Gas | None = None
        self._thread: threading.Thread | None = None
        self._stop = threading.Event()
        self.steps = 0

    @property
    def on(self) -> bool:
        """Whether a gas flows."""
        return self._thread is not None

    def tell(self, gas: Gas) -> None:
        """Gives the gas that flows other numbers."""
        self._gas = replace(gas, grid=min(gas.grid, CELLS), lasts=max(gas.lasts, 1e6) if gas.lasts >= 30 else gas.lasts)

    def start(self, gas: Gas) -> None:
        """Lets a gas flow from its beginning."""
        self.stop()
        self.tell(gas)
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, args=(self._stop,), name="pale-ember-steer", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Ends the flow."""
        thread, self._thread = self._thread, None
        self._stop.set()
        if thread is not None:
            thread.join(timeout=5)

    def _run(self, stop: threading.Event) -> None:
        try:
            gas = self._gas
            assert gas is not None
            fluid = Fluid(gas)
            while not stop.is_set():
                begun = time.monotonic()
                if self._gas is not gas and self._gas is not None:
                    gas = self._gas
                    fluid.retell(gas)
                if fluid.time > gas.warm + gas.span and gas.lasts < 30:
                    # A burst is over: again from its beginning.
                    fluid = Fluid(gas)
                fluid.step(min(_STEP, fluid.longest()))
                self.steps += 1
                self.seen.emit(picture(gas, drawn(gas, fluid.fields, fluid.flow)))
                stop.wait(max(_STEP - (time.monotonic() - begun), 0.001))
        except Exception as error:  # noqa: BLE001 - a thread's last word
            self.failed.emit(unforeseen(error))
