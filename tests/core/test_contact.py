"""Touches: heights, energy, thin and moving surfaces, sticking, ageing."""

import unittest

import numpy as np

from pale_ember.core.effect.model import Pose, Stage
from pale_ember.core.effect.stage import Prop
from pale_ember.core.effect.values import between
from pale_ember.core.geometry.mesh import solid
from pale_ember.core.geometry.tree import tree
from pale_ember.core.simulate.timeline import Timeline
from tests.examples import Birth, Burst, Contact, Forces, Outlet, drip, effect, fixed, layer_at

FALL = Forces(gravity=(0.0, -9.81, 0.0))
BOUNCE = Contact(meets="bounce", bounce=0.5, slide=1.0, radius=0.0, surfaces=("prop",))


def on(prop, layer, **fields):
    return effect(layer, stage=Stage(props=(prop,)), **fields)


def shot(way, speed, place=(0.0, 2.0, 0.0), contact=BOUNCE, **fields):
    outlet = Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(1)),), shape="point", spread=0.0, axis=way)
    birth = Birth(lifetime=fixed(30.0), speed=fixed(speed))
    return drip(place=place, outlet=outlet, birth=birth, contact=contact, **fields)


FORMS = {
    "box": Prop(name="prop", shape="box", place=(0.0, -0.5, 0.0), size=(4.0, 1.0, 4.0)),
    "sphere": Prop(name="prop", shape="sphere", place=(0.0, -2.0, 0.0), size=(4.0, 4.0, 4.0)),
    "cylinder": Prop(name="prop", shape="cylinder", place=(0.0, -0.5, 0.0), size=(4.0, 1.0, 4.0)),
    "plane": Prop(name="prop", shape="plane", place=(0.0, 0.0, 0.0)),
    "mesh": Prop(name="prop", shape="mesh", mesh="solid:box", place=(0.0, -1.0, 0.0)),
}


class Heights(unittest.TestCase):
    def test_every_form_throws_back_the_square_of_its_share(self):
        fall = np.sqrt(2 * 1.9 / 9.81)
        for name, prop in FORMS.items():
            contact = Contact(meets="bounce", bounce=0.6, slide=1.0, radius=0.1, surfaces=("prop",))
            made = on(prop, drip(forces=FALL, contact=contact))
            top = max(float(layer_at(made, fall + 0.6 * fall + k / 60).position[0, 1]) for k in (-1, 0, 1))
            self.assertAlmostEqual(top, 0.1 + 1.9 * 0.36, delta=0.01, msg=name)

    def test_every_form_lets_rest_without_jitter_or_sinking(self):
        for name, prop in FORMS.items():
            contact = Contact(meets="bounce", bounce=0.3, slide=0.5, radius=0.1, surfaces=("prop",))
            timeline = Timeline(on(prop, drip(forces=FALL, contact=contact, birth=Birth(lifetime=fixed(60.0), speed=fixed(0.0)))))
            late = [timeline.frame(t).layers[0].position[0] for t in (8.0, 8.1, 12.0)]
            self.assertAlmostEqual(float(late[0][1]), 0.1, delta=1e-3, msg=name)
            for one in late[1:]:
                np.testing.assert_allclose(one, late[0], atol=2e-6, err_msg=name)

    def test_energy_never_grows_in_a_crowd_of_props(self):
        props = (
            FORMS["box"],
            Prop(name="prop", shape="sphere", place=(0.8, 0.3, 0.0), size=(1.0, 1.0, 1.0)),
            Prop(name="prop", shape="cylinder", place=(-1.0, 0.5, 0.3), size=(0.6, 1.0, 0.6), turn=(20.0, 0.0, 35.0)),
            Prop(name="prop", shape="mesh", mesh="solid:kiln arch", place=(0.0, 0.0, -0.6)),
        )
        layer = drip(
            outlet=Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(500)),), aim="anywhere", shape="sphere", radius=0.2),
            birth=Birth(lifetime=fixed(9.0), speed=between(0.0, 4.0)),
            forces=FALL,
            contact=Contact(meets="bounce", bounce=1.0, slide=1.0, radius=0.02),
        )
        timeline = Timeline(effect(layer, stage=Stage(props=props)))
        energy = []
        for time in np.arange(0.0, 3.0, 0.1):
            one = timeline.frame(time).layers[0]
            self.assertEqual(one.count, 500)
            energy.append(0.5 * (one.velocity.astype(float) ** 2).sum(axis=1) + 9.81 * one.position[:, 1])
        energy = np.array(energy)
        self.assertLess(float((energy - energy[0]).max()), 0.05)
        self.assertGreater(float(energy[-1].mean()), 0.8 * float(energy[0].mean()))


class Sweeps(unittest.TestCase):
    def test_nothing_passes_a_thin_floor_however_fast(self):
        thin = Prop(name="prop", shape="box", place=(0.0, 0.0, 0.0), size=(50.0, 0.001, 50.0))
        sheet = Prop(name="prop", shape="mesh", mesh="solid:quay stones")
        for prop in (thin, sheet):
            for speed in (5.0, 120.0, 4000.0):
                layer = drip(
                    outlet=Outlet(
                        rate=fixed(0.0), bursts=(Burst(count=fixed(300)),), shape="disc", radius=1.5, axis=(0.3, -1.0, 0.1), spread=20.0
                    ),
                    birth=Birth(lifetime=fixed(9.0), speed=fixed(speed)),
                    contact=Contact(meets="stick", surfaces=("prop",)),
                )
                one = layer_at(on(prop, layer), 1.0)
                self.assertGreater(float(one.position[:, 1].min()), -0.02)
                self.assertLess(float(np.abs(one.velocity).max()), 1e-6)

    def test_a_moving_surface_catches_what_stands_still(self):
        keys = (Pose(at=0.0, ease="straight"), Pose(at=1.0, place=(0.0, 3.0, 0.0), ease="straight"))
        for form in ("plane", "box", "mesh"):
            low = -1.2 if form == "mesh" else -0.2
            prop = Prop(
                name="prop",
                shape=form,
                place=(0.0, low, 0.0),
                mesh="solid:box",
                keys=keys,
                size=(1.0, 1.0, 1.0) if form == "mesh" else (4.0, 0.01, 4.0),
            )
            pushed = on(
                prop, drip(place=(0.0, 1.0, 0.0), contact=Contact(meets="bounce", bounce=1.0, slide=1.0, radius=0.0, surfaces=("prop",)))
            )
            one = layer_at(pushed, 0.9)
            self.assertAlmostEqual(float(one.velocity[0, 1]), 6.0, delta=0.05, msg=form)
            stuck = on(prop, drip(place=(0.0, 1.0, 0.0), contact=Contact(meets="stick", radius=0.0, surfaces=("prop",))), duration=1.0)
            before, after = (layer_at(stuck, t).position[0, 1] for t in (0.6, 0.9))
            self.assertAlmostEqual(float(after - before), 0.9, delta=1e-3, msg=form)

    def test_only_the_chosen_surfaces_are_met(self):
        prop = Prop(name="crate", shape="box", place=(0.0, 0.5, 0.0))
        for names, height in ((("crate",), 1.0), (("ground",), 0.0), ((), 1.0)):
            made = on(prop, drip(forces=FALL, contact=Contact(meets="stick", radius=0.0, surfaces=names)))
            self.assertAlmostEqual(float(layer_at(made, 3.0).position[0, 1]), height, delta=2e-3)
        ghost = Prop(name="crate", shape="box", place=(0.0, 0.5, 0.0), solid=False)
        self.assertAlmostEqual(
            float(layer_at(on(ghost, drip(forces=FALL, contact=Contact(meets="stick", radius=0.0))), 3.0).position[0, 1]), 0.0, delta=1e-4
        )

    def test_a_turned_box_throws_back_by_its_normal(self):
        prop = Prop(name="prop", shape="box", place=(0.0, 0.0, 0.0), size=(2.0, 2.0, 2.0), turn=(0.0, 0.0, 45.0))
        one = layer_at(
            on(
                prop,
                shot((1.0, 0.0, 0.0), 4.0, place=(-4.0, 0.3, 0.0), contact=Contact(meets="bounce", bounce=1.0, slide=1.0, radius=0.0)),
            ),
            1.5,
        )
        np.testing.assert_allclose(one.velocity[0], [0.0, 4.0, 0.0], atol=1e-3)

    def test_what_is_inside_leaves_freely(self):
        for form in ("box", "sphere", "cylinder"):
            prop = Prop(name="prop", shape=form, place=(0.0, 2.0, 0.0), size=(1.0, 1.0, 1.0))
            one = layer_at(on(prop, shot((1.0, 0.0, 0.0), 2.0)), 1.0)
            self.assertAlmostEqual(float(one.position[0, 0]), 2.0, places=4)

    def test_a_local_layer_on_a_carrier_meets_the_world_where_it_is(self):
        keys = (Pose(at=0.0, ease="straight"), Pose(at=2.0, place=(4.0, 0.0, 0.0), ease="straight"))
        layer = drip(
            space="local",
            keys=keys,
            turn=(0.0, 90.0, 0.0),
            forces=FALL,
            contact=Contact(meets="bounce", bounce=0.0, slide=1.0, radius=0.05),
        )
        one = layer_at(effect(layer), 1.5)
        self.assertAlmostEqual(float(one.position[0, 1]), 0.05, delta=1e-3)

    def test_nothing_falls_through_a_surface_that_rises(self):
        outlet = Outlet(rate=fixed(0.0), bursts=(Burst(count=fixed(40)),), shape="disc", radius=0.4, spread=0.0)
        lost = []
        for form in ("plane", "box"):
            for bounce in (0.0, 0.3, 0.6, 1.0):
                for rise in (0.3, 1.0, 4.0):
                    keys = (Pose(at=0.0), Pose(at=3.0, place=(0.0, rise, 0.0)))
                    prop = Prop(name="prop", shape=form, place=(0.0, -0.5, 0.0), size=(4.0, 1.0, 4.0), keys=keys)
                    contact = Contact(meets="bounce", bounce=bounce, slide=0.8, radius=0.02, surfaces=("prop",))
                    layer = drip(outlet=outlet, forces=FALL, contact=contact, place=(0.0, 1.0, 0.0))
                    one = layer_at(on(prop, layer), 3.0)
                    top = rise + (-0.5 if form == "plane" else 0.0)
                    lost.append(int((one.position[:, 1] < top - 1e-3).sum()))
        self.assertEqual(sum(lost), 0, lost)

    def test_no_mesh_lets_anything_in_at_its_edges(self):
        outlet = Outlet(
            rate=fixed(0.0), bursts=(Burst(count=fixed(4000)),), shape="sphere", radius=3.0, fill=0.0, aim="towards point", spread=25.0
        )
        for mesh in ("solid:box", "solid:sphere"):
            prop = Prop(name="prop", shape="mesh", mesh=mesh, place=(0.0, 5.0, 0.0))
            birth = Birth(lifetime=fixed(9.0), speed=between(2.0, 30.0))
            corners = solid(mesh.removeprefix("solid:")).corners()
            contact = Contact(meets="bounce", bounce=0.7, slide=0.9, radius=0.0, surfaces=("prop",))
            layer = drip(place=(0.0, 5.0, 0.0), outlet=outlet, contact=contact, birth=birth)
            made = effect(layer, stage=Stage(props=(prop,)))
            ways = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            for time in (0.1, 0.5, 1.5):
                at = layer_at(made, time).position.astype(float) - (0.0, 5.0, 0.0)
                outside = ((at[:, None] - corners[None, :, 0]) * ways[None]).sum(axis=2) > 0
                self.assertEqual(int((~outside.any(axis=1)).sum()), 0, (mesh, time))

    def test_each_of_several_meshes_is_met_where_it_stands(self):
        tops = {-3.0: 1.5, 0.0: 0.5, 3.0: 1.0}
        props = tuple(Prop(name=f"block {x}", shape="mesh", mesh="solid:box", place=(x, top - 1.0, 0.0)) for x, top in tops.items())
        contact = Contact(meets="stick", radius=0.0, surfaces=tuple(prop.name for prop in props))
        for x, top in tops.items():
            layer = drip(place=(x, 3.0, 0.0), forces=FALL, contact=contact)
            lands = layer_at(effect(layer, stage=Stage(props=props)), 2.0).position[0]
            np.testing.assert_allclose(lands, [x, top, 0.0], atol=2e-3)

    def test_what_is_born_in_the_ground_by_its_size_is_held_all_the_same(self):
        for form, prop in FORMS.items():
            layer = drip(place=(0.0, 0.05, 0.0), forces=FALL, contact=Contact(meets="bounce", bounce=0.0, surfaces=("prop",)))
            self.assertGreater(float(layer_at(on(prop, layer), 1.0).position[0, 1]), 0.0, form)


class Outcomes(unittest.TestCase):
    def test_the_touch_radius_follows_the_size_until_it_is_told(self):
        for radius, size, height in ((None, 0.5, 0.25), (None, 0.1, 0.05), (0.02, 0.5, 0.02)):
            layer = drip(
                forces=FALL,
                contact=Contact(meets="bounce", bounce=0.0, radius=radius),
                birth=Birth(lifetime=fixed(10.0), speed=fixed(0.0), size=fixed(size)),
            )
            self.assertAlmostEqual(float(layer_at(effect(layer), 3.0).position[0, 1]), height, delta=1e-3)

    def test_how_far_something_slides_does_not_hang_on_the_steps(self):
        slide = Contact(meets="bounce", bounce=0.0, slide=0.7, radius=0.0)
        ends = []
        for steps in (15, 30, 60, 240):
            layer = shot((1.0, 0.0, 0.0), 4.0, place=(0.0, 0.0, 0.0), contact=slide, forces=FALL)
            ends.append(float(layer_at(effect(layer, steps=steps), 6.0).position[0, 0]))
        np.testing.assert_allclose(ends, 4.0 / (10 * -np.log(0.7)), rtol=2e-3)

    def test_how_far_a_bounce_slides_does_not_hang_on_the_steps(self):
        """Rubbing goes by the push of each strike, and lying by the same: however many bounces a step can tell apart."""
        for bounce, slide, height, speed in ((0.4, 0.8, 1.5, 2.0), (0.7, 0.8, 1.0, 3.0), (0.2, 0.9, 2.0, 4.0), (0.6, 0.95, 1.0, 2.0)):
            contact = Contact(meets="bounce", bounce=bounce, slide=slide, radius=0.0)
            layer = shot((1.0, 0.0, 0.0), speed, place=(0.0, height, 0.0), contact=contact, forces=FALL)
            ways = [
                [float(Timeline(effect(layer, steps=steps)).frame(at).layers[0].position[0, 0]) for at in (1.0, 2.0, 4.0)]
                for steps in (60, 120, 240, 1000)
            ]
            for way in ways[:3]:
                np.testing.assert_allclose(way, ways[3], atol=0.02, err_msg=f"{bounce} {slide}")

    def test_a_first_touch_without_rebound_keeps_its_slide(self):
        for bounce in (0.0, 0.005, 0.02):
            contact = Contact(meets="bounce", bounce=bounce, slide=0.5, radius=0.0)
            layer = shot((1.0, 0.0, 0.0), 4.0, contact=contact, forces=FALL)
            after = layer_at(effect(layer, steps=240), np.sqrt(2 * 2.0 / 9.81) + 0.006)
            self.assertAlmostEqual(float(after.velocity[0, 0]), 2.0, delta=0.1, msg=bounce)

    def test_a_touch_ages_and_a_slow_one_does_not_count(self):
        contact = Contact(meets="bounce", bounce=1.0, slide=1.0, ageing=0.3, radius=0.0)
        layer = drip(forces=FALL, contact=contact, birth=Birth(lifetime=fixed(10.0), speed=fixed(0.0)))
        fall = np.sqrt(2 * 2.0 / 9.81)
        made = effect(layer)
        for time, touches in ((0.5 * fall, 0), (1.5 * fall, 1), (3.5 * fall, 2)):
            self.assertAlmostEqual(float(layer_at(made, time).age[0]), round(time * 60) / 600 + 0.3 * touches, delta=2e-3)
        self.assertEqual(layer_at(made, 7.5 * fall).count, 0)
        lazy = effect(drip(forces=FALL, contact=Contact(meets="bounce", bounce=1.0, ageing=0.3, minimum_speed=99.0, radius=0.0)))
        one = layer_at(lazy, 2.0)
        self.assertAlmostEqual(float(one.age[0]), 0.2, places=4)
        self.assertAlmostEqual(float(one.position[0, 1]), 0.0, delta=1e-4)

    def test_ending_and_sliding(self):
        self.assertEqual(layer_at(effect(drip(forces=FALL, contact=Contact(meets="end"))), 1.0).count, 0)
        slide = Contact(meets="bounce", bounce=0.0, slide=0.5, radius=0.0)
        one = layer_at(effect(shot((1.0, 0.0, 0.0), 4.0, place=(0.0, 0.0, 0.0), contact=slide, forces=FALL)), 1.0)
        # Lying on the ground counts as ten touches a second.
        self.assertAlmostEqual(float(one.velocity[0, 0]), 4 * 0.5**10, delta=0.01)


class Trees(unittest.TestCase):
    def test_a_tree_holds_every_triangle_in_boxes_that_hold_it(self):
        corners = solid("quay stones").corners()
        made = tree(corners)
        self.assertEqual(len(made.triangles), len(corners))
        leaves = made.nodes[made.nodes["count"] > 0]
        self.assertEqual(int(leaves["count"].sum()), len(corners))
        for leaf in leaves[::37]:
            inside = made.triangles[leaf["first"] : leaf["first"] + leaf["count"]]
            self.assertTrue((inside >= leaf["low"] - 1e-12).all() and (inside <= leaf["high"] + 1e-12).all())
        self.assertEqual(int(made.nodes[0]["skip"]), len(made.nodes))


if __name__ == "__main__":
    unittest.main()
