"""How the stage is looked at: from where, which layers, with what marks. Nothing of it is kept, nor can be undone."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.edit import index_of, layer_of, with_value
from pale_ember.core.effect.model import FIRST_VIEW, Camera, Effect, Layer
from pale_ember.core.effect.tree import chain_of, family_of
from pale_ember.core.effect.variants import as_variant, named
from pale_ember.core.insight.distances import farther, step_at
from pale_ember.core.insight.particle_story import FollowedParticle
from pale_ember.studio.document.history import Document
from pale_ember.studio.kit.cached_painting import ById

MARKS = {
    "shape": "shape, aim and handles",
    "births": "births",
    "paths": "predicted paths",
    "velocity": "velocities",
    "touches": "collisions and surface normals",
    "bounds": "bounds",
    "strips": "centre lines of ribbons and beams",
    "links": "spawn links",
    "carrier": "the carrier's path and the anchors",
    "moments": "onion skin",
}
"""The marks by name, as the menu tells them."""

FIRST_MARKS = frozenset({"shape", "carrier"})
"""What is on to begin with."""

AXES = ("parent", "own", "world")
"""In which axes the selected layer is moved and turned on the stage: those of what it stands in, its own, the world's."""


class ViewSettings(QObject):
    """The view of a document."""

    changed = pyqtSignal()
    """What the stage shows changed without an edit."""

    pointing = pyqtSignal()
    """The pointer is on another layer."""

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self.camera: Camera = self.first_camera()
        self.solo: str | None = None
        """The layer that is alone."""
        self.dims = False
        """Whether the others are dimmed beside a layer alone, instead of hidden."""
        self.overlays = True
        """Whether marks are shown at all, and below which of them."""
        self.marks: frozenset[str] = FIRST_MARKS
        self.shows = "picture"
        """How the picture is looked at: one of the renderer's SHOWS."""
        self.tried: Layer | None = None
        """A layer as it would be, shown on the stage while something is only pointed at."""
        self.tried_whole: Effect | None = None
        """The effect as it would be, the same way."""
        self.followed: FollowedParticle | None = None
        """The particle that is followed."""
        self.staged = False
        """Whether what stands on the stage can be taken hold of: while its panel is open."""
        self.axes = AXES[0]
        self.pointed = ""
        """The layer that the pointer is on, in the list or on the stage."""
        self.folded: frozenset[str] = frozenset()
        """Layers whose riders are folded away in the list."""
        self.compared = ""
        """The variant that is seen beside the effect."""
        self.by_distance = False
        """Whether the effect is seen as its distance steps have it, from where the camera stands."""
        self._far: tuple[tuple, Effect] | None = None
        self.offered: tuple[str, Effect] | None = None
        """What is seen beside it instead while it is being decided on, and how that is called."""
        self.share = 0.5
        """How much of the picture is left of it."""
        self._beside: tuple[tuple, Effect] | None = None
        self.before: Effect | None = None
        """The effect as it was, shown for as long as a key is held."""
        document.changed.connect(self._edited)

    def first_camera(self) -> Camera:
        """The view that all begins with."""
        cameras = self.document.effect.stage.cameras
        return cameras[0] if cameras else FIRST_VIEW

    def hidden(self) -> frozenset[str]:
        """Layers left out of the stage because another is alone."""
        if self.solo is None or self.dims:
            return frozenset()
        alone = family_of(self.document.effect, self.solo)
        return frozenset(layer.id for layer in self.document.effect.layers if layer.id not in alone)

    def is_live(self, layer: Layer) -> bool:
        """Whether a layer is seen: it is shown, and no other is alone, but one that carries it."""
        return layer.shown and (self.solo is None or layer.id in family_of(self.document.effect, self.solo))

    @property
    def effect(self) -> Effect:
        """The effect as the stage shows it."""
        if self.before is not None:
            return self.before
        if self.tried_whole is not None:
            return self.tried_whole
        effect = self._from_afar(self.document.effect)
        if self.tried is None or layer_of(effect, self.tried.id) is None:
            return effect
        return with_value(effect, ("layers", index_of(effect, self.tried.id)), self.tried)

    def _from_afar(self, effect: Effect) -> Effect:
        """The effect as it is used from where the camera stands, where that is to be seen."""
        step = step_at(effect, self.camera.distance) if self.by_distance else None
        if step is None:
            return effect
        key = ById(effect), step
        if self._far is None or self._far[0] != key:
            self._far = key, farther(effect, step)
        return self._far[1]

    def show_by_distance(self, on: bool) -> None:
        self.by_distance = on
        self.changed.emit()

    @property
    def beside(self) -> Effect | None:
        """What is offered, or the variant that is compared, as an effect on the same stage."""
        if self.offered is not None:
            return self.offered[1]
        effect = self.document.effect
        variant = named(effect, self.compared)
        if variant is None:
            return None
        key = ById(variant), ById(effect.stage), ById(effect.cues)
        if self._beside is None or self._beside[0] != key:
            self._beside = key, as_variant(effect, variant)
        return self._beside[1]

    @property
    def beside_name(self) -> str:
        return self.offered[0] if self.offered is not None else self.compared

    def offer(self, name: str, effect: Effect | None) -> None:
        """Shows an effect to the right, to be decided on; None shows what was there before."""
        self.offered = None if effect is None else (name, effect)
        self.changed.emit()

    def compare(self, name: str) -> None:
        """Shows a variant to the right of the effect; "" shows the effect alone."""
        self.compared = name
        self.changed.emit()

    def divide(self, share: float) -> None:
        """Gives the effect so much of the picture's width, and what is compared the rest."""
        self.share = min(max(share, 0.02), 0.98)
        self.changed.emit()

    def show_mark(self, kind: str, on: bool) -> None:
        """Puts a kind of mark on the stage, or takes it off."""
        self.marks = self.marks | {kind} if on else self.marks - {kind}
        self.overlays = self.overlays or on
        self.changed.emit()

    def turn_axes(self) -> str:
        """Moves and turns layers in the next axes; gives which."""
        self.axes = AXES[(AXES.index(self.axes) + 1) % len(AXES)]
        self.changed.emit()
        return self.axes

    def look_at(self, shows: str) -> None:
        """Looks at the picture in another way."""
        self.shows = shows
        self.changed.emit()

    def look_from(self, camera: Camera) -> None:
        """Looks from a camera."""
        self.camera = camera
        self.changed.emit()

    def set_dims(self, on: bool) -> None:
        self.dims = on
        self.changed.emit()

    def set_solo(self, identity: str | None) -> None:
        """Shows one layer alone, or all."""
        self.solo = identity
        self.changed.emit()

    def fold(self, identity: str) -> None:
        """Folds what rides on a layer away in the list, or shows it again."""
        self.folded = self.folded ^ {identity}
        self.changed.emit()

    def unfold_to(self, identity: str) -> None:
        """Shows a layer in the list, whatever is folded above it."""
        by_id = {layer.id: layer for layer in self.document.effect.layers}
        if identity in by_id:
            above = {layer.id for layer in chain_of(by_id, by_id[identity])[1:]}
            if self.folded & above:
                self.folded = self.folded - above
                self.changed.emit()

    def listed(self) -> tuple[Layer, ...]:
        """The layers that have a row: all but those that ride on a folded one."""
        layers = self.document.effect.layers
        if not self.folded:
            return layers
        by_id = {layer.id: layer for layer in layers}
        return tuple(layer for layer in layers if not any(above.id in self.folded for above in chain_of(by_id, layer)[1:]))

    def point_at(self, identity: str) -> None:
        """Marks a layer's particles on the stage, and its row."""
        if identity != self.pointed:
            self.pointed = identity
            self.pointing.emit()

    def follow(self, followed: FollowedParticle | None) -> None:
        """Follows a particle, or none."""
        self.followed = followed
        self.changed.emit()

    def show_before(self, on: bool) -> str:
        """Shows the effect as it was before the last edit, or as it is; gives the edit's name, "" where there was none."""
        past = self.document.past
        before = past[-1].before if on and past else None
        if before is not self.before:
            self.before = before
            self.changed.emit()
        return past[-1].name if before is not None else ""

    def show_variant(self) -> str:
        """Shows the variant that is compared, or else the last, until `show_before(False)`; gives its name, "" for none."""
        variants = self.document.effect.variants
        variant = named(self.document.effect, self.compared) or (variants[-1] if variants else None)
        if variant is None:
            return ""
        self.before = as_variant(self.document.effect, variant)
        self.changed.emit()
        return variant.name

    def try_layer(self, layer: Layer | None) -> None:
        """Shows a layer as it would be, without an edit; None shows it as it is."""
        if layer is not self.tried:
            self.tried = layer
            self.changed.emit()

    def try_effect(self, effect: Effect | None) -> None:
        """Shows the effect as it would be, without an edit; None shows it as it is."""
        if effect is not self.tried_whole:
            self.tried_whole = effect
            self.changed.emit()

    def _edited(self, old: Effect, new: Effect) -> None:
        self.tried = self.tried_whole = self.before = self.offered = None
        if self.solo is not None and layer_of(new, self.solo) is None:
            self.solo = None
