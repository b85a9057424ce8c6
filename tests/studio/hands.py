"""True mouse and key events: they go through the X server to whatever a person's would reach."""

import time

from PyQt6.QtWidgets import QApplication
from Xlib import XK, X, display
from Xlib.ext import xtest

_NAMES = {" ": "space", "-": "minus", ".": "period", ",": "comma", "*": "asterisk", "%": "percent", "(": "parenleft",
          ")": "parenright", "/": "slash", "+": "plus", "±": "plusminus", ";": "semicolon"}  # fmt: skip


class Hands:
    """Acts on the screen, and lets the window answer after each act."""

    def __init__(self) -> None:
        self.screen = display.Display()
        self.gestures = 0

    def wait(self, seconds=0.06):
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.002)

    def _send(self, kind, detail=0, x=0, y=0):
        xtest.fake_input(self.screen, kind, detail, x=x, y=y)
        self.screen.sync()

    def move(self, widget, at=None):
        """Moves the pointer onto a widget, to its middle unless told."""
        place = widget.mapToGlobal(at if at is not None else widget.rect().center())
        self._send(X.MotionNotify, x=place.x(), y=place.y())
        self.wait()

    def click(self, widget, at=None, button=1):
        self.gestures += 1
        self.move(widget, at)
        self._send(X.ButtonPress, button)
        self.wait(0.02)
        self._send(X.ButtonRelease, button)
        self.wait()

    def drag(self, widget, start, end):
        self.gestures += 1
        self.move(widget, start)
        self._send(X.ButtonPress, 1)
        for i in range(1, 6):
            self.move(widget, start + (end - start) * i / 5)
        self._send(X.ButtonRelease, 1)
        self.wait()

    def wheel(self, clicks):
        """Turns the wheel where the pointer is; downward is positive."""
        for _ in range(abs(clicks)):
            button = 5 if clicks > 0 else 4
            self._send(X.ButtonPress, button)
            self._send(X.ButtonRelease, button)
            self.wait(0.015)

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
