"""Undo and redo: a line of jobs, each reached by a named step."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from kilnchisel.core.job.model import Job

LONGEST = 500


@dataclass(frozen=True)
class Step:
    """A job and the words for how it came about ("depth 0.30 mm")."""

    job: Job
    words: str
    merge: str = ""  # steps with the same non-empty key follow each other as one


@dataclass(frozen=True)
class History:
    """An immutable past and future around the present job."""

    steps: tuple[Step, ...]
    at: int = 0
    sealed: bool = field(default=False)  # the present step is complete: nothing merges into it

    @classmethod
    def start(cls, job: Job) -> History:
        return cls((Step(job, "opened"),))

    @property
    def job(self) -> Job:
        return self.steps[self.at].job

    @property
    def undo_words(self) -> str | None:
        return self.steps[self.at].words if self.at > 0 else None

    @property
    def redo_words(self) -> str | None:
        return self.steps[self.at + 1].words if self.at + 1 < len(self.steps) else None

    def push(self, job: Job, words: str, merge: str = "") -> History:
        """Move to ``job``; the future is dropped. An unchanged job changes nothing.

        A step whose ``merge`` key equals that of the step before replaces it, so that a drag or a
        run of wheel clicks is one thing to undo.
        """
        if job == self.job:
            return self
        past = self.steps[: self.at + 1]
        if merge and not self.sealed and self.at > 0 and past[-1].merge == merge:
            past = past[:-1]
        steps = (*past, Step(job, words, merge))[-LONGEST:]
        return History(steps, len(steps) - 1)

    def seal(self) -> History:
        """End the present step: the next one with the same key is a step of its own."""
        return replace(self, sealed=True)

    def undo(self) -> History:
        return replace(self, at=max(self.at - 1, 0), sealed=True)

    def redo(self) -> History:
        return replace(self, at=min(self.at + 1, len(self.steps) - 1), sealed=True)
