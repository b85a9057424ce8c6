"""The stage drawn in the window's own OpenGL, as every graphics card does: what is seen is what the worker's way shows."""

import os
import subprocess
import sys
import time

import numpy as np
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtTest import QTest

from pale_ember.core.insight.thinning import similarity
from pale_ember.core.view import view_of
from pale_ember.draw.offscreen import offscreen
from pale_ember.formats.document import load
from tests.examples import DEMO
from tests.studio import driven


def grey(image):
    """(height, width) 0 to 1."""
    image = image.convertToFormat(QImage.Format.Format_RGBX8888)
    bits = np.frombuffer(image.bits().asarray(image.sizeInBytes()), np.uint8)
    return bits.reshape(image.height(), image.width(), 4)[..., :3].mean(axis=2) / 255


class Seen(driven.Window):
    """Compares what is seen with what the worker's way shows."""

    in_window = True

    @classmethod
    def setUpClass(cls):
        """A run of its own."""

    def seen(self):
        """What is on the screen where the stage is."""
        stage = self.window.stage
        at = stage.mapTo(self.window, stage.rect().topLeft())
        return self.window.screen().grabWindow(self.window.winId(), at.x(), at.y(), stage.width(), stage.height()).toImage()

    def worked(self, size):
        """What the worker's way shows of the same answer, with the same overlays."""
        stage, desk = self.window.stage, self.window.desk
        answer, shot = stage.answer, stage.answer.request.shot
        desk.shelf_get.__self__.recipes = answer.request.effect.recipes
        with offscreen(desk.shelf_get, desk.shelf_mesh) as renderer:
            wide, high = size.width(), size.height()
            picture = renderer.picture(answer.frame, view_of(answer.request.camera, wide, high), shot, wide, high, answer.beside)
        image = QImage(picture.tobytes(), wide, high, 4 * wide, QImage.Format.Format_RGBX8888).convertToFormat(QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(stage.devicePixelRatioF())
        painter = QPainter(image)
        painter.setFont(stage.font())
        stage.over.paint(painter, "", dragged=False)
        painter.end()
        return image

    def alike(self, what, least=0.99):
        stage = self.window.stage
        for attempt in range(3):
            self.settle(lambda: stage.answer.request.scale == 1.0)
            drawn = stage.surface.frames_drawn
            stage.surface.update()
            self.wait_for(lambda drawn=drawn: stage.surface.frames_drawn > drawn)
            # A busy machine puts on the screen later what is drawn.
            QTest.qWait(50 + 400 * attempt)
            seen = self.seen()
            alike = similarity(grey(seen), grey(self.worked(seen.size())))
            if alike > least:
                return
        self.assertGreater(alike, least, what)

    def open(self, name, moment=1.0):
        made, _ = load(DEMO / f"{name}.pale")
        self.window.document.open(made, DEMO / f"{name}.pale")
        self.window.begin_anew()
        self.window.desk.player.pause()
        self.window.desk.player.go_to(moment)
        self.settle()


class InWindow(Seen):
    def test_effects_of_the_demo_look_the_same_in_both_ways(self):
        for k, path in enumerate(sorted(DEMO.glob("*.pale"))[::2]):
            self.open(path.stem)
            for overlays in (True, False) if k % 4 == 0 else (True,):
                self.window.desk.looking.overlays = overlays
                self.window.desk.looking.changed.emit()
                self.alike((path.stem, overlays))
            self.window.desk.looking.overlays = True

    def test_every_way_of_looking_every_size_and_place(self):
        self.open("kiln-mouth")
        desk = self.window.desk
        looking = desk.looking
        for shows in ("overdraw", "silhouette", "opacity", "wireframe", "red", "picture"):
            looking.shows = shows
            looking.changed.emit()
            self.alike(shows)
        self.assertGreater(self.window.stage.painted, 1.0)
        other = desk.effect
        self.window.document.change_layer("fewer", self.layer(0).id, ("shown",), False)
        for share in (0.3, 0.7):
            looking.offer("before", other)
            looking.divide(share)
            self.alike(("beside", share))
        looking.offer("", None)
        self.window.stage.hand.orbit(90, 30)
        self.alike("orbited")
        self.window.resize(1100, 720)
        self.alike("resized")
        self.window.screens.flip("Textures")
        self.settle()
        self.alike("on the bench")
        self.window.screens.flip("Textures")
        self.alike("back again")

    def test_small_pictures_come_and_playing_goes_on(self):
        self.open("signal-flare")
        strip = self.window.layers.strip
        self.wait_for(lambda: len(strip._images) == len(strip.moments()), what="small pictures above the ruler")
        self.assertGreater(max(np.ptp(grey(each)) for each in strip._images.values()), 0.1)
        self.window.desk.player.play()
        before, end = self.window.stage.surface.frames_drawn, time.monotonic() + 2
        while time.monotonic() < end:
            self.qt.processEvents()
        self.assertGreater(self.window.stage.surface.frames_drawn - before, 4)

    def test_on_a_screen_of_another_scale(self):
        again = [sys.executable, "-m", "unittest", f"{__name__}.Scaled"]
        scaled = os.environ | {"QT_SCALE_FACTOR": "2", "PYTHONPATH": os.pathsep.join(filter(None, sys.path))}
        done = subprocess.run(again, env=scaled, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("Ran 1 test", done.stderr)


if "QT_SCALE_FACTOR" in os.environ:
    # Only as the test above runs it: a scale is set before the program begins.

    class Scaled(Seen):
        def seen(self):
            # Such a window is larger than the screen of the tests.
            return self.window.stage.surface.grabFramebuffer()

        def test_the_kiln_mouth(self):
            self.assertEqual(self.window.devicePixelRatioF(), 2.0)
            self.open("kiln-mouth")
            self.alike("scaled")
