"""Traces: every array where the format says it is."""

import io
import unittest

import numpy as np

from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.look import Beam, Ribbon
from pale_ember.core.effect.values import curve
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.formats.traces import trace_bytes, trace_moments
from tests.examples import Birth, Burst, Life, Look, Outlet, drip, effect, fixed


class Traces(unittest.TestCase):
    def trace(self, made, until=1.0, every=0.25):
        timeline = Timeline(made)
        moments = trace_moments(until, every, made.steps)
        return np.load(io.BytesIO(trace_bytes(made, (timeline.frame(at) for at in moments))))

    def test_strips_and_lanes_stand_beside_the_particles(self):
        single = Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(2)),), shape="disc")
        lanes = Life(opacity=None, more=(Lane(drives="named", name="heat", curve=curve((0, 3), (1, 3))),))
        trail = drip(
            outlet=single,
            birth=Birth(lifetime=fixed(9.0), speed=fixed(1.0)),
            life=lanes,
            look=Look(drawn_as="ribbon", ribbon=Ribbon(length=0.3)),
        )
        beam = drip(id="00000000000000ab", name="eel lamp", look=Look(drawn_as="beam", beam=Beam(sway=0.1, sway_size=0.5)))
        plain = drip(id="00000000000000ac", name="plain")
        told = self.trace(effect(trail, beam, plain))
        self.assertEqual(told["time"].tolist(), [0.0, 0.25, 0.5, 0.75, 1.0])
        self.assertEqual(told["strips"].tolist(), [0, 3, 6, 9, 12, 15])
        self.assertEqual(len(told["strip_start"]), 16)
        self.assertEqual(int(told["strip_start"][-1]), len(told["strip_point"]))
        self.assertEqual(told["strip_layer"][-3:].tolist(), [0, 0, 1])
        # 6 pieces for each bend of a way of 2.5 m or so.
        pieces = int(told["strip_start"][-1] - told["strip_start"][-2]) - 1
        self.assertTrue(24 <= pieces <= 36, pieces)
        last = slice(*told["strip_start"][-4:-2])
        rows = slice(*told["start"][-2:])
        np.testing.assert_allclose(told["strip_point"][last][0], told["position"][rows][0], atol=1e-6)
        heat = told["lane heat"]
        self.assertEqual(len(heat), len(told["age"]))
        np.testing.assert_allclose(heat[told["layer"] == 0], 3.0)
        np.testing.assert_allclose(heat[told["layer"] != 0], 0.0)

    def test_sprites_alone_have_no_strips(self):
        self.assertNotIn("strips", self.trace(effect(drip())))


if __name__ == "__main__":
    unittest.main()
