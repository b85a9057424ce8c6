"""How kernels are compiled, said once."""

from __future__ import annotations

from numba import njit

MATH = {"contract", "arcp", "nsz", "reassoc", "afn"}
"""Fast arithmetic, but NaN and infinity stay what they are: taken as impossible, a NaN may become a wild index."""

kernel = njit(cache=True, nogil=True, error_model="numpy", fastmath=MATH, _nrt=False)
"""A compiled function that releases the interpreter lock, is cached on disk, and divides as NumPy does."""

inlined = njit(inline="always", error_model="numpy", fastmath=MATH, _nrt=False)
"""A piece of a kernel, copied to where it is used. For whatever takes arrays inside a loop over particles: a call would
count references to each array, which costs more than the piece itself."""
