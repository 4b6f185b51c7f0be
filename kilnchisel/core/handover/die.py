"""A die for hot stamping or pressing: what is pressed, mirrored, standing on a plate that is etched away
round it with flanks that lean out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import manifold3d
import numpy as np
import shapely

from kilnchisel.core.build import piece_of
from kilnchisel.core.crafts.solids import solid_of
from kilnchisel.core.errors import KilnError
from kilnchisel.core.handover.meshes import apart
from kilnchisel.core.handover.plans import named_for
from kilnchisel.core.handover.vectors import Group, dxf_of, svg_of
from kilnchisel.core.job.artwork import Artwork
from kilnchisel.core.job.assets import keep_asset
from kilnchisel.core.job.blank import Plaque
from kilnchisel.core.job.crafts import Engraved, Pressed
from kilnchisel.core.job.fresh import job_on
from kilnchisel.core.job.lettering import Lay, Lettering
from kilnchisel.core.job.model import Job
from kilnchisel.core.lettering.polygons import polygons_in, rings_of
from kilnchisel.core.shop.paths.flatwork import Work, bounds_of, flat_work
from kilnchisel.core.units import format_angle, format_length

MARGIN_MM, EDGE_MM = 8.0, 2.0


@dataclass(frozen=True)
class Plate:
    """What a die is etched in: its thickness, how deep it is etched, and how far its flanks lean from
    upright. Magnesium of a quarter of an inch, etched 1.5 mm at 15°: common practice."""

    thick_mm: float = 6.35
    etch_mm: float = 1.5
    lean_deg: float = 15.0


def die_files(job: Job, plate: Plate | None = None) -> tuple[dict[str, bytes], str]:
    """The dies of a job, one a side: outlines and solid, bytes by a file's name, and what they are in
    words. Raises KilnError."""
    plate = plate or Plate()
    works = flat_work(job, Pressed)
    bounds_of(works)
    made: dict[str, bytes] = {}
    said = []
    sides = dict.fromkeys(work.side for work in works)
    for side in sides:
        name = named_for("die", side, sides)
        mine = [work for work in works if work.side == side]
        shape, size = _mirrored(mine)
        wide, tall = (format_length(one, decimals=1) for one in size)
        words = (
            f"{side}, mirrored, {wide} by {tall}, magnesium {format_length(plate.thick_mm)}, "
            f"etched {format_length(plate.etch_mm)} deep, flanks {format_angle(plate.lean_deg)}"
        )
        group = Group(f"die {side}", rings_of(shape), [])
        made[f"{name}.svg"] = svg_of(job.name, [group], words)
        made[f"{name}.dxf"] = dxf_of(job.name, [group], words)
        made[f"{name}.stl"] = _solid(job.name, shape, size, plate)
        said.append(words)
    return made, "; ".join(said)


def _mirrored(works: list[Work]) -> tuple[Any, tuple[float, float]]:
    """What stands, mirrored, about the middle of its plate; and how large the plate is."""
    left, low, right, high = bounds_of(works)
    middle = ((left + right) / 2, (low + high) / 2)
    whole = shapely.union_all([work.region for work in works])
    turned = shapely.transform(whole, lambda p: (p - middle) * (-1.0, 1.0))
    return shapely.orient_polygons(turned), (right - left + 2 * MARGIN_MM, high - low + 2 * MARGIN_MM)


def _solid(name: str, shape: Any, size: tuple[float, float], plate: Plate) -> bytes:
    """The die as STL, lying on its back, what stands up, its middle at the origin."""
    import trimesh

    points, faces, _ = solid_of(piece_of(_etched(name, shape, size, plate)))
    # the plaque stands, its front facing down y: laid on its back, its middle in the middle
    middle = (points.min(axis=0) + points.max(axis=0)) / 2
    off = points - middle
    laid = np.stack([off[:, 0], off[:, 2], plate.thick_mm / 2 - off[:, 1]], axis=1)
    mesh = manifold3d.Mesh64(laid, faces.astype(np.uint64))
    wide, tall = size
    box = manifold3d.Manifold.cube([wide, tall, 2 * plate.thick_mm]).translate(
        [-wide / 2, -tall / 2, -1e-3]
    )
    cut = (manifold3d.Manifold(mesh) ^ box).to_mesh64()
    whole = trimesh.Trimesh(apart(cut.vert_properties[:, :3]), cut.tri_verts, process=False)
    return bytes(whole.export(file_type="stl"))


def _etched(name: str, shape: Any, size: tuple[float, float], plate: Plate) -> Job:
    """The plate as a job of its own, larger all round by an edge that is cut off: all but what stands is
    engraved, its flanks those of a V cutter."""
    if not plate.etch_mm < plate.thick_mm:
        raise KilnError("A die cannot be etched deeper than its plate is thick.")
    wide, tall = size
    far = 2 * plate.etch_mm + MARGIN_MM  # beyond the plate's edge, so that nothing is left standing there
    ground = shapely.box(-wide / 2 - far, -tall / 2 - far, wide / 2 + far, tall / 2 + far) - shape
    rings = [ring for part in polygons_in(ground) for ring in rings_of(part)]
    drawn = svg_of(name, [Group("ground", rings, [])], "")
    content = Artwork(sha256=keep_asset(drawn, "die.svg"), name="die.svg", form="svg")
    craft = Engraved(floor="v", depth_mm=plate.etch_mm, angle_deg=2 * plate.lean_deg)
    larger = {"width_mm": wide + 2 * EDGE_MM, "height_mm": tall + 2 * EDGE_MM}
    blank = Plaque(**larger, thickness_mm=plate.thick_mm, corner_mm=0.0, edge_round_mm=0.1)
    lettering = Lettering(content=content, lay=Lay(side="front"), craft=craft)
    return job_on(blank, name, "x").model_copy(update={"letterings": (lettering,)})


def without_die(job: Job) -> str:
    """Why a job has no die; empty where it has."""
    if any(isinstance(item.craft, Pressed) and not item.hidden for item in job.letterings):
        return ""
    return "nothing on it is pressed"
