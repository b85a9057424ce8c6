"""A chapter's sentence, or the whole story, opened as text: what it says is shown on the stage while it is written."""

from __future__ import annotations

import re
from typing import Literal, get_args, get_origin

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QHideEvent, QKeyEvent, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import QLabel, QPlainTextEdit, QTextEdit, QVBoxLayout, QWidget

from pale_ember.core.effect.edit import layer_of
from pale_ember.core.effect.model import Layer
from pale_ember.core.effect.story import STORY, chapter_of, title_of
from pale_ember.core.insight.search import field_entries
from pale_ember.core.insight.sentences import TOLD, plainly
from pale_ember.core.texture.library import PICTURES
from pale_ember.core.words.writing import WrittenEffect, story_told, story_written, written
from pale_ember.studio.document.desk import Desk
from pale_ember.studio.kit import theme
from pale_ember.studio.kit.popups import Panel, on_screen, open_beside
from pale_ember.studio.kit.saved_items import starts_by_word

_WIDTH = 620
_LINE = 22
_MOST_OFFERED = 6


def offers(chapters: tuple[str, ...], text: str) -> list[str]:
    """Words that may go on what is being typed, the last of a text: fields of some chapters, their options, pictures."""
    begun = re.search(r"([a-z][\w -]*)$", text.lower())
    if begun is None:
        return []
    words: list[str] = []
    for entry in field_entries():
        place = entry.does
        if place.kind is Layer and chapter_of(place.path) in chapters:
            options = get_args(place.declared.type) if get_origin(place.declared.type) is Literal else ()
            words += [entry.title, *options]
    words += [*PICTURES] if "look" in chapters else []
    ends = [begun[1][at.end() :] for at in re.finditer(r"^|\s+", begun[1])]
    fits = [word for end in ends if len(end) > 1 for word in words if word.startswith(end) and word != end]
    return list(dict.fromkeys(fits))[:_MOST_OFFERED]


class SentenceEditor(Panel):
    """Text that is written of the layers that are chosen. chapter : whose sentence; "" for the whole story."""

    def __init__(self, parent: QWidget, desk: Desk, chapter: str) -> None:
        super().__init__(parent)
        self.desk, self.chapter = desk, chapter
        self._starts = starts_by_word()
        self._written: WrittenEffect | None = None
        self.page = QPlainTextEdit()
        name = title_of(chapter) if chapter else "the whole story"
        self.setAccessibleName(f"write {name}")
        self.page.setAccessibleName(f"{name}, as text")
        self.page.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.page.setFrameShape(QPlainTextEdit.Shape.NoFrame)
        self.page.installEventFilter(self)
        self.note = QLabel()
        theme.tone(self.note, "ash")
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.addWidget(self.page, 1)
        column.addWidget(self.note)
        self.resize(QSize(_WIDTH if chapter else 1000, (4 if chapter else 13) * _LINE + 44))
        layer = desk.layer
        if layer is not None:
            told = plainly(TOLD[chapter](desk.effect, layer)) if chapter else story_told(desk.effect, layer)
            self.page.setPlainText(told)
            self.page.moveCursor(QTextCursor.MoveOperation.End)
        self.page.textChanged.connect(self._read)
        self._tell([])

    def open_at(self, anchor: QWidget) -> None:
        open_beside(self, on_screen(anchor), anchor.screen().availableGeometry())
        self.page.setFocus()

    def _before_cursor(self) -> str:
        cursor = self.page.textCursor()
        return self.page.toPlainText()[: cursor.position()]

    def _chapters(self) -> tuple[str, ...]:
        return (self.chapter,) if self.chapter else STORY

    def _read(self) -> None:
        """Reads what is written, shows it on the stage, and underlines what is not understood."""
        desk, text = self.desk, self.page.toPlainText()
        if desk.layer is None:
            return
        read = (
            written(desk.effect, desk.chosen, self.chapter, text, self._starts)
            if self.chapter
            else story_written(desk.effect, desk.chosen, text, self._starts)
        )
        self._written = read
        marks = []
        for begin, end in read.lost:
            mark = QTextEdit.ExtraSelection()
            mark.cursor = self.page.textCursor()
            mark.cursor.setPosition(begin)
            mark.cursor.setPosition(end, QTextCursor.MoveMode.KeepAnchor)
            mark.format.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            mark.format.setUnderlineColor(theme.EMBER)
            marks.append(mark)
        self.page.setExtraSelections(marks)
        desk.looking.try_effect(read.effect if read.effect is not desk.effect else None)
        self._tell([text[begin:end] for begin, end in read.lost])

    def _tell(self, lost: list[str]) -> None:
        offered = offers(self._chapters(), self._before_cursor())
        if offered:
            self.note.setText(f"Tab: {' · '.join(offered)}")
        elif lost:
            self.note.setText(f"Not understood: {', '.join(lost)}")
        else:
            self.note.setText("Return applies it, Escape cancels")

    def take(self) -> bool:
        """Takes what is written, unless some of it is not understood."""
        read, desk = self._written, self.desk
        if read is not None and read.lost:
            text = self.page.toPlainText()
            lost = ", ".join(text[begin:end] for begin, end in read.lost)
            self.note.setText(f"Not understood: {lost}. Say it differently, or delete it.")
            return False
        self.close()
        layer = layer_of(desk.effect, desk.selection)
        if read is not None and layer is not None and read.effect is not desk.effect:
            whose = layer.name if len(desk.chosen) == 1 else f"{len(desk.chosen)} layers"
            desk.document.change(f"{whose}: {title_of(self.chapter) if self.chapter else 'story'} written", read.effect)
        return True

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self.take()
                return True
            if event.key() == Qt.Key.Key_Tab:
                self._complete()
                return True
        return super().eventFilter(watched, event)

    def _complete(self) -> None:
        """Writes the first word that is offered to its end."""
        text = self._before_cursor()
        word = next(iter(offers(self._chapters(), text)), "")
        begun = next((k for k in range(len(word), 0, -1) if text.lower().endswith(word[:k])), 0)
        if word:
            self.page.insertPlainText(word[begun:] + " ")

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.desk.looking.try_effect(None)
        super().hideEvent(event)
