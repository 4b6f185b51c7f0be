"""What an SVG says of each of its elements: attributes, style sheets, inheritance, lengths, colours.

Source: SVG 2, chapters 6 and 8; selectors and the order of rules by CSS.
"""

from __future__ import annotations

import contextlib
import re
from collections.abc import Iterator
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.lettering.drawings.sheet import SEEN, WHITE
from kilnchisel.core.units import MM_PER_INCH, POINT_MM

Array = NDArray[Any]
Style = dict[str, str]

SVG_SPACE = "{http://www.w3.org/2000/svg}"
XLINK = "{http://www.w3.org/1999/xlink}href"
PX_MM = MM_PER_INCH / 96  # CSS: a px is a 96th of an inch
UNITS_MM = {"mm": 1.0, "cm": 10.0, "in": MM_PER_INCH, "pt": POINT_MM, "pc": 12 * POINT_MM, "q": 0.25}
LENGTH = re.compile(
    r"^\s*([-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*(mm|cm|in|pt|pc|px|q|em|ex|rem|%)?\s*$", re.I
)
NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
URL = re.compile(r"^\s*url\(\s*['\"]?#([^'\")]+)['\"]?\s*\)\s*(.*)$")

INHERITED = {
    "fill": "black",
    "fill-rule": "nonzero",
    "fill-opacity": "1",
    "stroke": "none",
    "stroke-width": "1",
    "stroke-linecap": "butt",
    "stroke-linejoin": "miter",
    "stroke-miterlimit": "4",
    "stroke-dasharray": "none",
    "stroke-dashoffset": "0",
    "stroke-opacity": "1",
    "clip-rule": "nonzero",
    "color": "black",
    "visibility": "visible",
    "font-family": "",
    "font-size": "16",
    "font-weight": "400",
    "font-style": "normal",
    "text-anchor": "start",
    "letter-spacing": "normal",
    "paint-order": "normal",
    "marker-start": "none",
    "marker-mid": "none",
    "marker-end": "none",
}
OWN = (
    *("display", "opacity", "clip-path", "mask", "mask-type", "filter", "vector-effect", "overflow"),
    *("transform", "stop-color", "stop-opacity"),
)
SIZES = {
    "xx-small": 9,
    "x-small": 10,
    "small": 13,
    "medium": 16,
    "large": 18,
    "x-large": 24,
    "xx-large": 32,
}


class Paint(NamedTuple):
    """What a shape is filled or drawn with: red, green, blue (0 to 1), and how strong."""

    red: float
    green: float
    blue: float
    strength: float

    @property
    def seen(self) -> bool:
        return self.strength > SEEN

    @property
    def is_ink(self) -> bool:
        """White is paper."""
        return min(self.red, self.green, self.blue) < WHITE

    @property
    def light(self) -> float:
        """How much of it a mask lets through (SVG 2, luminance of linear coefficients)."""
        return (0.2125 * self.red + 0.7154 * self.green + 0.0721 * self.blue) * self.strength


BLACK = Paint(0.0, 0.0, 0.0, 1.0)


def tag_of(element: Any) -> str:
    """The name of an SVG element, empty for what is not one."""
    name = element.tag
    if not isinstance(name, str):
        return ""
    return name.removeprefix(SVG_SPACE) if name.startswith(SVG_SPACE) or "}" not in name else ""


def declared_in(root: Any) -> dict[Any, Style]:
    """What is said of each element by its attributes, then style sheets, then its own style."""
    import cssselect2
    import tinycss2

    matcher = cssselect2.Matcher()
    for selectors, said in _rules(root):
        with contextlib.suppress(cssselect2.SelectorError):
            for selector in cssselect2.compile_selector_list(selectors):
                matcher.add_selector(selector, said)
    declared = {}
    for wrapped in cssselect2.ElementWrapper.from_xml_root(root).iter_subtree():
        element = wrapped.etree_element
        plain = {name: element.get(name) for name in (*INHERITED, *OWN) if element.get(name) is not None}
        stressed: Style = {}
        for _, _, pseudo, said in matcher.match(wrapped):
            if pseudo is None:
                plain |= said[0]
                stressed |= said[1]
        own = _declarations(tinycss2.parse_blocks_contents(element.get("style") or ""))
        declared[element] = plain | own[0] | stressed | own[1]
    return declared


def _rules(root: Any) -> Iterator[tuple[Any, tuple[Style, Style]]]:
    """Selectors of the file's style sheets with what they say, plainly and with stress."""
    import tinycss2

    for element in root.iter():
        if tag_of(element) != "style" or element.get("media", "all") not in ("all", "screen", "print"):
            continue
        sheet = tinycss2.parse_stylesheet("".join(element.itertext()), skip_comments=True)
        for rule in sheet:
            if rule.type == "qualified-rule":
                yield rule.prelude, _declarations(tinycss2.parse_blocks_contents(rule.content))


def _declarations(parts: list[Any]) -> tuple[Style, Style]:
    """Properties that are said plainly, and those with stress."""
    import tinycss2

    plain: Style = {}
    stressed: Style = {}
    for part in parts:
        if part.type != "declaration":
            continue
        said = tinycss2.serialize(part.value).strip()
        into = stressed if part.important else plain
        name = part.lower_name
        for one in ("marker-start", "marker-mid", "marker-end") if name == "marker" else (name,):
            into[one] = said
    return plain, stressed


def inherited(style: Style, declared: Style) -> Style:
    """The style of an element in one of that style."""
    made = {name: value for name, value in style.items() if name in INHERITED}
    for name, value in declared.items():
        if name == "font-size":
            made[name] = f"{font_size(value, float(style['font-size'])):.9g}"
        elif value == "inherit":
            made[name] = style.get(name, "")
        elif name in INHERITED and value in ("initial", "unset"):
            made[name] = INHERITED[name] if value == "initial" else made[name]
        else:
            made[name] = value
    return made


def font_size(said: str, outer: float) -> float:
    """The size of a font in px, by the one around it."""
    if said in SIZES:
        return float(SIZES[said])
    if said in ("larger", "smaller"):
        return outer * (1.2 if said == "larger" else 1 / 1.2)
    return length(said, outer, outer, outer)


def length(said: str | None, whole: float, default: float, em: float = 16.0) -> float:
    """A length in px; ``whole``: what a percentage is of. What is no length counts as not said."""
    match = LENGTH.match(said or "")
    if match is None:
        return default
    value, unit = float(match.group(1)), (match.group(2) or "px").lower()
    if unit == "%":
        return value / 100 * whole
    if unit in ("em", "ex"):
        return value * em * (1.0 if unit == "em" else 0.5)
    if unit == "rem":
        return value * 16.0
    return value if unit == "px" else value * UNITS_MM[unit] / PX_MM


def share(said: str | None) -> float:
    """An opacity, 0 to 1."""
    return min(max(length(said, 1.0, 1.0), 0.0), 1.0)


def numbers(said: str | None) -> list[float]:
    """All numbers of an attribute."""
    return [float(found) for found in NUMBER.findall(said or "")]


def matrix_of(said: str | None) -> Array:
    """A transform as a matrix (2, 3); nothing where it is none."""
    from svgelements import Matrix

    if not said or said == "none":
        return EYE
    m = Matrix(said)
    with contextlib.suppress(AttributeError, ValueError):
        m.render(ppi=96, width=1.0, height=1.0)
    return np.array([[m.a, m.c, m.e], [m.b, m.d, m.f]], dtype=float)


EYE = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])


def shifted(x: float, y: float) -> Array:
    """A move as a matrix (2, 3)."""
    return np.array([[1.0, 0.0, x], [0.0, 1.0, y]])


def fitted(box: list[float], width: float, height: float, said: str | None) -> Array:
    """What brings a viewBox to a width and height (SVG 2, 8.2 and 8.6)."""
    if len(box) != 4 or min(box[2], box[3]) <= 0:
        return EYE
    along, up = width / box[2], height / box[3]
    words = (said or "xMidYMid meet").replace("defer ", "").split()
    align = words[0]
    if align == "none":
        return np.array([[along, 0.0, -box[0] * along], [0.0, up, -box[1] * up]])
    scale = max(along, up) if words[1:] == ["slice"] else min(along, up)
    free = (width - box[2] * scale, height - box[3] * scale)
    shares = {"min": 0.0, "mid": 0.5, "max": 1.0}
    x, y = (shares.get(part.lower(), 0.5) for part in (align[1:4], align[5:8]))
    return np.array(
        [[scale, 0.0, free[0] * x - box[0] * scale], [0.0, scale, free[1] * y - box[1] * scale]]
    )


def colour(said: str, current: str = "black", unknown: Paint | None = None) -> Paint | None:
    """A colour as it is written, None for none; ``unknown``: for what is no colour."""
    said = said.split("icc-color")[0].strip()  # a press's own inks may follow
    if said.lower() == "currentcolor":
        said = current
    if said in ("", "none"):
        return None
    return _parsed(said) or unknown


@lru_cache(maxsize=1024)
def _parsed(said: str) -> Paint | None:
    from tinycss2.color4 import parse_color

    made = parse_color(said)
    if made is None or isinstance(made, str):
        return None
    with contextlib.suppress(NotImplementedError):  # spaces that the library does not convert
        red, green, blue = (min(max(part or 0.0, 0.0), 1.0) for part in made.to("srgb").coordinates)
        return Paint(float(red), float(green), float(blue), float(made.alpha))
    return None
