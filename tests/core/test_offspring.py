"""Children of events: how many, where, which way, when; chains, and edits that simulate no more than they must."""

import unittest
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect import edit, tree
from pale_ember.core.effect.chapters import Offspring
from pale_ember.core.effect.look import Look
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.strips import Beam
from pale_ember.core.effect.values import Range, Tints, between, curve, sample_keys
from pale_ember.core.simulate import event_log
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.spawning import ManualTrigger
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.formats.document import dumps, loads
from tests.examples import Birth, Burst, Contact, Forces, Life, Outlet, drip, effect, fixed

FALL = Forces(gravity=(0.0, -9.81, 0.0))
CHILD = "00000000000000bb"


def parent(*rules, **fields):
    given = {
        "outlet": Outlet(rate=fixed(20.0), shape="disc", radius=1.0, spread=0.0),
        "forces": FALL,
        "contact": Contact(meets="end"),
        "birth": Birth(lifetime=fixed(5.0), speed=fixed(0.0)),
        "offspring": Offspring(rules=rules),
    }
    return drip(**(given | fields))


def child(identity=CHILD, name="splash", **fields):
    given = {
        "id": identity,
        "name": name,
        "place": (0.0, 0.0, 0.0),
        "outlet": Outlet(rate=fixed(0.0), shape="point", spread=0.0, limit=100_000),
        "birth": Birth(lifetime=fixed(100.0), speed=fixed(1.0)),
    }
    return drip(**(given | fields))


def rule(**fields):
    return Rule(**({"when": "touches", "layer": CHILD, "count": fixed(1)} | fields))


def children(made, time):
    return Timeline(made).frame(time).layers[1]


class Events(unittest.TestCase):
    def test_each_touch_bears_its_count_where_it_happened(self):
        made = effect(parent(rule(count=fixed(3))), child(birth=Birth(lifetime=fixed(100.0), speed=fixed(0.0))))
        fall = np.sqrt(2 * 2.0 / 9.81)
        one = children(made, fall + 1.0)
        self.assertAlmostEqual(one.count, 3 * 21, delta=3)
        self.assertLess(float(np.abs(one.position[:, 1]).max()), 1e-4)
        self.assertGreater(float(np.hypot(one.position[:, 0], one.position[:, 2]).max()), 0.5)
        ages = np.sort(np.unique(np.round(one.age.astype(float) * 100, 4)))
        np.testing.assert_allclose(np.diff(ages), 1 / 20, atol=2e-3)

    def test_births_and_ends_bear_at_their_exact_times(self):
        for when, later in (("born", 0.0), ("ends", 0.73)):
            made = effect(
                parent(rule(when=when), birth=Birth(lifetime=fixed(0.73), speed=fixed(0.0)), contact=Contact()),
                child(birth=Birth(lifetime=fixed(100.0), speed=fixed(0.0))),
            )
            one = children(made, 2.0)
            born = np.sort(2.0 - one.age.astype(float) * 100)
            np.testing.assert_allclose(born, later + np.arange(len(born)) / 20, atol=2e-4)
            fallen = 2.0 - 0.5 * 9.81 * later**2
            np.testing.assert_allclose(one.position[:, 1], fallen, atol=2e-3)

    def test_metres_and_seconds_are_counted_along_the_way(self):
        single = Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),), shape="point", spread=0.0, axis=(1.0, 0.0, 0.0))
        for when, each in (("by distance", 0.25), ("by time", 0.1)):
            made = effect(
                parent(
                    rule(when=when, interval=each),
                    outlet=single,
                    forces=Forces(),
                    contact=Contact(),
                    birth=Birth(lifetime=fixed(50.0), speed=fixed(2.5)),
                ),
                child(birth=Birth(lifetime=fixed(100.0), speed=fixed(0.0))),
                steps=24,
            )
            at = np.sort(children(made, 4.0).position[:, 0].astype(float))
            self.assertAlmostEqual(len(at), 40, delta=1)
            np.testing.assert_allclose(at, 0.25 * (1 + np.arange(len(at))), atol=1e-4)

    def test_strikes_spawn_where_beams_and_their_branches_end(self):
        beam = Beam(reach=(0.0, -2.0, 0.3), kinks=0.3, sway=0.1, strikes=5.0, branches=3)
        once = Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(2)),), shape="point")
        stays = Birth(lifetime=fixed(9.0), speed=fixed(0.0))

        def made(when):
            source = parent(
                rule(when=when, count=fixed(1)),
                outlet=once,
                birth=stays,
                contact=Contact(),
                forces=Forces(),
                look=Look(drawn_as="beam", beam=beam),
            )
            return effect(source, child(birth=Birth(lifetime=fixed(100.0), speed=fixed(0.0))))

        for when, many in (("strikes", 1), ("branches", 3)):
            line = Timeline(made(when))
            born = line.frame(1.7).layers[1]
            # Two beams, each when it is born and five times a second.
            self.assertAlmostEqual(born.count / many, 2 * (1 + 5 * 1.7), delta=2)
            moment = 1.7 - 100 * float(born.age[-1])
            struck = line.frame(moment + 1e-5).layers[0].strips
            ends = struck.point[struck.first[1:] - 1][slice(0, 2) if many == 1 else slice(2, None)]
            near = np.linalg.norm(ends[:, None] - born.position[-many:][None], axis=2).min(axis=0)
            np.testing.assert_allclose(near, 0.0, atol=4e-3)
        still = replace(made("strikes").layers[0], look=Look(drawn_as="beam", beam=replace(beam, kinks=0.0)))
        self.assertEqual(children(effect(still, child()), 1.7).count, 0)

    def test_heading_motion_and_place_are_inherited_by_share(self):
        thrown = Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),), shape="point", spread=0.0, axis=(1.0, -1.0, 0.0))
        birth = Birth(lifetime=fixed(9.0), speed=fixed(2.0 * np.sqrt(2)))

        def way(**fields):
            made = effect(parent(rule(**fields), outlet=thrown, birth=birth, forces=Forces()), child())
            return children(made, 1.5)

        np.testing.assert_allclose(way(facing="surface").velocity[0], [0, 1, 0], atol=1e-5)
        np.testing.assert_allclose(way(facing="onward").velocity[0], np.array([1, -1, 0]) / np.sqrt(2), atol=1e-4)
        np.testing.assert_allclose(way(facing="back").velocity[0], np.array([-1, 1, 0]) / np.sqrt(2), atol=1e-4)
        np.testing.assert_allclose(way(motion=0.5).velocity[0], [1.0, 0.0, 0.0], atol=1e-4)
        half = way(place=0.5, facing="surface")
        # The parent touches half its size of 0.3 m before its middle is at the ground.
        self.assertAlmostEqual(float(half.position[0, 0]), 0.5 * (2.0 - 0.15), delta=1e-3)

    def test_thresholds_chances_and_caps(self):
        self.assertEqual(children(effect(parent(rule(minimum_impact=7.0)), child()), 2.0).count, 0)
        self.assertGreater(children(effect(parent(rule(minimum_impact=6.0)), child()), 2.0).count, 10)
        busy = parent(rule(chance=0.25), outlet=Outlet(rate=fixed(2000.0), limit=100_000), birth=Birth(lifetime=fixed(9.0)))
        made = effect(busy, child())
        events = Timeline(effect(replace(busy, offspring=Offspring(rules=(rule(),))), child())).frame(3.0).layers[1].count
        self.assertAlmostEqual(children(made, 3.0).count / events, 0.25, delta=0.03)
        jumping = parent(
            rule(most_per_parent=2),
            contact=Contact(meets="bounce", bounce=0.9, slide=1.0),
            outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(10)),)),
            birth=Birth(lifetime=fixed(50.0), speed=fixed(0.0)),
        )
        self.assertEqual(children(effect(jumping, child()), 8.0).count, 20)
        crowd = parent(rule(when="born", most_per_step=7), outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(100)),)))
        self.assertEqual(children(effect(crowd, child()), 1.0).count, 7)

    def test_counts_and_delays_may_be_chosen_from_lists(self):
        count, delay = Range(choices=(2.0, 5.0)), Range(choices=(0.0, 0.5))
        made = effect(parent(rule(when="born", count=count, delay=delay)), child())
        ages = np.round(Timeline(made).frame(2.9).layers[1].age.astype(float) * 100, 3)
        at, counts = np.unique(np.round(2.9 - ages, 3), return_counts=True)
        self.assertTrue({2, 5} <= set(counts.tolist()) <= {2, 4, 5, 7, 10})
        np.testing.assert_allclose(at * 20, np.round(at * 20), atol=0.05)

    def test_a_delay_comes_after(self):
        single = Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1), first_at=0.21),), shape="point")
        made = effect(parent(rule(when="born", delay=fixed(1.3)), outlet=single), child())
        timeline = Timeline(made)
        self.assertEqual([timeline.frame(t).layers[1].count for t in (1.4, 1.6)], [0, 1])
        self.assertAlmostEqual(float(timeline.frame(2.0).layers[1].age[0]) * 100, 0.49, places=3)

    def test_size_and_colour_are_mixed_by_share(self):
        birth = Birth(lifetime=fixed(5.0), speed=fixed(0.0), size=fixed(2.0), tint=Tints(first=(1, 0, 0), second=(1, 0, 0)))
        young = child(birth=Birth(lifetime=fixed(100.0), size=fixed(1.0), tint=Tints(first=(0, 0, 1), second=(0, 0, 1))))
        made = effect(parent(rule(when="born", size=0.25, colour=0.5), birth=birth), young)
        one = children(made, 1.0)
        np.testing.assert_allclose(one.size[:, 0], 1.25, rtol=1e-5)
        np.testing.assert_allclose(one.colour[:, :3], [[0.5, 0, 0.5]] * one.count, atol=1e-5)
        timeline = Timeline(made)
        timeline.frame(1.0)
        bright = edit.with_value(made, ("layers", 0, "birth", "brightness"), fixed(3.0))
        timeline.update(bright)
        np.testing.assert_allclose(timeline.frame(1.0).layers[1].colour[:, 0], 1.5, rtol=1e-5)

    def test_layers_of_different_tempo_agree_on_the_moment(self):
        made = effect(
            parent(
                rule(when="ends", motion=1.0),
                tempo=2.0,
                contact=Contact(),
                forces=Forces(),
                birth=Birth(lifetime=fixed(1.0), speed=fixed(1.0)),
            ),
            child(tempo=0.5),
        )
        one = children(made, 2.0)
        self.assertAlmostEqual(one.count, (2.0 - 0.5) * 40, delta=2)
        # The parent moved at 2 m/s of real time; the child adds its own at half pace.
        self.assertAlmostEqual(float(one.velocity[0, 1]), 2.5, places=4)


class Trails(unittest.TestCase):
    def test_a_trail_is_born_along_each_way_thinner_and_fades(self):
        birth = Birth(lifetime=fixed(1.0), speed=between(1.0, 2.0), size=fixed(0.2), brightness=fixed(3.0))
        parent = drip(outlet=Outlet(rate=fixed(20.0)), birth=birth)
        made, identity = tree.with_trail(effect(parent), parent.id)
        self.assertEqual([layer.name for layer in made.layers], [f"{parent.name} trail", parent.name])
        trail, leader = made.layers
        (rule,) = leader.offspring.rules
        self.assertEqual((trail.id, rule.layer, rule.when, rule.motion), (identity, identity, "by distance", 0.0))
        self.assertEqual(trail.birth.brightness, parent.birth.brightness)
        at = np.array([0.0, 0.5, 1.0])
        for lane in (trail.life.size, trail.life.opacity):
            np.testing.assert_allclose(sample_keys(lane.keys, at), (1.0, 0.5, 0.0), atol=0.01)
        seen = Timeline(made).frame(0.8).layers[0]
        self.assertGreater(seen.count, 20)
        self.assertLess(float(seen.size.max()), 0.2, "thinner than what it follows")


class Chains(unittest.TestCase):
    def made(self):
        last = "00000000000000cc"
        first = parent(rule(count=between(1, 3), facing="surface"))
        second = child(
            birth=Birth(lifetime=between(0.2, 0.6), speed=between(1.0, 2.0)),
            outlet=Outlet(rate=fixed(0.0), spread=40.0, shape="point"),
            offspring=Offspring(rules=(rule(when="ends", layer=last, delay=between(0.0, 0.3)),)),
        )
        return effect(
            first, second, child(last, "mist", birth=Birth(lifetime=between(0.5, 1.5), speed=between(0.1, 0.4))), loop=True, warm=False
        )

    def test_play_jump_and_scrub_agree_through_a_chain_and_over_edits(self):
        rng = np.random.default_rng(5)
        for warm in (False, True):
            made = replace(self.made(), warm=warm)
            for _ in range(4):
                place = int(rng.integers(3))
                made = edit.with_value(made, ("layers", place, "birth", "speed"), between(0.0, float(rng.uniform(0.5, 3))))
                made = edit.with_value(made, ("layers", 0, "outlet", "limit"), int(rng.choice([5, 4000])))
                played = Timeline(made)
                for step in range(100):
                    frame = played.frame(step / 60)
                jumped = Timeline(made)
                jumped.frame(2.5)
                while not jumped.explore():
                    pass
                for moment in (0.3, 2.9, 1.0):
                    jumped.frame(moment)
                for one, other in zip(frame.layers, jumped.frame(99 / 60).layers, strict=True):
                    for name in ("number", "position", "velocity", "age", "colour"):
                        np.testing.assert_array_equal(getattr(one, name), getattr(other, name))
                self.assertGreater(frame.layers[2].count, 3)

    def test_an_edit_simulates_the_layer_and_its_offspring_alone(self):
        made = self.made()
        timeline = Timeline(made)
        timeline.frame(2.0)
        before = dict(timeline._tracks)
        timeline.update(edit.with_value(made, ("layers", 1, "birth", "speed"), fixed(9.0)))
        same = [timeline._tracks[layer.id] is before[layer.id] for layer in made.layers]
        self.assertEqual(same, [True, False, False])

    def test_rings_are_found_and_told(self):
        made = self.made()
        ring = edit.with_rule(made, made.layers[2].id, Rule(layer=made.layers[1].id))
        self.assertEqual([layer.name for layer in tree.ring_of_rules(ring)], ["splash", "mist"])
        with self.assertRaisesRegex(ValueError, "splash spawns mist spawns splash"):
            Timeline(ring)
        self.assertEqual(tree.ring_of_rules(made), [])
        self.assertEqual([layer.name for layer in tree.in_order_of_birth(edit.moved_layer(made, CHILD, 0))][-1], "mist")

    def test_layers_leave_nothing_behind_that_names_them(self):
        made = self.made()
        rider = replace(made.layers[2], id="00000000000000ee", rides_on=CHILD, offspring=Offspring())
        made = replace(made, layers=(*made.layers, rider))
        left = tree.without_layer(made, CHILD)
        self.assertEqual([len(layer.offspring.rules) for layer in left.layers], [0, 0, 0])
        self.assertEqual(left.layers[-1].rides_on, "")
        loads(dumps(left), Path("left.pale"))
        self.assertEqual({layer.name for layer in tree.may_spawn(made, made.layers[2].id)}, {rider.name})
        self.assertNotIn(rider.id, [layer.id for layer in tree.may_carry(made, CHILD)])

    def test_a_late_child_above_its_parent_is_borne_though_few_events_are_remembered(self):
        source = parent(rule(when="by distance", interval=0.05, delay=fixed(0.4)), outlet=Outlet(rate=fixed(90.0)))
        both = [Timeline(effect(*order, duration=3.0)) for order in ((source, child()), (child(), source))]
        kept = event_log.MOST_EVENTS
        try:
            event_log.MOST_EVENTS = 200
            frames = [[timeline.frame(t) for t in (1.5, 0.7, 2.0)] for timeline in both]
        finally:
            event_log.MOST_EVENTS = kept
        fresh = Timeline(both[0].effect).frame(2.0).layers[1]
        self.assertGreater(fresh.count, 100)
        for one in (frames[0][2].layers[1], frames[1][2].layers[0]):
            np.testing.assert_array_equal(one.position, fresh.position)
        for timeline in both:
            self.assertLess(timeline._tracks[source.id].log.count, 5000)

    def test_a_rule_of_nothing_bears_nothing(self):
        made = effect(parent(rule(count=fixed(0))), child(outlet=Outlet(rate=fixed(0.0), limit=3)))
        self.assertEqual(Timeline(made).frame(2.0).layers[1].count, 0)
        self.assertEqual(Forecast(made).peak(made.layers[1]), 0)

    def test_a_rule_or_burst_fires_once_by_hand(self):
        made = effect(
            parent(rule(count=fixed(4)), outlet=Outlet(rate=fixed(0.0), bursts=(Burst(key=3, count=fixed(6), first_at=50.0),))), child()
        )
        fired = (ManualTrigger(made.layers[0].id, 30, 3), ManualTrigger(CHILD, 60, 0, made.layers[0].id))
        timeline = Timeline(made, fired=fired)
        counts = [[layer.count for layer in timeline.frame(t).layers] for t in (0.4, 0.6, 0.98, 1.1)]
        self.assertEqual(counts, [[0, 0], [6, 0], [6, 0], [6, 4]])
        timeline.update(made)
        self.assertEqual(timeline.frame(0.6).alive, 0)

    def test_a_hidden_parent_bears_on(self):
        made = self.made()
        hidden = edit.with_value(made, ("layers", 0, "shown"), False)
        np.testing.assert_array_equal(Timeline(made).frame(1.5).layers[1].position, Timeline(hidden).frame(1.5).layers[0].position)

    def test_a_lane_on_the_parent_changes_what_is_passed_on(self):
        birth = Birth(lifetime=fixed(1.0), speed=fixed(0.0), size=fixed(2.0))
        ageing = parent(
            rule(when="ends", size=1.0), birth=birth, contact=Contact(), life=Life(opacity=None, size=curve((0, 1), (1, 0.25)))
        )
        self.assertAlmostEqual(float(children(effect(ageing, child()), 2.0).size[0, 0]), 0.5, places=4)


if __name__ == "__main__":
    unittest.main()
