"""The Craft section: how a lettering is made."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.job.crafts import (
    Carved,
    CutThrough,
    Engraved,
    Pressed,
    Printed,
    Raised,
    Relief,
    Standing,
    Tube,
)
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import AsBlank, Ink
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
from kilnchisel.core.job.words import one_line
from kilnchisel.ui.ticket.fields import Spec, at, link, ranged
from kilnchisel.ui.ticket.finishes import FINISHES, SURFACES

CRAFTS: dict[str, Any] = {
    "printed": Printed,
    "pressed": Pressed,
    "engraved": Engraved,
    "raised": Raised,
    "tube": Tube,
    "standing": Standing,
    "cut through": CutThrough,
    "carved": Carved,
    "relief": Relief,
}
CRAFT_NAMES = {"tube": "Neon tube", "standing": "Standing letters"}
TUBE_COLOURS = (
    ("neon red", "Neon red"),
    ("argon blue", "Argon blue"),
    ("ruby", "Ruby glass"),
    ("orange", "Orange"),
    ("gold", "Gold"),
    ("lemon", "Lemon"),
    ("green", "Green"),
    ("turquoise", "Turquoise"),
    ("sky blue", "Sky blue"),
    ("violet", "Violet"),
    ("rose", "Rose"),
    ("warm white", "Warm white"),
    ("cold white", "Cold white"),
    ("own", "Another…"),
)
FLOORS = (("flat", "Flat"), ("v", "V"), ("round", "Round"))
EDGES = (
    ("square", "Square"),
    ("sloped", "Sloped"),
    ("bevelled", "Bevelled"),
    ("rounded", "Rounded"),
    ("ridge", "Up to a ridge"),
    ("cushion", "Cushion"),
    ("stepped", "Stepped"),
    ("drawn", "Drawn sheet"),
)
EDGE_WIDTH = {
    "bevelled": ("Chamfer", "How wide the slanting edge is."),
    "rounded": ("Edge radius", "Of the quarter round at the top; at most the height counts."),
    "stepped": ("Tread", "How far each step stands back from the one below."),
    "drawn": ("Soft slope", "How far round the letters the sheet comes down to the ground."),
}


def craft_specs(job: Job, here: tuple[str | int, ...]) -> list[Spec]:
    path = (*here, "craft")
    index = int(here[1])
    kind = Spec(
        "craft.kind",
        "Made by",
        lambda job: job.letterings[index].craft.kind,
        lambda job, value: with_craft(job, index, value),
        "menu",
        options=tuple((name, CRAFT_NAMES.get(name, name.capitalize())) for name in CRAFTS),
    )
    craft = job.letterings[index].craft
    makers: dict[type, Any] = {
        Printed: _printed,
        Pressed: _pressed,
        Engraved: _engraved,
        Raised: _raised,
        Tube: _tube,
        Standing: _standing,
        CutThrough: _through,
        Carved: _carved,
        Relief: _relief,
    }
    fields = makers[type(craft)](job, here, path, craft)
    return [kind, *_recipes(job, index), *fields, *_sharing(job, index)]


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


def with_craft(job: Job, index: int, kind: str) -> Job:
    """Another way of making. Ink lies on the surface only; cut or raised letters take the blank's."""
    lettering = job.letterings[index]
    if lettering.craft.kind == kind:
        return job
    finish: Any = lettering.finish
    if kind == "printed" and isinstance(finish, AsBlank):
        finish = Ink()
    elif kind != "printed" and isinstance(finish, Ink):
        finish = AsBlank()
    made = lettering.model_copy(update={"craft": CRAFTS[kind](), "finish": finish})
    return change(job, ("letterings", index), made)


def _light(path: Any, chosen: str, field: str, label: str = "Its colour") -> list[Spec]:
    """The colour of light, and one of one's own."""
    fields = [at((*path, field), label, "menu", options=TUBE_COLOURS)]
    if chosen == "own":
        fields.append(at((*path, "own_colour"), "Own colour", "colour"))
    return fields


def _tube(job: Job, here: Any, path: Any, craft: Tube) -> list[Spec]:
    glass = craft.form == "glass"
    fields = [
        at((*path, "form"), "Made of", "choice", options=(("glass", "Glass tube"), ("rope", "LED rope"))),
        *_light(path, craft.colour, "colour", "Light"),
    ]
    fields.append(at((*path, "lit"), "Switched", "switch", options=((True, "On"), (False, "Off"))))
    if craft.lit:
        hint = "Its hue stays as it is."
        fields.append(ranged(job, (*path, "brightness"), "Brightness", "percent", step=10, hint=hint))
    fields += [
        ranged(job, (*path, "tube_mm"), "Diameter", "length", step=1),
        ranged(job, (*path, "standoff_mm"), "Off the wall", "length", step=2, hint="From wall to glass."),
        ranged(
            job,
            (*path, "bend"),
            "Least bend",
            "times",
            step=0.05,
            hint="Radius of the tube's middle line, in diameters.",
        ),
        ranged(
            job,
            (*path, "double_mm"),
            "Double line",
            "length",
            step=1,
            hint="From middle to middle; 0: single.",
        ),
        at((*path, "joined"), "Letters", "switch", options=((True, "Joined behind"), (False, "Apart"))),
    ]
    if craft.joined:
        fields.append(ranged(job, (*path, "longest_mm"), "Longest tube", "length", step=100))
    if glass:
        painted = ((True, "Painted out"), (False, "Clear"))
        fields.append(at((*path, "blockout"), "Between letters", "switch", options=painted))
    shown = ((True, "Shown"), (False, "Left out"))
    fields.append(at((*path, "supports"), "Supports", "switch", options=shown))
    return fields


def _standing(job: Job, here: Any, path: Any, craft: Standing) -> list[Spec]:
    index = int(here[1])
    fields = [
        ranged(
            job, (*path, "thickness_mm"), "Thickness", "length", step=1, hint="The depth of the returns."
        ),
        ranged(job, (*path, "standoff_mm"), "Off the wall", "length", step=1),
        at((*path, "edge"), "Edge", "choice", options=EDGES[:1] + EDGES[2:4]),
    ]
    if craft.edge != "square":
        fields.append(ranged(job, (*path, "edge_mm"), "Edge width", "length", step=0.5))
    returns: tuple[tuple[Any, str], ...] = (("the front's", "As the front"), *SURFACES)
    fields.append(
        Spec(
            "craft.return_finish.kind",
            "Returns",
            lambda job: _return_kind(job, index),
            lambda job, kind: change(
                job, (*path, "return_finish"), None if kind == "the front's" else FINISHES[kind]()
            ),
            "menu",
            options=returns,
        )
    )
    if craft.return_finish is not None and hasattr(craft.return_finish, "colour"):
        fields.append(at((*path, "return_finish", "colour"), "Their colour", "colour"))
    if craft.standoff_mm > 0.5:
        pins = ((True, "Shown"), (False, "Left out"))
        fields.append(at((*path, "pins"), "Pins", "switch", options=pins))
    lights = (("none", "None"), ("halo", "From behind"), ("face", "Through the face"), ("both", "Both"))
    fields.append(at((*path, "light"), "Light", "menu", options=lights))
    if craft.light != "none":
        fields += _light(path, craft.light_colour, "light_colour")
        fields.append(ranged(job, (*path, "brightness"), "Brightness", "percent", step=10))
    return fields


def _through(job: Job, here: Any, path: Any, craft: CutThrough) -> list[Spec]:
    fills = (("open", "Open"), ("inlay", "Inlaid"))
    fields = [at((*path, "fill"), "Letters are", "choice", options=fills)]
    if craft.fill == "inlay":
        hint = "Between the inlay and its pocket, all round."
        return [
            *fields,
            ranged(job, (*path, "depth_mm"), "Pocket", "length", step=0.5),
            ranged(job, (*path, "gap_mm"), "Fit gap", "length", step=0.01, decimals=3, hint=hint),
        ]
    behind = (("nothing", "Nothing"), ("panel", "A panel"), ("light", "Light"))
    fields.append(at((*path, "behind"), "Behind it", "choice", options=behind))
    if craft.behind != "nothing":
        fields.append(ranged(job, (*path, "behind_mm"), "Distance", "length", step=1))
    if craft.behind == "light":
        fields += _light(path, craft.light_colour, "light_colour")
        fields.append(ranged(job, (*path, "brightness"), "Brightness", "percent", step=10))
    return fields


TEXTURES = (
    ("smooth", "Smooth"),
    ("chips", "Chips"),
    ("ripples", "Ripples"),
    ("stipple", "Stipple"),
    ("grain", "Worn grain"),
)


def _carved(job: Job, here: Any, path: Any, craft: Carved) -> list[Spec]:
    fields = [
        ranged(job, (*path, "base_mm"), "Stands out", "length", step=0.5, hint="Below zero it is sunk."),
        ranged(
            job, (*path, "edge_mm"), "Edge", "length", step=0.2, hint="Over this width it goes up or down."
        ),
        at((*path, "texture"), "Texture", "menu", options=TEXTURES),
    ]
    if craft.texture != "smooth":
        fields += [
            ranged(job, (*path, "depth_mm"), "Cut deep", "length", step=0.1),
            ranged(job, (*path, "cell_mm"), "Mark size", "length", step=0.5, hint="Across the grain."),
            ranged(job, (*path, "grain_deg"), "Grain turned", "angle", step=15),
            ranged(job, (*path, "seed"), "Variation", "count", step=1),
        ]
    return fields


def _relief(job: Job, here: Any, path: Any, craft: Relief) -> list[Spec]:
    ways = ((False, "Raised"), (True, "Sunk"))
    light = ((True, "Light parts"), (False, "Dark parts"))
    return [
        ranged(job, (*path, "height_mm"), "Height", "length", step=0.1),
        at((*path, "sunk"), "It is", "switch", options=ways),
        at((*path, "bright_high"), "Highest", "switch", options=light),
        ranged(job, (*path, "smooth_mm"), "Smoothed", "length", step=0.1, hint="Edges are kept."),
        ranged(job, (*path, "contrast"), "Contrast", "times", step=0.1),
        ranged(job, (*path, "levels"), "Levels", "count", step=1, hint="1: no steps."),
        ranged(job, (*path, "blend_mm"), "Blends in over", "length", step=0.2),
    ]


def _return_kind(job: Job, index: int) -> str:
    finish = getattr(job.letterings[index].craft, "return_finish", None)
    return "the front's" if finish is None else str(finish.kind)


def _printed(job: Job, here: Any, path: Any, craft: Printed) -> list[Spec]:
    fields = [ranged(job, (*path, "film_mm"), "Film", "length", step=0.01, decimals=3)]
    if hasattr(job.letterings[here[1]].finish, "colour"):
        fields.append(at((*here, "finish", "colour"), "Colour", "colour"))
    return fields


def _pressed(job: Job, here: Any, path: Any, craft: Pressed) -> list[Spec]:
    return [
        ranged(job, (*path, "depth_mm"), "Depth", "length", step=0.05),
        ranged(
            job, (*path, "soft_mm"), "Soft edge", "length", step=0.05, hint="Over this width it goes down."
        ),
        ranged(
            job,
            (*path, "swell"),
            "Rim swells",
            "percent",
            step=1,
            hint="How far the ground round it rises, of the depth.",
        ),
    ]


def _engraved(job: Job, here: Any, path: Any, craft: Engraved) -> list[Spec]:
    v = craft.floor == "v"
    fields = [
        at((*path, "floor"), "Floor", "choice", options=FLOORS),
        ranged(
            job,
            (*path, "depth_mm"),
            "Deepest" if v else "Depth",
            "length",
            step=0.05,
            hint="Wide strokes get a flat floor there." if v else "",
        ),
    ]
    if v:
        fields.append(
            ranged(job, (*path, "angle_deg"), "Cutter", "angle", step=5, hint="From flank to flank.")
        )
    if craft.floor == "round":
        fields.append(ranged(job, (*path, "fillet_mm"), "Fillet radius", "length", step=0.05))
    hint = "Patina or paint in the recess."
    fields.append(ranged(job, (*path, "darkened"), "Darkened", "percent", step=5, hint=hint))
    hint = "How bright the light that fills it is; 0 for none."
    fields.append(ranged(job, (*path, "glow"), "Filled with light", "percent", step=10, hint=hint))
    if craft.glow > 0:
        fields += _light(path, craft.glow_colour, "glow_colour")
    return fields


def _raised(job: Job, here: Any, path: Any, craft: Raised) -> list[Spec]:
    ridge = craft.edge == "ridge"
    fields = [
        at((*path, "edge"), "Edge", "menu", options=EDGES),
        ranged(
            job,
            (*path, "height_mm"),
            "Upright part" if ridge else "Height",
            "length",
            step=0.1,
        ),
    ]
    if craft.edge == "sloped":
        hint = "From upright: a few degrees let a casting leave its mould."
        fields.append(ranged(job, (*path, "slope_deg"), "Draft", "angle", step=1, hint=hint))
    if ridge:
        hint = "Of the faces that meet in the ridge, from level."
        fields.append(ranged(job, (*path, "slope_deg"), "Slope", "angle", step=1, hint=hint))
    if craft.edge in EDGE_WIDTH:
        label, hint = EDGE_WIDTH[craft.edge]
        fields.append(ranged(job, (*path, "edge_mm"), label, "length", step=0.05, hint=hint))
    if craft.edge in ("sloped", "bevelled", "ridge"):
        hint = "A quarter round added to it, rising from the outline."
        fields.append(ranged(job, (*path, "round_mm"), "Round added", "length", step=0.1, hint=hint))
    if craft.edge == "stepped":
        fields.append(ranged(job, (*path, "steps"), "Steps", "count", step=1))
    return fields
