"""Layers on many places, on cues, told of events, with keys, and matched to the loop."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.chapters import Offspring
from pale_ember.core.effect.edit import with_cue
from pale_ember.core.effect.events import Cue
from pale_ember.core.effect.loop_gaps import longest_wait, with_lives_matched
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.place_copies import MOST_COPIES, PlaceCopies
from pale_ember.core.effect.places import MOST_PLACES, Place, Places
from pale_ember.core.effect.pose_keys import pose_at, posed, with_key, with_key_moved
from pale_ember.core.effect.stage import Pose, Prop, Stage
from pale_ember.core.effect.values import between, fixed
from pale_ember.core.effect.variants import as_variant, named, with_kept, with_taken, without_kept
from pale_ember.core.geometry.mesh import solid
from pale_ember.core.insight.checks.births import too_many_places
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.stage import name_problems
from pale_ember.core.insight.layer_costs import spending
from pale_ember.core.insight.particle_story import FollowedParticle, probed, tale_of
from pale_ember.core.insight.ray_casts import ray_hit, turn_to
from pale_ember.core.simulate.poses import Poses, still, turns
from pale_ember.core.simulate.spawning import ManualTrigger, Performance
from pale_ember.core.simulate.timeline import Timeline
from tests.examples import Birth, Burst, Contact, Forces, Outlet, drip, effect

STILL = {"forces": Forces(), "contact": Contact(), "birth": Birth(lifetime=fixed(1.0), speed=fixed(2.0))}
JET = drip(place=(0.0, 1.0, 0.0), outlet=Outlet(rate=fixed(40.0), shape="point", spread=0.0), **STILL)
RIDER = drip(id="00000000000000cc", name="glow", rides_on=JET.id, outlet=Outlet(rate=fixed(10.0), shape="point", spread=0.0), **STILL)
RING = replace(JET, places=Places(lie="ring", count=6, radius=2.0, lean=90.0))


def frames(made, time=1.0, **told):
    return Timeline(made, **told).frame(time).layers


class ManyPlaces(unittest.TestCase):
    def test_a_ring_of_jets_lies_evenly_and_points_outward(self):
        copies = frames(effect(RING))
        self.assertEqual([one.key for one in copies], [(JET.id, i) for i in range(6)])
        for i, one in enumerate(copies):
            angle = np.radians(60 * i)
            way = np.array([np.cos(angle), 0, -np.sin(angle)])
            np.testing.assert_allclose(one.velocity, np.tile(2 * way, (one.count, 1)), atol=1e-5)
            away = one.position - np.array([0, 1, 0])
            np.testing.assert_allclose(np.cross(away, way), 0, atol=1e-4)
            self.assertAlmostEqual(float(np.linalg.norm(away, axis=1).min()), 2.0, delta=0.06)

    def test_the_first_place_draws_what_the_layer_drew_and_the_others_draw_anew(self):
        wide = replace(JET, birth=replace(JET.birth, speed=between(1, 3)))
        alone = frames(effect(wide))[0]
        row = frames(effect(replace(wide, places=Places(lie="row", count=3, step=(1, 0, 0)))))
        np.testing.assert_array_equal(row[0].position, alone.position)
        self.assertFalse(np.array_equal(row[1].velocity, row[0].velocity))
        self.assertAlmostEqual(float(row[2].position[:, 0].mean()), 2.0, places=5)
        self.assertEqual(FollowedParticle.of(row[1], 3).within(row[1]), 3)
        self.assertFalse(FollowedParticle.of(row[1], 3).is_of(row[0]))

    def test_what_rides_goes_along_and_spawns_its_own(self):
        spawns = replace(RING, offspring=Offspring(rules=(Rule(when="born", layer=RIDER.id, count=fixed(1)),)))
        copies = frames(effect(spawns, RIDER))
        self.assertEqual(len(copies), 12)
        riders = [one for one in copies if one.layer is RIDER]
        self.assertEqual(len(riders), 6)
        for jet, rider in zip(copies, riders, strict=False):
            self.assertEqual(rider.count, jet.count + 10, "its own and one for each birth of its jet alone")
            self.assertLess(float(np.linalg.norm(rider.position.mean(0) - jet.position.mean(0))), 0.5)

    def test_places_within_places_and_one_after_another(self):
        row = replace(RIDER, places=Places(lie="row", count=2, step=(0, 3, 0)))
        copies = frames(effect(RING, row))
        self.assertEqual(len(copies), 6 + 12)
        self.assertEqual(len({one.key for one in copies}), 18)
        late = replace(JET, places=Places(lie="row", count=3, after=0.4))
        self.assertEqual([one.count for one in frames(effect(late, loop=False), 0.5)], [21, 5, 0])

    def test_each_place_aims_at_the_target_and_too_many_are_refused_with_a_reason(self):
        aimed = replace(RING, turns_with="target", target=(0.0, 5.0, 0.0))
        for one in frames(effect(aimed)):
            way = np.array([0.0, 5.0, 0.0]) - one.position[-1]
            self.assertGreater(float(one.velocity[-1] @ way / np.linalg.norm(one.velocity[-1]) / np.linalg.norm(way)), 0.999)
        deep = effect(replace(JET, places=Places(lie="row", count=250)), replace(RIDER, places=Places(lie="row", count=250)))
        self.assertLessEqual(len(PlaceCopies().of(deep).layers), MOST_COPIES)
        known = Facts(deep, Timeline(effect(JET)))
        self.assertEqual([finding.rule or finding.path for finding in too_many_places(known)], [("places", "lie")])
        self.assertEqual(len(Places(lie="told", told=(Place(),) * 999).listed()), MOST_PLACES)

    def test_what_is_set_off_by_hand_is_set_off_on_every_place(self):
        quiet = effect(replace(RING, outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(3), first_at=2.5),))))
        self.assertEqual([one.count for one in frames(quiet, 0.6, fired=(ManualTrigger(JET.id, 30, 0),))], [3] * 6)
        there = frames(quiet, 0.6, fired=(ManualTrigger(JET.id, 30, 0, place=(0.0, 0.0, 0.0)),))
        self.assertEqual(sum(one.count for one in there), 3)

    def test_what_happens_at_each_place_is_told(self):
        # What the places stand on has the layer's own rules no more: nothing was told of the first place.
        falls = replace(RING, contact=Contact(meets="bounce"), forces=Forces(gravity=(0.0, -9.81, 0.0)))
        inner = replace(RIDER, places=Places(lie="row", count=2, step=(0, 3, 0)), contact=Contact(meets="bounce"))
        made = effect(falls, inner)
        *_, spent = spending(Timeline(made), lambda frame, camera: np.ones((9, 16)), lambda name: np.ones((4, 4, 4), np.float32))
        self.assertGreater(spent.layers[JET.id].touches, 6)
        self.assertEqual([len(Timeline(made).copies(one.id)) for one in made.layers], [6, 12])
        shown = frames(made, 0.9)[0]
        tale = tale_of(
            made, Timeline(probed(made, JET.id)), FollowedParticle.of(shown, 0), 0.9, float(shown.age[0]), float(shown.life[0])
        )
        self.assertIn(True, [each.touches for each in tale])

    def test_an_edit_elsewhere_simulates_nothing_again_and_counts_are_of_all_places(self):
        made = effect(RING, RIDER)
        timeline = Timeline(made)
        tracks = dict(timeline._tracks)
        other = replace(made, layers=(made.layers[0], replace(RIDER, outlet=Outlet(rate=fixed(3.0)))))
        timeline.update(other)
        self.assertEqual(sum(timeline._tracks[key] is track for key, track in tracks.items()), 6)
        while not timeline.explore():
            pass
        self.assertEqual(
            int(timeline.alive(JET.id)[-1]), sum(one.count for one in timeline.frame(made.duration).layers if one.layer is RING)
        )
        np.testing.assert_array_equal(timeline.frame(0.7).layers[3].position, Timeline(other).frame(0.7).layers[3].position)
        spread = PlaceCopies()
        first, second = spread.of(made), spread.of(other)
        self.assertIs(first.layers[2], second.layers[2])

    def test_one_more_place_where_the_stage_is_clicked(self):
        ramp = Prop(shape="ramp", place=(0.0, 0.5, 0.0), size=(2.0, 1.0, 2.0))
        made = effect(JET, stage=Stage(props=(ramp,)))
        hit = ray_hit(made, np.array([0.0, 5.0, 0.0]), np.array([0.0, -1.0, 0.0]), 0.0, solid)
        self.assertAlmostEqual(float(hit.place[1]), 0.5, places=6)
        self.assertAlmostEqual(float(hit.normal[1]), 2 / np.sqrt(5), places=6)
        up = turns(np.array([turn_to(hit.normal, still())]))[0] @ [0, 1, 0]
        np.testing.assert_allclose(up, hit.normal, atol=1e-3)
        ground = ray_hit(made, np.array([8.0, 5.0, 0.0]), np.array([0.0, -2.0, 0.0]), 0.0, solid)
        np.testing.assert_allclose(ground.place, (8, 0, 0))
        self.assertIsNone(ray_hit(made, np.array([8.0, 5.0, 0.0]), np.array([0.0, 1.0, 0.0]), 0.0, solid))
        told = JET.places.with_one_more(Place(place=(1.0, 0, 0))).with_one_more(Place(place=(2.0, 0, 0)))
        self.assertEqual([place.place[0] for place in told.listed()], [0.0, 1.0, 2.0])


class Told(unittest.TestCase):
    def test_a_layer_starts_on_its_cue(self):
        made = effect(
            replace(JET, outlet=replace(JET.outlet, on_cue="boom", bursts=(Burst(first_at=0.1, count=fixed(7)),))),
            cues=(Cue(name="boom", at=0.5),),
            loop=False,
            duration=3.0,
        )
        counts = [frames(made, time)[0].count for time in (0.45, 0.55, 0.65)]
        self.assertEqual(counts, [0, 3, 7 + 7])
        named, name = with_cue(with_cue(made, 1.0)[0], 2.0)
        self.assertEqual(([cue.name for cue in named.cues], name), (["boom", "cue", "cue_2"], "cue_2"))
        self.assertEqual(name_problems(named), [])
        self.assertEqual(len(name_problems(replace(named, cues=(*named.cues, Cue(name="Boom"), Cue(name="9 bad"))))), 2)
        self.assertEqual(frames(replace(made, cues=()), 0.45)[0].count, 19 + 7, "a cue that is gone holds nothing up")

    def test_strength_thins_births_and_never_the_living(self):
        made = effect(replace(JET, outlet=replace(JET.outlet, rate=fixed(2000.0), limit=10_000)), loop=False, duration=4.0)
        full = frames(made, 1.5)[0]
        half = frames(made, 1.5, performance=Performance(((60, 0.5),)))[0]
        gone = frames(made, 1.5, performance=Performance(((60, 0.0),)))[0]
        self.assertEqual(gone.count, int((full.age > 0.5 + 1 / 60 - 1e-4).sum()), "births of that step are thinned")
        young = (half.age < 0.5).sum() / (full.age < 0.5).sum()
        self.assertAlmostEqual(float(young), 0.5, delta=0.05)
        self.assertTrue(set(gone.number.tolist()) <= set(half.number.tolist()) <= set(full.number.tolist()))
        self.assertEqual(frames(made, 1.5, performance=Performance(stopped=90)), ())
        self.assertEqual(frames(made, 1.4, performance=Performance(stopped=90))[0].count, 2000)

    def test_it_is_set_off_once_at_a_place_of_the_stage(self):
        quiet = effect(replace(JET, outlet=replace(JET.outlet, rate=fixed(40.0), start=2.0)), loop=False, duration=4.0)
        fired = (ManualTrigger(JET.id, 30, -1, place=(5.0, 1.0, 0.0), normal=(1.0, 0.0, 0.0)),)
        there = frames(quiet, 0.75, fired=fired)[0]
        self.assertEqual(there.count, 4, "a tenth of a second of its rate")
        np.testing.assert_allclose(there.position, np.tile((5.5, 1.0, 0.0), (4, 1)), atol=1e-5)

    def test_offspring_goes_on_and_rides_on_what_was_touched(self):
        keys = (Pose(at=0.0, ease="straight"), Pose(at=4.0, place=(4.0, 0, 0), ease="straight"))
        stage = Stage(props=(Prop(place=(0.0, 0.5, 0.0), size=(6.0, 1.0, 2.0), keys=keys),))
        rule = Rule(when="touches", layer=RIDER.id, count=fixed(20), goes_on=2.0, most_per_parent=1)
        drop = drip(
            place=(0.0, 2.0, 0.0),
            outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),), shape="point"),
            birth=Birth(lifetime=fixed(3.0), speed=fixed(0.0)),
            forces=Forces(gravity=(0, -9.81, 0)),
            contact=Contact(meets="bounce"),
            offspring=Offspring(rules=(rule,)),
        )
        embers = replace(
            RIDER, rides_on="", outlet=Outlet(rate=fixed(0.0), shape="point"), birth=Birth(lifetime=fixed(9.0), speed=fixed(0.0))
        )
        made = effect(drop, embers, stage=stage, loop=False, duration=4.0)
        fall = float(np.sqrt(2 * 1.0 / 9.81))
        for time in (1.0, 2.0, 3.0):
            born = frames(made, time)[1]
            self.assertAlmostEqual(born.count, min(np.floor((time - fall) * 10) + 1, 20), delta=1)
        np.testing.assert_allclose(np.diff(born.position[:, 0]), 0.1, atol=0.01)
        whole = Timeline(made)
        whole.frame(3.5)
        np.testing.assert_array_equal(whole.frame(2.0).layers[1].position, frames(made, 2.0)[1].position)


class Moments(unittest.TestCase):
    def test_a_key_is_born_where_the_path_is_and_a_drag_moves_that_key_alone(self):
        keys = (Pose(at=0.0), Pose(at=1.0, place=(2.0, 0.0, 0.0), turn=(0, 90, 0)), Pose(at=2.0, scale=3.0))
        layer = replace(JET, keys=keys)
        made = effect(layer, duration=3.0)
        for time in (0.3, 1.0, 1.7):
            pose = pose_at(keys, time)
            place = Poses(made).layer(layer, np.array([time])).place[0] - np.array(layer.place)
            np.testing.assert_allclose(pose.place, place, atol=1e-4)
        keyed, index = with_key(layer, 0.5)
        self.assertEqual((index, len(keyed.keys)), (1, 4))
        self.assertEqual(with_key(keyed, 0.5)[0], keyed)
        moved = posed(keyed, replace(keyed, place=(0.0, 1.5, 0.0)), 0.5)
        self.assertAlmostEqual(moved.keys[1].place[1], keyed.keys[1].place[1] + 0.5)
        self.assertEqual(moved.place, layer.place)
        self.assertEqual((moved.keys[0], *moved.keys[2:]), keys)
        self.assertLess(with_key_moved(keyed, 1, 5.0).keys[1].at, 1.0)

    def test_lives_are_matched_to_the_loop(self):
        once = replace(JET, outlet=Outlet(rate=fixed(0.0), bursts=(Burst(first_at=0.2, count=fixed(3)),)))
        made = effect(once, duration=2.5, loop=True)
        self.assertAlmostEqual(longest_wait(made, once), 2.5)
        matched = with_lives_matched(made, once)
        self.assertGreaterEqual(matched.birth.lifetime.low, 2.5)
        self.assertIs(with_lives_matched(made, matched), matched)
        paused = replace(JET, outlet=replace(JET.outlet, start=0.5, span=1.0))
        self.assertAlmostEqual(longest_wait(made, paused), 1.5)
        self.assertEqual(longest_wait(replace(made, loop=False), paused), 0.0)
        timeline = Timeline(replace(made, layers=(with_lives_matched(made, paused),)))
        self.assertTrue(all(timeline.frame(time).alive for time in np.arange(2.6, 5.0, 0.1)))

    def test_variants_are_kept_taken_and_thrown_away(self):
        made = effect(JET, duration=2.0)
        kept = with_kept(with_kept(made, "calm"), "calm")
        self.assertEqual([variant.name for variant in kept.variants], ["calm", "calm 2"])
        edited = replace(kept, layers=(RING,), duration=5.0)
        taken = with_taken(edited, "calm")
        self.assertEqual((taken.layers, taken.duration), (made.layers, 2.0))
        self.assertEqual(as_variant(taken, named(taken, "before calm")).layers, (RING,))
        self.assertEqual(len(without_kept(taken, "calm 2").variants), 1)
        with self.assertRaises(KeyError):
            with_taken(made, "calm")


if __name__ == "__main__":
    unittest.main()
