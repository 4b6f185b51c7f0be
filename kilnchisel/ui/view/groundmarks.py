"""The heights of a bank of ground that lies in a photo: seen as marks on it, dragged up and down."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from kilnchisel.core.build import sides_of_job, view_of
from kilnchisel.core.job.bodies import Bank
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.scene.stance import stance_of
from kilnchisel.core.scene.view import View
from kilnchisel.ui.theme import Theme
from kilnchisel.ui.view.painting import polygon

Array = NDArray[Any]
Pixel = tuple[float, float]

NEAR_PX = 11.0
FINE = 40  # points of a line over the ground
ROUNDS = 4
UP = np.array([0.0, 0.0, 1.0])


def shaped_ground(job: Job) -> Job:
    """The job with heights on its bank that can be dragged: level as it is."""
    return change(job, ("blank", "heights"), ((0.0,) * 5,) * 2)


def _bank(job: Job) -> Bank | None:
    blank = job.blank
    lies = job.setting.photo is not None and isinstance(blank, Bank) and blank.heights
    return blank if lies and isinstance(blank, Bank) else None


def _places(job: Job, rows: Array, columns: Array) -> Array:
    """Places of the ground, shares of its depth and width each 0..1, in the scene: (n, 3)."""
    sides = sides_of_job(job)
    assert sides is not None
    side = sides.all[0]
    low_u, low_v, high_u, high_v = side.domain.bounds
    uv = np.stack([low_u + columns * (high_u - low_u), low_v + rows * (high_v - low_v)], axis=1)
    stance = stance_of(job)
    return np.asarray(side.to_body(uv, np.zeros(len(uv))) @ stance[:3, :3].T + stance[:3, 3])


def _grid(bank: Bank) -> tuple[Array, Array]:
    tall, wide = len(bank.heights), len(bank.heights[0])
    rows, columns = np.meshgrid(np.linspace(0, 1, tall), np.linspace(0, 1, wide), indexing="ij")
    return rows.ravel(), columns.ravel()


def _seen(view: View, spots: Array, size: tuple[int, int]) -> Array:
    return view.project(spots, size)[:, :2]


def ground_marks(job: Job, size: tuple[int, int]) -> Array:
    """Where the heights of a job's ground are seen, widget pixels (n, 2); none where it has none."""
    bank = _bank(job)
    if bank is None:
        return np.zeros((0, 2))
    return _seen(view_of(job, size[0] / size[1]), _places(job, *_grid(bank)), size)


def height_at(job: Job, pixel: Pixel, size: tuple[int, int]) -> int | None:
    """The height at a widget pixel, by its number."""
    far = np.linalg.norm(ground_marks(job, size) - pixel, axis=1)
    nearest = int(np.argmin(far)) if len(far) else -1
    return nearest if nearest >= 0 and far[nearest] <= NEAR_PX else None


def height_dragged(job: Job, number: int, pixel: Pixel, size: tuple[int, int]) -> Job:
    """The job with a height of its ground where, straight above its place, it is seen nearest to a widget
    pixel. Raises KilnError for one out of all bounds."""
    bank = _bank(job)
    assert bank is not None
    rows, columns = _grid(bank)
    spot = _places(job, rows[number : number + 1], columns[number : number + 1])
    view, more = view_of(job, size[0] / size[1]), 0.0
    for _ in range(ROUNDS):  # a step as if it went on evenly, and again
        here, above = (_seen(view, spot + h * UP, size)[0] for h in (more, more + 10.0))
        way = (above - here) / 10.0
        if way @ way < 1e-9:
            break
        more += float((np.array(pixel) - here) @ way / (way @ way))
    across = len(bank.heights[0])
    row, column = divmod(number, across)
    old = bank.heights[row]
    heights = (*old[:column], round(old[column] + more, 1), *old[column + 1 :])
    return change(job, ("blank", "heights"), (*bank.heights[:row], heights, *bank.heights[row + 1 :]))


def paint_ground(
    painter: QPainter, job: Job, size: tuple[int, int], over: int | None, theme: Theme
) -> None:
    """The ground's heights, and lines over it from one to the other."""
    bank = _bank(job)
    if bank is None:
        return
    view = view_of(job, size[0] / size[1])
    fine = np.linspace(0, 1, FINE)
    tall, wide = len(bank.heights), len(bank.heights[0])
    lines = [_places(job, np.full(FINE, row), fine) for row in np.linspace(0, 1, tall)]
    lines += [_places(job, fine, np.full(FINE, column)) for column in np.linspace(0, 1, wide)]
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for pen in (QPen(QColor(0, 0, 0, 90), 2.2), QPen(QColor(theme.glaze), 1.2)):
        painter.setPen(pen)
        for line in lines:
            painter.drawPolyline(polygon(_seen(view, line, size)))
    for number, (x, y) in enumerate(ground_marks(job, size)):
        radius = 7.0 if number == over else 5.0
        painter.setPen(QPen(QColor(theme.glaze), 2))
        painter.setBrush(QColor(theme.card))
        painter.drawEllipse(QRectF(x - radius, y - radius, 2 * radius, 2 * radius))
    painter.setBrush(Qt.BrushStyle.NoBrush)
