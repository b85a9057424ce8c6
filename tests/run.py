"""Runs tests on all cores, each process on a virtual display of its own, and ends with one line: `N passed, N failed`,
and skipped if any."""

import argparse
import io
import multiprocessing
import os
import sys
import tempfile
import time
import unittest
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT), str(ROOT / "src")]

PIECE = 3
"""Tests of a class that are handed to a process together."""

SLOW = 5.0
"""Seconds from which a piece is told as slow."""


class Result(unittest.TextTestResult):
    """Counts what passed."""

    passed = 0

    def addSuccess(self, test):
        self.passed += 1
        super().addSuccess(test)


def begin(places):
    """Gives a process a display and a home of its own."""
    # The shaders that the driver has compiled are those of whoever runs the tests: compiling them anew took a minute.
    kept = os.environ.get("MESA_SHADER_CACHE_DIR") or os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
    home, display = places.get()
    for name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"):
        os.environ[name] = home
    # Children of ours look for nothing in the working folder; what tests hand them is found from the root.
    os.environ["PYTHONPATH"] = os.pathsep.join([str(ROOT), str(ROOT / "src")])
    os.environ.update(DISPLAY=display, QT_QPA_PLATFORM="xcb", MESA_SHADER_CACHE_DIR=kept, LP_NUM_THREADS="1")


def run(names):
    """(dots, reports, passed, failed, skipped, seconds) of tests by name."""
    out, start = io.StringIO(), time.perf_counter()
    runner = unittest.TextTestRunner(verbosity=1, resultclass=Result, stream=out)
    result = runner.run(unittest.TestLoader().loadTestsFromNames(names))
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    dots, _, reports = out.getvalue().partition("\n")
    told = reports.partition("-" * 70 + "\nRan ")[0].strip() if failed else ""
    return dots, told, result.passed, failed, len(result.skipped), time.perf_counter() - start


def tests_in(suite):
    for one in suite:
        if isinstance(one, unittest.TestSuite):
            yield from tests_in(one)
        else:
            yield one


def pieces(tests):
    """Lists of names to be run together, those that take longest first: classes that share what they set up stay whole."""
    classes = {}
    for test in tests:
        classes.setdefault(type(test), []).append(test.id())
    whole, small = [], []
    for kind, names in classes.items():
        if kind.setUpClass.__func__ is not unittest.TestCase.setUpClass.__func__:
            whole.append(names)
        else:
            small += [names[i : i + PIECE] for i in range(0, len(names), PIECE)]
    windows = [names for names in small if names[0].startswith("tests.studio")]
    return [*whole, *windows, *(names for names in small if names not in windows)]


def found_under(name):
    """The tests of a package, module, class or single test."""
    loader, folder = unittest.TestLoader(), ROOT / name.replace(".", "/")
    if folder.is_dir():
        return loader.discover(str(folder), "test_*.py", str(ROOT))
    return loader.loadTestsFromName(name)


def work(asked, places, processes):
    """Runs the pieces in processes and returns how many tests passed, failed and were skipped."""
    found = unittest.TestSuite(found_under(name) for name in asked.names or ["tests"])
    wanted = pieces(test for test in tests_in(found) if asked.only in test.id())
    counts, reports, slow = [0, 0, 0], [], []
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(processes, context, begin, (places,)) as pool:
        running = {pool.submit(run, names): names for names in wanted}
        for future in as_completed(running):
            names = running[future]
            try:
                dots, told, *more, seconds = future.result()
            except BrokenProcessPool:
                dots, told, more, seconds = (
                    "E" * len(names),
                    f"A process ended in the midst of {', '.join(names)}",
                    (0, len(names), 0),
                    0,
                )
            print(dots, end="", flush=True)
            counts = [sum(pair) for pair in zip(counts, more, strict=True)]
            reports += [told] if told else []
            slow += [(seconds, names[0], len(names))] if seconds > SLOW else []
    print("\n", *reports, sep="\n")
    for seconds, name, number in sorted(slow, reverse=True)[: asked.slowest]:
        print(f"{seconds:6.1f} s  {number:3d} from {name}")
    return counts


def main(arguments):
    from pale_ember.machine.display import virtual_display

    parser = argparse.ArgumentParser(prog="pale test")
    parser.add_argument("names", nargs="*", help="of packages, modules, classes or tests")
    parser.add_argument("--only", default="", metavar="WORD", help="only tests whose name has this word")
    parser.add_argument("--slowest", type=int, default=0, metavar="N", help="tell the N pieces that took longest")
    asked = parser.parse_args(arguments)
    processes = os.cpu_count() or 1
    places = multiprocessing.get_context("spawn").Queue()
    homes, displays = [], []
    try:
        for _ in range(processes):
            homes.append(tempfile.TemporaryDirectory())
            process, name = virtual_display(1400, 900)
            displays.append(process)
            places.put((homes[-1].name, name))
        passed, failed, skipped = work(asked, places, processes)
    finally:
        for process in displays:
            process.terminate()
            process.wait()
        for home in homes:
            home.cleanup()
    print(f"{passed} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""), flush=True)
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
