"""The list of stitches that an embroidery machine's own program is made from: a row for each place where
the needle goes in, side by side of the job."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.build import laids_of
from kilnchisel.core.crafts.stitching import threads_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.crafts import Embroidered
from kilnchisel.core.job.model import Job
from kilnchisel.core.units import format_number

Array = NDArray[Any]

TENTHS = 10.0  # to the mm
HEAD = ("x", "y", "jump", "trim", "colour")
PLAIN = "#808080"  # of what has no colour of its own
NEAR_MM = 0.05  # a thread that ends here goes on from there


@dataclass(frozen=True, eq=False)
class Sewn:
    """One colour's thread on a side's sheet."""

    colour: str
    points: Array


def sewn_on(job: Job) -> dict[str, list[Sewn]]:
    """All thread by the sides it is on, in the order in which it is sewn: letterings as they follow each
    other, in each the layers from below."""
    found: dict[str, list[Sewn]] = {}
    for index, lettering in enumerate(job.letterings):
        craft = lettering.craft
        if lettering.hidden or not isinstance(craft, Embroidered):
            continue
        for laid in laids_of(job, index):
            for layer, threads in zip(laid.layers, threads_of(laid.outline, craft), strict=True):
                finish = layer.layer.finish or lettering.finish
                colour = str(getattr(finish, "colour", getattr(job.finish, "colour", PLAIN)))
                found.setdefault(laid.lay.side, []).extend(
                    Sewn(colour, laid.placing.points(thread.points, copy))
                    for copy in range(len(laid.placing.copies))
                    for thread in threads
                )
    return found


def rows_of(threads: list[Sewn]) -> list[tuple[int, int, int, int, str]]:
    """The rows of a side's list: places in tenths of a mm from the middle of all, right and up; whether the
    needle goes there without a stitch, and whether the thread is cut before."""
    every = np.concatenate([one.points for one in threads])
    middle = (every.min(axis=0) + every.max(axis=0)) / 2
    rows: list[tuple[int, int, int, int, str]] = []
    last: Array | None = None
    colour = ""
    for one in threads:
        places = np.rint((one.points - middle) * TENTHS).astype(int).tolist()
        near = last is not None and float(np.linalg.norm(one.points[0] - last)) <= NEAR_MM
        apart, colour = not near or one.colour != colour, one.colour
        for number, (x, y) in enumerate(places):
            first = number == 0 and apart
            if number == 0 and not apart:
                continue
            rows.append((x, y, int(first), int(first and last is not None), one.colour))
        last = one.points[-1]
    return rows


def stitch_files(job: Job) -> tuple[dict[str, bytes], str]:
    """A list for each side that is embroidered, and in words what it takes. Raises KilnError."""
    made, said = {}, []
    for side, threads in sewn_on(job).items():
        if not threads:
            continue
        rows = rows_of(threads)
        text = io.StringIO()
        writer = csv.writer(text, lineterminator="\r\n")
        writer.writerow(HEAD)
        writer.writerows(rows)
        made[f"stitches-{side.replace(' ', '-')}.csv"] = text.getvalue().encode()
        long = sum(float(np.linalg.norm(np.diff(one.points, axis=0), axis=1).sum()) for one in threads)
        colours = len(dict.fromkeys(one.colour for one in threads))
        said.append(
            f"{side}: {sum(1 - row[2] for row in rows)} stitches, "
            f"{format_number(long / 1000, 1)} m of thread, "
            f"{1 + sum(row[3] for row in rows)} cuts, {colours} colour{'s' if colours > 1 else ''}"
        )
    if not made:
        raise KilnError("There is nothing to sew: the lettering draws nothing.")
    return made, "; ".join(said)
