"""Blanks: the objects that are lettered, by their real sizes."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field, model_validator

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Colour, Degrees, Percent, Value, refuse_corners
from kilnchisel.core.job.boards import Board, Book, BoxSign, Plate, ShopFront, Wall, Window
from kilnchisel.core.job.bodies import (
    Apparel,
    Apron,
    Bank,
    Bracelet,
    Cap,
    Garment,
    Handle,
    Mesh3D,
    PeakedCap,
    Signet,
    ToteBag,
)
from kilnchisel.core.job.vehicles import Aeroplane, BoxTruck, Coach, Hatchback, Hull, SailingHull, Van


class Mug(Value):
    """An upright mug with a rolled rim and, if wanted, a handle."""

    kind: Literal["mug"] = "mug"
    diameter_mm: Annotated[float, Field(ge=40, le=160)] = 84.0
    height_mm: Annotated[float, Field(ge=40, le=220)] = 84.0
    wall_mm: Annotated[float, Field(ge=1.2, le=8)] = 1.8
    rim_mm: Annotated[float, Field(ge=1.5, le=12)] = 3.6
    handle: bool = True
    handle_deg: Degrees = -90.0

    @model_validator(mode="after")
    def _rim_covers_wall(self) -> Mug:
        if self.rim_mm < 1.2 * self.wall_mm:
            least = math.ceil(12 * self.wall_mm) / 10
            raise KilnError(
                f"A rim of {self.rim_mm:g} mm cannot close a wall of {self.wall_mm:g} mm; "
                f"make the rim at least {least:g} mm."
            )
        return self


class Plaque(Value):
    """A flat plate, rectangular or oval, with rounded edges."""

    kind: Literal["plaque"] = "plaque"
    shape: Literal["rectangle", "oval"] = "rectangle"
    width_mm: Annotated[float, Field(ge=10, le=3000)] = 200.0
    height_mm: Annotated[float, Field(ge=10, le=3000)] = 120.0
    thickness_mm: Annotated[float, Field(ge=0.5, le=100)] = 10.0
    edge_round_mm: Annotated[float, Field(ge=0.05, le=50)] = 2.0
    corner_mm: Annotated[float, Field(ge=0, le=500)] = 6.0

    @model_validator(mode="after")
    def _fits(self) -> Plaque:
        if self.edge_round_mm > self.thickness_mm / 2:
            raise KilnError(
                f"An edge round of {self.edge_round_mm:g} mm needs a plate at least "
                f"{2 * self.edge_round_mm:g} mm thick; this one has {self.thickness_mm:g} mm."
            )
        small, large = sorted((self.width_mm, self.height_mm))
        if self.shape == "rectangle":
            refuse_corners(self.corner_mm, small)
        tightest = small * small / (2 * large)
        if self.shape == "oval" and self.edge_round_mm >= 0.9 * tightest:
            raise KilnError(
                f"An oval of {self.width_mm:g} × {self.height_mm:g} mm is too pointed for an edge "
                f"round of {self.edge_round_mm:g} mm; at most {0.9 * tightest:.1f} mm."
            )
        return self


class Vessel(Value):
    """What something can be in: how full it is, of its inside's height; of what colour that is, and how
    much of it is seen through, from cream to water."""

    filled: Annotated[float, Field(ge=0, le=96)] = 0.0
    contents_colour: Colour = "#b8741f"
    contents_clear: Percent = 90.0

    @property
    def liquid(self) -> bool:
        """Whether what is in it is seen through."""
        return self.contents_clear >= 20


class Tumbler(Vessel):
    """An open cup whose wall tapers evenly from rim to foot."""

    kind: Literal["tumbler"] = "tumbler"
    top_mm: Annotated[float, Field(ge=30, le=200)] = 88.0
    foot_mm: Annotated[float, Field(ge=20, le=200)] = 62.0
    height_mm: Annotated[float, Field(ge=30, le=300)] = 130.0
    wall_mm: Annotated[float, Field(ge=0.8, le=10)] = 2.4

    @model_validator(mode="after")
    def _stands(self) -> Tumbler:
        least = 8 * self.wall_mm
        if min(self.foot_mm, self.top_mm) < least:
            raise KilnError(f"A wall of {self.wall_mm:g} mm needs a cup at least {least:g} mm wide.")
        if abs(self.top_mm - self.foot_mm) > 1.2 * self.height_mm:
            raise KilnError("The wall leans more than 31°; make the cup higher or its ends more alike.")
        return self


class Jar(Vessel):
    """A round jar with a shoulder and a screw lid."""

    kind: Literal["jar"] = "jar"
    diameter_mm: Annotated[float, Field(ge=25, le=250)] = 76.0
    height_mm: Annotated[float, Field(ge=30, le=400)] = 98.0
    shoulder_mm: Annotated[float, Field(ge=2, le=80)] = 12.0
    lid_mm: Annotated[float, Field(ge=15, le=250)] = 66.0
    lid_height_mm: Annotated[float, Field(ge=5, le=80)] = 16.0
    wall_mm: Annotated[float, Field(ge=0.5, le=12)] = 3.0

    @model_validator(mode="after")
    def _closes(self) -> Jar:
        if self.lid_mm > self.diameter_mm:
            raise KilnError(
                f"The lid of {self.lid_mm:g} mm is wider than the jar of {self.diameter_mm:g} mm."
            )
        left = self.height_mm - self.lid_height_mm - self.shoulder_mm - self.diameter_mm / 9
        if left < 6:
            raise KilnError("There is no straight wall left between foot and shoulder; make it higher.")
        return self


class Bottle(Vessel):
    """A bottle with a shoulder, a neck and a cap."""

    kind: Literal["bottle"] = "bottle"
    diameter_mm: Annotated[float, Field(ge=20, le=200)] = 74.0
    height_mm: Annotated[float, Field(ge=60, le=600)] = 240.0
    shoulder_mm: Annotated[float, Field(ge=10, le=250)] = 52.0
    neck_mm: Annotated[float, Field(ge=10, le=120)] = 29.0
    neck_height_mm: Annotated[float, Field(ge=8, le=300)] = 62.0
    wall_mm: Annotated[float, Field(ge=0.5, le=12)] = 3.0

    @model_validator(mode="after")
    def _narrows(self) -> Bottle:
        if self.neck_mm > 0.85 * self.diameter_mm:
            raise KilnError(
                f"A neck of {self.neck_mm:g} mm is no neck on a bottle of {self.diameter_mm:g} mm."
            )
        if self.height_mm - self.shoulder_mm - self.neck_height_mm < self.diameter_mm / 8 + 8:
            raise KilnError("There is no straight wall left below the shoulder; make the bottle higher.")
        return self


class Can(Value):
    """A can or tin: straight wall, seamed rims, a lid."""

    kind: Literal["can"] = "can"
    diameter_mm: Annotated[float, Field(ge=20, le=400)] = 84.0
    height_mm: Annotated[float, Field(ge=12, le=500)] = 110.0
    seam_mm: Annotated[float, Field(ge=0.6, le=8)] = 2.4

    @model_validator(mode="after")
    def _has_wall(self) -> Can:
        if self.height_mm < 4 * self.seam_mm + 6:
            raise KilnError("There is no wall left between the rims; make the can higher.")
        if self.diameter_mm < 6 * self.seam_mm:
            raise KilnError(f"Rims of {self.seam_mm:g} mm leave no lid; make the can wider.")
        return self


class Band(Value):
    """A finger ring or any other band; its axis is upright."""

    kind: Literal["band"] = "band"
    inner_mm: Annotated[float, Field(ge=8, le=400)] = 17.3
    width_mm: Annotated[float, Field(ge=1.5, le=200)] = 7.0
    thickness_mm: Annotated[float, Field(ge=0.6, le=20)] = 2.0
    profile: Literal["flat", "D", "court", "concave"] = "flat"
    inlay_mm: Annotated[float, Field(ge=0, le=190)] = 0.0  # a strip of another metal round the middle

    @model_validator(mode="after")
    def _fits(self) -> Band:
        if self.profile != "flat" and self.thickness_mm > self.width_mm / 2:
            raise KilnError(
                f"A {self.profile} profile {self.thickness_mm:g} mm thick needs a band at least "
                f"{2 * self.thickness_mm:g} mm wide."
            )
        if self.inlay_mm > 0.8 * self.width_mm:
            raise KilnError(
                f"An inlay of {self.inlay_mm:g} mm leaves no edges on a band of {self.width_mm:g} mm; "
                f"at most {0.8 * self.width_mm:g} mm."
            )
        return self


class Medallion(Value):
    """A round piece with a raised rim, a sunk field and an edge, lying face up."""

    kind: Literal["medallion"] = "medallion"
    diameter_mm: Annotated[float, Field(ge=10, le=1500)] = 70.0
    thickness_mm: Annotated[float, Field(ge=1, le=100)] = 5.0
    rim_mm: Annotated[float, Field(ge=0.5, le=200)] = 4.0
    sunk_mm: Annotated[float, Field(ge=0.05, le=40)] = 1.0

    @model_validator(mode="after")
    def _has_field(self) -> Medallion:
        if self.rim_mm > self.diameter_mm / 4:
            most = self.diameter_mm / 4
            raise KilnError(f"A rim of {self.rim_mm:g} mm leaves no field; at most {most:g} mm.")
        if 2 * self.sunk_mm > self.thickness_mm - 0.4:
            most = (self.thickness_mm - 0.4) / 2
            raise KilnError(
                f"Fields sunk {self.sunk_mm:g} mm on both faces would meet; at most {most:g} mm."
            )
        return self


class Globe(Value):
    """A ball, on a turned foot or by itself."""

    kind: Literal["globe"] = "globe"
    diameter_mm: Annotated[float, Field(ge=20, le=1000)] = 150.0
    foot: bool = True


Blank = Annotated[
    Mug
    | Plaque
    | Tumbler
    | Jar
    | Bottle
    | Can
    | Cap
    | Band
    | Signet
    | Bracelet
    | Medallion
    | Globe
    | Board
    | Plate
    | BoxSign
    | Wall
    | ShopFront
    | Window
    | Book
    | Handle
    | Hull
    | Van
    | SailingHull
    | Aeroplane
    | BoxTruck
    | Coach
    | Hatchback
    | Garment
    | Apparel
    | PeakedCap
    | Apron
    | ToteBag
    | Bank
    | Mesh3D,
    Field(discriminator="kind"),
]

# The kinds in the order in which they are offered, by what they are for.
GROUPS: dict[str, tuple[tuple[type[Value], str], ...]] = {
    "Vessels": (
        (Mug, "Mug"),
        (Tumbler, "Tumbler"),
        (Jar, "Jar"),
        (Bottle, "Bottle"),
        (Can, "Can"),
        (Cap, "Tube cap"),
    ),
    "Signs": (
        (Plaque, "Plaque"),
        (Board, "Sign board"),
        (Plate, "Plate"),
        (BoxSign, "Box sign"),
    ),
    "Places": (
        (Wall, "Wall"),
        (ShopFront, "Shop front"),
        (Window, "Window"),
        (Bank, "Grass bank"),
    ),
    "Worn and held": (
        (Band, "Band or ring"),
        (Signet, "Signet ring"),
        (Bracelet, "Bracelet"),
        (Medallion, "Medallion"),
        (Handle, "Handle"),
        (Book, "Book"),
        (Globe, "Globe"),
    ),
    "Cloth": (
        (Apparel, "Apparel"),
        (Apron, "Apron"),
        (ToteBag, "Tote bag"),
        (PeakedCap, "Cap"),
        (Garment, "Flat shirt"),
    ),
    "Vehicles": (
        (Van, "Van"),
        (BoxTruck, "Box truck"),
        (Hatchback, "Hatchback"),
        (Coach, "Coach"),
        (Aeroplane, "Aeroplane"),
        (SailingHull, "Sailing hull"),
        (Hull, "Hull"),
    ),
}
KINDS: dict[str, type[Value]] = {
    kind.model_fields["kind"].default: kind for group in GROUPS.values() for kind, _ in group
}
TITLES: dict[str, str] = {
    kind.model_fields["kind"].default: title for group in GROUPS.values() for kind, title in group
}
