"""A tote bag of draped canvas: two panels, two handles whose ends are sewn on with a crossed square."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Body, FinishSlot, Sheet, Shell
from kilnchisel.core.blanks.cloth import ClothSide, Panel, draped
from kilnchisel.core.blanks.hanger import PEG_R, peg_shell
from kilnchisel.core.blanks.mesh import Mesh, join
from kilnchisel.core.blanks.panels import cloth_net, lining, side_of
from kilnchisel.core.blanks.stitches import hems_of, stitched
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import ToteBag
from kilnchisel.core.job.totes import TOTE, TOTE_SIZES, ToteMeasures

Array = NDArray[Any]

PEG_FRONT_MM = -62.0
IN_MM = 4.0  # from the edge of a handle's end its seam is


def tote_body(blank: ToteBag, *, detail: Detail) -> Body:
    """A bag as it is shown, the lowest place of its cloth on z = 0, its front facing -y."""
    m, bag = TOTE_SIZES[blank.size], draped(TOTE, blank.size, blank.shown)
    shells: list[Shell] = []
    sheets: list[Sheet] = []
    for panel in bag.panels:
        handle = panel.name.endswith("handle")
        slot: FinishSlot = "rim" if handle else "blank"
        side, net, rough = side_of(panel, bag.thick_mm, detail=detail)
        sheets.append(Sheet(side, slot, solid=panel.name, net=net, rough=rough))
        shells.append(Shell(f"{panel.name} inner", slot, lining(side, net, bag.thick_mm), panel.name))
        if detail.fine:
            shells += stitched(panel.name, side, [] if handle else hems_of(panel))
        if not handle:
            for name, aside in (("left", 1.0), ("right", -1.0)):
                shells += _sewn_end(panel, f"{panel.name} {name}", aside, m, bag.thick_mm, detail=detail)
    if blank.shown == "hanging":
        handles = [bag.named(f"{one} handle") for one in ("front", "back")]
        top = max(float(one.place(np.array([[0.0, m.handle / 2]]))[0, 2]) for one in handles)
        shells.append(peg_shell(top - bag.thick_mm - PEG_R - 2.0, PEG_FRONT_MM, detail=detail))
    return Body(tuple(shells), tuple(sheets))


def _sewn_end(
    panel: Panel, name: str, aside: float, m: ToteMeasures, thick: float, *, detail: Detail
) -> list[Shell]:
    """The end of a handle on the outside of a panel, and its seam."""
    middle = np.array([aside * m.apart / 2, m.high / 2 - m.sewn / 2])
    half = np.array([m.tape, m.sewn]) / 2
    area = shapely.box(*(-half + thick / 2), *(half - thick / 2))
    net = cloth_net(area, 4.0 if detail.fine else 12.0)
    place = partial(_upon, panel, middle, thick)
    side = ClothSide(f"{name} end", shapely.box(*-half, *half), place, net, thick)
    out = side.frames(net.at)[:, 2]
    upper = Mesh(side.to_body(net.at, np.zeros(len(net.at))), out, net.at, net.faces.astype(np.int32))
    shells = [Shell(f"{name} end", "rim", join([upper, lining(side, net, thick)]), f"{name} end")]
    if detail.fine:
        x, z = half - IN_MM
        lines = [[(-x, -z), (x, -z), (x, z), (-x, z), (-x, -z)], [(-x, -z), (x, z)], [(-x, z), (x, -z)]]
        shells += stitched(f"{name} end", side, [(shapely.LineString(line), 0.0) for line in lines])
    return shells


def _upon(panel: Panel, middle: Array, thick: float, uv: Array) -> Array:
    """Places on a piece of cloth that lies on a panel's outside."""
    at = uv + middle
    return np.asarray(panel.place(at) + (thick + 0.1) * panel.normal(at))
