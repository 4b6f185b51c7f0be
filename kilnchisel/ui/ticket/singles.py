"""Single letters in the Wording section: one chosen, its room, height, turn, size and finish."""

from __future__ import annotations

from functools import partial
from typing import Any

from kilnchisel.core.job.edits import change, letter_change, limits, with_letter, wording_at
from kilnchisel.core.job.finish import Ink
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.turning import in_finish
from kilnchisel.core.job.wording import (
    LetterChange,
    Wording,
)
from kilnchisel.ui.ticket.fields import Spec, link
from kilnchisel.ui.ticket.finishes import SURFACES

Where = tuple[str | int, ...]

SCOPES = ("letter", "word", "row")


def single_words(wording: Wording) -> str:
    changed = [item for item in wording.letters if not item.plain]
    if not changed:
        return "none changed"
    shown = "".join(wording.text[item.at] for item in changed[:8] if item.at < len(wording.text))
    return f"{len(changed)} changed: {shown}"


def single_letters(
    job: Job, path: Where, wording: Wording, opened: frozenset[str], letter: int | None
) -> list[Spec]:
    index = int(path[1])
    spots = [i for i, c in enumerate(wording.text) if not c.isspace()]
    if not spots:
        return []
    here = letter if letter in spots else spots[0]

    def put(job: Job, **update: Any) -> Job:
        own = letter_change(wording_at(job, index), here)
        return change(job, path, with_letter(wording_at(job, index), own.model_copy(update=update)))

    def number(name: str, label: str, kind: str, step: float, hint: str) -> Spec:
        least, most = limits(LetterChange, name)
        return Spec(
            f"{index}.letter.{here}.{name}",
            label,
            lambda job: getattr(letter_change(wording_at(job, index), here), name),
            lambda job, value: put(job, **{name: value}),
            kind,
            step=step,
            least=least,
            most=most,
            hint=hint,
        )

    fields = [
        Spec(
            f"{index}.letter.which",
            "Letter",
            lambda job: here,
            lambda job, _: job,
            "letter",
            options=tuple((i, wording.text[i]) for i in spots),
            hint="Choose it here, or click it on the object and drag it.",
        ),
        *(() if _first(wording.text, here) else (number("kern_mm", *BEFORE),)),
        number("raise_mm", "Raised by", "length", 0.1, "Below zero it is lowered."),
        number("turn_deg", "Turned", "angle", 1, "Counter-clockwise."),
        number("size", "Size", "percent", 5, "Of the others."),
        Spec(
            f"{index}.letter.{here}.hidden",
            "It is",
            lambda job: letter_change(wording_at(job, index), here).hidden,
            lambda job, value: put(job, hidden=value),
            "switch",
            options=((False, "Shown"), (True, "Left out")),
            hint="Its room stays.",
        ),
    ]
    scope = next((name for name in SCOPES if f"scope.{name}" in opened), "letter")
    fields.append(
        Spec(
            f"{index}.letter.scope",
            "Finish of the",
            lambda job: scope,
            lambda job, _: job,
            "scope",
            options=tuple((name, name.capitalize()) for name in SCOPES),
        )
    )
    fields.append(
        Spec(
            f"{index}.letter.{here}.finish",
            "Finish",
            partial(_finish_kind, index, here),
            partial(_with_finish_kind, path, index, here, scope),
            "menu",
            options=(("", "As the others"), *_finishes(job, index)),
        )
    )
    own = letter_change(wording, here).finish
    if hasattr(own, "colour"):
        fields.append(
            Spec(
                f"{index}.letter.{here}.colour",
                "Colour",
                partial(_colour_of, index, here),
                partial(_with_colour, path, index, here, scope),
                "colour",
            )
        )
    if wording.letters:
        fields.append(link("letters.plain", "", "All letters as they were"))
    return fields


BEFORE = ("Room before it", "length", 0.1, "Tucks it in below zero.")


def _first(text: str, place: int) -> bool:
    """Whether a letter begins its row: rows are set by their ink, so room before it is none."""
    return not text[:place].rpartition("\n")[2].strip()


def _scope(wording: Wording, place: int, scope: str) -> list[int]:
    """The letters of a letter, its word, or its row."""
    if scope == "letter":
        return [place]
    ends = "\n" if scope == "row" else " \t\n"
    start = place
    while start > 0 and wording.text[start - 1] not in ends:
        start -= 1
    end = place
    while end + 1 < len(wording.text) and wording.text[end + 1] not in ends:
        end += 1
    return [i for i in range(start, end + 1) if not wording.text[i].isspace()]


def _finishes(job: Job, index: int) -> tuple[tuple[Any, str], ...]:
    """The finishes that letters of this craft can have, by kind."""
    printed = job.letterings[index].craft.kind == "printed"
    return ((("ink", "Ink"),) if printed else (("as the blank", "As the blank"),)) + SURFACES


def _finish_kind(index: int, place: int, job: Job) -> str:
    own = letter_change(wording_at(job, index), place).finish
    return "" if own is None else own.kind


def _with_finish_kind(path: Where, index: int, place: int, scope: str, job: Job, kind: str) -> Job:
    finish = None if kind == "" else in_finish(job.letterings[index].finish, kind)
    return _with_finish(path, index, place, scope, job, finish)


def _with_finish(path: Where, index: int, place: int, scope: str, job: Job, finish: Any) -> Job:
    """A letter, its word or its row in a finish of its own, or like the others again."""
    wording = wording_at(job, index)
    for spot in _scope(wording, place, scope):
        own = letter_change(wording, spot)
        wording = with_letter(wording, own.model_copy(update={"finish": finish}))
    return change(job, path, wording)


def _colour_of(index: int, place: int, job: Job) -> str:
    return str(getattr(letter_change(wording_at(job, index), place).finish, "colour", "#808080"))


def _with_colour(path: Where, index: int, place: int, scope: str, job: Job, colour: str) -> Job:
    own = letter_change(wording_at(job, index), place).finish
    finish = own.model_copy(update={"colour": colour}) if own is not None else Ink(colour=colour)
    return _with_finish(path, index, place, scope, job, finish)
