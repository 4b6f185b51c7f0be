"""What is in vessels, and windows with a room behind: volumes by closed forms, solids by trimesh."""

import unittest

import numpy as np
import shapely
import trimesh

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.body import BEHIND
from kilnchisel.core.build import laid_of, piece_of, scene_of_job
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes.finish import contents_of, material_of
from kilnchisel.core.finishes.material import GLASS_IOR, GLASS_KEEPS, WATER_IOR
from kilnchisel.core.job.blank import Bottle, Jar, Tumbler
from kilnchisel.core.job.boards import ShopFront, Window
from kilnchisel.core.job.effect import has_effect
from kilnchisel.core.job.finish import Enamel, Glass
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.job.wording import Backing, Wording
from kilnchisel.core.scene.scene import middle_of
from kilnchisel.core.scene.stance import stance_of
from kilnchisel.core.shop.checks import checks
from tests.outside.test_blanks import job_on, mesh_of

VESSELS = (Tumbler(), Jar(), Bottle(), Jar(shoulder_mm=30, wall_mm=6), Bottle(wall_mm=5, neck_mm=40))


def filled(vessel, share, clear=90.0):
    return vessel.model_copy(update={"filled": share, "contents_clear": clear})


class Vessels(unittest.TestCase):
    def test_they_are_hollow_and_close(self):
        for vessel in VESSELS:
            for one in (vessel, filled(vessel, 70.0), filled(vessel, 70.0, 0.0)):
                with self.subTest(vessel=one):
                    mesh = mesh_of(job_on(one, "outside", ""))
                    self.assertTrue(mesh.is_watertight)
                    self.assertLess(mesh.volume, 0.6 * mesh.convex_hull.volume)

    def test_what_is_in_them_is_not_made(self):
        """The solid is the same to the bit of its volume, empty or full."""
        for vessel in VESSELS[:3]:
            volumes = [mesh_of(job_on(one, "outside", "")).volume for one in (vessel, filled(vessel, 60.0))]
            self.assertAlmostEqual(volumes[0] / volumes[1], 1.0, places=4)

    def test_a_jar_s_wall_is_as_thick_as_it_says(self):
        jar = Jar(diameter_mm=80, wall_mm=4)
        inside = next(s.mesh for s in body_of(jar).shells if s.name == "inside")
        middle = np.abs(inside.points[:, 2] - 40.0) < 12.0
        radius = np.hypot(*inside.points[middle, :2].T)
        np.testing.assert_allclose(radius, 36.0, atol=0.01)
        towards = np.einsum("ij,ij->i", inside.normals[middle, :2], inside.points[middle, :2])
        self.assertLess(towards.max(), 0)  # out of the glass, into the jar

    def test_how_full(self):
        for vessel in VESSELS:
            inside = [s.mesh.points for s in body_of(vessel).shells if s.name == "inside"]
            low, high = inside[0][:, 2].min(), inside[0][:, 2].max()
            for share in (10.0, 50.0, 90.0):
                shells = body_of(filled(vessel, share)).shells
                top = max(s.mesh.points[:, 2].max() for s in shells if s.slot == "contents")
                self.assertAlmostEqual(top, low + (high - low) * share / 100, delta=0.02)
                wet = max(s.mesh.points[:, 2].max() for s in shells if s.slot == "wetted")
                self.assertAlmostEqual(wet, top, delta=0.02)
        self.assertFalse([s for s in body_of(Jar()).shells if s.slot in ("contents", "wetted")])

    def test_a_full_tumbler_holds_the_volume_of_its_cones(self):
        """Cream is a closed body: a truncated cone less its rounded foot, pi h (R² + R r + r²) / 3."""
        cup = Tumbler(top_mm=80, foot_mm=60, height_mm=120, wall_mm=2)
        body = body_of(filled(cup, 80.0, 0.0))
        parts = [s.mesh for s in body.shells if s.slot == "contents"]
        cream = trimesh.util.concatenate([trimesh.Trimesh(m.points, m.faces) for m in parts])
        cream.merge_vertices()
        self.assertTrue(cream.is_watertight)
        low, high = cream.bounds[:, 2]
        top = np.hypot(*cream.vertices[cream.vertices[:, 2] > high - 1e-6][:, :2].T).max()
        foot = top - (high - low) * 10 / 120
        cone = np.pi * (high - low) * (top**2 + top * foot + foot**2) / 3
        self.assertAlmostEqual(cream.volume / cone, 1.0, delta=0.015)

    def test_light_bends_from_glass_to_water(self):
        """Indices: CRC Handbook (from memory), 1.52 and 1.333 at 20 °C."""
        made = contents_of(filled(Jar(), 50.0), material_of(Glass()))
        self.assertEqual((made["wetted"].ior, made["wetted"].before_ior), (GLASS_IOR, WATER_IOR))
        self.assertEqual((made["contents"].ior, made["contents"].before_ior), (WATER_IOR, 1.0))
        self.assertEqual((GLASS_IOR, WATER_IOR), (1.52, 1.333))

    def test_in_and_out_through_wetted_walls_light_takes_the_colour(self):
        jar = Jar(filled=50, contents_colour="#808080", contents_clear=20)
        base = contents_of(jar, material_of(Glass()))["wetted"].base
        through = np.array(base) ** (2 * GLASS_KEEPS)
        self.assertAlmostEqual(through[0], ((0x80 / 255 + 0.055) / 1.055) ** 2.4, delta=0.04)
        opaque = contents_of(filled(jar, 50.0, 5.0), material_of(Glass()))
        self.assertEqual(opaque["contents"].kind, "coated")

    def test_what_is_in_a_pot_is_not_asked_for(self):
        self.assertTrue(has_effect(Jar(), "filled", Glass()))
        self.assertFalse(has_effect(Jar(), "filled", Enamel()))
        self.assertTrue(has_effect(Tumbler(), "filled", Enamel()))
        self.assertFalse(has_effect(Jar(), "contents_clear", Glass()))


class Windows(unittest.TestCase):
    def test_they_close_without_their_room(self):
        for window in (Window(), Window(bars=3, bars_up=2, width_mm=2400), Window(height_mm=500)):
            mesh = mesh_of(job_on(window, "outside", "TARN", 80.0))
            self.assertTrue(mesh.is_watertight)
            self.assertLess(np.ptp(mesh.vertices[:, 1]), 500.0)
        front = mesh_of(job_on(ShopFront(), "fascia", "TARN", 80.0))
        self.assertTrue(front.is_watertight)
        self.assertLess(np.ptp(front.vertices[:, 1]), 700.0)

    def test_both_faces_of_the_glass_are_sides(self):
        body = body_of(Window())
        for name, out in (("outside", -1.0), ("inside", 1.0)):
            side = body.sheet(name).side
            along, up, away = side.frames(np.zeros((1, 2)))[0]
            self.assertAlmostEqual(away[1], out)
            self.assertAlmostEqual(along[0], -out)
            self.assertAlmostEqual(up[2], 1.0)
        apart = np.subtract(
            *(body.sheet(n).side.to_body(np.zeros((1, 2)), np.zeros(1))[0] for n in ("inside", "outside"))
        )
        np.testing.assert_allclose(apart, (0, 8.0, 0), atol=1e-3)

    def test_glass_is_as_wide_as_the_frame_leaves_it(self):
        window = Window(width_mm=1500, height_mm=1200, frame_mm=70)
        low_u, low_v, high_u, high_v = body_of(window).sheet("outside").side.domain.bounds
        # its edges are 12 mm behind the frame
        self.assertAlmostEqual(high_u - low_u, 1500 - 140 + 24, delta=2.0)
        self.assertAlmostEqual(high_v - low_v, 1200 - 140 + 24, delta=2.0)

    def test_letters_under_glazing_bars_are_told(self):
        for bars, kind in ((0, "good"), (3, "warning")):
            job = job_on(Window(bars=bars), "outside", "DOME TOURS", 120.0)
            told = [c for c in checks(job, 0) if "glazing bars" in c.says]
            self.assertEqual(bool(told), kind == "warning")

    def test_the_camera_looks_at_the_glass_not_into_the_room(self):
        job = job_on(Window(), "outside", "")
        body = body_of(job.blank)
        self.assertTrue(any(shell.solid.startswith(BEHIND) for shell in body.shells))
        middle, _ = middle_of(body, stance_of(job))
        self.assertLess(abs(middle[1]), 200.0)

    def test_the_lamp_shines_as_bright_as_it_is_set(self):
        sent = []
        for lit in (0.0, 20.0, 80.0):
            scene = scene_of_job(job_on(Window(lit=lit), "outside", ""))
            lamp = next(item for item in scene.items if item.name == f"{BEHIND}: lamp")
            sent.append(sum(lamp.material.emission))
        self.assertEqual(sent[0], 0.0)
        self.assertAlmostEqual(sent[2] / sent[1], 4.0)


class Weeded(unittest.TestCase):
    def test_one_film_with_the_letters_as_its_holes(self):
        words = Wording(text="DOME", cap_height_mm=100)
        lay, blank = Lay(side="outside"), Window()
        letters = laid_of(blank, words, lay, detail=Detail.FINE).ink
        for form in ("rectangle", "follows them"):
            backing = Backing(form=form, letters="weeded out", distance_mm=40)
            film = laid_of(
                blank, words.model_copy(update={"backing": backing}), lay, detail=Detail.FINE
            ).ink
            self.assertLess(shapely.intersection(film, letters).area, 1e-3 * letters.area)
            whole = shapely.union_all([film, letters])
            self.assertAlmostEqual(whole.area, film.area + letters.area, delta=0.01 * letters.area)
            if form == "rectangle":
                low_u, low_v, high_u, high_v = letters.bounds
                box = (high_u - low_u + 80) * (high_v - low_v + 80)
                self.assertAlmostEqual(whole.area / box, 1.0, delta=0.002)

    def test_its_letters_are_one_layer(self):
        job = job_on(Window(), "outside", "DOME", 100.0)
        content = job.letterings[0].content.model_copy(
            update={"backing": Backing(form="rectangle", letters="weeded out")}
        )
        lettering = job.letterings[0].model_copy(update={"content": content})
        job = job.model_copy(update={"letterings": (lettering,)})
        lettered = [part for part in piece_of(job).parts if part.lettering == 0]
        self.assertEqual(len(lettered), 1)
        self.assertGreater(len(solid_of(piece_of(job))[1]), 0)
