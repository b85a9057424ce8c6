"""Export a clip or a cache: the effect as a moving picture, or its particles over time."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from pale_ember.core.effect.bakes import ClipBake
from pale_ember.core.effect.fields import Field
from pale_ember.core.insight.effect_cost import seconds_of
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.sheet import closed
from pale_ember.draw.clips import clip_frames
from pale_ember.formats.caches import CacheError, cache_bytes
from pale_ember.formats.clips import CLEAR, ClipError, clip_bytes, kept_size, moments_of
from pale_ember.studio.bake.export_dialog import ExportDialog, kept
from pale_ember.studio.bake.kept_bakes import KeptBakes
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit.settings import last_folder
from pale_ember.studio.kit.tasks import TaskStopped, while_wanted

KINDS = {
    "animated WebP": (".webp", "Small, transparent background; for pages and chats."),
    "animated PNG": (".png", "Lossless, transparent background."),
    "MP4": (".mp4", "Plays everywhere; no transparency."),
    "WebM": (".webm", "Small, transparent background."),
    "USD, packed": (".usdc", "Every particle as an instance, for other programs."),
    "USD, readable": (".usda", "The same as text."),
    "glTF": (".glb", "Every particle as a moving card; up to 4000 of them."),
    "CSV": (".csv", "A line for every particle at every moment."),
    "NPZ": (".npz", "The numbers as arrays."),
}
"""What can be kept: by its word, its ending and what it is good for."""
_CLIPS = 4
"""So many of them, from the first on, are pictures."""
AS_SEEN = "as on the stage"


class ClipDialog(ExportDialog):
    """Kind, span and rate; for pictures their size, view and background; made away from the window and kept whole."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(desk, "Export a clip or a cache", "Keep…", parent)
        end = min(seconds_of(self.effect), 36000.0)
        helps = tuple(told for _, told in KINDS.values())
        self.kind = self.choice("format", tuple(KINDS), self._measure, helps)
        self.numbers: dict[str, NumberEdit] = {}
        for name, field, start, whole in (
            ("first", Field("from", "", unit="s", soft=(0, end), least=0), 0.0, False),
            ("last", Field("to", "", unit="s", soft=(0, end), least=0.001), end, False),
            ("fps", Field("frames a second", "", soft=(1, 60), least=1, most=120), 30, True),
            ("wide", Field("width", "", unit="px", soft=(64, 1920), least=16, most=4096), 640, True),
            ("tall", Field("height", "", unit="px", soft=(64, 1080), least=16, most=4096), 480, True),
        ):
            self.numbers[name] = self.number(field, start, whole, self._measure)
        self._cameras = {AS_SEEN: desk.looking.camera} | {view.name: view for view in self.effect.stage.cameras}
        self.view = self.choice("camera", tuple(self._cameras), self._measure)
        self.over = self.choice("over", (AS_SEEN, "none", "dark", "mid", "light", "checker"), self._measure)
        self.told = self.quiet()
        self.kept = KeptBakes(desk, self.bake_kept)
        self.button.clicked.connect(self._ask_or_stop)
        row = QHBoxLayout()
        row.addWidget(self.verdict, 1)
        row.addWidget(self.button)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 16, 16, 14)
        column.addLayout(self.form)
        column.addWidget(self.told)
        column.addWidget(self.kept)
        column.addStretch(1)
        column.addWidget(self.progress)
        column.addLayout(row)
        self.resize(460, 430)
        self._measure()

    @property
    def ending(self) -> str:
        """The ending of the file."""
        return KINDS[self.kind.value][0]

    @property
    def draws(self) -> bool:
        """Whether pictures are kept, not particles."""
        return self.kind.value in tuple(KINDS)[:_CLIPS]

    def bake_kept(self, name: str) -> ClipBake:
        """What is chosen, as builds bake it."""
        numbers = {key: editor.value for key, editor in self.numbers.items()}
        view, over = self.view.value, "as on the stage" if self.over.value == AS_SEEN else self.over.value
        return ClipBake(
            name=name, ending=self.ending, fps=numbers["fps"], wide=int(numbers["wide"]), tall=int(numbers["tall"]),  # type: ignore[arg-type]
            first=numbers["first"], last=numbers["last"], camera="" if view == AS_SEEN else view, over=over,  # type: ignore[arg-type]
        )  # fmt: skip

    def _moments(self) -> list[float]:
        """s; empty where the span is none."""
        first, last, fps = (self.numbers[name].value for name in ("first", "last", "fps"))
        return moments_of(first, last, fps) if last > first else []

    def _fault(self) -> str | None:
        if not self._moments():
            first, last = self.numbers["first"].value, self.numbers["last"].value
            return f"span: expected an end after its start, found {first:g} to {last:g} s; move one of them"
        if self.draws and self.over.value == "none" and self.ending not in CLEAR:
            return f"background none: {self.kind.value} has no transparency; choose another format or background"
        return None

    def _measure(self, _: object = None) -> None:
        """What cannot matter is out of reach, and what will be kept is told."""
        for widget in (self.numbers["wide"], self.numbers["tall"], self.view, self.over):
            widget.setEnabled(self.draws)
        self.kept.keep_button.setEnabled(self.draws)
        fault, count = self._fault(), len(self._moments())
        asked = int(self.numbers["wide"].value), int(self.numbers["tall"].value)
        wide, tall = kept_size(self.ending, asked)
        size = f", {wide} × {tall} px{' (films have even sides)' * ((wide, tall) != asked)}" if self.draws else ""
        units = "" if self.draws else "; metres, Y up, linear colours"
        self.told.setText(fault or f"{count} frames{size}{units}. {KINDS[self.kind.value][1]}")
        self.button.setEnabled(fault is None or self.task is not None)

    # Keeping ---------------------------------------------------------------------------------------------------

    def _ask_or_stop(self) -> None:
        if self.task is not None:
            self.task.cancel()
            return
        folder = self.desk.folder or last_folder()
        start = str(folder / f"{self.effect.name}{self.ending}")
        name, _ = QFileDialog.getSaveFileName(self, "Export as", start, f"{self.kind.value} (*{self.ending})")
        if name:
            self.keep(Path(name).with_suffix(self.ending))

    def keep(self, path: Path) -> None:
        """Begins to make what is chosen and writes it when it is whole."""
        moments = self._moments()
        make = self._clip(moments) if self.draws else self._cache(moments)
        expected = ClipError, CacheError, TaskStopped
        self.make(lambda progress: kept({path: make(progress)}), len(moments), self.verdict.setText, expected)

    def _clip(self, moments: list[float]) -> Callable[[Callable[[int], bool]], bytes]:
        effect = closed(self.effect)
        timeline = Timeline(effect, self.desk.shelf_mesh, self.desk.shelf_density)
        camera, kind, pictures = self._cameras[self.view.value], self.ending, self.desk.shelf.patient().get
        over = effect.stage.background if self.over.value == AS_SEEN else self.over.value
        size = int(self.numbers["wide"].value), int(self.numbers["tall"].value)
        fps, loops = float(self.numbers["fps"].value), effect.loop

        def make(progress: Callable[[int], bool]) -> bytes:
            frames = clip_frames(timeline, camera, over, size, while_wanted(moments, progress), pictures)
            return clip_bytes(frames, fps, kind, loops=loops)

        return make

    def _cache(self, moments: list[float]) -> Callable[[Callable[[int], bool]], bytes]:
        effect, kind, fps = self.effect, self.ending, float(self.numbers["fps"].value)
        timeline = Timeline(effect, self.desk.shelf_mesh, self.desk.shelf_density)

        def make(progress: Callable[[int], bool]) -> bytes:
            frames = (timeline.frame(moment) for moment in while_wanted(moments, progress))
            return cache_bytes(effect, frames, fps, kind, timeline.mesh)

        return make

    def rest(self, said: str = "") -> None:
        super().rest(said)
        self._measure()
