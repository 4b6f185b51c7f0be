"""Edits as functions: a job and a change in, a new job out. Validation errors become sentences."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.artwork import Artwork, Picture, Shape
from kilnchisel.core.job.base import Value
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.company import letterings_of_all, works_of
from kilnchisel.core.job.lettering import Content, Lettering
from kilnchisel.core.job.model import Job, Shot
from kilnchisel.core.job.photo import Cleared, Mask, Photo
from kilnchisel.core.job.setting import OwnPlace
from kilnchisel.core.job.wording import Circle, Curve, LetterChange, Slope, Wording
from kilnchisel.core.kinds import by_kind
from kilnchisel.core.units import format_number, parse_angle, parse_length

Where = tuple[str | int, ...]

UNITS = {"mm": "mm", "deg": "°", "stops": "stops"}


@dataclass(frozen=True)
class Fix:
    """A change offered by a check: a few words for the button, and the change."""

    label: str
    apply: Callable[[Job], Job]


def read(job: Value, path: Where) -> Any:
    """The value at ``path``, e.g. ``("letterings", 0, "craft", "depth_mm")``."""
    value: Any = job
    for step in path:
        value = value[step] if isinstance(step, int) else getattr(value, step)
    return value


def change(job: Job, path: Where, value: Any) -> Job:
    """A job with the value at ``path`` replaced, validated.

    Raises KilnError with a sentence when the value is refused; the given job is untouched.
    """
    try:
        result = _changed(job, path, value)
    except ValidationError as error:
        raise KilnError(refusal(error)) from None
    assert isinstance(result, Job)
    return _in_step(result, path) if path[:1] == ("letterings",) and len(path) > 1 else result


def _in_step(job: Job, path: Where) -> Job:
    """The job with the letterings that share the changed one's way of making brought into step."""
    index = path[1]
    if not isinstance(index, int) or not job.letterings[index].way:
        return job
    one = job.letterings[index]
    alike = tuple(
        item.model_copy(update={"craft": one.craft, "finish": one.finish}) if item.way == one.way else item
        for item in job.letterings
    )
    return job if alike == job.letterings else job.model_copy(update={"letterings": alike})


def _changed(holder: Any, path: Where, value: Any) -> Any:
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


def steps_of(job: Job, path: str) -> Where:
    """The way to a field from its written path ("letterings.1.craft.depth_mm", counted from 1). Raises
    KilnError where there is no such field."""
    steps: list[str | int] = []
    holder: Any = job
    for word in path.split("."):
        if isinstance(holder, tuple):
            if not re.fullmatch("[0-9]{1,9}", word) or not 1 <= int(word) <= len(holder):
                raise KilnError(f"“{path}”: after {steps[-1]} comes a number from 1 to {len(holder)}.")
            steps.append(int(word) - 1)
            holder = holder[int(word) - 1]
            continue
        fields = getattr(type(holder), "model_fields", {})
        if word not in fields:
            known = ", ".join(fields) or "nothing more"
            raise KilnError(f"“{path}”: there is no {word} here, only {known}.")
        steps.append(word)
        holder = getattr(holder, word)
    return tuple(steps)


def set_field(job: Job, path: str, text: str) -> Job:
    """The job with the field at a written path (as in ``steps_of``) given a written value: a number, a
    length with its unit, a word, or JSON. Raises KilnError."""
    steps = steps_of(job, path)
    made = change(job, steps, _read_value(str(steps[-1]), text))
    before = unknown_keys(read(job, steps))
    for where, there in unknown_keys(read(made, steps)).items():
        if where not in before:
            raise KilnError(f"“{path}.{where}”: there is no such field, only {', '.join(there)}.")
    return made


def unknown_keys(value: Any) -> dict[str, tuple[str, ...]]:
    """The fields inside a value that this version does not know ("letterings.1.lay.count", counted from 1),
    which it keeps, and for each those it knows there."""
    found: dict[str, tuple[str, ...]] = {}
    if isinstance(value, tuple):
        parts = [(str(number), part) for number, part in enumerate(value, start=1)]
    elif isinstance(value, Value):
        known = tuple(type(value).model_fields)
        found |= dict.fromkeys(value.model_extra or {}, known)
        parts = [(name, getattr(value, name)) for name in known]
    else:
        return {}
    for name, part in parts:
        found |= {f"{name}.{where}": known for where, known in unknown_keys(part).items()}
    return found


def unknown_words(job: Job) -> str:
    """What a job holds that this version does not know, as the end of a sentence; empty where nothing."""
    found = list(unknown_keys(job))
    if not found:
        return ""
    more = f" and {len(found) - 3} more" if len(found) > 3 else ""
    return f"holds what this version does not know, and keeps: {', '.join(found[:3])}{more}."


def _read_value(name: str, text: str) -> Any:
    try:
        return json.loads(text)
    except json.JSONDecodeError:
        if name.endswith("_mm"):
            return parse_length(text)
        return parse_angle(text) if name.endswith("_deg") else text


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
    if kind == "string_too_long":
        return f"{label} has {len(str(given)):,} characters; the most is {context['max_length']:,}."
    if kind == "too_long":
        return f"{label}: {context['actual_length']} are too many; the most is {context['max_length']}."
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


def duplicated(job: Job, index: int) -> Job:
    """The job with a lettering a second time, a capital height lower."""
    lettering = job.letterings[index]
    content = lettering.content
    drop = content.cap_height_mm * 1.7 if isinstance(content, Wording) else 5.0
    lay = lettering.lay.model_copy(update={"across_mm": round(lettering.lay.across_mm - drop, 2)})
    return with_lettering(job, lettering.model_copy(update={"lay": lay}), index + 1)


def reordered(job: Job, index: int, step: int) -> Job:
    """The job with a lettering moved in the list; later ones lie on top."""
    items = list(job.letterings)
    target = min(max(index + step, 0), len(items) - 1)
    items.insert(target, items.pop(index))
    return change(job, ("letterings",), tuple(items))


def retyped(wording: Wording, text: str) -> Wording:
    """Other words: what was done to single letters stays with those that are still there."""
    old = wording.text
    start = 0
    while start < min(len(old), len(text)) and old[start] == text[start]:
        start += 1
    end = 0
    while end < min(len(old), len(text)) - start and old[-1 - end] == text[-1 - end]:
        end += 1
    shift = len(text) - len(old)
    kept = []
    for item in wording.letters:
        if item.at < start:
            kept.append(item)
        elif item.at >= len(old) - end:
            kept.append(item.model_copy(update={"at": item.at + shift}))
    return wording.model_copy(update={"text": text, "letters": tuple(kept)})


def wording_at(job: Job, index: int) -> Wording:
    """The wording of a lettering that is words."""
    wording = job.letterings[index].content
    assert isinstance(wording, Wording)
    return wording


def letter_change(wording: Wording, at: int) -> LetterChange:
    """What is done to one letter, a plain one where nothing is."""
    return next((item for item in wording.letters if item.at == at), LetterChange(at=at))


def with_letter(wording: Wording, change_: LetterChange) -> Wording:
    """The wording with one letter treated so; a change that changes nothing is dropped."""
    others = [item for item in wording.letters if item.at != change_.at]
    if not change_.plain:
        others.append(change_)
    return wording.model_copy(update={"letters": tuple(sorted(others, key=lambda item: item.at))})


@by_kind(Content)
def scaled(content: Any, factor: float, natural_mm: float) -> Content:
    """Words, artwork or a shape made larger or smaller as a whole.

    ``natural_mm``: the present width of artwork that has no width of its own.
    """
    raise NotImplementedError


@scaled.of(Wording)
def _words(content: Wording, factor: float, natural_mm: float) -> Content:
    update: dict[str, Any] = {"cap_height_mm": _tenth(content.cap_height_mm * factor)}
    way = content.arrangement
    if isinstance(way, Circle):
        update["arrangement"] = way.model_copy(update={"radius_mm": _tenth(way.radius_mm * factor)})
    elif isinstance(way, Curve | Slope):
        points = tuple((round(x * factor, 2), round(y * factor, 2)) for x, y in way.points)
        update["arrangement"] = way.model_copy(update={"points": points})
    if content.fit is not None:
        width = _tenth(content.fit.width_mm * factor)
        update["fit"] = content.fit.model_copy(update={"width_mm": width})
    for name in ("pen_mm", "letter_spacing_mm"):
        if content.by_lines or name != "pen_mm":
            update[name] = round(getattr(content, name) * factor, 3)
    return content.model_copy(update=update)


@scaled.of(Shape)
def _shape(content: Shape, factor: float, natural_mm: float) -> Content:
    form = content.form
    sizes = {
        name: _tenth(getattr(form, name) * factor)
        for name in type(form).model_fields
        if name.endswith("_mm")
    }
    return content.model_copy(update={"form": form.model_copy(update=sizes)})


@scaled.of(Artwork, Picture)
def _from_file(content: Artwork | Picture, factor: float, natural_mm: float) -> Content:
    width = content.width_mm if content.width_mm is not None else natural_mm
    return content.model_copy(update={"width_mm": _tenth(width * factor)})


def _tenth(value: float) -> float:
    return round(value, 1) if value >= 1 else round(value, 3)


Held = Artwork | Picture | Mesh3D | OwnPlace | Photo | Mask | Cleared | Shot


def artwork_used(job: Job) -> tuple[Held, ...]:
    """Artwork, pictures, meshes, places and photos that the job and its proofs hold by their content."""
    contents = (item.content for item in letterings_of_all(job))
    found: list[Held] = [content for content in contents if isinstance(content, Artwork | Picture)]
    for work in works_of(job):
        photo = work.setting.photo
        of_photo = () if photo is None else (photo, photo.before, photo.cleared)
        for one in (
            work.blank,
            *(other.blank for other in work.others),
            work.setting.light.room,
            *of_photo,
        ):
            if isinstance(one, Mesh3D | OwnPlace | Photo | Mask | Cleared):
                found.append(one)
    found += [proof.picture for proof in job.proofs if proof.picture is not None]
    return tuple({(one.sha256, getattr(one, "path", "")): one for one in found}.values())
