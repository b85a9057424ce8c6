"""True mouse and key events: they go through the X server to whatever a person's would reach."""

import time

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QApplication, QScrollArea
from Xlib import XK, X, display
from Xlib.ext import xtest

from pale_ember.studio.controls.text_entry import OpenLine
from tests.studio import driven

_NAMES = {" ": "space", "-": "minus", ".": "period", ",": "comma", "*": "asterisk", "%": "percent", "(": "parenleft",
          ")": "parenright", "/": "slash", "+": "plus", "±": "plusminus", ";": "semicolon"}  # fmt: skip


class Hands:
    """Acts on the screen, and lets the window answer after each act."""

    def __init__(self, stage) -> None:
        self.screen = display.Display()
        self.stage = stage
        self.gestures = 0

    def wait(self, seconds=0.06):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.002)

    def _send(self, kind, detail=0, x=0, y=0):
        xtest.fake_input(self.screen, kind, detail, x=x, y=y)
        self.screen.sync()

    def move(self, widget, at=None, pause=0.06):
        """Moves the pointer onto a widget, to its middle unless told."""
        place = widget.mapToGlobal(at if at is not None else widget.rect().center())
        self._send(X.MotionNotify, x=place.x(), y=place.y())
        if pause:
            self.wait(pause)

    def click(self, widget, at=None, button=1):
        self.gestures += 1
        self.move(widget, at)
        self._send(X.ButtonPress, button)
        self.wait(0.02)
        self._send(X.ButtonRelease, button)
        self.wait()

    def drag(self, widget, start, end, held=""):
        """Drags from a place in a widget to another, with a key held, if any."""
        self.gestures += 1
        self.move(widget, start)
        code = self.screen.keysym_to_keycode(XK.XK_Control_L) if held == "ctrl" else None
        if code is not None:
            self._send(X.KeyPress, code)
        self._send(X.ButtonPress, 1)
        for i in range(1, 6):
            self.move(widget, start + (end - start) * i / 5)
        self._send(X.ButtonRelease, 1)
        if code is not None:
            self._send(X.KeyRelease, code)
        self.wait()

    def wheel(self, clicks, pause=0.015):
        """Turns the wheel where the pointer is; downward is positive. pause : between its clicks, in seconds."""
        for _ in range(abs(clicks)):
            button = 5 if clicks > 0 else 4
            self._send(X.ButtonPress, button)
            self._send(X.ButtonRelease, button)
            if pause:
                self.wait(pause)

    def _press(self, keysym, modifiers=()):
        code = self.screen.keysym_to_keycode(keysym)
        shifted = self.screen.keycode_to_keysym(code, 0) != keysym
        held = [*modifiers, *([XK.XK_Shift_L] if shifted else [])]
        codes = [self.screen.keysym_to_keycode(one) for one in held]
        for one in codes:
            self._send(X.KeyPress, one)
        self._send(X.KeyPress, code)
        self._send(X.KeyRelease, code)
        for one in reversed(codes):
            self._send(X.KeyRelease, one)
        self.wait(0.02)

    def type(self, text):
        self.gestures += 1
        for sign in text:
            self._press(XK.string_to_keysym(_NAMES.get(sign, sign)))

    def key(self, name):
        """A key by its name, with ctrl+, alt+ or shift+ before it."""
        self.gestures += 1
        *held, last = name.split("+")
        named = {"ctrl": XK.XK_Control_L, "alt": XK.XK_Alt_L, "shift": XK.XK_Shift_L}
        self._press(XK.string_to_keysym(last), [named[one] for one in held])
        self.wait()

    def start(self, words):
        """Adds the first starting point that is found by some words, with the pointer over the stage: there letters are commands."""
        self.move(self.stage)
        self.key("n")
        self.type(words)
        self.key("Return")

    def fill(self, number, text):
        """Clicks a number, types into it, and takes it with Return."""
        self.click(number)
        self.type(text)
        self.key("Return")

    def choose(self, text):
        """Clicks an entry of the menu that is open."""
        self.wait()
        menu = QApplication.activePopupWidget()
        texts = [action.text() for action in menu.actions()]
        entry = next((action for action in menu.actions() if action.text().startswith(text)), None)
        assert entry is not None, f"{text}: expected an entry of the menu, found {texts}"
        self.click(menu, menu.actionGeometry(entry).center())

    def close(self):
        self.screen.close()


class ByHand(driven.Window):
    """A window that is worked by true events."""

    def setUp(self):
        super().setUp()
        self.window.move(20, 20)
        self.hands = Hands(self.window.stage)
        self.addCleanup(self.hands.close)
        self.hands.wait(0.2)
        self.hands.move(self.window.stage)

    def open_lines(self):
        return [line for line in self.window.findChildren(OpenLine) if line.isVisible()]

    def show_whole(self, widget):
        """Scrolls a widget into view."""
        area = widget.parentWidget()
        while area is not None and not isinstance(area, QScrollArea):
            area = area.parentWidget()
        if area is not None:
            area.ensureWidgetVisible(widget)
        self.hands.wait()

    def number(self, chapter, name):
        editor = self.field(chapter, name).editor
        self.show_whole(editor)
        return getattr(editor, "high", editor)

    def row(self, index):
        table = self.window.layers.table
        return table, QPoint(70, int(table.row_box(index).center().y()))
