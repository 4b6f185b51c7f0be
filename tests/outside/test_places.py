"""Places of one's own: pictures written by other libraries, read here; what a stranger may send."""

import tempfile
import unittest
from pathlib import Path

import numpy as np
import OpenEXR
from PIL import Image

from kilnchisel.core.build import scene_of_job
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.job import assets
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.sets import before_place
from kilnchisel.core.job.setting import OwnPlace
from kilnchisel.core.picture.tracing import tracer
from kilnchisel.core.scene.light import name_of, sun_of
from kilnchisel.core.scene.ownplace import own_place, picture_of, place_in, radiance_of
from tests.commands import called
from tests.samples import mug_job


class FromFiles(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        rng = np.random.default_rng(5)
        self.sky = (rng.uniform(0.05, 1.0, (64, 128, 3)) ** 2).astype(np.float32)
        self.sky[:20] = (0.3, 0.5, 0.9)

    def radiance(self, picture: np.ndarray) -> Path:
        path = self.folder / "sky.hdr"
        tracer().Bitmap(picture).write(str(path))
        return path

    def exr(self, picture: np.ndarray, names: str = "RGB", kind: type = np.float32) -> Path:
        path = self.folder / "sky.exr"
        channels = {name: np.ascontiguousarray(picture[..., k], dtype=kind) for k, name in enumerate(names)}
        header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        OpenEXR.File(header, channels).write(str(path))
        return path

    def test_a_radiance_file_is_read_as_the_renderer_reads_it(self):
        path = self.radiance(self.sky)
        theirs = np.array(tracer().Bitmap(str(path)))
        mine = radiance_of(path.read_bytes(), path.name)
        # a pixel's steps are at most 1/128 of its greatest part; one reads their lower end, the other the
        # middle, which is nearer to what was written
        step = self.sky.max(axis=2, keepdims=True) / 128
        self.assertLessEqual(float((np.abs(mine - theirs) / step).max()), 0.51)
        self.assertLessEqual(float((np.abs(mine - self.sky) / step).max()), 0.51)

    def test_openexr_of_half_and_single_precision_and_of_grey(self):
        for kind, close in ((np.float32, 1e-7), (np.float16, 1e-3)):
            read = radiance_of(self.exr(self.sky, kind=kind).read_bytes(), "sky.exr")
            np.testing.assert_allclose(read, self.sky, rtol=close, atol=1e-6)
        grey = radiance_of(self.exr(self.sky[..., :1], "Y").read_bytes(), "grey.exr")
        np.testing.assert_allclose(grey, np.repeat(self.sky[..., :1], 3, axis=2), rtol=1e-6)

    def test_it_is_kept_smaller_with_the_same_light(self):
        large = np.repeat(np.repeat(self.sky, 32, axis=0), 32, axis=1)
        place = own_place(self.exr(large))
        small = picture_of(place.sha256)
        self.assertEqual(small.shape, (512, 1024, 3))
        np.testing.assert_allclose(small.mean(axis=(0, 1)), self.sky.mean(axis=(0, 1)), rtol=2e-3)

    def test_its_sun_is_a_light_of_its_own(self):
        sky = np.full((512, 1024, 3), 0.4, np.float32)
        row, column = 512 // 6, 256  # 60° up in the east
        sky[row, column] = 60_000
        place = own_place(self.exr(sky))
        light = before_place(mug_job(), place).setting.light
        found = sun_of(light)
        assert found is not None
        self.assertAlmostEqual(found[0].elevation_deg, 60, delta=0.4)
        self.assertAlmostEqual(found[0].azimuth_deg, 90, delta=0.4)

    def test_the_job_carries_it(self):
        job = before_place(mug_job(), own_place(self.exr(self.sky)))
        path = self.folder / "with.kcj"
        save_packed(job, path)
        room = job.setting.light.room
        assert isinstance(room, OwnPlace)
        assets.forget(room.sha256)
        again = open_job(path)
        self.assertEqual(again.setting.light.room, room)
        self.assertEqual(scene_of_job(again).backdrop.room, name_of(again.setting.light))

    def test_the_command_line_takes_a_file(self):
        path = self.folder / "mug.kcj"
        save_packed(mug_job(), path)
        sky, made = self.exr(self.sky), self.folder / "in.kcj"
        status, _, said = called("sets", path, "--place", sky, "-o", made)
        self.assertEqual((status, said), (0, ""))
        room = open_job(made).setting.light.room
        assert isinstance(room, OwnPlace)
        self.assertEqual(room.name, "sky.exr")
        picture = self.folder / "p.png"
        order = ("picture", path, "-o", picture, "--draft", "--size", "160x100", "--place", sky)
        self.assertEqual(called(*order)[0], 0)
        self.assertEqual(Image.open(picture).size, (160, 100))

    def test_what_cannot_be_used_is_told(self):
        good = self.radiance(self.sky).read_bytes()
        wide = self.exr(np.ones((64, 100, 3), np.float32)).read_bytes()
        black = self.exr(np.zeros((64, 128, 3), np.float32)).read_bytes()
        deep = self.exr(np.ones((64, 128, 1), np.float32), "Z").read_bytes()
        huge = b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 99999 +X 99999\n" + bytes(99)
        for data, word in (
            (good[: len(good) // 2], "cut short|damaged"),
            (wide, "twice as wide"),
            (black, "no light"),
            (deep, "no red, green and blue"),
            (huge, "at most 140 million"),
            (wide[:200], "cannot be read"),
            (b"\x89PNG rest", "neither"),
            (b"", "neither"),
        ):
            with self.subTest(word), self.assertRaisesRegex(KilnError, word):
                place_in(data, "sky")
        with self.assertRaisesRegex(KilnError, "full range"):
            own_place(self.folder / "sky.jpg")
        lost = before_place(mug_job(), OwnPlace(name="gone.exr", sha256="0" * 64))
        with self.assertRaisesRegex(KilnError, "put the file in again"):
            scene_of_job(lost)


if __name__ == "__main__":
    unittest.main()
