"""Footage is read whatever it comes as, its frames when they are seen, and bad footage gets a sentence; what commands make of it."""

import json
import unittest
from pathlib import Path
from unittest import mock

import numpy as np
from PIL import Image

from pale_ember import ASSETS
from pale_ember.core.effect.stage import Reference
from pale_ember.formats import footage
from pale_ember.formats.clips import clip_bytes
from pale_ember.formats.document import load
from pale_ember.formats.footage import in_frame, read_footage
from pale_ember.formats.pictures import PictureError
from tests.examples import SMALL_FIRE
from tests.folder import InFolder
from tests.test_cli import pale


def grey(level, width=64, height=36):
    return np.full((height, width, 4), (level, level, level, 255), np.uint8)


class Footage(InFolder):
    def test_clips_sheets_and_folders_give_their_frames_in_time(self):
        levels = [20, 80, 140, 200]
        frames = [grey(level) for level in levels]
        for kind in (".mp4", ".webm", ".webp"):
            (self.folder / f"fire{kind}").write_bytes(clip_bytes(frames, 10.0, kind))
        Image.fromarray(np.concatenate([np.concatenate(frames[:2], 1), np.concatenate(frames[2:], 1)])).save(self.folder / "sheet.png")
        (self.folder / "row").mkdir()
        for i, frame in enumerate(frames):
            Image.fromarray(frame[..., :3]).save(self.folder / "row" / f"fire-{i + 8}.jpg")
        pictures = [Image.fromarray(frame[..., :3]) for frame in frames]
        pictures[0].save(self.folder / "slow.gif", save_all=True, append_images=pictures[1:], duration=[100, 300, 100, 500], loop=0)
        for name, how, times, length in (
            *((f"fire{kind}", (), [0, 0.1, 0.2, 0.3], 0.4) for kind in (".mp4", ".webm", ".webp")),
            ("sheet.png", (2, 2), [0, 1 / 30, 2 / 30, 0.1], 4 / 30),
            ("row", (), [0, 1 / 30, 2 / 30, 0.1], 4 / 30),
            ("slow.gif", (), [0, 0.1, 0.4, 0.5], 1.0),
        ):
            got = read_footage(self.folder / name, *how)
            np.testing.assert_allclose(got.times, times, atol=0.002, err_msg=name)
            self.assertAlmostEqual(got.length, length, 2, name)
            for i, level in enumerate(levels):
                self.assertLess(np.abs(got.frame(i)[..., :3].mean() - level), 9, name)
        self.assertEqual([got.at(t) for t in (-1, 0.05, 0.1, 0.39, 0.41, 7)], [0, 0, 1, 1, 2, 3])
        frames, times, length = got.stretch(2.0, Reference(first=0.1, tempo=2.0))
        self.assertAlmostEqual(length, 0.45)
        self.assertAlmostEqual(frames[0].mean(), 80, delta=3)
        self.assertAlmostEqual(frames[-1].mean(), 200, delta=3)
        self.assertEqual((len(frames), len(times)), (14, 14))

        how = Reference(first=0.1, last=0.55, tempo=2.0, offset=0.3)
        self.assertEqual([got.seen_at(t, how) for t in (0.0, 0.34, 0.46, 0.52, 5.0)], [1, 1, 2, 3, 3])
        self.assertEqual(got.seen_at(10.34, how, loop=2.0), 1, "it begins anew with the effect")
        frames, times, last = got.stretch(2.0, how)
        self.assertAlmostEqual(last, 0.3 + 0.45 / 2)
        self.assertTrue((times > 0.3).all() and (times < last).all())

    def test_a_picture_stands_still_and_is_seen_whole(self):
        Image.fromarray(np.pad(grey(200, 40, 40)[:, 10:30], ((0, 0), (4, 4), (0, 0)))).save(self.folder / "still.png")
        got = read_footage(self.folder / "still.png")
        self.assertEqual((len(got), got.length), (1, 0.0))
        self.assertEqual(got.stretch(2.0, Reference())[2], 2.0)
        seen = in_frame(got.frame(0), 160, 90)
        self.assertEqual(seen.shape, (90, 160, 3))
        self.assertGreater(seen[45, 80, 0], 190)
        self.assertLess(seen[45, 5, 0], 5)
        moved = in_frame(got.frame(0), 160, 90, (0.5, 0.25), 0.5)
        self.assertGreater(moved[22, 80 + 45, 0], 190)
        self.assertLess(moved[60, 80, 0], 5)

    def test_what_is_long_or_large_is_kept_in_little_room(self):
        rng = np.random.default_rng(5)
        frames = [np.repeat(np.repeat(rng.integers(0, 255, (45, 80, 4), np.uint8), 24, 0), 24, 1) for _ in range(8)]
        (self.folder / "large.mp4").write_bytes(clip_bytes(frames, 30.0, ".mp4"))
        with mock.patch.object(footage, "_RAW", 2 * 2**20), mock.patch.object(footage, "MOST_FRAMES", 6):
            got = read_footage(self.folder / "large.mp4")
        self.assertEqual((len(got), got.frame(5).shape), (6, (540, 960, 3)))
        self.assertIn("longer than", got.cut)
        self.assertLess(sum(len(each) if isinstance(each, bytes) else each.nbytes for each in got._frames), 4 * 2**20)

    def test_bad_footage_gets_a_sentence(self):
        whole = clip_bytes([grey(80)] * 12, 10.0, ".mp4")
        (self.folder / "cut.mp4").write_bytes(whole[: len(whole) // 2])
        (self.folder / "none").mkdir()
        (self.folder / "note.txt").write_text("fire")
        (self.folder / "words.gif").write_bytes(b"GIF89a")
        Image.fromarray(grey(9)).save(self.folder / "small.png")
        for name, how, said in (
            ("cut.mp4", (), "cut.mp4: expected a clip with pictures, found none"),
            ("none", (), "none: expected footage with frames, found none"),
            ("note.txt", (), "note.txt: expected a picture or a clip"),
            ("words.gif", (), "words.gif: not footage"),
            ("gone.mp4", (), "gone.mp4: expected footage, found no such file"),
            ("small.png", (99, 1), "small.png: 99 × 1 frames do not fit"),
        ):
            with self.assertRaisesRegex(PictureError, said):
                read_footage(self.folder / name, *how)


class Commands(InFolder):
    def test_compared_fitted_and_varied_without_a_window(self):
        clip = self.folder / "fire.mp4"
        self.assertEqual(pale("clip", SMALL_FIRE, "--out", clip, "--size", "160x90").returncode, 0)
        done = pale("compare", ASSETS / "demo" / "sleet-squall.pale", clip, "--json")
        told = json.loads(done.stdout)
        self.assertEqual(done.returncode, 1)
        self.assertTrue(told["sentence"].startswith("Yours "))
        self.assertEqual(len(told["rows"]["brightness"]["ours"]), len(told["times"]))
        effect, _ = load(SMALL_FIRE)
        name = effect.layers[0].name
        done = pale("fit", SMALL_FIRE, clip, "--free", f"{name}:birth.size", "--trials", 12, "--out", self.folder / "found.pale")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(len(load(self.folder / "found.pale")[0].layers), len(effect.layers))
        done = pale("vary", SMALL_FIRE, "--count", 2, "--far", 0.3, "--out", self.folder / "some")
        self.assertEqual(done.returncode, 0, done.stderr)
        made = sorted(Path(self.folder / "some").iterdir())
        self.assertEqual([each.suffix for each in made], [".pale", ".png"] * 2)
        self.assertNotEqual(load(made[0])[0], load(made[2])[0])
        out = self.folder / "x.pale"
        for arguments, said in (
            (("fit", SMALL_FIRE, clip, "--out", out, "--free", "nobody:birth.size"), "expected LAYER:FIELD with a layer"),
            (("fit", SMALL_FIRE, clip, "--out", out, "--free", f"{name}:birth.nothing"), "expected a value of"),
            (("compare", SMALL_FIRE, self.folder / "none.mp4"), "found no such file"),
            (("compare", SMALL_FIRE, clip, "--from", 900), "--from: expected less than"),
            (("vary", SMALL_FIRE, "--layer", "nobody", "--out", self.folder / "y"), "--layer: expected a layer of the effect"),
            (("vary", SMALL_FIRE, "--far", 3, "--out", self.folder / "y"), "expected a share from 0 to 1"),
        ):
            done = pale(*arguments)
            self.assertEqual(done.returncode, 2)
            self.assertIn(said, done.stderr)


if __name__ == "__main__":
    unittest.main()
