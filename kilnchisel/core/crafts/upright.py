"""Letters that stand on a slope or on the ground: each upright on its own spot, held by posts behind."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.body import Sheet
from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.blanks.sides import Plane
from kilnchisel.core.blanks.tubes import prism
from kilnchisel.core.crafts.lettered import plates
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Standing
from kilnchisel.core.job.lettering import Lay
from kilnchisel.core.laying.laid import Laid, lay_outline
from kilnchisel.core.lettering.outline import Layer, Outline
from kilnchisel.core.lettering.polygons import as_region, polygons_in

Array = NDArray[Any]

UP = np.array([0.0, 0.0, 1.0])
POST_SHARE = 0.72  # of a letter's height: how far up its posts go
POST_WIDE = 0.055  # of a letter's height
SUNK = 0.16  # of a letter's height: how deep posts go into the ground
FRAME_IN, FRAME_HIGH = 0.1, 0.9  # of a letter's width and height: where a frame's uprights are, its top
RAILS = (0.22, 0.8)  # of a frame's height
STRUT = 0.55  # of it: how far behind a strut's foot is
SAMPLES = 5  # places under a letter where its ground is felt


def upright_parts(index: int, laid: Laid, craft: Standing, *, detail: Detail) -> tuple[Part, ...]:
    """The parts of letters that stand upright. Raises KilnError where the side is upright itself."""
    facing = laid.side.frames(laid.middle[None])[0, 2]
    if abs(facing[2]) < 0.05:
        raise KilnError("Letters stand free on a slope or on level ground; this side is upright.")
    name = f"{laid.side.name} lettering {index + 1}"
    parts: list[Part] = []
    flat_craft = craft.model_copy(update={"standoff_mm": 0.0})  # a letter's plane is its own back
    for number, (stood, layer, foot, copy) in enumerate(_stood(laid)):
        base, right = _ground_under(laid, stood, foot, copy)
        left, low, far, high = stood.bounds
        middle = (left + far) / 2
        plane = Plane(
            name,
            shapely.box(left - 1, low - 1, far + 1, high + 1),
            base + (craft.standoff_mm - foot) * UP - middle * right,
            right,
            UP,
            1e6,
        )
        flat = lay_outline(_alone(laid.outline, layer, stood), plane, Lay())
        solid = f"{name} letter {number + 1}"
        for front, rest, _ in plates(Sheet(plane, "blank"), index, flat, flat_craft, detail=detail):
            parts.append(Part(solid, "letters", index, None, front, layer, solid))
            parts.append(Part(f"{solid} returns", "return", index, None, rest, layer, solid))
        if craft.posts:
            tall = high - low
            held = (
                _frame(base, right, (left - middle, far - middle), tall, craft)
                if craft.held == "frame"
                else [_post(base, right, u - middle, tall, craft) for u in _post_places(stood)]
            )
            for which, post in enumerate(held):
                named = f"{solid} post {which + 1}"
                parts.append(Part(named, "support", index, None, post, layer, named))
    return tuple(parts)


def _stood(laid: Laid) -> list[tuple[Any, Layer, float, int]]:
    """Each letter's region, its layer, the height of the line that stands on the ground, and which copy."""
    found = []
    outline = laid.outline
    rows = outline.baselines_mm() if outline.stands else []
    for item in laid.layers:
        for region in _letters_of(outline, item.layer):
            low = region.bounds[1]
            # what hangs below its row's line goes into the ground
            line = min(rows, key=lambda y: abs(y - low)) if rows else low
            found += [(region, item.layer, line, copy) for copy in range(len(laid.placing.copies))]
    return found


def _letters_of(outline: Outline, layer: Layer) -> list[Any]:
    """The letters of a layer, or its parts where it has none; those that overlap stand as one."""
    parts = polygons_in(layer.region)
    letters = [letter.region for letter in outline.letters if not letter.region.is_empty]
    if not letters or layer.kind != "letters":
        return [as_region([part]) for part in parts]
    groups: dict[int, list[Any]] = {}
    points = [part.representative_point() for part in parts]
    for part, point in zip(parts, points, strict=True):
        owner = next((n for n, letter in enumerate(letters) if shapely.intersects(letter, point)), -1)
        groups.setdefault(owner if owner >= 0 else -1 - len(groups), []).append(part)
    return [as_region(group) for group in groups.values()]


def _alone(outline: Outline, layer: Layer, region: Any) -> Outline:
    """One letter as an outline of its own, where it was."""
    own = replace(layer, region=region)
    return replace(outline, letters=(), stands=(), layers=(own,), ink=region, bounds=region.bounds)


def _ground_under(laid: Laid, region: Any, foot: float, copy: int) -> tuple[Array, Array]:
    """Where a letter's middle stands, on the highest ground under it, and the level way to its right."""
    left, _, far, _ = region.bounds
    spots = np.stack([np.linspace(left, far, SAMPLES), np.full(SAMPLES, foot)], axis=1)
    places = laid.side.to_body(laid.placing.points(spots, copy), np.zeros(SAMPLES))
    middle = places[SAMPLES // 2].copy()
    middle[2] = places[:, 2].max()
    right = places[-1] - places[0]
    right[2] = 0.0
    return middle, right / max(float(np.linalg.norm(right)), 1e-9)


def _post_places(region: Any) -> list[float]:
    """Where posts stand behind a letter: at both sides of it, one behind a narrow one."""
    left, low, far, high = region.bounds
    wide = far - left
    if wide < 0.35 * (high - low):
        return [(left + far) / 2]
    return [left + 0.24 * wide, far - 0.24 * wide]


def _post(base: Array, right: Array, aside: float, tall: float, craft: Standing) -> Mesh:
    """A square post behind a letter, from deep in the ground to most of the way up."""
    out = np.cross(right, UP)
    wide = max(POST_WIDE * tall, 6.0)
    deep = SUNK * tall + 0.5 * abs(aside)  # the ground may fall away at its place
    half = wide / 2
    ring = np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    bottom = base + aside * right - half * out - deep * UP
    return prism(ring, bottom, out, right, deep + craft.standoff_mm + POST_SHARE * tall)


def _frame(
    base: Array, right: Array, ends: tuple[float, float], tall: float, craft: Standing
) -> list[Mesh]:
    """A frame as wide as its letter: two uprights in the ground, rails across them, a strut from the top of
    each back to a foot in the ground behind."""
    out = np.cross(right, UP)
    wide = max(0.7 * POST_WIDE * tall, 6.0)
    half = wide / 2
    ring = np.array([[-half, -half], [half, -half], [half, half], [-half, half]])
    sides = [ends[0] + FRAME_IN * (ends[1] - ends[0]), ends[1] - FRAME_IN * (ends[1] - ends[0])]
    if sides[1] - sides[0] < 2.5 * wide:
        sides = [sum(ends) / 2]
    top = craft.standoff_mm + FRAME_HIGH * tall
    found = []
    for aside in sides:
        deep = SUNK * tall + 0.5 * abs(aside)
        foot = base + aside * right - half * out
        found.append(prism(ring, foot - deep * UP, out, right, deep + top))
        back = foot - STRUT * top * out - deep * UP
        head = foot - half * out + 0.86 * top * UP
        found.append(_beam(back, head, right, 0.7 * half))
    if len(sides) > 1:
        for share in RAILS:
            start = base + sides[0] * right - (half + 0.01 * wide) * out + share * top * UP
            found.append(_beam(start, start + (sides[1] - sides[0]) * right, UP, 0.8 * half))
    return found


def _beam(start: Array, end: Array, side: Array, half: float) -> Mesh:
    """A square beam between two points; ``side``: a way across it."""
    way = (end - start) / np.linalg.norm(end - start)
    first = side - (side @ way) * way
    first /= np.linalg.norm(first)
    ring = half * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    return prism(ring, start, first, np.cross(way, first), float(np.linalg.norm(end - start)))
