"""Edges eased for the picture: what closes stays closed, and only edges that stand out move."""

from __future__ import annotations

import unittest
from pathlib import Path

import numpy as np
import shapely
import trimesh

from kilnchisel.core.blanks.mesh import Mesh, join, open_edges, welded
from kilnchisel.core.build import piece_of, scene_of_job
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.file import open_job
from kilnchisel.core.scene.eased import OUTSIDE, eased

DEMO = Path(__file__).parents[2] / "demo"


def flat(shape: trimesh.Trimesh) -> Mesh:
    """A mesh whose faces do not share their corners, each with its own normal."""
    shape.unmerge_vertices()
    normals = np.repeat(np.asarray(shape.face_normals), 3, axis=0)
    points = np.asarray(shape.vertices)
    return Mesh(points, normals, points[:, :2].copy(), np.asarray(shape.faces, dtype=np.int32))


def opened(*meshes: Mesh) -> int:
    mesh = join(meshes)
    return open_edges(welded(mesh.points, mesh.faces)[1])


def at(mesh: Mesh, spot: tuple[float, float, float], within: float = 1e-6) -> np.ndarray:
    return np.flatnonzero(np.linalg.norm(mesh.points - spot, axis=1) < within)


class Box(unittest.TestCase):
    RADIUS = 0.5

    def setUp(self) -> None:
        self.box = flat(trimesh.creation.box(extents=(20, 12, 8)))
        (self.made,) = eased((self.box,), (self.RADIUS,), 0.001)

    def test_it_closes_and_stays_within_the_box(self) -> None:
        self.assertEqual(opened(self.made), 0)
        np.testing.assert_array_less(self.made.bounds[1], self.box.bounds[1] + 1e-9)
        self.assertAlmostEqual(float(self.made.bounds[1, 0]), 10.0, places=9)

    def test_an_edge_moves_in_as_far_as_its_round(self) -> None:
        # along an edge of a right angle a round of radius r is r (√2 - 1) from the edge
        deep = self.RADIUS * (np.sqrt(2) - 1) / np.sqrt(2)
        edge = self.made.points[np.abs(self.made.points[:, 0]) < 10 - 0.9 * self.RADIUS]
        corner = edge[(edge[:, 1] > 5.5) & (edge[:, 2] > 3.5)]
        outermost = corner[np.argmax(corner[:, 1] + corner[:, 2])]
        np.testing.assert_allclose(outermost[1:], (6 - deep, 4 - deep), atol=1e-6)

    def test_a_corner_moves_in_as_far_as_its_ball(self) -> None:
        # a ball of radius r that touches three faces is r (√3 - 1) from their corner
        way = self.RADIUS * (np.sqrt(3) - 1) / np.sqrt(3)
        self.assertTrue(len(at(self.made, (10 - way, 6 - way, 4 - way), 1e-6)))

    def test_normals_turn_from_the_face_to_the_middle_of_the_edge(self) -> None:
        top = self.made.points[:, 2] > 4 - 1e-9
        inside = top & (np.abs(self.made.points[:, 0]) < 9.4) & (np.abs(self.made.points[:, 1]) < 5.4)
        np.testing.assert_allclose(self.made.normals[inside][:, 2], 1.0, atol=1e-9)
        self.assertGreater(inside.sum(), 1)
        edge = self.made.points[:, 1] + self.made.points[:, 2] > 10 - 2 * 0.15 - 1e-6
        middle = edge & (np.abs(self.made.points[:, 0]) < 9.6)
        self.assertTrue(middle.any())
        np.testing.assert_allclose(self.made.normals[middle][:, 1:], np.sqrt(0.5), atol=1e-6)

    def test_faces_beyond_the_strips_are_flat(self) -> None:
        corners = self.made.points[self.made.faces]
        inner = (np.abs(corners) < np.array([10, 6, 4]) - self.RADIUS * OUTSIDE).sum(axis=(1, 2)) >= 6
        turn = np.linalg.norm(np.ptp(self.made.normals[self.made.faces[inner]], axis=1), axis=1)
        self.assertGreater(inner.sum(), 6)
        np.testing.assert_allclose(turn, 0, atol=1e-9)

    def test_a_thin_plate_is_rounded_by_what_it_is_thick(self) -> None:
        (made,) = eased((flat(trimesh.creation.box(extents=(40, 30, 1))),), (self.RADIUS,), 0.001)
        faces = (np.abs(made.normals[:, 2]) > 0.5) & (np.abs(made.points[:, 2]) > 0.25)
        moved = 0.5 - np.abs(made.points[faces, 2])
        self.assertGreater(moved.max(), 0.01)
        self.assertLess(moved.max(), 0.1)


class Others(unittest.TestCase):
    def test_a_ball_and_what_is_not_wanted_come_back_themselves(self) -> None:
        ball = trimesh.creation.icosphere(3, 10)
        mesh = Mesh(
            np.asarray(ball.vertices),
            np.asarray(ball.vertex_normals),
            np.zeros((len(ball.vertices), 2)),
            np.asarray(ball.faces, dtype=np.int32),
        )
        box = flat(trimesh.creation.box(extents=(20, 12, 8)))
        same, left = eased((mesh, box), (0.3, 0.0), 0.001)
        self.assertIs(same, mesh)
        self.assertIs(left, box)

    def test_what_cannot_be_seen_is_left(self) -> None:
        box = flat(trimesh.creation.box(extents=(20, 12, 8)))
        self.assertIs(eased((box,), (0.1,), 0.2)[0], box)

    def test_an_edge_that_goes_in_stays(self) -> None:
        block = trimesh.creation.extrude_polygon(
            shapely.Polygon([(0, 0), (20, 0), (20, 10), (10, 10), (10, 20), (0, 20)]), 10
        )
        (made,) = eased((flat(block),), (0.4,), 0.001)
        self.assertEqual(opened(made), 0)
        self.assertTrue(len(at(made, (10, 10, 5.0), 4.7)))
        inner = made.points[(np.abs(made.points[:, :2] - 10) < 1e-9).all(axis=1)]
        self.assertGreater(np.ptp(inner[:, 2]), 8.0)  # the upright edge within is where it was

    def test_demo_jobs_close_and_their_solids_stay_exact(self) -> None:
        for stem in ("tarn-stone", "honey-jar", "shuttle-stop"):
            job = open_job(DEMO / f"{stem}.kcj")
            piece, scene = piece_of(job), scene_of_job(job)
            self.assertTrue(
                any(a.mesh is not b.mesh for a, b in zip(piece.parts, scene.items, strict=True)), stem
            )
            for solid in dict.fromkeys(part.solid for part in piece.parts):
                mine = [n for n, part in enumerate(piece.parts) if part.solid == solid]
                before = opened(*(piece.parts[n].mesh for n in mine))
                after = opened(*(scene.items[n].mesh for n in mine if len(scene.items[n].mesh.faces)))
                self.assertEqual(after, before, f"{stem}, {solid}")
            rough = scene_of_job(job, detail=Detail.ROUGH)
            rough_parts = piece_of(job, detail=Detail.ROUGH).parts
            self.assertTrue(all(a.mesh is b.mesh for a, b in zip(rough_parts, rough.items, strict=True)))


if __name__ == "__main__":
    unittest.main()
