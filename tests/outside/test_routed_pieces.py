"""What a router makes besides plain pockets, measured as its simulated machine leaves it: plugs that fit
their pockets, countersinks, blanks cut out of stock, reliefs round an axis, engraving inside a ring.

The fit of a V inlay: at any height, pocket and plug have the outline moved in by the same width (elementary
geometry). Countersinks: the slope of their angle. Reach into a ring: a straight tool past a rim.
"""

from __future__ import annotations

import unittest

import numpy as np
import shapely

from kilnchisel.core.build import body_of_job, lettering_laid, sides_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.presets import wanted_from
from kilnchisel.core.handover.programs import router_files, written
from kilnchisel.core.job.crafts import CutThrough, Engraved, Fitting, Printed, Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.shop.machines.against import compared
from kilnchisel.core.shop.machines.router import route
from kilnchisel.core.shop.paths.entry import SLOPE, come_down, led, linked
from kilnchisel.core.shop.paths.flatwork import flat_work
from kilnchisel.core.shop.paths.routerwork import Routing
from kilnchisel.core.shop.paths.routing import routed
from kilnchisel.core.shop.paths.surface import rolled, rolled_heights
from kilnchisel.core.shop.silhouette import seen_at
from tests.outside.test_router import plate


def tried(job, how=None, name=None, cell=None):
    """A job's program of a name, followed by the simulated router, and against the job."""
    programs = {one.piece.name: one for one in written(job, how or Routing())}
    one = programs[name] if name else next(iter(programs.values()))
    done = route(one.program, one.piece.stock, cell_mm=cell)
    setup = one.program.setup
    return one, done, None if setup is None else compared(done, job, setup)


def _at(done, piece, x, y):
    """What is left at places of the side's sheet."""
    cell = done.heights.cell_mm
    column, row = ((v - c) / cell for v, c in zip((x, y), piece.corner, strict=True))
    return done.heights.values[row.astype(int), column.astype(int)]


class TheWayIn(unittest.TestCase):
    def test_it_comes_down_at_its_slope_and_ends_where_the_way_begins(self):
        square = np.array([[0, 0], [10, 0], [10, 10], [0, 10], [0, 0]], float)
        bent = np.array([[0, 0], [3, 0], [3, 2]], float)
        for way in (square, bent):
            for above, z in ((0.0, -1.0), (-1.0, -3.5)):
                with self.subTest(points=len(way), above=above):
                    made = come_down(way, above, z)
                    self.assertAlmostEqual(made[0, 2], above)
                    np.testing.assert_allclose(made[-len(way) :, :2], way)
                    np.testing.assert_allclose(made[-len(way) :, 2], z)
                    steps = np.diff(made[: len(made) - len(way) + 1], axis=0)
                    fall = -steps[:, 2] / np.maximum(np.hypot(*steps[:, :2].T), 1e-12)
                    steepest = max(SLOPE, (above - z) / (8 * shapely.LineString(way).length))
                    np.testing.assert_allclose(fall, steepest, rtol=1e-6)
                    on = shapely.distance(shapely.points(made[:, :2]), shapely.LineString(way))
                    self.assertLess(on.max(), 1e-9)

    def test_rings_go_on_into_each_other_and_none_is_lost(self):
        room = shapely.Point(0, 0).buffer(12) - shapely.Point(0, 3).buffer(2)
        rings, inner = [], room
        while not inner.is_empty:
            parts = shapely.get_parts(inner)
            rings += [np.asarray(r.coords) for p in parts for r in (p.exterior, *p.interiors)]
            inner = inner.buffer(-1.5)
        ways = linked(rings[::-1], room, 1.6)
        self.assertLess(len(ways), len(rings))
        for ring in rings:
            line = shapely.LineString(ring)
            on = shapely.union_all([shapely.LineString(way) for way in ways]).buffer(1e-6)
            self.assertLess(line.difference(on).length, 1e-6)
        for way in ways:
            self.assertTrue(room.buffer(1e-3).covers(shapely.LineString(way)))

    def test_where_there_is_no_room_beside_it_comes_straight_down(self):
        ring = np.asarray(shapely.box(0, 0, 1, 1).exterior.coords)
        into, line, out = led(ring, shapely.box(0, 0, 1, 1).boundary.buffer(0.01), 2.0)
        self.assertEqual((len(into), len(out)), (0, 0))
        np.testing.assert_array_equal(line, ring)


class Inlays(unittest.TestCase):
    def test_a_plug_fits_its_pocket_all_over(self):
        for degrees in (60.0, 90.0):
            with self.subTest(degrees=degrees):
                job = plate(CutThrough(fill="inlay", depth_mm=3.0), "R", thick=8.0)
                how = Routing(flats_mm=(3.0, 1.0, 0.5), inlay_deg=degrees)
                cell = 0.08
                face, hole, told = tried(job, how, "front", cell)
                self.assertLess(told.over.most_mm, 0.01)
                plug, left, _ = tried(job, how, "inlay 1", cell)
                self.assertEqual((hole.troubles, left.troubles), ([], []))
                region = flat_work(job, CutThrough)[0].region
                start, slope = 3.0 - 0.5, 1 / np.tan(np.radians(degrees / 2))
                x0, y0, x1, y1 = np.array(region.bounds) + (-1.0, -1.0, 1.0, 1.0)
                x, y = np.meshgrid(np.arange(x0, x1, cell), np.arange(y0, y1, cell))

                pocket = _at(hole, face.piece, x, y)
                under = -start - _at(left, plug.piece, -x, y)  # the plug's face, turned over and pressed in
                gap = under - pocket
                # nowhere do they meet before it is in; a cell on a flank is half of one off
                self.assertGreater(np.quantile(gap, 0.0005), -cell * slope)
                spots = shapely.points(x.ravel(), y.ravel())
                shapely.prepare(region)
                inside = shapely.contains(region, spots).reshape(x.shape)
                far = shapely.distance(spots, region.boundary).reshape(x.shape)
                # flanks touch as far as the plug goes down, whatever the letter's corners
                flank = inside & (far * slope < start - 0.2) & (far > 0.1)
                self.assertLess(np.quantile(np.abs(gap[flank]), 0.98), cell * slope)
                floor = inside & (far * slope > 3.0 + 0.3)
                if floor.any():
                    self.assertAlmostEqual(float(np.median(gap[floor])), 0.5, delta=0.02)
                # beside the letters its back stays above the piece
                beside = ~inside & (far > 0.3) & (far * slope < 1.5)
                self.assertGreater(np.median(gap[beside]), 0.1)

    def test_upright_pockets_are_right_and_not_too_deep(self):
        job = plate(CutThrough(fill="inlay", depth_mm=2.0), "HO")
        _, _, told = tried(job)
        self.assertLess(told.over.most_mm, 0.01)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.03)


class Openings(unittest.TestCase):
    def test_a_countersink_is_cut_down_to_its_opening(self):
        job = plate(CutThrough(sink_mm=1.2, sink_deg=90.0), "IO", thick=4.0)
        one, done, told = tried(job, cell=0.1)
        self.assertLess(told.over.most_mm, 0.06)
        self.assertIn("v countersink", " ".join(o.name for o in one.piece.operations))
        region = flat_work(job, CutThrough)[0].region
        row, column = np.indices(done.heights.values.shape)
        left, low = one.piece.corner
        spots = shapely.points(left + (column + 0.5) * 0.1, low + (row + 0.5) * 0.1)
        shapely.prepare(region)
        ring = ~shapely.contains(region, spots)
        far = shapely.distance(spots, region)
        slope = ring & (far > 0.1) & (far < 1.1)
        np.testing.assert_allclose(done.heights.values[slope], -(1.2 - far[slope]), atol=0.06)


class TheBlank(unittest.TestCase):
    def test_it_is_cut_out_with_its_holes_and_held_by_tabs(self):
        job = plate(Engraved(floor="flat", depth_mm=0.8), "HE")
        job = change(job, ("blank", "corner_mm"), 8.0)
        one, done, told = tried(job, Routing(blank=True, flats_mm=(4.0, 1.0)), cell=0.1)
        self.assertEqual(done.troubles, [])
        self.assertLess(told.over.most_mm, 0.02)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.05)
        border = seen_at(job, sides_of_job(job).named("front"))
        wide, tall = np.subtract(border.bounds[2:], border.bounds[:2])
        self.assertAlmostEqual(one.piece.stock[0] - wide, 2 * 8.0, delta=0.01)
        self.assertAlmostEqual(one.piece.stock[1] - tall, 2 * 8.0, delta=0.01)
        values, corner = done.heights.values, one.piece.corner
        row, column = np.indices(values.shape)
        spots = shapely.points(corner[0] + (column + 0.5) * 0.1, corner[1] + (row + 0.5) * 0.1)
        thick = one.piece.stock[2]
        shapely.prepare(border)
        outside = shapely.distance(spots, border)
        # a groove as wide as the cutter all round, open but for four tabs
        groove = (outside > 0.1) & (outside < 3.9)
        through = values[groove] <= -thick + 1e-6
        self.assertGreater(through.mean(), 0.8)
        np.testing.assert_allclose(
            np.unique(np.round(values[groove][~through], 2)).max(), 2.0 - thick, atol=0.3
        )
        self.assertGreater(values[shapely.contains(border.buffer(-0.1), spots)].min(), -0.81)

    def test_a_panel_that_is_only_printed_can_be_cut_out(self):
        job = plate(Printed(), "HI")
        data, _ = router_files(job, Routing())
        self.assertEqual(list(data), ["router-front.nc"])
        holes = Fitting(form="caps", size_mm=12.0)
        self.assertIn("hole", _names(job.model_copy(update={"letterings": (_with(job, holes),)})))


def _with(job, craft):
    return job.letterings[0].model_copy(update={"craft": craft})


def _radii(job):
    side = sides_of_job(job).named("outside")
    _, low, _, high = side.domain.bounds
    return side.profile.at(np.array([low, high]))[0]


def _names(job):
    return {o.name for piece in routed(job, Routing(blank=True)) for o in piece.operations}


class RoundAnAxis(unittest.TestCase):
    def test_heights_go_all_round_without_a_gap(self):
        # a bare wall is as high everywhere as it is true, wherever its top is taken to begin
        job = fresh_job("tumbler").model_copy(update={"letterings": ()})
        for left in (-100.0, 0.0, 3.3, 61.7):
            one = rolled(job, "outside", left)
            found = rolled_heights(job, one, 0.5).values
            self.assertFalse(np.isnan(found[:, 2:-2]).any(), left)
            wanted = one.profile((np.arange(found.shape[1]) + 0.5) * 0.5)
            self.assertLess(np.abs(found - wanted)[:, 2:-2].max(), 0.06)
        # and letters are all there where the top begins in the middle of one
        job = change(fresh_job("tumbler", "O&O"), ("letterings", 0, "craft"), Engraved(depth_mm=1.0))
        job = change(job, ("letterings", 0, "content", "cap_height_mm"), 30.0)
        sunk = []
        for left in (-100.0, 0.3, 1.1, 10.0):
            one = rolled(job, "outside", left)
            found = rolled_heights(job, one, 0.1).values
            self.assertFalse(np.isnan(found[:, 8:-8]).any(), left)
            wanted = one.profile((np.arange(found.shape[1]) + 0.5) * 0.1)
            sunk.append(int((found < wanted - 0.5)[:, 8:-8].sum()))
        np.testing.assert_allclose(sunk, sunk[0], rtol=0.001)

    def test_raised_letters_are_left_standing_on_a_tumbler(self):
        job = fresh_job("tumbler", "O")
        job = change(job, ("letterings", 0, "craft"), Raised(height_mm=1.0))
        job = change(job, ("letterings", 0, "content", "cap_height_mm"), 30.0)
        one, done, told = tried(job, Routing(balls_mm=(4.0, 2.0), scallop_mm=0.03), cell=0.2)
        self.assertEqual(done.troubles, [])
        self.assertAlmostEqual(one.piece.setup.top_mm, 1.0, delta=0.02)
        self.assertLess(told.over.most_mm, 0.05)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.03)
        area = flat_work(job, Raised)[0].region.area
        # stock is turned to the letters' height: what stands at it is as large as they are
        axis = rolled(job, "outside", one.piece.setup.turning.left_mm)
        profile = axis.profile((np.arange(done.heights.values.shape[1]) + 0.5) * 0.2)
        self.assertAlmostEqual(
            float((done.heights.values > profile - 0.2).sum() * 0.04) / area, 1, delta=0.06
        )

    def test_flat_letters_run_round_a_cone_as_they_do_on_the_piece(self):
        job = change(
            fresh_job("tumbler", "OBSERVATORY"), ("letterings", 0, "craft"), Engraved(depth_mm=1.0)
        )
        job = change(job, ("letterings", 0, "lay", "across_mm"), 20.0)
        one, done, told = tried(job, Routing(), cell=0.1)
        # a cone's flat pattern is bent: its ends were cut 2.6 mm too low
        self.assertLess(told.under.area_mm2, 1.0)
        # a flat cutter half over the slope is 0.5 mm times its sine too deep at its lower rim
        self.assertLess(told.over.most_mm, 0.5 * sides_of_job(job).named("outside").taper + 0.002)
        # the piece is no cylinder as wide as its rim: nothing is in the way of a rapid move
        self.assertEqual(done.troubles, [])
        profile = one.program.setup.turning.profile
        self.assertEqual(len(profile), 2)
        self.assertAlmostEqual(profile[0][1], -np.ptp(_radii(job)), delta=0.01)

    def test_lettering_of_a_belly_is_cut_where_it_is(self):
        # what bends both ways has no flat pattern: each lettering is true to size at its own height
        job = change(fresh_job("jar", "OAK"), ("letterings", 0, "craft"), Engraved(depth_mm=0.4))
        _, done, told = tried(job, Routing(), cell=0.1)
        self.assertEqual(done.troubles, [])
        self.assertLess(told.under.area_mm2, 1.0)

    def test_letters_cut_off_at_an_edge_keep_their_floors(self):
        # how deep a V is, by the distance from the whole outline (elementary geometry), over what is left
        craft, cell = Engraved(floor="v", depth_mm=1.0, angle_deg=90.0), 0.05
        for text, high in (("R", 4.7), ("N", 4.7), ("A", 4.9), ("&", 5.2)):
            job = change(fresh_job("medallion", text), ("letterings", 0, "craft"), craft)
            job = change(job, ("letterings", 0, "lay"), Lay(side="edge"))
            job = change(job, ("letterings", 0, "content", "cap_height_mm"), high)
            one = rolled(job, "edge")
            found = rolled_heights(job, one, cell).values
            sunk = one.profile((np.arange(found.shape[1]) + 0.5) * cell) - found
            ink = lettering_laid(job, 0).ink
            left, low, right, top = ink.bounds
            low, top = max(low, one.side.domain.bounds[1]), min(top, one.side.domain.bounds[3])
            self.assertLess(top - low, high)
            u, v = np.meshgrid(np.arange(left, right, cell), np.arange(low, top, cell))
            spots = shapely.points(u.ravel(), v.ravel())
            inside = shapely.contains(ink, spots)
            wanted = np.minimum(shapely.distance(spots[inside], ink.boundary), 1.0).sum()
            with self.subTest(text=text):
                self.assertAlmostEqual(np.nansum(sunk[:, 1:-1]) / wanted, 1.0, delta=0.06)

    def test_the_rim_of_a_plate_is_made_with_the_blank_itself(self):
        job = change(fresh_job("plate", "OAK"), ("letterings", 0, "craft"), Engraved(depth_mm=0.3))
        self.assertGreater(job.blank.rim_rise_mm, 0.5)
        one, done, told = tried(job, Routing(), cell=0.3)
        self.assertLess(told.over.most_mm, 1e-9)
        self.assertEqual(done.troubles, [])
        self.assertIn("its rim is made with the blank itself", " ".join(one.piece.left))
        one, done, told = tried(job, Routing(blank=True, balls_mm=(3.0,), scallop_mm=0.1), cell=0.3)
        self.assertAlmostEqual(one.piece.setup.top_mm, job.blank.rim_rise_mm, delta=0.02)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1.0, delta=0.08)
        self.assertEqual(done.troubles, [])

    def test_the_border_line_of_a_board_is_cut_with_it(self):
        job = change(fresh_job("board", "OAK"), ("letterings", 0, "craft"), Engraved(depth_mm=1.0))
        (line,) = body_of_job(job).sheet("front").insets
        self.assertEqual((line.name, line.height_mm), ("border line", job.blank.line_rise_mm))
        for blank in (False, True):
            one, _, told = tried(job, Routing(blank=blank), cell=0.4)
            told_of_it = "its border line is made with the blank itself" in " ".join(one.piece.left)
            self.assertEqual(told_of_it, not blank)
            # a cell along each edge is not counted
            share = told.under.area_mm2 / line.area.area
            self.assertTrue(share < 0.02 if blank else 0.7 < share < 1.0, share)

    def test_a_shoulder_is_shaped_by_ball_ends(self):
        # the end of a flat cutter would go 1.6 mm too deep there
        job = change(fresh_job("bottle", "OAK"), ("letterings", 0, "craft"), Engraved(depth_mm=0.5))
        low, high = (sides_of_job(job).named("shoulder").domain.bounds[k] for k in (1, 3))
        lay = Lay(side="shoulder", across_mm=(low + high) / 2)
        one, done, told = tried(change(job, ("letterings", 0, "lay"), lay), Routing(), cell=0.1)
        self.assertNotIn("pocket", {o.name.split()[0] for o in one.piece.operations})
        self.assertEqual(done.troubles, [])
        self.assertLess(told.over.most_mm, 0.02)

    def test_what_runs_beyond_a_round_side_is_cut_off_at_its_edge(self):
        job = change(fresh_job("mug", "OAK"), ("letterings", 0, "craft"), Engraved(depth_mm=0.5))
        low = sides_of_job(job).named("outside").domain.bounds[1]
        job = change(job, ("letterings", 0, "lay", "across_mm"), low)
        one, done, _ = tried(job, Routing(), cell=0.2)
        self.assertIn("cut off at the edge", " ".join(one.piece.left))
        self.assertEqual(done.troubles, [])
        with self.assertRaisesRegex(KilnError, "beyond its edge"):
            routed(change(job, ("letterings", 0, "lay", "across_mm"), low - 60.0), Routing())

    def test_the_inside_of_a_ring_is_engraved_by_a_tool_that_leans_in(self):
        job = fresh_job("band", "AUX")
        lettering = job.letterings[0].model_copy(
            update={"lay": Lay(side="inside"), "craft": Engraved(depth_mm=0.15)}
        )
        job = job.model_copy(update={"letterings": (lettering,)})
        job = change(job, ("letterings", 0, "content", "cap_height_mm"), 3.0)
        one, done, told = tried(job, cell=0.03)
        turning = one.program.setup.turning
        self.assertGreater(turning.tilt_deg, 0)
        self.assertIn("lean ", " ".join(one.piece.notes))
        self.assertEqual(done.troubles, [])
        self.assertLess(told.over.most_mm, 0.03)
        self.assertGreater(told.removed_mm3 / told.wanted_mm3, 0.5)  # a ball is round in corners
        # it reads right: turned by A the other way round from inside, all that is cut lies in its letters
        row, column = np.nonzero(done.heights.values < -0.03)
        side, region = sides_of_job(job).named("inside"), flat_work(job, Engraved)[0].region
        u = turning.left_mm - (row + 0.5) * 0.03 + (side.period if turning.left_mm < 0 else 0.0)
        middle = np.mean(region.bounds[::2])
        u = (u - middle + side.period / 2) % side.period - side.period / 2 + middle
        v = side.domain.bounds[1] + (column + 0.5) * 0.03
        grown = shapely.buffer(region, 0.03)
        self.assertGreater(shapely.contains_xy(grown, u, v).mean(), 0.99)
        self.assertGreater(len(row) * 0.03**2 / region.area, 0.6)

    def test_a_place_that_no_tool_leans_in_to_is_told(self):
        job = fresh_job("band", "A")
        for path, value in ((("blank", "width_mm"), 60.0),):
            job = change(job, path, value)
        lettering = job.letterings[0].model_copy(
            update={"lay": Lay(side="inside"), "craft": Engraved(depth_mm=0.15)}
        )
        with self.assertRaisesRegex(KilnError, "no tool leans in so far"):
            routed(job.model_copy(update={"letterings": (lettering,)}), Routing())
        # what is on another side is made all the same
        outside = lettering.model_copy(update={"lay": Lay(side="outside")})
        (piece,) = routed(job.model_copy(update={"letterings": (lettering, outside)}), Routing())
        self.assertEqual(piece.name, "outside")
        self.assertIn("no tool leans in so far", " ".join(piece.left))


class Choices(unittest.TestCase):
    def test_a_choice_that_is_none_is_refused(self):
        for name, value in (("inlays", "v45"), ("grain", "across"), ("change", "never")):
            with self.subTest(name=name), self.assertRaisesRegex(KilnError, "is no choice for"):
                wanted_from({name: value})
        self.assertEqual(wanted_from({"inlays": "V60"}).routing.inlay_deg, 60.0)
        self.assertTrue(wanted_from({"blank": "on"}).routing.blank)


if __name__ == "__main__":
    unittest.main()
