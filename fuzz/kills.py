"""Killed while it writes: saving, autosaving and exporting, ended at a random moment, over and over.

``./run fuzz --kills N --seed N``. A process writes job, copy and exports in turn and says after each that
it is done; it is killed; what lies there must be whole, and never older than what was said to be done.
"""

from __future__ import annotations

import itertools
import os
import random
import signal
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from unittest import mock

from kilnchisel.core.handover.meshes import mesh_bytes
from kilnchisel.core.handover.outlines import write_outline
from kilnchisel.core.intake import gate
from kilnchisel.core.job.file import open_job, save_job
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.job.model import Job
from kilnchisel.core.writing import write_whole
from kilnchisel.ui.session import keep_copy, rescues

LONGEST_S = 0.06
PREVIEW = bytes(60_000)


@dataclass(frozen=True)
class Work:
    """What the process writes, and where."""

    folder: Path
    job: Job
    solid: tuple[bytes, bytes]

    @property
    def saved(self) -> Path:
        return self.folder / "work.kcj"

    @property
    def kept(self) -> tuple[Path, Path]:
        autosaves = self.folder / "state" / "kilnchisel" / "autosave"
        autosaves.mkdir(parents=True, exist_ok=True)
        return autosaves / "work.kcj", autosaves / "work.json"

    def write(self, number: int) -> None:
        """The next of the four things, as the program writes them."""
        job = self.job.model_copy(update={"name": f"Number {number}"})
        what = number % 4
        if what == 0:
            save_job(job, self.saved, PREVIEW)
        elif what == 1:
            keep_copy(job, *self.kept, {"pid": 0, "original": None, "name": job.name, "when": 0.0})
        elif what == 2:
            write_whole(self.folder / "work.stl", self.solid[number // 4 % 2])
        else:
            write_outline(job, self.folder / "work.svg")

    def judge(self, done: int) -> list[str]:
        """What is wrong after the process had done so many and was killed."""
        wrong = []
        found = {
            0: _number_in(self.saved),
            1: _number_in(self.kept[0]),
        }
        for what, number in found.items():
            least = done - (done - what) % 4  # the last of its kind that was said to be done
            if number not in (least, least + 4):
                wrong.append(f"after {done}: kind {what} holds {number}, not {least} or {least + 4}")
        if (self.folder / "work.stl").read_bytes() not in self.solid:
            wrong.append(f"after {done}: the solid is not whole")
        if not (self.folder / "work.svg").read_text().rstrip().endswith("</svg>"):
            wrong.append(f"after {done}: the outline is not whole")
        state = {"XDG_STATE_HOME": str(self.folder / "state")}
        with mock.patch.dict(os.environ, state), mock.patch("kilnchisel.ui.session._running", _ended):
            if len(rescues()) != 1:
                wrong.append(f"after {done}: the copy is not offered")
        return wrong


def _ended(_pid: int, _life: str) -> bool:
    return False


def _number_in(path: Path) -> int:
    return int(open_job(path).name.split()[1])


def run(kills: int, seed: int, tell: Callable[[str], None] = print) -> int:
    """So many kills; the number of those after which something was lost."""
    rng = random.Random(seed)
    job = fresh_job("plate", "TARN & 8")
    with (
        tempfile.TemporaryDirectory(prefix="kilnchisel-kills-") as folder,
        mock.patch.object(gate, "INSIDE", True),  # reading needs no process of its own here
    ):
        whole = mesh_bytes(job, Path("a.stl"))
        work = Work(Path(folder), job, (whole, whole[:-1] + b"\1"))
        for number in range(4):
            work.write(number)
        done, lost, begun = 3, 0, time.monotonic()
        for _ in range(kills):
            done = _killed(work, done + 1, rng.uniform(0.0, LONGEST_S))
            wrong = work.judge(done)
            lost += bool(wrong)
            for sentence in wrong:
                tell(sentence)
        left = sum(1 for path in Path(folder).rglob(".*") if path.is_file())
        seconds = time.monotonic() - begun
        tell(f"{kills} kills in {seconds:.0f} s, {done + 1} files written; a loss after {lost}")
        tell(f"{left} parts left behind, which the next write of their file drops after an hour")
    return lost


def _killed(work: Work, first: int, after_s: float) -> int:
    """A process that writes from this number on, killed; the last number that it said was done."""
    reading, writing = os.pipe()
    child = os.fork()
    if child == 0:
        try:
            for number in itertools.count(first):
                work.write(number)
                os.write(writing, number.to_bytes(8, "little"))
        finally:
            os._exit(1)  # only where something failed: nothing of this program runs twice
    os.close(writing)
    time.sleep(after_s)
    os.kill(child, signal.SIGKILL)
    os.waitpid(child, 0)
    said = b""
    while part := os.read(reading, 1 << 16):
        said += part
    os.close(reading)
    return int.from_bytes(said[-8:], "little") if said else first - 1
