"""Lettering against other libraries."""

import unittest

import uharfbuzz as hb
from fontTools.pens.areaPen import AreaPen
from fontTools.ttLib import TTFont

from kilnchisel.core.job.wording import ShippedFace, Wording
from kilnchisel.core.lettering.faces import face_path, load_face
from kilnchisel.core.lettering.glyphs import glyph_region, tolerance_units
from kilnchisel.core.lettering.outline import make_outline
from tests.samples import FIVE_FACES

TEN = (
    "TARNLIGHT",
    "AVATAR WAY",
    "To. Yo, V.A.",
    "office fluff",
    "hill observatory",
    "EST. 1931",
    "Wave “Type”",
    "LT LY PA Te",
    "Dim your lamp",
    "(f) & [ffi]",
)


class Advances(unittest.TestCase):
    """Source: HarfBuzz's own hb_shape on a face opened separately (uharfbuzz)."""

    def test_kerned_widths_of_ten_strings_in_five_faces(self):
        for name in FIVE_FACES:
            face = hb.Face(hb.Blob.from_file_path(str(face_path(ShippedFace(name=name)))))
            font = hb.Font(face)
            loaded = load_face(ShippedFace(name=name))
            for text in TEN:
                buffer = hb.Buffer()
                buffer.add_str(text)
                buffer.guess_segment_properties()
                hb.shape(font, buffer)
                expected = sum(p.x_advance for p in buffer.glyph_positions) * 9.0 / loaded.cap_height
                drawn = make_outline(Wording(text=text, face=ShippedFace(name=name), cap_height_mm=9.0))
                self.assertAlmostEqual(drawn.advance_mm(), expected, places=9, msg=f"{name} {text}")

    def test_kerning_does_something(self):
        wide = make_outline(Wording(text="AVAVAV", face=ShippedFace(name="eb-garamond"))).advance_mm()
        single = [
            make_outline(Wording(text=c, face=ShippedFace(name="eb-garamond"))).advance_mm() for c in "AV"
        ]
        self.assertLess(wide, 3 * sum(single) - 0.1)


class Areas(unittest.TestCase):
    """Source: fontTools' AreaPen, exact for the curves themselves (contours without overlaps)."""

    def test_outline_areas(self):
        for name in ("courier-prime", "eb-garamond", "league-spartan-bold", "roboto-slab", "bebas-neue"):
            path = face_path(ShippedFace(name=name))
            font, loaded = TTFont(path), load_face(ShippedFace(name=name))
            glyphs, names = font.getGlyphSet(), font.getBestCmap()
            for character in "HOSBg8&e":
                pen = AreaPen(glyphs)
                glyphs[names[ord(character)]].draw(pen)
                glyph = font.getGlyphID(names[ord(character)])
                tolerance = tolerance_units(loaded, 9.0)
                fine = glyph_region(loaded, glyph, tolerance / 64)
                self.assertAlmostEqual(
                    fine.area / abs(pen.value), 1.0, delta=2e-4, msg=f"{name} {character}"
                )
                used = glyph_region(loaded, glyph, tolerance)
                self.assertLess(abs(used.area - abs(pen.value)), tolerance * used.length)
