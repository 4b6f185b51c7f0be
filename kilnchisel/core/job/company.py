"""Several pieces in one photo: one is in hand, the others are laid aside and taken in hand by turns."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.lettering import Lettering
from kilnchisel.core.job.model import MOST_OTHERS, Job, Made, Other, Work
from kilnchisel.core.job.photo import Photo, Stands
from kilnchisel.core.job.proofs import with_work, work_of


def _fields(of: type[Any], value: Any) -> dict[str, Any]:
    return {name: getattr(value, name) for name in of.model_fields}


def _photo_of(job: Job) -> Photo:
    photo = job.setting.photo
    if photo is None:
        raise KilnError("Only in a photo there is room for several pieces; this job stands in none.")
    return photo


def laid_aside(job: Job) -> Other:
    """The piece in hand as one of the others. Raises KilnError where the job stands in no photo."""
    photo = _photo_of(job)
    stands = Stands(**_fields(Stands, photo))
    setting = job.setting
    return Other(**_fields(Made, job), stands=stands, stance=setting.stance, copies=setting.copies)


def alone(job: Job, other: Other) -> Job:
    """The job with another piece in its photo, and with no other."""
    assert job.setting.photo is not None
    photo = Photo(**(_fields(Photo, job.setting.photo) | _fields(Stands, other.stands)))
    update = {"photo": photo, "stance": other.stance, "copies": other.copies}
    setting = job.setting.model_copy(update=update)
    return job.model_copy(update={**_fields(Made, other), "setting": setting, "others": ()})


def with_another(job: Job, other: Other) -> Job:
    """The job with one more piece in its photo. Raises KilnError where there are too many."""
    _photo_of(job)
    if len(job.others) == MOST_OTHERS:
        raise KilnError(f"There are {MOST_OTHERS + 1} pieces in the photo; more are not shown.")
    return job.model_copy(update={"others": (*job.others, other)})


def swapped(job: Job, number: int) -> Job:
    """The job with one of its others in hand, the first being 1, and what was in hand in its place."""
    check_number(job, number)
    others = list(job.others)
    taken, others[number - 1] = others[number - 1], laid_aside(job)
    return alone(job, taken).model_copy(update={"others": tuple(others)})


def without_other(job: Job, number: int) -> Job:
    """The job without one of its others, the first being 1. Raises KilnError where there is none."""
    check_number(job, number)
    kept = tuple(one for n, one in enumerate(job.others, start=1) if n != number)
    return job.model_copy(update={"others": kept})


def check_number(job: Job, number: int) -> None:
    """Raises KilnError where there is no other piece of this number."""
    if not 1 <= number <= len(job.others):
        count = len(job.others)
        are = "is no other piece" if count == 0 else f"are {count} other pieces" if count > 1 else "is one"
        raise KilnError(f"There is no other piece {number} in the photo; there {are}.")


def works_of(job: Job) -> tuple[Work, ...]:
    """The job as it is, and what its proofs keep; one that is damaged is left out."""
    found: list[Work] = [job]
    for proof in job.proofs:
        with contextlib.suppress(KilnError):
            found.append(work_of(proof))
    return tuple(found)


def letterings_of_all(job: Job) -> tuple[Lettering, ...]:
    """The letterings of the piece in hand and of all others, of proofs too."""
    works = works_of(job)
    return tuple(item for work in works for piece in (work, *work.others) for item in piece.letterings)


def with_each_lettering(job: Job, made: Callable[[Lettering], Lettering]) -> Job:
    """The job with every lettering, of the others and of proofs too, made into another."""

    def of(piece: Any) -> Any:
        return piece.model_copy(update={"letterings": tuple(made(item) for item in piece.letterings)})

    def all_of(work: Any) -> Any:
        return of(work).model_copy(update={"others": tuple(of(other) for other in work.others)})

    proofs = []
    for proof in job.proofs:
        try:
            proofs.append(with_work(proof, all_of(work_of(proof))))
        except KilnError:
            proofs.append(proof)
    done: Job = all_of(job)
    return done.model_copy(update={"proofs": tuple(proofs)}) if proofs else done
