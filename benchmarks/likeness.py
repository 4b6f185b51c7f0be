"""How like the draft is to the mockup of the same scene."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from benchmarks.figure import Figure
from demo.jobs import JOBS
from kilnchisel.core.build import scene_of_job, view_of
from kilnchisel.core.colour import delta_e, srgb_decode
from kilnchisel.core.picture.draft import Draft
from kilnchisel.core.picture.mockup import Mockup
from kilnchisel.core.picture.tracing import Slice, TracedScene
from kilnchisel.core.scene.scene import Scene
from kilnchisel.core.scene.view import View

SIZE = (560, 448)


def run() -> Iterator[Figure]:
    """Mean colour difference over the piece and overlap of the silhouettes, each demo job."""
    draft = Draft()
    for stem, make in JOBS.items():
        job = make()
        scene, view = scene_of_job(job), view_of(job)
        quick = draft.render(scene, view, SIZE)[..., :3]
        mockup = Mockup(scene)
        last = None
        for state in mockup.refine(view, SIZE, 64, looks=()):
            last = state
        assert last is not None
        covered = draft.coverage(scene, view, SIZE)
        # the outline itself: where half of one out of focus lies is a matter of noise
        traced = coverage(scene, replace(view, opening_mm=0.0))
        difference = delta_e(srgb_decode(quick / 255), srgb_decode(last.pixels / 255))
        yield Figure(f"{stem}: mean difference over the piece", float(difference[covered].mean()), "dE", 6)
        both, either = np.sum(covered & traced), np.sum(covered | traced)
        yield Figure(f"{stem}: silhouettes overlap", 100 * both / either, "%", 99.5, at_least=True)


def coverage(scene: Scene, view: View) -> Any:
    """Which pixels the path tracer sees the piece in, by more than half: (h, w) bool."""
    alone = TracedScene(replace(scene, base=None, panels=(), street=None, laid=(), trees=()))
    share = alone.light(Slice(view, SIZE, (0, SIZE[1]), 16, 1))[..., 3] / 16
    return share > 0.5
