"""From a pause to the first and the clean mockup, and what is spent beside tracing and denoising."""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import Any

from benchmarks.figure import Figure
from demo.jobs import night_crew_mug
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.job.edits import change
from kilnchisel.core.picture import mockup as module
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.picture.tracing import TracedScene, variant_name

SIZE = (700, 560)
CLEAN_SAMPLES = 24


class _Clock:
    """Sums the time spent inside a function."""

    def __init__(self, holder: Any, name: str) -> None:
        self.spent = 0.0
        self._inner = getattr(holder, name)
        self._holder, self._name = holder, name
        setattr(holder, name, self._timed)

    def _timed(self, *arguments: Any, **named: Any) -> Any:
        start = time.perf_counter()
        try:
            return self._inner(*arguments, **named)
        finally:
            self.spent += time.perf_counter() - start

    def stop(self) -> None:
        setattr(self._holder, self._name, self._inner)


def run() -> Iterator[Figure]:
    """The demo mug: once to warm up (programs compiled and kept), then another wording timed."""
    job = night_crew_mug()
    for _ in Mockup(scene_of_job(job)).refine(view_of(job), SIZE, 2):
        pass
    job = change(job, ("letterings", 0, "content", "text"), "TARNLIGHTS")
    scene, view = scene_of_job(job), view_of(job)
    clocks = [_Clock(module, "denoised")]
    begun = time.perf_counter()
    mockup = Mockup(scene)
    loaded = time.perf_counter()
    traced: TracedScene = mockup.traced
    clocks += [_Clock(traced, "seen"), _Clock(traced, "guides")]
    first = None
    for _ in mockup.refine(view, SIZE, CLEAN_SAMPLES):
        first = first or time.perf_counter()
    ended = time.perf_counter()
    for clock in clocks:
        clock.stop()
    inside = sum(clock.spent for clock in clocks) + (loaded - begun)
    print(f"  variant {variant_name()}; loading the scene {loaded - begun:.2f} s")
    assert first is not None
    yield Figure("pause to first picture, 700x560", first - begun, "s", 1.5)
    yield Figure(f"pause to clean picture, {CLEAN_SAMPLES} samples", ended - begun, "s", 15)
    yield Figure("spent outside renderer and denoiser", (1 - inside / (ended - begun)) * 100, "%", 15)
    yield _cancelling(mockup, view)


def _cancelling(mockup: Mockup, view: Any) -> Figure:
    """From the wish to stop, at some moment of the work, to its end: the longest of eight."""
    longest = 0.0
    for number in range(8):
        wish = time.perf_counter() + 1.0 + 0.23 * number
        for _ in mockup.refine(view, SIZE, 64, lambda w=wish: time.perf_counter() > w, looks=()):
            pass
        longest = max(longest, time.perf_counter() - wish)
    return Figure("longest wait after cancelling, of 8", longest * 1000, "ms", 200)
