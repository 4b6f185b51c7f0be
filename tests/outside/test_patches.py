"""Woven patches: their sizes and volumes against closed forms, the thread round them, as solids by a second
library."""

import io
import math
import tempfile
import unittest
from pathlib import Path

import ezdxf
import numpy as np
import resvg_py
import shapely
import trimesh
from PIL import Image

from kilnchisel.core.build import lettering_laid, piece_of, scene_of_job
from kilnchisel.core.crafts.inked import patch_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.crafts.threads import OVERLOCK_MM
from kilnchisel.core.handover.outlines import write_outline
from kilnchisel.core.job.blank import Plaque, ToteBag
from kilnchisel.core.job.crafts import WovenPatch
from kilnchisel.core.job.edits import change
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.readings import readings
from kilnchisel.core.shop.volumes import relief_volume_mm3
from tests.outside.test_blanks import job_on

MARGIN, THICK = 6.0, 1.0


def patched(text="BAY 7", cap=20.0, blank=None, **fields):
    craft = WovenPatch(margin_mm=MARGIN, thick_mm=THICK, **fields)
    return job_on(blank or Plaque(width_mm=300, height_mm=120), "front", text, cap, craft)


def numbers(job):
    return {one.key: one.value for one in readings(job, 0)}


class Patches(unittest.TestCase):
    def test_it_is_as_large_as_its_letters_and_its_margin(self):
        job = patched()
        left, low, right, high = lettering_laid(job, 0).outline.ink.bounds
        told = numbers(job)
        self.assertAlmostEqual(told["patch_width"], right - left + 2 * MARGIN, delta=0.01)
        self.assertAlmostEqual(told["patch_height"], high - low + 2 * MARGIN, delta=0.01)
        # straight sides, and corners that make one circle of the margin
        straight = 2 * (right - left + high - low)
        self.assertAlmostEqual(1000 * told["patch_edge"], straight + 2 * math.pi * MARGIN, delta=0.1)

    def test_it_is_a_solid_of_its_volume(self):
        for form in ("rectangle", "follows them"):
            with self.subTest(form=form):
                job = patched(form=form, border_mm=0.0)
                with_it, without = (
                    trimesh.Trimesh(*solid_of(piece_of(one))[:2])
                    for one in (job, change(job, ("letterings",), ()))
                )
                self.assertTrue(with_it.is_watertight)
                laid = lettering_laid(job, 0)
                area = patch_of(laid, job.letterings[0].craft).area
                more = with_it.volume - without.volume
                self.assertAlmostEqual(more / (area * THICK), 1.0, delta=0.03)
                self.assertGreater(more, area * THICK)

    def test_contour_and_backing_are_of_one_patch(self):
        """Each colour of the weave is all there, as large as it is drawn; the solid is of its volume."""
        job = patched(border_mm=3.0)
        for field in ("contour", "backing"):
            job = change(job, ("letterings", 0, "content", field), {})
        laid = lettering_laid(job, 0)
        self.assertEqual(len(laid.layers), 3)
        parts = [
            p for p in piece_of(job).parts if p.lettering == 0 and p.role not in ("thread", "overlock")
        ]
        for layer in laid.layers:
            mesh = next(p for p in parts if p.layer is layer.layer and p.role != "patch").mesh
            corners = mesh.points[mesh.faces]
            level = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 1]
            self.assertAlmostEqual(np.abs(level).sum() / 2 / layer.region.area, 1.0, delta=1e-3)
        self.assertEqual(sum(part.role == "patch" for part in parts), 1)
        with_it, without = (
            trimesh.Trimesh(*solid_of(piece_of(one))[:2]) for one in (job, change(job, ("letterings",), ()))
        )
        told = relief_volume_mm3(job.letterings[0], laid)
        self.assertAlmostEqual((with_it.volume - without.volume) / told, 1.0, delta=1e-3)

    def test_its_letters_are_seen_in_the_outline_file(self):
        """Source: resvg's picture of it, white within the patch but for its edge and the letters."""
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "a.svg"
        job = patched(border_mm=3.0)
        write_outline(job, path)
        picture = bytes(resvg_py.svg_to_bytes(svg_string=path.read_text(), background="white", dpi=254))
        dark = 1 - np.asarray(Image.open(io.BytesIO(picture)).convert("L")) / 255
        laid = lettering_laid(job, 0)
        lines = 0.1 * sum(patch_of(laid, job.letterings[0].craft, inset).length for inset in (0.0, 3.0))
        self.assertAlmostEqual(dark.sum() / 100, laid.ink.area + lines, delta=0.02 * laid.ink.area)

    def test_it_is_told_of_a_patch_that_the_side_has_no_room_for(self):
        """By hand: the letters' own room above and below, less the margin."""
        job = patched(cap=20.0, blank=Plaque(width_mm=300, height_mm=30))
        room = numbers(job)["below"]
        told = {check.key: check for check in checks(job, 0)}
        self.assertEqual(told["fit"].level, "good")
        self.assertEqual(told["around"].level, "failure")
        self.assertGreaterEqual(told["around"].amount_mm, MARGIN - room - 0.01)
        mended = told["around"].fix.apply(job)
        self.assertNotIn("around", {check.key for check in checks(mended, 0)})
        self.assertLess(mended.letterings[0].craft.margin_mm, MARGIN)
        self.assertNotIn("around", {check.key for check in checks(patched(), 0)})

    def test_its_edge_is_sewn_over_all_round(self):
        job = patched(border_mm=3.0)
        laid, craft = lettering_laid(job, 0), job.letterings[0].craft
        edge = next(part for part in piece_of(job).parts if part.role == "thread")
        whole = patch_of(laid, craft)
        per = len(edge.mesh.faces) / (whole.length / OVERLOCK_MM)
        self.assertAlmostEqual(per, 16.0, delta=0.2)  # two strips of four pieces each
        inner = laid.placing.region(whole.buffer(-4.0))
        middles = edge.mesh.uv[edge.mesh.faces].mean(axis=1)
        self.assertFalse(shapely.contains_xy(inner, *middles.T).any())
        self.assertTrue(shapely.contains_xy(laid.placing.region(whole.buffer(0.6)), *middles.T).all())
        self.assertGreater(float(-edge.mesh.points[:, 1].min()), THICK)

    def test_its_edges_are_in_the_outline_file(self):
        """Read back by ezdxf: the patch, what is within its sewn edge, and the letters, true to size."""
        job = patched(border_mm=3.0)
        path = Path(self.enterContext(tempfile.TemporaryDirectory())) / "a.dxf"
        write_outline(job, path)
        rings = [
            np.array([point[:2] for point in line.get_points()])
            for line in ezdxf.readfile(path).modelspace().query("LWPOLYLINE")
        ]
        widths = sorted((float(np.ptp(ring[:, 0])) for ring in rings), reverse=True)
        wide = numbers(job)["patch_width"]
        self.assertAlmostEqual(widths[0], wide, delta=0.01)
        self.assertAlmostEqual(widths[1], wide - 6.0, delta=0.01)
        self.assertGreaterEqual(len(widths), 2 + 5)

    def test_an_edge_keeps_off_the_letters(self):
        self.assertEqual(WovenPatch(margin_mm=2.0, border_mm=9.0).sewn_mm, 1.5)

    def test_it_says_what_cannot_be_woven(self):
        self.assertEqual([one.level for one in checks(patched(), 0) if one.key == "patch"], ["good"])
        low = [one for one in checks(patched(cap=3.0), 0) if one.key == "woven"]
        self.assertEqual(low[0].level, "warning")
        apart = patched("A      B", form="follows them")
        said = next(one for one in checks(apart, 0) if one.key == "patch")
        self.assertIn("2 pieces", said.says)

    def test_its_colours_are_seen(self):
        job = patched(blank=ToteBag(), ground_colour="#ff0000", border_colour="#00ff00")
        materials = {item.mask.split()[-1]: item.material for item in scene_of_job(job).items}
        self.assertGreater(materials["patch"].albedo[0], 4 * materials["patch"].albedo[1])
        for role in ("overlock", "thread"):
            self.assertGreater(materials[role].albedo[1], 4 * materials[role].albedo[0])
