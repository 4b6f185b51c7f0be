"""Fittings, mouldings, holes, frames, films and letters on the ground, by volumes of closed solids."""

import math
import unittest

import numpy as np
import shapely

from kilnchisel.core.blanks.mesh import weld_keys
from kilnchisel.core.build import lettering_laid, piece_of, scene_of_job
from kilnchisel.core.crafts.fields import FLANK, profile_curve
from kilnchisel.core.crafts.tubes import strokes_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Border, Disc, Frame, Holes, Ring, Rule, Shape, Star
from kilnchisel.core.job.blank import Band, Mug, Plaque
from kilnchisel.core.job.boards import Board, Plate
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.crafts import CutThrough, Engraved, Fitting, Printed, Raised, Standing, Tube
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Ink, Paint
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import length_of
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.readings import readings
from kilnchisel.core.shop.stock import needed
from tests.outside.test_blanks import job_on, mesh_of


def shape_on(blank, form, craft, **lay):
    """A job with one shape."""
    item = Lettering(content=Shape(form=form), lay=Lay(**{"side": "front", **lay}), craft=craft)
    return Job(blank=blank, letterings=(item,))


def added(job):
    """What the letterings add to the volume of the bare blank, mm³."""
    made = mesh_of(job)
    assert made.is_watertight
    return made.volume - mesh_of(Job(blank=job.blank)).volume


class Held(unittest.TestCase):
    def test_posts_are_as_long_and_thick_as_they_say(self):
        for section, area in (("square", 60.0**2), ("round", math.pi * 30**2)):
            craft = Fitting(size_mm=60, length_mm=500, section=section, count=3)
            job = shape_on(Board(dome_mm=0), Rule(length_mm=400, line_mm=20), craft, across_mm=50)
            body = lettering_laid(job, 0)
            low = job.blank.height_mm / 2 + 50 + 10  # from the foot of the board to the top of the rule
            self.assertAlmostEqual(added(job) / (3 * area * (500 + low)), 1.0, delta=0.02)
            self.assertFalse(body.ink.is_empty)
            tops = [p.mesh.points for p in piece_of(job).parts if p.lettering == 0]
            self.assertEqual(len(tops), 3)
            for points in tops:  # behind the board, down below it
                self.assertGreaterEqual(points[:, 1].min(), job.blank.thickness_mm - 1e-6)
                self.assertAlmostEqual(points[:, 2].min(), -500, places=6)

    def test_it_is_read_as_what_it_is(self):
        job = shape_on(Plate(), Holes(apart_mm=177.8, apart_up_mm=120.7), Fitting(form="caps", size_mm=12))
        self.assertEqual(checks(job, 0), ())  # over the plate's own holes, where it belongs
        found = {r.key: r.value for r in readings(job, 0)}
        self.assertEqual(found["parts"], 4)
        self.assertNotIn("contrast", found)
        posts = shape_on(Board(), Rule(length_mm=300, line_mm=20), Fitting(length_mm=500), across_mm=40)
        found = {r.key: r.value for r in readings(posts, 0)}
        self.assertAlmostEqual(found["post"], 500 + 180 + 50, delta=0.01)

    def test_a_piece_on_posts_stands_on_their_feet(self):
        job = shape_on(Board(), Rule(length_mm=300, line_mm=20), Fitting(length_mm=640))
        job = change(job, ("setting", "stance"), "standing")
        scene = scene_of_job(job)
        lowest = min(
            float((i.mesh.points @ scene.stance[:3, :3].T + scene.stance[:3, 3])[:, 2].min())
            for i in scene.items
        )
        self.assertAlmostEqual(lowest, 0.0, places=5)

    def test_backing_panel_of_the_shape(self):
        craft = Fitting(form="backing", size_mm=12, gap_mm=5)
        job = shape_on(Plaque(), Disc(width_mm=100, height_mm=100), craft)
        area = lettering_laid(job, 0).ink.area
        self.assertAlmostEqual(added(job) / (12 * area), 1.0, places=5)
        panel = next(p for p in piece_of(job).parts if p.lettering == 0).mesh.points
        self.assertAlmostEqual(panel[:, 1].min() - job.blank.thickness_mm, 5.0, places=6)

    def test_caps_are_rims_and_spherical_caps(self):
        """Volume of a spherical cap: pi h (3 a² + h²) / 6; its radius (a² + h²) / 2 h."""
        job = shape_on(Plaque(), Holes(apart_mm=150, apart_up_mm=70), Fitting(form="caps", size_mm=12))
        cap = next(p.mesh for p in piece_of(job).parts if p.lettering == 0)
        out = -cap.points[:, 1]
        middle = cap.points[:, [0, 2]].min(axis=0) / 2 + cap.points[:, [0, 2]].max(axis=0) / 2
        far = np.linalg.norm(cap.points[:, [0, 2]] - middle, axis=1)
        rim = float(out[far > 6 - 1e-6].max())  # how high its upright edge is
        high = float(out.max()) - rim
        self.assertTrue(0.5 < rim < high < 6)
        ball = (36 + high**2) / (2 * high)
        dome = out > rim - 1e-9
        there = np.hypot(far[dome], out[dome] - (rim + high - ball))
        np.testing.assert_allclose(there, ball, rtol=1e-3)
        one = math.pi * 36 * rim + math.pi * high * (3 * 36 + high**2) / 6
        self.assertAlmostEqual(added(job) / (4 * one), 1.0, delta=0.03)

    def test_eyes_and_chains_close_and_hang_together(self):
        craft = Fitting(form="eyes", size_mm=16, length_mm=150)
        job = shape_on(Plaque(), Holes(number="two", apart_mm=120), craft, across_mm=30)
        self.assertTrue(mesh_of(job).is_watertight)
        links = [p.mesh for p in piece_of(job).parts if p.lettering == 0]
        self.assertGreater(len(links), 10)
        for mesh in links:  # each a ring: genus 1, so as many edges as points and faces
            keys = np.unique(weld_keys(mesh.points), axis=0)
            self.assertEqual(len(mesh.faces), 2 * len(keys))
        top = max(float(mesh.points[:, 2].max()) for mesh in links)
        self.assertGreater(top, job.blank.height_mm / 2 + 30 + 150 - 30)

    def test_on_round_blanks_too(self):
        for form, shape in (("caps", Holes(number="two", apart_mm=30)), ("backing", Disc())):
            job = shape_on(Mug(handle=False), shape, Fitting(form=form, size_mm=6), side="outside")
            self.assertTrue(mesh_of(change(job, ("letterings", 0, "lay", "across_mm"), 40.0)).is_watertight)


class Moulded(unittest.TestCase):
    def test_a_bead_round_a_ring_by_pappus(self):
        """A half ellipse of width w and height h carried round: its area pi w h / 4 times its way."""
        craft = Raised(edge="moulded", moulding="bead", height_mm=3)
        job = shape_on(Plaque(), Ring(diameter_mm=90, line_mm=8), craft)
        expected = math.pi * 8 * 3 / 4 * math.pi * (90 - 8)
        self.assertAlmostEqual(added(job) / expected, 1.0, delta=0.02)

    def test_each_profile_closes_and_stands_as_high_as_it_says(self):
        for moulding in ("bead", "cove", "ogee", "steps", "own"):
            craft = Raised(edge="moulded", moulding=moulding, height_mm=2.5)
            job = shape_on(Plaque(), Border(width_mm=150, height_mm=80, line_mm=9), craft)
            with self.subTest(moulding):
                self.assertTrue(mesh_of(job).is_watertight)
                high = min(float(p.mesh.points[:, 1].min()) for p in piece_of(job).parts)
                self.assertAlmostEqual(-high, 2.5, delta=0.12)

    def test_a_cove_is_a_quarter_circle_and_an_ogee_is_as_much_above_as_below(self):
        far, high = profile_curve(Raised(edge="moulded", moulding="cove"))
        share = (far[1:] - FLANK) / (1 - FLANK)  # behind its steep outer face
        np.testing.assert_allclose(np.hypot(1 - share, 1 - high[1:]), 1.0, atol=1e-12)
        np.testing.assert_allclose((share[0], high[1], share[-1], high[-1]), (0, 1, 1, 0), atol=1e-12)
        far, high = profile_curve(Raised(edge="moulded", moulding="ogee"))
        np.testing.assert_allclose(high[1:] + high[:0:-1], 1.0, atol=1e-12)
        np.testing.assert_allclose(np.diff(far[1:]), (1 - FLANK) / 20, atol=1e-12)
        self.assertEqual((high[0], high[1]), (0.0, 1.0))

    def test_an_ogee_falls_inwards(self):
        craft = Raised(edge="moulded", moulding="ogee", height_mm=3)
        job = shape_on(Plaque(), Ring(diameter_mm=90, line_mm=10), craft)
        mesh = next(p for p in piece_of(job).parts if p.lettering == 0).mesh
        far = 45 - np.hypot(mesh.points[:, 0], mesh.points[:, 2] - job.blank.height_mm / 2)
        for at, share in ((1.0, 0.99), (5.2, 0.5), (9.0, 0.03)):
            near = np.abs(far - at) < 0.3
            self.assertAlmostEqual(float(-mesh.points[near, 1].mean()) / 3, share, delta=0.08)

    def test_a_drawn_profile_is_put_on_the_ground_at_both_ends(self):
        craft = Raised(edge="moulded", moulding="own", profile=((20.0, 100.0), (80.0, 100.0)))
        job = shape_on(Plaque(), Ring(diameter_mm=90, line_mm=10), craft)
        expected = 0.8 * 0.8 * 10 * math.pi * 80  # a trapezium 100 % high over 60 %, down over 20 %
        self.assertAlmostEqual(added(job) / expected, 1.0, delta=0.03)


class Opened(unittest.TestCase):
    def test_a_countersink_is_a_cone(self):
        """Frustum: pi h (R² + R r + r²) / 3; beside the cylinder that was there before."""
        plain = shape_on(Plaque(), Holes(number="one", hole_mm=8), CutThrough())
        sunk = shape_on(Plaque(), Holes(number="one", hole_mm=8), CutThrough(sink_mm=3, sink_deg=90))
        cone = math.pi * 3 * (49 + 28 + 16) / 3 - math.pi * 16 * 3
        self.assertAlmostEqual((added(plain) - added(sunk)) / cone, 1.0, delta=0.02)
        self.assertAlmostEqual(-added(plain) / (math.pi * 16 * 10), 1.0, delta=0.01)

    def test_slots_on_each_panel_with_a_moulding_across(self):
        for blank in (Plaque(), Board(), Plate(thickness_mm=3)):
            holes = Holes(number="two", hole_mm=5, slot_mm=6, apart_mm=100)
            job = shape_on(blank, Ring(diameter_mm=100, line_mm=6), Raised(edge="moulded", height_mm=2))
            more = shape_on(blank, holes, CutThrough(sink_mm=2))
            job = change(job, ("letterings",), job.letterings + more.letterings)
            self.assertTrue(mesh_of(job).is_watertight, blank.kind)
            self.assertEqual(mesh_of(job).euler_number, -2 if blank.kind != "plate" else -10)

    def test_a_frame_follows_its_side(self):
        for blank in (Plaque(shape="oval", width_mm=200, height_mm=120), Board(shape="shield"), Plate()):
            job = shape_on(blank, Frame(inset_mm=9, line_mm=3), Raised(height_mm=1), along_mm=4)
            laid = lettering_laid(job, 0)
            around = laid.side.domain.exterior
            points = shapely.points(shapely.get_coordinates(laid.ink))
            far = shapely.distance(points, around)
            self.assertAlmostEqual(float(far.min()), 9.0, delta=0.02)
            self.assertLess(float(far.max()), 12.0 * 1.42)
        with self.assertRaisesRegex(KilnError, "no room"):
            lettering_laid(shape_on(Plaque(), Frame(inset_mm=70), Raised()), 0)


class Films(unittest.TestCase):
    def job(self, *crafts):
        items = tuple(
            Lettering(
                content=Shape(form=Disc(width_mm=40, height_mm=40)),
                lay=Lay(side="front", along_mm=15.0 * n),
                craft=craft,
                finish=Ink(colour="#d0a030"),
            )
            for n, craft in enumerate(crafts)
        )
        return Job(blank=Plaque(), finish=Paint(colour="#203040"), letterings=items)

    def test_they_lie_on_one_another(self):
        job = self.job(Printed(film_mm=0.2), Printed(film_mm=0.2), Printed(film_mm=0.3))
        inks = [lettering_laid(job, n).ink for n in range(3)]
        self.assertAlmostEqual(
            added(job), sum(i.area * t for i, t in zip(inks, (0.2, 0.2, 0.3), strict=True)), places=2
        )
        high = min(float(p.mesh.points[:, 1].min()) for p in piece_of(job).parts)
        self.assertAlmostEqual(-high, 0.7, places=6)

    def test_die_cut_outside_the_outline(self):
        job = self.job(Printed(film_mm=0.1, carrier_mm=5))
        whole, ink = math.pi * 25**2, math.pi * 20**2
        self.assertAlmostEqual(added(job) / (0.1 * (whole + ink)), 1.0, delta=0.01)
        film = next(r for r in readings(job, 0) if r.key == "film")
        self.assertAlmostEqual(film.value, whole / 100, delta=0.2)

    def test_without_white_the_ground_shows_through(self):
        def ink(craft):
            return next(i for i in scene_of_job(self.job(craft)).items if "lettering 1" in i.name).material

        covered, bare = ink(Printed()), ink(Printed(underprint=False))
        ground = scene_of_job(self.job(Printed())).slots["blank"].albedo
        np.testing.assert_allclose(bare.base, np.array(covered.base) * ground, rtol=1e-6)
        self.assertLess(max(bare.base), max(covered.base) / 5)
        on_white = ink(Printed(underprint=False, carrier_mm=3))
        self.assertGreater(max(on_white.base), 0.8 * max(covered.base))


class OnTheGround(unittest.TestCase):
    def bank(self, **craft):
        made = Standing(thickness_mm=100, standoff_mm=200, upright=True, **craft)
        return job_on(Bank(rough_mm=200), text="HILL", cap=1500, craft=made, side="slope")

    def test_letters_are_upright_and_each_on_its_spot(self):
        job = self.bank(posts=False)
        fronts = [p.mesh for p in piece_of(job).parts if p.role == "letters"]
        self.assertEqual(len(fronts), 4)
        side = lettering_laid(job, 0).side
        net = side.to_body(side.net.points, np.zeros(len(side.net.points)))
        feet = []
        for mesh in fronts:
            self.assertLess(float(np.abs(mesh.normals[:, 2]).max()), 1e-6)
            self.assertAlmostEqual(float(np.ptp(mesh.points[:, 2])), 1500, delta=1.0)
            low = mesh.points[mesh.points[:, 2] < mesh.points[:, 2].min() + 1]
            # the ground near its foot, from the bank's own net
            near = net[np.argmin(np.linalg.norm(net[:, :2] - low.mean(axis=0)[:2], axis=1))]
            self.assertLess(abs(float(low[:, 2].min()) - 200 - near[2]), 450)
            feet.append(round(float(low[:, 2].min()), 3))
        self.assertGreater(len(set(feet)), 1)  # the ground is rough: not all are level

    def test_posts_go_into_the_ground(self):
        job = self.bank()
        parts = piece_of(job).parts
        posts = [p.mesh for p in parts if p.role == "support"]
        self.assertGreaterEqual(len(posts), 6)
        letters = [p.mesh for p in parts if p.role == "letters"]
        lowest = min(float(mesh.points[:, 2].min()) for mesh in letters)
        for mesh in posts:
            self.assertLess(float(mesh.points[:, 2].min()), lowest - 200)
            self.assertGreater(float(mesh.volume_mm3), 0)
        self.assertTrue(mesh_of(job).is_watertight)

    def test_an_upright_side_is_refused(self):
        with self.assertRaisesRegex(KilnError, "upright"):
            piece_of(job_on(Plaque(), text="A", cap=20, craft=Standing(upright=True)))


class Machined(unittest.TestCase):
    def test_a_cutter_leaves_its_radius_in_a_square_corner(self):
        """A disc of radius r in a right angle leaves r² (1 - pi/4) there, its tip r (√2 - 1) away."""
        job = shape_on(
            Plaque(), Border(width_mm=100, height_mm=60, line_mm=20, corner_mm=0), Engraved(cutter_mm=6)
        )
        whole = change(job, ("letterings", 0, "craft", "cutter_mm"), 0.0)
        missed = (added(job) - added(whole)) / 0.3
        self.assertAlmostEqual(missed / (4 * 9 * (1 - math.pi / 4)), 1.0, delta=0.03)
        found = {r.key: r for r in readings(job, 0)}
        self.assertAlmostEqual(found["in_corners"].value, 3 * (math.sqrt(2) - 1), delta=0.03)
        self.assertAlmostEqual(found["corner"].value, 3.0)

    def test_only_what_a_cutter_cuts_flat_is_read_by_its_cutter(self):
        for craft, said in (
            (Engraved(cutter_mm=3), True),
            (Engraved(), False),
            (Engraved(floor="v", cutter_mm=3), False),
            (Engraved(floor="v"), False),
        ):
            found = {r.key: r.value for r in readings(job_on(Plaque(), text="T", cap=40, craft=craft), 0)}
            self.assertEqual({"reached", "corner", "in_corners"} <= found.keys(), said, craft)
            self.assertEqual(found.get("corner"), 1.5 if said else None)

    def test_too_wide_a_cutter_is_refused_with_one_that_fits(self):
        job = job_on(Plaque(), text="TARN", cap=12, craft=Engraved(cutter_mm=6))
        check = next(c for c in checks(job, 0) if c.key == "reach")
        self.assertEqual(check.level, "failure")
        mended = check.fix.apply(job)
        self.assertLess(mended.letterings[0].craft.cutter_mm, 3)
        self.assertEqual(next(c for c in checks(mended, 0) if c.key == "reach").level, "good")
        self.assertTrue(mesh_of(mended).is_watertight)

    def test_between_the_inside_and_the_outside_of_a_band(self):
        band = Band(thickness_mm=1.6)
        outside = job_on(band, text="TARN", cap=3, craft=Engraved(depth_mm=0.7))
        inside = job_on(band, side="inside", text="TARN", cap=3, craft=Engraved(depth_mm=0.7))
        both = change(outside, ("letterings",), outside.letterings + inside.letterings)
        found = {c.key: c for c in checks(both, 0)}
        self.assertEqual(found["wall"].level, "good")
        self.assertEqual(found["between"].level, "warning")
        self.assertTrue(mesh_of(both).is_watertight)
        far = change(both, ("letterings", 1, "lay", "along_mm"), 25.0)
        self.assertNotIn("between", {c.key for c in checks(far, 0)})

    def test_an_inlay_s_pocket_leaves_a_wall(self):
        thin = job_on(Plaque(), text="I", cap=20, craft=CutThrough(fill="inlay", depth_mm=9.8))
        check = next(c for c in checks(thin, 0) if c.key == "wall")
        self.assertEqual(check.level, "warning")
        self.assertAlmostEqual(check.fix.apply(thin).letterings[0].craft.depth_mm, 9.6)

    def test_a_carving_is_fitted_to_its_stock(self):
        board = Board(dome_mm=14, stock_mm=30, keep_mm=8, line_rise_mm=-2)
        job = job_on(board, text="DOME", cap=60, craft=Raised(height_mm=10, edge="ridge", slope_deg=40))
        check = next(c for c in checks(job, 0) if c.key == "stock")
        self.assertEqual(check.level, "failure")
        made = check.fix.apply(job)
        found = needed(made)
        self.assertAlmostEqual(found.highest_mm, 30.0, delta=0.1)
        self.assertGreaterEqual(found.lowest_mm, 8 - 0.1)
        self.assertEqual(next(c for c in checks(made, 0) if c.key == "stock").level, "good")
        body = mesh_of(made)
        self.assertTrue(body.is_watertight)
        # the whole solid is as thick as the stock
        self.assertAlmostEqual(float(np.ptp(body.vertices[:, 1])), 30.0, delta=0.3)

    def test_a_steep_draft_holds_in_the_mould(self):
        job = job_on(Plaque(), text="I", cap=20, craft=Raised(edge="sloped", slope_deg=1))
        check = next(c for c in checks(job, 0) if c.key == "draft")
        self.assertEqual(check.fix.apply(job).letterings[0].craft.slope_deg, 3.0)


class TubesRoundShapes(unittest.TestCase):
    def test_round_filled_shapes_and_along_lines(self):
        from kilnchisel.core.lettering.content import outline_of_content

        for form, length in (
            (Disc(width_mm=200, height_mm=200), math.pi * 200),
            (Ring(diameter_mm=200, line_mm=4), math.pi * 196),
            (Rule(length_mm=300, line_mm=4), 300),
        ):
            lines = strokes_of(outline_of_content(Shape(form=form)), Tube())
            self.assertEqual(len(lines), 1)
            self.assertAlmostEqual(length_of(lines[0]) / length, 1.0, delta=0.02)
        star = strokes_of(outline_of_content(Shape(form=Star(diameter_mm=400))), Tube())
        self.assertEqual(len(star), 1)


if __name__ == "__main__":
    unittest.main()
