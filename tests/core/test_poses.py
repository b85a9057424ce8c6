"""Layers on layers on carriers: places, turns, what newborns take along, ribbons and beams."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.look import Beam, Ribbon
from pale_ember.core.effect.model import Pose, Stage
from pale_ember.core.effect.pose_keys import posed
from pale_ember.core.effect.stage import Anchor, Carrier
from pale_ember.core.effect.values import Key, curve, gradient, sample_keys
from pale_ember.core.simulate.plan import turn_matrix
from pale_ember.core.simulate.poses import Poses, turns, upright_to
from pale_ember.core.simulate.timeline import Timeline
from tests.examples import Birth, Burst, Forces, Look, Outlet, drip, effect, fixed, layer_at

STRAIGHT = (Pose(at=0.0, ease="straight"), Pose(at=2.0, place=(4.0, 0.0, 0.0), turn=(0.0, 90.0, 0.0), scale=3.0, ease="straight"))


class Frames(unittest.TestCase):
    def test_turns_are_rotations_and_agree_with_the_single_one(self):
        angles = np.random.default_rng(1).uniform(-180, 180, (50, 3))
        made = turns(angles)
        np.testing.assert_allclose(made @ made.transpose(0, 2, 1), np.broadcast_to(np.eye(3), made.shape), atol=1e-12)
        np.testing.assert_allclose(made[7], turn_matrix(tuple(angles[7])), atol=1e-6)
        x, y, z = np.radians(angles[3])
        about_x = np.array([[1, 0, 0], [0, np.cos(x), -np.sin(x)], [0, np.sin(x), np.cos(x)]])
        about_y = np.array([[np.cos(y), 0, np.sin(y)], [0, 1, 0], [-np.sin(y), 0, np.cos(y)]])
        about_z = np.array([[np.cos(z), -np.sin(z), 0], [np.sin(z), np.cos(z), 0], [0, 0, 1]])
        np.testing.assert_allclose(made[3], about_y @ about_x @ about_z, atol=1e-12)

    def test_upright_turns_y_to_the_way(self):
        ways = np.array([[1.0, 0, 0], [0, -2, 0], [0.3, 0.4, -0.5], [0, 0, 0]])
        made = upright_to(ways, np.broadcast_to(np.eye(3), (4, 3, 3)))
        for turn, way in zip(made[:3], ways, strict=False):
            np.testing.assert_allclose(turn[:, 1], way / np.linalg.norm(way), atol=1e-9)
            self.assertAlmostEqual(float(np.linalg.det(turn)), 1.0)
        np.testing.assert_array_equal(made[3], np.eye(3))

    def test_a_child_moves_with_its_parent_and_the_carrier(self):
        base = drip(id="00000000000000a1", name="barge", place=(0.0, 0.0, 0.0), keys=STRAIGHT)
        rider = drip(rides_on=base.id, place=(1.0, 0.0, 0.0))
        made = effect(base, rider, stage=Stage(carrier=Carrier(moves="to and fro", reach=2.0, period=8.0)))
        frames = Poses(made).layer(rider, np.array([0.0, 2.0]))
        np.testing.assert_allclose(frames.place[0], [1, 0, 0], atol=1e-9)
        # Three times as large, turned by 90° about Y, 4 m on by its keys and 1 m by the carrier.
        np.testing.assert_allclose(frames.place[1], [5, 0, -3], atol=1e-9)
        ring = (replace(base, rides_on=rider.id), rider)
        self.assertEqual(len(Poses(effect(*ring)).chain(rider)), 2)

    def test_turning_with_travel_and_with_a_target(self):
        keys = (Pose(at=0.0, ease="straight"), Pose(at=2.0, place=(4.0, 0.0, 4.0), ease="straight"))
        layer = drip(keys=keys, turns_with="travel")
        way = Poses(effect(layer)).layer(layer, np.array([1.0])).turn[0][:, 1]
        np.testing.assert_allclose(way, np.array([1, 0, 1]) / np.sqrt(2), atol=1e-6)
        aimed = drip(turns_with="target", target=(3.0, 2.0, 4.0))
        np.testing.assert_allclose(Poses(effect(aimed)).layer(aimed, np.array([0.0])).turn[0][:, 1], [0.6, 0, 0.8], atol=1e-9)

    def test_keys_of_several_in_a_row_are_each_ones_own(self):
        dice = np.random.default_rng(3)

        eases = ("smooth", "straight", "stepped", "smooth", "smooth", "straight")

        def keyed(i):
            rows = dice.uniform(-1, 1, (3 + i, 7)).tolist()
            return tuple(
                Pose(at=0.5 * k, place=tuple(row[:3]), turn=tuple(row[3:6]), scale=1.2 + 0.3 * row[6], ease=eases[k])
                for k, row in enumerate(rows)
            )

        layers = [
            drip(id=f"{i + 1:016x}", rides_on=f"{i:016x}" if i else "", keys=keyed(i), turn=(10.0, 20.0 * i, 5.0)) for i in range(4)
        ]
        times = np.linspace(0.0, 2.4, 41)
        whole, outer = Poses(effect(*layers)), None
        for layer in layers:
            alone = Poses(effect(replace(layer, rides_on=""))).layer(replace(layer, rides_on=""), times)
            values = [[key.place[0] for key in layer.keys], [key.scale for key in layer.keys]]
            for told, row in zip((alone.place[:, 0] - layer.place[0], np.cbrt(np.linalg.det(alone.turn))), values, strict=True):
                points = tuple(Key(at=key.at, value=value, ease=key.ease) for key, value in zip(layer.keys, row, strict=True))
                np.testing.assert_allclose(told, sample_keys(points, times), atol=1e-9)
            outer = alone if outer is None else alone.after(outer)
            np.testing.assert_allclose(whole.layer(layer, times).rows(), outer.rows(), atol=1e-9)


class Carried(unittest.TestCase):
    def born(self, **fields):
        outlet = Outlet(rate=fixed(60.0), shape="point", spread=0.0, axis=(0.0, 1.0, 0.0), limit=10_000)
        return drip(**({"place": (0.0, 0.0, 0.0), "outlet": outlet, "birth": Birth(lifetime=fixed(50.0), speed=fixed(0.0))} | fields))

    def test_a_drag_is_added_to_the_key_of_its_moment(self):
        keys = (Pose(at=0.0, place=(1.0, 0.0, 0.0)), Pose(at=1.0, place=(2.0, 1.0, 0.0), turn=(0.0, 30.0, 0.0), scale=2.0))
        before = replace(drip(), place=(0.5, 0.0, 0.0), turn=(0.0, 10.0, 0.0), scale=2.0, keys=keys)
        dragged = replace(before, place=(0.5, 0.25, -1.0), turn=(5.0, 10.0, 0.0), scale=3.0)
        after = posed(before, dragged, 1.0)
        self.assertEqual(after.keys[1], Pose(at=1.0, place=(2.0, 1.25, -1.0), turn=(5.0, 30.0, 0.0), scale=3.0))
        self.assertEqual((after.place, after.scale, after.keys[0]), (before.place, before.scale, before.keys[0]))

    def test_world_particles_stay_where_they_were_born_and_local_ones_ride(self):
        stage = Stage(carrier=Carrier(moves="circle", reach=2.0, period=4.0))
        for steps in (15, 60):
            world = layer_at(effect(self.born(), stage=stage, steps=steps, loop=True, duration=60.0), 3.0)
            np.testing.assert_allclose(np.hypot(world.position[:, 0], world.position[:, 2]), 2.0, atol=1e-5)
            angle = np.unwrap(np.arctan2(-world.position[:, 2], world.position[:, 0]).astype(float))
            np.testing.assert_allclose(np.diff(angle), 2 * np.pi / 4 / 60, atol=1e-5)
        local = layer_at(effect(self.born(space="local"), stage=stage), 1.0)
        np.testing.assert_allclose(local.position, np.broadcast_to([0, 0, -2], local.position.shape), atol=1e-5)

    def test_newborns_take_their_share_of_the_motion(self):
        stage = Stage(carrier=Carrier(moves="circle", reach=2.0, period=4.0))
        birth = Birth(lifetime=fixed(50.0), speed=fixed(0.0), inherited=0.5)
        one = layer_at(effect(self.born(birth=birth), stage=stage, loop=True, duration=60.0), 1.0)
        np.testing.assert_allclose(np.linalg.norm(one.velocity, axis=1), 0.5 * 2 * 2 * np.pi / 4, rtol=1e-4)

    def test_a_layer_that_runs_faster_takes_no_more_of_the_motion(self):
        stage = Stage(carrier=Carrier(moves="circle", reach=2.0, period=4.0))
        birth = Birth(lifetime=fixed(50.0), speed=fixed(0.0), inherited=0.5)
        for tempo in (0.5, 2.0):
            made = effect(self.born(birth=birth, tempo=tempo), stage=stage, loop=True, duration=60.0)
            before, after = (Timeline(made).frame(at).layers[0] for at in (1.0, 1.5))
            there = dict(zip(after.number.tolist(), after.position, strict=True))
            gone = [np.linalg.norm(there[number] - place) for number, place in zip(before.number.tolist(), before.position, strict=True)]
            np.testing.assert_allclose(gone, 0.5 * 0.5 * 2 * 2 * np.pi / 4, rtol=1e-3)

    def test_the_first_birth_takes_as_much_of_the_motion_as_the_others(self):
        keys = (Pose(at=0.0, ease="straight"), Pose(at=3.0, place=(6.0, 0.0, 0.0), ease="straight"))
        outlet = Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)), Burst(key=1, count=fixed(1), first_at=1.0)), shape="point")
        birth = Birth(lifetime=fixed(50.0), speed=fixed(0.0), inherited=1.0)
        for loop in (False, True):
            one = layer_at(effect(self.born(birth=birth, keys=keys, outlet=outlet), loop=loop, warm=False), 1.5)
            np.testing.assert_allclose(one.velocity[:, 0], 2.0, atol=1e-4)

    def test_a_local_layer_turns_and_grows_with_its_keys(self):
        layer = self.born(
            space="local",
            keys=STRAIGHT,
            outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),), shape="point", offset=(1.0, 0.0, 0.0)),
        )
        one = layer_at(effect(layer), 2.0)
        np.testing.assert_allclose(one.position[0], [4, 0, -3], atol=1e-5)

    def test_play_and_jump_agree_on_a_carrier(self):
        stage = Stage(carrier=Carrier(moves="throw", reach=3.0, height=2.0, period=1.3, turns=True))
        layer = self.born(forces=Forces(drag=1.0, turbulence=1.0), birth=Birth(lifetime=fixed(0.8), speed=fixed(1.0), inherited=1.0))
        made = effect(layer, stage=stage, loop=True, warm=True)
        played = Timeline(made)
        for step in range(140):
            frame = played.frame(step / 60)
        np.testing.assert_array_equal(frame.layers[0].position, Timeline(made).frame(139 / 60).layers[0].position)


class Bands(unittest.TestCase):
    def test_a_ribbon_follows_where_each_has_been(self):
        for length, measured, expected in ((0.5, "in time", 1.0), (0.7, "in metres", 0.7)):
            layer = drip(
                birth=Birth(lifetime=fixed(9.0), speed=fixed(2.0), size=fixed(0.2)),
                look=Look(
                    drawn_as="ribbon",
                    ribbon=Ribbon(
                        length=length,
                        measured=measured,
                        width=0.5,
                        taper=curve((0, 1), (1, 0), ease="straight"),
                        colours=gradient((0, (1, 1, 1)), (1, (0, 0, 0))),
                    ),
                ),
            )
            for steps, tempo in ((10, 1.0), (7, 1.0), (60, 2.0), (60, 1.0)):
                made = effect(replace(layer, tempo=1.0 if tempo == 1.0 else 1.5), steps=steps, tempo=tempo)
                strips = layer_at(made, 2.0).strips
                self.assertAlmostEqual(float(strips.point[0, 1] - strips.point[-1, 1]), expected, places=4)
            self.assertEqual(strips.count, 1)
            np.testing.assert_allclose(np.diff(strips.point[:-1, 1]), -2 / 60, atol=1e-4)
            self.assertAlmostEqual(float(strips.width[0]), 0.1, places=5)
            self.assertAlmostEqual(float(strips.width[-1]), 0.0, places=5)
            self.assertAlmostEqual(float(strips.colour[0, 0]), 1.0, places=4)
            np.testing.assert_allclose([strips.along[0], strips.along[-1]], [0, 1], atol=1e-6)

    def test_a_slow_layer_has_its_ribbon_whole(self):
        layer = drip(birth=Birth(lifetime=fixed(100.0), speed=fixed(2.0)), look=Look(drawn_as="ribbon", ribbon=Ribbon(length=0.5)))
        for tempo, own in ((1.0, 0.25), (0.5, 0.5), (2.0, 1.5)):
            made = effect(replace(layer, tempo=own), tempo=tempo, steps=240, duration=50.0)
            strips = layer_at(made, 10.0).strips
            self.assertAlmostEqual(float(strips.point[0, 1] - strips.point[-1, 1]), 1.0, places=3)

    def test_a_ribbon_is_the_same_however_reached(self):
        layer = drip(
            outlet=Outlet(rate=fixed(9.0)),
            birth=Birth(lifetime=fixed(1.2), speed=fixed(2.0)),
            forces=Forces(drag=1.0, turbulence=2.0),
            look=Look(drawn_as="ribbon", ribbon=Ribbon(length=0.4)),
        )
        made = effect(layer, loop=True)
        played = Timeline(made)
        for step in range(150):
            frame = played.frame(step / 60)
        jumped = Timeline(made)
        for moment in (0.4, 2.9, 149 / 60):
            other = jumped.frame(moment)
        for name in ("first", "point", "width", "colour", "along"):
            np.testing.assert_array_equal(getattr(frame.layers[0].strips, name), getattr(other.layers[0].strips, name))

    def test_one_through_all_in_the_order_of_birth(self):
        layer = drip(
            outlet=Outlet(rate=fixed(10.0), shape="point", spread=0.0),
            birth=Birth(lifetime=fixed(9.0), speed=fixed(1.0)),
            look=Look(drawn_as="ribbon", ribbon=Ribbon(path="through all", texture="tiled", tile=0.5)),
        )
        one = layer_at(effect(layer), 2.0)
        np.testing.assert_array_equal(one.strips.point, one.position[::-1])
        self.assertAlmostEqual(float(one.strips.along[-1]), 2.0 / 0.5, places=3)

    def test_no_ribbon_is_drawn_across_a_throws_leap(self):
        stage = Stage(carrier=Carrier(moves="throw", reach=6.0, height=1.0, period=1.0), anchors=(Anchor(name="tip", carried=True),))
        layer = drip(look=Look(drawn_as="ribbon", ribbon=Ribbon(path="behind anchor", first="tip", length=0.8)))
        strips = layer_at(effect(layer, stage=stage, duration=9.0), 2.2).strips
        self.assertLess(float(np.abs(np.diff(strips.point[:, 0])).max()), 0.2)
        self.assertAlmostEqual(float(np.ptp(strips.point[:, 0])), 6.0 * 0.2, delta=0.1)

    def test_anchors_leave_a_ribbon_and_sweep_one(self):
        keys = (Pose(at=0.0, ease="straight"), Pose(at=2.0, place=(4.0, 0.0, 0.0), ease="straight"))
        anchors = (Anchor(name="tip", place=(0.0, 2.0, 0.0), keys=keys), Anchor(name="grip", place=(0.0, 1.0, 0.0), keys=keys))
        for path, middle, width in (("behind anchor", 2.0, 0.3), ("between anchors", 1.5, 1.0)):
            layer = drip(look=Look(drawn_as="ribbon", ribbon=Ribbon(path=path, first="tip", second="grip", length=0.5)))
            strips = layer_at(effect(layer, stage=Stage(anchors=anchors)), 1.5).strips
            np.testing.assert_allclose(strips.point[[0, -1], 0], [3.0, 2.0], atol=1e-4)
            np.testing.assert_allclose(strips.point[:, 1], middle, atol=1e-5)
            np.testing.assert_allclose(strips.width, width, atol=1e-5)

    def test_a_beam_is_the_cubic_of_its_anchors(self):
        anchors = (Anchor(name="lamp", place=(0.0, 1.0, 0.0)), Anchor(name="eel", place=(3.0, 1.0, 0.0), turn=(0.0, 0.0, 180.0)))
        beam = Beam(
            start="lamp",
            end="eel",
            bow=(2.0, 1.0),
            width=curve((0, 1), (1, 0), ease="straight"),
            colours=gradient((0, (1, 1, 1)), (1, (1, 0, 0))),
        )
        layer = drip(outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(3)),)), look=Look(drawn_as="beam", beam=beam))
        strips = layer_at(effect(layer, stage=Stage(anchors=anchors)), 1.0).strips
        pieces = len(strips.point) // 3 - 1
        self.assertEqual((strips.count, len(strips.point)), (3, 3 * pieces + 3))
        t = np.linspace(0, 1, pieces + 1)[:, None]
        p, a, b, q = (np.array(one, float) for one in ((0, 1, 0), (0, 3, 0), (3, 0, 0), (3, 1, 0)))
        curve_points = (1 - t) ** 3 * p + 3 * (1 - t) ** 2 * t * a + 3 * (1 - t) * t**2 * b + t**3 * q
        np.testing.assert_allclose(strips.point[: pieces + 1], curve_points, atol=1e-5)
        np.testing.assert_allclose(strips.width[: pieces + 1], 0.3 * (1 - t[:, 0]), atol=1e-6)
        np.testing.assert_allclose(strips.colour[: pieces + 1, 1], 1 - t[:, 0], atol=1e-5)
        # The middle of each piece is as near to the curve as is promised, and half as many would not be.
        s = 0.5 * (t[1:] + t[:-1])
        between = (1 - s) ** 3 * p + 3 * (1 - s) ** 2 * s * a + 3 * (1 - s) * s**2 * b + s**3 * q
        away = np.linalg.norm(between - 0.5 * (curve_points[1:] + curve_points[:-1]), axis=1).max()
        self.assertTrue(0.0002 < away <= 0.002, away)
        sideways = replace(beam, bows="along axis", axis=(0.0, 0.0, 2.0))
        bowed = layer_at(effect(replace(layer, look=Look(drawn_as="beam", beam=sideways)), stage=Stage(anchors=anchors)), 1.0)
        np.testing.assert_allclose(bowed.strips.point[: pieces + 1, 1], 1.0, atol=1e-6)
        self.assertGreater(float(bowed.strips.point[:, 2].max()), 1.0)
        swaying = drip(outlet=layer.outlet, look=Look(drawn_as="beam", beam=replace(beam, sway=0.2)))
        moved = layer_at(effect(swaying, stage=Stage(anchors=anchors)), 1.0).strips.point.reshape(3, -1, 3)
        t = np.linspace(0, 1, moved.shape[1])[:, None]
        curve_points = (1 - t) ** 3 * p + 3 * (1 - t) ** 2 * t * a + 3 * (1 - t) * t**2 * b + t**3 * q
        np.testing.assert_allclose(moved[0, [0, -1]], curve_points[[0, -1]], atol=1e-4)
        self.assertGreater(float(np.abs(moved[0] - curve_points).max()), 0.02)
        self.assertGreater(float(np.abs(moved[0] - moved[1]).max()), 0.02)
        self.assertLess(float(np.linalg.norm(moved[0] - curve_points, axis=1).max()), 0.2 * np.sqrt(2) + 1e-6)


if __name__ == "__main__":
    unittest.main()
