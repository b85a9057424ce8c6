"""Frame and camera to picture.

    what the ground mirrors ─▶ stage ─▶ light, depth ─▶ shadows ─▶ solid layers ─▶ other layers in order ─▶ glow ─▶ finish ─▶ target

All light is linear and premultiplied until `finish`, which adds the glow, rolls off the highlights and codes sRGB. The
context is passed in; whoever passes it keeps it current and releases the renderer before it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import get_args

import moderngl
import numpy as np

from pale_ember.core.effect.fields import fields_of
from pale_ember.core.effect.model import Stage
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.preloading import drawing
from pale_ember.core.simulate.frame import Frame, LayerFrame
from pale_ember.core.simulate.timeline import built_in
from pale_ember.core.view import View, mirrored
from pale_ember.draw.brush import GLOWING, HAZE, OPACITY, PAINTED, PICTURE, SHOWN, Pass, hard
from pale_ember.draw.glow import Glow, alike, glows
from pale_ember.draw.lights import Lights, shade_of
from pale_ember.draw.mist import Mist
from pale_ember.draw.packing import packed
from pale_ember.draw.scenery import Scenery, stillness
from pale_ember.draw.screens import Screens, rays
from pale_ember.draw.sprites import MeshParticles, Sprites
from pale_ember.draw.strips import StripParticles, trailing
from pale_ember.draw.targets import SAMPLES, MirrorRoom, Room, Targets
from pale_ember.draw.textures import Textures

TONES = get_args(fields_of(Stage)["tone"].type)
"""The tone curves; the shader's number of each is its place."""

ALPHA = {"opaque": 0, "straight": 1, "premultiplied": 2}

SHOWS = {
    "picture": (PICTURE, 0), "red": (PICTURE, 1), "green": (PICTURE, 2), "blue": (PICTURE, 3), "overdraw": (PAINTED, 4),
    "silhouette": (SHOWN, 5), "opacity": (OPACITY, 5), "wireframe": (SHOWN, 0),
}  # fmt: skip
"""The ways of looking at a picture: what is drawn, and how `finish` shows it."""

_CLIP, _MULTISAMPLE = 0x3000, 0x809D
"""OpenGL's first clip distance, and several samples a pixel, which moderngl has no names for."""

DIMMED = 0.14
"""How much of the other layers is left beside one that is looked at alone."""


@dataclass(frozen=True, slots=True)
class Shot:
    """How a Frame is to be drawn. background `none` draws no stage and leaves alpha; scale is inner over outer size.
    shows : one of SHOWS. alone : a layer beside which the others are dimmed."""

    stage: Stage = Stage()
    background: str = "dark"
    alpha: str = "opaque"
    scale: float = 1.0
    shows: str = "picture"
    alone: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Comparison:
    """A Frame that is seen to the right of another. share : of the picture's width that is left to the other."""

    frame: Frame
    share: float


class Renderer:
    """Draws Frames with one OpenGL context.

    pictures : gives a look's picture by name as (height, width, 4) float32, linear and straight; a name stands for the
    same pixels as long as the array is the same object. wait : called between passes; see `context.finisher`. meshes :
    gives a mesh by name.
    """

    def __init__(
        self,
        context: moderngl.Context,
        pictures: Callable[[str], np.ndarray],
        wait: Callable[[], None] | None = None,
        meshes: Callable[[str], Mesh] = built_in,
    ) -> None:
        self._context, self._wait = context, wait or (lambda: None)
        self._textures = Textures(context, pictures)
        self._screens = Screens(context)
        self._mist = Mist(context, self._screens)
        self._scenery = Scenery(context, self._screens, self._textures, meshes)
        self._sprites, self._bodies = Sprites(context, wait), MeshParticles(context, meshes, wait)
        self._bands = StripParticles(context)
        self._targets: Targets | None = None
        self._seen: list[LayerFrame] = []
        self._packs: dict = {}
        self._finely = False
        """Whether solids of this picture are drawn with several samples a pixel."""
        self._picture: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None

    def picture(self, frame: Frame, view: View, shot: Shot, width: int, height: int, beside: Comparison | None = None) -> np.ndarray:
        """(height, width, 4) uint8, coded sRGB, first row on top."""
        with drawing():
            if self._picture is None or self._picture[0].size != (width, height):
                self._drop_picture()
                texture = self._context.texture((width, height), 4)
                self._picture = texture, self._context.framebuffer([texture])
            target = self._picture[1]
            self.draw(frame, view, shot, target, flip=True)
            self._wait()
            self.draw_beside(beside, view, shot, target, flip=True)
            self._wait()
            return np.frombuffer(target.read(components=4), np.uint8).reshape(height, width, 4)

    def overdraw(self, frame: Frame, view: View, shot: Shot, width: int, height: int) -> tuple[float, int]:
        """How often a pixel that anything is painted on is painted, on average and at most."""
        counts = self.painted(frame, view, shot, width, height)
        painted = counts[counts > 0.5]
        return (float(painted.mean()), int(painted.max())) if len(painted) else (0.0, 0)

    def painted(self, frame: Frame, view: View, shot: Shot, width: int, height: int) -> np.ndarray:
        """(height, width) float64, first row on top, how often each pixel is painted."""
        with drawing():
            targets = self._sized(width, height)
            now = self._begin(frame, view, replace(shot, shows="overdraw"), targets)
            self._draw_layers(shot, now, targets)
            self._wait()
            counts = np.frombuffer(targets.layers.read(components=1, dtype="f2"), np.float16).astype(float)
        return counts.reshape(targets.size[1], targets.size[0])[::-1]

    def draw(self, frame: Frame, view: View, shot: Shot, target: moderngl.Framebuffer, *, flip: bool = False, keeps: bool = True) -> None:
        """Draws into a framebuffer of any size. keeps : whether the stage may be as it was a moment ago."""
        with drawing():
            targets = self._sized(max(round(target.width * shot.scale), 1), max(round(target.height * shot.scale), 1))
            now = self._begin(frame, view, shot, targets, keeps=keeps)
            self._draw_layers(shot, now, targets)
            if now.kind == PICTURE:
                if shot.background != "none" and shot.stage.fog > 0 and now.lights.lamps:
                    self._lighten_air(now, targets)
                self._mist.draw(self._seen, now, targets)
            shows = SHOWS[shot.shows][1]
            halo = self._draw_glow(frame, shot, now, targets) if shows < 4 else (targets.halos[0][0], 0.0)
            self._finish(shot, shows, halo, targets, target, flip)

    def draw_beside(self, beside: Comparison | None, view: View, shot: Shot, target: moderngl.Framebuffer, *, flip: bool = False) -> None:
        """Draws another Frame over the right part of a picture, if there is one."""
        if beside is None:
            return
        left = round(target.width * min(max(beside.share, 0.0), 1.0))
        if left < target.width:
            target.scissor = left, 0, target.width - left, target.height
            try:
                self.draw(beside.frame, view, shot, target, flip=flip, keeps=False)
            finally:
                target.scissor = None  # type: ignore[assignment]

    def _sized(self, width: int, height: int) -> Targets:
        if self._targets is None or self._targets.size != (width, height):
            if self._targets is not None:
                self._targets.release()
            self._targets = Targets(self._context, width, height)
        return self._targets

    def _begin(self, frame: Frame, view: View, shot: Shot, targets: Targets, *, keeps: bool = True) -> Pass:
        """Draws the stage, or nothing where only the layers count, and says how the layers are drawn."""
        self._context.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE | moderngl.BLEND)
        self._textures.begin(frame.effect.recipes)
        kind, shows = SHOWS[shot.shows]
        lights = self._scenery.lights(frame, shot.stage, shot.background)
        self._pack(frame, view, lights)
        solid = any(hard(layer.layer.look) and layer.count for layer in frame.layers)
        standing = shot.background != "none" and any(prop.shown for prop in shot.stage.props)
        # While the picture is drawn smaller than it is shown, for speed, edges are as they come.
        self._finely = kind == PICTURE and shot.scale >= 1 and (solid or standing) and self._context.max_samples >= SAMPLES
        if self._finely:
            # Once a window has drawn in a process, contexts begin without it.
            self._context.enable_direct(_MULTISAMPLE)
        self._draw_stage(frame, view, shot, lights, targets, solid=solid, picture=kind == PICTURE, keeps=keeps)
        if self._finely:
            self._resolve(targets)
        if shows >= 4:
            targets.layers.clear(0.0, 0.0, 0.0, 0.0)
        fine = targets.fine.depth if self._finely else None
        return Pass(view, frame.time, shot.stage, lights, targets.depth, targets.size[1], kind, fine=fine)

    def _draw_stage(
        self, frame: Frame, view: View, shot: Shot, lights: Lights, targets: Targets, *, solid: bool, picture: bool, keeps: bool
    ) -> None:
        """Draws the stage, or takes it as it was a moment ago: while the picture is drawn smaller than it is shown, for speed, light on
        what stands still follows the effect a few times a second."""
        stage, still = shot.stage, stillness(shot.stage) if keeps and picture and shot.scale < 1 else 0.0
        key = stage, view.to_clip.tobytes(), shot.background, solid
        if still and targets.kept_as == key and targets.keeps(frame.time, still):
            self._context.copy_framebuffer(targets.scene, targets.kept.scene)
            return
        mirrors = picture and shot.background != "none" and stage.mirrors and view.eye[1] > 0
        if mirrors:
            self._mirror(frame, view, shot, lights, targets.mirror)
        room = targets.fine if self._finely else targets
        self._scenery.draw(frame, view, stage, shot.background, lights, targets, room, solid=solid, mirrors=mirrors)
        if still > 0:
            self._context.copy_framebuffer(targets.kept.scene, targets.scene)
            targets.keep(key, frame.time)

    def _pack(self, frame: Frame, view: View, lights: Lights) -> None:
        """Takes a Frame's layers as they are seen from a view."""
        self._seen = [layer.seen_from(view.eye) for layer in frame.layers if layer.count or layer.strips is not None]
        shares = shade_of(self._seen, lights)
        self._packs = {layer.key: _packed(layer, view, frame.time, shares.get(layer.key)) for layer in self._seen}

    def _mirror(self, frame: Frame, view: View, shot: Shot, lights: Lights, room: MirrorRoom) -> None:
        """Draws what the ground will show: props and layers, upside down and smaller, and ever softer."""
        below = mirrored(view)
        self._context.enable_direct(_CLIP)
        self._context.front_face = "cw"
        self._scenery.mirror(frame, below, shot.stage, shot.background, lights, room)
        now = Pass(below, frame.time, shot.stage, lights, room.depth, room.size[1], mirrored=True)
        solids = [layer for layer in self._seen if hard(layer.layer.look)]
        self._draw_solids(solids, shot, now, room)
        room.layers.use()
        self._context.enable(moderngl.BLEND)
        for layer in self._seen:
            if layer in solids:
                self._draw_trail_of_solid(layer, shot, now, room)
            else:
                self._draw_layer(layer, self._packs[layer.key], self._of(layer, shot, now))
            self._wait()
        self._context.disable(moderngl.BLEND)
        if shot.stage.fog > 0 and lights.lamps:
            self._lighten_air(now, room)
        self._context.front_face = "ccw"
        self._context.disable_direct(_CLIP)
        room.light.build_mipmaps()

    def _draw_solids(self, solids: list[LayerFrame], shot: Shot, now: Pass, room: Room) -> None:
        """Draws solid layers with depth."""
        self._context.enable(moderngl.DEPTH_TEST)
        self._context.disable(moderngl.BLEND)
        for layer in solids:
            room.scene.use()
            self._draw_layer(layer, self._packs[layer.key], self._of(layer, shot, now))
            self._wait()
        self._context.disable(moderngl.DEPTH_TEST)

    def _resolve(self, targets: Targets) -> None:
        """Makes one of the samples of each pixel."""
        targets.fine.light.use(0)
        targets.fine.depth.use(1)
        self._screens.run("resolve", targets.scene, light=0, depth=1)

    def _draw_layers(self, shot: Shot, now: Pass, targets: Targets) -> None:
        self._wait()
        self._context.enable(moderngl.BLEND)
        self._context.wireframe = shot.shows == "wireframe"
        seen, packs = self._seen, self._packs
        solids = [layer for layer in seen if hard(layer.layer.look)] if now.kind == PICTURE else []
        room = targets.fine if self._finely and solids else targets
        if now.kind == PICTURE and shot.background != "none":
            room.layers.use()
            for layer in seen:
                if layer.layer.look.light.shadow > 0 and layer.count:
                    self._sprites.shadow(layer, packs[layer.key], self._of(layer, shot, now))
                    self._wait()
        self._draw_solids(solids, shot, now, room)
        if room is not targets:
            self._resolve(targets)
        self._context.enable(moderngl.BLEND)
        for layer in seen:
            if layer in solids:
                self._draw_trail_of_solid(layer, shot, now, targets)
                continue
            if layer.layer.look.surface.shimmer > 0 and layer.layer.look.drawn_as in ("sprite", "mesh") and now.kind == PICTURE:
                self._context.copy_framebuffer(targets.copy[1], targets.layers)
                targets.layers.use()
                haze = replace(self._of(layer, shot, now), kind=HAZE, behind=targets.copy[0])
                self._draw_layer(layer, packs[layer.key], haze)
                self._wait()
            targets.layers.use()
            self._draw_layer(layer, packs[layer.key], self._of(layer, shot, now))
            self._wait()
        self._context.wireframe = False
        self._context.disable(moderngl.BLEND)

    def _lighten_air(self, now: Pass, room: Room) -> None:
        """Adds the light of lamps that fog throws towards the eye."""
        self._context.enable(moderngl.BLEND)
        self._context.blend_func = moderngl.ONE, moderngl.ONE
        room.depth.use(0)
        now.lights.put(self._screens.shader("air"))
        self._screens.run("air", room.layers, scene_depth=0, fog=now.stage.fog, **rays(now.view, mirrored=now.mirrored))
        self._context.disable(moderngl.BLEND)

    @staticmethod
    def _of(layer: LayerFrame, shot: Shot, now: Pass) -> Pass:
        """The pass as it is for one layer: dimmed where another is looked at alone."""
        dimmed = shot.alone and layer.layer.id != shot.alone
        return replace(now, strength=DIMMED) if dimmed else now

    def _draw_layer(self, layer: LayerFrame, instances: np.ndarray, now: Pass) -> None:
        """instances : (n, floats) float32, packed."""
        drawn_as = layer.layer.look.drawn_as
        if layer.trail is not None and not hard(layer.layer.look):
            self._bands.draw(trailing(layer), self._textures, now)
        if drawn_as == "sprite":
            self._sprites.draw(layer, instances, self._textures, now)
        elif drawn_as == "mesh":
            self._bodies.draw(layer, instances, self._textures, now)
        else:
            self._bands.draw(layer, self._textures, now)

    def _draw_trail_of_solid(self, layer: LayerFrame, shot: Shot, now: Pass, room: Room) -> None:
        """What a solid layer trails is not solid: it is drawn in the layer's turn among those that are not."""
        if layer.trail is not None:
            room.layers.use()
            self._bands.draw(trailing(layer), self._textures, self._of(layer, shot, now))

    def _draw_glow(self, frame: Frame, shot: Shot, now: Pass, targets: Targets) -> tuple[moderngl.Texture, float]:
        """The halo, and how much of it is added."""
        kinds, levels = glows(frame.layers), len(targets.halos)
        if not kinds:
            return targets.halos[0][0], 0.0
        if alike(frame.layers, kinds):
            self._spread(targets.light, kinds[0], targets)
            return targets.halos[0][0], kinds[0].factor(levels)
        texture, framebuffer = targets.glowing
        framebuffer.clear(0.0, 0.0, 0.0, 0.0)
        source, room = targets.quarter
        for kind in kinds:
            room.clear(0.0, 0.0, 0.0, 0.0)
            self._draw_glowing(kind, shot, now, targets)
            self._spread(source, kind, targets)
            self._context.enable(moderngl.BLEND)
            self._context.blend_func = moderngl.ONE, moderngl.ONE
            targets.halos[0][0].use(0)
            self._screens.run("add", framebuffer, picture=0, share=kind.factor(levels))
            self._context.disable(moderngl.BLEND)
        return texture, 1.0

    def _draw_glowing(self, kind: Glow, shot: Shot, now: Pass, targets: Targets) -> None:
        """Draws what glows in one way, small; the other layers only hide it."""
        _, room = targets.quarter
        room.use()
        self._context.enable(moderngl.BLEND)
        scale = targets.size[0] / room.width, targets.size[1] / room.height
        small = replace(now, kind=GLOWING, fine=None, depth_scale=scale, height=room.height)
        begun = False
        for layer in self._seen:
            mine = layer.layer.id in kind.layers
            begun = begun or mine
            hides = layer.layer.look.blend not in ("additive", "screen")
            if not begun or not (mine or hides):
                continue
            own = self._of(layer, shot, small)
            if not mine:
                layer = replace(layer, colour=layer.colour * np.array([0, 0, 0, 1], np.float32))
                instances = self._packs[layer.key].copy()
                if len(instances):
                    instances[:, 7:10] = 0.0
            else:
                instances = self._packs[layer.key]
            self._draw_layer(layer, instances, own)
            self._wait()
        self._context.disable(moderngl.BLEND)

    def _spread(self, source: moderngl.Texture, kind: Glow, targets: Targets) -> None:
        """Blurs what is bright in a picture through the pyramid, into its first level."""
        for level, (texture, framebuffer) in enumerate(targets.halos):
            source.use(0)
            if level == 0:
                self._screens.run("bright", framebuffer, picture=0, threshold=kind.threshold)
            else:
                self._screens.run("halve", framebuffer, picture=0)
            source = texture
        self._context.enable(moderngl.BLEND)
        self._context.blend_func = moderngl.ONE, moderngl.ONE
        for (below, _), (_, framebuffer) in reversed(list(zip(targets.halos[1:], targets.halos[:-1], strict=True))):
            below.use(0)
            self._screens.run("widen", framebuffer, picture=0, share=kind.widening)
        self._context.disable(moderngl.BLEND)
        self._wait()

    def _finish(
        self, shot: Shot, shows: int, halo: tuple[moderngl.Texture, float], targets: Targets, target: moderngl.Framebuffer, flip: bool
    ) -> None:
        targets.light.use(0)
        halo[0].use(1)
        mode = ALPHA["opaque" if shot.background != "none" else "straight" if shot.alpha == "opaque" else shot.alpha]
        defined = {"ALPHA": mode, "SHOWS": shows, "TONE": TONES.index(shot.stage.tone)}
        self._screens.run("finish", target, defined, light=0, halo=1, glow=halo[1], exposure=2.0**shot.stage.exposure, flip=flip)

    def _drop_picture(self) -> None:
        if self._picture is not None:
            # What is bound when it is deleted would be bound again by whatever is made next, and is no more.
            self._context.detect_framebuffer(0).use()
            self._picture[1].release()
            self._picture[0].release()
            self._picture = None

    def release(self) -> None:
        """Gives back everything made in the context."""
        self._drop_picture()
        if self._targets is not None:
            self._targets.release()
            self._targets = None
        for part in (self._textures, self._scenery, self._mist, self._screens, self._sprites, self._bodies, self._bands):
            part.release()


def _packed(layer: LayerFrame, view: View, time: float, shares: np.ndarray | None) -> np.ndarray:
    """A layer's particles for the graphics card, as richly as its surface asks for. (n, floats) float32."""
    look = layer.layer.look
    if look.drawn_as in ("ribbon", "beam"):
        return np.zeros((0, 16), np.float32)
    surface = look.surface
    rich = (
        look.drawn_as == "mesh" or look.tiled or surface.second or surface.warp or look.dissolve.picture
        or surface.edge_glow > 0 or surface.ramp is not None or surface.shimmer > 0 or look.light.self_lit > 0 or shares is not None
    )  # fmt: skip
    return packed(layer, view, time, rich=bool(rich), shares=shares)
