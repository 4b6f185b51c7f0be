"""A row of a list put into a job: its words where {column} stands, its values where a column names a field,
and what is too wide made to fit."""

from __future__ import annotations

import datetime
import re
from dataclasses import dataclass

from pydantic import ValidationError

from kilnchisel.core.build import lettering_laid
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.edits import change, refusal, set_field
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.listing import Fit
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.recipes import Recipe, applied, recipe_named
from kilnchisel.core.job.ringsizes import inner_of_size
from kilnchisel.core.job.wording import Wording
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.lists.rows import Names
from kilnchisel.core.units import format_length

PLACE = re.compile(r"\{([^{}:]+)(?::([^{}]*))?\}")
FIELD = re.compile(
    r"(?:letterings\.\d+|blank|finish|rim_finish|detail_finish|plates|wear|setting)(?:\.\w+)*"
)
RECIPE = re.compile(r"letterings\.(\d{1,3})\.recipe")
RING_SIZE = "blank.ring_size"
PATH = re.compile(r"\w+(?:\.\w+)+")
DAYS = ("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%Y/%m/%d")
WORD = re.compile(r"[^\W_]+(?:['’][^\W_]+)*")
ONE_LETTER = re.compile(r"([^\W\d_]['’])([^\W\d_]{2,})")  # O'Brien, D'Arcy; not Jane's, not I'm
LEAST_SHARE = 0.5  # of its size that a lettering is made smaller to
ROUNDS = 8
STILL_WIDER = "still wider"


def _each_word(text: str) -> str:
    """Each word with a capital, also behind an apostrophe where that is what names have."""

    def put(found: re.Match[str]) -> str:
        word = found[0].lower()
        name = ONE_LETTER.fullmatch(word)
        return name[1].upper() + name[2].capitalize() if name else word[:1].upper() + word[1:]

    return WORD.sub(put, text)


CASES = {"capitals": str.upper, "small": str.lower, "each word": _each_word}


@dataclass(frozen=True)
class Filled:
    """A job of one row; ``told``: what was done so that it fits, in words."""

    job: Job
    told: tuple[str, ...]


def filled(
    job: Job,
    row: dict[str, str],
    number: int,
    fit: Fit = "none",
    most_mm: float = 0.0,
    by_hand: tuple[tuple[str, str], ...] = (),
) -> Filled:
    """The job with a row of a list in it. ``number``: of the row, from 1, which is {row}; ``fit``: how
    lettering with words of the list that is wider than ``most_mm`` is brought to that: as a whole smaller,
    or first in two rows; ``by_hand``: fields by their written paths that were put right in this row, which
    hold whatever the list and the fitting say. Raises KilnError naming what cannot be."""
    values = {"row": str(number)} | row  # a list may have a column of that name
    recipes: dict[int, Recipe] = {}
    for column, value in row.items():
        if not value:
            continue
        if column == RING_SIZE:
            job = set_field(job, "blank.inner_mm", f"{inner_of_size(value):.4f}")
        elif found := RECIPE.fullmatch(column):
            recipes[_index(job, column, found[1])] = recipe_written(value)
        elif FIELD.fullmatch(column):
            job = set_field(job, column, value)
    told: dict[int, list[str]] = {}
    of_list = False
    for index, item in enumerate(job.letterings):
        content = item.content
        if not isinstance(content, Wording) or "{" not in content.text:
            continue
        text, of_list = words_of(content.text, values), True
        job = change(job, ("letterings", index, "content", "text"), text)
        if fit != "none" and text.strip():
            job, told[index] = _fitted(job, index, most_mm, fit)
    for index, recipe in recipes.items():  # its lengths go by the size of the letters
        job = applied(job, index, recipe)
    for path, value in by_hand:
        job = set_field(job, path, value)
    if of_list and not any(_lettered(item) for item in job.letterings):
        raise KilnError("It has no words: the cells of this row are empty.")
    if by_hand:
        for index in told:
            if any(path.startswith(f"letterings.{index + 1}.") for path, _ in by_hand):
                wide = _wide(job, index)
                told[index] = [] if wide <= most_mm else [f"{_quoted(job, index)}: {_still(most_mm)}"]
    words = [one for several in told.values() for one in several]
    if by_hand:
        words.append(f"put right by hand: {', '.join(path for path, _ in by_hand)}")
    return Filled(job, tuple(words))


def _lettered(item: Lettering) -> bool:
    """Whether a lettering shows something."""
    return not item.hidden and not (isinstance(item.content, Wording) and not item.content.text.strip())


def recipe_written(value: str) -> Recipe:
    """A recipe by its name, or as it is sent: JSON. Raises KilnError."""
    if not value.startswith("{"):
        return recipe_named(value)
    try:
        return Recipe.model_validate_json(value)
    except ValidationError as error:
        raise KilnError(refusal(error)) from None


def _index(job: Job, column: str, number: str) -> int:
    index = int(number) - 1
    if not 0 <= index < len(job.letterings):
        raise KilnError(f"“{column}”: there is no lettering {number}.")
    return index


def words_of(text: str, values: dict[str, str]) -> str:
    """A text with what stands in braces in place: {name}, {name:capitals}, {number:0000} (leading zeros),
    {day:%d %B %Y}. Raises KilnError for a column that there is not."""

    def put(found: re.Match[str]) -> str:
        name, how = found[1].strip(), (found[2] or "").strip()
        known = {column.casefold(): value for column, value in values.items()}
        if name.casefold() not in known:
            there = ", ".join(column for column in values if column != "row")
            raise KilnError(f"There is no column “{name}” in the list; there is: {there}.")
        return _formed(known[name.casefold()], how)

    return PLACE.sub(put, text)


def _formed(value: str, how: str) -> str:
    if not how:
        return value
    if how in CASES:
        return CASES[how](value)
    if set(how) == {"0"}:
        return value.zfill(len(how)) if value.isdigit() else value
    if "%" in how:
        for form in DAYS:
            try:
                return datetime.datetime.strptime(value, form).strftime(how)
            except ValueError:
                continue
        raise KilnError(f"“{value[:30]}” is no day; write it as 2026-11-28.")
    raise KilnError(f"“{how[:30]}” is no way to write a word; {', '.join(CASES)}, 000, or %d %B %Y is.")


def columns_in(job: Job) -> tuple[str, ...]:
    """The columns that a job's words name, each once."""
    texts = (item.content.text for item in job.letterings if isinstance(item.content, Wording))
    return tuple(dict.fromkeys(found[1].strip() for text in texts for found in PLACE.finditer(text)))


def lettered_by_list(job: Job, names: Names) -> int | None:
    """The first lettering that shows something of a list; None where none does."""
    for index, item in enumerate(job.letterings):
        own = f"letterings.{index + 1}."
        if item.hidden:
            continue
        if isinstance(item.content, Wording) and PLACE.search(item.content.text):
            return index
        if any(column.startswith(own) for column in names.columns):
            return index
    return None


def refuse_unlisted(job: Job, names: Names, called: str) -> None:
    """Raises KilnError where nothing of a job is of the list, or a column is written like a field of a job
    and is none."""
    used = {name.casefold() for name in columns_in(job)}
    for column in names.columns:
        if PATH.fullmatch(column) and not FIELD.fullmatch(column) and column.casefold() not in used:
            raise KilnError(f"The column “{column}” is called like a field, but there is no such field.")
    if not columns_in(job) and not any("." in column for column in names.columns):
        columns = ", ".join(f"{{{column}}}" for column in names.columns[:6])
        raise KilnError(f"Nothing on {called} is of the list; write {columns} among its words.")


def _fitted(job: Job, index: int, room_mm: float, fit: Fit) -> tuple[Job, list[str]]:
    """A lettering no wider than there is room for."""
    content = job.letterings[index].content
    assert isinstance(content, Wording)
    wide = _wide(job, index)
    if wide <= room_mm:
        return job, []
    name = _quoted(job, index)
    if fit == "rows" and " " in content.text.strip() and "\n" not in content.text:
        words = content.text.split()
        # broken where both rows are most alike
        cut = min(
            range(1, len(words)), key=lambda k: abs(len(" ".join(words[:k])) - len(" ".join(words[k:])))
        )
        text = f"{' '.join(words[:cut])}\n{' '.join(words[cut:])}"
        job = change(job, ("letterings", index, "content", "text"), text)
        wide = _wide(job, index)
        name += " in two rows"
        if wide <= room_mm:
            return job, [name]
    size = whole = content.cap_height_mm
    for _ in range(ROUNDS):  # what is between letters stays as wide as it is
        if wide <= room_mm or size <= whole * LEAST_SHARE:
            break
        size = round(max(size * room_mm / wide * 0.999, whole * LEAST_SHARE), 3)
        job = change(job, ("letterings", index, "content", "cap_height_mm"), size)
        wide = _wide(job, index)
    told = f"{name}: capitals {format_length(whole)} to {format_length(size)}"
    return job, [told if wide <= room_mm else f"{told}, {_still(room_mm)}"]


def _quoted(job: Job, index: int) -> str:
    return f"“{one_line(job.letterings[index])[:30]}”"


def _still(room_mm: float) -> str:
    return f"{STILL_WIDER} than {format_length(room_mm)}"


def _wide(job: Job, index: int) -> float:
    box = lettering_laid(job, index).ink.bounds
    return float(box[2] - box[0])
