"""A job's router programs, watched as they run, in a process of their own.

In: ("open", job, how it is routed), ("at", WatchOrder). Out:
("working", words, share), ("programs", tuple of ``Told``), ("seen", ``Seen``), and ("failed",
sentence, report of a fault or "").
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.workshop.aside import Answer, Stale, serve
from kilnchisel.core.workshop.orders import Seen, Told, WatchOrder


class _Watched:
    def __init__(self, answer: Answer) -> None:
        self._answer = answer
        self._draft: Any = None
        self._job: Any = None
        self._programs: list[Any] = []
        self._running: list[Any] = []

    def open(self, job: Any, how: Any) -> None:
        """Work the programs out and run each through once."""
        from kilnchisel.core.handover.programs import written
        from kilnchisel.core.shop.machines.running import Running
        from kilnchisel.core.shop.paths.routerwork import tools_of

        self._answer(("working", "Working out the ways of the cutters", 0.0))
        self._job, self._programs = job, written(job, how)
        told = []
        for number, one in enumerate(self._programs):

            def share(part: float, number: int = number) -> None:
                self._answer(("working", "Running them through", (number + part) / len(self._programs)))

            self._running.append(Running(one.program, one.piece.stock, share))
            wide, tall, thick = map(float, one.piece.stock)
            setup = one.program.setup
            told.append(
                Told(
                    one.piece.name,
                    (wide, tall, thick),
                    self._running[-1].seconds,
                    tuple(tool.words for tool in tools_of([one.piece])),
                    setup is not None,
                    setup is not None and setup.turning is not None,
                    (*one.piece.notes, *one.piece.left),
                )
            )
        self._answer(("programs", tuple(told)))

    def at(self, order: WatchOrder) -> None:
        """The stock at a time of a program, as it is seen."""
        moment, one = self._running[order.program].at(order.seconds), self._programs[order.program]
        above = order.above or one.program.setup is None
        pixels = self._above(moment) if above else self._pictured(one, moment, order.size)
        tool = "" if moment.tool is None else moment.tool.words
        x, y, z = moment.tip.tolist()
        self._answer(("seen", Seen(order, pixels, tool, moment.line, (x, y, z))))

    def _above(self, moment: Any) -> NDArray[Any]:
        from kilnchisel.core.shop.machines.shown import shaded, with_cutter

        pixels = shaded(moment.heights)
        if moment.tool is None:
            return pixels
        return with_cutter(pixels, moment.heights, moment.tip, moment.tool)

    def _pictured(self, one: Any, moment: Any, size: tuple[int, int]) -> NDArray[Any]:
        from kilnchisel.core.build import view_of
        from kilnchisel.core.detail import Detail
        from kilnchisel.core.handover.cutpicture import Cutter, scene_as_cut
        from kilnchisel.core.handover.sidemaps import plain_job
        from kilnchisel.core.picture.draft import Draft

        if self._draft is None:
            self._draft = Draft()
        job = plain_job(self._job)
        cutter = None if moment.tool is None else Cutter(moment.tool, moment.tip)
        scene = scene_as_cut(job, moment.heights, one.piece.stock[2], one.program.setup, cutter)
        pixels = self._draft.render(scene, view_of(job, size[0] / size[1]), size, detail=Detail.ROUGH)
        return np.ascontiguousarray(np.asarray(pixels)[..., :3])


def _made(answer: Answer, _: Stale) -> dict[str, Callable[..., None]]:
    watched = _Watched(answer)
    return {"open": watched.open, "at": watched.at}


if __name__ == "__main__":
    serve(_made, "at")
