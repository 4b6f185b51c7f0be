"""OpenGL calls that may take long, made as foreign functions: those let go of the interpreter's lock.

A card in software compiles and draws within calls that look quick, up to half a second. Made through the
bindings they hold the interpreter's lock, and the window's own thread stands still for it.
"""

from __future__ import annotations

import contextlib
import ctypes
from typing import Any

from PIL import Image

LIBRARIES = ("libOpenGL.so.0", "libGL.so.1")
# of the OpenGL registry
TRIANGLES, UNSIGNED_INT, UNSIGNED_BYTE, TEXTURE_2D, RGBA, RGBA8 = 0x4, 0x1405, 0x1401, 0xDE1, 0x1908, 0x8058
TEXTURE0, UNPACK_ALIGNMENT = 0x84C0, 0xCF5
INDEX_BYTES = 4
READ_FRAMEBUFFER, DRAW_FRAMEBUFFER, COLOUR_AND_DEPTH, NEAREST = 0x8CA8, 0x8CA9, 0x4100, 0x2600
NEEDED = (
    "glFinish",
    "glUseProgram",
    "glBindVertexArray",
    "glDrawElements",
    "glDrawArrays",
    "glActiveTexture",
    "glBindTexture",
    "glTexImage2D",
    "glPixelStorei",
    "glBindFramebuffer",
    "glBlitFramebuffer",
)


# A card in software keeps, for as long as its context, room for all triangles it has ever held at once:
# 120 MB of a large piece, 30 by so many at a time, in the same time.
AT_ONCE = 60_000


class Lockless:
    """The calls, on whatever context is current in the thread. Without the library they go through the
    bindings."""

    def __init__(self) -> None:
        self._gl: Any = None
        self._held = 0  # triangles since all was drawn
        for name in LIBRARIES:
            with contextlib.suppress(OSError, AttributeError):
                library = ctypes.CDLL(name)
                for function in NEEDED:
                    getattr(library, function).restype = None
                self._gl = library
                break

    @property
    def there(self) -> bool:
        """Whether the library is."""
        return self._gl is not None

    def finish(self) -> None:
        """Come back when all that was asked for is drawn."""
        if self._gl is not None:
            self._gl.glFinish()
            self._held = 0

    def draw(self, array: Any, vertices: int | None = None) -> None:
        """The triangles of a vertex array; ``vertices``: so many, of an array without an index."""
        if self._gl is None:
            array.render(TRIANGLES) if vertices is None else array.render(TRIANGLES, vertices=vertices)
            return
        self._gl.glUseProgram(array.program.glo)
        self._gl.glBindVertexArray(array.glo)
        if vertices is not None:
            self._gl.glDrawArrays(TRIANGLES, 0, vertices)
            return
        for first in range(0, array.vertices, 3 * AT_ONCE):
            count = min(array.vertices - first, 3 * AT_ONCE)
            if self._held + count // 3 > AT_ONCE:
                self.finish()
            self._gl.glDrawElements(TRIANGLES, count, UNSIGNED_INT, ctypes.c_void_p(INDEX_BYTES * first))
            self._held += count // 3

    def copy(
        self, context: Any, target: Any, source: Any, box: tuple[int, int, int, int] | None = None
    ) -> None:
        """Colour and depth of one framebuffer to another of its size, or those of a box (left, low, right,
        high); without the library of the whole."""
        if self._gl is None:
            context.copy_framebuffer(target, source)
            return
        corners = box or (0, 0, *source.size)
        self._gl.glBindFramebuffer(READ_FRAMEBUFFER, source.glo)
        self._gl.glBindFramebuffer(DRAW_FRAMEBUFFER, target.glo)
        self._gl.glBlitFramebuffer(*corners, *corners, COLOUR_AND_DEPTH, NEAREST)
        target.use()  # so that the bindings know what is bound; what was bound before may be gone

    def smaller_copies(self, texture: Any, pixels: bytes) -> None:
        """Give a texture of four channels of a byte its mipmaps, each half the one before (box filter)."""
        if self._gl is None:
            texture.build_mipmaps()
            return
        wide, tall = texture.size
        # a mode of four bands that mean nothing to the library: it would weigh colours by an alpha
        level = Image.frombuffer("RGBX", (wide, tall), pixels, "raw", "RGBX", 0, 1)
        self._gl.glActiveTexture(TEXTURE0 + texture.ctx.max_texture_units - 1)
        self._gl.glBindTexture(TEXTURE_2D, texture.glo)
        self._gl.glPixelStorei(UNPACK_ALIGNMENT, 1)
        number = 0
        while max(wide, tall) > 1:
            number += 1
            wide, tall = max(wide // 2, 1), max(tall // 2, 1)
            # halving is a quarter of the work of resizing, but it rounds odd sizes up
            halves = level.width == 2 * wide and level.height == 2 * tall
            level = level.reduce(2) if halves else level.resize((wide, tall), Image.Resampling.BOX)
            self._gl.glTexImage2D(
                TEXTURE_2D, number, RGBA8, wide, tall, 0, RGBA, UNSIGNED_BYTE, level.tobytes()
            )
