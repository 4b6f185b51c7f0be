"""Folds of cloth from its light, and lettering on them, against closed forms and against a photo of a known
cloth that is made here, ray by ray."""

import functools
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image
from scipy import ndimage

from kilnchisel.core.build import outline_of, scene_of_job, view_of
from kilnchisel.core.colour import delta_e, srgb_decode, srgb_encode
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Paper, Wear
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.photo import Folds, Pull, Rectangle
from kilnchisel.core.photo.folds import followed, heights_of_light
from kilnchisel.core.photo.reading import photo_taken
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.onfolds import warp_of
from kilnchisel.core.scene.photojob import in_photo, taken_in
from tests.samples import the_draft


class Following(unittest.TestCase):
    def test_across_a_fold_it_is_the_length_of_its_arc(self):
        """u - x is the integral of sqrt(1 + h'^2) - 1 (the arc length of a curve)."""
        x = np.arange(400.0)
        slope = -6 * 2 * np.pi / 64 * np.sin(2 * np.pi * x / 64)
        heights = np.tile(6 * np.cos(2 * np.pi * x / 64), (90, 1))
        longer = np.cumsum(np.sqrt(1 + slope**2) - 1)
        found = followed(heights, 1.0)
        np.testing.assert_allclose(found[45, 20:380, 0], (longer - longer[200])[20:380], atol=0.25)
        self.assertLess(np.abs(found[..., 1]).max(), 1e-9)

    def test_a_fold_in_any_direction_keeps_lengths(self):
        """The strain asked for is taken up everywhere: what lies on it is not stretched at all."""
        y, x = np.mgrid[:200, :240].astype(float)
        for turn in (0.4, 1.1, -0.7):
            along = x * np.cos(turn) + y * np.sin(turn)
            slope = 4 * 2 * np.pi / 50 * np.cos(2 * np.pi * along / 50)
            found = followed(4 * np.sin(2 * np.pi * along / 50), 1.0)
            strain = np.sqrt(1 + slope**2) - 1
            right, up = (np.gradient(found[..., i], axis=(1, 0)) for i in (0, 1))
            inner = (slice(60, -60),) * 2
            for part, share in (
                (right[0], np.cos(turn) ** 2),
                (up[1], np.sin(turn) ** 2),
                ((right[1] + up[0]) / 2, np.cos(turn) * np.sin(turn)),
            ):
                self.assertLess(np.abs(part - share * strain)[inner].max(), 0.012 * strain.max() + 1e-3)

    def test_flat_cloth_moves_nothing(self):
        self.assertEqual(np.abs(followed(np.zeros((40, 50)), 2.0)).max(), 0)


class Heights(unittest.TestCase):
    def test_from_the_light_of_a_matt_surface(self):
        """Lambert's law: as light as the cosine of the angle to the light, here exact, the light at 45°."""
        y, x = np.mgrid[:260, :300].astype(float)
        for turn, light in ((0.3, 20), (1.2, 90), (0.8, 200)):
            along = x * np.cos(turn) + y * np.sin(turn)
            heights = 2.5 * np.sin(2 * np.pi * along / 60)
            up, right = np.gradient(heights)
            to = np.radians(light)
            cosine = 1 - (right * np.cos(to) + up * np.sin(to))
            shown = 0.4 * np.maximum(cosine, 0) / np.sqrt(1 + right**2 + up**2)
            shown *= 0.8 + 0.4 * x / 300  # and a slow light over it
            found = heights_of_light(shown, 1.0, 60.0, light)
            inner = (slice(40, -40),) * 2
            # of what is slow nothing is known, and it bends nothing: slopes count
            a, b = (np.stack(np.gradient(one))[:, *inner].ravel() for one in (found, heights))
            self.assertGreater((a * b).sum() / np.sqrt((a * a).sum() * (b * b).sum()), 0.93, light)
            self.assertAlmostEqual(a.std() / b.std(), 1, delta=0.2)

    def test_an_edge_of_the_cloth_is_no_fold(self):
        shown = np.full((120, 160), 0.4)
        shown[:, 110:] = 0.02  # what is behind it
        heights = heights_of_light(shown, 1.0, 40.0, 0.0)
        slopes = np.abs(np.gradient(heights[:, :60], axis=1))
        self.assertLess(slopes.max(), 0.25)


SIZE, PX = (560, 420), 1.6  # of the photo, pixels, and pixels of a mm straight on
DEEP, WIDE, TURN = 3.6, 56.0, 0.35  # of the folds, mm and radians
DISTANCE = 900.0
EXPOSED, CARD = 0.6, ((20.0, 20.0), (20.0, 20.0))
INK, CLOTH = np.array([0.02, 0.025, 0.05]), np.array([0.48, 0.48, 0.48])
SLANT = np.radians(14)  # of the camera to the cloth's normal


def height(x, y):
    return DEEP * np.sin(2 * np.pi * (x * np.cos(TURN) + y * np.sin(TURN)) / WIDE)


@functools.cache
def seen():
    """Of each pixel of the photo, where on the plane below the cloth it looks, (h, w) mm each, and the
    camera: a pinhole DISTANCE away, slanted, found by halving along every ray."""
    right = np.array([np.cos(SLANT), 0, np.sin(SLANT)])
    back = np.array([-np.sin(SLANT), 0, np.cos(SLANT)])
    eye, focal = DISTANCE * back, DISTANCE * PX
    columns, rows = np.meshgrid(np.arange(SIZE[0]) + 0.5, np.arange(SIZE[1]) + 0.5)
    ways = (
        (columns - SIZE[0] / 2)[..., None] / focal * right
        + (SIZE[1] / 2 - rows)[..., None] / focal * np.array([0, 1.0, 0])
        - back
    )
    near, far = np.full(columns.shape, 0.8 * DISTANCE), np.full(columns.shape, 1.25 * DISTANCE)
    for _ in range(40):
        middle = (near + far) / 2
        spots = eye + middle[..., None] * ways
        above = spots[..., 2] > height(spots[..., 0], spots[..., 1])
        near, far = np.where(above, middle, near), np.where(above, far, middle)
    return spots[..., 0], spots[..., 1], (eye, right, back, focal)


def on_photo(points):
    """Points (n, 3) mm of the cloth's frame as pixels of the photo."""
    eye, right, back, focal = seen()[2]
    away = np.asarray(points, float) - eye
    depth = -(away @ back)
    return np.stack(
        [SIZE[0] / 2 + focal * (away @ right) / depth, SIZE[1] / 2 - focal * away[:, 1] / depth], axis=1
    )


@functools.cache
def mockup():
    _, scene, view, *_ = known()
    *_, made = Mockup(scene).refine(view, SIZE, 16, looks=())
    return made.pixels


@functools.cache
def laid_flat():
    """The cloth laid flat: what along its folds' direction the arc adds, by the direction's mm, about 0."""
    at = np.linspace(-400, 400, 80001)
    slope = DEEP * 2 * np.pi / WIDE * np.cos(2 * np.pi * at / WIDE)
    longer = np.concatenate([[0], np.cumsum(np.sqrt(1 + slope[:-1] ** 2) - 1)]) * (at[1] - at[0])
    return at, longer - np.interp(0, at, longer)


def flat_of(x, y):
    """Where what is over (x, y) of the plane is on the cloth laid flat."""
    along = x * np.cos(TURN) + y * np.sin(TURN)
    more = np.interp(along, *laid_flat())
    return x + more * np.cos(TURN), y + more * np.sin(TURN)


@functools.cache
def known():
    """The photo of the cloth as a file's bytes, the job on it, its scene, view and warp."""
    x, y, _ = seen()
    slope = DEEP * 2 * np.pi / WIDE * np.cos(2 * np.pi * (x * np.cos(TURN) + y * np.sin(TURN)) / WIDE)
    # light from the right at 45 degrees
    lit = np.maximum(1 - slope * np.cos(TURN), 0) / np.sqrt(1 + slope**2)
    lit = EXPOSED * lit
    rng = np.random.default_rng(5)
    light = CLOTH * lit[..., None]
    light[:40, :40] = 0.8 * EXPOSED  # a white card that faces the camera, by which the light is told
    shown = 255 * srgb_encode(light) + rng.normal(0, 1.0, (*lit.shape, 3))
    corners = [(-130, -90, 0), (130, -90, 0), (130, 90, 0), (-130, 90, 0)]
    told = Rectangle(corners=tuple(map(tuple, on_photo(corners).tolist())), width_mm=260.0, height_mm=180.0)
    job = fresh_job("plaque", "TARN")
    job = change(job, ("wear",), Wear())
    folds = Folds(wide_mm=WIDE, light_deg=0.0)
    for path, value in (
        (("blank", "width_mm"), 260.0),
        (("blank", "height_mm"), 180.0),
        (("letterings", 0, "craft"), Printed()),
        (("letterings", 0, "finish"), Paper(colour="#262b3f")),
        (("letterings", 0, "content", "cap_height_mm"), 55.0),
    ):
        job = change(job, path, value)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "cloth.jpg"
        Image.fromarray(np.rint(np.clip(shown, 0, 255)).astype(np.uint8)).save(path, quality=93)
        taken = photo_taken(path)
    own = DISTANCE * PX / SIZE[0] * 36
    photo = taken_in(taken, told, shown="lettering", folds=folds, lens_mm=own, white=CARD)
    job = in_photo(job, photo)
    scene, view = scene_of_job(job), view_of(job, SIZE[0] / SIZE[1])
    return job, scene, view, warp_of(scene, view, SIZE), lit


def truth():
    """The cloth with the lettering printed on it, (h, w, 3) 0..1 sRGB, and where that is."""
    job, *_, lit = known()
    x, y, _ = seen()
    region = outline_of(job.letterings[0].content).ink
    middle = np.array(region.envelope.centroid.coords[0])
    import shapely

    u, v = flat_of(x, y)
    steps = (np.arange(4) + 0.5) / 4 - 0.5
    du, dv = np.gradient(u, axis=(1, 0)), np.gradient(v, axis=(1, 0))
    cover = np.mean(
        [
            shapely.contains_xy(
                region,
                u + a * du[0] + b * du[1] + middle[0],
                v + a * dv[0] + b * dv[1] + middle[1],
            )
            for a in steps
            for b in steps
        ],
        axis=0,
    )[..., None]
    return srgb_encode((cover * INK + (1 - cover) * CLOTH) * lit[..., None]), cover[..., 0]


class OnKnownCloth(unittest.TestCase):
    def test_every_spot_is_where_the_bent_cloth_has_it(self):
        *_, warp, _ = known()
        u, v = np.meshgrid(np.linspace(-80, 80, 17), np.linspace(-25, 25, 6))
        # where on the plane what is at (u, v) of the flat cloth lies: by search along the folds
        along = u * np.cos(TURN) + v * np.sin(TURN)
        at, more = laid_flat()
        x = u - np.cos(TURN) * np.interp(along, at + more, more)
        y = v - np.sin(TURN) * np.interp(along, at + more, more)
        spots = np.stack([x, y, height(x, y)], axis=-1).reshape(-1, 3)
        pixels = on_photo(spots)
        flat = on_photo(np.stack([u, v, np.zeros_like(u)], axis=-1).reshape(-1, 3))
        places = (pixels - 0.5).T[::-1]
        found = np.stack(
            [ndimage.map_coordinates(one, places, order=1) + 0.5 for one in (warp.x, warp.y)], axis=1
        )
        moved = np.linalg.norm(flat - pixels, axis=1)
        off = found - flat
        off -= off.mean(axis=0)  # the whole may lie elsewhere on the cloth
        self.assertGreater(moved.max(), 4)
        self.assertLess(np.linalg.norm(off, axis=1).mean(), 0.6)
        self.assertLess(np.linalg.norm(off, axis=1).max(), 1.5)

    def test_the_lettering_is_as_it_would_be_there(self):
        job, scene, view, _, _ = known()
        true, cover = truth()
        made = mockup()
        inner = cover > 0.99
        off = delta_e(srgb_decode(made[inner] / 255), srgb_decode(true[inner]))
        self.assertLess(off.mean(), 6.0)
        plain = job.setting.photo.model_copy(update={"folds": None})
        without = change(job, ("setting", "photo"), plain)
        *_, flat = Mockup(scene_of_job(without)).refine(view, SIZE, 4, looks=())

        def shape(pixels):
            return pixels.astype(float).mean(axis=2) < 75

        union, both = shape(made) | (cover > 0.5), shape(made) & (cover > 0.5)
        before = (shape(flat.pixels) & (cover > 0.5)).sum() / (shape(flat.pixels) | (cover > 0.5)).sum()
        self.assertGreater(both.sum() / union.sum(), 0.9)
        self.assertGreater(both.sum() / union.sum(), before + 0.02)
        # the draft agrees with the mockup
        drawn = the_draft().render(scene, view, SIZE, detail=Detail.FINE)
        self.assertLess(
            delta_e(srgb_decode(drawn[inner][:, :3] / 255), srgb_decode(true[inner])).mean(), 9.0
        )
        self.assertGreater((shape(drawn[..., :3]) & (cover > 0.5)).sum() / union.sum(), 0.85)

    def test_nothing_but_the_lettering_changes(self):
        _, scene, *_ = known()
        _, cover = truth()
        beside = ndimage.maximum_filter(cover, 31) == 0
        np.testing.assert_array_equal(mockup()[beside], scene.photo.pixels[beside])

    def test_pulled_by_hand_it_is_where_it_was_pulled(self):
        job, _, view, warp, _ = known()
        at, to = (250.0, 200.0), (262.0, 185.0)
        pulls = (Pull(at=at, to=to), Pull(at=(360.0, 220.0), to=(360.0, 220.0)))
        folds = job.setting.photo.folds.model_copy(update={"pulls": pulls})
        made = warp_of(scene_of_job(change(job, ("setting", "photo", "folds"), folds)), view, SIZE)

        def looked_up(one, spot):
            places = np.array([[spot[1] - 0.5], [spot[0] - 0.5]])
            return [float(ndimage.map_coordinates(v, places, order=1)[0]) for v in (one.x, one.y)]

        np.testing.assert_allclose(looked_up(made, to), looked_up(warp, at), atol=0.6)
        np.testing.assert_allclose(looked_up(made, (360, 220)), looked_up(warp, (360, 220)), atol=0.6)
