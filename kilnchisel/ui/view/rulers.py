"""Rulers in mm along the upper and left edge when square-on, true on the surface also where it turns
away: marks stand where the surface has them, so they close up towards the sides of a mug."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPixmap

from kilnchisel.core.laying.laid import Laid
from kilnchisel.core.units import LENGTH_FACTORS, format_number
from kilnchisel.core.workshop.orders import Drawn
from kilnchisel.ui.theme import Theme, font
from kilnchisel.ui.view.band import on_picture

Array = NDArray[Any]

THICK = 22
STEPS = {
    "mm": (1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0, 1000.0),
    "in": tuple(LENGTH_FACTORS["in"] * f for f in (1 / 16, 1 / 8, 1 / 4, 1 / 2, 1, 2, 5, 10, 20, 50)),
}


def marks(
    drawn: Drawn, laid: Laid, axis: int, size: tuple[int, int], unit: str
) -> list[tuple[float, float, bool]]:
    """The ruler's marks along u (axis 0) or v (axis 1): sheet mm, pixel, and whether the mark is a
    long one, at a round number."""
    low_u, low_v, high_u, high_v = laid.side.domain.bounds
    middle = np.array([_aim(drawn, laid)])
    pixel = on_picture(drawn, laid, middle, size)[0][0]
    beside = middle + np.eye(2)[axis]
    scale = np.linalg.norm(on_picture(drawn, laid, beside, size)[0][0] - pixel)
    steps = STEPS[unit]
    step = next((s for s in steps if s * scale >= 5), steps[-1])
    long = next(
        (s for s in steps if s * scale >= (34 if axis == 0 else 24) and _whole(s / step)), steps[-1]
    )
    low, high = ((low_u, high_u), (low_v, high_v))[axis]
    count = np.arange(np.ceil(low / step), np.floor(high / step) + 1)
    if len(count) > 4000:
        return []
    places = np.repeat(middle, len(count), axis=0)
    places[:, axis] = count * step
    pixels, facing = on_picture(drawn, laid, places, size)
    return [
        (float(place[axis]), float(p[axis]), _whole(place[axis] / long))
        for place, p, seen in zip(places, pixels, facing, strict=True)
        if seen and 0 <= p[axis] <= size[axis]
    ]


def _whole(value: float) -> bool:
    return abs(value - round(value)) < 1e-6


def _aim(drawn: Drawn, laid: Laid) -> tuple[float, float]:
    """The sheet point in the middle of the picture."""
    turn, shift = drawn.stance[:3, :3], drawn.stance[:3, 3]
    uv = laid.side.meet((drawn.view.eye[None] - shift) @ turn, drawn.view.ahead[None] @ turn)[0]
    if np.isnan(uv).any():
        middle = laid.side.domain.centroid
        return float(middle.x), float(middle.y)
    return float(uv[0]), float(uv[1])


class Rulers:
    """Both rulers and the side's centre lines, painted once for as long as they stay as they are: while a
    lettering is dragged, every draft is another but lies on the same side in the same view."""

    def __init__(self) -> None:
        self._of: Any = None
        self._picture = QPixmap()

    def paint(
        self, painter: QPainter, drawn: Drawn, laid: Laid, size: tuple[int, int], theme: Theme, unit: str
    ) -> None:
        """Put them over a picture of ``size``, in pixels of the window."""
        device = painter.device()
        ratio = 1.0 if device is None else device.devicePixelRatioF()
        view = drawn.view
        seen = tuple(one.tobytes() for one in (view.eye, view.right, view.up, view.ahead, drawn.stance))
        of = (laid.side, seen, view.tall, size, theme, unit, ratio)
        if self._of != of:
            self._picture = QPixmap(round(size[0] * ratio), round(size[1] * ratio))
            self._picture.setDevicePixelRatio(ratio)
            self._picture.fill(Qt.GlobalColor.transparent)
            over = QPainter(self._picture)
            over.setRenderHints(painter.renderHints())
            _paint(over, drawn, laid, size, theme, unit)
            over.end()
            self._of = of
        painter.drawPixmap(0, 0, self._picture)


def _paint(
    painter: QPainter, drawn: Drawn, laid: Laid, size: tuple[int, int], theme: Theme, unit: str
) -> None:
    width, height = size
    painter.save()
    paper, ink = QColor(theme.paper), QColor(theme.pencil)
    paper.setAlpha(235)
    painter.fillRect(QRectF(0, 0, width, THICK), paper)
    painter.fillRect(QRectF(0, THICK, THICK, height - THICK), paper)
    painter.setFont(font(10))
    _centre_lines(painter, drawn, laid, size, theme)
    for axis in (0, 1):
        last = -100.0
        for mm, at, long in sorted(marks(drawn, laid, axis, size, unit), key=lambda m: m[1]):
            if at < THICK:
                continue
            # towards the sides of a mug the marks close up: words are left out where there is no room
            worded = long and abs(at - last) >= (24 if axis == 0 else 20)
            length = 9 if long else 4
            painter.setPen(QPen(ink, 1))
            if axis == 0:
                painter.drawLine(QPointF(at, THICK), QPointF(at, THICK - length))
            else:
                painter.drawLine(QPointF(THICK, at), QPointF(THICK - length, at))
            if worded:
                last = at
                words = format_number(mm / LENGTH_FACTORS[unit], 3)
                painter.setPen(QColor(theme.ink))
                if axis == 0:
                    painter.drawText(QRectF(at - 20, 0, 40, 13), Qt.AlignmentFlag.AlignCenter, words)
                else:
                    painter.save()
                    painter.translate(7, at)
                    painter.rotate(-90)
                    painter.drawText(QRectF(-20, -7, 40, 13), Qt.AlignmentFlag.AlignCenter, words)
                    painter.restore()
    painter.setPen(QColor(theme.pencil))
    painter.fillRect(QRectF(0, 0, THICK, THICK), QColor(theme.paper))
    painter.drawText(QRectF(0, 0, THICK, THICK), Qt.AlignmentFlag.AlignCenter, unit)
    painter.restore()


def _centre_lines(painter: QPainter, drawn: Drawn, laid: Laid, size: tuple[int, int], theme: Theme) -> None:
    low_u, low_v, high_u, high_v = laid.side.domain.bounds
    mid_u, mid_v = (low_u + high_u) / 2, (low_v + high_v) / 2
    pen = QPen(QColor(theme.glaze), 1, Qt.PenStyle.DashLine)
    painter.setPen(pen)
    for ends in (((mid_u, low_v), (mid_u, high_v)), ((low_u, mid_v), (high_u, mid_v))):
        t = np.linspace(0, 1, 81)[:, None]
        line = np.array(ends[0]) * (1 - t) + np.array(ends[1]) * t
        pixels, facing = on_picture(drawn, laid, line, size)
        for a, b, seen in zip(pixels[:-1], pixels[1:], facing[1:] & facing[:-1], strict=True):
            if seen:
                painter.drawLine(QPointF(*a), QPointF(*b))
