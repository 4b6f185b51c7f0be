"""Shaped blanks: handles, garments, banks, and what is worn on hand and wrist."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints, model_validator

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Percent, Value


class Cap(Value):
    """The cap of a tube or flask: a straight wall, a round edge, a flat top."""

    kind: Literal["cap"] = "cap"
    diameter_mm: Annotated[float, Field(ge=8, le=150)] = 38.0
    height_mm: Annotated[float, Field(ge=5, le=120)] = 26.0
    edge_mm: Annotated[float, Field(ge=0.3, le=20)] = 2.5

    @model_validator(mode="after")
    def _has_wall(self) -> Cap:
        if self.edge_mm > 0.4 * min(self.height_mm, self.diameter_mm / 2):
            raise KilnError(f"An edge of {self.edge_mm:g} mm leaves no wall; make the cap larger.")
        return self


class Signet(Value):
    """A finger ring with an oval head."""

    kind: Literal["signet"] = "signet"
    inner_mm: Annotated[float, Field(ge=12, le=26)] = 18.9
    width_mm: Annotated[float, Field(ge=2, le=10)] = 4.0
    thickness_mm: Annotated[float, Field(ge=1, le=4)] = 1.8
    head_mm: Annotated[float, Field(ge=6, le=24)] = 13.0
    head_high_mm: Annotated[float, Field(ge=6, le=24)] = 15.0
    rise_mm: Annotated[float, Field(ge=0.5, le=6)] = 1.4

    @model_validator(mode="after")
    def _fits(self) -> Signet:
        if self.head_mm > 0.95 * (self.inner_mm + 2 * self.thickness_mm):
            raise KilnError("The head is wider than the ring; make it narrower.")
        return self


class Bracelet(Value):
    """An open cuff: an oval band with a gap at the back."""

    kind: Literal["bracelet"] = "bracelet"
    inner_mm: Annotated[float, Field(ge=30, le=120)] = 62.0
    inner_deep_mm: Annotated[float, Field(ge=25, le=120)] = 50.0
    width_mm: Annotated[float, Field(ge=3, le=80)] = 16.0
    thickness_mm: Annotated[float, Field(ge=0.8, le=8)] = 2.0
    gap_mm: Annotated[float, Field(ge=5, le=60)] = 26.0

    @model_validator(mode="after")
    def _open(self) -> Bracelet:
        small, large = sorted((self.inner_mm, self.inner_deep_mm))
        if self.gap_mm > 0.7 * self.inner_mm:
            raise KilnError("The gap leaves no bracelet; make it smaller.")
        if large > 1.8 * small:
            raise KilnError("The oval is too flat for a wrist; make its sides more alike.")
        return self


class Handle(Value):
    """A turned handle of a tool or brush, its axis straight or bent."""

    kind: Literal["handle"] = "handle"
    length_mm: Annotated[float, Field(ge=40, le=600)] = 130.0
    widest_mm: Annotated[float, Field(ge=6, le=80)] = 30.0
    neck_mm: Annotated[float, Field(ge=4, le=70)] = 19.0
    end_mm: Annotated[float, Field(ge=4, le=75)] = 23.0
    bend_deg: Annotated[float, Field(ge=-60, le=60)] = 0.0
    head: Literal["none", "chisel", "brush"] = "chisel"

    @model_validator(mode="after")
    def _swells(self) -> Handle:
        if max(self.neck_mm, self.end_mm) > self.widest_mm:
            raise KilnError("Neck and end cannot be thicker than the widest part.")
        if self.widest_mm > 0.6 * self.length_mm:
            raise KilnError("The handle is thicker than it is useful; make it longer.")
        return self


class Garment(Value):
    """A shirt laid flat, with gentle folds."""

    kind: Literal["garment"] = "garment"
    chest_mm: Annotated[float, Field(ge=250, le=900)] = 540.0  # laid flat, side to side
    length_mm: Annotated[float, Field(ge=300, le=1100)] = 720.0
    sleeve_mm: Annotated[float, Field(ge=40, le=400)] = 210.0
    folds_mm: Annotated[float, Field(ge=0, le=20)] = 5.0


class Apparel(Value):
    """A garment of cloth. ``shown``: worn on a body that is not seen, on a hanger before a wall, laid flat,
    or folded as in a shop."""

    kind: Literal["apparel"] = "apparel"
    garment: Literal["t-shirt", "long sleeve", "sweatshirt", "hooded sweatshirt"] = "t-shirt"
    size: Literal["XS", "S", "M", "L", "XL", "2XL", "3XL"] = "M"
    shown: Literal["worn", "on a hanger", "laid flat", "folded"] = "worn"


class Apron(Value):
    """An apron with a bib. ``shown``: worn on a body that is not seen, or laid flat."""

    kind: Literal["apron"] = "apron"
    size: Literal["small", "large"] = "small"
    shown: Literal["worn", "laid flat"] = "worn"


class ToteBag(Value):
    """A bag of canvas with two handles. ``shown``: hanging from a peg before a wall, or laid flat."""

    kind: Literal["tote bag"] = "tote bag"
    size: Literal["small", "medium", "large"] = "medium"
    shown: Literal["hanging", "laid flat"] = "hanging"


class PeakedCap(Value):
    """A cap of five panels with a peak. ``head_mm``: round the head; ``curve_mm``: how far the sides of the
    peak fall."""

    kind: Literal["peaked cap"] = "peaked cap"
    head_mm: Annotated[float, Field(ge=480, le=660)] = 580.0
    crown_mm: Annotated[float, Field(ge=90, le=190)] = 108.0
    peak_mm: Annotated[float, Field(ge=30, le=100)] = 72.0
    curve_mm: Annotated[float, Field(ge=0, le=30)] = 15.0


Height = Annotated[float, Field(ge=-20_000, le=20_000)]
Heights = Annotated[tuple[Height, ...], Field(min_length=2, max_length=9)]


class Bank(Value):
    """A bank of ground, sloping up from the front, for letters laid on it or standing along it.

    ``heights``: how far the ground is above that at a grid of its places, evenly apart, in rows from the
    front to the back, each from left to right; smooth between them. ``seed``: which of many grounds of this
    size and roughness it is; 0 is the plain bank of older files, cut off all round. ``stones``, ``bushes``:
    how many there are, of a usual number.
    """

    kind: Literal["bank"] = "bank"
    width_mm: Annotated[float, Field(ge=500, le=200_000)] = 24_000.0
    deep_mm: Annotated[float, Field(ge=500, le=100_000)] = 9000.0
    rise_mm: Annotated[float, Field(ge=50, le=50_000)] = 3800.0
    rough_mm: Annotated[float, Field(ge=0, le=2000)] = 160.0
    heights: Annotated[tuple[Heights, ...], Field(max_length=9)] = ()
    seed: Annotated[int, Field(ge=0, le=9999)] = 1
    stones: Percent = 50.0
    bushes: Percent = 50.0

    @model_validator(mode="after")
    def _not_a_cliff(self) -> Bank:
        if len({len(row) for row in self.heights}) > 1 or len(self.heights) == 1:
            raise KilnError("The heights of a bank are two rows or more, each of as many places.")
        if self.rise_mm > 1.2 * self.deep_mm:
            raise KilnError("The bank is steeper than ground lies; make it deeper or lower.")
        return self


class Mesh3D(Value):
    """An object from a mesh file, held in the job by its content.

    ``unit_mm``: how many mm one unit of the file is. ``up``: which of the file's axes points up.
    """

    kind: Literal["mesh"] = "mesh"
    name: Annotated[str, StringConstraints(max_length=200)] = ""
    sha256: Annotated[str, StringConstraints(pattern=r"^([0-9a-f]{64})?$")] = ""
    ending: Annotated[str, StringConstraints(max_length=8)] = ".stl"
    unit_mm: Annotated[float, Field(ge=1e-6, le=1e6)] = 1.0
    up: Literal["z", "y", "-z", "-y", "x", "-x"] = "z"
    turn_deg: Annotated[float, Field(ge=-360, le=360)] = 0.0
    size_mm: tuple[float, float, float] = (100.0, 100.0, 100.0)  # as it stands, for camera and defaults
