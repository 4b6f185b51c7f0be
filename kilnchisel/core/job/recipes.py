"""Recipes: ways of making (craft and finish) kept by name, and put on other letterings."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, ValidationError

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Artwork, Picture, Shape
from kilnchisel.core.job.crafts import (
    Carved,
    Craft,
    CutThrough,
    Embroidered,
    Engraved,
    Fitting,
    Pressed,
    Printed,
    Raised,
    Relief,
    Standing,
    Tube,
    WovenPatch,
)
from kilnchisel.core.job.edits import change, limits
from kilnchisel.core.job.finish import (
    AsBlank,
    Brass,
    Cloth,
    Enamel,
    Gold,
    Ink,
    LetterFinish,
    Paint,
    Stainless,
    Wood,
)
from kilnchisel.core.job.lettering import Content, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.shelf import Named, Shelf
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.kinds import by_kind


class Recipe(Named):
    """A way of making. ``cap_mm``: the capital height it was made for."""

    craft: Craft
    finish: LetterFinish
    cap_mm: Annotated[float, Field(gt=0, le=100_000)] = 10.0


SHIPPED = (
    Recipe(name="Ceramic ink", craft=Printed(film_mm=0.02), finish=Ink(colour="#1f2f57", gloss=78)),
    Recipe(name="Vinyl film, matt", craft=Printed(film_mm=0.08), finish=Ink(colour="#22252a", gloss=18)),
    Recipe(
        name="Screen ink on cloth",
        craft=Printed(film_mm=0.04),
        finish=Ink(colour="#efe6cf", gloss=12),
        cap_mm=30.0,
    ),
    Recipe(
        name="Embroidery on cloth",
        craft=Embroidered(),
        finish=Ink(colour="#efe0b4", gloss=40),
        cap_mm=20.0,
    ),
    Recipe(
        name="Light embroidery on fine cloth",
        craft=Embroidered(density_mm=0.5, pull_mm=0.1, underlay=False),
        finish=Ink(colour="#c9743a", gloss=40),
        cap_mm=14.0,
    ),
    Recipe(
        name="Woven patch, overlocked",
        craft=WovenPatch(),
        finish=Ink(colour="#efe6cf", gloss=12),
        cap_mm=14.0,
    ),
    Recipe(
        name="Woven label, cut and sealed",
        craft=WovenPatch(margin_mm=4.0, thick_mm=0.4, border_mm=0.0, ground_colour="#eee8da"),
        finish=Ink(colour="#2b2f36", gloss=12),
        cap_mm=6.0,
    ),
    Recipe(
        name="Transfer film on cloth",
        craft=Printed(film_mm=0.11),
        finish=Ink(colour="#d98a3d", gloss=38),
        cap_mm=30.0,
    ),
    Recipe(
        name="Flock on cloth",
        craft=Raised(height_mm=0.5, edge="rounded", edge_mm=0.2),
        finish=Cloth(colour="#d9c7a4", weave="cotton"),
        cap_mm=40.0,
    ),
    Recipe(name="Blind stamp", craft=Pressed(depth_mm=0.6, soft_mm=0.5), finish=AsBlank()),
    Recipe(
        name="Gold foil stamp",
        craft=Pressed(depth_mm=0.35, soft_mm=0.25),
        finish=Gold(polish="satin", carat=24),
    ),
    Recipe(
        name="Jeweller's V cut",
        craft=Engraved(floor="v", depth_mm=0.5, angle_deg=90, darkened=92),
        finish=AsBlank(),
        cap_mm=3.0,
    ),
    Recipe(
        name="Routed round floor, paint filled",
        craft=Engraved(floor="round", depth_mm=2.5, fillet_mm=1.2, darkened=0),
        finish=Paint(colour="#efe6cf", gloss=45),
        cap_mm=50.0,
    ),
    Recipe(
        name="Enamel filled engraving",
        craft=Engraved(depth_mm=0.5, darkened=0),
        finish=Enamel(colour="#7a1f24"),
    ),
    Recipe(
        name="Chiselled ridge, gilt",
        craft=Raised(height_mm=2.5, edge="ridge", slope_deg=38),
        finish=Gold(polish="satin", carat=24),
        cap_mm=60.0,
    ),
    Recipe(
        name="Cast, drafted",
        craft=Raised(height_mm=3, edge="sloped", slope_deg=8),
        finish=Brass(polish="satin"),
        cap_mm=40.0,
    ),
    Recipe(
        name="Drawn plate, painted tops",
        craft=Raised(height_mm=1.2, edge="drawn", edge_mm=1.1),
        finish=Paint(colour="#1d2a4d", gloss=85),
        cap_mm=30.0,
    ),
    Recipe(name="Neon red, 12 mm", craft=Tube(), finish=AsBlank(), cap_mm=150.0),
    Recipe(
        name="Green coated, double",
        craft=Tube(colour="green", tube_mm=10, double_mm=16, standoff_mm=30),
        finish=AsBlank(),
        cap_mm=150.0,
    ),
    Recipe(
        name="Steel letters on pins",
        craft=Standing(thickness_mm=6, standoff_mm=15),
        finish=Stainless(polish="brushed"),
        cap_mm=120.0,
    ),
    Recipe(
        name="Halo-lit boxes",
        craft=Standing(
            thickness_mm=30,
            standoff_mm=35,
            light="halo",
            brightness=55,
            return_finish=Paint(colour="#26282a", gloss=30),
        ),
        finish=Stainless(polish="brushed"),
        cap_mm=220.0,
    ),
    Recipe(
        name="Stencil with light behind",
        craft=CutThrough(behind="light", behind_mm=10),
        finish=AsBlank(),
        cap_mm=60.0,
    ),
    Recipe(
        name="Brass inlay, flush",
        craft=CutThrough(fill="inlay", depth_mm=2, gap_mm=0.08),
        finish=Brass(polish="satin"),
        cap_mm=40.0,
    ),
    Recipe(
        name="Gouged ground, sunk",
        craft=Carved(texture="chips", base_mm=-3, edge_mm=2, depth_mm=1.6, cell_mm=11),
        finish=AsBlank(),
        cap_mm=60.0,
    ),
    Recipe(
        name="Smooth, carved proud, gilt",
        craft=Carved(texture="smooth", base_mm=4, edge_mm=3),
        finish=Gold(polish="satin", carat=24),
        cap_mm=60.0,
    ),
    Recipe(name="Portrait, low relief", craft=Relief(height_mm=1.2, blend_mm=0.8), finish=AsBlank()),
    Recipe(
        name="Cameo, sunk in steps",
        craft=Relief(height_mm=1.5, sunk=True, levels=6, smooth_mm=0.2),
        finish=AsBlank(),
    ),
    Recipe(
        name="Two oak posts",
        craft=Fitting(size_mm=90, length_mm=900),
        finish=Wood(colour="#a87c50", pores=80),
    ),
    Recipe(
        name="Domed brass caps",
        craft=Fitting(form="caps", size_mm=14),
        finish=Brass(polish="polished"),
    ),
    Recipe(
        name="Letters on the ground",
        craft=Standing(thickness_mm=90, standoff_mm=120, upright=True),
        finish=Paint(colour="#f4f1e8", gloss=20),
        cap_mm=1500.0,
    ),
    Recipe(
        name="Die-cut film on white",
        craft=Printed(film_mm=0.1, carrier_mm=2.5),
        finish=Ink(colour="#7a1f24", gloss=70),
        cap_mm=20.0,
    ),
)


@by_kind(Content)
def size_of_content(content: Any) -> float | None:
    """The capital height, or a tenth of the width that artwork is brought to; None where neither is set."""
    raise NotImplementedError


@size_of_content.of(Wording)
def _cap_height(content: Wording) -> float:
    return content.cap_height_mm


@size_of_content.of(Artwork, Picture)
def _of_width(content: Artwork | Picture) -> float | None:
    return None if content.width_mm is None else content.width_mm / 10


@size_of_content.of(Shape)
def _of_shape(_: Shape) -> float:
    return 10.0


def recipe_of(lettering: Lettering, name: str) -> Recipe:
    """The lettering's way of making under a name. Raises KilnError for an empty one."""
    try:
        return Recipe(
            name=name.strip(),
            craft=lettering.craft,
            finish=lettering.finish,
            cap_mm=size_of_content(lettering.content) or 10.0,
        )
    except ValidationError:
        raise KilnError("Give the recipe a name of up to 80 letters.") from None


def applied(job: Job, index: int, recipe: Recipe, *, scaled: bool = True) -> Job:
    """A lettering made by a recipe, its millimetres scaled with the letters' size or kept."""
    lettering = job.letterings[index]
    size = size_of_content(lettering.content)
    factor = size / recipe.cap_mm if scaled and size is not None else 1.0
    craft = sized(recipe.craft, factor)
    made = lettering.model_copy(update={"craft": craft, "finish": recipe.finish})
    return change(job, ("letterings", index), made)


KEPT = (
    "tube_mm",
    "gap_mm",
    "longest_mm",
    "cutter_mm",
    "film_mm",
    "density_mm",
    "pull_mm",
    "size_mm",
    "length_mm",
)  # what a shop has, not what looks right


def sized(craft: Any, factor: float) -> Any:
    """A craft with its lengths multiplied, within what each field takes."""
    fields = {}
    for name in type(craft).model_fields:
        value = getattr(craft, name)
        if not name.endswith("_mm") or name in KEPT or not isinstance(value, float):
            continue
        least, most = limits(type(craft), name)
        grown = value * factor
        grown = max(grown, least if least is not None else grown)
        fields[name] = round(min(grown, most if most is not None else grown), 4)
    return craft.model_copy(update=fields)


_SHELF = Shelf(Recipe, "recipes.json", "recipe")
saved_recipes, save_recipe, forget_recipe = _SHELF.all, _SHELF.save, _SHELF.forget


def all_recipes() -> tuple[Recipe, ...]:
    """Saved ones first, then those that are shipped and not hidden by a saved one of the same name."""
    own = saved_recipes()
    names = {recipe.name for recipe in own}
    return own + tuple(recipe for recipe in SHIPPED if recipe.name not in names)


def recipe_named(name: str) -> Recipe:
    """A recipe by its name. Raises KilnError naming some that there are."""
    for recipe in all_recipes():
        if recipe.name.casefold() == name.strip().casefold():
            return recipe
    known = ", ".join(f"“{recipe.name}”" for recipe in all_recipes()[:5])
    raise KilnError(f"There is no recipe “{name}”; there are {known} and more.")


def shared(job: Job, first: int, second: int) -> Job:
    """Two letterings that share one way of making from now on, that of the first."""
    one = job.letterings[first]
    way = one.way or _free_name(job)
    job = change(job, ("letterings", first), one.model_copy(update={"way": way}))
    other = job.letterings[second].model_copy(update={"way": way, "craft": one.craft, "finish": one.finish})
    return change(job, ("letterings", second), other)


def _free_name(job: Job) -> str:
    used = {item.way for item in job.letterings}
    return next(f"way {n}" for n in range(1, len(used) + 2) if f"way {n}" not in used)


def on_its_own(job: Job, index: int) -> Job:
    """A lettering that shares its way of making no more."""
    return change(job, ("letterings", index, "way"), "")


def companions_of(job: Job, index: int) -> tuple[int, ...]:
    """The other letterings that share a lettering's way of making."""
    way = job.letterings[index].way
    if not way:
        return ()
    return tuple(i for i, item in enumerate(job.letterings) if i != index and item.way == way)
