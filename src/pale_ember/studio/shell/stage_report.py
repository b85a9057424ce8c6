"""What the window tells of a picture of its stage: figures and marks, beside the picture itself."""

from __future__ import annotations

import time

import numpy as np

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.simulate.frame import LayerFrame
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.layers.panel import LayersPanel
from pale_ember.studio.shell.file_faults import FileFaults
from pale_ember.studio.stage.transport import Readout
from pale_ember.studio.stage.view import StageView
from pale_ember.studio.stage.worker import Answer
from pale_ember.studio.story.story import Story

READ_EVERY = 0.12
"""Seconds between two changes of a figure while playing."""


class StageReport:
    """Tells what the stage showed last; while playing only as often as it can be read, and in turns, so that no picture waits for all
    of it to be painted."""

    def __init__(self, desk: Desk, stage: StageView, layers: LayersPanel, readout: Readout, story: Story, faults: FileFaults) -> None:
        self._desk, self._stage, self._layers, self._readout, self._story = desk, stage, layers, readout, story
        self._faults = faults
        self._turns = [self._counts, self._ages, self._drawn]
        self._turn, self._told = 0, 0.0

    def tell(self, answer: Answer) -> None:
        """Tells of a picture that has just been shown."""
        now, turns = time.perf_counter(), self._turns
        if self._desk.player.playing:
            if now - self._told < READ_EVERY / len(turns):
                return
            self._turn = (self._turn + 1) % len(turns)
            turns = [turns[self._turn]]
        self._told = now
        for turn in turns:
            turn(answer)

    def tell_loop(self, alive: dict[str, np.ndarray]) -> None:
        """Tells how many live after each step of a loop, as far as it is known. alive : (steps,) each, by layer."""
        self._layers.table.show_alive(alive)
        shown = [alive[key] for key in alive if (layer := layer_of(self._desk.effect, key)) is not None and layer.shown]
        length = min((len(counts) for counts in shown), default=0)
        self._readout.peak = int(sum(counts[:length] for counts in shown).max()) if length else 0

    def _chosen(self, answer: Answer) -> LayerFrame | None:
        """The selected layer in a picture."""
        return next((layer for layer in answer.frame.layers if layer.layer.id == self._desk.selection), None)

    def _ages(self, answer: Answer) -> None:
        self._story.show_ages(self._chosen(answer))

    def _drawn(self, answer: Answer) -> None:
        self._story.show_drawn(self._chosen(answer))

    def _counts(self, answer: Answer) -> None:
        counts: dict[str, int] = {}
        for layer in answer.frame.layers:
            counts[layer.layer.id] = counts.get(layer.layer.id, 0) + layer.count
        self._layers.table.show_now(counts)
        self._readout.show_answer(answer, self._stage.painted)
        self._story.picture_read()
        self._faults.tell(self._desk.shelf)
