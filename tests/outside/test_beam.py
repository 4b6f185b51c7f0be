"""Straight projection against closed forms on a cylinder, a sphere and a band's inside."""

import math
import unittest

import numpy as np
import shapely
import trimesh

from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.build import body_of, lettering_laid
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import KINDS, Apparel, Band, Globe, Mug
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.traits import main_side
from kilnchisel.core.laying.beam import Beam
from kilnchisel.core.laying.patch import spot_chart
from tests.outside.test_blanks import job_on, mesh_of
from tests.outside.test_shapes import taken


class Projection(unittest.TestCase):
    def test_on_a_cylinder_by_the_arc_sine(self):
        # a line at x of a plane that touches a cylinder meets it at the angle asin(x / r)
        mug = Mug(handle=False)
        laid = lettering_laid(job_on(mug, text="DOME", cap=14, along_mm=9, across_mm=45, wrap="project"), 0)
        radius = mug.diameter_mm / 2
        flat = np.array([[-30.0, 2.0], [0.0, 0.0], [12.0, -5.0], [30.0, 7.0]])
        uv = laid.placing.points(flat)
        np.testing.assert_allclose(uv[:, 0] - 9, radius * np.arcsin(flat[:, 0] / radius), atol=1e-6)
        np.testing.assert_allclose(uv[:, 1] - 45, flat[:, 1], atol=1e-6)
        np.testing.assert_allclose(laid.placing.back(uv), flat, atol=1e-6)
        slant = math.cos(math.asin(max(abs(np.array(laid.outline.bounds)[[0, 2]])) / radius))
        self.assertAlmostEqual(laid.stretch[1], 1 / slant, delta=0.02)
        self.assertAlmostEqual(laid.stretch[0], 1.0, delta=1e-6)

    def test_again_round_a_side_each_is_stretched_as_the_first(self):
        mug = Mug(handle=False)
        once = job_on(mug, text="TARN", cap=14, across_mm=45, wrap="project")
        again = change(once, ("letterings", 0, "lay", "repeat"), {"times": 3})
        found = [lettering_laid(job, 0).stretch for job in (once, again)]
        self.assertGreater(found[0][1], 1.02)
        np.testing.assert_allclose(found[1], found[0], atol=0.01)  # at other corners

    def test_a_straight_edge_is_bent_finely(self):
        # a line of slope 1/2 in the plane: (r asin(x / r), x / 2) on the sheet, whatever the corners are
        mug = Mug(handle=False)
        laid = lettering_laid(job_on(mug, text="I", cap=14, across_mm=45, wrap="project"), 0)
        radius, beam = mug.diameter_mm / 2, laid.placing.beams[0]
        slanted = shapely.Polygon([(-30, -15), (30, 15), (30, 15.5), (-30, -14.5)])
        cast = beam.region(shapely.MultiPolygon([slanted]))
        middles = (u := shapely.get_coordinates(cast.geoms[0].exterior))[:-1] / 2 + u[1:] / 2
        middles = middles - (laid.lay.along_mm, laid.lay.across_mm)
        off = middles[:, 1] - radius * np.sin(middles[:, 0] / radius) / 2
        inner = np.abs(middles[:, 0]) < radius * np.arcsin(29 / radius)
        nearest = np.minimum(np.abs(off), np.abs(off - 0.5))[inner]
        self.assertGreater(len(nearest), 20)
        self.assertLess(float(nearest.max()), 0.003)

    def test_the_shadow_keeps_its_area(self):
        # seen from the beam the letters are as large as drawn, on any side that bends
        for blank in (Mug(handle=False), Globe(), Band(inner_mm=30, width_mm=12)):
            sides = ("inside", "outside") if blank.kind == "band" else (None,)
            for side in sides:
                place = main_side(blank)[2] if side is None else 0.0
                laid = lettering_laid(
                    job_on(blank, side=side, text="OR", cap=4, across_mm=place, wrap="project"), 0
                )
                beam = laid.placing.beams[0]
                shadow = shapely.transform(shapely.segmentize(laid.ink, 0.05), beam.plane)
                self.assertAlmostEqual(shadow.area / laid.outline.ink.area, 1.0, delta=2e-4)

    def test_what_turns_away_is_trimmed(self):
        mug = Mug(handle=False)
        laid = lettering_laid(job_on(mug, text="OBSERVATORY HILL", cap=14, across_mm=45, wrap="project"), 0)
        self.assertGreater(laid.outline.width_mm, mug.diameter_mm)
        reached = laid.placing.beams[0].seen.bounds
        # 80 degrees round, to half a cell of the grid that tells
        wide = mug.diameter_mm / 2 * math.sin(math.radians(80))
        np.testing.assert_allclose((-reached[0], reached[2]), wide, atol=0.2)
        ink = laid.outline.ink
        beside = (
            1 - shapely.intersection(ink, shapely.box(-reached[2], -99, reached[2], 99)).area / ink.area
        )
        self.assertAlmostEqual(laid.unreached, beside, places=6)
        self.assertGreater(beside, 0.1)
        shown = laid.placing.beams[0].plane(shapely.get_coordinates(laid.ink))
        self.assertLessEqual(float(np.abs(shown[:, 0]).max()), reached[2] + 1e-6)

    def test_beside_its_side_it_falls_on_what_is_nearest(self):
        empty = 0
        for kind, blank in KINDS.items():
            if kind == "mesh":
                continue
            side = lettering_laid(job_on(blank(), text="O", cap=5), 0).side
            low_u, low_v, high_u, high_v = side.domain.bounds
            for u, v in ((0.5, 1.6), (1.7, 0.5), (-1.2, -0.8)):
                place = low_u + u * (high_u - low_u), low_v + v * (high_v - low_v)
                job = job_on(
                    blank(), text="OR", cap=5, along_mm=place[0], across_mm=place[1], wrap="project"
                )
                with self.subTest(kind=kind, at=(u, v)):
                    follows = change(job, ("letterings", 0, "lay", "wrap"), "follow")
                    self.assertTrue(np.isfinite(lettering_laid(follows, 0).frame).all())
                    try:
                        laid = lettering_laid(job, 0)
                    except KilnError as error:
                        self.assertIn("Straight on", str(error))
                        continue
                    empty += laid.ink.is_empty
                    self.assertTrue(np.isfinite(laid.frame).all())
        self.assertGreater(empty, 10)

    def test_on_folds_it_is_whole_and_falls_on_what_is_first(self):
        """Cloth overhangs itself; its border as the lamp sees it crosses itself. A square of 60 mm is as
        large as drawn all the same, and rays of another library meet nothing of the side."""
        whole, folded = 0, 0
        for shown, name in (
            ("worn", "front"),
            ("worn", "back"),
            ("worn", "left sleeve"),
            ("on a hanger", "back"),
        ):
            side = body_of(Apparel(shown=shown)).sides.named(name)
            points = side.to_body(side.net.points, np.zeros(len(side.net.points)))
            cloth = trimesh.Trimesh(points, side.net.faces, process=False)
            for spot in ((0.0, 40.0), (40.0, -30.0), (36.0, 56.0), (-65.0, 17.0), (-139.0, -57.0)):
                beam = Beam(side, np.array(spot))
                square = shapely.MultiPolygon([shapely.box(-30, -30, 30, 30)])
                cast = beam.region(square)
                with self.subTest(shown=shown, side=name, spot=spot):
                    if not beam.folded:
                        reached = shapely.intersection(square, beam.seen).area
                        shadow = shapely.transform(shapely.segmentize(cast, 0.5), beam.plane)
                        self.assertAlmostEqual(shadow.area / reached, 1.0, delta=2e-3)
                        whole += reached > 3400
                        continue
                    folded += 1
                    uv = shapely.get_coordinates(shapely.segmentize(shapely.buffer(cast, -3.0), 4.0))
                    out = side.frames(np.array([spot]))[0, 2]
                    start = side.to_body(uv, np.zeros(len(uv))) + 2.5 * out
                    self.assertGreater(len(start), 10)
                    hidden = cloth.ray.intersects_any(start, np.tile(out, (len(start), 1)))
                    self.assertLess(hidden.mean(), 0.02)
        self.assertGreater(whole, 4)
        self.assertGreater(folded, 4)

    def test_on_a_mesh_nothing_is_under_nothing(self):
        chart = spot_chart(
            free_mesh(taken(trimesh.creation.icosphere(3, radius=30))),
            (0.0, -30.0, 30.0),
            20.0,
            "follow",
            detail=Detail.FINE,
        )
        self.assertEqual(chart.jacobian(np.zeros((0, 2))).shape, (0, 2, 2))

    def test_solids_close_on_all_that_bends(self):
        for kind in KINDS.values():
            blank = kind()
            job = job_on(blank, text="OK", cap=3, across_mm=main_side(blank)[2], wrap="project")
            if isinstance(lettering_laid(job, 0).side, Plane):  # on a level one it follows the side
                continue
            self.assertTrue(mesh_of(job).is_watertight, blank.kind)
