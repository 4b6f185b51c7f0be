"""What is painted over the picture: the band and its handles, guides, words at the pointer, a caret, the
stretch of the surface. Plain painting of what others worked out."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from kilnchisel.core.units import format_number
from kilnchisel.ui.theme import Theme, font
from kilnchisel.ui.view.band import Band, Handle
from kilnchisel.ui.view.stretch import stretch_colour

Array = NDArray[Any]

ROUND, SQUARE, DIAMOND, BAR = "round", "square", "diamond", "bar"
FORMS = {"point": SQUARE, "turn": DIAMOND, "bend": BAR, "spread": BAR}


def polygon(points: Any) -> QPolygonF:
    """Pixels (n, 2) as Qt has them."""
    return QPolygonF([QPointF(x, y) for x, y in np.asarray(points, dtype=float).tolist()])


def paint_band(painter: QPainter, band: Band, over: Handle | None, theme: Theme) -> None:
    """The band, its handles, the marks of the side, and the guides that a drag has caught on."""
    glaze = QColor(theme.glaze)
    halo = QColor(255, 255, 255, 150) if theme.name == "day" else QColor(0, 0, 0, 150)
    for pen in (QPen(halo, 3.5), QPen(glaze, 1.5)):
        painter.setPen(pen)
        for line in band.lines:
            painter.drawPolyline(polygon(line))
        if band.stem is not None:
            painter.drawLine(QPointF(*band.stem[0]), QPointF(*band.stem[1]))
    painter.setPen(QPen(QColor(theme.amber), 1.2, Qt.PenStyle.DotLine))
    for line in band.marks:
        painter.drawPolyline(polygon(line))
    paint_guides(painter, band.guides, theme)
    for handle in band.handles:
        _paint_handle(painter, handle, hot=over is not None and over.at == handle.at, theme=theme)


def paint_guides(painter: QPainter, guides: tuple[Array, ...], theme: Theme) -> None:
    """Lines that letters stand on, or that a drag has caught on."""
    painter.setPen(QPen(QColor(theme.glaze), 1.5, Qt.PenStyle.DashLine))
    for line in guides:
        painter.drawPolyline(polygon(line))


def _paint_handle(painter: QPainter, handle: Handle, theme: Theme, *, hot: bool) -> None:
    painter.setPen(QPen(QColor(theme.glaze), 2))
    painter.setBrush(QColor(theme.glaze if hot else theme.card))
    radius = 6.0 if hot else 5.0
    x, y = handle.at
    form = FORMS.get(handle.kind, ROUND)
    if form == SQUARE:
        painter.drawRect(QRectF(x - radius, y - radius, 2 * radius, 2 * radius))
    elif form == DIAMOND:
        tip = radius + 1
        painter.drawPolygon(polygon([(x, y - tip), (x + tip, y), (x, y + tip), (x - tip, y)]))
    elif form == BAR:
        painter.save()
        painter.translate(x, y)
        painter.rotate(handle.turn_deg)
        painter.drawRoundedRect(QRectF(-1.6 * radius, -0.6 * radius, 3.2 * radius, 1.2 * radius), 2.5, 2.5)
        painter.restore()
    else:
        painter.drawEllipse(QPointF(x, y), radius, radius)


def paint_box(painter: QPainter, box: Array, theme: Theme) -> None:
    """The chosen letter in a box of its own."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(theme.clay), 1.5))
    painter.drawPolygon(polygon(box))


def paint_caret(painter: QPainter, caret: Array, theme: Theme) -> None:
    """The caret between two letters, a line in two colours that shows on any ground."""
    line = polygon(caret)
    painter.setPen(QPen(QColor(theme.card), 4.0))
    painter.drawPolyline(line)
    painter.setPen(QPen(QColor(theme.clay), 2.0))
    painter.drawPolyline(line)


def paint_words(painter: QPainter, words: str, at: QPointF, room: tuple[int, int], theme: Theme) -> None:
    """Values at the pointer."""
    painter.setFont(font(12, 500))
    width = painter.fontMetrics().horizontalAdvance(words) + 16
    x = min(max(at.x() + 16, 4), room[0] - width - 4)
    y = min(max(at.y() + 18, 4), room[1] - 28)
    box = QRectF(x, y, width, 24)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(theme.ink))
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(QColor(theme.paper))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)


def paint_notice(painter: QPainter, notice: str, room: tuple[int, int], theme: Theme) -> None:
    """A refusal across the foot of the picture."""
    painter.setFont(font(13, 500))
    space = QRectF(40, room[1] - 110, room[0] - 80, 90)
    flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
    bounds = painter.boundingRect(space, int(flags), notice).adjusted(-14, -10, 14, 10)
    painter.setPen(QPen(QColor(theme.brick), 1.5))
    painter.setBrush(QColor(theme.card))
    painter.drawRoundedRect(bounds, 4, 4)
    painter.setPen(QColor(theme.brick))
    painter.drawText(bounds, int(flags), notice)


def paint_distance(
    painter: QPainter, pixels: Array, words: str, room: tuple[int, int], theme: Theme
) -> None:
    """Points that were clicked, (k, 2) widget pixels, the line between two and its length."""
    painter.setPen(QPen(QColor(theme.glaze), 1.5))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    spots = [QPointF(float(x), float(y)) for x, y in pixels]
    for spot in spots:
        painter.drawEllipse(spot, 4.5, 4.5)
        painter.drawLine(spot - QPointF(9, 0), spot + QPointF(9, 0))
        painter.drawLine(spot - QPointF(0, 9), spot + QPointF(0, 9))
    if len(spots) == 2:
        painter.drawLine(*spots)
        paint_words(painter, words, (spots[0] + spots[1]) / 2, room, theme)


def paint_stretch(painter: QPainter, pixels: Array, limit: float, theme: Theme) -> None:
    """The surface under the lettering coloured by its stretch, (h, w, 4), with the scale beside it."""
    height, width = pixels.shape[:2]
    data: Any = pixels.data
    painter.drawImage(0, 0, QImage(data, width, height, 4 * width, QImage.Format.Format_RGBA8888))
    painter.setFont(font(12, 500))
    words = [f"{format_number(value, 1)} %" for value in (-2 * limit, -limit, 0.0, limit, 2 * limit)]
    left, top, wide = 34.0, 36.0, 52.0
    painter.setBrush(QColor(theme.card))
    painter.drawRoundedRect(QRectF(left - 8, top - 8, 5 * wide + 16, 46), 4, 4)
    for number, text in enumerate(words):
        box = QRectF(left + number * wide, top, wide, 12)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.surround))
        painter.drawRect(box)
        painter.setBrush(QColor(*stretch_colour((number - 2) * limit, limit)))
        painter.drawRect(box)
        painter.setPen(QColor(theme.ink))
        painter.drawText(QRectF(box.x(), top + 13, wide, 17), Qt.AlignmentFlag.AlignCenter, text)
