"""Memory after many edits over all demo jobs: what is remembered must not grow with what was tried.

In a process of its own: ``python -m benchmarks.memory [EDITS] [SEED]`` prints the memory as it goes.
"""

from __future__ import annotations

import contextlib
import itertools
import os
import random
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any, get_args

from benchmarks.figure import Figure
from kilnchisel.core.detail import Detail

DEMO = Path(__file__).parent.parent / "demo"
EDITS, FIRST, IN_A_ROW, FINE_EVERY = 2000, 200, 20, 10
CRAFTS: tuple[dict[str, Any], ...] = (
    {"kind": "printed"},
    {"kind": "engraved", "depth_mm": 0.2},
    {"kind": "engraved", "depth_mm": 0.2, "floor": "v"},
    {"kind": "raised", "height_mm": 0.5, "edge": "rounded", "edge_mm": 0.1},
    {"kind": "pressed", "depth_mm": 0.2},
)
FINISHES = ("brass", "gold", "slate", "enamel", "stone", "wood", "leather", "plastic")
WORDS = "TARNLIGHT HILL OBSERVATORY NIGHTS & DOME PATH 1897"


def memory_mb() -> float:
    """What this process and those it has started hold now; what they share counts once (PSS)."""
    return sum(mb for _, mb in memory_by_process())


def memory_by_process() -> list[tuple[str, float]]:
    """The same, one by one: the module that each runs, or "forked", and MB."""
    found = []
    for pid in processes():
        with contextlib.suppress(OSError):  # one may have ended meanwhile
            kb = _row_of(f"/proc/{pid}/smaps_rollup", "Pss:")
            words = Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace").split("\0")
            module = next((b for a, b in itertools.pairwise(words) if a == "-m"), "")
            own = module.startswith("kilnchisel.")
            what = module.rsplit(".", 1)[-1] if own else "this" if pid == os.getpid() else "forked"
            found.append((what, kb / 1024))
    return found


def peaks() -> dict[int, float]:
    """The most that this process and those it has started have held so far, MB by number."""
    found = {}
    for pid in processes():
        with contextlib.suppress(OSError):
            found[pid] = _row_of(f"/proc/{pid}/status", "VmHWM:") / 1024
    return found


def processes() -> Iterator[int]:
    """The numbers of this process and of all that it has started."""
    waiting = [os.getpid()]
    while waiting:
        pid = waiting.pop()
        yield pid
        with contextlib.suppress(OSError):  # one may have ended meanwhile
            for task in Path(f"/proc/{pid}/task").iterdir():
                waiting += map(int, (task / "children").read_text().split())


def _row_of(path: str, name: str) -> int:
    rows = Path(path).read_text().splitlines()
    return next((int(row.split()[1]) for row in rows if row.startswith(name)), 0)  # 0: it has ended


def edited(job: Any, rng: random.Random) -> Any:
    """The job with something else about it, as a hand would try it."""
    from kilnchisel.core.job.edits import change, limits
    from kilnchisel.core.job.fresh import with_shown

    index = rng.randrange(len(job.letterings)) if job.letterings else None
    kind = rng.choice(("size", "words", "place", "turn", "craft", "finish", "blank", "light"))
    if kind == "blank":
        model = type(job.blank)
        names = [n for n in model.model_fields if n.endswith("_mm") and limits(model, n)[1] is not None]
        if not names:  # a garment comes in sizes
            ways = {n: get_args(f.annotation) for n, f in model.model_fields.items() if n != "kind"}
            name = rng.choice(sorted(n for n, offered in ways.items() if len(offered) > 1))
            return with_shown(job, **{name: rng.choice(ways[name])})
        name = rng.choice(names)
        return change(job, ("blank", name), round(getattr(job.blank, name) * rng.uniform(0.9, 1.1), 2))
    if kind == "light":
        return change(job, ("setting", "exposure_stops"), round(rng.uniform(-1, 1), 2))
    if kind == "finish":
        return change(job, ("finish",), {"kind": rng.choice(FINISHES)})
    if index is None:
        return job
    path: tuple[str | int, ...] = ("letterings", index)
    lettering = job.letterings[index]
    if kind == "craft":
        return change(job, (*path, "craft"), rng.choice(CRAFTS))
    if kind == "place":
        return change(job, (*path, "lay", "along_mm"), round(rng.uniform(-30, 30), 1))
    if kind == "turn":
        return change(job, (*path, "lay", "turn_deg"), float(rng.randrange(-90, 90)))
    if lettering.content.kind != "words":
        return job
    if kind == "words":
        start = rng.randrange(20)
        return change(job, (*path, "content", "text"), WORDS[start : start + rng.randrange(1, 20)])
    cap = round(lettering.content.cap_height_mm * rng.uniform(0.8, 1.2), 1)
    return change(job, (*path, "content", "cap_height_mm"), cap)


def work(edits: int, seed: int) -> None:
    """Edit, draw and read as the window's workshop does. Every FIRST edits the first job is opened again
    and its memory printed: what is held hangs on the job that is open, so one job tells what is left of all
    others."""
    from kilnchisel.core.allocation import SELDOM_S, settle_allocator
    from kilnchisel.core.errors import KilnError
    from kilnchisel.core.job.file import open_job

    settle_allocator()  # as the window does
    rng = random.Random(seed)
    jobs = [open_job(path) for path in sorted(DEMO.glob("*.kcj"))]
    desk = Desk()
    for number in range(1, edits + 1):
        if number % IN_A_ROW == 1:
            desk.clear()  # another job comes
            job = rng.choice(jobs)
        try:
            tried = edited(job, rng)
            desk.show(tried, Detail.ROUGH if number % FINE_EVERY else Detail.FINE)
            job = tried
        except KilnError:
            continue  # refused, as a hand would be
        finally:
            if number % FIRST == 0:
                desk.clear()
                for detail in (Detail.ROUGH, Detail.FINE):
                    desk.show(jobs[0], detail)
                time.sleep(SELDOM_S)  # what is not used is given back at rest, but not at every rest
                desk.show(jobs[0], Detail.FINE)
                print(number, round(memory_mb()), flush=True)


class Desk:
    """What draws and reads the open job."""

    def __init__(self) -> None:
        self.draft: Any = None
        self.clear()

    def clear(self) -> None:
        """Begin anew, as for another job."""
        from kilnchisel.core.picture.draft import Draft

        if self.draft is not None:
            self.draft.close()
        self.draft = Draft()

    def show(self, job: Any, detail: Detail) -> None:
        """Draw a job, and at rest read it. Raises KilnError."""
        from kilnchisel.core.allocation import give_back
        from kilnchisel.core.build import scene_of_job, view_of
        from kilnchisel.core.shop.checks import checks
        from kilnchisel.core.shop.readings import readings

        self.draft.render(scene_of_job(job, detail=detail), view_of(job, 4 / 3), (320, 240), detail=detail)
        if detail.fine and job.letterings:
            readings(job, 0)
            checks(job, 0)
            give_back()


def run() -> Iterator[Figure]:
    """The growth from the first edits to the last."""
    result = subprocess.run(
        [sys.executable, "-m", "benchmarks.memory", str(EDITS), "1"],
        capture_output=True,
        text=True,
        check=True,
    )
    rows = [line.split() for line in result.stdout.splitlines()]
    first, last = float(rows[0][1]), float(rows[-1][1])
    yield Figure(f"memory after {EDITS} random edits over all demo jobs", last, "MB", first + 150)


if __name__ == "__main__":
    work(int(sys.argv[1]), int(sys.argv[2]))
