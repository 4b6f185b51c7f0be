"""Background work: the newest request wins, progress is told, cancelling is quick.

Two threads: one owns OpenGL and draws drafts and takes readings, one owns the path tracer. Each waits
in a single slot that a newer request overwrites.
"""

from __future__ import annotations

import contextlib
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from kilnchisel.core.allocation import give_back
from kilnchisel.core.build import lettering_laid, scene_of_job, square_on_view, view_of
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import PictureOrder, order_view
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.model import Job
from kilnchisel.core.later import spatial
from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.picture.afar import Afar
from kilnchisel.core.scene.stance import stance_of
from kilnchisel.core.scene.view import View
from kilnchisel.core.shop.check import Check
from kilnchisel.core.shop.checks import checks
from kilnchisel.core.shop.readings import Reading, readings
from kilnchisel.ui.guard import sentence_of
from kilnchisel.ui.helpers import Helpers


@dataclass(frozen=True)
class Look:
    """How the picture is looked at in the window."""

    square_on: bool = False
    zoom: float = 1.0
    at: tuple[float, float] | None = None  # sheet point looked at when square-on


@dataclass(frozen=True)
class DraftOrder:
    """A draft to draw. ``scale`` < 1 while something moves."""

    job: Job
    index: int | None
    look: Look
    size: tuple[int, int]
    scale: float
    detail: Detail
    number: int


@dataclass(frozen=True, eq=False)
class Drawn:
    """A drawn draft with what the handles and rulers need to lie exactly on it."""

    order: DraftOrder
    pixels: Any
    view: View
    stance: Any
    laid: tuple[Laid, ...]
    seconds: float  # that drawing it took, the geometry apart


@dataclass(frozen=True, eq=False)
class Taken:
    """Readings and checks of the chosen lettering."""

    job: Job
    index: int
    readings: tuple[Reading, ...]
    checks: tuple[Check, ...]


@dataclass(frozen=True)
class MockupOrder:
    """A mockup to refine in the window, or (``picture``) one to be written to a file."""

    job: Job
    index: int | None
    look: Look
    size: tuple[int, int]
    samples: int
    number: int
    picture: PictureOrder | None = None


def view_for(job: Job, index: int | None, look: Look, size: tuple[int, int]) -> View:
    """The camera of a look."""
    aspect = size[0] / size[1]
    if look.square_on:
        return square_on_view(job, index or 0, aspect, look.zoom, look.at)
    return view_of(job, aspect)


DRAFT_BEHIND = 2


class Slot(QObject):
    """A thread that serves the newest request only."""

    failed = pyqtSignal(str, int)

    def __init__(
        self,
        serve: Callable[[Any], None],
        name: str,
        prepare: Callable[[], None] | None = None,
    ) -> None:
        super().__init__()
        self._serve = serve
        self._prepare = prepare
        self._wanted: Any = None
        self._ready = threading.Condition()
        self._open = True
        self._busy = False
        self.newest = 0
        self._thread = threading.Thread(target=self._run, name=name, daemon=True)
        self._thread.start()

    def ask(self, order: Any) -> None:
        """Replace whatever waits by ``order``; what runs hears of it through ``stale``."""
        with self._ready:
            self.newest = order.number
            self._wanted = order
            self._ready.notify()

    def withdraw(self, number: int) -> None:
        """Nothing is wanted; ``number`` is above every request so far."""
        with self._ready:
            self.newest = number
            self._wanted = None

    def rest(self) -> None:
        """Withdraw what waits, and come back when what runs has ended."""
        self.withdraw(self.newest + 1)
        with self._ready:
            self._ready.wait_for(lambda: not self._busy, timeout=20)

    def stale(self, order: Any) -> bool:
        return not self._open or self.newest != order.number

    def close(self) -> None:
        with self._ready:
            self._open = False
            self._wanted = None
            self._ready.notify()
        self._thread.join(timeout=20)

    def _run(self) -> None:
        if self._prepare is not None:
            with contextlib.suppress(Exception):  # the first request meets the same trouble and tells it
                self._prepare()
        while True:
            with self._ready:
                while self._open and self._wanted is None:
                    self._ready.wait()
                if not self._open:
                    return
                order, self._wanted = self._wanted, None
                self._busy = True
            try:
                self._serve(order)
            except KilnError as error:
                self.failed.emit(str(error), order.number)
            except Exception as error:
                self.failed.emit(sentence_of(error), order.number)
                sys.excepthook(type(error), error, error.__traceback__)
            finally:
                with self._ready:
                    self._busy = False
                    self._ready.notify_all()


class DraftDesk(QObject):
    """Draws drafts and takes readings."""

    drawn = pyqtSignal(object)
    taken = pyqtSignal(object)
    failed = pyqtSignal(str, int)

    def __init__(self) -> None:
        super().__init__()
        self._draft: Any = None
        # the graphics context is made ready while the window is still being built
        self._slot = Slot(self._serve, "draft", self._ready)
        self._slot.failed.connect(self.failed)

    def ask(self, order: DraftOrder) -> None:
        self._slot.ask(order)

    def rest(self) -> None:
        """Nothing is wanted any more, and nothing is under way."""
        self._slot.rest()

    def close(self) -> None:
        self._slot.close()

    @property
    def card(self) -> str | None:
        """What draws; None while nothing does."""
        return None if self._draft is None else str(self._draft.name)

    def _ready(self) -> None:
        if self._draft is None:
            from kilnchisel.core.picture.draft import Draft

            helpers = Helpers(DRAFT_BEHIND)
            self._draft = Draft()
            spatial.cKDTree  # noqa: B018 - the first picture wants it: loaded while nothing is drawn yet
            helpers.settle()

    def _serve(self, order: DraftOrder) -> None:
        self._ready()
        scene = scene_of_job(order.job, detail=order.detail)
        view = view_for(order.job, order.index, order.look, order.size)
        width, height = (max(int(side * order.scale), 16) for side in order.size)
        started = time.monotonic()
        pixels = self._draft.render(scene, view, (width, height), detail=order.detail)
        seconds = time.monotonic() - started
        count = len(order.job.letterings)
        laid = tuple(lettering_laid(order.job, i, detail=order.detail) for i in range(count))
        self.drawn.emit(Drawn(order, pixels, view, stance_of(order.job), laid, seconds))
        if order.detail.fine:
            give_back()
        if order.index is None or self._slot.stale(order):
            return
        # letters just as the face draws them are measured at once, others when the picture rests
        # (on a mesh: what is unrolled in a hurry is not measured)
        analytic = not isinstance(order.job.blank, Mesh3D)
        if order.detail.fine or (analytic and laid[order.index].outline.as_drawn):
            self.taken.emit(
                Taken(
                    order.job, order.index, readings(order.job, order.index), checks(order.job, order.index)
                )
            )


class MockupDesk(QObject):
    """Refines mockups, in the window or for a file."""

    refined = pyqtSignal(object, object)  # order, Refined
    progress = pyqtSignal(float, float, int)  # share done, seconds left, number
    failed = pyqtSignal(str, int)
    stopped = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self._afar = Afar()
        self._slot = Slot(self._serve, "mockup")
        self._slot.failed.connect(self.failed)

    def ahead(self) -> None:
        """Start what a mockup takes before one is wanted."""
        self._afar.ahead()

    def ask(self, order: MockupOrder) -> None:
        self._slot.ask(order)

    def withdraw(self, number: int) -> None:
        self._slot.withdraw(number)

    def close(self) -> None:
        self._afar.close()
        self._slot.close()

    def _serve(self, order: MockupOrder) -> None:
        started = time.monotonic()

        def stop() -> bool:
            return self._slot.stale(order)

        def progress(share: float) -> None:
            spent = time.monotonic() - started
            self.progress.emit(share, spent / max(share, 1e-3) * (1 - share), order.number)

        self.progress.emit(0.0, 0.0, order.number)
        scene = scene_of_job(order.job)
        if stop():
            self.stopped.emit(order.number)
            return
        if order.picture is None:
            view = view_for(order.job, order.index, order.look, order.size)
        else:
            view = order_view(order.job, order.picture)
        looks, wish = (None, None) if order.picture is None else ((), order.picture.wish)
        for state in self._afar.refine(scene, view, order.size, order.samples, stop, progress, looks, wish):
            self.refined.emit(order, state)
        if stop():
            self.stopped.emit(order.number)
