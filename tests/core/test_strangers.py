"""Files from strangers: read, or refused in a sentence; never a fault, a hang, a dead program."""

import io
import json
import os
import subprocess
import sys
import tempfile
import time
import unittest
import zipfile
from pathlib import Path
from unittest import mock

import numpy as np
import trimesh
from PIL import Image

from fuzz import files as fuzz
from fuzz.samples import samples
from kilnchisel.core.errors import KilnError
from kilnchisel.core.intake import gate
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import open_job, save_job
from kilnchisel.core.job.fontplaces import place_of, remember_place
from kilnchisel.core.lettering.content import content_of_file, outline_of_content
from kilnchisel.core.lettering.faces import file_face, load_face
from kilnchisel.core.paths import RESOURCES
from kilnchisel.core.writing import write_whole
from tests.commands import called
from tests.samples import mug_job
from tests.waiting import until

FONT = RESOURCES / "fonts" / "pacifico" / "Pacifico-Regular.ttf"


def crashes():
    os.abort()


def hangs():
    time.sleep(600)


def swells():
    return len(bytearray(4 * 2**30))


def breaks():
    raise ZeroDivisionError("inside")


def tells(steps):
    for number in range(steps):
        gate.at(number / steps, f"step {number}")
        time.sleep(0.12)
    return steps


class InAProcessOfItsOwn(unittest.TestCase):
    """What the reading process does, this one survives, and the next file is read."""

    def read(self, function, **limits):
        return gate.read(f"{__name__}:{function}", "a.pdf", limits=gate.Limits(**limits))

    def test_crash_hang_memory_and_fault_are_a_sentence_each(self):
        for function, words, limits in (
            ("crashes", "stops its reader", {}),
            ("hangs", "longer than 1 s", {"seconds": 1.0}),
            ("swells", "more than 500 MB", {"memory": 500 * gate.MB}),
            ("breaks", "damaged, or of another kind", {}),
        ):
            with self.subTest(function), self.assertRaisesRegex(KilnError, words) as caught:
                self.read(function, **limits)
            self.assertIn("a.pdf", str(caught.exception))
            self.assertNotIn("ZeroDivision", str(caught.exception))
        self.assertEqual(gate.read("builtins:len", "x", "four"), 4)

    def test_a_reader_outlives_the_thread_that_started_it_and_is_replaced_when_it_is_gone(self):
        from threading import Thread

        gate.close()
        first = Thread(target=lambda: gate.read("builtins:len", "x", "one"))
        first.start()
        first.join(60)
        reader = gate._idle[-1]
        self.assertEqual(gate.read("builtins:len", "x", "four"), 4)
        self.assertIs(gate._idle[-1], reader)
        reader.process.kill()
        until(lambda: not reader.process.runs(), "its end")
        self.assertEqual(gate.read("builtins:len", "x", "three"), 5)

    def test_reading_can_be_stopped(self):
        from threading import Thread

        def stop():
            until(lambda: gate._busy, "the reading to begin")
            gate.stop_reading()

        Thread(target=stop).start()
        with self.assertRaisesRegex(KilnError, "stops its reader"):  # not: it takes longer than
            self.read("hangs", seconds=50.0)

    def test_only_what_one_thread_has_read_is_stopped(self):
        from threading import Thread

        found = {}

        def reading(name, function, *args):
            try:
                found[name] = gate.read(f"{__name__}:{function}", name, *args)
            except KilnError as error:
                found[name] = str(error)

        long = Thread(target=reading, args=("long", "hangs"))
        short = Thread(target=reading, args=("short", "tells", 8))
        long.start()
        short.start()
        until(lambda: len(gate._busy) == 2, "both to be reading")
        gate.stop_reading(long.ident)
        long.join(20)
        short.join(20)
        self.assertIn("stops its reader", found["long"])
        self.assertEqual(found["short"], 8)

    def test_it_says_how_far_it_is_to_the_thread_that_asks(self):
        said = []
        with gate.told_of(lambda share, words: said.append((share, words))):
            self.assertEqual(gate.read(f"{__name__}:tells", "x", 5), 5)
        gate.read(f"{__name__}:tells", "x", 2)
        self.assertGreaterEqual(len(said), 3)
        self.assertEqual(sorted(said), said)
        self.assertLessEqual(set(said), {(number / 5, f"step {number}") for number in range(5)})

    def test_a_large_drawing_says_how_far_it_is(self):
        rows = "".join(f'<path d="M{n % 90} {n // 90}h.6v.6h-.6z"/>' for n in range(4000))
        svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 90">{rows}</svg>'
        said = []
        with tempfile.TemporaryDirectory() as folder, gate.told_of(lambda *at: said.append(at)):
            path = Path(folder) / "a.svg"
            path.write_text(svg)
            content_of_file(path)
        shares = [share for share, _ in said if share is not None]
        self.assertGreater(len(shares), 1)
        self.assertEqual(sorted(shares), shares)
        self.assertRegex(" ".join(words for _, words in said), "piece|joining")

    def test_the_reader_goes_when_the_program_does(self):
        program = (
            "import os, sys; from kilnchisel.core.intake import gate; gate.read('builtins:len', 'x', 'y');"
            "print(gate._idle[0].process.pid, flush=True); os.kill(os.getpid(), 9)"
        )
        said = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=False)
        pid = int(said.stdout)
        end = time.monotonic() + 20
        while Path(f"/proc/{pid}").exists() and "Z" not in Path(f"/proc/{pid}/stat").read_text().split()[2]:
            self.assertLess(time.monotonic(), end, "the reader is still there after 20 s")


class Jobs(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.whole = self.folder / "whole.kcj"
        save_job(mug_job("TARN"), self.whole)
        with zipfile.ZipFile(self.whole) as archive:
            self.document = json.loads(archive.read("job.json"))

    def job(self, text):
        path = self.folder / "a.kcj"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("job.json", text)
        return path

    def refused(self, path, words):
        status, said, error = called("measure", path)
        self.assertEqual((status, said), (2, ""))
        self.assertEqual(len(error.strip().splitlines()), 1, error)
        self.assertRegex(error, words)

    def test_by_hand(self):
        head = '{"format": "kilnchisel job", "version": 6, "job": '
        surrogate = json.dumps(self.document).replace("TARN", "\\ud800")
        for text, words in (
            (head + "[" * 50_000 + "]" * 50_000 + "}", "damaged"),
            (head + '{"name": ' + "9" * 5000 + "}}", "damaged"),
            (surrogate, "cannot be used"),
            (
                json.dumps({**self.document, "version": 1, "job": {"letterings": 7}}),
                "could not be read|used",
            ),
            (" " * (17 << 20) + "{}", "more than 16 MB"),
        ):
            with self.subTest(text[:60]):
                self.refused(self.job(text), words)

    def test_parts_that_unpack_without_end(self):
        path = self.folder / "bomb.kcj"
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("job.json", json.dumps(self.document))
            for number in range(3):
                archive.writestr(f"assets/{number:064x}", bytes(400 << 20))
        self.refused(path, "unpack to 1200 MB")

    def test_pipes_devices_and_names_too_long(self):
        os.mkfifo(self.folder / "pipe.kcj")
        (self.folder / "zero.kcj").symlink_to("/dev/zero")
        self.refused(self.folder / "pipe.kcj", "a device or a pipe")
        self.refused(self.folder / "zero.kcj", "a device or a pipe")
        self.refused(self.folder / ("n" * 300 + ".kcj"), "cannot be read")
        os.mkfifo(self.folder / "pipe.stl")
        status, _, error = called("new", self.folder / "pipe.stl", "-o", self.folder / "b.kcj")
        self.assertEqual((status, len(error.splitlines())), (2, 1))

    def test_what_is_written_to_is_a_file(self):
        real, link = self.folder / "real.kcj", self.folder / "link.kcj"
        save_job(mug_job(), real)
        link.symlink_to(real)
        self.assertEqual(called("set", self.whole, "name=Linked", "-o", link)[0], 0)
        self.assertTrue(link.is_symlink())
        self.assertEqual(open_job(real).name, "Linked")
        (self.folder / "null.stl").symlink_to("/dev/null")
        os.mkfifo(self.folder / "out.stl")
        for target in (
            self.folder / "null.stl",
            self.folder / "out.stl",
            self.folder / ("n" * 300 + ".stl"),
        ):
            status, _, error = called("mesh", self.whole, "-o", target)
            self.assertEqual((status, len(error.splitlines())), (2, 1), error)
        for size in ("²x²", "9999999x9"):
            self.assertEqual(
                called("picture", self.whole, "-o", self.folder / "a.png", "--size", size)[0], 2
            )

    def test_a_write_that_is_killed_leaves_the_old_file(self):
        program = "import sys; from fuzz import kills; sys.exit(kills.run(40, 5))"
        ended = subprocess.run([sys.executable, "-c", program], capture_output=True, text=True, check=False)
        self.assertEqual(ended.returncode, 0, ended.stdout + ended.stderr)
        written = int(ended.stdout.split(" files written")[0].split(", ")[-1])
        self.assertGreater(written, 20)  # it was ended while it wrote, not before

    def test_what_a_killed_write_left_goes_with_the_next_after_an_hour(self):
        target = self.folder / "a.kcj"
        old, young, other = (self.folder / name for name in (".a.kcj.part-1", ".a.kcj.part-2", ".b"))
        for path in (old, young, other):
            path.write_bytes(b"half")
        os.utime(old, (time.time() - 4000,) * 2)
        os.utime(other, (time.time() - 4000,) * 2)
        write_whole(target, b"whole")
        self.assertEqual([path.exists() for path in (old, young, other)], [False, True, True])
        self.assertEqual(target.read_bytes(), b"whole")


class Fonts(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        state = str(self.folder / "state")
        self.enterContext(mock.patch.dict(os.environ, {"XDG_STATE_HOME": state}))

    def test_a_saved_job_names_no_folder_and_finds_its_font_again(self):
        mine = self.folder / "mine" / "Script.ttf"
        mine.parent.mkdir()
        mine.write_bytes(FONT.read_bytes())
        job = change(mug_job("Tarn"), ("letterings", 0, "content", "face"), file_face(mine))
        path = self.folder / "a.kcj"
        save_job(job, path)
        with zipfile.ZipFile(path) as archive:
            self.assertNotIn(str(self.folder), archive.read("job.json").decode())
        self.assertEqual(open_job(path).letterings[0].content.face.path, str(mine))
        mine.unlink()
        lost = open_job(path).letterings[0].content.face
        with self.assertRaisesRegex(KilnError, "not on this machine"):
            load_face(lost)

    def test_a_foreign_job_makes_nothing_else_be_read(self):
        secret = self.folder / "secret.ttf"
        secret.write_bytes(b"not for others")
        self.assertIsNone(place_of("0" * 64, str(secret)))
        self.assertIsNone(place_of("0" * 64, "/dev/zero"))
        remember_place("0" * 64, secret)  # changed since
        self.assertIsNone(place_of("0" * 64))

    def test_a_font_with_a_false_size_and_one_that_is_none(self):
        woff = bytearray(samples()[".woff"])
        woff[16:20] = (0x7FFFFFFF).to_bytes(4, "big")
        for name, data in (
            ("a.woff", bytes(woff)),
            ("b.ttf", b"OTTO" + bytes(50)),
            ("c.otf", FONT.read_bytes()[:900]),
        ):
            (self.folder / name).write_bytes(data)
            with self.assertRaises(KilnError) as caught:
                file_face(self.folder / name)
            self.assertIsNone(fuzz.INNARDS.search(str(caught.exception)))


class Drawings(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def drawn(self, name, data):
        path = self.folder / name
        path.write_bytes(data if isinstance(data, bytes) else data.encode())
        return outline_of_content(content_of_file(path))

    def refused(self, name, data, words):
        begun = time.monotonic()
        with self.assertRaisesRegex(KilnError, words) as caught:
            self.drawn(name, data)
        self.assertIsNone(fuzz.INNARDS.search(str(caught.exception)))
        self.assertLess(time.monotonic() - begun, 60)

    def test_thousands_of_rings_by_the_even_odd_rule(self):
        rows = [
            f"0\nCIRCLE\n8\n0\n10\n{3 * (n % 70)}.0\n20\n{3 * (n // 70)}.0\n40\n1.0\n" for n in range(5000)
        ]
        text = "0\nSECTION\n2\nENTITIES\n" + "".join(rows) + "0\nENDSEC\n0\nEOF\n"
        begun = time.monotonic()
        ink = self.drawn("a.dxf", text).ink
        self.assertLess(time.monotonic() - begun, 20)
        self.assertEqual(len(ink.geoms), 5000)
        self.assertAlmostEqual(ink.area, 5000 * np.pi, delta=5000 * np.pi * 1e-2)

    def test_measures_that_are_none(self):
        for radius in ("1e308", "nan", "-5.0"):
            circle = (
                f"0\nSECTION\n2\nENTITIES\n0\nCIRCLE\n8\n0\n10\n0\n20\n0\n40\n{radius}\n0\nENDSEC\n0\nEOF\n"
            )
            with self.subTest(radius):
                try:
                    ink = self.drawn("a.dxf", circle).ink
                    self.assertTrue(np.isfinite(ink.area))
                except KilnError as error:
                    self.assertIsNone(fuzz.INNARDS.search(str(error)))

    def test_what_multiplies_without_end(self):
        uses = "".join(f'<g id="g{n}">' + f'<use href="#g{n - 1}"/>' * 10 + "</g>" for n in range(1, 9))
        svg = f'<svg xmlns="http://www.w3.org/2000/svg"><g id="g0"><path d="M0 0H1V1Z"/></g>{uses}</svg>'
        with mock.patch.object(gate, "ORDINARY", gate.Limits(4.0, 800 * gate.MB)):
            self.refused("a.svg", svg, "given up|memory|more than")
        entities = '<!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><svg>&b;</svg>'
        self.refused("b.svg", entities, "entities")

    def test_postscript_under_a_picture_s_name_runs_nothing(self):
        for name in ("a.png", "a.jpg"):
            self.refused(
                name, b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 9 9\n(x) print\n", "not a picture"
            )

    def test_a_picture_of_more_pixels_than_can_be_taken(self):
        buffer = io.BytesIO()
        Image.new("1", (20_000, 9_000)).save(buffer, "PNG")
        self.refused("a.png", buffer.getvalue(), "at most 120 million")


class Meshes(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_any_size_makes_a_job(self):
        flat = trimesh.Trimesh([[0, 0, 0], [100, 0, 0], [100, 50, 0], [0, 50, 0]], [[0, 1, 2], [0, 2, 3]])
        for name, mesh in (
            ("tiny.stl", trimesh.creation.box((1e-3,) * 3)),
            ("building.stl", trimesh.creation.box((90_000, 60_000, 30_000))),
            ("in-mm.glb", trimesh.creation.icosphere(2, 20.0)),
            ("flat.stl", flat),
        ):
            mesh.export(self.folder / name)
            status, _, error = called("new", self.folder / name, "-o", self.folder / "a.kcj")
            self.assertEqual(status, 0, f"{name}: {error}")
            self.assertGreaterEqual(
                open_job(self.folder / "a.kcj").letterings[0].content.cap_height_mm, 0.2
            )

    def test_what_is_no_mesh(self):
        head = "ply\nformat ascii 1.0\nelement vertex 3\n"
        head += "".join(f"property float {axis}\n" for axis in "xyz")
        tail = "element face 1\nproperty list uchar int vertex_indices\nend_header\n"
        tail += "0 0 0\n1 0 0\n0 1 0\n3 0 1 99\n"
        for name, data in (
            ("a.ply", head + tail),
            ("b.stl", "solid x\nendsolid x\n"),
            ("c.obj", "f 1 2 3\n"),
            ("d.off", "OFF\n3 1 0\n0 0 0\n1e300 0 0\n0 1 0\n3 0 1 2\n"),
        ):
            (self.folder / name).write_text(data)
            status, _, error = called("new", self.folder / name, "-o", self.folder / "a.kcj")
            with self.subTest(name):
                self.assertEqual((status, len(error.strip().splitlines())), (2, 1), error)
                self.assertIsNone(fuzz.INNARDS.search(error))

    def test_a_face_of_thousands_of_corners(self):
        angle = np.linspace(0, 2 * np.pi, 9000, endpoint=False)
        rows = [f"v {50 * np.cos(a):.4f} {50 * np.sin(a):.4f} 0" for a in angle]
        (self.folder / "a.obj").write_text("\n".join([*rows, "f " + " ".join(map(str, range(1, 9001)))]))
        status, _, error = called("new", self.folder / "a.obj", "-o", self.folder / "a.kcj")
        self.assertEqual(status, 2)
        self.assertIn("meet at one point", error)


class AnyDamage(unittest.TestCase):
    def test_some_of_everything(self):
        said = []
        self.assertEqual(fuzz.run(0.0, 7, said.append, files=60, jobs=5), 0, "\n".join(said))
        whole, jobs = (int(row.split()[1]) for row in (said[-1], next(s for s in said if "job" in s)))
        self.assertGreater(whole, jobs)
        self.assertGreater(jobs, 0)

    def test_a_failure_is_made_small_and_told(self):
        said = []

        def take(path):
            if path.suffix == ".svg" and b"circle" not in path.read_bytes():
                raise ZeroDivisionError("no circle")

        drawings = {".svg": samples()[".svg"]}
        with mock.patch("fuzz.files.take", take), mock.patch("fuzz.files.samples", lambda: drawings):
            self.assertGreater(fuzz.run(1e9, 1, said.append, files=300, jobs=0), 0)
        (fault,) = [line for line in said if "no circle" in line]
        self.assertEqual(fault.count("Blow("), 1, fault)
