"""Photos taken in: every kind of file, what cannot be used, the command line, masks, the job file."""

import io
import json
import tempfile
import unittest
from pathlib import Path
from unittest import mock

import cv2
import numpy as np
import OpenEXR
from PIL import Image

from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.meshes import mesh_bytes
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job.assets import forget, keep_asset
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.photo import Brush, Horizon
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.photo.cleared import shown_pixels, shown_whole
from kilnchisel.core.photo.marks import beginning
from kilnchisel.core.photo.masks import grown, guided, kept_mask, mask_of_file, mask_pixels
from kilnchisel.core.photo.reading import photo_pixels, photo_taken, record_of, whole_pixels
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.ownplace import exr_of
from kilnchisel.core.scene.photojob import in_photo, out_of_photo, taken_in
from kilnchisel.core.scene.photolight import light_levels, sun_by_shadow, surroundings, touched
from tests.commands import called

SIZE = (240, 160)


def picture(size=SIZE):
    """Sky above, lawn below, a post in front."""
    pixels = np.empty((size[1], size[0], 3), np.uint8)
    pixels[: size[1] // 2], pixels[size[1] // 2 :] = (150, 180, 220), (70, 110, 50)
    pixels[size[1] // 4 : -10, size[0] // 2 : size[0] // 2 + 20] = (120, 70, 40)
    noise = np.random.default_rng(1).normal(0, 2, pixels.shape)
    return np.clip(pixels + noise, 0, 255).astype(np.uint8)


LAWN = Horizon(line=((0.0, 80.0), (240.0, 80.0)), below=(120.0, 130.0), eye_mm=1600)


class InAFolder(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def file(self, name="lawn.png", image=None, **how):
        path = self.folder / name
        (image or Image.fromarray(picture())).save(path, **how)
        return path

    def photo(self):
        return taken_in(photo_taken(self.file()), LAWN)


class Read(InAFolder):
    def test_every_kind_of_file(self):
        import pillow_heif

        pillow_heif.register_heif_opener()
        plain = Image.fromarray(picture())
        grey16 = Image.fromarray(np.linspace(0, 65535, 240 * 160).reshape(160, 240).astype(np.uint16))
        for name, image in (
            ("a.jpg", plain),
            ("a.png", plain),
            ("a.tif", plain),
            ("a.webp", plain),
            ("a.heic", plain),
            ("cmyk.jpg", plain.convert("CMYK")),
            ("grey.png", plain.convert("L")),
            ("paletted.png", plain.convert("P")),
            ("clear.png", plain.convert("RGBA")),
            ("deep.png", grey16),
        ):
            with self.subTest(name):
                taken = photo_taken(self.file(name, image))
                self.assertEqual(taken.size, SIZE)
                pixels = photo_pixels(taken.sha256)
                self.assertEqual((pixels.shape, pixels.dtype), ((160, 240, 3), np.uint8))
                if "a." in name:
                    self.assertLess(np.abs(pixels.astype(int) - picture()).mean(), 4)
        self.assertGreater(float(pixels[-1].mean()), 250)

    def test_an_animated_one_is_its_first_picture(self):
        first, second = Image.fromarray(picture()), Image.new("RGB", SIZE, "red")
        path = self.folder / "moves.webp"
        first.save(path, save_all=True, append_images=[second], lossless=True)
        taken = photo_taken(path)
        np.testing.assert_array_equal(photo_pixels(taken.sha256), picture())

    def test_light_of_an_exr(self):
        path = self.folder / "light.exr"
        path.write_bytes(exr_of(np.full((64, 128, 3), 0.5, np.float16)))
        taken = photo_taken(path)
        self.assertEqual(taken.size, (128, 64))
        self.assertEqual(int(photo_pixels(taken.sha256)[3, 3, 1]), 188)  # IEC 61966-2-1: 0.5 is 187.5

    def test_turned_as_it_was_held_and_the_lens_of_its_record(self):
        record = Image.Exif()
        record[0x0112] = 6  # turned to the right
        record.get_ifd(0x8769)[0xA405] = 35
        path = self.file("turned.jpg", Image.fromarray(picture()), exif=record)
        taken = photo_taken(path)
        self.assertEqual((taken.size, taken.lens_mm), ((160, 240), 35.0))
        self.assertEqual(photo_pixels(taken.sha256).shape, (240, 160, 3))

    def test_a_large_one_is_worked_at_a_smaller_size_and_read_whole_for_the_result(self):
        taken = photo_taken(self.file("large.jpg", Image.new("RGB", (4100, 3000), "#336699")))
        self.assertEqual(max(photo_pixels(taken.sha256).shape), 2048)
        self.assertEqual(whole_pixels(taken.sha256).shape, (3000, 4100, 3))

    def test_what_cannot_be_used_is_a_sentence(self):
        whole = io.BytesIO()
        Image.fromarray(picture()).save(whole, "JPEG")
        cut = self.folder / "cut.jpg"
        cut.write_bytes(whole.getvalue()[:900])
        words = self.folder / "words.txt"
        words.write_text("no photo")
        named = self.folder / "named.jpg"
        named.write_text("no photo either")
        for path, says in (
            (cut, "damaged, cut short"),
            (words, "no photograph that can be read"),
            (named, "damaged, cut short"),
            (self.folder / "nowhere.jpg", "nowhere.jpg"),
            (self.file("small.png", Image.new("RGB", (8, 9))), "it takes 16"),
        ):
            with self.subTest(path.name), self.assertRaisesRegex(KilnError, says):
                photo_taken(path)

    def test_the_narrowest_and_the_widest_can_begin(self):
        for size in ((16, 6000), (6000, 16)):
            for kind in ("rectangle", "lines", "rims", "horizon"):
                self.assertEqual(beginning(kind, size).kind, kind)
        data = io.BytesIO()
        Image.new("1", (70_000, 20)).save(data, "PNG")
        with self.assertRaisesRegex(KilnError, "65535 at most"):
            record_of(data.getvalue(), "wide.png")

    def test_a_giant_is_refused_by_its_head(self):
        data = io.BytesIO()
        Image.new("1", (12_000, 9000)).save(data, "PNG")
        with self.assertRaisesRegex(KilnError, "100 million"):
            record_of(data.getvalue(), "giant.png")


class InThePhoto(InAFolder):
    def test_in_and_out_and_through_a_file(self):
        job = in_photo(fresh_job("plaque", "AB"), self.photo())
        self.assertEqual(job.setting.light.room.exposed, True)
        path = self.folder / "job.kcj"
        save_packed(job, path)
        for digest in (job.setting.photo.sha256, job.setting.light.room.sha256):
            forget(digest)  # it is the file that holds it
        again = open_job(path)
        again = getattr(again, "job", again)
        self.assertEqual(again, job)
        self.assertIsNotNone(scene_of_job(again).photo)
        self.assertIsNone(out_of_photo(job).setting.photo)
        self.assertIsNone(fitted(job, "white sweep").setting.photo)

    def test_where_the_tracer_cannot_part_it_that_is_a_sentence(self):
        job = in_photo(fresh_job("plaque", "AB"), self.photo())
        mockup = Mockup(scene_of_job(job))
        with (
            mock.patch.object(mockup.traced, "_wide", False),
            self.assertRaisesRegex(KilnError, "cannot put a piece into a photo"),
        ):
            next(mockup.refine(view_of(job), (60, 40), 1))

    def test_a_photo_that_is_lost_is_told(self):
        job = in_photo(fresh_job("plaque", "AB"), self.photo())
        lost = job.setting.photo.model_copy(update={"sha256": "0" * 64, "name": "gone.jpg"})
        with self.assertRaisesRegex(KilnError, "gone.jpg is not in this job any more"):
            scene_of_job(change(job, ("setting", "photo"), lost))

    def test_the_photo_fits_whole_into_pictures_of_any_shape(self):
        job = in_photo(fresh_job("plaque", "AB"), self.photo())
        spot = np.array([[50.0, 0.0, 20.0]])
        own = view_of(job, 1.5).project(spot, (300, 200))[0, :2] / (300, 200)
        for size in ((400, 200), (150, 200)):
            left, top, wide, tall = scene_of_job(job).photo.box(size)
            self.assertAlmostEqual(wide / tall, 1.5)
            at = view_of(job, size[0] / size[1]).project(spot, size)[0, :2]
            np.testing.assert_allclose((at - (left, top)) / (wide, tall), own, atol=1e-9)

    def test_its_light_stays_where_it_is_when_the_piece_is_turned(self):
        job = in_photo(fresh_job("mug", "AB"), self.photo())
        turned = change(job, ("setting", "photo", "turn_deg"), 40.0)
        way = np.array([[0.3, -0.8, 0.5]])
        c, s = np.cos(np.radians(-40)), np.sin(np.radians(-40))
        there = way @ np.array([[c, s, 0], [-s, c, 0], [0, 0, 1]])
        np.testing.assert_allclose(
            scene_of_job(turned).room.seen(there), scene_of_job(job).room.seen(way), rtol=0.02
        )


class ItsLight(InAFolder):
    def test_what_is_seen_ahead_is_what_the_photo_shows(self):
        from kilnchisel.core.photo.camera import stood_for
        from kilnchisel.core.scene.light import look_up

        stood = stood_for(self.photo())
        around = surroundings(picture(), stood)
        for spot, shown in (((40.0, 20.0), (150, 180, 220)), ((200.0, 140.0), (70, 110, 50))):
            light = look_up(around, stood.rays(np.array([spot])))[0]
            wanted = (np.array(shown) / 255) ** 2.2
            np.testing.assert_allclose(light, wanted, rtol=0.35)

    def test_strengths_by_something_white_in_the_sun_and_in_the_shade(self):
        pixels = np.full((40, 60, 3), 90, np.uint8)
        pixels[:, 30:] = 230
        seen = touched(pixels, (60, 40), (45.0, 20.0), (10.0, 20.0), np.array([0.0, 0.0, 1.0]))
        room = np.full((128, 256, 3), 0.1)
        light = light_levels(room, (-30.0, 45.0), seen)
        # common practice: white paint returns 0.8 of what falls on it
        self.assertAlmostEqual(light.strength, 100 * float(seen.shady[1]) / 0.8 / 0.1, delta=1.0)
        missing = float(seen.sunny[1] - seen.shady[1]) / 0.8 / np.sin(np.radians(45))
        self.assertAlmostEqual(light.lamps[0].strength, 100 * missing, delta=2.0)

    def test_points_that_tell_nothing_are_refused(self):
        photo = self.photo()
        with self.assertRaisesRegex(KilnError, "on the ground"):
            sun_by_shadow(photo, (100.0, 20.0), (120.0, 130.0))
        with self.assertRaisesRegex(KilnError, "too short"):
            sun_by_shadow(photo, (100.0, 130.0), (100.0, 130.0))
        with self.assertRaisesRegex(KilnError, "above the foot"):
            sun_by_shadow(photo, (100.0, 130.0), (120.0, 130.0), (100.0, 150.0))
        with self.assertRaisesRegex(KilnError, "outside"):
            touched(picture(), SIZE, (500.0, 2.0), (3.0, 3.0), np.array([0, 0, 1.0]))


class Masks(InAFolder):
    def test_grown_from_two_strokes_to_the_edges_of_what_they_are_on(self):
        """Against the truth: leaves of one colour before a meadow, rounds and hairs."""
        rng = np.random.default_rng(4)
        height, width = 400, 600
        y, x = np.mgrid[:height, :width]
        truth = np.hypot(x - 220, y - 210) < 120
        for angle in np.linspace(0, 6, 9):
            truth |= np.hypot(x - 220 - 130 * np.cos(angle), y - 210 - 130 * np.sin(angle)) < 26
        tones = np.where(truth[..., None], (60, 90, 40), (175, 165, 120))
        pixels = np.clip(tones + rng.normal(0, 9, (height, width, 3)), 0, 255).astype(np.uint8)
        strokes = (
            Brush(points=((150.0, 200.0), (290.0, 230.0)), wide_px=16),
            Brush(points=((40.0, 30.0), (560.0, 40.0), (560.0, 370.0)), wide_px=16, before=False),
        )
        found = grown(pixels, strokes, (width, height)) > 0.5
        self.assertGreater((found & truth).sum() / (found | truth).sum(), 0.97)
        with self.assertRaisesRegex(KilnError, "one on what does not"):
            grown(pixels, strokes[:1], (width, height))

    def test_the_guided_filter_is_the_linear_fit_of_every_window(self):
        """By its definition: least squares with a ridge in each window, and the mean of all that meet."""
        rng = np.random.default_rng(6)
        guide, values, radius, ridge = rng.random((15, 17, 3)), rng.random((15, 17)), 2, 0.01
        found = guided(guide.astype(np.float32), values.astype(np.float32), radius, ridge)
        fits = {}
        for y in range(radius, 15 - radius):
            for x in range(radius, 17 - radius):
                window = np.s_[y - radius : y + radius + 1, x - radius : x + radius + 1]
                rows = guide[window].reshape(-1, 3)
                middle, level = rows.mean(axis=0), values[window].mean()
                spread = (rows - middle).T @ (rows - middle) / len(rows) + ridge * np.eye(3)
                slope = np.linalg.solve(
                    spread, (rows - middle).T @ (values[window].ravel() - level) / len(rows)
                )
                fits[y, x] = slope, level - slope @ middle
        y, x = 7, 8  # far enough from every border
        about = [fits[y + dy, x + dx] for dy in range(-2, 3) for dx in range(-2, 3)]
        wanted = np.mean([slope for slope, _ in about], axis=0) @ guide[y, x] + np.mean(
            [b for _, b in about]
        )
        self.assertAlmostEqual(float(found[y, x]), float(wanted), places=5)

    def test_from_a_file_and_kept(self):
        amount = np.zeros((160, 240))
        amount[:, 100:140] = 1.0
        path = self.folder / "mask.png"
        Image.fromarray((amount * 255).astype(np.uint8)).save(path)
        mask = mask_of_file(path, SIZE)
        np.testing.assert_array_equal(mask_pixels(mask), amount * 255)
        for made, says in ((np.ones((9, 9)), "covers all"), (np.zeros((9, 9)), "covers nothing")):
            with self.assertRaisesRegex(KilnError, says):
                kept_mask(made, "x")
        with self.assertRaisesRegex(KilnError, "another shape"):
            mask_of_file(path, (100, 100))


class TheSolid(InAFolder):
    def test_of_lettering_on_a_wall_of_the_photo_it_is_the_whole_piece(self):
        job = fresh_job("plaque", "IT")
        told = beginning("rectangle", SIZE)
        there = in_photo(job, taken_in(photo_taken(self.file()), told, shown="lettering"))
        for ending in (".glb", ".stl", ".obj"):
            with self.subTest(ending):
                path = Path(f"piece{ending}")
                self.assertEqual(mesh_bytes(there, path), mesh_bytes(job, path))


class OnTheCommandLine(InAFolder):
    def setUp(self):
        super().setUp()
        self.job, self.made = self.folder / "a.kcj", self.folder / "b.kcj"
        self.picture = self.file()
        self.assertEqual(called("new", "plaque", "-o", self.job)[0], 0)

    def photo_command(self, *more):
        return called("photo", self.job, "--picture", self.picture, "-o", self.made, *more)

    def test_every_way_of_telling_where_the_camera_stood(self):
        corners = "60,140 180,150 170,60 70,70"
        lines = ["--lines", "along", "10,20", "200,30", "--lines", "along", "10,150", "200,130"]
        lines += ["--lines", "upright", "20,10", "25,150", "--lines", "upright", "220,10", "210,150"]
        for way in (
            ["--rectangle", corners, "--width", "900mm", "--height", "60cm"],
            ["--rectangle", corners, "--width", "900", "--height", "600", "--on", "ground", "--lens", "35"],
            [*lines, "--measured", "along", "50,80", "150,82", "--length", "1.2m"],
            ["--ellipse", "120,60 40,12 0", "120,120 36,14", "--diameter", "82mm", "--height", "95mm"],
            ["--horizon", "0,80 240,80", "--below", "120,130", "--eye", "1.7m", "--only-lettering"],
        ):
            with self.subTest(way[0]):
                status, said, errors = self.photo_command(*way, "--json")
                self.assertEqual((status, errors), (0, ""))
                self.assertIn("lens_mm", json.loads(said))
                self.assertIsNotNone(_job(self.made).setting.photo)

    def test_light_place_and_mask(self):
        mask = self.folder / "mask.png"
        Image.fromarray((picture()[..., 0] > 140).astype(np.uint8) * 255).save(mask)
        status, said, errors = self.photo_command(
            *("--horizon", "0,80 240,80", "--below", "120,130", "--sun", "120,150 160,145 120,40"),
            *("--white", "30,20 200,150", "--behind", mask, "--beside=-30mm", "--turn", "15°"),
        )
        self.assertEqual((status, errors), (0, ""))
        self.assertIn("Lens 28 mm (by a usual lens)", said)
        setting = _job(self.made).setting
        self.assertEqual((setting.photo.beside_mm, setting.photo.turn_deg), (-30.0, 15.0))
        self.assertEqual(setting.light.lamps[0].kind, "sun")
        self.assertIsNotNone(setting.photo.before)
        # its picture is as large as the photo
        target = self.folder / "b.png"
        self.assertEqual(called("picture", self.made, "-o", target, "--draft")[0], 0)
        with Image.open(target) as made:
            self.assertEqual(made.size, SIZE)
        status, _, errors = called("picture", self.made, "-o", target, "--draft", "--afar", "30m")
        self.assertEqual((status, "seen from where that was taken" in errors), (2, True))
        self.assertEqual(called("photo", self.made, "--out", "-o", self.made)[0], 0)
        self.assertIsNone(_job(self.made).setting.photo)

    def test_what_is_taken_away_by_a_mask_or_a_stroke(self):
        place = ("--horizon", "0,80 240,80", "--below", "120,130")
        mask = self.folder / "mask.png"
        marked = np.zeros(SIZE[::-1], np.uint8)
        marked[60:90, 100:140] = 255
        Image.fromarray(marked).save(mask)
        for more in (("--fill", mask), ("--take-away", "100,75 140,75", "--brush", "30")):
            status, _, errors = self.photo_command(*place, *more)
            self.assertEqual((status, errors), (0, ""))
            photo = _job(self.made).setting.photo
            # it goes on in the job's file, without what was kept here
            with mock.patch.dict("kilnchisel.core.job.assets._held", clear=True):
                forget(photo.cleared.sha256)
                photo = _job(self.made).setting.photo
                shown, whole = shown_pixels(photo), shown_whole(photo)
            np.testing.assert_array_equal(shown, whole)
            changed = (shown != photo_pixels(photo.sha256, photo.name)).any(axis=2)
            rows, columns = np.nonzero(changed)
            self.assertGreaterEqual((rows.min(), columns.min()), (60, 84))
            self.assertLess((rows.max(), columns.max()), (91, 157))
        for more, says in (
            (("--fill", mask, "--take-away", "1,1 2,2"), "by one of these"),
            (("--take-away", "0,80 240,80", "--brush", "150"), "at most 30 % can be taken away"),
            (("--take-away", "-500,-80 -400,-80"), "Nothing of the photo is marked"),
        ):
            status, _, errors = self.photo_command(*place, *more)
            self.assertEqual((status, says in errors), (2, True), errors)

    def test_ground_shaped_by_heights(self):
        self.assertEqual(called("new", "bank", "-o", self.job)[0], 0)
        place = ("--horizon", "0,80 240,80", "--below", "120,130", "--only-lettering")
        status, _, errors = self.photo_command(*place, "--ground", "0 12cm -300mm", "--ground", "0 0 0")
        self.assertEqual((status, errors), (0, ""))
        self.assertEqual(_job(self.made).blank.heights, ((0, 120, -300), (0, 0, 0)))
        self.assertEqual(self.photo_command(*place, "--ground", "5cm 0")[0], 0)
        self.assertEqual(_job(self.made).blank.heights, ((50, 0), (50, 0)))
        for more, says in (
            (("--ground", "0 1", "--ground", "0 1 2"), "each of as many places"),
            (("--ground", "0 far"), "is not a length"),
            (("--ground", "0 99m"), "Heights"),
        ):
            status, _, errors = self.photo_command(*place, *more)
            self.assertEqual((status, says in errors), (2, True), errors)
        self.assertEqual(called("new", "plaque", "-o", self.job)[0], 0)
        status, _, errors = self.photo_command(*place, "--ground", "0 1")
        self.assertIn("Only the ground of a bank", errors)

    def test_a_photo_that_is_referred_to(self):
        place = ("--horizon", "0,80 240,80", "--below", "120,130")
        self.assertEqual(self.photo_command(*place)[0], 0)
        held = self.made.stat().st_size
        self.assertEqual(self.photo_command(*place, "--refer")[0], 0)
        self.assertLess(self.made.stat().st_size, held - self.picture.stat().st_size // 2)
        photo = _job(self.made).setting.photo
        self.assertEqual(photo.path, str(self.picture.resolve()))

        def opened(path):
            """The photo's pixels where nothing of it is known yet."""
            forget(photo.sha256)
            return photo_pixels.__wrapped__(_job(path).setting.photo.sha256, "lawn.png")

        np.testing.assert_array_equal(opened(self.made), picture())
        # moved with its job to another folder it is found there
        other = self.folder / "elsewhere"
        other.mkdir()
        self.picture.rename(other / self.picture.name)
        self.made.rename(other / "b.kcj")
        np.testing.assert_array_equal(opened(other / "b.kcj"), picture())
        (other / self.picture.name).write_bytes(b"another")
        with self.assertRaisesRegex(KilnError, "lawn.png"):
            opened(other / "b.kcj")
        self.assertEqual(_job(other / "b.kcj").setting.photo.name, "lawn.png")  # the job still opens

    def test_lettering_on_cloth(self):
        place = ("--rectangle", "60,140 180,150 170,60 70,70", "--width", "30cm", "--height", "20cm")
        folds = ("--folds", "4cm", "--fold-light", "30°", "--fold-depth", "80", "--pull", "90,90 95,99")
        status, _, errors = self.photo_command(*place, *folds)
        self.assertEqual((status, errors), (0, ""))
        photo = _job(self.made).setting.photo
        self.assertEqual((photo.shown, photo.folds.wide_mm, photo.folds.light_deg), ("lettering", 40, 30))
        self.assertEqual((photo.folds.deep, photo.folds.pulls[0].to), (80, (95, 99)))
        target = self.folder / "b.png"
        self.assertEqual(called("picture", self.made, "-o", target, "--draft")[0], 0)
        for more, says in (
            (("--pull", "1,1 2,2"), "--folds 60mm"),
            (("--folds", "0.1mm"), "Wide 0.1 mm is too small"),
            (("--folds", "4cm", "--fold-depth", "900"), "Deep 900"),
        ):
            status, _, errors = self.photo_command(*place, *more)
            self.assertEqual((status, says in errors), (2, True), errors)

    def test_what_is_kept_of_it_and_does_not_fit_is_told(self):
        self.photo_command("--horizon", "0,80 240,80", "--below", "120,130", "--take-away", "100,75 140,75")
        photo = _job(self.made).setting.photo
        for data in (
            b"no picture",
            _png(np.zeros((20, 30, 3), np.uint8)),
            _png(np.zeros((20, 30, 3), np.uint16)),
        ):
            kept = keep_asset(data, "x")
            other = photo.model_copy(update={"cleared": photo.cleared.model_copy(update={"sha256": kept})})
            with self.assertRaisesRegex(KilnError, "mark it again"):
                shown_pixels(other)

    def test_the_record_goes_on_without_place_and_numbers(self):
        record = Image.Exif()
        record[0x010F], record[0x0112] = "Tarn Optics", 3
        camera, place = record.get_ifd(0x8769), record.get_ifd(0x8825)
        camera[0xA405], camera[0xA431], camera[0x9003] = 35, "SN 123456", "2026:01:02 03:04:05"
        place[1], place[2] = "N", (51.0, 2.0, 3.0)
        self.picture = self.file("held.jpg", exif=record)
        status, said, _ = self.photo_command("--horizon", "0,80 240,80", "--below", "120,130")
        self.assertIn("Lens 35 mm (by the photo's record)", said)
        for target, more, numbers in (("a.jpg", (), False), ("b.webp", ("--whole-record",), True)):
            path = self.folder / target
            status, _, said = called("picture", self.made, "-o", path, "--draft", *more)
            self.assertEqual((status, "but for its place and its numbers" in said), (0, not numbers))
            with Image.open(path) as made:
                kept = made.getexif()
                own = kept.get_ifd(0x8769)
                self.assertEqual((kept[0x010F], kept.get(0x0112)), ("Tarn Optics", None))
                self.assertEqual((own[0xA405], own[0x9003]), (35, "2026:01:02 03:04:05"))
                self.assertEqual(0xA431 in own, numbers)
                self.assertEqual(bool(kept.get_ifd(0x8825)), numbers)
                self.assertEqual(made.size, SIZE)

    def test_the_layers_of_an_exr(self):
        self.photo_command("--horizon", "0,80 240,80", "--below", "120,130")
        path = self.folder / "layers.exr"
        self.assertEqual(called("picture", self.made, "-o", path, "--samples", "2")[0], 0)
        with OpenEXR.File(str(path), separate_channels=True) as file:
            layers = {name: np.asarray(one.pixels) for name, one in file.channels().items()}
        for name in ("photo.R", "piece.G", "cover.Y", "shadow.B", "light.R", "before.Y", "depth.Z"):
            self.assertEqual(layers[name].shape, SIZE[::-1], name)
        # where there is no piece and no shadow the picture is the photo
        alone = (layers["cover.Y"] == 0) & (layers["shadow.G"] == 1) & (layers["light.G"] == 0)
        self.assertGreater(alone.mean(), 0.3)
        np.testing.assert_allclose(layers["G"][alone], layers["photo.G"][alone], atol=0.02)

    def test_what_is_missing_is_said(self):
        for way, says in (
            ([], "--rectangle, --lines, --ellipse or --horizon"),
            (["--rectangle", "1,2 3,4", "--width", "3", "--height", "4"], "has 2 points; 4 are wanted"),
            (["--rectangle", "60,140 180,150 170,60 70,70", "--width", "3"], "Give the height too"),
            (["--rectangle", "a b c d", "--width", "3", "--height", "3"], "are no points of a photo"),
            (["--horizon", "0,80 240,80"], "--below"),
            (
                ["--rectangle", "60,140 180,150 170,60 70,70", "--width", "0.2", "--height", "3"],
                "Width 0.2 mm is too small",
            ),
            (["--rectangle", "60,140 1e9,150 170,60 70,70", "--width", "9", "--height", "3"], "Corners 1"),
            (["--horizon", "0,80 240,80", "--below", "9,99", "--beside", "1e5km"], "is not a length"),
            (["--horizon", "0,80 240,80", "--below", "9,99", "--beside", "90000m"], "Beside 9"),
            (["--lines", "along", "1,2", "3,4"], "--measured along"),
            (["--ellipse", "1,2", "3,4", "--diameter", "3"], "is no ellipse"),
        ):
            with self.subTest(says):
                status, _, errors = self.photo_command(*way)
                self.assertEqual(status, 2)
                self.assertIn(says, errors)
        self.assertFalse(self.made.exists())


def _png(pixels):
    return cv2.imencode(".png", pixels)[1].tobytes()


def _job(path):
    found = open_job(path)
    return getattr(found, "job", found)
