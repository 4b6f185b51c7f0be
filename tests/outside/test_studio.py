"""Lights, lens, sun and grounds against closed forms, a reference library and published formulas."""

import io
import tempfile
import unittest
import warnings
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image
from scipy import ndimage

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.build import middle_of_job, scene_of_job, view_of
from kilnchisel.core.colour import LUMA, chromaticity_of_kelvin, light_of_kelvin, srgb_decode
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes import photographs, textures, woods
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.sets import fitted
from kilnchisel.core.job.setting import KeyLight, Light, StudioLight
from kilnchisel.core.paths import RESOURCES
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.highlights import Glint, glint_under, placed_by
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.lamps import Panel, panels_of
from kilnchisel.core.scene.places import gain_mapped, place
from kilnchisel.core.scene.stance import stance_of
from kilnchisel.core.scene.view import View, square_on
from tests.samples import bare_scene, the_draft

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour

DARK = np.zeros((64, 128, 3), np.float32)
FROM_ABOVE = np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, 1]])


def sheet(half_mm, z=0.0, material=None):
    """A square facing up."""
    corners = np.array([[-1.0, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]]) * half_mm + (0, 0, z)
    faces = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    material = material or Material("matte", (0.5, 0.5, 0.5), 1.0)
    return Item("sheet", None, Mesh(corners, np.tile([0.0, 0, 1], (4, 1)), corners[:, :2], faces), material)


def corner_factor(a, b, c):
    """Share of a parallel rectangle a x b at height c, seen from a point under its corner. Source: Howell,
    "A Catalog of Radiation Heat Transfer Configuration Factors", C-11 (differential area to parallel
    rectangle)."""
    x, y = a / c, b / c
    wide, deep = np.sqrt(1 + x * x), np.sqrt(1 + y * y)
    return (x / wide * np.arctan(y / wide) + y / deep * np.arctan(x / deep)) / (2 * np.pi)


def rectangle_factor(point, low, high, height):
    """The same from any point below, by adding and taking away corners."""
    total = 0.0
    for x, sign_x in ((high[0] - point[0], 1), (low[0] - point[0], -1)):
        for y, sign_y in ((high[1] - point[1], 1), (low[1] - point[1], -1)):
            total += sign_x * sign_y * np.sign(x) * np.sign(y) * corner_factor(abs(x), abs(y), height)
    return total


class SoftBox(unittest.TestCase):
    """A rectangular light over a matt sheet, by the closed form: within 1 %."""

    HALF, HEIGHT, SHIFT = (40.0, 25.0), 60.0, (18.0, -7.0)

    def setUp(self):
        panel = Panel(
            np.array([*self.SHIFT, self.HEIGHT]),
            np.array([0.0, 0, -1]),
            np.array(self.HALF),
            np.full(3, 1.4),
        )
        side, up = panel.edges
        half = np.abs(self.HALF[0] * side + self.HALF[1] * up)[:2]
        self.low, self.high = np.array(self.SHIFT) - half, np.array(self.SHIFT) + half
        self.scene = replace(bare_scene((sheet(60.0),), DARK, 50.0), panels=(panel,))
        self.view = square_on(np.zeros(3), FROM_ABOVE, 50.0)

    def expected(self, size):
        step = 100.0 / size
        at = (np.arange(size) + 0.5) * step - 50
        factor = [
            [rectangle_factor((x, y), self.low, self.high, self.HEIGHT) for x in at] for y in at[::-1]
        ]
        return 0.5 * 1.4 * np.array(factor)

    def test_draft(self):
        picture = srgb_decode(the_draft().render(self.scene, self.view, (40, 40))[..., 1] / 255)
        np.testing.assert_allclose(picture, self.expected(40), rtol=0.01, atol=0.003)

    def test_mockup(self):
        # the light hangs between the eye and the sheet: it is one-sided and black from behind, so look
        # only past it
        view = View(
            np.array([0.0, -1.0, 1.0]) * 400,
            np.array([1.0, 0, 0]),
            np.array([0.0, 1, 1]) / np.sqrt(2),
            np.array([0.0, 1, -1]) / np.sqrt(2),
            False,
            0.002,
            2000.0,
        )
        picture = Mockup(self.scene).linear(view, (8, 8), 2048, clean=False)[..., 1]
        expected = 0.7 * rectangle_factor((0.0, 0.0), self.low, self.high, self.HEIGHT)
        self.assertAlmostEqual(float(picture.mean()) / expected, 1.0, delta=0.01)


class ColourTemperature(unittest.TestCase):
    """Source: colour-science: Planck's law integrated with the CIE 1931 functions; CIE D illuminants."""

    def test_black_bodies(self):
        shape = colour.SpectralShape(360, 830, 1)
        for kelvin in (1800, 2400, 2900, 3400, 4200, 4900):
            body = colour.sd_blackbody(kelvin, shape)
            xy = colour.XYZ_to_xy(colour.sd_to_XYZ(body))
            np.testing.assert_allclose(chromaticity_of_kelvin(kelvin), xy, atol=0.002)

    def test_daylight(self):
        for kelvin in (5000, 5500, 6500, 7000, 9300, 14000):
            xy = colour.temperature.CCT_to_xy_CIE_D(kelvin)
            np.testing.assert_allclose(chromaticity_of_kelvin(kelvin), xy, atol=1e-3)

    def test_light_of_a_temperature(self):
        np.testing.assert_allclose(light_of_kelvin(5500), 1.0, atol=1e-9)
        for kelvin in (2000, 3200, 10_000):
            light = light_of_kelvin(kelvin)
            self.assertAlmostEqual(float(light @ LUMA), 1.0)
            self.assertEqual(bool(light[0] > light[2]), kelvin < 5500)


class ThinLens(unittest.TestCase):
    """Source: the thin-lens formula: a point at depth d seen by an opening A focused at s spreads over
    c = A |d - s| / (d s) (an angle). Within 3 %."""

    def blur(self, depth, focus, opening):
        """Diameter over which a small light is spread, as an angle, from its second moment."""
        tall, size, half = 0.06, 97, 0.5
        small = Material("matte", (0.0, 0.0, 0.0), 1.0, emission=(500.0, 500.0, 500.0))
        scene = replace(bare_scene((sheet(half, material=small),), DARK, 50.0), shines=True)
        view = replace(
            square_on(np.zeros(3), FROM_ABOVE, 1.0),
            eye=np.array([0.0, 0, depth]),
            parallel=False,
            tall=tall,
            opening_mm=opening,
            focus_mm=focus,
        )
        picture = Mockup(scene).linear(view, (size, size), 600, clean=False)[..., 1]
        yy, xx = (np.mgrid[:size, :size] + 0.5 - size / 2) * (2 * tall / size)
        whole = picture.sum()
        spread = (picture * (xx**2 + yy**2)).sum() / whole
        own = 2 * (half / depth) ** 2 / 3 + 2 * (2 * tall / size) ** 2 / 12
        return float(
            np.sqrt(max(8 * (spread - own), 0))
        )  # a disc of diameter c has the second moment c² / 8

    def test_blur_before_and_behind(self):
        for depth, focus, opening in ((300.0, 400.0, 20.0), (500.0, 300.0, 20.0), (400.0, 250.0, 12.0)):
            expected = opening * abs(depth - focus) / (depth * focus)
            self.assertAlmostEqual(self.blur(depth, focus, opening) / expected, 1.0, delta=0.03)

    def test_sharp_where_it_is_in_focus(self):
        self.assertLess(self.blur(300.0, 300.0, 20.0), 0.002)


class TheSun(unittest.TestCase):
    """Source: a post of height h throws a shadow of h / tan(elevation), away from the sun."""

    def shadow(self, elevation):
        post = 20.0
        corners = np.array([[-3.0, 0, 0], [3, 0, 0], [3, 0, post], [-3, 0, post]])
        normals = np.tile([0.0, -1, 0], (4, 1))
        faces = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
        board = Item("board", None, Mesh(corners, normals, corners[:, ::2], faces), sheet(1).material)
        lamp = StudioLight(kind="sun", turn_deg=0, tilt_deg=elevation, strength=100)
        light = Light(room="even", key=KeyLight(strength=0), lamps=(lamp,))
        panels = panels_of(light, np.zeros(3), 60.0)
        scene = replace(bare_scene((sheet(90.0), board), DARK, 60.0), panels=panels)
        picture = Mockup(scene).linear(
            square_on(np.zeros(3), FROM_ABOVE, 80.0), (160, 160), 64, clean=False
        )
        column = picture[:80, 78:82, 1].mean(axis=1)[::-1]  # from the post away from the sun, 1 mm a pixel
        lit = picture[138:158, 20:140, 1].mean()
        self.assertAlmostEqual(lit, 0.5 * np.sin(np.radians(elevation)), delta=0.02)
        return float((column < lit / 2).sum())

    def test_shadows(self):
        for elevation in (25.0, 45.0, 60.0):
            expected = 20.0 / np.tan(np.radians(elevation))
            self.assertAlmostEqual(self.shadow(elevation), expected, delta=0.02 * expected + 0.6)

    def test_the_park_has_one_and_it_is_where_it_shines(self):
        park = place("park")
        self.assertIsNotNone(park.sun)
        # it was taken out: nothing that is left is as bright by far
        bright = park.picture @ LUMA
        self.assertLess(float(bright.max()), 400 * float(bright.mean()))
        self.assertTrue(0 < park.sun.elevation_deg < 60)
        self.assertIsNone(place("city square".replace(" ", "-")).sun)


class GainMaps(unittest.TestCase):
    def test_a_picture_by_the_formula(self):
        """Source: ISO 21496-1: (base + offset) 2^gain - offset, the gain between the map's least and
        most."""
        base = Image.new("RGB", (64, 32), (188, 188, 188))
        gain = Image.new("RGB", (64, 32), (255, 255, 255))
        first, second = io.BytesIO(), io.BytesIO()
        base.save(first, "JPEG", quality=98)
        gain.save(second, "JPEG", quality=98)
        said = (
            f'<x Item:Semantic="Primary"/><x Item:Length="{len(second.getvalue())}"/>'
            '<y hdrgm:GainMapMin="0.0" hdrgm:GainMapMax="3.0" hdrgm:Gamma="1.0"/>'
        ).encode()
        marker = b"\xff\xe1" + (len(said) + 2).to_bytes(2, "big") + said
        data = first.getvalue()[:2] + marker + first.getvalue()[2:] + second.getvalue()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "a.jpg"
            path.write_bytes(data)
            light = gain_mapped(path)
        linear = float(srgb_decode(np.array(188 / 255)))
        self.assertEqual(light.shape, (32, 64, 3))
        np.testing.assert_allclose(light, (linear + 1 / 64) * 8 - 1 / 64, rtol=0.01)

    def test_the_sky_of_a_place_has_no_blocks_of_colour(self):
        # JPEG (ITU-T T.81) keeps colours in blocks, here of 16 pixels; measured in stops between red, green
        # and blue, where a block meets the next
        path = RESOURCES / "lights" / "places" / "park.jpg"
        base = srgb_decode(np.asarray(Image.open(path).convert("RGB"), float) / 255)

        def steps(light):
            sky = np.log2(light[100:200] + 1 / 64)
            colour = sky[..., [0, 2]] - sky[..., [1]]
            return np.abs(np.diff(colour, axis=1)).mean(axis=(0, 2))[15::16].mean()

        light = gain_mapped(path)
        self.assertGreater(steps(base), 0.012)  # and as much again from the gain map's blocks
        self.assertLess(steps(light), 0.6 * steps(base))
        # and everything is as bright as it was
        ground = slice(280, 500)
        np.testing.assert_allclose(
            light[ground].mean(axis=(0, 1)), base[ground].mean(axis=(0, 1)), rtol=0.02
        )


class ByItsHighlight(unittest.TestCase):
    """Source: the mirror law: what is placed by a click is seen mirrored there, within 2 pixels."""

    SIZE = (240, 160)

    def seen_at(self, job, pixel):
        job = change(job, ("letterings",), ())
        job = change(job, ("finish",), {"kind": "chrome"})
        lamp = StudioLight(kind="bare lamp", width_mm=24, height_mm=24, distance_mm=1500, strength=100)
        light = Light(room="dark", strength=0, key=KeyLight(strength=0), lamps=(lamp,))
        job = change(job, ("setting", "light"), light)
        job = change(job, ("setting", "camera", "f_number"), 0.0)
        view = view_of(job, self.SIZE[0] / self.SIZE[1])
        origins, ways = view.rays(np.array([pixel], float), self.SIZE)
        glint = glint_under(job.blank, stance_of(job), origins[0], ways[0])
        moved = placed_by(glint, ways[0], lamp, middle_of_job(job))
        job = change(job, ("setting", "light", "lamps", 0), moved)
        scene = scene_of_job(job)
        (panel,) = scene.panels
        # the panel itself may be in the picture: only what the piece mirrors counts
        smooth = tuple(
            replace(one, material=replace(one.material, alpha=0.03, across=0.0)) for one in scene.items
        )
        picture = (
            Mockup(replace(scene, base=None, items=smooth)).linear(view, self.SIZE, 24, clean=False) @ LUMA
        )
        self.assertAlmostEqual(float(np.linalg.norm(panel.middle - scene.middle)), 1500.0, delta=0.1)
        yy, xx = np.mgrid[: self.SIZE[1], : self.SIZE[0]] + 0.5
        # its peak: the middle of the brightest tenth near the click, the noise smoothed
        smooth = ndimage.gaussian_filter(picture, 2.0)
        near = np.hypot(xx - pixel[0], yy - pixel[1]) < 30
        bright = near & (smooth > 0.9 * smooth[near].max())
        return np.array([xx[bright].mean(), yy[bright].mean()])

    def test_on_a_ball_a_cylinder_and_a_plane(self):
        for kind, name, pixels in (
            ("globe", "table by a window", ((112, 60), (135, 75))),
            ("can", "white sweep", ((110, 80), (130, 95))),
            ("plaque", "table by a window", ((105, 75), (130, 88))),
        ):
            job = fitted(fresh_job(kind), name)
            for pixel in pixels:
                seen = self.seen_at(job, pixel)
                self.assertLessEqual(np.hypot(*(seen - pixel)), 2.0, (kind, pixel, seen))

    def test_what_faces_away_is_refused(self):
        with self.assertRaisesRegex(KilnError, "faces away"):
            placed_by(
                Glint(np.zeros(3), np.array([0.0, 0, 1])), np.array([0.0, 0, 1]), StudioLight(), np.zeros(3)
            )

    def test_the_sun_shines_along_the_mirrored_ray(self):
        way = np.array([0.0, 1.0, -1.0]) / np.sqrt(2)
        lamp = placed_by(
            Glint(np.array([5.0, 0, 0]), np.array([0.0, 0, 1])), way, StudioLight(kind="sun"), np.zeros(3)
        )
        self.assertAlmostEqual(lamp.tilt_deg, 45.0, places=2)
        self.assertAlmostEqual(abs(lamp.turn_deg), 180.0, places=2)


class Repeats(unittest.TestCase):
    """The greatest off-centre peak of the autocorrelation of four by four tiles, by the Wiener-Khinchin
    theorem; what repeats by its nature (boards, bricks, threads) is left out near its own period."""

    def peak(self, texture):
        """Of one tile against itself moved: 4 x 4 of them only repeat it."""
        grey = texture.tint.mean(axis=2, dtype=float)
        small = grey.reshape(160, grey.shape[0] // 160, 160, grey.shape[1] // 160).mean(axis=(1, 3))
        small -= small.mean()
        power = np.abs(np.fft.fft2(small)) ** 2
        found = np.fft.ifft2(power).real / power.sum() * power.size
        found /= found[0, 0]
        yy, xx = np.minimum(np.mgrid[:160, :160], 160 - np.mgrid[:160, :160])
        return float(found[np.hypot(yy, xx) > 20].max())

    def test_stuffs_have_no_second_like_themselves(self):
        made = {
            "felt": photographs.felt(300.0),
            "leather": photographs.hide(300.0),
            "paper": photographs.paper(400.0),
            "roughcast": photographs.roughcast(1200.0),
            "gravel": photographs.gravel(1000.0),
            "moss": photographs.moss(3000.0),
            "lawn": textures.lawn(6000.0),
            "road": textures.road(6000.0),
        }
        for name, texture in made.items():
            self.assertLessEqual(self.peak(texture), 0.3, name)

    def test_they_keep_the_photographs_own_light_and_dark(self):
        """Source: Heitz and Neyret 2018: the histogram of the example is preserved."""
        for name, made in (("felt", photographs.felt(300.0)), ("leather", photographs.hide(300.0))):
            own = photographs.photograph(name)
            own = own / own.mean(axis=(0, 1))
            for share in (5, 25, 50, 75, 95):
                ours, theirs = (
                    np.percentile(one.mean(axis=2, dtype=float), share) for one in (made.tint, own)
                )
                self.assertAlmostEqual(float(ours / theirs), 1.0, delta=0.12, msg=f"{name} {share}")

    def test_tiles_meet(self):
        for texture in (photographs.felt(150.0), photographs.planks(900.0), woods.oak_boards(200.0, 1280)):
            grey = texture.tint.mean(axis=2, dtype=float)
            inside = np.abs(np.diff(grey, axis=1)).mean()
            seam = np.abs(grey[:, 0] - grey[:, -1]).mean()
            self.assertLess(seam, 3 * inside)
