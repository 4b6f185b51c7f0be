import os
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np

from kilnchisel.core.build import piece_of, scene_of_job, square_on_view, view_of
from kilnchisel.core.colour import LUMA, fresnel_normal, light_of_kelvin
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes import textures, woods
from kilnchisel.core.finishes.finish import darkened, gloss_alpha, letter_material, material_of
from kilnchisel.core.finishes.material import Material, texture_uv
from kilnchisel.core.job.crafts import Engraved
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import (
    AsBlank,
    Brass,
    Cloth,
    Enamel,
    Gold,
    Grass,
    Masonry,
    Paint,
    PaintedWood,
    Paper,
    Silver,
    Slate,
    Stainless,
    Wood,
)
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.job.setting import Camera, KeyLight, Light
from kilnchisel.core.remembered import STORE
from kilnchisel.core.scene.clouds import cloud_over
from kilnchisel.core.scene.lamps import Panel, key_panel
from kilnchisel.core.scene.light import (
    ROOM_FILES,
    ROOM_WHITE,
    direction_to_uv,
    directions_of,
    look_up,
    room_of,
    seen_room,
    solid_angles,
    unfocused_room,
)
from kilnchisel.core.scene.openland import OPEN_SKIES
from kilnchisel.core.scene.view import walk_round
from tests.samples import mug_job, plaque_job


class Views(unittest.TestCase):
    def views(self):
        yield walk_round(Camera(turn_deg=30, tilt_deg=25), np.array([1.0, 2, 40]))
        yield walk_round(Camera(turn_deg=-20, tilt_deg=9, upright=True), np.array([1.0, 2, 40]))
        yield square_on_view(mug_job(), 0, 1.25)
        yield square_on_view(plaque_job(), 0, 0.8, zoom=3.0)

    def test_rays_and_projection_undo_each_other(self):
        size = (640, 400)
        pixels = np.random.default_rng(2).uniform((0, 0), size, (40, 2))
        for view in self.views():
            origins, ways = view.rays(pixels, size)
            points = origins + np.linspace(50, 900, 40)[:, None] * ways
            np.testing.assert_allclose(view.project(points, size)[:, :2], pixels, atol=1e-6)

    def test_clip_matrix_agrees_with_projection(self):
        size = (640, 400)
        points = np.random.default_rng(3).uniform(-40, 40, (30, 3)) + (0, 0, 40)
        for view in self.views():
            clip = np.column_stack([points, np.ones(30)]) @ view.clip_matrix(1.6).T
            ndc = clip[:, :2] / clip[:, 3:]
            pixels = np.stack([(ndc[:, 0] + 1) * 320, (1 - ndc[:, 1]) * 200], axis=1)
            np.testing.assert_allclose(pixels, view.project(points, size)[:, :2], atol=1e-6)

    def test_square_on_is_true_to_scale(self):
        job, size = plaque_job(), (800, 500)
        view = square_on_view(job, 0, 1.6)
        scene = scene_of_job(job)
        front = np.array([[-50, 0, 60], [50, 0, 60]]) @ scene.stance[:3, :3].T + scene.stance[:3, 3]
        apart = np.linalg.norm(np.diff(view.project(front, size)[:, :2], axis=0))
        self.assertAlmostEqual(apart * view.mm_per_pixel(front[0], size), 100.0, places=6)

    def test_the_camera_looks_at_the_middle_from_its_distance(self):
        job = mug_job()
        view = view_of(job)
        middle = scene_of_job(job).middle
        np.testing.assert_allclose(view.project(middle[None], (700, 560))[0, :2], (350, 280), atol=1e-6)
        self.assertAlmostEqual(np.linalg.norm(view.eye - middle), job.setting.camera.distance_mm)

    def test_upright_lines_stay_upright_and_the_middle_where_it_is(self):
        middle, size = np.array([0.0, 0.0, 500.0]), (640, 400)
        for tilt in (-8.0, 6.0, 20.0):
            camera = Camera(turn_deg=25, tilt_deg=tilt, distance_mm=4000)
            tilted, shifted = (
                walk_round(camera.model_copy(update={"upright": upright}), middle)
                for upright in (False, True)
            )
            posts = np.array(
                [[x, y, z] for x in (-900.0, 0, 900) for y in (-400.0, 700) for z in (0.0, 1500)]
            )
            seen = shifted.project(posts, size)[:, 0].reshape(-1, 2)
            np.testing.assert_allclose(seen[:, 0], seen[:, 1], atol=1e-9)
            leaning = tilted.project(posts, size)[:, 0].reshape(-1, 2)
            self.assertGreater(np.abs(np.diff(leaning, axis=1)).max(), 3.0)
            np.testing.assert_allclose(shifted.project(middle[None], size)[0, :2], (320, 200), atol=1e-9)
            np.testing.assert_allclose(tilted.eye, shifted.eye)

    def test_a_narrow_picture_sees_as_far_to_the_sides(self):
        job = plaque_job()
        wide, narrow = view_of(job, 1.25), view_of(job, 0.8)
        self.assertAlmostEqual(wide.tall * 1.25, narrow.tall * 0.8)
        self.assertEqual(view_of(job, 2.0).tall, wide.tall)

    def test_no_such_lettering(self):
        with self.assertRaises(KilnError):
            square_on_view(mug_job(), 5, 1.0)

    def test_a_light_that_may_be_in_the_picture_is_told_from_one_that_surely_is_not(self):
        """Source: points of each, one by one, through the middle of a lens and through its border."""
        rng = np.random.default_rng(4)
        size, within = (300, 200), np.linspace(-1, 1, 15)
        plain = view_of(mug_job())
        shifted = replace(plain, opening_mm=60.0, focus_mm=700.0, raised=0.2)
        level = replace(plain, parallel=True, tall=200.0)
        for name, view in (("plain", plain), ("shifted, open", shifted), ("parallel", level)):
            seen, may = 0, 0
            for _ in range(400):
                middle = view.eye + rng.normal(0, 900, 3)
                facing = rng.normal(0, 1, 3)
                panel = Panel(middle, facing / np.linalg.norm(facing), rng.uniform(20, 300, 2), np.ones(3))
                low, right, high, _ = panel.corners
                one, other = np.meshgrid(within, within)
                spots = panel.middle + 0.5 * (
                    one[..., None] * (right - low) + other[..., None] * (high - right)
                )
                spots = spots.reshape(-1, 3)
                found = False
                for turn in np.linspace(0, 2 * np.pi, 8) if view.opening_mm else (0.0,):
                    off = view.opening_mm / 2 * (np.cos(turn) * view.right + np.sin(turn) * view.up)
                    away = (spots - view.eye) @ view.ahead
                    if view.opening_mm:  # seen in the plane in focus
                        ahead = away > 1e-6
                        way = spots[ahead] - view.eye - off
                        spots_seen = view.eye + off + way * (view.focus_mm / away[ahead])[:, None]
                    else:
                        spots_seen = spots if view.parallel else spots[away > 1e-6]
                    x, y, z = view.project(spots_seen, size).T
                    found |= bool(((x > 0) & (x < 300) & (y > 0) & (y < 200) & (z > 0)).any())
                told = view.may_show(panel.corners, 1.5)
                self.assertTrue(told or not found, name)
                seen, may = seen + found, may + told
            self.assertGreater(seen, 10, name)
            self.assertLess(may, 300, name)


class Lights(unittest.TestCase):
    def test_directions_and_pictures_agree(self):
        directions = directions_of(16, 32)
        uv = direction_to_uv(directions)
        np.testing.assert_allclose(uv[:, 0] * 32 - 0.5, np.tile(np.arange(32), 16), atol=1e-9)
        picture = np.random.default_rng(1).random((16, 32, 3))
        np.testing.assert_allclose(look_up(picture, directions), picture.reshape(-1, 3), atol=1e-9)
        self.assertAlmostEqual(solid_angles(16, 32).sum(), 4 * np.pi)

    def test_a_white_sheet_in_every_room_returns_the_same(self):
        for name in ROOM_FILES:
            room = room_of(Light(room=name))
            d, w = directions_of(256, 512), solid_angles(256, 512)
            returned = (room.seen(d) * (w * np.clip(d[:, 2], 0, None))[:, None]).sum(axis=0) / np.pi
            self.assertAlmostEqual(float(returned @ LUMA), ROOM_WHITE, delta=0.003, msg=name)

    def test_open_land_lies_below_a_sky_that_is_left_as_blue_as_it_is(self):
        for name, (sun, kelvin, land) in OPEN_SKIES.items():
            picture = room_of(Light(room=name)).radiance.astype(float)
            rows = len(picture)
            up = 90 - (np.arange(rows) + 0.5) / rows * 180
            blue = picture[up > 60][..., 2] / picture[up > 60][..., 0]
            self.assertGreater(float(np.quantile(blue, 0.75)), 2.0, name)  # between clouds
            d, w = directions_of(rows, 2 * rows), solid_angles(rows, 2 * rows)
            above = (picture.reshape(-1, 3) * (w * np.clip(d[:, 2], 0, None))[:, None]).sum(axis=0) / np.pi
            lit = above + sun * float(above @ LUMA) * light_of_kelvin(kelvin)
            np.testing.assert_allclose(picture[up < -2].mean(axis=(0, 1)), land * lit, rtol=0.02)
            # hills are darker than the sky behind them, go up and down, and are no higher than far ones are
            level = picture @ LUMA
            self.assertLess(level[np.abs(up - 0.2) < 0.2].mean(), 0.9 * level[np.abs(up - 3) < 0.5].mean())
            over = level[(up > 2.0) & (up < 8.0)]
            self.assertGreater((over.min(axis=1) / np.median(over, axis=1)).min(), 0.7)
            hills = level[np.abs(up - 0.5) < 0.4]
            self.assertGreater((np.ptp(hills, axis=1) / hills.mean(axis=1)).max(), 0.1)

    def test_thin_clouds_are_drawn_out_whole_round_and_gone_in_the_haze(self):
        up = 90 - (np.arange(256) + 0.5) / 256 * 90
        thick = cloud_over(256, 1024)
        self.assertGreaterEqual(thick.min(), 0.0)
        self.assertLess(thick.max(), 0.75)
        self.assertGreater((thick < 0.02).mean(), 0.2)  # blue between them
        self.assertGreater((thick > 0.25).mean(), 0.05)
        self.assertLess(thick[up < 1.5].max(), 0.05)
        # the last column is next to the first, all pixels round the zenith are one place
        steps = np.abs(np.diff(thick, axis=1))
        self.assertLess(np.abs(thick[:, 0] - thick[:, -1]).max(), 1.5 * steps.max())
        self.assertLess(np.ptp(thick[0]), 0.1)

    def test_far_land_is_seen_sharp_and_a_place_with_few_pixels_soft(self):
        def steepest(name):
            seen = seen_room(name, 0.5) @ LUMA
            middle = len(seen) // 2
            return np.abs(np.diff(seen[middle - 12 : middle + 12], axis=0)).max() / seen.mean()

        soft = unfocused_room("clear sky", 2.0) @ LUMA
        self.assertGreater(steepest("clear sky"), 2 * np.abs(np.diff(soft, axis=0)).max() / soft.mean())

    def test_strength_scales_and_turn_turns(self):
        d = np.array([[0.6, 0.64, 0.48]])
        plain, double = (room_of(Light(strength=s)).seen(d) for s in (100, 200))
        np.testing.assert_allclose(double, 2 * plain, rtol=1e-5)
        turned = room_of(Light(turn_deg=90)).seen(np.array([[-0.64, 0.6, 0.48]]))
        np.testing.assert_allclose(turned, plain, rtol=1e-4)

    def test_the_panel_adds_the_same_at_any_size(self):
        for size in (50, 400, 1500):
            panel = key_panel(KeyLight(strength=50, size_mm=size), np.zeros(3), 60.0)
            far = np.linalg.norm(panel.middle)
            self.assertAlmostEqual(panel.radiance[0] * panel.area / far**2 / np.pi, 0.95, places=6)
            self.assertAlmostEqual(panel.facing @ panel.middle / far, -1.0)
        self.assertIsNone(key_panel(KeyLight(strength=0), np.zeros(3), 60.0))


class Scenes(unittest.TestCase):
    def test_a_lying_plaque_shows_its_front_upward(self):
        scene = scene_of_job(plaque_job())
        np.testing.assert_allclose(scene.stance[:3, :3] @ [0, -1, 0], [0, 0, 1])
        low = min(
            (i.mesh.points @ scene.stance[:3, :3].T + scene.stance[:3, 3])[:, 2].min() for i in scene.items
        )
        self.assertAlmostEqual(low, 0.0, places=6)

    def test_a_hung_plaque_stays_off_the_wall(self):
        scene = scene_of_job(change(plaque_job(), ("setting", "stance"), "hung"))
        np.testing.assert_allclose(scene.base.normal, [0, -1, 0])
        self.assertGreater(scene.base.point[1], 10.0)

    def test_engraved_letters_take_the_darkened_blank(self):
        job = change(plaque_job(), ("letterings", 0, "craft"), Engraved(depth_mm=0.5, darkened=50))
        job = change(job, ("letterings", 0, "finish"), AsBlank())
        by_name = {item.name: item.material for item in scene_of_job(job).items}
        ground, recess = by_name["front"], by_name["front lettering 1"]
        self.assertLess(max(recess.base), min(ground.base))

    def test_each_setting_reaches_the_scene(self):
        job = mug_job()
        plain, view = scene_of_job(job), view_of(job)
        for path, value in (
            (("setting", "light", "room"), "studio"),
            (("setting", "light", "strength"), 50.0),
            (("setting", "light", "turn_deg"), 40.0),
            (("setting", "light", "key", "strength"), 10.0),
            (("setting", "ground", "kind"), "slate slab"),
            (("setting", "ground", "behind"), "plain"),
            (("setting", "exposure_stops"), 1.0),
        ):
            scene = scene_of_job(change(job, path, value))
            same = (
                np.array_equal(scene.room.radiance, plain.room.radiance)
                and scene.room.turn == plain.room.turn
                and np.array_equal(scene.panel.radiance, plain.panel.radiance)
                and scene.base.material == plain.base.material
                and np.array_equal(scene.backdrop.seen(view), plain.backdrop.seen(view))
                and np.array_equal(scene.gain, plain.gain)
            )
            self.assertFalse(same, path)

    def test_a_scene_has_what_its_piece_is_of_and_no_more(self):
        """Each texture is 10 MB: wood, weave and stone that no part shows are not made for it."""
        for kind in ("plaque", "van", "window", "jar", "apparel"):
            with self.subTest(kind=kind):
                job = fresh_job(kind, "TARN")
                scene, proxy = scene_of_job(job), scene_of_job(job).proxy
                has = {part.slot for part in (*proxy.shells, *proxy.sheets)}
                self.assertLessEqual(has, set(scene.slots))
                shown = {part.role for part in piece_of(job).parts}
                self.assertLessEqual(
                    set(scene.slots) - has - shown, {"blank", "cabin", "lamp", "contents", "wetted"}
                )
        self.assertFalse({"hanger wood", "boulder", "seat"} & set(scene_of_job(plaque_job()).slots))

    def test_grain_that_is_painted_over_is_kept_for_a_while_only(self):
        kept = {id(material_of(PaintedWood(grain=grain)).texture) for grain in (40.0, 40.2, 60.0)}
        self.assertEqual(len(kept), 2)
        STORE.clear()
        again = material_of(PaintedWood(grain=40.0)).texture
        full = material_of(PaintedWood(grain=100.0)).texture
        np.testing.assert_allclose(again.slope, 0.4 * full.slope, atol=2e-3)
        np.testing.assert_allclose(again.tint, 0.6 + 0.4 * full.tint, atol=2e-3)


class Finishes(unittest.TestCase):
    def test_every_finish_has_a_material(self):
        for make in (
            Enamel,
            Brass,
            Stainless,
            Gold,
            Silver,
            Paint,
            PaintedWood,
            Wood,
            Slate,
            Cloth,
            Paper,
            Masonry,
            Grass,
        ):
            finish = make()
            material = material_of(finish)
            self.assertIn(material.kind, ("coated", "metal", "matte"))
            self.assertTrue(0 < material.alpha < 1)
            self.assertTrue((material.albedo >= 0).all() and (material.albedo <= 1).all())

    def test_metal_index_and_extinction_give_its_colour(self):
        metals = [material_of(finish) for finish in (Brass(), Stainless(), Gold(), Silver())]
        # gold darkened in a recess is dark in all three, not red
        for material in (*metals, darkened(metals[2], 75), darkened(metals[0], 40)):
            seen = fresnel_normal(np.array(material.metal_n), material.metal_k())
            np.testing.assert_allclose(seen, material.base, atol=1e-9)

    def test_gloss_and_darkening(self):
        self.assertLess(gloss_alpha(100), gloss_alpha(50))
        white = Material("coated", (0.8, 0.8, 0.8), 0.1)
        self.assertIs(darkened(white, 0), white)
        self.assertLess(darkened(white, 80).base[0], darkened(white, 20).base[0])
        self.assertIs(letter_material(AsBlank(), white), white)

    def test_textures_tile_and_are_of_true_scale(self):
        for make in (
            textures.enamel,
            textures.metal_brushed,
            textures.slate,
            woods.oak_boards,
            woods.charred,
            textures.metal_satin,
            textures.fibre,
        ):
            texture = make()
            tint = texture.tint
            seam = np.abs(tint[:, 0].astype(float) - tint[:, -1]).mean()
            inside = np.abs(np.diff(tint.astype(float), axis=1)).mean()
            self.assertLess(seam, 3 * inside + 1e-3, make.__name__)
            self.assertTrue(np.isfinite(texture.slope).all())
            self.assertLess(np.abs(texture.slope).mean(dtype=float), 0.2)

    def test_grain_turns(self):
        along = texture_uv(np.array([[60.0, 0.0]]), material_of(Brass(polish="brushed")))
        across = texture_uv(np.array([[60.0, 0.0]]), material_of(Brass(polish="brushed", grain_deg=90)))
        np.testing.assert_allclose(np.abs(along), [[1, 0]], atol=1e-9)
        np.testing.assert_allclose(np.abs(across), [[0, 1]], atol=1e-9)

    def test_a_damaged_kept_texture_is_made_again(self):
        folder = self.enterContext(tempfile.TemporaryDirectory())
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": folder}))
        made = textures.kept(textures.fibre.__wrapped__)()
        path = next(Path(folder).rglob("fibre*.arrays"))
        path.write_bytes(path.read_bytes()[:1000])
        again = textures.kept(textures.fibre.__wrapped__)()
        np.testing.assert_allclose(again.tint, made.tint, atol=1e-3)
        np.testing.assert_allclose(textures.kept(textures.fibre.__wrapped__)().tint, made.tint, atol=1e-3)

    def test_lay_on_a_side_that_is_not_there(self):
        job = change(mug_job(), ("letterings", 0, "lay"), Lay(side="inside"))
        with self.assertRaises(KilnError):
            scene_of_job(job)
