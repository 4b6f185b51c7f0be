"""Pictures to outlines: the level line of the grey values, to a fraction of a pixel, smoothed to curves.

The level line is taken where the interpolated picture crosses the threshold, so the soft edge of a
drawn picture tells where the true edge lies between two pixels. Corners are then told from curves, and
curves are freed of the pixels' steps by fitting cubic pieces within a tolerance.
"""

from __future__ import annotations

import io
from typing import Any

import contourpy
import numpy as np
import shapely
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake.pixels import as_srgb
from kilnchisel.core.lettering.polygons import as_region, signed_area

Array = NDArray[Any]

MOST_PIXELS = 120_000_000
Image.MAX_IMAGE_PIXELS = None  # the limit here is our own
TRACED_SIDE = 4000  # a larger picture is brought down to this before tracing
LEAST_AREA_PX = 4.0
MOST_SHAPES, MOST_RING_POINTS = 4_000, 600_000
DEFAULT_PPI = 300.0
CORNER = np.cos(np.radians(55.0))
REACH_PX = 3.0


def open_pixels(data: bytes, name: str) -> tuple[Image.Image, float | None]:
    """The picture, turned upright, and its stated pixels per inch. Raises KilnError."""
    try:
        # by name: other readers of the library run other programs, or are of no use here
        picture = Image.open(io.BytesIO(data), formats=FORMATS)
        if picture.width * picture.height > MOST_PIXELS:
            raise KilnError(
                f"{name} has {picture.width} × {picture.height} pixels; at most "
                f"{MOST_PIXELS // 1_000_000} million can be taken in. Save a smaller copy."
            )
        ppi = picture.info.get("dpi", (None,))[0]
        picture.load()
    except (KilnError, MemoryError):
        raise
    except Exception:  # foreign data: what a reader raises is its own affair
        raise KilnError(
            f"{name} is not a picture that can be read; it is damaged, cut short, or of another kind "
            f"(those are {', '.join(FORMATS)})."
        ) from None
    return _upright(picture), _stated(ppi)


FORMATS = ("PNG", "JPEG", "TIFF", "WEBP", "BMP")


def _upright(picture: Image.Image) -> Image.Image:
    """Turned as its camera says, in sRGB (L, LA, RGB or RGBA)."""
    from PIL import ImageOps

    try:
        upright = ImageOps.exif_transpose(picture) or picture
    except Exception:  # a note that is damaged turns nothing
        upright = picture
    try:
        return as_srgb(upright)
    except ValueError:
        raise KilnError(f"The picture's colours ({upright.mode}) cannot be read; save it in RGB.") from None


def _stated(ppi: Any) -> float | None:
    try:
        value = float(ppi)
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return value if 20 <= value <= 20_000 else None


def darkness(picture: Image.Image, ink: str) -> Array:
    """How much each pixel is ink, (h, w) 0..1: by darkness, lightness or opacity."""
    if ink == "opaque":
        alpha = picture.convert("RGBA").getchannel("A")
        return np.asarray(alpha, dtype=np.float32) / 255
    ground = 255 if ink == "dark" else 0
    flat = picture
    if picture.mode in ("RGBA", "LA"):
        rgba = picture.convert("RGBA")
        flat = Image.alpha_composite(Image.new("RGBA", rgba.size, (ground,) * 3 + (255,)), rgba)
    grey = np.asarray(flat.convert("L"), dtype=np.float32) / 255
    return 1 - grey if ink == "dark" else grey


def has_alpha(picture: Image.Image) -> bool:
    """Whether the picture is transparent anywhere that matters."""
    if picture.mode not in ("RGBA", "LA"):
        return False
    low, _ = picture.convert("RGBA").getchannel("A").getextrema()
    return bool(isinstance(low, int | float) and low < 128)


def traced(amount: Array, threshold: float, smooth: float) -> shapely.MultiPolygon:
    """The region where ``amount`` (h, w) is above ``threshold``, in pixels, y up, origin lower left.

    ``smooth`` 0..1: how far curves may stray to lose the pixels' steps, up to 0.9 pixel.
    """
    height = amount.shape[0]
    framed = np.pad(amount, 1, constant_values=0.0)
    level = min(max(threshold, 1 / 512), 1 - 1 / 512)
    lines = contourpy.contour_generator(z=framed, name="serial").lines(level)
    rings = []
    for line in lines:
        points = np.asarray(line, dtype=float)
        if len(points) < 4 or np.abs(points[0] - points[-1]).max() > 1e-9:
            continue
        # pixel centres lie at whole numbers; the frame added one; rows run down
        points = np.stack([points[:-1, 0] - 0.5, height - (points[:-1, 1] - 0.5)], axis=1)
        if abs(signed_area(points)) < LEAST_AREA_PX:
            continue
        rings.append(points)
    count, size = len(rings), sum(len(ring) for ring in rings)
    if count > MOST_SHAPES or size > MOST_RING_POINTS:
        raise KilnError(
            f"The picture falls into {count:,} shapes of {size:,} points; at most {MOST_SHAPES:,} of "
            f"{MOST_RING_POINTS:,} can be traced. Clean or blur it, or choose another threshold."
        )
    return _nested([smoothed_ring(ring, smooth) for ring in rings])


def _nested(rings: list[Array]) -> shapely.MultiPolygon:
    """Level lines never cross: outer rings run one way round and holes the other."""
    if not rings:
        return shapely.MultiPolygon()
    plain = [shapely.Polygon(ring) for ring in rings if len(ring) >= 3]
    shapes = [shape if shape.is_valid else shape.buffer(0) for shape in plain]
    order = sorted((s for s in shapes if not s.is_empty), key=lambda s: -s.area)
    tree = shapely.STRtree(order)
    spots = [shape.representative_point() for shape in order]
    result: shapely.Geometry
    depth = np.zeros(len(order), dtype=int)
    inner, outer = tree.query(spots, predicate="within")
    for i, k in zip(inner.tolist(), outer.tolist(), strict=True):
        if i != k and order[k].area > order[i].area:
            depth[i] += 1
    solid: list[shapely.Geometry] = []
    for i, shape in enumerate(order):
        if depth[i] % 2:
            continue
        holes = [
            order[k]
            for k in tree.query(shape, predicate="intersects").tolist()
            if depth[k] == depth[i] + 1 and order[k].area < shape.area
        ]
        result = shapely.difference(shape, shapely.union_all(holes)) if holes else shape
        solid.append(result)
    return as_region(solid)


def smoothed_ring(ring: Array, smooth: float) -> Array:
    """A closed level line with its corners kept and the runs between them smoothed, (m, 2)."""
    if smooth <= 0:
        return ring
    steps = np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1)
    run = np.concatenate([[0.0], np.cumsum(steps)])
    count = max(int(run[-1] / 0.7), 12)
    even = np.linspace(0, run[-1], count, endpoint=False)
    closed = np.vstack([ring, ring[:1]])
    line = np.stack([np.interp(even, run, closed[:, i]) for i in range(2)], axis=1)
    pace = run[-1] / count
    reach = max(round(REACH_PX / pace), 2)
    if count < 4 * reach:
        return _eased(line, 2)
    corners = _corners(line, reach)
    passes = round(2 + 18 * smooth)
    if not len(corners):
        return _thinned(_eased(line, passes), smooth)
    pieces = []
    for start, stop in zip(corners, np.append(corners[1:], corners[0] + count), strict=True):
        piece = line[np.arange(start, stop + 1) % count]
        pieces.append(_eased_open(piece, passes)[:-1])
    return _thinned(np.concatenate(pieces), smooth)


def _corners(line: Array, reach: int) -> Array:
    into = line - np.roll(line, reach, axis=0)
    out = np.roll(line, -reach, axis=0) - line
    size = np.linalg.norm(into, axis=1) * np.linalg.norm(out, axis=1)
    cosine = np.einsum("ij,ij->i", into, out) / np.maximum(size, 1e-12)
    least = cosine.copy()
    for k in range(1, reach + 1):
        least = np.minimum(least, np.minimum(np.roll(cosine, k), np.roll(cosine, -k)))
    return np.flatnonzero((cosine < CORNER) & (cosine == least))


def _eased(line: Array, passes: int) -> Array:
    """A closed line averaged with its neighbours; each pass is followed by one that gives back what it
    took, so that curves keep their size (Taubin's lambda-mu smoothing)."""
    for _ in range(passes):
        for factor in (0.5, -0.53):
            line = line + factor * (0.5 * (np.roll(line, 1, axis=0) + np.roll(line, -1, axis=0)) - line)
    return line


def _eased_open(line: Array, passes: int) -> Array:
    line = line.copy()
    if len(line) < 4:
        return line
    for _ in range(passes):
        for factor in (0.5, -0.53):
            line[1:-1] += factor * (0.5 * (line[:-2] + line[2:]) - line[1:-1])
    return line


def _thinned(line: Array, smooth: float) -> Array:
    """Without points that say nothing (Douglas-Peucker, within a twentieth of a pixel)."""
    ring = shapely.simplify(shapely.LinearRing(line), 0.05 + 0.05 * smooth)
    return np.asarray(shapely.get_coordinates(ring)[:-1])
