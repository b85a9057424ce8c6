"""Every rule: a small effect that has its fault is found out, there and nowhere else, and each mend makes it gone."""

import pickle
import unittest
from unittest import mock

import cloudpickle
import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect.chapters import Birth, Burst, Contact, Forces, Life, Look, Offspring, Outlet
from pale_ember.core.effect.events import Cue
from pale_ember.core.effect.forces import Gust, QuadraticDrag
from pale_ember.core.effect.life import Lane
from pale_ember.core.effect.model import Camera, Credit, Effect, Layer, Pose, Stage
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.stage import Anchor, Lamp, Prop, Sun
from pale_ember.core.effect.strips import Beam, Ribbon
from pale_ember.core.effect.surface import Dissolve, Light, Surface
from pale_ember.core.effect.tree import with_new_child, with_offspring
from pale_ember.core.effect.values import Range, Tints, between, curve, fixed, gradient
from pale_ember.core.insight.checks import births
from pale_ember.core.insight.checks.facts import Facts, GameFacts
from pale_ember.core.insight.checks.rules import RULES, checked, left_alone, mended, name_of, with_left, without_left
from pale_ember.core.simulate.timeline import Timeline

WET = Stage(paving="setts", wet=0.5, sun=Sun(power=0.0, sky=0.05))
GREY = gradient((0.0, (0.0, 0.0, 0.0)), (1.0, (1.0, 1.0, 1.0)))
ONE, TWO = "00000000000000aa", "00000000000000bb"
ALWAYS = curve((0, 1), (1, 1))


def soft_dot():
    y, x = np.mgrid[-1:1:32j, -1:1:32j]
    cover = np.clip(1 - np.hypot(x, y), 0, 1)
    return np.dstack([np.ones((32, 32, 3)), cover]).astype(np.float32)


def square():
    return np.ones((32, 32, 4), np.float32)


def grey_ground():
    dot = soft_dot()
    light = 0.004 + 0.996 * dot[..., 3:] ** 2
    return np.concatenate([np.repeat(light, 3, axis=2), np.ones((32, 32, 1), np.float32)], axis=2).astype(np.float32)


def multiplied():
    dot = np.clip(1.6 * soft_dot(), 0, 1)
    return np.concatenate([dot[..., 3:] * np.ones(3, np.float32), dot[..., 3:]], axis=2).astype(np.float32)


def lying():
    """A picture that is not the same when it is turned."""
    dot = soft_dot()
    dot[..., 3] *= np.linspace(0, 1, 32)[:, None] ** 2
    return dot


def reddish():
    dot = soft_dot()
    dot[..., 1:3] = 0.1
    return dot


def sheet():
    return np.tile(soft_dot(), (4, 4, 1))


PICTURES = {
    "library:soft dot": soft_dot(), "library:clouds": soft_dot(), "square.png": square(), "grey.png": grey_ground(),
    "multiplied.png": multiplied(), "lying.png": lying(), "red.png": reddish(), "sheet.png": sheet(),
    "recipe:large": np.kron(soft_dot(), np.ones((32, 32, 1), np.float32)),
}  # fmt: skip
OURS = tuple(Credit(file=name, author="A. Quay", licence="own work") for name in PICTURES)


def steam(**parts):
    """A layer with nothing wrong."""
    given = {
        "id": ONE,
        "name": "steam",
        "place": (0.0, 0.5, 0.0),
        "outlet": Outlet(rate=fixed(20.0)),
        "birth": Birth(lifetime=between(0.8, 1.2), speed=between(0.4, 0.6), size=between(0.2, 0.4)),
    }
    return Layer(**(given | parts))


def quay(*layers, **fields):
    return Effect(**({"name": "steam", "duration": 2.0, "warm": True, "layers": layers or (steam(),), "credits": OURS} | fields))


def birth(**parts):
    return replace(steam().birth, **parts)


def other(**parts):
    return steam(**({"id": TWO, "name": "soot", "place": (0.4, 0.5, 0.0)} | parts))


DRIPS = {"outlet": Outlet(rate=fixed(20.0), axis=(0, -1, 0)), "forces": Forces(gravity=(0, -9.8, 0)), "place": (0.0, 1.0, 0.0)}
FED = Outlet(rate=fixed(0.0), shape="point")

FAULTS = {
    "births refused": quay(steam(outlet=Outlet(rate=fixed(60.0), limit=10))),
    "loose limit": quay(steam(outlet=Outlet(rate=fixed(20.0), limit=9000))),
    "nothing is born": quay(steam(outlet=Outlet(rate=fixed(0.0)))),
    "born too late": quay(steam(), other(outlet=Outlet(rate=fixed(20.0), start=2.5))),
    "much memory": quay(
        steam(
            outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(7000)),), limit=7500),
            birth=birth(lifetime=fixed(1.9), size=between(0.05, 0.1)),
        )
    ),
    "dark gap": quay(steam(outlet=Outlet(rate=fixed(30.0), span=0.3))),
    "begins empty": quay(warm=False),
    "jumps at the loop": quay(steam(keys=(Pose(at=0.0), Pose(at=2.0, place=(0.5, 0.0, 0.0))))),
    "leaps at the loop": quay(
        steam(life=Life(more=(Lane(drives="brightness", over="effect time", high=2.0, curve=curve((0, 1), (1, 0.6))),)))
    ),
    "outlasts its time": quay(
        steam(birth=birth(lifetime=between(6.0, 8.0), speed=between(0.04, 0.06))), loop=False, warm=False, duration=1.0
    ),
    "out of sight": quay(steam(place=(80.0, 0.5, 0.0)), stage=Stage(cameras=(Camera(),))),
    "under the ground": quay(steam(place=(0.0, -3.0, 0.0)), stage=Stage(cameras=(Camera(target=(0.0, -2.0, 0.0)),))),
    "cut by the ground": quay(steam(place=(0.0, 0.0, 0.0), birth=birth(speed=fixed(0.01), size=between(0.3, 0.5)), look=Look(soft=0.0))),
    "flickers on a surface": quay(steam(place=(0.0, 0.0, 0.0), birth=birth(speed=fixed(0.0)), look=Look(facing="flat"))),
    "touches nothing": quay(steam(contact=Contact(meets="bounce"))),
    "lost names": quay(steam(look=Look(drawn_as="beam", beam=Beam(start="mast")))),
    "set but idle": quay(steam(look=Look(fps=30.0))),
    "range inverted": quay(steam(birth=birth(brightness=Range(low=2.0, high=1.0)))),
    "speed without motion": quay(steam(outlet=Outlet(rate=fixed(20.0), anew=True))),
    "wind without drag": quay(steam(forces=Forces(wind=(2.0, 0.0, 0.0)))),
    "rule without a child": quay(steam(offspring=Offspring(rules=(Rule(when="born", layer=TWO),))), other(shown=False, outlet=FED)),
    "cap that always binds": quay(
        steam(offspring=Offspring(rules=(Rule(when="by time", interval=0.05, most_per_parent=2, layer=TWO, count=fixed(1)),))),
        other(outlet=FED),
    ),
    "too many children": quay(
        steam(outlet=Outlet(rate=fixed(5.0)), offspring=Offspring(rules=(Rule(when="born", layer=TWO, count=fixed(200)),))),
        other(outlet=FED, birth=birth(size=between(0.01, 0.02))),
    ),
    "pops": quay(steam(life=Life(opacity=ALWAYS))),
    "all the same": quay(steam(birth=birth(size=fixed(0.3)), look=Look(picture="lying.png"))),
    "too thin": quay(steam(birth=birth(size=fixed(0.002)))),
    "layers alike": quay(steam(), steam(id=TWO, name="steam 2")),
    "wrong order": quay(
        steam(birth=birth(tint=Tints(first=(0.01, 0.01, 0.01), second=(1.0, 1.0, 1.0))), look=Look(blend="alpha", stacking="as born"))
    ),
    "dark over bright": quay(
        steam(birth=birth(brightness=fixed(4.0))),
        steam(
            id=TWO, birth=birth(tint=Tints(first=(0.06, 0.06, 0.06), second=(0.07, 0.07, 0.07))), look=Look(blend="alpha"), name="soot"
        ),
    ),
    "light without a use": quay(steam(look=Look(blend="alpha", light=Light(lit=1.0))), stage=Stage(sun=Sun(power=0.0, sky=0.0))),
    "dissolves nothing": quay(steam(look=Look(dissolve=Dissolve(picture="library:clouds")))),
    "no vectors": quay(steam(look=Look(picture="sheet.png", columns=4, rows=4, between="along vectors"))),
    "blend fights picture": quay(steam(look=Look(picture="square.png", blend="alpha"))),
    "grid cuts frames": quay(steam(look=Look(picture="sheet.png", columns=3, rows=3))),
    "picture size": quay(steam(look=Look(picture="recipe:large")), recipes=(Recipe(name="large", size=1024),)),
    "names": quay(cues=(Cue(name="9 bells", what="other", at=0.5),)),
    "unknown to the game": quay(cues=(Cue(name="bell", what="sound", sound="quay_bel", at=0.5),)),
    "missed in the game": quay(steam(stands_on="crane"), stage=Stage(props=(Prop(name="crane", size=(0.1, 0.1, 0.1)),))),
    "lit by lamps alone": quay(
        steam(look=Look(blend="alpha", light=Light(lit=1.0))), stage=Stage(sun=Sun(power=0.0, sky=0.02), lamps=(Lamp(),))
    ),
    "beyond every target": quay(
        steam(outlet=Outlet(rate=fixed(9000.0), limit=20000), birth=birth(size=between(0.02, 0.04)), life=Life())
    ),
    "burnt out": quay(steam(birth=birth(brightness=fixed(40.0), tint=Tints(first=(1.0, 0.3, 0.1), second=(1.0, 0.3, 0.1))))),
    "lost on the background": quay(steam(birth=birth(brightness=fixed(0.04)))),
    "files": quay(steam(look=Look(picture="lying.png")), credits=()),
    "wet without light": quay(steam(look=Look(blend="alpha")), stage=WET),
    "ramp over colours": quay(steam(look=Look(picture="red.png", surface=Surface(ramp=GREY)))),
    "trail without length": quay(steam(look=Look(trail=True, ribbon=Ribbon(length=0.0)))),
}
"""By rule an effect that has its fault and no other."""


SHEET = {"picture": "sheet.png", "columns": 4, "rows": 4}
NEARLY = {
    "births refused": quay(steam(outlet=Outlet(rate=fixed(60.0), limit=70))),
    "loose limit": quay(steam(outlet=Outlet(rate=fixed(20.0), limit=150))),
    "nothing is born": quay(steam(outlet=Outlet(rate=fixed(0.5)))),
    "born too late": quay(steam(), other(outlet=Outlet(rate=fixed(20.0), start=1.9))),
    "much memory": quay(steam(outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(7000)),), limit=7500))),
    "dark gap": quay(steam(outlet=Outlet(rate=fixed(30.0), span=1.4))),
    "begins empty": quay(steam(birth=birth(lifetime=between(0.3, 0.49))), warm=False),
    "jumps at the loop": quay(steam(keys=(Pose(at=0.0), Pose(at=1.0, place=(0.5, 0.0, 0.0)), Pose(at=2.0, place=(0.005, 0.0, 0.0))))),
    "leaps at the loop": quay(
        steam(life=Life(more=(Lane(drives="brightness", over="effect time", high=2.0, curve=curve((0, 1), (0.5, 0.2), (1, 0.96))),)))
    ),
    "outlasts its time": quay(steam(birth=birth(lifetime=between(0.7, 0.95))), loop=False, warm=False, duration=1.0),
    "out of sight": quay(steam(place=(2.0, 0.5, 0.0)), stage=Stage(cameras=(Camera(),))),
    "under the ground": quay(steam(place=(0.0, -0.05, 0.0)), stage=Stage(cameras=(Camera(),))),
    "cut by the ground": quay(steam(place=(0.0, 0.0, 0.0), birth=birth(speed=fixed(0.01), size=between(0.3, 0.5)), look=Look(soft=0.3))),
    "flickers on a surface": quay(steam(place=(0.0, 0.05, 0.0), birth=birth(speed=fixed(0.0)), look=Look(facing="flat"))),
    "touches nothing": quay(steam(**DRIPS, contact=Contact(meets="bounce"))),
    "lost names": quay(
        steam(look=Look(drawn_as="beam", beam=Beam(start="mast"))), stage=Stage(anchors=(Anchor(name="mast", place=(0.0, 2.0, 0.0)),))
    ),
    "set but idle": quay(steam(look=Look(**SHEET, play="by clock", fps=30.0))),
    "range inverted": quay(steam(birth=birth(brightness=Range(low=1.0, high=1.0)))),
    "speed without motion": quay(steam(outlet=Outlet(rate=fixed(20.0), anew=True), birth=birth(speed=fixed(0.0)))),
    "wind without drag": quay(steam(forces=Forces(wind=(2.0, 0.0, 0.0), drag=0.1))),
    "rule without a child": quay(steam(offspring=Offspring(rules=(Rule(when="born", layer=TWO),))), other(outlet=FED)),
    "cap that always binds": quay(
        steam(offspring=Offspring(rules=(Rule(when="by time", interval=0.5, most_per_parent=2, layer=TWO, count=fixed(1)),))),
        other(outlet=FED),
    ),
    "too many children": quay(
        steam(outlet=Outlet(rate=fixed(5.0)), offspring=Offspring(rules=(Rule(when="born", layer=TWO, count=fixed(20)),))),
        other(outlet=FED),
    ),
    "pops": quay(steam(life=Life(opacity=curve((0, 1), (1, 0.05))))),
    "all the same": quay(steam(birth=birth(size=between(0.25, 0.35)), look=Look(picture="lying.png"))),
    "too thin": quay(steam(birth=birth(size=fixed(0.02)))),
    "layers alike": quay(steam(), steam(id=TWO, name="steam 2", birth=birth(lifetime=between(0.5, 0.7)))),
    "wrong order": quay(steam(birth=birth(tint=Tints(first=(0.01, 0.01, 0.01), second=(1.0, 1.0, 1.0))), look=Look(blend="alpha"))),
    "dark over bright": quay(
        steam(birth=birth(brightness=fixed(4.0)), look=Look(order=1)),
        other(birth=birth(brightness=fixed(0.07)), look=Look(blend="alpha")),
    ),
    "light without a use": quay(steam(look=Look(blend="alpha", light=Light(lit=1.0))), stage=Stage(sun=Sun(power=0.0, sky=0.2))),
    "dissolves nothing": quay(steam(look=Look(dissolve=Dissolve(picture="library:clouds", amount=0.3)))),
    "no vectors": quay(steam(look=Look(**SHEET, between="along vectors", vectors="sheet.png"))),
    "blend fights picture": quay(steam(look=Look(picture="lying.png", blend="alpha"))),
    "grid cuts frames": quay(steam(look=Look(**SHEET))),
    "picture size": quay(steam(look=Look(picture="recipe:large")), recipes=(Recipe(name="large", size=128),)),
    "names": quay(cues=(Cue(name="nine_bells", what="other", at=0.5),)),
    "unknown to the game": quay(cues=(Cue(name="bell", what="sound", sound="quay_bell", at=0.5),)),
    "missed in the game": quay(steam(stands_on="mast"), stage=Stage(anchors=(Anchor(name="mast"),))),
    "lit by lamps alone": quay(
        steam(look=Look(blend="alpha", light=Light(lit=1.0))), stage=Stage(sun=Sun(power=0.0, sky=0.2), lamps=(Lamp(),))
    ),
    "beyond every target": quay(
        steam(outlet=Outlet(rate=fixed(7000.0), limit=20000), birth=birth(size=between(0.02, 0.04)), life=Life())
    ),
    "burnt out": quay(steam(birth=birth(brightness=fixed(20.0), tint=Tints(first=(1.0, 0.3, 0.1), second=(1.0, 0.3, 0.1))))),
    "lost on the background": quay(steam(birth=birth(brightness=fixed(0.1)))),
    "files": quay(steam(look=Look(picture="lying.png"))),
    "wet without light": quay(stage=WET),
    "ramp over colours": quay(steam(look=Look(surface=Surface(ramp=GREY)))),
    "trail without length": quay(steam(look=Look(trail=True, ribbon=Ribbon(length=0.05)))),
}
"""By rule an effect that just has not its fault."""


def drawn(frame):
    """Stands in for a renderer: particles are white where they are bright, and as the stage where they are dark."""
    stage = frame.effect.stage
    ground = 220 if stage.background == "light" else 40
    picture = np.full((90, 160, 4), ground, np.uint8)
    for each in frame.layers:
        bright = float(each.colour[:, :3].max(initial=0))
        if bright > 30 and stage.tone != "hue kept":
            picture[20:60, 20:60, :3] = 255
        elif each.count and (bright > 0.05 or ground > 100):
            picture[20:60, 20:60] = 120
    return picture


def known_of(effect, pictures=drawn):
    def size(name):
        recipe = next((each for each in effect.recipes if name == f"recipe:{each.name}"), None)
        return PICTURES.get(name) if recipe is None or recipe.size == 1024 else PICTURES[name][: recipe.size, : recipe.size]

    return Facts(effect, Timeline(effect), size, pictures, game=GameFacts(events=("quay_bell", "crane_stop")))


def rules_of(effect):
    return {finding.rule for finding in checked(effect, known_of(effect))}


class Rules(unittest.TestCase):
    def test_every_rule_is_tried_here(self):
        elsewhere = {"too many places"}
        self.assertEqual(set(FAULTS) | elsewhere, {name_of(rule) for rule in RULES})
        self.assertEqual(set(NEARLY), set(FAULTS))

    def test_nothing_is_found_where_nothing_is_wrong(self):
        self.assertEqual([finding.said for finding in checked(quay(), known_of(quay()))], [])
        falls = quay(steam(**DRIPS, contact=Contact(meets="bounce")))
        self.assertEqual(rules_of(falls), set())

    def test_each_fault_is_found_there_and_nowhere_else_and_each_mend_makes_it_gone(self):
        for rule, effect in FAULTS.items():
            much = 2**20 if rule == "much memory" else births.MUCH
            with self.subTest(rule), mock.patch.object(births, "MUCH", much):
                told = cloudpickle.dumps(checked(effect, known_of(effect)))
                # It goes from one process to another: mends take with them what they need, and no more.
                self.assertLess(len(told), 60_000)
                found = pickle.loads(told)
                self.assertEqual({finding.rule for finding in found}, {rule}, [finding.said for finding in found])
                for finding in found:
                    self.assertRegex(finding.said, r"^[a-z0-9].*[^.]$")
                    if finding.layer:
                        self.assertIn(finding.layer, (ONE, TWO))
                self.assertTrue(any(finding.mends for finding in found))
                for finding in found:
                    for mend in finding.mends:
                        after = mended(effect, mend)
                        self.assertNotEqual(after, effect)
                        left = [each for each in checked(after, known_of(after)) if each.key == finding.key]
                        self.assertEqual([each.said for each in left], [], mend.name)

    def test_what_just_has_not_a_fault_is_let_alone(self):
        for rule, effect in NEARLY.items():
            much = 6 * 2**20 if rule == "much memory" else births.MUCH
            with self.subTest(rule), mock.patch.object(births, "MUCH", much):
                said = [finding.said for finding in checked(effect, known_of(effect)) if finding.rule == rule]
                self.assertEqual(said, [])

    def test_what_is_left_as_it_is_is_kept_with_its_reason(self):
        effect = FAULTS["pops"]
        finding = checked(effect, known_of(effect))[0]
        kept = with_left(effect, finding, "it is a flash")
        self.assertEqual(left_alone(kept, finding).reason, "it is a flash")
        self.assertEqual(rules_of(kept), {"pops"}, "it is found all the same")
        self.assertIsNone(left_alone(without_left(kept, finding), finding))

    def test_a_raised_limit_has_room_for_all_and_little_more(self):
        effect = FAULTS["births refused"]
        finding = checked(effect, known_of(effect))[0]
        raised = mended(effect, finding.mends[0])
        timeline = Timeline(raised)
        while not timeline.explore(10_000):
            pass
        most, limit = int(timeline.alive(ONE).max()), raised.layers[0].outlet.limit
        self.assertLess(most, limit)
        self.assertLess(limit, 1.5 * most)


class Anew(unittest.TestCase):
    """Checks after an edit find what they find at once."""

    def test_what_is_kept_from_one_check_to_the_next_changes_no_finding(self):
        memo, timeline = {}, Timeline(FAULTS["lost on the background"])
        for effect in (*FAULTS.values(), *NEARLY.values()):
            timeline.update(effect)
            known = known_of(effect)
            kept = Facts(effect, timeline, known._picture, drawn, memo=memo, game=known.game)
            told = [[(each.key, each.said) for each in checked(effect, some)] for some in (known, kept)]
            self.assertEqual(told[0], told[1])

    def test_what_is_drawn_is_drawn_anew_when_its_recipe_or_stage_is_another(self):
        pictures, memo = [], {}

        def counted(frame):
            pictures.append(frame)
            return drawn(frame)

        effect = quay(steam(look=Look(picture="recipe:large")), recipes=(Recipe(name="large", size=128),))
        timeline = Timeline(effect)
        counts = []
        for other in (
            effect,
            effect,
            replace(effect, recipes=(Recipe(name="large", size=64),)),
            replace(effect, stage=Stage(exposure=1.0)),
        ):
            timeline.update(other)
            checked(other, Facts(other, timeline, known_of(other)._picture, counted, memo=memo))
            counts.append(len(pictures))
        self.assertEqual(counts[0], counts[1])
        self.assertLess(counts[1], counts[2])
        self.assertLess(counts[2], counts[3])


class More(unittest.TestCase):
    """Further faults that a rule knows."""

    def found(self, effect, rule):
        said = [finding.said for finding in checked(effect, known_of(effect)) if finding.rule == rule]
        self.assertEqual(len(said), 1, said)
        return said[0]

    def test_of_strikes(self):
        when = Offspring(rules=(Rule(key=1, when="branches", layer=TWO, count=fixed(2)),))
        plain = quay(steam(offspring=when), other(outlet=FED))
        self.assertIn("no beam with kinks", self.found(plain, "rule without a child"))
        (finding,) = [each for each in checked(plain, known_of(plain)) if each.rule == "rule without a child"]
        bare = finding.mends[0].change(plain)
        self.assertIn("it has none", self.found(bare, "rule without a child"))
        (finding,) = [each for each in checked(bare, known_of(bare)) if each.rule == "rule without a child"]
        struck = finding.mends[0].change(bare)
        self.assertNotIn("rule without a child", [each.rule for each in checked(struck, known_of(struck))])

    def test_a_new_child_has_nothing_set_that_has_no_effect(self):
        round_one = steam(outlet=Outlet(rate=fixed(20.0), shape="disc", radius=0.9, fill=0.3))
        effect, child = with_new_child(quay(steam()), (round_one,))
        made = with_offspring(effect, ONE, child, "born")
        self.assertNotIn("set but idle", [each.rule for each in checked(made, known_of(made))])

    def test_of_wind_and_what_it_is_felt_through(self):
        for drag, found in ((QuadraticDrag(on=False), True), (QuadraticDrag(), False), (Gust(), True)):
            effect = quay(steam(forces=Forces(wind=(1.0, 0.0, 0.0), more=(drag,))))
            said = [finding.said for finding in checked(effect, known_of(effect)) if finding.rule == "wind without drag"]
            self.assertEqual(bool(said), found, drag)
        self.assertTrue(said[0].startswith("wind and gust is felt"), said)

    def test_a_dark_gap_begins_when_the_last_is_gone(self):
        effect = FAULTS["dark gap"]
        (finding,) = [each for each in checked(effect, known_of(effect)) if each.rule == "dark gap"]
        told = mended(effect, finding.mends[0]).duration
        line, loops = Timeline(effect), 2
        alive = [k / 100 for k in range(200) if line.frame(loops * effect.duration + k / 100).alive]
        # The last fade out before they end.
        self.assertAlmostEqual(told, max(alive), delta=0.1)

    def test_a_lamp_that_is_out_lights_nothing(self):
        lit = steam(look=Look(blend="alpha", light=Light(lit=1.0)))
        for power, found in ((0.0, False), (0.5, True)):
            effect = quay(lit, stage=Stage(sun=Sun(power=0.0, sky=0.02), lamps=(Lamp(power=power),)))
            self.assertEqual("lit by lamps alone" in [each.rule for each in checked(effect, known_of(effect))], found)

    def test_of_births(self):
        self.assertIn("limit of 0", self.found(quay(steam(outlet=Outlet(limit=0))), "nothing is born"))
        self.assertIn("never seen", self.found(quay(steam(birth=birth(lifetime=fixed(0.0)))), "nothing is born"))
        self.assertIn("does not move", self.found(quay(steam(outlet=Outlet(rate=fixed(0.0), per_metre=5.0))), "nothing is born"))
        late = steam(outlet=Outlet(rate=fixed(20.0), bursts=(Burst(count=fixed(4), first_at=3.0),)))
        self.assertIn("burst is at 3 s", self.found(quay(late), "born too late"))

    def test_of_looks_and_pictures(self):
        lane = Lane(drives="dissolve", curve=curve((0, 0), (1, 1)))
        driven = quay(steam(life=Life(more=(lane,))))
        self.assertIn("no dissolve picture", self.found(driven, "dissolves nothing"))
        self.assertIn("grey veil", self.found(quay(steam(look=Look(picture="grey.png"))), "blend fights picture"))
        halo = quay(steam(look=Look(picture="multiplied.png", blend="alpha")))
        self.assertIn("dark halo", self.found(halo, "blend fights picture"))
        self.assertIn(
            "nothing that it falls on",
            self.found(quay(steam(look=Look(light=Light(casts=2.0))), stage=Stage(ground=False)), "light without a use"),
        )
        odd = quay(steam(look=Look(picture="sheet.png", columns=5, rows=4)))
        self.assertIn("cannot be cut into 5 × 4", self.found(odd, "grid cuts frames"))

    def test_of_names_and_files(self):
        self.assertIn("two layers", self.found(quay(steam(), other(name="steam")), "names"))
        self.assertIn("no cue", self.found(quay(steam(outlet=Outlet(rate=fixed(20.0), on_cue="bell"))), "names"))
        astray = quay(steam(contact=Contact(meets="bounce", surfaces=("ground", "kerb"))))
        self.assertNotIn("missed in the game", [finding.rule for finding in checked(astray, known_of(astray))])
        effect = quay(steam(look=Look(picture="gone.png")), credits=())
        known = Facts(effect, Timeline(effect), lambda name: None, None, lambda: {"gone.png": "gone.png: it is not there"})
        self.assertEqual([finding.said for finding in checked(effect, known)], ["gone.png: it is not there"])


if __name__ == "__main__":
    unittest.main()
