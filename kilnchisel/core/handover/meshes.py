"""The piece as one watertight solid: STL, OBJ (mm) and GLB (metres)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray
from trimesh.visual.material import PBRMaterial, SimpleMaterial

from kilnchisel.core.build import piece_of, scene_of_job
from kilnchisel.core.colour import srgb_encode
from kilnchisel.core.crafts.piece import solid_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.job.file import write_whole
from kilnchisel.core.job.model import Job

Array = NDArray[Any]

MESH_ENDINGS = (".stl", ".obj", ".glb")


def write_mesh(job: Job, path: Path) -> None:
    """Write the piece; the ending decides the format.

    STL and OBJ are in mm with z up, GLB in metres with y up as glTF asks. Raises KilnError for another
    ending, a piece that does not close, or a file that cannot be written.
    """
    ending = path.suffix.lower()
    if ending not in MESH_ENDINGS:
        raise KilnError(f"“{path.name}” should end in .stl, .obj or .glb to say which format is wanted.")
    piece = piece_of(job)
    points, faces, label = solid_of(piece)
    if ending == ".stl":
        whole = trimesh.Trimesh(points, faces, process=False)
        write_whole(path, _bytes(whole.export(file_type="stl")))
        return
    materials = [item.material for item in scene_of_job(job).items]
    names = [item.name for item in scene_of_job(job).items]
    scene = trimesh.Scene()
    for number in np.unique(label):
        mine = faces[label == number]
        used, compact = np.unique(mine, return_inverse=True)
        mesh = trimesh.Trimesh(points[used], compact.reshape(-1, 3), process=False)
        material = _pbr(materials[number], names[number])
        mesh.visual = trimesh.visual.TextureVisuals(
            uv=np.zeros((len(used), 2)),
            material=material if ending == ".glb" else _plain(material),
        )
        scene.add_geometry(mesh, node_name=names[number], geom_name=names[number])
    if ending == ".glb":
        # metres, y up: (x, y, z) -> (x, z, -y) / 1000
        scene.apply_transform(
            np.array([[1, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1000.0]]) / 1000
        )
        write_whole(path, _bytes(scene.export(file_type="glb")))
        return
    write_whole(path, _obj(points, faces, label, names))


def _pbr(material: Material, name: str) -> PBRMaterial:
    """Base colour as glTF stores it (sRGB bytes in trimesh are passed on linear factors)."""
    base = np.clip(np.asarray(material.albedo), 0, 1)
    return PBRMaterial(
        name=name,
        baseColorFactor=[*base.tolist(), 1.0],
        metallicFactor=1.0 if material.kind == "metal" else 0.0,
        roughnessFactor=float(np.sqrt(material.alpha)),
    )


def _plain(material: PBRMaterial) -> SimpleMaterial:
    colour = srgb_encode(np.asarray(material.baseColorFactor[:3], float) / 255)
    return SimpleMaterial(name=material.name, diffuse=(*np.rint(colour * 255).astype(int), 255))


def _obj(points: Array, faces: Array, label: Array, names: list[str]) -> bytes:
    """Wavefront OBJ with shared vertices and one group a part, mm."""
    lines = ["# lengths in mm"]
    lines += [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in points]
    for number in np.unique(label):
        lines.append(f"g {names[number].replace(' ', '_')}")
        lines += [f"f {a} {b} {c}" for a, b, c in faces[label == number] + 1]
    return ("\n".join(lines) + "\n").encode()


def _bytes(data: Any) -> bytes:
    return data if isinstance(data, bytes) else str(data).encode()
