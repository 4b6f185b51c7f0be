"""Letters cut through panels, inlays and standing letters, by volumes and closedness."""

import unittest

import numpy as np
import shapely

from kilnchisel.core.build import lettering_laid, piece_of, scene_of_job
from kilnchisel.core.crafts.standing import pin_places
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import Globe, Mug, Plaque
from kilnchisel.core.job.boards import Board, Plate
from kilnchisel.core.job.crafts import CutThrough, Engraved, Raised, Standing
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Paint
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import main_side
from kilnchisel.core.shop.checks import checks
from tests.outside.test_blanks import job_on, mesh_of


class Through(unittest.TestCase):
    def test_volume_is_area_times_thickness(self):
        for blank, thick in ((Plaque(), 10.0), (Board(), 28.0), (Plate(), 1.0)):
            job = job_on(blank, text="TARN", cap=16, craft=CutThrough())
            whole, made = mesh_of(Job(blank=blank)).volume, mesh_of(job)
            self.assertTrue(made.is_watertight)
            area = lettering_laid(job, 0).ink.area
            self.assertAlmostEqual((whole - made.volume) / (area * thick), 1.0, places=6)

    def test_from_either_face_with_letters_on_the_other(self):
        job = job_on(Plaque(), text="DOME", cap=20, craft=CutThrough())
        more = job_on(Plaque(), side="back", text="HILL", cap=8, craft=Engraved(depth_mm=1), across_mm=-20)
        job = change(job, ("letterings",), job.letterings + more.letterings)
        self.assertTrue(mesh_of(job).is_watertight)
        back = job_on(Plaque(), side="back", text="DOME", cap=20, craft=CutThrough())
        self.assertTrue(mesh_of(back).is_watertight)
        front = job_on(Plaque(), text="DOME", cap=20, craft=CutThrough())
        self.assertAlmostEqual(mesh_of(back).volume, mesh_of(front).volume, places=3)

    def test_what_bends_cannot_be_cut_through(self):
        for blank in (Mug(handle=False), Globe()):
            with self.assertRaisesRegex(KilnError, "flat panels only"):
                piece_of(job_on(blank, text="A", across_mm=main_side(blank)[2], craft=CutThrough()))

    def test_islands_fall_out_until_they_have_bridges(self):
        job = job_on(Plaque(), text="ROAD", cap=20, craft=CutThrough())
        found = {check.key: check for check in checks(job, 0)}["islands"]
        self.assertEqual(found.level, "failure")
        self.assertIn("4 letters", found.says)
        mended = found.fix.apply(job)
        self.assertEqual({c.key: c.level for c in checks(mended, 0)}["islands"], "good")
        # one solid: nothing is loose
        self.assertEqual(mesh_of(job).body_count, 5)
        self.assertEqual(mesh_of(mended).body_count, 1)

    def test_light_behind_shines_and_stands_clear(self):
        craft = CutThrough(behind="light", behind_mm=12)
        job = job_on(Plaque(), text="TARN", cap=16, craft=craft)
        scene = scene_of_job(job)
        self.assertTrue(scene.shines)
        lit = [item for item in scene.items if item.material.shines]
        self.assertEqual(len(lit), 1)
        front = lettering_laid(job, 0).side.origin[1]
        self.assertAlmostEqual(float(lit[0].mesh.points[:, 1].min()) - front, 10 + 12, places=6)
        # seen through the openings from aslant, too: it goes beyond the letters on every side
        laid, behind = lettering_laid(job, 0), lit[0].mesh.points[:, [0, 2]]
        behind = shapely.MultiPoint(behind - laid.side.origin[[0, 2]])
        beyond = np.subtract(behind.bounds, laid.ink.bounds) * (-1, -1, 1, 1)
        self.assertGreater(beyond.min(), 3.0)

    def test_an_inlay_is_flush_with_a_gap_all_round(self):
        for blank in (Plaque(), Mug(handle=False, wall_mm=4, rim_mm=5)):
            craft = CutThrough(fill="inlay", depth_mm=1.5, gap_mm=0.2)
            job = job_on(blank, text="I", cap=20, craft=craft, across_mm=main_side(blank)[2])
            whole, made = mesh_of(Job(blank=blank)).volume, mesh_of(job)
            self.assertTrue(made.is_watertight)
            ink = lettering_laid(job, 0).ink
            ring = ink.area - ink.buffer(-0.2, join_style="mitre").area
            self.assertAlmostEqual((whole - made.volume) / (ring * 1.5), 1.0, delta=0.05)


class PressedOut(unittest.TestCase):
    def test_the_back_follows_the_front(self):
        """A sheet that is pressed keeps its thickness along its normal: what stands out in front is hollow
        behind, and its volume stays but for what lies in between."""
        for blank in (Plate(thickness_mm=1.0), Plaque(thickness_mm=2, edge_round_mm=0.8)):
            job = job_on(blank, text="N8", cap=30, craft=Raised(height_mm=1.4, edge="drawn", edge_mm=1.5))
            whole, made = mesh_of(Job(blank=blank)).volume, mesh_of(job)
            self.assertTrue(made.is_watertight)
            self.assertAlmostEqual(made.volume / whole, 1.0, delta=1e-4)
            thick = blank.thickness_mm
            self.assertAlmostEqual(float(made.vertices[:, 1].min()), -1.4, places=6)
            # right behind the letters' tops the back has come forward by as much
            layer = lettering_laid(job, 0)
            spot = shapely.point_on_surface(layer.layers[0].region.buffer(-1.5))
            up = blank.height_mm / 2
            hits = made.ray.intersects_location([[spot.x, 50.0, up + spot.y]], [[0.0, -1.0, 0.0]])[0]
            depth = np.sort(hits[:, 1])[::-1]
            self.assertAlmostEqual(float(depth[0]), thick - 1.4, delta=0.02)
            self.assertAlmostEqual(float(depth[0] - depth[1]), thick, delta=0.02)

    def test_thick_panels_keep_their_backs(self):
        job = job_on(Plaque(), text="N", cap=30, craft=Raised(height_mm=1.4, edge="drawn", edge_mm=1.5))
        self.assertAlmostEqual(float(mesh_of(job).vertices[:, 1].max()), 10.0, places=6)
        self.assertGreater(mesh_of(job).volume, mesh_of(Job(blank=Plaque())).volume + 50)

    def test_its_back_is_mirrored_and_bare(self):
        job = job_on(Plate(), text="F", cap=30, craft=Raised(height_mm=1.2, edge="drawn", edge_mm=1))
        job = change(job, ("letterings", 0, "finish"), Paint(colour="#aa2020"))
        scene = scene_of_job(job)
        backs = [item for item in scene.items if item.side == "back"]
        self.assertTrue(all(item.material.base == backs[0].material.base for item in backs))
        for part in piece_of(job).parts:
            corners = part.mesh.points[part.mesh.faces]
            normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            if part.side == "back":  # all of it faces away from the front
                self.assertGreater(float(normals[:, 1].min()), -1e-6)


class OffTheWall(unittest.TestCase):
    def test_plates_are_solid_and_as_thick_as_they_say(self):
        for blank in (Plaque(), Mug(handle=False), Globe()):
            for edge in ("square", "bevelled", "rounded"):
                craft = Standing(thickness_mm=3, standoff_mm=2, edge=edge, edge_mm=0.4, pins=False)
                job = job_on(blank, text="R8", cap=9, craft=craft, across_mm=main_side(blank)[2])
                body = mesh_of(job)
                self.assertTrue(body.is_watertight, f"{blank.kind} {edge}")
                area = lettering_laid(job, 0).outline.ink.area
                share = (body.volume - mesh_of(Job(blank=blank)).volume) / (area * 3)
                self.assertGreater(share, 0.9)
                self.assertLess(share, 1.001 if blank.kind == "plaque" else 1.2)

    def test_pins_are_inside_their_letters(self):
        job = job_on(Plaque(), text="DOME", cap=30, craft=Standing())
        layer = lettering_laid(job, 0).outline.layers[0]
        places = pin_places(layer)
        self.assertGreaterEqual(len(places), 8)
        import shapely

        inside = shapely.contains_xy(layer.region, *places.T)
        self.assertTrue(inside.all())
        names = {part.name.rsplit(" ", 1)[-1] for part in piece_of(job).parts if part.lettering == 0}
        self.assertEqual(names, {"1", "returns", "pins"})

    def test_halo_lights_the_wall_and_returns_have_their_own_finish(self):
        craft = Standing(light="halo", return_finish=Paint(colour="#202020"))
        job = job_on(Plaque(), text="DOME", cap=30, craft=craft)
        scene = scene_of_job(job)
        self.assertIsNotNone(scene.lamps)
        ends = np.concatenate([scene.lamps.start, scene.lamps.end])
        self.assertTrue(np.isfinite(ends).all())
        by_name = {item.name: item.material for item in scene.items}
        front = next(m for name, m in by_name.items() if name.endswith("lettering 1"))
        rest = next(m for name, m in by_name.items() if name.endswith("returns"))
        self.assertNotEqual(front.base, rest.base)
        lit = change(job, ("letterings", 0, "craft", "light"), "face")
        self.assertIsNone(scene_of_job(lit).lamps)
        self.assertTrue(scene_of_job(lit).shines)


if __name__ == "__main__":
    unittest.main()
