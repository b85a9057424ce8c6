"""How kernels are compiled, said once."""

from __future__ import annotations

import fcntl
import functools
import importlib
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

MATH = {"contract", "arcp", "nsz", "reassoc", "afn"}
"""Fast arithmetic, but NaN and infinity stay what they are: taken as impossible, a NaN may become a wild index."""

_MAKING = threading.RLock()


def _kept_one_at_a_time() -> None:
    """Lets one process at a time add to the cache: two that had compiled a kernel for other arguments at the same moment could
    each take the other's for its own."""
    from numba.core.caching import IndexDataCacheFile

    save = IndexDataCacheFile.save

    def alone(file: Any, key: Any, data: Any) -> None:
        with Path(f"{file._index_path}.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            save(file, key, data)

    IndexDataCacheFile.save = alone  # type: ignore[method-assign]


@functools.cache
def _njit() -> Any:
    """The compiler, told that there is no linear algebra: it would read all of SciPy's to see whether there is, which takes a
    quarter of a second at each start, and no kernel has a use for it."""
    from numba import njit
    from numba.np import linalg

    def none() -> None:
        raise ImportError

    found, linalg.ensure_blas = linalg.ensure_blas, none
    try:
        importlib.import_module("numba.np.arraymath")
    finally:
        linalg.ensure_blas = found
    _kept_one_at_a_time()
    return njit


class Kernel:
    """A function that is compiled at its first call, or taken from the cache on disk. Until then the compiler itself is
    not loaded, so that a window opens without it. `py_func` is the function as it is written."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        functools.update_wrapper(self, function)
        self.py_func, self._options = function, options
        self._made: Callable[..., Any] | None = None
        self._call: Callable[..., Any] | None = None

    def __call__(self, *arguments: Any) -> Any:
        return (self._call or self._ready())(*arguments)

    def _ready(self) -> Callable[..., Any]:
        with _MAKING:
            self._call = self._dispatcher()
        return self._call

    def _dispatcher(self) -> Any:
        """The compiler's own object. It finds the kernels that one calls among the names of its file, so all of a file
        are made together, after those of other files."""
        if self._made is None:
            njit = _njit()
            names = self.py_func.__globals__
            called = {name: value for name, value in names.items() if isinstance(value, Kernel)}
            for each in (self, *called.values()):
                if each.py_func.__globals__ is names and each._made is None:
                    each._made = njit(**each._options)(each.py_func)
            names.update({name: value._dispatcher() for name, value in called.items()})
        return self._made


def _compiled(**options: Any) -> Callable[[Callable[..., Any]], Kernel]:
    return lambda function: Kernel(function, {"error_model": "numpy", "_nrt": False, **options})


# Kernels make no arrays, so none need be counted (_nrt): with counting, a step took a fifth longer.

kernel = _compiled(cache=True, nogil=True, fastmath=MATH)
"""A compiled function that releases the interpreter lock, is cached on disk, and divides as NumPy does. It takes arrays
and fills them, but makes none."""

inlined = _compiled(inline="always", fastmath=MATH)
"""A piece of a kernel, copied to where it is used: for whatever takes arrays inside a loop over particles."""

exact = _compiled(cache=True, nogil=True, _nrt=True)
"""A kernel that rounds as it is written, and may make arrays."""
