"""Proofs: alternatives of a whole job, kept in it under names, in an order, and gone back to."""

from __future__ import annotations

import hashlib
from typing import Any

from pydantic import ValidationError

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.assets import keep_asset
from kilnchisel.core.job.model import MOST_PROOFS, Job, Proof, Shot, Work
from kilnchisel.core.remembered import remembered

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZ"


@remembered
def work_of(proof: Proof) -> Work:
    """What a proof keeps. Raises KilnError where it cannot be read."""
    try:
        return Work.model_validate_json(proof.work)
    except ValidationError:
        raise KilnError(f"The proof “{proof.name}” cannot be used: it is damaged.") from None


def present(job: Job) -> Work:
    """The job as it is now, without its name and proofs."""
    return Work(**_fields(job))


def _fields(work: Work) -> dict[str, Any]:
    return {name: getattr(work, name) for name in Work.model_fields}


def with_work(proof: Proof, work: Work) -> Proof:
    """A proof of something else."""
    return proof.model_copy(update={"work": work.model_dump_json()})


def as_job(job: Job, proof: Proof) -> Job:
    """A proof as a job of its own, without any."""
    return Job(**_fields(work_of(proof)), name=job.name)


def kept(job: Job, name: str = "", note: str = "", picture_png: bytes | None = None) -> Job:
    """The job with its present state as one more proof; without a name it gets the next letter. Raises
    KilnError."""
    if len(job.proofs) >= MOST_PROOFS:
        raise KilnError(f"{MOST_PROOFS} proofs are kept at most; let go of one first.")
    name = " ".join(name.split()) or next_name(job)
    _refuse_name(job, name, None)
    shot = None
    if picture_png is not None:
        keep_asset(picture_png)
        shot = Shot(sha256=hashlib.sha256(picture_png).hexdigest())
    proof = Proof(name=name, note=note, picture=shot, work=present(job).model_dump_json())
    return job.model_copy(update={"proofs": (*job.proofs, proof)})


def next_name(job: Job) -> str:
    """The first letter that no proof has, or a number."""
    taken = {proof.name for proof in job.proofs}
    found = next((letter for letter in LETTERS if letter not in taken), None)
    if found is None:
        found = next(str(n) for n in range(1, MOST_PROOFS + 2) if str(n) not in taken)
    return found


def decided_as(job: Job, work: Work) -> Job:
    """The job with all that is decided as in another state; its name, proofs and list of names stay."""
    return job.model_copy(update=_fields(work))


def taken_up(job: Job, number: int) -> Job:
    """The job as it was when a proof was kept, the first being 0; its proofs stay."""
    return decided_as(job, work_of(job.proofs[number]))


def is_present(job: Job, number: int) -> bool:
    """Whether the job is just now as a proof has it."""
    return job.proofs[number].work == present(job).model_dump_json()


def renamed(job: Job, number: int, name: str) -> Job:
    """The job with a proof under another name. Raises KilnError."""
    name = " ".join(name.split())
    _refuse_name(job, name, number)
    return _with(job, number, {"name": name})


def noted(job: Job, number: int, note: str) -> Job:
    """The job with another note to a proof."""
    return _with(job, number, {"note": note[:2000]})


def moved(job: Job, number: int, to: int) -> Job:
    """The job with a proof at another place among them."""
    proofs = list(job.proofs)
    proofs.insert(min(max(to, 0), len(proofs) - 1), proofs.pop(number))
    return job.model_copy(update={"proofs": tuple(proofs)})


def let_go(job: Job, number: int) -> Job:
    """The job without one of its proofs."""
    return job.model_copy(update={"proofs": job.proofs[:number] + job.proofs[number + 1 :]})


def number_of(job: Job, name: str) -> int:
    """Which proof has a name. Raises KilnError where none has."""
    for number, proof in enumerate(job.proofs):
        if proof.name.casefold() == name.strip().casefold():
            return number
    there = ", ".join(proof.name for proof in job.proofs) or "none yet"
    raise KilnError(f"There is no proof “{name[:40]}”; there is: {there}.")


def _with(job: Job, number: int, update: dict[str, Any]) -> Job:
    proof = Proof(**(dict(job.proofs[number]) | update))
    return job.model_copy(update={"proofs": (*job.proofs[:number], proof, *job.proofs[number + 1 :])})


def _refuse_name(job: Job, name: str, own: int | None) -> None:
    if not 0 < len(name) <= 60:
        raise KilnError("A proof needs a name of at most 60 letters.")
    for number, proof in enumerate(job.proofs):
        if number != own and proof.name.casefold() == name.casefold():
            raise KilnError(f"There is a proof “{name}” already; give this one another name.")
