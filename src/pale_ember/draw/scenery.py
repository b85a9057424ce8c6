"""The stage behind the effect: backdrop, ground, figure, props, and the light on them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from pale_ember.core.effect.stage import Prop, Stage
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.poses import Poses
from pale_ember.core.view import FAR, NEAR, View
from pale_ember.draw.coverings import PAVINGS, Coverings
from pale_ember.draw.lights import Lights, lights_of
from pale_ember.draw.screens import Screens
from pale_ember.draw.solids import MOST_STANDING, Solids
from pale_ember.draw.targets import MirrorRoom, Room, Targets
from pale_ember.draw.textures import Textures

_NOTHING = 1e6
"""Metres to what is not there."""

HAZE = 0.045
"""1/m: how the ground fades into the backdrop, so that it has no hard end."""

_PROP = 2.2
"""Props are so much lighter than the ground, to stand out from it."""


@dataclass(frozen=True, slots=True)
class _Setting:
    """A background: the linear colours of backdrop middle and rim, ground and grid, and the light from all around."""

    middle: tuple[float, float, float]
    rim: tuple[float, float, float]
    stone: tuple[float, float, float]
    line: tuple[float, float, float]
    ambient: float
    kind: int = 0


_NIGHT = ((0.060, 0.055, 0.050), (0.09, 0.085, 0.08), 0.20)
_DAY = ((0.115, 0.112, 0.107), (0.10, 0.10, 0.10), 0.85)

CHECKER, PLATE = 2, 3
"""Kinds of backdrop, as `scene.frag` numbers them; 0 and 1 are two colours, about the middle and upward."""

_SETTINGS = {
    "dark": _Setting((0.0125, 0.0115, 0.0105), (0.0045, 0.0042, 0.0040), *_NIGHT),
    "mid": _Setting((0.150, 0.147, 0.142), (0.085, 0.083, 0.080), *_DAY),
    "light": _Setting((0.95, 0.94, 0.92), (0.62, 0.61, 0.59), (0.60, 0.59, 0.57), (-0.22, -0.22, -0.22), 0.85),
    "gradient": _Setting((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), *_NIGHT, kind=1),
    "checker": _Setting((0.22, 0.22, 0.22), (0.42, 0.42, 0.42), *_DAY, kind=CHECKER),
    "picture": _Setting((0.0, 0.0, 0.0), (0.0, 0.0, 0.0), *_NIGHT, kind=PLATE),
}


SOFT = 0.006
"""How far the edge of a shadow is spread, as a share of the picture's height."""
FIGURE = Prop(name="figure", shape="box", place=(1.0, 0.875, -0.25), size=(0.5, 1.75, 0.22))
"""What the standing figure keeps light off the ground as."""
_WIDEST = 40.0
"""Metres from which on a prop is the ground itself, and throws no shadow on it."""


class Scenery:
    """Draws the stage into light and depth."""

    def __init__(self, context: moderngl.Context, screens: Screens, textures: Textures, meshes: Callable[[str], Mesh]) -> None:
        self._context, self._screens, self._textures = context, screens, textures
        self._coverings = Coverings(context, screens)
        self._solids = Solids(context, meshes, self._coverings.matter)

    @staticmethod
    def lights(frame: Frame, stage: Stage, background: str) -> Lights:
        """The light that falls on a stage. Before nothing, what is lit is lit as it is on its stage."""
        return lights_of(frame, stage, _SETTINGS[stage.background if background == "none" else background].ambient)

    def mirror(self, frame: Frame, view: View, stage: Stage, background: str, lights: Lights, room: MirrorRoom) -> None:
        """Draws the stage as its ground shows it: its props before the low part of its backdrop. view : mirrored."""
        setting = _setting(stage, background)
        self._coverings.prepare(stage)
        room.scene.clear(*below_ground(stage, setting), 1.0, depth=1.0)
        room.far.clear(_NOTHING, 0.0, 0.0, 0.0)
        room.scene.use()
        self._context.enable(moderngl.DEPTH_TEST)
        self._context.depth_func = "<"
        props = [prop for prop in stage.props if prop.shown and not is_ground(prop)]
        if props:
            self._draw_props(props, frame, view, stage, setting, lights, mirrored=True)
        self._context.disable(moderngl.DEPTH_TEST)

    def _draw_props(
        self, props: list[Prop], frame: Frame, view: View, stage: Stage, setting: _Setting, lights: Lights, *, mirrored: bool = False
    ) -> None:
        self._solids.draw(
            Poses(frame.effect), props, view, frame.time * frame.effect.tempo, lights, mirrored=mirrored, **around_props(stage, setting)
        )

    def draw(
        self, frame: Frame, view: View, stage: Stage, background: str, lights: Lights, targets: Targets, room: Room, *, solid: bool,
        mirrors: bool,
    ) -> None:  # fmt: skip
        """Draws the stage into a room of the targets, or clears it for nothing behind. solid : whether anything will be tested against
        the card's own depth. mirrors : whether what the ground mirrors has been drawn."""
        setting = _setting(stage, background)
        if background == "none":
            room.scene.clear(0.0, 0.0, 0.0, 0.0, depth=1.0)
            # Light and depth are cleared alike; nothing there is far away.
            room.far.clear(_NOTHING, 0.0, 0.0, 0.0)
            return
        self._coverings.prepare(stage)
        props = [prop for prop in stage.props if prop.shown]
        solid = solid or bool(props)
        if solid:
            self._context.enable(moderngl.DEPTH_TEST)
            # The backdrop writes its depth wherever it is, over that of the picture before.
            self._context.depth_func = "1"
        poses, time = Poses(frame.effect), frame.time * frame.effect.tempo
        standing = standing_on(stage)
        feet = self._solids.feet(poses, standing, time)
        if standing:
            self._shade(poses, standing, view, time, lights, targets)
            room.scene.use()
        self._backdrop(frame.time, view, stage, setting, lights, room, targets, solid, feet, mirrors)
        if solid:
            self._context.depth_func = "<"
            if props:
                self._draw_props(props, frame, view, stage, setting, lights)
            self._context.disable(moderngl.DEPTH_TEST)

    def _shade(self, poses: Poses, props: list[Prop], view: View, time: float, lights: Lights, targets: Targets) -> None:
        """Draws where what stands there keeps light off the ground, softly."""
        (hard, first), (_, second) = targets.shadows
        first.clear(0.0, 0.0, 0.0, 0.0)
        first.use()
        self._context.disable(moderngl.DEPTH_TEST)
        self._context.enable(moderngl.BLEND)
        self._context.blend_func = moderngl.ONE, moderngl.ONE
        self._solids.cast(poses, props, view, time, lights)
        self._context.disable(moderngl.BLEND)
        hard.use(0)
        self._screens.run("soften", second, picture=0, reach=(SOFT / view.aspect, SOFT))
        self._context.enable(moderngl.DEPTH_TEST)

    def _backdrop(
        self, moment: float, view: View, stage: Stage, setting: _Setting, lights: Lights, room: Room, targets: Targets, solid: bool,
        feet: tuple[np.ndarray, np.ndarray], mirrors: bool,
    ) -> None:  # fmt: skip
        corner = view.ray(0, 1, 1, 1)
        plate_aspect = 1.0
        if setting.kind == PLATE:
            self._textures.picture(stage.picture).use(0)
            height, width = self._textures.shape(stage.picture)
            plate_aspect = width / height
        horizon = float(np.clip(-corner[1] / (view.ray(0, 0, 1, 1) - corner)[1], 0.0, 1.0))
        width, height = targets.size
        paving = PAVINGS.index(stage.paving)
        if stage.ground and 0 < paving < 4:
            self._coverings.paving(paving).use(2)
        if mirrors:
            targets.mirror.light.use(3)
        targets.shadows[1][0].use(1)
        full = [np.zeros((MOST_STANDING, 4), np.float32) for _ in feet]
        for room_for, told in zip(full, feet, strict=True):
            room_for[: len(told)] = told
        line = round(horizon * height)
        # The camera never rolls, so the ground ends at a level line; above it there is nothing to light.
        parts = ((0, line, view.eye[1] >= 0), (line, height - line, view.eye[1] < 0))
        for first, rows, below in parts:
            if not rows:
                continue
            defined = {
                "KIND": setting.kind,
                "HARD": int(solid),
                "GROUND": int(stage.ground and below),
                "FIGURE": int(stage.figure),
                "FOG": int(stage.fog > 0),
                "PAVING": paving * int(stage.ground and below),
                "WET": int(mirrors and below),
                "CAST": int(len(feet[0]) > 0 and stage.ground and below),
            }
            drawer = self._screens.shader("scene", **defined)
            lights.put(drawer)
            for name, told in zip(("foot", "body"), full, strict=True):
                drawer.write(name, told.tobytes())
            room.scene.scissor = 0, first, width, rows
            self._screens.run(
                "scene", room.scene, defined, eye=tuple(view.eye.tolist()), forward=tuple(view.forward.tolist()),
                ray_corner=tuple(corner.tolist()), ray_x=tuple((view.ray(1, 1, 1, 1) - corner).tolist()),
                ray_y=tuple((view.ray(0, 0, 1, 1) - corner).tolist()), backdrop=setting.middle,
                backdrop_edge=setting.rim, stone=setting.stone, line=setting.line,
                pixel=2 * view.half_height / height, range=(NEAR, FAR), haze=HAZE, fog=stage.fog,
                fog_tint=stage.fog_tint, plate=0, shadows=1, paving=2, mirrored=3, wet=stage.wet,
                moment=moment, right=tuple(view.right.tolist()), standing=len(feet[0]), aspect=view.aspect, plate_aspect=plate_aspect,
            )  # fmt: skip
        room.scene.scissor = 0, 0, width, height

    def release(self) -> None:
        self._coverings.release()
        self._solids.release()


def _setting(stage: Stage, background: str) -> _Setting:
    setting = _SETTINGS[stage.background if background == "none" else background]
    if setting.kind == 1:
        setting = _Setting(stage.bottom, stage.top, setting.stone, setting.line, setting.ambient, 1)
    return setting


def setting_of(stage: Stage, background: str) -> tuple[_Setting, int]:
    """The colours of a background, and which kind of backdrop it is."""
    setting = _setting(stage, background)
    return setting, setting.kind


def around_props(stage: Stage, setting: _Setting) -> dict[str, Any]:
    """What `solid.frag` takes of a stage. Far props fade into the backdrop about half way up."""
    low, high = np.array(setting.middle), np.array(setting.rim)
    return {
        "grounded": stage.ground,
        "stone": tuple(_PROP * part for part in setting.stone),
        "wet": stage.wet if stage.mirrors else 0.0,
        "haze_colour": tuple((0.45 * low + 0.55 * high if setting.kind == 1 else low).tolist()),
        "haze": HAZE if stage.ground and setting.kind in (0, 1) else 0.0,
        "fog": stage.fog,
        "fog_tint": stage.fog_tint,
    }


def below_ground(stage: Stage, setting: _Setting) -> tuple[float, float, float]:
    """The light that ground mirrors where nothing stands: the low part of the backdrop, through the air."""
    low, high = np.array(setting.middle), np.array(setting.rim)
    sky = 0.65 * low + 0.35 * high if setting.kind == 1 else low
    red, green, blue = (np.array(stage.fog_tint) + np.exp(-30.0 * stage.fog) * (sky - stage.fog_tint)).tolist()
    return red, green, blue


def standing_on(stage: Stage) -> list[Prop]:
    """What keeps light off the ground of a stage: the scale figure and the first props."""
    if not stage.ground:
        return []
    props = [prop for prop in stage.props if prop.shown and not is_ground(prop)]
    return [*([FIGURE] if stage.figure else ()), *props][:MOST_STANDING]


def stillness(stage: Stage) -> float:
    """For how many seconds a stage may be taken as it is drawn without anybody seeing it: light follows then, and slow water."""
    if any(prop.shown and (prop.keys or prop.carried) for prop in stage.props):
        return 0.0
    return 0.05 if stage.ground and stage.paving == "water" else 0.08


def is_ground(prop: Prop) -> bool:
    """Whether a prop is the ground itself."""
    return prop.shape == "plane" or max(prop.size) >= _WIDEST
