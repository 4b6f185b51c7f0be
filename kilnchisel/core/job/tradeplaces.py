"""Where the trade puts things: prints on garments, hallmarks in rings. Common practice."""

from __future__ import annotations

from dataclasses import dataclass

from kilnchisel.core.job.blank import Band, Blank
from kilnchisel.core.job.bodies import Apparel, Signet


@dataclass(frozen=True)
class Place:
    """Where the trade puts a print. ``along``: its middle, from the middle of the side, to the reader's
    right; ``below``: its upper edge below the collar, or None where ``above``, its lower edge above the
    lower end of the side, counts. All mm."""

    side: str
    along: float = 0.0
    below: float | None = None
    above: float = 0.0


# common practice; the wearer's left is on the reader's right of a front
PLACES = {
    "left chest": Place("front", along=100, below=78),
    "right chest": Place("front", along=-100, below=78),
    "full front": Place("front", below=76),
    "full back": Place("back", below=114),
    "nape": Place("back", below=26),
    "left sleeve": Place("left sleeve", above=58),
    "right sleeve": Place("right sleeve", above=58),
}

# share of the way round the inside, to the reader's right of its middle, where an inscription is
IN_RINGS = {"hallmark": 0.25}
ALL = (*PLACES, *IN_RINGS)


def places_of(blank: Blank) -> tuple[str, ...]:
    """The names of the places that there are on a blank."""
    if isinstance(blank, Apparel):
        return tuple(PLACES)
    return tuple(IN_RINGS) if isinstance(blank, Band | Signet) else ()
