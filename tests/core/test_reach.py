"""What a layer reaches, the stage's set pieces, files and credits, and meshes as bodies."""

import math
import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect import edit
from pale_ember.core.effect.fields import fields_of, why_idle
from pale_ember.core.effect.files import meshes_of, pictures_of
from pale_ember.core.effect.look import Solid
from pale_ember.core.effect.model import Credit, Effect, Stage
from pale_ember.core.effect.reference_props import SET_PIECES, with_set_piece
from pale_ember.core.effect.stage import Prop
from pale_ember.core.effect.surface import Dissolve, Surface
from pale_ember.core.effect.values import between
from pale_ember.core.geometry.mesh import SOLIDS, Mesh, solid, wedge
from pale_ember.core.insight.predicted_paths import gather
from pale_ember.core.simulate.timeline import Timeline
from tests.examples import Birth, Burst, Contact, Forces, Look, Outlet, drip, effect, fixed, layer_at


class Reaching(unittest.TestCase):
    def whole(self, made, identity):
        found = list(gather(made, identity))[-1]
        self.assertTrue(found.done)
        return found

    def test_births_ways_and_touches_of_falling_drops(self):
        drops = drip(
            outlet=Outlet(rate=20.0, shape="disc", radius=0.5, spread=0.0),
            birth=Birth(lifetime=fixed(3.0), speed=fixed(0.0)),
            forces=Forces(gravity=(0, -9.81, 0)),
            contact=Contact(meets="end"),
        )
        found = self.whole(effect(drops, loop=True), drops.id)
        np.testing.assert_allclose(found.births[:, 1], 2.0, atol=1e-6)
        self.assertLessEqual(float(np.hypot(found.births[:, 0], found.births[:, 2]).max()), 0.5 + 1e-6)
        self.assertGreater(len(found.births), 20)
        for path in found.paths:
            np.testing.assert_allclose(path[:, [0, 2]], np.broadcast_to(path[0, [0, 2]], (len(path), 2)), atol=1e-6)
            self.assertTrue((np.diff(path[:, 1]) <= 0).all())
        np.testing.assert_allclose(found.touches[:, 1], 0.0, atol=0.01)
        np.testing.assert_allclose(found.normals, np.broadcast_to([0, 1, 0], found.normals.shape), atol=1e-3)

    def test_looking_ahead_leaves_the_effect_as_it_was(self):
        rain = drip(outlet=Outlet(rate=10.0, shape="point"), contact=Contact(meets="bounce"))
        made = effect(rain)
        before = Timeline(made).frame(1.0).layers[0].position
        self.whole(made, rain.id)
        np.testing.assert_array_equal(Timeline(made).frame(1.0).layers[0].position, before)


class Things(unittest.TestCase):
    def test_set_pieces_stand_under_names_of_their_own_and_bring_their_lights(self):
        made = Effect()
        for name in (*SET_PIECES, "lamp post", "crate"):
            made = with_set_piece(made, name)
        names = [prop.name for prop in made.stage.props]
        self.assertEqual(len(names), len(set(names)))
        self.assertEqual([lamp.name for lamp in made.stage.lamps], ["lamp", "lamp 2"])

    def test_a_ramp_is_touched_on_its_slope(self):
        ramp = Prop(name="slipway", shape="ramp", size=(4.0, 2.0, 4.0), place=(0.0, 1.0, 0.0))
        fall = drip(place=(0.0, 3.0, 0.0), forces=Forces(gravity=(0, -9.81, 0)), contact=Contact(meets="stick", radius=0.0))
        one = layer_at(effect(fall, stage=Stage(props=(ramp,))), 2.0)
        # In its middle the slope is half as high as at its back.
        np.testing.assert_allclose(one.position[0], [0.0, 1.0, 0.0], atol=0.01)
        shape = wedge((4.0, 2.0, 4.0))
        slope = shape.normals()[np.argmax(shape.normals()[:, 1] * shape.normals()[:, 2])]
        np.testing.assert_allclose(slope, [0, 2 / math.sqrt(5), 1 / math.sqrt(5)], atol=1e-9)

    def test_every_picture_and_mesh_that_is_used_is_named_once(self):
        surface = Surface(second="library:clouds", warp="drift.png")
        one = drip(look=Look(picture="ember.png", surface=surface, dissolve=Dissolve(picture="drift.png")))
        other = drip(id="00000000000000bb", look=Look(drawn_as="mesh", solid=Solid(mesh="rock.glb#lid")))
        stage = Stage(background="picture", picture="night.exr", props=(Prop(shape="mesh", mesh="solid:kiln arch"),))
        made = effect(one, other, stage=stage)
        self.assertEqual(pictures_of(made), ["ember.png", "library:clouds", "drift.png", "library:soft dot", "night.exr"])
        self.assertEqual(meshes_of(made), ["rock.glb#lid", "solid:kiln arch"])

    def test_credits_are_kept_changed_and_let_go_of(self):
        made = edit.with_credit(Effect(), Credit(file="ember.png", author="E. Ling", licence="CC0"))
        self.assertEqual(edit.credit_of(made, "ember.png").author, "E. Ling")
        made = edit.with_credit(made, Credit(file="ember.png", author="E. Ling", licence="CC BY 4.0"))
        self.assertEqual([one.licence for one in made.credits], ["CC BY 4.0"])
        self.assertEqual(edit.with_credit(made, Credit(file="ember.png")).credits, ())
        self.assertEqual(edit.credit_of(made, "other.png"), Credit(file="other.png"))


class Bodies(unittest.TestCase):
    def test_corners_are_shaded_round_below_the_angle_and_sharp_above(self):
        block = solid("box")
        sharp = block.shaded(40.0)
        np.testing.assert_allclose(sharp, np.repeat(block.normals()[:, None], 3, axis=1), atol=1e-9)
        round_ = block.shaded(120.0)
        diagonal = np.sign(block.corners() - [0, 0.5, 0]) / math.sqrt(3)
        self.assertGreater(float((round_ * diagonal).sum(axis=2).min()), 0.9)
        ball = solid("sphere")
        outward = ball.corners() / np.maximum(np.linalg.norm(ball.corners(), axis=2, keepdims=True), 1e-9)
        agree = (np.abs((ball.shaded(180.0) * outward).sum(axis=2))).min()
        self.assertGreater(float(agree), 0.98)

    def test_every_solid_is_whole(self):
        for name in SOLIDS:
            mesh = solid(name)
            self.assertTrue(np.isfinite(mesh.points).all(), name)
            self.assertLess(int(mesh.faces.max()), len(mesh.points))
            self.assertTrue((mesh.areas() > 0).all(), name)
            np.testing.assert_allclose(np.linalg.norm(mesh.shaded(40.0), axis=2), 1.0, atol=1e-6)
            if mesh.coords is not None:
                self.assertEqual(mesh.coords.shape, (len(mesh.points), 2))

    def test_points_apart_in_a_file_but_at_one_place_are_shaded_as_one(self):
        points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 0, 0], [1, 1, 0.2], [0, 1, 0]], float)
        folded = Mesh(points, np.array([[0, 1, 2], [3, 4, 5]]))
        one, other = folded.shaded(90.0)
        np.testing.assert_allclose(one[1], other[0], atol=1e-9)
        one, other = folded.shaded(1.0)
        self.assertGreater(float(np.abs(one[1] - other[0]).max()), 0.05)


class Frames(unittest.TestCase):
    def sheet(self, count=400, at=1.0, frame=None, **look):
        one = drip(
            outlet=Outlet(rate=0.0, bursts=(Burst(count=count),), shape="point", limit=count),
            birth=Birth(lifetime=fixed(10.0), speed=fixed(0.0), frame=frame or fixed(0.0)),
            look=Look(columns=4, rows=4, **look),
        )
        return layer_at(effect(one), at)

    def test_flicker_draws_another_frame_each_tick_and_keeps_it_between(self):
        looks = [self.sheet(at=at, play="flicker", fps=10.0).frame for at in (0.52, 0.57, 0.62)]
        np.testing.assert_array_equal(looks[0], looks[1])
        self.assertGreater(float((looks[1] != looks[2]).mean()), 0.85)
        counts = np.bincount(looks[2].astype(int), minlength=16)
        self.assertEqual(len(counts), 16)
        # Four hundred throws of a die with sixteen sides.
        self.assertLess(float(((counts - 25.0) ** 2 / 25.0).sum()), 40.0)

    def test_the_first_frame_is_drawn_once_and_added_whole(self):
        still = self.sheet(play="by clock", fps=0.0, frame=fixed(5.0)).frame
        np.testing.assert_allclose(still, 5.0, atol=1e-3)
        drawn = self.sheet(play="by clock", fps=0.0, frame=between(0.0, 16.0)).frame
        self.assertEqual(set(np.unique(drawn.astype(int))), set(range(16)))
        later = self.sheet(at=3.0, play="by clock", fps=0.0, frame=between(0.0, 16.0)).frame
        np.testing.assert_array_equal(drawn, later)
        over = self.sheet(at=5.0, frame=fixed(12.0)).frame
        np.testing.assert_allclose(over, (0.5 * 16 + 12) % 16, atol=0.01)

    def test_looks_move_nothing(self):
        plain = drip(outlet=Outlet(rate=50.0), forces=Forces(gravity=(0, -1, 0)))
        changed = replace(plain, look=Look(drawn_as="mesh", surface=Surface(shimmer=1.0), blend="cut-out"))
        np.testing.assert_array_equal(layer_at(effect(plain), 1.0).position, layer_at(effect(changed), 1.0).position)


class Checks(unittest.TestCase):
    def test_fields_say_what_they_need_of_the_look(self):
        def reason(name, **look):
            need = why_idle(fields_of(Look)[name].field, drip(look=Look(**look)))
            return need.reason if need else ""

        self.assertEqual(reason("facing"), "")
        self.assertIn("Strips", reason("facing", drawn_as="beam"))
        self.assertIn("Only sprites", reason("columns", drawn_as="mesh"))
        self.assertIn("single frame", reason("play"))
        self.assertEqual(reason("play", columns=2), "")
        shimmer = fields_of(Surface)["shimmer"].field
        self.assertIsNone(why_idle(shimmer, drip()))
        self.assertIn("shift what lies behind", why_idle(shimmer, drip(look=Look(drawn_as="beam"))).reason)
