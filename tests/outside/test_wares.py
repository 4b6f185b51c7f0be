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


class Wares(unittest.TestCase):
    def test_each_is_closed_and_turned_outward(self):
        found = things()
        self.assertGreater(len(found), 20)
        for one in found:
            self.assertTrue(one.is_watertight)
            self.assertGreater(one.volume, 1e4)

    def test_they_stand_on_their_shelf_and_beside_each_other(self):
        boxes = np.array([one.bounds for one in things()])
        low, high = boxes[:, 0], boxes[:, 1]
        self.assertGreaterEqual(low[:, 0].min(), SHELF.left - 4)
        self.assertLessEqual(high[:, 0].max(), SHELF.right + 4)
        self.assertLess(high[:, 2].max(), SHELF.z + SHELF.tall)
        self.assertTrue(np.all(np.abs((low[:, 1] + high[:, 1]) / 2 - SHELF.y) < 30))
        resting = low[:, 2] < SHELF.z + 5
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
