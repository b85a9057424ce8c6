"""The player kit beside the kernels that it does without: what a step costs a game."""

from __future__ import annotations

import ctypes
import json
import shutil
import subprocess
import tempfile
import time
from pathlib import Path

from msgspec.structs import replace

from benchmarks.measure import Row
from pale_ember import ASSETS
from pale_ember.core.effect.chapters import Birth, Forces, Outlet
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.simulate.turbulence_field import eddies
from pale_ember.formats.document import load
from pale_ember.formats.handover.runtime import handed, runtime_form

_KIT = Path(__file__).parents[1] / "player"
_MOST = 1.2
_ROUNDS = 5


class _Options(ctypes.Structure):
    _fields_ = [
        ("allocate", ctypes.c_void_p),
        ("release", ctypes.c_void_p),
        ("eddies", ctypes.c_void_p),
        ("mesh", ctypes.c_void_p),
        ("density", ctypes.c_void_p),
        ("beyond", ctypes.c_double),
        ("surfaces", ctypes.c_int),
        ("user", ctypes.c_void_p),
    ]


class _Kit:
    """An effect in the kit, as a game that is written in C has it."""

    def __init__(self, library: ctypes.CDLL, effect: Effect) -> None:
        text = json.dumps(runtime_form(handed(effect))).encode()
        options, fault = _Options(eddies=eddies().ctypes.data), ctypes.create_string_buffer(320)
        begun = time.perf_counter()
        self._effect = ctypes.c_void_p(library.pale_load(text, ctypes.c_size_t(len(text)), ctypes.byref(options), fault))
        self.loading = time.perf_counter() - begun
        self._library, self.bytes = library, library.pale_play_memory(self._effect)
        self._memory = ctypes.create_string_buffer(self.bytes + 16)
        at = (ctypes.addressof(self._memory) + 15) // 16 * 16
        self._play = ctypes.c_void_p(library.pale_begin(self._effect, None, ctypes.c_void_p(at), ctypes.c_size_t(self.bytes)))

    def steps(self, count: int) -> float:
        """Seconds that so many steps take."""
        begun = time.perf_counter()
        for _ in range(count):
            self._library.pale_step(self._play, None)
        return time.perf_counter() - begun

    @property
    def alive(self) -> int:
        """Particles that live."""
        return int(self._library.pale_alive(self._play, -1))


def rows() -> list[Row]:
    """A step of 100,000 everyday particles, in still air and in eddies, and of the kiln mouth; loading; memory."""
    if shutil.which("cc") is None:
        return []
    with tempfile.TemporaryDirectory() as folder:
        built = f"{folder}/kit.so"
        command = ["cc", "-std=c99", "-O2", "-fno-math-errno", "-shared", "-fPIC", str(_KIT / "pale_ember.c"), "-o", built, "-lm"]
        subprocess.run(command, check=True)
        library = ctypes.CDLL(built)
        library.pale_load.restype = library.pale_begin.restype = ctypes.c_void_p
        library.pale_play_memory.restype = ctypes.c_size_t
        return _measured(library)


def _measured(library: ctypes.CDLL) -> list[Row]:
    calm = Layer(
        id="00000000000000aa",
        outlet=Outlet(rate=fixed(50_000.0), limit=200_000),
        birth=Birth(lifetime=fixed(2.0)),
        forces=Forces(gravity=(0.0, -2.0, 0.0), drag=1.0),
    )
    stirred = replace(calm, forces=replace(calm.forces, turbulence=1.0, detail=0.5))
    kiln = load(ASSETS / "demo" / "kiln-mouth.pale")[0]
    free = replace(kiln, layers=tuple(replace(layer, contact=replace(layer.contact, meets="pass")) for layer in kiln.layers))
    found = []
    for name, effect, before, count in (
        ("100,000 everyday particles", Effect(layers=(calm,), loop=True, duration=10.0), 130, 20),
        ("100,000 in eddies", Effect(layers=(stirred,), loop=True, duration=10.0), 130, 20),
        ("kiln mouth", free, 200, 200),
    ):
        kit, timeline = _Kit(library, effect), Timeline(effect)
        kit.steps(before)
        tracks = list(timeline._tracks.values())
        for track in tracks:
            track.at(before)
            track._pair.worth = 10**9  # one thread
        theirs, ours, step = [], [], before
        for _ in range(_ROUNDS):
            begun = time.perf_counter()
            for track in tracks:
                for k in range(count):
                    track.at(step + k + 1)
            theirs.append(time.perf_counter() - begun)
            ours.append(kit.steps(count))
            step += count
        one, other = min(ours) / count * 1e3, min(theirs) / count * 1e3
        found.append(
            Row(f"player kit: a step of {name}", one, "ms", other, one / other, f"≤ {_MOST:g}× the kernels'", one <= _MOST * other)
        )
        found.append(Row(f"player kit: memory of {name}", kit.bytes / 2**20, "MB", None, None, "told beforehand", kit.bytes > 0))
    found.append(Row("player kit: to load the kiln mouth", kit.loading * 1e3, "ms", None, None, "≤ 10", kit.loading <= 0.01))
    return found
