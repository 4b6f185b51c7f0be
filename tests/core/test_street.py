"""The street behind what stands on a road: what it is made of, where it stands, and what it is part of."""

import unittest

import numpy as np

from kilnchisel.core.build import close_up_view, scene_of_job, square_on_view, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.sets import fitted, home_set, sets_for
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.refined import Wish
from kilnchisel.core.picture.surround import surround
from kilnchisel.core.scene.light import directions_of
from kilnchisel.core.scene.street import (
    BRICK_MM,
    COURSE_MM,
    COURSES,
    KERB_HIGH_MM,
    TILE_BRICKS,
    TILE_COURSES,
    WALL,
)

DRIVEN = ("van", "hatchback", "box truck", "coach")


def street(kind="van", **setting):
    job = fitted(fresh_job(kind, "TARN"), "kerbside")
    for path, value in setting.items():
        job = change(job, ("setting", *path.split("__")), value)
    return job, scene_of_job(job, detail=Detail.ROUGH)


class Built(unittest.TestCase):
    def test_each_face_looks_out_and_its_uv_are_millimetres(self):
        _, scene = street()
        for item in scene.street.items:
            mesh = item.mesh
            a, b, c = (mesh.points[mesh.faces[:, k]] for k in range(3))
            own = mesh.normals[mesh.faces].mean(axis=1)
            self.assertTrue((np.einsum("ij,ij->i", np.cross(b - a, c - a), own) > 0).all(), item.name)
            u, v, w = (mesh.uv[mesh.faces[:, k]] for k in range(3))
            for first, last, here, there in ((a, b, u, v), (b, c, v, w)):
                long, flat = np.linalg.norm(last - first, axis=1), np.linalg.norm(there - here, axis=1)
                np.testing.assert_allclose(flat, long, rtol=1e-9, atol=1e-6)
            turned = (v - u)[:, 0] * (w - u)[:, 1] - (v - u)[:, 1] * (w - u)[:, 0]
            self.assertTrue((turned > 0).all(), f"{item.name} has its texture from behind")

    def test_bricks_meet_in_their_joints_and_do_not_repeat(self):
        _, scene = street()
        wall = next(item.mesh for item in scene.street.items if item.name == WALL)
        front = wall.normals[:, 1] < -0.5
        face = front & (np.abs(wall.points[:, 1] - scene.street.wall[1]) < 1e-6)
        points, uv = wall.points[face].reshape(-1, 4, 3), wall.uv[face].reshape(-1, 4, 2)
        course = np.rint((points[:, 0, 2] - KERB_HIGH_MM) / COURSE_MM)
        np.testing.assert_allclose(points[:, 0, 2], KERB_HIGH_MM + COURSE_MM * course)
        self.assertEqual(set(course), set(range(COURSES)))
        # each course of the wall is one of the photograph that is as much shifted, and begins at a joint
        taken = np.rint(uv[:, 0, 1] / COURSE_MM)
        np.testing.assert_allclose(uv[:, 0, 1], taken * COURSE_MM, atol=1e-6)
        np.testing.assert_array_equal(taken % 2, course % 2)
        half = BRICK_MM / 2
        at_ends = np.abs(np.abs(points[:, :2, 0]) - scene.street.half_mm) < 1e-6
        for end in (0, 1):
            joint = (uv[:, end, 0] + taken % 2 * half) % BRICK_MM
            joint = np.minimum(joint, BRICK_MM - joint)[~at_ends[:, end]]
            self.assertLess(joint.max(), 1e-6)
        # and the bricks of neighbouring courses are half a brick off each other
        starts = (points[:, 0, 0] + scene.street.half_mm + course % 2 * half) % BRICK_MM
        starts = np.minimum(starts, BRICK_MM - starts)[~at_ends[:, 0]]
        self.assertLess(starts.max(), 1e-6)
        ways = {(int(x), int(y)) for x, y in zip(uv[:, 0, 0] // BRICK_MM % TILE_BRICKS, taken, strict=True)}
        self.assertGreater(len(ways), 0.9 * TILE_BRICKS * TILE_COURSES)

    def test_it_leaves_room_for_what_is_parked_before_it(self):
        for kind in DRIVEN:
            job, scene = street(kind)
            deep = max(
                float((item.mesh.points @ scene.stance[:3, :3].T + scene.stance[:3, 3])[:, 1].max())
                for item in scene.items
                if len(item.mesh.points)
            )
            kerb = next(item.mesh for item in scene.street.items if item.name == "kerb")
            self.assertGreater(kerb.points[:, 1].min(), deep, kind)
            line = next(item.mesh for item in scene.street.items if item.name == "line")
            self.assertLess(line.points[:, 1].max(), -0.5 * job.blank.width_mm, kind)
            self.assertGreater(scene.street.half_mm, 4 * scene.radius_mm)

    def test_nothing_is_seen_beyond_the_wall(self):
        for kind in DRIVEN:
            job, scene = street(kind)
            eye = view_of(job).eye
            self.assertLess(abs(eye[2] - 2100.0), 250.0, kind)
            self.assertGreater(scene.street.high_mm, eye[2] + 400)

    def test_it_is_behind_the_piece_wherever_one_looks_from(self):
        for turn in (20.0, 160.0, -100.0, -20.0):
            job, scene = street(camera__turn_deg=turn, light__lamps=())
            eye = view_of(job).eye
            scene = scene.seen_in(view_of(job))
            self.assertIs(scene.seen_in(view_of(job)), scene)
            self.assertGreater((eye - scene.street.wall) @ scene.street.facing, 0)
            self.assertLess(float((eye - scene.middle) @ (scene.street.wall - scene.middle)), 0)
            wall = next(item.mesh for item in scene.street.items if item.name == WALL)
            self.assertGreater((wall.normals @ scene.street.facing > 0.9).mean(), 0.9)

    def test_the_wall_gives_way_to_a_sun_from_behind_it(self):
        for camera, sun, stands in ((20.0, -46.0, True), (20.0, 140.0, False), (170.0, -46.0, False)):
            job, _ = street(camera__turn_deg=camera)
            job = change(job, ("setting", "light", "lamps", 0, "turn_deg"), sun)
            scene = scene_of_job(job, detail=Detail.ROUGH).seen_in(view_of(job))
            self.assertEqual(scene.street.tone is not None, stands, (camera, sun))
            self.assertEqual(
                {"kerb", "flags"} & {item.name for item in scene.street.items}, {"kerb", "flags"}
            )
            self.assertEqual(surround(scene).shape, (128, 256, 3))


class Seen(unittest.TestCase):
    def test_only_what_drives_stands_before_it_and_is_at_home_there(self):
        for kind in DRIVEN:
            self.assertEqual(home_set(fresh_job(kind).blank), "kerbside")
        for kind in ("mug", "bank", "shop front", "wall", "aeroplane", "garment"):
            self.assertNotIn("kerbside", [one.name for one in sets_for(fresh_job(kind).blank)])
        job, _ = street()
        for path, value in (("kind", "none"), ("form", "flat")):
            self.assertIsNone(scene_of_job(change(job, ("setting", "ground", path), value)).street)

    def test_the_draft_has_it_and_square_on_does_not(self):
        job, scene = street()
        draft, size = Draft(), (240, 150)
        self.addCleanup(draft.close)
        pixels = draft.render(scene, view_of(job, 1.6), size, detail=Detail.ROUGH)[..., :3].astype(int)
        wall = pixels[38:44, 4:40].reshape(-1, 3).mean(axis=0)  # left of the van, below the coping
        self.assertGreater(wall[0], 1.4 * wall[2])
        self.assertLess(np.ptp(pixels[100:, 4:40].reshape(-1, 3).mean(axis=0)), 20)  # the road is grey
        for view in (square_on_view(job, 0, 1.6), close_up_view(job, 0, 1.6)):
            self.assertTrue(view.parallel)
            self.assertIsNone(scene.seen_in(view).street)
        self.assertIs(scene.seen_in(view_of(job)), scene)
        # the other way round: nothing of it is kept from the picture before
        bare = change(job, ("setting", "ground", "form"), "flat")
        plain = draft.render(
            scene_of_job(bare, detail=Detail.ROUGH), view_of(bare, 1.6), size, detail=Detail.ROUGH
        )[..., :3].astype(int)
        self.assertGreater(plain[38:44, 4:40, 2].mean(), plain[38:44, 4:40, 0].mean())

    def test_the_piece_mirrors_its_wall(self):
        _, scene = street()
        ways = directions_of(128, 256)
        seen = surround(scene).reshape(-1, 3)
        behind = (ways[:, 1] > 0.9) & (ways[:, 2] > 0.02) & (ways[:, 2] < 0.06)
        before = (ways[:, 1] < -0.9) & (ways[:, 2] > 0.02) & (ways[:, 2] < 0.06)
        share = seen[behind].mean(axis=0), seen[before].mean(axis=0)
        self.assertGreater(share[0][0] / share[0][2], 2 * share[1][0] / share[1][2])

    def test_a_picture_without_background_leaves_it_out(self):
        from kilnchisel.core.picture.mockup import Mockup

        job, _ = street()
        size = (96, 60)
        states = Mockup(scene_of_job(job)).refine(
            view_of(job, 1.6), size, 2, looks=(), wish=Wish(transparent=True)
        )
        light = list(states)[-1].light
        self.assertLess(float(light.alpha[14:18, 2:12].mean()), 0.05)  # where the wall is
        self.assertGreater(float(light.alpha[30:34, 40:60].min()), 0.95)  # the van


if __name__ == "__main__":
    unittest.main()
