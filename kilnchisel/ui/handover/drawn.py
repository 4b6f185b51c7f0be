"""Drawings on paper as small pictures."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen, QPixmap

from kilnchisel.core.handover.paper.marks import Area, Colour, Drawing, Line, Shown, Spot


def small_picture(drawing: Drawing, size: QSize, ground: QColor, ratio: float = 1.0) -> QPixmap:
    """A drawing as large as it fits into a size, on a ground."""
    pixmap = QPixmap(size * ratio)
    pixmap.setDevicePixelRatio(ratio)
    pixmap.fill(ground)
    left, low, right, high = drawing.box()
    wide, tall = max(right - left, 1e-6), max(high - low, 1e-6)
    scale = min((size.width() - 6) / wide, (size.height() - 6) / tall)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.translate(size.width() / 2, size.height() / 2)
    painter.scale(scale, -scale)
    painter.translate(-(left + right) / 2, -(low + high) / 2)
    for mark in drawing.marks():
        if isinstance(mark, Area):
            painter.fillPath(_path(mark.rings, closed=True), _colour(mark.colour))
        elif isinstance(mark, Line):
            pen = QPen(_colour(mark.colour), max(mark.width_mm, 0.8 / scale))
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            painter.drawPath(_path((mark.points,), closed=mark.closed))
        elif isinstance(mark, Shown):
            _show(painter, mark)
    painter.end()
    return pixmap


def _show(painter: QPainter, mark: Shown) -> None:
    pixels = np.ascontiguousarray(mark.pixels)
    rows, columns, channels = pixels.shape
    form = QImage.Format.Format_RGBA8888 if channels == 4 else QImage.Format.Format_RGB888
    image = QImage(pixels.tobytes(), columns, rows, channels * columns, form)
    left, low, right, high = mark.box
    painter.save()
    painter.translate(left, high)
    painter.scale(1, -1)
    painter.drawImage(QRectF(0, 0, right - left, high - low), image)
    painter.restore()


def _path(rings: tuple[object, ...], *, closed: bool) -> QPainterPath:
    path = QPainterPath()
    path.setFillRule(Qt.FillRule.WindingFill)
    for ring in rings:
        points = np.asarray(ring).tolist()
        path.moveTo(QPointF(*points[0]))
        for point in points[1:]:
            path.lineTo(QPointF(*point))
        if closed:
            path.closeSubpath()
    return path


def _colour(colour: Colour) -> QColor:
    return QColor(colour.colour if isinstance(colour, Spot) else colour)
