"""Bodies in few points, for light and shadow, and the same body more than once."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, Sheet, Shell
from kilnchisel.core.blanks.mesh import Mesh, filled, lattice_faces
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]


def sampled(sheet: Sheet) -> tuple[Array, Array, Array, tuple[int, int]]:
    """Points and normals (n, 3) over an unlettered sheet, its triangles (k, 3, 3), and how many of the
    points there are along u and v.

    Points of the grid that lie beyond a flat side's border are moved to the border.
    """
    low_u, low_v, high_u, high_v = sheet.side.domain.bounds
    columns, rows = (48, 9) if len(sheet.cuts) else (16, 9) if sheet.net is None else (24, 17)
    u = np.linspace(low_u, high_u, columns + 1)
    v = np.linspace(low_v, high_v, rows)
    uu, vv = np.meshgrid(u, v)
    uv = np.stack([uu.ravel(), vv.ravel()], axis=1)
    if len(sheet.cuts) == 0:
        spots = shapely.points(uv)
        inward = shapely.get_coordinates(shapely.shortest_line(spots, sheet.border))[1::2]
        uv = np.where(shapely.covers(sheet.border, spots)[:, None], uv, inward)
    points = sheet.side.to_body(uv, np.zeros(len(uv)))
    normals = sheet.side.frames(uv)[:, 2]
    if len(sheet.cuts) == 0:
        net = sheet.net
        flat, faces = filled(sheet.border) if net is None else (net.points, net.faces)
        corners = sheet.side.to_body(flat, np.zeros(len(flat)))[faces]
        return points, normals, corners, (columns + 1, len(v))
    return points, normals, points[lattice_faces(len(v), columns + 1)], (columns + 1, len(v))


def as_shell(sheet: Sheet) -> Shell:
    """An unlettered sheet as a mesh that takes no lettering, in few points."""
    points, normals, triangles, _ = sampled(sheet)
    corners = triangles.reshape(-1, 3)
    faces = len(points) + np.arange(len(corners)).reshape(-1, 3)
    a, b, c = (triangles[:, n] for n in range(3))
    facing = np.cross(b - a, c - a)
    facing /= np.maximum(np.linalg.norm(facing, axis=1, keepdims=True), 1e-12)
    every, out = np.concatenate([points, corners]), np.concatenate([normals, np.repeat(facing, 3, axis=0)])
    mesh = Mesh(every, out, np.zeros((len(every), 2)), faces.astype(np.int32))
    return Shell(sheet.side.name, sheet.slot, mesh, sheet.solid)


@remembered
def points_of(body: Body) -> Array:
    """Points (n, 3) all over a body, its outermost among them."""
    return np.concatenate(
        [shell.mesh.points for shell in body.shells] + [sampled(sheet)[0] for sheet in body.sheets]
    )


@remembered
def repeated(body: Body, placings: tuple[bytes, ...], own: tuple[int, ...] = ()) -> Body:
    """A body with the same body again, once for each placing (a (4, 4) matrix of float64, as bytes): of
    those no side takes lettering. ``own``: the number of each copy's own finish, 0 where it has none."""
    alone = [*body.shells, *(as_shell(sheet) for sheet in body.sheets)]
    more = [
        Shell(
            f"{shell.name} {number + 2}",
            shell.slot,
            shell.mesh.moved(matrix_in(placing)),
            shell.solid,
            own[number] if own and shell.slot == "blank" else 0,
        )
        for number, placing in enumerate(placings)
        for shell in alone
    ]
    # what could be cast at knows nothing of the copies
    return Body((*body.shells, *more), body.sheets, body.lengthwise)


def matrix_in(placing: bytes) -> Array:
    """The matrix (4, 4) of a placing."""
    return np.frombuffer(placing).reshape(4, 4)
