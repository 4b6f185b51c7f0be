"""The shop: ways of cutters and of a knife, and the simulated router."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from benchmarks.figure import Figure
from demo.jobs import FOLDER
from kilnchisel.core.build import outline_of
from kilnchisel.core.crafts.stitching import threads_of
from kilnchisel.core.handover.bendingplan import bending_files
from kilnchisel.core.handover.letterhead import Letterhead
from kilnchisel.core.handover.mapfiles import SIZES, MapOrder, files_of
from kilnchisel.core.handover.paper.sheets import PAPERS
from kilnchisel.core.handover.plotterfiles import plotter_files
from kilnchisel.core.handover.proof import proof_bytes
from kilnchisel.core.handover.sidemaps import bakings_of
from kilnchisel.core.job.blank import Plaque
from kilnchisel.core.job.crafts import Embroidered, Engraved, Printed
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import ShippedFace, Wording
from kilnchisel.core.remembered import STORE
from kilnchisel.core.shop.machines.router import route
from kilnchisel.core.shop.machines.rs274 import read_program
from kilnchisel.core.shop.paths.flatwork import flat_work
from kilnchisel.core.shop.paths.knife import Knife
from kilnchisel.core.shop.paths.raster import raster_ways
from kilnchisel.core.shop.paths.surface import Heights
from kilnchisel.core.shop.paths.tools import Tool
from kilnchisel.core.shop.paths.vcut import v_ways

FIVE = ("base-colour", "roughness", "metalness", "height", "normal")
THIRTY = "Night observations, all winter"
SIDE_MM = 600.0, 300.0
CELL_MM, STEP_MM = 0.15, 0.3


def _took(does: Callable[[], Any]) -> tuple[float, Any]:
    """Seconds of a go after a first, and what it gave."""
    does()
    begun = time.perf_counter()
    given = does()
    return time.perf_counter() - begun, given


def _lettered(text: str, craft: Any, cap_mm: float) -> Job:
    job = fresh_job("plaque", text)
    job = change(job, ("blank",), Plaque(width_mm=SIDE_MM[0], height_mm=SIDE_MM[1], thickness_mm=20.0))
    job = change(job, ("letterings", 0, "craft"), craft)
    return change(job, ("letterings", 0, "content", "cap_height_mm"), cap_mm)


def _sewn() -> None:
    """Thirty letters as stitches, with nothing remembered of them but their outline."""
    outline = outline_of(Wording(text=THIRTY, face=ShippedFace(name="cinzel-bold"), cap_height_mm=20.0))
    threads_of(outline, Embroidered())


def run() -> Iterator[Figure]:
    """Each on 600 by 300 mm, or as many letters as are asked for."""
    _sewn()
    STORE.clear()
    outline_of(Wording(text=THIRTY, face=ShippedFace(name="cinzel-bold"), cap_height_mm=20.0))
    begun = time.perf_counter()
    _sewn()
    yield Figure("embroidery of 30 letters 20 mm high", (time.perf_counter() - begun) * 1000, "ms", 400)
    carved = _lettered(THIRTY, Engraved(floor="v", depth_mm=8.0), 20.0)
    region, tool = flat_work(carved, Engraved)[0].region, Tool("v", 12.7, 60.0)
    seconds, _ = _took(lambda: v_ways(region, tool, 8.0))
    yield Figure("V carving of 30 letters, its ways", seconds, "s", 1.5)

    printed = _lettered("\n".join([THIRTY] * 10), Printed(), 12.0)
    seconds, _ = _took(lambda: plotter_files(printed, Knife(roll_mm=1200.0)))
    yield Figure("film of 300 letters, its files", seconds, "s", 1)

    columns, rows = (round(side / CELL_MM) for side in SIDE_MM)
    y, x = np.mgrid[:rows, :columns] * CELL_MM
    waves = -3.0 + 2.0 * np.sin(x / 17) * np.cos(y / 11)
    heights, ball = Heights(waves, (0.0, 0.0), CELL_MM), Tool("ball", 3.0)
    where = np.ones(waves.shape, bool)
    seconds, ways = _took(lambda: raster_ways(heights, where, ball, STEP_MM))
    yield Figure("a relief of 600 x 300 mm in lines 0.3 mm apart, its ways", seconds, "s", 3)

    lines = ["(TOOL 1 ball 3mm)", "G21 G90", "T1 M6", "F2000"]
    for way in ways:
        lines += ["G0 Z5", f"G0 X{way[0, 0]:.3f} Y{way[0, 1]:.3f}"]
        lines += [f"G1 X{p[0]:.3f} Y{p[1]:.3f} Z{p[2]:.3f}" for p in way]
    program = read_program("\n".join(lines).encode())
    seconds, done = _took(lambda: route(program, (*SIDE_MM, 8.0), cell_mm=CELL_MM))
    assert done is not None
    yield Figure("the same by the simulated router", seconds, "s", 3)

    yield from _for_others(carved)


def _for_others(job: Job) -> Iterator[Figure]:
    """Maps of a side, and the papers."""
    front = next(one for one in bakings_of(job) if one.name == "front")
    for size, most in (("4k", 3.0), ("8k", 15.0)):
        order = MapOrder(size)

        def five(order: MapOrder = order) -> None:
            maps = front.maps(SIZES[order.size])
            assert maps is not None
            files = files_of(job, front, maps, order)
            with ThreadPoolExecutor(2) as pool:
                list(
                    pool.map(lambda one: one[1](), [f for f in files if any(f"{n}." in f[0] for n in FIVE)])
                )

        seconds, _ = _took(five)
        yield Figure(f"five maps of {size} of a side, PNG", seconds, "s", most)
    picture = np.full((1000, 1600, 3), 128, np.uint8)
    seconds, _ = _took(lambda: proof_bytes(job, picture, Letterhead("Us"), PAPERS["A4"]))
    yield Figure("a proof sheet, its picture apart", seconds, "s", 2)
    neon = open_job(FOLDER / "night-cafe-neon.kcj")
    seconds, _ = _took(lambda: bending_files(neon, PAPERS["A4"]))
    yield Figure("the bending plan of the neon sign, all its files", seconds, "s", 5)
