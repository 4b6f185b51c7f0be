"""How large garments are, laid flat, mm: common practice of the trade, sizes XS to 3XL."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

SIZES = ("XS", "S", "M", "L", "XL", "2XL", "3XL")
MIDDLE = SIZES.index("M")


@dataclass(frozen=True)
class Measures:
    """A garment laid flat, mm. ``chest``: from pit to pit; ``length``: from the high point of the shoulder
    to the hem; ``shoulders``: from seam to seam; ``slope``: how far the shoulder falls; ``armhole``: from
    shoulder to pit, straight; ``sleeve``: along its top; ``cuff``: its opening; ``sleeve_deg``: below level
    as it lies; ``neck``: its width; ``drop_front``, ``drop_back``: how deep it is cut; ``rib``: how high
    the collar stands, ``rib_hem`` that of cuffs and waist, 0 where they are hemmed; ``hood``: how high a
    hood is along its opening, 0 for none; ``pouch``: how wide below, how wide above and how high the pocket
    on the front is."""

    chest: float
    length: float
    shoulders: float
    slope: float
    armhole: float
    sleeve: float
    cuff: float
    sleeve_deg: float
    neck: float
    drop_front: float
    drop_back: float
    rib: float
    rib_hem: float = 0.0
    hood: float = 0.0
    pouch: tuple[float, float, float] = (0.0, 0.0, 0.0)


def measures_of(garment: str, size: str) -> Measures:
    """The measures of a garment in a size."""
    step = SIZES.index(size) - MIDDLE
    return TABLE[garment](step)


def _t_shirt(step: int) -> Measures:
    return Measures(
        chest=520 + 50 * step,
        length=730 + 25 * step,
        shoulders=444 + 25 * step,
        slope=49 + 1.5 * step,
        armhole=228 + 12 * step,
        sleeve=218 + 8 * step,
        cuff=186 + 10 * step,
        sleeve_deg=31,
        neck=184 + 4 * step,
        drop_front=98 + 3 * step,
        drop_back=18,
        rib=21,
    )


def _long_sleeve(step: int) -> Measures:
    return replace(_t_shirt(step), sleeve=610 + 14 * step, cuff=96 + 4 * step)


def _sweatshirt(step: int) -> Measures:
    return Measures(
        chest=565 + 50 * step,
        length=640 + 25 * step,
        shoulders=500 + 25 * step,
        slope=50 + 1.5 * step,
        armhole=246 + 12 * step,
        sleeve=540 + 14 * step,
        cuff=118 + 4 * step,
        sleeve_deg=31,
        neck=196 + 4 * step,
        drop_front=86 + 3 * step,
        drop_back=20,
        rib=25,
        rib_hem=66,
    )


def _hooded(step: int) -> Measures:
    return replace(
        _sweatshirt(step),
        length=670 + 25 * step,
        neck=206 + 4 * step,
        drop_front=92 + 3 * step,
        hood=360 + 5 * step,
        pouch=(340 + 18 * step, 218 + 10 * step, 205 + 5 * step),
    )


TABLE: dict[str, Callable[[int], Measures]] = {
    "t-shirt": _t_shirt,
    "long sleeve": _long_sleeve,
    "sweatshirt": _sweatshirt,
    "hooded sweatshirt": _hooded,
}


HANGER_WALL_MM = 34.0  # from the middle of a hanger back to the wall
BEHIND_MM = 52.0  # what a hood that is thrown back takes up behind it
HOOK_MM = 95.0  # how far above the garment the peg is
SHOWN = ("worn", "on a hanger", "laid flat", "folded")


def collar_of(m: Measures, side: str) -> float:
    """How high the middle of the neckline is on the sheet of the front or the back, mm."""
    return m.length / 2 - (m.drop_back if side == "back" else m.drop_front)


def wall_behind(m: Measures) -> float:
    """How far behind the middle of its hanger the wall is that a garment hangs on, mm."""
    return HANGER_WALL_MM + (BEHIND_MM if m.hood else 0.0)


def folded_size(m: Measures) -> tuple[float, float]:
    """How wide and high a garment is when it is folded as in a shop, mm."""
    return 0.5 * m.chest, 0.41 * (m.length + m.rib_hem)
