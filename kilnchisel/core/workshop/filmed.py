"""Frames of a film as quick pictures, for the page that makes films, in a process of their own.

In: ("frame", number, job, film, frame). Out: ("picture", number, frame, pixels), and ("failed", sentence,
report of a fault or "").
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from kilnchisel.core.workshop.aside import Answer, Stale, serve


class _Filmed:
    def __init__(self, answer: Answer) -> None:
        self._answer = answer
        self._camera: Any = None
        self._of: Any = None

    def frame(self, number: int, job: Any, film: Any, frame: int) -> None:
        """One frame."""
        from kilnchisel.core.motion.frames import FilmCamera
        from kilnchisel.core.motion.tracks import moment

        film = replace(film, samples=0)
        if self._camera is None or self._of != (job, film.track, film.places):
            self._camera, self._of = FilmCamera(), (job, film.track, film.places)
            self._camera.picture(moment(job, film, 0), film, lambda: False)  # by which all are exposed
        pixels = self._camera.picture(moment(job, film, frame), film, lambda: False)
        self._answer(("picture", number, frame, pixels))


def _made(answer: Answer, _: Stale) -> dict[str, Callable[..., None]]:
    return {"frame": _Filmed(answer).frame}


if __name__ == "__main__":
    serve(_made, "frame")
