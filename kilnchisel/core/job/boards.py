"""Flat blanks: sign boards, vehicle plates, box signs, walls, books."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Percent, Value

Point = tuple[float, float]


class Board(Value):
    """A sign board: any outline, an edge, a dome or dish, a frame, a border line.

    ``points``: the outline of a drawn one, mm, counter-clockwise; it is scaled to width and height.
    ``stock_mm``: how thick the stock is that it is carved from, 0 where that is not said; ``keep_mm``: what
    has to stay below the deepest cut.
    """

    kind: Literal["board"] = "board"
    shape: Literal["rectangle", "oval", "arched", "shield", "drawn"] = "arched"
    width_mm: Annotated[float, Field(ge=40, le=6000)] = 600.0
    height_mm: Annotated[float, Field(ge=40, le=6000)] = 360.0
    thickness_mm: Annotated[float, Field(ge=2, le=200)] = 28.0
    corner_mm: Annotated[float, Field(ge=0, le=1000)] = 24.0
    edge: Literal["round", "bevel", "cove", "square"] = "round"
    edge_mm: Annotated[float, Field(ge=0.2, le=80)] = 6.0
    frame_mm: Annotated[float, Field(ge=0, le=400)] = 0.0
    frame_rise_mm: Annotated[float, Field(ge=0.5, le=80)] = 6.0
    line_mm: Annotated[float, Field(ge=0, le=60)] = 4.0
    line_in_mm: Annotated[float, Field(ge=0.5, le=400)] = 14.0
    line_rise_mm: Annotated[float, Field(ge=-20, le=20)] = -1.5
    dome_mm: Annotated[float, Field(ge=-100, le=200)] = 0.0
    points: Annotated[tuple[Point, ...], Field(max_length=6000)] = ()
    stock_mm: Annotated[float, Field(ge=0, le=400)] = 0.0
    keep_mm: Annotated[float, Field(ge=0.5, le=200)] = 6.0

    @model_validator(mode="after")
    def _fits(self) -> Board:
        least = min(self.width_mm, self.height_mm)
        if 2 * self.edge_mm > self.thickness_mm:
            raise KilnError(
                f"An edge of {self.edge_mm:g} mm needs a board at least {2 * self.edge_mm:g} mm thick; "
                f"this one has {self.thickness_mm:g} mm."
            )
        used = 2 * (self.edge_mm + self.frame_mm + (self.line_in_mm + self.line_mm if self.line_mm else 0))
        if used > 0.8 * least:
            raise KilnError("Edge, frame and border line leave no field; make them smaller.")
        sunk = max(-self.dome_mm, 0.0) + (self.frame_rise_mm if self.frame_mm else 0.0)
        sunk += max(-self.line_rise_mm, 0.0) if self.line_mm else 0.0
        if sunk > self.thickness_mm - 1:
            raise KilnError(
                f"The field would lie {sunk:g} mm deep in a board of {self.thickness_mm:g} mm; "
                "make the board thicker or the field shallower."
            )
        if self.shape == "drawn" and len(self.points) < 3:
            raise KilnError("A drawn board needs an outline; take one from a drawing.")
        if abs(self.dome_mm) > 0.3 * least:
            raise KilnError(f"A dome of {self.dome_mm:g} mm is too steep; at most {0.3 * least:g} mm.")
        return self


class Plate(Value):
    """A thin plate with rounded corners, holes or slots, and a pressed rim: for vehicles, doors, tools."""

    kind: Literal["plate"] = "plate"
    width_mm: Annotated[float, Field(ge=20, le=1500)] = 304.8
    height_mm: Annotated[float, Field(ge=10, le=1000)] = 152.4
    thickness_mm: Annotated[float, Field(ge=0.4, le=12)] = 1.0
    corner_mm: Annotated[float, Field(ge=0.5, le=200)] = 12.0
    holes: Literal["none", "two", "four"] = "four"
    hole_mm: Annotated[float, Field(ge=1, le=40)] = 7.0
    slot_mm: Annotated[float, Field(ge=0, le=80)] = 6.0  # how much longer than wide: 0 is a round hole
    apart_mm: Annotated[float, Field(ge=5, le=1400)] = 177.8  # hole centres, along
    apart_up_mm: Annotated[float, Field(ge=5, le=950)] = 120.7
    rim_mm: Annotated[float, Field(ge=0, le=40)] = 3.5
    rim_in_mm: Annotated[float, Field(ge=0.5, le=60)] = 3.0
    rim_rise_mm: Annotated[float, Field(ge=0.1, le=5)] = 1.2

    @model_validator(mode="after")
    def _holes_fit(self) -> Plate:
        half = self.hole_mm / 2
        room = (self.width_mm - self.apart_mm - self.slot_mm) / 2 - half
        up = (self.height_mm - (self.apart_up_mm if self.holes == "four" else 0.0)) / 2 - half
        if self.holes != "none" and min(room, up) < 1.0:
            raise KilnError("The holes reach the edge of the plate; set them closer or make them smaller.")
        if self.holes != "none" and self.apart_mm < self.slot_mm + self.hole_mm + 2:
            raise KilnError("The holes run into each other; set them farther apart.")
        if self.corner_mm > min(self.width_mm, self.height_mm) / 2:
            raise KilnError(
                f"Corners of {self.corner_mm:g} mm do not fit; at most "
                f"{min(self.width_mm, self.height_mm) / 2:g} mm."
            )
        if self.rim_mm and 2 * (self.rim_in_mm + self.rim_mm) > 0.7 * min(self.width_mm, self.height_mm):
            raise KilnError("The rim leaves no field; make it narrower.")
        return self


class BoxSign(Value):
    """A box with two faces of translucent sheet, read from both sides, on a bracket from the wall.

    ``brightness``: of its faces lit from inside, 0 for none; 100 % is ten times as bright as white paper in
    good light.
    """

    kind: Literal["box sign"] = "box sign"
    shape: Literal["rectangle", "oval"] = "oval"
    width_mm: Annotated[float, Field(ge=100, le=3000)] = 600.0
    height_mm: Annotated[float, Field(ge=100, le=3000)] = 600.0
    depth_mm: Annotated[float, Field(ge=20, le=500)] = 120.0
    corner_mm: Annotated[float, Field(ge=0, le=500)] = 30.0
    edge_mm: Annotated[float, Field(ge=0.5, le=60)] = 3.0
    frame_mm: Annotated[float, Field(ge=3, le=120)] = 22.0
    bracket: bool = True
    reach_mm: Annotated[float, Field(ge=20, le=1500)] = 180.0
    brightness: Annotated[float, Field(ge=0, le=400)] = 45.0
    light_colour: Literal["warm white", "neutral white", "cold white"] = "neutral white"

    @model_validator(mode="after")
    def _fits(self) -> BoxSign:
        if 2 * (self.edge_mm + self.frame_mm) > 0.7 * min(self.width_mm, self.height_mm):
            raise KilnError("The case's frame leaves no face; make it narrower.")
        if 2.2 * self.edge_mm > self.depth_mm:
            raise KilnError(f"An edge of {self.edge_mm:g} mm needs a deeper box.")
        return self


Bond = Literal["stretcher", "English", "Flemish"]
MOST_BRICKS = 4000


class Wall(Value):
    """A piece of wall: bricks by their real size and bond, plaster, or boards."""

    kind: Literal["wall"] = "wall"
    surface: Literal["brick", "plaster", "boards"] = "brick"
    bond: Bond = "stretcher"
    width_mm: Annotated[float, Field(ge=300, le=20_000)] = 2400.0
    height_mm: Annotated[float, Field(ge=300, le=8000)] = 1500.0
    brick_mm: Annotated[float, Field(ge=80, le=500)] = 215.0  # common practice: 215 x 65, joints of 10
    course_mm: Annotated[float, Field(ge=30, le=300)] = 65.0
    joint_mm: Annotated[float, Field(ge=2, le=30)] = 10.0
    joint_deep_mm: Annotated[float, Field(ge=0.5, le=20)] = 5.0
    board_mm: Annotated[float, Field(ge=40, le=500)] = 145.0

    @model_validator(mode="after")
    def _not_too_many(self) -> Wall:
        if self.surface == "brick":
            _few_enough(self)
        return self


def _few_enough(wall: Wall | ShopFront) -> None:
    count = wall.width_mm * wall.height_mm / (wall.brick_mm * wall.course_mm)
    if count > MOST_BRICKS:
        raise KilnError(f"That would be {count:.0f} bricks; make the wall smaller ({MOST_BRICKS} at most).")


PILASTER_MM, POST_MM, SHOP_HIGH_MM = 170.0, 80.0, 2350.0


class ShopFront(Value):
    """The front of a shop in a brick wall: window and door between pilasters, the fascia board above them,
    a window with lintel and sill on the floor above where there is room."""

    kind: Literal["shop front"] = "shop front"
    width_mm: Annotated[float, Field(ge=2600, le=20_000)] = 8200.0
    height_mm: Annotated[float, Field(ge=2900, le=8000)] = 4700.0
    fascia_mm: Annotated[float, Field(ge=200, le=1500)] = 560.0
    window_mm: Annotated[float, Field(ge=600, le=12_000)] = 2500.0
    door_mm: Annotated[float, Field(ge=700, le=1600)] = 900.0
    bond: Bond = "Flemish"
    brick_mm: Annotated[float, Field(ge=80, le=500)] = 215.0
    course_mm: Annotated[float, Field(ge=30, le=300)] = 65.0
    joint_mm: Annotated[float, Field(ge=2, le=30)] = 10.0
    joint_deep_mm: Annotated[float, Field(ge=0.5, le=20)] = 5.0

    @property
    def opening_mm(self) -> float:
        """How wide the opening between the pilasters is."""
        return self.window_mm + self.door_mm + 3 * POST_MM

    @model_validator(mode="after")
    def _fits(self) -> ShopFront:
        _few_enough(self)
        if self.opening_mm + 2 * PILASTER_MM + 200 > self.width_mm:
            raise KilnError("Window and door are wider than the wall; make it wider or them narrower.")
        if SHOP_HIGH_MM + self.fascia_mm + 300 > self.height_mm:
            raise KilnError("The fascia is higher than the wall leaves room for; make the wall higher.")
        return self


WINDOW_SILL_MM = 850.0  # under a window


class Window(Value):
    """A window in a rendered wall, its glass lettered on either face; a room is seen behind it. ``bars``:
    glazing bars across and up; ``lit``: how bright the lamp in the room is."""

    kind: Literal["window"] = "window"
    width_mm: Annotated[float, Field(ge=300, le=5000)] = 1700.0
    height_mm: Annotated[float, Field(ge=300, le=3000)] = 1400.0
    frame_mm: Annotated[float, Field(ge=30, le=160)] = 68.0
    bars: Annotated[int, Field(ge=0, le=5)] = 0
    bars_up: Annotated[int, Field(ge=0, le=5)] = 0
    lit: Percent = 35.0

    @model_validator(mode="after")
    def _has_glass(self) -> Window:
        wide = (self.width_mm - 2 * self.frame_mm) / (self.bars + 1)
        high = (self.height_mm - 2 * self.frame_mm) / (self.bars_up + 1)
        if min(wide, high) < 100:
            raise KilnError("The bars leave no glass; make fewer of them or the window larger.")
        return self


class Book(Value):
    """A bound book or logbook: two boards, a rounded spine, a block of pages."""

    kind: Literal["book"] = "book"
    width_mm: Annotated[float, Field(ge=40, le=600)] = 148.0
    height_mm: Annotated[float, Field(ge=40, le=800)] = 210.0
    thickness_mm: Annotated[float, Field(ge=6, le=150)] = 28.0
    board_mm: Annotated[float, Field(ge=1, le=8)] = 2.6
    square_mm: Annotated[float, Field(ge=0, le=12)] = 3.0  # how far the boards stand over the pages

    @model_validator(mode="after")
    def _has_pages(self) -> Book:
        if self.thickness_mm < 2 * self.board_mm + 2:
            raise KilnError("The boards leave no pages; make the book thicker.")
        return self
