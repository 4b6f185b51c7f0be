"""Whatever a lettering holds, as an outline: words, artwork from a file, a shape, a colour picture."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.colour import srgb_decode
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.artwork import Artwork, Badge, Disc, Holes, Picture, Shape, Star, Stroke
from kilnchisel.core.job.assets import LARGEST, asset, keep_asset
from kilnchisel.core.job.lettering import Content
from kilnchisel.core.job.wording import Curve, FileFace, ShippedFace, Wording
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.lettering.catalogue import face_of_family
from kilnchisel.core.lettering.drawings.reading import read_drawing
from kilnchisel.core.lettering.drawings.sheet import Drawing, Words
from kilnchisel.core.lettering.faces import load_face
from kilnchisel.core.lettering.outline import Layer, Outline, Raster, bounds_of, make_outline
from kilnchisel.core.lettering.polygons import as_region, length_of, rings_of
from kilnchisel.core.lettering.reshaping import pen_along
from kilnchisel.core.lettering.shapes import shape_region
from kilnchisel.core.lettering.tracing import (
    DEFAULT_PPI,
    TRACED_SIDE,
    darkness,
    has_alpha,
    open_pixels,
    traced,
)
from kilnchisel.core.remembered import made_elsewhere, remembered
from kilnchisel.core.units import MM_PER_INCH

Array = NDArray[Any]

PRINTED_SIDE = 4096


@dataclass(frozen=True, eq=False)
class ArtworkSize:
    """The true size of artwork, mm: as the file states it or, without a unit, by ``unit_mm``."""

    width_mm: float
    height_mm: float
    stated: bool


@by_kind(Content)
def outline_of_content(content: Any) -> Outline:
    """The outline of what a lettering holds. Raises KilnError with what is wrong with it."""
    raise NotImplementedError


@outline_of_content.of(Wording)
def _words(content: Wording) -> Outline:
    return make_outline(content)


@outline_of_content.of(Shape)
def _shape(content: Shape) -> Outline:
    form = content.form
    filled = isinstance(form, Disc | Star | Badge | Holes) or getattr(form, "filled", False)
    return replace(_plain(shape_region(form)), filled=filled)


@outline_of_content.of(Artwork)
def _artwork(content: Artwork) -> Outline:
    return _traced_artwork(content) if content.form == "bitmap" else _drawn_artwork(content)


def _plain(
    region: shapely.MultiPolygon, lines: tuple[Array, ...] = (), notes: tuple[str, ...] = ()
) -> Outline:
    bounds = bounds_of(region)
    layer = Layer("letters", None, region)
    return Outline(None, bounds[3] - bounds[1], (), (), (layer,), region, bounds, lines=lines, notes=notes)


def artwork_size(content: Artwork) -> ArtworkSize:
    """The size of artwork before ``width_mm`` is applied. Raises KilnError."""
    if content.form == "bitmap":
        wide, tall, ppi = _pixel_size(content.sha256, content.name)
        per_px = MM_PER_INCH / ppi if ppi else content.unit_mm or MM_PER_INCH / DEFAULT_PPI
        return ArtworkSize(wide * per_px, tall * per_px, ppi is not None)
    (left, low, right, high), unit_mm = _drawing_size(*_named(content))
    scale = 1.0 if unit_mm else content.unit_mm or 1.0
    return ArtworkSize((right - left) * scale, (high - low) * scale, unit_mm is not None)


def artwork_width(content: Artwork | Picture) -> float:
    """The width that artwork has in the job, mm. Raises KilnError."""
    if isinstance(content, Picture) or content.width_mm is not None:
        return float(content.width_mm or 0.0)
    return artwork_size(content).width_mm


def _opened(digest: str, name: str, side: int, how: Image.Resampling) -> Image.Image:
    """A kept picture, brought down where it is larger than ``side`` pixels. Raises KilnError."""
    name = name or "The picture"
    return opened_picture(asset(digest, name), name, side, how)


def opened_picture(
    data: bytes, name: str, side: int, how: Image.Resampling = Image.Resampling.LANCZOS
) -> Image.Image:
    """A picture (L, LA, RGB or RGBA) from its bytes, brought down where it is larger than ``side`` pixels.
    Raises KilnError."""
    picture, _, _ = gate.read(f"{__name__}:picture_in", name, data, name, side, int(how), limits=PICTURE)
    assert isinstance(picture, Image.Image)
    return picture


PICTURE = gate.Limits(40.0, 3000 * gate.MB)


def picture_in(
    data: bytes, name: str, side: int, how: int
) -> tuple[Image.Image, tuple[int, int], float | None]:
    """A picture from its bytes, read here and now: at most ``side`` pixels, its full size, its ppi."""
    picture, ppi = open_pixels(data, name)
    return _at_most(picture, side, Image.Resampling(how)), picture.size, ppi


@remembered
def _pixel_size(digest: str, name: str) -> tuple[int, int, float | None]:
    """Width and height of a kept picture in pixels, and its stated pixels an inch. The ticket and the
    readings ask for it again and again, so the picture is not opened each time."""
    _, (wide, tall), ppi = _glimpsed(digest, name)
    return wide, tall, ppi


def _glimpsed(digest: str, name: str) -> tuple[Image.Image, tuple[int, int], float | None]:
    """A small copy of a kept picture, its size in pixels, its stated pixels an inch."""
    name, how = name or "The picture", int(Image.Resampling.BOX)
    glimpse: tuple[Image.Image, tuple[int, int], float | None] = gate.read(
        f"{__name__}:picture_in", name, asset(digest, name), name, GLIMPSE_SIDE, how, limits=PICTURE
    )
    return glimpse


GLIMPSE_SIDE = 256


def _named(content: Artwork) -> tuple[str, str, str, int]:
    return content.sha256, content.form, content.name or "The drawing", content.page


def _drawing(content: Artwork) -> Drawing:
    return _kept_drawing(*_named(content))


@remembered
def _kept_drawing(digest: str, form: str, name: str, page: int) -> Drawing:
    drawing = gate.read(f"{__name__}:drawing_in", name, asset(digest, name), form, name, page)
    assert isinstance(drawing, Drawing)
    made_elsewhere((drawing.bounds, drawing.unit_mm), _drawing_size, digest, form, name, page)
    return drawing


Box = tuple[float, float, float, float]


@remembered
def _drawing_size(digest: str, form: str, name: str, page: int) -> tuple[Box, float | None]:
    """The bounds of a kept drawing and the unit it states. The ticket asks for them again and again, so
    they are kept without the drawing."""
    size: tuple[Box, float | None] = gate.read(
        f"{__name__}:size_in", name, asset(digest, name), form, name, page
    )
    return size


def drawing_in(data: bytes, form: str, name: str, page: int) -> Drawing:
    """A drawing from its bytes, read here and now."""
    return read_drawing(data, form, name, page, words_in)


def size_in(data: bytes, form: str, name: str, page: int) -> tuple[Box, float | None]:
    """The bounds of a drawing and the unit it states, read here and now."""
    drawing = drawing_in(data, form, name, page)
    return drawing.bounds, drawing.unit_mm


def words_in(words: str, family: str, size: float) -> Words | None:
    """Words of a drawing in the face of that name, None if it is not here."""
    face = face_of_family(family)
    return None if face is None else _set_words(words, face, size)


@remembered
def _set_words(words: str, face: FileFace | ShippedFace, size: float) -> Words:
    loaded = load_face(face)
    cap = min(max(size * loaded.cap_height / loaded.units_per_em, 0.2), 3000)
    outline = make_outline(Wording(text=words, face=face, cap_height_mm=cap, align="left"))
    first = outline.stands[0]
    start = np.array([first.anchor[0] - first.advance_mm / 2, first.anchor[1]])
    factor = size * loaded.cap_height / loaded.units_per_em / cap
    moved: shapely.MultiPolygon = shapely.transform(outline.ink, lambda p: (p - start) * factor)
    advance = outline.advance_mm() * factor
    return Words(moved, advance)


@remembered
def _drawn_artwork(content: Artwork) -> Outline:
    drawing = _drawing(content)
    left, low, right, high = drawing.bounds
    size = artwork_size(content)
    natural = right - left if right > left else high - low
    scale = (
        (artwork_width(content) / (right - left))
        if right > left
        else (size.height_mm / max(natural, 1e-12))
    )
    middle = np.array([(left + right) / 2, (low + high) / 2])

    def place(points: Array) -> Array:
        return np.asarray((points - middle) * scale)

    region = shapely.transform(drawing.region, place)
    lines = [line._replace(points=place(line.points)) for line in drawing.lines]
    if content.lines == "drawn" and lines:
        pens = [
            pen_along(points, pen._replace(width=max(pen.width * scale, content.pen_mm)))
            for points, pen in lines
        ]
        region = as_region([shapely.union_all([region, *pens])])
    if region.is_empty:
        raise KilnError(
            f"{content.name or 'The artwork'} holds open lines only; draw them with a pen width."
        )
    return _plain(region, tuple(line.points for line in lines), drawing.notes)


@remembered
def _traced_artwork(content: Artwork) -> Outline:
    picture = _opened(content.sha256, content.name, TRACED_SIDE, Image.Resampling.BOX)
    amount = darkness(picture, content.ink)
    region = traced(amount, content.threshold / 100, content.smooth / 100)
    if region.is_empty:
        name = content.name or "The picture"
        raise KilnError(
            f"Nothing in {name} is {content.ink} enough at a threshold of {content.threshold:g} %."
        )
    return _plain(_pixels_to_mm(region, picture, artwork_width(content)))


def _at_most(picture: Image.Image, side: int, how: Image.Resampling) -> Image.Image:
    """The picture, brought down where it is larger than ``side`` pixels."""
    if max(picture.size) <= side:
        return picture
    share = side / max(picture.size)
    return picture.resize(
        (max(round(picture.width * share), 1), max(round(picture.height * share), 1)), how
    )


def _pixels_to_mm(
    region: shapely.MultiPolygon, picture: Image.Image, width_mm: float
) -> shapely.MultiPolygon:
    """A region in the picture's pixels as mm about the picture's middle."""
    middle = np.array([picture.width / 2, picture.height / 2])
    scale = width_mm / picture.width
    moved: shapely.MultiPolygon = shapely.transform(region, lambda p: (p - middle) * scale)
    return moved


@remembered
@outline_of_content.of(Picture)
def _picture(content: Picture) -> Outline:
    picture = _opened(content.sha256, content.name, PRINTED_SIDE, Image.Resampling.LANCZOS)
    width = content.width_mm
    height = width * picture.height / picture.width
    if has_alpha(picture):
        region = _pixels_to_mm(traced(darkness(picture, "opaque"), 0.5, 0.3), picture, width)
        if region.is_empty:
            raise KilnError(f"{content.name or 'The picture'} is transparent everywhere.")
    else:
        region = as_region([shapely.box(-width / 2, -height / 2, width / 2, height / 2)])
    region = _painted(region, content.strokes, width, height)
    if region.is_empty:
        raise KilnError(f"All of {content.name or 'the picture'} is painted away; bring some of it back.")
    # row 0 of a texture is the lower edge
    pixels = srgb_decode(np.asarray(picture.convert("RGB"), dtype=np.float32) / 255)[::-1]
    raster = Raster(np.ascontiguousarray(pixels, dtype=np.float32), width, height)
    layer = Layer("letters", None, region, raster=raster)
    return Outline(None, height, (), (), (layer,), region, bounds_of(region))


def _painted(
    region: shapely.MultiPolygon, strokes: tuple[Stroke, ...], width: float, height: float
) -> shapely.MultiPolygon:
    """A picture's region without what was painted away of it."""
    if not strokes:
        return region
    whole = left = region
    for stroke in strokes:
        points = (np.array(stroke.points) - 0.5) * (width, height)
        line = shapely.Point(points[0]) if len(points) == 1 else shapely.LineString(points)
        brush = shapely.buffer(line, stroke.wide / 200 * width, quad_segs=12)
        left = shapely.difference(left, brush) if stroke.hides else shapely.union(left, brush & whole)
    return as_region([shapely.simplify(left, width / 8000)])


def picture_pixels(content: Picture, side: int = 1200) -> Array:
    """The picture to look at, (h, w, 4) uint8, row 0 above, at most ``side`` pixels. Raises KilnError."""
    picture = _opened(content.sha256, content.name, side, Image.Resampling.LANCZOS)
    return np.asarray(picture.convert("RGBA"), dtype=np.uint8)


def pixels_per_inch(content: Picture | Artwork) -> float | None:
    """How fine a picture is at its size, None for a drawing."""
    if isinstance(content, Artwork) and content.form != "bitmap":
        return None
    wide, _, _ = _pixel_size(content.sha256, content.name)
    return wide / (artwork_width(content) / MM_PER_INCH)


# taking files in

PICTURE_ENDINGS = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".webp", ".bmp")
DRAWING_ENDINGS = (".svg", ".dxf", ".pdf")
ARTWORK_ENDINGS = DRAWING_ENDINGS + PICTURE_ENDINGS
CURVE_POINTS = 240


def content_of_file(path: Path) -> Artwork:
    """A file taken in as artwork, read once to see that it can be used. Raises KilnError."""
    ending = path.suffix.lower()
    if ending not in ARTWORK_ENDINGS:
        kinds = ", ".join(ARTWORK_ENDINGS)
        raise KilnError(f"{path.name} is not a kind of artwork that can be taken in; those are {kinds}.")
    data = gate.bytes_of(path, LARGEST, "piece of artwork")
    digest = keep_asset(data, path.name)
    if ending in DRAWING_ENDINGS:
        content = Artwork(sha256=digest, name=path.name, form=ending[1:])
    else:
        picture, _, _ = _glimpsed(digest, path.name)
        content = Artwork(sha256=digest, name=path.name, form="bitmap", ink=_likely_ink(picture))
    outline_of_content(content)
    return content


def _likely_ink(picture: Image.Image) -> Literal["dark", "light", "opaque"]:
    """What is meant to be lettering: what is opaque, or what there is less of."""
    if has_alpha(picture):
        return "opaque"
    small = picture.convert("L").resize((64, 64))
    return "dark" if float(np.asarray(small).mean()) > 127 else "light"


def picture_of_artwork(content: Artwork) -> Picture:
    """A traced picture as colour artwork of the same size. Raises KilnError."""
    return Picture(sha256=content.sha256, name=content.name, width_mm=round(artwork_width(content), 3))


def curve_of_file(path: Path) -> Curve:
    """The longest line of a drawing as a curve to set letters on, mm about its middle."""
    content = content_of_file(path)
    if content.form == "bitmap":
        raise KilnError(f"{path.name} is a picture; a curve is taken from a drawing (SVG, DXF or PDF).")
    drawing = _drawing(content)
    lines = [line.points for line in drawing.lines] + rings_of(drawing.region)
    line = max(lines, key=length_of)
    if line[0, 0] > line[-1, 0]:
        line = line[::-1]
    left, low, right, high = line[:, 0].min(), line[:, 1].min(), line[:, 0].max(), line[:, 1].max()
    middle = np.array([(left + right) / 2, (low + high) / 2])
    size = max(right - left, high - low, 1e-9)
    simple = shapely.get_coordinates(shapely.simplify(shapely.LineString(line - middle), size / 4000))
    if len(simple) > CURVE_POINTS:
        keep = np.unique(np.linspace(0, len(simple) - 1, CURVE_POINTS).astype(int))
        simple = simple[keep]
    points = tuple((round(float(x), 3), round(float(y), 3)) for x, y in simple)
    return Curve(points=points, smooth=False)


def outline_of_file(path: Path) -> tuple[tuple[tuple[float, float], ...], tuple[float, float] | None]:
    """The largest closed outline of a drawing, counter-clockwise, and its width and height in mm where
    the file states its unit."""
    content = content_of_file(path)
    if content.form == "bitmap":
        raise KilnError(f"{path.name} is a picture; an outline is taken from a drawing (SVG, DXF or PDF).")
    drawing = _drawing(content)
    parts = [shapely.Polygon(part.exterior) for part in shapely.get_parts(drawing.region)]
    parts += [shapely.Polygon(line.points) for line in drawing.lines if len(line.points) > 2]
    if not parts:
        raise KilnError(f"{path.name} holds no closed outline.")
    area = max(parts, key=lambda part: part.area)
    left, low, right, high = area.bounds
    size = max(right - left, high - low)
    ring = shapely.orient_polygons(shapely.simplify(area, size / 8000)).exterior
    points = tuple((round(float(x - left), 4), round(float(y - low), 4)) for x, y in ring.coords[:-1])
    stated = artwork_size(content).stated
    return points, (right - left, high - low) if stated else None
