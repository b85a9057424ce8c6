"""What differs is said; what two changed is put together; and git does both with the two commands."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from pale_ember import ASSETS
from pale_ember.core.effect.edit import index_of, moved_layer, new_id, with_value
from pale_ember.core.effect.values import curve, fixed
from pale_ember.core.variation.differing import differences
from pale_ember.core.variation.merging import merged
from pale_ember.core.variation.vary import Choice, varied
from pale_ember.formats.document import dumps, load
from tests.test_cli import pale

ROOT = Path(__file__).parents[2]
KILN = load(ASSETS / "demo" / "kiln-mouth.pale")[0]
SPARKS = next(layer for layer in KILN.layers if layer.name == "sparks")


def changed(effect, path, value, layer=SPARKS):
    return with_value(effect, ("layers", index_of(effect, layer.id), *path), value)


class Differs(unittest.TestCase):
    def said(self, after, before=KILN):
        return [str(each) for each in differences(before, after)]

    def test_numbers_curves_lists_and_layers_are_told(self):
        self.assertEqual(self.said(KILN), [])
        faster = changed(KILN, ("outlet", "rate"), fixed(48.0))
        self.assertEqual(self.said(changed(KILN, ("outlet", "rate"), fixed(60.0)), faster), ["sparks: rate 48 → 60"])
        one = changed(KILN, ("life", "size"), curve((0, 1), (0.5, 0.6), (1, 0)))
        other = changed(KILN, ("life", "size"), curve((0, 1), (0.5, 0.6), (1, 0.2)))
        self.assertEqual(self.said(other, one), ["sparks: the size curve ends at 0.2 instead of 0"])
        self.assertEqual(self.said(replace(KILN, loop=not KILN.loop)), [f"loop {'off' if KILN.loop else 'on'}"])
        new = replace(SPARKS, id=new_id(), name="more sparks")
        self.assertEqual(self.said(replace(KILN, layers=(*KILN.layers, new))), ["more sparks: is new"])
        self.assertEqual(self.said(replace(KILN, layers=KILN.layers[1:])), [f"{KILN.layers[0].name}: is gone"])
        self.assertIn("drawn in the order", self.said(moved_layer(KILN, KILN.layers[0].id, 3))[0])
        renamed = changed(KILN, ("name",), "embers")
        self.assertEqual(self.said(renamed), ["embers: name sparks → embers"])
        lamp = KILN.stage.lamps[0]
        brighter = with_value(KILN, ("stage", "lamps", 0, "power"), lamp.power * 2)
        self.assertRegex(self.said(brighter)[0], rf"^{lamp.name} power [\d.]+× → [\d.]+×$")

    def test_every_difference_leads_to_what_differs(self):
        rng = np.random.default_rng(1)
        for path in sorted((ASSETS / "demo").glob("*.pale"))[:6]:
            before = load(path)[0]
            after = varied(before, Choice(), 0.7, rng)
            found = differences(before, after)
            self.assertGreater(len(found), 5)
            self.assertFalse([str(each) for each in found if "none → none" in each.said or not each.said.strip()])


class Merges(unittest.TestCase):
    def test_what_only_one_changed_is_as_that_one_has_it(self):
        rng = np.random.default_rng(2)
        for path in sorted((ASSETS / "demo").glob("*.pale")):
            base = load(path)[0]
            other = varied(base, Choice(), 0.5, rng)
            for mine, theirs in ((base, other), (other, base), (other, other)):
                self.assertEqual(merged(base, mine, theirs), (other, []), path.name)

    def test_both_change_different_things_even_of_one_curve(self):
        base = changed(KILN, ("life", "size"), curve((0, 1), (0.5, 0.6), (1, 0)))
        mine = changed(changed(base, ("birth", "lifetime"), fixed(9.0)), ("life", "size"), curve((0, 1), (0.5, 0.6), (1, 0.2)))
        new = replace(SPARKS, id=new_id(), name="more sparks")
        theirs = changed(base, ("life", "size"), curve((0, 0.5), (0.5, 0.6), (1, 0)))
        theirs = replace(moved_layer(theirs, theirs.layers[0].id, 2), duration=4.5)
        theirs = replace(theirs, layers=(*theirs.layers[:3], new, *theirs.layers[3:]))
        made, conflicts = merged(base, mine, theirs)
        self.assertEqual(conflicts, [])
        sparks = made.layers[index_of(made, SPARKS.id)]
        self.assertEqual((sparks.birth.lifetime, made.duration), (fixed(9.0), 4.5))
        self.assertEqual([key.value for key in sparks.life.size.keys], [0.5, 0.6, 0.2])
        self.assertEqual([layer.name for layer in made.layers], [layer.name for layer in theirs.layers])

    def test_what_both_change_is_listed_and_nothing_is_thrown_away(self):
        mine = changed(KILN, ("birth", "lifetime"), fixed(9.0))
        theirs = changed(KILN, ("birth", "lifetime"), fixed(7.0))
        made, (conflict,) = merged(KILN, mine, theirs)
        self.assertEqual(made, mine)
        self.assertEqual((conflict.layer, conflict.path, conflict.theirs), ("sparks", ("birth", "lifetime"), fixed(7.0)))
        gone = replace(KILN, layers=tuple(layer for layer in KILN.layers if layer.id != SPARKS.id))
        for pair in ((gone, theirs), (theirs, gone)):
            made, (conflict,) = merged(KILN, *pair)
            self.assertIn(SPARKS.id, [layer.id for layer in made.layers])
            self.assertIn("removed", str(conflict))
        self.assertEqual(merged(KILN, gone, KILN), (gone, []))


class WithGit(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def git(self, *words, fails=False):
        command = f"{sys.executable} -P -m pale_ember.cli"
        told = ["-c", "user.name=Quay", "-c", "user.email=quay@example.invalid", "-c", f"diff.pale.command={command} diff"]
        told += ["-c", f"merge.pale.driver={command} merge %O %A %B --out %A"]
        environment = os.environ | {"PYTHONPATH": str(ROOT / "src"), "GIT_CONFIG_GLOBAL": "/dev/null"}
        done = subprocess.run(["git", *told, *words], cwd=self.folder, capture_output=True, text=True, env=environment)
        self.assertEqual(done.returncode != 0, fails, done.stderr)
        return done.stdout + done.stderr

    def kept(self, effect, words):
        (self.folder / "kiln.pale").write_bytes(dumps(effect))
        self.git("add", ".")
        self.git("commit", "-q", "-m", words)

    def test_git_tells_differences_in_sentences_and_merges_what_two_changed(self):
        self.git("init", "-q", "-b", "main")
        (self.folder / ".gitattributes").write_text("*.pale diff=pale merge=pale\n")
        self.kept(KILN, "the kiln")
        self.git("checkout", "-q", "-b", "other")
        self.kept(changed(KILN, ("birth", "lifetime"), fixed(7.0)), "longer")
        self.git("checkout", "-q", "main")
        self.kept(replace(KILN, duration=4.5), "slower")
        self.assertIn("sparks: lifetime", self.git("diff", "main~", "other", "--ext-diff"))
        self.git("merge", "-q", "other", "-m", "both")
        made = load(self.folder / "kiln.pale")[0]
        self.assertEqual(made, replace(changed(KILN, ("birth", "lifetime"), fixed(7.0)), duration=4.5))
        self.git("checkout", "-q", "-b", "third", "main~1")
        self.kept(changed(KILN, ("birth", "lifetime"), fixed(3.0)), "shorter")
        self.assertIn("sparks: birth.lifetime: changed by both; yours is kept", self.git("merge", "other", "-m", "x", fails=True))

    def test_the_commands_by_themselves(self):
        one, other = self.folder / "one.pale", self.folder / "other.pale"
        one.write_bytes(dumps(KILN))
        other.write_bytes(dumps(changed(KILN, ("birth", "lifetime"), fixed(7.0))))
        done = pale("diff", one, other, "--json", "--html", self.folder / "page.html")
        self.assertEqual(done.returncode, 1)
        self.assertEqual(json.loads(done.stdout)["differences"][0]["field"], "birth.lifetime")
        page = (self.folder / "page.html").read_text()
        self.assertEqual(page.count("data:image/png"), 2)
        self.assertNotRegex(page, r"https?://")
        self.assertEqual(pale("diff", one, one).returncode, 0)
        self.assertIn("expected two files, found 3", pale("diff", one, one, one).stderr)
        out = self.folder / "out.pale"
        self.assertEqual(pale("merge", one, one, other, "--out", out).returncode, 0)
        self.assertEqual(out.read_bytes(), other.read_bytes())
        self.assertEqual(pale("merge", one, self.folder / "none.pale", other, "--out", out).returncode, 2)

    def test_a_small_edit_is_a_small_change_of_text(self):
        before = dumps(KILN).decode().splitlines()
        after = dumps(changed(KILN, ("birth", "lifetime"), fixed(7.0))).decode().splitlines()
        self.assertEqual(len(before), len(after))
        self.assertEqual(sum(a != b for a, b in zip(before, after, strict=True)), 1)
        self.assertTrue(dumps(KILN).endswith(b"\n"))


if __name__ == "__main__":
    unittest.main()
