"""The finishes a part can be given, and how one turns into another."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.finish import (
    Aluminium,
    AsBlank,
    Brass,
    Bronze,
    Chrome,
    Cloth,
    Copper,
    Enamel,
    Gold,
    Grass,
    Ink,
    Leather,
    Masonry,
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

SURFACES: tuple[tuple[Any, str], ...] = (
    ("enamel", "Enamel"),
    ("brass", "Brass"),
    ("stainless", "Stainless"),
    ("gold", "Gold"),
    ("silver", "Silver"),
    ("copper", "Copper"),
    ("bronze", "Bronze"),
    ("aluminium", "Aluminium"),
    ("chrome", "Chrome"),
    ("titanium", "Titanium"),
    ("paint", "Paint"),
    ("painted wood", "Painted wood"),
    ("wood", "Wood"),
    ("slate", "Slate"),
    ("stone", "Stone"),
    ("leather", "Leather"),
    ("plastic", "Plastic"),
    ("rubber", "Rubber"),
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
    "copper": Copper,
    "bronze": Bronze,
    "aluminium": Aluminium,
    "chrome": Chrome,
    "titanium": Titanium,
    "leather": Leather,
    "plastic": Plastic,
    "rubber": Rubber,
    "stone": Stone,
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
