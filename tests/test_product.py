"""The product as it is installed: the wheel, the desktop's files, places, the log, the launcher."""

import importlib.machinery
import importlib.util
import io
import logging
import os
import shutil
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from PIL import Image

from pale_ember import __version__
from pale_ember.arguments import parser_of_all
from pale_ember.cli import COMMANDS
from pale_ember.machine import desktop, error_log, manual, user_folders

ROOT = Path(__file__).resolve().parents[1]


class Desktop(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.home = Path(folder.name)

    def pale(self, *arguments, **environment):
        return subprocess.run(
            [sys.executable, "-m", "pale_ember.cli", *arguments],
            capture_output=True,
            text=True,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src"), "XDG_DATA_HOME": str(self.home), **environment},
        )

    def test_what_is_installed_is_valid_and_goes_away_again(self):
        (self.home / "applications").mkdir()
        other = self.home / "applications" / "other.desktop"
        other.write_text("")
        told = self.pale("install-desktop", PALE_EMBER_LAUNCHER='/quay side/100% "salt"/pale')
        self.assertEqual(told.returncode, 0, told.stderr)
        entry = self.home / f"applications/{desktop.ID}.desktop"
        self.assertIn(r'Exec="/quay side/100%% \\"salt\\"/pale" open %f', entry.read_text())
        for size in desktop.SIZES:
            for place in desktop.ICONS:
                with Image.open(self.home / f"icons/hicolor/{size}x{size}/{place}.png") as icon:
                    self.assertEqual((icon.size, icon.mode), ((size, size), "RGBA"))
                    self.assertGreater(icon.convert("RGB").getextrema()[0][1], 150)
        for tool, *arguments in (
            ("desktop-file-validate", entry),
            ("appstreamcli", "validate", "--no-net", self.home / f"metainfo/{desktop.ID}.metainfo.xml"),
            ("xmllint", "--noout", self.home / "mime/packages/pale-ember.xml"),
        ):
            if shutil.which(tool):
                found = subprocess.run([tool, *map(str, arguments)], capture_output=True, text=True)
                self.assertEqual(found.returncode, 0, found.stdout + found.stderr)
        self.assertEqual(self.pale("remove-desktop").returncode, 0)
        left = {path for path in self.home.rglob("*") if path.is_file()}
        self.assertEqual({path for path in left if "pale" in path.name or path.suffix in (".svg", ".png")}, set())
        self.assertIn(other, left)
        refused = self.pale("install-desktop", "--home", str(other))
        self.assertEqual((refused.returncode, len(refused.stderr.splitlines())), (2, 1))

    def test_manual_and_completion_tell_every_command_and_option(self):
        parser = parser_of_all()
        page = manual.manual_page(parser).decode()
        files = manual.help_files(parser)
        commands = manual.commands_of(parser)
        self.assertEqual(set(commands), set(COMMANDS))
        for name, command in commands.items():
            self.assertIn(f".SS pale {name.replace('-', chr(92) + '-')}\n", page)
            for action in command._actions:
                self.assertTrue(action.help, (name, action.dest))
                for option in action.option_strings:
                    self.assertIn(option, files["bash-completion/completions/pale"].decode())
                    if option not in ("-h", "--help"):
                        self.assertIn(option.replace("-", r"\-"), page)


class Wheel(unittest.TestCase):
    def test_a_wheel_has_everything_and_runs_where_nothing_else_of_ours_is(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            # A copy, so that nothing is written into the sources.
            shutil.copytree(ROOT / "src", folder / "src", ignore=shutil.ignore_patterns("__pycache__"))
            for file in ("pyproject.toml", "README.md", "LICENSE"):
                shutil.copy(ROOT / file, folder)
            built = subprocess.run(
                [sys.executable, "-m", "build", "--wheel", "--no-isolation", "-o", str(folder / "dist")],
                cwd=folder,
                capture_output=True,
                text=True,
            )
            self.assertEqual(built.returncode, 0, built.stdout + built.stderr)
            wheel = next((folder / "dist").glob("*.whl"))
            held = set(zipfile.ZipFile(wheel).namelist())
            ours = {str(path.relative_to(folder / "src")) for path in (folder / "src").rglob("*") if path.is_file()}
            self.assertEqual(ours - held, set())
            self.assertEqual({file for file in held - ours if ".dist-info/" not in file}, set())
            bare = folder / "bare"
            subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(bare)], check=True)
            site = next(bare.glob("lib/python*/site-packages"))
            zipfile.ZipFile(wheel).extractall(site)
            # The pinned packages, and nothing of this checkout.
            (site / "pinned.pth").write_text(str(Path(importlib.util.find_spec("numpy").origin).parents[1]))
            environment = {k: v for k, v in os.environ.items() if k != "PYTHONPATH"} | {"XDG_CACHE_HOME": str(folder)}
            start = "import sys; from pale_ember.cli import entry; sys.exit(entry())"
            self.assertTrue((site / "pale_ember/assets/demo/kiln-mouth.pale").is_file())
            commands = ((["--version"], __version__), (["schema"], "$defs"), (["handover", "--help"], "package"))
            for arguments, expected in commands:
                told = subprocess.run(
                    [bare / "bin/python", "-c", start, *arguments], capture_output=True, text=True, cwd=folder, env=environment
                )
                self.assertEqual((told.returncode, expected in told.stdout), (0, True), told.stdout + told.stderr)


class Machine(unittest.TestCase):
    def test_places_are_those_of_the_specification(self):
        with mock.patch.dict(os.environ, {"XDG_STATE_HOME": "/quay/state", "XDG_CACHE_HOME": "relative", "HOME": "/home/eel"}):
            os.environ.pop("XDG_DATA_HOME", None)
            self.assertEqual(user_folders.state(), Path("/quay/state/pale-ember"))
            self.assertEqual(user_folders.cache(), Path("/home/eel/.cache/pale-ember"))
            self.assertEqual(user_folders.data_home(), Path("/home/eel/.local/share"))

    def test_what_nobody_expected_is_told_in_a_sentence_and_stands_in_a_log_that_stays_small(self):
        with tempfile.TemporaryDirectory() as folder, mock.patch.dict(os.environ, {"XDG_STATE_HOME": folder}):
            kept, error_log.LOG.handlers = error_log.LOG.handlers, []
            try:
                with mock.patch("sys.stderr", io.StringIO()):
                    error_log.begin()
                try:
                    raise ValueError("the kiln is cold\nand dark")
                except ValueError as error:
                    told = error_log.unforeseen(error)
                self.assertIn("ValueError: the kiln is cold)", told)
                self.assertIn(str(user_folders.log_file()), told)
                self.assertIn("Traceback", user_folders.log_file().read_text())
                for _ in range(300):
                    error_log.LOG.info("x" * 20_000)
                sizes = [file.stat().st_size for file in user_folders.state().iterdir()]
                self.assertTrue(len(sizes) == 3 and max(sizes) < 1_100_000, sizes)
            finally:
                for handler in error_log.LOG.handlers:
                    handler.close()
                error_log.LOG.handlers = kept
                logging.getLogger("pale_ember").setLevel(logging.NOTSET)

    def test_the_launcher_asks_before_it_installs_system_libraries(self):
        loader = importlib.machinery.SourceFileLoader("launcher", str(ROOT / "pale"))
        launcher = importlib.util.module_from_spec(importlib.util.spec_from_loader("launcher", loader))
        with mock.patch.object(sys, "dont_write_bytecode", True):
            loader.exec_module(launcher)
        screen = mock.Mock(isatty=lambda: True)

        def asked(answer, yes=False, environment=None):
            line = mock.Mock(isatty=lambda: True, readline=lambda: answer)
            with mock.patch.multiple(sys, stdin=line, stderr=screen), mock.patch.dict(os.environ, environment or {}, clear=True):
                return launcher.allowed(["xvfb"], yes)

        self.assertTrue(asked("y\n") and asked("Yes\n") and asked("", yes=True) and asked("", environment={"CI": "1"}))
        self.assertFalse(asked("\n") or asked("no\n") or asked(""))


if __name__ == "__main__":
    unittest.main()
