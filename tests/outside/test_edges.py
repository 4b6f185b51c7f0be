"""Edges of drafts at rest, and what is drawn anew in them while something moves: against pictures that are
drawn whole, many times as large."""

import unittest
from unittest import mock

import numpy as np

from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.crafts import Tube
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.picture import draft as drafts
from kilnchisel.core.picture import smoothedges
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.smoothedges import TURN, WITHIN, edges_in, strays_in
from tests.samples import mug_job, the_draft

SIZE = (150, 120)
LARGER = 4


def edged(number, normal, away):
    """Edges of a picture (h, w) told in numbers; a step is 1 mm."""
    part = np.empty((*number.shape, 4), dtype=np.uint8)
    part[..., :3] = np.rint((normal + 1) * 127.5)
    part[..., 3] = number
    return edges_in(part, away.astype(np.float32), np.ones_like(away))


def plain(scene, view, size):
    """A picture without any smoothing."""
    with mock.patch.dict(drafts.SAMPLES, {Detail.FINE: 0}):
        return the_draft().render(scene, view, size)[..., :3].astype(float)


class Found(unittest.TestCase):
    """Source: what edges are, on made-up pictures."""

    def setUp(self):
        self.y, self.x = np.mgrid[0:40, 0:40].astype(float)
        self.one = np.zeros((40, 40), dtype=np.uint8)
        self.up = np.broadcast_to((0.0, 0.0, 1.0), (40, 40, 3))

    def test_none_on_planes_and_rounds(self):
        slant = 900 + 3 * self.x - 40 * self.y
        self.assertFalse(edged(self.one, self.up, slant).any())
        radius = np.hypot(self.x - 19.5, self.y - 19.5)
        within = radius < 16
        deep = np.sqrt(np.maximum(20.0**2 - radius**2, 0))
        normal = np.stack([(self.x - 19.5) / 20, (self.y - 19.5) / 20, deep / 20], axis=-1)
        self.assertFalse((edged(self.one, normal, 500 - deep) & within).any())

    def test_where_another_begins_where_it_bends_and_where_it_is_farther(self):
        right = self.x >= 20
        bent = np.where(right[..., None], (0.0, np.sin(0.5), np.cos(0.5)), self.up)
        for name, found in (
            ("another", edged(right.astype(np.uint8), self.up, 900 + self.x)),
            ("bends", edged(self.one, bent, 900 + 0 * self.x)),
            ("farther", edged(self.one, self.up, np.where(right, 930.0, 900.0))),
        ):
            with self.subTest(name):
                columns = np.flatnonzero(found.any(axis=0))
                np.testing.assert_array_equal(columns, [19, 20])
                self.assertTrue(found[:, 19:21].all())

    def test_dots_and_thin_lines(self):
        levels = np.full((20, 20), 200, dtype=np.uint8)
        levels[5, 5], levels[10:16, 12] = 90, 90
        found = np.argwhere(strays_in(levels)).tolist()
        self.assertEqual(found, [[5, 5], *([row, 12] for row in range(10, 16))])

    def test_the_five_of_a_pixel_differ_both_ways(self):
        spots = np.linalg.solve(TURN, (np.array(WITHIN) + 0.5).T)
        self.assertEqual(spots.shape, (2, 5))
        for way in spots:
            np.testing.assert_allclose(np.sort(way), np.arange(5) / 5 + 0.1, atol=1e-9)


class Smooth(unittest.TestCase):
    """Source: the same picture drawn LARGER times as large, each of its blocks averaged."""

    def test_as_in_a_picture_many_times_as_large(self):
        for job in (mug_job(), fresh_job("hatchback", "TARN"), fresh_job("window", "TARN")):
            with self.subTest(job.blank.kind):
                job = change(job, ("setting", "camera", "f_number"), 0.0)  # all in focus
                scene, view = scene_of_job(job), view_of(job, SIZE[0] / SIZE[1])
                with mock.patch.multiple(smoothedges, LEAST_TRIANGLES=0, MANY=1.0):  # whatever pays
                    made = the_draft().render(scene, view, SIZE)[..., :3].astype(float)
                large = plain(scene, view, (SIZE[0] * LARGER, SIZE[1] * LARGER))
                true = large.reshape(SIZE[1], LARGER, SIZE[0], LARGER, 3).mean(axis=(1, 3))
                rough = plain(scene, view, SIZE)
                edges = np.abs(rough - true).max(axis=2) > 20
                self.assertGreater(edges.sum(), 150)
                left, before = (np.abs(one - true).max(axis=2)[edges].mean() for one in (made, rough))
                self.assertLess(left, 0.4 * before)
                # elsewhere it is the picture that it was
                self.assertLess(np.abs(made - true).mean(), np.abs(rough - true).mean())

    def test_where_it_pays(self):
        """Many triangles and few edges: all else is drawn with several samples, as is a large picture."""
        draft = the_draft()
        for kind, size, pays in (
            ("hatchback", (350, 280), True),
            ("hatchback", (1400, 1000), False),
            ("can", (350, 280), False),
            ("wall", (350, 280), False),
        ):
            job = fresh_job(kind, "TARN")
            scene, view = scene_of_job(job), view_of(job, size[0] / size[1])
            draft.render(scene, view, (32, 24))  # what surfaces have on the card
            with draft.gl:
                shot = draft._begun(scene, view, size, detail=Detail.FINE)
                self.assertEqual(draft._edges_of(shot) is not None, pays, (kind, size))


class Glow(unittest.TestCase):
    """Source: the same picture drawn by a draft that has drawn nothing before."""

    def drawn(self, draft, job):
        stills = mock.Mock(wraps=draft._draw_still)
        with mock.patch.object(draft, "_draw_still", stills):
            pixels = draft.render(
                scene_of_job(job, detail=Detail.ROUGH), view_of(job), SIZE, detail=Detail.ROUGH
            )
        return pixels.astype(int), stills.call_count

    def moved(self, job, by):
        return change(job, ("letterings", 0, "lay", "along_mm"), job.letterings[0].lay.along_mm + by)

    def test_what_stays_is_not_drawn_anew_for_one_that_nobody_tells_apart(self):
        job = fresh_job("box sign", "CAFÉ")
        draft = Draft()
        self.assertEqual(self.drawn(draft, job)[1], 1)
        counts = []
        for by in (0.1, 0.5, 1.0):
            pixels, count = self.drawn(draft, self.moved(job, by))
            counts.append(count)
            fresh, _ = self.drawn(Draft(), self.moved(job, by))
            self.assertLessEqual(np.abs(pixels - fresh).max(), 3)
        self.assertEqual(counts, [0, 0, 0])

    def test_it_is_drawn_anew_where_a_tube_has_gone(self):
        job = change(fresh_job("board", "OPEN"), ("letterings", 0, "craft"), Tube())
        draft = Draft()
        self.drawn(draft, job)
        self.assertEqual(self.drawn(draft, self.moved(job, 60.0))[1], 1)
