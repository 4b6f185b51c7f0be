"""Every solid that is written, read back by a second library, and searched for places where it cuts through
itself; volumes against the written mesh."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import pygltflib
import trimesh

from kilnchisel.core.build import lettering_laid, piece_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.handover.meshes import apart, unlike, write_mesh
from kilnchisel.core.job.edits import change, set_field
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.volumes import relief_volume_mm3
from tests.outside.selfcuts import self_cuts

DEMO = Path(__file__).parents[2] / "demo"
# the quick ones of those that were open in short numbers, and those that had parts of one name
DEMOS = ("dome-letters", "directors-signet", "tarn-stone", "telescope-plate")


def job_on(kind, text, *fields):
    job = fresh_job(kind, text)
    for field in fields:
        path, _, value = field.partition("=")
        job = set_field(job, path, value)
    return job


def craft(kind, **values):
    import json

    return "letterings.1.craft=" + json.dumps({"kind": kind, **values})


def solid(job):
    points, faces, _ = solid_of(piece_of(job))
    return trimesh.Trimesh(points, faces, process=False)


class ReadBackWhole(unittest.TestCase):
    """Source: trimesh and pygltflib reading the files as anyone would."""

    def test_demo_jobs_are_closed_and_whole_in_every_format(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for name in DEMOS:
            job = open_job(DEMO / f"{name}.kcj")
            count = len(solid_of(piece_of(job))[1])
            for ending in (".stl", ".obj", ".glb"):
                path = folder / f"{name}{ending}"
                write_mesh(job, path)
                read = trimesh.load(path)
                if ending == ".glb":
                    document = pygltflib.GLTF2().load(str(path))
                    shown = {node.mesh for node in document.nodes if node.mesh is not None}
                    self.assertEqual(shown, set(range(len(document.meshes))), name)
                    read = read.to_geometry()
                    read.merge_vertices(merge_tex=True, merge_norm=True)
                with self.subTest(name=name, ending=ending):
                    self.assertEqual(len(read.faces), count)
                    self.assertTrue(read.is_watertight)

    def test_parts_of_one_name_are_all_there(self):
        self.assertEqual(unlike(["a", "b", "a", "a (2)", "a"]), ["a", "b", "a (3)", "a (2)", "a (4)"])

    def test_points_stay_apart_and_together(self):
        near = np.array([[100.0, 0, 0], [100.0 + 1e-9, 0, 0], [100.0, 1e-9, 0], [99.0, 5, 5]])
        written = apart(near)
        self.assertEqual(written.dtype, np.float32)
        self.assertEqual(len(np.unique(written, axis=0)), 4)
        self.assertLess(np.abs(written - near).max(), 3e-5)
        np.testing.assert_array_equal(apart(near)[3], np.float32([99, 5, 5]))


class CutsThroughItself(unittest.TestCase):
    """Source: closed forms (segment against triangle), in ``selfcuts``."""

    def test_the_search_finds_what_is_there(self):
        box = trimesh.creation.box((2, 2, 2))
        other = trimesh.creation.box((2, 2, 2))
        other.apply_translation((1, 0.3, 0.2))
        both = trimesh.util.concatenate([box, other])
        self.assertGreater(len(self_cuts(both.vertices, both.faces)), 6)
        self.assertEqual(self_cuts(box.vertices, box.faces), [])
        # one wall of a step lying in another
        folded = trimesh.util.concatenate([box, trimesh.creation.box((2, 1, 1))])
        folded.apply_translation((0, 0, 5))
        self.assertTrue(self_cuts(folded.vertices, folded.faces))

    def test_letters_over_joints_windows_and_rough_ground(self):
        cases = (
            job_on("wall", "8 R", "blank.surface=brick", craft("engraved", depth_mm=0.6)),
            job_on(
                "van",
                "TARN 8",
                "letterings.1.lay.side=rear",
                "letterings.1.content.cap_height_mm=200",
                craft("raised", height_mm=0.66),
            ),
            job_on(
                "hull", "TARN 8", "letterings.1.content.cap_height_mm=900", craft("raised", height_mm=0.4)
            ),
            job_on("bank", "TARN & 8", craft("raised", height_mm=2)),
            job_on("handle", "TARN & 8", craft("engraved", depth_mm=0.3)),
        )
        for job in cases:
            with self.subTest(job.blank.kind, craft=job.letterings[0].craft.kind):
                piece = piece_of(job)
                points, faces, label = solid_of(piece)
                # the lettered side: what joins it is the bare blank's
                side = [part.side == job.letterings[0].lay.side for part in piece.parts]
                self.assertEqual(self_cuts(points, faces[np.array(side)[label]]), [])

    def test_nothing_is_filled_into_a_joint(self):
        plain = solid(job_on("wall", "", "blank.surface=brick"))
        cut = solid(job_on("wall", "TARN", "blank.surface=brick", craft("engraved", depth_mm=0.6)))
        self.assertLess(trimesh.boolean.difference([cut, plain]).volume, 1.0)


class StraightOn(unittest.TestCase):
    """Letters seen straight on, with edges that change their height."""

    def test_profiled_edges_close(self):
        project = "letterings.1.lay.wrap=project"

        def cap(mm):
            return f"letterings.1.content.cap_height_mm={mm}"

        rounded = craft("raised", height_mm=0.6, edge="rounded", edge_mm=0.15)
        repeat = 'letterings.1.lay.repeat={"times": 3, "gap_mm": 3.31}'
        cushion = craft("raised", height_mm=0.6, edge="cushion")
        cases = (
            job_on("globe", "“No” – £5", project, cap(3.685), rounded),
            job_on("bracelet", "“No” – £5", project, cap(4.908), rounded),
            job_on("handle", "Ångström & Køb 8%", project, cap(3.681), repeat),
            job_on("band", "Ångström & Køb 8%", project, cap(10.423), rounded),
            job_on("tumbler", "Old Observatory", project, cap(10.936), cushion),
        )
        for job in cases:
            with self.subTest(job.blank.kind):
                self.assertTrue(solid(job).is_watertight)


class Signet(unittest.TestCase):
    def test_an_engraving_inside_is_as_deep_as_it_says_behind_the_head_too(self):
        fields = ("letterings.1.lay.side=inside", "letterings.1.content.cap_height_mm=1.6")
        job = job_on("signet", "TARNLIGHT", *fields, craft("engraved", depth_mm=0.3))
        # a difference between two depths: the surface itself is divided alike
        shallow = set_field(job, "letterings.1.craft.depth_mm", "0.02")
        gone = solid(shallow).volume - solid(job).volume
        area = lettering_laid(job, 0).outline.ink.area
        inner = job.blank.inner_mm / 2
        expected = area * (0.3 * (1 + 0.3 / (2 * inner)) - 0.02 * (1 + 0.02 / (2 * inner)))
        self.assertAlmostEqual(gone / expected, 1.0, delta=2e-3)

    def test_letters_outside_are_seen_at_once_and_told_of_under_the_head(self):
        job = job_on("signet", "A8", "letterings.1.lay.side=outside", craft("engraved", depth_mm=0.2))
        bare = solid(job_on("signet", "")).volume
        area = lettering_laid(job, 0).outline.ink.area
        self.assertGreater(bare - solid(job).volume, 0.15 * area)
        under = set_field(job, "letterings.1.lay.along_mm", "35")
        found = {check.key: check for check in checks(under, 0)}["clear_head"]
        self.assertEqual(found.level, "failure")
        mended = found.fix.apply(under)
        self.assertEqual({check.key: check.level for check in checks(mended, 0)}["clear_head"], "good")
        self.assertGreater(bare - solid(mended).volume, 0.15 * area)


class Volumes(unittest.TestCase):
    def test_the_reading_is_what_the_mesh_has(self):
        for kind, made in (
            ("bank", {"kind": "raised", "height_mm": 20}),
            ("handle", {"kind": "engraved", "depth_mm": 0.3}),
        ):
            job = change(fresh_job(kind, "TARNLIGHT"), ("letterings", 0, "craft"), made)
            # the lettered surface itself, as far as it is lettered: from a hair above it
            hair = change(job, ("letterings", 0, "craft"), {"kind": "raised", "height_mm": 0.05})
            laid = lettering_laid(job, 0)
            told = relief_volume_mm3(job.letterings[0], laid) - relief_volume_mm3(hair.letterings[0], laid)
            with self.subTest(kind):
                self.assertAlmostEqual((solid(job).volume - solid(hair).volume) / told, 1.0, delta=6e-3)

    def test_of_every_edge_floor_texture_and_patch(self):
        woven = ({"kind": "woven patch"}, {"kind": "woven patch", "form": "follows them", "border_mm": 0.0})
        shaped = (
            {"kind": "engraved", "depth_mm": 0.4, "floor": "v"},
            {"kind": "engraved", "depth_mm": 0.4, "cutter_mm": 1.5},
            {"kind": "raised", "height_mm": 1.2, "edge": "rounded", "edge_mm": 0.6},
            {"kind": "raised", "height_mm": 1.2, "edge": "ridge", "round_mm": 0.3},
            {"kind": "raised", "height_mm": 1.2, "edge": "moulded", "edge_mm": 0.6},
            {"kind": "carved", "texture": "chips", "base_mm": 1.5},
            {"kind": "carved", "texture": "stipple", "base_mm": -0.5, "depth_mm": 0.5, "cell_mm": 3.0},
        )
        # on the mug from a hair above, as its own surface is drawn in flats
        for kind, made in (
            *(("plaque", one) for one in (*shaped, *woven)),
            *(("mug", one) for one in woven),
        ):
            job = change(fresh_job(kind, "TARN & 8"), ("letterings", 0, "craft"), made)
            hair = change(job, ("letterings", 0, "craft"), self.hair_of(made))
            told = [relief_volume_mm3(one.letterings[0], lettering_laid(one, 0)) for one in (job, hair)]
            with self.subTest(kind, **made):
                has = solid(job).volume - solid(hair).volume
                self.assertAlmostEqual(has / (told[0] - told[1]), 1.0, delta=0.015)

    @staticmethod
    def hair_of(made):
        """A craft on the same ground that is as good as nothing."""
        if made["kind"] == "woven patch":
            return {**made, "thick_mm": 0.3}
        return {"kind": "raised", "height_mm": 0.02}

    def test_a_hollow_that_is_cut_wider_at_its_mouth_counts_once(self):
        """Source: the volume of a plate less that of the same plate cut, by trimesh."""
        job = change(
            fresh_job("plaque", "HOLD"), ("letterings", 0, "craft"), {"kind": "cut through", "sink_mm": 2.0}
        )
        told = relief_volume_mm3(job.letterings[0], lettering_laid(job, 0))
        gone = solid(job).volume - solid(change(job, ("letterings",), ())).volume
        self.assertAlmostEqual(gone / told, 1.0, delta=0.01)


class LargeLetters(unittest.TestCase):
    """An edge that is narrow for its strokes: letters of 300 mm on a fascia, those of 20 mm on a plaque."""

    def lies(self, job, detail):
        """The volume between the letters' own faces and their ground."""
        ground = lettering_laid(job, 0).side.to_body(np.zeros((1, 2)), np.zeros(1))[0, 1]
        found = 0.0
        for part in piece_of(job, detail=detail).parts:
            if part.lettering == 0:
                corners = part.mesh.points[part.mesh.faces]
                level = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 1] / 2
                found += float((level * (corners[:, :, 1].mean(axis=1) - ground)).sum())
        return found

    def test_they_stand_as_high_as_they_are_said_to(self):
        """At rest and while something moves."""
        for kind, made in (
            ("shop front", {"kind": "raised", "height_mm": 1.5, "edge": "sloped", "round_mm": 0.3}),
            ("shop front", {"kind": "raised", "height_mm": 1.5, "edge": "sloped"}),
            ("shop front", {"kind": "raised", "height_mm": 1.5, "edge": "rounded", "edge_mm": 0.6}),
            ("shop front", {"kind": "raised", "height_mm": 1.5, "edge": "drawn", "edge_mm": 0.6}),
            ("shop front", {"kind": "engraved", "depth_mm": 0.5, "floor": "v"}),
            ("plaque", {"kind": "carved", "texture": "chips"}),
        ):
            job = change(fresh_job(kind, "TARN & 8"), ("letterings", 0, "craft"), made)
            told = relief_volume_mm3(job.letterings[0], lettering_laid(job, 0))
            for detail, near in ((Detail.FINE, 0.02), (Detail.ROUGH, 0.05)):
                with self.subTest(kind, detail=detail, **made):
                    self.assertAlmostEqual(self.lies(job, detail) / told, 1.0, delta=near)


class JustAsWide(unittest.TestCase):
    def test_strokes_that_a_profile_just_covers_close_to_a_solid(self):
        """Bars of the letters are 1.2 mm wide: rounded by 0.6 mm, both of their rounds end on one line."""
        for kind, made in (
            ("plaque", {"kind": "raised", "height_mm": 1.5, "edge": "rounded", "edge_mm": 0.6}),
            ("board", {"kind": "carved", "texture": "smooth"}),
        ):
            job = change(fresh_job(kind, "TARN & 8"), ("letterings", 0, "craft"), made)
            self.assertTrue(solid(job).is_watertight)
