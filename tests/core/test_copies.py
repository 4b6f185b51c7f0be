"""Copies of the piece in its picture: where they are put, what they take with them, what stays alone."""

import tempfile
import unittest
from pathlib import Path

import numpy as np

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.coarse import matrix_in
from kilnchisel.core.build import middle_of_job, piece_of, scene_of_job, view_of
from kilnchisel.core.colour import contrast_ratio, delta_e, hex_to_linear
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.meshes import mesh_bytes
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job.cameras import AFAR, from_afar, place_of
from kilnchisel.core.job.copies import (
    arranged,
    arrangement_of,
    arrangements_for,
    other_finishes,
    with_copies,
    with_copy,
    without_copy,
)
from kilnchisel.core.job.crafts import Tube
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.finish import Brass, Enamel, Gold, Paint, Slate
from kilnchisel.core.job.fresh import fresh_job, with_blank
from kilnchisel.core.job.sets import fitted, keep_set, set_of
from kilnchisel.core.job.setting import Copy
from kilnchisel.core.scene.copies import placings_of
from kilnchisel.core.scene.stance import stance_of
from tests.commands import called
from tests.samples import mocked, the_draft

GREEN = Paint(colour="#128a2b", gloss=0.0)


def in_scene(job, item):
    stance = stance_of(job)
    return item.mesh.points @ stance[:3, :3].T + stance[:3, 3]


def copied(job):
    """The items of the first copy."""
    count = len(piece_of(job).parts)
    return scene_of_job(job).items[count : 2 * count]


class Placed(unittest.TestCase):
    def test_a_copy_is_turned_about_its_own_middle_and_set_aside(self):
        job = with_copies(fresh_job("mug"), (Copy(beside_mm=120.0, beyond_mm=30.0, turn_deg=180.0),))
        own, copy = scene_of_job(job).items[0], copied(job)[0]
        here, there = in_scene(job, own), in_scene(job, copy)
        body = body_of(job.blank, detail=Detail.ROUGH)
        points = np.concatenate([shell.mesh.points for shell in body.shells])
        middle = (points.min(axis=0) + points.max(axis=0)) / 2
        np.testing.assert_allclose(there[:, 0], 120 + 2 * middle[0] - here[:, 0], atol=0.3)
        np.testing.assert_allclose(there[:, 2], here[:, 2], atol=1e-6)

    def test_one_that_leans_rests_on_the_ground(self):
        for kind, lean in (("band", 38.0), ("mug", -70.0), ("medallion", 90.0)):
            job = with_copies(fresh_job(kind), (Copy(beside_mm=60.0, lean_deg=lean),))
            low = min(in_scene(job, item)[:, 2].min() for item in copied(job) if len(item.mesh.points))
            base = min(in_scene(job, item)[:, 2].min() for item in scene_of_job(job).items)
            self.assertAlmostEqual(low, base, delta=0.6, msg=kind)

    def test_on_a_wall_it_stays_on_the_wall(self):
        job = fitted(fresh_job("plaque"), "render wall by day")
        job = with_copies(job, (Copy(beyond_mm=300.0, turn_deg=90.0),))
        own = np.concatenate([in_scene(job, item) for item in scene_of_job(job).items[: len(copied(job))]])
        other = np.concatenate([in_scene(job, item) for item in copied(job)])
        self.assertAlmostEqual(other[:, 1].max(), own[:, 1].max(), delta=0.1)
        self.assertAlmostEqual(np.ptp(other[:, 2]), np.ptp(own[:, 0]), delta=0.5)

    def test_letters_go_along_and_nothing_else_is_made_of_them(self):
        job = fresh_job("mug", "TARN")
        two = with_copy(job)
        self.assertEqual(len(piece_of(two).parts), len(piece_of(job).parts))
        self.assertEqual(mesh_bytes(two, Path("a.stl")), mesh_bytes(job, Path("a.stl")))
        masks = [item.mask for item in copied(two)]
        self.assertTrue(any(mask.startswith("lettering 1") for mask in masks))

    def test_its_own_finish_is_that_of_the_blank_alone(self):
        job = with_copies(fresh_job("mug"), (Copy(beside_mm=150.0, finish=Enamel(colour="#8c3b2e")),))
        own = {item.name: item.material for item in scene_of_job(job).items[: len(copied(job))]}
        other = {item.name: item.material for item in copied(job)}
        changed = {name for name in own if own[name].base != other[name].base}
        self.assertIn("outside", changed)
        self.assertNotIn("outside lettering 1", changed)

    def test_lit_tubes_shine_there_too(self):
        job = change(fresh_job("wall"), ("letterings", 0, "craft"), Tube())
        alone, both = scene_of_job(job).lamps, scene_of_job(with_copy(job)).lamps
        assert alone is not None and both is not None
        self.assertEqual(len(both.start), 2 * len(alone.start))

    def test_the_same_ones_are_found_again(self):
        job = with_copy(fresh_job("mug"))
        body = body_of(job.blank, detail=Detail.ROUGH)
        self.assertIs(placings_of(job, body), placings_of(job, body))
        again = change(job, ("setting", "exposure_stops"), 0.5)
        self.assertIs(scene_of_job(job).items[-1].mesh, scene_of_job(again).items[-1].mesh)
        self.assertIs(scene_of_job(job).proxy, scene_of_job(again).proxy)

    def test_a_copy_shades_what_is_beside_it(self):
        job = with_copies(fresh_job("mug"), (Copy(beside_mm=-95.0),))
        scene = scene_of_job(job)
        base = scene.base
        assert base is not None
        draft, view = the_draft(), view_of(job)
        seen = draft.render(scene, view, (300, 200))
        alone = draft.render(scene_of_job(with_copies(job, ())), view, (300, 200))
        self.assertGreater(float(np.abs(seen.astype(int) - alone).mean()), 1.0)

    def test_a_copy_of_its_own_colour_is_mirrored_and_shines_back_in_that_colour(self):
        size = (240, 160)
        job = change(fresh_job("band"), ("finish",), Gold(polish="satin"))
        draft, view = the_draft(), view_of(with_copies(job, (Copy(beside_mm=25.0),)))

        def greener(copy, made):
            """By how much the piece itself is greener beside a green copy, of levels."""
            green = scene_of_job(with_copies(job, (copy.model_copy(update={"finish": GREEN}),)))
            same = scene_of_job(with_copies(job, (copy,)))
            seen, other = (made(scene)[..., :3].astype(float) for scene in (green, same))
            tint = (seen[..., 1] - seen[..., 0]) - (other[..., 1] - other[..., 0])
            return tint[draft.coverage(scene_of_job(job), view, size)]

        drafted = greener(Copy(beside_mm=25.0), lambda scene: draft.render(scene, view, size))
        traced = greener(Copy(beside_mm=25.0), lambda scene: mocked(scene, view, size, 16))
        self.assertGreater(drafted.mean(), 0.5 * traced.mean())
        self.assertLess(drafted.mean(), 1.6 * traced.mean())


class Arranged(unittest.TestCase):
    def test_what_there_is_for_a_piece(self):
        self.assertEqual(
            list(arrangements_for(fresh_job("mug"))), ["alone", "front and back", "three colours"]
        )
        self.assertIn("one leaning on the other", arrangements_for(fresh_job("band")))
        slate = fresh_job("plaque").model_copy(update={"finish": Slate()})
        self.assertNotIn("three colours", arrangements_for(slate))
        with self.assertRaisesRegex(KilnError, "There are: alone, front and back"):
            arranged(fresh_job("mug"), "one leaning on the other")

    def test_a_ring_leans_without_going_into_the_other(self):
        job = arranged(fresh_job("band"), "one leaning on the other")
        stance = stance_of(job)
        body = body_of(job.blank)
        points = np.concatenate([shell.mesh.points for shell in body.shells])
        (placing,) = placings_of(job, body_of(job.blank, detail=Detail.ROUGH))
        matrix = stance @ matrix_in(placing)
        moved = points @ matrix[:3, :3].T + matrix[:3, 3]
        blank = job.blank
        outer, far = blank.inner_mm / 2 + blank.thickness_mm, np.hypot(moved[:, 0], moved[:, 1])
        within = (
            (far < outer - 0.3) & (far > blank.inner_mm / 2 + 0.3) & (moved[:, 2] < blank.width_mm - 0.3)
        )
        self.assertFalse(within.any())

    def test_the_set_and_the_camera_follow(self):
        job = fresh_job("mug")
        two = arranged(job, "front and back")
        self.assertEqual(set_of(two), set_of(job))
        self.assertEqual(arrangement_of(two), "front and back")
        self.assertGreater(two.setting.camera.distance_mm, 1.2 * job.setting.camera.distance_mm)
        self.assertGreater(middle_of_job(two)[0], 20)
        self.assertEqual(arranged(two, "alone"), job)
        self.assertEqual(set_of(fitted(two, "white sweep")), "white sweep")
        self.assertEqual(fitted(two, "white sweep").setting.copies, two.setting.copies)
        moved = change(two, ("setting", "copies", 0, "turn_deg"), 150.0)
        self.assertIsNone(arrangement_of(moved))

    def test_outside_of_a_set_only_the_camera_steps_back(self):
        job = change(fresh_job("mug"), ("setting", "light", "strength"), 61.0)
        two = with_copy(job)
        self.assertGreater(two.setting.camera.distance_mm, job.setting.camera.distance_mm)
        self.assertEqual(two.setting.light, job.setting.light)
        back = without_copy(two, 0).setting.camera
        self.assertAlmostEqual(back.distance_mm, job.setting.camera.distance_mm, delta=0.1)
        with self.assertRaisesRegex(KilnError, "no copy 3"):
            without_copy(two, 2)

    def test_a_kept_set_is_of_one_piece(self):
        import os
        from unittest import mock

        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_STATE_HOME": folder}))
        two = change(arranged(fresh_job("mug"), "front and back"), ("setting", "light", "strength"), 61.0)
        keep_set(two, "My two")
        self.assertEqual(set_of(two), "My two")
        self.assertEqual(fitted(fresh_job("mug"), "My two").setting.copies, ())

    def test_eight_at_most_and_none_on_another_object(self):
        job = fresh_job("mug")
        for _ in range(8):
            job = with_copy(job)
        with self.assertRaisesRegex(KilnError, "8 copies"):
            with_copy(job)
        self.assertEqual(with_blank(job, "band").setting.copies, ())

    def test_colours_of_a_row(self):
        first, second = other_finishes(Gold()) or (None, None)
        self.assertEqual({first.alloy, second.alloy}, {"white", "red"})
        kinds = {one.kind for one in other_finishes(Brass(polish="brushed")) or ()}
        self.assertEqual(kinds, {"chrome", "copper"})
        navy = "#26314f"
        others = other_finishes(Enamel(), on_it=(navy,)) or ()
        self.assertEqual(len(others), 2)
        self.assertNotIn(navy, [one.colour for one in others])
        for piece, ink in (("#efe6d0", navy), (navy, "#efe6cf"), ("#8a4a30", "#f2ecdc")):
            for one in other_finishes(Enamel(colour=piece), on_it=(ink,)) or self.fail(piece):
                found, written, own = (
                    np.array(hex_to_linear(colour)) for colour in (one.colour, ink, piece)
                )
                self.assertGreaterEqual(contrast_ratio(found, written), 3.0)  # WCAG 2.x, 1.4.3: large text
                self.assertGreater(delta_e(found, own), 20.0)
        self.assertIsNone(other_finishes(Slate()))


class FromAfar(unittest.TestCase):
    def test_it_is_as_large_as_for_the_eye(self):
        job = from_afar(fresh_job("mug"), 30_000.0)
        self.assertEqual(place_of(job), AFAR)
        view, width = view_of(job, 1.6), 1600
        # two points 100 mm apart across, 30 m away, in a picture 120 mm tall that is 600 mm from the eye
        middle = middle_of_job(job)
        ends = np.stack([middle, middle + 100 * view.right])
        shown = view.project(ends, (width, 1000))
        mm = abs(shown[1, 0] - shown[0, 0]) * 120 / 1000
        self.assertAlmostEqual(mm, 600 * 100 / 30_000, delta=0.01)

    def test_too_near_is_refused(self):
        with self.assertRaisesRegex(KilnError, "30 mm"):
            from_afar(fresh_job("mug"), 3.0)


class OnTheCommandLine(unittest.TestCase):
    def test_copies_are_listed_and_arranged(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        save_packed(fresh_job("band", "TARN"), folder / "a.kcj")
        status, said, _ = called("copies", folder / "a.kcj")
        self.assertEqual(status, 0)
        self.assertIn("one leaning on the other   2", said)
        made = folder / "b.kcj"
        wanted = ("--arrange", "one-leaning-on-the-other", "-o", made)
        self.assertEqual(called("copies", folder / "a.kcj", *wanted)[0], 0)
        self.assertEqual(arrangement_of(open_job(made)), "one leaning on the other")
        status, _, said = called("copies", folder / "a.kcj", "--arrange", "a crowd", "-o", made)
        self.assertEqual(status, 2)
        self.assertIn("no arrangement", said)
        far = ("picture", made, "-o", folder / "p.png", "--draft", "--size", "96x60", "--afar", "2m")
        self.assertEqual(called(*far)[0], 0)


if __name__ == "__main__":
    unittest.main()
