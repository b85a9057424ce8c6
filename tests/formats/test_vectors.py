"""The page that tells how to play an effect is enough: a player written from it agrees with the vectors."""

import json
import re
import shlex
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from pale_ember.commands import player_process as under_test
from pale_ember.core.effect.birth import Birth
from pale_ember.core.effect.bursts import Burst
from pale_ember.core.effect.forces import Forces
from pale_ember.core.effect.model import Effect, Layer
from pale_ember.core.effect.outlet import Outlet
from pale_ember.core.effect.values import between, fixed
from pale_ember.core.simulate.draws import key_of
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.simulate.turbulence_field import CELLS
from pale_ember.formats.document import load
from pale_ember.formats.handover.package import package_of
from pale_ember.formats.handover.textures import TextureOptions
from pale_ember.formats.handover.vectors import faults_of, vectors
from pale_ember.formats.shelf import Shelf
from tests import player
from tests.examples import SMALL_FIRE
from tests.test_cli import pale

PLAYER = Path(player.__file__)
PLAIN = 48
"""The first vectors, that nothing but a ground is told for."""


class Vectors(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.listed = json.loads(json.dumps(vectors()))

    def test_a_player_written_from_the_page_agrees_with_every_vector(self):
        self.assertLessEqual(PLAYER.read_text().count("\n"), 640)
        self.assertNotIn("pale_ember", PLAYER.read_text())
        for vector in self.listed[:PLAIN]:
            self.assertFalse({"world", "camera", "meshes", "strength"} & vector.keys(), vector["name"])
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
            self.assertEqual(pale("handover", SMALL_FIRE, "--out", out, "--vectors", "--textures", "none").returncode, 0)
            self.assertEqual((out / "eddies.f32").stat().st_size, CELLS**3 * 3 * 4)
            done = pale("conform", out, "--player", f"{sys.executable} {PLAYER}", "--only", "ground")
            self.assertEqual((done.returncode, done.stdout.splitlines()[-1]), (0, "3 of 3 agree"), done.stdout)
            says = f"{sys.executable} -c 'import sys; sys.stdin.readline(); sys.stdout.buffer.write({{}})'"
            for command, said in (
                (f"{sys.executable} -c pass", "the player ended"),
                (f"{sys.executable} -c 'import sys; sys.stdin.readline(); print(7, 8)'", "expected a JSON value"),
                (says.format(r'b"\xff\xfe\n"'), "expected a JSON value on one line, found: \\xff\\xfe"),
                (says.format('b"{"'), "expected a whole line, found half of one, and then the player ended"),
                (says.format('b"[" * 9999 + b"\\n"'), "expected a JSON value"),
            ):
                done = pale("conform", out, "--player", command, "--only", "ground, end")
                self.assertEqual(done.returncode, 1)
                self.assertIn(said, done.stdout)
            for command in ("no-such-player", "", "'", "/"):
                done = pale("conform", out, "--player", command)
                self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)
                self.assertNotIn("[", done.stderr)
            self.assertEqual(pale("conform", folder, "--player", "cat").returncode, 2)

    def test_a_player_that_never_ends_is_ended_with_all_it_started(self):
        for script, patience, said in (
            ("echo -n half; sleep 61.37 & wait", 2.0, "within 2 s, found half of one"),
            ("yes | tr -d '\\n'", 30.0, "at most 0 MB, found a longer one"),
        ):
            with (
                mock.patch.object(under_test, "PATIENCE", patience),
                mock.patch.object(under_test, "LONGEST", 2**19),
                under_test.PlayerProcess(shlex.join(["sh", "-c", script])) as asked,
                self.assertRaisesRegex(ValueError, said),
            ):
                asked.answer({})
        time.sleep(0.1)
        self.assertNotIn("61.37", subprocess.run(["ps", "ax", "-o", "args"], capture_output=True, text=True).stdout)

    def test_the_page_s_worked_example_is_what_comes_out(self):
        page = (Path(__file__).parents[2] / "docs" / "hand-over.md").read_text().partition("by hand")[2].replace("−", "-")
        told = [[float(cell) for cell in line.strip("| ").split(" | ")] for line in page.splitlines() if re.match(r"\| \d", line)]
        bead = Layer(
            id="0000000000000001",
            forces=Forces(gravity=(0, -9.81, 0), drag=0.5),
            birth=Birth(lifetime=fixed(1.0), speed=between(2.0, 4.0)),
            outlet=Outlet(rate=fixed(0), bursts=(Burst(count=fixed(1), first_at=0.05),), shape="point", spread=fixed(0)),
        )
        line = Timeline(Effect(duration=1.0, loop=False, steps=10, seed=7, layers=(bead,)))
        for step, *_, y, v in told:
            frame = line.frame(step / 10).layers[0]
            self.assertAlmostEqual(frame.position[0, 1], y, 6)
            self.assertAlmostEqual(frame.velocity[0, 1], v, 6)
        self.assertEqual(len(told), 3)
        self.assertIn(f"0x{int(key_of(7, bead.id)):X}", page)

    def test_packages_have_them_when_asked(self):
        fire, _ = load(SMALL_FIRE)
        self.assertNotIn("vectors.json", package_of(fire, Shelf(None), TextureOptions("none")).files)
