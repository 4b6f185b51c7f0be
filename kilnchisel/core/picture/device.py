"""What draws the draft: a graphics card where there is one, else the processor."""

from __future__ import annotations

import os
from typing import Any

import moderngl

from kilnchisel.core.errors import KilnError

SOFTWARE = ("llvmpipe", "softpipe", "swrast", "software")
MOST_DEVICES = 8


def in_software(name: str) -> bool:
    """Whether the processor draws, by the name of what draws."""
    return any(word in name.lower() for word in SOFTWARE)


def name_of(gl: Any) -> str:
    """The name of what draws in a context."""
    return str(gl.info["GL_RENDERER"])


def context() -> Any:
    """A context on a graphics card where there is one, else in software. Raises KilnError."""
    found: Any = None
    numbers = [None] if "GLCONTEXT_DEVICE_INDEX" in os.environ else range(MOST_DEVICES)
    for number in numbers:
        how: dict[str, Any] = {"backend": "egl"}
        if number is not None:
            how["device_index"] = number
        try:
            made = moderngl.create_standalone_context(require=330, **how)
        except Exception as error:
            if found is not None:
                break  # there are no more
            raise KilnError(
                "No OpenGL through EGL on this machine; install the packages libegl1 and "
                f"libgl1-mesa-dri ({error})."
            ) from None
        if not in_software(name_of(made)):
            if found is not None:
                found.release()
            return made
        if found is None:
            found = made
        else:
            made.release()
    return found
