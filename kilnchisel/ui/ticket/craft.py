"""The Craft section: how a lettering is made."""

from __future__ import annotations

from kilnchisel.core.job.model import Job
from kilnchisel.core.job.recipes import (
    all_recipes,
    applied,
    companions_of,
    on_its_own,
    recipe_named,
    saved_recipes,
    shared,
)
from kilnchisel.core.job.turning import CRAFTS, with_craft
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.ui.ticket.craftfields import making_specs
from kilnchisel.ui.ticket.fields import Spec, link

CRAFT_NAMES = {"tube": "Neon tube", "standing": "Standing letters"}


def craft_specs(job: Job, here: tuple[str | int, ...]) -> list[Spec]:
    index = int(here[1])
    kind = Spec(
        "craft.kind",
        "Made by",
        lambda job: job.letterings[index].craft.kind,
        lambda job, value: with_craft(job, index, value),
        "menu",
        options=tuple((name, CRAFT_NAMES.get(name, name.capitalize())) for name in CRAFTS),
        pictures="looks/crafts",
    )
    return [kind, *_recipes(job, index), *making_specs(job, here), *_sharing(job, index)]


def _recipes(job: Job, index: int) -> list[Spec]:
    """Recipes for this craft, and all saved ones."""
    craft = job.letterings[index].craft
    own = {recipe.name for recipe in saved_recipes()}
    fitting = [r for r in all_recipes() if r.name in own or r.craft.kind == craft.kind]
    options = (("", "choose…"), *((recipe.name, recipe.name) for recipe in fitting))
    return [
        Spec(
            "craft.recipe",
            "Recipe",
            lambda _: "",
            lambda job, name: applied(job, index, recipe_named(name)) if name else job,
            "menu",
            options=options,
            hint="A way of making by name, scaled to the letters' size.",
            pictures="looks/recipes",
        ),
        link("craft.keep", "", "Keep this as a recipe"),
    ]


def _sharing(job: Job, index: int) -> list[Spec]:
    """Which other lettering is made the same way, one change reaching both."""
    if len(job.letterings) < 2:
        return []
    together = companions_of(job, index)
    others = [(i, one_line(item)[:24]) for i, item in enumerate(job.letterings) if i != index]
    options = ((-1, "by itself"), *others)

    def share(job: Job, other: int) -> Job:
        return on_its_own(job, index) if other < 0 else shared(job, index, other)

    return [
        Spec(
            "craft.share",
            "Made alike",
            lambda job: (companions_of(job, index) or (-1,))[0],
            share,
            "menu",
            options=options,
            hint=f"With {len(together) + 1} others." if len(together) > 1 else "One change reaches both.",
        )
    ]
