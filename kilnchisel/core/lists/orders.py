"""The rows of a list as orders, each with all that it needs where it is made: pictures that a column names
are taken in here, where their files are."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Artwork, Picture
from kilnchisel.core.job.assets import asset
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.recipes import recipe_named
from kilnchisel.core.lettering.content import PICTURE_ENDINGS, content_of_file
from kilnchisel.core.lists.filling import RECIPE
from kilnchisel.core.lists.outcomes import Order, listing_of, names_of, right_by_hand
from kilnchisel.core.lists.rows import Names

PICTURE = re.compile(r"letterings\.(\d{1,3})\.picture")


def orders_of(job: Job, names: Names, beside: Path) -> Iterator[Order]:
    """The rows. ``beside``: the folder that pictures are named from. Raises KilnError where two rows would
    be called the same."""
    listing = listing_of(job)
    called = names_of(names, listing)
    right = right_by_hand(listing)
    read: dict[tuple[int, str], Artwork | Picture] = {}
    for index, name in enumerate(called):
        row, cells = names.row(index), names.rows[index]
        yield completed(job, Order(index + 1, name, row, right.get(cells, ())), beside, read)


def completed(
    job: Job,
    order: Order,
    beside: Path,
    read: dict[tuple[int, str], Artwork | Picture] | None = None,
) -> Order:
    """An order with what its files hold in the place of their names, or refused. ``read``: what was taken
    in before, by lettering and name."""
    try:
        return _with_pictures(job, order, beside, {} if read is None else read)
    except KilnError as error:
        return Order(order.number, order.name, order.row, refused=str(error))


def _with_pictures(
    job: Job, order: Order, beside: Path, read: dict[tuple[int, str], Artwork | Picture]
) -> Order:
    """The order with the content of files in the place of their names. Raises KilnError."""
    row, assets = dict(order.row), []
    for column, value in order.row.items():
        if RECIPE.fullmatch(column) and value:  # one's own are on this machine
            row[column] = recipe_named(value).model_dump_json()
        found = PICTURE.fullmatch(column)
        if found is None:
            continue
        del row[column]
        if not value:
            continue  # the job's own
        index = int(found[1]) - 1
        if not 0 <= index < len(job.letterings):
            raise KilnError(f"“{column}”: there is no lettering {index + 1}.")
        if (index, value) not in read:
            read[index, value] = _content(job, index, _beside(beside, value))
        content = read[index, value]
        row[f"letterings.{index + 1}.content"] = content.model_dump_json()
        assets.append(asset(content.sha256, content.name))
    return Order(order.number, order.name, row, order.by_hand, tuple(assets), order.refused)


def _beside(folder: Path, name: str) -> Path:
    """A file that a list names. Raises KilnError for one elsewhere: lists come from strangers."""
    path = folder / name
    try:
        inside = path.resolve().is_relative_to(folder.resolve())
    except (OSError, ValueError, RuntimeError):
        inside = False
    if not inside:
        raise KilnError(f"“{name[:60]}” is not beside the list; put the file there.")
    return path


def _content(job: Job, index: int, path: Path) -> Artwork | Picture:
    """A file in the place of what a lettering is now, as wide as that. Raises KilnError."""
    old, new = job.letterings[index].content, content_of_file(path)
    if isinstance(old, Picture):
        if path.suffix.lower() not in PICTURE_ENDINGS:
            raise KilnError(f"{path.name} is no picture in colour; {', '.join(PICTURE_ENDINGS)} are.")
        return old.model_copy(update={"sha256": new.sha256, "name": new.name, "strokes": ()})
    if isinstance(old, Artwork):
        kept = {name: getattr(old, name) for name in ("width_mm", "threshold", "smooth", "lines", "pen_mm")}
        return new.model_copy(update=kept)
    return new
