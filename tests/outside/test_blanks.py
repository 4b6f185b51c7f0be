"""Turned bodies, sides and laying against formulas, standards and other libraries."""

import math
import random
import unittest

import numpy as np
import shapely
import trimesh

from demo.jobs import JOBS
from kilnchisel.core.blanks.bodies import body_of, sides_at
from kilnchisel.core.blanks.terrain import level_of_bank
from kilnchisel.core.build import can_be_on_both, lettering_laid, piece_of, unlinked
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import KINDS, Band, Bottle, Can, Globe, Medallion, Mug, Plaque, Tumbler
from kilnchisel.core.job.boards import Board
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.crafts import Engraved, Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import first_lettering
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.ringsizes import (
    inner_of_iso,
    inner_of_japan,
    inner_of_size,
    inner_of_uk,
    inner_of_us,
    iso_size,
    japan_size,
    uk_size,
    us_size,
)
from kilnchisel.core.job.traits import main_side
from kilnchisel.core.job.vehicles import Van
from kilnchisel.core.job.wording import ShippedFace, Wording
from kilnchisel.core.shop.checks import checks
from tests.each import each, spread

FACES = ("cinzel-bold", "league-spartan-bold", "pacifico", "roboto-slab")


def job_on(blank, side=None, text="TARN", cap=4.0, craft=None, **lay):
    place = Lay(side=side or main_side(blank)[0], **lay)
    wording = Wording(text=text, face=ShippedFace(name="league-spartan-bold"), cap_height_mm=cap)
    return Job(
        blank=blank,
        letterings=(Lettering(content=wording, lay=place, craft=craft or Engraved(depth_mm=0.2)),),
    )


def mesh_of(job):
    points, faces, _ = solid_of(piece_of(job))
    return trimesh.Trimesh(points, faces, process=False)


class Domes(unittest.TestCase):
    def test_height_and_slope_by_the_mesh(self):
        """An oval dome of height h over half axes a and b: h (1 - x²/a² - z²/b²), its slope 2 h x / a²."""
        board = Board(shape="oval", width_mm=760, height_mm=480, dome_mm=34, line_mm=0)
        mesh = mesh_of(Job(blank=board))
        for x, z in ((0.0, 0.0), (150.0, 0.0), (300.0, 0.0), (0.0, 150.0), (-120.0, -90.0)):
            ray = [[x, -200.0, 240.0 + z]], [[0.0, 1.0, 0.0]]
            hits, _, faces = mesh.ray.intersects_location(*ray)
            first = int(np.argmin(hits[:, 1]))
            wanted = 34 * (1 - (x / 380) ** 2 - (z / 240) ** 2)
            self.assertAlmostEqual(-float(hits[first, 1]), wanted, delta=0.15)
            normal = mesh.face_normals[faces[first]]
            leaning = np.degrees(np.arctan2(np.hypot(normal[0], normal[2]), -normal[1]))
            slope = np.hypot(2 * 34 * x / 380**2, 2 * 34 * z / 240**2)
            self.assertAlmostEqual(float(leaning), float(np.degrees(np.arctan(slope))), delta=1.2)


class RingSizes(unittest.TestCase):
    def test_iso_8653(self):
        # ISO 8653: size = inner circumference; size 54 has 17.189 mm (from memory)
        self.assertAlmostEqual(inner_of_iso(54), 17.189, places=3)
        self.assertAlmostEqual(iso_size(inner_of_iso(49)), 49)

    def test_us_formula(self):
        # US trade formula d = 11.63 + 0.8128 n: size 7 has 17.32 mm, 54.41 round (from memory)
        self.assertAlmostEqual(inner_of_us(7), 17.32, places=2)
        self.assertAlmostEqual(math.pi * inner_of_us(7), 54.41, places=2)
        self.assertAlmostEqual(us_size(inner_of_us(9.25)), 9.25)
        for written in ("A", "N", "N½", "Z", "Z+2"):
            self.assertEqual(uk_size(inner_of_uk(written)), written)
        self.assertEqual(inner_of_japan(1), 13.0)
        for written, inner in (
            ("EU 54", 17.189),
            ("54", 17.189),
            ("us 7", 17.32),
            ("JP 1", 13.0),
            ("N", 17.11),
        ):
            self.assertAlmostEqual(inner_of_size(written), inner, places=2)
        for written in ("7", "US", "UK 7", "EU 300", "", "big"):
            with self.subTest(written=written), self.assertRaises(KilnError):
                inner_of_size(written)

    def test_uk_and_japan(self):
        # BS 6820: A is 37.5 mm round, each letter 1.25 mm more; C is 40.0. JCS: n = 1 has 13.0 mm
        self.assertEqual(uk_size(37.5 / math.pi), "A")
        self.assertEqual(uk_size(40.0 / math.pi), "C")
        self.assertEqual(uk_size((37.5 + 12.5 * 1.25) / math.pi), "M½")
        self.assertAlmostEqual(japan_size(13.0), 1.0)


class Volumes(unittest.TestCase):
    """Areas and volumes by trimesh against closed forms; chords make a body a little smaller."""

    def volume(self, blank):
        return mesh_of(Job(blank=blank)).volume

    def test_ball(self):
        ball = self.volume(Globe(diameter_mm=120, foot=False))
        self.assertAlmostEqual(ball / (4 / 3 * math.pi * 60**3), 1.0, delta=6e-4)

    def test_flat_band(self):
        band = Band(inner_mm=18, width_mm=6, thickness_mm=2)
        # how far the edges are rounded, by the mesh: what is left straight of the outside
        mesh = mesh_of(Job(blank=band))
        far = np.hypot(mesh.vertices[:, 0], mesh.vertices[:, 1])
        straight = float(np.ptp(mesh.vertices[far > 11 - 1e-4, 2]))
        edge = (6 - straight) / 2
        self.assertTrue(0.1 < edge < 0.5)
        # a washer, less four rounded edges: (1 - pi/4) e^2 each, near their radius
        cut = (1 - math.pi / 4) * edge**2 * 2 * math.pi * 2 * (9 + 11)
        washer = math.pi * (11**2 - 9**2) * 6
        self.assertAlmostEqual(self.volume(band) / (washer - cut), 1.0, delta=3e-3)

    def test_cup_wall(self):
        # the wall is as thick as it says, measured across by rays
        cup = Tumbler(top_mm=80, foot_mm=60, height_mm=120, wall_mm=3)
        mesh = mesh_of(Job(blank=cup))
        heights = np.array([40.0, 60.0, 90.0])
        origins = np.stack([np.full(3, 200.0), np.zeros(3), heights], axis=1)
        hits, ray, _ = mesh.ray.intersects_location(origins, np.tile([-1.0, 0, 0], (3, 1)))
        lean = math.atan2(10, 120)
        for number in range(3):
            x = np.sort(hits[ray == number][:, 0])[::-1]
            self.assertAlmostEqual((x[0] - x[1]) * math.cos(lean), 3.0, delta=0.02)


class Laying(unittest.TestCase):
    def test_true_size_at_its_own_height_on_a_sphere(self):
        # at latitude b the circle has radius R cos b: an arc of s mm goes s / (R cos b) round
        globe = Globe(diameter_mm=150, foot=False)
        for up in (0.0, 35.0, -60.0):
            job = job_on(globe, text="NIGHT", cap=6, across_mm=up)
            laid = lettering_laid(job, 0)
            radius = 75 * math.cos(up / 75)
            self.assertAlmostEqual(math.radians(laid.degrees) * radius, laid.outline.width_mm, delta=0.002)

    def test_an_unrolled_cone_keeps_distances(self):
        # a flat sheet wrapped on a cone: geodesics keep their length. Distances of the flat outline's
        # corners are measured on the cone by unrolling it: a sector of angle round times sine
        cup = Tumbler(top_mm=90, foot_mm=60, height_mm=120)
        job = job_on(cup, text="I", cap=30, along_mm=5)
        job = change(job, ("letterings", 0, "lay", "cone"), "unrolled")
        laid = lettering_laid(job, 0)
        flat = shapely.get_coordinates(laid.outline.ink)
        corners = np.unique(np.round(flat, 9), axis=0)
        ink = shapely.get_coordinates(laid.ink)
        at = laid.side.to_body(ink, np.zeros(len(ink)))
        # the cone by its own points: how fast it widens, and where it would end
        out = np.hypot(at[:, 0], at[:, 1])
        widens, foot = np.polyfit(at[:, 2], out, 1)
        np.testing.assert_allclose(out, foot + widens * at[:, 2], atol=1e-6)
        self.assertAlmostEqual(widens / (15 / 120), 1.0, delta=0.03)  # a rounded foot takes a little
        sine = widens / math.hypot(1, widens)
        apex = np.array([0.0, 0.0, -foot / widens])
        away = np.linalg.norm(at - apex, axis=1)
        angle = (np.arctan2(at[:, 0], -at[:, 1]) - 5 / (laid.side.period / (2 * math.pi))) * sine
        opened = np.stack([away * np.sin(angle), away * np.cos(angle)], axis=1)
        box = opened.max(axis=0) - opened.min(axis=0)
        wanted = corners.max(axis=0) - corners.min(axis=0)
        np.testing.assert_allclose(box, wanted, atol=0.01)
        self.assertEqual(laid.stretch, (1.0, 1.0))

    def test_level_rows_on_a_cone_are_stretched_and_say_so(self):
        cup = Tumbler(top_mm=90, foot_mm=50, height_mm=100)
        laid = lettering_laid(job_on(cup, text="A\nB\nC\nD\nE", cap=9), 0)
        low, high = laid.ink.bounds[1], laid.ink.bounds[3]
        middle = laid.lay.across_mm
        rows = laid.side.to_body(np.array([[0.0, low], [0.0, middle], [0.0, high]]), np.zeros(3))
        radius = np.hypot(rows[:, 0], rows[:, 1])
        # 20 mm wider in 100 mm, but for a rounded foot
        self.assertAlmostEqual((radius[2] - radius[0]) / (rows[2, 2] - rows[0, 2]) / 0.2, 1.0, delta=0.03)
        np.testing.assert_allclose(laid.stretch, (radius[0] / radius[1], radius[2] / radius[1]), rtol=1e-6)
        said = [
            check for check in checks(job_on(cup, text="A\nB\nC\nD\nE", cap=9), 0) if check.key == "stretch"
        ]
        self.assertEqual(said[0].level, "warning")

    def test_the_sheet_of_a_can_is_as_large_as_its_wall(self):
        can = Can(diameter_mm=84, height_mm=110)
        mesh = mesh_of(Job(blank=can))
        upright = np.abs(mesh.face_normals[:, 2]) < 1e-6
        outside = np.einsum("ij,ij->i", mesh.face_normals, mesh.triangles_center) > 0
        wall = float(mesh.area_faces[upright & outside].sum())
        sheet = body_of(can).sheet("outside").side.domain.area
        self.assertAlmostEqual(wall / sheet, 1.0, delta=1e-3)

    def test_rays_meet_sides_where_they_left_them(self):
        rng = np.random.default_rng(3)
        for blank, name in ((Globe(), "all round"), (Bottle(), "shoulder"), (Band(profile="D"), "outside")):
            side = body_of(blank).sheet(name).side
            low_u, low_v, high_u, high_v = side.domain.bounds
            uv = np.stack(
                [rng.uniform(low_u, high_u, 40) * 0.98, rng.uniform(low_v, high_v, 40) * 0.9], axis=1
            )
            points, frames = side.to_body(uv, np.zeros(40)), side.frames(uv)
            np.testing.assert_allclose(np.cross(frames[:, 0], frames[:, 1]), frames[:, 2], atol=1e-9)
            back = side.meet(points + 0.3 * frames[:, 2], -frames[:, 2])
            np.testing.assert_allclose(back, uv, atol=2e-3)


class NeverMirrored(unittest.TestCase):
    """A reader in front of a side sees u run to the right and v up: checked on the finished solids."""

    def test_every_side_of_every_blank_reads_right(self):
        for kind in KINDS.values():
            body = body_of(kind())
            for sheet in body.sheets:
                side = sheet.side
                middle = np.array([[0.0, np.mean(side.domain.bounds[1::2])]])
                frame = side.frames(middle)[0]
                # right-handed: right x up points at the reader
                np.testing.assert_allclose(np.cross(frame[0], frame[1]), frame[2], atol=1e-9)
                step = side.to_body(middle + (0.01, 0), np.zeros(1)) - side.to_body(middle, np.zeros(1))
                self.assertGreater(float(step[0] @ frame[0]), 0.0, f"{kind.__name__} {side.name}")

    def test_both_sides_are_one_lettering_that_can_be_unlinked(self):
        for blank in (Plaque(), Medallion(), Mug(handle=False)):
            one = job_on(blank, text="R", across_mm=main_side(blank)[2])
            both = change(one, ("letterings", 0, "lay", "both"), True)
            if blank.kind == "mug":  # half way round, on the same sheet
                area = [lettering_laid(job, 0).ink.area for job in (one, both)]
                self.assertAlmostEqual(area[1] / area[0], 2.0, places=9)
                # again round it, and opposite each; of an even number the opposite is there already
                for times, copies in ((3, 6), (2, 2)):
                    again = change(both, ("letterings", 0, "lay", "repeat"), {"times": times})
                    self.assertAlmostEqual(lettering_laid(again, 0).ink.area / area[0], copies, places=9)
                    self.assertEqual(can_be_on_both(again, 0), times == 3)
            else:
                whole = mesh_of(Job(blank=blank)).volume
                removed = [whole - mesh_of(job).volume for job in (one, both)]
                self.assertAlmostEqual(removed[1] / removed[0], 2.0, delta=1e-6)
            apart = unlinked(both, 0)
            self.assertEqual(len(apart.letterings), 2)
            # a solid leaves out corners that hardly turn: a few millionths of the whole
            whole = mesh_of(both).volume
            self.assertAlmostEqual(mesh_of(apart).volume / whole, 1.0, delta=1e-6)

    def test_mirrored_where_it_is_asked_for(self):
        """As film behind glass is cut: the mirror image of what stands there otherwise, as much of it."""
        crafts = (Engraved(depth_mm=0.3), Engraved(depth_mm=0.3, floor="v"), Raised(height_mm=0.5))
        for blank, craft in [*((Plaque(), craft) for craft in crafts), (Mug(handle=False), crafts[0])]:
            plain = job_on(blank, text="TARN g8", cap=8, craft=craft, turn_deg=20.0)
            mirrored = change(plain, ("letterings", 0, "lay", "mirrored"), True)
            mirrored = change(mirrored, ("letterings", 0, "lay", "turn_deg"), -20.0)
            flipped = shapely.transform(lettering_laid(plain, 0).ink, lambda p: p * (-1, 1))
            ink = lettering_laid(mirrored, 0).ink
            self.assertLess(shapely.symmetric_difference(flipped, ink).area, 1e-5 * ink.area)
            first, second = mesh_of(plain), mesh_of(mirrored)
            self.assertTrue(second.is_watertight)
            whole = mesh_of(Job(blank=blank)).volume
            changed = (first.volume - whole, second.volume - whole)
            chords = 0.002 if blank.kind == "plaque" else 0.03  # others under other letters
            self.assertAlmostEqual(changed[1] / changed[0], 1.0, delta=chords)

    def test_on_both_sides_of_a_van_at_the_same_place_along_it(self):
        job = job_on(
            Van(), side="left side", text="TARN", cap=120, along_mm=1300, craft=Raised(height_mm=2)
        )
        both = change(job, ("letterings", 0, "lay", "both"), True)
        parts = [part for part in piece_of(both).parts if part.lettering == 0]
        self.assertEqual({part.side for part in parts}, {"left side", "right side"})
        middles = [part.mesh.bounds.mean(axis=0) for part in parts]
        self.assertAlmostEqual(middles[0][0], middles[1][0], delta=1.0)
        self.assertAlmostEqual(middles[0][1], -middles[1][1], delta=1.0)
        apart = unlinked(both, 0)
        self.assertEqual(apart.letterings[1].lay.along_mm, -1300)


@spread
class Watertight(unittest.TestCase):
    @each(KINDS)
    def test_random_jobs_on(self, kind):
        # a second library (trimesh) finds every solid closed; a fixed seed, a sample of each side
        rng = random.Random(f"20261125 {kind}")
        blank = KINDS[kind]()
        sheets = body_of(blank).sheets
        for number in range(2 if len(sheets) <= 4 else 1):
            job = Job(blank=blank, letterings=tuple(self._random_lettering(rng, sheet) for sheet in sheets))
            with self.subTest(number=number):
                mesh = mesh_of(job)
                self.assertTrue(mesh.is_watertight)
                self.assertGreater(mesh.volume, 0)

    def _random_lettering(self, rng, sheet):
        low_u, low_v, high_u, high_v = sheet.side.domain.bounds
        deep = min(0.25, 0.4 * sheet.side.wall_mm)
        wording = Wording(
            text=rng.choice(["TARN 8", "Ring & bow", "gå opp"]),
            face=ShippedFace(name=rng.choice(FACES)),
            cap_height_mm=max(min(6.0, (high_v - low_v) / rng.uniform(2, 5)), 0.3),
        )
        lay = Lay(
            side=sheet.side.name,
            along_mm=rng.uniform(low_u, high_u),
            across_mm=rng.uniform(0.6 * low_v + 0.4 * high_v, 0.4 * low_v + 0.6 * high_v),
            turn_deg=rng.choice([0.0, 0.0, rng.uniform(-90, 90)]),
            cone=rng.choice(["straight rows", "unrolled"]),
        )
        craft = rng.choice([Engraved(depth_mm=deep), Raised(height_mm=0.4)])
        return Lettering(content=wording, lay=lay, craft=craft)

    def test_ground_goes_through_its_heights_and_is_smooth_between_them(self):
        """A tensor spline through them (de Boor, A Practical Guide to Splines, chapter XVII): exact at the
        given places, and a cubic in between where it was given one."""
        x = np.linspace(-3000, 3000, 7)
        cubic = 1e-8 * x**3 - 2e-5 * x**2 + 0.02 * x
        rows = (tuple(cubic), tuple(2 * cubic + 50))
        bank = Bank(width_mm=6000, deep_mm=3000, rise_mm=400, rough_mm=0, heights=rows)
        plain = bank.model_copy(update={"heights": ()})
        side, own = (sides_at(one).all[0] for one in (bank, plain))
        _, low_v, _, high_v = side.domain.bounds
        at = np.linspace(-2900, 2900, 23)
        for v, wanted in ((low_v, 1.0), (high_v, 2.0), ((low_v + high_v) / 2, 1.5)):
            uv = np.column_stack([at, np.full(len(at), v)])
            raised = side.to_body(uv, np.zeros(len(uv)))[:, 2] - own.to_body(uv, np.zeros(len(uv)))[:, 2]
            expected = wanted * (1e-8 * at**3 - 2e-5 * at**2 + 0.02 * at) + 50 * (wanted - 1)
            level = level_of_bank(bank) - level_of_bank(plain)
            np.testing.assert_allclose(raised - level, expected, atol=1e-6)
        self.assertGreater(side.to_body(np.zeros((1, 2)), np.zeros(1))[0, 2], 0)

    @each(JOBS)
    def test_demo_job_closes(self, stem):
        self.assertTrue(mesh_of(JOBS[stem]()).is_watertight)

    def test_a_first_lettering_fits_every_blank(self):
        for kind in KINDS.values():
            blank = kind()
            job = Job(blank=blank, letterings=(first_lettering(blank, "Your words"),))
            verdicts = {check.key: check.level for check in checks(job, 0)}
            self.assertEqual(verdicts["fit"], "good", blank.kind)


if __name__ == "__main__":
    unittest.main()
