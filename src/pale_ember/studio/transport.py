"""Under the stage: time in the hand, and a quiet line of what it costs."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QFontMetricsF, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QInputDialog, QMenu, QScrollArea, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.model import Effect, Stage
from pale_ember.studio import theme
from pale_ember.studio.desk import Desk
from pale_ember.studio.fields.buttons import IconButton, WordButton
from pale_ember.studio.fields.parts import FieldsColumn
from pale_ember.studio.fields.subject import OfStage
from pale_ember.studio.player import SPEEDS
from pale_ember.studio.worker import Answer


class Clock(QWidget):
    """The moment, and in words what time is doing."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.ended = False
        self.setFixedSize(212, 30)
        self.setAccessibleName("moment")
        desk.player.moved.connect(self.update)

    def words(self) -> str:
        player = self.desk.player
        if self.ended:
            return "ended · R plays again"
        return "" if player.playing else "held moment"

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(15, theme.font().Weight.DemiBold))
        painter.setPen(theme.GLASS)
        text = f"{self.desk.player.moment:.3f} s"
        painter.drawText(QRectF(2, 0, 84, self.height()), Qt.AlignmentFlag.AlignVCenter, text)
        words = self.words()
        if words:
            painter.setFont(theme.font(theme.SMALL))
            width = QFontMetricsF(painter.font()).horizontalAdvance(words)
            box = QRectF(82, 5, min(width + 14, 90), 20)
            if not self.ended:
                painter.setPen(theme.GLASS)
                painter.drawRoundedRect(box, 10, 10)
            painter.setPen(theme.GLASS if not self.ended else theme.ASH)
            place = QRectF(86, 5, 124, 20) if self.ended else box
            side = Qt.AlignmentFlag.AlignLeft if self.ended else Qt.AlignmentFlag.AlignHCenter
            painter.drawText(place, side | Qt.AlignmentFlag.AlignVCenter, words)


class Transport(QWidget):
    """Play, again, steps, speed; background, figure, cameras, overlays; alive and cost."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedHeight(40)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 10, 0)
        row.setSpacing(3)
        player = desk.player
        self.play = IconButton("pause", "Play or hold (Space)", size=28)
        self.play.clicked.connect(player.toggle)
        self.again = IconButton("again", "Again from the start (R)", size=26)
        self.again.clicked.connect(player.again)
        self.back = IconButton("back", "One step back (,)", size=26)
        self.forward = IconButton("forward", "One step on (.)", size=26)
        self.back.clicked.connect(lambda: player.step(-1, desk.effect.steps))
        self.forward.clicked.connect(lambda: player.step(1, desk.effect.steps))
        self.clock = Clock(desk)
        self.speed = WordButton("×1", "Speed of time in the preview", menu=True)
        self.speed.clicked.connect(self._open_speeds)
        self.background = WordButton("dark", "What lies behind the effect", menu=True)
        self.background.clicked.connect(self._open_backgrounds)
        self.stage = WordButton("stage", "Props, carrier, anchors, and what blows and pulls on the stage")
        self.stage.clicked.connect(self.open_stage)
        self.panel: StagePanel | None = None
        self.cameras = WordButton("camera", "Kept views, framing and reset", menu=True)
        self.cameras.clicked.connect(self._open_cameras)
        self.overlays = WordButton("overlays", "Shape, aim and handles of the selected layer (O)", checkable=True)
        self.overlays.setChecked(True)
        self.overlays.toggled.connect(self._overlays_toggled)
        self.repeat = WordButton("repeat", "Play a one-shot again and again", checkable=True)
        self.repeat.toggled.connect(self._repeat_toggled)
        for widget in (self.play, self.again, self.back, self.forward, self.clock, self.speed, self.repeat):
            row.addWidget(widget)
        row.addStretch(1)
        for widget in (self.background, self.stage, self.cameras, self.overlays):
            row.addWidget(widget)
        player.moved.connect(self._show)
        desk.document.changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        player = self.desk.player
        self.play.show_icon("pause" if player.playing else "play")
        self.speed.show_text(f"×{player.speed:g}")
        self.background.show_text(self.desk.effect.stage.background)
        self.repeat.setEnabled(not self.desk.effect.loop)
        self.repeat.setToolTip(
            "The effect loops by itself" if self.desk.effect.loop else "Play a one-shot again and again"
        )

    def set_ended(self, ended: bool) -> None:
        if ended != self.clock.ended:
            self.clock.ended = ended
            self.clock.update()

    def _open_speeds(self) -> None:
        menu = QMenu(self)
        for speed in SPEEDS:
            menu.addAction(f"×{speed:g}").triggered.connect(lambda _=False, speed=speed: self.set_speed(speed))
        menu.popup(self.speed.mapToGlobal(self.speed.rect().topLeft()))

    def set_speed(self, speed: float) -> None:
        self.desk.player.speed = speed
        self._show()

    def change_stage(self, name: str, **values: object) -> None:
        stage: Stage = replace(self.desk.effect.stage, **values)
        effect: Effect = replace(self.desk.effect, stage=stage)
        self.desk.document.change(name, effect)

    def _open_backgrounds(self) -> None:
        menu = QMenu(self)
        stage = self.desk.effect.stage
        for name in ("dark", "mid", "light"):
            action = menu.addAction(f"{name} background")
            action.triggered.connect(
                lambda _=False, name=name: self.change_stage(f"{name} background", background=name)
            )
        menu.addSeparator()
        for name, text in (("ground", "ground"), ("figure", "standing figure, 1.75 m")):
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(getattr(stage, name))
            action.triggered.connect(
                lambda on, name=name: self.change_stage(f"{name} {'on' if on else 'off'}", **{name: on})
            )
        menu.popup(self.background.mapToGlobal(self.background.rect().topLeft()))

    def open_stage(self) -> None:
        """Opens the stage's fields beside the picture."""
        if self.panel is None:
            self.panel = StagePanel(self.desk, self.window())
        at = self.window().mapToGlobal(self.window().rect().topLeft())
        self.panel.move(at.x() + 16, at.y() + 56)
        self.panel.show()
        self.panel.raise_()

    def _open_cameras(self) -> None:
        menu = QMenu(self)
        cameras = self.desk.effect.stage.cameras
        for camera in cameras:
            menu.addAction(f"Look from {camera.name}").triggered.connect(
                lambda _=False, c=camera: self.desk.look_from(c)
            )
        menu.addAction("Reset\tHome").triggered.connect(lambda: self.desk.look_from(self.desk.first_camera()))
        menu.addSeparator()
        menu.addAction("Keep this view…").triggered.connect(self._keep_camera)
        if cameras:
            gone = menu.addMenu("Let go of")
            for camera in cameras:
                gone.addAction(camera.name).triggered.connect(
                    lambda _=False, c=camera: self.change_stage(
                        f"let go of view {c.name}",
                        cameras=tuple(k for k in self.desk.effect.stage.cameras if k is not c),
                    )
                )
        menu.popup(self.cameras.mapToGlobal(self.cameras.rect().topLeft()))

    def _keep_camera(self) -> None:
        taken = [camera.name for camera in self.desk.effect.stage.cameras]
        name, ok = QInputDialog.getText(self, "Keep this view", "Its name", text=free_name("view", taken))
        if ok and name.strip():
            self.keep_camera(name.strip())

    def keep_camera(self, name: str) -> None:
        cameras = (*self.desk.effect.stage.cameras, replace(self.desk.camera, name=name))
        self.change_stage(f"keep view {name}", cameras=cameras)

    def _repeat_toggled(self, on: bool) -> None:
        self.desk.repeat = on
        if on and self.clock.ended:
            self.desk.player.again()

    def _overlays_toggled(self, on: bool) -> None:
        self.desk.overlays = on
        self.desk.looked.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        QPainter(self).fillRect(self.rect(), theme.SURFACE)


class StagePanel(QWidget):
    """The fields of the stage, in a small window of their own."""

    def __init__(self, desk: Desk, parent: QWidget | None) -> None:
        super().__init__(parent, Qt.WindowType.Tool)
        self.desk = desk
        self.setWindowTitle("Stage — Pale Ember")
        self.resize(300, 420)
        names = ("gravity", "wind", "carrier", "props", "anchors")
        self.fields = FieldsColumn(desk, OfStage(desk), (), Stage, only=names)
        area = QScrollArea()
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(4, 8, 8, 8)
        column.addWidget(self.fields)
        column.addStretch(1)
        area.setWidget(inner)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(area)
        desk.document.changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        self.fields.show_root(self.desk.effect.stage)

    def paintEvent(self, event: QPaintEvent) -> None:
        QPainter(self).fillRect(self.rect(), theme.SURFACE)


class Readout(QWidget):
    """Alive, peak, step and draw time, drawing scale."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.peak = 0
        self._text = ("", "")
        self.setFixedHeight(40)
        self.setAccessibleName("cost")
        self.setToolTip("Alive now · most alive in a loop · time for a step and for drawing · sharpness of the picture")

    def show_answer(self, answer: Answer) -> None:
        draw = f"draw {answer.draw_time * 1000:.0f} ms · " if answer.picture is not None else ""
        scale = "full sharpness" if answer.request.scale >= 1 else f"sharpness {answer.request.scale:g}"
        self._text = (
            f"{answer.frame.alive} alive",
            f"peak {max(self.peak, answer.frame.alive)} · step {answer.step_time * 1000:.1f} ms · {draw}{scale}",
        )
        self.setAccessibleDescription(" ".join(self._text))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.SURFACE)
        painter.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
        painter.setPen(theme.BONE)
        painter.drawText(QRectF(14, 0, 90, self.height()), Qt.AlignmentFlag.AlignVCenter, self._text[0])
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(theme.ASH)
        painter.drawText(
            QRectF(100, 0, self.width() - 108, self.height()), Qt.AlignmentFlag.AlignVCenter, self._text[1]
        )
