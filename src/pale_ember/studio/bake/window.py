"""Bake a sheet: choose frames and span, see it played, then save it."""

from __future__ import annotations

import dataclasses
from pathlib import Path
from typing import Any, Literal

from PyQt6.QtCore import QRectF, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QColor, QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from pale_ember.core.effect.fields import Field
from pale_ember.core.effect.model import Camera, Effect
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.sheet import Sheet, SheetPlan, closed
from pale_ember.draw.context import NoOpenGL
from pale_ember.draw.sheets import draw_sheet
from pale_ember.draw.view import world_size
from pale_ember.formats.disk import write_whole
from pale_ember.formats.pictures import png_bytes
from pale_ember.formats.sheets import sheet_json
from pale_ember.studio.controls.buttons import ChoiceEdit, SwitchEdit
from pale_ember.studio.controls.number import NumberEdit
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.settings import last_folder
from pale_ember.studio.kit.tasks import Task


class SheetView(QWidget):
    """The sheet as it lies, with cut edges marked; beside it, played."""

    def __init__(self) -> None:
        super().__init__()
        self.sheet: Sheet | None = None
        self._image: QImage | None = None
        self._frame = 0
        self.setMinimumSize(560, 340)
        self.setAccessibleName("baked sheet")
        self._timer = QTimer(self)
        self._timer.timeout.connect(self._next)

    def show_sheet(self, sheet: Sheet) -> None:
        self.sheet = sheet
        height, width = sheet.pixels.shape[:2]
        kinds = QImage.Format.Format_RGBA8888, QImage.Format.Format_RGBA8888_Premultiplied
        kind = kinds[sheet.plan.alpha == "premultiplied"]
        self._image = QImage(sheet.pixels.data, width, height, 4 * width, kind)
        self._frame = 0
        self._timer.start(max(int(1000 / sheet.plan.fps), 10))
        self.update()

    def _next(self) -> None:
        if self.sheet is not None:
            self._frame = (self._frame + 1) % self.sheet.plan.frames
            self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.fillRect(self.rect(), theme.WELL)
        if self.sheet is None or self._image is None:
            painter.setPen(theme.ASH)
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "The sheet appears here.")
            return
        plan = self.sheet.plan
        side = min(self.height() - 20, self.width() * 0.6 - 20)
        scale = min(side / (plan.columns * plan.cell), side / (plan.rows * plan.cell))
        whole = QRectF(10, 10, plan.columns * plan.cell * scale, plan.rows * plan.cell * scale)
        painter.fillRect(whole, QColor("#0c0b0a"))
        painter.drawImage(whole, self._image)
        cell = plan.cell * scale
        painter.setPen(QPen(theme.LINE, 1))
        for i in range(plan.columns + 1):
            painter.drawLine(
                int(whole.left() + i * cell), int(whole.top()), int(whole.left() + i * cell), int(whole.bottom())
            )
        for i in range(plan.rows + 1):
            painter.drawLine(
                int(whole.left()), int(whole.top() + i * cell), int(whole.right()), int(whole.top() + i * cell)
            )
        for index, colour in [(i, theme.WARNING) for i in self.sheet.clipped] + [(self._frame, theme.GLASS)]:
            row, column = divmod(index, plan.columns)
            painter.setPen(QPen(colour, 1.5))
            painter.drawRect(
                QRectF(whole.left() + column * cell, whole.top() + row * cell, cell, cell).adjusted(1, 1, -1, -1)
            )
        row, column = divmod(self._frame, plan.columns)
        source = QRectF(column * plan.cell, row * plan.cell, plan.cell, plan.cell)
        size = min(self.width() - whole.right() - 30, self.height() - 50)
        target = QRectF(whole.right() + 20, 10, size, size)
        painter.fillRect(target, QColor("#0c0b0a"))
        painter.drawImage(target, self._image, source)
        painter.setPen(theme.ASH)
        text = f"frame {self._frame + 1} of {plan.frames} · {plan.fps:.3g} a second"
        painter.drawText(
            QRectF(target.left(), target.bottom() + 6, target.width(), 20), Qt.AlignmentFlag.AlignLeft, text
        )


FITTED = "fitted to what is painted"
"""The view that is moved so that no frame is cut off."""


class BakeWindow(QDialog):
    """Fields, the sheet and its faults, save."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Bake a sheet — Pale Ember")
        self.desk = desk
        self.effect = desk.effect
        self._oven: Task | None = None
        self._baked_from = desk.looking.camera
        """The view that the sheet was baked in."""
        self.sheet: Sheet | None = None
        end = min(self.effect.duration / self.effect.tempo, 36000.0)
        self.plan = SheetPlan(last=end)
        form = QFormLayout()
        form.setHorizontalSpacing(16)
        self.editors: dict[str, NumberEdit] = {}
        fields = (
            ("frames", Field("frames", "", soft=(1, 64), least=1, most=1024), True),
            ("columns", Field("columns", "", soft=(1, 16), least=1, most=256), True),
            ("cell", Field("cell", "", unit="px", soft=(32, 512), least=4, most=2048), True),
            ("first", Field("from", "", unit="s", soft=(0, end), least=0), False),
            ("last", Field("to", "", unit="s", soft=(0, end), least=0.001), False),
        )
        for name, field, whole in fields:
            editor = NumberEdit(field, whole=whole, default=getattr(self.plan, name))
            editor.edited.connect(lambda value, _stroke, name=name: self._changed(name, value))
            editor.setMinimumWidth(110)
            form.addRow(field.label, editor)
            self.editors[name] = editor
        alpha = Field(
            "alpha",
            "",
            options=("Colour as it is, for most importers.", "Colour times alpha: no dark rims, light survives."),
        )
        self.alpha = ChoiceEdit(alpha, Literal["straight", "premultiplied"], "straight")
        self.alpha.edited.connect(lambda value, _stroke: self._changed("alpha", value))
        form.addRow("alpha", self.alpha)
        self._cameras = {FITTED: desk.looking.camera, "as on the stage": desk.looking.camera} | {
            camera.name: camera for camera in self.effect.stage.cameras
        }
        views = Literal[tuple(self._cameras)]  # type: ignore[valid-type]
        self.view_choice = ChoiceEdit(Field("camera", ""), views, FITTED)
        self.view_choice.edited.connect(lambda _value, _stroke: self.save_button.setEnabled(False))
        form.addRow("camera", self.view_choice)
        self.identical = SwitchEdit(Field("identical loops", ""), default=True)
        self.identical.show_value(True)
        self.identical.setEnabled(self.effect.loop)
        self.identical.setToolTip(
            "Every loop draws the same numbers and begins warm, so that the last frame meets the first"
        )
        form.addRow("identical loops", self.identical)
        self.view = SheetView()
        self.verdict = QLabel("")
        self.verdict.setWordWrap(True)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(6)
        self.bake_button = QPushButton("Bake")
        self.bake_button.setDefault(True)
        self.bake_button.clicked.connect(self.bake)
        self.save_button = QPushButton("Save…")
        self.save_button.clicked.connect(self._ask_and_save)
        self.save_button.setEnabled(False)
        buttons = QHBoxLayout()
        buttons.addWidget(self.verdict, 1)
        buttons.addWidget(self.bake_button)
        buttons.addWidget(self.save_button)
        top = QHBoxLayout()
        left = QVBoxLayout()
        note = QLabel("A sheet's frames are square. Fitted, the camera moves until none is cut off; it keeps its turn.")
        note.setWordWrap(True)
        note.setStyleSheet(f"color: {theme.ASH.name()}")
        left.addLayout(form)
        left.addWidget(note)
        left.addStretch(1)
        top.addLayout(left)
        top.addWidget(self.view, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 16, 16, 14)
        column.addLayout(top, 1)
        column.addWidget(self.progress)
        column.addLayout(buttons)
        self.resize(980, 520)

    def _changed(self, name: str, value: Any) -> None:
        self.plan = dataclasses.replace(self.plan, **{name: value})
        self.save_button.setEnabled(False)

    @property
    def camera(self) -> Camera:
        """The view that is baked; fitted, the one it begins from."""
        return self._cameras[self.view_choice.value]

    def baked_effect(self) -> Effect:
        """The effect as it is baked: its loops identical unless that is switched off."""
        return closed(self.effect) if self.identical.value else self.effect

    def bake(self) -> None:
        """Begins to bake, or stops the bake that runs."""
        if self._oven is not None:
            self._oven.cancel()
            return
        fault = self.plan.fault()
        if fault:
            self.verdict.setText(fault)
            return
        self.bake_button.setText("Stop")
        self.save_button.setEnabled(False)
        self.progress.setRange(0, self.plan.frames)
        timeline = Timeline(self.baked_effect(), self.desk.shelf_mesh, self.desk.shelf_density)
        camera, plan, pictures = self.camera, self.plan, self.desk.shelf_get
        fits = self.view_choice.value == FITTED
        self._oven = Task(
            lambda progress: draw_sheet(timeline, camera, plan, pictures, progress, fits=fits),
            (NoOpenGL, MemoryError),
            name="oven",
        )
        self._oven.progressed.connect(self.progress.setValue)
        self._oven.done.connect(self._done)
        self._oven.failed.connect(self._failed)
        self._oven.start()

    def _rest(self) -> None:
        self._oven = None
        self.bake_button.setText("Bake")
        self.progress.reset()

    def _failed(self, message: str) -> None:
        self._rest()
        self.verdict.setText(message)

    def _done(self, baked: tuple[Sheet, Camera] | None) -> None:
        self._rest()
        if baked is None:
            self.verdict.setText("Stopped; nothing was kept.")
            return
        sheet, self._baked_from = baked
        self.sheet = sheet
        self.view.show_sheet(sheet)
        words = []
        if sheet.clipped:
            words.append(
                f"{len(sheet.clipped)} of {sheet.plan.frames} frames are cut off at an edge (yellow): move the camera back."
            )
        if self.effect.loop:
            smooth = sheet.seam < 1.8
            words.append(
                "The loop closes smoothly."
                if smooth
                else f"The loop jumps: its seam changes {sheet.seam:.1f} times as much as other frames."
            )
        self.verdict.setText(" ".join(words) or "Nothing is cut off.")
        self.save_button.setEnabled(True)

    def _ask_and_save(self) -> None:
        folder = self.desk.folder or last_folder()
        name, _ = QFileDialog.getSaveFileName(self, "Save the sheet", str(folder / "sheet.png"), "PNG (*.png)")
        if name:
            self.save(Path(name))

    def save(self, path: Path) -> bool:
        """Writes the PNG and the JSON beside it; says in the window when that fails."""
        if self.sheet is None:
            return False
        path = path.with_suffix(".png")
        try:
            write_whole(path, png_bytes(self.sheet.pixels))
            text = sheet_json(self.baked_effect(), self.sheet.plan, path.name, world_size(self._baked_from))
            write_whole(path.with_suffix(".json"), text)
        except OSError as error:
            QMessageBox.warning(
                self, "Pale Ember", f"{path.name}: could not be written ({error.strerror}); choose another place."
            )
            return False
        self.verdict.setText(f"Kept {path.name} and {path.with_suffix('.json').name}.")
        return True

    def closeEvent(self, event: QCloseEvent) -> None:
        if self._oven is not None:
            oven = self._oven
            oven.cancel()
            oven.wait()
        super().closeEvent(event)
