"""What the ground and the props are covered with: pictures that tile, drawn once each when they are first asked for."""

from __future__ import annotations

from typing import get_args

import moderngl

from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.stage import Prop, Stage
from pale_ember.draw.screens import Screens

PAVINGS = get_args(fields_of(Stage)["paving"].type)
"""What the ground is made of; the shader's number of each is its place."""
MATTERS = get_args(fields_of(Prop)["matter"].type)
"""What props are made of; the shader's number of each is its place."""

ACROSS = {"paving": 1024, "matter": 512}
"""Pixels across a picture of each."""


class Coverings:
    """The pictures of one context."""

    def __init__(self, context: moderngl.Context, screens: Screens) -> None:
        self._context, self._screens = context, screens
        self._drawn: dict[tuple[str, int], moderngl.Texture] = {}

    def prepare(self, stage: Stage) -> None:
        """Draws what a stage needs and is not there yet; leaves another target bound if it does."""
        paving = PAVINGS.index(stage.paving)
        if stage.ground and 0 < paving < PAVINGS.index("water"):
            self._draw("paving", paving)
        for prop in stage.props:
            if prop.shown and prop.matter != "plain":
                self._draw("matter", MATTERS.index(prop.matter))

    def paving(self, kind: int) -> moderngl.Texture:
        return self._drawn["paving", kind]

    def matter(self, kind: int) -> moderngl.Texture:
        return self._drawn["matter", kind]

    def _draw(self, what: str, kind: int) -> None:
        if (what, kind) in self._drawn:
            return
        texture = self._context.texture((ACROSS[what], ACROSS[what]), 4)
        room = self._context.framebuffer([texture])
        self._screens.run(what, room, {"KIND": kind})
        # What is bound when it is deleted would be bound again by whatever is made next, and is no more.
        self._context.detect_framebuffer(0).use()
        room.release()
        texture.build_mipmaps()
        texture.filter = moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR
        self._drawn[what, kind] = texture

    def release(self) -> None:
        for texture in self._drawn.values():
            texture.release()
        self._drawn.clear()
