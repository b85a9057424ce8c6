"""Libraries whose loading runs code of their own, kept apart from drawing.

The system's loader has one lock. A library that waits for the interpreter while it is being loaded holds that lock; a driver that
compiles a shader asks for it while it holds the interpreter: then each waits for the other for ever. So nothing draws while such a
library is loaded.
"""

from __future__ import annotations

import functools
import importlib
import threading
from collections.abc import Iterator
from contextlib import AbstractContextManager, contextmanager


class MissingExtra(Exception):  # noqa: N818 - it is what happened
    """A package that an installation may do without is needed; the message says for what and how to get it."""

    plain = True
    """Whether the message is for the artist as it is."""


def extra(module: str, name: str, what: str) -> None:
    """Loads a module that comes with an extra of the package. name : the extra's. what : what it is needed for. Raises MissingExtra."""
    try:
        importlib.import_module(module)
    except ImportError:
        raise MissingExtra(f'{what} needs {module}, which is not installed; run pip install "pale-ember[{name}]"') from None


class _Gate:
    """Many may draw at once, or one may load."""

    def __init__(self) -> None:
        self._changed = threading.Condition()
        self._drawing, self._loading = 0, False
        self._mine = threading.local()

    @contextmanager
    def drawing(self) -> Iterator[None]:
        deep = getattr(self._mine, "deep", 0)
        if not deep:
            with self._changed:
                self._changed.wait_for(lambda: not self._loading)
                self._drawing += 1
        self._mine.deep = deep + 1
        try:
            yield
        finally:
            self._mine.deep = deep
            if not deep:
                with self._changed:
                    self._drawing -= 1
                    self._changed.notify_all()

    @contextmanager
    def loading(self) -> Iterator[None]:
        with self._changed:
            self._changed.wait_for(lambda: not self._loading)
            self._loading = True
            self._changed.wait_for(lambda: not self._drawing)
        try:
            yield
        finally:
            with self._changed:
                self._loading = False
                self._changed.notify_all()


@functools.cache
def _gate() -> _Gate:
    return _Gate()


def drawing() -> AbstractContextManager[None]:
    """While it lasts no such library is loaded; it waits for one that is. May be entered again within itself."""
    return _gate().drawing()


def loading() -> AbstractContextManager[None]:
    """While it lasts nothing draws; it waits for all that does. Not within `drawing`."""
    return _gate().loading()
