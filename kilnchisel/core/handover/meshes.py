"""The piece as one watertight solid: STL, OBJ and PLY (mm), GLB (metres)."""

from __future__ import annotations

import itertools
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import compacted, distinct
from kilnchisel.core.build import piece_of, scene_of_job
from kilnchisel.core.colour import srgb_encode
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.finishes.material import Material
from kilnchisel.core.handover.formats import format_of
from kilnchisel.core.job.edits import change
from kilnchisel.core.job.model import Job
from kilnchisel.core.writing import write_whole

Array = NDArray[Any]


@dataclass(frozen=True, eq=False)
class Solid:
    """What a file of a piece is made from: points (n, 3) in mm with z up, triangles (m, 3), and of each
    triangle the number of its part, whose names and materials are listed."""

    points: Array
    faces: Array
    label: Array
    names: list[str]
    materials: list[Material]


def write_mesh(job: Job, path: Path) -> None:
    """Write the piece. Raises KilnError as ``mesh_bytes``, and for a file that cannot be written."""
    write_whole(path, mesh_bytes(job, path))


def mesh_bytes(job: Job, path: Path, *, beside: bool = False) -> bytes:
    """The piece as a file; the ending of its path decides the format.

    STL and OBJ are in mm with z up, GLB in metres with y up as glTF asks. Raises KilnError for another
    ending or a piece that does not close. ``beside``: as in ``solid_of``.
    """
    return mesh_files(job, [path], beside=beside)[0]


def mesh_files(job: Job, paths: list[Path], *, beside: bool = False) -> list[bytes]:
    """The same for several files of one solid."""
    writers = [format_of(path, FORMATS) for path in paths]
    points, faces, label = solid_of(piece_of(job), beside=beside)
    # in a photo some of the piece is what the photo shows; the solid is all of it, in its own finishes
    items = scene_of_job(change(job, ("setting", "photo"), None)).items
    names, materials = unlike([item.name for item in items]), [item.material for item in items]
    solid = Solid(points, faces, label, names, materials)
    return [write(solid) for write in writers]


def _stl(solid: Solid) -> bytes:
    import trimesh  # a second to load: only when a solid is wanted

    whole = trimesh.Trimesh(apart(solid.points), solid.faces, process=False)
    return bytes(whole.export(file_type="stl"))


def _glb(solid: Solid) -> bytes:
    import trimesh

    scene = trimesh.Scene()
    metres = apart(solid.points[:, [0, 2, 1]] * (1, 1, -1) / 1000)  # y up
    for number in np.unique(solid.label):
        used, compact = compacted(solid.faces[solid.label == number], len(metres))
        name = solid.names[number]
        mesh = trimesh.Trimesh(metres[used], compact, process=False)
        mesh.visual = trimesh.visual.TextureVisuals(
            uv=np.zeros((len(used), 2)), material=pbr_of(solid.materials[number], name)
        )
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    return bytes(scene.export(file_type="glb"))


def unlike(names: Sequence[str]) -> list[str]:
    """Names of which no two are the same: the second of one name gets a number, and so on."""
    found: list[str] = []
    taken = set(names)
    seen: set[str] = set()
    for name in names:
        new, number = name, 1
        while new in seen or (number > 1 and new in taken):
            number += 1
            new = f"{name} ({number})"
        seen.add(new)
        found.append(new)
    return found


FLOAT_BITS = 24  # of which a number in STL and GLB has its digits
FINEST = 2.0**-26  # of a unit: readers take what is closer than about 1e-8 for one point


def apart(points: Array) -> Array:
    """Points (n, 3) on a grid that files with short numbers hold exactly, as float32, no two in one place.

    What is one point of a solid stays one for whoever reads the file, and two that touch stay two. The
    grid is as fine as the numbers are at the farthest point, 0.0005 mm at 8 m; a point whose place is
    taken goes to the nearest free one.
    """
    far = float(np.abs(points).max(initial=0.0))
    step = max(FINEST, 2.0 ** (np.ceil(np.log2(max(far, FINEST))) - FLOAT_BITS + 1))
    keys = np.rint(points / step).astype(np.int64)
    first, _ = distinct(keys)
    late = np.setdiff1d(np.arange(len(keys)), first)
    if len(late):
        taken = set(map(tuple, keys.tolist()))
        for number in late.tolist():
            keys[number] = _free_place(keys[number], taken)
            taken.add(tuple(keys[number].tolist()))
    return np.asarray(keys * step, dtype=np.float32)


def _free_place(key: Array, taken: set[tuple[int, ...]]) -> Array:
    """The nearest place of the grid that is not taken."""
    for reach in itertools.count(1):
        steps = np.array(list(itertools.product(range(-reach, reach + 1), repeat=3)))
        for step in steps[np.argsort((steps**2).sum(axis=1), kind="stable")]:
            if tuple((key + step).tolist()) not in taken:
                return np.asarray(key + step)
    raise AssertionError


GLASS_SHOWS = 0.25  # how dense glass is in files that know no refraction


def pbr_of(material: Material, name: str) -> Any:
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


def _obj(solid: Solid) -> bytes:
    """Wavefront OBJ with shared vertices and one group a part, mm."""
    lines = ["# lengths in mm"]
    lines += [f"v {x:.9g} {y:.9g} {z:.9g}" for x, y, z in apart(solid.points).tolist()]
    for number in np.unique(solid.label):
        lines.append(f"g {solid.names[number].replace(' ', '_')}")
        lines += [f"f {a} {b} {c}" for a, b, c in solid.faces[solid.label == number] + 1]
    return ("\n".join(lines) + "\n").encode()


MTL = "piece.mtl"


def mtl_bytes(job: Job) -> bytes:
    """The materials that an OBJ of a job names: colour and clearness, with roughness and metal for those
    who read them (Pr, Pm)."""
    items = scene_of_job(change(job, ("setting", "photo"), None)).items
    lines = []
    for name, item in zip(unlike([item.name for item in items]), items, strict=True):
        r, g, b = srgb_encode(np.clip(np.asarray(item.material.albedo), 0, 1))
        rough = float(np.sqrt(item.material.mean_alpha))
        clear = GLASS_SHOWS if item.material.kind == "glass" else 1.0
        lines += [
            f"newmtl {name.replace(' ', '_')}",
            f"Kd {r:.4f} {g:.4f} {b:.4f}",
            f"Pr {rough:.3f}",
            f"Pm {1.0 if item.material.kind == 'metal' else 0.0:.1f}",
            f"d {clear:.2f}",
            "illum 2",
            "",
        ]
    return "\n".join(lines).encode()


def with_materials(obj: bytes) -> bytes:
    """An OBJ whose parts have the materials of ``mtl_bytes``, in a file beside it."""
    first, rest = obj.split(b"\n", 1)
    named = re.sub(rb"^g (.+)$", rb"g \1\nusemtl \1", rest, flags=re.MULTILINE)
    return b"\n".join([first, b"mtllib " + MTL.encode(), named])


def _ply(solid: Solid) -> bytes:
    """Binary PLY in mm, each triangle with the colour of its part."""
    import trimesh

    colours = np.array([srgb_encode(np.clip(np.asarray(m.albedo), 0, 1)) for m in solid.materials])
    shown = np.rint(255 * colours[solid.label]).astype(np.uint8)
    whole = trimesh.Trimesh(apart(solid.points), solid.faces, process=False)
    whole.visual = trimesh.visual.ColorVisuals(
        whole, face_colors=np.column_stack([shown, np.full(len(shown), 255)])
    )
    return bytes(whole.export(file_type="ply"))


# new formats are written before the table
FORMATS: dict[str, Callable[[Solid], bytes]] = {
    ".stl": _stl,
    ".obj": _obj,
    ".glb": _glb,
    ".ply": _ply,
}
MESH_ENDINGS = tuple(FORMATS)
