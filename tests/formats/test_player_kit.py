"""The player kit in C: it agrees with every vector, reads every field, and nothing that is fed to it breaks it."""

import copy
import json
import re
import shutil
import subprocess
import tempfile
import unittest
from collections import Counter
from pathlib import Path

from pale_ember.core.simulate.turbulence_field import eddies
from pale_ember.draw.runs import drawing_of
from pale_ember.formats.document import load
from pale_ember.formats.handover.examples import examples
from pale_ember.formats.handover.runtime import handed, runtime_form
from pale_ember.formats.handover.vectors import faults_of, question, vector_of
from tests.examples import SMALL_FIRE
from tests.test_cli import pale

KIT = Path(__file__).parents[2] / "player"
CHECKED = ("-O1", "-g", "-fsanitize=address,undefined", "-fno-sanitize=null,alignment,object-size", "-fno-sanitize-recover=undefined")
"""How the kit is built so that a read outside, or what the language leaves open, ends it."""
BOTH = """#define _POSIX_C_SOURCE 200809L
#define main answer_lines
#include "conform.c"
#undef main
#define main feed_mutations
#include "fuzz.c"
#undef main
int main(int argc, char **argv) { return argc > 4 ? feed_mutations(argc, argv) : answer_lines(argc, argv); }
"""
"""Both programs in one, for building takes longest."""
STRICT = ("-std=c99", "-O2", "-Wall", "-Wextra", "-Wpedantic", "-Wshadow", "-Werror")
CASES = 20_000


def building(folder, name, *flags):
    """A process that builds both programs."""
    source = Path(folder) / "both.c"
    source.write_text(BOTH)
    return subprocess.Popen(["cc", "-std=c99", *flags, f"-I{KIT}", str(source), "-o", f"{folder}/{name}", "-lm"])


def leaves(value, path=(), pattern=()):
    """(pattern, path) of every value that one field has: ranges, lists of numbers and words are one each."""
    plain = isinstance(value, list) and not any(isinstance(each, dict) for each in value)
    if not isinstance(value, (dict, list)) or plain or (isinstance(value, dict) and "choices" in value):
        if value != []:
            yield ".".join(pattern), path
        return
    if isinstance(value, list):
        for i, each in enumerate(value):
            yield from leaves(each, (*path, i), (*pattern[:-1], f"{pattern[-1]}[{each.get('kind', '')}]"))
        return
    shape = "Curve" if isinstance(value.get("keys"), list) and len(value) == 1 else "Gradient" if "stops" in value else ""
    for name, each in value.items():
        # What every kind of force has counts once.
        of_all = "kind" in value and name in ("on", "key", "region", "region_place", "region_size", "strength")
        yield from leaves(each, (*path, name), (shape, name) if shape else ("Force", name) if of_all else (*pattern, name))


def others(value):
    """What a field could be instead."""
    words = {word for group in WORDS for word in group if value in group} - {value} if isinstance(value, str) else set()
    if isinstance(value, bool):
        return [not value]
    if isinstance(value, (int, float)):
        return [value * 1.5 + 0.1, value * 0.5, value + 1, value + 3, 0.5, 0, 1, 2]
    if isinstance(value, dict) and "choices" in value:
        return [{"low": low, "high": low * 2 + 0.5, "choices": []} for low in (value["low"] * 0.5, value["low"] + 1.0, 0.1)]
    if isinstance(value, list) and value and not isinstance(value[0], str):
        return [[part * 1.5 + 0.3 for part in value], [part * 0.5 for part in value], [part + 0.01 * k for k, part in enumerate(value)]]
    if value is None:
        keys = [{"at": at, "value": 0.3 + at, "ease": "smooth", "slope": {"before": 0, "after": 0}, "band": 0.0} for at in (0.0, 1.0)]
        stops = [{"at": 0.0, "colour": [0.2, 0.5, 0.9]}]
        return [{"keys": keys}, {"stops": stops, "between": "linear"}, 0.2]
    return [*sorted(words), "", "hook", "another", "00000000000000f9", ["box"], ["ground"], []]


WORDS = tuple(
    group.split("|")
    for group in re.findall(
        r'"((?:[a-z- ]+\|)+[a-z- ]+)"', "".join((KIT / "pale_ember.c").read_text().replace('"\n    "', "").splitlines())
    )
)
SAYS_NOTHING = {"format", "version", "axes", "units.length", "units.time", "units.angle", "units.colour",
                "layers[].told", "layers[].life.more[].colours"}  # fmt: skip
"""What is told to people, what was measured, and that a lane on something else than the colour has none."""


@unittest.skipIf(shutil.which("cc") is None, "no C compiler")
class Kit(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.folder = Path(folder.name)
        cls.eddies = cls.folder / "eddies.f32"
        cls.eddies.write_bytes(eddies().tobytes())
        builds = [building(folder.name, "checked", *CHECKED), building(folder.name, "quick", "-O1")]
        cls.checked, cls.quick = cls.folder / "checked", cls.folder / "quick"
        cls.vectors = [json.loads(json.dumps(vector_of(example, drawing_of))) for example in examples()]
        if any(each.wait() for each in builds):
            raise RuntimeError("the player kit does not compile")

    def asked(self, questions, program=None):
        """What the kit answers to each."""
        lines = "".join(json.dumps(each) + "\n" for each in questions)
        done = subprocess.run([program or self.checked, self.eddies], input=lines, capture_output=True, text=True)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        return [json.loads(line) for line in done.stdout.splitlines()]

    def test_it_agrees_with_every_vector(self):
        self.assertGreaterEqual(len(self.vectors), 80)
        answers = self.asked([question(vector, None) for vector in self.vectors])
        for vector, answer in zip(self.vectors, answers, strict=True):
            self.assertTrue(any(vector["rows"]), vector["name"])
            self.assertEqual(
                vector.keys() & {"drawing", "about"}, answer.keys() & {"drawing", "about"} if "camera" in vector else {"about"}
            )
            first = next(iter(row for rows in answer["rows"] for row in rows))
            self.assertLessEqual({"copy", "life", "driven", "named"}, first[2].keys())
            self.assertEqual(faults_of(vector, answer), [], vector["name"])

    def test_no_field_leaves_every_vector_as_it_is(self):
        asked = [question(vector, None) for vector in self.vectors]
        before = self.asked(asked, self.quick)
        waiting: dict[str, list] = {}
        for i, each in enumerate(asked):
            for pattern, path in leaves(each["play"]):
                waiting.setdefault(pattern, []).append((i, path))
        for pattern in SAYS_NOTHING:
            waiting.pop(pattern, None)

        def value_at(i, path):
            value = asked[i]["play"]
            for name in path:
                value = value[name]
            return value

        for places in waiting.values():
            # Where it is what it seldom is, it says most.
            seen = Counter(json.dumps(value_at(*place)) for place in places)
            places.sort(key=lambda place, seen=seen: (seen[json.dumps(value_at(*place))], "camera" not in asked[place[0]]))
        self.assertGreater(len(waiting), 300)
        for tries in range(10):
            tried, of = [], []
            for pattern, places in waiting.items():
                for i, path in places[tries : tries + 1] if tries < 2 else places[: 4 * tries]:
                    *most, last = path
                    for other in others(value_at(i, path))[: 3 if tries < 2 else None]:
                        play = copy.deepcopy(asked[i]["play"])
                        inner = play
                        for name in most:
                            inner = inner[name]
                        inner[last] = other
                        tried.append(asked[i] | {"play": play})
                        of.append((pattern, i))
            moved = {
                pattern
                for (pattern, i), answer in zip(of, self.asked(tried, self.quick), strict=True)
                if "error" not in answer and answer != before[i]
            }
            waiting = {pattern: places for pattern, places in waiting.items() if pattern not in moved}
            if not waiting:
                break
        self.assertEqual(" ".join(sorted(waiting)), "")

    def test_a_fault_is_one_sentence_that_says_where(self):
        whole = self.vectors[0]["effect"]

        def with_(path, value):
            play = copy.deepcopy(whole)
            inner = play
            for name in path[:-1]:
                inner = inner[name]
            if value is Ellipsis:
                del inner[path[-1]]
            else:
                inner[path[-1]] = value
            return play

        for play, said in (
            (with_(("layers", 0, "outlet", "limit"), -1), "layers[0].outlet.limit: expected a number from 0 to 2e+06, found -1"),
            (with_(("layers", 0, "birth", "size"), ...), "layers[0].birth.size: expected a range, found nothing"),
            (with_(("layers", 0, "look", "blend"), "dim"), "layers[0].look.blend: expected one of additive|alpha|"),
            (with_(("layers", 0, "life", "opacity"), {"keys": []}), "layers[0].life.opacity: expected a curve with a key, found none"),
            (with_(("steps",), 1.5), "steps: expected a whole number, found a fraction"),
            (with_(("layers", 0, "rides_on"), "00000000000000ff"), "layers[0]: expected a layer of this effect in rides_on"),
            (with_(("format",), "another"), 'expected "format": "pale-ember hand-over", found another file'),
        ):
            (answer,) = self.asked([{"play": play, "ground": False, "moments": [0.1]}])
            self.assertTrue(answer["error"].startswith("effect.json: "), answer)
            self.assertIn(said, answer["error"])

    def test_mutated_effects_break_nothing(self):
        effects = []
        # What has run before it begins takes long, and shows no more.
        for i, vector in enumerate(
            [each for each in self.vectors if len(each["effect"]["layers"]) == 1 and not each["effect"]["warm"]][::9]
        ):
            effects.append(self.folder / f"{i}.json")
            effects[-1].write_text(json.dumps(vector["effect"], separators=(",", ":")))
        fire = self.folder / "fire.json"
        fire.write_text(json.dumps(runtime_form(handed(load(SMALL_FIRE)[0]))))
        halves = [
            subprocess.Popen(
                [self.checked, "7", str(k * CASES // 2), str(CASES // 2), *effects, fire], stdout=subprocess.PIPE, stderr=subprocess.PIPE
            )
            for k in range(2)
        ]
        for half in halves:
            out, said = half.communicate(timeout=400)
            self.assertEqual((half.returncode, said), (0, b""))
            cases, loaded, played = (int(number) for number in re.findall(rb"\d+", out)[:3])
            self.assertEqual(cases, CASES // 2)
            self.assertGreater(min(loaded, played), cases // 4)

    def test_it_compiles_without_a_word_and_keeps_nothing_of_its_own(self):
        part = self.folder / "pale_ember.o"
        subprocess.run(["cc", *STRICT, "-fno-pic", "-c", KIT / "pale_ember.c", "-o", part], check=True)
        listed = subprocess.run(["nm", part], capture_output=True, text=True, check=True).stdout
        self.assertEqual(re.findall(r" [bBdDC] (\w+)", listed), [])
        needs = set(re.findall(r" U (\w+)", listed))
        self.assertLessEqual(needs & {"fopen", "open", "time", "clock", "getenv", "rand", "printf", "fprintf"}, set())

    def test_the_first_hour_as_its_page_tells_it(self):
        page = (KIT / "README.md").read_text()
        program = re.search(r"```c\n(#include.*?)```", page, re.S)[1]
        self.assertLessEqual(program.count("\n"), 60)
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            self.assertEqual(pale("handover", SMALL_FIRE, "--out", folder / "fire", "--textures", "none").returncode, 0)
            (folder / "csv.c").write_text(program)
            for file in ("pale_ember.h", "pale_ember.c"):
                shutil.copy(KIT / file, folder)
            command = re.search(r"^ {4}(cc .*)$", page, re.M)[1]
            subprocess.run(command.split(), cwd=folder, check=True)
            done = subprocess.run(["./csv", "fire/effect.json"], cwd=folder, capture_output=True, text=True, check=True)
            head, *rows = done.stdout.splitlines()
            self.assertEqual(head, "time,layer,number,x,y,z,size,red,green,blue,opacity")
            self.assertGreater(len(rows), 100)
            self.assertTrue(all(len(row.split(",")) == 11 for row in rows))
