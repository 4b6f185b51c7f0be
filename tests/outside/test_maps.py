"""Map sets: colours, heights and normals against what was crafted, read back by other libraries (OpenCV,
tifffile, OpenEXR, pygltflib), and drawn on the plain blank they give its picture back."""

import json
import math
import tempfile
import unittest
import zipfile
from dataclasses import replace
from pathlib import Path
from unittest import mock

import cv2
import numpy as np
import OpenEXR
import pygltflib
import shapely
import tifffile

from kilnchisel.core.build import lettering_laid, scene_of_job, view_of
from kilnchisel.core.colour import hex_to_linear, srgb_decode
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.material import Material, Texture
from kilnchisel.core.handover.atlas import atlas_of
from kilnchisel.core.handover.mapfiles import FORMS, MapOrder, map_files
from kilnchisel.core.handover.sidemaps import bakings_of, without_maps
from kilnchisel.core.handover.texturedmesh import textured_glb, textured_parts
from kilnchisel.core.handover.usdz import textured_usdz
from kilnchisel.core.job.blank import Mug
from kilnchisel.core.job.crafts import Engraved, Printed, Raised
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.finish import Enamel, Gold, Ink, Wear
from kilnchisel.core.job.fresh import fresh_job, job_on
from kilnchisel.core.picture.gutters import GUTTER
from tests.samples import the_draft


def plaque(craft, text="IT", **finish):
    job = change(fresh_job("plaque", text), ("wear",), Wear(handled=0.0))
    job = change(job, ("finish",), Enamel(colour="#e0d8c0"))
    job = change(job, ("letterings", 0, "finish"), Ink(colour="#204060", **finish))
    return change(job, ("letterings", 0, "craft"), craft)


def front(job, longest=1500, **how):
    return next(b for b in bakings_of(job) if b.name == "front").maps(longest, **how)


class Texels(unittest.TestCase):
    def test_letters_and_ground_have_their_colours_where_they_are(self):
        job = plaque(Printed())
        maps = front(job, 3000)
        ink = lettering_laid(job, 0).ink
        (baking,) = (b for b in bakings_of(job) if b.name == "front")
        of_letters = np.isin(maps.part, [k for k, p in enumerate(baking.parts) if p.lettering == 0])
        self.assertAlmostEqual(of_letters.sum() * maps.step**2 / ink.area, 1, delta=0.01)
        colour = maps.colour[of_letters].astype(float)
        np.testing.assert_allclose(colour.mean(axis=0), hex_to_linear("#204060"), rtol=0.02, atol=2e-3)
        # enamel is a little uneven in colour: 0.6 % by its own texture
        ground = maps.colour[(maps.part >= 0) & ~of_letters].astype(float)
        np.testing.assert_allclose(ground.mean(axis=0), hex_to_linear("#e0d8c0"), rtol=0.02)
        # and they are at the right texels: the middle of the first letter's box, row 0 being the highest
        rows, columns = np.nonzero(of_letters)
        left, _, _, high = ink.bounds
        self.assertAlmostEqual(maps.corner[0] + columns.min() * maps.step, left, delta=2 * maps.step)
        top = maps.corner[1] + (maps.shape[0] - rows.min()) * maps.step
        self.assertAlmostEqual(top, high, delta=2 * maps.step)

    def test_a_known_bevel_has_known_texels(self):
        # letters 2 mm high whose flanks lean 45° from upright: 2 mm of slope all round, elementary geometry
        job = plaque(Raised(height_mm=2.0, edge="sloped", slope_deg=45.0), "I")
        job = change(job, ("letterings", 0, "content", "cap_height_mm"), 60.0)
        maps = front(job, 3000)
        ink = lettering_laid(job, 0).ink
        # the edge of the top is eased for pictures, by hundredths of a mm
        self.assertAlmostEqual(float(maps.height.max()), 2.0, delta=0.01)
        top = (maps.height > 1.97).sum() * maps.step**2
        self.assertAlmostEqual(
            top, shapely.buffer(ink, -2.0, join_style="mitre").area, delta=0.02 * ink.area
        )
        slope = (maps.height > 0.4) & (maps.height < 1.6)
        tilt = maps.normal[slope][:, 2] / 32767
        self.assertAlmostEqual(float(np.median(tilt)), math.cos(math.pi / 4), delta=0.002)

    def test_normals_integrate_to_the_height(self):
        job = plaque(Raised(height_mm=2.0, edge="sloped", slope_deg=45.0), "I")
        maps = front(job, 3000)
        normal = maps.normal.astype(float) / 32767
        along = -normal[..., 0] / np.maximum(normal[..., 2], 1e-6)
        row = maps.shape[0] // 2  # through the middle of an upright stroke
        heights = maps.height[row].astype(float)
        up = np.flatnonzero((heights > 0.02) & (np.gradient(heights) > 1e-6))
        risen = (along[row, up] * maps.step).sum()
        self.assertAlmostEqual(risen / (heights[up[-1]] - heights[up[0]] + maps.step), 1, delta=0.02)
        # row by row over all flanks: what normals say is the slope of the heights, within 1 %
        slope = (maps.height > 0.3) & (maps.height < 1.7)
        measured = np.gradient(maps.height.astype(float), maps.step, axis=1)
        steep = slope & (np.abs(along) > 0.5) & (np.abs(measured) > 0.5)
        share = along[steep] / measured[steep]
        self.assertAlmostEqual(float(np.median(share)), 1, delta=0.01)

    def test_green_is_up_or_down_as_is_asked(self):
        job = plaque(Raised(height_mm=2.0, edge="sloped", slope_deg=45.0), "I")
        files, _ = map_files(job, MapOrder("1k", "png16", "both"))
        plus, minus = (
            cv2.imdecode(np.frombuffer(files[name], np.uint8), cv2.IMREAD_UNCHANGED)[..., 1].astype(float)
            for name in ("maps-front-normal.png", "maps-front-normal-minus-y.png")
        )
        self.assertLess(float(np.abs(plus + minus - 65535).max()), 2)
        self.assertGreater(float(np.abs(plus - minus).max()), 20000)
        # the upper flank of a letter leans up: green is high there with +Y
        letter = cv2.imdecode(np.frombuffer(files["maps-front-height.png"], np.uint8), cv2.IMREAD_UNCHANGED)
        first = int(np.flatnonzero((letter > 20000).any(axis=1))[0])
        column = int(np.flatnonzero(letter[first] > 20000).mean())
        self.assertGreater(plus[first, column], 50000)

    def test_wear_and_what_darkens_is_in_them(self):
        plain = plaque(Engraved(depth_mm=0.5, darkened=0.0))
        dark = change(plain, ("letterings", 0, "craft", "darkened"), 80.0)
        shade = [front(job, 600).colour.astype(float).mean() for job in (plain, dark)]
        self.assertLess(shade[1], shade[0])
        worn = change(plain, ("wear",), Wear(rubbed=60.0, dirt=60.0))
        off = np.abs(front(worn, 600).colour.astype(float) - front(plain, 600).colour.astype(float))
        self.assertGreater(float(off.max()), 0.1)

    def test_what_shines_is_in_the_emission(self):
        lit = plaque(Engraved(depth_mm=0.5, glow=60.0))
        self.assertIsNone(front(plaque(Engraved(depth_mm=0.5)), 300).emission)
        self.assertGreater(float(front(lit, 300).emission.max()), 0.1)
        files, _ = map_files(lit, MapOrder("1k"))
        self.assertIn("maps-front-emission.png", files)

    def test_a_closed_side_is_whole_where_it_comes_round(self):
        job = job_on(Mug(), "Mug", "ALL THE WAY ROUND IT GOES")
        job = change(job, ("letterings", 0, "lay", "along_mm"), 125.0)
        (baking,) = (b for b in bakings_of(job) if b.name == "outside")
        maps = baking.maps(1200)
        self.assertEqual(int((maps.part < 0).sum()), 0)
        first, last = maps.colour[:, 0].astype(float), maps.colour[:, -1].astype(float)
        self.assertLess(float(np.abs(first - last).mean()), 0.02)


class OnTheBlank(unittest.TestCase):
    def test_maps_give_the_picture_back(self):
        """The maps as a texture of the plain blank's front, drawn beside the crafted piece."""
        job = plaque(Printed(), "MAPS")
        bare = job.model_copy(update={"letterings": ()})
        maps = front(job, 2048)
        scene, plain = scene_of_job(job), scene_of_job(bare)
        tile = max(job.blank.width_mm, job.blank.height_mm)
        pixels = 2048
        at = (np.arange(pixels) + 0.5) / pixels * tile
        column = np.floor(((at + tile / 2) % tile - tile / 2 - maps.corner[0]) / maps.step).astype(int)
        row = np.floor(((at + tile / 2) % tile - tile / 2 - maps.corner[1]) / maps.step).astype(int)
        rows, columns = maps.shape
        row, column = np.clip(rows - 1 - row, 0, rows - 1), np.clip(column, 0, columns - 1)
        tint = maps.colour[np.ix_(row, column)].astype(np.float32)
        normal = maps.normal[np.ix_(row, column)].astype(np.float32)
        slope = -normal[..., :2] / np.maximum(normal[..., 2:], 1)
        front_item = next(item for item in plain.items if item.side == "front")
        alpha = front_item.material.alpha
        textured = Material("coated", (1.0, 1.0, 1.0), alpha, Texture(tile, tint, slope))
        items = tuple(
            replace(item, material=textured) if item is front_item else item for item in plain.items
        )
        made = replace(plain, items=items)
        view = view_of(job, 4 / 3)
        draft = the_draft()
        wanted = draft.render(scene, view, (480, 360))[..., :3].astype(float)
        got = draft.render(made, view, (480, 360))[..., :3].astype(float)
        without = draft.render(plain, view, (480, 360))[..., :3].astype(float)
        off, before = np.abs(wanted - got), np.abs(wanted - without)
        self.assertLess(off.mean(), 0.15 * before.mean() + 0.3)
        self.assertLess(float(np.percentile(off, 99)), 12)


class Files(unittest.TestCase):
    def test_every_form_is_read_back_by_another_library(self):
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        light = np.random.default_rng(3).uniform(0, 1, (40, 60, 3)).astype(np.float16)
        height = np.linspace(0, 1, 2400, dtype=np.float32).reshape(40, 60)
        for name, form in FORMS.items():
            colour = form.write((40, 60), lambda at: light[at], light=True, deep=False)
            deep = form.write((40, 60), lambda at: height[at], light=False, deep=True)
            with self.subTest(form=name):
                if form.ending == ".png":
                    back = cv2.imdecode(np.frombuffer(colour, np.uint8), cv2.IMREAD_UNCHANGED)[..., ::-1]
                    self.assertEqual(back.dtype, np.uint8 if name == "png" else np.uint16)
                    read = srgb_decode(back / np.iinfo(back.dtype).max)
                    values = cv2.imdecode(np.frombuffer(deep, np.uint8), cv2.IMREAD_UNCHANGED) / 65535
                elif form.ending == ".tif":
                    (folder / "a.tif").write_bytes(deep)
                    (folder / "b.tif").write_bytes(colour)
                    values = tifffile.imread(folder / "a.tif") / 65535
                    read = srgb_decode(tifffile.imread(folder / "b.tif") / 65535)
                else:
                    (folder / "a.exr").write_bytes(deep)
                    (folder / "b.exr").write_bytes(colour)
                    values = OpenEXR.File(str(folder / "a.exr")).channels()["Y"].pixels.astype(float)
                    read = OpenEXR.File(str(folder / "b.exr")).channels()["RGB"].pixels.astype(float)
                np.testing.assert_allclose(read, light.astype(float), atol=0.01 if name == "png" else 1e-3)
                np.testing.assert_allclose(values, height, atol=1e-3 if name == "exr" else 2e-5)

    def test_the_list_says_what_is_in_the_files(self):
        job = plaque(Raised(height_mm=1.0))
        files, words = map_files(job, MapOrder("1k"))
        listed = json.loads(files["maps.json"])["sides"]
        sheet = next(one for one in listed if one["side"] == "front")
        self.assertEqual(max(sheet["texels"]), 1024)
        self.assertAlmostEqual(sheet["texels"][0] * sheet["mm_a_texel"], sheet["width_mm"], delta=0.1)
        self.assertAlmostEqual(sheet["height_to_mm"], 1.0, delta=0.01)
        self.assertIn("height 0 to ", words)
        self.assertEqual({name for one in listed for name in one["files"]} | {"maps.json"}, set(files))

    def test_an_atlas_bleeds_over_no_seam(self):
        job = change(plaque(Printed()), ("letterings", 0, "lay", "both"), True)
        bakings = bakings_of(job)
        atlas = atlas_of(bakings, 1024)
        self.assertEqual(set(atlas.places), {one.name for one in bakings})
        taken = np.zeros((1024, 1024), int)
        for left, top, columns, rows in atlas.places.values():
            self.assertTrue(left >= GUTTER and left + columns + GUTTER <= 1024)
            taken[top - GUTTER : top + rows + GUTTER, left - GUTTER : left + columns + GUTTER] += 1
        self.assertEqual(taken.max(), 1)
        for left, top, columns, rows in atlas.places.values():
            # halved three times, a texel of the rim is of nothing but the rim and what goes on from it
            for name in ("colour", "roughness"):
                values = getattr(atlas.maps, name).astype(float)
                values = values if values.ndim == 3 else values[..., None] / 255
                middle = top + rows // 2
                rim, beyond = values[middle, left], values[middle, left - GUTTER]
                self.assertLess(float(np.abs(rim - beyond).max()), 1 / 255)
                rim, beyond = (
                    values[middle, left + columns - 1],
                    values[middle, left + columns + GUTTER - 1],
                )
                self.assertLess(float(np.abs(rim - beyond).max()), 1 / 255)
        files, words = map_files(job, MapOrder("1k", atlas=True))
        told = json.loads(files["maps.json"])["atlas"]
        self.assertEqual(set(told["files"]) | {"maps.json"}, set(files))
        self.assertIn("2 sides on one sheet of 1024", words)
        mask = cv2.imdecode(
            np.frombuffer(files["maps-atlas-mask-1-it.png"], np.uint8), cv2.IMREAD_UNCHANGED
        )
        ink = 2 * lettering_laid(job, 0).ink.area
        self.assertAlmostEqual(mask.sum() / 255 * told["mm_a_texel"] ** 2 / ink, 1, delta=0.02)

    def test_masks_are_of_their_letterings_alone(self):
        job = plaque(Printed())
        files, _ = map_files(job, MapOrder("1k"))
        mask = cv2.imdecode(
            np.frombuffer(files["maps-front-mask-1-it.png"], np.uint8), cv2.IMREAD_UNCHANGED
        )
        side = bakings_of(job)[0].box
        step = (side[2] - side[0]) / 1024
        self.assertAlmostEqual(mask.sum() / 255 * step**2 / lettering_laid(job, 0).ink.area, 1, delta=0.005)
        self.assertGreater(len(np.unique(mask)), 2)  # its edges are smooth

    def test_the_textured_solid_has_its_textures_in_it(self):
        job = plaque(Engraved(depth_mm=0.5))
        data = textured_glb(textured_parts(job, 512))
        made = pygltflib.GLTF2.load_from_bytes(data)
        material = next(m for m in made.materials if m.name == "front")
        self.assertIsNotNone(material.pbrMetallicRoughness.baseColorTexture)
        self.assertIsNotNone(material.pbrMetallicRoughness.metallicRoughnessTexture)
        self.assertIsNotNone(material.normalTexture)
        view = made.bufferViews[
            made.images[material.pbrMetallicRoughness.baseColorTexture.index].bufferView
        ]
        blob = made.binary_blob()[view.byteOffset or 0 :][: view.byteLength]
        picture = cv2.imdecode(np.frombuffer(blob, np.uint8), cv2.IMREAD_UNCHANGED)
        self.assertEqual(max(picture.shape[:2]), 512)
        places = [made.accessors[p.attributes.POSITION] for mesh in made.meshes for p in mesh.primitives]
        spans = [np.subtract(a.max, a.min) for a in places]
        widest = max(float(s[0]) for s in spans)
        self.assertAlmostEqual(widest, job.blank.width_mm / 1000, delta=0.003)  # metres

    def test_a_number_plate_that_is_of_no_side_has_its_letters(self):
        job = change(fresh_job("box truck", "TARN"), ("plates", "registration"), "L")
        (plate,) = (part for part in textured_parts(job, 64) if part.name == "plate")
        picture = np.asarray(plate.textures.colour).astype(float).mean(axis=2)
        dark = np.argwhere(picture < 100)
        (top, left), (foot, right) = dark.min(axis=0), dark.max(axis=0)
        ink = picture[top : foot + 1, left : right + 1] < 100
        self.assertGreater(ink[-len(ink) // 8 :].mean(), 0.95)
        self.assertGreater(ink[:, : ink.shape[1] // 8].mean(), 0.95)
        self.assertLess(ink[: len(ink) // 2, ink.shape[1] // 2 :].mean(), 0.05)
        # seen from behind the truck, that looks along -x, right is +y
        face = plate.mesh.normals[:, 0] > 0.9
        self.assertGreater(np.corrcoef(plate.mesh.points[face, 1], plate.uv[face, 0])[0, 1], 0.99)
        self.assertGreater(np.corrcoef(plate.mesh.points[face, 2], plate.uv[face, 1])[0, 1], 0.99)

    def test_the_package_is_read_by_the_library_of_the_format(self):
        from pxr import Usd, UsdGeom, UsdShade, UsdValidation

        job = plaque(Engraved(depth_mm=0.5))
        parts = textured_parts(job, 256)
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path = folder / "piece.usdz"
        path.write_bytes(textured_usdz("Ångström & 8 %", parts))
        with zipfile.ZipFile(path) as package:  # stored, each file begun at a multiple of 64 bytes
            data = path.read_bytes()
            for one in package.infolist():
                name, extra = (
                    int.from_bytes(data[one.header_offset + k :][:2], "little") for k in (26, 28)
                )
                self.assertEqual((one.compress_type, (one.header_offset + 30 + name + extra) % 64), (0, 0))
            pictures = {
                n: cv2.imdecode(np.frombuffer(package.read(n), np.uint8), 1) for n in package.namelist()[1:]
            }
        self.assertEqual({max(one.shape[:2]) for one in pictures.values()}, {256})
        stage = Usd.Stage.Open(str(path))
        self.assertEqual(UsdGeom.GetStageMetersPerUnit(stage), 1.0)
        self.assertEqual(UsdGeom.GetStageUpAxis(stage), "Y")
        meshes = [UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
        self.assertEqual(len(meshes), len(parts))
        for mesh, part in zip(meshes, parts, strict=True):
            points = np.array(mesh.GetPointsAttr().Get())
            np.testing.assert_allclose(points, part.points_m, atol=1e-6)
            self.assertEqual(len(mesh.GetFaceVertexIndicesAttr().Get()), 3 * len(part.mesh.faces))
            bound, _ = UsdShade.MaterialBindingAPI(mesh).ComputeBoundMaterial()
            surface = bound.ComputeSurfaceSource()[0]
            wired = {one.GetBaseName() for one in surface.GetInputs() if one.HasConnectedSource()}
            textured = {"diffuseColor", "roughness", "metallic", "normal"}
            self.assertEqual(wired, set() if part.textures is None else textured)
        registry = UsdValidation.ValidationRegistry()
        found = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators()).Validate(stage)
        told = [
            one.GetMessage() for one in found if one.GetType() == UsdValidation.ValidationErrorType.Error
        ]
        self.assertEqual(told, [])

    def test_textures_are_those_of_the_scene_though_nothing_is_remembered(self):
        job = plaque(Printed())
        with mock.patch("kilnchisel.core.handover.texturedmesh.scene_of_job") as made:
            made.side_effect = lambda job: replace(scene_of_job(job))  # another one each time
            self.assertGreater(len(textured_glb(textured_parts(job, 64))), 1000)

    def test_what_cannot_be_is_refused_in_a_sentence(self):
        job = plaque(Printed())
        for order in (MapOrder("3k"), MapOrder("1k", "bmp"), MapOrder("1k", "png", "up")):
            with self.assertRaisesRegex(KilnError, "of maps; there is"):
                map_files(job, order)
        self.assertEqual(without_maps(job), "")
        self.assertEqual(map_files(job, MapOrder("1k"), stop=lambda: True), ({}, ""))

    def test_metal_is_metal(self):
        job = change(plaque(Printed()), ("finish",), Gold())
        maps = front(job, 300)
        self.assertEqual(int(np.median(maps.metal)), 255)


if __name__ == "__main__":
    unittest.main()
