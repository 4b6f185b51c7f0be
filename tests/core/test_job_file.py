import errno
import json
import os
import shutil
import tempfile
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.packing import packable_fonts, save_packed
from kilnchisel.core.job.artwork import Shape
from kilnchisel.core.job.file import VERSION, job_bytes, open_job, read_preview, save_job, schema
from kilnchisel.core.job.wording import FileFace, ShippedFace, Wording
from kilnchisel.core.lettering.faces import face_path, file_face
from tests.samples import mug_job, plaque_job


class Files(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.path = self.folder / "a.kcj"

    def refuse(self, *words):
        with self.assertRaises(KilnError) as caught:
            open_job(self.path)
        for word in words:
            self.assertIn(word, str(caught.exception))

    def test_round_trip_of_every_kind(self):
        for job in (mug_job("Grüße\n“two” — 3"), plaque_job(shape="oval")):
            save_job(job, self.path, b"png")
            self.assertEqual(open_job(self.path), job)
            self.assertEqual(read_preview(self.path), b"png")

    def test_same_job_same_bytes(self):
        self.assertEqual(job_bytes(mug_job(), b"p", {}), job_bytes(mug_job(), b"p", {}))

    def test_cut_short_at_any_length(self):
        save_job(mug_job(), self.path)
        whole = self.path.read_bytes()
        for share in (0.0, 0.2, 0.5, 0.9, 0.99):
            self.path.write_bytes(whole[: int(len(whole) * share)])
            with self.subTest(share):
                self.refuse("a.kcj")

    def test_foreign_and_newer_files(self):
        self.path.write_text("hello")
        self.refuse("not a whole job file")
        with zipfile.ZipFile(self.path, "w") as archive:
            archive.writestr("readme.txt", "x")
        self.refuse("holds no job.json")
        for document, word in (
            ({"format": "something"}, "not a job file"),
            ({"format": "kilnchisel job"}, "states no"),
            ({"format": "kilnchisel job", "version": 99, "job": {}}, "newer version"),
            (
                {
                    "format": "kilnchisel job",
                    "version": 1,
                    "job": {"blank": {"kind": "mug", "height_mm": 9e9}},
                },
                "too large",
            ),
            (
                {"format": "kilnchisel job", "version": 1, "job": {"blank": {"kind": "kettle"}}},
                "cannot be used",
            ),
        ):
            with zipfile.ZipFile(self.path, "w") as archive:
                archive.writestr("job.json", json.dumps(document))
            with self.subTest(word):
                self.refuse(word)

    def test_a_file_of_version_1_opens(self):
        # as version 1 wrote it: wording was words, and did not say so
        lettering = {"wording": {"text": "OLD", "cap_height_mm": 8.0}, "lay": {"side": "outside"}}
        document = {"format": "kilnchisel job", "version": 1, "job": {"letterings": [lettering]}}
        path = self.folder / "old.kcj"
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("job.json", json.dumps(document))
        job = open_job(path)
        self.assertEqual(job.letterings[0].content, Wording(text="OLD", cap_height_mm=8.0))

    def test_what_was_called_wording_opens_as_content(self):
        # as versions up to 6 wrote them
        letterings = [
            {"wording": {"kind": "words", "text": "OLD"}, "lay": {"side": "outside"}},
            {"wording": {"kind": "shape", "form": {"kind": "disc"}}, "lay": {"side": "outside"}},
        ]
        document = {"format": "kilnchisel job", "version": 6, "job": {"letterings": letterings}}
        with zipfile.ZipFile(self.path, "w") as archive:
            archive.writestr("job.json", json.dumps(document))
        words, disc = (item.content for item in open_job(self.path).letterings)
        self.assertEqual((words, disc), (Wording(text="OLD"), Shape()))
        save_job(open_job(self.path), self.path)
        with zipfile.ZipFile(self.path) as archive:
            written = json.loads(archive.read("job.json"))
        self.assertEqual(written["version"], VERSION)
        self.assertNotIn("wording", written["job"]["letterings"][0])

    def test_gold_of_older_files_stays_fine(self):
        ring = {"blank": {"kind": "band"}, "finish": {"kind": "gold"}}
        ring["letterings"] = [{"finish": {"kind": "gold", "carat": 14}}]
        for version, carat in ((7, 24.0), (VERSION, 18.0)):
            document = {"format": "kilnchisel job", "version": version, "job": ring}
            with zipfile.ZipFile(self.path, "w") as archive:
                archive.writestr("job.json", json.dumps(document))
            job = open_job(self.path)
            self.assertEqual((job.finish.carat, job.letterings[0].finish.carat), (carat, 14.0))

    def test_box_signs_of_older_files_stay_unlit(self):
        for version, lit in ((8, 0.0), (VERSION, 45.0)):
            document = {
                "format": "kilnchisel job",
                "version": version,
                "job": {"blank": {"kind": "box sign"}},
            }
            with zipfile.ZipFile(self.path, "w") as archive:
                archive.writestr("job.json", json.dumps(document))
            self.assertEqual(open_job(self.path).blank.brightness, lit)

    def test_missing_file_and_folder(self):
        self.refuse("There is no file")
        self.path.mkdir()
        self.refuse("a.kcj")

    def test_full_disk_leaves_the_old_file_whole(self):
        save_job(mug_job("OLD"), self.path)
        full = OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        with mock.patch("os.fsync", side_effect=full), self.assertRaises(KilnError) as caught:
            save_job(mug_job("NEW"), self.path)
        self.assertIn("No space left", str(caught.exception))
        self.assertEqual(open_job(self.path), mug_job("OLD"))
        self.assertEqual([p.name for p in self.folder.iterdir()], ["a.kcj"])

    def test_schema_describes_what_is_written(self):
        described = schema()["$defs"]
        self.assertIn("Job", described)
        written = json.loads(mug_job().model_dump_json())
        self.assertEqual(set(written), set(described["Job"]["properties"]))
        self.assertEqual(set(written["blank"]), set(described["Mug"]["properties"]))


class PackedFonts(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CACHE_HOME": str(self.folder / "cache")}))
        self.font = self.folder / "mine.ttf"
        shutil.copy(face_path(ShippedFace(name="pacifico")), self.font)
        self.job = mug_job(face=file_face(self.font))

    def test_the_packed_copy_serves_where_the_original_is_gone(self):
        path = self.folder / "a.kcj"
        save_packed(self.job, path)
        self.font.unlink()
        face = open_job(path).letterings[0].content.face
        self.assertIsInstance(face, FileFace)
        self.assertNotEqual(face.path, str(self.font))
        self.assertEqual(file_face(Path(face.path)).sha256, face.sha256)
        self.assertEqual(face.family, "Pacifico")

    def test_a_font_that_may_not_be_embedded_is_only_named(self):
        from fontTools.ttLib import TTFont

        font = TTFont(self.font)
        font["OS/2"].fsType = 0x0002
        locked = self.folder / "locked.ttf"
        font.save(locked)
        self.assertEqual(packable_fonts(mug_job(face=file_face(locked))), {})
        self.assertEqual(len(packable_fonts(self.job)), 1)

    def test_a_damaged_copy_is_refused(self):
        path = self.folder / "a.kcj"
        digest = self.job.letterings[0].content.face.sha256
        save_job(self.job, path, None, {digest: b"not a font"})
        self.font.unlink()
        with self.assertRaises(KilnError) as caught:
            open_job(path)
        self.assertIn("damaged", str(caught.exception))
