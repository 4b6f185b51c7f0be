"""The piece for a printer of two materials: 3MF in mm, the blank and each lettering an object of its own
with its colour, meeting without gap or overlap."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.mesh import volume_within
from kilnchisel.core.build import laids_of, piece_of
from kilnchisel.core.crafts.parted import Letters, parted
from kilnchisel.core.crafts.piece import Piece
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.sideviews import colour_of_blank, colour_of_layer
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.crafts import CutThrough, Embroidered, Fitting, Tube, stands_free
from kilnchisel.core.job.model import Job
from kilnchisel.core.job.traits import traits_of
from kilnchisel.core.job.words.contents import one_line
from kilnchisel.core.shop.volumes import relief_range_mm
from kilnchisel.core.units import format_length, format_number

Array = NDArray[Any]

INLAY_MM = 0.8  # how deep letters go into the blank: four layers of 0.2 mm, common practice
OF_WALL = 0.5
ABOVE_MM = 1.0
KEPT = True  # by whoever changes the file


@dataclass(frozen=True, eq=False)
class Object:
    """One object of the file."""

    name: str
    colour: str
    points: Array
    faces: Array


def without_two(job: Job) -> str:
    """Why a job has no print in two materials; empty where it has."""
    if isinstance(job.blank, Mesh3D):
        return "letters are parted off from blanks with sides of their own"
    standing = any(_is_standing(item) for item in job.letterings)
    if traits_of(job.blank).stays and not standing:
        return "what it is on is there already, and nothing stands on it but light"
    if not standing and not any(_is_parted(item) for item in job.letterings):
        return "nothing is lettered on it"
    return ""


def _is_standing(item: Any) -> bool:
    return not item.hidden and stands_free(item.craft) and not isinstance(item.craft, Tube | Embroidered)


def _is_parted(item: Any) -> bool:
    return not item.hidden and not stands_free(item.craft) and not isinstance(item.craft, CutThrough)


def print_files(job: Job) -> tuple[dict[str, bytes], str]:
    """The file, and in words how many objects of what volume. Raises KilnError."""
    objects = objects_of(job)
    data = three_mf(job.name, objects)
    volumes = [
        f"{one.name} {format_number(volume_within(one.points, one.faces) / 1000, 2)} cm³" for one in objects
    ]
    deep = format_length(INLAY_MM)
    return {"print.3mf": data}, f"letters {deep} deep in the blank, mm: {'; '.join(volumes)}"


def objects_of(job: Job) -> list[Object]:
    """The blank, if it is not there already, then each lettering. Raises KilnError where something does not
    close."""
    made = [] if traits_of(job.blank).stays else _from_blank(job)
    for index, item in enumerate(job.letterings):
        if _is_standing(item):
            made += _standing(job, index)
    return made


def _from_blank(job: Job) -> list[Object]:
    """The blank, parted from the letters that are of it."""
    made: list[Object] = []
    ground = tuple(
        item.model_copy(update={"hidden": True}) if stands_free(item.craft) else item
        for item in job.letterings
    )
    points, faces, _ = solid_of(piece_of(job.model_copy(update={"letterings": ground})))
    letters, owners = [], []
    for index, item in enumerate(job.letterings):
        if not _is_parted(item):
            continue
        for laid in laids_of(job, index):
            if laid.ink.is_empty:
                continue
            low, high = relief_range_mm(item, laid)
            deep = min(INLAY_MM, OF_WALL * max(laid.side.wall_mm + low, 0.0))
            letters.append(Letters(laid.side, laid.ink, low - deep, high + ABOVE_MM))
            owners.append((index, colour_of_layer(job, item, laid.layers[0].layer)))
    rest, taken = parted(points, faces, letters)
    made.append(Object("blank", colour_of_blank(job), *rest))
    for (index, colour), solid in zip(owners, taken, strict=True):
        if len(solid[1]):
            made.append(Object(f"{index + 1} {one_line(job.letterings[index])}", colour, *solid))
    return made


def _standing(job: Job, index: int) -> list[Object]:
    """What stands free of the blank, as it is."""
    piece = piece_of(job)
    mine = tuple(part for part in piece.parts if part.lettering == index and part.role != "tube")
    if not mine:
        return []
    points, faces, _ = solid_of(Piece(mine))
    item = job.letterings[index]
    name = f"{index + 1} {'fitting' if isinstance(item.craft, Fitting) else one_line(item)}"
    layer = mine[0].layer
    colour = colour_of_blank(job) if layer is None else colour_of_layer(job, item, layer)
    return [Object(name, colour, points, faces)]


def three_mf(title: str, objects: list[Object]) -> bytes:
    """3MF (3MF Core Specification), an object for each solid with a base material of its colour. Raises
    KilnError where one is empty."""
    import lib3mf

    if not objects or any(len(one.faces) == 0 for one in objects):
        raise KilnError("There is nothing to print: the piece has no volume.")
    model = lib3mf.get_wrapper().CreateModel()
    model.SetUnit(lib3mf.ModelUnit.MilliMeter)
    model.GetMetaDataGroup().AddMetaData("", "Title", title, "xs:string", KEPT)
    group = model.AddBaseMaterialGroup()
    for one in objects:
        colour = lib3mf.Color(*(int(one.colour[k : k + 2], 16) for k in (1, 3, 5)), 255)
        material = group.AddMaterial(one.name, colour)
        mesh = model.AddMeshObject()
        mesh.SetName(one.name)
        points = one.points.astype(np.float32).tolist()
        places = [lib3mf.Position((lib3mf.ctypes.c_float * 3)(*point)) for point in points]
        corners = one.faces.tolist()
        triangles = [lib3mf.Triangle((lib3mf.ctypes.c_uint32 * 3)(*corner)) for corner in corners]
        mesh.SetGeometry(places, triangles)
        mesh.SetObjectLevelProperty(group.GetResourceID(), material)
        model.AddBuildItem(mesh, lib3mf.get_wrapper().GetIdentityTransform())
    data = model.QueryWriter("3mf").WriteToBuffer()
    return bytes(data)
