"""How large aprons with a bib are, mm: common practice."""

from __future__ import annotations

from dataclasses import dataclass

from kilnchisel.core.job.tape import Taped

APRON = "apron"


@dataclass(frozen=True)
class ApronMeasures(Taped):
    """``bib``: how wide it is above; ``wide``: at the waist and below; ``bib_high``, ``high``: of the bib,
    and of all; ``handle``: the strap round the neck, as long as it is seen; ``apart``: between the middles
    of its ends; ``tape``: how wide it and the ties are; ``worn``: the size of the shirt that it goes over;
    ``tie``: of the ties, what goes round the back."""

    bib: float
    wide: float
    bib_high: float
    high: float
    handle: float
    apart: float
    worn: str
    tie: float
    tape: float = 26.0
    sewn: float = 30.0


APRON_SIZES = {
    "small": ApronMeasures(240, 640, 270, 800, 540, 196, "M", 210),
    "large": ApronMeasures(280, 760, 300, 900, 580, 236, "XL", 240),
}
APRON_SHOWN = ("worn", "laid flat")
