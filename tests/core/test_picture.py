import ctypes
import json
import os
import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

import numpy as np
from scipy.ndimage import distance_transform_edt, gaussian_filter, minimum_filter

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.build import scene_of_job, square_on_view, view_of
from kilnchisel.core.colour import delta_e, picture_curve, srgb_decode, srgb_encode
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.blank import Plaque
from kilnchisel.core.job.edits import change, set_field
from kilnchisel.core.job.fresh import fresh_job, with_shown
from kilnchisel.core.job.garments import folded_size, measures_of
from kilnchisel.core.picture.card import set_values
from kilnchisel.core.picture.denoise import denoised
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.draftlight import in_the_open
from kilnchisel.core.picture.gather import PIECE, trace, tracer_of
from kilnchisel.core.picture.mockup import Mockup, backdrop_of
from kilnchisel.core.picture.surround import open_light
from kilnchisel.core.picture.tracing import Slice, TracedScene, variant_name
from tests.samples import mug_job, plaque_job, the_draft

SIZE = (240, 192)


class Drafts(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.draft = Draft()

    def draw(self, job, detail=Detail.ROUGH, size=SIZE, view=None):
        return self.draft.render(scene_of_job(job), view or view_of(job), size, detail=detail)

    def test_letters_are_seen_and_follow_the_words(self):
        one, two = self.draw(mug_job("TARN")), self.draw(mug_job("LIGHT"))
        self.assertEqual(one.shape, (192, 240, 4))
        changed = np.abs(one.astype(int) - two).max(axis=-1) > 30
        self.assertGreater(changed.sum(), 60)
        rows, columns = np.nonzero(changed)
        covered = self.draft.coverage(scene_of_job(mug_job()), view_of(mug_job()), SIZE)
        self.assertGreater(covered[rows, columns].mean(), 0.99)

    def test_when_one_was_closed_the_next_draws_the_same_and_memory_comes_back(self):
        library = ctypes.CDLL(None)

        def held():
            library.malloc_trim(0)
            return Path("/proc/self/statm").read_text().split()[1]

        job = fresh_job("band")
        scene, view = scene_of_job(job), view_of(job)
        before = self.draft.render(scene, view, SIZE)
        resident = []
        for _ in range(6):
            draft = Draft()
            np.testing.assert_array_equal(draft.render(scene, view, SIZE), before)
            draft.close()
            resident.append(int(held()) * 4096 / 2**20)
        self.assertLess(resident[-1] - resident[1], 12.0)

    def test_woodwork_is_as_light_while_something_moves_as_at_rest(self):
        """Posts a floor high, that are buried at both ends."""
        job = fresh_job("shop front", "TARN")
        moving = scene_of_job(job, detail=Detail.ROUGH)
        view, size = view_of(job, 1.6), (320, 200)
        rough = self.draft.render(moving, view, size, detail=Detail.ROUGH)
        fine = self.draft.render(scene_of_job(job), view, size)
        tracer, items = self.items_of(moving, "pilaster")
        rows, columns = np.mgrid[:200, :320]
        pixels = np.column_stack([columns.ravel(), rows.ravel()]) + 0.5
        eyes, ways = view.rays(pixels, size)
        eyes = np.broadcast_to(eyes, ways.shape)
        met = tracer.run(np.ascontiguousarray(eyes, np.float32), np.ascontiguousarray(ways, np.float32))
        posts = items[met].reshape(200, 320)
        self.assertGreater(posts.sum(), 300)
        light = [picture[posts][:, :3].mean(axis=1) for picture in (rough, fine)]
        self.assertGreater(np.quantile(light[0], 0.1), 0.6 * np.quantile(light[1], 0.1))

    def test_given_to_the_card_bit_by_bit_it_is_the_same_picture(self):
        scene, view = scene_of_job(mug_job("TARN")), view_of(mug_job())
        whole = self.draft.render(scene, view, SIZE)
        self.assertGreater(sum(len(item.mesh.faces) for item in scene.items), 5 * 777)
        with mock.patch("kilnchisel.core.picture.lockless.AT_ONCE", 777):
            other = Draft()
            np.testing.assert_array_equal(other.render(scene, view, SIZE), whole)
            other.close()

    def test_a_sunset_has_one_colour_while_something_moves_and_at_rest(self):
        job = fresh_job("window", "DOME TOURS")
        view, size = view_of(job, 1.25), (200, 160)
        moving, still = scene_of_job(job, detail=Detail.ROUGH), scene_of_job(job)
        rough = self.draft.render(moving, view, size, detail=Detail.ROUGH)
        fine = self.draft.render(still, view, size)
        where = self.draft.coverage(still, view, size)
        off = (rough[where][:, :3].astype(float) - fine[where][:, :3]).mean(axis=0)
        self.assertLess(np.abs(off).max(), 1.5, off)

    def items_of(self, scene, word):
        """A tracer of all that is solid, and of each face whether its item's name holds the word."""
        solid = [item for item in scene.items if item.material.kind != "glass"]
        turn, shift = scene.stance[:3, :3], scene.stance[:3, 3]
        parts = [(item.mesh.points @ turn.T + shift, item.mesh.faces) for item in solid]
        marked = [np.full(len(item.mesh.faces), word in item.name) for item in solid]
        return tracer_of(parts), np.append(np.concatenate(marked), False)

    def test_an_oval_hides_no_light_beyond_its_outline(self):
        job = change(
            plaque_job("B"), ("blank",), Plaque(shape="oval", width_mm=240, height_mm=160, thickness_mm=8)
        )
        scene = scene_of_job(job)
        hits = trace(scene.proxy, scene.stance, scene.base, scene.middle, scene.radius_mm)
        openness = (hits.kind[hits.pieces :] != PIECE).mean(axis=1)
        spots = hits.points[hits.pieces :] - scene.middle
        off = np.abs(spots @ hits.ground_axes[0]), np.abs(spots @ hits.ground_axes[1])
        corner = (np.abs(off[0] - 108) < 8) & (np.abs(off[1] - 70) < 8)  # within the box, off the oval
        under = (off[0] < 60) & (off[1] < 40)
        self.assertGreater(corner.sum(), 3)
        self.assertGreater(openness[corner].min(), 0.6)
        self.assertLess(openness[under].max(), 0.2)

    def test_pictures_are_the_same_whatever_was_drawn_before(self):
        jobs = [
            mug_job("A"),
            mug_job("B"),
            change(mug_job("B"), ("finish", "colour"), "#305040"),
            change(mug_job("B"), ("setting", "camera", "turn_deg"), 60.0),
            plaque_job("B"),
            change(mug_job("A"), ("setting", "ground", "kind"), "none"),
        ]
        jobs.append(change(jobs[-1], ("setting", "light", "room"), "park"))
        forth = [self.draw(job, Detail.FINE) for job in jobs]
        other = Draft()
        back = [other.render(scene_of_job(job), view_of(job), SIZE) for job in reversed(jobs)]
        other.close()
        for one, two in zip(forth, reversed(back), strict=True):
            self.assertLess(np.abs(one.astype(int) - two).mean(), 0.05)

    def test_rough_and_fine_pictures_in_turn_equal_those_that_are_fine_alone(self):
        one, two = mug_job("A"), mug_job("B")
        small, large = (144, 115), (320, 256)
        fine, rough = Detail.FINE, Detail.ROUGH
        looks = [(one, large, fine), (one, small, rough), (two, small, rough), (two, large, fine)]
        looks += [(one, small, rough), (one, large, fine), (two, large, fine)]
        pictures = [self.draw(job, detail, size) for job, size, detail in looks]
        other = Draft()  # by which nothing moves
        still = {
            (id(job), size): other.render(scene_of_job(job), view_of(job), size)
            for size in (large, small)
            for job in (two, one)
        }
        other.close()
        for (job, size, detail), picture in zip(looks, pictures, strict=True):
            off = np.abs(still[id(job), size].astype(int) - picture).mean()
            self.assertLess(off, 0.2 if detail.fine else 4.0)

    def test_a_picture_leaves_nothing_behind_on_the_card(self):
        scene, view = scene_of_job(mug_job()), replace(view_of(mug_job()), opening_mm=4.0, focus_mm=400.0)

        def held():
            """How many targets and textures there are on the card."""
            library = ctypes.CDLL("libOpenGL.so.0")
            with self.draft.gl:
                return sum(
                    bool(f(n)) for f in (library.glIsRenderbuffer, library.glIsTexture) for n in range(999)
                )

        for _ in range(2):
            self.draft.render(scene, view, SIZE)
            self.draft.coverage(scene, view, SIZE)
        before = held()
        self.draft.render(scene, view, SIZE)
        self.draft.coverage(scene, view, SIZE)
        self.assertEqual(held(), before)
        for wide in range(5):  # of the sizes, only the last few are kept
            self.draft.render(scene, view, (100 + wide, 80), detail=Detail.ROUGH)
        before = held()
        self.draft.render(scene, view, (120, 80), detail=Detail.ROUGH)
        self.assertEqual(held(), before)

    def test_smooth_edges_are_smoother(self):
        job = mug_job()
        rough, fine = self.draw(job), self.draw(job, Detail.FINE)
        covered = self.draft.coverage(scene_of_job(job), view_of(job), SIZE)
        edge = covered ^ np.roll(covered, 1, axis=0)
        self.assertGreater(np.abs(rough[edge].astype(int) - fine[edge]).mean(), 1.0)

    def test_letters_read_from_left_to_right(self):
        job = mug_job("L I", cap_height_mm=20)
        bare = change(job, ("letterings", 0, "content", "text"), " ")
        view, size = square_on_view(job, 0, 1.25), (400, 320)
        with_letters, without = (self.draw(j, Detail.FINE, size, view).astype(int) for j in (job, bare))
        ink = np.abs(with_letters - without).max(axis=-1) > 60
        columns = np.nonzero(ink.sum(axis=0) >= 3)[0]
        gap = np.argmax(np.diff(columns)) + 1
        left, right = columns[:gap], columns[gap:]
        self.assertGreater(len(left), 1.4 * len(right))  # the L with its foot, then the I

    def test_the_inside_of_the_mug_is_darker_than_its_outside(self):
        job = change(mug_job(" "), ("setting", "camera", "tilt_deg"), 45.0)
        picture = srgb_decode(self.draw(job, Detail.FINE)[..., :3] / 255).mean(axis=-1)
        points = np.array([[0, 0, 5.0], [0, -42.0, 42.0]])
        spots = view_of(job).project(points, SIZE)[:, :2].astype(int)
        inside, outside = (picture[y - 3 : y + 4, x - 3 : x + 4].mean() for x, y in spots)
        self.assertLess(inside, 0.9 * outside)

    def test_the_piece_throws_a_shadow(self):
        job = mug_job()
        scene = scene_of_job(job)
        view = view_of(job)
        with_mug = self.draft.render(scene, view, SIZE, detail=Detail.FINE).astype(int)
        without = self.draft.render(replace(scene, items=()), view, SIZE, detail=Detail.FINE).astype(int)
        covered = self.draft.coverage(scene, view, SIZE)
        near = np.zeros_like(covered)
        for shift in range(1, 14):
            near |= np.roll(covered, shift, axis=1)
        ground = near & ~covered
        ground[:100] = False
        self.assertLess(with_mug[ground].mean(), without[ground].mean() - 4)

    def test_a_thin_thing_darkens_hardly_what_is_beside_it(self):
        job = with_shown(fresh_job("apparel", "OK"), shown="laid flat")
        scene, view, size = scene_of_job(job), view_of(job), (420, 336)
        picture = self.draft.render(scene, view, size)[..., :3].astype(float)
        far = distance_transform_edt(~self.draft.coverage(scene, view, size))
        beside, away = (picture[(far > low) & (far <= high)].mean() for low, high in ((5, 10), (60, 80)))
        self.assertGreater(beside, away - 9)  # it was 18 darker

    def test_a_sheet_of_few_triangles_is_lit_point_by_point(self):
        # the field of a medallion has corners at its raised rim alone, and all of them are in its shade
        job = fresh_job("medallion").model_copy(update={"letterings": ()})
        scene, view, size = scene_of_job(job), view_of(job), (420, 336)
        picture = self.draft.render(scene, view, size)[..., :3].astype(float).mean(axis=2)
        within = distance_transform_edt(self.draft.coverage(scene, view, size)) > 45
        self.assertLess(np.ptp(gaussian_filter(picture, 3)[within]), 14)  # it was 25

    def test_light_in_the_open_is_smooth_over_what_is_smooth(self):
        """Round a circle of directions in small steps: no edge where there is none in the room."""
        scene = scene_of_job(fresh_job("apparel", "OK"), detail=Detail.ROUGH)
        self.assertIsNone(scene.base)
        turn = np.linspace(0, 2 * np.pi, 4000)
        ways = np.stack([0.8 * np.sin(turn), 0.6 * np.sin(turn), np.cos(turn)], axis=1)
        light = in_the_open(scene, ways)[:, :3]
        self.assertLess(float(np.abs(np.diff(light, axis=0) / light[1:]).max()), 0.004)
        wanted = open_light(scene, ways[::20])
        np.testing.assert_allclose(light[::20], wanted, atol=0.004 * float(wanted.max()))

    def test_what_lies_within_a_pile_does_not_darken_its_edge(self):
        # where cloth turns, the inside of the back comes through in places: they are as light as the rest
        job = with_shown(fresh_job("apparel", "OK"), garment="hooded sweatshirt", shown="folded")
        job = change(job, ("setting", "camera", "tilt_deg"), 30.0).model_copy(update={"letterings": ()})
        side, m = body_of(job.blank).sheet("front").side, measures_of("hooded sweatshirt", job.blank.size)
        low = m.length / 2 - folded_size(m)[1]
        u, v = np.meshgrid(np.linspace(-110, 110, 45), low + np.linspace(-30, 12, 14))
        at = side.to_body(np.stack([u.ravel(), v.ravel()], axis=1), np.zeros(u.size))
        scene, view, size = scene_of_job(job), view_of(job), (420, 336)
        picture = self.draft.render(scene, view, size)[..., :3].astype(float).mean(axis=2)
        x, y = view.project(at @ scene.stance[:3, :3].T + scene.stance[:3, 3], size)[:, :2].astype(int).T
        seen = picture[y, x]
        self.assertGreater(seen.min(), 0.85 * np.median(seen))  # it was 0.75

    def test_square_on_has_a_neutral_ground(self):
        job = mug_job()
        view = square_on_view(job, 0, 1.25)
        picture = self.draw(job, view=view)[..., :3].astype(int)
        corner, side = picture[2, 2], picture[2, picture.shape[1] // 2]
        self.assertLessEqual(np.ptp(corner), 1)
        self.assertGreater(side[0] - corner[0], 4)  # a sheet, darker towards its corners
        size = picture.shape[1::-1]
        ground = srgb_encode(picture_curve(backdrop_of(scene_of_job(job), view, size))) * 255
        np.testing.assert_allclose(corner, ground[2, 2], atol=1.5)
        np.testing.assert_allclose(side, ground[2, size[0] // 2], atol=1.5)


class Values(unittest.TestCase):
    """What a program of the card is told."""

    def setUp(self):
        self.written = []

    def program(self, *names):
        class Uniform:
            def __init__(own, name):
                own.name = name

            def __setattr__(own, key, value):
                object.__setattr__(own, key, value)
                if key == "value":
                    self.written.append((own.name, value))

        uniforms = {name: Uniform(name) for name in names}
        return SimpleNamespace(extra=None, get=uniforms.get)

    def test_what_it_has_already_it_is_not_told_again(self):
        program, other = self.program("eye", "clip", "rounds"), self.program("eye")
        turned = np.array([[1.0, 2.0], [3.0, 4.0]])
        set_values(program, eye=np.array([1.0, 2.0, 3.0]), clip=turned, rounds=4, not_used=1)
        first = [("eye", (1.0, 2.0, 3.0)), ("clip", (1.0, 3.0, 2.0, 4.0)), ("rounds", 4)]
        self.assertEqual(self.written, first)
        set_values(program, eye=np.array([1.0, 2.0, 3.0]), clip=turned.copy(), rounds=4, not_used=2)
        self.assertEqual(self.written, first)
        turned[0, 0] = 9.0  # the same array, changed
        set_values(program, clip=turned, rounds=5)
        set_values(other, eye=(1.0, 2.0, 3.0))  # each has its own
        self.assertEqual(
            self.written[3:], [("clip", (9.0, 3.0, 2.0, 4.0)), ("rounds", 5), ("eye", (1.0, 2.0, 3.0))]
        )


class Parts(unittest.TestCase):
    """While something moves, a change of lettering is drawn where letters are or were."""

    SIZE = (210, 168)

    def setUp(self):
        self.drafts = Draft(), Draft()
        for draft in self.drafts:
            self.addCleanup(draft.close)
        self.drafts[1]._to_be_drawn = lambda *_: (None, None)
        self.parts = []
        self.enterContext(mock.patch.object(Draft, "_to_be_drawn", self._noted(Draft._to_be_drawn)))

    def _noted(self, real):
        def noting(draft, *how):
            shown, part = real(draft, *how)
            self.parts.append(part)
            return shown, part

        return noting

    def drawn(self, job):
        """By the part that changes, and as a whole."""
        scene, view = scene_of_job(job, detail=Detail.ROUGH), view_of(job)
        return [one.render(scene, view, self.SIZE, detail=Detail.ROUGH).astype(int) for one in self.drafts]

    def test_it_is_the_picture_that_is_drawn_as_a_whole(self):
        clear = {"bottle": '{"kind": "glass"}'}
        for kind, craft in (
            ("mug", "printed"),
            ("globe", "engraved"),
            ("board", "raised"),
            ("bottle", "printed"),
            ("plaque", "cut through"),  # nothing is there of its letters
            ("plaque", "pressed"),  # bends the ground beside them
        ):
            job = set_field(fresh_job(kind, "TARN 8"), "letterings.1.craft", f'{{"kind": "{craft}"}}')
            job = set_field(job, "finish", clear[kind]) if kind in clear else job
            last, _ = self.drawn(job)
            high = job.letterings[0].content.cap_height_mm
            for path, value in (
                ("content.text", "TARNLIGHT"),
                ("lay.along_mm", f"{high:g}"),
                ("content.cap_height_mm", f"{0.6 * high:g}"),
                ("content.text", "O"),
            ):
                with self.subTest(kind=kind, path=path, value=value):
                    job = set_field(job, f"letterings.1.{path}", value)
                    partly, whole = self.drawn(job)
                    left, low, right, top = self.parts[-1]
                    self.assertLess((right - left) * (top - low), 0.35 * np.prod(self.SIZE))
                    self.assertGreater(int((np.abs(partly - last) > 40).any(axis=2).sum()), 20)
                    off = np.abs(partly - whole)[..., :3].max(axis=2)
                    # along edges of the sheet a pixel may fall to either side
                    self.assertLess(int((off > 8).sum()), 4)
                    last = partly

    def test_what_else_changes_is_drawn_as_a_whole(self):
        job = fresh_job("mug", "TARN 8")
        self.drawn(job)
        for path, value in (
            ("finish.colour", "#224466"),
            ("setting.camera.turn_deg", "12"),
            ("wear.handled", "60"),
            ("letterings.1.craft", '{"kind": "tube"}'),
        ):
            with self.subTest(path=path):
                job = set_field(job, path, value)
                partly, whole = self.drawn(job)
                self.assertIsNone(self.parts[-1])
                np.testing.assert_array_equal(partly, whole)


class Mockups(unittest.TestCase):
    def test_refines_reports_and_matches_the_draft(self):
        job = mug_job()
        scene, view = scene_of_job(job), view_of(job)
        heard = []
        states = list(Mockup(scene).refine(view, SIZE, 16, progress=heard.append))
        self.assertEqual([s.done for s in states], [1, 4, 16])
        self.assertEqual((heard[-1], sorted(heard)), (1.0, heard))
        draft = the_draft()
        quick = draft.render(scene, view, SIZE)[..., :3]
        covered = draft.coverage(scene, view, SIZE)
        difference = delta_e(srgb_decode(quick / 255), srgb_decode(states[-1].pixels / 255))
        self.assertLess(difference[covered].mean(), 8.0)

    def test_same_seed_same_picture(self):
        scene, view = scene_of_job(mug_job()), view_of(mug_job())
        first, second = (list(Mockup(scene).refine(view, (96, 80), 2))[-1].pixels for _ in range(2))
        np.testing.assert_array_equal(first, second)

    def test_cancelling_ends_the_work_and_leaves_no_picture(self):
        scene, view = scene_of_job(mug_job()), view_of(mug_job())
        mockup = Mockup(scene)
        list(mockup.refine(view, (64, 48), 1))
        asked = []

        def stop():
            asked.append(len(asked))
            return len(asked) > 3

        states = list(mockup.refine(view, (500, 400), 64, stop, looks=()))
        self.assertEqual(states, [])
        self.assertLess(len(asked), 8)  # it goes on with nothing once it was told to stop

    def test_noise_falls_with_samples(self):
        scene, view = scene_of_job(plaque_job()), view_of(plaque_job())
        mockup = Mockup(scene)
        best = mockup.linear(view, (80, 64), 256, clean=False)
        few, many = (np.abs(mockup.linear(view, (80, 64), n, clean=False) - best).mean() for n in (2, 32))
        self.assertLess(many, 0.6 * few)

    def test_backdrop_is_the_draft_s(self):
        job = mug_job()
        scene, view = scene_of_job(job), view_of(job)
        sky = replace(scene, items=(), base=None)
        drawn = the_draft().render(sky, view, SIZE, detail=Detail.ROUGH)[..., :3]
        expected = srgb_encode(picture_curve(backdrop_of(scene, view, SIZE), scene.gain)) * 255
        self.assertLess(np.abs(drawn - expected).max(), 2.5)


class FirstStates(unittest.TestCase):
    def test_no_dark_specks_along_silhouettes(self):
        # light of few samples beside a plain ground: what is darker than all round it in the clean picture
        job = fresh_job("globe").model_copy(update={"letterings": ()})
        states = list(Mockup(scene_of_job(job)).refine(view_of(job, 1.4), (210, 150), 24, looks=(1, 4)))
        clean = states[-1].pixels.astype(int).sum(axis=2)
        for state in states[:2]:
            darker = minimum_filter(clean, 7) - state.pixels.astype(int).sum(axis=2)
            self.assertLess(int((darker > 120).sum()), 4, f"after {state.done} samples")

    def test_samples_lie_in_every_pixel_alike(self):
        job = mug_job()
        traced, view, size = TracedScene(scene_of_job(job)), view_of(job, 1.5), (90, 60)

        def cover(samples, first):
            part = Slice(view, size, (0, 60), samples, 7 + first, first)
            return traced.masks(part)[0][..., 0]

        np.testing.assert_array_equal(cover(2, 0) + cover(2, 2), cover(4, 0))
        # the first lies in the middle of its pixel, so that the first edges are those of a picture
        inside = the_draft().coverage(replace(scene_of_job(job), base=None), view, size)
        piece = traced.masks(Slice(view, size, (0, 60), 1, 7, 0))
        mine = piece[0][..., 2 : 2 + len(piece[1])].sum(axis=2) > 0
        self.assertLess(int((mine != inside).sum()), 12)

    def test_the_border_of_a_picture_is_as_clean_as_its_middle(self):
        rng = np.random.default_rng(1)
        guides = np.zeros((120, 160, 6), np.float32)
        guides[..., :3], guides[..., 5] = 0.5, 1.0
        noisy = (0.5 * rng.gamma(2, 0.5, (120, 160, 3))).astype(np.float32)
        clean = denoised(noisy, guides, 16, detail=Detail.FINE)
        middle = float(clean[40:80, 40:120].std())
        for border in (clean[0], clean[-1], clean[:, 0], clean[:, -1]):
            self.assertLess(float(border.std()), 2.0 * middle)
        tiny = denoised(noisy[:5, :3], guides[:5, :3], 16, detail=Detail.ROUGH)
        self.assertEqual(tiny.shape, (5, 3, 3))


class Variants(unittest.TestCase):
    def test_falls_back_to_the_safe_variant_and_draws_the_same(self):
        program = (
            "import sys, numpy as np\n"
            "from tests.samples import mug_job\n"
            "from kilnchisel.core.build import scene_of_job, view_of\n"
            "from kilnchisel.core.picture.mockup import Mockup\n"
            "from kilnchisel.core.picture.tracing import variant_name\n"
            "job = mug_job()\n"
            "out = Mockup(scene_of_job(job)).linear(view_of(job), (60, 48), 64)\n"
            "np.save(sys.argv[1], out)\n"
            "print(variant_name())\n"
        )
        with tempfile.TemporaryDirectory() as folder:
            path = str(Path(folder) / "a.npy")
            result = subprocess.run(
                [sys.executable, "-c", program, path],
                capture_output=True,
                text=True,
                check=True,
                env={**os.environ, "KILNCHISEL_VARIANT": "no_such_variant"},
            )
            self.assertEqual(result.stdout.strip(), "scalar_rgb")
            safe = np.load(path)
        job = mug_job()
        here = Mockup(scene_of_job(job)).linear(view_of(job), (60, 48), 64)
        self.assertLess(np.abs(safe.mean(axis=(0, 1)) - here.mean(axis=(0, 1))).max(), 0.02)
        self.assertLess(np.abs(safe - here).mean(), 0.03)

    def test_the_answer_is_remembered_with_what_it_depends_on(self):
        self.assertTrue(variant_name())
        from kilnchisel.core.paths import cache_folder

        remembered = json.loads((cache_folder() / "path-tracer.json").read_text())
        self.assertEqual(remembered["variant"]["name"], variant_name())
        self.assertTrue(remembered["basis"])
