"""Vehicles: what carries lettering along the road, on the water and in the air."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Percent, Value


class Hull(Value):
    """A long round body with rows of windows: a boat's hull, a coach, a fuselage."""

    kind: Literal["hull"] = "hull"
    length_mm: Annotated[float, Field(ge=300, le=60_000)] = 9000.0
    width_mm: Annotated[float, Field(ge=100, le=10_000)] = 2600.0
    height_mm: Annotated[float, Field(ge=100, le=10_000)] = 2600.0
    nose_mm: Annotated[float, Field(ge=50, le=20_000)] = 1800.0
    tail_mm: Annotated[float, Field(ge=50, le=20_000)] = 2600.0
    squareness: Percent = 25.0
    window_rows: Annotated[int, Field(ge=0, le=2)] = 1
    window_mm: Annotated[float, Field(ge=20, le=2000)] = 360.0
    window_high_mm: Annotated[float, Field(ge=20, le=2000)] = 420.0
    window_every_mm: Annotated[float, Field(ge=40, le=4000)] = 640.0

    @model_validator(mode="after")
    def _has_middle(self) -> Hull:
        if self.nose_mm + self.tail_mm > 0.8 * self.length_mm:
            raise KilnError("Nose and tail leave no straight middle; make the body longer.")
        if self.window_rows and self.window_every_mm < self.window_mm + 10:
            raise KilnError("The windows run into each other; set them farther apart.")
        if self.window_rows * self.window_high_mm > 0.6 * self.height_mm:
            raise KilnError("The windows are too high for the body; make them lower.")
        return self


class Van(Value):
    """A van or minibus: two sides, rear and bonnet, windows and door seams to keep clear."""

    kind: Literal["van"] = "van"
    length_mm: Annotated[float, Field(ge=2500, le=9000)] = 4950.0
    width_mm: Annotated[float, Field(ge=1200, le=2600)] = 1920.0
    height_mm: Annotated[float, Field(ge=1300, le=3500)] = 1980.0
    wheel_mm: Annotated[float, Field(ge=400, le=1000)] = 660.0
    windows: Literal["panel", "minibus"] = "panel"

    @model_validator(mode="after")
    def _has_body(self) -> Van:
        if self.wheel_mm > 0.42 * self.height_mm:
            raise KilnError("The wheels are too large for the body; make it higher.")
        if self.length_mm < 1.9 * self.height_mm:
            raise KilnError("The van is higher than it is long; make it longer.")
        return self


class Hatchback(Value):
    """A small car: two sides, bonnet, roof, rear window and tailgate."""

    kind: Literal["hatchback"] = "hatchback"
    length_mm: Annotated[float, Field(ge=3000, le=5200)] = 4050.0
    width_mm: Annotated[float, Field(ge=1400, le=2100)] = 1745.0
    height_mm: Annotated[float, Field(ge=1200, le=1900)] = 1470.0
    wheel_mm: Annotated[float, Field(ge=480, le=760)] = 620.0
    doors: Literal["three", "five"] = "five"

    @model_validator(mode="after")
    def _has_body(self) -> Hatchback:
        if self.wheel_mm > 0.46 * self.height_mm:
            raise KilnError("The wheels are too large for the body; make it higher.")
        if self.length_mm < 2.2 * self.height_mm:
            raise KilnError("The car is too high for its length; make it longer.")
        if self.length_mm < 1.75 * self.width_mm:
            raise KilnError("The car is too wide for its length; make it longer.")
        return self


class Coach(Value):
    """A coach of one deck: two sides with glass and luggage flaps, nose, rear and roof."""

    kind: Literal["coach"] = "coach"
    length_mm: Annotated[float, Field(ge=8500, le=15_000)] = 12_200.0
    width_mm: Annotated[float, Field(ge=2200, le=2600)] = 2550.0
    height_mm: Annotated[float, Field(ge=2900, le=4000)] = 3500.0
    wheel_mm: Annotated[float, Field(ge=800, le=1100)] = 1000.0
    door_on: Literal["right side", "left side"] = "right side"


class BoxTruck(Value):
    """A truck with a box behind its cab: the box's walls, its back, its headboard, and the cab's doors."""

    kind: Literal["box truck"] = "box truck"
    length_mm: Annotated[float, Field(ge=4800, le=10_000)] = 6900.0
    width_mm: Annotated[float, Field(ge=1800, le=2600)] = 2200.0
    height_mm: Annotated[float, Field(ge=2600, le=4000)] = 3250.0
    wheel_mm: Annotated[float, Field(ge=600, le=900)] = 740.0
    rear: Literal["doors", "shutter"] = "doors"


class Aeroplane(Value):
    """A passenger aeroplane: the sides of its body, and of its fin. ``fin_mm``: how high that stands over
    the body."""

    kind: Literal["aeroplane"] = "aeroplane"
    length_mm: Annotated[float, Field(ge=12_000, le=75_000)] = 31_000.0
    width_mm: Annotated[float, Field(ge=1500, le=6500)] = 3300.0
    span_mm: Annotated[float, Field(ge=10_000, le=70_000)] = 28_000.0
    fin_mm: Annotated[float, Field(ge=1500, le=12_000)] = 5400.0
    window_every_mm: Annotated[float, Field(ge=400, le=1500)] = 560.0
    engines: Literal["under the wings", "at the tail"] = "under the wings"

    @model_validator(mode="after")
    def _has_cabin(self) -> Aeroplane:
        if self.length_mm < 7 * self.width_mm:
            raise KilnError("Nose and tail leave no cabin; make the aeroplane longer or its body narrower.")
        if self.span_mm < 4 * self.width_mm:
            raise KilnError("The wings are too short for the body; make the span wider.")
        if self.fin_mm > 2.5 * self.width_mm:
            raise KilnError("The fin is too high for the body; make it lower.")
        return self


WITH_PLATES = (Van, Hatchback, Coach, BoxTruck)


class SailingHull(Value):
    """The hull of a sailing boat, ashore: both topsides and the transom. ``freeboard_mm``: how high it
    stands over its water line, ``draught_mm``: how deep it goes under it."""

    kind: Literal["sailing hull"] = "sailing hull"
    length_mm: Annotated[float, Field(ge=4500, le=25_000)] = 10_200.0
    width_mm: Annotated[float, Field(ge=1500, le=6500)] = 3350.0
    freeboard_mm: Annotated[float, Field(ge=450, le=2500)] = 1150.0
    draught_mm: Annotated[float, Field(ge=500, le=4500)] = 1850.0
    keel: Literal["fin", "long"] = "fin"

    @model_validator(mode="after")
    def _has_keel(self) -> SailingHull:
        if self.draught_mm < 0.085 * self.length_mm:
            raise KilnError("The hull has no room for a keel; make its draught deeper.")
        if not 2 * self.width_mm < self.length_mm < 6 * self.width_mm:
            raise KilnError("A hull is two to six times as long as it is wide; change its length or width.")
        return self
