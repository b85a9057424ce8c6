"""A drag from a layer's row to another, by which it spawns that layer."""

from __future__ import annotations

from typing import get_args

from msgspec.structs import replace
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QMenu, QWidget

from pale_ember.core.effect import edit
from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.offspring import Offspring, Rule
from pale_ember.core.effect.starting_points import Start
from pale_ember.core.effect.tree import may_spawn, with_new_child, with_offspring
from pale_ember.core.effect.trims import trimmed
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.saved_items import every_start
from pale_ember.studio.layers.row import LINK

_SMALLER = 0.6
"""How large, and how long, what a layer leaves is beside itself."""
_TOLD = {"born": "when it is born", "touches": "when it touches", "ends": "when it ends"}


class Link:
    """The drag that goes on: from which layer, and where the pointer is."""

    def __init__(self, desk: Desk, parent: str, at: QPointF) -> None:
        self.desk, self.parent, self.at = desk, parent, at

    def move(self, to: QPointF) -> None:
        self.at = to

    def end(self, holder: QWidget, child: Layer | None) -> Menu | None:
        """Asks when the layer spawns the one it was dragged to, or a new one where it was dragged beside them all."""
        effect = self.desk.effect
        if child is not None and child.id == self.parent:
            return None
        if child is not None and child.id not in {layer.id for layer in may_spawn(effect, self.parent)}:
            self.desk.hinted.emit(f"{child.name} spawns it already: a ring of them is refused.", None)
            return None
        whens = fields_of(Rule)["when"]
        menu = Menu(holder)
        for when, help_ in zip(get_args(whens.type), whens.field.options, strict=True):
            if child is None:
                self._offer_new(menu.addMenu(f"spawns a new layer {_TOLD.get(when, when)}"), when)
                continue
            action = menu.addAction(f"spawns {child.name} {_TOLD.get(when, when)}")
            action.setToolTip(help_)
            action.triggered.connect(lambda _=False, when=when: self.take(child.id, when))
        menu.open_at(holder.mapToGlobal(self.at.toPoint()))
        return menu

    def _offer_new(self, menu: QMenu, when: str) -> None:
        """Offers a new layer: one like the layer itself, smaller and shorter, or one of a starting point."""
        menu.addAction("like this one, smaller").triggered.connect(lambda: self.take("", when))
        menu.addSeparator()
        for name, start in every_start().items():
            menu.addAction(name).triggered.connect(lambda _=False, start=start: self.take_start(start, when))

    def take_start(self, start: Start, when: str) -> None:
        """Lets the layer spawn a new one of a starting point, which is born only there."""
        bears = edit.layer_of(self.desk.effect, self.parent)
        if bears is not None:
            effect, child = with_new_child(self.desk.effect, start.make())
            self.desk.document.change(f"{bears.name}: offspring {when}", with_offspring(effect, self.parent, child, when))
            self.desk.select(child)

    def take(self, child: str, when: str) -> None:
        """Lets the layer spawn another, or a new one like itself, smaller and shorter, at once."""
        effect, chosen = self.desk.effect, self.parent
        bears = edit.layer_of(effect, self.parent)
        if bears is None:
            return
        if not child:
            new = replace(edit.fresh((bears,))[0], name=f"{bears.name} offspring", offspring=Offspring(), rides_on="")
            effect, child = edit.with_layer(effect, new), new.id
            chosen = child
            effect = trimmed(trimmed(effect, "size", _SMALLER, (child,)), "tempo", 1 / _SMALLER, (child,))
        self.desk.document.change(f"{bears.name}: offspring {when}", with_offspring(effect, self.parent, child, when))
        # A new layer is looked at; of one that was there, the rule is, and that stands with its parent.
        self.desk.select(chosen)

    def paint(self, painter: QPainter, row: QRectF, target: QRectF | None) -> None:
        """Paints the way from a row to the pointer, and around the row it is over."""
        painter.setPen(QPen(theme.EMBER, 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawLine(QPointF(LINK + 7, row.center().y()), self.at)
        painter.drawEllipse(self.at, 3, 3)
        if target is not None:
            painter.drawRoundedRect(target, 6, 6)
