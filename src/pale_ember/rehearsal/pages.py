"""An effect as one page that anybody can open: the player kit as a module, the effect, its pictures, the shaders of the stage."""

from __future__ import annotations

import base64
import json
import math
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from pale_ember import ASSETS, __version__
from pale_ember.core.effect.forces import Stirring
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import FIRST_VIEW, Camera, Effect, Layer, Stage
from pale_ember.core.effect.stage import Prop
from pale_ember.core.geometry.mesh import Mesh
from pale_ember.core.insight.ray_casts import shape_of, size_of
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.poses import Poses, carrier_frames
from pale_ember.core.simulate.turbulence_field import eddies
from pale_ember.core.texture.light import channel_of
from pale_ember.core.texture.outline import outline_of
from pale_ember.core.view import view_of
from pale_ember.draw.brush import HAZE, PICTURE, Pass, constants, hard, repeats, runs, traits
from pale_ember.draw.coverings import ACROSS, MATTERS, PAVINGS
from pale_ember.draw.lights import lights_of
from pale_ember.draw.renderer import TONES
from pale_ember.draw.scenery import FIGURE, PLATE, SOFT, around_props, below_ground, is_ground, setting_of, standing_on
from pale_ember.draw.scenery import HAZE as FADING
from pale_ember.draw.shaders import source_of
from pale_ember.draw.solids import HELD, SMOOTH, constants_of
from pale_ember.draw.strips import trail_look
from pale_ember.draw.textures import light_of
from pale_ember.formats.handover.runtime import PackageError, handed, runtime_form
from pale_ember.formats.pictures import light_webp
from pale_ember.formats.shelf import Shelf

_FOLDER = ASSETS / "page"
MODULE = _FOLDER / "player.wasm"
"""The player kit, built for pages."""

_ES = "#version 300 es\nprecision highp float;\nprecision highp int;\nprecision highp sampler2D;\n"


SURFACES = ("plane", "sphere", "box", "cylinder", "mesh")
"""The shapes of surfaces in the order of the kit's numbers; a ramp is a mesh."""


@dataclass(slots=True)
class _Page:
    """What is gathered: pictures by what they were made of, programs by their sources."""

    pictures: Callable[[str], np.ndarray]
    textures: list[dict[str, Any]] = field(default_factory=list)
    programs: list[list[str]] = field(default_factory=list)
    bodies: list[str] = field(default_factory=list)
    known: dict[Any, int] = field(default_factory=dict)

    def body(self, mesh: Mesh, key: tuple) -> int:
        """The place of a prop's mesh in the page: place and normal of each corner."""
        if key not in self.known:
            self.known[key] = len(self.bodies)
            corners = np.concatenate([mesh.corners(), mesh.shaded(SMOOTH)], axis=2).astype(np.float32)
            self.bodies.append(base64.b64encode(corners.tobytes()).decode())
        return self.known[key]

    def program(self, vertex: str, fragment: str, defined: dict[str, int]) -> int:
        """The place of a program in the page."""
        lines = "".join(f"#define {name} {value}\n" for name, value in defined.items())
        sources = [_ES + lines + source_of(name).split("\n", 1)[1] for name in (vertex, fragment)]
        key = tuple(sources)
        if key not in self.known:
            self.known[key] = len(self.programs)
            self.programs.append([_without_comments(source) for source in sources])
        return self.known[key]

    def texture(self, values: np.ndarray, key: tuple, repeat: tuple[bool, bool] = (False, False), levels: int = 3) -> int:
        """The place of a picture (h, w, 1 to 4) float32 in the page: its light over its cover, each coded by its square root."""
        key = (*key, repeat)
        if key in self.known:
            return self.known[key]
        height, width, depth = values.shape
        whole = np.zeros((height, width, 4), np.float32)
        whole[..., :depth] = values
        peaks = [float(max(whole[..., :3].max(), 1e-6)), float(max(whole[..., 3].max(), 1e-6))]
        codes = np.empty((2 * height, width, 3), np.uint8)
        codes[:height] = np.round(np.sqrt(np.clip(whole[..., :3] / peaks[0], 0.0, 1.0)) * 255)
        codes[height:] = np.round(np.sqrt(np.clip(whole[..., 3:] / peaks[1], 0.0, 1.0)) * 255)
        self.known[key] = len(self.textures)
        data = base64.b64encode(light_webp(codes)).decode()
        self.textures.append({"data": data, "peaks": peaks, "repeat": list(repeat), "levels": levels})
        return self.known[key]


def _without_comments(source: str) -> str:
    return re.sub(r"\n\s*\n+", "\n", re.sub(r"//[^\n]*", "", source))


def gallery_of(title: str, pages: Sequence[tuple[str, bytes]]) -> bytes:
    """One page of several (name, page)."""
    told = [{"name": name, "page": page.decode()} for name, page in pages]
    data = json.dumps(told, separators=(",", ":")).replace("</", "<\\/")
    return _filled("gallery.html", TITLE=_escaped(title), DATA=data)


def page_of(effect: Effect, shelf: Shelf) -> bytes:
    """One page that plays an effect. Raises PackageError where it cannot leave or a picture or mesh is missing."""
    leaves = handed(effect)
    if not any(layer.shown for layer in leaves.layers):
        raise PackageError("expected a layer that is shown, found none; show one")
    shelf.recipes = effect.recipes
    form, page, stage = runtime_form(leaves), _Page(shelf.get), effect.stage
    setting, kind = setting_of(stage, stage.background)
    layers = [_layer(page, layer, stage, shelf.mesh) for layer in leaves.layers]
    plate = shelf.get(stage.picture) if kind == PLATE else None
    around = around_props(stage, setting)
    things = [FIGURE, *stage.props] if stage.figure else list(stage.props)
    if shelf.faults:
        raise PackageError(next(iter(shelf.faults.values())))
    frame = Frame(effect=effect, time=0.0, step=0, layers=())
    lights = lights_of(frame, stage, setting.ambient)
    paving = PAVINGS.index(stage.paving)
    told = {
        "made_by": f"Pale Ember {__version__}",
        "effect": form,
        "stage": {
            "backdrop": setting.middle, "backdrop_edge": setting.rim, "stone": setting.stone, "line": setting.line, "haze": FADING,
            "fog": stage.fog, "fog_tint": stage.fog_tint, "ground": stage.ground, "exposure": 2.0**stage.exposure, "wet": stage.wet,
            "mirrors": stage.mirrors, "below": below_ground(stage, setting), "around_props": around,
            "held": HELD, "soft": SOFT, "across": ACROSS,
            "plate": None if plate is None else page.texture(plate, ("plate", stage.picture), levels=0),
            "plate_aspect": 1.0 if plate is None else plate.shape[1] / plate.shape[0],
        },
        "props": [_prop(page, prop, stage, around["stone"], shelf.mesh) for prop in things],
        "bodies": page.bodies,
        "lights": {
            "sun_way": lights.sun_way.tolist(), "sun_power": lights.sun_power.tolist(), "sky_light": lights.sky.tolist(),
            "earth_light": (lights.sky * [0.36, 0.33, 0.30]).tolist(),
            "lamps": [[*place.tolist(), *power.tolist()] for place, power in lights.lamps],
        },
        "cameras": [
            {name: getattr(camera, name) for name in ("target", "distance", "heading", "pitch", "fov")}
            for camera in effect.stage.cameras or (FIRST_VIEW,)
        ],
        "ways": _ways(effect, form["places"], things),
        "layers": layers,
        "screens": _screens(page, stage, kind, paving),
        "programs": page.programs,
        "textures": page.textures,
        "module": base64.b64encode(MODULE.read_bytes()).decode(),
        "eddies": base64.b64encode(eddies().astype(np.float16).tobytes()).decode() if _stirred(effect) else "",
    }  # fmt: skip
    data = json.dumps(told, separators=(",", ":")).replace("</", "<\\/")
    style, script = ((_FOLDER / name).read_text() for name in ("page.css", "page.js"))
    return _filled("page.html", STYLE=style, SCRIPT=script, DATA=data, TITLE=_escaped(effect.name))


def _filled(name: str, **parts: str) -> bytes:
    """A page with its {{PARTS}} filled in."""
    return re.sub(r"\{\{(\w+)\}\}", lambda match: parts[match[1]], (_FOLDER / name).read_text()).encode()


def _prop(page: _Page, prop: Prop, stage: Stage, stone: tuple[float, ...], meshes: Callable[[str], Mesh]) -> dict[str, Any]:
    """What a page must know of a prop to draw it, to shade the ground with it and to let particles touch it."""
    mesh, matter, drawn = shape_of(prop, meshes), MATTERS.index(prop.matter), prop.shown and prop is not FIGURE
    return {
        "name": prop.name, "shape": SURFACES.index("mesh" if prop.shape == "ramp" else prop.shape), "size": prop.size,
        "body": page.body(mesh, ("body", prop.mesh if prop.shape == "mesh" else prop.shape)), "across": size_of(prop).tolist(),
        "low": mesh.points.min(axis=0).tolist(), "high": mesh.points.max(axis=0).tolist(), "closed": mesh.closed(), "drawn": drawn,
        "stands": any(prop is each for each in standing_on(stage)), "mirrored": drawn and not is_ground(prop),
        "touched": prop.solid and prop is not FIGURE, "constants": constants_of(prop, np.array(stone)),
        "program": page.program("solid.vert", "solid.frag", {"KIND": matter, "MIRRORED": 0}),
        "skin": page.program("screen.vert", "matter.frag", {"KIND": matter}) if matter else None,
    }  # fmt: skip


def _ways(effect: Effect, places: list[str], props: Sequence[Prop]) -> dict[str, Any]:
    """Where the effect, its places and the props stand over its time on its stage, as frames of 12 numbers step by step."""
    poses, steps = Poses(effect), math.ceil(effect.duration / effect.tempo * effect.steps) + 1
    times = np.arange(steps) * (effect.tempo / effect.steps)
    if effect.loop:
        # At its end things are where they have come to, not where they begin anew.
        times[-1] -= 1e-6 * effect.duration
    things = [poses.ground_named(name) for name in places]
    frames = [carrier_frames(effect.stage.carrier, times, poses.looped(times))]
    frames += [poses.thing(thing, times) if thing is not None else frames[0] for thing in things]
    frames += [poses.thing(prop, times) for prop in props]
    rows = np.stack([each.rows() for each in frames], axis=1).astype(np.float32)
    if (rows == rows[0]).all():
        rows = rows[:1]
    return {"rows": base64.b64encode(rows.tobytes()).decode(), "steps": len(rows)}


def _escaped(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace('"', "&quot;")


def _stirred(effect: Effect) -> bool:
    return any(layer.forces.turbulence > 0 or any(isinstance(force, Stirring) for force in layer.forces.more) for layer in effect.layers)


def _screens(page: _Page, stage: Stage, kind: int, paving: int) -> dict[str, int]:
    defined = {"KIND": kind, "HARD": 1, "FIGURE": int(stage.figure), "FOG": int(stage.fog > 0)}
    told = {
        name: page.program("screen.vert", f"{name}.frag", {}) for name in ("bright", "halve", "widen", "air", "mist", "add", "soften")
    }
    told["enlarge"] = page.program("screen.vert", "enlarge.frag", {"FINE": 0})
    told["cast"], told["shadow"] = page.program("cast.vert", "cast.frag", {}), page.program("shadow.vert", "shadow.frag", {})
    told["finish"] = page.program("screen.vert", "finish.frag", {"ALPHA": 0, "SHOWS": 0, "TONE": TONES.index(stage.tone)})
    below = {"GROUND": int(stage.ground), "PAVING": paving * int(stage.ground), "CAST": int(bool(standing_on(stage)))}
    told["ground"] = page.program("screen.vert", "scene.frag", defined | below | {"WET": int(stage.mirrors)})
    told["dry"] = page.program("screen.vert", "scene.frag", defined | below | {"WET": 0})  # what is seen from below mirrors nothing
    nothing = {"KIND": 0, "HARD": 1, "FIGURE": 0, "FOG": 0, "GROUND": 0, "PAVING": 0, "WET": 0, "CAST": 0}
    told["plain"] = page.program("screen.vert", "scene.frag", nothing)
    told["sky"] = page.program("screen.vert", "scene.frag", defined | {"GROUND": 0, "PAVING": 0, "WET": 0, "CAST": 0})
    if stage.ground and 0 < paving < PAVINGS.index("water"):
        told["paving"] = page.program("screen.vert", "paving.frag", {"KIND": paving})
    return told


def _layer(page: _Page, layer: Layer, stage: Stage, meshes: Callable[[str], Mesh]) -> dict[str, Any]:
    """What a page must know of a layer to draw it, and the ribbons behind its particles if there are any."""
    look = layer.look
    told = _drawn(page, look, stage, meshes) | {"name": layer.name, "drawn": layer.shown}
    shine = look.shine
    told["glow"] = [shine.glow, shine.size, shine.threshold] if shine.glow > 0 and look.blend != "multiply" else None
    told["shadow"] = look.light.shadow
    told["trail"] = _drawn(page, trail_look(look), stage, meshes) if look.trails else None
    return told


def _drawn(page: _Page, look: Look, stage: Stage, meshes: Callable[[str], Mesh]) -> dict[str, Any]:
    view = view_of(Camera(), 1.0, 1.0)
    lights = lights_of(Frame(effect=Effect(), time=0.0, step=0, layers=()), stage, 1.0)
    kind = {"sprite": "sprite", "mesh": "mesh"}.get(look.drawn_as, "ribbon")

    def program(view_kind: int) -> int:
        now = Pass(view, 0.0, stage, lights, None, 1, view_kind)  # type: ignore[arg-type]
        defined = traits(look, now) | {"RICH": 1}
        return page.program(f"{kind}.vert", f"{kind}.frag", defined)

    told: dict[str, Any] = {
        "kind": kind, "program": program(PICTURE), "blend": look.blend, "solid": hard(look), "drapes": look.drapes,
        "haze": program(HAZE) if look.surface.shimmer > 0 and kind != "ribbon" else None,
        "constants": constants(look, stage) | {"pivot": look.pivot, "nearer": look.pull},
        "runs": runs(look), "run": look.surface.scroll, "bump_speed": look.solid.bump_speed, "free": look.facing == "free",
        "grid": [look.columns, look.rows], "textures": _textures(page, look),
    }  # fmt: skip
    if kind == "sprite":
        outline = outline_of(look, page.pictures(look.picture))
        strip = [outline[(k + 1) // 2 if k % 2 else -(k // 2)] for k in range(len(outline))]
        told["outline"] = np.array(strip, float).round(5).ravel().tolist()
    if kind == "mesh":
        mesh = meshes(look.solid.mesh)
        coords = np.full((len(mesh.points), 2), 0.5) if mesh.coords is None else mesh.coords
        corners = np.concatenate([mesh.corners(), mesh.shaded(look.solid.smooth), coords[mesh.faces]], axis=2).astype(np.float32)
        low, high = mesh.points[:, 1].min(), mesh.points[:, 1].max()
        told["corners"] = base64.b64encode(corners.tobytes()).decode()
        told["constants"] |= {"foot": float(0.5 * (low + high) + 0.5 * look.pivot * (high - low)), "tumbles": int(look.solid.tumbles)}
        told["sides"] = look.solid.sides
    return told


def _textures(page: _Page, look: Look) -> dict[str, int]:
    """The pictures of a look, by the names that its shader has for them."""
    surface, wear = look.surface, look.dissolve

    def light(name: str, channel: str, *how: bool, repeat: tuple[bool, bool]) -> int:
        return page.texture(light_of(page.pictures(name), name, channel, *how), ("light", name, channel, *how), repeat)

    def numbers(name: str, channels: tuple[str, ...], repeat: tuple[bool, bool] = (False, False)) -> int:
        pixels = page.pictures(name)
        return page.texture(np.dstack([channel_of(pixels, channel) for channel in channels]), ("numbers", name, channels), repeat)

    tiled = (True, True)
    own = surface.invert, look.premultiplied, look.blend == "multiply"
    told = {"picture": light(look.picture, surface.channel, *own, repeat=repeats(look))}
    for kind, (name, channel) in zip(("second", "third"), surface.multiplied, strict=False):
        told[kind] = light(name, channel, False, False, False, repeat=tiled)
    if surface.warp:
        told["warp"] = numbers(surface.warp, (surface.warp_channel,), tiled)
    if wear.picture:
        told["wear"] = numbers(wear.picture, (wear.channel,), tiled)
    if surface.ramp is not None:
        line = surface.ramp.at(np.linspace(0.0, 1.0, 256)).astype(np.float32)[None]
        told["ramp"] = page.texture(line, ("ramp", line.tobytes()), levels=0)
    if look.light.normals and look.light.gloss > 0:
        told["normals"] = numbers(look.light.normals, ("red", "green", "blue"))
    if look.vectors and look.between == "along vectors":
        told["vectors"] = numbers(look.vectors, ("red", "green"))
    if look.light.six and look.light.lit > 0:
        told["six"] = page.texture(page.pictures(look.light.six)[..., :3], ("six", look.light.six))
    return told
