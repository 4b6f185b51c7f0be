"""The light of tubes on surfaces, without noise: the closed form for a straight diffuse cylinder."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import Any, TypeVar

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from kilnchisel.core.scene.scene import Lamps

Array = NDArray[Any]
F = TypeVar("F")


def tube_light(points: Array, normals: Array, lamps: Lamps) -> Array:
    """Irradiance / pi of all lamps at points with unit normals, (n, 3), (n, 3) -> (n, 3), nothing in the
    way.

    A thin cylinder of radius R and radiance L sends 2 R L sin(g) ds toward a point, g being the angle
    between its axis and the way there. Integrated along a straight piece (u along it, h from the point
    straight to its line, t along it from there): E = 2 R |h| (n.h I0 + n.u I1) with
    I0 = (t1/d1 - t0/d0) / 2 h² + (atan(t1/h) - atan(t0/h)) / 2 h³, I1 = (1/d0 - 1/d1) / 2, d = h² + t².
    Derived; for an endless tube it is pi L R c / (c² + x²) on a plane at distance c.
    """
    along = lamps.end - lamps.start
    length = np.linalg.norm(along, axis=1)
    kept = length > 1e-9
    rows = (
        points,
        normals,
        lamps.start[kept],
        along[kept] / length[kept, None],
        length[kept],
        lamps.radius[kept],
        lamps.radiance[kept],
    )
    with ONE_AT_A_TIME:
        return np.asarray(_summed(*(np.ascontiguousarray(x, dtype=np.float64) for x in rows)))


# a parallel kernel may end the whole process when two threads enter it at once
ONE_AT_A_TIME = Lock()


compiled: Callable[[F], F] = njit(parallel=True, fastmath=True, cache=True, nogil=True)


@compiled
def _summed(
    points: Array,
    normals: Array,
    start: Array,
    along: Array,
    length: Array,
    radius: Array,
    radiance: Array,
) -> Array:
    total = np.zeros((len(points), 3))
    for i in prange(len(points)):
        for k in range(len(length)):
            ax = start[k, 0] - points[i, 0]
            ay = start[k, 1] - points[i, 1]
            az = start[k, 2] - points[i, 2]
            t0 = ax * along[k, 0] + ay * along[k, 1] + az * along[k, 2]
            hx, hy, hz = ax - t0 * along[k, 0], ay - t0 * along[k, 1], az - t0 * along[k, 2]
            # a point on the glass itself counts as just outside the middle line
            h2 = max(hx * hx + hy * hy + hz * hz, 0.96 * radius[k] * radius[k])
            h = np.sqrt(h2)
            t1 = t0 + length[k]
            d0, d1 = h2 + t0 * t0, h2 + t1 * t1
            i0 = (t1 / d1 - t0 / d0) / (2 * h2) + (np.arctan(t1 / h) - np.arctan(t0 / h)) / (2 * h2 * h)
            i1 = (1 / d0 - 1 / d1) / 2
            n_h = normals[i, 0] * hx + normals[i, 1] * hy + normals[i, 2] * hz
            n_u = normals[i, 0] * along[k, 0] + normals[i, 1] * along[k, 1] + normals[i, 2] * along[k, 2]
            arriving = h * (n_h * i0 + n_u * i1)
            if arriving > 0:
                part = arriving * radius[k] * 2 / np.pi
                total[i, 0] += part * radiance[k, 0]
                total[i, 1] += part * radiance[k, 1]
                total[i, 2] += part * radiance[k, 2]
    return total
