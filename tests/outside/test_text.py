"""Lettering against other libraries."""

import itertools
import unittest

from fontTools.pens.areaPen import AreaPen
from fontTools.ttLib import TTFont

from kilnchisel.core.job.wording import ShippedFace, Wording
from kilnchisel.core.lettering.faces import face_path, load_face
from kilnchisel.core.lettering.glyphs import glyph_region, tolerance_units
from kilnchisel.core.lettering.outline import make_outline

WORDS = (
    "TARNLIGHT",
    "AVATAR WAY",
    "To. Yo, V.A.",
    "hill observatory",
    "EST. 1931",
    "Wave Type",
    "LT LY PA Te",
    "Dim your lamp",
)
# faces whose letters stay one glyph each, so that widths are advances and pairs and nothing else
PLAIN = ("cinzel-bold", "eb-garamond", "league-spartan-bold", "roboto-slab", "quicksand-bold")


def pair_lookups(font):
    """The pair adjustments of the kerning feature for Latin, in their order."""
    table = font["GPOS"].table
    scripts = {record.ScriptTag: record.Script for record in table.ScriptList.ScriptRecord}
    script = scripts.get("latn") or scripts["DFLT"]
    chosen = script.DefaultLangSys or script.LangSysRecord[0].LangSys
    features = [table.FeatureList.FeatureRecord[n] for n in chosen.FeatureIndex]
    numbers = sorted({n for f in features if f.FeatureTag == "kern" for n in f.Feature.LookupListIndex})
    for number in numbers:
        subtables = [
            x.ExtSubTable if x.LookupType == 9 else x for x in table.LookupList.Lookup[number].SubTable
        ]
        yield [x for x in subtables if x.LookupType == 2]


def kerned(lookups, left, right):
    """How much nearer two glyphs stand, font units (OpenType 1.9, GPOS lookup type 2)."""
    total = 0
    for subtables in lookups:
        for table in subtables:
            if left not in table.Coverage.glyphs:
                continue
            if table.Format == 1:
                pairs = table.PairSet[table.Coverage.glyphs.index(left)].PairValueRecord
                value = next((x.Value1 for x in pairs if x.SecondGlyph == right), None)
                if value is None:
                    continue  # the next subtable may have the pair
            else:
                one = table.ClassDef1.classDefs.get(left, 0)
                two = table.ClassDef2.classDefs.get(right, 0)
                value = table.Class1Record[one].Class2Record[two].Value1
            total += getattr(value, "XAdvance", 0) or 0
            break
    return total


class Advances(unittest.TestCase):
    """Source: the fonts' own tables (hmtx, GPOS), read by fontTools and added up as OpenType says."""

    def test_kerned_widths_of_eight_strings_in_five_faces(self):
        pairs = 0
        for name in PLAIN:
            font, loaded = TTFont(face_path(ShippedFace(name=name))), load_face(ShippedFace(name=name))
            cmap, wide = font.getBestCmap(), font["hmtx"]
            lookups = list(pair_lookups(font))
            for text in WORDS:
                glyphs = [cmap[ord(c)] for c in text]
                kerns = [kerned(lookups, a, b) for a, b in itertools.pairwise(glyphs)]
                pairs += sum(k != 0 for k in kerns)
                expected = (sum(wide[g][0] for g in glyphs) + sum(kerns)) * 9.0 / loaded.cap_height
                drawn = make_outline(Wording(text=text, face=ShippedFace(name=name), cap_height_mm=9.0))
                self.assertAlmostEqual(drawn.advance_mm(), expected, places=9, msg=f"{name} {text}")
        self.assertGreater(pairs, 60)  # there was something to add

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
