"""What lies on a surface, brushing, glass: both pictures against closed forms and each other."""

import unittest
from dataclasses import replace

import numpy as np

from kilnchisel.core.blanks.mesh import grid, join
from kilnchisel.core.colour import lab, srgb_decode
from kilnchisel.core.finishes.amounts import flecks, patches, scratches
from kilnchisel.core.finishes.material import Amount, Cover, Material, Texture, cover_matrix
from kilnchisel.core.finishes.metals import gold_colour, metal_colour
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.remembered import STORE
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.view import square_on
from tests.samples import bare_scene, the_draft

WHITE, BLACK = (0.8, 0.8, 0.8), (0.02, 0.02, 0.02)
SIZE = (96, 96)


def plate(back=0.0, half=30.0, out=-1.0):
    """A square facing the viewer (-y), its uv in mm about its middle."""
    u, z = np.meshgrid(np.linspace(-half, half, 5), np.linspace(-half, half, 5))
    points = np.stack([u, np.full_like(u, back), z], axis=-1)
    normals = np.broadcast_to([0.0, out, 0.0], points.shape)
    return grid(points, normals, np.stack([u, z], axis=-1))


def shown(*items, room=None):
    """The linear middle of the draft and of the mockup, (k, k, 3) each, of items in an even room."""
    light = np.full((64, 128, 3), 0.5, dtype=np.float32) if room is None else room
    things = tuple(Item(str(n), None, mesh, material) for n, (mesh, material) in enumerate(items))
    scene = bare_scene(things, light, 45.0)
    view = square_on(np.zeros(3), np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]), 30.0)
    draft = srgb_decode(the_draft().render(scene, view, SIZE)[..., :3] / 255)
    return draft, Mockup(scene).linear(view, SIZE, 48, clean=False)


class Lying(unittest.TestCase):
    def test_a_picture_stands_upright_and_reads_from_the_left(self):
        """Row 0 of a texture is its lower edge: light above, and at the right."""
        tint = np.full((64, 64, 3), 0.05, dtype=np.float32)
        tint[32:, 32:] = 0.8
        flat = np.zeros((4, 4, 2), dtype=np.float32)
        material = Material("matte", (1.0, 1.0, 1.0), texture=Texture(60.0, tint, flat))
        mesh = plate()
        mesh = replace(mesh, uv=mesh.uv + 30)
        for picture in shown((mesh, material)):
            self.assertGreater(picture[8:40, 56:88].mean(), 0.3)
            for rows, columns in ((slice(8, 40), slice(8, 40)), (slice(56, 88), slice(8, 88))):
                self.assertLess(picture[rows, columns].mean(), 0.06)

    def test_a_relief_leans_the_way_it_rises(self):
        """A slope that rises upwards faces down: it sees the dark half of the room."""
        room = np.full((64, 128, 3), 0.02, dtype=np.float32)
        room[:32] = 0.9  # row 0 is straight up
        tint = np.ones((8, 8, 3), dtype=np.float32)
        slope = np.zeros((8, 8, 2), dtype=np.float32)
        slope[..., 1] = 0.6
        leaning = Material("metal", WHITE, 0.3, texture=Texture(10.0, tint, slope))
        level = Material("metal", WHITE, 0.3)
        for one, other in zip(
            shown((plate(), leaning), room=room), shown((plate(), level), room=room), strict=True
        ):
            self.assertLess(one[30:60, 30:60].mean(), 0.85 * other[30:60, 30:60].mean())

    def test_half_of_a_cover_is_the_mean_of_both(self):
        half = Amount(np.full((4, 4), 0.5, dtype=np.float32), (10.0, 10.0))
        under = Material("matte", WHITE, covers=(Cover(Material("matte", BLACK), half),))
        for picture in shown((plate(), under)):
            found = picture[30:60, 30:60].mean() / 0.5
            self.assertAlmostEqual(found, (WHITE[0] + BLACK[0]) / 2, delta=0.012)

    def test_a_cover_lies_where_its_box_says_whatever_the_grain(self):
        values = np.zeros((32, 32), dtype=np.float32)
        values[:16, 16:] = 1.0  # below, at the right of its box
        values[[0, -1]] = values[:, [0, -1]] = 0.0
        spot = Amount(values, (40.0, 40.0), (-20.0, -20.0), repeats=False)
        self.assertTrue(np.allclose(np.array([20.0, -20.0, 1.0]) @ cover_matrix(spot), (1, 0)))
        for grain in (0.0, 70.0):
            made = Material(
                "matte", WHITE, grain_deg=grain, covers=(Cover(Material("matte", BLACK), spot),)
            )
            for picture in shown((plate(), made)):
                self.assertLess(picture[56:72, 56:72].mean(), 0.05)
                for rows, columns in ((slice(24, 44), slice(24, 72)), (slice(52, 72), slice(24, 44))):
                    self.assertGreater(picture[rows, columns].mean(), 0.35)


class Brushed(unittest.TestCase):
    def test_light_is_drawn_out_across_the_grain(self):
        """A band of light above the mirror's direction is seen by brushing level with it, not by brushing
        upright; both pictures say the same."""
        room = np.full((64, 128, 3), 0.02, dtype=np.float32)
        room[14:24] = 4.0  # 22 to 50 degrees above level
        found = {}
        for grain in (0.0, 90.0):
            metal = Material("metal", (0.9, 0.9, 0.9), 0.05, grain_deg=grain, across=0.36)
            found[grain] = [p[30:60, 30:60].mean() for p in shown((plate(), metal), room=room)]
        for which in (0, 1):
            self.assertGreater(found[0.0][which], 3 * found[90.0][which])
        self.assertAlmostEqual(found[0.0][0] / found[0.0][1], 1.0, delta=0.25)

    def test_an_even_room_is_mirrored_evenly(self):
        for across in (0.0, 0.3):
            metal = Material("metal", (0.9, 0.9, 0.9), 0.1, across=across)
            draft, mockup = (p[30:60, 30:60].mean() for p in shown((plate(), metal)))
            self.assertAlmostEqual(draft / mockup, 1.0, delta=0.06)


class Glass(unittest.TestCase):
    def box(self, near=-16.0, far=-8.0, half=26.0):
        """A closed slab of glass."""
        front, back = plate(near, half), plate(far, half, out=1.0)
        sides = []
        for turn in range(4):
            c, s = np.cos(turn * np.pi / 2), np.sin(turn * np.pi / 2)
            y, w = np.meshgrid([near, far], np.linspace(-half, half, 3))
            points = np.stack([half * c - w * s, y, half * s + w * c], axis=-1)
            normals = np.broadcast_to([c, 0.0, s], points.shape)
            sides.append(grid(points, normals, np.stack([y, w], axis=-1)))
        return join([front, back, *sides])

    def test_what_is_behind_is_seen_through_it(self):
        """Two faces of glass let (1 - 0.0426)² through, and twice that again for light that comes back:
        Fresnel at n = 1.52, from the closed form."""
        red = (plate(4.0), Material("matte", (0.7, 0.05, 0.05)))
        clear = Material("glass", (1.0, 1.0, 1.0), 0.01)
        bare = shown(red)
        through = shown(red, (self.box(), clear))
        share = 1 - ((1.52 - 1) / (1.52 + 1)) ** 2
        for before, after in zip(bare, through, strict=True):
            one, other = before[40:56, 40:56].mean(axis=(0, 1)), after[40:56, 40:56].mean(axis=(0, 1))
            self.assertGreater(other[0] / other[1], 2.5)
            self.assertGreater(other[0] / one[0], share**4 - 0.12)
            self.assertLess(other[0] / one[0], 1.1)

    def test_tint_and_frost(self):
        white = (plate(4.0), Material("matte", WHITE))
        green = Material("glass", (0.3, 0.9, 0.5), 0.01)
        for picture in shown(white, (self.box(), green)):
            r, g, b = picture[40:56, 40:56].mean(axis=(0, 1))
            self.assertGreater(g, 1.1 * r)
            self.assertGreater(g, b)
        # an edge behind frosted glass is lost
        stripes = np.full((64, 64, 3), 0.02, dtype=np.float32)
        stripes[:, ::2] = 1.0
        behind = Material("matte", WHITE, texture=Texture(60.0, stripes, np.zeros((4, 4, 2), np.float32)))
        spread = {}
        for alpha in (0.01, 0.5):
            glass = Material("glass", (1.0, 1.0, 1.0), alpha)
            spread[alpha] = [
                p[30:66, 30:66].std() for p in shown((plate(4.0), behind), (self.box(), glass))
            ]
        for which in (0, 1):
            self.assertLess(spread[0.5][which], 0.7 * spread[0.01][which])


class SentBack(unittest.TestCase):
    def test_what_is_behind_the_eye_is_seen_by_its_light(self):
        """Closed form: a share s of radiance L from behind the eye comes back as s L times the albedo;
        it is added to what the surface returns anyhow."""
        dim = np.full((64, 128, 3), 0.05, dtype=np.float32)
        bright = dim.copy()
        # behind the eye is -y, level: the middle of the picture's rows, all columns that face so
        azimuth = (np.arange(128) + 0.5) / 128 * 2 * np.pi
        facing = np.cos(azimuth) < -0.3
        bright[18:46, facing] = 0.8
        none = Amount(np.zeros((2, 2), dtype=np.float32), (10.0, 10.0))
        cover = (Cover(Material("matte", BLACK), none),)
        plain = Material("matte", (0.5, 0.5, 0.5), covers=cover)
        film = Material("matte", (0.5, 0.5, 0.5), covers=cover, sends_back=0.4)
        for which, name in enumerate(("draft", "mockup")):
            gains = []
            for room in (dim, bright):
                with_, without = (shown((plate(), m), room=room)[which] for m in (film, plain))
                gains.append(float((with_ - without)[40:56, 40:56].mean()))
            self.assertAlmostEqual(gains[0], 0.4 * 0.5 * 0.05, delta=0.004, msg=name)
            self.assertAlmostEqual(gains[1] / (0.4 * 0.5 * 0.8), 1.0, delta=0.08, msg=name)


class Amounts(unittest.TestCase):
    def test_they_cover_what_they_say(self):
        for share in (0.03, 0.1, 0.3):
            self.assertAlmostEqual(float(flecks(share).values.mean()), share, delta=0.25 * share)
        means = [float(patches(p).values.mean()) for p in (10, 30, 60, 90)]
        self.assertEqual(means, sorted(means))
        self.assertAlmostEqual(means[1], 0.3, delta=0.12)
        few, many = (float(scratches(p, 1).values.mean()) for p in (20, 80))
        self.assertGreater(many, 2 * few)
        self.assertLess(many, 0.15)

    def test_the_same_seed_the_same_scratches(self):
        STORE.clear()
        one = scratches(50, 3).values
        STORE.clear()
        np.testing.assert_array_equal(one, scratches(50, 3).values)
        self.assertGreater(np.abs(one - scratches(50, 4).values).max(), 0.3)


class GoldAlloys(unittest.TestCase):
    """Source: common practice of goldsmiths: less gold is paler, copper reddens, palladium whitens."""

    def of(self, carat, alloy):
        return lab(np.array(gold_colour(carat, alloy)))

    def test_hue_and_depth(self):
        fine = self.of(24, "yellow")
        np.testing.assert_array_equal(gold_colour(24, "white"), metal_colour("gold"))
        chroma = [float(np.hypot(*self.of(c, "yellow")[1:])) for c in (24, 18, 14, 9)]
        self.assertEqual(chroma, sorted(chroma, reverse=True))
        self.assertGreater(self.of(18, "red")[1], self.of(18, "yellow")[1] + 4)
        white = self.of(14, "white")
        self.assertLess(np.hypot(*white[1:]), 0.5 * np.hypot(*fine[1:]))


if __name__ == "__main__":
    unittest.main()
