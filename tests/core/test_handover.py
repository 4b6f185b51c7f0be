import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np
from PIL import Image

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.meshes import write_mesh
from kilnchisel.core.handover.pictures import PictureOrder, make_picture, parse_size, write_picture
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.file import save_job
from kilnchisel.core.paths import RESOURCES
from tests.commands import called
from tests.samples import mug_job, plaque_job


class Pictures(unittest.TestCase):
    def test_sizes(self):
        self.assertEqual(parse_size("1600x1000"), (1600, 1000))
        self.assertEqual(parse_size(" 640 × 480 "), (640, 480))
        for text in ("1600", "axb", "0x0", "20000x10", "9000x9000", "-5x7"):
            with self.assertRaises(KilnError):
                parse_size(text)

    def test_any_size_and_marked_as_srgb(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for size in ((123, 77), (64, 200)):
            pixels = make_picture(mug_job(), PictureOrder(size, draft=True))
            write_picture(pixels, folder / "a.png", "Test mug")
            with Image.open(folder / "a.png") as image:
                self.assertEqual(image.size, size)
                self.assertIn("icc_profile", image.info)
                np.testing.assert_array_equal(np.array(image), pixels)

    def test_a_stopped_picture_is_none(self):
        self.assertIsNone(make_picture(mug_job(), PictureOrder((64, 48), 4), stop=lambda: True))


class CommandLine(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.job = self.folder / "a.kcj"
        save_job(mug_job("TARNLIGHT"), self.job)

    def test_picture_draft_mockup_and_square_on(self):
        for number, extra in enumerate((["--draft"], ["--samples", "2"], ["--draft", "--square-on", "1"])):
            target = self.folder / f"{number}.png"
            status, _, err = called("picture", self.job, "-o", target, "--size", "90x70", *extra)
            self.assertEqual((status, err), (0, ""))
            with Image.open(target) as image:
                self.assertEqual(image.size, (90, 70))

    def test_measure(self):
        status, out, _ = called("measure", self.job, "--json")
        data = json.loads(out)
        self.assertEqual(status, 0)
        self.assertEqual(data["letterings"][0]["text"], "TARNLIGHT")
        self.assertAlmostEqual(data["letterings"][0]["readings"]["cap_height_mm"], 9.2)
        _, out, _ = called("measure", self.job)
        self.assertIn("Capital height", out)

    def test_mesh_and_schema(self):
        for ending in ("stl", "obj", "glb"):
            target = self.folder / f"a.{ending}"
            self.assertEqual(called("mesh", self.job, "-o", target)[0], 0)
            self.assertGreater(target.stat().st_size, 10_000)
        _, out, _ = called("schema")
        self.assertEqual(json.loads(out)["properties"]["format"]["const"], "kilnchisel job")

    def test_glass_is_clear_in_the_file(self):
        import pygltflib

        target = self.folder / "clear.glb"
        write_mesh(change(plaque_job("I"), ("finish",), {"kind": "glass"}), target)
        materials = pygltflib.GLTF2().load(str(target)).materials
        clear = {
            m.name: m.pbrMetallicRoughness.baseColorFactor[3] for m in materials if m.alphaMode == "BLEND"
        }
        self.assertLess(clear["front"], 0.5)
        self.assertNotIn("edge", clear)

    def test_outlines_and_fonts(self):
        for ending, extra in (("svg", ()), ("dxf", ("--letters",)), ("svg", ("--lettering", "1"))):
            target = self.folder / f"flat.{ending}"
            self.assertEqual(called("outline", self.job, "-o", target, *extra)[0], 0)
            self.assertGreater(target.stat().st_size, 1000)
            target.unlink()
        status, out, _ = called("fonts", RESOURCES / "fonts" / "pacifico", "--json")
        self.assertEqual((status, json.loads(out)[0]["family"]), (0, "Pacifico"))

    def test_bad_input_is_one_sentence_and_no_file(self):
        broken = self.folder / "broken.kcj"
        broken.write_bytes(self.job.read_bytes()[:200])
        out = self.folder / "out.png"
        gone = self.folder / "gone"
        cases = (
            ("picture", self.folder / "none.kcj", "-o", out),
            ("picture", broken, "-o", out),
            ("picture", self.job, "-o", self.folder / "out.gif"),
            ("picture", self.job, "-o", gone / "a.png"),
            ("picture", self.job, "-o", out, "--size", "9"),
            ("picture", self.job, "-o", out, "--samples", "0"),
            ("picture", self.job, "-o", out, "--draft", "--square-on", "7"),
            ("picture", self.job),
            ("mesh", self.job, "-o", self.folder / "a.step"),
            ("mesh", self.folder, "-o", self.folder / "a.stl"),
            ("outline", self.job, "-o", self.folder / "a.eps"),
            ("outline", self.job, "-o", self.folder / "a.svg", "--lettering", "9"),
            ("fonts", gone),
            ("measure", broken),
            ("measure",),
            (self.folder / "none.kcj",),
            ("--nonsense",),
        )
        before = sorted(self.folder.iterdir())
        for arguments in cases:
            with self.subTest(arguments[:1]):
                status, said, err = called(*arguments)
                self.assertEqual((status, said), (2, ""))
                self.assertEqual(len(err.strip().splitlines()), 1, err)
                self.assertNotIn("Traceback", err)
        self.assertEqual(sorted(self.folder.iterdir()), before)

    def test_the_installed_entry_point_in_a_process_of_its_own(self):
        result = subprocess.run(
            [sys.executable, "-m", "kilnchisel", "measure", str(self.job), "--json"],
            capture_output=True,
            text=True,
            check=True,
        )
        self.assertIn("TARNLIGHT", result.stdout)
        environment = {
            k: v
            for k, v in os.environ.items()
            if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
        }
        result = subprocess.run(
            [sys.executable, "-m", "kilnchisel", str(self.job)],
            capture_output=True,
            text=True,
            env=environment,
            check=False,
        )
        self.assertEqual(result.returncode, 2)
        self.assertIn("no display", result.stderr)


class Meshes(unittest.TestCase):
    def test_same_job_same_bytes(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for ending in (".stl", ".obj"):
            for name in ("a", "b"):
                write_mesh(plaque_job("SAME"), folder / (name + ending))
            self.assertEqual((folder / ("a" + ending)).read_bytes(), (folder / ("b" + ending)).read_bytes())
