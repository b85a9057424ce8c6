"""All that the core works out, held beside what it worked out before: of the demo, of starting points, and of documents that chance
made. Where a change is meant, `PALE_KEEP_GOLDEN=1` keeps the new numbers, and the change is read line by line before it is kept."""

import dataclasses
import itertools
import json
import math
import os
import random
import unittest
import zlib
from collections import defaultdict
from pathlib import Path
from typing import get_args

import numpy as np
from msgspec.structs import replace

from pale_ember.core.effect import loop_gaps, trims
from pale_ember.core.effect.chapters import CHAPTERS
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.fields import Part, fields_of, kinds_of
from pale_ember.core.effect.model import Effect
from pale_ember.core.effect.reading import plain
from pale_ember.core.effect.recipe.recipe import Recipe
from pale_ember.core.effect.recipe.sources import Gas, Stroke
from pale_ember.core.effect.recipe.step import Step
from pale_ember.core.effect.stage import Prop, Stage
from pale_ember.core.effect.values import Curve, Key, fixed
from pale_ember.core.gas.sheets import simulated
from pale_ember.core.gas.starts import GASES
from pale_ember.core.geometry.mesh import SOLIDS, solid
from pale_ember.core.insight import birth_draws, chapter_summaries, close_up, cost_cuts, distances, effect_cost, layer_costs, thinning
from pale_ember.core.insight.checks.facts import Facts
from pale_ember.core.insight.checks.rules import checked, mended
from pale_ember.core.insight.particle_story import FollowedParticle, story_of, way_of
from pale_ember.core.insight.predicted_paths import gather
from pale_ember.core.insight.ray_casts import ray_hit
from pale_ember.core.insight.sentences import sentence
from pale_ember.core.reference.fit import MATCHES, Free, fitting, target_of
from pale_ember.core.reference.measures import apart, hue_of, measured
from pale_ember.core.reference.taking import curve_of, gradient_of, mean_colour
from pale_ember.core.simulate.fog_volume import fog_volume
from pale_ember.core.simulate.forecast import Forecast
from pale_ember.core.simulate.shade import reaching
from pale_ember.core.simulate.timeline import Timeline, built_in
from pale_ember.core.texture import advice, flow, heat, mips, outline, tones
from pale_ember.core.texture.library_recipes import cards
from pale_ember.core.texture.recipes.paint import Painter
from pale_ember.core.texture.recipes.strokes import tips
from pale_ember.core.variation.differing import differences
from pale_ember.core.variation.knobs import knobs_of
from pale_ember.core.variation.merging import merged
from pale_ember.core.variation.mix import mixed
from pale_ember.core.variation.vary import Choice, varied
from pale_ember.core.words.writing import story_told
from pale_ember.formats.document import load
from tests.core.known_documents import FEW, all_fields, documents, few, one_by_one, options_of
from tests.core.made_up import some
from tests.core.test_variation import drawn_as_disc
from tests.examples import SMALL_FIRE

KNOWN = Path(__file__).parent / "known"
NEAR = 2e-3
"""How far a number may be off, of its own size: what another processor adds up in another order stays within it."""
CARD = defaultdict(lambda: np.ones((64, 32, 4), np.float32))
COLUMNS = ("age", "life", "position", "velocity", "size", "angle", "colour", "frame", "travelled", "stand")


def of_array(array):
    """A few numbers that change with any of an array's, and with their order."""
    flat = np.asarray(array, np.float64).ravel()
    if not flat.size:
        return [0]
    weights = 1 + np.arange(flat.size) % 7 / 7
    low, high = flat.min(), flat.max()
    return [flat.size, *(float(f"{each:.6g}") for each in (flat.mean(), flat.std(), low, high, (flat * weights).mean()))]


def of_any(value):
    """A value as it is kept: numbers, texts and lists of them."""
    if isinstance(value, np.ndarray):
        return of_array(value)
    if isinstance(value, (bool, str)) or value is None:
        return value
    if isinstance(value, (int, float, np.number)):
        return float(f"{float(value):.6g}")
    if isinstance(value, dict):
        return {str(name): of_any(each) for name, each in value.items()}
    if isinstance(value, Part):
        return {name: of_any(getattr(value, name)) for name in value.__struct_fields__}
    if dataclasses.is_dataclass(value):
        return [of_any(getattr(value, each.name)) for each in dataclasses.fields(value)]
    if isinstance(value, (list, tuple)):
        return [of_any(each) for each in value]
    return str(value)


def off(was, now, scale=0.0):
    """Whether two kept values differ. scale : of the numbers beside them."""
    if isinstance(was, list) and isinstance(now, list) and len(was) == len(now):
        sizes = [abs(each) for each in was if isinstance(each, (int, float)) and math.isfinite(each)]
        return any(off(one, other, max(sizes, default=0.0)) for one, other in zip(was, now, strict=True))
    if isinstance(was, dict) and isinstance(now, dict) and was.keys() == now.keys():
        return any(off(was[name], now[name]) for name in was)
    if type(was) in (int, float) and type(now) in (int, float):
        near = was == now or abs(was - now) <= NEAR * max(abs(was), min(scale, 1.0)) + 1e-6
        return not near and not (math.isnan(was) and math.isnan(now))
    return was != now


def painted(frame):
    """(36, 64) how often the first particles of each layer cover a pixel, as discs over 8 by 4.5 m."""
    y, x = np.mgrid[0:36, 0:64]
    out = np.zeros((36, 64))
    for each in frame.layers:
        for place, size in itertools.islice(zip(each.position, each.size, strict=True), 8):
            out += np.hypot(x - 32 - 8 * place[0], y - 34 + 8 * place[1]) < max(4 * size[0], 0.7)
    return out


def card_of(name):
    """A picture of the library by its name, 32 pixels wide in each frame; None for any other."""
    card = cards().get(name.removeprefix("library:"))
    if card is None or card.recipe.gas is not None:
        return None
    return Painter(lambda name: np.ones((2, 2, 4), np.float32)).sheet(replace(card.recipe, size=32))


def in_short(texts):
    """Many lines as they are kept: how many, the first, and the sum of all."""
    lines = [str(each) for each in texts]
    return [len(lines), lines[:1], f"{zlib.crc32(chr(10).join(lines).encode()):08x}"]


class Known(unittest.TestCase):
    maxDiff = None

    def same(self, name, found):
        """Compares what is found, by its names, with what is kept; or keeps it."""
        file, found = KNOWN / f"{name}.json", {key: of_any(value) for key, value in found.items()}
        if os.environ.get("PALE_KEEP_GOLDEN"):
            lines = (f"{json.dumps(key)}: {json.dumps(value)}" for key, value in found.items())
            file.write_text("{\n" + ",\n".join(lines) + "\n}\n")
        kept = json.loads(file.read_text())
        self.assertEqual(kept.keys(), found.keys())
        apart = [key for key in kept if off(kept[key], found[key])]
        told = "".join(f"\n{key}\n  kept  {kept[key]}\n  now   {found[key]}" for key in apart[:3])
        self.assertEqual(apart, [], told[:3000])

    def test_moments(self):
        found = {}
        for name, effect in documents():
            timeline = Timeline(effect)
            for moment in (0.1, 0.45, 0.9):
                frame = timeline.frame(moment, between_steps=moment == 0.45)
                for each in frame.layers:
                    key = f"{name} {moment} {each.layer.name} {each.layer.id[-3:]} {each.copy}"
                    told = {column: getattr(each, column) for column in COLUMNS} | {"streaks": each.streaks()} | each.driven
                    found[key] = told | {"number": each.number % np.uint64(1021)}
                    far = each.seen_from(np.array([3.0, 1.5, 4.0]))
                    found[f"{key} seen"] = [far.size, far.colour, far.angle, far.frame, *far.driven.values()]
                    for strips in (each.strips, each.trail):
                        if strips is not None:
                            found[f"{key} {strips is each.trail} strips"] = strips
            for layer in effect.layers:
                key = f"{name} {layer.name} {layer.id[-3:]} over time"
                copies = timeline.copies(layer.id) if layer.offspring.rules else []
                events = [timeline.events(layer.id, copy, 0, 40) for copy in copies]
                columns = [[each[column] for column in each.dtype.names or ()] for each in events]
                found[key] = [timeline.alive(layer.id), timeline.births(layer.id), columns, timeline.loop_steps()]
        self.same("moments", found)

    def test_one_thing_at_a_time(self):
        found = {}
        for name, effect in one_by_one():
            timeline = Timeline(effect)
            told = []
            for moment in (0.4, 0.6):
                for each in timeline.frame(moment, between_steps=True).layers:
                    far = each.seen_from(np.array([2.0, 1.0, 3.0]))
                    columns = [getattr(far, column) for column in COLUMNS[:-1]] + list(far.driven.values())
                    strips = [far.strips.point, far.strips.width, far.strips.colour] if far.strips else []
                    told.append([of_array(column)[-2:] for column in (*columns, *strips)] + [each.count])
            found[name] = told
        self.same("one-by-one", found)

    def test_light_and_paths(self):
        found = {}
        for name, effect in few():
            timeline = Timeline(effect)
            frames = [timeline.frame(moment) for moment in (0.3, 0.6)]
            found[f"{name} close up"] = close_up.close_up(frames, 160, 90)
            for each in frames[-1].layers:
                if not each.count or each.copy > 1:
                    continue
                key, place = f"{name} {each.layer.name} {each.layer.id[-3:]} {each.copy}", each.position.astype(np.float64)
                thick, wide = np.linspace(0.2, 1.5, each.count), np.maximum(each.size[:, 0].astype(np.float64), 0.01)
                found[f"{key} shade"] = reaching(place, thick, wide, np.array([0.3, 0.9, 0.1]), np.array([1.0, 2.0, 0.5]))
                fog = fog_volume(each.position, each.size[:, :2], thick, each.colour[:, :3])
                found[f"{key} fog"] = fog and [fog.low, fog.cube, fog.cells.sum(axis=(0, 1, 2)) * fog.cube**3]
                found[f"{key} drawn"] = birth_draws.drawn_at_birth(effect, each.own or each.layer, each.number)
                row = each.count // 2
                found[f"{key} story"] = story_of(effect, each.layer, each, row)
                if each is frames[-1].layers[-1]:
                    age, life = float(each.age[row]), min(float(each.life[row]), 0.8)
                    found[f"{name} followed"] = way_of(timeline, FollowedParticle.of(each, row), 0.6, age, life)
            *_, paths = gather(effect, effect.layers[-1].id)
            found[f"{name} paths"] = [paths.births, paths.paths[:3], paths.touches, paths.normals]
        self.same("light", found)

    def test_references(self):
        found = {}
        for name, effect in few(6):
            timeline, moments = Timeline(effect), np.linspace(0.05, 1.0, 12)
            covers = [np.clip(painted(timeline.frame(moment)) / 3, 0, 1) for moment in moments.tolist()]
            frames = [
                np.round(np.dstack([60 + 190 * one, 40 + 120 * one, 30 + 20 * one * k / 12])).astype(np.uint8)
                for k, one in enumerate(covers)
            ]
            seen = measured(frames, moments, 1.0)
            found[name] = [
                vars_of(seen),
                seen.high,
                seen.wide,
                seen.lasts,
                seen.rhythm,
                gradient_of(seen),
                mean_colour(seen),
                hue_of(seen),
            ]
            found[f"{name} curves"] = [curve_of(seen, what) for what in ("brightness", "size")]
            found[f"{name} apart"] = apart(seen, measured(frames[::-1], moments, 1.0))
        effect = load(SMALL_FIRE)[0]
        layer, moments = effect.layers[1], np.linspace(0.3, 1.2, 6)
        free = [Free(layer.id, path) for path in (("birth", "speed"), ("birth", "size"), ("life", "opacity"), ("birth", "tint"))]
        target = target_of([drawn_as_disc(Timeline(effect).frame(at), "dark")[..., :3] for at in moments.tolist()], moments, 1.5)
        wrong = with_value(effect, ("layers", 1, "birth", "speed"), fixed(3.0))
        for match in MATCHES:
            trials = fitting(wrong, drawn_as_disc, target=target, free=free, matches=(match,), trials=9)
            found[f"fit {match}"] = [[one.off, one.said] for one in trials]
        self.same("references", found)

    def test_pictures(self):
        found = {}
        pictures = {name: np.linspace(0, 1, 20 * 20 * 4, dtype=np.float32).reshape(20, 20, 4) for name in ("library:soft dot",)}
        painter = Painter(lambda name: pictures["library:soft dot"])
        for name, card in cards().items():
            recipe = replace(card.recipe, size=24)
            if recipe.gas is None:
                found[name] = [painter.frame(recipe, k) for k in {0, recipe.frames // 2}]
        names = {"picture": ["library:soft dot"]}
        for kind, part in sorted(kinds_of(Step).items()):
            made = part()
            changed = [(path, option) for path, declared in all_fields(made) for option in options_of(declared, (kind, *path), names)]
            for path, option in [((), None), *changed] if part is not Gas else ():
                step = made if option is None else with_value(made, path, option)
                steps = replace(kinds_of(Step)["dot"](), radius=0.6), replace(step, on=True, key=1)
                recipe = Recipe(size=20, frames=3, loop=len(found) % 2 == 0, holds=("glow", "grey", "both")[len(found) % 3], steps=steps)
                found[f"{kind} {' '.join(path)} {option}"] = painter.frame(recipe, 1)
        found["tips"] = {kind: tips(kind) for kind in get_args(fields_of(Stroke)["tip"].type)}
        self.same("pictures", found)

    def test_gases(self):
        found, rng = {}, random.Random(78)
        for name, gas in GASES.items():
            for k, made in enumerate((gas, some(rng, Gas, {}, 0.6))):
                small = replace(made, grid=32, warm=0.1, span=0.4)
                sheet = simulated(small, 4, k == 1, 16)
                found[f"{name} {k}"] = vars_of(sheet) | {part: sheet.part(part) for part in ("motion", "normals", "depth", "light")}
        self.same("gases", found)

    def test_solids(self):
        found, rng = {name: vars_of(solid(name)) for name in SOLIDS}, np.random.default_rng(7)
        ways = rng.normal(size=(24, 3))
        for name in SOLIDS:
            there = Effect(stage=Stage(props=(Prop(name="step", shape="mesh", mesh=f"solid:{name}", turn=(10.0, 20.0, 5.0)),)))
            hits = [ray_hit(there, np.array([0.0, 0.4, 0.0]) - 3 * way, way, 0.0, built_in) for way in ways]
            found[f"{name} hit"] = [hit and [hit.place, hit.normal, hit.prop] for hit in hits]
        self.same("solids", found)

    def test_what_is_made_of_pictures(self):
        found = {}
        for name, card in cards().items():
            if card.recipe.gas is not None:
                continue
            sheet = card_of(name)
            columns = min(card.recipe.columns, card.recipe.frames)
            held = outline.held_by(sheet, columns, card.recipe.rows)
            corners = outline.outline(held, 6)
            found[name] = [
                advice.advise(sheet), advice.guess_grid(sheet), mips.mip_chain(sheet, 0.4)[1:4], mips.fitted(sheet, 20, 12),
                mips.bled(sheet), corners, outline.area_of(corners), flow.normals_of(sheet[None]),
            ]  # fmt: skip
            found[f"{name} flow"] = flow.vectors_of(np.stack([sheet[:32, :32], sheet[-32:, -32:], sheet[:32, -32:]]), loops=True)
        for kelvin in (900, 1900, 6500, 15000):
            found[f"{kelvin} K"] = [heat.black_body(kelvin), heat.cooling(kelvin, 800)]
        for tone in ("as it is", "filmic"):
            found[tone] = tones.toned(np.linspace(0, 6, 60).reshape(20, 3), tone)
        self.same("made-of-pictures", found)

    def test_words_and_checks(self):
        found = {}
        for name, effect in documents(range(10)):
            foreseen = Forecast(effect)
            rates = [[foreseen.peak(one), foreseen.steady(one), foreseen.most_births(one, 1.3)] for one in foreseen.effect.layers]
            found[f"{name} foreseen"] = [rates, foreseen.last_births(), foreseen.ends_at()]
            for layer in effect.layers:
                key = f"{name} {layer.name} {layer.id[-3:]}"
                found[key] = [sentence(chapter, effect, layer) for chapter in CHAPTERS]
                found[f"{key} brief"] = [brief(effect, layer) for brief in chapter_summaries.BRIEFS.values()]
                found[f"{key} told"] = in_short(story_told(effect, layer).splitlines())
                found[f"{key} knobs"] = in_short(f"{knob.path} {of_any(knob.value)}" for knob in knobs_of(layer))
        for name, effect in few(8):
            # Cut into frames that it has not.
            effect = with_value(effect, ("layers", 0, "look", "columns"), 3) if name in FEW else effect
            findings = checked(effect, Facts(effect, Timeline(effect), card_of))
            found[f"{name} found"] = [[each.rule, each.layer, ".".join(map(str, each.path)), each.said, each.grave] for each in findings]
            for key, mend in ((each.key, mend) for each in findings for mend in each.mends):
                found[f"{name} {key} {mend.name}"] = in_short(differences(effect, mended(effect, mend)))
        self.same("words", found)

    def test_costs(self):
        found = {}
        for name, effect in few(6):
            timeline = Timeline(effect)
            cost = effect_cost.cost_of(timeline)
            found[name] = [vars_of(cost), effect_cost.span_of(effect)]
            *_, spent = layer_costs.spending(timeline, lambda frame, camera: painted(frame), CARD.__getitem__)
            layers = [dataclasses.replace(each, seconds=0.0) for each in spent.layers.values()]
            found[f"{name} layers"] = [spent.moments, spent.alive, spent.painted, layers, spent.worst]
            textures = {"soot": 30 << 20, "glow": 9 << 20}
            targets = effect_cost.TARGETS.items()
            found[f"{name} over"] = {target: effect_cost.over_budget(effect, cost, textures, budget) for target, budget in targets}
            for cut in cost_cuts.cuts(effect, spent):
                told = in_short(differences(effect, cut.mend.change(effect)))
                found[f"{name} {cut.layer} {cut.mend.name}"] = [cut.saves, cut.gain, told]
            found[f"{name} bakes"] = cost_cuts.bakes(effect, spent)
        self.same("costs", found)

    def test_changes(self):
        found = {}
        rng = np.random.default_rng(9)
        all_of = dict(few(14))
        for (name, effect), other in zip(all_of.items(), [*list(all_of.values())[1:], Effect()], strict=True):
            ids = [layer.id for layer in effect.layers]

            def told(changed, effect=effect):
                return [len(differences(effect, changed)), f"{zlib.crc32(json.dumps(of_any(plain(changed))).encode()):08x}"]

            for trim in trims.TRIMS:
                found[f"{name} {trim}"] = told(trims.trimmed(effect, trim, 1.4, ids[:2]))
            for far in (0.1, 0.9):
                changed = varied(effect, Choice(), far, rng)
                found[f"{name} varied {far}"] = told(changed)
                between, said = mixed(effect, changed, 0.3)
                found[f"{name} mixed {far}"] = [told(between), said]
            banded = Curve(keys=(Key(at=0.0, value=0.2), Key(at=0.3, value=1.0, band=0.2), Key(at=1.0, value=0.4)))
            bent = with_value(effect, ("layers", 0, "life", "size"), banded)
            found[f"{name} bent"] = [told(mixed(effect, bent, 0.4)[0]), told(mixed(bent, changed, 0.6)[0])]
            mine, theirs = (varied(effect, Choice(), 0.2, rng) for _ in range(2))
            whole, conflicts = merged(effect, mine, theirs)
            found[f"{name} merged"] = [told(whole), [f"{each.layer} {each.field}" for each in conflicts]]
            found[f"{name} fewer"] = told(thinning.with_fewer(effect, ids, 0.6, 0.8))
            found[f"{name} far"] = told(distances.farther(effect, distances.step_at(effect, 30.0)))
            found[f"{name} gaps"] = [
                [
                    loop_gaps.longest_wait(effect, layer),
                    told(with_value(effect, ("layers", k), loop_gaps.with_lives_matched(effect, layer))),
                ]
                for k, layer in enumerate(effect.layers)
            ]
            found[f"{name} other"] = told(other)
        self.same("changes", found)


def vars_of(thing):
    """The parts of a record, by name."""
    names = getattr(thing, "_fields", None) or [each.name for each in dataclasses.fields(thing)]
    return {name: getattr(thing, name) for name in names}


if __name__ == "__main__":
    unittest.main()
