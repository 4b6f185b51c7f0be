"""The maps of a job's sides: what lies on each side's sheet, in order, and what its parts are called."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kilnchisel.core.blanks.imported import free_mesh
from kilnchisel.core.blanks.sides import Side
from kilnchisel.core.build import body_of_job, laids_of, piece_of, scene_of_job
from kilnchisel.core.crafts.piece import Part
from kilnchisel.core.job.bodies import Mesh3D
from kilnchisel.core.job.model import Job
from kilnchisel.core.picture.baked import Laying, Maps, baked, laid_on
from kilnchisel.core.picture.gutters import GUTTER, spread
from kilnchisel.core.picture.meshmap import laid_on_map, outside_its_picture
from kilnchisel.core.scene.items import Item
from kilnchisel.core.scene.scene import Scene

Array = NDArray[Any]
Stop = Callable[[], bool]
SMOOTHED = 2048


@dataclass(frozen=True, eq=False)
class Baking:
    """What is on one side: its items over its sheet, over which ``box`` of it, and after how many mm it
    comes round. The part of a texel is the number of an item in ``items``. ``gutter``: what lies on the
    sheet in pieces, and is to go on beyond their rims by so many texels."""

    name: str
    box: tuple[float, float, float, float]
    period: float | None
    layings: tuple[Laying, ...]
    items: tuple[Item, ...]
    parts: tuple[Part, ...]
    gutter: int = 0

    def maps(
        self,
        longest: int,
        *,
        relief: bool = True,
        stop: Stop = lambda: False,
        progress: Callable[[float], None] = lambda share: None,
    ) -> Maps | None:
        """Its maps, so many texels along its longer extent; None when stopped."""
        smooth = longest <= SMOOTHED  # where texels are few
        made = baked(
            self.layings,
            self.box,
            longest,
            self.period,
            relief=relief,
            smooth=smooth,
            stop=stop,
            progress=progress,
        )
        if made is not None and self.gutter:
            spread(made, made, self.gutter)
        return made


def plain_job(job: Job) -> Job:
    """A job without its photo and without copies: the piece alone."""
    setting = job.setting.model_copy(update={"photo": None, "copies": ()})
    return job.model_copy(update={"setting": setting, "others": ()})


def bakings_of(job: Job, scene: Scene | None = None) -> list[Baking]:
    """The sides of a job that have a sheet. ``scene``: that of its plain job, where it is there. Raises
    KilnError where the piece cannot be made."""
    job = plain_job(job)
    piece, scene = piece_of(job), scene or scene_of_job(job)
    if isinstance(job.blank, Mesh3D):
        free = free_mesh(job.blank)
        if free.surface_map is None or outside_its_picture(free):
            return []
        whole, over = laid_on_map(free, scene.items)
        return [Baking("surface", whole, None, over, scene.items, piece.parts, GUTTER)]
    found = []
    for sheet in body_of_job(job).sheets:
        name = sheet.side.name
        layings: list[Laying] = []
        items: list[Item] = []
        parts: list[Part] = []
        for part, item in zip(piece.parts, scene.items, strict=False):  # linings come after all parts
            if part.side == name:
                layings.append(
                    laid_on(item, sheet.side, len(items), _on_sheet(job, part, item, sheet.side))
                )
                items.append(item)
                parts.append(part)
        if layings:
            left, low, right, high = sheet.side.domain.bounds
            box = left, low, right, high
            found.append(Baking(name, box, sheet.side.period, tuple(layings), tuple(items), tuple(parts)))
    return found


def without_maps(job: Job) -> str:
    """Why a job has no maps; empty where it has."""
    if not isinstance(job.blank, Mesh3D):
        return ""
    free = free_mesh(job.blank)
    if free.surface_map is None:
        return "its mesh brought no surface map"
    return "the surface map of its mesh goes beyond its picture" if outside_its_picture(free) else ""


def _on_sheet(job: Job, part: Part, item: Item, side: Side) -> Array | None:
    """Where a printed picture lies on its side, whose own uv are those of its pixels; None for all else."""
    raster = None if part.layer is None else part.layer.raster
    if raster is None or part.lettering is None or part.role != "letters":
        return None
    own = item.mesh.uv - (raster.width_mm / 2, raster.height_mm / 2)
    best, least = None, np.inf
    for laid in laids_of(job, part.lettering):
        if laid.lay.side != side.name:
            continue
        for place in laid.placing.everywhere(own):
            off = item.mesh.points - side.to_body(place, np.zeros(len(place)))
            far = np.linalg.norm(off, axis=1)
            if best is None:
                best, least = place, far
                continue
            nearer = far < least  # each point by the repetition that it belongs to
            best, least = np.where(nearer[:, None], place, best), np.minimum(far, least)
    return best
