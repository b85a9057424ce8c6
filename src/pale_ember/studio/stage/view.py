"""The stage: the picture of the moment, the camera in the hand, the selected layer dragged in place."""

from __future__ import annotations

import math
import time
from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRect, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.insight.particle_story import FollowedParticle
from pale_ember.core.insight.predicted_paths import PredictedPaths
from pale_ember.core.insight.ray_casts import RayHit, ray_hit
from pale_ember.core.view import View, view_of
from pale_ember.draw.renderer import Shot
from pale_ember.machine.error_log import standing_still
from pale_ember.studio.controls.text_entry import OpenLine
from pale_ember.studio.document.asset_import import KINDS, dropped
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.document.reference import ENDINGS
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.painting import painted
from pale_ember.studio.stage import divider, reference_overlay
from pale_ember.studio.stage.camera import CameraHand
from pale_ember.studio.stage.follower import Follower, picked
from pale_ember.studio.stage.handle_drag import HandleDrag, handle_at
from pale_ember.studio.stage.handle_keys import HandleKeys
from pale_ember.studio.stage.handles import Screen
from pale_ember.studio.stage.layer_handles import LayerStand
from pale_ember.studio.stage.stage_overlay import StageOverlay
from pale_ember.studio.stage.window_surface import WindowSurface
from pale_ember.studio.stage.worker import Answer, Request, Worker

SCALES = (1.0, 0.85, 0.7, 0.6, 0.5, 0.42, 0.35)
"""Inner over outer size of the picture, from sharp to quick."""

FRAME_TIME = 0.031
"""What one picture may take while playing, in seconds, so that thirty a second are held with room for the window."""

BARRED = 3.0
"""Seconds in which a size that took too long is not tried again."""

_REACHED = frozenset({"births", "paths", "touches"})
"""The marks that are found by running the layer ahead."""

STILL_AFTER = 90
"""Milliseconds without movement after which the stage is drawn in full sharpness."""


_NEIGHBOURS = (-3, -2, -1, 1, 2, 3)
BESIDE_BY = 0.1
"""Seconds between two of the moments that are marked beside the held one."""

LOOKED_AT = 50_000
"""Particles among which the one under the pointer is looked for whenever it rests: more would hold the window."""

LATE_AFTER = 1.5
"""Seconds after which a picture that has not come is spoken of."""

STUCK_AFTER = 45.0, 600.0
"""Seconds after which a worker that nothing is heard of is left for another: once it has answered, and before, for a new machine
compiles first."""

WATCHING = 500
"""Milliseconds between two looks at a picture that is waited for."""

RESTED = 80
"""Milliseconds that the pointer rests on the stage before the layer under it is marked."""

_STILL = 4
"""Pixels within which a press and its end are a click."""


class StageView(QWidget):
    """Asks the worker for the moment and shows what comes."""

    shown = pyqtSignal(object)
    """An Answer is on screen."""

    def __init__(self, desk: Desk, worker: Worker, *, in_window: bool) -> None:
        super().__init__()
        self.desk, self.worker = desk, worker
        self.follower = Follower(desk)
        self.hand = CameraHand(self, desk.looking)
        self.hand.moving.connect(self._moves)
        self.follower.came.connect(self.update)
        self._at = QPointF()
        """Where the pointer was last."""
        self._armed: Callable[[RayHit], None] | None = None
        """What clicks on the stage do just now."""
        self._began: QPointF | None = None
        """Where a press began."""
        self.answer: Answer | None = None
        self.strip: tuple[float, ...] = ()
        """Moments of which small pictures are wanted besides."""
        self.scale_index = 3
        self.pictures_shown = 0
        self._too_large = -1, 0.0
        self.reach: tuple[str, PredictedPaths] | None = None
        self.painted: float | None = None
        """How often a painted pixel is painted, as far as it was counted."""
        self._image: QImage | None = None
        self._asked: Request | None = None
        """The newest request, until it is answered."""
        self._wanted = False
        self._moving_until = 0.0
        self._drag: tuple[str, QPointF, object] | None = None
        self._handle = ""
        self.keys = HandleKeys(self, self)
        self.over = StageOverlay(self, self)
        self._spans: list[float] = []
        self.setMinimumSize(300, 170)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setAccessibleName("Stage")
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.surface: WindowSurface | None = None
        if in_window:
            self.surface = WindowSurface(desk.shelf_get, desk.shelf_mesh)
            self.surface.painted.connect(self._painted_over)
            layout = QVBoxLayout(self)
            layout.setContentsMargins(0, 0, 0, 0)
            layout.addWidget(self.surface)
            self.surface.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._resting = QTimer(self, singleShot=True, interval=RESTED)
        self._resting.timeout.connect(self._point)
        self._settled = QTimer(self, singleShot=True, interval=STILL_AFTER)
        self._settled.timeout.connect(self.refresh)
        self.late = ""
        """What is to be said of a picture that takes its time."""
        self._since = 0.0
        """When what is waited for was asked for first."""
        self._watch = QTimer(self, interval=WATCHING)
        self._watch.timeout.connect(self._look_after)
        worker.answered.connect(self._answered)
        worker.refused.connect(self._refused)
        worker.reached.connect(self._reached)
        worker.counted.connect(self._painted)
        desk.player.moved.connect(self.refresh)
        desk.looking.changed.connect(self.refresh)
        desk.looking.pointing.connect(self._repaint)
        desk.selected.connect(self.refresh)
        desk.reference.changed.connect(self._repaint)
        desk.document.changed.connect(self._edited)

    # Asking and showing ----------------------------------------------------------------------------------------

    def view(self) -> View:
        """The camera at work on the stage as large as it is."""
        return view_of(self.desk.looking.camera, max(self.width(), 1), max(self.height(), 1))

    @property
    def scale(self) -> float:
        """Inner over outer size of the picture to come: full when nothing moves."""
        quick = self.desk.player.playing or time.perf_counter() < self._moving_until
        return SCALES[self.scale_index] if quick else 1.0

    def _look_after(self) -> None:
        """Says why a picture does not come; where nothing is heard of the worker any more, lets it begin anew."""
        now = time.perf_counter()
        if self.worker.ended:
            self._watch.stop()
            return
        if self.waiting and now - max(self._since, self.worker.heard) > STUCK_AFTER[self.answer is None]:
            self.worker.failed.emit(standing_still("The stage did not answer"))
            self.worker.begin_anew()
            self._since = now
            self._ask()
        late = self._why_late() if self.waiting and now - self._since > LATE_AFTER else ""
        if late != self.late:
            self.late = late
            self._repaint()

    def end(self) -> None:
        """Waits for nothing any more."""
        self._watch.stop()
        self.follower.stop()

    def _why_late(self) -> str:
        going = self.worker.going()
        if going is not None:
            name, step, last = going
            per_second = self.desk.effect.steps
            return f"Simulating {name}: {step / per_second:.1f} of {last / per_second:.1f} s"
        if self.answer is None:
            return "Making the first picture: on a new machine this takes a minute or two, once."
        return "Making the picture"

    def _edited(self, old: Effect, new: Effect) -> None:
        self._moves()
        self._ask()

    @property
    def waiting(self) -> bool:
        """Whether a picture is asked for that has not come."""
        return self._asked is not None

    def refresh(self) -> None:
        """Asks for the moment as it is now; while one is drawn, remembers to ask again."""
        if self.waiting:
            self._wanted = True
        else:
            self._ask()

    def _ask(self) -> None:
        """Asks for the moment as it is now, whatever was asked before."""
        scale, ratio = self.scale, self.devicePixelRatioF()
        player = self.desk.player
        effect = self.desk.looking.effect
        in_window = self.surface is not None
        stage = reference_overlay.stage_before(self.desk.reference, effect.stage, player.moment)
        request = Request(
            effect=effect,
            moment=player.moment,
            between_steps=player.playing,
            hidden=self.desk.looking.hidden(),
            camera=self.desk.looking.camera,
            shot=Shot(
                stage=stage,
                background=stage.background,
                scale=scale if in_window else 1.0,
                shows=self.desk.looking.shows,
                alone=(self.desk.looking.solo or "") if self.desk.looking.dims else "",
            ),
            width=max(round(self.width() * ratio * scale), 1),
            height=max(round(self.height() * ratio * scale), 1),
            scale=scale,
            fired=self.desk.fired,
            files=self.desk.files,
            performance=self.desk.performance,
            beside=self.desk.looking.beside if self.desk.looking.before is None else None,
            share=self.desk.looking.share,
            strip=self.strip,
            around=self._neighbours(),
            reach_of=self.desk.selection if self.desk.looking.overlays and self.desk.looking.marks & _REACHED else "",
            counts=scale == 1.0 or self.desk.looking.shows == "overdraw",
        )
        if not self.waiting:
            self._since = time.perf_counter()
            self._watch.start()
        self._asked, self._wanted = request, False
        self.worker.ask(request)
        if scale < 1.0 and not player.playing:
            self._settled.start()

    def _neighbours(self) -> tuple[float, ...]:
        """The moments that are marked beside the held one."""
        looking, player = self.desk.looking, self.desk.player
        if player.playing or not looking.overlays or "moments" not in looking.marks:
            return ()
        return tuple(at for k in _NEIGHBOURS if (at := player.moment + k * BESIDE_BY) >= 0)

    def _answered(self, answer: Answer) -> None:
        # Whatever goes wrong in showing it: it is answered, and the next may be asked for.
        try:
            self._show(answer)
        finally:
            self._done_with(answer.request)

    def _show(self, answer: Answer) -> None:
        self.desk.player.waits = False
        self.answer = answer
        self.follower.show_frame(answer.frame)
        if answer.picture is not None:
            height, width = answer.picture.shape[:2]
            self._image = QImage(answer.picture.data, width, height, 4 * width, QImage.Format.Format_RGBX8888)
        if self.surface is not None:
            self.surface.show_frame(answer)
        self.pictures_shown += 1
        self._adapt(answer)
        self._repaint()
        self.shown.emit(answer)

    def _refused(self, request: Request) -> None:
        """Nothing came of a request: the last picture stays, and what changed since is asked for."""
        self.desk.player.waits = False
        self._done_with(request)

    def _done_with(self, request: Request) -> None:
        """Asks again where something changed since the newest request was made."""
        if request is self._asked:
            self._asked = None
            self._watch.stop()
            self.late = ""
            if self._wanted:
                self._ask()

    def _painted(self, often: float) -> None:
        self.painted = often
        if self.answer is not None:
            self.shown.emit(self.answer)

    def _reached(self, identity: str, reach: PredictedPaths) -> None:
        self.reach = identity, reach
        self._repaint()

    def _repaint(self) -> None:
        (self.surface or self).update()

    def _adapt(self, answer: Answer) -> None:
        """Chooses the scale at which the last pictures would have fitted their time."""
        if not self.desk.player.playing or answer.request.scale != SCALES[self.scale_index]:
            return
        drawn = self.surface.draw_time if self.surface is not None else answer.draw_time
        self._spans.append(drawn + answer.step_time)
        if len(self._spans) < 9:
            return
        taken = sorted(self._spans)[len(self._spans) // 2]
        self._spans.clear()
        now = time.perf_counter()
        if taken > FRAME_TIME and self.scale_index < len(SCALES) - 1:
            # What was too large just now is not tried again at once, or the picture would flicker between the two.
            self._too_large = self.scale_index, now + BARRED
            self.scale_index += 1
        elif self.scale_index > 0 and not (self._too_large[0] == self.scale_index - 1 and now < self._too_large[1]):
            # About half of the time does not grow with the picture, so it grows as the picture's side.
            larger = SCALES[self.scale_index - 1] / SCALES[self.scale_index]
            if taken * larger < FRAME_TIME:
                self.scale_index -= 1

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.refresh()

    def _painted_over(self, painter: QPainter) -> None:
        self.over.paint(painter, self._handle, dragged=self._drag is not None)

    @painted
    def paintEvent(self, painter: QPainter, event: QPaintEvent) -> None:
        if self.surface is not None:
            return
        if self._image is None:
            painter.fillRect(self.rect(), theme.Lit.FLOOR)
        else:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), self._image)
        self._painted_over(painter)

    # Hands on the camera and the layer -------------------------------------------------------------------------

    def _moves(self) -> None:
        """What is seen is about to move: for a while the picture is drawn quickly."""
        self._moving_until = time.perf_counter() + STILL_AFTER / 1000

    def frame_effect(self) -> None:
        """Moves the camera so that everything alive is well in the picture."""
        self.hand.frame(self.answer.frame if self.answer is not None else None, self.desk.looking.solo or "")

    def arm(self, does: Callable[[RayHit], None]) -> None:
        """Lets clicks on the ground or a prop do something, until Escape, the right button or something else ends it."""
        self._armed = does
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setFocus()

    def disarm(self) -> None:
        """Clicks do nothing out of the ordinary any more."""
        if self._armed is not None:
            self._armed = None
            self.unsetCursor()

    def _hit(self, at: QPointF) -> RayHit | None:
        """What of the stage is under a place of the picture."""
        return ray_hit(self.desk.effect, self.view().eye, self.screen_now().ray(at), self.desk.time, self.desk.shelf_mesh)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape and self._armed is not None:
            self.disarm()
        elif not self.keys.press(event):
            super().keyPressEvent(event)

    def type_into(self, taken: HandleDrag) -> None:
        """Opens the number of a handle for typing."""
        place = QRect(round(taken.begin.x()) + 10, round(taken.begin.y()) - 12, 84, 24)
        OpenLine(self, f"{taken.number:g}", taken.take, place).setAccessibleName(taken.handle.name)

    def mark_handle(self, name: str) -> None:
        """Marks a handle as the one in hand."""
        self._handle = name
        self._repaint()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        if self._armed is not None and event.button() == Qt.MouseButton.RightButton:
            self.disarm()
            return
        at = self._began = event.position()
        buttons, shift = event.button(), event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        taken = self._taken_at(at) if buttons == Qt.MouseButton.LeftButton else None
        grip = reference_overlay.grip_at(self.desk.reference, at, self.width(), self.height())
        if grip and buttons == Qt.MouseButton.LeftButton:
            self._drag = (f"reference {grip}", at, object())
        elif taken is not None:
            self._drag = ("take", at, taken)
        elif buttons == Qt.MouseButton.MiddleButton or (buttons == Qt.MouseButton.LeftButton and shift):
            self._drag = ("pan", at, None)
        elif buttons == Qt.MouseButton.RightButton:
            self._drag = ("zoom", at, None)
        elif buttons == Qt.MouseButton.LeftButton:
            self._drag = ("divide" if divider.is_near(self.desk, at.x(), self.width()) else "orbit", at, None)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if self._drag is None and self._armed is None:
            taken = self._taken_at(at)
            divides = divider.is_near(self.desk, at.x(), self.width())
            grip = reference_overlay.grip_at(self.desk.reference, at, self.width(), self.height())
            what = grip or (taken.handle.name if taken else "divider" if divides else "")
            if what != self._handle:
                self._handle = what
                self.setCursor(Qt.CursorShape.SizeAllCursor if what else Qt.CursorShape.ArrowCursor)
                self._repaint()
            self._at = at
            self._resting.start()
            return
        if self._drag is None:
            return
        kind, last, held = self._drag
        moved = at - last
        if isinstance(held, HandleDrag):
            held.drag(self.screen_now(), at, snaps=bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
        elif kind.startswith("reference "):
            how = reference_overlay.pulled(self.desk.reference, kind.partition(" ")[2], last, at, self.width(), self.height())
            self.desk.document.change("the reference's place", with_value(self.desk.effect, ("stage", "reference"), how), held)
        elif kind == "divide":
            self.desk.looking.divide(at.x() / max(self.width(), 1))
        elif kind == "orbit":
            self.hand.orbit(moved.x(), moved.y())
        elif kind == "pan":
            self.hand.pan(moved.x(), moved.y())
        elif kind == "zoom":
            self.hand.zoom(math.exp(moved.y() * 0.01))
        self._drag = (kind, at, held)

    def _under(self, at: QPointF) -> FollowedParticle | None:
        """The particle at a place of the stage."""
        if self.answer is None:
            return None
        return picked(self.answer.frame, self.view(), self.width(), self.height(), at)

    def _point(self) -> None:
        """The pointer rests: marks the layer of what is under it."""
        few = self.answer is not None and self.answer.frame.alive <= LOOKED_AT
        followed = self._under(self._at) if few and self._drag is None and self.underMouse() else None
        self.desk.looking.point_at(followed.layer if followed is not None else "")

    def leaveEvent(self, event: QEvent) -> None:
        self._resting.stop()
        self.desk.looking.point_at("")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        drag, self._drag = self._drag, None
        self.desk.document.end_stroke()
        began, self._began = self._began, None
        still = began is not None and (event.position() - began).manhattanLength() < _STILL
        if still and self._armed is not None and event.button() == Qt.MouseButton.LeftButton:
            hit = self._hit(event.position())
            if hit is not None:
                self._armed(hit)
            return
        if still and drag is not None and drag[0] == "orbit" and self.answer is not None:
            self.follower.follow(self._under(event.position()), self.answer.frame)

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.hand.zoom(math.exp(-event.angleDelta().y() / 120 * 0.12))
        event.accept()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if dropped(event.mimeData(), ("", *KINDS, *ENDINGS)):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A picture or a mesh becomes the selected layer's; a clip, a folder, or with Shift a picture the reference."""
        for path in dropped(event.mimeData(), ("", *KINDS, *ENDINGS))[:1]:
            shift = event.modifiers() & Qt.KeyboardModifier.ShiftModifier
            if path.suffix.lower() not in KINDS or (shift and path.suffix.lower() in ENDINGS):
                self.desk.document.change(f"reference {path.name}", self.desk.reference.take(path))
            else:
                self.desk.file_given.emit(path, "")

    def stand_of(self, layer: Layer) -> LayerStand:
        """Where a layer is at the moment shown."""
        return LayerStand.of(self.desk.effect, layer, self.desk.player.moment)

    def screen_now(self) -> Screen:
        """The stage as it is seen now."""
        return Screen(self.view(), self.width(), self.height())

    def _taken_at(self, at: QPointF) -> HandleDrag | None:
        """The handle under the pointer."""
        return handle_at(self.desk, self.screen_now(), at) if self.answer is not None else None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Opens the number of a handle for typing."""
        taken = self._taken_at(event.position())
        if taken is not None:
            self._drag = None
            self.type_into(taken)
