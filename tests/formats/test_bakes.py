"""What is baked: how pictures move and stand to light, sheets, clips, caches; each read by others."""

import csv
import io
import json
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

import av
import numpy as np
from msgspec.structs import replace
from PIL import Image, ImageSequence

from pale_ember.core.effect.look import Solid
from pale_ember.core.effect.places import Places
from pale_ember.core.effect.values import between, fixed
from pale_ember.core.geometry.mesh import solid
from pale_ember.core.simulate.orientation import orientations
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.flow import flow, normals_of, vectors_of
from pale_ember.core.texture.sheet import SheetPlan, bake, best_columns, memory_of, mixed
from pale_ember.formats.caches import CacheError, csv_bytes, glb_cache, usd_bytes
from pale_ember.formats.clips import ClipError, clip_bytes, kind_of, moments_of
from pale_ember.formats.document import load
from tests.examples import SMALL_FIRE, Birth, Burst, Forces, Look, Outlet, drip, effect
from tests.formats.test_handover import VALIDATOR, pale


def puffs(shift=(0.0, 0.0), turn=0.0, size=64):
    """A picture of a few puffs, moved and turned about its middle. (size, size) float."""
    y, x = np.mgrid[0:size, 0:size] - (size - 1) / 2
    x, y = x - shift[0], y - shift[1]
    x, y = np.cos(turn) * x + np.sin(turn) * y, -np.sin(turn) * x + np.cos(turn) * y
    spots = ((-12, -8, 7, 0.9), (10, -4, 5, 0.7), (2, 12, 8, 0.8), (-6, 9, 4, 0.5))
    grain = 1 + 0.4 * np.cos(0.7 * x) * np.cos(0.6 * y)
    return grain * sum(high * np.exp(-((x - a) ** 2 + (y - b) ** 2) / (2 * wide**2)) for a, b, wide, high in spots)


class Flows(unittest.TestCase):
    def test_a_known_way_is_found(self):
        first = puffs()
        seen = first > 0.15
        for shift in ((2.5, 0.0), (-1.0, 3.0), (5.0, -4.0)):
            way = flow(first, puffs(shift))
            off = np.hypot(way[..., 0] - shift[0], way[..., 1] - shift[1])[seen]
            self.assertLess(float(np.median(off)), 0.35, shift)
        turn = 0.12
        way = flow(first, puffs(turn=turn))
        y, x = np.mgrid[0:64, 0:64] - 31.5
        off = np.hypot(way[..., 0] + turn * y, way[..., 1] - turn * x)[seen]
        self.assertLess(float(np.median(off)), 0.4)

    def test_vectors_are_told_as_looks_read_them(self):
        cells = np.zeros((3, 64, 64, 4), np.float32)
        for i in range(3):
            cells[i, ..., :3] = puffs((2.0 * i, 0.0))[..., None]
            cells[i, ..., 3] = 1.0
        told, reach = vectors_of(cells, loops=False)
        seen = puffs() > 0.3
        ways = (told[0, ..., :2] - 0.5) * 2 * reach
        self.assertAlmostEqual(float(np.median(ways[..., 0][seen])), 2.0 / 64, delta=0.006)
        self.assertAlmostEqual(float(np.median(ways[..., 1][seen])), 0.0, delta=0.004)

    def test_normals_of_a_ball_look_outward(self):
        y, x = (np.mgrid[0:96, 0:96] - 47.5) / 40
        cover = np.clip(1 - (x * x + y * y), 0, 1)
        cell = np.dstack([np.ones((96, 96, 3)), cover])[None].astype(np.float32)
        normal = normals_of(cell)[0, ..., :3] * 2 - 1
        ring = (np.hypot(x, y) > 0.4) & (np.hypot(x, y) < 0.8)
        self.assertGreater(np.corrcoef(normal[..., 0][ring], x[ring])[0, 1], 0.95)
        self.assertGreater(np.corrcoef(normal[..., 1][ring], -y[ring])[0, 1], 0.95)
        self.assertGreater(float(normal[47, 47, 2]), 0.99)


class Sheets(unittest.TestCase):
    def test_an_end_that_fades_into_the_beginning_closes_the_loop(self):
        def draw(at):
            cell = np.zeros((8, 8, 4), np.uint8)
            cell[..., 3] = 255
            cell[2:6, 2:6, :3] = min(round(20 * at), 255)
            return cell

        plan = SheetPlan(frames=8, columns=4, cell=8, first=2.0, last=6.0)
        jump, smooth = bake(plan, draw), bake(SheetPlan(8, 4, 8, 2.0, 6.0, fade=0.5), draw)
        self.assertGreater(jump.seam, 3.0)
        self.assertLess(smooth.seam, 2.0)
        np.testing.assert_array_equal(smooth.cell_at(0), draw(6.0), "the first goes on where the last ends")
        one, two = np.full((1, 1, 4), 200, np.uint8), np.full((1, 1, 4), 100, np.uint8)
        self.assertEqual(mixed(one, two, 0.5, "premultiplied")[0, 0, 3], 150)

    def test_a_rim_runs_out_and_the_best_grid_wastes_least(self):
        whole = bake(SheetPlan(1, 1, 64, 0.0, 1.0, keep=0.9), lambda at: np.full((64, 64, 4), 255, np.uint8))
        self.assertEqual((whole.clipped, whole.pixels[0].max(initial=0)), ((), 255))
        self.assertEqual((whole.pixels[0, :, 3].max(), whole.pixels[32, 32, 3]), (0, 255))
        rim = whole.plan.rim * 64
        share = np.clip(np.arange(32) / rim, 0, 1)
        np.testing.assert_allclose(whole.pixels[32, :32, 3], 255 * share**2 * (3 - 2 * share), atol=1, err_msg="softly at both ends")
        plan = SheetPlan(1, 1, 64, 0.0, 1.0, keep=0.9, alpha="premultiplied")
        white = bake(plan, lambda at: np.full((64, 64, 4), 255, np.uint8)).pixels
        np.testing.assert_array_equal(white[..., :3], np.repeat(white[..., 3:], 3, axis=2), err_msg="light goes as far as cover")
        self.assertEqual([best_columns(n, 128) for n in (16, 64, 32, 1)], [4, 8, 4, 1])
        self.assertEqual(memory_of(SheetPlan(16, 4, 128, 0, 1)), 512 * 512 * 4 * 4 // 3)

    def test_sheets_are_kept_with_what_is_asked_for_beside_them(self):
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "kiln.png"
            common = ("sheet", SMALL_FIRE, "--frames", "4", "--cell", "48", "--from", "1")
            self.assertEqual(pale(*common, "--out", out, "--keep", "0.97", "--also", "vectors", "normals", "--fade", "0.25")[0], 0)
            told = json.loads(out.with_suffix(".json").read_text())
            for name in (told["picture"], told["vectors"], told["normals"]):
                with Image.open(out.with_name(name)) as beside:
                    self.assertEqual(beside.size, (96, 96))
            self.assertTrue(0 < told["vectors_reach"] <= 0.25)
            with Image.open(out.with_name(told["vectors"])) as ways:
                self.assertIn(np.asarray(ways)[0, 0, 0], (127, 128), "what stands still is a half, as looks read it")
            pixels = np.asarray(Image.open(out))
            self.assertTrue(pixels[..., :3][pixels[..., 3] == 0].max() > 0, "colours are carried over what is clear")
            for kind in ("exr", "dds"):
                self.assertEqual(pale(*common, "--out", out.with_suffix(f".{kind}"))[0], 0)
                self.assertGreater(out.with_suffix(f".{kind}").stat().st_size, 5000)
            for wrong in (("--out", out.with_suffix(".gif")), ("--out", out, "--keep", "0.1"), ("--out", out, "--fade", "2")):
                code, _, said = pale(*common, *wrong)
                self.assertEqual((code, said.count("\n")), (2, 1))


class Clips(unittest.TestCase):
    def frames(self, count=5):
        for i in range(count):
            frame = np.zeros((33, 40, 4), np.uint8)
            frame[8:20, 4 + 4 * i : 14 + 4 * i] = (250, 120, 20, 200)
            yield frame

    def test_pictures_that_move_are_read_by_others_with_what_is_clear(self):
        for kind, most in ((".png", 0), (".webp", 40)):
            clip = Image.open(io.BytesIO(clip_bytes(self.frames(), 20.0, kind)))
            read = [np.asarray(frame.convert("RGBA")) for frame in ImageSequence.Iterator(clip)]
            self.assertEqual(len(read), 5)
            for got, wanted in zip(read, self.frames(), strict=True):
                self.assertLessEqual(int(np.abs(got[..., 3].astype(int) - wanted[..., 3]).max()), 3)
                body = wanted[..., 3] > 0
                self.assertLessEqual(float(np.abs(got[body].astype(int) - wanted[body]).mean()), most)
            self.assertEqual(round(clip.info["duration"]), 50)

    def test_films_are_read_by_others_with_the_right_frames(self):
        for kind in (".mp4", ".webm"):
            with av.open(io.BytesIO(clip_bytes(self.frames(), 25.0, kind))) as film:
                track = film.streams.video[0]
                self.assertEqual((track.width, track.height, float(track.average_rate)), (40, 32, 25.0))
                read = [frame.to_ndarray(format="rgb24") for frame in film.decode(track)]
            self.assertEqual(len(read), 5)
            for got, wanted in zip(read, self.frames(), strict=True):
                self.assertLess(int(np.abs(got[14, 4:36].astype(int).sum(1).argmax() - wanted[14, :, 3].argmax())), 20)
        with av.open(io.BytesIO(clip_bytes(self.frames(), 25.0, ".webm"))) as film:
            self.assertEqual(film.streams.video[0].metadata.get("alpha_mode") or film.streams.video[0].metadata.get("ALPHA_MODE"), "1")

    def test_what_cannot_be_a_clip_is_told(self):
        with self.assertRaisesRegex(ClipError, "at least one frame"):
            clip_bytes(iter(()), 20.0, ".png")
        with self.assertRaisesRegex(ClipError, "expected a name that ends in"):
            kind_of(Path("kiln.gif"))
        self.assertEqual(moments_of(0.5, 1.0, 4.0), [0.5, 0.75])
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "kiln.webp"
            self.assertEqual(pale("clip", SMALL_FIRE, "--out", out, "--fps", "8", "--size", "64x48", "--from", "1", "--to", "1.5")[0], 0)
            with Image.open(out) as clip:
                self.assertEqual(clip.n_frames, 4)
            self.assertEqual(pale("clip", SMALL_FIRE, "--out", out.with_suffix(".mp4"), "--background", "none")[0], 2)


class Standing(unittest.TestCase):
    def shown(self, **look):
        made = drip(
            outlet=Outlet(rate=fixed(20.0), shape="point", aim="anywhere"),
            forces=Forces(),
            birth=Birth(lifetime=fixed(2.0), speed=fixed(1.0), angle=between(-90.0, 90.0)),
            look=Look(**look),
        )
        return Timeline(effect(made)).frame(1.0).layers[0]

    def turned(self, quaternions, vector):
        axis, w = quaternions[:, :3].astype(float), quaternions[:, 3:].astype(float)
        across = np.cross(axis, np.tile(vector, (len(axis), 1)))
        return vector + 2 * (w * across + np.cross(axis, across))

    def test_meshes_and_cards_stand_as_they_are_drawn(self):
        shown = self.shown(drawn_as="mesh", blend="cut-out", facing="along motion")
        way = shown.velocity / np.linalg.norm(shown.velocity, axis=1, keepdims=True)
        np.testing.assert_allclose(self.turned(orientations(shown), (0, 1, 0)), way, atol=1e-5)
        flat = self.shown(facing="flat")
        np.testing.assert_allclose(self.turned(orientations(flat), (0, 0, 1)), np.tile((0, 1, 0), (flat.count, 1)), atol=1e-5)
        across = self.shown(facing="across motion")
        np.testing.assert_allclose(
            self.turned(orientations(across), (0, 0, 1)),
            across.velocity / np.linalg.norm(across.velocity, axis=1, keepdims=True),
            atol=1e-5,
        )
        cards = self.shown(facing="to camera")
        np.testing.assert_array_equal(orientations(cards), np.tile((0, 0, 0, 1), (cards.count, 1)))
        free = self.shown(drawn_as="mesh", blend="cut-out", facing="free")
        np.testing.assert_allclose(self.turned(orientations(free), (0, 1, 0)), np.tile((0, 1, 0), (free.count, 1)), atol=1e-5)
        tumbles = self.shown(drawn_as="mesh", blend="cut-out", facing="free", solid=Solid(tumbles=True))
        cosine = self.turned(orientations(tumbles), (0, 1, 0))[:, 1]
        self.assertTrue((np.abs(cosine) < 0.999).any())
        np.testing.assert_allclose(np.linalg.norm(orientations(tumbles), axis=1), 1, atol=1e-6)


class Caches(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.fire = load(SMALL_FIRE)[0]
        cls.frames = [Timeline(cls.fire).frame(moment) for moment in (0.5, 0.6, 0.7)]

    def test_usd_opens_is_sound_and_has_every_particle(self):
        from pxr import Usd, UsdGeom, UsdValidation

        with tempfile.TemporaryDirectory() as folder:
            for ending in ("usda", "usdc"):
                path = Path(folder) / f"fire.{ending}"
                path.write_bytes(usd_bytes(self.fire, self.frames, 60.0, text=ending == "usda"))
                stage = Usd.Stage.Open(str(path))
                self.assertEqual((UsdGeom.GetStageUpAxis(stage), UsdGeom.GetStageMetersPerUnit(stage)), ("Y", 1.0))
                self.assertEqual(stage.GetTimeCodesPerSecond(), 60.0)
                tools = [UsdGeom.PointInstancer(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.PointInstancer)]
                shown = [layer for layer in self.fire.layers if layer.shown]
                self.assertEqual(len(tools), len(shown))
                for tool, layer in zip(tools, shown, strict=True):
                    for frame in self.frames:
                        mine = next(x for x in frame.layers if x.layer is layer)
                        got = np.array(tool.GetPositionsAttr().Get(frame.time * 60.0)).reshape(-1, 3)
                        np.testing.assert_array_equal(got, mine.position)
                        self.assertEqual(len(tool.GetIdsAttr().Get(frame.time * 60.0)), mine.count)
                every = UsdValidation.ValidationRegistry().GetOrLoadAllValidators()
                wrong = UsdValidation.ValidationContext(every).Validate(stage)
                self.assertEqual([error.GetMessage() for error in wrong], [])

    def test_ids_are_ones_own_on_every_place_and_bodies_leave_as_they_are(self):
        import pygltflib
        from pxr import Usd, UsdGeom

        outlet = Outlet(rate=fixed(0.0), bursts=(Burst(count=3),), shape="point")
        shards = drip(outlet=outlet, places=Places(lie="row", count=4), look=Look(drawn_as="mesh", solid=Solid(mesh="solid:rock")))
        made = effect(shards, drip(id="00000000000000bb", name="dust", outlet=outlet))
        frames = [Timeline(made).frame(0.5)]
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "shards.usda"
            path.write_bytes(usd_bytes(made, frames, 60.0, text=True))
            stage = Usd.Stage.Open(str(path))
            tools = [UsdGeom.PointInstancer(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.PointInstancer)]
            ids = list(tools[0].GetIdsAttr().Get(30.0))
            self.assertEqual((len(ids), len(set(ids))), (12, 12))
            rock = solid("rock")
            body, card = (UsdGeom.Mesh(stage.GetPrimAtPath(tool.GetPrototypesRel().GetTargets()[0])) for tool in tools)
            np.testing.assert_allclose(np.array(body.GetPointsAttr().Get()), rock.points, atol=1e-6)
            self.assertEqual(len(body.GetFaceVertexCountsAttr().Get()), len(rock.faces))
            self.assertEqual(len(card.GetPointsAttr().Get()), 4)
            path = Path(folder) / "shards.glb"
            path.write_bytes(glb_cache(made, frames))
            file = pygltflib.GLTF2().load(str(path))
            self.assertEqual([mesh.name for mesh in file.meshes], ["solid:rock", "card"])
            self.assertEqual(sorted(node.mesh for node in file.nodes if node.mesh is not None), [0] * 12 + [1] * 3)

    def test_gltf_moves_a_card_for_every_particle(self):
        import pygltflib

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "fire.glb"
            path.write_bytes(glb_cache(self.fire, self.frames))
            file = pygltflib.GLTF2().load(str(path))
            ever = {(x.layer.id, x.copy, number) for frame in self.frames for x in frame.layers for number in x.number.tolist()}
            self.assertEqual(
                len(file.nodes),
                len(ever) + sum(any(x.layer is y.layer for f in self.frames for y in f.layers if y.count) for x in self.frames[0].layers),
            )
            if VALIDATOR.is_dir() and shutil.which("node"):
                script = (
                    "const v = require(process.argv[1]), fs = require('fs');"
                    "v.validateBytes(new Uint8Array(fs.readFileSync(process.argv[2]))).then(r => console.log(r.issues.numErrors))"
                )
                done = subprocess.run(["node", "-e", script, str(VALIDATOR), str(path)], capture_output=True, text=True)
                self.assertEqual(done.stdout.strip(), "0", done.stderr)
        many = replace(self.fire.layers[0], outlet=replace(self.fire.layers[0].outlet, rate=fixed(20000.0), limit=20000))
        crowd = replace(self.fire, layers=(many,))
        with self.assertRaisesRegex(CacheError, "use USD"):
            glb_cache(crowd, [Timeline(crowd).frame(1.0)])

    def test_tables_have_a_line_for_every_particle(self):
        rows = list(csv.DictReader(io.StringIO(csv_bytes(self.fire, self.frames).decode())))
        self.assertEqual(len(rows), sum(frame.alive for frame in self.frames))
        first = self.frames[0].layers[0]
        self.assertAlmostEqual(float(rows[0]["x"]), float(first.position[0, 0]), places=5)
        self.assertEqual(int(rows[0]["number"]), int(first.number[0]))
        with tempfile.TemporaryDirectory() as folder:
            self.assertEqual(pale("cache", SMALL_FIRE, "--out", Path(folder) / "f.usda", "--until", "0.2", "--every", "0.1")[0], 0)
            self.assertEqual(pale("cache", SMALL_FIRE, "--out", Path(folder) / "f.abc")[0], 2)
