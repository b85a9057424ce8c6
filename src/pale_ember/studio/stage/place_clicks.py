"""What clicks on the stage do to the selected layer when it is asked for: set it on more places, or off."""

from __future__ import annotations

from pale_ember.core.insight.ray_casts import RayHit, place_at
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.stage.view import StageView


class PlaceClicks:
    """Arms the stage for one of the two."""

    def __init__(self, desk: Desk, stage: StageView) -> None:
        self.desk, self.stage = desk, stage

    def place(self) -> None:
        """Puts the selected layer on every place of the stage that is clicked, turned to the surface."""
        self.desk.hinted.emit("Click on the ground or a prop to put the layer there too. Escape ends.", None)
        self.stage.arm(self._placed)

    def shoot(self) -> None:
        """Sets the selected layer off wherever the stage is clicked; nothing of it is kept."""
        self.desk.hinted.emit("Click on the ground or a prop to trigger it there, once. Escape ends.", None)
        self.stage.arm(self.desk.fire_at)

    def _placed(self, met: RayHit) -> None:
        layer = self.desk.layer
        if layer is not None:
            after = layer.places.with_one_more(place_at(self.desk.effect, layer, met, self.desk.time))
            self.desk.document.change_layer(f"{layer.name}: one place more", layer.id, ("places",), after)
