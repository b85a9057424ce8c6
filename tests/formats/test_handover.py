"""Packages: what leaves, that it is what was tried, and that nothing is half-done."""

import base64
import io
import json
import os
import shutil
import subprocess
import sys
import time
import unittest
from pathlib import Path
from unittest import mock

import jsonschema
import numpy as np
import texture2ddecoder
from msgspec.structs import replace
from PIL import Image

from pale_ember.commands.exporting import on_stage
from pale_ember.core.effect.chapters import Offspring
from pale_ember.core.effect.events import Answers, Cue
from pale_ember.core.effect.model import DistanceStep, IgnoredFinding, Stage
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.stage import Anchor, Prop
from pale_ember.core.effect.surface import Dissolve, Surface
from pale_ember.core.effect.values import fixed
from pale_ember.core.geometry.mesh import SOLIDS, Mesh, solid
from pale_ember.core.insight.effect_cost import TARGETS, Budget, cost_of, over_budget
from pale_ember.core.simulate.timeline import Timeline
from pale_ember.core.texture.blocks import MipLevel, coded, error_of, packed
from pale_ember.core.texture.formats import FORMATS
from pale_ember.core.texture.library import multiplied
from pale_ember.core.texture.light import channel_of, to_linear
from pale_ember.core.texture.mips import bled, covered, fitted, halved, mip_chain
from pale_ember.formats import disk
from pale_ember.formats.dds import dds_bytes, format_in, levels_in, memory_of
from pale_ember.formats.disk import ForeignFiles, write_folder, write_whole
from pale_ember.formats.document import load, save
from pale_ember.formats.handover.meshes import glb_bytes
from pale_ember.formats.handover.package import Cancelled, package_of
from pale_ember.formats.handover.reading import read_package
from pale_ember.formats.handover.runtime import PackageError, effect_of, handed, json_bytes, runtime_form, runtime_schema, slug
from pale_ember.formats.handover.textures import PictureUse, TextureOptions, exr_bytes, shrunk_size, size_advice, texture_files, unpacked
from pale_ember.formats.meshes import read_mesh
from pale_ember.formats.pictures import library_picture, png_bytes
from pale_ember.formats.shelf import Shelf
from pale_ember.formats.traces import trace_bytes
from tests.examples import DEMO, SMALL_FIRE, Look, Outlet, drip, effect
from tests.folder import InFolder, listed
from tests.test_cli import pale as run

NODE = Path(__file__).parents[2] / ".venv" / "node" / "node_modules"
VALIDATOR, KTX_READER = NODE / "gltf-validator", NODE / "ktx-parse"


def pale(*arguments):
    done = run(*arguments)
    return done.returncode, done.stdout, done.stderr


class Runtime(unittest.TestCase):
    def test_every_demo_effect_comes_back_as_it_left_and_is_valid(self):
        valid = jsonschema.Draft202012Validator(runtime_schema())
        for path in sorted(DEMO.glob("*.pale")):
            leaves = handed(load(path)[0])
            raw = json.loads(json_bytes(runtime_form(leaves)))
            self.assertEqual(effect_of(raw), leaves, path.stem)
            self.assertEqual([str(error.message) for error in valid.iter_errors(raw)], [], path.stem)
            told = json.dumps(raw)
            for camera in load(path)[0].stage.cameras:
                self.assertNotIn(f'"{camera.name}", "target"', told)
        with self.assertRaisesRegex(PackageError, "hand the effect over again"):
            effect_of({"format": "pale-ember"})
        raw["layers"][0]["outlet"]["radius"] = "wide"
        with self.assertRaisesRegex(PackageError, "radius: expected a number"):
            effect_of(raw)

    def test_what_is_hidden_stays_unless_it_carries_or_spawns(self):
        splash = drip(id="00000000000000bb", name="splash")
        carries = drip(id="00000000000000cc", name="barrow", shown=False)
        spawns = drip(
            id="00000000000000dd",
            name="sleet",
            shown=False,
            offspring=Offspring(rules=(Rule(layer=splash.id), Rule(key=1, layer="00000000000000ee"))),
        )
        spare = drip(id="00000000000000ee", name="spare", shown=False)
        stage = Stage(props=(Prop(name="crate"),), anchors=(Anchor(name="lance", place=(3, 1, 2)),))
        leaves = handed(effect(replace(splash, rides_on=carries.id, stands_on="crate"), carries, spawns, spare, stage=stage))
        self.assertEqual([layer.name for layer in leaves.layers], ["splash", "barrow", "sleet"])
        self.assertEqual(len(leaves.layers[2].offspring.rules), 1)
        self.assertEqual([anchor.name for anchor in leaves.stage.anchors], ["lance", "crate"])
        self.assertEqual((leaves.stage.props, leaves.stage.anchors[0].place), ((), (0.0, 0.0, 0.0)))
        raw = runtime_form(leaves)
        self.assertEqual([layer["drawn"] for layer in raw["layers"]], [True, False, False])
        self.assertEqual(raw["places"], ["lance", "crate"])
        self.assertNotIn("stage", raw)

    def test_distance_steps_leave_as_the_values_that_differ_and_what_was_left_of_checks_stays(self):
        fire = load(SMALL_FIRE)[0]
        told = replace(fire, distances=(DistanceStep(beyond=12.0, share=0.5),), left=(IgnoredFinding(rule="pops", reason="a flash"),))
        raw = json.loads(json_bytes(runtime_form(handed(told))))
        self.assertEqual(list(jsonschema.Draft202012Validator(runtime_schema()).iter_errors(raw)), [])
        self.assertNotIn("left", raw)
        self.assertNotIn("distances", raw)
        far = raw["farther"][0]
        self.assertEqual((far["beyond"], set(far["layers"])), (12.0, {layer["slug"] for layer in raw["layers"]}))
        for layer in raw["layers"]:
            self.assertAlmostEqual(far["layers"][layer["slug"]]["outlet.rate"]["low"], 0.5 * layer["outlet"]["rate"]["low"], places=4)

    def test_curves_are_told_as_keys_and_as_what_they_are(self):
        fire = handed(load(SMALL_FIRE)[0])
        raw, plain = runtime_form(fire, tables=True), runtime_form(fire)
        self.assertNotIn('"table"', json.dumps(plain))
        self.assertEqual(effect_of(json.loads(json_bytes(raw))), effect_of(json.loads(json_bytes(plain))))
        for layer, told in zip(fire.layers, raw["layers"], strict=True):
            if layer.life.opacity is not None:
                np.testing.assert_allclose(told["life"]["opacity"]["table"], layer.life.opacity.table(), atol=1e-6)
        self.assertEqual(
            [slug("Kiln's mouth"), slug("3 jets"), slug("灰"), slug("jet", ["jet"])], ["kilns_mouth", "_3_jets", "unnamed", "jet_2"]
        )


class Packages(InFolder):
    def test_a_package_is_what_was_tried_to_the_bit_on_any_stage_and_the_same_bytes_each_time(self):
        kept = {}
        for path in sorted(DEMO.glob("*.pale")):
            made, _ = load(path)
            shelf = Shelf(path.parent)
            # Packed copies lie beside what is read back; one effect with them will do.
            package = package_of(made, shelf, TextureOptions() if path.stem == "tide-mist" else TextureOptions(kind="none"), kept)
            out = self.folder / path.stem
            write_folder(out, package.files)
            back = read_package(out)
            for stage in ("none", str(path)):
                first, second = on_stage(made, stage), on_stage(back, stage)
                traces = [
                    trace_bytes(each, (Timeline(each, s.mesh, s.density).frame(t) for t in (0.4, 1.5)))
                    for each, s in ((first, shelf), (second, Shelf(out)))
                ]
                self.assertEqual(traces[0], traces[1], f"{path.stem} on {stage}")
            if path.stem == "tide-mist":
                packed, again = package, package_of(made, shelf, kept=kept)
        self.assertEqual(again.files, packed.files)
        package = packed
        manifest = json.loads(package.files["manifest.json"])
        self.assertEqual({each["name"] for each in manifest["files"]} | {"manifest.json"}, set(package.files))
        self.assertTrue(all(each.get("licence") for each in manifest["files"] if each["name"].startswith("textures")))
        jsonschema.validate(json.loads(package.files["effect.json"]), json.loads(package.files["schema.json"]))

    def test_notes_tell_events_cues_places_and_layers(self):
        fire, _ = load(SMALL_FIRE)
        fire = replace(fire, answers=Answers(by_itself=False, start="kiln_lit"), cues=(Cue(name="roar", at=0.5, sound="sfx_roar"),))
        package = package_of(fire, Shelf(None), events=["kiln_out", "sfx_roar"])
        told = package.files["NOTES.md"].decode()
        for word in ("waits for its start", "**kiln_lit**", "sfx_roar", *(layer.name for layer in fire.layers if layer.shown)):
            self.assertIn(word, told)
        self.assertTrue(any('"kiln_lit" is not among the 2 names' in said for said in package.advice))
        raw = json.loads(package.files["effect.json"])
        self.assertGreater(raw["budget"]["most_alive"], 10)
        self.assertEqual(len(raw["bounds"]["moments"]), len(raw["bounds"]["low"]))
        self.assertIn("memory", next(iter(raw["files"].values())))

    def test_what_cannot_leave_is_refused_in_a_sentence_and_nothing_is_written(self):
        fire, _ = load(SMALL_FIRE)
        gone = replace(fire, layers=tuple(replace(x, look=replace(x.look, picture="gone.png")) for x in fire.layers))
        path = self.folder / "gone.pale"
        save(gone, path)
        code, _, said = pale("handover", path, "--out", self.folder / "out")
        self.assertEqual((code, (self.folder / "out").exists()), (2, False))
        self.assertIn("gone.png: the picture is not there", said)
        hidden = replace(fire, layers=tuple(replace(layer, shown=False) for layer in fire.layers))
        with self.assertRaisesRegex(PackageError, "found none; show one"):
            package_of(hidden, Shelf(None))
        bad = replace(fire, answers=Answers(start="3 lights!"))
        with self.assertRaisesRegex(PackageError, "expected a name of letters"):
            package_of(bad, Shelf(None))
        with self.assertRaises(Cancelled):
            package_of(fire, Shelf(None), progress=lambda share, what: share < 0.3)

    def test_a_folder_is_replaced_whole_or_left_as_it_was(self):
        out = self.folder / "kiln"
        write_folder(out, listed({"effect.json": b"1", "textures/a.png": b"2"}))
        full = mock.patch("os.rename", side_effect=OSError(28, "No space left on device"))
        with full, mock.patch.object(disk.ctypes, "CDLL", return_value=object()), self.assertRaises(OSError):
            write_folder(out, listed({"effect.json": b"3"}))
        self.assertEqual((out / "textures/a.png").read_bytes(), b"2")
        rename, count = os.rename, iter(range(9))

        def fails_second(source, target):
            if next(count) == 1:
                raise OSError(28, "No space left on device")
            rename(source, target)

        second = mock.patch("os.rename", side_effect=fails_second)
        with second, mock.patch.object(disk.ctypes, "CDLL", return_value=object()), self.assertRaises(OSError):
            write_folder(out, listed({"effect.json": b"3"}))
        self.assertEqual((out / "textures/a.png").read_bytes(), b"2", "it is put back")
        for library in (disk.ctypes.CDLL(None, use_errno=True), object()):
            with mock.patch.object(disk.ctypes, "CDLL", return_value=library):
                write_folder(out, listed({"effect.json": b"4"}))
                write_folder(out, listed({"effect.json": b"5"}))
            self.assertEqual(sorted(x.name for x in out.iterdir()), ["effect.json", "manifest.json"])
            self.assertEqual([x.name for x in self.folder.iterdir()], ["kiln"])

    def test_what_is_not_ours_is_never_let_go(self):
        out, ours = self.folder / "kiln", listed({"effect.json": b"1", "textures/a.png": b"2"})
        foreign = {"manifest.json": b'{"files": []}', "mine/work.cs": b"work"}
        for name, data in foreign.items():
            (out / name).parent.mkdir(parents=True, exist_ok=True)
            (out / name).write_bytes(data)
        for beside in (False, True):
            with self.assertRaisesRegex(ForeignFiles, "manifest.json, mine/work.cs") as told:
                write_folder(out, ours, beside_others=beside)
            self.assertFalse(told.exception.stays)
        code, _, said = pale("handover", SMALL_FIRE, "--out", out)
        self.assertEqual((code, (out / "mine/work.cs").read_text()), (2, "work"))
        self.assertIn("found other things: manifest.json, mine/work.cs; choose another\n", said)
        (out / "manifest.json").unlink()
        (out / "notes").symlink_to("mine")
        (out / "empty").mkdir()
        with self.assertRaisesRegex(ForeignFiles, "empty, mine/work.cs, notes") as told:
            write_folder(out, ours)
        self.assertTrue(told.exception.stays)
        for _ in range(2):
            write_folder(out, ours, beside_others=True)
            seen = sorted(str(each.relative_to(out)) for each in out.rglob("*"))
            self.assertEqual(
                seen, ["effect.json", "empty", "manifest.json", "mine", "mine/work.cs", "notes", "textures", "textures/a.png"]
            )
        write_folder(out, listed({"effect.json": b"3"}), beside_others=True)
        self.assertFalse((out / "textures").exists())
        self.assertEqual((out / "notes").readlink(), Path("mine"))
        (out / "effect.json").unlink()
        (out / "mine/work.cs").rename(out / "mine/effect.json")
        clash = listed({"mine": b"a file of ours"})
        with self.assertRaises(ForeignFiles):
            write_folder(out, clash | {"mine/effect.json": b""}, beside_others=True)

    def test_a_process_that_is_killed_leaves_the_old_or_the_new_and_nothing_else(self):
        out, code = (
            self.folder / "kiln",
            (
                "import sys; from pathlib import Path; from pale_ember.formats.disk import write_folder\n"
                "from tests.folder import listed\n"
                "for k in range(10**6): write_folder(Path(sys.argv[1]), listed({'effect.json': b'%d' % k * 9999}))"
            ),
        )
        write_folder(out, listed({"effect.json": b"0"}))
        for wait in (0.5, 0.6, 0.7, 0.8):
            worker = subprocess.Popen([sys.executable, "-c", code, str(out)])
            time.sleep(wait)
            worker.kill()
            worker.wait()
            said = json.loads((out / "manifest.json").read_bytes())["files"][0]
            self.assertEqual(said["bytes"], (out / "effect.json").stat().st_size)
        write_folder(out, listed({"effect.json": b"1"}))
        self.assertEqual([each.name for each in self.folder.iterdir()], ["kiln"])

    def test_long_names_and_the_rights_that_new_files_get(self):
        long = self.folder / ("k" * 250 + ".pale")
        before = os.umask(0o077)
        try:
            write_whole(long, b"1")
            write_folder(self.folder / "out", listed({"effect.json": b"1"}))
        finally:
            os.umask(before)
        self.assertEqual(long.stat().st_mode & 0o777, 0o600)
        self.assertEqual((self.folder / "out").stat().st_mode & 0o777, 0o700)
        long.chmod(0o640)
        write_whole(long, b"2")
        self.assertEqual((long.stat().st_mode & 0o777, long.read_bytes()), (0o640, b"2"))

    def test_a_spoilt_package_is_told_from_a_whole_one(self):
        fire, _ = load(SMALL_FIRE)
        files = package_of(fire, Shelf(None), TextureOptions("none")).files
        texture = next(name for name in files if name.startswith("textures/"))
        raw = json.loads(files["effect.json"])
        raw["layers"][0]["look"]["picture"] = "../outside.png"
        good = json.loads(files["effect.json"])
        twice, rides, strange, nobody, ring = (json.loads(files["effect.json"]) for _ in range(5))
        twice["layers"][1]["slug"] = twice["layers"][0]["slug"]
        rides["layers"][0]["id"] = "zz"
        strange["layers"][0]["look"]["sparkle"] = 3
        nobody["layers"][0]["rides_on"] = "00000000000000ff"
        ring["layers"][0]["rides_on"] = ring["layers"][0]["id"]
        many = good | {"layers": [good["layers"][0] | {"slug": f"a{i}", "id": f"{i + 1:016x}"} for i in range(1200)]}
        whole = {name: data for name, data in files.items() if name != "manifest.json"}
        out = self.folder / "out"
        for spoilt, said in (
            (files | {texture: files[texture] + b" "}, "expected the file that was handed over"),
            (files | {"effect.json": files["effect.json"] + b" "}, "effect.json: expected the file that was handed over"),
            (listed(whole | {"effect.json": json_bytes(raw)}), "found one outside"),
            (listed(whole | {"effect.json": b"{"}), "expected JSON"),
            (files | {"manifest.json": b"[]"}, "expected a list of files"),
            (files | {"manifest.json": b'{"files": null}'}, "expected a list of files"),
            *(
                (listed(whole | {"effect.json": json_bytes(bad)}), said)
                for bad, said in (
                    (twice, "slug: expected small letters, digits and _, each once"),
                    (rides, "expected 16 hexadecimal digits"),
                    (strange, "sparkle"),
                    (nobody, "expected the name or id of a layer"),
                    (ring, "expected no layer to ride on itself"),
                    (many, "expected at most 500, found 1200"),
                    (good | {"files": None}, "files: expected a group"),
                    (good | {"smell": 1}, 'found "smell"'),
                )
            ),
        ):
            shutil.rmtree(out, ignore_errors=True)
            write_folder(out, spoilt)
            with self.assertRaisesRegex(PackageError, said):
                read_package(out)
        shutil.rmtree(out)
        write_folder(out, files)
        read_package(out)
        os.mkfifo(self.folder / "pipe")
        (out / "effect.json").unlink()
        (out / "effect.json").symlink_to(self.folder / "pipe")
        with self.assertRaisesRegex(PackageError, "leads outside"):
            read_package(out)
        (out / "effect.json").unlink()
        os.mkfifo(out / "effect.json")
        with self.assertRaisesRegex(PackageError, "found a named pipe"):
            read_package(out)
        shutil.rmtree(out)
        write_folder(out, files)
        (self.folder / "out" / texture).unlink()
        outside = self.folder / "outside.png"
        outside.write_bytes(files[texture])
        os.symlink(outside, self.folder / "out" / texture)
        with self.assertRaisesRegex(PackageError, "a link that leads outside"):
            read_package(self.folder / "out")

    def test_what_an_effect_takes_up_is_measured_and_held_against_a_target(self):
        falls = drip(outlet=Outlet(rate=fixed(30.0), shape="point", spread=0.0))
        made = effect(falls, duration=2.0)
        cost = cost_of(Timeline(made))
        taken = cost.layers[falls.id]
        self.assertAlmostEqual(taken.most, 60, delta=2)
        self.assertEqual(cost.most, taken.most)
        self.assertAlmostEqual(float(taken.low[1]), 2.0 - np.hypot(0.15, 0.15), delta=0.06)
        said = over_budget(made, cost, {"dot": 3 * 2**20}, Budget(20, 2**20, 0, 1.0))
        self.assertEqual(len(said), 3)
        self.assertIn("molten drips has 6", said[0])
        # A loop that begins empty is looked at the second time round, and what is faint takes up room.
        faint = replace(falls, birth=replace(falls.birth, lifetime=fixed(1.5), opacity=fixed(0.05)))
        again = cost_of(Timeline(effect(faint, duration=1.0, loop=True))).layers[falls.id]
        self.assertAlmostEqual(again.most, 45, delta=2)
        self.assertTrue(np.isfinite(again.low).all())
        self.assertEqual(over_budget(made, cost, {}, TARGETS["web"]), [])


class Meshes(InFolder):
    def test_meshes_come_back_as_they_left(self):
        coords = np.random.default_rng(1).uniform(0, 1, (len(solid("box").points), 2))
        box = solid("box")
        for mesh in (*(solid(name) for name in SOLIDS), Mesh(box.points, box.faces, coords)):
            path = self.folder / "mesh.glb"
            path.write_bytes(glb_bytes(mesh, "mesh"))
            back = read_mesh(path)
            np.testing.assert_array_equal(back.points, mesh.points)
            np.testing.assert_array_equal(back.faces, mesh.faces)
            if mesh.coords is not None:
                np.testing.assert_allclose(back.coords, mesh.coords, atol=1e-6)

    @unittest.skipUnless(VALIDATOR.is_dir() and shutil.which("node"), "the Khronos validator is not there")
    def test_the_khronos_validator_finds_nothing_wrong(self):
        script = """
            const validator = require(process.argv[1]), fs = require('fs');
            (async () => { for (const name of process.argv.slice(2)) {
                const report = await validator.validateBytes(new Uint8Array(fs.readFileSync(name)));
                if (report.issues.numErrors || report.issues.numWarnings) console.log(name, JSON.stringify(report.issues.messages));
            } })();
        """
        names = []
        for name in SOLIDS:
            names.append(self.folder / f"{slug(name)}.glb")
            names[-1].write_bytes(glb_bytes(solid(name), name))
        done = subprocess.run(["node", "-e", script, str(VALIDATOR), *map(str, names)], capture_output=True, text=True)
        self.assertEqual((done.stdout, done.stderr), ("", ""))


class Textures(InFolder):
    def test_every_format_is_read_by_others_and_near_the_picture(self):
        pixels = bled(library_picture("flame wisps"))
        height, width = pixels.shape[:2]
        least = {"bc1": 30, "bc3": 40, "bc4": 50, "bc5": 45, "bc7": 50}
        for kind in FORMATS:
            level = packed(pixels, kind)
            decode = getattr(texture2ddecoder, f"decode_{kind.removesuffix('h')}")
            got = np.frombuffer(decode(level.data, width, height), np.uint8).reshape(height, width, 4)[..., [2, 1, 0, 3]]
            self.assertEqual(
                len(level.data) + sum(len(packed(x, kind).data) for x in mip_chain(pixels)[1:]), memory_of(width, height, kind)
            )
            data = dds_bytes([level], kind, srgb=False)
            self.assertEqual(format_in(data), kind)
            image = Image.open(io.BytesIO(data))
            self.assertEqual(image.size, (width, height))
            if kind == "bc6h":
                light = np.clip(pixels[..., :3], 0, 1)
                self.assertGreater(error_of(got[..., :3], np.round(light * 255).astype(np.uint8)), 35)
                continue
            some = {"bc1": slice(0, 3), "bc4": slice(0, 1), "bc5": slice(0, 2)}.get(kind, slice(0, 4))
            opaque = coded(pixels)
            where = np.ones(opaque.shape[:2], bool) if kind != "bc1" else opaque[..., 3] > 128
            self.assertGreater(error_of(got[where][..., some], opaque[where][..., some]), least[kind], kind)

    @unittest.skipUnless(KTX_READER.is_dir() and shutil.which("node"), "the reader of KTX2 is not there")
    def test_ktx2_holds_what_dds_holds_as_another_reader_sees_it(self):
        script = """import { readFileSync } from 'fs'; const { read } = await import(process.argv[1] + '/dist/index.mjs');
            for (const name of process.argv.slice(2)) {
                const k = read(new Uint8Array(readFileSync(name))), d = k.dataFormatDescriptor[0] ?? k.dataFormatDescriptor;
                console.log(JSON.stringify({ format: k.vkFormat, size: [k.pixelWidth, k.pixelHeight, k.pixelDepth, k.faceCount],
                    levels: k.levels.map(x => Buffer.from(x.levelData).toString('base64')), written: Object.keys(k.keyValue),
                    model: d.colorModel, transfer: d.transferFunction, flags: d.flags, block: d.texelBlockDimension,
                    samples: d.samples.map(x => [x.bitOffset, x.bitLength, x.channelType]) })); }"""
        pixels, names, made = np.random.default_rng(7).random((20, 52, 4), np.float32), [], []
        for kind in FORMATS:
            for numbers in (False, True):
                options = TextureOptions(kind, ktx2=True)
                files, known = texture_files(
                    f"{kind}-{numbers:d}", pixels, None, PictureUse(numbers=numbers, premultiplied=not numbers), options, {}
                )
                told = next(iter(known.values()))
                names.append(self.folder / Path(told["ktx2"]).name)
                names[-1].write_bytes(files[told["ktx2"]])
                made.append((files[told["packed"]], told["format"], numbers))
        done = subprocess.run(["node", "--input-type=module", "-e", script, str(KTX_READER), *names], capture_output=True, text=True)
        self.assertEqual(done.stderr, "")
        plain = {"bc1": 131, "bc3": 137, "bc4": 139, "bc5": 141, "bc6h": 143, "bc7": 145}
        whole = {
            "bc1": [[0, 63, 0]],
            "bc4": [[0, 63, 0]],
            "bc5": [[0, 63, 0], [64, 63, 1]],
            "bc6h": [[0, 127, 128]],
            "bc7": [[0, 127, 0]],
        }
        for line, (dds, kind, numbers) in zip(done.stdout.splitlines(), made, strict=True):
            seen, coded = json.loads(line), not numbers and kind in ("bc1", "bc3", "bc7")
            self.assertEqual(seen["format"], plain[kind] + coded, kind)
            self.assertEqual(
                (seen["size"], seen["block"][:2], seen["written"]), ([52, 20, 0, 1], [3, 3], ["KTXorientation", "KTXwriter"])
            )
            self.assertEqual([base64.b64decode(x) for x in seen["levels"]], [x.data for x in levels_in(dds)])
            self.assertEqual((seen["transfer"], seen["flags"]), (1 + coded, int(not numbers)))
            self.assertEqual(seen["samples"], whole.get(kind, [[0, 63, 15 | 16 * coded], [64, 63, 0]]))
            self.assertEqual(seen["model"], {"bc1": 128, "bc3": 130, "bc4": 131, "bc5": 132, "bc6h": 133, "bc7": 134}[kind])
            code = {"bc1": 71, "bc3": 77, "bc4": 80, "bc5": 83, "bc6h": 95, "bc7": 98}[kind]
            self.assertEqual(int.from_bytes(dds[128:132], "little"), code + coded, "codes of numbers are no light")

    def test_numbers_leave_as_numbers(self):
        codes = np.tile(np.uint8([200, 90, 0, 255]), (64, 64, 1))
        codes[::2] = (100, 30, 0, 255)
        linear = np.dstack([to_linear(codes[..., :3] / np.float32(255)), np.ones((64, 64), np.float32)])
        files, known = texture_files("ways", linear, None, PictureUse(1.0, numbers=True), TextureOptions("bc3"), {})
        told = known["textures/ways.png"]
        self.assertEqual((told["colour"], told["format"]), ("numbers", "bc5"))
        np.testing.assert_array_equal(unpacked(files["textures/ways.dds"])[..., :2], codes[..., :2])
        data = files["textures/ways.dds"]
        half = MipLevel(32, 32, data[148 + 64 * 64 : 148 + 64 * 64 + 32 * 32])
        second = Image.open(io.BytesIO(dds_bytes([half], "bc5")))
        self.assertLessEqual(abs(int(np.asarray(second.convert("RGB"))[9, 9, 0]) - 150), 1, "their mean, not that of light")

    def test_light_leaves_as_its_look_reads_it(self):
        straight = np.zeros((16, 16, 4), np.float32)
        straight[4:12, 4:12] = (0.5, 0.4, 0.2, 0.5)
        Image.fromarray(coded(straight)).save(self.folder / "own.png")
        (self.folder / "own.exr").write_bytes(exr_bytes(straight + np.float32((1.0, 0, 0, 0)), premultiplied=True))
        looks = [
            Look(picture=name, blend=blend) for name in ("own.png", "own.exr", "library:fireball") for blend in ("premultiplied", "alpha")
        ]
        made = effect(*(drip(id=f"{i:016x}", name=f"layer {i}", look=look) for i, look in enumerate(looks)))
        shelf = Shelf(self.folder)
        package = package_of(made, shelf, TextureOptions("none"))
        write_folder(self.folder / "pk", package.files)
        game = Shelf(self.folder / "pk")
        for look, own in zip(looks, package.effect.layers, strict=True):
            name, ready = look.picture, look.blend == "premultiplied"
            self.assertEqual(package.textures[own.look.picture]["alpha"], "premultiplied" if ready else "straight")
            seen = multiplied(game.get(own.look.picture), own.look.picture if ready else "")
            np.testing.assert_allclose(seen, multiplied(shelf.get(name), name if ready else ""), atol=0.006)
        self.assertAlmostEqual(float(multiplied(shelf.get("own.exr"), "own.exr")[0, 0, 0]), 1.0, 3, "light without cover")

    def test_single_channels_share_a_picture_and_are_what_they_were(self):
        rng = np.random.default_rng(3)
        names = ("warp.png", "worn.png", "mask.png")
        for name in names:
            codes = rng.integers(0, 256, (64, 64, 4), np.uint8)
            Image.fromarray(codes).save(self.folder / name)
        Image.new("RGBA", (64, 64), (200, 100, 50, 255)).save(self.folder / "whole.png")
        surface = Surface(second="mask.png", second_channel="alpha", warp="warp.png")
        look = Look(picture="whole.png", surface=surface, dissolve=Dissolve(picture="worn.png", channel="green", amount=0.4))
        ash = Look(picture="worn.png", surface=Surface(channel="blue"))
        made = effect(drip(look=look), drip(id="00000000000000bb", name="ash", look=ash))
        shelf = Shelf(self.folder)
        apart, package = package_of(made, shelf), package_of(made, shelf, TextureOptions(together=True))
        self.assertIn("2 fewer", " ".join(apart.advice))
        self.assertEqual((len(apart.textures), len(package.textures)), (4, 2))
        told = next(each for each in package.textures.values() if "channels" in each)
        self.assertEqual((told["colour"], told["format"], len(told["channels"])), ("numbers", "bc7", 4))
        write_folder(self.folder / "game", package.files)
        back, there = read_package(self.folder / "game"), Shelf(self.folder / "game")
        first, second = (layer.look for layer in back.layers)
        for (name, channel), (was, read) in (
            ((first.surface.second, first.surface.second_channel), ("mask.png", "alpha")),
            ((first.surface.warp, first.surface.warp_channel), ("warp.png", "all")),
            ((first.dissolve.picture, first.dissolve.channel), ("worn.png", "green")),
            ((second.picture, second.surface.channel), ("worn.png", "blue")),
        ):
            new, old = channel_of(there.get(name), channel), channel_of(shelf.get(was), read)
            self.assertLess(float(np.abs(new - old).max()), 0.6 / 255, was)
        self.assertEqual(there.faults, {})
        listed = {each["name"]: each for each in json.loads(package.files["manifest.json"])["files"]}
        self.assertIn("licence", listed[next(iter(x for x in package.textures if "channels" in x))])
        (self.folder / "worn.png").unlink()
        with self.assertRaisesRegex(PackageError, "worn.png"):
            package_of(made, Shelf(self.folder), TextureOptions(together=True))

    def test_smaller_versions_keep_light_and_cover(self):
        pixels = library_picture("flame wisps")
        small = halved(pixels)
        light = lambda p: (p[..., :3] * p[..., 3:]).mean(axis=(0, 1))  # noqa: E731
        np.testing.assert_allclose(light(small), light(pixels), rtol=1e-3)
        self.assertEqual([level.shape[:2] for level in mip_chain(pixels)][-1], (1, 1))
        rock = np.ones((64, 64, 4), np.float32)
        rock[..., 3] = np.random.default_rng(2).uniform(0, 1, (64, 64))
        kept = [covered(level, 0.7) for level in mip_chain(rock, cut=0.7)[1:4]]
        plain = [covered(level, 0.7) for level in mip_chain(rock)[1:4]]
        for one, other in zip(kept, plain, strict=True):
            self.assertAlmostEqual(one, covered(rock, 0.7), delta=0.03)
            self.assertLess(other, 0.15)
        np.testing.assert_allclose(light(fitted(pixels, 256, 128)), light(pixels), rtol=0.02)
        spread = bled(pixels)
        np.testing.assert_array_equal(spread[..., 3], pixels[..., 3])

    def test_sizes_are_advised_by_what_is_seen(self):
        self.assertEqual(shrunk_size(512, 512, PictureUse(0.04, 1, 1)), (16, 16))
        self.assertEqual(shrunk_size(512, 512, PictureUse(2.0, 4, 4)), (512, 512))
        said = size_advice("puff", 500, 512, PictureUse(9.0))
        self.assertIn("no power of two", said[0])
        fire, _ = load(SMALL_FIRE)
        whole, small = (package_of(fire, Shelf(None), TextureOptions("none", shrinks)) for shrinks in (False, True))
        self.assertLess(sum(map(len, small.files.values())), sum(map(len, whole.files.values())))

    def test_a_folder_is_packed_by_several_and_one_bad_picture_stops_nothing(self):
        for name in ("ember", "puff"):
            (self.folder / f"{name}.png").write_bytes(png_bytes(coded(library_picture("soft dot"))))
        (self.folder / "torn.png").write_bytes(b"not a picture")
        code, out, said = pale("textures", "compress", self.folder, "--format", "bc3", "--jobs", "2")
        self.assertEqual(code, 1)
        self.assertIn("torn.png", said)
        self.assertEqual(out.count("bc3,"), 2)
        self.assertEqual(Image.open(io.BytesIO(_plain((self.folder / "puff.dds").read_bytes()))).size, (128, 128))
        (self.folder / "torn.png").unlink()
        code, out, _ = pale("textures", "compress", self.folder, "--format", "bc3")
        self.assertEqual((code, out.count("packed before")), (0, 2))
        self.assertEqual(pale("textures", "compress", self.folder / "nowhere")[0], 2)


def _plain(data):
    return data[:128] + (77).to_bytes(4, "little") + data[132:]
