"""A shirt laid flat, with gentle folds."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Inset
from kilnchisel.core.blanks.outlines import rounded, subdivided
from kilnchisel.core.blanks.slab import Face, Slab, edge_of, slab
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import Garment
from kilnchisel.core.job.traits import FOLDED_MM

Array = NDArray[Any]


def garment_body(shirt: Garment, *, detail: Detail) -> Body:
    """A shirt standing in the plane of (x, z) as a slab, front at about y = 0."""
    chest, length, sleeve = shirt.chest_mm / 2, shirt.length_mm, shirt.sleeve_mm
    step = max(chest, length) / 46
    right = [
        (0.97 * chest, -0.5 * length),
        (chest, 0.19 * length),
        (chest + 0.6 * sleeve, 0.115 * length),
        (chest + 0.82 * sleeve, 0.255 * length),
        (0.82 * chest, 0.462 * length),
        (0.36 * chest, 0.5 * length),
    ]
    turn = np.linspace(0, np.pi, 25)[1:-1]
    neck = [(0.36 * chest * np.cos(t), (0.5 - 0.075 * np.sin(t)) * length) for t in turn]
    left = [(-x, z) for x, z in reversed(right)]
    ring = rounded(np.array([*right, *neck, *left]), 7.0, detail=detail)
    collar = shapely.LineString([right[-1], *neck, left[0]]).buffer(16, quad_segs=4)
    area = shapely.Polygon(ring[0]).buffer(-4.5)
    rib = shapely.intersection(collar, area)
    points, normals = subdivided(ring, step if detail.fine else 2 * step)
    middle = length / 2
    insets = [Inset("collar", "rim", shapely.MultiPolygon([rib]), 0.8)] if not rib.is_empty else []
    seam = shapely.LineString([(-2 * chest, -0.5 * length + 24), (2 * chest, -0.5 * length + 24)])
    stitch = shapely.intersection(seam.buffer(0.9), area)
    if stitch.geom_type == "Polygon":
        insets.append(Inset("hem", "rim", shapely.MultiPolygon([stitch]), -0.3))
    front = partial(_folds, shirt.folds_mm, chest, length)
    what = Slab(
        (points + (0.0, middle), normals),
        Face("front", front, step_mm=step, insets=tuple(insets)),
        Face("back", FOLDED_MM),
        edge_of("round", 0.42 * FOLDED_MM, detail=detail),
        wall_mm=0.8,
        middle_z=middle,
        edge_slot="blank",
    )
    shells, sheets = slab(what, detail=detail)
    return Body(shells, sheets)


def _folds(fold: float, chest: float, length: float, x: Array, z: Array) -> Array:
    """Long, low folds from the shoulders down, and across at the waist: the front's y."""
    p, q = x / chest, (z - length / 2) / length
    wave = (
        0.5 * np.sin(3.1 * p + 2.4 * q + 0.4)
        + 0.3 * np.sin(6.4 * p - 5.2 * q + 1.0)
        + 0.2 * np.sin(1.7 * p + 11.0 * q)
    )
    return np.asarray(-fold * (0.5 + 0.5 * wave))
