"""The picture: the draft while something changes, the mockup in the same place after a pause."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.pictures import PictureOrder, png_bytes
from kilnchisel.core.job.artwork import Shape
from kilnchisel.core.job.edits import change, letter_change, scaled, with_letter
from kilnchisel.core.job.history import History
from kilnchisel.core.job.lettering import Content
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.wording import Curve, Slope, Wording
from kilnchisel.core.units import format_angle, format_length
from kilnchisel.ui.session import Session
from kilnchisel.ui.theme import Theme, font
from kilnchisel.ui.view.band import (
    Band,
    Handle,
    band_of,
    handle_at,
    lettering_at,
    moved,
    sheet_at,
    sized,
    turned,
)
from kilnchisel.ui.view.letters import (
    guide_lines,
    letter_box,
    letter_dragged,
    letter_under,
    point_dragged,
    point_handles,
)
from kilnchisel.ui.view.rulers import paint_rulers
from kilnchisel.ui.work import DraftDesk, DraftOrder, Drawn, Look, MockupDesk, MockupOrder

REST_MS, PAUSE_MS = 180, 650
EDIT_SCALE, WALK_SCALE = 0.6, 0.4
WINDOW_SAMPLES = 64
NUDGE_KEYS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}


@dataclass
class _Drag:
    """A gesture under way."""

    kind: str  # "move", "size", "turn", "letter", "point", "walk", "aim", "sheet"
    start: QPointF
    before: History
    job: Job
    drawn: Drawn | None
    look: Look
    sheet: Any = None
    number: int = 0  # of the letter or point


class PictureView(QWidget):
    """Shows the job and lets it be handled."""

    status = pyqtSignal(str, float)  # words, share done (-1: nothing under way)
    taken = pyqtSignal(object)
    words_wanted = pyqtSignal()
    look_changed = pyqtSignal()
    first_drawn = pyqtSignal()

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.session = session
        self.theme = theme
        self.unit = "mm"
        self.look = Look()
        self.drawn: Drawn | None = None
        self.image: QImage | None = None
        self._trouble = ""  # why the present job cannot be drawn
        self._told = ""  # something that was refused; it stays for a while whatever is drawn
        self.refining = True
        self.making_picture = False  # a picture for a file is under way and must not be disturbed
        self._band: Band | None = None
        self._drag: _Drag | None = None
        self._over: Handle | None = None
        self.single_letters = False  # letters are chosen and dragged one by one
        self._number = 0
        self._mockup_number = -1
        self._held: Any = None
        self._seen_any = False
        self._since = 0  # drafts asked for before this number are of another job
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.setAccessibleName("Picture of the piece")
        self.drafts = DraftDesk()
        self.mockups = MockupDesk()
        self.drafts.drawn.connect(self._show_draft)
        self.drafts.taken.connect(self._take)
        self.drafts.failed.connect(self._fail)
        self.mockups.refined.connect(self._show_mockup)
        self.mockups.progress.connect(self._progress)
        self.mockups.failed.connect(self._mockup_failed)
        self.mockups.stopped.connect(self._mockup_stopped)
        self._rest = self._timer(REST_MS, self._at_rest)
        self._pause = self._timer(PAUSE_MS, self._after_pause)
        session.changed.connect(self.refresh)

    def _timer(self, ms: int, does: Any) -> QTimer:
        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.setInterval(ms)
        timer.timeout.connect(does)
        return timer

    # asking for pictures

    def begin(self) -> None:
        """Another job is about to be shown: nothing of the one before stays in sight."""
        self.look = Look()
        self.drawn = self.image = self._band = None
        self._trouble = self._told = ""
        self._number += 1
        self._since = self._number
        self.update()

    def refresh(self, scale: float = EDIT_SCALE) -> None:
        """Draw the job again, roughly and at once; finely when it rests, as a mockup after a pause."""
        if self.width() < 16 or self.height() < 16 or not self.isVisible():
            return
        walking = self._drag is not None and self._drag.kind in ("walk", "aim", "sheet")
        self._ask(WALK_SCALE if walking else scale, smooth=False)
        if not self.making_picture:
            self.mockups.withdraw(self._number)
        self._mockup_number = -1
        self.status.emit("", -1.0)
        self._pause.stop()
        self._rest.start()

    def _ask(self, scale: float, smooth: bool) -> None:
        self._number += 1
        ratio = self.devicePixelRatioF()
        self.drafts.ask(
            DraftOrder(
                self.session.job,
                self.session.index,
                self.look,
                (self.width(), self.height()),
                scale * ratio,
                smooth,
                self._number,
            )
        )

    def _at_rest(self) -> None:
        if self._drag is not None:
            self._rest.start()
            return
        self._ask(1.0, smooth=True)
        if self.refining and not self.making_picture:
            self._pause.start()

    def _after_pause(self) -> None:
        if self._drag is not None or not self.isVisible():
            return
        self._number += 1
        self._mockup_number = self._number
        ratio = self.devicePixelRatioF()
        size = (max(int(self.width() * ratio), 16), max(int(self.height() * ratio), 16))
        self.mockups.ask(
            MockupOrder(self.session.job, self.session.index, self.look, size, WINDOW_SAMPLES, self._number)
        )

    def cancel_mockup(self) -> None:
        """Stop refining; the next change starts it again."""
        self._pause.stop()
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

    # answers

    def _show_draft(self, drawn: Drawn) -> None:
        latest = self._since if self.drawn is None else self.drawn.order.number
        if drawn.order.number < latest:
            return
        self._trouble = ""
        self.drawn = drawn
        self._set_image(drawn.pixels)
        self._reband()
        self.update()
        if not self._seen_any:
            self._seen_any = True
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

    def preview_png(self) -> bytes | None:
        """The picture as it stands, small, for the job file."""
        if self.image is None:
            return None
        small = self.image.scaled(
            480, 400, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        ).convertToFormat(QImage.Format.Format_RGB888)
        bits = small.constBits()
        if bits is None:
            return None
        rows = np.frombuffer(bytes(bits.asarray(small.sizeInBytes())), np.uint8)
        rows = rows.reshape(small.height(), small.bytesPerLine())[:, : small.width() * 3]
        return png_bytes(np.ascontiguousarray(rows.reshape(small.height(), small.width(), 3)))

    def close_desks(self) -> None:
        """Stop the threads."""
        for timer in (self._rest, self._pause):
            timer.stop()
        self.mockups.close()
        self.drafts.close()

    # looking

    def set_square_on(self, square_on: bool) -> None:
        """Look straight at the chosen lettering, or walk round again."""
        self.look = Look(square_on=square_on, at=self._aim() if square_on else None)
        self.look_changed.emit()
        self.refresh(1.0)

    def aim_again(self) -> None:
        """Square-on: look at the chosen lettering where it is now."""
        if self.look.square_on:
            self.look = replace(self.look, at=self._aim())

    def _aim(self) -> tuple[float, float] | None:
        from kilnchisel.core.build import body_of_job

        index = self.session.index
        if index is None:
            return None
        lay = self.session.job.letterings[index].lay
        try:
            side = body_of_job(self.session.job).sheet(lay.side).side
        except KilnError:
            return None
        _, low, _, high = side.domain.bounds
        return (lay.along_mm if side.period is not None else 0.0, (low + high) / 2)

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.theme.surround))
        if self.image is not None:
            painter.drawImage(QRectF(self.rect()), self.image)
        if self.drawn is not None and self.drawn.laid and self.look.square_on:
            laid = self.drawn.laid[min(self.session.index or 0, len(self.drawn.laid) - 1)]
            if self.drawn.view.parallel:
                paint_rulers(painter, self.drawn, laid, self._size(), self.theme, self.unit)
        if self._band is not None and (self.hasFocus() or self.underMouse() or self._drag is not None):
            self._paint_band(painter, self._band)
        if self.single_letters and self.session.letter is not None and self.drawn is not None:
            self._paint_letter(painter, self.session.letter)
        if self._drag is not None and self._drag.kind in ("move", "size", "turn", "letter", "point"):
            self._paint_words(painter, self._drag_words())
        if self.notice:
            self._paint_notice(painter)
        painter.end()

    def _paint_letter(self, painter: QPainter, place: int) -> None:
        """The chosen letter in a box of its own."""
        index = self.session.index
        if self.drawn is None or index is None or index >= len(self.drawn.laid):
            return
        box = letter_box(self.drawn, self.drawn.laid[index], place, self._size())
        if box is not None:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(self.theme.clay), 1.5))
            painter.drawPolygon(QPolygonF([QPointF(*corner) for corner in box]))

    def _paint_band(self, painter: QPainter, band: Band) -> None:
        glaze, card = QColor(self.theme.glaze), QColor(self.theme.card)
        halo = QColor(255, 255, 255, 150) if self.theme.name == "day" else QColor(0, 0, 0, 150)
        for pen in (QPen(halo, 3.5), QPen(glaze, 1.5)):
            painter.setPen(pen)
            for line in band.lines:
                painter.drawPolyline(QPolygonF([QPointF(*p) for p in line]))
            if band.stem is not None:
                painter.drawLine(QPointF(*band.stem[0]), QPointF(*band.stem[1]))
        painter.setPen(QPen(QColor(self.theme.amber), 1.2, Qt.PenStyle.DotLine))
        for line in band.marks:
            painter.drawPolyline(QPolygonF([QPointF(*p) for p in line]))
        if band.guides:
            painter.setPen(QPen(glaze, 1.5, Qt.PenStyle.DashLine))
            for line in band.guides:
                painter.drawPolyline(QPolygonF([QPointF(*p) for p in line]))
        for handle in band.handles:
            hot = self._over is not None and self._over.at == handle.at
            painter.setPen(QPen(glaze, 2))
            painter.setBrush(glaze if hot else card)
            radius = 6.0 if hot else 5.0
            if handle.kind == "point":
                x, y = handle.at
                painter.drawRect(QRectF(x - radius, y - radius, 2 * radius, 2 * radius))
            elif handle.kind == "turn":
                x, y = handle.at
                painter.drawPolygon(
                    QPolygonF(
                        [
                            QPointF(x, y - radius - 1),
                            QPointF(x + radius + 1, y),
                            QPointF(x, y + radius + 1),
                            QPointF(x - radius - 1, y),
                        ]
                    )
                )
            else:
                painter.drawEllipse(QPointF(*handle.at), radius, radius)

    def _drag_words(self) -> str:
        index = self.session.index
        if index is None or self._drag is None:
            return ""
        lettering = self.session.job.letterings[index]
        places = 3 if self.unit == "in" else 1
        if self._drag.kind == "move":
            along = format_length(lettering.lay.along_mm, self.unit, places)
            return f"{along} along · {format_length(lettering.lay.across_mm, self.unit, places)} up"
        if self._drag.kind == "size":
            return self._size_words(lettering.wording)
        if self._drag.kind == "letter" and isinstance(lettering.wording, Wording):
            own = letter_change(lettering.wording, self._drag.number)
            room = format_length(own.kern_mm, self.unit, places + 1)
            return f"room before it {room} · raised {format_length(own.raise_mm, self.unit, places + 1)}"
        if self._drag.kind == "point":
            return "point of the line"
        return f"turned {format_angle(lettering.lay.turn_deg)}"

    def _size_words(self, content: Content) -> str:
        places = 3 if self.unit == "in" else 1
        if isinstance(content, Wording):
            return f"capitals {format_length(content.cap_height_mm, self.unit, places)}"
        if isinstance(content, Shape):
            first = next(name for name in type(content.form).model_fields if name.endswith("_mm"))
            label = first.removesuffix("_mm").replace("_", " ")
            return f"{label} {format_length(getattr(content.form, first), self.unit, places)}"
        return f"width {format_length(content.width_mm or 0.0, self.unit, places)}"

    def _paint_words(self, painter: QPainter, words: str) -> None:
        painter.setFont(font(12, 500))
        at = self.mapFromGlobal(self.cursor().pos())
        width = painter.fontMetrics().horizontalAdvance(words) + 16
        x = min(max(at.x() + 16, 4), self.width() - width - 4)
        y = min(max(at.y() + 18, 4), self.height() - 28)
        box = QRectF(x, y, width, 24)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.theme.ink))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QColor(self.theme.paper))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _paint_notice(self, painter: QPainter) -> None:
        painter.setFont(font(13, 500))
        room = QRectF(40, self.height() - 110, self.width() - 80, 90)
        flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
        bounds = painter.boundingRect(room, int(flags), self.notice).adjusted(-14, -10, 14, 10)
        painter.setPen(QPen(QColor(self.theme.brick), 1.5))
        painter.setBrush(QColor(self.theme.card))
        painter.drawRoundedRect(bounds, 4, 4)
        painter.setPen(QColor(self.theme.brick))
        painter.drawText(bounds, int(flags), self.notice)

    def _size(self) -> tuple[int, int]:
        return self.width(), self.height()

    def _reband(self) -> None:
        index = self.session.index
        self._band = None
        if self.drawn is not None and index is not None and index < len(self.drawn.laid):
            self._band = band_of(self.drawn, index, self._size())
            wording = self.drawn.order.job.letterings[index].wording
            if isinstance(wording, Wording) and isinstance(wording.arrangement, Curve | Slope):
                points = point_handles(
                    self.drawn, self.drawn.laid[index], wording.arrangement, self._size()
                )
                guides = guide_lines(self.drawn, self.drawn.laid[index], wording.arrangement, self._size())
                band = self._band or Band((), (), None)
                self._band = replace(band, handles=(*band.handles, *points), guides=guides)

    @property
    def band(self) -> Band | None:
        """The band as it is shown now."""
        return self._band

    # events

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._reband()
        self.refresh()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.drawn is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self.setFocus()
        spot = event.position()
        pixel = (spot.x(), spot.y())
        handle = handle_at(self._band, pixel)
        kind, sheet = "sheet" if self.look.square_on else "walk", None
        number = 0
        if handle is not None:
            kind, number = handle.kind, handle.number
            sheet = self._sheet(pixel)
            sheet = np.array(handle.sheet) if sheet is None else sheet
        elif (place := self._letter_under(pixel)) is not None:
            kind, number, sheet = "letter", place, self._sheet(pixel)
            self.session.choose_letter(place)
        else:
            index = lettering_at(self.drawn, pixel, self._size())
            if index is not None:
                if index != self.session.index:
                    self.session.choose(index)
                    self._reband()
                kind, sheet = "move", self._sheet(pixel)
            elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier and not self.look.square_on:
                kind = "aim"
        self.session.end_step()
        self._drag = _Drag(
            kind, spot, self.session.history, self.session.job, self.drawn, self.look, sheet, number
        )
        self._shape_cursor(pixel)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        spot = event.position()
        pixel = (spot.x(), spot.y())
        if self._drag is None:
            self._over = handle_at(self._band, pixel)
            self._shape_cursor(pixel)
            self.update()
            return
        step = spot - self._drag.start
        try:
            if self._drag.kind in ("walk", "aim"):
                self._walk(step.x(), step.y())
            elif self._drag.kind == "sheet":
                self._slide(step.x(), step.y())
            else:
                self._handle(pixel, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        except KilnError:
            return  # the gesture went past a limit: the value stays at the last good one
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is None:
            return
        self._drag = None
        self.session.end_step()
        if event is not None:
            self._shape_cursor((event.position().x(), event.position().y()))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.drawn is None:
            return
        index = lettering_at(self.drawn, (event.position().x(), event.position().y()), self._size())
        if index is not None:
            self.session.choose(index)
            self.words_wanted.emit()

    def leaveEvent(self, event: Any) -> None:
        self._over = None
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        factor = 0.9 ** (event.angleDelta().y() / 120)
        if self.look.square_on:
            zoom = float(np.clip(self.look.zoom / factor, 0.3, 40))
            self.look = replace(self.look, zoom=zoom)
            self.refresh(WALK_SCALE)
        else:
            camera = self.session.job.setting.camera
            distance = float(np.clip(camera.distance_mm * factor, 30, 50_000))
            self._camera({"distance_mm": round(distance, 1)}, f"distance {distance:.0f} mm", "zoom")
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = event.key()
        if key == Qt.Key.Key_Escape and self._drag is not None:
            drag, self._drag = self._drag, None
            self.look = drag.look
            self.session.back_to(drag.before)
            self.refresh()
            return
        step = NUDGE_KEYS.get(Qt.Key(key))
        if step is not None and self.session.index is not None:
            far = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self._nudge(step[0] * far, step[1] * far)
            return
        super().keyPressEvent(event)

    # gestures to values

    def _sheet(self, pixel: tuple[float, float]) -> Any:
        index = self.session.index
        if self.drawn is None or index is None or index >= len(self.drawn.laid):
            return None
        return sheet_at(self.drawn, self.drawn.laid[index], pixel, self._size())

    def show_single_letters(self, on: bool) -> None:
        """Whether a click on the lettering takes one letter of it."""
        self.single_letters = on
        self.update()

    def _letter_under(self, pixel: tuple[float, float]) -> int | None:
        index = self.session.index
        if not self.single_letters or self.drawn is None or index is None or index >= len(self.drawn.laid):
            return None
        if lettering_at(self.drawn, pixel, self._size()) != index:
            return None
        sheet = self._sheet(pixel)
        return None if sheet is None else letter_under(self.drawn.laid[index], sheet)

    def _handle(self, pixel: tuple[float, float], free: bool) -> None:
        drag, index = self._drag, self.session.index
        if drag is None or drag.drawn is None or index is None or drag.sheet is None:
            return
        laid = drag.drawn.laid[index]
        now = sheet_at(drag.drawn, laid, pixel, self._size())
        if now is None:
            return
        path: tuple[str | int, ...] = ("letterings", index)
        lettering = drag.job.letterings[index]
        if drag.kind == "move":
            along, across = moved(laid, drag.sheet, now, free)
            lay = lettering.lay.model_copy(update={"along_mm": along, "across_mm": across})
            self.session.edit((*path, "lay"), lay, "place", "drag")
        elif drag.kind == "size":
            content = scaled(lettering.wording, sized(laid, drag.sheet, now), laid.outline.width_mm)
            self.session.edit((*path, "wording"), content, self._size_words(content), "drag")
        elif drag.kind == "letter" and isinstance(lettering.wording, Wording):
            moved_letter = letter_dragged(laid, lettering.wording, drag.number, drag.sheet, now)
            wording = with_letter(lettering.wording, moved_letter)
            character = wording.text[drag.number]
            self.session.edit((*path, "wording"), wording, f"letter {character} moved", "drag")
        elif drag.kind == "point" and isinstance(lettering.wording, Wording):
            way = lettering.wording.arrangement
            if isinstance(way, Curve | Slope):
                way = point_dragged(laid, way, drag.number, now)
                self.session.edit((*path, "wording", "arrangement"), way, "point moved", "drag")
        else:
            turn = turned(laid, drag.sheet, now, lettering.lay.turn_deg, free)
            self.session.edit((*path, "lay", "turn_deg"), turn, f"turn {turn:g}°", "drag")

    def _walk(self, dx: float, dy: float) -> None:
        assert self._drag is not None
        camera = self._drag.job.setting.camera
        if self._drag.kind == "aim":
            scale = camera.distance_mm * 24 / camera.lens_mm / max(self.height(), 1)
            self._camera(
                {
                    "shift_mm": round(camera.shift_mm - dx * scale, 1),
                    "rise_mm": round(camera.rise_mm + dy * scale, 1),
                },
                "camera aimed",
                "walk",
            )
            return
        turn = (camera.turn_deg - dx * 0.4 + 180) % 360 - 180
        tilt = float(np.clip(camera.tilt_deg + dy * 0.3, -8, 88))
        self._camera({"turn_deg": round(turn, 1), "tilt_deg": round(tilt, 1)}, "walk round", "walk")

    def _camera(self, values: dict[str, float], words: str, merge: str) -> None:
        camera = self.session.job.setting.camera.model_copy(update=values)
        self.session.put(change(self.session.job, ("setting", "camera"), camera), words, merge)

    def _slide(self, dx: float, dy: float) -> None:
        drag = self._drag
        if drag is None or drag.drawn is None:
            return
        scale = 2 * drag.drawn.view.tall / max(self.height(), 1)
        at = drag.look.at or self._aim() or (0.0, 0.0)
        self.look = replace(drag.look, at=(at[0] - dx * scale, at[1] + dy * scale))
        self.refresh(WALK_SCALE)

    def _nudge(self, du: float, dv: float) -> None:
        index = self.session.index
        if index is None:
            return
        lay = self.session.job.letterings[index].lay
        lay = lay.model_copy(
            update={"along_mm": round(lay.along_mm + du, 3), "across_mm": round(lay.across_mm + dv, 3)}
        )
        self.session.edit(("letterings", index, "lay"), lay, "nudge", f"nudge@{index}")

    def _shape_cursor(self, pixel: tuple[float, float]) -> None:
        handle = handle_at(self._band, pixel)
        if handle is not None:
            shape = (
                Qt.CursorShape.PointingHandCursor
                if handle.kind == "turn"
                else Qt.CursorShape.SizeFDiagCursor
            )
        elif self.drawn is not None and lettering_at(self.drawn, pixel, self._size()) is not None:
            shape = Qt.CursorShape.SizeAllCursor
        else:
            closed = self._drag is not None
            shape = Qt.CursorShape.ClosedHandCursor if closed else Qt.CursorShape.OpenHandCursor
        self.setCursor(shape)
