"""Runs tests on all cores, each process on a virtual display of its own, and ends with one line: `N passed, N failed`,
and skipped if any."""

import argparse
import faulthandler
import io
import multiprocessing
import os
import queue
import sys
import tempfile
import threading
import time
import unittest
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT), str(ROOT / "src")]

PIECE = 3
"""Tests of a class that are handed to a process together."""

SLOW = 5.0
"""Seconds from which a piece is told as slow."""


class Result(unittest.TextTestResult):
    """Counts what passed, and writes down which test is running, for whoever sees its process end."""

    passed = 0
    running = Path()

    def startTest(self, test):
        Result.running.write_text(test.id())
        super().startTest(test)

    def addSuccess(self, test):
        self.passed += 1
        super().addSuccess(test)


def running_in(home):
    """The file that says which test runs in the process of this home."""
    return Path(home, "running test")


def end_with(parent):
    """Ends this process as soon as the one that began it is gone: nobody would ever ask it again, and it holds gigabytes."""
    while os.getppid() == parent:
        time.sleep(2)
    os._exit(1)


def begin(home, display):
    """Gives a process its display and its home. Should it end in native code, it says where."""
    faulthandler.enable()
    threading.Thread(target=end_with, args=(os.getppid(),), daemon=True).start()
    Result.running = running_in(home)
    Result.running.write_text("")
    # The shaders that the driver has compiled are those of whoever runs the tests: compiling them anew took a minute.
    kept = os.environ.get("MESA_SHADER_CACHE_DIR") or os.environ.get("XDG_CACHE_HOME") or str(Path.home() / ".cache")
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


class Process:
    """One process that runs tests at one place, and another after it where it ends in their midst."""

    def __init__(self, home, display):
        self._place, self._pool = (home, display), None

    def run(self, names):
        if self._pool is None:
            context = multiprocessing.get_context("spawn")
            self._pool = ProcessPoolExecutor(1, context, begin, self._place)
        start = time.perf_counter()
        try:
            return self._pool.submit(run, names).result()
        except BrokenProcessPool:
            self.end()
        ended = running_in(self._place[0]).read_text()
        ended = ended if ended in names else names[0]
        dots, told, passed, failed, skipped, _ = self.run([name for name in names if name != ended])
        told = f"The process ended in the midst of {ended}\n{told}"
        return "E" + dots, told, passed, failed + 1, skipped, time.perf_counter() - start

    def end(self):
        if self._pool is not None:
            self._pool.shutdown()
            self._pool = None


def work(asked, places):
    """Runs the pieces in a process at each (home, display) and returns how many tests passed, failed and were skipped."""
    found = unittest.TestSuite(found_under(name) for name in asked.names or ["tests"])
    wanted = pieces(test for test in tests_in(found) if asked.only in test.id())
    free = queue.SimpleQueue()
    for place in places:
        free.put(Process(*place))

    def run_free(names):
        process = free.get()
        try:
            return process.run(names)
        finally:
            free.put(process)

    counts, reports, slow = [0, 0, 0], [], []
    with ThreadPoolExecutor(len(places)) as threads:
        running = {threads.submit(run_free, names): names for names in wanted}
        for future in as_completed(running):
            names, (dots, told, *more, seconds) = running[future], future.result()
            print(dots, end="", flush=True)
            print(*(f"\n{line}" for line in told.splitlines() if line.startswith(("FAIL: ", "ERROR: "))), sep="", end="", flush=True)
            counts = [sum(pair) for pair in zip(counts, more, strict=True)]
            reports += [told] if told else []
            slow += [(seconds, names[0], len(names))] if seconds > SLOW else []
    for _ in places:
        free.get().end()
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
    places, homes, displays = [], [], []
    try:
        for _ in range(os.cpu_count() or 1):
            homes.append(tempfile.TemporaryDirectory())
            process, name = virtual_display(1920, 1080)
            displays.append(process)
            places.append((homes[-1].name, name))
        passed, failed, skipped = work(asked, places)
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
