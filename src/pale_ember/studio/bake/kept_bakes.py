"""What builds bake of an effect: kept with its document, one button each to let it go."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from pale_ember.core.effect.bakes import AnyBake
from pale_ember.core.effect.edit import free_name, with_bake
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit.popups import Menu


class KeptBakes(QWidget):
    """Keeps what a dialog is set to for every build, and shows what is kept already."""

    def __init__(self, desk: Desk, bake: Callable[[str], AnyBake]) -> None:
        """bake : what the dialog is set to, under a name."""
        super().__init__()
        self.desk, self._bake = desk, bake
        self.keep_button = WordButton(
            "Keep for builds", "Builds of the folder bake it as it is set here; kept with the effect", icon="plus"
        )
        self.keep_button.clicked.connect(self.keep)
        self.kept_button = WordButton("kept 0", "What builds bake of this effect", menu=True)
        self.kept_button.clicked.connect(lambda: self._menu().open_at(self.kept_button))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.keep_button)
        row.addWidget(self.kept_button)
        row.addStretch(1)
        desk.document.changed.connect(self._show)
        self._show()

    def _show(self, *_: object) -> None:
        bakes = self.desk.effect.bakes
        self.kept_button.setVisible(bool(bakes))
        self.kept_button.show_text(f"kept {len(bakes)}")

    def keep(self) -> None:
        """Keeps it, under a name of its own."""
        effect = self.desk.effect
        bake = self._bake("")
        if any(replace(bake, name=each.name) == each for each in effect.bakes):
            return
        name = free_name(f"{effect.name} {bake.kind}".replace("/", "-").lower(), [each.name for each in effect.bakes])
        self.desk.document.change(f"bake {name} in builds", with_bake(effect, self._bake(name)))

    def drop(self, name: str) -> None:
        """Builds bake it no more."""
        effect = self.desk.effect
        left = tuple(each for each in effect.bakes if each.name != name)
        self.desk.document.change(f"bake {name} no more", replace(effect, bakes=left))

    def _menu(self) -> Menu:
        menu = Menu(self)
        for each in self.desk.effect.bakes:
            inner = menu.addMenu(f"{each.name}, a {each.kind}")
            inner.addAction("Bake it no more").triggered.connect(lambda _=False, name=each.name: self.drop(name))
        return menu
