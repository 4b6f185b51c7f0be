"""Rules for lettering from published standards, each with a verdict on the lettering at hand.

A rule that does not apply is not listed. Figures are those of the named clauses; inches are exact.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import shapely

from kilnchisel.core.job.crafts import Raised
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.arranging import is_straight
from kilnchisel.core.lettering.measures import proportions_of
from kilnchisel.core.lettering.outline import Outline
from kilnchisel.core.lettering.strokes import stroke_range_mm
from kilnchisel.core.units import MM_PER_INCH as INCH
from kilnchisel.core.units import format_length, format_number

SLACK = 1e-6
NEAR_SHARE = 0.06  # ISO 3098 and plates state sizes without a tolerance: our own

ADA = "ADA 2010, 703."
NFPA = "NFPA 101, 7.10.6.1"
UK = "UK SI 2001/561"
BOAT = "33 CFR 173.27"
AIR = "14 CFR 45.29"


@dataclass(frozen=True)
class Rule:
    """A rule's verdict: a stable key, whether it holds, a sentence, and where the rule stands."""

    key: str
    holds: bool
    says: str
    source: str


@dataclass(frozen=True, eq=False)
class Measured:
    """A lettering's own measures, mm and shares of the capital height."""

    lettering: Lettering
    wording: Wording
    outline: Outline
    cap: float
    stroke: tuple[float, float] | None
    gaps: tuple[float, ...]
    i_stroke: float | None
    o_width: float | None
    x_height: float | None

    def widths(self, but: str) -> list[float]:
        """The width of every letter that is not one of ``but``, mm."""
        boxes = [x.region.bounds for x in self.outline.letters if x.character not in but]
        return [right - left for left, _, right, _ in boxes]

    @property
    def rows(self) -> int:
        return len([row for row in self.wording.text.split("\n") if row.strip()])


def measured_for_rules(lettering: Lettering, laid: Laid) -> Measured | None:
    """The measures that rules ask for, None where there are no letters."""
    wording, outline = lettering.content, laid.outline
    if not isinstance(wording, Wording) or outline.face is None or outline.ink.is_empty:
        return None
    shape = proportions_of(outline.face)
    wide = outline.width / 100
    i_stroke = shape.i_stroke * wide if shape.i_stroke is not None else None
    if wording.by_lines:
        i_stroke = wording.pen_mm / outline.cap_height_mm
    elif i_stroke is not None:
        i_stroke += 2 * wording.thicken_mm / outline.cap_height_mm
    return Measured(
        lettering,
        wording,
        outline,
        outline.cap_height_mm,
        stroke_range_mm(outline),
        letter_gaps(outline),
        i_stroke,
        shape.o_width * wide if shape.o_width is not None else None,
        shape.x_height,
    )


def letter_gaps(outline: Outline) -> tuple[float, ...]:
    """The white between neighbouring letters of a word, mm, between their closest points."""
    by_letter: dict[tuple[int, int], list[shapely.MultiPolygon]] = {}
    for letter in outline.letters:
        by_letter.setdefault((letter.row, letter.at), []).append(letter.region)
    places = sorted(by_letter)
    gaps = []
    for (row, at), (next_row, next_at) in itertools.pairwise(places):
        if row == next_row and next_at == at + 1:
            one, two = (shapely.union_all(by_letter[key]) for key in ((row, at), (next_row, next_at)))
            gaps.append(float(shapely.distance(one, two)))
    return tuple(gaps)


def rules_for(lettering: Lettering, laid: Laid) -> list[Rule]:
    """The verdicts of the standard chosen for a lettering; none without one."""
    measured = measured_for_rules(lettering, laid)
    if measured is None or measured.wording.standard == "none":
        return []
    return [rule for rule in _STANDARDS[measured.wording.standard](measured) if rule is not None]


Rules = list[Rule | None]


def _between(
    key: str, words: str, value: float | None, least: float, most: float, unit: str, source: str
) -> Rule | None:
    """A rule on one figure with a range; None where the figure is not known."""
    if value is None:
        return None
    holds = least - SLACK <= value <= most + SLACK
    shown = _figure(value, unit)
    if most == np.inf:
        wanted = f"at least {_figure(least, unit)}"
    elif least <= 0:
        wanted = f"at most {_figure(most, unit)}"
    else:
        wanted = f"{_figure(least, unit)} to {_figure(most, unit)}"
    return Rule(key, holds, f"{words} {shown}; the rule is {wanted}.", source)


def _figure(value: float, unit: str) -> str:
    return format_length(value) if unit == "mm" else f"{format_number(100 * value, 1)} %"


def _row_spacing(m: Measured, source: str) -> Rule | None:
    if m.rows < 2 or not is_straight(m.wording):
        return None
    return _between("rows", "Rows stand at", m.wording.row_spacing / 100, 1.35, 1.70, "%", source)


def _plain_style(m: Measured, source: str) -> Rule:
    face = m.outline.face
    assert face is not None
    upright = m.wording.slant_deg == 0 and "italic" not in face.style.lower()
    words = "Letters are upright." if upright else "Letters lean; the rule asks for upright ones."
    return Rule("upright", upright, words, source)


def _tactile(m: Measured) -> Rules:
    craft = m.lettering.craft
    height = craft.height_mm if isinstance(craft, Raised) else 0.0
    capitals = not any(c.islower() for c in m.wording.text)
    rules: Rules = [
        _between("raised", "Letters are raised", height, INCH / 32, np.inf, "mm", ADA + "2.1"),
        Rule(
            "case",
            capitals,
            "All letters are capitals."
            if capitals
            else "There are small letters; the rule asks for capitals.",
            ADA + "2.2",
        ),
        _sans(m),
        _plain_style(m, ADA + "2.3"),
        _between("o_width", "The O is as wide as", m.o_width, 0.55, 1.10, "%", ADA + "2.4"),
        _between("height", "Capitals measure", m.cap, 0.625 * INCH, 2 * INCH, "mm", ADA + "2.5"),
        _between("stroke", "The stroke of the I is", m.i_stroke, 0.0, 0.15, "%", ADA + "2.6"),
    ]
    if m.gaps and m.i_stroke is not None:
        most = 4 * m.i_stroke * m.cap
        rules.append(
            _between(
                "gap", "The closest letters are apart", min(m.gaps), INCH / 8, np.inf, "mm", ADA + "2.7"
            )
        )
        rules.append(_between("wide_gap", "The widest gap is", max(m.gaps), 0.0, most, "mm", ADA + "2.7"))
    rules.append(_row_spacing(m, ADA + "2.8"))
    if m.wording.contour is not None:
        rules.append(
            _between(
                "border",
                "The line round them is away",
                m.wording.contour.distance_mm,
                0.375 * INCH,
                np.inf,
                "mm",
                ADA + "2.7",
            )
        )
    return rules


def _sans(m: Measured) -> Rule | None:
    """Sans serif, told by the I: a bare stem is as wide as its stroke."""
    face, stroke = m.outline.face, m.i_stroke
    if face is None or stroke is None or not face.has("I") or m.wording.by_lines:
        return None
    glyph = face.font.get_nominal_glyph(ord("I"))
    extents = face.font.get_glyph_extents(glyph) if glyph else None
    if extents is None or extents.height == 0:
        return None
    bare = extents.width / abs(extents.height) < 1.5 * stroke
    words = "The face is without serifs." if bare else "The face has serifs; the rule asks for none."
    return Rule("sans", bare, words, ADA + "2.3")


def _by_eye(m: Measured) -> Rules:
    rules: Rules = [
        _plain_style(m, ADA + "5.3"),
        _between("o_width", "The O is as wide as", m.o_width, 0.55, 1.10, "%", ADA + "5.4"),
        _between(
            "height",
            "Capitals measure",
            m.cap,
            0.625 * INCH,
            np.inf,
            "mm",
            ADA + "5.5, eye level up to 6 ft",
        ),
        _between("stroke", "The stroke of the I is", m.i_stroke, 0.10, 0.30, "%", ADA + "5.7"),
    ]
    if m.gaps:
        rules.append(
            _between(
                "gap", "The closest letters are apart", min(m.gaps) / m.cap, 0.10, np.inf, "%", ADA + "5.8"
            )
        )
        rules.append(
            _between("wide_gap", "The widest gap is", max(m.gaps) / m.cap, 0.0, 0.35, "%", ADA + "5.8")
        )
    rules.append(_row_spacing(m, ADA + "5.9"))
    return rules


def _exit(m: Measured) -> Rules:
    rules: Rules = [_between("height", "Letters measure", m.cap, 6 * INCH, np.inf, "mm", NFPA)]
    if m.stroke is not None:
        rules.append(
            _between("stroke", "The thinnest stroke is", m.stroke[0], 0.75 * INCH, np.inf, "mm", NFPA)
        )
    widths = m.widths("Ii")
    if widths:
        rules.append(
            _between("width", "The narrowest letter is", min(widths), 2 * INCH, np.inf, "mm", NFPA)
        )
    if m.gaps:
        rules.append(
            _between("gap", "The closest letters are apart", min(m.gaps), 0.375 * INCH, np.inf, "mm", NFPA)
        )
    return rules


ISO_HEIGHTS = (1.8, 2.5, 3.5, 5.0, 7.0, 10.0, 14.0, 20.0)


def _iso(kind: str) -> Callable[[Measured], Rules]:
    parts = 14 if kind == "A" else 10
    source = f"ISO 3098-1, type {kind}"
    small = (10 if kind == "A" else 7) / parts

    def near(share: float) -> tuple[float, float]:
        return share * (1 - NEAR_SHARE), share * (1 + NEAR_SHARE)

    def rules(m: Measured) -> Rules:
        fits = any(abs(m.cap - height) < 0.005 for height in ISO_HEIGHTS)
        sizes = ", ".join(format_number(height) for height in ISO_HEIGHTS)
        stroke = m.stroke[1] / m.cap if m.stroke else None
        least_gap = min(m.gaps) / m.cap if m.gaps else None
        found: Rules = [
            Rule(
                "height",
                fits,
                f"Capitals measure {format_length(m.cap)}; the sizes are {sizes} mm.",
                source,
            ),
            _between("stroke", "Strokes are", stroke, *near(1 / parts), "%", source),
            _between("x_height", "Small letters are as high as", m.x_height, *near(small), "%", source),
            _between("gap", "The closest letters are apart", least_gap, 1 / parts, np.inf, "%", source),
        ]
        if m.rows > 1:
            least = (17 if kind == "A" else 13) / parts
            found.append(
                _between("rows", "Rows stand at", m.wording.row_spacing / 100, least, np.inf, "%", source)
            )
        return found

    return rules


def _uk_plate(m: Measured) -> Rules:
    stroke = m.stroke[1] if m.stroke else None
    rules: Rules = [
        _between("height", "Characters are high", m.cap, 79.0 - 0.5, 79.0 + 0.5, "mm", UK),
        _between("stroke", "Strokes are", stroke, 14.0 - 0.5, 14.0 + 0.5, "mm", UK),
    ]
    widths = m.widths("I1")
    if widths:
        rules.append(_between("width", "The widest character is", max(widths), 0.0, 50.5, "mm", UK))
    if m.gaps:
        rules.append(
            _between("gap", "The closest characters are apart", min(m.gaps), 10.5, np.inf, "mm", UK)
        )
    return rules


def _boat(m: Measured) -> Rules:
    return [
        _between("height", "Characters are high", m.cap, 3 * INCH, np.inf, "mm", BOAT),
        _plain_style(m, BOAT),
    ]


def _aircraft(m: Measured) -> Rules:
    stroke = m.stroke[1] / m.cap if m.stroke else None
    rules: Rules = [
        _between("height", "Characters are high", m.cap, 12 * INCH, np.inf, "mm", AIR),
        _between("stroke", "Strokes are", stroke, (1 - NEAR_SHARE) / 6, (1 + NEAR_SHARE) / 6, "%", AIR),
    ]
    widths = [width / m.cap for width in m.widths("I1MW")]
    if widths:
        share = 2 / 3
        rules.append(
            _between(
                "width", "The widest character is", max(widths), 0.0, share * (1 + NEAR_SHARE), "%", AIR
            )
        )
        if m.gaps:
            rules.append(
                _between(
                    "gap", "The closest are apart", min(m.gaps) / m.cap, min(widths) / 4, np.inf, "%", AIR
                )
            )
    return rules


_STANDARDS: dict[str, Callable[[Measured], Rules]] = {
    "tactile sign": _tactile,
    "sign read by eye": _by_eye,
    "exit sign": _exit,
    "ISO 3098 type A": _iso("A"),
    "ISO 3098 type B": _iso("B"),
    "UK number plate": _uk_plate,
    "boat number": _boat,
    "aircraft mark": _aircraft,
}
