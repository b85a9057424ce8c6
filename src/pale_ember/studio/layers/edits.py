"""What is done to layers as a whole, and the menu that offers it."""

from __future__ import annotations

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QIcon, QPixmap
from PyQt6.QtWidgets import QInputDialog

from pale_ember.core.effect import edit
from pale_ember.core.effect.chapters import Forces
from pale_ember.core.effect.loop_gaps import with_lives_matched
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.pose_keys import with_key
from pale_ember.core.effect.sharing import WHOLE, with_shared
from pale_ember.core.effect.tree import family_of, with_trail, without_layer
from pale_ember.core.insight.chapter_summaries import BRIEFS
from pale_ember.core.variation.following import followed_by, with_following, without_following
from pale_ember.folder.shared import STARTS, kept_out, with_recipes_of, with_sharing
from pale_ember.formats.motions import KINDS
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.document.motion_import import MotionImport
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.saved_items import ask_and_share, every_start, keep_own, shared_folder, shared_start
from pale_ember.studio.layers.row import TAGS
from pale_ember.studio.layers.timeline_widget import TimelineWidget


class LayerEdits(TimelineWidget):
    """Edits the layers of its desk, the selected one to begin with."""

    start_asked = pyqtSignal()
    """A layer is to be added."""
    shots_asked = pyqtSignal()
    """The selected layer is to be set off where the stage is clicked."""
    places_asked = pyqtSignal()
    """The selected layer is to be put on places that are clicked on the stage."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.recorded = MotionImport(desk)

    def rename(self) -> None:
        """Opens the selected layer's name for typing."""
        raise NotImplementedError

    def row_at(self, y: float) -> int | None:
        """The place of the layer whose row is at a height."""
        raise NotImplementedError

    def add(self, start: str) -> None:
        """Adds the layers of a starting point, drawn last, and selects the one that spawns by itself. Layers of one of the folder's
        follow it."""
        shared, effect = shared_start(start), self.desk.effect
        made = shared.layers if shared is not None else every_start()[start].make()
        effect, named = with_recipes_of(effect, shared) if shared is not None else (effect, None)
        layers = edit.fresh(named.layers if named is not None else made)
        if len(layers) == 1:
            taken = [layer.name for layer in self.desk.effect.layers]
            layers = (replace(layers[0], name=edit.free_name(start, taken)),)
        effect = edit.with_layers(effect, layers)
        if shared is not None:
            effect = with_following(effect, f"{STARTS}/{start}", made, layers)
        self.desk.document.change(f"add {start}", effect)
        by_itself = [layer.id for layer in layers if layer.outlet.rate.most > 0 or layer.outlet.bursts]
        self.desk.select([layers[0].id, *by_itself][-1])
        layer = self.desk.layer
        if layer is not None and (pushed := BRIEFS["forces"](self.desk.effect, layer)) != ["nothing"]:
            told = f"{layer.name} has forces of its own: {', '.join(pushed)}. Remove its forces and keys, in its menu, makes it plain."
            self.desk.hinted.emit(told, None)

    def keep_own(self) -> None:
        """Asks for a name, and keeps the selected layer as a starting point of the artist's own."""
        layer = self.desk.layer
        if layer is None:
            return
        name, ok = QInputDialog.getText(self, "Save as a starting point", "What is it called?", text=layer.name)
        if ok and name.strip():
            keep_own("layers", name.strip(), edit.fresh((layer,))[0])

    def share(self) -> None:
        """Shares the layers that are chosen with the folder, as a starting point that they follow from now on."""
        effect, chosen = self.desk.effect, self.desk.chosen
        layers = tuple(layer for layer in effect.layers if layer.id in chosen)
        if not layers:
            return
        made = with_sharing(effect, edit.fresh(layers))
        why = kept_out(made)
        if why:
            self.desk.hinted.emit(f"Not shared: {why}", None)
            return
        name, said = ask_and_share(self, STARTS, layers[0].name, lambda: made)
        if name:
            self.desk.document.change(f"follow {name}", with_following(self.desk.effect, f"{STARTS}/{name}", made.layers, layers))
        if said:
            self.desk.hinted.emit(said, None)

    def go_own_way(self) -> None:
        """Lets the selected layer follow nothing any more."""
        layer = self.desk.layer
        followed = followed_by(self.desk.effect, layer.id) if layer is not None else None
        if layer is not None and followed is not None:
            self.desk.document.change(f"{layer.name}: stop following", without_following(self.desk.effect, followed))

    def duplicate(self) -> None:
        """Duplicates the selected layer."""
        layer = self.desk.layer
        if layer is not None:
            effect, identity = edit.duplicated(self.desk.effect, layer.id)
            self.desk.document.change(f"duplicate {layer.name}", effect)
            self.desk.select(identity)

    def duplicate_sharing(self) -> None:
        """Adds a copy that has everything but where it stands in common with the selected layer."""
        layer = self.desk.layer
        if layer is not None:
            effect, identity = edit.duplicated(self.desk.effect, layer.id)
            for chapter in WHOLE:
                effect = with_shared(effect, layer.id, identity, (chapter,))
            self.desk.document.change(f"duplicate {layer.name}, shared", effect)
            self.desk.select(identity)

    def delete(self) -> None:
        """Deletes the selected layers."""
        layer = self.desk.layer
        if layer is not None:
            effect, chosen = self.desk.effect, self.desk.chosen
            for identity in chosen:
                effect = without_layer(effect, identity)
            what = layer.name if len(chosen) == 1 else f"{len(chosen)} layers"
            self.desk.document.change(f"delete {what}", effect)

    def move(self, places: int) -> None:
        """Moves the selected layer in the list."""
        layer = self.desk.layer
        if layer is not None:
            place = edit.index_of(self.desk.effect, layer.id) + places
            if 0 <= place < len(self.desk.effect.layers):
                self.desk.document.change(f"move {layer.name}", edit.moved_layer(self.desk.effect, layer.id, place))

    def drop_before(self, other: str | None) -> None:
        """Moves what is chosen before another layer, or to the end; what is folded into it goes along."""
        effect, looking = self.desk.effect, self.desk.looking
        moved: set[str] = set()
        for identity in self.desk.chosen:
            moved |= family_of(effect, identity) if identity in looking.folded else {identity}
        name = self.desk.layer.name if self.desk.layer is not None else ""
        self.desk.document.change(f"move {name}", edit.moved_before(effect, moved, other))

    def toggle_shown(self, layer: Layer | None = None) -> None:
        """Hides a layer, those that are chosen to begin with, and what rides on it, or shows them again."""
        first = layer or self.desk.layer
        if first is None:
            return
        effect, chosen = self.desk.effect, (layer.id,) if layer is not None else self.desk.chosen
        family, shown = frozenset().union(*(family_of(effect, identity) for identity in chosen)), not first.shown
        layers = tuple(replace(one, shown=shown) if one.id in family else one for one in effect.layers)
        whose = first.name if len(chosen) == 1 else f"{len(chosen)} layers"
        self.desk.document.change(f"{'show' if shown else 'hide'} {whose}", replace(effect, layers=layers))

    def toggle_solo(self, layer: Layer | None = None) -> None:
        """Shows a layer, the selected one to begin with, alone; or with the others again."""
        layer = layer or self.desk.layer
        if layer is not None:
            self.desk.looking.set_solo(None if self.desk.looking.solo == layer.id else layer.id)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        self.desk.looking.point_at("")
        menu = Menu(self)
        layer = self.desk.layer if self.row_at(event.pos().y()) is not None else None
        if layer is not None:
            self._add_entries(menu, layer)
            menu.addSeparator()
        menu.addAction("Add a layer…").triggered.connect(self.start_asked)
        menu.open_at(event.globalPos())

    def _add_entries(self, menu: Menu, layer: Layer) -> None:
        """Adds what can be done with a layer: it as such, how it is seen, where it is in time and on the stage."""
        followed = followed_by(self.desk.effect, layer.id)
        groups = (
            (
                ("Rename\tF2", self.rename),
                ("Duplicate\tCtrl+D", self.duplicate),
                ("Duplicate linked", self.duplicate_sharing),
                ("Save as a starting point…", self.keep_own),
                *([("Share with the folder…", self.share)] if shared_folder() is not None else []),
                *([(f"Stop following {followed.source.partition('/')[2]}", self.go_own_way)] if followed is not None else []),
                ("Delete\tDel", self.delete),
            ),
            (
                ("Hide\tH" if layer.shown else "Show\tH", lambda: self.toggle_shown(layer)),
                ("Solo\tA", lambda: self.toggle_solo(layer)),
                ("Free\tL" if layer.locked else "Lock\tL", self.toggle_locked),
                ("Draw earlier\tAlt+Up", lambda: self.move(-1)),
                ("Draw later\tAlt+Down", lambda: self.move(1)),
            ),
        )
        for group in groups:
            for text, do in group:
                menu.addAction(text).triggered.connect(lambda _=False, do=do: do())
            menu.addSeparator()
        self._add_tags(menu)
        matched = with_lives_matched(self.desk.effect, layer)
        match = menu.addAction("Fill the loop gap")
        match.setToolTip("Particles live until the next are born, so that the loop has no dark gap")
        match.setEnabled(matched is not layer)
        match.triggered.connect(lambda: self._set(layer, "lives matched to the loop", "birth", matched.birth))
        key = menu.addAction("Key position here")
        key.setToolTip("Then its handles on the stage move the key at the moment shown")
        key.triggered.connect(self.add_key)
        if layer.keys:
            menu.addAction("Remove its keys").triggered.connect(lambda: self._set(layer, "no keys", "keys", ()))
        many = menu.addMenu("Repeat at places")
        for text, lie in (("In a ring", "ring"), ("In a row", "row"), ("At one place", "one")):
            many.addAction(text).triggered.connect(lambda _=False, lie=lie: self.lay_out(lie))
        many.addAction("By clicking on the stage").triggered.connect(self.places_asked)
        for prop in self.desk.effect.stage.props:
            if prop.shape == "mesh" and prop.mesh.partition("#")[0].endswith(KINDS):
                action = many.addAction(f"On the named nodes of {prop.name}")
                action.triggered.connect(lambda _=False, name=prop.name: self.recorded.place_on(name, layer.id))
        plain = menu.addAction("Remove its forces and keys")
        plain.setToolTip("Nothing pushes its particles, and it stays where it stands")
        plain.setEnabled(bool(layer.keys) or layer.forces != Forces())
        plain.triggered.connect(self.make_plain)
        trail = menu.addAction("Trail behind its particles")
        trail.setToolTip("Adds a layer, born along the path of each particle, in its colour")
        trail.triggered.connect(self.add_trail)
        menu.addAction("Trigger by clicking").triggered.connect(self.shots_asked)

    def _add_tags(self, menu: Menu) -> None:
        tags = menu.addMenu("Tag")
        for tag, colour in TAGS.items():
            picture = QPixmap(14, 14)
            picture.fill(colour)
            tags.addAction(QIcon(picture), tag).triggered.connect(lambda _=False, tag=tag: self.set_tag(tag))
        tags.addAction("none").triggered.connect(lambda: self.set_tag("none"))

    def _set(self, layer: Layer, what: str, field: str, value: object) -> None:
        self.desk.document.change_layer(f"{layer.name}: {what}", layer.id, (field,), value)

    def toggle_locked(self) -> None:
        """Keeps the layers that are chosen from being changed, or lets them be changed again."""
        layer = self.desk.layer
        if layer is not None:
            self._set_all("free" if layer.locked else "lock", "locked", not layer.locked)

    def _set_all(self, what: str, field: str, value: object) -> None:
        """Sets a field of all layers that are chosen, as one step."""
        effect, chosen = self.desk.effect, self.desk.chosen
        for identity in chosen:
            effect = edit.with_value(effect, ("layers", edit.index_of(effect, identity), field), value)
        layer = self.desk.layer
        whose = layer.name if layer is not None and len(chosen) == 1 else f"{len(chosen)} layers"
        self.desk.document.change(f"{what} {whose}", effect)

    def make_plain(self) -> None:
        """Takes from the selected layer what it brought along: its forces and its keys."""
        layer = self.desk.layer
        if layer is not None:
            plain = replace(layer, forces=Forces(), keys=())
            self.desk.document.change_layer(f"{layer.name}: plain", layer.id, (), plain)

    def add_trail(self) -> None:
        """Lets a trail follow each particle of the selected layer: a layer of its own, born along their ways."""
        layer = self.desk.layer
        if layer is not None:
            self.desk.document.change(f"{layer.name}: trail", with_trail(self.desk.effect, layer.id)[0])

    def set_tag(self, tag: str) -> None:
        """Gives the selected layers a tag."""
        layer = self.desk.layer
        if layer is not None:
            self._set_all(f"tag {tag}", "tag", tag)

    def add_key(self) -> None:
        """Gives the selected layer a key at the moment that is shown."""
        layer = self.desk.layer
        if layer is not None:
            keyed, _ = with_key(layer, self.desk.time)
            self.desk.document.change_layer(f"{layer.name}: key", layer.id, ("keys",), keyed.keys)

    def lay_out(self, lie: str) -> None:
        """Puts the selected layer, and what rides on it, on many places, or on one again."""
        layer = self.desk.layer
        if layer is not None:
            path, name = ("places", "lie"), "one place" if lie == "one" else f"a {lie}"
            self.desk.document.change_layer(f"{layer.name}: on {name}", layer.id, path, lie)

    def select_beside(self, step: int) -> None:
        """Selects the row before or behind."""
        layers, layer = self.desk.looking.listed(), self.desk.layer
        if layer is not None:
            place = next((i for i, other in enumerate(layers) if other.id == layer.id), 0) + step
            self.desk.select(layers[min(max(place, 0), len(layers) - 1)].id)
