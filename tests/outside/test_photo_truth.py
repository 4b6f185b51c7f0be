"""A piece put into a photo against the same piece where the photo was taken: photos are pictures of a known
place, sun and camera, made here without the piece, with grain and as JPEG."""

import functools
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image
from scipy import ndimage

from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.colour import delta_e, srgb_decode
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Ink
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.photo import Rectangle
from kilnchisel.core.job.setting import Ground, KeyLight, Light, StudioLight
from kilnchisel.core.photo.camera import stood_for
from kilnchisel.core.photo.lens import curved, straight
from kilnchisel.core.photo.masks import kept_mask
from kilnchisel.core.photo.reading import photo_taken
from kilnchisel.core.picture.grass import hidden_by_grass
from kilnchisel.core.picture.likeness import grain, grained, softness
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.photojob import in_photo, taken_in
from kilnchisel.core.scene.photolight import sun_by_shadow
from tests.samples import the_draft

SIZE = (480, 320)
SAMPLES = 32
SUN = StudioLight(kind="sun", turn_deg=-50, tilt_deg=38, strength=70, kelvin=5000)
GRAIN, CHANGED = 1.5, 8  # steps of 255


def where_it_was():
    """A plate that stands on concrete in the sun, and the camera before it."""
    job = fresh_job("plaque", "TARN")
    light = Light(room="even", strength=60, key=KeyLight(strength=0), lamps=(SUN,))
    ground = Ground(kind="concrete", behind="plain", behind_colour="#90a0b0")
    camera = job.setting.camera.model_copy(
        update={"turn_deg": 22, "tilt_deg": 24, "distance_mm": 900, "lens_mm": 50}
    )
    update = {"stance": "standing", "light": light, "ground": ground, "camera": camera}
    update |= {"exposure": "by hand", "exposure_stops": 0.0}
    return change(job, ("setting",), job.setting.model_copy(update=update))


def traced(scene, view, samples=SAMPLES):
    *_, made = Mockup(scene).refine(view, SIZE, samples, looks=())
    return made.pixels


@functools.cache
def known():
    """The job, its view, the picture of it there, the photo of the place and its file's bytes."""
    job = where_it_was()
    scene, view = scene_of_job(job), view_of(job, SIZE[0] / SIZE[1])
    truth, empty = traced(scene, view), traced(replace(scene, items=()), view)
    noise = np.random.default_rng(1).normal(0, GRAIN, empty.shape)
    grainy = np.clip(np.rint(empty + noise), 0, 255).astype(np.uint8)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "place.jpg"
        Image.fromarray(grainy).save(path, quality=93, subsampling=0)
        taken = photo_taken(path)
        seen = np.asarray(Image.open(path))
    return job, view, truth, empty, taken, seen


def rectangle_there(noise=0.08):
    """A sheet of 360 x 320 mm that lies about the piece, as one marks it in the photo: to a quarter pixel
    in one of usual size."""
    view = known()[1]
    flat = np.array([[-180, -160, 0], [180, -160, 0], [180, 160, 0], [-180, 160, 0]], float)
    marks = view.project(flat, SIZE)[:, :2] + np.random.default_rng(3).normal(0, noise, (4, 2))
    corners = tuple((float(x), float(y)) for x, y in marks)
    return Rectangle(corners=corners, width_mm=360, height_mm=320, on="ground")


def put_there(**more):
    job, taken = known()[0], known()[4]
    return change(job, ("setting", "photo"), taken_in(taken, rectangle_there(), **more))


@functools.cache
def mocked_up():
    job = put_there()
    return traced(scene_of_job(job), view_of(job, SIZE[0] / SIZE[1]))


def differs(picture, other):
    return np.abs(picture.astype(int) - other).max(axis=2) > CHANGED


class AgainstTheTruth(unittest.TestCase):
    def test_the_camera(self):
        view, stood = known()[1], stood_for(put_there().setting.photo)
        self.assertAlmostEqual(stood.focal_px / (SIZE[1] / 2 / view.tall), 1, delta=0.02)
        self.assertLess(np.linalg.norm(stood.eye - view.eye) / np.linalg.norm(view.eye), 0.01)
        self.assertLess(np.degrees(np.arccos(stood.ahead @ view.ahead)), 0.5)

    def test_the_mockup_and_its_shadow(self):
        _, _, truth, empty, _, seen = known()
        made = mocked_up()
        there = differs(truth, empty)
        off = delta_e(srgb_decode(truth / 255), srgb_decode(made / 255))
        self.assertLess(off[there].mean(), 3.0)  # 6 is asked for
        here = differs(made, seen)
        self.assertGreater((here & there).sum() / (here | there).sum(), 0.9)

    def test_the_draft(self):
        _, _, truth, empty, _, _ = known()
        job = put_there()
        drawn = the_draft().render(scene_of_job(job), view_of(job, SIZE[0] / SIZE[1]), SIZE)[..., :3]
        there = differs(truth, empty)
        off = delta_e(srgb_decode(truth / 255), srgb_decode(drawn / 255))
        self.assertLess(off[there].mean(), 6.0)

    def test_what_is_not_lettered_stays(self):
        """To the last bit, but for a stray ray: which those are depends on how wide the processor's vectors
        are."""
        _, _, truth, empty, _, seen = known()
        made = mocked_up()
        near = differs(truth, empty)
        rows, columns = np.nonzero(near)
        kept = np.ones(near.shape, bool)
        kept[max(rows.min() - 30, 0) : rows.max() + 30, max(columns.min() - 40, 0) : columns.max() + 40] = (
            False
        )
        self.assertGreater(kept.mean(), 0.3)
        off = np.abs(made[kept].astype(int) - seen[kept]).max(axis=1)
        self.assertLess((off > 0).mean(), 1e-4)
        self.assertLessEqual(off.max(), 2)

    def test_moved_and_turned_it_is_where_the_truth_says(self):
        view = known()[1]
        job = put_there(beside_mm=60.0, beyond_mm=-40.0, turn_deg=25.0)
        own = view_of(job, SIZE[0] / SIZE[1])
        turn = np.radians(25.0)
        along = np.array([np.cos(turn), np.sin(turn), 0.0])
        for mm in (-80.0, 0.0, 80.0):
            here = own.project(np.array([[mm, 0.0, 0.0]]), SIZE)[0, :2]
            there = view.project((np.array([60.0, -40.0, 0.0]) + mm * along)[None], SIZE)[0, :2]
            self.assertLess(np.linalg.norm(here - there), 1.0)


class ThroughABendingLens(unittest.TestCase):
    def test_the_piece_is_bent_as_the_photo_is(self):
        """The plain truth seen through a lens that bends by 12 %, by resampling: the piece put into that
        photo is where the bent truth has it, in the mockup and in the draft."""
        job, _, truth, empty, *_ = known()
        bent = 0.12
        y, x = np.mgrid[: SIZE[1], : SIZE[0]]
        spots = straight(np.stack([x.ravel() + 0.5, y.ravel() + 0.5], axis=1), bent, SIZE) - 0.5

        def seen_through(pixels):
            places = spots.T[::-1]
            channels = [
                ndimage.map_coordinates(pixels[..., k].astype(float), places, order=1, mode="nearest")
                for k in range(3)
            ]
            return np.stack(channels, axis=-1).reshape(pixels.shape).round().astype(np.uint8)

        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "bent.png"
            Image.fromarray(seen_through(empty)).save(path)
            taken = photo_taken(path)
        corners = curved(np.array(rectangle_there().corners), bent, SIZE)
        told = rectangle_there().model_copy(update={"corners": tuple(map(tuple, corners.tolist()))})
        photo = taken_in(taken, told, bent=bent, soft=0.0, grain=0.0)
        put = change(job, ("setting", "photo"), photo)
        light = put_there().setting.light
        put = change(put, ("setting", "light"), light)
        scene, own = scene_of_job(put), view_of(put, SIZE[0] / SIZE[1])
        wanted = np.abs(seen_through(truth).astype(int) - seen_through(empty)).max(axis=2) > 40
        straight_one = np.abs(truth.astype(int) - empty).max(axis=2) > 40

        def same(pixels):
            found = np.abs(pixels.astype(int) - scene.photo.pixels).max(axis=2) > 40
            return (found & wanted).sum() / (found | wanted).sum()

        *_, made = Mockup(scene).refine(own, SIZE, 8, looks=())
        without = (straight_one & wanted).sum() / (straight_one | wanted).sum()
        self.assertGreater(same(made.pixels), max(0.9, without + 0.03))
        self.assertGreater(same(the_draft().render(scene, own, SIZE)[..., :3]), 0.88)


class TheSun(unittest.TestCase):
    def test_by_a_pole_and_its_shadow(self):
        view = known()[1]
        turn, tilt = np.radians([SUN.turn_deg, SUN.tilt_deg])
        toward = np.array([np.sin(turn) * np.cos(tilt), -np.cos(turn) * np.cos(tilt), np.sin(tilt)])
        foot, tall = np.array([-60.0, 40.0, 0.0]), 110.0
        tip = foot - toward * tall / toward[2] + (0, 0, tall)
        marks = view.project(np.array([foot, tip, foot + (0, 0, tall)]), SIZE)[:, :2]
        marks = marks + np.random.default_rng(2).normal(0, 0.25, (3, 2))
        photo = put_there().setting.photo
        found = sun_by_shadow(photo, *(tuple(mark) for mark in marks))
        self.assertAlmostEqual(found[0], SUN.turn_deg, delta=3.0)
        self.assertAlmostEqual(found[1], SUN.tilt_deg, delta=3.0)
        only = sun_by_shadow(photo, *(tuple(mark) for mark in marks[:2]))
        self.assertAlmostEqual(only[0], SUN.turn_deg, delta=3.0)

    def test_the_light_of_the_photo_itself(self):
        """Direction by its shadow, strength and colour by a white thing in the sun and in the shade."""
        job, view, truth, empty, taken, _ = known()
        turn, tilt = np.radians([SUN.turn_deg, SUN.tilt_deg])
        toward = np.array([np.sin(turn) * np.cos(tilt), -np.cos(turn) * np.cos(tilt), np.sin(tilt)])
        tip = np.array([0.0, 0.0, 100.0]) - toward * 100.0 / toward[2]
        shadow = view.project(np.array([[0.0, 0, 0], tip, [0, 0, 100.0]]), SIZE)[:, :2]
        made = in_photo(job, taken_in(taken, rectangle_there(), shadow=tuple(map(tuple, shadow))))
        lamp = made.setting.light.lamps[0]
        self.assertAlmostEqual(lamp.turn_deg, SUN.turn_deg, delta=3.0)
        picture = traced(scene_of_job(made), view_of(made, SIZE[0] / SIZE[1]), 12)
        there = differs(truth, empty)
        off = delta_e(srgb_decode(truth / 255), srgb_decode(picture / 255))
        self.assertLess(off[there].mean(), 12.0)  # its strength was not told


class BehindSomething(unittest.TestCase):
    def test_a_mask_hides_piece_and_shadow(self):
        _, _, _, _, _, seen = known()
        amount = np.zeros(SIZE[::-1])
        amount[:, 250:] = 1.0
        job = put_there(before=kept_mask(amount, "right half"))
        scene, view = scene_of_job(job), view_of(job, SIZE[0] / SIZE[1])
        made = traced(scene, view, 4)
        np.testing.assert_array_equal(made[:, 252:], seen[:, 252:])
        self.assertTrue(differs(made, seen)[:, :248].any())
        drawn = the_draft().render(scene, view, SIZE, detail=Detail.ROUGH)[..., :3]
        self.assertLess(np.abs(drawn[:, 252:].astype(int) - seen[:, 252:]).max(), 3)

    def test_one_lettering_passes_behind_it_and_another_before(self):
        seen = np.full((200, 300, 3), 150, np.uint8)
        amount = np.zeros((200, 300))
        amount[:, 130:170] = 1.0  # a pole
        seen[:, 130:170] = (40, 90, 60)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "wall.png"
            Image.fromarray(seen).save(path)
            taken = photo_taken(path)
        told = Rectangle(
            corners=((30.0, 170.0), (270.0, 170.0), (270.0, 30.0), (30.0, 30.0)),
            width_mm=240.0,
            height_mm=140.0,
        )
        job = fresh_job("plaque", "HHHHHH")
        job = change(job, ("blank", "width_mm"), 240.0)
        row = job.letterings[0].model_copy(update={"craft": Printed(), "finish": Ink(colour="#101018")})
        rows = tuple(
            row.model_copy(update={"lay": row.lay.model_copy(update={"across_mm": up}), "before": before})
            for up, before in ((28.0, False), (-28.0, True))
        )
        job = job.model_copy(update={"letterings": rows})
        photo = taken_in(taken, told, shown="lettering", before=kept_mask(amount, "pole"), soft=0.0)
        job = in_photo(job, photo)
        scene, view = scene_of_job(job), view_of(job, 1.5)
        *_, made = Mockup(scene).refine(view, (300, 200), 8, looks=())
        for pixels in (made.pixels, the_draft().render(scene, view, (300, 200))[..., :3]):
            inked = pixels.astype(int).sum(axis=2) < 120
            behind, before = inked[:100], inked[100:]
            self.assertTrue(behind[:, :128].any() and behind[:, 172:].any())
            self.assertFalse(behind[:, 132:168].any())
            self.assertTrue(before[:, 132:168].any())
            hidden = np.abs(pixels[:100, 132:168].astype(int) - seen[:100, 132:168])
            self.assertLess(hidden.max(), 4)


class Alike(unittest.TestCase):
    """Softness and grain against pictures whose own are known."""

    @classmethod
    def setUpClass(cls):
        rng = np.random.default_rng(2)
        cls.plain = np.zeros((600, 800))
        for _ in range(40):
            y, x = rng.integers(0, 520), rng.integers(0, 720)
            tall, wide = rng.integers(40, 160, 2)
            cls.plain[y : y + tall, x : x + wide] = rng.random()

    def photo(self, spread, deviation):
        """A picture with this softness, drawn at twice its size, and this grain."""
        soft = ndimage.gaussian_filter(self.plain, 2 * spread)[::2, ::2]
        noise = np.random.default_rng(5).normal(0, 1, (*soft.shape, 3)) * np.array(deviation)
        return np.clip(np.rint(soft[..., None] * 255 + noise), 0, 255).astype(np.uint8)

    def test_softness(self):
        for spread in (0.6, 1.0, 2.0, 3.0, 5.0):
            for deviation in (0.0, 1.5):
                with self.subTest(spread=spread, grain=deviation):
                    found = softness(self.photo(spread, [deviation] * 3))
                    self.assertAlmostEqual(found / spread, 1, delta=0.15)
        self.assertIsNone(softness(np.full((90, 90, 3), 99, np.uint8)))

    def test_grain_by_channel(self):
        found = grain(self.photo(1.0, (1.0, 2.0, 4.0))).mean(axis=0)
        np.testing.assert_allclose(found, (1.0, 2.0, 4.0), rtol=0.12)

    def test_it_is_given_to_the_piece_alone(self):
        pixels = np.full((80, 120, 3), 128, np.uint8)
        cover = np.zeros((80, 120))
        cover[:, 60:] = 1.0
        made = grained(pixels, cover, np.full((8, 3), 3.0), 1.0)
        np.testing.assert_array_equal(made[:, :60], pixels[:, :60])
        self.assertAlmostEqual(float(made[:, 60:].astype(float).std()), 3.0, delta=0.15)
        np.testing.assert_array_equal(grained(pixels, cover, np.full((8, 3), 3.0), 0.0), pixels)


class ByItsControls(unittest.TestCase):
    def test_softness_grain_and_grass_are_seen_in_the_mockup(self):
        def made(**more):
            job = put_there(**({"packed": 0, "halo": 0} | more))
            scene, view = scene_of_job(job), view_of(job, SIZE[0] / SIZE[1])
            *_, last = Mockup(scene).refine(view, SIZE, 4, looks=())
            return last.pixels.astype(int)

        plain = made(soft=0, grain=0)
        face = np.s_[132:145, 185:270, 1]  # of the plate, above its letters
        grainy = made(soft=0, grain=300)
        self.assertGreater(grainy[face].std(), plain[face].std() + 0.5)
        soft = made(soft=400, grain=0)
        across = np.s_[140, 160:330]  # over both of its edges
        steep = np.abs(np.diff(plain[across].sum(axis=1))).max()
        self.assertLess(np.abs(np.diff(soft[across].sum(axis=1))).max(), 0.8 * steep)
        grown = made(soft=0, grain=0, grown_mm=30.0)
        _, _, _, _, _, seen = known()
        foot = np.abs(plain - seen).max(axis=2) > 20
        foot[:185] = False
        self.assertLess((np.abs(grown - seen).max(axis=2) > 20)[foot].mean(), 0.9)


class InGrass(unittest.TestCase):
    def test_feet_that_stand_on_the_ground_are_hidden_and_what_hangs_over_it_is_not(self):
        """A T of 40 pixels on ground that is as near as it is, and under its arms farther away."""
        height, width, focal, far = 120, 160, 1000.0, 2000.0
        cover = np.zeros((height, width))
        cover[40:50, 50:110] = 1.0
        cover[50:80, 70:90] = 1.0
        down = np.arange(height)[:, None]
        ground = far * (79.5 - 30) / np.maximum(down - 30, 1.0)  # level ground, its horizon in row 30
        depth = np.where(cover > 0, far, np.broadcast_to(ground, cover.shape))
        tall_mm = 12.0  # 6 pixels there
        hidden = hidden_by_grass(cover, depth, tall_mm, focal)
        foot = hidden[74:80, 72:88]
        self.assertGreater(foot.mean(), 0.4)
        self.assertGreater(foot[-1].min(), 0.5)
        self.assertLess(hidden[:70].max(), 0.01)  # neither the arms nor what is higher than blades
        np.testing.assert_array_equal(hidden_by_grass(cover, depth, 0.0, focal), 0)
        np.testing.assert_array_equal(hidden_by_grass(np.zeros_like(cover), depth, 9.0, focal), 0)


class OnAWall(unittest.TestCase):
    def test_lettering_alone_lies_on_what_the_photo_shows(self):
        """A wall seen from the side: what is cut in is seen on the photo's own wall, the rest stays."""
        job, _, _, _, taken, seen = known()
        flat = np.array([[-180, 0, -100], [180, 0, -100], [180, 0, 100], [-180, 0, 100]], float)
        view = known()[1]
        corners = tuple((float(x), float(y)) for x, y in view.project(flat, SIZE)[:, :2])
        told = Rectangle(corners=corners, width_mm=360, height_mm=200)
        job = change(job, ("setting", "photo"), taken_in(taken, told, shown="lettering"))
        scene = scene_of_job(job)
        self.assertIsNone(scene.base)
        self.assertTrue(scene.bare)
        own = view_of(job, SIZE[0] / SIZE[1])
        made = traced(scene, own, 8)
        changed = differs(made, seen)
        self.assertGreater(changed.sum(), 200)  # the letters
        self.assertLess(changed.mean(), 0.05)
        # and they are where the plate's letters would be
        side = next(item for item in scene.items if item.mask.startswith("lettering"))
        points = side.mesh.points @ scene.stance[:3, :3].T + scene.stance[:3, 3]
        spots = own.project(points, SIZE)[:, :2]
        rows, columns = np.nonzero(changed)
        self.assertAlmostEqual(columns.min(), spots[:, 0].min(), delta=3)
        self.assertAlmostEqual(rows.max(), spots[:, 1].max(), delta=3)


if __name__ == "__main__":
    unittest.main()
