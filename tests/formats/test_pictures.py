"""Pictures and sheets on their way in and out."""

import io
import json
import unittest

import numpy as np
from PIL import Image
from scipy import ndimage

from pale_ember.core.effect.chapters import Look
from pale_ember.core.texture.light import to_coded, to_linear
from pale_ember.core.texture.sheet import SheetPlan, bake
from pale_ember.formats.pictures import PictureError, library_file, png_bytes, read_picture, ungrained
from pale_ember.formats.sheets import sheet_json
from pale_ember.formats.shelf import Shelf, stand_in
from pale_ember.formats.traces import trace_moments
from tests.examples import drip, effect
from tests.folder import InFolder


class Pictures(InFolder):
    def test_srgb_goes_there_and_back(self):
        values = np.linspace(0, 1, 256)
        np.testing.assert_allclose(to_coded(to_linear(values)), values, atol=1e-6)
        self.assertAlmostEqual(float(to_linear(np.array(0.5))), 0.21404, places=4)

    def test_a_png_is_read_as_linear_light_and_straight_alpha(self):
        pixels = np.zeros((2, 3, 4), np.uint8)
        pixels[0, 1] = 128, 255, 0, 51
        (self.folder / "flare.png").write_bytes(png_bytes(pixels))
        read = read_picture(self.folder / "flare.png")
        self.assertEqual((read.shape, read.dtype), ((2, 3, 4), np.float32))
        np.testing.assert_allclose(read[0, 1], [0.21586, 1, 0, 0.2], atol=1e-4)

    def test_what_cannot_be_used_is_said_by_name(self):
        (self.folder / "torn.png").write_bytes(b"\x89PNG\r\n\x1a\n torn")
        for name, words in (("torn.png", "export it again"), ("lost.png", "not there")):
            with self.assertRaises(PictureError) as caught:
                read_picture(self.folder / name)
            self.assertIn(name, str(caught.exception))
            self.assertIn(words, str(caught.exception))

    def test_a_shelf_reads_again_what_changed_and_stands_in_for_what_is_gone(self):
        shelf, path = Shelf(self.folder), self.folder / "mist.png"
        np.testing.assert_array_equal(shelf.get("mist.png"), stand_in())
        self.assertIn("mist.png", shelf.faults)
        Image.new("RGBA", (4, 4), (255, 0, 0, 255)).save(path)
        first = shelf.get("mist.png")
        self.assertEqual(first.shape, (4, 4, 4))
        self.assertEqual(shelf.faults, {})
        self.assertIs(shelf.get("mist.png"), first)
        Image.new("RGBA", (8, 8), (255, 0, 0, 255)).save(path)
        self.assertEqual(shelf.get("mist.png").shape, (8, 8, 4))
        self.assertIn("no such picture", shelf.get("library:eel") is not None and shelf.faults["library:eel"])
        Shelf(None).get("mist.png")


class Sheets(unittest.TestCase):
    @staticmethod
    def cells(values, edge=()):
        def draw(moment):
            i = round(moment * 4)
            cell = np.zeros((8, 8, 4), np.uint8)
            cell[3:5, 3:5] = (*[values[i]] * 3, 255)
            if i in edge:
                cell[0, 2, 3] = 200
            return cell

        return draw

    def test_frames_lie_row_by_row_and_the_last_stops_before_the_end(self):
        plan = SheetPlan(frames=4, columns=3, cell=8, last=1.0)
        self.assertEqual(plan.moments(), [0, 0.25, 0.5, 0.75])
        sheet = bake(plan, self.cells([10, 20, 30, 40]))
        self.assertEqual(sheet.pixels.shape, (16, 24, 4))
        self.assertEqual([int(sheet.cell_at(i)[3, 3, 0]) for i in range(4)], [10, 20, 30, 40])
        self.assertEqual(int(sheet.pixels[8:, 8:].max()), 0)

    def test_cut_edges_and_the_seam_are_found(self):
        plan = SheetPlan(frames=4, columns=4, cell=8, last=1.0)
        self.assertEqual(bake(plan, self.cells([0, 90, 90, 0], edge=(1, 3))).clipped, (1, 3))
        smooth = bake(plan, self.cells([0, 60, 120, 60]))
        jumps = bake(plan, self.cells([0, 30, 60, 240]))
        self.assertAlmostEqual(smooth.seam, 1.0, places=3)
        self.assertGreater(jumps.seam, 2.0)

    def test_a_bake_can_be_stopped(self):
        asked = []
        plan = SheetPlan(frames=4, columns=4, cell=8, last=1.0)
        self.assertIsNone(bake(plan, self.cells([1, 2, 3, 4]), lambda done: asked.append(done) or done < 2))
        self.assertEqual(asked, [0, 1, 2])

    def test_what_cannot_be_baked_is_one_sentence(self):
        for plan in (SheetPlan(frames=0), SheetPlan(columns=-1), SheetPlan(cell=9999), SheetPlan(first=2.0, last=1.0),
                     SheetPlan(last=float("nan")), SheetPlan(frames=1024, columns=32, cell=2048)):  # fmt: skip
            self.assertRegex(plan.fault(), r"^\w+: .+[;,] ?.+")
        self.assertIsNone(SheetPlan().fault())

    def test_the_json_tells_the_blend_and_the_speed(self):
        plan = SheetPlan(frames=8, columns=4, cell=64, first=1.0, last=3.0)
        told = json.loads(sheet_json(effect(drip()), plan, "plume.png", 2.5))
        self.assertEqual((told["fps"], told["rows"], told["blend"], told["world_size"]), (4.0, 2, "additive", 2.5))
        mixed = effect(drip(), drip(id="00000000000000bb", look=Look(blend="alpha")))
        self.assertEqual(json.loads(sheet_json(mixed, plan, "x", 1.0))["blend"], "alpha")

    def test_a_png_survives_its_writing(self):
        pixels = np.random.default_rng(1).integers(0, 255, (5, 7, 4), np.uint8)
        np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(png_bytes(pixels)))), pixels)


class Moments(unittest.TestCase):
    def test_moments_are_steps_once_each_with_the_last(self):
        self.assertEqual(trace_moments(0.05, None, 60), [0, 1 / 60, 2 / 60, 3 / 60])
        self.assertEqual(trace_moments(1.0, 0.3, 10), [0, 0.3, 0.6, 0.9, 1.0])
        self.assertEqual(trace_moments(0.1, 0.001, 20), [0, 0.05, 0.1])
        self.assertEqual(trace_moments(0.0, None, 60), [0])


class Grain(unittest.TestCase):
    def test_the_thinnest_cover_runs_out_evenly_and_keeps_its_sum(self):
        coarse = read_picture(library_file("kiln fire"))
        before = coarse[..., 3].copy()
        after = ungrained(coarse)[..., 3]
        self.assertAlmostEqual(float(after.sum() / before.sum()), 1.0, delta=0.01)
        np.testing.assert_array_equal(after[before >= 3.5 / 255], before[before >= 3.5 / 255])
        # Far out, where there is nothing but grain, steps from one pixel to the next are a third of what they were at most.
        deep = ndimage.maximum_filter(before, 9) < 1.6 / 255
        steps = [np.abs(np.diff(cover, axis=0))[deep[1:]].mean() for cover in (after, before)]
        self.assertLess(steps[0], steps[1] / 3)
