"""A renderer for as long as it is needed, with no window."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import numpy as np

from pale_ember.draw.context import finisher, headless
from pale_ember.draw.renderer import Renderer


@contextmanager
def offscreen(pictures: Callable[[str], np.ndarray]) -> Iterator[Renderer]:
    """A renderer in a context of its own, for the calling thread. Raises NoOpenGL."""
    context = headless()
    try:
        with context:
            renderer = Renderer(context, pictures, finisher())
            try:
                yield renderer
            finally:
                renderer.release()
    finally:
        context.release()
