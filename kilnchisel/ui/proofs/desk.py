"""What the window does with proofs: keeps one, opens the pages that compare and try."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.proofs import decided_as, is_present, kept

if TYPE_CHECKING:
    from kilnchisel.ui.window import Window


def keep_proof(window: Window) -> None:
    """Keep the job as it is now among its proofs."""
    try:
        window.proofs.keep()
    except KilnError as error:
        window.say(str(error))


def compare_proofs(window: Window) -> None:
    """The page that compares, where there is something to compare."""
    from kilnchisel.ui.proofs.comparepage import ComparePage

    job = window.session.job
    count = len(job.proofs) + (not any(is_present(job, k) for k in range(len(job.proofs))))
    if count < 2:
        window.say("Keep a proof first: then it is compared with what you make of the job.")
        return
    try:
        ComparePage(job, window.theme, window).exec()
    except KilnError as error:
        window.say(str(error))


def try_range(window: Window) -> None:
    """The page that tries a range of a value."""
    from kilnchisel.core.handover.pictures import png_bytes
    from kilnchisel.ui.proofs.trypage import TryPage

    session = window.session
    page = TryPage(session.job, session.index, window)

    def take(job: Job, words: str) -> None:
        session.put(decided_as(session.job, job), words[:60])

    def keep(job: Job, pixels: Any) -> None:
        picture = None if pixels is None else png_bytes(pixels)
        made = kept(decided_as(session.job, job), picture_png=picture).proofs
        session.put(session.job.model_copy(update={"proofs": made}), f"proof {made[-1].name} kept")

    page.taken.connect(take)
    page.kept.connect(keep)
    page.exec()
