"""How a cutter comes into stock: down along its way at a slope, and beside a line on a quarter circle."""

from __future__ import annotations

from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray

from kilnchisel.core.lettering.polygons import run_of

Array = NDArray[Any]

SLOPE = float(np.tan(np.radians(5.0)))  # down along a way: common practice
MOST_LAPS = 8  # over a short way, which is gone down the steeper
LONGEST, SPREAD = 6, 12  # straight runs, and places besides, where a line may be begun
SHARES = (1.0, 0.5, 0.25)  # of a cutter's radius: of the circle that it comes in by
PIECES = 8  # of that


def come_down(way: Array, above: float, z: float) -> Array:
    """A way (n, 2) at one height, (m, 3), with the way down to it from ``above``: round and round one that
    closes, else there and back, so that it ends where the way begins."""
    level = np.column_stack([way, np.full(len(way), z)])
    far = run_of(way)
    if above <= z or far[-1] <= 0:
        return level
    long = min((above - z) / SLOPE, MOST_LAPS * float(far[-1]))
    laps = max(int(np.ceil(long / far[-1] - 1e-9)), 1)
    closed = np.array_equal(way[0], way[-1])
    # from the last one back: one that does not close is gone the other way in every second lap
    passes = [way if closed or k % 2 == 0 else way[::-1] for k in range(laps, 0, -1)]
    line = np.concatenate([passes[0], *(one[1:] for one in passes[1:])])
    run = run_of(line)
    begin = run[-1] - long
    at = np.concatenate([[begin], run[run > begin]])
    down = np.column_stack([*(np.interp(at, run, line[:, k]) for k in (0, 1)), np.zeros(len(at))])
    down[:, 2] = z + (run[-1] - at) / long * (above - z)
    return np.concatenate([down, level[1:]])


def led(ring: Array, room: shapely.Geometry, radius_mm: float) -> tuple[Array, Array, Array]:
    """A closed line (n, 2) begun where a cutter gets to it from beside: the way in, the line, the way out;
    both empty where there is no room. ``room``: where its middle may be; ``radius_mm``: of the cutter."""
    line = shapely.LineString(ring)
    steps = np.linalg.norm(np.diff(ring, axis=0), axis=1)
    run = run_of(ring)
    middles = (run[:-1] + run[1:]) / 2
    places = [
        *middles[np.argsort(-steps, kind="stable")[:LONGEST]],
        *(run[-1] * np.arange(SPREAD) / SPREAD),
    ]
    shapely.prepare(room)
    for share in SHARES:
        for place in places:
            k = min(int(np.searchsorted(run, place, "right")) - 1, len(steps) - 1)
            if steps[k] <= 0:
                continue
            along = (ring[k + 1] - ring[k]) / steps[k]
            spot = ring[k] + along * (place - run[k])
            for beside in (np.array([-along[1], along[0]]), np.array([along[1], -along[0]])):
                arcs = _arcs(spot, along, beside, share * radius_mm)
                if all(room.covers(shapely.LineString(arc)) for arc in arcs):
                    return arcs[0], _begun_at(ring, run, float(place)), arcs[1]
    return np.empty((0, 2)), np.asarray(line.coords), np.empty((0, 2))


def _arcs(spot: Array, along: Array, beside: Array, radius: float) -> tuple[Array, Array]:
    """Quarter circles that come to a spot, and go on from it, in the direction of its line."""
    middle = spot + radius * beside
    angle = np.linspace(0, np.pi / 2, PIECES + 1)[:, None]
    out = middle + radius * (np.sin(angle) * along - np.cos(angle) * beside)
    into = middle + radius * (-np.sin(angle[::-1]) * along - np.cos(angle[::-1]) * beside)
    return into, out


def _begun_at(ring: Array, run: Array, place: float) -> Array:
    """A closed line (n, 2) that begins and ends so far along it."""
    spot = np.array([np.interp(place, run, ring[:, k]) for k in (0, 1)])
    after, before = ring[:-1][run[:-1] > place + 1e-9], ring[:-1][run[:-1] < place - 1e-9]
    return np.concatenate([[spot], after, before, [spot]])


def linked(rings: list[Array], room: shapely.Geometry, most_mm: float) -> list[Array]:
    """Closed lines (n, 2) in their order, each begun beside the end of one before and joined with it where
    that is not farther and a cutter gets there within its room."""
    room = shapely.buffer(room, 1e-4)
    shapely.prepare(room)
    chains: list[list[Array]] = []
    ends: list[Array] = []
    for ring in rings:
        line, run = shapely.LineString(ring), run_of(ring)
        near = shapely.distance(line, shapely.points(ends)) if ends else np.empty(0)
        for k in (k for k in np.argsort(near, kind="stable")[:4] if near[k] <= most_mm):
            begun = _begun_at(ring, run, float(line.project(shapely.Point(ends[k]))))
            if room.covers(shapely.LineString([ends[k], begun[0]])):
                chains[k].append(begun)
                ends[k] = begun[-1]
                break
        else:
            chains.append([ring])
            ends.append(ring[-1])
    return [np.concatenate(chain) for chain in chains]
