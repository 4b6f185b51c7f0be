"""Tape on cloth: straps and ties that are panels of their own, and the ends that are sewn down."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Sheet, Shell
from kilnchisel.core.blanks.cloth import ClothSide, Draped, Panel
from kilnchisel.core.blanks.mesh import Mesh, join
from kilnchisel.core.blanks.net import Net
from kilnchisel.core.blanks.panels import cloth_net, lining, side_of
from kilnchisel.core.blanks.stitches import hems_of, stitched
from kilnchisel.core.detail import Detail

Array = NDArray[Any]

IN_MM = 4.0  # from the edge of a tape's end its seam is


def sewn_panels(
    cloth: Draped, tapes: tuple[str, ...], *, detail: Detail
) -> tuple[list[Shell], list[Sheet]]:
    """The panels of what is sewn, hemmed; those whose names end so are tapes, and letters do not go on
    them."""
    shells: list[Shell] = []
    sheets: list[Sheet] = []
    for panel in cloth.panels:
        side, net, rough = side_of(panel, detail=detail)
        if panel.name.endswith(tapes):
            shells.append(taped(panel.name, side, net, panel.thick_mm))
            continue
        sheets.append(Sheet(side, "blank", solid=panel.name, net=net, rough=rough))
        shells.append(Shell(f"{panel.name} inner", "blank", lining(side, net, panel.thick_mm), panel.name))
        if detail.fine:
            shells += stitched(panel.name, side, hems_of(panel))
    return shells, sheets


def sewn_end(
    panel: Panel, name: str, middle: tuple[float, float], half: Array, *, detail: Detail
) -> list[Shell]:
    """The end of a tape on the outside of a panel, ``half`` as wide and high (2,), and its seam."""
    thick = panel.thick_mm
    area = shapely.box(*(-half + thick / 2), *(half - thick / 2))
    net = cloth_net(area, 4.0 if detail.fine else 12.0)
    place = partial(_upon, panel, np.array(middle), thick)
    side = ClothSide(f"{name} end", shapely.box(*-half, *half), place, net, thick)
    shells = [taped(f"{name} end", side, net, thick)]
    if detail.fine:
        x, z = half - IN_MM
        lines = [[(-x, -z), (x, -z), (x, z), (-x, z), (-x, -z)], [(-x, -z), (x, z)], [(-x, z), (x, -z)]]
        shells += stitched(f"{name} end", side, [(shapely.LineString(line), 0.0) for line in lines])
    return shells


def taped(name: str, side: ClothSide, net: Net, thick: float) -> Shell:
    """A piece of tape as a solid."""
    out = side.frames(net.at)[:, 2]
    upper = Mesh(side.to_body(net.at, np.zeros(len(net.at))), out, net.at, net.faces.astype(np.int32))
    return Shell(name, "rim", join([upper, lining(side, net, thick)]), name)


def _upon(panel: Panel, middle: Array, thick: float, uv: Array) -> Array:
    """Places on a piece of cloth that lies on a panel's outside."""
    at = uv + middle
    return np.asarray(panel.place(at) + (thick + 0.1) * panel.normal(at))
