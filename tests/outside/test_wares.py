"""What stands in a room behind glass, taken apart by a second library: each thing closed, on its shelf,
beside the others."""

import unittest

import numpy as np
import trimesh

from kilnchisel.core.blanks.bodies import body_of
from kilnchisel.core.blanks.joinery import Parts
from kilnchisel.core.blanks.wares import Spot, put_wares
from kilnchisel.core.build import piece_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.boards import ShopFront, Window
from kilnchisel.core.job.model import Job

SHELF = Spot(100.0, 2600.0, 1500.0, 800.0, 400.0)
BAND_MM3 = 1500.0  # at most: a band over the spine of a book


def things(detail=Detail.FINE, spot=SHELF):
    """Each by itself, as trimesh splits them."""
    parts = Parts(detail)
    put_wares(parts, [spot])
    found = []
    for shell in parts.shells:
        mesh = trimesh.Trimesh(shell.mesh.points, shell.mesh.faces)
        mesh.merge_vertices(merge_tex=True, merge_norm=True)
        found += mesh.split(only_watertight=False)
    return found


def _leans(box):
    """Whether a thing is a box whose sides look neither straight up nor straight aside."""
    up = np.unique(np.abs(box.face_normals[:, 2]).round(3))
    return len(up) == 3 and 0.05 < up[1] < 0.35


class Wares(unittest.TestCase):
    def test_each_is_closed_and_turned_outward(self):
        found = things()
        self.assertGreater(len(found), 20)
        for one in found:
            self.assertTrue(one.is_watertight)
            self.assertGreater(one.volume, 1e4 if one.volume > BAND_MM3 else 50.0)

    def test_bands_lie_on_the_spines_of_books_and_one_book_leans(self):
        found = things()
        bands = [one for one in found if one.volume < BAND_MM3]
        self.assertGreater(len(bands), 3)
        books = [one for one in found if one.volume > BAND_MM3]
        for band in bands:
            low, high = band.bounds
            near = low - 0.5, high + 0.5
            on = [
                one
                for one in books
                if (one.bounds[0, [0, 2]] < near[0][[0, 2]]).all()
                and (one.bounds[1, [0, 2]] > near[1][[0, 2]]).all()
            ]
            self.assertTrue(any(abs(one.bounds[0, 1] - (low[1] + high[1]) / 2) < 0.01 for one in on), low)
        self.assertTrue(any(_leans(one) for one in books))

    def test_they_stand_on_their_shelf_and_beside_each_other(self):
        boxes = np.array([one.bounds for one in things() if one.volume > BAND_MM3])
        low, high = boxes[:, 0], boxes[:, 1]
        self.assertGreaterEqual(low[:, 0].min(), SHELF.left - 4)
        self.assertLessEqual(high[:, 0].max(), SHELF.right + 4)
        self.assertLess(high[:, 2].max(), SHELF.z + SHELF.tall)
        self.assertTrue(np.all(np.abs((low[:, 1] + high[:, 1]) / 2 - SHELF.y) < 30))
        resting = low[:, 2] < SHELF.z + 8  # a ball is flat below
        self.assertTrue(np.all(low[resting, 2] > SHELF.z))
        order = np.argsort(low[resting, 0])
        gaps = low[resting, 0][order][1:] - high[resting, 0][order][:-1]
        self.assertGreater(gaps.min(), 0.5)
        for k in np.flatnonzero(~resting):  # a lid, a box on a box: just over another one, within its reach
            under = [
                j
                for j in range(len(boxes))
                if abs(high[j, 2] - low[k, 2]) < 1
                and low[j, 0] - 4 < low[k, 0]
                and high[k, 0] < high[j, 0] + 40
            ]
            self.assertTrue(under, boxes[k])

    def test_the_same_things_while_something_moves(self):
        fine, rough = (things(detail) for detail in (Detail.FINE, Detail.ROUGH))
        self.assertEqual(len(fine), len(rough))
        for one, other in zip(fine, rough, strict=True):
            np.testing.assert_allclose(one.centroid, other.centroid, atol=2.5)

    def test_no_room_no_things(self):
        self.assertEqual(things(spot=Spot(0.0, 120.0, 0.0, 0.0, 300.0)), [])

    def test_they_are_seen_and_not_made(self):
        for blank in (ShopFront(), Window()):
            wares = [shell.mesh for shell in body_of(blank).shells if "wares" in shell.name]
            self.assertGreater(len(wares), 5)
            nearest = min(mesh.points[:, 1].min() for mesh in wares)
            points = solid_of(piece_of(Job(blank=blank)))[0]
            self.assertLess(points[:, 1].max(), nearest)


if __name__ == "__main__":
    unittest.main()
