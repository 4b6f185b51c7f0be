"""What comes of a row: looked at in its job, fitted, put right by hand, checked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.assets import keep_asset
from kilnchisel.core.job.listing import Listing
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.lists.filling import STILL_WIDER, filled, words_of
from kilnchisel.core.lists.rows import Names
from kilnchisel.core.remembered import remembered
from kilnchisel.core.shop.checks import warned

LONGEST_NAME = 80


@dataclass(frozen=True)
class Order:
    """A row to be made: its number from 1, its name, its cells by their columns, and what was put right in
    it by hand; ``assets``: the bytes of pictures that it brings."""

    number: int
    name: str
    row: dict[str, str]
    by_hand: tuple[tuple[str, str], ...] = ()
    assets: tuple[bytes, ...] = ()
    refused: str = ""  # why it cannot be made, as far as that is known before


@dataclass(frozen=True)
class Outcome:
    """What came of a row: its number from 1, its name, what was done so that it fits, what checks warn of,
    and why it cannot be made; ``seconds``: what it took."""

    row: int
    name: str
    fitted: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    refused: str = ""
    seconds: float = 0.0

    @property
    def good(self) -> bool:
        return not (self.warnings or self.refused)

    @property
    def done(self) -> tuple[str, ...]:
        """What was done so that it fits, and did; what did not is among the warnings."""
        return tuple(words for words in self.fitted if words not in self.warnings)


@remembered
def right_by_hand(listing: Listing) -> dict[tuple[str, ...], tuple[tuple[str, str], ...]]:
    """What was put right by hand, by the cells of its row."""
    return {one.cells: one.fields for one in listing.by_hand}


def listing_of(job: Job) -> Listing:
    """How a job's rows are made: as it says, or as they are at first."""
    return job.listing or Listing()


def checked_listing(listing: Listing) -> Listing:
    """The same, if it can be done. Raises KilnError."""
    if listing.fit != "none" and listing.most_mm <= 0:
        raise KilnError("Say how wide it may be: --most 80mm")
    return listing


def name_of(names: Names, row: int, listing: Listing) -> str:
    """What a row's files are called: letters, digits, spaces, each row another. Raises KilnError."""
    wide = len(str(len(names.rows)))
    number = str(row + 1).zfill(wide)
    values = {"row": number} | names.row(row)
    text = words_of(listing.name, values) if listing.name else f"{number} {names.rows[row][0]}"
    plain = " ".join("".join(c if c.isalnum() or c in "-_. " else " " for c in text).split()).strip(".")
    return plain[:LONGEST_NAME].strip() or number


def names_of(names: Names, listing: Listing) -> list[str]:
    """All rows' names. Raises KilnError where two are the same."""
    found = [name_of(names, row, listing) for row in range(len(names.rows))]
    seen: dict[str, int] = {}
    for row, name in enumerate(found):
        if name.casefold() in seen:
            first = seen[name.casefold()] + 1
            raise KilnError(
                f"Rows {first} and {row + 1} would both be called “{name}”; use {{row}} in the name."
            )
        seen[name.casefold()] = row
    return found


def looked_at(job: Job, order: Order) -> tuple[Outcome, Job | None]:
    """A row in its job, checked, what it brings taken in; no job where it cannot be made."""
    for data in order.assets:
        keep_asset(data)
    if order.refused:
        return Outcome(order.number, order.name, refused=order.refused), None
    listing = listing_of(job)
    try:
        made = filled(job, order.row, order.number, listing.fit, listing.most_mm, order.by_hand)
        told = tuple(f"{one_line(item)[:30]}: {check.says}" for item, check in warned(made.job))
    except KilnError as error:
        return Outcome(order.number, order.name, refused=str(error)), None
    still = tuple(words for words in made.told if STILL_WIDER in words)
    warnings = tuple(dict.fromkeys((*still, *told)))
    return Outcome(order.number, order.name, made.told, warnings), made.job


def worst_first(outcomes: Sequence[Outcome]) -> list[Outcome]:
    """What cannot be made, then what checks warn of, then the rest, each in the list's order."""
    return sorted(outcomes, key=lambda one: (one.good, not one.refused, one.row))


def told_as(outcome: Outcome, **more: Any) -> dict[str, Any]:
    """An outcome as plain values, for JSON."""
    return {
        "row": outcome.row,
        "name": outcome.name,
        "fitted": list(outcome.fitted),
        "warnings": list(outcome.warnings),
        "refused": outcome.refused,
    } | more
