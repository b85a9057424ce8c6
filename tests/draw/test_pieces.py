"""The pieces a picture is put together from: lights, kinds of glow, textures, shaders, packing; and what begins well."""

import dataclasses
import os
import unittest

import numpy as np
from msgspec.structs import replace
from PIL import Image

from pale_ember import ASSETS
from pale_ember.core.effect.chapters import CHAPTERS, Life
from pale_ember.core.effect.edit import fresh
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.model import Effect, Stage
from pale_ember.core.effect.stage import Anchor, Lamp, Sun
from pale_ember.core.effect.strips import Beam
from pale_ember.core.effect.surface import Dissolve, Halo, Light, Surface
from pale_ember.core.effect.values import curve
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.rules import checked
from pale_ember.core.insight.sentences import sentence
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.outline import WHOLE, area_of
from pale_ember.core.view import view_of
from pale_ember.draw.brush import Pass, hard, traits
from pale_ember.draw.context import headless
from pale_ember.draw.glow import alike, glows
from pale_ember.draw.lights import MOST_LAMPS, cast_light, lights_of
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.packing import BRIGHTEST, packed, wearing
from pale_ember.draw.previews import FRAMES, moving_picture
from pale_ember.draw.renderer import Shot
from pale_ember.draw.small import small_pictures
from pale_ember.draw.textures import Textures
from pale_ember.formats.document import load
from pale_ember.formats.shelf import Shelf
from pale_ember.formats.starts import starts
from pale_ember.studio.layers.start_cards import HEIGHT, WIDTH
from tests.draw.drawn import FRONT, card
from tests.examples import DEMO, Birth, Burst, Outlet, drip, effect, fixed


def frame_of(*layers, at=1.0, **fields):
    return Timeline(effect(*layers, **fields)).frame(at)


class Lighting(unittest.TestCase):
    def test_the_strongest_lamps_light_the_rest_do_not(self):
        lamps = tuple(Lamp(name=f"lamp {k}", place=(float(k), 1.0, 0.0), power=float(k)) for k in range(1, 12))
        stage = Stage(lamps=lamps)
        found = lights_of(frame_of(card({"picture": "full"}, opacity=0.0)), stage, 0.2)
        self.assertEqual(len(found.lamps), MOST_LAMPS)
        self.assertEqual([float(place[0]) for place, _ in found.lamps], [float(k) for k in range(11, 3, -1)])
        self.assertAlmostEqual(float(np.linalg.norm(found.sun_way)), 1.0)

    def test_the_sun_stands_where_its_angles_say(self):
        for heading, height, way in ((0, 0, (0, 0, 1)), (90, 0, (1, 0, 0)), (0, 90, (0, 1, 0)), (-90, 0, (-1, 0, 0))):
            stage = Stage(sun=Sun(heading=heading, height=height))
            found = lights_of(frame_of(card({"picture": "full"})), stage, 0.2)
            np.testing.assert_allclose(found.sun_way, way, atol=1e-12)

    def test_only_light_that_is_added_and_of_its_own_is_cast(self):
        def power(**look):
            found = cast_light(frame_of(card({"picture": "full"} | look, tint=(2, 2, 2))).layers[0])
            return sum(float(power.sum()) for _, power in found)

        whole = power()
        self.assertGreater(whole, 0)
        self.assertAlmostEqual(power(light=Light(casts=2.0)), 2 * whole, places=6)
        self.assertAlmostEqual(power(light=Light(lit=0.25)), 0.75 * whole, places=6)
        self.assertEqual(power(light=Light(casts=0.0)), 0.0)
        for blend in ("alpha", "multiply", "cut-out"):
            self.assertEqual(power(blend=blend), 0.0)


class Glowing(unittest.TestCase):
    def test_layers_that_glow_alike_are_one_kind(self):
        one = card({"picture": "full"})
        two = replace(card({"picture": "full"}), id="00000000000000bb")
        wide = replace(card({"picture": "full", "shine": Halo(size=2.0)}), id="00000000000000cc")
        dark = replace(card({"picture": "full", "blend": "multiply"}), id="00000000000000dd")
        frame = frame_of(one, two, dark)
        kinds = glows(frame.layers)
        self.assertEqual([kind.layers for kind in kinds], [frozenset({one.id, two.id})])
        self.assertTrue(alike(frame.layers, kinds))
        mixed = frame_of(one, wide)
        self.assertEqual(len(glows(mixed.layers)), 2)
        self.assertFalse(alike(mixed.layers, glows(mixed.layers)))

    def test_what_does_not_glow_counts_only_where_it_is_bright(self):
        glowing = card({"picture": "full"})
        for tint, blend, same in (
            ((0.5, 0.5, 0.5), "alpha", True),
            ((3, 3, 3), "alpha", False),
            ((0, 0, 0), "additive", True),
            ((0.2, 0.2, 0.2), "additive", False),
        ):
            other = card({"picture": "full", "blend": blend, "shine": Halo(glow=0.0)}, tint=tint, id="00000000000000bb")
            frame = frame_of(glowing, other)
            self.assertEqual(alike(frame.layers, glows(frame.layers)), same, (tint, blend))

    def test_a_wider_glow_is_not_a_stronger_one(self):
        for size in (0.0, 0.7, 1.0, 2.0):
            kind = glows(frame_of(card({"picture": "full", "shine": Halo(size=size)})).layers)[0]
            total = sum(kind.widening**level for level in range(4)) * kind.factor(4)
            self.assertAlmostEqual(total, glows(frame_of(card({"picture": "full"})).layers)[0].factor(4) * 2.952, places=3)


class OnTheCard(unittest.TestCase):
    def test_a_picture_is_uploaded_once_and_anew_when_it_changes(self):
        made = {"ember": np.ones((8, 8, 4), np.float32)}
        context = headless()
        with context:
            textures = Textures(context, made.__getitem__)
            first = textures.picture("ember")
            self.assertIs(textures.picture("ember"), first)
            self.assertIsNot(textures.picture("ember", "red"), first)
            self.assertEqual(textures.grey("ember", "all").components, 1)
            made["ember"] = np.zeros((4, 4, 4), np.float32)
            second = textures.picture("ember")
            self.assertIsNot(second, first)
            self.assertEqual(second.size, (4, 4))
            self.assertEqual(context.error, "GL_NO_ERROR")
            textures.release()
        context.release()

    def test_the_outline_follows_channel_and_inverting(self):
        pixels = np.zeros((64, 64, 4), np.float32)
        pixels[..., 3] = 1.0
        pixels[28:36, 28:36, 0] = 1.0
        context = headless()
        with context:
            textures = Textures(context, lambda name: pixels)
            self.assertLess(area_of(textures.outline(Look(picture="x", surface=Surface(channel="red")))), 0.2)
            self.assertEqual(textures.outline(Look(picture="x", surface=Surface(channel="red", invert=True))), WHOLE)
            self.assertEqual(textures.outline(Look(picture="x", surface=Surface(channel="red", tile=(2.0, 1.0)))), WHOLE)
            textures.release()
        context.release()

    def test_a_look_has_a_shader_with_what_it_needs_and_nothing_more(self):
        now = Pass(view_of(FRONT, 9, 9), 0.0, Stage(), None, None, 9)
        plain = traits(Look(soft=0.0), now)
        self.assertEqual({name for name, value in plain.items() if value}, set())
        rich = traits(
            Look(soft=0.2, surface=Surface(second="a", warp="b", edge_glow=1.0), dissolve=Dissolve(picture="c"), light=Light(lit=1.0)),
            now,
        )
        for name in ("SOFT", "SECOND", "WARPED", "RIM", "WORN", "LIT", "RICH", "TILED"):
            self.assertEqual(rich[name], 1, name)
        counting = dataclasses.replace(now, kind=1)
        self.assertEqual(traits(Look(light=Light(lit=1.0)), counting)["LIT"], 0)
        self.assertTrue(hard(Look(blend="cut-out")))
        self.assertFalse(hard(Look(blend="cut-out", drawn_as="ribbon")))
        self.assertFalse(Look(columns=2, surface=Surface(tile=(2.0, 2.0))).tiled)


class Packing(unittest.TestCase):
    def test_lanes_drive_what_a_surface_does(self):
        lanes = tuple(
            Lane(key=k, drives=name, curve=curve((0, 0.5), (1, 0.5)))
            for k, name in enumerate(("dissolve", "burn", "edge glow", "warp", "heat shimmer", "scroll x", "streak"))
        )
        look = {
            "picture": "full",
            "surface": Surface(edge_glow=4.0, warp_by=0.2, shimmer=0.6, scroll=(1.0, 2.0)),
            "dissolve": Dissolve(amount=0.1, burn=3.0),
            "streak": 0.04,
        }
        layer = frame_of(card(look, life=Life(opacity=None, more=lanes))).layers[0]
        np.testing.assert_allclose(wearing(layer)[0], [0.6, 1.5, 2.0, 0.1], rtol=1e-5)
        row = packed(layer, view_of(FRONT, 9, 9), 0.25)[0]
        np.testing.assert_allclose(row[20:23], [0.25 + 0.5, 0.5, 0.3], rtol=1e-5)
        self.assertAlmostEqual(float(row[15]), 0.02, places=5)

    def test_lanes_over_the_distance_to_the_camera_drive_surfaces_too(self):
        lanes = tuple(
            Lane(key=k, drives=name, over="camera distance", low=0.0, high=8.0, curve=curve((0, 0.0), (1, 1.0)))
            for k, name in enumerate(("dissolve", "edge glow", "size"))
        )
        look = {"picture": "full", "surface": Surface(edge_glow=4.0), "dissolve": Dissolve(amount=0.1)}
        layer = frame_of(card(look, size=2.0, life=Life(opacity=None, more=lanes))).layers[0]
        # Four metres away is half of the axis; a smooth key's curve between two is half there as well.
        near = layer.seen_from(np.array([0.0, 2.0, 4.0]))
        np.testing.assert_allclose(wearing(near)[0, [0, 2]], [0.6, 2.0], rtol=1e-4)
        self.assertAlmostEqual(float(near.size[0, 0]), 1.0, places=4)
        self.assertEqual(layer.driven, {})

    def test_scattered_pictures_begin_apart_and_light_stays_within_its_range(self):
        look = {"picture": "full", "surface": Surface(scatter=1.0)}
        layer = frame_of(card(look, count=200, tint=(1e5, 1.0, 0.0))).layers[0]
        rows = packed(layer, view_of(FRONT, 9, 9))
        self.assertGreater(len(np.unique(rows[:, 20])), 150)
        self.assertTrue((rows[:, 20] >= 0).all() and (rows[:, 20] < 1).all())
        self.assertEqual(float(rows[:, 7].max()), BRIGHTEST)


class Beams(unittest.TestCase):
    def test_beams_hold_both_ends_and_sway_each_for_itself(self):
        anchors = (Anchor(name="left", place=(-1.0, 1.0, 0.0)), Anchor(name="right", place=(1.0, 1.5, 0.0)))
        beam = Beam(start="left", end="right", sway=0.3, sway_size=0.2, bow=(0.0, 0.0))
        layer = drip(
            look=Look(drawn_as="beam", beam=beam),
            outlet=Outlet(rate=0.0, bursts=(Burst(count=5),), shape="point"),
            birth=Birth(lifetime=fixed(9.0), speed=fixed(0.0)),
        )
        made = frame_of(layer, stage=Stage(anchors=anchors)).layers[0].strips
        self.assertEqual(made.count, 5)
        strips = made.point.reshape(5, -1, 3)
        np.testing.assert_allclose(strips[:, 0], np.broadcast_to([-1, 1, 0], (5, 3)), atol=1e-6)
        np.testing.assert_allclose(strips[:, -1], np.broadcast_to([1, 1.5, 0], (5, 3)), atol=1e-6)
        self.assertGreater(float(strips[:, strips.shape[1] // 2].std(axis=0).max()), 0.02)
        straight = np.linspace([-1, 1, 0], [1, 1.5, 0], strips.shape[1])
        self.assertLess(float(np.abs(strips - straight).max()), 0.3 * 2.1)
        alone = frame_of(replace(layer, outlet=replace(layer.outlet, bursts=(Burst(count=2),))), stage=Stage(anchors=anchors))
        np.testing.assert_array_equal(alone.layers[0].strips.point, made.point[: 2 * strips.shape[1]])


class Beginning(unittest.TestCase):
    """Every starting point draws well from its first second, and tells itself in plain words."""

    def test_a_living_picture_ships_with_each(self):
        keep = bool(os.environ.get("PALE_KEEP_GOLDEN"))
        shelf = Shelf(None)
        with offscreen(shelf.get, shelf.mesh) as renderer:
            for k, (name, start) in enumerate(starts().items()):
                path = ASSETS / "starts" / f"{name.replace(' ', '-')}.webp"
                if not keep and k % 12:
                    self.assertTrue(path.is_file(), name)
                    continue
                drawn = moving_picture(start.make(), renderer, WIDTH, HEIGHT).reshape(-1, WIDTH, 4)[..., :3]
                if keep:
                    Image.fromarray(np.ascontiguousarray(drawn)).save(path, quality=74, method=6)
                with Image.open(path) as strip:
                    self.assertLess(float(np.abs(np.asarray(strip.convert("RGB"), float) - drawn).mean()), 6.0, name)

    def test_each_is_seen_at_once_and_lacks_nothing(self):
        shelf = Shelf(None)
        with offscreen(shelf.get, shelf.mesh) as renderer:
            for name, start in starts().items():
                made = Effect(layers=start.make(), warm=True)
                known = Facts(made, Timeline(made, shelf.mesh, shelf.density), shelf.get, small_pictures(renderer))
                self.assertEqual([(finding.rule, finding.said) for finding in checked(made, known)], [], name)
                near = replace(FRONT, target=(0.0, 0.9, 0.0))
                if name == "candle flame":
                    near = replace(FRONT, target=(0.0, 0.1, 0.0), distance=0.6)
                timeline, view = Timeline(made), view_of(near, 96, 64)
                hidden = frozenset(layer.id for layer in made.layers)
                empty = renderer.picture(timeline.frame(0.0, hidden=hidden), view, Shot(), 96, 64)
                most = 0.0
                for at in (0.1, 0.4, 1.0, 2.0):
                    pixels = renderer.picture(timeline.frame(at), view, Shot(), 96, 64)
                    most = max(most, float(np.abs(pixels.astype(int) - empty.astype(int)).max()))
                # Hot air alone bends what is behind it, and there is only the ground.
                self.assertGreater(most, 1 if name == "hot air" else 6, name)
        self.assertEqual(shelf.faults, {})

    def test_the_checks_find_nothing_in_the_effects_that_ship(self):
        for path in sorted(DEMO.glob("*.pale")):
            made, shelf = load(path)[0], Shelf(path.parent)
            with offscreen(shelf.get, shelf.mesh) as renderer:
                known = Facts(made, Timeline(made, shelf.mesh, shelf.density), shelf.get, small_pictures(renderer))
                self.assertEqual([(finding.rule, finding.said) for finding in checked(made, known)], [], path.name)

    def test_each_chapter_of_each_is_a_sentence(self):
        self.assertGreaterEqual(len(starts()), 30)
        for name, start in starts().items():
            made = Effect(layers=fresh(start.make()))
            self.assertTrue(start.help.endswith("."), name)
            for layer in made.layers:
                self.assertTrue(all(rule.layer in {one.id for one in made.layers} for rule in layer.offspring.rules), name)
                for chapter in CHAPTERS:
                    told = sentence(chapter, made, layer)
                    self.assertTrue(told[0].isupper() or told[0].isdigit(), told)
                    self.assertTrue(told.endswith("."), told)

    def test_living_pictures_show_each_well_and_move(self):
        shelf = Shelf(None)
        with offscreen(shelf.get, shelf.mesh) as renderer:
            for name in ("flame", "rain with splashes", "flash", "arc", "shattering glass"):
                frames = moving_picture(starts()[name].make(), renderer, 132, 92).astype(int)
                self.assertEqual(frames.shape, (FRAMES, 92, 132, 4))
                self.assertGreater(np.abs(frames[1] - frames[-1]).max(), 40, name)
            self.assertIsNone(moving_picture(starts()["flame"].make(), renderer, 132, 92, lambda: False))


if __name__ == "__main__":
    unittest.main()
