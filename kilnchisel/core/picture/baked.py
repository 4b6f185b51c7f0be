"""A side's surface as maps on its own sheet: colour, roughness, metal, height, normal, light, and which
part is there, at every texel.

The scene's own meshes are drawn straight on to the sheet, the highest on top, their normals against the
side's; every texel then asks its material as the pictures do: tint, relief and dullness of its texture,
grain turned, wear over it. It is done in bands, so that maps of any size take little more than themselves.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.finishes.material import MOST_COVERS, Material, Texture, cover_matrix, texture_matrix
from kilnchisel.core.later import compiled
from kilnchisel.core.scene.items import Item

Array = NDArray[Any]
Stop = Callable[[], bool]

BAND = 512
WORKERS = 2
MATT = 1.0  # roughness of what has no gloss
LEAST_FACING = 0.02  # of a face's own normal along the side's
COLUMNS = 9  # of a material: base, rough, dullest, metal, emission


@dataclass(frozen=True, eq=False)
class Laying:
    """One item on a sheet: where its points lie there (n, 2) mm, how high (n,) mm, and their normals in the
    side's frame (n, 3); which of its faces lie over the sheet (m, 3). ``part``: a number of one's own.
    ``turn`` (n, 4): what brings directions of its own uv to the sheet's, row by row; None where they are
    the same."""

    item: Item
    sheet: Array
    height: Array
    normal: Array
    faces: Array
    part: int
    turn: Array | None = None


@dataclass(eq=False)
class Maps:
    """The maps of a sheet, row 0 the highest: colour (h, w, 3) linear float16; roughness and metal (h, w)
    uint8 of 255; height (h, w) float32 mm; normal (h, w, 3) int16 of 32767, right, up and out; emission
    (h, w, 3) float16, or None where nothing shines; part (h, w) int16, -1 where nothing is. ``corner``: the
    sheet's lower left; ``step``: mm a texel."""

    corner: tuple[float, float]
    step: float
    shape: tuple[int, int]
    colour: Array = field(init=False)
    roughness: Array = field(init=False)
    metal: Array = field(init=False)
    height: Array = field(init=False)
    normal: Array = field(init=False)
    part: Array = field(init=False)
    emission: Array | None = None
    finer: Array | None = None  # the parts at twice as many texels each way, where they are known so

    def share(self, table: Array, at: slice) -> Array:
        """How much of the texels of some rows is of parts for which ``table`` has 1, (n, w); its last is of
        what is nothing."""
        if self.finer is None:
            return np.asarray(table[self.part[at]])
        four = table[self.finer[2 * at.start : 2 * at.stop]]
        return np.asarray((four[::2, ::2] + four[1::2, ::2] + four[::2, 1::2] + four[1::2, 1::2]) / 4)

    def __post_init__(self) -> None:
        rows, columns = self.shape
        self.colour = np.zeros((rows, columns, 3), np.float16)
        self.roughness, self.metal = (np.zeros((rows, columns), np.uint8) for _ in range(2))
        self.height = np.zeros((rows, columns), np.float32)
        self.normal = np.zeros((rows, columns, 3), np.int16)
        self.part = np.full((rows, columns), -1, np.int16)


def laid_on(item: Item, side: Side, part: int, sheet: Array | None = None) -> Laying:
    """An item over a side's sheet. ``sheet``: where its points lie there, its uv where that says so."""
    sheet = item.mesh.uv if sheet is None else sheet
    foot = side.to_body(sheet, np.zeros(len(sheet)))
    frames = side.frames(sheet)
    height = np.einsum("nk,nk->n", item.mesh.points - foot, frames[:, 2])
    normal = np.einsum("nik,nk->ni", frames, item.mesh.normals)
    # walls stand upright on the sheet, and their uv go on along them: they are none of its maps
    corners = item.mesh.points[item.mesh.faces]
    across = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.maximum(np.linalg.norm(across, axis=1), 1e-12)
    faced = np.einsum("nk,nk->n", across, frames[item.mesh.faces[:, 0], 2]) / size
    return Laying(item, sheet, height, normal, item.mesh.faces[faced > LEAST_FACING], part)


def baked(
    layings: Sequence[Laying],
    box: tuple[float, float, float, float],
    longest: int,
    period: float | None = None,
    *,
    relief: bool = True,
    smooth: bool = False,
    stop: Stop = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
) -> Maps | None:
    """The maps over a box (left, low, right, high) mm with so many texels along its longer extent, square
    ones; None when stopped. ``relief``: the normals have the form that was crafted, not only what is finer;
    ``smooth``: each texel is the mean of four, so that edges are."""
    left, low, right, high = box
    step = max(right - left, high - low) / longest
    columns, rows = max(round((right - left) / step), 1), max(round((high - low) / step), 1)
    maps = Maps((left, low), step, (rows, columns))
    times = 2 if smooth else 1
    if any(one.item.material.shines for one in layings):
        maps.emission = np.zeros((rows, columns, 3), np.float16)
    if smooth:
        maps.finer = np.full((2 * rows, 2 * columns), -1, np.int16)
    table = _table([one.item.material for one in layings], step / times)
    drawn = _triangles(layings, box, step / times, times * rows, period)
    parts = np.array([one.part for one in layings] or [0], np.int16)
    bands = range(0, rows, BAND // times)
    done = 0

    def band(first: int) -> None:
        at = slice(first, min(first + BAND // times, rows))
        count, wide = times * (at.stop - first), times * columns
        here = np.full((count, wide), -1, np.int32)
        values = np.zeros((count, wide, drawn[1].shape[1]), np.float32)
        made = np.zeros((count, wide, 6), np.float32)
        _draw(times * first, here, values, *drawn)
        whole = (maps.roughness[at], maps.metal[at], maps.height[at], maps.normal[at], maps.part[at])
        if maps.finer is None:
            _paint(here, values, relief, parts, table, made, whole)
        else:
            finer = maps.finer[times * first : times * at.stop]
            more = tuple(np.zeros((count, wide, *one.shape[2:]), one.dtype) for one in whole[:4])
            _paint(here, values, relief, parts, table, made, (*more, finer))
            fine, made = made, np.zeros((at.stop - first, columns, 6), np.float32)
            _halve(fine, (*more, finer), made, whole)
        maps.colour[at] = made[..., :3]
        if maps.emission is not None:
            maps.emission[at] = made[..., 3:]

    with ThreadPoolExecutor(WORKERS) as pool:
        for group in range(0, len(bands), WORKERS):
            if stop():
                return None
            list(pool.map(band, bands[group : group + WORKERS]))
            done += WORKERS
            progress(min(done / len(bands), 1.0))
    return maps


@compiled(nogil=True, cache=True)
def _halve(made: Array, whole: tuple[Array, ...], out: Array, less: tuple[Array, ...]) -> None:
    """Half as many texels each way, each the mean of those of four that are something; the part that of
    the later half of them."""
    roughness, metal, height, normal, part = whole
    rough_out, metal_out, height_out, normal_out, part_out = less
    rows, columns = part_out.shape
    four = np.empty(4, np.int64)
    for j in range(rows):
        for i in range(columns):
            count, rough, shiny, high = 0, 0.0, 0.0, 0.0
            x, y, z = 0.0, 0.0, 0.0
            for m in range(6):
                out[j, i, m] = 0.0
            for k in range(4):
                r, c = 2 * j + k // 2, 2 * i + k % 2
                four[k] = part[r, c]
                if part[r, c] < 0:
                    continue
                count += 1
                rough, shiny, high = rough + roughness[r, c], shiny + metal[r, c], high + height[r, c]
                x, y, z = x + normal[r, c, 0], y + normal[r, c, 1], z + normal[r, c, 2]
                for m in range(6):
                    out[j, i, m] += made[r, c, m]
            part_out[j, i] = np.sort(four)[2]
            if count == 0:
                continue
            for m in range(6):
                out[j, i, m] /= count
            rough_out[j, i], metal_out[j, i] = round(rough / count), round(shiny / count)
            height_out[j, i] = high / count
            size = max(np.sqrt(x * x + y * y + z * z), 1.0) / 32767
            normal_out[j, i, 0], normal_out[j, i, 1] = round(x / size), round(y / size)
            normal_out[j, i, 2] = round(z / size)


def _triangles(
    layings: Sequence[Laying],
    box: tuple[float, float, float, float],
    step: float,
    rows: int,
    period: float | None,
) -> tuple[Array, Array, Array, Array]:
    """All triangles in texels, y down: places (n, 2), what is drawn with them (n, 6 or 10): height, normal,
    uv, turn; faces (m, 3) and the laying of each (m,). What lies over the seam of a closed side is there
    twice."""
    left, low, right, _ = box
    places, values, faces, owners = [], [], [], []
    start = 0
    for number, one in enumerate(layings):
        mesh = one.item.mesh
        if len(one.faces) == 0:
            continue
        u, v = one.sheet[:, 0], one.sheet[:, 1]
        turns = [0.0]
        if period is not None:
            turns = [
                k * period
                for k in (-1, 0, 1)
                if u.max() + k * period > left and u.min() + k * period < right
            ]
        for turn in turns:
            places.append(np.stack([(u + turn - left) / step - 0.5, rows - 0.5 - (v - low) / step], axis=1))
            more = () if one.turn is None else (one.turn,)
            values.append(np.column_stack([one.height, one.normal, mesh.uv, *more]))
            faces.append(one.faces.astype(np.int64) + start)
            owners.append(np.full(len(one.faces), number, np.int32))
            start += len(u)
    if not places:
        empty = np.zeros((0, 2))
        return empty, np.zeros((0, 6), np.float32), np.zeros((0, 3), np.int64), np.zeros(0, np.int32)
    return (
        np.concatenate(places),
        np.concatenate(values).astype(np.float32),
        np.concatenate(faces),
        np.concatenate(owners),
    )


@compiled(nogil=True, cache=True)
def _draw(
    first: int, here: Array, values: Array, places: Array, drawn: Array, faces: Array, owners: Array
) -> None:
    """Draw triangles into a band of rows from ``first``: whose is on top, and its values there."""
    rows, columns = here.shape
    for k in range(len(faces)):
        ia, ib, ic = faces[k, 0], faces[k, 1], faces[k, 2]
        ax, ay = places[ia, 0], places[ia, 1] - first
        bx, by = places[ib, 0], places[ib, 1] - first
        cx, cy = places[ic, 0], places[ic, 1] - first
        top = max(int(np.ceil(min(ay, by, cy) - 1e-6)), 0)
        end = min(int(np.floor(max(ay, by, cy) + 1e-6)), rows - 1)
        if top > end:
            continue
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if abs(area) < 1e-10:
            continue
        for j in range(top, end + 1):
            # only what of the row is in it: those of large polygons are long and thin
            least, most = 1e30, -1e30
            for px, py, qx, qy in ((ax, ay, bx, by), (bx, by, cx, cy), (cx, cy, ax, ay)):
                if min(py, qy) - 1e-6 <= j <= max(py, qy) + 1e-6:
                    if abs(qy - py) < 1e-9:
                        least, most = min(least, px, qx), max(most, px, qx)
                    else:
                        at = px + (min(max((j - py) / (qy - py), 0.0), 1.0)) * (qx - px)
                        least, most = min(least, at), max(most, at)
            begin, last = max(int(np.ceil(least - 1e-6)), 0), min(int(np.floor(most + 1e-6)), columns - 1)
            for i in range(begin, last + 1):
                p = ((bx - i) * (cy - j) - (cx - i) * (by - j)) / area
                q = ((cx - i) * (ay - j) - (ax - i) * (cy - j)) / area
                r = 1.0 - p - q
                if p < -1e-6 or q < -1e-6 or r < -1e-6:
                    continue
                high = p * drawn[ia, 0] + q * drawn[ib, 0] + r * drawn[ic, 0]
                if here[j, i] >= 0 and high < values[j, i, 0] - 1e-6:
                    continue
                here[j, i] = owners[k]
                for n in range(6):
                    values[j, i, n] = p * drawn[ia, n] + q * drawn[ib, n] + r * drawn[ic, n]
                for n in range(6, drawn.shape[1]):
                    values[j, i, n] = p * drawn[ia, n] + q * drawn[ib, n] + r * drawn[ic, n]


def _table(materials: Sequence[Material], step: float) -> tuple[Array, ...]:
    """Materials as arrays: numbers (k, COLUMNS), texture matrices (k, 2, 2), grain (k, 2), which pictures
    are their tint, slope and dullness (k, 3), which covers they have (k, 4); of covers their numbers
    (c, COLUMNS), matrices (c, 3, 2), which picture and whether it repeats (c, 2); then all pixels, and of
    each picture where it begins, its rows and columns."""
    pool = _Pool()
    numbers, matrices, grains, which, covers = [], [], [], [], []
    cover_numbers: list[list[float]] = []
    cover_matrices: list[Array] = []
    cover_which: list[tuple[int, int]] = []
    for material in materials:
        numbers.append(_numbers(material))
        matrix = texture_matrix(material)
        matrices.append(matrix)
        grains.append(matrix[0] / max(float(np.hypot(*matrix[0])), 1e-12))
        which.append(_pictures(pool, material.texture, step))
        mine = [-1] * MOST_COVERS
        for k, cover in enumerate(material.covers):
            mine[k] = len(cover_numbers)
            cover_numbers.append(_numbers(cover.material))
            cover_matrices.append(cover_matrix(cover.amount, material.round_mm))
            cover_which.append((pool.of(cover.amount.values, 0), int(cover.amount.repeats)))
        covers.append(mine)
    return (
        _rows(numbers, (COLUMNS,)),
        _rows(matrices, (2, 2)),
        _rows(grains, (2,)),
        _rows(which, (3,), np.int64),
        _rows(covers, (MOST_COVERS,), np.int64),
        _rows(cover_numbers, (COLUMNS,)),
        _rows(cover_matrices, (3, 2)),
        _rows(cover_which, (2,), np.int64),
        *pool.made(),
    )


def _pictures(pool: _Pool, texture: Texture | None, step: float) -> tuple[int, int, int]:
    if texture is None:
        return -1, -1, -1
    halves = _halvings(texture, step)
    dull = -1 if texture.dull is None else pool.of(texture.dull, halves)
    return pool.of(texture.tint, halves), pool.of(texture.slope, halves), dull


def _rows(values: list[Any], shape: tuple[int, ...], kind: Any = np.float64) -> Array:
    return np.array(values, kind).reshape(len(values), *shape)


def _numbers(material: Material) -> list[float]:
    matte = material.kind == "matte"
    rough = MATT if matte else math.sqrt(material.mean_alpha)
    dullest = math.sqrt(material.dullest) if material.dullest > 0 and not matte else rough
    metal = 1.0 if material.kind == "metal" else 0.0
    return [*material.base, rough, dullest, metal, *material.emission]


def _halvings(texture: Texture, step: float) -> int:
    """How often a texture is halved so that its texels are no finer than the map's."""
    own = texture.tile_mm / texture.tint.shape[1]
    return max(0, math.floor(math.log2(max(step / own, 1e-9)))) if step > own else 0


class _Pool:
    """Pictures of up to three channels end to end, each once."""

    def __init__(self) -> None:
        self._found: dict[tuple[int, int], int] = {}
        self._pixels: list[Array] = []
        self._sizes: list[tuple[int, int, int]] = []
        self._start = 0
        self._held: list[Array] = []  # so that an id stays its own

    def of(self, pixels: Array, halves: int) -> int:
        """The number of a picture, halved so often."""
        key = (id(pixels), halves)
        if key not in self._found:
            self._held.append(pixels)
            values: Array = np.asarray(pixels, np.float32).reshape(*pixels.shape[:2], -1)
            for _ in range(halves):
                if min(values.shape[:2]) < 2:
                    break
                even = values[: values.shape[0] // 2 * 2, : values.shape[1] // 2 * 2]
                values = (even[::2, ::2] + even[1::2, ::2] + even[::2, 1::2] + even[1::2, 1::2]) / 4
            rows, columns, channels = values.shape
            whole = np.zeros((rows * columns, 3), np.float32)
            whole[:, :channels] = values.reshape(-1, channels)
            self._found[key] = len(self._sizes)
            self._sizes.append((self._start, rows, columns))
            self._pixels.append(whole)
            self._start += len(whole)
        return self._found[key]

    def made(self) -> tuple[Array, Array]:
        """All pixels (n, 3), and of each picture where it begins, its rows and columns, (p, 3)."""
        pixels = np.concatenate(self._pixels) if self._pixels else np.zeros((1, 3), np.float32)
        return pixels, np.array(self._sizes or [(0, 1, 1)], np.int64)


@compiled(nogil=True, cache=True)
def _paint(
    here: Array,
    values: Array,
    relief: bool,  # noqa: FBT001 - what is compiled takes no keywords
    parts: Array,
    table: tuple[Array, ...],
    made: Array,
    whole: tuple[Array, ...],
) -> None:
    """Ask the material of each texel of a band: what it is drawn as, and what lies over it."""
    numbers, matrices, grains, which, covers, cover_numbers, cover_matrices, cover_which, pixels, sizes = (
        table
    )
    roughness, metal, height, normal, part = whole
    rows, columns = here.shape
    found = np.empty(3, np.float64)
    mixed = np.empty(9, np.float64)
    for j in range(rows):
        for i in range(columns):
            k = here[j, i]
            if k < 0:
                continue
            for n in range(9):
                mixed[n] = numbers[k, n]
            x, y, z = 0.0, 0.0, 1.0
            if relief:
                x, y, z = float(values[j, i, 1]), float(values[j, i, 2]), float(values[j, i, 3])
            u, v = values[j, i, 4], values[j, i, 5]
            for n in range(3 + covers.shape[1]):  # tint, slope, dullness, then what covers it
                cover = -1
                if n < 3:
                    picture = which[k, n]
                    p = u * matrices[k, 0, 0] + v * matrices[k, 1, 0]
                    q = u * matrices[k, 0, 1] + v * matrices[k, 1, 1]
                else:
                    cover = covers[k, n - 3]
                    picture = -1 if cover < 0 else cover_which[cover, 0]
                if picture < 0:
                    continue
                if cover >= 0:
                    p = u * cover_matrices[cover, 0, 0] + v * cover_matrices[cover, 1, 0]
                    q = u * cover_matrices[cover, 0, 1] + v * cover_matrices[cover, 1, 1]
                    p, q = p + cover_matrices[cover, 2, 0], q + cover_matrices[cover, 2, 1]
                    if cover_which[cover, 1] == 0 and (p < 0 or p > 1 or q < 0 or q > 1):
                        continue
                start, tall, wide = sizes[picture, 0], sizes[picture, 1], sizes[picture, 2]
                # between the middles of four pixels, coming round
                px, py = p * wide - 0.5, q * tall - 0.5
                x0, y0 = np.floor(px), np.floor(py)
                fx, fy = px - x0, py - y0
                left, low = int(x0) % wide, int(y0) % tall
                right, high = (left + 1) % wide, start + (low + 1) % tall * wide
                low = start + low * wide
                for m in range(3):
                    below = pixels[low + left, m] * (1 - fx) + pixels[low + right, m] * fx
                    above = pixels[high + left, m] * (1 - fx) + pixels[high + right, m] * fx
                    found[m] = below * (1 - fy) + above * fy
                if n == 0:
                    for m in range(3):
                        mixed[m] *= found[m]
                elif n == 1:
                    # its slopes run along the grain: turned back to the sheet's
                    c, s = grains[k, 0], -grains[k, 1]
                    along, up = found[0] * c - found[1] * s, found[0] * s + found[1] * c
                    if values.shape[2] > 6:
                        along, up = (
                            values[j, i, 6] * along + values[j, i, 7] * up,
                            values[j, i, 8] * along + values[j, i, 9] * up,
                        )
                    x -= along * z
                    y -= up * z
                elif n == 2:
                    mixed[3] += (mixed[4] - mixed[3]) * found[0]
                else:
                    for m in range(9):
                        mixed[m] += (cover_numbers[cover, m] - mixed[m]) * found[0]
            size = max(np.sqrt(x * x + y * y + z * z), 1e-9)
            normal[j, i, 0] = round(32767 * x / size)
            normal[j, i, 1] = round(32767 * y / size)
            normal[j, i, 2] = round(32767 * z / size)
            for m in range(3):
                made[j, i, m] = min(max(mixed[m], 0.0), 1.0)
                made[j, i, 3 + m] = mixed[6 + m]
            roughness[j, i] = round(255 * min(max(mixed[3], 0.0), 1.0))
            metal[j, i] = round(255 * mixed[5])
            height[j, i] = values[j, i, 0]
            part[j, i] = parts[k]
