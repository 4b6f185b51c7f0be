"""Pages as PDF: real text in an embedded typeface, vectors, named plates, and a structure that can be read
aloud (tagged PDF, ISO 32000-1, 14.7 and 14.8).

Words in a script that the interface's typeface has no letters for are drawn as outlines in a shipped face
that has, with what they say beside them.
"""

from __future__ import annotations

import io
import math
from functools import cache
from typing import Any

import numpy as np
from fontTools.ttLib import TTFont

from kilnchisel.core.handover.paper.marks import Area, Block, Colour, Line, Mark, Page, Shown, Spot, Words
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.lettering.catalogue import faces_with
from kilnchisel.core.lettering.content import outline_of_content
from kilnchisel.core.lettering.polygons import rings_of
from kilnchisel.core.paths import RESOURCES
from kilnchisel.core.units import POINT_MM

LARGEST_MM = 14_400 * POINT_MM
INTERFACE_FONTS = RESOURCES / "interface-font"
FACES = {False: "Commissioner-400.ttf", True: "Commissioner-600.ttf"}
CAP_OF_SIZE = 0.7  # capitals of an outline in place of letters
JPEG_QUALITY = 92


def pdf_of(title: str, pages: list[Page]) -> bytes:
    """The pages as one PDF; the same bytes for the same pages."""
    from reportlab.pdfgen.canvas import Canvas

    _faces()
    file = io.BytesIO()
    canvas = Canvas(file, invariant=1, pageCompression=1)
    canvas.setTitle(title)
    canvas.setCreator("Kiln Chisel")
    canvas.setProducer("Kiln Chisel")
    sheets = [_Sheet(canvas, page) for page in pages]
    canvas.save()
    return _tagged(file.getvalue(), sheets)


@cache
def _faces() -> dict[bool, str]:
    """The names under which the two weights of the interface's typeface are known."""
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont as Embedded

    names = {bold: file.removesuffix(".ttf") for bold, file in FACES.items()}
    for bold, name in names.items():
        pdfmetrics.registerFont(Embedded(name, str(INTERFACE_FONTS / FACES[bold])))
    return names


@cache
def _known() -> frozenset[int]:
    return frozenset(TTFont(INTERFACE_FONTS / FACES[False]).getBestCmap())


def width_of(text: str, size_mm: float, *, bold: bool = False) -> float:
    """How wide words are, mm."""
    from reportlab.pdfbase.pdfmetrics import stringWidth

    if (rings := _as_rings(text)) is not None:
        return size_mm * rings[1]
    return float(stringWidth(text, _faces()[bold], size_mm))


@cache
def _as_rings(text: str) -> tuple[list[Any], float] | None:
    """Words as outlines, rings of size 1 and how wide; None where the typeface has all their letters."""
    if all(ord(letter) in _known() for letter in text):
        return None
    face = next(faces_with("".join(dict.fromkeys(text))), None) or next(
        faces_with("".join(dict.fromkeys(c for c in text if ord(c) not in _known()))), None
    )
    if face is None:
        return None
    outline = outline_of_content(Wording(text=text, face=face, cap_height_mm=10.0))
    if outline.ink.is_empty:
        return None
    left, _, right, _ = outline.ink.bounds
    scale = CAP_OF_SIZE / 10.0
    return [(ring - (left, 0.0)) * scale for ring in rings_of(outline.ink)], (right - left) * scale


class _Sheet:
    """One page being drawn; ``tree``: what is on it, as (tag, said, marked contents or parts)."""

    def __init__(self, canvas: Any, page: Page) -> None:
        self.canvas, self.marked = canvas, 0
        # a page has at most 14,400 units (ISO 32000-1, annex C): a larger one has larger units
        self.unit = max(1, math.ceil(max(page.wide_mm, page.tall_mm) / LARGEST_MM))
        point = POINT_MM * self.unit
        canvas.setPageSize((page.wide_mm / point, page.tall_mm / point))
        if page.trim is not None:
            left, low, right, high = page.trim
            more = page.bleed_mm
            canvas.setTrimBox([v / point for v in page.trim])
            canvas.setBleedBox([v / point for v in (left - more, low - more, right + more, high + more)])
        canvas.saveState()
        canvas.scale(1 / point, 1 / point)
        canvas.setLineCap(1)
        canvas.setLineJoin(1)
        self.tree = [one for block in page.blocks if (one := self._block(block)) is not None]
        canvas.restoreState()
        canvas.showPage()

    def _block(self, block: Block) -> Any:
        if not block.tag:
            self._said("/Artifact BMC", block.marks)
            return None
        held: list[Any] = []
        if block.marks:
            held.append(self.marked)
            self._said(f"/{block.tag} <</MCID {self.marked}>> BDC", block.marks)
            self.marked += 1
        held += [one for part in block.parts if (one := self._block(part)) is not None]
        return block.tag, block.said or _spoken(block.marks), held

    def _said(self, begin: str, marks: tuple[Mark, ...]) -> None:
        self.canvas._code.append(begin)
        for mark in marks:
            self._mark(mark)
        self.canvas._code.append("EMC")

    def _mark(self, mark: Mark) -> None:
        if isinstance(mark, Line):
            self._line(mark)
        elif isinstance(mark, Area):
            self._area(mark.rings, mark.colour)
        elif isinstance(mark, Words):
            self._words(mark)
        else:
            self._picture(mark)

    def _line(self, mark: Line) -> None:
        if len(mark.points) < 2:
            return
        self.canvas.setStrokeColor(_ink(mark.colour))
        self.canvas.setLineWidth(mark.width_mm)
        self.canvas.setDash(list(mark.dash)) if mark.dash else self.canvas.setDash()
        path = self.canvas.beginPath()
        _trace(path, mark.points, closed=mark.closed)
        self.canvas.drawPath(path, stroke=1, fill=0)

    def _area(self, rings: Any, colour: Colour) -> None:
        from reportlab.pdfgen.canvas import FILL_NON_ZERO

        self.canvas.setFillColor(_ink(colour))
        path = self.canvas.beginPath()
        for ring in rings:
            _trace(path, ring, closed=True)
        self.canvas.drawPath(path, stroke=0, fill=1, fillMode=FILL_NON_ZERO)

    def _words(self, mark: Words) -> None:
        if not mark.text:
            return
        self.canvas.saveState()
        self.canvas.translate(*mark.at)
        if mark.turn_deg:
            self.canvas.rotate(mark.turn_deg)
        wide = width_of(mark.text, mark.size_mm, bold=mark.bold)
        start = {"left": 0.0, "middle": -wide / 2, "right": -wide}[mark.align]
        drawn = _as_rings(mark.text)
        if drawn is not None:
            self._area([ring * mark.size_mm + (start, 0.0) for ring in drawn[0]], mark.colour)
        else:
            self.canvas.setFillColor(_ink(mark.colour))
            self.canvas.setFont(_faces()[mark.bold], mark.size_mm)
            self.canvas.drawString(start, 0.0, mark.text)
        self.canvas.restoreState()

    def _picture(self, mark: Shown) -> None:
        from PIL import Image
        from reportlab.lib.utils import ImageReader

        left, low, right, high = mark.box
        picture, file = Image.fromarray(mark.pixels), io.BytesIO()
        if mark.pixels.shape[-1] == 4:
            picture.save(file, "PNG")
        else:  # a photograph: a tenth of the bytes, and no difference that is seen
            picture.save(file, "JPEG", quality=JPEG_QUALITY, subsampling=0)
        self.canvas.drawImage(ImageReader(file), left, low, right - left, high - low, mask="auto")


def _trace(path: Any, points: Any, *, closed: bool) -> None:
    first, *rest = np.asarray(points).tolist()
    path.moveTo(*first)
    for point in rest:
        path.lineTo(*point)
    if closed:
        path.close()


@cache
def _ink(colour: Colour) -> Any:
    from reportlab.lib.colors import CMYKColorSep, HexColor

    shown = HexColor(colour.colour if isinstance(colour, Spot) else colour)
    if not isinstance(colour, Spot):
        return shown
    r, g, b = shown.rgb()
    black = 1 - max(r, g, b)  # the plate's look where it is only shown, by the plain inverse
    c, m, y = ((1 - v - black) / max(1 - black, 1e-9) for v in (r, g, b))
    return CMYKColorSep(c, m, y, black, spotName=colour.name)


def _spoken(marks: tuple[Mark, ...]) -> str:
    """What words drawn as outlines say."""
    drawn = [m for m in marks if isinstance(m, Words) and m.text and _as_rings(m.text) is not None]
    return " ".join(m.text for m in marks if isinstance(m, Words)) if drawn else ""


def _tagged(data: bytes, sheets: list[_Sheet]) -> bytes:
    """A PDF with the tree of its structure."""
    import pikepdf
    from pikepdf import Array, Dictionary, Name, String

    with pikepdf.open(io.BytesIO(data)) as pdf:
        root = pdf.make_indirect(Dictionary(Type=Name.StructTreeRoot, K=Array()))
        whole = pdf.make_indirect(Dictionary(Type=Name.StructElem, S=Name.Document, P=root, K=Array()))
        root.K.append(whole)
        numbers = Array()
        for number, (page, sheet) in enumerate(zip(pdf.pages, sheets, strict=True)):
            if sheet.unit > 1:
                page.obj.UserUnit = sheet.unit
            owners: dict[int, Any] = {}

            def grown(one: Any, parent: Any, page: Any = page, owners: dict[int, Any] = owners) -> Any:
                tag, said, held = one
                element = pdf.make_indirect(
                    Dictionary(Type=Name.StructElem, S=Name("/" + tag), P=parent, Pg=page.obj, K=Array())
                )
                if said:
                    element.Alt = String(said)
                for part in held:
                    if isinstance(part, int):
                        owners[part] = element
                        element.K.append(part)
                    else:
                        element.K.append(grown(part, element))
                return element

            for one in sheet.tree:
                whole.K.append(grown(one, whole))
            page.obj.StructParents = number
            page.obj.Tabs = Name.S
            numbers.append(number)
            numbers.append(pdf.make_indirect(Array([owners[i] for i in sorted(owners)])))
        root.ParentTree = pdf.make_indirect(Dictionary(Nums=numbers))
        root.ParentTreeNextKey = len(sheets)
        pdf.Root.StructTreeRoot = root
        pdf.Root.MarkInfo = Dictionary(Marked=True)
        pdf.Root.Lang = String("en")
        pdf.Root.ViewerPreferences = Dictionary(DisplayDocTitle=True)
        out = io.BytesIO()
        pdf.save(out, deterministic_id=True, min_version="1.6")
        return out.getvalue()
