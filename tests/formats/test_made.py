"""Recipes on the shelf: painted once, again when something changed; gases kept; frames taken from files and clips."""

import threading
import time
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from msgspec.structs import replace
from PIL import Image

from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.recipe.changes import Rim
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.shapes import Dot
from pale_ember.core.effect.recipe.sources import Gas, Picture
from pale_ember.core.effect.renaming import names_followed
from pale_ember.core.effect.starting_points import smoke
from pale_ember.core.texture.library import LIT
from pale_ember.formats.clips import clip_bytes
from pale_ember.formats.files import room_told
from pale_ember.formats.frame_import import frames_in, in_order, laid
from pale_ember.formats.gases import Gases, key_of
from pale_ember.formats.handover.package import package_of
from pale_ember.formats.handover.textures import TextureOptions
from pale_ember.formats.picture_encoding import codes_of, picture_bytes
from pale_ember.formats.pictures import PictureError, library_picture, read_picture
from pale_ember.formats.recipe_pictures import forecast
from pale_ember.formats.shelf import Shelf
from tests.folder import InFolder

DOT = Recipe(name="dot", size=32, steps=(Dot(),))
SMALL = Gas(grid=16, warm=0.1, span=0.1)
PUFF = Recipe(name="puff", size=16, frames=4, columns=2, steps=(SMALL,))


class Shelved(InFolder):
    def test_a_recipe_is_painted_once_and_again_when_what_it_is_made_of_changes(self):
        Image.new("RGBA", (8, 8), (255, 0, 0, 255)).save(self.folder / "slag.png")
        own = Recipe(name="own", size=8, steps=(Picture(picture="slag.png", key=0), Rim(key=1)))
        shelf = Shelf(self.folder, (DOT, own))
        first = shelf.get("recipe:own")
        self.assertIs(shelf.get("recipe:own"), first)
        self.assertFalse(first.flags.writeable)
        self.assertIs(shelf.get("recipe:own", (replace(own),)), first)
        Image.new("RGBA", (9, 9), (0, 255, 0, 255)).save(self.folder / "slag.png")
        self.assertGreater(shelf.get("recipe:own")[4, 4, 1], 0.9)
        other = shelf.get("recipe:dot", (replace(DOT, size=16),))
        self.assertEqual((other.shape, shelf.get("recipe:dot").shape), ((16, 16, 4), (32, 32, 4)))
        self.assertEqual(shelf.faults, {})

    def test_what_cannot_be_made_is_told_in_a_sentence(self):
        ring = Recipe(name="ring", steps=(Picture(picture="recipe:ring"),))
        shelf = Shelf(None, (DOT, ring, replace(DOT, name="huge", size=4096, frames=64, columns=8), PUFF,
                             replace(PUFF, name="vast", size=1024, frames=64, loop=True, steps=(replace(SMALL, grid=160),))))  # fmt: skip
        for name, word in {
            "recipe:none": "the document has dot, ring, huge",
            "recipe:ring": "take one picture out",
            "recipe:huge": "at most 8192",
            "recipe:dot#light": "without a gas has no light",
            "recipe:vast": "lower the grid",
        }.items():
            self.assertEqual(shelf.get(name).shape[2], 4)
            self.assertIn(word, shelf.faults[name])

    def test_what_takes_long_or_much_room_is_foretold(self):
        wide, gas = replace(DOT, size=4096), replace(PUFF, size=1024, frames=36, steps=(replace(SMALL, grid=160),))
        self.assertEqual(forecast(DOT, 1e-6), "")
        self.assertEqual([room_told(each * 2**20) for each in (0.33, 340, 2048)], ["0.3 MB", "340 MB", "2.0 GB"])
        self.assertEqual(forecast(wide, 1e-6), "Painting it takes about 17 s.")
        self.assertEqual(forecast(replace(wide, frames=2), 1e-6), "Painting it takes about 34 s and 1.6 GB of memory.")
        self.assertRegex(forecast(gas, 0.0), r"^Painting it takes about \d+ s and \d\.\d GB of memory\.$")

    def test_a_gas_is_foretold_by_what_the_last_one_took(self):
        gases = Gases()
        gases._wishes["puff"] = replace(SMALL, grid=32), 12, False, 64
        gases._make("puff", gases._wishes["puff"])
        self.assertNotEqual(gases.pace, 1.0)
        twice = forecast(replace(PUFF, size=512, frames=64, columns=8), 0.0, 2 * gases.pace)
        self.assertNotEqual(twice, forecast(replace(PUFF, size=512, frames=64, columns=8), 0.0, gases.pace))

    def test_names_follow_and_a_package_takes_recipes_along(self):
        worn = smoke()
        light = replace(worn.look.light, lit=0.5, six="recipe:puff#light")
        flows = {"between": "along vectors", "vectors": "recipe:puff#motion"}
        worn = replace(worn, look=replace(worn.look, picture="recipe:puff", columns=2, rows=2, light=light, **flows))
        effect = Effect(name="stack", layers=(worn,), recipes=(PUFF,))
        after = names_followed(effect, replace(effect, recipes=(replace(PUFF, name="plume"),)))
        look = after.layers[0].look
        self.assertEqual((look.picture, look.vectors, look.light.six), ("recipe:plume", "recipe:plume#motion", "recipe:plume#light"))
        files = package_of(effect, Shelf(None, effect.recipes), TextureOptions("none")).files
        self.assertEqual(
            sorted(name for name in files if name.startswith("textures/") and name.endswith(".png")),
            ["textures/puff.png", "textures/puff_light.png", "textures/puff_motion.png"],
        )
        self.assertNotIn(b"recipe", files["effect.json"])

    def test_lit_cards_are_their_cards_twice_as_high(self):
        for name in LIT:
            card, lit = library_picture(name), Shelf(None).get(f"library:{name}#light")
            # Light is even: half as fine is enough for it.
            self.assertEqual(lit.shape, (card.shape[0], card.shape[1] // 2, 4))
            half, frame = len(lit) // 2, len(lit) // 12
            more, covers = ((lit[:half, :, k] - lit[half:, :, k] * (k == 1)).reshape(6, frame, -1) for k in (1, 3))
            upper, lower = (
                float(np.average(more[:, rows], weights=covers[:, rows])) for rows in (slice(frame // 2), slice(frame // 2, None))
            )
            self.assertGreater(upper, lower + 0.01, name)


class Simulated(unittest.TestCase):
    def test_a_gas_is_kept_and_damage_makes_it_anew(self):
        kept = {}
        wish = (SMALL, 3, False, 16)
        first = Gases(kept).frames(*wish)
        self.assertEqual(list(kept), [key_of(wish)])
        self.assertEqual(key_of((replace(SMALL, key=4, mix="add"), *wish[1:])), key_of(wish))
        self.assertNotEqual(key_of((replace(SMALL, lift=1.0), *wish[1:])), key_of(wish))
        np.testing.assert_array_equal(Gases(kept).frames(*wish).picture, first.picture)
        kept[key_of(wish)] = kept[key_of(wish)][:100]
        np.testing.assert_array_equal(Gases(kept).frames(*wish).picture, first.picture)

    def test_who_does_not_wait_is_told_when_there_is_more(self):
        told = threading.Event()
        gases = Gases(patient=False, changed=told.set)
        self.addCleanup(gases.end)
        big, seen, made = replace(SMALL, grid=32), [], gases._simulated
        with mock.patch.object(gases, "_simulated", side_effect=lambda wish, wanted: seen.append(gases.progress) or made(wish, wanted)):
            self.assertIsNone(gases.frames(big, 3, False, 16))
            self.assertTrue(told.wait(60))
        self.assertEqual(seen[0], (0, 3), "from the first moment on it can be seen that something is made")
        for _ in range(600):
            if key_of((big, 3, False, 16)) in gases.kept:
                break
            told.clear()
            told.wait(0.1)
        self.assertEqual(gases.frames(big, 3, False, 16).picture.shape, (3, 16, 16, 4))

    def test_how_long_a_gas_still_takes_is_told_from_its_frames_not_from_its_running_in(self):
        gases = Gases(patient=False)
        told = gases._told(9, lambda: True)
        with mock.patch("time.monotonic", side_effect=(0.0, 60.0, 62.0, 64.0, 70.0)):
            left = [told(done) and gases.left for done in (0, 1, 2, 3, 6)]
        self.assertEqual(left, [None, None, None, 12.0, 6.0])
        self.assertEqual(gases.progress, (6, 9))

    def test_who_makes_no_whole_gas_has_a_coarse_one_until_somebody_kept_it(self):
        kept, told = {}, threading.Event()
        gases = Gases(kept, patient=False, whole=False, changed=told.set)
        self.addCleanup(gases.end)
        wish = replace(SMALL, grid=32), 3, False, 16
        self.assertIsNone(gases.frames(*wish))
        self.assertTrue(gases.waits)
        self.assertTrue(told.wait(60))
        coarse = gases.frames(*wish)
        self.assertEqual((coarse.picture.shape, gases.waits, kept), ((3, 16, 16, 4), False, {}))
        whole = Gases(kept).frames(*wish)
        np.testing.assert_array_equal(gases.frames(*wish).picture, whole.picture)

    def test_two_gases_of_one_effect_are_both_made_and_neither_lends_the_other_its_picture(self):
        gases = Gases(patient=False)
        self.addCleanup(gases.end)
        one, two = replace(PUFF, name="one"), replace(PUFF, name="two", steps=(replace(SMALL, lift=9.0, smoke=20.0),))
        shelf = Shelf(None, (one, two), gases)
        end = time.monotonic() + 60
        # A stage that plays asks for both again and again.
        while len(gases.kept) < 2 and time.monotonic() < end:
            pictures = [shelf.get("recipe:one"), shelf.get("recipe:two")]
            self.assertFalse(pictures[0].any() and np.array_equal(*pictures))
            time.sleep(0.01)
        self.assertEqual(len(gases.kept), 2)
        whole = shelf.patient()
        self.assertIsNot(whole, shelf)
        np.testing.assert_array_equal(whole.get("recipe:two"), shelf.get("recipe:two"))


class Taken(InFolder):
    def test_files_and_clips_become_sheets(self):
        for k in (1, 2, 10):
            Image.new("RGBA", (20, 10 + k), (25 * k, 0, 0, 255)).save(self.folder / f"puff-{k}.png")
        paths = in_order(list(self.folder.iterdir()))
        self.assertEqual([path.stem for path in paths], ["puff-1", "puff-2", "puff-10"])
        sheet, columns = laid(frames_in(paths))
        self.assertEqual((sheet.shape[1] // columns, float(sheet[..., 3].max())), (20, 1.0))
        frames = [np.full((16, 24, 4), (40 * k, 90, 30, 255), np.uint8) for k in range(5)]
        for ending in (".mp4", ".webm", ".gif"):
            clip = self.folder / f"clip{ending}"
            if ending == ".gif":
                Image.fromarray(frames[0]).save(clip, save_all=True, append_images=[Image.fromarray(each) for each in frames[1:]])
            else:
                clip.write_bytes(clip_bytes(frames, 10, ending))
            self.assertEqual(len(frames_in([clip])), 5, ending)
        (self.folder / "broken.mp4").write_bytes(b"no film")
        for paths, word in (
            ([self.folder / "broken.mp4"], "not a clip"),
            ([self.folder / "notes.txt", Path("a.png")], "expected pictures"),
        ):
            with self.assertRaisesRegex(PictureError, word):
                frames_in(paths)
        self.assertEqual(frames_in(in_order(list(self.folder.glob("*.png"))), lambda done: done < 1), [])

    def test_pictures_leave_in_every_format_as_they_are(self):
        pixels = Shelf(None, (DOT,)).get("recipe:dot")
        for ending in (".png", ".tga", ".webp"):
            (self.folder / f"dot{ending}").write_bytes(picture_bytes(pixels, ending))
            np.testing.assert_array_equal(codes_of(read_picture(self.folder / f"dot{ending}")), codes_of(pixels), ending)
        (self.folder / "dot.exr").write_bytes(picture_bytes(pixels, ".exr"))
        np.testing.assert_allclose(read_picture(self.folder / "dot.exr")[..., 3], pixels[..., 3], atol=1e-3)
        with self.assertRaisesRegex(PictureError, "ending"):
            picture_bytes(pixels, ".bmp")
