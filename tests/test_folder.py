"""A folder of effects: listed and searched, nothing read twice, files renamed with all that name them, things shared and followed."""

import os
import shutil
import unittest
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PIL import Image

from pale_ember import ASSETS
from pale_ember.core.effect.edit import fresh, with_layers, with_value
from pale_ember.core.effect.model import Credit, Effect, Followed
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.values import Curve, curve
from pale_ember.core.insight.checks.facts import NO_GAME
from pale_ember.core.variation.following import news
from pale_ember.draw.offscreen import offscreen
from pale_ember.folder import index as indexing
from pale_ember.folder.index import FolderIndex, stamps_in
from pale_ember.folder.listing import called, effects_in, found, read_card, sort_key, summary
from pale_ember.folder.looking import FRAMES, in_folder, key_of, looked_at, on_one_quay, strip_of, unplayed
from pale_ember.folder.pictures import pictures_in
from pale_ember.folder.renaming import FolderChangeError, moving, removing, replacing
from pale_ember.folder.shared import SharedFolder, kept_out, with_recipes_of, with_sharing
from pale_ember.formats.document import dumps, load
from pale_ember.formats.game_folder import root_of
from pale_ember.formats.shelf import Shelf
from pale_ember.formats.targets import targets_of
from tests.examples import SMALL_FIRE
from tests.folder import InFolder

FIRE = load(SMALL_FIRE)[0]
KILN = load(ASSETS / "demo" / "kiln-mouth.pale")[0]


def wearing(file, effect=FIRE):
    return with_value(effect, ("layers", 0, "look", "picture"), file)


class Game(InFolder):
    def setUp(self):
        super().setUp()
        caches = mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder / "cache")})
        caches.start()
        self.addCleanup(caches.stop)
        self.game = self.folder / "quay"
        (self.game / "fire").mkdir(parents=True)
        self.put("small fire", FIRE)
        self.put("fire/kiln", KILN)

    def put(self, name, effect):
        path = self.game / f"{name}.pale"
        path.write_bytes(dumps(effect))
        return path

    def picture(self, name, shade=90):
        Image.fromarray(np.full((8, 8, 3), shade, np.uint8)).save(self.game / name)

    def cards(self):
        return [read_card(self.game, name) for name in effects_in(self.game)]


class Listed(Game):
    def test_what_leaves_the_folder_is_foreign_or_hidden_is_passed_by_and_what_cannot_be_read_is_told(self):
        (self.game / ".hidden").mkdir()
        shutil.copy(SMALL_FIRE, self.game / ".hidden" / "x.pale")
        (self.game / "shared" / "starts").mkdir(parents=True)
        shutil.copy(SMALL_FIRE, self.game / "shared" / "starts" / "spray.pale")
        outside = self.folder / "outside.pale"
        shutil.copy(SMALL_FIRE, outside)
        (self.game / "leads out.pale").symlink_to(outside)
        (self.game / "around").symlink_to(self.game)
        (self.game / "weird ü '\"\n name.pale").write_text("{")
        os.mkfifo(self.game / "pipe.pale")
        names = effects_in(self.game)
        self.assertEqual(names, ["pipe", "small fire", "weird ü '\"\n name", "fire/kiln"])
        told = {card.name: card.fault for card in self.cards()}
        self.assertIn("expected", told["pipe"])
        self.assertIn("expected", told["weird ü '\"\n name"])
        self.assertEqual([name for name, fault in told.items() if not fault], ["small fire", "fire/kiln"])

    def test_effects_are_found_by_any_word_for_what_is_in_them_and_by_figures(self):
        card = read_card(self.game, "fire/kiln")
        for words in (
            "kiln",
            "sparks",
            "additive",
            "smoke",
            "collision",
            "turbulence",
            "loop",
            "kiln additive",
            "layers > 3",
            "seconds<10",
        ):
            self.assertTrue(found(card, words), words)
        for words in ("lightning", "layers < 3", "particles > 1", "kiln lightning"):
            self.assertFalse(found(card, words), words)
        small = read_card(self.game, "small fire")
        self.assertTrue(found(small, "") and called(small, "fire small") and called(small, ""))
        self.assertFalse(called(card, "sparks"))

    def test_nothing_is_read_twice_and_what_changed_is(self):
        known = FolderIndex(self.game)
        self.assertEqual(known.list(stamps_in(self.game)), ["small fire", "fire/kiln"])
        for name in list(known.cards):
            known.take(read_card(self.game, name))
        place = indexing.kept_place(self.game)
        place.mkdir(parents=True)
        (place / "nobody.webp").write_bytes(b"")
        known.keep()
        self.assertEqual([path.name for path in place.iterdir()], ["cards.json"])
        again = FolderIndex(self.game)
        with mock.patch.object(indexing, "effects_in", return_value=effects_in(self.game)):
            self.assertEqual(again.list(stamps_in(self.game)), [])
        self.assertEqual(again.cards, known.cards)
        self.put("small fire", replace(FIRE, name="another", duration=9.0))
        self.assertEqual(again.list(stamps_in(self.game)), ["small fire"])
        (self.game / "fire" / "kiln.pale").unlink()
        again.list(stamps_in(self.game))
        self.assertEqual(list(again.cards), ["small fire"])

    def test_a_game_has_one_root_with_its_rules_targets_and_shared_things(self):
        kiln = self.game / "fire" / "kiln.pale"
        self.assertEqual(root_of(kiln), kiln.parent)
        (self.folder / "shared" / "photos").mkdir(parents=True)
        (self.folder / "build.json").write_text('{"scripts": {"build": "make"}}')
        self.assertEqual(root_of(kiln), kiln.parent, "folders and files of that name that are somebody else's")
        (self.game / "build.json").write_text("{}")
        told = '{"quay": {"particles": 10, "textures_mb": 1, "layers": 3, "painted": 2}}'
        (self.game / "targets.json").write_text(told)
        self.assertEqual(root_of(kiln), self.game)
        self.assertEqual(list(targets_of(kiln.parent)[0]), ["quay"])


class Seen(Game):
    def test_an_effect_is_played_checked_and_measured_once(self):
        card, place = read_card(self.game, "fire/kiln"), self.folder / "kept"
        held = [Shelf(None)]
        with offscreen(lambda name: held[-1].get(name), lambda name: held[-1].mesh(name)) as renderer:
            seen = looked_at(self.game, card, renderer, held, NO_GAME, place, lambda: None)
        figures = seen.figures
        self.assertEqual(figures.key, key_of(self.game, card))
        self.assertGreater(figures.particles, 100)
        self.assertIn("handheld", figures.over)
        self.assertTrue(found(seen, "over handheld") and found(seen, "within desktop") and found(seen, "particles > 100"))
        frames = strip_of((place / f"{figures.picture}.webp").read_bytes())
        self.assertEqual(len(frames), FRAMES)
        self.assertGreater(frames.std(), 10)
        self.assertGreater(np.abs(np.diff(frames.astype(int), axis=0)).max(), 20)
        self.assertIn("1 over handheld: Kiln mouth", summary([seen]))
        self.assertLess(sort_key(seen, "particles"), sort_key(card, "particles"))

    def test_what_cannot_be_played_says_so_on_its_card(self):
        card = unplayed(self.game, read_card(self.game, "fire/kiln"), "it fell over")
        self.assertEqual((card.problems, card.figures.key), (1, key_of(self.game, card)))
        self.assertTrue(found(card, "fell over"))
        self.assertIn("1 with problems", summary([card]))

    def test_several_play_on_one_quay_each_with_what_is_its_own(self):
        one = replace(FIRE, recipes=(Recipe(name="foam"),), layers=(wearing("recipe:foam").layers[0],))
        other = replace(one, recipes=(Recipe(name="foam", size=64),))
        effect = on_one_quay([in_folder(one, "a"), in_folder(other, "b"), in_folder(wearing("x.png"), "fire/c")])
        self.assertEqual(len({layer.id for layer in effect.layers}), len(effect.layers))
        self.assertEqual([recipe.name for recipe in effect.recipes], ["a foam", "b foam"])
        pictures = [layer.look.picture for layer in effect.layers]
        self.assertEqual(pictures[:2], ["recipe:a foam", "recipe:b foam"])
        self.assertIn("fire/x.png", pictures)
        self.assertEqual(effect.layers[0].place, one.layers[0].place)


class Files(Game):
    def setUp(self):
        super().setUp()
        self.picture("fire/a.png")
        shutil.copy(self.game / "fire" / "a.png", self.game / "fire" / "twin.png")
        self.picture("fire/nobody.png", 9)
        self.one = self.put("fire/one", replace(wearing("a.png"), credits=(Credit(file="a.png", author="Ines Tarrow"),)))
        self.other = self.put("fire/other", wearing("twin.png"))
        self.top = self.put("top", wearing("fire/a.png"))

    def test_who_uses_what_twins_and_what_nobody_uses(self):
        self.put("missing", wearing("gone.png"))
        files = {name: card for name, (_, card) in pictures_in(self.game, self.cards(), {}).items()}
        self.assertEqual(files["fire/a.png"].used, ("top", "fire/one"))
        self.assertEqual(files["fire/a.png"].twins, ("fire/twin.png",))
        self.assertEqual((files["fire/nobody.png"].used, files["fire/nobody.png"].wide), ((), 8))
        self.assertIn("missing uses it", files["gone.png"].fault)
        known = pictures_in(self.game, self.cards(), {})
        with mock.patch("pale_ember.folder.pictures._measured", side_effect=AssertionError):
            pictures_in(self.game, self.cards(), known)

    def test_a_picture_is_renamed_with_every_document_that_names_it_and_back(self):
        before = {path: path.read_bytes() for path in (self.one, self.other, self.top)}
        change = moving(self.game, self.cards(), "fire/a.png", "fire/deep er/ember ü.png")
        change.do()
        self.assertEqual(load(self.one)[0].layers[0].look.picture, "deep er/ember ü.png")
        self.assertEqual(load(self.one)[0].credits[0].file, "deep er/ember ü.png")
        self.assertEqual(load(self.top)[0].layers[0].look.picture, "fire/deep er/ember ü.png")
        self.assertEqual(self.other.read_bytes(), before[self.other])
        self.assertFalse((self.game / "fire" / "a.png").exists())
        lines = zip(before[self.top].splitlines(), self.top.read_bytes().splitlines(), strict=True)
        self.assertEqual(sum(one != other for one, other in lines), 1)
        change.undo()
        self.assertEqual({path: path.read_bytes() for path in before}, before)
        self.assertTrue((self.game / "fire" / "a.png").exists())

    def test_twins_become_one_and_what_nobody_uses_goes_and_comes_back(self):
        change = replacing(self.game, self.cards(), ["fire/twin.png"], "fire/a.png")
        change.do()
        self.assertEqual(load(self.other)[0].layers[0].look.picture, "a.png")
        self.assertFalse((self.game / "fire" / "twin.png").exists())
        gone = removing(self.game, "fire/nobody.png")
        gone.do()
        gone.undo()
        self.assertTrue((self.game / "fire" / "nobody.png").exists())
        change.undo()
        self.assertEqual(load(self.other)[0].layers[0].look.picture, "twin.png")

    def test_what_cannot_be_done_is_told_and_changes_nothing(self):
        before = {path: path.read_bytes() for path in self.game.rglob("*.*")}
        for name in ("a.png", "../a.png", "fire/twin.png", "fire/a.tga", ""):
            with self.assertRaises(FolderChangeError, msg=name):
                moving(self.game, self.cards(), "fire/a.png", name).do()
        change = moving(self.game, self.cards(), "fire/a.png", "fire/b.png")
        self.top.write_bytes(dumps(replace(wearing("fire/a.png"), name="edited")))
        with self.assertRaisesRegex(FolderChangeError, "changed by another program"):
            change.do()
        self.top.write_bytes(before[self.top])
        full = mock.patch("pale_ember.folder.renaming.write_whole", side_effect=OSError(28, "No space left"))
        with full, self.assertRaisesRegex(FolderChangeError, "nothing was changed"):
            change.do()
        self.assertEqual({path: path.read_bytes() for path in self.game.rglob("*.*")}, before)


class SharedThings(Game):
    def test_what_is_shared_is_there_for_all_and_a_starting_point_brings_its_pictures(self):
        shared = SharedFolder(self.game)
        recipe = Recipe(name="foam", size=64)
        start = with_sharing(
            replace(wearing("recipe:foam"), recipes=(recipe, Recipe(name="other"))), fresh(wearing("recipe:foam").layers)
        )
        self.assertEqual(kept_out(start), "")
        self.assertIn("a.png lies beside this effect", kept_out(with_sharing(FIRE, wearing("a.png").layers)))
        shared.share("starts", "spray: a/b", start)
        self.assertEqual(root_of(self.game / "shared" / "starts"), self.game)
        shared.share("recipes", "foam", recipe)
        shared.share("shapes", "swell", curve((0, 0), (1, 1)))
        (self.game / "shared" / "shapes" / "bad.json").write_text("[")
        self.assertEqual(shared.shelves(), ["recipes", "shapes", "starts"])
        self.assertEqual(list(shared.parts("shapes", Curve)), ["swell"])
        self.assertEqual([recipe.name for recipe in shared.start("spray: a/b").recipes], ["foam"])
        mine = replace(FIRE, recipes=(Recipe(name="foam", size=8),))
        effect, made = with_recipes_of(mine, shared.start("spray: a/b"))
        self.assertEqual([each.name for each in effect.recipes], ["foam", "foam 2"])
        self.assertEqual(made.layers[0].look.picture, "recipe:foam 2")

    def test_layers_say_what_they_follow_and_take_what_it_has_become(self):
        shared = SharedFolder(self.game)
        shared.share("starts", "spray", with_sharing(FIRE, fresh(FIRE.layers)))
        start = shared.start("spray")
        made = fresh(start.layers)
        follows = tuple(
            Followed(source="starts/spray", of=one.id, layer=own.id, taken=(one,)) for one, own in zip(start.layers, made, strict=True)
        )
        effect = replace(with_layers(Effect(name="follower"), made), follows=follows)
        self.put("follower", effect)
        self.assertEqual(read_card(self.game, "follower").follows, ("starts/spray",))
        self.assertEqual(news(effect, shared.followable({"starts/spray"})), [])
        shared.share("starts", "spray", with_value(start, ("layers", 0, "outlet", "limit"), 77))
        (told,) = news(effect, shared.followable({"starts/spray", "starts/gone"}))
        self.assertEqual(told.effect.layers[0].outlet.limit, 77)
        shared.drop("starts", "spray")
        self.assertEqual(news(effect, shared.followable({"starts/spray"})), [])


if __name__ == "__main__":
    unittest.main()
