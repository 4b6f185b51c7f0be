"""Pictures of several states of a job, for a page that compares or tries them, in a process of their own.

In: ("pictures", number, jobs, size in pixels, samples: 0 for quick ones). Out: ("picture", number, which,
pixels), ("done", number), and ("failed", sentence, report of a fault or "").
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from kilnchisel.core.workshop.aside import Answer, Stale, serve


class _Sideways:
    def __init__(self, answer: Answer, stale: Stale) -> None:
        self._answer, self._stale = answer, stale
        self._draft: Any = None

    def pictures(self, number: int, jobs: Sequence[Any], size: tuple[int, int], samples: int) -> None:
        """A picture of each, exposed as the first is, told one by one."""
        from kilnchisel.core.build import scene_of_job, view_of
        from kilnchisel.core.handover.pictures import PictureOrder, made_picture
        from kilnchisel.core.picture.draft import Draft

        if self._draft is None:
            self._draft = Draft()
        gain = scene_of_job(jobs[0]).gain
        for which, job in enumerate(jobs):
            if self._stale():
                return
            scene = replace(scene_of_job(job), gain=gain)
            if samples:
                refined = made_picture(job, PictureOrder(size, samples), self._stale, scene=scene)
                if refined is None:
                    return
                pixels = refined.pixels
            else:
                pixels = self._draft.render(scene, view_of(job, size[0] / size[1]), size)
            shown = np.ascontiguousarray(np.asarray(pixels)[..., :3])
            self._answer(("picture", number, which, shown))
        self._answer(("done", number))


def _made(answer: Answer, stale: Stale) -> dict[str, Callable[..., None]]:
    return {"pictures": _Sideways(answer, stale).pictures}


if __name__ == "__main__":
    serve(_made, "pictures")
