"""Recorded ways and named nodes of glTF files."""

import base64
import json
from pathlib import Path

import numpy as np

from pale_ember.core.simulate.poses import turns
from pale_ember.formats.meshes import MeshError
from pale_ember.formats.motions import MotionScene, places_on
from tests.folder import InFolder


def swinging_lamp(folder):
    """A file with a lamp that goes 2 m along X in a second while it turns a quarter about Y, and a hook on its chain."""
    times = np.array([0.0, 1.0], np.float32)
    way = np.array([[0, 1, 0], [2, 1, 0]], np.float32)
    half = np.sqrt(0.5)
    turn = np.array([[0, 0, 0, 1], [0, half, 0, half]], np.float32)
    data = times.tobytes() + way.tobytes() + turn.tobytes()
    views = [(0, 8), (8, 24), (32, 32)]
    file = {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "lamp", "children": [1], "translation": [0, 1, 0]},
                  {"name": "hook", "translation": [0, 0.5, 0], "rotation": [half, 0, 0, half]}],
        "buffers": [{"byteLength": len(data), "uri": "data:application/octet-stream;base64," + base64.b64encode(data).decode()}],
        "bufferViews": [{"buffer": 0, "byteOffset": at, "byteLength": size} for at, size in views],
        "accessors": [
            {"bufferView": i, "componentType": 5126, "count": 2, "type": kind} for i, kind in enumerate(("SCALAR", "VEC3", "VEC4"))
        ],
        "animations": [{
            "samplers": [{"input": 0, "output": 1, "interpolation": "LINEAR"}, {"input": 0, "output": 2, "interpolation": "LINEAR"}],
            "channels": [{"sampler": 0, "target": {"node": 0, "path": "translation"}},
                         {"sampler": 1, "target": {"node": 0, "path": "rotation"}}],
        }],
    }  # fmt: skip
    path = Path(folder) / "lamp.gltf"
    path.write_text(json.dumps(file))
    return path


class Motions(InFolder):
    def setUp(self):
        super().setUp()
        self.path = swinging_lamp(self.folder)

    def test_a_recorded_way_becomes_keys_between_which_it_turns_evenly(self):
        keys = MotionScene(self.path).motion()
        self.assertGreaterEqual(len(keys), 30)
        middle = min(keys, key=lambda key: abs(key.at - 0.5))
        self.assertAlmostEqual(middle.place[0], 2 * middle.at, places=4)
        self.assertAlmostEqual(middle.turn[1], 90 * middle.at, places=2)
        np.testing.assert_allclose(turns(np.array([keys[-1].turn]))[0] @ (0, 0, 1), (1, 0, 0), atol=1e-4)

    def test_nodes_become_places_within_the_prop_as_large_as_it_stands(self):
        places = places_on(MotionScene(self.path), "crane", np.array([2.0, 2.0, 2.0]))
        self.assertEqual([(place.name, place.stands_on) for place in places], [("lamp", "crane"), ("hook", "crane")])
        self.assertEqual(places[1].place, (0.0, 3.0, 0.0))
        np.testing.assert_allclose(turns(np.array([places[1].turn]))[0] @ (0, 1, 0), (0, 0, 1), atol=1e-4)

    def test_what_cannot_be_read_is_told_in_a_sentence(self):
        text = self.path.read_text()
        for spoilt, said in (
            ("{", "data that is none"),
            (json.dumps({**json.loads(text), "animations": []}), "a node that moves, found none"),
            (json.dumps({**json.loads(text), "buffers": [{"byteLength": 64, "uri": "../outside.bin"}]}), "data that is none"),
        ):
            self.path.write_text(spoilt)
            with self.assertRaisesRegex(MeshError, said):
                MotionScene(self.path).motion()
        spoilt = json.loads(text)
        for far in ({"count": 10**9}, {"count": -1}, {"byteOffset": 10**9}, {"componentType": 7}, {"bufferView": 99}):
            spoilt["accessors"] = [accessor | far for accessor in json.loads(text)["accessors"]]
            self.path.write_text(json.dumps(spoilt))
            with self.assertRaisesRegex(MeshError, "numbers that do not fit|data that is none"):
                MotionScene(self.path).motion()
        with self.assertRaisesRegex(MeshError, "choose another"):
            MotionScene(self.path.with_name("gone.glb"))
