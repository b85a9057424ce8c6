"""What is thinner than a pixel keeps its light, and has no holes."""

import unittest

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.model import Camera
from pale_ember.core.effect.strips import Beam
from pale_ember.core.effect.values import fixed
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.renderer import Shot
from tests.draw.drawn import Drawn, card
from tests.examples import Birth, effect

SIZE = 720, 480


class Thin(Drawn):
    def light(self, layer, distance, roll=0.0):
        """(h, w) linear light of one layer from so far away, before it is toned."""
        frame = Timeline(effect(replace(layer, turn=(0.0, 0.0, roll)))).frame(0.5)
        view = view_of(Camera(target=(0.0, 2.0, 0.0), distance=distance, heading=0.0, pitch=0.0), *SIZE)
        self.renderer.picture(frame, view, Shot(background="none"), *SIZE)
        light = np.frombuffer(self.renderer._targets.layers.read(components=4, dtype="f2"), np.float16)
        return light.reshape(SIZE[1], SIZE[0], 4)[..., :3].astype(float).sum(axis=2)

    def thin(self):
        """A card, one whose picture fills a seventh of it, and a beam, two to four centimetres wide."""
        wire = card({"picture": "white", "blend": "additive", "facing": "free"}, tint=(1.0, 1.0, 1.0))
        wire = replace(wire, space="local", birth=Birth(lifetime=fixed(9.0), speed=fixed(0.0), size=fixed(0.02), aspect=60.0))
        beam = card({"picture": "white", "blend": "additive", "drawn_as": "beam"}, tint=(1.0, 1.0, 1.0), size=0.02)
        narrow = replace(wire, look=replace(wire.look, picture="band"), birth=replace(wire.birth, size=fixed(0.04), aspect=30.0))
        return wire, narrow, replace(beam, space="local", look=replace(beam.look, beam=Beam(reach=(1.2, 0.0, 0.0), bow=(0.0, 0.0))))

    def test_the_light_of_what_goes_away_keeps_its_sum(self):
        for layer in self.thin():
            near = self.light(layer, 2.0, 23.0).sum() * 2.0**2
            self.assertGreater(near, 1.0)
            for distance in (5.0, 12.0, 30.0):
                seen = self.light(layer, distance, 23.0).sum() * distance**2
                self.assertAlmostEqual(seen / near, 1.0, delta=0.03, msg=(layer.look.drawn_as, distance))

    def test_it_has_no_holes_at_any_angle(self):
        for layer in self.thin():
            for roll in (3.0, 17.0, 31.0, 45.0, 68.0, 87.0):
                seen = self.light(layer, 9.0, roll)
                rows, columns = np.nonzero(seen)
                along = seen.sum(axis=1 if np.ptp(rows) > np.ptp(columns) else 0)
                lit = np.flatnonzero(along)
                inner = along[lit[1] : lit[-1]]
                self.assertGreater(inner.min(), 0.4 * np.median(inner), (layer.look.drawn_as, roll))


if __name__ == "__main__":
    unittest.main()
