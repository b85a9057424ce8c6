"""Layers, time and the stage in the hand: bars, places, events, variants, keys, what is set off by a click."""

import os
import tempfile
import time
import unittest
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractScrollArea

from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.life import Life
from pale_ember.core.effect.places import MOST_PLACES, Place, Places
from pale_ember.core.effect.sharing import sharers, without_share
from pale_ember.core.effect.values import Curve, curve, fixed
from pale_ember.core.simulate.poses import turns
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.studio.fields.sharing import share
from pale_ember.studio.layers.moments_strip import COUNT
from pale_ember.studio.layers.row import fold_box, gaps_of, lanes_of
from pale_ember.studio.stage.handle_drag import HandleDrag
from pale_ember.studio.stage.layer_handles import handles
from tests.studio import driven
from tests.studio.driven import LEFT
from tests.studio.hands import ByHand

SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


class PaintedRects(QObject):
    """What of a widget is painted anew."""

    def __init__(self, widget):
        super().__init__()
        self.rects = []
        widget.installEventFilter(self)

    def eventFilter(self, widget, event):
        if event.type() == QEvent.Type.Paint:
            self.rects.append(event.rect())
        return False


class Rows(driven.Window):
    def at(self, row, time, up=13):
        table = self.window.layers.table
        return QPoint(round(table.x_at(time)), round(table.row_box(row).bottom()) - up)

    def test_time_is_scrubbed_in_the_rows_and_a_part_played_over_and_over(self):
        table, player = self.window.layers.table, self.window.desk.player
        order = [layer.name for layer in self.effect.layers]
        self.drag(table, self.at(0, 0.5, 24), self.at(0, 1.75, 24))
        self.assertAlmostEqual(player.moment, 1.75, delta=0.02)
        self.assertEqual([layer.name for layer in self.effect.layers], order)
        player.go_to(0.5)
        QTest.mouseClick(table, LEFT, pos=self.at(1, 1.0, 24))
        self.assertEqual(player.moment, 0.5, "a click selects and leaves time alone")
        self.assertEqual(self.window.desk.layer, self.layer(1))
        ruler = self.window.layers.ruler
        QTest.mousePress(ruler, LEFT, SHIFT, QPoint(round(table.x_at(0.4)), 6))
        ruler.mouseMoveEvent(self.moved(ruler, QPointF(table.x_at(0.9), 6)))
        QTest.mouseRelease(ruler, LEFT, SHIFT, QPoint(round(table.x_at(0.9)), 6))
        self.assertAlmostEqual(player.part[0], 0.4, delta=0.02)
        length = table.length()
        for moment, kept in ((0.6, 0.6), (1.2, 0.4), (length + 0.6, length + 0.6), (length + 1.0, length + 0.4)):
            self.assertAlmostEqual(player._wrapped(moment), kept, delta=0.02)
        QTest.mouseClick(ruler, LEFT, SHIFT, QPoint(round(table.x_at(0.4)), 6))
        self.assertIsNone(player.part)

    def moved(self, widget, at):
        from PyQt6.QtCore import QEvent
        from PyQt6.QtGui import QMouseEvent

        return QMouseEvent(QEvent.Type.MouseMove, at, widget.mapToGlobal(at), LEFT, LEFT, SHIFT)

    def test_what_rides_folds_into_its_row_and_moves_with_it(self):
        table, desk = self.window.layers.table, self.window.desk
        layers = self.effect.layers
        rides = replace(layers[2], rides_on=layers[0].id)
        self.window.document.change("rides", replace(self.effect, layers=(*layers[:2], rides, *layers[3:])))
        self.settle()
        fold = fold_box(self.effect, self.layer(0), table.row_box(0)).center().toPoint()
        chosen = desk.selection
        QTest.mouseClick(table, LEFT, pos=fold)
        self.assertEqual(desk.selection, chosen, "folding selects nothing")
        self.assertEqual(len(table.layers), len(layers) - 1)
        self.drag(table, QPoint(90, fold.y()), QPoint(90, table.height() - 2))
        self.assertEqual([layer.id for layer in self.effect.layers[-2:]], [layers[0].id, rides.id])
        desk.select(rides.id)
        self.assertEqual(len(table.layers), len(layers), "what is looked for is shown")

    def test_rows_mark_lanes_that_are_not_flat(self):
        layer = self.layer(0)
        self.assertEqual(len(lanes_of(replace(layer, life=Life(opacity=Curve())))), 0)
        self.assertEqual(len(lanes_of(replace(layer, life=Life(size=curve((0, 0), (1, 1)))))), 2)

    def test_a_locked_seed_stays(self):
        header, seed = self.window.header, self.effect.seed
        QTest.mouseClick(header.seed_lock, LEFT)
        self.command("New seed")
        self.assertEqual(self.effect.seed, seed)
        self.assertIn("locked", self.window.hints.accessibleDescription())
        QTest.mouseClick(header.seed_lock, LEFT)
        self.command("New seed")
        self.assertEqual(self.effect.seed, seed + 1)

    def test_gaps_limits_and_what_is_pointed_at_are_seen(self):
        self.assertEqual(gaps_of(np.array([0, 0, 3, 0, 1, 0])), [(0, 1), (3, 3), (5, 5)])
        table, stage = self.window.layers.table, self.window.stage
        last = len(self.effect.layers) - 1
        before = stage.grab().toImage()
        QTest.mouseMove(table, self.at(last, 1.0))
        self.assertEqual(self.window.desk.looking.pointed, self.layer(last).id)
        self.assertNotEqual(stage.grab().toImage(), before)
        table.leaveEvent(None)
        self.assertEqual(stage.grab().toImage(), before)
        frame = stage.answer.frame.layers[-1]
        x, y, _ = stage.view().project(frame.position[:1], stage.width(), stage.height())[0]
        stage._at = QPointF(x, y)
        with mock.patch.object(stage, "underMouse", return_value=True):
            stage._point()
        self.assertNotEqual(self.window.desk.looking.pointed, "")
        self.window.document.change_layer("few", self.layer(last).id, ("outlet", "limit"), 3)
        self.settle(lambda: len(table.alive.get(self.layer(last).id, ())) > 100)
        box, seen = table.row_box(last).toRect(), table.grab().toImage()
        yellow = [seen.pixelColor(x, y) for x in range(250, 420, 3) for y in range(box.top(), box.bottom())]
        self.assertTrue(any(colour.red() > 190 and colour.green() > 150 and colour.blue() < 130 for colour in yellow))

    def test_neighbours_of_the_held_moment_and_the_sum_of_all_are_seen(self):
        stage, looking, table = self.window.stage, self.window.desk.looking, self.window.layers.table
        self.window.desk.player.go_to(1.0)
        self.settle()
        before = stage.grab().toImage()
        looking.show_mark("moments", True)
        self.settle(lambda: len(stage.answer.around) == 6)
        self.assertEqual([round(frame.time, 3) for frame in stage.answer.around], [0.7, 0.8, 0.9, 1.1, 1.2, 1.3])
        self.assertNotEqual(stage.grab().toImage(), before)
        looking.show_mark("moments", False)
        self.settle(lambda: not stage.answer.around)
        # Once the whole loop is known, nothing more comes of itself.
        states = round(self.effect.duration * self.effect.steps) + 1
        self.settle(lambda: all(len(table.alive.get(layer.id, ())) == states for layer in self.effect.layers))
        ruler = self.window.layers.ruler
        seen = ruler.grab().toImage()
        alive, painted = table.alive, PaintedRects(ruler)
        table.alive = {}
        self.assertNotEqual(ruler.grab().toImage(), seen)
        # While it plays only the playhead's place is painted; what is newly known is painted wholly.
        self.settle()
        painted.rects.clear()
        self.window.desk.player.go_to(0.9)
        self.qt.processEvents()
        self.assertLess(max(rect.width() for rect in painted.rects), ruler.width())
        table.show_alive(alive)
        self.qt.processEvents()
        self.assertEqual(painted.rects[-1].width(), ruler.width())

    def test_lives_are_matched_to_the_loop_from_the_row(self):
        from pale_ember.core.effect.loop_gaps import with_lives_matched

        short = replace(
            self.layer(0),
            outlet=replace(self.layer(0).outlet, start=0.5, span=0.2),
            birth=replace(self.layer(0).birth, lifetime=fixed(0.3)),
        )
        self.window.document.change("short", replace(self.effect, layers=(short, *self.effect.layers[1:])))
        self.assertGreater(with_lives_matched(self.effect, self.layer(0)).birth.lifetime.low, 0.3)

    def test_keys_are_born_at_the_held_moment_and_moved_in_the_row(self):
        desk, table, stage = self.window.desk, self.window.layers.table, self.window.stage
        desk.player.go_to(0.0)
        table.add_key()
        desk.player.go_to(1.0)
        self.settle()
        place = self.layer(0).place
        handle = next(h for h in self.handles() if h.name == "place y")
        begin = stage.screen_now().point(handle.origin).toPoint()
        self.drag(stage, begin, begin - QPoint(0, 60))
        self.assertEqual(self.layer(0).place, place, "the beginning stays")
        self.assertEqual([key.at for key in self.layer(0).keys], [0.0, 1.0])
        self.assertGreater(self.layer(0).keys[1].place[1], 0.05)
        self.drag(table, self.at(0, 1.0, 38), self.at(0, 0.6, 38))
        self.assertAlmostEqual(self.layer(0).keys[1].at, 0.6, delta=0.02)
        self.window.document.undo()
        self.assertEqual(self.layer(0).keys[1].at, 1.0)

    def handles(self):

        stage = self.window.stage
        return handles(stage.stand_of(self.layer(0)), stage.screen_now())

    def test_places_that_are_none_or_too_many_and_a_handle_that_an_undo_takes_away(self):
        desk, stage = self.window.desk, self.window.stage
        none, many = Places(lie="told"), Places(lie="told", told=(Place(),) * (MOST_PLACES + 2))
        # Nothing is emitted: all of it over each other would be drawn for seconds.
        self.window.document.change_layer("rate", self.layer(0).id, ("outlet", "rate"), fixed(0.0))
        for places, count in ((none, 0), (many, MOST_PLACES)):
            self.window.document.change_layer("places", self.layer(0).id, ("places",), places)
            self.settle()
            named = [handle for handle in self.handles() if handle.path[:2] == ("places", "told")]
            self.assertEqual(len(named), count)
        self.window.document.change_layer("places", self.layer(0).id, ("places",), none.with_one_more(Place(place=(1, 0, 0))))
        self.settle()
        handle = next(handle for handle in self.handles() if handle.path[:2] == ("places", "told"))
        held = HandleDrag(desk, handle, self.layer(0), stage.screen_now().point(handle.origin))
        self.window.undo()
        self.window.undo()
        before = desk.effect
        held.drag(stage.screen_now(), QPointF(300, 200), snaps=False)
        self.assertIs(desk.effect, before)
        self.assertIn("no longer there", self.window.hints._text)

    def test_handles_scale_snap_and_take_what_is_typed(self):
        stage = self.window.stage
        named = {handle.name: handle for handle in self.handles()}
        begin = stage.screen_now().point(named["scale"].origin).toPoint()
        self.drag(stage, begin, begin + QPoint(40, -40))
        self.assertGreater(self.layer(0).scale, 1.1)
        self.window.document.undo()
        at = stage.screen_now().point(named["place y"].origin).toPoint()
        QTest.mouseDClick(stage, LEFT, pos=at)
        line = self.qt.focusWidget()
        QTest.keyClicks(line, "0.75")
        QTest.keyClick(line, Qt.Key.Key_Return)
        self.assertEqual(self.layer(0).place[1], 0.75)
        turn = named["turn y"]
        dragged = replace(self.layer(0), turn=(0.0, 22.0, 0.0))
        self.assertEqual(turn.snapped(self.layer(0), dragged).turn, (0.0, 15.0, 0.0))
        moved = replace(self.layer(0), place=(0.0, 0.33, 0.0))
        self.assertEqual(named["place y"].snapped(self.layer(0), moved).place[1], 0.3)

    def test_every_number_of_a_shape_and_every_way_has_a_handle_that_moves_it(self):
        from pale_ember.core.effect.forces import Vortex
        from pale_ember.core.effect.shapes import SHAPES

        stage = self.window.stage
        screen, first = stage.screen_now(), self.layer(0)
        for shape, uses in ((name, shape.uses) for name, shape in SHAPES.items()):
            outlet = replace(first.outlet, shape=shape, arc=270.0, fill=0.5, length=0.6, tube=0.1, aim="along axis")
            layer = replace(first, outlet=outlet, forces=replace(first.forces, more=(Vortex(),)))
            named = {handle.name: handle for handle in handles(stage.stand_of(layer), screen)}
            for use in set(uses) & {"radius", "length", "tube", "arc"}:
                self.assertIn(use, named, shape)
            self.assertIn("aim", named)
            self.assertIn("vortex axis", named)
            for name, handle in named.items():
                at = screen.point(handle.origin)
                moved = [handle.dragged(layer, screen, at, at + QPointF(*by)) for by in ((14, 0), (0, -14), (-14, 9))]
                self.assertTrue(any(each != layer for each in moved), f"{shape}: {name} does nothing")
        tip = named["aim"]
        self.assertEqual(tip.with_number(layer, 90.0).outlet.axis, (0.0, 1.0, 0.0))
        self.assertAlmostEqual(tip.number(tip.with_number(layer, 30.0)), 30.0, places=1)

    def test_a_layer_is_moved_and_turned_in_its_own_axes_or_those_of_the_world(self):
        desk, stage = self.window.desk, self.window.stage
        first = replace(self.layer(0), turn=(0.0, 0.0, 90.0))
        self.window.document.change("turned", replace(self.effect, layers=(first, *self.effect.layers[1:])))
        self.settle()

        def named():

            listed = handles(stage.stand_of(self.layer(0)), stage.screen_now(), desk.looking.axes)
            return {handle.name: handle for handle in listed}

        QTest.keyClick(stage, "x")
        self.assertEqual(desk.looking.axes, "own")
        own = named()
        np.testing.assert_allclose(own["place x"].axis, (0, 1, 0), atol=1e-9)
        place = np.array(self.layer(0).place)
        moved = np.array(own["place x"].with_number(self.layer(0), own["place x"].number(self.layer(0)) + 0.5).place)
        np.testing.assert_allclose(moved - place, (0, 0.5, 0), atol=1e-3)
        QTest.keyClick(stage, "x")
        about = named()["turn y"].with_number(self.layer(0), 90.0)
        np.testing.assert_allclose(turns(np.array([about.turn]))[0] @ (1, 0, 0), (0, 1, 0), atol=1e-3)
        np.testing.assert_allclose(turns(np.array([about.turn]))[0] @ (0, 1, 0), (0, 0, 1), atol=1e-3)
        QTest.keyClick(stage, "x")
        self.assertEqual(desk.looking.axes, "parent")

    def test_time_is_seen_nearer_and_what_is_dragged_snaps(self):
        table, ruler = self.window.layers.table, self.window.layers.ruler
        ruler.add_cue(table.x_at(1.3))
        x = table.x_at(1.3)
        for _ in range(6):
            table.zoom(0.7, x)
        self.assertAlmostEqual(table.x_at(1.3), x, delta=0.5)
        begin, end = table.seen()
        self.assertLess(end - begin, 0.5)
        table.pan(0.2)
        self.assertGreater(table.seen()[0], begin)
        QTest.mouseDClick(ruler, LEFT, pos=QPoint(round(x), 4))
        self.assertEqual(table.seen(), (0.0, table.length()))
        outlet = replace(self.layer(0).outlet, bursts=(Burst(first_at=0.4, count=fixed(5)),))
        self.window.document.change_layer("burst", self.layer(0).id, ("outlet",), outlet)
        self.drag(table, self.at(0, 0.4, 24), self.at(0, 1.3, 24) + QPoint(3, 0))
        self.assertEqual(self.layer(0).outlet.bursts[0].first_at, self.effect.cues[0].at)
        self.drag(table, self.at(0, 1.3, 24), self.at(0, 1.3, 24) + QPoint(2, 0), steps=2)
        self.assertAlmostEqual(self.layer(0).outlet.bursts[0].first_at, 1.3, delta=0.05)

    def test_a_burst_is_said_in_words_and_a_spread_is_dragged(self):
        adding = self.window.story.open_adding("outlet")
        adding.line.setText("30 at 0.2 s, 3 times every 0.1 s")
        QTest.keyClick(adding.line, Qt.Key.Key_Return)
        burst = self.layer(0).outlet.bursts[-1]
        self.assertEqual((burst.count, burst.first_at, burst.times, burst.every), (fixed(30.0), 0.2, 3, 0.1))
        self.window.desk.select(self.layer(0).id)
        self.settle()
        spread = next(handle for handle in self.handles() if handle.name == "spread")
        at = self.window.stage.screen_now().point(spread.origin).toPoint()
        away = (self.window.stage.screen_now().point(spread.origin + 0.1 * spread.axis) - QPointF(at)).toPoint()
        before = self.layer(0).outlet.spread.most
        self.drag(self.window.stage, at, at + away)
        self.assertGreater(self.layer(0).outlet.spread.most, before + 1)

    def test_what_layers_share_is_edited_together_and_seen(self):
        first, second = self.layer(0), self.layer(1)
        share(self.window.desk, first, second, ("birth",), "Birth")
        self.type_into(self.field("birth", "speed").editor.high, "3")
        self.assertEqual(self.layer(1).birth.speed, self.layer(0).birth.speed)
        self.assertEqual(self.window.story.chapters["birth"].heading.text(), "Birth · shared")
        row = self.field("birth", "size")
        row._make_own(True)
        self.type_into(row.editor.high, "2")
        self.assertNotEqual(self.layer(1).birth.size, self.layer(0).birth.size)
        self.assertTrue(row._own)
        self.window.layers.table.duplicate_sharing()
        self.assertEqual(len(sharers(self.effect, self.layer(1), ("look",))), 1)
        for _ in range(2):
            self.window.document.undo()
        self.window.document.change("alone", without_share(self.effect, self.layer(0).id, ("birth",)))
        self.qt.processEvents()
        self.assertEqual(self.window.story.chapters["birth"].heading.text(), "Birth")

    def test_what_rides_hides_and_stands_alone_with_what_carries_it(self):
        self.window.document.change_layer("ride", self.layer(1).id, ("rides_on",), self.layer(0).id)
        table, looking = self.window.layers.table, self.window.desk.looking
        table.toggle_shown(self.layer(0))
        self.assertEqual([layer.shown for layer in self.effect.layers], [False, False, True])
        table.toggle_shown(self.layer(0))
        table.toggle_solo(self.layer(0))
        self.assertEqual(looking.hidden(), {self.layer(2).id})
        self.assertTrue(looking.is_live(self.layer(1)))

    def test_a_locked_layer_stays_as_it_is_and_all_shows_so(self):
        table, before = self.window.layers.table, self.layer(0)
        table.setFocus()
        QTest.keyClick(self.window, Qt.Key.Key_L)
        self.assertTrue(self.layer(0).locked)
        steps = len(self.window.document.past)
        rate = self.field("outlet", "rate").editor
        self.type_into(rate.high, "7")
        self.assertEqual(rate.value, before.outlet.rate)
        self.assertIn("is locked", self.window.hints._text)
        lane = self.window.story.bodies["life"].lanes["opacity"]
        lane.take_shape(before.life.opacity.__class__(keys=before.life.opacity.keys[:1]))
        self.assertIs(lane.value, self.layer(0).life.opacity)
        table.delete()
        self.drag(table, self.at(0, 0.0, 4), self.at(0, 1.0, 4))
        self.assertEqual(replace(self.layer(0), locked=False), before)
        self.assertEqual(len(self.window.document.past), steps)
        QTest.keyClick(self.window, Qt.Key.Key_L)
        table.set_tag("sea")
        self.assertEqual(self.layer(0).tag, "sea")

    def test_what_stands_on_the_stage_is_dragged_while_its_panel_is_open(self):
        from pale_ember.studio.stage.layer_handles import handles_of_stage

        page, stage = self.window.transport.open_stage(), self.window.stage
        page.add_piece("lamp post")
        self.settle()
        self.qt.processEvents()
        lamp = handles_of_stage(self.effect, 0.0)[-1]
        self.assertEqual(lamp.path[0], "lamps")
        at = stage.screen_now().point(lamp.origin).toPoint()
        self.drag(stage, at, at + QPoint(30, 10))
        moved = np.array(self.effect.stage.lamps[0].place) - lamp.origin
        self.assertGreater(float(np.linalg.norm(moved)), 0.02)
        self.assertLess(abs(float(moved @ stage.view().forward)), 0.01, "across the line of sight")
        self.window.side.hide()
        self.qt.processEvents()
        before = self.effect
        self.drag(stage, at, at + QPoint(30, 10))
        self.assertIs(self.effect, before, "the camera is meant now")

    def test_moments_are_seen_above_the_ruler_and_gone_to(self):
        strip = self.window.layers.strip
        self.assertTrue(strip.isVisible())
        self.settle(lambda: len(strip._images) == COUNT)
        QTest.mouseClick(strip, LEFT, pos=strip._box(2).center().toPoint())
        self.assertAlmostEqual(self.window.desk.player.moment, strip.moments()[2], places=3)
        self.settle()


class Versions(driven.Window):
    def test_a_variant_is_seen_beside_the_effect_and_the_line_is_dragged(self):
        stage, looking, variants = self.window.stage, self.window.desk.looking, self.window.layers.variants
        plain = self.shown()
        variants.keep("plain")
        bright = fixed(8.0)
        for index in range(len(self.effect.layers)):
            self.window.document.change_layer("bright", self.layer(index).id, ("birth", "brightness"), bright)
        self.settle()
        loud = self.shown()
        looking.compare("plain")
        self.settle(lambda: stage.answer.beside is not None)
        both, half = self.shown(), plain.shape[1] // 2
        np.testing.assert_array_equal(both[:, : half - 2], loud[:, : half - 2])
        np.testing.assert_array_equal(both[:, half + 2 :], plain[:, half + 2 :])
        middle = QPoint(stage.width() // 2, stage.height() // 2)
        self.drag(stage, middle, middle + QPoint(150, 0))
        self.assertAlmostEqual(looking.share, 0.5 + 150 / stage.width(), delta=0.01)
        looking.compare("")
        self.settle(lambda: stage.answer.beside is None)
        self.assertEqual(looking.show_variant(), "plain")
        self.wait(lambda: stage.answer.request.effect is looking.before and stage.answer.request.scale == 1.0)
        np.testing.assert_array_equal(stage.answer.picture[..., :3], plain)
        looking.show_before(False)
        variants.take("plain")
        self.assertEqual([variant.name for variant in self.effect.variants], ["before plain"])
        self.assertNotEqual(self.layer(0).birth.brightness, bright)
        variants.drop("before plain")
        self.assertEqual(self.effect.variants, ())
        for text in ("undo", "undo", "undo"):
            getattr(self.window.document, text)()
        self.assertEqual(self.layer(0).birth.brightness, bright)

    def shown(self):
        self.settle(lambda: self.window.stage.answer.request.scale == 1.0)
        return self.window.stage.answer.picture[..., :3].copy()

    def wait(self, until, seconds=10):
        end = time.monotonic() + seconds
        while not until() and time.monotonic() < end:
            self.qt.processEvents()
            time.sleep(0.003)
        self.assertTrue(until())

    def test_events_are_told_at_the_held_moment_and_cues_stand_in_the_ruler(self):
        desk, page = self.window.desk, self.window.transport.events
        QTest.mouseClick(self.window.layers.events, LEFT)
        self.assertTrue(page.isVisible())
        desk.player.go_to(1.0)
        self.settle()
        alive = self.window.stage.answer.frame.alive
        QTest.mouseClick(page.tries["end softly"], LEFT)
        desk.player.go_to(2.0)
        self.settle()
        faded = self.window.stage.answer.frame.alive
        self.assertLess(faded, alive)
        QTest.mouseClick(page.tries["stop"], LEFT)
        desk.player.go_to(2.5)
        self.settle()
        self.assertEqual(self.window.stage.answer.frame.alive, 0)
        QTest.mouseClick(page.tries["start"], LEFT)
        desk.player.pause()
        desk.player.go_to(2.0)
        self.settle()
        self.assertGreater(self.window.stage.answer.frame.alive, faded)
        ruler, table = self.window.layers.ruler, self.window.layers.table
        ruler.add_cue(table.x_at(0.5))
        self.drag(ruler, QPoint(round(table.x_at(0.5)), 21), QPoint(round(table.x_at(1.2)), 21))
        self.assertAlmostEqual(self.effect.cues[0].at, 1.2, delta=0.02)
        row = self.field("outlet", "on_cue")
        self.assertEqual([value for value, _ in row.editor.options()], ["cue"])
        row.editor.edited.emit("cue", None)
        self.window.document.change("once", replace(self.effect, loop=False, warm=False))
        desk.player.go_to(1.0)
        self.settle()
        self.assertEqual(self.window.stage.answer.frame.layers[0].count, 0)

    def test_panels_stand_beside_the_stage_and_stages_are_kept_by_name(self):
        with tempfile.TemporaryDirectory() as place, mock.patch.dict(os.environ, {"XDG_DATA_HOME": place}):
            wide = self.window.stage.width()
            page = self.window.transport.open_stage()
            self.qt.processEvents()
            side = self.window.side
            self.assertEqual(self.window.stage.width(), wide - side.width() - 1)
            self.assertLessEqual(side.geometry().right(), self.window.stage.geometry().left())
            page.add_piece("lamp post")
            with mock.patch("pale_ember.studio.stage.panels.QInputDialog.getText", return_value=("night", True)):
                page._ask_name()
            kept = self.effect.stage
            self.window.document.undo()
            menu = page.kept_menu()
            self.assertEqual(menu.actions()[0].text(), "night")
            menu.actions()[0].trigger()
            self.assertEqual(self.effect.stage, kept)
            next(each for each in menu.actions() if each.text().startswith("dusk")).trigger()
            self.assertEqual((self.effect.stage.props, self.effect.stage.background), (kept.props, "gradient"))
            self.assertGreater(self.effect.stage.sun.power, kept.sun.power)
            QTest.keyClick(side, Qt.Key.Key_Escape)
            self.qt.processEvents()
            self.assertEqual(self.window.stage.width(), wide)

    def test_the_keys_stay_where_the_hand_put_them_when_a_page_opens_or_closes(self):
        window = self.window
        for page in (window.checks, window.costs, window.thinning, window.variations, window.matching, window.transport.events):
            with self.subTest(page.title):
                QTest.mouseClick(window.header.name, LEFT)
                line = self.qt.focusWidget()
                window.flip_side(page)
                self.settle()
                self.assertIs(self.qt.focusWidget(), line)
                page.findChildren(QAbstractScrollArea)[0].setFocus()
                window.side.hide()
                self.assertIs(self.qt.focusWidget(), window.stage)


class OnTheStage(ByHand):
    def test_six_jets_on_a_turning_rig(self):
        """After the first jet: on a ring, how many, how far, how they lean, and the rig that carries them."""
        hands = self.hands
        hands.key("ctrl+n")
        hands.start("jet")
        self.window.desk.player.pause()
        self.settle()
        hands.gestures = 0
        hands.click(*self.row(0, "menu"))
        hands.choose("Repeat at places")
        hands.choose("In a ring")
        self.window.story.bring("place")
        standing = self.window.story.chapters["place"].sentence
        hands.fill(standing.piece("places", "radius"), "1.5")
        hands.key("ctrl+f")
        hands.type("lean 40")
        hands.key("Return")
        hands.key("ctrl+f")
        hands.type("carrier moves circle")
        hands.key("Return")
        self.assertEqual(self.effect.stage.carrier.moves, "circle")
        self.window.desk.player.pause()
        self.window.desk.player.go_to(1.0)
        self.settle()
        self.assertLessEqual(hands.gestures, 12)
        frame = self.window.stage.answer.frame
        self.assertEqual(len({layer.key for layer in frame.layers}), 6)
        self.assertTrue(all(layer.count for layer in frame.layers))

    def row(self, index, what=""):
        table = self.window.layers.table
        box = table.row_box(index)
        return (table, QPoint(90, round(box.center().y())), 3) if what == "menu" else (table, QPoint(90, round(box.center().y())))

    def test_clicks_place_a_layer_and_set_it_off(self):
        hands, stage = self.hands, self.window.stage
        self.window.desk.player.pause()
        self.window.clicks.place()
        for at in (QPoint(120, stage.height() - 60), QPoint(stage.width() - 140, stage.height() - 60)):
            hands.click(stage, at)
            self.settle()
        self.assertEqual(len(self.layer(0).places.told), 3)
        hands.key("Escape")
        hands.click(stage, QPoint(200, stage.height() - 40))
        self.assertEqual(len(self.layer(0).places.told), 3, "Escape ended it")
        before = self.effect
        self.window.clicks.shoot()
        hands.click(stage, QPoint(300, stage.height() - 50))
        self.settle(lambda: stage.answer.request.fired)
        shown = stage.answer.frame
        self.assertGreater(shown.alive, Timeline(self.effect).frame(shown.time).alive)
        self.assertIs(self.effect, before, "nothing of it is kept")


if __name__ == "__main__":
    unittest.main()
