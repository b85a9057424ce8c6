"""The end of an effect that plays once: it pauses, says so, and plays again on R or on an edit."""

from __future__ import annotations

from PyQt6.QtCore import QObject

from pale_ember.core.effect.model import Effect
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.stage.transport import Transport


class OneShotEnd(QObject):
    """Watches for the end."""

    def __init__(self, desk: Desk, transport: Transport) -> None:
        super().__init__(transport)
        self._desk, self._transport = desk, transport
        self._at, self._ended = float("inf"), False
        desk.player.moved.connect(self._look)

    def changed(self, old: Effect, new: Effect) -> None:
        """The effect was edited."""
        self._at = Forecast(new).ends_at()
        if self._ended and old is not new:
            self._desk.player.again()
        self._look()

    def _look(self) -> None:
        player = self._desk.player
        over = player.moment >= self._at
        if over and player.playing and self._desk.player.repeat:
            player.again()
            return
        if over and player.playing:
            player.pause()
            self._ended = True
        elif not over:
            self._ended = False
        self._transport.set_ended(over)
