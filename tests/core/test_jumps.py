"""Any moment is the same to the bit, however it is come by: in documents that chance made, of all that can be declared."""

import random
import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.chapters import Contact, Outlet
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.reading import plain, read
from pale_ember.core.effect.stage import Carrier, Pose, Prop, Stage
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.poses import Poses
from pale_ember.core.simulate.spawning import Spawner
from pale_ember.core.simulate.surfaces import Surfaces
from pale_ember.core.simulate.timeline import Timeline, built_in
from tests.core.made_up import made_up
from tests.examples import Burst, drip, effect

SEEDS = range(150, 170)
"""A few of the three hundred that were tried once, one that differed among them."""


def told(frame):
    columns = ("number", "position", "velocity", "size", "angle", "colour", "frame", "age")
    return [
        (
            layer.layer.name,
            layer.copy,
            *(getattr(layer, name).tobytes() for name in columns),
            None if layer.strips is None else layer.strips.point.tobytes(),
        )
        for layer in frame.layers
    ]


class Jumps(unittest.TestCase):
    def test_documents_made_by_chance_play_as_they_jump(self):
        alive = 0
        for seed in SEEDS:
            made = made_up(random.Random(seed))
            back, problems = read(Effect, plain(made))
            self.assertEqual((back, [str(each) for each in problems]), (made, []), seed)
            played, last = Timeline(made), 100 / made.steps
            for step in range(1, 101):
                frame = played.frame(step / made.steps)
            alive += frame.alive
            self.assertEqual(told(frame), told(Timeline(made).frame(last)), seed)
            played.frame(0.3)
            self.assertEqual(told(played.frame(last)), told(frame), seed)
        self.assertGreater(alive, 300)

    def test_a_surface_is_the_same_however_many_steps_are_asked_for(self):
        keys = (Pose(at=0.0), Pose(at=0.5, place=(0.4, 0.1, 0.0), turn=(20.0, 5.0, 0.0)))
        made = effect(drip(contact=Contact(meets="bounce")), duration=1.0, loop=True, stage=Stage(props=(Prop(name="step", keys=keys),)))
        surfaces = Surfaces(made, made.layers[0], built_in, Poses(made))
        whole = surfaces.rows(20, 50, 1 / 60)
        self.assertEqual(set(whole["moves"][:, -1].tolist()), {True, False})
        for step in range(30):
            self.assertEqual(surfaces.rows(20 + step, 21 + step, 1 / 60)[0].tobytes(), whole[step].tobytes(), step)

    def test_births_are_the_same_however_many_steps_are_asked_for(self):
        outlet = Outlet(rate=fixed(0.0), per_metre=7.3, bursts=(Burst(count=fixed(3), first_at=2.2, times=3, every=0.2),), start=0.1)
        carried = Stage(carrier=Carrier(moves="eight", period=1.932, reach=1.3))
        made = effect(drip(outlet=outlet), duration=0.89, loop=True, stage=carried)
        spawner = Spawner(replace(made, warm=False), made.layers[0])
        born, number = spawner.births(0, 400)
        self.assertGreater((number >> np.uint64(48) == 1).sum(), 30)
        for size in (1, 3, 16):
            parts = [Spawner(made, made.layers[0]).births(at, min(at + size, 400)) for at in range(0, 400, size)]
            np.testing.assert_array_equal(np.concatenate([part[0] for part in parts]), born)
            np.testing.assert_array_equal(np.concatenate([part[1] for part in parts]), number)


if __name__ == "__main__":
    unittest.main()
