"""A real window to drive by mouse and keys."""

import os
import sys
import time
import unittest

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QCursor
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from pale_ember.app import application, workbench
from pale_ember.formats.document import load
from pale_ember.studio.kit.settings import settings
from tests.examples import SMALL_FIRE

LEFT = Qt.MouseButton.LeftButton


def end(window):
    """Ends a window and all that it runs."""
    window.end()
    window.close = lambda: True
    window.hide()
    window.deleteLater()
    application().processEvents()


class Window(unittest.TestCase):
    in_window = os.environ.get("PALE_EMBER_STAGE") == "window"
    checks = False
    """Whether effects are checked after each edit: it takes its time, and most have nothing to do with it."""

    kept = None
    """(the window that the test before left as it began, how it looked then), for the next test of the same class: making one takes
    longer than most tests do."""

    def setUp(self):
        self.qt = application()
        self.errors = []
        hook, sys.excepthook = sys.excepthook, lambda *error: self.errors.append(error)
        self.addCleanup(setattr, sys, "excepthook", hook)
        settings().setValue("checks", "true" if self.checks else "false")
        self.made, _ = load(SMALL_FIRE)
        kept, type(self).kept = self.kept, None
        self.window, self.look = kept or (workbench(self.made, None, in_window=self.in_window), None)
        self.failures = []
        self.window.worker.failed.connect(self.failures.append)
        if kept is None:
            self.window.resize(1280, 800)
            self.window.show()
            self.window.start()
        self.window.activateWindow()
        self.window.stage.setFocus()
        # Wherever a test before left the pointer, this one finds it at the window's edge.
        QCursor.setPos(self.window.mapToGlobal(QPoint(2, 2)))
        self.window.desk.player.pause()
        self.addCleanup(self.close)
        self.settle()
        self.look = self.look or self.looks()

    def looks(self):
        """All that is seen of the window and where, and how it is looked at: the same where nothing was left behind."""
        self.qt.processEvents()
        shown = [(type(each).__name__, each.geometry().getRect()) for each in self.window.findChildren(QWidget) if each.isVisible()]
        values = {name: value for name, value in vars(self.window.desk.looking).items() if not name.startswith("_")}
        player = self.window.desk.player
        return sorted(shown), values, (player.speed, player.repeat, player.part), self.qt.styleSheet(), self.qt.palette().cacheKey()

    def close(self):
        self.assertEqual((self.errors, self.failures), ([], []))
        if self.window.isVisible() and self.begins_again():
            self.window.worker.failed.disconnect(self.failures.append)
            type(self).kept = self.window, self.look
        else:
            end(self.window)

    def begins_again(self):
        """Opens the first document again; whether the window looks as it did."""
        if QApplication.activeModalWidget() or QApplication.activePopupWidget():
            return False
        desk = self.window.desk
        self.window.document.open(self.made, None)
        self.window.files.opened.emit()
        desk.player.pause()
        desk.select(self.layer(0).id)
        try:
            self.settle(seconds=2)
        except AssertionError:
            return False
        return self.looks() == self.look

    @classmethod
    def tearDownClass(cls):
        if cls.kept is not None:
            end(cls.kept[0])
            cls.kept = None

    def wait_for(self, done, seconds=30, what=None):
        """Lets the window work until something holds."""
        end = time.monotonic() + seconds
        while not done() and time.monotonic() < end:
            self.qt.processEvents()
            time.sleep(0.003)
        self.assertTrue(done(), what)

    def settle(self, until=lambda: True, seconds=20):
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
