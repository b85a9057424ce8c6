"""What opens over the window: search, guide, shortcuts, dialogs, the File menu, and the question about lost work."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QMessageBox

from pale_ember.core.insight.guide import GuideEntry
from pale_ember.formats.document import called
from pale_ember.studio.kit import appearance, theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.shell.files import demo_effects
from pale_ember.studio.shell.guide import GuidePage
from pale_ember.studio.shell.recovery import forget, left_behind
from pale_ember.studio.shell.search import Search, everything
from pale_ember.studio.shell.shortcuts_page import ShortcutsPage

if TYPE_CHECKING:
    from pale_ember.studio.bake.clip_dialog import ClipDialog
    from pale_ember.studio.bake.sheet_dialog import SheetDialog


class Openers:
    """Opens each over a Workbench."""

    def __init__(self, window: Any) -> None:
        self.window = window

    def shortcuts(self) -> ShortcutsPage:
        """Opens the page of all shortcuts."""
        page = ShortcutsPage(self.window, self.window.commands)
        page.open_over(self.window)
        return page

    def guide(self, place: GuideEntry | None = None) -> GuidePage:
        """Opens the guide, at an entry."""
        page = GuidePage(self.window)
        page.open_at(self.window, place)
        return page

    def search(self, begun: str = "") -> Search:
        """Opens the one search for everything, with what is typed already."""
        search = Search(self.window.desk, self.window, everything(self.window))
        search.sought.connect(self.window.show_target)
        search.open_over(self.window.header.search)
        search.line.setText(begun)
        return search

    def clip(self) -> ClipDialog:
        """Opens the export of clips and caches."""
        # What bakes and exports is read when it is wanted: a tenth of all that a start would read.
        from pale_ember.studio.bake.clip_dialog import ClipDialog

        return self._shown(ClipDialog(self.window.desk, self.window))

    def sheet(self) -> SheetDialog:
        """Opens the baking of sheets."""
        from pale_ember.studio.bake.sheet_dialog import SheetDialog

        return self._shown(SheetDialog(self.window.desk, self.window))

    @staticmethod
    def _shown(dialog: Any) -> Any:
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()
        return dialog

    def file_menu(self) -> None:
        """Opens the File menu: files, the quay's effects, how the window looks."""
        window, menu = self.window, Menu(self.window)
        window.files.fill(menu)
        menu.addSeparator()
        demos = menu.addMenu("Effects of the quay")
        for path in demo_effects():
            demos.addAction(called(path)).triggered.connect(lambda _=False, path=path: window.files.open_copy(path))
        looks = menu.addMenu("Appearance")
        for name, chosen in appearance.choices():
            why = appearance.too_large(name, window)
            action = looks.addAction((name if name in theme.DRESSES else f"text size {name}") + (f", {why}" if why else ""))
            action.setCheckable(True)
            action.setChecked(chosen)
            action.setEnabled(not why or chosen)
            action.triggered.connect(lambda _=False, name=name: window.hints.show_hint(appearance.choose(name, window)))
        menu.open_at(window.header.file)

    def recovery(self) -> None:
        """Asks about work that a crash left behind."""
        window, (found, troubles) = self.window, left_behind()
        for trouble in troubles[:1]:
            window.hints.show_hint(trouble)
        for left in found:
            where = left.path.name if left.path else "not saved anywhere yet"
            question = f"“{left.effect.name}” ({where}) was not saved when Pale Ember ended. Restore it?"
            buttons = QMessageBox.StandardButton
            answer = QMessageBox.question(window, "Pale Ember", question, buttons.Yes | buttons.Discard | buttons.Ignore)
            if answer == buttons.Yes:
                window.document.open(left.effect, left.path, saved=False, source=left.source)
                if window.aside.holds(left.effect):
                    forget(left.file)
                window.begin_anew()
                return
            if answer == buttons.Discard:
                forget(left.file)
