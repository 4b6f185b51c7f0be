"""Solids of two materials, dies and sheets for a printer: against volumes, areas and other libraries
(trimesh, shapely, svgelements, pikepdf)."""

import io
import math
import tempfile
import unittest
from pathlib import Path

import manifold3d
import numpy as np
import pikepdf
import shapely
import svgelements
import trimesh
from PIL import Image

from kilnchisel.core.build import laids_of, piece_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.handover.die import Plate, die_files, without_die
from kilnchisel.core.handover.paper.marks import Shown
from kilnchisel.core.handover.paper.sheets import PAPERS
from kilnchisel.core.handover.printed3mf import INLAY_MM, objects_of, print_files, without_two
from kilnchisel.core.handover.printsheet import BLEED_MM, sheet_files, sheets_of
from kilnchisel.core.job.blank import Mug
from kilnchisel.core.job.boards import Wall
from kilnchisel.core.job.crafts import Engraved, Pressed, Printed, Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job, job_on
from kilnchisel.core.job.lettering import Lay, Lettering, Repeat
from kilnchisel.core.lettering.content import content_of_file, picture_of_artwork
from kilnchisel.core.shop.paths.flatwork import flat_work


def plaque(craft, text="IT"):
    return change(fresh_job("plaque", text), ("letterings", 0, "craft"), craft)


def as_mesh(one):
    return trimesh.Trimesh(one.points, one.faces, process=False)


class TwoMaterials(unittest.TestCase):
    def test_the_parts_are_closed_and_together_they_are_the_piece(self):
        jobs = {
            "raised": plaque(Raised(height_mm=1.2)),
            "engraved": plaque(Engraved(depth_mm=0.6)),
            "printed on a cylinder": change(
                job_on(Mug(), "Mug", "HI"), ("letterings", 0, "craft"), Printed()
            ),
            "raised on a cylinder": change(
                job_on(Mug(), "Mug", "HI"), ("letterings", 0, "craft"), Raised(height_mm=0.8)
            ),
        }
        for name, job in jobs.items():
            with self.subTest(job=name):
                objects = objects_of(job)
                self.assertEqual(len(objects), 2)
                meshes = [as_mesh(one) for one in objects]
                self.assertTrue(all(mesh.is_watertight and mesh.volume > 0 for mesh in meshes))
                points, faces, _ = solid_of(piece_of(job))
                whole = trimesh.Trimesh(points, faces, process=False).volume
                self.assertAlmostEqual(sum(mesh.volume for mesh in meshes) / whole, 1, delta=1e-6)
                solids = [
                    manifold3d.Manifold(
                        manifold3d.Mesh64(np.array(m.vertices, float), np.array(m.faces, np.uint64))
                    )
                    for m in meshes
                ]
                self.assertLess((solids[0] ^ solids[1]).volume(), 1e-6 * whole)

    def test_letters_go_as_deep_as_is_said(self):
        # flat letters: their area, grown by what lies beside their walls, times depth and height
        job = plaque(Raised(height_mm=1.2, edge="square"))
        ink = flat_work(job, Raised)[0].region
        letters = as_mesh(objects_of(job)[1])
        grown = shapely.buffer(ink, 0.01, join_style="mitre").area
        self.assertAlmostEqual(letters.volume / (ink.area * 1.2 + grown * INLAY_MM), 1, delta=0.005)

    def test_the_file_is_read_back_with_its_names_and_size(self):
        job = plaque(Raised(height_mm=1.2))
        files, words = print_files(job)
        scene = trimesh.load(io.BytesIO(files["print.3mf"]), file_type="3mf")
        self.assertEqual(scene.units, "millimeter")
        self.assertEqual(set(scene.geometry), {"blank", "1 IT"})
        self.assertAlmostEqual(scene.extents[0], job.blank.width_mm, delta=1e-3)
        self.assertIn("1 IT", words)
        self.assertEqual(without_two(job), "")
        self.assertIn("nothing", without_two(job.model_copy(update={"letterings": ()})))


class Dies(unittest.TestCase):
    def test_it_stands_as_the_outline_does_and_leans_out(self):
        # volume: the plate below the etch, and over the etch the area grown by tan(lean) times the depth
        job = plaque(Pressed(depth_mm=0.5), "HO")
        files, words = die_files(job, Plate())
        mesh = trimesh.load(io.BytesIO(files["die.stl"]), file_type="stl")
        self.assertTrue(mesh.is_watertight)
        self.assertAlmostEqual(mesh.extents[2], 6.35, delta=1e-3)
        work = shapely.union_all([w.region for w in flat_work(job, Pressed)])
        left, low, right, high = work.bounds
        box = shapely.box(left - 8, low - 8, right + 8, high + 8)
        deep = np.linspace(0, 1.5, 61)
        lean = math.tan(math.radians(15))
        grown = [shapely.intersection(shapely.buffer(work, lean * d), box).area for d in deep]
        wanted = box.area * (6.35 - 1.5) + np.trapezoid(grown, deep)
        self.assertAlmostEqual(mesh.volume / wanted, 1, delta=0.005)
        self.assertIn("mirrored", words)

    def test_it_is_mirrored(self):
        job = plaque(Pressed(depth_mm=0.5), "L")
        drawn = svgelements.SVG.parse(io.BytesIO(die_files(job)[0]["die.svg"]), ppi=25.4)
        path = next(e for e in drawn.elements() if isinstance(e, svgelements.Path))
        points = np.array([[p.x, p.y] for p in path.as_points()])
        middle = points.mean(axis=0)
        # an L has its upright to the left: mirrored, to the right
        upper = points[points[:, 1] < np.median(points[:, 1])]
        self.assertGreater(upper[:, 0].mean(), middle[0])

    def test_only_what_is_pressed_has_one(self):
        self.assertEqual(without_die(plaque(Pressed())), "")
        self.assertIn("pressed", without_die(plaque(Printed())))


class PrintersSheet(unittest.TestCase):
    def test_it_is_true_to_size_with_boxes_and_plates(self):
        job = plaque(Printed(), "HILL")
        region = shapely.union_all([w.region for w in flat_work(job, Printed)])
        files, _ = sheet_files(job, PAPERS["A4"], 1024)
        with pikepdf.open(io.BytesIO(files["sheet.pdf"])) as pdf:
            page = pdf.pages[0]
            trim = np.array([float(v) for v in page.TrimBox]) * 25.4 / 72
            bleed = np.array([float(v) for v in page.BleedBox]) * 25.4 / 72
            plates = {str(s[1]) for s in page.Resources.ColorSpace.values() if str(s[0]) == "/Separation"}
        left, low, right, high = region.bounds
        np.testing.assert_allclose(trim[2:] - trim[:2], (right - left, high - low), atol=0.01)
        np.testing.assert_allclose(bleed[2:] - bleed[:2] - (trim[2:] - trim[:2]), 2 * BLEED_MM, atol=0.01)
        self.assertTrue({"/Cut line", "/Guide", "/White"} <= plates)

    def test_the_clear_picture_has_as_much_ink_as_is_printed(self):
        job = plaque(Printed(), "HILL")
        region = shapely.union_all([w.region for w in flat_work(job, Printed)])
        files, _ = sheet_files(job, PAPERS["A4"], 2048)
        picture = Image.open(io.BytesIO(files["sheet.png"]))
        self.assertEqual(max(picture.size), 2048)
        alpha = np.asarray(picture)[..., 3] / 255
        left, low, right, high = region.bounds
        share = alpha.mean() * (right - left) * (high - low) / region.area
        self.assertAlmostEqual(share, 1, delta=0.01)

    def test_a_large_one_is_tiled_and_larger_than_a_page_may_be_has_larger_units(self):
        job = job_on(Wall(width_mm=9000, height_mm=2500, surface="plaster"), "Wall", "TARNLIGHT")
        job = change(job, ("letterings", 0, "craft"), Printed())
        job = change(job, ("letterings", 0, "content", "cap_height_mm"), 1000.0)
        (sheet,) = sheets_of(job)
        wide = sheet.trim[2] - sheet.trim[0]
        self.assertGreater(wide, 5080)
        files, _ = sheet_files(job, PAPERS["A3"], 512)
        self.assertIn("sheet-tiled.pdf", files)
        with pikepdf.open(io.BytesIO(files["sheet.pdf"])) as pdf:
            page = pdf.pages[0]
            self.assertLessEqual(float(page.MediaBox[2]), 14_400)  # ISO 32000-1, annex C
            trim = (float(page.TrimBox[2]) - float(page.TrimBox[0])) * float(page.UserUnit) * 25.4 / 72
        self.assertAlmostEqual(trim, wide, delta=0.1)

    def test_a_picture_lies_where_its_lettering_has_it(self):
        """Copies one after the other, bent on a cone, true on a body that bends: by the colours of its
        quarters at places worked out on the sheet."""
        quarters = (200, 30, 30), (30, 160, 30), (30, 30, 200), (220, 200, 40)  # from above left
        picture = Image.new("RGB", (80, 60))
        for k, colour in enumerate(quarters):
            picture.paste(colour, (40 * (k % 2), 30 * (k // 2), 40 * (k % 2) + 40, 30 * (k // 2) + 30))
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "quarters.png"
            picture.save(path)
            content = picture_of_artwork(content_of_file(path))
        for kind, lay in (
            ("plaque", Lay(side="front", repeat=Repeat(times=3, gap_mm=4.0))),
            ("tumbler", Lay(along_mm=25.0, across_mm=10.0)),
            ("hatchback", Lay(side="left side", along_mm=300.0)),
            ("mug", Lay(along_mm=120.0)),
        ):
            wide = {"hatchback": 400.0}.get(kind, 30.0)
            item = Lettering(
                content=content.model_copy(update={"width_mm": wide}), lay=lay, craft=Printed()
            )
            job = fresh_job(kind).model_copy(update={"letterings": (item,)})
            (sheet,) = sheets_of(job)
            (laid,) = laids_of(job, 0)
            (work,) = flat_work(job, Printed)
            (shown,) = (mark for mark in sheet.inks.layers["inks"] if isinstance(mark, Shown))
            left, low, right, high = shown.box
            tall, across = shown.pixels.shape[:2]
            turn, _ = laid.placing.copies[0]
            self.assertEqual(len(laid.placing.copies), 3 if kind == "plaque" else 1)
            for _, middle in laid.placing.copies:
                for k, colour in enumerate(quarters):
                    own = np.array([wide / 4 * (2 * (k % 2) - 1), 0.75 * wide / 4 * (1 - 2 * (k // 2))])
                    x, y = work.flat.points((turn @ own + middle)[None])[0]
                    column = int((x - left) / (right - left) * across)
                    row = int((high - y) / (high - low) * tall)
                    with self.subTest(kind=kind, quarter=k, at=(x, y)):
                        np.testing.assert_allclose(shown.pixels[row, column, :3], colour, atol=2)
                        self.assertEqual(shown.pixels[row, column, 3], 255)


if __name__ == "__main__":
    unittest.main()
