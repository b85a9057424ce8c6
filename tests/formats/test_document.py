"""Documents: a round trip keeps everything, every fault is told, nothing is half done."""

import gzip
import json
import random
import tempfile
import unittest
from pathlib import Path
from typing import Literal, get_args, get_origin
from unittest import mock

from jsonschema import Draft202012Validator

from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.fields import Field, Part, kinds_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.reading import read, values_of
from pale_ember.core.effect.starting_points import STARTS, started
from pale_ember.core.effect.values import Range, Slope
from pale_ember.formats.document import DocumentError, document_schema, dumps, load, loads, save
from tests.examples import SMALL_FIRE, effect, fixed

HERE = Path("stack-plume.pale")
DATA = Path(__file__).parents[1] / "data"

STRANGE = (None, True, -1, 7, 0.5, -1e40, 1e6, "tide", "", [], [1], [1, 2, 3], {}, {"kind": "push"})


def wild(kind, rng, depth=0, odds=0.985):
    """A random group of fields of a kind of part, most of them as declared, some of them strange."""
    if kind is Range and rng.random() < 0.3:
        return rng.choice((0, 1, 2.5))
    kinds = kinds_of(kind)
    word = rng.choice(list(kinds)) if kinds else ""
    declared = values_of(kinds.get(word, kind), Field("", ""))
    made = {"kind": word} if word else {}
    for name, field in declared.items():
        if rng.random() < (0.5 if depth else 0.8):
            made[name] = value_of(field, rng, depth) if rng.random() < odds + (1 - odds) * 0.93 else rng.choice(STRANGE)
    return made


def value_of(declared, rng, depth):
    kind, field = declared.type, declared.field
    if type(None) in get_args(kind):
        kind = next(one for one in get_args(kind) if one is not type(None))
        if rng.random() < 0.3:
            return None
    low = -9.0 if field.least is None else field.least
    number = low if field.most is None and rng.random() < 0.3 else low + rng.random() * (min(field.most or 1e9, low + 9) - low)
    if get_origin(kind) is Literal:
        return rng.choice(get_args(kind))
    if isinstance(kind, type) and issubclass(kind, Part):
        return wild(kind, rng, depth + 1)
    if get_origin(kind) is tuple:
        inner = get_args(kind)
        count = len(inner) if inner[-1] is not Ellipsis else rng.randint(1, 2)
        part = inner[0]
        if isinstance(part, type) and issubclass(part, Part):
            return [wild(part, rng, depth + 1) for _ in range(count)]
        return ["tide" if part is str else number for _ in range(count)]
    return {bool: True, str: "tide", int: int(number + 0.999), float: number}[kind]


def changed(path, value):
    raw = json.loads(SMALL_FIRE.read_text())
    part = raw
    for step in path[:-1]:
        part = part[step]
    part[path[-1]] = value
    return json.dumps(raw).encode()


class Reading(unittest.TestCase):
    def test_a_round_trip_keeps_every_value(self):
        made = effect(*(started(name) for name in STARTS))
        again, notices = loads(dumps(made), HERE)
        self.assertEqual(again, made)
        self.assertEqual(notices, [])
        self.assertEqual(dumps(loads(dumps(again), HERE)[0]), dumps(again))

    def test_documents_follow_the_published_schema(self):
        schema = document_schema()
        Draft202012Validator.check_schema(schema)
        validator = Draft202012Validator(schema)
        self.assertEqual(list(validator.iter_errors(json.loads(SMALL_FIRE.read_text()))), [])
        bad = json.loads(changed(("layers", 0, "birth", "lifetime", "low"), -1))
        self.assertEqual(len(list(validator.iter_errors(bad))), 1)

    def test_reader_and_published_schema_agree_on_random_documents(self):
        rng = random.Random(9)
        validator = Draft202012Validator(document_schema())
        told = {"valid": 0, "refused": 0}
        for _ in range(600):
            raw = {"format": "pale-ember", "version": 2, **wild(Effect, rng)}
            _, problems = read(Effect, {name: value for name, value in raw.items() if name not in ("format", "version")})
            faults = [
                str(one)
                for one in problems
                if not one.notice and "sorted by age" not in one.message and "low not above high" not in one.message
            ]
            errors = [error.message for error in validator.iter_errors(raw)]
            self.assertEqual(bool(errors), bool(faults), (errors[:3], faults[:3]))
            told["refused" if faults else "valid"] += 1
        self.assertGreater(min(told.values()), 40, told)

    def test_unknown_fields_are_kept_and_noticed(self):
        made, notices = loads(changed(("layers", 1, "outlet", "tide"), {"height": 3}), HERE)
        self.assertIn("tide", str(notices[0]))
        self.assertEqual(json.loads(dumps(made))["layers"][1]["outlet"]["tide"], {"height": 3})

    def test_each_fault_is_one_sentence_with_place_expectation_finding_and_remedy(self):
        cases = (
            (changed(("layers", 1, "birth", "lifetime", "low"), -0.5), ("tongues", "lifetime.low", "from 0 to 3600 s", "-0.5")),
            (changed(("layers", 1, "outlet", "rate"), float("nan")), ("outlet.rate", "number", "nan")),
            (changed(("layers", 1, "outlet", "rate"), 1e300), ("outlet.rate", "number")),
            (changed(("layers", 0, "look", "blend"), "glowing"), ("look.blend", "additive", "glowing")),
            (changed(("layers", 0, "outlet"), 7), ("outlet", "group", "7")),
            (changed(("loop",), "yes"), ("loop", "true or false")),
            (changed(("layers", 1, "birth", "size", "high"), 0.01), ("size", "low not above high")),
            (changed(("layers", 1, "life", "size", "keys"), []), ("life.size", "at least one point")),
            (changed(("layers", 1, "id"), "2f84d6e7b3019ac5"), ("id", "of its own")),
            (changed(("version",), 99), ("version", "newer")),
            (changed(("format",), "other"), ("format", "pale-ember")),
            (SMALL_FIRE.read_bytes()[:900], ("line", "cut short")),
            (b"", ("empty",)),
            (b"\x89PNG\r\n", ("UTF-8",)),
            (b"[1, 2]", ("{ }",)),
            (b"[" * 100000, ("brackets",)),
            (b'{"format": "pale-ember", "format": 1}', ("twice",)),
        )
        for data, words in cases:
            with self.assertRaises(DocumentError) as caught:
                loads(data, HERE)
            text = str(caught.exception)
            self.assertTrue(text.startswith("stack-plume.pale: "), text)
            self.assertNotIn("\n", text)
            for word in words:
                self.assertIn(word, text)

    def test_a_layer_without_a_name_is_told_by_its_place_alone(self):
        told = json.loads(changed(("layers", 1, "name"), ""))
        told["layers"][1]["outlet"]["rate"] = "many"
        with self.assertRaisesRegex(DocumentError, r"layers\[1\][.:]"):
            loads(json.dumps(told).encode(), HERE)

    def test_all_faults_are_found_at_once(self):
        raw = json.loads(changed(("layers", 0, "look", "blend"), "x"))
        raw["layers"][1]["outlet"]["limit"] = -4
        raw["seed"] = 1.5
        with self.assertRaises(DocumentError) as caught:
            loads(json.dumps(raw).encode(), HERE)
        self.assertEqual(len(caught.exception.problems), 3)


class Further(unittest.TestCase):
    def test_no_two_parts_are_called_the_same_for_the_schema_tells_them_by_name(self):
        def kinds(part):
            return [part, *(inner for kind in part.__subclasses__() for inner in kinds(kind))]

        names = [kind.__name__ for kind in kinds(Part) if kind.__module__.startswith("pale_ember")]
        self.assertEqual(sorted(names), sorted(set(names)))

    def loaded(self, *layers, version=3, **body):
        raw = {"format": "pale-ember", "version": version, "layers": list(layers), **body}
        return loads(json.dumps(raw).encode(), HERE)

    def refused(self, *layers, **body):
        with self.assertRaises(DocumentError) as caught:
            self.loaded(*layers, **body)
        return [str(problem) for problem in caught.exception.problems]

    def test_the_first_version_is_brought_up_to_date(self):
        old = {"contact": {"ground": "bounce", "bounce": 0.3}, "outlet": {"rate": 40.0, "bursts": [{"count": 7}]}}
        made, notices = self.loaded(old, {"name": "plain"}, version=1)
        self.assertEqual(notices, [])
        self.assertEqual((made.layers[0].contact.meets, made.layers[0].contact.bounce), ("bounce", 0.3))
        self.assertEqual(made.layers[0].outlet.rate, fixed(40.0))
        self.assertEqual(made.layers[0].outlet.bursts[0].count, fixed(7))
        self.assertEqual(made.layers[1].contact.meets, "pass")
        broken, _ = self.loaded({"contact": {"bounce": 0.2}}, version=1)
        self.assertEqual(broken.layers[0].contact.bounce, 0.2)

    def test_what_the_first_version_wrote_opens_whole(self):
        kept = gzip.decompress((DATA / "version-1.pale.gz").read_bytes())
        raw = json.loads(kept)
        self.assertEqual(raw["version"], 1)
        made, notices = loads(kept, HERE)
        self.assertEqual(notices, [])
        self.assertEqual([layer.name for layer in made.layers], [layer["name"] for layer in raw["layers"]])
        for layer, old in zip(made.layers, raw["layers"], strict=True):
            self.assertEqual(layer.contact.meets, old["contact"]["ground"])
            self.assertEqual(layer.look.picture.partition(":")[2], old["look"]["picture"].partition(":")[2])
            self.assertEqual(layer.birth.lifetime.low, old["birth"]["lifetime"]["low"])

    def test_what_the_second_version_wrote_is_what_the_fourth_did(self):
        kept = gzip.decompress((DATA / "version-2.pale.gz").read_bytes())
        self.assertEqual(json.loads(kept)["version"], 2)
        made, notices = loads(kept, HERE)
        self.assertEqual(notices, [])
        # The checks have found since that one picture fights its blend.
        made = with_value(made, ("layers", 5, "look", "blend"), "premultiplied")
        self.assertEqual(made, loads(gzip.decompress((DATA / "version-4.pale.gz").read_bytes()), HERE)[0])

    def test_words_of_the_third_version_are_those_of_the_trade(self):
        made, notices = self.loaded(stage={"tone": "rolled off"}, recipes=[{"name": "cut", "steps": [{"kind": "ground away", "key": 1}]}])
        self.assertEqual((notices, made.stage.tone, made.recipes[0].steps[0].kind), ([], "filmic", "remove background"))

    def test_what_touched_with_its_middle_in_the_second_version_does_so_still(self):
        old = {
            "format": "pale-ember",
            "version": 2,
            "layers": [{"contact": {"meets": "bounce"}}, {"contact": {"bounce": 0.5}}, {"contact": {"meets": "end", "radius": 0.3}}],
        }
        made, _ = loads(json.dumps(old).encode(), HERE)
        self.assertEqual([layer.contact.radius for layer in made.layers], [0.0, None, 0.3])

    def test_every_name_of_the_second_version_is_brought_up_to_date(self):
        key = {"at": 0.5, "value": 2.0, "ease": "handles", "arrive": 1.0, "leave": -1.0}
        old = {
            "outlet": {"rate_is": "kept alive", "flow": {"keys": [key]}, "bursts": [{"time": 0.4, "repeats": 3}]},
            "birth": {"sideways": 2.0, "carried": 0.5},
            "life": {"more": [{"drives": "haze"}, {"drives": "velocity x", "instead": True}]},
            "forces": {"more": [{"kind": "gust", "calm": 0.2, "region": "in a ball"}, {"kind": "push", "region": "in a block"}]},
            "contact": {"least_speed": 0.3},
            "offspring": {"rules": [{"when": "every metre", "each": 0.4, "least_impact": 2.0}, {"when": "every second"}]},
            "look": {
                "picture": "card:ring",
                "nearer": 0.2,
                "solid": {"mesh": "solid:drum"},
                "order": "youngest first",  # own-words: ok (as it was written)
                "wear": {"eaten_by": "card:clouds", "dissolve": 0.3},
                "surface": {"haze": 0.2},
                "ribbon": {"texture": "stretched"},
                "beam": {"bend_start": 1.0, "bend_end": 2.0, "width_start": 1.0, "width_end": 0.5, "segments": 8},
            },
        }
        stage = {"below": [1, 0, 0], "above": [0, 1, 0], "tone": "plain", "game": {"lens": 60.0}, "cameras": [{"lens": 30.0}],
                 "props": [{"form": "ball"}, {"form": "drum"}]}  # fmt: skip
        made, notices = self.loaded(old, version=2, same=True, stage=stage)
        self.assertEqual(notices, [])
        layer, look = made.layers[0], made.layers[0].look
        self.assertEqual((layer.outlet.rate_counts, layer.outlet.bursts[0].first_at), ("kept alive", 0.4))
        self.assertEqual(layer.outlet.bursts[0].times, 3)
        self.assertEqual(layer.outlet.rate_curve.keys[0].slope, Slope(before=1.0, after=-1.0))
        self.assertEqual((layer.birth.around, layer.birth.inherited), (fixed(2.0), 0.5))
        self.assertEqual([lane.drives for lane in layer.life.more], ["heat shimmer", "velocity x"])
        self.assertTrue(layer.life.more[1].replaces)
        gust, push = layer.forces.more
        self.assertEqual((gust.gustiness, gust.region, push.region), (0.2, "in a sphere", "in a box"))
        self.assertEqual(layer.contact.minimum_speed, 0.3)
        far, late = layer.offspring.rules
        self.assertEqual((far.when, far.interval, far.minimum_impact, late.when), ("by distance", 0.4, 2.0, "by time"))
        self.assertEqual((look.picture, look.stacking, look.pull), ("library:ring", "old on top", 0.2))
        self.assertEqual((look.dissolve.picture, look.dissolve.amount), ("library:clouds", 0.3))
        self.assertEqual((look.surface.shimmer, look.ribbon.texture), (0.2, "once"))
        self.assertEqual((look.solid.mesh, look.beam.bow), ("solid:cylinder", (1.0, 2.0)))
        self.assertEqual([(key.at, key.value) for key in look.beam.width.keys], [(0.0, 1.0), (1.0, 0.5)])
        self.assertEqual((made.identical, made.stage.bottom, made.stage.top), (True, (1, 0, 0), (0, 1, 0)))
        self.assertEqual((made.stage.tone, made.stage.game.fov, made.stage.cameras[0].fov), ("clipped", 60.0, 30.0))
        self.assertEqual([prop.shape for prop in made.stage.props], ["sphere", "cylinder"])

    def test_layers_may_be_named_by_name_and_lists_get_their_numbers(self):
        rules = [{"layer": "splash"}, {"layer": "splash", "when": "ends"}]
        forces = [{"kind": "vortex", "strength": 3}, {"kind": "push", "axis": [1, 0, 0]}]
        sleet = {"name": "sleet", "offspring": {"rules": rules}, "forces": {"more": forces}, "rides_on": "splash"}
        made, _ = self.loaded(sleet, {"name": "splash", "life": {"more": [{"drives": "spin"}, {"drives": "angle"}]}})
        sleet, splash = made.layers
        self.assertEqual([rule.layer for rule in sleet.offspring.rules], [splash.id] * 2)
        self.assertEqual([rule.key for rule in sleet.offspring.rules], [0, 1])
        self.assertEqual([type(force).__name__ for force in sleet.forces.more], ["Vortex", "Push"])
        self.assertEqual([lane.key for lane in splash.life.more], [0, 1])
        self.assertEqual(sleet.rides_on, splash.id)
        again, _ = loads(dumps(made), HERE)
        self.assertEqual(again, made)
        Draft202012Validator(document_schema()).validate(json.loads(dumps(made)))

    def test_rings_strangers_and_kinds_are_told_in_a_sentence(self):
        def spawns(name, other):
            return {"name": name, "offspring": {"rules": [{"layer": other}]}}

        told = self.refused(spawns("sleet", "splash"), spawns("splash", "mist"), spawns("mist", "sleet"))
        self.assertIn('found "sleet" spawns "splash" spawns "mist" spawns "sleet"', told[0])
        self.assertIn("remove one of these rules", told[0])
        told = self.refused(spawns("sleet", "nobody"))
        self.assertIn('layers[0] "sleet".offspring.rules[0].layer: expected the name or id of a layer, found "nobody"', told[0])
        told = self.refused({"name": "a", "rides_on": "b"}, {"name": "b", "rides_on": "a"})
        self.assertIn("let one stand by itself", told[0])
        told = self.refused({"forces": {"more": [{"kind": "magnet"}]}})
        self.assertIn('forces.more[0].kind: expected one of "push", "thrust"', told[0])
        told = self.refused({"birth": {"speed": {"low": 3, "high": 1}, "push": {"x": "fast"}, "size": {"choices": [1, -2]}}})
        self.assertEqual(len(told), 3)

    def test_wild_documents_are_told_in_a_sentence_too(self):
        self.assertIn("expected one of", self.refused({"forces": {"more": [{"kind": []}]}})[0])
        chain = [{"name": str(i), "offspring": {"rules": [{"layer": str(i + 1)}]}} for i in range(3000)] + [{"name": "3000"}]
        self.assertIn("spawn each other in a row, found 3001", self.refused(*chain)[0])
        riders = [{"name": str(i), "rides_on": str(i + 1)} for i in range(3000)] + [{"name": "3000"}]
        self.assertEqual(len(self.loaded(*riders)[0].layers), 3001)
        riders[-1]["rides_on"] = "0"
        self.assertIn("ride on itself", self.refused(*riders)[0])
        lane = {"life": {"more": [{"drives": "gravity", "over": "camera distance"}]}}
        self.assertIn('which moves particles, found "camera distance"', self.refused(lane)[0])

    def test_ranges_lists_and_gradients_of_tint_survive(self):
        tint = {"gradient": {"stops": [{"at": 0, "colour": [1, 0, 0]}, {"at": 1, "colour": [0, 0, 1]}]}}
        made, _ = self.loaded({"birth": {"size": {"choices": [0.1, 0.4]}, "tint": tint, "stretch": {"x": 2}}})
        birth = made.layers[0].birth
        self.assertEqual(birth.size.choices, (0.1, 0.4))
        self.assertEqual(birth.stretch.x, fixed(2.0))
        self.assertEqual(len(birth.tint.gradient.stops), 2)
        self.assertEqual(loads(dumps(made), HERE)[0], made)


class Saving(unittest.TestCase):
    def test_a_save_that_fails_leaves_the_old_file_whole(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "tide-mist.pale"
            save(effect(), path)
            before = path.read_bytes()
            with mock.patch("os.fsync", side_effect=OSError(28, "No space left")), self.assertRaises(OSError):
                save(effect(started("smoke")), path)
            self.assertEqual(path.read_bytes(), before)
            self.assertEqual([p.name for p in path.parent.iterdir()], ["tide-mist.pale"])
            save(effect(started("smoke")), path)
            self.assertEqual(len(load(path)[0].layers), 1)
            link = Path(folder) / "latest.pale"
            link.symlink_to(path.name)
            save(effect(name="stack plume"), link)
            self.assertTrue(link.is_symlink())
            self.assertEqual(load(path)[0].name, "stack plume")
