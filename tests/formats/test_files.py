"""What is read from disk: files alone, and no more of them than there is room for."""

import os
import subprocess
import sys
import unittest
from pathlib import Path

import numpy as np
import OpenEXR
from PIL import Image

from pale_ember.formats.document import DocumentError, load
from pale_ember.formats.files import read_regular
from pale_ember.formats.frame_import import frames_in
from pale_ember.formats.handover.names import names_in
from pale_ember.formats.handover.runtime import PackageError
from pale_ember.formats.pictures import PictureError, read_picture
from tests.folder import InFolder
from tests.test_cli import pale

PEAK = "from pathlib import Path; {}; print(Path('/proc/self/status').read_text().partition('VmHWM:')[2].split()[0])"


class Reading(InFolder):
    def peak(self, code):
        """Bytes that a process takes at most."""
        done = subprocess.run([sys.executable, "-c", PEAK.format(code)], capture_output=True, text=True, check=True)
        return 1024 * int(done.stdout)

    def test_only_files_are_read_and_nothing_is_waited_for(self):
        pipe, endless = self.folder / "pipe.pale", self.folder / "zero.pale"
        os.mkfifo(pipe)
        endless.symlink_to("/dev/zero")
        for path, found in ((pipe, "a named pipe"), (endless, "a device"), (self.folder, "a folder")):
            with self.assertRaisesRegex(DocumentError, f"expected a readable file, found {found}"):
                load(path)
            with self.assertRaisesRegex(PackageError, f"found {found}"):
                names_in(path)
        done = pale("check", pipe)
        self.assertEqual((done.returncode, done.stderr.count("\n")), (2, 1), done.stderr)

    def test_a_document_has_a_size_that_it_may_be(self):
        huge = self.folder / "huge.pale"
        with huge.open("wb") as file:
            file.truncate(3 * 2**30)
        with self.assertRaisesRegex(DocumentError, "found more than 64 MB"):
            load(huge)
        few = self.folder / "few.txt"
        few.write_bytes(b"1234")
        self.assertEqual(read_regular(few, 4), b"1234")
        with self.assertRaisesRegex(OSError, "more than 0 MB"):
            read_regular(few, 3)

    def test_frames_of_a_clip_share_the_room_that_a_file_may_take(self):
        small = Image.new("P", (1600, 1600))
        clip = self.folder / "puff.gif"
        frames = [small.copy() for _ in range(60)]
        for k, frame in enumerate(frames):
            frame.putpixel((k, 0), 1)
        frames[0].save(clip, save_all=True, append_images=frames[1:])
        with self.assertRaisesRegex(PictureError, "its frames would take 2.3 GB, at most 1.0 GB; take fewer"):
            frames_in([clip])
        names = [self.folder / f"puff-{k}.png" for k in range(60)]
        small.save(names[0])
        for name in names[1:]:
            name.symlink_to(names[0])
        with self.assertRaisesRegex(PictureError, "its frames would take 1.0 GB, at most 1.0 GB"):
            frames_in(names)

    def test_the_largest_picture_takes_little_more_than_it_becomes(self):
        path = self.folder / "sky.png"
        Image.new("L", (8192, 8192), 90).save(path)
        code = f"from pale_ember.formats.pictures import read_picture; read_picture(Path({str(path)!r}))"
        self.assertLess(self.peak(code), 1.9 * 2**30)
        wide = self.folder / "wide.png"
        Image.new("L", (8193, 8192), 90).save(wide)
        with self.assertRaisesRegex(PictureError, "8193×8192 would take 1.0 GB; at most 1.0 GB"):
            read_picture(wide)

    def test_a_broken_exr_is_told_in_a_sentence_alone(self):
        path = self.folder / "sun.exr"
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        OpenEXR.File(header, {"RGBA": np.random.default_rng(1).random((64, 64, 4), np.float32)}).write(str(path))
        whole = path.read_bytes()
        for data in (whole[: len(whole) // 2], whole[:40], whole[:400] + b"x" * 900):
            path.write_bytes(data)
            code = (
                "import sys; from pathlib import Path; from pale_ember.formats.pictures import *\n"
                f"try: read_picture(Path({str(path)!r}))\nexcept PictureError as error: print(error)"
            )
            done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
            self.assertEqual((done.stdout.count("\n"), done.stderr), (1, ""), done.stdout)


class Starts(InFolder):
    def test_files_of_the_working_folder_are_never_run(self):
        for name in ("argparse", "pickle", "json", "pale_ember", "numpy", "multiprocessing", "socket", "threading"):
            (self.folder / f"{name}.py").write_text("import os; os.write(2, b'run!'); raise SystemExit(7)")
        root = Path(__file__).parents[2]
        small = root / "tests" / "data" / "small-fire.pale"
        analysis = (
            "import time; from pale_ember.analysis.client import AnalysisProcess; one = AnalysisProcess(); "
            "one.send('rest'); time.sleep(2)\n"
            "print(one._process.poll())"
        )
        for command in ([sys.executable, root / "pale", "check", small], [sys.executable, "-P", "-c", analysis]):
            done = subprocess.run(command, capture_output=True, text=True, cwd=self.folder)
            self.assertNotIn("run!", done.stderr)
            self.assertIn(done.stdout, ("small-fire.pale: valid\n", "None\n"))
            self.assertEqual(done.returncode, 0, done.stderr)


if __name__ == "__main__":
    unittest.main()
