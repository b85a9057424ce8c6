"""Loading and drawing keep apart, and neither waits for ever."""

import sys
import threading
import time
import unittest
from unittest import mock

import numpy as np

from pale_ember.core.preloading import MissingExtra, drawing, loading
from pale_ember.core.texture.flow import flow
from pale_ember.machine.error_log import unforeseen


class Loading(unittest.TestCase):
    def test_nothing_draws_while_a_library_is_loaded_and_many_draw_at_once(self):
        log, held = [], threading.Event()

        def draw(name):
            with drawing(), drawing():
                log.append(f"{name} draws")
                held.wait(5)
            log.append(f"{name} drew")

        def load():
            with loading():
                log.append("loads")
                time.sleep(0.05)
                log.append("loaded")

        first = [threading.Thread(target=draw, args=(name,)) for name in "ab"]
        for thread in first:
            thread.start()
        while len(log) < 2:
            time.sleep(0.002)
        loader = threading.Thread(target=load)
        loader.start()
        time.sleep(0.02)
        late = threading.Thread(target=draw, args=("c",))
        late.start()
        time.sleep(0.02)
        self.assertEqual(sorted(log), ["a draws", "b draws"], "it waits for those, and the next waits for it")
        held.set()
        for thread in (*first, loader, late):
            thread.join(5)
            self.assertFalse(thread.is_alive())
        self.assertEqual(log[log.index("loads") + 1], "loaded")
        self.assertGreater(log.index("c draws"), log.index("loaded"))

    def test_what_an_extra_brings_is_asked_for_in_one_sentence(self):
        with mock.patch.dict(sys.modules, {"cv2": None}), self.assertRaises(MissingExtra) as caught:
            flow(np.zeros((32, 32)), np.zeros((32, 32)))
        self.assertEqual(
            str(caught.exception), 'motion between frames needs cv2, which is not installed; run pip install "pale-ember[flow]"'
        )
        self.assertTrue(unforeseen(caught.exception).startswith("Motion between frames needs cv2"))


if __name__ == "__main__":
    unittest.main()
