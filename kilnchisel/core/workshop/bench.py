"""Where pictures, readings and solids are made: one thread owns OpenGL, draws drafts and takes readings,
one has mockups refined, one makes solids. Each serves its newest request; orders come in and answers go
out as plain tuples.

In: ("draft", DraftOrder), ("mockup", MockupOrder), ("no mockup", number), ("ahead",),
("another job",), ("solid", SolidOrder), ("no solid", number), ("keep", files that a job holds).
Out: ("card", name), ("drawn", number, parts, pixels, view, stance, middle, half, seconds), ("taken",
number, readings, checks), ("refined", number, Refined), ("progress", number, share, seconds left),
("stopped", number), ("made", number, bytes of a solid), and ("failed", the order's kind, number, sentence,
report of a fault or "").
"""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from kilnchisel.core.allocation import give_back
from kilnchisel.core.blanks.cloth import ClothSide, Panel
from kilnchisel.core.blanks.extruded import Extruded
from kilnchisel.core.blanks.imported import FreeMesh
from kilnchisel.core.blanks.sides import Cylinder, Plane
from kilnchisel.core.blanks.surface import Surface
from kilnchisel.core.blanks.turnedside import Turned
from kilnchisel.core.build import half_of_job, lettering_laid, middle_of_job, scene_of_job, sides_of_job
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.faults import report_of, sentence_of
from kilnchisel.core.garbage import Garbage
from kilnchisel.core.handover.meshes import mesh_bytes
from kilnchisel.core.handover.pictures import order_view
from kilnchisel.core.intake import gate
from kilnchisel.core.job.assets import keep_asset
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.fresh import fresh_job
from kilnchisel.core.later import ndimage, spatial
from kilnchisel.core.laying.chart import Chart
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.lettering.outline import Outline
from kilnchisel.core.picture.afar import Afar
from kilnchisel.core.remembered import STORE
from kilnchisel.core.scene.stance import stance_of
from kilnchisel.core.sending.things import Sender
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.readings import readings
from kilnchisel.core.workshop.orders import DraftOrder, Look, MockupOrder, SolidOrder, view_for
from kilnchisel.core.workshop.slot import Slot

Answer = Callable[[tuple[Any, ...]], None]

WARM_PX = (96, 80)
KEPT_TURNS = 64  # drafts: undo comes back to what none of so many showed
# go over once
STAYS = (Laid, Outline, Plane, Cylinder, Turned, Extruded, Surface, ClothSide, Panel, Chart, FreeMesh)


class Bench:
    """Takes orders; ``answer`` is called from its threads."""

    def __init__(self, answer: Answer, garbage: Garbage | None = None) -> None:
        """``garbage``: looked after between drafts."""
        self.drafts = _Drafts(answer, garbage)
        self.mockups = _Mockups(answer)
        self.solids = _Solids(answer)

    def take(self, order: tuple[Any, ...]) -> None:
        """Begin what is ordered; comes back at once."""
        kind, *values = order
        if kind == "draft":
            self.drafts.slot.ask(values[0])
        elif kind == "mockup":
            self.mockups.slot.ask(values[0])
        elif kind == "no mockup":
            self.mockups.slot.withdraw(values[0])
        elif kind == "another job":
            self.drafts.forget = self.drafts.served
        elif kind == "ahead":
            self.mockups.afar.ahead()
        elif kind == "solid":
            self.solids.slot.ask(values[0])
        elif kind == "no solid":
            self.solids.stop(values[0])
        elif kind == "keep":
            for data in values[0]:
                keep_asset(data)
        else:
            raise ValueError(f"nobody makes {kind!r}")

    def close(self) -> None:
        """End what runs."""
        self.mockups.afar.close()
        self.mockups.slot.close()
        self.solids.stop(self.solids.slot.newest + 1)
        self.solids.slot.close()
        self.drafts.slot.close()


def _failed(what: str, answer: Answer) -> Callable[[Exception, int], None]:
    def tell(error: Exception, number: int) -> None:
        refused = isinstance(error, KilnError)
        sentence = str(error) if refused else sentence_of(error)
        answer(("failed", what, number, sentence, "" if refused else report_of(error)))

    return tell


class _Drafts:
    """Draws drafts and takes readings."""

    def __init__(self, answer: Answer, garbage: Garbage | None) -> None:
        self._answer = answer
        self._garbage = garbage
        self._draft: Any = None
        self._sender = Sender(*STAYS, kept=KEPT_TURNS)
        self.served = False  # anybody yet: what the warm-up loaded is for the first job
        self.forget = False  # before the next draft, which is of another job, what is kept for the last one
        # the graphics context is made ready while the window is still being built
        self.slot = Slot(self._serve, "draft", _failed("draft", answer), self._warm_up)

    def _ready(self) -> None:
        if self._draft is None:
            from kilnchisel.core.picture.draft import Draft

            self._draft = Draft()
            self._answer(("card", str(self._draft.name)))

    def _warm_up(self) -> None:
        """Before the first order: a picture that nobody sees loads what any picture takes."""
        self._ready()
        spatial.cKDTree, ndimage.label  # noqa: B018 - loaded by being named
        if self.slot.idle():
            self._draw(DraftOrder(fresh_job("mug"), 0, Look(), WARM_PX, 1.0, Detail.ROUGH, 0))

    def _draw(self, order: DraftOrder) -> tuple[Any, Any, float]:
        """Pixels, their view, and the seconds that drawing took, the geometry apart."""
        scene = scene_of_job(order.job, detail=order.detail)
        view = view_for(order.job, order.index, order.look, order.size)
        width, height = (max(int(side * order.scale), 16) for side in order.size)
        started = time.monotonic()
        pixels = self._draft.render(scene, view, (width, height), detail=order.detail)
        return pixels, view, time.monotonic() - started

    def _serve(self, order: DraftOrder) -> None:
        if self.forget:
            self.forget = False
            STORE.clear()
            if self._draft is not None:
                self._draft.close()
                self._draft = None
            give_back()
        self._ready()
        pixels, view, seconds = self._draw(order)
        self.served = True
        count = len(order.job.letterings)
        laid = tuple(lettering_laid(order.job, i, detail=order.detail) for i in range(count))
        parts = self._sender.parts((laid, sides_of_job(order.job)))
        stance, middle, half = stance_of(order.job), middle_of_job(order.job), half_of_job(order.job)
        self._answer(("drawn", order.number, parts, pixels, view, stance, middle, half, seconds))
        if order.detail.fine:
            give_back()
        if order.index is not None and not self.slot.stale(order):
            # letters just as the face draws them are measured at once, others when the picture rests
            # (on a mesh: what is unrolled in a hurry is not measured)
            analytic = not isinstance(order.job.blank, Mesh3D)
            if order.detail.fine or (analytic and laid[order.index].outline.as_drawn):
                found = readings(order.job, order.index), checks(order.job, order.index)
                self._answer(("taken", order.number, *found))
        if self._garbage is not None:
            self._garbage.tick()
            if order.detail.fine and not self.slot.stale(order):
                self._garbage.rest()


class _Mockups:
    """Has mockups refined, for the window or for a file."""

    def __init__(self, answer: Answer) -> None:
        self._answer = answer
        self.afar = Afar()
        self.slot = Slot(self._serve, "mockup", _failed("mockup", answer))

    def _serve(self, order: MockupOrder) -> None:
        started = time.monotonic()

        def stop() -> bool:
            return self.slot.stale(order)

        def progress(share: float) -> None:
            spent = time.monotonic() - started
            left = spent / max(share, 1e-3) * (1 - share)
            self._answer(("progress", order.number, share, left))

        self._answer(("progress", order.number, 0.0, 0.0))
        scene = scene_of_job(order.job)
        if stop():
            self._answer(("stopped", order.number))
            return
        if order.picture is None:
            view = view_for(order.job, order.index, order.look, order.size)
        else:
            view = order_view(order.job, order.picture)
        scene = scene.seen_in(view)
        looks, wish = (None, None) if order.picture is None else ((), order.picture.wish)
        for state in self.afar.refine(scene, view, order.size, order.samples, stop, progress, looks, wish):
            self._answer(("refined", order.number, state))
        if stop():
            self._answer(("stopped", order.number))


class _Solids:
    """Makes solids. What unites them may be ended alone."""

    def __init__(self, answer: Answer) -> None:
        self._answer = answer
        self.slot = Slot(self._serve, "solid", _failed("solid", answer))

    def stop(self, number: int) -> None:
        """None is wanted; ``number`` is above every order so far."""
        self.slot.withdraw(number)
        gate.stop_reading(self.slot.thread)

    def _serve(self, order: SolidOrder) -> None:
        data = mesh_bytes(order.job, Path(order.name), beside=True)
        if not self.slot.stale(order):
            self._answer(("made", order.number, data))
