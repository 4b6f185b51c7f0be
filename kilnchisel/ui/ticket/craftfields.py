"""The fields of each craft: how deep, how high, of what form."""

from __future__ import annotations

from typing import Any

from kilnchisel.core.build import has_gaps, outline_of
from kilnchisel.core.crafts.stitching import is_filled
from kilnchisel.core.errors import KilnError
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
from kilnchisel.core.job.edits import change, read
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.turning import FINISHES
from kilnchisel.core.kinds import by_kind
from kilnchisel.ui.ticket.fields import Spec, at, ranged
from kilnchisel.ui.ticket.finishes import SURFACES

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
LETTER_EDGES = (
    ("square", "Square"),
    ("sloped", "Sloped"),
    ("bevelled", "Bevelled"),
    ("rounded", "Rounded"),
    ("ridge", "Up to a ridge"),
    ("cushion", "Cushion"),
    ("stepped", "Stepped"),
    ("drawn", "Drawn sheet"),
    ("moulded", "Moulded line"),
)
MOULDINGS = (
    ("bead", "Bead"),
    ("cove", "Cove"),
    ("ogee", "Ogee"),
    ("steps", "Steps"),
    ("own", "Own profile"),
)
EDGE_WIDTH = {
    "bevelled": ("Chamfer", "How wide the slanting edge is."),
    "rounded": ("Edge radius", "Of the quarter round at the top; at most the height counts."),
    "stepped": ("Tread", "How far each step stands back from the one below."),
    "drawn": ("Soft slope", "How far round the letters the sheet comes down to the ground."),
}


def making_specs(job: Job, here: tuple[str | int, ...]) -> list[Spec]:
    """The fields of a lettering's craft."""
    path = (*here, "craft")
    craft = read(job, path)
    return making_fields(craft, job, here, path)


@by_kind(Craft)
def making_fields(
    craft: Any, job: Job, here: tuple[str | int, ...], path: tuple[str | int, ...]
) -> list[Spec]:
    """The fields of a craft at ``path``, of the lettering at ``here``."""
    raise NotImplementedError


def _light(path: Any, chosen: str, field: str, label: str = "Its colour") -> list[Spec]:
    """The colour of light, and one of one's own."""
    fields = [at((*path, field), label, "menu", options=TUBE_COLOURS)]
    if chosen == "own":
        fields.append(at((*path, "own_colour"), "Own colour", "colour"))
    return fields


@making_fields.of(Embroidered)
def _embroidered(craft: Embroidered, job: Job, here: Any, path: Any) -> list[Spec]:
    fields = [
        ranged(job, (*path, "density_mm"), "Threads apart", "length", step=0.05),
        ranged(job, (*path, "pull_mm"), "Wider, for pull", "length", step=0.05),
    ]
    if is_filled(outline_of(job.letterings[here[1]].content)):
        fields.append(ranged(job, (*path, "fill_deg"), "Rows of fill at", "angle", step=15))
    under = ((True, "With"), (False, "Without"))
    fields.append(at((*path, "underlay"), "Underlay", "switch", options=under))
    return fields


@making_fields.of(WovenPatch)
def _woven_patch(craft: WovenPatch, job: Job, here: Any, path: Any) -> list[Spec]:
    forms = (("rectangle", "Rectangle"), ("follows them", "Follows letters"))
    hint = "Sewn over all round; 0: cut and sealed. It keeps off the letters."
    fields = [
        at((*path, "form"), "Patch", "choice", options=forms),
        ranged(job, (*path, "margin_mm"), "Round letters", "length", step=1),
        ranged(job, (*path, "border_mm"), "Edge", "length", step=0.5, hint=hint),
        ranged(job, (*path, "thick_mm"), "Thick", "length", step=0.1),
        at((*path, "ground_colour"), "Ground", "colour"),
    ]
    if craft.border_mm > 0:
        fields.append(at((*path, "border_colour"), "Edge colour", "colour"))
    return fields


@making_fields.of(Tube)
def _tube(craft: Tube, job: Job, here: Any, path: Any) -> list[Spec]:
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


SLOPING = ("bank", "mesh")  # blanks with sides that letters can stand upright on


@making_fields.of(Standing)
def _standing(craft: Standing, job: Job, here: Any, path: Any) -> list[Spec]:
    index = int(here[1])
    ways = ((False, "Off the surface"), (True, "Upright on it"))
    off = "Off the ground" if craft.upright else "Off the wall"
    fields = [
        ranged(
            job, (*path, "thickness_mm"), "Thickness", "length", step=1, hint="The depth of the returns."
        ),
        ranged(job, (*path, "standoff_mm"), off, "length", step=1),
        at((*path, "edge"), "Edge", "choice", options=LETTER_EDGES[:1] + LETTER_EDGES[2:4]),
    ]
    if craft.upright or job.blank.kind in SLOPING:
        fields.insert(1, at((*path, "upright"), "They stand", "switch", options=ways))
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
    shown = ((True, "Shown"), (False, "Left out"))
    faces = (("flat", "Flat"), ("wave", "Waves"), ("trapezoid", "Trapezoids"))
    hint = "Of flat sheet, or of profiled sheet, whose section is seen at the edges."
    fields.append(at((*path, "face"), "Face", "choice", options=faces, hint=hint))
    if craft.face != "flat":
        fields.append(ranged(job, (*path, "pitch_mm"), "From crest to crest", "length", step=1))
        fields.append(ranged(job, (*path, "profile_mm"), "Profile deep", "length", step=1))
        hint = "0° is level, 90° upright."
        fields.append(ranged(job, (*path, "profile_deg"), "Ribs run at", "angle", step=5, hint=hint))
    if craft.upright:
        fields.append(at((*path, "posts"), "Posts", "switch", options=shown))
        if craft.posts:
            frames = (("posts", "Posts"), ("frame", "Frames"))
            fields.append(at((*path, "held"), "Held by", "choice", options=frames))
    elif craft.standoff_mm > 0.5:
        pins = ((True, "Shown"), (False, "Left out"))
        fields.append(at((*path, "pins"), "Pins", "switch", options=pins))
    lights: tuple[tuple[Any, str], ...] = (("none", "None"), ("face", "Through the face"))
    if not craft.upright:  # a halo needs a wall behind
        lights = (*lights, ("halo", "From behind"), ("both", "Both"))
    fields.append(at((*path, "light"), "Light", "menu", options=lights))
    if craft.light != "none":
        fields += _light(path, craft.light_colour, "light_colour")
        fields.append(ranged(job, (*path, "brightness"), "Brightness", "percent", step=10))
    return fields


@making_fields.of(CutThrough)
def _through(craft: CutThrough, job: Job, here: Any, path: Any) -> list[Spec]:
    fills = (("open", "Open"), ("inlay", "Inlaid"))
    fields = [at((*path, "fill"), "Letters are", "choice", options=fills)]
    if craft.fill == "inlay":
        hint = "Between the inlay and its pocket, all round."
        return [
            *fields,
            ranged(job, (*path, "depth_mm"), "Pocket", "length", step=0.5),
            ranged(job, (*path, "gap_mm"), "Fit gap", "length", step=0.01, decimals=3, hint=hint),
        ]
    hint = "How much wider than the opening, all round."
    fields.append(ranged(job, (*path, "sink_mm"), "Countersunk", "length", step=0.5, hint=hint))
    if craft.sink_mm > 0:
        hint = "From flank to flank."
        fields.append(ranged(job, (*path, "sink_deg"), "Countersink", "angle", step=5, hint=hint))
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


@making_fields.of(Carved)
def _carved(craft: Carved, job: Job, here: Any, path: Any) -> list[Spec]:
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


@making_fields.of(Relief)
def _relief(craft: Relief, job: Job, here: Any, path: Any) -> list[Spec]:
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


@making_fields.of(Printed)
def _printed(craft: Printed, job: Job, here: Any, path: Any) -> list[Spec]:
    fields = [ranged(job, (*path, "film_mm"), "Film", "length", step=0.01, decimals=3)]
    if hasattr(job.letterings[here[1]].finish, "colour"):
        fields.append(at((*here, "finish", "colour"), "Colour", "colour"))
    white = ((True, "White"), (False, "Nothing"))
    hint = "Without white the ground shows through."
    fields.append(at((*path, "underprint"), "Under it", "switch", options=white, hint=hint))
    if getattr(job.blank, "brightness", 0.0) > 0:
        hint = "On a lit face: light comes through it in its colour, or it stands dark before the light."
        options = ((True, "Lets it through"), (False, "Blocks it"))
        fields.append(at((*path, "lets_through"), "Light", "switch", options=options, hint=hint))
    if has_gaps(job, here[1]):
        over = (("laid in", "Laid in"), ("bridged", "Bridged"), ("cut open", "Cut open"))
        hint = "Over gaps between panels the film goes down into them, goes across, or ends."
        fields.append(at((*path, "gaps"), "Over gaps", "choice", options=over, hint=hint))
    hint = "How far outside the outline the film is cut; 0: along it."
    fields.append(ranged(job, (*path, "carrier_mm"), "Die-cut", "length", step=0.5, hint=hint))
    if craft.carrier_mm > 0:
        fields.append(at((*path, "carrier_colour"), "Film colour", "colour"))
    return fields


@making_fields.of(Pressed)
def _pressed(craft: Pressed, job: Job, here: Any, path: Any) -> list[Spec]:
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


@making_fields.of(Engraved)
def _engraved(craft: Engraved, job: Job, here: Any, path: Any) -> list[Spec]:
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
    hint = "The cutter's diameter; 0: nothing turns (laser, etching)."
    if not v:
        fields.append(ranged(job, (*path, "cutter_mm"), "Cutter", "length", step=0.5, hint=hint))
    hint = "Patina or paint in the recess."
    fields.append(ranged(job, (*path, "darkened"), "Darkened", "percent", step=5, hint=hint))
    hint = "How bright the light that fills it is; 0 for none."
    fields.append(ranged(job, (*path, "glow"), "Filled with light", "percent", step=10, hint=hint))
    if craft.glow > 0:
        fields += _light(path, craft.glow_colour, "glow_colour")
    return fields


@making_fields.of(Raised)
def _raised(craft: Raised, job: Job, here: Any, path: Any) -> list[Spec]:
    ridge = craft.edge == "ridge"
    fields = [
        at((*path, "edge"), "Edge", "menu", options=LETTER_EDGES),
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
    if craft.edge == "moulded":
        fields.append(at((*path, "moulding"), "Profile", "menu", options=MOULDINGS))
        if craft.moulding == "own":
            fields.append(_profile(path))
    return fields


def _profile(path: Any) -> Spec:
    """A profile as pairs of numbers."""

    def shown(job: Job) -> str:
        points = read(job, path).profile
        return "; ".join(f"{x:g} {y:g}" for x, y in points)

    def taken(job: Job, text: str) -> Job:
        try:
            pairs = [tuple(float(x) for x in pair.split()) for pair in text.split(";") if pair.strip()]
            points = tuple((x, y) for x, y in pairs)
        except ValueError:
            raise KilnError("A profile is pairs of numbers in %: 0 0; 20 100; 100 0.") from None
        return change(job, (*path, "profile"), points)

    hint = "Across and up in %, from the outer edge inwards."
    return Spec("craft.profile", "Points", shown, taken, "words", hint=hint)


@making_fields.of(Fitting)
def _fitting(craft: Fitting, job: Job, here: Any, path: Any) -> list[Spec]:
    sizes = {
        "posts": ("Width", "From the top of the shape down."),
        "backing": ("Thickness", "The shape is its outline."),
        "caps": ("Diameter", "One in the middle of each part of the shape."),
        "eyes": ("Eye", "Its diameter; one on each part of the shape."),
    }
    label, hint = sizes[craft.form]
    fields = [
        at((*path, "form"), "Fitting", "menu", options=FITTINGS),
        ranged(job, (*path, "size_mm"), label, "length", step=1, hint=hint),
    ]
    if craft.form == "posts":
        sections = (("square", "Square"), ("round", "Round"))
        fields += [
            at((*path, "section"), "Section", "choice", options=sections),
            ranged(job, (*path, "count"), "Number", "count", step=1),
        ]
    if craft.form in ("posts", "eyes"):
        below = "Below the piece" if craft.form == "posts" else "Chain"
        fields.append(ranged(job, (*path, "length_mm"), below, "length", step=50))
    if craft.form in ("posts", "backing"):
        fields.append(ranged(job, (*path, "gap_mm"), "Gap", "length", step=1, hint="Behind the piece."))
    return fields


FITTINGS = (
    ("posts", "Posts"),
    ("backing", "Backing panel"),
    ("caps", "Screw caps"),
    ("eyes", "Eyes and chains"),
)
