"""What is dropped onto a window: one file of a kind that it takes."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QDragEnterEvent, QDropEvent


def dropped_file(event: QDragEnterEvent | QDropEvent | None, endings: tuple[str, ...]) -> Path | None:
    """The one file of these endings that is being dropped, if that is what it is."""
    data = None if event is None else event.mimeData()
    urls = data.urls() if data is not None else []
    if len(urls) != 1 or not urls[0].isLocalFile():
        return None
    path = Path(urls[0].toLocalFile())
    return path if path.suffix.lower() in endings else None
