"""Flat, extruded, long and free bodies against closed forms, standards and other libraries."""

import math
import tempfile
import unittest
from pathlib import Path

import numpy as np
import shapely
import trimesh

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.cloth import ClothSide
from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.blanks.meshfile import cleaned, like, mesh_of_file
from kilnchisel.core.blanks.sides import principal_stretches
from kilnchisel.core.build import lettering_laid, piece_of, sides_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import KINDS, Band
from kilnchisel.core.job.boards import Board, BoxSign, Plate, Wall
from kilnchisel.core.job.bodies import Bracelet, Handle, PeakedCap
from kilnchisel.core.job.crafts import Engraved, Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import job_on
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.vehicles import Hull
from kilnchisel.core.job.wording import Fit
from kilnchisel.core.laying.patch import conformal_map, log_map, spot_chart
from kilnchisel.core.laying.picking import walked


def solid(job):
    points, faces, _ = solid_of(piece_of(job))
    return trimesh.Trimesh(points, faces, process=False)


def taken(mesh, ending=".stl", unit=1.0, up="z"):
    """A mesh as this application reads it after another library has written it."""
    with tempfile.TemporaryDirectory() as kept:
        path = Path(kept) / f"body{ending}"
        data = mesh.export(file_type=ending[1:])
        path.write_bytes(data.encode() if isinstance(data, str) else data)
        return mesh_of_file(path).blank(unit, up)


class Plates(unittest.TestCase):
    def test_sae_j686(self):
        # SAE J686: 12 x 6 in, hole centres 7 x 4.75 in (from memory)
        plate = Plate()
        self.assertAlmostEqual(plate.width_mm, 12 * 25.4, places=1)
        self.assertAlmostEqual(plate.height_mm, 6 * 25.4, places=1)
        self.assertAlmostEqual(plate.apart_mm, 7 * 25.4, places=1)
        self.assertAlmostEqual(plate.apart_up_mm, 4.75 * 25.4, delta=0.06)
        rings = body_of(plate).sheet("front").side.domain.interiors
        middles = np.array([shapely.Polygon(ring).centroid.coords[0] for ring in rings])
        np.testing.assert_allclose(np.unique(np.round(np.abs(middles), 2), axis=0), [[88.9, 60.35]])

    def test_volume_less_its_holes(self):
        plate = Plate(holes="two", slot_mm=0, hole_mm=10, rim_mm=0, corner_mm=10, thickness_mm=2)
        area = 304.8 * 152.4 - (4 - math.pi) * 100 - 2 * math.pi * 25
        self.assertAlmostEqual(solid(Job(blank=plate)).volume / (2 * area), 1.0, delta=2e-3)


class Boards(unittest.TestCase):
    def test_a_domed_oval_has_the_volume_of_plate_and_paraboloid(self):
        # pi a b (t + d / 2): a paraboloid is half its cylinder (handbook)
        flat = {"edge": "square", "line_mm": 0, "thickness_mm": 20, "width_mm": 400, "height_mm": 240}
        for dome in (0.0, 30.0, -12.0):
            board = Board(shape="oval", dome_mm=dome, **flat)
            wanted = math.pi * 200 * 120 * (20 + dome / 2)
            self.assertAlmostEqual(solid(Job(blank=board)).volume / wanted, 1.0, delta=4e-3)

    def test_slope_of_a_dome_by_the_mesh(self):
        board = Board(shape="oval", dome_mm=30, width_mm=400, height_mm=240, line_mm=0, edge_mm=2)
        side = body_of(board).sheet("front").side
        spots = np.array([[100.0, 0.0], [0.0, 60.0]])
        normals = side.frames(spots)[:, 2]
        # y = -d (1 - (x/a)² - (z/b)²): the slope at x is 2 d x / a²
        for normal, slope, axis in zip(
            normals, (2 * 30 * 100 / 200**2, 2 * 30 * 60 / 120**2), (0, 2), strict=True
        ):
            self.assertAlmostEqual(normal[axis] / -normal[1], slope, delta=1e-4)
        stretch = principal_stretches(side.jacobian(spots))
        np.testing.assert_allclose(stretch[:, 1], np.hypot(1, [0.15, 0.25]), rtol=1e-4)

    def test_bricks_by_their_own_size(self):
        wall = Wall(width_mm=2262, height_mm=752, brick_mm=215, course_mm=65, joint_mm=10)
        joints = body_of(wall).sheet("front").insets[0].area
        half_w, half_h = 1131 - 1, 376 - 1
        bricks = shapely.difference(shapely.box(-half_w, -half_h, half_w, half_h), joints)
        # corners are off by up to 1.1 mm
        whole = [b for b in bricks.geoms if abs(b.area - 215 * 65) < 500]
        self.assertGreater(len(whole), 80)
        volume = solid(Job(blank=wall)).volume
        self.assertAlmostEqual(volume / (2262 * 752 * 120 - joints.area * 5), 1.0, delta=1e-3)

    def test_a_band_s_inlay_is_flush(self):
        plain, inlaid = Band(width_mm=6), Band(width_mm=6, inlay_mm=2)
        parts = piece_of(Job(blank=inlaid)).parts
        strip = next(part for part in parts if part.role == "detail")
        radius = np.hypot(strip.mesh.points[:, 0], strip.mesh.points[:, 1])
        np.testing.assert_allclose(radius, 17.3 / 2 + 2.0, atol=1e-9)
        self.assertAlmostEqual(np.ptp(strip.mesh.points[:, 2]), 2.0, delta=1e-6)
        self.assertAlmostEqual(solid(Job(blank=plain)).volume, solid(Job(blank=inlaid)).volume, delta=0.01)

    def test_box_sign_reads_right_on_both_faces(self):
        body = body_of(BoxSign())
        front, back = body.sheet("front").side, body.sheet("back").side
        self.assertEqual(body.opposite("front"), "back")
        for side, facing in ((front, -1.0), (back, 1.0)):
            frame = side.frames(np.zeros((1, 2)))[0]
            np.testing.assert_allclose(frame[2], [0, facing, 0], atol=1e-12)
            np.testing.assert_allclose(frame[0], [-facing, 0, 0], atol=1e-12)


class LongAndBent(unittest.TestCase):
    def test_a_cuff_is_its_section_pushed_up(self):
        cuff = Bracelet(inner_mm=60, inner_deep_mm=60, thickness_mm=2, width_mm=10, gap_mm=20)
        # a round cuff: an annulus less the gap's sector, with two half-round ends
        half = math.asin(10 / 30)
        sector = (math.pi - half) / math.pi
        wanted = (math.pi * (32**2 - 30**2) * sector + math.pi) * 10
        self.assertAlmostEqual(solid(Job(blank=cuff)).volume / wanted, 1.0, delta=2e-3)
        side = body_of(cuff).sheet("outside").side
        length = side.domain.bounds[2] - side.domain.bounds[0]
        self.assertAlmostEqual(length, 2 * (math.pi - half) * 32, delta=0.01)

    def test_a_straight_handle_is_round(self):
        handle = Handle(bend_deg=0, head="none", widest_mm=24, end_mm=24, neck_mm=24)
        side = body_of(handle).sheet("front").side
        uv = np.random.default_rng(1).uniform((-40, -12), (40, 12), (60, 2))
        points = side.to_body(uv, np.zeros(60))
        np.testing.assert_allclose(np.hypot(points[:, 1], points[:, 2] - 12), 12, atol=1e-9)
        np.testing.assert_allclose(principal_stretches(side.jacobian(uv)), 1.0, atol=1e-6)

    def test_a_bent_axis_is_an_arc_of_its_length(self):
        handle = Handle(bend_deg=40, head="none", widest_mm=20, end_mm=20, neck_mm=20, length_mm=140)
        side = body_of(handle).sheet("front").side
        u = np.linspace(-45, 45, 721)
        line = side.to_body(np.stack([u, np.zeros(721)], axis=1), np.zeros(721))
        run = np.linalg.norm(np.diff(line, axis=0), axis=1).sum()
        self.assertAlmostEqual(
            run, 90.0, delta=1e-3
        )  # along the middle of the side the axis keeps its length
        chord = 2 * (140 / math.radians(40)) * math.sin(math.radians(40) * 90 / 140 / 2)
        self.assertAlmostEqual(float(np.linalg.norm(line[-1] - line[0])), chord, delta=1e-3)

    def test_an_elliptic_hull(self):
        hull = Hull(squareness=0, width_mm=2000, height_mm=2000, window_rows=0)
        side = body_of(hull).sheet("left side").side
        uv = np.array([[0.0, 0.0], [300.0, 400.0], [-200.0, -500.0]])
        points = side.to_body(uv, np.zeros(3))
        np.testing.assert_allclose(np.hypot(points[:, 1], points[:, 2] - 1000), 1000, rtol=1e-9)
        np.testing.assert_allclose(points[:, 2] - 1000, 1000 * np.sin(uv[:, 1] / 1000), atol=0.01)
        np.testing.assert_allclose(principal_stretches(side.jacobian(uv)), 1.0, atol=1e-4)

    def test_jacobians_are_the_steps_of_the_surface(self):
        # against plain differences of to_body, on every side of every blank
        for kind in KINDS.values():
            for sheet in body_of(kind()).sheets:
                side, rng = sheet.side, np.random.default_rng(8)
                count = 400 if isinstance(side, ClothSide) else 20
                low_u, low_v, high_u, high_v = side.domain.bounds
                mid = np.array([(low_u + high_u) / 2, (low_v + high_v) / 2])
                uv = mid + rng.uniform(-0.3, 0.3, (count, 2)) * (high_u - low_u, high_v - low_v)
                step = 2e-4 * min(high_u - low_u, high_v - low_v)
                lengths = []
                for axis in np.eye(2):
                    ahead = side.to_body(uv + step * axis, np.zeros(count))
                    behind = side.to_body(uv - step * axis, np.zeros(count))
                    lengths.append(np.linalg.norm(ahead - behind, axis=1) / (2 * step))
                got = np.linalg.norm(side.jacobian(uv), axis=1)
                if isinstance(side, ClothSide):  # true to its pattern, from which it gives where it hangs
                    np.testing.assert_array_equal(got, np.ones((count, 2)))
                    # a label bends, and gives nothing; a crown is eased over the head
                    near = {"neck inside": 1e-6}.get(side.name, 0.07 if kind is PeakedCap else 0.03)
                    self.assertLess(np.abs(np.stack(lengths) - 1).mean(), near, side.name)
                    continue
                np.testing.assert_allclose(got, np.stack(lengths, axis=1), rtol=3e-3, err_msg=side.name)


class FreeMeshes(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.ball = trimesh.creation.icosphere(5, radius=50)
        cls.points, cls.faces = np.asarray(cls.ball.vertices), np.asarray(cls.ball.faces)

    def patch(self, reach):
        """Points and faces within ``reach`` of the ball's foremost point, and that point's place."""
        source = int(np.argmin(self.points[:, 1]))
        away = 50 * np.arccos(np.clip(self.points @ self.points[source] / 2500, -1, 1))
        faces = self.faces[(away[self.faces] < reach).all(axis=1)]
        used, corners = np.unique(faces, return_inverse=True)
        return self.points[used], corners.reshape(-1, 3), int(np.searchsorted(used, source)), away[used]

    def test_log_map_on_a_sphere_against_great_circles(self):
        points, corners, source, away = self.patch(52.0)
        normal = points[source] / 50
        right = np.cross([0, 0, 1.0], normal)
        right /= np.linalg.norm(right)
        flat = log_map(points, corners, source, right, np.cross(normal, right), detail=Detail.FINE)
        inner = away < 40
        self.assertLess(np.abs(np.linalg.norm(flat, axis=1) - away)[inner].max(), 0.2)
        # directions too: the angle in which a great circle leaves
        ahead = points - (points @ normal)[:, None] * normal
        wanted = np.arctan2(ahead @ np.cross(normal, right), ahead @ right)
        far = inner & (away > 5)
        turn = np.angle(np.exp(1j * (np.arctan2(flat[far, 1], flat[far, 0]) - wanted[far])))
        self.assertLess(np.degrees(np.abs(turn)).max(), 1.5)

    def test_conformal_map_of_a_cap_against_the_stereographic_one(self):
        # the conformal map of a cap keeps angles; its scale grows as 1 / cos²(a / 2) (closed form)
        points, corners, source, away = self.patch(35.0)
        start = points[:, [0, 2]] - points[source][[0, 2]]
        flat = conformal_map(points, corners, start)
        a, b, c = (flat[corners[:, i]] for i in range(3))
        p, q, r = (points[corners[:, i]] for i in range(3))
        sides = [np.linalg.norm(x, axis=1) for x in (b - a, c - b, a - c, q - p, r - q, p - r)]
        ratio = np.stack([sides[i] / sides[i + 3] for i in range(3)], axis=1)
        self.assertLess((ratio.max(axis=1) / ratio.min(axis=1)).max(), 1.03)
        middle = away[corners].mean(axis=1)
        inner, outer = ratio[middle < 6].mean(), ratio[(middle > 27) & (middle < 31)].mean()
        wanted = (1 / np.cos(29 / 100) ** 2) / (1 / np.cos(4 / 100) ** 2)
        self.assertAlmostEqual(outer / inner, wanted, delta=0.02)

    def test_letters_on_a_cylinder_mesh_are_as_on_the_cylinder(self):
        tin = trimesh.creation.cylinder(30, 80, sections=180)
        mesh = free_mesh(taken(tin))
        chart = spot_chart(mesh, (0.0, -30.0, 40.0), 25.0, detail=Detail.FINE)
        round_ = np.arctan2(chart.points[:, 0], -chart.points[:, 1]) * 30
        near = np.abs(chart.uv[:, 0]) < 25
        np.testing.assert_allclose(chart.uv[near, 0], round_[near], atol=0.03)
        np.testing.assert_allclose(chart.uv[near, 1], chart.points[near, 2] - 40, atol=0.03)

    def test_a_cylinder_is_found_and_unrolled(self):
        for turn, name in ((None, "standing"), ((1, 0, 0), "lying")):
            tin = trimesh.creation.cylinder(30, 80, sections=120)
            if turn is not None:
                tin.apply_transform(trimesh.transformations.rotation_matrix(math.pi / 2, turn))
            mesh = free_mesh(taken(tin))
            with self.subTest(name):
                (area,) = mesh.round_areas
                self.assertAlmostEqual(area.radius_mm, 30, delta=0.02)
                self.assertAlmostEqual(abs(area.axis[2 if turn is None else 1]), 1.0, places=6)
                job = job_on(taken(tin), "tin", "TARN")
                job = change(
                    job, ("letterings", 0, "lay"), Lay(side="round side", along_mm=4, across_mm=-5)
                )
                laid = lettering_laid(job, 0)
                np.testing.assert_allclose(laid.stretch, 1.0, atol=1e-3)  # chords against arcs
                self.assertTrue(solid(job).is_watertight)
                # u = 0 is at the front, or above where it lies
                front = laid.side.to_body(np.zeros((1, 2)), np.zeros(1))[0] - area.centre
                wanted = (0, -1, 0) if turn is None else (0, 0, 1)
                self.assertAlmostEqual(float(front @ wanted), 30, delta=0.02)
        pipe = trimesh.creation.annulus(20, 25, 40, sections=120)
        names = {area.name: area.inside for area in free_mesh(taken(pipe)).round_areas}
        self.assertEqual(sorted(names.values()), [False, True])

    def test_paint_follows_the_joints_of_a_wall(self):
        job = job_on(Wall(width_mm=600, height_mm=400), "wall", "TARN")
        heights = set()
        for part in piece_of(job).parts:
            if part.role == "letters":
                heights |= set(np.round(-part.mesh.points[:, 1], 3).tolist())
        self.assertEqual(heights, {0.0, 0.02, -4.98})

    def test_true_size_and_closed_with_letters_over_letters(self):
        for name, mesh in (
            ("box", trimesh.creation.box((100, 60, 40))),
            ("torus", trimesh.creation.torus(40, 15, major_sections=64, minor_sections=32)),
            ("ball", self.ball),
        ):
            blank = taken(mesh)
            job = job_on(blank, name, "TARN 8")
            first = job.letterings[0]
            second = first.model_copy(
                update={
                    "craft": Raised(height_mm=0.4),
                    "lay": Lay(side="any spot", across_mm=3, turn_deg=25),
                }
            )
            job = change(
                job, ("letterings",), (first.model_copy(update={"craft": Engraved(depth_mm=0.3)}), second)
            )
            with self.subTest(name=name):
                self.assertTrue(solid(job).is_watertight)
                laid = lettering_laid(job, 0)
                _row, share = laid.side.located(np.array([[0.0, 0.0]]))
                self.assertAlmostEqual(float(share.sum()), 1.0)
                if name == "box":
                    np.testing.assert_allclose(laid.stretch, 1.0, atol=1e-6)

    def test_volume_of_letters_on_a_flat_area(self):
        block = taken(trimesh.creation.box((100, 60, 40)))
        self.assertEqual(
            set(sides_of(block)),
            {"any spot", "front", "back", "left side", "right side", "top", "underside"},
        )
        job = job_on(block, "block", "TARN")
        job = change(job, ("letterings", 0, "lay"), Lay(side="top", across_mm=4, along_mm=-3))
        job = change(job, ("letterings", 0, "craft"), Engraved(depth_mm=2.0))
        ink = lettering_laid(job, 0).ink.area
        self.assertAlmostEqual((100 * 60 * 40 - solid(job).volume) / (2 * ink), 1.0, delta=1e-3)

    def test_a_step_over_a_ball_goes_along_a_great_circle(self):
        mesh = free_mesh(taken(self.ball))
        middle = np.array([0.0, 0.0, 50.0])
        start = middle + 50 * np.array([np.sin(0.4), -np.cos(0.4), 0.0])
        for along, across in ((0.1, 0.0), (6.0, 0.0), (0.0, -9.0), (-20.0, 12.0)):
            far = np.hypot(along, across)
            end = walked(mesh, tuple(start), along, across) - middle
            # up is z there, right the way round: the point that far on along the circle
            way = np.array([along * np.cos(0.4), along * np.sin(0.4), across]) / far
            wanted = (start - middle) * np.cos(far / 50) + 50 * way * np.sin(far / 50)
            self.assertLess(np.linalg.norm(end - wanted), 0.004 * far + 0.06, (along, across))
            self.assertAlmostEqual(float(np.linalg.norm(end)), 50.0, delta=0.06)

    def test_straight_on_is_trimmed_where_the_body_turns_away(self):
        mesh = free_mesh(taken(self.ball))
        chart = spot_chart(mesh, (0.0, -50.0, 50.0), 49.0, "project", detail=Detail.FINE)
        np.testing.assert_allclose(chart.uv[:, 0], chart.points[:, 0], atol=2.0)
        self.assertLess(np.abs(chart.uv).max(), 51.0)
        self.assertTrue((mesh.face_normals[chart.faces][:, 1] < -0.1).all())

    def test_letters_go_on_across_a_gap_between_parts(self):
        # two blocks whose fronts lie in one plane, 3 mm apart; a third stands 9 mm further back
        blocks = []
        for middle, back in ((-21.5, 0.0), (21.5, 0.0), (64.5, 9.0)):
            block = trimesh.creation.box((40, 20, 30))
            block.apply_translation((middle, back, 15))
            blocks.append(block)
        blank = taken(trimesh.util.concatenate(blocks))
        plain = free_mesh(blank)
        front = float(plain.points[:, 1].min())
        middle = (plain.points[:, 0].min() + 47.5, front, 15.0)  # 4.5 mm beside the gap
        whole = solid(Job(blank=blank)).volume
        for side in ("any spot", "front"):
            job = job_on(blank, "t", "TARNLIGHT")
            lay = Lay(side=side, spot=middle if side == "any spot" else None, wrap="project")
            job = change(job, ("letterings", 0, "lay"), lay)
            job = change(job, ("letterings", 0, "content", "fit"), Fit(by="size", width_mm=60))
            job = change(job, ("letterings", 0, "craft"), Engraved(depth_mm=0.5))
            laid = lettering_laid(job, 0)
            at = laid.side.to_body(np.zeros((1, 2)), np.zeros(1))[0]
            if side == "front":
                job = change(job, ("letterings", 0, "lay", "along_mm"), float(middle[0] - at[0]))
                laid = lettering_laid(job, 0)
            gap = shapely.box(middle[0] - at[0] - 7.5, -99, middle[0] - at[0] - 4.5, 99)
            there = shapely.difference(laid.ink, gap).area
            self.assertLess(there, laid.ink.area - 1)
            taken_off = (whole - solid(job).volume) / 0.5
            # letters keep 0.02 mm off every edge
            self.assertAlmostEqual(taken_off / there, 1.0, delta=2e-3)

    def test_triangles_turned_anyhow_come_out_one_way(self):
        rng = np.random.default_rng(5)
        two = trimesh.util.concatenate(
            trimesh.creation.icosphere(subdivisions=3, radius=9),
            trimesh.creation.annulus(4, 8, 5, transform=np.diag([1.0, 1, 1, 1]) + np.eye(4, k=3) * 30),
        )
        mixed = two.faces.copy()
        turned = rng.random(len(mixed)) < 0.4
        mixed[turned] = mixed[turned][:, ::-1]
        none = np.zeros(len(mixed), dtype=np.int32)
        points, faces, _, _, _, notes, loose = cleaned(two.vertices, mixed, none, ("a",), None)
        made = trimesh.Trimesh(points, faces, process=False)
        self.assertTrue(made.is_winding_consistent and made.is_watertight)
        self.assertAlmostEqual(made.volume / two.volume, 1.0, places=9)
        self.assertEqual(loose, 0)
        self.assertIn(f"{int(turned.sum())} triangles were turned to face outward", notes)

    def test_a_band_of_one_side_is_taken_as_it_is(self):
        # a Möbius band: no way of turning its triangles makes it consistent
        steps = np.arange(60)
        turn, half = 2 * np.pi * steps / 60, np.pi * steps / 60
        rims = [
            np.stack(
                [
                    (20 + s * np.cos(half)) * np.cos(turn),
                    (20 + s * np.cos(half)) * np.sin(turn),
                    s * np.sin(half),
                ],
                axis=1,
            )
            for s in (-4, 4)
        ]
        points = np.concatenate(rims)
        after = np.append(steps[1:], 60), np.append(steps[1:] + 60, 0)  # the rims change places
        faces = np.concatenate(
            [np.stack([steps, after[0], steps + 60], 1), np.stack([after[0], after[1], steps + 60], 1)]
        )
        none = np.zeros(len(faces), dtype=np.int32)
        kept, made, *_, loose = cleaned(points, faces, none, ("a",), None)
        self.assertEqual(trimesh.Trimesh(kept, made, process=False).euler_number, 0)
        self.assertGreater(loose, 0)

    def test_formats_of_another_writer(self):
        block = trimesh.creation.box((20, 30, 40))
        for ending in (".stl", ".obj", ".ply", ".glb", ".3mf", ".off"):
            blank = taken(block, ending)
            points = free_mesh(blank).points
            np.testing.assert_allclose(np.ptp(points, axis=0), (20, 30, 40), rtol=1e-5, err_msg=ending)
            self.assertEqual(blank.size_mm, (20.0, 30.0, 40.0))
        standing = free_mesh(taken(block, unit=10.0, up="y")).points
        np.testing.assert_allclose(np.ptp(standing, axis=0), (200, 400, 300), rtol=1e-5)
        self.assertAlmostEqual(standing[:, 2].min(), 0)

    def test_parts_are_kept(self):
        scene = trimesh.Scene()
        scene.add_geometry(trimesh.creation.box((10, 10, 10)), node_name="lid")
        far = trimesh.transformations.translation_matrix((30, 0, 0))
        scene.add_geometry(trimesh.creation.box((10, 10, 10)), node_name="pot", transform=far)
        mesh = free_mesh(taken(scene, ".glb", 1.0))
        self.assertEqual(set(mesh.parts), {"lid", "pot"})
        self.assertAlmostEqual(np.ptp(mesh.points[:, 0]), 40, places=4)

    def test_what_is_wrong_is_said(self):
        block = trimesh.creation.box((20, 30, 40))
        holed = trimesh.Trimesh(block.vertices, block.faces[:-2], process=False)
        notes = free_mesh(taken(holed)).notes
        self.assertTrue(any("edges are open" in note for note in notes), notes)
        turned = block.faces.copy()
        turned[3] = turned[3][::-1]
        mended = free_mesh(taken(trimesh.Trimesh(block.vertices, turned, process=False)))
        self.assertTrue(any("turned" in note for note in mended.notes), mended.notes)
        self.assertEqual(mended.open_edges, 0)
        with tempfile.TemporaryDirectory() as folder:
            for name, data, said in (
                ("cut.stl", block.export(file_type="stl")[:300], "cannot be read"),
                ("noise.ply", b"not a mesh at all", "cannot be read"),
                ("empty.obj", b"# nothing\n", ""),
                ("body.blend", b"", "no mesh that can be read"),
            ):
                path = Path(folder) / name
                path.write_bytes(data)
                with self.assertRaises(KilnError, msg=name) as caught:
                    mesh_of_file(path)
                self.assertIn(said, str(caught.exception))
                self.assertIn(name, str(caught.exception))
        self.assertEqual(like(90), "about as large as a mug")
        self.assertEqual(like(5200), "about as large as a van")


if __name__ == "__main__":
    unittest.main()
