"""USDZ: a textured piece for those who show it in a room through a telephone, or render it elsewhere.

Metres, y up. Materials are UsdPreviewSurface (the USD specification of preview surfaces), their textures
beside the stage in one package; a normal's texels go from 0..1 to -1..1 by scale and bias, as that has it.
"""

from __future__ import annotations

import re
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.meshes import GLASS_SHOWS
from kilnchisel.core.handover.texturedmesh import TexturedPart, Textures

ROOT = "/piece"


def textured_usdz(title: str, parts: list[TexturedPart]) -> bytes:
    """Parts as one package. Raises KilnError where it cannot be written."""
    from pxr import Kind, Sdf, Usd, UsdGeom, UsdShade, UsdUtils

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        stage = Usd.Stage.CreateNew(str(folder / "piece.usdc"))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        root = UsdGeom.Xform.Define(stage, ROOT)
        root.GetPrim().SetDisplayName(title)
        Usd.ModelAPI(root).SetKind(Kind.Tokens.component)
        stage.SetDefaultPrim(root.GetPrim())
        names = _named([part.name for part in parts])
        materials: dict[int, Any] = {}
        for part, called in zip(parts, names, strict=True):
            mesh = _mesh(stage, f"{ROOT}/{called}", part)
            key = id(part) if part.textures is None else id(part.textures)
            if key not in materials:
                path = f"{ROOT}/materials/{called}"
                materials[key] = _material(stage, path, part, folder)
            UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(materials[key])
        stage.GetRootLayer().Save()
        package = folder / "piece.usdz"
        if not UsdUtils.CreateNewUsdzPackage(Sdf.AssetPath(str(folder / "piece.usdc")), str(package)):
            raise KilnError("The USDZ package cannot be written; is there room on the disk?")
        return package.read_bytes()


def _named(names: list[str]) -> list[str]:
    """Names as the format has them: letters, digits and underscores, each once."""
    found: list[str] = []
    for name in names:
        plain = re.sub(r"[^A-Za-z0-9]+", "_", name).strip("_") or "part"
        plain = plain if plain[0].isalpha() else f"part_{plain}"
        number, one = 1, plain
        while one in found or one == "materials":
            number += 1
            one = f"{plain}_{number}"
        found.append(one)
    return found


def _mesh(stage: Any, path: str, part: TexturedPart) -> Any:
    from pxr import Sdf, UsdGeom, Vt

    mesh = UsdGeom.Mesh.Define(stage, path)
    points = part.points_m.astype(np.float32)
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(points))
    faces = part.mesh.faces.astype(np.int32)
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(faces), 3, np.int32)))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(faces.ravel()))
    mesh.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(part.normals.astype(np.float32)))
    mesh.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    mesh.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.stack([points.min(axis=0), points.max(axis=0)])))
    sheet = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(
        "st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex
    )
    sheet.Set(Vt.Vec2fArray.FromNumpy(part.uv.astype(np.float32)))
    return mesh


def _material(stage: Any, path: str, part: TexturedPart, folder: Path) -> Any:
    from pxr import Gf, Sdf, UsdShade

    material = UsdShade.Material.Define(stage, path)
    shader = UsdShade.Shader.Define(stage, f"{path}/surface")
    shader.CreateIdAttr("UsdPreviewSurface")
    material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
    types = Sdf.ValueTypeNames
    if part.textures is None:
        own = part.material
        albedo = np.clip(np.asarray(own.albedo, float), 0, 1)
        shader.CreateInput("diffuseColor", types.Color3f).Set(Gf.Vec3f(*map(float, albedo)))
        shader.CreateInput("roughness", types.Float).Set(float(np.sqrt(own.mean_alpha)))
        shader.CreateInput("metallic", types.Float).Set(1.0 if own.kind == "metal" else 0.0)
        if own.kind == "glass":
            shader.CreateInput("opacity", types.Float).Set(GLASS_SHOWS)
        return material
    reader = UsdShade.Shader.Define(stage, f"{path}/sheet")
    reader.CreateIdAttr("UsdPrimvarReader_float2")
    reader.CreateInput("varname", types.String).Set("st")
    reader.CreateOutput("result", types.Float2)
    for which, inputs in _wired(part.textures):
        picture = getattr(part.textures, which)
        file = f"{path.rsplit('/', 1)[1]}-{which}.png"
        _saved(picture, folder / file)
        texture = UsdShade.Shader.Define(stage, f"{path}/{which}")
        texture.CreateIdAttr("UsdUVTexture")
        texture.CreateInput("file", types.Asset).Set(Sdf.AssetPath(f"./{file}"))
        colours = which in ("colour", "emission")
        texture.CreateInput("sourceColorSpace", types.Token).Set("sRGB" if colours else "raw")
        for axis in ("wrapS", "wrapT"):
            texture.CreateInput(axis, types.Token).Set("clamp")
        texture.CreateInput("st", types.Float2).ConnectToSource(reader.ConnectableAPI(), "result")
        if which == "normal":
            texture.CreateInput("scale", types.Float4).Set(Gf.Vec4f(2, 2, 2, 1))
            texture.CreateInput("bias", types.Float4).Set(Gf.Vec4f(-1, -1, -1, 0))
        for name, channel in inputs:
            wide = types.Float if len(channel) == 1 else types.Float3
            texture.CreateOutput(channel, wide)
            kind = {"normal": types.Normal3f}.get(name, types.Float if len(channel) == 1 else types.Color3f)
            shader.CreateInput(name, kind).ConnectToSource(texture.ConnectableAPI(), channel)
    return material


def _wired(textures: Textures) -> list[tuple[str, list[tuple[str, str]]]]:
    """Which picture, and which inputs of a surface take which of its channels."""
    found = [
        ("colour", [("diffuseColor", "rgb")]),
        ("packed", [("roughness", "g"), ("metallic", "b")]),
        ("normal", [("normal", "rgb")]),
    ]
    if textures.emission is not None:
        found.append(("emission", [("emissiveColor", "rgb")]))
    return found


def _saved(picture: Image.Image, path: Path) -> None:
    picture.save(path, "PNG", compress_level=2)
