"""Finishes as the person chooses them; ``core/finishes`` turns them into materials."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from kilnchisel.core.job.base import Colour, Degrees, Percent, Value

Polish = Literal["polished", "satin", "brushed", "blasted"]


class Enamel(Value):
    """Vitreous enamel: a coloured ground under clear glass."""

    kind: Literal["enamel"] = "enamel"
    colour: Colour = "#efe6d0"
    gloss: Percent = 88.0


class Metal(Value):
    """What all metals have: a polish, and the way it was brushed."""

    polish: Polish = "satin"
    grain_deg: Degrees = 0.0


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
    """Fine gold."""

    kind: Literal["gold"] = "gold"
    polish: Polish = "polished"


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
    """Paint or lacquer, smooth."""

    kind: Literal["paint"] = "paint"
    colour: Colour = "#2c4a6e"
    gloss: Percent = 85.0


class Wood(Value):
    """Bare or oiled wood: its grain in full."""

    kind: Literal["wood"] = "wood"
    colour: Colour = "#a87c50"
    gloss: Percent = 45.0
    grain_deg: Degrees = 0.0


class Cloth(Value):
    """Woven cloth: book cloth, cotton."""

    kind: Literal["cloth"] = "cloth"
    colour: Colour = "#3d4f45"
    grain_deg: Degrees = 0.0


class Paper(Value):
    """Paper, card, plaster: matt and nearly even."""

    kind: Literal["paper"] = "paper"
    colour: Colour = "#efe9da"


class Masonry(Value):
    """Brick, mortar, concrete: matt, mottled, rough."""

    kind: Literal["masonry"] = "masonry"
    colour: Colour = "#9a5440"


class Grass(Value):
    """Turf seen from some way off."""

    kind: Literal["grass"] = "grass"
    colour: Colour = "#5d7a3a"


class Ink(Value):
    """Printing ink, ceramic transfer or film."""

    kind: Literal["ink"] = "ink"
    colour: Colour = "#1f2f57"
    gloss: Percent = 70.0


class AsBlank(Value):
    """The letters keep the finish of the blank."""

    kind: Literal["as the blank"] = "as the blank"


SurfaceFinish = Annotated[
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
    | Leather
    | Plastic
    | Rubber
    | Stone
    | Paint
    | PaintedWood
    | Wood
    | Slate
    | Cloth
    | Paper
    | Masonry
    | Grass,
    Field(discriminator="kind"),
]
LetterFinish = Annotated[
    AsBlank
    | Ink
    | Enamel
    | Brass
    | Stainless
    | Gold
    | Silver
    | Copper
    | Bronze
    | Aluminium
    | Chrome
    | Titanium
    | Leather
    | Plastic
    | Rubber
    | Stone
    | Paint
    | PaintedWood
    | Wood
    | Slate
    | Cloth
    | Paper
    | Masonry
    | Grass,
    Field(discriminator="kind"),
]
