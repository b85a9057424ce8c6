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
from pale_ember.core.effect.edit import fresh, index_of, moved_layer, new_id, with_layers, with_value
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.tree import without_layer
from pale_ember.core.effect.values import curve, fixed
from pale_ember.core.variation.differing import differences, with_taken_back
from pale_ember.core.variation.following import followed_by, news, with_following, with_recipe_following, without_following
from pale_ember.core.variation.merging import merged, resolved
from pale_ember.core.variation.vary import Choice, varied
from pale_ember.formats.document import dumps, load, loads
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


class TakenBack(unittest.TestCase):
    def test_whatever_differs_is_taken_back_alone_and_all_of_it_leads_home(self):
        rng = np.random.default_rng(3)
        for path in sorted((ASSETS / "demo").glob("*.pale"))[::3]:
            before = load(path)[0]
            after = varied(before, Choice(), 0.6, rng)
            first, last = after.layers[0], after.layers[-1]
            after = moved_layer(without_layer(after, first.id), last.id, 0)
            after = replace(after, layers=(*after.layers, replace(first, id=new_id(), name="new")), cues=(), loop=not after.loop)
            for each in differences(before, after):
                left = [str(one) for one in differences(before, with_taken_back(before, after, each))]
                self.assertNotIn(str(each), left, path.name)
            for _ in range(2000):
                found = differences(before, after)
                if not found:
                    break
                after = with_taken_back(before, after, found[0])
            self.assertEqual(differences(before, after), [])

    def test_each_conflict_is_chosen_by_itself(self):
        mine = changed(changed(KILN, ("birth", "lifetime"), fixed(1.0)), ("outlet", "rate"), fixed(20.0))
        theirs = changed(changed(KILN, ("birth", "lifetime"), fixed(2.0)), ("outlet", "rate"), fixed(30.0))
        conflicts = merged(KILN, mine, theirs)[1]
        self.assertEqual([each.field for each in conflicts], ["Outlet rate", "Birth lifetime"])
        chosen = resolved(KILN, mine, theirs, conflicts, {1})
        layer = chosen.layers[index_of(chosen, SPARKS.id)]
        self.assertEqual((layer.outlet.rate, layer.birth.lifetime), (fixed(20.0), fixed(2.0)))
        self.assertEqual(resolved(KILN, mine, theirs, conflicts, {0, 1}), theirs)
        self.assertEqual(resolved(KILN, mine, theirs, conflicts, ()), mine)

    def test_what_one_removed_and_the_other_changed_is_chosen_too(self):
        gone, faster = without_layer(KILN, SPARKS.id), changed(KILN, ("outlet", "rate"), fixed(9.0))
        for mine, theirs, keeps in ((gone, faster, {0}), (faster, gone, ())):
            conflicts = merged(KILN, mine, theirs)[1]
            self.assertEqual(len(conflicts), 1)
            kept = resolved(KILN, mine, theirs, conflicts, keeps)
            self.assertEqual(kept.layers[index_of(kept, SPARKS.id)].outlet.rate, fixed(9.0))
            other = resolved(KILN, mine, theirs, conflicts, {0} - set(keeps))
            self.assertNotIn(SPARKS.id, [layer.id for layer in other.layers])


class Follows(unittest.TestCase):
    def setUp(self):
        flame, sparks = KILN.layers[1], SPARKS
        self.shared = {"starts/fire": tuple(replace(each, rides_on="") for each in (flame, sparks))}
        made = fresh(self.shared["starts/fire"])
        self.effect = with_following(with_layers(replace(KILN, layers=()), made), "starts/fire", self.shared["starts/fire"], made)

    def test_a_change_of_the_shared_thing_is_taken_and_what_differs_here_stays(self):
        self.assertEqual(news(self.effect, self.shared), [])
        mine = with_value(self.effect, ("layers", 1, "birth", "lifetime"), fixed(7.0))
        one, other = self.shared["starts/fire"]
        other = with_value(with_value(other, ("outlet", "rate"), fixed(3.0)), ("birth", "lifetime"), fixed(9.0))
        shared = {"starts/fire": (one, other)}
        (found,) = news(mine, shared)
        self.assertEqual(len(found.said), 2)
        self.assertEqual([each.field for each in found.kept], ["Birth lifetime"])
        taken = found.effect.layers[1]
        self.assertEqual((taken.outlet.rate, taken.birth.lifetime, taken.id), (fixed(3.0), fixed(7.0), mine.layers[1].id))
        self.assertEqual(news(found.effect, shared), [])
        self.assertEqual(loads(dumps(found.effect), Path("x"))[0], found.effect)

    def test_what_is_gone_or_goes_its_own_way_follows_no_more(self):
        first = followed_by(self.effect, self.effect.layers[0].id)
        shared = {"starts/fire": tuple(with_value(each, ("outlet", "rate"), fixed(1.0)) for each in self.shared["starts/fire"])}
        self.assertEqual(len(news(without_following(self.effect, first), shared)), 1)
        self.assertEqual(len(news(without_layer(self.effect, self.effect.layers[0].id), shared)), 1)
        self.assertEqual(news(self.effect, {}), [])

    def test_a_recipe_follows_too(self):
        recipe = Recipe(name="foam", steps=())
        effect = with_recipe_following(replace(KILN, recipes=(recipe,)), "recipes/foam", recipe)
        (found,) = news(effect, {"recipes/foam": replace(recipe, name="foam", size=512)})
        self.assertEqual(found.effect.recipes[0].size, 512)
        self.assertEqual([str(each) for each in found.said], ["size 256 px → 512 px"])


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
        self.assertRegex(
            self.git("merge", "other", "-m", "x", fails=True),
            "sparks: Birth lifetime: changed by both, .* by you, .* by the other; yours is kept",
        )

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
