"""An error while a picture is painted costs a part of that picture, for as long as it lasts, and never the window."""

import sys
from unittest import mock

import numpy as np
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from pale_ember.studio.kit import painting
from pale_ember.studio.kit.cached_painting import CachedPainting
from tests.studio import driven


class Failing(QPainter):
    """A painter that fails on one widget, once."""

    of = None

    def __init__(self, device):
        super().__init__(device)
        self.fails = device is Failing.of

    def __getattribute__(self, name):
        if name not in ("end", "fails") and self.fails:
            self.fails, Failing.of = False, None
            raise RuntimeError("made to fail")
        return super().__getattribute__(name)


def paints(widget):
    return "paintEvent" in vars(type(widget)) and type(widget).__module__.startswith("pale_ember")


class Painting(driven.Window):
    def setUp(self):
        super().setUp()
        self.told = []
        sys.excepthook = lambda kind, error, trace: self.told.append(error)

    def fail_each(self, top, seen):
        """Makes every class of widget that is seen in a window fail twice while it paints."""
        for widget in top.findChildren(QWidget):
            if not paints(widget) or type(widget) in seen or not widget.isVisible() or widget.visibleRegion().isEmpty():
                continue
            seen.add(type(widget))
            self.told.clear()
            for _ in range(2):
                Failing.of = widget
                widget.repaint()
            if self.told or Failing.of is None:
                self.assertEqual([str(each) for each in self.told], ["made to fail"], type(widget).__name__)
            widget.repaint()
            self.qt.processEvents()

    def test_every_class_that_paints_may_fail_twice(self):
        window, seen = self.window, set()
        window.desk.select(self.layer(2).id)
        with mock.patch.object(painting, "QPainter", Failing):
            self.fail_each(window, seen)
            for name in window.story.chapters:
                window.story.bring(name)
                self.settle()
                self.fail_each(window, seen)
            for page in (window.checks, window.costs, window.thinning, window.variations, window.matching, window.transport.events):
                window.flip_side(page)
                self.settle()
                self.fail_each(window, seen)
            for name in ("Hand over", "Textures"):
                window.screens.flip(name)
                self.settle()
                self.fail_each(window, seen)
                window.screens.flip(name)
            search = window.open.search()
            self.qt.processEvents()
            self.fail_each(window, seen)
            search.close()
        self.assertGreater(len(seen), 38, sorted(kind.__name__ for kind in seen))
        self.settle()

    def test_what_was_seen_stays(self):
        row, pictures = self.window.layers.ruler, []
        with mock.patch.object(painting, "QPainter", Failing):
            for fails in (None, row):
                QTest.qWait(80)
                Failing.of = fails
                row.update()
                QTest.qWait(80)
                at = row.mapTo(self.window, row.rect().topLeft())
                seen = self.window.screen().grabWindow(self.window.winId(), at.x(), at.y(), row.width(), row.height())
                image = seen.toImage().convertToFormat(QImage.Format.Format_RGB32)
                pictures.append(np.frombuffer(image.constBits().asarray(image.sizeInBytes()), np.uint8).astype(int))
        self.assertEqual(len(self.told), 1)
        self.assertEqual(np.abs(pictures[0] - pictures[1]).max(), 0)

    def test_a_kept_picture_that_failed_is_made_anew(self):
        still, drawn = CachedPainting(self.window.header), []

        def fails(painter):
            drawn.append(painter)
            raise RuntimeError("made to fail")

        outer = QImage(64, 64, QImage.Format.Format_RGB32)
        painter = QPainter(outer)
        for _ in range(2):
            with self.assertRaises(RuntimeError):
                still.paint(painter, "key", fails)
        still.paint(painter, "key", drawn.append)
        painter.end()
        self.assertEqual([each.isActive() for each in drawn], [False] * 3)
