"""Pages: what a browser draws of an effect is what the stage draws, and it says what is wrong with what it cannot play."""

import base64
import importlib.util
import io
import json
import re
import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

from pale_ember import ASSETS
from pale_ember.core.effect.model import FIRST_VIEW
from pale_ember.core.insight.thinning import similarity
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Shot
from pale_ember.formats.document import load
from pale_ember.formats.shelf import Shelf
from pale_ember.rehearsal.pages import MODULE, page_of
from tests.browser import Browser, chromium
from tests.test_cli import pale

DEMO = sorted((ASSETS / "demo").glob("*.pale"))
SIZE = 480, 300
MOMENTS = 0.3, 1.0, 2.0
DRAWN = "dropped-carboy", "eel-lamp-arc", "kiln-mouth", "sample-shelf", "lamp-oil-blast", "signal-flare", "sleet-squall", "tide-mist"
"""Effects that together are drawn in every way there is: a browser takes ten seconds for each."""
LEAST = {"signal-flare": 0.975}
"""How alike at least, where it is less than of all others: small fast drips."""


def made(path):
    effect, _ = load(path)
    shelf = Shelf(path.parent, effect.recipes)
    return effect, shelf, page_of(effect, shelf)


def tool(name):
    """A tool of the project as a module."""
    told = importlib.util.spec_from_file_location(name, Path(__file__).parent.parent / "tools" / f"{name}.py")
    module = importlib.util.module_from_spec(told)
    told.loader.exec_module(module)
    return module


def grey(picture):
    return picture[..., :3].astype(np.float32) @ np.array([0.2126, 0.7152, 0.0722], np.float32) / 255


@unittest.skipIf(chromium() is None, "no browser")
class Drawn(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.browser = Browser(*SIZE)
        self.addCleanup(self.browser.close)

    def opened(self, page):
        path = self.folder / "effect.html"
        path.write_bytes(page)
        self.browser.open(path)

    def seen(self):
        told = self.browser.run("document.getElementById('stage').toDataURL('image/png')")
        return np.asarray(Image.open(io.BytesIO(base64.b64decode(told.split(",")[1]))).convert("RGB"))

    def compare(self, paths):
        for k, path in enumerate(paths):
            effect, shelf, page = made(path)
            self.opened(page)
            self.assertFalse(self.browser.run("window.paleFault || ''"))
            stage, timeline = effect.stage, Timeline(effect, shelf.mesh, shelf.density)
            view = view_of((effect.stage.cameras or (FIRST_VIEW,))[0], *SIZE)
            with offscreen(shelf.get, shelf.mesh) as renderer:
                # One effect of a few at every moment, each other at one: a picture in a browser takes its time.
                for moment in MOMENTS if k == 0 else MOMENTS[k % 3 : k % 3 + 1]:
                    alive = self.browser.run(f"window.paleGo({moment}, true)")
                    frame = timeline.frame(moment)
                    self.assertEqual(alive, frame.alive, path.stem)
                    picture = renderer.picture(frame, view, Shot(stage=stage, background=stage.background), *SIZE)
                    alike = similarity(grey(picture), grey(self.seen()))
                    self.assertGreater(alike, LEAST.get(path.stem, 0.985), f"{path.stem} at {moment}")
            self.assertEqual(self.browser.said, [], path.stem)

    def test_effects_are_drawn_as_the_stage_draws_them(self):
        self.compare([path for path in DEMO if path.stem in DRAWN[:4]])

    def test_others_are_drawn_as_the_stage_draws_them(self):
        self.compare([path for path in DEMO if path.stem in DRAWN[4:]])

    def test_it_is_turned_held_stepped_and_switched_by_hand(self):
        _, _, page = made(ASSETS / "demo" / "kiln-mouth.pale")
        self.assertLess(len(page), 4 * 2**20)
        self.opened(page)
        self.browser.run("document.getElementById('play').click(), window.paleGo(1.0, true)")
        before = self.seen()
        under = "document.elementFromPoint(240, document.querySelector('footer').getBoundingClientRect().top + 4).id"
        self.assertEqual(self.browser.run(under), "stage", "what lies between the buttons is the stage's")
        self.browser.press(240, 120, to=(330, 140))
        self.browser.run("window.paleGo(1.0, true)")
        self.assertGreater(np.abs(self.seen().astype(int) - before).mean(), 3)
        self.browser.run("[...Array(3)].forEach(() => document.getElementById('view').click()), window.paleGo(1.0, true)")
        self.assertLess(np.abs(self.seen().astype(int) - before).mean(), 0.1, "through its three views, and back")
        self.browser.run("document.getElementById('step').click(); window.paleGo(1.0167, true)")
        self.assertEqual(self.browser.run("document.getElementById('play').textContent"), "Play")
        # Space plays and pauses, whatever was pressed before; nothing moves meanwhile.
        where = "JSON.stringify(['slow', 'step'].map(name => document.getElementById(name).getBoundingClientRect().left))"
        stood = self.browser.run(where)
        at = self.browser.run(
            "(() => { const r = document.getElementById('slow').getBoundingClientRect(); return [r.x + 9, r.y + 9]; })()"
        )
        self.browser.press(*at)
        self.assertEqual(self.browser.run("document.getElementById('slow').getAttribute('aria-pressed')"), "true")
        for said in ("Pause", "Play"):
            self.browser.key(" ", "Space")
            self.assertEqual(self.browser.run("document.getElementById('play').textContent"), said)
            self.assertEqual(self.browser.run(where), stood)
        lit = self.seen().mean()
        self.browser.run("[...document.querySelectorAll('#layers button')].forEach(each => each.click()); window.paleGo(1.0167, true)")
        self.assertLess(self.seen().mean(), lit)
        self.browser.run("document.getElementById('fade').click(); window.paleGo(9.0, true)")
        self.assertEqual(self.browser.run("window.paleGo(9.0, true)"), 0)
        self.assertEqual(self.browser.said, [])

    def test_the_shaders_for_players_are_those_of_the_stage_and_are_compiled(self):
        told = tool("look_shaders")
        self.assertEqual(told.SHIPS.read_text(), told.text(), "written anew by tools/look_shaders.py")
        first, *parts = re.split(r"^// ---- (.*) ----$", told.text(), flags=re.MULTILINE)
        self.opened(made(DEMO[0])[2])
        sources = dict(zip(parts[::2], parts[1::2], strict=True))
        self.assertGreater(len(sources), 8)
        for name in (each for each in sources if "." in each):
            source = re.sub(r"^//! (\S+)$", lambda match: sources[match[1]], sources[name], flags=re.MULTILINE)
            kind = "VERTEX_SHADER" if name.endswith("vert") else "FRAGMENT_SHADER"
            fault = self.browser.run(
                "(() => { const gl = document.createElement('canvas').getContext('webgl2'), one = gl.createShader(gl." + kind + ");"
                f"gl.shaderSource(one, {json.dumps(first + source)}); gl.compileShader(one); return gl.getShaderInfoLog(one); }})()"
            )
            self.assertFalse((fault or "").strip("\0\n"), name)

    def test_a_damaged_effect_says_one_sentence(self):
        _, _, page = made(DEMO[0])
        self.opened(page.replace(b'"steps":60,"tempo"', b'"steps":"often","tempo"', 1))
        self.assertEqual(self.browser.run("window.paleFault"), "effect.json: steps: expected a whole number, found a text")


class Made(unittest.TestCase):
    def test_the_command_makes_a_page_or_a_gallery_and_needs_no_network(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for path in DEMO[9:11]:
                for file in path.parent.glob(f"{path.stem}*"):
                    shutil.copy(file, folder)
            done = pale("page", folder, "--out", folder / "all.html")
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            self.assertIn("2 effects", done.stdout)
            whole = (folder / "all.html").read_text()
            self.assertNotRegex(whole, r"(?:src|href)=|https?://")
            self.assertEqual(pale("page", folder / "none.pale", "--out", folder / "x.html").returncode, 2)
            self.assertEqual(pale("page", DEMO[0], "--out", folder / "nowhere" / "x.html").returncode, 2)

    @unittest.skipIf(importlib.util.find_spec("ziglang") is None, "no compiler for it")
    def test_the_module_that_ships_is_what_is_built(self):
        with tempfile.TemporaryDirectory() as name:
            out = Path(name) / "player.wasm"
            tool("page_module").build(out)
            self.assertEqual(out.read_bytes(), MODULE.read_bytes())
