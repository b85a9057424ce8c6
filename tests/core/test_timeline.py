"""Any moment, the same to the bit however it is reached; edits re-roll nothing they should not."""

import unittest
from unittest import mock

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect import edit
from pale_ember.core.effect.stage import Carrier
from pale_ember.core.effect.starting_points import flame, smoke, sparks
from pale_ember.core.effect.strips import Ribbon
from pale_ember.core.effect.values import Range, between
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.particle_table import KEEP_EVERY
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.simulate.track import Track
from pale_ember.formats.document import load
from pale_ember.formats.shelf import Shelf
from tests.examples import DEMO, SMALL_FIRE, Birth, Burst, Contact, Look, Outlet, drip, effect, fixed


def same(one, two):
    names = ("number", "age", "life", "position", "velocity", "size", "angle", "colour", "frame")
    strips = ("point", "width", "colour", "along", "across")

    def alike(a, b, names):
        return (a is None) == (b is None) and (a is None or all(np.array_equal(getattr(a, name), getattr(b, name)) for name in names))

    return len(one.layers) == len(two.layers) and all(
        alike(a, b, names) and alike(a.strips, b.strips, strips) for a, b in zip(one.layers, two.layers, strict=True)
    )


class Many(unittest.TestCase):
    def test_of_a_hundred_layers_an_edit_touches_one(self):
        layers = [replace(drip(), id=f"{i:016x}", name=f"drip {i}", place=(0.1 * i, 2.0, 0.0)) for i in range(1, 101)]
        made = effect(*layers)
        timeline = Timeline(made)
        before = dict(timeline._tracks)
        at = 1.0
        frame = timeline.frame(at)
        edited = edit.with_value(made, ("layers", 41, "birth", "speed"), fixed(2.0))
        timeline.update(edited)
        changed = [identity for identity, track in timeline._tracks.items() if track is not before[identity]]
        self.assertEqual(changed, [layers[41].id])
        after = timeline.frame(at)
        moved = [a.layer.id for a, b in zip(frame.layers, after.layers, strict=True) if not np.array_equal(a.position, b.position)]
        self.assertEqual(moved, [layers[41].id])
        self.assertTrue(same(after, Timeline(edited).frame(at)))

    def test_what_is_remembered_is_as_it_would_be_made_anew(self):
        for k, path in enumerate(sorted(DEMO.glob("*.pale"))):
            made, _ = load(path)
            shelf = Shelf(path.parent)
            timeline = Timeline(made, shelf.mesh, shelf.density)
            before = timeline.frame(0.7, remembers=True)
            again = timeline.frame(0.7, remembers=True)
            at = next(i for i, layer in enumerate(made.layers) if layer.shown)
            self.assertTrue(all(a is b for a, b in zip(before.layers, again.layers, strict=True)), path.stem)
            edits = [
                edit.with_value(made, path, value)
                for path, value in ((("seed",), 99), (("tempo",), 0.7), (("stage", "carrier"), Carrier(moves="circle")))
            ]
            for part, value in (
                (("birth", "speed"), fixed(2.0)),
                (("look", "order"), 3),
                (("life", "opacity"), None),
                (("place",), (0.2, 0.1, 0.0)),
            ):
                edits.append(edit.with_value(made, ("layers", at, *part), value))
            for i, anchor in enumerate(made.stage.anchors):
                for part, value in (("place", (0.3, 0.4, 0.5)), ("turn", (0.0, 40.0, 0.0)), ("name", f"{anchor.name} end")):
                    edits.append(edit.with_value(made, ("stage", "anchors", i, part), value))
            # Each edit in every other effect.
            for edited in edits[k % 2 :: 2]:
                timeline.update(made)
                timeline.frame(0.7, remembers=True)
                timeline.update(edited)
                told, fresh = (timeline.frame(0.7, remembers=True), Timeline(edited, shelf.mesh, shelf.density).frame(0.7))
                self.assertTrue(same(told, fresh), path.stem)
                self.assertTrue(all(a.layer is b.layer for a, b in zip(told.layers, fresh.layers, strict=True)))

    def test_every_range_of_a_birth_takes_a_list(self):
        told = {
            "lifetime": lambda one: one.life,
            "speed": lambda one: np.linalg.norm(one.velocity, axis=1),
            "size": lambda one: one.size[:, 0],
            "angle": lambda one: one.angle,
            "spin": lambda one: one.angle / one.age / one.life,
            "brightness": lambda one: one.colour[:, 0],
            "opacity": lambda one: one.colour[:, 3],
            "frame": lambda one: one.frame,
        }
        choices = {"angle": (20.0, 50.0), "spin": (-30.0, 60.0), "frame": (1.0, 3.0), "opacity": (0.25, 0.75)}
        for name, values in told.items():
            some = choices.get(name, (2.0, 5.0))
            birth = replace(Birth(lifetime=fixed(9.0), speed=fixed(1.0)), **{name: Range(choices=some)})
            look = Look(columns=4, rows=1, play="by clock", fps=0.0)
            layer = drip(birth=birth, look=look, outlet=Outlet(rate=0.0, bursts=(Burst(count=200),), shape="point"))
            found = values(Timeline(effect(layer)).frame(0.5).layers[0])
            self.assertEqual(sorted({round(float(value), 3) for value in found}), sorted(some), name)


class Moments(unittest.TestCase):
    def setUp(self):
        self.kiln, _ = load(SMALL_FIRE)

    def test_play_jump_and_scrub_agree(self):
        crowded = replace(self.kiln, layers=tuple(replace(layer, outlet=replace(layer.outlet, limit=20)) for layer in self.kiln.layers))
        for made in (self.kiln, replace(self.kiln, warm=False), crowded, replace(crowded, warm=False)):
            played = Timeline(made)
            for step in range(150):
                frame = played.frame(step / 60)
            jumped = Timeline(made)
            self.assertTrue(same(frame, jumped.frame(149 / 60)))
            while not jumped.explore():
                pass
            for moment in (2.9, 0.4, 7.5, 1.0):
                jumped.frame(moment)
            self.assertTrue(same(frame, jumped.frame(149 / 60)))
            self.assertGreater(frame.alive, 40)

    def test_fresh_and_explored_agree_in_every_effect_of_the_quay(self):
        for path in sorted(DEMO.glob("*.pale")):
            made, _ = load(path)
            shelf = Shelf(DEMO)
            explored = Timeline(made, shelf.mesh, shelf.density)
            while not explored.explore():
                pass
            scrubbed = Timeline(made, shelf.mesh, shelf.density)
            for tenth in reversed(range(11)):
                moment = tenth / 10 * made.duration
                self.assertTrue(same(explored.frame(moment), scrubbed.frame(moment)), (path.stem, tenth))

    def test_a_jump_into_what_was_explored_simulates_a_few_steps_alone(self):
        line = Timeline(effect(drip(birth=Birth(lifetime=fixed(2.0), speed=between(1.0, 2.0)))))
        while not line.explore():
            pass
        steps, advance = [], Track._advance

        def counted(track, runner, last, alive):
            steps.append(last - runner.step)
            advance(track, runner, last, alive)

        with mock.patch.object(Track, "_advance", counted):
            for moment in (1.9, 0.4, 1.3):
                line.frame(moment)
        self.assertEqual(len(steps), 3)
        self.assertLessEqual(max(steps), KEEP_EVERY)

    def test_what_is_empty_at_a_kept_step_is_born_into_all_the_same(self):
        """A column of no rows looks like one that is missing."""
        birth = Birth(lifetime=fixed(0.3), speed=between(1.0, 2.0))
        for contact in (Contact(meets="stick"), Contact(meets="bounce", ageing=0.1)):
            late = drip(
                outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(9), first_at=1.1),), limit=8), birth=birth, contact=contact
            )
            explored, fresh = Timeline(effect(late)), Timeline(effect(late)).frame(1.2)
            while not explored.explore():
                pass
            self.assertEqual(fresh.alive, 8)
            self.assertTrue(same(explored.frame(1.2), fresh))

    def test_a_ribbon_keeps_its_tail_where_a_state_is_kept_just_there(self):
        layer = drip(
            outlet=Outlet(rate=fixed(9.0), limit=5),
            birth=Birth(lifetime=fixed(0.9), speed=fixed(2.0)),
            look=Look(drawn_as="ribbon", ribbon=Ribbon(length=0.4)),
        )
        made = effect(layer, loop=True)
        explored = Timeline(made)
        while not explored.explore():
            pass
        for step in range(60, 90):
            fresh, scrubbed = Timeline(made).frame(step / 60), explored.frame(step / 60)
            explored.frame(0.0)
            one, two = fresh.layers[0].strips, scrubbed.layers[0].strips
            np.testing.assert_array_equal(one.point, two.point, err_msg=str(step))

    def test_two_threads_make_the_same_bits_as_one(self):
        shelf = Shelf(DEMO)
        for name in ("kiln-mouth", "sleet-squall", "dropped-carboy"):
            made, _ = load(DEMO / f"{name}.pale")
            alone, shared = (Timeline(made, shelf.mesh, shelf.density) for _ in range(2))
            shared._pair.worth = 8
            for moment in (0.9, 1.0, 1.5, 0.4):
                self.assertTrue(same(alone.frame(moment), shared.frame(moment)), (name, moment))
            self.assertIsNotNone(shared._pair._pool)

    def test_counts_of_the_loop_are_those_of_its_frames(self):
        timeline = Timeline(self.kiln)
        while not timeline.explore():
            pass
        layer = self.kiln.layers[1]
        for step in (0, 17, 180):
            self.assertEqual(timeline.alive(layer.id)[step], timeline.frame(step / 60).layers[1].count)

    def test_changing_looks_moves_nothing_and_reordering_rolls_nothing(self):
        before = Timeline(self.kiln).frame(1.3)
        layers = self.kiln.layers
        looked = edit.with_value(self.kiln, ("layers", 1, "birth", "size", "high"), 2.0)
        after = Timeline(looked).frame(1.3)
        np.testing.assert_array_equal(before.layers[1].position, after.layers[1].position)
        moved = edit.moved_layer(self.kiln, layers[0].id, 2)
        self.assertTrue(same(before, replace_layers(Timeline(moved).frame(1.3), (2, 0, 1))))
        hidden = edit.with_value(self.kiln, ("layers", 0, "shown"), False)
        np.testing.assert_array_equal(Timeline(hidden).frame(1.3).layers[0].position, before.layers[1].position)

    def test_a_copy_rolls_dice_of_its_own(self):
        made, identity = edit.duplicated(self.kiln, self.kiln.layers[1].id)
        frame = Timeline(made).frame(1.0)
        copy = next(layer for layer in frame.layers if layer.layer.id == identity)
        self.assertFalse(np.array_equal(copy.position, frame.layers[1].position))

    def test_a_frame_cannot_be_written_and_outlives_its_moment(self):
        timeline = Timeline(self.kiln)
        frame = timeline.frame(1.0)
        kept = frame.layers[1].position.copy()
        timeline.frame(1.5)
        np.testing.assert_array_equal(frame.layers[1].position, kept)
        with self.assertRaises(ValueError):
            frame.layers[1].position[0, 0] = 1.0

    def test_between_steps_particles_go_on_along_their_velocity(self):
        made = effect(drip(birth=Birth(lifetime=fixed(5.0), speed=fixed(2.0))))
        frame = Timeline(made).frame(1.0 + 1 / 120, between_steps=True)
        self.assertAlmostEqual(float(frame.layers[0].position[0, 1]), 2 + 2 * (1 + 1 / 120), places=5)

    def test_a_one_shot_says_when_it_is_over(self):
        layer = drip(outlet=Outlet(rate=10.0, start=1.0, span=0.5), birth=Birth(lifetime=fixed(2.0)))
        self.assertAlmostEqual(Forecast(effect(layer, duration=2.0)).ends_at(), 3.5)
        self.assertEqual(Forecast(effect(layer, loop=True)).ends_at(), float("inf"))

    def test_every_start_lives_and_shows_at_once(self):
        for start in (flame, smoke, sparks):
            frame = Timeline(effect(replace(start(), id="00000000000000cd"), loop=True)).frame(0.8)
            self.assertGreater(frame.alive, 4)
            self.assertGreater(float(frame.layers[0].colour[:, 3].max()), 0.2)


def replace_layers(frame, order):
    import dataclasses

    return dataclasses.replace(frame, layers=tuple(frame.layers[i] for i in order))
