"""A renderer for as long as it is needed, with no window."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import numpy as np

from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.preloading import drawing
from pale_ember.core.simulate.timeline import built_in
from pale_ember.draw.context import finisher, headless
from pale_ember.draw.renderer import Renderer


@contextmanager
def offscreen(pictures: Callable[[str], np.ndarray], meshes: Callable[[str], Mesh] = built_in) -> Iterator[Renderer]:
    """A renderer in a context of its own, for the calling thread. Raises NoOpenGL."""
    with drawing():
        context = headless()
    try:
        with context:
            with drawing():
                renderer = Renderer(context, pictures, finisher(), meshes)
            try:
                yield renderer
            finally:
                renderer.release()
    finally:
        context.release()
