"""How the window looks, as its user chose: which dress, and how large its text and all around it is."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import suppress

from PyQt6.QtWidgets import QApplication, QWidget

from pale_ember.studio.kit import theme
from pale_ember.studio.kit.settings import settings

SIZES = (90, 100, 110, 125, 150)
"""Per cent."""


def dress() -> str:
    """The dress that was chosen."""
    name = settings().value("dress")
    return name if name in theme.DRESSES else next(iter(theme.DRESSES))


def text_size() -> int:
    """The size of the text that was chosen, in per cent."""
    size = str(settings().value("text size"))
    return int(size) if size.isdecimal() and int(size) in SIZES else 100


def too_large(name: str, window: QWidget) -> str:
    """Why a size of text cannot be chosen, where the window would not fit the screen it is on; nothing where it can, or is a dress."""
    screen = window.screen()
    if name in theme.DRESSES or screen is None:
        return ""
    needed, grows, room, now = window.minimumSizeHint(), int(name.split()[0]) / 100, screen.availableSize(), 1.0
    with suppress(ValueError):
        now = float(os.environ.get("QT_SCALE_FACTOR", "1"))
    if needed.width() * grows <= room.width() * now and needed.height() * grows <= room.height() * now:
        return ""
    return f"needs a screen of {needed.width() * grows:.0f} × {needed.height() * grows:.0f}"


def choose(name: str, window: QWidget) -> str:
    """Wears a dress at once, or takes a size of text from the next start on, by its name; gives what to say of it."""
    if why := too_large(name, window):
        return f"Text size {name} {why}."
    if name in theme.DRESSES:
        settings().setValue("dress", name)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        theme.dress(application, name)
        return f"Appearance: {name}."
    settings().setValue("text size", name.split()[0])
    return f"Text size {name}, from the next start on."


def choices() -> Iterator[tuple[str, bool]]:
    """The names of all that can be chosen, and whether each is."""
    yield from ((name, name == dress()) for name in theme.DRESSES)
    yield from ((f"{size} %", size == text_size()) for size in SIZES)
