"""Pictures of several states of a job, for a page that compares or tries them, in a process of their own.

In: ("pictures", number, jobs, size in pixels, samples: 0 for quick ones, which lettering is to fill them or
None). Out: ("picture", number, which,
pixels), ("done", number), and ("failed", sentence, report of a fault or "").
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from kilnchisel.core.workshop.aside import Answer, Stale, serve


class _Sideways:
    def __init__(self, answer: Answer, stale: Stale) -> None:
        self._answer, self._stale = answer, stale
        self._alike: Any = None

    def pictures(
        self,
        number: int,
        jobs: Sequence[Any],
        size: tuple[int, int],
        samples: int,
        close: int | None = None,
    ) -> None:
        """A picture of each, exposed as the first is, told one by one."""
        from kilnchisel.core.handover.pictures import PictureOrder
        from kilnchisel.core.handover.sidebyside import Alike, largest_lettered

        self._alike = self._alike or Alike()
        self._alike.anew(None if close is None else largest_lettered(jobs, close))
        order = PictureOrder(
            size, max(samples, 1), draft=not samples, square_on=close, close=close is not None
        )
        for which, job in enumerate(jobs):
            pixels = None if self._stale() else self._alike.picture(job, order, self._stale)
            if pixels is None:
                return
            self._answer(("picture", number, which, pixels))
        self._answer(("done", number))


def _made(answer: Answer, stale: Stale) -> dict[str, Callable[..., None]]:
    return {"pictures": _Sideways(answer, stale).pictures}


if __name__ == "__main__":
    serve(_made, "pictures")
