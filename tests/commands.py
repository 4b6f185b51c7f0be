"""The command line called in this process."""

from __future__ import annotations

import contextlib
import io
from typing import Any

from kilnchisel.__main__ import main


def called(*arguments: Any) -> tuple[int, str, str]:
    """Exit status, what was printed, what was complained of."""
    out, errors = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(errors):
        status = main([str(argument) for argument in arguments])
    return status, out.getvalue(), errors.getvalue()
