"""Whatever a lettering holds, as an outline: words, artwork from a file, a shape, a colour picture."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.colour import srgb_decode
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Artwork, Picture, Shape
from kilnchisel.core.job.assets import LARGEST, asset, keep_asset
from kilnchisel.core.job.wording import Curve, FileFace, ShippedFace, Wording
from kilnchisel.core.lettering.catalogue import face_of_family
from kilnchisel.core.lettering.drawings import Drawing, line_region, read_drawing
from kilnchisel.core.lettering.outline import Layer, Outline, Raster, bounds_of, make_outline
from kilnchisel.core.lettering.polygons import as_region, rings_of
from kilnchisel.core.lettering.shapes import shape_region
from kilnchisel.core.lettering.tracing import (
    DEFAULT_PPI,
    TRACED_SIDE,
    darkness,
    has_alpha,
    open_pixels,
    traced,
)

Array = NDArray[Any]

MM_PER_INCH = 25.4
PRINTED_SIDE = 4096


@dataclass(frozen=True, eq=False)
class ArtworkSize:
    """The true size of artwork, mm: as the file states it or, without a unit, by ``unit_mm``."""

    width_mm: float
    height_mm: float
    stated: bool


def outline_of_content(content: Wording | Artwork | Picture | Shape) -> Outline:
    """The outline of what a lettering holds. Raises KilnError with what is wrong with it."""
    if isinstance(content, Wording):
        return make_outline(content)
    if isinstance(content, Shape):
        return _plain(shape_region(content.form))
    if isinstance(content, Picture):
        return _picture(content)
    if content.form == "bitmap":
        return _traced_artwork(content)
    return _drawn_artwork(content)


def _plain(
    region: shapely.MultiPolygon, lines: tuple[Array, ...] = (), notes: tuple[str, ...] = ()
) -> Outline:
    bounds = bounds_of(region)
    layer = Layer("letters", None, region)
    return Outline(None, bounds[3] - bounds[1], (), (), (layer,), region, bounds, lines=lines, notes=notes)


def artwork_size(content: Artwork) -> ArtworkSize:
    """The size of artwork before ``width_mm`` is applied. Raises KilnError."""
    if content.form == "bitmap":
        picture, ppi = open_pixels(asset(content.sha256, content.name), content.name or "The picture")
        per_px = MM_PER_INCH / ppi if ppi else content.unit_mm or MM_PER_INCH / DEFAULT_PPI
        return ArtworkSize(picture.width * per_px, picture.height * per_px, ppi is not None)
    drawing = _drawing(content)
    left, low, right, high = drawing.bounds
    scale = 1.0 if drawing.unit_mm else content.unit_mm or 1.0
    return ArtworkSize((right - left) * scale, (high - low) * scale, drawing.unit_mm is not None)


def _drawing(content: Artwork) -> Drawing:
    return read_drawing(content.sha256, content.form, content.name, content.page, words_in)


def words_in(words: str, family: str, size: float) -> shapely.MultiPolygon | None:
    """Words of a drawing in the face of that family, baseline at the origin, None if it is not here."""
    face = face_of_family(family)
    return None if face is None else _set_words(words, face, size)


@lru_cache(maxsize=64)
def _set_words(words: str, face: FileFace | ShippedFace, size: float) -> shapely.MultiPolygon:
    from kilnchisel.core.lettering.faces import load_face

    loaded = load_face(face)
    cap = min(max(size * loaded.cap_height / loaded.units_per_em, 0.2), 3000)
    outline = make_outline(Wording(text=words, face=face, cap_height_mm=cap, align="left"))
    first = outline.stands[0]
    start = np.array([first.anchor[0] - first.advance_mm / 2, first.anchor[1]])
    factor = size * loaded.cap_height / loaded.units_per_em / cap
    moved: shapely.MultiPolygon = shapely.transform(outline.ink, lambda p: (p - start) * factor)
    return moved


@lru_cache(maxsize=32)
def _drawn_artwork(content: Artwork) -> Outline:
    drawing = _drawing(content)
    left, low, right, high = drawing.bounds
    size = artwork_size(content)
    natural = right - left if right > left else high - low
    asked = content.width_mm if content.width_mm is not None else size.width_mm
    scale = (asked / (right - left)) if right > left else (size.height_mm / max(natural, 1e-12))
    middle = np.array([(left + right) / 2, (low + high) / 2])

    def place(points: Array) -> Array:
        return np.asarray((points - middle) * scale)

    region = shapely.transform(drawing.region, place)
    lines = [(place(line), width * scale) for line, width in drawing.lines]
    if content.lines == "drawn" and lines:
        region = as_region([shapely.union_all([region, line_region(lines, content.pen_mm)])])
    if region.is_empty:
        raise KilnError(
            f"{content.name or 'The artwork'} holds open lines only; draw them with a pen width."
        )
    return _plain(region, tuple(line for line, _ in lines), drawing.notes)


@lru_cache(maxsize=16)
def _traced_artwork(content: Artwork) -> Outline:
    name = content.name or "The picture"
    picture, _ = open_pixels(asset(content.sha256, name), name)
    size = artwork_size(content)
    if max(picture.size) > TRACED_SIDE:
        share = TRACED_SIDE / max(picture.size)
        small = (max(round(picture.width * share), 1), max(round(picture.height * share), 1))
        picture = picture.resize(small, Image.Resampling.BOX)
    region = _trace(content.sha256, picture, content.ink, content.threshold, content.smooth)
    if region.is_empty:
        raise KilnError(
            f"Nothing in {name} is {content.ink} enough at a threshold of {content.threshold:g} %."
        )
    width = content.width_mm if content.width_mm is not None else size.width_mm
    scale = width / picture.width
    middle = np.array([picture.width / 2, picture.height / 2])
    return _plain(shapely.transform(region, lambda p: (p - middle) * scale))


def _trace(
    digest: str, picture: Image.Image, ink: str, threshold: float, smooth: float
) -> shapely.MultiPolygon:
    return traced(darkness(picture, ink), threshold / 100, smooth / 100)


@lru_cache(maxsize=8)
def _picture(content: Picture) -> Outline:
    name = content.name or "The picture"
    picture, _ = open_pixels(asset(content.sha256, name), name)
    wide, tall = picture.size
    if max(picture.size) > PRINTED_SIDE:
        share = PRINTED_SIDE / max(picture.size)
        picture = picture.resize(
            (max(round(wide * share), 1), max(round(tall * share), 1)), Image.Resampling.LANCZOS
        )
    width = content.width_mm
    height = width * picture.height / picture.width
    if has_alpha(picture):
        region = traced(darkness(picture, "opaque"), 0.5, 0.3)
        if region.is_empty:
            raise KilnError(f"{name} is transparent everywhere.")
        scale = width / picture.width
        middle = np.array([picture.width / 2, picture.height / 2])
        region = shapely.transform(region, lambda p: (p - middle) * scale)
    else:
        region = as_region([shapely.box(-width / 2, -height / 2, width / 2, height / 2)])
    # row 0 of a texture is the lower edge
    pixels = srgb_decode(np.asarray(picture.convert("RGB"), dtype=np.float32) / 255)[::-1]
    raster = Raster(np.ascontiguousarray(pixels, dtype=np.float32), width, height, wide)
    bounds = bounds_of(region)
    layer = Layer("letters", None, region, raster=raster)
    return Outline(None, height, (), (), (layer,), region, bounds)


def pixels_per_inch(content: Picture | Artwork) -> float | None:
    """How fine a picture is at its size, None for a drawing."""
    if isinstance(content, Artwork) and content.form != "bitmap":
        return None
    picture, _ = open_pixels(asset(content.sha256, content.name), content.name or "The picture")
    width = content.width_mm
    if width is None:
        assert isinstance(content, Artwork)
        width = artwork_size(content).width_mm
    return picture.width / (width / MM_PER_INCH)


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
    try:
        if path.stat().st_size > LARGEST:
            size = path.stat().st_size / 2**20
            raise KilnError(f"{path.name} is {size:.0f} MB; at most {LARGEST // 2**20} MB can be taken in.")
        data = path.read_bytes()
    except OSError as error:
        raise KilnError(f"{path} cannot be read: {error.strerror or error}.") from None
    digest = keep_asset(data, path.name)
    if ending in DRAWING_ENDINGS:
        content = Artwork(sha256=digest, name=path.name, form=ending[1:])
    else:
        picture, _ = open_pixels(data, path.name)
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
    width = content.width_mm if content.width_mm is not None else artwork_size(content).width_mm
    return Picture(sha256=content.sha256, name=content.name, width_mm=round(width, 3))


def curve_of_file(path: Path) -> Curve:
    """The longest line of a drawing as a curve to set letters on, mm about its middle."""
    content = content_of_file(path)
    if content.form == "bitmap":
        raise KilnError(f"{path.name} is a picture; a curve is taken from a drawing (SVG, DXF or PDF).")
    drawing = _drawing(content)
    lines = [line for line, _ in drawing.lines] + rings_of(drawing.region)
    line = max(lines, key=lambda p: float(np.linalg.norm(np.diff(p, axis=0), axis=1).sum()))
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
