"""What the window remembers between sessions. A damaged settings file costs what it held, never the start."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PyQt6.QtCore import QByteArray, QSettings

MOST_RECENT = 8


def settings() -> QSettings:
    """Where settings are kept."""
    return QSettings("pale-ember", "pale-ember")


def kept_list(name: str) -> list[str]:
    """A list of texts that was kept; empty where there is none that can be read."""
    kept = settings().value(name)
    if isinstance(kept, str):
        return [kept] if kept else []
    return [text for text in kept if isinstance(text, str)] if isinstance(kept, Iterable) else []


def kept_bytes(name: str) -> QByteArray:
    """A state of the window that was kept; empty where there is none that can be read."""
    kept = settings().value(name)
    return kept if isinstance(kept, QByteArray) else QByteArray()


def recent() -> list[Path]:
    """Documents opened or saved lately that are still there."""
    return [Path(name) for name in kept_list("recent") if Path(name).is_file()]


def last_folder() -> Path:
    """Where a document was opened or saved last."""
    names = kept_list("folder")
    return Path(names[0]) if names and Path(names[0]).is_dir() else Path.home()


def remember(path: Path) -> None:
    """Keeps a document among the recent ones, and its folder as the one to begin with."""
    store = settings()
    kept = [str(path.resolve())] + [str(before) for before in recent() if before != path.resolve()]
    store.setValue("recent", kept[:MOST_RECENT])
    store.setValue("folder", str(path.resolve().parent))
