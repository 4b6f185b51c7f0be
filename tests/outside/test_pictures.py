"""Picture files read back by other libraries, profiles by a colour engine, what is transparent by
compositing."""

import io
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import mitsuba
import numpy as np
import tifffile
from PIL import Image, ImageCms
from scipy import ndimage

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.colour import P3_FROM_RGB, delta_e, picture_curve, srgb_decode, srgb_encode
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.handover.picturefiles import (
    FileOrder,
    checked_file,
    file_bytes,
    shown_values,
    wish_for,
)
from kilnchisel.core.handover.pictures import dots_an_inch, parse_size, write_picture
from kilnchisel.core.handover.profiles import profile
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.picture.refined import Light, Refined, Wish
from kilnchisel.core.picture.tracing import tracer
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.view import square_on
from tests.samples import SeenBehind, bare_scene, mug_job

SIZE = (48, 32)


def ramp():
    """A made-up picture as light, with every value in it and an alpha of its own."""
    rng = np.random.default_rng(4)
    light = rng.uniform(0, 0.6, (24, 40, 3)).astype(np.float32)
    cover = np.linspace(0, 1, 40, dtype=np.float32)[None].repeat(24, axis=0)
    shade = np.linspace(0, 0.8, 24, dtype=np.float32)[:, None].repeat(40, axis=1)
    layers = {"albedo": light, "depth": light[..., :1] * 100, "mask.blank": light[..., 1:2]}
    made = Light(light * cover[..., None], cover, shade, layers)
    pixels = np.rint(srgb_encode(picture_curve(made.light)) * 255).astype(np.uint8)
    return Refined(pixels, 1, 1, made)


class Files(unittest.TestCase):
    def setUp(self):
        tracer()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.picture = ramp()

    def written(self, name, **how):
        path = self.folder / name
        write_picture(self.picture, path, "Ünder", FileOrder(**how))
        return path

    def test_png_of_16_bits(self):
        """Read by the path tracer's library."""
        order = FileOrder(bits=16)
        read = np.array(mitsuba.Bitmap(str(self.written("a.png", bits=16))))
        np.testing.assert_array_equal(read, shown_values(self.picture, order))
        self.assertEqual(read.dtype, np.uint16)
        self.assertGreater(len(np.unique(read)), 1000)

    def test_png_of_8_bits(self):
        path = self.written("a.png", dpi=300.0)
        with Image.open(path) as image:
            np.testing.assert_array_equal(np.asarray(image), self.picture.pixels)
            self.assertEqual(image.info["Title"], "Ünder")
            self.assertAlmostEqual(image.info["dpi"][0], 300, delta=0.02)
            self.assertIn("icc_profile", image.info)

    def test_jpeg_webp_and_tiff(self):
        for name, most in (("a.jpg", 3.0), ("a.webp", 6.0), ("a.tif", 0.0)):
            with Image.open(self.written(name)) as image:
                read = np.asarray(image.convert("RGB")).astype(float)
                self.assertTrue(image.info.get("icc_profile"), name)
            self.assertLessEqual(np.abs(read - self.picture.pixels).mean(), most * 4, name)
        deep = tifffile.imread(self.written("b.tif", bits=16, transparent=True, dpi=150.0))
        self.assertEqual((deep.shape, deep.dtype), ((24, 40, 4), np.uint16))
        with tifffile.TiffFile(self.folder / "b.tif") as file:
            self.assertEqual(file.pages[0].tags["XResolution"].value, (150, 1))
            self.assertEqual(file.pages[0].extrasamples, (2,))  # straight alpha

    def test_exr(self):
        """Read by the path tracer's library, which has a reader of its own."""
        path = self.written("a.exr", transparent=True)
        read = mitsuba.Bitmap(str(path))
        names = [read.struct_()[k].name for k in range(len(read.struct_()))]
        values = np.array(read)
        light = self.picture.light
        for name, expected in (
            *zip("RGB", np.moveaxis(light.light, 2, 0), strict=True),
            ("A", light.alpha),
            ("albedo.R", light.layers["albedo"][..., 0]),
            ("depth.Z", light.layers["depth"][..., 0]),
            ("mask.blank.Y", light.layers["mask.blank"][..., 0]),
        ):
            np.testing.assert_array_equal(values[..., names.index(name)], expected, name)

    def test_what_a_format_cannot_hold_is_refused_before_the_work(self):
        for name, order, draft, words in (
            ("a.gif", FileOrder(), False, "should end in"),
            ("a.jpg", FileOrder(bits=16), False, "16 bits"),
            ("a.jpg", FileOrder(transparent=True), False, "cannot be transparent"),
            ("a.exr", FileOrder(), True, "not from the draft"),
        ):
            with self.assertRaisesRegex(KilnError, words):
                checked_file(Path(name), order, draft=draft)
        self.assertIsNone(wish_for(Path("a.png"), FileOrder()))
        self.assertEqual(wish_for(Path("a.exr"), FileOrder()), Wish(layers=True))

    def test_sizes(self):
        self.assertEqual(parse_size("UHD"), (3840, 2160))
        self.assertEqual(parse_size("150 x 100 mm @ 300"), (1772, 1181))
        self.assertEqual((dots_an_inch("150x100mm@300"), dots_an_inch("hd")), (300, None))


class Profiles(unittest.TestCase):
    """By a colour engine (Little CMS in Pillow)."""

    def through(self, name, pixels):
        image = Image.fromarray(pixels)
        own = ImageCms.ImageCmsProfile(io.BytesIO(profile(name)))
        made = ImageCms.profileToProfile(image, own, ImageCms.createProfile("sRGB"), renderingIntent=1)
        return np.asarray(made)

    def test_srgb_is_that_of_the_engine(self):
        pixels = np.random.default_rng(1).integers(0, 256, (20, 20, 3)).astype(np.uint8)
        self.assertLessEqual(np.abs(self.through("sRGB", pixels).astype(int) - pixels).max(), 1)

    def test_display_p3_shows_the_same_colours(self):
        rgb = np.random.default_rng(2).integers(40, 200, (20, 20, 3)).astype(np.uint8)
        p3 = np.rint(srgb_encode(srgb_decode(rgb / 255) @ P3_FROM_RGB.T) * 255).astype(np.uint8)
        back = self.through("Display P3", p3)
        self.assertLess(delta_e(srgb_decode(back / 255), srgb_decode(rgb / 255)).max(), 1.5)
        order = FileOrder(profile="Display P3")
        np.testing.assert_array_equal(shown_values(Refined(rgb, 1, 1), order), p3)


class Transparent(unittest.TestCase):
    COLOURS = (0.02, 0.2, 0.55)

    def cut_out(self, scene, view, samples):
        (state,) = Mockup(scene).refine(view, SIZE, samples, looks=(), wish=Wish(transparent=True))
        return state.light

    def over(self, light, behind):
        return light.light + (1 - light.alpha[..., None]) * behind

    def test_over_three_backgrounds_it_is_the_picture_on_them(self):
        corners = np.array([[-20.3, -12.7, 0], [21.1, -9.4, 0], [18.2, 13.3, 0], [-17.7, 11.9, 0]])
        faces = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
        up = np.tile([0.0, 0, 1], (4, 1))
        sheet = Item(
            "sheet", None, Mesh(corners, up, corners[:, :2], faces), Material("matte", (0.6, 0.3, 0.1), 1.0)
        )
        room = np.full((64, 128, 3), 0.5, np.float32)
        view = square_on(np.zeros(3), np.eye(3), 20.0)
        view = replace(view, parallel=False, eye=np.array([0.0, 0, 200]), tall=0.1)
        plain = bare_scene((sheet,), room, 30.0)
        light = self.cut_out(plain, view, 2048)
        for tone in self.COLOURS:
            behind = np.full((2, 4, 3), tone, np.float32)
            scene = replace(plain, backdrop=SeenBehind("", 0.0, 0.0, behind))
            whole = Mockup(scene).linear(view, SIZE, 2048)
            ours, theirs = (
                srgb_encode(picture_curve(one)) * 255 for one in (self.over(light, tone), whole)
            )
            # edges are sampled anew: they differ by the noise of 2048 samples
            self.assertLess(np.abs(ours - theirs).mean(), 0.3)
            self.assertLessEqual(np.percentile(np.abs(ours - theirs), 90), 1.0)

    def test_the_shadow_is_the_difference_of_two_pictures(self):
        job = fitted(mug_job(), "white sweep")
        job = change(job, ("setting", "camera", "f_number"), 0.0)
        scene, view = scene_of_job(job), view_of(job, SIZE[0] / SIZE[1])
        light = self.cut_out(scene, view, 384)
        with_, without = (
            Mockup(one).linear(view, SIZE, 384) @ np.full(3, 1 / 3)
            for one in (scene, replace(scene, items=()))
        )
        # next to the piece a pixel is partly its, by other samples in each picture
        ground = ndimage.binary_erosion(light.cover == 0, iterations=2, border_value=1)
        expected = 1 - (with_ / without)[ground]
        self.assertGreater(expected.max(), 0.15)
        np.testing.assert_allclose(light.shade[ground], np.clip(expected, 0, 1), atol=0.06)
        self.assertLess(np.abs(light.shade[ground] - np.clip(expected, 0, 1)).mean(), 0.012)
        self.assertLess(light.alpha[:4].mean(), 0.03)

    def test_straight_alpha_over_black_and_over_white(self):
        light = ramp().light
        picture = Refined(np.zeros((24, 40, 3), np.uint8), 1, 1, light)
        shown = shown_values(picture, FileOrder(bits=16, transparent=True)) / 65535
        colour, alpha = shown[..., :3], shown[..., 3:]
        over_black = srgb_encode(picture_curve(light.light / np.maximum(light.cover[..., None], 1e-3)))
        whole = light.cover > 0.98
        np.testing.assert_allclose((colour * alpha)[whole], over_black[whole], atol=0.02)
        # a shadow alone, over white paper: as light it would be 1 - shade
        alone = light.cover < 1e-6
        over_white = (1 - alpha)[alone][:, 0]
        np.testing.assert_allclose(over_white, srgb_encode(1 - light.shade[alone]), atol=2e-5)


class Layers(unittest.TestCase):
    def test_what_is_known_of_each_pixel(self):
        job = fitted(mug_job(), "warm grey sweep")
        scene, view = scene_of_job(job), view_of(job, SIZE[0] / SIZE[1])
        states = list(Mockup(scene).refine(view, SIZE, 16, looks=(), wish=Wish(layers=True)))
        layers = states[-1].light.layers
        masks = [name for name in layers if name.startswith("mask.")]
        self.assertIn("mask.lettering_1_letters", masks)
        self.assertIn("mask.blank", masks)
        total = sum(layers[name] for name in masks)
        self.assertLessEqual(float(total.max()), 1.0 + 1e-6)
        middle = (
            layers["mask.blank"][SIZE[1] // 2, SIZE[0] // 2]
            + layers["mask.lettering_1_letters"][SIZE[1] // 2, SIZE[0] // 2]
        )
        self.assertGreater(float(middle[0]), 0.9)
        away = float(layers["depth"][SIZE[1] // 2, SIZE[0] // 2, 0])
        expected = float((scene.middle - view.eye) @ view.ahead)
        self.assertTrue(expected - scene.radius_mm < away < expected)
        np.testing.assert_allclose(np.linalg.norm(layers["normal"], axis=2).max(), 1.0, atol=0.02)
        # the picture that was shown is the light, bent
        shown = srgb_encode(picture_curve(states[-1].light.light)) * 255
        np.testing.assert_allclose(shown, states[-1].pixels, atol=0.51)


class Bytes(unittest.TestCase):
    def test_the_same_picture_is_the_same_file(self):
        for ending in (".png", ".exr"):
            one, two = (file_bytes(ramp(), Path(f"a{ending}"), FileOrder()) for _ in range(2))
            self.assertEqual(one, two)
