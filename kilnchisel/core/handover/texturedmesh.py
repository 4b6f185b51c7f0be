"""The piece as it was crafted with its maps in one file: GLB, metres, y up, physically based materials with
their textures embedded, a texture for each side's own sheet."""

from __future__ import annotations

import io
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from kilnchisel.core.blanks.mesh import Mesh
from kilnchisel.core.build import scene_of_job
from kilnchisel.core.colour import srgb_encode
from kilnchisel.core.handover.meshes import pbr_of, unlike
from kilnchisel.core.handover.sidemaps import Baking, bakings_of, plain_job
from kilnchisel.core.job.model import Job
from kilnchisel.core.picture.baked import Maps

Array = NDArray[Any]
Stop = Callable[[], bool]


def textured_glb(
    job: Job,
    longest: int,
    stop: Stop = lambda: False,
    progress: Callable[[float], None] = lambda share: None,
) -> bytes:
    """The file; nothing when stopped. ``longest``: texels along a side's longer extent. Raises
    KilnError."""
    import trimesh

    scene = trimesh.Scene()
    whole = scene_of_job(plain_job(job))
    items = whole.items
    names = dict(zip(map(id, items), unlike([item.name for item in items]), strict=True))
    laid = set()
    bakings = bakings_of(job, whole)
    for number, baking in enumerate(bakings):

        def share(part: float, number: int = number) -> None:
            progress((number + part) / len(bakings))

        maps = baking.maps(longest, relief=False, stop=stop, progress=share)
        if maps is None:
            return b""
        material = _material(baking, maps)
        rows, columns = maps.shape
        for laying in baking.layings:
            item = laying.item
            laid.add(id(item))
            # of the picture: 0 to 1 over it, up
            uv = (laying.sheet - maps.corner) / (maps.step * columns, maps.step * rows)
            _add(scene, item.mesh, uv, material, names[id(item)])
    for item in items:
        if id(item) not in laid:
            name = names[id(item)]
            _add(scene, item.mesh, np.zeros((len(item.mesh.points), 2)), pbr_of(item.material, name), name)
    return bytes(scene.export(file_type="glb", include_normals=True))


def _add(scene: Any, mesh: Mesh, uv: Array, material: Any, name: str) -> None:
    import trimesh

    if len(mesh.faces) == 0:
        return
    # z up in mm becomes y up in metres
    points = mesh.points[:, [0, 2, 1]] * (1, 1, -1) / 1000
    normals = mesh.normals[:, [0, 2, 1]] * (1, 1, -1)
    made = trimesh.Trimesh(points, mesh.faces, vertex_normals=normals, process=False)
    made.visual = trimesh.visual.TextureVisuals(uv=uv, material=material)
    scene.add_geometry(made, node_name=name, geom_name=name)


def _material(baking: Baking, maps: Maps) -> Any:
    """One side's material, its textures as glTF 2.0 has them: roughness in green and metal in blue."""
    from trimesh.visual.material import PBRMaterial

    there = maps.part >= 0
    colour = maps.colour.astype(np.float32)
    if there.any():
        colour[~there] = colour[there].mean(axis=0)
    packed = np.stack([np.full_like(maps.metal, 255), maps.roughness, maps.metal], axis=-1)
    normal = maps.normal.astype(np.float32) / 32767
    normal[~there] = (0.0, 0.0, 1.0)
    how: dict[str, Any] = {}
    if maps.emission is not None and maps.emission.max() > 0:
        # as bright as the format lets it be; of which hue is kept
        shown = maps.emission.astype(np.float32) / max(float(maps.emission.max()), 1e-6)
        how = {"emissiveTexture": _picture(srgb_encode(shown)), "emissiveFactor": [1.0, 1.0, 1.0]}
    return PBRMaterial(
        name=baking.name,
        baseColorTexture=_picture(srgb_encode(colour)),
        baseColorFactor=[255, 255, 255, 255],
        metallicRoughnessTexture=Image.fromarray(packed),
        metallicFactor=1.0,
        roughnessFactor=1.0,
        normalTexture=_picture(normal * 0.5 + 0.5),
        **how,
    )


def _picture(values: Array) -> Any:
    """Values 0..1, (h, w, 3), as a picture that is packed fast."""
    file = io.BytesIO()
    Image.fromarray(np.rint(255 * np.clip(values, 0, 1)).astype(np.uint8)).save(
        file, "PNG", compress_level=2
    )
    return Image.open(file)
