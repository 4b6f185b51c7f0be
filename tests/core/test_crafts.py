import string
import unittest

import numpy as np
import shapely

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.mesh import Mesh, open_edges
from kilnchisel.core.build import lettering_laid, outline_of, piece_of, scene_of_job
from kilnchisel.core.crafts.sheet import GROUND, cut_sheet
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import Mug, Plaque
from kilnchisel.core.job.crafts import CutThrough, Engraved, Printed, Raised
from kilnchisel.core.job.edits import change, with_lettering
from kilnchisel.core.job.fresh import first_lettering, fresh_job
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.job.wording import Backing, ShippedFace, Wording
from kilnchisel.core.laying.laid import lay_outline
from tests.samples import FIVE_FACES, closed, mug_job, plaque_job


def laid(text, blank=None, face="cinzel-bold", cap=9.0, **lay):
    body = body_of(blank or Mug())
    sheet = body.sheets[0]
    lay.setdefault("across_mm", 42.0 if isinstance(blank or Mug(), Mug) else 0.0)
    outline = outline_of(Wording(text=text, face=ShippedFace(name=face), cap_height_mm=cap))
    return sheet, lay_outline(outline, sheet.side, Lay(side=sheet.side.name, **lay))


def areas(cut, label):
    a, b, c = (cut.points[cut.faces[cut.label == label][:, i]] for i in range(3))
    return 0.5 * np.sum((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0])


class Layers(unittest.TestCase):
    def test_a_backing_takes_its_share_of_the_height(self):
        job = plaque_job("RO", craft=Raised(height_mm=2.0))
        backing = Backing(distance_mm=2.0, height=35.0)
        job = change(job, ("letterings", 0, "content", "backing"), backing)
        front = body_of(job.blank).sheet("front").side.to_body(np.zeros((1, 2)), np.zeros(1))[0, 1]
        tops = {
            part.layer.kind: round(float(front - part.mesh.points[:, 1].min()), 6)
            for part in piece_of(job).parts
            if part.lettering == 0
        }
        self.assertEqual(tops, {"letters": 2.0, "backing": 0.7})


class StripCut(unittest.TestCase):
    def test_random_strings_in_five_faces_close(self):
        rng = np.random.default_rng(7)
        letters = np.array(list(string.ascii_letters + string.digits + "&?!.,;:’“”@%"))
        for number in range(20):
            face = FIVE_FACES[number % 5]
            text = "".join(rng.choice(letters, 12))
            turn, along = float(rng.uniform(-90, 90)), float(rng.uniform(-130, 130))
            for blank in (Mug(), Plaque()):
                sheet, item = laid(
                    text, blank, face, 6.0, turn_deg=turn, along_mm=along * (blank.kind == "mug")
                )
                with self.subTest(text=text, face=face, blank=blank.kind):
                    cut = cut_sheet(sheet, [item.ink])
                    inner = sheet.side.domain.buffer(-0.02, join_style="mitre")
                    expected = item.ink.area if blank.kind == "mug" else item.ink.intersection(inner).area
                    self.assertAlmostEqual(areas(cut, 0), expected, delta=1e-4 * expected)
                    total = areas(cut, 0) + areas(cut, GROUND)
                    self.assertAlmostEqual(total, sheet.side.domain.area, delta=1e-4)

    def test_letters_lie_exactly_on_their_outlines(self):
        sheet, item = laid("ROAD")
        cut = cut_sheet(sheet, [item.ink])
        on_wall = cut.points[np.unique(cut.walls)]
        self.assertLess(shapely.distance(shapely.points(on_wall), item.ink.boundary).max(), 5e-5)
        length = np.linalg.norm(np.diff(cut.points[cut.walls], axis=1), axis=-1).sum()
        self.assertAlmostEqual(length, item.ink.length, delta=1e-3)

    def test_uprights_on_strip_lines(self):
        # a bar whose sides are strip lines to the last bit is the worst case
        sheet, _ = laid("I")
        bar = shapely.MultiPolygon([shapely.box(sheet.cuts[100], 30, sheet.cuts[103], 50)])
        cut = cut_sheet(sheet, [bar])
        self.assertAlmostEqual(areas(cut, 0), bar.area, places=6)

    def test_islands_in_counters(self):
        rings = [shapely.Point(0, 42).buffer(r, 32) for r in (12, 9, 6, 3)]
        target = shapely.MultiPolygon([rings[0] - rings[1], rings[2] - rings[3]])
        for blank in (Mug(), Plaque()):
            sheet, _ = laid("I", blank)
            region = target if blank.kind == "mug" else shapely.transform(target, lambda p: p - (0, 42))
            self.assertAlmostEqual(areas(cut_sheet(sheet, [region]), 0), target.area, delta=1e-5)

    def test_round_the_seam(self):
        sheet, item = laid("OVER THE SEAM", along_mm=np.pi * 42)
        cut = cut_sheet(sheet, [item.ink])
        self.assertAlmostEqual(areas(cut, 0), item.ink.area, delta=1e-4)

    def test_what_sticks_out_is_left_out(self):
        sheet, item = laid("TALL", cap=30.0, across_mm=70.0)
        cut = cut_sheet(sheet, [item.ink])
        low, high = sheet.side.domain.bounds[1::2]
        expected = item.ink.intersection(shapely.box(-500, low + 0.02, 500, high - 0.02)).area
        self.assertAlmostEqual(areas(cut, 0), expected, delta=1e-3)

    def test_coarse_strips_cut_the_same_letters(self):
        sheet, item = laid("COARSE")
        self.assertAlmostEqual(areas(cut_sheet(sheet.coarser(), [item.ink]), 0), item.ink.area, delta=1e-4)
        self.assertLess(len(sheet.coarser().cuts), len(sheet.cuts) / 2.5)
        self.assertEqual(sheet.coarser().cuts[-1], sheet.cuts[-1])


class Pieces(unittest.TestCase):
    def test_each_craft_closes_on_each_blank(self):
        for craft in (Printed(), Engraved(depth_mm=0.8), Raised(height_mm=1.5)):
            for job in (mug_job("HILL & Dome"), plaque_job("HILL & Dome"), plaque_job(shape="oval")):
                job = change(job, ("letterings", 0, "craft"), craft)
                with self.subTest(craft=craft.kind, blank=job.blank.kind):
                    points, faces, _ = solid_of(piece_of(job))
                    self.assertEqual(open_edges(faces), 0)
                    self.assertTrue(closed(points, faces))

    def test_volume_goes_with_the_relief(self):
        def volume(craft):
            points, faces, _ = solid_of(piece_of(plaque_job("DOME", craft=craft)))
            return Mesh(points, points, points[:, :2], faces).volume_mm3

        area = lettering_laid(plaque_job("DOME"), 0).ink.area
        flat = volume(Printed(film_mm=0.005)) - 0.005 * area
        self.assertAlmostEqual((flat - volume(Engraved(depth_mm=1.0))) / area, 1.0, delta=1e-4)
        self.assertAlmostEqual((volume(Raised(height_mm=2.0)) - flat) / area, 2.0, delta=1e-4)

    def test_later_letterings_lie_on_top(self):
        for job in (plaque_job("III", craft=Raised(height_mm=1.0)), mug_job("III")):
            over = first_lettering(job.blank, "OOO").model_copy(update={"craft": Engraved(depth_mm=1.0)})
            job = with_lettering(job, over)
            under, upper = (lettering_laid(job, i).ink for i in (0, 1))
            self.assertGreater(under.intersection(upper).area, 1.0)
            side = job.letterings[0].lay.side
            self.assertIn(f"{side} lettering 2", {part.name for part in piece_of(job).parts})
            _, faces, label = solid_of(piece_of(job))
            self.assertEqual(open_edges(faces), 0)
            self.assertEqual(len(np.unique(label)), len(piece_of(job).parts))

    def test_random_letterings_over_each_other_close(self):
        rng = np.random.default_rng(5)
        letters = np.array(list(string.ascii_letters + "&?!"))
        crafts = (Printed(), Engraved(depth_mm=0.4), Raised(height_mm=1.0))
        for number in range(12):
            job = mug_job("A") if number % 2 else plaque_job("A")
            made = []
            for craft in crafts:
                text = "".join(rng.choice(letters, 8))
                first = first_lettering(job.blank, text)
                lay = first.lay.model_copy(
                    update={
                        "along_mm": float(rng.uniform(-140, 140)) if number % 2 else 0.0,
                        "turn_deg": float(rng.choice([0, 15, 90])),
                    }
                )
                made.append(first.model_copy(update={"lay": lay, "craft": craft}))
            job = change(job, ("letterings",), tuple(made))
            with self.subTest(number):
                _, faces, _ = solid_of(piece_of(job))
                self.assertEqual(open_edges(faces), 0)

    def test_both_sides_read_right(self):
        job = plaque_job("L")
        job = change(job, ("letterings", 0, "lay", "side"), "back")
        part = next(p for p in piece_of(job).parts if p.lettering == 0)
        # seen from behind, right is -x: the L's upright is at its left, so at greater x
        heights = part.mesh.points[:, 2]
        upright = part.mesh.points[heights > heights.max() - 2]
        foot = part.mesh.points[heights < heights.min() + 2]
        self.assertGreater(upright[:, 0].mean(), foot[:, 0].mean())

    def test_breaking_through_is_refused(self):
        with self.assertRaises(KilnError) as caught:
            piece_of(change(mug_job(), ("letterings", 0, "craft"), Engraved(depth_mm=2.0)))
        self.assertIn("break through the wall of 1.8 mm", str(caught.exception))

    def test_normals_point_out_of_the_solid(self):
        for craft in (Engraved(depth_mm=0.5), Raised(height_mm=1)):
            for part in piece_of(plaque_job("ROAD", craft=craft)).parts:
                mesh = part.mesh
                a, b, c = (mesh.points[mesh.faces[:, i]] for i in range(3))
                facing = np.cross(b - a, c - a)
                facing /= np.maximum(np.linalg.norm(facing, axis=1, keepdims=True), 1e-12)
                for corner in range(3):
                    dot = np.einsum("ij,ij->i", facing, mesh.normals[mesh.faces[:, corner]])
                    self.assertGreater(np.quantile(dot, 0.01), 0.7, part.name)


class Chain(unittest.TestCase):
    def test_a_change_of_finish_or_camera_keeps_the_geometry(self):
        job = mug_job()
        piece = piece_of(job)
        for path, value in (
            (("finish", "gloss"), 10.0),
            (("setting", "camera", "turn_deg"), 90.0),
            (("name",), "Else"),
        ):
            self.assertIs(piece_of(change(job, path, value)), piece)
        moved = change(job, ("setting", "camera", "turn_deg"), 90.0)
        self.assertIs(scene_of_job(moved), scene_of_job(job))

    def test_a_keystroke_keeps_the_shells_and_the_other_side(self):
        job = plaque_job("A")
        before = {p.name: p for p in piece_of(job).parts}
        after = {p.name: p for p in piece_of(change(job, ("letterings", 0, "content", "text"), "AB")).parts}
        self.assertIs(before["edge"], after["edge"])
        self.assertIs(before["back"].mesh, after["back"].mesh)
        self.assertIsNot(before["front"].mesh, after["front"].mesh)


class OffTheSide(unittest.TestCase):
    def test_parts_of_which_nothing_is_left_are_not_there(self):
        job = change(fresh_job("plaque"), ("letterings", 0, "craft"), CutThrough(behind="light"))
        off = change(job, ("letterings", 0, "lay", "across_mm"), 500.0)
        for detail in Detail:
            with self.subTest(detail=detail):
                names = {part.name for part in piece_of(job, detail=detail).parts}
                parts = piece_of(off, detail=detail).parts
                self.assertTrue(all(len(part.mesh.faces) for part in parts))
                self.assertLess({part.name for part in parts}, names)
