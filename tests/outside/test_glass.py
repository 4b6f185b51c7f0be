"""Ways through glass against Snell's and Fresnel's laws, and against the handbook's critical angle."""

import unittest
from types import SimpleNamespace

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from kilnchisel.core.picture.throughglass import WALLS, Walls, _bend

INDEX = 1.52


def slab(thick_mm, tint=(1.0, 1.0, 1.0), below=1.0):
    """Two planes of glass, z = 0 and z = -thick, 2 m wide, facing out; ``below``: the index there."""
    square = np.array([[-1000, -1000], [1000, -1000], [1000, 1000], [-1000, 1000]], float)
    upper = np.column_stack([square, np.zeros(4)])[[[0, 1, 2], [0, 2, 3]]]
    lower = np.column_stack([square, np.full(4, -thick_mm)])[[[0, 2, 1], [0, 3, 2]]]
    corners = np.concatenate([upper, lower])
    normals = np.repeat([[0, 0, 1.0], [0, 0, 1.0], [0, 0, -1.0], [0, 0, -1.0]], 3, axis=0).reshape(-1, 3, 3)
    tracer = EmbreeScene()
    TriangleMesh(tracer, corners.astype(np.float32))
    bends = np.array([INDEX, INDEX, INDEX / below, INDEX / below])
    return Walls(normals, np.ones(4, bool), np.tile(tint, (4, 1)), bends, tracer)


def sent(walls, at, way, steps=WALLS, inside=False):
    """A ray through walls: where it comes out, its way, what is kept of it."""
    at, way = np.array([at], np.float32), np.array([way], np.float32)
    ray = SimpleNamespace(at=at, way=way, kept=np.ones((1, 3)), seen=np.zeros((1, 3)))
    within, alive, ended = np.array([inside]), np.ones(1, bool), np.full(1, -1, np.int32)
    ground = np.zeros((4, 4, 3))
    frame = np.array([[1.0, 0, 0], [0, 1, 0], [0, 0, 1], [0, 0, -1e7]])
    room = np.ones((2, 8, 16, 4), np.float32)
    for _ in range(steps):
        if not alive[0]:
            break
        met = walls.tracer.run(at, way, output=True)
        arrays = met["tfar"], met["primID"], met["u"], met["v"], walls.normals, walls.glass, walls.tint
        arrays = *arrays, walls.bends
        rows = np.zeros(1, np.int64)
        state = rows, at, way, ray.kept, ray.seen, within, alive, ended
        _bend(*state, *arrays, ground, frame, 1.0, room, np.zeros((6, 3)), 1e-3, 1)
    return ray, bool(within[0])


class Glass(unittest.TestCase):
    def test_snell_and_the_sideways_step_of_a_plate(self):
        # the sideways step of a plane plate, d sin(i - r) / cos r: Hecht, "Optics", from memory
        for degrees in (10.0, 30.0, 55.0):
            angle = np.radians(degrees)
            way = [np.sin(angle), 0.0, -np.cos(angle)]
            one, within = sent(slab(20.0), [0, 0, 1.0], way, steps=1)
            self.assertTrue(within)
            self.assertAlmostEqual(one.way[0, 0], np.sin(angle) / INDEX, places=5)
            out, within = sent(slab(20.0), [0, 0, 1.0], way, steps=2)
            self.assertFalse(within)
            np.testing.assert_allclose(out.way[0], way, atol=1e-5)
            bent = np.arcsin(np.sin(angle) / INDEX)
            step = 20 * np.sin(angle - bent) / np.cos(bent)
            off = out.at[0] - [0, 0, 1.0]
            sideways = np.linalg.norm(off - (off @ way) * np.array(way))
            self.assertAlmostEqual(sideways, step, delta=0.01)

    def test_through_a_wet_wall_into_water(self):
        """Snell's law from air into water, whatever the plane wall between them is of."""
        angle = np.radians(40.0)
        out, within = sent(
            slab(4.0, below=1.333), [0, 0, 1.0], [np.sin(angle), 0.0, -np.cos(angle)], steps=2
        )
        self.assertFalse(within)
        self.assertAlmostEqual(out.way[0, 0], np.sin(angle) / 1.333, places=5)

    def test_what_two_faces_let_through_square_on(self):
        # 4.26 % is mirrored at a face of n = 1.52: ((n - 1) / (n + 1))²
        out, _ = sent(slab(5.0), [0, 0, 1.0], [0, 0, -1.0])
        np.testing.assert_allclose(out.kept[0], (1 - (0.52 / 2.52) ** 2) ** 2, rtol=1e-5)
        np.testing.assert_allclose(out.seen[0], out.kept[0], rtol=1e-4)  # of a room of radiance 1
        tinted, _ = sent(slab(5.0, (0.9, 0.8, 0.5)), [0, 0, 1.0], [0, 0, -1.0])
        np.testing.assert_allclose(tinted.kept[0] / out.kept[0], [0.81, 0.64, 0.25], rtol=1e-5)

    def test_at_brewsters_angle_half_is_let_through_whole(self):
        # tan i = n: light along the plane of incidence is not mirrored; of the other ((n² - 1) / (n² + 1))²
        angle = np.arctan(INDEX)
        one, _ = sent(slab(5.0), [0, 0, 1.0], [np.sin(angle), 0, -np.cos(angle)], steps=1)
        lost = ((INDEX**2 - 1) / (INDEX**2 + 1)) ** 2 / 2
        np.testing.assert_allclose(one.kept[0], 1 - lost, rtol=1e-4)

    def test_beyond_the_critical_angle_all_is_mirrored(self):
        # 41.1 degrees for n = 1.52: sin c = 1 / n
        for degrees, stays in ((40.0, False), (42.5, True)):
            angle = np.radians(degrees)
            way = [np.sin(angle), 0, np.cos(angle)]
            one, within = sent(slab(50.0), [0, 0, -20.0], way, steps=1, inside=True)
            self.assertEqual(within, stays)
            if stays:
                np.testing.assert_allclose(one.kept[0], 1.0)
                np.testing.assert_allclose(one.way[0], [way[0], 0, -way[2]], atol=1e-6)


if __name__ == "__main__":
    unittest.main()
