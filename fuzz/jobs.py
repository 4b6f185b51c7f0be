"""Jobs with values from all over what is allowed and beside it, as hypothesis draws and shrinks them."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any

from hypothesis import strategies as st

from kilnchisel.core.build import piece_of
from kilnchisel.core.intake import gate
from kilnchisel.core.job.blank import TITLES
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.model import Job

CHANGED = ("blank", "letterings", "wear", "finish", "setting")
WORDS = ("TARN & 8", "Ångström", "“No” – £5", "i", "夜 مرحبا")
ODD_WORDS = ("", "TARNLIGHT " * 8, "A\nB\nC", "\ud800", "engraved", "i̇" * 50, "\u202eabc", "\0")
ODD: tuple[Any, ...] = (None, True, 0, -1, 1, "x", [], {}, 10**30, float("nan"))
LIMITS = gate.Limits(20.0, 3000 * gate.MB)


@dataclass(frozen=True)
class Change:
    """Another value at one place of a job: the value times something, or something else."""

    which: float
    times: float
    other: Any


@dataclass(frozen=True)
class Recipe:
    """How a random job comes about."""

    kind: str
    words: str
    changes: tuple[Change, ...]

    def job(self) -> Job:
        """The job. Raises KilnError where no such job may be."""
        job = fresh_job(self.kind, self.words)
        for step in self.changes:
            places = [p for p in _leaves(job.model_dump(), ()) if p[0][0] in CHANGED]
            path, value = places[min(int(step.which * len(places)), len(places) - 1)]
            new = step.other
            if new is None and isinstance(value, bool):
                new = not value
            elif new is None and isinstance(value, int | float):
                new = type(value)(round(value * step.times, 3))
            job = change(job, path, new)
        return job


OTHERS = st.one_of(
    st.none(),
    st.none(),
    st.sampled_from(ODD),
    st.sampled_from(ODD_WORDS),
    st.floats(-3.0, 4.0).map(lambda x: round(10**x, 3)),
    st.text(max_size=12),
)
CHANGES = st.builds(Change, st.floats(0, 1, exclude_max=True), st.floats(0.2, 5.0), OTHERS)
RECIPES = st.builds(
    Recipe,
    st.sampled_from(list(TITLES)),
    st.sampled_from(WORDS),
    st.lists(CHANGES, min_size=1, max_size=6).map(tuple),
)


def _leaves(value: Any, path: tuple[str | int, ...]) -> Any:
    if isinstance(value, dict):
        for key, inner in value.items():
            if key != "kind":
                yield from _leaves(inner, (*path, key))
    elif isinstance(value, list | tuple) and value:
        for number, inner in enumerate(value[:3]):
            yield from _leaves(inner, (*path, number))
    else:
        yield path, value


def made(text: str) -> int:
    """A job made and measured. Runs in a process of its own."""
    from kilnchisel.core.shop.readings import measured

    job = Job.model_validate(json.loads(text))
    json.dumps(measured(job), allow_nan=False)
    return len(piece_of(job, coarse=True).parts)


def try_job(recipe: Recipe) -> int:
    """The recipe's job made and measured, its parts. Raises KilnError where it is refused."""
    text = json.dumps(recipe.job().model_dump(mode="json"))
    return int(gate.read("fuzz.jobs:made", "The job", text, limits=LIMITS))
