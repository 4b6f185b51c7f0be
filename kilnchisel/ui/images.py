"""Pixels as pictures of the window."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QImage, QPixmap

from kilnchisel.core.errors import KilnError
from kilnchisel.core.job.assets import asset
from kilnchisel.core.job.model import Proof


def pixmap_of(pixels: Any) -> QPixmap:
    """Pixels (h, w, 3) uint8 as a pixmap."""
    tall, wide, _ = pixels.shape
    return QPixmap.fromImage(QImage(pixels.tobytes(), wide, tall, 3 * wide, QImage.Format.Format_RGB888))


def picture_of(proof: Proof) -> QPixmap | None:
    """The picture that a proof keeps, None where there is none."""
    if proof.picture is None:
        return None
    made = QPixmap()
    try:
        return made if made.loadFromData(asset(proof.picture.sha256, proof.picture.name)) else None
    except KilnError:
        return None


def fitting(pixmap: QPixmap, size: QSize, ratio: float) -> QPixmap:
    """A picture as large as it fits into a size."""
    made = pixmap.scaled(
        size * ratio, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
    )
    made.setDevicePixelRatio(ratio)
    return made


def filling(pixmap: QPixmap, size: QSize, ratio: float) -> QPixmap:
    """A picture as large as covers a size, cut to it."""
    whole = size * ratio
    large = pixmap.scaled(
        whole, Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation
    )
    cut = large.copy(
        (large.width() - whole.width()) // 2,
        (large.height() - whole.height()) // 2,
        whole.width(),
        whole.height(),
    )
    cut.setDevicePixelRatio(ratio)
    return cut
