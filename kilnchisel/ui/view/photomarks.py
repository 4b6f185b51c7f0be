"""The marks in a photo behind the picture: where they are on the screen, dragged, and their grid."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen

from kilnchisel.core.build import photo_plane_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Photo, Rims
from kilnchisel.core.photo.camera import stood_for
from kilnchisel.core.photo.catching import caught
from kilnchisel.core.photo.lens import curved, straight
from kilnchisel.core.photo.marks import grid_of, lines_of, marks_of, with_mark
from kilnchisel.core.photo.reading import photo_pixels
from kilnchisel.core.scene.onphoto import Photographed, brought
from kilnchisel.ui.theme import Theme
from kilnchisel.ui.view.painting import polygon

Array = NDArray[Any]
Pixel = tuple[float, float]

NEAR_PX = 11.0  # a press so near to a mark takes it
LENS_PX, LENS_TIMES = 150, 4  # the magnifier: how wide it is, how much larger
CATCHES_PX, LEAST_CATCH_PX = 6.0, 3.0  # a mark goes to a corner so near, of the widget, of the copy
AWAY_PX = 34.0


def _box(photo: Photo, size: tuple[int, int]) -> tuple[float, float, float, float]:
    return Photographed(photo, np.empty((0, 0, 3), np.uint8)).box(size)


def on_widget(photo: Photo, spots: Array, size: tuple[int, int]) -> Array:
    """Pixels of the photo (n, 2) as pixels of a widget of this size."""
    left, top, wide, _ = _box(photo, size)
    return np.asarray(np.asarray(spots, float) * (wide / photo.width_px) + (left, top))


def in_photo_px(photo: Photo, pixel: Pixel, size: tuple[int, int]) -> Pixel:
    """A widget pixel as one of the photo's."""
    left, top, wide, _ = _box(photo, size)
    scale = photo.width_px / wide
    return (pixel[0] - left) * scale, (pixel[1] - top) * scale


def mark_at(photo: Photo, pixel: Pixel, size: tuple[int, int]) -> int | None:
    """The mark at a widget pixel."""
    far = np.linalg.norm(on_widget(photo, np.array(marks_of(photo.told)), size) - pixel, axis=1)
    nearest = int(np.argmin(far))
    return nearest if far[nearest] <= NEAR_PX else None


def mark_dragged(job: Job, number: int, pixel: Pixel, size: tuple[int, int], *, free: bool) -> Job:
    """The job with a mark of its photo at a widget pixel, or at the corner or edge in the photo that is
    near that, unless it is ``free``. Raises KilnError where that tells nothing."""
    photo = job.setting.photo
    assert photo is not None
    spot = in_photo_px(photo, pixel, size)
    if not free and not isinstance(photo.told, Rims):  # an axis of an ellipse ends at no corner
        spot = _caught(photo, spot, CATCHES_PX * photo.width_px / _box(photo, size)[2])
    spot = round(spot[0], 2), round(spot[1], 2)
    told = with_mark(photo.told, number, spot)
    made = change(job, ("setting", "photo", "told"), told)
    assert made.setting.photo is not None
    stood_for(made.setting.photo)
    return made


def _caught(photo: Photo, spot: Pixel, reach_px: float) -> Pixel:
    """A spot of the photo where there is a corner or an edge in it, within so many of its pixels."""
    pixels = photo_pixels(photo.sha256, photo.name)
    scale = pixels.shape[1] / photo.width_px
    x, y = caught(pixels, (spot[0] * scale, spot[1] * scale), max(reach_px * scale, LEAST_CATCH_PX))
    return x / scale, y / scale


def piece_dragged(before: Job, start: Pixel, pixel: Pixel, size: tuple[int, int]) -> Job | None:
    """The job with its piece moved over the photo's ground or wall, from one widget pixel to another; None
    where the pointer is off it."""
    photo, plane = before.setting.photo, photo_plane_of(before)
    if photo is None or plane is None:
        return None
    turn, _ = brought(plane, photo)
    normal = plane.normal @ turn  # of the plane, in the place
    off = np.array([photo.beside_mm, photo.beyond_mm, photo.above_mm])
    ends = np.array([in_photo_px(photo, one, size) for one in (start, pixel)])
    ends = straight(ends, photo.bent, (photo.width_px, photo.height_px))
    spots = stood_for(photo).on_plane(ends, normal, off)
    if not np.isfinite(spots).all():
        return None
    beside, beyond, above = (round(float(value), 1) for value in off + spots[1] - spots[0])
    update = {"beside_mm": beside, "beyond_mm": beyond, "above_mm": above}
    return change(before, ("setting", "photo"), photo.model_copy(update=update))


def paint_marks(painter: QPainter, job: Job, size: tuple[int, int], over: int | None, theme: Theme) -> None:
    """The marks, the lines between them, and a grid on what they tell."""
    photo = job.setting.photo
    assert photo is not None
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.save()
    painter.setClipRect(QRectF(*_box(photo, size)))
    try:
        # ground that is shaped shows its own lines
        shaped = isinstance(job.blank, Bank) and job.blank.heights
        lines = () if shaped else grid_of(stood_for(photo), photo.told)[0]
        taken = photo.width_px, photo.height_px
        shown = [polygon(on_widget(photo, curved(line, photo.bent, taken), size)) for line in lines]
        for pen in (QPen(QColor(0, 0, 0, 70), 2.2), QPen(QColor(255, 255, 255, 130), 1.0)):
            painter.setPen(pen)
            for one in shown:
                painter.drawPolyline(one)
    except KilnError:
        pass  # the marks are still there to be moved
    painter.restore()
    spots = on_widget(photo, np.array(marks_of(photo.told)), size)
    for pen in (QPen(QColor(0, 0, 0, 120), 3.5), QPen(QColor(theme.amber), 1.8)):
        painter.setPen(pen)
        for first, last in lines_of(photo.told):
            painter.drawLine(QPointF(*spots[first]), QPointF(*spots[last]))
    for number, (x, y) in enumerate(spots):
        radius = 7.0 if number == over else 5.0
        painter.setPen(QPen(QColor(theme.amber), 2))
        painter.setBrush(QColor(theme.card))
        painter.drawRect(QRectF(x - radius, y - radius, 2 * radius, 2 * radius))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def paint_photo(painter: QPainter, photo: Photo, size: tuple[int, int]) -> None:
    """The photo alone, as it came."""
    pixels = photo_pixels(photo.sha256, photo.name)
    painter.drawImage(QRectF(*_box(photo, size)), _image(pixels))


def _image(pixels: Array) -> QImage:
    """Pixels (h, w, 3) uint8, which must be kept, as an image."""
    height, width = pixels.shape[:2]
    data: Any = pixels.data
    return QImage(data, width, height, 3 * width, QImage.Format.Format_RGB888)


def paint_magnifier(
    painter: QPainter, photo: Photo, pixel: Pixel, size: tuple[int, int], theme: Theme
) -> None:
    """The photo about a mark that is dragged, larger, with a cross where it is."""
    pixels = photo_pixels(photo.sha256, photo.name)
    height, width = pixels.shape[:2]
    x, y = in_photo_px(photo, pixel, size)
    x, y = x * width / photo.width_px, y * height / photo.height_px
    shown = _box(photo, size)[2] / width * LENS_TIMES  # widget pixels of one of the copy's
    half = LENS_PX / 2 / shown
    left = pixel[0] + AWAY_PX if pixel[0] < size[0] / 2 else pixel[0] - AWAY_PX - LENS_PX
    top = min(max(pixel[1] - LENS_PX / 2, 6), size[1] - LENS_PX - 6)
    target = QRectF(left, top, LENS_PX, LENS_PX)
    painter.save()
    path = QPainterPath()
    path.addRoundedRect(target, 6, 6)
    painter.setClipPath(path)
    painter.fillRect(target, QColor(theme.surround))
    painter.drawImage(target, _image(pixels), QRectF(x - half, y - half, 2 * half, 2 * half))
    painter.setPen(QPen(QColor(theme.amber), 1.2))
    middle = target.center()
    painter.drawLine(QPointF(target.left(), middle.y()), QPointF(target.right(), middle.y()))
    painter.drawLine(QPointF(middle.x(), target.top()), QPointF(middle.x(), target.bottom()))
    painter.restore()
    painter.setPen(QPen(QColor(theme.glaze), 1.5))
    painter.drawRoundedRect(target, 6, 6)
