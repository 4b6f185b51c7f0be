"""Crafts whose height changes with the distance from the outline, against closed forms and libraries."""

import math
import unittest

import numpy as np
import shapely
import trimesh
from scipy.spatial import cKDTree

from kilnchisel.core.build import lettering_laid, piece_of
from kilnchisel.core.crafts.profile import Outlined, stages_of
from kilnchisel.core.crafts.roof import FINE, ROUGH, inner_points, medial_points, roof_faces, stroke_mm
from kilnchisel.core.crafts.walls import _zipped
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Shape
from kilnchisel.core.job.blank import Band, Bottle, Globe, Mug, Plaque
from kilnchisel.core.job.crafts import Engraved, Pressed, Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Brass, Gold
from kilnchisel.core.job.fresh import job_on as fresh_job_on
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import main_side
from kilnchisel.core.lettering.outline import Layer
from kilnchisel.core.shop.readings import readings
from kilnchisel.core.shop.volumes import relief_range_mm, relief_volume_mm3
from tests.outside.test_blanks import job_on, mesh_of
from tests.outside.test_shapes import taken

BENT = (
    Engraved(floor="v", depth_mm=3),
    Engraved(floor="v", depth_mm=0.2),
    Engraved(floor="round", depth_mm=0.4, fillet_mm=0.25),
    Raised(edge="sloped", slope_deg=25, height_mm=0.6),
    Raised(edge="bevelled", edge_mm=0.2),
    Raised(edge="rounded", edge_mm=0.2),
    Raised(edge="ridge", slope_deg=30, height_mm=0.4),
    Raised(edge="ridge", slope_deg=20, height_mm=0.3, round_mm=0.25),
    Raised(edge="cushion", height_mm=0.7),
    Raised(edge="stepped", edge_mm=0.1),
    Raised(edge="drawn", edge_mm=0.5),
    Pressed(depth_mm=0.4, soft_mm=0.2),
)


def named(craft):
    return f"{craft.kind} {getattr(craft, 'floor', getattr(craft, 'edge', ''))}"


def bar(width, craft):
    """A bar of this width, engraved or raised on a thick plaque."""
    job = job_on(Plaque(width_mm=90, height_mm=40, thickness_mm=20), text="I", craft=craft)
    form = Shape.model_validate({"form": {"kind": "rule", "length_mm": 60, "line_mm": width}})
    return change(job, ("letterings", 0, "content"), form)


def level_of(job):
    """The lettered surface of a job on a plaque: sheet points, heights and faces."""
    front = float(lettering_laid(job, 0).side.to_body(np.zeros((1, 2)), np.zeros(1))[0, 1])
    meshes = [part.mesh for part in piece_of(job).parts if part.lettering == 0]
    assert len(meshes) == 1
    mesh = meshes[0]
    return mesh, front - mesh.points[:, 1]


class Heights(unittest.TestCase):
    def test_a_v_cutter_goes_as_deep_as_the_stroke_is_wide(self):
        # depth over width = 0.5 / tan(a / 2): handbook figures for 30, 60, 90 and 120 degrees
        for angle, share in ((30, 1.8660), (60, 0.8660), (90, 0.5), (120, 0.2887)):
            job = bar(4.0, Engraved(floor="v", depth_mm=19, angle_deg=angle))
            low, high = relief_range_mm(job.letterings[0], lettering_laid(job, 0))
            self.assertAlmostEqual(-low / 4.0, share, delta=1e-3)
            self.assertEqual(high, 0.0)
            _, heights = level_of(job)
            self.assertAlmostEqual(-float(heights.min()) / 4.0, share, delta=2e-3)

    def test_what_is_level_in_the_middle_is_as_round_as_what_it_is_on(self):
        # the middle of a triangle across a stroke 9 mm wide would lie 0.2 mm within a cylinder of 42 mm
        mug = Mug(handle=False, wall_mm=5, rim_mm=6)
        for craft, high in (
            (Engraved(floor="round", depth_mm=0.4, fillet_mm=0.2), -0.4),
            (Raised(edge="rounded", edge_mm=0.2, height_mm=0.5), 0.5),
            (Raised(edge="bevelled", edge_mm=0.2, height_mm=0.5), 0.5),
        ):
            job = job_on(mug, text="OI", cap=45, craft=craft, across_mm=40)
            side = lettering_laid(job, 0).side
            for detail, off in ((Detail.FINE, 0.01), (Detail.ROUGH, 0.08)):
                (mesh,) = (p.mesh for p in piece_of(job, detail=detail).parts if p.lettering == 0)
                middles = mesh.points[mesh.faces].mean(axis=1)
                rise = np.hypot(middles[:, 0], middles[:, 1]) - side.radius_mm
                lowest, highest = min(high, 0.0), max(high, 0.0)
                with self.subTest(craft=named(craft), detail=detail):
                    self.assertGreater(rise.min(), lowest - off - 1e-6)
                    self.assertLess(rise.max(), highest + 1e-6)
                    level = np.abs(rise - high) < off
                    self.assertGreater(level.sum(), 100)

    def test_a_slope_is_as_high_as_its_distance_says(self):
        # exact distance to the outline by shapely, at corners and in the middle of every triangle
        craft = Raised(edge="sloped", slope_deg=40, height_mm=9)
        job = job_on(Plaque(thickness_mm=20), text="R&B", cap=14, craft=craft)
        laid = lettering_laid(job, 0)
        mesh, heights = level_of(job)
        for points, found in (
            (mesh.uv, heights),
            (mesh.uv[mesh.faces].mean(axis=1), heights[mesh.faces].mean(axis=1)),
        ):
            far = shapely.distance(shapely.points(points), laid.ink.boundary)
            wanted = np.minimum(far / math.tan(math.radians(40)), 9)
            self.assertLess(float(np.quantile(np.abs(found - wanted), 0.99)), 0.08)
            self.assertLess(float(np.abs(found - wanted).mean()), 0.006)
        widest = max(shapely.maximum_inscribed_circle(letter, 0.001).length for letter in laid.ink.geoms)
        self.assertAlmostEqual(float(heights.max()), widest / math.tan(math.radians(40)), 1)

    def test_slopes_by_the_angles_of_the_mesh(self):
        job = bar(6.0, Raised(edge="ridge", slope_deg=35, height_mm=1))
        mesh, heights = level_of(job)
        a, b, c = (mesh.points[mesh.faces[:, i]] for i in range(3))
        normal = np.cross(b - a, c - a)
        size = np.linalg.norm(normal, axis=1)
        above = heights[mesh.faces].mean(axis=1) > 1.0
        lean = np.degrees(np.arccos(np.clip(-normal[above, 1] / size[above], -1, 1)))
        self.assertAlmostEqual(float(np.average(lean, weights=size[above])), 35, delta=0.3)

    def test_bevel_and_round_are_added_together(self):
        plain = Raised(edge="ridge", slope_deg=30, height_mm=1)
        both = plain.model_copy(update={"round_mm": 0.8})
        far, high = np.array(stages_of(both, Outlined(3.0))[0].knots).T
        # a quarter of a circle stands on the bevel: its points are 0.8 mm from a middle that moves with it
        on = far <= 0.8
        bevel = np.interp(far, *np.array(stages_of(plain, Outlined(3.0))[0].knots).T)
        np.testing.assert_allclose(np.hypot(far[on] - 0.8, high[on] - bevel[on]), 0.8, atol=1e-9)
        np.testing.assert_allclose((high - bevel)[~on], 0.8, atol=1e-9)
        # at 30 degrees it rises 1 in 1.7320 (table of tangents)
        np.testing.assert_allclose(bevel[1:] - bevel[0], far[1:] / 1.7320508, atol=1e-7)

    def test_a_pressed_edge_is_soft_and_its_rim_swells(self):
        craft = Pressed(depth_mm=1.0, soft_mm=0.8, swell=20)
        job = bar(8.0, craft)
        low, high = relief_range_mm(job.letterings[0], lettering_laid(job, 0))
        self.assertAlmostEqual(low, -1.0)
        self.assertAlmostEqual(high, 0.2, delta=0.03)
        names = [part.name for part in piece_of(job).parts]
        self.assertIn("front round lettering 1", names)
        far, heights = np.array(stages_of(craft, Outlined(0.0))[0].knots).T
        # three times as wide as the soft edge, and highest a third of the way out
        self.assertAlmostEqual(float(far[heights.argmax()]), -0.8, delta=0.18)
        self.assertAlmostEqual(float(far[0]), -2.4)
        slope = np.diff(heights) / np.diff(far)
        # no corner sharper than 60 degrees, none at either end
        self.assertLess(float(np.degrees(np.arctan(np.abs(slope).max()))), 65)
        self.assertLess(abs(slope[0]), 0.15)
        self.assertLess(abs(slope[-1]), 0.5)


class Volumes(unittest.TestCase):
    def test_by_layers_against_the_mesh(self):
        whole = mesh_of(Job(blank=Plaque(thickness_mm=20))).volume
        for craft in BENT:
            job = job_on(Plaque(thickness_mm=20), text="TARN & R8", cap=6, craft=craft)
            wanted = relief_volume_mm3(job.letterings[0], lettering_laid(job, 0))
            found = mesh_of(job).volume - whole
            self.assertAlmostEqual(found / wanted, 1.0, delta=0.02, msg=named(craft))

    def test_across_the_seam_it_is_what_it_is_in_front(self):
        mug = Mug(handle=False, wall_mm=5, rim_mm=6)
        whole = mesh_of(Job(blank=mug)).volume
        half = np.pi * 2 * 41.0 / 2
        for craft in BENT:
            made = [
                mesh_of(job_on(mug, text="R&8", cap=9, craft=craft, along_mm=along, across_mm=40)).volume
                for along in (0.0, 0.98 * half)
            ]
            with self.subTest(craft=named(craft)):
                for volume in made[1:]:
                    self.assertAlmostEqual((volume - whole) / (made[0] - whole), 1.0, delta=0.01)

    def test_a_groove_of_a_bar(self):
        # a trench of triangular section with ends like half a pyramid: w² / 4 t (l - w / 3), t = tan
        job = bar(4.0, Engraved(floor="v", depth_mm=19, angle_deg=90))
        whole = mesh_of(Job(blank=job.blank)).volume
        wanted = 4.0**2 / 4 * (60 - 4.0 / 3)
        self.assertAlmostEqual((whole - mesh_of(job).volume) / wanted, 1.0, delta=2e-3)

    def test_weight_by_the_handbook(self):
        # brass CuZn37 8.44 g/cm³; 60 x 4 x 2 mm
        job = change(bar(4.0, Raised(height_mm=2)), ("letterings", 0, "finish"), Brass())
        found = {reading.key: reading.value for reading in readings(job, 0)}
        self.assertAlmostEqual(found["volume"], 0.48, delta=1e-6)
        self.assertAlmostEqual(found["weight"], 0.48 * 8.44, delta=1e-4)

    def test_gold_weighs_what_its_alloy_does(self):
        # fine gold 19.3 (CRC), 18 karat yellow about 15.5, 14 karat red about 13.1: goldsmiths' handbooks,
        # from memory
        for carat, alloy, density in ((24, "yellow", 19.3), (18, "yellow", 15.5), (14, "red", 13.1)):
            gold = Gold(carat=carat, alloy=alloy)
            job = change(bar(4.0, Raised(height_mm=2)), ("letterings", 0, "finish"), gold)
            found = {reading.key: reading.value for reading in readings(job, 0)}
            self.assertAlmostEqual(found["weight"] / (0.48 * density), 1.0, delta=0.015)


class Closed(unittest.TestCase):
    def test_every_craft_on_plane_band_bottle_and_ball(self):
        blanks = (
            Plaque(),
            Band(inner_mm=30, width_mm=9, thickness_mm=6),
            Bottle(wall_mm=5),
            Globe(),
        )
        for blank in blanks:
            for craft in BENT:
                job = job_on(blank, text="R&8", cap=4, craft=craft, across_mm=main_side(blank)[2])
                self.assertTrue(mesh_of(job).is_watertight, f"{blank.kind} {named(craft)}")

    def test_over_each_other_over_the_border_and_over_the_seam(self):
        mug = Mug(handle=False, wall_mm=4, rim_mm=5)
        for craft in BENT:
            job = job_on(mug, text="SERVO", cap=6, craft=craft, along_mm=126, across_mm=40)
            more = job_on(mug, text="HI", cap=9, craft=craft, along_mm=120, across_mm=43).letterings
            job = change(job, ("letterings",), job.letterings + more)
            self.assertTrue(mesh_of(job).is_watertight, named(craft))
            low = job_on(Plaque(), text="DE", cap=30, craft=craft, across_mm=28, turn_deg=7)
            self.assertTrue(mesh_of(low).is_watertight, named(craft))

    def test_on_a_mesh(self):
        ball = trimesh.creation.icosphere(subdivisions=5, radius=40)
        blank = taken(ball)
        whole = mesh_of(Job(blank=blank)).volume
        for craft in BENT:
            job = fresh_job_on(blank, "t", "R&8")
            job = change(job, ("letterings", 0, "lay"), Lay(side="any spot", spot=(0.0, -40.0, 40.0)))
            job = change(job, ("letterings", 0, "content", "cap_height_mm"), 9.0)
            job = change(job, ("letterings", 0, "craft"), craft)
            made = mesh_of(job)
            self.assertTrue(made.is_watertight, named(craft))
            wanted = relief_volume_mm3(job.letterings[0], lettering_laid(job, 0))
            self.assertAlmostEqual((made.volume - whole) / wanted, 1.0, delta=0.08, msg=named(craft))

    def test_too_deep_is_told_by_what_is_reached(self):
        mug = Mug(handle=False, wall_mm=1.8)
        fine = job_on(mug, text="ABC", cap=5, craft=Engraved(floor="v", depth_mm=9), across_mm=40)
        self.assertTrue(piece_of(fine).parts)
        deep = change(fine, ("letterings", 0, "content", "cap_height_mm"), 30.0)
        with self.assertRaisesRegex(KilnError, "break through"):
            piece_of(deep)


class Slopes(unittest.TestCase):
    def test_no_spot_of_a_round_bend_is_far_from_a_point_of_the_slope(self):
        # a cone is no plane: within 0.7 of a step of every spot there is a point of it, or the outline
        disc = shapely.Point(0, 0).buffer(1, quad_segs=64)
        ring = shapely.difference(disc, shapely.Point(0, 0).buffer(0.4, quad_segs=64))
        spots = np.random.default_rng(0).uniform(-1, 1, (9000, 2))
        for shape in (disc, ring):
            inside = spots[shapely.contains_xy(shape, *spots.T)]
            outline = shapely.get_coordinates(shapely.segmentize(shape, 0.02))
            for detail, share in ((Detail.ROUGH, ROUGH), (Detail.FINE, FINE)):
                layer = Layer("letters", None, shapely.MultiPolygon([shape]))
                points = inner_points(layer, 2.0, detail=detail)[:, :2]
                off = cKDTree(np.concatenate([points, outline])).query(inside)[0]
                with self.subTest(area=round(shape.area, 2), detail=detail):
                    self.assertLess(float(off.max()), 0.7 * stroke_mm(layer.region) / share)


class Ridges(unittest.TestCase):
    def test_where_strokes_cross_the_ridge_between_is_there_all_along(self):
        # of two strokes 10 mm wide that cross at right angles: from the middle out to where one begins the
        # nearest of the outline are the corners, hypot(5 - x, 5) away
        both = shapely.union(shapely.box(-40, -5, 40, 5), shapely.box(-5, -40, 5, 40))
        found = medial_points(Layer("letters", None, shapely.MultiPolygon([both])), detail=Detail.FINE)
        for x in np.arange(0.5, 5, 0.5):
            near = found[np.argmin(np.hypot(found[:, 0] - x, found[:, 1]))]
            self.assertLess(np.hypot(near[0] - x, near[1]), 0.7)
            self.assertAlmostEqual(near[2], np.hypot(5 - near[0], 5), delta=0.05)


class Triangles(unittest.TestCase):
    def test_edges_that_are_lacking_are_put_in(self):
        # a thin comb: the long edges are none of Delaunay's own
        rng = np.random.default_rng(4)
        for _ in range(20):
            outer = np.array([[0.0, 0.0], [10, 0], [10, 1], [0, 1]])
            inner = np.column_stack([rng.uniform(0.3, 9.7, 40), rng.uniform(0.05, 0.95, 40)])
            border = np.array([[0, 1], [1, 2], [2, 3], [3, 0]])
            faces = roof_faces(np.concatenate([outer, inner]), border)
            self.assertIsNotNone(faces)
            points = np.concatenate([outer, inner])
            a, b, c = (points[faces[:, i]] for i in range(3))
            area = ((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]) / 2
            self.assertGreater(float(area.min()), 0)
            self.assertAlmostEqual(float(area.sum()), 10.0)


class Walls(unittest.TestCase):
    def test_two_chains_are_joined_level_with_level(self):
        # a wall whose ends have 3 and 9 corners, evenly: no triangle reaches farther up than one step of
        # the wider chain, and together they cover the wall once
        low, high = 3, 9
        height = np.concatenate([np.linspace(0, 1, low), np.linspace(0, 1, high)])
        place = np.stack([np.repeat([0.0, 1.0], [low, high]), height], axis=1)
        faces = np.array(_zipped(list(range(low)), list(range(low, low + high))))
        self.assertEqual(len(faces), low + high - 2)
        self.assertLessEqual(np.ptp(height[faces], axis=1).max(), 1 / (low - 1) + 1 / (high - 1) + 1e-9)
        a, b, c = (place[faces[:, k]] for k in range(3))
        double = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
        self.assertTrue((double > 0).all())
        self.assertAlmostEqual(double.sum() / 2, 1.0)


if __name__ == "__main__":
    unittest.main()
