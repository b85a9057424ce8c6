"""Gases, simulated once: kept in memory and on disk, and made away from whoever asks."""

from __future__ import annotations

import hashlib
import io
import threading
import time
import zipfile
from collections.abc import Callable, Collection, MutableMapping

import msgspec
import numpy as np

from pale_ember.core.effect.reading import plain
from pale_ember.core.effect.recipe.sources import Gas
from pale_ember.core.gas.sheets import MOST_BYTES, GasFrames, Progress, coarse, memory_of, simulated, work_of

_MADE_BY = 1
"""Goes up whenever the same gas would look otherwise, so that what was kept before is made anew."""
_MOST_HELD = 4
"""Gases that are held in memory."""
_QUICK = 24
"""Cells of the gas that is shown until the whole one is there."""


class GasError(Exception):
    """A gas that cannot be simulated; the message says why and what to do."""


Wish = tuple[Gas, int, bool, int]
"""A gas, how many frames, whether they loop, and their size."""


def key_of(wish: Wish) -> str:
    """A name for what is wanted: the same for the same."""
    gas, frames, loop, size = wish
    told = msgspec.json.encode(
        [plain(msgspec.structs.replace(gas, key=0, on=True, mix="over", amount=1.0, lanes=())), frames, loop, size, _MADE_BY]
    )
    return hashlib.sha256(told).hexdigest()[:40]


def _bytes_of(frames: GasFrames) -> bytes:
    store = io.BytesIO()
    np.savez_compressed(store, **{name: getattr(frames, name) for name in GasFrames.__dataclass_fields__})
    return store.getvalue()


def _frames_in(data: bytes) -> GasFrames | None:
    """What was kept; None where that is damaged."""
    try:
        with np.load(io.BytesIO(data)) as kept:
            return GasFrames(**{name: kept[name] for name in GasFrames.__dataclass_fields__})
    except (OSError, ValueError, KeyError, EOFError, zipfile.BadZipFile):
        return None


def checked(wish: Wish) -> None:
    """Raises GasError for what would take more memory than there may be."""
    need = memory_of(*wish[:2], wish[3], wish[2])
    if need > MOST_BYTES:
        raise GasError(
            f"gas: {wish[1]} frames of {wish[3]} pixels on a grid of {wish[0].grid} would take {need / 2**30:.1f} GB; at most "
            f"{MOST_BYTES / 2**30:.0f} may be taken: lower the grid, the size or the frames"
        )


class Gases:
    """Gives the frames of gases. kept : bytes by key, for the next time. patient : whoever asks waits for the whole; else one gets
    what there is, a coarse one or nothing, and `changed` is called on a thread of its own when there is more."""

    def __init__(
        self,
        kept: MutableMapping[str, bytes] | None = None,
        *,
        patient: bool = True,
        whole: bool = True,
        changed: Callable[[], None] = lambda: None,
    ) -> None:
        """whole : whether what is not kept is made; else a coarse one is, for somebody else makes the whole."""
        self.kept: MutableMapping[str, bytes] = {} if kept is None else kept
        self.patient, self.whole, self.changed = patient, whole, changed
        self.progress: tuple[int, int] | None = None
        """How many frames of how many are made of what is being made, or None."""
        self.left: float | None = None
        """About how many seconds more that takes, as soon as it can be told."""
        self.pace = 1.0
        """Seconds that a gas took of late, for each that was reckoned."""
        self._held: dict[str, GasFrames] = {}
        self._rough: dict[str, GasFrames] = {}
        self._wishes: dict[str, Wish] = {}
        """What is still to be made, by whose it is: the newest of each."""
        self._lock = threading.Condition()
        self._thread: threading.Thread | None = None
        self._over = False

    def frames(self, gas: Gas, frames: int, loop: bool, size: int, owner: str = "") -> GasFrames | None:
        """The frames as far as they are known. owner : whose they are; of each the newest alone is made. Raises GasError."""
        wish = gas, frames, loop, size
        checked(wish)
        key = key_of(wish)
        with self._lock:
            held = self._held.get(key)
        if held is None and key in self.kept:
            held = _frames_in(self.kept[key])
            if held is not None:
                self._hold(key, held)
        if held is not None:
            return held
        if self.patient:
            whole = simulated(gas, frames, loop, size)
            assert whole is not None
            self._finish(key, whole)
            return whole
        self._want(owner, wish)
        with self._lock:
            return self._rough.get(key)

    @property
    def waits(self) -> bool:
        """Whether anything is still to be made of which there is not even a coarse one."""
        with self._lock:
            return any(key_of(wish) not in self._rough for wish in self._wishes.values())

    def stop(self) -> None:
        """Stops what is being made; nothing is made until it is asked for again."""
        with self._lock:
            self._wishes.clear()
            self._lock.notify_all()

    def make_only_for(self, owners: Collection[str]) -> None:
        """Stops what is being made for those that are gone."""
        with self._lock:
            self._wishes = {owner: wish for owner, wish in self._wishes.items() if owner in owners}
            self._lock.notify_all()

    def end(self) -> None:
        """Ends the thread."""
        with self._lock:
            self._over = True
            self._wishes.clear()
            self._lock.notify_all()
        if self._thread is not None:
            self._thread.join(timeout=10)

    # On the thread -------------------------------------------------------------------------------------------------

    def _want(self, owner: str, wish: Wish) -> None:
        with self._lock:
            self._wishes[owner] = wish
            if self._thread is None or not self._thread.is_alive():
                self._thread = threading.Thread(target=self._work, name="pale-ember-gas", daemon=True)
                self._thread.start()
            self._lock.notify_all()

    def _work(self) -> None:
        while True:
            with self._lock:
                while not self._wishes and not self._over:
                    self._lock.wait()
                if self._over:
                    return
                owner, wish = next(iter(self._wishes.items()))
            self._make(owner, wish)

    def _make(self, owner: str, wish: Wish) -> None:
        gas, frames, loop, size = wish
        key = key_of(wish)

        def wanted() -> bool:
            # Asked for again it is another object, and the same wish.
            return self._wishes.get(owner) == wish

        if gas.grid > _QUICK and key not in self._rough:
            self.progress = 0, frames
            rough = self._simulated((coarse(gas, _QUICK), frames, loop, size), lambda done: wanted())
            self.progress = None
            if rough is None:
                return
            with self._lock:
                self._rough[key] = rough
                while len(self._rough) > _MOST_HELD:
                    self._rough.pop(next(iter(self._rough)))
            self.changed()
        if not self.whole and key in self._rough:
            self._let_go(owner, wish)
            return
        whole = self._simulated(wish, self._told(frames, wanted))
        self.progress = self.left = None
        if whole is not None:
            self._finish(key, whole)
            self._let_go(owner, wish)
        self.changed()

    def _simulated(self, wish: Wish, told: Progress) -> GasFrames | None:
        gas, frames, loop, size = wish
        begun = time.monotonic()
        made = simulated(gas, frames, loop, size, told)
        if made is not None:
            self.pace = (time.monotonic() - begun) / work_of(gas, frames, size, loop)
        return made

    def _let_go(self, owner: str, wish: Wish) -> None:
        """Wishes for a gas no longer, unless its owner wishes for another by now."""
        with self._lock:
            if self._wishes.get(owner) == wish:
                del self._wishes[owner]

    def _told(self, frames: int, wanted: Callable[[], bool]) -> Callable[[int], bool]:
        first = 0.0

        def told(done: int) -> bool:
            nonlocal first
            if self.progress != (done, frames):
                # Before the first frame it runs in, which says nothing of how long a frame takes.
                now = time.monotonic()
                first = now if done <= 1 else first
                self.left = (now - first) / (done - 1) * (frames - done) if done > 2 else None
                self.progress = done, frames
            return wanted()

        return told

    def _finish(self, key: str, whole: GasFrames) -> None:
        self._hold(key, whole)
        self.kept[key] = _bytes_of(whole)

    def _hold(self, key: str, frames: GasFrames) -> None:
        with self._lock:
            self._held.pop(key, None)
            self._held[key] = frames
            while len(self._held) > _MOST_HELD:
                self._held.pop(next(iter(self._held)))
