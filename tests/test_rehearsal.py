"""The stand-in game: it plays packages alone, hears events, and nothing that is sent to it does harm."""

import contextlib
import io
import json
import os
import socket
import tempfile
import threading
import time
from pathlib import Path
from unittest import mock

import numpy as np
from msgspec.structs import replace

from pale_ember.app import application
from pale_ember.core.effect.events import Answers
from pale_ember.core.effect.model import Camera
from pale_ember.core.effect.stage import Anchor
from pale_ember.core.insight.thinning import similarity
from pale_ember.core.simulate.frame import Frame
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.view import view_of
from pale_ember.draw.offscreen import offscreen
from pale_ember.draw.renderer import Shot
from pale_ember.formats.disk import write_folder
from pale_ember.formats.document import load
from pale_ember.formats.handover.package import package_of
from pale_ember.formats.handover.reading import read_package
from pale_ember.formats.handover.runtime import PackageError
from pale_ember.formats.handover.textures import TextureOptions
from pale_ember.formats.shelf import Shelf
from pale_ember.rehearsal import run, wire
from pale_ember.rehearsal.game import Game
from pale_ember.rehearsal.night import Server, night
from pale_ember.rehearsal.quay import placed
from pale_ember.rehearsal.window import GameWindow, hear_all
from pale_ember.rehearsal.wire import BURST, LONGEST, Wire, send
from tests.examples import DEMO, SMALL_FIRE
from tests.folder import InFolder
from tests.test_cli import pale


class Rehearsed(InFolder):
    def setUp(self):
        super().setUp()
        self.fire, _ = load(SMALL_FIRE)
        self.fire = replace(
            self.fire,
            name="Kiln",
            answers=Answers(by_itself=False, start="kiln_lit", stop="kiln_out", fade="kiln_dies", strength="kiln_draught"),
        )
        self.hand("kiln", self.fire)

    def hand(self, name, made):
        write_folder(self.folder / name, package_of(made, Shelf(None), TextureOptions("none")).files)

    def game(self):
        game = Game(self.folder)
        game.begin()
        return game


class Games(Rehearsed):
    def test_it_plays_the_package_as_the_document_does_at_its_place(self):
        game = self.game()
        answer = game.hear({"event": "kiln_lit", "at": [2.0, 0.0, -1.0], "toward": [0.0, 0.0, -1.0]})
        self.assertEqual(answer["did"], [{"effect": "kiln", "did": "start"}])
        game.step(1.5)
        there = placed(read_package(self.folder / "kiln"), game.stage, (2.0, 0.0, -1.0), 90.0)
        own = Timeline(there).frame(1.5)
        for shown, other in zip(game.frame().layers, own.layers, strict=True):
            np.testing.assert_array_equal(shown.position, other.position)
        middle = np.concatenate([layer.position for layer in own.layers]).mean(axis=0)
        self.assertLess(abs(middle[0] - 2.0) + abs(middle[2] + 1.0), 0.6)

    def test_events_start_thin_out_end_and_stop(self):
        game = self.game()
        alive = lambda: sum(layer.count for layer in game.frame().layers)  # noqa: E731
        for _ in range(2):
            game.hear({"event": "kiln_lit"})
        game.step(2.0)
        whole = alive()
        game.hear({"event": "kiln_draught", "strength": 0.25})
        game.step(2.0)
        self.assertLess(alive(), 0.6 * whole)
        game.hear({"event": "kiln_dies"})
        game.step(6.0)
        self.assertEqual(alive(), 0)
        self.assertEqual(game.hear({"event": "kiln_out"})["playing"], 0)
        self.assertEqual(game.hear({"do": "swap", "effect": "kiln", "on": "barrow"})["playing"], 1)
        ids = [layer.layer.id for layer in game.frame().layers]
        game.hear({"do": "play", "effect": "kiln"})
        self.assertEqual(len({layer.layer.id for layer in game.frame().layers}), 2 * len(ids), "each drawn for itself")
        self.assertEqual(game.hear({"do": "stop", "effect": ""})["stopped"], 2)

    def test_what_is_not_understood_changes_nothing_and_is_told(self):
        game = self.game()
        game.hear({"event": "kiln_lit"})
        before = [playing.number for playing in game.playing]
        for message, said in (
            ({"event": "kiln_lid"}, "expected one of kiln_dies, kiln_draught"),
            ({"event": ["kiln_lit"]}, "expected one of"),
            ({"event": "kiln_lit", "at": [1, 2]}, "at: expected three numbers"),
            ({"event": "kiln_lit", "at": [1, 2, float("nan")]}, "at: expected three numbers"),
            ({"event": "kiln_draught", "strength": 4}, "strength: expected a number from 0 to 1"),
            ({"do": "dance"}, 'expected "event"'),
            ({"do": "swap", "effect": "kiln", "on": "moon"}, "on: expected barrow"),
            ({"do": "play", "effect": {}}, "effect: expected one of kiln"),
            ({"do": "play", "effect": "kiln", "place": 3}, "place: expected one of here"),
            ({"do": "play", "effect": "kiln", "strength": "a"}, "strength: expected a number"),
            ({"event": "kiln_lit", "at": [int("9" * 400), 0, 0]}, "at: expected three numbers"),
            ({"event": "kiln_draught", "strength": int("9" * 400)}, "strength: expected a number"),
            ({"event": "kiln_lit", "colour": "red"}, 'found "colour"'),
            ([1], "expected a group"),
        ):
            self.assertIn(said, game.hear(message)["error"])
            self.assertEqual([playing.number for playing in game.playing], before)

    def test_answers_carry_the_id_of_what_was_asked(self):
        game = self.game()
        self.assertEqual(game.hear({"do": "list", "id": 7})["id"], 7)
        self.assertEqual(game.hear({"do": "dance", "id": "x"})["id"], "x")

    def test_broken_packages_among_others_are_told(self):
        (self.folder / "torn").mkdir()
        (self.folder / "torn" / "manifest.json").write_text("[]")
        self.assertIn("torn: manifest.json: expected a list of files", self.game().told.lines[0])
        done = pale("rehearse", self.folder, "--headless", "--seconds", "0.1", "--port", "0")
        self.assertIn("torn: manifest.json", done.stdout.splitlines()[1])

    def test_a_long_moment_holds_no_answer_up(self):
        game, wire = self.game(), Wire(0)
        self.addCleanup(wire.close)
        game.hear({"event": "kiln_lit"})
        game.frame()
        begun, goes_on, answers = threading.Event(), threading.Event(), []

        def slow():
            begun.set()
            goes_on.wait(20)
            return Frame(effect=self.fire, time=0.0, step=0, layers=())

        game.frame = slow

        def talk():
            begun.wait(20)
            answers.extend(send(wire.port, {"do": "play", "effect": "kiln"}) for _ in range(2))
            goes_on.set()

        talking = threading.Thread(target=talk)
        talking.start()
        with contextlib.redirect_stdout(io.StringIO()):
            run._without_window(game, wire, 0.2)
        talking.join(20)
        self.assertEqual([answer["playing"] for answer in answers], [2, 3])

    def test_effects_of_the_demo_look_in_the_game_as_they_do_on_the_stage(self):
        # The others are those that are seen in both ways of the stage: each takes five seconds here.
        for path in (*sorted(DEMO.glob("*.pale"))[1::2], SMALL_FIRE):
            made, _ = load(path)
            with self.subTest(path.stem), tempfile.TemporaryDirectory() as folder, contextlib.chdir(folder):
                shelf = Shelf(path.parent, made.recipes)
                write_folder(Path("pk"), package_of(made, shelf, TextureOptions("none")).files)
                game = Game(Path("pk"))
                shown = replace(next(iter(game.loaded.values())).effect, stage=made.stage)
                camera = made.stage.cameras[0] if made.stage.cameras else Camera()
                view, shot = view_of(camera, 240, 150), Shot(stage=made.stage, background=made.stage.background)
                pictures = []
                for effect, pages in ((made, shelf), (shown, game.shelf)):
                    frame = Timeline(effect, pages.mesh, pages.density).frame(1.0)
                    with offscreen(pages.get, pages.mesh) as renderer:
                        pictures.append(renderer.picture(frame, view, shot, 240, 150)[..., :3].mean(axis=2) / 255)
                self.assertEqual((shelf.faults, game.shelf.faults), ({}, {}))
                self.assertGreater(similarity(*pictures), 0.97)

    def test_handed_over_again_it_is_swapped_at_the_same_moment_and_what_is_broken_is_left(self):
        game = self.game()
        game.hear({"event": "kiln_lit"})
        game.step(1.0)
        begun = game.playing[0].begun
        bare = replace(self.fire, layers=self.fire.layers[:1])
        self.hand("kiln", bare)
        self.assertIn("taken at the same moment", game.look_for_changes()[0])
        self.assertEqual((len(game.frame().layers), game.playing[0].begun), (1, begun))
        self.assertEqual(game.look_for_changes(), [])
        (self.folder / "kiln" / "effect.json").write_text("{")
        os.utime(self.folder / "kiln" / "manifest.json", ns=(1, 1))
        self.assertIn("the old one plays on", game.look_for_changes()[0])
        self.assertEqual(len(game.frame().layers), 1)

    def test_places_that_an_effect_wants_are_given(self):
        wants = replace(
            self.fire,
            layers=(replace(self.fire.layers[-1], stands_on="lance"),),
            stage=replace(self.fire.stage, anchors=(Anchor(name="lance"),)),
        )
        self.hand("kiln", wants)
        game = self.game()
        game.hear({"event": "kiln_lit", "at": [4.0, 0.0, 0.0]})
        game.step(1.0)
        middle = game.frame().layers[0].position.mean(axis=0)
        self.assertAlmostEqual(float(middle[0]), 4.0, delta=0.5)
        with self.assertRaisesRegex(PackageError, "hand an effect over first"):
            Game(self.folder / "kiln" / "textures")


class Wires(Rehearsed):
    def setUp(self):
        super().setUp()
        self.heard, self.wire = self.game(), Wire(0)
        self.addCleanup(self.wire.close)

    def talk(self, data, lines=1, seconds=5):
        """Sends bytes and gives the answers, while the game takes what comes."""
        with socket.create_connection(("127.0.0.1", self.wire.port), timeout=seconds) as link:
            link.setblocking(False)
            answer, end, left = b"", time.monotonic() + seconds, data
            while answer.count(b"\n") < lines and time.monotonic() < end:
                if left:
                    with contextlib.suppress(BlockingIOError):
                        left = left[link.send(left[:65536]) :]
                hear_all(self.heard, self.wire)
                try:
                    answer += link.recv(65536)
                except BlockingIOError:
                    time.sleep(0.002)
        return [json.loads(line) for line in answer.splitlines()]

    def test_a_line_is_answered_and_nonsense_too(self):
        self.assertEqual(self.talk(b'{"event": "kiln_lit"}\n')[0]["playing"], 1)
        answers = self.talk(b"{\n" + b"[" * 3000 + b"\n" + b'\xff\xfe\n{"do": "list"}\n', 4)
        self.assertEqual(["error" in answer for answer in answers], [True, True, True, False])
        long = self.talk(b'"' + b"x" * 3 * LONGEST + b'"\n{"do": "list"}\n', 2)
        self.assertIn("at most 4096 bytes", long[0]["error"])
        self.assertEqual(long[1]["effects"], ["kiln"])

    def test_floods_are_held_back_and_silence_holds_nobody(self):
        silent = socket.create_connection(("127.0.0.1", self.wire.port))
        self.addCleanup(silent.close)
        silent.sendall(b'{"event": ')
        answers = self.talk(b'{"do": "list"}\n' * 400, 400)
        left_out = [answer for answer in answers if "error" in answer]
        self.assertGreater(len(left_out), 400 - BURST - 120)
        self.assertIn("lines a second", left_out[0]["error"])
        self.assertEqual(self.talk(b'{"do": "list"}\n')[0]["effects"], ["kiln"])

    def test_who_never_reads_its_answers_is_let_go(self):
        peer = mock.Mock(waits=wire._UNREAD - 60, unsent=[])
        with mock.patch.object(self.wire, "_part") as part:
            self.wire._say(peer, {"error": "short"})
            self.assertEqual((len(peer.unsent), part.called), (1, False))
            self.wire._say(peer, {"error": "x" * 60})
        part.assert_called_once_with(peer)

    def test_only_the_loopback_is_listened_on_and_only_so_many_at_once(self):
        self.assertEqual(self.wire._server.getsockname()[0], "127.0.0.1")
        links = [socket.create_connection(("127.0.0.1", self.wire.port)) for _ in range(8)]
        time.sleep(0.1)
        self.assertIn("at most 8 at once", self.talk(b"")[0]["error"])
        for link in links:
            link.close()

    def test_a_night_goes_over_the_wire(self):
        script = night(["kiln"], ["kiln_lit", "kiln_out"])
        first = [next(script) for _ in range(12)]
        self.assertTrue({"event", "do"} <= {next(iter(message)) for message in first})
        self.assertTrue(all("error" not in self.heard.hear(message) for message in first))
        server = Server(self.wire.port, ["kiln"], [])
        server.over.set()
        server.start()
        server.join(2)
        self.assertFalse(server.is_alive())


class Windows(Rehearsed):
    def test_the_window_draws_the_quay_and_plays_by_keys(self):
        from PyQt6.QtCore import Qt
        from PyQt6.QtTest import QTest

        self.qt, game = application(), self.game()
        wire = Wire(0)
        window = GameWindow(game, wire)
        self.addCleanup(wire.close)
        window.resize(480, 270)
        window.show()
        self.addCleanup(window.close)
        window.begin()

        def until(holds, seconds=20):
            end = time.monotonic() + seconds
            while not holds() and time.monotonic() < end:
                self.qt.processEvents()
                time.sleep(0.005)
            self.assertTrue(holds())

        until(lambda: window.loop.picture is not None)
        before = window.loop.picture.astype(int)
        QTest.keyClick(window, Qt.Key.Key_1)
        self.assertEqual([playing.name for playing in game.playing], ["kiln"])
        until(lambda: window.loop.picture.shape != before.shape or np.abs(window.loop.picture - before).max() > 60)
        self.assertEqual(send(wire.port, {"do": "list"})["playing"], ["kiln"])
        at = list(window.at)
        QTest.keyPress(window, Qt.Key.Key_W)
        until(lambda: window.at[1] < at[1] - 0.05)
        QTest.keyRelease(window, Qt.Key.Key_W)
        QTest.keyClick(window, Qt.Key.Key_Backspace)
        self.assertEqual(game.playing, [])
        window.grab()
