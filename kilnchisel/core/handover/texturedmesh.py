"""The piece as it was crafted with its maps in one file: GLB or USDZ, metres, y up, physically based
materials with their textures embedded, a texture for each side's own sheet."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.build import scene_of_job
from kilnchisel.core.colour import srgb_encode
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.handover.meshes import pbr_of, unlike
from kilnchisel.core.handover.sidemaps import Baking, bakings_of, plain_job
from kilnchisel.core.job.model import Job
from kilnchisel.core.picture.baked import Maps

Array = NDArray[Any]
Stop = Callable[[], bool]


@dataclass(frozen=True, eq=False)
class Textures:
    """A side's maps as pictures: ``colour`` in sRGB; ``packed`` with roughness in green and metal in blue
    (glTF 2.0); ``normal`` with y up; ``emission`` in sRGB, as bright as can be, of which hue is kept."""

    name: str
    colour: Image.Image
    packed: Image.Image
    normal: Image.Image
    emission: Image.Image | None


@dataclass(frozen=True, eq=False)
class TexturedPart:
    """One part: ``mesh`` in mm, z up; ``uv`` (n, 2), 0 to 1 over its pictures, up; or one material all over
    it, and no textures."""

    name: str
    mesh: Mesh
    uv: Array
    textures: Textures | None
    material: Material

    @property
    def points_m(self) -> Array:
        """Its points (n, 3) with y up, metres."""
        return np.asarray(_y_up(self.mesh.points) / 1000)

    @property
    def normals(self) -> Array:
        """Its normals (n, 3) with y up."""
        return _y_up(self.mesh.normals)


def _y_up(points: Array) -> Array:
    return np.asarray(points[:, [0, 2, 1]] * (1, 1, -1))


def textured_parts(
    job: Job,
    longest: int,
    stop: Stop = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
) -> list[TexturedPart]:
    """The parts of a job's piece; none when stopped. ``longest``: texels along a side's longer extent.
    Raises KilnError."""
    whole = scene_of_job(plain_job(job))
    items = whole.items
    names = dict(zip(map(id, items), unlike([item.name for item in items]), strict=True))
    found: list[TexturedPart] = []
    laid = set()
    bakings = bakings_of(job, whole)
    for number, baking in enumerate(bakings):

        def share(part: float, number: int = number) -> None:
            progress((number + part) / len(bakings))

        maps = baking.maps(longest, relief=False, stop=stop, progress=share)
        if maps is None:
            return []
        textures = _textures(baking, maps)
        rows, columns = maps.shape
        for laying in baking.layings:
            item = baking.items[laying.part]
            laid.add(id(item))
            uv = (laying.sheet - maps.corner) / (maps.step * columns, maps.step * rows)
            mesh = laying.item.mesh
            if laying.turn is not None:  # on a mesh's own map: what stands upright on it is not there
                over = Mesh(mesh.points, mesh.normals, mesh.uv, laying.faces)
                beside = np.ones(len(mesh.faces), bool)
                beside[laying.faces[:, 0] // 3] = False
                rest = Mesh(mesh.points, mesh.normals, mesh.uv, mesh.faces[beside])
                name = f"{names[id(item)]} edges"
                found.append(TexturedPart(name, rest, uv, None, item.material))
                mesh = over
            found.append(TexturedPart(names[id(item)], mesh, uv, textures, item.material))
    for item in items:
        if id(item) not in laid:
            uv, picture = _covered(item.mesh, item.material, names[id(item)])
            found.append(TexturedPart(names[id(item)], item.mesh, uv, picture, item.material))
    return [part for part in found if len(part.mesh.faces)]


def textured_glb(parts: list[TexturedPart]) -> bytes:
    """Parts as binary glTF 2.0."""
    import trimesh

    scene = trimesh.Scene()
    materials: dict[int, Any] = {}
    for part in parts:
        made = trimesh.Trimesh(part.points_m, part.mesh.faces, vertex_normals=part.normals, process=False)
        if part.textures is None:
            material = pbr_of(part.material, part.name)
        else:
            if id(part.textures) not in materials:
                materials[id(part.textures)] = _material(part.textures)
            material = materials[id(part.textures)]
        made.visual = trimesh.visual.TextureVisuals(uv=part.uv, material=material)
        scene.add_geometry(made, node_name=part.name, geom_name=part.name)
    return bytes(scene.export(file_type="glb", include_normals=True))


def _material(textures: Textures) -> Any:
    from trimesh.visual.material import PBRMaterial

    how: dict[str, Any] = {}
    if textures.emission is not None:
        how = {"emissiveTexture": textures.emission, "emissiveFactor": [1.0, 1.0, 1.0]}
    return PBRMaterial(
        name=textures.name,
        baseColorTexture=textures.colour,
        baseColorFactor=[255, 255, 255, 255],
        metallicRoughnessTexture=textures.packed,
        metallicFactor=1.0,
        roughnessFactor=1.0,
        normalTexture=textures.normal,
        **how,
    )


def _textures(baking: Baking, maps: Maps) -> Textures:
    """One side's maps as pictures, what lies beside the piece in the mean of what is on it."""
    there = maps.part >= 0
    colour = maps.colour.astype(np.float32)
    if there.any():
        colour[~there] = colour[there].mean(axis=0)
    packed = np.stack([np.full_like(maps.metal, 255), maps.roughness, maps.metal], axis=-1)
    normal = maps.normal.astype(np.float32) / 32767
    normal[~there] = (0.0, 0.0, 1.0)
    emission = None
    if maps.emission is not None and maps.emission.max() > 0:
        emission = maps.emission.astype(np.float32) / max(float(maps.emission.max()), 1e-6)
    return Textures(
        baking.name,
        _picture(srgb_encode(colour)),
        Image.fromarray(packed),
        _picture(normal * 0.5 + 0.5),
        None if emission is None else _picture(srgb_encode(emission)),
    )


def _covered(mesh: Mesh, material: Material, name: str) -> tuple[Array, Textures | None]:
    """The uv and the picture of a part that is of no side: what lies on it in one place, as what is written
    on a number plate; no picture where there is nothing of the kind."""
    once = [cover for cover in material.covers if not cover.amount.repeats]
    if not once:
        return np.zeros((len(mesh.points), 2)), None
    amount = once[-1].amount
    share = amount.values[::-1, :, None]
    under, over = np.asarray(material.albedo), np.asarray(once[-1].material.albedo)
    colour = under + share * (over - under)
    rough = np.sqrt(material.mean_alpha) + share[..., 0] * (
        np.sqrt(once[-1].material.mean_alpha) - np.sqrt(material.mean_alpha)
    )
    metal = np.full_like(rough, 1.0 if material.kind == "metal" else 0.0)
    flat = np.broadcast_to((0.5, 0.5, 1.0), colour.shape)
    packed = np.stack([np.ones_like(rough), rough, metal], axis=-1)
    uv = np.clip((mesh.uv - amount.corner) / amount.size, 0, 1)
    textures = Textures(name, _picture(srgb_encode(colour)), _picture(packed), _picture(flat), None)
    return uv, textures


def _picture(values: Array) -> Any:
    """Values 0..1, (h, w, 3), as a picture that is packed fast."""
    file = io.BytesIO()
    Image.fromarray(np.rint(255 * np.clip(values, 0, 1)).astype(np.uint8)).save(
        file, "PNG", compress_level=2
    )
    return Image.open(file)
