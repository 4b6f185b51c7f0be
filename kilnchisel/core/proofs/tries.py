"""A range of a value tried: a job for each."""

from __future__ import annotations

import json
import re

import numpy as np

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.edits import set_field
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.proofs import present
from kilnchisel.core.job.words.differences import differences
from kilnchisel.core.lettering.shipped import SHIPPED
from kilnchisel.core.units import format_number

MOST_TRIES = 24
RANGE = re.compile(r"(-?[\d.,]+)\s*\.\.\s*(-?[\d.,]+)\s*([a-z\"″°%]*)\s*(?:/\s*(\d+))?")
STEPS = 5  # of a range that does not say
USUAL_STEPS = 6
LESS, MORE = (0.5, 0.7, 0.85), (2.0, 1.4, 1.15)  # of what it is: the first that the job takes


def tries(job: Job, path: str, values: str) -> list[tuple[str, Job]]:
    """The job with each of some values in one field, and in words what each is: "a; b; c", with semicolons
    or commas between, or from one number to another in steps, "0.2..1 mm / 5". Raises KilnError."""
    found: list[tuple[str, Job]] = []
    for value in _values(values):
        try:
            made = set_field(job, path, _face(value) if path.endswith(".face") else value)
        except KilnError as error:
            raise KilnError(f"{value}: {error}") from None
        found.append((_short(differences(present(job), present(made))), made))
    return found


def usual_range(job: Job, path: str, value: float) -> str:
    """From less to more than a length is, as far as the job takes it, as ``tries`` reads it; nothing where
    it takes no other."""

    def nearest(shares: tuple[float, ...]) -> str:
        for share in shares:
            said = f"{float(f'{value * share:.3g}'):g}"
            try:
                if set_field(job, path, said) != job:
                    return said
            except KilnError:
                continue
        return ""

    now = f"{float(f'{value:.3g}'):g}"
    least, most = nearest(LESS) or now, nearest(MORE) or now
    return "" if least == most else f"{least}..{most} mm / {USUAL_STEPS}"


def _face(name: str) -> str:
    """A face of the application by its name, as it is written in a job."""
    if name.startswith("{"):
        return name
    kind = "shipped" if name in SHIPPED else "line"
    return json.dumps({"kind": kind, "name": name})


def _short(told: tuple[str, ...]) -> str:
    """What something is, not what it was: "EB Garamond", "capitals 14 mm"."""
    plain = (re.sub(r" instead of .*$", "", re.sub(r"^“[^”]*”: ", "", one)) for one in told)
    return ", ".join(re.sub(r"[-\d.,]+ → ", "", one) for one in plain) or "as it is"


def _values(text: str) -> list[str]:
    found = RANGE.fullmatch(text.strip())
    if found is not None:
        first, last = (float(one.replace(",", ".")) for one in found.groups()[:2])
        count = int(found[4] or STEPS)
        _refuse_many(count, least=2)
        return [
            f"{format_number(v, 4).replace(',', '')}{found[3]}" for v in np.linspace(first, last, count)
        ]
    # a list of whole parts has commas of its own
    parted = text.split(";") if ";" in text or text.lstrip().startswith("{") else text.split(",")
    values = [one.strip() for one in parted if one.strip()]
    _refuse_many(len(values), least=1)
    return values


def _refuse_many(count: int, *, least: int) -> None:
    if not least <= count <= MOST_TRIES:
        raise KilnError(f"{least} to {MOST_TRIES} values are tried at once; these are {count}.")
