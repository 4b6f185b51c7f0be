"""One row of text to placed glyphs, by HarfBuzz: kerning, ligatures, marks."""

from __future__ import annotations

from dataclasses import dataclass

import uharfbuzz as hb

from kilnchisel.core.lettering.faces import LoadedFace


@dataclass(frozen=True)
class Glyph:
    """A glyph with its pen position, in font units; ``cluster`` is the index of its character."""

    glyph: int
    cluster: int
    x: float
    y: float


@dataclass(frozen=True)
class ShapedRow:
    """A shaped row: glyphs from left to right, the whole advance, and characters the face lacks."""

    text: str
    glyphs: tuple[Glyph, ...]
    advance: float
    missing: tuple[str, ...]


def shape_row(face: LoadedFace, text: str, spacing: float = 0.0) -> ShapedRow:
    """Shape one row. ``spacing`` (font units) is added between letters, not after the last."""
    if not text:
        return ShapedRow(text, (), 0.0, ())
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    with face.lock:
        hb.shape(face.font, buffer, {"liga": spacing == 0})  # spaced letters do not join
    glyphs = []
    missing: list[str] = []
    x = 0.0
    last_cluster = None
    for info, position in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        if last_cluster is not None and info.cluster != last_cluster:
            x += spacing
        last_cluster = info.cluster
        character = text[info.cluster]
        if _lacks(face, info.codepoint, character) and character not in missing:
            missing.append(character)
        glyphs.append(Glyph(info.codepoint, info.cluster, x + position.x_offset, float(position.y_offset)))
        x += position.x_advance
    return ShapedRow(text, tuple(glyphs), x, tuple(missing))


def _lacks(face: LoadedFace, glyph: int, character: str) -> bool:
    return glyph == 0 or ord(character) in face.blank_letters
