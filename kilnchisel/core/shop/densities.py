"""How heavy what a finish says is, g/cm³.

Metals: CRC Handbook (sterling silver by the mixture rule; gold by its alloy); stainless 316L and brass
CuZn37, bronze CuSn8, PMMA, soda-lime glass: handbooks; leather, rubber, woods, stones, foam (extruded
polystyrene): common practice. Chrome is a plate of microns on brass.
"""

from __future__ import annotations

from typing import Any

from kilnchisel.core.finishes.metals import gold_density
from kilnchisel.core.job.finish import (
    Aluminium,
    Brass,
    Bronze,
    Chrome,
    Cloth,
    Copper,
    Enamel,
    Foam,
    Glass,
    Gold,
    Grass,
    Ink,
    Leather,
    Masonry,
    OwnFinish,
    Paint,
    PaintedWood,
    Paper,
    Plastic,
    Rubber,
    Silver,
    Slate,
    Stainless,
    Stone,
    Titanium,
    Wood,
)
from kilnchisel.core.kinds import by_kind

KNOWN: dict[type, float] = {
    Brass: 8.44,
    Stainless: 8.0,
    Silver: 10.36,
    Copper: 8.96,
    Bronze: 8.8,
    Aluminium: 2.70,
    Titanium: 4.506,
    Chrome: 8.44,
    Leather: 0.95,
    Plastic: 1.19,
    Rubber: 1.2,
    Stone: 2.65,
    Wood: 0.68,
    PaintedWood: 0.55,
    Slate: 2.8,
    Glass: 2.5,
    Foam: 0.035,
}


@by_kind(OwnFinish)
def density_of(finish: Any) -> float | None:
    """The density of what a finish is of, g/cm³; None where it does not say what is under it."""
    raise NotImplementedError


@density_of.of(*KNOWN)
def _known(finish: Any) -> float:
    return KNOWN[type(finish)]


@density_of.of(Gold)
def _gold(finish: Gold) -> float:
    return gold_density(finish.carat, finish.alloy)


@density_of.of(Ink, Enamel, Paint, Cloth, Paper, Masonry, Grass)
def _not_said(_: Any) -> None:
    return None
