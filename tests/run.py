"""Runs every test on a virtual display and ends with one line: `N passed, N failed`, and skipped if any."""

import os
import sys
import tempfile
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT), str(ROOT / "src")]


class Result(unittest.TextTestResult):
    """Counts what passed."""

    passed = 0

    def addSuccess(self, test):
        self.passed += 1
        super().addSuccess(test)


def main(arguments):
    from pale_ember.display import virtual_display

    home = tempfile.TemporaryDirectory()
    for name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = home.name
    display, name = virtual_display(1400, 900)
    os.environ.update(DISPLAY=name, QT_QPA_PLATFORM="xcb")
    try:
        wanted = arguments or ["tests"]
        loader = unittest.TestLoader()
        found = (
            loader.discover(str(ROOT / "tests"), "test_*.py", str(ROOT))
            if wanted == ["tests"]
            else loader.loadTestsFromNames(wanted)
        )
        result = unittest.TextTestRunner(verbosity=1, resultclass=Result, stream=sys.stdout).run(found)
    finally:
        display.terminate()
        display.wait()
        home.cleanup()
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = f", {len(result.skipped)} skipped" if result.skipped else ""
    print(f"{result.passed} passed, {failed} failed{skipped}", flush=True)
    return 1 if failed or not result.passed else 0


if __name__ == "__main__":
    code = main(sys.argv[1:])
    sys.stdout.flush()
    os._exit(code)  # Qt's own tear-down at exit is not under test.
