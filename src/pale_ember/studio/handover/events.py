"""The names that a game says: those of its own list, those the effect answers, fired into the rehearsal."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QInputDialog, QLabel, QVBoxLayout, QWidget

from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.model import Effect
from pale_ember.formats.handover.names import names_in
from pale_ember.formats.handover.runtime import PackageError
from pale_ember.rehearsal.wire import send
from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Menu
from pale_ember.studio.kit.settings import kept_list, last_folder, settings
from pale_ember.studio.kit.tasks import Task

_DOES = {"start": "start", "stop": "stop", "fade": "end softly", "strength": "strength"}
"""What each event does, by its field."""
_LIST = "the game's names"
_MOST_NAMES = 5000


class EventsList(QWidget):
    """A line for each event the effect may answer: its name, picked from the game's list, and a way to fire it."""

    changed = pyqtSignal()
    """The game's list is another."""

    def __init__(self, desk: Desk, port: int) -> None:
        super().__init__()
        self.desk, self.port = desk, port
        self.known: tuple[str, ...] | None = tuple(kept_list(_LIST)) or None
        """Names that the game knows, where they were told."""
        self._task: Task | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        head = QHBoxLayout()
        self.list_button = WordButton("", "Load the game's names: text with one name a line, or a JSON list")
        self.list_button.clicked.connect(self._ask_list)
        head.addWidget(self.list_button)
        head.addStretch(1)
        column.addLayout(head)
        self.names: dict[str, WordButton] = {}
        self.fires: dict[str, WordButton] = {}
        answers = fields_of(type(desk.effect.answers))
        for name in _DOES:
            row = QHBoxLayout()
            label = QLabel(answers[name].field.label)
            label.setToolTip(answers[name].field.help)
            pick = WordButton("none", "Choose a name from the game's list", menu=True)
            pick.clicked.connect(lambda _=False, name=name: self._pick(name))
            fire = WordButton("send", "Send it to the running rehearsal")
            fire.clicked.connect(lambda _=False, name=name: self.fire(name))
            row.addWidget(label)
            row.addStretch(1)
            row.addWidget(pick)
            row.addWidget(fire)
            column.addLayout(row)
            self.names[name], self.fires[name] = pick, fire
        self.said = QLabel()
        self.said.setWordWrap(True)
        theme.tone(self.said, "ash")
        column.addWidget(self.said)
        column.addStretch(1)
        desk.document.changed.connect(lambda: self._show())
        self._show()

    def _show(self) -> None:
        count = len(self.known) if self.known else 0
        self.list_button.show_text(f"{count} names of the game" if count else "the game's list of names…")
        for name, button in self.names.items():
            value = getattr(self.desk.effect.answers, name)
            button.show_text(value or "none")
            strange = bool(value) and self.known is not None and value not in self.known
            button.colour = theme.WARNING if strange else theme.BONE if value else theme.ASH
            button.setToolTip("The game's list has no such name" if strange else "Choose a name from the game's list")
            self.fires[name].setEnabled(bool(value))

    def _ask_list(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Names that the game knows", str(last_folder()), "Names (*.txt *.json)")
        if name:
            self.take_list(Path(name))

    def take_list(self, path: Path) -> None:
        """Takes the game's names from a file, and says how many there are or what is wrong."""
        try:
            self.known = tuple(names_in(path)[:_MOST_NAMES]) or None
        except PackageError as error:
            self.said.setText(str(error))
            return
        settings().setValue(_LIST, list(self.known or ()))
        self._show()
        self.changed.emit()

    def _pick(self, name: str) -> None:
        menu = Menu(self)
        menu.addAction("none").triggered.connect(lambda: self.choose(name, ""))
        for each in self.known or ():
            menu.addAction(each).triggered.connect(lambda _=False, each=each: self.choose(name, each))
        menu.addAction("another name…").triggered.connect(lambda: self._ask_name(name))
        menu.open_at(self.names[name])

    def _ask_name(self, name: str) -> None:
        told = getattr(self.desk.effect.answers, name)
        value, taken = QInputDialog.getText(self, "A name", "Name of the game's event", text=told)
        if taken:
            self.choose(name, value.strip())

    def choose(self, name: str, value: str) -> None:
        """Lets the effect answer another name."""
        effect: Effect = self.desk.effect
        answers = replace(effect.answers, **{name: value})
        self.desk.document.change(f"{_DOES[name]} on {value or 'nothing'}", replace(effect, answers=answers))

    def fire(self, name: str) -> None:
        """Sends an event to the rehearsal, away from the window."""
        if self._task is not None:
            return
        message = {"event": getattr(self.desk.effect.answers, name)}
        self._task = Task(lambda _: send(self.port, message), (OSError, ValueError), name="events")
        self._task.done.connect(self._answered)
        self._task.failed.connect(lambda _: self._answered({"error": "no rehearsal listens: open one below"}))
        self._task.start()

    def _answered(self, answer: dict) -> None:
        self._task = None
        did = ", ".join(f"{each['effect']}: {each['did']}" for each in answer.get("did", ()))
        self.said.setText(answer.get("error", did))

    def end(self) -> None:
        if self._task is not None:
            self._task.wait(3)
