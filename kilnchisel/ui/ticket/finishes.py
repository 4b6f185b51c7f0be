"""The finishes a part can be given, how one turns into another, and the fields of each."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.finishes.finish import material_of
from kilnchisel.core.finishes.wear import takes_prints
from kilnchisel.core.job.edits import change, read
from kilnchisel.core.job.finish import (
    AS_HANDED_OVER,
    SPECIES,
    AsBlank,
    Cloth,
    Enamel,
    Foam,
    Glass,
    Gold,
    Grass,
    Ink,
    Leather,
    LetterFinish,
    Masonry,
    Metal,
    Paint,
    PaintedWood,
    Paper,
    Plastic,
    Rubber,
    Slate,
    Stone,
    SurfaceFinish,
    Wood,
)
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.turning import in_finish
from kilnchisel.core.kinds import by_kind, named
from kilnchisel.ui.ticket.fields import Spec, at, ranged

Where = tuple[str | int, ...]  # the way to a finish within the job

NAMES = {"foam": "Carving foam"}  # where the kind's own word is not what it is called
SURFACES: tuple[tuple[Any, str], ...] = tuple(
    (kind, NAMES.get(kind, kind.capitalize())) for kind in named(SurfaceFinish)
)
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


def finish_specs(job: Job, path: Where, label: str, options: tuple[tuple[Any, str], ...]) -> list[Spec]:
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
    return [*fields, *fields_of(read(job, path), job, path, label, key)]


def _colour(path: Where, label: str) -> Spec:
    return at((*path, "colour"), f"{label} colour", "colour")


def _gloss(job: Job, path: Where) -> Spec:
    return ranged(job, (*path, "gloss"), "Gloss", "percent", step=5)


def _grain(job: Job, path: Where) -> Spec:
    return ranged(job, (*path, "grain_deg"), "Grain turned", "angle", step=15)


@by_kind(LetterFinish)
def fields_of(finish: Any, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    """What can be set of a finish at ``path``, whose fields have keys beginning with ``key``."""
    raise NotImplementedError


@fields_of.of(AsBlank)
def _nothing(_: AsBlank, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    return []


@fields_of.of(Paper, Grass, Foam, Rubber)
def _coloured(_: Any, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    return [_colour(path, label)]


@fields_of.of(Enamel, Leather, Plastic, Stone)
def _glossy(_: Any, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    return [_colour(path, label), _gloss(job, path)]


@fields_of.of(Paint, Ink)
def _paint(_: Paint | Ink, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    effect = at((*path, "effect"), "Effect", "menu", options=EFFECTS)
    return [_colour(path, label), _gloss(job, path), effect]


@fields_of.of(Glass)
def _glass(_: Glass, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    return [_colour(path, label), ranged(job, (*path, "frosted"), "Frosted", "percent", step=5)]


@fields_of.of(Slate)
def _slate(_: Slate, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    return [ranged(job, (*path, "oiled"), "Oiled", "percent", step=5)]


@fields_of.of(Cloth)
def _cloth(_: Cloth, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    weave = at((*path, "weave"), "Weave", "menu", options=WEAVES)
    return [_colour(path, label), weave, _grain(job, path)]


@fields_of.of(Masonry)
def _masonry(_: Masonry, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    return [_colour(path, label), at((*path, "surface"), "Made of", "menu", options=MASONRIES)]


@fields_of.of(PaintedWood)
def _painted_wood(_: PaintedWood, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    shows = ranged(job, (*path, "grain"), "Grain shows", "percent", step=5)
    return [_colour(path, label), _gloss(job, path), shows, _grain(job, path)]


@fields_of.of(Wood)
def _wood(finish: Wood, job: Job, path: Where, label: str, key: str) -> list[Spec]:
    surface = at((*path, "surface"), "Surface", "menu", options=SURFACE_OF_WOOD)
    if finish.surface == "charred":
        return [_species(key, path), _colour(path, label), surface, _grain(job, path)]
    return [
        _species(key, path),
        _colour(path, label),
        _gloss(job, path),
        surface,
        ranged(job, (*path, "ring_mm"), "Rings", "length", step=1, hint="A year's growth."),
        ranged(job, (*path, "pores"), "Pores", "percent", step=5),
        _grain(job, path),
    ]


def _species(key: str, path: Where) -> Spec:
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


@fields_of.of(Metal)
def _metal(finish: Metal, job: Job, path: Where, label: str, key: str) -> list[Spec]:
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
    path: Where = ("wear",)
    fields = [
        ranged(job, (*path, "rubbed"), "Rubbed edges", "percent", step=5),
        ranged(job, (*path, "dirt"), "Dirt in recesses", "percent", step=5),
        ranged(job, (*path, "handled"), "Dust and prints", "percent", step=2, hint="On gloss."),
        ranged(job, (*path, "scratched"), "Scratches", "percent", step=5),
        ranged(job, (*path, "noise"), "Uneven colour", "percent", step=0.5, decimals=1),
    ]
    untouched = job.wear.model_copy(update={"handled": 0.0}) == type(job.wear)(seed=job.wear.seed)
    handled = job.wear.handled > AS_HANDED_OVER.handled and takes_prints(material_of(job.finish))
    if not untouched or handled:
        fields.append(ranged(job, (*path, "seed"), "Variation", "count", step=1, hint="Another piece."))
    return fields
