"""A printer's sheet: what is printed on a side, flat at 1:1, with bleed, cut line, register marks, seam and
what is to be kept clear; as PDF with named plates, as SVG, over tiled pages, and as a clear picture."""

from __future__ import annotations

import io
from dataclasses import dataclass
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.build import laids_of
from kilnchisel.core.handover.paper.marks import (
    INK,
    Area,
    Block,
    Drawing,
    Line,
    Mark,
    Page,
    Placing,
    Spot,
    Words,
    circle,
)
from kilnchisel.core.handover.paper.pdf import pdf_of
from kilnchisel.core.handover.paper.sheets import SMALL_MM, Paper, broken
from kilnchisel.core.handover.paper.tiles import tiled
from kilnchisel.core.handover.plans import named_for
from kilnchisel.core.handover.sideviews import colour_of_layer, pictured
from kilnchisel.core.handover.vectors import coloured_svg
from kilnchisel.core.job.crafts import Printed
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import polygons_in, rings_of
from kilnchisel.core.shop.paths.flatwork import Work, bounds_of, die_cut, flat_work
from kilnchisel.core.units import MM_PER_INCH, format_length

Array = NDArray[Any]

BLEED_MM = 3.0  # common practice
MARGIN_MM = 12.0  # for marks and words
MARK_MM = 8.0
CAPTION_MM, CAPTION_LINES = 2.0, 2
CUT, GUIDE, WHITE = Spot("Cut line", "#d0006f"), Spot("Guide", "#1f7a74"), Spot("White", "#ffffff")
FINEST_PIXELS = 6000  # along a picture on a sheet
ONE_PAGE = 0.98  # of a paper's sheet: what is larger is tiled too


@dataclass(frozen=True, eq=False)
class Sheet:
    """What is printed on one side: ``inks`` with what bleeds and ``plain`` without, cut lines and guides,
    in flat mm; the box that it is trimmed to."""

    side: str
    inks: Drawing
    plain: Drawing
    lines: Drawing
    trim: tuple[float, float, float, float]
    words: str


def sheet_files(job: Job, paper: Paper, pixels: int) -> tuple[dict[str, bytes], str]:
    """The sheets of all printed sides, bytes by a file's name, and what they are in words. ``pixels``: of
    the clear picture, along its longer extent. Raises KilnError."""
    made: dict[str, bytes] = {}
    said = []
    sheets = sheets_of(job)
    for sheet in sheets:
        name = named_for("sheet", sheet.side, sheets)
        title = f"{job.name}, {sheet.side}: printer's sheet"
        made[f"{name}.pdf"] = pdf_of(title, [page_of(sheet, title)])
        both = Drawing({**sheet.inks.layers, **sheet.lines.layers})
        made[f"{name}.svg"] = coloured_svg(title, both, sheet.words)
        left, low, right, high = sheet.trim
        if right - left > ONE_PAGE * paper.wide_mm or high - low > ONE_PAGE * paper.tall_mm:
            bled = (left - BLEED_MM, low - BLEED_MM, right + BLEED_MM, high + BLEED_MM)
            made[f"{name}-tiled.pdf"] = pdf_of(title, tiled(both, paper, title, bled))
        made[f"{name}.png"] = clear_picture(sheet, pixels)
        said.append(sheet.words)
    return made, "; ".join(said)


def sheets_of(job: Job) -> list[Sheet]:
    """The printed sides of a job. Raises KilnError where nothing is printed on it."""
    works = flat_work(job, Printed)
    bounds_of(works)
    sides = dict.fromkeys(work.side for work in works)
    return [_sheet(job, side, [work for work in works if work.side == side]) for side in sides]


def _sheet(job: Job, side: str, works: list[Work]) -> Sheet:
    regions = [die_cut(work) for work in works]
    cut = shapely.union_all(regions)
    inks, plain, lines = Drawing(), Drawing(), Drawing()
    for name in ("white", "inks"):
        inks.add(name)
    for work, region in zip(works, regions, strict=True):
        craft = work.craft
        assert isinstance(craft, Printed)
        lettering = job.letterings[work.index]
        if craft.underprint or craft.carrier_mm > 0:
            inks.add("white", Area(tuple(rings_of(_bled(region, cut))), WHITE))
        if craft.carrier_mm > 0:
            inks.add("inks", Area(tuple(rings_of(_bled(region, cut))), craft.carrier_colour))
            plain.add("inks", Area(tuple(rings_of(region)), craft.carrier_colour))
        if work.layer.layer.raster is not None:
            for drawing in (inks, plain):
                drawing.add("inks", *_picture(job, work))
            continue
        colour = colour_of_layer(job, lettering, work.layer.layer)
        inks.add("inks", Area(tuple(rings_of(_bled(work.region, cut))), colour))
        plain.add("inks", Area(tuple(rings_of(work.region)), colour))
    for part in polygons_in(cut):
        for ring in (part.exterior, *part.interiors):
            lines.add("cut line", Line(shapely.get_coordinates(ring)[:-1], 0.1, CUT, closed=True))
    _guides(job, works, lines)
    left, low, right, high = cut.bounds
    size = f"{format_length(right - left, decimals=1)} by {format_length(high - low, decimals=1)}"
    words = f"{side} {size}, bleed {format_length(BLEED_MM)}, {works[0].flat.words}"
    return Sheet(side, inks, plain, lines, (left, low, right, high), words)


def _bled(region: Any, cut: Any) -> Any:
    """A region with what bleeds of it beyond the cut."""
    grown = shapely.difference(shapely.buffer(region, BLEED_MM, quad_segs=8), cut)
    return shapely.union_all([region, grown])


def _picture(job: Job, work: Work) -> list[Mark]:
    """Colour artwork where it lies, bent as its side's flat pattern is."""
    raster = work.layer.layer.raster
    assert raster is not None
    return [
        pictured(laid, work.region, raster, FINEST_PIXELS, work.flat.back)
        for laid in laids_of(job, work.index)
        if laid.lay.side == work.side
    ]


def _guides(job: Job, works: list[Work], lines: Drawing) -> None:
    """The side's border, its seam and what is to be kept clear, dotted."""
    laid = next(one for one in laids_of(job, works[0].index) if one.lay.side == works[0].side)
    flat = works[0].flat

    def dotted(shape: Any) -> None:
        for ring in rings_of(shapely.transform(flat.closely(shape), flat.points)):
            lines.add("guides", Line(ring, 0.15, GUIDE, (0.6, 1.2), closed=True))

    dotted(laid.side.domain)
    for zone in laid.side.clear:
        dotted(zone.area)
    if laid.seam_mm is not None:
        _, low, _, high = laid.side.domain.bounds
        ends = np.array([[laid.seam_mm, low], [laid.seam_mm, high]])
        lines.add("guides", Line(flat.points(ends), 0.15, GUIDE, (3.0, 1.0, 0.6, 1.0)))


def page_of(sheet: Sheet, title: str) -> Page:
    """One page at 1:1, with room for marks round what is trimmed and bleeds."""
    left, low, right, high = sheet.trim
    edge = BLEED_MM + MARGIN_MM
    to = Placing(shift=(edge - left, edge - low))
    wide, tall = right - left + 2 * edge, high - low + 2 * edge
    trim = (edge, edge, wide - edge, tall - edge)
    # guides reach beyond the page: what a printer needs of them is on it
    said = f"{title}: {sheet.words}."
    blocks = (
        Block("Figure", (*sheet.inks.marks(to), *sheet.lines.marks(to)), said=said),
        Block("", tuple(marks_round(trim))),
        Block("P", tuple(_caption(f"{title} · {sheet.words}", wide))),
    )
    return Page(wide, tall, blocks, trim, BLEED_MM)


def _caption(text: str, wide: float) -> list[Mark]:
    """What it is, in as many lines as there is room for at the foot."""
    lines = broken(text, wide - 2 * CAPTION_MM, SMALL_MM)[:CAPTION_LINES]
    low = CAPTION_MM + (len(lines) - 1) * 1.3 * SMALL_MM
    return [Words((CAPTION_MM, low - k * 1.3 * SMALL_MM), line, SMALL_MM) for k, line in enumerate(lines)]


def marks_round(trim: tuple[float, float, float, float]) -> list[Mark]:
    """Strokes where it is trimmed, and crosses that plates are laid on one another by."""
    left, low, right, high = trim
    found: list[Mark] = []
    away = BLEED_MM + 1.0
    for x in (left, right):
        for y, way in ((low, -1.0), (high, 1.0)):
            found.append(Line(np.array([[x, y + way * away], [x, y + way * (away + 5)]]), 0.1, INK))
    for y in (low, high):
        for x, way in ((left, -1.0), (right, 1.0)):
            found.append(Line(np.array([[x + way * away, y], [x + way * (away + 5), y]]), 0.1, INK))
    middle = ((left + right) / 2, (low + high) / 2)
    far = BLEED_MM + MARGIN_MM / 2
    for spot in (
        (left - far, middle[1]),
        (right + far, middle[1]),
        (middle[0], high + far),
    ):
        at, reach = np.array(spot), MARK_MM / 2
        found += [
            Line(at + np.array([[-reach, 0], [reach, 0]]), 0.1, INK),
            Line(at + np.array([[0, -reach], [0, reach]]), 0.1, INK),
            Line(circle(at, reach / 2), 0.1, INK, closed=True),
        ]
    return found


def clear_picture(sheet: Sheet, pixels: int) -> bytes:
    """The inks alone, without bleed, as PNG whose paper is clear, so many pixels along its longer side."""
    import pypdfium2

    left, low, right, high = sheet.trim
    page = Page(
        right - left,
        high - low,
        (Block("", sheet.plain.marks(Placing(shift=(-left, -low)))),),
    )
    opened = pypdfium2.PdfDocument(pdf_of("x", [page]))
    scale = pixels / max(opened[0].get_size())
    drawn = opened[0].render(scale=scale, fill_color=(0, 0, 0, 0), maybe_alpha=True).to_pil()
    file = io.BytesIO()
    inch = drawn.width / (right - left) * MM_PER_INCH
    drawn.save(file, "PNG", dpi=(inch, inch), compress_level=3)
    return file.getvalue()
