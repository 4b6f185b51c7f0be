"""Every kind of font file, the catalogue, licence bits, and broken files."""

import io
import os
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from fontTools.designspaceLib import AxisDescriptor, DesignSpaceDocument, SourceDescriptor
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTCollection, TTFont, newTable
from fontTools.varLib import build as build_variable

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import packable_fonts
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.wording import Axis, FileFace, ShippedFace, Wording
from kilnchisel.core.lettering.catalogue import (
    _names,
    face_of_family,
    faces_with,
    font_files,
    listed,
    read_entries,
    system_font_files,
)
from kilnchisel.core.lettering.faces import face_path, file_face, licence_words, load_face
from kilnchisel.core.lettering.outline import make_outline
from kilnchisel.core.shop.checks import checks
from tests.samples import mug_job


def bar_font(stem: int, fs_type: int = 0, family: str = "Bars") -> TTFont:
    """A font whose I and H are bars ``stem`` units wide, 700 high."""
    builder = FontBuilder(1000, isTTF=True)
    builder.setupGlyphOrder([".notdef", "I", "H"])
    builder.setupCharacterMap({ord("I"): "I", ord("H"): "H"})
    pen = TTGlyphPen(None)
    for x, y, move in ((100, 0, True), (100, 700, False), (100 + stem, 700, False), (100 + stem, 0, False)):
        (pen.moveTo if move else pen.lineTo)((x, y))
    pen.closePath()
    glyph = pen.glyph()
    builder.setupGlyf({".notdef": TTGlyphPen(None).glyph(), "I": glyph, "H": glyph})
    builder.setupHorizontalMetrics(dict.fromkeys((".notdef", "I", "H"), (200 + stem, 100)))
    builder.setupHorizontalHeader(ascent=800, descent=-200)
    builder.setupNameTable({"familyName": family, "styleName": "Regular"})
    builder.setupOS2(fsType=fs_type)
    builder.setupPost()
    return builder.font


def variable_font() -> bytes:
    """Bars from 50 to 250 units wide along a weight axis from 100 to 900."""
    space = DesignSpaceDocument()
    axis = AxisDescriptor()
    axis.tag, axis.name, axis.minimum, axis.default, axis.maximum = "wght", "Weight", 100, 100, 900
    space.addAxis(axis)
    for weight, stem in ((100, 50), (900, 250)):
        source = SourceDescriptor()
        source.font, source.location = bar_font(stem), {"Weight": weight}
        source.familyName, source.styleName = "Bars", "Regular"
        space.addSource(source)
    font, _, _ = build_variable(space)
    buffer = io.BytesIO()
    font.save(buffer)
    return buffer.getvalue()


class Folder(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder / "cache")}))

    def saved(self, font, name="font.ttf"):
        path = self.folder / name
        font.save(path)
        return path


class Kinds(Folder):
    def test_web_fonts_draw_as_the_plain_one(self):
        path = face_path(ShippedFace(name="quicksand-bold"))
        plain = make_outline(Wording(text="Dome", face=ShippedFace(name="quicksand-bold")))
        for flavor in ("woff", "woff2"):
            font = TTFont(path)
            font.flavor = flavor
            face = file_face(self.saved(font, f"web.{flavor}"))
            again = make_outline(Wording(text="Dome", face=face))
            self.assertAlmostEqual(again.ink.area, plain.ink.area, delta=1e-6 * plain.ink.area)

    def test_each_face_of_a_collection(self):
        collection = TTCollection()
        collection.fonts = [bar_font(100, family="Thin bars"), bar_font(300, family="Thick bars")]
        path = self.saved(collection, "two.ttc")
        self.assertEqual([entry.family for entry in read_entries(path)], ["Thin bars", "Thick bars"])
        widths = [make_outline(Wording(text="I", face=file_face(path, n))).width_mm for n in (0, 1)]
        self.assertAlmostEqual(widths[1], 3 * widths[0])
        with self.assertRaisesRegex(KilnError, "holds 2 faces"):
            file_face(path, 2)

    def test_a_variable_font_follows_its_axis(self):
        path = self.folder / "bars.ttf"
        path.write_bytes(variable_font())
        face = file_face(path)
        loaded = load_face(face)
        self.assertEqual([(axis.tag, axis.least, axis.most) for axis in loaded.axes], [("wght", 100, 900)])
        for weight, stem in ((100, 50), (500, 150), (900, 250)):
            set_ = face.model_copy(update={"axes": (Axis(tag="wght", value=weight),)})
            outline = make_outline(Wording(text="I", face=set_, cap_height_mm=7.0))
            self.assertAlmostEqual(outline.width_mm, stem / 100, places=6)

    def test_licence_bits(self):
        # OpenType specification, OS/2 fsType
        for bits, may, words in (
            (0x0000, True, "may be embedded"),
            (0x0002, False, "may not"),
            (0x0004, True, "view and print"),
            (0x0008, True, "editing"),
            (0x0200, False, "bitmaps"),
        ):
            font = bar_font(100, bits)
            said, may_embed = licence_words(font["OS/2"])
            self.assertEqual(may_embed, may)
            self.assertIn(words, said)

    def test_a_restricted_font_is_not_packed(self):
        for bits, packed in ((0x0000, 1), (0x0002, 0)):
            face = file_face(self.saved(bar_font(100, bits), f"r{bits}.ttf"))
            job = change(mug_job("I"), ("letterings", 0, "content", "face"), face)
            self.assertEqual(len(packable_fonts(job)), packed)


class Catalogue(Folder):
    def test_broken_files_are_listed_with_the_reason(self):
        self.saved(bar_font(100), "good.ttf")
        whole = face_path(ShippedFace(name="quicksand-bold")).read_bytes()
        (self.folder / "cut.ttf").write_bytes(whole[: len(whole) // 40])
        (self.folder / "empty.otf").write_bytes(b"")
        (self.folder / "text.ttf").write_bytes(b"this is not a font at all, whatever its name says")
        entries = {
            Path(entry.path).name: entry
            for batch, _ in listed(font_files([self.folder]))
            for entry in batch
        }
        self.assertEqual(entries["good.ttf"].trouble, "")
        for name in ("cut.ttf", "empty.otf", "text.ttf"):
            self.assertTrue(entries[name].trouble, name)
            with self.assertRaises(KilnError):
                load_face(FileFace(path=str(self.folder / name)))

    def test_what_was_read_is_kept_and_read_again_when_it_changes(self):
        path = self.saved(bar_font(100, family="First"))

        def families():
            return [entry.family for batch, _ in listed([path]) for entry in batch]

        self.assertEqual(families(), ["First"])
        with mock.patch("kilnchisel.core.lettering.catalogue.read_entries", side_effect=AssertionError):
            self.assertEqual(families(), ["First"])
        self.saved(bar_font(100, family="Second"))
        os.utime(path, (1, 1))
        self.assertEqual(families(), ["Second"])

    def test_reading_can_be_stopped(self):
        for number in range(60):
            self.saved(bar_font(50 + number), f"f{number}.ttf")
        seen: list = []
        enough = lambda: len(seen) >= 40  # noqa: E731
        for batch, _ in listed(font_files([self.folder]), enough):
            seen += batch
        self.assertLess(len(seen), 60)

    def test_system_fonts_are_files(self):
        self.assertTrue(
            all(
                path.suffix.lower() in (".ttf", ".otf", ".ttc", ".otc", ".woff", ".woff2")
                for path in system_font_files()
            )
        )

    def test_a_family_is_found_by_name(self):
        self.assertEqual(face_of_family("pacifico"), ShippedFace(name="pacifico"))
        self.assertIsNone(face_of_family("Nosuch Face"))

    def test_faces_that_have_every_letter(self):
        self.assertIn(ShippedFace(name="amiri-bold"), list(faces_with("مرصد")))
        self.assertNotIn(ShippedFace(name="pacifico"), list(faces_with("مرصد")))

    def test_a_missing_letter_comes_with_a_face_that_has_it(self):
        job = mug_job("مرصد")
        letters = next(check for check in checks(job, 0) if check.key == "letters")
        self.assertEqual(letters.level, "failure")
        mended = letters.fix.apply(job)
        self.assertEqual(mended.letterings[0].content.face, ShippedFace(name="amiri-bold"))
        self.assertEqual(next(c for c in checks(mended, 0) if c.key == "letters").level, "good")


class Names(unittest.TestCase):
    def test_the_english_name_is_taken_from_among_others(self):
        # OpenType name table: records are sorted by platform, encoding and language, English is 0x409
        table = newTable("name")
        table.names = []
        for words, platform, encoding, language in (
            ("Mac Grotesk", 1, 0, 0),
            ("Deutsche Grotesk", 3, 1, 0x407),
            ("English Grotesk", 3, 1, 0x409),
            ("Grotesque française", 3, 1, 0x40C),
        ):
            table.setName(words, 1, platform, encoding, language)
        self.assertEqual(_names(table.compile(None)), {1: "English Grotesk"})
        table.names = [record for record in table.names if record.platformID == 1]
        self.assertEqual(_names(table.compile(None)), {1: "Mac Grotesk"})


if __name__ == "__main__":
    unittest.main()
