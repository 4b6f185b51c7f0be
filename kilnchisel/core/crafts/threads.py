"""Stitches as thread that is seen: each a low arch from hole to hole, round across."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import Mesh, unit
from kilnchisel.core.crafts.inked import patch_of
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.crafts.profile import OVERLOCKED_MM
from kilnchisel.core.crafts.stitching import Thread, threads_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.crafts import Embroidered, WovenPatch
from kilnchisel.core.laying.laid import Laid

Array = NDArray[Any]

OVERLOCK_MM, YARN_MM = 0.75, 0.85  # round a patch, common practice: from yarn to yarn, how wide each lies
THREAD_MM = 0.4  # number 40 thread, common practice: how wide it lies
LOW_MM, ARCH = 0.3, 0.055  # how high a stitch stands, and so much more by its length
HIGH_MM = 0.8
HELD = 0.5  # length of a normal: less where a sheet goes on beside its cloth, in no direction
ALONG = {Detail.FINE: np.array([0.0, 0.12, 0.5, 0.88, 1.0]), Detail.ROUGH: np.array([0.0, 0.5, 1.0])}
EVERY = {Detail.FINE: 1, Detail.ROUGH: 3}  # stitches that are drawn, as much wider
MOST_DRAWN = {Detail.FINE: 120_000, Detail.ROUGH: 30_000}  # of more, of so large a thing none is seen alone


def embroidered_parts(index: int, laid: Laid, craft: Embroidered, *, detail: Detail) -> tuple[Part, ...]:
    """The thread of each layer of a lettering, underlay left out: it is covered."""
    parts = []
    for layer, threads in zip(laid.layers, threads_of(laid.outline, craft), strict=True):
        starts, ends = _stitches(laid, threads)
        if len(starts):
            mesh = _drawn(laid, starts, ends, detail=detail)
            name = f"{laid.side.name} lettering {index + 1}{laid.layer_words(layer)}"
            parts.append(Part(name, "thread", index, laid.side.name, mesh, layer.layer))
    return tuple(parts)


def overlocked_parts(index: int, laid: Laid, craft: WovenPatch, *, detail: Detail) -> tuple[Part, ...]:
    """The thread that is sewn over the edge of a patch, from outside inward, all round."""
    if craft.sewn_mm == 0:
        return ()
    ends = []
    for piece in patch_of(laid, craft).geoms:
        ring = shapely.get_coordinates(shapely.segmentize(piece.exterior, 0.2))
        ring = ring[::-1] if piece.exterior.is_ccw else ring  # inward is to the right
        run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(ring, axis=0), axis=1))])
        at = np.linspace(0, run[-1], max(int(run[-1] / OVERLOCK_MM), 8), endpoint=False)
        spots = np.stack([np.interp(at, run, ring[:, axis]) for axis in (0, 1)], axis=1)
        ahead = np.roll(spots, -1, axis=0) - np.roll(spots, 1, axis=0)
        inward = np.stack([ahead[:, 1], -ahead[:, 0]], axis=1) / np.linalg.norm(ahead, axis=1)[:, None]
        # a little aslant, as each goes on to the next
        slant = OVERLOCK_MM * ahead / np.linalg.norm(ahead, axis=1)[:, None]
        ends.append(np.stack([spots, spots + craft.sewn_mm * inward + slant], axis=1))
    every = np.concatenate(laid.placing.everywhere(np.concatenate(ends).reshape(-1, 2))).reshape(-1, 2, 2)
    lift = craft.thick_mm + OVERLOCKED_MM - 0.1
    mesh = _drawn(laid, every[:, 0], every[:, 1], wide_mm=YARN_MM, lift_mm=lift, detail=detail)
    name = f"{laid.side.name} lettering {index + 1} edge"
    return (Part(name, "thread", index, laid.side.name, mesh),)


def _stitches(laid: Laid, threads: tuple[Thread, ...]) -> tuple[Array, Array]:
    """Both ends of what is seen on the side's sheet, (n, 2) each."""
    pairs = [
        np.stack([one.points[:-1], one.points[1:]], axis=1)[~one.under[1:]]
        for one in threads
        if len(one.points) > 1
    ]
    if not pairs:
        return np.empty((0, 2)), np.empty((0, 2))
    flat = np.concatenate(pairs).reshape(-1, 2)
    every = np.concatenate(laid.placing.everywhere(flat)).reshape(-1, 2, 2)
    return every[:, 0], every[:, 1]


def _drawn(
    laid: Laid,
    starts: Array,
    ends: Array,
    *,
    wide_mm: float = THREAD_MM,
    lift_mm: float = 0.0,
    detail: Detail,
) -> Mesh:
    """``lift_mm``: how much higher its middle is than that of a stitch in the cloth."""
    step = max(EVERY[detail], math.ceil(len(starts) / MOST_DRAWN[detail]))
    side = laid.side
    starts, ends = starts[::step], ends[::step]
    up = side.frames((starts + ends) / 2)[:, 2]
    held = np.linalg.norm(up, axis=1) > HELD  # beside the cloth nothing holds a stitch
    starts, ends, up = starts[held], ends[held], up[held]
    along, count = ALONG[detail], len(starts)
    far = np.linalg.norm(ends - starts, axis=1)
    high = np.minimum(LOW_MM + ARCH * far, HIGH_MM)
    bow = np.sqrt(np.maximum(4 * along * (1 - along), 0.0))
    heights = 0.02 + lift_mm * np.minimum(4 * bow, 1.0) + high[:, None] * bow
    uv = starts[:, None] + along[:, None] * (ends - starts)[:, None]
    flat = uv.reshape(-1, 2)
    ground = side.to_body(flat, np.zeros(len(flat))).reshape(count, len(along), 3)
    middle = ground + heights[..., None] * up[:, None]
    way = ground[:, -1] - ground[:, 0]
    way /= np.maximum(np.linalg.norm(way, axis=1, keepdims=True), 1e-12)
    across = np.cross(up, way)
    # how it rises: steep at both holes, level in the middle
    slope = np.clip(np.gradient(heights, along, axis=1) / np.maximum(far, 0.2)[:, None], -2.0, 2.0)
    top = up[:, None] - slope[..., None] * way[:, None]
    top /= np.linalg.norm(top, axis=2, keepdims=True)
    half = 0.5 * wide_mm * step
    points, normals, sheet = [], [], []
    for out, drop, lean in ((-1.0, 1.0, 0.86), (0.0, 0.0, 0.0), (1.0, 1.0, 0.86)):
        low = drop * np.minimum(0.16, 0.8 * heights)
        points.append(middle + out * half * across[:, None] - low[..., None] * up[:, None])
        normals.append(unit(top * np.sqrt(1 - lean * lean) + out * lean * across[:, None]))
        turn = out * half * np.stack([-(ends - starts)[:, 1], (ends - starts)[:, 0]], axis=1)
        sheet.append(uv + (turn / np.maximum(far, 1e-9)[:, None])[:, None])
    lattice = np.arange(3 * count * len(along)).reshape(3, count, len(along))
    quads = []
    for side_ in (0, 1):
        a, b = lattice[side_, :, :-1], lattice[side_, :, 1:]
        c, d = lattice[side_ + 1, :, 1:], lattice[side_ + 1, :, :-1]
        quads += [np.stack([a, b, c], axis=-1), np.stack([a, c, d], axis=-1)]
    faces = np.concatenate([one.reshape(-1, 3) for one in quads]).astype(np.int32)
    at, out_ = np.stack(points).reshape(-1, 3), np.stack(normals).reshape(-1, 3)
    a, b, c = (at[faces[:, k]] for k in range(3))
    turned = np.einsum("ij,ij->i", np.cross(b - a, c - a), out_[faces].sum(axis=1)) < 0
    faces[turned] = faces[turned][:, ::-1]
    return Mesh(at, out_, np.stack(sheet).reshape(-1, 2), faces)
