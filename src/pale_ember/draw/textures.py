"""Pictures on the graphics card: uploaded once, in the form a look wants them."""

from __future__ import annotations

from collections.abc import Callable

import moderngl
import numpy as np

from pale_ember.core.effect.look import Look
from pale_ember.core.effect.recipe.recipe import RECIPE, Recipe
from pale_ember.core.effect.values import Gradient
from pale_ember.core.texture.library import multiplied
from pale_ember.core.texture.light import channel_of, chosen
from pale_ember.core.texture.outline import Outline, outline_of

_LEVELS = 3
"""Smaller levels of a picture: beyond a few the frames of a sheet would run into each other."""


_PICTURES = 240
"""Pictures after which textures that none of them wanted go: some seconds of playing."""

_OPAQUE = 0.99
"""Cover of a picture that has none of its own."""


def light_of(pixels: np.ndarray, name: str, channel: str, invert: bool, ready: bool, darkens: bool) -> np.ndarray:
    """(h, w, 4) float32, a picture as a look draws it; see `Textures.picture`."""
    rgba = chosen(pixels, channel, invert).copy()
    if darkens and rgba[..., 3].min() > _OPAQUE:
        cover = 1.0 - np.clip(rgba[..., :3].min(axis=2, keepdims=True), 0.0, 1.0)
        return np.concatenate([rgba[..., :3] - 1.0 + cover, cover], axis=2)
    return multiplied(rgba, name if ready else "")


class Textures:
    """The textures of one context. pictures : gives a picture by name as (height, width, 4) float32, linear and
    straight; a name stands for the same pixels as long as the array is the same object. Recipes are asked for with those of the
    effect that is drawn."""

    def __init__(self, context: moderngl.Context, pictures: Callable[..., np.ndarray]) -> None:
        self._context, self._told = context, pictures
        self.recipes: tuple[Recipe, ...] = ()
        self._made: dict[tuple, tuple[np.ndarray, moderngl.Texture]] = {}
        self._outlines: dict[tuple, tuple[np.ndarray, Outline]] = {}
        self._used: set[tuple] = set()
        self._drawn = 0

    def begin(self, recipes: tuple[Recipe, ...]) -> None:
        """Before each picture of an effect with these recipes: what none of many pictures wanted, as of a document that was closed, is
        let go of."""
        self.recipes = recipes
        self._drawn += 1
        if self._drawn % _PICTURES == 0:
            for key in self._made.keys() - self._used:
                self._made.pop(key)[1].release()
            self._outlines = {key: kept for key, kept in self._outlines.items() if key in self._used}
            self._used.clear()

    def _pictures(self, name: str) -> np.ndarray:
        return self._told(name, self.recipes) if name.startswith(RECIPE) else self._told(name)

    def picture(
        self, name: str, channel: str = "all", *, invert: bool = False, ready: bool = False, darkens: bool = False
    ) -> moderngl.Texture:
        """Light multiplied by its cover; `ready` says that files hold it so already. Where a picture without a cover `darkens`, what
        it takes from white is its cover, so that a tint leaves alone what it leaves alone."""

        how = channel, invert, ready, darkens
        return self._of((name, *how), name, lambda pixels: light_of(pixels, name, *how))

    def grey(self, name: str, channel: str) -> moderngl.Texture:
        """One channel, for what eats and warps."""
        return self._of((name, channel), name, lambda pixels: channel_of(pixels, channel)[..., None])

    def plain(self, name: str) -> moderngl.Texture:
        """As it is in its file: numbers, not light, for motion vectors."""
        return self._of((name,), name, lambda pixels: np.dstack([channel_of(pixels, "red"), channel_of(pixels, "green")]))

    def leaning(self, name: str) -> moderngl.Texture:
        """As it is in its file: which way a surface leans."""
        return self._of(
            (name, "leaning"), name, lambda pixels: np.dstack([channel_of(pixels, part) for part in ("red", "green", "blue")])
        )

    def ramp(self, colours: Gradient) -> moderngl.Texture:
        """A gradient as a line of colours, from its start to its end."""
        key = "ramp", colours.between, *((stop.at, *stop.colour) for stop in colours.stops)
        self._used.add(key)
        if key not in self._made:
            line = colours.at(np.linspace(0.0, 1.0, 256)).astype(np.float16)
            texture = self._context.texture((256, 1), 3, line.tobytes(), alignment=1, dtype="f2")
            texture.filter = moderngl.LINEAR, moderngl.LINEAR
            texture.repeat_x = texture.repeat_y = False
            self._made[key] = line, texture
        return self._made[key][1]

    def light(self, name: str) -> moderngl.Texture:
        """Its light as it is, whatever it covers: how much is thrown back from six sides."""
        return self._of((name, "light"), name, lambda pixels: pixels[..., :3])

    def shape(self, name: str) -> tuple[int, int]:
        """Height and width of a picture."""
        return self._pictures(name).shape[:2]

    def _of(self, key: tuple, name: str, make: Callable[[np.ndarray], np.ndarray]) -> moderngl.Texture:
        pixels = self._pictures(name)
        self._used.add(key)
        known = self._made.get(key)
        if known is not None and known[0] is pixels:
            return known[1]
        if known is not None:
            known[1].release()
        values = make(pixels)
        height, width, depth = values.shape
        texture = self._context.texture((width, height), depth, np.ascontiguousarray(values, np.float16), alignment=1, dtype="f2")
        texture.build_mipmaps(0, _LEVELS)
        # The nearest level, not two mixed: in software that takes two fifths off the whole picture.
        texture.filter = moderngl.LINEAR_MIPMAP_NEAREST, moderngl.LINEAR
        texture.repeat_x = texture.repeat_y = False
        self._made[key] = pixels, texture
        return texture

    def outline(self, look: Look) -> Outline:
        """The part of the look's frames that has anything in it, with as many corners as the look allows."""
        pixels = self._pictures(look.picture)
        surface = look.surface
        key = look.picture, look.columns, look.rows, surface.channel, surface.invert, look.corners, look.fills
        self._used.add(key)
        known = self._outlines.get(key)
        if known is None or known[0] is not pixels:
            known = self._outlines[key] = pixels, outline_of(look, pixels)
        return known[1]

    def release(self) -> None:
        for _, texture in self._made.values():
            texture.release()
        self._made.clear()
