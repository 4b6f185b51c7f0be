"""Bonds by their modules, shop fronts as solids by a second library."""

import unittest
from itertools import pairwise

import numpy as np
import shapely

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.masonry import brick_shapes, bricks_of
from kilnchisel.core.build import piece_of, scene_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.boards import ShopFront, Wall
from kilnchisel.core.job.crafts import Printed, Standing
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.model import Job
from tests.outside.test_blanks import job_on, mesh_of

BONDS = ("stretcher", "English", "Flemish")
LARGE = {"width_mm": 3000.0, "height_mm": 1500.0}


class Bonds(unittest.TestCase):
    """Common practice in Britain: bricks of 215 x 102.5 x 65 mm in joints of 10 mm, four courses to 300
    mm; 60 stretchers to a square metre. A header is half a stretcher less half a joint."""

    def courses(self, bond):
        found = {}
        for left, low, right, high in bricks_of(Wall(bond=bond, **LARGE)):
            found.setdefault(round(low, 3), []).append((left, right, high))
        return [sorted(found[low]) for low in sorted(found)]

    def test_four_courses_to_300_mm(self):
        for bond in BONDS:
            lows = sorted({round(low, 3) for low in bricks_of(Wall(bond=bond, **LARGE))[:, 1]})
            np.testing.assert_allclose(np.diff(lows), 75.0)

    def test_sixty_to_a_square_metre(self):
        """Full stretchers whose middle lies in a field of 2025 x 1200 mm: 9 modules by 16 courses."""
        bricks = bricks_of(Wall(bond="stretcher", **LARGE))
        middle = (bricks[:, :2] + bricks[:, 2:]) / 2
        inside = (np.abs(middle[:, 0] + 0.1) < 1012.5) & (np.abs(middle[:, 1]) < 600)
        self.assertAlmostEqual(inside.sum() / (2.025 * 1.2), 59.3, delta=0.8)

    def test_lengths(self):
        for bond, wanted in (
            ("stretcher", {215.0}),
            ("English", {215.0, 102.5}),
            ("Flemish", {215.0, 102.5}),
        ):
            bricks = bricks_of(Wall(bond=bond, **LARGE))
            self.assertEqual(set(np.round(bricks[:, 2] - bricks[:, 0], 6)), wanted)

    def test_each_bond_goes_by_its_rule(self):
        one, two, three, *_ = self.courses("English")
        self.assertEqual({round(right - left, 3) for left, right, _ in one}, {215.0})
        self.assertEqual({round(right - left, 3) for left, right, _ in two}, {102.5})
        np.testing.assert_allclose([row[0] for row in one], [row[0] for row in three])
        flemish = self.courses("Flemish")[0]
        lengths = [round(right - left, 3) for left, right, _ in flemish]
        self.assertEqual(lengths[:4], [215.0, 102.5, 215.0, 102.5])

    def test_bricks_lap_by_a_quarter(self):
        """EN 1996 (from memory): units lap by at least 0.4 of their height and 40 mm."""
        for bond in BONDS:
            courses = self.courses(bond)
            for below, above in pairwise(courses[:7]):
                ends = [np.array([(row[1] + 5.0) for row in rows]) for rows in (below, above)]
                ends = [one[np.abs(one) < 1200] for one in ends]
                gap = np.abs(ends[0][:, None] - ends[1][None]).min()
                self.assertGreater(gap, 40.0, bond)

    def test_bricks_do_not_touch(self):
        for bond in BONDS:
            shapes = brick_shapes(Wall(bond=bond, width_mm=1200, height_mm=600))
            pairs = shapely.STRtree(shapes).query(shapes, predicate="dwithin", distance=5.0)
            self.assertTrue((pairs[0] == pairs[1]).all())

    def test_walls_close(self):
        for bond in BONDS:
            job = job_on(Wall(bond=bond, width_mm=1200, height_mm=700), "front", "TARN", 90.0)
            self.assertTrue(mesh_of(job).is_watertight)

    def test_each_brick_has_its_tone(self):
        job = fresh_job("wall", "")
        material = next(i.material for i in scene_of_job(job).items if i.name == "front")
        self.assertEqual(len(material.covers), 2)
        wall, amount = job.blank, material.covers[0].amount
        left, low, right, high = bricks_of(wall)[100]
        cell = amount.size[0] / amount.values.shape[1]
        at = ((np.array([left, low, right, high]) - np.tile(amount.corner, 2)) / cell).astype(int)
        patch = amount.values[at[1] + 1 : at[3] - 1, at[0] + 1 : at[2] - 1]
        self.assertEqual(np.ptp(patch), 0.0)
        self.assertGreater(np.ptp(amount.values), 0.3)


class ShopFronts(unittest.TestCase):
    def test_sides_and_solids(self):
        for shop in (
            ShopFront(),
            ShopFront(width_mm=4200, height_mm=3400, window_mm=1800),
            ShopFront(width_mm=9000, height_mm=5600, fascia_mm=900, window_mm=5200, bond="English"),
        ):
            with self.subTest(shop=shop):
                self.assertEqual(
                    [sheet.side.name for sheet in body_of(shop).sheets],
                    ["fascia", "wall", "window", "door"],
                )
                self.assertTrue(mesh_of(job_on(shop, "fascia", "TARN", 160.0)).is_watertight)

    def test_the_fascia_takes_letters_and_light(self):
        for craft in (Standing(light="halo"), Standing(light="face"), Printed()):
            piece = piece_of(job_on(ShopFront(), "fascia", "TARN", 200.0, craft))
            self.assertTrue(any(part.lettering == 0 for part in piece.parts))
        for side, along in (("window", 0.0), ("door", 0.0), ("wall", -3000.0)):
            job = job_on(ShopFront(), side, "OPEN", 90.0, Printed(), along_mm=along)
            self.assertTrue(any(part.lettering == 0 for part in piece_of(job).parts))

    def test_what_does_not_fit_is_told(self):
        for values in ({"window_mm": 8000.0}, {"fascia_mm": 1500.0, "height_mm": 3000.0}):
            with self.assertRaises(KilnError):
                ShopFront(**values)

    def test_the_whole_front_is_in_the_first_picture(self):
        job = fresh_job("shop front", "CAFÉ")
        self.assertIsInstance(job, Job)
        self.assertEqual(job.letterings[0].lay.side, "fascia")
        self.assertLess(abs(job.setting.camera.turn_deg), 9.1)
