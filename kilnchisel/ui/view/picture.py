"""The picture as it is handled: gestures, keys, words typed on it, and what is painted over it."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)

from kilnchisel.core.build import lowest_tilt, row_length
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.cameras import walked_to
from kilnchisel.core.job.edits import change, retyped, wording_at
from kilnchisel.core.job.wording import Curve, Slope, Wording
from kilnchisel.core.laying.flat import distance_on
from kilnchisel.core.laying.picking import spot_under
from kilnchisel.core.scene.highlights import Glint, glint_under
from kilnchisel.core.shop.placing import nudged
from kilnchisel.core.units import format_length
from kilnchisel.core.workshop.orders import Drawn
from kilnchisel.ui.away import known_or_away
from kilnchisel.ui.session import Session
from kilnchisel.ui.theme import Theme
from kilnchisel.ui.view.band import Band, Handle, band_of, handle_at, lettering_at, on_picture, sheet_at
from kilnchisel.ui.view.gestures import SHOWN_AT_POINTER, Drag, drag_words, edit_of, ray_of, spot_edit
from kilnchisel.ui.view.groundmarks import height_at, height_dragged, paint_ground
from kilnchisel.ui.view.letters import guide_lines, letter_box, letter_under, point_handles
from kilnchisel.ui.view.painting import (
    paint_band,
    paint_box,
    paint_caret,
    paint_distance,
    paint_guides,
    paint_notice,
    paint_stretch,
    paint_words,
)
from kilnchisel.ui.view.photolines import LEAST_PX, LineOver, paint_line
from kilnchisel.ui.view.photomarks import (
    in_photo_px,
    mark_at,
    mark_dragged,
    paint_magnifier,
    paint_marks,
    paint_photo,
    piece_dragged,
)
from kilnchisel.ui.view.rulers import Rulers
from kilnchisel.ui.view.shown import ShownPicture
from kilnchisel.ui.view.stretch import stretch_cells, stretch_picture
from kilnchisel.ui.view.typing import caret_at, caret_line, typed

Array = NDArray[Any]

OUTSIDE = 1.04  # of what a piece reaches towards the camera, that it stays away
TILTS_DEG = (-8.0, 88.0)  # of a camera that is walked round
BEFORE_KEY = Qt.Key.Key_B
MOVES_ALL = ("walk", "aim", "sheet", "mark", "place", "height")  # drags after which all is drawn anew
CURSORS = {"bend": Qt.CursorShape.SizeVerCursor, "spread": Qt.CursorShape.SizeHorCursor}
NUDGE_KEYS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, 1),
    Qt.Key.Key_Down: (0, -1),
}


# given the place that is pointed at, the way there, and the draft that shows it
Pointing = Callable[[Glint, Array, Drawn], None]


class PictureView(ShownPicture):
    """Shows the job and lets it be handled."""

    words_wanted = pyqtSignal()
    new_wanted = pyqtSignal(object)  # a lettering, at a spot of the blank or None
    measured = pyqtSignal(str)  # the distance between two points, in words

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__(session)
        self.theme = theme
        self.unit = "mm"
        self.show_marks = False  # of a photo
        self._mark: int | None = None  # the one under the pointer
        self._pointer = (0.0, 0.0)
        self._band: Band | None = None
        self._drag: Drag | None = None
        self._over: Handle | None = None
        self.single_letters = False  # letters are chosen and dragged one by one
        self.show_stretch = False  # the surface under the lettering is coloured by its stretch
        self.points: list[Array] | None = None  # clicked while measuring, sheet mm
        self.line: LineOver | None = None  # what a line over the photo is for
        self._as_it_came = False  # the photo alone, while a key is held
        self.pointing: Pointing | None = None  # what the next click on the piece is for
        self.caret: int | None = None  # place in the words while they are typed on the object
        self._rulers = Rulers()
        self._stretch: Any = None  # what its picture is of, and the picture
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(320, 240)
        self.setAccessibleName("Picture of the piece")
        session.changed.connect(self._still_typing)
        session.changed.connect(self._aim_at_chosen)
        session.changed.connect(self.refresh)

    def begin(self) -> None:
        self.points = self._band = None
        super().begin()

    @property
    def handled(self) -> bool:
        return self._drag is not None

    @property
    def moves_all(self) -> bool:
        return self._drag is not None and self._drag.kind in MOVES_ALL

    def draft_shown(self) -> None:
        self._reband()

    # painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        try:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), QColor(self.theme.surround))
            photo = self.session.job.setting.photo
            if self._as_it_came and photo is not None:
                with contextlib.suppress(KilnError):
                    paint_photo(painter, photo, self._size())
                return
            if self.image is not None:
                painter.drawImage(QRectF(self.rect()), self.image)
            with contextlib.suppress(KilnError):  # what cannot be shown over it now is left out
                self._paint_over(painter)
            if self.notice:
                paint_notice(painter, self.notice, self._size(), self.theme)
        finally:
            painter.end()

    def _paint_over(self, painter: QPainter) -> None:
        """What lies over the picture: stretch, rulers, band, letter, caret, values."""
        drawn, index = self.drawn, self.session.index
        laid = None
        if drawn is not None and drawn.laid:
            laid = drawn.laid[min(index or 0, len(drawn.laid) - 1)]
        if drawn is not None and laid is not None and self.show_stretch:
            size, limit = self._size(), max(laid.lay.stretch_limit, 0.5)
            key = drawn, laid, size, limit
            if self._stretch is None or self._stretch[0] != key:
                cells = stretch_cells(drawn, laid, size)
                self._stretch = (key, stretch_picture(cells, limit, size))
            paint_stretch(painter, self._stretch[1], limit, self.theme)
        if drawn is not None and laid is not None and self.look.square_on and drawn.view.parallel:
            self._rulers.paint(painter, drawn, laid, self._size(), self.theme, self.unit)
        if self._photo_seen():
            mark = self._drag.number if self._drag is not None and self._drag.kind == "mark" else self._mark
            if self.show_marks:
                paint_marks(painter, self.session.job, self._size(), mark, self.theme)
                held = self._drag.number if self._drag is not None and self._drag.kind == "height" else None
                paint_ground(painter, self.session.job, self._size(), held, self.theme)
            photo = self.session.job.setting.photo
            drawing = self._drag is not None and self._drag.kind == "line"
            if self._drag is not None and drawing:
                paint_line(painter, self._drag.start, self._pointer, self.theme)
            if self._drag is not None and (self._drag.kind == "mark" or drawing) and photo is not None:
                paint_magnifier(painter, photo, self._pointer, self._size(), self.theme)
        if self._band is not None and (self.hasFocus() or self.underMouse() or self._drag is not None):
            paint_band(painter, self._band, self._over, self.theme)
        if (
            drawn is not None
            and laid is not None
            and self.single_letters
            and self.session.letter is not None
        ):
            box = letter_box(drawn, laid, self.session.letter, self._size())
            if box is not None:
                paint_box(painter, box, self.theme)
        if drawn is not None and laid is not None and self.caret is not None:
            caret = caret_line(drawn, laid, self._text(), self.caret, self._size())
            if caret is not None:
                paint_caret(painter, caret, self.theme)
        if drawn is not None and laid is not None and self.points:
            pixels, _ = on_picture(drawn, laid, np.stack(self.points), self._size())
            paint_distance(painter, pixels, self._distance_words(), self._size(), self.theme)
        drag = self._drag
        if drag is not None and drag.kind in SHOWN_AT_POINTER and index is not None:
            paint_guides(painter, drag.guides, self.theme)
            words = drag_words(drag.kind, self.session.job.letterings[index], drag.number, self.unit)
            at = self.mapFromGlobal(self.cursor().pos()).toPointF()
            paint_words(painter, words, at, self._size(), self.theme)

    def _photo_seen(self) -> bool:
        """Whether the picture is one in a photo."""
        return self.session.job.setting.photo is not None and not self.look.square_on

    def show_photo_marks(self, *, on: bool) -> None:
        """Whether what tells where a photo was taken is shown in it, to be dragged."""
        self.show_marks = on
        self.update()

    def _marks_shown(self) -> bool:
        return self._photo_seen() and self.show_marks

    def _mark_at(self, pixel: tuple[float, float]) -> int | None:
        photo = self.session.job.setting.photo
        if photo is None or not self._marks_shown():
            return None
        return mark_at(photo, pixel, self._size())

    def begin_line(self, line: LineOver) -> None:
        """The next line that is drawn over the photo is for this."""
        self.line = line
        self.setFocus()
        self.setCursor(Qt.CursorShape.CrossCursor)

    def _draw_line(self, pixel: tuple[float, float], *, ends: bool = False) -> None:
        """A line over the photo goes to a widget pixel, and ends there."""
        drag, line, photo = self._drag, self.line, self.session.job.setting.photo
        if drag is None or line is None or photo is None:
            return
        start, end = (in_photo_px(photo, one, self._size()) for one in (drag.start, pixel))
        if np.hypot(end[0] - start[0], end[1] - start[1]) < LEAST_PX:
            return
        if line.live is not None:
            self.session.put(line.live(drag.job, start, end), line.step, "line")
        if not ends:
            return
        if not line.stays:
            self.line = None
        if line.done is not None:
            line.done(start, end)

    def _end_line(self, pixel: tuple[float, float]) -> None:
        try:
            self._draw_line(pixel, ends=True)
        except KilnError as error:
            self.tell(str(error))

    def _in_photo(self, pixel: tuple[float, float], *, free: bool) -> None:
        """A mark of the photo, or the piece in it, goes to a widget pixel."""
        drag = self._drag
        if drag is None:
            return
        if drag.kind == "mark":
            moved = mark_dragged(self.session.job, drag.number, pixel, self._size(), free=free)
            self.session.put(moved, "mark", "mark")
            return
        over = piece_dragged(drag.job, drag.start, pixel, self._size())
        if over is not None:
            self.session.put(over, "place in the photo", "walk")

    def _reband(self) -> None:
        index = self.session.index
        self._band = None
        if self.drawn is not None and index is not None and index < len(self.drawn.laid):
            self._band = band_of(self.drawn, index, self._size())
            wording = self.drawn.order.job.letterings[index].content
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
        self.end_typing()
        spot = event.position()
        pixel = (spot.x(), spot.y())
        if self.points is not None:
            self._point_at(pixel)
            return
        if self.pointing is not None:
            self.session.end_step()
            self._drag = Drag(
                "pointing", pixel, self.session.history, self.session.job, self.drawn, self.look
            )
            self._point_out(pixel)
            return
        if self.line is not None and self._photo_seen():
            self.session.end_step()
            self._drag = Drag("line", pixel, self.session.history, self.session.job, self.drawn, self.look)
            self._pointer = pixel
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.put_here(pixel)
            return
        handle, mark = handle_at(self._band, pixel), self._mark_at(pixel)
        height = height_at(self.session.job, pixel, self._size()) if self._marks_shown() else None
        kind, sheet = "sheet" if self.look.square_on else "walk", None
        number = 0
        if mark is not None:
            kind, number = "mark", mark
            self._pointer = pixel
        elif height is not None:
            kind, number = "height", height
        elif handle is not None:
            kind, number = handle.kind, handle.number
            sheet = self._sheet(pixel)
            sheet = np.array(handle.sheet) if sheet is None else sheet
        elif (place := self._letter_under(pixel)) is not None:
            kind, number, sheet = "letter", place, self._sheet(pixel)
            self.session.choose_letter(place)
        else:
            index = self._lettering_at(pixel)
            if index is not None:
                if index != self.session.index:
                    self.session.choose(index)
                    self._reband()
                kind, sheet = "move", self._sheet(pixel)
            elif self._photo_seen():
                kind = "place"
            elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier and not self.look.square_on:
                kind = "aim"
        self.session.end_step()
        index = self.session.index
        chosen = None if index is None else self.session.job.letterings[index].content
        if kind == "bend" and isinstance(chosen, Wording):  # the handle may be of what is there no more
            try:
                known_or_away("Measuring the words", row_length, chosen)
            except KilnError:  # the person did not want to wait, or the face has gone
                return
        self._drag = Drag(
            kind, pixel, self.session.history, self.session.job, self.drawn, self.look, sheet, number
        )
        self._shape_cursor(pixel)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        spot = event.position()
        pixel = (spot.x(), spot.y())
        self._pointer = pixel
        if self._drag is None:
            self._over = handle_at(self._band, pixel)
            self._mark = self._mark_at(pixel)
            self._shape_cursor(pixel)
            self.update()
            return
        step = (spot.x() - self._drag.start[0], spot.y() - self._drag.start[1])
        try:
            if self._drag.kind == "pointing":
                self._point_out(pixel)
            elif self._drag.kind == "line":
                self._draw_line(pixel)
            elif self._drag.kind == "height":
                moved = height_dragged(self.session.job, self._drag.number, pixel, self._size())
                self.session.put(moved, "height of the ground", "height")
            elif self._drag.kind in ("mark", "place"):
                self._in_photo(pixel, free=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            elif self._drag.kind in ("walk", "aim"):
                self._walk(*step)
            elif self._drag.kind == "sheet":
                self._slide(*step)
            else:
                self._handle(pixel, free=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        except KilnError:
            return  # the gesture went past a limit: the value stays at the last good one
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drag is None:
            return
        if self._drag.kind == "pointing":
            self.pointing = None
        if self._drag.kind == "line" and event is not None:
            self._end_line((event.position().x(), event.position().y()))
        self._drag = None
        self.session.end_step()
        if event is not None:
            self._shape_cursor((event.position().x(), event.position().y()))
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self.drawn is None:
            return
        pixel = (event.position().x(), event.position().y())
        index = self._lettering_at(pixel)
        if index is None:
            # on what is seen: a blank that is not drawn yet may take a second to make
            blank = self.drawn.order.job.blank
            self.new_wanted.emit(spot_under(blank, *ray_of(self.drawn, pixel, self._size())))
            return
        self.session.choose(index)
        if isinstance(self.session.job.letterings[index].content, Wording):
            sheet = self._sheet(pixel)
            text = self._text()
            self.caret = len(text) if sheet is None else caret_at(self.drawn.laid[index], text, sheet)
            self.update()
        else:
            self.words_wanted.emit()

    # distances

    def begin_measuring(self) -> None:
        """The next two clicks are points whose distance is wanted."""
        self.points = []
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.update()

    def _point_at(self, pixel: tuple[float, float]) -> None:
        sheet = self._sheet(pixel)
        if sheet is None or self.points is None:
            return
        self.points = [*(self.points if len(self.points) < 2 else []), np.asarray(sheet)]
        words = self._distance_words()
        if words:
            self.measured.emit(words)
        self.update()

    # what is pointed out on the piece

    def begin_pointing(self, does: Pointing) -> None:
        """The next click on the piece, and the pointer while it is held down, go to ``does``."""
        self.pointing = does
        self.setCursor(Qt.CursorShape.CrossCursor)

    def _point_out(self, pixel: tuple[float, float]) -> None:
        drag = self._drag
        if drag is None or drag.drawn is None or self.pointing is None:
            return
        origins, ways = drag.drawn.view.rays(np.array([pixel]), self._size())
        glint = glint_under(drag.drawn.order.job.blank, drag.drawn.stance, origins[0], ways[0])
        if glint is not None:
            self.pointing(glint, ways[0], drag.drawn)

    def _distance_words(self) -> str:
        index = self.session.index
        if self.drawn is None or index is None or not self.points or len(self.points) < 2:
            return ""
        side = self.drawn.laid[min(index, len(self.drawn.laid) - 1)].side
        places = 3 if self.unit == "in" else 2
        far, along, up = (format_length(mm, self.unit, places) for mm in distance_on(side, *self.points))
        return f"{far} apart: {along} along, {up} up"

    # words typed on the object

    def _text(self) -> str:
        index = self.session.index
        content = None if index is None else self.session.job.letterings[index].content
        return content.text if isinstance(content, Wording) else ""

    def _still_typing(self) -> None:
        """Words are typed until something else than words is chosen, or comes back."""
        index = self.session.index
        if index is None or not isinstance(self.session.job.letterings[index].content, Wording):
            self.end_typing()

    def end_typing(self) -> None:
        """The caret goes; what was typed stays."""
        if self.caret is not None:
            self.caret = None
            self.session.end_step()
            self.update()

    def _type(self, event: QKeyEvent) -> bool:
        """Let a key work on the words; whether it did."""
        index, caret = self.session.index, self.caret
        if index is None or caret is None:
            return False
        old = self._text()
        made = typed(old, caret, event)
        if made is None:
            return False
        text, self.caret = made
        if text != old:
            wording = wording_at(self.session.job, index)
            path: tuple[str | int, ...] = ("letterings", index, "content")
            self.session.edit(path, retyped(wording, text), "words", f"type@{index}")
        self.update()
        return True

    def put_here(self, pixel: tuple[float, float]) -> None:
        """The chosen lettering goes to the place of the blank under a pixel, on whatever side that is."""
        index = self.session.index
        if self.drawn is None or index is None or index >= len(self.drawn.laid):
            return
        edit = spot_edit(self.drawn, self.session.job, index, pixel, self._size())
        if edit is not None:
            self.session.end_step()
            self.session.edit(("letterings", index, *edit.path), edit.value, "put there")

    def event(self, event: QEvent | None) -> bool:
        # while words are typed, keys that are shortcuts elsewhere are letters here
        if (
            event is not None
            and event.type() == QEvent.Type.ShortcutOverride
            and self.caret is not None
            and isinstance(event, QKeyEvent)
            and not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        ):
            event.accept()
            return True
        return super().event(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.end_typing()

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
            self.refresh(self._budget.scale)
        elif self._photo_seen():
            self.tell("The job is seen from where its photo was taken; drag it over the photo instead.")
        else:
            camera = self.session.job.setting.camera
            near = 0.0 if self.drawn is None else OUTSIDE * self.drawn.reaches(camera)
            near = min(max(near, 30.0), camera.distance_mm)
            distance = float(np.clip(camera.distance_mm * factor, near, 1_000_000))
            self._camera({"distance_mm": round(distance, 1)}, f"distance {distance:.0f} mm", "zoom")
        event.accept()

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == BEFORE_KEY and not event.isAutoRepeat():
            self._before(shown=False)
            return
        super().keyReleaseEvent(event)

    def _before(self, *, shown: bool) -> None:
        """The photo as it came, or the picture again."""
        if self._as_it_came != shown:
            self._as_it_came = shown
            self.update()

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
        if (self.pointing or self.line) is not None and key == Qt.Key.Key_Escape:
            self.pointing = self.line = None
            self._shape_cursor((-1.0, -1.0))
            return
        if self.points is not None and key == Qt.Key.Key_Escape:
            self.points = None
            self.measured.emit("")
            self.update()
            return
        if self.caret is not None:
            if key == Qt.Key.Key_Escape:
                self.end_typing()
                return
            if self._type(event):
                return
        if key == BEFORE_KEY and self._photo_seen():
            self._before(shown=True)
            return
        step = NUDGE_KEYS.get(Qt.Key(key))
        if step is not None and self.session.index is not None:
            far = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self._nudge(step[0] * far, step[1] * far)
            return
        super().keyPressEvent(event)

    # gestures to values

    def _lettering_at(self, pixel: tuple[float, float]) -> int | None:
        """The lettering shown at a pixel that the job still has."""
        if self.drawn is None:
            return None
        index = lettering_at(self.drawn, pixel, self._size())
        count = min(len(self.session.job.letterings), len(self.drawn.laid))
        return index if index is not None and index < count else None

    def _sheet(self, pixel: tuple[float, float]) -> Any:
        index = self.session.index
        if self.drawn is None or index is None or index >= len(self.drawn.laid):
            return None
        return sheet_at(self.drawn, self.drawn.laid[index], pixel, self._size())

    def show_single_letters(self, *, on: bool) -> None:
        """Whether a click on the lettering takes one letter of it."""
        self.single_letters = on
        self.update()

    def _letter_under(self, pixel: tuple[float, float]) -> int | None:
        index = self.session.index
        if not self.single_letters or self.drawn is None or index is None or index >= len(self.drawn.laid):
            return None
        if self._lettering_at(pixel) != index:
            return None
        sheet = self._sheet(pixel)
        return None if sheet is None else letter_under(self.drawn.laid[index], sheet)

    def _handle(self, pixel: tuple[float, float], *, free: bool) -> None:
        drag, index = self._drag, self.session.index
        if drag is None or index is None:
            return
        edit = edit_of(drag, index, pixel, self._size(), free=free)
        if edit is not None:
            self.session.edit(("letterings", index, *edit.path), edit.value, edit.words, "drag")

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
        drawn, far = self._drag.drawn, camera.distance_mm
        turn = walked_to(self.session.job, camera.turn_deg - dx * 0.4)
        least, most = TILTS_DEG
        if drawn is not None:
            least = min(max(least, lowest_tilt(self._drag.job, drawn.middle)), most)
        tilt = float(np.clip(max(camera.tilt_deg, least) + dy * 0.3, least, most))
        walked = {"turn_deg": round(turn, 1), "tilt_deg": round(tilt, 1)}
        if drawn is not None and OUTSIDE * drawn.reaches(camera) <= far:
            # from beside a long piece one would come into its end
            near = OUTSIDE * drawn.reaches(camera.model_copy(update=walked))
            walked["distance_mm"] = round(max(far, near), 1)
        self._camera(walked, "walk round", "walk")

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
        self.refresh(self._budget.scale)

    def _nudge(self, du: float, dv: float) -> None:
        index = self.session.index
        if index is None:
            return
        job = nudged(self.session.job, index, du, dv)
        self.session.put(job, "nudge", f"nudge@{index}")

    def _shape_cursor(self, pixel: tuple[float, float]) -> None:
        handle = handle_at(self._band, pixel)
        if self._mark_at(pixel) is not None:
            shape = Qt.CursorShape.CrossCursor
        elif handle is not None:
            shape = (
                Qt.CursorShape.PointingHandCursor
                if handle.kind == "turn"
                else CURSORS.get(handle.kind, Qt.CursorShape.SizeFDiagCursor)
            )
        elif self.drawn is not None and self._lettering_at(pixel) is not None:
            shape = Qt.CursorShape.SizeAllCursor
        else:
            closed = self._drag is not None
            shape = Qt.CursorShape.ClosedHandCursor if closed else Qt.CursorShape.OpenHandCursor
        self.setCursor(shape)
