"""An SVG as it is drawn: groups, copies, clips and masks, strokes, dashes and markers.

Source: SVG 2 (structure, coordinates, paths, painting) and CSS Masking 1.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.errors import KilnError
from kilnchisel.core.lettering.drawings.sheet import (
    FINENESS,
    MOST_NESTED,
    PICTURE_LEFT_OUT,
    Drawing,
    Run,
    Sheet,
    TextOutline,
    moved,
    together,
)
from kilnchisel.core.lettering.drawings.svgink import Measured, OnSheet, Painted, Place
from kilnchisel.core.lettering.drawings.svgpath import box_of, is_shape, runs_of, spots_of
from kilnchisel.core.lettering.drawings.svgstyle import (
    BLACK,
    EYE,
    INHERITED,
    LENGTH,
    PX_MM,
    UNITS_MM,
    URL,
    XLINK,
    Paint,
    Style,
    colour,
    declared_in,
    fitted,
    inherited,
    length,
    matrix_of,
    numbers,
    share,
    shifted,
    tag_of,
)
from kilnchisel.core.lettering.drawings.svgtext import pieces_of

Array = NDArray[Any]

PATTERN = "A pattern is filled evenly; save it as shapes where its pattern counts."
EFFECTS = "Effects (shadows, blurs) are left out."
ELSEWHERE = "A part that is kept in another file is left out."
BOXED = "A text box is left out; save its words as outlines."
MOST_VISITED = 400_000


def read_svg(data: bytes, name: str, _page: int, text: TextOutline) -> Drawing:
    """The drawing of an SVG. Raises KilnError."""
    root = _root(data, name)
    unit, along, up = _scale(root)
    document = _Document(root, text, 1.0 if unit is None else PX_MM / along)
    whole = Measured()
    document.draw(whole)
    sheet = Sheet(expected=max(2 * len(document.declared), 1))
    document.draw(OnSheet(sheet, whole.size / FINENESS))
    return sheet.drawing(unit, (along, -up))


def _root(data: bytes, name: str) -> Any:
    import xml.etree.ElementTree as ET

    if b"<!ENTITY" in data:
        raise KilnError(
            f"{name} defines words of its own (XML entities), which is not read; save it plainly."
        )
    try:
        root = ET.fromstring(data)
    except (ET.ParseError, ValueError):
        raise KilnError(f"{name} is not a whole SVG drawing; it is damaged or cut short.") from None
    if tag_of(root) != "svg":
        raise KilnError(f"{name} is not an SVG drawing.")
    return root


def _scale(root: Any) -> tuple[float | None, float, float]:
    """The stated unit's mm (None without one), and mm (or 1) for one unit of the viewBox along and up."""
    box = numbers(root.get("viewBox"))
    width, height = (_absolute(root.get(side)) for side in ("width", "height"))
    if width is None:
        return None, 1.0, 1.0
    unit = width[1]
    if len(box) != 4 or min(box[2], box[3]) <= 0:
        return unit, PX_MM, PX_MM  # no viewBox: a user unit is a px
    if height is None:
        return unit, width[0] / box[2], width[0] / box[2]
    placed = fitted(box, width[0], height[0], root.get("preserveAspectRatio"))
    return unit, float(placed[0, 0]), float(placed[1, 1])


def _absolute(said: str | None) -> tuple[float, float] | None:
    """A length with a true unit: mm, and mm of its unit."""
    match = LENGTH.match(said or "")
    if match is None:
        return None
    value, unit = float(match.group(1)), UNITS_MM.get((match.group(2) or "").lower())
    return None if unit is None or value <= 0 else (value * unit, unit)


@dataclass(eq=False)
class _Document:
    """All of a file: what is said of its elements, and which has which name."""

    root: Any
    text: TextOutline
    px: float  # in units of the viewBox
    declared: dict[Any, Style] = field(init=False)
    named: dict[str, Any] = field(init=False)
    visited: int = 0
    paints: dict[str, Paint | None] = field(default_factory=dict)
    runs: dict[Any, list[Run]] = field(default_factory=dict)
    clips: dict[Any, shapely.Geometry] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.declared = declared_in(self.root)
        self.named = {}
        for element in self.root.iter():
            if element.get("id"):
                self.named.setdefault(element.get("id"), element)

    def draw(self, on: Measured | OnSheet) -> None:
        """Draw everything, in the units of the viewBox."""
        box = numbers(self.root.get("viewBox"))
        if len(box) == 4:
            view = (box[2], box[3])
        else:
            view = (length(self.root.get("width"), 300, 300), length(self.root.get("height"), 150, 150))
        self.visited = 0
        self._children(
            self.root, self._into(self.root, Place(dict(INHERITED), EYE, view, px=self.px), on), on
        )

    # places

    def _into(self, element: Any, at: Place, on: Measured | OnSheet, *, kept: bool = False) -> Place:
        """The place of what is in an element; ``kept``: its own move does not count."""
        style = inherited(at.style, self.declared[element])
        matrix = at.matrix if kept else together(at.matrix, matrix_of(style.get("transform")))
        at = replace(at, style=style, matrix=matrix, strength=at.strength * share(style.get("opacity")))
        if style.get("filter", "none") != "none":
            on.note(EFFECTS)
        if isinstance(on, OnSheet):
            for name in ("clip-path", "mask"):
                found = URL.match(style.get(name, ""))
                other = self.named.get(found.group(1)) if found else None
                if other is not None and tag_of(other) == ("clipPath" if name == "clip-path" else "mask"):
                    at = self._cut(element, other, at, on)
        return at

    def _cut(self, element: Any, by: Any, at: Place, on: OnSheet) -> Place:
        """A place cut by a clip or a mask."""
        if by in at.within or len(at.within) >= MOST_NESTED:
            return at
        units = by.get("clipPathUnits" if tag_of(by) == "clipPath" else "maskContentUnits")
        if units == "objectBoundingBox":
            box = self._box(element, at)
            if box is None:
                return at
            region = self._let_through(by, at, box, on)
        else:  # many elements may be cut by one alike
            key = by, at.matrix.tobytes(), at.view
            if key not in self.clips:
                self.clips[key] = self._let_through(by, at, EYE, on)
            region = self.clips[key]
        return replace(at, clip=region if at.clip is None else shapely.intersection(region, at.clip))

    def _let_through(self, by: Any, at: Place, box: Array, on: OnSheet) -> shapely.Geometry:
        """What a clip or a mask lets through; ``box`` (2, 3): what its content is measured by."""
        kind: Any = "clip" if tag_of(by) == "clipPath" else "mask"
        inner = Place(dict(INHERITED), at.matrix, at.view, within=(*at.within, by), px=at.px)
        if kind == "clip":
            inner = self._into(by, inner, on)
        else:
            inner = replace(inner, style=inherited(inner.style, self.declared[by]))
            kind = "alpha mask" if inner.style.get("mask-type") == "alpha" else kind
        inner = replace(inner, matrix=together(inner.matrix, box))
        sub = Sheet(pieces=on.sheet.pieces, points=on.sheet.points)
        self._children(by, inner, OnSheet(sub, on.tolerance, kind))
        on.sheet.pieces, on.sheet.points = sub.pieces, sub.points
        on.sheet.notes += sub.notes
        return sub.region()

    def _box(self, element: Any, at: Place) -> Array | None:
        """What brings the unit square to the box of what an element draws, in its own units."""
        inner = replace(at, matrix=EYE, clip=None)
        if is_shape(tag_of(element)):
            wide = box_of(self._runs(element, inner))
        else:
            reach = Measured()
            self._children(element, inner, reach)
            wide = (*reach.low, *reach.high)
        if wide is None or not np.isfinite(wide).all():
            return None
        left, low, right, high = wide
        return np.array([[right - left, 0.0, left], [0.0, high - low, low]])

    # elements

    def _children(self, element: Any, at: Place, on: Measured | OnSheet) -> None:
        for child in element:
            self.element(child, at, on)

    def element(self, element: Any, at: Place, on: Measured | OnSheet) -> None:
        """Draw one element."""
        tag = tag_of(element)
        way = WAYS.get(tag) or (_shape if is_shape(tag) else None)
        if way is None or self.declared[element].get("display") == "none":
            return
        self.visited += 1
        if self.visited > MOST_VISITED:
            raise KilnError(
                f"The drawing has more than {MOST_VISITED:,} parts once its copies are put in; that is "
                "more than can be lettered. Save a simpler copy."
            )
        on.count()
        way(self, element, self._into(element, at, on), on)

    def _runs(self, element: Any, at: Place) -> list[Run]:
        found = self.runs.get((element, at.view))
        if found is None:
            found = self.runs[element, at.view] = runs_of(element, tag_of(element), at.length)
        return found

    # paint

    def painted(self, at: Place, on: Measured | OnSheet) -> Painted:
        """What an element is painted with, when it is asked for."""
        return lambda name: self._paint(name, at, on)

    def _paint(self, name: Literal["fill", "stroke"], at: Place, on: Measured | OnSheet) -> Paint | None:
        """What an element is filled or drawn with, None for nothing."""
        said, unknown = at.style[name], BLACK if name == "fill" else None
        server = URL.match(said)
        if server is None:
            found = colour(said, at.style["color"], unknown)
        else:
            element = self.named.get(server.group(1))
            if element is None:
                found = colour(server.group(2) or "none", at.style["color"])
            else:
                if tag_of(element) == "pattern":
                    on.note(PATTERN)
                found = self._served(element)
        if found is None:
            return None
        strength = found.strength * share(at.style[f"{name}-opacity"]) * at.strength
        return found._replace(strength=strength)

    def _served(self, element: Any) -> Paint | None:
        """The darkest that a gradient is; a pattern counts as ink."""
        name = element.get("id")
        if name not in self.paints:
            stops = self._stops(element)
            if tag_of(element) == "pattern":
                self.paints[name] = BLACK
            else:
                seen = [stop for stop in stops if stop.seen]
                self.paints[name] = min(seen, key=lambda stop: min(stop[:3]), default=None)
        return self.paints[name]

    def _stops(self, element: Any) -> list[Paint]:
        for _ in range(MOST_NESTED):
            stops = [self._stop(child) for child in element if tag_of(child) == "stop"]
            other = self.named.get((element.get("href") or element.get(XLINK) or "").removeprefix("#"))
            if stops or other is None:
                break
            element = other
        return [stop for stop in stops if stop is not None]

    def _stop(self, element: Any) -> Paint | None:
        style = self.declared[element]
        found = colour(style.get("stop-color", "black"), style.get("color", "black"))
        return found and found._replace(strength=found.strength * share(style.get("stop-opacity")))


def _shape(document: _Document, element: Any, at: Place, on: Any) -> None:
    if at.style["visibility"] != "visible":
        return
    runs = document._runs(element, at)
    if runs:
        on.shape(runs, at, document.painted(at, on))
        if not isinstance(on, OnSheet) or on.kind != "clip":
            _markers(document, element, runs, at, on)


def _group(document: _Document, element: Any, at: Place, on: Any) -> None:
    document._children(element, at, on)


def _switch(document: _Document, element: Any, at: Place, on: Any) -> None:
    """The first part that asks for nothing, or for English."""
    for child in element:
        tongues = child.get("systemLanguage")
        if child.get("requiredExtensions"):
            continue
        if tag_of(child) and (
            tongues is None or any(one.strip()[:2] == "en" for one in tongues.split(","))
        ):
            document.element(child, at, on)
            return


def _use(document: _Document, element: Any, at: Place, on: Any) -> None:
    link = element.get("href") or element.get(XLINK) or ""
    other = document.named.get(link.removeprefix("#"))
    if other is None:
        if link and not link.startswith("#"):
            on.note(ELSEWHERE)
        return
    if other in at.within or len(at.within) >= MOST_NESTED:
        return
    x, y = at.length(element.get("x"), "x"), at.length(element.get("y"), "y")
    at = replace(at, matrix=together(at.matrix, shifted(x, y)), within=(*at.within, other))
    if tag_of(other) in ("symbol", "svg"):
        inner = document._into(other, at, on)
        _framed(document, other, inner, on, (element.get("width"), element.get("height")))
    else:
        document.element(other, at, on)


def _nested(document: _Document, element: Any, at: Place, on: Any) -> None:
    x, y = at.length(element.get("x"), "x"), at.length(element.get("y"), "y")
    _framed(document, element, replace(at, matrix=together(at.matrix, shifted(x, y))), on, (None, None))


def _framed(document: _Document, element: Any, at: Place, on: Any, size: tuple[Any, Any]) -> None:
    """What stands in a frame of its own, which cuts it off."""
    wide = at.length(size[0] or element.get("width"), "x", at.view[0])
    high = at.length(size[1] or element.get("height"), "y", at.view[1])
    if wide <= 0 or high <= 0:
        return
    box = numbers(element.get("viewBox"))
    clip = at.clip
    if at.style.get("overflow", "hidden") in ("hidden", "scroll"):
        corners = moved(np.array([[0, 0], [wide, 0], [wide, high], [0, high]], dtype=float), at.matrix)
        frame = shapely.Polygon(corners)
        clip = frame if clip is None else shapely.intersection(clip, frame)
    matrix = together(at.matrix, fitted(box, wide, high, element.get("preserveAspectRatio")))
    view = (box[2], box[3]) if len(box) == 4 else (wide, high)
    document._children(element, replace(at, matrix=matrix, view=view, clip=clip), on)


def _image(_document: _Document, _element: Any, at: Place, on: Any) -> None:
    if at.style["visibility"] == "visible":
        on.note(PICTURE_LEFT_OUT)


def _foreign(_document: _Document, _element: Any, at: Place, on: Any) -> None:
    on.note(BOXED)


def _text(document: _Document, element: Any, at: Place, on: Any) -> None:
    def styled(child: Any, place: Place) -> Place:
        return document._into(child, place, on, kept=True)

    for piece, place in pieces_of(element, at, styled, document.declared, document.text, on.note):
        if place.style["visibility"] == "visible":
            on.words(piece, place, document.painted(place, on))


WAYS: dict[str, Callable[[_Document, Any, Place, Any], None]] = {
    "g": _group,
    "a": _group,
    "svg": _nested,
    "switch": _switch,
    "use": _use,
    "image": _image,
    "foreignObject": _foreign,
    "text": _text,
}


def _markers(document: _Document, element: Any, runs: list[Run], at: Place, on: Any) -> None:
    """Arrowheads and the like at a line's corners (SVG 2, 13.7)."""
    if tag_of(element) not in ("path", "line", "polyline", "polygon"):
        return
    wanted = {}
    for name in ("marker-start", "marker-mid", "marker-end"):
        found = URL.match(at.style[name])
        marker = document.named.get(found.group(1)) if found else None
        if marker is not None and tag_of(marker) == "marker" and marker not in at.within:
            wanted[name] = marker
    if not wanted or len(at.within) >= MOST_NESTED:
        return
    spots = list(spots_of(runs))
    for number, (spot, turn) in enumerate(spots):
        last = number == len(spots) - 1
        names = ["marker-start"] * (number == 0) + ["marker-end"] * last
        for name in names or ["marker-mid"]:
            if name in wanted:
                backward = name == "marker-start" and wanted[name].get("orient") == "auto-start-reverse"
                _marked(document, wanted[name], spot, turn + 180.0 * backward, at, on)


def _marked(document: _Document, marker: Any, spot: Array, turn: float, at: Place, on: Any) -> None:
    style = inherited(dict(INHERITED), document.declared[marker])
    orient = marker.get("orient", "0")
    angle = np.radians(turn if orient.startswith("auto") else length(orient.removesuffix("deg"), 1, 0.0))
    scale = 1.0
    if marker.get("markerUnits", "strokeWidth") == "strokeWidth":
        scale = at.length(at.style["stroke-width"], "r", 1.0)
    cos, sin = np.cos(angle) * scale, np.sin(angle) * scale
    matrix = together(at.matrix, np.array([[cos, -sin, spot[0]], [sin, cos, spot[1]]]))
    wide, high = (length(marker.get(name), 3, 3.0) for name in ("markerWidth", "markerHeight"))
    box = numbers(marker.get("viewBox"))
    fit = fitted(box, wide, high, marker.get("preserveAspectRatio"))
    about = np.array([length(marker.get(name), 0, 0.0) for name in ("refX", "refY")])
    about = fit[:, :2] @ about + fit[:, 2]
    outer = together(matrix, shifted(-about[0], -about[1]))
    at = Place(style, outer, (wide, high), at.clip, at.strength, (*at.within, marker), at.px)
    _framed(document, marker, at, on, (str(wide), str(high)))
