"""A real window to drive by mouse and keys."""

import os
import sys
import time
import unittest

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QCursor
from PyQt6.QtTest import QTest

from pale_ember.app import application, workbench
from pale_ember.formats.document import load
from pale_ember.studio.kit.settings import settings
from tests.examples import SMALL_FIRE

LEFT = Qt.MouseButton.LeftButton


class Window(unittest.TestCase):
    in_window = os.environ.get("PALE_EMBER_STAGE") == "window"
    checks = False
    """Whether effects are checked after each edit: it takes its time, and most have nothing to do with it."""

    def setUp(self):
        self.qt = application()
        self.errors = []
        hook, sys.excepthook = sys.excepthook, lambda *error: self.errors.append(error)
        self.addCleanup(setattr, sys, "excepthook", hook)
        settings().setValue("checks", "true" if self.checks else "false")
        made, _ = load(SMALL_FIRE)
        self.window = workbench(made, None, in_window=self.in_window)
        self.failures = []
        self.window.worker.failed.connect(self.failures.append)
        self.window.resize(1280, 800)
        self.window.show()
        self.window.activateWindow()
        # Wherever a test before left the pointer, this one finds it at the window's edge.
        QCursor.setPos(self.window.mapToGlobal(QPoint(2, 2)))
        self.window.start()
        self.window.desk.player.pause()
        self.addCleanup(self.close)
        self.settle()

    def close(self):
        self.window.end()
        self.window.close = lambda: True
        self.window.hide()
        self.window.deleteLater()
        self.qt.processEvents()
        self.assertEqual((self.errors, self.failures), ([], []))

    def wait_for(self, done, seconds=60, what=None):
        """Lets the window work until something holds."""
        end = time.monotonic() + seconds
        while not done() and time.monotonic() < end:
            self.qt.processEvents()
            time.sleep(0.003)
        self.assertTrue(done(), what)

    def settle(self, until=lambda: True, seconds=60):
        """Lets the window work until its stage shows the document as it is."""
        end = time.monotonic() + seconds
        stage, document = self.window.stage, self.window.document
        while time.monotonic() < end:
            self.qt.processEvents()
            answer = stage.answer
            shown = answer is not None and answer.request.effect is document.effect
            still = shown and answer.request.moment == self.window.desk.player.moment
            if still and not stage.waiting and until():
                return
            time.sleep(0.003)
        self.fail("the stage did not settle")

    def command(self, words):
        """Does what a command of the window does."""
        next(command for command in self.window.commands if command.words == words).does()

    @property
    def effect(self):
        return self.window.document.effect

    def layer(self, index):
        return self.effect.layers[index]

    def field(self, chapter, name):
        self.window.story.bring(chapter)
        self.qt.processEvents()
        row = self.window.story.bodies[chapter].fields.reveal((chapter, name))
        self.qt.processEvents()
        return row

    def drag(self, widget, start, end, steps=4):
        QTest.mousePress(widget, LEFT, pos=start)
        for i in range(1, steps + 1):
            QTest.mouseMove(widget, start + (end - start) * i / steps)
        QTest.mouseRelease(widget, LEFT, pos=end)

    def type_into(self, editor, text):
        QTest.mouseClick(editor, LEFT)
        QTest.keyClicks(editor._line, text)
        QTest.keyClick(editor._line, Qt.Key.Key_Return)
