"""The halo of sharpening, the tones and the packing of photos whose own are known, and what is put in
with them. Unsharp masking and the spread of an edge: closed forms; JPEG: Pillow, ITU-T T.81 for its
tables."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw
from scipy import ndimage, special

from kilnchisel.core.colour import srgb_decode
from kilnchisel.core.photo.packed import packed, packing_of
from kilnchisel.core.photo.reading import photo_taken
from kilnchisel.core.picture.halo import NONE, Halo, edge_spread, halo, sharpened
from kilnchisel.core.picture.tones import tones


def shapes(side=900):
    """Turned boxes of several greys, (2 side, 2 side): twice as large as they are wanted."""
    rng = np.random.default_rng(3)
    made = Image.new("F", (2 * side, 2 * side), 120.0)
    for _ in range(60):
        across, down, wide, tall = rng.integers(0, 2 * side, 4)
        angle = rng.uniform(0, np.pi)
        corners = np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) * (wide // 6 + 60, tall // 6 + 60)
        turned = corners @ [[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]]
        places = [tuple(place) for place in turned + (across, down)]
        ImageDraw.Draw(made).polygon(places, fill=rng.uniform(50, 200))
    return np.asarray(made, dtype=float)


class Sharpened(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.shapes = shapes()

    def photo(self, spread, amount, radius):
        rng = np.random.default_rng(4)
        grey = ndimage.gaussian_filter(self.shapes, 2 * spread)[::2, ::2]
        grey = grey + rng.normal(0, 1.2, grey.shape)
        grey = grey + amount * (grey - ndimage.gaussian_filter(grey, radius))
        return np.clip(np.rint(np.repeat(grey[..., None], 3, axis=2)), 0, 255).astype(np.uint8)

    def test_an_edge_is_seen_as_unsharp_masking_shows_it(self):
        x = np.arange(-40, 41) / 4
        edge = special.ndtr(x / 1.3)
        fine = np.repeat(edge, 1)
        blurred = ndimage.gaussian_filter1d(fine, 4 * 1.7, mode="nearest", truncate=6)
        np.testing.assert_allclose(edge_spread(x, 1.3, 0.6, 1.7), fine + 0.6 * (fine - blurred), atol=2e-3)

    def test_a_known_halo_is_found(self):
        x = np.arange(-8, 8.1, 0.25)
        for spread, amount, radius in ((0.8, 0.5, 1.0), (1.0, 0.8, 1.5), (1.5, 0.4, 2.5)):
            with self.subTest(spread=spread, amount=amount, radius=radius):
                found = halo(self.photo(spread, amount, radius))
                # an amount and a radius that overshoot alike are alike
                over, own = (
                    edge_spread(x, spread, a, r).max() - 1
                    for a, r in ((found.amount, found.radius), (amount, radius))
                )
                self.assertAlmostEqual(over, own, delta=0.01)  # of the contrast

    def test_without_one_none_is_found(self):
        self.assertEqual(halo(self.photo(1.0, 0.0, 1.0)), NONE)
        self.assertEqual(halo(np.full((200, 200, 3), 90, np.uint8)), NONE)

    def test_what_is_put_in_has_it_and_what_is_before_does_not(self):
        seen = np.full((80, 120, 3), 90, np.uint8)
        made = seen.copy()
        made[:, 60:] = 170
        seen[:, 90] = 140  # nothing of it is left under what is put there
        cover, hidden = np.zeros((80, 120)), np.zeros((80, 120))
        cover[:, 60:] = 1.0
        hidden[:40] = 1.0
        out = sharpened(made, seen, cover, hidden, Halo(0.8, 1.5)).astype(int)
        self.assertGreater(out[60, 60:64].max(), 175)
        self.assertLess(out[60, 56:60].min(), 85)
        np.testing.assert_array_equal(out[:40], made[:40])
        far = [0, 30, 89, 90, 91, 119]
        np.testing.assert_array_equal(out[60, far], made[60, far])
        np.testing.assert_array_equal(sharpened(made, seen, cover, hidden, Halo(0.8).less(0.0)), made)
        # an edge of the photo itself was sharpened once
        striped = np.where(np.arange(120)[None, :, None] % 20 < 10, 90, 140).repeat(80, axis=0)
        striped = striped.repeat(3, axis=2).astype(np.uint8)
        same = sharpened(striped, striped, np.zeros((80, 120)), None, Halo(0.8, 1.5))
        np.testing.assert_array_equal(same, striped)


class Tones(unittest.TestCase):
    def test_lifted_blacks_and_a_grey_white(self):
        ramp = np.linspace(0, 1, 512)
        black, white = np.array([0.012, 0.014, 0.02]), 0.8
        light = black + (white - black) * np.tile(ramp, (256, 1))[..., None]
        shown = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
        pixels = np.rint(255 * shown).astype(np.uint8)
        found = tones(pixels, 100, 100)
        np.testing.assert_allclose(found.black, black, atol=0.004)
        self.assertAlmostEqual(found.white, white, delta=0.02)
        np.testing.assert_allclose(found.of(np.zeros(3)), black, atol=0.004)
        plain = tones(pixels, 0, 0)
        np.testing.assert_allclose(plain.of(np.array([0.0, 0.4, 1.0])), (0.0, 0.4, 1.0))

    def test_a_photo_without_dark_things_tells_nothing(self):
        wall = np.random.default_rng(1).integers(150, 170, (200, 300, 3)).astype(np.uint8)
        self.assertEqual(tones(wall, 100, 100).white, 1.0)
        self.assertFalse(tones(wall, 100, 100).black.any())
        self.assertGreater(srgb_decode(np.array(150 / 255)), 0.2)


class Packed(unittest.TestCase):
    def test_it_comes_out_as_from_a_file_packed_so(self):
        rng = np.random.default_rng(6)
        pixels = ndimage.gaussian_filter(rng.normal(128, 60, (96, 128, 3)), (1, 1, 0))
        pixels = np.clip(pixels, 0, 255).astype(np.uint8)
        for quality, thinned in ((40, 2), (75, 0), (92, 1)):
            with self.subTest(quality=quality), tempfile.TemporaryDirectory() as folder:
                path = Path(folder) / "a.jpg"
                Image.fromarray(pixels).save(path, quality=quality, subsampling=thinned)
                taken = photo_taken(path)
                packing = packing_of(taken.sha256)
                self.assertEqual(packing[1], thinned)
                np.testing.assert_array_equal(
                    packed(pixels, packing, 1.0), np.asarray(Image.open(path).convert("RGB"))
                )
                finer = packed(pixels, packing, 0.2).astype(int)
                self.assertLess(
                    np.abs(finer - pixels).mean(),
                    np.abs(packed(pixels, packing, 1.0).astype(int) - pixels).mean(),
                )

    def test_a_picture_that_is_not_packed_so_tells_nothing(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.png"
            Image.fromarray(np.full((64, 64, 3), 7, np.uint8)).save(path)
            self.assertIsNone(packing_of(photo_taken(path).sha256))


if __name__ == "__main__":
    unittest.main()
