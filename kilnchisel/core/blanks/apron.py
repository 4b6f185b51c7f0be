"""An apron with a bib, of draped cloth: one panel, a strap round the neck, a tie round the back."""

from __future__ import annotations

import numpy as np

from kilnchisel.core.blanks.body import Body
from kilnchisel.core.blanks.cloth import draped
from kilnchisel.core.blanks.tapes import sewn_end, sewn_panels
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.aprons import APRON, APRON_SIZES
from kilnchisel.core.job.bodies import Apron


def apron_body(blank: Apron, *, detail: Detail) -> Body:
    """An apron as it is shown, the lowest place of its cloth on z = 0, its front facing -y."""
    m, cloth = APRON_SIZES[blank.size], draped(APRON, blank.size, blank.shown)
    shells, sheets = sewn_panels(cloth, ("strap", "tie"), detail=detail)
    front, half = cloth.named("front"), np.array([m.tape, m.sewn]) / 2
    for name, aside in (("left", 1.0), ("right", -1.0)):
        middle = (aside * m.apart / 2, m.high / 2 - m.sewn / 2)
        shells += sewn_end(front, f"strap {name}", middle, half, detail=detail)
        waist = (aside * (m.wide / 2 - m.sewn / 2), m.high / 2 - m.bib_high - m.tape / 2)
        shells += sewn_end(front, f"tie {name}", waist, half[::-1], detail=detail)
    return Body(tuple(shells), tuple(sheets))
