"""A handle in the hand: what it changes, as it is dragged or typed."""

from __future__ import annotations

from PyQt6.QtCore import QPointF

from pale_ember.core.effect.edit import value_at, with_value
from pale_ember.core.effect.model import Layer, Stage
from pale_ember.core.effect.pose_keys import posed
from pale_ember.core.words.arithmetic import NotANumber, number_from
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.fields.sentence import declared_in
from pale_ember.studio.stage.handles import Handle, Screen
from pale_ember.studio.stage.layer_handles import LayerStand, anchors_of, handles, handles_of_stage


class HandleDrag:
    """A handle that was pressed, of the layer or the stage as it was then. What a drag makes is one step of history."""

    def __init__(self, desk: Desk, handle: Handle, root: Layer | Stage, begin: QPointF) -> None:
        self.desk, self.handle, self.root, self.begin = desk, handle, root, begin
        self._stroke = object()

    def drag(self, screen: Screen, to: QPointF, *, snaps: bool) -> None:
        """Changes what the handle holds as far as the pointer has come since it was pressed."""
        dragged = self.handle.dragged(self.root, screen, self.begin, to)
        self._give(self.handle.snapped(self.root, dragged) if snaps else dragged, self._stroke)

    @property
    def number(self) -> float:
        """The number that the handle stands for."""
        return self.handle.number(self.root)

    def take(self, text: str) -> str:
        """Takes a typed number; gives what is wrong with it, if anything."""
        try:
            unit = declared_in(self.root, self.handle.path).field.unit if isinstance(self.root, Layer) else "m"
            value = number_from(text, unit, self.number)
        except NotANumber as problem:
            return str(problem)
        self._give(self.handle.with_number(self.root, value), None)
        return ""

    def nudge(self, by: float, stroke: object) -> None:
        """Changes the number by so much; what one stroke changes is one step of history."""
        self._give(self.handle.with_number(self.root, round(self.number + by, 4)), stroke)

    def _give(self, made: Layer | Stage, stroke: object) -> None:
        """Takes what the handle made of the stage, or of a layer: where that has keys, the key at this moment takes its
        place, turn and scale."""
        desk, root, path = self.desk, self.root, self.handle.path
        value = value_at(made, path)
        if isinstance(made, Stage) or isinstance(root, Stage):
            edited = with_value(desk.effect, ("stage", *path), value)
            desk.document.change(f"stage: {self.handle.name}", edited, stroke)
            return
        name = f"{root.name}: {path[-1]}"
        if root.keys and path in (("place",), ("turn",), ("scale",)):
            path, value = ("keys",), posed(root, made, desk.time).keys
        desk.document.change_layer(name, root.id, path, value, stroke)


def shown_handles(desk: Desk, screen: Screen) -> list[tuple[Handle, Layer | Stage]]:
    """The handles that are shown, each with whose it is."""
    layer, looking, moment = desk.layer, desk.looking, desk.player.moment
    if not looking.overlays:
        return []
    listed: list[tuple[Handle, Layer | Stage]] = []
    if looking.staged:
        listed += [(handle, desk.effect.stage) for handle in handles_of_stage(desk.effect, moment)]
    if layer is not None and "shape" in looking.marks:
        stand = LayerStand.of(desk.effect, layer, moment)
        listed += [(handle, layer) for handle in handles(stand, screen, looking.axes)]
        hangs_on = anchors_of(layer) if not looking.staged else ()
        listed += [(handle, desk.effect.stage) for handle in handles_of_stage(desk.effect, moment, hangs_on)]
    return listed


def handle_at(desk: Desk, screen: Screen, at: QPointF) -> HandleDrag | None:
    """The handle under a place of the stage, if there is one."""
    listed = shown_handles(desk, screen)
    # Of two at one place the one that is drawn on top: a lamp before the glass around it.
    near = [(away, handle, root) for handle, root in reversed(listed) if (away := handle.hit(screen, at)) is not None]
    if not near:
        return None
    _, handle, root = min(near, key=lambda each: each[0])
    return HandleDrag(desk, handle, root, screen.point(handle.origin) or at)
