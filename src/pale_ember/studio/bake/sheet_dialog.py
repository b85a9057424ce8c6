"""Bake a sheet: choose frames and span, see it played, then save it."""

from __future__ import annotations

import dataclasses
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from pale_ember.core.effect.bakes import SheetBake
from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Camera, Effect
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.sheet import Sheet, SheetPlan, best_columns, memory_of
from pale_ember.core.view import world_size
from pale_ember.draw.sheets import draw_sheet
from pale_ember.formats.sheets import ALSO, KINDS, SheetExtra, beside, sheet_files
from pale_ember.studio.bake.export_dialog import ExportDialog, kept
from pale_ember.studio.bake.kept_bakes import KeptBakes
from pale_ember.studio.bake.sheet_player import OVER, SheetView
from pale_ember.studio.controls.buttons import SwitchEdit
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit.settings import last_folder

FITTED = "fitted to all that is painted"
"""The view that is moved so that no frame is cut off."""
BRIGHTEST = "fitted to the main body"
"""The view that lets what is thin and far run out at a frame's edges."""
_KEEP = 0.97
"""How much of what is painted the body is."""


class SheetDialog(ExportDialog):
    """Fields, the sheet and its faults, save."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(desk, "Bake a sheet", "Bake", parent)
        self._baked_from = desk.looking.camera
        """The view that the sheet was baked in."""
        self.sheet: Sheet | None = None
        self.extras: dict[str, SheetExtra] = {}
        end = min(self.effect.duration / self.effect.tempo, 36000.0)
        self.plan = SheetPlan(last=end)
        self._columns_chosen = False
        self._build(end)
        self._measure()

    # Building --------------------------------------------------------------------------------------------------

    def _build(self, end: float) -> None:
        self._build_numbers(end)
        straight = ("Straight alpha, for most importers.", "Colour times alpha: no dark rims, additive light survives.")
        alpha = "straight", "premultiplied"
        self.alpha = self.choice("alpha", alpha, lambda word: self._changed("alpha", word), straight)
        looking = self.desk.looking.camera
        self._cameras = {FITTED: looking, BRIGHTEST: looking, "as on the stage": looking} | {
            camera.name: camera for camera in self.effect.stage.cameras
        }
        self.view_choice = self.choice("camera", tuple(self._cameras), self._stale)
        told = "Every loop draws the same numbers and begins warm, so that the last frame meets the first"
        self.identical = self._switch("same every loop", told, on=True)
        self.identical.setEnabled(self.effect.loop)
        tips = (
            "Also bakes how everything moves to the next frame: fewer frames play smoothly",
            "Also bakes normals for lighting, estimated from thickness",
        )
        self.also = {
            what: self._switch(label, tip, on=False) for what, label, tip in zip(ALSO, ("motion vectors", "normals"), tips, strict=True)
        }
        self.view = SheetView()
        self.over = self.choice("", OVER, self.view.show_over, form=False)
        self.shown = self.choice("", ("picture", *ALSO), self._show, form=False)
        self.size_told = self.quiet()
        self.kept = KeptBakes(self.desk, self.bake_kept)
        self.button.clicked.connect(self.bake)
        self.save_button = QPushButton("Save…")
        self.save_button.clicked.connect(self._ask_and_save)
        self.save_button.setEnabled(False)
        self._lay_out()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        note = self.quiet(
            "A sheet's frames are square. Fitted, the camera moves until none is cut off; fitted to the main body, what is thin "
            "and far runs out at the edges and the rest is larger. It keeps its turn."
        )
        left.addLayout(self.form)
        left.addWidget(note)
        left.addWidget(self.kept)
        left.addStretch(1)
        seen = QHBoxLayout()
        seen.addWidget(self.size_told, 1)
        for word, choice in (("shown", self.shown), ("over", self.over)):
            seen.addWidget(self.quiet(word))
            seen.addWidget(choice)
        right = QVBoxLayout()
        right.addWidget(self.view, 1)
        right.addLayout(seen)
        top = QHBoxLayout()
        top.addLayout(left)
        top.addLayout(right, 1)
        buttons = QHBoxLayout()
        buttons.addWidget(self.verdict, 1)
        buttons.addWidget(self.button)
        buttons.addWidget(self.save_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 16, 16, 14)
        column.addLayout(top, 1)
        column.addWidget(self.progress)
        column.addLayout(buttons)
        self.resize(1040, 600)

    def _build_numbers(self, end: float) -> None:
        self.editors: dict[str, NumberEdit] = {}
        fields = (
            ("frames", Field("frames", "", soft=(1, 64), least=1, most=1024), True),
            ("columns", Field("columns", "", soft=(1, 16), least=1, most=256), True),
            ("cell", Field("cell", "", unit="px", soft=(32, 512), least=4, most=2048), True),
            ("first", Field("from", "", unit="s", soft=(0, end), least=0), False),
            ("last", Field("to", "", unit="s", soft=(0, end), least=0.001), False),
            ("fade", Field("cross-fade", "", soft=(0, 0.5), least=0, most=0.5), False),
        )
        for name, field, whole in fields:
            start = getattr(self.plan, name)
            self.editors[name] = self.number(field, start, whole, partial(self._changed, name))
        self.editors["columns"].setToolTip("As many as waste the least GPU memory, until you choose")
        self.editors["fade"].setToolTip("The share of the frames in which what comes after the last fades out, so that the loop closes")

    def _switch(self, label: str, tip: str, *, on: bool) -> SwitchEdit:
        made = SwitchEdit(Field(label, ""), default=on, name=label)
        made.show_value(on)
        made.setToolTip(tip)
        made.edited.connect(lambda *_: self._stale())
        self.form.addRow(label, made)
        return made

    # Choosing --------------------------------------------------------------------------------------------------

    def _changed(self, name: str, value: Any) -> None:
        self.plan = dataclasses.replace(self.plan, **{name: value})
        self._columns_chosen |= name == "columns"
        if name in ("frames", "cell") and not self._columns_chosen:
            self.plan = dataclasses.replace(self.plan, columns=best_columns(self.plan.frames, self.plan.cell))
            self.editors["columns"].show_value(self.plan.columns)
        self._stale()
        self._measure()

    def _stale(self, _: object = None) -> None:
        """What is shown is no longer what would be saved."""
        self.save_button.setEnabled(False)

    def _measure(self) -> None:
        plan = self.plan
        wide, tall = plan.columns * plan.cell, plan.rows * plan.cell
        self.size_told.setText(
            plan.fault() or f"{wide} × {tall} px, {memory_of(plan) / 2**20:.1f} MB of GPU memory, a quarter of it packed as BC3"
        )

    @property
    def camera(self) -> Camera:
        """The view that is baked; fitted, the one it begins from."""
        return self._cameras[self.view_choice.value]

    def baked_effect(self) -> Effect:
        """The effect as it is baked: its loops identical unless that is switched off, or they fade into each other."""
        return self.plan.baked(self.effect) if self.identical.value else self.effect

    def bake_kept(self, name: str) -> SheetBake:
        """What is chosen, as builds bake it."""
        plan, view = self.plan, self.view_choice.value
        saved = view if view in {camera.name for camera in self.effect.stage.cameras} else ""
        return SheetBake(
            name=name, frames=plan.frames, columns=plan.columns, cell=plan.cell, alpha=self.alpha.value,  # type: ignore[arg-type]
            first=plan.first, last=plan.last, fade=plan.fade, keep=_KEEP if view == BRIGHTEST else 1.0, camera=saved,
            same=self.identical.value, vectors=self.also["vectors"].value, normals=self.also["normals"].value,
        )  # fmt: skip

    # Baking ----------------------------------------------------------------------------------------------------

    def bake(self) -> None:
        """Begins to bake, or stops the bake that runs."""
        if self.task is not None:
            self.task.cancel()
            return
        fits, body = self.view_choice.value in (FITTED, BRIGHTEST), self.view_choice.value == BRIGHTEST
        plan = dataclasses.replace(self.plan, keep=_KEEP if body else 1.0)
        fault = plan.fault()
        if fault:
            self.verdict.setText(fault)
            return
        self.save_button.setEnabled(False)
        effect, camera, pictures = self.baked_effect(), self.camera, self.desk.shelf.patient().get
        timeline = Timeline(effect, self.desk.shelf_mesh, self.desk.shelf_density)
        also = [what for what, switch in self.also.items() if switch.value]

        def work(progress: Any) -> tuple[Sheet, Camera, dict[str, SheetExtra]] | None:
            drawn = draw_sheet(timeline, camera, plan, pictures, progress, fits=fits)
            extras = beside(effect, drawn[0], also, lambda: progress(plan.frames)) if drawn else {}
            return (*drawn, extras) if drawn and len(extras) == len(also) else None

        self.make(work, plan.frames, self._done)

    def _done(self, baked: tuple[Sheet, Camera, dict[str, SheetExtra]] | None) -> None:
        if baked is None:
            self.verdict.setText("Stopped; nothing was baked.")
            return
        self.sheet, self._baked_from, self.extras = baked
        self._show()
        sheet = self.sheet
        words = []
        if sheet.clipped:
            words.append(f"{len(sheet.clipped)} of {sheet.plan.frames} frames are cut off at an edge (yellow): move the camera back.")
        if self.effect.loop:
            smooth = sheet.seam < 1.8
            words.append(
                "The loop closes smoothly."
                if smooth
                else f"The loop jumps: its seam changes {sheet.seam:.1f} times as much as other frames."
            )
        self.verdict.setText(" ".join(words) or "Nothing is cut off.")
        self.save_button.setEnabled(True)

    def _show(self, _: object = None) -> None:
        """The picture, or what stands beside it, as far as it was baked."""
        if self.sheet is None:
            return
        word = self.shown.value
        extra = self.extras.get(word)
        if word != "picture" and extra is None:
            self.verdict.setText(f"No {word} were baked: switch them on and bake again.")
        self.view.show_sheet(self.sheet, extra.pixels if extra is not None else None)

    # Saving ----------------------------------------------------------------------------------------------------

    def _ask_and_save(self) -> None:
        folder = self.desk.folder or last_folder()
        kinds = ";;".join(f"{kind[1:].upper()} (*{kind})" for kind in KINDS)
        name, kind = QFileDialog.getSaveFileName(self, "Save the sheet", str(folder / "sheet.png"), kinds)
        if name:
            path = Path(name)
            self.save(path if path.suffix.lower() in KINDS else path.with_suffix(f".{kind[:3].lower()}"))

    def save(self, path: Path) -> None:
        """Writes the picture, what was baked beside it and the JSON, away from the window."""
        if self.sheet is None or self.task is not None:
            return
        effect, sheet, extras, world = self.baked_effect(), self.sheet, self.extras, world_size(self._baked_from)

        def work(_: Any) -> str:
            files = sheet_files(effect, sheet, path, world, extras)
            return kept({path.with_name(name): data for name, data in files.items()})

        self.make(work, 0, self.verdict.setText)
