"""Starting the application: the Qt object, the window, a job if one is named."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.remembered import STORE

if TYPE_CHECKING:
    from kilnchisel.ui.startpage import DemoJob
    from kilnchisel.ui.window import Window

WINDOW_BYTES = 32 * 2**20  # of sides and laid letterings, which clicks and drags ask for


def has_display() -> bool:
    """Whether a window can be seen (or a test asked for an unseen one)."""
    return bool(
        os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")
    )


def open_window(job: Path | None, demos: list[DemoJob] | None = None) -> int:
    """Show the window and stay until it is closed. Raises KilnError without a display."""
    if not has_display():
        raise KilnError(
            "There is no display to open a window on. Without one: kilnchisel picture JOB -o FILE.png"
        )
    ahead()
    from PyQt6.QtWidgets import QApplication

    app = QApplication.instance() or QApplication(sys.argv[:1])
    app.setApplicationName("Kiln Chisel")
    shown(job, demos)
    return int(app.exec())


def ahead() -> None:
    """Start the processes that read files and that draw: they get ready while the window is built."""
    from kilnchisel.ui import work

    gate.fork_ahead()
    work.ahead()
    STORE.most_bytes = WINDOW_BYTES  # the pictures are made elsewhere


def shown(job: Path | None, demos: list[DemoJob] | None = None) -> Window:
    """The window, on the screen, with a job if one is named."""
    from kilnchisel.ui.window import Window

    window = Window(demos)
    window.start_page.held = job is not None
    window.show()
    if job is not None:
        window.open_path(job)
        window.start_page.held = False
        if window.start_page.isVisible():  # it could not be opened
            window.start_page.refresh()
    return window
