"""The process that reads: it is asked for a function by name, runs it within its limits, and answers.

Started by ``gate``; nothing else runs it. It dies with the program that started it.
"""

from __future__ import annotations

import importlib
import os
import resource
import sys
import threading
import time
import warnings
from pathlib import Path
from typing import Any

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.sending.wire import sent, taken, way_back

BASICS = ("kilnchisel.core.job.file",)  # the rest when it is first asked for, or ahead of that
# what meshes take, 45 MB, is loaded with the first one
REST = ("kilnchisel.core.lettering.content", "svgelements", "cssselect2")

AHEAD_AFTER_S = 4.0  # the program that started this one is starting itself


def main(*, ahead: bool = False) -> None:
    """Answer until the pipe ends. ``ahead``: while nothing is asked, load what any kind of file takes."""
    threading.Thread(target=_die_with, args=(os.getppid(),), daemon=True).start()
    answers = way_back()
    os.dup2(1, 2)
    sys.stdout = sys.stderr = open(os.devnull, "w")  # noqa: SIM115, PTH123
    warnings.simplefilter("ignore")

    def send(value: Any) -> None:
        sent(answers, value)

    gate.answer_by(send)
    _load(BASICS)
    send("ready")
    if ahead:
        loading = threading.Timer(AHEAD_AFTER_S, _load, (REST,))
        loading.daemon = True
        loading.start()
    while True:
        try:
            name, args, memory, seconds = taken(0)
        except EOFError:
            return
        send(_answer(name, args, memory, seconds))


def _load(names: tuple[str, ...]) -> None:
    for name in names:
        importlib.import_module(name)


def _die_with(parent: int) -> None:
    """Go when the program has gone, whatever is being read. (What the system offers for that would end
    this process with the thread that started it, not with the program.)"""
    while os.getppid() == parent:
        time.sleep(0.5)
    os._exit(1)


def _answer(name: str, args: tuple[Any, ...], memory: int, seconds: float) -> tuple[str, Any]:
    module, _, function = name.partition(":")
    try:
        does = getattr(importlib.import_module(module), function)
        _limit(memory, seconds)
        return "made", does(*args)
    except KilnError as error:
        return "refused", str(error)
    except MemoryError:
        return "memory", None
    except RecursionError:
        return "nested", None
    except Exception as error:
        return "broke", f"{type(error).__name__}: {error}"[:300]
    finally:
        _limit(None, None)


def _limit(memory: int | None, seconds: float | None) -> None:
    """So many bytes more than now, so many seconds of work more than now; None: no limit."""
    _, most = resource.getrlimit(resource.RLIMIT_AS)
    now = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (most if memory is None else now + memory, most))
    _, most = resource.getrlimit(resource.RLIMIT_CPU)
    used = resource.getrusage(resource.RUSAGE_SELF)
    spent = used.ru_utime + used.ru_stime
    limit = most if seconds is None else int(spent + 2 * seconds) + 2
    resource.setrlimit(resource.RLIMIT_CPU, (limit, most))


if __name__ == "__main__":
    main(ahead="ahead" in sys.argv)
