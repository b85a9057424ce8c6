"""What looks do to pixels: channels, second pictures, edges, light, glow, haze, frames, views; and golden pictures."""

import os
import unittest
from pathlib import Path
from typing import Literal, get_args, get_origin

import numpy as np
from msgspec.structs import replace
from PIL import Image

from pale_ember.core.effect.chapters import Life, Look
from pale_ember.core.effect.fields import Part, fields_of
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.look import Solid
from pale_ember.core.effect.model import Stage
from pale_ember.core.effect.stage import Pose, Prop, Sun
from pale_ember.core.effect.strips import Beam
from pale_ember.core.effect.surface import Dissolve, Halo, Light, Surface
from pale_ember.core.effect.values import Range, curve, gradient
from pale_ember.core.geometry.mesh import SOLIDS
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.light import to_coded, to_linear
from pale_ember.core.texture.sheet import SheetPlan
from pale_ember.core.texture.tones import toned
from pale_ember.core.view import view_of
from pale_ember.draw.context import finisher, headless
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.packing import packed
from pale_ember.draw.renderer import DIMMED, TONES, Renderer, Shot
from pale_ember.draw.sheets import draw_sheet
from pale_ember.formats.document import load
from pale_ember.formats.shelf import Shelf
from tests.draw.drawn import FRONT, Drawn, card, pictures
from tests.examples import DEMO, SMALL_FIRE, Outlet, drip, effect, fixed

GOLDEN = Path(__file__).parent / "golden"
TINT = np.array([0.4, 0.2, 0.1])
NO_SUN = Stage(ground=False, sun=Sun(power=0.0), tone="filmic")


class Looks(Drawn):
    def drawn(self, *layers, at=1.0, camera=FRONT, size=64, stage=NO_SUN, **shot):
        made = effect(*layers, stage=stage)
        given = Shot(**({"background": "none", "alpha": "premultiplied", "stage": stage} | shot))
        pixels = self.renderer.picture(Timeline(made).frame(at), view_of(camera, size, size), given, size, size)
        self.assertEqual(self.context.error, "GL_NO_ERROR")
        return pixels.astype(float) / 255

    def middle(self, *layers, **how):
        """Linear light of the middle pixel before the tone curve."""
        toned = to_linear(self.drawn(*layers, **how)[32, 32, :3])
        return -np.log(1 - np.minimum(toned, 1 - 1e-6))

    def test_one_channel_becomes_white_cover_and_inverting_turns_light_about(self):
        for channel, value in (("red", 0.6), ("green", 0.1), ("alpha", 1.0)):
            layer = card({"picture": "red", "surface": Surface(channel=channel)}, opacity=1.0)
            np.testing.assert_allclose(self.middle(layer), TINT * value, atol=0.01)
            turned = card({"picture": "red", "surface": Surface(channel=channel, invert=True)})
            np.testing.assert_allclose(self.middle(turned), TINT * (1 - value), atol=0.01)
        whole = card({"picture": "red", "surface": Surface(invert=True)})
        np.testing.assert_allclose(self.middle(whole), TINT * to_linear(np.array([0.4, 0.9, 1.0])), atol=0.01)

    def test_a_second_picture_multiplies_the_first(self):
        layer = card({"picture": "half", "surface": Surface(second="quarters", second_scroll=(0.25, 0.25))})
        # The second lies shifted by a quarter after a second: its first quarter, 0.1, is in the middle.
        np.testing.assert_allclose(self.middle(layer), TINT * 0.5 * 0.1, atol=0.004)

    def test_the_edge_glow_brightens_rims_and_leaves_the_floor(self):
        layer = card({"picture": "full", "surface": Surface(edge_glow=3.0, edge_width=0.5, edge_floor=0.25)}, size=2.0)
        pixels = -np.log(1 - np.minimum(to_linear(self.drawn(layer)[32, :, 0]), 1 - 1e-6))
        self.assertAlmostEqual(float(pixels[32]), 0.4 * 0.25, delta=0.01)
        across = 2.0 / (2 * 4 * np.tan(np.radians(20))) * 64
        for column in range(32, 32 + int(across / 2) - 1):
            off = (column + 0.5 - 32) / (across / 2)
            turned = 1 - np.sqrt(max(1 - off**2, 0))
            rim = np.clip((turned - 0.5) / 0.5, 0, 1) ** 2
            self.assertAlmostEqual(float(pixels[column]), 0.4 * (0.25 + 3 * rim), delta=0.03)

    def test_lit_particles_take_sun_and_sky_and_a_share_is_a_share(self):
        sun = Stage(ground=False, sun=Sun(power=2.0, heading=0.0, height=0.0, tint=(1.0, 0.5, 0.0), sky=1.0), tone="filmic")
        looked = {"picture": "full", "light": Light(lit=1.0, bulge=0.0, casts=0.0)}
        # The sun stands behind the camera, square to the card; half sky and half ground from the side.
        ambient = 0.20 * np.array([1.36, 1.33, 1.30]) / 2
        expected = TINT * (ambient + np.array([2.0, 1.0, 0.0]))
        np.testing.assert_allclose(self.middle(card(looked), stage=sun), expected, rtol=0.03, atol=0.01)
        half = looked | {"light": Light(lit=0.5, bulge=0.0, casts=0.0)}
        np.testing.assert_allclose(self.middle(card(half), stage=sun), (TINT + expected) / 2, rtol=0.03, atol=0.01)

    def test_light_of_its_own_is_added_whatever_falls_on_it_each_over_age(self):
        night = Stage(ground=False, sun=Sun(power=0.0, sky=0.0), tone="filmic")
        colours = gradient((0, (1.0, 0.5, 0.1)), (1, (1.0, 0.0, 0.0)))
        light = Light(lit=1.0, self_lit=0.6, self_colour=colours, casts=0.0)
        # A dark red card, one second of nine old, that nothing falls on.
        glowing = card({"picture": "full", "blend": "alpha", "light": light}, tint=(0.1, 0.0, 0.0))
        shone = 0.6 * colours.at(np.array([1 / 9]))[0]
        np.testing.assert_allclose(self.middle(glowing, stage=night), shone, atol=0.02)
        lane = Lane(drives="self-lit", curve=curve((0, 0.5), (1, 0.5)))
        dimmer = replace(glowing, life=Life(opacity=None, more=(lane,)))
        np.testing.assert_allclose(self.middle(dimmer, stage=night), shone * 0.5, atol=0.02)

    def test_a_streak_may_be_drawn_for_each_particle(self):
        layer = card({"picture": "full", "facing": "along motion", "streak": Range(choices=(0.0, 0.1))}, count=400)
        shown = Timeline(effect(layer)).frame(0.5).layers[0]
        streaks = shown.streaks()
        self.assertEqual(sorted(set(streaks.tolist())), [0.0, 0.1])
        self.assertAlmostEqual(float(streaks.mean()), 0.05, delta=0.01)
        view = view_of(FRONT, 64, 64)
        np.testing.assert_allclose(packed(shown, view)[:, 15], streaks, rtol=1e-6)

    def test_light_that_one_layer_casts_falls_on_another(self):
        dark = card({"picture": "full", "blend": "alpha", "light": Light(lit=1.0)}, tint=(1, 1, 1))
        fire = card(
            {"picture": "full", "shine": Halo(glow=0.0)}, tint=(30.0, 10.0, 1.0), size=0.3, place=(0.0, 2.6, 1.0), id="00000000000000bb"
        )
        cold, warm = self.middle(dark), self.middle(dark, fire)
        self.assertGreater(float(warm[0]), float(cold[0]) + 0.08)
        unlit = replace(fire, look=replace(fire.look, light=Light(casts=0.0)))
        np.testing.assert_allclose(self.middle(dark, unlit), cold, atol=1e-3)

    def test_solid_layers_hide_by_depth_whatever_their_order(self):
        near = card({"picture": "full", "blend": "cut-out"}, place=(0.0, 2.0, 0.5), tint=(0.1, 0.5, 0.1))
        far = card({"picture": "full", "blend": "cut-out"}, place=(0.0, 2.0, -0.5), tint=(0.5, 0.1, 0.1), id="00000000000000bb")
        added = card({"picture": "full"}, place=(0.0, 2.0, -1.0), tint=(3, 3, 3), id="00000000000000cc")
        for order in ((near, far, added), (added, far, near), (far, added, near)):
            np.testing.assert_allclose(self.middle(*order), [0.1, 0.5, 0.1], atol=0.01)

    def test_meshes_are_drawn_at_their_size_turned_and_in_front_of_what_they_hide(self):
        def body(**parts):
            look = {"picture": "full", "drawn_as": "mesh", "blend": "cut-out", "facing": "free", "cut": 0.0}
            return card(look | parts, size=1.0)

        block = self.drawn(body(solid=Solid(mesh="solid:box")))[..., 3] > 0.5
        metre = 64 / (2 * 4 * np.tan(np.radians(20))) * 4 / 3.5  # its front is half a metre nearer
        self.assertAlmostEqual(int(block.any(axis=0).sum()), metre, delta=1.5)
        self.assertAlmostEqual(int(block.any(axis=1).sum()), metre, delta=1.5)
        ring = self.drawn(body(solid=Solid(mesh="solid:ring")))[..., 3] > 0.5
        self.assertLess(int(ring.any(axis=1).sum()), 4)
        foot = self.drawn(body(solid=Solid(mesh="solid:box"), pivot=-1.0))[..., 3] > 0.5
        self.assertLess(int(np.flatnonzero(foot.any(axis=1))[-1]), 36)

    def test_what_is_free_turns_with_all_that_carries_its_layer(self):
        flat = {"picture": "full", "facing": "free"}
        mast = drip(id="00000000000000cc", outlet=Outlet(rate=0.0), turn=(0.0, 90.0, 0.0), place=(0.0, 0.0, 0.0))
        rider = card(flat, tint=(9, 9, 9), size=1.0, rides_on=mast.id)
        keyed = card(flat, tint=(9, 9, 9), size=1.0, keys=(Pose(at=0.0), Pose(at=1.0, turn=(0.0, 90.0, 0.0))))
        for layers, wide in (((rider, mast), False), ((replace(rider, rides_on=""),), True), ((keyed,), False)):
            lit = self.drawn(*layers)[..., 3] > 0.5
            self.assertEqual(int(lit.any(axis=0).sum()) > 15, wide)

    def test_faces_are_seen_from_the_side_that_is_asked_for(self):
        for name in ("tube", "box", "sphere", "shard", "rock", "cone", "spike", "skirt"):
            painted = []
            for sides in ("both", "outside", "inside"):
                look = {"picture": "full", "drawn_as": "mesh", "facing": "free", "solid": Solid(mesh=f"solid:{name}", sides=sides)}
                frame = Timeline(effect(card(look, size=1.0))).frame(1.0)
                shot = Shot(background="none", shows="overdraw")
                pixels = self.renderer.picture(frame, view_of(replace(FRONT, pitch=20.0), 64, 64), shot, 64, 64)
                painted.append(int((pixels[..., 1] > 20).sum()))
            self.assertGreater(painted[0], 15, name)
            self.assertLessEqual(max(painted[1:]), painted[0], name)
            # What is closed shows as much from its outside as from both.
            if name in ("box", "sphere", "shard", "rock", "spike"):
                self.assertAlmostEqual(painted[1], painted[0], delta=0.03 * painted[0] + 3, msg=name)

    def test_bands_are_eaten_by_the_lanes_of_their_particles(self):
        look = {
            "picture": "full",
            "drawn_as": "beam",
            "beam": Beam(reach=(0.0, 0.0, 0.0), bow=(0.0, 0.0)),
            "dissolve": Dissolve(picture="grey", softness=0.2),
        }
        look["beam"] = replace(look["beam"], reach=(1.0, 0.0, 0.0))
        lane = Lane(drives="dissolve", curve=curve((0, 0.0), (1, 1.0)))
        layer = card(look, size=0.4, place=(-0.5, 2.0, 0.0), life=Life(opacity=None, more=(lane,)))
        left = [float(self.middle(layer, at=at)[0]) for at in (0.5, 8.5)]
        self.assertAlmostEqual(left[0], 0.4, delta=0.01)
        self.assertAlmostEqual(left[1], 0.0, delta=0.01)

    def test_light_that_is_added_needs_no_order(self):
        rng = np.random.default_rng(5)
        cards = [
            card({"picture": "half"}, tint=tuple(rng.uniform(0, 0.3, 3)), place=(0.0, 2.0, float(rng.uniform(-1, 1))), id=f"{k:016x}")
            for k in range(1, 7)
        ]
        first = self.drawn(*cards)
        for _ in range(3):
            rng.shuffle(cards)
            np.testing.assert_allclose(self.drawn(*cards), first, atol=1.5 / 255)

    def test_any_look_that_can_be_written_is_drawn_without_errors(self):
        rng = np.random.default_rng(11)
        names = ["full", "half", "grey", "red", "frames", ""]

        def any_value(declared):
            kind, field = declared.type, declared.field
            if get_origin(kind) is Literal:
                return str(rng.choice(get_args(kind)))
            if isinstance(kind, type) and issubclass(kind, Part):
                return any_part(kind)
            low, high = field.soft or (0.0, 1.0)
            if kind in (int, float):
                value = float(rng.choice([low, high, rng.uniform(low, high), field.least or low, min(field.most or high, 1e4)]))
                return int(max(value, field.least or 0)) if kind is int else value
            if kind is bool:
                return bool(rng.integers(2))
            if kind is str:
                return {"picture": str(rng.choice(names)), "mesh": f"solid:{rng.choice(sorted(SOLIDS))}"}.get(field.names, "")
            if get_origin(kind) is tuple and set(get_args(kind)) == {float}:
                return tuple(float(v) for v in rng.uniform(low, high, len(get_args(kind))))
            return declared.default

        def any_part(kind):
            made = {name: any_value(declared) for name, declared in fields_of(kind).items() if rng.random() < 0.5}
            return kind(**made)

        for _ in range(60):
            look = replace(any_part(Look), picture=str(rng.choice(names[:-1])), columns=int(rng.integers(1, 5)))
            layer = card({}, count=3, size=float(rng.choice([0.0, 0.5, 40.0])), tint=(1e4, 1.0, 0.0))
            layer = replace(layer, look=look, birth=replace(layer.birth, speed=fixed(1.0)))
            shows = str(rng.choice(["picture", "overdraw", "opacity", "wireframe"]))
            pixels = self.drawn(layer, background=str(rng.choice(["none", "dark", "checker"])), shows=shows)
            self.assertTrue(np.isfinite(pixels).all())

    def test_frames_are_mixed_cut_or_carried_by_vectors(self):
        sheet = {"picture": "frames", "columns": 2, "rows": 2, "play": "by clock", "fps": 1.0}

        def seen(**look):
            layer = card(sheet | look, tint=(1, 1, 1))
            return float(self.middle(layer, at=1.5)[0])

        self.assertAlmostEqual(seen(), 0.5 * (0.3 + 0.5), delta=0.01)
        self.assertAlmostEqual(seen(between="cut"), 0.3, delta=0.01)
        self.assertAlmostEqual(seen(between="along vectors", vectors="still vectors"), 0.4, delta=0.01)

    def test_glow_is_chosen_per_layer(self):
        bright = card({"picture": "full"}, tint=(8, 8, 8), size=0.3)
        dark = replace(bright, look=replace(bright.look, shine=Halo(glow=0.0)))
        beside = (slice(30, 34), slice(46, 50), slice(0, 3))
        self.assertGreater(float(self.drawn(bright)[beside].mean()), 0.03)
        self.assertEqual(float(self.drawn(dark)[beside].max()), 0.0)
        high = replace(bright, look=replace(bright.look, shine=Halo(threshold=9.0)))
        self.assertEqual(float(self.drawn(high)[beside].max()), 0.0)
        # Beside a layer that does not glow, a layer of its own kind still does.
        other = card({"picture": "full", "shine": Halo(glow=0.0)}, tint=(8, 8, 8), size=0.3, place=(0.0, 3.0, 0.0), id="00000000000000bb")
        two = self.drawn(bright, other)
        self.assertGreater(float(two[beside].mean()), 0.02)
        self.assertLess(float(two[8:12, 50:54, :3].max()), float(two[beside].mean()))

    def test_haze_shifts_what_lies_behind_and_only_that(self):
        edge = card({"picture": "full"}, tint=(1, 1, 1), size=1.0, place=(0.6, 2.0, -0.5))
        hot = card(
            {"picture": "quarters", "surface": Surface(shimmer=0.4), "light": Light(casts=0.0)},
            tint=(0, 0, 0),
            size=2.0,
            id="00000000000000bb",
        )
        still = replace(hot, look=replace(hot.look, surface=Surface()))
        plain, shifted = self.drawn(edge, still)[..., :3], self.drawn(edge, hot)[..., :3]
        self.assertGreater(float(np.abs(plain - shifted).max()), 0.2)
        before = self.drawn(still, edge)[..., :3]
        np.testing.assert_allclose(self.drawn(hot, edge)[..., :3], before, atol=0.01)

    def test_tone_exposure_and_fog_follow_their_formulas(self):
        layer = card({"picture": "full", "blend": "alpha"})
        plain = self.drawn(layer, stage=replace(NO_SUN, tone="clipped", exposure=1.0))[32, 32, :3]
        np.testing.assert_allclose(plain, to_coded(2 * TINT), atol=0.01)
        for tone in TONES:
            for exposure in (-2.0, 0.0, 1.0, 5.0):
                shown = self.drawn(layer, stage=replace(NO_SUN, tone=tone, exposure=exposure))[32, 32, :3]
                np.testing.assert_allclose(shown, to_coded(toned(TINT * 2**exposure, tone)), atol=0.01, err_msg=f"{tone} {exposure}")

    def test_bright_orange_stays_orange_and_goes_to_white(self):
        light = np.array([1.0, 0.3, 0.04]) * 2.0 ** np.linspace(-3, 9, 60)[:, None]
        shown = toned(light, "aces")
        self.assertTrue((np.diff(shown, axis=0) >= -1e-3).all(), "no channel turns back")
        self.assertTrue((shown[:, 0] >= shown[:, 1] - 1e-9).all() and (shown[:, 1] >= shown[:, 2]).all(), "never green, never pink")
        self.assertGreater(shown[-1].min(), 0.97)

    def test_fog_keeps_back_what_lies_far(self):
        layer = card({"picture": "full", "blend": "alpha"})
        foggy = replace(NO_SUN, fog=0.2, fog_tint=(0.1, 0.2, 0.3))
        clear = np.exp(-0.2 * 4.0)
        np.testing.assert_allclose(self.middle(layer, stage=foggy), TINT * clear + np.array([0.1, 0.2, 0.3]) * (1 - clear), atol=0.01)

    def test_a_shadow_darkens_the_ground_below_it(self):
        stage = Stage(sun=Sun(power=0.0), background="mid")
        above = replace(FRONT, pitch=40.0, target=(0.0, 0.5, 0.0))
        dark = card({"picture": "half", "blend": "alpha", "light": Light(shadow=0.9)}, place=(0.0, 0.5, 0.0), size=0.8, opacity=0.9)
        none = replace(dark, look=replace(dark.look, light=Light()))
        shots = [self.drawn(one, stage=stage, background="mid", camera=above)[..., :3] for one in (dark, none)]
        self.assertGreater(float((shots[1] - shots[0]).max()), 0.05)
        self.assertGreaterEqual(float((shots[1] - shots[0]).min()), -0.01)

    def test_the_views_count_show_and_dim(self):
        thrice = card({"picture": "full"}, count=3, size=1.0)
        mean, most = self.renderer.overdraw(Timeline(effect(thrice)).frame(1.0), view_of(FRONT, 64, 64), Shot(background="none"), 64, 64)
        self.assertEqual((round(mean, 2), most), (3.0, 3))
        shown = self.drawn(card({"picture": "half", "blend": "alpha"}, size=1.0), shows="silhouette")
        self.assertEqual(float(shown[32, 32, 0]), 1.0)
        self.assertEqual(float(shown[2, 2, 0]), 0.0)
        cover = self.drawn(card({"picture": "half", "blend": "alpha"}, opacity=0.5), shows="opacity")
        self.assertAlmostEqual(float(cover[32, 32, 0]), 0.25, delta=0.01)
        one = card({"picture": "full"})
        np.testing.assert_allclose(self.middle(one, alone="another"), TINT * DIMMED, atol=0.005)
        red = self.drawn(one, shows="red", alpha="opaque")[32, 32]
        self.assertEqual(float(red[0]), float(red[2]))
        wires = self.drawn(card({"picture": "full"}, size=1.5), shows="wireframe")
        self.assertLess(float((wires[..., 0] > 0.3).mean()), 0.12)
        self.assertGreater(float((wires[..., 0] > 0.3).mean()), 0.01)

    def test_backgrounds_are_what_they_say(self):
        empty = card({"picture": "full"}, opacity=0.0)
        slope = Stage(ground=False, background="gradient", bottom=(0.5, 0, 0), top=(0, 0, 0.5))
        seen = self.drawn(empty, stage=slope, background="gradient")
        self.assertGreater(seen[60, 32, 0], seen[4, 32, 0] + 0.3)
        self.assertGreater(seen[4, 32, 2], seen[60, 32, 2] + 0.3)
        squares = self.drawn(empty, stage=Stage(ground=False, tone="filmic"), background="checker")
        self.assertEqual(len(np.unique((squares[..., 0] * 20).round())), 2)
        plate = Stage(ground=False, background="picture", picture="quarters", tone="filmic")
        seen = -np.log(1 - to_linear(self.drawn(empty, stage=plate, background="picture")[..., 0]))
        for place, value in (((8, 8), 0.1), ((8, 56), 0.2), ((56, 8), 0.4), ((56, 56), 0.8)):
            self.assertAlmostEqual(float(seen[place]), value, delta=0.02)
        ramp = Stage(props=(Prop(shape="ramp", size=(4, 3, 4), place=(0, 1.5, 0)),))
        seen, bare = (self.drawn(empty, stage=stage, background="mid")[..., 0] for stage in (ramp, Stage()))
        self.assertGreater(float(np.abs(seen - bare)[30:44, 24:40].mean()), 0.05)


class Demos(unittest.TestCase):
    """Every effect that comes with us, against pictures kept when it was last looked at."""

    def test_each_looks_as_it_did(self):
        for path in sorted(DEMO.glob("*.pale")):
            with self.subTest(path.stem):
                made, notices = load(path)
                self.assertEqual(notices, [])
                shelf = Shelf(path.parent)
                frame = Timeline(made, shelf.mesh, shelf.density).frame(0.4 if not made.loop else 2.0)
                view = view_of(made.stage.cameras[0], 128, 80)
                with offscreen(shelf.get, shelf.mesh) as renderer:
                    shot = Shot(stage=made.stage, background=made.stage.background)
                    pixels = renderer.picture(frame, view, shot, 128, 80)[..., :3]
                self.assertEqual(shelf.faults, {})
                kept = GOLDEN / f"{path.stem}.png"
                if os.environ.get("PALE_KEEP_GOLDEN"):
                    Image.fromarray(pixels.copy()).save(kept)
                truth = np.asarray(Image.open(kept).convert("RGB"), float)
                # Another driver may round otherwise: a mean of 2 in 255, and no more than a hundredth far off.
                apart = np.abs(pixels.astype(float) - truth)
                self.assertLess(apart.mean(), 2.0)
                self.assertLess((apart.max(axis=2) > 24).mean(), 0.01)

    def test_a_baked_sheet_is_lit_as_on_its_stage(self):
        bright = Stage(sun=Sun(power=2.0, heading=0.0, height=0.0, tint=(1.0, 1.0, 1.0)), fog=1.0)
        layer = card({"picture": "full", "blend": "alpha", "light": Light(lit=1.0, bulge=0.0)}, tint=(0.5, 0.5, 0.5))
        plan = SheetPlan(frames=1, columns=1, cell=32, first=0.0, last=1.0, alpha="straight")
        light = []
        for stage in (bright, replace(bright, sun=Sun(power=0.0))):
            sheet, _ = draw_sheet(Timeline(effect(layer, stage=stage)), FRONT, plan, pictures)
            light.append(int(sheet.pixels[16, 16, 0]))
            self.assertEqual(int(sheet.pixels[16, 16, 3]), 255)
        self.assertGreater(light[0], light[1] + 60)

    def test_a_view_is_fitted_so_that_no_frame_is_cut_and_the_fullest_fills(self):
        fire, _ = load(SMALL_FIRE)
        plan = SheetPlan(frames=8, columns=4, cell=64, last=2.0)
        near = replace(FRONT, heading=70.0, pitch=12.0, distance=0.4)
        cut, _ = draw_sheet(Timeline(fire), near, plan, Shelf(None).get)
        self.assertTrue(cut.clipped)
        sheet, camera = draw_sheet(Timeline(fire), near, plan, Shelf(None).get, fits=True)
        self.assertEqual(sheet.clipped, ())
        self.assertEqual((camera.heading, camera.pitch, camera.fov), (near.heading, near.pitch, near.fov))
        seen = np.max([sheet.cell_at(i)[..., 3] for i in range(8)], axis=0) > 3
        widest = max(np.ptp(np.flatnonzero(seen.any(axis=axis))) + 1 for axis in (0, 1))
        self.assertGreaterEqual(widest, 0.84 * 64)
        nothing = draw_sheet(Timeline(effect()), near, plan, Shelf(None).get, fits=True)
        self.assertEqual(nothing[1], near)

    def test_a_hundred_rounds_leave_nothing_behind(self):
        made, _ = load(DEMO / "harbour-beacon.pale")
        frame = Timeline(made).frame(1.0)
        view, shelf = view_of(made.stage.cameras[0], 48, 30), Shelf(None)

        def memory():
            fields = dict(line.split(":", 1) for line in Path("/proc/self/status").read_text().splitlines())
            return int(fields["VmRSS"].split()[0]) / 1024

        context = headless()
        with context:
            for round_ in range(100):
                renderer = Renderer(context, shelf.get, finisher())
                if round_ % 10 == 0:
                    renderer.picture(frame, view, Shot(stage=made.stage), 48, 30)
                renderer.release()
                if round_ == 50:
                    begun = memory()
            self.assertEqual(context.error, "GL_NO_ERROR")
            self.assertLess(memory() - begun, 6)
        context.release()


if __name__ == "__main__":
    unittest.main()
