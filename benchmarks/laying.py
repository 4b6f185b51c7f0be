"""Moving a lettering on every blank: from a step of the drag to its picture at moving resolution."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from benchmarks.drafts import SIZE, frame_seconds
from benchmarks.figure import Figure
from kilnchisel.core.blanks.body import body_of
from kilnchisel.core.job.blank import KINDS, TITLES, main_side
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import home_camera
from kilnchisel.core.job.lettering import Engraved, Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Fit, Wording
from kilnchisel.core.picture.draft import Draft
from kilnchisel.ui.view.picture import WALK_SCALE

WORDS = "TARNLIGHT OBSERVATORY UNDER A HILL"  # 30 letters


def run() -> Iterator[Figure]:
    """One figure a blank: the median of 24 steps, 30 letters engraved."""
    draft = Draft()
    moving = (int(SIZE[0] * WALK_SCALE), int(SIZE[1] * WALK_SCALE))
    for kind, title in TITLES.items():
        blank = KINDS[kind]()
        side, _, middle = main_side(blank)
        low_u, _, high_u, _ = body_of(blank).sheet(side).side.domain.bounds
        width = (high_u - low_u) * 0.6
        wording = Wording(text=WORDS, cap_height_mm=4, fit=Fit(by="size", width_mm=width))
        lettering = Lettering(
            wording=wording, lay=Lay(side=side, across_mm=middle), craft=Engraved(depth_mm=0.2)
        )
        job = Job(blank=blank, letterings=(lettering,))
        job = change(job, ("setting", "camera"), home_camera(blank))
        frame_seconds(draft, job, moving)
        spent = []
        for number in range(24):
            job = change(job, ("letterings", 0, "lay", "along_mm"), number * 0.05)
            spent.append(frame_seconds(draft, job, moving))
        yield Figure(f"{title}: a step of a move, 30 letters", float(np.median(spent)) * 1000, "ms", 100)
