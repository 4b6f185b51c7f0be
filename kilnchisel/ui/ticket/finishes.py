"""The finishes a part can be given, and how one turns into another."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.finish import (
    AsBlank,
    Brass,
    Cloth,
    Enamel,
    Gold,
    Grass,
    Ink,
    Masonry,
    Paint,
    PaintedWood,
    Paper,
    Silver,
    Slate,
    Stainless,
    Wood,
)

SURFACES: tuple[tuple[Any, str], ...] = (
    ("enamel", "Enamel"),
    ("brass", "Brass"),
    ("stainless", "Stainless"),
    ("gold", "Gold"),
    ("silver", "Silver"),
    ("paint", "Paint"),
    ("painted wood", "Painted wood"),
    ("wood", "Wood"),
    ("slate", "Slate"),
    ("cloth", "Cloth"),
    ("paper", "Paper"),
    ("masonry", "Masonry"),
    ("grass", "Grass"),
)
FINISHES: dict[str, Any] = {
    "enamel": Enamel,
    "brass": Brass,
    "stainless": Stainless,
    "gold": Gold,
    "silver": Silver,
    "paint": Paint,
    "wood": Wood,
    "cloth": Cloth,
    "paper": Paper,
    "masonry": Masonry,
    "grass": Grass,
    "painted wood": PaintedWood,
    "slate": Slate,
    "ink": Ink,
    "as the blank": AsBlank,
}


def in_finish(finish: Any, kind: str) -> Any:
    """Another finish, in the same colour where both have one."""
    made = FINISHES[kind]()
    if hasattr(made, "colour") and hasattr(finish, "colour"):
        return made.model_copy(update={"colour": finish.colour})
    return made
