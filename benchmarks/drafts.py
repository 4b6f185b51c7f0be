"""From a keystroke or a step of a drag to a new draft picture."""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np

from benchmarks.figure import Figure, spread
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.job.edits import change, with_lettering
from kilnchisel.core.job.fresh import first_lettering, fresh_job, with_shown
from kilnchisel.core.job.model import Job
from kilnchisel.core.picture.budget import FrameBudget
from kilnchisel.core.picture.draft import Draft
from kilnchisel.ui.view.shown import EDIT_SCALE, WALK_S, WALK_SCALE

SIZE = (700, 560)
WORDS = "TARNLIGHT HILL OBSERVATORY"  # 24 letters


def frame_seconds(draft: Draft, job: Job, size: tuple[int, int]) -> float:
    """From a changed job to its picture while something moves."""
    start = time.perf_counter()
    draft.render(scene_of_job(job, detail=Detail.ROUGH), view_of(job), size, detail=Detail.ROUGH)
    return time.perf_counter() - start


def run() -> Iterator[Figure]:
    """Timings on a mug with 24 letters, 700 x 560 view."""
    job = Job()
    job = with_lettering(job, first_lettering(job.blank, WORDS))
    job = change(job, ("letterings", 0, "content", "cap_height_mm"), 8.0)
    draft = Draft()
    draft.render(scene_of_job(job, detail=Detail.ROUGH), view_of(job), SIZE, detail=Detail.ROUGH)
    small = (int(SIZE[0] * EDIT_SCALE), int(SIZE[1] * EDIT_SCALE))
    draft.render(scene_of_job(job, detail=Detail.ROUGH), view_of(job), small, detail=Detail.ROUGH)
    for scale, size in ((EDIT_SCALE, small), (1.0, SIZE)):
        spent, built = [], []
        for number in range(40):
            text = WORDS[:22] + f"{number:02d}" + "ABCDEFG"[number % 7] * (scale < 1)
            job = change(job, ("letterings", 0, "content", "text"), text)
            start = time.perf_counter()
            scene = scene_of_job(job, detail=Detail.ROUGH)
            built.append(time.perf_counter() - start)
            draft.render(scene, view_of(job), size, detail=Detail.ROUGH)
            spent.append(time.perf_counter() - start)
        yield from spread(f"keystroke to draft at {scale:g} of 700x560", spent, 150, 250)
        yield from spread("  of which outline, lay, craft, scene", built, 150, None)
    moving = (int(SIZE[0] * WALK_SCALE), int(SIZE[1] * WALK_SCALE))
    budget, spent, scales = FrameBudget(WALK_S, WALK_SCALE), [], []
    for number in range(60):
        job = change(job, ("setting", "camera", "turn_deg"), float(number * 2))
        scale = budget.scale
        seconds = frame_seconds(draft, job, (int(SIZE[0] * scale), int(SIZE[1] * scale)))
        budget.took(scale, seconds)
        if number >= 20:
            spent.append(seconds)
            scales.append(scale)
    yield from spread(f"walk round, a frame at {np.median(scales):.2f} of 700x560", spent, 33, None)
    spent = []
    for number in range(40):
        job = change(job, ("letterings", 0, "lay", "along_mm"), number * 0.7)
        spent.append(frame_seconds(draft, job, moving))
    yield from spread(f"drag the lettering, a frame at {WALK_SCALE:g} of 700x560", spent, 80, None)
    yield from _at_rest(draft)


def _at_rest(draft: Draft) -> Iterator[Figure]:
    """The picture that is shown when nothing moves, of a mug and of cloth in many layers, walked round."""
    piled = with_shown(fresh_job("apparel", WORDS), garment="hooded sweatshirt", shown="folded")
    for name, job in (("mug", fresh_job("mug", WORDS)), ("folded hooded sweatshirt", piled)):
        spent = []
        for _ in range(6):
            job = change(job, ("setting", "camera", "turn_deg"), job.setting.camera.turn_deg + 3.0)
            start = time.perf_counter()
            draft.render(scene_of_job(job), view_of(job), SIZE)
            spent.append(time.perf_counter() - start)
        yield Figure(f"{name}: a draft at rest, the first", spent[0], "s", 5)
        yield Figure(f"{name}: another from elsewhere", float(np.median(spent[1:])), "s", 1.5)
