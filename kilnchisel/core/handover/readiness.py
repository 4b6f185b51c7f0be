"""What a machine makes once: compiled programs, textures, places, what mirrors show of a room.

Made at set-up, so that nobody waits for it at the first piece of a kind or in the first set of its kind.
Each step draws what a person would open, the way it is drawn then: whatever that needs is made and kept
(``core/kept.py``), and what is there already costs its drawing.
"""

from __future__ import annotations

import multiprocessing
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass

from kilnchisel.core.build import piece_of, scene_of_job, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.blank import TITLES
from kilnchisel.core.job.crafts import Engraved
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.sets import fitted, home_set
from kilnchisel.core.job.setups import SETS

SIZE = (264, 176)
PROCESSES = 2  # each may hold a gigabyte
DEEP_MM = 0.5  # of the letters that are carved
FIRST = "mug"  # what a person meets first: it is made in all its sets, and its mockup


@dataclass(frozen=True)
class Step:
    """A piece of this kind in this set; ``mockup``: its mockup too."""

    kind: str
    set_name: str
    mockup: bool = False


def steps() -> tuple[Step, ...]:
    """Every kind of blank in the set it is at home in, FIRST in all sets that it suits, every other set
    once."""
    fresh = {kind: fresh_job(kind) for kind in TITLES}
    found = [Step(kind, home_set(job.blank), mockup=kind == FIRST) for kind, job in fresh.items()]
    found += [Step(FIRST, name) for name, one in SETS.items() if one.suits(fresh[FIRST].blank)]
    seen = {step.set_name for step in found}
    found += [
        Step(next(kind for kind, job in fresh.items() if one.suits(job.blank)), name)
        for name, one in SETS.items()
        if name not in seen
    ]
    taken: dict[tuple[str, str], Step] = {}
    for step in found:
        taken.setdefault((step.kind, step.set_name), step)
    return tuple(taken.values())


def make_ready(chosen: tuple[Step, ...], processes: int = PROCESSES) -> Iterator[tuple[Step, str]]:
    """Take the steps, in processes of their own; each as it is done, with the sentence that tells why it
    could not be, or nothing. Raises KilnError where their processes end."""
    with ProcessPoolExecutor(processes, multiprocessing.get_context("spawn")) as pool:
        running = {pool.submit(take, step): step for step in chosen}
        try:
            for done in as_completed(running):
                said = ""
                try:
                    done.result()
                except KilnError as error:  # without OpenGL there are no drafts to make ready for
                    said = str(error)
                yield running[done], said
        except BrokenProcessPool:
            raise KilnError("What makes it ready has ended; the rest is made when it is needed.") from None
        finally:
            pool.shutdown(wait=False, cancel_futures=True)


def take(step: Step) -> None:
    """Draw a piece as it opens, and its mockup where that is wanted. Raises KilnError without OpenGL."""
    from kilnchisel.core.picture.draft import Draft
    from kilnchisel.core.picture.mockup import Mockup

    job = fitted(fresh_job(step.kind), step.set_name)
    scene, view = scene_of_job(job, detail=Detail.ROUGH), view_of(job, SIZE[0] / SIZE[1])
    draft = Draft()
    try:
        draft.render(scene, view, SIZE, detail=Detail.ROUGH)
        draft.render(scene, view, SIZE)  # whole textures
    finally:
        draft.close()
    if step.mockup:
        # a height that changes all over: the loops that tell how far it is from the outline
        piece_of(change(job, ("letterings", 0, "craft"), Engraved(floor="v", depth_mm=DEEP_MM)))
        for _ in Mockup(scene).refine(view, SIZE, 1, looks=()):
            pass
