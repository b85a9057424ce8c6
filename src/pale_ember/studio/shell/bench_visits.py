"""Ways from the Workbench to the bench where pictures are made."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject

from pale_ember.studio.bench.bench_page import BenchPage
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.shell.screens import TEXTURES, WindowScreens


class BenchVisits(QObject):
    """Shows the bench with something to work on."""

    def __init__(self, desk: Desk, screens: WindowScreens, bench: BenchPage) -> None:
        super().__init__(bench)
        self._desk, self._screens, self._bench = desk, screens, bench
        desk.bench_asked.connect(self.open_picture)
        desk.bake_asked.connect(self.bake_layer)

    def open_picture(self, name: str) -> None:
        """Works on a picture; one of the library becomes a recipe for the selected layer."""
        self._screens.show_screen(TEXTURES)
        self._bench.deeds.take(name)

    def bring_frames(self, paths: list[Path]) -> None:
        """Lays files into a sheet."""
        self._screens.show_screen(TEXTURES)
        self._bench.deeds.bring_files(paths)

    def bake_layer(self, identity: str) -> None:
        """Bakes a layer into a sheet that takes its place."""
        self._desk.select(identity)
        self.open_picture("")
        self._bench.deeds.bake_layers()
