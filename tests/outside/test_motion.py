"""Films: what moves and when, frames that are kept and do not boil, files read back by OpenCV and Pillow.

Colour tags: ITU-R BT.709-6 and its numbers in ISO/IEC 23091-2 (1: BT.709; range 1: video, 16 to 235).
"""

import tempfile
import unittest
from dataclasses import replace
from itertools import islice
from pathlib import Path
from unittest import mock

import av
import cv2
import numpy as np
import OpenEXR
import trimesh
from PIL import Image

from kilnchisel.core.build import lettering_laid, scene_of_job, view_of
from kilnchisel.core.colour import lab, srgb_decode
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.cameras import keep_place
from kilnchisel.core.job.crafts import Printed, Tube
from kilnchisel.core.job.edits import change, letter_change
from kilnchisel.core.job.fresh import added_content, fresh_job
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.motion import film as films
from kilnchisel.core.motion.film import write_film
from kilnchisel.core.motion.frames import axis_of, folder_of, frames_of, posed, turned
from kilnchisel.core.motion.graded import graded
from kilnchisel.core.motion.tracks import LOOPS, TRACKS, Film, moment
from tests.commands import called

SMALL = Film(seconds=0.4, fps=10, size=(96, 60))


def neon(*words):
    job = fresh_job("wall", words[0])
    items = [item for word in words for item in fresh_job("wall", word).letterings]
    items = [item.model_copy(update={"craft": Tube()}) for item in items]
    return job.model_copy(update={"letterings": tuple(items)})


def bright(now, place=0.5):
    """The brightness of each tube at a place along it, per cent; 0 of one that is off."""
    found = []
    for index, item in enumerate(now.job.letterings):
        share = 1.0 if now.along is None else float(now.along(index, np.array([place]))[0])
        found.append(item.craft.brightness * share if item.craft.lit else 0.0)
    return found


def area(mesh):
    return trimesh.Trimesh(mesh.points, mesh.faces, process=False).area


class Tracks(unittest.TestCase):
    def test_a_turntable_turns_the_piece_and_nothing_else_and_comes_round(self):
        job = fresh_job("mug", "TARN")
        film = Film(seconds=4, fps=5)
        turns = [moment(job, film, k).turn_deg for k in range(film.frames)]
        np.testing.assert_allclose(turns, 360 * np.arange(20) / 20)
        self.assertEqual(moment(job, film, 7).job, job)
        scene = scene_of_job(job)
        axis = axis_of(job, scene)
        # the mug turns about its own axis, though its handle has the middle of the whole aside of that
        np.testing.assert_allclose(axis, [0, 0], atol=1e-9)
        self.assertGreater(np.abs(scene.middle[:2]).max(), 2)
        van = fresh_job("van", "TARN")
        np.testing.assert_array_equal(axis_of(van, scene_of_job(van)), scene_of_job(van).middle[:2])
        quarter = turned(scene, 90.0, axis)
        self.assertIs(turned(scene, 360.0, axis), scene)
        middle = np.array([*axis, 0, 1])
        np.testing.assert_allclose(quarter.stance @ np.linalg.inv(scene.stance) @ middle, middle, atol=1e-9)
        # what looked to the front looks to the right
        way = quarter.stance[:3, :3] @ np.linalg.inv(scene.stance[:3, :3]) @ [0.0, -1.0, 0.0]
        np.testing.assert_allclose(way, [1.0, 0.0, 0.0], atol=1e-9)

    def test_the_end_of_a_loop_is_its_beginning(self):
        for name in LOOPS:
            job = neon("A", "B") if name in ("pulse", "on-off") else fresh_job("mug", "A")
            film = Film(track=name, seconds=2, fps=10)
            with self.subTest(track=name):
                first, after = (moment(job, film, k) for k in (0, film.frames))
                self.assertEqual(first.turn_deg % 360, after.turn_deg % 360)
                self.assertAlmostEqual(
                    first.job.setting.camera.turn_deg, after.job.setting.camera.turn_deg, delta=1e-6
                )
                self.assertAlmostEqual(
                    first.job.setting.light.turn_deg, after.job.setting.light.turn_deg, delta=1e-6
                )

    def test_ease_and_loop(self):
        job, film = neon("A"), Film(track="in-order", seconds=4, fps=10)
        middles = np.linspace(0, 1, 401)

        def lit(film, k):
            return float(moment(job, film, k).along(0, middles).mean())

        there = [lit(replace(film, loop=True), k) for k in range(41)]
        np.testing.assert_allclose(there, there[::-1], atol=1e-9)  # and back
        self.assertEqual((there[0], there[20]), (0.0, 1.0))
        self.assertLess(lit(replace(film, ease="soft"), 4), 0.6 * lit(film, 4))
        turns = [
            moment(fresh_job("mug", "A"), Film(seconds=2, fps=10, loop=False), k).turn_deg for k in (0, 19)
        ]
        self.assertEqual(turns, [0.0, 360.0])
        with self.assertRaises(KilnError):
            Film(ease="hard").checked()

    def test_the_camera_goes_from_place_to_place(self):
        job = keep_place(fresh_job("mug", "TARN"), "front", (160, 100))
        near = change(job, ("setting", "camera", "distance_mm"), 130.0)
        near = change(near, ("setting", "camera", "turn_deg"), -150.0)
        near = change(near, ("setting", "camera", "turn_deg"), 170.0)
        job = keep_place(near, "detail", (160, 100))
        film = Film(track="places", seconds=2, fps=10, places=("front", "detail"))
        first, middle, last = (moment(job, film, k).job.setting.camera for k in (0, 10, film.frames - 1))
        self.assertEqual(first, job.setting.places[0].camera)
        self.assertAlmostEqual(last.distance_mm, 130.0)
        self.assertAlmostEqual(last.turn_deg, 170.0)
        # near the half way it is at the geometric mean, and goes the short way round
        self.assertAlmostEqual(middle.distance_mm / np.sqrt(first.distance_mm * 130.0), 1, delta=0.12)
        # the lens goes from closed to a point to open, and is nowhere more open than at its end
        open_ = job
        for name, stop in (("closed", 0.0), ("open", 4.0)):
            open_ = keep_place(change(open_, ("setting", "camera", "f_number"), stop), name, (160, 100))
        film = replace(film, places=("closed", "open"))
        opened = [moment(open_, film, k).job.setting.camera.f_number for k in range(film.frames)]
        self.assertEqual((opened[0], opened[-1]), (0.0, 4.0))
        self.assertEqual([one for one in opened if one and one < 4.0], [])
        stops = [one for one in opened if one]
        self.assertEqual(stops, sorted(stops, reverse=True))
        with self.assertRaisesRegex(KilnError, "two places at least"):
            moment(job, Film(track="places", places=("front",)), 0)
        with self.assertRaisesRegex(KilnError, "no camera place"):
            moment(job, Film(track="places", places=("front", "nowhere")), 0)

    def test_neon_strikes_late_flickers_and_comes_to_its_brightness(self):
        job = neon("A", "B", "C")
        film = Film(track="start-up", seconds=6, fps=50, seed=3)
        run = np.array([bright(moment(job, film, k)) for k in range(film.frames)])
        run[run < 0.01] = 0.0  # far from the ends
        np.testing.assert_array_equal(run[0], 0)
        self.assertGreater(run[-1].min(), 95)
        starts = (run > 0).argmax(axis=0) / 50
        self.assertEqual(len(set(starts)), 3)  # each by itself
        self.assertTrue(((starts > 0.1) & (starts < 1.0)).all())
        switched = (np.diff((run > 0).astype(int), axis=0) != 0).sum(axis=0)
        self.assertGreater(switched.max(), 2)
        late = run[int(1.8 * 50) :]
        self.assertTrue((np.diff(late, axis=0) >= -1e-9).all() and (late > 0).all())
        again = [bright(moment(job, film, k)) for k in range(0, 100, 9)]
        np.testing.assert_allclose(run[0:100:9], again, atol=0.01)
        # its ends glow before it strikes, the middle does not
        early = [bright(moment(job, film, k), 0.0) for k in range(1, 6)]
        self.assertTrue((np.array(early) > 10).all() and (np.array(early) < 40).all())
        other = Film(track="start-up", seconds=6, fps=50, seed=4)
        self.assertFalse(np.array_equal(run[:60], [bright(moment(job, other, k)) for k in range(60)]))

    def test_light_flickers_runs_along_and_goes_off(self):
        job = neon("A", "B")
        for track, least, most in (("flicker", 0.0, 100.0), ("pulse", 20.0, 100.0), ("on-off", 0.0, 100.0)):
            film = Film(track=track, seconds=4, fps=25, seed=2)
            run = np.array([bright(moment(job, film, k)) for k in range(film.frames)])
            with self.subTest(track=track):
                self.assertAlmostEqual(run.max(), most, delta=1.0)
                self.assertLess(run.min(), least + 40)
        pulse = Film(track="pulse", seconds=4, fps=25)
        first, second = (np.array([bright(moment(job, pulse, k))[n] for k in range(100)]) for n in (0, 1))
        self.assertEqual((int(second.argmax()) - int(first.argmax())) % 100, 50)  # half a wave later
        # a box sign's face is lit from inside: it is one that shines, too
        sign = fresh_job("box sign", "A")
        whole = sign.blank.brightness
        for track in ("start-up", "flicker", "pulse", "on-off"):
            film = Film(track=track, seconds=4, fps=25, seed=2)
            run = [moment(sign, film, k).job.blank.brightness for k in range(film.frames)]
            with self.subTest(track=track):
                self.assertAlmostEqual(max(run), whole, delta=0.05 * whole)
                self.assertLess(min(run), 0.5 * whole)
        off = change(sign, ("blank", "brightness"), 0.0)
        with self.assertRaisesRegex(KilnError, "Nothing on it shines"):
            moment(off, Film(track="on-off"), 0)
        for track in ("start-up", "flicker", "pulse", "on-off"):
            with self.assertRaisesRegex(KilnError, "Nothing on it shines"):
                moment(fresh_job("mug", "A"), Film(track=track), 0)

    def test_a_pulse_runs_along_a_tube(self):
        film, places = Film(track="pulse", seconds=4, fps=25), np.linspace(0, 1, 41)
        brightest = [places[moment(neon("A"), film, k).along(0, places).argmax()] for k in range(2, 98)]
        self.assertTrue((np.diff(brightest) >= 0).all())
        np.testing.assert_allclose(brightest, np.arange(2, 98) / 100, atol=0.02)

    def test_letters_appear_one_after_the_other_where_they_stand(self):
        job = fresh_job("mug", "AB CD")
        job = added_content(job, job.letterings[0].content.model_copy(update={"text": "EF"}))
        film = Film(track="in-order", seconds=3, fps=10)

        def shown(k):
            return [
                sum(letter.hidden is False for letter in letters_of(item)) if not item.hidden else 0
                for item in moment(job, film, k).job.letterings
            ]

        def letters_of(item):
            content = item.content
            return [letter_change(content, at) for at, c in enumerate(content.text) if c != " "]

        run = [shown(k) for k in range(film.frames)]
        self.assertEqual((run[0], run[-1]), ([0, 0], [4, 2]))
        totals = [sum(counts) for counts in run]
        self.assertEqual((totals, sorted(set(totals))), (sorted(totals), list(range(7))))
        self.assertEqual(totals[-10:], [6] * 10)
        self.assertTrue(all(second == 0 or first == 4 for first, second in run))
        # what is there is where it will be
        half = next(moment(job, film, k).job for k in range(film.frames) if run[k] == [3, 0])
        whole, part = (lettering_laid(one, 0).ink for one in (job, half))
        self.assertLess(part.difference(whole.buffer(1e-6)).area, 1e-6)
        self.assertGreater(part.area, 0.5 * whole.area)
        self.assertGreater(part.bounds[2] + 1.0, part.bounds[0])

    def test_tubes_light_up_along_their_length(self):
        film, places = Film(track="in-order", seconds=3, fps=10), np.linspace(0, 1, 41)
        job = neon("A", "B")
        lit = [sum(float(moment(job, film, k).along(n, places).mean()) for n in (0, 1)) for k in range(30)]
        self.assertEqual((lit[0], round(lit[-1], 6)), (0.0, 2.0))
        self.assertTrue((np.diff(lit) >= -1e-9).all())
        np.testing.assert_allclose(lit[:20], np.arange(20) / 29 * 1.5 * 2, atol=0.06)

    def test_glass_and_light_of_a_tube_are_as_bright_as_it_is_along_it(self):
        scene = scene_of_job(neon("I"))
        half = graded(scene, lambda index, places: (places < 0.5).astype(float))
        dark = half.lamps.radiance.sum(axis=1) == 0
        np.testing.assert_array_equal(dark, half.lamps.along.mean(axis=1) >= 0.5)
        long = [
            np.linalg.norm(lamps.end - lamps.start, axis=1).sum() for lamps in (scene.lamps, half.lamps)
        ]
        self.assertAlmostEqual(long[0], long[1], places=6)
        lit = np.linalg.norm(half.lamps.end - half.lamps.start, axis=1)[~dark].sum() / long[1]
        tubes = [item for item in half.items if item.material.shines]
        (whole,) = (item for item in scene.items if item.material.shines)
        self.assertEqual(sum(len(item.mesh.faces) for item in tubes), len(whole.mesh.faces))
        areas = [area(item.mesh) for item in tubes]
        total = area(whole.mesh)
        self.assertAlmostEqual(sum(areas) / total, 1.0)
        bright_share = areas[int(np.argmax([max(item.material.emission) for item in tubes]))] / total
        self.assertAlmostEqual(bright_share, lit, delta=0.06)
        same = graded(scene, lambda index, places: np.ones(len(places)))
        self.assertTrue(all(a is b for a, b in zip(same.items, scene.items, strict=True)))

    def test_what_cannot_be_is_a_sentence(self):
        for film in (
            Film(track="dance"),
            Film(seconds=0.0),
            Film(seconds=9999),
            Film(fps=0),
            Film(size=(8, 8)),
            Film(frames_as="bmp"),
            Film(frames_as="exr"),
            Film(clear=True),
        ):
            with self.assertRaises(KilnError):
                film.checked()
        with self.assertRaisesRegex(KilnError, "swing"):
            moment(neon("A"), Film(), 0)
        self.assertEqual(len(TRACKS), 9)

    def test_it_does_not_swing_behind_the_wall_that_a_sign_hangs_on(self):
        job = change(fresh_job("board", "A"), ("setting", "camera", "turn_deg"), 70.0)
        film = Film(track="swing")
        turns = [moment(job, film, n).job.setting.camera.turn_deg for n in range(film.frames)]
        self.assertEqual(max(turns), 86.0)
        self.assertAlmostEqual(min(turns), 35.0, delta=0.3)

    def test_a_sweep_stays_where_it_is_while_the_camera_goes_past_it(self):
        job = fitted(fresh_job("mug", "A"), "white sweep")
        job = change(job, ("setting", "camera", "turn_deg"), 75.0)
        film = Film(track="swing", seconds=1, fps=12)
        sides = set()
        for turn in (75.0, -105.0):  # from before it, and from behind it
            job = change(job, ("setting", "camera", "turn_deg"), turn)
            for frame in range(film.frames):
                now = moment(job, film, frame)
                shown = posed(now, scene_of_job(now.job, detail=Detail.ROUGH))
                sides.add((turn, shown.seen_in(view_of(now.job, 1.6)).base.turned))
            walked = [moment(job, film, frame).job.setting.camera.turn_deg for frame in range(film.frames)]
            self.assertGreater(max(abs(one) for one in walked), 90)
            self.assertLess(min(abs(one) for one in walked), 90)
        self.assertEqual(sides, {(75.0, False), (-105.0, True)})
        # a picture has it behind the piece, wherever it is taken from
        beside = change(job, ("setting", "camera", "turn_deg"), 100.0)
        self.assertTrue(scene_of_job(beside).seen_in(view_of(beside, 1.6)).base.turned)


class Frames(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.job = change(fresh_job("mug", "TARN"), ("letterings", 0, "craft"), Printed())

    def test_a_film_that_was_stopped_goes_on_where_it_was(self):
        made = []
        stopped = list(frames_of(self.job, SMALL, self.folder, lambda: len(made) >= 2, made.append))
        self.assertEqual(len(stopped), 2)
        with mock.patch("kilnchisel.core.motion.frames.moment", side_effect=moment) as asked:
            whole = list(frames_of(self.job, SMALL, self.folder))
        self.assertEqual([call.args[2] for call in asked.call_args_list], [2, 3])
        np.testing.assert_array_equal(whole[1], stopped[1])
        # one that was cut short by a crash is made again
        (self.folder / "00001.png").write_bytes((self.folder / "00001.png").read_bytes()[:200])
        np.testing.assert_array_equal(list(frames_of(self.job, SMALL, self.folder))[1], whole[1])
        self.assertGreater(np.abs(whole[0].astype(int) - whole[2]).max(), 60)  # it has turned
        self.assertNotEqual(folder_of(self.job, SMALL), folder_of(self.job, Film(seconds=0.5)))

    def test_what_stands_still_does_not_boil(self):
        film = Film(seconds=6, fps=25, size=(120, 80), samples=8)
        first, second = islice(frames_of(self.job, film, self.folder), 2)
        corner = np.s_[:24, :40]  # the ground behind, which the piece's turning hardly lights
        one, other = (lab(srgb_decode(picture[corner] / 255)) for picture in (first, second))
        off = np.linalg.norm(one - other, axis=-1)
        self.assertLess(float(off.mean()), 0.5)
        self.assertGreater(np.abs(first.astype(int) - second).max(), 20)  # by 2.4 degrees


class FramesAsFiles(unittest.TestCase):
    def test_exr_and_clear_frames_in_a_folder(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        job = fresh_job("mug", "A")
        for form, read in (("exr", self.of_exr), ("png", self.of_png)):
            film = Film(seconds=0.2, fps=10, size=(64, 48), samples=2, frames_as=form, clear=True)
            with self.subTest(form=form):
                self.assertTrue(write_film(job, film, folder / form))
                first, second = sorted((folder / form).iterdir())
                self.assertEqual((first.name, second.name), (f"00001.{form}", f"00002.{form}"))
                alpha = read(first)
                self.assertEqual(alpha.shape, (48, 64))
                self.assertLess(alpha[0, 0], 0.05)
                self.assertGreater(alpha[24, 32], 0.95)
        with self.assertRaisesRegex(KilnError, "frames in a folder"):
            write_film(job, film, folder / "a.mp4")
        (folder / "png" / "00003.png").write_bytes(b"of a longer film")
        with self.assertRaisesRegex(KilnError, r"frames of a longer film \(00003\.png\)"):
            write_film(job, film, folder / "png")

    def of_exr(self, path):
        with OpenEXR.File(str(path)) as opened:
            channels = opened.channels()
            pixels = channels["RGBA"].pixels if "RGBA" in channels else channels["A"].pixels
            return pixels[..., 3] if pixels.ndim == 3 else pixels

    def of_png(self, path):
        with Image.open(path) as opened:
            return np.asarray(opened)[..., 3] / 255


class Files(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.job = fresh_job("mug", "TARN")
        rng = np.random.default_rng(1)
        self.colours = rng.integers(20, 236, (8, 3)).astype(np.uint8)
        plain = [np.broadcast_to(colour, (64, 98, 3)).copy() for colour in self.colours]
        patch = mock.patch.object(films, "frames_of", side_effect=lambda *_: iter(plain))
        patch.start()
        self.addCleanup(patch.stop)
        self.film = Film(seconds=0.8, fps=10, size=(98, 64))

    def test_films_are_read_back_with_their_frames_rate_size_and_colours(self):
        for ending, name in ((".mp4", "h264"), (".webm", "vp9")):
            with self.subTest(ending=ending):
                path = self.folder / f"film{ending}"
                self.assertTrue(write_film(self.job, self.film, path))
                seen = cv2.VideoCapture(str(path))
                self.assertAlmostEqual(seen.get(cv2.CAP_PROP_FPS), 10.0)
                frames = []
                while (read := seen.read())[0]:
                    frames.append(read[1][..., ::-1])
                self.assertEqual((len(frames), frames[0].shape), (8, (64, 98, 3)))
                for frame, colour in zip(frames, self.colours, strict=True):
                    np.testing.assert_allclose(
                        frame[20:40, 30:60].reshape(-1, 3).mean(axis=0), colour, atol=4
                    )
                with av.open(str(path)) as told:
                    context = told.streams.video[0].codec_context
                    self.assertEqual(context.name, name)
                    self.assertEqual((int(context.colorspace), int(context.color_range)), (1, 1))
                    self.assertEqual((int(context.color_primaries), int(context.color_trc)), (1, 1))

    def test_animations_and_folders(self):
        for ending in (".webp", ".gif"):
            path = self.folder / f"film{ending}"
            self.assertTrue(write_film(self.job, self.film, path))
            with Image.open(path) as opened:
                total = 0
                for number in range(opened.n_frames):
                    opened.seek(number)
                    opened.load()
                    total += opened.info["duration"]
                    found = np.asarray(opened.convert("RGB"))[32, 49].astype(int)
                    np.testing.assert_allclose(found, self.colours[number], atol=12)
                self.assertEqual((opened.n_frames, opened.size, total), (8, (98, 64), 800))
                self.assertEqual(opened.info.get("loop", 0), 0)

    def test_nothing_is_written_where_it_is_stopped_or_not_known(self):
        path = self.folder / "film.mp4"
        with mock.patch.object(
            films, "frames_of", side_effect=lambda *_: iter([np.zeros((64, 98, 3), np.uint8)])
        ):
            self.assertFalse(write_film(self.job, self.film, path))
        self.assertFalse(path.exists())
        with self.assertRaisesRegex(KilnError, "should end in"):
            write_film(self.job, self.film, self.folder / "film.avi")


class ByTheCommandLine(unittest.TestCase):
    def test_a_folder_of_frames(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        job = str(folder / "a.kcj")
        called("new", "mug", "-o", job, "--text", "TARN")
        small = ("--seconds", "0.3", "--fps", "10", "--size", "96x60", "--draft")
        code, _, error = called("motion", job, "-o", folder / "frames", *small)
        self.assertEqual((code, error), (0, ""))
        self.assertEqual(
            sorted(one.name for one in (folder / "frames").iterdir()),
            ["00001.png", "00002.png", "00003.png"],
        )
        for more in (("--track", "dance"), ("--track", "start-up"), ("--samples", "0")):
            code, _, error = called("motion", job, "-o", folder / "x.mp4", *small[:-1], *more)
            self.assertEqual((code, error.count("\n")), (2, 1))


if __name__ == "__main__":
    unittest.main()
