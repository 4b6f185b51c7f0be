"""Maps on the surface map that a mesh brought, against the closed form of a cylinder whose map is known:
round it by its angle, up it by its height."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import trimesh

from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.blanks.meshfile import mesh_of_file
from kilnchisel.core.build import lettering_laid, piece_of, scene_of_job
from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.handover.mapfiles import MapOrder, map_files
from kilnchisel.core.handover.sidemaps import bakings_of, without_maps
from kilnchisel.core.handover.texturedmesh import textured_parts
from kilnchisel.core.job.crafts import Engraved, Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Enamel, Ink, Wear
from kilnchisel.core.job.fresh import job_on

RADIUS, TALL = 40.0, 100.0
LEFT, RIGHT, LOW, HIGH = 0.05, 0.95, 0.1, 0.9  # of the picture
SIZE = 1024


class OnItsOwnMap(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def taken(self, ending=".glb", *, turned=False, beyond=0.0):
        """The job of a cylinder from a file, its seam at the back; ``turned``: every second face the wrong
        way round."""
        around, up = 120, 25
        angle, high = np.meshgrid(np.linspace(-np.pi, np.pi, around + 1), np.linspace(0, TALL, up + 1))
        points = np.stack([RADIUS * np.sin(angle), -RADIUS * np.cos(angle), high], axis=-1).reshape(-1, 3)
        u = LEFT + (RIGHT - LEFT) * (angle + np.pi) / (2 * np.pi) + beyond
        uv = np.stack([u, LOW + (HIGH - LOW) * high / TALL], axis=-1).reshape(-1, 2)
        index = np.arange((up + 1) * (around + 1)).reshape(up + 1, around + 1)
        a, b, c, d = (
            part.ravel() for part in (index[:-1, :-1], index[:-1, 1:], index[1:, 1:], index[1:, :-1])
        )
        faces = np.concatenate([np.stack([a, b, c], axis=1), np.stack([a, c, d], axis=1)])
        if turned:
            faces[::2] = faces[::2, ::-1]
        mesh = trimesh.Trimesh(points, faces, process=False)
        mesh.visual = trimesh.visual.TextureVisuals(uv=uv)
        path = self.folder / f"tin{ending}"
        path.write_bytes(
            trimesh.Scene(mesh).export(file_type=ending[1:])
            if ending == ".glb"
            else mesh.export(file_type=ending[1:])
        )
        job = job_on(mesh_of_file(path).blank(1.0, "z"), "Tin", "TARN")
        job = change(change(job, ("wear",), Wear(handled=0.0)), ("finish",), Enamel(colour="#e0d8c0"))
        return change(job, ("letterings", 0, "finish"), Ink(colour="#204060"))

    def lettered(self, job, maps):
        """Where the letters are: angle and height of each texel, (n, 2), how large they are, mm², and which
        texels they are."""
        (baking,) = bakings_of(job)
        mine = np.array([part.lettering == 0 for part in baking.parts] + [False])
        row, column = np.nonzero(mine[maps.part])
        share = float(maps.share(mine.astype(np.float32), slice(0, SIZE)).sum())
        u, v = (column + 0.5) / SIZE, 1 - (row + 0.5) / SIZE
        angle = ((u - LEFT) / (RIGHT - LEFT) - 0.5) * 2 * np.pi
        high = (v - LOW) / (HIGH - LOW) * TALL
        texel = 2 * np.pi * RADIUS / (RIGHT - LEFT) * TALL / (HIGH - LOW) / SIZE**2
        return np.stack([RADIUS * angle, high], axis=1), share * texel, (row, column)

    def test_letters_lie_on_it_where_they_lie_on_the_mesh(self):
        for turned in (False, True):
            with self.subTest(turned=turned):
                job = change(self.taken(turned=turned), ("letterings", 0, "craft"), Engraved(depth_mm=0.5))
                self.assertEqual(without_maps(job), "")
                (baking,) = bakings_of(job)
                maps = baking.maps(SIZE)
                spots, size, at = self.lettered(job, maps)
                area = lettering_laid(job, 0).ink.area
                self.assertAlmostEqual(size / area, 1, delta=0.04)  # its rim is eased
                printed = change(job, ("letterings", 0, "craft"), Printed())
                inked = self.lettered(printed, bakings_of(printed)[0].maps(SIZE))[1]
                self.assertAlmostEqual(inked / area, 1, delta=0.005)
                floor = [p for p in piece_of(job).parts if p.lettering == 0 and len(p.mesh.faces)]
                points = np.concatenate([p.mesh.points for p in floor])
                round_it = RADIUS * np.arctan2(points[:, 0], -points[:, 1])
                box = np.array([round_it.min(), points[:, 2].min(), round_it.max(), points[:, 2].max()])
                np.testing.assert_allclose([*spots.min(axis=0), *spots.max(axis=0)], box, atol=0.4)
                # half a millimetre deep, and its floor goes with the wall (a flat of 3 degrees: 0.014 mm)
                deep = maps.height[at]
                self.assertAlmostEqual(float(np.median(deep)), -0.5, delta=0.02)
                normal = maps.normal[at] / 32767
                self.assertGreater(np.median(normal[:, 2]), 0.999)
                beside = maps.part >= 0
                beside[at] = False
                self.assertLess(np.quantile(np.abs(maps.height[beside]), 0.99), 0.02)

    def test_colours_go_on_beyond_the_rims_of_its_pieces(self):
        job = change(self.taken(), ("letterings", 0, "craft"), Printed())
        (baking,) = bakings_of(job)
        maps = baking.maps(SIZE)
        _, _, (row, column) = self.lettered(job, maps)
        ink = np.array(hex_to_linear("#204060"))
        np.testing.assert_allclose(
            np.median(maps.colour[row, column].astype(float), axis=0), ink, atol=0.02
        )
        middle, edge = SIZE // 2, round(LEFT * SIZE)
        self.assertEqual(int(maps.part[middle, edge - 5]), -1)
        np.testing.assert_allclose(
            maps.colour[middle, edge - 5].astype(float),
            maps.colour[middle, edge + 2].astype(float),
            atol=0.03,
        )
        self.assertEqual(float(maps.colour[middle, edge - 30].max()), 0.0)
        files, words = map_files(job, MapOrder("1k"))
        self.assertIn("maps-surface-mask-1-tarn.png", files)
        self.assertIn("surface", words)

    def test_a_textured_solid_keeps_what_stands_upright(self):
        job = change(self.taken(), ("letterings", 0, "craft"), Engraved(depth_mm=0.5))
        parts = textured_parts(job, 256)
        faces = sum(len(part.mesh.faces) for part in parts)
        self.assertEqual(faces, sum(len(item.mesh.faces) for item in scene_of_job(job).items))
        self.assertTrue(any(part.textures is None for part in parts))

    def test_long_triangles_keep_their_map_when_they_are_divided(self):
        box = trimesh.creation.box((60.0, 30.0, 20.0))
        corner = box.vertices[box.faces].reshape(-1, 3)
        apart = trimesh.Trimesh(corner, np.arange(len(corner)).reshape(-1, 3), process=False)
        normal = np.repeat(box.face_normals, 3, axis=0)
        plane = np.where(
            np.abs(normal[:, :1]) > 0.5,
            corner[:, 1:],
            np.where(np.abs(normal[:, 1:2]) > 0.5, corner[:, ::2], corner[:, :2]),
        )
        apart.visual = trimesh.visual.TextureVisuals(uv=plane / 200 + 0.5)
        path = self.folder / "box.glb"
        path.write_bytes(trimesh.Scene(apart).export(file_type="glb"))
        free = free_mesh(mesh_of_file(path).blank(1.0, "z"))
        self.assertGreater(len(free.faces), 12)
        self.assertEqual(free.open_edges, 0)
        mm = (free.surface_map - 0.5) * 200
        lengths = [np.linalg.norm(mm[:, k] - mm[:, k - 1], axis=1) for k in range(3)]
        sides = [
            np.linalg.norm(free.points[free.faces[:, k]] - free.points[free.faces[:, k - 1]], axis=1)
            for k in range(3)
        ]
        np.testing.assert_allclose(lengths, sides, atol=1e-3)  # flat faces as they are

    def test_a_mesh_without_a_map_or_with_one_that_repeats_says_so(self):
        self.assertEqual(without_maps(self.taken(".stl")), "its mesh brought no surface map")
        self.assertIn("goes beyond its picture", without_maps(self.taken(beyond=0.5)))


if __name__ == "__main__":
    unittest.main()
