"""Colour and light against standards, a reference library (colour-science) and closed forms."""

import unittest
import warnings
from dataclasses import replace
from pathlib import Path

import mitsuba
import numpy as np

from kilnchisel.core.blanks.body import Body, Shell
from kilnchisel.core.blanks.mesh import Mesh, grid
from kilnchisel.core.colour import (
    delta_e,
    fresnel_normal,
    lab,
    spectrum_to_rgb,
    srgb_decode,
    srgb_encode,
)
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.finishes.metals import metal_colour
from kilnchisel.core.picture.gather import LAMP_POINTS, RAYS, Caster, _lamp, tracer_of
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.lamps import Panel
from kilnchisel.core.scene.light import MANY_NORMALS, Room, cosine_sum, directions_of
from kilnchisel.core.scene.view import square_on
from kilnchisel.ui.theme import DAY, EVENING
from tests.samples import bare_scene, the_draft

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour


class SRGB(unittest.TestCase):
    def test_curve_at_values_of_the_standard(self):
        """Source: IEC 61966-2-1: 12.92 below 0.0031308, 1.055 x^(1/2.4) - 0.055 above."""
        np.testing.assert_allclose(
            srgb_encode(np.array([0, 0.001, 0.0031308, 1])), [0, 0.01292, 0.0404500, 1], atol=1e-6
        )
        np.testing.assert_allclose(
            srgb_decode(np.array([0.04045, 0.5])), [0.0031308, 0.21404114], atol=1e-7
        )

    def test_curve_and_lab_against_colour_science(self):
        x = np.linspace(0, 1, 301)
        np.testing.assert_allclose(srgb_encode(x), colour.models.eotf_inverse_sRGB(x), atol=1e-6)
        np.testing.assert_allclose(srgb_decode(x), colour.models.eotf_sRGB(x), atol=1e-6)
        rgb = np.random.default_rng(5).random((50, 3))
        xyz = colour.RGB_to_XYZ(rgb, "sRGB", apply_cctf_decoding=False)
        white = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D65"]
        np.testing.assert_allclose(lab(rgb), colour.XYZ_to_Lab(xyz, white), atol=0.05)
        expected = colour.delta_E(lab(rgb[:25]), lab(rgb[25:]), method="CIE 1976")
        np.testing.assert_allclose(delta_e(rgb[:25], rgb[25:]), expected, atol=1e-9)


class Metals(unittest.TestCase):
    """Source: measured n, k that come with the path tracer's package (SOPRA tables), integrated by
    colour-science with the CIE 1931 functions and D65."""

    def measured(self, name):
        folder = Path(mitsuba.__file__).parent / "data" / "ior"
        return [np.loadtxt(folder / f"{name}.{what}.spd", comments="#") for what in ("eta", "k")]

    def test_colour_at_normal_incidence(self):
        for name in ("Cu", "Au", "Ag", "Al"):
            eta, k = self.measured(name)
            nm = np.arange(380, 781, 5)
            n_at, k_at = np.interp(nm, *eta.T), np.interp(nm, *k.T)
            reflectance = fresnel_normal(n_at, k_at)
            by_hand = np.abs((n_at - 1 + 1j * k_at) / (n_at + 1 + 1j * k_at)) ** 2
            np.testing.assert_allclose(reflectance, by_hand)
            spectrum = colour.SpectralDistribution(reflectance, nm)
            xyz = colour.sd_to_XYZ(spectrum, illuminant=colour.SDS_ILLUMINANTS["D65"]) / 100
            expected = colour.XYZ_to_RGB(xyz, "sRGB", apply_cctf_encoding=False)
            np.testing.assert_allclose(spectrum_to_rgb(nm, reflectance), expected, atol=0.02, err_msg=name)

    def test_a_perfect_mirror_is_white(self):
        np.testing.assert_allclose(spectrum_to_rgb(np.array([380.0, 780]), np.ones(2)), 1.0, atol=1e-9)

    def test_brass_and_steel_are_where_they_are_known_to_be(self):
        """Source: common practice, from memory: brass about (0.90, 0.75, 0.45), steel about 0.6 grey."""
        np.testing.assert_allclose(metal_colour("brass"), (0.90, 0.75, 0.45), atol=0.06)
        np.testing.assert_allclose(metal_colour("stainless"), (0.62, 0.60, 0.58), atol=0.04)


class OpenSurfaces(unittest.TestCase):
    """Irradiance of an all-round picture on many normals at once, which is summed by blocks of it."""

    ROWS = 64

    def setUp(self):
        rng = np.random.default_rng(4)
        normals = rng.normal(size=(2 * MANY_NORMALS, 3))
        self.normals = normals / np.linalg.norm(normals, axis=1, keepdims=True)
        self.up = directions_of(self.ROWS, 2 * self.ROWS)[:, 2]

    def test_an_even_room_gives_its_own_radiance(self):
        """A hemisphere of radiance L gives pi L (Lambert)."""
        found = cosine_sum(np.full((len(self.up), 3), 0.7), self.normals)
        np.testing.assert_allclose(found, 0.7, rtol=0.005)

    def test_a_round_patch_of_sky(self):
        """A cap of half angle a about the zenith gives pi L sin² a cos t while the tilt t keeps all of it
        above the horizon (from its vector irradiance; handbooks of lighting have it as that of a disc)."""
        half = np.radians(45.0)  # a border of pixels
        sky = np.where(self.up > np.cos(half), 1.0, 0.0)[:, None] * np.ones(3)
        tilt = np.arccos(np.clip(self.normals[:, 2], -1, 1))
        whole = tilt < np.pi / 2 - half
        found = cosine_sum(sky, self.normals)[whole]
        self.assertGreater(len(found), 50)
        closed = np.sin(half) ** 2 * np.cos(tilt[whole])
        np.testing.assert_allclose(found, np.repeat(closed[:, None], 3, axis=1), rtol=0.005)

    def test_none_have_none(self):
        found = cosine_sum(np.ones((len(self.up), 3)), np.empty((0, 3)))
        self.assertEqual(found.shape, (0, 3))

    def test_some_and_many_are_alike(self):
        """With a small bright window, some of it below the horizon of many normals."""
        room = np.full((self.ROWS, 2 * self.ROWS, 3), 0.2)
        room[20:40, 30:50] = (9.0, 8.0, 6.0)
        seen, above = room.reshape(-1, 3), np.array([0.0, 0.0, 1.0])
        many = cosine_sum(seen, self.normals, above)
        few = np.concatenate([cosine_sum(seen, n[None], above) for n in self.normals])
        self.assertLess(np.abs(many - few).max(), 0.01 * few.max())


class RoomLamps(unittest.TestCase):
    """A round lamp that shines down, as a draft gathers its light: the view factor of a disc from a
    parallel element, x beside and h below: (1 - (h² + x² - r²) / sqrt((h² + x² + r²)² - 4 r² x²)) / 2
    (handbooks of radiation; from memory)."""

    RADIUS = 138.0

    def found(self, points, *more):
        turns = np.linspace(0, 2 * np.pi, 49)[:-1]
        rim = self.RADIUS * np.column_stack([np.cos(turns), np.sin(turns), 0 * turns])
        disc = np.concatenate([np.zeros((1, 3)), rim])
        faces = np.array([[0, (k + 1) % 48 + 1, k + 1] for k in range(48)])  # counter-clockwise from below
        lamp = Mesh(disc, np.tile([0.0, 0, -1], (49, 1)), disc[:, :2], faces.astype(np.int32))
        body = Body((Shell("lamp", "lamp", lamp, "lamp"),), ())
        caster = Caster(tracer_of([(disc, faces), *more]), np.eye(4))
        return _lamp(body, caster, points, np.tile([0.0, 0, 1], (len(points), 1)), LAMP_POINTS[RAYS])

    def test_by_the_view_factor_of_a_disc(self):
        beside = np.array([0.0, 400.0, 900.0, 2500.0])
        for below in (700.0, 1500.0):
            points = np.column_stack([beside, 0 * beside, np.full(4, -below)])
            reach, r2 = below**2 + beside**2, self.RADIUS**2
            closed = (1 - (reach - r2) / np.sqrt((reach + r2) ** 2 - 4 * r2 * beside**2)) / 2
            np.testing.assert_allclose(self.found(points), closed, rtol=0.04)

    def test_what_stands_between_hides_it(self):
        shelf = np.array([[-200.0, -200, -300], [200, -200, -300], [200, 200, -300], [-200, 200, -300]])
        points = np.array([[0.0, 0, -700], [2500, 0, -700], [0, 0, 50]])
        lit = self.found(points, (shelf, np.array([[0, 1, 2], [0, 2, 3]])))
        np.testing.assert_array_equal(lit > 0, [False, True, False])  # the last is above it


class Furnace(unittest.TestCase):
    """Source: closed form. A white diffuse body in uniform light cannot be told from the light."""

    LIGHT = 0.5

    def scene(self, kind="matte", base=(1.0, 1.0, 1.0)):
        polar, azimuth = np.meshgrid(
            np.linspace(0, np.pi, 49), np.linspace(0, 2 * np.pi, 97), indexing="ij"
        )
        normals = np.stack(
            [np.sin(polar) * np.cos(azimuth), np.sin(polar) * np.sin(azimuth), np.cos(polar)], -1
        )
        ball = grid(30 * normals, normals, np.zeros((*polar.shape, 2)))
        uniform = np.full((64, 128, 3), self.LIGHT, dtype=np.float32)
        return bare_scene((Item("ball", None, ball, Material(kind, base, 0.2)),), uniform, 30.0)

    def view(self):
        return square_on(np.zeros(3), np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]), 40.0)

    def middle_of(self, picture):
        yy, xx = np.mgrid[:96, :96]
        return picture[np.hypot(xx - 47.5, yy - 47.5) < 30]

    def test_draft_returns_the_light_within_a_hundredth(self):
        picture = srgb_decode(the_draft().render(self.scene(), self.view(), (96, 96))[..., :3] / 255)
        np.testing.assert_allclose(self.middle_of(picture) / self.LIGHT, 1.0, atol=0.01)

    def test_mockup_returns_the_light_within_a_hundredth(self):
        picture = Mockup(self.scene()).linear(self.view(), (96, 96), 64, clean=False)
        self.assertAlmostEqual(self.middle_of(picture).mean() / self.LIGHT, 1.0, delta=0.002)
        # a single pixel keeps some noise, most of all where the denoiser meets the edge of the ball
        clean = self.middle_of(Mockup(self.scene()).linear(self.view(), (96, 96), 512)) / self.LIGHT
        self.assertAlmostEqual(clean.mean(), 1.0, delta=0.002)
        self.assertGreater((np.abs(clean - 1) < 0.01).mean(), 0.96)
        self.assertLess(np.abs(clean - 1).max(), 0.03)

    def test_a_soft_box_partly_below_the_horizon(self):
        """Source: the integral of both cosines over the distance squared, summed over its face, of which
        only what is above each point's horizon counts."""
        at = np.array([70.0, -55.0, 60.0])
        box = Panel(at, -at / np.linalg.norm(at), np.array([60.0, 45.0]), np.full(3, 0.6))
        dark = replace(self.scene(), panels=(box,))
        dark = replace(dark, draft_room=Room(np.zeros((64, 128, 3), dtype=np.float32), 0.0))
        drawn = srgb_decode(the_draft().render(dark, self.view(), (96, 96))[..., :3] / 255)[..., 0]
        across = (np.arange(96) - 47.5) * 80 / 96
        x, z = np.meshgrid(across, -across)
        on_ball = np.hypot(x, z) < 26
        x, z = x[on_ball], z[on_ball]
        normal = np.stack([x, -np.sqrt(900 - x * x - z * z), z], axis=1) / 30
        share = (np.arange(40) + 0.5) / 20 - 1
        side, up = box.edges
        wanted, below = np.zeros(len(x)), np.zeros(len(x))
        for u in share * box.half[0]:
            for v in share * box.half[1]:
                way = at + u * side + v * up - 30 * normal
                far = np.linalg.norm(way, axis=1)
                falls = np.einsum("ij,ij->i", way, normal) / far
                wanted += np.clip(falls, 0, None) * -(way @ box.facing) / far**3
                below += falls < 0
        wanted *= 0.6 * box.area / np.pi / 1600
        partly = (below > 0) & (below < 1600)
        self.assertGreater(int(partly.sum()), 500)
        apart = np.abs(drawn[on_ball] - wanted)
        self.assertLess(float(apart.max()), 0.03 * float(wanted.max()))

    def test_no_finish_returns_more_than_it_gets(self):
        for kind in ("coated", "metal"):
            picture = Mockup(self.scene(kind, (0.99, 0.99, 0.99))).linear(
                self.view(), (96, 96), 64, clean=False
            )
            self.assertLess(self.middle_of(picture).mean() / self.LIGHT, 1.03, kind)

    def test_both_renderers_agree_on_coat_and_metal(self):
        for kind, base in (("coated", (0.5, 0.5, 0.5)), ("metal", (0.9, 0.75, 0.45))):
            quick = srgb_decode(
                the_draft().render(self.scene(kind, base), self.view(), (96, 96))[..., :3] / 255
            )
            traced = Mockup(self.scene(kind, base)).linear(self.view(), (96, 96), 64)
            np.testing.assert_allclose(
                self.middle_of(quick).mean(axis=0), self.middle_of(traced).mean(axis=0), rtol=0.06
            )


class Readable(unittest.TestCase):
    """Source: WCAG 2.x contrast formula; its worked value #777 on #fff = 4.478."""

    @staticmethod
    def contrast(first, second):
        def light(text):
            r, g, b = srgb_decode(np.array([int(text[i : i + 2], 16) for i in (1, 3, 5)]) / 255)
            return 0.2126 * r + 0.7152 * g + 0.0722 * b

        high, low = sorted((light(first), light(second)), reverse=True)
        return (high + 0.05) / (low + 0.05)

    def test_text_of_both_themes(self):
        self.assertAlmostEqual(self.contrast("#777777", "#ffffff"), 4.478, places=3)
        for theme in (DAY, EVENING):
            for ground in (theme.paper, theme.card, theme.field):
                for text in ("ink", "pencil", "clay", "glaze", "amber", "brick"):
                    with self.subTest(theme=theme.name, text=text, ground=ground):
                        self.assertGreaterEqual(self.contrast(getattr(theme, text), ground), 4.5)
            self.assertGreaterEqual(self.contrast(theme.on_clay, theme.clay), 4.5)
            self.assertGreaterEqual(self.contrast(theme.ink, theme.clay_wash), 4.5)
