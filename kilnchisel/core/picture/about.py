"""What the program is and what it draws with on this machine, in rows of a label and words."""

from __future__ import annotations

import os
import platform

from kilnchisel import __version__
from kilnchisel.core.picture.device import in_software
from kilnchisel.core.picture.variants import best_variant


def about(card: str | None) -> list[tuple[str, str]]:
    """The rows; ``card``: the name of what draws drafts, None where nothing can."""
    if card is None:
        draft = "nothing: no OpenGL through EGL on this machine"
    else:
        draft = f"{card}; {'the processor, no graphics card' if in_software(card) else 'the graphics card'}"
    cores = os.cpu_count() or 1
    return [
        ("Kiln Chisel", __version__),
        ("Drafts are drawn by", draft),
        ("Mockups are traced by", f"{best_variant().name} on {cores} cores"),
        ("Python", platform.python_version()),
        ("Licence", "GPL-3.0-or-later"),
    ]
