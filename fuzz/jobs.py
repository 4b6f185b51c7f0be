"""Jobs with values from all over what is allowed and beside it, as hypothesis draws and shrinks them."""

from __future__ import annotations

import contextlib
import json
from dataclasses import dataclass
from typing import Any, get_args

from hypothesis import strategies as st
from pydantic import BaseModel, ValidationError

from kilnchisel.core.build import piece_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.blank import TITLES
from kilnchisel.core.job.crafts import Craft
from kilnchisel.core.job.edits import change, limits, read
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.model import Job

CHANGED = ("blank", "letterings", "wear", "finish", "setting")
WORDS = ("TARN & 8", "Ångström", "“No” – £5", "i", "夜 مرحبا")
ODD_WORDS = ("", "TARNLIGHT " * 8, "A\nB\nC", "\ud800", "engraved", "i̇" * 50, "\u202eabc", "\0")
ODD: tuple[Any, ...] = (None, True, 0, -1, 1, "x", [], {}, 10**30, float("nan"))
LIMITS = gate.Limits(20.0, 3000 * gate.MB)


@dataclass(frozen=True)
class Change:
    """Another value at one place of a job: one that may be there (``sound``), or anything."""

    which: float
    share: float
    sound: bool
    other: Any

    def of(self, job: Job) -> Job:
        """The job with it. Raises KilnError where it may not be."""
        places = [p for p in _leaves(job.model_dump(), ()) if p[0][0] in CHANGED]
        path, value = places[min(int(self.which * len(places)), len(places) - 1)]
        if not self.sound:
            return change(job, path, self.other)
        try:
            return change(job, path, self._within(read(job, path[:-1]), path[-1], value))
        except KilnError:  # it does not go with the rest: a hand would leave it
            return job

    def _within(self, holder: Any, name: str | int, value: Any) -> Any:
        if isinstance(value, bool):
            return not value
        if not isinstance(holder, BaseModel) or not isinstance(name, str):
            return value
        options = get_args(type(holder).model_fields[name].annotation)
        if options and all(isinstance(option, str) for option in options):
            return options[min(int(self.share * len(options)), len(options) - 1)]
        if isinstance(value, int | float):
            low, high = limits(type(holder), name)
            wanted = value * 4.0 ** (2 * self.share - 1) if value else 8 * self.share - 4
            wanted = max(wanted, -1e6 if low is None else low)
            return type(value)(round(min(wanted, 1e6 if high is None else high), 3))
        return value


@dataclass(frozen=True)
class Recipe:
    """How a random job comes about."""

    kind: str
    words: str
    craft: type[BaseModel]
    changes: tuple[Change, ...]

    def job(self) -> Job:
        """The job. Raises KilnError where no such job may be."""
        job = fresh_job(self.kind, self.words)
        with contextlib.suppress(KilnError, ValidationError):  # a relief needs a picture
            job = change(job, ("letterings", 0, "craft"), self.craft())
        for step in self.changes:
            job = step.of(job)
        return job


OTHERS = st.one_of(
    st.sampled_from(ODD),
    st.sampled_from(ODD_WORDS),
    st.floats(-3.0, 4.0).map(lambda x: round(10**x, 3)),
    st.text(max_size=12),
)
CHANGES = st.builds(
    Change,
    st.floats(0, 1, exclude_max=True),
    st.floats(0, 1, exclude_max=True),
    st.sampled_from((True,) * 15 + (False,)),
    OTHERS,
)
CRAFT_KINDS = tuple(get_args(get_args(Craft)[0]))
RECIPES = st.builds(
    Recipe,
    st.sampled_from(list(TITLES)),
    st.sampled_from(WORDS),
    st.sampled_from(CRAFT_KINDS),
    st.lists(CHANGES, min_size=1, max_size=8).map(tuple),
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
    return len(piece_of(job, detail=Detail.ROUGH).parts)


def try_job(recipe: Recipe) -> int:
    """The recipe's job made and measured, its parts. Raises KilnError where it is refused."""
    text = json.dumps(recipe.job().model_dump(mode="json"))
    return int(gate.read("fuzz.jobs:made", "The job", text, limits=LIMITS))
