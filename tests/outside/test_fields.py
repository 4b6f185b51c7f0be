"""Carved textures and reliefs: heights by the mesh, closedness, and what a picture's values become."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import shapely
from PIL import Image

from kilnchisel.core.build import lettering_laid, piece_of
from kilnchisel.core.crafts.fields import Carving, Portrait
from kilnchisel.core.crafts.inked import field_step
from kilnchisel.core.crafts.profile import Stage
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Picture, Shape
from kilnchisel.core.job.assets import keep_asset
from kilnchisel.core.job.blank import Globe, Mug, Plaque
from kilnchisel.core.job.crafts import Carved, Raised, Relief
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import main_side
from kilnchisel.core.lettering.outline import Layer, Raster
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.volumes import relief_range_mm
from tests.outside.test_blanks import job_on, mesh_of

TEXTURES = ("chips", "ripples", "stipple", "grain")


def ramp(width=64, height=48):
    """A picture as light to the right as it is dark to the left, in equal steps of lightness."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "ramp.png"
        grey = np.tile(np.linspace(0, 255, width), (height, 1)).astype(np.uint8)
        Image.fromarray(np.dstack([grey] * 3)).save(path)
        data = path.read_bytes()
    return Picture(sha256=keep_asset(data, "ramp.png"), name="ramp.png", width_mm=40.0)


def disc_on(blank, craft, size=30.0):
    form = {"kind": "disc", "width_mm": size, "height_mm": size}
    lettering = Lettering(
        content=Shape.model_validate({"form": form}),
        lay=Lay(side=main_side(blank)[0], across_mm=main_side(blank)[2]),
        craft=craft,
    )
    return Job(blank=blank, letterings=(lettering,))


class Textures(unittest.TestCase):
    def test_while_something_moves_its_points_are_farther_apart(self):
        stage = Stage(0.0, ((0.0, 0.0),), "letters", field=Carving("chips", 0.3, 2.0, 0.0, 1))
        bars = (shapely.MultiPolygon([shapely.box(0, 0, width, 40)]) for width in (20.0, 0.8))
        wide, narrow = (Layer(None, None, region) for region in bars)
        self.assertAlmostEqual(field_step(wide, stage, detail=Detail.FINE), 0.4)
        self.assertAlmostEqual(field_step(wide, stage, detail=Detail.ROUGH), 1.0)
        # a stroke narrower than the marks has points across it all the same
        self.assertLess(field_step(narrow, stage, detail=Detail.FINE), 0.8 / 2.5)

    def test_depth_is_kept_and_reached(self):
        points = np.random.default_rng(2).uniform(-200, 200, (40_000, 2))
        for pattern in TEXTURES:
            heights = Carving(pattern, 1.5, 9.0, 20.0, 3).heights(points)
            self.assertLessEqual(float(heights.max()), 1e-12)
            self.assertGreaterEqual(float(heights.min()), -1.5 - 1e-12)
            self.assertLess(float(heights.min()), -1.35)
            self.assertGreater(float(heights.max()), -0.15)

    def test_a_mark_is_the_same_wherever_the_region_begins(self):
        points = np.random.default_rng(5).uniform(20, 60, (500, 2))
        for pattern in TEXTURES:
            texture = Carving(pattern, 1.0, 7.0, 0.0, 1)
            alone = texture.heights(points[:40])
            np.testing.assert_allclose(texture.heights(points)[:40], alone, atol=1e-9)
            other = Carving(pattern, 1.0, 7.0, 0.0, 2).heights(points)
            self.assertGreater(float(np.abs(other - texture.heights(points)).mean()), 0.02)

    def test_chips_are_longer_along_the_grain(self):
        at = np.arange(0, 400, 0.5)
        lengths = []
        for way in ((1.0, 0.0), (0.0, 1.0)):
            heights = Carving("chips", 1.0, 10.0, 0.0, 1).heights(np.outer(at, way))
            crossings = np.count_nonzero(np.diff(np.sign(heights - heights.mean())))
            lengths.append(400 / crossings)
        self.assertGreater(lengths[0], 1.6 * lengths[1])

    def test_turned_grain_turns_the_marks(self):
        points = np.random.default_rng(7).uniform(-50, 50, (300, 2))
        level = Carving("grain", 1.0, 6.0, 0.0, 1).heights(points)
        turned = Carving("grain", 1.0, 6.0, 90.0, 1).heights(points @ np.array([[0.0, 1.0], [-1.0, 0.0]]))
        np.testing.assert_allclose(level, turned, atol=1e-9)

    def test_marks_go_all_over_what_an_edge_leaves_of_letters(self):
        craft = Carved(base_mm=0.4, texture="ripples", edge_mm=0.3, depth_mm=0.1, cell_mm=2.0)
        job = change(fresh_job("tumbler", "TARN"), ("letterings", 0, "craft"), craft)
        job = change(job, ("letterings", 0, "lay"), Lay(along_mm=22.16, across_mm=30.46, turn_deg=13.7))
        job = change(job, ("letterings", 0, "content", "cap_height_mm"), 48.65)
        self.assertLess(lettering_laid(job, 0).side.domain.bounds[3], lettering_laid(job, 0).ink.bounds[3])
        (mesh,) = (part.mesh for part in piece_of(job).parts if part.lettering == 0)
        corners = mesh.points[mesh.faces]
        sides = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)
        # ripples take triangles a fraction of them wide; left plain, the letters had some as wide as they
        self.assertLess(np.quantile(sides.max(axis=1), 0.999), 0.75 * craft.cell_mm)

    def test_closed_with_letters_on_it_on_what_is_flat_and_what_bends(self):
        for blank in (Plaque(thickness_mm=12), Mug(handle=False, wall_mm=5, rim_mm=6), Globe()):
            for pattern in TEXTURES:
                craft = Carved(texture=pattern, base_mm=-1, depth_mm=0.8, cell_mm=4)
                job = disc_on(blank, craft)
                words = job_on(
                    blank, text="R8", cap=8, craft=Raised(height_mm=0.6), across_mm=main_side(blank)[2]
                )
                job = change(job, ("letterings",), job.letterings + words.letterings)
                self.assertTrue(mesh_of(job).is_watertight, f"{blank.kind} {pattern}")

    def test_what_a_carving_leaves_of_the_wall_is_checked(self):
        for base, level, says in ((-8.0, "warning", "Only 0.2 mm"), (-4.0, "good", "4.2 mm of wall stays")):
            job = disc_on(Plaque(thickness_mm=12), Carved(base_mm=base, depth_mm=3.8))
            wall = {check.key: check for check in checks(job, 0)}["wall"]
            self.assertEqual(wall.level, level)
            self.assertIn(says, wall.says)
            self.assertIsNone(wall.fix)

    def test_a_sunk_ground_lies_where_it_says(self):
        job = disc_on(Plaque(thickness_mm=12), Carved(texture="smooth", base_mm=-2, edge_mm=1))
        low, high = relief_range_mm(job.letterings[0], lettering_laid(job, 0))
        self.assertEqual((low, high), (-2.0, 0.0))
        whole = mesh_of(Job(blank=job.blank)).volume
        # a soft edge of 1 mm takes about half its ring away
        area = np.pi * 14.5**2
        self.assertAlmostEqual((whole - mesh_of(job).volume) / (2 * area), 1.0, delta=0.01)


class Reliefs(unittest.TestCase):
    def job(self, **relief):
        blank = Plaque(thickness_mm=20)
        lettering = Lettering(content=ramp(), lay=Lay(side="front"), craft=Relief(blend_mm=0.5, **relief))
        return Job(blank=blank, letterings=(lettering,))

    def heights(self, job):
        front = float(lettering_laid(job, 0).side.to_body(np.zeros((1, 2)), np.zeros(1))[0, 1])
        mesh = next(part.mesh for part in piece_of(job).parts if part.lettering == 0)
        inner = np.abs(mesh.uv[:, 1]) < 10
        return mesh.uv[inner], front - mesh.points[inner, 1]

    def test_equal_steps_of_lightness_are_equal_heights(self):
        job = self.job(height_mm=3.0, smooth_mm=0)
        uv, heights = self.heights(job)
        middle = np.abs(uv[:, 0]) < 14
        slope, start = np.polyfit(uv[middle, 0], heights[middle], 1)
        self.assertAlmostEqual(slope * 40, 3.0, delta=0.35)
        self.assertLess(float(np.abs(heights[middle] - slope * uv[middle, 0] - start).max()), 0.2)

    def test_sunk_dark_high_and_in_levels(self):
        _, up = self.heights(self.job(height_mm=2.0))
        self.assertAlmostEqual(float(up.max()), 2.0, delta=0.05)
        uv, down = self.heights(self.job(height_mm=2.0, sunk=True))
        self.assertAlmostEqual(float(down.min()), -2.0, delta=0.05)
        uv, dark = self.heights(self.job(height_mm=2.0, bright_high=False))
        self.assertGreater(dark[uv[:, 0] < -10].mean(), dark[uv[:, 0] > 10].mean() + 0.8)
        uv, steps = self.heights(self.job(height_mm=2.0, levels=3, smooth_mm=0))
        near = np.abs(steps[:, None] - np.array([0, 1.0, 2.0])).min(axis=1)
        self.assertGreater(float((near < 0.05).mean()), 0.85)

    def test_smoothing_keeps_edges_and_takes_noise(self):
        rng = np.random.default_rng(1)
        step = np.where(np.arange(120) < 60, 0.2, 0.8) ** 3
        picture = np.repeat(np.tile(step, (90, 1))[..., None], 3, axis=2)
        noisy = np.clip(picture + 0.02 * rng.standard_normal(picture.shape[:2])[..., None], 0, 1)
        raster = Raster(noisy, 40.0, 30.0)
        x = np.linspace(-18, 18, 2000)
        line = np.column_stack([x, np.zeros(2000)])
        rough = Portrait(raster, 1.0, 0.0, 1.0, 1, True, 1.0).heights(line)
        even = Portrait(raster, 1.0, 1.0, 1.0, 1, True, 1.0).heights(line)
        right = x > 4
        self.assertLess(float(even[right].std()), 0.6 * float(rough[right].std()))
        rise = even[np.abs(x - 0.8) < 0.1].mean() - even[np.abs(x + 0.8) < 0.1].mean()
        self.assertGreater(float(rise), 0.6)

    def test_closed_and_refused_without_a_picture(self):
        self.assertTrue(mesh_of(self.job(height_mm=2.0)).is_watertight)
        with self.assertRaisesRegex(KilnError, "made from a picture"):
            piece_of(job_on(Plaque(), text="A", craft=Relief()))


if __name__ == "__main__":
    unittest.main()
