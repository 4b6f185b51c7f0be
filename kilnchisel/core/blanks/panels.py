"""Pieces of cloth as solids: an outside that is lettered, an inside a thickness behind it, a round edge."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.cloth import ClothSide, Panel
from kilnchisel.core.blanks.mesh import Mesh, border_edges, grid, join
from kilnchisel.core.blanks.net import Net, closely, net_over
from kilnchisel.core.detail import Detail
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

STEP_MM = 7.0  # of the triangles; while something moves three times that
ROUGHER = 3.0


def side_of(panel: Panel, *, detail: Detail) -> tuple[ClothSide, Net, Net]:
    """A panel's outside, which ends half its thickness before the seam: its edge is round."""
    thick = panel.thick_mm
    area = panel.outline.buffer(-thick / 2, join_style="mitre")
    nets = nets_over(area, detail=detail)
    domain = shapely.Polygon(shapely.get_coordinates(area.exterior))
    return ClothSide(panel.name, domain, panel.place, nets[0], thick, sloped=panel.slopes), *nets


def nets_over(area: shapely.Polygon, *, detail: Detail) -> tuple[Net, Net]:
    """Triangles over a panel, and those that it has while something moves."""
    step = STEP_MM if detail.fine else ROUGHER * STEP_MM
    return cloth_net(area, step), cloth_net(area, ROUGHER * STEP_MM)


def cloth_net(area: shapely.Polygon, step: float) -> Net:
    """Triangles over a piece of cloth. One pattern is worn, hung and laid flat: it is remembered."""
    return _net_of(shapely.to_wkb(area), step)


@remembered
def _net_of(area: bytes, step: float) -> Net:
    ring = shapely.get_coordinates(shapely.orient_polygons(shapely.from_wkb(area)).exterior)[:-1]
    return net_over(shapely.Polygon(closely(ring, step)), step)


def lining(side: ClothSide, net: Net, thick: float) -> Mesh:
    """The inside of a panel and its round edge, closing to a solid with its outside."""
    flat = net.at
    inside = side.to_body(flat, np.full(len(flat), -thick))
    mesh = Mesh(inside, -side.frames(flat)[:, 2], flat, net.faces[:, ::-1].astype(np.int32))
    return join([mesh, round_edge(side, _border(net), thick)])


def _border(net: Net) -> Array:
    """The points round a net, counter-clockwise, (n, 2)."""
    edges = border_edges(net.faces)
    follows = dict(edges.tolist())
    index = [int(edges[0, 0])]
    while (following := follows[index[-1]]) != index[0]:
        index.append(following)
    return net.at[index]


def round_edge(side: ClothSide, ring: Array, thick: float, above: Array | float = 0.0) -> Mesh:
    """A round edge from the outside, ``above`` its surface, to the inside, ``thick`` below it."""
    closed = np.append(ring, ring[:1], axis=0)
    raised = np.broadcast_to(above, len(ring))
    raised = np.append(raised, raised[:1])
    out = side.frames(closed)[:, 2]
    outer = side.to_body(closed, raised)
    inner = side.to_body(closed, np.full(len(closed), -thick))
    along = np.roll(outer[:-1], -1, axis=0) - np.roll(outer[:-1], 1, axis=0)
    along = np.append(along, along[:1], axis=0)
    away = np.cross(along, out)
    away /= np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-12)
    middle, half = (outer + inner) / 2, (raised + thick)[:, None] / 2
    rows, normals = [], []
    for turn in np.linspace(0, np.pi, 7):
        way = np.cos(turn) * out + np.sin(turn) * away
        rows.append(middle + half * way)
        normals.append(way)
    rows[0], rows[-1] = outer, inner
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(outer, axis=0), axis=1))])
    uv = np.stack(np.broadcast_arrays(run[None], np.linspace(0, thick, 7)[:, None]), axis=-1)
    # rows run from the outside inward, seen from beside them upward
    return grid(np.stack(rows)[::-1], np.stack(normals)[::-1], uv[::-1])
