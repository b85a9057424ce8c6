"""The page that tells how to play an effect is enough: a player written from it agrees with the vectors."""

import json
import sys
import tempfile
import unittest
from pathlib import Path

from pale_ember.core.simulate.field import CELLS
from pale_ember.formats.document import load
from pale_ember.formats.handover.package import package_of
from pale_ember.formats.handover.textures import Wanted
from pale_ember.formats.handover.vectors import faults_of, vectors
from pale_ember.formats.shelf import Shelf
from tests import player
from tests.examples import SMALL_FIRE
from tests.test_cli import pale

PLAYER = Path(player.__file__)


class Vectors(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.listed = json.loads(json.dumps(vectors()))

    def test_a_player_written_from_the_page_agrees_with_every_vector(self):
        self.assertLessEqual(PLAYER.read_text().count("\n"), 600)
        self.assertNotIn("pale_ember", PLAYER.read_text())
        for vector in self.listed:
            rows = player.Player(vector["effect"], vector["ground"]).play(vector["moments"])
            self.assertEqual(faults_of(vector, {"rows": rows}), [], vector["name"])

    def test_what_differs_is_told(self):
        vector = next(each for each in self.listed if each["name"] == "ground, bounce")
        rows = json.loads(json.dumps(vector["rows"]))
        self.assertEqual(faults_of(vector, {"rows": rows}), [])
        rows[0][0][2]["position"][1] += 3e-4
        self.assertIn("position: expected", faults_of(vector, {"rows": rows})[0])
        rows[0].pop(0)
        self.assertIn("1 missing", faults_of(vector, {"rows": rows})[0])
        for wrong in (None, {"rows": 3}, {"rows": [[1], [2], [3]]}):
            self.assertIn("expected rows", faults_of(vector, wrong)[0])

    def test_conform_plays_them_against_a_command(self):
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "kiln"
            self.assertEqual(
                pale("handover", SMALL_FIRE, "--out", out, "--vectors", "--textures", "none").returncode, 0
            )
            self.assertEqual((out / "eddies.f32").stat().st_size, CELLS**3 * 3 * 4)
            done = pale("conform", out, "--player", f"{sys.executable} {PLAYER}", "--only", "ground")
            self.assertEqual((done.returncode, done.stdout.splitlines()[-1]), (0, "3 of 3 agree"), done.stdout)
            for command, said in (
                (f"{sys.executable} -c pass", "the player ended"),
                (f"{sys.executable} -c 'import sys; sys.stdin.readline(); print(7, 8)'", "expected a JSON value"),
            ):
                done = pale("conform", out, "--player", command, "--only", "ground, end")
                self.assertEqual(done.returncode, 1)
                self.assertIn(said, done.stdout)
            self.assertEqual(pale("conform", out, "--player", "no-such-player").returncode, 2)
            self.assertEqual(pale("conform", folder, "--player", "cat").returncode, 2)

    def test_packages_have_them_when_asked(self):
        fire, _ = load(SMALL_FIRE)
        self.assertNotIn("vectors.json", package_of(fire, Shelf(None), Wanted("none")).files)
