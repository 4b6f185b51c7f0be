"""A fault of this program in words: a sentence for the person, a report for whoever mends it."""

from __future__ import annotations

import platform
import traceback

from kilnchisel import __version__


class Elsewhere(Exception):
    """A fault in another process of the program, with its report."""

    def __init__(self, sentence: str, report: str) -> None:
        super().__init__(report)
        self.sentence, self.report = sentence, report


def sentence_of(error: BaseException) -> str:
    """A fault in a sentence."""
    if isinstance(error, Elsewhere):
        return error.sentence
    if isinstance(error, MemoryError):
        return "There is not enough memory for that; your work is kept. Undo the last step."
    return (
        f"Something went wrong inside ({type(error).__name__}); your work is kept. "
        "Undo the last step if the picture does not come back."
    )


def report_of(error: BaseException) -> str:
    """What a developer needs to mend it: versions and where it happened; no words or files of the job."""
    if isinstance(error, Elsewhere):
        return error.report
    steps = traceback.extract_tb(error.__traceback__)
    lines = [f"{step.filename.rsplit('kilnchisel', 1)[-1]}:{step.lineno} in {step.name}" for step in steps]
    system = f"Kiln Chisel {__version__}, Python {platform.python_version()}, {platform.system()}"
    return "\n".join([system, *lines, f"{type(error).__name__}: {str(error)[:300]}"])
