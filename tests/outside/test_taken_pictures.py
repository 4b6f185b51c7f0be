"""Pixels of pictures that are taken in, against colour-science and against what was written."""

import io
import unittest
import warnings

import numpy as np
from PIL import Image

from kilnchisel.core.handover.picturefiles import profile
from kilnchisel.core.intake.pixels import as_srgb
from kilnchisel.core.lettering.tracing import darkness, has_alpha, open_pixels
from kilnchisel.core.photo.reading import pixels_in

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

GREYS = np.linspace(0.0, 1.0, 201)
SIDE = 64  # a photo is at least so large


def encoded(picture, kind, **how):
    buffer = io.BytesIO()
    picture.save(buffer, kind, **how)
    return buffer.getvalue()


def wide(row):
    """A row of values as a picture that is as wide as they are."""
    return np.tile(row, (SIDE, 1))


class Deep(unittest.TestCase):
    """Source: the values that were written."""

    def test_grey_of_sixteen_bits_and_of_floats_is_as_light_as_it_was(self):
        words = Image.fromarray(wide(np.rint(GREYS * 65535).astype(np.uint16)))
        floats = Image.fromarray(wide(GREYS.astype(np.float32)))
        for name, data in (
            ("words.png", encoded(words, "PNG")),
            ("words.tif", encoded(words, "TIFF")),
            ("floats.tif", encoded(floats, "TIFF")),
        ):
            with self.subTest(name=name):
                picture, _ = open_pixels(data, name)
                np.testing.assert_allclose(darkness(picture, "light")[5], GREYS, atol=0.003)
                photo = pixels_in(data, name, 4096)
                np.testing.assert_allclose(photo[5, :, 1] / 255, GREYS, atol=0.003)


class Coloured(unittest.TestCase):
    def test_a_wider_space_is_brought_to_srgb(self):
        """Source: colour-science, Display P3 to sRGB, colours that both hold."""
        own = np.array([[200, 100, 50], [60, 120, 90], [128, 128, 128], [90, 60, 140]], dtype=np.uint8)
        wanted = colour.RGB_to_RGB(
            own / 255.0, "Display P3", "sRGB", apply_cctf_decoding=True, apply_cctf_encoding=True
        )
        pixels = np.repeat(own[:, None], SIDE, axis=1)
        plain = Image.fromarray(np.repeat(pixels, 16, axis=0))
        clear = plain.copy()
        clear.putalpha(40)
        for picture in (plain, clear):
            data = encoded(picture, "PNG", icc_profile=profile("Display P3"))
            taken, _ = open_pixels(data, "a.png")
            with self.subTest(mode=picture.mode):
                self.assertEqual(taken.mode, picture.mode)
                found = np.asarray(taken)[::16, 0]
                np.testing.assert_allclose(found[:, :3] / 255, wanted, atol=0.008)
                self.assertGreater(np.abs(found[0, :3] - own[0].astype(int)).max(), 8)
                if picture.mode == "RGBA":
                    self.assertEqual(set(found[:, 3]), {40})
        photo = pixels_in(encoded(plain, "PNG", icc_profile=profile("Display P3")), "a.png", 4096)
        np.testing.assert_allclose(photo[::16, 0] / 255, wanted, atol=0.008)

    def test_a_profile_that_is_damaged_changes_nothing(self):
        picture = Image.new("RGB", (9, 9), (10, 200, 30))
        picture.info["icc_profile"] = b"none at all"
        self.assertEqual(as_srgb(picture).getpixel((4, 4)), (10, 200, 30))

    def test_inks_palettes_and_two_tones(self):
        for picture, pixel in (
            (Image.new("CMYK", (9, 9), (255, 0, 0, 0)), (0, 255, 255)),
            (Image.new("1", (9, 9), 1), 255),
            (Image.new("P", (9, 9), 0), (0, 0, 0)),
        ):
            with self.subTest(mode=picture.mode):
                self.assertEqual(as_srgb(picture).getpixel((4, 4)), pixel)
        clear = Image.new("P", (9, 9), 0)
        clear.putpalette([10, 20, 30] * 256)
        clear.info["transparency"] = 0
        made = as_srgb(clear)
        self.assertEqual(made.getpixel((4, 4)), (10, 20, 30, 0))
        self.assertTrue(has_alpha(made))


if __name__ == "__main__":
    unittest.main()
