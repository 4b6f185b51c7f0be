"""The way in for files from outside: read in a process that may crash, hang or run out of memory alone.

``read("package.module:function", name, *args, limits=...)`` gives what the function gives, worked out in a
process kept warm for that. Whatever happens there comes back as a result or as one sentence.
"""

from __future__ import annotations

import atexit
import contextlib
import importlib
import os
import stat
import sys
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import Any, Literal

from kilnchisel.core.errors import KilnError
from kilnchisel.core.sending.process import Process, forked, spawned
from kilnchisel.core.sending.wire import Late, sent, taken

Told = Callable[[float | None, str], None]

INSIDE = False  # this is the reading process itself: everything is read here
MOST_READERS = 3
STARTS_IN_S = 60.0  # a busy machine may take so long to start one
KEPT_S = 20.0  # by a process that seldom reads
MB = 2**20


@dataclass(frozen=True)
class Limits:
    """How long reading may take, s, and how much memory more than it has, bytes."""

    seconds: float = 20.0
    memory: int = 1500 * MB


ORDINARY = Limits()
LARGE = Limits(150.0, 8000 * MB)  # meshes of millions of triangles


class _Reader:
    """One reading process."""

    def __init__(self, process: Process) -> None:
        self.process = process
        self.fresh = True
        self.since = 0.0  # when it was last needed (monotonic)

    def ask(self, order: tuple[Any, ...], seconds: float, told: Told | None) -> tuple[str, Any]:
        try:
            if self.fresh:  # it says when it is ready: what it loads first is not the file's time
                taken(self.process.answers, time.monotonic() + STARTS_IN_S)
                self.fresh = False
            deadline = time.monotonic() + seconds
            sent(self.process.orders, order)
            while True:
                how, value = taken(self.process.answers, deadline)
                if how != "at":
                    return how, value
                if told is not None:
                    told(*value)
        except Late:
            return "late", None
        except (OSError, EOFError, ValueError):
            return "died", None

    def end(self) -> None:
        self.process.end()


def _started(*more: str) -> _Reader:
    environment = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    return _Reader(spawned([sys.executable, "-m", "kilnchisel.core.intake.child", *more], environment))


_lock = threading.Lock()
_idle: list[_Reader] = []
_busy: dict[_Reader, int] = {}  # with the thread that waits for it
_free = threading.Semaphore(MOST_READERS)
_ends_idle = False


def warm() -> None:
    """Start a reading process, so that it is ready when one is wanted. Comes back at once."""
    if INSIDE:
        return
    with _lock:
        if not _idle and not _busy:
            _idle.append(_started("ahead"))


def fork_ahead() -> None:
    """As ``warm``, from a program that has loaded much of what reading takes and has no threads yet."""
    from kilnchisel.core.intake import child

    if not INSIDE and not _idle and not _busy:
        _idle.append(_Reader(forked(partial(child.main, ahead=True))))


def start_anew() -> None:
    """In a process that was forked: the readers there are belong to the other one."""
    for reader in (*_idle, *_busy):
        reader.process.close_pipes()
    _idle.clear()
    _busy.clear()


def end_idle_readers() -> None:
    """From now on a reading process that has had nothing to do for a while is ended."""
    global _ends_idle
    _ends_idle = True


def _end_idle() -> None:
    with _lock:
        gone = [reader for reader in _idle if time.monotonic() - reader.since >= KEPT_S]
        _idle[:] = [reader for reader in _idle if reader not in gone]
    for reader in gone:
        reader.end()


def stop_reading(thread: int | None = None) -> None:
    """End what is being read, for this thread (its ident) or for all; who waits is told that it stopped."""
    with _lock:
        for reader, waiting in _busy.items():
            if thread in (None, waiting):
                reader.process.kill()


_listening = threading.local()


@contextlib.contextmanager
def told_of(told: Told) -> Iterator[None]:
    """Within it, what this thread has read says how far it is: a share of 1, and what is being done."""
    before = getattr(_listening, "told", None)
    _listening.told = told
    try:
        yield
    finally:
        _listening.told = before


def tell(share: float, words: str) -> None:
    """What this thread does says to who listens how far it is."""
    told = getattr(_listening, "told", None)
    if told is not None:
        told(share, words)


_answer: list[Callable[[Any], None]] = []  # inside: the way back to the program
_said = [0.0]
SAID_EVERY_S = 0.1


def answer_by(send: Callable[[Any], None]) -> None:
    """This is the reading process, and so it answers."""
    global INSIDE
    INSIDE = True
    _answer.append(send)


def at(share: float | None, words: str) -> None:
    """Said while reading: how far it is (None: nobody knows), and at what."""
    if _answer and time.monotonic() - _said[0] > SAID_EVERY_S:
        _said[0] = time.monotonic()
        _answer[0](("at", (share, words)))


@atexit.register
def close() -> None:
    """End all reading processes."""
    with _lock:
        readers = [*_idle, *_busy]
        _idle.clear()
    for reader in readers:
        reader.end()


def read(
    function: str,
    name: str,
    *args: Any,
    limits: Limits | None = None,
    doing: Literal["read", "make"] = "read",
) -> Any:
    """What ``function`` ("module:function") gives for ``args``, read in a process of its own.

    ``name``: of the file, for the sentence, and what is being done with it. Raises KilnError: the
    function's own, or why it got nowhere.
    """
    if INSIDE:
        module, _, does = function.partition(":")
        return getattr(importlib.import_module(module), does)(*args)
    limits = limits or ORDINARY
    with _free:
        with _lock:
            while _idle and not _idle[-1].process.runs():
                _idle.pop().end()  # ended by something else meanwhile
            reader = _idle.pop() if _idle else _started()
            _busy[reader] = threading.get_ident()
        told = getattr(_listening, "told", None)
        how, value = reader.ask((function, args, limits.memory, limits.seconds), limits.seconds, told)
        with _lock:
            del _busy[reader]
            kept = how not in ("late", "died", "memory")
            if kept:
                reader.since = time.monotonic()
                _idle.append(reader)
        if not kept:
            reader.end()
        elif _ends_idle:
            later = threading.Timer(KEPT_S, _end_idle)
            later.daemon = True
            later.start()
    if how == "made":
        return value
    raise KilnError(_sentence(how, value, name[:80] or "The file", limits, doing))


def _sentence(how: str, value: Any, name: str, limits: Limits, doing: str) -> str:
    if how == "refused":
        return str(value)
    if doing == "make":
        if how == "late":
            return f"{name} takes longer than {limits.seconds:.0f} s to {doing} and was given up."
        if how == "memory":
            return f"{name} takes more than {limits.memory / MB:.0f} MB of memory to {doing}."
        return f"{name} could not be made: what works it out has ended. Try it once more."
    if how == "late":
        return (
            f"{name} takes longer than {limits.seconds:.0f} s to read and was given up; "
            "it holds too much, or is wound up in itself. Save a simpler copy."
        )
    if how == "memory":
        return (
            f"{name} takes more than {limits.memory / MB:.0f} MB of memory to read; it holds too much, "
            "or is damaged. Save a smaller copy."
        )
    if how == "nested":
        return f"{name} is nested too deeply to be read; it is damaged, or wound up in itself."
    if how == "died":
        return f"{name} could not be read: it is damaged in a way that stops its reader. Save it again."
    return f"{name} could not be read: it is damaged, or of another kind than its name says."


def bytes_of(path: Path, most: int, what: str = "file") -> bytes:
    """A file's bytes. Raises KilnError for what is no plain file, is too large, or cannot be read."""
    shown = path.name[:80] or str(path)[:80]
    try:
        state = path.stat()
        if stat.S_ISDIR(state.st_mode):
            raise KilnError(f"{shown} is a folder, not a {what}.")
        if not stat.S_ISREG(state.st_mode):
            raise KilnError(f"{shown} is a device or a pipe, not a {what}.")
        if state.st_size > most:
            raise KilnError(
                f"{shown} has {state.st_size / MB:.0f} MB; {most / MB:.0f} MB is the most that can be read."
            )
        return path.read_bytes()
    except FileNotFoundError:
        raise KilnError(f"There is no file {path}.") from None
    except OSError as error:
        raise KilnError(f"{shown} cannot be read: {error.strerror or 'it is refused'}.") from None
    except ValueError:  # a zero in the name
        raise KilnError("A file name cannot hold such characters.") from None
