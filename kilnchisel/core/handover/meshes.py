"""The piece as one watertight solid: STL, OBJ (mm) and GLB (metres)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.build import piece_of, scene_of_job
from kilnchisel.core.crafts.solids import solid_of
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
    points, faces, label = solid_of(piece_of(job))
    items = scene_of_job(job).items
    if ending == ".obj":
        write_whole(path, _obj(points, faces, label, [item.name for item in items]))
        return
    import trimesh  # a second to load: only when a solid is wanted

    if ending == ".stl":
        whole = trimesh.Trimesh(points, faces, process=False)
        write_whole(path, whole.export(file_type="stl"))
        return
    scene = trimesh.Scene()
    for number in np.unique(label):
        used, compact = np.unique(faces[label == number], return_inverse=True)
        mesh = trimesh.Trimesh(points[used], compact.reshape(-1, 3), process=False)
        mesh.visual = trimesh.visual.TextureVisuals(
            uv=np.zeros((len(used), 2)), material=_pbr(items[number].material, items[number].name)
        )
        scene.add_geometry(mesh, node_name=items[number].name, geom_name=items[number].name)
    # metres, y up: (x, y, z) -> (x, z, -y) / 1000
    turn = np.array([[1, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1000.0]])
    scene.apply_transform(turn / 1000)
    write_whole(path, scene.export(file_type="glb"))


GLASS_SHOWS = 0.25  # how dense glass is in files that know no refraction


def _pbr(material: Material, name: str) -> Any:
    """The material in glTF's terms; its base colour factor is linear."""
    from trimesh.visual.material import PBRMaterial

    base = np.clip(np.asarray(material.albedo), 0, 1)
    clear = material.kind == "glass"
    return PBRMaterial(
        name=name,
        baseColorFactor=[*base.tolist(), GLASS_SHOWS if clear else 1.0],
        alphaMode="BLEND" if clear else "OPAQUE",
        metallicFactor=1.0 if material.kind == "metal" else 0.0,
        roughnessFactor=float(np.sqrt(material.mean_alpha)),
    )


def _obj(points: Array, faces: Array, label: Array, names: list[str]) -> bytes:
    """Wavefront OBJ with shared vertices and one group a part, mm."""
    lines = ["# lengths in mm"]
    lines += [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in points]
    for number in np.unique(label):
        lines.append(f"g {names[number].replace(' ', '_')}")
        lines += [f"f {a} {b} {c}" for a, b, c in faces[label == number] + 1]
    return ("\n".join(lines) + "\n").encode()
