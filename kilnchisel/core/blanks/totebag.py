"""A tote bag of draped canvas: two panels, two handles whose ends are sewn on."""

from __future__ import annotations

import numpy as np

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.cloth import draped
from kilnchisel.core.blanks.hanger import PEG_R, peg_shell
from kilnchisel.core.blanks.tapes import sewn_end, sewn_panels
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.bodies import ToteBag
from kilnchisel.core.job.garments import HANGER_WALL_MM
from kilnchisel.core.job.totes import TOTE, TOTE_SIZES

PEG_REACH_MM = (HANGER_WALL_MM, -62.0)  # from the wall to its end


def tote_body(blank: ToteBag, *, detail: Detail) -> Body:
    """A bag as it is shown, the lowest place of its cloth on z = 0, its front facing -y."""
    m, bag = TOTE_SIZES[blank.size], draped(TOTE, blank.size, blank.shown)
    shells, sheets = sewn_panels(bag, ("handle",), detail=detail)
    half = np.array([m.tape, m.sewn]) / 2
    for name in ("front", "back"):
        for side, aside in (("left", 1.0), ("right", -1.0)):
            middle = (aside * m.apart / 2, m.high / 2 - m.sewn / 2)
            shells += sewn_end(bag.named(name), f"{name} {side}", middle, half, detail=detail)
    if blank.shown == "hanging":
        handles = [bag.named(f"{one} handle") for one in ("front", "back")]
        under = max(
            float(one.place(np.array([[0.0, m.handle / 2]]))[0, 2]) - one.thick_mm for one in handles
        )
        shells.append(peg_shell(under - PEG_R - 2.0, PEG_REACH_MM, detail=detail))
    return Body(tuple(shells), tuple(sheets))
