"""Paints the recipe on the bench away from the window: the frame that is looked at first, then the whole sheet."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe
from pale_ember.formats.pictures import PictureError
from pale_ember.formats.shelf import Shelf
from pale_ember.machine.error_log import unforeseen

_QUICK = 0.05
"""Seconds that a picture may take while a number is dragged; what takes longer is painted smaller until the hand rests."""
_RESTS = 0.18
"""Seconds without a change after which the hand rests."""
_LEAST = 64


@dataclass(frozen=True, slots=True, eq=False)
class PaintRequest:
    """What is wanted: a recipe among those of its document, one of its frames, and the part of a gas behind the #."""

    recipe: Recipe
    recipes: tuple[Recipe, ...]
    frame: int
    part: str = ""


class RecipePainter(QObject):
    """One thread; the newest wish wins."""

    painted = pyqtSignal(object, object)
    """A PaintRequest and its frame (h, w, 4) float32, perhaps smaller than it will be."""
    laid = pyqtSignal(object, object)
    """A PaintRequest and its whole sheet (h, w, 4) float32."""
    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._lock = threading.Condition()
        self._wish: tuple[PaintRequest | None, Shelf, float] | None = None
        self._over = False
        self._share = 1.0
        self.a_pixel = 0.0
        """Seconds that a pixel of the last frame took."""
        self._thread = threading.Thread(target=self._run, name="pale-ember-bench", daemon=True)

    def want(self, wish: PaintRequest | None, shelf: Shelf) -> None:
        """Asks for a picture, or for none; the newest wins."""
        with self._lock:
            self._wish = wish, shelf, time.monotonic()
            if wish is not None and not self._thread.is_alive() and not self._over:
                self._thread.start()
            self._lock.notify_all()

    def end(self) -> None:
        """Ends the thread."""
        with self._lock:
            self._over, self._wish = True, None
            self._lock.notify_all()
        if self._thread.is_alive():
            self._thread.join(timeout=10)

    def _run(self) -> None:
        while True:
            with self._lock:
                while self._wish is None and not self._over:
                    self._lock.wait()
                if self._over or self._wish is None:
                    return
                wish, shelf, since = self._wish
                self._wish = None
            try:
                if wish is not None:
                    self._paint(wish, shelf, since)
            except PictureError as error:
                self.failed.emit(str(error))
            except Exception as error:  # noqa: BLE001 - a thread's last word
                self.failed.emit(unforeseen(error))

    def _paint(self, wish: PaintRequest, shelf: Shelf, since: float) -> None:
        recipe = wish.recipe
        quick = not wish.part and recipe.gas is None
        if quick:
            size = max(int(min(recipe.size, 512) * self._share), min(_LEAST, recipe.size))
            begun = time.perf_counter()
            frame = shelf.made.frame(recipe, wish.recipes, min(wish.frame, recipe.frames - 1), size)
            took = time.perf_counter() - begun
            self.a_pixel = took / size**2
            self.painted.emit(wish, frame)
            if took > _QUICK and size > _LEAST:
                self._share = max(self._share / 2, 0.125)
            elif took < _QUICK / 5:
                self._share = min(self._share * 2, 1.0)
        # The whole sheet waits until the hand rests.
        while not self._changed():
            left = since + _RESTS - time.monotonic()
            if left <= 0:
                break
            with self._lock:
                self._lock.wait(left)
        if self._changed():
            return
        self._share = 1.0
        name = f"{RECIPE}{recipe.name}{'#' * bool(wish.part)}{wish.part}"
        sheet = shelf.get(name, wish.recipes)
        fault = shelf.faults.get(name)
        if fault is not None:
            self.failed.emit(fault)
        self.laid.emit(wish, sheet)

    def _changed(self) -> bool:
        return self._wish is not None or self._over
