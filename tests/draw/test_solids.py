"""Edges of solids are smooth; they throw shadows on the ground and darken it where they stand."""

import unittest
import unittest.mock

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera, Stage
from pale_ember.core.effect.stage import Lamp, Prop, Sun
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.renderer import Shot
from pale_ember.draw.scenery import Scenery
from tests.draw.drawn import Drawn
from tests.examples import effect

SIZE = 480, 320
CAMERA = Camera(target=(0.0, 0.5, 0.0), distance=9.0, heading=0.0, pitch=40.0)
BLOCK = Prop(name="block", shape="box", place=(0.0, 0.5, 0.0), size=(1.0, 1.0, 1.0))


class OnGround(Drawn):
    def light(self, stage, scale=1.0):
        """(h, w) linear light of a stage, first row on top, and where a place of the world is in it."""
        frame, view = Timeline(replace(effect(), stage=stage)).frame(0.0), view_of(CAMERA, *SIZE)
        self.renderer.picture(frame, view, Shot(stage=stage, background="mid", scale=scale), *SIZE)
        targets = self.renderer._targets
        light = np.frombuffer(targets.layers.read(components=4, dtype="f2"), np.float16).reshape(targets.size[1], targets.size[0], 4)
        light = light[::-1, :, :3].astype(float).mean(axis=2)

        def at(x, z):
            column, row, _ = view.project(np.array([[x, 0.0, z]]), *SIZE)[0]
            return float(light[round(row) - 1 : round(row) + 2, round(column) - 1 : round(column) + 2].mean())

        return light, at

    def kept(self, bare):
        """How much of the light that a place of the ground gets on a bare stage is left with the block on it."""
        dark = replace(bare, sun=replace(bare.sun, power=0.0, sky=0.0), lamps=())
        (_, empty), (_, black), (_, at) = (self.light(stage) for stage in (bare, dark, replace(bare, props=(BLOCK,))))
        # What lies between the eye and the ground shines by itself.
        return lambda x, z: (at(x, z) - black(x, z)) / (empty(x, z) - black(x, z))

    def roughness(self, scale):
        """How far a slanted edge strays from a line at most, as a share of the picture's pixels."""
        stage = Stage(ground=False, props=(replace(BLOCK, turn=(0.0, 0.0, 11.0), size=(1.0, 4.0, 1.0), tint=(9.0, 9.0, 9.0)),))
        light, _ = self.light(stage, scale)
        height, width = light.shape
        band = light[int(0.42 * height) : int(0.58 * height), width // 2 :]
        edge = (band / band[:, :4].mean(axis=1, keepdims=True)).clip(0, 1).sum(axis=1)
        rows = np.arange(len(edge))
        return float(np.abs(edge - np.polyval(np.polyfit(rows, edge, 1), rows)).max())

    def test_a_slanted_edge_has_no_steps(self):
        self.assertLess(self.roughness(1.0), 0.25)
        self.context.disable_direct(0x809D)
        self.assertLess(self.roughness(1.0), 0.25, "whatever was left switched off")
        self.assertGreater(self.roughness(0.99), 0.3, "while it plays smaller it is as it comes")

    def test_the_sun_throws_a_shadow_where_it_must_fall(self):
        bare = Stage(ground=True, sun=Sun(power=2.0, sky=0.5, heading=90.0, height=45.0))
        kept = self.kept(bare)
        # At 45 degrees a metre throws a metre: from -0.5 to -1.5, as wide as the block is.
        for x, z in ((-0.7, 0.0), (-1.0, 0.3), (-1.3, -0.3)):
            self.assertLess(kept(x, z), 0.4, (x, z))
        for x, z in ((-2.1, 0.0), (-1.0, 1.0), (1.5, 0.0)):
            self.assertGreater(kept(x, z), 0.75, (x, z))

    def test_the_strongest_lamp_throws_one_too(self):
        bare = Stage(ground=True, sun=Sun(power=0.0, sky=0.2), lamps=(Lamp(place=(2.0, 2.0, 0.0), power=6.0),))
        kept = self.kept(bare)
        # The line from the lamp over the block's edge at (-0.5, 1) meets the ground at -3; over (0.5, 1) at -1.
        self.assertLess(kept(-1.5, 0.0), 0.6)
        self.assertGreater(kept(1.6, 0.6), 0.7)

    def test_where_both_are_kept_off_it_is_dark(self):
        sun, lamp = Sun(power=1.0, sky=0.2, heading=90.0, height=45.0), Lamp(place=(2.0, 2.0, 0.0), power=12.0)
        kept = self.kept(Stage(ground=True, sun=sun, lamps=(lamp,)))
        self.assertLess(kept(-1.2, 0.0), 0.35)
        self.assertGreater(kept(1.6, 0.6), 0.7)

    def test_what_holds_a_lamp_throws_no_shadow_of_it(self):
        bare = Stage(ground=True, sun=Sun(power=0.0, sky=0.2), lamps=(Lamp(place=(0.4, 1.2, 0.4), power=6.0),))
        self.assertGreater(self.kept(bare)(-1.2, -0.8), 0.7)

    def test_the_ground_is_darker_at_its_foot_by_the_formula(self):
        bare = Stage(ground=True, sun=Sun(power=0.0, sky=1.0))
        kept = self.kept(bare)
        for away in (0.3, 1.0, 2.0):
            told = 1 - 0.72 / (1 + 6 * away + 5 * away**2)
            self.assertAlmostEqual(kept(0.5 + away, 0.0), told, delta=0.04, msg=away)

    def test_while_it_plays_smaller_a_stage_that_stands_still_is_kept_for_a_moment(self):
        still = Stage(ground=True, props=(BLOCK,), paving="flagstones", wet=0.8)
        moving = replace(still, props=(replace(BLOCK, carried=True),))
        for scale, stage, drawn in ((0.5, still, 3), (1.0, still, 5), (0.5, moving, 5), (0.5, replace(still, paving="water"), 3)):
            timeline, pictures = Timeline(replace(effect(), stage=stage)), []
            with unittest.mock.patch.object(Scenery, "draw", autospec=True, side_effect=Scenery.draw) as asked:
                for at in (1.0, 1.05, 1.07, 1.2, 2.0):
                    shot = Shot(stage=stage, background="mid", scale=scale)
                    pictures.append(self.renderer.picture(timeline.frame(at), view_of(CAMERA, *SIZE), shot, *SIZE).copy())
            self.assertEqual(asked.call_count, drawn)
            if stage is still:
                np.testing.assert_array_equal(pictures[0], pictures[1])
                np.testing.assert_array_equal(pictures[0], pictures[2])


if __name__ == "__main__":
    unittest.main()
