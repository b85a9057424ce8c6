"""Loading and drawing keep apart, and neither waits for ever."""

import threading
import time
import unittest

from pale_ember.core.preloading import drawing, loading


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


if __name__ == "__main__":
    unittest.main()
