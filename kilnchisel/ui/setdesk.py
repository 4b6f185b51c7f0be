"""Small pictures of the piece in each set: what is kept at once, the others from a process of their own."""

from __future__ import annotations

import contextlib
import os
import select
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import save_packed
from kilnchisel.core.handover.setpictures import alike, pictures_there
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.sets import sets_for
from kilnchisel.core.workshop.slot import Slot

RESTS_S = 0.8  # how long a job stays as it is before its pictures are made
LOOK_S = 0.1
BREATH_S = 0.01  # between two pictures: the window has the fields about them to make meanwhile
BEHIND = 10  # nice


@dataclass(frozen=True)
class SetOrder:
    """The job whose pictures are wanted."""

    job: Job
    number: int


def _failed(error: Exception, _number: int) -> None:
    if not isinstance(error, KilnError):
        sys.excepthook(type(error), error, error.__traceback__)


class SetDesk(QObject):
    """Hands out pictures; the newest job wins."""

    made = pyqtSignal(object, str, object)  # job, set, pixels (h, w, 3)

    def __init__(self) -> None:
        super().__init__()
        self._slot = Slot(self._serve, "sets", _failed)
        self._job: Job | None = None

    def want(self, job: Job | None) -> None:
        """Ask for the pictures of this job; those that are there come at once, one by one. None: nothing
        is wanted any more. A change of the setting alone lets those that are under way come."""
        if job is self._job or (job is not None and self._job is not None and alike(job, self._job)):
            return
        self._job = job
        number = self._slot.newest + 1
        if job is None:
            self._slot.withdraw(number)
        else:
            self._slot.ask(SetOrder(job, number))

    def close(self) -> None:
        """End what runs."""
        self._slot.close()

    def _serve(self, order: SetOrder) -> None:
        missing = self._hand_out(order)
        until = time.monotonic() + RESTS_S
        while missing and time.monotonic() < until:
            if self._slot.stale(order):
                return
            time.sleep(LOOK_S)
        if missing and not self._slot.stale(order):
            with contextlib.suppress(KilnError, OSError):  # a full disk: the sets have no pictures then
                self._make(order, missing)

    def _hand_out(self, order: SetOrder) -> frozenset[str]:
        """Tell the pictures that are there; the sets that have none."""
        missing = set()
        for one in sets_for(order.job.blank):
            time.sleep(BREATH_S)
            if self._slot.stale(order):
                break
            pixels = pictures_there(order.job, one.name)[one.name]
            if pixels is None:
                missing.add(one.name)
            else:
                self.made.emit(order.job, one.name, pixels)
        return frozenset(missing)

    def _make(self, order: SetOrder, missing: frozenset[str]) -> None:
        with tempfile.TemporaryDirectory(prefix="kilnchisel-") as folder:
            job = Path(folder) / "job.kcj"
            save_packed(order.job, job)
            process = subprocess.Popen(
                [sys.executable, "-m", "kilnchisel", "sets", str(job), "--pictures", folder],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
            )
            try:
                with contextlib.suppress(OSError):
                    os.setpriority(os.PRIO_PROCESS, process.pid, BEHIND)
                self._follow(order, process, missing)
            finally:
                process.kill()
                process.wait()
                assert process.stdout is not None
                process.stdout.close()

    def _follow(self, order: SetOrder, process: subprocess.Popen[bytes], missing: frozenset[str]) -> None:
        """Hand out each picture when the process says that it is made."""
        assert process.stdout is not None
        while not self._slot.stale(order):
            if not select.select([process.stdout], [], [], LOOK_S)[0]:
                continue
            name = process.stdout.readline().decode().strip()
            if not name:
                return  # it has ended
            if name in missing:
                pixels = pictures_there(order.job, name)[name]
                if pixels is not None and not self._slot.stale(order):
                    self.made.emit(order.job, name, pixels)
