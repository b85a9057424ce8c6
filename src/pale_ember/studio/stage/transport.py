"""Under the stage: time in the hand, and a quiet line of what it costs."""

from __future__ import annotations

import math
from typing import get_args

from msgspec.structs import replace
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetricsF, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QInputDialog, QWidget

from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.model import Camera, Effect, Stage
from pale_ember.studio.controls.buttons import IconButton, WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.document.player import SPEEDS
from pale_ember.studio.document.view_settings import MARKS
from pale_ember.studio.kit import fitted_text, theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.tab_stops import ButtonRow
from pale_ember.studio.kit.two_sided_bar import TwoSidedBar
from pale_ember.studio.stage.panels import EventsPage, SidePanel, StagePage
from pale_ember.studio.stage.worker import Answer

WAYS = {
    "picture": "the picture", "overdraw": "overdraw: how often each pixel is painted", "silhouette": "silhouette",
    "opacity": "opacity only", "wireframe": "wireframe", "red": "red only", "green": "green only", "blue": "blue only",
}  # fmt: skip
"""The ways of looking at the picture, as the menu tells them."""


class Clock(QWidget):
    """The moment, and in words what time is doing."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.ended = False
        self.setFixedSize(212, 30)
        self.setAccessibleName("moment")
        desk.player.moved.connect(self.update)
        desk.looking.changed.connect(self.update)

    def words(self) -> str:
        player = self.desk.player
        if self.ended:
            return "ended · R plays again"
        performance = self.desk.performance
        if performance.stopped is not None:
            return "was stopped · R"
        if performance.strength:
            share = performance.strength[-1][1]
            return "ended softly · R" if share == 0 else f"strength {share:g} · R" if share < 1 else ""
        return "" if player.playing else "paused"

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(15, theme.font().Weight.DemiBold))
        painter.setPen(theme.GLASS)
        text = f"{self.desk.player.moment:.3f} s"
        painter.drawText(QRectF(2, 0, 84, self.height()), Qt.AlignmentFlag.AlignVCenter, text)
        words = self.words()
        if words:
            painter.setFont(theme.font(theme.SMALL))
            width = QFontMetricsF(painter.font()).horizontalAdvance(words)
            plain = self.ended or words.endswith("R")
            box = QRectF(82, 5, min(width + 14, 90), 20)
            if not plain:
                painter.setPen(theme.GLASS)
                painter.drawRoundedRect(box, 10, 10)
            painter.setPen(theme.ASH if plain else theme.GLASS)
            place = QRectF(86, 5, 124, 20) if plain else box
            side = Qt.AlignmentFlag.AlignLeft if plain else Qt.AlignmentFlag.AlignHCenter
            painter.drawText(place, side | Qt.AlignmentFlag.AlignVCenter, words)


def told_speed(speed: float) -> str:
    """A speed of playback in words."""
    return f"×{speed:g}" if speed >= 1 else f"×1/{1 / speed:g}"


class Transport(TwoSidedBar):
    """Play, again, steps, speed; background, figure, cameras, overlays; alive and cost."""

    def __init__(self, desk: Desk, side: SidePanel) -> None:
        super().__init__(40)
        self.desk = desk
        player = desk.player
        self.play = IconButton("pause", "Play or pause (Space)", size=28)
        self.play.clicked.connect(player.toggle)
        self.again = IconButton("again", "Restart (R)", size=26)
        self.again.clicked.connect(player.again)
        self.back = IconButton("back", "One step back (,)", size=26)
        self.forward = IconButton("forward", "One step forward (.)", size=26)
        self.back.clicked.connect(lambda: player.step(-1, desk.effect.steps))
        self.forward.clicked.connect(lambda: player.step(1, desk.effect.steps))
        self.clock = Clock(desk)
        self.speed = WordButton("×1", "Playback speed", menu=True)
        self.speed.clicked.connect(self._open_speeds)
        self.background = WordButton("background: dark", "What lies behind the effect", menu=True)
        self.background.clicked.connect(self._open_backgrounds)
        self.stage = WordButton("stage", "Props, carrier, anchors, sun, wind and gravity of the stage")
        self.stage.clicked.connect(lambda: self.side.flip(self.panel))
        self.side, self.panel, self.events = side, StagePage(desk), EventsPage(desk)
        self.cameras = WordButton("camera", "Saved views, framing and reset", menu=True)
        self.cameras.clicked.connect(self._open_cameras)
        self.overlays = WordButton("overlays", "Overlays, and other ways to look at the stage (O hides all)", menu=True)
        self.overlays.clicked.connect(self._open_marks)
        self.repeat = WordButton("repeat", "Play a one-shot again and again", checkable=True)
        self.repeat.toggled.connect(self._repeat_toggled)
        moves = (self.play, self.again, self.back, self.forward, self.clock, self.speed, self.repeat)
        self.fill(moves, (self.background, self.stage, self.cameras, self.overlays))
        ButtonRow(
            self, self.play, self.again, self.back, self.forward, self.speed, self.repeat,
            self.background, self.stage, self.cameras, self.overlays,
        )  # fmt: skip
        player.moved.connect(self._show)
        desk.document.changed.connect(self._show)
        self._show()

    def _show(self) -> None:
        player = self.desk.player
        self.play.show_icon("pause" if player.playing else "play")
        self.speed.show_text(told_speed(player.speed))
        self.background.show_text(f"background: {self.desk.effect.stage.background}")
        self.repeat.setEnabled(not self.desk.effect.loop)
        self.repeat.setToolTip("The effect loops by itself" if self.desk.effect.loop else "Play a one-shot again and again")

    def set_ended(self, ended: bool) -> None:
        """Shows whether a one-shot is over."""
        if ended != self.clock.ended:
            self.clock.ended = ended
            self.clock.update()

    def _open_speeds(self) -> None:
        menu = Menu(self)
        for speed in SPEEDS:
            menu.addAction(told_speed(speed)).triggered.connect(lambda _=False, speed=speed: self.set_speed(speed))
        menu.open_at(self.speed)

    def set_speed(self, speed: float) -> None:
        """Plays at another speed."""
        self.desk.player.speed = speed
        self._show()

    def change_stage(self, name: str, **values: object) -> None:
        """Changes fields of the stage."""
        stage: Stage = replace(self.desk.effect.stage, **values)
        effect: Effect = replace(self.desk.effect, stage=stage)
        self.desk.document.change(name, effect)

    def _open_backgrounds(self) -> None:
        menu = Menu(self)
        stage = self.desk.effect.stage
        for name in get_args(fields_of(Stage)["background"].type):
            action = menu.addAction(name)
            action.triggered.connect(lambda _=False, name=name: self.change_stage(f"{name} background", background=name))
        menu.addSeparator()
        for name, text in (("ground", "ground"), ("figure", "scale figure, 1.75 m")):
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(getattr(stage, name))
            action.triggered.connect(lambda on, name=name: self.change_stage(f"{name} {'on' if on else 'off'}", **{name: on}))
        menu.open_at(self.background)

    def open_stage(self) -> StagePage:
        """Opens the stage's fields beside the picture."""
        self.side.show_page(self.panel)
        return self.panel

    def _open_cameras(self) -> None:
        menu = Menu(self)
        cameras = self.desk.effect.stage.cameras
        for camera in cameras:
            menu.addAction(f"Look from {camera.name}").triggered.connect(lambda _=False, c=camera: self.desk.looking.look_from(c))
        for name, camera in self.presets().items():
            menu.addAction(f"Look from {name}").triggered.connect(lambda _=False, c=camera: self.desk.looking.look_from(c))
        menu.addAction("Reset\tHome").triggered.connect(lambda: self.desk.looking.look_from(self.desk.looking.first_camera()))
        menu.addSeparator()
        menu.addAction("Save this view…").triggered.connect(self._keep_camera)
        if cameras:
            gone = menu.addMenu("Delete")
            for camera in cameras:
                gone.addAction(camera.name).triggered.connect(
                    lambda _=False, c=camera: self.change_stage(
                        f"delete view {c.name}", cameras=tuple(k for k in self.desk.effect.stage.cameras if k is not c)
                    )
                )
        menu.open_at(self.cameras)

    def presets(self) -> dict[str, Camera]:
        """Views that every stage has: square to its axes about what is looked at now, and as the game will see it."""
        now, game = self.desk.looking.camera, self.desk.effect.stage.game
        turned = {"the front": (0.0, 0.0), "the right": (90.0, 0.0), "the back": (180.0, 0.0), "above": (0.0, 89.0)}
        views = {name: replace(now, name=name, heading=h, pitch=p) for name, (h, p) in turned.items()}
        target = (0.0, min(now.target[1], game.height), 0.0)
        away = math.hypot(game.distance, game.height - target[1])
        pitch = math.degrees(math.atan2(game.height - target[1], game.distance))
        views["the game camera"] = Camera(name="game", target=target, distance=away, heading=now.heading, pitch=pitch, fov=game.fov)
        return views

    def _keep_camera(self) -> None:
        taken = [camera.name for camera in self.desk.effect.stage.cameras]
        name, ok = QInputDialog.getText(self, "Save this view", "Its name", text=free_name("view", taken))
        if ok and name.strip():
            self.keep_camera(name.strip())

    def keep_camera(self, name: str) -> None:
        cameras = (*self.desk.effect.stage.cameras, replace(self.desk.looking.camera, name=name))
        self.change_stage(f"save view {name}", cameras=cameras)

    def _repeat_toggled(self, on: bool) -> None:
        self.desk.player.repeat = on
        if on and self.clock.ended:
            self.desk.player.again()

    def flip_marks(self) -> None:
        """Hides all marks, or shows them again."""
        self.desk.looking.overlays = not self.desk.looking.overlays
        self.desk.looking.changed.emit()

    def marks_menu(self) -> Menu:
        """The marks, and the ways of looking at the picture."""
        menu = Menu(self)
        shown = menu.addAction("Overlays\tO")
        shown.setCheckable(True)
        shown.setChecked(self.desk.looking.overlays)
        shown.triggered.connect(self.flip_marks)
        menu.addSeparator()
        for kind, text in MARKS.items():
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(kind in self.desk.looking.marks)
            action.setEnabled(self.desk.looking.overlays)
            action.triggered.connect(lambda on, kind=kind: self.desk.looking.show_mark(kind, on))
        menu.addSeparator()
        for shows, text in WAYS.items():
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(self.desk.looking.shows == shows)
            action.triggered.connect(lambda _=False, shows=shows: self.desk.looking.look_at(shows))
        menu.addSeparator()
        dims = menu.addAction("Solo dims the others instead of hiding them")
        dims.setCheckable(True)
        dims.setChecked(self.desk.looking.dims)
        dims.triggered.connect(self.desk.looking.set_dims)
        return menu

    def _open_marks(self) -> None:
        self.marks_menu().open_at(self.overlays)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)


class Readout(QWidget):
    """Alive, peak, step and draw time, drawing scale; a click tells more."""

    clicked = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.peak = 0
        self.painted: float | None = None
        self._text = ("", "")
        self.setFixedHeight(40)
        self.setAccessibleName("cost")
        self.setToolTip(
            "Alive now · most alive in a loop · overdraw: how often each covered pixel is painted · time of a step and of a picture · "
            "resolution of the picture. Click to see what each layer costs (G)"
        )

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.clicked.emit()

    def show_answer(self, answer: Answer, painted: float | None = None) -> None:
        draw = f"draw {answer.draw_time * 1000:.0f} ms · " if answer.picture is not None else ""
        scale = "full res" if answer.request.scale >= 1 else f"res {answer.request.scale:g}"
        self.painted = painted if painted is not None else self.painted
        often = f"overdraw {self.painted:.1f}× · " if self.painted and answer.frame.alive else ""
        self._text = (
            f"{answer.frame.alive} alive",
            f"peak {max(self.peak, answer.frame.alive)} · {often}step {answer.step_time * 1000:.1f} ms · {draw}{scale}",
        )
        self.setAccessibleDescription(" ".join(self._text))
        self.update()

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        painter.fillRect(self.rect(), theme.SURFACE)
        painter.setFont(theme.font(theme.BODY, theme.font().Weight.DemiBold))
        painter.setPen(theme.BONE)
        painter.drawText(QRectF(14, 0, 90, self.height()), Qt.AlignmentFlag.AlignVCenter, self._text[0])
        painter.setFont(fitted_text.fitting(self._text[1], self.width() - 108, theme.SMALL))
        painter.setPen(theme.ASH)
        painter.drawText(QRectF(100, 0, self.width() - 108, self.height()), Qt.AlignmentFlag.AlignVCenter, self._text[1])
