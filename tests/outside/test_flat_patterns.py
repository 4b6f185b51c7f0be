"""What is cut flat against the surface it is laid on: closed forms of cone, cylinder and ball."""

import tempfile
import unittest
from pathlib import Path
from xml.etree import ElementTree

import ezdxf
import numpy as np
from scipy import integrate
from svgelements import Path as SvgPath

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.handover.outlines import write_outline
from kilnchisel.core.job.edits import set_field
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.laying.flat import distance_on, flats_of, on_sector


def job_at(kind, across, text="TARNLIGHT"):
    return set_field(fresh_job(kind, text), "letterings.1.lay.across_mm", str(across))


def rings_written(job, folder, ending):
    path = folder / f"a{ending}"
    words = write_outline(job, path)
    if ending == ".dxf":
        space = ezdxf.readfile(path).modelspace()
        return [np.array([p[:2] for p in line.get_points()]) for line in space.query("LWPOLYLINE")], words
    drawn = [SvgPath(element.get("d")) for element in ElementTree.parse(path).iter() if element.get("d")]
    ends = [[(step.end.x, -step.end.y) for step in path if step.end is not None] for path in drawn]
    return [np.array(points) for points in ends], words


class Cone(unittest.TestCase):
    """Source: the development of a cone of revolution (descriptive geometry): distances along it stay."""

    def setUp(self):
        self.job = job_at("tumbler", 40)
        self.laid = lettering_laid(self.job, 0)
        self.side = self.laid.side

    def test_short_steps_keep_their_length_everywhere(self):
        rng = np.random.default_rng(3)
        low_u, low_v, high_u, high_v = self.side.domain.bounds
        start = rng.uniform((low_u, low_v + 1), (high_u, high_v - 1), (400, 2))
        step = start + rng.normal(size=(400, 2)) * 1e-3
        on_body = [self.side.to_body(uv, np.zeros(400)) for uv in (start, step)]
        flat = [on_sector(uv, self.side, 5.0) for uv in (start, step)]
        true = np.linalg.norm(on_body[1] - on_body[0], axis=1)
        np.testing.assert_allclose(np.linalg.norm(flat[1] - flat[0], axis=1) / true, 1.0, atol=2e-5)

    def test_the_far_ends_of_a_row_are_apart_as_on_the_sector(self):
        left, _, right, _ = self.laid.ink.bounds
        v = self.laid.lay.across_mm
        radius = np.linalg.norm(self.side.to_body(np.array([[0.0, v]]), np.zeros(1))[0, :2])
        sine = self.side.taper
        turn = (right - left) / self.side.period * 2 * np.pi * sine
        chord = 2 * radius / abs(sine) * np.sin(abs(turn) / 2)
        flat = flats_of([self.laid])[0].points(np.array([[left, v], [right, v]]))
        self.assertAlmostEqual(float(np.linalg.norm(flat[1] - flat[0])), chord, delta=1e-6)

    def test_a_row_that_is_not_in_the_middle_is_cut_upright_all_the_same(self):
        laid = lettering_laid(set_field(self.job, "letterings.1.lay.along_mm", "30"), 0)
        left, _, right, _ = laid.ink.bounds
        self.assertGreater(left + right, 40)  # it is beside the middle
        v = laid.lay.across_mm
        ends = flats_of([laid])[0].points(np.array([[left, v], [right, v]]))
        self.assertAlmostEqual(float(ends[0, 1]), float(ends[1, 1]), delta=1e-6)

    def test_the_files_hold_it(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for ending in (".svg", ".dxf"):
            rings, words = rings_written(self.job, folder, ending)
            points = np.concatenate(rings)
            self.assertIn("cone", words)
            # the row of letters is level: on the sector its feet lie on one circle round the apex
            apex_y = -self.side.reference_mm / self.side.taper
            left, _, right, _ = self.laid.ink.bounds
            away = np.hypot(points[:, 0] - (left + right) / 2, points[:, 1] - apex_y)
            sheet = np.concatenate([np.asarray(p.exterior.coords) for p in self.laid.ink.geoms])
            radius = np.linalg.norm(self.side.to_body(sheet, np.zeros(len(sheet)))[:, :2], axis=1)
            wanted = np.array([radius.min(), radius.max()]) / abs(self.side.taper)
            np.testing.assert_allclose([away.min(), away.max()], wanted, atol=0.02)


class Distances(unittest.TestCase):
    """Source: the helix on a cylinder (Pythagoras on its sheet), a circle of latitude on a ball."""

    def test_over_a_cylinder_and_round_a_ball(self):
        mug = lettering_laid(job_at("mug", 40), 0).side
        far, along, up = distance_on(mug, np.array([-20.0, 10.0]), np.array([40.0, 55.0]))
        np.testing.assert_allclose((far, along, up), (75.0, 60.0, 45.0), atol=1e-3)
        ball = lettering_laid(job_at("globe", 0), 0).side
        radius = ball.reference_mm
        v = radius * np.radians(60)  # at 60 degrees a circle is half as long
        _, along, up = distance_on(ball, np.array([0.0, v]), np.array([30.0, v]))
        self.assertAlmostEqual(along, 15.0, delta=0.01)
        self.assertAlmostEqual(up, 0.0, delta=1e-9)
        # straight on the sheet and slanting on the ball: from latitude to latitude, by its integral
        start, end, turn = np.radians((20.0, 60.0, 35.0))
        spots = np.array([(0.0, start), (turn, end)]) * radius
        far, along, up = distance_on(ball, *spots)
        piece = lambda t: float(np.hypot(turn * np.cos(start + t * (end - start)), end - start))  # noqa: E731
        self.assertAlmostEqual(far, radius * integrate.quad(piece, 0, 1)[0], delta=0.01)
        self.assertAlmostEqual(along, radius * turn * np.cos(start), delta=0.01)
        self.assertAlmostEqual(up, radius * (end - start), delta=0.01)


class BallAndCylinder(unittest.TestCase):
    def test_on_a_ball_letters_are_cut_at_their_own_height(self):
        job = job_at("globe", 45)
        laid = lettering_laid(job, 0)
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        rings, words = rings_written(job, folder, ".svg")
        points = np.concatenate(rings)
        # what is pressed on has the size that was typed: that of the flat words
        left, low, right, high = laid.outline.bounds
        np.testing.assert_allclose(np.ptp(points, axis=0), (right - left, high - low), atol=1e-3)
        self.assertIn("own height", words)

    def test_on_a_cylinder_the_sheet_is_the_pattern(self):
        job = job_at("mug", 40)
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        rings, words = rings_written(job, folder, ".dxf")
        points = np.concatenate(rings)
        np.testing.assert_allclose(points.min(axis=0), lettering_laid(job, 0).ink.bounds[:2], atol=1e-4)
        self.assertIn("cylinder", words)

    def test_the_same_job_the_same_bytes(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for name in "ab":
            write_outline(job_at("mug", 40), folder / f"{name}.dxf")
        self.assertEqual((folder / "a.dxf").read_bytes(), (folder / "b.dxf").read_bytes())
