"""Wear that follows the lettering: where edges stand proud and are rubbed, where dirt settles.

A side is drawn as a picture of heights; every place then knows its nearest edge, and whether it is above
or below it. What that makes of the sliders is a cover of its own: dirt, scratches, the rubbed ground.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from kilnchisel.core.colour import hex_to_linear
from kilnchisel.core.detail import Detail
from kilnchisel.core.easing import smooth_step
from kilnchisel.core.finishes.amounts import handled, scratches
from kilnchisel.core.finishes.material import MOST_COVERS, Amount, Cover, Material, Texture
from kilnchisel.core.finishes.noise import noise
from kilnchisel.core.job.finish import Wear
from kilnchisel.core.later import ndimage
from kilnchisel.core.lettering.polygons import polygons_in
from kilnchisel.core.remembered import remembered

Array = NDArray[Any]

TEXELS = 1280  # along a side's longer extent
QUICK = 320  # while something moves
DIRT = "#2a241c"
HOLDS_DIRT_MM = 0.08  # a lower step than that is wiped clean; common practice
NOISE_TILE_MM = 50.0


@dataclass(frozen=True, eq=False)
class Marked:
    """The edges of one side: how near a place is to an edge below which (``above``) or above which
    (``below``) it lies, 1 at the edge, (h, w) float32, row 0 below, over ``corner`` and ``size`` mm."""

    above: Array
    below: Array
    corner: tuple[float, float]
    size: tuple[float, float]


def marked(
    domain: shapely.Polygon,
    regions: Sequence[tuple[Any, float]],
    reach_mm: float,
    *,
    closed: bool,
    detail: Detail = Detail.FINE,
) -> Marked:
    """The edges of a side with these regions (polygons, height in mm), later ones on top.

    ``reach_mm``: how far from an edge its wear goes. ``closed``: the side comes round again.
    """
    left, low, right, high = domain.bounds
    size = (right - left, high - low)
    step = max(size) / (QUICK if detail.rough else TEXELS)
    columns, rows = (max(round(extent / step), 4) for extent in size)
    high_map = np.zeros((rows, columns), dtype=np.float32)
    per = np.array([columns / size[0], rows / size[1]])
    for region, height in regions:
        shifts = (-size[0], 0.0, size[0]) if closed else (0.0,)
        for shift in shifts:
            fill(high_map, region, (left - shift, low), per, height)
    mode = ("nearest", "wrap" if closed else "nearest")
    top, floor = (
        ndimage.maximum_filter(high_map, 3, mode=mode),
        ndimage.minimum_filter(high_map, 3, mode=mode),
    )
    if not (top > floor).any():
        none = np.zeros_like(high_map)
        return Marked(none, none, (left, low), size)
    pad = min(columns, round(3 * reach_mm / step) + 2) if closed else 0
    edge = np.pad(top > floor, ((0, 0), (pad, pad)), mode="wrap")
    far, (row, column) = ndimage.distance_transform_edt(~edge, return_indices=True)
    here = slice(pad, pad + columns)
    at = row[:, here], (column[:, here] - pad) % columns
    near = np.exp(-((far[:, here] * step / max(reach_mm, 1e-3 * step)) ** 2)).astype(np.float32)
    above = high_map > (top[at] + floor[at]) / 2
    clean = above | (top[at] - floor[at] < HOLDS_DIRT_MM)
    return Marked(np.where(above, near, 0.0), np.where(clean, 0.0, near), (left, low), size)


def fill(picture: Array, region: Any, origin: tuple[float, float], per: Array, value: float) -> None:
    """Draw a region's polygons into a picture (h, w), row 0 at ``origin``. ``per`` (2,): its pixels per
    unit along and across."""
    rows, columns = picture.shape
    for part in polygons_in(region):
        box = (np.array(part.bounds).reshape(2, 2) - origin) * per
        first = np.clip(np.floor(box[0]).astype(int), 0, (columns, rows))
        last = np.clip(np.ceil(box[1]).astype(int) + 1, 0, (columns, rows))
        wide, tall = (int(x) for x in last - first)
        if wide <= 0 or tall <= 0:
            continue
        sheet = Image.new("1", (wide, tall))
        pen = ImageDraw.Draw(sheet)
        for number, ring in enumerate((part.exterior, *part.interiors)):
            points = (shapely.get_coordinates(ring) - origin) * per - 0.5 - first
            pen.polygon([(float(x), float(y)) for x, y in points], fill=int(number == 0))
        picture[first[1] : last[1], first[0] : last[0]][np.asarray(sheet)] = value


def worn(material: Material, bare: Material, wear: Wear, marks: Marked | None) -> Material:
    """A material with its wear. ``bare``: what comes out where it is rubbed; ``marks``: the edges of the
    side it is on, None where it is on none."""
    if material.kind == "glass":
        return material  # it is wiped, and shows no wear from where it is looked at
    covers = list(material.covers)
    if wear.handled > 0 and takes_prints(material):
        covers.append(Cover(_greasy(material), handled(wear.handled, wear.seed)))
    plain = replace(bare, texture=None, covers=(), emission=(0.0, 0.0, 0.0))
    if wear.scratched > 0 and not material.shines:
        covers.append(Cover(_scratched(material, plain), scratches(wear.scratched, wear.seed)))
    if marks is not None and wear.dirt > 0:
        dirt = Material("matte", hex_to_linear(DIRT), 0.7)
        covers.append(Cover(dirt, _settled(marks, wear.dirt, wear.seed)))
    if marks is not None and wear.rubbed > 0:
        covers.append(Cover(plain, _rubbed(marks, wear.rubbed, wear.seed)))
    made = replace(material, covers=tuple(covers[-MOST_COVERS:]))
    if wear.noise > 0:
        texture = _noisy(made.texture, wear.noise, wear.seed)
        if made.texture is None and made.grain_deg:
            made = replace(made, grain_deg=0.0)
        made = replace(made, texture=texture)
    return made


GLOSSY = {"metal": 0.22, "coated": 0.12}  # roughness below which hands leave marks that are seen


def takes_prints(material: Material) -> bool:
    """Whether dust and fingers are seen on it."""
    return not material.shines and material.mean_alpha < GLOSSY.get(material.kind, 0.0)


def _greasy(material: Material) -> Material:
    """What a finger or dust makes of gloss: a metal dull, anything else a little paler and matt."""
    if material.kind == "metal":
        return replace(material, alpha=0.42, across=0.0, dullest=0.0, texture=None, covers=())
    r, g, b = (0.9 * c + 0.05 for c in material.albedo)
    return Material("matte", (r, g, b), 0.6)


def bare_of(material: Material, ground: Material | None = None) -> Material:
    """What is under a finish: of letters that lie on something (``ground``) that, of a metal the metal
    bright and without what has covered it, of anything else its own stuff, paler and duller."""
    if ground is not None and ground != material:
        return ground
    if material.kind == "metal":
        return replace(material, alpha=min(material.alpha, 0.12), across=0.0, dullest=0.0, covers=())
    r, g, b = (min(0.2 + 0.72 * c, 0.9) for c in material.albedo)
    return Material("matte" if material.kind == "matte" else "coated", (r, g, b), 0.5)


def _scratched(material: Material, bare: Material) -> Material:
    """The floor of a scratch: bright and blurred in metal, whitish in anything else."""
    if material.kind == "metal":
        r, g, b = material.base
        return Material("metal", (r, g, b), 0.34, metal_n=material.metal_n)
    r, g, b = (0.35 * c + 0.4 for c in bare.base)
    return Material("matte", (r, g, b), 0.6)


@remembered
def _grain(rows: int, columns: int, seed: int) -> Array:
    """Blotches over a side, (rows, columns), coming round at its ends."""
    size = 512
    tile = noise(size, 301 + 7 * seed, 3, 60, 1.0) + 0.6 * noise(size, 302 + 7 * seed, 30, 240, 0.4)
    v = np.arange(rows) % size
    # a whole number of tiles across, so that they meet where the side comes round
    u = (np.arange(columns) * max(round(columns / size), 1) * size / columns).astype(int) % size
    return np.asarray(tile[np.ix_(v, u)], dtype=np.float32)


@remembered
def _rubbed(marks: Marked, percent: float, seed: int) -> Amount:
    share = percent / 100
    push = 1.3 * marks.above + 0.3 * _grain(len(marks.above), marks.above.shape[1], seed)
    # all over what stands proud, a little is gone too
    values = smooth_step(push + 1.25 * share, 1.18, 1.62) * np.minimum(1, 4 * share + 0.2)
    values *= marks.above > 1e-4
    return Amount(values.astype(np.float32), marks.size, marks.corner, repeats=False)


@remembered
def _settled(marks: Marked, percent: float, seed: int) -> Amount:
    share = percent / 100
    push = 1.1 * marks.below + 0.22 * _grain(len(marks.below), marks.below.shape[1], seed + 1)
    values = 0.92 * smooth_step(push + 1.1 * share, 0.85, 1.75) * np.minimum(1, 2 * share + 0.25)
    values *= smooth_step(marks.below, 0.0, 0.12)
    return Amount(values.astype(np.float32), marks.size, marks.corner, repeats=False)


@remembered
def _noisy(texture: Texture | None, percent: float, seed: int) -> Texture:
    """A texture with ``percent`` of noise in its brightness (one deviation)."""
    base = texture or _even_texture()
    rows, columns = base.tint.shape[:2]
    if rows != columns or rows % 2:
        return base
    grain = noise(rows, 311 + seed, 2, rows / 2.2, 0.15)[..., None]
    tint = base.tint * np.clip(1 + percent / 100 * grain, 0.5, 1.5)
    return replace(base, tint=tint.astype(np.float32))


def _even_texture() -> Texture:
    """What noise is put on where a material has no texture."""
    flat = np.zeros((4, 4, 2), dtype=np.float32)
    return Texture(NOISE_TILE_MM, np.ones((512, 512, 3), dtype=np.float32), flat)
