"""The command line, run as people run it."""

import json
import os
import re
import subprocess
import sys
import unittest
from contextlib import redirect_stderr
from io import StringIO
from pathlib import Path
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PIL import Image

from pale_ember import __version__, cli
from pale_ember.commands.common import Refused
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.model import IgnoredFinding
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.shapes import Dot
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.formats.document import load, save
from tests.examples import SMALL_FIRE
from tests.folder import InFolder

ROOT = Path(__file__).parent.parent


def pale(*arguments, **environment):
    return subprocess.run(
        [sys.executable, "-m", "pale_ember.cli", *map(str, arguments)],
        capture_output=True,
        text=True,
        env=os.environ | {"PYTHONPATH": str(ROOT / "src")} | environment,
    )


class Commands(InFolder):
    def test_help_and_bad_usage(self):
        told = pale("--help")
        self.assertEqual(told.returncode, 0)
        for word in ("demo", "test", "open", "snap", "trace", "sheet", "check", "schema", "bench"):
            self.assertIn(word, told.stdout)
        self.assertEqual(pale("--version").stdout, f"Pale Ember {__version__}\n")
        for bad in (["snap", SMALL_FIRE, "--at", "nan", "--out", "x.png"], ["fly"], ["snap", SMALL_FIRE, "--at", "-1", "--out", "x"]):
            run = pale(*bad)
            self.assertEqual((run.returncode, run.stderr.count("\n")), (2, 1), run.stderr)

    def test_the_front_door_hands_on(self):
        door = ROOT / "pale"
        for arguments, code, told in ((["--version"], 0, "Pale Ember"), (["check", SMALL_FIRE], 0, ""), (["fly"], 2, "fly")):
            run = subprocess.run([sys.executable, door, *map(str, arguments)], capture_output=True, text=True)
            self.assertEqual(run.returncode, code, run.stderr)
            self.assertIn(told, run.stdout + run.stderr)

    def test_snap_draws_the_stage_and_alpha_over_nothing(self):
        out = self.folder / "a.png"
        self.assertEqual(pale("snap", SMALL_FIRE, "--at", 1, "--out", out, "--size", "320x180").returncode, 0)
        self.assertEqual((Image.open(out).size, Image.open(out).mode), ((320, 180), "RGB"))
        pale("snap", SMALL_FIRE, "--at", 1, "--out", out, "--size", "320x180", "--background", "none", "--alpha", "premultiplied")
        pixels = np.asarray(Image.open(out)).astype(int)
        self.assertEqual(pixels[0, 0].tolist(), [0, 0, 0, 0])
        self.assertGreater(pixels[..., 3].max(), 200)

    def test_trace_is_what_the_timeline_says(self):
        out = self.folder / "a.npz"
        self.assertEqual(pale("trace", SMALL_FIRE, "--until", 1.01, "--every", 0.25, "--out", out).returncode, 0)
        told = np.load(out)
        np.testing.assert_allclose(told["time"], [0, 0.25, 0.5, 0.75, 1.0, 61 / 60])
        self.assertEqual(told["start"][-1], len(told["layer"]))
        effect, _ = load(SMALL_FIRE)
        frame = Timeline(effect).frame(0.5)
        rows = slice(told["start"][2], told["start"][3])
        for i, layer in enumerate(frame.layers):
            mine = told["layer"][rows] == i
            for name in ("number", "age", "life", "position", "velocity", "size", "colour", "angle", "frame"):
                np.testing.assert_array_equal(told[name][rows][mine], getattr(layer, name))
        self.assertEqual(told["turn"].shape, (len(told["layer"]), 4))
        self.assertEqual(told["layers"].tolist(), [layer.name for layer in effect.layers])

    def test_a_sheet_and_its_json(self):
        out = self.folder / "sheet.png"
        run = pale("sheet", SMALL_FIRE, "--out", out, "--frames", 6, "--columns", 4, "--cell", 32, "--to", 1.5)
        self.assertEqual(run.returncode, 0, run.stderr)
        self.assertEqual(Image.open(out).size, (128, 64))
        told = json.loads(out.with_suffix(".json").read_text())
        self.assertEqual([told[k] for k in ("columns", "rows", "frames", "fps", "blend")], [4, 2, 6, 4.0, "alpha"])
        self.assertGreater(told["world_size"], 1.0)
        self.assertEqual(pale("sheet", SMALL_FIRE, "--out", out, "--frames", 0, "--columns", 4, "--cell", 32).returncode, 2)
        lost = pale("sheet", SMALL_FIRE, "--out", out, "--frames", 2, "--columns", 2, "--cell", 32, "--camera", "attic")
        self.assertEqual(lost.returncode, 2)
        self.assertIn("--camera: expected a view of the effect", lost.stderr)

    def test_how_a_command_ends_tells_what_was_foreseen(self):
        for error, code in ((KeyboardInterrupt(), 130), (ZeroDivisionError("a torn sack"), 3), (Refused("a torn sack"), 2)):
            with mock.patch.dict(cli.COMMANDS, {"schema": mock.Mock(side_effect=error)}), redirect_stderr(StringIO()):
                self.assertEqual(cli.main(["schema"]), code)

    def test_bad_documents_are_refused_and_nothing_is_written(self):
        bad = self.folder / "bad.pale"
        bad.write_text(re.sub(r'"rate": \{[^}]*\}', '"rate": "many"', SMALL_FIRE.read_text(), count=1))
        out = self.folder / "never"
        for words in (
            ["snap", bad, "--at", 1, "--out", out],
            ["trace", bad, "--until", 1, "--out", out],
            ["check", bad],
            ["open", bad],
            ["snap", self.folder / "none.pale", "--at", 1, "--out", out],
        ):
            run = pale(*words)
            self.assertEqual(run.returncode, 2)
            self.assertEqual(run.stderr.count("\n"), 1, run.stderr)
        self.assertIn("outlet.rate", pale("check", bad).stderr)
        self.assertFalse(out.exists())

    def test_snap_shows_how_often_pixels_are_painted(self):
        out = self.folder / "a.png"
        run = pale("snap", SMALL_FIRE, "--at", 1, "--out", out, "--size", "96x60", "--shows", "overdraw")
        self.assertEqual(run.returncode, 0, run.stderr)
        self.assertGreater(len(np.unique(np.asarray(Image.open(out)).reshape(-1, 3), axis=0)), 4)
        self.assertEqual(pale("snap", SMALL_FIRE, "--at", 1, "--out", out, "--shows", "cost").returncode, 2)

    def test_a_recipe_a_card_and_a_file_become_pictures(self):
        effect, _ = load(SMALL_FIRE)
        path, out = self.folder / "kiln.pale", self.folder / "dot.png"
        save(replace(effect, recipes=(Recipe(name="hot dot", size=32, steps=(Dot(),)), Recipe(name="none"))), path)
        run = pale("texture", f"{path}#hot dot", "--out", out, self.folder / "dot.dds", "--size", 64)
        with Image.open(out) as image:
            self.assertEqual((run.returncode, image.size, run.stderr), (0, (64, 64), ""))
        self.assertEqual(pale("texture", out, "--out", self.folder / "dot.exr").returncode, 0)
        self.assertEqual(pale("texture", "library:embers", "--out", self.folder / "embers.tga").returncode, 0)
        for bad, word in (
            ((path,), '"hot dot", "none"'),
            ((f"{path}#cold",), 'no recipe "cold"'),
            (("library:no",), "no such card"),
            ((self.folder / "no.png",), "not there"),
            ((out, "--part", "motion"), "no parts"),
        ):
            run = pale("texture", *bad, "--out", self.folder / "no-such.png")
            self.assertEqual((run.returncode, run.stderr.count("\n")), (2, 1), run.stderr)
            self.assertIn(word, run.stderr)
            self.assertFalse((self.folder / "no-such.png").exists())
        self.assertEqual(pale("texture", out, "--out", self.folder / "dot.gif").returncode, 2)

    def test_a_missing_picture_has_a_stand_in(self):
        effect, _ = load(SMALL_FIRE)
        path, out = self.folder / "kiln.pale", self.folder / "a.png"
        save(with_value(effect, ("layers", 1, "look", "picture"), "lost.png"), path)
        run = pale("snap", path, "--at", 1, "--out", out, "--size", "64x64")
        self.assertEqual((run.returncode, out.exists()), (0, True))
        self.assertEqual(run.stderr.count("lost.png"), 1)
        self.assertEqual(pale("check", path).returncode, 1)
        self.assertEqual(pale("check", SMALL_FIRE).returncode, 0)

    def test_what_is_found_is_told_written_mended_and_left(self):
        path, out = self.folder / "kiln.pale", self.folder / "found.json"
        effect = with_value(load(SMALL_FIRE)[0], ("layers", 0, "outlet", "limit"), 3)
        save(effect, path)
        told = pale("check", path, "--json", out)
        self.assertEqual((told.returncode, told.stderr), (0, ""))
        self.assertRegex(told.stdout, r"births are refused; to fix: raise the limit to \d+")
        found = json.loads(out.read_text())["findings"]
        self.assertIn(("births refused", "outlet.limit", None), [(each["rule"], each["field"], each["left"]) for each in found])
        left = replace(
            effect, left=(IgnoredFinding(rule="births refused", layer=effect.layers[0].id, path="outlet.limit", reason="a stutter"),)
        )
        save(left, path)
        self.assertNotIn("refused", pale("check", path).stdout)
        self.assertIn("(left as it is: a stutter)", pale("check", path, "--all").stdout)
        save(effect, path)
        run = pale("check", path, "--fix", "births refused")
        self.assertIn("fixed: ", run.stdout)
        self.assertGreater(load(path)[0].layers[0].outlet.limit, 3)
        names = path.with_name("names.txt")
        names.write_text("kiln_start\nkiln_stop\n")
        mended = load(path)[0]
        save(replace(mended, answers=replace(mended.answers, start="kiln_stat")), path)
        told = pale("check", path, "--events", names)
        self.assertIn('"kiln_stat" is none of them; to fix: call it kiln_start', told.stdout)
        none = pale("check", path, "--events", path.with_name("gone.txt"))
        self.assertEqual((none.returncode, none.stderr.count("\n")), (2, 1))
        again = pale("check", path, "--fix", "births refused")
        self.assertEqual((again.returncode, again.stderr.count("\n")), (2, 1))
        self.assertIn("expected the name of a fix", again.stderr)


if __name__ == "__main__":
    unittest.main()
