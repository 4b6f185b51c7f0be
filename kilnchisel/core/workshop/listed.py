"""Rows of a list checked, and looked at one by one, for the page of names, in a process of their own.

In: ("check", number, job, names, beside); ("look", number, job, order, beside, which lettering is looked
straight at or None). Out: ("rows", number, outcomes), ("checked", number), ("looked", number, row, outcome,
what can be put right, pixels or None), and ("failed", sentence, report of a fault or "").
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from kilnchisel.core.workshop.aside import Answer, Stale, serve

AT_ONCE = 20
SIZE = (480, 320)


class _Listed:
    def __init__(self, answer: Answer, stale: Stale) -> None:
        self._answer, self._stale = answer, stale
        self._easel: Any = None

    def check(self, number: int, job: Any, names: Any, beside: Path) -> None:
        """All rows, some at once; no further where a newer list waits."""
        from kilnchisel.core.lists.making import checked

        ready: list[Any] = []
        for outcome in checked(job, names, beside, stop=self._stale):
            ready.append(outcome)
            if len(ready) >= AT_ONCE:
                self._answer(("rows", number, ready))
                ready = []
        self._answer(("rows", number, ready))
        self._answer(("checked", number))

    def look(self, number: int, job: Any, order: Any, beside: Path, at: int | None) -> None:
        """One row: what came of it, what of it can be put right by hand, and its picture."""
        from kilnchisel.core.handover.pictures import Easel, PictureOrder, made_picture
        from kilnchisel.core.lists.orders import completed
        from kilnchisel.core.lists.outcomes import looked_at

        row = order.number
        outcome, made = looked_at(job, completed(job, order, beside))
        if made is None:
            self._answer(("looked", number, row, outcome, (), None))
            return
        self._easel = self._easel or Easel()
        drawn = made_picture(made, PictureOrder(SIZE, draft=True, square_on=at), easel=self._easel)
        assert drawn is not None
        self._answer(("looked", number, row, outcome, _fields(job, made), drawn.pixels))


def _fields(job: Any, made: Any) -> tuple[tuple[int, Any, Any], ...]:
    """Of each lettering with words of the list: its number, and its content and lay as they are now."""
    from kilnchisel.core.job.wording import Wording

    return tuple(
        (index, item.content, item.lay)
        for index, item in enumerate(made.letterings)
        if isinstance(item.content, Wording)
        and isinstance(job.letterings[index].content, Wording)
        and "{" in job.letterings[index].content.text
    )


def _made(answer: Answer, stale: Stale) -> dict[str, Callable[..., None]]:
    listed = _Listed(answer, stale)
    return {"check": listed.check, "look": listed.look}


NEWEST = "check"

if __name__ == "__main__":
    serve(_made, NEWEST)
