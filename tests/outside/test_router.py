"""Ways of cutters and the simulated router against closed forms, the piece's solid and a second reader.

V cutter: depth = half width / tan(half angle); ball end: scallop r - sqrt(r² - s²/4), about s²/8r
(elementary geometry, in any handbook of milling). Time: trapezoid of speed. RS-274: the grammar of
RS274/NGC (NIST 1999); the second reader is written here from that. Solids' volumes: trimesh.
"""

from __future__ import annotations

import re
import unittest

import numpy as np
import shapely
import trimesh

from kilnchisel.core.build import lettering_laid, piece_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.programs import program_of, router_files, written
from kilnchisel.core.job.blank import Mug
from kilnchisel.core.job.boards import Board
from kilnchisel.core.job.crafts import Carved, CutThrough, Engraved, Printed, Raised, Standing
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Brass, Foam, Stainless
from kilnchisel.core.job.fresh import fresh_job, job_on
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.job.wording import LineFace
from kilnchisel.core.lettering.polygons import length_of
from kilnchisel.core.shop.machines.against import compared, compared_to
from kilnchisel.core.shop.machines.router import RAPID_MM_MIN, durations_of, route, time_of
from kilnchisel.core.shop.machines.rs274 import read_program
from kilnchisel.core.shop.machines.running import Running
from kilnchisel.core.shop.paths.arcs import arcs_in
from kilnchisel.core.shop.paths.feeds import feeds_for
from kilnchisel.core.shop.paths.flatwork import flat_work
from kilnchisel.core.shop.paths.pocket import profile_ways, rest_of, rings_over
from kilnchisel.core.shop.paths.raster import left_by, raster_ways, stepover_of
from kilnchisel.core.shop.paths.reach import fitting
from kilnchisel.core.shop.paths.roughing import rough_ways
from kilnchisel.core.shop.paths.routerwork import Routing, tools_of
from kilnchisel.core.shop.paths.routing import routed
from kilnchisel.core.shop.paths.surface import Heights, faced
from kilnchisel.core.shop.paths.tools import Tool, tool_written
from kilnchisel.core.shop.paths.vcut import v_ways

V60 = Tool("v", 12.0, 60.0)


def plate(craft, text="Vega", wide=120.0, tall=60.0, thick=8.0):
    job = fresh_job("plaque", text)
    for path, value in (
        (("blank", "width_mm"), wide),
        (("blank", "height_mm"), tall),
        (("blank", "thickness_mm"), thick),
        (("blank", "corner_mm"), 0.0),
        (("letterings", 0, "content", "cap_height_mm"), 26.0),
        (("letterings", 0, "craft"), craft),
    ):
        job = change(job, path, value)
    return job


def program(*lines, header=True):
    top = ("(TOOL 1 flat 6mm)", "G21 G90 G17 G94", "T1 M6") if header else ()
    return read_program("\n".join((*top, *lines)).encode())


class AVCutter(unittest.TestCase):
    def test_it_is_as_deep_as_the_stroke_is_wide(self):
        bar = shapely.box(0, 0, 40, 6)
        ways = v_ways(bar, V60, 50.0)
        deepest = min(float(way[:, 2].min()) for way in ways)
        self.assertAlmostEqual(deepest, -3 / np.tan(np.radians(30)), delta=0.001)
        points = np.concatenate(ways)
        # all of it as deep as its distance from the edge, but for what it is kept within
        far = shapely.distance(shapely.points(points[:, :2]), bar.boundary)
        np.testing.assert_allclose(-points[:, 2], np.maximum(far - 1e-4, 0) * V60.slope, atol=1e-6)
        # it runs out into every corner
        for corner in ((0, 0), (40, 0), (40, 6), (0, 6)):
            self.assertLess(np.linalg.norm(points[:, :2] - corner, axis=1).min(), 1e-6)

    def test_at_its_greatest_depth_it_goes_round_what_is_wider(self):
        disc = shapely.Point(0, 0).buffer(20, quad_segs=64)
        ways = v_ways(disc, V60, 4.0)
        self.assertAlmostEqual(min(way[:, 2].min() for way in ways), -4.0, delta=0.001)
        reach = 4.0 * np.tan(np.radians(30))
        rim = [way for way in ways if np.allclose(way[:, 2], way[0, 2])]
        self.assertAlmostEqual(np.hypot(*rim[0][:, :2].T).mean(), 20 - reach, delta=0.02)

    def test_carved_letters_hold_what_their_solid_lacks(self):
        job = plate(Engraved(floor="v", depth_mm=12.0, angle_deg=60.0), "Tarn")
        data, _ = router_files(job, Routing())
        read = read_program(data["router-front.nc"])
        done = route(read, read.stock, cell_mm=0.05)
        corner, cell = routed(job, Routing())[0].corner, done.heights.cell_mm
        region = flat_work(job, Engraved)[0].region
        row, column = np.nonzero(done.heights.values < 0)
        spots = shapely.points((column + 0.5) * cell + corner[0], (row + 0.5) * cell + corner[1])
        shapely.prepare(region)
        far = np.where(shapely.contains(region, spots), shapely.distance(spots, region.boundary), 0.0)
        off = -done.heights.values[row, column] - far * V60.slope
        self.assertLess(off.max(), 0.01)
        self.assertGreater(np.quantile(off, 0.001), -0.05)
        plain = piece_of(job.model_copy(update={"letterings": ()}))
        whole, cut = (
            trimesh.Trimesh(*solid_of(piece)[:2], process=False).volume for piece in (plain, piece_of(job))
        )
        self.assertAlmostEqual(done.removed_mm3 / (whole - cut), 1, delta=0.005)
        self.assertEqual(done.troubles, [])


class ABallEnd(unittest.TestCase):
    def test_scallops_on_a_plane(self):
        ball = Tool("ball", 6.0)
        for step in (0.6, 1.2, 2.4):
            with self.subTest(step=step):
                high = 3 - np.sqrt(9 - step**2 / 4)
                self.assertAlmostEqual(stepover_of(ball, high), step, delta=1e-9)
                cell = 0.03
                rows = np.arange(70.5 * cell - step / 2, 14, step)  # ridges in the middle of cells
                lines = ["F1000", "G0 Z5"]
                for y in rows:
                    lines += [f"G0 X2 Y{y:.4f}", "G1 Z-1", "X18", "G0 Z5"]
                read = read_program(("(TOOL 1 ball 6mm)\nG21 G90\nT1 M6\n" + "\n".join(lines)).encode())
                done = route(read, (20.0, 16.0, 5.0), cell_mm=cell)
                strip = done.heights.values[int(4 / cell) : int(11 / cell), int(8 / cell) : int(12 / cell)]
                self.assertAlmostEqual((strip.max() + 1) / high, 1, delta=0.02)
                self.assertAlmostEqual(strip.min(), -1, delta=0.001)
                self.assertAlmostEqual(high / (step**2 / 24), 1, delta=0.05)  # the usual s² / 8r

    def test_it_follows_a_bowl_and_cuts_nothing_of_it(self):
        cell, ball = 0.05, Tool("ball", 2.0)
        y, x = (np.mgrid[:400, :400] + 0.5) * cell - 10
        bowl = np.minimum(15 - np.sqrt(np.maximum(225 - x**2 - y**2, 0)) - 3.0, 0.0)
        heights = Heights(bowl, (0.0, 0.0), cell)
        ways = raster_ways(heights, bowl < -1e-4, ball, 0.3)
        moves = ["G21 G90", "(TOOL 1 ball 2mm)", "T1 M6 F1000"]
        for way in ways:
            moves += ["G0 Z2", f"G0 X{way[0, 0]:.4f} Y{way[0, 1]:.4f}"]
            moves += [f"G1 X{p[0]:.4f} Y{p[1]:.4f} Z{p[2]:.4f}" for p in way]
        read = read_program("\n".join(moves).encode())
        done = route(read, (20.0, 20.0, 6.0), cell_mm=cell)
        told = compared_to(done, heights)
        self.assertLess(told.over.most_mm, 0.005)
        # its scallops stand out from the bowl, seen straight up, a little more than from a plane
        self.assertLess(told.under.most_mm, 0.03)
        np.testing.assert_allclose(
            left_by(heights, ball)[150:250, 150:250], bowl[150:250, 150:250], atol=0.02
        )

    def test_roughing_keeps_off_a_boss_on_all_its_sides_alike(self):
        """By elementary geometry: a flat cutter comes no nearer than its radius and what it is to leave."""
        cell, left, tool = 0.1, 0.5, Tool("flat", 4.0)
        y, x = (np.mgrid[:300, :300] + 0.5) * cell - 15
        boss = np.where(np.maximum(abs(x), abs(y)) < 5, 0.0, -3.0)
        ways = rough_ways(Heights(boss, (-15.0, -15.0), cell), tool, 1.0, left)
        self.assertAlmostEqual(min(way[:, 2].min() for way in ways), -3.0 + left, delta=0.01)
        lines = shapely.union_all([shapely.LineString(way[:, :2]) for way in ways])
        for name, beside in {
            "left": shapely.box(-15, -4, -5, 4),
            "right": shapely.box(5, -4, 15, 4),
            "below": shapely.box(-4, -15, 4, -5),
            "above": shapely.box(-4, 5, 4, 15),
        }.items():
            near = shapely.distance(shapely.intersection(lines, beside), shapely.box(-5, -5, 5, 5))
            self.assertAlmostEqual(near, tool.radius_mm + left, delta=1.5 * cell, msg=name)

    def test_a_raised_lettering_is_left_standing(self):
        job = plate(Raised(height_mm=1.5, edge="rounded", edge_mm=0.8), "IT")
        data, _ = router_files(job, Routing())
        read = read_program(data["router-front.nc"])
        self.assertAlmostEqual(read.setup.top_mm, 1.5)
        done = route(read, read.stock)
        told = compared(done, job, read.setup)
        self.assertLess(told.over.most_mm, 0.01)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.01)

    def test_a_carved_ground_is_roughed_first(self):
        job = plate(Carved(base_mm=-3.0, edge_mm=2.0, depth_mm=0.8, cell_mm=6.0), "O")
        pieces = routed(job, Routing(flats_mm=(2.0,)))
        names = [operation.name.split()[0] for operation in pieces[0].operations]
        self.assertEqual(names[0], "rough")
        self.assertIn("relief", names)
        data, _ = router_files(job, Routing(flats_mm=(2.0,)))
        read = read_program(data["router-front.nc"])
        told = compared(route(read, read.stock), job, read.setup)
        self.assertLess(told.over.most_mm, 0.02)
        self.assertAlmostEqual(
            told.removed_mm3 / told.wanted_mm3, 1, delta=0.06
        )  # chips finer than the ball


class AFlatCutter(unittest.TestCase):
    def test_a_pocket_is_cleared_and_its_corners_are_told(self):
        square, tool = shapely.box(0, 0, 30, 20), Tool("flat", 6.0)
        rings = rings_over(square, tool)
        swept = shapely.union_all([shapely.LineString(ring).buffer(3, quad_segs=64) for ring in rings])
        self.assertLess(swept.difference(square.buffer(1e-6)).area, 1e-3)
        # four corners of a circle in a square: (4 - pi) r²
        left = square.difference(swept).area
        self.assertAlmostEqual(left, (4 - np.pi) * 9, delta=0.1)
        self.assertAlmostEqual(rest_of(square, tool).area, left, delta=0.15)

    def test_pockets_of_a_job_by_volume_and_never_too_deep(self):
        job = plate(Engraved(floor="flat", depth_mm=1.2), "HE")
        data, words = router_files(job, Routing(flats_mm=(6.0, 2.0, 0.5)))
        self.assertIn("a cutter of 0.3 mm would reach", words)
        read = read_program(data["router-front.nc"])
        done = route(read, read.stock)
        told = compared(done, job, read.setup)
        self.assertLess(told.over.most_mm, 1e-6)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.015)  # but for corners

    def test_what_is_on_both_faces_has_both_programs(self):
        job = change(plate(Engraved(depth_mm=0.5), "HI"), ("letterings", 0, "lay", "both"), True)
        data, _ = router_files(job, Routing())
        self.assertEqual(set(data), {"router-front.nc", "router-back.nc"})
        read = read_program(data["router-back.nc"])
        told = compared(route(read, read.stock), job, read.setup)
        self.assertLess(told.over.most_mm, 1e-6)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.03)
        film = change(job, ("letterings", 0, "craft"), Printed())
        self.assertEqual(len({work.side for work in flat_work(film, Printed)}), 2)

    def test_where_letterings_meet_the_later_one_is_cut(self):
        job = plate(Engraved(floor="flat", depth_mm=2.0), "HE")
        over = job.letterings[0].model_copy(update={"craft": Engraved(floor="flat", depth_mm=0.5)})
        both = job.model_copy(update={"letterings": (*job.letterings, over)})
        read = read_program(router_files(both, Routing())[0]["router-front.nc"])
        self.assertAlmostEqual(read.ends[:, 2].min(), -0.5)
        self.assertLess(compared(route(read, read.stock), both, read.setup).over.most_mm, 1e-6)

    def test_what_is_on_no_flat_side_is_told(self):
        job = change(fresh_job("book", "HI"), ("letterings", 0, "content", "cap_height_mm"), 8.0)
        cover = job.letterings[0].model_copy(update={"craft": Engraved(depth_mm=0.3)})
        engraved = cover.model_copy(update={"lay": Lay(side="spine")})
        data, words = router_files(job.model_copy(update={"letterings": (engraved, cover)}), Routing())
        self.assertEqual(list(data), ["router-front-cover.nc"])
        self.assertIn(f"left out, the {engraved.lay.side} is not flat", words)

    def test_lettering_that_a_pen_draws_is_cut_along_its_lines(self):
        job = plate(Engraved(floor="flat", depth_mm=0.2), "HI")
        job = change(job, ("letterings", 0, "content", "face"), LineFace(name="hershey-sans"))
        job = change(job, ("letterings", 0, "content", "pen_mm"), 0.4)
        (piece,) = routed(job, Routing())
        (operation,) = piece.operations
        self.assertEqual(operation.tool, Tool("drag", 0.4))
        laid = lettering_laid(job, 0)
        wanted = sum(length_of(copy) for line in laid.outline.lines for copy in laid.placing.lines(line))
        deepest = [way for way in operation.ways if abs(way[:, 2].min() + 0.2) < 1e-9]
        self.assertAlmostEqual(sum(length_of(way[:, :2]) for way in deepest), wanted, places=6)
        data = program_of("x", piece, Routing())
        self.assertNotIn(b" M3\n", data)  # it does not turn
        read = read_program(data)
        told = compared(route(read, read.stock, cell_mm=0.02), job, read.setup)
        self.assertLess(told.over.most_mm, 1e-6)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.03)

    def test_a_side_that_goes_round_is_turned_under_the_cutter(self):
        job = job_on(Mug(handle=False), "Cup", "TARN")
        job = change(job, ("letterings", 0, "craft"), Engraved(floor="flat", depth_mm=0.5))
        job = change(job, ("letterings", 0, "lay", "along_mm"), 100.0)  # beyond a quarter round
        (piece,) = routed(job, Routing(flats_mm=(1.0, 0.3)))
        radius = job.blank.diameter_mm / 2
        data = program_of("x", piece, Routing()).decode()
        self.assertIn("G93", data)  # inverse time: as fast round as along
        self.assertNotRegex(data, r"\bY[-\d]")
        degrees = [float(word) for word in re.findall(r" A(-?[\d.]+)", data)]
        ink = lettering_laid(job, 0).ink.bounds
        self.assertAlmostEqual(
            max(degrees) - min(degrees), np.degrees((ink[2] - ink[0]) / radius), delta=1.5
        )
        read = read_program(data.encode())
        self.assertAlmostEqual(read.setup.turning.radius_mm, radius)
        # each cut is as fast as a flat one, however much of it is round
        cuts = np.linalg.norm(np.diff(read.ends, axis=0), axis=1)
        long = ~read.rapid & (cuts > 0.05)
        feeds = (
            feeds_for(job.finish, Tool("flat", 1.0)).along,
            feeds_for(job.finish, Tool("flat", 0.3)).along,
        )
        off = np.min([np.abs(read.feed[long] / one - 1) for one in feeds], axis=0)
        self.assertLess(float(np.median(off)), 0.02)
        done = route(read, read.stock)
        self.assertEqual(done.troubles, [])
        told = compared(done, job, read.setup)
        self.assertLess(told.over.most_mm, 1e-6)
        self.assertAlmostEqual(told.wanted_mm3 / (lettering_laid(job, 0).ink.area * 0.5), 1, delta=0.01)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.03)

    def test_letters_across_the_seam_are_whole(self):
        job = job_on(Mug(handle=False), "Cup", "OO")
        job = change(job, ("letterings", 0, "craft"), Engraved(floor="flat", depth_mm=0.5))
        here = change(job, ("letterings", 0, "lay", "along_mm"), 131.0)
        made = []
        for one in (job, here):
            (program,) = written(one, Routing(flats_mm=(0.5,)))
            made.append(route(program.program, program.piece.stock).removed_mm3)
        self.assertAlmostEqual(made[0] / made[1], 1, delta=0.01)

    def test_what_no_cutter_gets_into_does_not_stop_the_rest(self):
        job = plate(Engraved(floor="flat", depth_mm=0.5), "HI")
        tiny = job.letterings[0].model_copy(update={"lay": Lay(side="back")})
        tiny = tiny.model_copy(update={"content": tiny.content.model_copy(update={"cap_height_mm": 0.8})})
        both = job.model_copy(update={"letterings": (*job.letterings, tiny)})
        data, words = router_files(both, Routing())
        self.assertEqual(list(data), ["router-front.nc"])
        self.assertIn("2 HI: no cutter gets into it", words)
        with self.assertRaisesRegex(KilnError, "No cutter gets into what is on the back"):
            router_files(job.model_copy(update={"letterings": (tiny,)}), Routing())

    def test_an_axis_that_nothing_tells_of_is_refused(self):
        with self.assertRaisesRegex(KilnError, "line 2: A is not known here"):
            read_program(b"G21\nG1 X1 A20 F100\nM30\n")

    def test_an_inlay_is_cut_as_well_as_its_pocket(self):
        job = plate(CutThrough(fill="inlay", depth_mm=2.0, gap_mm=0.2), "HO")
        pieces = {piece.name: piece for piece in routed(job, Routing())}
        self.assertEqual(set(pieces), {"front", "inlay 1"})
        inlay = pieces["inlay 1"]
        self.assertAlmostEqual(inlay.stock[2], 2.0)
        region = flat_work(job, CutThrough)[0].region
        operation = inlay.operations[0]
        radius = operation.tool.radius_mm
        outer = max(operation.ways, key=lambda way: np.ptp(way[:, 0]) * np.ptp(way[:, 1]))
        # the middle of the cutter goes its radius outside of what is smaller by the gap
        smaller = shapely.buffer(region, -0.2, quad_segs=32)
        away = shapely.distance(shapely.points(outer[:, :2] + inlay.corner), smaller)
        self.assertGreater(away.min(), radius - 0.02)
        self.assertGreater(np.mean(away < radius + 0.02), 0.5)  # the rest is its way in

    def test_an_inlay_that_runs_beyond_its_side_is_cut_off_as_its_pocket_is(self):
        """Its outline by shapely: the letters within the plate, smaller by the gap."""
        job = change(
            plate(CutThrough(fill="inlay", depth_mm=2.0, gap_mm=0.2), "HHH"),
            ("letterings", 0, "lay", "across_mm"),
            38.0,
        )
        front, *inlays = routed(job, Routing())
        self.assertIn("cut off at the edge", " ".join(front.left))
        on_it = flat_work(job, CutThrough)[0].region.intersection(shapely.box(-60, -30, 60, 30))
        self.assertLess(on_it.area, 0.9 * flat_work(job, CutThrough)[0].region.area)
        (operation,) = inlays[0].operations[:1]
        ends = np.concatenate([way[:, 0] for way in operation.ways]) + inlays[0].corner[0]
        wanted = shapely.buffer(on_it, -0.2).bounds[2] + operation.tool.radius_mm
        self.assertAlmostEqual(ends.max(), wanted, delta=0.05)

    def test_arcs_are_the_way_that_was_written_in_points(self):
        turn = np.linspace(0, 1.5 * np.pi, 91)
        quarter = 10 * np.stack([np.cos(turn), np.sin(turn), np.zeros(91)], axis=1)
        way = np.concatenate([quarter, quarter[-1] + [[10.0, 0.0, 0.0], [10.0, 8.0, 0.0]]])
        (arc,) = arcs_in(way, 0.002)
        self.assertEqual((arc.first, arc.last, arc.clockwise), (0, 90, False))
        np.testing.assert_allclose(arc.middle, (0, 0), atol=1e-9)
        (back,) = arcs_in(way[::-1], 0.002)
        self.assertTrue(back.clockwise)
        self.assertEqual(
            arcs_in(np.array([[0.0, 0, 0], [1, 0, 0], [2, 0, 0], [3, 0, 0], [4, 0, 0]]), 0.01), []
        )
        job = plate(Engraved(floor="flat", depth_mm=0.5), "COS")
        (piece,) = routed(job, Routing())
        made = {}
        for arcs in (False, True):
            data = program_of("x", piece, Routing(arcs=arcs))
            self.assertEqual(b"\nG2 " in data or b"\nG3 " in data, arcs)
            made[arcs] = read_program(data)
        self.assertLess(
            len(program_of("x", piece, Routing(arcs=True))), len(program_of("x", piece, Routing()))
        )
        left = [route(program, piece.stock, cell_mm=0.05).heights.values for program in made.values()]
        # cells at the rim of a pocket may be either way; deeper or shallower than each other nowhere else
        self.assertLess((np.abs(left[0] - left[1]) > 1e-6).mean(), 2e-3)

    def test_cutters_are_changed_as_a_shop_does_it(self):
        job = plate(Engraved(floor="flat", depth_mm=0.5), "HI")
        how = Routing(flats_mm=(3.0, 1.0), coolant=True, change="stop")
        (piece,) = routed(job, how)
        data = program_of("x", piece, how)
        self.assertNotIn(b"M6", data)
        self.assertEqual(data.count(b"M0\n"), len(tools_of([piece])) - 1)
        self.assertIn(b"M8", data)
        self.assertIn(b"M9", data)
        by_hand = route(read_program(data), piece.stock)
        by_itself = route(read_program(program_of("x", piece, Routing(flats_mm=(3.0, 1.0)))), piece.stock)
        self.assertAlmostEqual(by_hand.removed_mm3, by_itself.removed_mm3, places=6)
        with self.assertRaisesRegex(KilnError, "no way to change a cutter"):
            Routing(change="magic").checked()

    def test_a_board_that_swells_is_cut_as_it_swells(self):
        # a dome of 6 mm over 160 by 100 mm, its stock as high as that stands
        board = Board(width_mm=160, height_mm=100, thickness_mm=12, edge_mm=2, dome_mm=6)
        job = job_on(board, "Sign", "HI")
        job = change(job, ("letterings", 0, "craft"), Engraved(floor="flat", depth_mm=1.0))
        how = Routing(balls_mm=(6.0, 3.0), scallop_mm=0.1)
        (piece,) = routed(job, how)
        self.assertAlmostEqual(piece.stock[2], faced(job, "front").wall_mm + piece.setup.top_mm)
        self.assertGreater(piece.setup.top_mm, 4.0)
        read = read_program(program_of("x", piece, how))
        done = route(read, read.stock, cell_mm=0.2)
        self.assertEqual(done.troubles, [])
        told = compared(done, job, read.setup)
        self.assertLess(told.over.most_mm, 0.01)
        # scallops of 0.1 mm all over, and the letters' inner corners
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.04)

    def test_letters_are_driven_through_what_they_are_of(self):
        job = plate(Standing(thickness_mm=6.0, return_finish=Foam()), "HI")
        brass, steel = (
            change(job, ("letterings", 0, "craft", "return_finish"), of) for of in (Brass(), Stainless())
        )
        turns = [
            router_files(one, Routing())[0]["router-letters-1.nc"].decode().split(" M3")[0].split()[-1]
            for one in (job, brass, steel)
        ]
        self.assertEqual(turns, ["S18000", "S16000", "S9000"])

    def test_what_runs_beyond_its_side_is_cut_off_there_and_told(self):
        job = plate(Engraved(floor="flat", depth_mm=0.5), "MUCH TOO LONG FOR IT")
        data, words = router_files(job, Routing())
        self.assertIn("cut off at the edge", words)
        read = read_program(data["router-front.nc"])
        done = route(read, read.stock)
        self.assertEqual(done.troubles, [])
        told = compared(done, job, read.setup)
        self.assertAlmostEqual(told.removed_mm3 / told.wanted_mm3, 1, delta=0.03)

    def test_letters_are_cut_out_with_tabs_and_their_counters_first(self):
        region = shapely.box(0, 0, 60, 40) - shapely.box(20, 12, 40, 28)
        tool = Tool("flat", 4.0)
        ways = profile_ways(region, tool, 10.0, 2.5, (4, 5.0, 2.0), inside=False)
        self.assertEqual(len(ways), 8)
        first, last = ways[0], ways[-1]
        self.assertTrue(shapely.box(20, 12, 40, 28).contains(shapely.MultiPoint(first[:, :2])))
        # outside, by its radius
        off = shapely.distance(shapely.points(last[:, :2]), region)
        self.assertGreater(off.min(), 2 - 0.01)
        line = np.flatnonzero(off < 2.01)  # where it comes down, it touches it there and back
        line = line[np.append(np.flatnonzero(np.diff(line) > 1)[-1:] + 1, 0)[0] :]
        self.assertEqual(len(last) - 1 - line[-1], 8)
        self.assertLess(np.linalg.norm(last[line[0], :2] - last[line[-1], :2]), 1e-6)
        # it comes in, and leaves, on a quarter circle of its radius that touches the line
        first, after = line[0], line[-1]
        for spot, ahead, end in ((first, first + 1, first - 8), (after, after - 1, after + 8)):
            along = (last[ahead] - last[spot])[:2] / np.linalg.norm((last[ahead] - last[spot])[:2])
            off = (last[end] - last[spot])[:2]
            self.assertAlmostEqual(off @ along, -2.0, delta=1e-6)
            self.assertAlmostEqual(abs(off @ (-along[1], along[0])), 2.0, delta=1e-6)
        last = last[line]
        lifted = last[:, 2] > -10 + 1e-9
        np.testing.assert_allclose(last[lifted, 2], -8.0)
        runs = np.flatnonzero(np.diff(lifted.astype(int)) == 1)
        self.assertEqual(len(runs), 4)
        span = shapely.LineString(
            last[runs[0] + 1 : runs[0] + 1 + lifted[runs[0] + 1 :].argmin(), :2]
        ).length
        self.assertAlmostEqual(span, 5.0 + 4.0, delta=0.01)

    def test_standing_letters_and_openings_have_programs(self):
        for craft, name in (
            (Standing(thickness_mm=6.0), "router-letters-1.nc"),
            (CutThrough(), "router-front.nc"),
        ):
            with self.subTest(craft=craft.kind):
                data, _ = router_files(plate(craft, "HI"), Routing())
                read = read_program(data[name])
                self.assertLess(read.ends[:, 2].min(), -6.0 if craft.kind == "standing" else -8.0)

    def test_the_widest_cutter_that_gets_into_every_part(self):
        flats = (6.0, 3.0, 1.0)
        for width, wanted in ((8.0, 6.0), (6.0, 6.0), (5.0, 3.0), (2.98, 3.0), (2.9, 1.0), (0.5, 1.0)):
            with self.subTest(width=width):
                slot = shapely.MultiPolygon([shapely.box(0, 0, 20, width)])
                self.assertEqual(fitting(slot, flats).diameter_mm, wanted)
                both = shapely.MultiPolygon([shapely.box(0, 0, 20, width), shapely.box(0, 30, 20, 50)])
                self.assertEqual(fitting(both, flats).diameter_mm, wanted)

    def test_stock_for_letters_is_theirs_and_the_cutter_round_them(self):
        """What is left of it by the simulated machine: the letters whole, a groove through round them."""
        job = plate(Standing(thickness_mm=6.0), "HI")
        (piece,) = routed(job, Routing(flats_mm=(3.0,)))
        region = flat_work(job, Standing)[0].region
        size = np.subtract(region.bounds[2:], region.bounds[:2])
        np.testing.assert_allclose(piece.stock, (*(size + 4 * 3.0), 6.0), atol=0.01)
        data, _ = router_files(job, Routing(flats_mm=(3.0,)))
        read = read_program(data["router-letters-1.nc"])
        np.testing.assert_allclose(read.stock, piece.stock, atol=0.01)
        done = route(read, read.stock, cell_mm=0.1)
        row, column = np.indices(done.heights.values.shape)
        spots = shapely.points(
            *((at + 0.5) * 0.1 + c for at, c in zip((column, row), piece.corner, strict=True))
        )
        shapely.prepare(region)
        far = shapely.distance(spots, region)
        self.assertGreater(done.heights.values[shapely.contains(region.buffer(-0.1), spots)].min(), -1e-6)
        self.assertGreater(
            (done.heights.values[(far > 0.1) & (far < 2.9)] <= -6.0).mean(), 0.8
        )  # but for tabs


class TheMachine(unittest.TestCase):
    def test_a_second_reader_goes_the_same_way(self):
        data, _ = router_files(plate(Engraved(floor="v", depth_mm=3.0), "ab"), Routing())
        text = re.sub(r"\([^)]*\)", "", data["router-front.nc"].decode())
        here, cut, rapid, mode = np.zeros(3), 0.0, 0.0, ""
        for line in text.splitlines():
            words = dict(re.findall(r"([GXYZ])(-?[\d.]+)", line))
            mode = words.get("G", mode) if words.get("G") in ("0", "1") else mode
            to = np.array([float(words.get(a, h)) for a, h in zip("XYZ", here, strict=True)])
            far = float(np.linalg.norm(to - here))
            cut, rapid, here = (cut + far, rapid, to) if mode == "1" else (cut, rapid + far, to)
        read = read_program(data["router-front.nc"])
        done = route(read, read.stock, cell_mm=0.3)
        self.assertAlmostEqual(done.cut_mm, cut, delta=1e-3)
        self.assertAlmostEqual(done.travel_mm, rapid, delta=1e-3)
        numbered, _ = router_files(plate(Engraved(floor="v", depth_mm=3.0), "ab"), Routing(numbered=True))
        inches, _ = router_files(plate(Engraved(floor="v", depth_mm=3.0), "ab"), Routing(inch=True))
        for other, within in ((numbered, 1e-9), (inches, 2e-3)):
            there = read_program(other["router-front.nc"])
            np.testing.assert_allclose(there.ends, read.ends, atol=within)

    def test_arcs(self):
        # a quarter circle of radius 10 by its middle and by its radius, and a whole one
        for line, length in (
            ("G3 X10 Y10 I0 J10", np.pi * 5),
            ("G3 X10 Y10 R10", np.pi * 5),
            ("G2 X10 Y10 R-10", np.pi * 15),
            ("G2 X0 Y0 I10 J0", np.pi * 20),
        ):
            with self.subTest(line=line):
                read = program("F600", "G0 X0 Y0", line)
                cut = np.linalg.norm(np.diff(read.ends, axis=0), axis=1)[~read.rapid].sum()
                self.assertAlmostEqual(cut / length, 1, delta=1e-3)
        turning = program("F600", "G0 X10 Y10", "G2 X10 Y10 I0 J-10 Z-5")  # a helix
        self.assertAlmostEqual(turning.ends[-1, 2], -5)

    def test_time_of_simple_moves(self):
        # 100 mm at 1200 mm/min and 500 mm/s²: v/a up, v/a down, the rest level
        v, a = 20.0, 500.0
        self.assertAlmostEqual(time_of(program("F1200", "G1 X100")), 100 / v + v / a + 20.0, delta=1e-6)
        # too short to get up to speed: 2 sqrt(s / a)
        self.assertAlmostEqual(time_of(program("F6000", "G1 X1")), 2 * np.sqrt(1 / a) + 20.0, delta=1e-6)
        # straight on it does not slow down; about a square corner it does
        one, two = program("F1200", "G1 X50", "X100"), program("F1200", "G1 X50", "Y50")
        self.assertAlmostEqual(time_of(one), 100 / v + v / a + 20, delta=1e-6)
        self.assertAlmostEqual(time_of(two), 100 / v + 2 * v / a + 20, delta=1e-6)
        rapid = RAPID_MM_MIN / 60
        self.assertAlmostEqual(time_of(program("G0 X100")), 100 / rapid + rapid / a + 20, delta=1e-6)
        self.assertAlmostEqual(
            time_of(program("G0 X100", "G4 P2.5")), 100 / rapid + rapid / a + 22.5, delta=1e-6
        )

    def test_any_time_of_its_run_is_as_the_moves_until_then_have_left_it(self):
        lines = ("F600", "G0 Z2", "G0 X10 Y10", "G1 Z-2", "X50", "G0 Z2", "G0 X10 Y15", "G1 Z-1", "X30")
        read, stock = program(*lines), (60.0, 24.0, 5.0)
        running = Running(read, stock)
        self.assertAlmostEqual(running.seconds, time_of(read))
        whole = route(read, stock, cell_mm=running.at(0).heights.cell_mm)
        last, first = running.at(running.seconds), running.at(0.0)
        np.testing.assert_allclose(last.heights.values, whole.heights.values, atol=1e-6)
        self.assertEqual((float(first.heights.values.min()), first.tool, last.tool), (0.0, None, None))
        # half way along the first groove, 600 mm a minute
        until = np.cumsum(durations_of(read))
        move = int(np.flatnonzero(read.line == 8)[0])  # X50
        half = running.at((until[move - 1] + until[move]) / 2)
        self.assertAlmostEqual(half.tip[0], 30.0, delta=1e-6)
        self.assertEqual((half.tool.diameter_mm, half.line), (6.0, 8))
        deep = np.flatnonzero(half.heights.values.min(axis=0) < -1.9) * half.heights.cell_mm
        self.assertAlmostEqual(float(deep.max()), 33.0, delta=0.2)
        # back and on again, as it was
        running.at(running.seconds)
        again = running.at(half.seconds)
        np.testing.assert_allclose(again.heights.values, half.heights.values, atol=1e-6)

    def test_a_groove_by_its_volume(self):
        done = route(
            program("F900", "G0 Z2", "G0 X10 Y10", "G1 Z-2", "X50", "G0 Z2"),
            (60.0, 20.0, 5.0),
            cell_mm=0.05,
        )
        self.assertAlmostEqual(done.removed_mm3 / (2 * (40 * 6 + np.pi * 9)), 1, delta=0.005)
        self.assertEqual(done.troubles, [])

    def test_a_flat_cutter_that_rises_leaves_nothing_at_its_rim(self):
        # lifted where it is, it touches nothing: all about its last place is cut already
        stock = (60.0, 40.0, 9.0)
        for x, y, z in ((41.3, 23.7, -1.1), (33.9, 27.1, -2.7), (20.0, 31.9, -0.4), (47.7, 20.0, -3.9)):
            lines = ("F900", "G0 Z2", "G0 X10 Y20", "G1 Z-5", f"G1 X{x} Y{y} Z{z}", "G0 Z2")
            done = route(program(*lines), stock, cell_mm=0.07)
            self.assertEqual(done.troubles, [], (x, y, z))

    def test_a_shank_or_holder_that_meets_stock_is_told_with_its_line(self):
        stock = (60.0, 20.0, 12.0)
        lines = ("F900", "G0 Z2", "G0 X10 Y10", "G1 Z-4", "X50", "G1 Z-8", "X10", "G0 Z2")
        told = {}
        for words in (
            "flat 6mm flute 9mm shank 8mm",
            "flat 6mm flute 5mm shank 8mm",
            "flat 6mm flute 5mm shank 6mm",
            "flat 6mm holder 20mm out 7.5mm",
            "flat 6mm holder 20mm out 9mm",
        ):
            top = (f"(TOOL 1 {words})", "G21 G90 G17 G94", "T1 M6")
            read = read_program("\n".join((*top, *lines)).encode())
            self.assertEqual(tool_written(read.tools[1].words), read.tools[1])
            done = route(read, stock, cell_mm=0.1)
            told[words[9:]] = [(one.line, one.says) for one in done.troubles]
        rubs = " cuts: its shank rubs"
        self.assertEqual(told["flute 9mm shank 8mm"], [])
        # 8 mm deep, 5 mm of it cut: the shank is 3 mm in, the holder half a millimetre
        self.assertIn((9, "its shank goes 3.00 mm deep into the stock"), told["flute 5mm shank 8mm"])
        self.assertTrue(all(says.endswith(rubs) for _, says in told["flute 5mm shank 6mm"]))
        self.assertEqual(len(told["flute 5mm shank 6mm"]), 1)
        self.assertIn((9, "its holder goes 0.50 mm deep into the stock"), told["holder 20mm out 7.5mm"])
        self.assertEqual(told["holder 20mm out 9mm"], [])
        for words in (
            "flat 6mm holder 20mm",
            "flat 6mm shank 8mm",
            "flat 6mm flute 9mm holder 20mm out 5mm",
        ):
            with self.subTest(words=words), self.assertRaises(KilnError):
                tool_written(words)

    def test_what_it_must_not_do_is_told(self):
        stock = (60.0, 20.0, 5.0)
        done = route(program("F900", "G0 X10 Y10 Z2", "G1 Z-2", "G0 X40", "G0 Z2"), stock)
        self.assertEqual((done.troubles[0].line, "rapid" in done.troubles[0].says), (7, True))
        deep = route(program("F900", "G0 X10 Y10 Z2", "G1 Z-9"), stock)
        self.assertIn("4.0 mm below the stock", deep.troubles[-1].says)
        beside = route(program("F900", "G0 Z2", "G0 X90"), stock)
        self.assertIn("farther than beside", beside.troubles[0].says)

    def test_what_cannot_be_followed_is_a_sentence(self):
        for lines, says in (
            (("G5 X1",), "line 4: G5 is not known"),
            (("M98",), "M98 is not known"),
            (("F100", "G1 X1 A3"), "A is not known here; only three axes"),
            (("F100", "G1 X"), "is no word"),
            (("G1 X5",), "no feed"),
            (("X5",), "no motion"),
            (("F100", "G2 X10 Y0 I3 J0"), "does not close"),
            (("F100", "G2 X10 Y0 R2"), "radius does not reach"),
            (("F100", "G2 X10 Y0"), "needs its middle"),
            (("F100", "G1 X1 X2"), "stands twice"),
            (("M5",), "moves nothing"),
        ):
            with self.subTest(lines=lines), self.assertRaisesRegex(KilnError, says):
                program(*lines)
        with self.assertRaisesRegex(KilnError, "does not say what cutter 4 is"):
            route(program("T4 M6", "F100", "G1 X3 Z-1"), (10.0, 10.0, 3.0))
        for text in ("drill 3mm", "v 60°", "flat", "v 200° 3mm", "flat 900mm"):
            with self.subTest(text=text), self.assertRaises(KilnError):
                tool_written(text)
        self.assertEqual(tool_written("V 60° 12mm 0.1mm"), Tool("v", 12.0, 60.0, 0.1))


if __name__ == "__main__":
    unittest.main()
