"""Sets: how soon they are seen, what their mockups cost, exposure, repeats of their grounds."""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np

from benchmarks.figure import Figure
from demo.jobs import JOBS, night_crew_mug
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.colour import lab, srgb_decode
from kilnchisel.core.detail import Detail
from kilnchisel.core.finishes import photographs, textures
from kilnchisel.core.finishes.material import Texture
from kilnchisel.core.handover import setpictures
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.sets import fitted, sets_for
from kilnchisel.core.job.setting import Setting
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.scene.view import View

SIZE, SMALL = (734, 716), (400, 250)
STUDIO = ("white sweep", "warm grey sweep", "black acrylic")
ROUNDS = 4


def run() -> Iterator[Figure]:
    """The demo mug in every set, then all demo jobs."""
    mug = night_crew_mug()
    yield from _seen(mug)
    yield _pictures(mug)
    yield from _mockups(mug)
    yield from _exposures()
    for name, texture in _grounds():
        yield Figure(f"{name}: second peak of the autocorrelation", _second_peak(texture), "", 0.3)


def _seen(job: Job) -> Iterator[Figure]:
    """From the choice of a set to its first draft, as the window draws it: roughly, at half the size."""
    draft = Draft()
    half = (SIZE[0] // 2, SIZE[1] // 2)
    draft.render(scene_of_job(job, detail=Detail.ROUGH), view_of(job), half, detail=Detail.ROUGH)
    times = []
    for one in sets_for(job.blank):
        begun = time.perf_counter()
        shown = fitted(job, one.name)
        draft.render(scene_of_job(shown, detail=Detail.ROUGH), view_of(shown), half, detail=Detail.ROUGH)
        times.append((time.perf_counter() - begun) * 1000)
    yield Figure(f"a new set in the draft, median of {len(times)}", float(np.median(times)), "ms", 300)
    yield Figure("a new set in the draft, the slowest", max(times), "ms", 300)


def _pictures(job: Job) -> Figure:
    """All small pictures of one piece, none of them kept; the textures are."""
    setpictures.RECIPE = time.time_ns()  # as no picture that is kept was made
    begun = time.perf_counter()
    count = len(list(setpictures.make_pictures(job)))
    return Figure(f"the pictures of all {count} sets for one piece", time.perf_counter() - begun, "s", 12)


def _mockups(job: Job) -> Iterator[Figure]:
    """16 samples in each studio set, against the room and key light of jobs before there were sets. By
    turns, the median of what each round says: a machine that others use too changes its pace from minute to
    minute."""
    plain = change(job, ("setting",), Setting(camera=fitted(job, STUDIO[0]).setting.camera))
    plain = change(plain, ("setting", "camera", "f_number"), 0.0)
    jobs = [plain, *(fitted(job, name) for name in STUDIO)]
    looked_at = [(Mockup(scene_of_job(one)), view_of(one)) for one in jobs]
    for mockup, view in looked_at:
        list(mockup.refine(view, SIZE, 2, looks=()))  # the programs are compiled
    usual, *others = np.array([[_seconds(*one) for one in looked_at] for _ in range(ROUNDS)]).T
    for name, seconds in zip(STUDIO, others, strict=True):
        share = float(np.median(seconds / usual)) * 100 - 100
        yield Figure(f"{name}: mockup of 16 samples slower by", share, "%", 25)


def _seconds(mockup: Mockup, view: View) -> float:
    begun = time.perf_counter()
    list(mockup.refine(view, SIZE, 16, looks=()))
    return time.perf_counter() - begun


def _exposures() -> Iterator[Figure]:
    """Lightness over the piece of every demo job that is no light sign."""
    draft = Draft()
    low, high = [], []
    for make in JOBS.values():
        job = make()
        scene, view = scene_of_job(job), view_of(job, SMALL[0] / SMALL[1])
        if scene.shines:
            continue
        pixels = draft.render(scene, view, SMALL)[..., :3]
        light = lab(srgb_decode(pixels / 255))[..., 0][draft.coverage(scene, view, SMALL)]
        low.append(float(np.percentile(light, 1)))
        high.append(float(np.percentile(light, 99)))
    yield Figure("least 1st percentile of lightness over a piece", min(low), "L*", 3, at_least=True)
    yield Figure("greatest 99th percentile of lightness over a piece", max(high), "L*", 98)


def _grounds() -> Iterator[tuple[str, Texture]]:
    yield "felt", photographs.felt(300.0)
    yield "leather", photographs.hide(300.0)
    yield "paper", photographs.paper(400.0)
    yield "render", photographs.roughcast(1200.0)
    yield "gravel", photographs.gravel(1000.0)
    yield "moss", photographs.moss(3000.0)
    yield "lawn", textures.lawn(6000.0)
    yield "road", textures.road(6000.0)


def _second_peak(texture: Texture) -> float:
    """Of a tile's lightness against itself moved, an eighth of a tile off and more."""
    grey = texture.tint.mean(axis=2, dtype=float)
    side = 160
    small = grey.reshape(side, grey.shape[0] // side, side, grey.shape[1] // side).mean(axis=(1, 3))
    small -= small.mean()
    found = np.fft.ifft2(np.abs(np.fft.fft2(small)) ** 2).real
    yy, xx = np.minimum(np.mgrid[:side, :side], side - np.mgrid[:side, :side])
    return float((found / found[0, 0])[np.hypot(yy, xx) > side / 8].max())
