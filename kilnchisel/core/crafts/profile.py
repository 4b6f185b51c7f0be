"""What a craft does to the surface, by the distance from the outline: heights over the ground.

A craft is a few stages, later ones on top: the outline, grown or shrunk, at a height that is constant or
changes with the distance from the outline. Heights between knots are linear.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np
import shapely

from kilnchisel.core.blanks.body import FinishSlot
from kilnchisel.core.crafts.fields import Field, carving_of, moulding_of, portrait_of
from kilnchisel.core.easing import eased
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
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.lettering.outline import Raster

Role = (
    FinishSlot
    | Literal["letters", "recess", "return", "tube", "blockout", "support", "carrier", "thread"]
    | Literal["patch", "overlock"]
)
Knots = tuple[tuple[float, float], ...]  # (distance inward from the outline, height), ascending, mm

NOWHERE = shapely.MultiPolygon()
INWARD = 14  # lines between a round and the ridge inside it
ROUND = 8  # straight pieces to a quarter round: they stay within 0.5 % of its radius


@dataclass(frozen=True)
class Stage:
    """A region at a height: the outline grown by ``grow_mm`` (below zero shrunk), taking ``role``; what
    lies outside the outline itself takes ``rim``.

    One knot: level at its height, with upright walls.
    """

    grow_mm: float
    knots: Knots
    role: Role
    rim: Role | None = None
    open: bool = False  # nothing is left there: only walls down to its height
    field: Field | None = None  # heights that vary all over it, added
    film: bool = False  # it lies on other films where it meets them
    filled: bool = False  # what the outline goes round belongs to it
    boxed: bool = False  # it is a rectangle about the outline
    shared: bool = False  # it is one for all layers of a lettering
    gaps: Literal["laid in", "bridged", "cut open"] = "laid in"  # what it does over narrow ones

    @property
    def level(self) -> bool:
        """Whether it has one height all over."""
        return self.field is None and len({height for _, height in self.knots}) == 1

    @property
    def deeper_mm(self) -> float:
        """How far its field goes below its knots."""
        return 0.0 if self.field is None else -self.field.lowest

    @property
    def higher_mm(self) -> float:
        """How far its field goes above its knots."""
        return 0.0 if self.field is None else max(self.field.highest, 0.0)

    def scaled(self, share: float) -> Stage:
        """The same at a share of its heights, for layers that take part of the depth."""
        if share == 1.0:
            return self
        return replace(self, knots=tuple((d, h * share) for d, h in self.knots))


@dataclass(frozen=True, eq=False)
class Outlined:
    """What a craft is told of an outline: its ``region``, how far its inmost point is from its edge, how
    thick the panel is that it lies on, and the picture that it is of, if any."""

    widest_mm: float
    through_mm: float = 0.0
    raster: Raster | None = None
    region: shapely.MultiPolygon = NOWHERE


@by_kind(Craft)
def stages_of(craft: Any, on: Outlined) -> tuple[Stage, ...]:
    """The stages of a craft on an outline; none of one that stands free of the surface. Raises KilnError
    where the craft needs a picture."""
    raise NotImplementedError


@stages_of.of(Tube, Standing, Fitting, Embroidered)
def _free(_: Any, on: Outlined) -> tuple[Stage, ...]:
    return ()


@stages_of.of(Relief)
def _relief(craft: Relief, on: Outlined) -> tuple[Stage, ...]:
    if on.raster is None:
        raise KilnError("A relief is made from a picture; choose a picture, or another craft.")
    return (Stage(0.0, ((0.0, 0.0),), "letters", field=portrait_of(craft, on.raster)),)


@stages_of.of(CutThrough)
def _cut_through(craft: CutThrough, on: Outlined) -> tuple[Stage, ...]:
    if craft.fill == "open":
        opening = Stage(0.0, ((0.0, -on.through_mm),), "blank", open=True)
        return (_countersink(craft, on.through_mm), opening) if craft.sink_mm > 0 else (opening,)
    pocket = Stage(0.0, ((0.0, -craft.depth_mm),), "recess")
    return (pocket, Stage(-craft.gap_mm, ((0.0, 0.0),), "letters"))


@stages_of.of(Printed)
def _printed(craft: Printed, on: Outlined) -> tuple[Stage, ...]:
    knots, gaps = ((0.0, craft.film_mm),), craft.gaps
    film = Stage(0.0, knots, "letters", film=True, gaps=gaps)
    if craft.carrier_mm <= 0:
        return (film,)
    return (Stage(craft.carrier_mm, knots, "carrier", film=True, filled=True, gaps=gaps), film)


OVERLOCKED_MM = 0.5  # how much the edge of a patch stands over its weave: thread on both its faces
WOVEN_IN_MM = 0.04  # letters are of the same weave: their threads lie over those of the ground


@stages_of.of(WovenPatch)
def _woven(craft: WovenPatch, on: Outlined) -> tuple[Stage, ...]:
    boxed, thick, sewn = craft.form == "rectangle", craft.thick_mm, craft.sewn_mm
    ground = Stage(craft.margin_mm - sewn, ((0.0, thick),), "patch", filled=True, boxed=boxed, shared=True)
    letters = Stage(0.0, ((0.0, thick + WOVEN_IN_MM),), "letters")
    if sewn == 0:
        return (ground, letters)
    high = thick + OVERLOCKED_MM
    edge = Stage(craft.margin_mm, ((0.0, high),), "overlock", filled=True, boxed=boxed, shared=True)
    return (edge, ground, letters)


@stages_of.of(Engraved)
def _engraved(craft: Engraved, on: Outlined) -> tuple[Stage, ...]:
    return (Stage(0.0, _cut_in(craft), "recess"),)


@stages_of.of(Raised)
def _raised(craft: Raised, on: Outlined) -> tuple[Stage, ...]:
    made = _with_edge(craft, on.widest_mm, on.region)
    round_ = craft.round_mm if craft.edge in ("sloped", "bevelled", "ridge") else 0.0
    return made if round_ <= 0 else tuple(_with_round(stage, round_) for stage in made)


def _countersink(craft: CutThrough, through_mm: float) -> Stage:
    """The slope down to an opening, from as far out as it is sunk; a panel too thin keeps no land."""
    deep = min(craft.sink_mm / float(np.tan(np.radians(craft.sink_deg / 2))), max(through_mm, 1e-3))
    land = min(0.02, craft.sink_mm / 2)  # level where it begins, so that its border is the ground's own
    return Stage(craft.sink_mm, ((-craft.sink_mm, 0.0), (land - craft.sink_mm, 0.0), (0.0, -deep)), "blank")


def _cut_in(craft: Engraved) -> Knots:
    depth = craft.depth_mm
    if craft.floor == "v":
        # half the stroke's width over the tangent of half the cutter's angle
        run = depth * float(np.tan(np.radians(craft.angle_deg / 2)))
        return ((0.0, 0.0), (run, -depth))
    if craft.floor == "round":
        radius = min(craft.fillet_mm, depth)
        return tuple((d, -(depth - radius) - h) for d, h in _quarter(radius))
    return ((0.0, -depth),)


def _with_edge(craft: Raised, widest: float, region: shapely.MultiPolygon) -> tuple[Stage, ...]:
    height, edge = craft.height_mm, craft.edge
    wide = craft.edge_mm
    if edge == "sloped":
        run = height * float(np.tan(np.radians(craft.slope_deg)))
        return (_letters((0.0, 0.0), (run, height)),)
    if edge == "bevelled":
        rise = min(wide, height)
        return (_letters((0.0, height - rise), (wide, height)),)
    if edge == "rounded":
        radius = min(wide, height)
        return (_letters(*((d, height - radius + h) for d, h in _quarter(radius))),)
    if edge == "ridge":
        top = height + widest * float(np.tan(np.radians(craft.slope_deg)))
        return (_letters((0.0, height), (max(widest, 1e-3), top)),)
    if edge == "cushion":
        return (_letters(*((d, h / widest * height) for d, h in _quarter(max(widest, 1e-3)))),)
    if edge == "stepped":
        treads = range(craft.steps)
        return tuple(Stage(-k * wide, ((0.0, height * (k + 1) / craft.steps),), "letters") for k in treads)
    if edge == "drawn":
        outs = np.linspace(1, 0, ROUND)
        knots = tuple((float(-wide * out), height * eased(1 - float(out))) for out in outs)
        return (Stage(wide, knots, "letters", "blank"),)
    if edge == "moulded":
        return (Stage(0.0, ((0.0, 0.0),), "letters", field=moulding_of(craft, region)),)
    return (_letters((0.0, height)),)


@stages_of.of(Carved)
def _carved(craft: Carved, on: Outlined) -> tuple[Stage, ...]:
    role: Role = "letters" if craft.base_mm >= 0 else "recess"
    if craft.edge_mm <= 0 or craft.base_mm == 0:
        knots: Knots = ((0.0, craft.base_mm),)
    else:
        run = np.linspace(0, craft.edge_mm, ROUND)
        knots = tuple((float(d), craft.base_mm * eased(float(d) / craft.edge_mm)) for d in run)
    return (Stage(0.0, knots, role, field=carving_of(craft)),)


def _letters(*knots: tuple[float, float]) -> Stage:
    return Stage(0.0, knots, "letters")


def _quarter(radius: float) -> Knots:
    """A quarter round, from upright at (0, 0) to level at (radius, radius)."""
    turns = np.linspace(0, np.pi / 2, ROUND + 1)
    return tuple((float(radius * (1 - np.cos(t))), float(radius * np.sin(t))) for t in turns)


def _with_round(stage: Stage, radius: float) -> Stage:
    """A stage with a quarter round added to its heights."""
    far, high = np.array(stage.knots).T
    round_far, round_high = np.array(_quarter(radius)).T
    # lines beyond the round, so that an even slope farther in is followed closely up to its ridge
    between = np.linspace(radius, far[-1], INWARD) if far[-1] > radius else far[-1:]
    both = np.unique(np.concatenate([far, round_far, between]))
    heights = np.interp(both, far, high) + np.interp(both, round_far, round_high)
    return replace(stage, knots=tuple(zip(both.tolist(), heights.tolist(), strict=True)))


SWELL_WIDE = 3.0  # how far the swelling reaches, in widths of the soft edge


@stages_of.of(Pressed)
def _pressed(craft: Pressed, on: Outlined) -> tuple[Stage, ...]:
    """Down from the outline over the soft width; outside it the ground has swollen and falls off again."""
    soft, depth = craft.soft_mm, craft.depth_mm
    rise = depth * craft.swell / 100
    inner = tuple((float(d), -depth * eased(float(d) / soft)) for d in np.linspace(0, soft, ROUND + 1))
    if rise <= 0:
        return (Stage(0.0, inner, "recess"),)
    outer = []
    for out in np.linspace(SWELL_WIDE, 0, ROUND)[:-1]:
        # a hump that is highest a third of the way out, level with the ground at its far end
        share = eased(float(out)) * (1 - eased((float(out) - 1) / (SWELL_WIDE - 1)))
        outer.append((-float(out) * soft, rise * share))
    knots = (*outer, *inner)
    return (Stage(SWELL_WIDE * soft, knots, "recess", "blank"),)
