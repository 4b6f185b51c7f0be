"""What is mixed into the window, each part of what it does in a file of its own."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from kilnchisel.ui.window import Window


class Actions:
    """A part of the window."""

    def _window(self) -> Window:
        return self  # type: ignore[return-value]
