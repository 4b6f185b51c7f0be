"""Photos: a mark dragged, a print taken away, folds followed, a mask grown, a result at full size."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from benchmarks.figure import Figure
from demo.inphoto import cushion_print, lawn_letters, tasting_neon
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.handover.pictures import usual_samples
from kilnchisel.core.photo.filling import filling
from kilnchisel.core.photo.marks import marks_of
from kilnchisel.core.photo.masks import grown
from kilnchisel.core.photo.reading import photo_pixels
from kilnchisel.core.photo.searching import field_over
from kilnchisel.core.picture.budget import FrameBudget
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.onfolds import warp_of
from kilnchisel.ui.view.photomarks import mark_dragged, on_widget
from kilnchisel.ui.view.shown import WALK_S, WALK_SCALE

SIZE = (1600, 1000)
TIMES = 12


def _took(does: Callable[[int], Any], times: int = TIMES) -> float:
    """The median of so many goes after a first, ms."""
    does(0)
    found = []
    for number in range(1, times + 1):
        begun = time.perf_counter()
        does(number)
        found.append(1000 * (time.perf_counter() - begun))
    return float(np.median(found))


def run() -> Iterator[Figure]:
    """The demo jobs in photos."""
    lawn, cushion, neon = lawn_letters(), cushion_print(), tasting_neon()
    aspect, draft = SIZE[0] / SIZE[1], Draft()

    taken = cushion.setting.photo
    assert taken is not None
    x, y = on_widget(taken, np.array(marks_of(taken.told)), SIZE)[0].tolist()

    def dragged(number: int) -> Any:
        return mark_dragged(cushion, 0, (x + number, y), SIZE, free=False)

    budget, scales = FrameBudget(WALK_S, WALK_SCALE), []

    def drawn(number: int) -> Any:
        job, scale, begun = dragged(number), budget.scale, time.perf_counter()
        size = round(SIZE[0] * scale), round(SIZE[1] * scale)
        made = draft.render(
            scene_of_job(job, detail=Detail.ROUGH), view_of(job, aspect), size, detail=Detail.ROUGH
        )
        budget.took(scale, time.perf_counter() - begun)
        scales.append(scale)
        return made

    yield Figure(f"a corner dragged at {SIZE[0]}x{SIZE[1]}: the camera", _took(dragged), "ms", 50)
    took = _took(drawn, 2 * TIMES)
    yield Figure(f"and its draft, at {np.median(scales):.2f} of that", took, "ms", 50)
    scene, view = scene_of_job(cushion), view_of(cushion, aspect)
    yield Figure("the folds of cloth, a step", _took(lambda _: warp_of(scene, view, SIZE)), "ms", 150)
    photo = neon.setting.photo
    assert photo is not None and photo.before is not None
    pixels = photo_pixels(photo.sha256, photo.name)
    strokes, size = photo.before.strokes, (photo.width_px, photo.height_px)
    yield Figure("a mask from strokes", _took(lambda _: grown(pixels, strokes, size), 3) / 1000, "s", 1)
    hole = np.zeros(pixels.shape[:2], bool)
    hole[1560:1760, 300:600] = True
    begun = time.perf_counter()
    made = filling(pixels, hole, field_over(pixels, hole)).of(pixels)
    yield Figure("300 x 200 pixels taken away, the first time", time.perf_counter() - begun, "s", 6)
    assert made.shape == pixels.shape
    yield from _whole(lawn)


def _whole(job: Any) -> Iterator[Figure]:
    """The result at the photo's own size, by its pixels as if it had 24 million."""
    photo = job.setting.photo
    size = photo.width_px, photo.height_px
    scene, view, samples = scene_of_job(job), view_of(job, size[0] / size[1]), usual_samples(job, size)
    mockup = Mockup(scene)
    begun = time.perf_counter()
    *_, _ = mockup.refine(view, size, samples, looks=())
    seconds = time.perf_counter() - begun
    millions = size[0] * size[1] / 1e6
    yield Figure(f"all {millions:.1f} million pixels of a photo, {samples} samples", seconds, "s", 300)
