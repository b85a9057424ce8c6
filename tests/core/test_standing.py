"""What layers and places stand on: anchors, props, a carrier that banks; and names that follow."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.edit import moved_before
from pale_ember.core.effect.events import Cue
from pale_ember.core.effect.places import Place, Places
from pale_ember.core.effect.renaming import names_followed
from pale_ember.core.effect.shapes import with_aim_flipped
from pale_ember.core.effect.stage import Anchor, Carrier, Pose, Prop, Stage
from pale_ember.core.effect.values import between, fixed
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.places import lost_names
from pale_ember.core.insight.particle_story import FollowedParticle, probed, tale_of
from pale_ember.core.insight.ray_casts import RayHit, place_at
from pale_ember.core.simulate.poses import Poses, angles_of, carrier_frames, turns
from pale_ember.core.simulate.timeline import Timeline
from tests.examples import Birth, Burst, Contact, Forces, Look, Outlet, drip, effect

JET = drip(place=(0.0, 1.0, 0.0), outlet=Outlet(rate=fixed(40.0), shape="point", spread=0.0), forces=Forces(),
           contact=Contact(), birth=Birth(lifetime=fixed(1.0), speed=between(1.0, 3.0)), space="local")  # fmt: skip
BOOM = Prop(
    name="boom", place=(3.0, 1.0, 0.0), turn=(0.0, 0.0, 90.0), keys=(Pose(), Pose(at=2.0, place=(0.0, 0.0, 4.0), ease="straight"))
)


class Standing(unittest.TestCase):
    def test_a_layer_on_a_prop_goes_where_the_prop_goes(self):
        rig = effect(replace(JET, stands_on="boom"), stage=Stage(props=(BOOM,)))
        for time in (0.0, 1.0, 1.7):
            frames, prop = Poses(rig).layer(rig.layers[0], [time]), Poses(rig).thing(BOOM, np.array([time]))
            np.testing.assert_allclose(frames.place[0], prop.place[0] + prop.turn[0] @ (0, 1, 0), atol=1e-12)
        shown = Timeline(rig).frame(1.0).layers[0]
        self.assertLess(float(shown.position[:, 0].min()), 1.5, "it leaves along the prop's up, which points to -X")
        lost = effect(replace(JET, stands_on="crane"), stage=Stage(props=(BOOM,)))
        self.assertIn('there is no "crane"', next(lost_names(Facts(lost, Timeline(lost)))).said)

    def test_moving_what_a_layer_stands_on_simulates_it_anew_and_no_other(self):
        other = replace(JET, id="00000000000000bb", name="other")
        anchor = Anchor(name="lance", place=(1.0, 0.0, 0.0))
        rig = effect(replace(JET, stands_on="lance"), other, stage=Stage(anchors=(anchor,)))
        timeline = Timeline(rig)
        timeline.frame(1.0)
        tracks = dict(timeline._tracks)
        moved = replace(rig, stage=Stage(anchors=(replace(anchor, place=(2.0, 0.0, 0.0)),)))
        timeline.update(moved)
        self.assertIsNot(timeline._tracks[JET.id], tracks[JET.id])
        self.assertIs(timeline._tracks[other.id], tracks[other.id])
        np.testing.assert_array_equal(timeline.frame(1.0).layers[0].position, Timeline(moved).frame(1.0).layers[0].position)

    def test_places_stand_on_props_with_dice_and_meshes_of_their_own(self):
        told = Places(lie="told", told=(Place(), Place(stands_on="boom", place=(0.0, 0.5, 0.0)), Place(seed=3), Place(seed=4)))
        rig = effect(replace(JET, places=told), stage=Stage(props=(BOOM,)))
        copies = Timeline(rig).frame(1.0).layers
        self.assertEqual(len(copies), 4)
        start = Poses(rig).thing(BOOM, np.array([1.0]))
        np.testing.assert_allclose(copies[1].position[-1], start.place[0] + start.turn[0] @ (0, 0.5, 0), atol=0.05)
        speeds = [tuple(np.linalg.norm(copy.velocity, axis=1).round(4)) for copy in copies]
        self.assertEqual(len(set(speeds)), 4, "every place rolls its own dice")
        self.assertEqual(speeds[2], tuple(np.linalg.norm(Timeline(rig).frame(1.0).layers[2].velocity, axis=1).round(4)))
        meshed = replace(
            JET,
            outlet=replace(JET.outlet, shape="mesh", mesh="solid:box"),
            places=Places(lie="told", told=(Place(), Place(mesh="solid:sphere"))),
        )
        box, ball = Timeline(effect(meshed)).frame(1.0).layers
        self.assertEqual((box.own or box.layer).outlet.mesh, "solid:box")
        self.assertEqual(ball.own.outlet.mesh, "solid:sphere")

    def test_a_click_on_a_prop_makes_a_place_that_rides_on_it(self):
        rig = effect(JET, stage=Stage(props=(BOOM,)))
        where = Poses(rig).thing(BOOM, np.array([1.0]))
        place = place_at(rig, JET, RayHit(where.place[0] + (0.0, 0.5, 0.0), np.array([0.0, 1.0, 0.0]), "boom"), 1.0)
        self.assertEqual(place.stands_on, "boom")
        up = turns(np.array([place.turn]))[0][:, 1]
        np.testing.assert_allclose(where.turn[0] @ up, (0.0, 1.0, 0.0), atol=1e-3)
        self.assertEqual(place_at(rig, JET, RayHit(np.zeros(3), np.array([0.0, 1.0, 0.0])), 1.0).stands_on, "")

    def test_a_carrier_that_banks_leans_as_far_as_its_bend_pulls(self):
        ring = Carrier(moves="circle", reach=4.0, period=3.0, turns=True, banks=1.0)
        frames = carrier_frames(ring, np.array([0.4]), np.array([0.4]))
        up, inward = frames.turn[0][:, 1], -frames.place[0] / 4.0
        pull = 4.0 * (2 * np.pi / 3.0) ** 2
        self.assertAlmostEqual(float(up @ inward / up[1]), pull / 9.81, places=4)
        level = carrier_frames(replace(ring, banks=0.0), np.array([0.4]), np.array([0.4]))
        np.testing.assert_allclose(level.turn[0][:, 1], (0, 1, 0), atol=1e-12)

    def test_angles_lead_back_to_the_turn_they_were_read_from(self):
        some = np.random.default_rng(3).uniform(-180, 180, (200, 3))
        some[:3] = ((90, 20, 30), (-90, 20, 30), (0, 0, 0))
        np.testing.assert_allclose(turns(angles_of(turns(some))), turns(some), atol=1e-7)


class Names(unittest.TestCase):
    def test_what_named_a_cue_an_anchor_or_a_prop_follows_its_new_name(self):
        beam = drip(id="00000000000000bb", look=Look(drawn_as="beam"), stands_on="lance")
        beam = replace(
            beam,
            look=replace(beam.look, beam=replace(beam.look.beam, end="lance")),
            outlet=replace(beam.outlet, on_cue="boil"),
            contact=Contact(meets="bounce", surfaces=("boom",)),
        )
        before = effect(beam, cues=(Cue(name="boil"),), stage=Stage(props=(BOOM,), anchors=(Anchor(name="lance"),)))
        after = names_followed(before, replace(before, cues=(Cue(name="pour"),)))
        self.assertEqual(after.layers[0].outlet.on_cue, "pour")
        stage = replace(before.stage, anchors=(Anchor(name="rod"),), props=(replace(BOOM, name="crane"),))
        after = names_followed(before, replace(before, stage=stage)).layers[0]
        self.assertEqual((after.look.beam.end, after.stands_on, after.contact.surfaces), ("rod", "rod", ("crane",)))
        same = replace(before, stage=replace(before.stage, figure=True))
        self.assertIs(names_followed(before, same), same)

    def test_rows_move_together_before_another_or_to_the_end(self):
        layers = tuple(drip(id=f"{i:016x}", name=str(i)) for i in range(1, 6))
        whole = effect(*layers)
        order = lambda made: "".join(layer.name for layer in made.layers)  # noqa: E731
        pair = {layers[1].id, layers[3].id}
        self.assertEqual(order(moved_before(whole, pair, layers[0].id)), "24135")
        self.assertEqual(order(moved_before(whole, pair, None)), "13524")
        self.assertIs(moved_before(whole, pair, layers[3].id), whole)

    def test_aims_have_another_way_round_or_none(self):
        layer = drip(outlet=Outlet(aim="along axis", axis=(0.0, 1.0, 0.5)))
        self.assertEqual(with_aim_flipped(layer).outlet.axis, (0.0, -1.0, -0.5))
        to = drip(outlet=Outlet(aim="towards point"))
        self.assertEqual(with_aim_flipped(to).outlet.aim, "away from point")
        anywhere = drip(outlet=Outlet(aim="anywhere"))
        self.assertIs(with_aim_flipped(anywhere), anywhere)


class Tales(unittest.TestCase):
    def test_a_particle_tells_what_it_touches_when_and_how_hard(self):
        from pale_ember.core.effect.chapters import Offspring
        from pale_ember.core.effect.offspring import Rule

        bead = drip(id="00000000000000bb", name="bead", outlet=Outlet(rate=fixed(0.0)))
        falls = drip(
            outlet=Outlet(rate=0.0, bursts=(Burst(count=1),), shape="point", spread=0.0),
            birth=Birth(lifetime=fixed(1.5), speed=fixed(0.0)),
            forces=Forces(gravity=(0.0, -9.81, 0.0)),
            contact=Contact(meets="bounce", bounce=0.5),
            offspring=Offspring(rules=(Rule(when="touches", layer=bead.id, count=fixed(2)),)),
        )
        pour = effect(falls, bead, steps=240)
        frame = Timeline(pour).frame(0.5).layers[0]
        followed = FollowedParticle.of(frame, 0)
        probe = Timeline(probed(pour, falls.id))
        tale = tale_of(pour, probe, followed, 0.5, float(frame.age[0]), float(frame.life[0]))
        touches = [each for each in tale if each.touches]
        fall = np.sqrt(2 * 2.0 / 9.81)
        self.assertAlmostEqual(touches[0].at, fall, delta=0.03)
        self.assertRegex(touches[0].told, r"touches ground at 6\.\d+ m/s")
        self.assertAlmostEqual(touches[1].at - touches[0].at, 2 * 0.5 * 6.2 / 9.81, delta=0.06)
        self.assertIn("spawns 2 of bead", [each.told for each in tale])
        self.assertEqual((tale[0].told, tale[-1].told), ("born", "ends"))
        self.assertAlmostEqual(tale[-1].at, 1.5, delta=0.01)
        same = probe.frame(1.0).layers[0]
        np.testing.assert_array_equal(same.position, Timeline(pour).frame(1.0).layers[0].position)
