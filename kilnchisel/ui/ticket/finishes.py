"""The finishes a part can be given, how one turns into another, and the fields of each."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.edits import change, read
from kilnchisel.core.job.finish import (
    SPECIES,
    Aluminium,
    AsBlank,
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
    Metal,
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
from kilnchisel.core.job.model import Job
from kilnchisel.ui.ticket.fields import Spec, at, ranged

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
    ("glass", "Glass"),
    ("foam", "Carving foam"),
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
    "glass": Glass,
    "foam": Foam,
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


POLISH = (
    ("polished", "Polished"),
    ("satin", "Satin"),
    ("brushed", "Brushed"),
    ("hammered", "Hammered"),
    ("blasted", "Blasted"),
)
EFFECTS = (
    ("plain", "Plain"),
    ("metallic", "Metallic"),
    ("pearl", "Pearl"),
    ("fleck", "Fleck"),
    ("reflective", "Reflective film"),
)
ALLOYS = (("yellow", "Yellow"), ("red", "Red"), ("white", "White"))
SURFACE_OF_WOOD = (("bare", "Bare"), ("oiled", "Oiled"), ("lacquered", "Lacquered"), ("charred", "Charred"))
WEAVES = (("book cloth", "Book cloth"), ("cotton", "Cotton"), ("canvas", "Canvas"))
MASONRIES = (("brick", "Brick"), ("concrete", "Concrete"), ("plaster", "Plaster"))


def finish_specs(
    job: Job, path: tuple[str | int, ...], label: str, options: tuple[tuple[Any, str], ...]
) -> list[Spec]:
    """The fields of the finish at ``path``."""
    key = ".".join(str(step) for step in path)
    fields = [
        Spec(
            f"{key}.kind",
            label,
            lambda job: read(job, path).kind,
            lambda job, value: change(job, path, in_finish(read(job, path), value)),
            "menu",
            options=options,
            pictures="looks/finishes",
        )
    ]
    finish = read(job, path)
    if isinstance(finish, Wood):
        fields.append(_species(key, path))
    if hasattr(finish, "colour"):
        fields.append(at((*path, "colour"), f"{label} colour", "colour"))
    if isinstance(finish, Metal):
        return [*fields, *_metal(job, path, finish)]
    charred = isinstance(finish, Wood) and finish.surface == "charred"
    if hasattr(finish, "gloss") and not charred:
        fields.append(ranged(job, (*path, "gloss"), "Gloss", "percent", step=5))
    if isinstance(finish, Paint | Ink):
        fields.append(at((*path, "effect"), "Effect", "menu", options=EFFECTS))
    if isinstance(finish, Glass):
        fields.append(ranged(job, (*path, "frosted"), "Frosted", "percent", step=5))
    if isinstance(finish, PaintedWood):
        fields.append(ranged(job, (*path, "grain"), "Grain shows", "percent", step=5))
    if isinstance(finish, Slate):
        fields.append(ranged(job, (*path, "oiled"), "Oiled", "percent", step=5))
    if isinstance(finish, Cloth):
        fields.append(at((*path, "weave"), "Weave", "menu", options=WEAVES))
    if isinstance(finish, Masonry):
        fields.append(at((*path, "surface"), "Made of", "menu", options=MASONRIES))
    if isinstance(finish, Wood):
        fields.append(at((*path, "surface"), "Surface", "menu", options=SURFACE_OF_WOOD))
        if not charred:
            fields += [
                ranged(job, (*path, "ring_mm"), "Rings", "length", step=1, hint="A year's growth."),
                ranged(job, (*path, "pores"), "Pores", "percent", step=5),
            ]
    if isinstance(finish, PaintedWood | Wood | Cloth):
        fields.append(ranged(job, (*path, "grain_deg"), "Grain turned", "angle", step=15))
    return fields


def _species(key: str, path: tuple[str | int, ...]) -> Spec:
    """A wood by name: the name sets the parameters, and is found again from them."""

    def named(job: Job) -> str:
        wood = read(job, path)
        values = (wood.colour, wood.ring_mm, wood.pores)
        return next((name for name, known in SPECIES.items() if known == values), "")

    def of(job: Job, name: str) -> Job:
        if not name:
            return job
        colour, ring, pores = SPECIES[name]
        update = {"colour": colour, "ring_mm": ring, "pores": pores}
        return change(job, path, read(job, path).model_copy(update=update))

    options = (("", "Another"), *((name, name.capitalize()) for name in SPECIES))
    return Spec(f"{key}.species", "Species", named, of, "menu", options=options)


def _metal(job: Job, path: tuple[str | int, ...], finish: Metal) -> list[Spec]:
    fields = []
    if isinstance(finish, Gold):
        fields.append(ranged(job, (*path, "carat"), "Carat", "carat", step=1))
        if finish.carat < 24:
            fields.append(at((*path, "alloy"), "Alloy", "choice", options=ALLOYS))
    fields.append(at((*path, "polish"), "Polish", "menu", options=POLISH))
    if finish.polish == "brushed":
        fields.append(ranged(job, (*path, "grain_deg"), "Grain turned", "angle", step=15))
    hint = "How much duller it is in places."
    fields.append(ranged(job, (*path, "uneven"), "Uneven polish", "percent", step=5, hint=hint))
    if finish.uneven > 0:
        hint = "Nowhere is it duller; 100 % is blasted."
        fields.append(ranged(job, (*path, "dullest"), "At its dullest", "percent", step=5, hint=hint))
    fields.append(ranged(job, (*path, "patina"), "Patina", "percent", step=5, hint="What time put on it."))
    return fields


def wear_specs(job: Job) -> list[Spec]:
    """What use has done to the piece."""
    path: tuple[str | int, ...] = ("wear",)
    fields = [
        ranged(job, (*path, "rubbed"), "Rubbed edges", "percent", step=5),
        ranged(job, (*path, "dirt"), "Dirt in recesses", "percent", step=5),
        ranged(job, (*path, "scratched"), "Scratches", "percent", step=5),
        ranged(job, (*path, "noise"), "Uneven colour", "percent", step=0.5, decimals=1),
    ]
    if job.wear != type(job.wear)(seed=job.wear.seed):
        fields.append(ranged(job, (*path, "seed"), "Variation", "count", step=1, hint="Another piece."))
    return fields
