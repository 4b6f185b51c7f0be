"""Edits as functions: a job and a change in, a new job out. Validation errors become sentences."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.base import Value
from kilnchisel.core.job.blank import Blank, Plaque
from kilnchisel.core.job.lettering import Engraved, Lay, Lettering, Wording
from kilnchisel.core.job.model import Job
from kilnchisel.core.units import format_number

Path = tuple[str | int, ...]

UNITS = {"mm": "mm", "deg": "°", "stops": "stops"}


@dataclass(frozen=True)
class Fix:
    """A change offered by a check: a few words for the button, and the change."""

    label: str
    apply: Callable[[Job], Job]


def read(job: Value, path: Path) -> Any:
    """The value at ``path``, e.g. ``("letterings", 0, "craft", "depth_mm")``."""
    value: Any = job
    for step in path:
        value = value[step] if isinstance(step, int) else getattr(value, step)
    return value


def change(job: Job, path: Path, value: Any) -> Job:
    """A job with the value at ``path`` replaced, validated.

    Raises KilnError with a sentence when the value is refused; the given job is untouched.
    """
    try:
        result = _changed(job, path, value)
    except ValidationError as error:
        raise KilnError(refusal(error)) from None
    assert isinstance(result, Job)
    return result


def _changed(holder: Any, path: Path, value: Any) -> Any:
    if not path:
        return value
    step, rest = path[0], path[1:]
    if isinstance(step, int):
        items = list(holder)
        items[step] = _changed(items[step], rest, value)
        return tuple(items)
    inner = _changed(getattr(holder, step), rest, value)
    fields = {name: getattr(holder, name) for name in type(holder).model_fields}
    fields.update(holder.model_extra or {})
    fields[step] = inner
    return type(holder).model_validate(fields)


def refusal(error: ValidationError) -> str:
    """The first problem of a validation error as one sentence."""
    problem = error.errors()[0]
    context = problem.get("ctx", {})
    name = next((str(p) for p in reversed(problem["loc"]) if isinstance(p, str)), "value")
    label, unit = field_label(name)
    given = problem.get("input")
    shown = f"{format_number(given, 3)}{unit}" if isinstance(given, int | float) else repr(given)
    kind = problem["type"]
    if kind in ("greater_than_equal", "greater_than"):
        least = float(context.get("ge", context.get("gt", 0)))
        return f"{label} {shown} is too small; the least is {format_number(least, 3)}{unit}."
    if kind in ("less_than_equal", "less_than"):
        most = float(context.get("le", context.get("lt", 0)))
        return f"{label} {shown} is too large; the most is {format_number(most, 3)}{unit}."
    if kind == "missing":
        return f"“{name}” is missing."
    return f"{label}: {shown[:80]} cannot be used ({problem['msg'].lower()})."


def field_label(name: str) -> tuple[str, str]:
    """A field's name in words and its unit with a leading space, e.g. ("Cap height", " mm")."""
    stem, _, ending = name.rpartition("_")
    if stem and ending in UNITS:
        unit = UNITS[ending] if ending == "deg" else f" {UNITS[ending]}"
        return stem.replace("_", " ").capitalize(), unit
    return name.replace("_", " ").capitalize(), ""


def limits(model: type[Value], field: str) -> tuple[float | None, float | None]:
    """The least and the most a numeric field takes, None where it is open."""
    least = most = None
    for rule in model.model_fields[field].metadata:
        least = getattr(rule, "ge", least)
        most = getattr(rule, "le", most)
    return least, most


def with_lettering(job: Job, lettering: Lettering, at: int | None = None) -> Job:
    """The job with a lettering added (at the end unless ``at`` is given)."""
    items = list(job.letterings)
    items.insert(len(items) if at is None else at, lettering)
    return change(job, ("letterings",), tuple(items))


def without_lettering(job: Job, index: int) -> Job:
    """The job without the lettering at ``index``."""
    items = job.letterings[:index] + job.letterings[index + 1 :]
    return change(job, ("letterings",), items)


def new_lettering(job: Job, text: str = "New lettering") -> Lettering:
    """A lettering that looks right at once on this job's blank, in the manner of its last one."""
    if job.letterings:
        last = job.letterings[-1]
        drop = last.wording.cap_height_mm * last.wording.row_spacing / 100
        rows = last.wording.text.count("\n") + 1
        lay = last.lay.model_copy(update={"across_mm": last.lay.across_mm - drop * rows})
        return last.model_copy(
            update={"wording": last.wording.model_copy(update={"text": text}), "lay": lay}
        )
    return first_lettering(job.blank, text)


def first_lettering(blank: Blank, text: str) -> Lettering:
    """A first lettering: centred on the blank's main side, a sixth of its height."""
    if isinstance(blank, Plaque):
        cap = round(min(blank.height_mm, blank.width_mm) / 6, 1)
        return Lettering(
            wording=Wording(text=text, cap_height_mm=cap), lay=Lay(side="front"), craft=Engraved()
        )
    return Lettering(
        wording=Wording(text=text, cap_height_mm=round(blank.height_mm / 9, 1)),
        lay=Lay(side="outside", across_mm=round(blank.height_mm * 0.52, 1)),
    )
