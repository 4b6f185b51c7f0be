"""Solids against closed forms and a second mesh library (trimesh)."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import pygltflib
import shapely
import trimesh

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.mesh import doubled_areas
from kilnchisel.core.build import lettering_laid, piece_of, sides_of_job
from kilnchisel.core.crafts.sheet import MANY_HOLES, triangulated
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.handover.meshes import write_mesh
from kilnchisel.core.job.crafts import Raised
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.shop.silhouette import seen_at
from tests.samples import engraved_mug, mug_job, plaque_job

THIRTY = "TARNLIGHTHILLOBSERVATORYNIGHTS"  # 30 letters


def trimesh_of(job):
    points, faces, _ = solid_of(piece_of(job))
    return trimesh.Trimesh(points, faces, process=False)


class EngravedCylinder(unittest.TestCase):
    """Source: closed form. A region of area A (on the surface, radius R) cut d deep along the normals
    loses the volume A d (1 - d / 2R)."""

    def test_thirty_letters_watertight_and_of_the_right_volume(self):
        # The division of the surface is the same at every depth, so that what differs is what was cut:
        # the volume between a first depth of 0.01 mm and the full one.
        shallow = 0.01
        first = trimesh_of(engraved_mug(THIRTY, shallow))
        for depth in (0.3, 1.0):
            job = engraved_mug(THIRTY, depth)
            self.assertEqual(len(lettering_laid(job, 0).outline.letters), 30)
            cut = trimesh_of(job)
            self.assertTrue(cut.is_watertight and cut.is_winding_consistent)
            area = lettering_laid(job, 0).ink.area
            expected = area * (depth * (1 - depth / 84.0) - shallow * (1 - shallow / 84.0))
            self.assertAlmostEqual((first.volume - cut.volume) / expected, 1.0, delta=5e-4)

    def test_width_round_the_mug_is_arc_length(self):
        job = engraved_mug(THIRTY, 0.3)
        mesh = next(p.mesh for p in piece_of(job).parts if p.lettering == 0)
        angle = np.arctan2(mesh.points[:, 0], -mesh.points[:, 1])
        measured = (angle.max() - angle.min()) * 42.0
        self.assertAlmostEqual(measured, lettering_laid(job, 0).outline.width_mm, delta=0.01)

    def test_letters_stand_on_the_true_cylinder(self):
        job = engraved_mug(THIRTY, 0.3)
        mesh = next(p.mesh for p in piece_of(job).parts if p.lettering == 0)
        radius = np.hypot(mesh.points[:, 0], mesh.points[:, 1])
        off = np.minimum(np.abs(radius - 42.0), np.abs(radius - 41.7))
        self.assertLess(off.max(), 1e-9)


class ReadBack(unittest.TestCase):
    """Source: trimesh and pygltflib reading our files. STL and OBJ in mm, GLB in metres (glTF 2.0)."""

    def test_same_volume_from_every_format(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for job in (mug_job("TARN"), plaque_job("DOME", craft=Raised(height_mm=2), shape="oval")):
            expected = trimesh_of(job).volume
            for ending, scale in ((".stl", 1.0), (".obj", 1.0), (".glb", 1e9)):
                path = folder / f"a{ending}"
                write_mesh(job, path)
                read = trimesh.load(path)
                whole = read.to_geometry() if hasattr(read, "to_geometry") else read
                whole.merge_vertices(merge_tex=True, merge_norm=True)
                self.assertTrue(whole.is_watertight, ending)
                self.assertAlmostEqual(whole.volume * scale / expected, 1.0, delta=1e-5, msg=ending)

    def test_glb_is_in_metres_upright_and_has_its_finishes(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path = folder / "a.glb"
        write_mesh(mug_job("TARN"), path)
        document = pygltflib.GLTF2().load(str(path))
        names = {material.name for material in document.materials}
        self.assertTrue({"outside", "rim", "handle", "outside lettering 1"} <= names)
        whole = trimesh.load(path).to_geometry()
        self.assertAlmostEqual(whole.bounds[1][1], 0.084, delta=1e-4)  # y is up


class AreasWithManyHoles(unittest.TestCase):
    """Source: Euler's formula (n corners and h holes make n + 2 h - 2 triangles) and shapely's own area."""

    def test_bricks_in_a_bed_of_mortar(self):
        for columns in (6, 30):  # by clipping ears, and by the other way
            spots = [(x * 22.5 + 11.25 * (y % 2), y * 7.5) for x in range(columns) for y in range(12)]
            bricks = [shapely.box(u, v, u + 21.5, v + 6.5) for u, v in spots]
            mortar = shapely.box(-1, -1, columns * 22.5 + 12, 90)
            bed = shapely.difference(mortar, shapely.multipolygons(bricks))
            self.assertEqual(len(bed.interiors) > MANY_HOLES, columns == 30)
            parts = [bed, *bricks]
            points, faces, label = triangulated(parts, list(range(len(parts))))
            mine = label == 0
            corners = shapely.get_coordinates(bed)
            self.assertEqual(mine.sum(), len(corners) - 1 - len(bricks) + 2 * len(bricks) - 2)
            doubled = doubled_areas(points, faces)
            self.assertGreater(doubled.min(), -1e-6)  # three feet of bricks are in one line
            self.assertAlmostEqual(doubled[mine].sum() / 2, bed.area, places=6)
            whole = trimesh.Trimesh(np.column_stack([points, np.zeros(len(points))]), faces, process=False)
            open_ = trimesh.grouping.group_rows(whole.edges_sorted, require_count=1)
            self.assertEqual(len(open_), 4)  # the border


class Silhouettes(unittest.TestCase):
    """Seen straight at a side: the union of all projected faces by GEOS, that nothing is left out of."""

    def test_of_what_is_round_it_is_what_can_be_lettered(self):
        for kind in ("mug", "globe"):
            job = fresh_job(kind)
            (side, *_) = sides_of_job(job).all
            self.assertIs(seen_at(job, side), side.domain)

    def test_it_is_the_union_of_all_faces(self):
        for kind, name in (
            ("jar", "lid"),
            ("box sign", "front"),
            ("window", "outside"),
            ("medallion", "back"),
        ):
            with self.subTest(kind):
                job = fresh_job(kind)
                side = sides_of_job(job).named(name)
                found = seen_at(job, side)
                frame = side.frames(np.zeros((1, 2)))[0]
                origin = side.to_body(np.zeros((1, 2)), np.zeros(1))[0]
                shells = body_of(job.blank).shells
                flat = [((s.mesh.points - origin) @ frame[:2].T)[s.mesh.faces] for s in shells]
                faces = shapely.polygons(np.concatenate(flat))
                whole = shapely.union_all([side.domain, *faces[shapely.area(faces) > 1e-6]], grid_size=1e-4)
                largest = max(shapely.get_parts(whole), key=shapely.area)
                holes = [hole for hole in largest.interiors if shapely.Polygon(hole).area > 0.01]
                filled = shapely.Polygon(largest.exterior, holes)
                self.assertAlmostEqual(found.symmetric_difference(filled).area / filled.area, 0, delta=1e-5)
