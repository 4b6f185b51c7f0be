"""Sets fit every blank and every size, can be kept by name, and leave old jobs as they were."""

import json
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import trimesh
from PIL import Image

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.build import middle_of_job, scene_of_job, view_of
from kilnchisel.core.colour import LUMA
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.handover.setpictures import alike, make_pictures, pictures_there
from kilnchisel.core.job.blank import KINDS
from kilnchisel.core.job.cameras import at_place, keep_place, place_of, walked_to, without_place
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job, save_job
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.sets import (
    fitted,
    forget_set,
    in_place,
    keep_set,
    kept_sets,
    set_of,
    sets_for,
)
from kilnchisel.core.job.setting import Camera, KeyLight, Light, Setting, StudioLight
from kilnchisel.core.job.setups import SETS
from kilnchisel.core.job.traits import stances_of
from kilnchisel.core.picture.tracing import Slice, TracedScene
from kilnchisel.core.scene.exposure import lit_by
from kilnchisel.core.scene.grounds import base_of
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.lamps import painted, panels_of
from kilnchisel.core.scene.light import Room, degrees_apart, held, seen_room, unfocused_room
from kilnchisel.core.scene.stance import stance_of
from kilnchisel.core.scene.view import square_on
from tests.commands import called
from tests.samples import bare_scene, mug_job, plaque_job, the_draft


class Fitting(unittest.TestCase):
    def test_every_blank_has_sets_and_each_of_them_can_be_made(self):
        self.assertGreaterEqual(len(SETS), 14)
        for kind in KINDS:
            job = fresh_job(kind)
            offered = sets_for(job.blank)
            self.assertGreaterEqual(len(offered), 4, kind)
            for one in offered:
                made = fitted(job, one.name)
                self.assertEqual(set_of(made), one.name, (kind, one.name))
                self.assertEqual(made.letterings, job.letterings)
                if one.manner == "wall" and "hung" in stances_of(job.blank):
                    self.assertEqual(made.setting.stance, "hung")

    def test_a_changed_part_is_no_set_any_more(self):
        job = fitted(mug_job(), "warm grey sweep")
        self.assertIsNone(set_of(change(job, ("setting", "camera", "lens_mm"), 61.0)))
        self.assertIsNone(set_of(mug_job()))

    def test_lights_ground_and_camera_grow_with_the_piece(self):
        small = plaque_job()
        large = small
        for name in ("width_mm", "height_mm", "thickness_mm"):
            large = change(large, ("blank", name), 2 * getattr(small.blank, name))
        one, two = (fitted(job, "white sweep").setting for job in (small, large))
        self.assertAlmostEqual(two.camera.distance_mm / one.camera.distance_mm, 2.0, delta=0.01)
        for a, b in zip(one.light.lamps, two.light.lamps, strict=True):
            self.assertAlmostEqual(b.distance_mm / a.distance_mm, 2.0, delta=0.01)
            self.assertAlmostEqual(b.width_mm / a.width_mm, 2.0, delta=0.01)
            self.assertEqual(a.strength, b.strength)

    def test_a_sweep_is_behind_the_piece_from_wherever_one_looks(self):
        """Walked round, the piece would vanish behind the paper."""
        job = fitted(mug_job(), "white sweep")

        def seen_from(turn_deg, job=job):
            turned = change(job, ("setting", "camera", "turn_deg"), turn_deg)
            view = view_of(turned)
            scene = scene_of_job(turned, detail=Detail.ROUGH)
            shown = scene.seen_in(view)
            mesh = trimesh.Trimesh(shown.base.mesh.points, shown.base.mesh.faces, process=False)
            way = scene.middle - view.eye
            spots = mesh.ray.intersects_location(view.eye[None], way[None])[0]
            far = np.linalg.norm(spots - view.eye, axis=1)
            self.assertTrue((far > np.linalg.norm(way)).all(), turn_deg)
            return scene, shown

        for turn in (-70.0, 0.0, 60.0):
            scene, shown = seen_from(turn)
            self.assertIs(shown, scene)
        for turn in (120.0, 180.0, -110.0):
            scene, shown = seen_from(turn)
            self.assertTrue(shown.base.turned)
            self.assertAlmostEqual(
                shown.base.mesh.points[:, 1].min(), -scene.base.mesh.points[:, 1].max(), 6
            )
            self.assertIs(
                scene.seen_in(view_of(change(job, ("setting", "camera", "turn_deg"), turn))), shown
            )
        # nothing is to stand before the sun
        sun = StudioLight(kind="sun", turn_deg=0.0, tilt_deg=30.0)
        _, shown = seen_from(180.0, change(job, ("setting", "light", "lamps"), (sun,)))
        self.assertIsNone(shown.base.sweep)

    def test_the_piece_fills_the_picture_and_nothing_of_it_is_cut_off(self):
        for kind in ("band", "mug", "plaque", "van", "globe", "book", "plate"):
            job = fresh_job(kind)
            points = np.concatenate([item.mesh.points for item in scene_of_job(job).items])
            for one in sets_for(job.blank):
                made = fitted(job, one.name)
                stance, view = stance_of(made), view_of(made)
                seen = view.project(points @ stance[:3, :3].T + stance[:3, 3], (1500, 1000))
                low, high = seen[:, :2].min(axis=0), seen[:, :2].max(axis=0)
                self.assertTrue((low > 0).all() and (high < (1500, 1000)).all(), (kind, one.name))
                share = max((high - low) / (1500, 1000))
                self.assertGreater(share, 0.3, (kind, one.name))

    def test_where_a_piece_cannot_stand_is_refused(self):
        with self.assertRaisesRegex(KilnError, "cannot stand in “meadow”"):
            fitted(fresh_job("band"), "meadow")
        with self.assertRaisesRegex(KilnError, "There is no set “moon”"):
            fitted(mug_job(), "moon")
        with self.assertRaisesRegex(KilnError, "There is no place “moon”"):
            in_place(mug_job(), "moon")
        placed = in_place(mug_job(), "Sunset-Quay")
        self.assertEqual(placed.setting.light.room, "sunset quay")

    def test_an_old_job_opens_as_it_was(self):
        setting = Setting.model_validate({"exposure_stops": 0.5, "camera": {"lens_mm": 50}})
        self.assertEqual(
            (setting.exposure, setting.camera.f_number, setting.light.lamps), ("by hand", 0, ())
        )
        job = change(mug_job(), ("setting",), setting)
        np.testing.assert_allclose(scene_of_job(job).gain, 2**0.5)
        self.assertEqual(view_of(job).opening_mm, 0.0)


class Kept(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        state = {"XDG_STATE_HOME": str(self.folder), "XDG_CACHE_HOME": str(self.folder / "cache")}
        self.enterContext(mock.patch.dict("os.environ", state))

    def test_a_set_of_ones_own_fits_other_pieces(self):
        job = change(fitted(mug_job(), "white sweep"), ("setting", "ground", "colour"), "#aa3311")
        keep_set(job, " Red  paper ")
        self.assertEqual([one.name for one in kept_sets()], ["Red paper"])
        self.assertEqual(set_of(job), "Red paper")
        band = fitted(fresh_job("band"), "red paper")
        self.assertEqual(band.setting.ground.colour, "#aa3311")
        self.assertLess(band.setting.camera.distance_mm, 0.5 * job.setting.camera.distance_mm)
        self.assertLess(
            band.setting.light.lamps[0].distance_mm, 0.5 * job.setting.light.lamps[0].distance_mm
        )
        for name, sentence in (("", "name"), ("white SWEEP", "comes with the program")):
            with self.assertRaisesRegex(KilnError, sentence):
                keep_set(job, name)
        forget_set("Red paper")
        self.assertIsNone(set_of(job))
        with self.assertRaisesRegex(KilnError, "no saved set"):
            forget_set("Red paper")

    def test_pictures_are_made_once(self):
        job = mug_job()
        two = tuple(one for one in sets_for(job.blank) if one.name in ("white sweep", "black acrylic"))
        with mock.patch("kilnchisel.core.handover.setpictures.sets_for", lambda blank: two):
            self.assertEqual(set(pictures_there(job).values()), {None})
            self.assertEqual([name for name, _ in make_pictures(job)], ["white sweep", "black acrylic"])
            with mock.patch("kilnchisel.core.picture.draft.Draft", side_effect=AssertionError):
                list(make_pictures(job))
            white, black = pictures_there(job).values()
        self.assertGreater(white.mean(), 2 * black.mean())

    def test_a_changed_setting_has_the_same_pictures(self):
        job = mug_job()
        self.assertTrue(alike(job, fitted(job, "black acrylic")))
        for path, value in (
            (("blank", "height_mm"), 90.0),
            (("letterings", 0, "content", "text"), "B"),
            (("finish", "colour"), "#aa3311"),
            (("name",), "another"),
        ):
            self.assertFalse(alike(job, change(job, path, value)), path)

    def test_the_command_line(self):
        path, out = self.folder / "job.kcj", self.folder / "out.kcj"
        save_job(mug_job(), path)
        status, listed, _ = called("sets", "--json")
        self.assertEqual((status, {row["name"] for row in json.loads(listed)}), (0, set(SETS)))
        self.assertNotIn("meadow", called("sets", path)[1])
        self.assertEqual(called("sets", path, "--use", "paper", "-o", out)[0], 0)
        self.assertEqual(set_of(open_job(out)), "paper")
        self.assertEqual(called("sets", out, "--save", "Mine")[0], 0)
        self.assertTrue(called("sets")[1].startswith("Mine"))
        self.assertEqual(called("sets", "--forget", "Mine")[0], 0)
        self.assertIn("Name the job", called("sets", "--use", "paper")[2])
        picture = self.folder / "a.png"
        size = ("--draft", "--size", "96x64")
        self.assertEqual(called("picture", path, "-o", picture, "--set", "black acrylic", *size)[0], 0)
        dark = np.asarray(Image.open(picture)).mean()
        self.assertEqual(called("picture", path, "-o", picture, "--set", "white sweep", *size)[0], 0)
        self.assertGreater(np.asarray(Image.open(picture)).mean(), 2 * dark)
        self.assertIn("no place", called("picture", path, "-o", picture, "--place", "moon", *size)[2])
        self.assertIn("no set", called("picture", path, "-o", picture, "--set", "moon", *size)[2])

    def test_the_command_line_reaches_every_light(self):
        path, out = self.folder / "job.kcj", self.folder / "out.kcj"
        save_job(fitted(mug_job(), "white sweep"), path)
        field = "setting.light.lamps.2.kelvin"
        self.assertEqual(called("set", path, "-o", out, f"{field}=3200", "setting.camera.f_number=4")[0], 0)
        self.assertEqual(open_job(out).setting.light.lamps[1].kelvin, 3200)


class Cameras(unittest.TestCase):
    def test_places_are_kept_gone_back_to_and_dropped(self):
        job = fitted(mug_job(), "white sweep")
        front = keep_place(job, " Front ", (1920, 1080))
        aside = change(front, ("setting", "camera", "turn_deg"), 70.0)
        self.assertEqual((place_of(front), place_of(aside)), ("Front", None))
        aside = keep_place(aside, "Aside", (800, 800))
        self.assertEqual(at_place(aside, "front").setting.camera, job.setting.camera)
        # a place of the same name gives way, and a set keeps the places of its job
        again = keep_place(aside, "Front", (640, 480))
        self.assertEqual([place.name for place in again.setting.places], ["Aside", "Front"])
        moved = fitted(again, "black acrylic")
        self.assertEqual(moved.setting.places, again.setting.places)
        self.assertEqual(set_of(moved), "black acrylic")
        self.assertEqual([p.name for p in without_place(again, "aside").setting.places], ["Front"])
        for does in (lambda: at_place(again, "roof"), lambda: without_place(again, "roof")):
            with self.assertRaisesRegex(
                KilnError, "no camera place “roof” in this job; there are: “Aside”"
            ):
                does()
        with self.assertRaisesRegex(KilnError, "a name"):
            keep_place(job, "  ", (640, 480))

    def test_a_picture_from_a_place_in_its_own_size(self):
        with tempfile.TemporaryDirectory() as folder:
            path, out = Path(folder) / "job.kcj", Path(folder) / "a.png"
            job = keep_place(fitted(mug_job(), "white sweep"), "Front", (120, 80))
            save_job(change(job, ("setting", "camera", "turn_deg"), 90.0), path)
            self.assertEqual(called("picture", path, "-o", out, "--view", "front", "--draft")[0], 0)
            with Image.open(out) as image:
                self.assertEqual(image.size, (120, 80))
                seen = np.asarray(image)
            straight = the_draft().render(scene_of_job(job), view_of(job, 1.5), (120, 80))[..., :3]
            self.assertLess(np.abs(seen.astype(int) - straight).mean(), 1.0)
            self.assertIn(
                "no camera place", called("picture", path, "-o", out, "--view", "x", "--draft")[2]
            )

    def test_a_shifted_lens_is_the_same_in_draft_and_both_tracers(self):
        job = change(fresh_job("van"), ("setting", "camera", "tilt_deg"), 9.0)
        job = change(job, ("setting", "camera", "upright"), True)
        scene, view, size = scene_of_job(job), replace(view_of(job), opening_mm=0.0), (240, 160)
        drawn = the_draft().coverage(scene, view, size)
        traced = TracedScene(replace(scene, base=None, street=None, panels=()))
        for wide in (traced._wide, False):
            traced._wide = wide
            seen = traced.light(Slice(view, size, (0, size[1]), 8, 1))[..., 3] / 8 > 0.5
            self.assertGreater((drawn & seen).sum() / (drawn | seen).sum(), 0.985)


class Walking(unittest.TestCase):
    def test_round_what_stands_and_not_behind_a_wall(self):
        self.assertEqual(walked_to(mug_job(), 190.0), -170.0)
        self.assertEqual(walked_to(mug_job(), -181.0), 179.0)
        for kind in ("board", "tote bag", "wall", "shop front", "window"):
            job = fresh_job(kind)
            self.assertEqual(walked_to(job, 40.0), 40.0)
            self.assertEqual([walked_to(job, turn) for turn in (120.0, -100.0)], [86.0, -86.0], kind)

    def test_the_camera_stays_above_the_ground(self):
        for kind in ("band", "mug", "plate", "van", "bank"):
            job = fresh_job(kind)
            for rise in (0.0, -0.4 * job.setting.camera.distance_mm):
                low = change(job, ("setting", "camera", "rise_mm"), rise)
                low = change(low, ("setting", "camera", "tilt_deg"), -30.0)
                far = low.setting.camera.distance_mm
                self.assertAlmostEqual(view_of(low).eye[2] / far, 0.01, delta=1e-6, msg=kind)
            level = change(low, ("setting", "camera", "rise_mm"), 0.0)
            for tilt in (12.0, 3.0):
                eye = view_of(change(level, ("setting", "camera", "tilt_deg"), tilt)).eye
                self.assertAlmostEqual((eye - middle_of_job(job))[2], far * np.sin(np.radians(tilt)), 6)
        hung = change(fresh_job("board"), ("setting", "camera", "tilt_deg"), -30.0)
        self.assertLess(view_of(hung).eye[2], -0.3 * hung.setting.camera.distance_mm)

    def test_boards_that_lie_are_walked_round(self):
        lying = change(fresh_job("board"), ("setting", "stance"), "lying")
        self.assertEqual(walked_to(lying, 120.0), 120.0)


class Exposure(unittest.TestCase):
    def test_by_itself_it_makes_up_for_the_light(self):
        job = fitted(mug_job(), "white sweep")
        lamps = job.setting.light.lamps
        half = tuple(lamp.model_copy(update={"strength": lamp.strength / 2}) for lamp in lamps)
        dim = change(job, ("setting", "light", "lamps"), half)
        dim = change(dim, ("setting", "light", "strength"), job.setting.light.strength / 2)
        bright, dark = (scene_of_job(one).gain for one in (job, dim))
        np.testing.assert_allclose(dark, 2 * bright, rtol=1e-6)
        stops = change(job, ("setting", "exposure_stops"), job.setting.exposure_stops + 1)
        np.testing.assert_allclose(scene_of_job(stops).gain, 2 * bright)

    def test_white_takes_the_warmth_of_lamps_away(self):
        warm = StudioLight(kelvin=2900, width_mm=900, height_mm=900)
        light = Light(room="dark", strength=0, key=KeyLight(strength=0), lamps=(warm,))
        job = change(mug_job(), ("setting", "light"), light)
        panel = scene_of_job(job).panels[0]
        gain = scene_of_job(change(job, ("setting", "white_kelvin"), 2900)).gain
        shown = panel.radiance * gain
        np.testing.assert_allclose(shown, shown.mean(), rtol=1e-6)
        self.assertGreater(panel.radiance[0], 2 * panel.radiance[2])


class Lamps(unittest.TestCase):
    MIDDLE = np.zeros(3)

    def panels(self, *lamps):
        return panels_of(Light(room="even", key=KeyLight(strength=0), lamps=lamps), self.MIDDLE, 50.0)

    def test_strength_is_what_a_white_sheet_returns(self):
        for kind in ("soft box", "octagon", "ring", "bare lamp", "window", "sun"):
            for distance in (400.0, 4000.0):
                lamp = StudioLight(kind=kind, strength=70, distance_mm=distance)
                (panel,) = self.panels(lamp)
                self.assertAlmostEqual(panel.adds(self.MIDDLE), 0.7, places=6, msg=kind)
                if panel.face is not None:
                    self.assertAlmostEqual(float(panel.face.mean()), 1.0, places=4)

    def test_off_flag_and_reflector(self):
        self.assertEqual(self.panels(StudioLight(on=False)), ())
        flag, key, board = (
            StudioLight(kind=kind, turn_deg=turn)
            for kind, turn in (("flag", 90), ("soft box", -90), ("reflector", 90))
        )
        even = Room(np.full((64, 128, 3), 0.2, np.float32), 0.0)
        right = np.array([[np.cos(np.radians(40)), 0.0, np.sin(np.radians(40))]])

        def seen(*lamps):
            return float(painted(even, self.panels(*lamps), self.MIDDLE).seen(right)[0] @ LUMA)

        self.assertAlmostEqual(seen(), 0.2, places=5)
        self.assertAlmostEqual(seen(flag), 0.0, places=5)
        self.assertGreater(seen(board, key), seen(board))
        self.assertGreater(seen(board, key), 0.2)

    def test_the_strongest_is_first(self):
        weak, strong = StudioLight(strength=20, turn_deg=50), StudioLight(strength=90)
        self.assertGreater(*(one.adds(self.MIDDLE) for one in self.panels(weak, strong)))

    def test_no_more_than_eight(self):
        with self.assertRaises(KilnError):
            change(mug_job(), ("setting", "light", "lamps"), (StudioLight(),) * 9)


class Behind(unittest.TestCase):
    def test_steps_of_focus(self):
        self.assertEqual(degrees_apart(0.0), 0.0)
        self.assertEqual(degrees_apart(0.2), degrees_apart(1.0))
        self.assertAlmostEqual(degrees_apart(4.0) / 4.0, 1.0, delta=0.11)

    def test_what_is_too_bright_keeps_its_colour(self):
        sun, cloud = (24.0, 18.0, 6.0), (1.0, 2.0, 11.0)
        seen = held(np.array([[sun, cloud]]), 12.0)
        np.testing.assert_allclose(seen, [[(12.0, 9.0, 3.0), cloud]])
        picture = seen_room("evening sky", 0.0)
        bright = picture[picture.max(axis=2) > 11.9]
        self.assertTrue(len(bright))
        self.assertTrue((bright[:, 0] > 1.15 * bright[:, 1]).all())  # a low sun is no green

    def test_what_is_out_of_focus_keeps_its_light(self):
        near, far = (unfocused_room("city square", degrees) for degrees in (1.05, 4.36))
        np.testing.assert_allclose(near.mean(axis=(0, 1)), far.mean(axis=(0, 1)), rtol=0.01)
        self.assertLess(np.abs(np.diff(far, axis=1)).mean(), 0.75 * np.abs(np.diff(near, axis=1)).mean())

    def test_open_ground_is_as_bright_as_that_of_the_place(self):
        job = fitted(fresh_job("van"), "meadow")
        scene = scene_of_job(job)
        plain = base_of(job, scene.radius_mm)
        self.assertIsNotNone(plain.fades)
        self.assertNotEqual(scene.base.material.base, plain.material.base)
        green = scene.base.material.albedo
        self.assertGreater(green[1], green[0])
        self.assertGreater(green[1], 2 * green[2])
        self.assertIsNone(base_of(change(job, ("setting", "ground", "kind"), "none"), 100.0))

    def test_forms_of_ground(self):
        job = mug_job()
        radius = scene_of_job(job).radius_mm
        for form in ("flat", "table", "sweep", "open"):
            mesh = base_of(change(job, ("setting", "ground", "form"), form), radius).mesh
            corners = mesh.points[mesh.faces]
            normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            own = mesh.normals[mesh.faces].mean(axis=1)
            self.assertTrue((np.einsum("ij,ij->i", normal, own) > 0).all(), form)
            self.assertAlmostEqual(mesh.points[:, 2].min(), 0.0)
            self.assertEqual(mesh.points[:, 2].max() > radius, form == "sweep")
            # uv are true millimetres
            edges = np.linalg.norm(corners[:, 1] - corners[:, 0], axis=1)
            flat = mesh.uv[mesh.faces]
            np.testing.assert_allclose(
                np.linalg.norm(flat[:, 1] - flat[:, 0], axis=1), edges, rtol=2e-3, atol=1e-6
            )

    def test_rooms_of_places_are_as_bright_as_each_other(self):
        facing = np.array([-0.5, -0.5, 0.7071])
        for name in ("park", "warehouse", "city square"):
            light = Light(room=name, key=KeyLight(strength=0))
            returned = lit_by(light, (0.0, 0.0, 0.0), 50.0, np.zeros(3), facing[None])
            self.assertAlmostEqual(float(returned[0] @ LUMA), 0.5, delta=0.03, msg=name)


class Edges(unittest.TestCase):
    def test_a_plane_on_its_edge_is_drawn(self):
        """It took a software card half a minute: it averaged a texture over all that such a plane spans."""
        corners = np.array([[-20.0, 0, -20], [20, 0, -20], [20, 0, 20], [-20, 0, 20]])
        faces = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
        plane = Mesh(corners, np.tile([0.0, -1, 0], (4, 1)), corners[:, ::2], faces)
        sheet = Item("sheet", None, plane, Material("coated", (0.5, 0.5, 0.5), 0.3))
        light = np.full((64, 128, 3), 0.5, np.float32)
        scene = bare_scene((sheet,), light, 30.0)
        frame = np.array([[0.0, -1, 0], [0, 0, 1], [1, 0, 0]])  # from its right
        view = replace(square_on(np.zeros(3), frame, 40.0), parallel=False, tall=0.04)
        pixels = the_draft().render(scene, view, (160, 120))
        self.assertEqual(pixels.shape, (120, 160, 4))


class Lens(unittest.TestCase):
    def test_the_draft_puts_the_same_out_of_focus_as_the_mockup(self):
        job = fitted(mug_job(), "table by a window")
        scene = scene_of_job(job)
        sharp = replace(view_of(job), opening_mm=0.0)
        wide = replace(sharp, opening_mm=60.0)
        size = (240, 160)

        def detail(view, there):
            pixels = the_draft().render(scene, view, size)[..., :3].astype(float).mean(axis=2)
            steps = np.abs(np.diff(pixels, axis=1))
            return steps[there[:, 1:] & there[:, :-1]].mean()

        on_piece = the_draft().coverage(scene, sharp, size)
        # what lies far before the piece loses its detail, the lettering in focus keeps most of it
        before = np.zeros_like(on_piece)
        before[-12:] = True
        self.assertLess(detail(wide, before), 0.8 * detail(sharp, before))
        middle = np.zeros_like(on_piece)
        middle[70:90, 110:130] = True
        self.assertGreater(detail(wide, middle), 0.75 * detail(sharp, middle))

    def test_opening_and_focus(self):
        job = change(mug_job(), ("setting", "camera"), Camera(lens_mm=100, f_number=4, distance_mm=500))
        view = view_of(job)
        self.assertAlmostEqual(view.opening_mm, 25.0)
        # the lettering is on the front of the mug
        self.assertLess(view.focus_mm, 500 - 0.3 * job.blank.diameter_mm)
        beyond = view_of(change(job, ("setting", "camera", "focus_mm"), 30.0))
        self.assertAlmostEqual(beyond.focus_mm - view.focus_mm, 30.0)
        self.assertEqual(view.blur_at(view.focus_mm), 0.0)
        self.assertAlmostEqual(view.blur_at(np.inf), 25.0 / view.focus_mm)
