"""What is shown of a job: the draft while something changes, the mockup in the same place after a pause."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QWidget

from kilnchisel.core.blanks.bodies import sides_about
from kilnchisel.core.detail import Detail
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import PictureOrder, png_bytes
from kilnchisel.core.laying.patch import ANY_SPOT
from kilnchisel.core.picture.budget import FrameBudget
from kilnchisel.core.workshop.orders import DraftOrder, Drawn, Look, MockupOrder
from kilnchisel.ui.session import Session
from kilnchisel.ui.work import DraftDesk, MockupDesk, Workshop

REST_MS, PAUSE_MS = 180, 650
SLOW_MS, LONG_S = 450, 4.0  # a draft that takes longer is spoken of; and can be stopped
STOPPED = "Drawing was stopped. It begins again with the next change; Undo takes the last one back."
EDIT_SCALE, WALK_SCALE = 0.6, 0.4
WALK_S = 0.03  # what drawing a picture may take while one walks round
WINDOW_SAMPLES = 64


class ShownPicture(QWidget):
    """Asks for the pictures of the session's job and holds the last that came."""

    status = pyqtSignal(str, float)  # words, share done (-1: nothing under way)
    taken = pyqtSignal(object)
    look_changed = pyqtSignal()
    first_drawn = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.look = Look()
        self.drawn: Drawn | None = None
        self.image: QImage | None = None
        self._trouble = ""  # why the present job cannot be drawn
        self._budget = FrameBudget(WALK_S, WALK_SCALE)
        self._told = ""  # something that was refused; it stays for a while whatever is drawn
        self.refining = True
        self.making_picture = False  # a picture for a file is under way and must not be disturbed
        self._aimed_at: int | None = None  # square-on: the lettering that is looked at
        self._number = 0
        self._mockup_number = -1
        self._held: Any = None  # what the image is a view of
        self._seen_any = False
        self._since = 0  # drafts asked for before this number are of another job
        self.workshop = Workshop()
        self.drafts = DraftDesk(self.workshop)
        self.mockups = MockupDesk(self.workshop)
        self.drafts.drawn.connect(self._show_draft)
        self.drafts.taken.connect(self._take)
        self.drafts.failed.connect(self._fail)
        self.mockups.refined.connect(self._show_mockup)
        self.mockups.progress.connect(self._progress)
        self.mockups.failed.connect(self._mockup_failed)
        self.mockups.stopped.connect(self._mockup_stopped)
        self._waiting_since = 0.0  # for a draft, monotonic
        self._slow = self._timer(SLOW_MS, self._say_drawing)
        self._rest = self._timer(REST_MS, self._at_rest)
        self._pause = self._timer(PAUSE_MS, self._after_pause)

    def _timer(self, ms: int, does: Any) -> QTimer:
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.setInterval(ms)
        timer.timeout.connect(does)
        return timer

    # asking for pictures

    def begin(self) -> None:
        """Another job is about to be shown: nothing of the one before stays in sight."""
        self.drafts.forget()
        self.look = Look()
        self.drawn = self.image = None
        self._trouble = self._told = ""
        self._number += 1
        self._since = self._number
        self.update()

    def refresh(self, scale: float = EDIT_SCALE) -> None:
        """Draw the job again, roughly and at once; finely when it rests, as a mockup after a pause."""
        if self.width() < 16 or self.height() < 16 or not self.isVisible():
            return
        self._ask(self._budget.scale if self.moves_all else scale, detail=Detail.ROUGH)
        if not self.making_picture:
            self.mockups.withdraw(self._number)
        self._mockup_number = -1
        self.status.emit("", -1.0)
        self._pause.stop()
        self._rest.start()
        if not self._slow.isActive():
            self._slow.start()
            self._waiting_since = time.monotonic()

    def _ask(self, scale: float, *, detail: Detail) -> None:
        self._number += 1
        ratio = self.devicePixelRatioF()
        self.drafts.ask(
            DraftOrder(
                self.session.job,
                self.session.index,
                self.look,
                (self.width(), self.height()),
                scale * ratio,
                detail,
                self._number,
            )
        )

    def _at_rest(self) -> None:
        unseen = self.drawn is None and not self._trouble  # the rough one is still to come: it is first
        if self.handled or unseen:
            self._rest.start()
            return
        self._ask(1.0, detail=Detail.FINE)
        if self.refining and not self.making_picture:
            self._pause.start()

    def _say_drawing(self) -> None:
        """Tell that what is shown is not the present job yet."""
        if not self._trouble and not self.shows_present():
            waited = time.monotonic() - self._waiting_since
            if waited < LONG_S:
                self.status.emit("Drawing the draft", -1.0)
            else:
                self.status.emit(f"Drawing the draft, {waited:.0f} s", 0.0)  # with a way to stop
            self._slow.start()

    def shows_present(self) -> bool:
        """Whether what is seen is the session's job as it is."""
        return self.drawn is not None and self.drawn.order.job == self.session.job

    def draft_comes(self) -> bool:
        """Whether the session's job is about to be seen."""
        return self.isVisible() and not self._trouble and not self.shows_present()

    def _after_pause(self) -> None:
        if self.handled or not self.isVisible():
            return
        if not self.shows_present():  # the draft comes first
            if not self._trouble:
                self._pause.start()
            return
        self._number += 1
        self._mockup_number = self._number
        ratio = self.devicePixelRatioF()
        size = (max(int(self.width() * ratio), 16), max(int(self.height() * ratio), 16))
        self.mockups.ask(
            MockupOrder(self.session.job, self.session.index, self.look, size, WINDOW_SAMPLES, self._number)
        )

    def cancel(self) -> None:
        """Stop drawing a draft that does not come, or refining; the next change starts it again."""
        self._pause.stop()
        if self._slow.isActive():
            self._slow.stop()
            self._rest.stop()
            self.drafts.stop()
            self._trouble = STOPPED
            self.status.emit("", -1.0)
            self.update()
            return
        self._number += 1
        self.mockups.withdraw(self._number)
        self._mockup_number = -1
        self.status.emit("Stopped refining; the draft is shown.", -1.0)

    @property
    def notice(self) -> str:
        """What stands on the picture: a refusal, or why the job cannot be drawn."""
        return self._told or self._trouble

    def tell(self, sentence: str) -> None:
        """Put a sentence on the picture, or take it away again."""
        self._told = sentence
        self.update()

    def untell(self, sentence: str) -> None:
        """Take this sentence away again, if it is still there."""
        if self._told == sentence:
            self.tell("")

    # what a person does with it

    @property
    def handled(self) -> bool:
        """Whether a gesture is under way."""
        return False

    @property
    def moves_all(self) -> bool:
        """Whether it is one that leaves nothing of the picture as it was."""
        return False

    def draft_shown(self) -> None:
        """A draft has come: what lies over it is to be found anew."""

    # answers

    def _show_draft(self, drawn: Drawn) -> None:
        latest = self._since if self.drawn is None else self.drawn.order.number
        if drawn.order.number < latest:
            return
        self._trouble = ""
        self._waiting_since = time.monotonic()  # drafts do come, if not as quickly as the job changes
        self.drawn = drawn
        scale = drawn.order.scale / self.devicePixelRatioF()
        if drawn.order.detail.rough and scale != EDIT_SCALE:
            self._budget.took(scale, drawn.seconds)
        if self._slow.isActive() and self.shows_present():
            self._slow.stop()
            if self._mockup_number < 0:
                self.status.emit("", -1.0)
        self._set_image(drawn.pixels)
        self.draft_shown()
        self.update()
        if not self._seen_any:
            self._seen_any = True
            if self.refining:
                self.mockups.ahead()
            self.first_drawn.emit()

    def _show_mockup(self, order: MockupOrder, state: Any) -> None:
        if order.number != self._mockup_number or order.picture is not None:
            return
        self._set_image(state.pixels)
        self.update()
        if state.done >= state.wanted:
            self.status.emit(f"Mockup finished, {state.wanted} samples", -1.0)

    def _progress(self, share: float, left: float, number: int) -> None:
        if number != self._mockup_number:
            return
        done = round(share * WINDOW_SAMPLES)
        words = f"Mockup refining, {done} of {WINDOW_SAMPLES}"
        if share > 0.02:
            words += f" · {max(left, 1):.0f} s left"
        self.status.emit(words, share)

    def _take(self, taken: Any) -> None:
        if taken.job == self.session.job and taken.index == self.session.index:
            self.taken.emit(taken)

    def _fail(self, sentence: str, number: int) -> None:
        if number >= self._number - 1:
            self._trouble = sentence
            self.update()

    def _mockup_stopped(self, _number: int) -> None:
        self.status.emit("", -1.0)

    def _mockup_failed(self, sentence: str, number: int) -> None:
        if number == self._mockup_number:
            self.status.emit(sentence, -1.0)

    def _set_image(self, pixels: Any) -> None:
        height, width, channels = pixels.shape
        layout = QImage.Format.Format_RGBX8888 if channels == 4 else QImage.Format.Format_RGB888
        self._held = np.ascontiguousarray(pixels)
        self.image = QImage(self._held.data, width, height, width * channels, layout)

    def make_picture(self, order: PictureOrder) -> MockupOrder:
        """Begin a picture for a file; the window goes on drawing drafts meanwhile."""
        self._pause.stop()
        self._mockup_number = -1
        self._number += 1
        self.making_picture = True
        begun = MockupOrder(
            self.session.job, self.session.index, self.look, order.size, order.samples, self._number, order
        )
        self.mockups.ask(begun)
        return begun

    def end_picture(self) -> None:
        """The picture for a file is done, or not wanted any more."""
        self._number += 1
        self.mockups.withdraw(self._number)
        self.making_picture = False
        self.refresh()

    def preview(self) -> Callable[[], bytes | None]:
        """What makes the picture as it now stands into a small PNG for the job file, in any thread."""
        if self.image is None:
            return lambda: None
        now = self.image.copy()
        return lambda: _small_png(now)

    def close_desks(self) -> None:
        """Stop the threads."""
        for timer in (self._slow, self._rest, self._pause):
            timer.stop()
        self.workshop.close()

    # looking

    def set_square_on(self, *, on: bool) -> None:
        """Look straight at the chosen lettering, or walk round again."""
        self.look = Look(square_on=on, at=self._aim() if on else None)
        self.look_changed.emit()
        self.refresh(1.0)

    def _aim_at_chosen(self) -> None:
        """Square-on: look at another lettering when it is chosen; one that is moved is left to move."""
        if self.look.square_on and self.session.index != self._aimed_at:
            self.look = replace(self.look, at=self._aim())

    def _aim(self) -> tuple[float, float] | None:
        self._aimed_at = index = self.session.index
        if index is None:
            return None
        lay = self.session.job.letterings[index].lay
        if lay.side == ANY_SPOT:
            return (lay.along_mm, lay.across_mm)
        try:
            side = sides_about(self.session.job.blank).named(lay.side)
        except KilnError:
            return None
        _, low, _, high = side.domain.bounds
        return (lay.along_mm if side.period is not None else 0.0, (low + high) / 2)

    def _size(self) -> tuple[int, int]:
        return self.width(), self.height()


def _small_png(image: QImage) -> bytes | None:
    small = image.scaled(
        480, 400, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    ).convertToFormat(QImage.Format.Format_RGB888)
    bits = small.constBits()
    if bits is None:
        return None
    rows = np.frombuffer(bytes(bits.asarray(small.sizeInBytes())), np.uint8)
    rows = rows.reshape(small.height(), small.bytesPerLine())[:, : small.width() * 3]
    return png_bytes(np.ascontiguousarray(rows.reshape(small.height(), small.width(), 3)))
