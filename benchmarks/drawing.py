"""What drawing costs beside a bare loop of quads, and sorting, and every effect that comes with us."""

from __future__ import annotations

import itertools
import time

import moderngl
import numpy as np
from msgspec.structs import replace

from benchmarks.measure import Row, median, medians
from pale_ember import ASSETS
from pale_ember.core.effect.chapters import Birth, Burst, Life, Look, Outlet
from pale_ember.core.effect.model import FIRST_VIEW, Camera, Effect, Layer
from pale_ember.core.effect.stage import Lamp, Stage
from pale_ember.core.effect.surface import Light, Surface
from pale_ember.core.effect.values import between, fixed, gradient
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.context import finisher, headless
from pale_ember.draw.packing import greatest_first, packed
from pale_ember.draw.renderer import Renderer, Shot
from pale_ember.formats.document import load
from pale_ember.formats.pictures import library_picture
from pale_ember.formats.shelf import Shelf

_STAGE = 834, 408
"""Pixels of the stage in a window of 1280 × 800."""
_SIZE = 900, 450

_BARE_VERTEX = """#version 330 core
in vec3 place; in vec2 extent; in vec4 tint;
uniform mat4 to_clip; uniform vec3 right, up;
out vec2 within; flat out vec4 paint;
void main() {
    within = vec2(gl_VertexID & 1, gl_VertexID >> 1);
    vec2 corner = vec2(within.x - 0.5, 0.5 - within.y);
    gl_Position = to_clip * vec4(place + right * corner.x * extent.x + up * corner.y * extent.y, 1.0);
    paint = tint;
}"""

_BARE_FRAGMENT = """#version 330 core
in vec2 within; flat in vec4 paint;
uniform sampler2D picture;
out vec4 colour;
void main() { colour = vec4((texture(picture, within) * paint).rgb * paint.a, 0.0); }"""


def crowd(count: int) -> Effect:
    """Sprites of 4 to 40 pixels over a picture of 900 by 450."""
    layer = Layer(
        id="00000000000000be",
        place=(0.0, 0.9, 0.0),
        outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(count)),), shape="box", extent=(5.0, 2.4, 2.0), limit=count),
        birth=Birth(lifetime=fixed(9.0), speed=fixed(0.0), size=between(0.033, 0.33), brightness=fixed(0.05)),
        life=Life(opacity=None),
        look=Look(picture="library:soft dot", soft=0.0),
    )
    return Effect(loop=False, layers=(layer,))


def _sprites() -> Row:
    """The layers of a picture beside the same quads drawn as barely as can be, in one context and target."""
    frame = Timeline(crowd(10_000)).frame(0.0)
    view = view_of(Camera(distance=4.5, heading=0.0, pitch=0.0), *_SIZE)
    context = headless()
    with context:
        wait = finisher()
        renderer = Renderer(context, Shelf(None).get, wait)
        shot = Shot(background="none")
        targets = renderer._sized(*_SIZE)
        now = renderer._begin(frame, view, shot, targets)
        bare = context.program(vertex_shader=_BARE_VERTEX, fragment_shader=_BARE_FRAGMENT)
        instances = np.ascontiguousarray(packed(frame.layers[0], view)[:, [0, 1, 2, 3, 4, 7, 8, 9, 10]])
        buffer = context.buffer(instances.tobytes())
        array = context.vertex_array(bare, [(buffer, "3f 2f 4f/i", "place", "extent", "tint")])
        texture = renderer._textures.picture("library:soft dot")

        def ours() -> None:
            renderer._pack(frame, view, now.lights)
            renderer._draw_layers(shot, now, targets)
            wait()

        def theirs() -> None:
            targets.layers.use()
            context.enable(moderngl.BLEND)
            context.blend_func = moderngl.ONE, moderngl.ONE
            texture.use(0)
            bare["to_clip"], bare["right"], bare["up"] = (tuple(view.to_clip.T.ravel()), tuple(view.right), tuple(view.up))
            buffer.write(instances.tobytes())
            array.render(moderngl.TRIANGLE_STRIP, vertices=4, instances=len(instances))
            context.disable(moderngl.BLEND)
            wait()

        ours()
        theirs()
        ours_taken, theirs_taken, ratio = medians(ours, theirs, 15)
        for thing in (array, buffer, bare):
            thing.release()
        renderer.release()
    context.release()
    return Row("10,000 sprites against bare quads", ours_taken * 1e3, "ms", theirs_taken * 1e3, ratio, "≤ 1.4", ratio <= 1.4)


def _sorting() -> Row:
    away = np.random.default_rng(1).uniform(1, 40, 50_000).astype(np.float32)
    seconds = median(lambda: greatest_first(away), 31)
    return Row("50,000 sorted by depth", seconds * 1e3, "ms", None, None, "< 3", seconds < 3e-3)


def _demos() -> list[Row]:
    """Stage pictures a second of every effect that comes with us, at the least scale allowed."""
    rows = []
    for path in sorted((ASSETS / "demo").glob("*.pale")):
        effect, _ = load(path)
        shelf, timeline = Shelf(path.parent), Timeline(effect)
        scale = 0.5 if path.stem == "kiln-mouth" else 0.35
        camera = effect.stage.cameras[0] if effect.stage.cameras else FIRST_VIEW
        view, context = view_of(camera, *_STAGE), headless()
        with context:
            renderer = Renderer(context, shelf.get, finisher(), shelf.mesh)
            shot = Shot(stage=effect.stage, background=effect.stage.background, scale=scale)
            frames = [timeline.frame(k / 30) for k in range(10, 70)]
            for frame in frames[:20]:
                renderer.picture(frame, view, shot, *_STAGE)
            begun = time.perf_counter()
            for frame in frames[20:]:
                renderer.picture(frame, view, shot, *_STAGE)
            # The mean: now and then the stage behind is drawn as well.
            seconds = (time.perf_counter() - begun) / len(frames[20:])
            renderer.release()
        context.release()
        name = path.stem.replace("-", " ")
        rows.append(Row(f"{name} at {scale} of 834×408", 1 / seconds, "pictures/s", None, None, "≥ 30", seconds <= 1 / 30))
    return rows


def _adds() -> list[Row]:
    """What each thing that a stage or a look may have adds to a picture that has it not."""
    kiln, _ = load(ASSETS / "demo" / "kiln-mouth.pale")
    dry = replace(kiln, stage=replace(kiln.stage, wet=0.0, fog=0.0))
    bare = replace(dry, stage=replace(dry.stage, paving="grid"))
    dots = crowd(3_000)
    dots = replace(dots, stage=Stage(ground=False, lamps=(Lamp(),)))

    def of(**look: object) -> Effect:
        layer = dots.layers[0]
        return replace(dots, layers=(replace(layer, look=replace(layer.look, **look)),))

    pairs = {
        "flagstones beside a grid": (bare, dry),
        "wet flagstones beside dry ones": (dry, replace(dry, stage=replace(dry.stage, wet=0.6))),
        "fog that takes light beside none": (dry, replace(dry, stage=replace(dry.stage, fog=0.02))),
        "3,000 sprites with a ramp": (dots, of(surface=Surface(ramp=gradient((0, (0, 0, 0)), (1, (1, 1, 1)))))),
        "3,000 sprites that fade at their edge": (dots, of(surface=Surface(edge_fade=1.0))),
        "3,000 sprites with gloss": (dots, of(light=Light(gloss=1.0))),
        "3,000 lit sprites that shade themselves": (of(light=Light(lit=1.0)), of(light=Light(lit=1.0, shade=1.0))),
        "3,000 sprites that fill the air": (dots, of(light=Light(fog=0.05))),
        "3,000 sprites blurred by their motion": (dots, of(blur=0.03)),
        "3,000 sprites that glow where they meet": (dots, of(surface=Surface(meet_glow=2.0))),
        "3,000 flat sprites draped": (of(facing="flat"), of(facing="flat", drape=0.3)),
    }
    rows = []
    for name, effects in pairs.items():
        context = headless()
        with context:
            renderer = Renderer(context, Shelf(None).get, finisher(), Shelf(None).mesh)
            drawn = []
            for effect in effects:
                view = view_of((effect.stage.cameras or (FIRST_VIEW,))[0], *_SIZE)
                shot = Shot(stage=effect.stage, background=effect.stage.background, scale=0.5)
                # Moments a second apart: no stage is kept from one to the next.
                frames = itertools.cycle([Timeline(effect).frame(moment) for moment in (2.0, 1.0)])
                drawn.append(lambda draw=renderer.picture, frames=frames, view=view, shot=shot: draw(next(frames), view, shot, *_SIZE))
            plain, more = drawn
            more()
            plain()
            with_it, without, ratio = medians(more, plain, 15)
            renderer.release()
        context.release()
        rows.append(Row(name, with_it * 1e3, "ms", without * 1e3, ratio, "", True))
    return rows


def rows() -> list[Row]:
    library_picture("soft dot")
    return [_sprites(), _sorting(), *_adds(), *_demos()]
