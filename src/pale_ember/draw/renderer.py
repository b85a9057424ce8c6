"""Frame and camera to picture.

    stage ─▶ light, depth ─▶ layers in order ─▶ glow pyramid ─▶ finish ─▶ target

All light is linear and premultiplied until `finish`, which adds the glow, rolls off the highlights and codes sRGB. The
context is passed in; whoever passes it keeps it current and releases the renderer before it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import moderngl
import numpy as np

from pale_ember.core.effect.chapters import Look
from pale_ember.core.effect.model import Stage
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.poses import Poses
from pale_ember.core.simulate.timeline import built_in
from pale_ember.draw.shaders import program
from pale_ember.draw.solids import Solids
from pale_ember.draw.sprites import Box, Sprites, filled_box, tiled
from pale_ember.draw.strips import Bands
from pale_ember.draw.targets import Targets
from pale_ember.draw.view import FAR, NEAR, View

GLOW = 0.5
GLOW_THRESHOLD = 1.1

ALPHA = {"opaque": 0, "straight": 1, "premultiplied": 2}


@dataclass(frozen=True, slots=True)
class _Setting:
    """A background: the linear colours of backdrop middle and rim, ground, grid and ambient light."""

    middle: tuple[float, float, float]
    rim: tuple[float, float, float]
    stone: tuple[float, float, float]
    line: tuple[float, float, float]
    ambient: tuple[float, float, float]


_SETTINGS = {
    "dark": _Setting(
        (0.0125, 0.0115, 0.0105), (0.0045, 0.0042, 0.0040), (0.060, 0.055, 0.050), (0.09, 0.085, 0.08), (0.24,) * 3
    ),
    "mid": _Setting(
        (0.150, 0.147, 0.142), (0.085, 0.083, 0.080), (0.115, 0.112, 0.107), (0.10, 0.10, 0.10), (1.0,) * 3
    ),
    "light": _Setting((0.95, 0.94, 0.92), (0.62, 0.61, 0.59), (0.60, 0.59, 0.57), (-0.22, -0.22, -0.22), (1.0,) * 3),
}


@dataclass(frozen=True, slots=True)
class Shot:
    """How a Frame is to be drawn. background `none` draws no stage and leaves alpha; scale is inner over outer size."""

    stage: Stage = Stage()
    background: str = "dark"
    alpha: str = "opaque"
    scale: float = 1.0
    exposure: float = 1.0


class Renderer:
    """Draws Frames with one OpenGL context.

    pictures : gives a look's picture by name as (height, width, 4) float32, linear and straight; a name stands for the
    same pixels as long as the array is the same object. wait : called between passes; see `context.finisher`. meshes :
    gives a prop's mesh by name.
    """

    def __init__(
        self,
        context: moderngl.Context,
        pictures: Callable[[str], np.ndarray],
        wait: Callable[[], None] = lambda: None,
        meshes: Callable[[str], Mesh] = built_in,
    ) -> None:
        self._context, self._pictures, self._wait = context, pictures, wait
        self._sprites, self._bands, self._solids = Sprites(context), Bands(context), Solids(context, meshes)
        self._passes = {
            name: program(context, "screen.vert", f"{name}.frag") for name in ("bright", "halve", "widen", "finish")
        }
        for name, props in (("scene", 0), ("furnished", 1)):
            self._passes[name] = program(context, "screen.vert", "scene.frag", PROPS=props)
        self._screens = {name: context.vertex_array(one, []) for name, one in self._passes.items()}
        self._targets: Targets | None = None
        self._textures: dict[tuple[str, bool], tuple[np.ndarray, moderngl.Texture]] = {}
        self._trims: dict[tuple[str, int, int], tuple[np.ndarray, Box]] = {}
        self._picture: tuple[moderngl.Texture, moderngl.Framebuffer] | None = None

    def picture(self, frame: Frame, view: View, shot: Shot, width: int, height: int) -> np.ndarray:
        """(height, width, 4) uint8, coded sRGB, first row on top."""
        if self._picture is None or self._picture[0].size != (width, height):
            self._drop_picture()
            texture = self._context.texture((width, height), 4)
            self._picture = texture, self._context.framebuffer([texture])
        target = self._picture[1]
        self.draw(frame, view, shot, target, flip=True)
        self._wait()
        return np.frombuffer(target.read(components=4), np.uint8).reshape(height, width, 4)

    def draw(self, frame: Frame, view: View, shot: Shot, target: moderngl.Framebuffer, *, flip: bool = False) -> None:
        """Draws into a framebuffer of any size."""
        inner = max(round(target.width * shot.scale), 1), max(round(target.height * shot.scale), 1)
        if self._targets is None or self._targets.size != inner:
            if self._targets is not None:
                self._targets.release()
            self._targets = Targets(self._context, *inner)
        self._context.disable(moderngl.DEPTH_TEST | moderngl.CULL_FACE | moderngl.BLEND)
        self._draw_scene(frame, view, shot, self._targets)
        self._draw_layers(frame, view, self._targets)
        self._draw_glow(self._targets)
        self._finish(shot, self._targets, target, flip)

    def _run(self, name: str, target: moderngl.Framebuffer, **uniforms: object) -> None:
        target.use()
        one = self._passes[name]
        for key, value in uniforms.items():
            one[key] = value
        self._screens[name].render(moderngl.TRIANGLES, vertices=3)

    def _draw_scene(self, frame: Frame, view: View, shot: Shot, targets: Targets) -> None:
        if shot.background == "none":
            targets.layers.clear(0.0, 0.0, 0.0, 0.0)
            depth_only = self._context.framebuffer([targets.depth])
            depth_only.clear(1e6, 0.0, 0.0, 0.0)
            depth_only.release()
            return
        setting = _SETTINGS[shot.background]
        place, power = gathered_light(frame)
        furnished = bool(frame.effect.stage.props)
        if furnished:
            self._context.enable(moderngl.DEPTH_TEST)
            # The backdrop writes its depth wherever it is, over that of the picture before.
            self._context.depth_func = "1"
        corner = view.ray(0, 1, 1, 1)
        self._run(
            "furnished" if furnished else "scene", targets.scene,
            eye=tuple(view.eye), forward=tuple(view.forward),
            ray_corner=tuple(corner), ray_x=tuple(view.ray(1, 1, 1, 1) - corner), ray_y=tuple(view.ray(0, 0, 1, 1) - corner),
            backdrop=setting.middle, backdrop_edge=setting.rim, stone=setting.stone, line=setting.line,
            ambient=setting.ambient, ground=shot.stage.ground, figure=shot.stage.figure,
            lamp_place=tuple(place), lamp_power=tuple(power), pixel=2 * view.half_height / targets.size[1],
            **({"range": (NEAR, FAR)} if furnished else {}),
        )  # fmt: skip
        if furnished:
            self._context.depth_func = "<"
            self._solids.draw(
                Poses(frame.effect), view, frame.time * frame.effect.tempo,
                stone=tuple(2.2 * part for part in setting.stone),
                ambient=setting.ambient, lamp_place=tuple(place), lamp_power=tuple(power), haze_colour=setting.middle,
            )  # fmt: skip
            self._context.disable(moderngl.DEPTH_TEST)

    def _draw_layers(self, frame: Frame, view: View, targets: Targets) -> None:
        self._wait()
        targets.layers.use()
        self._context.enable(moderngl.BLEND)
        for layer in frame.layers:
            look = layer.layer.look
            if not layer.count and layer.strips is None:
                continue
            seen = layer.seen_from(view.eye)
            texture = self._texture(look.picture, premultiplied=look.blend == "premultiplied")
            wear = self._texture(look.wear) if look.wear else None
            if wear is not None:
                wear.repeat_x = wear.repeat_y = True
            texture.repeat_x = texture.repeat_y = look.drawn_as != "sprite" or tiled(look)
            if look.drawn_as == "sprite":
                trim = self._trim(look)
                self._sprites.draw(seen, view, frame.time, texture, trim, targets.depth, wear)
            else:
                self._bands.draw(seen, view, frame.time, texture, targets.depth, wear)
            self._wait()
        self._context.disable(moderngl.BLEND)

    def _draw_glow(self, targets: Targets) -> None:
        source = targets.light
        for level, (texture, framebuffer) in enumerate(targets.halos):
            source.use(0)
            if level == 0:
                self._run("bright", framebuffer, picture=0, threshold=GLOW_THRESHOLD)
            else:
                self._run("halve", framebuffer, picture=0)
            source = texture
        self._context.enable(moderngl.BLEND)
        self._context.blend_func = moderngl.ONE, moderngl.ONE
        for (below, _), (_, framebuffer) in reversed(list(zip(targets.halos[1:], targets.halos[:-1], strict=True))):
            below.use(0)
            self._run("widen", framebuffer, picture=0, share=0.8)
        self._context.disable(moderngl.BLEND)
        self._wait()

    def _finish(self, shot: Shot, targets: Targets, target: moderngl.Framebuffer, flip: bool) -> None:
        targets.light.use(0)
        targets.halos[0][0].use(1)
        mode = ALPHA["opaque" if shot.background != "none" else "straight" if shot.alpha == "opaque" else shot.alpha]
        self._run(
            "finish", target,
            light=0, halo=1, glow=GLOW / len(targets.halos), exposure=shot.exposure, flip=flip, alpha_mode=mode,
        )  # fmt: skip

    def _texture(self, name: str, *, premultiplied: bool = False) -> moderngl.Texture:
        """A picture on the card; its light is multiplied by its cover unless it already is."""
        pixels, key = self._pictures(name), (name, premultiplied)
        known = self._textures.get(key)
        if known is not None and known[0] is pixels:
            return known[1]
        if known is not None:
            known[1].release()
        covered = pixels.copy()
        if not premultiplied:
            covered[..., :3] *= covered[..., 3:]
        height, width = pixels.shape[:2]
        texture = self._context.texture((width, height), 4, covered.astype(np.float16).tobytes(), dtype="f2")
        # Beyond a few levels the frames of a sheet would run into each other.
        texture.build_mipmaps(0, 3)
        # The nearest level, not two mixed: in software that takes two fifths off the whole picture.
        texture.filter = moderngl.LINEAR_MIPMAP_NEAREST, moderngl.LINEAR
        texture.repeat_x = texture.repeat_y = False
        self._textures[key] = pixels, texture
        return texture

    def _trim(self, look: Look) -> Box:
        key = look.picture, look.columns, look.rows
        pixels = self._pictures(look.picture)
        known = self._trims.get(key)
        if known is None or known[0] is not pixels:
            fits = look.rows <= pixels.shape[0] and look.columns <= pixels.shape[1]
            box = filled_box(pixels, look.columns, look.rows) if fits else (0.0, 0.0, 1.0, 1.0)
            known = self._trims[key] = pixels, box
        return known[1]

    def _drop_picture(self) -> None:
        if self._picture is not None:
            self._picture[1].release()
            self._picture[0].release()
            self._picture = None

    def release(self) -> None:
        """Gives back everything made in the context."""
        self._drop_picture()
        for _, texture in self._textures.values():
            texture.release()
        self._textures.clear()
        if self._targets is not None:
            self._targets.release()
            self._targets = None
        for screen in self._screens.values():
            screen.release()
        for one in self._passes.values():
            one.release()
        for drawer in (self._sprites, self._bands, self._solids):
            drawer.release()


def gathered_light(frame: Frame) -> tuple[np.ndarray, np.ndarray]:
    """The light of all additive layers as one lamp: place (3,) m, and power (3,) so that power / m² is light received."""
    place, total = np.zeros(3), np.zeros(3)
    weight = 0.0
    for layer in frame.layers:
        if layer.layer.look.blend != "additive" or not layer.count:
            continue
        if layer.strips is not None and len(layer.strips.point) > 1:
            at, colour = layer.strips.point, layer.strips.colour
            apart = np.linalg.norm(np.diff(at, axis=0, append=at[-1:]), axis=1)
            apart[layer.strips.first[1:] - 1] = 0.0
            area = apart.astype(float) * layer.strips.width
        else:
            at, colour, area = layer.position, layer.colour, layer.size[:, 0].astype(float) * layer.size[:, 1]
        power = colour[:, :3].astype(float) * (colour[:, 3] * area)[:, None] * 0.12
        strength = power.sum(axis=1)
        place += strength @ at.astype(float)
        weight += float(strength.sum())
        total += power.sum(axis=0)
    if weight <= 0:
        return np.array([0.0, 1.0, 0.0]), total
    return place / weight, total
