"""Painting a picture's background away: strokes that hide, strokes that bring back."""

from __future__ import annotations

from typing import Any

from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QImage,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import (
    QButtonGroup,
    QDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSizePolicy,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from kilnchisel.core.job.artwork import MOST_POINTS, MOST_STROKES, Picture, Stroke
from kilnchisel.core.lettering.content import picture_pixels
from kilnchisel.ui.theme import Theme

Array = NDArray[Any]

CLOSE = 0.004  # points of a stroke nearer than this share of the width are one
BRUSH = (1, 30, 6)  # % of the picture's width: least, most, at first
HIDDEN = 150  # how dense the veil over what is hidden is, of 255
GROUND = QColor(150, 150, 150)


class MaskCanvas(QWidget):
    """The picture, what is hidden of it greyed, and a round brush."""

    changed = pyqtSignal()

    both = False  # strokes of either kind are seen, and what they make is painted beside them

    def __init__(self, image: QImage, strokes: tuple[Stroke, ...], theme: Theme) -> None:
        super().__init__()
        self.theme, self.image = theme, image
        self.strokes = list(strokes)
        self.grown: QImage | None = None  # what the strokes make, over the picture
        self.size_percent, self.hides = float(BRUSH[2]), True
        self._drawing: list[tuple[float, float]] = []
        self._at: QPointF | None = None
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The picture; drag over it to hide a part")
        self._shade: QImage | None = None

    def sizeHint(self) -> QSize:
        return QSize(560, 420)

    def place(self) -> QRectF:
        """Where the picture is drawn."""
        size = self.image.size().scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        return QRectF(
            (self.width() - size.width()) / 2,
            (self.height() - size.height()) / 2,
            size.width(),
            size.height(),
        )

    def _share(self, at: QPointF) -> tuple[float, float]:
        """A place of the widget as shares of the picture, from its lower left."""
        box = self.place()
        x = (at.x() - box.x()) / box.width()
        y = 1 - (at.y() - box.y()) / box.height()
        return round(min(max(x, 0.0), 1.0), 4), round(min(max(y, 0.0), 1.0), 4)

    def put(self, strokes: list[Stroke]) -> None:
        self.strokes = strokes
        self._shade = None
        self.changed.emit()
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._drawing = [self._share(event.position())]
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._at = event.position()
        if self._drawing:
            x, y = self._share(event.position())
            last = self._drawing[-1]
            if abs(x - last[0]) + abs(y - last[1]) > CLOSE:
                self._drawing.append((x, y))
            if len(self._drawing) == MOST_POINTS:  # the next goes on where this one ends
                self._end_stroke()
                self._drawing = [(x, y)]
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._drawing:
            self._end_stroke()

    def _end_stroke(self) -> None:
        """What was drawn is a stroke, unless there are as many as can be."""
        stroke = Stroke(points=tuple(self._drawing), wide=self.size_percent, hides=self.hides)
        self._drawing = []
        if len(self.strokes) < MOST_STROKES:
            self.put([*self.strokes, stroke])
        self.update()

    def leaveEvent(self, event: object) -> None:
        self._at = None
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None:
            step = 1 if event.angleDelta().y() > 0 else -1
            self.size_percent = float(min(max(self.size_percent + step, BRUSH[0]), BRUSH[1]))
            self.changed.emit()
            self.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._shade = None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.place()
        painter.fillRect(box, GROUND)
        painter.drawImage(box, self.image)
        if self.grown is not None:
            painter.drawImage(box, self.grown)
        painter.drawImage(0, 0, self._shaded())
        brush = self.size_percent / 100 * box.width()
        if self._at is not None:
            painter.setPen(QPen(QColor(self.theme.glaze), 1.5))
            painter.drawEllipse(self._at, brush / 2, brush / 2)

    def _shaded(self) -> QImage:
        """What is hidden, as a veil; the stroke that is being drawn is added each time."""
        if self._shade is None:
            self._shade = QImage(self.size(), QImage.Format.Format_ARGB32_Premultiplied)
            self._shade.fill(0)
            self._paint_strokes(self._shade, self.strokes)
        if not self._drawing:
            return self._shade
        shade = self._shade.copy()
        running = Stroke(points=tuple(self._drawing), wide=self.size_percent, hides=self.hides)
        self._paint_strokes(shade, [running])
        return shade

    def _paint_strokes(self, shade: QImage, strokes: list[Stroke]) -> None:
        painter = QPainter(shade)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = self.place()
        painter.setClipRect(box)
        for stroke in strokes:
            clear = QPainter.CompositionMode.CompositionMode_Clear
            over = QPainter.CompositionMode.CompositionMode_Source
            painter.setCompositionMode(over if stroke.hides or self.both else clear)
            veil = QColor(self.theme.clay if stroke.hides else self.theme.glaze)
            veil.setAlpha(HIDDEN)
            pen = QPen(veil, stroke.wide / 100 * box.width())
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            points = [
                QPointF(box.x() + x * box.width(), box.y() + (1 - y) * box.height())
                for x, y in stroke.points
            ]
            if len(points) == 1:
                painter.drawPoint(points[0])
            else:
                painter.drawPolyline(QPolygonF(points))
        painter.end()


def image_of(pixels: Array) -> QImage:
    """Pixels (h, w, 3 or 4) uint8 as an image."""
    height, width, channels = pixels.shape
    form = QImage.Format.Format_RGBA8888 if channels == 4 else QImage.Format.Format_RGB888
    return QImage(pixels.tobytes(), width, height, channels * width, form).copy()


def dialog_for(picture: Picture, theme: Theme, parent: QWidget | None = None) -> MaskDialog:
    """Asks which parts of a picture belong to it."""
    return MaskDialog(image_of(picture_pixels(picture)), picture.strokes, theme, parent)


class MaskDialog(QDialog):
    """Asks for strokes over a picture. ``strokes``: what was painted, when it is accepted."""

    title, kinds = "What belongs to the picture", ("Hide", "Bring back")
    none = "All of it", "Nothing is hidden"
    Canvas: type[MaskCanvas] = MaskCanvas

    def __init__(
        self, image: QImage, strokes: tuple[Stroke, ...], theme: Theme, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.title)
        self.canvas = self.Canvas(image, strokes, theme)
        self.before: list[list[Stroke]] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 16, 18, 14)
        column.addWidget(self.canvas, 1)
        row = QHBoxLayout()
        self.ways = QButtonGroup(self)
        for number, words in enumerate(self.kinds):
            button = QPushButton(words)
            button.setObjectName("choice")
            button.setCheckable(True)
            button.setChecked(number == 0)
            self.ways.addButton(button, number)
            row.addWidget(button)
        self.ways.idClicked.connect(self._way)
        row.addSpacing(12)
        row.addWidget(QLabel("Brush"))
        self.brush = QSlider(Qt.Orientation.Horizontal)
        self.brush.setRange(BRUSH[0], BRUSH[1])
        self.brush.setValue(BRUSH[2])
        self.brush.setAccessibleName("Width of the brush, % of the picture's width")
        self.brush.valueChanged.connect(self._sized)
        row.addWidget(self.brush, 1)
        self.wide = QLabel()
        self.wide.setMinimumWidth(40)
        row.addWidget(self.wide)
        self.back = QPushButton("Undo")
        self.back.clicked.connect(self.undo)
        self.all = QPushButton(self.none[0])
        self.all.setToolTip(self.none[1])
        self.all.clicked.connect(lambda: self.canvas.put([]))
        row.addWidget(self.back)
        row.addWidget(self.all)
        column.addLayout(row)
        self.full = QLabel(f"More than {MOST_STROKES} strokes there cannot be: take some back first.")
        self.full.setObjectName("refusal")
        self.full.hide()
        column.addWidget(self.full)
        ends = QHBoxLayout()
        ends.addStretch(1)
        leave, take = QPushButton("Leave it"), QPushButton("Use this")
        take.setObjectName("primary")
        take.setDefault(True)
        leave.clicked.connect(self.reject)
        take.clicked.connect(self.accept)
        ends.addWidget(leave)
        ends.addWidget(take)
        column.addLayout(ends)
        self._last = list(self.canvas.strokes)
        self.canvas.changed.connect(self._changed)
        self._changed()

    @property
    def strokes(self) -> tuple[Stroke, ...]:
        return tuple(self.canvas.strokes)

    def _way(self, number: int) -> None:
        self.canvas.hides = number == 0

    def _sized(self, value: int) -> None:
        self.canvas.size_percent = float(value)
        self.wide.setText(f"{value} %")

    def _changed(self) -> None:
        if self.canvas.strokes != self._last:
            self.before.append(self._last)
            self._last = list(self.canvas.strokes)
        self.brush.setValue(round(self.canvas.size_percent))
        self.wide.setText(f"{self.canvas.size_percent:.0f} %")
        self.back.setEnabled(bool(self.before))
        self.all.setEnabled(bool(self.canvas.strokes))
        self.full.setVisible(len(self.canvas.strokes) >= MOST_STROKES)

    def undo(self) -> None:
        """Take the last stroke back."""
        if self.before:
            self._last = self.before.pop()
            self.canvas.put(list(self._last))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.matches(QKeySequence.StandardKey.Undo):
            self.undo()
            return
        super().keyPressEvent(event)
