"""How many gestures an effect takes from nothing: presses, drags, keys and what is typed, each counted by true events."""

import unittest

from PyQt6.QtCore import QPoint

from pale_ember.core.effect.values import between, fixed
from tests.studio.hands import ByHand


class Gestures(ByHand):
    def begin(self):
        self.hands.key("ctrl+n")
        self.hands.gestures = 0

    def done(self, most):
        self.window.desk.player.pause()
        self.settle()
        self.assertLessEqual(self.hands.gestures, most)
        self.assertEqual(self.open_lines(), [])

    def piece(self, *path):
        chapter = self.window.story.chapters[path[0]]
        if chapter.visibleRegion().boundingRect() != chapter.rect():
            self.hands.click(self.window.story.line.names[path[0]])
        return chapter.sentence.piece(*path)

    def set(self, text):
        """Sets a field by its name and a value, wherever it is."""
        self.hands.key("ctrl+f")
        self.hands.type(text)
        self.hands.key("Return")
        self.hands.key("Escape")

    def test_rain_with_splashes(self):
        self.begin()
        hands = self.hands
        hands.start("rain")
        hands.fill(self.piece("outlet", "rate"), "700")
        self.set("streak 0.05")
        hands.click(*self.row(0))
        hands.fill(self.piece("birth", "size"), "0.1 - 0.2")
        hands.fill(self.piece("birth", "lifetime"), "0.3")
        self.done(24)
        splash, rain = self.effect.layers
        self.assertEqual((rain.outlet.rate, rain.look.streak), (fixed(700.0), fixed(0.05)))
        self.assertEqual((splash.birth.size, splash.birth.lifetime), (between(0.1, 0.2), fixed(0.3)))
        self.assertEqual((rain.offspring.rules[0].layer, rain.offspring.rules[0].when), (splash.id, "touches"))
        self.window.desk.player.pause()
        self.window.desk.player.go_to(1.2)
        self.settle()
        self.assertGreater(self.window.stage.answer.frame.layers[0].count, 20)

    def test_a_flame_with_smoke_out_of_it(self):
        self.begin()
        hands = self.hands
        hands.start("smoke")
        hands.start("flame")
        hands.fill(self.piece("outlet", "rate"), "80")
        hands.fill(self.piece("birth", "lifetime"), "0.4 to 0.9")
        hands.fill(self.piece("birth", "size"), "*0.8")
        self.done(18)
        smoke, flame = self.effect.layers
        self.assertEqual((flame.outlet.rate, flame.birth.lifetime), (fixed(80.0), between(0.4, 0.9)))
        self.assertEqual(smoke.name, "smoke")

    def test_a_nine_layer_impact(self):
        self.begin()
        hands = self.hands
        starts = ("wet mark", "cracks", "shock ring", "burst of dust", "shards", "splash", "burst of glitter", "flash")
        for start in starts:
            hands.start(start)
            hands.fill(self.piece("outlet", "bursts", 0, "first_at"), "0.1")
            hands.fill(self.piece("birth", "lifetime"), "*1.2")
            hands.fill(self.piece("birth", "size"), "*0.9")
        self.done(120)
        self.assertEqual(len(self.effect.layers), 9, [layer.name for layer in self.effect.layers])
        late = [layer.outlet.bursts[0].first_at for layer in self.effect.layers if layer.outlet.bursts]
        self.assertEqual(late, [0.1] * 8)

    def test_a_curve_of_four_keys_with_a_band(self):
        self.begin()
        hands = self.hands
        hands.start("empty")
        life = self.window.story.bodies["life"]
        hands.gestures = 0
        hands.click(life.adder)
        hands.key("Return")
        lane = life.lanes["size"]

        def at(age, value):
            return QPoint(round(lane.x_at(age)), round(lane.y_at(value)))

        hands.drag(lane, at(0.3, 1.0), at(0.3, 0.7))
        hands.drag(lane, at(0.7, lane.on_curve(0.7)), at(0.7, 0.5))
        hands.drag(lane, at(1.0, lane.on_curve(1.0)), at(1.0, 0.05))
        hands.drag(lane, at(0.0, 1.0), at(0.0, 0.2))
        grip = at(0.5, lane.on_curve(0.5))
        hands.drag(lane, grip, grip - QPoint(0, 6), held="ctrl")
        self.done(7)
        keys = self.layer(0).life.size.keys
        self.assertEqual(len(keys), 4)
        self.assertTrue(all(key.band > 0 for key in keys))


if __name__ == "__main__":
    unittest.main()
