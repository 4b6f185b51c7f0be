"""Finishes as the person chooses them; ``core/finishes`` turns them into materials."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kilnchisel.core.job.base import Colour, Degrees, Percent, Value

Polish = Literal["polished", "satin", "brushed", "hammered", "blasted"]
Effect = Literal["plain", "metallic", "pearl", "fleck", "reflective"]


class Enamel(Value):
    """Vitreous enamel: a coloured ground under clear glass."""

    kind: Literal["enamel"] = "enamel"
    colour: Colour = "#efe6d0"
    gloss: Percent = 88.0


class Metal(Value):
    """What all metals have: a polish, and the way it was brushed.

    ``uneven``: how much duller the polish is in places, nowhere duller than ``dullest``. ``patina``: how
    much of it time has covered (verdigris, tarnish, the brown of old brass).
    """

    polish: Polish = "satin"
    grain_deg: Degrees = 0.0
    uneven: Percent = 0.0
    dullest: Percent = 60.0
    patina: Percent = 0.0


class Brass(Metal):
    """Brass CuZn37."""

    kind: Literal["brass"] = "brass"


class Stainless(Metal):
    """Stainless steel 18-8."""

    kind: Literal["stainless"] = "stainless"
    polish: Polish = "brushed"


class PaintedWood(Value):
    """Wood under paint that lets some of the grain show."""

    kind: Literal["painted wood"] = "painted wood"
    colour: Colour = "#2f4a46"
    gloss: Percent = 40.0
    grain: Percent = 45.0
    grain_deg: Degrees = 0.0


class Slate(Value):
    """Riven slate, oiled or dry."""

    kind: Literal["slate"] = "slate"
    oiled: Percent = 35.0


class Gold(Metal):
    """Gold of so many carats, the rest being what gives it its colour: 18 is engraved and worn, 24 is fine
    gold, as leaf and foil are."""

    kind: Literal["gold"] = "gold"
    polish: Polish = "polished"
    carat: Annotated[float, Field(ge=8, le=24)] = 18.0
    alloy: Literal["yellow", "red", "white"] = "yellow"


class Silver(Metal):
    """Silver."""

    kind: Literal["silver"] = "silver"


class Copper(Metal):
    """Copper."""

    kind: Literal["copper"] = "copper"


class Bronze(Metal):
    """Tin bronze CuSn8."""

    kind: Literal["bronze"] = "bronze"


class Aluminium(Metal):
    """Aluminium."""

    kind: Literal["aluminium"] = "aluminium"


class Chrome(Metal):
    """Chromium plate."""

    kind: Literal["chrome"] = "chrome"
    polish: Polish = "polished"


class Titanium(Metal):
    """Titanium."""

    kind: Literal["titanium"] = "titanium"


class Leather(Value):
    """Tanned leather: a coloured ground with a fine pebble, a soft shine."""

    kind: Literal["leather"] = "leather"
    colour: Colour = "#6b4329"
    gloss: Percent = 35.0


class Plastic(Value):
    """Moulded plastic or acrylic."""

    kind: Literal["plastic"] = "plastic"
    colour: Colour = "#e8e6e0"
    gloss: Percent = 75.0


class Rubber(Value):
    """Rubber: dark and dull."""

    kind: Literal["rubber"] = "rubber"
    colour: Colour = "#232323"


class Stone(Value):
    """Dressed stone: granite, sandstone, limestone by its colour; polished or sawn."""

    kind: Literal["stone"] = "stone"
    colour: Colour = "#8d8a86"
    gloss: Percent = 20.0


class Paint(Value):
    """Paint or lacquer, smooth; its effect is what is mixed into it."""

    kind: Literal["paint"] = "paint"
    colour: Colour = "#2c4a6e"
    gloss: Percent = 85.0
    effect: Effect = "plain"


class Glass(Value):
    """Glass that is seen through: clear, tinted by its colour, or frosted."""

    kind: Literal["glass"] = "glass"
    colour: Colour = "#eef5f1"
    frosted: Percent = 0.0


class Foam(Value):
    """Carving foam: fine-celled, matt, without grain."""

    kind: Literal["foam"] = "foam"
    colour: Colour = "#c9b27a"


class Wood(Value):
    """Wood, its grain in full. A species is what its parameters say: colour, the width of its growth
    rings, and how open its pores are."""

    kind: Literal["wood"] = "wood"
    colour: Colour = "#a87c50"
    gloss: Percent = 45.0
    grain_deg: Degrees = 0.0
    ring_mm: Annotated[float, Field(ge=0.5, le=40)] = 11.0
    pores: Percent = 50.0
    surface: Literal["bare", "oiled", "lacquered", "charred"] = "bare"


SPECIES: dict[str, tuple[str, float, float]] = {  # colour, ring width in mm, pores in %; common practice
    "oak": ("#a87c50", 11.0, 80.0),
    "ash": ("#c4a47b", 9.0, 70.0),
    "walnut": ("#5c4030", 8.0, 45.0),
    "cherry": ("#9c5d3b", 6.0, 12.0),
    "maple": ("#cdb18a", 5.0, 4.0),
    "beech": ("#bb8f66", 4.0, 20.0),
    "pine": ("#cda36a", 16.0, 0.0),
    "larch": ("#b0784a", 7.0, 0.0),
    "cedar": ("#94583c", 5.0, 2.0),
}


class Cloth(Value):
    """Woven cloth: book cloth of fine threads, cotton knit so fine that it looks even, canvas."""

    kind: Literal["cloth"] = "cloth"
    colour: Colour = "#3d4f45"
    grain_deg: Degrees = 0.0
    weave: Literal["book cloth", "cotton", "canvas"] = "book cloth"


class Paper(Value):
    """Paper, card, plaster: matt and nearly even."""

    kind: Literal["paper"] = "paper"
    colour: Colour = "#efe9da"


class Masonry(Value):
    """What walls are of: brick and mortar, concrete as it left its boards, plaster."""

    kind: Literal["masonry"] = "masonry"
    colour: Colour = "#9a5440"
    surface: Literal["brick", "concrete", "plaster"] = "brick"


class Grass(Value):
    """Turf seen from some way off."""

    kind: Literal["grass"] = "grass"
    colour: Colour = "#5d7a3a"


class Ink(Value):
    """Printing ink, ceramic transfer, film or foil."""

    kind: Literal["ink"] = "ink"
    colour: Colour = "#1f2f57"
    gloss: Percent = 70.0
    effect: Effect = "plain"


class AsBlank(Value):
    """The letters keep the finish of the blank."""

    kind: Literal["as the blank"] = "as the blank"


# new finishes are listed before the family

# in the order in which they are offered
_Surface = (
    Enamel
    | Brass
    | Stainless
    | Gold
    | Silver
    | Copper
    | Bronze
    | Aluminium
    | Chrome
    | Titanium
    | Paint
    | PaintedWood
    | Wood
    | Slate
    | Stone
    | Leather
    | Plastic
    | Rubber
    | Cloth
    | Paper
    | Masonry
    | Grass
    | Glass
    | Foam
)
SurfaceFinish = Annotated[_Surface, Field(discriminator="kind")]
OwnFinish = Ink | _Surface  # what has a look of its own
LetterFinish = Annotated[AsBlank | Ink | _Surface, Field(discriminator="kind")]


class Wear(Value):
    """What use has done to the piece, following the edges of its lettering.

    ``rubbed``: edges that stand proud, down to what is under the finish. ``dirt``: what has settled in
    recesses and round what is raised. ``handled``: fingerprints and dust on gloss. ``scratched``: fine
    scratches all over. ``noise``: how much the colour varies from spot to spot. ``seed``: another piece,
    used as much.
    """

    rubbed: Percent = 0.0
    dirt: Percent = 0.0
    handled: Percent = 0.0
    scratched: Percent = 0.0
    noise: Annotated[float, Field(ge=0, le=5)] = 0.0
    seed: Annotated[int, Field(ge=0, le=9999)] = 1


AS_HANDED_OVER = Wear(handled=8.0)  # wiped, and taken up once since
