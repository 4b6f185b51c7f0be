"""Changing how letters are made: from a new depth, height or bend to its picture at moving resolution."""

from __future__ import annotations

import resource
import time
from collections.abc import Iterator

import numpy as np

from benchmarks.drafts import SIZE, frame_seconds
from benchmarks.figure import Figure
from benchmarks.laying import WORDS
from kilnchisel.core.build import lettering_laid, piece_of, scene_of_job, view_of
from kilnchisel.core.crafts.tubes import runs_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.artwork import Shape
from kilnchisel.core.job.blank import Band, Jar, Plaque
from kilnchisel.core.job.boards import Board, Wall
from kilnchisel.core.job.crafts import Carved, Engraved, Pressed, Raised, Tube
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import home_camera, job_on
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import main_side
from kilnchisel.core.job.wording import Fit, LineFace, Wording
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.ui.view.shown import WALK_SCALE

CHANGES = (
    ("V engraving, its depth", Engraved(floor="v", depth_mm=0.4), "depth_mm", 0.4, 0.01),
    ("rounded, its height", Raised(edge="rounded", height_mm=0.6, edge_mm=0.2), "height_mm", 0.6, 0.01),
    ("rounded, its edge", Raised(edge="rounded", height_mm=0.6, edge_mm=0.2), "edge_mm", 0.2, 0.004),
    ("pressed, its depth", Pressed(depth_mm=0.4, soft_mm=0.3), "depth_mm", 0.4, 0.01),
)


def run() -> Iterator[Figure]:
    draft = Draft()
    moving = (int(SIZE[0] * WALK_SCALE), int(SIZE[1] * WALK_SCALE))
    yield from _tubes(draft, moving)  # first, as it tells the greatest memory so far
    for blank in (Band(inner_mm=40, width_mm=12, thickness_mm=4), Plaque(), Jar()):
        side, _, middle = main_side(blank)
        for words, craft, field, start, step in CHANGES:
            job = _lettered(blank, side, middle, craft)
            frame_seconds(draft, job, moving)
            spent = []
            for number in range(12):
                path = ("letterings", 0, "craft", field)
                job = change(job, path, start + step * (number + 1))
                spent.append(frame_seconds(draft, job, moving))
            name = f"{blank.kind}, 30 letters {words}"
            yield Figure(name, float(np.median(spent)) * 1000, "ms", 200)
    yield from _carved(draft, moving)


def _lettered(blank: object, side: str, middle: float, craft: object) -> Job:
    job = Job.model_validate({"blank": blank})
    wording = Wording(text=WORDS, cap_height_mm=4, fit=Fit(by="size", width_mm=110))
    lettering = Lettering.model_validate(
        {"content": wording, "lay": Lay(side=side, across_mm=middle), "craft": craft}
    )
    job = change(job, ("letterings",), (lettering,))
    return change(job, ("setting", "camera"), home_camera(job.blank))


def _carved(draft: Draft, moving: tuple[int, int]) -> Iterator[Figure]:
    """A sign of 600 x 300 mm with a carved ground under its words."""
    board = Board(width_mm=600, height_mm=300)
    ground = Shape.model_validate({"form": {"kind": "disc", "width_mm": 540, "height_mm": 250}})
    back = Lettering(content=ground, lay=Lay(side="front"), craft=Carved(cell_mm=14))
    words = Lettering(
        content=Wording(text="TARN PATH", cap_height_mm=60),
        lay=Lay(side="front"),
        craft=Raised(edge="ridge", height_mm=2, slope_deg=35),
    )
    job = Job(blank=board, letterings=(back, words))
    frame_seconds(draft, job, moving)
    spent = []
    for number in range(8):
        job = change(job, ("letterings", 0, "craft", "depth_mm"), 1.0 + 0.05 * number)
        spent.append(frame_seconds(draft, job, moving))
    yield Figure("carved sign 600 x 300, draft", float(np.median(spent)) * 1000, "ms", 600)
    begun = time.perf_counter()
    piece_of(change(job, ("letterings", 0, "craft", "depth_mm"), 1.77))
    yield Figure("carved sign 600 x 300, for export", time.perf_counter() - begun, "s", 3)


def _tubes(draft: Draft, moving: tuple[int, int]) -> Iterator[Figure]:
    """About 3 m of tube, and its mockup in a dark room."""
    job = job_on(Wall(width_mm=1200, height_mm=700), "Neon", "Night")
    wording = Wording(text="Night", face=LineFace(name="allure"), cap_height_mm=150, pen_mm=12)
    job = change(job, ("letterings", 0, "content"), wording)
    job = change(job, ("letterings", 0, "craft"), Tube())
    job = change(job, ("setting", "light", "room"), "dark")
    job = change(job, ("setting", "light", "key", "strength"), 0.0)
    craft = job.letterings[0].craft
    assert isinstance(craft, Tube)
    length = sum(one.length_mm for one in runs_of(lettering_laid(job, 0), craft)) / 1000
    frame_seconds(draft, job, moving)
    bent = []
    for number in range(8):
        job = change(job, ("letterings", 0, "craft", "tube_mm"), 11 + 0.2 * number)
        begun = time.perf_counter()
        piece_of(job, detail=Detail.ROUGH)
        bent.append(time.perf_counter() - begun)
    yield Figure(f"{length:.1f} m of tube bent anew", float(np.median(bent)) * 1000, "ms", 150)
    scene, view = scene_of_job(job), view_of(job, SIZE[0] / SIZE[1])
    begun = time.perf_counter()
    for _ in Mockup(scene).refine(view, SIZE, 16, looks=()):
        pass
    yield Figure("neon in the dark, 700 x 560, 16 samples", time.perf_counter() - begun, "s", 25)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    yield Figure("greatest memory, with that mockup", peak, "GB", 1.2)
