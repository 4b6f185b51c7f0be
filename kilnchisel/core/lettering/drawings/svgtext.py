"""The words of an SVG: where each piece of them stands, in which face.

Source: SVG 2, chapter 11. Pieces that begin at a place of their own are anchored by themselves.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, NamedTuple

import shapely

from kilnchisel.core.lettering.drawings.sheet import TextOutline, Words, words_left_out
from kilnchisel.core.lettering.drawings.svgstyle import Style, length, tag_of

KEEPS_SPACES = "{http://www.w3.org/XML/1998/namespace}space"
TURNED = "Letters that are turned one by one stand upright."
ALONG = "Words along a path are left out; save them as outlines."
ANCHORS = {"start": 0.0, "middle": 0.5, "end": 1.0}


class Piece(NamedTuple):
    """Words in one face: their region where they stand, y down."""

    region: shapely.MultiPolygon


@dataclass(eq=False)
class _Letters:
    """Letters of one style in a row. ``x`` and ``y``: where they begin, None for where the last ended."""

    words: str
    place: Any
    x: float | None = None
    y: float | None = None
    dx: float = 0.0
    dy: float = 0.0


def pieces_of(
    element: Any,
    at: Any,
    styled: Callable[[Any, Any], Any],
    declared: dict[Any, Style],
    text: TextOutline,
    note: Callable[[str], None],
) -> Iterator[tuple[Piece, Any]]:
    """The pieces of a text with the place (its style) that each is drawn by. ``styled``: the place of what
    is in an element."""
    letters = _collapsed(list(_letters(element, at, styled, declared, note)), element)
    across = up = 0.0
    for chunk in _chunks(letters):
        across = across if chunk[0].x is None else chunk[0].x
        up = up if chunk[0].y is None else chunk[0].y
        start, made = across, []
        for part in chunk:
            across, up = across + part.dx, up + part.dy
            found, advance = _set(part, text, note)
            made += [(region, across + x, up, part.place) for region, x in found]
            across += advance
        anchor = ANCHORS.get(chunk[0].place.style["text-anchor"], 0.0)
        back = (across - start) * anchor
        across -= back
        for region, x, y, place in made:
            shift = (x - back, y)
            yield Piece(shapely.transform(region, lambda p, s=shift: p * (1, -1) + s)), place


def _letters(
    element: Any,
    at: Any,
    styled: Callable[[Any, Any], Any],
    declared: dict[Any, Style],
    note: Callable[[str], None],
) -> Iterator[_Letters]:
    """The letters of a text in their order, before spaces are seen to."""
    if element.get("rotate"):
        note(TURNED)
    lists = {name: _list(element.get(name), name, at) for name in ("x", "y", "dx", "dy")}
    yield from _own(element.text or "", lists, at)
    for child in element:
        tag = tag_of(child)
        if tag == "textPath":
            note(ALONG)
        elif tag in ("tspan", "a") and declared[child].get("display") != "none":
            begun = list(_letters(child, styled(child, at), styled, declared, note))
            if begun:  # what is said of the whole counts for its first letter where nothing else does
                for name in ("x", "y"):
                    if lists[name] and getattr(begun[0], name) is None:
                        setattr(begun[0], name, lists[name][0])
                for name in ("dx", "dy"):
                    if lists[name] and not child.get(name):
                        setattr(begun[0], name, lists[name][0])
                lists = {name: said[len("".join(b.words for b in begun)) :] for name, said in lists.items()}
            yield from begun
        yield from _own(child.tail or "", lists, at)


def _list(said: str | None, name: str, at: Any) -> list[float]:
    return [at.length(one, name[-1]) for one in re.split(r"[\s,]+", said or "") if one]


def _own(words: str, lists: dict[str, list[float]], at: Any) -> Iterator[_Letters]:
    """Words that stand in one element, parted where letters are placed one by one."""
    if not words:
        return
    alone = max([1, *(len(said) for said in lists.values())])  # letters that are placed by themselves
    if not words.strip() and alone == 1:
        yield _Letters(words, at)  # a space begins nothing
        return
    lead = len(words) - len(words.lstrip()) if alone == 1 else 0
    words = words[lead:]
    ends = [*range(1, min(alone, len(words))), len(words)]
    begin = 0
    if lead:
        yield _Letters(" ", at)
    for end in ends:
        made = _Letters(words[begin:end], at)
        for name, said in lists.items():
            if said:
                setattr(made, name, said.pop(0))
        yield made
        begin = end


def _collapsed(letters: list[_Letters], element: Any) -> list[_Letters]:
    """Spaces as they count: runs of them are one, none at either end, unless the file keeps them."""
    kept = element.get(KEEPS_SPACES) == "preserve"
    spaced = True
    for part in letters:
        part.words = re.sub(r"[\t\n\r]", " ", part.words)
        if not kept:
            part.words = re.sub(" +", " ", part.words)
            if spaced:
                part.words = part.words.removeprefix(" ")
            spaced = part.words.endswith(" ") if part.words else spaced
    full = [part for part in letters if part.words]
    if full and not kept:
        full[-1].words = full[-1].words.rstrip(" ")
    return [part for part in full if part.words]


def _chunks(letters: list[_Letters]) -> Iterator[list[_Letters]]:
    chunk: list[_Letters] = []
    for part in letters:
        if chunk and (part.x is not None or part.y is not None):
            yield chunk
            chunk = []
        chunk.append(part)
    if chunk:
        yield chunk


def _set(
    part: _Letters, text: TextOutline, note: Callable[[str], None]
) -> tuple[list[tuple[shapely.MultiPolygon, float]], float]:
    """Regions of letters with how far along each stands, and how far all of them advance."""
    style = part.place.style
    size = float(style["font-size"])
    apart = length(style["letter-spacing"], 0.0, 0.0, size)
    found, along = [], 0.0
    for words in part.words if apart else (part.words,):
        made = _in_its_face(words, style, text, size)
        if made is None:
            note(words_left_out(part.words, family_of(style)))
            return [], 0.0
        found.append((made.region, along))
        along += made.advance + apart
    return found, along


def family_of(style: Style) -> str:
    """The first face that is named."""
    return style["font-family"].split(",")[0].strip("'\" ")


def _in_its_face(words: str, style: Style, text: TextOutline, size: float) -> Words | None:
    weight = style["font-weight"]
    bold = weight in ("bold", "bolder") or (weight.isdigit() and int(weight) >= 600)
    slanted = style["font-style"] in ("italic", "oblique")
    cut = " ".join([*(["bold"] if bold else []), *(["italic"] if slanted else [])])
    for family in (name.strip("'\" ") for name in style["font-family"].split(",")):
        for name in (f"{family} {cut}", family) if cut else (family,):
            made = text(words, name, size)
            if made is not None:
                return made
    return None
