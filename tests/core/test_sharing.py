"""Parts that layers have in common: edited in one, changed in all, and broken off again."""

import unittest

from msgspec.structs import replace

from pale_ember.core.effect import edit
from pale_ember.core.effect.chapters import Forces, Offspring
from pale_ember.core.effect.edit import with_value
from pale_ember.core.effect.forces import Push
from pale_ember.core.effect.offspring import Rule
from pale_ember.core.effect.sharing import kept_shared, share_at, sharers, with_own, with_shared, without_share
from pale_ember.core.effect.values import curve, fixed
from tests.examples import Birth, Life, drip, effect

A, B, C = (
    drip(id=f"00000000000000{letter * 2}", name=letter, birth=Birth(size=fixed(size)))
    for letter, size in (("a", 1.0), ("b", 2.0), ("c", 3.0))
)


def edited(made, place, *path, value):
    return kept_shared(made, with_value(made, ("layers", place, *path), value))


class Sharing(unittest.TestCase):
    def test_an_edit_in_one_changes_all_that_share_and_no_other(self):
        made = with_shared(with_shared(effect(A, B, C), A.id, B.id, ("birth",)), A.id, C.id, ("birth", "tint"))
        self.assertEqual([layer.birth.size.low for layer in made.layers], [1.0, 1.0, 3.0])
        self.assertEqual([other.name for other in sharers(made, made.layers[1], ("birth",))], ["a"])
        for place in (0, 1):
            after = edited(made, place, "birth", "speed", value=fixed(7.0))
            self.assertEqual([layer.birth.speed.low for layer in after.layers], [7.0, 7.0, C.birth.speed.low])
        tinted = edited(made, 2, "birth", "tint", value=replace(C.birth.tint, first=(0.1, 0.2, 0.3)))
        self.assertEqual(tinted.layers[0].birth.tint, tinted.layers[2].birth.tint)
        self.assertIs(edited(made, 2, "name", value="other").layers[0], made.layers[0])

    def test_single_fields_may_be_ones_own_and_a_share_is_broken(self):
        made = with_shared(effect(A, B), A.id, B.id, ("birth",))
        own = replace(made, layers=(made.layers[0], with_own(made.layers[1], ("birth",), "size", own=True)))
        sized = edited(own, 1, "birth", "size", value=fixed(9.0))
        self.assertEqual([layer.birth.size.low for layer in sized.layers], [1.0, 9.0])
        quick = edited(sized, 0, "birth", "speed", value=fixed(4.0))
        self.assertEqual([(layer.birth.size.low, layer.birth.speed.low) for layer in quick.layers], [(1.0, 4.0), (9.0, 4.0)])
        alone = without_share(quick, A.id, ("birth",))
        self.assertTrue(all(not layer.shares for layer in alone.layers))
        self.assertEqual(edited(alone, 0, "birth", "speed", value=fixed(1.0)).layers[1].birth.speed, fixed(4.0))

    def test_lanes_that_are_missing_are_shared_too_and_copies_are_independent(self):
        laned = replace(B, life=Life(size=curve((0, 0), (1, 1)), opacity=None))
        made = with_shared(effect(A, laned), laned.id, A.id, ("life", "size"))
        self.assertEqual(made.layers[0].life.size, laned.life.size)
        gone = edited(made, 0, "life", "size", value=None)
        self.assertIsNone(gone.layers[1].life.size)
        twice, identity = edit.duplicated(made, A.id)
        self.assertEqual(edit.layer_of(twice, identity).shares, ())
        self.assertIsNotNone(share_at(made.layers[0], ("life", "size")))

    def test_of_three_that_share_one_leaves_and_two_go_on(self):
        made = with_shared(with_shared(effect(A, B, C), A.id, B.id, ("birth",)), A.id, C.id, ("birth",))
        left = without_share(made, B.id, ("birth",))
        self.assertEqual([bool(layer.shares) for layer in left.layers], [True, False, True])
        after = edited(left, 2, "birth", "speed", value=fixed(7.0))
        self.assertEqual([layer.birth.speed.low == 7.0 for layer in after.layers], [True, False, True])

    def test_no_ring_is_made(self):
        spawns = replace(A, offspring=Offspring(rules=(Rule(layer=B.id),)))
        with self.assertRaisesRegex(ValueError, "ring"):
            with_shared(effect(spawns, B), A.id, B.id, ("offspring",))

    def test_parts_of_lists_are_added_where_they_are_the_next_and_end_with_their_share(self):
        pushes = Forces(more=(Push(key=0, strength=1.0), Push(key=4, strength=2.0)))
        made = effect(replace(A, forces=pushes), B, replace(C, forces=Forces(more=(Push(key=7, strength=3.0),))))
        with self.assertRaisesRegex(ValueError, "b has 0 of these, a shares its number 2"):
            with_shared(made, A.id, B.id, ("forces", "more", 1))
        joined = with_shared(made, A.id, C.id, ("forces", "more", 1))
        self.assertEqual([(one.key, one.strength) for one in joined.layers[2].forces.more], [(7, 3.0), (8, 2.0)])
        gone = edited(joined, 2, "forces", "more", value=joined.layers[2].forces.more[:1])
        self.assertEqual(gone.layers[0].forces, pushes)
        self.assertEqual(gone.layers[2].shares, ())


if __name__ == "__main__":
    unittest.main()
