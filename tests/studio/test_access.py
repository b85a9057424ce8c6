"""Seen and reached by everybody: contrast by WCAG 2.2, names for all that takes the keyboard, and a flame made without a mouse."""

import gc
import tempfile
import unittest
from itertools import combinations
from pathlib import Path
from unittest import mock

import numpy as np
from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QLabel, QMessageBox, QWidget

from pale_ember.studio.controls.buttons import WordButton
from pale_ember.studio.controls.curve_lane import CurveLane
from pale_ember.studio.controls.gradient_lane import GradientLane
from pale_ember.studio.kit import appearance, theme
from pale_ember.studio.layers.row import TAGS
from tests.studio import driven
from tests.studio.hands import ByHand

GROUNDS, TEXTS = ("FLOOR", "SURFACE", "RAISED", "WELL"), ("BONE", "ASH", "DIM", "EMBER", "GLASS", "WARNING")


def luminance(rgb):
    """Relative luminance of sRGB codes (..., 3) uint8, WCAG 2.2."""
    share = np.asarray(rgb, float) / 255
    linear = np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)
    return linear @ np.array([0.2126, 0.7152, 0.0722])


def contrast(one, other):
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


def rgb(colour):
    return QColor(colour).getRgb()[:3]


def as_seen_without(colour, lacking):
    """A colour as who lacks a kind of cone sees it (Viénot, Brettel and Mollon 1999): (3,) linear light."""
    share = np.asarray(rgb(colour), float) / 255
    linear = np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)
    to = {
        "red": [[0.11238, 0.88762, 0], [0.11238, 0.88762, 0], [0.00401, -0.00401, 1]],
        "green": [[0.29275, 0.70725, 0], [0.29275, 0.70725, 0], [-0.02234, 0.02234, 1]],
    }[lacking]
    return np.array(to) @ linear


class Colours(unittest.TestCase):
    def test_text_and_rims_have_contrast_in_every_dress(self):
        for name, codes in theme.DRESSES.items():
            dress = dict(zip(theme.ROLES, map(rgb, codes.split()), strict=True))
            for ground in GROUNDS:
                for text in TEXTS:
                    self.assertGreaterEqual(contrast(dress[text], dress[ground]), 4.5, (name, text, ground))
                self.assertGreaterEqual(contrast(dress["EDGE"], dress[ground]), 3, (name, ground))

    def test_colours_that_mean_something_differ_for_everybody_or_have_a_second_sign(self):
        often = [(0.05, 0.16, 0.16), (0.27, 0.62, 0.58), (0.85, 0.80, 0.70), (0.95, 0.48, 0.16), (1, 1, 1)]
        for lacking in ("red", "green"):
            seen = [as_seen_without(QColor.fromRgbF(*colour), lacking) for colour in often]
            for one, other in combinations(seen, 2):
                self.assertGreater(np.abs(one - other).max(), 0.04, lacking)
        self.assertEqual(len({QColor(colour).rgb() for colour in TAGS.values()}), len(TAGS))


class Access(driven.Window):
    def seen_contrast(self, widget):
        """Of the lightest and the darkest that is seen of a widget."""
        picture = widget.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
        data = picture.constBits().asarray(picture.sizeInBytes())
        codes = np.frombuffer(data, np.uint8).reshape(-1, 4)[:, 2::-1]
        shines = luminance(codes)
        return (shines.max() + 0.05) / (shines.min() + 0.05)

    def test_the_window_has_room_on_a_screen_of_full_hd_at_twice_the_scale(self):
        least = self.window.minimumSizeHint()
        self.assertLessEqual(least.width(), 1920 // 2)
        self.assertLessEqual(least.height(), 1080 // 2)

    def test_text_is_offered_as_large_as_the_screen_has_room_for(self):
        small = mock.Mock(availableSize=lambda: QSize(1280, 772))
        with mock.patch.object(self.window, "screen", return_value=small), mock.patch.dict("os.environ", QT_SCALE_FACTOR="as is"):
            told = {name: appearance.too_large(name, self.window) for name, _ in appearance.choices()}
            self.assertEqual([name for name, why in told.items() if why], ["150 %"])
            self.assertRegex(appearance.choose("150 %", self.window), r"^Text size 150 % needs a screen of 14\d\d × \d+\.$")
            self.assertEqual(appearance.text_size(), 100)
        # The same screen, seen from a window that is half as large again.
        larger = mock.Mock(availableSize=lambda: QSize(853, 515))
        with mock.patch.object(self.window, "screen", return_value=larger), mock.patch.dict("os.environ", QT_SCALE_FACTOR="1.5"):
            self.assertEqual({name: appearance.too_large(name, self.window) for name in told}, told)

    def test_what_is_written_is_seen_in_every_dress(self):
        self.addCleanup(theme.dress, self.qt)
        for name in (*theme.DRESSES, "ember"):
            theme.dress(self.qt, name)
            self.qt.processEvents()
            seen = 0
            for widget in self.window.findChildren(QWidget):
                told = isinstance(widget, QLabel | WordButton) and widget.text().strip()
                if told and widget.isVisible() and widget.isEnabled() and not widget.visibleRegion().isEmpty():
                    # Thin strokes never reach their full colour.
                    self.assertGreater(self.seen_contrast(widget), 3.6, (name, widget.text()))
                    seen += 1
            self.assertGreater(seen, 30)

    def test_a_dress_is_put_on_while_widgets_that_nobody_holds_are_collected(self):
        self.addCleanup(theme.dress, self.qt)
        self.addCleanup(gc.set_threshold, *gc.get_threshold())

        class Collecting(QLabel):
            def changeEvent(self, event):
                gc.set_threshold(1, 1, 1)
                self.made = [[] for _ in range(2000)]
                super().changeEvent(event)

        for name in (*theme.DRESSES, "ember"):
            gc.set_threshold(10**9)
            for at in range(60):
                left = (Collecting if at % 20 == 0 else QLabel)("left")
                left.itself = left
                left.show()
                left.hide()
            del left
            theme.dress(self.qt, name)

    def test_whatever_takes_the_keyboard_has_a_name(self):
        self.window.transport.open_stage()
        for name in self.window.screens.names:
            self.window.screens.show_screen(name)
            self.qt.processEvents()
            nameless = {
                type(each).__name__
                for each in self.window.findChildren(QWidget)
                if each.isVisible() and each.focusPolicy() != Qt.FocusPolicy.NoFocus and not each.accessibleName()
            }
            self.assertEqual(nameless, set())

    def walked(self, keys, most=200):
        """The names that Tab comes to, until it is back where it began."""
        names, begun = [], QApplication.focusWidget()
        while len(names) < most:
            QTest.keyClick(QApplication.focusWidget(), keys)
            self.qt.processEvents()
            if QApplication.focusWidget() is begun:
                break
            names.append(QApplication.focusWidget().accessibleName())
        return names

    def test_tab_goes_round_the_window_and_chapter_by_chapter(self):
        self.window.stage.setFocus()
        names = self.walked(Qt.Key.Key_Tab)
        self.assertLess(len(names), 120)
        self.assertEqual(names[4], "place, X", "the first field is the fifth")
        first = ("place, X", "rate, maximum", "lifetime, minimum", "size over age", "gravity, X", "on collision", "picture")
        chapters = [names.index(name) for name in first]
        self.assertEqual(chapters, sorted(chapters))
        self.assertIn("effect name", names[chapters[-1] :])
        self.assertEqual(len(self.walked(Qt.Key.Key_Backtab)), len(names))

    def test_a_row_of_buttons_is_one_stop_and_arrows_go_through_it(self):
        transport = self.window.transport
        transport.play.setFocus()
        QTest.keyClick(transport.play, Qt.Key.Key_Right)
        self.assertIs(QApplication.focusWidget(), transport.again)
        QTest.keyClick(transport.again, Qt.Key.Key_Left)
        QTest.keyClick(transport.play, Qt.Key.Key_Left)
        self.assertIs(QApplication.focusWidget(), transport.overlays)


class WithoutAMouse(ByHand):
    def wish(self, *lines):
        for line in lines:
            self.hands.key("ctrl+f")
            self.hands.type(line)
            self.hands.key("Return")

    def tab_to(self, met):
        for _ in range(160):
            if met(QApplication.focusWidget()):
                break
            self.hands.key("Tab")
        self.assertTrue(met(QApplication.focusWidget()), "Tab never came there")
        return QApplication.focusWidget()

    def test_a_flame_is_built_tuned_checked_and_handed_over(self):
        hands, desk = self.hands, self.window.desk
        # The pointer rests where nothing is, and is not touched again.
        hands.move(self.window, QPoint(640, 795))
        with mock.patch.object(QMessageBox, "question", return_value=QMessageBox.StandardButton.Discard):
            hands.key("ctrl+n")
        self.wish("add flame", "rate 40, lifetime 0.5-1", "limit 5")
        layer = desk.layer
        self.assertEqual((layer.name, layer.outlet.rate.low, layer.birth.lifetime.high), ("flame", 40.0, 1.0))
        lane = self.tab_to(lambda focus: isinstance(focus, CurveLane))
        keys, value = len(lane.points), lane.points[0].value
        for key in ("Page_Down", "Up", "Up", "Insert"):
            hands.key(key)
        self.assertEqual(len(lane.points), keys + 1)
        self.assertGreater(lane.points[0].value, value)
        bar = self.tab_to(lambda focus: isinstance(focus, GradientLane))
        before = bar.points[1].at
        for key in ("Page_Down", "Page_Down", "Right"):
            hands.key(key)
        self.assertGreater(bar.points[1].at, before)
        self.tab_to(lambda focus: focus is self.window.stage)
        radius = desk.layer.outlet.radius
        while self.window.stage.keys.chosen != "radius":
            hands.key("Page_Down")
        hands.key("Right")
        self.assertAlmostEqual(desk.layer.outlet.radius, radius + 0.01)
        hands.key("Return")
        hands.type("0.3")
        hands.key("Return")
        self.assertEqual(desk.layer.outlet.radius, 0.3)
        self.window.checks.switch.click()
        self.wish("show the problems")
        self.wait_for(lambda: any("births" in found.said for found in desk.findings.open))
        self.wait_for(lambda: self.window.checks.isVisible())
        self.tab_to(lambda focus: isinstance(focus, WordButton) and focus.text().startswith("raise the limit"))
        hands.key("Return")
        self.assertGreater(desk.layer.outlet.limit, 5)
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(QFileDialog, "getExistingDirectory", return_value=folder):
            hands.key("ctrl+e")
            self.wait_for(lambda: self.window.handing.hand_button.isEnabled(), 60)
            self.tab_to(lambda focus: focus is self.window.handing.hand_button)
            hands.key("Return")
            self.wait_for(lambda: (Path(folder) / "effect.json").exists(), 60)
