"""What a line that is drawn over a photo is for: where its light comes from, how wide the folds of cloth
are, a pull at the lettering on it. Plain values, no widgets but the painter."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from kilnchisel.core.build import photo_plane_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.photo import Folds, Photo, Pull, Spot
from kilnchisel.core.photo.camera import stood_for
from kilnchisel.core.photo.lens import straight
from kilnchisel.core.scene.onphoto import brought
from kilnchisel.ui.theme import Theme

FOLDS = ("setting", "photo", "folds")
LEAST_PX = 3.0  # of the photo: a shorter line is a slip of the hand


@dataclass(frozen=True)
class LineOver:
    """A line wanted over a photo. ``step``: what is done by it; ``live``: the job while it is drawn, from
    that before, by two pixels of the photo; ``done``: what happens when it is drawn; ``stays``: another is
    wanted after it."""

    step: str
    live: Callable[[Job, Spot, Spot], Job] | None = None
    done: Callable[[Spot, Spot], None] | None = None
    stays: bool = False


def _with_folds(job: Job, **update: Any) -> Job:
    folds = _photo(job).folds or Folds()
    return change(job, FOLDS, type(folds)(**{**dict(folds), **update}))


def _photo(job: Job) -> Photo:
    photo = job.setting.photo
    if photo is None:
        raise KilnError("This job stands in no photo.")
    return photo


def pulled(job: Job, at: Spot, to: Spot) -> Job:
    """What of the lettering is seen at one spot pulled to another."""
    pulls = (_photo(job).folds or Folds()).pulls
    return _with_folds(job, pulls=(*pulls, Pull(at=_rounded(at), to=_rounded(to))))


def light_towards(job: Job, start: Spot, end: Spot) -> Job:
    """The cloth's light from where a line over it points to."""
    (first, last), plane = _on_plane(job, start, end)
    across = np.cross(plane.normal, plane.along)
    way = last - first
    return _with_folds(
        job, light_deg=round(float(np.degrees(np.arctan2(way @ across, way @ plane.along))), 1)
    )


def fold_wide(job: Job, start: Spot, end: Spot) -> Job:
    """The width of a fold from a line across it."""
    (first, last), _ = _on_plane(job, start, end)
    return _with_folds(job, wide_mm=round(max(float(np.linalg.norm(last - first)), 1.0), 1))


def _on_plane(job: Job, *spots: Spot) -> tuple[Any, Any]:
    """Spots of the photo on the plane of the lettering, scene mm, and that plane."""
    photo, plane = _photo(job), photo_plane_of(job)
    assert plane is not None
    turn, shift = brought(plane, photo)
    off = np.array([photo.beside_mm, photo.beyond_mm, photo.above_mm])
    pixels = straight(np.array(spots), photo.bent, (photo.width_px, photo.height_px))
    found = stood_for(photo).on_plane(pixels, plane.normal @ turn, off)
    if not np.isfinite(found).all():
        raise KilnError("Draw the line where the cloth is.")
    return found @ turn.T + shift, plane


def _rounded(spot: Spot) -> Spot:
    return round(spot[0], 1), round(spot[1], 1)


def paint_line(
    painter: QPainter, start: tuple[float, float], end: tuple[float, float], theme: Theme
) -> None:
    """The line under way, widget pixels."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(QColor(0, 0, 0, 120), 4.0), QPen(QColor(theme.amber), 2.0)):
        painter.setPen(pen)
        painter.drawLine(QPointF(*start), QPointF(*end))
        painter.drawEllipse(QPointF(*end), 5, 5)
