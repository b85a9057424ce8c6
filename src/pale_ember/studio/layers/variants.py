"""Other versions of the effect: kept under a name, compared beside it, put in its place, thrown away."""

from __future__ import annotations

from PyQt6.QtWidgets import QInputDialog

from pale_ember.core.effect.edit import free_name
from pale_ember.core.effect.variants import with_kept, with_taken, without_kept
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu


class VariantsButton(WordButton):
    """Opens what can be done with variants; tells which is compared."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("variants", "Variants: other versions of the effect, saved with it (hold V to show one)", menu=True)
        self.desk = desk
        self.clicked.connect(lambda: self.menu_of_all().open_at(self))
        desk.looking.changed.connect(self._show)
        desk.document.changed.connect(self._show)

    def _show(self) -> None:
        self.colour = theme.EMBER if self.desk.looking.beside is not None else theme.ASH
        self.update()

    def menu_of_all(self) -> Menu:
        """The menu of all variants."""
        menu, effect, looking = Menu(self), self.desk.effect, self.desk.looking
        for variant in effect.variants:
            name = variant.name
            inner = menu.addMenu(name)
            beside = inner.addAction("Compare with the effect")
            beside.setCheckable(True)
            beside.setChecked(looking.compared == name)
            beside.triggered.connect(lambda on, name=name: looking.compare(name if on else ""))
            inner.addAction("Replace the effect with it").triggered.connect(lambda _=False, name=name: self.take(name))
            inner.addAction("Delete").triggered.connect(lambda _=False, name=name: self.drop(name))
        if effect.variants:
            menu.addSeparator()
        menu.addAction("Save the effect as a variant…").triggered.connect(self._ask_name)
        alone = menu.addAction("Stop comparing")
        alone.setEnabled(looking.beside is not None)
        alone.triggered.connect(lambda: looking.compare(""))
        return menu

    def _ask_name(self) -> None:
        taken = [variant.name for variant in self.desk.effect.variants]
        name, ok = QInputDialog.getText(self, "A variant", "Name of the variant", text=free_name("variant", taken))
        if ok and name.strip():
            self.keep(name.strip())

    def keep(self, name: str) -> None:
        """Keeps the effect as it is now."""
        self.desk.document.change(f"add variant {name}", with_kept(self.desk.effect, name))

    def take(self, name: str) -> None:
        """Puts a variant in the effect's place; the effect as it was is kept in the variant's."""
        self.desk.document.change(f"variant {name}", with_taken(self.desk.effect, name))
        self.desk.looking.compare("")

    def drop(self, name: str) -> None:
        """Deletes a variant."""
        self.desk.document.change(f"delete variant {name}", without_kept(self.desk.effect, name))
