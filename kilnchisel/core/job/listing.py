"""A list of names laid beside a job: how its rows are made, and what was put right by hand in some."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from kilnchisel.core.job.base import Value

MOST_BY_HAND = 10_000
Cell = Annotated[str, Field(max_length=2000)]
Fit = Literal["none", "size", "rows"]


class ByHand(Value):
    """What was put right in one row, found again by its ``cells``: ``fields``, each a written path and a
    written value as ``kilnchisel set`` takes them."""

    cells: Annotated[tuple[Cell, ...], Field(max_length=200)]
    fields: Annotated[tuple[tuple[Cell, Cell], ...], Field(max_length=200)]


class Listing(Value):
    """``file``: what the list is called, that lies beside the job. ``name``: of what a row gives, with
    {columns}. ``fit``: how lettering with words of the list that is wider than ``most_mm`` is brought to
    that: as a whole smaller, or first in two rows. ``kinds``: what is handed over of each row, ``choices``:
    how, by the names of hand-over's choices."""

    file: Annotated[str, StringConstraints(max_length=255, pattern=r"^[^/\\\x00]*$")] = ""
    name: Annotated[str, Field(max_length=200)] = ""
    fit: Fit = "none"
    most_mm: Annotated[float, Field(ge=0, le=100_000)] = 0.0
    kinds: Annotated[tuple[Cell, ...], Field(max_length=40)] = ("picture",)
    choices: Annotated[tuple[tuple[Cell, Cell], ...], Field(max_length=80)] = ()
    by_hand: Annotated[tuple[ByHand, ...], Field(max_length=MOST_BY_HAND)] = ()

    def put_right(self, cells: tuple[str, ...], fields: tuple[tuple[str, str], ...]) -> Listing:
        """The same with these fields put right in a row, and no others; without any it is as the list has
        it."""
        kept = tuple(one for one in self.by_hand if one.cells != cells)
        made = (ByHand(cells=cells, fields=fields),) if fields else ()
        return self.model_copy(update={"by_hand": kept + made})
