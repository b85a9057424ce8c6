"""A folder is built: only what changed, the same bytes anywhere, whatever is wrong with some, and it goes on where it was stopped."""

import fcntl
import json
import os
import shutil
import subprocess
import sys
import time
import unittest
from pathlib import Path
from unittest import mock
from xml.etree import ElementTree

from msgspec.structs import replace

from pale_ember.building import build as building
from pale_ember.building import one_effect
from pale_ember.building.build import BuildRefused, build
from pale_ember.building.one_effect import BuildOrder
from pale_ember.core.effect.bakes import ClipBake, SheetBake
from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.values import fixed
from pale_ember.folder.listing import effects_in
from pale_ember.formats.document import dumps, load
from tests.examples import SMALL_FIRE
from tests.folder import InFolder
from tests.test_cli import pale

FIRE = load(SMALL_FIRE)[0]


def files_of(folder):
    """Every file below a folder with its bytes, but for locks."""
    return {path.relative_to(folder).as_posix(): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


def ends_or_builds(order, name, *told):
    """Builds an effect, or ends the process where it is the one that does."""
    if name == os.environ["PALE_EMBER_TEST_ENDS"]:
        os._exit(9)
    return one_effect.built(order, name, *told)


class OfAQuay(InFolder):
    def setUp(self):
        super().setUp()
        self.effects, self.out = self.folder / "quay", self.folder / "out"
        (self.effects / "deep er").mkdir(parents=True)
        for i, name in enumerate(("one", "two", "deep er/three ü")):
            self.put(name, replace(FIRE, name=name, seed=i))
        self.order = BuildOrder(self.effects, self.out)

    def put(self, name, effect):
        (self.effects / f"{name}.pale").write_bytes(dumps(effect))


class Built(OfAQuay):
    def test_only_what_changed_is_built_and_with_the_same_bytes(self):
        results, count = build(self.order, 1)
        self.assertEqual((count, [each.name for each in results]), (3, ["one", "two", "deep er/three ü"]))
        first = files_of(self.out)
        self.assertIn("effects/deep er/three ü.package/effect.json", first)
        self.assertIn("pictures/one.png", first)
        self.assertEqual(build(self.order, 1)[1], 0)
        moved = self.folder / "elsewhere" / "quay"
        shutil.copytree(self.effects, moved)
        build(BuildOrder(moved, self.folder / "other"), 2)
        self.assertEqual(files_of(self.folder / "other"), first, "on two cores, in another place")
        self.put("two", with_value(FIRE, ("layers", 0, "outlet", "limit"), 3000))
        told = []
        results, count = build(self.order, 1, lambda *each: told.append(each))
        self.assertEqual((count, told), (1, [(1, 1, "two")]))
        self.assertEqual(results[1].before["layers"], results[1].cost["layers"])
        shutil.rmtree(self.out / "effects" / "one.package")
        self.assertEqual(build(self.order, 1)[1], 1, "what is gone is built again")

    def test_sheets_and_clips_that_a_document_asks_for_are_baked_and_go_with_it(self):
        bakes = (SheetBake(name="flame", frames=4, columns=2, cell=16, vectors=True), ClipBake(name="flame", fps=4.0, wide=32, tall=18))
        self.put("one", with_value(replace(FIRE, name="one", bakes=bakes), ("duration",), 1.0))
        build(self.order, 1)
        place = self.out / "bakes" / "one.baked"
        self.assertEqual(sorted(path.name for path in place.iterdir()), ["flame-vectors.png", "flame.json", "flame.png", "flame.webp"])
        self.assertIn("bakes/one.baked/flame.webp", (self.out / "index.html").read_text())
        first = files_of(place)
        (place / "flame.webp").unlink()
        self.assertEqual(build(self.order, 1)[1], 1)
        self.assertEqual(files_of(place), first)
        self.put("one", replace(FIRE, name="one", bakes=bakes[:1]))
        build(self.order, 1)
        self.assertEqual(sorted(path.name for path in place.iterdir()), ["flame-vectors.png", "flame.json", "flame.png"])
        self.put("one", replace(FIRE, name="one", bakes=(replace(bakes[0], name="../../away"),)))
        self.assertIn("expected a plain name", build(self.order, 1)[0][0].fault)
        self.put("one", replace(FIRE, name="one"))
        build(self.order, 1)
        self.assertFalse(place.exists())

    def test_it_goes_on_where_it_was_stopped(self):
        class Stop(Exception):  # noqa: N818
            pass

        def tell(done, of, name):
            raise Stop

        with self.assertRaises(Stop):
            build(self.order, 1, tell)
        self.assertFalse((self.out / "index.html").exists(), "what is half done is not told as done")
        self.assertEqual(build(self.order, 1)[1], 2)

    def test_what_is_wrong_with_some_is_listed_and_stops_nothing(self):
        (self.effects / "broken.pale").write_text("{")
        self.put("lost", with_value(FIRE, ("layers", 0, "look", "picture"), "nowhere.png"))
        self.put("none", replace(FIRE, layers=()))
        bursts = (Burst(count=fixed(5000)),)
        self.put("many", with_value(with_value(FIRE, ("layers", 0, "outlet", "bursts"), bursts), ("layers", 0, "outlet", "limit"), 6000))
        done = pale("build", self.effects, "--out", self.out, "--target", "handheld")
        self.assertEqual(done.returncode, 1, done.stderr)
        for said in ("broken: broken.pale: line 1", "lost: nowhere.png", "none: ", "many: ", "particles live at once, 1200 may"):
            self.assertIn(said, done.stdout)
        self.assertIn("7 effects, 7 built now, 4 with problems", done.stdout)
        suite = ElementTree.parse(self.out / "junit.xml").getroot()
        self.assertEqual((suite.get("tests"), suite.get("failures")), ("7", "4"))
        self.assertEqual(len(suite.findall("testcase")), 7)
        page = (self.out / "index.html").read_text()
        self.assertLess(page.index("<h2>broken</h2>"), page.index("<h2>one</h2>"), "what has problems comes first")
        self.assertNotRegex(page, r"https?://")

    def test_rules_of_the_folder_allow_what_they_name(self):
        results, _ = build(self.order, 1)
        grave = [each.rule for each in results[0].findings if each.grave]
        wrong = with_value(FIRE, ("layers", 0, "outlet", "limit"), 2)
        self.put("one", wrong)
        (one, *_), _ = build(self.order, 1)
        rules = {each.rule for each in one.findings if each.grave}
        self.assertGreater(len(rules), len(set(grave)))
        self.assertTrue(one.problems(frozenset()))
        self.assertEqual(one.problems(frozenset(rules)), [])
        (self.effects / "build.json").write_text('{"allow": "all"}')
        with self.assertRaisesRegex(BuildRefused, "build.json: expected"):
            build(self.order, 1)

    def test_links_that_leave_hidden_folders_and_the_build_itself_are_passed_by(self):
        away = self.folder / "away"
        away.mkdir()
        (away / "far.pale").write_bytes(dumps(FIRE))
        os.symlink(away, self.effects / "link")
        os.symlink(away / "far.pale", self.effects / "far.pale")
        (self.effects / ".git").mkdir()
        (self.effects / ".git" / "old.pale").write_bytes(dumps(FIRE))
        inner = self.effects / "built"
        inner.mkdir()
        (inner / "not.pale").write_bytes(dumps(FIRE))
        self.assertEqual(effects_in(self.effects, inner), ["one", "two", "deep er/three ü"])

    def test_what_is_no_more_is_taken_away_but_nothing_of_others(self):
        build(self.order, 1)
        mine = self.out / "effects" / "one.package" / "mine.txt"
        mine.write_text("my own")
        for name in ("one", "two"):
            (self.effects / f"{name}.pale").unlink()
        build(self.order, 1)
        left = sorted(path.name for path in (self.out / "effects").iterdir())
        self.assertEqual(left, ["deep er", "one.package"], "my own file stays")
        self.assertEqual(mine.read_text(), "my own")
        self.assertFalse((self.out / "effects" / "one.package" / "effect.json").exists())
        self.assertFalse((self.out / "pictures" / "two.png").exists())

    def test_an_effect_beside_a_folder_of_its_name_and_notes_that_lead_outside(self):
        (self.effects / "one").mkdir()
        self.put("one/two", FIRE)
        self.assertEqual([each.fault for each in build(self.order, 1)[0]], [""] * 4)
        self.put("one", replace(FIRE, seed=99))
        self.assertEqual([each.fault for each in build(self.order, 1)[0]], [""] * 4)
        precious = self.folder / "precious.png"
        precious.write_bytes(b"mine")
        name = "../../precious"
        note = building._note(self.order, name)
        note.write_bytes(b'{"name":"' + name.encode() + b'","key":""}')
        manifest = self.out / "effects" / "two.package" / "manifest.json"
        manifest.write_text(manifest.read_text().replace('"NOTES.md"', '"../../../precious.png"'))
        (self.effects / "two.pale").unlink()
        build(self.order, 1)
        self.assertEqual(precious.read_bytes(), b"mine")

    def test_an_effect_that_ends_its_process_ends_nothing_else(self):
        with mock.patch.dict(os.environ, {"PALE_EMBER_TEST_ENDS": "two"}), mock.patch.object(building, "built", ends_or_builds):
            results, count = build(self.order, 2)
        self.assertEqual(count, 3)
        self.assertEqual([each.fault for each in results], ["", "two: the process that built it ended", ""])

    def test_two_builds_into_one_place_and_bad_places_are_refused(self):
        self.out.mkdir()
        with (self.out / ".building").open("w") as held:
            fcntl.flock(held, fcntl.LOCK_EX)
            with self.assertRaisesRegex(BuildRefused, "another build is at work"):
                build(self.order, 1)
        with mock.patch.object(building, "_work", side_effect=OSError(28, "No space left on device")), self.assertRaises(OSError):
            build(self.order, 1)
        for arguments, said in (
            ((self.effects / "one.pale", "--out", self.out), "expected a folder of effects, found a file"),
            ((self.effects, "--out", self.effects), "found one that holds the effects"),
            ((self.effects, "--out", self.folder), "found one that holds the effects"),
            ((self.effects, "--out", self.out, "--target", "moon"), "--target: expected one of"),
        ):
            done = pale("build", *arguments)
            self.assertEqual(done.returncode, 2)
            self.assertIn(said, done.stderr)
        self.assertEqual(sorted(Path(self.effects).glob("*.pale"))[0].name, "one.pale")


def dask(*words):
    """A process of a cluster, on this machine."""
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    return subprocess.Popen([sys.executable, "-m", "distributed.cli.dask_" + words[0], *words[1:]], **quiet)


class OnManyMachines(OfAQuay):
    def setUp(self):
        super().setUp()
        self.place = self.folder / "scheduler.json"
        told = "--scheduler-file", str(self.place), "--no-dashboard"
        self.processes = [dask("scheduler", *told, "--host", "127.0.0.1", "--port", "0")]
        self.addCleanup(self.end)
        alone = "--nworkers", "1", "--nthreads", "1", "--no-nanny", "--local-directory", str(self.folder)
        self.processes += [dask("worker", *told, *alone) for _ in range(2)]
        limit = time.monotonic() + 60
        while not (told := self.place.read_text() if self.place.exists() else "").endswith("}") and time.monotonic() < limit:
            time.sleep(0.05)  # the file is there before it is written
        self.address = json.loads(told)["address"]

    def end(self):
        for process in self.processes:
            process.kill()
            process.wait()

    def test_a_worker_that_dies_costs_nothing_and_the_same_bytes_come_back(self):
        for i in range(4):
            self.put(f"more {i}", replace(FIRE, name=f"more {i}", seed=10 + i))
        (self.effects / "broken.pale").write_text("{")
        killed = []

        def tell(done, of, name):
            if not killed:
                killed.append(self.processes[1])
                killed[0].kill()

        results, count = build(self.order, 1, tell, self.address)
        self.assertEqual((count, len(killed)), (8, 1))
        self.assertEqual([each.name for each in results if each.fault], ["broken"])
        alone = BuildOrder(self.effects, self.folder / "alone")
        build(alone, 1)
        self.assertEqual(files_of(self.out), files_of(alone.out))
        self.assertEqual(build(self.order, 1, on=self.address)[1], 0)

    def test_a_cluster_that_goes_away_ends_the_build_with_what_is_done(self):
        done = []

        def tell(count, of, name):
            done.append(name)
            for process in self.processes:
                process.kill()

        with self.assertRaisesRegex(BuildRefused, "went away; 1 of 3 are built"):
            build(self.order, 1, tell, self.address)
        self.assertIn("it was not built", (self.out / "junit.xml").read_text())
        self.assertTrue((self.out / "effects" / f"{done[0]}.package" / "manifest.json").is_file())
        self.assertEqual(build(self.order, 1)[1], 2)
        with self.assertRaisesRegex(BuildRefused, "expected a Dask scheduler, found none"):
            self.put("one", replace(FIRE, name="another"))
            build(self.order, 1, on="tcp://127.0.0.1:9")


if __name__ == "__main__":
    unittest.main()
