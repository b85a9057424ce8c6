"""How kernels are compiled, said once."""

from __future__ import annotations

from typing import Any

from numba import njit

MATH = {"contract", "arcp", "nsz", "reassoc", "afn"}
"""Fast arithmetic, but NaN and infinity stay what they are: taken as impossible, a NaN may become a wild index."""

_UNCOUNTED: dict[str, Any] = {"_nrt": False}
"""Kernels make no arrays, so none need be counted: with counting, a step took a fifth longer."""

kernel = njit(cache=True, nogil=True, error_model="numpy", fastmath=MATH, **_UNCOUNTED)
"""A compiled function that releases the interpreter lock, is cached on disk, and divides as NumPy does. It takes arrays
and fills them, but makes none."""

inlined = njit(inline="always", error_model="numpy", fastmath=MATH, **_UNCOUNTED)
"""A piece of a kernel, copied to where it is used: for whatever takes arrays inside a loop over particles."""
