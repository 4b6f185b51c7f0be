"""Where a photo's camera stood, from what is seen in it: against cameras that are known, and against
OpenCV's own solution of the same points."""

import unittest

import cv2
import numpy as np

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.photo import Horizon, Oval, Parallels, Rectangle, Rims
from kilnchisel.core.kinds import TABLES
from kilnchisel.core.photo.camera import stood
from kilnchisel.core.photo.lens import bent_of, curved, straight
from kilnchisel.core.photo.stood import Stood

SIZE = (1600, 1066)
MARKED = 0.25  # standard deviation of marks in these tests, pixels


def camera(turn, tilt, distance, focal, roll=0.0, aim=(0, 0, 0)):
    """A camera that looks at a point from so far away, to its right and above it by so many degrees."""
    t, e, r = np.radians([turn, tilt, roll])
    ahead = np.array([-np.sin(t) * np.cos(e), np.cos(t) * np.cos(e), -np.sin(e)])
    right = np.array([np.cos(t), np.sin(t), 0])
    up = np.cross(right, ahead)
    right, up = np.cos(r) * right + np.sin(r) * up, np.cos(r) * up - np.sin(r) * right
    return Stood(np.array(aim) - distance * ahead, right, up, ahead, focal, SIZE, "the picture", 0, 0, 0)


def spots(points):
    return tuple((float(x), float(y)) for x, y in points)


def rectangle(true, width, height, on="wall", noise=None, bent=0.0):
    flat = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) / 2 * (width, height)
    points = np.zeros((4, 3))
    points[:, 0], points[:, 2 if on == "wall" else 1] = flat.T
    marks = curved(true.project(points), bent, SIZE)
    if noise is not None:
        marks = marks + noise.normal(0, MARKED, marks.shape)
    return Rectangle(corners=spots(marks), width_mm=width, height_mm=height, on=on), points


class Told(unittest.TestCase):
    def like(self, found, true, focal=0.02, place=0.01, degrees=0.5):
        self.assertAlmostEqual(found.focal_px / true.focal_px, 1, delta=focal)
        self.assertLess(np.linalg.norm(found.eye - true.eye) / true.distance_mm, place)
        self.assertLess(np.degrees(np.arccos(np.clip(found.ahead @ true.ahead, -1, 1))), degrees)
        self.assertLess(np.degrees(np.arccos(np.clip(found.up @ true.up, -1, 1))), degrees)


class FromARectangle(Told):
    def test_of_exact_corners_it_is_the_camera_itself(self):
        for on in ("wall", "ground"):
            for turn, tilt, roll in ((35, 12, 2), (-50, 25, -3), (25, 60, 0)):
                with self.subTest(on=on, turn=turn):
                    true = camera(turn, tilt, 4000, 1500, roll, (150, 0, 90))
                    told, _ = rectangle(true, 1300, 800, on)
                    found = stood(told, None, 0.0, SIZE)
                    self.like(found, true, 1e-5, 1e-5, 1e-3)
                    self.assertEqual(found.lens_from, "the picture")
                    self.assertLess(found.off_px, 1e-4)

    def test_of_marked_corners_it_is_as_far_off_as_it_says(self):
        noise = np.random.default_rng(5)
        true = camera(38, 14, 3000, 1500, 1)
        off, told_off = [], []
        for _ in range(40):
            found = stood(rectangle(true, 1300, 900, noise=noise)[0], None, 0.0, SIZE)
            off.append(found.focal_px / true.focal_px - 1)
            told_off.append(found.focal_share)
        # it states what half a pixel does
        self.assertAlmostEqual(np.std(off) / (np.mean(told_off) * MARKED / 0.5), 1, delta=0.35)
        self.assertLess(np.abs(off).mean(), 0.02)

    def test_the_place_agrees_with_opencv_s_for_the_same_lens(self):
        noise = np.random.default_rng(8)
        for turn in (8, 30, 55):
            true = camera(turn, 10, 3500, 1400)
            told, points = rectangle(true, 1200, 900, noise=noise)
            found = stood(told, None, 0.0, SIZE)
            if found.lens_from != "the picture":
                found = stood(told, true.lens_mm, 0.0, SIZE)
            matrix = np.array([[found.focal_px, 0, 800], [0, found.focal_px, 533], [0, 0, 1]])
            _, turned, shift = cv2.solvePnP(points, np.array(told.corners), matrix, None)
            eye = -cv2.Rodrigues(turned)[0].T @ shift[:, 0]
            self.assertLess(np.linalg.norm(found.eye - eye) / true.distance_mm, 2e-3)

    def test_seen_straight_on_the_lens_is_the_record_s_or_a_usual_one_and_it_says_so(self):
        true = camera(2, 1, 4000, 1500)
        told, _ = rectangle(true, 1200, 900)
        by_record = stood(told, true.lens_mm, 0.0, SIZE)
        self.assertEqual(by_record.lens_from, "the photo's record")
        self.like(by_record, true, 1e-9)
        usual = stood(told, None, 0.0, SIZE)
        self.assertEqual(usual.lens_from, "a usual lens")
        self.assertAlmostEqual(usual.lens_mm, 28.0)

    def test_a_bending_lens_is_straightened_first(self):
        true = camera(35, 12, 3000, 1300)
        told, _ = rectangle(true, 1700, 1100, bent=-0.08)
        self.like(stood(told, None, -0.08, SIZE), true, 1e-4, 1e-4)
        self.assertGreater(abs(stood(told, None, 0.0, SIZE).focal_px / true.focal_px - 1), 1e-3)

    def test_corners_that_are_no_rectangle_s_are_refused(self):
        true = camera(35, 12, 3000, 1300)
        told, _ = rectangle(true, 1700, 1100)
        a, b, c, d = told.corners
        thin = spots([(100, 500), (900, 502), (900, 499), (100, 499)])
        for corners, says in (
            ((a, b, d, c), "cross"),
            ((d, c, b, a), "the other way"),
            ((a, a, c, d), "cross"),
            (thin, "from its edge"),
        ):
            with self.subTest(says), self.assertRaisesRegex(KilnError, says):
                stood(told.model_copy(update={"corners": corners}), None, 0.0, SIZE)


class FromLines(Told):
    def setUp(self):
        self.true = camera(30, 10, 5000, 1500, 2)
        self.noise = np.random.default_rng(11)

    def line(self, a, b, noise=MARKED):
        both = self.true.project(np.array([a, b], float))
        return spots(both + self.noise.normal(0, noise, (2, 2)))

    def told(self, noise=MARKED, **more):
        along = tuple(self.line((-900, 0, z), (900, 0, z), noise) for z in (-600, 0, 600))
        upright = tuple(self.line((x, 0, -600), (x, 0, 600), noise) for x in (-900, 0, 900))
        measured = self.line((0, 0, 0), (800, 0, 0), noise)
        return Parallels(along=along, upright=upright, measured=measured, length_mm=800.0, **more)

    def test_two_and_three_directions(self):
        self.like(stood(self.told(0.0), None, 0.0, SIZE), self.true, 1e-5, 1e-5, 1e-3)
        self.like(stood(self.told(), None, 0.0, SIZE), self.true, 0.02, 0.02)
        away = tuple(self.line((x, 0, -600), (x, 900, -600)) for x in (-900, 900))
        self.like(stood(self.told(away=away), None, 0.0, SIZE), self.true, 0.02, 0.015)
        ground = Parallels(
            along=self.told(0.0).along, away=away, measured=self.told(0.0).measured, length_mm=800.0
        )
        self.like(stood(ground, None, 0.0, SIZE), self.true, 0.04, 0.04, 1.0)

    def test_an_upright_length_measured_from_above_to_below(self):
        told = self.told(0.0)
        measured = self.line((0, 0, 500), (0, 0, -100), 0.0)
        told = told.model_copy(update={"measured": measured, "way": "upright", "length_mm": 600.0})
        found = stood(told, None, 0.0, SIZE)
        # the origin is where it was measured from
        self.assertLess(np.linalg.norm(found.eye + (0, 0, 500) - self.true.eye), 0.5)

    def test_lines_parallel_in_the_picture_take_the_lens_of_the_record(self):
        self.true = camera(0, 0, 5000, 1500)
        found = stood(self.told(0.0), self.true.lens_mm, 0.0, SIZE)
        self.assertEqual(found.lens_from, "the photo's record")
        self.like(found, self.true, 1e-9)

    def test_too_few_or_too_short_lines_are_refused(self):
        told = self.told()
        for update, says in (
            ({"upright": ()}, "two directions"),
            ({"upright": told.upright[:1]}, "two directions"),
            ({"measured": ((5.0, 5.0), (6.0, 5.0))}, "measured length is too short"),
            ({"along": (*told.along, ((5.0, 5.0), (6.0, 5.0)))}, "too short"),
        ):
            with self.subTest(says), self.assertRaisesRegex(KilnError, says):
                stood(told.model_copy(update=update), None, 0.0, SIZE)


def oval_of(true, radius, z):
    turn = np.linspace(0, 2 * np.pi, 200, endpoint=False)
    points = np.stack([radius * np.cos(turn), radius * np.sin(turn), 0 * turn + z], axis=1)
    (x, y), axes, angle = cv2.fitEllipse(true.project(points).astype(np.float32))
    if axes[0] < axes[1]:
        axes, angle = axes[::-1], angle + 90
    turned = (angle + 90) % 180 - 90
    return Oval(middle=(x, y), long_px=axes[0] / 2, short_px=axes[1] / 2, turn_deg=turned)


class FromRims(Told):
    def test_rim_and_foot_of_a_mug(self):
        for tilt, focal, far in ((20, 1500, 600), (35, 2500, 900), (25, 1200, 350)):
            true = camera(0, tilt, far, focal, 1.5, (0, 0, 50))
            rim, foot = oval_of(true, 41, 95), oval_of(true, 41, 0)
            with self.subTest("with its height", tilt=tilt):
                told = Rims(rim=rim, foot=foot, diameter_mm=82, height_mm=95)
                self.like(stood(told, None, 0.0, SIZE), true, 0.01, 0.01)
            with self.subTest("without", tilt=tilt):
                found = stood(Rims(rim=rim, foot=foot, diameter_mm=82), true.lens_mm, 0.0, SIZE)
                self.like(found, true, 0.01, 0.01)

    def test_a_cup_that_tapers(self):
        for tilt, focal, far in ((20, 1500, 600), (35, 2500, 900)):
            true = camera(0, tilt, far, focal, 1.5, (0, 0, 50))
            rim, foot = oval_of(true, 44, 110), oval_of(true, 27, 0)
            told = Rims(rim=rim, foot=foot, diameter_mm=88, foot_mm=54, height_mm=110)
            self.like(stood(told, None, 0.0, SIZE), true, 0.01, 0.01)
            self.assertLess(stood(told, None, 0.0, SIZE).off_px, 0.05)
            as_wide = told.model_copy(update={"foot_mm": 0.0})
            self.assertGreater(stood(as_wide, true.lens_mm, 0.0, SIZE).off_px, 5)

    def test_a_rim_below_its_foot_is_refused(self):
        true = camera(0, 20, 600, 1500)
        rim, foot = oval_of(true, 41, 95), oval_of(true, 41, 0)
        with self.assertRaisesRegex(KilnError, "rim must be above"):
            stood(Rims(rim=foot, foot=rim, diameter_mm=82), None, 0.0, SIZE)


class FromTheHorizon(Told):
    def test_how_it_was_held_and_where(self):
        true = camera(12, 9, 8000, 1500, 3)
        far = true.eye + 1e9 * np.array([[-0.4, 1, 0], [0.1, 1, 0]])
        told = Horizon(line=spots(true.project(far)), below=(700.0, 800.0), eye_mm=1700.0)
        found = stood(told, true.lens_mm, 0.0, SIZE)
        self.assertAlmostEqual(found.ahead[2], true.ahead[2], places=5)
        self.assertAlmostEqual(found.right[2], true.right[2], places=5)
        self.assertAlmostEqual(found.eye[2], 1700.0, places=6)
        np.testing.assert_allclose(found.project(np.zeros((1, 3)))[0], (700, 800), atol=1e-6)
        with self.assertRaisesRegex(KilnError, "below the horizon"):
            stood(told.model_copy(update={"below": (700.0, 10.0)}), true.lens_mm, 0.0, SIZE)


class BentLines(unittest.TestCase):
    def test_there_and_back(self):
        points = np.random.default_rng(2).uniform(0, 1, (60, 2)) * SIZE
        for bent in (-0.12, 0.2):
            np.testing.assert_allclose(
                straight(curved(points, bent, SIZE), bent, SIZE), points, rtol=0, atol=1e-8
            )

    def test_the_coefficient_from_edges_that_are_straight_in_life(self):
        noise = np.random.default_rng(4)
        ends = (((100, 80), (1500, 120)), ((60, 1000), (1550, 950)), ((1500, 50), (1450, 1000)))
        for bent in (-0.1, 0.06):
            edges = [
                curved(np.linspace(*pair, 9), bent, SIZE) + noise.normal(0, MARKED, (9, 2)) for pair in ends
            ]
            found, off = bent_of(edges, SIZE)
            self.assertAlmostEqual(found, bent, delta=0.004)
            self.assertLess(off, 2 * MARKED)

    def test_edges_that_tell_nothing_are_refused(self):
        with self.assertRaisesRegex(KilnError, "three points"):
            bent_of([np.array([[0, 0], [5, 5]])], SIZE)
        with self.assertRaisesRegex(KilnError, "picture's middle"):
            bent_of([np.array([[100, 533], [800, 533], [1500, 533]])], SIZE)


class Tables(unittest.TestCase):
    def test_every_way_has_its_entries(self):
        mine = [table for table in TABLES if table.__name__ in ("solved", "unbent")]
        self.assertEqual(len(mine), 2)
        self.assertEqual([table.forgotten for table in mine], [[], []])
