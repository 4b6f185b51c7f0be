"""Ways of making: what a lettering does to the surface it lies on. Lengths are mm, angles degrees."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Colour, Degrees, Percent, Value
from kilnchisel.core.job.finish import SurfaceFinish
from kilnchisel.core.kinds import by_kind

CutterAngle = Annotated[float, Field(ge=10, le=160)]


LightColour = Literal[
    "neon red",
    "argon blue",
    "ruby",
    "orange",
    "gold",
    "lemon",
    "green",
    "turquoise",
    "sky blue",
    "violet",
    "rose",
    "warm white",
    "cold white",
    "own",
]


class Printed(Value):
    """Ink or film lying on the surface, one over another where they meet.

    ``underprint``: white lies under the colour; without it the ground shows through. ``carrier_mm``: how
    far beyond the outline the film is die-cut, of the carrier's colour; 0: along the outline itself.
    ``lets_through``: on a face that shines, light comes through it in its colour. ``gaps``: over a narrow
    gap between panels it is laid in, goes across, or is cut open and ends at its edges.
    """

    kind: Literal["printed"] = "printed"
    film_mm: Annotated[float, Field(ge=0.005, le=1)] = 0.02
    underprint: bool = True
    carrier_mm: Annotated[float, Field(ge=0, le=200)] = 0.0
    carrier_colour: Colour = "#f4f1ea"
    lets_through: bool = False
    gaps: Literal["laid in", "bridged", "cut open"] = "laid in"


class Pressed(Value):
    """Pressed in by a die: soft at the edge, the ground swelling a little round it. Blind, when finished
    as the blank; else coloured or with foil.

    ``soft_mm``: over which width the edge goes down. ``swell``: how far the rim rises, of the depth.
    """

    kind: Literal["pressed"] = "pressed"
    depth_mm: Annotated[float, Field(ge=0.02, le=10)] = 0.6
    soft_mm: Annotated[float, Field(ge=0.05, le=10)] = 0.5
    swell: Percent = 12.0


class Engraved(Value):
    """Cut in. A flat floor has upright walls; a V floor is as deep as the stroke's width lets the cutter
    go, at most ``depth_mm``; a round floor meets the walls in a fillet. The recess may be darkened, or
    filled with light (``glow``: its brightness, 0 for none). ``cutter_mm``: the diameter of what cuts it,
    0 where nothing turns (a laser, etching)."""

    kind: Literal["engraved"] = "engraved"
    floor: Literal["flat", "v", "round"] = "flat"
    cutter_mm: Annotated[float, Field(ge=0, le=50)] = 0.0
    depth_mm: Annotated[float, Field(ge=0.01, le=50)] = 0.3
    angle_deg: CutterAngle = 60.0  # of the V cutter, from flank to flank
    fillet_mm: Annotated[float, Field(ge=0.01, le=50)] = 0.3  # radius where a round floor meets the wall
    darkened: Percent = 60.0
    glow: Annotated[float, Field(ge=0, le=400)] = 0.0
    glow_colour: LightColour = "turquoise"
    own_colour: Colour = "#7fe0d0"


class Raised(Value):
    """Standing proud of the surface.

    edge "square": upright walls. "sloped": drafted, ``slope_deg`` from upright. "bevelled": a chamfer of
    ``edge_mm`` at the top. "rounded": a quarter round of ``edge_mm`` there. "ridge": upright by
    ``height_mm``, then ``slope_deg`` from level up to the ridge. "cushion": rising all the way to its
    middle. "stepped": ``steps`` treads of ``edge_mm``. "drawn": sheet metal pressed from behind, its soft
    outer slope ``edge_mm`` wide. "moulded": a profile across a line from its outer edge to its inner one,
    ``moulding``, or the ``profile`` drawn in % of its width and height. ``round_mm``: a
    quarter round of this radius added to a slope, a chamfer or a ridge, rising from the outline.
    """

    kind: Literal["raised"] = "raised"
    height_mm: Annotated[float, Field(ge=0.01, le=100)] = 0.8
    edge: Literal[
        "square", "sloped", "bevelled", "rounded", "ridge", "cushion", "stepped", "drawn", "moulded"
    ] = "square"
    moulding: Literal["bead", "cove", "ogee", "steps", "own"] = "bead"
    profile: Annotated[tuple[tuple[Percent, Percent], ...], Field(max_length=60)] = (
        (0.0, 0.0),
        (10.0, 100.0),
        (60.0, 60.0),
        (100.0, 0.0),
    )
    slope_deg: Annotated[float, Field(ge=1, le=80)] = 12.0
    edge_mm: Annotated[float, Field(ge=0.02, le=50)] = 0.5
    steps: Annotated[int, Field(ge=2, le=6)] = 3
    round_mm: Annotated[float, Field(ge=0, le=50)] = 0.0


class Tube(Value):
    """Light along the lettering's lines: glass tube bent to them, or LED rope.

    ``tube_mm``: outside diameter. ``standoff_mm``: between the wall and the glass. ``bend``: least radius
    of a bend along the middle of the tube, in diameters. ``longest_mm``: of one tube. ``double_mm``: from
    middle to middle of two tubes side by side, 0 for one. ``blockout``: what joins the letters is painted.
    ``brightness``: 100 % is ten times as bright as white paper in good light; it does not change the hue.
    """

    kind: Literal["tube"] = "tube"
    form: Literal["glass", "rope"] = "glass"
    tube_mm: Annotated[float, Field(ge=4, le=40)] = 12.0
    colour: LightColour = "neon red"
    own_colour: Colour = "#ff7a30"  # of LED rope, or of a coating that is not listed
    brightness: Annotated[float, Field(ge=5, le=400)] = 100.0
    lit: bool = True
    standoff_mm: Annotated[float, Field(ge=0, le=300)] = 32.0
    bend: Annotated[float, Field(ge=0.5, le=10)] = 1.25
    double_mm: Annotated[float, Field(ge=0, le=200)] = 0.0
    joined: bool = True  # letters joined behind into as few tubes as sensible
    longest_mm: Annotated[float, Field(ge=200, le=10_000)] = 2400.0
    blockout: bool = True
    supports: bool = True


PROFILE_SHARE = 0.9  # of its thickness: no deeper is the profile of a letter's face


class Standing(Value):
    """Letters of their own, off the surface: plates or boxes on pins, lit or not.

    The front takes the lettering's finish; returns (the sides) and back take ``return_finish``, None being
    the same. ``light``: "halo" shines from behind on to the wall, "face" through the front. ``upright``:
    they stand on a slope or the ground, each on its own spot, held by ``posts`` behind, ``standoff_mm``
    being how far their feet are off the ground; ``held``: by posts alone, or by a frame as wide as each
    letter with struts to the ground. ``face``: flat, or of profiled sheet, ``profile_mm`` deep, from crest
    to crest ``pitch_mm``, its ribs running at ``profile_deg`` from level.
    """

    kind: Literal["standing"] = "standing"
    thickness_mm: Annotated[float, Field(ge=0.5, le=400)] = 20.0
    standoff_mm: Annotated[float, Field(ge=0, le=300)] = 18.0
    edge: Literal["square", "bevelled", "rounded"] = "square"
    edge_mm: Annotated[float, Field(ge=0.1, le=50)] = 2.0
    return_finish: SurfaceFinish | None = None
    pins: bool = True
    upright: bool = False
    posts: bool = True
    held: Literal["posts", "frame"] = "posts"
    face: Literal["flat", "wave", "trapezoid"] = "flat"
    pitch_mm: Annotated[float, Field(ge=8, le=400)] = 76.0
    profile_mm: Annotated[float, Field(ge=1, le=120)] = 18.0
    profile_deg: Degrees = 90.0
    light: Literal["none", "halo", "face", "both"] = "none"
    light_colour: LightColour = "warm white"
    own_colour: Colour = "#ffe2b0"
    brightness: Annotated[float, Field(ge=5, le=400)] = 100.0

    @model_validator(mode="after")
    def _profile_fits(self) -> Standing:
        if self.face != "flat" and self.profile_mm > PROFILE_SHARE * self.thickness_mm + 1e-9:
            raise KilnError(
                f"A profile {self.profile_mm:g} mm deep does not fit letters {self.thickness_mm:g} mm "
                "thick; make them thicker or it shallower."
            )
        return self

    @property
    def halo(self) -> bool:
        return self.light in ("halo", "both")

    @property
    def face_lit(self) -> bool:
        return self.light in ("face", "both")


class CutThrough(Value):
    """Cut out of a panel: open right through, or a pocket that another material lies in, flush.

    ``gap_mm``: between inlay and pocket, all round. ``sink_mm``: how much wider than the opening its
    countersink is, all round, cut by ``sink_deg`` from flank to flank. ``behind``: what
    is seen through an opening, a panel or light, ``behind_mm`` behind the panel.
    """

    kind: Literal["cut through"] = "cut through"
    fill: Literal["open", "inlay"] = "open"
    depth_mm: Annotated[float, Field(ge=0.1, le=50)] = 2.0  # of an inlay's pocket
    gap_mm: Annotated[float, Field(ge=0.01, le=5)] = 0.1
    sink_mm: Annotated[float, Field(ge=0, le=30)] = 0.0
    sink_deg: Annotated[float, Field(ge=40, le=140)] = 90.0
    behind: Literal["nothing", "panel", "light"] = "nothing"
    behind_mm: Annotated[float, Field(ge=0, le=200)] = 8.0
    light_colour: LightColour = "warm white"
    own_colour: Colour = "#ffe2b0"
    brightness: Annotated[float, Field(ge=5, le=400)] = 100.0


class Carved(Value):
    """A surface worked with tools: raised or sunk, with an edge of its own, smooth or textured.

    ``base_mm``: how far it stands out, below zero how far it is sunk. The texture is cut into it, at most
    ``depth_mm`` deep; ``cell_mm``: the size of a mark, across the grain.
    """

    kind: Literal["carved"] = "carved"
    texture: Literal["smooth", "chips", "ripples", "stipple", "grain"] = "chips"
    base_mm: Annotated[float, Field(ge=-100, le=100)] = -2.0
    edge_mm: Annotated[float, Field(ge=0, le=50)] = 1.0  # over which width it goes up or down
    depth_mm: Annotated[float, Field(ge=0.02, le=30)] = 1.2
    cell_mm: Annotated[float, Field(ge=0.3, le=200)] = 9.0
    grain_deg: Degrees = 0.0
    seed: Annotated[int, Field(ge=0, le=9999)] = 1


class Relief(Value):
    """A picture turned into heights: light stands high, or dark.

    ``smooth_mm``: over which width it is evened out, edges kept. ``contrast``: above 1 only the lightest
    stands high. ``levels``: in so many steps, 1 being none. ``blend_mm``: over which width from its
    border it rises.
    """

    kind: Literal["relief"] = "relief"
    height_mm: Annotated[float, Field(ge=0.02, le=100)] = 1.5
    sunk: bool = False
    bright_high: bool = True
    smooth_mm: Annotated[float, Field(ge=0, le=50)] = 0.3
    contrast: Annotated[float, Field(ge=0.2, le=5)] = 1.0
    levels: Annotated[int, Field(ge=1, le=64)] = 1
    blend_mm: Annotated[float, Field(ge=0, le=100)] = 1.0


class Fitting(Value):
    """What holds a piece, where its shape says: posts into the ground, a backing panel, the caps of screws,
    eyes with chains to hang by.

    ``size_mm``: the width of a post, the thickness of a panel, the diameter of a cap or an eye.
    ``length_mm``: how far posts go down below the piece, chains up above it. ``gap_mm``: between the piece
    and what is behind it.
    """

    kind: Literal["fitting"] = "fitting"
    form: Literal["posts", "backing", "caps", "eyes"] = "posts"
    size_mm: Annotated[float, Field(ge=1, le=400)] = 60.0
    section: Literal["square", "round"] = "square"
    length_mm: Annotated[float, Field(ge=0, le=5000)] = 700.0
    gap_mm: Annotated[float, Field(ge=0, le=300)] = 0.0
    count: Annotated[int, Field(ge=1, le=12)] = 2


class Embroidered(Value):
    """Sewn by a machine: satin across strokes up to 7 mm wide, rows of fill in wider ones.

    ``density_mm``: from one thread to the next on the same side. ``pull_mm``: how much wider than drawn
    each edge is sewn, since thread draws the cloth in. ``fill_deg``: how rows of fill lie.
    """

    kind: Literal["embroidered"] = "embroidered"
    density_mm: Annotated[float, Field(ge=0.25, le=1.2)] = 0.4
    pull_mm: Annotated[float, Field(ge=0, le=0.8)] = 0.15
    fill_deg: Degrees = 45.0
    underlay: bool = True


class WovenPatch(Value):
    """Woven of threads of its own, with an overlocked edge, and put on as a whole: letters are part of its
    weave. ``margin_mm``: from letters to the edge; ``border_mm``: how wide that is sewn over, 0 for cut and
    sealed."""

    kind: Literal["woven patch"] = "woven patch"
    form: Literal["rectangle", "follows them"] = "rectangle"
    margin_mm: Annotated[float, Field(ge=1, le=100)] = 8.0
    thick_mm: Annotated[float, Field(ge=0.3, le=4)] = 0.9
    border_mm: Annotated[float, Field(ge=0, le=10)] = 3.0
    ground_colour: Colour = "#22345a"
    border_colour: Colour = "#d8b56a"

    @property
    def sewn_mm(self) -> float:
        """How wide its edge is sewn over: it keeps off the letters."""
        return min(self.border_mm, 0.75 * self.margin_mm)


# new crafts are listed before the family
Craft = Annotated[
    Printed
    | Pressed
    | Engraved
    | Raised
    | Tube
    | Standing
    | CutThrough
    | Carved
    | Relief
    | Fitting
    | Embroidered
    | WovenPatch,
    Field(discriminator="kind"),
]


@by_kind(Craft)
def stands_free(craft: Any) -> bool:
    """Whether it stands off the surface and leaves that whole."""
    raise NotImplementedError


@stands_free.of(Tube, Standing, Fitting, Embroidered)
def _off_the_surface(_: Any) -> bool:
    return True


@stands_free.of(Printed, Pressed, Engraved, Raised, CutThrough, Carved, Relief, WovenPatch)
def _of_the_surface(_: Any) -> bool:
    return False


@by_kind(Craft)
def shines(craft: Any) -> bool:
    """Whether light comes from it as it is set."""
    raise NotImplementedError


@shines.of(Printed, Pressed, Raised, Carved, Relief, Fitting, Embroidered, WovenPatch)
def _dull(_: Any) -> bool:
    return False


@shines.of(Engraved)
def _filled(craft: Engraved) -> bool:
    return craft.glow > 0


@shines.of(Tube)
def _switched(craft: Tube) -> bool:
    return craft.lit


@shines.of(Standing)
def _lit(craft: Standing) -> bool:
    return craft.light != "none"


@shines.of(CutThrough)
def _lit_behind(craft: CutThrough) -> bool:
    return craft.fill == "open" and craft.behind == "light"
