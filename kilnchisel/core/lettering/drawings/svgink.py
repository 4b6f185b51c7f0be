"""What an SVG lays down: how large it is, and its ink on a sheet."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.lettering.drawings.sheet import (
    Run,
    Sheet,
    even_scale,
    filled,
    moved,
)
from kilnchisel.core.lettering.drawings.svgstyle import BLACK, Paint, Style, length
from kilnchisel.core.lettering.drawings.svgtext import Piece
from kilnchisel.core.lettering.reshaping import MITRE_LIMIT, Cap, Join, Pen

Array = NDArray[Any]
Painted = Callable[[Literal["fill", "stroke"]], Paint | None]  # what an element is painted with

CAPS: dict[str, Cap] = {"round": "round", "square": "square"}  # "butt" where nothing is said
JOINS: dict[str, Join] = {"round": "round", "bevel": "bevel"}  # "miter" where nothing is said
SOFT = "A soft mask is cut where it is half as strong."


@dataclass(frozen=True, eq=False)
class Place:
    """Where an element is drawn: its style, its matrix (2, 3) to the drawing's units, the width and height
    that percentages are of, what clips it, how strong it is; ``within`` which copies."""

    style: Style
    matrix: Array
    view: tuple[float, float]
    clip: shapely.Geometry | None = None
    strength: float = 1.0
    within: tuple[Any, ...] = ()
    px: float = 1.0  # of the screen, in the drawing's units

    @property
    def em(self) -> float:
        return float(self.style["font-size"])

    def length(self, said: str | None, way: Literal["x", "y", "r"], default: float = 0.0) -> float:
        wide, high = self.view
        whole = {"x": wide, "y": high, "r": float(np.hypot(wide, high)) / 2**0.5}[way]
        return length(said, whole, default, self.em)


class Measured:
    """How large a drawing is, before anything of it is drawn."""

    def __init__(self) -> None:
        self.low, self.high = np.full(2, np.inf), np.full(2, -np.inf)

    @property
    def size(self) -> float:
        wide = self.high - self.low
        return max(float(wide.max()), 1e-9) if np.isfinite(wide).all() else 1.0

    def count(self) -> None:
        pass

    def note(self, said: str) -> None:
        pass

    def shape(self, runs: list[Run], at: Place, paint: Painted) -> None:
        for run in runs:
            for piece in run.pieces:
                self.reach(moved(piece, at.matrix))

    def words(self, piece: Piece, at: Place, paint: Painted) -> None:
        if not piece.region.is_empty:
            left, low, right, high = piece.region.bounds
            self.reach(moved(np.array([[left, low], [right, low], [right, high], [left, high]]), at.matrix))

    def reach(self, points: Array) -> None:
        self.low, self.high = (
            np.minimum(self.low, points.min(axis=0)),
            np.maximum(self.high, points.max(axis=0)),
        )


class OnSheet:
    """Lays ink on a sheet. What is ink depends on what is drawn: a picture, a clip, a mask."""

    def __init__(
        self,
        sheet: Sheet,
        tolerance: float,
        kind: Literal["picture", "clip", "mask", "alpha mask"] = "picture",
    ) -> None:
        self.sheet, self.tolerance, self.kind = sheet, tolerance, kind

    def count(self) -> None:
        self.sheet.count(0)

    def note(self, said: str) -> None:
        self.sheet.notes.append(said)

    def _ink(self, paint: Paint) -> bool:
        if self.kind == "picture":
            return paint.is_ink
        if self.kind == "mask":
            if 0.1 < paint.light < 0.9:
                self.note(SOFT)
            return paint.light > 0.5
        return paint.strength > 0.5

    def shape(self, runs: list[Run], at: Place, paint: Painted) -> None:
        style = at.style
        rings = [(run, run.points(at.matrix, self.tolerance)) for run in runs]
        rings = [(run, points) for run, points in rings if len(points) > 1]
        for _, points in rings:
            self.sheet.count(len(points))
        fill = BLACK if self.kind == "clip" else paint("fill")
        rule = style["clip-rule" if self.kind == "clip" else "fill-rule"]
        is_filled = False
        if fill is not None and fill.seen:
            region = filled([points for _, points in rings], even_odd=rule == "evenodd")
            self.sheet.lay(region, at.clip, ink=self._ink(fill))
            is_filled = not region.is_empty
        pen = None if self.kind == "clip" else paint("stroke")
        if pen is not None and pen.seen:
            self._stroke([run for run, _ in rings], at, pen, is_filled=is_filled)

    def _stroke(self, runs: list[Run], at: Place, paint: Paint, *, is_filled: bool) -> None:
        style = at.style
        width = at.length(style["stroke-width"], "r", 1.0)
        if width <= 0:
            return
        pen = Pen(
            width,
            CAPS.get(style["stroke-linecap"], "flat"),
            JOINS.get(style["stroke-linejoin"], "mitre"),
            _mitre_limit(style["stroke-miterlimit"]),
        )
        dashes = [at.length(one, "r") for one in re.split(r"[\s,]+", style["stroke-dasharray"]) if one]
        keeps = style.get("vector-effect") == "non-scaling-stroke"
        self.sheet.strokes(
            runs,
            at.matrix,
            pen,
            (dashes, at.length(style["stroke-dashoffset"], "r")),
            self.tolerance,
            growth=at.px if keeps else even_scale(at.matrix),
            line=self.kind == "picture" and not is_filled,
            ink=self._ink(paint),
            clip=at.clip,
        )

    def words(self, piece: Piece, at: Place, paint: Painted) -> None:
        region = shapely.transform(piece.region, lambda p: moved(p, at.matrix))
        fill = BLACK if self.kind == "clip" else paint("fill")
        if fill is not None and fill.seen:
            self.sheet.lay(region, at.clip, ink=self._ink(fill))
        pen = None if self.kind == "clip" else paint("stroke")
        if pen is not None and pen.seen:
            width = at.length(at.style["stroke-width"], "r", 1.0) * (even_scale(at.matrix) or 1.0)
            edge = shapely.buffer(region.boundary, width / 2, join_style="mitre")
            self.sheet.lay(edge, at.clip, ink=self._ink(pen))


def _mitre_limit(said: str) -> float:
    """What is no number of at least 1 counts as not said."""
    found = length(said, 1.0, MITRE_LIMIT)
    return found if found >= 1 else MITRE_LIMIT
